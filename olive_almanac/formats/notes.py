"""Read a shop's old notes: CSV, XLSX, ODS, or text that was pasted."""

from __future__ import annotations

import csv
import io
import re
from datetime import date, datetime

from olive_almanac.core.errors import BadFile
from olive_almanac.core.notes.columns import ROLES, find_columns
from olive_almanac.core.notes.entries import Notes, rows_of_lines
from olive_almanac.core.words import tr
from olive_almanac.formats.sheet_extent import check_extent

__all__ = ["read_notes", "read_pasted", "sheet_rows", "text_of"]

MOST_ROWS = 12_000
MOST_COLUMNS = 60
MOST_CELL = 500  # letters of a cell that are read
MOST_LINE = 5000
MOST_NOTE = 300  # letters of a free line that are read
SHEET = b"PK\x03\x04"
OLD_SHEET = b"\xd0\xcf\x11\xe0"


def read_notes(data: bytes, name: str) -> Notes:
    """Return the table of a file by its content.  Raises BadFile where it holds none."""
    if data[:4] == OLD_SHEET:
        raise BadFile(
            tr("{name} is in an old or locked format. Save it as XLSX, ODS or CSV.", name=name)
        )
    if data[:4] == SHEET:
        return _from_sheet(data, name)
    return read_pasted(text_of(data, name), name)


def text_of(data: bytes, name: str) -> str:
    """Return the text in the bytes of a file.  Raises BadFile where it is none."""
    marked = data[:2] in (b"\xff\xfe", b"\xfe\xff")
    for encoding in ("utf-8-sig", "utf-16" if marked else "cp1252"):
        try:
            return data.decode(encoding)
        except UnicodeDecodeError:
            continue
    raise BadFile(tr("{name} is neither a table nor text. Save it as CSV, XLSX or ODS.", name=name))


def _from_sheet(data: bytes, name: str) -> Notes:
    rows = sheet_rows(data, name)
    return _table([(n, row) for n, row in rows if any(cell.strip() for cell in row)], name)


def sheet_rows(data: bytes, name: str) -> list[tuple[int, list[str]]]:
    """Return the rows of the fullest sheet of a spreadsheet, each with its number.  Raises
    BadFile.
    """
    from python_calamine import CalamineError, CalamineWorkbook

    check_extent(data, name)
    try:
        book = CalamineWorkbook.from_filelike(io.BytesIO(data))
        sheets = [book.get_sheet_by_name(sheet) for sheet in book.sheet_names]
        tables = [
            list(enumerate(sheet.to_python(), (sheet.start or (0, 0))[0] + 1)) for sheet in sheets
        ]
    except (CalamineError, OSError, ValueError) as problem:
        raise BadFile(
            tr(
                "{name} cannot be read as a spreadsheet ({problem}). Save it again, or as CSV.",
                name=name,
                problem=problem,
            )
        ) from problem
    filled = [
        [
            (number, [_text(cell)[:MOST_CELL] for cell in row[:MOST_COLUMNS]])
            for number, row in table
        ]
        for table in tables
    ]
    return max(filled, key=lambda rows: sum(any(row) for _, row in rows), default=[])


def _text(cell: object) -> str:
    if isinstance(cell, float):
        return f"{cell:.10g}"
    if isinstance(cell, (date, datetime)):
        return cell.isoformat()
    return str(cell if cell is not None else "")


def read_pasted(text: str, name: str = tr("pasted notes")) -> Notes:
    """Return the table of a text: separated by tabs, semicolons, commas or bars, or free lines."""
    numbered = [
        (n, line)
        for n, line in enumerate(text.replace("\r\n", "\n").replace("\r", "\n").split("\n"), 1)
        if line.strip()
    ]
    lines = [line for _, line in numbered]
    if "\x00" in text or not lines:
        raise BadFile(tr("{name} holds no rows.", name=name))
    _check_lines(numbered, name)
    for mark in ("\t", ";", "|", ","):
        try:
            table = csv.reader(lines, delimiter=mark)
            rows = [
                (
                    numbered[table.line_num - 1][0],
                    [cell[:MOST_CELL].strip() for cell in row[:MOST_COLUMNS]],
                )
                for row in table
                if any(cell.strip() for cell in row)
            ]
        except csv.Error:  # a cell too long to be one
            continue
        wide = [len(row) for _, row in rows]
        if (
            rows
            and min(sorted(wide)[len(wide) // 4 :]) >= 3
            and (mark != "," or _has_heads(rows[0][1]) or not _decimal_commas(lines))
        ):
            return _table(rows, name)
    heads, free = rows_of_lines("\n".join(line[:MOST_NOTE] for line in lines))
    told = [(number, row) for (number, _), row in zip(numbered, free, strict=True) if any(row)]
    return Notes(heads, tuple(row for _, row in told), name, tuple(number for number, _ in told))


def _check_lines(numbered: list[tuple[int, str]], name: str) -> None:
    if len(numbered) > MOST_ROWS:
        raise _too_many(len(numbered), name)
    for number, line in numbered:
        if len(line) > MOST_LINE:
            raise BadFile(
                tr(
                    "{name} is no table of notes: row {number} is {line:,} letters long.",
                    name=name,
                    number=number,
                    line=len(line),
                )
            )


def _too_many(rows: int, name: str) -> BadFile:
    return BadFile(
        tr(
            "{name} has {rows:,} rows; up to {most_rows:,} are read at a time. Split it.",
            name=name,
            rows=rows,
            most_rows=MOST_ROWS,
        )
    )


def _decimal_commas(lines: list[str]) -> bool:
    return any(re.search(r"\d,\d+\s*(mm|%|w\b)", line.casefold()) for line in lines)


def _has_heads(row: list[str]) -> bool:
    """Whether a row names columns: no figures, and a word that heads use."""
    words = " ".join(row).casefold()
    return not any(re.fullmatch(r"[-+]?[\d.,]+\s*\S{0,3}", cell.strip()) for cell in row) and any(
        name in words for names in ROLES.values() for name in names
    )


def _table(rows: list[tuple[int, list[str]]], name: str) -> Notes:
    """The rows below the heads, each with its number in the file: lines of a title before them are
    passed over.
    """
    if not rows:
        raise BadFile(tr("{name} holds no rows.", name=name))
    if len(rows) > MOST_ROWS:
        raise _too_many(len(rows), name)
    heads, below = [""] * max(len(row) for _, row in rows), rows
    for at, (_, row) in enumerate(rows[:10]):
        if (
            _has_heads(row)
            and len([cell for cell in row if cell.strip()]) >= 3
            and "speed" in find_columns(row, [])
        ):
            heads, below = row, rows[at + 1 :]
            break
    return Notes(
        tuple(heads),
        tuple(tuple(row) for _, row in below),
        name,
        tuple(number for number, _ in below),
    )
