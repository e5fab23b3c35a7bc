"""Level, square, focus, eyes and fume.

Source: docs/checks.md rows named in the tests, recomputed there with numpy, scikit-spatial,
shapely, laserbeamsize and lasercalc; standards from memory.
"""

import math
import unittest

import numpy as np

from olive_almanac.core.beam.burnt_lines import FocusFit
from olive_almanac.core.beam.caustic import fit_caustic
from olive_almanac.core.beam.spot import focused_spot
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.anchors import ANCHORS
from olive_almanac.core.safety.eyes import aperture_mm, eye_limit_w_m2, optical_density
from olive_almanac.core.safety.fume import (
    air_changes_per_hour,
    clearance_minutes,
    concentration_mg_m3,
    duct_flow_m3_h,
)
from olive_almanac.core.squaring.frame import check_frame, place_frame
from olive_almanac.core.squaring.head import head_height, mirror_offset, mirror_tilt_deg
from olive_almanac.core.squaring.level import fit_level
from olive_almanac.core.squaring.skew import skew_from_diagonals, skew_of_edge

CORNERS = ((0, 0), (300, 0), (300, 200), (0, 200))
FIVE = (*CORNERS, (150, 100))


class LevelPublished(unittest.TestCase):
    """Row 6.01: five heights over 300 x 200 mm."""

    def setUp(self):
        self.level = fit_level(FIVE, (0.01, 0.29, 0.51, 0.19, 0.25))

    def test_tilt_and_residuals(self):
        self.assertAlmostEqual(self.level.tilt_x_mm_m, 1.0, places=9)
        self.assertAlmostEqual(self.level.tilt_y_mm_m, 1.0, places=9)
        self.assertAlmostEqual(self.level.tilt_mrad, 1.4142, delta=5e-5)
        np.testing.assert_allclose(
            self.level.residuals_mm, (0.01, -0.01, 0.01, -0.01, 0), atol=1e-9
        )

    def test_which_corner_to_shim(self):
        np.testing.assert_allclose(self.level.shims_mm, (0.5, 0.2, 0.0, 0.3), atol=1e-9)
        self.assertEqual(self.level.shape, "tilted")


class LevelTest(unittest.TestCase):
    def test_bow_and_twist_are_told_from_tilt(self):
        self.assertEqual(fit_level(FIVE, (0, 0, 0, 0, 1.0)).shape, "bowed")
        self.assertAlmostEqual(fit_level(FIVE, (0, 0, 0, 0, 1.0)).bow_mm, 1.0, places=6)
        self.assertEqual(fit_level(FIVE, (1.0, 0, 1.0, 0, 0.5)).shape, "twisted")
        self.assertAlmostEqual(fit_level(CORNERS, (1.0, 0, 1.0, 0)).twist_mm, 1.0, places=6)
        self.assertEqual(fit_level(FIVE, (0.02, 0, 0.03, 0.01, 0)).shape, "level")

    def test_three_points_are_enough_and_two_are_not(self):
        self.assertAlmostEqual(fit_level(CORNERS[:3], (0, 0.3, 0.3)).tilt_x_mm_m, 1.0, places=9)
        for points, heights in (
            (CORNERS[:2], (0, 1)),
            (((0, 0), (10, 10), (20, 20)), (0, 1, 2)),
            (CORNERS, (0, 1, math.nan, 2)),
        ):
            with self.assertRaises(OutOfRange):
                fit_level(points, heights)


class SkewPublished(unittest.TestCase):
    def test_from_diagonals(self):
        """Row 6.02: 400 x 300 mm, 0.1 degree: 500.4187 and 499.5809 mm."""
        self.assertAlmostEqual(
            skew_from_diagonals(
                side_a_mm=400, side_b_mm=300, diagonal_1_mm=500.4187, diagonal_2_mm=499.5809
            ),
            0.1,
            delta=1e-4,
        )
        with self.assertRaises(OutOfRange):
            skew_from_diagonals(side_a_mm=10, side_b_mm=10, diagonal_1_mm=90, diagonal_2_mm=1)


