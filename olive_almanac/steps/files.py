"""Opening and swapping files: the only place that turns a path into bytes, with sentences for what
the disk says.
"""

from __future__ import annotations

import contextlib
import errno
import fcntl
import os
import stat
import time
from collections.abc import Collection, Iterable, Iterator, Mapping
from pathlib import Path

from olive_almanac.core.errors import BadFile, CannotWrite
from olive_almanac.core.words import tr

__all__ = [
    "below",
    "name_of",
    "read_bytes",
    "read_text",
    "sweep_parts",
    "write_file",
    "write_together",
]

MOST_BYTES = 50_000_000
MOST_PHOTO_BYTES = 300_000_000
LEFT_S = 3600.0  # a part that old belongs to no run that is still going


def read_text(path: Path) -> str:
    """Return the text of a file; raises BadFile with a sentence when it cannot be had."""
    content = _content(path, MOST_BYTES, tr("no file of this program"))
    try:
        return content.decode("utf-8")
    except UnicodeDecodeError:
        raise BadFile(tr("{path} is not a text file in UTF-8.", path=path)) from None


def read_bytes(path: Path) -> bytes:
    """Return the bytes of a file; raises BadFile with a sentence when it cannot be had."""
    return _content(path, MOST_PHOTO_BYTES, tr("no photo"))


def _content(path: Path, most: int, what: str) -> bytes:
    """The bytes of an ordinary file; a device or a pipe may never end, so none is opened."""
    try:
        mode = path.stat().st_mode
        if stat.S_ISDIR(mode):
            raise BadFile(tr("{path} is a folder, not a file.", path=path))
        if not stat.S_ISREG(mode):
            raise BadFile(
                tr("{path} is a device or a pipe, not a file. Save it as a file first.", path=path)
            )
        with path.open("rb") as file:
            content = file.read(most + 1)
    except FileNotFoundError:
        raise BadFile(
            tr("{path} does not exist. Check the name and the folder.", path=path)
        ) from None
    except OSError as problem:
        raise BadFile(
            tr("{path} cannot be read: {strerror}.", path=path, strerror=problem.strerror)
        ) from problem
    except ValueError:
        raise BadFile(tr("{path!r} cannot be the name of a file.", path=str(path))) from None
    if len(content) > most:
        raise BadFile(
            tr(
                "{path} is larger than {most} MB: that is {what}.",
                path=path,
                most=most // 1000000,
                what=what,
            )
        )
    return content


def name_of(path: Path) -> str:
    """Return the name of a file as a text that can be kept: a name from another system may hold
    bytes that are none.
    """
    return path.name.encode(errors="replace").decode()


def below(folder: Path, name: str) -> Path:
    """Return the path of a name inside a folder.

    Raises BadFile where it would lead anywhere else.
    """
    path = folder / name
    if not name or name in (".", "..") or path.name != name or "\0" in name:
        raise BadFile(
            tr(
                "“{name}” would name a file outside {folder}. Nothing was written.",
                name=name[:60],
                folder=folder,
            )
        )
    return path


def sweep_parts(folder: Path) -> None:
    """Delete what killed runs have left half written in a folder's burn files, cards and photos."""
    before = time.time() - LEFT_S
    for part in folder.glob("**/*.part"):
        with contextlib.suppress(OSError):  # somebody else swept it: nothing is lost
            if part.stat().st_mtime < before:
                part.unlink()


def write_file(path: Path, content: str | bytes | Iterable[bytes]) -> None:
    """Write beside the target, then swap: the old file stays whole until the new one is.

    Raises CannotWrite.
    """
    write_together({path: content})


def write_together(contents: Mapping[Path, str | bytes | Iterable[bytes]]) -> None:
    """Write several files so that none is swapped in before all are whole on the disk; pieces are
    written as they come.

    Raises CannotWrite.
    """
    for path in contents:
        _check_target(path)
    path = next(iter(contents))
    try:
        for path in contents:
            path.parent.mkdir(parents=True, exist_ok=True)
        with _alone_in({path.parent for path in contents}):
            _write_and_swap(contents)
    except _AtFile as problem:
        raise CannotWrite(_told(problem.path, problem.fault)) from problem.fault
    except OSError as problem:
        raise CannotWrite(_told(path, problem)) from problem


class _AtFile(Exception):
    def __init__(self, path: Path, fault: OSError) -> None:
        super().__init__(str(fault))
        self.path, self.fault = path, fault


@contextlib.contextmanager
def _alone_in(folders: Collection[Path]) -> Iterator[None]:
    """Hold folders while files are written into them, so that what two programs write at the same
    time never mixes.
    """
    with contextlib.ExitStack() as held:
        for folder in sorted(folders):
            handle = os.open(folder, os.O_RDONLY)
            held.callback(os.close, handle)
            with contextlib.suppress(OSError):  # a disk without locks: as before
                fcntl.flock(handle, fcntl.LOCK_EX)
        yield


def _write_and_swap(contents: Mapping[Path, str | bytes | Iterable[bytes]]) -> None:
    parts = {path: path.with_name(path.name + ".part") for path in contents}
    path = next(iter(contents))
    try:
        for path, content in contents.items():
            with open(parts[path], "wb") as handle:
                handle.writelines(_pieces(content))
                handle.flush()
                os.fsync(handle.fileno())
        for path, part in parts.items():
            os.replace(part, path)
    except OSError as problem:
        raise _AtFile(path, problem) from problem
    finally:
        for part in parts.values():  # none is left where all went well
            with contextlib.suppress(OSError):
                part.unlink(missing_ok=True)


def _pieces(content: str | bytes | Iterable[bytes]) -> Iterable[bytes]:
    if isinstance(content, str):
        return [content.encode(errors="replace")]
    if isinstance(content, bytes):
        return [content]
    return content


def _check_target(path: Path) -> None:
    """Refuse what is no name of a file, and what is there and no ordinary file: swapping would
    replace a device.
    """
    if "\0" in str(path) or not path.name:
        raise CannotWrite(
            tr("{path!r} cannot be the name of a file. Choose another.", path=str(path))
        )
    try:
        ordinary = not path.exists() or path.is_file()
    except OSError as problem:
        raise CannotWrite(_told(path, problem)) from problem
    if not ordinary:
        raise CannotWrite(
            tr("Could not write {path}: it is no ordinary file. Choose another name.", path=path)
        )


def _told(path: Path, problem: OSError) -> str:
    reason = {
        errno.ENOSPC: tr("the disk is full. Free some space and write again"),
        errno.EDQUOT: tr("your share of the disk is used up. Free some space and write again"),
        errno.EROFS: tr("the disk is read-only. Choose another folder"),
        errno.EACCES: tr("the folder is read-only. Make it writable or choose another folder"),
        errno.EPERM: tr("the folder is read-only. Make it writable or choose another folder"),
        errno.ENOTDIR: tr("part of the path is a file, not a folder. Choose another folder"),
    }.get(problem.errno or 0, tr("{strerror}. Choose another folder", strerror=problem.strerror))
    return tr("Could not write {path}: {reason}.", path=path, reason=reason)
