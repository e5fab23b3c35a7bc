"""The groups of a drawing as sentences: what each is for, by which entry, and its numbers."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QImage, QPainter, QPen
from PySide6.QtWidgets import QVBoxLayout

from olive_almanac.core.light import codes_of_light, luminance
from olive_almanac.core.quoting.shades import Shading
from olive_almanac.core.records.job import LEAVE_OUT, LEAVE_OUT_WORDS, group_words
from olive_almanac.core.records.setting import TASK_WORDS
from olive_almanac.core.units import fixed_text
from olive_almanac.core.words import tr
from olive_almanac.steps.book import STATE_WORDS
from olive_almanac.steps.jobs import STRIPS, GroupLine
from olive_almanac.views.jobs.sheet import DASHES, LINE_PX
from olive_almanac.views.marks import Mark
from olive_almanac.views.parts import (
    Page,
    Segments,
    WordPicker,
    button,
    clear_layout,
    hair,
    label,
    row,
    tip_text,
)
from olive_almanac.views.theme import C, F, Painted, px

Floats = NDArray[np.float64]
PICTURE_PX, MOST_SHOWN, MOST_DOTS = 96, 4, 300
BOTTOM_LEFT = Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignLeft
TASK_CHOICES = (*TASK_WORDS.items(), (LEAVE_OUT, LEAVE_OUT_WORDS))


class LineSample(Painted):
    """A line as the group's lines are drawn on the sheet; filled where it is engraved."""

    def __init__(self, line: GroupLine) -> None:
        super().__init__()
        self.line = line
        self.setFixedSize(px(34), px(26))

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        task = self.line.task
        rect = QRectF(0.5, 2.5, width - 1, height - 5)
        painter.setPen(QPen(C("stock_edge"), 1))
        painter.setBrush(C("stock"))
        painter.drawRect(rect)
        if task.task == LEAVE_OUT:
            return
        middle = height / 2
        if task.setting is not None and task.setting.pitch_mm:
            shade = C("on_stock")
            painter.fillRect(QRectF(7, middle - 4, width - 14, 8), shade)
            return
        pen = QPen(C("on_stock"), LINE_PX[task.task])
        if task.task in DASHES:
            pen.setDashPattern(DASHES[task.task])
        painter.setPen(pen)
        painter.drawLine(QPointF(6, middle), QPointF(width - 6, middle))


class BeforeAfter(Painted):
    """A picture as its file has it and as it is expected on the stock, both in greys by L*."""

    def __init__(self, shading: Shading) -> None:
        super().__init__()
        self.images = [_grey_image(one) for one in (shading.own_l, shading.made_l)]
        self.words = [f"{name}, L* {_span(one)}" for name, one in _sides(shading)]
        self.setFixedHeight(px(PICTURE_PX + 20))
        self.setAccessibleName("; ".join(self.words))

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        painter.setFont(F("small"))
        painter.setPen(C("ink2"))
        each = (width - 10) / 2
        for n, (image, words) in enumerate(zip(self.images, self.words, strict=True)):
            scale = min(each / image.width(), PICTURE_PX / image.height())
            left = n * (each + 10)
            rect = QRectF(left, 0, scale * image.width(), scale * image.height())
            painter.drawImage(rect, image)
            painter.drawText(QRectF(left, PICTURE_PX, each, 20), BOTTOM_LEFT, words)


def _sides(shading: Shading) -> tuple[tuple[str, Floats], ...]:
    return ((tr("in the file"), shading.own_l), (tr("as it burns"), shading.made_l))


def _span(lightness: Floats) -> str:
    return tr("{darkest:.0f} to {lightest:.0f}", darkest=lightness.min(), lightest=lightness.max())


def _grey_image(lightness: Floats) -> QImage:
    """L* (rows from below) as an image of greys that show it (sRGB, IEC 61966-2-1)."""
    every = max(1, max(lightness.shape) // MOST_DOTS)
    grey = codes_of_light(luminance(lightness[::-every, ::every]))
    pixels = np.ascontiguousarray(np.round(grey).astype(np.uint8))
    rows, columns = pixels.shape
    return QImage(pixels.data, columns, rows, columns, QImage.Format.Format_Grayscale8).copy()


class GroupList(Page):
    """The groups, one below the other.

    Signals:
        task_picked(str, str): another task for a group.
        plan_asked(str, str): the operator wants to plan a trial of a task that has no entry, of a
            kind ("": as is suggested).
        dots_picked(bool): whether pictures are burnt in dots.
    """

    task_picked = Signal(str, str)
    plan_asked = Signal(str, str)
    dots_picked = Signal(bool)

    def __init__(self) -> None:
        super().__init__()
        self.list = QVBoxLayout(self)
        self.list.setContentsMargins(0, 0, 0, 0)
        self.list.setSpacing(px(3))
        self.pickers: dict[str, WordPicker] = {}

    def show_lines(self, lines: tuple[GroupLine, ...]) -> None:
        clear_layout(self.list)
        self.pickers = {}
        for line in lines:
            self._add(line)
        self.list.addStretch(1)

    def _add(self, line: GroupLine) -> None:
        name, task = line.task.group, line.task.task
        picker = WordPicker("ui_b", name=tr("What {name} is for", name=group_words(name)))
        picker.set_choices(TASK_CHOICES, task)
        picker.picked.connect(lambda key, name=name: self.task_picked.emit(name, key))
        self.pickers[name] = picker
        words = label(group_words(name), "ui", wrap=True)
        words.setToolTip(tip_text(name))
        first = row(LineSample(line), words, None, picker, gap=8)
        first.setStretch(1, 1)
        self.list.addLayout(first)
        if task != LEAVE_OUT:
            self._add_numbers(line)
        self.list.addSpacing(px(3))
        self.list.addWidget(hair())

    def _add_numbers(self, line: GroupLine) -> None:
        told = f"{STATE_WORDS[line.state][0]}, {line.reason}"
        mark = Mark("state", line.state, 22)
        state = label(told, "small", "second", wrap=True)
        second = row(mark, state, gap=8)
        second.setStretch(1, 1)
        self.list.addLayout(second)
        if line.is_picture:
            made = Segments(
                [tr("by power"), tr("in dots")], int(line.in_dots), tr("How its greys are made")
            )
            made.chosen.connect(lambda at: self.dots_picked.emit(at == 1))
            self.list.addLayout(row(made, None))
        if line.numbers:
            self.list.addWidget(label("  ".join(line.numbers[:3]), "ui_b"))
            rest = ", ".join(line.numbers[3:])
            if line.length_mm:
                rest = f"{fixed_text(line.length_mm / 1000, 2)} m, {rest}"
            self.list.addWidget(label(rest, "small", "second", wrap=True))
            for shading in line.shadings[:MOST_SHOWN]:
                self.list.addWidget(BeforeAfter(shading))
        elif line.needs_entry and not line.barred:
            words, kind = tr("Plan a trial of it"), ""
            if line.is_picture:
                kind, strip = STRIPS[line.in_dots]
                words = tr("Plan a {strip}", strip=strip)
            plan = button(words, tip=tr("the book knows nothing of this yet"))
            plan.clicked.connect(lambda: self.plan_asked.emit(line.task.task, kind))
            self.list.addWidget(plan, 0, Qt.AlignmentFlag.AlignLeft)
