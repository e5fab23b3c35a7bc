"""Which of several recipes asks for less: the difference of what they need, with its range; the
cells that tell it; and what so many cells can tell before they are burnt.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr

from olive_almanac.core.deciding.cut_knowledge import FIT_SEED, edge_speeds, prior_of_subject
from olive_almanac.core.deciding.engrave import prior_of_tone
from olive_almanac.core.design.levels import round_level
from olive_almanac.core.fitting.cut import LAPSE, data_of
from olive_almanac.core.fitting.kin_learning import KinSds
from olive_almanac.core.fitting.recipes import RecipeFit, by_recipe, fit_recipes, shift_prior
from olive_almanac.core.fitting.tone import fit_reciprocity, fit_tone, fit_tone_shift, tone_data_of
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.recipe import Recipe, RecipeKey, key_of
from olive_almanac.core.records.setting import Setting, Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.units import capital, count_text, number_text
from olive_almanac.core.words import tr

__all__ = [
    "RecipeComparison",
    "RecipeDifference",
    "RecipeLevel",
    "can_tell",
    "compare_recipes",
    "recipe_cells",
    "recipe_levels",
    "told_beforehand",
    "tones_told_beforehand",
]

Floats = NDArray[np.float64]
Pairs = Sequence[tuple[Trial, Sequence[Reading]]]
TOLD = 0.975  # a chance from which an order is told: two-sided, 5 %
TOLD_HALF = 1.2816  # standard deviations that hold 80 %
OWN_SPREAD = 0.012  # sd of a difference that the particles themselves leave
NEAR = 0.03  # of ln speed: no cell is laid nearer to its recipe's middle
WIDEST = 0.35  # of ln speed: nor farther
SLOWEST_MM_S = 0.2
LARGE = 0.2
TONE_BY_PHOTO, TONE_BY_EYE = 0.15, 0.35  # sd of a difference of tones, times root of cells each
TELLS = 1.96 + 0.84  # standard deviations of a difference that is told in four of five cases
FORETOLD_DRAWS, FORETOLD_PARTICLES = 24, 1200


@dataclass(frozen=True)
class RecipeLevel:
    """One recipe with what was burnt and read by it, and what was by others."""

    recipe: Recipe
    pairs: Pairs
    others: Pairs


@dataclass(frozen=True)
class RecipeDifference:
    """How much more ln energy one recipe needs than the first: middle and 80 % range; `more` is the
    chance that it needs more.
    """

    recipe: Recipe
    middle: float
    low: float
    high: float
    more: float

    @property
    def told(self) -> bool:
        """Whether the order is sure enough to be told."""
        return max(self.more, 1 - self.more) > TOLD


@dataclass(frozen=True)
class RecipeComparison:
    """The first recipe, what the others need against it, how many cells were read of each, and in
    sentences what that says.
    """

    first: Recipe
    differences: tuple[RecipeDifference, ...]
    cells: tuple[int, ...]
    says: tuple[str, ...]


def recipe_levels(pairs: Pairs) -> tuple[RecipeLevel, ...]:
    """Return the recipes of the last trial that hold readings, each with its own coupons and those
    of other recipes; its first recipe alone where nothing was read.
    """
    parts = by_recipe(pairs)
    last = pairs[-1][0]
    wanted: dict[RecipeKey, Recipe] = {}
    for part in last.parts():
        wanted.setdefault(key_of(part.recipe), part.recipe)
    levels = []
    for key, recipe in wanted.items():
        own = [one for one in parts if key_of(one[0].recipe) == key]
        others = [one for one in parts if key_of(one[0].recipe) != key and one[1]]
        if any(readings for _, readings in own):
            levels.append(RecipeLevel(recipe, own, others))
    if levels:
        return tuple(levels)
    own = [one for one in parts if key_of(one[0].recipe) == key_of(last.recipe)]
    return (RecipeLevel(last.recipe, own, ()),)


def can_tell(fit: RecipeFit, cells: Sequence[tuple[Setting, int]], base: Setting) -> float:
    """Return the difference of energy between two recipes, as a share, that planned cells tell in
    four of five cases: by the verdicts that they would get in worlds drawn from what is believed.
    """
    rng = np.random.default_rng(FIT_SEED)
    edges = [_edges(fit, at, base) for at in range(fit.shift.shape[1])]
    chance = np.ones((len(fit.theta), len(cells)))
    for at in range(fit.shift.shape[1]):
        mine = [n for n, (_, which) in enumerate(cells) if which == at]
        groove = fit.groove(at)
        burns = fit.case.burns_of([cells[n][0] for n in mine])
        margin = groove.margin(burns, fit.case.thickness_mm) - groove.hang_band
        chance[:, mine] = ndtr(np.asarray(margin / groove.noise, float))
    chance = (1 - LAPSE) * chance + LAPSE / 2
    log_free, log_not = np.log(chance), np.log1p(-chance)
    more = edges[0] - edges[1]
    spreads = []
    for world in rng.integers(len(more), size=FORETOLD_DRAWS):
        free = rng.random(len(cells)) < chance[world]
        log = log_free[:, free].sum(1) + log_not[:, ~free].sum(1)
        weight = np.exp(log - log.max())
        weight /= weight.sum()
        mean = float(weight @ more)
        spreads.append(float(weight @ (more - mean) ** 2))
    return math.expm1(TELLS * math.sqrt(float(np.mean(spreads)) + OWN_SPREAD**2))


# -- comparing -------------------------------------------------------------------------------------


def compare_recipes(pairs: Pairs, kin: KinSds | None = None) -> RecipeComparison | None:
    """Return how the recipes of one subject's coupons compare; None where fewer than two were read.

    The piece as it lies, or else the recipe read most, is what the others are held against.
    """
    groups: dict[RecipeKey, list[tuple[Trial, Sequence[Reading]]]] = {}
    for trial, readings in by_recipe(pairs):
        if readings:
            groups.setdefault(key_of(trial.recipe), []).append((trial, readings))
    if len(groups) < 2:
        return None
    order = sorted(groups, key=lambda key: (key != (), -_cells_read(groups[key])))
    parts = [groups[key] for key in order]
    trial = parts[0][-1][0]
    if trial.task == "cut":
        shifts = _cut_shifts(trial.machine, trial.stock, parts, kin)
    else:
        shifts = _tone_shifts(trial.machine, trial.stock, trial.task, parts)
    first = trial.recipe
    found = []
    for part, (middle, sd) in zip(parts[1:], shifts, strict=True):
        low, high = middle - TOLD_HALF * sd, middle + TOLD_HALF * sd
        more = float(ndtr(middle / sd))
        found.append(RecipeDifference(part[-1][0].recipe, middle, low, high, more))
    cells = tuple(_cells_read(part) for part in parts)
    says = tuple(_sentence(first, one) for one in found)
    return RecipeComparison(first, tuple(found), cells, says)


def _cells_read(pairs: Pairs) -> int:
    return sum(len(readings) for _, readings in pairs)


def _sentence(first: Recipe, one: RecipeDifference) -> str:
    middle, low, high = (100 * math.expm1(end) for end in (one.middle, one.low, one.high))
    name = capital(one.recipe.name)
    if not one.told:
        return tr(
            "{name} and {first} cannot be told apart yet: {recipe} needs {low} to {high} "
            "energy (80 % sure).",
            name=name,
            first=first.name,
            recipe=one.recipe.name,
            low=_more_or_less(low),
            high=_more_or_less(high),
        )
    way = tr("more") if middle > 0 else tr("less")
    least, most = sorted((abs(low), abs(high)))
    sure = min(99, math.floor(100 * max(one.more, 1 - one.more)))
    return tr(
        "{name} needs {middle:.0f} % {way} energy than {first} ({least:.0f} to "
        "{most:.0f}), {sure} % sure that it is {way}.",
        name=name,
        middle=abs(middle),
        way=way,
        first=first.name,
        least=least,
        most=most,
        sure=sure,
    )


def _more_or_less(percent: float) -> str:
    return f"{abs(percent):.0f} % {tr('more') if percent > 0 else tr('less')}"


def fit_cut_recipes(
    machine: Machine,
    stock: Stock,
    recipes: Sequence[Recipe],
    pairs: Sequence[Pairs],
    kin: KinSds | None = None,
    *,
    particles: int = 256,
) -> RecipeFit:
    """Return the shared fit of recipes, each with its own read coupons."""
    rng = np.random.default_rng(FIT_SEED)
    first = recipes[0]
    case, prior = prior_of_subject(machine, stock, first, (), rng, kin)
    shifts = [shift_prior(recipe, first) for recipe in recipes[1:]]
    data = [data_of(case, part) for part in pairs]
    return fit_recipes(case, data, shifts, prior, rng=rng, particles=particles)


def _cut_shifts(
    machine: Machine, stock: Stock, parts: Sequence[Pairs], kin: KinSds | None
) -> list[tuple[float, float]]:
    """Of each recipe but the first: how much ln energy more it needs at the passes and focus burnt
    most, by the speed at its edge, and the sd.
    """
    recipes = [part[-1][0].recipe for part in parts]
    fit = fit_cut_recipes(machine, stock, recipes, parts, kin)
    base = _burnt_most(parts)
    edges = [_edges(fit, at, base) for at in range(len(parts))]
    found = []
    for edge in edges[1:]:
        more = edges[0] - edge
        found.append((float(more.mean()), float(math.hypot(more.std(), OWN_SPREAD))))
    return found


def _burnt_most(parts: Sequence[Pairs]) -> Setting:
    settings = [cell.setting for part in parts for trial, _ in part for cell in trial.cells]
    shapes = Counter((s.passes, s.focus_mm, s.power, s.air) for s in settings)
    passes, focus, power, air = shapes.most_common(1)[0][0]
    return Setting(power, 1.0, passes, focus, air=air)


def _edges(fit: RecipeFit, at: int, base: Setting) -> Floats:
    """ln of the speed at which each particle of a recipe is just through [M]."""
    return edge_speeds(fit.groove(at), fit.case, base)


def _tone_shifts(
    machine: Machine, stock: Stock, task: Task, parts: Sequence[Pairs]
) -> list[tuple[float, float]]:
    """Of each recipe but the first: how much ln energy more its tones need, and the sd, with what
    is believed of their difference.
    """
    first, found = parts[0][-1][0].recipe, []
    for part in parts[1:]:
        believed = shift_prior(part[-1][0].recipe, first)
        shift, sd = _tone_shift(machine, stock, task, parts[0], part)
        weight, trust = 1 / sd**2, 1 / believed.sd**2
        middle = (weight * shift + trust * believed.mean) / (weight + trust)
        found.append((middle, 1 / math.sqrt(weight + trust)))
    return found


def _tone_shift(
    machine: Machine, stock: Stock, task: Task, first: Pairs, other: Pairs
) -> tuple[float, float]:
    """How much more ln energy the second series needs and the sd: by the lightness that was
    measured, else by the bands that were judged right.
    """
    series = tone_data_of(first), tone_data_of(other)
    measured = fit_tone_shift(*series)
    if measured is not None:
        return measured
    prior = prior_of_tone(machine, stock, task)
    reciprocity = fit_reciprocity(prior, tone_data_of([*first, *other]))  # one scale for both
    bands = [fit_tone(prior, one.counted(reciprocity)) for one in series]
    means = [float(band.weight @ band.centre) for band in bands]
    return means[1] - means[0], math.hypot(bands[0].centre_doubt, bands[1].centre_doubt)


# -- the cells that tell it ------------------------------------------------------------------------


def recipe_cells(
    fit: RecipeFit, base: Setting, cells_each: int, most_mm_s: float
) -> tuple[tuple[Setting, int], ...]:
    """Return cells for each recipe at its own edge, spread as far as it is not known, with the
    place of their recipe: by turns, so that what drifts hits all alike.
    """
    shares = (np.arange(cells_each) + 0.5) / cells_each
    found: list[tuple[Setting, int]] = []
    ladders = []
    for at in range(fit.shift.shape[1]):
        edges = _edges(fit, at, base)
        middle = float(np.median(edges))
        off = np.quantile(edges, shares) - middle
        off = np.clip(off, -WIDEST, WIDEST)
        off = np.where(np.abs(off) < NEAR, np.where(shares < 0.5, -NEAR, NEAR), off)
        ladders.append(np.exp(middle + off))
    for speeds in zip(*ladders, strict=True):
        for at, speed in enumerate(speeds):
            dialled = round_level(float(np.clip(speed, SLOWEST_MM_S, most_mm_s)))
            setting = Setting(base.power, dialled, base.passes, base.focus_mm, air=base.air)
            found.append((setting, at))
    return tuple(found)


def told_beforehand(cells_each: int, recipes: int, share: float) -> str:
    """Return in a sentence what a trial of recipes can tell: `share` is the difference that it
    tells in four of five cases.
    """
    told = tr(
        "a difference of {share} % is told in four of five cases", share=number_text(100 * share, 2)
    )
    if share > LARGE:
        told += tr("; the next coupon, laid where this one shows the edges, tells far smaller ones")
    return tr(
        "{cells} of each of {recipes} recipes: {told}",
        cells=count_text(cells_each, "cell"),
        recipes=recipes,
        told=told,
    )


def tones_told_beforehand(cells_each: int, recipes: int, read_each: int) -> str:
    """Return in a sentence what strips of tones can tell, with `read_each` cells of each recipe
    read in the end, by photo and by eye.
    """
    photo, eye = (
        number_text(100 * math.expm1(TELLS * sd / math.sqrt(read_each)), 2)
        for sd in (TONE_BY_PHOTO, TONE_BY_EYE)
    )
    return tr(
        "{speeds} of each of {recipes} recipes, weak to strong: a difference of "
        "{photo} % by photo, of {eye} % by eye is told in four of five cases",
        speeds=count_text(cells_each, "speed"),
        recipes=recipes,
        photo=photo,
        eye=eye,
    )
