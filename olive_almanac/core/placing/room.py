"""Where a coupon fits on a sheet: inside bed and sheet, clear of clamps, used areas and edges; and
what is short if not.
"""

from __future__ import annotations

import heapq
import itertools
import math
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

from olive_almanac.core.placing.beyond import beyond_of
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.stock import Sheet

__all__ = ["CORNERS", "SPARE_MM", "Room", "free_share", "largest_piece", "room_on", "route"]

Box = tuple[float, float, float, float]  # left, low, right, high, mm on the bed
Point = tuple[float, float]
CORNERS: dict[str, tuple[int, int]] = {
    "lower left": (0, 0),
    "lower right": (1, 0),
    "upper left": (0, 1),
    "upper right": (1, 1),
}
SNAP_MM = 4.0
SPARE_MM = 0.01  # beside a clamp: files round to less than that
EPS = 1e-3  # a micrometre: places are rounded to it


@dataclass(frozen=True)
class Room:
    """A free area with what is in the way in it, boxes in mm on the bed."""

    area: Box
    taken: tuple[Box, ...] = ()

    def is_free(self, box: Box) -> bool:
        """True when a box lies inside the area and touches nothing taken (edges may meet)."""
        return _inside(box, self.area) and not any(_meet(box, other) for other in self.taken)

    def in_corner(self, width_mm: float, height_mm: float, corner: str) -> Point | None:
        """Return the lower left point of the free place nearest a corner of the area, or None."""
        across, up = CORNERS[corner]
        wish = (
            self.area[2] - width_mm if across else self.area[0],
            self.area[3] - height_mm if up else self.area[1],
        )
        return self.nearest(width_mm, height_mm, wish)

    def nearest(self, width_mm: float, height_mm: float, wish: Point) -> Point | None:
        """Return the free place whose lower left corner is nearest to `wish`, or None where there
        is no room.
        """
        left, low, right, high = (
            self.area[0],
            self.area[1],
            self.area[2] - width_mm,
            self.area[3] - height_mm,
        )
        if right < left - EPS or high < low - EPS:
            return None
        held = (min(max(wish[0], left), max(left, right)), min(max(wish[1], low), max(low, high)))
        xs = {
            left,
            right,
            held[0],
            *(b[2] for b in self.taken),
            *(b[0] - width_mm for b in self.taken),
        }
        ys = {
            low,
            high,
            held[1],
            *(b[3] for b in self.taken),
            *(b[1] - height_mm for b in self.taken),
        }
        places = sorted(((x - wish[0]) ** 2 + (y - wish[1]) ** 2, x, y) for x in xs for y in ys)
        for _, x, y in places:
            if self.is_free((x, y, x + width_mm, y + height_mm)):
                return (round(x, 3), round(y, 3))
        return None

    def snapped(self, width_mm: float, height_mm: float, wish: Point) -> Point:
        """Return `wish` drawn to an edge within 4 mm (of the area or of what is taken), else to
        whole millimetres.
        """
        edges_x = [
            self.area[0],
            self.area[2] - width_mm,
            *(b[2] for b in self.taken),
            *(b[0] - width_mm for b in self.taken),
        ]
        edges_y = [
            self.area[1],
            self.area[3] - height_mm,
            *(b[3] for b in self.taken),
            *(b[1] - height_mm for b in self.taken),
        ]

        def drawn(at: float, edges: list[float]) -> float:
            nearest = min(edges, key=lambda edge: abs(edge - at))
            if abs(nearest - at) <= SNAP_MM:
                return nearest
            return float(round(at))

        return (drawn(wish[0], edges_x), drawn(wish[1], edges_y))

    def largest(self) -> tuple[Box, ...]:
        """Return the free boxes that cannot grow any further, the largest first."""
        first, _, last, _ = self.area
        xs = sorted(
            {first, last, *(x for b in self.taken for x in (b[0], b[2]) if first < x < last)}
        )
        before = {x: [b for b in self.taken if abs(b[2] - x) <= EPS] for x in xs}
        behind = {x: [b for b in self.taken if abs(b[0] - x) <= EPS] for x in xs}
        grown = [
            (left, low, right, high)
            for left, right in itertools.combinations(xs, 2)
            if (left == first or before[left]) and (right == last or behind[right])
            for low, high in self._gaps(left, right)
            if (left == first or _beside(before[left], low, high))
            and (right == last or _beside(behind[right], low, high))
        ]
        return tuple(sorted(grown, key=lambda b: -(b[2] - b[0]) * (b[3] - b[1])))

    def _gaps(self, left: float, right: float) -> Iterator[tuple[float, float]]:
        """Where an upright strip is free from bottom to top."""
        low, top = self.area[1], self.area[3]
        for start, end in sorted(
            (b[1], b[3]) for b in self.taken if b[0] < right - EPS and left < b[2] - EPS
        ):
            if min(start, top) - low > EPS:
                yield low, min(start, top)
            low = max(low, end)
        if top - low > EPS:
            yield low, top

    def short_by(self, width_mm: float, height_mm: float) -> float:
        """Return by how much the best free box is too narrow or too low, mm; 0 where it fits."""
        return min(
            (max(0.0, width_mm - (b[2] - b[0]), height_mm - (b[3] - b[1])) for b in self.largest()),
            default=math.inf,
        )


