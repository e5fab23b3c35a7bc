"""Errors whose text may be shown to the operator as it is.

`AlmanacError` and its kinds speak of the world's faults and of bad input: what, where, what to do.
Any other exception is a fault of ours and goes into a report.
"""

from __future__ import annotations

from dataclasses import dataclass

__all__ = [
    "AlmanacError",
    "BadFile",
    "Barred",
    "CannotWrite",
    "Finding",
    "LibraryTrouble",
    "OutOfRange",
]


class AlmanacError(Exception):
    """Base of every error this application raises on purpose."""


class OutOfRange(AlmanacError, ValueError):
    """A number or word lies outside what the formula, the record or the machine allows."""

    def __init__(self, field: str, value: object, allowed: str, unit: str = "") -> None:
        if isinstance(value, float):
            shown = f"{value:g}"
        else:
            shown = f"{value}"
        super().__init__(f"{field} must be {allowed}, not {shown}{' ' + unit if unit else ''}.")
        self.field = field
        self.value = value
        self.allowed = allowed
        self.unit = unit


class Barred(AlmanacError):
    """This stock must not be burnt, so nothing is planned for it."""


class BadFile(AlmanacError):
    """An outside file cannot be used: the text names the file, the place in it and what is
    wrong.
    """


class CannotWrite(AlmanacError):
    """A file could not be written: folder read-only, disk full, path gone."""


class LibraryTrouble(AlmanacError):
    """The library cannot be read or written: locked, damaged, read-only, newer than this program,
    disk full.
    """


@dataclass(frozen=True)
class Finding:
    """One remark on an outside file: a machine-readable code, the place in the file, and the
    sentence to show.
    """

    code: str
    where: str
    text: str
