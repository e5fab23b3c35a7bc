"""Energy that a moving beam sends to the stock.

Units in `core`: W, mm, mm/s, s, J.  What the stock absorbs is less than what is sent.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.words import tr

__all__ = [
    "areal_energy",
    "dose_ripple",
    "line_energy",
    "mean_irradiance",
    "severance_energy",
    "track_fluence",
]

Floats = NDArray[np.float64]


def line_energy(*, power_w: ArrayLike, speed_mm_s: ArrayLike) -> Floats:
    """Return the energy sent per length of line, J/mm: P / v.

    Args:
        power_w: beam power at the stock, W, >= 0; any shape.
        speed_mm_s: speed along the line, mm/s, > 0; broadcasts with power_w.
    Raises: OutOfRange, naming the first bad value.

    >>> line_energy(power_w=40, speed_mm_s=[10, 20])
    array([4., 2.])
    """
    return _from_zero(tr("Power"), power_w, "W") / _above_zero(tr("Speed"), speed_mm_s, "mm/s")


def areal_energy(*, power_w: ArrayLike, speed_mm_s: ArrayLike, pitch_mm: ArrayLike) -> Floats:
    """Return the energy sent per area of a raster, J/mm2: P / (v pitch).  Shapes broadcast.

    >>> areal_energy(power_w=40, speed_mm_s=10, pitch_mm=0.1)
    np.float64(40.0)
    """
    return line_energy(power_w=power_w, speed_mm_s=speed_mm_s) / _above_zero(
        tr("Line pitch"), pitch_mm, "mm"
    )


def severance_energy(
    *, power_w: ArrayLike, speed_mm_s: ArrayLike, thickness_mm: ArrayLike
) -> Floats:
    """Return the energy sent per area of cut face, J/mm2: P / (v t).  Shapes broadcast."""
    return line_energy(power_w=power_w, speed_mm_s=speed_mm_s) / _above_zero(
        tr("Thickness"), thickness_mm, "mm"
    )


def mean_irradiance(*, power_w: ArrayLike, spot_mm: ArrayLike) -> Floats:
    """Return power over the area of the 1/e2 spot, W/mm2: 4 P / (pi d2)."""
    return (
        4
        * _from_zero(tr("Power"), power_w, "W")
        / (np.pi * _above_zero(tr("Spot"), spot_mm, "mm") ** 2)
    )


def track_fluence(*, power_w: ArrayLike, speed_mm_s: ArrayLike, radius_mm: ArrayLike) -> Floats:
    """Return the fluence on the centre line of one pass of a Gaussian beam, J/mm2: sqrt(2/pi) P /
    (w v).

    `radius_mm` is the 1/e2 radius w.  It is the time integral of 2P/(pi w2) exp(-2 x2/w2) along the
    line.
    """
    line = line_energy(power_w=power_w, speed_mm_s=speed_mm_s)
    result: Floats = np.sqrt(2 / np.pi) * line / _above_zero(tr("Radius"), radius_mm, "mm")
    return result


def dose_ripple(*, pitch_mm: float, spot_mm: float) -> float:
    """Return (max - min) / (max + min) of the dose of parallel Gaussian lines, from their exact
    sum.

    Grows fast with pitch / spot: 1.4 % at 0.5, 22 % at 0.75.  Raises OutOfRange for values that are
    not positive.
    """
    pitch, radius = (
        float(_above_zero(tr("Line pitch"), pitch_mm, "mm")),
        float(_above_zero(tr("Spot"), spot_mm, "mm")) / 2,
    )
    reach = int(np.ceil(6 * radius / pitch)) + 1
    lines = np.arange(-reach, reach + 1) * pitch
    on_line, between = (np.exp(-2 * (x - lines) ** 2 / radius**2).sum() for x in (0.0, pitch / 2))
    return float((on_line - between) / (on_line + between))


def _above_zero(field: str, values: ArrayLike, unit: str) -> Floats:
    return _checked(field, values, unit, tr("above 0"), strict=True)


def _from_zero(field: str, values: ArrayLike, unit: str) -> Floats:
    return _checked(field, values, unit, tr("at least 0"), strict=False)


def _checked(field: str, values: ArrayLike, unit: str, allowed: str, *, strict: bool) -> Floats:
    array = np.asarray(values, dtype=float)
    good = np.isfinite(array) & ((array > 0) if strict else (array >= 0))
    if not good.all():
        raise OutOfRange(field, float(array[~good].flat[0]), allowed, unit)
    return array
