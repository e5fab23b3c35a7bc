"""The only place where units are converted, read from text and written as text.

Inside the program: mm, mm/s, s, W, J, and power as a fraction 0..1 of the machine's optical power.
Everything else exists only at the edges, and passes through here.
"""

from __future__ import annotations

import functools
import math
import re
import unicodedata

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.words import decimal_sign, tr, trn

__all__ = [
    "MM_PER_INCH",
    "SPEED_UNITS",
    "capital",
    "chance_text",
    "count_text",
    "dpi_from_pitch",
    "duration_text",
    "fixed_text",
    "lengths_text",
    "local_text",
    "number_text",
    "passes_text",
    "percent_text",
    "pitch_from_dpi",
    "read_length_mm",
    "read_lengths_mm",
    "read_number",
    "read_sides_mm",
    "read_speed_mm_s",
    "speed_in",
    "speed_text",
    "split_list",
]

MM_PER_INCH = 25.4  # exact by definition
SPEED_UNITS = {
    "mm/s": 1.0,
    "mm/min": 1 / 60,
    "m/min": 1000 / 60,
    "in/s": MM_PER_INCH,
    "in/min": MM_PER_INCH / 60,
}
LENGTH_UNITS = {
    "mm": 1.0,
    "cm": 10.0,
    "in": MM_PER_INCH,
    "inch": MM_PER_INCH,
    '"': MM_PER_INCH,
    "thou": MM_PER_INCH / 1000,
}
_NUMBER = re.compile(r"^\s*([+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][+-]?\d+)?)\s*(.*?)\s*$")
_FRACTION = re.compile(r"^\s*(?:(\d+)[ -])?(\d+)\s*/\s*(\d+)\s*(in|inch|\")?\s*$")
_VULGAR = re.compile("[\u00bc-\u00be\u2150-\u215e]")
_INCH_MARKS = str.maketrans({"”": '"', "″": '"', "“": '"'})
_COMMA = re.compile(",")
_BETWEEN = re.compile(r",\s+|,(?!\d)|(?<!\d),")
_DECIMAL_COMMA = re.compile(r"^\s*\d+,\d+\s*$")


def pitch_from_dpi(dpi: float) -> float:
    """Return the line pitch in mm of a raster of `dpi` lines per inch: 25.4 / dpi."""
    if not (math.isfinite(dpi) and dpi > 0):
        raise OutOfRange("Lines per inch", dpi, "above 0", "dpi")
    return MM_PER_INCH / dpi


def dpi_from_pitch(pitch_mm: float) -> float:
    """Return the lines per inch of a line pitch in mm: 25.4 / pitch."""
    if not (math.isfinite(pitch_mm) and pitch_mm > 0):
        raise OutOfRange("Line pitch", pitch_mm, "above 0", "mm")
    return MM_PER_INCH / pitch_mm


def speed_in(speed_mm_s: float, unit: str) -> float:
    """Return a speed given in mm/s as a number of `unit` (one of SPEED_UNITS)."""
    return speed_mm_s / _factor(SPEED_UNITS, unit, "Speed")


def read_number(text: str, field: str, unit: str = "") -> float:
    """Return the number written in `text`, which may carry `unit` behind it.

    A comma stands for the decimal point; a true minus is a minus.  Raises OutOfRange for empty,
    non-numeric and non-finite text and for any other unit: a unit is never guessed.
    """
    found = _NUMBER.match(text.replace("−", "-"))
    if not found:
        raise OutOfRange(
            field,
            f"“{text.strip()}”" if text.strip() else tr("empty"),
            "a number" + (f" in {unit}" if unit else ""),
        )
    value = float(found[1].replace(",", "."))
    if found[2] and found[2] != unit:
        raise OutOfRange(field, f"“{text.strip()}”", f"in {unit}" if unit else "a plain number")
    if not math.isfinite(value):
        raise OutOfRange(field, text.strip(), "a finite number")
    return value


def read_speed_mm_s(text: str, field: str = "Speed", default_unit: str = "mm/s") -> float:
    """Return the speed written in `text` in mm/s; without a unit it counts as `default_unit`."""
    return _read_with_unit(text, field, SPEED_UNITS, default_unit)


def read_length_mm(text: str, field: str, default_unit: str = "mm") -> float:
    """Return the length written in `text` in mm: "3", "3 mm", "0.125 in", "1/8 in", "½".

    A bare fraction is of an inch: nobody writes one of a millimetre.
    """
    text = _plain_fractions(text)
    fraction = _FRACTION.match(text)
    if fraction and int(fraction[3]):
        return (int(fraction[1] or 0) + int(fraction[2]) / int(fraction[3])) * MM_PER_INCH
    return _read_with_unit(text, field, LENGTH_UNITS, default_unit)


def _plain_fractions(text: str) -> str:
    """Text with fractions and inch marks as a keyboard has them: 1½″ is 1 1/2"."""

    def spelled(found: re.Match[str]) -> str:
        return " " + unicodedata.normalize("NFKC", found[0]).replace("\u2044", "/")

    return _VULGAR.sub(spelled, text.translate(_INCH_MARKS)).strip()


