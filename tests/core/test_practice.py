"""The belief before any reading, the first grids and the stand-in against what shops do every day.

The rows and where each comes from: tests/practice/cut.csv and tone.csv.
"""

import math
import unittest
from dataclasses import replace

import numpy as np

from bench.worlds import trial_of
from olive_almanac.core.deciding.cut import decide_cut
from olive_almanac.core.deciding.cut_knowledge import know_cut
from olive_almanac.core.deciding.dead_end import dead_end
from olive_almanac.core.deciding.weak_beam import weak_beam
from olive_almanac.core.design.suggest import flare_limit_of
from olive_almanac.core.fitting.cut import case_of, expected_edge_speed
from olive_almanac.core.materials.families import edge_energy, groove_prior, tone_prior
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Stock
from tests.practice import (
    belief_of,
    bench_bars,
    benched,
    cut_bars,
    machine_of,
    practised_cuts,
    practised_tones,
    tone_bars,
)
from tests.samples import BIRCH, LEATHER, LONG, MARKER, NORTH, PLATE, cut_trial, read_by_energy

WEAK = machine_of("diode", 4.5, 0.12)


class TableTest(unittest.TestCase):
    def keep(self, bars):
        for what, figure, most in bars:
            with self.subTest(what):
                self.assertLessEqual(figure, most)

    def test_the_tables_cover_the_families_and_the_sources(self):
        cuts, tones = list(practised_cuts()), list(practised_tones())
        self.assertGreaterEqual(len(cuts), 26 + 40)
        self.assertGreaterEqual(len({row.stock.family for row in cuts}), 20)
        for rows in (cuts, tones):
            self.assertEqual({row.machine.source for row in rows}, {"diode", "co2", "fibre"})
            self.assertEqual({row.origin for row in rows}, {"practice", "memory"})

    def test_the_belief_and_the_first_grids_agree_with_practice(self):
        self.keep(cut_bars([belief_of(row) for row in practised_cuts()]))

    def test_first_grids_of_engravings_go_around_the_practised_energy(self):
        self.keep(tone_bars())

    def test_the_stand_in_agrees_with_practice(self):
        self.keep(bench_bars([benched(row) for row in practised_cuts()]))


class PriorTest(unittest.TestCase):
    """What is believed hangs on source, colour, clearness and thickness."""

    def edge(self, machine, stock):
        return expected_edge_speed(
            case_of(machine, stock), power=1.0, passes=1, focus_mm=stock.thickness_mm / 2
        )

    def test_a_diode_needs_more_and_loses_more_to_the_sides(self):
        co2, diode = (groove_prior(BIRCH, source) for source in ("co2", "diode"))
        self.assertGreater(diode.removal_j_mm3, co2.removal_j_mm3)
        self.assertGreater(diode.side_loss_mm_s, co2.side_loss_mm_s)

    def test_what_lets_the_light_through_is_hardly_cut_by_it(self):
        clear = Stock("Pane", "acrylic", 3.0, opacity="clear")
        black = Stock("Plate", "acrylic", 3.0, colour="black", opacity="opaque")
        self.assertLess(self.edge(NORTH, clear), 0.2 * self.edge(NORTH, black))
        self.assertAlmostEqual(self.edge(LONG, clear), self.edge(LONG, black))

    def test_a_pulsed_beam_marks_with_less(self):
        self.assertLess(
            tone_prior(PLATE, MARKER.source).right_j_mm2, tone_prior(PLATE, "co2").right_j_mm2
        )

    def test_thick_stock_takes_more_before_it_flares(self):
        thick = replace(BIRCH, thickness_mm=9.0, measured_mm=())
        thin = replace(BIRCH, thickness_mm=1.0, measured_mm=())
        self.assertAlmostEqual(edge_energy(thick) / edge_energy(thin), 9**0.85, places=6)
        most = [flare_limit_of(one).most_j_mm(60.0, 1) for one in (thin, BIRCH, thick)]
        self.assertEqual(most, sorted(most))

    def test_no_air_costs_the_beam(self):
        known = know_cut(LONG, BIRCH, (), rng=np.random.default_rng(2))
        at = {"power": 1.0, "passes": 1, "focus_mm": 1.5}
        full, low, off = (
            float(np.median(replace(known, air=air).edges(**at))) for air in ("full", "low", "off")
        )
        self.assertTrue(off < low - 0.2 < full - 0.4)


