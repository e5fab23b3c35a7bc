"""olive-almanac job: a drawing to files for the machine, by the entries of the book."""

from __future__ import annotations

import argparse
import hashlib
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, cast

from olive_almanac.cli.console import add_json, load_machine, load_pairs, load_stock, say, warn
from olive_almanac.cli.services import CommandServices
from olive_almanac.core.errors import BadFile, Barred, Finding, OutOfRange
from olive_almanac.core.quoting.answers import ABOUT_UNITS, REMEDIES, UNITS
from olive_almanac.core.records.anchors import ANCHORS
from olive_almanac.core.records.drawing import Drawing
from olive_almanac.core.records.entry import Entry
from olive_almanac.core.records.job import HANGS, LEAVE_OUT, ORIGINS, FindingAnswer, GroupTask
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import TASKS, Task
from olive_almanac.core.records.stock import Sheet, Stock
from olive_almanac.core.units import count_text, duration_text, number_text, read_sides_mm
from olive_almanac.core.words import tr
from olive_almanac.formats.job_files import write_job
from olive_almanac.formats.station_files import read_entry
from olive_almanac.formats.svg_in import colour_of
from olive_almanac.steps.files import name_of, read_bytes, read_text
from olive_almanac.steps.job_work import (
    JobResult,
    JobWish,
    drawing_of,
    first_cells,
    knowledge_of,
    likely_tasks,
    nesting,
    new_job,
    piecework_for,
    planning_of,
    result_of,
    task_with,
    write_job_files,
)
from olive_almanac.steps.permission import permission_for, rules_where_burnt

if TYPE_CHECKING:
    from olive_almanac.core.fitting.dot_table import DotTable
    from olive_almanac.core.fitting.tone_table import ToneTable
    from olive_almanac.core.quoting.job_plan import JobPlan
    from olive_almanac.core.quoting.risk import FirstCell

__all__ = ["EXAMPLES", "add_arguments", "run"]

