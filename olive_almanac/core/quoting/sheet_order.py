"""In which order the copies on one sheet are burnt: all are engraved, then scored, before the first
is cut, for what is cut falls and lets the sheet move.

What is engraved of neighbours in a row is engraved in one go, line by line through all of them,
where that takes less time; it is dealt out in stretches of lines, so that a run that broke off goes
on near where it was.  docs/methods.md, section Jobs.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace

import numpy as np

from olive_almanac.core.motion.program import Burn, Lines
from olive_almanac.core.records.machine import Machine

__all__ = ["in_order"]

Box = tuple[float, float, float, float]
Step = tuple[Burn, str]
STRETCH = 100  # lines, an even number: the head ends where the next stretch begins
GAP_MM = 1e-6


def in_order(
    copies: Sequence[Sequence[Step]],
    ranks: Mapping[str, int],
    machine: Machine,
    clamps: Sequence[Box],
) -> list[Step]:
    """Return the steps of copies as they are burnt on one sheet; `ranks` tells of each group when
    it comes (what is lettered comes first), `clamps` where the head must not go.
    """

    def rank_of(step: Step) -> int:
        return ranks.get(step[1], 0)

    by_rank: dict[int, list[list[Step]]] = {}
    for steps in copies:
        for rank, mine in itertools.groupby(sorted(steps, key=rank_of), key=rank_of):
            by_rank.setdefault(rank, []).append(list(mine))
    found: list[Step] = []
    for _, parts in sorted(by_rank.items()):
        waiting = [*_joined(parts, machine, clamps), *filter(None, map(_not_lines, parts))]
        starts = np.array([mine[0][0].start for mine in waiting])
        head = found[-1][0].end if found else starts[0]
        for _ in waiting:
            nearest = int(np.hypot(*(starts - head).T).argmin())
            found += waiting[nearest]
            starts[nearest], head = np.inf, found[-1][0].end
    return found


def _not_lines(steps: Sequence[Step]) -> list[Step]:
    return [step for step in steps if not isinstance(step[0], Lines)]


def _joined(
    parts: Sequence[Sequence[Step]], machine: Machine, clamps: Sequence[Box]
) -> Iterator[list[Step]]:
    """Yield all rasters of these parts in stretches, those of one row of copies as one."""
    alike: dict[tuple[str, *tuple[object, ...]], list[Lines]] = {}
    for step, group in itertools.chain(*parts):
        if isinstance(step, Lines):
            rows = tuple(round(at, 3) for at, _ in step.rows)
            key = (group, step.name, step.setting, step.along_y, step.run_up_mm, rows)
            alike.setdefault(key, []).append(step)
    for (group, *_), rasters in alike.items():
        for raster in _one_by_one(rasters, machine, clamps):
            yield [(stretch, group) for stretch in _stretches(raster)]


def _one_by_one(
    rasters: Sequence[Lines], machine: Machine, clamps: Sequence[Box]
) -> Iterator[Lines]:
    """Yield rasters of the same lines, neighbours joined where that is quicker and the way between
    them free.
    """
    first, *others = sorted(rasters, key=lambda one: one.from_mm)
    # a line less to run up for is worth this much way at speed
    worth_mm = 2 * first.setting.speed_mm_s**2 / machine.acceleration_mm_s2
    so_far = first
    for raster in others:
        gap_mm = raster.from_mm - so_far.to_mm
        between = replace(so_far, from_mm=so_far.to_mm, to_mm=raster.from_mm).box_mm
        if -GAP_MM <= gap_mm < worth_mm and not any(_meet(between, box) for box in clamps):
            so_far = _together(so_far, raster)
        else:
            yield so_far
            so_far = raster
    yield so_far


def _together(one: Lines, other: Lines) -> Lines:
    """Two rasters of the same lines as one, the other one further along."""
    both = zip(one.rows, other.rows, strict=True)
    rows = tuple((at, (*runs, *further)) for (at, runs), (_, further) in both)
    powers = tuple(
        (*mine, *further) for mine, further in zip(one.powers, other.powers, strict=True)
    )
    return replace(one, rows=rows, powers=powers, to_mm=other.to_mm)


def _stretches(raster: Lines) -> Iterator[Lines]:
    """Yield a raster a stretch of lines at a time; whole where it has passes that follow on each
    other.
    """
    if raster.setting.passes > 1:
        yield raster
        return
    for at in range(0, len(raster.rows), STRETCH):
        part = slice(at, at + STRETCH)
        yield replace(raster, rows=raster.rows[part], powers=raster.powers[part])


def _meet(a: Box, b: Box) -> bool:
    return a[0] < b[2] and b[0] < a[2] and a[1] < b[3] and b[1] < a[3]
