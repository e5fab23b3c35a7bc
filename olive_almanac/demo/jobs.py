"""The demo shop's jobs: drawings made by code, and what came of them over a year."""

from __future__ import annotations

import base64
import math
from collections.abc import Iterator, Mapping
from dataclasses import replace
from datetime import date, timedelta

import numpy as np

from olive_almanac.core.quoting.pattern import pattern_of
from olive_almanac.core.records.entry import Entry
from olive_almanac.core.records.jig import Jig
from olive_almanac.core.records.job import GUIDES, NAMES, GroupTask, Job, JobOutcome
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.sides import TwoSides
from olive_almanac.core.records.stack import Stack
from olive_almanac.core.records.stock import Stock
from olive_almanac.steps.job_work import drawing_of, likely_tasks, new_job, task_with
from olive_almanac.steps.ports import Bench, Library

__all__ = ["build_further_jobs", "build_jobs", "dial_drawing", "drawer_drawing", "frame_drawing"]

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


def hive_plate_drawing() -> str:
    """Return a hive's number plate as SVG: a frame that is engraved; the number comes from a
    list.
    """
    frame = "M2 2h26v16h-26zM2.8 2.8v14.4h24.4v-14.4z"
    return PAGE.format(30, 20, f'<path d="{frame}" fill="black" fill-rule="evenodd"/>')


def relief_drawing() -> str:
    """Return a relief map as SVG: five layers, each on the one before."""
    levels = ['<g><title>sea</title><rect x="2" y="2" width="96" height="76" stroke="red"/></g>']
    for n, name in enumerate(("shore", "meadow", "wood", "ridge"), 1):
        points = []
        for step in range(90):
            turn = step * math.tau / 90
            wide = 44 - 9 * n + 2.2 * math.sin(3 * turn + n)
            high = 35 - 7.5 * n + 1.8 * math.cos(2 * turn - n)
            x, y = 50 + wide * math.cos(turn), 40 + high * math.sin(turn)
            points.append(f"{x:.2f},{y:.2f}")
        outline = f'<polygon points="{" ".join(points)}" stroke="red"/>'
        levels.append(f"<g><title>{name}</title>{outline}</g>")
    return PAGE.format(100, 80, "".join(levels))


def cover_drawing() -> str:
    """Return a specimen cover as SVG: a frame on the front, a ground for the label on the back."""
    front = "M8 8h64v44h-64zM9.2 9.2v41.6h61.6v-41.6z"
    shapes = [
        '<rect x="2" y="2" width="76" height="56" rx="3" stroke="red"/>',
        f'<g><title>front</title><path d="{front}" fill="black" fill-rule="evenodd"/></g>',
        '<g><title>back</title><rect x="26" y="40" width="28" height="7" fill="black"/></g>',
    ]
    return PAGE.format(80, 60, "".join(shapes))


def face_drawing() -> str:
    """Return a dial face as SVG: a picture of waves in a round outline."""
    import cv2

    side = 320
    y, x = np.mgrid[0:side, 0:side] / (side - 1) * 2 - 1
    far = np.hypot(x, y)
    waves = 0.55 + 0.3 * np.cos(8 * far + 1.2 * np.sin(3 * np.arctan2(y, x))) * np.exp(-0.7 * far)
    grey = np.where(far < 0.97, np.clip(waves, 0, 1), 1.0)
    _, data = cv2.imencode(".png", np.round(255 * grey).astype(np.uint8))
    text = base64.b64encode(data.tobytes()).decode()
    picture = f'<image x="6" y="6" width="48" height="48" href="data:image/png;base64,{text}"/>'
    return PAGE.format(60, 60, picture + '<circle cx="30" cy="30" r="28" stroke="red"/>')


def build_further_jobs(
    library: Library, machines: Mapping[str, Machine], stocks: Mapping[str, Stock], today: date
) -> Iterator[str]:
    """Give the shop jobs that wait: number plates from a list in a jig, a relief map in layers,
    covers that are engraved on both sides, and a dial's face from a picture.
    """
    plates = replace(
        _waiting(
            library,
            "hive-plates.svg",
            hive_plate_drawing(),
            (machines["marker"], stocks["plate-1"]),
            today,
        ),
        names=tuple(f"{n}" for n in range(1, 41)),
        jig=Jig(3, 4, (30.0, 20.0), (32.0, 22.0), 0.2, 0.0, 5.0),
        name_box_mm=(4.0, 4.0, 26.0, 16.0),
        copies=40,
    )
    relief = replace(
        _waiting(
            library,
            "relief-map.svg",
            relief_drawing(),
            (machines["north-bench"], stocks["board-15"]),
            today,
        ),
        stack=Stack(),
    )
    cover = _waiting(
        library,
        "specimen-covers.svg",
        cover_drawing(),
        (machines["long-bed"], stocks["clear-acrylic-3"]),
        today,
    )
    face_of = (machines["long-bed"], stocks["poplar-4"])
    face = _waiting(library, "dial-faces.svg", face_drawing(), face_of, today)
    sided = (replace(one, side="back") if "back" in one.group else one for one in cover.groups)
    cover = replace(cover, groups=tuple(sided), sides=TwoSides(), copies=4)
    for job, own in (
        (plates, (NAMES, "engrave")),
        (relief, (GUIDES, "engrave")),
        (cover, None),
        (face, None),
    ):
        if own is not None:
            entry = _entries(library, job.machine_uid, job.stock_uid).get(own[1])
            job = replace(job, groups=(*job.groups, task_with(GroupTask(*own), entry)))
        library.save_job(job, "drawing taken")
        yield f"job {job.name}"


def build_jobs(
    library: Library, bench: Bench, machine: Machine, stock: Stock, today: date
) -> Iterator[str]:
    """Give the shop a year of jobs, each burnt on the stand-in; the entry of the cut gets the kerf
    that a gauge told.
    """
    entries = _entries(library, machine.uid, stock.uid)
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
            pieces_mm = piece_mm * copies
            told = _burnt(bench, (machine, stock), cut.setting, pieces_mm, today, ago)
            job = job.with_outcome(told)
        library.save_job(job, "drawing taken")
        yield f"job {name}"


def _entries(library: Library, machine_uid: str, stock_uid: str) -> dict[str, Entry]:
    """The entries of a machine and a stock by their task."""
    subject = (machine_uid, stock_uid)
    return {
        entry.task: entry
        for entry in library.entries()
        if (entry.machine_uid, entry.stock_uid) == subject
    }


def _waiting(
    library: Library, name: str, text: str, subject: tuple[Machine, Stock], today: date
) -> Job:
    """A job that was brought in and not burnt yet."""
    entries = _entries(library, subject[0].uid, subject[1].uid)
    return _job(library, name, text, subject, entries, today)[0]


def _burnt(
    bench: Bench,
    subject: tuple[Machine, Stock],
    setting: Setting,
    pieces_mm: tuple[float, ...],
    today: date,
    ago: int,
) -> JobOutcome:
    """What came of a run so many days ago, by the truth of the stand-in; older runs were of older
    lots.
    """
    machine, stock = subject
    fates = bench.cut_pieces(machine, stock, setting, pieces_mm, day=ago)
    knots = fates.count("knot")
    lot = next((old for days, old in LOTS if ago > days), stock.lot)
    on = (today - timedelta(days=ago)).isoformat()
    return JobOutcome(
        on, len(fates), fates.count("hangs") + knots, knots, "", setting, sum(pieces_mm), lot
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
