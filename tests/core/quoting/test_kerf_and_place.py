"""Kerf per axis against Minkowski sums, what it eats, and copies among clamps and used areas."""

import math
import unittest
from dataclasses import replace
from unittest import mock

import numpy as np
import shapely
import shapely.affinity

from olive_almanac.core.placing.room import Room
from olive_almanac.core.quoting.contours import face_of
from olive_almanac.core.quoting.kerf import beam_paths, eaten_of
from olive_almanac.core.quoting.pattern import pattern_of
from olive_almanac.core.quoting.place import Item, nested, outline_of, placed_in_rows
from olive_almanac.core.quoting.strip import InTurn, Kind, packed
from olive_almanac.core.records.drawing import ContourPath, Drawing, Polyline
from olive_almanac.core.records.job import GroupTask
from olive_almanac.core.records.setting import Setting
from olive_almanac.steps.beside import BesideThread
from tests.samples import LONG


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


def item(points, turns=(0, 1, 2, 3)):
    """A piece with such an outline, that may be turned by so many quarters."""
    path = ContourPath("cut", (Polyline((*points, points[0])),), True)
    drawing = Drawing("piece", "mm", None, (path,))
    pattern = pattern_of(drawing, (GroupTask("cut", "cut", "", Setting(1.0, 10.0)),), LONG)
    return Item(-1, pattern, turns)


def box_item(wide, high, turns=(0, 1, 2, 3)):
    return item([(0, 0), (wide, 0), (wide, high), (0, high)], turns)


class PlaceTest(unittest.TestCase):
    def check(self, piece, placed, room, gap_mm):
        """All inside the room, clear of what is taken, and a gap apart."""
        outlines = [outline_of(piece.pattern, copy) for copy in placed]
        for n, one in enumerate(outlines):
            self.assertTrue(shapely.box(*room.area).buffer(1e-6).covers(one))
            for box in room.taken:
                self.assertLess(one.intersection(shapely.box(*box)).area, 1e-6)
            for other in outlines[:n]:
                self.assertGreaterEqual(one.distance(other), gap_mm - 2e-3)

    def test_copies_keep_their_gap_and_lie_clear_of_what_is_taken(self):
        taken = ((0.0, 0.0, 60.0, 40.0), (180.0, 90.0, 220.0, 130.0))
        room = Room((5.0, 5.0, 395.0, 245.0), taken)
        piece = box_item(50.0, 30.0)
        placed = placed_in_rows([piece] * 30, [room], gap_mm=3.0)
        self.assertGreaterEqual(len(placed), 25)
        self.check(piece, placed, room, 3.0)

    def test_sheets_are_filled_in_turn_and_the_rest_is_left_over(self):
        rooms = [Room((0.0, 0.0, 100.0, 50.0)), Room((0.0, 0.0, 60.0, 60.0))]
        placed = placed_in_rows([box_item(50.0, 50.0)] * 9, rooms, gap_mm=0.0)
        self.assertEqual([one.sheet for one in placed], [0, 0, 1])
        upright = [Room((0, 0, 50.0, 100.0))]
        turned = placed_in_rows([box_item(90.0, 20.0)] * 2, upright, gap_mm=2.0)
        self.assertEqual([one.turned for one in turned], [True, True])
        grain = placed_in_rows([box_item(90.0, 20.0, (0, 2))] * 2, upright, gap_mm=2.0)
        self.assertEqual(grain, ())

    def test_pieces_of_several_sizes_share_the_rows(self):
        room = Room((0.0, 0.0, 200.0, 100.0))
        pieces = [box_item(90.0, 40.0)] * 4 + [box_item(20.0, 10.0)] * 10
        placed = placed_in_rows(pieces, [room], gap_mm=2.0)
        self.assertEqual(len(placed), 14)

    def test_outlines_lie_closer_than_rows_and_clear_of_a_clamp(self):
        triangle = item([(0, 0), (60, 0), (0, 40)])
        taken = ((0.0, 0.0, 40.0, 30.0),)
        for room in (Room((0.0, 0.0, 400.0, 250.0)), Room((0.0, 0.0, 200.0, 130.0), taken)):
            with self.subTest(room=room):
                rows = placed_in_rows([triangle] * 30, [room], gap_mm=2.0)
                *_, placed = nested([triangle] * 30, [room], gap_mm=2.0)
                self.check(triangle, placed, room, 2.0)
                self.assertGreaterEqual(len(placed), len(rows))
                if room.taken:
                    self.assertGreater(len(placed), 1.3 * len(rows))

    def test_the_search_can_be_stopped_before_each_sheet(self):
        disc = item(np.array(shapely.Point(20, 20).buffer(20, quad_segs=4).exterior.coords[:-1]))
        sheet = Room((0.0, 0.0, 100.0, 50.0))
        discs = [replace(disc) for _ in range(6)]
        *before, placed = nested(discs, [sheet] * 3, gap_mm=2.0)
        self.assertGreaterEqual(len(before), 6)  # by strips and among what is taken
        self.assertEqual(set(before), {()})
        self.assertEqual({one.sheet for one in placed}, {0, 1, 2})
        self.assertEqual(len(placed), 6)

    def test_grain_keeps_its_direction_by_outlines_too(self):
        ell = item([(0, 0), (70, 0), (70, 15), (15, 15), (15, 50), (0, 50)], (0, 2))
        *_, placed = nested([ell] * 8, [Room((0.0, 0.0, 300.0, 120.0))], gap_mm=2.0)
        self.assertEqual(len(placed), 8)
        self.assertFalse(any(one.turned for one in placed))
        self.check(ell, placed, Room((0.0, 0.0, 300.0, 120.0)), 2.0)

    def test_a_piece_too_large_for_its_room_is_not_placed(self):
        room = Room((0.0, 0.0, 100.0, 50.0))
        for wide, high in ((101.0, 10.0), (10.0, 101.0), (60.0, 60.0), (200.0, 200.0)):
            with self.subTest(wide=wide, high=high):
                *_, placed = nested([box_item(wide, high)], [room], gap_mm=2.0)
                self.assertEqual(placed, ())

    def test_pieces_as_wide_as_the_room_or_thin_as_a_line_find_their_place(self):
        room = Room((0.0, 0.0, 100.0, 50.0))
        tight = box_item(99.5, 49.5)
        *_, placed = nested([tight], [room], gap_mm=5.0)
        self.check(tight, placed, room, 5.0)
        self.assertEqual(len(placed), 1)
        thin = box_item(20.0, 0.06)
        *_, placed = nested([thin] * 4, [room], gap_mm=5.0)
        self.check(thin, placed, room, 5.0)
        self.assertEqual(len(placed), 4)
        *_, placed = nested([thin], [Room((0.0, 0.0, 40.0, 3.0))], gap_mm=5.0)
        self.assertEqual(len(placed), 1)
        sliver = item([(43.96, 6.26), (44.46, 11.91), (44.83, 16.09), (44.67, 14.24)])
        slivers = [replace(sliver) for _ in range(30)]
        *_, placed = nested(slivers, [room], gap_mm=1.0)
        self.check(sliver, placed, room, 1.0)
        self.assertEqual(len(placed), 30)

    def test_a_piece_of_which_nothing_is_left_has_a_place_all_the_same(self):
        crumb = box_item(10.0, 10.0).pattern
        nothing = replace(crumb, beams=(), steps=())
        self.assertTrue(nothing.shape.contains(shapely.box(*nothing.box_mm)))


