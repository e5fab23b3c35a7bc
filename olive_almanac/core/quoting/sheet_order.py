"""In which order the copies on one sheet are burnt: all are engraved, then scored, before the first
is cut, for what is cut falls and lets the sheet move.

What is engraved of neighbours in a row, alike or not (each copy's own name), is engraved in one go,
line by line through all of them, where that takes less time; it is dealt out in stretches of lines,
so that a run that broke off goes on near where it was.  docs/methods.md, section Jobs.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace

import numpy as np

from olive_almanac.core.motion.program import Burn, Lines
from olive_almanac.core.quoting.engraving import lines_seconds
from olive_almanac.core.records.machine import Machine

__all__ = ["in_order"]

Box = tuple[float, float, float, float]
Step = tuple[Burn, str]
STRETCH = 100  # lines, an even number: the head ends where the next stretch begins
GAP_MM = 1e-6
SAME_MM = 1e-3  # so far off a line is still the same


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
            drawn = (step.name, step.setting, step.along_y, step.run_up_mm, bool(step.powers))
            alike.setdefault((group, *drawn, _phase_of(step)), []).append(step)
    for (group, *_), rasters in alike.items():
        for row in _rows_of_copies(rasters):
            for raster in _one_by_one(row, machine, clamps):
                yield [(stretch, group) for stretch in _stretches(raster)]


def _pitch_of(raster: Lines) -> float:
    if len(raster.rows) < 2:
        return raster.setting.pitch_mm
    (first, _), *_, (last, _) = raster.rows
    return (last - first) / (len(raster.rows) - 1)


def _phase_of(raster: Lines) -> float:
    """How far its lines lie from whole pitches, roughly: what shares lines has one phase."""
    at, pitch = raster.rows[0][0], _pitch_of(raster)
    return round(at - pitch * round(at / pitch), 2)


def _rows_of_copies(rasters: Sequence[Lines]) -> Iterator[list[Lines]]:
    """Yield rasters in groups whose lines lie beside each other."""
    row: list[Lines] = []
    reached = -np.inf
    for raster in sorted(rasters, key=lambda one: one.rows[0][0]):
        if row and raster.rows[0][0] > reached:
            yield row
            row = []
        row.append(raster)
        reached = max(reached, raster.rows[-1][0])
    yield row


def _one_by_one(
    rasters: Sequence[Lines], machine: Machine, clamps: Sequence[Box]
) -> Iterator[Lines]:
    """Yield rasters of one row of copies, neighbours on the same lines joined where that is quicker
    and the way between them free.
    """
    so_far, *others = sorted(rasters, key=lambda one: one.from_mm)
    for raster in others:
        beside = raster.from_mm - so_far.to_mm >= -GAP_MM and _share_lines(so_far, raster)
        around = _around(so_far, raster)
        gains = _seconds(around, machine) < _seconds(so_far, machine) + _seconds(raster, machine)
        if beside and gains and not any(_meet(around.reach_mm, box) for box in clamps):
            so_far = _together(so_far, raster)
        else:
            yield so_far
            so_far = raster
    yield so_far


def _share_lines(one: Lines, other: Lines) -> bool:
    pitch = _pitch_of(one)
    apart = (other.rows[0][0] - one.rows[0][0]) / pitch
    return (
        abs(apart - round(apart)) * pitch < SAME_MM
        and abs(_pitch_of(other) - pitch) * len(other.rows) < SAME_MM
    )


def _around(one: Lines, other: Lines) -> Lines:
    """The first and the last line of two rasters in one go, as far as they reach, without their
    parts.
    """
    low = min(one.rows[0][0], other.rows[0][0])
    high = max(one.rows[-1][0], other.rows[-1][0])
    return replace(
        one,
        rows=((low, ()), (high, ())),
        from_mm=min(one.from_mm, other.from_mm),
        to_mm=max(one.to_mm, other.to_mm),
    )


def _seconds(raster: Lines, machine: Machine) -> float:
    width, height = raster.to_mm - raster.from_mm, raster.rows[-1][0] - raster.rows[0][0]
    return float(lines_seconds(width, height, raster.setting, machine))


def _together(one: Lines, other: Lines) -> Lines:
    """Two rasters on the same lines as one, the other one further along."""
    low, pitch = min(one.rows[0][0], other.rows[0][0]), _pitch_of(one)
    high = max(one.rows[-1][0], other.rows[-1][0])
    count = round((high - low) / pitch) + 1
    places = [round(low + n * pitch, 4) for n in range(count)]
    runs: list[tuple[tuple[float, float], ...]] = [()] * count
    powers: list[tuple[float, ...]] = [()] * count
    for raster in (one, other):
        first = round((raster.rows[0][0] - low) / pitch)
        for n, (at, parts) in enumerate(raster.rows, first):
            places[n] = at
            runs[n] += parts
        for n, told in enumerate(raster.powers, first):
            powers[n] += told
    return replace(
        one,
        rows=tuple(zip(places, runs, strict=True)),
        powers=tuple(powers) if one.powers else (),
        to_mm=other.to_mm,
    )


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
