"""In which order contours are burnt, and where each is begun: the least time with the beam off.

Contours that hold none are toured first without any rule of precedence: greedy edges, then 2-opt
and Or-opt on the time of a move from rest to rest, then kicks.  Those that hold others go in behind
their last descendant, where a way passes by.  Kicks are counted, not timed, so that a drawing
always gets the same order.  docs/methods.md, section Jobs.
"""

from __future__ import annotations

import itertools
import math
import random
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.quoting.contours import Contour, depths_of, parents_of, starts_of

__all__ = ["Tour", "move_seconds", "order_of", "rounds_of", "travel_along"]

Floats = NDArray[np.float64]
Cost = Callable[[int, int], float]
Point = tuple[float, float]
NEAR = 8  # neighbours looked at
ASKED_AT_ONCE = 400  # nodes: other threads come in between
WINDOW = 50  # nodes that a kick stays within
KICKS_A_NODE = 12
LEAST_KICKS, MOST_KICKS, KICKS_OF_MANY = 1500, 3000, 1800
ROUNDS, MANY = 3, 800  # of searching with the entries anew; one less for so many nodes
UNTIED = -2  # no node; -1 is the place where a tour begins and ends
TIED = -1e6  # what joins the two ends of an open line, s
LOOK_ON = 6  # places behind its last descendant where a contour may go in
GAIN_S = 1e-9


@dataclass(frozen=True)
class Tour:
    """The order of contours by their numbers, where each is begun (see `begun_at`), and the time
    with the beam off, s: from home to the first, between them, and home again.
    """

    order: tuple[int, ...]
    starts: tuple[float, ...]
    travel_s: float


def move_seconds(distance_mm: Floats, speed_mm_s: float, acceleration_mm_s2: float) -> Floats:
    """Return the time of moves from rest to rest, s: 2 sqrt(d/a) while the speed is not reached."""
    short = np.minimum(distance_mm, speed_mm_s**2 / acceleration_mm_s2)
    return np.asarray(2 * np.sqrt(short / acceleration_mm_s2) + (distance_mm - short) / speed_mm_s)


def order_of(
    contours: Sequence[Contour],
    *,
    speed_mm_s: float,
    acceleration_mm_s2: float,
    home_mm: Point = (0.0, 0.0),
    rounds: int = 1,
    seed: int = 1,
    effort: float = 1.0,
    parents: Sequence[int] | None = None,
) -> Tour:
    """Return the order: by rank, what lies inside before what holds it, least travel.

    `rounds` above 1 deals the cuts out so that neighbours are not burnt one after the other (stock
    that melts).  `effort` multiplies the kicks.  `parents` are those of `parents_of`, where they
    are known.
    """
    if parents is None:
        parents = parents_of(contours)
    planner = _Planner(contours, parents, speed_mm_s, acceleration_mm_s2, seed, effort)
    order: list[int] = []
    at = home_mm
    for rank in sorted({one.rank for one in contours}):
        mine = [n for n, one in enumerate(contours) if one.rank == rank]
        part = planner.tour(mine, at, len(mine) / len(contours))
        order += rounds_of(part, planner.parents, rounds) if rank else part
        at = tuple(planner.ways[order[-1]].exits[0])
    ways = [planner.ways[n] for n in order]
    return _along(order, ways, speed_mm_s, acceleration_mm_s2, home_mm)


def rounds_of(order: Sequence[int], parents: Sequence[int], rounds: int) -> list[int]:
    """Return an order dealt out into rounds, every second one backwards; what holds others stays
    behind them.
    """
    if rounds <= 1:
        return list(order)
    dealt: list[int] = []
    for n in range(rounds):
        part = list(order[n::rounds])
        dealt += part[::-1] if n % 2 else part
    ready = {n: float(at) for at, n in enumerate(dealt)}
    depths = depths_of(parents)
    for n in sorted(dealt, key=depths.__getitem__, reverse=True):
        holder = parents[n]
        if holder in ready:
            ready[holder] = max(ready[holder], ready[n] + 1e-3)
    return sorted(dealt, key=ready.__getitem__)


