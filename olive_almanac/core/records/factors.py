"""Every factor of a setting, once: what it is called, how it is read, written, checked and spaced.

A factor has one field of the same name in `Setting` (its value) and in `TrialChoices` (its levels).
Form, command line, files, charts and labels ask the factor; none of them knows its name.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.lengths import length_unit
from olive_almanac.core.records.ranges import check_choice, check_number
from olive_almanac.core.records.setting import AIRS, Setting, air_text, rasters
from olive_almanac.core.units import (
    SPEED_UNITS,
    length_number,
    number_text,
    passes_text,
    percent_text,
    read_length_mm,
    read_number,
    read_speed_mm_s,
    speed_in,
)
from olive_almanac.core.words import mid_sentence, tr

__all__ = [
    "FACTORS",
    "NUMBER_FACTORS",
    "Factor",
    "Value",
    "factor_of",
    "factors_for",
    "further_factors",
    "further_words",
    "setting_words",
    "unlikeness",
]

Value = float | int | str
GRADED = ("power", "speed", "focus")  # a little more or less of them changes little


@dataclass(frozen=True)
class Factor:
    """One thing that a trial can vary: how it is named, typed, shown and bounded.

    `field` is its name in a setting and in the choices of a trial; `low`, `high` and `above` bound
    it in that field's unit.  `tasks` says "raster" where only a raster has it; `source` names the
    kind of source that has it, empty for all.
    """

    id: str
    field: str
    name: str
    unit: str = ""
    low: float = -math.inf
    high: float = math.inf
    above: float | None = None
    tasks: str = ""
    source: str = ""
    in_files: str = ""  # its name in files, where it is not its id
    behind: str = ""  # what stands behind its number where it is held
    width: int = 58  # of its number on screen
    tip: str = ""
    typed: str = ""  # how its levels are typed, for the command line
    usual_steps: int = 5
    is_number: bool = True
    always_told: bool = False  # in files also where it is held
    optional: bool = False  # 0 means that the setting does without it
    without: str = ""  # what an empty field of an optional one means, in a word
    usual: tuple[float, float] = (0.0, 0.0)  # where an optional one usually lies

    def read(self, text: str, speed_unit: str) -> Value:
        """Return the value written in `text`; raises OutOfRange naming the factor."""
        return read_number(text, self.name, self.unit)

    def write(self, value: Value, speed_unit: str) -> str:
        """Return a value as a plain number as it stands in a field: lengths in mm, speeds in the
        shop's unit.
        """
        return number_text(float(value))

    def shown(self, value: Value, speed_unit: str) -> str:
        """Return a value as a plain number in the shop's units, as axes and labels have it."""
        return self.write(value, speed_unit)

    def check(self, value: Value, speed_unit: str) -> Value:
        """Return the value, or raise OutOfRange where no setting may have it."""
        check_number(
            self.name, float(value), self.unit, low=self.low, high=self.high, above=self.above
        )
        return value

    def shown_unit(self, speed_unit: str) -> str:
        """Return the unit that stands behind its numbers on screen."""
        return self.unit

    def axis(self, speed_unit: str) -> str:
        """Return what an axis of its levels is called: "Focus, mm"."""
        unit = self.shown_unit(speed_unit)
        if not unit:
            return self.name
        return f"{self.name}, {unit}"

    def short_axis(self, speed_unit: str) -> str:
        """Return what a row or column of cells is called beside a photo: "focus, mm"."""
        axis = self.axis(speed_unit)
        return mid_sentence(axis)

    def told(self, value: Value, speed_unit: str) -> str:
        """Return a value with its unit: "85 %", "1.5 mm"."""
        return f"{self.shown(value, speed_unit)} {self.shown_unit(speed_unit)}".strip()

    def of(self, setting: Setting) -> Value:
        """Return the factor's value in a setting."""
        value: Value = getattr(setting, self.field)
        return value

    def around(self, value: float, reach: float) -> tuple[float, float]:
        """Return the ends between which levels are offered around a value that was held.

        `reach` is the depth of focus, mm.
        """
        if self.optional and value == 0:
            return self.usual
        return 0.5 * value, 1.5 * value

    @property
    def file_name(self) -> str:
        """Its name among the factors of a trial file, the same in every language."""
        return self.in_files or self.id

    @property
    def word(self) -> str:
        """Its name inside a sentence."""
        return mid_sentence(self.name)

    @property
    def file_unit(self) -> str:
        """The unit of its levels in a trial file."""
        return self.unit

    def file_level(self, value: Value) -> float:
        """Return a level as it stands in a trial file, in `file_unit`."""
        return float(value)

    def applies(self, task: str, source: str = "") -> bool:
        """Whether a task on such a source has this factor; without a source all that a task has."""
        if self.tasks == "raster" and not rasters(task):
            return False
        return not self.source or not source or self.source == source

    @property
    def spacings(self) -> tuple[str, ...]:
        """How its levels may be spaced; empty where they are counted one by one."""
        return ("even", "ratio", "list")


