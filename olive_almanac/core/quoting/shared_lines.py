"""Lines that lie on top of each other: how much, and what is left to burn of the later one."""

from __future__ import annotations

import itertools
import math
from collections.abc import Generator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.quoting.contours import Contour
from olive_almanac.core.stages import finished

__all__ = ["Overlaps", "Rest", "overlaps_of", "rests_of", "seeking_overlaps"]

Floats = NDArray[np.float64]
Whole = NDArray[np.intp]
SAME_MM = 0.02  # lines so near, and so nearly along each other, are one line
ALIKE_MM = 0.001  # segments whose ends are so near are the same one, drawn again
LEAST_MM = 0.05  # what two lines share at least
WAYS = 31  # directions that are told apart
WAY_RAD = math.pi / WAYS
ASKED_AT_ONCE = 2_000  # segments: other threads come in between
SAMPLED, MOST_PAIRS = 64, 4_000_000  # of boxes that meet, of one direction


@dataclass(frozen=True)
class Overlaps:
    """Pairs of segments that share a stretch: the earlier and the later one, and from where to
    where along the later one, mm.  They are not `all` where too many lines lie side by side.
    """

    earlier: Whole
    later: Whole
    first_mm: Floats
    last_mm: Floats
    all: bool = True

    @property
    def shared_mm(self) -> Floats:
        """How long each shared piece is, mm [n]."""
        return self.last_mm - self.first_mm

    @property
    def covered_mm(self) -> float:
        """How much of all later segments lies on earlier ones, mm, each place counted once."""
        if not len(self.later):
            return 0.0
        apart = self.later * (2 * self.last_mm.max() + 1)  # segments one behind the other
        first = self.first_mm + apart
        order = np.argsort(first)
        first, last = first[order], (self.last_mm + apart)[order]
        before = np.concatenate([[-np.inf], np.maximum.accumulate(last)[:-1]])
        return float(np.maximum(last - np.maximum(first, before), 0).sum())


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
    """Return the stretches that segments [n, 2] share along each other; what is drawn several times
    over is told once of each copy, with the first of them.
    """
    return finished(seeking_overlaps(start, end))


def seeking_overlaps(start: Floats, end: Floats) -> Generator[None, None, Overlaps]:
    """Seek the overlaps of segments [n, 2], one direction after the other.

    Segments are looked at direction by direction, turned so that they lie along X: their boxes are
    thin then, and lines that only cross never meet.  Where all the same more than MOST_PAIRS boxes
    meet, as many lines lie side by side within SAME_MM, that direction is not looked at.
    """
    length = np.hypot(*(end - start).T)
    kept = np.flatnonzero(length > LEAST_MM)
    first_of = _first_alike(start[kept], end[kept])
    copies = np.flatnonzero(first_of < np.arange(len(kept)))
    later = kept[copies]
    found = [(kept[first_of[copies]], later, np.zeros(len(copies)), length[later])]
    single = kept[np.unique(first_of)]
    angle = np.arctan2(*(end[single] - start[single]).T[::-1]) % math.pi
    ways = np.floor(angle / WAY_RAD).astype(np.intp) % WAYS
    looked_at = True
    for way in np.unique(ways).tolist():
        mine, beside = single[ways == way], single[ways == (way + 1) % WAYS]
        shared = _along(start, end, length, mine, beside, (way + 1) * WAY_RAD)
        found += shared or []
        looked_at &= shared is not None
        yield
    i, j, first, last = (np.concatenate(part) for part in zip(*found, strict=True))
    return Overlaps(i, j, first, last, looked_at)


def _first_alike(start: Floats, end: Floats) -> Whole:
    """For each segment the first one that runs between the same two places, either way [n]."""
    ends = np.round(np.stack([start, end], axis=1) / ALIKE_MM)
    swapped = (ends[:, 0, 0] > ends[:, 1, 0]) | (
        (ends[:, 0, 0] == ends[:, 1, 0]) & (ends[:, 0, 1] > ends[:, 1, 1])
    )
    ends[swapped] = ends[swapped][:, ::-1]
    # by column after column: rows as a whole are sorted while all else stands still
    flat = ends.reshape(len(ends), 4)
    order = np.lexsort(flat.T)
    begins = np.ones(len(flat), bool)
    begins[1:] = (np.diff(flat[order], axis=0) != 0).any(axis=1)
    first = np.empty(len(flat), np.intp)
    first[order] = order[begins][np.cumsum(begins) - 1]
    return first


def _along(
    start: Floats, end: Floats, length: Floats, mine: Whole, beside: Whole, turn_rad: float
) -> list[tuple[Whole, Whole, Floats, Floats]] | None:
    """What segments share with others of about their direction: those of one way among each other,
    and with those of the next; None where more than MOST_PAIRS boxes meet.
    """
    import shapely

    every = np.sort(np.concatenate([mine, beside]))
    begins, ends, length = start[every], end[every], length[every]
    c, s = math.cos(turn_rad), math.sin(turn_rad)
    turned = np.array([[c, -s], [s, c]])
    both = np.stack([begins @ turned, ends @ turned])
    low, high = both.min(0) - SAME_MM / 2, both.max(0) + SAME_MM / 2
    boxes = shapely.box(low[:, 0], low[:, 1], high[:, 0], high[:, 1])
    tree = shapely.STRtree(boxes)
    asked = np.searchsorted(every, mine)
    sample = boxes[asked][:: max(1, len(asked) // SAMPLED)]
    if tree.query(sample).shape[1] / len(sample) * len(asked) > MOST_PAIRS:
        return None
    is_mine = np.zeros(len(every), bool)
    is_mine[asked] = True
    (x, y), (along_x, along_y) = begins.T.copy(), (ends - begins).T.copy()
    unit_x, unit_y = along_x / length, along_y / length
    found = []
    for at in range(0, len(asked), ASKED_AT_ONCE):
        some = asked[at : at + ASKED_AT_ONCE]
        here, there = tree.query(boxes[some])
        here = some[here]
        once = (here > there) | ~is_mine[there]  # within one way each pair is met twice
        here, there = here[once], there[once]
        i, j = np.minimum(here, there), np.maximum(here, there)
        turn = np.abs(unit_x[j] * along_y[i] - unit_y[j] * along_x[i])
        i, j = i[turn < SAME_MM], j[turn < SAME_MM]
        apart_x, apart_y = x[i] - x[j], y[i] - y[j]
        near = np.abs(unit_x[j] * apart_y - unit_y[j] * apart_x) < SAME_MM
        i, j = i[near], j[near]
        begin = apart_x[near] * unit_x[j] + apart_y[near] * unit_y[j]
        stop = begin + along_x[i] * unit_x[j] + along_y[i] * unit_y[j]
        first = np.maximum(np.minimum(begin, stop), 0)
        last = np.minimum(np.maximum(begin, stop), length[j])
        real = last - first > LEAST_MM
        found.append((every[i[real]], every[j[real]], first[real], last[real]))
    return found


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
