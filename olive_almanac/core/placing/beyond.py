"""What lies beyond the outline of an offcut that is no rectangle, as boxes that cover all of it."""

from __future__ import annotations

import functools
import itertools
from collections.abc import Iterator
from typing import Any

from olive_almanac.core.records.stock import Sheet

__all__ = ["beyond_of"]

Box = tuple[float, float, float, float]
BANDS = 24  # at most so many, from below upwards
SAME_MM = 0.4  # neighbouring bands whose sides differ by less are one
LEVEL_MM, LEVEL_LEAST_MM = 0.5, 8.0  # an edge that is level: it rises less, and is longer


def beyond_of(sheet: Sheet) -> tuple[Box, ...]:
    """Return boxes in mm of the sheet that cover what is not of it within the box around it; none
    where it is a rectangle.
    """
    return _beyond(sheet.outline_mm, sheet.width_mm, sheet.height_mm)


@functools.lru_cache(maxsize=64)
def _beyond(outline: tuple[Any, ...], wide: float, high: float) -> tuple[Box, ...]:
    if not outline:
        return ()
    import shapely

    shape = shapely.Polygon(outline)
    whole = shapely.box(0, 0, wide, high)
    outside = whole.difference(shape if shape.is_valid else shape.buffer(0))
    levels = _levels(outline, high)
    found: list[Box] = []
    for low, top in itertools.pairwise(levels):
        band = outside.intersection(shapely.box(0, low, wide, top))
        for left, right in _spans(band):
            _add(found, (left, low, right, top))
    return tuple((round(a, 3), round(b, 3), round(c, 3), round(d, 3)) for a, b, c, d in found)


def _levels(outline: tuple[Any, ...], high: float) -> list[float]:
    """The heights between which bands lie: where edges are level, and evenly between."""
    level = set()
    for (ax, ay), (bx, by) in zip(outline, (*outline[1:], outline[0]), strict=True):
        if abs(ay - by) <= LEVEL_MM and abs(ax - bx) >= LEVEL_LEAST_MM:
            level |= {min(ay, by), max(ay, by)}
    marks = sorted({0.0, high, *(y for y in level if 0 < y < high)})
    step = high / BANDS
    every = []
    for low, top in itertools.pairwise(marks):
        parts = max(1, round((top - low) / step))
        every += [low + n * (top - low) / parts for n in range(parts)]
    return [*every, high]


def _spans(band: Any) -> Iterator[tuple[float, float]]:
    """From where to where a band is not of the sheet, anywhere in its height."""
    spans = sorted(
        (part.bounds[0], part.bounds[2]) for part in getattr(band, "geoms", [band]) if part.area > 0
    )
    now: tuple[float, float] | None = None
    for left, right in spans:
        if now is not None and left <= now[1] + SAME_MM:
            now = (now[0], max(now[1], right))
            continue
        if now is not None:
            yield now
        now = (left, right)
    if now is not None:
        yield now


def _add(found: list[Box], box: Box) -> None:
    """Add a box; one that goes on upwards between nearly the same sides grows instead."""
    for n, other in enumerate(found):
        level = abs(other[3] - box[1]) < 1e-9
        if level and abs(other[0] - box[0]) < SAME_MM and abs(other[2] - box[2]) < SAME_MM:
            found[n] = (min(other[0], box[0]), other[1], max(other[2], box[2]), box[3])
            return
    found.append(box)