def travel_along(
    contours: Sequence[Contour],
    order: Sequence[int],
    *,
    speed_mm_s: float,
    acceleration_mm_s2: float,
    home_mm: Point = (0.0, 0.0),
) -> Tour:
    """Return the given order with the best start of each contour: dynamic programming over the
    places where each may be begun.
    """
    ways = [_way_of(contours[n]) for n in order]
    return _along(order, ways, speed_mm_s, acceleration_mm_s2, home_mm)


def _along(
    order: Sequence[int], ways: Sequence[_Way], speed: float, acceleration: float, home_mm: Point
) -> Tour:
    if not order:
        return Tour((), (), 0.0)
    home = np.array([home_mm])
    chosen, seconds = _best_entries(
        [home, *(way.entries for way in ways), home],
        [home, *(way.exits for way in ways), home],
        speed,
        acceleration,
    )
    starts = tuple(float(way.starts[at]) for way, at in zip(ways, chosen[1:-1], strict=True))
    return Tour(tuple(order), starts, seconds)


def _best_entries(
    entries: Sequence[Floats], exits: Sequence[Floats], speed: float, acceleration: float
) -> tuple[list[int], float]:
    """Which of its places each stop is entered at, and the travel, s."""
    most = max(map(len, entries))
    come, go = _filled_up(exits[:-1], most), _filled_up(entries[1:], most)
    reach, back = np.zeros(most), []
    for begin in range(0, len(come), ASKED_AT_ONCE):
        here = come[begin : begin + ASKED_AT_ONCE, :, None]
        there = go[begin : begin + ASKED_AT_ONCE, None]
        apart = np.hypot(here[..., 0] - there[..., 0], here[..., 1] - there[..., 1])
        for seconds in move_seconds(apart, speed, acceleration):
            cost = seconds + reach[:, None]
            back.append(cost.argmin(0))
            reach = cost.min(0)
    at = int(reach.argmin())
    total, chosen = float(reach[at]), [at]
    for came in reversed(back):
        at = int(came[at])
        chosen.append(at)
    return chosen[::-1], total


def _filled_up(places: Sequence[Floats], most: int) -> Floats:
    """Places [k, 2] of each stop as one array [n, most, 2]: the last one stands for those that are
    not there, and is never chosen before itself.
    """
    sizes = np.array([len(one) for one in places])
    first = np.cumsum(sizes) - sizes
    at = first[:, None] + np.minimum(np.arange(most), sizes[:, None] - 1)
    return np.asarray(np.concatenate(places)[at])


@dataclass(frozen=True)
class _Way:
    """Where a contour may be entered and is then left."""

    entries: Floats
    exits: Floats
    starts: Floats


def _way_of(contour: Contour) -> _Way:
    return _Way(*starts_of(contour))


