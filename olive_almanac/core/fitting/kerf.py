"""Kerf from a comb or a stack measured with a gauge: mean and spread along X and Y, what the
gauge's steps leave open, taper.

Comb: a slot drawn so wide comes out wider by the kerf.  Stack: N pieces pushed together are shorter
than drawn by N kerfs.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import fmean, stdev

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.trial import Cell
from olive_almanac.core.words import tr

__all__ = [
    "KerfFigures",
    "check_gauged",
    "comb_kerf",
    "kerf_figures",
    "kerf_of",
    "square_error",
    "stack_kerf",
    "taper",
]


MOST_LOSS_MM, LEAST_LOSS_MM = 1.5, 0.05  # kerfs that a beam can leave; a gauge's slip below none
WIDEST_LINE_MM = 8.0  # a beam far out of focus


@dataclass(frozen=True)
class KerfFigures:
    """Mean kerf of n measurements with their spread and the standard error of the mean, all mm; the
    error holds what the gauge's steps leave open, resolution / sqrt 12 (GUM, JCGM 100:2008, 4.3.7).
    """

    mean_mm: float
    spread_mm: float
    error_mm: float
    count: int


def comb_kerf(measured_mm: float, nominal_mm: float) -> float:
    """Return the kerf of a slot: measured less drawn width, mm."""
    return measured_mm - nominal_mm


def stack_kerf(total_mm: float, nominal_mm: float, pieces: int) -> float:
    """Return the kerf of a stack: drawn width of a piece less total / pieces, mm.

    Raises OutOfRange without pieces.
    """
    if pieces < 1:
        raise OutOfRange(tr("Pieces"), pieces, tr("at least 1"))
    return nominal_mm - total_mm / pieces


def kerf_figures(kerfs_mm: Sequence[float], resolution_mm: float) -> KerfFigures | None:
    """Return mean, spread and error of kerfs measured with a gauge of this resolution; None without
    any.
    """
    if not kerfs_mm:
        return None
    spread = 0.0
    if len(kerfs_mm) > 1:
        spread = stdev(kerfs_mm)
    gauge = resolution_mm / math.sqrt(12)
    return KerfFigures(
        fmean(kerfs_mm), spread, math.hypot(spread / math.sqrt(len(kerfs_mm)), gauge), len(kerfs_mm)
    )


def taper(top_mm: float, bottom_mm: float, thickness_mm: float) -> tuple[float, float]:
    """Return half the angle between the walls in degrees, and by how much each leans over the
    thickness in mm.

    atan((top - bottom) / 2 t); positive where the slot narrows downward.
    """
    if thickness_mm <= 0:
        raise OutOfRange(tr("Thickness"), thickness_mm, tr("above 0"), "mm")
    lean = (top_mm - bottom_mm) / 2
    return math.degrees(math.atan(lean / thickness_mm)), lean


def square_error(width_mm: float, height_mm: float) -> float:
    """Return by how much a drawn square came out wider than high, mm: the kerf along Y less the
    kerf along X.
    """
    return width_mm - height_mm


def check_gauged(cell: Cell, measured_mm: float) -> None:
    """Raise OutOfRange where no gauge can read this of a slot, a stack of pieces or a line."""
    if cell.mark == "comb":
        low, high = cell.nominal_mm - LEAST_LOSS_MM, cell.nominal_mm + MOST_LOSS_MM
    elif cell.mark == "stack" and measured_mm > 1.5 * cell.nominal_mm:
        pieces = max(1, round(cell.longest_side_mm / cell.nominal_mm))
        high = pieces * (cell.nominal_mm + LEAST_LOSS_MM)
        low = pieces * (cell.nominal_mm - MOST_LOSS_MM)
    elif cell.mark == "stack":
        low, high = cell.nominal_mm - MOST_LOSS_MM, cell.nominal_mm + LEAST_LOSS_MM
    else:
        low, high = 0.0, WIDEST_LINE_MM
    if not low <= measured_mm <= high or measured_mm <= 0:
        allowed = tr("from {low:.2f} to {high:.2f} mm here", low=max(low, 0.0), high=high)
        raise OutOfRange(tr("Measured width"), measured_mm, allowed, "mm")


def kerf_of(cell: Cell, reading: Reading) -> float | None:
    """Return the kerf that a comb's slot, a stack or a plain slot tells, mm; None where nothing was
    measured.
    """
    if reading.kerf_mm is None:
        return None
    if cell.mark == "comb":
        return comb_kerf(reading.kerf_mm, cell.nominal_mm)
    if cell.mark == "stack" and reading.kerf_mm > cell.nominal_mm:  # the whole stack was measured
        return stack_kerf(
            reading.kerf_mm, cell.nominal_mm, max(1, round(cell.longest_side_mm / cell.nominal_mm))
        )
    return reading.kerf_mm
