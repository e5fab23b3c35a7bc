"""Repeats: the places of a jig's blanks, load after load, and the board that holds them."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.quoting.pattern import Pattern
from olive_almanac.core.records.jig import Jig
from olive_almanac.core.records.job import PlacedCopy

__all__ = ["jig_places", "loads_of", "pocket_rings", "turned_in_pockets"]

Floats = NDArray[np.float64]
CHORD = math.radians(6.0)


def loads_of(jig: Jig, copies: int) -> int:
    """Return how often a jig is filled for so many copies."""
    return math.ceil(copies / jig.places)


def jig_places(jig: Jig, pattern: Pattern, copies: int) -> tuple[PlacedCopy, ...]:
    """Return the places of copies in a jig, each in the middle of its blank; a sheet is a load."""
    left, low, right, high = pattern.box_mm
    reach_left, reach_low, _, _ = pattern.reach_mm
    wide, tall = jig.blank_mm
    dx = (wide - (right - left)) / 2 + reach_left - left
    dy = (tall - (high - low)) / 2 + reach_low - low
    every = itertools.product(range(loads_of(jig, copies)), jig.corners_mm())
    return tuple(
        PlacedCopy(load, round(x + dx, 3), round(y + dy, 3))
        for load, (x, y) in itertools.islice(every, copies)
    )


def turned_in_pockets(jig: Jig, placed: Sequence[PlacedCopy], about: str) -> tuple[PlacedCopy, ...]:
    """Return where the copies of a load (the first in the first pocket) are laid out so that, with
    the whole board turned over about Y ("y") or X, each lies in its own pocket again: pockets are
    even about the board's middle.
    """
    (px, py), first = jig.pitch_mm, placed[0]
    found = []
    for copy in placed:
        column, line = round((copy.x_mm - first.x_mm) / px), round((copy.y_mm - first.y_mm) / py)
        x, y = copy.x_mm, copy.y_mm
        if about == "y":
            x += (jig.columns - 1 - 2 * column) * px
        else:
            y += (jig.rows - 1 - 2 * line) * py
        found.append(replace(copy, x_mm=round(x, 3), y_mm=round(y, 3)))
    return tuple(found)


def pocket_rings(jig: Jig) -> tuple[Floats, ...]:
    """Return the rings [n, 2] that are cut for a jig, mm: its pockets, each with its notch, then
    its outline.
    """
    import shapely

    clearance = jig.clearance_mm
    wide, tall = jig.blank_mm
    rings = []
    for x, y in jig.corners_mm():
        pocket = shapely.box(
            x - clearance, y - clearance, x + wide + clearance, y + tall + clearance
        )
        if jig.notch_mm:
            pocket = pocket.union(_notch(jig, x + wide + clearance, y + tall / 2))
        rings.append(shapely.get_coordinates(pocket.exterior)[:-1])
    width, height = jig.size_mm
    rings.append(np.array([(0.0, 0.0), (width, 0.0), (width, height), (0.0, height)]))
    return tuple(rings)


def _notch(jig: Jig, x: float, y: float) -> object:
    """A round place for a finger at the right edge of a pocket; it stays clear of what follows."""
    import shapely

    room = jig.border_mm - 1.0
    if jig.columns > 1:
        gap = jig.pitch_mm[0] - jig.blank_mm[0] - 2 * max(0.0, jig.clearance_mm)
        room = min(room, gap - 1.0)
    out = max(0.5, min(jig.notch_mm, room))
    radius = min(jig.notch_mm, jig.blank_mm[1] / 2)
    turns = np.arange(0, 2 * math.pi, CHORD)
    ring = np.column_stack([x + out * np.cos(turns), y + radius * np.sin(turns)])
    return shapely.Polygon(ring)
