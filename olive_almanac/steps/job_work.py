"""A job worked out and written: tasks of groups, the plan, what it costs, its files; without a
window, for window and command line alike.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Generator, Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path, PurePath
from statistics import stdev
from typing import Any

import numpy as np

from olive_almanac.core.errors import CannotWrite
from olive_almanac.core.fitting.dot_table import DotTable
from olive_almanac.core.fitting.tone_table import ToneTable
from olive_almanac.core.motion.program import over_mm
from olive_almanac.core.quoting.answers import answers_of, joint_key, widths_of
from olive_almanac.core.quoting.glow import with_dots
from olive_almanac.core.quoting.jig import loads_of
from olive_almanac.core.quoting.job_plan import JobPlan, Layout, SheetRun, Steps, planning, rooms_of
from olive_almanac.core.quoting.joints import JointAdvice, JointKind, advice_for, joints_of
from olive_almanac.core.quoting.layers import layer_name, layered
from olive_almanac.core.quoting.lie import Lie, Touched
from olive_almanac.core.quoting.names import (
    Letters,
    NamePlan,
    free_box,
    lettered,
    name_steps,
    with_room_for,
)
from olive_almanac.core.quoting.paths import flat
from olive_almanac.core.quoting.pattern import (
    Handling,
    Making,
    Pattern,
    making_pattern,
    making_pieces,
    parts_of,
)
from olive_almanac.core.quoting.place import items_of, nested
from olive_almanac.core.quoting.risk import EarlierJob, FirstCell, freed_by_passes
from olive_almanac.core.quoting.shades import Shading, shaded
from olive_almanac.core.quoting.spend import CellOffer, JobPrice, Pace, offer_of, paces_of
from olive_almanac.core.quoting.task_words import task_named
from olive_almanac.core.records.drawing import Drawing
from olive_almanac.core.records.entry import Entry
from olive_almanac.core.records.job import (
    GUIDES,
    LEAVE_OUT,
    NAMES,
    SHEET,
    FindingAnswer,
    GroupTask,
    Job,
    PlacedCopy,
    group_words,
)
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.ranges import check_number
from olive_almanac.core.records.reading import Reading, flared
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stack import Stack
from olive_almanac.core.records.stock import Sheet, Stock
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.stages import finished
from olive_almanac.core.units import count_text, fixed_text
from olive_almanac.core.words import tr
from olive_almanac.formats.drawing import dxf_of_layers
from olive_almanac.formats.drawing_in import ReadStage, reading_drawing
from olive_almanac.formats.gcode_check import CheckLimits, CheckReport, check_lines
from olive_almanac.formats.gcode_job import UNLIT_BLOCKS, job_blocks
from olive_almanac.formats.job_files import (
    JobPaper,
    job_layers,
    job_svg,
    write_job,
    write_job_sheet,
)
from olive_almanac.formats.picture_in import luminance_of
from olive_almanac.steps.beside import BesideThread
from olive_almanac.steps.files import below, write_together
from olive_almanac.steps.permission import group_of

__all__ = [
    "JobResult",
    "JobWish",
    "JointFit",
    "Piecework",
    "check_run",
    "drawing_of",
    "first_cells",
    "knowledge_of",
    "layout_of",
    "likely_tasks",
    "making_piecework",
    "nesting",
    "new_job",
    "piecework_for",
    "planning_of",
    "result_of",
    "sheet_file",
    "sheets_for",
    "task_with",
    "write_job_files",
]

Box = tuple[float, float, float, float]
FLAT_MM = 0.05
EDGE_MM = 2.0
KERF_SD_MM = 0.01  # of a kerf that a gauge told
USUAL_KERF_MM, USUAL_KERF_SD_MM = 0.18, 0.05  # where none was measured (common practice, no source)
JAMS_AT_MOST, LOOSE_MM = 0.10, 0.20  # beyond which a joint is told of
USUAL_RATE = 30.0  # an hour of machine and person where the machine has none (no source)
PAPER = "#ffffff"
MOST_BYTES = 300_000_000  # of a job's programs in all
OF_A_SHEET = re.compile(  # what this program calls the files of a sheet, or once did in German
    r"(sheet|load|platte|ladung)-\d+(-front|-back)?"
    rf"(-{'|-'.join(UNLIT_BLOCKS)})?\.(nc|svg|dxf)"
)
MELTS = ("Foam and rubber", "Plastic")  # cut in three rounds, so that neighbours cool
ROUNDS_OF_MELTING = 3


def likely_tasks(drawing: Drawing, known: Sequence[GroupTask] = ()) -> tuple[GroupTask, ...]:
    """Return what each group is likely meant for: as the last job did with a group of that name, by
    a word in its layer's name, filled shapes engraved, else cut.
    """
    before = {task.group.casefold(): task.task for task in known}
    found = []
    for group in drawing.groups:
        plain = group.casefold()
        filled = all(path.filled for path in drawing.paths if path.group == group)
        by_word = task_named(group.rpartition(" / ")[0] or group)
        usual = "engrave" if filled else "cut"
        if filled and plain.endswith(PAPER):
            usual = LEAVE_OUT  # the page that some programs paint below a drawing
        task = before.get(plain) or by_word or usual
        found.append(GroupTask(group, task))
    return tuple(found)


def task_with(task: GroupTask, entry: Entry | None) -> GroupTask:
    """Return a group's task with the numbers of the book's entry; without one it has none."""
    if task.task == LEAVE_OUT or entry is None:
        return replace(task, entry_uid="", setting=None, kerf_mm=None)
    kerf = None
    if entry.kerf_x_mm is not None and entry.kerf_y_mm is not None:
        kerf = (entry.kerf_x_mm, entry.kerf_y_mm)
    return replace(task, entry_uid=entry.uid, setting=entry.setting, kerf_mm=kerf)


def new_job(
    drawing: Drawing,
    tasks: Sequence[GroupTask],
    machine: Machine,
    stock: Stock,
    *,
    uid: str,
    made: str,
    photo: str = "",
) -> Job:
    """Return a job of one copy, named after its drawing; stock that melts is cut in rounds."""
    return Job(
        uid,
        PurePath(drawing.name).stem[:80] or tr("Job"),
        made,
        machine.uid,
        stock.uid,
        stock.lot,
        drawing.name,
        photo,
        drawing.sha256,
        tuple(tasks),
        rounds=ROUNDS_OF_MELTING if group_of(stock) in MELTS else 1,
    )


def drawing_of(
    data: bytes, name: str, machine: Machine, answers: Sequence[FindingAnswer] = ()
) -> Drawing:
    """Return the drawing in a file's bytes, judged against the machine's bed.  Raises BadFile."""
    return finished(reading_of(data, name, machine, answers))


def reading_of(
    data: bytes, name: str, machine: Machine, answers: Sequence[FindingAnswer] = ()
) -> Generator[ReadStage, None, Drawing]:
    """Read the drawing in a file's bytes, stage by stage.  Raises BadFile."""
    return reading_drawing(data, name, bed_mm=machine.bed_mm, answers=answers)


