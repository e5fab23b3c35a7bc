"""How much more or less energy each recipe needs, drawn: a range on one axis, the first recipe at
its nought.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from olive_almanac.core.units import count_text
from olive_almanac.core.words import tr
from olive_almanac.views.marks import round_pen
from olive_almanac.views.parts import CENTRE, MIDDLE_LEFT, MIDDLE_RIGHT, tip_text
from olive_almanac.views.theme import NO_PEN, C, F, Painted, px

if TYPE_CHECKING:
    from olive_almanac.core.deciding.recipes import RecipeComparison

__all__ = ["RecipeBars"]

ELIDE = Qt.TextElideMode.ElideRight
ROW, HEAD, FOOT = 27, 22, 20
NAMES = 150
TICKS = (-75, -50, -30, -20, -10, -5, 0, 5, 10, 20, 30, 50, 100, 200)
LEAST_REACH = 0.12  # of ln energy, on either side
APART = 46  # px between ticks


class RecipeBars(Painted):
    """A row for each recipe: its name, the middle and the range that holds it with 80 %."""

    def __init__(self) -> None:
        super().__init__()
        self.comparison: RecipeComparison | None = None
        self.hide()

    def show_comparison(self, comparison: RecipeComparison | None) -> None:
        """Show a comparison, or nothing."""
        self.comparison = comparison
        self.setVisible(comparison is not None)
        if comparison is None:
            return
        rows = 1 + len(comparison.differences)
        self.setFixedHeight(px(HEAD + rows * ROW + FOOT))
        told = "\n".join(comparison.says)
        self.setToolTip(tip_text(told))
        self.setAccessibleName(told)
        self.update()

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        shown = self.comparison
        if shown is None:
            return
        left, right = NAMES + 8.0, width - 70.0
        reach = max([LEAST_REACH, *(1.1 * max(abs(d.low), abs(d.high)) for d in shown.differences)])
        scale = (right - left) / (2 * reach)

        def at(shift: float) -> float:
            return (left + right) / 2 + scale * shift

        painter.setFont(F("small_b"))
        painter.setPen(C("ink"))
        painter.drawText(
            QRectF(0, 0, width, HEAD), MIDDLE_LEFT, tr("Energy that each recipe needs")
        )
        low = HEAD + ROW * (1 + len(shown.differences))
        self._paint_axis(painter, at, low, (left, right))
        rows = [(shown.first.name, 0.0, 0.0, 0.0), *_rows(shown)]
        for n, (name, middle, least, most) in enumerate(rows):
            y = HEAD + ROW * (n + 0.5)
            painter.setFont(F("ui"))
            painter.setPen(C("ink"))
            words = painter.fontMetrics().elidedText(name, ELIDE, NAMES)
            painter.drawText(QRectF(0, y - 12, NAMES, 24), MIDDLE_LEFT, words)
            painter.setPen(round_pen(C("brass"), 5))
            if most > least:
                painter.drawLine(QPointF(at(least), y), QPointF(at(most), y))
            painter.setPen(NO_PEN)
            painter.setBrush(C("olive"))
            painter.drawEllipse(QPointF(at(middle), y), 5, 5)
            painter.setFont(F("small"))
            painter.setPen(C("ink2"))
            cells = count_text(shown.cells[n], "cell")
            painter.drawText(QRectF(right + 4, y - 12, 66, 24), MIDDLE_RIGHT, cells)

    def _paint_axis(
        self, painter: QPainter, at: Callable[[float], float], low: float, ends: tuple[float, float]
    ) -> None:
        painter.setFont(F("small"))
        drawn: list[float] = []
        for share in sorted(TICKS, key=abs):
            x = at(math.log1p(share / 100))
            if not ends[0] <= x <= ends[1] or any(abs(x - other) < APART for other in drawn):
                continue
            drawn.append(x)
            painter.setPen(QPen(C("rule" if share else "edge"), 1))
            painter.drawLine(QPointF(x, HEAD), QPointF(x, low))
            painter.setPen(C("ink2"))
            words = f"{share:+d} %" if share else tr("same")
            painter.drawText(QRectF(x - 30, low, 60, FOOT), CENTRE, words)


def _rows(shown: RecipeComparison) -> list[tuple[str, float, float, float]]:
    return [(one.recipe.name, one.middle, one.low, one.high) for one in shown.differences]
