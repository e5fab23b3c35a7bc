"""How a sheet lies on the bed: against a stop, where the head stands, or where it happens to lie,
told by two places that were touched.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.words import tr

__all__ = ["Lie", "Touched", "lie_by_touch"]

Point = tuple[float, float]
LEAST_APART_MM = 5.0
MOST_OFF_MM = 5.0


@dataclass(frozen=True)
class Lie:
    """Where the mm of a sheet are on the bed: turned about their (0, 0), which lies `at_mm`.

    With an `anchor` (a key of ANCHORS) files count from that place of what is burnt.
    """

    at_mm: Point = (0.0, 0.0)
    turn_rad: float = 0.0
    anchor: str = ""


@dataclass(frozen=True)
class Touched:
    """Two places that were touched on the bed, mm; which they are in the drawing, mm: of its first
    copy; without that they are the lower corners of the sheet.
    """

    on_bed_mm: tuple[Point, Point]
    of_drawing_mm: tuple[Point, Point] | None = None


def lie_by_touch(
    places_mm: tuple[Point, Point], touched_mm: tuple[Point, Point]
) -> tuple[Lie, float]:
    """Return how a sheet lies of which two places were touched, and by how much these are further
    apart on the bed than on the sheet, mm: the error is shared between them.

    Raises OutOfRange where they are too near each other to tell a direction, or cannot be those
    two.
    """
    (ax, ay), (bx, by) = places_mm
    (px, py), (qx, qy) = touched_mm
    apart, seen = math.hypot(bx - ax, by - ay), math.hypot(qx - px, qy - py)
    if min(apart, seen) < LEAST_APART_MM:
        needs = tr(
            "at least {least_apart_mm:g}: the further apart, the truer the direction",
            least_apart_mm=LEAST_APART_MM,
        )
        raise OutOfRange(tr("Way between the touched places"), min(apart, seen), needs, "mm")
    if abs(seen - apart) > MOST_OFF_MM:
        needs = tr(
            "within {most_off_mm:g} mm of the {apart:.1f} mm between those places",
            most_off_mm=MOST_OFF_MM,
            apart=apart,
        )
        raise OutOfRange(tr("Way between the touched places"), round(seen, 1), needs, "mm")
    turn = math.atan2(qy - py, qx - px) - math.atan2(by - ay, bx - ax)
    turn = math.remainder(turn, 2 * math.pi)
    c, s = math.cos(turn), math.sin(turn)
    x, y = (ax + bx) / 2, (ay + by) / 2
    at = ((px + qx) / 2 - (c * x - s * y), (py + qy) / 2 - (s * x + c * y))
    return Lie(at, turn), seen - apart
