"""How charred the edge is expected to be: an ordered probit on the line energy and the number of passes.

    H = -ln Ec + b1 ln(P/v) + b2 ln N,    P(grade > g) = Phi((H - c g) / s),  g = 0, 1, 2

Laplace approximation around the best fit.  docs/methods.md, section Char.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.optimize import minimize
from scipy.special import ndtr

from olive_almanac.core.materials.families import GroovePrior
from olive_almanac.core.records.reading import Reading, flared
from olive_almanac.core.records.trial import Trial

__all__ = ["CharPosterior", "FlareLimit", "fit_char", "flare_energy"]

Floats = NDArray[np.float64]
SD = np.array([0.8, 0.2, 0.15, 0.2, 0.3])  # of -ln Ec, b1, b2, ln c, ln s
LAPSE = 0.05
STEP_MEAN = 0.7  # prior of c: the rise of H from one grade to the next
UNGRADED = -1  # read, but no edge grade given: at least it did not flare


@dataclass(frozen=True)
class CharPosterior:
    """Equally weighted draws of the five parameters, [D, 5]."""

    draws: Floats

    def above(self, *, line_energy_j_mm: ArrayLike, passes: ArrayLike) -> Floats:
        """Return P(grade > 0), P(> 1), P(> 2) for each setting, [3, ...] in the broadcast shape."""
        energy, count = np.broadcast_arrays(np.asarray(line_energy_j_mm, float), np.asarray(passes, float))
        flat = _above(self.draws, np.log(energy.ravel()), np.log(count.ravel()))
        result: Floats = flat.mean(1).reshape(3, *energy.shape)
        return result

    def expected(self, *, line_energy_j_mm: float, passes: float) -> float:
        """Return the expected grade, 0 clean to 3 flared."""
        return float(self.above(line_energy_j_mm=line_energy_j_mm, passes=passes).sum())


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


def _above(draws: Floats, log_energy: Floats, log_passes: Floats) -> Floats:
    heat = draws[:, :1] + draws[:, 1:2] * log_energy + draws[:, 2:3] * log_passes
    step, noise = np.exp(draws[:, 3:4]), np.exp(draws[:, 4:5])
    return np.stack([ndtr((heat - step * grade) / noise) for grade in (0, 1, 2)])


def fit_char(prior: GroovePrior, pairs: Sequence[tuple[Trial, Sequence[Reading]]], *, rng: np.random.Generator) -> CharPosterior:
    """Return the posterior of the char grade from every reading.

    A flare counts as grade 3; a cell read without a grade counts as not flared.
    """
    rows = []
    for trial, readings in pairs:
        cells = {cell.id: cell for cell in trial.cells}
        for reading in readings:
            cell = cells.get(reading.cell)
            grade = 3 if flared(reading) else reading.char
            if cell is not None and (grade is not None or reading.verdict is not None):
                energy = trial.machine.watts(cell.setting.power) / cell.setting.speed_mm_s
                rows.append((np.log(max(energy, 1e-6)), np.log(cell.setting.passes), UNGRADED if grade is None else grade))
    data = np.array(rows, float).reshape(len(rows), 3)
    mean = np.array([-np.log(prior.char_j_mm), 1.0, 0.3, np.log(STEP_MEAN), np.log(0.35)])

    def misfit(z: Floats) -> float:
        above = _above((mean + SD * z)[None], data[:, 0], data[:, 1])[:, 0]
        edges = np.vstack([np.ones(len(data)), above, np.zeros(len(data))])
        grade = data[:, 2].astype(int)
        at = np.arange(len(data))
        chance = np.where(grade == UNGRADED, 1 - edges[3], edges[grade, at] - edges[grade + 1, at])
        return float(0.5 * z @ z - np.log((1 - LAPSE) * chance + LAPSE / 4).sum())

    if len(data):
        found = minimize(misfit, np.zeros(5), method="BFGS")
        centre, spread = found.x, found.hess_inv
    else:
        centre, spread = np.zeros(5), np.eye(5)
    root = np.linalg.cholesky(spread + 1e-9 * np.eye(5))
    half = rng.standard_normal((32, 5)) @ root.T
    return CharPosterior(mean + SD * (centre + np.vstack([half, -half])))


def flare_energy(prior: GroovePrior, pairs: Sequence[tuple[Trial, Sequence[Reading]]]) -> float:
    """Return the line energy of a single pass, J/mm, above which a flare-up is more likely than not."""
    if not any(readings for _, readings in pairs):
        return float(prior.char_j_mm * np.exp(2 * STEP_MEAN))
    char = fit_char(prior, pairs, rng=np.random.default_rng(0))
    energies = prior.char_j_mm * np.geomspace(0.5, 60, 200)
    likely = char.above(line_energy_j_mm=energies, passes=1.0)[2] > 0.5
    return float(energies[int(likely.argmax())] if likely.any() else energies[-1])
