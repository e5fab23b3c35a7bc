"""Open lines of one group whose ends meet become one line, and closed where they go round."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from olive_almanac.core.quoting.paths import ends_of, reversed_piece
from olive_almanac.core.records.drawing import ContourPath, Piece

__all__ = ["JOINS_MM", "joined"]

Point = tuple[float, float]
End = tuple[int, int]  # which line, 0 its start or 1 its end
JOINS_MM = 0.005


def joined(paths: Sequence[ContourPath], within_mm: float = JOINS_MM) -> tuple[ContourPath, ...]:
    """Return the paths with open ones of one group chained where exactly two ends meet."""
    done = {n: path for n, path in enumerate(paths) if path.closed}
    groups: dict[tuple[str, bool], list[int]] = {}
    for n, path in enumerate(paths):
        if not path.closed:
            groups.setdefault((path.group, path.filled), []).append(n)
    for opens in groups.values():
        for first, chain in _Chainer([paths[n] for n in opens], within_mm).chains():
            done[opens[first]] = chain
    return tuple(done[n] for n in sorted(done))


class _Chainer:
    """Chains the open lines of one group; ends are found by squares of a grid."""

    def __init__(self, lines: list[ContourPath], within_mm: float) -> None:
        self.lines, self.within = lines, within_mm
        self.ends: list[tuple[Point, Point]] = [ends_of(line.pieces) for line in lines]
        self.grid: dict[tuple[int, int], list[End]] = {}
        for n, both in enumerate(self.ends):
            for end, point in enumerate(both):
                self.grid.setdefault(self._square(point), []).append((n, end))

    def _square(self, point: Point) -> tuple[int, int]:
        side = 4 * self.within
        return round(point[0] / side), round(point[1] / side)

    def _partner(self, of: End) -> End | None:
        """The one other end that meets an end; None where there is none, or several."""
        point = self.ends[of[0]][of[1]]
        x, y = self._square(point)
        near = (
            other
            for dx in (-1, 0, 1)
            for dy in (-1, 0, 1)
            for other in self.grid.get((x + dx, y + dy), ())
            if other != of and math.dist(point, self.ends[other[0]][other[1]]) <= self.within
        )
        first, second = next(near, None), next(near, None)  # where thousands meet, two are enough
        return first if second is None else None

    def _next(self, of: End) -> End | None:
        there = self._partner(of)
        if there is None or self._partner(there) != of:
            return None
        return there

    def chains(self) -> list[tuple[int, ContourPath]]:
        """Return the chains, each with the first of its lines as they were given."""
        used: set[int] = set()
        found = []
        for n in range(len(self.lines)):
            if n not in used:
                chain, closed = self._chain(n)
                used |= {line for line, _ in chain}
                found.append((n, self._as_path(chain, closed=closed)))
        return found

    def _chain(self, first: int) -> tuple[list[End], bool]:
        """The lines that follow on a line both ways, each with the end at which it is entered."""
        chain: list[End] = [(first, 0)]
        here = {first}
        end: End = (first, 1)
        while (there := self._next(end)) is not None:
            if there == chain[0]:
                return chain, len(chain) > 1 or len(self.lines[first].pieces) > 1
            if there[0] in here:
                break
            chain.append(there)
            here.add(there[0])
            end = (there[0], 1 - there[1])
        while (there := self._next(chain[0])) is not None and there[0] not in here:
            chain.insert(0, (there[0], 1 - there[1]))
            here.add(there[0])
        return chain, False

    def _as_path(self, chain: list[End], *, closed: bool) -> ContourPath:
        pieces: list[Piece] = []
        for n, entered in chain:
            own = self.lines[n].pieces
            pieces += [reversed_piece(piece) for piece in reversed(own)] if entered else own
        first = self.lines[chain[0][0]]
        start, end = ends_of(tuple(pieces))
        alone = len(pieces) > 1 and math.dist(start, end) <= self.within
        return replace(first, pieces=tuple(pieces), closed=closed or alone)
