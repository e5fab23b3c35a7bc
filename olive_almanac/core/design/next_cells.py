"""Which cells to burn next: those expected to teach most about the quickest setting that cuts through.

Each candidate is weighed by how much its outcome goes together with the least time over the posterior (linear-Gaussian
look-ahead), per time it takes to burn.  docs/methods.md, section Next cells.
"""

from __future__ import annotations

import itertools

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr

from olive_almanac.core.burn.groove import Groove, log_needed, log_worth
from olive_almanac.core.design.levels import round_level
from olive_almanac.core.fitting.char import FlareLimit
from olive_almanac.core.fitting.cut import CutCase, GroovePosterior
from olive_almanac.core.records.setting import Air, Setting

__all__ = ["next_cut_cells"]

Floats = NDArray[np.float64]
PASSES = np.array([1.0, 2.0, 3.0, 4.0, 6.0, 8.0, 12.0])
SPEEDS = 24
PARTICLES = 160
OUTLINE_MM = 40.0  # way of one pass around a cell of 10 mm
HANDLING_S = 30.0  # a cell that burns this long costs twice the trouble
SURE = 2.33  # standard deviations of the margin that a setting must keep to be called safe
PENALTY = 2.0  # ln(time) above the median for a world in which nothing gets through


def next_cut_cells(
    posterior: GroovePosterior, case: CutCase, *, limit: FlareLimit | None = None, air: Air = "full", count: int = 8
) -> tuple[Setting, ...]:
    """Return up to `count` settings at full power, low energy first; none where every candidate would flare up.

    Candidates are passes x focus x speeds over the range that the posterior leaves open.
    """
    groove = posterior.resampled(PARTICLES)
    focuses = np.unique(np.round(np.array([-1.0, 0.0, case.thickness_mm / 2, case.thickness_mm]), 2))
    speeds = _open_speeds(groove, case, focuses)
    needed = _needed(groove, case, speeds, focuses)  # [particle, focus, speed]
    worth = log_worth(groove, PASSES)  # [particle, passes]
    margin = worth[:, :, None, None] - needed[:, None, :, :]  # [particle, passes, focus, speed]
    noise, band = groove.noise[:, :, None, None], groove.hang_band[:, :, None, None]
    hangs, free = ndtr(margin / noise), ndtr((margin - band) / noise)
    score = 0.5 * (hangs + free)
    variance = (0.25 * (hangs - free) + free - score**2).mean(0).ravel()
    seconds = OUTLINE_MM * PASSES[:, None, None] / speeds[None, None, :] * np.ones((1, len(focuses), 1))
    target = _least_time(margin - band - SURE * noise, seconds)
    allowed = np.ones(seconds.shape, bool)
    if limit is not None:
        energy = float(case.power_w(1.0)) / speeds
        most = np.array([limit.of(int(n)) for n in PASSES])
        allowed &= (energy[None, :] <= most[:, None])[:, None, :]
    keep = allowed.ravel()
    if not keep.any():
        return ()
    flat = score.reshape(PARTICLES, -1)[:, keep]
    chosen = _greedy(flat, variance[keep], target, 1 + seconds.ravel()[keep] / HANDLING_S, count)
    grid = list(itertools.product(PASSES, focuses, speeds))
    kept = [point for point, good in zip(grid, keep, strict=True) if good]
    settings = [
        Setting(1.0, min(round_level(float(v), 3), case.max_speed_mm_s), int(n), float(f), air=air)
        for n, f, v in (kept[i] for i in chosen)
    ]
    return tuple(sorted(dict.fromkeys(settings), key=lambda s: s.passes / s.speed_mm_s))


def _needed(groove: Groove, case: CutCase, speeds: Floats, focuses: Floats) -> Floats:
    """ln of the passes needed, [particle, focus, speed], at full power."""
    focus, speed = (grid.ravel() for grid in np.meshgrid(focuses, speeds, indexing="ij"))
    n = len(speed)
    needed = log_needed(
        groove,
        case.beam,
        power_w=np.full(n, float(case.power_w(1.0))),
        speed_mm_s=speed,
        focus_mm=focus,
        depth_mm=np.full(n, case.thickness_mm),
    )
    return needed.reshape(len(needed), len(focuses), len(speeds))


def _open_speeds(groove: Groove, case: CutCase, focuses: Floats) -> Floats:
    """Speeds between which the posterior does not know whether some number of passes gets through."""
    wide = np.geomspace(max(0.05, case.max_speed_mm_s / 5000), case.max_speed_mm_s, 60)
    needed = _needed(groove, case, wide, focuses).min(1)
    through = ndtr((log_worth(groove, PASSES)[:, :, None] - needed[:, None, :]) / groove.noise[:, :, None]).mean(0)
    open_ = wide[((through > 0.03) & (through < 0.97)).any(0)]
    low, high = (open_[0], open_[-1]) if len(open_) > 1 else (wide[0], wide[-1])
    return np.asarray(np.geomspace(low, max(high, low * 1.05), SPEEDS), float)


def _least_time(margin: Floats, seconds: Floats) -> Floats:
    """ln of the least time that is safe in each particle's world, [particle]; worlds without any get a penalty."""
    time = np.where(margin >= 0, np.log(seconds)[None], np.inf).reshape(len(margin), -1).min(1)
    possible = np.isfinite(time)
    ceiling = (np.median(time[possible]) if possible.any() else 0.0) + PENALTY
    return np.asarray(np.minimum(time, ceiling), float)


def _greedy(score: Floats, variance: Floats, target: Floats, cost: Floats, count: int) -> list[int]:
    """Take the candidate that explains most of the target's variance, then the next given it, and so on."""
    joined = np.column_stack([score - score.mean(0), target - target.mean()])
    covariance = joined.T @ joined / len(joined)
    chosen: list[int] = []
    for _ in range(min(count, len(variance))):
        spread = np.diag(covariance)[:-1] + variance + 1e-12
        gain = covariance[:-1, -1] ** 2 / spread / cost
        at = int(gain.argmax())
        chosen.append(at)
        step = covariance[:, at] / np.sqrt(spread[at])
        covariance = covariance - np.outer(step, step)
    return chosen
