"""Control charts.

Source: data and prints of the NIST/SEMATECH e-Handbook of Statistical Methods, sections 6.3.2.2 to
6.3.2.4, from memory.
"""

import unittest

from olive_almanac.core.upkeep.charts import (
    cusum,
    ewma,
    ewma_limits,
    individuals_limits,
    own_error_signal,
)

FLOW = (49.6, 47.6, 49.9, 51.3, 47.8, 51.2, 52.6, 52.4, 53.6, 52.1)
SMOOTHED = (52.0, 47.0, 53.0, 49.3, 50.1, 47.0, 51.0, 50.1, 51.2, 50.5, *FLOW)
SUMMED = (
    *(324.925, 324.675, 324.725, 324.350, 325.350, 325.225, 324.125, 324.525, 325.225, 324.600),
    *(324.625, 325.150, 328.325, 327.250, 327.825, 328.500, 326.675, 327.775, 326.875, 328.350),
)


class ChartsPublished(unittest.TestCase):
    def test_individuals(self):
        limits = individuals_limits(FLOW)
        self.assertAlmostEqual(limits.middle, 50.81)
        self.assertAlmostEqual(limits.upper, 55.8041, delta=1e-4)
        self.assertAlmostEqual(limits.lower, 45.8159, delta=1e-4)

    def test_ewma(self):
        out = [round(float(one), 2) for one in ewma(SMOOTHED, 50.0, 0.3)]
        self.assertEqual(out[:6], [50.60, 49.52, 50.56, 50.18, 50.16, 49.21])
        self.assertEqual(out[-2:], [51.94, 51.99])
        limits = ewma_limits(50.0, 2.0539, 0.3)
        self.assertAlmostEqual(limits.upper, 52.5884, delta=1e-4)
        self.assertAlmostEqual(limits.lower, 47.4115, delta=2e-4)

    def test_cusum(self):
        high, low = cusum(SUMMED, 325.0, 0.3175)
        out = [n + 1 for n in range(len(SUMMED)) if max(high[n], low[n]) > 4.1959]
        self.assertEqual(out[0], 14)
        self.assertAlmostEqual(float(high[13]), 4.94, delta=5e-3)

    def test_one_far_reading_counts_as_three_of_its_errors(self):
        """By definition: 0.2 times 3 over 0.2, and a steady shift comes out whole in the end."""
        quiet = [0.0] * 8
        self.assertAlmostEqual(float(own_error_signal([*quiet, 9.0], [0.1] * 9)[0]), 0.0)
        once = own_error_signal([*quiet, 9.0], [0.1] * 9)[-1]
        long_run = (0.2 / 1.8) ** 0.5
        self.assertAlmostEqual(float(once), 0.2 * 3 / long_run, delta=0.05)
        steady = own_error_signal([*quiet, *[0.1] * 60], [0.1] * 68)[-1]
        self.assertAlmostEqual(float(steady), 1 / long_run, delta=0.01)
