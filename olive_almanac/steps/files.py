"""Opening and swapping files: the only place that turns a path into bytes, with sentences for what
the disk says.
"""

from __future__ import annotations

import contextlib
import errno
import os
from collections.abc import Iterable, Mapping
from pathlib import Path

from olive_almanac.core.errors import BadFile, CannotWrite

__all__ = ["read_bytes", "read_text", "write_file", "write_together"]

MOST_BYTES = 50_000_000
MOST_PHOTO_BYTES = 300_000_000


def read_text(path: Path) -> str:
    """Return the text of a file; raises BadFile with a sentence when it cannot be had."""
    try:
        if path.stat().st_size > MOST_BYTES:
            raise BadFile(
                f"{path} is larger than {MOST_BYTES // 1_000_000} MB: that is no file of this "
                "program."
            )
        return path.read_text(encoding="utf-8")
    except FileNotFoundError:
        raise BadFile(f"{path} does not exist. Check the name and the folder.") from None
    except IsADirectoryError:
        raise BadFile(f"{path} is a folder, not a file.") from None
    except UnicodeDecodeError:
        raise BadFile(f"{path} is not a text file in UTF-8.") from None
    except OSError as problem:
        raise BadFile(f"{path} cannot be read: {problem.strerror}.") from problem


def read_bytes(path: Path) -> bytes:
    """Return the bytes of a file; raises BadFile with a sentence when it cannot be had."""
    try:
        if path.stat().st_size > MOST_PHOTO_BYTES:
            raise BadFile(
                f"{path} is larger than {MOST_PHOTO_BYTES // 1_000_000} MB: that is no photo."
            )
        return path.read_bytes()
    except FileNotFoundError:
        raise BadFile(f"{path} does not exist. Check the name and the folder.") from None
    except IsADirectoryError:
        raise BadFile(f"{path} is a folder, not a file.") from None
    except OSError as problem:
        raise BadFile(f"{path} cannot be read: {problem.strerror}.") from problem


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
    parts = {path: path.with_name(path.name + ".part") for path in contents}
    path = next(iter(contents))
    try:
        for path, content in contents.items():
            path.parent.mkdir(parents=True, exist_ok=True)
            with open(parts[path], "wb") as handle:
                if isinstance(content, str):
                    pieces: Iterable[bytes] = [content.encode()]
                elif isinstance(content, bytes):
                    pieces = [content]
                else:
                    pieces = content
                handle.writelines(pieces)
                handle.flush()
                os.fsync(handle.fileno())
        for path, part in parts.items():
            os.replace(part, path)
    except OSError as problem:
        for part in parts.values():
            with contextlib.suppress(OSError):
                part.unlink(missing_ok=True)
        raise CannotWrite(_told(path, problem)) from problem


def _told(path: Path, problem: OSError) -> str:
    reason = {
        errno.ENOSPC: "the disk is full. Free some space and write again",
        errno.EDQUOT: "your share of the disk is used up. Free some space and write again",
        errno.EROFS: "the disk is read-only. Choose another folder",
        errno.EACCES: "the folder is read-only. Make it writable or choose another folder",
        errno.EPERM: "the folder is read-only. Make it writable or choose another folder",
        errno.ENOTDIR: "part of the path is a file, not a folder. Choose another folder",
    }.get(problem.errno or 0, f"{problem.strerror}. Choose another folder")
    return f"Could not write {path}: {reason}."