def read_lengths_mm(text: str, field: str) -> tuple[float, ...]:
    """Return the lengths of a list in mm: "3.2 3.1 3.15", "3.2, 3.1", "3,2; 3,1", "3,2".

    Raises OutOfRange where commas may stand for points as well as between numbers.
    """
    text = _plain_fractions(text)
    if ";" in text:
        parts = text.split(";")
    elif _DECIMAL_COMMA.match(text):
        parts = [text]
    elif ", " in text:
        parts = text.split(", ")
    elif "/" in text or '"' in text or re.search("[a-z]", text.lower()):
        parts = text.split(",")
    elif " " in text:
        parts = text.split()
    elif "," not in text or "." in text:
        parts = text.split(",")
    else:
        allowed = "numbers with spaces or semicolons between: a comma can be a point, too"
        raise OutOfRange(field, f"“{text}”", allowed)
    return tuple(read_length_mm(part, field) for part in parts if part.strip())


def read_sides_mm(text: str, field: str) -> tuple[float, float]:
    """Return width and height written as "300 x 200", "300×200 mm", "12 x 8 in"."""
    parts = re.split(r"\s*[x×*]\s*", text.strip().lower())
    if len(parts) != 2:
        raise OutOfRange(field, f"“{text.strip()}”", "two sides, as 300 x 200")
    unit = re.search(r"[a-z\"]+$", _plain_fractions(parts[1]))
    if unit and not re.search(r"[a-z\"]+$", _plain_fractions(parts[0])):
        parts[0] = f"{parts[0]} {unit[0]}"  # the unit stands for both
    return read_length_mm(parts[0], field), read_length_mm(parts[1], field)


def _read_with_unit(text: str, field: str, factors: dict[str, float], default_unit: str) -> float:
    found = _NUMBER.match(text.replace("−", "-"))
    unit = (found[2].lower() if found else "") or default_unit
    if found and unit not in factors:
        raise OutOfRange(field, f"“{text.strip()}”", "in one of " + ", ".join(factors))
    return read_number(found[1] if found else text, field, default_unit) * factors.get(unit, 1.0)


def _factor(factors: dict[str, float], unit: str, field: str) -> float:
    if unit not in factors:
        raise OutOfRange(f"{field} unit", unit, "one of " + ", ".join(factors))
    return factors[unit]


def local_text(text: str) -> str:
    """Return a number written with a point as the language writes it."""
    return text.replace(".", decimal_sign())


def fixed_text(value: float, decimals: int) -> str:
    """Return a number with so many decimals, as the language writes it: "3.20", "3,20"."""
    return local_text(f"{value:.{decimals}f}")


def split_list(text: str) -> list[str]:
    """Return the parts of a list with commas: "3, 4", "3,4".

    Where numbers are written with a comma, one between digits belongs to a number and a space
    follows one that parts: "3,2, 4,1".
    """
    return (_BETWEEN if decimal_sign() == "," else _COMMA).split(text)


@functools.lru_cache(maxsize=16384)
def number_text(value: float, digits: int = 3) -> str:
    """Return a number for the screen: `digits` significant digits, whole digits kept, true minus,
    no exponent.
    """
    if value == 0 or not math.isfinite(value):
        if value == 0:
            return "0"
        return str(value)
    decimals = max(0, digits - 1 - math.floor(math.log10(abs(value))))
    text = f"{value:.{decimals}f}"
    text = (text.rstrip("0").rstrip(".") if "." in text else text).replace("-", "−")
    return local_text(text)


def percent_text(fraction: float) -> str:
    """Return a power fraction as percent, without its unit: 0.85 -> "85"."""
    return number_text(100 * fraction, 3)


def speed_text(speed_mm_s: float, unit: str = "mm/s") -> str:
    """Return a speed in `unit` with the unit behind it: "8 mm/s", "480 mm/min"."""
    return f"{number_text(speed_in(speed_mm_s, unit), 3)} {unit}"


def passes_text(passes: int) -> str:
    """Return a number of passes in words: "1 pass", "3 passes"."""
    return count_text(passes, "pass", "passes")


def capital(words: str) -> str:
    """Return words as they begin a line, the rest as it is."""
    return words[:1].upper() + words[1:]


def chance_text(chance: float) -> str:
    """Return a chance as one says it: "93 %", never 0 or 100."""
    if chance > 0.99:
        return tr("over 99 %")
    if chance < 0.01:
        return tr("under 1 %")
    return f"{100 * chance:.0f} %"


def count_text(count: int, one: str, more: str = "") -> str:
    """Return how many of something: "1 cell", "3 cells"; `more` where the plural is not the word
    with an s.
    """
    return f"{count} {trn(one, more or one + 's', count)}"


def lengths_text(*lengths_mm: float) -> str:
    """Return lengths joined by a times sign, one decimal where it matters: "112 × 84"."""
    return local_text(" × ".join(f"{mm:.1f}".removesuffix(".0") for mm in lengths_mm))


def duration_text(seconds: float) -> str:
    """Return a time as an operator says it: "48 s", "4 min 10 s", "2 h 05 min"."""
    if not math.isfinite(seconds):
        return tr("unknown")
    if seconds < 9.95:
        return f"{fixed_text(seconds, 1)} s"
    whole = round(seconds)
    if whole < 60:
        return f"{whole} s"
    if whole < 3600:
        return f"{whole // 60} min {whole % 60:02d} s"
    return f"{whole // 3600} h {whole % 3600 // 60:02d} min"
