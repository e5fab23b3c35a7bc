"""Fit the groove to what was seen on the cells: a cloud of weighted particles, not one best guess.

The likelihood of a verdict is an ordered probit on the energy margin m (core.burn.groove) with a lapse; a measured
depth is a noisy reading of the margin at that depth.  The posterior is found by damped Newton steps, a Laplace
approximation and importance sampling with a Student-t proposal; all in whitened coordinates (th - mean) / sd of the
prior.  docs/methods.md, section Cut.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.special import ndtr

from olive_almanac.core.burn.groove import PARAMETERS, Beam, Groove, log_needed, log_worth, slope_at_depth
from olive_almanac.core.materials.families import GroovePrior, family_of
from olive_almanac.core.motion.profile import peak_speed
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import HOLDS, Reading, flared
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Trial

__all__ = ["CutCase", "CutData", "GroovePosterior", "case_of", "data_of", "expected_edge_speed", "fit_cut"]

Floats = NDArray[np.float64]
LAPSE = 0.03  # share of verdicts that are plain mistakes
BANDS = {"not_through": (-np.inf, 0.0), "hangs": (0.0, 1.0), "push": (0.5, 1.0), "free": (1.0, np.inf), "holds": (-np.inf, 1.0)}
#             removal, threshold, char loss, rayleigh factor, focus shift, side loss, noise, hang band
PRIOR_SD = np.array([0.5, 0.7, 0.8, 0.18, 0.25, 0.6, 0.40, 0.50])
PRIOR_T = np.array([4, 4, 1e6, 1e6, 1e6, 1e6, 1e6, 1e6])  # degrees of freedom: a wrong family must be able to lose
NOISE, HANG_BAND = 0.08, 0.10
DIMENSIONS = len(PARAMETERS)
PARTICLES = 256
PROPOSAL_T = 6.0
STARTS = 48
NEWTON_STEPS = 9
DAMPINGS = (0.1, 3.0, 30.0, 300.0)


@dataclass(frozen=True)
class CutCase:
    """What is known of a cut before any reading: beam, power curve, thickness, limits and the family's prior."""

    beam: Beam
    fractions: tuple[float, ...]
    watts: tuple[float, ...]
    thickness_mm: float
    max_speed_mm_s: float
    acceleration_mm_s2: float
    prior: GroovePrior

    def power_w(self, fraction: ArrayLike) -> Floats:
        """Return the power at the work for dialled fractions of any shape, W."""
        x = np.asarray(fraction, float)
        beyond = x / self.fractions[-1] * self.watts[-1]
        return np.where(x > self.fractions[-1], beyond, np.interp(x, self.fractions, self.watts))


@dataclass(frozen=True)
class CutData:
    """Readings as arrays [n]: setting, then the band of the margin in units of the hang band, and the depth or nan."""

    power_w: Floats
    speed_mm_s: Floats
    passes: Floats
    focus_mm: Floats
    band_low: Floats
    band_high: Floats
    depth_mm: Floats

    def __len__(self) -> int:
        return len(self.power_w)


@dataclass(frozen=True)
class GroovePosterior:
    """Particles of the groove with weights [M] that sum to 1; `effective` is how many count."""

    groove: Groove
    weight: Floats
    best: Floats
    effective: float

    def resampled(self, count: int) -> Groove:
        """Return `count` equally weighted particles (systematic resampling)."""
        at = np.searchsorted(np.cumsum(self.weight), (np.arange(count) + 0.5) / count)
        return Groove(self.groove.theta[np.minimum(at, len(self.weight) - 1)])


def case_of(machine: Machine, stock: Stock) -> CutCase:
    """Return the cut case of a machine and a stock; the longer spot axis counts, for a closed outline needs both."""
    return CutCase(
        Beam(machine.spot_longer_mm / 2, machine.rayleigh_mm),
        *machine.power_curve,
        stock.true_thickness_mm,
        machine.max_speed_mm_s,
        machine.acceleration_mm_s2,
        family_of(stock).groove,
    )


def data_of(pairs: Sequence[tuple[Trial, Sequence[Reading]]]) -> CutData:
    """Return the readings that say something of getting through; a flared cell says nothing.

    The speed is the one really reached on the cell's longest side.
    """
    rows = []
    for trial, readings in pairs:
        cells = {cell.id: cell for cell in trial.cells}
        for reading in readings:
            cell = cells.get(reading.cell)
            holds = reading.verdict is None and HOLDS in reading.flags
            if cell is None or cell.mark == "line" or not (reading.verdict in BANDS or holds) or flared(reading):
                continue  # a line of a focus test cannot fall free
            setting = cell.setting
            speed = peak_speed(cell.longest_side_mm, setting.speed_mm_s, trial.machine.acceleration_mm_s2)
            low, high = BANDS["holds" if holds else reading.verdict or ""]
            depth = reading.depth_mm if reading.verdict == "not_through" and reading.depth_mm else np.nan
            rows.append((trial.machine.watts(setting.power), speed, setting.passes, setting.mean_focus_mm, low, high, depth))
    return CutData(*np.array(rows, float).reshape(len(rows), 7).T)


