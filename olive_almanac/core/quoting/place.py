"""Copies of a drawing on the sheets and offcuts of a rack: around clamps, used areas and edges."""

from __future__ import annotations

from collections.abc import Sequence

from olive_almanac.core.placing.room import Room
from olive_almanac.core.records.job import PlacedCopy

__all__ = ["placed_copies"]

Box = tuple[float, float, float, float]


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
    """Places of boxes in one room: each as low, then as far left as it goes."""
    wide, high = size_mm
    taken: list[Box] = list(room.taken)
    found: list[tuple[float, float]] = []
    while len(found) < copies:
        place = _lowest(Room(room.area, tuple(taken)), wide, high)
        if place is None:
            break
        x, y = place
        found.append(place)
        taken.append((x - gap_mm, y - gap_mm, x + wide + gap_mm, y + high + gap_mm))
    return found


def _lowest(room: Room, wide: float, high: float) -> tuple[float, float] | None:
    left, low, right, top = room.area
    xs = sorted({left, *(box[2] for box in room.taken)})
    ys = sorted({low, *(box[3] for box in room.taken)})
    for y in ys:
        if not low - 1e-6 <= y <= top - high + 1e-6:
            continue
        for x in xs:
            if not left - 1e-6 <= x <= right - wide + 1e-6:
                continue
            if room.is_free((x, y, x + wide, y + high)):
                return (round(x, 3), round(y, 3))
    return None
