"""A panel lit from one edge glows evenly where its dots grow with the distance from that edge.

Own model: of the light u that still runs along the panel, a stretch dx whose dots cover the share a
lets k a u dx out.  An even strip of the share a fades as exp(-k a x), which gives k.  The glow is
even where k a u = c: u falls in a straight line, and a = most u(end) / u(x), with
u(end) = 1 / (1 + k most length).  Light that comes back from the far edge is left out.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import ArrayLike, NDArray

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.quoting.contours import face_of
from olive_almanac.core.quoting.paths import flat
from olive_almanac.core.records.drawing import ContourPath, Drawing, Polyline
from olive_almanac.core.records.glow import Glow
from olive_almanac.core.words import tr

__all__ = ["Dots", "covered", "dots_of", "uses_up", "with_dots"]

Floats = NDArray[np.float64]
MOST_DOTS, MOST_OUTLINES = 40_000, 10_000
FLAT_MM = 0.05
SIDES = 20  # of the polygon that stands for a dot
ROW = math.sqrt(3) / 2  # between rows of dots, in pitches
LARGEST = 0.47  # radius of a dot, in pitches: dots never touch


@dataclass(frozen=True)
class Dots:
    """Middles [n, 2] and radii [n] of dots, mm, and which share of the light reaches the far edge
    unused.
    """

    middles_mm: Floats
    radii_mm: Floats
    left_over: float


def uses_up(glow: Glow) -> float:
    """Return k, 1/mm: how quickly dots that covered all would use light up."""
    return -math.log(glow.fell) / (glow.even * glow.even_mm)


def covered(x_mm: ArrayLike, length_mm: float, glow: Glow) -> Floats:
    """Return the share of the face that dots cover at distances from the lit edge."""
    k = uses_up(glow)
    end = 1 / (1 + k * glow.most * length_mm)
    light = 1 - k * glow.most * end * np.asarray(x_mm, float)
    return np.asarray(glow.most * end / light)


def dots_of(drawing: Drawing, glow: Glow, *, as_outlines: bool = False) -> Dots:
    """Return the dots that fill the closed lines of a group.  Raises OutOfRange where there are
    none, or too many, earlier so where their outlines are burnt one by one.
    """
    import shapely

    area = shapely.Polygon()
    for path in drawing.paths:
        if path.group == glow.group and path.closed:
            area = area.symmetric_difference(face_of(flat(path, FLAT_MM)))
    if area.is_empty:
        allowed = tr("one with closed lines")
        raise OutOfRange(tr("Group of the dots"), f"“{glow.group}”", allowed)
    left, low, right, high = area.bounds
    pitch = glow.pitch_mm
    expected = (right - left) * (high - low) / (pitch * pitch * ROW)
    if as_outlines and MOST_OUTLINES < expected <= MOST_DOTS:
        needs = tr(
            "larger: there would be about {expected:,.0f} dots, and at most {most_outlines:,} are "
            "burnt along their outlines: engrave them",
            expected=expected,
            most_outlines=MOST_OUTLINES,
        )
        raise OutOfRange(tr("Pitch of the dots"), pitch, needs, "mm")
    if expected > MOST_DOTS:
        needs = tr(
            "larger: there would be about {expected:,.0f} dots, at most {most_dots:,}",
            expected=expected,
            most_dots=MOST_DOTS,
        )
        raise OutOfRange(tr("Pitch of the dots"), pitch, needs, "mm")
    rows = np.arange(low + pitch / 2, high, ROW * pitch)
    columns = np.arange(left + pitch / 2, right + pitch / 2, pitch)
    x, y = np.meshgrid(columns, rows)
    x = x + np.where(np.arange(len(rows)) % 2, pitch / 2, 0.0)[:, None]
    middles = np.column_stack([x.ravel(), y.ravel()])
    ways = {
        "low": (middles[:, 1] - low, high - low),
        "high": (high - middles[:, 1], high - low),
        "left": (middles[:, 0] - left, right - left),
        "right": (right - middles[:, 0], right - left),
    }
    away, length = ways[glow.lit]
    share = covered(away, length, glow)
    radii = np.minimum(pitch * np.sqrt(share * ROW / math.pi), LARGEST * pitch)
    inside = shapely.contains_xy(area, middles[:, 0], middles[:, 1])
    clear = shapely.distance(shapely.points(middles), area.boundary) >= radii
    keep = inside & clear
    if not keep.any():
        raise OutOfRange(tr("Pitch of the dots"), pitch, tr("small enough for the area"), "mm")
    left_over = 1 / (1 + uses_up(glow) * glow.most * length)
    return Dots(middles[keep], radii[keep], left_over)


def with_dots(drawing: Drawing, glow: Glow, *, as_outlines: bool = False) -> Drawing:
    """Return a drawing in which a group is dots instead.  Raises OutOfRange as `dots_of` does."""
    dots = dots_of(drawing, glow, as_outlines=as_outlines)
    turns = np.linspace(0, 2 * math.pi, SIDES + 1)
    # a polygon of the same area as the circle
    grown = math.sqrt(2 * math.pi / SIDES / math.sin(2 * math.pi / SIDES))
    ring = grown * np.column_stack([np.cos(turns), np.sin(turns)])
    paths = [path for path in drawing.paths if path.group != glow.group]
    for middle, radius in zip(dots.middles_mm, dots.radii_mm, strict=True):
        points = tuple(map(tuple, np.round(middle + radius * ring, 3).tolist()))
        line = Polyline((*points[:-1], points[0]))
        paths.append(ContourPath(glow.group, (line,), closed=True, filled=True))
    return replace(drawing, paths=tuple(paths))
