"""Follow how much energy a machine needs: a switching state-space model over its hours.

need = age + film + sudden, in ln of the energy needed now over that at the beginning of the record;
0.10 is 10 % more.  Ageing of the source never comes back, film grows between cleanings, what came
suddenly (spatter, a knocked mirror) stays until it is seen to.  Each interval may hold a step, each
reading may be a blunder, each act may have been in vain: every such story is a Kalman filter, and
the likeliest are kept (a Gaussian sum filter).  Constants are our own where no other source is
named.  docs/methods.md, section Shop.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.burn.groove import fast_phi
from olive_almanac.core.upkeep.services import FILM_LEFT

__all__ = [
    "AGE",
    "AGED",
    "AGE_RATE",
    "ENOUGH_CHECKS",
    "FILM",
    "FILM_RATE",
    "SUDDEN",
    "Bank",
    "DriftEvent",
    "EventKind",
    "Habits",
    "Step",
    "chance_above",
    "follow_machine",
    "learn_sheet",
    "need_of",
    "step_of",
    "steps_a_year",
    "used_since",
]

Floats = NDArray[np.float64]
EventKind = Literal["check", "meter", "burn", "proof", "clean", "align", "source"]
AGE, FILM, SUDDEN, AGE_RATE, FILM_RATE = range(5)
NEEDS = (AGE, FILM, SUDDEN)
RESETS: dict[str, tuple[int, ...]] = {
    "clean": (FILM, SUDDEN),
    "align": (SUDDEN,),
    "source": (AGE, FILM, SUDDEN),
}
AGED = 0.223  # ln energy of a source at 80 % of its light
LEVEL_SD = 0.7  # of what a series reads at need 0
LAPSE = 0.02  # share of burns that come out otherwise for no reason of the machine
MOST_STEP_CHANCE = 0.3  # within one interval
NEW_SOURCE_SD = 0.03
MOST_LEVELS, MOST_PROOFS = 8, 12  # series and proofs that are followed at a time, the newest
ENOUGH_CHECKS = 20  # from which the spread from sheet to sheet is learnt
SHEETS = (0.012, 0.02, 0.03, 0.045)
SHEET_PRIOR = (np.log(0.025), 0.5)
LEARN_FROM = 120  # newest events that the spread is learnt from


@dataclass(frozen=True)
class DriftEvent:
    """One thing that tells of a machine: on which day (ordinal), and its hours on and with the beam
    on then.

    A check reads `value` = need + the level of its `series`, with the standard error `sd`; a meter
    reads -ln watts.  A burn `passed` or not with the margin `value` (ln energy) of the entry
    `series`; a proof is the day from which that margin counts.  Acts have no value.
    """

    day: float
    on_h: float
    beam_h: float
    kind: EventKind
    series: str = ""
    value: float = 0.0
    sd: float = 0.0
    passed: bool = True
    about: str = ""  # what stands behind it: a trial, an act, an entry


@dataclass(frozen=True)
class Habits:
    """How machines of a kind change; `life_h` is until the source is at 80 %, common practice."""

    life_h: float = 3000.0
    life_doubt: float = 0.6  # sd of ln
    film_an_hour: float = 3e-4
    film_doubt: float = 3e-4
    age_walk: float = 0.004  # sd over 100 h of beam
    film_walk: float = 0.012  # sd over 40 h on
    steps_a_year: float = 1.0
    step_mean: float = 0.10
    step_sd: float = 0.08
    film_left: float = FILM_LEFT  # by a cleaning
    film_left_sd: float = 0.012
    in_vain: float = 0.08
    blunder: float = 0.03
    blunder_sd: float = 0.25
    sheet: float = 0.03  # sd from sheet to sheet and day to day
    keep: int = 32


@dataclass(frozen=True)
class Bank:
    """The stories after some events: means [k, d], covariances [k, d, d], ln weights [k], the day
    of the last step since an act [k] (nan: none), whether the last act helped [k] (nan: none) and
    how many steps there were in all [k].

    `places` tells where the level of a series or the need at a proof stands; `evidence` is the ln
    evidence of all events.
    """

    mean: Floats
    cov: Floats
    log_weight: Floats
    step_day: Floats
    helped: Floats
    steps: Floats
    places: dict[str, int] = field(default_factory=dict)
    evidence: float = 0.0
    first_day: float = float("nan")
    day: float = float("nan")
    on_h: float = 0.0
    beam_h: float = 0.0

    @property
    def weight(self) -> Floats:
        """The stories' weights [k]."""
        weight: Floats = np.exp(self.log_weight - self.log_weight.max())
        weight /= weight.sum()
        return weight


