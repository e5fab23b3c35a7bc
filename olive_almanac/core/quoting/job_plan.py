"""A job sheet by sheet, as the steps that the machine goes through, with the time of each.

The G-code writer puts these steps into words; the time is counted from the same steps.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.motion.focus import focus_moves
from olive_almanac.core.motion.program import (
    Burn,
    Ground,
    Lines,
    Strokes,
    anchor_of,
    over_mm,
    over_point,
    step_seconds,
    way_seconds,
)
from olive_almanac.core.placing.room import SPARE_MM, Room, room_on
from olive_almanac.core.quoting.contours import RANKS
from olive_almanac.core.quoting.jig import jig_places, turned_in_pockets
from olive_almanac.core.quoting.lie import Lie, Touched, lie_by_touch
from olive_almanac.core.quoting.pattern import Pattern
from olive_almanac.core.quoting.place import (
    box_of,
    items_of,
    outline_of,
    placed_in_rows,
    reach_of,
    sweep_of,
    turned_points,
)
from olive_almanac.core.quoting.sheet_order import in_order
from olive_almanac.core.quoting.turned_over import (
    PIN,
    far_error_mm,
    is_pin,
    order_of_sides,
    over_of,
    pin_boxes,
    pin_steps,
    taken_of_back,
)
from olive_almanac.core.records.jig import Jig
from olive_almanac.core.records.job import GroupTask, PlacedCopy
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.sides import ABOUT, BY, TwoSides
from olive_almanac.core.records.stock import Sheet
from olive_almanac.core.units import count_text, lengths_text
from olive_almanac.core.words import tr

__all__ = ["JobPlan", "Layout", "SheetRun", "Steps", "plan_job", "planning", "rooms_of"]

Box = tuple[float, float, float, float]
Steps = tuple[tuple[Burn, str], ...]
# seconds of lines by the ids of their paths and setting (both are kept), and their run-up
_Paced = dict[tuple[int, int, float], float]
Point = tuple[float, float]
USED_MARGIN_MM = 2.001  # what is kept free around a used area
WHOLE = -1
GAP_SLACK_MM = 0.02  # places are rounded
OVERLAP_MM2 = 0.01
TOUCH_MM = 1.0  # by which touched places may be further apart than drawn
OVER_MM = 0.01


@dataclass(frozen=True)
class Layout:
    """How copies are laid out: how many, how far apart, on which sheets (none: the bare bed) with
    which free edge, whether the stock's grain keeps its direction, the pieces of the drawing one by
    one where there are some, places that were chosen by hand, and how a sheet lies on the bed, or
    the two places of it that were touched.
    """

    copies: int = 1
    gap_mm: float = 3.0
    sheets: tuple[Sheet, ...] = ()
    edge_mm: float = 2.0
    keeps_grain: bool = False
    parts: tuple[Pattern, ...] = ()
    placed: tuple[PlacedCopy, ...] | None = None
    sides: TwoSides | None = None
    tasks: tuple[GroupTask, ...] = ()  # with their sides, where there are two
    jig: Jig | None = None  # in which they lie instead, load after load
    lie: Lie = field(default_factory=Lie)
    touched: Touched | None = None
    names: tuple[Steps, ...] = ()  # what is lettered on each copy, in mm of the drawing


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
    side: str = ""  # of a sheet that is burnt from both
    again: bool = False  # the sheet was turned over: the same copies

    @property
    def groups(self) -> frozenset[str]:
        """What is burnt of the drawing; holes for pins are not of it."""
        return frozenset(group for step, group in self.steps if step.name != PIN)

    @property
    def pins(self) -> tuple[Strokes, ...]:
        """The holes that are cut for pins."""
        return tuple(step for step, _ in self.steps if is_pin(step))


@dataclass(frozen=True)
class JobPlan:
    """A job laid out: one copy of the drawing, its pieces where they are placed one by one, the
    runs, one a sheet, and how many copies or pieces found no room.
    """

    pattern: Pattern
    runs: tuple[SheetRun, ...]
    without_room: int
    remarks: tuple[str, ...] = ()
    parts: tuple[Pattern, ...] = ()

    def of(self, copy: PlacedCopy) -> Pattern:
        """Return what is burnt at a place."""
        return self.pattern if copy.part == WHOLE else self.parts[copy.part]

    @property
    def placed(self) -> tuple[PlacedCopy, ...]:
        """The copies on all sheets; sheets that are run again count once."""
        return tuple(copy for run in self.runs if not run.again for copy in run.placed)

    @property
    def seconds(self) -> float:
        """The time of all runs, s."""
        return sum(run.seconds for run in self.runs)

    @property
    def travel_s(self) -> float:
        """The time that the beam is off, s."""
        return sum(run.travel_s for run in self.runs)

    @property
    def copies(self) -> int:
        """How many copies, or pieces, have found their place."""
        return len(self.placed)

    @property
    def copies_words(self) -> str:
        """How many, in words."""
        if self.parts:
            return count_text(self.copies, "piece")
        return count_text(self.copies, "copy", "copies")

    @property
    def cut_mm(self) -> float:
        """The length that is cut on all sheets, one pass."""
        return sum(self.of(copy).cut_mm for copy in self.placed)

    @property
    def pieces_mm(self) -> tuple[float, ...]:
        """How much is cut for each piece that falls out, in the order in which they are burnt."""
        return tuple(mm for copy in self.placed for mm in self.of(copy).pieces_mm)


def rooms_of(
    layout: Layout, machine: Machine, patterns: Sequence[Pattern], *, by_outline: bool = False
) -> list[Room]:
    """Return the room for patterns on each sheet, as far as it lies on the bed; the bare bed
    without a sheet.  Where places are touched the bed ends nowhere: how a sheet lies is known
    afterwards.

    Run-ups go over neighbours and used areas, but not over clamps; by their outlines patterns may
    reach around one, so it is kept a whole run-up away.
    """
    beyond = _most(one.beyond_mm for one in patterns)
    off = _most(one.run_up_mm for one in patterns) if by_outline else beyond
    wide, high = machine.bed_mm
    if layout.touched is not None:
        reach = max([0.0, *(max(one.width_mm, one.height_mm) for one in layout.sheets)])
        wide, high = max(wide, reach), max(high, reach)
    x, y = layout.lie.at_mm
    machine = replace(machine, bed_mm=(max(1.0, wide - x), max(1.0, high - y)))
    if not layout.sheets:
        return [room_on(machine, edge_mm=layout.edge_mm, beyond_mm=beyond)]
    rooms = [
        room_on(machine, sheet, edge_mm=layout.edge_mm, beyond_mm=beyond, off_clamps_mm=off)
        for sheet in layout.sheets
    ]
    if layout.sides is None or layout.jig is not None:
        return rooms
    return [
        _room_on_both(room, layout.sides, sheet, machine, off)
        for room, sheet in zip(rooms, layout.sheets, strict=True)
    ]


def _most(points: Iterable[tuple[float, float]]) -> tuple[float, float]:
    along, up = zip(*points, strict=True)
    return (max(along), max(up))


def _room_on_both(
    room: Room, sides: TwoSides, sheet: Sheet, machine: Machine, off_clamps_mm: tuple[float, float]
) -> Room:
    """The room on a sheet that is turned over: clear of its pins, and of where clamps are then."""
    keep = _keep_of(machine)
    along, up = (keep + more for more in off_clamps_mm)
    clamps = (
        (b[0] - along, b[1] - up, b[2] + along, b[3] + up) for b in taken_of_back(sides, sheet)
    )
    return replace(room, taken=(*room.taken, *clamps, *pin_boxes(sides, sheet, keep)))


def plan_job(pattern: Pattern, machine: Machine, layout: Layout) -> JobPlan:
    """Return a job on the sheets of the rack, as `planning` works it out."""
    *_, plan = planning(pattern, machine, layout)
    return plan


def planning(pattern: Pattern, machine: Machine, layout: Layout) -> Iterator[JobPlan]:
    """Yield a job on the sheets of the rack as far as it is planned, sheet by sheet; the last one
    is whole.

    Copies that were not placed by hand are laid out in rows.  Raises OutOfRange where touched
    places are too near each other.
    """
    patterns = layout.parts or (pattern,)
    rooms = rooms_of(layout, machine, patterns)
    asked = layout.copies * len(patterns)
    bare = JobPlan(pattern, (), 0, (), layout.parts)
    conflicts: list[str] = []
    laid = layout.placed
    if laid is not None and any(copy.part >= len(layout.parts) for copy in laid):
        laid = None  # the drawing has changed
    if layout.jig is not None:
        laid = jig_places(layout.jig, pattern, layout.copies)
        conflicts = list(_too_large(layout.jig, pattern))
    elif laid is None:
        apart = bool(layout.parts)
        items = items_of(patterns, layout.copies, keeps_grain=layout.keeps_grain, apart=apart)
        laid = placed_in_rows(items, rooms, gap_mm=layout.gap_mm)
    else:
        conflicts = _conflicts(laid, bare, layout, machine)
    runs: list[SheetRun] = []
    paced: _Paced = {}
    bare_copies = itertools.repeat((), max(0, len(laid) - len(layout.names)))
    named = list(zip(laid, itertools.chain(layout.names, bare_copies), strict=False))
    for number in sorted({one.sheet for one in laid}):
        here = [(copy, name) for copy, name in named if copy.sheet == number]
        known = number < len(layout.sheets)
        sheet = layout.sheets[number] if known else None
        lie, told = layout.lie, ""
        if layout.touched is not None:
            lie, told = _lie_of(layout.touched, bare, laid, sheet, machine)
        both = list(_both_sides(layout, sheet, machine))
        for turned in both:
            laid_out = here
            if layout.jig is not None and turned.over is not None:
                copies = [copy for copy, _ in here]
                mine = turned_in_pockets(layout.jig, copies, turned.over[0])
                laid_out = [(copy, name) for copy, (_, name) in zip(mine, here, strict=True)]
            one_sheet = layout.jig is None
            steps = _steps_of(laid_out, bare, machine, sheet, turned, one_sheet=one_sheet)
            run = _run(number, laid_out, steps, bare, machine, sheet, lie, turned, paced)
            conflicts += filter(None, (told, _over_the_bed(run, lie)))
            runs.append(run)
            yield replace(bare, runs=tuple(runs))
        if layout.sides is not None and len(both) > 1:
            conflicts += _side_remarks(layout, sheet, runs[-1])
    missing = max(0, asked - len(laid))
    remarks = [*dict.fromkeys(conflicts), *pattern.remarks]  # each load says the same
    if missing and layout.parts:
        remarks.append(
            tr("{missing} of {asked} pieces find no room.", missing=missing, asked=asked)
        )
    elif missing:
        size = lengths_text(*pattern.size_mm)
        remarks.append(
            tr(
                "{missing} of {asked} copies of {size} mm find no room.",
                missing=missing,
                asked=asked,
                size=size,
            )
        )
    yield replace(bare, runs=tuple(runs), without_room=missing, remarks=tuple(remarks))


@dataclass(frozen=True)
class _Turned:
    """One side of a sheet: its name, which groups are burnt, what else, and how it lies over."""

    side: str = ""
    groups: frozenset[str] | None = None  # None: all of them
    more: Steps = ()
    over: tuple[str, float] | None = None
    again: bool = False


def _both_sides(layout: Layout, sheet: Sheet | None, machine: Machine) -> Iterator[_Turned]:
    """The sides of a sheet in their order; one without a name where it is not turned over."""
    sides = layout.sides
    if sides is None:
        yield _Turned()
        return
    if sheet is None or (layout.touched is not None and layout.jig is None):
        needs = tr("a sheet of known size at a stop, where the head stands, or blanks in a jig")
        raise OutOfRange(tr("What is burnt from both sides"), tr("something else"), needs)
    pins: Steps = ()
    if layout.jig is None:  # else the pockets hold the blanks
        pins = pin_steps(sides, sheet, layout.tasks, _keep_of(machine))
    for n, side in enumerate(order_of_sides(layout.tasks)):
        groups = frozenset(one.group for one in layout.tasks if one.side in (side, "both"))
        over = over_of(sides, sheet) if side == "back" else None
        yield _Turned(side, groups, pins if n == 0 else (), over, n > 0)


def _side_remarks(layout: Layout, sheet: Sheet | None, second: SheetRun) -> Iterator[str]:
    """What should be known before a sheet is turned over."""
    assert layout.sides is not None and sheet is not None
    if layout.sides.between:
        yield tr("Before it is turned over: {between}.", between=layout.sides.between)
    if layout.jig is not None:
        yield (
            tr(
                "Each blank is turned over {about} in its own pocket: the {side} comes "
                "second, off by up to {off_mm:g} mm.",
                about=ABOUT[layout.sides.about],
                side=second.side,
                off_mm=max(0.0, layout.jig.clearance_mm),
            )
        )
        return
    keep = _keep_of(second.ground.machine)
    error = far_error_mm(layout.sides, sheet, second.used_mm, keep)
    by = BY[layout.sides.by]
    yield (
        tr(
            "Turned over {about}: the {side} comes second, laid by {by}; at its worst "
            "place it is off by {error:.2f} mm (one in three more).",
            about=ABOUT[layout.sides.about],
            side=second.side,
            by=by,
            error=error,
        )
    )
    cuts = {one.side for one in layout.tasks if one.task == "cut" and one.burns}
    if cuts & {"both"} or len(cuts) > 1:
        yield tr(
            "Both sides cut: what the first one cuts falls out before the sheet is turned over."
        )
    if layout.sides.by == "pins" and not cuts:
        yield tr("No group cuts, so no pin holes are cut: drill them, or lay it by a corner.")


def _too_large(jig: Jig, pattern: Pattern) -> Iterator[str]:
    """What is said of a drawing that is larger than the blanks of a jig."""
    over = max(a - b for a, b in zip(pattern.size_mm, jig.blank_mm, strict=True))
    if over > 0:
        yield tr("The drawing is {over:.1f} mm larger than the blank that it lies on.", over=over)


def _lie_of(
    touched: Touched,
    plan: JobPlan,
    laid: Sequence[PlacedCopy],
    sheet: Sheet | None,
    machine: Machine,
) -> tuple[Lie, str]:
    """How a sheet lies by the places that were touched, and what is odd about them."""
    places = ((0.0, 0.0), (sheet.width_mm if sheet is not None else machine.bed_mm[0], 0.0))
    if touched.of_drawing_mm is not None:
        first = laid[0]
        points = turned_points(np.array(touched.of_drawing_mm), plan.of(first), first)
        (ax, ay), (bx, by) = points.tolist()
        places = ((ax, ay), (bx, by))
    lie, further = lie_by_touch(places, touched.on_bed_mm)
    if abs(further) <= TOUCH_MM:
        return lie, ""
    way = tr("further apart") if further > 0 else tr("nearer to each other")
    return lie, (
        tr(
            "The touched places are {further:.1f} mm {way} than they are drawn: touch them again.",
            further=abs(further),
            way=way,
        )
    )


def _over_the_bed(run: SheetRun, lie: Lie) -> str:
    """What is said of a sheet whose burnt area reaches over the bed."""
    left, low, right, high = run.ground.box_on_bed(run.ground.area)
    wide, tall = run.ground.machine.bed_mm
    over = max(-left, -low, right - wide, high - tall)
    if lie.anchor:  # nobody knows where the head stands
        over = max(right - left - wide, high - low - tall)
    if over <= OVER_MM:
        return ""
    sheet = run.sheet + 1
    if lie.anchor:
        return tr(
            "What sheet {sheet} burns is {over:.1f} mm larger than the bed.", sheet=sheet, over=over
        )
    return tr(
        "As sheet {sheet} lies, {over:.1f} mm of what is burnt are off the bed.",
        sheet=sheet,
        over=over,
    )


def _conflicts(
    placed: Sequence[PlacedCopy], plan: JobPlan, layout: Layout, machine: Machine
) -> list[str]:
    """What copies that were placed by hand lie on; the area that a copy itself has used already
    does not count.
    """
    import shapely

    if not placed:
        return []
    gap_mm, unclamped = layout.gap_mm, [replace(one, clamps_mm=()) for one in layout.sheets]
    patterns = [plan.pattern, *plan.parts]
    rooms = rooms_of(replace(layout, sheets=tuple(unclamped)), machine, patterns)
    boxes = [box_of(plan.of(copy), copy) for copy in placed]
    outlines = [outline_of(plan.of(copy), copy) for copy in placed]
    found = []
    for n, (copy, box) in enumerate(zip(placed, boxes, strict=True)):
        if copy.sheet >= len(rooms):
            found.append(tr("Copy {n} lies on a sheet that is not in the rack any more.", n=n + 1))
            continue
        room = rooms[copy.sheet]
        reach = reach_of(plan.of(copy), copy)
        taken = [
            one for one in room.taken if not _is_around(one, box) and not _is_around(one, reach)
        ]
        inside = Room(room.area).is_free(box)
        clear = not any(_overlap(outlines[n], shapely.box(*one)) for one in taken)
        if not inside or not clear or _meets_clamp(copy, plan, layout, machine):
            found.append(tr("Copy {n} lies on a clamp, a used area or the edge.", n=n + 1))
    tree = shapely.STRtree(outlines)
    near = tree.query(outlines, predicate="dwithin", distance=max(0.0, gap_mm - GAP_SLACK_MM))
    for n, m in sorted(zip(*near.tolist(), strict=True)):
        if m >= n or placed[m].sheet != placed[n].sheet:
            continue
        apart = float(outlines[m].distance(outlines[n]))
        if apart < gap_mm - GAP_SLACK_MM or _overlap(outlines[n], outlines[m]):
            found.append(tr("Copies {m} and {n} are nearer than their gap.", m=m + 1, n=n + 1))
    return found


def _meets_clamp(copy: PlacedCopy, plan: JobPlan, layout: Layout, machine: Machine) -> bool:
    """Whether the head comes too near to a clamp over a copy, run-ups included."""
    import shapely

    if copy.sheet >= len(layout.sheets):
        return False
    sheet, keep = layout.sheets[copy.sheet], _keep_of(machine)
    clamps = list(sheet.clamps_mm)
    if layout.sides is not None and layout.jig is None:
        clamps += taken_of_back(layout.sides, replace(sheet, used_mm=()))
    sweep = sweep_of(plan.of(copy), copy)
    boxes = (shapely.box(*box).buffer(keep, join_style="mitre") for box in clamps)
    return any(_overlap(sweep, box) for box in boxes)


def _overlap(outline: Any, box: Any) -> bool:
    """Whether two areas overlap by more than rounding."""
    return float(outline.intersection(box).area) > OVERLAP_MM2


def _is_around(taken: Box, box: Box) -> bool:
    """Whether a taken box is the used area of this very copy, with the room kept around it."""
    return all(abs(a - b) <= USED_MARGIN_MM for a, b in zip(taken, box, strict=True))


def _steps_of(
    named: Sequence[tuple[PlacedCopy, Steps]],
    plan: JobPlan,
    machine: Machine,
    sheet: Sheet | None,
    turned: _Turned,
    *,
    one_sheet: bool,
) -> Steps:
    """All that is burnt of the copies on a sheet, in its order; blanks one after the other."""
    copies = [
        [
            (_moved(step, plan.of(copy), copy), group)
            for step, group in (*name, *plan.of(copy).steps)
            if turned.groups is None or group in turned.groups
        ]
        for copy, name in named
    ]
    if not one_sheet:
        return (*turned.more, *itertools.chain(*copies))
    works = (work for pattern in (plan.pattern, *plan.parts) for work in pattern.work)
    ranks = {work.task.group: RANKS[work.task.task] for work in works}
    return (*turned.more, *in_order(copies, ranks, machine, _kept_off(machine, sheet, turned)))


def _run(
    number: int,
    named: Sequence[tuple[PlacedCopy, Steps]],
    steps: Steps,
    plan: JobPlan,
    machine: Machine,
    sheet: Sheet | None,
    lie: Lie,
    turned: _Turned,
    paced: _Paced,
) -> SheetRun:
    placed = [copy for copy, _ in named]
    boxes = [box_of(plan.of(copy), copy) for copy in placed]
    reached = [reach_of(plan.of(copy), copy) for copy in placed]
    reached += [_box_of(step) for step, _ in turned.more]
    area = (
        min(box[0] for box in reached),
        min(box[1] for box in reached),
        max(box[2] for box in reached),
        max(box[3] for box in reached),
    )
    clamps = _kept_off(machine, sheet, turned)
    zero, waits, over = lie.at_mm, None, turned.over
    lies = over_mm(over, area) if over is not None else area
    if lie.anchor:
        stands = anchor_of(lies, lie.anchor)
        waits = over_point(over, stands) if over is not None else stands
        zero = (-stands[0], -stands[1])
    moves = focus_moves(step.setting for step, _ in steps)
    ground = Ground(machine, zero, area, clamps, moves, lie.turn_rad, waits, over)
    seconds, travel = _seconds(steps, ground, paced)
    run = SheetRun(number, tuple(placed), ground, steps, seconds, travel, tuple(boxes))
    return replace(run, side=turned.side, again=turned.again)


def _kept_off(machine: Machine, sheet: Sheet | None, turned: _Turned) -> tuple[Box, ...]:
    """The clamps with what the head keeps around them."""
    keep = _keep_of(machine)
    clamps = _clamps_of(sheet, turned)
    return tuple((b[0] - keep, b[1] - keep, b[2] + keep, b[3] + keep) for b in clamps)


def _keep_of(machine: Machine) -> float:
    """How far the head keeps from clamps."""
    return machine.head_clearance_mm + SPARE_MM


def _clamps_of(sheet: Sheet | None, turned: _Turned) -> tuple[Box, ...]:
    """The clamps in the mm of a sheet's front: they stay on the bed when it is turned over."""
    if sheet is None:
        return ()
    if turned.over is None:
        return sheet.clamps_mm
    return tuple(over_mm(turned.over, box) for box in sheet.clamps_mm)