def room_on(
    machine: Machine,
    sheet: Sheet | None = None,
    *,
    at_mm: Point = (0.0, 0.0),
    edge_mm: float = 0.0,
    beyond_mm: Point = (0.0, 0.0),
    off_clamps_mm: Point = (0.0, 0.0),
) -> Room:
    """Return the room on a sheet that lies with its lower left corner at `at_mm` on the bed, or on
    the whole bed.

    `edge_mm` is kept free along the sheet's edges; around a clamp the head's clearance is kept
    free, around a used area 2 mm.  Where the head goes `beyond_mm` what is placed (along X and Y)
    that stays on the bed; clamps are kept `off_clamps_mm` further away.
    """
    (wide, high), (dx, dy) = machine.bed_mm, beyond_mm
    bed = (dx, dy, wide - dx, high - dy)
    if sheet is None:
        return Room(bed)
    x, y = at_mm
    inner = (x + edge_mm, y + edge_mm, x + sheet.width_mm - edge_mm, y + sheet.height_mm - edge_mm)
    area = (
        max(inner[0], bed[0]),
        max(inner[1], bed[1]),
        min(inner[2], bed[2]),
        min(inner[3], bed[3]),
    )
    along, up = (machine.head_clearance_mm + SPARE_MM + more for more in off_clamps_mm)
    taken = [_grown(_moved(b, at_mm), along, up) for b in sheet.clamps_mm]
    taken += [_grown(_moved(b, at_mm), 2.0) for b in sheet.used_mm]
    taken += [_grown(_moved(b, at_mm), edge_mm) for b in beyond_of(sheet)]
    return Room(area, tuple(taken))


def largest_piece(sheet: Sheet, keep_off_mm: float) -> Box | None:
    """Return the largest free box of a sheet, `keep_off_mm` away from its clamps; None where all
    is taken.
    """
    clamps = (_grown(b, keep_off_mm) for b in sheet.clamps_mm)
    taken = (*clamps, *sheet.used_mm, *beyond_of(sheet))
    free = Room((0.0, 0.0, sheet.width_mm, sheet.height_mm), taken).largest()
    return free[0] if free else None


def free_share(sheet: Sheet) -> float:
    """Return the share of a sheet that is neither used nor under a clamp, 0 to 1."""
    boxes = (*sheet.used_mm, *sheet.clamps_mm, *beyond_of(sheet))
    xs = _lines(boxes, 0, sheet.width_mm)
    ys = _lines(boxes, 1, sheet.height_mm)
    free = math.fsum(
        (right - left) * (high - low)
        for left, right in itertools.pairwise(xs)
        for low, high in itertools.pairwise(ys)
        if not any(_meet((left, low, right, high), box) for box in boxes)
    )
    return free / (sheet.width_mm * sheet.height_mm)


def _lines(boxes: Sequence[Box], axis: int, side_mm: float) -> list[float]:
    """Return where boxes begin or end along an axis, between the edges of the sheet."""
    sides = (box[n] for box in boxes for n in (axis, axis + 2))
    return sorted({0.0, side_mm, *(mm for mm in sides if 0 < mm < side_mm)})


def _moved(box: Box, by: Point) -> Box:
    return (box[0] + by[0], box[1] + by[1], box[2] + by[0], box[3] + by[1])


def _grown(box: Box, by: float, up: float | None = None) -> Box:
    up = by if up is None else up
    return (box[0] - by, box[1] - up, box[2] + by, box[3] + up)


def _inside(a: Box, b: Box) -> bool:
    return a[0] >= b[0] - EPS and a[1] >= b[1] - EPS and a[2] <= b[2] + EPS and a[3] <= b[3] + EPS


def _beside(boxes: Iterable[Box], low: float, high: float) -> bool:
    """True when one of the boxes stands between two heights."""
    return any(b[1] < high - EPS and low < b[3] - EPS for b in boxes)


def _meet(a: Box, b: Box) -> bool:
    return a[0] < b[2] - EPS and b[0] < a[2] - EPS and a[1] < b[3] - EPS and b[1] < a[3] - EPS


def _crosses(start: Point, end: Point, box: Box) -> bool:
    """True when the straight way between two points enters the inside of a box."""
    enter, leave = 0.0, 1.0
    for axis in (0, 1):
        step, low, high = end[axis] - start[axis], box[axis] + EPS, box[axis + 2] - EPS
        if step == 0:
            if not low < start[axis] < high:
                return False
            continue
        near, far = sorted(((low - start[axis]) / step, (high - start[axis]) / step))
        enter, leave = max(enter, near), min(leave, far)
    return enter < leave


def route(
    start: Point, end: Point, around: Iterable[Box], *, within: Box | None = None
) -> tuple[Point, ...]:
    """Return the shortest way from start to end that enters none of the boxes: the corners to pass,
    then the end; empty where there is none.

    Shortest path over the corners of the boxes (Dijkstra).
    """
    boxes = tuple(around)
    if not any(_crosses(start, end, box) for box in boxes):
        return (end,)
    nodes: Sequence[Point] = [
        start,
        end,
        *((b[i], b[j]) for b in boxes for i in (0, 2) for j in (1, 3)),
    ]
    if within is not None:
        nodes = [
            start,
            end,
            *(
                p
                for p in nodes[2:]
                if within[0] <= p[0] <= within[2] and within[1] <= p[1] <= within[3]
            ),
        ]
    best = {0: 0.0}
    came: dict[int, int] = {}
    heap = [(0.0, 0)]
    while heap:
        cost, at = heapq.heappop(heap)
        if at == 1:
            break
        for to, point in enumerate(nodes):
            if to == at or any(_crosses(nodes[at], point, box) for box in boxes):
                continue
            total = cost + math.dist(nodes[at], point)
            if total < best.get(to, math.inf) - 1e-9:
                best[to], came[to] = total, at
                heapq.heappush(heap, (total, to))
    if 1 not in came:
        return ()
    way, at = [], 1
    while at != 0:
        way.append(nodes[at])
        at = came[at]
    return tuple(reversed(way))
