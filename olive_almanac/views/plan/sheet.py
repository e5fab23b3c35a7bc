"""The coupon to scale, large by itself or on its sheet on the bed; cells shaded by energy or by
what is expected.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy

from olive_almanac.core.design.kinds.kind import kind_of
from olive_almanac.core.lengths import length_unit, ruler_marks
from olive_almanac.core.units import lengths_text, number_text, sides_text
from olive_almanac.core.words import tr
from olive_almanac.views.coupon import (
    CouponScale,
    draw_board,
    draw_planned,
    energy_shares,
    stock_colour,
)
from olive_almanac.views.marks import dots, hatch
from olive_almanac.views.parts import CENTRE, MIDDLE_LEFT, MIDDLE_RIGHT, arrow_step
from olive_almanac.views.sheets import draw_sheet, on_bed
from olive_almanac.views.theme import LIVE, NO_BRUSH, NO_PEN, RAMP, C, F, Painted, ink_on

if TYPE_CHECKING:
    from olive_almanac.core.deciding.outlook import Outlook
    from olive_almanac.core.design.plan import TrialPlan

CUT_WORDS = (
    ("through", tr("gets through")),
    ("edge", tr("may hang")),
    ("not_through", tr("does not get through")),
    ("chars", tr("too charred")),
)
TONE_WORDS = (
    ("right", tr("right tone")),
    ("edge", tr("not sure")),
    ("too_light", tr("too light")),
    ("too_dark", tr("too dark")),
)
EDGE_DASH = [
    2.0,
    2.0,
]  # the line on which it is as likely as not (chart rule: 50 % short dash, 1.6)


def draw_expected(painter: QPainter, rect: QRectF, expected: str) -> None:
    """A cell as it is expected to come out, told by texture alone: plain is good, hatch is less
    likely, dots too much.
    """
    good = expected in ("through", "right")
    painter.setPen(QPen(C("edge"), 1))
    painter.setBrush(C("olive_wash" if good else "field"))
    painter.drawRect(rect)
    path = QPainterPath()
    path.addRect(rect)
    if expected in ("not_through", "too_light"):
        hatch(painter, path, C("hatch"), 6.5, 45, 1.1)
    elif expected == "edge":
        hatch(painter, path, C("hatch"), 13, 45, 1.1)
    elif expected in ("chars", "too_dark"):
        dots(painter, path, C("hatch"), 9, 1.35)


class PlanSheet(Painted):
    """Draws a `TrialPlan` large by itself or on the bed, where the coupon can be dragged.

    Signals:
        dragged(float, float): where the coupon's lower left corner was dragged to on the bed, mm.
        nudged(float, float): an arrow key moved it by so many mm.
        turned(): R was pressed.
    """

    dragged = Signal(float, float)
    nudged = Signal(float, float)
    turned = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.plan: Any = None
        self.outlook: Any = None
        self.ground: Any = None
        self.unit = "mm/s"
        self.whole_bed = self.expects = False
        self._grab: tuple[float, float] | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("The coupon to scale"))

    def show_ground(self, ground: Any) -> None:
        """Show what the coupon would lie on (machine, stock, sheet on the bed), or nothing, in
        place of a plan.
        """
        self.plan = self.outlook = None
        self.ground = ground
        self.setAccessibleDescription(
            tr("no coupon: what is used and clamped on the sheet is drawn")
            if ground
            else tr("nothing to draw")
        )
        self.update()

    def show_plan(self, plan: TrialPlan, unit: str) -> None:
        same = self.plan is not None and plan.trial.cells == self.plan.trial.cells
        trial, self.plan, self.unit = plan.trial, plan, unit
        self.ground = (trial.machine, trial.stock, trial.sheet)
        if not same:
            self.outlook = None
        self.setAccessibleDescription(
            tr(
                "{cells} cells on {width_mm} mm; arrows move it, R turns it",
                cells=len(trial.cells),
                width_mm=lengths_text(trial.coupon.width_mm, trial.coupon.height_mm),
            )
        )
        self.update()

    def take_outlook(self, outlook: Outlook) -> None:
        self.outlook = outlook
        self.update()

    def show_outlook(self, shows: bool) -> None:
        self.expects = shows
        self.update()

    def show_whole_bed(self, whole: bool) -> None:
        self.whole_bed = whole
        if whole:
            self.setCursor(Qt.CursorShape.OpenHandCursor)
        else:
            self.setCursor(Qt.CursorShape.ArrowCursor)
        self.update()

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        if self.plan is None and self.ground is not None:
            self._paint_bed(painter, width, height)
        elif self.plan is None:
            painter.setFont(F("note"))
            painter.setPen(C("ink2"))
            painter.drawText(
                QRectF(0, 0, width, height),
                CENTRE,
                tr("Nothing to draw until the plan is put right."),
            )
        elif self.whole_bed:
            self._paint_bed(painter, width, height)
        else:
            self._paint_coupon(painter, QRectF(66, 26, width - 74, height - 76))
        if self.hasFocus():
            painter.setPen(QPen(C("olive"), 2))
            painter.setBrush(NO_BRUSH)
            painter.drawRoundedRect(QRectF(1, 1, width - 2, height - 2), 4, 4)

    # -- the coupon large --------------------------------------------------------------------------

    def _paint_coupon(self, painter: QPainter, rect: QRectF) -> None:
        trial = self.plan.trial
        scale = CouponScale(trial, rect)
        colour = stock_colour(trial.stock)
        draw_board(painter, trial, scale, colour)
        self._draw_cells(painter, scale, colour)
        self._draw_edge(painter, scale)
        self._draw_axes(painter, scale)
        self._draw_size(painter, scale)

    def _draw_cells(self, painter: QPainter, scale: CouponScale, colour: QColor) -> None:
        trial, ink = self.plan.trial, ink_on(colour)
        shares = energy_shares(trial)
        if self.outlook is not None and self.expects:
            expected = self.outlook.expected
        else:
            expected = {}
        for cell in trial.cells:
            rect = scale.rect(cell.rect_mm)
            if cell.id in expected:
                draw_expected(painter, rect, expected[cell.id])
            else:
                draw_planned(painter, rect, shares[cell.id], ink, cell)
        for refusal in self.plan.refused:
            rect = scale.rect(refusal.cell.rect_mm)
            path = QPainterPath()
            path.addRect(rect)
            hatch(painter, path, C("ember"), 6, 45, 1.3)
            painter.setPen(QPen(C("ember"), 1.4))
            painter.setBrush(NO_BRUSH)
            painter.drawRect(rect)
        if min(min(c.rect_mm[2:]) for c in trial.cells) * scale.k > 24:
            painter.setFont(F("cap"))
            for cell in trial.cells:
                hollow = (
                    cell.mark in ("outline", "line", "stack", "detail") and cell.id not in expected
                )
                light = hollow or cell.id in expected or shares[cell.id] < 0.45
                self._draw_turn(
                    painter,
                    scale.rect(cell.rect_mm),
                    str(cell.order),
                    ground=cell.id in expected,
                    light=light,
                    share=shares[cell.id],
                )

    def _draw_turn(
        self, painter: QPainter, rect: QRectF, text: str, *, ground: bool, light: bool, share: float
    ) -> None:
        if ground:  # a halo keeps the number legible on a hatch
            half = painter.fontMetrics().horizontalAdvance(text) / 2 + 3
            painter.fillRect(
                QRectF(rect.center().x() - half, rect.center().y() - 9, 2 * half, 18), C("field")
            )
            painter.setPen(C("ink"))
        else:
            painter.setPen(QColor("#22190D") if share < 0.45 else QColor("#FFF8E4"))
        painter.drawText(rect, CENTRE, text)

    def _draw_edge(self, painter: QPainter, scale: CouponScale) -> None:
        """The line on which the good outcome is as likely as not, with its name where there is room
        for it.
        """
        if self.outlook is None:
            return
        for n, line in enumerate(self.outlook.edges):
            points = [scale.point(x, y) for x, y in line]
            if len(points) > 1:
                pitch = (points[-1].y() - points[0].y()) / (len(points) - 1) / 2
            else:
                pitch = -14.0
            ends = [
                QPointF(points[0].x(), points[0].y() - pitch),
                *points,
                QPointF(points[-1].x(), points[-1].y() + pitch),
            ]
            for colour, width, dash in ((C("field"), 4.4, None), (C("ink"), 1.8, EDGE_DASH)):
                pen = QPen(colour, width)
                if dash:
                    pen.setDashPattern(dash)
                painter.setPen(pen)
                painter.setBrush(NO_BRUSH)
                painter.drawPolyline(QPolygonF(ends))
            if n == 0:
                painter.setFont(F("small_b"))
                text = tr("expected tone")
                if self.plan.trial.task == "cut":
                    text = tr("expected edge")
                half = painter.fontMetrics().horizontalAdvance(text) / 2 + 5
                x = min(
                    max(ends[-1].x(), scale.board.left() + 40 + half),
                    scale.board.right() - 110 - half,
                )
                y = scale.board.top() - 13
                painter.setPen(QPen(C("ink"), 1))
                painter.drawLine(QPointF(x, y + 9), ends[-1])
                painter.setPen(QPen(C("ink"), 1))
                painter.setBrush(C("field"))
                painter.drawRoundedRect(QRectF(x - half, y - 10, 2 * half, 19), 3, 3)
                painter.drawText(QRectF(x - half, y - 10, 2 * half, 19), CENTRE, text)

    def _draw_axes(self, painter: QPainter, scale: CouponScale) -> None:
        """Words beside rows and columns; one that would overlap its neighbour is left out."""
        plan, board = self.plan, scale.board
        painter.setFont(F("small_b"))
        painter.setPen(C("ink"))
        last = -1e9
        for text, x_mm in sorted(plan.cols, key=lambda one: one[1]):
            x = scale.point(x_mm, 0).x()
            need = painter.fontMetrics().horizontalAdvance(text) + 6
            if x - need / 2 >= last:
                painter.drawText(QRectF(x - 40, board.bottom() + 5, 80, 18), CENTRE, text)
                last = x + need / 2
        last = 1e9
        for text, y_mm in sorted(plan.rows, key=lambda one: one[1]):
            y = scale.point(0, y_mm).y()
            if y + 9 <= last:
                painter.drawText(QRectF(board.left() - 66, y - 9, 60, 18), MIDDLE_RIGHT, text)
                last = y - 9
        painter.setFont(F("small"))
        painter.setPen(C("ink2"))
        if plan.across:
            painter.drawText(
                QRectF(board.left(), board.bottom() + 24, board.width(), 18),
                CENTRE,
                f"{plan.across} →",
            )
        if plan.up:
            painter.drawText(
                QRectF(max(0.0, board.left() - 62), board.top() - 22, 200, 18),
                MIDDLE_LEFT,
                f"{plan.up} ↑",
            )

    def _draw_size(self, painter: QPainter, scale: CouponScale) -> None:
        coupon, board = self.plan.trial.coupon, scale.board
        painter.setFont(F("small"))
        painter.setPen(C("ink2"))
        text = sides_text(coupon.width_mm, coupon.height_mm)
        painter.drawText(
            QRectF(board.left(), board.top() - 22, board.width(), 18), MIDDLE_RIGHT, text
        )

    # -- the whole bed -----------------------------------------------------------------------------

    def _shown(self) -> tuple[float, float, float, float]:
        """The part of the bed that is shown: around the sheet, or the whole bed where there is
        none.
        """
        machine, _, lies = self.ground
        bed_w, bed_h = machine.bed_mm
        if lies is None:
            return (0.0, 0.0, bed_w, bed_h)
        around = 0.04 * max(lies.width_mm, lies.height_mm)
        left, low = max(0.0, lies.x_mm - around), max(0.0, lies.y_mm - around)
        return (
            left,
            low,
            min(bed_w, lies.x_mm + lies.width_mm + around),
            min(bed_h, lies.y_mm + lies.height_mm + around),
        )

    def _bed_scale(self, width: float, height: float) -> tuple[float, float, float]:
        """Return px per mm, and where the bed's lower left corner lies (it may lie outside the
        drawing).
        """
        x0, y0, x1, y1 = self._shown()
        k = min((width - 60) / (x1 - x0), (height - 44) / (y1 - y0))
        return k, 46 + (width - 60 - k * (x1 - x0)) / 2 - k * x0, 6 + k * (y1 - y0) + k * y0

    def _paint_bed(self, painter: QPainter, width: float, height: float) -> None:
        _, stock, lies = self.ground
        k, left, foot = self._bed_scale(width, height)

        def box(b: Any) -> QRectF:
            return QRectF(left + k * b[0], foot - k * b[3], k * (b[2] - b[0]), k * (b[3] - b[1]))

        painter.setPen(QPen(C("edge"), 1.4))
        painter.setBrush(C("field"))
        painter.drawRect(box(self._shown()))
        self._draw_rulers(painter, k, left, foot)
        colour = stock_colour(stock)
        painter.save()
        painter.setClipRect(box(self._shown()))
        if lies is not None:
            self._draw_sheet(painter, lies, box, colour)
        painter.restore()
        if self.plan is None:
            return
        trial = self.plan.trial
        area = box(trial.area_mm)
        scale = CouponScale(trial, area)
        if not kind_of(trial.kind).spread:
            draw_board(painter, trial, scale, colour.lighter(108))
        self._draw_cells(painter, scale, colour)
        painter.setFont(F("small_b"))
        if not kind_of(trial.kind).spread:
            half = painter.fontMetrics().horizontalAdvance(tr("drag to move")) / 2 + 6
            x = max(area.center().x(), box(self._shown()).left() + half + 4)  # not over the ruler
            tag = QRectF(x - half, area.top() - 24, 2 * half, 19)
            if tag.top() < 0:
                tag.moveTop(area.bottom() + 5)
            painter.setPen(QPen(C("ink"), 1))
            painter.setBrush(C("field"))
            painter.drawRoundedRect(tag, 3, 3)
            painter.drawText(tag, CENTRE, tr("drag to move"))

    def _draw_sheet(self, painter: QPainter, lies: Any, box: Any, colour: QColor) -> None:
        machine, stock, _ = self.ground
        draw_sheet(painter, on_bed(lies, stock), box, colour, machine.head_clearance_mm)

    def _draw_rulers(self, painter: QPainter, k: float, left: float, foot: float) -> None:
        x0, y0, x1, y1 = self._shown()
        base, side = foot - k * y0, left + k * x0
        painter.setFont(F("small"))
        painter.setPen(QPen(C("ink2"), 1))
        for mm, told in ruler_marks(x0, x1, 42 / k):
            painter.drawLine(QPointF(left + k * mm, base + 3), QPointF(left + k * mm, base + 9))
            painter.drawText(
                QRectF(left + k * mm - 26, base + 11, 52, 18),
                CENTRE,
                f"0 {length_unit()}" if mm == 0 else told,
            )
        for mm, told in ruler_marks(max(y0, 1.0), y1, 42 / k):
            painter.drawLine(QPointF(side - 3, foot - k * mm), QPointF(side - 9, foot - k * mm))
            painter.drawText(QRectF(side - 54, foot - k * mm - 9, 42, 18), MIDDLE_RIGHT, told)

    # -- dragging and keys -------------------------------------------------------------------------

    def _bed_point(self, event: QEvent) -> tuple[float, float]:
        x, y = self.logical(event)
        k, left, foot = self._bed_scale(self.width() / LIVE.scale, self.height() / LIVE.scale)
        return (x - left) / k, (foot - y) / k

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.plan is None or not self.whole_bed or kind_of(self.plan.trial.kind).spread:
            return
        x, y = self._bed_point(event)
        left, low, right, high = self.plan.trial.area_mm
        if left <= x <= right and low <= y <= high:
            self._grab = (x - left, y - low)
            self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._grab is None or self.plan is None:
            return
        x, y = self._bed_point(event)
        self.dragged.emit(x - self._grab[0], y - self._grab[1])

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._grab = None
        self.show_whole_bed(self.whole_bed)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = arrow_step(event)
        if step is not None and self.plan is not None:
            self.nudged.emit(*step)
        elif event.key() == Qt.Key.Key_R:
            self.turned.emit()
        else:
            super().keyPressEvent(event)


class PlanKey(Painted):
    """What the shades mean: the ramp of energy, or the textures of what is expected."""

    def __init__(self) -> None:
        super().__init__()
        self.low = self.high = 0.0
        self.empty = True
        self.words, self.task = "", "cut"
        self.refused = self.expects = False
        self.rests_on = ""
        self.setMinimumHeight(round(54 * LIVE.scale))

    def show_range(self, low: float, high: float, words: str, *, refused: bool, task: str) -> None:
        self.low, self.high, self.words, self.refused, self.task = low, high, words, refused, task
        self.empty = False
        self.update()

    def show_nothing(self) -> None:
        self.empty = True
        self.update()

    def show_outlook(self, shows: bool) -> None:
        self.expects = shows
        self.update()

    def take_outlook(self, outlook: Outlook) -> None:
        read = outlook.cells_read
        if read:
            self.rests_on = tr("from {read} cells read", read=read)
        else:
            self.rests_on = tr("from the physics alone: wide of the mark at first")
        self.update()

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        if self.empty:
            return
        painter.fillRect(QRectF(0, 0, width, 1), C("rule"))
        painter.setFont(F("small"))
        painter.setPen(C("ink2"))
        if self.expects:
            self._paint_textures(painter, width)
            note = tr("Reckoning what to expect.")
            if self.rests_on:
                note = tr("What is expected, {rests_on}.", rests_on=self.rests_on)
        else:
            self._paint_ramp(painter, width)
            note = tr("Number in a cell: its turn.")
        if self.refused:
            path = QPainterPath()
            path.addRect(QRectF(0.5, 33.5, 26, 14))
            hatch(painter, path, C("ember"), 6, 45, 1.3)
            painter.setPen(QPen(C("ember"), 1.2))
            painter.setBrush(NO_BRUSH)
            painter.drawRect(QRectF(0.5, 33.5, 26, 14))
            note = tr("left out: beyond a limit.  ") + note
        painter.setPen(NO_PEN)
        painter.setPen(C("ink2"))
        painter.drawText(QPointF(34 if self.refused else 0, 45), note)

    def _paint_ramp(self, painter: QPainter, width: float) -> None:
        painter.drawText(QPointF(0, 21), self.words)
        x = painter.fontMetrics().horizontalAdvance(self.words) + 14
        for i, colour in enumerate(RAMP if self.high > 1.001 * self.low else RAMP[2:3]):
            value = self.low + (self.high - self.low) * i / (len(RAMP) - 1)
            if x + 66 > width:
                break
            painter.setPen(QPen(C("edge"), 1))
            painter.setBrush(QColor(colour))
            painter.drawRect(QRectF(x, 9, 26, 14))
            painter.setPen(C("ink2"))
            painter.drawText(QPointF(x + 30, 21), number_text(value, 2))
            x += 66

    def _paint_textures(self, painter: QPainter, width: float) -> None:
        x = 0.0
        for expected, words in CUT_WORDS if self.task == "cut" else TONE_WORDS:
            need = 34 + painter.fontMetrics().horizontalAdvance(words) + 12
            if x + need > width:
                break
            draw_expected(painter, QRectF(x + 0.5, 8.5, 26, 15), expected)
            painter.setPen(C("ink2"))
            painter.drawText(QPointF(x + 32, 21), words)
            x += need
