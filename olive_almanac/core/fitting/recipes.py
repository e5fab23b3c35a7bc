"""Fit the cut of several recipes side by side: one groove for all, each recipe with a shift of the
energy that it needs.

Recipe r adds d_r to ln removal and to ln threshold (exactly power times e^-d: tape in the way, more
or less taken up) and h_r to ln threshold alone (water, paint, air).  The first recipe has neither.
docs/methods.md, section Recipes.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.burn.groove import REMOVAL, THRESHOLD, Groove
from olive_almanac.core.fitting.cut import CutCase, CutData, CutLikelihood
from olive_almanac.core.fitting.prior import Prior
from olive_almanac.core.fitting.sampler import sample_posterior
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.recipe import Recipe, recipes_apart
from olive_almanac.core.records.trial import Trial

__all__ = ["RecipeFit", "ShiftPrior", "by_recipe", "fit_recipes", "shift_prior"]

Floats = NDArray[np.float64]
Pairs = Sequence[tuple[Trial, Sequence[Reading]]]
THRESHOLD_SD = 0.08  # of what a recipe adds to the threshold alone (own)
LEAST_SD = 0.02
TAILS = 6.0
DRAWS, STARTS = 512, 16


@dataclass(frozen=True)
class ShiftPrior:
    """What is believed of a recipe against the first: the mean and sd of its shift of ln energy."""

    mean: float
    sd: float


@dataclass(frozen=True)
class RecipeFit:
    """Equally weighted particles: the groove of the first recipe [M, 13], and of each recipe what
    it adds to ln energy and to ln threshold alone [M, R]; the first adds nothing.
    """

    case: CutCase
    theta: Floats
    shift: Floats
    rise: Floats

    def groove(self, at: int) -> Groove:
        """Return the groove of a recipe by its place."""
        theta = self.theta.copy()
        theta[:, REMOVAL] += self.shift[:, at]
        theta[:, THRESHOLD] += self.shift[:, at] + self.rise[:, at]
        return Groove(theta, self.case.rayleigh_mm)


def by_recipe(pairs: Pairs) -> list[tuple[Trial, Sequence[Reading]]]:
    """Return the trials once for each of their recipes, with the readings of those cells."""
    parts = []
    for trial, readings in pairs:
        for part in trial.parts():
            told = readings
            if part is not trial:
                cells = {cell.id for cell in part.cells}
                told = [one for one in readings if one.cell in cells]
            parts.append((part, told))
    return parts


def shift_prior(recipe: Recipe, first: Recipe) -> ShiftPrior:
    """Return what is believed of a recipe's need against the first's before any reading."""
    sd, _ = recipes_apart(recipe, first)
    return ShiftPrior(recipe.ln_energy - first.ln_energy, max(sd, LEAST_SD))


class _OneRecipe(CutLikelihood):
    """The likelihood of one recipe's readings, its shift and rise [K] set from outside."""

    shift: Floats
    rise: Floats

    def theta(self, z: Floats) -> Floats:
        theta = super().theta(z)
        theta[:, REMOVAL] += self.shift
        theta[:, THRESHOLD] += self.shift + self.rise
        return theta


def fit_recipes(
    case: CutCase,
    data: Sequence[CutData],
    shifts: Sequence[ShiftPrior],
    prior: Prior,
    *,
    rng: np.random.Generator,
    particles: int = 256,
) -> RecipeFit:
    """Return the posterior from the readings of each recipe, of which the first stands for itself
    (`shifts` holds the others'); with no readings at all, the prior.
    """
    whole, others = len(prior.mean), len(shifts)
    blocks = [_OneRecipe(case, one, prior) for one in data]
    active = np.unique(np.concatenate([block.active for block in blocks]))
    for block in blocks:
        block.active = active
    tails = np.concatenate([prior.tails[active], np.full(2 * others, TAILS)])
    means = np.array([one.mean for one in shifts])
    sds = np.array([one.sd for one in shifts])

    def of_recipes(z: Floats) -> tuple[Floats, Floats]:
        first = np.zeros((len(z), 1))
        tail = z[:, len(active) :]
        shift = means + sds * tail[:, :others]
        return np.hstack([first, shift]), np.hstack([first, THRESHOLD_SD * tail[:, others:]])

    def likelihood(z: Floats, soft: float | Floats) -> NDArray[np.floating]:
        shift, rise = of_recipes(z)
        parts = []
        for at, block in enumerate(blocks):
            block.shift, block.rise = shift[:, at], rise[:, at]
            if len(block.data):
                parts.append(block(z[:, : len(active)], soft))
        return np.concatenate(parts, axis=1)

    if not any(len(one) for one in data):
        z = rng.standard_t(np.minimum(tails, 1e6), (particles, len(tails)))
    else:
        half = rng.standard_normal((STARTS, len(tails)))
        starts = np.vstack([np.zeros((1, len(tails))), half, -half])
        cloud = sample_posterior(likelihood, tails, starts=starts, draws=DRAWS, rng=rng)
        steps = (np.arange(particles) + 0.5) / particles
        at = np.searchsorted(np.cumsum(cloud.weight), steps)
        z = cloud.z[np.minimum(at, len(cloud.z) - 1)]
    shift, rise = of_recipes(z)
    full = rng.standard_normal((len(z), whole))  # what no reading bears on stays as believed
    full[:, active] = z[:, : len(active)]
    return RecipeFit(case, prior.theta(full), shift, rise)
