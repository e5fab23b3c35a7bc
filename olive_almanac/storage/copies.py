"""Copies of a library: its backups as they lie there, one put in place or opened in a copy, and the
whole library, with its photos, into another folder.
"""

from __future__ import annotations

import hashlib
import shutil
import sqlite3
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from olive_almanac.core.errors import LibraryTrouble
from olive_almanac.core.words import tr
from olive_almanac.storage.backups import BACKUPS, copy_database, is_whole, revisions_in
from olive_almanac.storage.engines import FILE, PLAYGROUND, server_of

__all__ = ["Backup", "backups_of", "copy_library", "open_in_copy"]

PHOTOS = "photos"


@dataclass(frozen=True)
class Backup:
    """A backup of a library: where it lies, when it was made, how many revisions it holds; 0 where
    it is damaged or none of ours.
    """

    path: Path
    made: datetime
    revisions: int


def backups_of(folder: Path) -> tuple[Backup, ...]:
    """Return the backups of the library in `folder`, the newest first."""
    found = []
    for path in (folder / BACKUPS).glob("almanac-*.db"):
        made = datetime.fromtimestamp(path.stat().st_mtime).astimezone()
        found.append(Backup(path, made, revisions_in(path) if is_whole(path) else 0))
    return tuple(sorted(found, key=lambda one: (one.made, one.path.name), reverse=True))


def open_in_copy(backup: Path, folder: Path) -> None:
    """Lay a backup, with the photos of its library, as a library of its own into a folder, which
    is emptied first.  Raises LibraryTrouble.
    """
    with _telling(folder):
        shutil.rmtree(folder, ignore_errors=True)
        folder.mkdir(parents=True)
        shutil.copyfile(backup, folder / FILE)
        for photo in _photos(backup.parents[1]):
            _link(photo, folder / PHOTOS / photo.name)
        if (backup.parents[1] / PLAYGROUND).exists():
            shutil.copyfile(backup.parents[1] / PLAYGROUND, folder / PLAYGROUND)


def copy_library(source: Path, target: Path) -> Iterator[str]:
    """Copy the library of a folder, which may be open, into another that is empty or missing; read
    it back, and yield in words how far it is.

    Where it fails nothing of it is left.  Raises LibraryTrouble.
    """
    with _telling(target):
        begun = not target.exists()
        is_taken = not begun and any(target.iterdir())
        lies_inside = source.resolve() in target.resolve().parents
    if is_taken:
        raise LibraryTrouble(
            tr(
                "{target} is not empty. Choose an empty folder: nothing is written over.",
                target=target,
            ),
            "unwritable",
        )
    if lies_inside:
        raise LibraryTrouble(
            tr("{target} lies inside the library. Choose a folder outside it.", target=target),
            "unwritable",
        )
    if server_of(source):
        raise LibraryTrouble(
            tr(
                "The records of this library lie on a server: back it up where the server stands, "
                "or save it whole as JSON (book --save library.json)."
            ),
            "server",
        )
    held = revisions_in(source / FILE)  # more may be written meanwhile
    if not held:
        raise LibraryTrouble(
            tr(
                "{source} holds no record yet, or cannot be read: nothing was copied. Open it "
                "first to see which.",
                source=source / FILE,
            ),
            "damaged",
        )
    try:
        with _telling(target):
            target.mkdir(parents=True, exist_ok=True)
            yield tr("the records")
            copy_database(source / FILE, target / FILE)
            photos = _photos(source)
            for n, photo in enumerate(photos):
                yield tr("photo {n} of {photos}", n=n + 1, photos=len(photos))
                _copy_whole(photo, target / PHOTOS / photo.name)
            if (source / PLAYGROUND).exists():
                _copy_whole(source / PLAYGROUND, target / PLAYGROUND)
            yield tr("reading it back")
            if revisions_in(target / FILE) < held or not is_whole(target / FILE):
                raise LibraryTrouble(
                    tr(
                        "What was written to {target} does not read back as it should. Check the "
                        "stick or the disk, and copy again.",
                        target=target,
                    ),
                    "damaged",
                )
    except BaseException:  # a half copy is worse than none, also where it was stopped
        shutil.rmtree(target, ignore_errors=True)
        if not begun:
            target.mkdir(exist_ok=True)
        raise


def _photos(folder: Path) -> list[Path]:
    return sorted(path for path in (folder / PHOTOS).glob("*") if path.is_file())


def _link(source: Path, target: Path) -> None:
    """The same photo under another folder; a copy where the disk knows no links."""
    target.parent.mkdir(parents=True, exist_ok=True)
    try:
        target.hardlink_to(source)
    except OSError:
        shutil.copyfile(source, target)


def _copy_whole(source: Path, target: Path) -> None:
    target.parent.mkdir(parents=True, exist_ok=True)
    shutil.copyfile(source, target)
    sums = [hashlib.sha256(path.read_bytes()).digest() for path in (source, target)]
    if sums[0] != sums[1]:
        raise LibraryTrouble(
            tr("{source} was not copied whole. Copy again.", source=source), "damaged"
        )


class _telling:
    """Turns what the disk or the database says into a sentence."""

    def __init__(self, target: Path) -> None:
        self._target = target

    def __enter__(self) -> None:
        pass

    def __exit__(self, kind: object, problem: BaseException | None, trace: object) -> None:
        if isinstance(problem, OSError):
            raise LibraryTrouble(
                tr(
                    "{target} cannot be written: {strerror}. Nothing of the library was changed.",
                    target=self._target,
                    strerror=problem.strerror,
                ),
                "unwritable",
            ) from problem
        if isinstance(problem, sqlite3.Error):
            raise LibraryTrouble(
                tr(
                    "The records cannot be copied to {target}: {problem}. Nothing of the library "
                    "was changed.",
                    target=self._target,
                    problem=problem,
                ),
                "unwritable",
            ) from problem
