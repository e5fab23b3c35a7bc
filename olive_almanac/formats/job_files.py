"""A job on paper and in other programs' files: drawings of a sheet with a layer per setting, the
job sheet as PDF, and the job as JSON.
"""

from __future__ import annotations

import json
import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.motion.program import over_mm, over_point
from olive_almanac.core.quoting.job_plan import JobPlan, SheetRun
from olive_almanac.core.quoting.names import NamePlan
from olive_almanac.core.quoting.place import turned_points
from olive_almanac.core.quoting.spend import CellOffer, Pace
from olive_almanac.core.quoting.turned_over import is_pin
from olive_almanac.core.records.drawing import Drawing
from olive_almanac.core.records.job import GROUP_WORDS, NAMES, Job, group_words
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.plain import to_plain
from olive_almanac.core.records.setting import TASK_WORDS
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import (
    duration_text,
    fixed_text,
    length_number,
    length_text,
    lengths_text,
    number_text,
    passes_text,
    percent_text,
    sides_text,
    speed_text,
)
from olive_almanac.core.words import tr
from olive_almanac.formats.drawing import Layer, layer_name, svg_of_layers
from olive_almanac.formats.pdf import CAUTION, PAGES_MM, SANS, SANS_BOLD, SERIF, Sheet

__all__ = ["JobPaper", "job_layers", "job_svg", "write_job", "write_job_sheet"]


Floats = NDArray[np.float64]


@dataclass(frozen=True)
class JobPaper:
    """A job with all that its files tell of it."""

    job: Job
    machine: Machine
    stock: Stock
    plan: JobPlan
    paces: tuple[Pace, ...] = ()
    offer: CellOffer | None = None
    names: NamePlan | None = None
    labels: tuple[str, ...] = ()  # of the parts: their layers


def job_layers(paper: JobPaper, run: SheetRun) -> list[Layer]:
    """Return what is burnt on one sheet, one layer a group, in mm of the burnt area."""
    plan = paper.plan
    layers = []
    for work in plan.pattern.work:
        task = work.task
        pins = _pins_of(run, task.group)
        burns = not run.side or task.group in run.groups
        lettered = task.group == NAMES and paper.names is not None  # in a layer of their own
        if task.setting is None or lettered or not (burns or pins):
            continue
        lines, areas = pins, []
        for copy in run.placed if burns else ():
            pattern = plan.of(copy)
            for group, points, closed in pattern.beams:
                if group == task.group:
                    whole = np.concatenate([points, points[:1]]) if closed else points
                    lines.append(_laid(turned_points(whole, pattern, copy), run))
            for group, points in pattern.areas:
                if group == task.group:
                    areas.append(_laid(turned_points(points, pattern, copy), run))
        name = f"{GROUP_WORDS.get(task.group, task.group)}, {task.task}: {layer_name(task.setting)}"
        layers.append(Layer(name, task.setting, tuple(lines), (), areas=tuple(areas)))
    return [*layers, *_name_layer(paper, run)]


def _pins_of(run: SheetRun, group: str) -> list[Floats]:
    """The holes for pins that a group's setting cuts."""
    return [
        _laid(np.array(path), run)
        for step, its_group in run.steps
        if is_pin(step) and its_group == group
        for path in step.paths
    ]


def _area_of(run: SheetRun) -> tuple[float, float, float, float]:
    """What is burnt of a sheet, as the sheet lies."""
    ground = run.ground
    return over_mm(ground.over, ground.area) if ground.over is not None else ground.area


def _laid(points: Floats, run: SheetRun) -> Floats:
    """Points of a sheet as it lies, in mm of the burnt area."""
    left, low = _area_of(run)[:2]
    if run.ground.over is not None:
        points = np.array([over_point(run.ground.over, tuple(point)) for point in points])
    return np.round(points - [left, low], 4)


def _name_layer(paper: JobPaper, run: SheetRun) -> list[Layer]:
    """What is lettered on the copies of a sheet, as one layer."""
    plan, names = paper.plan, paper.names
    task = next((one for one in paper.job.groups if one.group == NAMES), None)
    if names is None or task is None or task.setting is None:
        return []
    if run.side and NAMES not in run.groups:
        return []
    lines, areas = [], []
    numbers = (n for n, copy in enumerate(plan.placed) if copy.sheet == run.sheet)
    for number, copy in zip(numbers, run.placed, strict=True):  # where they lie for this side
        if number >= len(names.lines):
            continue
        for line in names.lines[number]:
            points = turned_points(line, plan.of(copy), copy)
            if not names.is_outline:
                lines.append(_laid(points, run))
            elif task.setting.pitch_mm:
                areas.append(_laid(points, run))
            else:
                lines.append(_laid(np.concatenate([points, points[:1]]), run))
    name = f"{group_words(NAMES)}, {task.task}: {layer_name(task.setting)}"
    return [Layer(name, task.setting, tuple(lines), (), areas=tuple(areas))]


