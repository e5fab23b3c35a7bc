"""Exact pieces of lines: mapped, reversed, and flattened to points within a tolerance."""

from __future__ import annotations

import functools
import math
from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.records.drawing import Arc, ContourPath, Cubic, Piece, Polyline

__all__ = [
    "IDENTITY",
    "Affine",
    "arc_through",
    "chained",
    "ends_of",
    "flat",
    "is_finite",
    "mapped",
    "on",
    "raised",
    "reversed_piece",
    "times",
]

Point = tuple[float, float]
Floats = NDArray[np.float64]
Affine = tuple[float, float, float, float, float, float]  # x' = a x + c y + e, y' = b x + d y + f
IDENTITY: Affine = (1.0, 0.0, 0.0, 1.0, 0.0, 0.0)
FARTHEST_MM = 1e7
MOST_POINTS = 20_000  # of one piece: a curve of kilometres is no drawing


def times(a: Affine, b: Affine) -> Affine:
    """Return the map that does `b` first, then `a`."""
    return (
        a[0] * b[0] + a[2] * b[1],
        a[1] * b[0] + a[3] * b[1],
        a[0] * b[2] + a[2] * b[3],
        a[1] * b[2] + a[3] * b[3],
        a[0] * b[4] + a[2] * b[5] + a[4],
        a[1] * b[4] + a[3] * b[5] + a[5],
    )


def on(m: Affine, p: Point) -> Point:
    """Return where a point goes."""
    return (m[0] * p[0] + m[2] * p[1] + m[4], m[1] * p[0] + m[3] * p[1] + m[5])


def _turned(m: Affine, p: Point) -> Point:
    return (m[0] * p[0] + m[2] * p[1], m[1] * p[0] + m[3] * p[1])


def mapped(piece: Piece, m: Affine) -> Piece:
    """Return a piece after an affine map; arcs stay exact."""
    if isinstance(piece, Polyline):
        return Polyline(tuple(on(m, point) for point in piece.points))
    if isinstance(piece, Cubic):
        return Cubic(*(on(m, point) for point in piece))
    return Arc(on(m, piece.centre), _turned(m, piece.u), _turned(m, piece.v), piece.t0, piece.t1)


def raised(start: Point, control: Point, end: Point) -> Cubic:
    """Return a curve of the second degree as one of the third."""

    def towards(point: Point) -> Point:
        return (
            point[0] + 2 / 3 * (control[0] - point[0]),
            point[1] + 2 / 3 * (control[1] - point[1]),
        )

    return Cubic(start, towards(start), towards(end), end)


def is_finite(piece: Piece) -> bool:
    """Return whether a piece lies within ten kilometres and has no number that is none."""
    values: tuple[float, ...]
    if isinstance(piece, Arc):
        values = (*piece.centre, *piece.u, *piece.v, piece.t0, piece.t1)
    else:
        points = piece.points if isinstance(piece, Polyline) else piece
        values = tuple(value for point in points for value in point)
    return all(abs(value) < FARTHEST_MM for value in values)


def reversed_piece(piece: Piece) -> Piece:
    """Return a piece that runs the other way."""
    if isinstance(piece, Polyline):
        return Polyline(piece.points[::-1])
    if isinstance(piece, Cubic):
        return Cubic(piece.end, piece.second, piece.first, piece.start)
    return Arc(piece.centre, piece.u, piece.v, piece.t1, piece.t0)


def _at(arc: Arc, t: float) -> Point:
    c, s = math.cos(t), math.sin(t)
    return (
        arc.centre[0] + arc.u[0] * c + arc.v[0] * s,
        arc.centre[1] + arc.u[1] * c + arc.v[1] * s,
    )


def ends_of(pieces: tuple[Piece, ...]) -> tuple[Point, Point]:
    """Return where a chain of pieces begins and ends."""
    first, last = pieces[0], pieces[-1]
    return _start_of(first), _start_of(reversed_piece(last))


def _start_of(piece: Piece) -> Point:
    if isinstance(piece, Arc):
        return _at(piece, piece.t0)
    return piece.points[0] if isinstance(piece, Polyline) else piece.start


