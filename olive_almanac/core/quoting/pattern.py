"""One copy of a drawing, or one of its parts, as the steps that the machine goes through: contours
in order, their beam paths, engraved areas.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Generator, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Literal, TypeVar

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.motion.focus import check_by_hand
from olive_almanac.core.motion.program import Burn, Lines, Strokes
from olive_almanac.core.placing.strokes import run_up_of
from olive_almanac.core.quoting.contours import (
    RANKS,
    Contour,
    begun_at,
    depths_of,
    face_of,
    parents_of,
)
from olive_almanac.core.quoting.engraving import engraved_together
from olive_almanac.core.quoting.joints import JointKind, fitted_ring
from olive_almanac.core.quoting.kerf import Eaten, beam_paths, eaten_of
from olive_almanac.core.quoting.order import order_of
from olive_almanac.core.quoting.paths import flat
from olive_almanac.core.quoting.shades import Shading
from olive_almanac.core.quoting.shared_lines import Rest, rests_of
from olive_almanac.core.records.drawing import Drawing
from olive_almanac.core.records.job import GroupTask, group_words
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.stages import finished
from olive_almanac.core.units import count_text, number_text
from olive_almanac.core.words import tr

__all__ = [
    "GroupWork",
    "Handling",
    "Making",
    "Part",
    "Pattern",
    "Stage",
    "engraved_lines",
    "longest_run_up",
    "making_pattern",
    "making_pieces",
    "parts_of",
    "pattern_of",
    "taken_by",
]

Floats = NDArray[np.float64]
Box = tuple[float, float, float, float]
Point = tuple[float, float]
FINEST_MM, COARSEST_MM = 0.005, 0.05  # how far points may lie off the drawing
LINE_MM = 0.05  # half the width that a bare line takes of the sheet
MOST_ROWS = 50_000  # of one engraved area: a bed of 1.5 m at 0.03 mm
CLOSING_MM = 0.2  # a cut runs on past its start by this or half a spot, so that no hook is left


@dataclass(frozen=True)
class Handling:
    """How a drawing is burnt where the operator has a say: rounds for stock that melts, lines that
    two parts share burnt once, widths drawn for the thickness (kind, width as drawn) given another
    width, and how long an order is sought.
    """

    rounds: int = 1
    once: bool = False
    widths: Mapping[tuple[JointKind, float], float] = field(default_factory=dict)
    thickness_mm: float = 0.0
    effort: float = 1.0
    shadings: tuple[Shading, ...] = ()  # pictures, as they are burnt


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
    reach_mm: Box  # with run-ups and kerf: where the head goes
    body_mm: Box  # with the kerf: what it takes of a sheet
    contours: tuple[Contour, ...]  # as drawn, in the order in which they are burnt
    outlines: tuple[Floats, ...]  # the pieces that fall out: outermost cuts
    beams: tuple[tuple[str, Floats, bool], ...]  # where the beam goes: group, points, closed
    areas: tuple[tuple[str, Floats], ...]  # what is engraved, an area in an area being a hole
    work: tuple[GroupWork, ...]
    remarks: tuple[str, ...] = ()
    parts: tuple[Part, ...] = ()
    shadings: tuple[Shading, ...] = ()
    pieces_mm: tuple[float, ...] = ()  # cut for each piece that falls out: its outline, its holes
    also_mm: tuple[Box, ...] = ()  # what else is engraved on a copy: what is lettered on it
    run_up_mm: Point = (0.0, 0.0)  # the longest of an engraving along X and along Y

    @property
    def size_mm(self) -> Point:
        """Width and height of the drawing, mm."""
        left, low, right, high = self.box_mm
        return (right - left, high - low)

    @cached_property
    def shape(self) -> Any:
        """What a copy takes of a sheet, as one polygon without holes; several parts take the hull
        around them.
        """
        import shapely

        taken = [taken_by(points, closed=closed) for _, points, closed in self.beams]
        for step, _ in self.steps:
            if isinstance(step, Lines):
                taken.append(shapely.box(*step.box_mm))
        taken += [shapely.box(*box) for box in self.also_mm]
        whole = shapely.union_all(taken)
        if whole.is_empty:  # the kerf leaves nothing of it
            whole = shapely.box(*self.box_mm).buffer(LINE_MM)
        if whole.geom_type != "Polygon":
            whole = whole.convex_hull
        return shapely.Polygon(whole.exterior)

    @cached_property
    def sweep(self) -> Any:
        """Where the head goes over a copy while it burns, run-ups included: what must be clear of
        clamps.
        """
        import shapely

        along, up = self.run_up_mm
        boxes = [
            shapely.box(left - along, low - up, right + along, high + up)
            for left, low, right, high in self.also_mm
        ]
        boxes += [shapely.box(*step.reach_mm) for step, _ in self.steps if isinstance(step, Lines)]
        return shapely.union_all([self.shape, *boxes])

    @property
    def beyond_mm(self) -> Point:
        """How far the head goes beyond what a copy takes, at either side along X and along Y."""
        (x0, y0, x1, y1), (left, low, right, high) = self.reach_mm, self.body_mm
        return (max(left - x0, x1 - right), max(low - y0, y1 - high))

    @property
    def is_engraved(self) -> bool:
        """Whether something is engraved line by line: tones hang on the direction of the lines, so
        it is not turned.
        """
        return bool(self.also_mm) or any(isinstance(step, Lines) for step, _ in self.steps)

    @property
    def cut_mm(self) -> float:
        """The length that is cut, one pass."""
        return sum(one.length_mm for one in self.work if one.task.task == "cut")


# -- one copy --------------------------------------------------------------------------------------

Stage = Literal["lines", "holders", "order", "kerf", "copy"]  # what of a copy is done
Found = TypeVar("Found")
Making = Generator[Stage, None, Found]
_Burnt = tuple[list[Contour], dict[str, list[Floats]], dict[str, GroupTask]]


def pattern_of(
    drawing: Drawing, tasks: Sequence[GroupTask], machine: Machine, handling: Handling = Handling()
) -> Pattern:
    """Return one copy of a drawing as it is burnt.

    Raises OutOfRange where nothing is to be burnt.
    """
    return finished(making_pattern(drawing, tasks, machine, handling))


def making_pattern(
    drawing: Drawing, tasks: Sequence[GroupTask], machine: Machine, handling: Handling
) -> Making[Pattern]:
    """Make one copy of a drawing as it is burnt, stage by stage.

    Raises OutOfRange where nothing is to be burnt.
    """
    burnt = _burnt(drawing, tasks, machine, handling)
    yield "lines"
    making = _pattern(*burnt[:2], handling.shadings, tasks, burnt[2], machine, handling)
    return (yield from making)


def making_pieces(
    drawing: Drawing, tasks: Sequence[GroupTask], machine: Machine, handling: Handling
) -> Making[tuple[Pattern, tuple[Pattern, ...]]]:
    """Make a drawing as one pattern, whose order is a first one since nobody burns it as a whole,
    and its pieces as `parts_of` does, stage by stage.

    Raises OutOfRange where nothing is to be burnt.
    """
    burnt = _burnt(drawing, tasks, machine, handling)
    yield "lines"
    once = replace(handling, effort=0.0)
    whole = yield from _pattern(*burnt[:2], handling.shadings, tasks, burnt[2], machine, once)
    return whole, (yield from _parts_of(burnt, tasks, machine, handling))


def parts_of(
    drawing: Drawing, tasks: Sequence[GroupTask], machine: Machine, handling: Handling = Handling()
) -> tuple[Pattern, ...]:
    """Return the pieces of a drawing, each with all that lies in it, as patterns of their own; what
    lies in no piece stays together as one more.

    Raises OutOfRange where nothing is to be burnt.
    """
    burnt = _burnt(drawing, tasks, machine, handling)
    return finished(_parts_of(burnt, tasks, machine, handling))


def _parts_of(
    burnt: _Burnt, tasks: Sequence[GroupTask], machine: Machine, handling: Handling
) -> Making[tuple[Pattern, ...]]:
    import shapely

    contours, filled, task_of = burnt
    roots_of_all = _roots(parents_of(contours), contours)
    of_part: dict[int, tuple[list[Contour], dict[str, list[Floats]]]] = {}
    for n, contour in enumerate(contours):
        root = roots_of_all[n]
        of_part.setdefault(root, ([], {}))[0].append(contour)
    roots = [n for n in of_part if n >= 0]
    tree = shapely.STRtree([shapely.Polygon(contours[n].points_mm) for n in roots])
    for group, areas in filled.items():
        for area in areas:
            holders = tree.query(shapely.Point(area[0]), predicate="intersects")
            root = roots[int(holders[0])] if len(holders) else -1
            of_part.setdefault(root, ([], {}))[1].setdefault(group, []).append(area)
    shades: dict[int, list[Shading]] = {}
    for one in handling.shadings:
        holders = tree.query(shapely.box(*one.box_mm).centroid, predicate="intersects")
        root = roots[int(holders[0])] if len(holders) else -1
        of_part.setdefault(root, ([], {}))
        shades.setdefault(root, []).append(one)

    def shared(mine: Sequence[Contour]) -> Handling:
        """Each piece has its share of the time for an order."""
        share = len(mine) / max(len(contours), 1)
        return replace(handling, effort=share * handling.effort)

    parts = []
    for root, (mine, own_areas) in of_part.items():
        own = shared(mine)
        making = _pattern(mine, own_areas, shades.get(root, ()), tasks, task_of, machine, own)
        parts.append((yield from making))
    return tuple(parts)


def _roots(parents: Sequence[int], contours: Sequence[Contour]) -> list[int]:
    """For each contour the outermost closed cut that holds it, or is it; -1 where none does."""
    roots = [-1] * len(parents)
    depths = depths_of(parents)
    for n in sorted(range(len(parents)), key=depths.__getitem__):
        above = roots[parents[n]] if parents[n] >= 0 else -1
        own = n if contours[n].rank == 2 and contours[n].closed else -1
        roots[n] = above if above >= 0 else own
    return roots


def _burnt(
    drawing: Drawing, tasks: Sequence[GroupTask], machine: Machine, handling: Handling
) -> _Burnt:
    """The contours, the areas that are engraved, and the task of each group that is burnt."""
    task_of = {one.group: one for one in tasks if one.burns}
    check_by_hand([one.setting for one in task_of.values() if one.setting], machine)
    contours, filled = _contours(drawing, task_of, machine)
    if handling.once:
        contours = [one for one, rest in zip(contours, rests_of(contours), strict=True) if rest]
    if not contours and not filled and not handling.shadings:
        raise OutOfRange(
            tr("What is burnt"), tr("nothing"), tr("at least one group with a task and a setting")
        )
    if handling.widths:
        contours = list(_fitted(contours, handling))
    return contours, filled, task_of


def _fitted(contours: Sequence[Contour], handling: Handling) -> Iterator[Contour]:
    """The contours with the widths that are to be other than drawn."""
    is_hole = _is_hole(parents_of(contours), contours)
    for n, contour in enumerate(contours):
        if contour.rank != 2 or not contour.closed:
            yield contour
            continue
        points = fitted_ring(
            contour.points_mm, handling.thickness_mm, handling.widths, is_hole=is_hole[n]
        )
        yield replace(contour, points_mm=points)


def _pattern(
    contours: list[Contour],
    filled: dict[str, list[Floats]],
    shadings: Sequence[Shading],
    tasks: Sequence[GroupTask],
    task_of: dict[str, GroupTask],
    machine: Machine,
    handling: Handling,
) -> Making[Pattern]:
    parents = parents_of(contours)
    yield "holders"
    tour = order_of(
        contours,
        speed_mm_s=machine.max_speed_mm_s,
        acceleration_mm_s2=machine.acceleration_mm_s2,
        rounds=handling.rounds,
        effort=handling.effort,
        parents=parents,
    )
    yield "order"
    steps: list[tuple[Burn, str]] = [
        (step, group)
        for group, areas in filled.items()
        for step in engraved_lines(areas, task_of[group], machine)
    ]
    steps += [(step, one.group) for one in shadings for step in one.steps]
    rests = rests_of(contours) if handling.once else [Rest(whole=True)] * len(contours)
    beams, remarks = _beams(contours, parents, task_of, rests)
    yield "kerf"
    for n, start in zip(tour.order, tour.starts, strict=True):
        contour = contours[n]
        for line, closed in beams[n]:
            beam = replace(contour, points_mm=line, closed=closed)
            steps.append((_strokes(beam, contour, start, task_of, machine), contour.group))
    steps.sort(key=lambda step: RANKS[task_of[step[1]].task])
    shown = tuple(contours[n] for n in tour.order)
    areas = tuple((group, area) for group, mine in filled.items() for area in mine)
    lines = tuple(
        (contours[n].group, line, closed) for n in tour.order for line, closed in beams[n]
    )
    outer = [n for n in range(len(contours)) if contours[n].rank == 2 and contours[n].closed]
    is_hole = _is_hole(parents, contours)
    outlines = tuple(contours[n].points_mm for n in outer if not is_hole[n])
    corners = [np.array(one.box_mm).reshape(2, 2) for one in shadings]
    box = _box_of([*(one.points_mm for one in contours), *(area for _, area in areas), *corners])
    work = tuple(_work(one, contours, filled) for one in tasks if one.burns)
    return Pattern(
        tuple(steps),
        box,
        _reach(steps, box),
        _reach(steps, box, run_ups=False),
        shown,
        outlines,
        lines,
        areas,
        work,
        (*remarks, *(one.says for one in shadings)),
        _parts(contours, parents),
        tuple(shadings),
        _pieces_mm(contours, outlines),
        run_up_mm=longest_run_up(step for step, _ in steps),
    )


def taken_by(points: Floats, *, closed: bool) -> Any:
    """Return what a burnt line [n, 2] mm takes of a sheet, as a polygon: its face, or its width
    where it has none.
    """
    import shapely

    face = face_of(points) if closed else shapely.Polygon()
    return shapely.LineString(points).buffer(LINE_MM) if face.is_empty else face


def _pieces_mm(contours: Sequence[Contour], outlines: Sequence[Floats]) -> tuple[float, ...]:
    """How much is cut for each piece that falls out."""
    import shapely

    if not outlines:
        return ()
    cuts = [one for one in contours if one.task == "cut"]
    faces = shapely.polygons([shapely.linearrings(outline) for outline in outlines])
    tree = shapely.STRtree(shapely.points([one.points_mm[0] for one in cuts]))
    piece, which = tree.query(faces, predicate="intersects")  # the innermost face counts
    inner = np.lexsort((shapely.area(faces)[piece], which))
    which, first = np.unique(which[inner], return_index=True)
    length = np.array([one.length_mm for one in cuts])[which]
    return tuple(np.bincount(piece[inner][first], length, len(outlines)).tolist())


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


def _is_hole(parents: Sequence[int], contours: Sequence[Contour]) -> list[bool]:
    """For each contour whether it lies in a hole's place: in an odd number of closed cuts."""
    return [bool(depth % 2) for depth in depths_of(parents, [one.rank == 2 for one in contours])]


