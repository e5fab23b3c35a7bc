"""A report of what went wrong, for whoever mends the program: written here, sent nowhere.

It holds the version, the last fault of the program and the records that could not be read, without
photos and without names: texts that people typed are replaced by how long they were.
"""

from __future__ import annotations

import getpass
import io
import json
import platform
import traceback
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from olive_almanac import __version__
from olive_almanac.core.errors import CannotWrite
from olive_almanac.core.words import tr
from olive_almanac.steps.files import write_file
from olive_almanac.steps.ports import Library

__all__ = ["fault_report_work", "fault_words", "without_names"]

# fields whose texts are words of the program, not of people
KEPT_TEXTS = frozenset(
    [
        "uid",
        "id",
        "family",
        "task",
        "kind",
        "stage",
        "source",
        "air",
        "beam",
        "direction",
        "order",
        "verdict",
        "origin",
        "outcome",
        "by",
        "opacity",
        "state",
        "format",
        "made",
        "written",
        "at",
        "on",
        "cell",
        "mark",
        "machine_uid",
        "stock_uid",
        "trial_uid",
        "file_units",
    ]
)
MOST_RECORDS = 20


def fault_words(path: Path, fault: BaseException) -> str:
    """Keep a fault of the program itself in a file; return the sentence that tells of it."""
    told = tr("Something went wrong in the program itself; what was recorded is safe.")
    try:
        write_file(path, "".join(traceback.format_exception(fault)))
    except CannotWrite as problem:  # a full disk: the report is lost, the sentence is not
        return f"{told} {problem}"
    return f"{told} " + tr("A report lies in {path}.", path=path)


def fault_report_work(store: Library, fault_file: Path, path: Path) -> Iterator[str]:
    """Write the report as a ZIP file: yields in words what is in it.  For a worker.

    Raises LibraryTrouble and CannotWrite.
    """
    fault = ""
    if fault_file.exists():
        fault = _without_home(fault_file.read_text(encoding="utf-8", errors="replace"))
    records = _records(store)
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as report:
        report.writestr("version.txt", _version())
        if fault:
            report.writestr("fault.txt", fault)
        if records:
            report.writestr("records.json", json.dumps(records, indent=1))
    write_file(path, packed.getvalue())
    there = tr("the version")
    if fault:
        there += tr(" and the last fault")
    if records:
        there += tr(" and what cannot be read")
    yield tr(
        "{path} holds {there}; no photos and no names. Nothing was sent.", path=path, there=there
    )


def _version() -> str:
    return tr(
        "Olive Almanac {version}\nPython {python_version}\n{platform}\n",
        version=__version__,
        python_version=platform.python_version(),
        platform=platform.platform(),
    )


def _without_home(text: str) -> str:
    plain = text.replace(str(Path.home()), "~")
    try:
        return plain.replace(f"/{getpass.getuser()}/", "/.../")
    except (KeyError, OSError):  # no such login in the system's list
        return plain


def _records(store: Library) -> list[dict[str, Any]]:
    """The newest revision of each record that was set aside, without names."""
    wanted = list(store.set_aside)[:MOST_RECORDS]
    if not wanted:
        return []
    newest = {f"{table} {row['uid']}": row for table, rows in store.rows().items() for row in rows}
    return [
        {"record": name, "revision": newest[name]["revision"], "body": _body(newest[name]["body"])}
        for name in wanted
        if name in newest
    ]


def _body(body: object) -> object:
    if not isinstance(body, str):
        return without_names(body)
    try:
        return without_names(json.loads(body))
    except (ValueError, RecursionError):
        return tr("{body} letters that are no JSON", body=len(body))


def without_names(plain: object, field: str = "") -> object:
    """Return a record as plain data with the texts that people typed replaced by their length."""
    if isinstance(plain, dict):
        return {str(key): without_names(value, str(key)) for key, value in plain.items()}
    if isinstance(plain, list):
        return [without_names(value, field) for value in plain]
    if isinstance(plain, str) and field not in KEPT_TEXTS:
        return tr("({plain} letters)", plain=len(plain))
    return plain
