"""Copies of a drawing on the sheets and offcuts of a rack: around clamps, used areas and edges."""

from __future__ import annotations

from collections.abc import Sequence

from olive_almanac.core.placing.room import Room
from olive_almanac.core.records.job import PlacedCopy

__all__ = ["placed_copies"]

Box = tuple[float, float, float, float]
SLACK_MM = 1e-6


def placed_copies(
    size_mm: tuple[float, float],
    copies: int,
    rooms: Sequence[Room],
    *,
    gap_mm: float,
    may_turn: bool = True,
) -> tuple[PlacedCopy, ...]:
    """Return where copies of a box lie, as many of them as there is room for.

    Each sheet's room is in mm of the sheet.  Sheets are filled in their order, rows from the lower
    left; where turned boxes fit more often, they are turned.  Raises nothing: whoever asks counts.
    """
    found: list[PlacedCopy] = []
    for number, room in enumerate(rooms):
        left = copies - len(found)
        if left <= 0:
            break
        ways = [_filled(size_mm, left, room, gap_mm)]
        if may_turn:
            ways.append(_filled((size_mm[1], size_mm[0]), left, room, gap_mm))
        best = max(range(len(ways)), key=lambda n: (len(ways[n]), -n))
        found += [PlacedCopy(number, x, y, bool(best)) for x, y in ways[best]]
    return tuple(found)


def _filled(
    size_mm: tuple[float, float], copies: int, room: Room, gap_mm: float
) -> list[tuple[float, float]]:
    """Places of boxes in one room: each as low, then as far left as it goes.

    Since all have one size, none fits lower than the one before it.
    """
    wide, high = size_mm
    left, low, right, top = room.area
    taken: list[Box] = list(room.taken)
    found: list[tuple[float, float]] = []
    y = low
    while len(found) < copies and y <= top - high + SLACK_MM:
        x = _first_gap(taken, (left, right), (y, y + high), wide)
        if x is None:
            above = [box[3] for box in taken if box[3] > y + SLACK_MM]
            if not above:
                break
            y = min(above)
            continue
        found.append((round(x, 3), round(y, 3)))
        taken.append((x - gap_mm, y - gap_mm, x + wide + gap_mm, y + high + gap_mm))
    return found


def _first_gap(
    taken: Sequence[Box], across: tuple[float, float], band: tuple[float, float], wide: float
) -> float | None:
    """The leftmost place in a band where a box so wide is clear of what is taken."""
    x = across[0]
    blocked = sorted(
        (box[0], box[2])
        for box in taken
        if box[1] < band[1] - SLACK_MM and band[0] < box[3] - SLACK_MM
    )
    for begin, end in blocked:
        if begin >= x + wide - SLACK_MM:
            break
        x = max(x, end)
    return x if x + wide <= across[1] + SLACK_MM else None
