"""Where a job's sheet lies on the bed: what an operator types or picks, as a changed job."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.anchors import ANCHOR_WORDS
from olive_almanac.core.records.job import COPY, LEAVE_OUT, SHEET, Job, Origin, group_words
from olive_almanac.core.units import number_text, read_number
from olive_almanac.core.words import tr

__all__ = [
    "anchors",
    "lies_like",
    "references",
    "touch_texts",
    "with_anchor",
    "with_lie_of",
    "with_origin",
    "with_reference",
    "with_stop",
    "with_touched",
]

FIRST, SECOND = tr("first place"), tr("second place")


def anchors() -> tuple[tuple[str, str], ...]:
    """Return the places of what is burnt at which the head may stand, as choices."""
    return tuple(ANCHOR_WORDS.items())


def references(job: Job) -> tuple[tuple[str, str], ...]:
    """Return which two places of a job may be touched, as choices: a group that is left out serves
    as a line to lay it by.
    """
    left_out = [one.group for one in job.groups if one.task == LEAVE_OUT]
    guides = tuple((one, tr("ends of “{group}”", group=group_words(one))) for one in left_out)
    return (
        (SHEET, tr("lower corners of the sheet")),
        (COPY, tr("lower corners of the first copy")),
        *guides,
    )


def with_origin(job: Job, origin: Origin) -> Job:
    """Return the job with another way to lay its sheet."""
    return replace(job, origin=origin)


def lies_like(job: Job, jobs: Sequence[Job]) -> tuple[Job, ...]:
    """Return the other jobs of the machine whose sheet was laid by a stop or by touches, the newest
    first: a piece that has not moved gets something more by the same lie.
    """
    mine = (one for one in reversed(jobs) if one.uid != job.uid)
    laid = (one for one in mine if one.machine_uid == job.machine_uid)
    return tuple(one for one in laid if one.touched_mm or one.stop_mm != (0.0, 0.0))


def with_lie_of(job: Job, other: Job) -> Job:
    """Return the job with its sheet where another job's lies."""
    return replace(
        job,
        origin=other.origin,
        stop_mm=other.stop_mm,
        anchor=other.anchor,
        reference=other.reference if other.reference in (SHEET, COPY) else SHEET,
        touched_mm=other.touched_mm,
    )


def with_anchor(job: Job, anchor: str) -> Job:
    """Return the job with another place at which the head stands."""
    return replace(job, anchor=anchor)


def with_reference(job: Job, reference: str) -> Job:
    """Return the job with other two places that are touched."""
    return replace(job, reference=reference)


def with_stop(job: Job, x: str, y: str) -> Job:
    """Return the job with its sheet's lower left corner elsewhere, mm.  Raises OutOfRange."""
    stop = (read_number(x, tr("Stop, X")), read_number(y, tr("Stop, Y")))
    return replace(job, stop_mm=stop, placed=() if stop != job.stop_mm else job.placed)


def with_touched(job: Job, texts: tuple[str, ...]) -> Job:
    """Return the job with the places that were touched: X, Y of the first and of the second, mm;
    none while not all are typed.  Raises OutOfRange.
    """
    if not all(text.strip() for text in texts):
        return replace(job, touched_mm=())
    if len(texts) != 4:
        raise OutOfRange(tr("Touched places"), len(texts), tr("X and Y of two"))
    names = (
        tr("X of the {first}", first=FIRST),
        tr("Y of the {first}", first=FIRST),
        tr("X of the {second}", second=SECOND),
        tr("Y of the {second}", second=SECOND),
    )
    values = tuple(read_number(text, name) for text, name in zip(texts, names, strict=True))
    return replace(job, touched_mm=values)


def touch_texts(job: Job) -> tuple[str, ...]:
    """Return the touched places as they are typed."""
    return tuple(number_text(mm, 6) for mm in job.touched_mm) or ("",) * 4