@dataclass(frozen=True)
class JobWish:
    """What is asked for: the drawing with the task of each group, on which machine and stock, how
    many copies, how far apart, on which sheets (none: the bare bed), and what a hang costs.
    """

    drawing: Drawing
    tasks: tuple[GroupTask, ...]
    machine: Machine
    stock: Stock
    job: Job
    sheets: tuple[Sheet, ...] = ()
    placed: tuple[PlacedCopy, ...] | None = None
    stock_value: float | None = None
    hour_rate: float | None = None
    pairs: tuple[Any, ...] = ()  # trials with readings behind the cut's entry
    earlier: tuple[EarlierJob, ...] = ()  # of the subject and the lot, told
    # burnt today and read, each with the sheet of the rack that it lies on
    first: tuple[tuple[int | None, FirstCell], ...] = ()
    letters: Letters | None = None  # in which names are lettered
    tone: ToneTable | DotTable | None = None  # by which pictures are engraved

    def __post_init__(self) -> None:
        if self.stock_value is not None:
            check_number(tr("Worth of the stock"), self.stock_value, low=0, high=1e6)
        if self.hour_rate is not None:
            check_number(tr("Rate"), self.hour_rate, tr("per hour"), low=0, high=1e5)


@dataclass(frozen=True)
class JointFit:
    """Widths of one kind that do not take the measured stock: what an answer is about, how they
    come out, where one is, and the width that fits, mm.
    """

    about: str
    says: str
    at_mm: tuple[float, float]
    draw_mm: float


