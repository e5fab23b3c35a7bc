"""What the stories of a machine tell: how weak it is, since when, why, what lies ahead of it and
which entries lose their margin first.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.records.machine import Machine
from olive_almanac.core.upkeep.drift import (
    AGE,
    AGE_RATE,
    AGED,
    FILM,
    FILM_RATE,
    SUDDEN,
    Bank,
    DriftEvent,
    Habits,
    Step,
    chance_above,
    need_of,
    step_of,
    steps_a_year,
    used_since,
)
from olive_almanac.core.upkeep.services import CLEAN, DIRTY

__all__ = [
    "Ahead",
    "Cause",
    "EntryDrift",
    "MachineDrift",
    "MarginOf",
    "Optics",
    "PathPoint",
    "ReadingTold",
    "Usage",
    "path_point",
    "tell_drift",
]

Floats = NDArray[np.floating[Any]]
WEAK = 0.05  # ln energy from which a machine is called weak
ALARM, HINT = 0.85, 0.5  # chances of that
SURE_OF_STEP = 0.8
NAMED = 0.6  # share of the need that a cause must have to be named
LEAST_READINGS = 4
DRAWS = 600
SEED = 20260414
WEEKS_AHEAD = 10
FAR_DAYS = 3650.0
SD_OF_80 = 1.2816


class _Ranged:
    """What has a need with its standard error, ln energy."""

    need: float
    sd: float

    @property
    def low(self) -> float:
        """The need that it exceeds with 90 %."""
        return self.need - SD_OF_80 * self.sd

    @property
    def high(self) -> float:
        """The need that it exceeds with 10 %."""
        return self.need + SD_OF_80 * self.sd


@dataclass(frozen=True)
class PathPoint(_Ranged):
    """What the need was taken for after an event: day (ordinal), hours on, mean and sd (ln)."""

    day: float
    on_h: float
    need: float
    sd: float


@dataclass(frozen=True)
class ReadingTold:
    """One reading as it is drawn: day (ordinal), kind, the need that it read by what its series
    reads at need 0 (a burn: its margin), its standard error, whether it passed, what it is about.
    """

    day: float
    kind: str
    need: float
    sd: float
    passed: bool
    about: str

    @property
    def doubt(self) -> float:
        """By how much it is off at most with 80 %."""
        return SD_OF_80 * self.sd


@dataclass(frozen=True)
class Ahead:
    """The need on a day ahead (ordinal): 10, 50 and 90 % (ln)."""

    day: float
    low: float
    middle: float
    high: float


@dataclass(frozen=True)
class MarginOf:
    """The margin of an entry in ln energy, as it was when it was decided."""

    entry: str
    margin: float


@dataclass(frozen=True)
class EntryDrift:
    """What an entry has used of its margin since its proof (ln: mean, sd), the chance that it is
    more than half, and in how many days half is used: 10, 50 and 90 % (None: not within years).
    """

    entry: str
    margin: float
    used: float
    sd: float
    half_chance: float
    half_in_days: tuple[float | None, float | None, float | None]


@dataclass(frozen=True)
class Cause:
    """What is behind the need: "age", "film", "sudden", or "" where it cannot be told yet, and its
    share of the whole.
    """

    key: str
    share: float


@dataclass(frozen=True)
class Usage:
    """How much a machine is run: hours on and with the beam on a day; whether that is assumed, for
    hardly any hours are counted.
    """

    on_h: float
    beam_h: float
    assumed: bool = False


@dataclass(frozen=True)
class Optics:
    """How the optics are by the readings: the chances that they take more than DIRTY and less than
    CLEAN, how fast film grows (ln energy an hour on), and how often they were cleaned.
    """

    dirty: float
    clean: float
    film_an_hour: float
    cleanings: int


@dataclass(frozen=True)
class MachineDrift(_Ranged):
    """What is told of a machine on a day (ordinals, ln energy)."""

    machine_uid: str
    machine_state: int
    day: float
    readings: tuple[ReadingTold, ...]
    path: tuple[PathPoint, ...]
    need: float
    sd: float
    above: float  # the chance that it is weak
    age: float
    film: float
    sudden: float
    step: Step
    helped: float | None
    ahead: tuple[Ahead, ...]
    entries: tuple[EntryDrift, ...]
    source_80_h: tuple[float | None, float | None, float | None]
    hours_a_day: float
    hours_assumed: bool
    optics: Optics

    @property
    def level(self) -> str:
        """Return "alarm", "hint", "true" or, with too few readings, "unknown"."""
        told = sum(one.kind in ("check", "meter") for one in self.readings)
        if self.above > ALARM:
            return "alarm"
        if told < LEAST_READINGS:
            return "unknown"
        return "hint" if self.above > HINT else "true"

    @property
    def is_dated(self) -> bool:
        """Whether a day may be named on which it came."""
        return self.step.chance > SURE_OF_STEP

    @property
    def cause(self) -> Cause:
        """What most of the loss comes from, where one thing holds enough of it."""
        parts = {"age": self.age, "film": self.film, "sudden": self.sudden}
        held = {name: max(0.0, value) for name, value in parts.items()}
        total = sum(held.values())
        top = max(held, key=lambda name: held[name])
        share = held[top] / total if total > 0 else 0.0
        return Cause(top if share >= NAMED else "", share)

    def entry(self, uid: str) -> EntryDrift | None:
        """Return what is told of an entry; None where nothing is."""
        return next((one for one in self.entries if one.entry == uid), None)

    @property
    def weakest(self) -> EntryDrift | None:
        """The entry that has lost half of its margin first, or will."""

        def order(one: EntryDrift) -> tuple[float, float]:
            middle = one.half_in_days[1]
            return (FAR_DAYS if middle is None else middle, -one.half_chance)

        return min(self.entries, key=order, default=None)


def tell_drift(
    machine: Machine,
    events: Sequence[DriftEvent],
    bank: Bank,
    path: Sequence[PathPoint],
    habits: Habits,
    *,
    today: date,
    usage: Usage,
    margins: Sequence[MarginOf] = (),
) -> MachineDrift | None:
    """Return what the stories after all events tell today, `path` being what they told after each;
    None where nothing was ever read.
    """
    if not any(event.kind in ("check", "meter", "burn") for event in events):
        return None
    need, sd = need_of(bank)
    age, film, sudden = (need_of(bank, [part])[0] for part in (AGE, FILM, SUDDEN))
    helped = np.isfinite(bank.helped)
    told = float(bank.weight[helped] @ bank.helped[helped]) if helped.any() else None
    draws = _Draws(bank, habits, usage)
    day = max(bank.day, today.toordinal() + 0.5)
    return MachineDrift(
        machine.uid,
        machine.state,
        day,
        _readings(events, bank),
        tuple(path),
        need,
        sd,
        chance_above(bank, WEAK),
        age,
        film,
        sudden,
        step_of(bank),
        told,
        draws.ahead(day),
        tuple(one for margin in margins if (one := _entry(bank, margin, draws)) is not None),
        draws.source_80_h(),
        usage.on_h,
        usage.assumed,
        Optics(
            chance_above(bank, DIRTY, (FILM, SUDDEN)),
            1 - chance_above(bank, CLEAN, (FILM, SUDDEN)),
            max(0.0, float(bank.weight @ bank.mean[:, FILM_RATE])),
            sum(event.kind == "clean" for event in events),
        ),
    )


def path_point(bank: Bank) -> PathPoint:
    """Return what the need is taken for after an event."""
    return PathPoint(bank.day, bank.on_h, *need_of(bank))


def _readings(events: Sequence[DriftEvent], bank: Bank) -> tuple[ReadingTold, ...]:
    """The readings that can be drawn: those whose series has a level that is known."""
    told = []
    for event in events:
        if event.kind == "burn":
            seen = (event.day, event.kind, event.value, event.sd, event.passed, event.about)
            told.append(ReadingTold(*seen))
        place = bank.places.get(f"{event.kind}|{event.series}")
        if event.kind in ("check", "meter") and place is not None:
            level = float(bank.weight @ bank.mean[:, place])
            told.append(
                ReadingTold(event.day, event.kind, event.value - level, event.sd, True, event.about)
            )
    return tuple(told)


def _entry(bank: Bank, one: MarginOf, draws: _Draws) -> EntryDrift | None:
    used = used_since(bank, one.entry, one.margin / 2)
    if used is None:
        return None
    mean, sd, chance = used
    return EntryDrift(
        one.entry, one.margin, mean, sd, chance, draws.days_until(one.entry, one.margin / 2)
    )


class _Draws:
    """Futures drawn from the stories, by the hours that the machine is run each day."""

    def __init__(self, bank: Bank, habits: Habits, usage: Usage) -> None:
        self.bank, self.habits = bank, habits
        self.on_h, self.beam_h = usage.on_h, usage.beam_h
        self.rng = np.random.default_rng(SEED)
        pick = self.rng.choice(len(bank.log_weight), DRAWS, p=bank.weight)
        self.state = np.empty((DRAWS, bank.mean.shape[1]))
        for k in np.unique(pick):
            mine = pick == k
            self.state[mine] = self.rng.multivariate_normal(
                bank.mean[k], bank.cov[k], int(mine.sum()), method="eigh"
            )
        self.steps_a_year = steps_a_year(bank, habits)[pick]
        self.days = 7.0 * np.arange(1, 261)
        self.days = self.days[self.days <= FAR_DAYS]
        self.grown = self._grown(self.days)

    def _grown(self, days: Floats) -> Floats:
        """By how much the need grows until each day [draws, days]."""
        habits, x = self.habits, self.state
        step = np.diff(days, prepend=0.0)
        shape = (DRAWS, len(days))
        rates = np.maximum(x[:, [AGE_RATE]], 0) * self.beam_h
        rates = rates + np.maximum(x[:, [FILM_RATE]], 0) * self.on_h
        walk = habits.age_walk**2 * self.beam_h / 100 + habits.film_walk**2 * self.on_h / 40
        walked = np.cumsum(self.rng.standard_normal(shape) * np.sqrt(walk * step), axis=1)
        jumps = self.rng.random(shape) < self.steps_a_year[:, None] * step / 365
        sizes = habits.step_mean + habits.step_sd * self.rng.standard_normal(shape)
        grown: Floats = rates * days + walked + np.cumsum(jumps * sizes, axis=1)
        return grown

    def ahead(self, today: float) -> tuple[Ahead, ...]:
        """The need on the same weekday of the weeks ahead."""
        need = self.state[:, [AGE]] + self.state[:, [FILM]] + self.state[:, [SUDDEN]]
        ranges = np.quantile(need + self.grown[:, :WEEKS_AHEAD], (0.1, 0.5, 0.9), axis=0)
        now = np.quantile(need, (0.1, 0.5, 0.9))
        days = self.days[:WEEKS_AHEAD].tolist()
        later = [
            Ahead(today + day, *values) for day, values in zip(days, ranges.T.tolist(), strict=True)
        ]
        return (Ahead(today, *now.tolist()), *later)

    def days_until(
        self, entry: str, limit: float
    ) -> tuple[float | None, float | None, float | None]:
        """Return after how many days the need has grown by a limit since an entry's proof."""
        place = self.bank.places["proof|" + entry]
        x = self.state
        now = x[:, AGE] + x[:, FILM] + x[:, SUDDEN] - x[:, place]
        return self._first(now[:, None] + self.grown, now, self.days, limit)

    def source_80_h(self) -> tuple[float | None, float | None, float | None]:
        """Return after how many more hours with the beam on the source is at 80 %: 10, 50, 90 %."""
        hours = np.geomspace(10, 60_000, 120)
        age = self.state[:, AGE]
        rate = np.maximum(self.state[:, [AGE_RATE]], 0)
        return self._first(age[:, None] + rate * hours, age, hours, AGED)

    @staticmethod
    def _first(
        need: Floats, now: Floats, at: Floats, limit: float
    ) -> tuple[float | None, float | None, float | None]:
        reached = need > limit
        first = np.where(reached.any(axis=1), at[np.argmax(reached, axis=1)], math.inf)
        first = np.where(now > limit, 0.0, first)
        ordered = np.sort(first)
        low, middle, high = (float(ordered[int(q * (len(ordered) - 1))]) for q in (0.1, 0.5, 0.9))

        def finite(days: float) -> float | None:
            return None if math.isinf(days) else days

        return finite(low), finite(middle), finite(high)
