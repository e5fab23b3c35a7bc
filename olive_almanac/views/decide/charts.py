"""Charts of the Decide station: slices through the map, the focus curve, the kerf of both axes, the
tone curve.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy

from olive_almanac.core.lengths import MM_PER_INCH, length_unit
from olive_almanac.core.units import (
    fixed_length_number,
    fixed_length_text,
    length_number,
    length_text,
    number_text,
    passes_text,
    percent_text,
    speed_in,
)
from olive_almanac.core.words import tr
from olive_almanac.views.parts import CENTRE, MIDDLE_LEFT, MIDDLE_RIGHT
from olive_almanac.views.theme import NO_BRUSH, NO_PEN, C, F, Painted

if TYPE_CHECKING:
    from olive_almanac.core.deciding.decision import Pick

__all__ = ["FocusChart", "KerfChart", "SlicesChart", "ToneChart", "round_steps"]

LEFT, TOP, RIGHT, FOOT = 62.0, 34.0, 16.0, 46.0
DASHES = (
    None,
    [6, 3],
    [2, 2],
    [8, 3, 2, 3],
)  # lines differ by dash and weight, never by colour alone
WEIGHTS = (2.6, 2.0, 2.0, 1.6)


def round_steps(low: float, high: float, most: int) -> list[float]:
    """Return up to `most` + 1 round numbers from low to high."""
    if not high > low:
        return [low]
    raw = (high - low) / most
    size = 10 ** math.floor(math.log10(raw))
    step = next(size * factor for factor in (1, 2, 2.5, 5, 10) if size * factor >= raw)
    first = math.ceil(low / step - 1e-9)
    return [n * step for n in range(first, math.floor(high / step + 1e-9) + 1)]


@dataclass(frozen=True)
class _Axes:
    """A rectangle with its scales; `x` and `y` are (low, high)."""

    area: QRectF
    x: tuple[float, float]
    y: tuple[float, float]

    def at(self, x: float, y: float) -> QPointF:
        across = (x - self.x[0]) / (self.x[1] - self.x[0])
        up = (y - self.y[0]) / (self.y[1] - self.y[0])
        return QPointF(
            self.area.left() + across * self.area.width(),
            self.area.bottom() - up * self.area.height(),
        )


class Chart(Painted):
    """Base: a field with axes; a subclass gives the scales and draws inside.

    Without anything to show, a note.
    """

    NAME = ""
    LENGTHS = ""  # which of its axes, "x" and "y", count millimetres

    def __init__(self) -> None:
        super().__init__()
        self.note = ""
        self.taken: list[QRectF] = []
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(self.NAME)

    def tell(self, note: str) -> None:
        self.note = note
        self.setAccessibleDescription(note)
        self.update()

    def scales(self) -> tuple[tuple[float, float], tuple[float, float]] | None:
        raise NotImplementedError

    def names(self) -> tuple[str, str]:
        """What lies along the bottom, and what goes up."""
        raise NotImplementedError

    def draw(self, painter: QPainter, axes: _Axes) -> None:
        raise NotImplementedError

    def x_text(self, value: float) -> str:
        return length_number(value) if "x" in self.LENGTHS else number_text(value)

    def y_text(self, value: float) -> str:
        return length_number(value) if "y" in self.LENGTHS else number_text(value)

    def steps(self, axis: str, ends: tuple[float, float], most: int) -> list[float]:
        """Where the lines of an axis lie: at round numbers of the shop's unit."""
        one = 1.0
        if axis in self.LENGTHS and length_unit() == "in":
            one = MM_PER_INCH
        return [one * value for value in round_steps(ends[0] / one, ends[1] / one, most)]

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        scales = self.scales()
        if scales is None:
            painter.setFont(F("note"))
            painter.setPen(C("ink2"))
            painter.drawText(
                QRectF(0, 0, width, height), int(CENTRE) | int(Qt.TextFlag.TextWordWrap), self.note
            )
            return
        axes = _Axes(QRectF(LEFT, TOP, width - LEFT - RIGHT, height - TOP - FOOT), *scales)
        self.taken = []
        painter.fillRect(axes.area, C("field"))
        self._draw_axes(painter, axes)
        painter.save()
        painter.setClipRect(axes.area.adjusted(-1, -1, 1, 1))
        self.draw(painter, axes)
        painter.restore()
        painter.setPen(QPen(C("ink"), 1.4))
        painter.setBrush(NO_BRUSH)
        painter.drawRect(axes.area)

    def _draw_axes(self, painter: QPainter, axes: _Axes) -> None:
        area = axes.area
        painter.setFont(F("small_b"))
        for value in self.steps("x", axes.x, max(2, int(area.width() / 90))):
            at = axes.at(value, axes.y[0])
            painter.setPen(QPen(C("rule"), 1))
            painter.drawLine(QPointF(at.x(), area.top()), at)
            painter.setPen(C("ink"))
            painter.drawText(
                QRectF(at.x() - 40, area.bottom() + 6, 80, 18), CENTRE, self.x_text(value)
            )
        for value in self.steps("y", axes.y, max(2, int(area.height() / 60))):
            at = axes.at(axes.x[0], value)
            painter.setPen(QPen(C("rule"), 1))
            painter.drawLine(at, QPointF(area.right(), at.y()))
            painter.setPen(C("ink"))
            painter.drawText(
                QRectF(0, at.y() - 9, area.left() - 9, 18), MIDDLE_RIGHT, self.y_text(value)
            )
        across, up = self.names()
        painter.setFont(F("small"))
        painter.setPen(C("ink2"))
        painter.drawText(QRectF(area.left(), area.bottom() + 25, area.width(), 18), CENTRE, across)
        painter.drawText(QRectF(area.left() - 58, 6, area.width(), 20), MIDDLE_LEFT, up)

    def curve(
        self, painter: QPainter, axes: _Axes, xs: Any, ys: Any, which: int = 0, tone: str = "ink"
    ) -> None:
        pen = QPen(C(tone), WEIGHTS[which % 4])
        if DASHES[which % 4]:
            pen.setDashPattern(DASHES[which % 4])
        painter.setPen(pen)
        painter.setBrush(NO_BRUSH)
        painter.drawPolyline(
            QPolygonF([axes.at(float(x), float(y)) for x, y in zip(xs, ys, strict=True)])
        )

    def points(self, painter: QPainter, axes: _Axes, pairs: Any) -> None:
        painter.setPen(QPen(C("field"), 2))
        painter.setBrush(C("ink"))
        for x, y in pairs:
            at = axes.at(x, y)
            painter.drawEllipse(at, 5.5, 5.5)
            self.taken.append(QRectF(at.x() - 7, at.y() - 7, 14, 14))

    def upright(self, painter: QPainter, axes: _Axes, x: float) -> None:
        painter.setPen(QPen(C("olive"), 2.4))
        painter.drawLine(axes.at(x, axes.y[0]), axes.at(x, axes.y[1]))

    def plate(self, painter: QPainter, at: QPointF, text: str, area: QRectF) -> None:
        """Write on a plate of the ground's colour near a place, where it covers no other plate or
        point.
        """
        painter.setFont(F("small_b"))
        width = QFontMetricsF(F("small_b")).horizontalAdvance(text) + 10
        for dx, dy in (
            (8, -22),
            (8, 6),
            (-width - 8, -22),
            (-width - 8, 6),
            (8, -44),
            (8, 28),
            (-width - 8, -44),
            (-width - 8, 28),
        ):
            rect = QRectF(at.x() + dx, at.y() + dy, width, 19)
            if area.contains(rect) and not any(rect.intersects(taken) for taken in self.taken):
                break
        painter.setPen(NO_PEN)
        painter.setBrush(C("field"))
        painter.drawRoundedRect(rect, 3, 3)
        painter.setPen(C("ink"))
        painter.drawText(rect, CENTRE, text)
        self.taken.append(rect)