EXAMPLES = (
    (
        "job dial.svg --machine m.json --stock s.json --entry cut.json --copies 9 --out dials/",
        tr("Lays nine copies on the sheets of the rack and writes the files."),
    ),
    (
        tr(
            "job tag.svg --machine m.json --stock s.json --entry cut.json "
            '--groups "red=cut,blue=leave out" --out tags/'
        ),
        tr("Says what each colour is."),
    ),
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the verb takes."""
    parser.add_argument("drawing", type=Path, help=tr("SVG or DXF"))
    parser.add_argument("--machine", type=Path, required=True)
    parser.add_argument("--stock", type=Path, required=True)
    parser.add_argument(
        "--entry",
        type=Path,
        nargs="+",
        default=[],
        help=tr("entries of the book, one a task, from which the numbers come"),
    )
    parser.add_argument(
        "--groups",
        default="",
        help=tr('tasks by layer or colour: "red=cut,blue=score,#000=engrave,guides=leave out"'),
    )
    parser.add_argument("--copies", type=int, default=1)
    parser.add_argument("--gap", type=float, default=3.0, help=tr("between copies, mm"))
    parser.add_argument("--sheet", action="append", default=[], help=tr("a sheet, WxH in mm"))
    parser.add_argument("--stock-value", type=float, help=tr("worth of the stock of one run"))
    parser.add_argument("--rate", type=float, help=tr("machine and person, an hour"))
    parser.add_argument(
        "--origin",
        choices=tuple(ORIGINS),
        default="bed",
        help=tr(
            "the sheet lies at a stop, begins where the head stands, or was touched at two places"
        ),
    )
    parser.add_argument(
        "--stop", type=_numbers(2), default=(0.0, 0.0), metavar="X,Y", help=tr("its corner, mm")
    )
    parser.add_argument(
        "--anchor", choices=tuple(ANCHORS), default="lower left", help=tr("where the head stands")
    )
    parser.add_argument(
        "--touched",
        type=_numbers(4),
        default=(),
        metavar="X,Y,X,Y",
        help=tr("where its lower corners were touched, mm"),
    )
    parser.add_argument(
        "--answer",
        action="append",
        default=[],
        metavar="KIND=CHOICE",
        help=tr(
            "to what the drawing tells: pixels=mm, 'burnt twice=once', 'nearly closed=close' ..."
        ),
    )
    parser.add_argument("--pieces", action="store_true", help=tr("place its pieces one by one"))
    parser.add_argument("--closer", action="store_true", help=tr("lay copies by their outlines"))
    parser.add_argument(
        "--hang", choices=tuple(HANGS), default="knife", help=tr("what a hang costs")
    )
    parser.add_argument(
        "--evidence",
        type=Path,
        nargs="+",
        default=[],
        metavar=tr("TRIAL READINGS"),
        help=tr(
            "the cut's coupons with their readings, from which the chance of the job is reckoned"
        ),
    )
    parser.add_argument(
        "--first",
        type=Path,
        nargs="+",
        default=[],
        metavar=tr("TRIAL READINGS"),
        help=tr("what was burnt today on this very sheet, before the job: it shares its day"),
    )
    parser.add_argument(
        "--tones",
        type=Path,
        nargs=2,
        metavar=("TRIAL", "READINGS"),
        help=tr(
            "the greyscale strip by which the drawing's pictures are engraved, or the dot strip"
        ),
    )
    parser.add_argument(
        "--we-burn-it",
        action="store_true",
        help=tr("the shop has decided to burn this disputed stock"),
    )
    parser.add_argument("--name", default="")
    parser.add_argument("--out", type=Path, required=True)
    add_json(parser)


def _numbers(count: int) -> Callable[[str], tuple[float, ...]]:
    """Return what reads so many numbers with commas between them."""

    def read(text: str) -> tuple[float, ...]:
        try:
            values = tuple(float(part) for part in text.split(","))
        except ValueError:
            values = ()
        if len(values) != count:
            raise argparse.ArgumentTypeError(
                tr("“{text}” must be {count} numbers with commas", text=text, count=count)
            )
        return values

    return read


def run(arguments: argparse.Namespace, services: CommandServices, library: Path) -> int:
    """Work the job out, write its files and tell what it takes and how sure it is."""
    machine, stock = load_machine(arguments.machine), load_stock(arguments.stock)
    path = arguments.drawing
    answers = tuple(_answers(arguments.answer))
    drawing = drawing_of(read_bytes(path), name_of(path), machine, answers)
    warn([Finding(one.kind, drawing.name, one.says) for one in drawing.findings])
    entries = _entries(arguments.entry, machine, stock)
    tasks = tuple(
        task_with(one, entries.get(one.task)) for one in _tasks(drawing, arguments.groups)
    )
    tone = _tone(arguments.tones)
    tasks = tuple(_by_strip(one, drawing, tone) for one in tasks)
    _check_burns(tasks, machine, stock, we_burn_it=arguments.we_burn_it)
    wish = _wish(arguments, drawing, tasks, machine, stock, services.today().isoformat())
    job = replace(wish.job, answers=answers, apart=arguments.pieces)
    wish = replace(wish, job=job, tone=tone)
    known = None
    if arguments.evidence:
        known = knowledge_of(machine, stock, load_pairs(arguments.evidence))
    work = piecework_for(wish)
    if arguments.closer:
        *_, placed = nesting(wish, work)
        wish = replace(wish, placed=placed)
    *_, plan = planning_of(wish, work)
    wish = replace(wish, first=_first_of(arguments, wish, plan))
    result = result_of(wish, work, plan, known)
    for _ in write_job_files(result, arguments.out):
        pass
    told = (*result.plan.remarks, *(one.says for one in result.joints))
    warn([Finding("mind", drawing.name, words) for words in told])
    say(arguments, _in_short(result, arguments.out), write_job(result.paper, drawing))
    return 0


def _tone(files: Sequence[Path] | None) -> ToneTable | DotTable | None:
    """The tone curve of a greyscale strip, or of a dot strip, and its readings."""
    if files is None:
        return None
    from olive_almanac.core.fitting.dot_table import dot_table_of
    from olive_almanac.core.fitting.tone_table import tone_table_of

    ((trial, readings),) = load_pairs(files)
    if trial.kind == "dots":
        return dot_table_of(trial, readings)
    return tone_table_of(trial, list(readings))


def _by_strip(task: GroupTask, drawing: Drawing, tone: ToneTable | DotTable | None) -> GroupTask:
    """A picture's task with the numbers of the strip; nothing is guessed without one."""
    if task.group not in drawing.picture_groups or task.task == LEAVE_OUT:
        return task
    if tone is None:
        raise BadFile(
            tr(
                "{group}: its greys need a greyscale strip that was read. Give one with "
                '--tones, or leave it out: --groups "{group}={leave_out}".',
                group=task.group,
                leave_out=LEAVE_OUT,
            )
        )
    from olive_almanac.core.quoting.shades import picture_setting

    return replace(task, entry_uid="", setting=picture_setting(tone), kerf_mm=None)


def _answers(said: list[str]) -> Iterator[FindingAnswer]:
    for words in said:
        about, _, choice = (part.strip() for part in words.rpartition("="))
        is_unit = about in ABOUT_UNITS and choice in UNITS
        if is_unit or (choice and REMEDIES.get(about, ("",))[0] == choice):
            yield FindingAnswer(about, choice)
        else:
            known = [f"{kind}={remedy}" for kind, (remedy, _) in REMEDIES.items()]
            units = ", ".join(UNITS)
            told = tr(
                "{known}, or pixels, no size, no unit = {units}",
                known=", ".join(known),
                units=units,
            )
            raise OutOfRange("--answer", f"“{words}”", told)


def _entries(files: list[Path], machine: Machine, stock: Stock) -> dict[str, Entry]:
    found: dict[str, Entry] = {}
    for path in files:
        entry, of_machine, of_stock = read_entry(read_text(path), path.name)
        if (of_machine.name, of_stock.label) != (machine.name, stock.label):
            raise BadFile(
                tr(
                    "{path} is for {of_machine} and {of_stock}, the job for {machine} and {stock}.",
                    path=path.name,
                    of_machine=of_machine.name,
                    of_stock=of_stock.label,
                    machine=machine.name,
                    stock=stock.label,
                )
            )
        found[entry.task] = entry
    return found


def _tasks(drawing: Drawing, said: str) -> list[GroupTask]:
    """The task of each group: as it is said, else what is likely."""
    tasks = {one.group: one for one in likely_tasks(drawing)}
    for part in filter(str.strip, said.split(",")):
        name, _, task = (word.strip() for word in part.rpartition("="))
        if task not in (*TASKS, LEAVE_OUT):
            tasks_known = ", ".join((*TASKS, LEAVE_OUT))
            raise OutOfRange(
                "--groups", f"“{part}”", tr("a group = {tasks_known}", tasks_known=tasks_known)
            )
        named = [group for group in tasks if name and _is_called(group, name)]
        if not named:
            known = ", ".join(drawing.groups)
            raise OutOfRange(
                "--groups", f"“{name}”", tr("one of the drawing's groups: {known}", known=known)
            )
        for group in named:
            tasks[group] = GroupTask(group, task)
    return list(tasks.values())


def _is_called(group: str, name: str) -> bool:
    """Whether a group is meant: by its whole name, its layer, or its colour."""
    layer, _, colour = group.rpartition(" / ")
    wanted = name.casefold()
    return wanted in (group.casefold(), layer.casefold()) or colour_of(name) == colour


def _check_burns(
    tasks: tuple[GroupTask, ...], machine: Machine, stock: Stock, *, we_burn_it: bool
) -> None:
    for task in tasks:
        if task.task == LEAVE_OUT:
            continue
        if task.setting is None:
            raise BadFile(
                tr(
                    "{group} is to be {task}, but no entry of that task was given. Give one with "
                    "--entry, or another task with --groups.",
                    group=task.group,
                    task=task.task,
                )
            )
        rules = rules_where_burnt(stock) if we_burn_it else {}
        permission = permission_for(machine, stock, cast(Task, task.task), rules)
        if not permission.allowed:
            raise Barred(permission.reason)


def _wish(
    arguments: argparse.Namespace,
    drawing: Drawing,
    tasks: tuple[GroupTask, ...],
    machine: Machine,
    stock: Stock,
    made: str,
) -> JobWish:
    sheets = tuple(Sheet(*read_sides_mm(text, tr("Sheet"))) for text in arguments.sheet)
    name = arguments.name or Path(drawing.name).stem
    uid = hashlib.sha256(f"{drawing.sha256}{machine}{stock}{tasks}".encode()).hexdigest()[:16]
    job = replace(
        new_job(drawing, tasks, machine, stock, uid=uid, made=made),
        name=name,
        copies=arguments.copies,
        gap_mm=arguments.gap,
        hang=arguments.hang,
        origin="touched" if arguments.touched else arguments.origin,
        stop_mm=arguments.stop,
        anchor=arguments.anchor,
        touched_mm=arguments.touched,
    )
    wish = JobWish(drawing, tasks, machine, stock, job, sheets or stock.sheets)
    return replace(wish, stock_value=arguments.stock_value, hour_rate=arguments.rate)


def _first_of(
    arguments: argparse.Namespace, wish: JobWish, plan: JobPlan
) -> tuple[tuple[int | None, FirstCell], ...]:
    """The cells burnt first, on the sheet that the job begins with."""
    if not arguments.first:
        return ()
    if not arguments.evidence:
        raise BadFile(tr("--first needs --evidence: one day's cells alone tell too little."))
    sheet = plan.runs[0].sheet if plan.runs and wish.sheets else None
    told = load_pairs(arguments.first)
    return tuple((sheet, cell) for pair in told for cell in first_cells(*pair))


def _in_short(result: JobResult, out: Path) -> str:
    plan = result.plan
    lines = [
        tr(
            "{copies_words} on {sheets}, {seconds}. Written into {out}.",
            copies_words=plan.copies_words,
            sheets=count_text(len(plan.runs), "sheet"),
            seconds=duration_text(plan.seconds),
            out=out,
        )
    ]
    names = {"book": tr("By the book"), "least": tr("Least cost"), "surest": tr("Surest")}
    for pace in result.paces:
        speed = number_text(pace.setting.speed_mm_s)
        lines.append(
            tr(
                "{names}: {speed} mm/s x {passes}, all falls free with {all_free:.0f} %, "
                "costs {expected_cost:.2f} in the mean.",
                names=names[pace.rule],
                speed=speed,
                passes=pace.setting.passes,
                all_free=100 * pace.risk.all_free,
                expected_cost=pace.expected_cost,
            )
        )
    if result.offer is not None:
        offer = result.offer
        lines.append(
            tr(
                "Burn {settings} cells in a corner first: {seconds} and {cost:.2f}; saves "
                "{saves:.2f} in the mean.",
                settings=len(offer.settings),
                seconds=duration_text(offer.seconds),
                cost=offer.cost,
                saves=offer.saves,
            )
        )
    return "\n".join(lines)