class _Power(Factor):
    def read(self, text: str, speed_unit: str) -> float:
        return read_number(text, self.name, "%") / 100

    def write(self, value: Value, speed_unit: str) -> str:
        return percent_text(float(value))

    def check(self, value: Value, speed_unit: str) -> Value:
        if not 0 < float(value) <= 1:
            raise OutOfRange(self.name, 100 * float(value), tr("above 0 and at most 100"), "%")
        return value

    def around(self, value: float, reach: float) -> tuple[float, float]:
        return 0.5 * value, value

    def file_level(self, value: Value) -> float:
        return round(100 * float(value), 6)


class _Speed(Factor):
    def read(self, text: str, speed_unit: str) -> float:
        return read_speed_mm_s(text, self.name, speed_unit)

    def write(self, value: Value, speed_unit: str) -> str:
        return number_text(speed_in(float(value), speed_unit), 4)

    def check(self, value: Value, speed_unit: str) -> Value:
        if float(value) <= 0:
            shown = float(value) / SPEED_UNITS[speed_unit]
            raise OutOfRange(self.name, shown, tr("above 0"), speed_unit)
        return value

    def shown_unit(self, speed_unit: str) -> str:
        return speed_unit

    def short_axis(self, speed_unit: str) -> str:
        return speed_unit


class _Length(Factor):
    def read(self, text: str, speed_unit: str) -> float:
        return read_length_mm(text, self.name)

    def shown(self, value: Value, speed_unit: str) -> str:
        return length_number(float(value))

    def shown_unit(self, speed_unit: str) -> str:
        return length_unit()


class _Focus(_Length):
    def around(self, value: float, reach: float) -> tuple[float, float]:
        return value - reach, value + reach


class _Count(Factor):
    def read(self, text: str, speed_unit: str) -> int:
        value = read_number(text, self.name)
        if value != int(value):
            raise OutOfRange(self.name, text, tr("a whole number"))
        return int(value)

    def write(self, value: Value, speed_unit: str) -> str:
        return number_text(float(value))

    def check(self, value: Value, speed_unit: str) -> Value:
        if not self.low <= float(value) <= self.high:
            raise OutOfRange(
                self.name, value, tr("from {low:g} to {high:g}", low=self.low, high=self.high)
            )
        return value

    def told(self, value: Value, speed_unit: str) -> str:
        return passes_text(int(value))

    def around(self, value: float, reach: float) -> tuple[float, float]:
        return 1, 4

    @property
    def spacings(self) -> tuple[str, ...]:
        return ()


class _Air(Factor):
    def read(self, text: str, speed_unit: str) -> str:
        word = text.strip()
        check_choice(self.name, word, AIRS)
        return word

    def write(self, value: Value, speed_unit: str) -> str:
        return str(value)

    def shown(self, value: Value, speed_unit: str) -> str:
        return air_text(str(value))

    def check(self, value: Value, speed_unit: str) -> Value:
        check_choice(self.name, value, AIRS)
        return value

    def told(self, value: Value, speed_unit: str) -> str:
        return tr("air {air}", air=air_text(str(value)))

    def file_level(self, value: Value) -> float:
        return float(("off", "low", "full").index(str(value)))

    @property
    def spacings(self) -> tuple[str, ...]:
        return ()


