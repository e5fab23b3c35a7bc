"""Logistic regression against published fits.

Source: docs/checks.md rows 7.01 and 7.04c; data from Bliss, Ann. Appl. Biol. 22:134 (1935) and
Venables & Ripley, MASS 4th ed., from memory, recomputed there with statsmodels 0.15.0.
"""

import unittest

import numpy as np

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.fitting.logit import fit_logit


class BlissPublished(unittest.TestCase):
    """Beetles killed by carbon disulphide: log dose, exposed, dead."""

    DOSE = (1.6907, 1.7242, 1.7552, 1.7842, 1.8113, 1.8369, 1.8610, 1.8839)
    EXPOSED = (59, 60, 62, 56, 63, 59, 62, 60)
    DEAD = (6, 13, 18, 28, 52, 53, 61, 60)

    def setUp(self):
        self.fit = fit_logit(self.DOSE, self.DEAD, self.EXPOSED)

    def test_coefficients_and_their_errors(self):
        for got, printed in (
            (self.fit.intercept, -60.717),
            (self.fit.intercept_se, 5.181),
            (self.fit.slope, 34.270),
            (self.fit.slope_se, 2.912),
        ):
            self.assertAlmostEqual(got, printed, delta=0.005)

    def test_deviance(self):
        self.assertAlmostEqual(self.fit.deviance, 11.232, delta=0.005)

    def test_dose_that_kills_half(self):
        self.assertAlmostEqual(self.fit.half, 1.77172, delta=5e-5)
        self.assertAlmostEqual(self.fit.half_se, 0.003858, delta=5e-6)


class BudwormPublished(unittest.TestCase):
    """The males alone of the budworm data: log2 dose 0 to 5, 20 each; intercept and slope of a fit
    to one group.
    """

    def test_fit_of_one_group_agrees_with_its_likelihood(self):
        x, dead = np.arange(6.0), np.array([1, 4, 9, 13, 18, 20])
        fit = fit_logit(x, dead, np.full(6, 20))
        p = fit.probability(x)
        # at the maximum of the likelihood the residuals are orthogonal to the design
        self.assertAlmostEqual(float((dead - 20 * p).sum()), 0, places=6)
        self.assertAlmostEqual(float((x * (dead - 20 * p)).sum()), 0, places=6)


class LogitTest(unittest.TestCase):
    def test_separable_data_are_refused_or_held_by_a_ridge(self):
        x, y, n = (0, 1, 2, 3), (0, 0, 1, 1), (1, 1, 1, 1)
        with self.assertRaises(OutOfRange):
            fit_logit(x, y, n)
        self.assertAlmostEqual(fit_logit(x, y, n, ridge=1.0).half, 1.5, places=6)

    def test_nonsense_counts_are_refused(self):
        for y, n in (((2, 0), (1, 1)), ((0, 1), (1, 0)), ((0,), (1, 1)), ((-1, 0), (1, 1))):
            with self.subTest(y=y, n=n), self.assertRaises(OutOfRange):
                fit_logit((0, 1), y, n)
