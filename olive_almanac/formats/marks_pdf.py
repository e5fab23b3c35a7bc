"""The page of four printed marks that are laid around an offcut for its photo."""

from __future__ import annotations

from olive_almanac.core.photo.sheet import PAPER_SHARE, SHEET_MARK_IDS, SHEET_MARK_MM
from olive_almanac.core.placing.fiducials import MODULES, modules_of
from olive_almanac.core.units import length_text
from olive_almanac.core.words import tr
from olive_almanac.formats.pdf import PAGES_MM, SANS, SANS_BOLD, Sheet

__all__ = ["write_sheet_marks"]

BETWEEN_MM, TOP_MM = 12.0, 62.0
WORDS = (
    tr(
        "Print at 100 %, not fitted to the page, and check the line "
        "with a ruler. Cut the four squares "
        "out along their lines, keep their white rims, and glue "
        "them onto card so that they lie flat."
    ),
    tr(
        "Lay the offcut on the table, on ground of another colour, and one mark beside each of its "
        "corners, none of them under it or on it. Take the photo from above, all four in view."
    ),
)


def write_sheet_marks(page: str = "a4") -> bytes:
    """Return the page as PDF."""
    wide, high = PAGES_MM[page]
    sheet = Sheet(wide, high, title=tr("Marks for the photo of an offcut"))
    sheet.text(18, 24, tr("Marks for the photo of an offcut"), 18, SANS_BOLD)
    y = 32.0
    for words in WORDS:
        for line in sheet.wrapped(words, wide - 36, 10):
            sheet.text(18, y, line, 10, SANS)
            y += 5
        y += 1.5
    paper = PAPER_SHARE * SHEET_MARK_MM
    left = (wide - 2 * paper - BETWEEN_MM) / 2
    for n, mark in enumerate(SHEET_MARK_IDS):
        x = left + (n % 2) * (paper + BETWEEN_MM)
        top = TOP_MM + (n // 2) * (paper + BETWEEN_MM)
        sheet.box(x, top, paper, paper, 0.3)
        _draw_mark(sheet, mark, x + (paper - SHEET_MARK_MM) / 2, top + (paper - SHEET_MARK_MM) / 2)
    foot = TOP_MM + 2 * paper + 2 * BETWEEN_MM
    sheet.line(left, foot, left + 100, foot, 0.8)
    sheet.text(left + 104, foot + 1.2, length_text(100), 10, SANS)
    return sheet.done()


def _draw_mark(sheet: Sheet, mark: int, x: float, y: float) -> None:
    """One mark with its upper left corner at a place, runs of dark squares joined."""
    step = SHEET_MARK_MM / MODULES
    for r, line in enumerate(modules_of(mark)):
        c = 0
        while c < MODULES:
            first = c
            while c < MODULES and line[c]:
                c += 1
            if c > first:
                sheet.fill(x + first * step, y + r * step, (c - first) * step, step)
            c += 1
