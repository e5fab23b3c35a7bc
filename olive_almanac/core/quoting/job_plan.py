"""A job as the steps that the machine goes through: contours in order, their beam paths, engraved
areas, sheet by sheet, with the time of each.

The G-code writer puts these steps into words; the time is counted from the same steps.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.motion.program import (
    Burn,
    Ground,
    Lines,
    Strokes,
    step_seconds,
    way_seconds,
)
from olive_almanac.core.placing.room import SPARE_MM, Room, room_on
from olive_almanac.core.placing.strokes import run_up_of
from olive_almanac.core.quoting.contours import RANKS, Contour, begun_at, parents_of
from olive_almanac.core.quoting.kerf import beam_paths, eaten_of
from olive_almanac.core.quoting.order import order_of
from olive_almanac.core.quoting.paths import flat
from olive_almanac.core.quoting.place import placed_copies
from olive_almanac.core.records.drawing import Drawing
from olive_almanac.core.records.job import GroupTask, Origin, PlacedCopy, group_words
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.stock import Sheet, Stock
from olive_almanac.core.units import lengths_text, number_text

__all__ = [
    "GroupWork",
    "JobPlan",
    "Part",
    "Pattern",
    "SheetRun",
    "pattern_of",
    "placed_points",
    "plan_job",
]

Floats = NDArray[np.float64]
Box = tuple[float, float, float, float]
Point = tuple[float, float]
FINEST_MM, COARSEST_MM = 0.005, 0.05  # how far points may lie off the drawing
USED_MARGIN_MM = 2.001  # what is kept free around a used area
CLOSING_MM = 0.2  # a cut runs on past its start by this or half a spot, so that no hook is left


@dataclass(frozen=True)
class GroupWork:
    """What one group comes to in one copy: its contours and the length that is burnt, mm."""

    task: GroupTask
    contours: int
    length_mm: float


@dataclass(frozen=True, eq=False)
class Part:
    """One piece as drawn: its outline, its holes, and the group of its outline."""

    group: str
    outline: Floats
    holes: tuple[Floats, ...]


@dataclass(frozen=True, eq=False)
class Pattern:
    """One copy as it is burnt, in its own mm: steps in order with the group each belongs to, the
    box of its parts, the contours as drawn, and what should be known.
    """

    steps: tuple[tuple[Burn, str], ...]
    box_mm: Box
    reach_mm: Box  # with run-ups and kerf
    contours: tuple[Contour, ...]  # as drawn, in the order in which they are burnt
    outlines: tuple[Floats, ...]  # the pieces that fall out: outermost cuts
    beams: tuple[tuple[str, Floats, bool], ...]  # where the beam goes: group, points, closed
    areas: tuple[tuple[str, Floats], ...]  # what is engraved, an area in an area being a hole
    work: tuple[GroupWork, ...]
    remarks: tuple[str, ...] = ()
    parts: tuple[Part, ...] = ()

    @property
    def size_mm(self) -> Point:
        left, low, right, high = self.box_mm
        return (right - left, high - low)

    @property
    def cut_mm(self) -> float:
        """The length that is cut, one pass."""
        return sum(one.length_mm for one in self.work if one.task.task == "cut")

    @property
    def pieces_mm(self) -> tuple[float, ...]:
        """How much is cut for each piece that falls out: its outline and what lies in it."""
        import shapely

        if not self.outlines:
            return ()
        polygons = [shapely.Polygon(outline) for outline in self.outlines]
        cuts = [one for one in self.contours if one.task == "cut"]
        lengths = [0.0] * len(polygons)
        tree = shapely.STRtree(polygons)
        for one in cuts:
            here = tree.query(shapely.Point(one.points_mm[0]), predicate="intersects")
            if len(here):
                lengths[int(here[0])] += one.length_mm
        return tuple(lengths)


@dataclass(frozen=True)
class SheetRun:
    """What is burnt on one sheet: its ground, the steps in the sheet's mm with the group of each,
    the time, s, of which the beam is off for `travel_s`, and the areas that are used then.
    """

    sheet: int
    placed: tuple[PlacedCopy, ...]
    ground: Ground
    steps: tuple[tuple[Burn, str], ...]
    seconds: float
    travel_s: float
    used_mm: tuple[Box, ...]


@dataclass(frozen=True)
class JobPlan:
    """A job laid out: the runs, one a sheet, and how many copies found no room."""

    pattern: Pattern
    runs: tuple[SheetRun, ...]
    without_room: int
    remarks: tuple[str, ...] = ()

    @property
    def seconds(self) -> float:
        return sum(run.seconds for run in self.runs)

    @property
    def travel_s(self) -> float:
        return sum(run.travel_s for run in self.runs)

    @property
    def copies(self) -> int:
        return sum(len(run.placed) for run in self.runs)


# -- one copy --------------------------------------------------------------------------------------


def pattern_of(
    drawing: Drawing,
    tasks: Sequence[GroupTask],
    machine: Machine,
    *,
    rounds: int = 1,
    effort: float = 1.0,
) -> Pattern:
    """Return one copy of a drawing as it is burnt.

    Raises OutOfRange where nothing is to be burnt.
    """
    task_of = {one.group: one for one in tasks if one.burns}
    contours, filled = _contours(drawing, task_of, machine)
    if not contours and not filled:
        raise OutOfRange("What is burnt", "nothing", "at least one group with a task and a setting")
    parents = parents_of(contours)
    tour = order_of(
        contours,
        speed_mm_s=machine.max_speed_mm_s,
        acceleration_mm_s2=machine.acceleration_mm_s2,
        rounds=rounds,
        effort=effort,
    )
    steps: list[tuple[Burn, str]] = [
        (step, group)
        for group, areas in filled.items()
        for step in _engraved(areas, task_of[group], machine)
    ]
    beams, remarks = _beams(contours, parents, task_of)
    for n, start in zip(tour.order, tour.starts, strict=True):
        contour = contours[n]
        for ring in beams[n]:
            steps.append((_strokes(contour, ring, start, task_of, machine), contour.group))
    steps.sort(key=lambda step: RANKS[task_of[step[1]].task])
    shown = tuple(contours[n] for n in tour.order)
    areas = tuple((group, area) for group, mine in filled.items() for area in mine)
    lines = tuple(
        (contours[n].group, ring, contours[n].closed) for n in tour.order for ring in beams[n]
    )
    outer = [n for n in range(len(contours)) if contours[n].rank == 2 and contours[n].closed]
    outlines = tuple(contours[n].points_mm for n in outer if not _depth(n, parents, contours) % 2)
    box = _box_of([*(one.points_mm for one in contours), *(area for _, area in areas)])
    work = tuple(_work(one, contours, filled) for one in tasks if one.burns)
    return Pattern(
        tuple(steps),
        box,
        _reach(steps, box),
        shown,
        outlines,
        lines,
        areas,
        work,
        tuple(remarks),
        _parts(contours, parents),
    )


def _contours(
    drawing: Drawing, task_of: dict[str, GroupTask], machine: Machine
) -> tuple[list[Contour], dict[str, list[Floats]]]:
    """The lines of the groups that are burnt, and the areas that are engraved, by group."""
    tolerance = min(max(machine.junction_mm, FINEST_MM), COARSEST_MM)
    contours: list[Contour] = []
    filled: dict[str, list[Floats]] = {}
    for path in drawing.paths:
        task = task_of.get(path.group)
        if task is None or task.setting is None:
            continue
        points = _distinct(flat(path, tolerance), closed=path.closed)
        if len(points) < 2:
            continue
        if task.setting.pitch_mm and (path.closed or path.filled) and len(points) > 2:
            filled.setdefault(path.group, []).append(points)
        else:
            closed = path.closed and len(points) > 2
            contours.append(Contour(points, closed, path.group, task.task))
    return contours, filled


def _distinct(points: Floats, *, closed: bool) -> Floats:
    """Points without repeats; a closed contour without its first one again."""
    if len(points) < 2:
        return points
    apart = np.hypot(*np.diff(points, axis=0).T)
    kept = points[np.concatenate([[True], apart > 1e-6])]
    if closed and len(kept) > 2 and math.dist(kept[0], kept[-1]) < 1e-6:
        kept = kept[:-1]
    return np.asarray(kept)


def _depth(n: int, parents: Sequence[int], contours: Sequence[Contour]) -> int:
    """In how many closed cuts a contour lies."""
    depth = 0
    while parents[n] >= 0:
        n = parents[n]
        depth += contours[n].rank == 2
    return depth


def _parts(contours: Sequence[Contour], parents: Sequence[int]) -> tuple[Part, ...]:
    """The pieces that fall out, each with the holes that are cut into it."""
    cuts = [n for n, one in enumerate(contours) if one.rank == 2 and one.closed]
    within = _within(cuts, parents, contours)
    return tuple(
        Part(
            contours[n].group,
            contours[n].points_mm,
            tuple(contours[k].points_mm for k in within.get(n, ())),
        )
        for n in cuts
        if not _depth(n, parents, contours) % 2
    )


def _within(
    cuts: Sequence[int], parents: Sequence[int], contours: Sequence[Contour]
) -> dict[int, list[int]]:
    """For each closed cut those of the cuts that lie directly in it."""
    found: dict[int, list[int]] = {}
    for n in cuts:
        found.setdefault(_holder(n, parents, contours), []).append(n)
    return found


def _holder(n: int, parents: Sequence[int], contours: Sequence[Contour]) -> int:
    """The closed cut in which a contour lies, or -1."""
    n = parents[n]
    while n >= 0 and contours[n].rank != 2:
        n = parents[n]
    return n


def _beams(
    contours: Sequence[Contour], parents: Sequence[int], task_of: dict[str, GroupTask]
) -> tuple[list[list[Floats]], list[str]]:
    """The beam's path or paths for each contour, and what the kerf eats."""
    beams: list[list[Floats]] = [[one.points_mm] for one in contours]
    remarks: list[str] = []
    for group, task in task_of.items():
        kerf = task.kerf_mm or (0.0, 0.0)
        mine = [
            n
            for n, one in enumerate(contours)
            if one.group == group and one.closed and task.task == "cut"
        ]
        if not mine:
            continue
        if not all(kerf):
            remarks.append(
                f"{group_words(group)}: no kerf is known, so parts come out smaller by it."
            )
            continue
        holes = [bool(_depth(n, parents, contours) % 2) for n in mine]
        for n, paths in zip(
            mine, beam_paths([contours[n].points_mm for n in mine], holes, kerf), strict=True
        ):
            beams[n] = paths
        remarks += _eaten(contours, parents, mine, kerf)
    return beams, remarks