def _margined(low: float, high: float, share: float = 0.08) -> tuple[float, float]:
    gap = (high - low) or max(abs(high), 1.0)
    return low - share * gap, high + share * gap


class SlicesChart(Chart):
    """The chance to fall free over the speed, for some numbers of passes, at the pick's power and
    focus.
    """

    NAME = tr("Chance over speed")

    def __init__(self) -> None:
        super().__init__()
        self.slices: Any = None
        self.target = 0.99
        self.pick: Any = None
        self.unit = "mm/s"

    def show_slices(self, slices: Any, target: float, pick: Pick, unit: str, note: str) -> None:
        self.slices, self.target, self.pick, self.unit = slices, target, pick, unit
        self.tell(note)

    def scales(self) -> Any:
        if self.slices is None:
            return None
        speeds = [
            speed_in(v, self.unit) for v in (self.slices.speed_mm_s[0], self.slices.speed_mm_s[-1])
        ]
        return (speeds[0], speeds[1]), (0.0, 1.02)

    def names(self) -> Any:
        power, focus = percent_text(self.slices.power), number_text(self.slices.focus_mm)
        return tr("Speed, {unit}", unit=self.unit), tr(
            "Chance to fall free at {power} % power, focus {focus} mm", power=power, focus=focus
        )

    def y_text(self, value: float) -> str:
        return f"{100 * value:.0f} %"

    def draw(self, painter: QPainter, axes: Any) -> None:
        speeds = [speed_in(float(v), self.unit) for v in self.slices.speed_mm_s]
        painter.setPen(QPen(C("olive"), 2))
        painter.drawLine(axes.at(axes.x[0], self.target), axes.at(axes.x[1], self.target))
        for n, chance in enumerate(self.slices.chance):
            self.curve(painter, axes, speeds, chance, n)
        if self.pick is not None:
            at = axes.at(speed_in(self.pick.setting.speed_mm_s, self.unit), self.pick.probability)
            painter.setPen(QPen(C("ink"), 2.4))
            painter.setBrush(NO_BRUSH)
            painter.drawEllipse(at, 9, 9)
            self.taken.append(QRectF(at.x() - 12, at.y() - 12, 24, 24))
        for n, (passes, chance) in enumerate(
            zip(self.slices.passes, self.slices.chance, strict=True)
        ):
            half = int(np.abs(chance - (0.62 - 0.12 * n)).argmin())
            self.plate(
                painter, axes.at(speeds[half], float(chance[half])), passes_text(passes), axes.area
            )
        self.plate(
            painter,
            axes.at(axes.x[1], self.target) - QPointF(130, -26),
            tr("house rule {target:g} %", target=100 * self.target),
            axes.area,
        )


