"""Old notes as rows of texts: what each column holds, by its head and by its content, and in which
unit its numbers are.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from statistics import median

from olive_almanac.core.units import SPEED_UNITS

__all__ = [
    "ROLES",
    "Reading",
    "UnitQuestion",
    "decimal_signs",
    "find_columns",
    "first_number",
    "numbers_in",
    "odd_speed_unit",
    "unit_in",
    "unit_question",
]

#      role: words that a head may hold, in many shops' own spelling, English and German
ROLES: dict[str, tuple[str, ...]] = {
    "machine": ("machine", "laser", "device", "maschine", "gerät"),
    "stock": ("material", "stock", "what", "wood", "sheet", "item", "werkstoff", "holz"),
    "thickness": (
        *("thickness", "thick", "thk", "gauge"),
        *("dicke", "stärke", "materialdicke", "materialstärke"),
    ),
    "power": ("power", "pwr", "pow", "s value", "s word", "intensity", "leistung"),
    "speed": (
        *("speed", "feed", "velocity", "rate", "spd"),
        *("geschwindigkeit", "tempo", "vorschub"),
    ),
    "passes": (
        *("passes", "pass", "times", "runs", "repeat", "count"),
        *("durchgänge", "durchgang", "durchläufe", "wiederholungen", "anzahl"),
    ),
    "focus": ("focus", "z offset", "defocus", "height", "fokus"),
    "pitch": (
        *("pitch", "interval", "line spacing", "dpi", "lpi", "resolution", "lines per"),
        *("zeilenabstand", "linienabstand", "auflösung"),
    ),
    "task": (
        *("task", "mode", "job", "operation", "process", "type", "cut or engrave"),
        *("aufgabe", "vorgang", "modus", "bearbeitung", "auftrag"),
    ),
    "air": ("air", "luft", "blasluft"),
    "lot": ("lot", "batch", "charge"),
    "colour": ("colour", "color", "farbe"),
    "prepared": (
        *("prepared", "preparation", "recipe", "mask", "masking", "tape", "medium"),
        *("vorbereitet", "vorbereitung", "rezept", "abdeckung"),
    ),
    "notes": (
        *("notes", "note", "remarks", "remark", "comment", "comments", "result"),
        *("notizen", "notiz", "bemerkungen", "bemerkung", "anmerkung", "hinweis", "ergebnis"),
    ),
}
NUMBER = re.compile(r"[-+]?\d+(?:[.,]\d+)?(?:\s*/\s*\d+)?")
UNITS: dict[str, tuple[tuple[str, str], ...]] = {  # pattern in a head or a cell, unit
    "speed": (
        (r"mm\s*(?:/|per)\s*min|mm\s*/\s*m\b|mmpm", "mm/min"),
        (r"(?<![a-z])m\s*(?:/|per)\s*min", "m/min"),
        (r"mm\s*(?:/|per)\s*s|mm\s*s-1|mmps", "mm/s"),
        (r"in\w*\s*(?:/|per)\s*min|ipm", "in/min"),
        (r"in\w*\s*(?:/|per)\s*s|ips", "in/s"),
    ),
    "power": (
        (r"%|percent|pct|prozent", "%"),
        (r"\bwatts?\b|\d\s*w\b|\(w\)|\[w\]", "W"),
        (r"\bs\s*\d|s value|s word|\bs\b", "S"),
    ),
    "pitch": (
        (r"dpi", "dpi"),
        (r"lpi|lines per (in|\")", "lpi"),
        (r"lines\s*/\s*mm|l/mm", "l/mm"),
        (r"mm|pitch|interval|spacing", "mm"),
    ),
    "thickness": ((r"mm", "mm"), (r"inch|\bin\b|zoll|\"|″", "in"), (r"\bmil\b|\bthou\b", "mil")),
}
IN_A_NAME = re.compile(r"(mm|m|in)_(s|min)\b")  # as tables of this program name their columns
BLANKS = " '’\u00a0\u2009\u202f"  # that part thousands
WRITTEN = re.compile(rf"[-+]?\d+(?:[.,{BLANKS}]\d+)*")
BY_BLANKS = re.compile(rf"[-+]?\d{{1,3}}(?:[{BLANKS}]\d{{3}})+(?!\d)(?:[.,]\d+)?")
ODD_SPEED = re.compile(r"%|percent|prozent|[a-z]+\s*(?:/|\bper\b)\s*[a-z]+")
FRACTION = re.compile(r"\d\s*/\s*\d")
QUICK_MM_S, SLOW_MM_S = (
    20.0,
    0.3,
)  # between these a note's cut usually runs (common practice, no source)


@dataclass(frozen=True)
class Reading:
    """A number read out of a cell and the unit that stands beside it, if one does."""

    value: float
    unit: str


@dataclass(frozen=True)
class UnitQuestion:
    """What cannot be told from the notes alone: the column's role, the units that it may be in,
    likeliest first, and for each what the first rows would then say.
    """

    role: str
    units: tuple[str, ...]
    examples: tuple[str, ...]


def find_columns(heads: Sequence[str], rows: Sequence[Sequence[str]]) -> dict[str, int]:
    """Return the column of each role that was found: by the words of its head first, by its content
    else.
    """
    found: dict[str, int] = {}
    words = [re.sub(r"[_\W]+", " ", head.casefold()).strip() for head in heads]
    for rank in (0, 1, 2):  # the whole head, a head that begins with the word, a head that holds it
        for role, names in ROLES.items():
            for column, head in enumerate(words):
                fits = any(
                    head == n if rank == 0 else head.startswith(n) if rank == 1 else n in head
                    for n in names
                )
                if role not in found and column not in found.values() and head and fits:
                    found[role] = column
    for role, pattern in (
        ("speed", r"(mm|in)\w*\s*/\s*(s|m)|ipm"),
        ("power", r"\d\s*(%|w\b)"),
        ("thickness", r"\d\s*(mm|in|\"|″)\s*$"),
        ("task", r"^\s*(cut|engrave|score|mark|etch|raster|vector|schneid|schnitt|grav|ritz)"),
        ("passes", r"^\s*x?\s*\d{1,2}\s*(x|mal|pass\w*|durchg\w*)\s*$"),
    ):
        for column in range(len(heads)):
            cells = [row[column] for row in rows if column < len(row) and row[column].strip()]
            hits = sum(bool(re.search(pattern, cell.casefold())) for cell in cells)
            if (
                role not in found
                and column not in found.values()
                and cells
                and hits > len(cells) / 2
            ):
                found[role] = column
    if "stock" not in found:  # the leftmost column of words
        for column in range(len(heads)):
            cells = [row[column] for row in rows if column < len(row) and row[column].strip()]
            if (
                column not in found.values()
                and cells
                and sum(any(c.isalpha() for c in cell) for cell in cells) > len(cells) / 2
            ):
                found["stock"] = column
                break
    return found


def first_number(text: str) -> float | None:
    """Return the first number of a cell: 1,5 and 1.5 alike, a fraction 1/8 as its value; None
    without one.
    """
    whole = re.match(r"\s*(\d+)\s+(\d+)\s*/\s*(\d+)", text)
    if whole and int(whole[3]):
        return int(whole[1]) + int(whole[2]) / int(whole[3])
    found = NUMBER.search(text)
    if not found:
        return None
    top, _, bottom = found[0].replace(",", ".").replace(" ", "").partition("/")
    if bottom and float(bottom):
        return float(top) / float(bottom)
    return float(top)


def decimal_signs(cells: Iterable[str]) -> frozenset[str]:
    """Return which of point and comma part decimals in a column: those that stand before other than
    three digits, or behind a zero.
    """
    return frozenset(
        sign
        for cell in cells
        for whole, sign, rest in re.findall(r"(?<![\d.,])(\d+)([.,])(\d+)(?![\d.,])", cell)
        if len(rest) != 3 or whole == "0"
    )


def numbers_in(text: str, decimals: Collection[str] = ()) -> tuple[float, ...]:
    """Return what the first number of a cell may be: none, one, or where a single point or comma
    may part decimals or thousands ("1,200") both, with decimals first.
    """
    parted = BY_BLANKS.search(text)
    if parted and not FRACTION.search(text):
        return (float(re.sub(rf"[{BLANKS}]", "", parted[0]).replace(",", ".")),)
    found = WRITTEN.search(text)
    number = first_number(text)
    if found is None or number is None or FRACTION.search(text):
        return () if number is None else (number,)
    written = re.split(rf"[{BLANKS}]", found[0])[0]
    signs = re.findall("[.,]", written)
    if len(signs) > 1:  # the last one parts decimals where it is another than those before
        whole, tail = written, ""
        if signs[-1] not in signs[:-1]:
            whole, _, tail = written.rpartition(signs[-1])
        return (float(re.sub("[.,]", "", whole) + "." + (tail or "0")),)
    if signs and signs[0] not in decimals:
        head, _, tail = written.partition(signs[0])
        if len(tail) == 3 and len(head.lstrip("-+")) <= 3 and not head.lstrip("-+").startswith("0"):
            return number, float(head + tail)
    return (number,)


def unit_in(role: str, text: str) -> str:
    """Return the unit that a head or a cell names for a role, or nothing."""
    text = IN_A_NAME.sub(r"\1/\2", text.casefold())
    return next((unit for pattern, unit in UNITS.get(role, ()) if re.search(pattern, text)), "")


def odd_speed_unit(text: str) -> str:
    """Return the unit that a head or a cell of speeds names where it is none that is known: a share
    of some machine's speed, or metres a second.
    """
    found = ODD_SPEED.search(text.casefold())
    return found[0] if found and not unit_in("speed", text) else ""


def unit_question(
    heads: Sequence[str],
    rows: Sequence[Sequence[str]],
    columns: Mapping[str, int],
    fastest_mm_s: float,
) -> UnitQuestion | None:
    """Return the one question that must be asked: the unit of the speed where neither head nor
    cells name it.
    """
    column = columns.get("speed")
    head = heads[column] if column is not None and column < len(heads) else ""
    if column is None or unit_in("speed", head) or odd_speed_unit(head):
        return None
    cells = [row[column] for row in rows if column < len(row)]
    decimals = decimal_signs(cells)
    bare = [
        values[-1]
        for cell in cells
        if not (unit_in("speed", cell) or odd_speed_unit(cell))
        and (values := numbers_in(cell, decimals))
    ]
    if not bare:
        return None
    middle = median(bare)

    def likely(unit: str) -> float:
        speed = middle * SPEED_UNITS[unit]
        fits = SLOW_MM_S <= speed <= fastest_mm_s
        return (
            (0 if fits else 10)
            + abs(speed / QUICK_MM_S - 1 if speed > QUICK_MM_S else 0)
            + (unit not in ("mm/s", "mm/min")) * 1.5
        )

    units = tuple(sorted(SPEED_UNITS, key=likely))
    shown = [f"{value:g}" for value in bare[:3]]
    examples = tuple(
        ", ".join(f"{n} is {float(n) * SPEED_UNITS[unit]:.3g} mm/s" for n in shown)
        for unit in units
    )
    return UnitQuestion("speed", units, examples)
