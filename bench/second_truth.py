"""Hidden worlds of another structure, for the measurements alone: what a beam removes while it
dwells, against heat that soaks away.

Shares nothing with the program's fit or the stand-in bench.  A spot of width 2 r(z) passes in
2 r / v.  While it is there the bottom of the slot sinks as fast as what reaches it allows, less
what soaks into the stock:

    dz/dt = (a I(z) S(z) - q (1 + z / d)) / H
    I(z) = P / (pi r(z)^2),   r(z) = r0 (1 + (|z - f| / c)^p)^(1/p)

S falls as exp(-z / (b r0)) for the walls, and with what the same pass has dug for its vapour; each
pass leaves residue that takes a share of the next pass's beam, down to a floor.  H is set for each
stock so that what shops do (tests/practice) cuts through with some energy in hand, which differs
from world to world as all the rest does.
"""

from __future__ import annotations

import functools
from dataclasses import dataclass, replace

import numpy as np

from bench.best_known import JUDGED_BY, quickest_that_works
from olive_almanac.core.motion.profile import peak_speed
from olive_almanac.core.records.reading import Reading
from tests.practice import practised_cuts

__all__ = ["SecondWorld", "second_world"]

STEPS = 30  # of the time that the spot takes to pass
FOCUS_DRIFT_MM, DRIFT = 1.0, 0.05
MISTAKES, MISGRADED = 0.01, 0.05
AKIN = {"board": "card", "hdf": "mdf", "veneer": "plywood", "bamboo": "hardwood"}


@dataclass(frozen=True)
class SecondWorld:
    """One stock on one machine as it truly is; depths in mm, heat in W/mm2 and J/mm3."""

    machine: object
    stock: object
    takes_up: float  # a
    heat_j_mm3: float  # H
    soaks_w_mm2: float  # q
    deep_mm: float  # d
    cone_mm: float  # c
    waist: float  # p: 2 for a plain beam, less and more for lenses that bend it
    walls: float  # b
    smoke: float  # what the vapour of the same pass takes, per r0 that it has dug
    residue: float
    floor: float
    focus_off_mm: float
    bend: float
    spread: float  # sd of ln energy from cell to cell
    hangs: float  # share of the thickness beyond it that must be dug to fall free
    flares_at: float
    seed: int

    def depth_mm(self, settings, *, luck=1.0, strength=1.0, shift_mm=0.0, speeds=None):
        """Return how deep each setting digs [n] in endless stock."""
        power, speed, passes, focus = np.array(
            [(s.power, s.speed_mm_s, s.passes, s.focus_mm) for s in settings], float
        ).T
        if speeds is not None:
            speed = speeds
        watts = self.machine.watts(1.0) * power**self.bend * strength * self.takes_up
        r0 = max(self.machine.spot_x_mm, self.machine.spot_y_mm) / 2
        depth, clean = np.zeros(len(power)), np.ones(len(power))
        for number in range(int(passes.max())):
            burning, before = number < passes, depth
            for _ in range(STEPS):
                away = np.abs(depth - focus - shift_mm - self.focus_off_mm) / self.cone_mm
                wide = r0 * (1 + away**self.waist) ** (1 / self.waist)
                reaches = clean * watts / (np.pi * wide**2) * np.exp(-depth / (self.walls * r0))
                reaches = reaches * np.exp(-self.smoke * (depth - before) / r0)
                lost = self.soaks_w_mm2 * (1 + depth / self.deep_mm)
                sinks = np.maximum(reaches - lost, 0.0) / (self.heat_j_mm3 * luck)
                depth = depth + np.where(burning, sinks * 2 * wide / speed / STEPS, 0.0)
            clean = np.where(burning, np.maximum(clean * (1 - self.residue), self.floor), clean)
        return depth

    def heat(self, settings):
        """Return how near each setting is to setting the stock alight, 1 where half of them do."""
        watts = np.array([self.machine.watts(s.power) for s in settings])
        speed = np.array([s.speed_mm_s for s in settings])
        passes = np.array([s.passes for s in settings])
        stays = watts / (speed + 2.0) ** 0.9 * passes**0.1
        return stays / (self.flares_at * self.stock.true_thickness_mm**0.6)

    def success(self, settings, draws=JUDGED_BY, seed=7):
        """Return the share of burns [n] that fall free over the days of a shop."""
        rng = np.random.default_rng(seed)
        n = len(settings)
        luck = np.tile(np.exp(self.spread * rng.standard_normal(draws)), n)
        strength = np.tile(1 + DRIFT * rng.uniform(-1, 1, draws), n)
        shift = np.tile(FOCUS_DRIFT_MM * rng.uniform(-1, 1, draws), n)
        thick = self.stock.true_thickness_mm * np.tile(1 + DRIFT * rng.uniform(-1, 1, draws), n)
        many = [s for s in settings for _ in range(draws)]
        depth = self.depth_mm(many, luck=luck, strength=strength, shift_mm=shift)
        return (depth >= thick * (1 + self.hangs)).reshape(n, draws).mean(1)

    def keeps_cool(self, settings):
        """Return whether settings [n] hardly ever flare."""
        return self.heat(settings) < 0.85

    def best(self):
        """Return the quickest setting that truly works without a flare, and its seconds a metre."""
        return quickest_that_works(self)

    def burn(self, trial):
        """Burn in order as a careful person does, after a flare-up no hotter cell, and read."""
        rng = np.random.default_rng([self.seed, *trial.id.encode()])
        settings = [cell.setting for cell in trial.cells]
        reached = np.array(
            [
                peak_speed(
                    cell.rect_mm[2], cell.setting.speed_mm_s, self.machine.acceleration_mm_s2
                )
                for cell in trial.cells
            ]
        )
        luck = np.exp(self.spread * rng.standard_normal(len(settings)))
        depth = self.depth_mm(settings, luck=luck, speeds=reached)
        heat = self.heat(settings) * np.exp(0.1 * rng.standard_normal(len(settings)))
        seen, hot = [], np.inf
        for i, cell in enumerate(trial.cells):
            energy = cell.setting.power / cell.setting.speed_mm_s
            if energy >= hot:
                continue
            flared = rng.random() < 1 / (1 + np.exp(-(heat[i] - 1) / 0.06))
            if flared:
                seen.append(Reading(cell.id, None, char=3, defects=("flare",)))
                hot = 0.98 * energy
                continue
            rank = int(depth[i] >= self.stock.true_thickness_mm)
            rank += int(depth[i] >= self.stock.true_thickness_mm * (1 + self.hangs))
            if rng.random() < MISTAKES:
                rank = min(2, max(0, rank + rng.choice((-1, 1))))
            grade = int(heat[i] > 0.4) + int(heat[i] > 0.7)
            if rng.random() < MISGRADED:
                grade = min(2, max(0, grade + rng.choice((-1, 1))))
            seen.append(Reading(cell.id, ("not_through", "hangs", "free")[rank], char=int(grade)))
        return seen


