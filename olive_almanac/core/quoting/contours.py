"""Contours to be burnt: their points, rank and nesting, and where each may be begun."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

__all__ = ["RANKS", "Contour", "begun_at", "face_of", "parents_of", "starts_of"]

Floats = NDArray[np.float64]
RANKS = {"engrave": 0, "mark": 0, "score": 1, "cut": 2}  # what moves or falls comes last
STARTS = 12  # places where a closed contour may be begun
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

    Contours are taken not to cross: findings tell where they do.
    """
    import shapely

    parents = [-1] * len(contours)
    closed = [
        n for n, one in enumerate(contours) if one.closed and len(one.points_mm) > 2 and one.rank
    ]
    if not closed:
        return parents
    polygons = shapely.polygons([shapely.linearrings(contours[n].points_mm) for n in closed])
    area = np.zeros(len(contours))
    area[closed] = shapely.area(polygons)
    firsts = shapely.points(np.array([one.points_mm[0] for one in contours]))
    inside, holders = shapely.STRtree(polygons).query(firsts, predicate="within")
    for n, holder in zip(inside.tolist(), [closed[k] for k in holders], strict=True):
        smallest = parents[n] < 0 or area[holder] < area[parents[n]]
        if holder != n and area[holder] > area[n] and smallest:
            parents[n] = holder
    return parents


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