def _box_of(step: Burn) -> Box:
    """The box around a step that is made of lines."""
    assert isinstance(step, Strokes)
    points = np.concatenate([np.array(path) for path in step.paths]) + step.at_mm
    (left, low), (right, high) = points.min(axis=0).tolist(), points.max(axis=0).tolist()
    return (left, low, right, high)


def _seconds(
    steps: Sequence[tuple[Burn, str]], ground: Ground, paced: _Paced
) -> tuple[float, float]:
    """The time from where the head waits and back, and how much of it the beam is off between
    burns, s; the time of lines that copies share is worked out once.
    """
    machine, at = ground.machine, ground.home
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
        if isinstance(step, Strokes):
            shared = (id(step.paths), id(step.setting), step.run_up_mm)
            if shared not in paced:
                paced[shared] = step_seconds(step, machine)
            burning += paced[shared]
        else:
            burning += step_seconds(step, machine)
        at = step.end
    for corner in ground.way_home(at):
        travel += way_seconds(at, corner, machine)
        at = corner
    return burning + travel, travel


def _moved(step: Burn, pattern: Pattern, copy: PlacedCopy) -> Burn:
    left, low, _, _ = pattern.reach_mm
    dx, dy = copy.x_mm - left, copy.y_mm - low
    if isinstance(step, Strokes) and not copy.quarters:
        return step.put_at((dx, dy))
    if isinstance(step, Strokes):
        points = turned_points(np.array(step.paths[0]), pattern, copy)
        return replace(step, paths=(tuple(map(tuple, np.round(points, 3).tolist())),))
    assert isinstance(step, Lines)
    if not copy.quarters:
        return step.moved(dx, dy)
    raise OutOfRange(tr("A turned copy"), tr("with an engraved area"), tr("not turned"))
