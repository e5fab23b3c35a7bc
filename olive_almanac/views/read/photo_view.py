"""The photo of a coupon, squared up, with its cells marked; and the whole photo, on which four
corners can be picked by hand.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy

from olive_almanac.core.records.reading import HOLDS
from olive_almanac.core.words import tr
from olive_almanac.views.marks import square_pen
from olive_almanac.views.parts import CENTRE, arrow_step
from olive_almanac.views.theme import LIVE, NO_BRUSH, C, F, Painted

if TYPE_CHECKING:
    from olive_almanac.core.records.reading import Reading
    from olive_almanac.core.records.trial import Cell
    from olive_almanac.steps.active import ActiveTrial

PAD_MM = 5.0  # around the coupon in the squared-up picture (core.photo.squared)
LIGHT, DARK = QColor("#FFFDF6"), QColor("#1E1A10")
CORNERS = (tr("upper left"), tr("upper right"), tr("lower right"), tr("lower left"))
HANDLE = 13.0
LOUPE, LOUPE_TIMES = 150.0, 3.0


def image_of(bgr: Any) -> QImage:
    """Return a picture that owns its pixels."""
    rgb = bgr[..., ::-1].copy()
    return QImage(
        rgb.data, rgb.shape[1], rgb.shape[0], 3 * rgb.shape[1], QImage.Format.Format_RGB888
    ).copy()


class PhotoPicture(Painted):
    """The squared-up photo: read cells with long corner marks, unread with short ones, flagged ones
    struck out, the one in hand framed.

    Signals:
        cell_clicked(str): the id of the cell under the mouse.
    """

    cell_clicked = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.active: Any = None
        self.image: Any = None
        self.ring = False
        self.side, self.current = "front", ""
        self.readings = self.suggested = {}
        self._shown: Any = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(tr("Photo of the coupon"))

    def show_photo(
        self,
        active: ActiveTrial,
        codes: Any,
        side: str,
        current: str,
        readings: Mapping[str, Reading],
        suggested: Mapping[str, Reading],
    ) -> None:
        if codes is not self._shown:
            self._shown = codes
            if codes is not None:
                self.image = image_of(codes)
            else:
                self.image = None
        self.active, self.side, self.current, self.readings, self.suggested = (
            active,
            side,
            current,
            readings,
            suggested,
        )
        self.update()

    def _frame(self) -> tuple[float, QRectF]:
        coupon = self.active.trial.coupon
        width, height = self.width() / LIVE.scale - 2, self.height() / LIVE.scale - 2
        k = min(width / coupon.width_mm, height / coupon.height_mm)
        w, h = k * coupon.width_mm, k * coupon.height_mm
        return k, QRectF(1 + (width - w) / 2, 1 + (height - h) / 2, w, h)

    def _rect(self, cell: Cell, k: float, board: QRectF) -> QRectF:
        x, y, w, h = cell.rect_mm
        if self.side == "back":
            left = self.active.trial.coupon.width_mm - x - w
        else:
            left = x
        return QRectF(board.left() + k * left, board.bottom() - k * (y + h), k * w, k * h)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.active is None or self.image is None:
            return
        x, y = self.logical(event)
        k, board = self._frame()
        for cell in self.active.trial.cells:
            if self._rect(cell, k, board).adjusted(-3, -3, 3, 3).contains(x, y):
                self.cell_clicked.emit(cell.id)
                return

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        if self.active is None or self.image is None:
            return
        k, board = self._frame()
        coupon = self.active.trial.coupon
        px_mm = self.image.width() / (coupon.width_mm + 2 * PAD_MM)
        pad = PAD_MM * px_mm
        painter.drawImage(
            board, self.image, QRectF(pad, pad, coupon.width_mm * px_mm, coupon.height_mm * px_mm)
        )
        for cell in () if self.ring else self.active.trial.cells:
            if cell.id in self.active.burnt:
                self._mark(painter, cell, self._rect(cell, k, board).adjusted(-3, -3, 3, 3))
        if self.ring:
            self._ring(painter, k, board)
        painter.setPen(QPen(C("ink"), 1))
        painter.setBrush(NO_BRUSH)
        painter.drawRect(board)

    def _ring(self, painter: QPainter, k: float, board: QRectF) -> None:
        cell = next((one for one in self.active.trial.cells if one.id == self.current), None)
        if cell is not None:
            rect = self._rect(cell, k, board)
            painter.setBrush(NO_BRUSH)
            for colour, width in ((LIGHT, 5.5), (DARK, 2.4)):
                painter.setPen(QPen(colour, width))
                painter.drawEllipse(
                    rect.center(),
                    0.78 * max(rect.width(), rect.height()),
                    0.78 * max(rect.width(), rect.height()),
                )

    def _mark(self, painter: QPainter, cell: Cell, q: QRectF) -> None:
        painter.setBrush(NO_BRUSH)
        if cell.id == self.current:
            q = q.adjusted(-3, -3, 3, 3)
            for colour, pen_width in ((DARK, 7.0), (LIGHT, 3.6)):
                painter.setPen(square_pen(colour, pen_width))
                painter.drawRect(q)
            return
        arm = min(9.0 if cell.id in self.readings else 4.0, q.width() / 3)
        doubtful = cell.id not in self.readings and any(
            flag != HOLDS for flag in getattr(self.suggested.get(cell.id), "flags", ())
        )
        for colour, pen_width in ((DARK, 4.2), (LIGHT, 1.8)):
            painter.setPen(square_pen(colour, pen_width))
            for x, y, dx, dy in (
                (q.left(), q.top(), 1, 1),
                (q.right(), q.top(), -1, 1),
                (q.left(), q.bottom(), 1, -1),
                (q.right(), q.bottom(), -1, -1),
            ):
                painter.drawPolyline(
                    [QPointF(x + dx * arm, y), QPointF(x, y), QPointF(x, y + dy * arm)]
                )
            if doubtful:
                painter.drawLine(q.topLeft(), q.bottomRight())


class CellCrop(Painted):
    """One cell out of the squared-up photo, with its caption."""

    def __init__(self, caption: str) -> None:
        super().__init__()
        self.caption = caption
        self.image: Any = None
        self.source: Any = None

    def show_cell(self, active: ActiveTrial, cell: Cell, side: str, codes: Any) -> None:
        self.image = None
        if active is not None and cell is not None and codes is not None:
            x, y, w, h = cell.rect_mm
            around = 0.25 * max(w, h)
            if side == "back":
                left = active.trial.coupon.width_mm - x - w
            else:
                left = x
            top = active.trial.coupon.height_mm - y - h
            px_mm = codes.shape[1] / (active.trial.coupon.width_mm + 2 * PAD_MM)
            x0, y0 = (max(0, round((v + PAD_MM - around) * px_mm)) for v in (left, top))
            x1, y1 = (
                round((left + w + PAD_MM + around) * px_mm),
                round((top + h + PAD_MM + around) * px_mm),
            )
            part = codes[y0:y1, x0:x1]
            if part.size:
                self.image = image_of(part)
            else:
                self.image = None
            self.setAccessibleName(tr("{caption} of cell {id}", caption=self.caption, id=cell.id))
        self.setVisible(self.image is not None)
        self.update()

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        if self.image is None:
            return
        board = QRectF(0.5, 0.5, width - 1, height - 1)
        k = min(width / self.image.width(), height / self.image.height())
        painter.fillRect(board, C("wash"))
        painter.drawImage(
            QRectF(
                (width - k * self.image.width()) / 2,
                (height - k * self.image.height()) / 2,
                k * self.image.width(),
                k * self.image.height(),
            ),
            self.image,
        )
        painter.setPen(QPen(C("ink"), 1))
        painter.setBrush(NO_BRUSH)
        painter.drawRect(board)
        painter.setFont(F("cap"))
        advance = painter.fontMetrics().horizontalAdvance(self.caption) + 10
        painter.fillRect(QRectF(1, 1, advance, 19), C("field"))
        painter.setPen(C("ink"))
        painter.drawText(QRectF(1, 1, advance, 19), CENTRE, self.caption)


class CornerPicker(Painted):
    """The whole photo with four handles to drag onto the coupon's corners; a loupe shows the one in
    hand.

    Keys: 1 to 4 or Tab choose a handle, arrows move it by a pixel, with Shift by ten.

    Signals:
        moved(): a handle has another place.
    """

    moved = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.image: Any = None
        self.scale = 1.0
        self.points: list[QPointF] = []
        self.at = 0
        self._held = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMouseTracking(True)

    def show_picture(self, picture: Any, scale: float) -> None:
        """Show a photo made small; the handles begin a fifth in from its corners."""
        self.image, self.scale = image_of(picture), scale
        w, h = self.image.width(), self.image.height()
        self.points = [
            QPointF(x * w, y * h) for x, y in ((0.2, 0.2), (0.8, 0.2), (0.8, 0.8), (0.2, 0.8))
        ]
        self.choose(0)

    def corners_px(self) -> list[tuple[float, float]]:
        """The corners in pixels of the photo as it was decoded, in the order of CORNERS."""
        return [
            ((p.x() + 0.5) / self.scale - 0.5, (p.y() + 0.5) / self.scale - 0.5)
            for p in self.points
        ]

    def choose(self, at: int) -> None:
        self.at = at % 4
        self.setAccessibleName(
            tr("Corner {at}, {corners}", at=self.at + 1, corners=CORNERS[self.at])
        )
        self.update()

    def _frame(self) -> tuple[float, float, float]:
        width, height = self.width() / LIVE.scale, self.height() / LIVE.scale
        k = min(width / self.image.width(), height / self.image.height())
        return k, (width - k * self.image.width()) / 2, (height - k * self.image.height()) / 2

    def _to_image(self, event: QEvent) -> QPointF:
        x, y = self.logical(event)
        k, left, top = self._frame()
        return QPointF((x - left) / k, (y - top) / k)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.image is None:
            return
        spot = self._to_image(event)
        near = min(range(4), key=lambda i: (self.points[i] - spot).manhattanLength())
        self._held = True
        self.choose(near)
        self._put(spot)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held:
            self._put(self._to_image(event))

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        self._held = False

    def _put(self, spot: QPointF) -> None:
        x = min(max(spot.x(), -0.1 * self.image.width()), 1.1 * self.image.width())
        y = min(max(spot.y(), -0.1 * self.image.height()), 1.1 * self.image.height())
        self.points[self.at] = QPointF(x, y)
        self.moved.emit()
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = arrow_step(event)
        if self.image is not None and step is not None:
            self._put(self.points[self.at] + QPointF(step[0], -step[1]))
        elif event.text() in ("1", "2", "3", "4"):
            self.choose(int(event.text()) - 1)
        else:
            super().keyPressEvent(event)

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        if self.image is None:
            return
        k, left, top = self._frame()
        painter.drawImage(
            QRectF(left, top, k * self.image.width(), k * self.image.height()), self.image
        )
        spots = [QPointF(left + k * p.x(), top + k * p.y()) for p in self.points]
        painter.setBrush(NO_BRUSH)
        for colour, pen_width in ((DARK, 3.0), (LIGHT, 1.4)):
            painter.setPen(QPen(colour, pen_width))
            painter.drawPolygon(spots)
        for i, spot in enumerate(spots):
            painter.setPen(QPen(DARK, 1.5))
            if i == self.at:
                painter.setBrush(C("brass_fill"))
            else:
                painter.setBrush(LIGHT)
            painter.drawEllipse(spot, HANDLE, HANDLE)
            painter.setPen(DARK)
            painter.setFont(F("small_b"))
            painter.drawText(
                QRectF(spot.x() - HANDLE, spot.y() - HANDLE, 2 * HANDLE, 2 * HANDLE),
                CENTRE,
                str(i + 1),
            )
        self._paint_loupe(painter, width, height, spots[self.at])
        if self.hasFocus():
            painter.setPen(QPen(C("olive"), 2))
            painter.setBrush(NO_BRUSH)
            painter.drawRect(QRectF(1, 1, width - 2, height - 2))

    def _paint_loupe(self, painter: QPainter, width: float, height: float, spot: QPointF) -> None:
        """The surroundings of the handle in hand, larger, in the corner farthest from it."""
        if spot.x() > width / 2:
            x = 8.0
        else:
            x = width - LOUPE - 8
        if spot.y() > height / 2:
            y = 8.0
        else:
            y = height - LOUPE - 8
        frame = QRectF(x, y, LOUPE, LOUPE)
        part = LOUPE / LOUPE_TIMES
        point = self.points[self.at]
        painter.fillRect(frame, C("wash"))
        painter.save()
        painter.setClipRect(frame)
        painter.drawImage(
            frame, self.image, QRectF(point.x() - part / 2, point.y() - part / 2, part, part)
        )
        middle = frame.center()
        for colour, pen_width in ((DARK, 3.0), (LIGHT, 1.2)):
            painter.setPen(QPen(colour, pen_width))
            painter.drawLine(
                QPointF(middle.x() - 18, middle.y()), QPointF(middle.x() + 18, middle.y())
            )
            painter.drawLine(
                QPointF(middle.x(), middle.y() - 18), QPointF(middle.x(), middle.y() + 18)
            )
        painter.restore()
        painter.setPen(QPen(C("ink"), 2))
        painter.setBrush(NO_BRUSH)
        painter.drawRect(frame)
        painter.setFont(F("small_b"))
        tag = QRectF(
            frame.left(), frame.top() if y < height / 2 else frame.bottom() - 22, LOUPE, 22
        )
        painter.fillRect(tag, C("field"))
        painter.setPen(C("ink"))
        painter.drawText(tag, CENTRE, f"{self.at + 1}: {CORNERS[self.at]}")
