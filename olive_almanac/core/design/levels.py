"""Levels of a factor, from sentences and from the command line: `from:to:steps` or a comma list."""

from __future__ import annotations

import math
from collections.abc import Callable

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.units import SPEED_UNITS, read_number, read_speed_mm_s

__all__ = [
    "MOST_LEVELS",
    "even_levels",
    "ratio_levels",
    "read_levels",
    "round_level",
    "speed_reader",
]

MOST_LEVELS = 40


def even_levels(low: float, high: float, steps: int, field: str = "Levels") -> tuple[float, ...]:
    """Return `steps` evenly spaced levels from low to high, both included; one level needs low ==
    high.
    """
    for value in (low, high):
        if not math.isfinite(value):
            raise OutOfRange(field, value, "finite")
    if not 1 <= steps <= MOST_LEVELS:
        what = f"Steps of {field.lower()}"
        raise OutOfRange(what, steps, f"from 1 to {MOST_LEVELS}", key="steps")
    if low > high:
        raise OutOfRange(field, f"{low:g} to {high:g}", "from the lower to the higher value")
    if (steps == 1) != (low == high):
        raise OutOfRange(
            field,
            f"{low:g} to {high:g} in {steps}",
            "one step of one value, or several between two values",
        )
    if steps == 1:
        return (low,)
    return tuple(low + (high - low) * i / (steps - 1) for i in range(steps))


def ratio_levels(low: float, high: float, steps: int, field: str = "Levels") -> tuple[float, ...]:
    """Return `steps` levels from low to high, each the same factor above the last: evenly spaced in
    ln, as energy is.
    """
    if not (math.isfinite(low) and low > 0):
        raise OutOfRange(field, low, "above 0 to go by ratio")
    even = even_levels(math.log(low), math.log(high) if high > 0 else -math.inf, steps, field)
    return tuple(float(f"{math.exp(x):.6g}") for x in even)


def read_levels(
    text: str, field: str, read: Callable[[str], float], unit: str = ""
) -> tuple[float, ...]:
    """Return the levels written as `40:100:6` or `40,70,100`, with an optional unit behind the last
    number.
    """
    body, tail = text.strip(), ""
    for known in (unit, *SPEED_UNITS):
        if known and body.endswith(known):
            body, tail = body[: -len(known)].strip(), known
            break
    if ":" in body:
        parts = body.split(":")
        if len(parts) != 3:
            raise OutOfRange(field, f"“{text}”", "written as from:to:steps")
        steps = read_number(parts[2], f"Steps of {field.lower()}")
        if steps != int(steps):
            raise OutOfRange(f"Steps of {field.lower()}", parts[2], "a whole number")
        return even_levels(read(parts[0] + tail), read(parts[1] + tail), int(steps), field)
    levels = tuple(sorted({read(part + tail) for part in body.split(",")}))
    if len(levels) > MOST_LEVELS:
        raise OutOfRange(f"Steps of {field.lower()}", len(levels), f"at most {MOST_LEVELS}")
    return levels


def speed_reader(default_unit: str = "mm/s") -> Callable[[str], float]:
    """Return a reader of one speed for `read_levels`."""
    return lambda text: read_speed_mm_s(text, default_unit=default_unit)


def round_level(value: float, digits: int = 2) -> float:
    """Return a level rounded to `digits` significant digits, so that it can be dialled in."""
    if value == 0:
        return 0.0
    return round(value, digits - 1 - math.floor(math.log10(abs(value))))
