"""A box to tick that is drawn in our own colours: it shows in both themes, and a gloved finger hits
it.
"""

from __future__ import annotations

from PySide6.QtCore import QPoint, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QCheckBox

from olive_almanac.views.marks import round_pen
from olive_almanac.views.parts import MIDDLE_LEFT
from olive_almanac.views.theme import LIVE, C, F, px

__all__ = ["TickBox"]


class TickBox(QCheckBox):
    """A box with words beside it; `SIDE` is the box's, `LEAST` the size that it asks for, logical
    px.
    """

    SIDE = 18.0
    LEAST = (300, 28)

    def __init__(self, words: str) -> None:
        super().__init__(words)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def sizeHint(self) -> QSize:
        return QSize(px(self.LEAST[0]), px(self.LEAST[1]))

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def hitButton(self, pos: QPoint) -> bool:
        return self.rect().contains(pos)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.scale(LIVE.scale, LIVE.scale)
        width, height = self.width() / LIVE.scale, self.height() / LIVE.scale
        square = QRectF(2, (height - self.SIDE) / 2, self.SIDE, self.SIDE)
        painter.setBrush(C("olive") if self.isChecked() else C("field"))
        painter.setPen(QPen(C("olive"), 2.6 if self.hasFocus() else 1.4))
        painter.drawRoundedRect(square, 4, 4)
        if self.isChecked():
            painter.setPen(round_pen(C("on_olive"), self.SIDE / 8))
            shares = ((0.25, 0.5), (0.44, 0.71), (0.75, 0.29))
            at = square.topLeft()
            painter.drawPolyline(QPolygonF([at + QPointF(u, v) * self.SIDE for u, v in shares]))
        self.draw_words(painter, QRectF(self.SIDE + 12, 0, width - self.SIDE - 14, height))
        painter.end()

    def draw_words(self, painter: QPainter, room: QRectF) -> None:
        """Draw what stands beside the box."""
        painter.setPen(C("ink"))
        painter.setFont(F("ui"))
        painter.drawText(room, MIDDLE_LEFT, self.text())
