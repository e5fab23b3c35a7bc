"""Lines on top of each other, and cuts one in the other: as a plain search of every pair finds
them, and without that search's square where thousands lie on one place.
"""

import itertools
import math
import unittest

import numpy as np
import shapely

from olive_almanac.core.quoting.contours import Contour, depths_of, parents_of
from olive_almanac.core.quoting.findings import findings_of
from olive_almanac.core.quoting.paths import ContourPath, Polyline
from olive_almanac.core.quoting.shared_lines import LEAST_MM, SAME_MM, overlaps_of, rests_of


def every_pair(start, end):
    """The stretches of each later segment that lie on an earlier one."""
    found = {}
    for i, j in itertools.combinations(range(len(start)), 2):
        a, b = end[i] - start[i], end[j] - start[j]
        length = math.hypot(*b)
        unit = b / length
        apart = start[i] - start[j]
        crossed = [abs(unit[0] * one[1] - unit[1] * one[0]) for one in (a, apart)]
        if max(crossed) >= SAME_MM:
            continue
        first, last = sorted(float((one[i] - start[j]) @ unit) for one in (start, end))
        first, last = max(first, 0.0), min(last, length)
        if last - first > LEAST_MM:
            found.setdefault(j, []).append((first, last))
    return found


def covered(stretches):
    """How much of a line its stretches cover, mm."""
    total, at = 0.0, -math.inf
    for first, last in sorted(stretches):
        total += max(0.0, last - max(first, at))
        at = max(at, last)
    return total


def pieces_of_lines(rng, lines, each):
    """Segments on common lines of all directions, some of them drawn again or the other way."""
    start, end = [], []
    for _ in range(lines):
        turn, at = rng.uniform(0, 2 * math.pi), rng.uniform(0, 200, 2)
        way = np.array([math.cos(turn), math.sin(turn)])
        for _ in range(each):
            a, b = sorted(rng.uniform(-30, 30, 2))
            ends = [at + a * way, at + b * way][:: rng.choice((-1, 1))]
            for _ in range(rng.choice((1, 1, 1, 2))):
                start.append(ends[0])
                end.append(ends[1])
    return np.array(start), np.array(end)