def _parts(contours: Sequence[Contour], parents: Sequence[int]) -> tuple[Part, ...]:
    """The pieces that fall out, each with the holes that are cut into it."""
    cuts = [n for n, one in enumerate(contours) if one.rank == 2 and one.closed]
    within = _within(cuts, parents, contours)
    is_hole = _is_hole(parents, contours)
    return tuple(
        Part(
            contours[n].group,
            contours[n].points_mm,
            tuple(contours[k].points_mm for k in within.get(n, ())),
        )
        for n in cuts
        if not is_hole[n]
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
    contours: Sequence[Contour],
    parents: Sequence[int],
    task_of: dict[str, GroupTask],
    rests: Sequence[Rest],
) -> tuple[list[list[tuple[Floats, bool]]], list[str]]:
    """The beam's path or paths for each contour, each with whether it is closed, and what should be
    known of them.  Lines that share a stretch with others keep their place: the kerf is not taken
    off there.
    """
    beams: list[list[tuple[Floats, bool]]] = [[(one.points_mm, one.closed)] for one in contours]
    remarks: list[str] = []
    for n, rest in enumerate(rests):
        if not rest.whole:
            beams[n] = [(line, False) for line in rest.lines]
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
                tr(
                    "{group}: no kerf is known, so parts come out smaller by it.",
                    group=group_words(group),
                )
            )
            continue
        sharing = sum(rests[n].shares for n in mine)
        if sharing:
            remarks.append(
                tr(
                    "{parts} share edges that are burnt once: there the kerf is not taken off.",
                    parts=count_text(sharing, "part"),
                )
            )
        mine = [n for n in mine if not rests[n].shares]
        is_hole = _is_hole(parents, contours)
        rings, holes = [contours[n].points_mm for n in mine], [is_hole[n] for n in mine]
        for n, paths in zip(mine, beam_paths(rings, holes, kerf), strict=True):
            beams[n] = [(path, True) for path in paths]
        remarks += _eaten(contours, parents, mine, kerf)
    return beams, remarks


