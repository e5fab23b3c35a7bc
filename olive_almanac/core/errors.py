"""Errors whose text may be shown to the operator as it is.

`AlmanacError` and its kinds speak of the world's faults and of bad input: what, where, what to do.
Any other exception is a fault of ours and goes into a report.
"""

from __future__ import annotations

import contextlib
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from olive_almanac.core.lengths import in_inches, length_unit, lengths_within
from olive_almanac.core.words import decimal_sign, tr

__all__ = [
    "AlmanacError",
    "BadFile",
    "Barred",
    "CannotWrite",
    "Finding",
    "LibraryCode",
    "LibraryTrouble",
    "OutOfRange",
    "field_key",
]


class AlmanacError(Exception):
    """Base of every error this application raises on purpose."""


class OutOfRange(AlmanacError, ValueError):
    """A number or word lies outside what the formula, the record or the machine allows.

    `field` is its name in words; `key` names the field that a form would mark, where it is known.
    """

    def __init__(
        self, field: str, value: object, allowed: str, unit: str = "", *, key: str = ""
    ) -> None:
        if isinstance(value, float):
            shown = f"{value:g}".replace(".", decimal_sign())
        else:
            shown = f"{value}"
        if unit == "mm" and length_unit() == "in":
            # what is allowed may name the unit or not: its numbers are lengths in either case
            if "mm" in allowed:
                allowed = in_inches(allowed, decimal_sign())[0]
            else:
                allowed = lengths_within(allowed, decimal_sign())
            shown, unit = lengths_within(shown, decimal_sign()), "in"
        told = f"{shown} {unit}".rstrip()
        super().__init__(
            tr("{field} must be {allowed}, not {told}.", field=field, allowed=allowed, told=told)
        )
        self.field = field
        self.value = value
        self.allowed = allowed
        self.unit = unit
        self.key = key


@contextlib.contextmanager
def field_key(key: str) -> Iterator[None]:
    """Say which field of a form is being read: what is refused meanwhile carries its key."""
    try:
        yield
    except OutOfRange as problem:
        problem.key = problem.key or key
        raise


class Barred(AlmanacError):
    """This stock must not be burnt, so nothing is planned for it."""


class BadFile(AlmanacError):
    """An outside file cannot be used: the text names the file, the place in it and what is
    wrong.
    """


class CannotWrite(AlmanacError):
    """A file could not be written: folder read-only, disk full, path gone."""


LibraryCode = Literal[
    "opening",
    "busy",
    "damaged",
    "restorable",
    "shrunk",
    "gone",
    "newer",
    "unwritable",
    "full",
    "missing",
    "server",
    "replaced",
    "conflict",
    "failed",
]


class LibraryTrouble(AlmanacError):
    """The library cannot be read or written.

    `code` says what is the matter: still "opening", "busy" (locked), "damaged" (no backup to go
    back to), "restorable" (damaged, with a good backup), "shrunk" (holds less than its backup),
    "gone" (with its stick or disk), "newer" than this program, "unwritable" (read-only, not
    reachable), disk "full", "missing" (a part of it), "server" (not reached, refused), "replaced"
    (by another file while open), "conflict" (changed in another window meanwhile), "failed".
    """

    def __init__(self, text: str, code: LibraryCode = "failed") -> None:
        super().__init__(text)
        self.code = code


@dataclass(frozen=True)
class Finding:
    """One remark on an outside file: a machine-readable code, the place in the file, and the
    sentence to show.
    """

    code: str
    where: str
    text: str
