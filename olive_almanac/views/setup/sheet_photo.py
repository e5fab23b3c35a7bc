"""An offcut from a photo: the picture of it squared up, its outline and used areas over it, both
corrected by hand.
"""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QDialog, QFileDialog, QSizePolicy

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.units import count_text, sides_text
from olive_almanac.core.words import tr
from olive_almanac.steps.rack import RackPresenter
from olive_almanac.steps.sheet_photo import read_sheet_photo, sheet_of, turned_sight, write_marks
from olive_almanac.views.parts import CENTRE, arrow_step, button, col, hair, label, row
from olive_almanac.views.theme import LIVE, NO_BRUSH, C, F, Painted, px
from olive_almanac.views.worker import Worker, once

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

    from olive_almanac.core.photo.sheet import SheetSight

__all__ = ["SheetPhotoDialog"]

PHOTOS = tr("Photos (*.jpg *.jpeg *.png *.webp *.heic *.JPG *.JPEG *.PNG *.HEIC)")
HANDLE, REACH = 4.5, 12.0
HOW = tr(
    "Lay the offcut on the table with one printed mark beside each corner, and take a photo of it "
    "from above. Its outline and what is used of it are read from the photo."
)
BY_HAND = tr(
    "Drag a corner, or go to it by point and comma: arrows move it 0.1 mm, with Shift 1 mm, Del "
    "takes it away. A click on an edge adds a corner, a click on a used area drops it."
)


class OutlinePicture(Painted):
    """The picture with the outline's corners as handles.

    Signals:
        changed(): the outline or the used areas were corrected.
    """

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.image: QImage | None = None
        self.px_mm = 1.0
        self.size_mm = (1.0, 1.0)
        self.points: list[tuple[float, float]] = []
        self.used: list[tuple[float, float, float, float]] = []
        self.held: int | None = None
        self._drags = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(px(420), px(260))
        self.setAccessibleName(tr("The offcut with its outline"))

    def show_sight(self, sight: SheetSight) -> None:
        rows, columns, _ = sight.picture.shape
        data = np.ascontiguousarray(sight.picture)
        made = QImage(data.data, columns, rows, 3 * columns, QImage.Format.Format_BGR888)
        self.image, self.px_mm, self.size_mm = made.copy(), sight.px_mm, sight.size_mm
        self.points = [(float(x), float(y)) for x, y in sight.outline_mm]
        self.used, self.held = list(sight.used_mm), None
        self.update()

    def _scale(self) -> tuple[float, float, float]:
        width, height = self.width() / LIVE.scale, self.height() / LIVE.scale
        wide, high = self.size_mm
        k = min((width - 40) / wide, (height - 40) / high)
        return k, (width - k * wide) / 2, (height + k * high) / 2

    def _point(self, at: tuple[float, float]) -> QPointF:
        k, left, foot = self._scale()
        return QPointF(left + k * at[0], foot - k * at[1])

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        if self.image is None:
            painter.setPen(C("ink2"))
            painter.setFont(F("ui"))
            area = QRectF(40, 0, width - 80, height)
            painter.drawText(area, CENTRE | Qt.TextFlag.TextWordWrap, HOW)
            return
        wide, high = self.size_mm
        corner, far = self._point((0.0, high)), self._point((wide, 0.0))
        painter.drawImage(QRectF(corner, far), self.image)
        painter.setBrush(NO_BRUSH)
        for box in self.used:
            rect = QRectF(self._point((box[0], box[3])), self._point((box[2], box[1])))
            for colour, thick in ((C("field"), 4.0), (C("ember"), 2.0)):
                painter.setPen(QPen(colour, thick))
                painter.drawRect(rect)
        ring = QPolygonF([self._point(one) for one in self.points])
        for colour, thick in ((C("field"), 4.0), (C("olive"), 2.0)):
            painter.setPen(QPen(colour, thick))
            painter.drawPolygon(ring)
        for n, one in enumerate(self.points):
            held = n == self.held
            painter.setPen(QPen(C("field"), 1.4))
            painter.setBrush(C("ember") if held else C("olive"))
            size = HANDLE + 2 if held else HANDLE
            painter.drawEllipse(self._point(one), size, size)

    def _mm(self, at: QPointF) -> tuple[float, float]:
        k, left, foot = self._scale()
        return ((at.x() - left) / k, (foot - at.y()) / k)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = QPointF(*self.logical(event))
        far = [float(np.hypot(*_pair(self._point(one) - at))) for one in self.points]
        if far and min(far) <= REACH:
            self.held = int(np.argmin(far))
            self._drags = True
        else:
            self.held = self._new_corner(at)
            self._drags = self.held is not None
        self.update()

    def _new_corner(self, at: QPointF) -> int | None:
        """Put a corner on the edge that was clicked; None beside all of them."""
        for n, one in enumerate(self.points):
            after = self.points[(n + 1) % len(self.points)]
            a, b = _pair(self._point(one)), _pair(self._point(after))
            way, to = np.subtract(b, a), np.subtract(_pair(at), a)
            share = float(np.dot(way, to) / max(1e-9, np.dot(way, way)))
            if 0 < share < 1 and float(np.hypot(*(to - share * way))) <= REACH / 2:
                self.points.insert(n + 1, self._mm(at))
                self.changed.emit()
                return n + 1
        x, y = self._mm(at)
        inside = [n for n, b in enumerate(self.used) if b[0] <= x <= b[2] and b[1] <= y <= b[3]]
        if inside:  # a used area that is none goes by a click
            del self.used[inside[0]]
            self.changed.emit()
        return None

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drags and self.held is not None:
            x, y = self._mm(QPointF(*self.logical(event)))
            self.points[self.held] = (round(x, 2), round(y, 2))
            self.update()

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        if self._drags:
            self._drags = False
            self.changed.emit()
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        count = len(self.points)
        step = arrow_step(event)
        if event.text() in (".", ",") and count:
            way = 1 if event.text() == "." else -1
            self.held = 0 if self.held is None else (self.held + way) % count
            self.setAccessibleDescription(
                tr("corner {held} of {count} in hand", held=self.held + 1, count=count)
            )
        elif step is not None and self.held is not None:
            x, y = self.points[self.held]
            self.points[self.held] = (round(x + step[0] / 10, 2), round(y + step[1] / 10, 2))
            self.changed.emit()
        elif event.key() == Qt.Key.Key_Delete and self.held is not None and count > 3:
            del self.points[self.held]
            self.held = None
            self.changed.emit()
        else:
            super().keyPressEvent(event)
            return
        self.update()


