"""Follow a machine by its weekly checks: by how much the energy that a small ladder needs has moved
since the first.

The point at which a ladder turns (falls free or not; too light or too dark) lies where its readings
are likeliest, averaged over an even prior; lightness, where both coupons have it, is compared cell
by cell.  docs/methods.md, section Weekly checks.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import groupby

import numpy as np

from olive_almanac.core.burn.groove import fast_phi
from olive_almanac.core.dates import day_text
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.recipe import key_of
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.records.weekly import WeeklyCheck, drift_since
from olive_almanac.core.words import tr

__all__ = ["follow_checks", "said_of_check", "turning_point"]

Pair = tuple[Trial, Sequence[Reading]]
LEAST_CELLS = 4
NOISE = 0.08  # sd of ln energy from cell to cell (common practice, no source)
RIGHT = 0.12  # half width in ln energy of the tones that are called right
LAPSE = 0.03
REACH = 0.4  # how far beyond its ladder a check is followed, in ln energy
TONE_NOISE_L = 1.5  # sd of L* from cell to cell
LEAST_SLOPE_L = 8.0  # L* per ln energy below which tones tell too little
FREE = {"free": True, "push": False, "hangs": False, "not_through": False}
TONES = {"no_mark": -1, "too_light": -1, "right": 0, "too_dark": 1}


def follow_checks(pairs: Sequence[Pair]) -> tuple[WeeklyCheck, ...]:
    """Return what each weekly check found, oldest first; those that tell nothing are left out."""
    found = []
    for series, group in groupby(
        sorted(pairs, key=lambda pair: (_series(pair[0]), pair[0].made)),
        key=lambda pair: _series(pair[0]),
    ):
        checks = [
            (trial, _turning_point(trial, readings), _tones(trial, readings))
            for trial, readings in group
        ]
        told = [check for check in checks if check[1] is not None or len(check[2]) >= LEAST_CELLS]
        for trial, turn, tones in told:
            moved = _shift_of_tones(told[0][2], tones) or _shift_of_turn(told[0][1], turn)
            if moved is not None:
                machine = trial.machine
                found.append(
                    WeeklyCheck(machine.uid, machine.state, series, trial.made, *moved, trial.id)
                )
    return tuple(sorted(found, key=lambda check: check.on))


def said_of_check(trial: Trial, pairs: Sequence[Pair]) -> str:
    """Return in one sentence how a weekly check compares with the one before it; empty where it is
    the first or tells nothing.
    """
    checks = follow_checks(
        [
            pair
            for pair in pairs
            if _series(pair[0]) == _series(trial)
            and pair[0].machine.state == trial.machine.state
            and pair[0].made <= trial.made
        ]
    )
    if len(checks) < 2 or checks[-1].on != trial.made:
        return ""
    before, now = checks[-2:]
    drift = drift_since((before, now), before.on, machine_state=now.machine_state)
    if drift is None:
        return tr(
            "Needs the same energy as the check of {on}, as far as these cells can tell.",
            on=day_text(before.on),
        )
    share, way = 100 * np.expm1(abs(drift.more)), tr("more") if drift.more > 0 else tr("less")
    return tr(
        "Needs {share:.0f} % {way} energy than the check of {on}.",
        share=share,
        way=way,
        on=day_text(before.on),
    )


def _series(trial: Trial) -> str:
    setting = trial.cells[0].setting
    parts = (trial.machine.uid, trial.stock.uid, trial.stock.lot, trial.task)
    told = [*parts, setting.passes, setting.focus_mm, setting.air, setting.pitch_mm]
    if key_of(trial.recipe):
        told.append(key_of(trial.recipe))  # another mask is another series
    return "|".join(str(part) for part in told)


def _log_energy(trial: Trial) -> dict[str, float]:
    return {
        c.id: float(np.log(trial.machine.watts(c.setting.power) * c.setting.dose_per_watt))
        for c in trial.cells
    }


def _shift_of_turn(
    first: tuple[float, float] | None, now: tuple[float, float] | None
) -> tuple[float, float] | None:
    if first is None or now is None:
        return None
    return (now[0] - first[0], now[1])


def _turning_point(trial: Trial, readings: Sequence[Reading]) -> tuple[float, float] | None:
    energy = _log_energy(trial)
    return turning_point(
        [
            (energy[one.cell], one.verdict)
            for one in readings
            if one.verdict is not None and one.cell in energy
        ]
    )


def turning_point(
    seen: Sequence[tuple[float, str]], least: int = LEAST_CELLS
) -> tuple[float, float] | None:
    """Return the ln energy at which a ladder of (ln energy, verdict) turns and its standard error;
    None where there are fewer than `least` verdicts.
    """
    if len(seen) < least:
        return None
    at = np.array([x for x, _ in seen], np.float32)
    level = np.linspace(at.min() - REACH, at.max() + REACH, 241, dtype=np.float32)
    above = fast_phi((at[:, None] - level) / NOISE)
    lighter = fast_phi((level - RIGHT - at[:, None]) / NOISE)
    darker = fast_phi((at[:, None] - level - RIGHT) / NOISE)
    chances = {-1: lighter, 0: 1 - lighter - darker, 1: darker}
    rows = [
        (above[i] if FREE[verdict] else 1 - above[i])
        if verdict in FREE
        else chances[TONES[verdict]][i]
        for i, (_, verdict) in enumerate(seen)
    ]
    total = np.log((1 - LAPSE) * np.maximum(rows, 0) + LAPSE / 2).sum(0)
    weight = np.exp(total - total.max())
    weight /= weight.sum()
    mean = float(weight @ level)
    return mean, float(np.sqrt(weight @ (level - mean) ** 2))


def _tones(trial: Trial, readings: Sequence[Reading]) -> dict[float, float]:
    """L* by ln energy."""
    energy = _log_energy(trial)
    return {
        round(energy[one.cell], 4): one.lightness
        for one in readings
        if one.lightness is not None and one.cell in energy
    }


def _shift_of_tones(
    first: dict[float, float], now: dict[float, float]
) -> tuple[float, float] | None:
    """By how much the ladder's tones have moved along ln energy and the standard error; None where
    they cannot tell.
    """
    both = sorted(set(first) & set(now))
    if len(both) < LEAST_CELLS:
        return None
    slope = float(np.polyfit(both, [first[x] for x in both], 1)[0])
    if abs(slope) < LEAST_SLOPE_L:
        return None
    shift = -float(np.mean([now[x] - first[x] for x in both])) / slope
    return shift, TONE_NOISE_L / abs(slope) / len(both) ** 0.5
