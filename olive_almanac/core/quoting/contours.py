"""Contours to be burnt: their points, rank and nesting, and where each may be begun."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

__all__ = ["RANKS", "Contour", "begun_at", "depths_of", "face_of", "parents_of", "starts_of"]

Floats = NDArray[np.float64]
RANKS = {"engrave": 0, "mark": 0, "score": 1, "cut": 2}  # what moves or falls comes last
STARTS = 12  # places where a closed contour may be begun
TRIED_AT_ONCE = 1_000  # contours whose holder is sought
TRIED_OFTEN = 8  # times from which on a cut is prepared for it
CORNER_MM, CORNER_SHARE = 2.0, 0.2  # a start keeps so far from a corner, or this share of its edge


@dataclass(frozen=True, eq=False)
class Contour:
    """A line as it is burnt: points [n, 2] mm, a closed one without its first point again; `group`
    names whose task and setting it has; `piece` counts the copy that it belongs to.
    """

    points_mm: Floats
    closed: bool
    group: str
    task: str = "cut"
    piece: int = 0

    @property
    def rank(self) -> int:
        """When it is burnt: engraved first, cut last."""
        return RANKS[self.task]

    @cached_property
    def length_mm(self) -> float:
        """How long the burnt line is, closed contours once round."""
        points = self.points_mm
        steps = _next_of(points) - points if self.closed else points[1:] - points[:-1]
        return float(np.hypot(steps[:, 0], steps[:, 1]).sum())


def face_of(points_mm: Floats) -> Any:
    """Return the face (shapely) that a closed line [n, 2] goes round: all of it where the line
    crosses itself, empty where it goes round nothing.
    """
    import shapely

    if len(points_mm) < 3:
        return shapely.Polygon()
    face = shapely.Polygon(points_mm)
    if face.is_valid:
        return face
    return shapely.make_valid(face, method="structure", keep_collapsed=False)


def parents_of(contours: Sequence[Contour]) -> list[int]:
    """Return for each contour the smallest closed cut that holds its first point, or -1.

    Contours are taken not to cross: findings tell where they do.  The cuts whose box holds the
    point are tried from the smallest on, all contours at once: of thousands one in the other few
    are tried.
    """
    import shapely

    parents = np.full(len(contours), -1)
    closed = np.array(
        [n for n, one in enumerate(contours) if one.closed and len(one.points_mm) > 2 and one.rank],
        np.intp,
    )
    if not len(closed):
        return [-1] * len(contours)
    polygons = shapely.polygons([shapely.linearrings(contours[n].points_mm) for n in closed])
    area = np.zeros(len(contours))
    area[closed] = shapely.area(polygons)
    firsts = np.array([one.points_mm[0] for one in contours])
    tree = shapely.STRtree(polygons)
    for begin in range(0, len(contours), TRIED_AT_ONCE):
        inside, held_by = tree.query(shapely.points(firsts[begin : begin + TRIED_AT_ONCE]))
        often = np.bincount(held_by, minlength=len(polygons)) >= TRIED_OFTEN
        shapely.prepare(polygons[often])
        which = inside + begin
        larger = (area[closed[held_by]] > area[which]) & (closed[held_by] != which)
        which, held_by = which[larger], held_by[larger]
        order = np.lexsort((area[closed[held_by]], which))
        which, held_by = which[order], held_by[order]
        at = np.flatnonzero(np.diff(which, prepend=-1))
        stop = np.append(at[1:], len(which))
        at_once = 1  # of each point, and twice as many each time: thousands may be around it
        while len(at):
            tried = np.minimum(at_once, stop - at)
            before = np.cumsum(tried) - tried
            pairs = np.repeat(at - before, tried) + np.arange(tried.sum())
            x, y = firsts[which[pairs]].T
            holding = pairs[shapely.contains_xy(polygons[held_by[pairs]], x, y)]
            held, smallest = np.unique(which[holding], return_index=True)
            parents[held] = closed[held_by[holding[smallest]]]
            at = at + tried
            left = (parents[which[at - 1]] < 0) & (at < stop)
            at, stop, at_once = at[left], stop[left], 2 * at_once
    return [int(n) for n in parents]


def depths_of(parents: Sequence[int], counts: Sequence[bool] | None = None) -> list[int]:
    """Return how many holders each has, one in the other: all of them, or those that count."""
    depths = [-1] * len(parents)
    for first in range(len(parents)):
        way, n = [], first
        while n >= 0 and depths[n] < 0:
            way.append(n)
            n = parents[n]
        for one in reversed(way):
            holder = parents[one]
            depths[one] = 0
            if holder >= 0:
                depths[one] = depths[holder] + (counts is None or bool(counts[holder]))
    return depths


def starts_of(contour: Contour) -> tuple[Floats, Floats, Floats]:
    """Return where a contour may be entered [k, 2], where it is then left [k, 2], and how far along
    its points each start is, mm, for `begun_at`.

    A closed contour is begun on an edge, never in a corner, and ends where it began; an open line
    at either end.
    """
    points = contour.points_mm
    if not contour.closed:
        ends = points[[0, -1]]
        return ends, ends[::-1], np.array([0.0, 1.0])
    following = _next_of(points)
    lengths = np.hypot(*(following - points).T)
    reach = np.cumsum(lengths)
    wish = (np.arange(STARTS) + 0.5) * (reach[-1] / STARTS)
    edge = np.minimum(np.searchsorted(reach, wish), len(points) - 1)
    before = reach[edge] - lengths[edge]
    off = np.minimum(CORNER_MM, CORNER_SHARE * lengths[edge])
    along = np.minimum(np.maximum(wish, before + off), reach[edge] - off)
    share = (along - before) / np.maximum(lengths[edge], 1e-12)
    places = points[edge] + share[:, None] * (following[edge] - points[edge])
    return places, places, along


def begun_at(contour: Contour, start_mm: float) -> Floats:
    """Return the points [n, 2] in the order in which they are burnt; a closed contour comes back to
    where it began, `start_mm` along it; an open line runs back from 1.
    """
    points = contour.points_mm
    if not contour.closed:
        return points[::-1] if start_mm else points
    following = _next_of(points)
    reach = np.cumsum(np.hypot(*(following - points).T))
    edge = min(int(reach.searchsorted(start_mm)), len(points) - 1)
    here, there = points[edge], following[edge]
    length = max(math.dist(here, there), 1e-12)
    begin = there - (there - here) * ((reach[edge] - start_mm) / length)
    return np.concatenate([begin[None], points[edge + 1 :], points[: edge + 1], begin[None]])


def _next_of(points: Floats) -> Floats:
    """The point that follows each point of a closed line."""
    return np.concatenate([points[1:], points[:1]])
