"""Energies and beam geometry.

Source: docs/checks.md, rows 1 and 2 (ids in the tests), recomputed there with laserbeamsize 2.5.0
and scipy 1.17.1.
"""

import math
import unittest

import numpy as np

from olive_almanac.core.beam.spot import beam_radius, default_pitch, finest_dpi, rayleigh_range
from olive_almanac.core.burn.energy import (
    areal_energy,
    dose_ripple,
    line_energy,
    mean_irradiance,
    severance_energy,
    track_fluence,
)
from olive_almanac.core.errors import OutOfRange


class EnergyPublished(unittest.TestCase):
    def test_line_areal_and_severance_energy(self):
        """Row 2.01: 40 W, 10 mm/s, pitch 0.1 mm, thickness 3 mm."""
        self.assertAlmostEqual(float(line_energy(power_w=40, speed_mm_s=10)), 4.0, places=12)
        self.assertAlmostEqual(
            float(areal_energy(power_w=40, speed_mm_s=10, pitch_mm=0.1)), 40.0, places=12
        )
        self.assertAlmostEqual(
            float(severance_energy(power_w=40, speed_mm_s=10, thickness_mm=3)), 1.3333, delta=5e-5
        )

    def test_speed_from_severance_energy(self):
        """Row 2.07: v = P/(S t), 40 W at 1.2 J/mm2 through 3, 5 and 10 mm."""
        for thickness, speed in ((3, 11.11), (5, 6.67), (10, 3.33)):
            with self.subTest(thickness=thickness):
                self.assertAlmostEqual(
                    float(severance_energy(power_w=40, speed_mm_s=speed, thickness_mm=thickness)),
                    1.2,
                    delta=2e-3,
                )

    def test_mean_irradiance(self):
        """Row 2.02: 40 W on a spot of 137.12 um: 2.709e5 W/cm2, which is 2709 W/mm2."""
        self.assertAlmostEqual(float(mean_irradiance(power_w=40, spot_mm=0.13712)), 2709, delta=0.5)

    def test_centre_fluence_of_one_track(self):
        """Row 2.03: 10 W, w 0.05 mm, 100 mm/s."""
        self.assertAlmostEqual(
            float(track_fluence(power_w=10, speed_mm_s=100, radius_mm=0.05)), 1.5958, delta=5e-5
        )

    def test_dose_ripple(self):
        """Row 2.04: pitch over spot 0.5, 0.625, 0.75, 1.0."""
        for pitch, ripple, tolerance in (
            (0.5, 0.0144, 5e-5),
            (0.625, 0.0850, 5e-5),
            (0.75, 0.223, 5e-4),
            (1.0, 0.574, 5e-4),
        ):
            with self.subTest(pitch=pitch):
                self.assertAlmostEqual(
                    dose_ripple(pitch_mm=pitch, spot_mm=1.0), ripple, delta=tolerance
                )


class FluenceIndependent(unittest.TestCase):
    def test_equals_the_time_integral_of_the_moving_spot(self):
        w, v, p = 0.08, 25.0, 12.0
        t = np.linspace(-5 * w / v, 5 * w / v, 20001)
        irradiance = 2 * p / (math.pi * w**2) * np.exp(-2 * (v * t) ** 2 / w**2)
        self.assertAlmostEqual(
            float(track_fluence(power_w=p, speed_mm_s=v, radius_mm=w)),
            float(np.trapezoid(irradiance, t)),
            places=6,
        )


class EnergyTest(unittest.TestCase):
    def test_names_the_bad_value(self):
        for power, speed, text in (
            (-1, 10, "Power.*-1"),
            (40, 0, "Speed.*not 0"),
            (float("nan"), 5, "Power.*nan"),
            (40, float("inf"), "Speed.*inf"),
        ):
            with self.subTest(power=power, speed=speed), self.assertRaisesRegex(OutOfRange, text):
                line_energy(power_w=power, speed_mm_s=speed)

    def test_shapes_broadcast(self):
        grid = line_energy(
            power_w=np.array([[10.0], [20.0]]), speed_mm_s=np.array([5.0, 10.0, 20.0])
        )
        np.testing.assert_allclose(grid, [[2, 1, 0.5], [4, 2, 1]])


class OpticsPublished(unittest.TestCase):
    def test_rayleigh_range(self):
        """Rows 1.01 to 1.03 print 2 zR: 2.322, 2.123 and 0.4125 mm."""
        for wavelength, spot, m2, twice in (
            (10600, 0.13712, 1.2, 2.322),
            (1064, 0.04645, 1.5, 2.123),
            (450, 0.03438, 10.0, 0.4125),
        ):
            with self.subTest(wavelength=wavelength):
                self.assertAlmostEqual(
                    2 * rayleigh_range(waist_radius_mm=spot / 2, wavelength_nm=wavelength, m2=m2),
                    twice,
                    delta=1e-3,
                )

    def test_radius_away_from_the_waist(self):
        """Row 1.04: w0 68.6 um, M2 1.2, 10.6 um, z 1 mm: 90.496 um."""
        zr = rayleigh_range(waist_radius_mm=0.0686, wavelength_nm=10600, m2=1.2)
        self.assertAlmostEqual(
            float(beam_radius(waist_radius_mm=0.0686, rayleigh_mm=zr, height_mm=1.0)) * 1000,
            90.496,
            delta=1e-3,
        )

    def test_growth_of_the_spot(self):
        """Row 1.08: 5 %, 10 % and sqrt 2 at 0.3202, 0.4583 and 1 Rayleigh range."""
        for height, growth in ((0.3202, 1.05), (0.4583, 1.10), (1.0, math.sqrt(2))):
            self.assertAlmostEqual(
                float(beam_radius(waist_radius_mm=1, rayleigh_mm=1, height_mm=height)),
                growth,
                delta=1e-4,
            )

    def test_overlapping_pitch(self):
        """Row 3.04: a spot of 0.1 mm touches at 254 dpi."""
        self.assertAlmostEqual(finest_dpi(0.1), 254, places=9)
        self.assertLessEqual(dose_ripple(pitch_mm=default_pitch(0.1), spot_mm=0.1), 0.07)
