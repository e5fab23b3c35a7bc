"""Motion times.

Source: docs/checks.md rows 4.01 to 4.07, recomputed there with ruckig 0.19.4 and closed forms.
"""

import unittest

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.motion.path import corner_speed, path_seconds, raster_path_seconds
from olive_almanac.core.motion.profile import (
    outline_seconds,
    overscan_length,
    peak_speed,
    raster_seconds,
    run_seconds,
)


class RunPublished(unittest.TestCase):
    def test_trapezoid(self):
        """Rows 4.01 and 4.03."""
        self.assertAlmostEqual(run_seconds(100, 200, 2000), 0.6, delta=1e-9)
        self.assertAlmostEqual(run_seconds(300, 500, 5000), 0.7, delta=1e-9)

    def test_triangle(self):
        """Row 4.02: 10 mm, 500 mm/s, 2000 mm/s2."""
        self.assertAlmostEqual(run_seconds(10, 500, 2000), 0.141421, delta=1e-6)
        self.assertAlmostEqual(peak_speed(10, 500, 2000), 141.42, delta=5e-3)

    def test_the_two_meet_at_the_boundary(self):
        """Row 4.03b: L = v2/a = 20 mm."""
        self.assertAlmostEqual(run_seconds(20, 200, 2000), 0.2, delta=1e-9)
        self.assertAlmostEqual(run_seconds(20 - 1e-9, 200, 2000), 0.2, delta=1e-9)


class RasterPublished(unittest.TestCase):
    def test_overscan(self):
        """Row 4.06."""
        for speed, acceleration, length in (
            (500, 5000, 25),
            (300, 3000, 15),
            (1000, 10000, 50),
            (200, 1000, 20),
        ):
            self.assertAlmostEqual(overscan_length(speed, acceleration), length, places=9)

    def test_bidirectional_raster(self):
        """Row 4.07: 100 x 50 mm, pitch 0.1, 300 mm/s, 3000 mm/s2: 501 lines, 267.2 s."""
        self.assertAlmostEqual(raster_seconds(100, 50, 0.1, 300, 3000), 267.2, delta=0.05)


class CornerPublished(unittest.TestCase):
    def test_corner_speed(self):
        """Row 4.08: included angle, deviation, acceleration, speed."""
        for angle, junction, acceleration, speed in (
            (90, 0.01, 1000, 4.9135),
            (90, 0.05, 3000, 19.0298),
            (135, 0.01, 1000, 11.0168),
            (60, 0.02, 2000, 6.3246),
        ):
            found = corner_speed(angle, junction_mm=junction, acceleration_mm_s2=acceleration)
            self.assertAlmostEqual(found, speed, delta=6e-5)

    def test_a_straight_path_takes_what_one_run_takes(self):
        """Rows 4.01 to 4.03, cut into pieces of uneven length."""
        for length, speed, acceleration, seconds in (
            (100, 200, 2000, 0.6),
            (10, 500, 2000, 0.141421),
            (300, 500, 5000, 0.7),
        ):
            points = [(length * share, 0.0) for share in (0, 0.1, 0.35, 0.36, 0.9, 1)]
            found = path_seconds(
                points, [speed] * 5, acceleration_mm_s2=acceleration, junction_mm=0.01
            )
            self.assertAlmostEqual(found, seconds, delta=1e-6)

    def test_a_raster_with_no_time_for_its_steps(self):
        """Row 4.07: 267.2 s for 501 lines; the steps of 0.1 mm between the lines come on top, from
        rest to rest here.
        """
        lines = raster_path_seconds(100 + 300**2 / 3000, 501, 0.1, 300.0, 3000.0, 1e-9)
        self.assertAlmostEqual(lines, 267.2 + 500 * run_seconds(0.1, 300, 3000), delta=0.06)


class MotionIndependent(unittest.TestCase):
    def test_run_equals_step_by_step_integration(self):
        for length, speed, acceleration in ((10, 60, 900), (3, 100, 500), (80, 40, 4000)):
            at, v, t, dt = 0.0, 0.0, 0.0, 1e-5
            while at < length:
                brake = v * v / (2 * acceleration)
                v = (
                    min(speed, v + acceleration * dt)
                    if length - at > brake
                    else max(v - acceleration * dt, 1e-3)
                )
                at += v * dt
                t += dt
            with self.subTest(length=length, speed=speed):
                self.assertAlmostEqual(
                    run_seconds(length, speed, acceleration), t, delta=0.01 * t + 2e-3
                )

    def test_outline_is_its_four_sides_in_each_pass(self):
        self.assertAlmostEqual(
            outline_seconds(10, 20, 3, 30, 900),
            3 * 2 * (run_seconds(10, 30, 900) + run_seconds(20, 30, 900)),
            places=12,
        )


class MotionTest(unittest.TestCase):
    def test_refuses_what_cannot_move(self):
        for bad in ((10, 0, 100), (10, 10, -1), (float("nan"), 10, 10), (10, float("inf"), 10)):
            with self.subTest(bad=bad), self.assertRaises(OutOfRange):
                run_seconds(*bad)

    def test_no_way_takes_no_time(self):
        self.assertEqual(run_seconds(0, 100, 100), 0)
