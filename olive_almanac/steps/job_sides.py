"""Both sides of a job's sheets: which group burns where, and how the sheet is turned over."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import cast

from olive_almanac.core.records.job import LEAVE_OUT, Job, Origin
from olive_almanac.core.records.sides import About, TwoSides
from olive_almanac.core.units import read_number
from olive_almanac.core.words import tr

__all__ = ["sided_groups", "sides_from", "two_sided"]


def sides_from(about: str, by: str, pin: str, between: str = "") -> TwoSides:
    """Return how a sheet is turned over, as it was picked and typed.  Raises OutOfRange."""
    pin_mm = read_number(pin, tr("Diameter of a pin"))
    return TwoSides(cast(About, about), by, pin_mm, between.strip().rstrip("."))


def two_sided(job: Job, sides: TwoSides | None, side_of: Mapping[str, str]) -> Job:
    """Return the job with the side of each group; all on the front where there are no two sides."""
    groups = tuple(
        replace(one, side=side_of.get(one.group, "front") if sides is not None else "front")
        for one in job.groups
    )
    origin: Origin = job.origin
    if sides is not None and origin == "touched" and job.jig is None:  # it moves when turned
        origin = "bed"
    return replace(
        job,
        groups=groups,
        sides=sides,
        origin=origin,
        placed=job.placed if sides == job.sides else (),
    )


def sided_groups(job: Job) -> tuple[str, ...]:
    """Return the groups that are burnt."""
    return tuple(one.group for one in job.groups if one.task != LEAVE_OUT)
