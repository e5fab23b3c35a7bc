"""Rows of old notes as entries of the book: always guesses, each with where it came from."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.materials.names import family_named, inflected, opacity_named
from olive_almanac.core.notes.columns import (
    SLOW_MM_S,
    decimal_signs,
    find_columns,
    first_number,
    numbers_in,
    odd_speed_unit,
    unit_in,
)
from olive_almanac.core.notes.preparing import recipe_of_words
from olive_almanac.core.records.entry import Entry, Evidence
from olive_almanac.core.records.machine import Machine, Source
from olive_almanac.core.records.recipe import AS_IT_LIES, Recipe
from olive_almanac.core.records.setting import AIRS, SHORT_TASK_WORDS, Air, Setting, Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import SPEED_UNITS, capital, pitch_from_dpi
from olive_almanac.core.words import tr

__all__ = ["Brought", "Notes", "RowFate", "bring_in", "rows_of_lines"]

TASK_STEMS: tuple[tuple[str, Task], ...] = (
    ("scor", "score"),
    ("engrav", "engrave"),
    ("etch", "engrave"),
    ("raster", "engrave"),
    ("fill", "engrave"),
    ("mark", "mark"),
    ("cut", "cut"),
    ("vector", "cut"),
    ("gravier", "engrave"),
    ("gravur", "engrave"),
    ("anritz", "score"),
    ("ritzen", "score"),
    ("geritzt", "score"),
    ("schneid", "cut"),
    ("schnitt", "cut"),
)
AIR_WORDS: dict[str, Air] = {
    **{air: air for air in AIRS},
    **dict.fromkeys(("no", "none", "without", "aus", "ohne", "keine"), "off"),
    **dict.fromkeys(("weak", "little", "wenig", "schwach"), "low"),
}
ALIKE = 1e-3
LEAST_BOARD_MM = 0.4  # nobody sells these thinner: such a number is of inches, or a slip
BOARDS = frozenset(
    [
        *("plywood", "plywood_exterior", "softwood", "hardwood", "bamboo", "mdf", "hdf", "cork"),
        *("acrylic", "glass", "mirror", "slate", "stone", "ceramic", "rubber", "foam_eva"),
    ]
)
SOURCE_WORDS: dict[str, Source] = {
    "diode": "diode",
    "blue": "diode",
    "co2": "co2",
    "co₂": "co2",
    "tube": "co2",
    "fibre": "fibre",
    "fiber": "fibre",
    "faser": "fibre",
    "röhre": "co2",
}
NUMBER_WORDS = {
    "five": 5.0,
    "ten": 10.0,
    "twenty": 20.0,
    "thirty": 30.0,
    "forty": 40.0,
    "fifty": 50.0,
    "sixty": 60.0,
    "eighty": 80.0,
    "ninety": 90.0,
    "hundred": 100.0,
}
OPAQUE_WORDS = {
    *("opaque", "solid", "coloured", "colored", "black", "white", "grey", "gray", "red", "green"),
    *("blue", "yellow", "orange", "brown", "pink", "purple", "cream", "ivory", "gold", "silver"),
    *inflected("schwarz", "weiss", "grau", "rot", "grün", "blau", "gelb", "braun", "deckend"),
}
Becomes = Literal["guess", "left out", "twice", "otherwise"]
ALSO, MOST_NOTED = "also noted in", 6


@dataclass(frozen=True)
class Notes:
    """A table of notes: heads (empty where there were none), rows, what it is called ("notes.csv"),
    and where in it each row stands.
    """

    heads: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    name: str
    lines: tuple[int, ...]

    @property
    def columns(self) -> dict[str, int]:
        """Which column holds what: the index of each by its key."""
        return find_columns(self.heads, self.rows)


@dataclass(frozen=True)
class RowFate:
    """What becomes of a row: it comes in as a guess, with its setting; or in words, why not."""

    line: int  # of the file
    becomes: Becomes
    setting: Setting | None = None
    says: str = ""


@dataclass(frozen=True)
class Brought:
    """What would come into the book: new stocks and entries, and what becomes of each row."""

    stocks: tuple[Stock, ...]
    entries: tuple[Entry, ...]
    fates: tuple[RowFate, ...]

    def told(self, becomes: Becomes) -> tuple[str, ...]:
        """Return the lines on the rows that become the same, in words."""
        return tuple(
            f"{tr('row {number}', number=one.line)}: {one.says}"
            for one in self.fates
            if one.becomes == becomes
        )


def rows_of_lines(text: str) -> tuple[tuple[str, ...], tuple[tuple[str, ...], ...]]:
    """Return heads and rows from free lines such as "3mm birch ply cut 80% 20mm/s x2": each known
    part in its column; one row for each line.
    """
    heads = ("stock", "thickness", "task", "power", "speed", "passes", "pitch")
    parts = (
        (
            "speed",
            r"(?:@\s*)?\d+(?:[.,'’]\d+)*\s*"
            r"(?:mm\s*(?:/|per)\s*(?:min|s)|m\s*(?:/|per)\s*min|in\w*\s*(?:/|per)\s*(?:min|s)"
            r"|ipm|ips)\b",
        ),
        ("pitch", r"\d+(?:[.,]\d+)?\s*(?:dpi|lpi)\b"),
        ("power", r"\d+(?:[.,]\d+)?\s*(?:%|w\b|watts?\b)|\bs\s*\d+\b"),
        ("passes", r"\bx\s*\d+\b|\b\d+\s*(?:x\b|mal\b|pass(?:es)?\b|durchg\w*)"),
        ("thickness", r"\d+(?:[.,]\d+)?(?:\s*/\s*\d+)?\s*(?:mm\b|inch\b|in\b|zoll\b|\"|″)"),
        ("task", r"\b(?:cut|engrave|score|mark|etch|raster|schneid|gravier|gravur|ritzen)\w*\b"),
    )
    rows = []
    for line in text.split("\n"):
        rest, found = line, dict.fromkeys(heads, "")
        for role, pattern in parts:
            hit = re.search(pattern, rest, re.IGNORECASE)
            if hit:
                found[role], rest = hit[0], rest[: hit.start()] + " " + rest[hit.end() :]
        found["stock"] = " ".join(re.sub(r"[,;:|@=\-]+", " ", rest).split())
        rows.append(tuple(found[head] for head in heads))
    return heads, tuple(rows)


def bring_in(
    notes: Notes,
    *,
    machine: Machine,
    machines: Sequence[Machine],
    stocks: Sequence[Stock],
    entries: Sequence[Entry],
    speed_unit: str,
    day: str,
    new_id: Callable[[], str],
    columns: Mapping[str, int] | None = None,
) -> Brought:
    """Return the entries that the notes hold, for `machine` where a row names none that is known.

    A setting that the book or an earlier row has already is a duplicate; another setting of the
    same subject is a conflict: the book's, or the first row's, stands, and the other is kept in the
    notes of the first.
    """
    reader = _Reader(
        notes, columns or notes.columns, machine, machines, list(stocks), speed_unit, new_id
    )
    fates: list[RowFate] = []
    known = {(e.machine_uid, e.stock_uid, e.task): e for e in entries}
    brought: dict[tuple[str, str, str], Entry] = {}
    for number, row in zip(notes.lines, notes.rows, strict=True):
        try:
            on, stock, task, setting, more = reader.row(row)
            recipe, more = reader.prepared(row, more)
        except (OutOfRange, ValueError) as problem:
            fates.append(RowFate(number, "left out", says=str(problem)))
            continue
        key = (on.uid, stock.uid, task)
        there = brought.get(key) or known.get(key)
        where = tr("row {number}", number=number)
        words = tr(
            "{stock}, {task} on {machine}",
            stock=stock.label,
            task=SHORT_TASK_WORDS[task],
            machine=on.name,
        )
        if there is not None and _alike(there.setting, setting):
            says = tr("{words} is noted already.", words=words)
            fates.append(RowFate(number, "twice", setting, says))
        elif key in brought:
            says = tr(
                "{words} says {setting}, an earlier row {setting2}. The earlier one stands.",
                words=words,
                setting=_told(setting),
                setting2=_told(brought[key].setting),
            )
            fates.append(RowFate(number, "otherwise", setting, says))
            brought[key] = replace(
                brought[key], notes=_with_other(brought[key].notes, where, setting, notes.name)
            )
        elif there is not None:
            says = tr(
                "{words} says {setting}, the book {setting2}. The book stands.",
                words=words,
                setting=_told(setting),
                setting2=_told(there.setting),
            )
            fates.append(RowFate(number, "otherwise", setting, says))
        else:
            fates.append(RowFate(number, "guess", setting))
            evidence = Evidence(
                says=tr(
                    "Brought in from {notes}, {where}; not burnt since.",
                    notes=notes.name,
                    where=where,
                )
            )
            brought[key] = Entry(
                new_id(),
                on.uid,
                stock.uid,
                task,
                setting,
                "guess",
                day,
                stock.lot,
                on.state,
                evidence,
                notes=more,
                recipe=recipe,
            )
    used = {entry.stock_uid for entry in brought.values()}
    fresh = tuple(stock for stock in reader.stocks[len(stocks) :] if stock.uid in used)
    return Brought(fresh, tuple(brought.values()), tuple(fates))


def _alike(a: Setting, b: Setting) -> bool:
    close = (
        abs(a.power - b.power) < ALIKE and abs(a.speed_mm_s - b.speed_mm_s) < ALIKE * b.speed_mm_s
    )
    return close and (a.passes, a.pitch_mm) == (b.passes, b.pitch_mm)


def _with_other(noted: str, where: str, setting: Setting, file: str) -> str:
    """The notes of an entry with what another row says; after a few the file alone is named."""
    if noted.count(ALSO) < MOST_NOTED:
        return f"{noted}; {ALSO} {where}: {_told(setting)}".strip("; ")
    more = tr("; and in further rows of {file}", file=file)
    return noted if noted.endswith(more) else noted + more


def _told(s: Setting) -> str:
    return f"{100 * s.power:g} %, {s.speed_mm_s:.4g} mm/s, {s.passes} x"


class _Reader:
    """Reads one row after the other; new stocks are added to `stocks` as they are met."""

    def __init__(
        self,
        notes: Notes,
        columns: Mapping[str, int],
        machine: Machine,
        machines: Sequence[Machine],
        stocks: list[Stock],
        speed_unit: str,
        new_id: Callable[[], str],
    ) -> None:
        self._new_id = new_id
        self.notes, self.columns, self.machine = notes, columns, machine
        self.stocks, self.speed_unit = stocks, speed_unit
        heads = {
            role: notes.heads[at] if at < len(notes.heads) else "" for role, at in columns.items()
        }
        self.units = {role: unit_in(role, head) for role, head in heads.items()}
        self.odd_speed = odd_speed_unit(heads.get("speed", ""))
        self.decimals = {
            role: decimal_signs(self.cell(row, role) for row in notes.rows)
            for role in ("power", "speed")
        }
        powers = [value for row in notes.rows for value in self._numbers(row, "power")[-1:]]
        self.most_power = max(powers, default=0.0)
        # a sheet keeps a cell that shows 80 % as 0.8
        self.has_shares = 0 < self.most_power <= 1 and any(value % 1 for value in powers)
        self._machine_names = [(_plain(m.name), m) for m in machines if _plain(m.name)]
        self._by_name: dict[tuple[str, float, str], Stock] = {}
        for stock in stocks:
            self._by_name.setdefault((_plain(stock.name), stock.thickness_mm, stock.lot), stock)
            self._by_name.setdefault((_plain(stock.name), stock.thickness_mm, ""), stock)

    def cell(self, row: Sequence[str], role: str) -> str:
        at = self.columns.get(role)
        if at is not None and at < len(row):
            return row[at].strip()
        return ""

    def _numbers(self, row: Sequence[str], role: str) -> tuple[float, ...]:
        return numbers_in(self.cell(row, role), self.decimals[role])

    def row(self, row: Sequence[str]) -> tuple[Machine, Stock, Task, Setting, str]:
        machine = self._machine(self.cell(row, "machine"))
        task = self._task(row)
        pitch = 0.0
        if task in ("engrave", "mark"):
            pitch = self._pitch(row)
        if task in ("engrave", "mark") and not pitch:
            pitch = round(0.6 * machine.spot_y_mm, 3)
        passes = int(first_number(self.cell(row, "passes")) or 1)
        focus = first_number(self.cell(row, "focus")) or 0.0
        words = _plain(self.cell(row, "air")).split()
        air: Air = next((AIR_WORDS[word] for word in words if word in AIR_WORDS), "full")
        power, speed = self._power(row, machine), self._speed(row, machine)
        setting = Setting(power, speed, passes, focus, pitch, air, direction="x" if pitch else "xy")
        return machine, self._stock(row), task, setting, self.cell(row, "notes")

    def prepared(self, row: Sequence[str], more: str) -> tuple[Recipe, str]:
        """Return how the piece of a row was prepared, and its notes with what was not understood
        of that.
        """
        words = self.cell(row, "prepared")
        recipe = recipe_of_words(words)
        if recipe is None:
            return AS_IT_LIES, tr("{more}; prepared: {words}", more=more, words=words).strip("; ")
        return recipe, more

    def _machine(self, named: str) -> Machine:
        """The machine that a row names: by its name, or by its source and watts ("CO2 sixty")."""
        plain = _plain(named)
        if not plain:
            return self.machine
        words = set(plain.split())
        found = [
            m for name, m in self._machine_names if name in plain or words <= set(name.split())
        ]
        if not found:
            found = _of_this_make(plain.split(), [m for _, m in self._machine_names])
        if len(found) != 1:
            yours = ", ".join(machine.name for _, machine in self._machine_names)
            raise ValueError(
                tr(
                    "which machine is “{named}”? Write the name of one: {yours}.",
                    named=named,
                    yours=yours,
                )
            )
        return found[0]

    def _task(self, row: Sequence[str]) -> Task:
        words = self.cell(row, "task") or self.cell(row, "stock") + " " + self.cell(row, "notes")
        found = next((task for stem, task in TASK_STEMS if stem in words.casefold()), None)
        return found or (
            "engrave"
            if self.cell(row, "pitch") and first_number(self.cell(row, "pitch"))
            else "cut"
        )

    def _power(self, row: Sequence[str], machine: Machine) -> float:
        cell, values = self.cell(row, "power"), self._numbers(row, "power")
        if not values:
            raise ValueError(tr("no power is noted."))
        value = values[0]
        unit = unit_in("power", cell) or self.units.get("power", "")
        if unit == "W":
            return min(1.0, machine.fraction_for(value))
        if unit == "S" or (not unit and self.most_power > 100):
            return values[-1] / machine.power_scale  # a whole number: its sign parts thousands
        if not unit and 0 < self.most_power <= 1:
            return value
        if self.has_shares and "%" not in cell:
            return value
        return value / 100

    def _speed(self, row: Sequence[str], machine: Machine) -> float:
        cell, values = self.cell(row, "speed"), self._numbers(row, "speed")
        if not values:
            raise ValueError(tr("no speed is noted."))
        unit = unit_in("speed", cell)
        odd = odd_speed_unit(cell) or ("" if unit else self.odd_speed)
        if odd:
            raise ValueError(tr("“{odd}” tells no speed of this machine: write mm/s.", odd=odd))
        unit = unit or self.units.get("speed") or self.speed_unit
        speed, thousands = values[0] * SPEED_UNITS[unit], values[-1] * SPEED_UNITS[unit]
        if speed == thousands or thousands > machine.max_speed_mm_s:
            return speed
        if unit == "mm/min" or speed < SLOW_MM_S:  # nobody notes thousandths of those
            return thousands
        raise ValueError(
            tr(
                "“{cell}” may be {small:g} or {large:g}: write it without its sign.",
                cell=cell,
                small=values[0],
                large=values[-1],
            )
        )

    def _pitch(self, row: Sequence[str]) -> float:
        cell = self.cell(row, "pitch")
        value = first_number(cell)
        if not value:
            return 0.0
        unit = unit_in("pitch", cell) or self.units.get("pitch") or ("dpi" if value > 20 else "mm")
        if unit in ("dpi", "lpi"):
            return round(pitch_from_dpi(value), 4)
        if unit == "l/mm":
            return round(1 / value, 4)
        return value

    def _stock(self, row: Sequence[str]) -> Stock:
        name, lot = self.cell(row, "stock"), self.cell(row, "lot")
        thickness = self._thickness(row)
        name = re.sub(
            r"\d+(?:[.,]\d+)?(?:\s*/\s*\d+)?\s*(?:mm|inch|in|\"|″)(?![a-z])",
            " ",
            name,
            flags=re.IGNORECASE,
        )
        name = " ".join(name.split())[:60]
        if not name:
            raise ValueError(tr("no material is noted."))
        key = (_plain(name), thickness, lot)
        known = self._by_name.get(key) or (
            self._by_name.get((key[0], thickness, "")) if not lot else None
        )
        if known is None:
            colour = self.cell(row, "colour")
            opacity = opacity_named(f"{name} {colour}")
            family = family_named(name)
            if family == "acrylic" and opacity is None and not _is_opaque(f"{name} {colour}"):
                asked = tr("is “{name}” clear or opaque?", name=name)
                raise ValueError(
                    tr("{asked} Write the word, or its colour, behind the name.", asked=asked)
                )
            known = Stock(
                capital(name),
                family,
                thickness,
                opacity=opacity or "opaque",
                lot=lot,
                colour=colour,
                uid=self._new_id(),
            )
            self.stocks.append(known)
            self._by_name[key] = known
        return known

    def _thickness(self, row: Sequence[str]) -> float:
        cell = self.cell(row, "thickness")
        unit = unit_in("thickness", cell) or self.units.get("thickness", "")
        value = first_number(cell)
        if value is None:  # it may stand with the material: "3 mm birch"
            hit = re.search(
                r"\d+(?:[.,]\d+)?(?:\s*/\s*\d+)?\s*(mm|inch|in\b|\"|″)",
                self.cell(row, "stock").casefold(),
            )
            if hit is None:
                raise ValueError(tr("no thickness is noted."))
            value, unit = first_number(hit[0]) or 0.0, "mm" if hit[1] == "mm" else "in"
        if not unit and "/" in cell:
            unit = "in"  # nobody writes a fraction of a millimetre
        if not unit and value < LEAST_BOARD_MM and family_named(self.cell(row, "stock")) in BOARDS:
            raise ValueError(
                tr("is “{cell}” in millimetres or in inches? Write the unit.", cell=cell)
            )
        return round(value * {"in": 25.4, "mil": 0.0254}.get(unit, 1.0), 3)


def _of_this_make(words: Sequence[str], machines: Sequence[Machine]) -> list[Machine]:
    """Return the machines of the source that the words tell, and of their watts where several
    are.
    """
    source = next((SOURCE_WORDS[word] for word in words if word in SOURCE_WORDS), None)
    found = [machine for machine in machines if source is None or machine.source == source]
    watts = [w for word in words if (w := _watts(word)) is not None]
    if watts:
        return [machine for machine in found if _is_near(machine, watts[0])]
    return found if source else []


def _watts(word: str) -> float | None:
    """Return "60", "60w" or "sixty" as a number."""
    if word in NUMBER_WORDS:
        return NUMBER_WORDS[word]
    digits = re.fullmatch(r"(\d+(?:\.\d+)?)(?:w|watts?)?", word)
    return float(digits[1]) if digits else None


def _is_near(machine: Machine, watts: float) -> bool:
    told = (machine.optical_power_w, machine.rated_power_w or machine.optical_power_w)
    return any(abs(watts - power) <= 0.1 * power for power in told)


def _is_opaque(words: str) -> bool:
    return bool(OPAQUE_WORDS & set(_plain(words).split()))


def _plain(text: str) -> str:
    return re.sub(r"[\W_]+", " ", text.casefold()).strip()
