"""Where the library lies, how old its backups are, its copies and the way back from them."""

from __future__ import annotations

import os
import shutil
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path

from olive_almanac.core.dates import day_text
from olive_almanac.core.errors import LibraryTrouble
from olive_almanac.core.units import count_text
from olive_almanac.core.words import tr
from olive_almanac.steps.ports import LIBRARY_FILES, Backup, Copies
from olive_almanac.steps.preferences import load_preferences

__all__ = [
    "age_words",
    "backup_words",
    "copy_to_stick",
    "is_library",
    "look_folder",
    "move_work",
    "refuse_where_gone",
    "sweep_look",
]

OLD_DAYS = 7  # a newest backup older than that is pointed out
LOOK = "backup-to-look-at"  # nobody calls a folder of their own so


def is_library(folder: Path) -> bool:
    """Return whether a library lies in a folder."""
    return any((folder / name).exists() for name in LIBRARY_FILES)


def refuse_where_gone(folder: Path, preferences_file: Path) -> None:
    """Raise LibraryTrouble ("gone") where the folder that was chosen for the library holds none: on
    a stick that is not plugged in no new book is begun.
    """
    if str(folder) == load_preferences(preferences_file).library and not is_library(folder):
        raise LibraryTrouble(
            tr(
                "The library lies in {folder}, and it is not there now: is its stick or disk "
                "plugged in? Plug it in and start again. Nothing was changed.",
                folder=folder,
            ),
            "gone",
        )


def age_words(made: datetime, now: datetime) -> str:
    """Return how long ago that was: "today, 14:05", "yesterday", "9 days ago"."""
    days = (now.date() - made.astimezone(now.tzinfo).date()).days
    if days <= 0:
        return tr("today, {tzinfo:%H:%M}", tzinfo=made.astimezone(now.tzinfo))
    if days == 1:
        return tr("yesterday")
    return tr("{days} days ago", days=days)


def backup_words(backup: Backup, now: datetime) -> str:
    """Return what a backup is, in a line."""
    when = f"{day_text(backup.made.date().isoformat())}, {age_words(backup.made, now)}"
    if not backup.revisions:
        return tr("{when}: damaged, or nothing of a book in it", when=when)
    what = ""
    if "before" in backup.path.name:
        what = tr(", made before the program changed the book’s form")
    return f"{when}: {count_text(backup.revisions, 'revision')}{what}"


def copy_to_stick(
    copies: Copies, library: Path, folder: Path, day: str
) -> Iterator[tuple[str, Path]]:
    """Copy the library into a new folder below another, named by the day, and read it back: yields
    how far it is and where it lies.  Raises LibraryTrouble.
    """
    target, number = folder / f"olive-almanac-{day}", 1
    while os.path.exists(target):  # a name that no disk takes is told where it is written
        number += 1
        target = folder / f"olive-almanac-{day}-{number}"
    yield from move_work(copies, library, target)


def move_work(copies: Copies, library: Path, folder: Path) -> Iterator[tuple[str, Path]]:
    """Copy the library into an empty folder, where it shall lie from now on.

    Raises LibraryTrouble.
    """
    for step in copies.copy_library(library, folder):
        yield step, folder
    yield "", folder


def look_folder(home: Path) -> Path:
    """Return where the backup lies that is looked at."""
    return home / LOOK


def sweep_look(home: Path) -> None:
    """Delete the copy of a backup that was looked at, where there is one.

    Raises LibraryTrouble.
    """
    folder = look_folder(home)
    try:
        if folder.exists():
            shutil.rmtree(folder)
    except OSError as problem:
        raise LibraryTrouble(
            tr(
                "The copy of a backup in {folder} cannot be deleted ({strerror}). Delete the "
                "folder yourself; nothing of the book lies in it.",
                folder=folder,
                strerror=problem.strerror,
            ),
            "unwritable",
        ) from problem
