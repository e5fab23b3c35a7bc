"""All cells of a coupon as they lie, with what was read of each and where the edge is expected so
far.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QPointF, QRectF, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy

from olive_almanac.core.lengths import length_unit
from olive_almanac.core.records.reading import CHAR_WORDS, HOLDS, VERDICT_WORDS, flared
from olive_almanac.core.units import fixed_length_number, fixed_length_text
from olive_almanac.core.words import mid_sentence, tr
from olive_almanac.steps.read import axis_texts
from olive_almanac.views.marks import draw_verdict
from olive_almanac.views.parts import CENTRE, MIDDLE_RIGHT
from olive_almanac.views.theme import LIVE, NO_BRUSH, C, F, Painted

if TYPE_CHECKING:
    from olive_almanac.core.records.reading import Reading
    from olive_almanac.core.records.trial import Cell
    from olive_almanac.steps.active import ActiveTrial

EDGE_LINES = ((0.5, 2.4, None), (0.1, 1.3, [2, 3]), (0.9, 1.3, [2, 3]))  # chance, weight and dash


def shown_verdict(reading: Reading | None) -> str:
    """Return the mark of a reading: its verdict, a flare, or unread."""
    if reading is None:
        return "unread"
    if flared(reading):
        return "flare"
    return reading.verdict or "unread"


def crossings(line: Any, level: float) -> list[float]:
    """Return where the chance passes a level along a row of (x, chance), straight in log odds
    between two cells.
    """

    def odds(p: float) -> float:
        p = min(max(p, 1e-4), 1 - 1e-4)
        return math.log(p / (1 - p))

    found = []
    for (x, p), (x2, q) in itertools.pairwise(line):
        if (p - level) * (q - level) < 0:
            found.append(x + (x2 - x) * (odds(level) - odds(p)) / (odds(q) - odds(p)))
    return found


class CellGrid(Painted):
    """All cells as they lie: verdict mark and edge grade; the cell in hand in brass, unread ones
    dashed.

    Signals:
        cell_clicked(str): the id of a cell.
    """

    cell_clicked = Signal(str)
    LEFT, TOP, GAP = 56.0, 24.0, 5.0

    def __init__(self) -> None:
        super().__init__()
        self.active: Any = None
        self.current = ""
        self.unit = "mm/s"
        self.readings = self.suggested = self.differ = {}
        self.chance: dict[str, float] = {}
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def show_cells(
        self,
        active: ActiveTrial,
        current: str,
        unit: str,
        readings: Mapping[str, Reading],
        suggested: Mapping[str, Reading],
        differ: Any,
    ) -> None:
        self.active, self.current, self.unit = active, current, unit
        self.readings, self.suggested, self.differ = readings, suggested, differ
        if active is not None:
            known = readings.get(current)
            self.setAccessibleName(
                tr(
                    "Cell {current}, {verdict_words}",
                    current=current,
                    verdict_words=VERDICT_WORDS[shown_verdict(known)],
                )
            )
        self.update()

    def show_chance(self, chance: Any) -> None:
        """Draw where the good outcome turns, by the chance of each cell (by id); nothing without
        any.
        """
        self.chance = chance
        self.update()

    def _draw_edge(self, painter: QPainter) -> None:
        """Lines through the rows where the chance passes one half, and dotted ones where it is 10
        and 90 %.
        """
        rows: dict[int, list] = {}
        for cell, rect in self._places():
            rows.setdefault(cell.row, []).append((rect.center().x(), rect, self.chance[cell.id]))
        for level, width, dash in EDGE_LINES:
            lines: dict[int, list] = {}
            for _, line in sorted(rows.items(), reverse=True):
                for n, x in enumerate(
                    crossings([(x, p) for x, _, p in sorted(line, key=lambda one: one[0])], level)
                ):
                    rect = line[0][1]
                    lines.setdefault(n, []).append(
                        (
                            QPointF(x, rect.top() - self.GAP / 2),
                            QPointF(x, rect.bottom() + self.GAP / 2),
                        )
                    )
            for steps in lines.values():
                path = QPolygonF([point for step in steps for point in step])
                for colour, more in ((C("page"), 3.0), (C("ink"), 0.0)):
                    pen = QPen(colour, width + more)
                    if dash and not more:
                        pen.setDashPattern(dash)
                    painter.setPen(pen)
                    painter.setBrush(NO_BRUSH)
                    painter.drawPolyline(path)

    def _places(self) -> Any:
        """Each cell with its rect; rows are drawn with the highest power on top."""
        width, height = self.width() / LIVE.scale, self.height() / LIVE.scale
        cols = 1 + max(cell.col for cell in self.active.trial.cells)
        rows = 1 + max(cell.row for cell in self.active.trial.cells)
        w, h = (width - self.LEFT + self.GAP) / cols, (height - self.TOP + self.GAP) / rows
        for cell in self.active.trial.cells:
            yield (
                cell,
                QRectF(
                    self.LEFT + cell.col * w,
                    self.TOP + (rows - 1 - cell.row) * h,
                    w - self.GAP,
                    h - self.GAP,
                ),
            )

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.active is not None:
            x, y = self.logical(event)
            for cell, rect in self._places():
                if rect.contains(x, y):
                    self.cell_clicked.emit(cell.id)

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        if self.active is None:
            return
        heads, sides = {}, {}
        for cell, rect in self._places():
            heads.setdefault(cell.col, (cell, rect))
            sides.setdefault(cell.row, (cell, rect))
            self._paint_ground(painter, cell, rect)
        if self.chance and all(cell.id in self.chance for cell in self.active.trial.cells):
            self._draw_edge(painter)
        for cell, rect in self._places():
            self._paint_marks(painter, cell, rect)
        painter.setFont(F("small_b"))
        painter.setPen(C("ink2"))
        (_, rows), (_, cols) = axis_texts(self.active.trial, self.unit)
        last = -1e9
        for at, (_, rect) in sorted(heads.items()):
            text = cols.get(at, "")
            need = painter.fontMetrics().horizontalAdvance(text) + 4
            if rect.center().x() - need / 2 >= last:
                painter.drawText(QRectF(rect.center().x() - 40, 0, 80, 20), CENTRE, text)
                last = rect.center().x() + need / 2
        for at, (_, rect) in sides.items():
            if rect.height() >= 14:
                painter.drawText(
                    QRectF(0, rect.top(), self.LEFT - 8, rect.height()),
                    MIDDLE_RIGHT,
                    rows.get(at, ""),
                )

    def _paint_ground(self, painter: QPainter, cell: Cell, rect: QRectF) -> None:
        """A cell's box: below the edge, which lies below the marks."""
        reading = self.readings.get(cell.id)
        pen = QPen(C("edge"), 1.2)
        if reading:
            painter.setBrush(C("field"))
        else:
            painter.setBrush(NO_BRUSH)
        if reading is None:
            pen.setDashPattern([3, 3])
        painter.setPen(pen)
        painter.drawRoundedRect(rect.adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)
        if cell.id == self.current:
            painter.setPen(QPen(C("ink"), 3))
            painter.setBrush(C("brass_wash"))
            painter.drawRoundedRect(rect.adjusted(1, 1, -1, -1), 4, 4)

    def _paint_marks(self, painter: QPainter, cell: Cell, rect: QRectF) -> None:
        reading, burnt = self.readings.get(cell.id), cell.id in self.active.burnt
        photo = self.suggested.get(cell.id)
        verdict = shown_verdict(reading)
        if cell.id == self.current:
            ground = C("brass_wash")
        elif reading:
            ground = C("field")
        else:
            ground = C("page")
        if cell.id == self.current and reading is None and rect.width() > 36:
            painter.setFont(F("small_b"))
            painter.setPen(C("ink"))
            painter.drawText(rect, CENTRE, tr("now"))
            return
        side = min(30.0, rect.width() - 6, rect.height() - 6)
        below = self._below(cell, reading, photo)
        tall = rect.height() >= 62 and bool(below) and rect.width() > 44
        centre = rect.center().y() - (9 if tall else 0)
        if burnt:
            light = self._lightness(reading, photo)
            spot = QRectF(rect.center().x() - side / 2, centre - side / 2, side, side)
            if light is not None and self.active.trial.task != "cut":
                painter.setPen(QPen(C("edge"), 1))
                painter.setBrush(QColor.fromHslF(0.09, 0.25, light / 100))
                painter.drawRect(spot.adjusted(-4, 1, 4, -1))
                spot = QRectF(rect.left() + 4, rect.top() + 4, 16, 16)
            if reading is not None or light is None or self.active.trial.task == "cut":
                draw_verdict(painter, spot, verdict, ground=ground)
        if tall:
            painter.setFont(F("small"))
            painter.setPen(C("ink2"))
            if painter.fontMetrics().horizontalAdvance(below) > rect.width():
                below = below.removesuffix(f" {length_unit()}")
            painter.drawText(
                QRectF(rect.left(), rect.bottom() - 24, rect.width(), 18), CENTRE, below
            )
        if cell.id in self.differ:  # two readers do not agree: a brass square in the corner
            corner = QRectF(rect.right() - 14, rect.top() + 4, 10, 10)
            painter.setPen(QPen(C("ink"), 1))
            painter.setBrush(C("brass_fill"))
            painter.drawRect(corner)

    @staticmethod
    def _lightness(reading: Reading | None, photo: Reading | None) -> Any:
        for one in (reading, photo):
            if one is not None and one.lightness is not None and not one.flags:
                return one.lightness
        return None

    def _below(self, cell: Cell, reading: Reading | None, photo: Reading | None) -> str:
        """The word under a cell's mark: its tone, its edge, or what the photo suggests."""
        light = self._lightness(reading, photo)
        if self.active.trial.task != "cut" and light is not None:
            return f"L* {light:.0f}"
        if reading is not None:
            if reading.kerf_mm is not None and cell.mark in ("comb", "stack", "line"):
                return fixed_length_text(reading.kerf_mm, 2)
            if reading.char is not None:
                return CHAR_WORDS[reading.char]
            return ""
        if photo is None and cell.mark in ("comb", "stack"):
            way = cell.setting.direction.upper()
            return (
                f"{way} {fixed_length_number(cell.nominal_mm, 2)}"
                if cell.mark == "comb"
                else tr("{way} stack", way=way)
            )
        if photo is not None and photo.flags:
            if photo.flags == (HOLDS,):
                return tr("still in")
            return tr("unclear")
        if photo is not None and photo.kerf_mm is not None:
            return fixed_length_text(photo.kerf_mm, 2)
        if photo is not None and photo.verdict:
            return f"{mid_sentence(VERDICT_WORDS[photo.verdict])}?"
        return ""
