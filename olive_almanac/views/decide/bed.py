"""The bed as a bed map found it: each place with what it needs, tilt as shims, the weak end."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy

from olive_almanac.core.units import number_text
from olive_almanac.core.upkeep.bed_map import BedMap
from olive_almanac.core.words import tr
from olive_almanac.views.parts import CENTRE
from olive_almanac.views.theme import NO_BRUSH, NO_PEN, C, F, Painted

__all__ = ["BedChart"]

MARGIN = 46.0
SPOT_PX = (92.0, 40.0)
FEW, SOME = 0.03, 0.08  # ln energy from which a spot is hatched, and densely; if beyond doubt
CORNERS = ((-1, -1), (1, -1), (1, 1), (-1, 1))  # in the order of the shims
LEAST_SHIM_MM = 0.1


class BedChart(Painted):
    """Draws a bed map to the bed's own proportions; without one, a note."""

    def __init__(self) -> None:
        super().__init__()
        self.found: BedMap | None = None
        self.bed_mm = (900.0, 600.0)
        self.note = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(tr("The bed from above"))

    def show_bed(self, found: BedMap | None, bed_mm: tuple[float, float], note: str) -> None:
        """Draw another bed map."""
        self.found, self.bed_mm, self.note = found, bed_mm, note
        words = note
        if found is not None:
            words = "; ".join(map(_spot_words, found.need, found.need_sd))
        self.setAccessibleDescription(words)
        self.update()

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        if self.found is None:
            painter.setFont(F("note"))
            painter.setPen(C("ink2"))
            flags = int(CENTRE) | int(Qt.TextFlag.TextWordWrap)
            painter.drawText(QRectF(0, 0, width, height), flags, self.note)
            return
        bed = self._bed(width, height)
        painter.fillRect(bed, C("field"))
        painter.setPen(QPen(C("ink"), 1.6))
        painter.setBrush(NO_BRUSH)
        painter.drawRect(bed)
        painter.setFont(F("small"))
        painter.setPen(C("ink2"))
        painter.drawText(
            QRectF(bed.left(), bed.bottom() + 24, bed.width(), 18), CENTRE, tr("front")
        )
        painter.drawText(QRectF(bed.left(), bed.top() - 42, bed.width(), 18), CENTRE, tr("rear"))
        needs = zip(self.found.places, self.found.need, self.found.need_sd, strict=True)
        for place, need, sd in needs:
            self._draw_spot(painter, self._at(bed, place), need, sd)
        if self.found.story == "tilt":
            self._draw_shims(painter, bed)
        elif "mirror" in self.found.story:
            self._draw_way(painter, bed)
        elif self.found.zone is not None:
            painter.setPen(QPen(C("ember"), 2.4))
            painter.setBrush(NO_BRUSH)
            painter.drawEllipse(self._at(bed, self.found.zone), 58, 44)

    def _bed(self, width: float, height: float) -> QRectF:
        across, up = self.bed_mm
        scale = min((width - 2 * MARGIN) / across, (height - 2 * MARGIN) / up)
        w, h = across * scale, up * scale
        return QRectF((width - w) / 2, (height - h) / 2, w, h)

    @staticmethod
    def _at(bed: QRectF, place: tuple[float, float]) -> QPointF:
        u, v = place
        inset = 0.5 * 0.86
        return QPointF(
            bed.center().x() + u * inset * bed.width(), bed.center().y() - v * inset * bed.height()
        )

    def _draw_spot(self, painter: QPainter, at: QPointF, need: float, sd: float) -> None:
        w, h = SPOT_PX
        box = QRectF(at.x() - w / 2, at.y() - h / 2, w, h)
        painter.setPen(NO_PEN)
        painter.setBrush(C("page"))
        painter.drawRoundedRect(box, 5, 5)
        dense = need > max(SOME, 2 * sd)
        if need > max(FEW, sd):
            texture = Qt.BrushStyle.DiagCrossPattern if dense else Qt.BrushStyle.BDiagPattern
            painter.setBrush(QBrush(C("rule"), texture))
            painter.drawRoundedRect(box, 5, 5)
        painter.setPen(QPen(C("ember") if dense else C("edge"), 2 if dense else 1.2))
        painter.setBrush(NO_BRUSH)
        painter.drawRoundedRect(box, 5, 5)
        painter.setPen(C("ink"))
        painter.setFont(F("ui_b"))
        painter.drawText(box, CENTRE, _spot_words(need, sd))

    def _draw_shims(self, painter: QPainter, bed: QRectF) -> None:
        assert self.found is not None
        painter.setFont(F("small_b"))
        for (x, y), shim in zip(CORNERS, self.found.shims_mm, strict=True):
            if shim < LEAST_SHIM_MM:
                continue
            words = tr("shim {shim} mm", shim=number_text(shim, 2))
            left = bed.left() - 20 if x < 0 else bed.right() - 90
            top = bed.bottom() + 4 if y < 0 else bed.top() - 24
            box = QRectF(left, top, 110, 20)
            painter.fillRect(box, C("brass_wash"))
            painter.setPen(C("ink"))
            painter.drawText(box, CENTRE, words)

    def _draw_way(self, painter: QPainter, bed: QRectF) -> None:
        """An arrow towards where the beam is weakest."""
        assert self.found is not None
        weakest = self.found.places[self.found.need.index(max(self.found.need))]
        end = self._at(bed, weakest)
        begin = self._at(bed, (-weakest[0], -weakest[1]))
        if self.found.story == "mirror 1":
            begin.setX(end.x())
        elif self.found.story == "mirror 2":
            begin.setY(end.y())
        way = math.atan2(end.y() - begin.y(), end.x() - begin.x())
        reach = math.hypot(end.x() - begin.x(), end.y() - begin.y())
        tip = QPointF(
            begin.x() + 0.72 * reach * math.cos(way), begin.y() + 0.72 * reach * math.sin(way)
        )
        tail = QPointF(
            begin.x() + 0.28 * reach * math.cos(way), begin.y() + 0.28 * reach * math.sin(way)
        )
        painter.setPen(QPen(C("ember"), 2.4, Qt.PenStyle.DashLine))
        painter.drawLine(tail, tip)
        wings = [
            QPointF(tip.x() - 12 * math.cos(way + d), tip.y() - 12 * math.sin(way + d))
            for d in (-0.45, 0.45)
        ]
        painter.setPen(NO_PEN)
        painter.setBrush(C("ember"))
        painter.drawPolygon(QPolygonF([tip, *wings]))


def _spot_words(need: float, sd: float) -> str:
    share, doubt = round(100 * math.expm1(need)), max(1, round(100 * sd))
    return f"+{share} ± {doubt} %" if share > 0 else tr("best")
