"""A trial as the steps that the machine goes through, and the time of each.

The G-code writer puts these steps into words; the expected time is counted from the same steps, so
that the two cannot part.  The head stands still wherever the beam, the air or the height of the
focus is switched.
"""

from __future__ import annotations

import functools
import itertools
import math
from collections.abc import Iterator
from dataclasses import dataclass, replace

from olive_almanac.core.design.kinds.kind import kind_of
from olive_almanac.core.motion.focus import focus_moves
from olive_almanac.core.motion.path import path_seconds, raster_path_seconds
from olive_almanac.core.motion.profile import run_seconds
from olive_almanac.core.placing.corner import corner_lines
from olive_almanac.core.placing.dots import burnt_runs, flat_dots
from olive_almanac.core.placing.fiducials import fiducial_rows
from olive_almanac.core.placing.labels import MARK_RUN_UP_MM, Lettering
from olive_almanac.core.placing.room import SPARE_MM, Box, Point, route
from olive_almanac.core.placing.strokes import (
    Polyline,
    Rows,
    detail_boxes,
    line_count,
    rows_of_boxes,
    run_up_at,
    run_up_of,
    strokes_of,
)
from olive_almanac.core.records.anchors import ANCHORS
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import Direction, Setting
from olive_almanac.core.records.trial import Cell, Mark, Place, Trial

__all__ = [
    "Burn",
    "Ground",
    "Lines",
    "Raster",
    "Rest",
    "Step",
    "Strokes",
    "anchor_of",
    "burn_area",
    "cell_joules",
    "cell_seconds",
    "ground_of",
    "has_clear_ways",
    "over_mm",
    "over_point",
    "program_of",
    "step_seconds",
    "trial_seconds",
    "way_seconds",
]


@dataclass(frozen=True)
class Strokes:
    """Burnt lines, one after the other, in each pass; `paths` are measured from `at_mm`.

    `run_up_mm` lies before and behind each line with the beam off.
    """

    name: str
    paths: tuple[Polyline, ...]
    setting: Setting
    run_up_mm: float = 0.0
    at_mm: Point = (0.0, 0.0)

    @property
    def start(self) -> Point:
        """Where the head begins, mm of the bed."""
        return _moved(
            led(self.paths[0], self.run_up_mm)[0] if self.run_up_mm else self.paths[0][0],
            self.at_mm,
        )

    @property
    def end(self) -> Point:
        """Where the head ends, mm of the bed."""
        return _moved(
            led(self.paths[-1], self.run_up_mm)[-1] if self.run_up_mm else self.paths[-1][-1],
            self.at_mm,
        )

    def put_at(self, at_mm: Point) -> Strokes:
        """Return the same lines measured from another place; both share their paths."""
        return Strokes(self.name, self.paths, self.setting, self.run_up_mm, at_mm)


@dataclass(frozen=True)
class Raster:
    """A filled box burnt in lines along X or Y, there and back."""

    name: str
    rect_mm: tuple[float, float, float, float]
    setting: Setting
    run_up_mm: float
    along_y: bool = False

    @property
    def lines(self) -> int:
        """How many lines it has."""
        return line_count(
            self.rect_mm[2] if self.along_y else self.rect_mm[3], self.setting.pitch_mm
        )

    @property
    def length_mm(self) -> float:
        """How long a line is, mm, without its run-up."""
        if self.along_y:
            return self.rect_mm[3]
        return self.rect_mm[2]

    @property
    def start(self) -> Point:
        """Where the head begins, mm of the bed."""
        x, y, _, _ = self.rect_mm
        if self.along_y:
            return (x, y - self.run_up_mm)
        return (x - self.run_up_mm, y)

    @property
    def end(self) -> Point:
        """Where the head ends, mm of the bed."""
        x, y, _, _ = self.rect_mm
        across = (self.lines - 1) * self.setting.pitch_mm
        if self.lines % 2:
            along = self.length_mm + self.run_up_mm
        else:
            along = -self.run_up_mm
        if self.along_y:
            return (x + across, y + along)
        return (x + along, y + across)