def _eaten(
    contours: Sequence[Contour], parents: Sequence[int], mine: Sequence[int], kerf: Point
) -> Iterator[str]:
    words = {
        "hole": tr("hole smaller than the kerf, left out"),
        "web": tr("web thinner than two kerfs: it may burn away"),
        "notch": tr("notch narrower than the kerf: it comes out as wide as the kerf"),
    }
    within = _within(mine, parents, contours)
    known: dict[bytes, tuple[Eaten, ...]] = {}  # parts drawn alike lose alike
    is_hole = _is_hole(parents, contours)
    for n in mine:
        if is_hole[n]:
            continue
        first = contours[n].points_mm[0]
        outline, *holes = (contours[k].points_mm - first for k in (n, *within.get(n, ())))
        alike = b"".join(_kind_of(ring) for ring in (outline, *holes))
        if alike not in known:
            known[alike] = eaten_of(outline, holes, kerf)
        for found in known[alike]:
            x, y = first + found.at_mm
            yield (
                tr(
                    "A {words}, {width_mm} mm at {x}, {y}.",
                    words=words[found.kind],
                    width_mm=number_text(found.width_mm, 2),
                    x=number_text(x, 4),
                    y=number_text(y, 4),
                )
            )


def _kind_of(ring: Floats) -> bytes:
    """What rings [n, 2] mm have in common that are the same to a tenth of a micrometre."""
    return len(ring).to_bytes(8) + (ring.round(4) + 0.0).tobytes()  # no minus before a zero