@dataclass(frozen=True)
class Piecework:
    """One copy of a job as it is burnt, and its pieces where they are placed one by one."""

    whole: Pattern
    parts: tuple[Pattern, ...] = ()
    names: NamePlan | None = None
    name_steps: tuple[Steps, ...] = ()
    labels: tuple[str, ...] = ()  # of the parts: of which layer each is


@dataclass(frozen=True)
class JobResult:
    """What was worked out of a wish."""

    wish: JobWish
    plan: JobPlan
    paces: tuple[Pace, ...] = ()
    offer: CellOffer | None = None
    once_more: tuple[float, ...] = ()  # what one more pass, and two, free of what hangs
    joints: tuple[JointFit, ...] = ()
    names: NamePlan | None = None
    labels: tuple[str, ...] = ()  # of the parts
    first: tuple[FirstCell, ...] = ()  # burnt before it on its sheet, and counted

    @property
    def paper(self) -> JobPaper:
        wish = self.wish
        stock = replace(wish.stock, sheets=wish.sheets)
        told = (self.paces, self.offer, self.names, self.labels)
        return JobPaper(wish.job, wish.machine, stock, self.plan, *told)


def knowledge_of(machine: Machine, stock: Stock, pairs: Sequence[Any]) -> Any:
    """Return what the readings of a cut's trials say (FittedCut), or None where there are none."""
    import numpy as np

    from olive_almanac.core.deciding.cut_knowledge import know_cut

    if not any(readings for _, readings in pairs):
        return None
    return know_cut(machine, stock, list(pairs), rng=np.random.default_rng(0))


def piecework_for(wish: JobWish) -> Piecework:
    """Return one copy as it is burnt."""
    return finished(making_piecework(wish))


def making_piecework(wish: JobWish) -> Making[Piecework]:
    """Make one copy as it is burnt, stage by stage: what takes longest, and does not hang on where
    copies lie.
    """
    job = wish.job
    said = answers_of(job.answers)
    handling = Handling(
        job.rounds,
        once="burnt twice" in said,
        widths=widths_of(said),
        thickness_mm=wish.stock.thickness_mm,
        shadings=tuple(_shadings(wish)),
    )
    if job.glow is not None and job.glow.group in wish.drawing.groups:
        task = next((one for one in wish.tasks if one.group == job.glow.group), None)
        by_line = task is not None and task.setting is not None and not task.setting.pitch_mm
        dotted = with_dots(wish.drawing, job.glow, as_outlines=by_line)
        wish = replace(wish, drawing=dotted)
    burnt = wish.drawing, wish.tasks, wish.machine
    if job.stack is not None:
        first = replace(handling, effort=0.0)  # nobody burns it as a whole
        whole = yield from making_pattern(*burnt, first)
        return _in_layers(wish, whole, handling, job.stack)
    if job.apart and job.jig is None:
        whole, parts = yield from making_pieces(*burnt, handling)
        return Piecework(whole, parts)
    whole = yield from making_pattern(*burnt, handling)
    yield "copy"
    return _with_names(wish, whole)


def _in_layers(wish: JobWish, whole: Pattern, handling: Handling, stack: Stack) -> Piecework:
    """The pieces of each layer, from the base up, scored with the guides of the next one."""
    line_mm = wish.machine.spot_longer_mm
    parts: list[Pattern] = []
    labels: list[str] = []
    for layer in layered(wish.drawing, wish.tasks, stack, line_mm=line_mm):
        mine = tuple(one for one in handling.shadings if layer_name(one.group) == layer.name)
        own = replace(handling, shadings=mine)
        pieces = parts_of(layer.drawing, wish.tasks, wish.machine, own)
        parts += pieces
        labels += [group_words(layer.name)] * len(pieces)
    return Piecework(whole, tuple(parts), labels=tuple(labels))


def _layer_remarks(wish: JobWish, work: Piecework) -> Iterator[str]:
    """What should be known of layers that are glued on each other."""
    stack, names = wish.job.stack, tuple(dict.fromkeys(work.labels))
    if stack is None or not names:
        return
    yield tr("Glue from the base up: {names}.", names=tr(", then ").join(names))
    if not any(one.group == GUIDES and one.burns for one in wish.tasks):
        yield tr("No guides are scored: the book knows no score for this stock yet.")
    if stack.taped:
        yield tr(
            "Tape down, cut from the front; it sticks where it touches, so lay it by its guide."
        )


