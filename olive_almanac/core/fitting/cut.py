"""Fit the groove to what was seen on the cells: a cloud of weighted particles, not one best guess.

The likelihood of a verdict is an ordered probit on the energy margin m (core.burn.groove) with a
lapse; a measured depth is a noisy reading of the margin at that depth.  docs/methods.md, section
Cut.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import ArrayLike, NDArray

from olive_almanac.core.burn.groove import AIR, BEND, REMOVAL, WAY, Burns, Groove, fast_phi
from olive_almanac.core.fitting.prior import Prior, family_prior
from olive_almanac.core.fitting.sampler import Bend, Softening, sample_posterior
from olive_almanac.core.materials.families import GroovePrior, groove_prior
from olive_almanac.core.motion.profile import peak_speed
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import HOLDS, Reading, flared
from olive_almanac.core.records.recipe import Recipe
from olive_almanac.core.records.setting import AIRS, Air, Direction, Setting
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Trial

__all__ = [
    "CutCase",
    "CutData",
    "CutLikelihood",
    "GroovePosterior",
    "case_of",
    "data_of",
    "expected_edge_speed",
    "fit_cut",
    "verdict_chance",
]

Floats = NDArray[np.float64]
Reals = NDArray[np.float32]
Pairs = Sequence[tuple[Trial, Sequence[Reading]]]
LAPSE = 0.03  # share of verdicts that are plain mistakes, or a knot
BANDS = {
    "not_through": (-np.inf, 0.0),
    "hangs": (0.0, 1.0),
    "push": (0.5, 1.0),
    "free": (1.0, np.inf),
    "holds": (-np.inf, 1.0),
}
DEPTH_SD_MM, DEPTH_SD_SHARE = 0.08, 0.05
DEPTH_STEP = np.float32(0.02)  # of ln depth, for the slope of the margin
PARTICLES, FEW_PARTICLES, FEW = (
    200,
    384,
    100,
)  # draws a round; more where few readings make them cheap
STARTS, STARTS_AGAIN = 32, 8
LEAST_CHANCE = 1e-30
TELLING = 16  # readings whose margin the draws are bent along


@dataclass(frozen=True)
class CutCase:
    """What is known of a cut before any reading: waist radii for a line along X and along Y,
    Rayleigh range, the power curve and whether it was metered, thickness, limits, the family's
    prior, and whether a coupon has one focus.
    """

    radii_mm: tuple[float, float]
    rayleigh_mm: float
    fractions: tuple[float, ...]
    watts: tuple[float, ...]
    metered: bool
    thickness_mm: float
    max_speed_mm_s: float
    acceleration_mm_s2: float
    prior: GroovePrior
    one_focus: bool = False  # in all cells of a coupon: it is set by hand

    def power_w(self, fraction: ArrayLike) -> Floats:
        """Return the power at the work for dialled fractions of any shape, W."""
        x = np.asarray(fraction, float)
        beyond = x / self.fractions[-1] * self.watts[-1]
        return np.where(x > self.fractions[-1], beyond, np.interp(x, self.fractions, self.watts))

    @property
    def better_way(self) -> Direction:
        """The direction in which the spot lies along the cut: narrower across."""
        if self.radii_mm[0] < self.radii_mm[1]:
            return "x"
        return "y"

    def burns(
        self,
        power: ArrayLike,
        speed_mm_s: ArrayLike,
        passes: ArrayLike = 1,
        focus_mm: ArrayLike = 0.0,
        *,
        air: Air = "full",
        direction: Direction = "xy",
    ) -> Burns:
        """Return settings as the groove sees them; the arrays broadcast to one length."""
        return self._burns(
            power, speed_mm_s, passes, focus_mm, float(_short_of_air(air)), direction
        )

    def burns_of(self, settings: Sequence[Setting], speeds_mm_s: ArrayLike | None = None) -> Burns:
        """Return settings as the groove sees them, at the speeds really reached where given."""
        columns = [
            (s.power, s.speed_mm_s, s.passes, s.mean_focus_mm, _short_of_air(s.air))
            for s in settings
        ]
        power, speed, passes, focus, air = np.array(columns, float).reshape(len(settings), 5).T
        ways = [s.direction for s in settings]
        return self._burns(
            power, speed if speeds_mm_s is None else speeds_mm_s, passes, focus, air, ways
        )

    def _burns(
        self,
        power: ArrayLike,
        speed: ArrayLike,
        passes: ArrayLike,
        focus: ArrayLike,
        air: ArrayLike,
        ways: str | list[Direction],
    ) -> Burns:
        power = np.atleast_1d(np.asarray(power, float))
        radius = {"x": self.radii_mm[0], "y": self.radii_mm[1], "xy": max(self.radii_mm)}
        way: Sequence[str] = ways
        if isinstance(ways, str):
            way = [ways]
        if self.metered:
            dial = np.zeros_like(power)
        else:
            dial = np.log(np.maximum(power, 1e-3))
        better = [float(w == self.better_way) for w in way]
        return Burns(
            *map(
                np.asarray,
                (
                    self.power_w(power),
                    dial,
                    speed,
                    passes,
                    focus,
                    [radius[w] for w in way],
                    air,
                    better,
                ),
            )
        )


def _short_of_air(air: Air) -> int:
    return len(AIRS) - 1 - AIRS.index(air)


@dataclass(frozen=True)
class CutData:
    """Readings [n]: burns, the band of the margin in units of the hang band, the depth or nan, and
    where each comes from.

    They lie in blocks, so that a likelihood works on slices: at most in the band, within it, above
    it, measured depths.
    """

    burns: Burns
    band_low: Reals
    band_high: Reals
    depth_mm: Reals
    cells: tuple[tuple[str, str], ...]  # trial id and cell id
    verdicts: tuple[str, ...]
    ways: frozenset[Direction] = frozenset()  # the directions that were burnt

    def __len__(self) -> int:
        return len(self.band_low)

    @property
    def blocks(self) -> tuple[int, int, int]:
        """Where the second, third and fourth block begin."""
        told = ~np.isfinite(self.depth_mm)
        first = int((np.isneginf(self.band_low) & told).sum())
        second = int((np.isfinite(self.band_low) & np.isfinite(self.band_high) & told).sum())
        return first, first + second, int(told.sum())


@dataclass(frozen=True)
class GroovePosterior:
    """Particles of the groove with weights [M] that sum to 1; `mode` is where to start the next fit
    of the same case, `effective` how many particles count.
    """

    groove: Groove
    weight: Floats
    mode: Floats | None
    effective: float

    def resampled(self, count: int) -> Groove:
        """Return `count` equally weighted particles (systematic resampling)."""
        at = np.searchsorted(np.cumsum(self.weight), (np.arange(count) + 0.5) / count)
        return Groove(
            self.groove.theta[np.minimum(at, len(self.weight) - 1)], self.groove.rayleigh_mm
        )


def case_of(machine: Machine, stock: Stock, recipe: Recipe | None = None) -> CutCase:
    """Return the cut case of a machine and a stock, prepared as the recipe says; a line along X is
    as wide as the spot is along Y.
    """
    prior = groove_prior(stock, machine.source)
    if recipe is not None and recipe.ln_energy:
        more = math.exp(recipe.ln_energy)
        removal, threshold = more * prior.removal_j_mm3, more * prior.threshold_j_mm2
        prior = replace(prior, removal_j_mm3=removal, threshold_j_mm2=threshold)
    return CutCase(
        (machine.spot_y_mm / 2, machine.spot_x_mm / 2),
        machine.rayleigh_mm,
        *machine.power_curve,
        bool(machine.power_table),
        stock.true_thickness_mm,
        machine.max_speed_mm_s,
        machine.acceleration_mm_s2,
        prior,
        machine.focus_by_hand,
    )


def data_of(case: CutCase, pairs: Pairs) -> CutData:
    """Return the readings that say something of getting through; a flared cell says nothing.

    The speed is the one really reached on the cell's longest side.
    """
    settings, speeds, bands, depths, cells, verdicts = [], [], [], [], [], []
    for trial, readings in pairs:
        known = {cell.id: cell for cell in trial.cells}
        for reading in readings:
            cell = known.get(reading.cell)
            holds = reading.verdict is None and HOLDS in reading.flags
            if (
                cell is None
                or cell.mark == "line"
                or not (reading.verdict in BANDS or holds)
                or flared(reading)
            ):
                continue  # a line of a focus test cannot fall free
            settings.append(cell.setting)
            speeds.append(
                peak_speed(
                    cell.longest_side_mm, cell.setting.speed_mm_s, trial.machine.acceleration_mm_s2
                )
            )
            if holds:
                verdict = "holds"
            else:
                verdict = reading.verdict or ""
            bands.append(BANDS[verdict])
            depths.append(_depth_of(reading, case))
            cells.append((trial.id, cell.id))
            verdicts.append(verdict)
    low, high = np.array(bands, np.float32).reshape(len(bands), 2).T
    depth = np.array(depths, np.float32)
    block = np.where(
        np.isfinite(depth), 3, np.where(np.isneginf(low), 0, np.where(np.isposinf(high), 2, 1))
    )
    order = np.argsort(block, kind="stable")
    burns = case.burns_of(settings, speeds).at(order)
    told = tuple(cells[i] for i in order), tuple(verdicts[i] for i in order)
    return CutData(
        burns,
        low[order],
        high[order],
        depth[order],
        *told,
        frozenset(s.direction for s in settings),
    )


def _depth_of(reading: Reading, case: CutCase) -> float:
    """The measured depth of a cell that is not through, mm, or nan."""
    told = (
        reading.verdict == "not_through"
        and reading.depth_mm
        and reading.depth_mm < case.thickness_mm
    )
    if told and reading.depth_mm:
        return float(reading.depth_mm)
    return float("nan")


def expected_edge_speed(case: CutCase, *, power: float, passes: int, focus_mm: float) -> float:
    """Return the speed at which the family's prior expects a cut to be just through, mm/s."""
    speeds = np.geomspace(0.05, max(case.max_speed_mm_s, 0.1), 240)
    groove = Groove(family_prior(case.prior).mean[None], case.rayleigh_mm)
    burns = case.burns(power, speeds, passes, focus_mm)
    through = np.flatnonzero((groove.margin(burns, case.thickness_mm) > 0)[0])
    return float(speeds[through[-1]] if len(through) else speeds[0])