class SkewTest(unittest.TestCase):
    def test_which_way_and_how_far(self):
        skew = skew_of_edge((10, 10), (310, 13))
        self.assertAlmostEqual(skew.angle_deg, math.degrees(math.atan(0.01)), places=9)
        self.assertAlmostEqual(skew.move_mm, 3.0, places=6)
        self.assertEqual(skew.turn, "clockwise")
        self.assertEqual(skew_of_edge((10, 10), (310, 7)).turn, "counter-clockwise")
        self.assertEqual(skew_of_edge((10, 10), (310, 10)).turn, "")

    def test_an_edge_along_y_is_measured_against_y(self):
        skew = skew_of_edge((5, 0), (2, 200))
        self.assertAlmostEqual(skew.angle_deg, math.degrees(math.atan(3 / 200)), places=9)
        self.assertAlmostEqual(skew.move_mm, 3.0, delta=1e-3)

    def test_points_too_close_are_refused(self):
        with self.assertRaises(OutOfRange):
            skew_of_edge((0, 0), (1, 1))


class FrameTest(unittest.TestCase):
    def test_nine_origins_place_the_same_drawing(self):
        self.assertEqual(len(ANCHORS), 9)
        for origin, corner in (
            ("lower left", (100, 50)),
            ("centre", (80, 35)),
            ("upper right", (60, 20)),
            ("lower middle", (80, 50)),
            ("middle right", (60, 35)),
        ):
            frame = place_frame(40, 30, origin=origin, at_mm=(100, 50))
            self.assertEqual((frame.left_mm, frame.low_mm), corner)

    def test_says_by_how_much_it_does_not_fit_and_what_to_move(self):
        check = check_frame(
            place_frame(40, 30, origin="lower left", at_mm=(372, -5)), bed_mm=(400, 400)
        )
        self.assertEqual(
            check.problems,
            ("12.0 mm over the right side of the bed", "5.0 mm over the lower edge of the bed"),
        )
        self.assertEqual(check.move_mm, (-12, 5))

    def test_clamps_are_avoided_with_the_heads_clearance(self):
        frame = place_frame(40, 30, origin="lower left", at_mm=(100, 100))
        clamp = (130.0, 90.0, 150.0, 110.0)
        self.assertTrue(check_frame(frame, bed_mm=(400, 400)).fits)
        check = check_frame(frame, bed_mm=(400, 400), clamps_mm=(clamp,), clearance_mm=6)
        self.assertIn("clamp at 130, 90", check.problems[0])
        moved = place_frame(
            40, 30, origin="lower left", at_mm=(100 + check.move_mm[0], 100 + check.move_mm[1])
        )
        self.assertTrue(
            check_frame(moved, bed_mm=(400, 400), clamps_mm=(clamp,), clearance_mm=6).fits
        )

    def test_a_drawing_larger_than_the_stock_cannot_be_moved_right(self):
        check = check_frame(
            place_frame(40, 30, origin="centre", at_mm=(50, 50)),
            bed_mm=(400, 400),
            stock_mm=(40, 40, 70, 70),
        )
        self.assertFalse(check.fits)
        self.assertIsNone(check.move_mm)

    def test_nonsense_is_refused(self):
        for width, origin in ((0, "centre"), (math.nan, "centre"), (10, "nowhere")):
            with self.assertRaises(OutOfRange):
                place_frame(width, 10, origin=origin, at_mm=(0, 0))


