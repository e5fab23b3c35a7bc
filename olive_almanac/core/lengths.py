"""Lengths as the shop writes them: millimetres, or inches where these were chosen.

Sentences are written in mm, the unit behind its number: "{gap} mm", "6 mm", "mm apart".  Where the
shop measures in inches, `in_inches` finds the lengths of a sentence by that unit and rewrites them.
The unit is chosen once, before other modules are loaded (olive_almanac.language).
"""

from __future__ import annotations

import contextlib
import functools
import math
import re
from collections.abc import Iterator

__all__ = [
    "MM_PER_INCH",
    "SHOWN_UNITS",
    "in_inches",
    "inch_number",
    "length_unit",
    "lengths_within",
    "measure_in",
    "measured_in",
    "ruler_marks",
]

SHOWN_UNITS = ("mm", "in")
MM_PER_INCH = 25.4  # exact by definition
_unit = "mm"

# patterns as text: compiled when a shop of inches first needs them
_ATOM = r"(?:\{\w+(?:![rs])?(?::[^{}]*)?\}|(?<![\w.,])[+−-]?\d+(?:[.,]\d+)?)"
_JOINED = r"(?:,? (?:to|by|and|or|bis|mal|und|oder|×|x|±) |, |–)"
_UNIT = r"mm\b(?![/²³·-])"
_PLACE = rf"(?: (?:at|bei) {_ATOM}, {_ATOM})?"  # "12 mm at 30, 40"
_LENGTHS = rf"({_ATOM}(?:{_JOINED}{_ATOM})*)(\s?){_UNIT}({_PLACE})"
_FIELD = r"\{(\w+)(?:![rs])?(?::[^{}]*)?\}"
_NO_LENGTH = r"(?![.,]?\w)(?! ?[%°])(?! (?!x |to |by |bis )[a-z])"  # what may not follow
_NUMBER = rf"(?<![\w.,])([+−-]?)(\d+(?:[.,]\d+)?){_NO_LENGTH}"
_RATIO = r"(?! (?:up |hoch )?(?:per|je|pro) )"
_BARE_UNIT = rf"(?<![\w/{{])(?<!per )(?<!je )(?<!pro ){_UNIT}{_RATIO}"


def measure_in(unit: str) -> None:
    """Choose the unit of all lengths that are written from now on: "mm" or "in"."""
    global _unit
    _unit = unit


@contextlib.contextmanager
def measured_in(unit: str) -> Iterator[None]:
    """Write lengths in another unit for a while."""
    before = _unit
    measure_in(unit)
    try:
        yield
    finally:
        measure_in(before)


def length_unit() -> str:
    """Return the unit of lengths on screen and paper: "mm" or "in"."""
    return _unit


def inch_number(length_mm: float) -> str:
    """Return a length in mm as a number of inches, with a point and a true minus: to a hundredth
    from ten inches on, to a thousandth from a hundredth on, below that to a tenth of a thousandth.
    """
    inches = length_mm / MM_PER_INCH
    if not math.isfinite(inches):
        return str(inches)
    size = abs(inches)
    if size >= 10:
        decimals = 2
    elif size >= 0.01:
        decimals = 3
    elif size >= 0.0002 or size == 0:
        decimals = 4
    else:
        decimals = 1 - math.floor(math.log10(size))
    text = f"{inches:.{decimals}f}".rstrip("0").rstrip(".")
    return text.replace("-", "−") if text not in ("-0", "0") else "0"


def ruler_marks(low_mm: float, high_mm: float, least_mm: float) -> list[tuple[float, str]]:
    """Return the marks of a ruler from `low_mm` to `high_mm`, at least `least_mm` apart, at round
    numbers of the shop's unit: where each lies in mm, and its number.
    """
    one = MM_PER_INCH if _unit == "in" else 1.0
    rounds = (s * 10.0**power for power in range(6) for s in (1, 2, 5))
    step = next(s for s in rounds if s * one >= least_mm and (s >= 10 or _unit == "in"))
    first, last = math.ceil(low_mm / one / step - 1e-9), math.floor(high_mm / one / step + 1e-9)
    return [(n * step * one, f"{n * step:g}") for n in range(first, last + 1)]


def lengths_within(text: str, decimal: str = ".") -> str:
    """Return a text of lengths in mm with each of its numbers in inches: "112 × 84", "0.1 to 2".

    A number with a letter, percent or degree sign behind it is no length.
    """

    def inches(found: re.Match[str]) -> str:
        sign = found[1].replace("−", "-")
        mm = float(sign + found[2].replace(",", "."))
        told = inch_number(mm).replace(".", decimal)
        return "+" + told if sign == "+" else told

    return re.sub(_NUMBER, inches, text)


@functools.lru_cache(maxsize=8192)
def in_inches(sentence: str, decimal: str = ".") -> tuple[str, frozenset[str]]:
    """Return a sentence made for mm as one for inches, and which of its fields are lengths.

    Lengths are the numbers and {fields} that stand before "mm", alone or joined ("{x} × {y} mm").
    """
    lengths: set[str] = set()

    def rewritten(found: re.Match[str]) -> str:
        return f"{plain(found[1])}{found[2]}in{plain(found[3])}"

    def plain(words: str) -> str:
        """Fields lose their format, numbers become inches."""
        lengths.update(re.findall(_FIELD, words))
        parts = re.split(r"(\{\w+\})", re.sub(_FIELD, r"{\1}", words))
        return "".join(p if p.startswith("{") else lengths_within(p, decimal) for p in parts)

    told = re.sub(_LENGTHS, rewritten, sentence)
    told = re.sub(r"\bin mm\b", "in inches" if decimal == "." else "in Zoll", told)
    return re.sub(_BARE_UNIT, "in", told), frozenset(lengths)
