"""The map of power x speed: areas by texture, contours by weight and dash, tested cells, picks, and
the margin drawn.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import numpy as np
from contourpy import contour_generator
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPainterPath, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy

from olive_almanac.core.deciding.decision import CHAR_LIMIT
from olive_almanac.core.records.factors import further_words
from olive_almanac.core.units import (
    duration_text,
    local_text,
    number_text,
    passes_text,
    percent_text,
    speed_in,
    speed_text,
)
from olive_almanac.core.words import tr
from olive_almanac.views.marks import dots, draw_verdict, hatch
from olive_almanac.views.parts import CENTRE, MIDDLE_LEFT, MIDDLE_RIGHT
from olive_almanac.views.read.cell_grid import shown_verdict
from olive_almanac.views.theme import LIVE, NO_BRUSH, NO_PEN, C, F, Painted

if TYPE_CHECKING:
    from olive_almanac.steps.active import ActiveTrial

LETTERS = "ABC"
LEFT, TOP, RIGHT, FOOT = 62.0, 44.0, 8.0, 46.0
# where the mark of a cell to burn next may move, px: up and down rather than aside
NEXT_STEPS = sorted(
    ((22 * across, 22 * up) for across in range(-3, 4) for up in range(-6, 7)),
    key=lambda step: 2 * abs(step[0]) + abs(step[1]),
)
FOCUS_NEAR_MM = 0.3  # cells burnt as near as this to the map's focus lie on it


def contour(axis_p: Any, axis_v: Any, values: Any, level: float) -> list[Any]:
    """Return the pieces of a contour of values [power, speed], each [points, (speed, power)]."""
    return list(contour_generator(axis_v, axis_p, values).lines(level))


class SettingMapView(Painted):
    """Draws a `SettingMap` with its cells and picks.

    Signals:
        pick_clicked(int): the index of a pick.
        cell_clicked(str): a tested cell of the coupon on the desk.
    """

    pick_clicked = Signal(int)
    cell_clicked = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.map: Any = None
        self.active: Any = None
        self.decision: Any = None
        self.chosen = 0
        self.unit = "mm/s"
        self.note = ""
        self._taken: list[QRectF] = []
        self._badges: list[QRectF] = []
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(tr("Map of power and speed"))

    def show_map(
        self,
        active: ActiveTrial,
        decision: Any,
        setting_map: Any,
        chosen: int,
        unit: str,
        note: str = "",
    ) -> None:
        self.active, self.decision, self.map, self.chosen, self.unit, self.note = (
            active,
            decision,
            setting_map,
            chosen,
            unit,
            note,
        )
        if decision:
            self.setAccessibleDescription(decision.says)
        else:
            self.setAccessibleDescription(note)
        self.update()

    # -- axes --------------------------------------------------------------------------------------

    def _area(self, width: float, height: float) -> QRectF:
        return QRectF(LEFT, TOP, width - LEFT - RIGHT, height - TOP - FOOT)

    def _point(self, area: QRectF, speed: float, power: float) -> QPointF:
        v0, v1 = self.map.speed_mm_s[0], self.map.speed_mm_s[-1]
        p0, p1 = self.map.power[0], self.map.power[-1]
        return QPointF(
            area.left() + (speed - v0) / (v1 - v0) * area.width(),
            area.bottom() - (power - p0) / (p1 - p0) * area.height(),
        )

    def _points(self, area: QRectF, line: Any) -> list[QPointF]:
        return [self._point(area, speed, power) for speed, power in line.tolist()]

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        if self.map is None:
            painter.setFont(F("note"))
            painter.setPen(C("ink2"))
            painter.drawText(QRectF(0, 0, width, height), CENTRE, self.note)
            return
        area = self._area(width, height)
        self._taken, self._badges = [], []
        painter.fillRect(area, C("field"))
        painter.save()
        painter.setClipRect(area)
        self._fill_areas(painter, area)
        self._draw_contours(painter, area)
        painter.restore()
        self._draw_axes(painter, area)
        self._reserve(area)
        self._draw_margin(painter, area)
        self._draw_cells(painter, area)
        self._draw_picks(painter, area)
        self._draw_next(painter, area)
        for n, badge in enumerate(self._badges):  # over the stems of the cells to burn next
            draw_badge(painter, badge, LETTERS[n], n == self.chosen)
        self._name_areas(painter, area)
        painter.setPen(QPen(C("ink"), 1.4))
        painter.setBrush(NO_BRUSH)
        painter.drawRect(area)

    def _region(self, field: Any, area: QRectF) -> QPainterPath:
        """The region of the map where a field [p, v] is above 0, bounded by closed contours."""
        path = QPainterPath()
        path.setFillRule(Qt.FillRule.OddEvenFill)
        padded = np.pad(
            field, 1, constant_values=-1.0
        )  # a rim outside closes every contour at the edge of the map
        power, speed = (
            np.concatenate([axis[:1], axis, axis[-1:]])
            for axis in (self.map.power, self.map.speed_mm_s)
        )
        for line in contour(power, speed, padded, 0.0):
            path.addPolygon(QPolygonF(self._points(area, line)))
            path.closeSubpath()
        return path

    # -- areas and contours ------------------------------------------------------------------------

    @property
    def _cut(self) -> bool:
        return self.active.trial.task == "cut"

    def _fill_areas(self, painter: QPainter, area: QRectF) -> None:
        odds = [_log_odds(values) for values in (self.map.chance, self.map.low, self.map.high)]
        chance, low, high = odds
        at = lambda share: _log_odds(np.array(share))  # noqa: E731
        target = at(self.decision.target)
        if self._cut:
            fields = {
                "lost": -chance,
                "doubtful": np.minimum(chance, at(0.95) - chance),
                "met": np.minimum(chance - target, at(CHAR_LIMIT) - low),
                "charred": np.minimum(chance - at(0.95), low - at(CHAR_LIMIT)),
            }
        else:
            fields = {
                "lost": low,
                "charred": high,
                "met": chance - target,
                "doubtful": np.minimum(target - chance, -np.maximum(low, high)),
            }
        paths = {name: self._region(field, area) for name, field in fields.items()}
        painter.fillPath(paths["lost"], C("wash"))
        hatch(painter, paths["lost"], C("hatch", 0.8), 6.5, 45, 1.1)
        hatch(painter, paths["doubtful"], C("hatch", 0.8), 13, 45, 1.1)
        dots(painter, paths["charred"], C("hatch"), 11, 1.35)
        painter.fillPath(paths["met"], C("olive_wash"))
        self._regions = {name: field > 0 for name, field in fields.items()}

    def _draw_contours(self, painter: QPainter, area: QRectF) -> None:
        if self._cut:
            levels = ((0.5, 1.6, [2, 2]), (0.95, 2.8, None), (0.99, 1.4, [6, 3]))
        else:
            levels = ((0.5, 1.6, [2, 2]), (self.decision.target, 2.8, None))
        self._lines = []
        for level, width, dash in levels:
            for line in contour(
                self.map.power,
                self.map.speed_mm_s,
                _log_odds(self.map.chance),
                float(_log_odds(np.array(level))),
            ):
                points = self._points(area, line)
                pen = QPen(C("ink"), width)
                if dash:
                    pen.setDashPattern(dash)
                painter.setPen(pen)
                painter.drawPolyline(QPolygonF(points))
                self._lines.append((level, points))
        if self._cut:
            for line in contour(
                self.map.power,
                self.map.speed_mm_s,
                _log_odds(self.map.low),
                float(_log_odds(np.array(CHAR_LIMIT))),
            ):
                painter.setPen(QPen(C("olive"), 2.2))
                painter.drawPolyline(QPolygonF(self._points(area, line)))

    # -- axes, cells, picks ------------------------------------------------------------------------

    def _draw_axes(self, painter: QPainter, area: QRectF) -> None:
        settings = [cell.setting for cell, _ in self._cells] or [
            pick.setting for pick in self.decision.picks
        ]
        speeds, powers = (
            sorted({s.speed_mm_s for s in settings}),
            sorted({s.power for s in settings}),
        )
        painter.setFont(F("small_b"))
        painter.setPen(QPen(C("ink"), 1.2))
        last = -1e9
        for speed in speeds:
            x = self._point(area, speed, powers[0]).x()
            painter.drawLine(QPointF(x, area.bottom()), QPointF(x, area.bottom() + 5))
            text = number_text(speed_in(speed, self.unit))
            need = painter.fontMetrics().horizontalAdvance(text) + 8
            if x - need / 2 >= last:
                painter.drawText(QRectF(x - 40, area.bottom() + 6, 80, 18), CENTRE, text)
                last = x + need / 2
        last = 1e9
        for power in powers:
            y = self._point(area, speeds[0], power).y()
            painter.drawLine(QPointF(area.left() - 5, y), QPointF(area.left(), y))
            if y + 9 <= last:
                painter.drawText(
                    QRectF(0, y - 9, area.left() - 9, 18), MIDDLE_RIGHT, f"{percent_text(power)} %"
                )
                last = y - 9
        painter.setFont(F("small"))
        painter.setPen(C("ink2"))
        painter.drawText(
            QRectF(area.left(), area.bottom() + 25, area.width(), 18),
            CENTRE,
            tr("Speed, {unit}", unit=self.unit),
        )
        painter.drawText(QRectF(0, TOP - 26, 60, 18), MIDDLE_LEFT, tr("Power"))
        self._draw_time_scale(painter, area)

    def _draw_time_scale(self, painter: QPainter, area: QRectF) -> None:
        """Time depends on speed alone at a fixed pass count: a scale along the top, fine lines
        down.
        """
        speeds = self.map.speed_mm_s
        if self._cut:
            length, words = (1000.0, tr("Time per metre of cut"))
        elif not self.map.pitch_mm:
            length, words = (1000.0, tr("Time per metre of line"))
        else:
            length, words = (
                100.0 * 100.0 / max(self.map.pitch_mm, 1e-9),
                tr("Time per 100 cm², turn-rounds left out"),
            )
        painter.drawText(QRectF(area.left(), 0, area.width(), 18), MIDDLE_LEFT, words)
        painter.drawText(QRectF(area.left(), 0, area.width(), 18), MIDDLE_RIGHT, self._held())
        last = 1e9
        for seconds in _round_times(
            length * self.map.passes / speeds[-1], length * self.map.passes / speeds[0]
        ):
            x = self._point(area, length * self.map.passes / seconds, self.map.power[0]).x()
            text = _short_time(seconds)
            need = painter.fontMetrics().horizontalAdvance(text) + 14
            if (
                x + need / 2 > last
                or x - need / 2 < area.left() - 20
                or x + need / 2 > area.right() + 8
            ):
                continue
            last = x - need / 2
            pen = QPen(C("ink2", 0.75), 1)
            pen.setDashPattern([1, 4])
            painter.setPen(pen)
            painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
            painter.setPen(C("ink2"))
            painter.drawLine(QPointF(x, area.top() - 5), QPointF(x, area.top()))
            painter.drawText(QRectF(x - 60, area.top() - 24, 120, 18), CENTRE, text)

    def _held(self) -> str:
        """What is the same all over the map."""
        passes = passes_text(self.map.passes)
        pitch = ""
        if self.map.pitch_mm:
            pitch = tr(", line pitch {pitch_mm} mm", pitch_mm=number_text(self.map.pitch_mm))
        held = tr(
            "{passes}, focus {focus_mm} mm{pitch}",
            passes=passes,
            focus_mm=number_text(self.map.focus_mm),
            pitch=pitch,
        )
        return ", ".join((held, *self.map.further))

    @property
    def _cells(self) -> Any:
        """Tested cells of all coupons that were burnt at what the map holds, with their
        readings.
        """
        for trial, readings in self.active.pairs:
            known = {reading.cell: reading for reading in readings}
            for cell in trial.cells:
                setting = cell.setting
                alike = (setting.passes, setting.pitch_mm) == (self.map.passes, self.map.pitch_mm)
                alike = alike and further_words(setting) == self.map.further
                if alike and abs(setting.mean_focus_mm - self.map.focus_mm) < FOCUS_NEAR_MM:
                    yield cell, known.get(cell.id)

    def _reserve(self, area: QRectF) -> None:
        """Keep labels off the cells and picks."""
        for cell, _ in self._cells:
            at = self._point(area, cell.setting.speed_mm_s, cell.setting.power)
            self._taken.append(QRectF(at.x() - 13, at.y() - 13, 26, 26))
        for n, at in enumerate(self._pick_points(area)):
            radius = (15 if n == self.chosen else 9) + 2
            self._taken.append(QRectF(at.x() - radius, at.y() - radius, 2 * radius, 2 * radius))

    def _draw_cells(self, painter: QPainter, area: QRectF) -> None:
        cells = list(self._cells)
        side = 12.0
        if len(cells) <= 120:
            side = 20.0
        for cell, reading in cells:
            at = self._point(area, cell.setting.speed_mm_s, cell.setting.power)
            if area.contains(at):
                draw_verdict(
                    painter,
                    QRectF(at.x() - side / 2, at.y() - side / 2, side, side),
                    shown_verdict(reading),
                    ground=C("field"),
                    halo=C("field"),
                )

    def _draw_next(self, painter: QPainter, area: QRectF) -> None:
        """The cells to burn next: open diamonds, with the number of passes where it is another than
        the map's.  Where one would lie on a mark it moves a little, on a stem from its place.
        """
        for cell in self.decision.next_cells:
            place = self._point(area, cell.speed_mm_s, cell.power)
            if not area.contains(place):
                continue
            spots = [place + QPointF(dx, dy) for dx, dy in NEXT_STEPS]
            at = next(
                (
                    spot
                    for spot in spots
                    if self._is_free(QRectF(spot.x() - 8, spot.y() - 8, 16, 16), area)
                ),
                place,
            )
            if at != place:
                for colour, width in (("field", 4), ("ink", 1.4)):
                    painter.setPen(QPen(C(colour), width))
                    painter.drawLine(place, at)
            draw_verdict(
                painter,
                QRectF(at.x() - 8.5, at.y() - 8.5, 17, 17),
                "next",
                ground=C("field"),
                halo=C("field"),
            )
            self._taken.append(QRectF(at.x() - 9, at.y() - 9, 18, 18))
            if cell.passes != self.map.passes:
                painter.setFont(F("small_b"))
                painter.setPen(C("ink"))
                painter.drawText(QRectF(at.x() - 10, at.y() - 9, 20, 18), CENTRE, str(cell.passes))

    def _is_free(self, box: Any, area: QRectF) -> bool:
        return area.contains(box) and not any(box.intersects(taken) for taken in self._taken)

    def _pick_points(self, area: QRectF) -> Any:
        return [
            self._point(area, pick.setting.speed_mm_s, pick.setting.power)
            for pick in self.decision.picks
        ]

    def _draw_picks(self, painter: QPainter, area: QRectF) -> None:
        """The rings of the picks, and where their letters will stand."""
        for n, at in enumerate(self._pick_points(area)):
            on = n == self.chosen
            radius = 9
            if on:
                radius = 15
            if on:
                painter.setBrush(NO_BRUSH)
            else:
                painter.setBrush(C("field"))
            for colour, width in (("field", 6), ("ink", 2.4)):
                painter.setPen(QPen(C(colour), width))
                painter.drawEllipse(at, radius, radius)
            if not on:
                painter.setPen(NO_PEN)
                painter.setBrush(C("ink"))
                painter.drawEllipse(at, 2.6, 2.6)
        for n, at in enumerate(self._pick_points(area)):
            reach = (15 if n == self.chosen else 9) + 16
            spots = (
                (-reach, 0),
                (reach, 0),
                (0, -reach),
                (0, reach),
                (-reach, -reach),
                (reach, reach),
            )
            for dx, dy in spots:
                badge = QRectF(at.x() + dx - 12, at.y() + dy - 12, 24, 24)
                if self._is_free(badge, area):
                    break
            self._badges.append(badge)
            self._taken.append(badge)
            passes = self.decision.picks[n].setting.passes
            if passes != self.map.passes:  # the areas are those of another number of passes
                words = tr("at {passes}", passes=passes_text(passes))
                for dx, dy in ((0, 24), (0, -24), (0, 44), (58, 0), (-58, 0), (0, -44)):
                    if self._plate(
                        painter, QPointF(at.x() + dx, at.y() + dy), words, "small_b", area
                    ):
                        break

    def _draw_margin(self, painter: QPainter, area: QRectF) -> None:
        """Two arrows from the chosen pick to where it would fail: quicker, and weaker."""
        if not self.decision.picks:
            return
        pick = self.decision.picks[self.chosen]
        setting, margins = pick.setting, pick.margins
        start = self._point(area, setting.speed_mm_s, setting.power)
        ends = []
        if margins.speed is not None:
            ends.append(
                (
                    self._point(area, setting.speed_mm_s * margins.speed, setting.power),
                    "to " + speed_text(setting.speed_mm_s * margins.speed, self.unit),
                    (0, -14),
                )
            )
        if margins.power is not None:
            ends.append(
                (
                    self._point(area, setting.speed_mm_s, setting.power * margins.power),
                    tr("to {power} %", power=percent_text(setting.power * margins.power)),
                    (-40, 0),
                )
            )
        for end, text, shift in ends:
            inside = QPointF(
                min(max(end.x(), area.left()), area.right()),
                min(max(end.y(), area.top()), area.bottom()),
            )
            if math.hypot(inside.x() - start.x(), inside.y() - start.y()) < 24:
                continue
            for colour, width in (("field", 6.0), ("ink", 2.6)):
                painter.setPen(QPen(C(colour), width))
                painter.drawLine(start, inside)
            self._draw_head(painter, start, inside)
            for share in np.linspace(0.1, 1.0, 12):
                at = start + (inside - start) * float(share)
                self._taken.append(QRectF(at.x() - 5, at.y() - 5, 10, 10))
            middle = QPointF(
                (start.x() + inside.x()) / 2 + shift[0], (start.y() + inside.y()) / 2 + shift[1]
            )
            self._plate(painter, middle, text, "small_b", area)

    def _draw_head(self, painter: QPainter, start: QPointF, end: QPointF) -> None:
        angle = math.atan2(end.y() - start.y(), end.x() - start.x())
        points = [end] + [
            end - QPointF(11 * math.cos(angle + turn), 11 * math.sin(angle + turn))
            for turn in (0.42, -0.42)
        ]
        painter.setPen(NO_PEN)
        painter.setBrush(C("ink"))
        painter.drawPolygon(QPolygonF(points))

    # -- names -------------------------------------------------------------------------------------

    def _name_areas(self, painter: QPainter, area: QRectF) -> None:
        if self._cut:
            names = {
                "lost": tr("does not get through"),
                "doubtful": tr("may hang"),
                "met": tr("house rules met"),
                "charred": tr("falls free, but chars"),
            }
        else:
            names = {
                "lost": tr("too light"),
                "charred": tr("too dark"),
                "met": tr("the tone is right"),
                "doubtful": tr("not sure"),
            }
        for key, name in names.items():
            self._name_region(painter, area, self._regions[key], name)
        for level, points in self._lines:
            if len(points) > 6:
                for share in (0.25, 0.75, 0.5, 0.12, 0.88):
                    if self._plate(
                        painter,
                        points[int(share * (len(points) - 1))],
                        f"{100 * level:.0f} %",
                        "small_b",
                        area,
                    ):
                        break

    def _name_region(self, painter: QPainter, area: QRectF, mask: Any, name: str) -> None:
        """Put a name where it lies deepest inside its region and covers nothing; leave it out where
        there is no room.
        """
        if mask.mean() < 0.02:
            return
        depth = _depth(mask)
        for at in np.argsort(-depth, axis=None)[:400:8]:
            i, j = np.unravel_index(at, depth.shape)
            if depth[i, j] == 0:
                return
            if self._plate(
                painter,
                self._point(area, self.map.speed_mm_s[j], self.map.power[i]),
                name,
                "h3",
                area,
            ):
                return

    def _plate(
        self, painter: QPainter, centre: QPointF, text: str, role: str, area: QRectF
    ) -> bool:
        """Draw a text on a plate of ground colour unless it would cover something; returns whether
        it was drawn.
        """
        width = QFontMetricsF(F(role)).horizontalAdvance(text) + 10
        height = 23
        if "small" in role:
            height = 18
        rect = QRectF(centre.x() - width / 2, centre.y() - height / 2, width, height)
        if not self._is_free(rect, area.adjusted(2, 2, -2, -2)):
            return False
        painter.setPen(NO_PEN)
        painter.setBrush(C("field"))
        painter.drawRoundedRect(rect, 3, 3)
        painter.setPen(C("ink"))
        painter.setFont(F(role))
        painter.drawText(rect, CENTRE, text)
        self._taken.append(rect)
        return True

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.map is None or self.decision is None:
            return
        x, y = self.logical(event)
        area = self._area(self.width() / LIVE.scale, self.height() / LIVE.scale)
        for n, at in enumerate(self._pick_points(area)):
            if math.hypot(at.x() - x, at.y() - y) < 20:
                self.pick_clicked.emit(n)
                return
        for cell, _ in self._cells:
            at = self._point(area, cell.setting.speed_mm_s, cell.setting.power)
            if math.hypot(at.x() - x, at.y() - y) < 13:
                self.cell_clicked.emit(cell.id)
                return


def _log_odds(chance: Any) -> Any:
    """ln(p / (1 - p)): contours between grid points run straight on this scale."""
    p = np.clip(chance, 1e-6, 1 - 1e-6)
    return np.log(p / (1 - p))


def _depth(mask: Any) -> Any:
    """How many steps each true point of a mask lies from the nearest false point or the border
    (city blocks).
    """
    depth, layer = np.zeros(mask.shape), mask.copy()
    while layer.any():
        depth += layer
        inner = np.zeros_like(layer)
        inner[1:-1, 1:-1] = (
            layer[1:-1, 1:-1]
            & layer[:-2, 1:-1]
            & layer[2:, 1:-1]
            & layer[1:-1, :-2]
            & layer[1:-1, 2:]
        )
        layer = inner
    return depth


def _round_times(low: float, high: float) -> Any:
    steps = [1, 1.5, 2, 3, 4, 5, 6, 7, 8, 10, 12, 15, 20, 25, 30, 40, 50]
    times = sorted({s * unit for unit in (1, 60, 3600) for s in steps})
    return [t for t in times if low <= t <= high]


def _short_time(seconds: float) -> str:
    if seconds >= 3600:
        return local_text(f"{seconds / 3600:g} h")
    if seconds >= 60:
        return local_text(f"{seconds / 60:g} min")
    if seconds < 10:
        return duration_text(seconds)
    return local_text(f"{seconds:g} s")


def draw_badge(painter: QPainter, rect: QRectF, letter: str, on: bool) -> None:
    painter.save()
    painter.setPen(QPen(C("ink"), 2))
    if on:
        painter.setBrush(C("ink"))
    else:
        painter.setBrush(C("field"))
    painter.drawRoundedRect(rect, 4, 4)
    painter.setFont(F("h3"))
    if on:
        painter.setPen(C("page"))
    else:
        painter.setPen(C("ink"))
    painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, letter)
    painter.restore()