class HeadIndependent(unittest.TestCase):
    def test_reflection_traced_as_rays_just_misses_the_lens(self):
        opening, beam, distance = 20.0, 8.0, 160.0
        x = mirror_offset(lens_opening_mm=opening, beam_at_lens_mm=beam)
        for edge in (
            -beam / 2,
            beam / 2,
        ):  # a ray from the lens through the spot, mirrored at the flat face
            back = 2 * x - edge
            self.assertGreaterEqual(back, opening / 2 - 1e-9)
        tilt = math.radians(
            mirror_tilt_deg(
                working_distance_mm=distance, lens_opening_mm=opening, beam_at_lens_mm=beam
            )
        )
        self.assertAlmostEqual(distance * math.tan(2 * tilt), (opening + beam) / 2, places=9)

    def test_gap_under_the_head(self):
        self.assertAlmostEqual(
            head_height(gauge_mm=7.0, focus_below_face_mm=1.5, mask_mm=0.1), 5.4, places=9
        )
        with self.assertRaisesRegex(OutOfRange, "would touch"):
            head_height(gauge_mm=2.0, focus_below_face_mm=2.5)


class CausticPublished(unittest.TestCase):
    Z = np.array([-12, -9, -6, -3, -1.5, 0, 1.5, 3, 6, 9, 12])
    D = 0.13712 * np.sqrt(1 + ((Z - 0.4) / 1.1609) ** 2)

    def test_recovers_an_exact_caustic(self):
        """Row 1.09: d0 137.12 um, z0 0.4 mm, zR 1.1609 mm, M2 1.20003 at 10.6 um."""
        fit = fit_caustic(height_mm=self.Z, diameter_mm=self.D, wavelength_nm=10600)
        for got, wanted in (
            (fit.waist_mm, 0.13712),
            (fit.focus_mm, 0.4),
            (fit.rayleigh_mm, 1.1609),
            (fit.m2, 1.20003),
        ):
            self.assertAlmostEqual(got / wanted, 1, delta=1e-5)

    def test_rounded_diameters_with_weights(self):
        """Row 1.10: rounded to 1 um, weighted 1/d2: 137.12 um, M2 1.1999."""
        fit = fit_caustic(height_mm=self.Z, diameter_mm=np.round(self.D, 3), wavelength_nm=10600)
        self.assertAlmostEqual(1000 * fit.waist_mm, 137.12, delta=0.01)
        self.assertAlmostEqual(fit.m2, 1.1999, delta=1e-4)

    def test_burnt_lines_make_the_depth_too_large_and_m2_too_small(self):
        """Own model of a burnt line; the screen says which way both are off."""
        z, beam_mm, rayleigh_mm = np.linspace(-5, 5, 9), 0.2, 2.0
        line = FocusFit(0.0, 0.0, beam_mm, rayleigh_mm, 0.0, 8.0, True)
        fit = fit_caustic(height_mm=z, diameter_mm=line.width(z), wavelength_nm=10600)
        m2 = math.pi * beam_mm**2 / (4 * 10600e-6 * rayleigh_mm)
        self.assertAlmostEqual(fit.rayleigh_mm / rayleigh_mm, 1.5, delta=0.03)
        self.assertAlmostEqual(fit.m2 / m2, 0.75, delta=0.03)

    def test_errors_tell_the_scatter_of_noisy_readings(self):
        """Row 1.16: 2 % noise, weighted: the sd of M2 is 0.022."""
        rng = np.random.default_rng(1)
        fits = [
            fit_caustic(
                height_mm=self.Z,
                diameter_mm=self.D * (1 + 0.02 * rng.standard_normal(11)),
                wavelength_nm=10600,
            )
            for _ in range(300)
        ]
        self.assertAlmostEqual(float(np.std([f.m2 for f in fits])), 0.022, delta=0.004)
        self.assertAlmostEqual(float(np.median([f.m2_se for f in fits])), 0.022, delta=0.006)

    def test_focused_spots(self):
        """Rows 1.01 to 1.03."""
        for nm, f, beam, m2, um in (
            (10600, 50.8, 6, 1.2, 137.12),
            (1064, 160, 7, 1.5, 46.45),
            (450, 30, 5, 10, 34.38),
        ):
            self.assertAlmostEqual(
                1000 * focused_spot(wavelength_nm=nm, focal_length_mm=f, beam_mm=beam, m2=m2),
                um,
                delta=0.006,
            )

    def test_what_has_no_waist_is_refused(self):
        for z, d in (
            ((0, 1, 2, 3, 4), (5, 4, 3, 2, 1)),
            ((0, 1, 2), (2, 1, 2)),
            ((0,) * 6, (1,) * 6),
            ((0, 1, 2, 3, 4), (1, 0, 1, 1, 1)),
        ):
            with self.assertRaises(OutOfRange):
                fit_caustic(height_mm=z, diameter_mm=d, wavelength_nm=450)


