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
from olive_almanac.core.lengths import MM_PER_INCH, inch_number, length_unit
from olive_almanac.core.words import decimal_sign, tr, trn

__all__ = [
    "LENGTHS_NEXT_START",
    "LENGTH_CHOICES",
    "MM_PER_INCH",
    "SPEED_UNITS",
    "area_number",
    "burnt_length",
    "capital",
    "chance_text",
    "count_text",
    "dpi_from_pitch",
    "duration_text",
    "fixed_length_number",
    "fixed_length_text",
    "fixed_text",
    "length_number",
    "length_text",
    "lengths_shown",
    "lengths_text",
    "lengths_typed",
    "local_text",
    "number_text",
    "passes_text",
    "percent_text",
    "pitch_from_dpi",
    "read_large_number",
    "read_length_mm",
    "read_lengths_mm",
    "read_number",
    "read_sides_mm",
    "read_speed_mm_s",
    "shown_unit",
    "sides_number",
    "sides_text",
    "speed_in",
    "speed_text",
    "split_list",
]

LENGTH_CHOICES = {"mm": tr("Lengths in millimetres"), "in": tr("Lengths in inches")}
LENGTHS_NEXT_START = {  # what is told when the unit of lengths was chosen
    "mm": tr("Speeds are in millimetres now, lengths from the next start on."),
    "in": tr("Speeds are in inches now, lengths from the next start on."),
}
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
# "1,200", but not what a number of four digits is told as: "6.125"
_GROUPED = re.compile(
    r"\s*(?:[1-5][.,]\d{3}|[6-9][.,]\d\d0|[1-9]\d{1,2}[.,]\d{3})\s*(?P<unit>[^\d\s]*)\s*$"
)
# "1,000" in any unit: three decimals of which the last says nothing are typed by nobody
_ROUND_GROUPED = re.compile(r"\s*[1-9]\d{0,2}[.,]\d\d0(?!\d)")
_NUMBER = re.compile(r"^\s*([+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][+-]?\d+)?)\s*(.*?)\s*$")
_FRACTION = re.compile(r"^\s*(?:(\d+)[ -])?(\d+)\s*/\s*(\d+)\s*(in|inch|\")?\s*$")
_VULGAR = re.compile("[\u00bc-\u00be\u2150-\u215e]")
_INCH_MARKS = str.maketrans({"”": '"', "″": '"', "“": '"'})
_COMMA = re.compile(",")
_BETWEEN = re.compile(r",\s+|,(?!\d)|(?<!\d),")
_FIELD_LENGTHS = {  # what parts numbers where several stand, and how each is found
    sign: (
        r"(?<![A-WYZa-wyz_\d./])(?P<sign>[+−-]?)"
        rf"(?:(?:(?P<whole>\d+)[ -])?(?P<over>\d+)/(?P<under>[1-9]\d*)"
        rf"|(?P<number>\d+(?:[{sign}.]\d+)?|\.\d+))"
        r"(?:\s*(?P<unit>\"|in(?:ch)?\b|mm\b))?(?!\s*(?!x\s*[\d.])[A-Za-z%/])(?![\d.])"
    )
    for sign in ".,"
}
_DECIMAL_COMMA = re.compile(r"^\s*\d+,\d+\s*$")


def pitch_from_dpi(dpi: float) -> float:
    """Return the line pitch in mm of a raster of `dpi` lines per inch: 25.4 / dpi."""
    if not (math.isfinite(dpi) and dpi > 0):
        raise OutOfRange(tr("Lines per inch"), dpi, tr("above 0"), "dpi")
    return MM_PER_INCH / dpi


def dpi_from_pitch(pitch_mm: float) -> float:
    """Return the lines per inch of a line pitch in mm: 25.4 / pitch."""
    if not (math.isfinite(pitch_mm) and pitch_mm > 0):
        raise OutOfRange(tr("Line pitch"), pitch_mm, tr("above 0"), "mm")
    return MM_PER_INCH / pitch_mm


def speed_in(speed_mm_s: float, unit: str) -> float:
    """Return a speed given in mm/s as a number of `unit` (one of SPEED_UNITS)."""
    return speed_mm_s / _factor(SPEED_UNITS, unit, tr("Speed"))


