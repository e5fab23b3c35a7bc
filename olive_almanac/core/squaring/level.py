"""Is the piece level: a plane through heights read at several points, its tilt, what is left, and
which corner to shim.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.words import tr

__all__ = ["Level", "Shape", "fit_level"]

Shape = Literal["level", "tilted", "bowed", "twisted"]
LEAST_POINTS = 3
NOTICEABLE_MM = 0.15  # bow or twist smaller than this is reading noise (common practice)


@dataclass(frozen=True)
class Level:
    """A plane z = a x + b y + c through heights, mm.

    `tilt_x_mm_m` and `tilt_y_mm_m` are a and b per metre; `residuals_mm` what the plane leaves at
    each point; `spread_mm` highest less lowest reading; `bow_mm` how far the middle lies above the
    corners' plane; `twist_mm` how far two opposite corners lie above the other two; `shims_mm` what
    to put under each corner, from the lower left round (lower left, lower right, upper right, upper
    left).
    """

    tilt_x_mm_m: float
    tilt_y_mm_m: float
    offset_mm: float
    residuals_mm: tuple[float, ...]
    spread_mm: float
    bow_mm: float
    twist_mm: float
    shims_mm: tuple[float, float, float, float]

    @property
    def tilt_mrad(self) -> float:
        """The tilt by its steepest way, mrad (mm a metre)."""
        return math.hypot(self.tilt_x_mm_m, self.tilt_y_mm_m)

    @property
    def shape(self) -> Shape:
        """What is wrong most: bow and twist cannot be shimmed away, tilt can."""
        tilt = max(self.shims_mm)
        worst = max(tilt, abs(self.bow_mm), abs(self.twist_mm))
        if worst < NOTICEABLE_MM:
            return "level"
        if worst == tilt:
            return "tilted"
        if worst == abs(self.bow_mm):
            return "bowed"
        return "twisted"


def fit_level(points_mm: Sequence[tuple[float, float]], heights_mm: Sequence[float]) -> Level:
    """Return the plane of least squares through 3 to 9 (or more) heights; higher numbers are higher
    places.

    Raises OutOfRange with fewer than 3 points, non-finite numbers, or points on one line.
    """
    points, heights = np.asarray(points_mm, float).reshape(-1, 2), np.asarray(heights_mm, float)
    if len(points) < LEAST_POINTS or len(points) != len(heights):
        raise OutOfRange(
            tr("Number of heights"),
            len(heights),
            tr("at least {least_points}", least_points=LEAST_POINTS),
        )
    if not (np.isfinite(points).all() and np.isfinite(heights).all()):
        raise OutOfRange(tr("Heights"), tr("not all numbers"), tr("finite numbers"))
    design = np.column_stack([points, np.ones(len(points))])
    if (
        np.linalg.matrix_rank(
            design - [*points.mean(0), 0.0], tol=1e-9 * max(1.0, float(np.ptp(points)))
        )
        < 3
    ):
        raise OutOfRange(tr("Points"), tr("on one line"), tr("spread over the piece"))
    (a, b, c), *_ = np.linalg.lstsq(design, heights, rcond=None)
    left = heights - design @ [a, b, c]
    low, high = points.min(0), points.max(0)
    corners = ((low[0], low[1]), (high[0], low[1]), (high[0], high[1]), (low[0], high[1]))
    plane = [float(a * x + b * y + c) for x, y in corners]
    shims = [round(max(plane) - z, 9) for z in plane]
    bow, twist = _bow_and_twist(points, left, low, high)
    return Level(
        float(1000 * a),
        float(1000 * b),
        float(c),
        tuple(float(r) for r in left),
        float(np.ptp(heights)),
        bow,
        twist,
        (shims[0], shims[1], shims[2], shims[3]),
    )


def _bow_and_twist(
    points: np.ndarray, left: np.ndarray, low: np.ndarray, high: np.ndarray
) -> tuple[float, float]:
    """Middle above the corners, and diagonal against diagonal, from what the plane leaves; 0 where
    not enough was read.
    """
    u = (
        2 * (points - low) / np.where(high > low, high - low, 1.0) - 1
    )  # corners at +-1, middle at 0
    bow = twist = 0.0
    if len(points) >= 5:
        shapes = np.column_stack([1 - (u**2).mean(1), u[:, 0] * u[:, 1], np.ones(len(u))])
        (bow, twist, _), *_ = np.linalg.lstsq(shapes, left, rcond=None)
    elif len(points) == 4:
        twist = float(
            (u[:, 0] * u[:, 1]) @ left / np.maximum(((u[:, 0] * u[:, 1]) ** 2).sum(), 1e-9)
        )
    return float(bow), float(2 * twist)
