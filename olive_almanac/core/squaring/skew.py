"""Does the piece lie square: angle from two touched points or from diagonals, and which way to turn
it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.words import tr

__all__ = ["Skew", "skew_from_diagonals", "skew_of_edge"]


@dataclass(frozen=True)
class Skew:
    """How an edge lies: `angle_deg` counter-clockwise from the axis; `move_mm` how far its far end
    must move, and where (`turn`); turning the drawing by `angle_deg` does as well.
    """

    angle_deg: float
    length_mm: float
    move_mm: float
    turn: Literal["", "clockwise", "counter-clockwise"]


def skew_of_edge(near_mm: tuple[float, float], far_mm: tuple[float, float]) -> Skew:
    """Return the skew of an edge touched at two points; the nearer axis (X or Y) is the one it
    should lie along.

    Raises OutOfRange for points closer than 5 mm: the angle would be noise.
    """
    dx, dy = far_mm[0] - near_mm[0], far_mm[1] - near_mm[1]
    length = math.hypot(dx, dy)
    if not math.isfinite(length) or length < 5:
        raise OutOfRange(tr("Distance of the two points"), length, tr("at least 5"), "mm")
    angle = math.degrees(math.atan2(dy, dx))
    angle -= 90 * round(angle / 90)
    move = length * math.sin(math.radians(abs(angle)))
    turn: Literal["", "clockwise", "counter-clockwise"]
    if move < 0.005:
        turn = ""
    elif angle > 0:
        turn = "clockwise"
    else:
        turn = "counter-clockwise"
    return Skew(angle, length, move, turn)


def skew_from_diagonals(
    *, side_a_mm: float, side_b_mm: float, diagonal_1_mm: float, diagonal_2_mm: float
) -> float:
    """Return by how many degrees a corner of a rectangle misses 90: asin((d1^2 - d2^2) / 4ab)."""
    ratio = (diagonal_1_mm**2 - diagonal_2_mm**2) / (4 * side_a_mm * side_b_mm)
    if not abs(ratio) <= 1:
        raise OutOfRange(
            tr("Diagonals"),
            tr(
                "{diagonal_1_mm:g} and {diagonal_2_mm:g}",
                diagonal_1_mm=diagonal_1_mm,
                diagonal_2_mm=diagonal_2_mm,
            ),
            tr("those of a rectangle with these sides"),
            "mm",
        )
    return math.degrees(math.asin(ratio))
