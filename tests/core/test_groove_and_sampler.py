"""The groove's parts against fine sums and finite differences; the sampler against posteriors that
are known.
"""

import itertools
import unittest
from dataclasses import replace

import numpy as np
from scipy.special import ndtr

from olive_almanac.core.burn import groove as parameters
from olive_almanac.core.burn.groove import (
    HANG,
    NOISE,
    PARAMETERS,
    SHIFT,
    WAY,
    Burns,
    Groove,
    fast_phi,
)
from olive_almanac.core.fitting.cut import (
    case_of,
    data_of,
    expected_edge_speed,
    fit_cut,
    verdict_chance,
)
from olive_almanac.core.fitting.prior import Prior, carried_prior, family_prior
from olive_almanac.core.fitting.sampler import laplace_draws, sample_posterior
from olive_almanac.core.fitting.transfer import transfer_between
from olive_almanac.core.materials.families import FAMILIES, GENERIC
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.setting import Setting
from tests.samples import BIRCH, LONG, NORTH, cut_trial, read_by_energy

CASE = case_of(LONG, BIRCH)
MEAN = family_prior(CASE.prior).mean


def groove(rows=1, **parts):
    """Grooves like birch on the long bed, some parameters set by their index's name."""
    theta = np.tile(MEAN, (rows, 1))
    for name, value in parts.items():
        theta[:, getattr(parameters, name)] = value
    return Groove(theta, CASE.rayleigh_mm)


def settings(count=40, seed=1):
    rng = np.random.default_rng(seed)
    return CASE.burns(
        rng.uniform(0.2, 1, count),
        np.exp(rng.uniform(0.5, 4, count)),
        rng.integers(1, 9, count),
        rng.uniform(-2, 4, count),
    )


class NormalTest(unittest.TestCase):
    def test_the_quick_distribution_function_is_near_the_exact_one(self):
        x = np.linspace(-9, 9, 4001).astype(np.float32)
        self.assertLess(float(np.abs(fast_phi(x) - ndtr(x)).max()), 2.5e-4)

    def test_the_chances_of_all_verdicts_add_up(self):
        rng = np.random.default_rng(2)
        margin = rng.normal(0, 1, (5, 30)).astype(np.float32)
        noise, band = np.full((5, 1), 0.1, np.float32), np.full((5, 1), 0.08, np.float32)
        ends = [(-np.inf, 0.0), (0.0, 1.0), (1.0, np.inf)]
        total = sum(
            verdict_chance(margin, noise, band, *(np.full(30, e, np.float32) for e in pair))
            for pair in ends
        )
        np.testing.assert_allclose(total, 1.0, atol=1e-5)


