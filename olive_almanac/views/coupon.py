"""The coupon drawn to scale: as planned (shaded by energy) or as it looks once burnt."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy

from olive_almanac.core.design.kinds.kind import kind_of
from olive_almanac.core.placing.corner import corner_lines
from olive_almanac.core.placing.fiducials import burnt_boxes
from olive_almanac.core.placing.strokes import strokes_of
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Cell, Trial
from olive_almanac.core.words import tr
from olive_almanac.steps.active import ActiveTrial
from olive_almanac.steps.lettering import letters
from olive_almanac.steps.permission import group_of
from olive_almanac.views.marks import draw_verdict, square_pen
from olive_almanac.views.parts import CENTRE
from olive_almanac.views.theme import LIVE, NO_BRUSH, NO_PEN, C, F, Painted, ink_on, ramp

MATERIAL = {  # drawn colour of a family group, Day; Workshop dims it
    "Wood": "#E3C896",
    "Card and board": "#D8D3C6",
    "Plastic": "#C9D3D6",
    "Foam and rubber": "#CFCBC4",
    "Leather and textile": "#D2A679",
    "Glass and stone": "#CBD6CF",
    "Metal": "#BFC3C4",
    "Not known": "#D8D0C0",
}
DARK_STOCK = {"black": "#3A3B3A", "dark": "#8A6242", "grey": "#B9B8B1", "white": "#F1EEE6"}


def stock_colour(stock: Stock) -> QColor:
    """Return the drawn colour of a stock."""
    name = next(
        (DARK_STOCK[word] for word in DARK_STOCK if word in f"{stock.colour} {stock.finish}"), None
    )
    colour = QColor(name or MATERIAL.get(group_of(stock), MATERIAL["Not known"]))
    if LIVE.colours["name"] == "workshop":
        return colour.darker(122)
    return colour


class CouponScale:
    """Maps coupon mm (y up) into a rect of the screen."""

    def __init__(self, trial: Trial, rect: QRectF) -> None:
        width, height = trial.coupon.width_mm, trial.coupon.height_mm
        self.k = min(rect.width() / width, rect.height() / height)
        self.board = QRectF(
            rect.x() + (rect.width() - self.k * width) / 2,
            rect.y() + (rect.height() - self.k * height) / 2,
            self.k * width,
            self.k * height,
        )

    def rect(self, mm: tuple[float, float, float, float]) -> QRectF:
        x, y, w, h = mm
        return QRectF(
            self.board.x() + self.k * x,
            self.board.bottom() - self.k * (y + h),
            self.k * w,
            self.k * h,
        )

    def point(self, x: float, y: float) -> QPointF:
        return QPointF(self.board.x() + self.k * x, self.board.bottom() - self.k * y)


def draw_board(painter: QPainter, trial: Trial, scale: CouponScale, colour: QColor) -> None:
    """The bare coupon with its photo marks or its corner mark, and its labels in the strokes that
    are burnt.
    """
    painter.setPen(QPen(C("stock_edge"), 1.4))
    painter.setBrush(colour)
    painter.drawRect(scale.board)
    ink = ink_on(colour)
    if trial.fiducials:
        for mark in trial.fiducials:
            for left, low, right, high in burnt_boxes(mark):
                painter.fillRect(scale.rect((left, low, right - left, high - low)), ink)
    elif not kind_of(trial.kind).spread:
        painter.setPen(QPen(ink, 1.6))
        for (x0, y0), (x1, y1) in corner_lines():
            painter.drawLine(scale.point(x0, y0), scale.point(x1, y1))
    if trial.labels and trial.labels[0].height_mm * scale.k > 5:
        painter.setPen(QPen(ink, max(1.0, 0.1 * trial.labels[0].height_mm * scale.k)))
        for label in trial.labels:
            for stroke in letters().strokes(label.text, label.height_mm):
                painter.drawPolyline(
                    [scale.point(label.at_mm[0] + x, label.at_mm[1] + y) for x, y in stroke]
                )


def draw_planned(
    painter: QPainter, rect: QRectF, share: float, ink: QColor, cell: Cell | None = None
) -> None:
    """A cell as planned, shaded by its energy, the fewer its dots the paler; a scored cell or a
    slot shows its own strokes.
    """
    painter.setPen(QPen(ink, 1))
    colour = ramp(share)
    if cell is not None and cell.dots:
        colour.setAlphaF(0.1 + 0.9 * cell.dots)
    painter.setBrush(colour)
    painter.drawRect(rect)
    if (
        cell is None
        or cell.mark not in ("line", "stack", "detail")
        or cell.setting.pitch_mm
        or min(rect.width(), rect.height()) < 8
    ):
        return
    painter.setPen(QPen(QColor("#22190D") if share < 0.45 else QColor("#FFF8E4"), 1.2))
    _draw_strokes(painter, rect, cell)


def _draw_strokes(painter: QPainter, rect: QRectF, cell: Cell) -> None:
    """The strokes of a cell in its rect of the screen, with the pen that is set."""
    x, y, w, h = cell.rect_mm
    painter.setBrush(NO_BRUSH)
    for stroke in strokes_of(cell):
        painter.drawPolyline(
            [
                QPointF(
                    rect.left() + (a - x) / w * rect.width(),
                    rect.bottom() - (b - y) / h * rect.height(),
                )
                for a, b in stroke
            ]
        )


def _seen(active: ActiveTrial, cell: str) -> Reading | None:
    """What an eye would see of a burnt cell, where a stand-in tells it."""
    burn = active.burnt.get(cell)
    if burn is None:
        return None
    return burn.seen


def draw_burnt(
    painter: QPainter,
    rect: QRectF,
    seen: Reading,
    cell: Cell,
    task: str,
    stock: QColor,
    kerf: float,
) -> None:
    """One burnt cell as the bench says it looks: a hole, a slot that holds on, a groove, strokes,
    or a tone.
    """
    light = seen.lightness
    if cell.mark in ("line", "stack", "detail") and light is None:
        depth = {"too_light": 90, "no_mark": 30, "too_dark": 255}.get(seen.verdict or "", 200)
        painter.setPen(QPen(QColor(42, 23, 8, depth), kerf))
        _draw_strokes(painter, rect, cell)
        return
    if task != "cut" and light is not None:
        tone = QColor.fromHslF(max(0.0, stock.hslHueF()), stock.hslSaturationF() * 0.6, light / 100)
        painter.fillRect(rect, tone)
        return
    verdict, char = seen.verdict, seen.char or 0
    for ring in range(char + 1):  # the charred border grows with the grade
        painter.setPen(QPen(QColor(46, 24, 10, 60 + 45 * char), kerf * (2.2 + 1.6 * ring)))
        painter.setBrush(NO_BRUSH)
        painter.drawRect(rect)
    if verdict in ("free", "push") or char == 3:
        painter.fillRect(rect, QColor("#1C1710"))
    painter.setPen(QPen(QColor("#2A1708" if verdict != "not_through" else "#6B431E"), kerf))
    painter.setBrush(NO_BRUSH)
    painter.drawRect(rect)
    if verdict == "hangs":  # the two bridges that still hold
        painter.setPen(QPen(stock, kerf * 1.2))
        for a, b in ((0.40, 0.60),):
            painter.drawLine(
                QPointF(rect.left() + a * rect.width(), rect.bottom()),
                QPointF(rect.left() + b * rect.width(), rect.bottom()),
            )
            painter.drawLine(
                QPointF(rect.right(), rect.top() + a * rect.height()),
                QPointF(rect.right(), rect.top() + b * rect.height()),
            )


class CouponPicture(Painted):
    """The coupon of a desk: burnt cells as they look, the others as planned; the cell in hand
    framed.

    Signals:
        cell_clicked(str): the id of the cell under the mouse.
    """

    cell_clicked = Signal(str)

    def __init__(self, *, ring: bool = False) -> None:
        super().__init__()
        self.active: ActiveTrial | None = None
        self.current = ""
        self.ring = ring
        self.marks = True
        self.unsure: tuple[str, ...] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def show_desk(
        self, active: ActiveTrial | None, current: str = "", unsure: tuple[str, ...] = ()
    ) -> None:
        self.active, self.current, self.unsure = active, current, unsure
        if active is not None:
            self.setAccessibleName(
                tr(
                    "{trial}, {burnt} of {cells} cells burnt",
                    trial=active.trial.name,
                    burnt=len(active.burnt),
                    cells=len(active.trial.cells),
                )
            )
        self.update()

    def _scale(self) -> CouponScale:
        return CouponScale(
            self.active.trial,
            QRectF(1, 1, self.width() / LIVE.scale - 2, self.height() / LIVE.scale - 2),
        )

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.active is None:
            return
        x, y = self.logical(event)
        scale = self._scale()
        for cell in self.active.trial.cells:
            if scale.rect(cell.rect_mm).adjusted(-3, -3, 3, 3).contains(x, y):
                self.cell_clicked.emit(cell.id)
                return

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        if self.active is None:
            return
        trial, scale = self.active.trial, self._scale()
        colour = stock_colour(trial.stock)
        draw_board(painter, trial, scale, colour)
        ink, shares = ink_on(colour), energy_shares(trial)
        kerf = max(1.6, 0.22 * scale.k)
        for cell in trial.cells:
            rect = scale.rect(cell.rect_mm)
            seen = _seen(self.active, cell.id)
            if seen is not None:
                draw_burnt(painter, rect, seen, cell, trial.task, colour, kerf)
            elif cell.id in self.active.burnt:
                draw_planned(painter, rect, shares[cell.id], ink, cell)
            else:
                pen = QPen(ink, 1)
                pen.setDashPattern([3, 3])
                painter.setPen(pen)
                painter.setBrush(NO_BRUSH)
                painter.drawRect(rect)
            if cell.id in self.unsure:
                painter.setFont(F("h2"))
                painter.setPen(ink)
                painter.drawText(rect, CENTRE, "?")
        self._draw_current(painter, trial, scale)

    def _draw_current(self, painter: QPainter, trial: Trial, scale: CouponScale) -> None:
        cell = next((c for c in trial.cells if c.id == self.current), None)
        if cell is None:
            return
        rect = scale.rect(cell.rect_mm)
        painter.setBrush(NO_BRUSH)
        if self.ring:
            radius = 0.78 * max(rect.width(), rect.height())
            for colour, pen_width in (("#FFFDF6", 5.5), ("#22231A", 2.4)):
                painter.setPen(QPen(QColor(colour), pen_width))
                painter.drawEllipse(rect.center(), radius, radius)
            return
        frame = rect.adjusted(-5, -5, 5, 5)
        for colour, pen_width in (("#1E1A10", 6.5), ("#FFFDF6", 3.2)):
            painter.setPen(square_pen(QColor(colour), pen_width))
            painter.drawRect(frame)


def energy_shares(trial: Trial) -> dict[str, float]:
    """Return each cell's place in the trial's range of energy, 0 coolest to 1 hottest."""
    energy = {cell.id: trial.energy_of(cell) for cell in trial.cells}
    low, high = min(energy.values()), max(energy.values())
    return {
        cell: (value - low) / (high - low) if high > 1.001 * low else 0.5
        for cell, value in energy.items()
    }


class CellPicture(Painted):
    """One cell large, as the bench says it looks."""

    def __init__(self) -> None:
        super().__init__()
        self.active: ActiveTrial | None = None
        self.cell: Cell | None = None

    def show_cell(self, active: ActiveTrial | None, cell: Cell | None) -> None:
        self.active, self.cell = active, cell
        self.update()

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        if self.active is None or self.cell is None:
            return
        colour = stock_colour(self.active.trial.stock)
        board = QRectF(0.5, 0.5, width - 1, height - 1)
        painter.setPen(NO_PEN)
        painter.setBrush(colour)
        painter.drawRect(board)
        seen = _seen(self.active, self.cell.id)
        inner = board.adjusted(width * 0.14, height * 0.14, -width * 0.14, -height * 0.14)
        painter.setClipRect(board)
        if seen is not None:
            draw_burnt(painter, inner, seen, self.cell, self.active.trial.task, colour, 4.0)
        else:
            painter.setFont(F("small"))
            painter.setPen(ink_on(colour))
            painter.drawText(
                board, CENTRE | Qt.TextFlag.TextWordWrap, tr("look at the coupon itself")
            )
        painter.setClipping(False)
        painter.setPen(QPen(C("ink"), 1))
        painter.setBrush(NO_BRUSH)
        painter.drawRect(board)


class VerdictKeyLine(Painted):
    """The key to the verdict marks, in one line, with a remark at its right."""

    def __init__(self, verdicts: Any, words: Any) -> None:
        super().__init__()
        self.verdicts, self.words, self.remark = tuple(verdicts), words, ""
        self.setMinimumHeight(24)

    def show_remark(self, remark: str) -> None:
        self.remark = remark
        self.update()

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        painter.setFont(F("small"))
        x = 0.0
        for verdict in self.verdicts:
            draw_verdict(painter, QRectF(x, 3, 18, 18), verdict)
            painter.setPen(C("ink2"))
            painter.drawText(QPointF(x + 24, 17), self.words[verdict])
            x += 40 + painter.fontMetrics().horizontalAdvance(self.words[verdict])
        painter.setPen(C("ink2"))
        if x + painter.fontMetrics().horizontalAdvance(self.remark) < width:
            painter.drawText(
                QRectF(0, 1, width, 22),
                Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
                self.remark,
            )
