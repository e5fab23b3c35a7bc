"""Random drawings, many of them odd, through the whole of a job: read, planned on random sheets,
written, and each program followed by a reader that shares no code.
"""

from __future__ import annotations

import io
import math
import random
import tempfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import ezdxf

from olive_almanac.core.records.anchors import ANCHORS
from olive_almanac.core.records.drawing import Drawing
from olive_almanac.core.records.glow import Glow
from olive_almanac.core.records.jig import Jig
from olive_almanac.core.records.job import COPY, NAMES, SHEET, GroupTask
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.sides import TwoSides
from olive_almanac.core.records.stack import Stack
from olive_almanac.core.records.stock import Sheet
from olive_almanac.core.stages import finished, telling
from olive_almanac.formats.gcode_check import CheckLimits
from olive_almanac.steps.job_work import (
    JobWish,
    likely_tasks,
    limits_of_run,
    making_piecework,
    nesting,
    new_job,
    planning_of,
    reading_of,
    result_of,
    sheet_file,
    sheets_for,
    write_job_files,
)
from olive_almanac.steps.lettering import letters
from tests.samples import BIRCH, LEATHER, LONG, NORTH

COLOURS = ("red", "blue", "#00ff00", "black", "rgb(10,20,30)", "url(#no)", "none")
ODD = ("0", "-0", "1e-9", "1e9", "-1e6", "1e308", "NaN", "", "5%", "3mm", "abc", "1e", "١٢")


def one_job(rng: random.Random, sign: Callable[[], None]) -> list[tuple[str, CheckLimits | None]]:
    """Take one random drawing through; return the programs that were written, with what each must
    keep to (None where its zero is not the bed's).  Raises AlmanacError where the program refuses
    in a sentence.

    `sign` is called where the window shows something new, or may be stopped: at each stage of the
    reading and of one copy, at each copy laid closer, at the plan, at each piece written.
    """
    base = rng.choice((LONG, NORTH))
    bed = (round(rng.uniform(60, 900), 1), round(rng.uniform(60, 600), 1))
    machine = replace(
        base,
        bed_mm=bed,
        file_units=rng.choice(("mm", "inch")),
        max_speed_mm_s=round(rng.uniform(10, base.max_speed_mm_s), rng.choice((0, 2))),
        power_scale=rng.choice((1000, 255, 100)),
        head_clearance_mm=rng.choice((0.0, 3.0, 20.0)),
        junction_mm=rng.choice((0.001, 0.05, 1.0)),
    )
    stock = replace(rng.choice((BIRCH, LEATHER)), sheets=_sheets(rng))
    data, name = _dxf(rng) if rng.random() < 0.3 else _svg(rng)
    drawing = finished(telling(reading_of(data, name, machine), lambda _: sign()))
    sign()
    tasks = tuple(_task(rng, task) for task in (*likely_tasks(drawing), GroupTask(NAMES, "score")))
    job = new_job(drawing, tasks, machine, stock, uid="j", made="2026-04-14")
    job = replace(job, **_ways(rng, drawing))
    sheets = sheets_for(job, stock)
    names = letters() if job.names else None
    wish = JobWish(drawing, tasks, machine, stock, job, sheets, letters=names)
    work = finished(telling(making_piecework(wish), lambda _: sign()))
    if rng.random() < 0.2:
        for placed in nesting(wish, work):
            wish = replace(wish, placed=placed)
            sign()
    for planned in planning_of(wish, work):
        plan = planned
        sign()  # the page tells how far it is, and may be stopped, as at each stage above
    result = result_of(wish, work, plan)
    sign()
    programs: list[tuple[str, CheckLimits | None]] = []
    with tempfile.TemporaryDirectory() as holder:
        for _ in write_job_files(result, Path(holder)):
            sign()
        for run in result.plan.runs:
            path = Path(holder) / f"{sheet_file(job, run)}.nc"
            sheet = sheets[run.sheet] if sheets else None
            on_bed = job.origin == "bed" and job.sides is None  # else its zero is elsewhere
            programs.append((path.read_text(), limits_of_run(run, sheet) if on_bed else None))
    return programs


