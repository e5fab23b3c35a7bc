"""The book on paper: the whole of it with contents and an index by stock, a wall card for a
machine, a label for the rack.
"""

from __future__ import annotations

from collections.abc import Sequence

from olive_almanac.core.dates import day_text
from olive_almanac.core.records.entry import Entry, said_state
from olive_almanac.core.records.factors import setting_words
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import TASK_WORDS
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import count_text, percent_text, speed_text
from olive_almanac.core.words import tr
from olive_almanac.formats.pdf import (
    CAUTION,
    PAGES_MM,
    SANS,
    SANS_BOLD,
    SERIF,
    Sheet,
    draw_code,
    entry_code,
)

__all__ = ["write_book", "write_label", "write_wall_card"]

LEFT, TOP, FOOT = 18.0, 24.0, 18.0
ROW = 6.2
LABEL_MM = (70.0, 36.0)
Line = tuple[Entry, Machine, Stock, str, str]  # with the state and its reason in words


def _numbers(entry: Entry, unit: str) -> str:
    setting = entry.setting
    speed = speed_text(setting.speed_mm_s, unit)
    return ", ".join((f"{percent_text(setting.power)} %", speed, *setting_words(setting, unit)))


class _Book:
    """Lays out pages one after the other and remembers on which page each stock begins."""

    def __init__(self, title: str, paper: str) -> None:
        self.page = Sheet(*PAGES_MM[paper], title=title)
        self.number, self.y = 1, TOP
        self.right = self.page.width - LEFT

    def turn(self) -> None:
        self._foot()
        self.page.new_page()
        self.number, self.y = self.number + 1, TOP

    def _foot(self) -> None:
        self.page.text(self.right, self.page.height - 9, str(self.number), 9, align="right")

    def room(self, height_mm: float) -> None:
        if self.y + height_mm > self.page.height - FOOT:
            self.turn()

    def done(self) -> bytes:
        self._foot()
        return self.page.done()


def write_book(
    lines: Sequence[Line], *, day: str, speed_unit: str = "mm/s", paper: str = "a4"
) -> bytes:
    """Return the printed book as PDF: contents by machine, an entry after the other by machine and
    stock, an index by stock.
    """
    ordered = sorted(
        lines, key=lambda line: (line[1].name, line[2].name, line[2].thickness_mm, line[0].task)
    )
    draft = _lay_out(
        ordered, {}, day, speed_unit, paper
    )  # the first run tells on which page everything comes to lie
    return _lay_out(ordered, draft[1], day, speed_unit, paper)[0]


def _lay_out(
    lines: Sequence[Line], pages: dict[str, int], day: str, unit: str, paper: str
) -> tuple[bytes, dict[str, int]]:
    book, found = _Book(tr("The book of proven settings"), paper), dict[str, int]()
    page = book.page
    page.text(LEFT, 60, tr("The book of settings"), 28, SERIF)
    page.text(
        LEFT,
        70,
        tr(
            "{settings}, printed {day}",
            settings=count_text(len(lines), "setting"),
            day=day_text(day),
        ),
        12,
    )
    for n, sentence in enumerate(page.wrapped(CAUTION, 150, 10)):
        page.text(LEFT, 84 + 5 * n, sentence, 10)
    book.turn()
    _contents(book, lines, pages)
    machine = ""
    for entry, on, stock, state, reason in lines:
        if on.uid != machine:
            book.turn()
            machine = on.uid
            found[f"machine {on.uid}"] = book.number
            page.text(LEFT, book.y, on.label, 18, SERIF)
            page.line(LEFT, book.y + 3, book.right, book.y + 3, 1.4)
            book.y += 12
        book.room(24)
        found[f"entry {entry.uid}"] = book.number
        _entry(book, entry, stock, state, reason, unit)
    book.turn()
    _index(book, lines, pages if pages else found)
    return book.done(), found


def _contents(book: _Book, lines: Sequence[Line], pages: dict[str, int]) -> None:
    book.page.text(LEFT, book.y, tr("Contents"), 16, SERIF)
    book.y += 10
    seen: dict[str, tuple[Machine, int]] = {}
    for _, machine, _, _, _ in lines:
        seen[machine.uid] = (machine, seen.get(machine.uid, (machine, 0))[1] + 1)
    for uid, (machine, count) in seen.items():
        book.room(ROW)
        book.page.text(
            LEFT, book.y, tr("{machine}, {count} settings", machine=machine.label, count=count), 11
        )
        book.page.text(book.right, book.y, str(pages.get(f"machine {uid}", "")), 11, align="right")
        book.y += ROW
    book.room(ROW)
    book.page.text(LEFT, book.y, tr("Index by stock, at the end"), 11)