def job_svg(paper: JobPaper, run: SheetRun, layers: Sequence[Layer]) -> str:
    """Return one sheet of a job as SVG, from its layers: the beam's paths, kerf taken off."""
    left, low, right, high = run.ground.area
    called = paper.job.sheet_words(run.sheet, run.side)
    title = f"{paper.job.name}, {called}, {paper.machine.name}, {paper.stock.label}"
    return svg_of_layers(title, (right - left, high - low), layers)


def write_job(paper: JobPaper, drawing: Drawing) -> str:
    """Return the job as JSON: drawing, groups, runs with their order and time, risk and spend."""
    job, plan = paper.job, paper.plan
    groups = [
        {
            "group": work.task.group,
            "task": work.task.task,
            "entry": work.task.entry_uid or None,
            "setting": to_plain(work.task.setting),
            "kerf_mm": list(work.task.kerf_mm or ()) or None,
            "length_mm": round(work.length_mm, 3),
            "contours": work.contours,
        }
        for work in plan.pattern.work
    ]
    body = {
        "format": "olive-almanac/job",
        "version": 1,
        "id": job.uid,
        "name": job.name,
        "made": job.made,
        "machine": to_plain(paper.machine),
        "stock": to_plain(paper.stock),
        "drawing": {
            "file": drawing.name,
            "sha256": drawing.sha256,
            "unit": drawing.unit,
            "size_mm": list(drawing.size_mm) if drawing.size_mm else None,
            "findings": [
                {"kind": one.kind, "says": one.says, "at_mm": one.at_mm} for one in drawing.findings
            ],
        },
        "groups": groups,
        "names": list(job.names),
        "origin": job.origin,
        "jig": to_plain(job.jig) if job.jig is not None else None,
        "lies": [_plain_lie(run) for run in plan.runs],
        "copies": plan.copies,
        "without_room": plan.without_room,
        "runs": [_plain_run(run) for run in plan.runs],
        "seconds": round(plan.seconds, 3),
        "travel_s": round(plan.travel_s, 3),
        "paces": [_plain_pace(pace) for pace in paper.paces],
        "coupon": _plain_offer(paper.offer),
        "remarks": list(plan.remarks),
        "outcomes": to_plain(job.outcomes),
    }
    return json.dumps(body, ensure_ascii=False, indent=1) + "\n"


def _plain_lie(run: SheetRun) -> dict[str, Any]:
    ground = run.ground
    turn_deg = round(math.degrees(ground.turn_rad), 4)
    return {"sheet": run.sheet, "zero_mm": list(ground.origin_mm), "turn_deg": turn_deg}


def _plain_run(run: SheetRun) -> dict[str, Any]:
    return {
        "sheet": run.sheet,
        "side": run.side or None,
        "parts": [to_plain(copy) for copy in run.placed],
        "contours": len(run.steps),
        "seconds": round(run.seconds, 3),
        "travel_s": round(run.travel_s, 3),
        "used_mm": [list(box) for box in run.used_mm],
    }


def _plain_pace(pace: Pace) -> dict[str, Any]:
    return {
        "rule": pace.rule,
        "setting": to_plain(pace.setting),
        "p_cell": round(pace.risk.cell, 5),
        "p_job": round(pace.risk.all_free, 5),
        "hangs": round(pace.risk.hangs, 4),
        "length_mm": round(pace.risk.length_mm, 1),
        "seconds": round(pace.seconds, 1),
        "run_cost": round(pace.run_cost, 2),
        "expected_cost": round(pace.expected_cost, 2),
    }


def _plain_offer(offer: CellOffer | None) -> dict[str, Any] | None:
    if offer is None:
        return None
    return {
        "settings": [to_plain(setting) for setting in offer.settings],
        "seconds": round(offer.seconds, 1),
        "cost": round(offer.cost, 2),
        "saves": round(offer.saves, 2),
    }


# -- on paper --------------------------------------------------------------------------------------


