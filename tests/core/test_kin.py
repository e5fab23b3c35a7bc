"""Kin: what other coupons say of a subject, and how far a shop's lots and machines differ."""

import math
import unittest
from dataclasses import replace

import numpy as np

from olive_almanac.core.burn.groove import Groove
from olive_almanac.core.deciding.cut_knowledge import know_cut
from olive_almanac.core.fitting.cut import case_of
from olive_almanac.core.fitting.kin_learning import (
    LEVELS,
    KinGroup,
    kin_words,
    labels_of,
    learn_kin,
    predict_kin,
    usual_kin,
)
from olive_almanac.core.fitting.prior import ENERGIES, carried_prior, family_prior
from olive_almanac.core.fitting.transfer import Transfer
from tests.samples import BIRCH, LONG, NORTH, cut_trial, read_by_energy


def group(lot, energy, sd=0.03, machine=LONG, stock=BIRCH):
    return KinGroup(labels_of(machine, replace(stock, lot=lot)), energy, sd)


class PredictTest(unittest.TestCase):
    def test_one_group_alone_is_the_textbooks_regression_on_it(self):
        """Best linear predictor of two normals: share = covariance over variance, by hand."""
        sds = usual_kin()
        variance = np.exp(2 * np.array(sds.log_sd))
        (mean,), (sd,) = predict_kin([group("1", 0.2)], [group("2", 0).labels], sds)
        shared = variance.sum() - variance[LEVELS.index("lot")] + 0.5**2 + 0.6**2 / 2
        whole = variance.sum() + 0.5**2 + 0.6**2 / 2
        share = shared / (whole + 0.03**2)
        self.assertAlmostEqual(mean, 0.2 * share, places=4)
        self.assertAlmostEqual(sd, math.sqrt(whole - share * shared), places=4)

    def test_all_kin_count_not_the_nearest_alone(self):
        new = group("new", 0).labels
        one, _ = predict_kin([group("1", 0.3)], [new], usual_kin())
        many, narrow = predict_kin(
            [group("1", 0.3), *(group(str(n), 0.0) for n in range(2, 8))], [new], usual_kin()
        )
        self.assertLess(many[0], 0.5 * one[0])
        _, wide = predict_kin([group("1", 0.3)], [new], usual_kin())
        self.assertLess(narrow[0], wide[0])

    def test_the_nearer_says_more(self):
        near, far = group("2", 0).labels, labels_of(NORTH, replace(BIRCH, name="Other", lot="9"))
        means, sds = predict_kin([group("1", 0.3)], [near, far], usual_kin())
        self.assertGreater(means[0], means[1])
        self.assertLess(sds[0], sds[1])


class LearnTest(unittest.TestCase):
    def shop(self, lot_sd, seed=3):
        rng = np.random.default_rng(seed)
        return [group(str(n), 0.1 + lot_sd * rng.standard_normal()) for n in range(30)]

    def lots(self, groups):
        return learn_kin(groups).sd_of_difference("lot")

    def test_even_and_uneven_lots_are_told_apart(self):
        even, uneven = self.lots(self.shop(0.02)), self.lots(self.shop(0.25))
        self.assertLess(even[2], uneven[1])
        self.assertAlmostEqual(uneven[0], 0.25 * math.sqrt(2), delta=0.12)
        words = kin_words(learn_kin(self.shop(0.25)))
        self.assertRegex(words, r"lots by [34]\d % \(usual 13\)")

    def test_of_few_groups_nothing_is_said_and_the_usual_stands(self):
        self.assertEqual(learn_kin([group("1", 0.2)]), usual_kin())
        self.assertEqual(kin_words(learn_kin([group("1", 0.2), group("2", 0.1)])), "")
        self.assertAlmostEqual(usual_kin().sd_of_difference("lot")[0], 0.12)


class CarriedTest(unittest.TestCase):
    def test_the_edge_is_widened_by_what_is_said(self):
        """A change of power by 0.2 and no more: both energies move together."""
        case = case_of(LONG, BIRCH)
        family = family_prior(case.prior)
        theta = np.repeat(np.array(family.mean)[None], 64, axis=0)
        related = Transfer(0.2, True, ("another lot",))
        same = np.full(64, 1 / 64)
        prior = carried_prior(Groove(theta, case.rayleigh_mm), same, family, family, related)
        cov = (prior.root @ prior.root.T)[np.ix_(ENERGIES, ENERGIES)]
        self.assertAlmostEqual(cov[0, 0], 0.2**2, places=4)
        self.assertAlmostEqual(cov[0, 1], 0.2**2 - 0.1**2, places=4)

    def test_three_other_lots_move_the_belief_to_where_their_edges_lie(self):
        trial = cut_trial()
        related = [
            (
                replace(trial, id=f"k{lot}", stock=replace(BIRCH, lot=lot)),
                read_by_energy(trial, edge),
            )
            for lot, edge in (("a", 3.0), ("b", 3.3), ("c", 3.1))
        ]
        new = replace(BIRCH, lot="new")

        def edge(pairs, **more):
            known = know_cut(LONG, new, pairs, rng=np.random.default_rng(2), **more)
            edges = known.edges(power=1.0, passes=1, focus_mm=1.5)
            return known, float(np.mean(edges)), float(np.std(edges))

        known, mean, sd = edge(related)
        self.assertEqual(len(known.carried), 3)
        self.assertIn("another lot", known.carried[0])
        wanted = math.log(LONG.watts(1.0) / 3.1)
        self.assertAlmostEqual(mean, wanted, delta=0.2)
        _, _, family_sd = edge([])
        self.assertLess(sd, 0.6 * family_sd)
        uneven = learn_kin([group(str(n), 0.5 * (-1) ** n) for n in range(12)])
        self.assertGreater(edge(related, kin=uneven)[2], 1.3 * sd)
        odd = [(related[0][0], read_by_energy(trial, 4.6)), *related[1:]]
        beyond = math.log(4.6 / 3.1)  # by how much one odd lot, the first, needs more
        self.assertLess(abs(edge(odd)[1] - wanted), 0.7 * beyond)
        self.assertLess(edge(odd)[1], mean)
