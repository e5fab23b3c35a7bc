"""How long a machine takes, with its limits of speed and acceleration."""

from __future__ import annotations

import math

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.words import tr

__all__ = ["outline_seconds", "overscan_length", "peak_speed", "raster_seconds", "run_seconds"]


def _check(**values: float) -> None:
    for field, value in values.items():
        if not 0 < value < math.inf:
            raise OutOfRange(field.replace("_", " ").capitalize(), value, tr("above 0"))


def run_seconds(length_mm: float, speed_mm_s: float, acceleration_mm_s2: float) -> float:
    """Return the time of one straight run from rest to rest, s.

    L/v + v/a where the speed is reached (L >= v2/a), else 2 sqrt(L/a).
    """
    if length_mm == 0:
        return 0.0
    _check(length=length_mm, speed=speed_mm_s, acceleration=acceleration_mm_s2)
    if length_mm >= speed_mm_s**2 / acceleration_mm_s2:
        return length_mm / speed_mm_s + speed_mm_s / acceleration_mm_s2
    return 2 * math.sqrt(length_mm / acceleration_mm_s2)


def peak_speed(length_mm: float, speed_mm_s: float, acceleration_mm_s2: float) -> float:
    """Return the highest speed reached on a straight run from rest to rest, mm/s: min(v, sqrt(a
    L)).
    """
    _check(length=length_mm, speed=speed_mm_s, acceleration=acceleration_mm_s2)
    return min(speed_mm_s, math.sqrt(acceleration_mm_s2 * length_mm))


def overscan_length(speed_mm_s: float, acceleration_mm_s2: float) -> float:
    """Return the run-up that reaches a speed from rest, mm: v2 / 2a."""
    _check(speed=speed_mm_s, acceleration=acceleration_mm_s2)
    return speed_mm_s**2 / (2 * acceleration_mm_s2)


def raster_seconds(
    width_mm: float, height_mm: float, pitch_mm: float, speed_mm_s: float, acceleration_mm_s2: float
) -> float:
    """Return the time of a raster burnt in both directions, s: N (W/v + 2v/a), N = H/pitch + 1
    lines.
    """
    _check(
        width=width_mm,
        height=height_mm,
        pitch=pitch_mm,
        speed=speed_mm_s,
        acceleration=acceleration_mm_s2,
    )
    lines = math.floor(height_mm / pitch_mm + 1e-9) + 1
    return lines * (width_mm / speed_mm_s + 2 * speed_mm_s / acceleration_mm_s2)


def outline_seconds(
    width_mm: float, height_mm: float, passes: int, speed_mm_s: float, acceleration_mm_s2: float
) -> float:
    """Return the time of a rectangle's outline with a stop at each corner, s."""
    sides = (run_seconds(side, speed_mm_s, acceleration_mm_s2) for side in (width_mm, height_mm))
    return 2 * passes * sum(sides)
