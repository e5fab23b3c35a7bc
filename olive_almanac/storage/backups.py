"""The backups of a library: which are good, which may go, and how one is put back.

Revisions are only ever added, so of two backups of one book the fuller one is the later one.
"""

from __future__ import annotations

import contextlib
import os
import sqlite3
from collections.abc import Callable, Sequence
from datetime import datetime
from pathlib import Path
from urllib.parse import quote

from olive_almanac.core.errors import LibraryTrouble
from olive_almanac.core.words import tr
from olive_almanac.storage.engines import FILE
from olive_almanac.storage.exchange import TABLES

__all__ = [
    "BACKUPS",
    "BACKUPS_KEPT",
    "copy_database",
    "is_whole",
    "newest_backup",
    "prune",
    "put_back",
    "revisions_in",
]

BACKUPS = "backups"
BACKUPS_KEPT = 14


def newest_backup(folder: Path) -> tuple[Path, int] | None:
    """Return the fullest good backup of the library in `folder`, of equal ones the newest, and how
    many revisions it holds; None where none holds any.

    Good is one that is ours, opens and passes SQLite's check.
    """
    best: tuple[int, float, Path] | None = None
    for path in (folder / BACKUPS).glob("almanac-*.db"):
        revisions = revisions_in(path)
        if revisions and is_whole(path):
            best = max(best or (0, 0.0, path), (revisions, path.stat().st_mtime, path))
    if best is None:
        return None
    return best[2], best[0]


def copy_database(source: Path, target: Path) -> None:
    """Copy a database that may be in use, by SQLite's online backup; the target is whole or not
    there.  Raises sqlite3.DatabaseError and OSError.
    """
    target.parent.mkdir(exist_ok=True)
    part = target.with_suffix(".part")
    with (
        contextlib.closing(sqlite3.connect(source)) as opened,
        contextlib.closing(sqlite3.connect(part)) as copy,
    ):
        opened.backup(copy)
    part.replace(target)


def prune(folder: Path, newest: Path) -> None:
    """Remove daily backups beyond BACKUPS_KEPT, the oldest first; never `newest`, nor one that
    holds more than all that stay.
    """
    daily = sorted(path for path in (folder / BACKUPS).glob("almanac-2*.db") if path != newest)
    few = BACKUPS_KEPT - 1
    doomed, kept = daily[:-few], [*daily[-few:], newest]
    if not doomed:
        return
    most = max(revisions_in(path) for path in kept)
    for path in reversed(doomed):
        revisions = revisions_in(path)
        if revisions > most:
            most = revisions
        else:
            path.unlink()


def put_back(
    folder: Path, *, clock: Callable[[], datetime], chosen: Path | None = None
) -> tuple[Path, Path]:
    """Put a backup in place, the fullest good one unless another is chosen; the file that was there
    is set aside, never thrown away.

    Returns the backup used and where the other file now lies.  Raises LibraryTrouble without a good
    backup.
    """
    found = newest_backup(folder)
    if found is None:
        raise LibraryTrouble(
            tr(
                "There is no good backup in {folder}. The damaged file was not touched.",
                folder=folder / BACKUPS,
            ),
            "damaged",
        )
    backup = chosen or found[0]
    if not revisions_in(backup) or not is_whole(backup):
        raise LibraryTrouble(
            tr(
                "The backup {backup} is damaged or empty. Nothing was changed; choose another.",
                backup=backup.name,
            ),
            "damaged",
        )
    part = folder / (FILE + ".part")
    with open(part, "wb") as handle:  # whole on the disk before anything is moved
        handle.write(backup.read_bytes())
        handle.flush()
        os.fsync(handle.fileno())
    aside = _free_name(folder, f"almanac-damaged-{clock():%Y-%m-%d-%H%M%S}", ("", "-wal", "-shm"))
    for suffix in ("-wal", "-shm", ""):
        if (folder / (FILE + suffix)).exists():
            (folder / (FILE + suffix)).rename(aside.with_name(aside.name + suffix))
    part.replace(folder / FILE)
    return backup, aside


def _free_name(folder: Path, stem: str, suffixes: Sequence[str]) -> Path:
    """A name for a database that neither it nor the files beside it have yet."""
    name, number = f"{stem}.db", 1
    while any((folder / (name + suffix)).exists() for suffix in suffixes):
        number += 1
        name = f"{stem}-{number}.db"
    return folder / name


def _opened(path: Path) -> contextlib.closing[sqlite3.Connection]:
    """A database, opened to be read; nothing is written beside a backup."""
    alone = "&immutable=1" if path.parent.name == BACKUPS else ""
    address = f"file:{quote(os.fsencode(path.absolute()))}?mode=ro{alone}"
    return contextlib.closing(sqlite3.connect(address, uri=True))


def revisions_in(path: Path) -> int:
    """How many revisions a file holds; 0 where it is no library of ours or cannot be read."""
    try:
        with _opened(path) as connection:
            version = connection.execute("SELECT version_num FROM alembic_version").fetchone()
            if version is None:
                return 0
            there = connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")
            names = {name for (name,) in there} & set(TABLES)
            counts = [connection.execute(f"SELECT count(*) FROM {name}") for name in names]
            return sum(int(count.fetchone()[0]) for count in counts)
    except sqlite3.DatabaseError:
        return 0


def is_whole(path: Path) -> bool:
    """Return whether a file opens as a database and passes SQLite's check."""
    try:
        with _opened(path) as connection:
            return bool(connection.execute("PRAGMA quick_check").fetchone() == ("ok",))
    except sqlite3.DatabaseError:
        return False
