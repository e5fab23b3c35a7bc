"""Suggest the levels of a first trial from physics: the family's prior, the beam, the thickness and the limits."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from olive_almanac.core.beam.spot import default_pitch
from olive_almanac.core.burn.groove import Groove, log_needed, log_worth
from olive_almanac.core.design.grid import GridChoices, coupon_size
from olive_almanac.core.design.levels import round_level
from olive_almanac.core.fitting.cut import CutCase, case_of, prior_of
from olive_almanac.core.materials.families import family_of
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import SPEED_UNITS

__all__ = ["expected_edge_speed", "held_focus", "suggest_grid"]

PASSES = (1, 2, 3, 4, 6)
SLOWEST_USEFUL_MM_S = 1.5
SHRINKS = (1.0, 0.8, 0.65, 0.5, 0.4, 0.3, 0.2)
CUT_POWERS = (0.55, 0.70, 0.85, 1.0)


def held_focus(stock: Stock) -> float:
    """Return the focus to start a cut with: half the thickness below the top face, to half a millimetre, at most 5 mm."""
    return min(5.0, round(stock.true_thickness_mm) / 2)


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


def suggest_grid(machine: Machine, stock: Stock, task: Task, *, speed_unit: str = "mm/s") -> GridChoices:
    """Return a first grid of 4 powers x 6 speeds that should straddle the edge (cut) or the right tone (engrave).

    Speeds are round numbers in `speed_unit`.
    """
    make = _cut_grid if task == "cut" else _engrave_grid
    for shrink in SHRINKS:  # a small bed takes a smaller coupon: shorter run-ups, smaller cells
        choices = make(machine, stock, speed_unit, shrink)
        coupon = coupon_size(machine, task, choices)
        if coupon.width_mm <= machine.bed_mm[0] and coupon.height_mm <= machine.bed_mm[1]:
            break
    corner = tuple(
        max(0.0, min(10.0, (bed - size) / 2)) for bed, size in zip(machine.bed_mm, (coupon.width_mm, coupon.height_mm), strict=True)
    )
    return replace(choices, place=(corner[0], corner[1]))


def _cut_grid(machine: Machine, stock: Stock, unit: str, shrink: float) -> GridChoices:
    case, focus = case_of(machine, stock), held_focus(stock)
    for passes in PASSES:
        edge = expected_edge_speed(case, power=1.0, passes=passes, focus_mm=focus)
        if edge >= SLOWEST_USEFUL_MM_S:
            break
    high = min(1.6 * edge, machine.max_speed_mm_s)
    return GridChoices(CUT_POWERS, _spread(0.4 * edge, high, 6, unit), (passes,), (focus,), cell_mm=round(10.0 * shrink, 1))


def _engrave_grid(machine: Machine, stock: Stock, unit: str, shrink: float) -> GridChoices:
    pitch = default_pitch(machine.spot_y_mm)
    aim = family_of(stock).tone.right_j_mm2
    speed = shrink * min(machine.watts(0.6) / (aim * pitch), 0.5 * machine.max_speed_mm_s)
    power = float(np.clip(machine.fraction_for(aim * speed * pitch), 0.02, 0.65))
    powers = tuple(round_level(float(p)) for p in np.linspace(0.5 * power, min(1.0, 1.5 * power), 4))
    speeds = _spread(0.5 * speed, min(1.6 * speed, machine.max_speed_mm_s), 6, unit)
    return GridChoices(powers, speeds, pitch_mm=(pitch,), cell_mm=8.0, air="low")


def _spread(low_mm_s: float, high_mm_s: float, steps: int, unit: str) -> tuple[float, ...]:
    """Evenly spaced speeds in mm/s that can be dialled in: round first value and round step in the shop's unit."""
    factor = SPEED_UNITS[unit]
    low, high = low_mm_s / factor, high_mm_s / factor
    step = round_level((high - low) / (steps - 1))
    while round_level(low) + (steps - 1) * step > high * (1 + 1e-9):
        step = round_level(step * 0.97) if round_level(step * 0.97) < step else step * 0.9
    return tuple(round((round_level(low) + i * step) * factor, 9) for i in range(steps))
