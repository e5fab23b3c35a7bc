"""The page to hang beside a machine: what it cuts, up to what thickness, and at what price."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from olive_almanac.core.dates import day_text
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.words import tr
from olive_almanac.formats.pdf import CAUTION, PAGES_MM, SANS, SANS_BOLD, SERIF, Sheet

__all__ = ["ReachLine", "ReachMark", "write_reach"]

LEFT, ROW_MM, BAR_MM = 18.0, 19.0, 7.0
NAMES_MM = 44.0
FOOT_MM = 16.0


@dataclass(frozen=True)
class ReachMark:
    """One thickness, mm: what stands in its box, empty where it does not go."""

    thickness_mm: float
    words: str


@dataclass(frozen=True)
class ReachLine:
    """A stock: its name, its thicknesses from thin to thick, and the whole in a sentence."""

    name: str
    marks: tuple[ReachMark, ...]
    says: str


def write_reach(
    machine: Machine, lines: Sequence[ReachLine], *, day: str, paper: str = "a4"
) -> bytes:
    """Return the page as PDF: a box a thickness, with the passes that it takes; empty and crossed
    where it does not go.
    """
    page = Sheet(*PAGES_MM[paper], title=tr("What {machine} cuts", machine=machine.name))
    right = page.width - LEFT
    page.fitted(LEFT, 22, tr("What {machine} cuts", machine=machine.label), 120, 20, SERIF)
    page.text(right, 22, day_text(day), 10, align="right")
    page.line(LEFT, 26, right, 26, 1.4)
    note = tr("In a box: thickness in mm, below it the passes. Crossed: it does not get through.")
    page.text(LEFT, 32, note, 9)
    y = 40.0
    for line in lines:
        if y + ROW_MM > page.height - FOOT_MM:
            _end(page)
            page.new_page()
            y = 24.0
        _draw_line(page, line, y, right)
        y += ROW_MM
    _end(page)
    return page.done()


def _end(page: Sheet) -> None:
    page.text(LEFT, page.height - 9, CAUTION, 7.5)


def _draw_line(page: Sheet, line: ReachLine, y: float, right: float) -> None:
    page.fitted(LEFT, y + 5, line.name, NAMES_MM - 3, 11, SANS_BOLD)
    page.fitted(LEFT + NAMES_MM, y + 14, line.says, right - LEFT - NAMES_MM, 9, SANS)
    wide = min(14.0, (right - LEFT - NAMES_MM) / max(1, len(line.marks)))
    for n, mark in enumerate(line.marks):
        x = LEFT + NAMES_MM + n * wide
        page.box(x, y, wide - 1, BAR_MM + 2.5, 1.1 if mark.words else 0.4)
        middle = x + (wide - 1) / 2
        page.text(middle, y + 4, f"{mark.thickness_mm:.3g}", 9, SANS_BOLD, "centre")
        if mark.words:
            page.text(middle, y + 8.3, mark.words, 7.5, SANS, "centre")
        else:
            page.line(x, y + BAR_MM + 2.5, x + wide - 1, y, 0.6)