def verdict_chance(margin: Reals, noise: Reals, band: Reals, low: Reals, high: Reals) -> Reals:
    """Return P(the margin lies between two limits given in units of the hang band), [M, n], without
    any lapse.
    """
    least, most = (
        np.where(np.isfinite(limit), limit, 0).astype(np.float32) for limit in (low, high)
    )
    above = np.where(
        np.isneginf(low), np.float32(1), fast_phi(np.asarray((margin - least * band) / noise))
    )
    beyond = np.where(
        np.isposinf(high), np.float32(0), fast_phi(np.asarray((margin - most * band) / noise))
    )
    return np.asarray(above - beyond, np.float32)


class CutLikelihood:
    """ln likelihood of each reading, [K, n], of whitened parameters: those that the readings bear
    on.
    """

    def __init__(self, case: CutCase, data: CutData, prior: Prior) -> None:
        self.case, self.data, self.prior = case, data, prior
        self.blocks = data.blocks
        told, depth = self.blocks[2], data.depth_mm[self.blocks[2] :]
        self.depth_mm = depth[:, None]
        shares = np.concatenate(
            [
                np.ones(told),
                depth / case.thickness_mm,
                depth / case.thickness_mm * np.exp(DEPTH_STEP),
            ]
        )
        self.burns = replace(data.burns.at(np.r_[: len(data), told : len(data)]), share=shares)
        self.active = self._active()

    def _active(self) -> NDArray[np.intp]:
        """Bend, air and direction count only where they vary, or where something is believed of
        them together with others.
        """
        everything = np.arange(len(self.prior.mean))
        burns, apart = self.data.burns, self.prior.root - np.diag(np.diag(self.prior.root))
        idle = {BEND: not burns.dial.any(), AIR: not burns.air.any(), WAY: not burns.way.any()}
        return np.array(
            [
                i
                for i in everything
                if not idle.get(int(i), False) or apart[i].any() or apart[:, i].any()
            ]
        )

    def theta(self, z: Floats) -> Floats:
        """Return all parameters [n, p] of what is sought [n, active], standard normal numbers."""
        whole = np.zeros((len(z), len(self.prior.mean)))
        whole[:, self.active] = z
        return self.prior.theta(whole)

    def bend_at(self, mode: Floats, scores: Floats) -> Bend:
        """Return the bend that moves the energy of removal so that the margin of the most telling
        readings, taken together, stays as it would with everything else as at the mode: they pin
        that margin down, whatever else changes.
        """
        telling = (scores**2).sum(0)
        at = np.argsort(-telling, kind="stable")[:TELLING]
        share = (telling[at] / max(float(telling[at].sum()), 1e-12)).astype(np.float32)
        burns = self.burns.at(at)
        along = np.linalg.solve(self.prior.root, np.eye(len(self.prior.mean))[REMOVAL])[self.active]

        def eased(z: Floats) -> Floats:
            theta = self.theta(z)
            margin = np.clip(
                Groove(theta, self.case.rayleigh_mm).margin(burns, self.case.thickness_mm), -6, 6
            )
            return np.asarray(margin @ share + theta[:, REMOVAL], float)

        usual = eased(mode[None])
        return lambda z: z + np.outer(eased(z) - usual, along)

    def __call__(self, z: Floats, soft: Softening) -> Reals:
        groove = Groove(self.theta(z), self.case.rayleigh_mm)
        noise = np.hypot(groove.noise, np.asarray(soft, np.float32)).T
        margin, told, count = (
            groove.margin(self.burns, self.case.thickness_mm).T,
            self.blocks[2],
            len(self.data),
        )
        log = margin[:count]  # burns are the first axis here, as they lie in memory
        if count > told:
            log[told:] = self._depths(margin[told:count], margin[count:], noise)
        log[:told] = self._verdicts(margin[:told], groove.hang_band.T, noise)
        return log.T

    def _verdicts(self, margin: Reals, band: Reals, noise: Reals) -> Reals:
        first, second, told = self.blocks
        low, high = self.data.band_low[:told, None], self.data.band_high[:told, None]
        margin /= noise
        chance, band = np.ones_like(margin), band / noise
        chance[first:] = fast_phi(margin[first:] - low[first:] * band)
        chance[:second] -= fast_phi(margin[:second] - high[:second] * band)
        chance *= np.float32(1 - LAPSE)
        chance += np.float32(LAPSE / 3)
        return np.asarray(np.log(chance, out=chance))

    def _depths(self, margin: Reals, deeper: Reals, noise: Reals) -> Reals:
        """ln density of measured depths, 1/mm: normal in the margin at that depth, times its slope
        over the depth; `deeper` are the margins a step of ln depth further down.
        """
        slope = np.maximum((margin - deeper) / DEPTH_STEP, np.float32(1e-3)) / self.depth_mm
        variance = (slope * (DEPTH_SD_MM + DEPTH_SD_SHARE * self.depth_mm)) ** 2 + noise**2
        density = np.exp(-0.5 * margin**2 / variance) / np.sqrt(2 * np.pi * variance) * slope
        return np.asarray(
            np.log(np.maximum((1 - LAPSE) * density + LAPSE / self.case.thickness_mm, LEAST_CHANCE))
        )