class OverlapsTest(unittest.TestCase):
    def test_what_is_covered_is_what_a_search_of_every_pair_finds(self):
        for seed in range(6):
            start, end = pieces_of_lines(np.random.default_rng(seed), 12, 7)
            found, wanted = overlaps_of(start, end), every_pair(start, end)
            told = {}
            for j, first, last in zip(found.later, found.first_mm, found.last_mm, strict=True):
                told.setdefault(int(j), []).append((float(first), float(last)))
            self.assertTrue((found.earlier < found.later).all())
            self.assertEqual(set(told), set(wanted))
            for j, stretches in wanted.items():
                self.assertAlmostEqual(covered(told[j]), covered(stretches), delta=1e-3)
            whole = sum(map(covered, wanted.values()))
            self.assertAlmostEqual(found.covered_mm, whole, delta=1e-3 * len(wanted))

    def test_lines_upright_and_lying_either_way_round_meet_their_copies(self):
        turns = np.arange(0, 360, 7.5)
        way = np.column_stack([np.cos(np.radians(turns)), np.sin(np.radians(turns))])
        middle = 100.0 * np.arange(len(turns))[:, None] * [1, 0]
        start = np.concatenate([middle - 20 * way, middle + 25 * way])
        end = np.concatenate([middle + 20 * way, middle - 10 * way])
        found = overlaps_of(start, end)
        self.assertEqual(sorted(found.later.tolist()), list(range(len(turns), 2 * len(turns))))
        self.assertAlmostEqual(found.covered_mm, 30.0 * len(turns), places=6)

    def test_thousands_on_one_place_are_told_once_each(self):
        n = 5000
        same = np.zeros((n, 2)), np.tile([90.0, 10.0], (n, 1))
        found = overlaps_of(*same)
        self.assertEqual((len(found.later), set(found.earlier.tolist())), (n - 1, {0}))
        self.assertAlmostEqual(found.covered_mm, (n - 1) * math.hypot(90, 10), places=3)
        turns = np.linspace(0, math.pi, n, endpoint=False)
        star = 50 * np.column_stack([np.cos(turns), np.sin(turns)])
        self.assertLess(len(overlaps_of(-star, star).later), 3 * n)

    def test_more_than_can_be_looked_at_side_by_side_is_told_as_more_than_was_found(self):
        rng, n = np.random.default_rng(3), 2500  # 6 million pairs that look alike
        start = np.column_stack([rng.uniform(0, 10, n), rng.uniform(0, SAME_MM / 3, n)])
        start = np.concatenate([start, start[:100]])
        end = start + np.array([60, 0])
        found = overlaps_of(start, end)
        self.assertFalse(found.all)
        self.assertIn(
            len(found.later), range(100, 1000)
        )  # what is drawn again is told all the same
        self.assertTrue(overlaps_of(start[:1000], end[:1000]).all)
        flats = [np.array(ends) for ends in zip(start, end, strict=True)]
        paths = [
            ContourPath("cut", (Polyline(tuple(map(tuple, flat))),), closed=False) for flat in flats
        ]
        (told,) = findings_of(paths, flats)
        self.assertEqual(told.says.partition(" of ")[0], f"More than {found.covered_mm:.0f} mm")
        heights = start[:n, 1].tolist()
        apart = [np.array([[k / 50, y], [k / 50 + 60, y]]) for k, y in enumerate(heights)]
        (told,) = findings_of(paths[:n], apart)
        self.assertEqual(told.says.partition(" of ")[0], "More than 0 mm")
        (told,) = findings_of(paths[:2], flats[:2])
        self.assertRegex(told.says, "^[56].* mm of line lie on top")

    def test_what_is_left_of_copies_is_one_of_them(self):
        square = np.array([[0, 0], [30, 0], [30, 20], [0, 20]], float)
        contours = [Contour(square, closed=True, group="red") for _ in range(300)]
        self.assertEqual([bool(rest) for rest in rests_of(contours)], [True] + [False] * 299)


class HoldersTest(unittest.TestCase):
    """Which cut holds which: as a look at every pair tells."""

    def test_the_smallest_that_holds_it_is_found_and_how_deep_it_lies(self):
        rng = np.random.default_rng(4)
        contours = []
        for _ in range(160):
            middle, r = rng.uniform(0, 100, 2), rng.uniform(0.5, 25)
            turns = np.sort(rng.uniform(0, 2 * math.pi, 9))
            ring = middle + r * np.column_stack([np.cos(turns), np.sin(turns)])
            task = str(rng.choice(("cut", "cut", "score", "engrave")))
            contours.append(Contour(ring, bool(rng.random() < 0.8), "red", task))
        faces = [shapely.Polygon(one.points_mm) for one in contours]
        parents = parents_of(contours)
        for n, one in enumerate(contours):
            holds = [
                k
                for k, other in enumerate(contours)
                if k != n
                and other.closed
                and other.rank
                and faces[k].area > (faces[n].area if one.closed and one.rank else 0.0)
                and faces[k].contains(shapely.Point(one.points_mm[0]))
            ]
            wanted = min(holds, key=lambda k: faces[k].area, default=-1)
            self.assertEqual(parents[n], wanted)
        depths = depths_of(parents)
        self.assertGreater(max(depths), 2)
        for n, parent in enumerate(parents):
            self.assertEqual(depths[n], depths[parent] + 1 if parent >= 0 else 0)
        cuts = depths_of(parents, [one.rank == 2 for one in contours])
        for n, parent in enumerate(parents):
            step = contours[parent].rank == 2 if parent >= 0 else 0
            self.assertEqual(cuts[n], (cuts[parent] if parent >= 0 else 0) + step)

    def test_thousands_one_in_the_other(self):
        square = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]], float)
        contours = [Contour((n + 1) * square, closed=True, group="red") for n in range(2500)]
        parents = parents_of(contours)
        self.assertEqual(parents, [*range(1, 2500), -1])
        self.assertEqual(depths_of(parents), list(range(2499, -1, -1)))


if __name__ == "__main__":
    unittest.main()
