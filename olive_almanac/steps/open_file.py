"""What a file is that is opened from outside the window, and taking a coupon in from one."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from olive_almanac.core.errors import BadFile
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.words import tr
from olive_almanac.formats.json_text import plain_of
from olive_almanac.formats.station_files import read_trial
from olive_almanac.steps.files import read_text
from olive_almanac.steps.ports import LIBRARY_FILES
from olive_almanac.steps.session import Session

__all__ = ["OpenedFile", "opened_file", "take_in_trial", "unknown_words"]

Kind = Literal["trial", "library", "drawing", "notes"]
BY_SUFFIX: dict[str, Kind] = {
    ".svg": "drawing",
    ".dxf": "drawing",
    ".csv": "notes",
    ".xlsx": "notes",
    ".ods": "notes",
}


@dataclass(frozen=True)
class OpenedFile:
    """A file from outside: what kind it is and, for a coupon, its trial."""

    path: Path
    kind: Kind
    trial: Trial | None = None


def opened_file(path: Path) -> OpenedFile:
    """Return what a file is, by its suffix or by what its first line says; raises BadFile."""
    kind = BY_SUFFIX.get(path.suffix.casefold())
    if kind is not None:
        return OpenedFile(path, kind)
    if path.name in LIBRARY_FILES:
        return OpenedFile(path, "library")
    text = read_text(path)
    said = _format(text)
    if said == "olive-almanac/library":
        return OpenedFile(path, "library")
    if said == "olive-almanac/trial":
        return OpenedFile(path, "trial", read_trial(text, path.name)[0])
    raise BadFile(
        tr(
            "{path} is nothing that opens by itself: a coupon (trial.json), a library, a "
            "drawing (SVG, DXF) or old notes (CSV, XLSX, ODS) does.",
            path=path.name,
        )
    )


def _format(text: str) -> str:
    """The format that a JSON document names, empty where it is none."""
    try:
        document = plain_of(text, "")
    except BadFile:
        return ""
    said = document.get("format", "") if isinstance(document, dict) else ""
    return said if isinstance(said, str) else ""


def unknown_words(trial: Trial, path: Path) -> str:
    """Return the sentence on a coupon from a file that the library does not hold."""
    return tr(
        "{trial} ({stock} on {machine}) is not in this library. Taking it in from "
        "{path} keeps it here with its machine and stock; nothing of yours changes.",
        trial=trial.name,
        stock=trial.stock.label,
        machine=trial.machine.name,
        path=path.name,
    )


def take_in_trial(session: Session, trial: Trial) -> None:
    """Keep a coupon from a file, with its machine and stock where the library lacks them.

    Raises LibraryTrouble.
    """
    store, why = session.store, tr("taken in with a coupon")
    if session.catalogue.machine(trial.machine.uid) is None:
        store.save_machine(trial.machine, why)
    if session.catalogue.stock(trial.stock.uid) is None:
        store.save_stock(trial.stock, why)
    store.save_trial(trial, "burn", tr("taken in from a file"))
    session.read_again()