@dataclass(frozen=True)
class Step:
    """A sudden loss: its chance, the day by which it had come as likely as not with the range that
    holds 80 % (ordinals), and its size in ln energy.
    """

    chance: float
    day: float
    first: float
    last: float
    size: float


def _new_bank(habits: Habits) -> Bank:
    rate = AGED / habits.life_h
    mean = np.array([[0.0, habits.film_left, 0.0, rate, habits.film_an_hour]])
    sd = [0.0, habits.film_left_sd, 0.0, rate * habits.life_doubt, habits.film_doubt]
    none = np.full(1, np.nan)
    return Bank(mean, np.diag(np.square(sd))[None], np.zeros(1), none, none, np.zeros(1))


def follow_machine(
    events: Sequence[DriftEvent], habits: Habits | None = None, *, bank: Bank | None = None
) -> Iterator[Bank]:
    """Yield the stories after each event, in order of time; `bank` goes on from earlier events."""
    habits = habits or Habits()
    now = bank or _new_bank(habits)
    for event in events:
        now = _after(now, event, habits)
        yield now


def learn_sheet(events: Sequence[DriftEvent], habits: Habits | None = None) -> Habits:
    """Return the habits with the spread from sheet to sheet that a history finds likeliest, once it
    has enough checks.
    """
    habits = habits or Habits()
    if sum(event.kind == "check" for event in events) < ENOUGH_CHECKS:
        return habits
    middle, doubt = SHEET_PRIOR

    def score(sheet: float) -> float:
        tried = replace(habits, sheet=sheet, keep=8)
        *_, last = follow_machine(events[-LEARN_FROM:], tried)
        evidence = last.evidence
        return float(evidence - 0.5 * ((np.log(sheet) - middle) / doubt) ** 2)

    return replace(habits, sheet=max(SHEETS, key=score))


def need_of(bank: Bank, parts: Sequence[int] = NEEDS) -> tuple[float, float]:
    """Return mean and sd of the need, or of some of its parts, over all stories (ln energy)."""
    row = np.zeros(bank.mean.shape[1])
    row[list(parts)] = 1
    mean, sd, _ = _of_row(bank, row)
    return mean, sd


def chance_above(bank: Bank, limit: float, parts: Sequence[int] = NEEDS) -> float:
    """Return the chance that the need, or some of its parts, is above a limit (ln energy)."""
    row = np.zeros(bank.mean.shape[1])
    row[list(parts)] = 1
    return _chance(bank, row, limit)


def used_since(bank: Bank, entry: str, limit: float) -> tuple[float, float, float] | None:
    """Return mean and sd of what the need has grown by since the proof of an entry, and the chance
    that it is above a limit (ln energy); None where that proof is not followed.
    """
    place = bank.places.get("proof|" + entry)
    if place is None:
        return None
    row = _need_row(bank)
    row[place] = -1.0
    mean, sd, _ = _of_row(bank, row)
    return mean, sd, _chance(bank, row, limit)


def step_of(bank: Bank) -> Step:
    """Return what the stories say of a sudden loss since the last act."""
    weight, has = bank.weight, np.isfinite(bank.step_day)
    chance = float(weight[has].sum())
    if chance < 1e-6:
        return Step(0.0, bank.day, bank.day, bank.day, 0.0)
    order = np.argsort(bank.step_day[has])
    days, share = bank.step_day[has][order], np.cumsum(weight[has][order]) / chance
    first, middle, last = (
        float(days[min(int(np.searchsorted(share, q)), len(days) - 1)]) for q in (0.1, 0.5, 0.9)
    )
    size = float(weight[has] @ bank.mean[has, SUDDEN] / chance)
    return Step(chance, middle, first, last, size)


def steps_a_year(bank: Bank, habits: Habits) -> Floats:
    """Return how often something sudden comes to this machine by each story [k]: what is usual
    counts as much as its first year.
    """
    years = 0.0 if np.isnan(bank.day) else (bank.day - bank.first_day) / 365
    rate: Floats = (habits.steps_a_year + bank.steps) / (1 + years)
    return rate


# -- one event -------------------------------------------------------------------------------------


def _after(bank: Bank, event: DriftEvent, habits: Habits) -> Bank:
    """Predict up to an event, branch, take it in, keep the likeliest."""
    bank = _moved(bank, event, habits)
    if event.kind in RESETS:
        return _pruned(_acted(bank, event.kind, habits), habits.keep)
    if event.kind == "proof":
        return _frozen(bank, event.series)
    if event.kind == "burn":
        return _pruned(_burnt(bank, event, habits), habits.keep)
    bank = _with_level(bank, event.kind + "|" + event.series)
    row = _need_row(bank)
    row[bank.places[event.kind + "|" + event.series]] = 1.0
    sheet = 0.0 if event.kind == "meter" else habits.sheet
    good = _seen(bank, row, event.value, event.sd**2 + sheet**2, np.log1p(-habits.blunder))
    bad_var = event.sd**2 + habits.blunder_sd**2
    bad = _seen(bank, row, event.value, bad_var, np.log(habits.blunder))
    return _pruned(_joined(good, bad), habits.keep)