def _strokes(
    beam: Contour, drawn: Contour, start_mm: float, task_of: dict[str, GroupTask], machine: Machine
) -> Strokes:
    """One line as it is burnt; a closed one is begun where its contour as drawn is, and a cut runs
    on past its start.
    """
    setting = task_of[beam.group].setting
    assert setting is not None
    if beam.closed:
        start_mm = min(start_mm / max(drawn.length_mm, 1e-9), 1.0) * beam.length_mm
    elif drawn.closed:
        start_mm = 0.0
    points = begun_at(beam, start_mm)
    if beam.closed and beam.rank == 2 and not setting.focus_step_mm:
        over_mm = max(CLOSING_MM, 0.5 * max(machine.spot_x_mm, machine.spot_y_mm))
        rounds = np.concatenate([points, *[points[1:]] * (setting.passes - 1)])
        points = np.concatenate([rounds, _run_on(points, over_mm)])
        if setting.passes > 1:  # the passes follow on each other without a stop
            setting = replace(setting, passes=1)
    return Strokes(beam.group, (_rounded(points),), setting)


def _run_on(points: Floats, over_mm: float) -> Floats:
    """The points by which a closed line goes on along itself a little past its start."""
    more: list[Floats] = []
    for here, there in itertools.pairwise(points):
        length = math.dist(here, there)
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