def _eaten(
    contours: Sequence[Contour], parents: Sequence[int], mine: Sequence[int], kerf: Point
) -> Iterator[str]:
    words = {
        "hole": "hole smaller than the kerf, left out",
        "web": "web thinner than two kerfs: it may burn away",
        "notch": "notch narrower than the kerf: it comes out as wide as the kerf",
    }
    within = _within(mine, parents, contours)
    for n in mine:
        if _depth(n, parents, contours) % 2:
            continue
        holes = [contours[k].points_mm for k in within.get(n, ())]
        for found in eaten_of(contours[n].points_mm, holes, kerf):
            x, y = found.at_mm
            yield (
                f"A {words[found.kind]}, {number_text(found.width_mm, 2)} mm at "
                f"{number_text(x, 4)}, {number_text(y, 4)}."
            )


def _strokes(
    contour: Contour, ring: Floats, start_mm: float, task_of: dict[str, GroupTask], machine: Machine
) -> Strokes:
    """One contour as it is burnt: begun on an edge; a cut runs on past its start."""
    setting = task_of[contour.group].setting
    assert setting is not None
    beam = replace(contour, points_mm=ring)
    if contour.closed:
        start_mm = min(start_mm * beam.length_mm / max(contour.length_mm, 1e-9), beam.length_mm)
    points = begun_at(beam, start_mm)
    if contour.closed and contour.rank == 2 and not setting.focus_step_mm:
        over_mm = max(CLOSING_MM, 0.5 * max(machine.spot_x_mm, machine.spot_y_mm))
        rounds = np.concatenate([points, *[points[1:]] * (setting.passes - 1)])
        points = np.concatenate([rounds, _run_on(points, over_mm)])
        setting = replace(setting, passes=1)  # the passes follow on each other without a stop
    return Strokes(contour.group, (_rounded(points),), setting)


