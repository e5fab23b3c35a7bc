"""How long a whole path takes: speed limits, corners that are rounded at speed, and short segments
that limit each other.

The controller is taken to plan ahead over the whole path: it starts and ends at rest, accelerates
evenly, and takes a corner no quicker than the speed at which a rounding that misses the corner by
`junction_mm` keeps within the acceleration.  docs/methods.md, section Motion.
"""

from __future__ import annotations

import functools
import itertools
import math
from collections.abc import Sequence

__all__ = ["corner_speed", "path_seconds", "raster_path_seconds"]

LEAST_MM = 1e-9
STRAIGHT = 1 - 1e-9  # sine of half the angle of a corner that counts as none


def corner_speed(
    included_angle_deg: float, *, junction_mm: float, acceleration_mm_s2: float
) -> float:
    """Return the speed through a corner, mm/s: sqrt(a R), R = d s/(1 - s), s = sin(included angle /
    2).

    A straight line (180 degrees) has no limit; a reversal (0) has to stop.  Own geometric
    derivation: the fillet that misses the corner by d.
    """
    return math.sqrt(
        _corner_squared(
            math.sin(math.radians(included_angle_deg) / 2), junction_mm, acceleration_mm_s2
        )
    )


def _corner_squared(sine: float, junction_mm: float, acceleration_mm_s2: float) -> float:
    if sine > STRAIGHT:
        return math.inf
    return acceleration_mm_s2 * junction_mm * sine / (1 - sine)


def path_seconds(
    points_mm: Sequence[tuple[float, float]],
    speeds_mm_s: Sequence[float],
    *,
    acceleration_mm_s2: float,
    junction_mm: float,
) -> float:
    """Return the time from rest at the first point to rest at the last, s.

    Args:
        points_mm: n corners of the path; segments without length are left out.
        speeds_mm_s: n - 1 highest speeds, one for each segment.

    Plain loops: most paths are a letter or an outline, for which arrays would take longer to set up
    than to use.
    """
    segments = []
    for (x0, y0), (x1, y1), speed in zip(points_mm[:-1], points_mm[1:], speeds_mm_s, strict=True):
        length = math.hypot(x1 - x0, y1 - y0)
        if length > LEAST_MM:
            segments.append((length, (x1 - x0) / length, (y1 - y0) / length, speed * speed))
    if not segments:
        return 0.0
    limits = [0.0]
    for (_, ax, ay, a2), (_, bx, by, b2) in itertools.pairwise(segments):
        sine = math.sqrt(max(0.0, min(1.0, (1 + ax * bx + ay * by) / 2)))
        limits.append(min(_corner_squared(sine, junction_mm, acceleration_mm_s2), a2, b2))
    limits.append(0.0)
    twice = 2 * acceleration_mm_s2
    for i, (length, _, _, _) in enumerate(segments):  # what can be reached going forward ...
        limits[i + 1] = min(limits[i + 1], limits[i] + twice * length)
    for i in range(len(segments) - 1, -1, -1):  # ... and braked from going on
        limits[i] = min(limits[i], limits[i + 1] + twice * segments[i][0])
    total = 0.0
    for i, (length, _, _, speed2) in enumerate(segments):
        first2, last2 = limits[i], limits[i + 1]
        top2 = min(speed2, acceleration_mm_s2 * length + (first2 + last2) / 2)
        top = math.sqrt(top2)
        even = max(0.0, length - (2 * top2 - first2 - last2) / twice)
        total += (2 * top - math.sqrt(first2) - math.sqrt(last2)) / acceleration_mm_s2 + even / top
    return total


@functools.lru_cache(maxsize=20_000)
def raster_path_seconds(
    length_mm: float,
    lines: int,
    pitch_mm: float,
    speed_mm_s: float,
    acceleration_mm_s2: float,
    junction_mm: float,
) -> float:
    """Return the time of `lines` lines run there and back, each `length_mm` long with its run-up,
    `pitch_mm` apart, s.
    """
    few = min(lines, 6)

    def of(count: int) -> float:
        ends = (0.0, length_mm)
        points = [
            (x, i * pitch_mm) for i in range(count) for x in (ends if i % 2 == 0 else ends[::-1])
        ]
        speeds = [speed_mm_s] * (2 * count - 1)
        return path_seconds(
            points, speeds, acceleration_mm_s2=acceleration_mm_s2, junction_mm=junction_mm
        )

    if lines <= few:
        return of(lines)
    return of(few) + (lines - few) * (
        of(few) - of(few - 1)
    )  # from the third line on, all lines take the same time
