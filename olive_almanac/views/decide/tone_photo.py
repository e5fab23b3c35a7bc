"""The photo of an engraved coupon, from which the tone to reach is taken: click a cell, or arrows
and Enter.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen

from olive_almanac.core.words import tr
from olive_almanac.views.parts import ARROWS, CENTRE
from olive_almanac.views.read.photo_view import PhotoPicture
from olive_almanac.views.theme import NO_BRUSH, C, F

if TYPE_CHECKING:
    from olive_almanac.steps.active import ActiveTrial


class TonePhoto(PhotoPicture):
    """The squared-up photo; the cell in hand is framed, the arrows move it, Enter takes its tone
    (`cell_clicked`).
    """

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def show_coupon(self, active: ActiveTrial, codes: Any) -> None:
        """Show the photo; codes None: not there yet."""
        if active is not None:
            cells = [cell.id for cell in active.trial.cells]
        else:
            cells = []
        self.show_photo(
            active,
            codes,
            "front",
            self.current if self.current in cells else "",
            active.readings if active else {},
            {},
        )

    def mousePressEvent(self, event: QMouseEvent) -> None:
        super().mousePressEvent(event)
        self.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self.active is None:
            super().keyPressEvent(event)
        elif event.key() in ARROWS:
            self._move(*ARROWS[Qt.Key(event.key())])
        elif (
            event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space) and self.current
        ):
            self.cell_clicked.emit(self.current)
        else:
            super().keyPressEvent(event)

    def _move(self, across: int, up: int) -> None:
        """Frame the next cell that way, the nearest row or column first."""
        cells = self.active.trial.cells
        here = next((cell for cell in cells if cell.id == self.current), None)
        if here is None:
            self.current = cells[0].id
        else:
            ahead = [c for c in cells if across * (c.col - here.col) + up * (c.row - here.row) > 0]
            off = {
                c.id: (abs(c.row - here.row) if across else abs(c.col - here.col)) for c in ahead
            }
            if ahead:
                self.current = min(
                    ahead, key=lambda c: (off[c.id], abs(c.col - here.col) + abs(c.row - here.row))
                ).id
        self.update()

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        super().paint(painter, width, height)
        if self.image is None:
            painter.setFont(F("ui"))
            painter.setPen(C("ink2"))
            painter.drawText(QRectF(0, 0, width, height), CENTRE, tr("Squaring up the photo …"))
        if self.hasFocus():
            painter.setPen(QPen(C("olive"), 2))
            painter.setBrush(NO_BRUSH)
            painter.drawRect(1, 1, int(width) - 2, int(height) - 2)