class GrooveTest(unittest.TestCase):
    def test_slopes_agree_with_finite_differences(self):
        burns, one, depth = settings(), groove(3), CASE.thickness_mm
        needed = one.needed(burns, depth)
        worth, by_strain = one.worth(burns, needed.strain)
        np.testing.assert_allclose(worth - needed.log, one.margin(burns, depth), atol=1e-4)
        here, deeper, shallower = (one.needed(burns, depth * k) for k in (1, 1.01, 1 / 1.01))
        stronger, weaker = (
            one.needed(replace(burns, power_w=burns.power_w * np.float32(k)), depth)
            for k in (1.01, 1 / 1.01)
        )
        step = 2 * np.log(1.01)
        np.testing.assert_allclose(
            here.by_depth, (deeper.log - shallower.log) / step, rtol=0.06, atol=0.05
        )
        np.testing.assert_allclose(
            here.by_power, (weaker.log - stronger.log) / step, rtol=0.10, atol=0.08
        )
        np.testing.assert_allclose(
            here.strain_by_depth,
            np.log(deeper.strain / shallower.strain) / step,
            rtol=0.08,
            atol=0.06,
        )
        np.testing.assert_allclose(
            here.strain_by_power,
            np.log(weaker.strain / stronger.strain) / step,
            rtol=0.10,
            atol=0.08,
        )
        steeper = (
            one.worth(burns, needed.strain * 1.01)[0] - one.worth(burns, needed.strain / 1.01)[0]
        ) / step
        np.testing.assert_allclose(by_strain, steeper, rtol=0.06, atol=0.02)

    def test_a_depth_for_each_burn_is_the_same_as_one_depth_for_all(self):
        burns, one = settings(12), groove(2)
        for depth in (0.7, 2.0, 3.0):
            shares = np.where(np.arange(12) % 2, depth / CASE.thickness_mm, 1.0)
            margin = one.margin(replace(burns, share=shares), CASE.thickness_mm)
            np.testing.assert_allclose(
                margin[:, 1::2], one.margin(burns, depth)[:, 1::2], atol=1e-4
            )
            np.testing.assert_allclose(
                margin[:, ::2], one.margin(burns, CASE.thickness_mm)[:, ::2], atol=1e-4
            )

    def test_deeper_needs_more_and_more_power_needs_less(self):
        burns, one = settings(), groove()
        margins = [one.margin(burns, depth) for depth in (0.5, 1.0, 2.0, 3.0)]
        self.assertTrue(all((b < a).all() for a, b in itertools.pairwise(margins)))
        stronger = replace(burns, power_w=burns.power_w * np.float32(1.2))
        self.assertTrue((one.margin(stronger, 2.0) > margins[2]).all())

    def test_the_shift_of_the_focus_and_a_setting_off_by_as_much_are_the_same(self):
        shifted = groove(SHIFT=0.0).out_of_focus(0.8).margin(CASE.burns(1.0, 12.0, 1, 1.0), 3.0)
        np.testing.assert_allclose(
            shifted, groove(SHIFT=0.0).margin(CASE.burns(1.0, 12.0, 1, 1.8), 3.0), atol=1e-5
        )
        far, near = (
            groove(STRETCH=value).margin(CASE.burns(1.0, 12.0, 1, 6.0), 3.0)
            for value in (-0.3, 0.3)
        )
        self.assertLess(
            float(far[0, 0]), float(near[0, 0])
        )  # a shorter Rayleigh range suffers more from defocus

    def test_walls_air_bend_and_direction_each_do_what_their_name_says(self):
        at = CASE.burns(1.0, 12.0, 1, 1.5)
        self.assertLess(
            float(groove(WALLS=np.log(0.1)).margin(at, 3.0)[0, 0]),
            float(groove(WALLS=np.log(0.01)).margin(at, 3.0)[0, 0]),
        )
        worths = [
            float(groove(AIR=0.4).margin(CASE.burns(1.0, 12.0, 6, 1.5, air=air), 3.0)[0, 0])
            for air in ("off", "low", "full")
        ]
        self.assertEqual(worths, sorted(worths))  # less air: char takes more of each further pass
        self.assertLess(worths[0], worths[2])
        four = CASE.burns(1.0, 12.0, 4, 1.5)
        plain, gains = (float(groove(GAIN=c).margin(four, 3.0)[0, 0]) for c in (0.0, 0.1))
        self.assertAlmostEqual(gains - plain, 0.1 * np.log(4), places=5)
        once = [float(groove(GAIN=c).margin(at, 3.0)[0, 0]) for c in (0.0, 0.1)]
        self.assertAlmostEqual(*once, places=6)  # one pass gains nothing by being several
        half = CASE.burns(0.5, 6.0, 1, 1.5)
        self.assertLess(
            float(groove(BEND=0.2).margin(half, 3.0)[0, 0]),
            float(groove(BEND=0.0).margin(half, 3.0)[0, 0]),
        )
        case = case_of(NORTH, BIRCH)
        self.assertEqual(case.better_way, "y" if case.radii_mm[1] <= case.radii_mm[0] else "x")
        better, worse = (
            Groove(MEAN[None] + np.eye(len(PARAMETERS))[WAY] * -0.2, case.rayleigh_mm).margin(
                case.burns(1.0, 4.0, 1, 1.0, direction=way), 3.0
            )
            for way in (case.better_way, "x" if case.better_way == "y" else "y")
        )
        self.assertGreater(float(better[0, 0]), float(worse[0, 0]))

    def test_metered_power_has_no_bend(self):
        metered = replace(CASE, metered=True)
        self.assertFalse(metered.burns(0.4, 10.0).dial.any())
        self.assertTrue(CASE.burns(0.4, 10.0).dial.any())
        self.assertAlmostEqual(
            float(CASE.power_w(1.3)), 1.3 * 60
        )  # beyond the curve it goes on straight

    def test_each_pass_counts_by_what_its_fluence_has_above_the_threshold(self):
        passes = np.arange(1, 31)
        burns, kept = CASE.burns(1.0, 12.0, passes, 1.5), np.exp(-0.05)
        for strain in (
            0.2,
            1.0,
            4.0,
        ):  # strain q: F/Fth = 1 + 1/q, so a pass that has lost counts for (kept^n (1 + q) - q)
            worth = np.exp(
                groove(CHAR_LOSS=np.log(0.05)).worth(burns, np.full((1, 30), strain, np.float32))[0]
            )[0]
            one_by_one = np.cumsum(np.maximum(kept ** np.arange(30) * (1 + strain) - strain, 0))
            np.testing.assert_allclose(worth, one_by_one, rtol=0.015)
            self.assertAlmostEqual(float(worth[0]), 1.0, places=3)
            self.assertTrue((np.diff(worth) > -1e-3).all())

    def test_a_groove_at_its_threshold_is_not_dug_by_further_passes(self):
        once, often = (
            groove().worth(CASE.burns(1.0, 12.0, n, 1.5), np.full((1, 1), 1000, np.float32))[0]
            for n in (1, 60)
        )
        np.testing.assert_allclose([once[0, 0], often[0, 0]], 0.0, atol=1e-3)

    def test_surplus_says_where_no_number_of_passes_helps(self):
        hopeless = groove().surplus(CASE.burns(0.05, 300.0, 1, -3.0), 3.0)
        easy = groove().surplus(CASE.burns(1.0, 5.0, 1, 1.5), 3.0)
        self.assertLess(float(hopeless[0, 0]), 1.0)
        self.assertGreater(float(easy[0, 0]), 2.0)

    def test_burns_are_picked_out_by_index_with_their_lenses(self):
        burns = settings(20)
        some = burns.at(np.array([3, 7, 11]))
        self.assertIsInstance(some, Burns)
        np.testing.assert_allclose(
            groove().margin(some, 3.0), groove().margin(burns, 3.0)[:, [3, 7, 11]], atol=1e-5
        )

    def test_settings_become_burns_as_they_are(self):
        ones = [
            Setting(0.5, 10.0, 2, 1.0),
            Setting(1.0, 20.0, 3, 0.0, air="off", direction="x", focus_step_mm=0.5),
        ]
        burns = CASE.burns_of(ones)
        np.testing.assert_allclose(burns.power_w, [30, 60])
        np.testing.assert_allclose(burns.focus_mm, [1.0, 0.5])  # the middle of its passes
        np.testing.assert_allclose(burns.air, [0, 2])
        np.testing.assert_allclose(CASE.burns_of(ones, [8.0, 16.0]).speed_mm_s, [8, 16])

    def test_the_expected_edge_lies_where_the_prior_is_just_through(self):
        speed = expected_edge_speed(CASE, power=1.0, passes=2, focus_mm=1.5)
        at = groove().margin(CASE.burns(1.0, speed, 2, 1.5), CASE.thickness_mm)
        self.assertAlmostEqual(float(at[0, 0]), 0.0, delta=0.1)


