"""The demo shop's jobs: drawings made by code, and what came of them over a year."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace
from datetime import date, timedelta

from olive_almanac.core.quoting.pattern import pattern_of
from olive_almanac.core.records.entry import Entry
from olive_almanac.core.records.job import Job, JobOutcome
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Stock
from olive_almanac.steps.job_work import drawing_of, likely_tasks, new_job, task_with
from olive_almanac.steps.ports import Bench, Library

__all__ = ["build_jobs", "dial_drawing", "drawer_drawing", "frame_drawing"]

PAGE = (
    '<svg xmlns="http://www.w3.org/2000/svg" width="{0}mm" height="{1}mm" viewBox="0 0 {0} {1}" '
    'fill="none" stroke-width="0.1">{2}</svg>'
)
KERF_MM = (0.21, 0.19)
LOTS = ((240, "5"), (110, "6"))  # of runs longer ago than so many days


def dial_drawing() -> str:
    """Return a tide-clock dial as SVG: a ring of hours, holes for the moons, an outline."""
    shapes = ['<circle cx="42" cy="42" r="40" stroke="red"/>']
    shapes.append('<circle cx="42" cy="42" r="4" stroke="red"/>')
    for n in range(6):
        turn = n * math.pi / 3 + 0.2
        x, y = 42 + 20 * math.cos(turn), 42 + 20 * math.sin(turn)
        shapes.append(f'<circle cx="{x:.3f}" cy="{y:.3f}" r="{2 + 0.4 * n:.1f}" stroke="red"/>')
    for hour in range(12):
        turned = f'transform="rotate({30 * hour} 42 42)"'
        shapes.append(f'<rect x="40.6" y="5" width="2.8" height="7" fill="black" {turned}/>')
    return PAGE.format(84, 84, "".join(shapes))


def frame_drawing() -> str:
    """Return a herbarium frame as SVG: an outline, a window, four holes."""
    shapes = ['<rect x="5" y="5" width="110" height="150" rx="4" stroke="red"/>']
    shapes.append('<rect x="20" y="20" width="80" height="120" stroke="red"/>')
    for x in (12, 108):
        shapes += [f'<circle cx="{x}" cy="{y}" r="1.6" stroke="red"/>' for y in (12, 148)]
    return PAGE.format(120, 160, "".join(shapes))


def drawer_drawing() -> str:
    """Return a seed drawer's front as SVG: an outline with notches and a handle."""
    outline = "M5 5h20v6h3.1v-6h64v6h3.1v-6h19.8v50h-110z"
    handle = '<rect x="45" y="24" width="30" height="12" rx="6" stroke="red"/>'
    return PAGE.format(120, 60, f'<path d="{outline}" stroke="red"/>{handle}')


def build_jobs(
    library: Library, bench: Bench, machine: Machine, stock: Stock, today: date
) -> Iterator[str]:
    """Give the shop a year of jobs, each burnt on the stand-in; the entry of the cut gets the kerf
    that a gauge told.
    """
    entries: dict[str, Entry] = {
        entry.task: entry
        for entry in library.entries()
        if (entry.machine_uid, entry.stock_uid) == (machine.uid, stock.uid)
    }
    if "cut" not in entries:
        return
    kerf_x_mm, kerf_y_mm = KERF_MM
    cut = replace(entries["cut"], kerf_x_mm=kerf_x_mm, kerf_y_mm=kerf_y_mm)
    entries["cut"] = library.save_entry(cut, "kerf measured")
    for name, text, copies, days_ago in (
        ("seed-drawer-fronts.svg", drawer_drawing(), 12, (352, 301, 266, 214, 163, 122, 71, 38)),
        ("herbarium-frames.svg", frame_drawing(), 8, (336, 284, 231, 187, 140, 96, 57, 24)),
        ("tide-clock-dials.svg", dial_drawing(), 9, (318, 249, 176, 109)),
    ):
        job, piece_mm = _job(library, name, text, (machine, stock), entries, today)
        job = replace(job, copies=copies)
        for ago in days_ago:
            told = _burnt(bench, (machine, stock), cut.setting, piece_mm * copies, ago)
            on = (today - timedelta(days=ago)).isoformat()
            job = job.with_outcome(replace(told, on=on))
        library.save_job(job, "drawing taken")
        yield f"job {name}"


def _burnt(
    bench: Bench,
    subject: tuple[Machine, Stock],
    setting: Setting,
    pieces_mm: tuple[float, ...],
    ago: int,
) -> JobOutcome:
    """What came of a run so many days ago, by the truth of the stand-in; older runs were of older
    lots.
    """
    machine, stock = subject
    fates = bench.cut_pieces(machine, stock, setting, pieces_mm, day=ago)
    knots = fates.count("knot")
    lot = next((old for days, old in LOTS if ago > days), stock.lot)
    return JobOutcome(
        "", len(fates), fates.count("hangs") + knots, knots, "", setting, sum(pieces_mm), lot
    )


def _job(
    library: Library,
    name: str,
    text: str,
    subject: tuple[Machine, Stock],
    entries: dict[str, Entry],
    today: date,
) -> tuple[Job, tuple[float, ...]]:
    """A job of a drawing, and how much is cut for each of its pieces."""
    machine, stock = subject
    data = text.encode()
    drawing = drawing_of(data, name, machine)
    tasks = tuple(task_with(one, entries.get(one.task)) for one in likely_tasks(drawing))
    photo = library.keep_photo(data, ".svg")
    uid = f"job-{name.partition('.')[0]}"
    made = (today - timedelta(days=360)).isoformat()
    job = new_job(drawing, tasks, machine, stock, uid=uid, made=made, photo=photo)
    return job, pattern_of(drawing, tasks, machine).pieces_mm
