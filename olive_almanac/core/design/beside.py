"""The cells of a trial of recipes side by side: each recipe at its own edge, or over its tones."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from olive_almanac.core.deciding.recipes import (
    FORETOLD_PARTICLES,
    can_tell,
    fit_cut_recipes,
    recipe_cells,
    told_beforehand,
    tones_told_beforehand,
)
from olive_almanac.core.design.aim import Aim
from olive_almanac.core.design.choices import TrialChoices, holding
from olive_almanac.core.design.levels import round_level
from olive_almanac.core.fitting.kin_learning import KinSds
from olive_almanac.core.fitting.recipes import by_recipe
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.recipe import Recipe, key_of
from olive_almanac.core.records.setting import Setting, Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.words import tr

__all__ = ["side_by_side"]

Pairs = Sequence[tuple[Trial, Sequence[Reading]]]
CELLS_EACH = {2: 4, 3: 4, 4: 3}  # of a cut: more tell less than a second coupon at the edges
TONES_EACH = {2: 8, 3: 6, 4: 5}  # of a tone: a strip each
TONES = (0.45, 2.0)  # of the energy of the right tone, how far the strips reach
CELL_MM = 10.0


def side_by_side(
    machine: Machine,
    stock: Stock,
    task: Task,
    recipes: tuple[Recipe, ...],
    pairs: Pairs,
    *,
    grid: TrialChoices,
    aim: Aim,
    kin: KinSds | None = None,
) -> tuple[TrialChoices, str]:
    """Return the choices of a trial that compares recipes, and what it can tell, by all coupons of
    the subject that are read; with fewer than two recipes nothing to burn yet.
    """
    if len(recipes) < 2:
        return replace(grid, recipes=recipes, settings=()), tr("choose what is to be compared")
    if task == "cut":
        each = CELLS_EACH[len(recipes)]
        own = _own(pairs, recipes)
        fit = fit_cut_recipes(machine, stock, recipes, own, kin, particles=FORETOLD_PARTICLES)
        base = Setting(grid.power[-1], 1.0, aim.passes, aim.focus_mm, air=grid.air[-1])
        cells = recipe_cells(fit, base, each, machine.max_speed_mm_s)
        why = told_beforehand(each, len(recipes), can_tell(fit, cells, base))
    else:
        each = TONES_EACH[len(recipes)]
        cells = _over_tones(machine, recipes, grid, aim, each)
        told = [sum(len(readings) for _, readings in part) for part in _own(pairs, recipes)]
        why = tones_told_beforehand(each, len(recipes), each + min(told))
    settings = tuple(setting for setting, _ in cells)
    choices = replace(
        grid,
        **holding(settings[0]),
        settings=settings,
        prepared=tuple(at for _, at in cells),
        recipes=recipes,
        cell_mm=max(CELL_MM, grid.cell_mm) if task == "cut" else grid.cell_mm,
    )
    return choices, why


def _own(pairs: Pairs, recipes: Sequence[Recipe]) -> list[Pairs]:
    """The coupons of each recipe."""
    parts = by_recipe(pairs)
    return [[one for one in parts if key_of(one[0].recipe) == key_of(r)] for r in recipes]


def _over_tones(
    machine: Machine, recipes: tuple[Recipe, ...], grid: TrialChoices, aim: Aim, each: int
) -> tuple[tuple[Setting, int], ...]:
    """A strip of speeds for each recipe at one power, which a power scale that is not straight does
    not bend: the same energies around what its tone is expected at.
    """
    pitch = grid.pitch_mm[0] or 1.0
    most = min(grid.speed_mm_s[0], TONES[0] * machine.max_speed_mm_s)
    power = min(1.0, round_level(machine.fraction_for(aim.energy * most * pitch)))
    middle = machine.watts(power) / (aim.energy * pitch)
    cells = []
    for share in np.geomspace(*TONES, each):
        for at, recipe in enumerate(recipes):
            speed = round_level(middle / float(share) / float(np.exp(recipe.ln_energy)))
            setting = Setting(
                power,
                min(speed, machine.max_speed_mm_s),
                1,
                aim.focus_mm,
                grid.pitch_mm[0],
                grid.air[0],
                direction="x",
            )
            cells.append((setting, at))
    return tuple(dict.fromkeys(cells))
