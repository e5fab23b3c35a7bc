"""What is wrong with a drawing before it is burnt: lines burnt twice, nearly closed, crossing."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.quoting.joining import JOINS_MM
from olive_almanac.core.records.drawing import ContourPath, DrawingFinding
from olive_almanac.core.units import count_text, lengths_text, number_text

__all__ = ["findings_of"]

Floats = NDArray[np.float64]
NEARLY_MM = 0.5
TINY_MM = 0.2
SAME_MM = 0.02  # lines so near, and so nearly along each other, are one line
LEAST_SHARED_MM = 0.5
NAMED_PATHS = 50
ASKED_AT_ONCE = 10_000  # segments: other threads come in between


def findings_of(
    paths: Sequence[ContourPath], flats: Sequence[Floats], bed_mm: tuple[float, float] | None = None
) -> tuple[DrawingFinding, ...]:
    """Return what should be known of the paths; `flats` are their points [n, 2] each, mm."""
    import shapely

    found: list[DrawingFinding] = []
    kept = [n for n, points in enumerate(flats) if len(points) > 1 and _extent(points) > 1e-6]
    without = [n for n in range(len(flats)) if n not in set(kept)]
    if without:
        says = f"{count_text(len(without), 'line')} without length, left out."
        found.append(DrawingFinding("no length", says, None, tuple(without[:NAMED_PATHS])))
    for n in kept:
        gap = _near_gap(paths[n], flats[n])
        if gap:
            says = (
                f"A line ends {number_text(gap, 2)} mm from where it began: its part hangs there."
            )
            found.append(DrawingFinding("nearly closed", says, _point(flats[n]), (n,)))
    lines = shapely.linestrings(
        np.concatenate([flats[n] for n in kept]) if kept else np.zeros((0, 2)),
        indices=np.repeat(np.arange(len(kept)), [len(flats[n]) for n in kept]),
    )
    for at in np.flatnonzero(~shapely.is_simple(lines)).tolist():
        n = kept[at]
        says = "A line crosses itself: what falls out there is not as drawn."
        found.append(DrawingFinding("crosses itself", says, _point(flats[n]), (n,)))
    tiny = [n for n in kept if _extent(flats[n]) < TINY_MM]
    if tiny:
        says = f"{count_text(len(tiny), 'line')} smaller than {TINY_MM} mm."
        at_mm = _point(flats[tiny[0]])
        found.append(DrawingFinding("tiny", says, at_mm, tuple(tiny[:NAMED_PATHS])))
    found += _twice(flats, kept)
    if bed_mm is not None and kept:
        found += _beyond(flats, kept, bed_mm)
    return tuple(found)


def _extent(points: Floats) -> float:
    return float(np.ptp(points, axis=0).max())


def _point(points: Floats) -> tuple[float, float]:
    return (float(points[0, 0]), float(points[0, 1]))


def _near_gap(path: ContourPath, points: Floats) -> float:
    """How far an open line that nearly goes round ends from where it began; 0 for any other."""
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
    says = f"{lengths_text(wide, tall)} mm is larger than the bed of {lengths_text(*bed_mm)} mm."
    return [DrawingFinding("too big", says)]


def _twice(flats: Sequence[Floats], kept: list[int]) -> list[DrawingFinding]:
    """Lines that lie on top of others for half a millimetre or more in all."""
    if not kept:
        return []
    start = np.concatenate([flats[n][:-1] for n in kept])
    end = np.concatenate([flats[n][1:] for n in kept])
    owner = np.repeat(kept, [len(flats[n]) - 1 for n in kept])
    shared, pairs, where = _overlaps(start, end, owner)
    if shared <= LEAST_SHARED_MM:
        return []
    named = tuple(dict.fromkeys(n for pair in sorted(pairs) for n in pair))[:NAMED_PATHS]
    says = (
        f"{number_text(shared, 0)} mm of line lie on top of another line: they would be burnt "
        "twice."
    )
    return [DrawingFinding("burnt twice", says, where, named)]


def _overlaps(
    start: Floats, end: Floats, owner: NDArray[np.intp]
) -> tuple[float, set[tuple[int, int]], tuple[float, float] | None]:
    """Return the length that segments share along each other, mm, which lines do, and where one
    does.
    """
    import shapely

    along = end - start
    length = np.hypot(*along.T)
    real = length > 1e-6
    start, end, along, length, owner = (part[real] for part in (start, end, along, length, owner))
    if not len(start):
        return 0.0, set(), None
    segments = shapely.linestrings(np.stack([start, end], axis=1))
    tree = shapely.STRtree(segments)
    found = []
    for at in range(0, len(segments), ASKED_AT_ONCE):
        here, there = tree.query(segments[at : at + ASKED_AT_ONCE], predicate="intersects")
        once = here + at < there
        found.append((here[once] + at, there[once]))
    i, j = (np.concatenate(part) for part in zip(*found, strict=True))
    unit = along[i] / length[i][:, None]
    turn = np.abs(unit[:, 0] * along[j, 1] - unit[:, 1] * along[j, 0])
    apart = start[j] - start[i]
    off = np.abs(unit[:, 0] * apart[:, 1] - unit[:, 1] * apart[:, 0])
    same = (turn < SAME_MM) & (off < SAME_MM)
    i, j, unit = i[same], j[same], unit[same]
    from_, to = ((end_of[j] - start[i]) * unit for end_of in (start, end))
    first, last = from_.sum(1), to.sum(1)
    share = np.minimum(np.maximum(first, last), length[i]) - np.maximum(np.minimum(first, last), 0)
    real_share = share > 0.05
    pairs = {
        (int(owner[a]), int(owner[b])) for a, b in zip(i[real_share], j[real_share], strict=True)
    }
    where = None
    if real_share.any():
        longest = int(np.argmax(np.where(real_share, share, 0)))
        where = (float(start[i[longest], 0]), float(start[i[longest], 1]))
    return float(share[real_share].sum()), pairs, where
