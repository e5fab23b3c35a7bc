"""Following machines: histories whose ageing, film, season and sheets share no form with the model,
read as a shop reads them (verdicts of eight rungs, or lightness), told as the window tells.

Shares are printed with the standard error that so many histories leave.
"""

import math
from dataclasses import dataclass, replace
from datetime import date, timedelta

import numpy as np

from bench.planned import suggested
from olive_almanac.core.deciding.weekly import follow_checks
from olive_almanac.core.records.entry import Entry, Evidence, Margins, Proof
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.service import Counters, ServiceAct
from olive_almanac.core.upkeep.charts import RANGE_TO_SIGMA, ewma, own_error_signal
from olive_almanac.core.upkeep.drift import (
    Habits,
    chance_above,
    follow_machine,
    learn_sheet,
    need_of,
    step_of,
)
from olive_almanac.core.upkeep.drift_told import ALARM, SURE_OF_STEP, WEAK, tell_drift
from olive_almanac.core.upkeep.history import Used, history_of
from olive_almanac.demo.shop import MACHINES, STOCKS

SEED = 9100
BEGIN = date(2024, 1, 1)
MACHINE = MACHINES[1]
BASE, WATCHED = 8, 50  # checks before one counts alarms, and those that are watched
WITHIN = 4  # checks
QUIET = 70
SHEET_SD, WRONG_SHEETS, SLIPS = (0.02, 0.035), 0.02, 0.02
RUNG_NOISE = (0.055, 0.09)


@dataclass(frozen=True)
class Way:
    """How a shop watches its machine."""

    name: str
    by_tone: bool
    burns_a_week: float
    meter_every: int
    most_quiet: float
    least_told: float
    many: int = 150  # histories for what 70 tell with too much noise: charts, a loss of 16 %
    lives: int = 48


WAYS = (
    Way("eye", False, 0.0, 0, 0.30, 0.72, 300),
    Way("tone", True, 0.0, 0, 0.12, 0.95),
    Way("eye, burns, meter", False, 2.0, 4, 0.05, 0.92, 600, 96),
)


@dataclass
class Life:
    """A machine's history: what was read of it, and the truth at each check (ln energy)."""

    pairs: list
    acts: list
    used: list
    proofs: list
    truth: list
    margins: list


def _template(task: str):
    stock = next(one for one in STOCKS if one.uid == "poplar-4")
    return suggested(MACHINE, stock, task, "weekly")


TEMPLATES = {True: _template("engrave"), False: _template("cut")}


def _energies(trial):
    return np.array(
        [math.log(MACHINE.watts(c.setting.power) * c.setting.dose_per_watt) for c in trial.cells]
    )


def _read(trial, need, rng, shop):
    """The readings of one check of a machine that needs so much more."""
    at = _energies(trial)
    at = at - at.mean()
    if shop["by_tone"]:
        light = 55 - shop["slope"] * (at - need) + 1.5 * rng.standard_normal(len(at))
        return [
            Reading(cell.id, lightness=float(np.clip(tone, 1, 99)))
            for cell, tone in zip(trial.cells, light, strict=True)
        ]
    free = at + shop["cell"] * rng.standard_normal(len(at)) > shop["centre"] + need
    free ^= rng.random(len(at)) < SLIPS
    return [
        Reading(cell.id, "free" if one else "not_through")
        for cell, one in zip(trial.cells, free, strict=True)
    ]