def engraved_lines(
    areas: Sequence[Floats], task: GroupTask, machine: Machine, *, one_grid: bool = False
) -> Iterator[Lines]:
    """Yield the raster lines of filled areas as the setting has them, along X or Y, or crossed:
    areas whose boxes meet are engraved together, and those that take less time so.

    Lines lie in the middle of their areas, or all on `one_grid` of whole pitches: what differs
    from copy to copy is then engraved on the same lines.  Raises OutOfRange for an area of more
    than MOST_ROWS lines.
    """
    setting = task.setting
    assert setting is not None
    # one without width burns nothing
    areas = [area for area in areas if np.ptp(area, axis=0).all()]
    for along_y in setting.raster_ways:
        turned = [area[:, ::-1] for area in areas] if along_y else areas
        for cluster in engraved_together(turned, setting, machine):
            first, low, last, high = _box_of(cluster)
            if high - low > MOST_ROWS * setting.pitch_mm:
                field = tr("Lines of what is engraved in {group}", group=group_words(task.group))
                lines = f"{(high - low) / setting.pitch_mm:.0f}"
                raise OutOfRange(field, lines, tr("at most {most}", most=MOST_ROWS))
            places = _line_places(low, high, setting.pitch_mm, one_grid=one_grid)
            rows = tuple(_rows(cluster, places))
            if any(runs for _, runs in rows):
                run_up = run_up_of(setting, machine)
                yield Lines(task.group, rows, first, last, setting, run_up, along_y=along_y)


