"""A machine's time line: its strength with what was read of it, what lies ahead, what was done."""

from __future__ import annotations

import math
from datetime import date, timedelta

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QBrush, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy

from olive_almanac.core.dates import short_month_text
from olive_almanac.core.words import tr
from olive_almanac.steps.time_line import TimeLine, TimeMark
from olive_almanac.views.parts import CENTRE, MIDDLE_RIGHT
from olive_almanac.views.theme import NO_BRUSH, NO_PEN, C, F, Painted

__all__ = ["TimeLineChart"]

LEFT, RIGHT, TOP = 58.0, 14.0, 6.0
LANE = 22.0  # height of a lane below the chart
LANES = (tr("burns"), tr("done"))
BURNS = ("passed", "failed")
FOOT = 40.0  # dates and hours
LABEL = 18.0  # height of a word beside the chart
REACH = 9.0  # of the mouse, px
LEAST_SPAN = 0.12  # of strength that is always shown
GRID = 0.05


class TimeLineChart(Painted):
    """Draws a time line; Left and Right take one reading or act after the other in hand, Enter
    opens what stands behind it.

    Signals:
        taken(object): a TimeMark was taken in hand.
        opened(object): what stands behind it is asked for.
    """

    taken = Signal(object)
    opened = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.line: TimeLine | None = None
        self.at = -1
        self._first = self._last = 0.0
        self._low, self._high = 0.85, 1.02
        self._area = QRectF()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumHeight(150)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(tr("Time line"))

    def show_line(self, line: TimeLine) -> None:
        """Draw another time line; nothing is in hand."""
        self.line, self.at = line, -1
        self._first, self._last = line.first, line.last
        shown = [math.exp(-mark.need) for mark in line.marks if mark.need is not None]
        shown += [math.exp(-one.high) for one in line.ahead] + [1.0]
        shown += [math.exp(-limit.need) for limit in line.limits]
        self._low = min(min(shown) - 0.015, 1.02 - LEAST_SPAN)
        self._high = max(*shown, 1.0) + 0.015
        self.setAccessibleDescription(line.says)
        self.update()

    # -- where things are --------------------------------------------------------------------------

    def _x(self, day: float) -> float:
        share = (day - self._first) / max(1.0, self._last - self._first)
        return self._area.left() + share * self._area.width()

    def _y(self, need: float) -> float:
        share = (math.exp(-need) - self._low) / (self._high - self._low)
        return self._area.bottom() - share * self._area.height()

    def _place(self, mark: TimeMark) -> QPointF:
        if mark.need is None:
            lane = 0.5 if mark.kind in BURNS else 1.5
            return QPointF(self._x(mark.day), self._area.bottom() + lane * LANE)
        return QPointF(self._x(mark.day), self._y(mark.need))

    # -- hands -------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        marks = self.line.marks if self.line is not None else ()
        if step is not None and marks:
            begin = len(marks) if step < 0 else -1
            self._take(max(0, min(len(marks) - 1, (begin if self.at < 0 else self.at) + step)))
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.at >= 0:
            self.opened.emit(marks[self.at])
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        found = self._under(event)
        if found >= 0:
            self._take(found)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        found = self._under(event)
        if found >= 0 and self.line is not None:
            self.opened.emit(self.line.marks[found])

    def _under(self, event: QMouseEvent) -> int:
        x, y = self.logical(event)
        marks = self.line.marks if self.line is not None else ()
        apart = [
            (math.hypot(self._place(mark).x() - x, self._place(mark).y() - y), n)
            for n, mark in enumerate(marks)
        ]
        near, found = min(apart, default=(REACH + 1, -1))
        return found if near <= REACH else -1

    def _take(self, at: int) -> None:
        assert self.line is not None
        self.at = at
        mark = self.line.marks[at]
        self.setAccessibleDescription(mark.words)
        self.taken.emit(mark)
        self.update()

    # -- the picture -------------------------------------------------------------------------------

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        line = self.line
        if line is None:
            return
        self._area = QRectF(LEFT, TOP, width - LEFT - RIGHT, height - TOP - 2 * LANE - FOOT)
        painter.fillRect(self._area, C("field"))
        self._draw_grid(painter, line)
        painter.save()
        painter.setClipRect(self._area)
        self._draw_limits(painter, line)
        self._draw_step(painter, line)
        self._draw_band(painter, line)
        self._draw_ahead(painter, line)
        painter.setPen(QPen(C("brass"), 1.4, Qt.PenStyle.DotLine))
        painter.setBrush(NO_BRUSH)
        painter.drawPolyline([QPointF(self._x(day), self._y(need)) for day, need in line.smoothed])
        painter.restore()
        self._draw_lane(painter)
        for n, mark in enumerate(line.marks):
            self._draw_mark(painter, mark, held=n == self.at)
        self._draw_today(painter, line)
        painter.setPen(
            QPen(C("olive" if self.hasFocus() else "ink"), 2 if self.hasFocus() else 1.2)
        )
        painter.setBrush(NO_BRUSH)
        painter.drawRect(self._area)

    def _draw_grid(self, painter: QPainter, line: TimeLine) -> None:
        painter.setFont(F("small_b"))
        steps = range(math.ceil(self._low / GRID), math.floor(self._high / GRID) + 1)
        for n in steps:
            y = self._y(-math.log(n * GRID))
            painter.setPen(QPen(C("rule"), 1))
            painter.drawLine(QPointF(self._area.left(), y), QPointF(self._area.right(), y))
            if self._area.bottom() - y < LABEL / 2:
                continue  # the first lane has its name there
            painter.setPen(C("ink"))
            words = f"{100 * n * GRID:.0f} %"
            painter.drawText(QRectF(0, y - LABEL / 2, LEFT - 8, LABEL), MIDDLE_RIGHT, words)
        for day, words, hours in _months(line):
            x = self._x(day)
            painter.setPen(QPen(C("rule"), 1))
            bottom = self._area.bottom() + len(LANES) * LANE
            painter.drawLine(QPointF(x, self._area.top()), QPointF(x, bottom))
            painter.setPen(C("ink"))
            painter.setFont(F("small_b"))
            painter.drawText(QRectF(x - 50, bottom + 2, 100, 18), CENTRE, words)
            painter.setPen(C("ink2"))
            painter.setFont(F("small"))
            painter.drawText(QRectF(x - 50, bottom + 19, 100, 18), CENTRE, hours)

    def _draw_limits(self, painter: QPainter, line: TimeLine) -> None:
        for n, limit in enumerate(line.limits):
            y = self._y(limit.need)
            painter.setPen(NO_PEN)
            texture = Qt.BrushStyle.BDiagPattern if n == 0 else Qt.BrushStyle.DiagCrossPattern
            painter.setBrush(QBrush(C("rule"), texture))
            area = self._area
            painter.drawRect(QRectF(area.left(), y, area.width(), area.bottom() - y))
            painter.setPen(
                QPen(C("ink"), 1.4, Qt.PenStyle.DashLine if n == 0 else Qt.PenStyle.SolidLine)
            )
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            self._write(painter, QPointF(area.left() + 10, y - 12), limit.words)

    def _write(self, painter: QPainter, at: QPointF, words: str) -> None:
        """A label on its own ground, its left at a point."""
        painter.setFont(F("small_b"))
        wide = QFontMetricsF(F("small_b")).horizontalAdvance(words) + 10
        left = min(at.x(), self._area.right() - wide - 4)
        box = QRectF(max(self._area.left() + 4, left), at.y() - 9, wide, 18)
        painter.fillRect(box, C("field"))
        painter.setPen(C("ink"))
        painter.drawText(box, CENTRE, words)

    def _draw_step(self, painter: QPainter, line: TimeLine) -> None:
        if line.step is None:
            return
        first, middle, last = line.step
        area = self._area
        left, right = self._x(first), self._x(last)
        painter.fillRect(QRectF(left, area.top(), max(2.0, right - left), area.height()), C("rule"))
        painter.setPen(QPen(C("ink"), 1.2, Qt.PenStyle.DashLine))
        x = self._x(middle)
        painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))

    def _draw_band(self, painter: QPainter, line: TimeLine) -> None:
        """What the need was taken for, with the range that holds 80 %."""
        upper = [QPointF(self._x(one.day), self._y(one.low)) for one in line.path]
        lower = [QPointF(self._x(one.day), self._y(one.high)) for one in line.path]
        painter.setPen(NO_PEN)
        painter.setBrush(C("olive_wash"))
        painter.drawPolygon(QPolygonF([*upper, *reversed(lower)]))
        painter.setPen(QPen(C("olive"), 2))
        painter.setBrush(NO_BRUSH)
        painter.drawPolyline([QPointF(self._x(one.day), self._y(one.middle)) for one in line.path])

    def _draw_ahead(self, painter: QPainter, line: TimeLine) -> None:
        if not line.ahead:
            return
        upper = [QPointF(self._x(one.day), self._y(one.low)) for one in line.ahead]
        lower = [QPointF(self._x(one.day), self._y(one.high)) for one in line.ahead]
        painter.setPen(QPen(C("ink"), 1))
        painter.setBrush(QBrush(C("brass_fill"), Qt.BrushStyle.Dense5Pattern))
        painter.drawPolygon(QPolygonF([*upper, *reversed(lower)]))
        painter.setPen(QPen(C("ink"), 1.6, Qt.PenStyle.DashLine))
        painter.setBrush(NO_BRUSH)
        painter.drawPolyline([QPointF(self._x(one.day), self._y(one.middle)) for one in line.ahead])

    def _draw_lane(self, painter: QPainter) -> None:
        bottom = self._area.bottom()
        painter.setFont(F("small"))
        for n, words in enumerate(LANES):
            top, foot = bottom + n * LANE, bottom + (n + 1) * LANE
            painter.setPen(C("ink2"))
            painter.drawText(QRectF(0, top, LEFT - 8, LANE), MIDDLE_RIGHT, words)
            painter.setPen(QPen(C("rule"), 1))
            painter.drawLine(QPointF(self._area.left(), foot), QPointF(self._area.right(), foot))

    def _draw_mark(self, painter: QPainter, mark: TimeMark, *, held: bool) -> None:
        at = self._place(mark)
        if held:
            painter.setPen(QPen(C("ember"), 2))
            painter.setBrush(NO_BRUSH)
            painter.drawEllipse(at, 9, 9)
        painter.setPen(QPen(C("ink"), 1.4))
        painter.setBrush(C("ink"))
        if mark.kind == "check":
            painter.setPen(QPen(C("field"), 1.2))
            painter.drawEllipse(at, 4.4, 4.4)
        elif mark.kind == "meter":
            painter.setBrush(C("field"))
            painter.drawRect(QRectF(at.x() - 5, at.y() - 5, 10, 10))
            painter.drawLine(QPointF(at.x() - 4, at.y() + 4), QPointF(at.x() + 4, at.y() - 4))
        elif mark.kind == "failed":
            painter.setPen(QPen(C("ember"), 2.2))
            painter.drawLine(QPointF(at.x() - 4, at.y() - 4), QPointF(at.x() + 4, at.y() + 4))
            painter.drawLine(QPointF(at.x() - 4, at.y() + 4), QPointF(at.x() + 4, at.y() - 4))
        elif mark.kind == "passed":
            painter.setBrush(NO_BRUSH)
            tip = QPointF(at.x(), at.y() - 4)
            feet = (QPointF(at.x() - 4, at.y() + 3), QPointF(at.x() + 4, at.y() + 3))
            painter.drawPolygon(QPolygonF([tip, *feet]))
        elif mark.kind == "state":
            box = QRectF(at.x() - 5, at.y() - 5, 10, 10)
            painter.setBrush(C("olive"))
            painter.drawRect(box)
        else:
            painter.setBrush(C("olive"))
            painter.drawEllipse(at, 4, 4)

    def _draw_today(self, painter: QPainter, line: TimeLine) -> None:
        x, area = self._x(line.today), self._area
        painter.setPen(QPen(C("ink"), 2))
        painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom() + len(LANES) * LANE))
        self._write(painter, QPointF(x + 6, area.top() + 14), line.now)
        if line.step is not None:
            wide = QFontMetricsF(F("small_b")).horizontalAdvance(line.step_words) + 16
            self._write(
                painter, QPointF(self._x(line.step[0]) - wide, area.top() + 14), line.step_words
            )


def _months(line: TimeLine) -> list[tuple[float, str, str]]:
    """The first of each month that is shown, or of each third one: its day, words, hours on."""
    first, last = date.fromordinal(int(line.first)), date.fromordinal(int(line.last))
    every = 1 if (last - first).days < 330 else 3 if (last - first).days < 1000 else 6
    found: list[tuple[float, str, str]] = []
    day = first.replace(day=1)
    while day <= last:
        if day >= first and (day.month - 1) % every == 0:
            year = day.month == 1 or not found
            words = f"{short_month_text(day)} {day.year}" if year else short_month_text(day)
            found.append((day.toordinal() + 0.0, words, line.hours_words(day.toordinal())))
        day = (day + timedelta(days=32)).replace(day=1)
    return found
