"""The corner mark: an L at the coupon's lower left, so that it cannot be read turned round.

It stands where fiducials do not.
"""

from __future__ import annotations

__all__ = ["CORNER_INSET_MM", "CORNER_LENGTH_MM", "corner_lines"]

CORNER_INSET_MM = 3.0
CORNER_LENGTH_MM = 5.0

Line = tuple[tuple[float, float], tuple[float, float]]


def corner_lines() -> tuple[Line, Line]:
    """Return the two strokes of the mark in coupon mm, longer upward than sideways."""
    i, n = CORNER_INSET_MM, CORNER_LENGTH_MM
    return ((i, i + n), (i, i)), ((i, i), (i + 0.6 * n, i))