class WordsTest(unittest.TestCase):
    def decided(self, machine, stock, *rows):
        """Decide cells of (speed, passes, verdict, depth), burnt without air, focus on the face."""
        settings = [Setting(1.0, v, n, 0.0, air="off") for v, n, *_ in rows]
        trial = trial_of(machine, stock, settings, "w")
        readings = [
            Reading(cell.id, verdict, depth_mm=depth)
            for cell, (*_, verdict, depth) in zip(trial.cells, rows, strict=True)
        ]
        pairs = [(trial, readings)]
        known = know_cut(machine, stock, pairs, rng=np.random.default_rng(1))
        return known, pairs, decide_cut(known, pairs, limit=flare_limit_of(stock, pairs))

    def test_passes_that_dig_no_deeper_are_told_with_the_way_on(self):
        balsa = Stock("Balsa", "softwood", 4.0, colour="light")
        known, pairs, decision = self.decided(
            WEAK,
            balsa,
            (0.333, 5, "not_through", 2.0),
            (0.333, 12, "not_through", 3.6),
            (0.333, 20, "not_through", 3.7),
        )
        self.assertTrue(decision.stall)
        self.assertIn("20 passes at 0.333 mm/s reach 3.7 mm, and more dig no deeper", decision.says)
        self.assertIn("focus 3 mm lower may get further", decision.says)
        self.assertEqual(dead_end(known, pairs).setting.passes, 20)

    def test_passes_that_still_dig_are_no_dead_end(self):
        balsa = Stock("Balsa", "softwood", 4.0, colour="light")
        known, pairs, _ = self.decided(
            WEAK, balsa, (3.0, 2, "not_through", 1.2), (3.0, 4, "not_through", 2.3)
        )
        self.assertIsNone(dead_end(known, pairs))

    def test_black_acrylic_that_fell_free_and_never_flared_is_decided(self):
        black = Stock("Black", "acrylic", 2.5, colour="black")
        _, _, decision = self.decided(
            WEAK,
            black,
            (0.833, 3, "not_through", None),
            (0.833, 5, "hangs", None),
            (0.833, 8, "free", None),
            (0.833, 10, "free", None),
        )
        self.assertNotIn("flare", decision.says)
        self.assertTrue(decision.picks)

    def test_a_machine_that_cuts_far_below_what_is_usual_is_asked_about(self):
        trial, setting = cut_trial(), Setting(1.0, 20.0, 1, 1.5)
        for edge, asks in ((2.2, False), (5.0, True)):
            pairs = [(trial, read_by_energy(trial, edge))]
            known = know_cut(LONG, BIRCH, pairs, rng=np.random.default_rng(1))
            with self.subTest(edge=edge):
                asked = weak_beam(known, setting)
                self.assertEqual("Weak, dirty or out of focus?" in asked, asks)
                remarks = decide_cut(known, pairs).remarks
                self.assertEqual(any("out of focus?" in one for one in remarks), asks)
        carried = know_cut(LONG, replace(BIRCH, lot="9"), pairs, rng=np.random.default_rng(1))
        self.assertEqual(weak_beam(carried, setting), "")

    def test_a_setting_that_was_burnt_and_held_may_be_planned_again(self):
        trial = cut_trial(power=(1.0,), speed_mm_s=(8.0, 30.0))
        before = flare_limit_of(BIRCH)
        held = flare_limit_of(BIRCH, [(trial, [Reading("A1", "free", char=2)])])
        self.assertFalse(before.allows(60.0, 6.3, 1))
        self.assertTrue(held.allows(60.0, 8.0, 1))
        self.assertLessEqual(held.slowest(60.0, 1), 8.0)
        other = flare_limit_of(LEATHER, [(trial, [Reading("A1", "free", char=2)])])
        self.assertEqual(other.held, ())
        self.assertTrue(math.isinf(held.known.most_j_mm(60.0, 1)))


if __name__ == "__main__":
    unittest.main()
