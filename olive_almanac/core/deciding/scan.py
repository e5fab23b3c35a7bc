"""A cut at one power over passes, focus and speed: the chance to fall free, and the least time in each particle's world.

The posterior's particles meet the shop's focus error and thickness at Gauss-Legendre nodes: neither goes beyond its half width, so
a normal spread would ask for too much.  Power drift enters as variance of the margin.  docs/methods.md, section Decide.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.burn.groove import Burns, Groove, fast_phi
from olive_almanac.core.fitting.cut import CutCase, GroovePosterior
from olive_almanac.core.records.setting import Air

__all__ = ["PASSES", "USUAL_DRIFT", "Scan", "ShopDrift", "margins_under_drift", "open_speeds", "scan_cut"]

Floats = NDArray[np.float64]
Reals = NDArray[np.float32]
PASSES = (1, 2, 3, 4, 5, 6, 8, 10, 12)
SPEEDS = 26
THICKNESS_NODES = 3
PENALTY = 2.0  # ln(time) above the median for a world in which nothing gets through
F4 = np.float32


@dataclass(frozen=True)
class ShopDrift:
    """Half widths of what varies in a shop from day to day: thickness and power as fractions, focus in mm; and the
    spread (sd of ln energy) between the coupon and the rest of the sheet.  Common practice, no source."""

    thickness: float = 0.05
    power: float = 0.05
    focus_mm: float = 1.0
    patch: float = 0.03
    says: tuple[str, ...] = ()  # which of them come from the shop's own records


USUAL_DRIFT = ShopDrift()


def margins_under_drift(
    groove: Groove, burns: Burns, thickness_mm: float, drift: ShopDrift, nodes: int
) -> tuple[Reals, Reals, Floats]:
    """Return ln(passes worth / passes needed to fall free), its spread from cell noise, power and patch, and the weights.

    Rows are the groove's M particles, each at `nodes` places of the focus error times three of the thickness: [M K, n] twice
    and [M K]; the weights sum to 1.
    """
    focus, focus_weight = np.polynomial.legendre.leggauss(nodes if drift.focus_mm else 1)
    thicker, thick_weight = np.polynomial.legendre.leggauss(THICKNESS_NODES if drift.thickness else 1)
    rows = Groove(np.repeat(groove.theta, len(focus), axis=0), groove.rayleigh_mm)
    rows = rows.out_of_focus(np.tile(focus * drift.focus_mm, len(groove)))
    needed = rows.needed(burns, thickness_mm)
    margin = rows.log_worth(burns) - needed.log - rows.hang_band
    spread = np.sqrt(rows.noise**2 + (needed.by_power * F4(drift.power)) ** 2 / 3 + F4(drift.patch**2))
    lost = needed.by_depth * F4(drift.thickness)
    margin = (margin[:, None] - thicker.astype(F4)[:, None] * lost[:, None]).reshape(-1, margin.shape[1])
    weight = np.tile(np.outer(focus_weight / 2, thick_weight / 2).ravel() / len(groove), len(groove))
    return margin, np.repeat(spread, len(thicker), axis=0), weight


@dataclass(frozen=True)
class Scan:
    """Tables over rows (particle by particle, its nodes of the drift together), focus and speed: ln of the passes needed to fall
    free [R, F, V], spread of the margin [R, F, V], ln of what each number of passes is worth [R, N], weights of the rows."""

    passes: tuple[int, ...]
    focus_mm: Floats
    speed_mm_s: Floats
    needed: Reals
    spread: Reals
    worth: Reals
    weight: Floats
    nodes: int

    def chance(self) -> Floats:
        """Return P(falls free), [N, F, V]."""
        rows, shape = len(self.weight), self.needed.shape[1:]
        weight = self.weight.astype(F4)
        result = np.empty((len(self.passes), *shape))
        for n in range(len(self.passes)):
            good = fast_phi((self.worth[:, n, None, None] - self.needed) / self.spread)
            result[n] = (weight @ good.reshape(rows, -1)).reshape(shape)
        return result

    def least_time(self, target: float) -> tuple[Floats, NDArray[np.bool_]]:
        """Return ln of the least passes/speed (s/mm) with P(falls free) >= target in each particle's world, and where there is
        one, [M] each; a world without any gets a penalty."""
        count = len(self.weight) // self.nodes
        shape = (count, self.nodes, *self.needed.shape[1:])
        needed, spread = self.needed.reshape(shape), self.spread.reshape(shape)
        share = (self.weight[: self.nodes] / self.weight[: self.nodes].sum()).astype(F4)[None, :, None, None]
        low, high = (needed + F4(0.5) * spread).max(1), (needed + F4(3.0) * spread).max(1)
        level = (needed + F4(2.33) * spread).max(1)  # ln worth at which the mean over the nodes meets the target
        for _ in range(5):
            short = (share * fast_phi((level[:, None] - needed) / spread)).sum(1) < target
            low, high = np.where(short, level, low), np.where(short, high, level)
            level = F4(0.5) * (low + high)
        level = np.maximum.accumulate(level, axis=2)  # [M, F, V], rising with speed
        log_speed = np.log(self.speed_mm_s)
        best = np.full(count, np.inf)
        worth = self.worth.reshape(count, self.nodes, -1)[:, 0]
        particle = np.arange(count)
        for n, passes in enumerate(self.passes):
            for f in range(level.shape[1]):
                reached = (level[:, f] <= worth[:, n, None]).sum(1)
                at = np.clip(reached - 1, 0, len(log_speed) - 2)
                here, next_ = level[particle, f, at], level[particle, f, at + 1]
                along = np.clip((worth[:, n] - here) / np.maximum(next_ - here, 1e-6), 0, 1)
                speed = log_speed[at] + along * (log_speed[at + 1] - log_speed[at])
                best = np.where(reached > 0, np.minimum(best, np.log(passes) - speed), best)
        possible = np.isfinite(best)
        ceiling = (float(np.median(best[possible])) if possible.any() else 0.0) + PENALTY
        return np.minimum(best, ceiling), possible


def scan_cut(
    posterior: GroovePosterior, case: CutCase, drift: ShopDrift, *, power: float, passes: Sequence[int], focus_mm: Floats,
    speed_mm_s: Floats, air: Air, particles: int, nodes: int,
) -> Scan:  # fmt: skip
    """Return the tables for one power; `focus_mm` [F] and `speed_mm_s` [V] rise."""
    groove = posterior.resampled(particles)
    focus, speed = (grid.ravel() for grid in np.meshgrid(focus_mm, speed_mm_s, indexing="ij"))
    margin, spread, weight = margins_under_drift(groove, case.burns(power, speed, 1, focus, air=air), case.thickness_mm, drift, nodes)
    shape = (len(weight), len(focus_mm), len(speed_mm_s))
    worth = groove.log_worth(case.burns(power, 1.0, np.array(passes), 0.0, air=air))
    rows = len(weight) // len(groove)
    return Scan(
        tuple(passes), focus_mm, speed_mm_s, (-margin).reshape(shape), spread.reshape(shape), np.repeat(worth, rows, axis=0), weight, rows
    )


def open_speeds(
    posterior: GroovePosterior, case: CutCase, *, power: float, focus_mm: float, most_passes: int, air: Air, count: int = SPEEDS
) -> Floats:
    """Return speeds from where one pass is sure to get through up to where the most passes are hopeless, evenly in ln."""
    wide = np.geomspace(max(0.05, case.max_speed_mm_s / 5000), case.max_speed_mm_s, 60)
    groove = posterior.resampled(16)
    needed = groove.log_needed(case.burns(power, wide, 1, focus_mm, air=air), case.thickness_mm)
    worth = groove.log_worth(case.burns(power, wide, most_passes, focus_mm, air=air))
    high = wide[np.flatnonzero((worth - needed > -0.2).any(0)).max(initial=0)]
    low = wide[np.flatnonzero((needed < -0.9).all(0)).max(initial=0)]
    top = max(min(1.2 * high, case.max_speed_mm_s), 1.5 * low)
    return np.asarray(np.geomspace(low, min(top, case.max_speed_mm_s) if case.max_speed_mm_s > low else top, count), float)