def fit_cut(
    case: CutCase,
    data: CutData,
    *,
    rng: np.random.Generator,
    prior: Prior | None = None,
    previous: GroovePosterior | None = None,
) -> GroovePosterior:
    """Return the posterior of the groove from readings; with none, the prior (the family's, unless
    given).

    `previous` (an earlier posterior of the same case) makes the fit quicker.  The result depends on
    `rng` only through the draws, so that the same state of the generator gives the same answer.
    """
    prior = prior or family_prior(case.prior)
    whole = len(prior.mean)
    if not len(data):
        z = _mirrored(rng, PARTICLES, whole)
        return GroovePosterior(
            Groove(prior.theta(z), case.rayleigh_mm),
            np.full(len(z), 1 / len(z)),
            None,
            float(len(z)),
        )
    likelihood = CutLikelihood(case, data, prior)
    active = likelihood.active
    again = previous is not None and previous.mode is not None
    starts = [
        np.zeros(len(active)),
        *_mirrored(rng, STARTS_AGAIN if again else STARTS, len(active)),
    ]
    if previous is not None and previous.mode is not None:
        starts.append(np.linalg.solve(prior.root, previous.mode - prior.mean)[active])
    if len(data) < FEW:
        draws = FEW_PARTICLES
    else:
        draws = PARTICLES
    cloud = sample_posterior(
        likelihood,
        prior.tails[active],
        starts=np.array(starts),
        draws=draws,
        rng=rng,
        near=again,
        bend_at=likelihood.bend_at,
    )
    z = _mirrored(rng, len(cloud.z) + len(cloud.z) % 2, whole)[
        : len(cloud.z)
    ]  # what the readings do not bear on stays as believed
    z[:, active] = cloud.z
    mode = np.zeros((1, whole))
    mode[:, active] = cloud.mode
    return GroovePosterior(
        Groove(prior.theta(z), case.rayleigh_mm),
        cloud.weight,
        prior.theta(mode)[0],
        cloud.effective,
    )


def _mirrored(rng: np.random.Generator, count: int, dimensions: int) -> Floats:
    half = rng.standard_normal((count // 2, dimensions))
    return np.vstack([half, -half])