def prior_of(prior: GroovePrior) -> Floats:
    """Return the prior means of the eight parameters."""
    logs = np.log([prior.removal_j_mm3, prior.threshold_j_mm2, prior.char_loss])
    return np.array([*logs, 0.0, 0.0, np.log(prior.side_loss_mm_s), np.log(NOISE), np.log(HANG_BAND)])


def expected_edge_speed(case: CutCase, *, power: float, passes: int, focus_mm: float) -> float:
    """Return the speed at which the family's prior expects a cut to be just through, mm/s."""
    speeds = np.geomspace(0.05, max(case.max_speed_mm_s, 0.1), 240)
    n = len(speeds)
    groove = Groove(prior_of(case.prior)[None])
    needed = log_needed(
        groove,
        case.beam,
        power_w=np.full(n, float(case.power_w(power))),
        speed_mm_s=speeds,
        focus_mm=np.full(n, focus_mm),
        depth_mm=np.full(n, case.thickness_mm),
    )[0]
    margin = log_worth(groove, np.full(n, float(passes)))[0] - needed
    through = np.flatnonzero(margin > 0)
    return float(speeds[through[-1]] if len(through) else speeds[0])


def log_likelihood(theta: Floats, case: CutCase, data: CutData) -> Floats:
    """Return the log likelihood of each reading under each particle, [M, n]."""
    groove = Groove(np.atleast_2d(theta))
    noise, band = groove.noise, groove.hang_band
    measured = np.isfinite(data.depth_mm)
    depth = np.where(measured, data.depth_mm, case.thickness_mm)
    setting = {"power_w": data.power_w, "speed_mm_s": data.speed_mm_s, "focus_mm": data.focus_mm, "depth_mm": depth}
    needed = log_needed(groove, case.beam, **setting)
    margin = log_worth(groove, data.passes) - needed
    high = np.where(np.isposinf(data.band_high), np.inf, data.band_high * band)
    low = np.where(np.isneginf(data.band_low), -np.inf, data.band_low * band)
    chance = (1 - LAPSE) * (ndtr((margin - low) / noise) - ndtr((margin - high) / noise)) + LAPSE / 3
    if measured.any():
        chance[:, measured] = _depth_density(groove, case, data, setting, needed, margin, measured)
    result: Floats = np.log(np.maximum(chance, 1e-300))
    return result


def _depth_density(
    groove: Groove,
    case: CutCase,
    data: CutData,
    setting: dict[str, Floats],
    needed: Floats,
    margin: Floats,
    measured: NDArray[np.bool_],
) -> Floats:
    """Density of a measured depth, 1/mm: normal in the margin, times d ln S / d depth."""
    slope = slope_at_depth(groove, case.beam, **setting)[:, measured] * np.exp(-needed[:, measured])
    reading_sd = slope * (0.08 + 0.05 * data.depth_mm[measured])
    variance = reading_sd**2 + groove.noise**2
    density = np.exp(-0.5 * margin[:, measured] ** 2 / variance) / np.sqrt(2 * np.pi * variance) * slope
    result: Floats = (1 - LAPSE) * density + LAPSE / case.thickness_mm
    return result


class _Target:
    """The log posterior in whitened coordinates z."""

    def __init__(self, case: CutCase, data: CutData) -> None:
        self.case, self.data = case, data
        self.mean = prior_of(case.prior)

    def theta(self, z: Floats) -> Floats:
        return self.mean + PRIOR_SD * z

    def readings(self, z: Floats) -> Floats:
        return log_likelihood(self.theta(np.atleast_2d(z)), self.case, self.data)

    def log_density(self, z: Floats) -> Floats:
        z = np.atleast_2d(z)
        prior = -0.5 * ((PRIOR_T + 1) * np.log1p(z**2 / PRIOR_T)).sum(1)
        result: Floats = prior + self.readings(z).sum(1) if len(self.data) else prior
        return result


