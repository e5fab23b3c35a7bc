"""Joints of a drawing against the measured thickness of the lot: slots, notches, fingers, tabs.

Edges about as long as the stock is thick are told by the turns at their two ends: convex and convex
is the end of a tab, concave and concave the bottom of a notch, one of each the depth of a finger; a
rectangular hole with such a width is a slot.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from statistics import NormalDist
from typing import Literal

import numpy as np
from numpy.typing import NDArray

__all__ = [
    "FITS",
    "Fit",
    "Joint",
    "JointAdvice",
    "JointKind",
    "advice_for",
    "fitted_ring",
    "joints_of",
]

Floats = NDArray[np.float64]
JointKind = Literal["slot", "notch", "finger depth", "tab end"]
Fit = Literal["press", "push", "loose"]
# clearance that is wanted between slot and sheet, and below which it jams, mm (common practice, no
# source)
FITS: dict[Fit, tuple[float, float]] = {
    "press": (-0.04, -0.12),
    "push": (0.05, -0.02),
    "loose": (0.20, 0.05),
}
BAND_MM, BAND_SHARE = 0.6, 0.25  # how far a drawn width may lie off the nominal thickness
SQUARE_DEG = 3.0
STRAIGHT_DEG = 0.5
LONGER = 1.5  # a slot is so much longer than wide


@dataclass(frozen=True)
class Joint:
    """A width that is drawn for the thickness of the stock: what it is, where, how wide, and along
    which axis it is measured ("x", "y" or "slanted"); `corners` are the points of its ring that lie
    on the two sides of the width, in the order of the ring.
    """

    kind: JointKind
    at_mm: tuple[float, float]
    drawn_mm: float
    axis: str
    corners: tuple[int, int, int, int] = (0, 0, 0, 0)


@dataclass(frozen=True)
class JointAdvice:
    """How a slot comes out: the clearance now, the chance that it jams, the width that would fit
    and the chance then.
    """

    clearance_mm: float
    jams: float
    draw_mm: float
    jams_then: float


def joints_of(outline: Floats, holes: Sequence[Floats], thickness_mm: float) -> tuple[Joint, ...]:
    """Return the joints of one part; contours are points [n, 2] without the first one again."""
    found = list(_joints_of_ring(_turned(outline, left=True), thickness_mm, is_hole=False))
    for hole in holes:
        found += _joints_of_ring(_turned(hole, left=False), thickness_mm, is_hole=True)
    return tuple(found)


def advice_for(
    drawn_mm: float,
    thickness_mm: float,
    thickness_sd_mm: float,
    *,
    kerf_mm: float,
    kerf_sd_mm: float,
    compensated: bool,
    fit: Fit = "push",
) -> JointAdvice:
    """Return how a slot that is drawn so wide takes a sheet of the measured thickness."""
    wanted, jam = FITS[fit]
    now = drawn_mm + (0.0 if compensated else kerf_mm) - thickness_mm
    spread = math.hypot(thickness_sd_mm, kerf_sd_mm)

    def jams(clearance: float) -> float:
        if not spread:
            return float(clearance < jam)
        return NormalDist(clearance, spread).cdf(jam)

    return JointAdvice(now, jams(now), drawn_mm + wanted - now, jams(wanted))


def fitted_ring(
    ring: Floats,
    thickness_mm: float,
    widths: Mapping[tuple[JointKind, float], float],
    *,
    is_hole: bool,
) -> Floats:
    """Return a contour [n, 2] whose slots and notches have other widths: `widths` says for a kind
    and a width as drawn (to 0.01 mm) which one it becomes.  Both sides move alike.
    """
    ring = _turned(ring, left=not is_hole)
    moved = ring.copy()
    for joint in _joints_of_ring(ring, thickness_mm, is_hole=is_hole):
        wide = widths.get((joint.kind, round(joint.drawn_mm, 2)))
        if wide is None or joint.kind not in ("slot", "notch"):
            continue
        first, near, far, last = joint.corners
        across = (ring[far] - ring[near]) / joint.drawn_mm
        by = 0.5 * (wide - joint.drawn_mm) * across
        for side, way in ((_run(first, near, len(ring)), -by), (_run(far, last, len(ring)), by)):
            moved[side] += way
    return moved


def _run(first: int, last: int, count: int) -> list[int]:
    """The points of a ring from one to another, both included."""
    return [(first + k) % count for k in range((last - first) % count + 1)]


def _turned(ring: Floats, *, left: bool) -> Floats:
    """The ring with the material at its left (an outline) or at its right of it (a hole)."""
    following = np.roll(ring, -1, axis=0)
    area = float((ring[:, 0] * following[:, 1] - ring[:, 1] * following[:, 0]).sum())
    return ring if (area > 0) == left else ring[::-1]


def _angles_deg(a: Floats, b: Floats) -> Floats:
    """The angle from each edge a [n, 2] to the edge b, to the left."""
    cross = a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]
    dot = a[:, 0] * b[:, 0] + a[:, 1] * b[:, 1]
    return np.asarray(np.degrees(np.arctan2(cross, dot)))


def _corners(ring: Floats) -> NDArray[np.intp]:
    """The points of a ring that do not lie on straight runs."""
    after = np.roll(ring, -1, axis=0) - ring
    turns = np.abs(_angles_deg(np.roll(after, 1, axis=0), after))
    return np.flatnonzero(turns > STRAIGHT_DEG)


def _axis(edge: Floats) -> str:
    angle = abs(math.degrees(math.atan2(edge[1], edge[0]))) % 180
    if angle < 2 or angle > 178:
        return "x"
    return "y" if abs(angle - 90) < 2 else "slanted"


def _joints_of_ring(ring: Floats, thickness: float, *, is_hole: bool) -> list[Joint]:
    kept = _corners(ring)
    points = ring[kept]
    count = len(points)
    if count < 4:
        return []

    def around(n: int) -> tuple[int, int, int, int]:
        a, b, c, d = (int(kept[(n + k) % count]) for k in (-1, 0, 1, 2))
        return a, b, c, d

    edges = np.roll(points, -1, axis=0) - points
    length = np.hypot(*edges.T)
    turns = _angles_deg(np.roll(edges, 1, axis=0), edges)
    square = abs(abs(turns) - 90) < SQUARE_DEG
    fits = abs(length - thickness) <= max(BAND_MM, BAND_SHARE * thickness)
    if is_hole and count == 4 and square.all():
        narrow = int(length[:2].argmin())
        if fits[narrow] and length[1 - narrow] > LONGER * length[narrow]:
            x, y = points.mean(0).tolist()
            wide = float(length[narrow])
            return [Joint("slot", (x, y), wide, _axis(edges[narrow]), around(narrow))]
        return []
    found = []
    for n in np.flatnonzero(square & np.roll(square, -1) & fits).tolist():
        after = (n + 1) % count
        beside = (float(length[n - 1]), float(length[after]))
        kind = _kind(turns[n] > 0, turns[after] > 0, beside, thickness)
        if kind == "tab end" and (is_hole or count == 4):
            continue
        if kind is not None:
            x, y = ((points[n] + points[after]) / 2).tolist()
            found.append(Joint(kind, (x, y), float(length[n]), _axis(edges[n]), around(n)))
    return found


def _kind(
    first_convex: bool, second_convex: bool, beside: tuple[float, float], thickness: float
) -> JointKind | None:
    if first_convex != second_convex:
        return "finger depth"
    if first_convex:
        deep = min(beside) > 0.5 * thickness and max(beside) < 30 * thickness
        return "tab end" if deep else None
    return "notch" if min(beside) > 0.8 * thickness else None
