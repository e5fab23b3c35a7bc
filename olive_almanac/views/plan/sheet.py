"""The bed seen from above with the coupon on it, to scale: cells shaded by energy, the refused ones crossed."""

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPainterPath, QPen
from PySide6.QtWidgets import QSizePolicy

from olive_almanac.core.units import lengths_text, number_text, percent_text, speed_in
from olive_almanac.views.coupon import CouponScale, draw_board, draw_planned, energy_shares, stock_colour
from olive_almanac.views.marks import hatch
from olive_almanac.views.parts import CENTRE, MIDDLE_LEFT, MIDDLE_RIGHT
from olive_almanac.views.theme import LIVE, NO_BRUSH, NO_PEN, RAMP, C, F, Painted, ink_on


class PlanSheet(Painted):
    """Draws a `GridPlan` on the bed or large by itself; the coupon can be dragged on the bed.

    Signals:
        dragged(float, float): the coupon's new place on the bed, mm, whole millimetres.
    """

    dragged = Signal(float, float)

    def __init__(self) -> None:
        super().__init__()
        self.plan = None
        self.unit = "mm/s"
        self.whole_bed = False
        self.edge: list[tuple[float, float]] = []
        self._grab: tuple[float, float] | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("The coupon to scale")

    def show_plan(self, plan, unit: str) -> None:
        self.plan, self.unit = plan, unit
        if plan is not None:
            coupon = plan.trial.coupon
            self.setAccessibleDescription(f"{len(plan.trial.cells)} cells on {lengths_text(coupon.width_mm, coupon.height_mm)} mm")
        self.update()

    def show_whole_bed(self, whole: bool) -> None:
        self.whole_bed = whole
        self.setCursor(Qt.CursorShape.OpenHandCursor if whole else Qt.CursorShape.ArrowCursor)
        self.update()

    def paint(self, painter, width, height) -> None:
        if self.plan is None:
            painter.setFont(F("note"))
            painter.setPen(C("ink2"))
            painter.drawText(QRectF(0, 0, width, height), CENTRE, "Nothing to draw until the plan is put right.")
            return
        if self.whole_bed:
            self._paint_bed(painter, width, height)
        else:
            self._paint_coupon(painter, QRectF(62, 40, width - 74, height - 84))

    # -- the coupon large --------------------------------------------------------------------------------------------

    def _paint_coupon(self, painter, rect: QRectF) -> None:
        trial = self.plan.trial
        scale = CouponScale(trial, rect)
        colour = stock_colour(trial)
        draw_board(painter, trial, scale, colour)
        self._draw_cells(painter, scale, colour)
        self._draw_axes(painter, scale)
        self._draw_size(painter, scale)

    def _draw_cells(self, painter, scale: CouponScale, colour: QColor) -> None:
        trial, ink = self.plan.trial, ink_on(colour)
        shares = energy_shares(trial)
        for cell in trial.cells:
            draw_planned(painter, scale.rect(cell.rect_mm), shares[cell.id], ink)
        for refusal in self.plan.refused:
            rect = scale.rect(refusal.cell.rect_mm)
            path = QPainterPath()
            path.addRect(rect)
            hatch(painter, path, C("ember"), 6, 45, 1.3)
            painter.setPen(QPen(C("ember"), 1.4))
            painter.setBrush(NO_BRUSH)
            painter.drawRect(rect)
        big = min(c.rect_mm[2] for c in trial.cells) * scale.k
        if big > 26:
            painter.setFont(F("cap"))
            for cell in trial.cells:
                rect = scale.rect(cell.rect_mm)
                share = shares[cell.id]
                painter.setPen(QColor("#22190D") if share < 0.45 else QColor("#FFF8E4"))
                painter.drawText(rect, CENTRE, str(cell.order))

    def _draw_axes(self, painter, scale: CouponScale) -> None:
        cells = [*self.plan.trial.cells, *(r.cell for r in self.plan.refused)]
        columns = {cell.col: cell for cell in cells}
        rows = {cell.row: cell for cell in cells}
        board = scale.board
        painter.setFont(F("small_b"))
        painter.setPen(C("ink"))
        last = -1e9
        for col in sorted(columns):
            rect = scale.rect(columns[col].rect_mm)
            text = number_text(speed_in(columns[col].setting.speed_mm_s, self.unit), 3)
            need = painter.fontMetrics().horizontalAdvance(text) + 6
            if rect.center().x() - need / 2 >= last:  # a label that would overlap its neighbour is left out
                painter.drawText(QRectF(rect.center().x() - 40, board.bottom() + 5, 80, 18), CENTRE, text)
                last = rect.center().x() + need / 2
        last = 1e9
        for row in sorted(rows):
            rect = scale.rect(rows[row].rect_mm)
            if rect.center().y() + 9 <= last:
                painter.drawText(
                    QRectF(0, rect.center().y() - 9, board.left() - 6, 18), MIDDLE_RIGHT, percent_text(rows[row].setting.power)
                )
                last = rect.center().y() - 9
        painter.setFont(F("small"))
        painter.setPen(C("ink2"))
        painter.drawText(QRectF(board.left(), board.bottom() + 24, board.width(), 18), CENTRE, f"Speed, {self.unit} →")
        painter.drawText(QRectF(max(0.0, board.left() - 62), board.top() - 22, 200, 18), MIDDLE_LEFT, "Power, % ↑")

    def _draw_size(self, painter, scale: CouponScale) -> None:
        coupon, board = self.plan.trial.coupon, scale.board
        painter.setFont(F("small"))
        painter.setPen(C("ink2"))
        text = f"{lengths_text(coupon.width_mm, coupon.height_mm)} mm"
        painter.drawText(QRectF(board.left(), board.top() - 22, board.width(), 18), MIDDLE_RIGHT, text)

    # -- the whole bed -----------------------------------------------------------------------------------------------

    def _bed_scale(self, width: float, height: float) -> tuple[float, float, float]:
        bed_w, bed_h = self.plan.trial.machine.bed_mm
        k = min((width - 60) / bed_w, (height - 44) / bed_h)
        return k, 46 + (width - 60 - k * bed_w) / 2, 6 + k * bed_h

    def _paint_bed(self, painter, width, height) -> None:
        trial = self.plan.trial
        bed_w, bed_h = trial.machine.bed_mm
        k, left, foot = self._bed_scale(width, height)
        painter.setPen(QPen(C("edge"), 1.4))
        painter.setBrush(C("field"))
        painter.drawRect(QRectF(left, foot - k * bed_h, k * bed_w, k * bed_h))
        self._draw_rulers(painter, k, left, foot, bed_w, bed_h)
        place = trial.on_sheet
        w, h = k * trial.coupon.width_mm, k * trial.coupon.height_mm
        scale = CouponScale(trial, QRectF(left + k * place.x_mm, foot - k * place.y_mm - h, w, h))
        colour = stock_colour(trial)
        draw_board(painter, trial, scale, colour)
        self._draw_cells(painter, scale, colour)
        painter.setFont(F("small"))
        painter.setPen(C("ink2"))
        painter.drawText(QPointF(left + k * place.x_mm, foot - k * place.y_mm - h - 6), "drag to move")

    def _draw_rulers(self, painter, k, left, foot, bed_w, bed_h) -> None:
        step = next(s for s in (10, 20, 50, 100, 200, 500, 1000) if s * k > 42)
        painter.setFont(F("small"))
        painter.setPen(QPen(C("ink2"), 1))
        for mm in range(0, int(bed_w) + 1, step):
            painter.drawLine(QPointF(left + k * mm, foot + 3), QPointF(left + k * mm, foot + 9))
            painter.drawText(QRectF(left + k * mm - 26, foot + 11, 52, 18), CENTRE, f"{mm} mm" if mm == 0 else str(mm))
        for mm in range(step, int(bed_h) + 1, step):
            painter.drawLine(QPointF(left - 3, foot - k * mm), QPointF(left - 9, foot - k * mm))
            painter.drawText(QRectF(left - 54, foot - k * mm - 9, 42, 18), MIDDLE_RIGHT, str(mm))

    # -- dragging ----------------------------------------------------------------------------------------------------

    def _bed_point(self, event) -> tuple[float, float]:
        x, y = self.logical(event)
        k, left, foot = self._bed_scale(self.width() / LIVE.scale, self.height() / LIVE.scale)
        return (x - left) / k, (foot - y) / k

    def mousePressEvent(self, event) -> None:
        if self.plan is None or not self.whole_bed:
            return
        x, y = self._bed_point(event)
        trial = self.plan.trial
        place = trial.on_sheet
        if 0 <= x - place.x_mm <= trial.coupon.width_mm and 0 <= y - place.y_mm <= trial.coupon.height_mm:
            self._grab = (x - place.x_mm, y - place.y_mm)
            self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseMoveEvent(self, event) -> None:
        if self._grab is None or self.plan is None:
            return
        x, y = self._bed_point(event)
        trial = self.plan.trial
        most = [bed - size for bed, size in zip(trial.machine.bed_mm, (trial.coupon.width_mm, trial.coupon.height_mm), strict=True)]
        place = [min(max(0.0, round(at - grab)), limit) for at, grab, limit in zip((x, y), self._grab, most, strict=True)]
        if tuple(place) != (trial.on_sheet.x_mm, trial.on_sheet.y_mm):
            self.dragged.emit(*place)

    def mouseReleaseEvent(self, event) -> None:
        self._grab = None
        self.show_whole_bed(self.whole_bed)