@dataclass(frozen=True)
class Lines:
    """A raster along X or Y that is burnt only in parts of each line: `rows` holds where each line
    lies across and its parts along, lines reach `from_mm` `to_mm` along; `powers` the power of each
    part where it is not the setting's.
    """

    name: str
    rows: Rows
    from_mm: float
    to_mm: float
    setting: Setting
    run_up_mm: float
    powers: tuple[tuple[float, ...], ...] = ()
    along_y: bool = False

    def place(self, along_mm: float, across_mm: float) -> Point:
        """Return the point that lies so far along a line and across the lines."""
        return (across_mm, along_mm) if self.along_y else (along_mm, across_mm)

    @property
    def start(self) -> Point:
        """Where the head begins, mm of the bed."""
        return self.place(self.from_mm - self.run_up_mm, self.rows[0][0])

    @property
    def end(self) -> Point:
        """Where the head ends, mm of the bed."""
        is_there = len(self.rows) % 2
        along = self.to_mm + self.run_up_mm if is_there else self.from_mm - self.run_up_mm
        return self.place(along, self.rows[-1][0])

    @property
    def box_mm(self) -> Box:
        """The box around its lines, without run-ups."""
        return self._box(0.0)

    @property
    def reach_mm(self) -> Box:
        """The box in which the head moves, run-ups included."""
        return self._box(self.run_up_mm)

    def _box(self, more_mm: float) -> Box:
        low = self.place(self.from_mm - more_mm, self.rows[0][0])
        return (*low, *self.place(self.to_mm + more_mm, self.rows[-1][0]))

    def moved(self, dx_mm: float, dy_mm: float) -> Lines:
        """Return the same lines elsewhere."""
        along, across = (dy_mm, dx_mm) if self.along_y else (dx_mm, dy_mm)
        rows = tuple(
            (round(at + across, 4), tuple((a + along, b + along) for a, b in runs))
            for at, runs in self.rows
        )
        return replace(self, rows=rows, from_mm=self.from_mm + along, to_mm=self.to_mm + along)


@dataclass(frozen=True)
class Rest:
    """A pause with the beam off, s."""

    seconds: float


Burn = Strokes | Raster | Lines
Step = Burn | Rest


@dataclass(frozen=True)
class Ground:
    """What a file is burnt on: where its (0, 0) lies on the bed and how it is turned there, and in
    its own mm the area in which the head stays, the clamps with the head's clearance around them,
    and where the head waits (the area's lower left corner where nothing is said).

    A sheet that lies turned `over` (about "y" or "x", with its length across that axis, mm) keeps
    the mm of its front.
    """

    machine: Machine
    origin_mm: Point
    area: Box
    clamps: tuple[Box, ...] = ()
    moves_focus: bool = False
    turn_rad: float = 0.0
    waits_mm: Point | None = None
    over: tuple[str, float] | None = None

    @property
    def home(self) -> Point:
        """Where the head waits, mm of the bed."""
        return self.waits_mm if self.waits_mm is not None else self.area[:2]

    def on_bed(self, point: Point) -> Point:
        """Return where a point lies on the bed."""
        (x, y), (ox, oy) = point, self.origin_mm
        if self.over is not None:
            x, y = over_point(self.over, (x, y))
        if not self.turn_rad:
            return (ox + x, oy + y)
        c, s = math.cos(self.turn_rad), math.sin(self.turn_rad)
        return (ox + c * x - s * y, oy + s * x + c * y)

    def box_on_bed(self, box: Box) -> Box:
        """Return the upright box around a box that may lie turned on the bed."""
        left, low, right, high = box
        corners = ((left, low), (right, low), (right, high), (left, high))
        xs, ys = zip(*map(self.on_bed, corners), strict=True)
        return (min(xs), min(ys), max(xs), max(ys))

    def travel(self, start: Point, end: Point) -> tuple[Point, ...]:
        """Return the corners to pass between two points with the beam off, then the end: clear of
        every clamp.  Where no way over the area is clear it goes straight, which the check of the
        file refuses.
        """
        if not self.clamps:
            return (end,)
        return route(start, end, self.clamps, within=self.area) or (end,)

    def first_corner(self, start: Point) -> Point:
        """Return where on the bed the head goes first on its way to a burn, from where it waits."""
        return self.on_bed(self.travel(self.home, start)[0])

    def way_home(self, at: Point) -> tuple[Point, ...]:
        """Return the corners to pass from the last burn to where the head waits; none where a clamp
        lies there, or clamps leave no way: then the head stays.
        """
        x, y = self.home
        if any(left < x < right and low < y < high for left, low, right, high in self.clamps):
            return ()
        if not self.clamps:
            return ((x, y),)
        return tuple(route(at, (x, y), self.clamps, within=self.area) or ())


