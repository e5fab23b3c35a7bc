"""A cut at one power over passes, focus and speed: the chance to fall free, and the least time in
each particle's world.

The posterior's particles meet the shop's focus error, and thickness and power together, at nodes of
quadrature: none goes beyond its half width, so a normal spread would ask for too much.
docs/methods.md, section Decide.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from statistics import NormalDist

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.burn.groove import Burns, Groove, Needed, fast_phi
from olive_almanac.core.fitting.cut import CutCase, GroovePosterior
from olive_almanac.core.records.setting import Air

__all__ = [
    "DRIFT_NODES",
    "DRIFT_WEIGHTS",
    "PASSES",
    "USUAL_DRIFT",
    "Scan",
    "ShopDrift",
    "chance_under_drift",
    "margins_at",
    "open_speeds",
    "rows_out_of_focus",
    "scan_cut",
]

Floats = NDArray[np.float64]
Reals = NDArray[np.float32]
PASSES = tuple(range(1, 13))
SPEEDS = 26
DRIFT_NODES = np.array([-1.0, 0.0, 1.0]) * np.sqrt(
    0.8
)  # exact to the fifth moment for two even spreads of half width 1/sqrt(2)
DRIFT_WEIGHTS = np.array([5, 14, 5]) / 24
TABLE = 64  # strengths at which a map of many settings is worked out, and read off between them
PENALTY = 2.0  # ln(time) above the median for a world in which nothing gets through
F4 = np.float32


@dataclass(frozen=True)
class ShopDrift:
    """Half widths of what varies in a shop from day to day: thickness and power as fractions, focus
    in mm; and the spread (sd of ln energy) between the coupon and the rest of the sheet, with what
    the model gets wrong.  Common practice, no source.
    """

    thickness: float = 0.05
    power: float = 0.05
    focus_mm: float = 1.0
    patch: float = 0.04
    says: tuple[str, ...] = ()  # which of them come from the shop's own records


USUAL_DRIFT = ShopDrift()


def chance_under_drift(
    groove: Groove, burns: Burns, thickness_mm: float, drift: ShopDrift, nodes: int
) -> Floats:
    """Return P(falls free) of each burn [n]: the mean over the groove's particles, each at `nodes`
    places of the focus error times three of thickness and power together.
    """
    rows, weight = rows_out_of_focus(groove, drift, nodes)
    if len(burns) > 2 * TABLE and burns.differ_in_strength_alone:
        work_out = _margins_from_table
    else:
        work_out = _margins_of
    return _chance(*work_out(rows, burns, thickness_mm, drift), _spread(rows, drift), weight)


def _margins_of(
    rows: Groove, burns: Burns, thickness_mm: float, drift: ShopDrift
) -> tuple[Reals, Reals]:
    return margins_at(rows, burns, rows.needed(burns, thickness_mm), drift)


def _margins_from_table(
    rows: Groove, burns: Burns, thickness_mm: float, drift: ShopDrift
) -> tuple[Reals, Reals]:
    """As `_margins_of`, of burns that differ in strength alone: between strengths spread evenly in
    ln, row by row.
    """
    log = np.log(rows.strength(burns))
    low, high = log.min(1, keepdims=True), log.max(1, keepdims=True)
    few = burns.at(np.zeros(TABLE, np.intp))
    strengths = np.exp(low + (high - low) * np.linspace(0, 1, TABLE, dtype=F4))
    table = margins_at(rows, few, rows.needed(few, thickness_mm, strengths), drift)
    place = (log - low) * ((TABLE - 1) / np.maximum(high - low, F4(1e-6)))
    at = np.minimum(place.astype(np.int32), TABLE - 2)
    place -= at
    at += TABLE * np.arange(len(rows), dtype=np.int32)[:, None]
    margin, lost = (np.ascontiguousarray(part) for part in table)
    return _between(margin, at, place), _between(lost, at, place)


def _between(table: Reals, at: NDArray[np.int32], along: Reals) -> Reals:
    """What lies so far along from one flat place of a table to the next."""
    here = table.take(at)
    return here + along * (table.take(at + 1) - here)


def rows_out_of_focus(groove: Groove, drift: ShopDrift, nodes: int) -> tuple[Groove, Floats]:
    """Each particle at the nodes of the focus error, particle by particle, and the weights of the
    rows.
    """
    focus, weight = np.polynomial.legendre.leggauss(nodes if drift.focus_mm else 1)
    rows = Groove(np.repeat(groove.theta, len(focus), axis=0), groove.rayleigh_mm)
    return rows.out_of_focus(np.tile(focus * drift.focus_mm, len(groove))), np.tile(
        weight / 2 / len(groove), len(groove)
    )


def _spread(rows: Groove, drift: ShopDrift) -> Reals:
    """The spread of the margin from cell to cell and over the sheet, [R, 1]."""
    return np.asarray(np.sqrt(rows.noise**2 + F4(drift.patch**2)))


def margins_at(rows: Groove, burns: Burns, needed: Needed, drift: ShopDrift) -> tuple[Reals, Reals]:
    """The margin, and what it loses at the half widths of thickness and power (root of the sum of
    squares), [R, n] both.
    """
    worth, by_strain = rows.worth(burns, needed.strain)
    by_power = needed.by_power - by_strain * needed.strain_by_power
    by_depth = needed.by_depth - by_strain * needed.strain_by_depth
    return worth - needed.log - rows.hang_band, np.hypot(
        by_depth * F4(drift.thickness), by_power * F4(drift.power)
    )


def _chance(margin: Reals, lost: Reals, spread: Reals, weight: Floats) -> Floats:
    """P(falls free), [n], of rows of margins with their weights, each at the nodes of thickness and
    power.
    """
    chance = np.zeros(margin.shape[1])
    margin, lost, share = margin / spread, lost / spread, weight.astype(F4)
    for node, part in zip(DRIFT_NODES, DRIFT_WEIGHTS, strict=True):
        chance += part * (share @ fast_phi(margin - F4(node) * lost))
    return chance


@dataclass(frozen=True)
class Scan:
    """One power over passes [N], focus [F] and speed [V]: what is needed under each row, particle
    by particle, its nodes of the focus error together [R, F V], and the weights of the rows [R].
    """

    passes: tuple[int, ...]
    focus_mm: Floats
    speed_mm_s: Floats
    rows: Groove
    burns: Burns
    needed: Needed
    drift: ShopDrift
    weight: Floats
    nodes: int

    def chance(self) -> Floats:
        """Return P(falls free), [N, F, V]."""
        spread = _spread(self.rows, self.drift)
        chance = np.array(
            [_chance(*self._at(passes), spread, self.weight) for passes in self.passes]
        )
        return chance.reshape(len(self.passes), len(self.focus_mm), len(self.speed_mm_s))

    def _at(self, passes: int) -> tuple[Reals, Reals]:
        return margins_at(self.rows, self.burns.with_passes(passes), self.needed, self.drift)

    def least_time(
        self, target: float, slowest: Callable[[int], float] = lambda _: 0.0
    ) -> tuple[Floats, NDArray[np.bool_]]:
        """Return ln of the least passes/speed (s/mm) with P(falls free) >= target in each
        particle's world, and where there is one, [M] each; a world without any gets a penalty.  All
        that drifts is taken together as one normal spread.  `slowest` gives the lowest speed, mm/s,
        that may be burnt with a number of passes.
        """
        count = len(self.weight) // self.nodes
        kept = F4(NormalDist().inv_cdf(target))
        share = (self.weight[: self.nodes] / self.weight[: self.nodes].sum()).astype(F4)[
            None, :, None
        ]
        log_speed, particle = np.log(self.speed_mm_s), np.arange(count)
        best = np.full(count, np.inf)
        spread = _spread(self.rows, self.drift).reshape(count, self.nodes, 1)
        for passes in self.passes:
            margin, lost = (part.reshape(count, self.nodes, -1) for part in self._at(passes))
            mean = (share * margin).sum(1)
            variance = (share * ((margin - mean[:, None]) ** 2 + spread**2 + lost**2 / 3)).sum(1)
            ready = (mean - kept * np.sqrt(variance)).reshape(count, len(self.focus_mm), -1)
            ready = np.minimum.accumulate(ready, axis=2)  # [M, F, V], falling with speed
            for f in range(ready.shape[1]):
                reached = (ready[:, f] >= 0).sum(1)
                at = np.clip(reached - 1, 0, len(log_speed) - 2)
                here, next_ = ready[particle, f, at], ready[particle, f, at + 1]
                along = np.clip(here / np.maximum(here - next_, 1e-6), 0, 1)
                speed = log_speed[at] + along * (log_speed[at + 1] - log_speed[at])
                works = (reached > 0) & (np.exp(speed) >= slowest(passes))
                best = np.where(works, np.minimum(best, np.log(passes) - speed), best)
        possible = np.isfinite(best)
        ceiling = (float(np.median(best[possible])) if possible.any() else 0.0) + PENALTY
        return np.minimum(best, ceiling), possible


def scan_cut(
    posterior: GroovePosterior,
    case: CutCase,
    drift: ShopDrift,
    *,
    power: float,
    passes: Sequence[int],
    focus_mm: Floats,
    speed_mm_s: Floats,
    air: Air,
    particles: int,
    nodes: int,
) -> Scan:
    """Return the tables for one power; `focus_mm` [F] and `speed_mm_s` [V] rise."""
    groove = posterior.resampled(particles)
    rows, weight = rows_out_of_focus(groove, drift, nodes)
    focus, speed = (grid.ravel() for grid in np.meshgrid(focus_mm, speed_mm_s, indexing="ij"))
    burns = case.burns(power, speed, 1, focus, air=air)
    needed = rows.needed(burns, case.thickness_mm)
    return Scan(
        tuple(passes),
        focus_mm,
        speed_mm_s,
        rows,
        burns,
        needed,
        drift,
        weight,
        len(rows) // len(groove),
    )


def open_speeds(
    posterior: GroovePosterior,
    case: CutCase,
    *,
    power: float,
    focus_mm: float,
    most_passes: int,
    air: Air,
    count: int = SPEEDS,
) -> Floats:
    """Return speeds from where one pass is sure to get through up to where the most passes are
    hopeless, evenly in ln.
    """
    wide = np.geomspace(max(0.05, case.max_speed_mm_s / 5000), case.max_speed_mm_s, 60)
    groove = posterior.resampled(16)
    once, often = (
        groove.margin(case.burns(power, wide, n, focus_mm, air=air), case.thickness_mm)
        for n in (1, most_passes)
    )
    high = wide[np.flatnonzero((often > -0.2).any(0)).max(initial=0)]
    low = wide[np.flatnonzero((once > 0.9).all(0)).max(initial=0)]
    top = max(min(1.2 * high, case.max_speed_mm_s), 1.5 * low)
    return np.asarray(
        np.geomspace(
            low, min(top, case.max_speed_mm_s) if case.max_speed_mm_s > low else top, count
        ),
        float,
    )