def _number_in(unit: str) -> str:
    """What is allowed where a number of a unit is asked."""
    return tr("a number in {unit}", unit=shown_unit(unit)) if unit else tr("a number")


def read_number(text: str, field: str, unit: str = "") -> float:
    """Return the number written in `text`, which may carry `unit` behind it.

    A comma stands for the decimal point; a true minus is a minus.  Raises OutOfRange for empty,
    non-numeric and non-finite text and for any other unit: a unit is never guessed.
    """
    found = _NUMBER.match(text.replace("−", "-"))
    if not found:
        shown = f"“{text.strip()}”" if text.strip() else tr("empty")
        raise OutOfRange(field, shown, _number_in(unit))
    value = float(found[1].replace(",", "."))
    if found[2] and found[2] != unit:
        allowed = _number_in(unit) if unit else tr("a plain number")
        raise OutOfRange(field, f"“{text.strip()}”", allowed)
    if not math.isfinite(value):
        raise OutOfRange(field, text.strip(), tr("a finite number"))
    return value


def read_speed_mm_s(text: str, field: str = "Speed", default_unit: str = "mm/s") -> float:
    """Return the speed written in `text` in mm/s; without a unit it counts as `default_unit`.

    Raises OutOfRange for "1,200", too, and for "1,234" mm/min: nobody means thousandths, and 1.2
    would be a fire.
    """
    grouped = _GROUPED.match(text)
    unit = (grouped["unit"].lower() or default_unit) if grouped else ""
    _refuse_thousands(text, field, grouped=unit == "mm/min")
    return _read_with_unit(text, field, SPEED_UNITS, default_unit)


def read_large_number(text: str, field: str, unit: str = "") -> float:
    """Return the number written in `text`, where numbers beyond a thousand are usual.

    Raises OutOfRange as `read_number` does, and for "1,000", which would be 1.
    """
    _refuse_thousands(text, field)
    return read_number(text, field, unit)


def _refuse_thousands(text: str, field: str, *, grouped: bool = False) -> None:
    """Raise OutOfRange for "1,200", and for what else the caller takes for thousands."""
    if grouped or _ROUND_GROUPED.match(text):
        plain = tr("a number without a sign for thousands")
        raise OutOfRange(field, f"“{text.strip()}”", plain)


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
        allowed = tr("numbers with spaces or semicolons between: a comma can be a point, too")
        raise OutOfRange(field, f"“{text}”", allowed)
    return tuple(read_length_mm(part, field) for part in parts if part.strip())


def read_sides_mm(text: str, field: str) -> tuple[float, float]:
    """Return width and height written as "300 x 200", "300×200 mm", "12 x 8 in"."""
    parts = re.split(r"\s*[x×*]\s*", text.strip().lower())
    if len(parts) != 2:
        raise OutOfRange(field, f"“{text.strip()}”", tr("two sides, as 300 x 200"))
    unit = re.search(r"[a-z\"]+$", _plain_fractions(parts[1]))
    if unit and not re.search(r"[a-z\"]+$", _plain_fractions(parts[0])):
        parts[0] = f"{parts[0]} {unit[0]}"  # the unit stands for both
    return read_length_mm(parts[0], field), read_length_mm(parts[1], field)


def lengths_shown(text_mm: str, *, several: bool = False) -> str:
    """Return the text of a field in mm as it is shown in the shop's unit; words stay."""
    if length_unit() == "mm":
        return text_mm

    def shown(found: re.Match[str]) -> str:
        if found["unit"]:
            return found[0]
        return local_text(inch_number(_number_found(found)))

    return re.sub(_lengths_in(text_mm, several), shown, text_mm)


def lengths_typed(text: str, *, several: bool = False) -> str:
    """Return what was typed into a field of the shop's unit as text in mm: in a shop of inches
    "1/8", "0.125" and "0.125 in" are "3.175", and "3 mm" is "3"; words stay as they are.
    """
    if length_unit() == "mm":
        return text

    def typed(found: re.Match[str]) -> str:
        if found["unit"] == "mm":
            return found["sign"] + found["number"]
        return f"{_number_found(found) * MM_PER_INCH:.6g}"

    text = _plain_fractions(text)
    return re.sub(_lengths_in(text, several), typed, text)


