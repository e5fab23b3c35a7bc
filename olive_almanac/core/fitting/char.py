"""How charred the edge is expected to be: an ordered probit on the line energy, the number of passes and the air.

    H = -ln Ec + b1 ln(P/v) + b2 ln N + b3 a,    P(grade > g) = Phi((H - c g) / s),  g = 0, 1, 2,  a steps of air below full

Laplace approximation around the best fit.  docs/methods.md, section Char.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from olive_almanac.core.burn.groove import fast_phi
from olive_almanac.core.fitting.sampler import laplace_draws
from olive_almanac.core.materials.families import GroovePrior
from olive_almanac.core.records.reading import Reading, flared
from olive_almanac.core.records.setting import AIRS, Air
from olive_almanac.core.records.trial import Trial

__all__ = ["CharPosterior", "FlareLimit", "fit_char", "flare_energy"]

Floats = NDArray[np.float64]
Reals = NDArray[np.float32]
SD = np.array([0.8, 0.2, 0.15, 0.2, 0.5, 0.15])  # of -ln Ec, b1, b2, ln c, ln s, b3
TAILS = np.full(len(SD), 1e6)
LAPSE = 0.05
STEP_MEAN = 0.7  # prior of c: the rise of H from one grade to the next
NOISE_MEAN = 0.22
AIR_MEAN = 0.2
UNGRADED = -1  # read, but no edge grade given: at least it did not flare
DRAWS = 64


@dataclass(frozen=True)
class CharPosterior:
    """Equally weighted draws of the six parameters, [D, 6]; `mode` is where to start the next fit."""

    draws: Floats
    mode: Floats | None = None

    def above(self, *, line_energy_j_mm: ArrayLike, passes: ArrayLike, air: Air = "full") -> Floats:
        """Return P(grade > 0), P(> 1), P(> 2) for each setting, [3, ...] in the broadcast shape."""
        energy, count = np.broadcast_arrays(np.asarray(line_energy_j_mm, float), np.asarray(passes, float))
        short = np.full(energy.size, len(AIRS) - 1 - AIRS.index(air))
        flat = _above(self.draws, np.log(energy.ravel()), np.log(count.ravel()), short)
        result: Floats = flat.mean(1, dtype=float).reshape(3, *energy.shape)
        return result

    def expected(self, *, line_energy_j_mm: float, passes: float, air: Air = "full") -> float:
        """Return the expected grade, 0 clean to 3 flared."""
        return float(self.above(line_energy_j_mm=line_energy_j_mm, passes=passes, air=air).sum())


@dataclass(frozen=True)
class FlareLimit:
    """Line energy of one pass, J/mm, above which a flare-up is expected; it falls with the number of passes as N^-b.

    `seen_j_mm` is the least line energy at which this stock was seen to flare: nothing is planned from 98 % of it on.
    """

    j_mm: float
    passes_power: float = 0.3
    seen_j_mm: float = np.inf

    def of(self, passes: int) -> float:
        """Return the highest line energy of a pass that may be planned with that many passes, J/mm."""
        return float(min(self.j_mm * passes**-self.passes_power, 0.98 * self.seen_j_mm))


def _above(draws: Floats, log_energy: Floats, log_passes: Floats, air: ArrayLike) -> Reals:
    """P(grade > 0, 1, 2), [3, D, n]."""
    parts = draws.astype(np.float32)
    energy, passes, short = (np.asarray(a, np.float32) for a in (log_energy, log_passes, air))
    heat = parts[:, :1] + parts[:, 1:2] * energy + parts[:, 2:3] * passes + parts[:, 5:6] * short
    step, noise = np.exp(parts[:, 3:4]), np.exp(parts[:, 4:5])
    return np.stack([fast_phi((heat - step * grade) / noise) for grade in (0, 1, 2)])


def fit_char(
    prior: GroovePrior, pairs: Sequence[tuple[Trial, Sequence[Reading]]], *, rng: np.random.Generator,
    previous: CharPosterior | None = None,
) -> CharPosterior:  # fmt: skip
    """Return the posterior of the char grade from every reading; a `previous` one makes it quicker.

    A flare counts as grade 3; a cell read without a grade counts as not flared.
    """
    rows = []
    for trial, readings in pairs:
        cells = {cell.id: cell for cell in trial.cells}
        for reading in readings:
            cell = cells.get(reading.cell)
            grade = 3 if flared(reading) else reading.char
            if cell is not None and (grade is not None or reading.verdict is not None):
                setting = cell.setting
                energy = trial.machine.watts(setting.power) / setting.speed_mm_s
                short = len(AIRS) - 1 - AIRS.index(setting.air)
                rows.append((np.log(max(energy, 1e-6)), np.log(setting.passes), short, UNGRADED if grade is None else grade))
    mean = np.array([-np.log(prior.char_j_mm), 1.0, 0.3, np.log(STEP_MEAN), np.log(NOISE_MEAN), AIR_MEAN])
    if not rows:
        half = rng.standard_normal((DRAWS // 2, len(SD)))
        return CharPosterior(mean + SD * np.vstack([half, -half]))
    log_energy, log_passes, air, graded = np.array(rows, float).T
    grade, at = graded.astype(int), np.arange(len(rows))

    def likelihood(z: Floats, soft: float) -> Reals:
        above = _above(mean + SD * z, log_energy, log_passes, air)
        edges = np.concatenate([np.ones_like(above[:1]), above, np.zeros_like(above[:1])])
        chance = np.where(grade == UNGRADED, 1 - edges[3], edges[grade, :, at].T - edges[grade + 1, :, at].T)
        return np.asarray(np.log((1 - LAPSE) * np.maximum(chance, 0) + LAPSE / 4))

    starts = np.vstack([np.zeros(len(SD)), 0.7 * rng.standard_normal((7, len(SD)))])
    near = previous is not None and previous.mode is not None
    if previous is not None and previous.mode is not None:
        starts = np.vstack([starts[:1], previous.mode])
    z, mode = laplace_draws(likelihood, TAILS, starts=starts, draws=DRAWS, rng=rng, near=near)
    return CharPosterior(mean + SD * z, mode)


def flare_energy(prior: GroovePrior, pairs: Sequence[tuple[Trial, Sequence[Reading]]]) -> float:
    """Return the line energy of a single pass, J/mm, above which a flare-up is more likely than not."""
    if not any(readings for _, readings in pairs):
        return float(prior.char_j_mm * np.exp(2 * STEP_MEAN))
    char = fit_char(prior, pairs, rng=np.random.default_rng(0))
    energies = prior.char_j_mm * np.geomspace(0.5, 60, 200)
    likely = char.above(line_energy_j_mm=energies, passes=1.0)[2] > 0.5
    return float(energies[int(likely.argmax())] if likely.any() else energies[-1])