def _shadings(wish: JobWish) -> Iterator[Shading]:
    """The pictures of the drawing that are engraved, through the measured tone curve."""
    burnt = {task.group for task in wish.tasks if task.burns}
    for picture in wish.drawing.pictures:
        if picture.group not in burnt or wish.tone is None:
            continue
        luminance = luminance_of(picture.data, wish.drawing.name)
        (left, low), (wide, high) = picture.corner_mm, picture.size_mm
        box = (left, low, left + wide, low + high)
        yield shaded(luminance, box, wish.tone, wish.machine, picture.group)


def _with_names(wish: JobWish, whole: Pattern) -> Piecework:
    """One copy, and what is lettered on each of them."""
    job, machine = wish.job, wish.machine
    task = next((one for one in wish.tasks if one.group == NAMES), None)
    letters = wish.letters
    if not job.names or letters is None:
        return Piecework(whole)
    box = job.name_box_mm or free_box(whole, job.names, letters)
    if not box:
        return Piecework(whole)
    left, low, right, high = box
    names = lettered(job.names, (left, low, right, high), letters, spot_mm=machine.spot_longer_mm)
    if task is None or not task.burns:
        return Piecework(whole, names=names)
    steps = name_steps(names, task, machine)
    return Piecework(with_room_for(whole, steps), (), names, steps)


def _name_remarks(wish: JobWish, work: Piecework, plan: JobPlan) -> Iterator[str]:
    """What should be known of the names of the list."""
    names, job = work.names, wish.job
    if not job.names:
        return
    if names is None:
        where = (
            tr("placed piece by piece") if job.apart else tr("on which there is no room for them")
        )
        yield tr("The names are left out: the copies are {where}.", where=where)
        return
    if names.says:
        yield names.says
    if names.looks:
        told = count_text(len(names.looks), "name")
        yield tr(
            "{told} of the list {verb} for a look.",
            told=told,
            verb=tr("asks") if len(names.looks) == 1 else tr("ask"),
        )
    if len(job.names) < plan.copies:
        yield tr("{copies} copies have no name and stay bare.", copies=plan.copies - len(job.names))


def sheets_for(job: Job, stock: Stock) -> tuple[Sheet, ...]:
    """Return what a job is burnt on: the sheets of the rack, or its jig, once for each load."""
    if job.jig is None:
        return stock.sheets
    return (Sheet(*job.jig.size_mm),) * loads_of(job.jig, job.copies)


def layout_of(wish: JobWish, work: Piecework) -> Layout:
    """Return how the copies of a job are to be laid out."""
    lie, touched = _lie_of(wish, work)
    return Layout(
        wish.job.copies,
        wish.job.gap_mm,
        wish.sheets,
        EDGE_MM if wish.sheets else 0.0,
        keeps_grain=group_of(wish.stock) == "Wood",
        parts=work.parts,
        placed=None if wish.job.jig is not None else wish.placed,
        sides=wish.job.sides,
        tasks=wish.tasks,
        jig=wish.job.jig,
        lie=lie,
        touched=touched,
        names=work.name_steps,
    )


def _lie_of(wish: JobWish, work: Piecework) -> tuple[Lie, Touched | None]:
    """How the sheets of a job lie on the bed."""
    job = wish.job
    if job.origin == "head":
        return Lie(anchor=job.anchor), None
    if job.origin == "bed" or not job.touched_mm:
        return Lie(job.stop_mm if job.origin == "bed" else (0.0, 0.0)), None
    x1, y1, x2, y2 = job.touched_mm
    places = None
    if job.reference != SHEET:
        places = reference_of(wish.drawing, job.reference, work.whole)
    return Lie(), Touched(((x1, y1), (x2, y2)), places)


def reference_of(
    drawing: Drawing, reference: str, pattern: Pattern
) -> tuple[tuple[float, float], tuple[float, float]]:
    """Return the two places of a drawing that are touched: the ends of a group's line, or its lower
    corners; the lower corners of all that is burnt where there is no such group.
    """
    paths = [path for path in drawing.paths if path.group == reference]
    if not paths:
        left, low, right, _ = pattern.box_mm
        return (left, low), (right, low)
    points = np.concatenate([flat(path, FLAT_MM) for path in paths])
    if len(paths) == 1 and not paths[0].closed:
        (ax, ay), (bx, by) = points[[0, -1]].tolist()
        return (ax, ay), (bx, by)
    (left, low), (right, _) = points.min(axis=0).tolist(), points.max(axis=0).tolist()
    return (left, low), (right, low)