class StripTest(unittest.TestCase):
    beside = InTurn()
    BOX = ((0.0, 0.0), (30.0, 0.0), (30.0, 20.0), (0.0, 20.0))

    def placed(self, *kinds, height_mm=50.0):
        seeking = packed(kinds, height_mm=height_mm, apart_mm=2.0, search_s=1, beside=self.beside)
        while True:
            try:
                self.assertEqual(next(seeking), ())
            except StopIteration as done:
                return done.value

    def test_all_pieces_lie_in_the_strip_and_apart(self):
        star = tuple((10 + (4 + 6 * (n % 2)) * math.cos(n), 10 + 9 * math.sin(n)) for n in range(6))
        kinds = (Kind(self.BOX, 4, (0.0, 90.0)), Kind(star, 3, (0.0,)))
        found = self.placed(*kinds)
        self.assertEqual(sorted(one.id for one in found), ["0"] * 4 + ["1"] * 3)
        shapes = []
        for one in found:
            turned = shapely.affinity.rotate(
                shapely.Polygon(kinds[int(one.id)].points_mm), one.rotation, origin=(0, 0)
            )
            shapes.append(shapely.affinity.translate(turned, *one.translation))
        for n, shape in enumerate(shapes):
            self.assertGreaterEqual(shape.bounds[1], -1e-3)
            self.assertLessEqual(shape.bounds[3], 50.001)
            for other in shapes[:n]:
                self.assertGreaterEqual(shape.distance(other), 1.99)

    def test_a_search_that_does_not_end_is_left_and_nothing_is_placed(self):
        class Never(InTurn):
            def run(self, work, most_s):
                yield from [()] * 3

        with mock.patch.object(self, "beside", Never()):
            self.assertEqual(self.placed(Kind(self.BOX, 2, (0.0,))), ())

    def test_in_a_thread_it_is_the_same(self):
        with mock.patch.object(self, "beside", BesideThread()):
            self.assertEqual(len(self.placed(Kind(self.BOX, 4, (0.0,)))), 4)

    def test_a_piece_higher_than_the_strip_is_not_placed(self):
        self.assertEqual(self.placed(Kind(self.BOX, 2, (90.0,)), height_mm=25.0), ())


class FaceTest(unittest.TestCase):
    def test_a_line_that_crosses_itself_keeps_both_of_its_faces(self):
        bow = np.array([(0, 0), (10, 10), (10, 0), (0, 10)], float)
        self.assertAlmostEqual(face_of(bow).area, 50.0)  # two triangles of 10 by 5
        self.assertTrue(face_of(bow).is_valid)
        for nothing in ([(0, 0), (5, 0)], [(0, 0), (5, 0), (2, 0)]):
            self.assertTrue(face_of(np.array(nothing, float)).is_empty)
