"""What readings tell besides a pick: doubted readings, directions, drift, kin, focus, kerf, tone
curve.
"""

import math
import unittest
from dataclasses import replace

import numpy as np

from olive_almanac.core.beam.burnt_lines import fit_burnt_lines
from olive_almanac.core.deciding.cut import decide_cut
from olive_almanac.core.deciding.cut_knowledge import know_cut
from olive_almanac.core.deciding.directions import compare_directions
from olive_almanac.core.deciding.focus import decide_focus
from olive_almanac.core.deciding.guess import compute_guess
from olive_almanac.core.deciding.kerf import decide_kerf, expected_kerf
from olive_almanac.core.deciding.outliers import outlying_readings
from olive_almanac.core.deciding.scan import USUAL_DRIFT
from olive_almanac.core.deciding.shop_drift import drift_of_records
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.fitting.tone_table import tone_table, tone_table_of
from olive_almanac.core.fitting.transfer import transfer_between
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.setting import Setting
from tests.samples import ALLOWED, BIRCH, LONG, NORTH, cut_trial, kind_plan, read_by_energy


def know(*pairs, machine=LONG, stock=BIRCH, **more):
    return know_cut(machine, stock, pairs, rng=np.random.default_rng(3), **more)


class DoubtedTest(unittest.TestCase):
    def setUp(self):
        self.trial = cut_trial()
        self.readings = read_by_energy(self.trial, 2.2)

    def outliers(self, readings, *more):
        pairs = [*more, (self.trial, readings)]
        return outlying_readings(know(*pairs), pairs)

    def flipped(self, cell, verdict):
        return [replace(r, verdict=verdict) if r.cell == cell else r for r in self.readings]

    def hottest(self):
        return max(self.trial.cells, key=lambda c: c.setting.power / c.setting.speed_mm_s).id

    def test_readings_that_agree_are_believed(self):
        self.assertEqual(self.outliers(self.readings), ())

    def test_one_that_contradicts_its_neighbours_is_named_with_what_was_expected(self):
        cell = self.hottest()
        found = self.outliers(self.flipped(cell, "not_through"))
        self.assertEqual(
            [(one.cell, one.verdict, one.expected) for one in found],
            [(cell, "not_through", "free")],
        )
        self.assertLess(found[0].chance, 0.08)
        self.assertIn("knot", found[0].why)

    def test_two_cells_burnt_alike_that_differ_point_at_each_other(self):
        twin = replace(self.trial, id="coupon-2", name="Coupon 0002")
        found = self.outliers(self.flipped(self.hottest(), "not_through"), (twin, self.readings))
        self.assertIn(f"{self.hottest()}, burnt alike, reads “Through”", found[0].why)

    def test_a_whole_coupon_that_reads_weaker_is_told_as_one(self):
        twin = replace(self.trial, id="coupon-2", name="Coupon 0002")
        third = replace(self.trial, id="coupon-3", name="Coupon 0003")
        weak = read_by_energy(self.trial, 4.4)
        found = self.outliers(self.readings, (twin, self.readings), (third, weak))
        told = [one for one in found if one.trial == "coupon-3"]
        self.assertGreaterEqual(len(told), 3)
        self.assertTrue(all("Coupon 0003 reads weaker throughout" in one.why for one in told))