def _line_places(low: float, high: float, pitch: float, *, one_grid: bool) -> list[float]:
    """Where raster lines lie across a box, mm: at least one."""
    if one_grid:
        first, last = math.ceil(low / pitch - 1e-9), math.floor(high / pitch + 1e-9)
        if first <= last:
            return [n * pitch for n in range(first, last + 1)]
    count = max(1, math.floor((high - low) / pitch + 1e-9) + 1)
    start = low + ((high - low) - (count - 1) * pitch) / 2
    return [start + n * pitch for n in range(count)]


def _rows(
    areas: Sequence[Floats], places: Sequence[float]
) -> Iterator[tuple[float, tuple[Point, ...]]]:
    """For each raster line where it is inside: even-odd, an area in an area being a hole."""
    start = np.concatenate(areas)
    end = np.concatenate([np.roll(area, -1, axis=0) for area in areas])
    order = np.minimum(start[:, 1], end[:, 1]).argsort()
    start, end = start[order], end[order]
    longest = float(np.abs(end[:, 1] - start[:, 1]).max()) + 1e-9
    bottom, top = np.minimum(start[:, 1], end[:, 1]), np.maximum(start[:, 1], end[:, 1])
    for y in places:
        since, upto = bottom.searchsorted(y - longest), bottom.searchsorted(y, side="right")
        hit = since + np.flatnonzero(top[since:upto] > y)
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


def longest_run_up(steps: Iterable[Burn]) -> Point:
    """Return the longest run-up of engraved steps along X and along Y, mm."""
    lines = [step for step in steps if isinstance(step, Lines)]
    ways = ([one.run_up_mm for one in lines if one.along_y is along_y] for along_y in (False, True))
    along, up = (max(way, default=0.0) for way in ways)
    return (along, up)


def _reach(steps: Sequence[tuple[Burn, str]], box: Box, *, run_ups: bool = True) -> Box:
    """The box in which the head moves while the beam burns, with or without the run-ups."""
    left, low, right, high = box
    for step, _ in steps:
        if isinstance(step, Lines):
            x0, y0, x1, y1 = step.reach_mm if run_ups else step.box_mm
            left, low, right, high = min(left, x0), min(low, y0), max(right, x1), max(high, y1)
        elif isinstance(step, Strokes):
            xs, ys = zip(*step.paths[0], strict=True)
            left, low = min(left, *xs), min(low, *ys)
            right, high = max(right, *xs), max(high, *ys)
    return (left, low, right, high)
