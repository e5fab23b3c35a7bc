"""How a stand-in machine ages: hours, film, mishaps, and what acts bring back."""

import math
import unittest
from dataclasses import replace

from olive_almanac.standins.bench import StandInBench
from olive_almanac.standins.wear import Mishap, Wear, wear_of
from tests.samples import LONG, NORTH, cut_trial

QUIET = Wear(3000.0, 1.0, 0.0, 0.2, 0.1)


class WearTest(unittest.TestCase):
    def test_a_source_at_its_life_has_lost_a_fifth(self):
        self.assertAlmostEqual(QUIET.need(10, 3000.0), -math.log(0.8))
        self.assertAlmostEqual(QUIET.need(10, 3000.0, began_at_h=1500.0), -math.log(0.8) / 2)

    def test_a_new_source_begins_anew(self):
        acts = [(5.0, 2900.0, "source")]
        self.assertLess(QUIET.need(10, 3000.0, acts=acts), 0.01)
        self.assertGreater(QUIET.need(4, 2800.0, acts=acts), 0.2)  # before it was put in

    def test_film_saturates_and_a_cleaning_leaves_a_share(self):
        filmed = replace(QUIET, life_h=1e9, film_an_hour=1e-3)
        self.assertAlmostEqual(filmed.need(1, 1e5), 0.2, places=4)
        self.assertAlmostEqual(filmed.need(1, 20.0), 0.02, delta=0.002)
        self.assertAlmostEqual(filmed.need(1, 1e5, acts=[(0.5, 1e5, "clean")]), 0.02, places=4)

    def test_spatter_goes_with_a_cleaning_a_mirror_with_an_alignment(self):
        for kind, act, other in (("spatter", "clean", "align"), ("mirror", "align", "clean")):
            hurt = replace(QUIET, life_h=1e9, mishaps=(Mishap(5.0, kind, 0.15),))
            self.assertAlmostEqual(hurt.need(4, 0.0), 0.0)
            self.assertAlmostEqual(hurt.need(6, 0.0), 0.15)
            self.assertAlmostEqual(hurt.need(9, 0.0, acts=[(7.0, 0.0, other)]), 0.15)
            self.assertAlmostEqual(hurt.need(9, 0.0, acts=[(7.0, 0.0, act)]), 0.0)
            self.assertAlmostEqual(hurt.need(9, 0.0, acts=[(3.0, 0.0, act)]), 0.15)  # too early

    def test_the_seed_hides_what_becomes_of_it_and_tells_it_again(self):
        self.assertEqual(wear_of(LONG, 3, 0.0, 900.0), wear_of(LONG, 3, 0.0, 900.0))
        self.assertNotEqual(wear_of(LONG, 3, 0.0, 900.0), wear_of(LONG, 4, 0.0, 900.0))
        self.assertNotEqual(wear_of(LONG, 3, 0.0, 900.0), wear_of(NORTH, 3, 0.0, 900.0))
        many = [wear_of(NORTH, seed, 0.0, 365.0) for seed in range(60)]
        self.assertTrue(all(one.kind == "spatter" for wear in many for one in wear.mishaps))
        self.assertAlmostEqual(sum(len(wear.mishaps) for wear in many) / 60, 1.0, delta=0.4)

    def test_a_weak_machine_digs_less_deep(self):
        trial, bench = cut_trial(), StandInBench(3)
        true = [one.depth_mm for one in bench.burn(trial)]
        weak = [one.depth_mm for one in bench.burn(trial, need=0.2)]
        self.assertTrue(all(w <= t for w, t in zip(weak, true, strict=True)))
        self.assertLess(sum(weak), 0.95 * sum(true))