def _ways(rng: random.Random, drawing: Drawing) -> dict[str, object]:
    """How the job is done: copies and where its zero is, sometimes one of the rarer ways."""
    ways: dict[str, object] = {
        "copies": rng.choice((1, 1, 2, 7, 40)),
        "gap_mm": rng.choice((0.0, 1.0, 5.0)),
        "rounds": rng.choice((1, 3)),
        "origin": rng.choice(("bed", "head", "touched")),
        "anchor": rng.choice(tuple(ANCHORS)),
        "stop_mm": rng.choice(((0.0, 0.0), (12.5, 7.0))),
    }
    if ways["origin"] == "touched":
        x, y = rng.uniform(0, 90), rng.uniform(0, 90)
        ways["touched_mm"] = (x, y, x + rng.uniform(5, 200), y + rng.uniform(-30, 30))
        ways["reference"] = rng.choice((SHEET, COPY, *drawing.groups[:1]))
    rare = rng.randrange(12)
    if rare == 0:
        ways["apart"] = True
    elif rare == 1:
        ways["sides"] = TwoSides(rng.choice(("x", "y")), rng.choice(("pins", "corner")))
    elif rare == 2:
        blank = (rng.uniform(5, 150), rng.uniform(5, 150))
        pitch = (blank[0] + rng.uniform(1, 9), blank[1] + rng.uniform(1, 9))
        ways["jig"] = Jig(rng.randint(1, 5), rng.randint(1, 5), blank, pitch)
    elif rare == 3:
        ways["stack"] = Stack(rng.random() < 0.5, rng.choice((0.02, 0.5, 5.0)))
    elif rare == 4 and drawing.groups:
        ways["glow"] = Glow(rng.choice(drawing.groups), pitch_mm=rng.choice((1.0, 4.0)))
    elif rare == 5:
        ways["names"] = tuple(
            rng.choice(("Ida", "Øyvind Ångström", "李", "", "x" * 70)) for _ in "abc"
        )
    return ways


def _task(rng: random.Random, task: GroupTask) -> GroupTask:
    """A likely task with a setting, sometimes another one, with a kerf or none."""
    chosen = rng.choice((task.task, "cut", "score", "engrave", "leave out"))
    if chosen == "leave out":
        return replace(task, task=chosen, setting=None)
    pitch = rng.choice((0.1, 0.5)) if chosen == "engrave" else 0.0
    way = "x" if pitch else "xy"
    setting = Setting(
        round(rng.uniform(0.05, 1), 3),
        round(rng.uniform(1, 10), 2),
        rng.choice((1, 2)),
        pitch_mm=pitch,
        direction=way,
    )
    kerf = rng.choice((None, (0.2, 0.1), (0.0, 0.0), (1.5, 1.5)))
    return replace(task, task=chosen, setting=setting, kerf_mm=kerf if chosen == "cut" else None)


def _sheets(rng: random.Random) -> tuple[Sheet, ...]:
    sheets = []
    for _ in range(rng.choice((0, 1, 1, 3))):
        width, height = round(rng.uniform(30, 500), 1), round(rng.uniform(30, 400), 1)
        boxes = []
        for _ in range(rng.randint(0, 3)):
            x, y = rng.uniform(0, width * 0.8), rng.uniform(0, height * 0.8)
            boxes.append((x, y, x + rng.uniform(2, 60), y + rng.uniform(2, 60)))
        cut = rng.randint(0, len(boxes))
        sheets.append(Sheet(width, height, tuple(boxes[:cut]), tuple(boxes[cut:])))
    return tuple(sheets)


def _number(rng: random.Random, most: float = 120.0) -> str:
    if rng.random() < 0.01:
        return rng.choice(ODD)
    return f"{rng.choice((1, 1, 1, -1)) * rng.uniform(0, most):.{rng.choice((0, 2, 6))}f}"


