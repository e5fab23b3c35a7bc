"""Which cells to burn next: those expected to teach most about the quickest setting that cuts
through.

Each candidate is weighed by how much its outcome goes together with the least time over the
posterior (linear-Gaussian look-ahead), per time it takes to burn.  docs/methods.md, section Next
cells.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.burn.groove import Burns, fast_phi
from olive_almanac.core.deciding.scan import PASSES, USUAL_DRIFT, ShopDrift, open_speeds, scan_cut
from olive_almanac.core.design.levels import round_level
from olive_almanac.core.fitting.char import FlareLimit
from olive_almanac.core.fitting.cut import LAPSE, CutCase, GroovePosterior
from olive_almanac.core.records.setting import Air, Setting
from olive_almanac.core.words import tr

__all__ = ["BATCH", "NextCells", "Proposal", "next_cut_cells"]

Floats = NDArray[np.float64]
Reals = NDArray[np.float32]
TRIED_PASSES = (1, 2, 3, 4, 6, 8, 12)
FOCUS_SHARES = (
    0.25,
    0.5,
    0.6,
    0.75,
)  # heights of the focus among which the quickest is sought, as shares of the thickness
BATCH = 8  # cells that are burnt and read at a time
SPEEDS = 24
PARTICLES = 256
NODES = 4
SLOWEST_MM_S = 0.2  # no shop waits for less
OUTLINE_MM = 40.0  # way of one pass around a cell of 10 mm
HANDLING_S = 120.0  # a cell that burns this long costs twice the trouble
# chance of a surprise up to which a cell is not worth burning (a verdict is mistaken with LAPSE /
# 2)
FORETOLD = 0.04
ENOUGH_SD = 0.04  # of ln(least time): the time is known


@dataclass(frozen=True)
class Proposal:
    """A cell to burn, its chance to fall free as far as is known, and what it is for."""

    setting: Setting
    chance: float
    reason: str


@dataclass(frozen=True)
class NextCells:
    """Cells, low energy first; and over the posterior: mean and sd of ln(least seconds per mm) and
    the share of worlds in which something gets through.

    `sd_after` is what is expected to be left of that sd once the cells are read, `sd_instead` what
    the cells that they were compared with would leave.
    """

    cells: tuple[Proposal, ...]
    log_time: float
    log_time_sd: float
    possible: float
    sd_after: float = math.nan
    sd_instead: float = math.nan

    @property
    def settings(self) -> tuple[Setting, ...]:
        """The settings of the cells, in their order."""
        return tuple(cell.setting for cell in self.cells)


def next_cut_cells(
    posterior: GroovePosterior,
    case: CutCase,
    *,
    drift: ShopDrift = USUAL_DRIFT,
    power: float = 1.0,
    target: float = 0.99,
    limit: FlareLimit | None = None,
    air: Air = "full",
    focus_mm: float | None = None,
    count: int = BATCH,
    instead: Sequence[Setting] = (),
) -> NextCells:
    """Return up to `count` cells at one power; none where every candidate would flare up.

    Candidates are passes x focus x speeds over the range that the posterior leaves open; `focus_mm`
    is the height tried beside the face, above it and the back (half the thickness where none is
    given); a case with one focus gets all cells at the height where they tell most.  `instead` are
    other cells to compare them with.
    """
    thickness = case.thickness_mm
    speeds = open_speeds(
        posterior,
        case,
        power=power,
        focus_mm=thickness / 2,
        most_passes=TRIED_PASSES[-1],
        air=air,
        count=SPEEDS,
    )
    focus = np.unique(np.round(np.array(FOCUS_SHARES) * thickness, 2))
    scan = scan_cut(
        posterior,
        case,
        drift,
        power=power,
        passes=PASSES,
        focus_mm=focus,
        speed_mm_s=speeds,
        air=air,
        particles=PARTICLES,
        nodes=NODES,
    )
    watts = float(case.power_w(power))
    slowest = {n: 0.0 for n in (*PASSES, *TRIED_PASSES)}
    if limit is not None:
        slowest = {n: limit.slowest(watts, n) for n in slowest}
    time, possible = scan.least_time(target, lambda n: slowest[n])
    if possible.any():
        counted = time[possible]
    else:
        counted = time
    figures = (float(counted.mean()), float(counted.std()), float(possible.mean()))
    if focus_mm is None:
        middle = thickness / 2
    else:
        middle = focus_mm
    tried = np.unique(np.round(np.array([-1.0, 0.0, middle, thickness]), 1))
    grid = list(itertools.product(TRIED_PASSES, tried, speeds))
    passes, focuses, speed = (np.array(axis, float) for axis in zip(*grid, strict=True))
    allowed = speed >= np.array([max(slowest[int(n)], SLOWEST_MM_S) for n in passes])
    if not allowed.any():
        return NextCells((), *figures)
    free, hangs = _outcomes_of_all(posterior, case, power, tried, speeds, air)
    unsure = allowed & (free.mean(0) < 1 - FORETOLD) & (hangs.mean(0) > FORETOLD)
    if unsure.any():
        allowed = unsure
    else:
        allowed = allowed
    score, variance = _scored(free[:, allowed], hangs[:, allowed])
    seconds = OUTLINE_MM * passes[allowed] / speed[allowed]
    cost = 1 + seconds / HANDLING_S
    heights = [np.arange(len(cost))]
    if case.one_focus:
        heights = [np.flatnonzero(focuses[allowed] == height) for height in tried]
    after, best = math.inf, []
    for among in heights:
        found = among[_greedy(score[:, among], variance[among], time, cost[among], count)]
        left = _sd_left(score[:, found], variance[found], time)
        if len(found) and left < after:
            after, best = left, found.tolist()
    other = math.nan
    if instead:
        burns = case.burns_of(instead)
        outcomes = _outcomes(posterior, case, [burns])
        other = _sd_left(*_scored(*outcomes), time)
    chosen = np.flatnonzero(allowed)[best]
    chance = free.mean(0)
    cells: dict[Setting, Proposal] = {}
    for i in chosen:
        setting = Setting(
            power,
            min(round_level(float(speed[i]), 3), case.max_speed_mm_s),
            int(passes[i]),
            float(focuses[i]),
            air=air,
        )
        cells.setdefault(setting, Proposal(setting, float(chance[i]), _reason(setting, figures[2])))
    return NextCells(
        tuple(sorted(cells.values(), key=lambda c: c.setting.passes / c.setting.speed_mm_s)),
        *figures,
        after,
        other,
    )


def _reason(setting: Setting, possible: float) -> str:
    if setting.passes == 1:
        passes = tr("one pass")
    else:
        passes = tr("{passes} passes", passes=setting.passes)
    if possible < 0.8:
        return tr(
            "whether {passes} {verb} through at all",
            passes=passes,
            verb=tr("gets") if setting.passes == 1 else tr("get"),
        )
    return tr("how quick {passes} may run", passes=passes)


def _outcomes_of_all(
    posterior: GroovePosterior, case: CutCase, power: float, focus: Floats, speeds: Floats, air: Air
) -> tuple[Reals, Reals]:
    """As `_outcomes`, of every candidate: passes, then focus, then speed."""
    grid_focus, grid_speed = (axis.ravel() for axis in np.meshgrid(focus, speeds, indexing="ij"))
    once = case.burns(power, grid_speed, 1, grid_focus, air=air)
    return _outcomes(posterior, case, [once.with_passes(n) for n in TRIED_PASSES])


def _outcomes(
    posterior: GroovePosterior, case: CutCase, runs: Sequence[Burns]
) -> tuple[Reals, Reals]:
    """P(falls free) and P(at least hangs) of each burn under each particle, [particle, burn], with
    mistakes.  The runs differ in their passes alone.
    """
    groove = posterior.resampled(PARTICLES)
    needed = groove.needed(runs[0], case.thickness_mm)
    worth = [groove.worth(run, needed.strain)[0] for run in runs]
    margin = np.asarray(
        np.concatenate([one - needed.log for one in worth], axis=1) / groove.noise, np.float32
    )
    band = groove.hang_band / groove.noise
    sure = np.float32(1 - LAPSE)
    return (sure * fast_phi(margin - band) + np.float32(LAPSE / 2)), (
        sure * fast_phi(margin) + np.float32(LAPSE / 2)
    )


def _scored(free: Reals, hangs: Reals) -> tuple[Reals, Floats]:
    """What is expected to be read of each cell under each particle (free 1, hangs 0.5), and the
    variance of a reading around it.
    """
    score = 0.5 * (free + hangs)
    return score, (0.25 * (hangs - free) + free - score**2).mean(0)


def _sd_left(score: Reals, variance: Floats, target: Floats) -> float:
    """The sd of the target that is expected to be left once these cells are read."""
    away, off = score - score.mean(0), target - target.mean()
    spread = away.T @ away / len(away) + np.diag(variance + 1e-9)
    shared = away.T @ off / len(away)
    left = float((off**2).mean() - shared @ np.linalg.solve(spread, shared))
    return math.sqrt(max(left, 0.0))


def _greedy(score: Reals, variance: Floats, target: Floats, cost: Floats, count: int) -> list[int]:
    """Take the candidate that explains most of the target's variance, then the next given it, and
    so on.
    """
    joined = np.column_stack([score - score.mean(0), (target - target.mean()).astype(np.float32)])
    spread = (joined**2).mean(0)[:-1]
    shared = joined.T @ joined[:, -1] / len(joined)
    removed: list[NDArray[np.floating]] = []
    chosen: list[int] = []
    for _ in range(min(count, len(variance))):
        total = spread + variance + 1e-9
        gain = shared[:-1] ** 2 / total / cost
        gain[chosen] = -1.0  # each cell once: a coupon of equal cells looks like a mistake
        at = int(gain.argmax())
        chosen.append(at)
        column = joined.T @ joined[:, at] / len(joined)
        for step in removed:
            column = column - step * step[at]
        step = column / np.sqrt(total[at])
        removed.append(step)
        spread = np.maximum(spread - step[:-1] ** 2, 0.0)
        shared = shared - step * step[-1]
    return chosen