def arc_through(
    start: Point, radii: Point, turn_deg: float, *, large: bool, sweep: bool, end: Point
) -> Piece | None:
    """Return the elliptical arc between two points as SVG 1.1 appendix F.6.5 finds it; a line where
    a radius is 0, None where the points are one.  Radii that are too small are scaled up (F.6.6).
    """
    rx, ry = abs(radii[0]), abs(radii[1])
    if start == end:
        return None
    if not rx or not ry:
        return Polyline((start, end))
    c, s = math.cos(math.radians(turn_deg)), math.sin(math.radians(turn_deg))
    dx, dy = (start[0] - end[0]) / 2, (start[1] - end[1]) / 2
    x, y = c * dx + s * dy, -s * dx + c * dy
    scale = (x / rx) ** 2 + (y / ry) ** 2
    if scale > 1:
        rx, ry = rx * math.sqrt(scale), ry * math.sqrt(scale)
    below = (rx * y) ** 2 + (ry * x) ** 2
    f = math.sqrt(max(0.0, (rx * ry) ** 2 / below - 1)) if below else 0.0
    if large == sweep:
        f = -f
    cx, cy = f * rx * y / ry, -f * ry * x / rx
    centre = (c * cx - s * cy + (start[0] + end[0]) / 2, s * cx + c * cy + (start[1] + end[1]) / 2)
    t0 = math.atan2((y - cy) / ry, (x - cx) / rx)
    t1 = math.atan2((-y - cy) / ry, (-x - cx) / rx)
    if sweep and t1 < t0:
        t1 += 2 * math.pi
    if not sweep and t1 > t0:
        t1 -= 2 * math.pi
    return Arc(centre, (rx * c, rx * s), (-ry * s, ry * c), t0, t1)


def _points(piece: Piece, tolerance_mm: float) -> Floats:
    if isinstance(piece, Polyline):
        return np.array(piece.points, float)
    if isinstance(piece, Cubic):
        return _cubic_points(np.array(piece, float), tolerance_mm)
    (ux, uy), (vx, vy) = piece.u, piece.v
    u2, v2 = ux * ux + uy * uy, vx * vx + vy * vy
    radius = math.sqrt(0.5 * (u2 + v2 + math.hypot(u2 - v2, 2 * (ux * vx + uy * vy))))
    step = math.pi / 2
    if radius > tolerance_mm:
        step = 2 * math.acos(1 - tolerance_mm / radius)
    count = min(MOST_POINTS, max(1, math.ceil(abs(piece.t1 - piece.t0) / max(step, 1e-3))))
    t = np.linspace(piece.t0, piece.t1, count + 1)[:, None]
    return np.asarray(
        np.array(piece.centre) + np.cos(t) * np.array(piece.u) + np.sin(t) * np.array(piece.v)
    )


def _cubic_points(b: Floats, tolerance_mm: float) -> Floats:
    """Points of a curve: the error of n chords is at most 3/4 of the larger second difference over
    n squared.
    """
    (x0, y0), (x1, y1), (x2, y2), (x3, y3) = b.tolist()
    first = math.hypot(x0 - 2 * x1 + x2, y0 - 2 * y1 + y2)
    second = math.hypot(x1 - 2 * x2 + x3, y1 - 2 * y2 + y3)
    chords = math.ceil(math.sqrt(0.75 * max(first, second) / tolerance_mm))
    return np.asarray(_weights(min(MOST_POINTS, max(1, chords))) @ b)


@functools.lru_cache(maxsize=128)
def _weights(chords: int) -> Floats:
    """How much of each of a curve's four points there is in each end of its chords."""
    t = np.linspace(0, 1, chords + 1)
    s = 1 - t
    return np.stack([s**3, 3 * s * s * t, 3 * s * t * t, t**3], axis=1)


def flat(path: ContourPath, tolerance_mm: float = 0.01) -> Floats:
    """Return the points [n, 2] of a path, mm, none of its chords farther than the tolerance from
    it; a closed path ends where it began.
    """
    return chained(_points(piece, tolerance_mm) for piece in path.pieces)


def chained(parts: Iterable[Floats]) -> Floats:
    """Return runs of points [n, 2] as one, the end of each being the start of the next."""
    found: list[Floats] = []
    for part in parts:
        found.append(part[1:] if found else part)
    return np.concatenate(found) if found else np.zeros((0, 2))
