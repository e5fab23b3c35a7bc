"""How far a spreadsheet reaches, before a reader makes room for all of it.

One stray cell in the last row and column, or a file that unpacks to gigabytes, would otherwise take
the memory of the whole computer.
"""

from __future__ import annotations

import io
import re
import zipfile
import zlib
from collections.abc import Iterator
from xml.etree import ElementTree

from olive_almanac.core.errors import BadFile
from olive_almanac.core.words import tr

__all__ = ["check_extent"]

MOST_UNPACKED = 60_000_000  # bytes
MOST_CELLS = 2_000_000  # in the rectangle around all that is filled
MOST_COLUMNS = 1000
_CELL = re.compile(rb'\br="([A-Z]{1,3})([0-9]{1,7})"')
_TABLE = "{urn:oasis:names:tc:opendocument:xmlns:table:1.0}"


def check_extent(data: bytes, name: str) -> None:
    """Raise BadFile where a spreadsheet (XLSX or ODS as bytes) unpacks to too much or reaches too
    far, with the cell that does.
    """
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            _check_size(packed, name)
            for member in packed.namelist():
                if re.search(r"worksheets/[^/]*\.xml$", member):
                    _check_far(_xlsx_cells(packed.read(member)), name)
                elif member == "content.xml":
                    _check_far(_ods_cells(packed.read(member)), name)
    except (zipfile.BadZipFile, zlib.error, ElementTree.ParseError, EOFError) as problem:
        raise BadFile(
            tr(
                "{name} cannot be read as a spreadsheet ({problem}). Save it again, or as CSV.",
                name=name,
                problem=problem,
            )
        ) from problem
    except (NotImplementedError, RuntimeError, OSError, ValueError) as problem:
        raise BadFile(
            tr(
                "{name} is locked or packed in a way that is not known ({problem}). Save it "
                "again, or as CSV.",
                name=name,
                problem=problem,
            )
        ) from problem


def _check_size(packed: zipfile.ZipFile, name: str) -> None:
    left = MOST_UNPACKED
    for member in packed.infolist():
        with packed.open(member) as file:
            while left > 0 and (piece := file.read(min(left, 1 << 20))):
                left -= len(piece)
        if left <= 0:
            raise BadFile(
                tr(
                    "{name} unpacks to more than {most_unpacked} MB: that is no table of notes. "
                    "Copy the rows into a fresh sheet.",
                    name=name,
                    most_unpacked=MOST_UNPACKED // 1000000,
                )
            )


def _xlsx_cells(sheet: bytes) -> Iterator[tuple[int, int]]:
    """Row and column of each cell that a sheet names, from 1."""
    for letters, digits in _CELL.findall(sheet):
        column = 0
        for letter in letters:
            column = 26 * column + letter - 64
        yield int(digits), column


def _ods_cells(content: bytes) -> Iterator[tuple[int, int]]:
    """Row and column of the last filled cell of each filled row, from 1."""
    row = column = last = 0
    for event, element in ElementTree.iterparse(io.BytesIO(content), ("start", "end")):
        if event == "start":
            if element.tag == _TABLE + "table":
                row = 0
            elif element.tag == _TABLE + "table-row":
                column = last = 0
            continue
        if element.tag in (_TABLE + "table-cell", _TABLE + "covered-table-cell"):
            column += int(element.get(_TABLE + "number-columns-repeated", "1"))
            if len(element):
                last = column
        elif element.tag == _TABLE + "table-row":
            row += int(element.get(_TABLE + "number-rows-repeated", "1"))
            if last:
                yield row, last
            element.clear()


def _check_far(cells: Iterator[tuple[int, int]], name: str) -> None:
    rows = columns = 0
    for row, column in cells:
        rows, columns = max(rows, row), max(columns, column)
        if columns > MOST_COLUMNS or rows * columns > MOST_CELLS:
            raise BadFile(
                tr(
                    "{name} has something far away from its table, in row {row}, column "
                    "{column}. Delete it there, or copy the rows into a fresh sheet.",
                    name=name,
                    row=row,
                    column=column,
                )
            )