class _Planner:
    """Orders the contours of one rank after the other."""

    def __init__(
        self,
        contours: Sequence[Contour],
        parents: Sequence[int],
        speed: float,
        acceleration: float,
        seed: int,
        effort: float,
    ) -> None:
        self.contours, self.speed, self.acceleration = contours, speed, acceleration
        self.effort, self.random = effort, random.Random(seed)
        self.parents = parents
        self.ways = [_way_of(one) for one in contours]

    def tour(self, mine: Sequence[int], start: Point, share: float = 1.0) -> list[int]:
        """Return the contours of one rank in order, beginning from a place and ending there, with
        its share of the kicks of all ranks.
        """
        inside = set(mine)
        children: dict[int, list[int]] = {n: [] for n in mine}
        for n in mine:
            if self.parents[n] in inside:
                children[self.parents[n]].append(n)
        leaves = [n for n in mine if not children[n]]
        order, at = self._toured(leaves, start, share)
        return self._with_parents(order, at, children, start)

    # -- the leaves --------------------------------------------------------------------------------

    def _toured(
        self, leaves: list[int], start: Point, share: float
    ) -> tuple[list[int], dict[int, int]]:
        """The leaves in order, and which of its entries each is begun at."""
        nodes = [(n, end) for n in leaves for end in ((0,) if self.contours[n].closed else (0, 1))]
        first = {n: at for at, (n, _) in reversed(list(enumerate(nodes)))}
        tie = [UNTIED if self.contours[n].closed else first[n] + 1 - end for n, end in nodes]
        places = [
            self.ways[n].entries if self.contours[n].closed else self.ways[n].entries[[end]]
            for n, end in nodes
        ]
        near = _neighbours(places)
        middles = np.array([place.mean(0) for place in places])
        path = _greedy(middles, near, tie, start)
        entries: list[int] = []
        rounds = ROUNDS - (len(nodes) > MANY)
        for turn in range(rounds):
            order = _contours_along(path, nodes, tie)
            entries = self._entered(order, start)
            spots, path = self._as_path(order, entries, first)
            search = _Search(path, self._cost(spots, tie, start), near)
            search.improve(list(path))
            if turn == rounds - 1:
                most = KICKS_OF_MANY if len(nodes) > MANY else MOST_KICKS
                kicks = min(max(KICKS_A_NODE * len(nodes), share * LEAST_KICKS), share * most)
                search.kick(self.random, round(self.effort * kicks))
            path = search.path[1:-1]
        order = _contours_along(path, nodes, tie)
        entries = self._entered(order, start)
        return order, dict(zip(order, entries, strict=True))

    def _entered(self, order: Sequence[int], start: Point) -> list[int]:
        home = np.array([start])
        entries = [home, *(self.ways[n].entries for n in order), home]
        exits = [home, *(self.ways[n].exits for n in order), home]
        chosen, _ = _best_entries(entries, exits, self.speed, self.acceleration)
        return chosen[1:-1]

    def _as_path(
        self, order: Sequence[int], entries: Sequence[int], first: dict[int, int]
    ) -> tuple[dict[int, Point], list[int]]:
        """Where each node is now, and the nodes in their order: an open line enters by one end."""
        spots: dict[int, Point] = {}
        path: list[int] = []
        for n, entry in zip(order, entries, strict=True):
            at, places = first[n], self.ways[n].entries.tolist()
            if self.contours[n].closed:
                spots[at] = tuple(places[entry])
                path.append(at)
            else:
                spots[at], spots[at + 1] = tuple(places[0]), tuple(places[1])
                path += [at, at + 1] if entry == 0 else [at + 1, at]
        return spots, path

    def _cost(self, spots: dict[int, Point], tie: list[int], start: Point) -> Cost:
        """The time from node to node; -1 is the place where the tour begins and ends."""
        hypot, sqrt = math.hypot, math.sqrt
        v, a = self.speed, self.acceleration
        full, ramp = v * v / a, v / a
        at = [spots[n] for n in range(len(tie))] + [start]  # -1 is the last

        def cost(i: int, j: int) -> float:
            if i >= 0 and tie[i] == j:
                return TIED
            (px, py), (qx, qy) = at[i], at[j]
            d = hypot(qx - px, qy - py)
            return d / v + ramp if d >= full else 2 * sqrt(d / a)

        return cost

    # -- what holds others -------------------------------------------------------------------------

    def _with_parents(
        self, order: list[int], entry: dict[int, int], children: dict[int, list[int]], start: Point
    ) -> list[int]:
        """Put each contour that holds others behind its last descendant, innermost first, where it
        costs least.
        """
        follows: dict[int, int | None] = dict(zip(order, [*order[1:], None], strict=True))
        place = {n: float(at) for at, n in enumerate(order)}
        holders = [n for n, held in children.items() if held]
        depths = depths_of(self.parents)
        for n in sorted(holders, key=depths.__getitem__, reverse=True):
            at: int | None = max(children[n], key=place.__getitem__)
            best: tuple[float, int, int] | None = None
            for _ in range(LOOK_ON):
                if at is None:
                    break
                seconds, way_in = self._insertion(n, at, follows[at], entry, start)
                if best is None or seconds < best[0] - GAIN_S:
                    best = (seconds, at, way_in)
                at = follows[at]
            assert best is not None
            _, before, entry[n] = best
            after = follows[before]
            follows[before], follows[n] = n, after
            step = place[after] - place[before] if after is not None else 2.0
            place[n] = place[before] + step / 2
        return sorted(place, key=place.__getitem__)

    def _insertion(
        self, n: int, before: int, after: int | None, entry: dict[int, int], start: Point
    ) -> tuple[float, int]:
        """What it costs to burn a contour between two others, and where it is then entered."""
        come = self.ways[before].exits[entry[before]]
        go = np.array(start) if after is None else self.ways[after].entries[entry[after]]
        way = self.ways[n]
        distances = np.hypot(*(way.entries - come).T), np.hypot(*(way.exits - go).T)
        cost = sum(move_seconds(d, self.speed, self.acceleration) for d in distances)
        straight = move_seconds(np.hypot(*(come - go)), self.speed, self.acceleration)
        at = int(np.argmin(cost))
        return float(np.asarray(cost)[at] - straight), at