def live(rng, way, weeks, *, quiet=False, loss=None, cleaned=(60, 140)):
    """Make one history; `loss` is (week, ln energy, days over which it comes)."""
    template = TEMPLATES[way.by_tone]
    hours_week, began_h = rng.uniform(6, 22), rng.uniform(0, 600)
    life_h, bend = math.exp(rng.normal(math.log(3000), 0.5)), rng.uniform(0.8, 1.8)
    rate, most = math.exp(rng.normal(math.log(4e-4), 0.7)), rng.uniform(0.08, 0.25)
    left, sheet = rng.uniform(0, 0.25), rng.uniform(*SHEET_SD)
    season, phase = rng.uniform(0, 0.012), rng.uniform(0, 2 * math.pi)
    shop = {
        "by_tone": way.by_tone,
        "slope": rng.uniform(18, 35),
        "cell": rng.uniform(*RUNG_NOISE),
        "centre": rng.normal(0, 0.05),
    }
    life, day, hours, film, fouled = Life([], [], [], [], [], []), 0.0, began_h, 0.0, 0.0
    due = rng.uniform(*cleaned)
    for week in range(weeks):
        gap = 14 if rng.random() < 0.12 else 7
        run_h = hours_week * gap / 7 * rng.uniform(0.5, 1.5)
        day, hours, fouled = day + gap, hours + run_h, fouled + run_h
        on = BEGIN + timedelta(days=round(day))
        life.used.append(Used(f"{on}T01:00:00", Counters(run_h, run_h)))
        if not quiet:
            film += (most - film) / most * rate * run_h * rng.uniform(0.3, 1.7)
        if not quiet and fouled > due:
            film, fouled, due = film * left, 0.0, rng.uniform(*cleaned)
            loss = None if loss is not None and loss[0] < week else loss
            at = f"{on}T02:00:00"
            life.acts.append(ServiceAct(f"c{week}", MACHINE.uid, "lens", "clean", at))
        age = 0.0
        if not quiet:
            age = 0.223 * ((hours / life_h) ** bend - (began_h / life_h) ** bend)
        sudden = 0.0
        if loss is not None and week >= loss[0]:
            since = day - loss[3] if len(loss) > 3 else 0.0
            if len(loss) == 3:
                loss = (*loss, day - rng.uniform(0, gap))
                since = day - loss[3]
            sudden = loss[1] * (min(1.0, since / loss[2]) if loss[2] else 1.0)
        need = age + film + sudden
        wobble = rng.normal(0, sheet) + season * math.sin(day / 58 + phase)
        if rng.random() < WRONG_SHEETS:
            wobble += rng.choice([-1, 1]) * rng.uniform(0.1, 0.3)
        trial = replace(template, id=f"w{week}", made=on.isoformat())
        life.pairs.append((trial, _read(trial, need + wobble, rng, shop)))
        life.truth.append(need)
        if way.meter_every and week % way.meter_every == 0:
            watts = MACHINE.optical_power_w * math.exp(
                -need * rng.uniform(0.9, 1.0) + rng.normal(0, 0.02)
            )
            at = f"{on}T13:00:00"
            life.acts.append(ServiceAct(f"m{week}", MACHINE.uid, "power", "check", at, watts=watts))
        for _ in range(rng.poisson(way.burns_a_week)):
            margin = rng.uniform(0.08, 0.3)
            good = need + rng.normal(0, sheet) + rng.normal(0, 0.03) < margin
            life.proofs.append((on, margin, bool(good)))
    life.loss = loss
    return life


def history(life):
    """What the product makes of a history: events, and which of them are checks."""
    entries = []
    for n, low in enumerate((0.08, 0.135, 0.19, 0.245)):  # four settings, by their margin
        mine = [one for one in life.proofs if low <= one[1] < low + 0.055]
        proofs = tuple(
            Proof((on + timedelta(days=1)).isoformat(), "passed" if good else "failed")
            for on, _, good in mine
        )
        if proofs:
            evidence = Evidence(margins=Margins(power=math.exp(-low - 0.0275)))
            entries.append(
                Entry(
                    f"e{n}",
                    MACHINE.uid,
                    f"s{n}",
                    "cut",
                    TEMPLATES[False].cells[0].setting,
                    "trial",
                    (BEGIN + timedelta(days=1)).isoformat(),
                    evidence=evidence,
                    proofs=proofs,
                )
            )
    found = history_of(
        MACHINE, checks=follow_checks(life.pairs), acts=life.acts, entries=entries, used=life.used
    )
    return found, [n for n, one in enumerate(found.events) if one.kind == "check"]


def _alarms(found, checks):
    banks = list(follow_machine(found.events, found.habits))
    return [chance_above(banks[n], WEAK) > ALARM for n in checks], banks


def _charts(found, checks):
    """The two charts over the same checks: sigma by moving ranges, and by the readings' own."""
    values = [found.events[n].value for n in checks]
    errors = [math.hypot(found.events[n].sd, Habits().sheet) for n in checks]
    sigma = max(1e-3, float(np.abs(np.diff(values[:BASE])).mean()) / RANGE_TO_SIGMA)
    centre = float(np.mean(values[:BASE]))
    steps = np.arange(1, len(values) + 1)
    spread = sigma * np.sqrt(0.2 / 1.8 * (1 - 0.8 ** (2 * steps)))
    return (ewma(values, centre) - centre) / spread, own_error_signal(values, errors)


def measure():
    rng = np.random.default_rng(SEED)
    for way in WAYS:
        yield from _alarm_lines(way, rng)
    yield from _life_lines(rng)