def over_point(over: tuple[str, float], point: Point) -> Point:
    """Return where a point of a sheet comes to lie when the sheet is turned over, and the other way
    round.
    """
    (about, length), (x, y) = over, point
    return (length - x, y) if about == "y" else (x, length - y)


def over_mm(over: tuple[str, float], box: Box) -> Box:
    """Return where a box of a sheet comes to lie when the sheet is turned over."""
    (ax, ay), (bx, by) = over_point(over, box[:2]), over_point(over, box[2:])
    return (min(ax, bx), min(ay, by), max(ax, bx), max(ay, by))


def ground_of(trial: Trial) -> Ground:
    """Return the ground of a trial, in coupon mm."""
    place, area = trial.on_sheet or Place(0.0, 0.0), burn_area(trial)
    zero, waits = (place.x_mm, place.y_mm), None
    if trial.anchor:
        waits = anchor_of(area, trial.anchor)
        zero = (-waits[0], -waits[1])
    clamps = clamps_in_the_way(trial)
    return Ground(trial.machine, zero, area, clamps, moves_focus(trial), waits_mm=waits)


def anchor_of(box: Box, anchor: str) -> Point:
    """Return the point of a box that is named so: a corner, the middle of an edge, the centre."""
    x, y = ANCHORS[anchor]
    left, low, right, high = box
    return (left + x * (right - left), low + y * (high - low))


def _moved(point: Point, by: Point) -> Point:
    return (point[0] + by[0], point[1] + by[1])


def led(path: Polyline, run_up: float) -> Polyline:
    """Return a straight line with its run-up before and behind."""
    if not run_up:
        return path
    (x0, y0), (x1, y1) = path[0], path[-1]
    length = math.dist(path[0], path[-1])
    dx, dy = (x1 - x0) / length * run_up, (y1 - y0) / length * run_up
    return ((x0 - dx, y0 - dy), *path, (x1 + dx, y1 + dy))


def cell_steps(cell: Cell, machine: Machine) -> tuple[Burn, ...]:
    """Return the steps of a cell, all passes of each."""
    return _steps_of(cell, run_up_of(cell.setting, machine))


def _steps_of(cell: Cell, run_up: float) -> tuple[Burn, ...]:
    setting, name = cell.setting, cell.id
    x, y, w, h = cell.rect_mm
    if setting.pitch_mm and cell.mark == "detail":
        return tuple(
            _detail_lines(cell, run_up, along_y=along_y) for along_y in setting.raster_ways
        )
    if setting.pitch_mm and cell.dots:
        rows = burnt_runs(flat_dots(w, h, setting.pitch_mm, cell.dots), (x, y, x + w, y + h))
        return (Lines(name, rows, x, x + w, setting, run_up),)
    if setting.pitch_mm:
        return tuple(
            Raster(name, cell.rect_mm, setting, run_up, along_y=along_y)
            for along_y in setting.raster_ways
        )
    paths = _cell_paths(cell.mark, w, h, setting.direction, cell.nominal_mm)
    return (Strokes(name, paths, setting, run_up if cell.mark == "line" else 0.0, (x, y)),)


@functools.lru_cache(maxsize=4000)
def _cell_paths(
    mark: Mark, width: float, height: float, direction: Direction, nominal: float
) -> tuple[Polyline, ...]:
    pattern = Setting(1.0, 1.0, direction=direction)
    return strokes_of(Cell("cell", 0, 0, mark, (0.0, 0.0, width, height), 0, 0.0, pattern, nominal))


def mark_steps(trial: Trial, lettering: Lettering | None) -> Iterator[Burn]:
    """Yield what is burnt before the cells, coupon mm: fiducials or the corner L, then the
    labels.
    """
    if trial.fiducial_setting is not None:
        for mark in trial.fiducials:
            half, run_up = (
                mark.size_mm / 2,
                min(MARK_RUN_UP_MM, run_up_of(trial.fiducial_setting, trial.machine)),
            )
            left, right = mark.centre_mm[0] - half, mark.centre_mm[0] + half
            yield Lines(
                f"fiducial {mark.id}",
                fiducial_rows(mark),
                left,
                right,
                trial.fiducial_setting,
                run_up,
            )
    if trial.label_setting is not None:
        if not trial.fiducials and not kind_of(trial.kind).spread:
            first, second = corner_lines()
            yield Strokes("corner mark", ((first[0], first[1], second[1]),), trial.label_setting)
        if lettering is not None:
            for label in trial.labels:
                strokes = lettering.strokes(label.text, label.height_mm)
                if strokes:
                    yield Strokes(
                        f"label {label.text}", strokes, trial.label_setting, at_mm=label.at_mm
                    )


