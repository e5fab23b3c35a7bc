"""Printed pages of the shop: the list of the week, and the service log of a machine."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from olive_almanac.core.words import tr
from olive_almanac.formats.pdf import CAUTION, PAGES_MM, SANS, SANS_BOLD, SERIF, Sheet

__all__ = ["Group", "write_log", "write_week"]

LEFT, TOP, FOOT = 18.0, 24.0, 18.0
LINE_MM, BOX_MM = 5.2, 3.6
COLUMNS_MM = (0.0, 30.0, 84.0)  # of the log: day, what was served, what was found


@dataclass(frozen=True)
class Group:
    """A heading with its lines: what is to be done, and why."""

    title: str
    lines: Sequence[tuple[str, str]]


class _Pages:
    """Lays lines out one below the other, page after page."""

    def __init__(self, title: str, note: str, paper: str) -> None:
        self.sheet = Sheet(*PAGES_MM[paper], title=title)
        self.title, self.note, self.number, self.y = title, note, 1, TOP
        self.wide = self.sheet.width - 2 * LEFT
        self._head()

    def _head(self) -> None:
        self.sheet.text(LEFT, TOP, self.title, 18, SERIF)
        self.sheet.text(LEFT + self.wide, TOP, self.note, 9, SANS, "right")
        self.y = TOP + 10

    def _end(self) -> None:
        foot = self.sheet.height - 9
        self.sheet.text(LEFT, foot, CAUTION, 7.5)
        self.sheet.text(LEFT + self.wide, foot, str(self.number), 9, align="right")

    def room(self, height_mm: float) -> None:
        if self.y + height_mm > self.sheet.height - FOOT:
            self._end()
            self.sheet.new_page()
            self.number += 1
            self._head()

    def heading(self, words: str) -> None:
        self.room(4 * LINE_MM)
        self.y += 2
        self.sheet.text(LEFT, self.y, words, 12, SANS_BOLD)
        self.sheet.line(LEFT, self.y + 1.6, LEFT + self.wide, self.y + 1.6, 0.5)
        self.y += LINE_MM + 2.5

    def wrapped(self, x: float, words: str, size: float, font: str = SANS) -> None:
        for line in self.sheet.wrapped(words, LEFT + self.wide - x, size):
            self.room(LINE_MM)
            self.sheet.text(x, self.y, line, size, font)
            self.y += LINE_MM

    def done(self) -> bytes:
        self._end()
        return self.sheet.done()


def write_week(groups: Sequence[Group], day: str, paper: str = "a4") -> bytes:
    """Return what is to be done this week as PDF, each line with a box to tick."""
    pages = _Pages(tr("This week in the shop"), day, paper)
    for group in groups:
        pages.heading(group.title)
        if not group.lines:
            pages.wrapped(LEFT, tr("Nothing is due."), 10)
        for words, why in group.lines:
            pages.room(2 * LINE_MM)
            pages.sheet.box(LEFT, pages.y - BOX_MM + 0.4, BOX_MM, BOX_MM, 0.4)
            pages.wrapped(LEFT + 7, words, 10.5, SANS_BOLD)
            if why:
                pages.wrapped(LEFT + 7, why, 9)
            pages.y += 1.5
    return pages.done()


def write_log(
    machine: str, lines: Sequence[tuple[str, str, str]], day: str, paper: str = "a4"
) -> bytes:
    """Return what was done to a machine as PDF, the newest first: day, part, what was noted."""
    pages = _Pages(tr("Service log, {machine}", machine=machine), day, paper)
    if not lines:
        pages.wrapped(LEFT, tr("Nothing was noted yet."), 10)
    for on, part, noted in lines:
        said = pages.sheet.wrapped(noted, pages.wide - COLUMNS_MM[2], 9.5)
        pages.room(len(said) * LINE_MM)
        pages.sheet.text(LEFT + COLUMNS_MM[0], pages.y, on, 9.5)
        most = COLUMNS_MM[2] - COLUMNS_MM[1] - 3
        pages.sheet.fitted(LEFT + COLUMNS_MM[1], pages.y, part, most, 9.5, SANS_BOLD)
        pages.wrapped(LEFT + COLUMNS_MM[2], noted, 9.5)
    return pages.done()
