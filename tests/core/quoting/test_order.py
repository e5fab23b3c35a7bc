"""The order of contours: against every permutation, what is inside first, and what it saves."""

import itertools
import math
import unittest

import numpy as np
import shapely

from olive_almanac.core.quoting.contours import Contour, begun_at, parents_of, starts_of
from olive_almanac.core.quoting.order import move_seconds, order_of, rounds_of, travel_along

HEAD = {"speed_mm_s": 400.0, "acceleration_mm_s2": 3000.0}


def circle(x, y, r, count=24):
    t = np.linspace(0, 2 * np.pi, count, endpoint=False)
    return Contour(np.column_stack([x + r * np.cos(t), y + r * np.sin(t)]), True, "g")


def box(x, y, w, h, task="cut"):
    corners = [(x, y), (x + w, y), (x + w, y + h), (x, y + h)]
    return Contour(np.array(corners, float), True, "g", task)


def line(x0, y0, x1, y1):
    return Contour(np.array([(x0, y0), (x1, y1)], float), False, "g")


def random_contours(count, seed):
    rng = np.random.default_rng(seed)
    made = []
    for x, y in rng.uniform(0, 20 * math.sqrt(count), (count, 2)):
        if rng.random() < 0.5:
            made.append(circle(x, y, rng.uniform(1, 4)))
        else:
            t = rng.uniform(0, 7)
            made.append(line(x, y, x + 12 * math.cos(t), y + 12 * math.sin(t)))
    return made


