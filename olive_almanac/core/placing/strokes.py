"""What the beam draws for a cell: strokes of lines, or rows of a raster.

Coupon mm, y up.

The file for the machine, the drawings and the expected time all come from here, so that they cannot
differ.
"""

from __future__ import annotations

import functools
import math
from collections.abc import Iterable

from olive_almanac.core.motion.profile import overscan_length
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.trial import Cell

__all__ = [
    "Polyline",
    "Rows",
    "detail_boxes",
    "line_count",
    "reach_of",
    "rows_of_boxes",
    "run_up_at",
    "run_up_of",
    "strokes_of",
]

Point = tuple[float, float]
Polyline = tuple[Point, ...]
Rows = tuple[
    tuple[float, tuple[Point, ...]], ...
]  # place of each line, and where it is burnt from and to
HOLES = (
    0.06,
    0.10,
    0.15,
    0.20,
)  # diameters of the small holes of a detail cell, as shares of its side
BARS = (0.01, 0.02, 0.03, 0.05, 0.08)  # widths of its bars when it is rastered
LINE_GAP = 0.15  # share of the side left free where the two strokes of a scored cell would meet
MOST_RUN_UP_MM = 40.0


def strokes_of(cell: Cell) -> tuple[Polyline, ...]:
    """Return the strokes of a cell that is burnt in lines, in the order in which they burn; none
    for a fill.
    """
    x, y, w, h = cell.rect_mm
    ring = ((x, y), (x + w, y), (x + w, y + h), (x, y + h), (x, y))
    if cell.mark in ("outline", "comb"):
        return (ring,)
    if cell.mark == "line":
        return _lines(x, y, w, h, cell.setting.direction)
    if cell.mark == "stack":
        return _stack(x, y, w, h, cell.nominal_mm, along_x=cell.setting.direction == "x")
    if cell.mark == "detail" and not cell.setting.pitch_mm:
        return (*_details(x, y, w, h), ring)
    return ()


def _lines(x: float, y: float, w: float, h: float, direction: str) -> tuple[Polyline, ...]:
    if direction == "x":
        return (((x, y + h / 2), (x + w, y + h / 2)),)
    if direction == "y":
        return (((x + w / 2, y), (x + w / 2, y + h)),)
    return ((x + LINE_GAP * w, y), (x + w, y)), ((x, y + LINE_GAP * h), (x, y + h))


def _stack(
    x: float, y: float, w: float, h: float, piece: float, *, along_x: bool
) -> tuple[Polyline, ...]:
    """Cuts between the pieces first, the two long edges last, so that nothing moves before it is
    measured.
    """
    count = round((w if along_x else h) / piece)
    strokes: list[Polyline] = []
    for i in range(count + 1):
        if along_x:
            ends = ((x + i * piece, y), (x + i * piece, y + h))
        else:
            ends = ((x, y + i * piece), (x + w, y + i * piece))
        if i % 2 == 0:
            strokes.append(ends)
        else:
            strokes.append(ends[::-1])
    if along_x:
        edges = (((x, y), (x + w, y)), ((x + w, y + h), (x, y + h)))
    else:
        edges = (((x, y), (x, y + h)), ((x + w, y + h), (x + w, y)))
    return (*strokes, *edges)


def _details(x: float, y: float, w: float, h: float) -> tuple[Polyline, ...]:
    strokes: list[Polyline] = []
    at = x + 0.12 * w
    for share in HOLES:
        radius = share * w / 2
        centre = (at + radius, y + 0.72 * h)
        turns = [2 * math.pi * i / 24 for i in range(25)]
        strokes.append(
            tuple(
                (centre[0] + radius * math.cos(t), centre[1] + radius * math.sin(t)) for t in turns
            )
        )
        at += 2 * radius + 0.1 * w
    points = [
        (0.12, 0.12),
        (0.20, 0.5),
        (0.28, 0.12),
        (0.40, 0.5),
        (0.52, 0.12),
        (0.70, 0.5),
        (0.88, 0.12),
        (0.12, 0.12),
    ]
    strokes.append(tuple((x + a * w, y + b * h) for a, b in points))  # points that get blunter
    return tuple(strokes)


def detail_boxes(cell: Cell) -> tuple[tuple[float, float, float, float], ...]:
    """Return the bars of a rastered detail cell as left, low, right, high: upright below, lying
    above.
    """
    x, y, w, h = cell.rect_mm
    boxes, at = [], 0.08
    for share in BARS:
        boxes.append((x + at * w, y + 0.08 * h, x + (at + share) * w, y + 0.45 * h))
        boxes.append(
            (
                x + 0.08 * w,
                y + (0.47 + at * 0.5) * h,
                x + 0.92 * w,
                y + (0.47 + at * 0.5 + share / 2) * h,
            )
        )
        at += share + 0.14
    return tuple(boxes)


def rows_of_boxes(
    boxes: Iterable[tuple[float, float, float, float]], *, low: float, high: float, pitch_mm: float
) -> Rows:
    """Return raster rows from `low` to `high`, burnt where they cross a box."""
    boxes = tuple(boxes)
    rows = []
    for i in range(line_count(high - low, pitch_mm)):
        at = low + i * pitch_mm
        runs = sorted((b[0], b[2]) for b in boxes if b[1] - 1e-9 <= at <= b[3] + 1e-9)
        rows.append((at, tuple(_joined(runs))))
    return tuple(rows)


def _joined(runs: list[Point]) -> list[Point]:
    joined: list[Point] = []
    for a, b in runs:
        if joined and a <= joined[-1][1] + 1e-6:
            joined[-1] = (joined[-1][0], max(b, joined[-1][1]))
        else:
            joined.append((a, b))
    return joined


def line_count(height_mm: float, pitch_mm: float) -> int:
    """Return how many raster lines lie on a height, both edges included."""
    return math.floor(height_mm / pitch_mm + 1e-9) + 1


def run_up_of(setting: Setting, machine: Machine) -> float:
    """Return the way before and behind a burnt line on which the beam is off and the speed is
    reached, mm.
    """
    return run_up_at(setting.speed_mm_s, machine.acceleration_mm_s2)


@functools.lru_cache(maxsize=4000)
def run_up_at(speed_mm_s: float, acceleration_mm_s2: float) -> float:
    """Return the run-up for a speed, mm, to the next micrometre and at most 40 mm."""
    return min(
        MOST_RUN_UP_MM, math.ceil(1000 * overscan_length(speed_mm_s, acceleration_mm_s2)) / 1000
    )


def reach_of(cell: Cell, machine: Machine) -> tuple[float, float]:
    """Return how far the head goes beyond the cell's box along X and along Y, mm."""
    run_up = run_up_of(cell.setting, machine)
    if cell.mark == "line" or cell.setting.pitch_mm:
        along_x = cell.setting.direction != "y" or cell.setting.crosshatch
        along_y = cell.setting.crosshatch or (
            cell.setting.direction != "x" if cell.mark == "line" else cell.setting.direction == "y"
        )
        return (run_up if along_x else 0.0, run_up if along_y else 0.0)
    return (0.0, 0.0)