def program_of(trial: Trial, lettering: Lettering | None) -> Iterator[tuple[Step, Cell | None]]:
    """Yield the steps of a trial in order, coupon mm, each with the cell it belongs to (None for
    marks and rests).

    First the marks, then the cells in their order with rests between.
    """
    for mark in mark_steps(trial, lettering):
        yield mark, None
    cells = trial.in_order
    for number, cell in enumerate(cells, 1):
        for step in cell_steps(cell, trial.machine):
            yield step, cell
        if trial.rest_s and number < len(cells):
            yield Rest(trial.rest_s), None


def step_seconds(step: Step, machine: Machine) -> float:
    """Return the time of one step from rest to rest, all its passes, without the way to it, s."""
    if isinstance(step, Rest):
        return step.seconds
    setting = step.setting
    refocus = abs(setting.focus_step_mm) * (setting.passes - 1) / machine.focus_speed_mm_s
    limits = (machine.acceleration_mm_s2, machine.junction_mm)
    if isinstance(step, Raster):
        once = raster_path_seconds(
            round(step.length_mm + 2 * step.run_up_mm, 6),
            step.lines,
            setting.pitch_mm,
            setting.speed_mm_s,
            *limits,
        )
        back = run_seconds(
            math.dist(step.start, step.end), machine.max_speed_mm_s, machine.acceleration_mm_s2
        )
        return setting.passes * once + (setting.passes - 1) * back + refocus
    if isinstance(step, Lines):
        width = step.to_mm - step.from_mm + 2 * step.run_up_mm
        pitch = 1.0
        if len(step.rows) > 1:
            pitch = step.rows[1][0] - step.rows[0][0]
        once = raster_path_seconds(
            round(width, 6), len(step.rows), round(pitch, 6), setting.speed_mm_s, *limits
        )
        back = run_seconds(
            math.dist(step.start, step.end), machine.max_speed_mm_s, machine.acceleration_mm_s2
        )
        return setting.passes * once + (setting.passes - 1) * back + refocus
    split = bool(setting.focus_step_mm)
    once = _strokes_seconds(
        step.paths,
        step.run_up_mm,
        setting.speed_mm_s,
        1 if split else setting.passes,
        machine.max_speed_mm_s,
        *limits,
    )
    if not split:
        return once
    back = run_seconds(
        math.dist(step.start, step.end), machine.max_speed_mm_s, machine.acceleration_mm_s2
    )
    return setting.passes * once + (setting.passes - 1) * back + refocus


@functools.lru_cache(maxsize=20_000)
def _strokes_seconds(
    paths: tuple[Polyline, ...],
    run_up: float,
    speed: float,
    passes: int,
    travel: float,
    acceleration: float,
    junction: float,
) -> float:
    points: list[Point] = []
    speeds: list[float] = []
    for _ in range(passes):
        for path in paths:
            whole = led(path, run_up)
            if points:
                speeds.append(travel)
            points += whole
            speeds += [speed] * (len(whole) - 1)
    return path_seconds(points, speeds, acceleration_mm_s2=acceleration, junction_mm=junction)


def cell_seconds(cell: Cell, machine: Machine) -> float:
    """Return the time of a cell from rest to rest, all its passes, s."""
    steps = cell_steps(cell, machine)
    total = sum(step_seconds(step, machine) for step in steps)
    for before, after in itertools.pairwise(steps):
        total += way_seconds(before.end, after.start, machine)
    return total


def cell_joules(cell: Cell, machine: Machine) -> float:
    """Return the energy that the beam sends into a cell over all its passes, J: power times burnt
    length over speed.
    """
    setting = cell.setting
    length = 0.0
    for step in cell_steps(cell, machine):
        if isinstance(step, Strokes):
            length += sum(
                math.dist(a, b) for path in step.paths for a, b in itertools.pairwise(path)
            )
        elif isinstance(step, Raster):
            length += step.lines * step.length_mm
        else:
            length += sum(b - a for _, runs in step.rows for a, b in runs)
    return machine.watts(setting.power) * setting.passes * length / setting.speed_mm_s


def way_seconds(a: Point, b: Point, machine: Machine) -> float:
    """Return the time of a move with the beam off, from rest to rest, s."""
    length = math.dist(a, b)
    if length:
        return run_seconds(length, machine.max_speed_mm_s, machine.acceleration_mm_s2)
    return 0.0


