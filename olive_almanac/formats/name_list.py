"""Read a list of names: a column of CSV, XLSX or ODS, or one name a line."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass

from olive_almanac.core.errors import BadFile
from olive_almanac.core.words import tr
from olive_almanac.formats.notes import sheet_rows, text_of

__all__ = ["MOST_NAMES", "NameTable", "names_of_text", "read_name_table"]

MOST_NAMES = 2000
MOST_LETTERS = 200
SHEET, OLD_SHEET = b"PK\x03\x04", b"\xd0\xcf\x11\xe0"


@dataclass(frozen=True)
class NameTable:
    """A table of which one column holds the names: its rows, each as long as the longest."""

    rows: tuple[tuple[str, ...], ...]

    @property
    def columns(self) -> tuple[str, ...]:
        """What the columns are called: by their first cell."""
        return tuple(f"{n}: {cell or tr('no head')}" for n, cell in enumerate(self.rows[0], 1))

    def column(self, at: int) -> tuple[str, ...]:
        """Return the cells of a column."""
        return tuple(row[at] for row in self.rows)


def read_name_table(data: bytes, name: str) -> NameTable:
    """Return the table in the bytes of a file, told by its content.  Raises BadFile."""
    if data[:4] == OLD_SHEET:
        raise BadFile(
            tr("{name} is in an old or locked format. Save it as XLSX, ODS or CSV.", name=name)
        )
    if data[:4] == SHEET:
        rows = [row for _, row in sheet_rows(data, name)]
    else:
        rows = _separated(text_of(data, name))
    rows = [row for row in rows if any(cell.strip() for cell in row)]
    if not rows:
        raise BadFile(tr("{name} holds no names.", name=name))
    if len(rows) > MOST_NAMES:
        raise BadFile(
            tr(
                "{name} has {rows:,} rows; up to {most_names:,} names are taken.",
                name=name,
                rows=len(rows),
                most_names=MOST_NAMES,
            )
        )
    wide = max(len(row) for row in rows)
    padded = [[*row, *[""] * (wide - len(row))] for row in rows]
    return NameTable(tuple(tuple(cell.strip()[:MOST_LETTERS] for cell in row) for row in padded))


def _separated(text: str) -> list[list[str]]:
    """The rows of a text, by the mark that most of its lines hold; one cell a line else."""
    lines = [line for line in text.splitlines() if line.strip()]
    for mark in ("\t", ";", ","):
        if 2 * sum(mark in line for line in lines) > len(lines):
            try:
                return [list(row) for row in csv.reader(io.StringIO(text), delimiter=mark)]
            except csv.Error:
                break
    return [[line] for line in lines]


def names_of_text(text: str) -> tuple[str, ...]:
    """Return the names of a text, one a line; empty lines at the end do not count.

    Raises BadFile where there are too many.
    """
    names = [line.strip()[:MOST_LETTERS] for line in text.splitlines()]
    while names and not names[-1]:
        names.pop()
    if len(names) > MOST_NAMES:
        raise BadFile(
            tr(
                "{names:,} names; up to {most_names:,} are taken at a time.",
                names=len(names),
                most_names=MOST_NAMES,
            )
        )
    return tuple(names)
