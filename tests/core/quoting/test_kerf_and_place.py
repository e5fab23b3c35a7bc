"""Kerf per axis against Minkowski sums, what it eats, and copies among clamps and used areas."""

import math
import unittest

import numpy as np
import shapely

from olive_almanac.core.placing.room import Room
from olive_almanac.core.quoting.kerf import beam_paths, eaten_of
from olive_almanac.core.quoting.place import placed_copies


def ring(*points):
    return np.array(points, float)


PLATE = ring((0, 0), (30, 0), (30, 20), (0, 20))


class KerfTest(unittest.TestCase):
    def test_a_rectangle_grows_by_half_a_kerf_on_each_side(self):
        # docs/checks.md 6.04: 30.2 x 20.2 = 610.04 mm2 with its corners kept
        ((path,),) = beam_paths([PLATE], [False], (0.2, 0.2))
        self.assertAlmostEqual(shapely.Polygon(path).area, 610.04, 6)

    def test_each_axis_has_its_own(self):
        ((path,),) = beam_paths([PLATE], [False], (0.24, 0.16))
        np.testing.assert_allclose(path.min(0), [-0.12, -0.08])
        np.testing.assert_allclose(path.max(0), [30.12, 20.08])
        # docs/checks.md 6.08: normal at 120 degrees, hypot of the two halves along it
        t = math.radians(30)
        turn = np.array([[math.cos(t), math.sin(t)], [-math.sin(t), math.cos(t)]])
        tilted = ring((-50, -50), (50, -50), (50, 0), (-50, 0)) @ turn
        ((path,),) = beam_paths([tilted], [False], (0.24, 0.16))
        normal = np.array([math.cos(math.radians(120)), math.sin(math.radians(120))])
        wanted = math.hypot(0.12 * normal[0], 0.08 * normal[1])
        self.assertAlmostEqual(float((path @ normal).max()), wanted, 4)
        self.assertAlmostEqual(wanted, 0.091652, 6)

    def test_holes_shrink_and_the_smallest_vanish(self):
        hole, slit = (
            ring((5, 5), (15, 5), (15, 9), (5, 9)),
            ring((0, 0), (5, 0), (5, 0.1), (0, 0.1)),
        )
        (path,), nothing = beam_paths([hole, slit], [True, True], (0.2, 0.1))
        np.testing.assert_allclose(np.ptp(path, axis=0), [9.8, 3.9])
        self.assertEqual(nothing, [])
        self.assertEqual(beam_paths([hole], [True], (0.0, 0.1))[0][0].tolist(), hole.tolist())

    def test_what_the_kerf_eats_is_found_where_it_is(self):
        web = ring((0, 0), (20, 0), (20, 8), (10, 8), (10, 8.25), (20, 8.25), (20, 16), (0, 16))
        (notch,) = [one for one in eaten_of(web, (), (0.3, 0.3)) if one.kind == "notch"]
        self.assertTrue(10 < notch.at_mm[0] < 20 and 8 < notch.at_mm[1] < 8.25)
        self.assertAlmostEqual(notch.width_mm, 0.25, delta=0.08)
        thin = ring((0, 0), (20, 0), (20, 8), (11, 8), (11, 8.3), (20, 8.3), (20, 16), (0, 16))
        holes = [ring((0.3, 2), (9, 2), (9, 14), (0.3, 14)), ring((15, 2), (15.1, 2), (15, 2.1))]
        kinds = {one.kind for one in eaten_of(thin, holes, (0.2, 0.2))}
        self.assertEqual(kinds, {"hole", "web"})
        self.assertEqual(eaten_of(PLATE, (), (0.2, 0.2)), ())


class PlaceTest(unittest.TestCase):
    def boxes(self, placed, size):
        return [
            shapely.box(p.x_mm, p.y_mm, p.x_mm + w, p.y_mm + h)
            for p in placed
            for w, h in [size[::-1] if p.turned else size]
        ]

    def test_copies_keep_their_gap_and_lie_clear_of_what_is_taken(self):
        taken = ((0.0, 0.0, 60.0, 40.0), (180.0, 90.0, 220.0, 130.0))
        room = Room((5.0, 5.0, 395.0, 245.0), taken)
        size = (50.0, 30.0)
        placed = placed_copies(size, 30, [room], gap_mm=3.0)
        boxes = self.boxes(placed, size)
        self.assertGreaterEqual(len(boxes), 25)
        for n, one in enumerate(boxes):
            self.assertTrue(shapely.box(*room.area).covers(one))
            for box in taken:
                self.assertFalse(one.overlaps(shapely.box(*box)) or one.within(shapely.box(*box)))
            for other in boxes[:n]:
                self.assertGreaterEqual(one.distance(other), 3.0 - 1e-6)

    def test_sheets_are_filled_in_turn_and_the_rest_is_left_over(self):
        rooms = [Room((0.0, 0.0, 100.0, 50.0)), Room((0.0, 0.0, 60.0, 60.0))]
        placed = placed_copies((50.0, 50.0), 9, rooms, gap_mm=0.0)
        self.assertEqual([one.sheet for one in placed], [0, 0, 1])
        upright = placed_copies((90.0, 20.0), 2, [Room((0, 0, 50.0, 100.0))], gap_mm=2.0)
        self.assertEqual([one.turned for one in upright], [True, True])
        grain = placed_copies(
            (90.0, 20.0), 2, [Room((0, 0, 50.0, 100.0))], gap_mm=2.0, may_turn=False
        )
        self.assertEqual(grain, ())