FACTORS: tuple[Factor, ...] = (
    _Power(
        "power",
        "power",
        tr("Power"),
        "%",
        0,
        1,
        0,
        behind="%",
        tip=tr("Power held, %"),
        always_told=True,
        typed=tr("percent, from:to:steps or a list"),
    ),
    _Speed(
        "speed",
        "speed_mm_s",
        tr("Speed"),
        "mm/s",
        above=0,
        width=66,
        tip=tr("Speed held"),
        always_told=True,
        typed=tr("mm/s unless a unit is written, from:to:steps or a list"),
    ),
    _Count(
        "passes",
        "passes",
        tr("Passes"),
        low=1,
        high=200,
        width=48,
        tip=tr("Passes held"),
        usual_steps=4,
        typed=tr("a number or a list"),
    ),
    _Focus(
        "focus",
        "focus_mm",
        tr("Focus"),
        "mm",
        behind=tr("mm below the face"),
        tip=tr("Focus in mm below the top face"),
        typed=tr("millimetres below the top face, from:to:steps or a list"),
    ),
    _Length(
        "pitch",
        "pitch_mm",
        tr("Line pitch"),
        "mm",
        tasks="raster",
        in_files="line pitch",
        behind=length_unit(),
        width=68,
        tip=tr("Line pitch in mm"),
        typed=tr("millimetres, a number or a list (engrave and mark)"),
    ),
    _Air("air", "air", tr("Air"), is_number=False, typed=tr("off, low, full, or a list of them")),
    Factor(
        "pulse",
        "pulse_khz",
        tr("Pulse rate"),
        "kHz",
        0,
        10000,
        width=54,
        source="fibre",
        in_files="pulse rate",
        behind="kHz",
        tip=tr("Pulse rate in kHz; empty: the source’s own"),
        optional=True,
        without=tr("own"),
        usual=(20, 80),  # common practice, no source
        typed=tr("kHz, a number or a list (fibre sources)"),
    ),
    Factor(
        "pulse-width",
        "pulse_ns",
        tr("Pulse width"),
        "ns",
        0,
        10000,
        width=54,
        source="fibre",
        in_files="pulse width",
        behind="ns",
        tip=tr("Pulse width in ns; empty: the source’s own"),
        optional=True,
        without=tr("own"),
        usual=(10, 200),  # common practice, no source
        typed=tr("ns, a number or a list (fibre sources that can change it)"),
    ),
)
NUMBER_FACTORS = tuple(factor for factor in FACTORS if factor.is_number)
_BY_ID = {factor.id: factor for factor in FACTORS}


def factor_of(factor_id: str) -> Factor:
    """Return a factor by its id; raises OutOfRange for an unknown one."""
    check_choice(tr("Factor"), factor_id, _BY_ID)
    return _BY_ID[factor_id]


def setting_words(setting: Setting, speed_unit: str = "mm/s") -> tuple[str, ...]:
    """Return in words what is set beside power and speed: "1 pass", "focus 1.5 mm", "air full"."""
    words = [
        passes_text(setting.passes),
        tr("focus {focus_mm} mm", focus_mm=number_text(setting.focus_mm)),
        tr("air {air}", air=air_text(setting.air)),
    ]
    if setting.pitch_mm:
        words.append(tr("line pitch {pitch_mm} mm", pitch_mm=number_text(setting.pitch_mm)))
    return (*words, *further_words(setting, speed_unit))


def further_words(setting: Setting, speed_unit: str = "mm/s") -> tuple[str, ...]:
    """Return in words what a setting has beside what every setting has: "pulse rate 30 kHz"."""
    return tuple(
        f"{factor.word} {factor.told(factor.of(setting), speed_unit)}"
        for factor in FACTORS
        if factor.optional and factor.of(setting)
    )


def unlikeness(setting: Setting, other: Setting) -> tuple[int, float]:
    """Return how unlike two settings are, to compare pairs by: first how many of their other
    factors differ, then how far power and speed (as logarithms) and focus (mm) lie apart.
    """
    differ = sum(
        factor.of(setting) != factor.of(other) for factor in FACTORS if factor.id not in GRADED
    )
    power, speed = other.power / setting.power, other.speed_mm_s / setting.speed_mm_s
    apart = abs(math.log(power)) + abs(math.log(speed))
    return differ, apart + abs(other.focus_mm - setting.focus_mm)


def further_factors(settings: Iterable[Setting]) -> tuple[Factor, ...]:
    """Return the factors that only some settings have and that one of these has: their columns."""
    every = tuple(settings)
    return tuple(factor for factor in FACTORS if factor.optional and any(map(factor.of, every)))


def factors_for(task: str, source: str) -> Iterator[Factor]:
    """Yield the factors that a task has on a kind of source, in the order of telling."""
    return (factor for factor in FACTORS if factor.applies(task, source))