def fit_cut(case: CutCase, data: CutData, *, rng: np.random.Generator, previous: GroovePosterior | None = None) -> GroovePosterior:
    """Return the posterior of the groove from readings; with none, the prior.

    `previous` (an earlier posterior of the same case) makes the fit quicker.  The result depends on `rng` only
    through the fixed set of draws, so that the same state of the generator gives the same answer.
    """
    target = _Target(case, data)
    half = rng.standard_normal((PARTICLES // 2, DIMENSIONS))
    normal = np.vstack([half, -half])
    if not len(data):
        return GroovePosterior(Groove(target.theta(normal)), np.full(PARTICLES, 1 / PARTICLES), target.mean, float(PARTICLES))
    starts = [np.zeros(DIMENSIONS), *normal[: 14 if previous else STARTS]]
    if previous is not None:
        starts.append((previous.best - target.mean) / PRIOR_SD)
    best = _climb(target, np.array(starts))
    heavy = normal * np.sqrt(PROPOSAL_T / np.tile(rng.chisquare(PROPOSAL_T, PARTICLES // 2), 2))[:, None]
    return _sample(target, best, _laplace_root(target, best), heavy)


def _climb(target: _Target, starts: Floats) -> Floats:
    """Return the mode in z: damped Newton steps with the scores' own outer product as curvature."""
    values = target.log_density(starts)
    z, value = starts[values.argmax()], values.max()
    damping, step, eye = 1e-2, 0.02, np.eye(DIMENSIONS)
    for _ in range(NEWTON_STEPS):
        around = target.readings(np.vstack([z + step * eye, z - step * eye]))
        scores = (around[:DIMENSIONS] - around[DIMENSIONS:]) / (2 * step)
        weights = (PRIOR_T + 1) / (PRIOR_T + z**2)
        gradient, curvature = scores.sum(1) - weights * z, scores @ scores.T + np.diag(weights)
        ridge = np.diag(np.diag(curvature))
        tried = z + np.clip([np.linalg.solve(curvature + damping * d * ridge, gradient) for d in DAMPINGS], -1.5, 1.5)
        reached = target.log_density(tried)
        at = int(reached.argmax())
        damping = float(np.clip(damping * DAMPINGS[at], 1e-3, 1e3))
        gain = reached[at] - value
        if gain > 0:
            z, value = tried[at], reached[at]
            if gain < 0.02:
                break
        elif damping > 50:
            break
        else:
            damping *= 10
    return np.asarray(z, float)


def _laplace_root(target: _Target, z: Floats) -> Floats:
    """Return B with B B' the inverse of the curvature at the mode, never wider than 1.2 times the prior."""
    step, eye = 0.12, np.eye(DIMENSIONS)  # a wide step averages out the kinks of the verdicts
    rows, cols = np.triu_indices(DIMENSIONS)
    pair = step * (eye[rows] + eye[cols])
    points = np.vstack([[z], z + pair, z - pair, z + step * eye, z - step * eye])
    values = target.log_density(points)
    top, n = values[0], len(rows)
    plus, minus = values[1 : 1 + n], values[1 + n : 1 + 2 * n]
    up, down = values[1 + 2 * n : 1 + 2 * n + DIMENSIONS], values[1 + 2 * n + DIMENSIONS :]
    mixed = (plus + minus - up[rows] - down[rows] - up[cols] - down[cols] + 2 * top) / (2 * step**2)
    hessian = np.zeros((DIMENSIONS, DIMENSIONS))
    hessian[rows, cols] = hessian[cols, rows] = mixed
    np.fill_diagonal(hessian, (up + down - 2 * top) / step**2)
    values, vectors = np.linalg.eigh(-hessian)
    root: Floats = vectors / np.sqrt(np.maximum(values, 0.7))
    return root


def _sample(target: _Target, centre: Floats, root: Floats, heavy: Floats) -> GroovePosterior:
    """Importance-sample around the mode; refit the proposal to the cloud while too few particles count."""
    mode, found, effective = centre, None, 0.0
    proposal = -0.5 * (PROPOSAL_T + DIMENSIONS) * np.log1p((heavy**2).sum(1) / PROPOSAL_T)
    for round_number in range(4):
        z = centre + 1.1 * heavy @ root.T
        log_weight = target.log_density(z) - proposal
        weight = np.exp(log_weight - log_weight.max())
        weight = np.minimum(weight, weight.sum() / np.sqrt(PARTICLES))
        weight /= weight.sum()
        counted = float(1 / (weight**2).sum())
        if counted > effective:
            effective, found = counted, (z, weight)
        if counted > (0.25 if round_number < 2 else 0.15) * PARTICLES:
            break
        centre = weight @ z
        spread = ((z - centre) * weight[:, None]).T @ (z - centre) + 0.05 * root @ root.T
        values, vectors = np.linalg.eigh(spread)
        root = vectors * np.sqrt(np.maximum(values, 1e-4))
    assert found is not None
    return GroovePosterior(Groove(target.theta(found[0])), found[1], target.theta(mode), effective)
