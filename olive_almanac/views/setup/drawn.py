"""The machine and the stock drawn as things, each number as a field at the part that it belongs to.

A picture follows what is typed: it is drawn from the record that the form's texts describe, and
stays as it was where they describe none yet.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

from olive_almanac.core.records.machine import SOURCES
from olive_almanac.core.units import dpi_from_pitch, length_number, length_text
from olive_almanac.core.words import tr
from olive_almanac.steps.permission import group_of
from olive_almanac.steps.set_up import machine_from, stock_from
from olive_almanac.views.coupon import stock_colour
from olive_almanac.views.field_picture import LEFT, RIGHT, FieldPicture
from olive_almanac.views.marks import dots, hatch, round_pen
from olive_almanac.views.parts import CENTRE, MIDDLE_LEFT
from olive_almanac.views.theme import LIVE, NO_BRUSH, C, F, ink_on, px

if TYPE_CHECKING:
    from olive_almanac.core.records.machine import Machine
    from olive_almanac.core.records.stock import Stock

__all__ = ["MachinePicture", "StockPicture"]

USUAL_MM = 3.0  # of a stock, as long as none is in hand


class MachinePicture(FieldPicture):
    """Head, beam and bed from the side and from above."""

    PLACES = {
        "wavelength_nm": (LEFT, 0),
        "optical_power_w": (LEFT, 1),
        "rated_power_w": (LEFT, 2),
        "spot_x_mm": (RIGHT, 0),
        "spot_y_mm": (RIGHT, 0),
        "rayleigh_mm": (RIGHT, 2),
        "max_speed_mm_s": (LEFT, 4),
        "acceleration_mm_s2": (LEFT, 5),
        "bed_w": (RIGHT, 4),
        "bed_h": (RIGHT, 4),
    }
    ROWS = {0: 58, 1: 62, 2: 62, 3: 8, 4: 62, 5: 62}

    def __init__(self, in_hand: Callable[[], Stock | None]) -> None:
        super().__init__()
        self._in_hand = in_hand  # the stock that lies below

    def read(self, texts: dict[str, str]) -> Machine:
        return machine_from(texts | {"name": "-"}, self.before, lambda: "drawn")

    def tell(self) -> None:
        machine = self.record
        finest = min(machine.spot_x_mm, machine.spot_y_mm)
        dpi = f"{dpi_from_pitch(finest):.0f}"
        pitch = length_text(finest)
        self.say("rayleigh_mm", tr("finest pitch {pitch}, {dpi} dpi", pitch=pitch, dpi=dpi))
        run_up = machine.max_speed_mm_s**2 / (2 * machine.acceleration_mm_s2)
        run_up_mm = length_text(run_up, 2)
        self.say("acceleration_mm_s2", tr("full speed after {run_up_mm}", run_up_mm=run_up_mm))

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        if self.record is None or not self.parts:
            return
        self._paint_head(painter, self.middle(0, 2))
        self._paint_spot(painter)
        self._paint_bed(painter, self.middle(4, 5))
        rule = self.middle(3, 3).center().y()
        painter.setPen(QPen(C("rule"), 1))
        painter.drawLine(QPointF(0, rule), QPointF(width, rule))

    def _paint_head(self, painter: QPainter, room: QRectF) -> None:
        """The head with the word of its source, the beam to its waist and the stock below."""
        machine, x = self.record, room.center().x()
        size = room.height() / 186
        top, tip, face = (room.top() + size * down for down in (4, 72, 126))
        stock = self._in_hand()
        thickness = stock.true_thickness_mm if stock else USUAL_MM
        k = min(32 * size / machine.rayleigh_mm, (room.bottom() - face - 4) / max(thickness, 0.5))
        board = QRectF(room.left() + 4, face, room.width() - 8, max(4.0, k * thickness))
        painter.setPen(QPen(C("stock_edge"), 1.4))
        painter.setBrush(stock_colour(stock) if stock else C("stock"))
        painter.drawRect(board)
        reach = max(3.0, k * machine.rayleigh_mm)
        foot = min(room.bottom(), board.bottom() + 6)
        self._paint_beam(painter, x, (tip, face, foot), reach, 2.4 * size)
        body = QRectF(x - 42 * size, top, 84 * size, tip - top - 8 * size)
        painter.setPen(QPen(C("ink"), 1.8))
        painter.setBrush(C("wash"))
        painter.drawRoundedRect(body, 4, 4)
        neck = [(-16, -8), (16, -8), (10, 0), (-10, 0)]
        points = [QPointF(x + size * dx, tip + size * dy) for dx, dy in neck]
        painter.drawPolygon(QPolygonF(points))
        painter.setPen(QPen(C("edge"), 1.2))
        for n in range(3):
            y = body.top() + (9 + 6 * n) * size
            painter.drawLine(QPointF(body.left() + 10, y), QPointF(body.right() - 10, y))
        painter.setPen(C("ink"))
        painter.setFont(F("num4", 16))
        told = QRectF(body.left(), body.bottom() - 28, body.width(), 22)
        painter.drawText(told, CENTRE, SOURCES[machine.source][0])
        self._paint_depth(painter, QRectF(board.left(), face - reach, board.width(), 2 * reach))
        self.lead(painter, "wavelength_nm", QPointF(body.left(), body.top() + 22))
        self.lead(painter, "optical_power_w", QPointF(x - 4, tip + 16))
        self.lead(painter, "spot_x_mm", QPointF(x + 3, face))

    def _paint_beam(
        self,
        painter: QPainter,
        x: float,
        ys: tuple[float, float, float],
        reach: float,
        narrowest: float,
    ) -> None:
        """The beam from the nozzle through its waist to where it leaves the stock."""
        tip, waist, foot = ys
        heights = [tip + n * (foot - tip) / 40 for n in range(41)]
        halves = [min(26.0, narrowest * math.hypot(1.0, (y - waist) / reach)) for y in heights]
        sides = [
            QPolygonF([QPointF(x + side * h, y) for h, y in zip(halves, heights, strict=True)])
            for side in (-1, 1)
        ]
        beam = QPainterPath()
        beam.addPolygon(QPolygonF([*sides[0].toList(), *reversed(sides[1].toList())]))
        painter.fillPath(beam, C("brass_fill", 0.75))
        painter.setPen(QPen(C("brass"), 1.4))
        painter.setBrush(NO_BRUSH)
        for side in sides:
            painter.drawPolyline(side)

    def _paint_depth(self, painter: QPainter, depth: QRectF) -> None:
        """Between the dashed lines the spot stays within 1.4 of its narrowest."""
        pen = QPen(C("ink"), 1)
        pen.setDashPattern([3, 3])
        painter.setPen(pen)
        for y in (depth.top(), depth.bottom()):
            painter.drawLine(QPointF(depth.left(), y), QPointF(depth.right(), y))
        x = depth.right() - 10
        painter.setPen(QPen(C("ink"), 1.4))
        painter.drawLine(QPointF(x, depth.top()), QPointF(x, depth.bottom()))
        painter.setBrush(C("ink"))
        for y, down in ((depth.top(), 1), (depth.bottom(), -1)):
            head = [QPointF(x, y), QPointF(x - 4, y + 7 * down), QPointF(x + 4, y + 7 * down)]
            painter.drawPolygon(QPolygonF(head))
        painter.setFont(F("cap"))
        deep = length_text(self.record.depth_of_focus_mm)
        words = tr("{deep} deep", deep=deep)
        wide = painter.fontMetrics().horizontalAdvance(words) + 10
        told = QRectF(depth.left() + 5, depth.bottom() - 9, wide, 18)
        painter.fillRect(told, C("field"))
        painter.setPen(C("ink"))
        painter.drawText(told, CENTRE, words)
        self.lead(painter, "rayleigh_mm", QPointF(x + 2, depth.bottom() - 10))

    def _paint_spot(self, painter: QPainter) -> None:
        """The spot from above, both axes at one scale, and the depth of focus in words."""
        machine, k = self.record, LIVE.scale
        cell = self.grid.cellRect(1, RIGHT)
        room = QRectF(cell.x() / k, cell.y() / k + 2, 116, cell.height() / k - 4)
        painter.setPen(QPen(C("rule"), 1))
        painter.setBrush(C("field"))
        painter.drawRect(room)
        most = max(machine.spot_x_mm, machine.spot_y_mm)
        half = 0.5 * (room.height() - 28) / most
        centre = room.center()
        painter.setPen(QPen(C("ink"), 1.6))
        painter.setBrush(C("brass_fill"))
        painter.drawEllipse(centre, half * machine.spot_x_mm, half * machine.spot_y_mm)
        painter.setPen(QPen(C("edge"), 1))
        reach = room.height() / 2 - 4
        painter.drawLine(centre - QPointF(reach + 12, 0), centre + QPointF(reach + 12, 0))
        painter.drawLine(centre - QPointF(0, reach), centre + QPointF(0, reach))
        painter.setFont(F("cap"))
        painter.setPen(C("ink2"))
        end = QRectF(room.right() - 18, centre.y() - 18, 14, 16)
        painter.drawText(end, CENTRE, "X")
        painter.drawText(QRectF(centre.x() + 4, room.top(), 14, 16), CENTRE, "Y")

    def _paint_bed(self, painter: QPainter, room: QRectF) -> None:
        """The bed from above: where it begins, and what carries the beam over it."""
        machine = self.record
        w, h = machine.bed_mm
        k = min((room.width() - 12) / w, (room.height() - 22) / h)
        left, foot = room.center().x() - k * w / 2, room.bottom() - 20
        bed = QRectF(left, foot - k * h, k * w, k * h)
        painter.setPen(QPen(C("ink"), 1.8))
        painter.setBrush(C("field"))
        painter.drawRect(bed)
        painter.setPen(QPen(C("rule"), 1))
        for n in (1, 2, 3):
            x, y = bed.left() + n * bed.width() / 4, bed.top() + n * bed.height() / 4
            painter.drawLine(QPointF(x, bed.top() + 1), QPointF(x, bed.bottom() - 1))
            painter.drawLine(QPointF(bed.left() + 1, y), QPointF(bed.right() - 1, y))
        painter.setPen(QPen(C("ink"), 2))
        y = bed.top() + 0.3 * bed.height()
        carriage = QPointF(bed.left() + 0.42 * bed.width(), y)
        if machine.source == "fibre":  # mirrors throw the beam from above the middle
            carriage = bed.center()
            for corner in (bed.topLeft(), bed.topRight(), bed.bottomLeft(), bed.bottomRight()):
                painter.setPen(QPen(C("edge"), 1, Qt.PenStyle.DashLine))
                painter.drawLine(carriage, corner)
            painter.setPen(QPen(C("ink"), 2))
            painter.setBrush(C("wash"))
            painter.drawEllipse(carriage, 11, 11)
        else:
            painter.drawLine(QPointF(bed.left(), y), QPointF(bed.right(), y))
            painter.setBrush(C("wash"))
            painter.drawRect(QRectF(carriage.x() - 8, y - 8, 16, 16))
        tip = carriage + QPointF(min(40.0, bed.right() - carriage.x() - 4), 0)
        painter.setPen(round_pen(C("olive"), 2.4))
        painter.drawLine(carriage + QPointF(14, 0), tip)
        head = [tip, tip + QPointF(-8, -5), tip + QPointF(-8, 5)]
        painter.setBrush(C("olive"))
        painter.drawPolygon(QPolygonF(head))
        painter.setPen(QPen(C("ink"), 1.4))
        painter.setBrush(C("brass_fill"))
        painter.drawEllipse(bed.bottomLeft(), 4.5, 4.5)
        painter.setFont(F("cap"))
        painter.setPen(C("ink2"))
        told = QRectF(bed.left() - 8, foot + 4, room.width(), 16)
        painter.drawText(told, MIDDLE_LEFT, tr("begins here"))
        self.lead(painter, "max_speed_mm_s", QPointF(carriage.x() - 8, carriage.y()))


class StockPicture(FieldPicture):
    """The edge of a sheet with the jaws that measured it."""

    PLACES = {
        "thickness_mm": (RIGHT, 0),
        "measured": (LEFT, 2),
        "lot": (RIGHT, 1),
        "price_m2": (RIGHT, 2),
    }
    WIDE = ("measured",)
    ROWS = {0: 54, 1: 54, 2: 54}
    GROWS = 1.4

    def __init__(self) -> None:
        super().__init__()
        self.grid.setColumnMinimumWidth(RIGHT, px(140))

    def read(self, texts: dict[str, str]) -> Stock:
        return stock_from(
            {**texts, "name": texts["name"].strip() or "-"}, self.before, lambda: "drawn"
        )

    def tell(self) -> None:
        read = self.record.measured_mm
        if not read:
            self.say("measured", tr("as sold counts"))
            return
        mean = length_number(self.record.true_thickness_mm, 3)
        spread = length_number(max(read) - min(read), 2)
        words = tr("mean {mean}, spread {spread}", mean=mean, spread=spread)
        self.say("measured", words if len(read) > 1 else tr("measured once"))

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        if self.record is None or not self.parts:
            return
        stock = self.record
        right = self.grid.cellRect(0, RIGHT).x() / LIVE.scale
        rows = self.middle(0, 1)
        room = QRectF(2, rows.top() + 6, right - 26, rows.height() - 12)
        size = room.height() / 108
        tall = size * min(60.0, max(9.0, 7.0 + 9.5 * stock.true_thickness_mm))
        edge = QRectF(room.left(), room.center().y() - tall / 2, room.width(), tall)
        colour = stock_colour(stock)
        path = QPainterPath()
        path.addRect(edge)
        painter.fillPath(path, colour)
        _paint_inside(painter, path, stock, ink_on(colour))
        painter.setPen(QPen(C("stock_edge"), 1.6))
        painter.setBrush(NO_BRUSH)
        painter.drawRect(edge)
        if stock.mask:
            self._paint_mask(painter, edge)
        self._paint_jaws(painter, edge)
        self.lead(painter, "thickness_mm", QPointF(edge.right(), edge.center().y()))

    def _paint_mask(self, painter: QPainter, edge: QRectF) -> None:
        mask = QRectF(edge.left(), edge.top() - 6, edge.width(), 6)
        painter.setPen(QPen(C("edge"), 1.2))
        painter.setBrush(C("field"))
        painter.drawRect(mask)

    def _paint_jaws(self, painter: QPainter, edge: QRectF) -> None:
        """The calipers' jaws on the edge, one pair a reading, with what they read."""
        read = self.record.measured_mm[:6]
        painter.setFont(F("small_b"))
        for n, mm in enumerate(read):
            x = edge.left() + (n + 0.5) * edge.width() / len(read)
            painter.setPen(QPen(C("ink"), 1.6))
            painter.setBrush(C("wash"))
            for y, up in ((edge.top(), -1), (edge.bottom(), 1)):
                jaw = [(-9, 18), (-9, 0), (2, 0), (9, 8), (9, 18)]
                points = [QPointF(x + dx, y + up * dy) for dx, dy in jaw]
                painter.drawPolygon(QPolygonF(points))
            told = length_number(mm, 3)
            wide = painter.fontMetrics().horizontalAdvance(told) + 10
            if wide > edge.width() / len(read) or edge.height() < 20:
                continue
            tag = QRectF(x - wide / 2, edge.center().y() - 9, wide, 18)
            painter.fillRect(tag, C("field"))
            painter.setPen(C("ink"))
            painter.drawText(tag, CENTRE, told)