class DirectionTest(unittest.TestCase):
    def test_a_spot_that_is_longer_one_way_needs_a_slower_speed_across_it(self):
        trial = kind_plan("direction", machine=NORTH)

        def readings(factor_y):
            told = []
            for cell in trial.trial.cells:
                energy = cell.setting.passes * 10 * cell.setting.power / cell.setting.speed_mm_s
                told.append(
                    Reading(
                        cell.id,
                        "free"
                        if energy > 3.0 * (factor_y if cell.setting.direction == "y" else 1)
                        else "not_through",
                    )
                )
            return told

        setting = Setting(1.0, 3.0, 1, trial.trial.cells[0].setting.focus_mm)
        apart = compare_directions(
            know((trial.trial, readings(1.5)), machine=NORTH), setting, target=0.9
        )
        self.assertGreater(apart.differ, 0.9)
        self.assertGreater(apart.x_mm_s, apart.y_mm_s)
        self.assertIn("Along Y it must run", apart.says)
        self.assertAlmostEqual(apart.both_mm_s / apart.y_mm_s, 1.0, delta=0.15)

    def test_nothing_is_said_where_only_whole_outlines_were_burnt(self):
        trial = cut_trial()
        self.assertIsNone(
            compare_directions(
                know((trial, read_by_energy(trial, 2.2))), Setting(1.0, 12.0), target=0.99
            )
        )


class DriftTest(unittest.TestCase):
    def test_the_usual_drift_stands_until_there_are_three_records(self):
        bare = replace(BIRCH, measured_mm=(3.0, 3.1))
        self.assertEqual(drift_of_records(bare, focus_heights_mm=(0.1, 0.4)), USUAL_DRIFT)

    def test_thickness_and_focus_come_from_the_records(self):
        stock = replace(BIRCH, measured_mm=(2.7, 3.0, 3.3))
        drift = drift_of_records(stock, focus_heights_mm=(-0.5, 0.0, 0.5))
        self.assertAlmostEqual(
            drift.thickness, math.sqrt(3) * 0.1, places=6
        )  # half width of an even distribution of sd 10 %
        self.assertAlmostEqual(drift.focus_mm, math.sqrt(3) * 0.5, places=6)
        self.assertEqual(len(drift.says), 2)

    def test_weekly_checks_tell_how_far_the_power_wanders(self):
        trial = cut_trial()
        known = know((trial, read_by_energy(trial, 2.2)))
        weekly = [
            (replace(trial, id=f"w{i}", kind="weekly"), read_by_energy(trial, edge))
            for i, edge in enumerate((3.0, 3.5, 4.2))
        ]
        wandering = drift_of_records(BIRCH, weekly=weekly, known=known)
        steady = drift_of_records(BIRCH, weekly=[weekly[1]] * 3, known=known)
        self.assertGreater(wandering.power, 0.1)
        self.assertAlmostEqual(steady.power, 0.02)


class KinTest(unittest.TestCase):
    def test_what_differs_is_named_and_adds_up(self):
        other = replace(BIRCH, lot="8")
        lot = transfer_between(LONG, BIRCH, LONG, other)
        both = transfer_between(LONG, BIRCH, replace(LONG, state=2), other)
        self.assertEqual(
            (lot.words, transfer_between(LONG, BIRCH, LONG, BIRCH).words), (("another lot",), ())
        )
        self.assertGreater(both.energy_sd, lot.energy_sd)
        self.assertTrue(lot.same_optics and not both.same_optics)

    def test_another_lot_narrows_the_doubt_but_counts_less_than_the_own(self):
        trial = cut_trial()
        at = {"power": 1.0, "passes": 1, "focus_mm": 1.5}
        other = replace(trial, id="old", stock=replace(BIRCH, lot="6"))
        doubt = {
            name: know(*pairs).edge_doubt(**at)
            for name, pairs in {
                "nothing": [],
                "other": [(other, read_by_energy(trial, 2.2))],
                "own": [(trial, read_by_energy(trial, 2.2))],
            }.items()
        }
        self.assertLess(doubt["other"], 0.7 * doubt["nothing"])
        self.assertLess(doubt["own"], doubt["other"])

    def test_the_subjects_own_readings_win_over_another_lot(self):
        trial = cut_trial()
        other = replace(trial, id="old", stock=replace(BIRCH, lot="6"))
        pairs = [(other, read_by_energy(trial, 3.1)), (trial, read_by_energy(trial, 1.6))]
        known = know(*pairs)
        speeds = np.geomspace(3, 60, 300)
        chance = known.chance(power=1.0, speed_mm_s=speeds, passes=1, focus_mm=1.5)
        self.assertAlmostEqual(
            60 / float(np.interp(0.5, chance[::-1], speeds[::-1])) / 1.6, 1.0, delta=0.3
        )
        self.assertIn("another lot", known.carried[0])
        decision = decide_cut(known, pairs)
        self.assertEqual(decision.cells_read, len(trial.cells))
        self.assertTrue(any("another lot" in remark for remark in decision.remarks))

    def test_a_guess_is_carried_over_from_another_thickness(self):
        thick = replace(BIRCH, thickness_mm=4.0, measured_mm=(), uid="birch-4")
        trial = cut_trial()
        plain, _ = compute_guess(LONG, thick, "cut", ALLOWED, rng=np.random.default_rng(1))
        carried, evidence = compute_guess(
            LONG,
            thick,
            "cut",
            ALLOWED,
            rng=np.random.default_rng(1),
            related=[(trial, read_by_energy(trial, 5.6))],
        )
        per_mm = [setting.passes / setting.speed_mm_s for setting in (plain, carried)]
        self.assertGreater(
            per_mm[1], per_mm[0]
        )  # this birch turned out harder than birch usually is
        self.assertIn("Carried over from 24 cells", evidence.says)
        self.assertEqual(evidence.cells_read, 0)