def _alarm_lines(way, rng):
    quiet_alarms, quiet_charts = [], []
    for n in range(way.many):
        found, checks = history(live(rng, way, BASE + WATCHED, quiet=True))
        if n < QUIET:
            alarms, _ = _alarms(found, checks)
            quiet_alarms.append(any(alarms[BASE:]))
        quiet_charts.append([one[BASE:].max() for one in _charts(found, checks)])
    yield f"{way.name}: quiet histories that alarm", np.mean(quiet_alarms), way.most_quiet
    levels = np.quantile(np.array(quiet_charts), 0.8, axis=0)
    for loss in (0.10, 0.16, 0.25):
        told, days, charted = [], [], []
        for n in range(way.many):
            week = int(rng.integers(14, 50))
            creeps = float(rng.choice([0, 0, 5]))
            life = live(rng, way, week + 14, quiet=True, loss=(week, loss, creeps))
            found, checks = history(life)
            charted.append(
                [
                    (one[week : week + WITHIN] > level).any()
                    for one, level in zip(_charts(found, checks), levels, strict=True)
                ]
            )
            if n >= (way.many if loss == 0.16 else QUIET):
                continue
            alarms, banks = _alarms(found, checks)
            told.append(any(alarms[week : week + WITHIN]))
            step = step_of(banks[checks[week + WITHIN + 3]])
            if step.chance > SURE_OF_STEP:  # as the page names it
                days.append(abs(step.day - BEGIN.toordinal() - life.loss[3]))
        if loss == 0.16:
            lost = 1 - np.mean(told)
            error = math.sqrt(max(lost * (1 - lost), 0.01) / len(told))
            print(f"      {way.name}, 16 %: not told {lost:.3f} ± {error:.3f} in {WITHIN} checks")
            yield f"{way.name}: losses of 16 % not told in 4 checks", lost, 1 - way.least_told
            yield f"{way.name}: days that its date is off, p90", np.quantile(days, 0.9), 15
        ranges, own = np.mean(charted, axis=0)
        print(f"      {way.name}, {100 * loss:.0f} %: told {np.mean(told):.2f}", end="")
        print(f", charts {ranges:.2f} (ranges), {own:.2f} (own errors)")
        what = f"{way.name}: a loss of {100 * loss:.0f} % seen by own errors less often"
        yield what, ranges - own, 0.05


def _life_lines(rng):
    """Whole lives: whether what is said to hold 80 % does, now and weeks ahead."""
    for way in WAYS:
        held = {0: [], 4: [], 8: []}
        for _ in range(way.lives):
            held = {weeks: [*lives, []] for weeks, lives in held.items()}  # the new one is last
            loss = None
            if rng.random() < 0.6:
                size, creeps = rng.uniform(0.06, 0.25), float(rng.choice([0, 0, 5]))
                loss = (int(rng.integers(15, 90)), size, creeps)
            life = live(rng, way, 100, loss=loss)
            found, checks = history(life)
            events = found.events
            habits = learn_sheet(events, found.habits)
            banks = list(follow_machine(events, habits))
            for n in range(BASE, len(checks)):
                mean, sd = need_of(banks[checks[n]])
                held[0][-1].append(abs(life.truth[n] - mean) < 1.2816 * sd)
            for n in range(12, 92, 4):
                _look_ahead(life, found, banks, habits, checks, n, held)
        for weeks, lives in held.items():
            share, error = _share_of(lives)
            name = f"{way.name}: what holds 80 % {'now' if not weeks else f'in {weeks} weeks'}"
            print(f"      {name}: {share:.2f} ± {error:.2f} of {sum(map(len, lives))}")
            yield f"{name}, off .86", abs(share - 0.86), 0.11


def _share_of(lives):
    """The share of hits, and its standard error: hits of one life hang together."""
    lives = [hits for hits in lives if hits]
    count = np.array([len(hits) for hits in lives], float)
    good = np.array([sum(hits) for hits in lives], float)
    share = good.sum() / count.sum()
    off = good - share * count
    return share, math.sqrt((off**2).sum()) / count.sum()


def _look_ahead(life, found, banks, habits, checks, n, held):
    at = checks[n]
    event = found.events[at]
    today = date.fromordinal(int(event.day))
    told = tell_drift(
        MACHINE, found.events[: at + 1], banks[at], (), habits, today=today, usage=found.usage
    )
    for weeks in (4, 8):
        later = n + weeks
        if later >= len(checks):
            continue
        between = found.events[at : checks[later] + 1]
        if any(one.kind == "clean" for one in between):
            continue
        days = found.events[checks[later]].day - event.day
        ahead = min(told.ahead, key=lambda one: abs(one.day - told.day - days))
        held[weeks][-1].append(ahead.low <= life.truth[later] <= ahead.high)