def nesting(wish: JobWish, work: Piecework) -> Iterator[tuple[PlacedCopy, ...]]:
    """Yield nothing while it seeks, then the places of all copies by their outlines."""
    layout = layout_of(wish, work)
    patterns = work.parts or (work.whole,)
    items = items_of(
        patterns, layout.copies, keeps_grain=layout.keeps_grain, apart=bool(work.parts)
    )
    rooms = rooms_of(layout, wish.machine, patterns, by_outline=True)
    return nested(items, rooms, gap_mm=layout.gap_mm, beside=BesideThread())


def planning_of(wish: JobWish, work: Piecework) -> Iterator[JobPlan]:
    """Yield a job as far as it is planned, sheet by sheet; the last one is whole."""
    plan = None
    for plan in planning(work.whole, wish.machine, layout_of(wish, work)):
        yield plan
    assert plan is not None
    told = (*_name_remarks(wish, work, plan), *_layer_remarks(wish, work))
    yield replace(plan, remarks=(*plan.remarks, *told))


def result_of(wish: JobWish, work: Piecework, plan: JobPlan, known: Any = None) -> JobResult:
    """Return what is known of a plan: its joints, and its paces and offer where the fitted cut is
    `known`.
    """
    stock = wish.stock
    joints = tuple(joint_fits(wish, work.whole))
    cut = next((one for one in wish.tasks if one.task == "cut" and one.setting is not None), None)
    if known is None or cut is None or cut.setting is None or not plan.copies:
        return JobResult(wish, plan, joints=joints, names=work.names, labels=work.labels)
    price = _price_of(wish, plan, cut.setting)
    first = _first_of(wish, plan)
    paces = paces_of(known, cut.setting, price, wish.earlier, first)
    offer = None
    if not first:
        offer = offer_of(known, cut.setting, price, wish.earlier, price_m2=stock.price_m2 or 0.0)
    once_more = freed_by_passes(known, cut.setting, earlier=wish.earlier, first=first)
    found = (paces, offer, once_more, joints, work.names, work.labels, first)
    return JobResult(wish, plan, *found)


def first_cells(trial: Trial, readings: Sequence[Reading]) -> Iterator[FirstCell]:
    """Yield the cells of a cut's coupon that tell whether they fell free; not those that flared."""
    cells = {cell.id: cell for cell in trial.cells if cell.mark != "line"}
    for reading in readings:
        if reading.cell in cells and reading.verdict is not None and not flared(reading):
            yield FirstCell(cells[reading.cell].setting, reading.verdict == "free")


def _first_of(wish: JobWish, plan: JobPlan) -> tuple[FirstCell, ...]:
    """The cells that share their sheet with the job."""
    if wish.job.jig is not None:
        return ()
    sheets: set[int | None] = {run.sheet for run in plan.runs} if wish.sheets else {None}
    return tuple(cell for sheet, cell in wish.first if sheet in sheets)


def joint_fits(wish: JobWish, pattern: Pattern) -> Iterator[JointFit]:
    """Yield, for each width that is drawn for the stock's thickness and does not take the measured
    stock, what fits; nothing where the lot was not measured.
    """
    stock = wish.stock
    if len(stock.measured_mm) < 2:
        return
    spread = stdev(stock.measured_mm)
    kerf_of = {task.group: task.kerf_mm for task in wish.tasks}
    found: dict[tuple[JointKind, float], list[tuple[JointAdvice, tuple[float, float]]]] = {}
    for part in pattern.parts:
        kerf = kerf_of.get(part.group)
        for joint in joints_of(part.outline, part.holes, stock.thickness_mm):
            if joint.kind not in ("slot", "notch"):
                continue
            mean = sum(kerf) / 2 if kerf else USUAL_KERF_MM
            advice = advice_for(
                joint.drawn_mm,
                stock.true_thickness_mm,
                spread,
                kerf_mm=mean,
                kerf_sd_mm=KERF_SD_MM if kerf else USUAL_KERF_SD_MM,
                compensated=kerf is not None,
            )
            key = (joint.kind, round(joint.drawn_mm, 2))
            found.setdefault(key, []).append((advice, joint.at_mm))
    for (kind, drawn), told in sorted(found.items()):
        advice, at_mm = told[0]
        if advice.jams > JAMS_AT_MOST or advice.clearance_mm > LOOSE_MM:
            says = _joint_words(drawn, kind, [one for one, _ in told], stock)
            yield JointFit(joint_key(kind, drawn), says, at_mm, round(advice.draw_mm, 2))


