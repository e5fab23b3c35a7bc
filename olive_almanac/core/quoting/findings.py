"""What is wrong with a drawing before it is burnt: lines burnt twice, nearly closed, crossing."""

from __future__ import annotations

import itertools
import math
from collections.abc import Generator, Sequence
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.quoting.joining import JOINS_MM
from olive_almanac.core.quoting.shared_lines import seeking_overlaps
from olive_almanac.core.records.drawing import ContourPath, DrawingFinding
from olive_almanac.core.stages import finished
from olive_almanac.core.units import count_text, lengths_text, number_text
from olive_almanac.core.words import tr

__all__ = ["NEARLY_MM", "TINY_MM", "findings_of", "near_gap", "seeking_findings"]

Floats = NDArray[np.float64]
Found = TypeVar("Found")
Seeking = Generator[None, None, Found]
NEARLY_MM = 0.5
TINY_MM = 0.2
LEAST_SHARED_MM = 0.5
NAMED_PATHS = 50
MOST_PAIRS_NAMED = 10_000


def findings_of(
    paths: Sequence[ContourPath], flats: Sequence[Floats], bed_mm: tuple[float, float] | None = None
) -> tuple[DrawingFinding, ...]:
    """Return what should be known of the paths; `flats` are their points [n, 2] each, mm."""
    return finished(seeking_findings(paths, flats, bed_mm))


def seeking_findings(
    paths: Sequence[ContourPath], flats: Sequence[Floats], bed_mm: tuple[float, float] | None = None
) -> Seeking[tuple[DrawingFinding, ...]]:
    """Seek what should be known of the paths, one kind after the other; `flats` are their points
    [n, 2] each, mm.
    """
    import shapely

    found: list[DrawingFinding] = []
    has_length = [len(points) > 1 and _extent(points) > 1e-6 for points in flats]
    kept = [n for n, long in enumerate(has_length) if long]
    without = [n for n, long in enumerate(has_length) if not long]
    if without:
        says = tr("{lines} without length, left out.", lines=count_text(len(without), "line"))
        found.append(DrawingFinding("no length", says, None, tuple(without[:NAMED_PATHS])))
    for n in kept:
        gap = near_gap(paths[n], flats[n])
        if gap:
            says = tr(
                "A line ends {gap} mm from where it began: its part hangs there.",
                gap=number_text(gap, 2),
            )
            found.append(DrawingFinding("nearly closed", says, _point(flats[n]), (n,)))
    yield
    lines = shapely.linestrings(
        np.concatenate([flats[n] for n in kept]) if kept else np.zeros((0, 2)),
        indices=np.repeat(np.arange(len(kept)), [len(flats[n]) for n in kept]),
    )
    for at in np.flatnonzero(~shapely.is_simple(lines)).tolist():
        n = kept[at]
        says = tr("A line crosses itself: what falls out there is not as drawn.")
        found.append(DrawingFinding("crosses itself", says, _point(flats[n]), (n,)))
    yield
    tiny = [n for n in kept if _extent(flats[n]) < TINY_MM]
    if tiny:
        says = tr(
            "{lines} smaller than {tiny_mm} mm.",
            lines=count_text(len(tiny), "line"),
            tiny_mm=TINY_MM,
        )
        at_mm = _point(flats[tiny[0]])
        found.append(DrawingFinding("tiny", says, at_mm, tuple(tiny[:NAMED_PATHS])))
    found += yield from _twice(flats, kept)
    if bed_mm is not None and kept:
        found += _beyond(flats, kept, bed_mm)
    return tuple(found)


def _extent(points: Floats) -> float:
    return float(np.ptp(points, axis=0).max())


def _point(points: Floats) -> tuple[float, float]:
    return (float(points[0, 0]), float(points[0, 1]))


def near_gap(path: ContourPath, points: Floats) -> float:
    """Return how far an open line that nearly goes round ends from where it began, mm; 0 for any
    other.
    """
    gap = math.dist(points[0], points[-1])
    if path.closed or not JOINS_MM < gap <= NEARLY_MM or len(points) < 4:
        return 0.0
    length = float(np.hypot(*np.diff(points, axis=0).T).sum())
    return gap if length > 10 * gap else 0.0


def _beyond(
    flats: Sequence[Floats], kept: list[int], bed_mm: tuple[float, float]
) -> list[DrawingFinding]:
    low = np.min([flats[n].min(0) for n in kept], axis=0)
    high = np.max([flats[n].max(0) for n in kept], axis=0)
    wide, tall = (high - low).tolist()
    if wide <= bed_mm[0] + 1e-6 and tall <= bed_mm[1] + 1e-6:
        return []
    says = tr(
        "{wide} mm is larger than the bed of {lengths} mm.",
        wide=lengths_text(wide, tall),
        lengths=lengths_text(*bed_mm),
    )
    return [DrawingFinding("too big", says)]


def _twice(flats: Sequence[Floats], kept: list[int]) -> Seeking[list[DrawingFinding]]:
    """Lines that lie on top of others for half a millimetre or more in all."""
    if not kept:
        return []
    start = np.concatenate([flats[n][:-1] for n in kept])
    end = np.concatenate([flats[n][1:] for n in kept])
    owner = np.repeat(kept, [len(flats[n]) - 1 for n in kept])
    real = np.hypot(*(end - start).T) > 1e-6
    start, end, owner = start[real], end[real], owner[real]
    found = yield from seeking_overlaps(start, end)
    shared = found.covered_mm
    if found.all and shared <= LEAST_SHARED_MM:
        return []
    pairs = np.sort(owner[found.earlier].astype(np.int64) * len(flats) + owner[found.later])
    pairs = pairs[np.diff(pairs, prepend=-1) > 0]  # np.unique takes 60 times as long for millions
    worst = found.later[found.shared_mm.argmax()] if len(found.later) else 0
    x, y = start[worst].tolist()
    several = (divmod(pair, len(flats)) for pair in pairs[:MOST_PAIRS_NAMED].tolist())
    named = tuple(dict.fromkeys(itertools.chain(*several)))[:NAMED_PATHS]
    much = number_text(shared, 0)
    if found.all:
        says = tr(
            "{shared} mm of line lie on top of another line: they would be burnt twice.",
            shared=much,
        )
    else:
        says = tr(
            "More than {shared} mm of line lie on top of another line: they would be burnt twice.",
            shared=much,
        )
    return [DrawingFinding("burnt twice", says, (x, y), named)]