def _contours_along(
    path: Iterable[int], nodes: Sequence[tuple[int, int]], tie: Sequence[int]
) -> list[int]:
    """The contours in the order of their nodes, an open line once."""
    order: list[int] = []
    last = -2
    for node in path:
        if tie[node] < 0 or tie[node] != last:
            order.append(nodes[node][0])
            last = node
        else:
            last = -2
    return order


def _neighbours(places: Sequence[Floats]) -> list[list[int]]:
    """For each node the nearest others, by any of the places of both."""
    from scipy.spatial import cKDTree

    if len(places) < 2:
        return [[] for _ in places]
    sizes = np.array([len(place) for place in places])
    owner, flat = np.repeat(np.arange(len(places)), sizes), np.concatenate(places)
    count = min(len(flat), NEAR + int(sizes.mean()) + 2)
    few = _first_on_each(flat, count)
    tree, owner_of = cKDTree(flat[few]), owner[few]
    count = min(count, len(few))
    near: list[list[int]] = []
    for begin in range(0, len(places), ASKED_AT_ONCE):
        asked = np.concatenate(places[begin : begin + ASKED_AT_ONCE])
        distance, at = tree.query(asked, k=count)
        asking = np.repeat(owner[(owner >= begin) & (owner < begin + ASKED_AT_ONCE)], count)
        near += _nearest(asking, owner_of[at.ravel()], distance.ravel(), begin, len(places))
    return near


def _first_on_each(places: Floats, most: int) -> NDArray[np.intp]:
    """Which places [n, 2] are kept so that no more than `most` are one and the same: a tree looks
    through all of those, each time.
    """
    by_place = np.lexsort(places.T)
    ordered = places[by_place]
    begins = np.r_[True, (ordered[1:] != ordered[:-1]).any(axis=1)]
    first = np.maximum.accumulate(np.where(begins, np.arange(len(places)), 0))
    return np.sort(by_place[np.arange(len(places)) - first < most])


def _nearest(
    i: NDArray[np.intp], j: NDArray[np.intp], d: Floats, begin: int, count: int
) -> list[list[int]]:
    """The nearest others j of each node i from `begin` on, of pairs that may stand twice."""
    other = i != j
    i, j, d = i[other], j[other], d[other]
    by_pair = np.lexsort((d, j, i))
    i, j, d = i[by_pair], j[by_pair], d[by_pair]
    first = np.r_[True, (i[1:] != i[:-1]) | (j[1:] != j[:-1])]
    i, j, d = i[first], j[first], d[first]
    by_distance = np.lexsort((d, i))
    i, j = i[by_distance], j[by_distance]
    nodes = np.arange(begin, min(begin + ASKED_AT_ONCE, count) + 1)
    starts = np.searchsorted(i, nodes)
    return [
        j[low : min(high, low + NEAR)].tolist() for low, high in itertools.pairwise(starts.tolist())
    ]


