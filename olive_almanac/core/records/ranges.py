"""Range checks that every record's constructor uses, so that each refusal is worded alike."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from datetime import date, datetime

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.words import tr

__all__ = ["check_choice", "check_day", "check_number", "check_text", "check_time", "is_whole_text"]

EARLIEST, LATEST = 1900, 9000  # years


def check_number(
    field: str,
    value: float,
    unit: str = "",
    *,
    low: float = -math.inf,
    high: float = math.inf,
    above: float | None = None,
    key: str = "",
) -> None:
    """Raise OutOfRange unless value is finite and low <= value <= high (and value > above, if
    given).
    """
    try:
        good = math.isfinite(value) and low <= value <= high and (above is None or value > above)
    except (TypeError, OverflowError):  # an integer may be larger than any float
        allowed = tr("a number {unit}", unit=_allowed(unit, low, high, above))
        raise OutOfRange(field, repr(value)[:40], allowed, key=key) from None
    if not good or isinstance(value, bool):
        raise OutOfRange(field, value, _allowed(unit, low, high, above), unit, key=key)


def _allowed(unit: str, low: float, high: float, above: float | None) -> str:
    tail = ""
    if unit:
        tail = f" {unit}"
    if above is not None:
        least = tr("above {above:g}", above=above)
    elif low > -math.inf:
        least = tr("at least {low:g}", low=low)
    else:
        least = ""
    if high < math.inf:
        if least:
            return tr("{least} and at most {high:g}{tail}", least=least, high=high, tail=tail)
        return tr("at most {high:g}{tail}", high=high, tail=tail)
    if least:
        return least + tail
    return tr("a finite number")


def check_choice(field: str, value: object, choices: Iterable[object]) -> None:
    """Raise OutOfRange unless value is one of `choices`."""
    choices = tuple(choices)
    if value not in choices:
        raise OutOfRange(
            field, f"“{value}”", tr("one of ") + ", ".join(str(choice) for choice in choices)
        )


def check_text(field: str, value: str, most: int = 200, *, empty: bool = False) -> None:
    """Raise OutOfRange unless value is a text of 1 to `most` characters that is not blank, or empty
    where that is allowed.
    """
    if empty and value == "":
        return
    if not isinstance(value, str) or not value.strip():
        raise OutOfRange(field, "empty", tr("filled in"))
    if len(value) > most:
        raise OutOfRange(
            field,
            tr("{length} characters", length=len(value)),
            tr("at most {most} characters long", most=most),
        )


def is_whole_text(text: str) -> bool:
    """Return whether a text can be kept: halves of characters, as bytes of another system leave
    them, cannot.
    """
    try:
        text.encode()
    except UnicodeEncodeError:
        return False
    return True


def check_day(field: str, value: str, *, empty: bool = False) -> None:
    """Raise OutOfRange unless value is an ISO date of our times, or empty where that is allowed."""
    _check_when(field, value, date.fromisoformat, tr("a date as 2026-04-14"), empty=empty)


def check_time(field: str, value: str, *, empty: bool = False) -> None:
    """Raise OutOfRange unless value is an ISO time of our times (a date alone counts), or empty
    where that is allowed.
    """
    _check_when(field, value, datetime.fromisoformat, tr("a time as 2026-04-14T17:30"), empty=empty)


def _check_when(
    field: str, value: str, read: Callable[[str], date], allowed: str, *, empty: bool
) -> None:
    if empty and value == "":
        return
    try:
        good = EARLIEST <= read(value).year <= LATEST
    except (ValueError, TypeError):
        good = False
    if not good:
        raise OutOfRange(field, repr(value)[:40], allowed)
