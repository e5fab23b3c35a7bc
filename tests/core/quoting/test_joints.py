"""Joints told by their turns, and what a slot does with stock that is not as sold."""

import unittest

import numpy as np

from olive_almanac.core.quoting.joints import advice_for, joints_of


def ring(*points):
    return np.array(points, float)


class JointsTest(unittest.TestCase):
    def test_slots_notches_fingers_and_tabs_are_told_apart(self):
        plate = ring(
            (0, 0), (60, 0), (60, 40), (31.5, 40), (31.5, 20), (28.5, 20), (28.5, 40), (0, 40)
        )
        slot = ring((10, 10), (10, 13.1), (22, 13.1), (22, 10))
        found = joints_of(plate, [slot], 3.0)
        self.assertEqual([(one.kind, one.axis) for one in found], [("notch", "x"), ("slot", "y")])
        self.assertAlmostEqual(found[0].drawn_mm, 3.0)
        self.assertAlmostEqual(found[1].drawn_mm, 3.1)
        side = ring((0, 0), (30, 0), (30, 13), (24, 13), (24, 10), (18, 10), (18, 13), (12, 13),
                    (12, 10), (6, 10), (6, 13), (0, 13))  # fmt: skip
        kinds = [one.kind for one in joints_of(side, [], 3.0)]
        self.assertEqual(set(kinds), {"finger depth"})
        self.assertEqual(len(kinds), 4)

    def test_the_way_round_and_points_on_straight_runs_do_not_matter(self):
        plate = ring((0, 0), (30, 0), (60, 0), (60, 40), (31.5, 40), (31.5, 30), (31.5, 20),
                     (28.5, 20), (28.5, 40), (0, 40))  # fmt: skip
        for outline in (plate, plate[::-1]):
            (notch,) = joints_of(outline, [], 3.0)
            self.assertEqual((notch.kind, notch.at_mm), ("notch", (30.0, 20.0)))

    def test_plain_parts_have_none(self):
        circle = np.column_stack(
            [20 * np.cos(np.arange(48) / 7.64), 20 * np.sin(np.arange(48) / 7.64)]
        )
        for outline in (ring((0, 0), (3, 0), (3, 50), (0, 50)), circle):
            self.assertEqual(joints_of(outline, [], 3.0), ())

    def test_a_slot_on_stock_that_is_thicker_than_sold(self):
        # docs/checks.md 12.03: stock 3.21 +- 0.05, kerf 0.18 +- 0.01: clearance -0.21, jams
        # 99.99 %; draw 3.26 (3.08 not compensated); then 8.5 % jam
        stock = {"kerf_mm": 0.18, "kerf_sd_mm": 0.01}
        told = advice_for(3.0, 3.21, 0.05, compensated=True, **stock)
        self.assertAlmostEqual(told.clearance_mm, -0.21)
        self.assertAlmostEqual(told.jams, 0.9999, 4)
        self.assertAlmostEqual(told.draw_mm, 3.26)
        self.assertAlmostEqual(told.jams_then, 0.085, 3)
        bare = advice_for(3.0, 3.21, 0.05, compensated=False, **stock)
        self.assertAlmostEqual(bare.draw_mm, 3.08)
        exact = advice_for(3.0, 2.9, 0.0, kerf_mm=0.0, kerf_sd_mm=0.0, compensated=True)
        self.assertEqual((exact.jams, exact.jams_then), (0.0, 0.0))