class DecisionChart(Chart):
    """Base of a chart of what was measured for one decision, named `MEASURED` there."""

    MEASURED = ""

    def __init__(self) -> None:
        super().__init__()
        self.decision: Any = None

    def show_decision(self, decision: Any, note: str) -> None:
        """Show a decision, or a note where there is none yet."""
        self.decision = None
        if decision and getattr(decision, self.MEASURED):
            self.decision = decision
        if decision:
            self.tell(decision.says)
        else:
            self.tell(note)


class FocusChart(DecisionChart):
    """Line widths over the height of the focus, the fitted curve, the best height with its
    doubt.
    """

    NAME = tr("Line width over focus height")
    LENGTHS = "xy"
    MEASURED = "lines"

    def scales(self) -> Any:
        if self.decision is None:
            return None
        heights, widths = zip(*self.decision.lines, strict=True)
        return _margined(min(heights), max(heights)), (0.0, 1.12 * max(widths))

    def names(self) -> Any:
        return tr("Focus below the top face, mm"), tr("Width of the burnt line, mm")

    def draw(self, painter: QPainter, axes: Any) -> None:
        fit = self.decision.fit
        if fit is not None:
            low, high = (
                axes.at(fit.focus_mm + side * fit.focus_se_mm, axes.y[1]).x() for side in (-1, 1)
            )
            painter.fillRect(
                QRectF(low, axes.area.top(), high - low, axes.area.height()), C("olive_wash")
            )
            heights = np.linspace(*axes.x, 160)
            self.curve(painter, axes, heights, fit.width(heights))
            self.upright(painter, axes, fit.focus_mm)
        self.points(painter, axes, self.decision.lines)
        if fit is not None:
            text = f"{length_number(fit.focus_mm, 2)} ± {length_text(fit.focus_se_mm, 2)}"
            self.plate(painter, axes.at(fit.focus_mm, axes.y[1]) + QPointF(0, 10), text, axes.area)


