"""Control charts over a machine's readings: of single values, smoothed, and of sums.

Formulas: NIST/SEMATECH e-Handbook of Statistical Methods, sections 6.3.2.2 to 6.3.2.4, from memory.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

__all__ = [
    "CENTRE_FROM",
    "Limits",
    "cusum",
    "ewma",
    "ewma_limits",
    "individuals_limits",
    "own_error_signal",
]

Floats = NDArray[np.floating[Any]]
RANGE_TO_SIGMA = 1.128  # mean moving range of two over the standard deviation
SIGMAS = 3.0
SMOOTHING = 0.2
CLIP = 3.0
CENTRE_FROM = 8


@dataclass(frozen=True)
class Limits:
    """The middle of a chart and where it is out, in the unit of its readings."""

    middle: float
    upper: float
    lower: float


def individuals_limits(values: Sequence[float]) -> Limits:
    """Return the limits of a chart of single values by their mean moving range, three sigma."""
    x = np.asarray(values, float)
    middle = float(x.mean())
    reach = SIGMAS * float(np.abs(np.diff(x)).mean()) / RANGE_TO_SIGMA
    return Limits(middle, middle + reach, middle - reach)


def ewma(values: Sequence[float], target: float, smoothing: float = SMOOTHING) -> Floats:
    """Return the exponentially weighted moving average after each value [n], from a target on."""
    out, smooth = [], target
    for value in values:
        smooth = smoothing * value + (1 - smoothing) * smooth
        out.append(smooth)
    return np.array(out)


def ewma_limits(target: float, sigma: float, smoothing: float = SMOOTHING) -> Limits:
    """Return where such an average is out in the long run, three sigma of it."""
    reach = SIGMAS * sigma * (smoothing / (2 - smoothing)) ** 0.5
    return Limits(target, target + reach, target - reach)


def cusum(values: Sequence[float], target: float, allowance: float) -> tuple[Floats, Floats]:
    """Return the tabular sums of what exceeds the target, and falls short of it, by more than an
    allowance, after each value [n], [n].
    """
    high = low = 0.0
    highs, lows = [], []
    for value in values:
        high = max(0.0, high + value - target - allowance)
        low = max(0.0, low + target - allowance - value)
        highs.append(high)
        lows.append(low)
    return np.array(highs), np.array(lows)


def own_error_signal(values: Sequence[float], errors: Sequence[float]) -> Floats:
    """Return by how many of its standard errors the smoothed need stands above the middle of the
    first readings, after each reading [n]; `errors` are the readings' own standard errors, one far
    off counts as three of them.
    """
    x, sd = np.asarray(values, float), np.asarray(errors, float)
    centre = float(np.median(x[:CENTRE_FROM]))
    out, smooth, variance = [], 0.0, 0.0
    for off in np.clip((x - centre) / sd, -CLIP, CLIP):
        smooth = SMOOTHING * off + (1 - SMOOTHING) * smooth
        variance = SMOOTHING**2 + (1 - SMOOTHING) ** 2 * variance
        out.append(smooth / variance**0.5)
    return np.array(out)