def plates(count):
    """Plates with four holes each, in rows."""
    made = []
    for n in range(count):
        x, y = 42 * (n % 5), 32 * (n // 5)
        made.append(box(x, y, 40, 30))
        made += [circle(x + dx, y + dy, 1.6) for dx in (5, 35) for dy in (5, 25)]
    return made


class TourTest(unittest.TestCase):
    def test_the_time_of_a_move_from_both_formulas(self):
        # docs/checks.md 12.01: 53.33 mm at 400 mm/s and 3000 mm/s2, by the ramp and by the run
        d = 400.0**2 / 3000
        self.assertAlmostEqual(float(move_seconds(np.array(d), 400, 3000)), 0.266667, 5)
        self.assertAlmostEqual(2 * math.sqrt(d / 3000), 0.266667, 5)
        self.assertAlmostEqual(float(move_seconds(np.array(d + 400), 400, 3000)), 1.266667, 5)

    def test_any_number_of_contours_is_ordered_each_once(self):
        for count in range(1, 20):  # the search exchanges stretches of 12 places at most
            made = [box(9 * n, 0, 5, 5) for n in range(count)]
            tour = order_of(made, effort=0.1, **HEAD)
            self.assertEqual(sorted(tour.order), list(range(count)))

    def test_few_contours_as_well_as_the_best_of_all_orders(self):
        for seed in range(4):
            contours = random_contours(5, seed)
            ours = order_of(contours, **HEAD)
            best = min(
                travel_along(contours, order, **HEAD).travel_s
                for order in itertools.permutations(range(5))
            )
            self.assertLessEqual(ours.travel_s, 1.005 * best, seed)

    def test_many_contours_once_each_and_far_quicker_than_as_drawn(self):
        for contours in (random_contours(150, 7), plates(30)):
            ours = order_of(contours, **HEAD)
            self.assertEqual(sorted(ours.order), list(range(len(contours))))
            drawn = travel_along(contours, range(len(contours)), **HEAD)
            self.assertLess(ours.travel_s, 0.75 * drawn.travel_s)
        self.assertEqual(ours, order_of(plates(30), **HEAD))  # always the same

    def test_lines_from_one_place_are_burnt_out_and_back(self):
        turns = np.linspace(0, 2 * math.pi, 300, endpoint=False)
        made = [line(50, 50, 50 + 40 * math.cos(t), 50 + 40 * math.sin(t)) for t in turns]
        tour = order_of(made, effort=0.1, home_mm=(50.0, 50.0), **HEAD)
        self.assertEqual(sorted(tour.order), list(range(300)))
        # each second one comes back: 150 steps of 0.84 mm at the rim, no way from the middle
        step = float(move_seconds(np.array(80 * math.sin(math.pi / 300)), 400, 3000))
        self.assertLess(tour.travel_s, 1.2 * 150 * step)

    def test_more_effort_gains_little(self):
        contours = random_contours(120, 3)
        usual = order_of(contours, **HEAD).travel_s
        hard = order_of(contours, effort=12.0, **HEAD).travel_s
        self.assertLess(usual, 1.05 * hard)

    def test_what_lies_inside_comes_first_and_ranks_come_in_turn(self):
        nested = [box(0, 0, 100, 100), box(10, 10, 50, 50), circle(30, 30, 8), circle(80, 80, 5)]
        engraved = [box(70, 10, 20, 5, "engrave"), box(71, 30, 9, 9, "score")]
        contours = [*nested, *engraved, *plates(6)]
        for rounds in (1, 3):
            tour = order_of(contours, rounds=rounds, **HEAD)
            place = {n: at for at, n in enumerate(tour.order)}
            parents = parents_of(contours)
            self.assertEqual(parents[:4], [-1, 0, 1, 0])
            for n, parent in enumerate(parents):
                if parent >= 0 and contours[parent].rank >= contours[n].rank:
                    self.assertLess(place[n], place[parent])
            ranks = [contours[n].rank for n in tour.order]
            self.assertEqual(ranks, sorted(ranks))

    def test_rounds_keep_neighbours_apart(self):
        order = list(range(12))
        dealt = rounds_of(order, [-1] * 12, 3)
        self.assertEqual(dealt, [0, 3, 6, 9, 10, 7, 4, 1, 2, 5, 8, 11])
        self.assertGreaterEqual(min(abs(a - b) for a, b in itertools.pairwise(dealt[:8])), 1)
        self.assertEqual(rounds_of(order, [-1] * 12, 1), order)


class HoldersTest(unittest.TestCase):
    def test_each_has_the_smallest_cut_around_its_first_point(self):
        rings = [circle(0, 0, r) for r in range(60, 0, -1)]
        rng = np.random.default_rng(2)
        dots = [circle(x, y, 0.1) for x, y in rng.uniform(-60, 60, (200, 2))]
        made = [*rings, *dots]
        parents = parents_of(made)
        firsts = shapely.points([one.points_mm[0] for one in made])
        faces = [shapely.Polygon(one.points_mm) for one in made]
        for n, parent in enumerate(parents):
            holds = [k for k, face in enumerate(faces) if k != n and face.contains(firsts[n])]
            smallest = min(holds, key=lambda k: faces[k].area, default=-1)
            self.assertEqual(parent, smallest)
        self.assertEqual(parents[:60], list(range(-1, 59)))


class StartsTest(unittest.TestCase):
    def test_a_contour_is_never_begun_in_a_corner(self):
        contour = box(10, 20, 40, 30)
        entries, exits, starts = starts_of(contour)
        np.testing.assert_array_equal(entries, exits)
        for place, start in zip(entries, starts, strict=True):
            from_corner = np.hypot(*(contour.points_mm - place).T).min()
            self.assertGreaterEqual(from_corner, 2 - 1e-9)
            burnt = begun_at(contour, start)
            np.testing.assert_allclose(burnt[0], place)
            np.testing.assert_allclose(burnt[-1], place)
            self.assertAlmostEqual(np.hypot(*np.diff(burnt, axis=0).T).sum(), 140)

    def test_an_open_line_is_burnt_either_way(self):
        contour = line(0, 0, 3, 4)
        entries, exits, starts = starts_of(contour)
        np.testing.assert_array_equal(entries, exits[::-1])
        np.testing.assert_array_equal(begun_at(contour, starts[1])[0], [3, 4])