def _joint_words(drawn: float, kind: str, advice: list[JointAdvice], stock: Stock) -> str:
    first = advice[0]
    measured = fixed_text(stock.true_thickness_mm, 2)
    if kind == "notch":
        told = count_text(len(advice), "notch", "notches")
    else:
        told = count_text(len(advice), "slot")
    if first.jams > JAMS_AT_MOST:
        chance = f"{100 * first.jams:.0f} %" if first.jams < 0.99 else tr("over 99 %")
        state = tr("jams with {chance} on stock of {measured} mm", chance=chance, measured=measured)
    else:
        state = tr(
            "{clearance_mm:.2f} mm loose on stock of {measured} mm",
            clearance_mm=first.clearance_mm,
            measured=measured,
        )
    fits = fixed_text(first.draw_mm, 2)
    return tr(
        "{told} drawn {drawn:.2f} mm wide: {state}; {fits} mm fits.",
        told=told,
        drawn=drawn,
        state=state,
        fits=fits,
    )


def _price_of(wish: JobWish, plan: JobPlan, cut: Setting) -> JobPrice:
    """What one sheet's run is worth: the fullest sheet stands for all."""
    machine, stock = wish.machine, wish.stock
    run = max(plan.runs, key=lambda one: len(one.placed))
    mine = [plan.of(copy) for copy in run.placed]
    length = sum(one.cut_mm for one in mine)
    seconds = sum(one.seconds for one in plan.runs if one.sheet == run.sheet)
    other = max(0.0, seconds - length * cut.passes / cut.speed_mm_s)
    value = wish.stock_value
    if value is None:
        area = sum(one.size_mm[0] * one.size_mm[1] for one in mine) / 1e6
        value = area * (stock.price_m2 or 0.0)
    rate = wish.hour_rate if wish.hour_rate is not None else machine.rate
    return JobPrice(length, value, USUAL_RATE if rate is None else rate, other, wish.job.hang)


def limits_of_run(run: SheetRun, sheet: Sheet | None) -> CheckLimits:
    """Return what the file of one sheet must keep to."""
    ground, machine = run.ground, run.ground.machine
    keep = machine.head_clearance_mm
    clamps = tuple(
        _sized(ground.box_on_bed(b if ground.over is None else over_mm(ground.over, b)), keep)
        for b in (sheet.clamps_mm if sheet is not None else ())
    )  # they stay where they are when the sheet is turned over
    within = _sized(ground.box_on_bed(ground.area))
    bed_from = (0.0, 0.0)
    if ground.waits_mm is not None:  # the file's zero is where the head stands, not the bed's
        bed_from = within[:2]
    return CheckLimits(
        machine.bed_mm, machine.max_speed_mm_s, machine.power_scale, within, clamps, bed_from
    )


def _sized(box: Box, around: float = 0.0) -> Box:
    """A box as x, y, width, height, so much larger on each side."""
    left, low, right, high = box
    return (left - around, low - around, right - left + 2 * around, high - low + 2 * around)


def check_run(result: JobResult, run: SheetRun, unlit: str = "", first: int = 0) -> None:
    """Check the program of a sheet from a step on, or one of UNLIT_BLOCKS, with the independent
    checker before it is sent.  Raises CannotWrite with the first finding.
    """
    wish = result.wish
    said = {task.group: task.setting for task in wish.tasks if task.setting is not None}
    sheet = wish.sheets[run.sheet] if wish.sheets else None
    blocks = UNLIT_BLOCKS[unlit](run) if unlit else job_blocks(run, said, first=first)
    for _ in _checking(b"".join(blocks), run, sheet, "sent"):
        pass


def _reports(program: bytes, run: SheetRun, sheet: Sheet | None) -> Iterator[CheckReport]:
    """What the checker has found so far, piece by piece; the last one is whole."""
    for _, report in check_lines(program.decode("ascii"), limits_of_run(run, sheet)):
        yield report


