"""A whole library as one JSON file: every revision of every record, and the photos.

Reading it back gives the same rows.
"""

from __future__ import annotations

import base64
import binascii
import json
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from olive_almanac.core.errors import BadFile
from olive_almanac.core.words import tr
from olive_almanac.formats.json_text import plain_of
from olive_almanac.formats.station_files import VERSION

__all__ = ["ROW_FIELDS", "read_library", "write_library"]

FORMAT = "olive-almanac/library"
ROW_FIELDS: dict[str, type] = {
    "uid": str,
    "revision": int,
    "at": str,
    "who": str,
    "why": str,
    "removed": bool,
}
SUBJECT = ("machine_uid", "stock_uid", "task")
MORE_FIELDS: dict[str, tuple[str, ...]] = {  # table: columns of its own
    "machine": (),
    "stock": (),
    "trial": (*SUBJECT, "stage"),
    "reading": ("trial_uid",),
    "run": (),
    "entry": SUBJECT,
    "rule": (),
    "job": (),
    "act": (),
}
Rows = dict[str, list[dict[str, Any]]]


def write_library(
    rows: Mapping[str, Sequence[Mapping[str, Any]]], photos: Iterable[tuple[str, bytes]]
) -> str:
    """Return the file's text; a record's body stands in it as it was kept."""
    return json.dumps(
        {
            "format": FORMAT,
            "version": VERSION,
            "tables": {
                table: [{**row, "body": json.loads(row["body"])} for row in lines]
                for table, lines in rows.items()
            },
            "photos": {name: base64.b64encode(data).decode() for name, data in photos},
        },
        ensure_ascii=False,
        indent=0,
    )


def read_library(text: str, where: str) -> tuple[Rows, dict[str, bytes]]:
    """Return the rows and the photos of such a file.

    Raises BadFile with what is wrong and where.
    """
    plain = plain_of(text, where)
    if not isinstance(plain, dict) or plain.get("format") != FORMAT:
        raise BadFile(
            tr(
                "{where} is no library file: the format {format!r} is expected.",
                where=where,
                format=FORMAT,
            )
        )
    if plain.get("version") != VERSION:
        raise BadFile(
            tr(
                "{where} has version {found!r}; this program reads {version}. Update the program.",
                where=where,
                found=plain.get("version"),
                version=VERSION,
            )
        )
    tables, photos = plain.get("tables"), plain.get("photos", {})
    if not isinstance(tables, dict) or not isinstance(photos, dict):
        raise BadFile(
            tr("{where}: tables or photos is missing or no group of fields.", where=where)
        )
    rows = {
        table: [
            _row(table, row, f"{where}: {table}[{n}]")
            for n, row in enumerate(tables.get(table, ()))
        ]
        for table in MORE_FIELDS
    }
    return rows, {name: _photo(name, data, where) for name, data in photos.items()}


def _row(table: str, row: Any, where: str) -> dict[str, Any]:
    if not isinstance(row, dict) or not isinstance(row.get("body"), dict):
        raise BadFile(tr("{where}: a group of fields with a body is expected.", where=where))
    fields = {**ROW_FIELDS, **{name: str for name in MORE_FIELDS[table]}}
    for name, kind in fields.items():
        if type(row.get(name)) is not kind:
            raise BadFile(
                tr(
                    "{where}: {name} is {name2!r}; {name3} is expected.",
                    where=where,
                    name=name,
                    name2=row.get(name),
                    name3=kind.__name__,
                )
            )
    return {
        **{name: row[name] for name in fields},
        "body": json.dumps(row["body"], ensure_ascii=False),
    }


def _photo(name: str, data: Any, where: str) -> bytes:
    try:
        return base64.b64decode(data, validate=True)
    except (TypeError, binascii.Error) as problem:
        raise BadFile(
            tr(
                "{where}: photo {name} is damaged ({problem}).",
                where=where,
                name=name,
                problem=problem,
            )
        ) from problem
