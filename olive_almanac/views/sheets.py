"""A sheet drawn to scale in the colour of its stock, with what is used and what is clamped: the
same in the rack, in Plan and at the machine.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QRectF
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

from olive_almanac.core.records.stock import Sheet, Stock
from olive_almanac.core.records.trial import SheetOnBed
from olive_almanac.views.marks import dots, hatch
from olive_almanac.views.theme import NO_BRUSH, C, ink_on

__all__ = ["DrawnSheet", "draw_clamp", "draw_sheet", "draw_used", "in_rack", "on_bed"]

Box = tuple[float, float, float, float]
ToRect = Callable[[Box], QRectF]


@dataclass(frozen=True)
class DrawnSheet:
    """A sheet as boxes in mm, all from one origin: the sheet's own corner, or the bed's."""

    outline_mm: Box
    used_mm: tuple[Box, ...]
    clamps_mm: tuple[Box, ...]
    ring_mm: tuple[tuple[float, float], ...] = ()  # of one that is no rectangle


def in_rack(sheet: Sheet) -> DrawnSheet:
    """Return a sheet as it is drawn by itself."""
    outline = (0.0, 0.0, sheet.width_mm, sheet.height_mm)
    return DrawnSheet(outline, sheet.used_mm, sheet.clamps_mm, sheet.outline_mm)


def on_bed(lies: SheetOnBed, stock: Stock) -> DrawnSheet:
    """Return a sheet as it lies on the bed; what is used is what its stock's rack says now."""
    x, y = lies.x_mm, lies.y_mm
    known = stock.sheets[lies.number] if lies.number < len(stock.sheets) else None
    used = known.used_mm if known is not None else ()
    ring = known.outline_mm if known is not None else ()
    return DrawnSheet(
        (x, y, x + lies.width_mm, y + lies.height_mm),
        tuple((a + x, b + y, c + x, d + y) for a, b, c, d in used),
        lies.clamps_mm,
        tuple((a + x, b + y) for a, b in ring),
    )


def draw_sheet(
    painter: QPainter, sheet: DrawnSheet, rect: ToRect, colour: QColor, keep_off_mm: float
) -> None:
    """Draw a sheet: used areas dotted, clamps cross-hatched with the head's clearance dashed."""
    painter.setPen(QPen(C("stock_edge"), 1.4))
    painter.setBrush(colour)
    if sheet.ring_mm:
        points = [rect((x, y, x, y)).topLeft() for x, y in sheet.ring_mm]
        painter.drawPolygon(QPolygonF(points))
    else:
        painter.drawRect(rect(sheet.outline_mm))
    for used in sheet.used_mm:
        draw_used(painter, rect(used), colour)
    for clamp in sheet.clamps_mm:
        left, low, right, high = clamp
        around = (left - keep_off_mm, low - keep_off_mm, right + keep_off_mm, high + keep_off_mm)
        draw_clamp(painter, rect(clamp))
        pen = QPen(ink_on(colour), 1)
        pen.setDashPattern([4, 3])
        painter.setPen(pen)
        painter.drawRect(rect(around))


def draw_used(painter: QPainter, rect: QRectF, colour: QColor) -> None:
    """Draw an area that is used up."""
    path = QPainterPath()
    path.addRect(rect)
    painter.fillPath(path, colour.darker(118))
    dots(painter, path, ink_on(colour), 9, 1.0)
    painter.setPen(QPen(ink_on(colour), 1))
    painter.setBrush(NO_BRUSH)
    painter.drawPath(path)


def draw_clamp(painter: QPainter, rect: QRectF) -> None:
    """Draw a clamp seen from above."""
    path = QPainterPath()
    path.addRect(rect)
    painter.fillPath(path, C("field"))
    for angle in (45, -45):
        hatch(painter, path, C("ink"), 6, angle, 1.1)
    painter.setPen(QPen(C("ink"), 1.2))
    painter.setBrush(NO_BRUSH)
    painter.drawPath(path)