class EyesPublished(unittest.TestCase):
    def test_limits(self):
        """Rows 8.01 to 8.08."""
        for nm, seconds, limit, delta in (
            (450, 0.25, 25.456, 5e-4),
            (450, 10, 10, 1e-9),
            (450, 100, 1.0, 1e-9),
            (450, 1000, 1.0, 1e-9),
            (1064, 0.25, 127.28, 5e-3),
            (1064, 10, 50, 1e-9),
            (10600, 0.25, 15839, 0.5),
            (10600, 10, 1000, 1e-9),
        ):
            with self.subTest(nm=nm, seconds=seconds):
                self.assertAlmostEqual(
                    eye_limit_w_m2(wavelength_nm=nm, seconds=seconds), limit, delta=delta
                )

    def test_optical_densities(self):
        """Row 8.13."""
        for power, nm, seconds, od in (
            (10, 450, 0.25, 4.009),
            (10, 450, 10, 4.415),
            (20, 1064, 10, 4.017),
            (40, 10600, 10, 3.619),
        ):
            self.assertAlmostEqual(
                optical_density(power_w=power, wavelength_nm=nm, seconds=seconds), od, delta=1e-3
            )

    def test_apertures(self):
        """Row 8.10: areas 38.48, 9.621 and 0.7854 mm2."""
        for nm, seconds, area in ((450, 10, 38.48), (10600, 10, 9.621), (10600, 0.25, 0.7854)):
            self.assertAlmostEqual(
                math.pi * aperture_mm(wavelength_nm=nm, seconds=seconds) ** 2 / 4, area, delta=5e-3
            )

    def test_outside_the_formulas_is_refused(self):
        for nm, seconds in ((193, 10), (2000, 10), (450, 1e-9), (450, 1e6)):
            with self.assertRaises(OutOfRange):
                eye_limit_w_m2(wavelength_nm=nm, seconds=seconds)


class FumePublished(unittest.TestCase):
    def test_clearance(self):
        """Row 8.24: 6 and 12 air changes an hour, 99 % and 99.9 %."""
        for changes, share, minutes in (
            (6, 0.99, 46),
            (6, 0.999, 69),
            (12, 0.99, 23),
            (12, 0.999, 35),
        ):
            self.assertAlmostEqual(
                clearance_minutes(air_changes_h=changes, share=share), minutes, delta=0.6
            )

    def test_build_up(self):
        """Row 8.25: 7.14 mg/s, 0.1 m3/s, 50 m3, 600 s: 49.89 mg/m3."""
        self.assertAlmostEqual(
            concentration_mg_m3(given_off_mg_s=7.14, flow_m3_s=0.1, room_m3=50, seconds=600),
            49.89,
            delta=5e-3,
        )

    def test_duct(self):
        """Row 8.28: 100 mm at 20 m/s: 565 m3/h."""
        self.assertAlmostEqual(duct_flow_m3_h(duct_mm=100, air_speed_m_s=20), 565, delta=0.6)
        self.assertAlmostEqual(air_changes_per_hour(flow_m3_h=565, room_m3=56.5), 10)
        with self.assertRaises(OutOfRange):
            duct_flow_m3_h(duct_mm=0, air_speed_m_s=20)