class SamplerTest(unittest.TestCase):
    """Posteriors that are known in closed form."""

    def gaussian(self, mean, precision):
        """Likelihood of a normal posterior: one 'reading' per eigenvector, the prior being standard
        normal.
        """
        values, vectors = np.linalg.eigh(precision - np.eye(len(mean)))
        whole = np.linalg.solve(precision - np.eye(len(mean)), precision @ mean)

        def likelihood(z, _soft):
            return -0.5 * values * ((z - whole) @ vectors) ** 2

        return likelihood

    def test_a_normal_posterior_is_found_with_its_mean_and_covariance(self):
        mean, precision = (
            np.array([0.6, -0.3, 0.2]),
            np.array([[9.0, 3.0, 0.5], [3.0, 6.0, 1.0], [0.5, 1.0, 4.0]]),
        )
        likelihood, rng = self.gaussian(mean, precision), np.random.default_rng(3)
        cloud = sample_posterior(
            likelihood, np.full(3, 1e6), starts=rng.standard_normal((6, 3)), draws=400, rng=rng
        )
        found = cloud.weight @ cloud.z
        spread = ((cloud.z - found) * cloud.weight[:, None]).T @ (cloud.z - found)
        np.testing.assert_allclose(cloud.mode, mean, atol=0.12)  # near enough to start from
        np.testing.assert_allclose(found, mean, atol=0.05)
        np.testing.assert_allclose(spread, np.linalg.inv(precision), atol=0.05)
        self.assertGreater(cloud.effective, 150)
        self.assertAlmostEqual(float(cloud.weight.sum()), 1.0, places=9)

    def test_laplace_draws_are_mirrored_about_the_mode(self):
        mean, precision = np.array([0.4, 0.1]), np.array([[5.0, 1.0], [1.0, 3.0]])
        rng = np.random.default_rng(4)
        z, mode = laplace_draws(
            self.gaussian(mean, precision),
            np.full(2, 1e6),
            starts=rng.standard_normal((4, 2)),
            draws=4000,
            rng=rng,
        )
        np.testing.assert_allclose(mode, mean, atol=0.12)
        np.testing.assert_allclose(z.mean(0), mode, atol=1e-9)
        np.testing.assert_allclose(np.cov(z.T), np.linalg.inv(precision), atol=0.03)

    def test_a_bent_posterior_is_weighed_right(self):
        def likelihood(z, _soft):  # a banana: z1 hangs on the square of z0
            return np.stack([-0.5 * ((z[:, 1] - z[:, 0] ** 2) / 0.3) ** 2], axis=1)

        def bend_at(mode, _scores):
            return lambda z: np.column_stack([z[:, 0], z[:, 1] + z[:, 0] ** 2 - mode[0] ** 2])

        fine = np.linspace(-4, 4, 401)
        a, b = np.meshgrid(fine, fine, indexing="ij")
        density = np.exp(-0.5 * (a**2 + b**2) - 0.5 * ((b - a**2) / 0.3) ** 2)
        density /= density.sum()
        shares = []
        for bend, delta in ((None, 0.12), (bend_at, 0.06)):
            rng = np.random.default_rng(5)
            cloud = sample_posterior(
                likelihood,
                np.full(2, 1e6),
                starts=rng.standard_normal((8, 2)),
                draws=600,
                rng=rng,
                bend_at=bend,
            )
            shares.append(cloud.effective / len(cloud.z))
            self.assertAlmostEqual(
                float(cloud.weight @ cloud.z[:, 1]), float((density * b).sum()), delta=delta
            )
            self.assertAlmostEqual(
                float(cloud.weight @ np.abs(cloud.z[:, 0])),
                float((density * np.abs(a)).sum()),
                delta=0.15,
            )
        self.assertGreater(shares[1], 1.2 * shares[0])  # draws that follow the ridge count for more


