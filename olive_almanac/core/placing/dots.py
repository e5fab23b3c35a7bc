"""Tones made of dots: which dots of a raster are burnt so that a share of them is.

Error diffusion with the weights 7 3 5 1 of sixteenths (Floyd and Steinberg 1976), every row in the
same direction.  A dot waits only for its neighbour before it and for three of the row before, so
all dots of one slanting line are settled at once.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

__all__ = ["burnt_runs", "diffused", "flat_dots"]

Floats = NDArray[np.float64]
Runs = tuple[tuple[float, float], ...]


def diffused(share: Floats) -> NDArray[np.bool_]:
    """Return which dots are burnt, [rows, columns], so that near each place as many are as its
    share (0 to 1) says.
    """
    rows, columns = share.shape
    # two columns beside the picture take what runs over its edges
    left = np.zeros((rows + 1, columns + 2))
    left[:rows, 1:-1] = np.clip(share, 0.0, 1.0)
    dots = np.zeros((rows, columns), dtype=bool)
    every = np.arange(rows)
    for at in range(columns + 2 * (rows - 1)):
        first = max(0, (at - columns + 2) // 2)
        row = every[first : min(rows, at // 2 + 1)]
        column = at - 2 * row + 1
        wanted = left[row, column]
        burnt = wanted >= 0.5
        dots[row, column - 1] = burnt
        rest = (wanted - burnt) / 16
        left[row, column + 1] += 7 * rest
        left[row + 1, column - 1] += 3 * rest
        left[row + 1, column] += 5 * rest
        left[row + 1, column + 1] += rest
    return dots


def flat_dots(
    width_mm: float, height_mm: float, pitch_mm: float, share: float
) -> NDArray[np.bool_]:
    """Return the dots of an even patch, [rows from below, columns]."""
    columns, rows = max(1, round(width_mm / pitch_mm)), max(1, round(height_mm / pitch_mm))
    return diffused(np.full((rows, columns), share))


def burnt_runs(
    dots: NDArray[np.bool_], box_mm: tuple[float, float, float, float]
) -> tuple[tuple[float, Runs], ...]:
    """Return the rows of a raster, from below: the height of each and its burnt runs from and to,
    mm; `box_mm` is left, low, right, high.
    """
    left, low, right, high = box_mm
    rows, columns = dots.shape
    step, pitch = (right - left) / columns, (high - low) / rows
    found = []
    for n, row in enumerate(dots):
        edges = np.flatnonzero(np.diff(np.r_[False, row, False].astype(np.int8)))
        ends = np.round(left + step * edges, 3).tolist()
        runs = tuple(zip(ends[::2], ends[1::2], strict=True))
        found.append((round(low + (n + 0.5) * pitch, 4), runs))
    return tuple(found)
