"""Where the cells themselves lie: opposite edges of filled cells and middles of burnt lines correct
the lens.

Opposite edges cancel what burning adds to a cell; a line is measured in its middle.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.photo.lens import Lens
from olive_almanac.core.photo.rectified import Rectified, gathered

__all__ = ["GridShift", "edge_shifts", "refit"]

Floats = NDArray[np.float64]
STRONG_L = 4.0  # change of L* over an edge from which it is trusted
GRID_WEIGHT = 0.25


@dataclass(frozen=True)
class GridShift:
    """Observations along one axis each: where (face mm, [n, 2]), by how much (mm, [n, 2]), along
    which axis ([n, 2]).
    """

    at_mm: Floats
    shift_mm: Floats
    axis: Floats
    cells: NDArray[np.int64]

    def __len__(self) -> int:
        return len(self.at_mm)


def edge_shifts(
    rectified: Rectified, rects: Floats, *, reach_mm: float, dark_lines: bool
) -> GridShift:
    """Return by how much cells of one size, [n, 4], lie beside where they should.

    Filled cells: the steepest place of opposite edges.  `dark_lines`: the darkest place across
    opposite strokes.
    """
    tones = rectified.grey_tones
    s, n = rectified.px_mm, len(rects)
    reach = max(3, round(reach_mm * s))
    at, shift, axes, who = [], [], [], []
    for axis in (0, 1):
        long = max(4, int(0.6 * rects[0, 3 - axis] * s))
        places, good = [], np.ones(n, bool)
        for first in (True, False):
            edge = rectified.px(rects[:, axis] + (0.0 if first else rects[:, 2 + axis])) - 0.5
            start = np.round(edge) - reach
            side = np.round(rectified.px(rects[:, 1 - axis] + 0.2 * rects[:, 3 - axis]))
            if axis == 0:
                window, inside = gathered(tones, start, side, 2 * reach + 1, long)
            else:
                window, inside = gathered(tones, side, start, long, 2 * reach + 1)
            profile = window.mean(1 if axis == 0 else 2).astype(float)
            if dark_lines:
                place, seen = _darkest(profile, reach)
            else:
                place, seen = _steepest(profile, reach)
            good &= seen & (inside > 0.95)
            places.append(start + place - edge)
        off = (places[0] + places[1]) / 2 / s
        good &= np.abs(places[0] - places[1]) < 0.9 * s
        for i in np.flatnonzero(good):
            if axis == 0:
                unit = np.array([1.0, 0.0])
            else:
                unit = np.array([0.0, 1.0])
            at.append(rects[i, :2] + rects[i, 2:] / 2)
            shift.append(off[i] * unit)
            axes.append(unit)
            who.append(i)
    return GridShift(
        np.array(at).reshape(-1, 2),
        np.array(shift).reshape(-1, 2),
        np.array(axes).reshape(-1, 2),
        np.array(who, np.int64),
    )


def _steepest(profile: Floats, reach: int) -> tuple[Floats, NDArray[np.bool_]]:
    slope = np.zeros_like(profile)
    slope[:, 2:-2] = (
        2 * (profile[:, 3:-1] - profile[:, 1:-3]) + profile[:, 4:] - profile[:, :-4]
    ) / 6
    head, tail = profile[:, :3].mean(1), profile[:, -3:].mean(1)
    slope = np.maximum(slope * np.sign(tail - head)[:, None], 0)
    return _weighted_peak(slope, reach, np.abs(tail - head) > STRONG_L)


def _darkest(profile: Floats, reach: int) -> tuple[Floats, NDArray[np.bool_]]:
    ground = np.maximum((profile[:, :3].mean(1) + profile[:, -3:].mean(1)) / 2, 0)[:, None]
    depth = np.maximum(
        np.abs(ground - profile) - 0.4 * np.abs(ground - profile).max(1, keepdims=True), 0
    )
    return _weighted_peak(depth, reach, np.abs(ground - profile).max(1) > 2 * STRONG_L)


def _weighted_peak(
    height: Floats, reach: int, strong: NDArray[np.bool_]
) -> tuple[Floats, NDArray[np.bool_]]:
    top = np.clip(height.argmax(1), 2, 2 * reach - 2)
    near = np.take_along_axis(height, top[:, None] + np.arange(-2, 3)[None], 1)
    fraction = (near * np.arange(-2, 3)).sum(1) / np.maximum(near.sum(1), 1e-9)
    clear = near[:, 2] > 3 * (1.5 * np.median(height, 1) + 1e-6)
    return top + fraction, strong & clear


def refit(
    lens: Lens, matched: tuple[Floats, Floats, Floats], grows: Floats | None, grid: GridShift
) -> Floats:
    """Fit the lens anew to the marks and the grid; return what is left at each observation of the
    grid, px.
    """
    mm, px, weights = matched
    seen = lens.project(grid.at_mm + grid.shift_mm)
    way = lens.project(grid.at_mm + 0.5 * grid.axis) - lens.project(grid.at_mm - 0.5 * grid.axis)
    way /= np.linalg.norm(way, axis=1, keepdims=True)
    if grows is None:
        all_grow = None
    else:
        all_grow = np.vstack([grows, np.zeros_like(grid.at_mm)])
    rest = lens.fit(
        np.vstack([mm, grid.at_mm]),
        np.vstack([px, seen]),
        across=np.vstack([np.full((len(mm), 2), np.nan), way]),
        weights=np.concatenate([weights, np.full(len(grid), GRID_WEIGHT)]),
        grows=all_grow,
        huber_px=1.5,
    )
    return rest[len(mm) :]
