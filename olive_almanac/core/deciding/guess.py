"""Reckon a first setting from the family's prior alone: always a guess, never on trial before it
was burnt.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np

from olive_almanac.core.deciding.cut_knowledge import KEEPS, know_cut, margins_of
from olive_almanac.core.deciding.engrave import know_tone, score_prior
from olive_almanac.core.design.levels import round_level
from olive_almanac.core.design.suggest import flare_limit_of, suggest_levels
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.fitting.kin_learning import KinSds
from olive_almanac.core.fitting.tone import areal_energy_of
from olive_almanac.core.materials.catalogue import Permission
from olive_almanac.core.materials.families import tone_prior
from olive_almanac.core.motion.profile import raster_seconds
from olive_almanac.core.records.entry import Evidence, Margins
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.setting import Setting, Task, rasters
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.words import tr

__all__ = ["compute_guess"]

Pairs = Sequence[tuple[Trial, Sequence[Reading]]]
RECKONED = tr("Reckoned from what this family of stock usually needs.")
WANTED = 0.80  # a guess aims at this chance under the prior's wide doubt


def compute_guess(
    machine: Machine,
    stock: Stock,
    task: Task,
    permission: Permission,
    *,
    rng: np.random.Generator,
    related: Pairs = (),
    aim: float | None = None,
    kept: Setting | None = None,
    kin: KinSds | None = None,
) -> tuple[Setting, Evidence]:
    """Return the setting that is expected to work, and its evidence (no cells read).

    It comes from the family's prior, or from `related`: readings of other lots, thicknesses or
    machines, widened by how far such differ (`kin`, or as is usual) and scaled.

    `aim` is the areal (score: line) energy to take instead of the family's usual one.  `kept` is a
    setting whose power, passes and focus a cut keeps where they will do: its speed changes first,
    then its passes, then the power.

    Raises Barred where the stock must not burn, OutOfRange where the prior sees no way through.
    """
    permission.insist()
    start = suggest_levels(machine, stock, task).choices
    if task != "cut":
        if aim is None:
            if task == "score":
                aim = score_prior(machine, stock).right_j_mm2
            else:
                aim = tone_prior(stock, machine.source).right_j_mm2
        pitch, speed = start.pitch_mm[0], start.speed_mm_s[len(start.speed_mm_s) // 2]
        most = machine.watts(1.0) / (aim * (pitch or 1.0))  # full power is no stronger at any speed
        if speed > most:
            speed = round_level(most)
        power = min(1.0, round_level(machine.fraction_for(aim * speed * (pitch or 1.0))))
        setting = Setting(
            power, speed, 1, 0.0, pitch, start.air[0], direction="x" if rasters(task) else "xy"
        )
        chance = know_tone(machine, stock, (), task=task).chances_at(
            areal_energy_of(setting, machine, speed)
        )
        limits = (pitch, speed, machine.acceleration_mm_s2)
        return setting, Evidence(
            probability=float(chance[1]),
            target=WANTED,
            margins=Margins(),
            seconds_per_m=None if pitch else 1000 / speed,
            seconds_per_100cm2=raster_seconds(100, 100, *limits) if pitch else None,
            says=RECKONED,
        )
    knowledge = know_cut(machine, stock, related, rng=rng, kin=kin)
    if knowledge.carried:
        says = tr("Carried over from {carried}.", carried=" and ".join(knowledge.carried))
    else:
        says = RECKONED
    usual = Setting(1.0, 1.0, start.passes[0], start.focus_mm[0], air=start.air[0])
    limit, best = flare_limit_of(stock, related), 0.0
    for tried in _tries(usual, kept):
        power, passes = tried.power, tried.passes
        slowest = max(0.2, 1.001 * limit.slowest(machine.watts(power), passes))
        if slowest > machine.max_speed_mm_s:
            continue  # whatever the machine can run would flare up
        speeds = np.geomspace(slowest, machine.max_speed_mm_s, 80)
        chance = knowledge.chance(
            power=power, speed_mm_s=speeds, passes=passes, focus_mm=tried.focus_mm
        )
        best = max(best, float(chance.max()))
        if (chance >= WANTED).any():
            at = int(np.flatnonzero(chance >= WANTED)[-1])
            setting = replace(tried, speed_mm_s=round_level(float(speeds[at])))
            return setting, Evidence(
                probability=float(chance[at]),
                target=WANTED,
                margins=Margins(edge=margins_of(knowledge, setting).edge, keeps=KEEPS),
                seconds_per_m=1000 * passes / setting.speed_mm_s,
                says=says,
            )
    raise OutOfRange(
        tr("Chance to cut through"),
        best,
        tr("at least {wanted:g}; this machine is not expected to cut it", wanted=WANTED),
    )


def _tries(usual: Setting, kept: Setting | None) -> Iterator[Setting]:
    """Settings whose speed is looked for, in turn: what was kept, with more passes, at full power;
    then what is usual, with more passes.
    """
    if kept is not None:
        for times in (1, 2, 4):
            yield replace(kept, passes=times * kept.passes)
        if kept.power < 1:
            yield replace(kept, power=1.0)
    for times in (1, 2, 4):
        yield replace(usual, passes=times * usual.passes)