def _greedy(
    middles: Floats, near: Sequence[Sequence[int]], tie: Sequence[int], start: Point
) -> list[int]:
    """A first path: shortest edges first as long as they make no branch and no circle, then the
    fragments joined by the nearest free end.
    """
    n = len(middles)
    x, y = middles.T.tolist()
    edges = sorted(
        (math.hypot(x[i] - x[j], y[i] - y[j]), i, j)
        for i in range(n)
        for j in near[i]
        if tie[i] != j and (i < j or i not in near[j])
    )
    edges = [(TIED, i, tie[i]) for i in range(n) if tie[i] > i] + edges
    root, links = list(range(n)), [[] for _ in range(n)]  # type: list[int], list[list[int]]

    def find(i: int) -> int:
        while root[i] != i:
            root[i] = root[root[i]]
            i = root[i]
        return i

    for _, i, j in edges:
        if len(links[i]) < 2 and len(links[j]) < 2 and find(i) != find(j):
            root[find(i)] = find(j)
            links[i].append(j)
            links[j].append(i)
    return _strung(_fragments(links), middles, start)


def _fragments(links: Sequence[Sequence[int]]) -> list[list[int]]:
    seen = [False] * len(links)
    found = []
    for first in range(len(links)):
        if seen[first] or len(links[first]) == 2:
            continue
        fragment, at = [first], first
        seen[first] = True
        while ahead := [n for n in links[at] if not seen[n]]:
            at = ahead[0]
            seen[at] = True
            fragment.append(at)
        found.append(fragment)
    return found


def _strung(fragments: list[list[int]], middles: Floats, start: Point) -> list[int]:
    """The fragments one behind the other, each by the end that is nearest."""
    count = len(fragments)
    both_ends = [one[0] for one in fragments] + [one[-1] for one in fragments]
    x, y = np.ascontiguousarray(middles[both_ends].T)
    squares, across = np.empty(2 * count), np.empty(2 * count)
    order: list[int] = []
    at_x, at_y = start
    for _ in range(count):
        np.square(np.subtract(x, at_x, out=squares), out=squares)
        np.square(np.subtract(y, at_y, out=across), out=across)
        k = int(np.add(squares, across, out=squares).argmin())
        fragment = fragments[k % count]
        order += fragment if k < count else fragment[::-1]
        x[k % count] = x[k % count + count] = np.inf
        at_x, at_y = middles[order[-1]].tolist()
    return order


class _Search:
    """2-opt and Or-opt on a path whose two ends stay: -1, the place where the tour begins and
    ends.
    """

    def __init__(self, path: Sequence[int], cost: Cost, near: Sequence[Sequence[int]]) -> None:
        self.path, self.cost, self.near = [-1, *path, -1], cost, near

    def improve(self, queue: list[int]) -> None:
        """Improve around the nodes of the queue, and around what changes, until nothing gains."""
        _improve(self.path, self.cost, self.near, queue)

    def kick(self, chance: random.Random, times: int) -> None:
        """Exchange two neighbouring stretches within a window and repair it; keep what is
        quicker.
        """
        path, cost = self.path, self.cost
        width = min(WINDOW, len(path))
        if width < 8:
            return
        for _ in range(times):
            begin = chance.randrange(0, len(path) - width + 1)
            part = path[begin : begin + width]
            p = chance.randrange(1, width - 6 if width <= 13 else width - 12)
            q = p + chance.randrange(1, min(6, width - p - 2) + 1)
            r = q + chance.randrange(1, min(6, width - q - 1) + 1)
            trial = part[:p] + part[q:r] + part[p:q] + part[r:]
            touched = [trial[k] for k in (p - 1, p, p + r - q - 1, p + r - q, r - 1, r)]
            _improve(trial, cost, self.near, touched)
            if _length(trial, cost) < _length(part, cost) - GAIN_S:
                path[begin : begin + width] = trial


