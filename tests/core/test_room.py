"""Room on a sheet: the free place nearest a corner or a point, what is short, snapping, and ways
around clamps.
"""

import math
import random
import unittest

from shapely.geometry import LineString
from shapely.geometry import box as square

from olive_almanac.core.placing.room import CORNERS, Room, room_on, route
from olive_almanac.core.records.stock import Sheet
from tests.samples import LONG


class RoomTest(unittest.TestCase):
    def test_corners_of_a_clamped_and_used_sheet(self):
        room = room_on(
            LONG,
            Sheet(300, 200, ((0, 0, 100, 80),), ((280, 90, 300, 110),)),
            at_mm=(50, 20),
            edge_mm=5,
        )
        self.assertEqual(room.area, (55, 25, 345, 215))
        self.assertEqual(
            room.in_corner(60, 40, "lower left"), (55, 102)
        )  # above the used area and 2 mm
        self.assertEqual(room.in_corner(60, 40, "upper right"), (285, 175))
        self.assertEqual(
            room.in_corner(100, 70, "lower right"), (245, 25)
        )  # below the clamp and the head's 10 mm
        self.assertIsNone(room.in_corner(260, 180, "lower left"))

    def test_nearest_is_as_near_as_a_search_over_a_fine_grid(self):
        draw = random.Random(4)
        for _ in range(30):
            taken = tuple(
                (x, y, x + draw.randint(10, 80), y + draw.randint(10, 60))
                for x, y in ((draw.randint(0, 250), draw.randint(0, 150)) for _ in range(4))
            )
            room, w, h = Room((0, 0, 300, 200), taken), draw.randint(20, 120), draw.randint(20, 100)
            wish = (draw.randint(0, 300), draw.randint(0, 200))
            places = [
                (x, y)
                for x in range(0, 301 - w, 2)
                for y in range(0, 201 - h, 2)
                if room.is_free((x, y, x + w, y + h))
            ]
            found = room.nearest(w, h, wish)
            if not places:
                continue
            self.assertTrue(room.is_free((*found, found[0] + w, found[1] + h)))
            self.assertLessEqual(
                math.dist(found, wish), min(math.dist(p, wish) for p in places) + 1e-6
            )

    def test_what_is_short_and_the_largest_free_boxes(self):
        room = Room((0, 0, 100, 60), ((0, 0, 40, 60),))
        self.assertEqual(room.largest(), ((40, 0, 100, 60),))
        self.assertEqual(room.short_by(72, 50), 12)
        self.assertEqual(room.short_by(60, 60), 0)
        self.assertEqual(Room((0, 0, 10, 10), ((0, 0, 10, 10),)).short_by(5, 5), math.inf)

    def test_the_largest_free_boxes_cannot_grow_and_hold_every_free_box(self):
        draw = random.Random(5)
        for _ in range(40):
            corners = [
                (draw.randint(-10, 90), draw.randint(-10, 50)) for _ in range(draw.randint(0, 6))
            ]
            room = Room(
                (0, 0, 100, 60),
                tuple((x, y, x + draw.randint(3, 40), y + draw.randint(3, 40)) for x, y in corners),
            )
            largest = room.largest()
            for left, low, right, high in largest:
                self.assertTrue(room.is_free((left, low, right, high)))
                wider = (
                    (left - 1, low, right, high),
                    (left, low - 1, right, high),
                    (left, low, right + 1, high),
                    (left, low, right, high + 1),
                )
                self.assertFalse(any(map(room.is_free, wider)))
            for _ in range(60):
                x, y = draw.randint(0, 95), draw.randint(0, 55)
                box = (x, y, x + draw.randint(1, 30), y + draw.randint(1, 30))
                if room.is_free(box):
                    self.assertTrue(
                        any(
                            b[0] <= box[0] and b[1] <= box[1] and box[2] <= b[2] and box[3] <= b[3]
                            for b in largest
                        ),
                        box,
                    )

    def test_snaps_to_edges_nearby_else_to_whole_millimetres(self):
        room = Room((5, 5, 300, 200), ((100, 50, 140, 90),))
        self.assertEqual(room.snapped(40, 30, (7.2, 102.4)), (5, 102))
        self.assertEqual(room.snapped(40, 30, (138.0, 171.0)), (140, 170))

    def test_every_corner_has_a_name(self):
        room = Room((0, 0, 300, 200))
        self.assertEqual(
            {room.in_corner(10, 10, corner) for corner in CORNERS},
            {(0, 0), (290, 0), (0, 190), (290, 190)},
        )

    def test_ways_go_around_clamps(self):
        draw = random.Random(9)
        for _ in range(60):
            clamps = [
                (x, y, x + draw.uniform(10, 60), y + draw.uniform(10, 60))
                for x, y in ((draw.uniform(20, 220), draw.uniform(20, 120)) for _ in range(3))
            ]
            start, end = (0.0, draw.uniform(0, 200)), (300.0, draw.uniform(0, 200))
            way = route(start, end, clamps, within=(0, 0, 300, 200))
            self.assertEqual(way[-1], end)
            line = LineString([start, *way])
            for clamp in clamps:
                self.assertLess(line.intersection(square(*clamp).buffer(-0.01)).length, 1e-6)
            self.assertLess(line.length, 1.7 * math.dist(start, end))
