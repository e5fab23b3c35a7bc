"""The jig of a job: what is typed of it, the drawing of its board, and jigs of other jobs."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.motion.program import Lines
from olive_almanac.core.quoting.jig import pocket_rings
from olive_almanac.core.records.jig import Jig
from olive_almanac.core.records.job import Job
from olive_almanac.core.units import number_text, read_number
from olive_almanac.core.words import tr
from olive_almanac.formats.drawing import svg_of_rings
from olive_almanac.steps.files import below, write_together
from olive_almanac.steps.job_lie import with_lie_of

if TYPE_CHECKING:
    from olive_almanac.core.quoting.job_plan import JobPlan, SheetRun

__all__ = ["JIG_FIELDS", "done_words", "jig_like", "jig_of", "jig_texts", "with_jig", "write_jig"]

JIG_FIELDS: dict[str, str] = {
    "wide": tr("Width of the blank"),
    "high": tr("Height of the blank"),
    "columns": tr("Columns"),
    "rows": tr("Rows"),
    "pitch_x": tr("Pitch along X"),
    "pitch_y": tr("Pitch along Y"),
    "clearance": tr("Clearance around a blank"),
    "notch": tr("Radius of the finger notch"),
}
USUAL_BETWEEN_MM = 12.0


def jig_texts(jig: Jig | None, size_mm: tuple[float, float]) -> dict[str, str]:
    """Return a jig as it is typed; without one a likely beginning for a part of a size."""
    if jig is None:
        wide, high = (math.ceil(max(2.0, side) * 10) / 10 for side in size_mm)
        pitch = (wide + USUAL_BETWEEN_MM, high + USUAL_BETWEEN_MM)
        jig = Jig(4, 3, (wide, high), pitch)
    values = (*jig.blank_mm, jig.columns, jig.rows, *jig.pitch_mm, jig.clearance_mm, jig.notch_mm)
    texts = (number_text(value, 6) for value in values)
    return dict(zip(JIG_FIELDS, texts, strict=True))


def jig_of(texts: Mapping[str, str]) -> Jig:
    """Return the jig that was typed.  Raises OutOfRange with the field."""
    values = {key: read_number(texts[key], name) for key, name in JIG_FIELDS.items()}
    for key in ("columns", "rows"):
        if values[key] != int(values[key]):
            raise OutOfRange(JIG_FIELDS[key], texts[key].strip(), tr("a whole number"), key=key)
    return Jig(
        int(values["columns"]),
        int(values["rows"]),
        (values["wide"], values["high"]),
        (values["pitch_x"], values["pitch_y"]),
        values["clearance"],
        values["notch"],
    )


def with_jig(job: Job, jig: Jig | None, like: Job | None = None) -> Job:
    """Return the job with its copies in a jig, or on sheets again; a jig of another job lies where
    it lay there.
    """
    if jig is None:
        return replace(job, jig=None, placed=())
    if like is not None:
        job = with_lie_of(job, like)
    copies = job.copies if job.copies > 1 else jig.places
    return replace(job, jig=jig, placed=(), apart=False, copies=copies)


def jig_like(job: Job, jobs: Sequence[Job]) -> tuple[Job, ...]:
    """Return the other jobs of the machine that have a jig, the newest first: theirs lies where it
    lay.
    """
    others = [one for one in jobs if one.jig is not None and one.uid != job.uid]
    return tuple(one for one in reversed(others) if one.machine_uid == job.machine_uid)


def done_words(plan: JobPlan, burnt: Mapping[int, int]) -> str:
    """Return how many copies of all are burnt: "17 of 40"; `burnt` counts the steps of each
    sheet.
    """
    last = {run.sheet: run for run in plan.runs}.values()  # of two sides the second
    done = sum(_done(run, burnt.get(run.sheet, 0)) for run in last)
    return tr("{done} of {copies}", done=done, copies=plan.copies)


def _done(run: SheetRun, burnt: int) -> int:
    """How many copies have nothing of the steps that are still to be burnt in their boxes."""
    ahead = [
        step.box_mm if isinstance(step, Lines) else (*step.start, *step.start)
        for step, _ in run.steps[burnt:]
    ]
    if not ahead:
        return len(run.placed)
    left, low, right, high = np.array(ahead).T[:, :, None]
    x0, y0, x1, y1 = np.array(run.used_mm).T[:, None]
    meets = (left <= x1) & (right >= x0) & (low <= y1) & (high >= y0)
    return int((~meets.any(axis=0)).sum())


def write_jig(jig: Jig, folder: Path, name: str) -> Path:
    """Write the drawing of a jig's board as SVG, and return where it lies.  Raises CannotWrite."""
    plain = "".join(c if c.isalnum() or c in "-_" else "-" for c in name)
    path = below(folder, f"jig-{plain}.svg")
    text = svg_of_rings(tr("Jig for {name}", name=name), jig.size_mm, pocket_rings(jig))
    write_together({path: text})
    return path