def _lengths_in(text: str, several: bool) -> str:
    """The pattern that finds the lengths of a field: where commas part them, they are no points."""
    if several and decimal_sign() == "." and not _DECIMAL_COMMA.match(text):
        return _FIELD_LENGTHS["."]
    return _FIELD_LENGTHS[","]


def _number_found(found: re.Match[str]) -> float:
    sign = -1 if found["sign"] in ("-", "−") else 1
    if found["number"] is not None:
        return sign * float(found["number"].replace(",", "."))
    return sign * (int(found["whole"] or 0) + int(found["over"]) / int(found["under"]))


def _read_with_unit(text: str, field: str, factors: dict[str, float], default_unit: str) -> float:
    found = _NUMBER.match(text.replace("−", "-"))
    unit = (found[2].lower() if found else "") or default_unit
    if found and unit not in factors:
        raise OutOfRange(field, f"“{text.strip()}”", tr("in one of ") + ", ".join(factors))
    return read_number(found[1] if found else text, field, default_unit) * factors.get(unit, 1.0)


def _factor(factors: dict[str, float], unit: str, field: str) -> float:
    if unit not in factors:
        named = tr("Unit of {field}", field=field)
        raise OutOfRange(named, unit, tr("one of ") + ", ".join(factors))
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


def length_number(length_mm: float, digits: int = 3) -> str:
    """Return a length as a number of the shop's unit, without it: "3.2", "0.126"."""
    if length_unit() == "in":
        return local_text(inch_number(length_mm))
    return number_text(length_mm, digits)


def length_text(length_mm: float, digits: int = 3) -> str:
    """Return a length with the shop's unit: "3.2 mm", "0.126 in"."""
    return f"{length_number(length_mm, digits)} {length_unit()}"


def fixed_length_number(length_mm: float, decimals: int) -> str:
    """Return a length in the shop's unit with so many decimals of a mm: "0.20"; inches as ever."""
    if length_unit() == "in":
        return length_number(length_mm)
    return fixed_text(length_mm, decimals)


def fixed_length_text(length_mm: float, decimals: int) -> str:
    """Return a length with so many decimals of a mm and its unit: "0.20 mm"; inches as ever."""
    return f"{fixed_length_number(length_mm, decimals)} {length_unit()}"


def burnt_length(length_mm: float, digits: int = 3) -> str:
    """Return a length as it is burnt beside a cell: "1.5"; inches without their zero: ".059"."""
    told = length_number(length_mm, digits)
    if length_unit() == "in":
        told = re.sub(r"^(−?)0(?=[.,])", r"\1", told)
    return told


def area_number(area_mm2: float) -> str:
    """Return an area in the square of the shop's unit, without it."""
    if length_unit() == "in":
        return number_text(area_mm2 / MM_PER_INCH**2)
    return f"{area_mm2:.0f}"


def shown_unit(unit: str) -> str:
    """Return the unit that stands behind a number in a unit of the program: the shop's for mm."""
    return length_unit() if unit == "mm" else unit


def lengths_text(*lengths_mm: float) -> str:
    """Return lengths in mm joined by a times sign, one decimal where it matters: "112 × 84".

    It is for a sentence that names the unit behind it, and for fields; else take `sides_text`.
    """
    return local_text(" × ".join(f"{mm:.1f}".removesuffix(".0") for mm in lengths_mm))


def sides_number(*lengths_mm: float) -> str:
    """Return lengths in the shop's unit joined by a times sign, without the unit: "112 × 84"."""
    if length_unit() == "in":
        return " × ".join(length_number(mm) for mm in lengths_mm)
    return lengths_text(*lengths_mm)


def sides_text(*lengths_mm: float) -> str:
    """Return lengths joined by a times sign with the shop's unit: "112 × 84 mm"."""
    return f"{sides_number(*lengths_mm)} {length_unit()}"


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
