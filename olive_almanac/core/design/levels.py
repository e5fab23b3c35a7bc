"""Levels of a factor, from sentences and from the command line: `from:to:steps` or a comma list."""

from __future__ import annotations

import math
import re
from collections.abc import Callable

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.units import SPEED_UNITS, read_number, read_speed_mm_s, split_list
from olive_almanac.core.words import mid_sentence, tr

__all__ = [
    "MOST_LEVELS",
    "even_levels",
    "ratio_levels",
    "read_levels",
    "round_level",
    "speed_reader",
]

MOST_LEVELS = 40
# "1,200" of speeds: one number to who types it, 1 and 200 to a list
_ONE_OR_TWO = re.compile(r"(?<![\d.])[1-9],\d\d0(?!\d)")


def even_levels(
    low: float, high: float, steps: int, field: str = tr("Levels")
) -> tuple[float, ...]:
    """Return `steps` evenly spaced levels from low to high, both included; one level needs low ==
    high.
    """
    for value in (low, high):
        if not math.isfinite(value):
            raise OutOfRange(field, value, "finite")
    if not 1 <= steps <= MOST_LEVELS:
        what = tr("Steps of {field}", field=mid_sentence(field))
        raise OutOfRange(
            what, steps, tr("from 1 to {most_levels}", most_levels=MOST_LEVELS), key="steps"
        )
    if low > high:
        raise OutOfRange(
            field,
            tr("{low:g} to {high:g}", low=low, high=high),
            tr("from the lower to the higher value"),
        )
    if (steps == 1) != (low == high):
        raise OutOfRange(
            field,
            tr("{low:g} to {high:g} in {steps}", low=low, high=high, steps=steps),
            tr("one step of one value, or several between two values"),
        )
    if steps == 1:
        return (low,)
    return tuple(low + (high - low) * i / (steps - 1) for i in range(steps))


def ratio_levels(
    low: float, high: float, steps: int, field: str = tr("Levels")
) -> tuple[float, ...]:
    """Return `steps` levels from low to high, each the same factor above the last: evenly spaced in
    ln, as energy is.
    """
    if not (math.isfinite(low) and low > 0):
        raise OutOfRange(field, low, tr("above 0 to go by ratio"))
    even = even_levels(math.log(low), math.log(high) if high > 0 else -math.inf, steps, field)
    return tuple(float(f"{math.exp(x):.6g}") for x in even)


def read_levels(
    text: str, field: str, read: Callable[[str], float], unit: str = ""
) -> tuple[float, ...]:
    """Return the levels written as `40:100:6` or `40,70,100`, with an optional unit behind the last
    number.  Raises OutOfRange for speeds such as "1,200", too: 1 would be a fire.
    """
    if unit in SPEED_UNITS and _ONE_OR_TWO.search(text):
        plain = tr("a number without a sign for thousands, or a list with spaces (5, 100)")
        raise OutOfRange(field, f"“{text.strip()}”", plain)
    body, tail = text.strip(), ""
    for known in (unit, *SPEED_UNITS):
        if known and body.endswith(known):
            body, tail = body[: -len(known)].strip(), known
            break
    if ":" in body:
        parts = body.split(":")
        if len(parts) != 3:
            raise OutOfRange(field, f"“{text}”", tr("written as from:to:steps"))
        steps = read_number(parts[2], tr("Steps of {field}", field=mid_sentence(field)))
        if steps != int(steps):
            raise OutOfRange(
                tr("Steps of {field}", field=mid_sentence(field)), parts[2], tr("a whole number")
            )
        return even_levels(read(parts[0] + tail), read(parts[1] + tail), int(steps), field)
    levels = tuple(sorted({read(part + tail) for part in split_list(body)}))
    if len(levels) > MOST_LEVELS:
        raise OutOfRange(
            tr("Steps of {field}", field=mid_sentence(field)),
            len(levels),
            tr("at most {most_levels}", most_levels=MOST_LEVELS),
        )
    return levels


def speed_reader(default_unit: str = "mm/s") -> Callable[[str], float]:
    """Return a reader of one speed for `read_levels`."""
    return lambda text: read_speed_mm_s(text, default_unit=default_unit)


def round_level(value: float, digits: int = 2) -> float:
    """Return a level rounded to `digits` significant digits, so that it can be dialled in."""
    if value == 0:
        return 0.0
    return round(value, digits - 1 - math.floor(math.log10(abs(value))))
