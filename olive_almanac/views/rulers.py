"""The rulers along the foot and the left side of a drawn sheet, in the shop's unit."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter, QPen

from olive_almanac.core.lengths import ruler_marks
from olive_almanac.core.records.stock import Sheet
from olive_almanac.views.parts import CENTRE, MIDDLE_RIGHT
from olive_almanac.views.theme import C, F

__all__ = ["draw_rulers"]

LEAST_PX = 42  # between two numbers


def draw_rulers(painter: QPainter, sheet: Sheet, scale: tuple[float, float, float]) -> None:
    """Draw both rulers of a sheet; `scale` is px a mm, and where its lower left corner lies, px."""
    k, left, foot = scale
    painter.setFont(F("small"))
    painter.setPen(QPen(C("ink2"), 1))
    for mm, told in ruler_marks(0, sheet.width_mm, LEAST_PX / k):
        x = left + k * mm
        painter.drawLine(QPointF(x, foot + 4), QPointF(x, foot + 9))
        painter.drawText(QRectF(x - 26, foot + 10, 52, 18), CENTRE, told)
    for mm, told in ruler_marks(1, sheet.height_mm, LEAST_PX / k):
        y = foot - k * mm
        painter.drawLine(QPointF(left - 4, y), QPointF(left - 9, y))
        painter.drawText(QRectF(left - 54, y - 9, 42, 18), MIDDLE_RIGHT, told)