class FocusTest(unittest.TestCase):
    """Lines made by the threshold of a Gaussian beam (ISO 11146-1 propagation), not by the fit."""

    def lines(self, focus, rayleigh, *, rng, contrast=10.0):
        heights = np.linspace(-2.5, 2.5, 9) * rayleigh
        w = 0.08 * np.sqrt(1 + ((heights - focus) / rayleigh) ** 2)
        width = 2 * w * np.sqrt(0.5 * np.log(contrast * 0.08 / w))
        return heights, np.round(width * (1 + 0.05 * rng.standard_normal(9)), 2)

    def test_nine_heights_tell_the_focus_within_a_fifth_of_the_rayleigh_range(self):
        rng, off = np.random.default_rng(5), []
        for n in range(40):
            focus, rayleigh = rng.uniform(-0.6, 0.6) * 2, 2.0
            heights, widths = self.lines(focus, rayleigh, rng=rng)
            fit = fit_burnt_lines(
                height_mm=heights, width_mm=widths, rayleigh_mm=1.7 if n % 2 else 2.4
            )
            off.append(abs(fit.focus_mm - focus) / rayleigh)
            self.assertTrue(fit.telling)
        self.assertLess(float(np.quantile(off, 0.9)), 0.2)

    def test_lines_that_do_not_show_are_left_out_and_few_are_refused(self):
        heights, widths = self.lines(0.5, 2.0, rng=np.random.default_rng(1))
        fit = fit_burnt_lines(height_mm=heights, width_mm=[math.nan, *widths[1:]], rayleigh_mm=2.0)
        self.assertAlmostEqual(fit.focus_mm, 0.5, delta=0.5)
        with self.assertRaises(OutOfRange):
            fit_burnt_lines(height_mm=heights[:4], width_mm=widths[:4], rayleigh_mm=2.0)

    def test_a_focus_trial_is_decided_in_words(self):
        trial = kind_plan("focus", "engrave").trial
        few = decide_focus(trial, [])
        self.assertIn("measure the width of 5 more lines", few.says)
        readings = []
        for cell in trial.cells:
            w = 0.1 * math.sqrt(1 + ((cell.setting.focus_mm - 0.6) / 2.5) ** 2)
            readings.append(
                Reading(
                    cell.id,
                    kerf_mm=round(2 * w * math.sqrt(0.5 * math.log(8 * 0.1 / w)), 3),
                    by="gauge",
                )
            )
        decided = decide_focus(trial, readings)
        self.assertTrue(decided.decided, decided.says)
        self.assertAlmostEqual(decided.fit.focus_mm, 0.6, delta=0.15)
        self.assertIn("below the top face", decided.says)
        flat = decide_focus(trial, [replace(r, kerf_mm=0.2) for r in readings])
        self.assertFalse(flat.decided)