def write_job_sheet(
    paper: JobPaper, *, checks: Sequence[str] = (), speed_unit: str = "mm/s", page: str = "a4"
) -> bytes:
    """Return the job sheet as PDF: what is set for each group, the order, each sheet with its
    copies to scale, and the checklist to tick.
    """
    job, plan = paper.job, paper.plan
    sheet = Sheet(*PAGES_MM[page], title=tr("Job {job}", job=job.name))
    left, right = 18.0, sheet.width - 18.0
    sheet.fitted(left, 22, job.name, right - left - 40, 20, SERIF)
    sheet.text(right, 22, job.made, 10, align="right")
    sheet.line(left, 25, right, 25, 1.4)
    subject = f"{paper.machine.label}   {paper.stock.label}"
    sheet.fitted(left, 31, subject, right - left, 11, SANS_BOLD)
    size = lengths_text(*plan.pattern.size_mm)
    of = "" if plan.parts else tr(" of {size} mm", size=size)
    facts = tr(
        "{copies_words}{of}, {seconds} in all, {drawing_name}",
        copies_words=plan.copies_words,
        of=of,
        seconds=duration_text(plan.seconds),
        drawing_name=job.drawing_name,
    )
    sheet.fitted(left, 36.5, facts, right - left, 10, SANS)
    y = _draw_groups(sheet, paper, left, right, 45, speed_unit)
    for pace in paper.paces[:1]:
        chance = f"{100 * pace.risk.all_free:.0f} %"
        hangs = number_text(pace.risk.hangs, 1)
        words = tr(
            "The chance that all of a run falls free: {chance}; places that hang in the "
            "mean: {hangs}.",
            chance=chance,
            hangs=hangs,
        )
        sheet.text(left, y, words, 10, SANS_BOLD)
        y += 7
    for run in plan.runs:
        y = _draw_run(sheet, paper, run, left, right, y + 4)
    for words in plan.remarks[:6]:
        for line in sheet.wrapped(words, right - left, 9):
            sheet.text(left, y, line, 9)
            y += 4.4
    y += 4
    for words in checks:
        sheet.box(left, y - 3.2, 3.6, 3.6)
        sheet.fitted(left + 6, y, words, right - left - 6, 10, SANS)
        y += 6.2
    sheet.text(left, sheet.height - 12, CAUTION, 8)
    return sheet.done()


def _draw_groups(
    sheet: Sheet, paper: JobPaper, left: float, right: float, y: float, unit: str
) -> float:
    heads = (
        tr("Group"),
        tr("Task"),
        tr("Power"),
        tr("Speed"),
        tr("Passes"),
        tr("Focus"),
        tr("Kerf X, Y"),
        tr("Length"),
    )
    shares = (0, 0.27, 0.41, 0.49, 0.64, 0.74, 0.81, 0.92)
    xs = [left + share * (right - left) for share in shares]
    for x, head in zip(xs, heads, strict=True):
        sheet.text(x, y, head, 9, SANS_BOLD)
    sheet.line(left, y + 1.5, right, y + 1.5, 1.0)
    for work in paper.plan.pattern.work:
        y += 6.5
        task, setting = work.task, work.task.setting
        if setting is None:
            continue
        kerf = ", ".join(length_number(mm, 2) for mm in task.kerf_mm or ()) or tr("none")
        cells = (
            group_words(task.group),
            TASK_WORDS[task.task],
            f"{percent_text(setting.power)} %",
            speed_text(setting.speed_mm_s, unit),
            passes_text(setting.passes),
            length_text(setting.focus_mm),
            kerf,
            f"{fixed_text(work.length_mm / 1000, 2)} m",
        )
        for n, (x, words) in enumerate(zip(xs, cells, strict=True)):
            most = (xs[n + 1] if n + 1 < len(xs) else right) - x - 2
            sheet.fitted(x, y, words, max(most, 12), 10, SANS)
    return y + 9


def _draw_run(
    sheet: Sheet, paper: JobPaper, run: SheetRun, left: float, right: float, y: float
) -> float:
    """One sheet to scale with its copies as boxes and the order in which they are burnt."""
    sheets = paper.stock.sheets
    wide, high = (run.ground.area[2], run.ground.area[3])
    if sheets and run.sheet < len(sheets):
        wide, high = sheets[run.sheet].width_mm, sheets[run.sheet].height_mm
    scale = min((right - left) / wide, 70.0 / high)
    if y + scale * high + 12 > sheet.height - 20:
        sheet.new_page()
        y = 20.0
    called = paper.job.sheet_words(run.sheet, run.side)
    name = f"{called}: {sides_text(wide, high)}, {duration_text(run.seconds)}"
    sheet.text(left, y, name, 11, SANS_BOLD)
    top = y + 3
    sheet.box(left, top, scale * wide, scale * high, 1.0)
    before = sum(one.sheet < run.sheet for one in paper.plan.placed)
    here = paper.job.names[before : before + len(run.placed)]
    named = {n: f"{n} {name}" for n, name in enumerate(here, 1)}
    for n, copy in enumerate(run.placed, 1):
        if 0 <= copy.part < len(paper.labels):
            named[n] = f"{n} {paper.labels[copy.part]}"
    over = run.ground.over
    boxes = [over_mm(over, box) if over is not None else box for box in run.used_mm]
    for n, (x0, y0, x1, y1) in enumerate(boxes, 1):
        at = (left + scale * x0, top + scale * (high - y1))
        sheet.box(*at, scale * (x1 - x0), scale * (y1 - y0))
        middle = at[0] + scale * (x1 - x0) / 2, at[1] + scale * (y1 - y0) / 2 + 1.2
        sheet.text(*middle, named.get(n, str(n)), 8, align="centre")
    return top + scale * high + 6