def _detail_lines(cell: Cell, run_up: float, *, along_y: bool) -> Lines:
    """One raster over the bars of a detail cell."""
    setting, boxes = cell.setting, detail_boxes(cell)
    x, y, w, h = cell.rect_mm
    if along_y:
        x, y, w, h = y, x, h, w
        boxes = tuple((low, left, high, right) for left, low, right, high in boxes)
    rows = rows_of_boxes(boxes, low=y, high=y + h, pitch_mm=setting.pitch_mm)
    return Lines(cell.id, rows, x, x + w, setting, run_up, along_y=along_y)


@functools.lru_cache(maxsize=20_000)
def _ends(
    mark: Mark,
    width: float,
    height: float,
    nominal: float,
    speed: float,
    pitch: float,
    direction: Direction,
    crosshatch: bool,
    acceleration: float,
) -> tuple[Point, Point]:
    """Where a cell at (0, 0) starts and ends; cells of one shape and speed share it."""
    setting = Setting(1.0, speed, 1, 0.0, pitch, direction=direction, crosshatch=crosshatch)
    cell = Cell("cell", 0, 0, mark, (0.0, 0.0, width, height), 0, 0.0, setting, nominal)
    steps = _steps_of(cell, run_up_at(speed, acceleration))
    return steps[0].start, steps[-1].end


def clamps_in_the_way(trial: Trial) -> tuple[Box, ...]:
    """Return the clamps with the head's clearance around them, in coupon mm."""
    if trial.sheet is None:
        return ()
    place, keep = trial.on_sheet or Place(0.0, 0.0), trial.machine.head_clearance_mm + SPARE_MM
    return tuple(
        (
            b[0] - keep - place.x_mm,
            b[1] - keep - place.y_mm,
            b[2] + keep - place.x_mm,
            b[3] + keep - place.y_mm,
        )
        for b in trial.sheet.clamps_mm
    )


def burn_area(trial: Trial) -> Box:
    """Return the coupon's box in its own mm."""
    return (0.0, 0.0, trial.coupon.width_mm, trial.coupon.height_mm)


def has_clear_ways(trial: Trial, lettering: Lettering | None) -> bool:
    """Whether the head gets from each burn to the next over the coupon, clear of every clamp."""
    clamps = clamps_in_the_way(trial)
    if not clamps:
        return True
    burns = _burns_of(trial, lettering)
    return all(
        route(before[1], after[0], clamps, within=burn_area(trial))
        for before, after in itertools.pairwise(burns)
    )


def _burns_of(
    trial: Trial, lettering: Lettering | None
) -> list[tuple[Point, Point, float, Setting]]:
    """Where each burn of a file starts and ends, its time, s, and its setting, in their order."""
    machine = trial.machine
    burns = [
        (step.start, step.end, step_seconds(step, machine), step.setting)
        for step in mark_steps(trial, lettering)
    ]
    for cell in trial.in_order:
        (x, y, w, h), s = cell.rect_mm, cell.setting
        shape = (cell.mark, w, h, cell.nominal_mm)
        start, end = _ends(
            *shape, s.speed_mm_s, s.pitch_mm, s.direction, s.crosshatch, machine.acceleration_mm_s2
        )
        burns.append(((x + start[0], y + start[1]), (x + end[0], y + end[1]), cell.seconds, s))
    return burns


def trial_seconds(trial: Trial, lettering: Lettering | None) -> float:
    """Return the time of the whole file, s: from where the head waits and back, everything
    included.

    The cells' own `seconds` are taken as they stand.
    """
    machine, ground = trial.machine, ground_of(trial)
    total, at, focus = trial.rest_s * (len(trial.cells) - 1), ground.home, 0.0
    for start, end, seconds, setting in _burns_of(trial, lettering):
        for corner in ground.travel(at, start):
            total += way_seconds(at, corner, machine)
            at = corner
        if ground.moves_focus:
            total += abs(setting.focus_mm - focus) / machine.focus_speed_mm_s
            focus = setting.focus_mm + setting.focus_step_mm * (setting.passes - 1)
        total += seconds
        at = end
    for corner in ground.way_home(at):
        total += way_seconds(at, corner, machine)
        at = corner
    return total


def moves_focus(trial: Trial) -> bool:
    """True where the file moves the head up and down; a ramp varies the focus by the slope of the
    stock instead.
    """
    return not kind_of(trial.kind).sloped and focus_moves(cell.setting for cell in trial.cells)