class KerfDecisionTest(unittest.TestCase):
    def read(self, trial, x, y):
        kerf = {"x": x, "y": y}
        return [
            Reading(c.id, kerf_mm=c.nominal_mm + kerf[c.setting.direction], by="gauge")
            for c in trial.cells
            if c.mark == "comb"
        ]

    def test_axes_that_differ_get_offsets_of_their_own(self):
        trial = kind_plan("kerf").trial
        decision = decide_kerf([(trial, self.read(trial, 0.30, 0.20))])
        self.assertAlmostEqual(decision.of("x").figures.mean_mm, 0.30, places=9)
        self.assertIn("along X is wider by 0.1 mm", decision.says)
        self.assertIn("0.15 mm along X and 0.1 mm along Y", decision.says)
        self.assertIn("agree", decide_kerf([(trial, self.read(trial, 0.25, 0.25))]).says)

    def test_one_axis_is_not_enough_and_other_thicknesses_get_rows(self):
        trial = kind_plan("kerf").trial
        only_x = [
            r for r in self.read(trial, 0.3, 0.3) if trial.cell(r.cell).setting.direction == "x"
        ]
        self.assertIn("measure along Y too", decide_kerf([(trial, only_x)]).says)
        thick = replace(trial, id="thick", stock=replace(BIRCH, thickness_mm=6.0, measured_mm=()))
        rows = decide_kerf(
            [(thick, self.read(thick, 0.4, 0.4)), (trial, self.read(trial, 0.3, 0.3))]
        ).rows
        self.assertEqual(
            [(row.axis, row.thickness_mm) for row in rows],
            [
                ("x", BIRCH.true_thickness_mm),
                ("y", BIRCH.true_thickness_mm),
                ("x", 6.0),
                ("y", 6.0),
            ],
        )
        self.assertIn("Not decided yet", decide_kerf([(trial, [])]).says)

    def test_the_kerf_of_a_pick_comes_from_like_energies_only(self):
        trial = cut_trial()
        cell = trial.cells[0]
        pairs = [(trial, [Reading(cell.id, "free", kerf_mm=0.22)])]
        energy = 60 * cell.setting.power / cell.setting.speed_mm_s
        self.assertAlmostEqual(expected_kerf(pairs, energy, cell.setting.passes), 0.22)
        self.assertIsNone(expected_kerf(pairs, 20 * energy, cell.setting.passes))


class ToneTableTest(unittest.TestCase):
    def truth(self, power):
        return 80 - 52 * power**3 / (power**3 + 0.4**3)  # a log-logistic, which the fit is not

    def test_greys_come_out_even_although_the_stock_is_not(self):
        rng = np.random.default_rng(4)
        steps = np.linspace(1 / 12, 1, 12)
        table = tone_table(
            steps,
            self.truth(steps) + 1.0 * rng.standard_normal(12),
            Setting(1.0, 200.0, pitch_mm=0.1, direction="x"),
        )
        burnt = self.truth(table.power)
        even = np.linspace(burnt[0], burnt[-1], 256)
        self.assertEqual(len(table.power), 256)
        self.assertLess(float(np.abs(burnt - even).max()), 4.0)
        self.assertGreater(
            float(np.abs(self.truth(np.linspace(0, table.power[-1], 256)) - even).max()), 8.0
        )  # without the table
        self.assertTrue((np.diff(table.power) >= 0).all())
        self.assertGreater(table.uncorrected_l, 8.0)

    def test_too_few_steps_or_no_change_say_so(self):
        trial = kind_plan("grey", "engrave").trial
        with self.assertRaisesRegex(OutOfRange, "Steps with a lightness"):
            tone_table_of(trial, [])
        flat = [Reading(cell.id, lightness=70.0) for cell in trial.cells]
        with self.assertRaisesRegex(OutOfRange, "Change of lightness"):
            tone_table_of(trial, flat)