def _checking(
    program: bytes, run: SheetRun, sheet: Sheet | None, act: str
) -> Iterator[CheckReport]:
    """Check a program piece by piece; raises CannotWrite where it is not safe."""
    report = CheckReport((), 0)
    for so_far in _reports(program, run, sheet):
        report = so_far
        yield report
    if not report.safe:
        raise CannotWrite(
            tr(
                "The program of sheet {sheet} did not pass its safety check and was not "
                "{act}. {text}",
                sheet=run.sheet + 1,
                act=act,
                text=report.findings[0].text,
            )
        )


def write_job_files(
    result: JobResult,
    folder: Path,
    *,
    checks: Sequence[str] = (),
    speed_unit: str = "mm/s",
    is_own: bool = False,
) -> Iterator[str]:
    """Write the files of a job, once every program passes the independent checker: for each sheet
    G-code, SVG and DXF, the job sheet and the job as JSON; all together or not at all.  Where
    the folder is the job's own, what an earlier layout left of sheets that are no more is deleted.

    Yields what is in hand, in words: for a worker.  Raises CannotWrite.
    """
    wish, plan = result.wish, result.plan
    if not plan.runs:
        raise CannotWrite(tr("Not one copy has room on a sheet, so there is nothing to write."))
    said = {task.group: task.setting for task in wish.tasks if task.setting is not None}
    contents: dict[Path, str | bytes] = {}
    size = 0
    for run in plan.runs:
        called = wish.job.sheet_words(run.sheet, run.side)
        yield called
        head = (
            tr("Olive Almanac, job {job}, {called}", job=wish.job.name, called=called),
            f"{wish.machine.name}, {wish.stock.label}",
        )
        blocks: list[bytes] = []
        for block in job_blocks(run, said, *head):
            blocks.append(block)
            size += len(block)
            if size > MOST_BYTES:
                raise CannotWrite(
                    tr(
                        "The programs of this job would be larger than {most} MB, more than "
                        "controllers take. Engrave with a wider line pitch, smaller, or fewer "
                        "copies at a time. Nothing was written.",
                        most=MOST_BYTES // 1_000_000,
                    )
                )
            yield called
        program = b"".join(blocks)
        blocks.clear()
        sheet = wish.sheets[run.sheet] if wish.sheets else None
        for _ in _checking(program, run, sheet, "written"):
            yield called
        name = sheet_file(wish.job, run)
        for what, unlit_blocks in UNLIT_BLOCKS.items():
            unlit = b"".join(unlit_blocks(run, *head))
            report = CheckReport((), 0)
            for so_far in _reports(unlit, run, sheet):
                report = so_far
                yield called
            if report.safe:
                contents[below(folder, f"{name}-{what}.nc")] = unlit
        contents[below(folder, f"{name}.nc")] = program
        layers = job_layers(result.paper, run)
        contents[below(folder, f"{name}.svg")] = job_svg(result.paper, run, layers)
        yield called
        contents[below(folder, f"{name}.dxf")] = dxf_of_layers(layers)
    yield tr("job sheet")
    for page in ("a4", "letter"):
        name = "job.pdf" if page == "a4" else "job-letter.pdf"
        contents[below(folder, name)] = write_job_sheet(
            result.paper, checks=checks, speed_unit=speed_unit, page=page
        )
    contents[below(folder, "job.json")] = write_job(result.paper, wish.drawing)
    write_together(contents)
    if is_own:
        _sweep_sheets(folder, contents)
    yield "written"


def sheet_file(job: Job, run: SheetRun) -> str:
    """Return the name, without its end, of the files of a sheet, the same in every language."""
    kind = "sheet" if job.jig is None else "load"
    return "-".join(filter(None, (kind, str(run.sheet + 1), run.side)))


def _sweep_sheets(folder: Path, written: Collection[Path]) -> None:
    """Delete files of sheets that are not of the job as it was written: nobody burns them then.

    Raises CannotWrite.
    """
    for path in folder.iterdir():
        if path in written or not OF_A_SHEET.fullmatch(path.name):
            continue
        try:
            path.unlink(missing_ok=True)
        except OSError as problem:
            raise CannotWrite(
                tr(
                    "{path} is of an earlier layout and cannot be deleted ({strerror}). Delete "
                    "it yourself, and do not burn it. The new files are written.",
                    path=path,
                    strerror=problem.strerror,
                )
            ) from problem