def _moved(bank: Bank, event: DriftEvent, habits: Habits) -> Bank:
    """Time passes: hours wear and foul; a step may come.  Counters or days that went backwards
    stand still.
    """
    first = np.isnan(bank.day)
    days = 0.0 if first else max(0.0, event.day - bank.day)
    on_h = 0.0 if first else max(0.0, event.on_h - bank.on_h)
    beam_h = 0.0 if first else max(0.0, event.beam_h - bank.beam_h)
    size = bank.mean.shape[1]
    forward = np.eye(size)
    forward[AGE, AGE_RATE], forward[FILM, FILM_RATE] = beam_h, on_h
    cov = forward @ bank.cov @ forward.T
    cov[:, AGE, AGE] += habits.age_walk**2 * beam_h / 100
    cov[:, FILM, FILM] += habits.film_walk**2 * on_h / 40
    moved = replace(
        bank,
        mean=bank.mean @ forward.T,
        cov=cov,
        first_day=event.day if first else bank.first_day,
        day=event.day if first else max(bank.day, event.day),
        on_h=event.on_h if first else max(bank.on_h, event.on_h),
        beam_h=event.beam_h if first else max(bank.beam_h, event.beam_h),
    )
    if days == 0 or event.kind in (*RESETS, "proof"):
        return moved
    chance = min(MOST_STEP_CHANCE, habits.steps_a_year * days / 365)
    stepped = moved.mean.copy(), moved.cov.copy()
    stepped[0][:, SUDDEN] += habits.step_mean
    stepped[1][:, SUDDEN, SUDDEN] += habits.step_sd**2
    when = np.full(len(bank.log_weight), event.day - days / 2)
    with_step = replace(
        moved,
        mean=stepped[0],
        cov=stepped[1],
        log_weight=moved.log_weight + np.log(chance),
        step_day=when,
        steps=moved.steps + 1,
    )
    without = replace(moved, log_weight=moved.log_weight + np.log1p(-chance))
    return _joined(without, with_step)


def _acted(bank: Bank, kind: EventKind, habits: Habits) -> Bank:
    """An act was done: either it helped and its parts begin anew, or it was in vain."""
    count = len(bank.log_weight)
    mean, cov = bank.mean.copy(), bank.cov.copy()
    for part in RESETS[kind]:
        mean[:, part] = 0.0
        cov[:, part, :] = cov[:, :, part] = 0.0
    if FILM in RESETS[kind]:
        mean[:, FILM] = habits.film_left
        cov[:, FILM, FILM] = habits.film_left_sd**2
    if AGE in RESETS[kind]:
        cov[:, AGE, AGE] = NEW_SOURCE_SD**2
    worked = replace(
        bank,
        mean=mean,
        cov=cov,
        log_weight=bank.log_weight + np.log1p(-habits.in_vain),
        step_day=np.full(count, np.nan),
        helped=np.ones(count),
    )
    vain = replace(
        bank, log_weight=bank.log_weight + np.log(habits.in_vain), helped=np.zeros(count)
    )
    return _joined(worked, vain)


def _seen(bank: Bank, row: Floats, value: float, variance: float, log_chance: float) -> Bank:
    """A normal reading of `row` of the state."""
    miss = value - bank.mean @ row
    gain = bank.cov @ row
    spread = gain @ row + variance
    share = gain / spread[:, None]
    return replace(
        bank,
        mean=bank.mean + share * miss[:, None],
        cov=bank.cov - share[:, :, None] * gain[:, None, :],
        log_weight=bank.log_weight
        + log_chance
        - 0.5 * (np.log(2 * np.pi * spread) + miss**2 / spread),
    )


def _burnt(bank: Bank, event: DriftEvent, habits: Habits) -> Bank:
    """A burn came out or not: the moments of a normal times Phi, in closed form.

    A failure may have any cause, which LAPSE covers; a burn whose proof is not followed tells
    nothing.
    """
    place = bank.places.get("proof|" + event.series)
    if place is None:
        return bank
    row = _need_row(bank)
    row[place] = -1.0
    sign = -1.0 if event.passed else 1.0  # passed: need + noise < margin
    gain = bank.cov @ row
    spread = np.sqrt(gain @ row + event.sd**2 + habits.sheet**2)
    z = sign * (bank.mean @ row - event.value) / spread
    chance = (1 - LAPSE) * _phi(z) + LAPSE / 2
    ratio = (1 - LAPSE) * np.exp(-0.5 * z * z) / np.sqrt(2 * np.pi) / chance
    shrink = np.maximum(ratio * (ratio + z), 0.0) / spread**2
    return replace(
        bank,
        mean=bank.mean + (sign * ratio / spread)[:, None] * gain,
        cov=bank.cov - shrink[:, None, None] * gain[:, :, None] * gain[:, None, :],
        log_weight=bank.log_weight + np.log(chance),
    )