def _svg(rng: random.Random) -> tuple[bytes, str]:
    """Shapes of every kind, groups, odd transforms, units and numbers."""

    def n(most: float = 120.0) -> str:
        return _number(rng, most)

    def path() -> str:
        steps = [f"M{n()} {n()}"]
        for _ in range(rng.randint(0, 12)):
            way = rng.choice("LlHhVvCcSsQqTtAaZzMm")
            count = {"H": 1, "V": 1, "C": 6, "S": 4, "Q": 4, "Z": 0}.get(way.upper(), 2)
            if way.upper() == "A":
                flags = f"{rng.randint(0, 1)} {rng.randint(0, 1)}"
                steps.append(f"{way}{n(40)} {n(40)} {n(360)} {flags} {n()} {n()}")
            else:
                steps.append(way + " ".join(n() for _ in range(count)))
        return f'<path d="{" ".join(steps)}"'

    shapes: tuple[Callable[[], str], ...] = (
        path,
        path,
        lambda: f'<rect x="{n()}" y="{n()}" width="{n()}" height="{n()}" rx="{n(9)}"',
        lambda: f'<circle cx="{n()}" cy="{n()}" r="{n(30)}"',
        lambda: f'<ellipse cx="{n()}" cy="{n()}" rx="{n(30)}" ry="{n(30)}"',
        lambda: f'<line x1="{n()}" y1="{n()}" x2="{n()}" y2="{n()}"',
        lambda: f'<polygon points="{" ".join(n() for _ in range(rng.randint(0, 9)))}"',
        lambda: f'<polyline points="{" ".join(n() for _ in range(2 * rng.randint(0, 9)))}"',
        lambda: '<use href="#g0"',
    )

    def turned() -> str:
        way = rng.choice(("rotate", "scale", "translate", "skewX", "matrix"))
        count = {"matrix": 6, "skewX": 1, "rotate": 1}.get(way, 2)
        return f'transform="{way}({" ".join(n(3) for _ in range(count))})"'

    inside = []
    for at in range(rng.choice((1, 2, 5, 20, 60))):
        filled = rng.choice(COLOURS) if rng.random() < 0.3 else "none"
        look = f'stroke="{rng.choice(COLOURS)}" fill="{filled}"'
        more = turned() if rng.random() < 0.2 else ""
        inside.append(f"<g id='g{at}' {more}>{rng.choice(shapes)()} {look}/></g>")
        if rng.random() < 0.1:
            inside.append(inside[-1])  # drawn twice
    if rng.random() < 0.08:  # a shape drawn many times over, on one place, in each other or around
        many, shape = (
            rng.choice((40, 400, 2000)),
            f'{rng.choice(shapes)()} stroke="red" fill="none"',
        )
        way = rng.choice(("", "scale({})", "rotate({})", "translate({})"))
        inside += [
            f'<g transform="{way.format(1 + n / many)}">{shape}/></g>' if way else f"{shape}/>"
            for n in range(many)
        ]
    if rng.random() < 0.02:  # copies of copies that grow without end
        deep = [
            f'<g id="b{n}">{f"""<use href="#b{n + 1}"/>""" * rng.randint(2, 9)}</g>'
            for n in range(rng.randint(3, 11))
        ]
        inside += [f'<defs>{"".join(deep)}<g id="b{len(deep)}">{path()}/></g></defs>']
        inside += ['<use href="#b0"/>']
    size = rng.choice(('width="120mm" height="100mm"', 'width="5in" height="4in"', "", 'width="1"'))
    box = rng.choice(('viewBox="0 0 120 100"', "", 'viewBox="0 0 0 0"', 'viewBox="-50 -50 300 90"'))
    head = f'<svg xmlns="http://www.w3.org/2000/svg" {size} {box}>'
    return f"{head}{''.join(inside)}</svg>".encode(), "odd.svg"


def _dxf(rng: random.Random) -> tuple[bytes, str]:
    """Entities of every kind in blocks and layers, with odd numbers."""

    def p() -> tuple[float, float]:
        return rng.uniform(-20, 120), rng.uniform(-20, 120)

    document = ezdxf.new(rng.choice(("R12", "R2000", "R2010")))
    document.header["$INSUNITS"] = rng.choice((0, 1, 4, 5, 6))
    space = document.modelspace()
    for _ in range(rng.choice((1, 3, 20))):
        look = {"layer": rng.choice(("cut", "score", "a b", "0")), "color": rng.randint(0, 256)}
        act = rng.randrange(6)
        if act == 0:
            space.add_line(p(), rng.choice((p(), (5.0, 5.0))), dxfattribs=look)
        elif act == 1:
            space.add_circle(p(), rng.choice((0.001, 5.0, 60.0)), dxfattribs=look)
        elif act == 2:
            turn = rng.uniform(-360, 720)
            space.add_arc(
                p(), rng.uniform(0.01, 40), turn, turn + rng.uniform(-400, 400), dxfattribs=look
            )
        elif act == 3:
            points = [(*p(), rng.choice((0.0, 0.4, -1.0, 50.0))) for _ in range(rng.randint(2, 9))]
            shape = space.add_polyline2d([(x, y) for x, y, _ in points], dxfattribs=look)
            shape.close(rng.random() < 0.5)
        elif act == 4 and document.dxfversion > "AC1009":
            space.add_spline([(*p(), 0) for _ in range(rng.randint(3, 7))], dxfattribs=look)
        elif act == 5 and document.dxfversion > "AC1009":
            share = rng.choice((0.2, 1.0, 1e-6))
            end = rng.uniform(0, math.tau)
            space.add_ellipse(p(), (rng.uniform(1, 40), 3), share, 0, end, dxfattribs=look)
    told = io.StringIO()
    document.write(told)
    return told.getvalue().encode(), "odd.dxf"