class EnergyKey(Painted):
    """The ramp from the coolest to the hottest cell, with its energies; and what the numbers in the cells are."""

    def __init__(self) -> None:
        super().__init__()
        self.low = self.high = 0.0
        self.words = ""
        self.refused = False
        self.setMinimumHeight(round(54 * LIVE.scale))

    def show_range(self, low: float, high: float, words: str, *, refused: bool) -> None:
        self.low, self.high, self.words, self.refused = low, high, words, refused
        self.update()

    def paint(self, painter, width, height) -> None:
        painter.fillRect(QRectF(0, 0, width, 1), C("rule"))
        painter.setFont(F("small"))
        painter.setPen(C("ink2"))
        painter.drawText(QPointF(0, 21), self.words)
        x = painter.fontMetrics().horizontalAdvance(self.words) + 14
        for i, colour in enumerate(RAMP):
            value = self.low + (self.high - self.low) * i / (len(RAMP) - 1)
            if x + 66 > width:
                break
            painter.setPen(QPen(C("edge"), 1))
            painter.setBrush(QColor(colour))
            painter.drawRect(QRectF(x, 9, 26, 14))
            painter.setPen(C("ink2"))
            painter.drawText(QPointF(x + 30, 21), number_text(value, 2))
            x += 66
        note = "Number in a cell: its turn, from low energy to high."
        if self.refused:
            path = QPainterPath()
            path.addRect(QRectF(0.5, 33.5, 26, 14))
            hatch(painter, path, C("ember"), 6, 45, 1.3)
            painter.setPen(QPen(C("ember"), 1.2))
            painter.setBrush(NO_BRUSH)
            painter.drawRect(QRectF(0.5, 33.5, 26, 14))
            note = "left out: beyond the machine.  " + note
        painter.setPen(NO_PEN)
        painter.setPen(C("ink2"))
        painter.drawText(QPointF(34 if self.refused else 0, 45), note)