def _pair(point: QPointF) -> tuple[float, float]:
    return (point.x(), point.y())


class SheetPhotoDialog(QDialog):
    """Choose a photo, correct what was read, keep it as a sheet of the rack."""

    def __init__(self, parent: QWidget, presenter: RackPresenter) -> None:
        super().__init__(parent)
        self.presenter = presenter
        self.setWindowTitle(tr("An offcut from a photo"))
        self.sight: SheetSight | None = None
        self._worker: Worker | None = None
        self.picture = OutlinePicture()
        self.picture.changed.connect(self._tell)
        self.told = label("", "ui_b", wrap=True)
        self.hint = label("", "small", "second", wrap=True)
        self.choose = button(tr("Choose the photo"), tip=tr("JPEG, PNG, WebP or HEIC"))
        self.choose.clicked.connect(self._choose)
        self.marks = button(tr("Print the marks"), tip=tr("a page with four marks, as PDF"))
        self.marks.clicked.connect(self._save_marks)
        self.turn = button(tr("Turn by a quarter"), "plain")
        self.turn.clicked.connect(self._turn)
        self.keep = button(tr("Keep it in the rack"), "main")
        self.keep.clicked.connect(self._keep)
        leave = button(tr("Leave it"))
        leave.clicked.connect(self.reject)
        layout = col(
            row(label(tr("An offcut from a photo"), "h2"), None, self.turn),
            hair("bold"),
            self.picture,
            self.told,
            self.hint,
            row(self.keep, self.choose, self.marks, leave, None, gap=10),
            gap=8,
            margins=(20, 16, 20, 16),
        )
        layout.setStretch(2, 1)
        self.setLayout(layout)
        self.resize(px(860), px(620))
        self._show()

    def _show(self) -> None:
        there = self.sight is not None
        for part in (self.keep, self.turn):
            part.setVisible(there)
        self.hint.setText(BY_HAND if there else "")
        if self.sight is not None:
            self.picture.show_sight(self.sight)
            self._tell()

    def _tell(self) -> None:
        """What would be kept now."""
        try:
            sheet = sheet_of(self.picture.points, self.picture.used)
        except AlmanacError as problem:
            self.told.setText(str(problem))
            self.keep.setEnabled(False)
            return
        self.keep.setEnabled(True)
        words = sides_text(sheet.width_mm, sheet.height_mm)
        if sheet.outline_mm:
            words += f", {count_text(len(sheet.outline_mm), 'corner')}"
        if sheet.used_mm:
            words += f", {count_text(len(sheet.used_mm), 'used area')}"
        doubt = self.sight.doubt if self.sight is not None else ""
        self.told.setText(f"{words}. {doubt}".strip())

    def _choose(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("Photo of the offcut"), "", PHOTOS)
        if name:
            self.read(Path(name))

    def read(self, path: Path) -> None:
        """Read a photo in the background; what cannot be read is told."""
        stock = self.presenter.stock
        if stock is None or self._worker is not None:
            return
        thickness = stock.true_thickness_mm
        self.told.setText(tr("Reading {path} ...", path=path.name))
        self._worker = Worker(once(lambda: read_sheet_photo(path, thickness)), self)
        self._worker.item.connect(self._take)
        self._worker.failed.connect(self._failed)
        self._worker.finished.connect(self._ended)
        self._worker.start()

    def _take(self, sight: SheetSight) -> None:
        self.sight = sight
        self._show()

    def _failed(self, problem: Exception) -> None:
        if not isinstance(problem, AlmanacError):
            raise problem
        self.told.setText(str(problem))

    def _ended(self) -> None:
        self._worker = None

    def _turn(self) -> None:
        if self.sight is not None:
            self.sight = turned_sight(self.sight)
            self._show()

    def _keep(self) -> None:
        try:
            sheet = sheet_of(self.picture.points, self.picture.used)
        except AlmanacError as problem:
            self.told.setText(str(problem))
            return
        self.presenter.keep_sheet(sheet)
        self.accept()

    def _save_marks(self) -> None:
        usual = "marks-for-offcuts.pdf"
        name, _ = QFileDialog.getSaveFileName(self, tr("Marks as PDF"), usual, tr("PDF (*.pdf)"))
        if not name:
            return
        try:
            write_marks(Path(name))
        except AlmanacError as problem:
            self.told.setText(str(problem))
            return
        self.told.setText(tr("Saved as {name}. Print it at 100 %.", name=name))

    def done(self, result: int) -> None:
        if self._worker is not None:
            self._worker.halt()
        super().done(result)
