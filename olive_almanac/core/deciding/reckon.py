"""The setting that a cut is expected to take, by all that is known of it, and how long it takes:
for a machine, a lens or a thickness that was not burnt yet.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from olive_almanac.core.deciding.cut_knowledge import FittedCut
from olive_almanac.core.design.levels import round_level
from olive_almanac.core.design.suggest import held_focus
from olive_almanac.core.fitting.char import FlareLimit
from olive_almanac.core.motion.program import cell_seconds
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import Setting, Task, rasters
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Cell

__all__ = [
    "LEAST_CHANCE",
    "Reckoned",
    "reckon_cut",
    "seconds_per_metre",
    "with_lens",
    "with_power",
    "with_thickness",
]

WANTED = 0.80  # the chance that a reckoned setting aims at
LEAST_CHANCE = 0.30  # below it a machine is said not to get through
PASSES = (1, 2, 3, 4, 6, 8, 12)
SIDE_MM = 100.0  # a square whose outline the time of a metre is told from
SPEEDS = 60
SLOWEST_MM_S = 0.2
ANOTHER = "another"
AS_QUICK = 1.1  # fewer passes are taken where they take no longer than so many times the least


@dataclass(frozen=True)
class Reckoned:
    """A setting with its chance; the seconds of a metre and one sd of their ln; the edge expected
    (0 clean to 3 flared) and the chance that no number of passes gets through.  Without a setting
    `chance` is the best that was found.
    """

    setting: Setting | None
    chance: float
    seconds_per_m: float = 0.0
    spread: float = 0.0
    grade: float = 0.0
    stall: float = 0.0
    to_edge: float = 0.0  # ln of the speed at the edge over that of the setting


def reckon_cut(known: FittedCut, machine: Machine, stock: Stock, limit: FlareLimit) -> Reckoned:
    """Return the quickest setting that gets through with four in five chance and does not flare, or
    the best chance there is.
    """
    focus, best, found = held_focus(stock), 0.0, []
    for passes in PASSES:
        slowest = max(SLOWEST_MM_S, 1.001 * limit.slowest(machine.watts(1.0), passes))
        if slowest > machine.max_speed_mm_s:
            continue
        speeds = np.geomspace(slowest, machine.max_speed_mm_s, SPEEDS)
        chance = known.chance(power=1.0, speed_mm_s=speeds, passes=passes, focus_mm=focus)
        best = max(best, float(chance.max()))
        good = np.flatnonzero(chance >= WANTED)
        if not len(good):
            continue
        at = int(good[-1])
        setting = Setting(1.0, round_level(float(speeds[at])), passes, focus, air=known.air)
        found.append((seconds_per_metre(setting, machine), setting, float(chance[at])))
    if not found:
        return Reckoned(None, best)
    quickest = min(seconds for seconds, _, _ in found)
    seconds, setting, sure = next(one for one in found if one[0] <= AS_QUICK * quickest)
    doubt = known.edge_doubt(power=1.0, passes=setting.passes, focus_mm=focus)
    above = known.char_above(
        power=1.0, speed_mm_s=[setting.speed_mm_s], passes=[float(setting.passes)]
    )
    stall = known.stall_chance(power=1.0, speed_mm_s=setting.speed_mm_s, focus_mm=focus)
    edges = known.edges(power=1.0, passes=setting.passes, focus_mm=focus)
    to_edge = float(np.median(edges)) - math.log(setting.speed_mm_s)
    return Reckoned(setting, sure, seconds, doubt, float(above.sum()), stall, to_edge)


def seconds_per_metre(setting: Setting, machine: Machine) -> float:
    """Return the time of a metre of cut, s, all passes, by the motion planner on a square of 100
    mm: runs up to speed and corners count.
    """
    box = (0.0, 0.0, SIDE_MM, SIDE_MM)
    cell = Cell("square", 0, 0, "outline", box, 0, 0.0, setting)
    return cell_seconds(cell, machine) / (4 * SIDE_MM) * 1000


def with_power(machine: Machine, watts: float) -> Machine:
    """Return the machine with a source of another optical power, W: a new state of it."""
    share = watts / machine.optical_power_w
    table = tuple((percent, share * measured) for percent, measured in machine.power_table)
    return replace(
        machine, optical_power_w=watts, power_table=table, modes=(), state=machine.state + 1
    )


def with_lens(machine: Machine, times: float) -> Machine:
    """Return the machine with a lens of so many times the focal length: spot and, squared, depth
    grow with it (4 M2 lambda f / (pi D); pi w0^2 / (M2 lambda): ISO 11146-1).
    """
    focal = machine.lens_focal_mm
    return replace(
        machine,
        spot_x_mm=times * machine.spot_x_mm,
        spot_y_mm=times * machine.spot_y_mm,
        rayleigh_mm=times**2 * machine.rayleigh_mm,
        lens_focal_mm=times * focal if focal else None,
        state=machine.state + 1,
    )


def with_thickness(stock: Stock, thickness_mm: float) -> Stock:
    """Return the stock as it would be bought in another thickness: another lot."""
    return replace(
        stock, thickness_mm=thickness_mm, measured_mm=(), lot=f"{stock.lot} {ANOTHER}".strip()
    )


def time_of(setting: Setting, machine: Machine, task: Task) -> float:
    """Return the time of a metre of line or of 100 cm2 of raster, s."""
    if not rasters(task):
        return seconds_per_metre(setting, machine)
    box = (0.0, 0.0, SIDE_MM, SIDE_MM)
    return cell_seconds(Cell("square", 0, 0, "fill", box, 0, 0.0, setting), machine)
