"""A drawing with the fields of a form at the parts that they belong to."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import QGridLayout, QSizePolicy, QWidget

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.units import shown_unit
from olive_almanac.steps.set_up import Field
from olive_almanac.views.parts import clear_layout, col, label, row
from olive_almanac.views.theme import LIVE, NO_PEN, C, Painted, px

__all__ = ["LEFT", "RIGHT", "FieldPicture"]

LEFT, RIGHT = 0, 2
PAIRED_WIDTH, FIELD_WIDTH, WIDE_WIDTH = 68, 78, 160


class FieldPicture(Painted):
    """A drawing with fields at its parts, in three columns: fields, drawing, fields.

    PLACES tells at which column and row of the grid a field stands; fields of one place stand side
    by side under one caption.
    """

    PLACES: Mapping[str, tuple[int, int]] = {}
    WIDE: tuple[str, ...] = ()
    ROWS: Mapping[int, int] = {}  # how high a row is at least, logical px
    GROWS = 1.7  # how much higher the drawing gets at most where there is room

    def __init__(self) -> None:
        super().__init__()
        self.before: Any = None  # the record that is shown, None for a new one
        self.record: Any = None  # the record as typed
        self.parts: dict[str, QWidget] = {}
        self._lines: dict[tuple[int, int], Any] = {}
        self._units: dict[tuple[int, int], QWidget] = {}
        self.notes: dict[tuple[int, int], Any] = {}
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)
        self.grid = QGridLayout(self)
        self.grid.setContentsMargins(0, 0, 0, 0)
        self.grid.setHorizontalSpacing(px(8))
        self.grid.setVerticalSpacing(px(4))
        self.grid.setColumnStretch(1, 1)
        for at, least in self.ROWS.items():
            self.grid.setRowMinimumHeight(at, px(least))
            self.grid.setRowStretch(at, least)
        self.setMaximumHeight(px(self.GROWS * sum(self.ROWS.values())))

    def clear(self) -> None:
        """Take all fields away."""
        clear_layout(self.grid)
        self.parts, self._lines, self._units, self.notes = {}, {}, {}, {}
        self.record = None

    def hold(self, field: Field, part: QWidget) -> None:
        """Take a field to the part of the drawing that it belongs to."""
        place = self.PLACES[field.key]
        self.parts[field.key] = part
        width = FIELD_WIDTH
        if list(self.PLACES.values()).count(place) > 1:
            width = PAIRED_WIDTH
        elif field.key in self.WIDE:
            width = WIDE_WIDTH
        part.setFixedWidth(px(width))
        line = self._lines.get(place)
        if line is not None:  # beside the one before, whose unit goes behind both
            line.insertWidget(line.count() - 2, part)
            return
        self._units[place] = unit = label(shown_unit(field.unit), "ui", "second")
        caption = label(field.caption or field.words, "small_b", "second")
        caption.setBuddy(part)
        note = label("", "small", "second")
        note.hide()
        self.notes[place] = note
        column, at = place
        if field.key in self.WIDE:  # there is room behind it
            self._lines[place] = row(part, unit, note, None, gap=6)
            block = col(caption, self._lines[place], None, gap=1)
        else:
            self._lines[place] = row(part, unit, None, gap=6)
            block = col(caption, self._lines[place], note, None, gap=1)
        self.grid.addLayout(block, at, column)

    def show_texts(self, texts: dict[str, str]) -> None:
        """Draw what is typed."""
        try:
            self.record = self.read(texts)
        except AlmanacError:  # said when the form is kept
            self.record = self.record or self.before
        if self.record is None:
            return
        self.tell()
        self.update()

    def read(self, texts: dict[str, str]) -> Any:
        raise NotImplementedError

    def tell(self) -> None:
        """Say beside the fields what follows from the numbers."""

    def say(self, key: str, words: str) -> None:
        """Put words below the field of a key."""
        note = self.notes[self.PLACES[key]]
        note.setText(words)
        note.setVisible(bool(words))

    def middle(self, first: int, last: int) -> QRectF:
        """The room for the drawing between the fields, from a row to a row, in logical px."""
        rect = self.grid.cellRect(first, 1).united(self.grid.cellRect(last, 1))
        k = LIVE.scale
        return QRectF(rect.x() / k, rect.y() / k, rect.width() / k, rect.height() / k)

    def lead(self, painter: QPainter, key: str, to: QPointF) -> None:
        """Draw a thin line from a field to its part."""
        part, k = self.parts.get(key), LIVE.scale
        if part is None:
            return
        place = self.PLACES[key]
        x = part.geometry().left() / k - 4
        if place[0] == LEFT:
            x = self._units[place].geometry().right() / k + 6
        start = QPointF(x, part.geometry().center().y() / k)
        painter.setPen(QPen(C("ink3"), 1))
        painter.drawLine(start, to)
        painter.setPen(NO_PEN)
        painter.setBrush(C("ink3"))
        painter.drawEllipse(to, 2.6, 2.6)
