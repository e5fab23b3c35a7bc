"""What changes from cell to cell of one run: the tube, the bed's tilt, the sheet's waves, heat and
smoke of the last cell.
"""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from olive_almanac.core.records.setting import rasters
from olive_almanac.core.records.trial import Cell, Trial
from olive_almanac.standins.groove import Dials, dials_of, reached_speed
from olive_almanac.standins.material import Hidden

__all__ = ["cells_of_run", "sheet_wave"]

HEAT_REACH_MM = 9.0
HEAT_LASTS_S = 20.0
SMOKE_LASTS_S = {"off": 9.0, "low": 4.0, "full": 1.5}
MOST_WARM = 0.25


def sheet_wave(hidden: Hidden, x_mm: float, y_mm: float) -> float:
    """Return the factor by which the stock digs harder at a place of the sheet."""
    return 1 + sum(
        amplitude * math.cos(kx * x_mm + ky * y_mm + phase)
        for amplitude, kx, ky, phase in hidden.lumps
    )


def cells_of_run(
    hidden: Hidden, trial: Trial, rng: np.random.Generator
) -> tuple[tuple[Cell, ...], Dials]:
    """Return the cells in their order with the settings as they really reach the stock."""
    machine, cells = trial.machine, trial.in_order
    settings = [cell.setting for cell in cells]
    long = np.array(
        [
            cell.longest_side_mm if cell.mark != "line" and not cell.setting.pitch_mm else 1e6
            for cell in cells
        ]
    )
    base = dials_of(
        settings, reached_speed([s.speed_mm_s for s in settings], long, machine.acceleration_mm_s2)
    )
    left, low = trial.area_mm[:2]
    middles = [
        (left + x + w / 2, low + y + h / 2) for x, y, w, h in (cell.rect_mm for cell in cells)
    ]
    centre = (left + trial.coupon.width_mm / 2, low + trial.coupon.height_mm / 2)
    luck = np.exp(hidden.cell_spread * rng.standard_normal(len(cells)))
    luck = np.where(
        rng.random(len(cells)) < hidden.made.knots, luck * rng.uniform(1.25, 1.6, len(cells)), luck
    )
    luck *= [sheet_wave(hidden, x, y) for x, y in middles]
    level = np.array(
        [hidden.tilt[0] * (x - centre[0]) + hidden.tilt[1] * (y - centre[1]) for x, y in middles]
    )
    warm, smoky, clock = np.zeros(len(cells)), np.zeros(len(cells)), 0.0
    ends: list[
        tuple[float, float, float, float]
    ] = []  # place, end and energy (0 to 1) of the cells before
    sag = np.zeros(len(cells))
    raster = rasters(trial.task)
    for i, cell in enumerate(cells):
        x, y = middles[i]
        for px, py, end, hot in ends[-12:]:
            warm[i] += hot * math.exp(
                -math.hypot(x - px, y - py) / HEAT_REACH_MM - (clock - end) / HEAT_LASTS_S
            )
        if ends:
            smoky[i] = (
                0.035
                * ends[-1][3]
                * math.exp(-max(0.0, clock - ends[-1][2]) / SMOKE_LASTS_S[cell.setting.air])
            )
        sag[i] = hidden.tube_sag * (1 - math.exp(-clock / hidden.tube_wait_s))
        clock += cell.seconds + trial.rest_s
        sent = machine.watts(cell.setting.power) * cell.setting.dose_per_watt
        hot = min(1.0, sent / (1.5 if raster else 4.0 * hidden.made.scorch))
        ends.append((x, y, clock - trial.rest_s, hot))
    strength = (1 - sag) * (1 - smoky)
    return cells, replace(
        base, luck=luck, strength=strength, shift_mm=-level, warm=np.minimum(MOST_WARM, 0.22 * warm)
    )
