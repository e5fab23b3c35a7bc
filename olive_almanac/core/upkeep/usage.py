"""What a run uses of a machine: hours, hours with the beam on, energy and smoke.

Smoke is the stock that goes: kerf times thickness times length of cuts, a tenth of a millimetre of
engraved ground, by the density of its family (common practice, no source).
"""

from __future__ import annotations

import itertools
from collections.abc import Collection

from olive_almanac.core.motion.program import Burn, Lines, Strokes, cell_joules
from olive_almanac.core.quoting.job_plan import JobPlan
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.service import Counters
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Trial

__all__ = ["usage_of_plan", "usage_of_trial"]

H = 3600.0
GROUND_MM = 0.1
DENSITY_G_MM3 = {
    "plywood": 6e-4,
    "hardwood": 7e-4,
    "softwood": 5e-4,
    "mdf": 7.5e-4,
    "hdf": 9e-4,
    "acrylic": 1.19e-3,
    "leather": 9e-4,
    "card": 7e-4,
    "board": 7e-4,
    "paper": 7e-4,
    "foam": 1e-4,
}
USUAL_DENSITY = 7e-4
MAKES_NONE = frozenset(
    (
        *("glass", "mirror", "slate", "stone", "ceramic", "aluminium", "anodised", "stainless"),
        *("steel", "galvanised", "coated_metal", "brass", "copper", "titanium", "gold", "silver"),
    )
)


def _density(stock: Stock) -> float:
    if stock.family in MAKES_NONE:
        return 0.0
    return DENSITY_G_MM3.get(stock.family, USUAL_DENSITY)


def usage_of_trial(trial: Trial, burnt: Collection[str]) -> Counters:
    """Return what the cells of a trial that burnt used."""
    cells = [cell for cell in trial.cells if cell.id in burnt]
    if not cells:
        return Counters()
    machine, stock = trial.machine, trial.stock
    beam = sum(cell.seconds for cell in cells)
    every = sum(cell.seconds for cell in trial.cells)
    energy = sum(cell_joules(cell, machine) for cell in cells)
    depth = stock.true_thickness_mm if trial.task == "cut" else GROUND_MM
    volume = 0.0
    for cell in cells:
        _, _, wide, high = cell.rect_mm
        if cell.setting.pitch_mm:
            volume += GROUND_MM * wide * high
        else:
            volume += machine.spot_longer_mm * depth * 2 * (wide + high)
    seconds = trial.seconds * beam / every if every else 0.0
    return Counters(seconds / H, beam / H, energy, volume * _density(stock))


def usage_of_plan(plan: JobPlan, machine: Machine, stock: Stock) -> Counters:
    """Return what a whole job uses, as it is planned."""
    beam = energy = volume = 0.0
    task_of = {one.task.group: one.task for one in plan.pattern.work}
    for run in plan.runs:
        for step, group in run.steps:
            task = task_of.get(group)
            depth, passes = GROUND_MM, step.setting.passes
            if task is not None and task.setting is not None:
                passes = task.setting.passes  # a cut goes round without stopping, all in one path
                depth = stock.true_thickness_mm if task.task == "cut" else GROUND_MM
            seconds, burnt = _burnt_of(step)
            beam += seconds
            energy += machine.watts(step.setting.power) * seconds
            if isinstance(step, Strokes):
                volume += machine.spot_longer_mm * depth * burnt / passes
            else:
                volume += GROUND_MM * step.setting.pitch_mm * burnt / passes
    return Counters(plan.seconds / H, beam / H, energy, volume * _density(stock))


def _burnt_of(step: Burn) -> tuple[float, float]:
    """How long the beam is on in a step, s, over which length, mm, all passes together."""
    setting, length = step.setting, 0.0
    if isinstance(step, Strokes):
        for path in step.paths:
            for (ax, ay), (bx, by) in itertools.pairwise(path):
                length += ((bx - ax) ** 2 + (by - ay) ** 2) ** 0.5
    elif isinstance(step, Lines):
        length = sum(b - a for _, runs in step.rows for a, b in runs)
    return setting.passes * length / setting.speed_mm_s, setting.passes * length