def _entry(book: _Book, entry: Entry, stock: Stock, state: str, reason: str, unit: str) -> None:
    page = book.page
    page.fitted(LEFT, book.y, f"{stock.label}, {TASK_WORDS[entry.task]}", 120, 12, SANS_BOLD)
    page.text(book.right, book.y, said_state(entry, state), 11, SANS_BOLD, align="right")
    page.fitted(LEFT, book.y + 6, _numbers(entry, unit), book.right - LEFT, 12, SERIF)
    margin, told = entry.evidence.margins.speed, [reason]
    if margin is not None:
        told.append(
            tr("could run {margin:.0f} % quicker before it fails", margin=100 * (margin - 1))
        )
    if entry.kerf_x_mm is not None and entry.kerf_y_mm is not None:
        told.append(
            tr(
                "kerf {kerf_x_mm:.2f} mm along X, {kerf_y_mm:.2f} mm along Y",
                kerf_x_mm=entry.kerf_x_mm,
                kerf_y_mm=entry.kerf_y_mm,
            )
        )
    if not entry.recipe.is_plain:
        told.append(tr("prepared: {line}", line=entry.recipe.line))
    if entry.notes:
        told.append(entry.notes)
    page.fitted(LEFT, book.y + 11, "; ".join(told), book.right - LEFT, 9, SANS)
    page.line(LEFT, book.y + 14, book.right, book.y + 14)
    book.y += 21


def _index(book: _Book, lines: Sequence[Line], pages: dict[str, int]) -> None:
    book.page.text(LEFT, book.y, tr("Index by stock"), 16, SERIF)
    book.y += 10
    for entry, machine, stock, _, _ in sorted(
        lines, key=lambda line: (line[2].name.casefold(), line[2].thickness_mm, line[1].name)
    ):
        book.room(ROW)
        book.page.fitted(
            LEFT, book.y, f"{stock.label}, {TASK_WORDS[entry.task]}, {machine.name}", 150, 10, SANS
        )
        book.page.text(
            book.right, book.y, str(pages.get(f"entry {entry.uid}", "")), 10, align="right"
        )
        book.y += ROW - 1


def write_wall_card(
    machine: Machine,
    lines: Sequence[Line],
    *,
    day: str,
    speed_unit: str = "mm/s",
    paper: str = "a4",
) -> bytes:
    """Return a card for the wall beside a machine as PDF: its settings in large figures, those that
    may be used first.
    """
    book = _Book(tr("Settings of {machine}", machine=machine.name), paper)
    page = book.page
    page.fitted(LEFT, book.y, machine.label, 120, 24, SERIF)
    page.text(book.right, book.y, day_text(day), 10, align="right")
    page.line(LEFT, book.y + 4, book.right, book.y + 4, 1.4)
    book.y += 14
    order = {tr("Proven"): 0, tr("Due again"): 1, tr("On trial"): 2, tr("Guess"): 3}
    for entry, _, stock, state, _ in sorted(
        lines, key=lambda line: (order.get(line[3], 4), line[2].name, line[2].thickness_mm)
    ):
        book.room(15)
        page.fitted(LEFT, book.y, f"{stock.label}, {TASK_WORDS[entry.task]}", 110, 12, SANS_BOLD)
        page.text(book.right, book.y, said_state(entry, state), 10, align="right")
        page.fitted(LEFT, book.y + 7, _numbers(entry, speed_unit), book.right - LEFT, 15, SERIF)
        if not entry.recipe.is_plain:
            page.fitted(LEFT, book.y + 11.5, entry.recipe.line, book.right - LEFT, 9, SANS)
            book.y += 4
        page.line(LEFT, book.y + 10, book.right, book.y + 10)
        book.y += 16
    book.room(5)
    page.fitted(LEFT, book.y - 1, CAUTION, book.right - LEFT, 9, SANS)
    return book.done()


def write_label(
    entry: Entry, machine: Machine, stock: Stock, state: str, *, speed_unit: str = "mm/s"
) -> bytes:
    """Return a label for the sample rack as PDF, with a code that opens the entry when scanned into
    the finder.
    """
    page = Sheet(*LABEL_MM, title=tr("Label {stock}", stock=stock.label))
    code = 24.0
    draw_code(page, entry_code(entry.uid), page.width - code - 3, 3, code)
    most = page.width - code - 9
    page.fitted(3, 7, stock.short_name, most, 12, SERIF)
    page.fitted(
        3,
        12,
        f"{TASK_WORDS[entry.task]}, {machine.name}"
        + (tr(", lot {lot}", lot=stock.lot) if stock.lot else ""),
        most,
        8,
        SANS,
    )
    s = entry.setting
    page.fitted(
        3,
        19,
        f"{percent_text(s.power)} %, {speed_text(s.speed_mm_s, speed_unit)}",
        most,
        12,
        SANS_BOLD,
    )
    page.fitted(3, 24.5, ", ".join(setting_words(s, speed_unit)), most, 9, SANS)
    if not entry.recipe.is_plain:
        page.fitted(3, 28.5, entry.recipe.line, page.width - 6, 7, SANS)
    page.fitted(
        3,
        32,
        tr(
            "{state}, written {written}",
            state=said_state(entry, state),
            written=day_text(entry.written),
        ),
        page.width - 6,
        7,
        SANS,
    )
    return page.done()