def _run_on(points: Floats, over_mm: float) -> Floats:
    """The points by which a closed line goes on along itself a little past its start."""
    more: list[Floats] = []
    for here, there in itertools.pairwise(points):
        length = float(np.hypot(*(there - here)))
        if length >= over_mm:
            more.append(here + (there - here) * (over_mm / max(length, 1e-12)))
            break
        more.append(there)
        over_mm -= length
    return np.array(more)


def _rounded(points: Floats) -> tuple[Point, ...]:
    """Points to the micrometre, without repeats."""
    pairs = [tuple(pair) for pair in np.round(points, 3).tolist()]
    return tuple(a for a, _ in itertools.groupby(pairs))


def _engraved(areas: Sequence[Floats], task: GroupTask, machine: Machine) -> Iterator[Lines]:
    """The raster lines of filled areas: areas whose boxes meet are engraved together."""
    setting = task.setting
    assert setting is not None
    for cluster in _clusters(areas):
        left, low, right, high = _box_of(cluster)
        rows = tuple(_rows(cluster, low, high, setting.pitch_mm))
        if any(runs for _, runs in rows):
            yield Lines(task.group, rows, left, right, setting, run_up_of(setting, machine))


def _clusters(areas: Sequence[Floats]) -> list[list[Floats]]:
    import shapely

    boxes = [shapely.box(*_box_of([area])) for area in areas]
    joined = shapely.union_all(boxes)
    groups = [one.envelope for one in getattr(joined, "geoms", [joined])]
    tree = shapely.STRtree(groups)
    clusters: list[list[Floats]] = [[] for _ in groups]
    for area, box in zip(areas, boxes, strict=True):
        clusters[int(tree.query(box.centroid, predicate="intersects")[0])].append(area)
    return [cluster for cluster in clusters if cluster]