def _paint_inside(painter: QPainter, path: QPainterPath, stock: Stock, ink: QColor) -> None:
    """What the edge of a stock looks like inside, by its group."""
    edge, group = path.boundingRect(), group_of(stock)
    faint = QColor(ink)
    faint.setAlphaF(0.35)
    painter.save()
    painter.setClipPath(path)
    painter.setPen(QPen(faint, 1))
    if stock.family == "plywood":
        _paint_plies(painter, edge, stock, faint)
    elif group == "Wood":
        for n in range(1, 5):
            y = edge.top() + n * edge.height() / 5
            grain = QPainterPath(QPointF(edge.left(), y))
            third = edge.width() / 3
            grain.cubicTo(edge.left() + third, y - 5, edge.right() - third, y + 5, edge.right(), y)
            painter.drawPath(grain)
    elif group in ("Leather and textile", "Foam and rubber"):
        dots(painter, path, faint, 7, 1.0)
    elif group == "Metal":
        hatch(painter, path, faint, 6, 45, 1.0)
    elif group in ("Glass and stone", "Plastic"):
        for share in (0.2, 0.26, 0.7):
            x = edge.left() + share * edge.width()
            painter.drawLine(QPointF(x, edge.bottom()), QPointF(x + edge.height(), edge.top()))
    else:
        for n in range(1, 4):
            y = edge.top() + n * edge.height() / 4
            painter.drawLine(QPointF(edge.left(), y), QPointF(edge.right(), y))
    painter.restore()


def _paint_plies(painter: QPainter, edge: QRectF, stock: Stock, faint: QColor) -> None:
    """Plies lie along and across in turn, the outer ones along; between them is glue."""
    plies = max(3, 2 * round(stock.true_thickness_mm / 2.4) + 1)
    tall = edge.height() / plies
    for n in range(plies):
        ply = QRectF(edge.left(), edge.top() + n * tall, edge.width(), tall)
        inner = QPainterPath()
        inner.addRect(ply)
        if n % 2:
            dots(painter, inner, faint, 6, 0.9)
        else:
            painter.setPen(QPen(faint, 0.8))
            y = ply.center().y()
            painter.drawLine(QPointF(ply.left(), y), QPointF(ply.right(), y))
        if n:
            glue = QPen(faint, 1)
            if stock.glue_line == "dark":
                glue = QPen(C("on_stock"), 2)
            painter.setPen(glue)
            painter.drawLine(ply.topLeft(), ply.topRight())
