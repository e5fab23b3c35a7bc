"""The book in and out: old notes, other libraries, files and paper."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from olive_almanac.core.errors import BadFile
from olive_almanac.core.records.entry import Entry
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import capital, count_text, passes_text, percent_text, speed_text
from olive_almanac.core.words import tr
from olive_almanac.steps.book import STATE_WORDS
from olive_almanac.steps.catalogue import subject_state
from olive_almanac.steps.files import name_of, read_bytes, read_text, write_file
from olive_almanac.steps.ports import Library, Merged
from olive_almanac.steps.session import Session

if TYPE_CHECKING:
    from olive_almanac.core.notes.columns import UnitQuestion
    from olive_almanac.core.notes.entries import Brought, Notes

__all__ = [
    "BOOK_FILES",
    "BookFile",
    "NotesDesk",
    "book_lines",
    "label_work",
    "merge_work",
    "take_in_work",
    "write_book_work",
    "write_wall_card_work",
]

Line = tuple[Entry, Machine, Stock, str, str]


def book_lines(session: Session) -> list[Line]:
    """Return every entry in force with its machine, stock, state in words and the state's
    reason.
    """
    catalogue, today, lines = session.catalogue, session.today(), []
    for entry in catalogue.entries:
        machine, stock = catalogue.machine(entry.machine_uid), catalogue.stock(entry.stock_uid)
        if machine is not None and stock is not None:
            state, reason = subject_state(catalogue, machine, stock, entry.task, today)
            lines.append((entry, machine, stock, STATE_WORDS[state][0], reason))
    return lines


@dataclass(frozen=True)
class BookFile:
    """A kind of file that the whole book is saved as: its suffix, its name in words, its writer."""

    suffix: str
    name: str
    write: Callable[[Session, Path], str]  # returns what was written, in words


def _printed(session: Session, path: Path) -> str:
    from olive_almanac.formats.book_pdf import write_book

    lines, day = book_lines(session), session.today().isoformat()
    write_file(path, write_book(lines, day=day, speed_unit=session.preferences.speed_unit))
    return tr(
        "The book of {settings} is in {path}.",
        settings=count_text(len(lines), "setting"),
        path=path,
    )


def _table(session: Session, path: Path) -> str:
    from olive_almanac.formats.book_csv import write_book_csv

    lines = book_lines(session)
    write_file(path, write_book_csv(lines))
    return f"{count_text(len(lines), 'setting')} in {path}."


def _whole_library(session: Session, path: Path) -> str:
    from olive_almanac.formats.library_json import write_library

    store = session.store
    names = store.photo_names()
    write_file(path, write_library(store.rows(), ((name, store.photo(name)) for name in names)))
    return tr(
        "The whole library is in {path}, with {photos}.",
        path=path,
        photos=count_text(len(names), "photo"),
    )


BOOK_FILES = (
    BookFile(".pdf", tr("Printed book"), _printed),
    BookFile(".csv", tr("Table"), _table),
    BookFile(".json", tr("Whole library"), _whole_library),
)


def write_book_work(session: Session, path: Path) -> Iterator[str]:
    """Write the whole book as the file that the suffix of the path asks for.

    Yields what was written, in words: for a worker.  Raises BadFile for another suffix.
    """
    for kind in BOOK_FILES:
        if kind.suffix == path.suffix.casefold():
            yield kind.write(session, path)
            return
    known = [kind.suffix for kind in BOOK_FILES]
    raise BadFile(
        tr(
            "{path}: choose a name that ends in {known} or {known2}.",
            path=path.name,
            known=", ".join(known[:-1]),
            known2=known[-1],
        )
    )


def write_wall_card_work(session: Session, path: Path) -> Iterator[str]:
    """Return the work that writes the wall card of the machine that is present now, as PDF."""
    machine, lines, day = session.subject.machine, book_lines(session), session.today().isoformat()
    unit = session.preferences.speed_unit

    def work() -> Iterator[str]:
        from olive_almanac.formats.book_pdf import write_wall_card

        if machine is None:
            raise BadFile(tr("Choose a machine first."))
        mine = [line for line in lines if line[1].uid == machine.uid]
        write_file(path, write_wall_card(machine, mine, day=day, speed_unit=unit))
        yield tr(
            "The card of {settings} is in {path}.",
            settings=count_text(len(mine), "setting"),
            path=path,
        )

    return work()


def label_work(session: Session, path: Path) -> Iterator[str]:
    """Return the work that writes the label of the entry that is present now, as PDF."""
    entry, machine, stock = session.entry, session.subject.machine, session.subject.stock
    state, unit = STATE_WORDS[session.state[0]][0], session.preferences.speed_unit

    def work() -> Iterator[str]:
        from olive_almanac.formats.book_pdf import write_label

        if entry is None or machine is None or stock is None:
            raise BadFile(tr("There is no entry here to write a label of."))
        write_file(path, write_label(entry, machine, stock, state, speed_unit=unit))
        yield tr("The label is in {path}.", path=path)

    return work()


def take_in_work(store: Library, path: Path) -> Iterator[Merged]:
    """Merge a library file (JSON) into the library: yields what was taken in."""
    from olive_almanac.formats.library_json import read_library

    rows, photos = read_library(read_text(path), name_of(path))
    yield store.take_in(rows, photos.__getitem__, tuple(photos))


def merge_work(store: Library, open_other: Callable[[], Library]) -> Iterator[Merged]:
    """Open another library, merge it into the library, and close it: yields what was taken in."""
    other = open_other()
    try:
        yield store.take_in(other.rows(), other.photo, other.photo_names())
    finally:
        other.close()


@dataclass
class NotesDesk:
    """Old notes on their way into the book: the table, the one question that it may leave, and what
    would come in.
    """

    session: Session
    notes: Notes | None = None
    question: UnitQuestion | None = None
    unit: str = "mm/s"
    brought: Brought | None = None
    problem: str = ""
    columns: dict[str, int] = field(default_factory=dict)

    def open_file(self, path: Path) -> None:
        from olive_almanac.formats.notes import read_notes

        self._take(lambda: read_notes(read_bytes(path), name_of(path)))

    def paste(self, text: str) -> None:
        from olive_almanac.formats.notes import read_pasted

        self._take(lambda: read_pasted(text))

    def _take(self, read: Any) -> None:
        from olive_almanac.core.errors import AlmanacError
        from olive_almanac.core.notes.columns import unit_question

        self.notes, self.brought, self.question, self.problem = None, None, None, ""
        machine = self.session.subject.machine
        try:
            self.notes = read()
        except AlmanacError as problem:
            self.problem = str(problem)
            return
        if machine is None:
            self.problem = tr("Choose the machine first that these settings are for.")
            return
        assert self.notes is not None
        self.columns = self.notes.columns
        self.question = unit_question(
            self.notes.heads, self.notes.rows, self.columns, machine.max_speed_mm_s
        )
        if self.question:
            self.unit = self.question.units[0]
        else:
            self.unit = self.session.preferences.speed_unit
        self._reckon()

    def answer(self, unit: str) -> None:
        """Answer the question: the unit of the speeds."""
        self.unit = unit
        self._reckon()

    def _reckon(self) -> None:
        from olive_almanac.core.notes.entries import bring_in

        machine, catalogue = self.session.subject.machine, self.session.catalogue
        if self.notes is None or machine is None:
            return
        self.brought = bring_in(
            self.notes,
            machine=machine,
            machines=catalogue.machines,
            stocks=catalogue.stocks,
            entries=catalogue.entries,
            speed_unit=self.unit,
            day=self.session.today().isoformat(),
            new_id=self.session.new_id,
            columns=self.columns,
        )

    @property
    def heads(self) -> tuple[str, ...]:
        """What each column is taken for, or its own head, or its number."""
        if self.notes is None:
            return ()
        wide = max((len(row) for row in self.notes.rows), default=0)
        roles = {at: role for role, at in self.columns.items()}
        own = dict(enumerate(self.notes.heads))
        return tuple(roles.get(n) or own.get(n) or tr("column {n}", n=n + 1) for n in range(wide))

    def edit(self, row: int, column: int, text: str) -> None:
        """Mend a cell of the table, and reckon anew what comes in; what was asked of several rows
        alike is answered once for all of them.
        """
        if self.notes is None:
            return
        roles = {at: role for role, at in self.columns.items()}
        old = self._cell(row, column)
        mended = [row]
        if roles.get(column) in ("machine", "stock") and old and self.fate(row)[1]:
            mended = [
                n
                for n in range(len(self.notes.rows))
                if self._cell(n, column) == old and (n == row or self.fate(n)[1])
            ]
        rows = list(self.notes.rows)
        for n in mended:
            cells = [*rows[n]]
            cells += [""] * (column + 1 - len(cells))
            cells[column] = text
            rows[n] = tuple(cells)
        self.notes = replace(self.notes, rows=tuple(rows))
        self._reckon()

    def _cell(self, row: int, column: int) -> str:
        cells = self.notes.rows[row] if self.notes else ()
        return cells[column] if column < len(cells) else ""

    def fate(self, row: int, speed_unit: str = "") -> tuple[str, bool]:
        """Return what becomes of a row, in words with its numbers as they were understood, and
        whether it can be mended.
        """
        if self.brought is None:
            return "", False
        fate = self.brought.fates[row]
        if fate.becomes != "guess" or fate.setting is None:
            return capital(fate.says), fate.becomes == "left out"
        numbers = ", ".join(
            (
                f"{percent_text(fate.setting.power)} %",
                speed_text(fate.setting.speed_mm_s, speed_unit or self.shop_unit),
                passes_text(fate.setting.passes),
            )
        )
        return tr("A guess: {numbers}.", numbers=numbers), False

    @property
    def shop_unit(self) -> str:
        """The unit in which the shop tells speeds."""
        return self.session.preferences.speed_unit

    def keep(self) -> bool:
        """Write all of it into the book as one act that can be undone; the first is opened where
        nothing else is.
        """
        if self.brought is None or self.notes is None or not self.brought.entries:
            return False
        stocks, entries, name = self.brought.stocks, self.brought.entries, self.notes.name
        kept = self.session.attempt(
            lambda: self.session.shop.keep_book(
                stocks,
                entries,
                tr("brought in from {name}", name=name),
                tr("{settings} of {name}", settings=count_text(len(entries), "setting"), name=name),
            )
        )
        if kept and not self.session.subject.complete:
            first = entries[0]
            self.session.choose(machine=first.machine_uid, stock=first.stock_uid, task=first.task)
        return kept