def _rows(
    areas: Sequence[Floats], low: float, high: float, pitch: float
) -> Iterator[tuple[float, tuple[Point, ...]]]:
    """For each raster line where it is inside: even-odd, an area in an area being a hole."""
    start = np.concatenate(areas)
    end = np.concatenate([np.roll(area, -1, axis=0) for area in areas])
    order = np.minimum(start[:, 1], end[:, 1]).argsort()
    start, end = start[order], end[order]
    bottom, top = np.minimum(start[:, 1], end[:, 1]), np.maximum(start[:, 1], end[:, 1])
    count = max(1, math.floor((high - low) / pitch + 1e-9) + 1)
    first = low + ((high - low) - (count - 1) * pitch) / 2
    for n in range(count):
        y = first + n * pitch
        upto = int(np.searchsorted(bottom, y, side="right"))
        hit = np.flatnonzero(top[:upto] > y)
        a, b = start[hit], end[hit]
        xs = np.sort(a[:, 0] + (y - a[:, 1]) / (b[:, 1] - a[:, 1]) * (b[:, 0] - a[:, 0]))
        pairs = np.round(xs[: len(xs) // 2 * 2], 3).reshape(-1, 2).tolist()
        yield round(y, 4), tuple((x0, x1) for x0, x1 in pairs if x1 > x0)


def _work(
    task: GroupTask, contours: Sequence[Contour], filled: dict[str, list[Floats]]
) -> GroupWork:
    mine = [one for one in contours if one.group == task.group]
    areas = filled.get(task.group, [])
    length = sum(one.length_mm for one in mine)
    return GroupWork(task, len(mine) + len(areas), length)


def _box_of(parts: Sequence[Floats]) -> Box:
    low = np.min([part.min(0) for part in parts], axis=0)
    high = np.max([part.max(0) for part in parts], axis=0)
    return (float(low[0]), float(low[1]), float(high[0]), float(high[1]))


def _reach(steps: Sequence[tuple[Burn, str]], box: Box) -> Box:
    """The box in which the head moves while the beam burns, run-ups included."""
    left, low, right, high = box
    for step, _ in steps:
        if isinstance(step, Lines):
            left = min(left, step.left_mm - step.run_up_mm)
            right = max(right, step.right_mm + step.run_up_mm)
        elif isinstance(step, Strokes):
            for x, y in step.paths[0]:
                left, low, right, high = min(left, x), min(low, y), max(right, x), max(high, y)
    return (left, low, right, high)


# -- on the sheets ---------------------------------------------------------------------------------


def plan_job(
    pattern: Pattern,
    machine: Machine,
    stock: Stock,
    *,
    copies: int,
    gap_mm: float,
    sheets: Sequence[Sheet] = (),
    edge_mm: float = 2.0,
    keeps_grain: bool = False,
    placed: Sequence[PlacedCopy] | None = None,
    origin: Origin = "bed",
) -> JobPlan:
    """Return a job on the sheets of the rack, each in the lower left corner of the bed; on the
    bare bed where there is no sheet.

    `placed` are places that were chosen by hand; without them the copies are laid out.  With the
    origin at the "head" each file begins where the head stands: at the lower left of what it burns.
    """
    rooms = [room_on(machine, sheet, edge_mm=edge_mm) for sheet in sheets]
    if not sheets:
        rooms = [room_on(machine, edge_mm=edge_mm)]
    reach = _grown_size(pattern)
    conflicts: list[str] = []
    may_turn = not keeps_grain and not _has_areas(pattern)
    if placed is None:
        laid = placed_copies(reach, copies, rooms, gap_mm=gap_mm, may_turn=may_turn)
    else:
        laid = tuple(placed)
        conflicts = _conflicts(laid, pattern, rooms, gap_mm)
    runs = []
    for number in sorted({one.sheet for one in laid}):
        here = tuple(one for one in laid if one.sheet == number)
        sheet = sheets[number] if sheets else None
        runs.append(_run(number, here, pattern, machine, sheet, origin))
    missing = max(0, copies - len(laid))
    remarks = [*conflicts, *pattern.remarks]
    if missing:
        size = lengths_text(*pattern.size_mm)
        remarks.append(f"{missing} of {copies} copies of {size} mm find no room.")
    return JobPlan(pattern, tuple(runs), missing, tuple(remarks))


def _conflicts(
    placed: Sequence[PlacedCopy], pattern: Pattern, rooms: Sequence[Room], gap_mm: float
) -> list[str]:
    """What copies that were placed by hand lie on; the area that a copy itself has used already
    does not count.
    """
    boxes = [_box_of_copy(pattern, copy) for copy in placed]
    found = []
    for n, (copy, box) in enumerate(zip(placed, boxes, strict=True)):
        if copy.sheet >= len(rooms):
            found.append(f"Copy {n + 1} lies on a sheet that is not in the rack any more.")
            continue
        room = rooms[copy.sheet]
        taken = tuple(one for one in room.taken if not _is_around(one, box))
        if not Room(room.area, taken).is_free(box):
            found.append(f"Copy {n + 1} lies on a clamp, a used area or the edge.")
        for m in range(n):
            apart = (boxes[m][0] - box[2], box[0] - boxes[m][2])
            above = (boxes[m][1] - box[3], box[1] - boxes[m][3])
            if placed[m].sheet == copy.sheet and max(*apart, *above) < gap_mm - 1e-6:
                found.append(f"Copies {m + 1} and {n + 1} are nearer than their gap.")
    return found


def _is_around(taken: Box, box: Box) -> bool:
    """Whether a taken box is the used area of this very copy, with the room kept around it."""
    return all(abs(a - b) <= USED_MARGIN_MM for a, b in zip(taken, box, strict=True))


def _grown_size(pattern: Pattern) -> Point:
    """What a copy takes of a sheet: its parts with kerf and run-ups, for clamps stand there."""
    left, low, right, high = pattern.reach_mm
    return (right - left, high - low)


def _run(
    number: int,
    placed: Sequence[PlacedCopy],
    pattern: Pattern,
    machine: Machine,
    sheet: Sheet | None,
    origin: Origin,
) -> SheetRun:
    steps = tuple(
        (_moved(step, pattern, copy, machine), group)
        for copy in placed
        for step, group in pattern.steps
    )
    boxes = [_box_of_copy(pattern, copy) for copy in placed]
    area = (
        min(box[0] for box in boxes),
        min(box[1] for box in boxes),
        max(box[2] for box in boxes),
        max(box[3] for box in boxes),
    )
    keep = machine.head_clearance_mm + SPARE_MM
    clamps = tuple(
        (b[0] - keep, b[1] - keep, b[2] + keep, b[3] + keep)
        for b in (sheet.clamps_mm if sheet else ())
    )
    settings = {step.setting.focus_mm for step, _ in steps}
    stepped = any(step.setting.focus_step_mm for step, _ in steps)
    zero = (-area[0], -area[1]) if origin == "head" else (0.0, 0.0)
    ground = Ground(machine, zero, area, clamps, len(settings) > 1 or stepped)
    seconds, travel = _seconds(steps, ground)
    return SheetRun(number, tuple(placed), ground, steps, seconds, travel, tuple(boxes))


def _seconds(steps: Sequence[tuple[Burn, str]], ground: Ground) -> tuple[float, float]:
    """The time from the area's lower left corner and back, and how much of it the beam is off
    between burns, s.
    """
    machine, at = ground.machine, ground.area[:2]
    burning = travel = 0.0
    focus: float | None = None
    for step, _ in steps:
        for corner in ground.travel(at, step.start):
            travel += way_seconds(at, corner, machine)
            at = corner
        setting = step.setting
        if ground.moves_focus and setting.focus_mm != focus:
            travel += abs(setting.focus_mm - (focus or 0.0)) / machine.focus_speed_mm_s
            focus = setting.focus_mm + setting.focus_step_mm * (setting.passes - 1)
        burning += step_seconds(step, machine)
        at = step.end
    for corner in ground.way_home(at):
        travel += way_seconds(at, corner, machine)
        at = corner
    return burning + travel, travel


def _box_of_copy(pattern: Pattern, copy: PlacedCopy) -> Box:
    wide, high = _grown_size(pattern)
    if copy.turned:
        wide, high = high, wide
    return (copy.x_mm, copy.y_mm, copy.x_mm + wide, copy.y_mm + high)


def placed_points(points: Floats, pattern: Pattern, copy: PlacedCopy) -> Floats:
    """Return points of a pattern where a copy of it lies, in mm of the sheet; a turned copy is
    turned by a quarter to the left.
    """
    left, low, _, high = pattern.reach_mm
    if copy.turned:
        turned = np.column_stack([high - points[:, 1], points[:, 0] - left])
        return np.asarray(turned + np.array([copy.x_mm, copy.y_mm]))
    return np.asarray(points + np.array([copy.x_mm - left, copy.y_mm - low]))


def _moved(step: Burn, pattern: Pattern, copy: PlacedCopy, machine: Machine) -> Burn:
    left, low, _, _ = pattern.reach_mm
    dx, dy = copy.x_mm - left, copy.y_mm - low
    if isinstance(step, Strokes) and not copy.turned:
        return replace(step, at_mm=(dx, dy))
    if isinstance(step, Strokes):
        points = placed_points(np.array(step.paths[0]), pattern, copy)
        return replace(step, paths=(_rounded(points),))
    assert isinstance(step, Lines)
    if not copy.turned:
        rows = tuple(
            (round(y + dy, 4), tuple((a + dx, b + dx) for a, b in runs)) for y, runs in step.rows
        )
        return replace(step, rows=rows, left_mm=step.left_mm + dx, right_mm=step.right_mm + dx)
    raise OutOfRange("A turned copy", "with an engraved area", "not turned")


def _has_areas(pattern: Pattern) -> bool:
    """Return whether something is engraved line by line: such a copy is not turned, for tones hang
    on the direction of the lines.
    """
    return any(isinstance(step, Lines) for step, _ in pattern.steps)
