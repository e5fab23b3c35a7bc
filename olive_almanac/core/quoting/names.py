"""Names of a list, one on each copy: in which box of a part, how large, and which need a look.

All names have one size, the largest at which the longest fits its box.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.motion.program import Burn, Lines, Strokes
from olive_almanac.core.placing.labels import SPOTS_PER_LETTER
from olive_almanac.core.quoting.contours import face_of
from olive_almanac.core.quoting.pattern import Pattern, engraved_lines, longest_run_up
from olive_almanac.core.records.job import GroupTask
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.units import number_text
from olive_almanac.core.words import tr

__all__ = ["Box", "Letters", "NamePlan", "free_box", "lettered", "name_steps", "with_room_for"]

Floats = NDArray[np.float64]
Box = tuple[float, float, float, float]
CAPITAL_SHARE = 0.72  # of a box's height: the rest is for what hangs below the line
KEEPS_OFF_MM = 1.0  # from the edges of a part and from what is burnt in it
ROUGH_CELLS = 80  # of the grid that tells where a free box may be, along the longer side
CELLS = 160  # of the grid in which it is sought
WIDTH_A_LETTER, USUAL_LETTERS = 0.9, 8  # of a name that is not known yet
LONGER = 1.25  # a name without which all could be so much larger is told


class Letters(Protocol):
    """Letters of a font: widths at a height of the capitals, lines from (0, 0) to the right and up,
    closed ones for outlines, and which letters it has no shape for.
    """

    is_outline: bool

    def width(self, text: str, height_mm: float) -> float:
        """Return how wide a text is at a height of capitals, both mm."""

    def strokes(self, text: str, height_mm: float) -> tuple[tuple[tuple[float, float], ...], ...]:
        """Return the strokes of a text at a height of capitals, mm from its lower left."""

    def lacking(self, text: str) -> str:
        """Return the letters of a text that this lettering does not have."""


@dataclass(frozen=True)
class NamePlan:
    """The names as they are burnt: the box in mm of the drawing, the height of a capital, the lines
    of each name [n, 2] in mm of the drawing (closed ones for outlines), and what is to be looked at
    by the number of the name.
    """

    box_mm: Box
    height_mm: float
    lines: tuple[tuple[Floats, ...], ...]
    is_outline: bool
    looks: Mapping[int, str] = field(default_factory=dict)
    says: str = ""


def free_box(pattern: Pattern, names: Sequence[str], letters: Letters) -> Box | None:
    """Return the box of a part in which the names come out largest: inside its outline, clear of
    all that is burnt in it; None where there is no room.
    """
    if not pattern.outlines:
        return None
    part = max(map(face_of, pattern.outlines), key=lambda face: face.area)
    room = part.buffer(-KEEPS_OFF_MM)
    if room.is_empty:
        return None
    free = _Free(room, _burnt_in(pattern, part))
    rough = _Grid(room.bounds, ROUGH_CELLS)
    rows, columns = free.among(rough, surely=False).nonzero()
    if not len(rows):
        return None
    grid = _Grid(rough.around(rows, columns), CELLS)
    longest = max((letters.width(name, 1.0) for name in names if name), default=0.0)
    longest = longest or WIDTH_A_LETTER * USUAL_LETTERS
    found = _best_box(free.among(grid), grid.step, longest)
    if found is None:
        return None
    column, row, wide, tall = found
    return grid.box_of(column, row, wide, tall)


def _burnt_in(pattern: Pattern, part: Any) -> list[tuple[Floats, Any]]:
    """The lines [n, 2] of a pattern, a closed one with its first point again, and their faces; but
    not the outline of the part itself.
    """
    lines = [(one.points_mm, one.closed) for one in pattern.contours]
    lines += [(area, True) for _, area in pattern.areas]
    found = []
    for points, closed in lines:
        face = face_of(points) if closed else None
        if face is None or not face.equals(part):
            found.append((_closed(points) if closed else points, face))
    return found


class _Grid:
    """Square cells over a box, numbered from its lower left corner."""

    def __init__(self, box: Box, cells: int) -> None:
        self.left, self.low, self.right, self.high = box
        self.step = max(self.right - self.left, self.high - self.low) / cells
        xs = np.arange(self.left, self.right - self.step / 2, self.step)
        ys = np.arange(self.low, self.high - self.step / 2, self.step)
        self.xs, self.ys = np.meshgrid(xs, ys)

    def box_of(self, column: int, row: int, wide: int, tall: int) -> Box:
        """Return the box of some columns and rows, mm."""
        x, y = self.left + column * self.step, self.low + row * self.step
        return (x, y, x + wide * self.step, y + tall * self.step)

    def around(self, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> Box:
        """Return the box around some cells, and one cell more to each side, mm."""
        column, row = int(columns.min()), int(rows.min())
        wide, tall = int(columns.max()) - column + 3, int(rows.max()) - row + 3
        left, low, right, high = self.box_of(column - 1, row - 1, wide, tall)
        return (
            max(left, self.left),
            max(low, self.low),
            min(right, self.right),
            min(high, self.high),
        )


class _Free:
    """Where a part is clear of all that is burnt in it."""

    def __init__(self, room: Any, burnt: Sequence[tuple[Floats, Any]]) -> None:
        import shapely

        self.room = room
        faces = [face for _, face in burnt if face is not None and not face.is_empty]
        self.faces = np.array(faces, dtype=object)
        self.lines = shapely.MultiLineString([line for line, _ in burnt])
        shapely.prepare([self.room, self.lines])

    def among(self, grid: _Grid, *, surely: bool = True) -> NDArray[np.bool_]:
        """Return which cells [rows, columns] of a grid are free, or may be."""
        import shapely

        half = grid.step / 2
        middles = shapely.points(grid.xs + half, grid.ys + half)
        squares = shapely.box(grid.xs, grid.ys, grid.xs + grid.step, grid.ys + grid.step)
        free: NDArray[np.bool_] = shapely.covers(self.room, squares)
        asked = np.flatnonzero(free)
        _, taken = shapely.STRtree(middles.flat[asked]).query(self.faces, predicate="contains")
        free.flat[asked[taken]] = False
        free[free] = ~shapely.dwithin(self.lines, middles[free], KEEPS_OFF_MM + half)
        if surely:  # a middle tells most: its cell is a half to 0.71 of a step nearer
            asked = np.flatnonzero(free)
            corners_off = KEEPS_OFF_MM + math.sqrt(2) * half
            asked = asked[shapely.dwithin(self.lines, middles.flat[asked], corners_off)]
            near = shapely.dwithin(self.lines, squares.flat[asked], KEEPS_OFF_MM)
            free.flat[asked[near]] = False
        return free


def _best_box(
    inside: NDArray[np.bool_], step: float, longest: float
) -> tuple[int, int, int, int] | None:
    """The box of free cells in which letters come out highest: column, row, columns, rows; the
    widest of those that are as good.
    """
    rows, columns = inside.shape
    heights = np.zeros(columns, dtype=int)
    best: tuple[float, int] = (0.0, 0)
    found = None
    for row in range(rows):
        heights = np.where(inside[row], heights + 1, 0)
        open_bars: list[tuple[int, int]] = []  # where a bar begins, and how high it is
        for column, height in enumerate([*heights.tolist(), 0]):
            begin = column
            while open_bars and open_bars[-1][1] > height:
                begin, tall = open_bars.pop()
                wide = column - begin
                size = min(CAPITAL_SHARE * tall * step, wide * step / longest)
                if (size, wide) > best:
                    best = (size, wide)
                    found = (begin, row - tall + 1, wide, tall)
            if height and (not open_bars or open_bars[-1][1] < height):
                open_bars.append((begin, height))
    return found


def lettered(names: Sequence[str], box: Box, letters: Letters, *, spot_mm: float) -> NamePlan:
    """Return the names in their box, all of one size, each in its middle."""
    wide, high = box[2] - box[0], box[3] - box[1]
    widths = [letters.width(name, 1.0) for name in names]
    longest = max(widths, default=0.0)
    height = min(CAPITAL_SHARE * high, wide / longest if longest else CAPITAL_SHARE * high)
    height = math.floor(100 * height) / 100
    lines = []
    for name, width in zip(names, widths, strict=True):
        shift = np.array([_middle(box, 0, width * height), _middle(box, 1, height)])
        lines.append(tuple(np.array(line) + shift for line in letters.strokes(name, height)))
    least = SPOTS_PER_LETTER * spot_mm
    says = ""
    if names and height < least:
        says = tr(
            "Letters of {height} mm fill up: a spot of {spot_mm} mm needs {least} mm. "
            "Shorten the names or give them more room.",
            height=number_text(height, 2),
            spot_mm=number_text(spot_mm, 2),
            least=number_text(least, 2),
        )
    looks = _looks(names, widths, letters, CAPITAL_SHARE * high, wide)
    return NamePlan(box, height, tuple(lines), letters.is_outline, looks, says)


def name_steps(
    plan: NamePlan, task: GroupTask, machine: Machine
) -> tuple[tuple[tuple[Burn, str], ...], ...]:
    """Return for each name the steps in which it is burnt, in mm of the drawing: outlines line by
    line where the task has a line pitch (all names on the same lines), else along their lines.
    """
    assert task.setting is not None
    setting = task.setting
    found: list[tuple[tuple[Burn, str], ...]] = []
    for lines in plan.lines:
        if plan.is_outline and setting.pitch_mm:
            steps: list[Burn] = []
            if lines:
                steps += engraved_lines(lines, task, machine, one_grid=True)
        else:
            closed = [_closed(line) if plan.is_outline else line for line in lines]
            steps = [Strokes(task.group, (_pairs(line),), setting) for line in closed]
        found.append(tuple((step, task.group) for step in steps))
    return tuple(found)


def with_room_for(pattern: Pattern, steps: Sequence[Sequence[tuple[Burn, str]]]) -> Pattern:
    """Return a pattern that takes what is lettered on it into its room and into its reach."""
    boxes, rasters, run_ups = [], [], []
    for step in (step for name in steps for step, _ in name):
        if isinstance(step, Lines):
            rasters.append(step.box_mm)
            run_ups.append(step.reach_mm)
        elif isinstance(step, Strokes):
            xs, ys = zip(*step.paths[0], strict=True)
            boxes.append((min(xs), min(ys), max(xs), max(ys)))
    if not boxes and not rasters:
        return pattern
    longest = longest_run_up(step for name in steps for step, _ in name)
    both = zip(pattern.run_up_mm, longest, strict=True)
    along, up = (max(pair) for pair in both)
    return replace(
        pattern,
        run_up_mm=(along, up),
        reach_mm=_around([pattern.reach_mm, *boxes, *run_ups]),
        body_mm=_around([pattern.body_mm, *boxes, *rasters]),
        also_mm=(_around(rasters),) if rasters else (),
    )


def _around(boxes: Sequence[Sequence[float]]) -> Box:
    left, low, right, high = zip(*boxes, strict=True)
    return (min(left), min(low), max(right), max(high))


def _closed(line: Floats) -> Floats:
    return np.concatenate([line, line[:1]])


def _pairs(line: Floats) -> tuple[tuple[float, float], ...]:
    return tuple((round(x, 3), round(y, 3)) for x, y in line.tolist())


def _middle(box: Box, axis: int, size: float) -> float:
    """Where something of a size begins in the middle of a box."""
    return (box[axis] + box[axis + 2] - size) / 2


def _looks(
    names: Sequence[str], widths: Sequence[float], letters: Letters, most: float, wide: float
) -> dict[int, str]:
    """What is odd with which name."""
    looks: dict[int, str] = {}
    often = Counter(name.casefold() for name in names)
    for n, name in enumerate(names):
        lacking = letters.lacking(name)
        if not name:
            looks[n] = tr("empty: its copy stays bare")
        elif lacking:
            looks[n] = tr("without {lacking}: these letters have no such sign", lacking=lacking)
        elif often[name.casefold()] > 1:
            looks[n] = tr("stands {often} times in the list", often=often[name.casefold()])
    order = sorted(range(len(names)), key=lambda n: -widths[n])
    if len(order) > 1:
        first, second = (min(most, wide / max(widths[n], 1e-9)) for n in order[:2])
        if second > LONGER * first:
            gain = round(100 * (second / first - 1))
            looks[order[0]] = tr(
                "so long that all are smaller: without it {gain} % larger", gain=gain
            )
    return looks