def _length(path: Sequence[int], cost: Cost) -> float:
    return sum(map(cost, path, path[1:]))


def _improve(path: list[int], cost: Cost, near: Sequence[Sequence[int]], queue: list[int]) -> None:
    at = {node: n for n, node in enumerate(path)}
    last = len(path) - 1
    at[path[0]] = 0
    ends = {path[0], path[last]}
    waiting = set(queue)
    while queue:
        node = queue.pop()
        waiting.discard(node)
        while node not in ends:
            touched = _one_move(path, at, cost, near, node)
            if not touched:
                break
            for other in touched:
                if other not in waiting and other not in ends:
                    waiting.add(other)
                    queue.append(other)


def _one_move(
    path: list[int], at: dict[int, int], cost: Cost, near: Sequence[Sequence[int]], node: int
) -> list[int]:
    """Make the first move around a node that gains; return the nodes it touches, none without."""
    here, last = at[node], len(path) - 1
    before, after = path[here - 1], path[here + 1]
    to_before, to_after = cost(before, node), cost(node, after)
    longest = max(to_before, to_after)
    for other in near[node]:
        there = at.get(other)
        joined = cost(node, other)
        if joined >= longest:
            return []
        if there is None or not 0 < there < last:
            continue
        beyond, ahead = path[there - 1], path[there + 1]
        if joined < to_after:
            gain = to_after + cost(other, ahead) - joined - cost(after, ahead)
            if gain > GAIN_S:
                _reverse(path, at, min(here, there) + 1, max(here, there))
                return [node, after, other, ahead]
        if joined < to_before:
            gain = to_before + cost(beyond, other) - joined - cost(before, beyond)
            if gain > GAIN_S:
                _reverse(path, at, min(here, there), max(here, there) - 1)
                return [node, before, other, beyond]
        moved = _segment_move(path, at, cost, here, there, joined)
        if moved:
            return moved
    return []


def _segment_move(
    path: list[int], at: dict[int, int], cost: Cost, here: int, there: int, joined: float
) -> list[int]:
    """Move the one to three nodes that begin at `here`, either way, to beside the node at
    `there`.
    """
    last = len(path) - 1
    for length in (1, 2, 3):
        for low, high in ((here, here + length - 1), (here - length + 1, here)):
            if low < 1 or high >= last or low <= there <= high:
                continue
            tail = path[high] if low == here else path[low]
            out = (
                cost(path[low - 1], path[low])
                + cost(path[high], path[high + 1])
                - cost(path[low - 1], path[high + 1])
            )
            if out - joined <= GAIN_S:
                continue
            for beside in (there + 1, there - 1):
                if low <= beside <= high or not 0 <= beside <= last:
                    continue
                opened = cost(path[min(there, beside)], path[max(there, beside)])
                if out + opened - joined - cost(tail, path[beside]) > GAIN_S:
                    touched = [path[low - 1], path[high + 1], path[low], path[high]]
                    touched += [path[there], path[beside]]
                    _shift(path, at, (low, high), (there, beside), path[here])
                    return touched
    return []


def _reverse(path: list[int], at: dict[int, int], low: int, high: int) -> None:
    path[low : high + 1] = path[low : high + 1][::-1]
    for n in range(low, high + 1):
        at[path[n]] = n


def _shift(
    path: list[int], at: dict[int, int], segment: tuple[int, int], gap: tuple[int, int], head: int
) -> None:
    """Take a segment out and put it into a gap, its head beside the first place of the gap."""
    low, high = segment
    nodes = path[low : high + 1]
    there = path[gap[0]]
    left = min(gap)
    del path[low : high + 1]
    if left > high:
        left -= len(nodes)
    head_first = path[left] == there
    if (nodes[0] == head) != head_first:
        nodes.reverse()
    path[left + 1 : left + 1] = nodes
    first, end = min(low, left + 1), max(high, left + len(nodes))
    for n in range(first, end + 1):
        at[path[n]] = n
