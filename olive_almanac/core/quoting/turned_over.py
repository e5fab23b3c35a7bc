"""Work on both sides of a sheet: which side comes first, where pins go, and how far off the far
corner of the second side may be.  docs/methods.md, section Jobs.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TypeGuard

import numpy as np

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.motion.program import Burn, Strokes, over_mm
from olive_almanac.core.records.job import GroupTask
from olive_almanac.core.records.sides import TwoSides
from olive_almanac.core.records.stock import Sheet
from olive_almanac.core.words import tr

__all__ = [
    "PIN",
    "PIN_EDGE_MM",
    "far_error_mm",
    "is_pin",
    "order_of_sides",
    "over_of",
    "pin_boxes",
    "pin_steps",
    "side_error",
    "taken_of_back",
]

Box = tuple[float, float, float, float]
Point = tuple[float, float]
PLACE_SD_MM, HOLE_SD_MM = 0.05, 0.03  # of a pin in its place, of a hole: common practice, no source
PIN = "pin"
PIN_EDGE_MM = 8.0  # from the edge of a sheet to the middle of a pin
AROUND_PIN_MM = 3.0
PIN_STEP_MM, LEAST_BASE_MM = 2.0, 20.0
CHORDS = 48


def over_of(sides: TwoSides, sheet: Sheet) -> tuple[str, float]:
    """Return about which axis a sheet is turned, and its length across that axis, mm."""
    return (sides.about, sheet.width_mm if sides.about == "y" else sheet.height_mm)


def order_of_sides(tasks: Sequence[GroupTask]) -> tuple[str, ...]:
    """Return the sides in the order in which they are burnt: what cuts comes last, so that no piece
    falls out before it is turned.
    """
    burnt = [one for one in tasks if one.burns]
    used = [side for side in ("front", "back") if any(one.side in (side, "both") for one in burnt)]
    cutting = {one.side for one in burnt if one.task == "cut"}
    if used == ["front", "back"] and cutting == {"front"}:
        return ("back", "front")
    return tuple(used)


def _pin_places(sides: TwoSides, sheet: Sheet, keep_mm: float) -> tuple[Point, Point]:
    """Two places on the axis, as far apart as the sheet has room: they stay where they are when it
    is turned over.  Raises OutOfRange where there are none.
    """
    about, across = over_of(sides, sheet)
    length = sheet.height_mm if about == "y" else sheet.width_mm
    clamps = (*sheet.clamps_mm, *taken_of_back(sides, sheet))
    blocked = [(box, keep_mm) for box in clamps] + [(box, AROUND_PIN_MM) for box in sheet.used_mm]

    def at(along: float) -> Point:
        return (across / 2, along) if about == "y" else (along, across / 2)

    def is_free(along: float) -> bool:
        x, y = at(along)
        return all(
            max(b[0] - x, x - b[2], b[1] - y, y - b[3]) > sides.pin_mm / 2 + around
            for b, around in blocked
        )

    steps = [PIN_EDGE_MM + n * PIN_STEP_MM for n in range(int(length / 2 / PIN_STEP_MM))]
    first = next((one for one in steps if is_free(one)), None)
    last = next((length - one for one in steps if is_free(length - one)), None)
    if first is None or last is None or last - first < LEAST_BASE_MM:
        raise OutOfRange(
            tr("The way between the pins"),
            round((last or 0.0) - (first or 0.0), 1),
            tr(
                "at least {least_base_mm:g} along the middle of the sheet, clear of clamps "
                "and used areas: lay it by a corner, or turn it about the other axis",
                least_base_mm=LEAST_BASE_MM,
            ),
            "mm",
        )
    return at(first), at(last)


def pin_boxes(sides: TwoSides, sheet: Sheet, keep_mm: float) -> tuple[Box, ...]:
    """Return what the pins take of a sheet whose clamps the head keeps so far from."""
    if sides.by != "pins":
        return ()
    r = sides.pin_mm / 2 + AROUND_PIN_MM
    return tuple((x - r, y - r, x + r, y + r) for x, y in _pin_places(sides, sheet, keep_mm))


def taken_of_back(sides: TwoSides, sheet: Sheet) -> tuple[Box, ...]:
    """Return where the clamps of a sheet come to lie on it once it is turned over."""
    return tuple(over_mm(over_of(sides, sheet), box) for box in sheet.clamps_mm)


def pin_steps(
    sides: TwoSides, sheet: Sheet, tasks: Sequence[GroupTask], keep_mm: float
) -> tuple[tuple[Strokes, str], ...]:
    """Return the steps that cut the pin holes, with the group whose setting they take; none where
    no group cuts.
    """
    cut = next((one for one in tasks if one.task == "cut" and one.burns), None)
    if sides.by != "pins" or cut is None or cut.setting is None:
        return ()
    turns = np.linspace(0, 2 * math.pi, CHORDS + 1)
    kerf = cut.kerf_mm or (0.0, 0.0)
    rx, ry = ((sides.pin_mm - lost) / 2 for lost in kerf)
    steps = []
    for x, y in _pin_places(sides, sheet, keep_mm):
        ring = np.round(np.column_stack([x + rx * np.cos(turns), y + ry * np.sin(turns)]), 3)
        path = tuple(map(tuple, ring.tolist()))
        steps.append((Strokes(PIN, (path,), cut.setting), cut.group))
    return tuple(steps)


def is_pin(step: Burn) -> TypeGuard[Strokes]:
    """Whether a step cuts the hole for a pin."""
    return isinstance(step, Strokes) and step.name == PIN


def side_error(
    base_mm: float,
    reach_mm: float,
    off_mm: float = 0.0,
    place_sd_mm: float = PLACE_SD_MM,
    hole_sd_mm: float = HOLE_SD_MM,
) -> tuple[float, float]:
    """Return the standard error of a point of the second side, across and along the line of pins,
    mm: `reach_mm` along it from the first of two pins that are `base_mm` apart, `off_mm` beside it.

    Each pin is off by s = hypot(place, hole) both ways; the sheet shifts by their mean, and turns.
    """
    s, share = math.hypot(place_sd_mm, hole_sd_mm), reach_mm / base_mm
    along = math.hypot(math.sqrt(0.5), math.sqrt(2) * off_mm / base_mm)
    return (s * math.hypot(1 - share, share), s * along)


def far_error_mm(
    sides: TwoSides, sheet: Sheet, areas: Sequence[Box], keep_mm: float = 0.0
) -> float:
    """Return the largest standard error, in length, of what is burnt on the second side, mm."""
    worst = 0.0
    first, base = _held_at(sides, sheet, keep_mm)
    for left, low, right, high in areas:
        for x, y in ((left, low), (right, low), (left, high), (right, high)):
            along, across = (y, x) if sides.about == "y" else (x, y)
            middle = over_of(sides, sheet)[1] / 2
            worst = max(worst, math.hypot(*side_error(base, along - first, across - middle)))
    return worst


def _held_at(sides: TwoSides, sheet: Sheet, keep_mm: float) -> tuple[float, float]:
    """Where along the axis the first of the two places is that hold the sheet, and how far apart
    they are: pins, or the stop along the shorter edge.
    """
    if sides.by == "corner":
        return 0.0, min(sheet.width_mm, sheet.height_mm)
    (ax, ay), (bx, by) = _pin_places(sides, sheet, keep_mm)
    return (ay, by - ay) if sides.about == "y" else (ax, bx - ax)