# -- the shape of a bank ---------------------------------------------------------------------------


def _need_row(bank: Bank) -> Floats:
    row = np.zeros(bank.mean.shape[1])
    row[list(NEEDS)] = 1.0
    return row


def _of_row(bank: Bank, row: Floats) -> tuple[float, float, Floats]:
    means = bank.mean @ row
    variances = np.maximum(np.einsum("i,kij,j->k", row, bank.cov, row), 1e-12)
    mean = float(bank.weight @ means)
    sd = float(np.sqrt(bank.weight @ (variances + (means - mean) ** 2)))
    return mean, sd, variances


def _chance(bank: Bank, row: Floats, limit: float) -> float:
    _, _, variances = _of_row(bank, row)
    return float(bank.weight @ _phi((bank.mean @ row - limit) / np.sqrt(variances)))


def _phi(x: Floats) -> Floats:
    return fast_phi(x.astype(np.float32)).astype(np.float64)


def _joined(*banks: Bank) -> Bank:
    def both(name: str) -> Floats:
        return np.concatenate([getattr(one, name) for one in banks])

    return replace(
        banks[0],
        mean=both("mean"),
        cov=both("cov"),
        log_weight=both("log_weight"),
        step_day=both("step_day"),
        helped=both("helped"),
        steps=both("steps"),
    )


def _pruned(bank: Bank, keep: int) -> Bank:
    """Keep the likeliest stories; what all of them weighed is the evidence of the event."""
    best = np.argsort(-bank.log_weight)[:keep]
    log_weight = bank.log_weight[best]
    top = log_weight.max()
    gained = float(top + np.log(np.exp(log_weight - top).sum()))
    return replace(
        bank,
        mean=bank.mean[best],
        cov=bank.cov[best],
        log_weight=log_weight - gained,
        step_day=bank.step_day[best],
        helped=bank.helped[best],
        steps=bank.steps[best],
        evidence=bank.evidence + gained,
    )


def _with_level(bank: Bank, name: str) -> Bank:
    """Have a place for the level of a series; nothing is known of a new one."""
    if name in bank.places:
        return bank
    count, size = bank.mean.shape
    mean = np.zeros((count, size + 1))
    mean[:, :size] = bank.mean
    cov = np.zeros((count, size + 1, size + 1))
    cov[:, :size, :size] = bank.cov
    cov[:, size, size] = LEVEL_SD**2
    grown = replace(bank, mean=mean, cov=cov, places={**bank.places, name: size})
    return _without_oldest(grown, ("check|", "meter|"), MOST_LEVELS)


def _frozen(bank: Bank, entry: str) -> Bank:
    """Append today's need as a part that never changes: rows and columns are copied, exactly."""
    name = "proof|" + entry
    bank = _without(bank, name)
    size = bank.mean.shape[1]
    row = _need_row(bank)
    gain = bank.cov @ row
    corner = (gain @ row)[:, None]
    mean = np.concatenate([bank.mean, (bank.mean @ row)[:, None]], axis=1)
    right = np.concatenate([bank.cov, gain[:, :, None]], axis=2)
    below = np.concatenate([gain, corner], axis=1)[:, None, :]
    cov = np.concatenate([right, below], axis=1)
    grown = replace(bank, mean=mean, cov=cov, places={**bank.places, name: size})
    return _without_oldest(grown, ("proof|",), MOST_PROOFS)


def _without_oldest(bank: Bank, kinds: tuple[str, ...], most: int) -> Bank:
    named = [name for name in bank.places if name.startswith(kinds)]
    return _without(bank, named[0]) if len(named) > most else bank


def _without(bank: Bank, name: str) -> Bank:
    """Leave a part out: of a normal, nothing else changes."""
    if name not in bank.places:
        return bank
    gone = bank.places[name]
    kept = [n for n in range(bank.mean.shape[1]) if n != gone]
    places = {
        other: place - (place > gone) for other, place in bank.places.items() if other != name
    }
    cov = bank.cov[:, kept][:, :, kept]
    return replace(bank, mean=bank.mean[:, kept], cov=cov, places=places)
