"""Pieces on the sheets and offcuts of a rack: around clamps, used areas and edges, as boxes in rows
or by their outlines.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Generator, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from olive_almanac.core.placing.room import Room
from olive_almanac.core.quoting.pattern import Pattern
from olive_almanac.core.quoting.strip import Beside, InTurn, Kind, packed
from olive_almanac.core.records.job import PlacedCopy

__all__ = [
    "Item",
    "box_of",
    "items_of",
    "nested",
    "outline_of",
    "placed_in_rows",
    "reach_of",
    "sweep_of",
    "turned_points",
]

Box = tuple[float, float, float, float]
Point = tuple[float, float]
SLACK_MM = 1e-6
WHOLE = -1  # the part of a copy that is the drawing as a whole
SIMPLER_MM = (0.05, 0.1, 0.2, 0.4)  # what outlines may lose of their detail in a strip,
MOST_POINTS = 3000  # the least with which all of them have no more points than this
LEAST_STRIP = 2.0  # how many gaps a strip is long and high at least: it is packed between two
THIN_MM = 0.5  # a piece this thin is grown by as much: the search cannot place a sliver
SPARE_MM = 0.1  # that a piece must have in a strip, which is packed as with rounded corners
SEARCH_S = 5.0  # of the search in the free strips of all sheets; each takes half of what is left
FIRST_S, ALL_S = 5.5, 7.0  # after which the first way, and the second, place nothing any more
GROWN = 1.005  # rounded corners of a grown outline are as much short
HALVES, QUARTERS = (0, 2), (0, 1, 2, 3)
IN_TURN = InTurn()
Search = Generator[tuple[()], None, list[Any]]  # yields nothing while it seeks


@dataclass(frozen=True, eq=False)
class Item:
    """One piece that is to be placed: which part of the drawing, and the quarter turns that it may
    lie in.
    """

    part: int
    pattern: Pattern
    turns: tuple[int, ...]

    def size_mm(self, turn: int) -> Point:
        """Return width and height of what it takes, with the kerf; run-ups go over neighbours."""
        left, low, right, high = self.pattern.body_mm
        size = (right - left, high - low)
        return size[::-1] if turn % 2 else size

    def at(self, sheet: int, place: Point, turn: int) -> PlacedCopy:
        """Return it as placed, with the lower left corner of what it takes there."""
        (left, low, _, _), (reach_left, reach_low, _, _) = (
            self.pattern.body_mm,
            self.pattern.reach_mm,
        )
        before = (left - reach_left, low - reach_low)  # what is engraved is not turned
        x, y = (round(mm - less, 3) for mm, less in zip(place, before, strict=True))
        return PlacedCopy(sheet, x, y, bool(turn % 2), upside=turn > 1, part=self.part)


def turned_points(points: Any, pattern: Pattern, copy: PlacedCopy) -> Any:
    """Return points [n, 2] of a pattern where a copy of it lies, in mm of the sheet; quarter turns
    go to the left.
    """
    left, low, right, high = pattern.reach_mm
    x, y = points[:, 0], points[:, 1]
    ways = ((x - left, y - low), (high - y, x - left), (right - x, high - y), (y - low, right - x))
    return np.column_stack(ways[copy.quarters]) + np.array([copy.x_mm, copy.y_mm])


def box_of(pattern: Pattern, copy: PlacedCopy) -> Box:
    """Return the box that a copy takes of its sheet."""
    return _placed_box(pattern.body_mm, pattern, copy)


def reach_of(pattern: Pattern, copy: PlacedCopy) -> Box:
    """Return the box in which the head moves over a copy, run-ups included."""
    return _placed_box(pattern.reach_mm, pattern, copy)


def _placed_box(box: Box, pattern: Pattern, copy: PlacedCopy) -> Box:
    corners = turned_points(np.array([box[:2], box[2:]]), pattern, copy)
    (left, low), (right, high) = corners.min(axis=0).tolist(), corners.max(axis=0).tolist()
    return (left, low, right, high)


def outline_of(pattern: Pattern, copy: PlacedCopy) -> Any:
    """Return the outline of what a copy takes of its sheet, a polygon in mm of the sheet."""
    import shapely

    points = np.asarray(pattern.shape.exterior.coords)
    return shapely.Polygon(turned_points(points, pattern, copy))


def sweep_of(pattern: Pattern, copy: PlacedCopy) -> Any:
    """Return where the head goes over a copy while it burns, as areas in mm of the sheet."""
    import shapely

    return shapely.transform(pattern.sweep, lambda points: turned_points(points, pattern, copy))


def items_of(
    patterns: Sequence[Pattern], copies: int, *, keeps_grain: bool, apart: bool
) -> list[Item]:
    """Return what is to be placed: each pattern as often as there are copies.  Wood keeps its
    grain, and what is engraved is not turned.
    """

    def turns(pattern: Pattern) -> tuple[int, ...]:
        if pattern.is_engraved:
            return (0,)
        return HALVES if keeps_grain else QUARTERS

    return [
        Item(part if apart else WHOLE, pattern, turns(pattern))
        for _ in range(copies)
        for part, pattern in enumerate(patterns)
    ]


# -- as boxes in rows ------------------------------------------------------------------------------


def placed_in_rows(
    items: Sequence[Item], rooms: Sequence[Room], *, gap_mm: float
) -> tuple[PlacedCopy, ...]:
    """Return where items lie as boxes, as many of them as there is room for.

    Each sheet's room is in mm of the sheet.  Sheets are filled in their order, the tallest first,
    from the lower left, all one way where they fit so, the way in which more of them fit.  Whoever
    asks counts.
    """
    waiting = sorted(items, key=lambda item: -item.size_mm(0)[1])
    found: list[PlacedCopy] = []
    for number, room in enumerate(rooms):
        if not waiting:
            break
        ways = [_Rows(room, gap_mm, turn).fill(waiting) for turn in _turns_of(waiting)]
        best = max(ways, key=lambda rows: len(rows.found))
        found += [waiting[n].at(number, place, turn) for n, place, turn in best.found]
        gone = {n for n, _, _ in best.found}
        waiting = [item for n, item in enumerate(waiting) if n not in gone]
    return tuple(found)


def _turns_of(items: Sequence[Item]) -> tuple[int, ...]:
    return (0, 1) if any(1 in item.turns for item in items) else (0,)


class _Rows:
    """Fills one room with boxes: each as low, then as far left as it goes."""

    def __init__(self, room: Room, gap_mm: float, turn: int) -> None:
        self.room, self.gap, self.turn = room, gap_mm, turn
        self.taken: list[Box] = list(room.taken)
        self.found: list[tuple[int, Point, int]] = []
        self._from: dict[Point, float] = {}  # below this height none of the size fits any more
        self._full: set[Point] = set()

    def fill(self, items: Sequence[Item]) -> _Rows:
        for n, item in enumerate(items):
            ways = [turn for turn in (self.turn, 1 - self.turn) if turn in item.turns]
            for turn in ways:
                place = self._place(item.size_mm(turn))
                if place is not None:
                    self.found.append((n, place, turn))
                    break
        return self

    def _place(self, size: Point) -> Point | None:
        if size in self._full:
            return None
        (wide, high), (left, low, right, top) = size, self.room.area
        y = self._from.get(size, low)
        while y <= top - high + SLACK_MM:
            x = _first_gap(self.taken, (left, right), (y, y + high), wide)
            if x is not None:
                self._from[size] = y
                gap = self.gap
                self.taken.append((x - gap, y - gap, x + wide + gap, y + high + gap))
                return x, y
            above = [box[3] for box in self.taken if box[3] > y + SLACK_MM]
            if not above:
                break
            y = min(above)
        self._full.add(size)
        return None


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


# -- by their outlines -----------------------------------------------------------------------------


def nested(
    items: Sequence[Item], rooms: Sequence[Room], *, gap_mm: float, beside: Beside = IN_TURN
) -> Iterator[tuple[PlacedCopy, ...]]:
    """Yield nothing while it seeks, then where items lie by their outlines: the best of rows,
    outlines in the largest free strip, and outlines among all that is in the way.

    More pieces are better, then fewer sheets, then the larger rest of the last sheet.  What takes
    long is done `beside`.
    """
    yield ()
    ways = [placed_in_rows(items, rooms, gap_mm=gap_mm)]
    began = beside.seconds()
    for left_s, until_s in ((SEARCH_S, FIRST_S), (0.0, ALL_S)):  # of searching in strips, in all
        found: list[PlacedCopy] = []
        waiting = sorted(items, key=lambda item: -item.pattern.shape.area)
        for number, room in enumerate(rooms):
            if not waiting:
                break
            yield ()
            seeker = _Outlines(number, room, gap_mm, beside)
            if left_s > 0:
                since = beside.seconds()
                waiting = yield from seeker.fill_strip(waiting, math.ceil(left_s / 2))
                left_s -= beside.seconds() - since
            waiting = yield from seeker.fill_among(waiting, began + until_s)
            found += seeker.found
        ways.append(tuple(found))
    patterns = {item.part: item.pattern for item in items}
    yield max(ways, key=lambda way: _worth(way, patterns, rooms))


def _worth(
    placed: Sequence[PlacedCopy], patterns: dict[int, Pattern], rooms: Sequence[Room]
) -> tuple[int, int, float]:
    """How good a layout is: pieces, sheets that stay whole, and the largest rest of the last
    sheet, mm2.
    """
    if not placed:
        return (0, 0, 0.0)
    last = max(copy.sheet for copy in placed)
    boxes = [box_of(patterns[copy.part], copy) for copy in placed if copy.sheet == last]
    left, low, right, top = rooms[last].area
    beside = right - max(box[2] for box in boxes)
    above = top - max(box[3] for box in boxes)
    return (len(placed), -last, max(beside * (top - low), above * (right - left)))


class _Outlines:
    """Places outlines in one room."""

    def __init__(self, number: int, room: Room, gap_mm: float, beside: Beside) -> None:
        import shapely

        self.beside = beside
        self.number, self.room, self.gap = number, room, gap_mm
        self.found: list[PlacedCopy] = []
        self.blocked: list[Any] = [shapely.box(*box) for box in room.taken]

    def fill_strip(self, items: list[Item], search_s: int) -> Search:
        """Pack the largest free box of the room, with so long a search; return what found no room
        in it.
        """
        free = self.room.largest()
        if not free:
            return items
        left, low, right, high = free[0]
        size = (right - left, high - low)
        simpler = _simpler_mm(items)
        around = _apart_mm(self.gap, simpler)  # half of it at the strip's sides, pieces too
        if min(size) <= LEAST_STRIP * around:
            return items
        fitting = [item for item in items if self._fits(item, size, around)]
        faces = np.cumsum([item.pattern.shape.area for item in fitting])
        fitting = fitting[: int(faces.searchsorted(size[0] * size[1], side="right"))]  # no more can
        waiting = [item for item in items if item not in fitting]
        placed: set[int] = set()
        how = _How(self.gap, simpler, search_s, self.beside)
        found = yield from _packed(fitting, size, how)
        for item, corner, turn in found:
            wide, tall = item.size_mm(turn)
            beyond = (corner[0] + wide - size[0], corner[1] + tall - size[1])
            if max(beyond) <= SLACK_MM:
                placed.add(id(item))
                self._take(item, item.at(self.number, (left + corner[0], low + corner[1]), turn))
        return [*waiting, *(item for item in fitting if id(item) not in placed)]

    def fill_among(self, items: list[Item], ends: float) -> Search:
        """Place each as near as it goes to the beginning of the room, among all that is taken, as
        long as there is time; return what found no room.
        """
        waiting, full = [], set()
        for item in items:
            key = (item.pattern.shape.wkb, item.turns)
            place = None
            if key not in full and self.beside.seconds() < ends:
                place = yield from self._among(item, lambda: self.beside.seconds() >= ends)
            if place is None:
                full.add(key)
                waiting.append(item)
            else:
                self._take(item, item.at(self.number, place[0], place[1]))
        return waiting

    def _fits(self, item: Item, size: Point, around_mm: float) -> bool:
        sizes = [item.size_mm(turn) for turn in item.turns]
        spare = around_mm + SPARE_MM + (2 * THIN_MM if _is_thin(item) else 0.0)
        return any(w + spare <= size[0] and h + spare <= size[1] for w, h in sizes)

    def _take(self, item: Item, copy: PlacedCopy) -> None:
        self.found.append(copy)
        outline = outline_of(item.pattern, copy)
        self.blocked.append(outline.buffer(self.gap * GROWN))

    def _among(
        self, item: Item, is_late: Callable[[], bool]
    ) -> Generator[tuple[()], None, tuple[Point, int] | None]:
        """Yield nothing while it seeks; return where the item goes and its turn."""
        import shapely

        left, low, right, top = self.room.area
        tree = shapely.STRtree(self.blocked) if self.blocked else None
        bounds = np.array([one.bounds for one in self.blocked]).reshape(-1, 4)
        upright = top - low > right - left
        best: tuple[Point, int] | None = None
        for turn in item.turns:
            wide, high = item.size_mm(turn)
            shape = outline_of(item.pattern, item.at(self.number, (0.0, 0.0), turn))
            xs = _steps(left, right - wide, [*bounds[:, 2], *(bounds[:, 0] - wide)])
            ys = _steps(low, top - high, [*bounds[:, 3], *(bounds[:, 1] - high)])
            steps = (ys, xs) if upright else (xs, ys)
            limit = best[0] if best else None
            place = yield from _first_free(shape, steps, tree, limit, upright, is_late)
            if place is not None:
                best = (place, turn)
        if best is not None and upright:
            return best[0][::-1], best[1]
        return best


def _steps(first: float, last: float, edges: Sequence[float]) -> list[float]:
    """The places along an axis where a piece may touch what is taken; none where it is too long."""
    if last < first - SLACK_MM:
        return []
    return sorted({round(first, 3), *(round(at, 3) for at in edges if first <= at <= last)})


def _first_free(
    shape: Any,
    steps: tuple[Sequence[float], Sequence[float]],
    tree: Any,
    limit: Point | None,
    upright: bool,
    is_late: Callable[[], bool],
) -> Generator[tuple[()], None, Point | None]:
    """Yield nothing while it seeks; return the first place, along and then across, where a shape is
    clear of all, if it comes before a limit.  An upright room is filled from below, another one
    from the left.
    """
    import shapely

    ring = np.asarray(shape.exterior.coords)
    along, across = steps
    if not across:
        return None
    for first in along:
        yield ()
        if is_late() or (limit is not None and first > limit[0]):
            return None
        shifts = np.array([(other, first) if upright else (first, other) for other in across])
        moved = shapely.polygons(ring[None] + shifts[:, None])
        clear = np.ones(len(across), dtype=bool)
        if tree is not None:
            clear[tree.query(moved, predicate="intersects")[0]] = False
        if clear.any():
            place = (first, across[int(clear.argmax())])
            return place if limit is None or place < limit else None
    return None


def _simpler_mm(items: Sequence[Item]) -> float:
    """How much detail outlines lose, so that the search begins soon."""
    shapes = {item.pattern.shape for item in items}
    for simpler in SIMPLER_MM[:-1]:
        points = {one: len(one.simplify(simpler).exterior.coords) for one in shapes}
        if sum(points[item.pattern.shape] for item in items) <= MOST_POINTS:
            return simpler
    return SIMPLER_MM[-1]


def _apart_mm(gap_mm: float, simpler_mm: float) -> float:
    """How far apart simpler outlines are packed, so that the true ones keep their gap."""
    return gap_mm + 2 * simpler_mm


@dataclass(frozen=True)
class _How:
    """How a strip is packed."""

    gap_mm: float
    simpler_mm: float
    search_s: int
    beside: Beside


def _packed(items: Sequence[Item], size_mm: Point, how: _How) -> Search:
    """Pack a box along its longer side: return each item with the lower left corner of its box and
    its turn.  Some may lie beyond the end.
    """
    wide, high = size_mm
    if wide >= high:
        return (yield from _strip(items, high, how, 0))
    found = yield from _strip(items, wide, how, 1)  # upright: a strip lying, turned
    return [
        (item, (wide - y - item.size_mm(turn)[1], x), (turn + 1) % 4)
        for item, (x, y), turn in found
    ]


def _strip(items: Sequence[Item], height_mm: float, how: _How, lies: int) -> Search:
    """Pack a strip of free length: return each item with the lower left corner of its box in the
    strip and its turn there; the strip `lies` by so many quarters.
    """
    alike: dict[tuple[bytes, tuple[int, ...]], list[Item]] = {}
    for item in items:
        alike.setdefault((item.pattern.shape.wkb, item.turns), []).append(item)
    face_mm2 = sum(item.pattern.shape.area for item in items)
    apart_mm = _apart_mm(how.gap_mm, how.simpler_mm)
    if face_mm2 <= height_mm * LEAST_STRIP * apart_mm:
        return []  # the strip that they fill is too short
    kinds = []
    for (_, turns), mine in alike.items():
        shape = mine[0].pattern.shape
        if _is_thin(mine[0]):
            shape = shape.buffer(THIN_MM, quad_segs=2)
        ring = shape.simplify(how.simpler_mm).exterior.coords
        points = tuple((float(x), float(y)) for x, y in ring)
        degrees = tuple(90.0 * ((turn - lies) % 4) for turn in turns)
        kinds.append(Kind(points, len(mine), degrees))
    placed = yield from packed(
        kinds, height_mm=height_mm, apart_mm=apart_mm, search_s=how.search_s, beside=how.beside
    )
    waiting = [iter(mine) for mine in alike.values()]
    found = []
    for one in sorted(placed, key=lambda one: one.translation):
        item = next(waiting[int(one.id)])
        turn = round(one.rotation / 90.0) % 4
        found.append((item, _corner(item, turn, one.translation), turn))
    return found


def _is_thin(item: Item) -> bool:
    return bool(item.pattern.shape.buffer(-THIN_MM / 2).is_empty)


def _corner(item: Item, turn: int, shift: Point) -> Point:
    """The lower left corner of an item's box, where its points are turned about their zero and then
    moved.
    """
    left, low, right, high = item.pattern.body_mm
    c, s = ((1, 0), (0, 1), (-1, 0), (0, -1))[turn]
    corners = [
        (c * x - s * y, s * x + c * y) for x, y in itertools.product((left, right), (low, high))
    ]
    return (min(x for x, _ in corners) + shift[0], min(y for _, y in corners) + shift[1])