class KerfChart(DecisionChart):
    """Every measured kerf along X and along Y, with their means and errors."""

    NAME = tr("Kerf along X and Y")
    LENGTHS = "y"
    MEASURED = "measured"
    AXES = ("x", "y")

    def scales(self) -> Any:
        if self.decision is None:
            return None
        kerfs = [kerf for _, _, kerf in self.decision.measured]
        low, high = _margined(min(kerfs), max(kerfs), 0.35)
        gap = (
            max(0.0, 0.04 - (high - low)) / 2
        )  # a spread finer than the gauge's step must not fill the chart
        return (-0.5, 1.5), (max(0.0, low - gap), high + gap)

    def names(self) -> Any:
        return tr("Filled: slots of the comb.  Open: stacks."), tr("Kerf, mm")

    def x_text(self, value: float) -> str:
        return {0.0: tr("along X"), 1.0: tr("along Y")}.get(value, "")

    def y_text(self, value: float) -> str:
        return fixed_length_number(value, 3).rstrip("0")

    def draw(self, painter: QPainter, axes: Any) -> None:
        for n, axis in enumerate(self.AXES):
            told = [(how, kerf) for a, how, kerf in self.decision.measured if a == axis]
            row = self.decision.of(axis)
            if row is not None:
                mean, error = row.figures.mean_mm, row.figures.error_mm
                left, right = axes.at(n - 0.28, mean + error), axes.at(n + 0.28, mean - error)
                painter.fillRect(QRectF(left, right), C("olive_wash"))
                painter.setPen(QPen(C("olive"), 2.4))
                painter.drawLine(axes.at(n - 0.28, mean), axes.at(n + 0.28, mean))
            for i, (how, kerf) in enumerate(told):
                at = axes.at(n + 0.36 * ((i + 0.5) / len(told) - 0.5), kerf)
                painter.setPen(QPen(C("ink"), 2))
                if how == "slot":
                    painter.setBrush(C("ink"))
                else:
                    painter.setBrush(C("field"))
                painter.drawEllipse(at, 5, 5) if how == "slot" else painter.drawRect(
                    QRectF(at.x() - 5, at.y() - 5, 10, 10)
                )
                self.taken.append(QRectF(at.x() - 7, at.y() - 7, 14, 14))
            if row is not None:
                self.plate(
                    painter,
                    axes.at(n + 0.28, mean),
                    f"{fixed_length_number(mean, 3)} ± {fixed_length_text(error, 3)}",
                    axes.area,
                )


class ToneChart(Chart):
    """Lightness over power, or over the share of dots: measured steps, the fitted curve, and below
    it the ramp that the table makes even.
    """

    NAME = tr("Lightness over what makes it")

    def __init__(self) -> None:
        super().__init__()
        self.table: Any = None

    def show_table(self, table: Any, note: str) -> None:
        self.table = table
        if table:
            self.tell(table.says)
        else:
            self.tell(note)

    def scales(self) -> Any:
        if self.table is None:
            return None
        tones = [tone for _, tone in self.table.measured] + [
            float(t) for t in self.table.lightness[[0, -1]]
        ]
        return (0.0, 1.04 * max(power for power, _ in self.table.measured)), _margined(
            min(tones), max(tones)
        )

    def names(self) -> Any:
        return self.table.dial_name if self.table else tr("Power"), tr("Lightness L*")

    def x_text(self, value: float) -> str:
        return f"{percent_text(value)} %"

    def draw(self, painter: QPainter, axes: Any) -> None:
        top = max(dialled for dialled, _ in self.table.measured)
        dial = np.linspace(0, top, 200)
        self.curve(painter, axes, dial, self.table.lightness_at(dial))
        last = float(self.table.dial[-1])
        self.curve(
            painter,
            axes,
            [0.0, last],
            [float(self.table.lightness[0]), float(self.table.lightness[-1])],
            1,
            "ink2",
        )
        if last < 0.98 * top:
            self.upright(painter, axes, last)
        self.points(painter, axes, self.table.measured)
        if last < 0.98 * top:
            self.plate(
                painter,
                axes.at(last, axes.y[1]) + QPointF(0, 10),
                tr("turns: stronger does not get further"),
                axes.area,
            )
        middle = axes.at(last / 2, float(self.table.lightness[[0, -1]].mean()))
        self.plate(painter, middle, tr("even ramp"), axes.area)