class PriorTest(unittest.TestCase):
    def test_an_unknown_family_is_believed_less_surely(self):
        generic, known = family_prior(GENERIC), family_prior(FAMILIES["plywood"].groove)
        wide, narrow = (np.sqrt(np.diag(one.root @ one.root.T))[:2] for one in (generic, known))
        self.assertTrue((wide > narrow).all())
        self.assertGreater(
            (generic.root @ generic.root.T)[0, 1], 0
        )  # what is hard to remove starts late, too
        np.testing.assert_allclose(known.theta(np.zeros((1, len(PARAMETERS))))[0], known.mean)

    def test_what_is_carried_over_is_wider_and_keeps_optics_only_on_the_same_machine(self):
        rng = np.random.default_rng(6)
        family = family_prior(CASE.prior)
        cloud = Groove(
            MEAN
            + 0.05 * rng.standard_normal((300, len(PARAMETERS)))
            + np.eye(len(PARAMETERS))[SHIFT] * 0.9,
            CASE.rayleigh_mm,
        )
        weight = np.full(300, 1 / 300)
        lot = carried_prior(
            cloud,
            weight,
            family,
            family,
            transfer_between(LONG, BIRCH, LONG, replace(BIRCH, lot="8")),
        )
        other = carried_prior(
            cloud, weight, family, family, transfer_between(NORTH, BIRCH, LONG, BIRCH)
        )
        self.assertIsInstance(lot, Prior)
        self.assertAlmostEqual(float(lot.mean[SHIFT]), float(MEAN[SHIFT]) + 0.9, delta=0.05)
        self.assertAlmostEqual(float(other.mean[SHIFT]), float(family.mean[SHIFT]), places=9)
        spread = [np.sqrt(np.diag(one.root @ one.root.T))[0] for one in (lot, other)]
        self.assertGreater(spread[1], spread[0])  # another machine counts less than another lot
        self.assertLess(spread[1], family.root[0, 0] * 1.6)

    def test_measured_depths_lead_back_to_the_groove_that_dug_them(self):
        hard, trial = groove(REMOVAL=MEAN[0] + 0.5), cut_trial()
        burns = CASE.burns_of([cell.setting for cell in trial.cells])
        shares = np.linspace(0.05, 0.95, 91)
        margins = np.array([hard.margin(burns, share * CASE.thickness_mm)[0] for share in shares])
        dug = [
            float(CASE.thickness_mm * np.interp(0, -line, shares)) for line in margins.T
        ]  # where the margin passes nought
        readings = [
            Reading(cell.id, "not_through", depth_mm=round(depth, 2))
            for cell, depth, line in zip(trial.cells, dug, margins.T, strict=True)
            if line[0] > 0 > line[-1]
        ]
        self.assertGreater(len(readings), 8)
        posterior = fit_cut(CASE, data_of(CASE, [(trial, readings)]), rng=np.random.default_rng(1))
        for cell in trial.cells[::5]:
            at = CASE.burns_of([cell.setting])
            found = float(posterior.weight @ posterior.groove.margin(at, 1.5)[:, 0])
            self.assertAlmostEqual(found, float(hard.margin(at, 1.5)[0, 0]), delta=0.1)

    def test_noise_and_band_are_learnt_from_readings(self):
        trial = cut_trial(power=(1.0,), speed_mm_s=tuple(np.geomspace(8, 30, 24)))
        sharp = fit_cut(
            CASE,
            data_of(CASE, [(trial, read_by_energy(trial, 2.5, band=0.01))]),
            rng=np.random.default_rng(1),
        )
        wide = fit_cut(
            CASE,
            data_of(CASE, [(trial, read_by_energy(trial, 2.5, band=0.5))]),
            rng=np.random.default_rng(1),
        )
        band = [float(one.weight @ one.groove.theta[:, HANG]) for one in (sharp, wide)]
        self.assertGreater(band[1], band[0] + 0.4)
        mixed = [
            Reading(r.cell, "free" if n % 2 else "not_through")
            for n, r in enumerate(read_by_energy(trial, 2.5))
        ]
        noisy = fit_cut(CASE, data_of(CASE, [(trial, mixed)]), rng=np.random.default_rng(1))
        noise = [float(one.weight @ one.groove.theta[:, NOISE]) for one in (sharp, noisy)]
        self.assertGreater(noise[1], noise[0])