@functools.cache
def _practised(source, family):
    """The rows that shops cut through of a family, or of the one most like it."""
    rows = [
        row for row in practised_cuts() if row.machine.source == source and row.outcome == "free"
    ]
    return [row for row in rows if row.stock.family in (family, AKIN.get(family))]


def second_world(machine, stock, seed):
    """Return the world of a seed: practice says how much energy a stock takes, chance the rest."""
    rng = np.random.default_rng([seed, 2, *stock.name.encode(), *machine.name.encode()])

    def about(middle, spread):
        return float(middle * np.exp(spread * rng.standard_normal()))

    rows = _practised(machine.source, stock.family)
    thickness = stock.true_thickness_mm
    row = min(rows, key=lambda one: abs(np.log(one.stock.true_thickness_mm / thickness)))
    in_hand = about(1.35, 0.30)
    world = SecondWorld(
        machine,
        stock,
        takes_up=1.0,
        heat_j_mm3=1.0,
        soaks_w_mm2=about(12.0, 0.5),
        deep_mm=about(3.0, 0.4),
        cone_mm=about(1.1 * machine.rayleigh_mm, 0.2),
        waist=float(rng.uniform(1.4, 3.0)),
        walls=about(55.0, 0.3),
        smoke=float(rng.uniform(0.0, 0.012)),
        residue=float(rng.uniform(0.0, 0.08)),
        floor=float(rng.uniform(0.4, 0.8)),
        focus_off_mm=float(0.4 * rng.standard_normal()),
        bend=about(1.0, 0.08),
        spread=float(rng.uniform(0.03, 0.09)),
        hangs=float(rng.uniform(0.02, 0.10)),
        flares_at=1.0,
        seed=seed,
    )
    return _levelled(world, row, in_hand, about(2.2, 0.4))


def _levelled(world, row, in_hand, flares):
    """The world whose heat of removal lets the practised cut run `in_hand` times as quick, and that
    flares at so many times its heat.
    """
    practised, thickness = (
        replace(world, machine=row.machine, bend=1.0),
        row.stock.true_thickness_mm,
    )
    speed = row.setting.speed_mm_s
    setting = replace(row.setting, speed_mm_s=speed * in_hand, focus_mm=min(thickness / 2, 2.0))
    low, high = np.log(1e-3), np.log(1e3)
    for _ in range(40):
        middle = (low + high) / 2
        deep = replace(practised, heat_j_mm3=float(np.exp(middle)), focus_off_mm=0.0)
        if deep.depth_mm([setting])[0] >= thickness:
            low = middle
        else:
            high = middle
    watts = row.machine.watts(row.setting.power) / (speed + 2.0) ** 0.9
    return replace(
        world, heat_j_mm3=float(np.exp(low)), flares_at=float(flares * watts / thickness**0.6)
    )
