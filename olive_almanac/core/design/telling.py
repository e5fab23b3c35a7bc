"""The cells that tell most of a cut's quickest setting, as a trial: laid out by their passes, with
what they are expected to leave open beside what a plain grid would.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from olive_almanac.core.deciding.cut_knowledge import FittedCut
from olive_almanac.core.design.choices import TrialChoices, holding
from olive_almanac.core.design.kinds.kind import kind_of
from olive_almanac.core.design.next_cells import NextCells, next_cut_cells
from olive_almanac.core.design.plan import least_cell_mm
from olive_almanac.core.fitting.char import FlareLimit
from olive_almanac.core.records.factors import FACTORS
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import SPEED_UNITS, count_text
from olive_almanac.core.words import tr

__all__ = ["CELL_MM", "LONGEST_CELL_MM", "most_telling", "with_cells"]

CELL_MM = 10.0  # a side that a finger can push and an eye can judge
LONGEST_CELL_MM = 16.0  # a side of a cut cell that a coupon is worth


def most_telling(
    known: FittedCut, machine: Machine, stock: Stock, limit: FlareLimit, grid: TrialChoices
) -> tuple[TrialChoices, str] | None:
    """Return the choices of a batch of cells by all that is known before it, and why these rather
    than the plain grid; None where no cell would teach more.
    """
    beside = kind_of("grid").pattern(stock, "cut", replace(grid, kind="grid"))
    cells = next_cut_cells(
        known.posterior,
        known.case,
        drift=known.drift,
        power=grid.power[-1],
        limit=limit,
        instead=[patch.setting for patch in beside.patches],
    )
    if not cells.cells:
        return None
    held: dict[str, Any] = {
        factor.field: grid.levels(factor.id)[0] for factor in FACTORS if factor.optional
    }
    settings = [replace(cell, **held) for cell in cells.settings]
    return with_cells(grid, settings, machine), _why(cells, len(beside.patches))


def with_cells(grid: TrialChoices, cells: Sequence[Setting], machine: Machine) -> TrialChoices:
    """Return choices that burn these very cells of a cut, large enough to reach their speed."""
    unit = SPEED_UNITS[grid.speed_unit]
    speeds = [min(_dialled_up(cell.speed_mm_s, unit), machine.max_speed_mm_s) for cell in cells]
    cells = [replace(cell, speed_mm_s=v) for cell, v in zip(cells, speeds, strict=True)]
    fastest = max(speeds)
    side = min(LONGEST_CELL_MM, max(CELL_MM, least_cell_mm(machine, "cut", fastest)))
    return replace(
        grid, **holding(cells[0]), kind="next", settings=tuple(cells), cell_mm=float(side)
    )


def _dialled_up(speed_mm_s: float, unit: float) -> float:
    """A speed rounded up to three digits in the shop's unit: never hotter than was asked for."""
    speed = speed_mm_s / unit
    scale = 10.0 ** (2 - math.floor(math.log10(speed)))
    return round(math.ceil(speed * scale - 1e-6) / scale * unit, 9)


def _why(cells: NextCells, grid_cells: int) -> str:
    after, instead = (round(100 * sd) for sd in (cells.sd_after, cells.sd_instead))
    first = count_text(len(cells.cells), "cell")
    why = tr(
        "{first} at a time, where each tells most: they should leave the quickest cut known to",
        first=first,
    )
    return tr(
        "{why} ± {after} %, a plain grid of {grid_cells} to ± {instead} %",
        why=why,
        after=after,
        grid_cells=grid_cells,
        instead=instead,
    )
