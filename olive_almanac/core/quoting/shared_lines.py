"""Lines that lie on top of each other: how much, and what is left to burn of the later one."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.quoting.contours import Contour

__all__ = ["Overlaps", "Rest", "overlaps_of", "rests_of"]

Floats = NDArray[np.float64]
Whole = NDArray[np.intp]
SAME_MM = 0.02  # lines so near, and so nearly along each other, are one line
LEAST_MM = 0.05  # what two lines share at least
ASKED_AT_ONCE = 10_000  # segments: other threads come in between


@dataclass(frozen=True)
class Overlaps:
    """Pairs of segments that share a stretch: the earlier and the later one, and from where to
    where along the later one, mm.
    """

    earlier: Whole
    later: Whole
    first_mm: Floats
    last_mm: Floats

    @property
    def shared_mm(self) -> Floats:
        """How long each shared piece is, mm [n]."""
        return self.last_mm - self.first_mm


@dataclass(frozen=True, eq=False)
class Rest:
    """What is left to burn of a contour: the whole, or open lines; `shares` tells that it has a
    stretch in common with another that is burnt too.
    """

    whole: bool
    lines: tuple[Floats, ...] = ()
    shares: bool = False

    def __bool__(self) -> bool:
        return self.whole or bool(self.lines)


def overlaps_of(start: Floats, end: Floats) -> Overlaps:
    """Return the stretches that segments [n, 2] share along each other."""
    import shapely

    nothing = np.zeros(0, dtype=np.intp)
    if not len(start):
        return Overlaps(nothing, nothing, np.zeros(0), np.zeros(0))
    segments = shapely.linestrings(np.stack([start, end], axis=1))
    tree = shapely.STRtree(segments)
    found = []
    for at in range(0, len(segments), ASKED_AT_ONCE):
        here, there = tree.query(segments[at : at + ASKED_AT_ONCE], predicate="intersects")
        once = here + at > there
        found.append((there[once], here[once] + at))
    i, j = (np.concatenate(part) for part in zip(*found, strict=True))
    along = end - start
    length = np.maximum(np.hypot(*along.T), 1e-12)
    unit = along[j] / length[j][:, None]
    turn = np.abs(unit[:, 0] * along[i, 1] - unit[:, 1] * along[i, 0])
    apart = start[i] - start[j]
    off = np.abs(unit[:, 0] * apart[:, 1] - unit[:, 1] * apart[:, 0])
    same = (turn < SAME_MM) & (off < SAME_MM)
    i, j, unit = i[same], j[same], unit[same]
    begin, stop = (((ends[i] - start[j]) * unit).sum(1) for ends in (start, end))
    first = np.maximum(np.minimum(begin, stop), 0)
    last = np.minimum(np.maximum(begin, stop), length[j])
    real = last - first > LEAST_MM
    return Overlaps(i[real], j[real], first[real], last[real])


def rests_of(contours: Sequence[Contour]) -> list[Rest]:
    """Return for each contour what is left of it once the lines of those before it, of the same
    group, are burnt.
    """
    rests = [Rest(whole=True) for _ in contours]
    for group in dict.fromkeys(one.group for one in contours):
        mine = [n for n, one in enumerate(contours) if one.group == group]
        for n, rest in zip(mine, _rests([contours[n] for n in mine]), strict=True):
            rests[n] = rest
    return rests


def _rests(contours: Sequence[Contour]) -> list[Rest]:
    rings = [
        np.concatenate([one.points_mm, one.points_mm[:1]]) if one.closed else one.points_mm
        for one in contours
    ]
    counts = [len(ring) - 1 for ring in rings]
    owner = np.repeat(np.arange(len(rings)), counts)
    start = np.concatenate([ring[:-1] for ring in rings])
    end = np.concatenate([ring[1:] for ring in rings])
    found = overlaps_of(start, end)
    gone: dict[int, list[tuple[float, float]]] = {}
    for segment, first, last in zip(found.later, found.first_mm, found.last_mm, strict=True):
        gone.setdefault(int(segment), []).append((float(first), float(last)))
    pairs = list(zip(owner[found.earlier].tolist(), owner[found.later].tolist(), strict=True))
    touched = {later for _, later in pairs}
    lines: dict[int, list[Floats]] = {}
    firsts = np.cumsum([0, *counts])
    for n in touched:
        lines[n] = _left_of(rings[n], [gone.get(int(firsts[n]) + k, []) for k in range(counts[n])])
    burnt = {n for n in range(len(rings)) if n not in touched or lines[n]}
    sharing = {one for pair in pairs if set(pair) <= burnt for one in pair}
    return [
        Rest(n not in touched, tuple(lines.get(n, ())), n in sharing) for n in range(len(rings))
    ]


def _left_of(ring: Floats, gone: Sequence[Sequence[tuple[float, float]]]) -> list[Floats]:
    """The stretches of a line that are not gone, as open lines."""
    lines: list[list[Floats]] = []
    for (here, there), stretches in zip(itertools.pairwise(ring), gone, strict=True):
        length = float(np.hypot(*(there - here)))
        for first, last in _between(stretches, length):
            a = here + (there - here) * (first / max(length, 1e-12))
            b = here + (there - here) * (last / max(length, 1e-12))
            if lines and np.hypot(*(lines[-1][-1] - a)) < SAME_MM:
                lines[-1].append(b)
            else:
                lines.append([a, b])
    found = [np.array(line) for line in lines]
    closed = np.hypot(*(ring[0] - ring[-1])) < SAME_MM
    if closed and len(found) > 1 and np.hypot(*(found[0][0] - found[-1][-1])) < SAME_MM:
        found = [np.concatenate([found[-1], found[0][1:]]), *found[1:-1]]
    return found


def _between(gone: Sequence[tuple[float, float]], length: float) -> list[tuple[float, float]]:
    """What is left of a stretch between those that are gone."""
    left, at = [], 0.0
    for first, last in sorted(gone):
        if first - at > LEAST_MM:
            left.append((at, first))
        at = max(at, last)
    if length - at > LEAST_MM or not gone:
        left.append((at, length))
    return left
