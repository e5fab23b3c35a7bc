"""Records: what their constructors refuse, the round trip through plain dicts, and the states of an
entry.
"""

import json
import math
import unittest
from dataclasses import replace
from datetime import date

from olive_almanac.core.errors import BadFile, OutOfRange
from olive_almanac.core.records.entry import Entry, Proof, state_of
from olive_almanac.core.records.machine import Machine, PowerMode
from olive_almanac.core.records.plain import from_plain, to_plain
from olive_almanac.core.records.reading import Reading, flared
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Sheet, Stock
from olive_almanac.core.records.trial import Trial
from tests.samples import BIRCH, LONG, NORTH, cut_trial, engrave_trial, sample_entry

TODAY = date(2026, 6, 1)


class RefusalTest(unittest.TestCase):
    def test_numbers_that_no_machine_has(self):
        for field, value in (
            ("optical_power_w", 0),
            ("optical_power_w", -5),
            ("optical_power_w", math.nan),
            ("optical_power_w", 1e9),
            ("wavelength_nm", 3),
            ("max_speed_mm_s", math.inf),
            ("bed_mm", (0, 400)),
            ("spot_x_mm", 0),
            ("source", "torch"),
            ("name", "  "),
            ("power_scale", 0),
            ("power_scale", 10**400),
        ):
            with self.subTest(field=field, value=str(value)[:20]), self.assertRaises(OutOfRange):
                replace(NORTH, **{field: value})

    def test_message_says_field_value_unit_and_what_is_allowed(self):
        with self.assertRaises(OutOfRange) as caught:
            replace(NORTH, optical_power_w=-5.0)
        self.assertEqual(
            str(caught.exception), "Optical power must be above 0 and at most 20000 W, not -5 W."
        )

    def test_stock_and_setting(self):
        for make in (
            lambda: replace(BIRCH, thickness_mm=0),
            lambda: replace(BIRCH, measured_mm=(3.0, math.nan)),
            lambda: replace(BIRCH, opacity="foggy"),
            lambda: Setting(1.2, 10),
            lambda: Setting(0.5, 0),
            lambda: Setting(0.5, 10, passes=0),
            lambda: Setting(0.5, 10, passes=1.5),
            lambda: Setting(0.5, 10, air="gale"),
            lambda: Reading("A1", "burnt"),
            lambda: Reading("A1", lightness=120),
            lambda: Reading("A1", char=7),
            lambda: PowerMode("", 5),
            lambda: Setting(0.0, 20.0, 1),
            lambda: Sheet(600, 400, clamps_mm=((0.0, 0.0, 10_001.0, 9.0),)),
            lambda: Sheet(600, 400, used_mm=((-10_001.0, 0.0, 5.0, 9.0),)),
        ):
            with self.assertRaises(OutOfRange):
                make()

    def test_a_text_where_a_number_belongs(self):
        with self.assertRaises(OutOfRange):
            replace(NORTH, optical_power_w="ten")


class PowerCurveTest(unittest.TestCase):
    """A meter's table between dialled power and watts: monotone, straight between its points."""

    TABLE = ((10.0, 0.4), (50.0, 4.6), (60.0, 4.5), (90.0, 8.8))

    def setUp(self):
        self.machine = replace(NORTH, power_table=self.TABLE)

    def test_without_a_table_it_is_a_straight_line(self):
        self.assertAlmostEqual(NORTH.watts(0.37), 3.7)
        self.assertAlmostEqual(NORTH.fraction_for(3.7), 0.37)
        self.assertAlmostEqual(NORTH.fraction_for(12.0), 1.2)

    def test_readings_are_met_and_noise_never_makes_more_give_less(self):
        self.assertAlmostEqual(self.machine.watts(0.1), 0.4)
        self.assertAlmostEqual(self.machine.watts(0.3), 2.5)
        watts = [self.machine.watts(n / 100) for n in range(101)]
        self.assertEqual(watts, sorted(watts))
        self.assertAlmostEqual(watts[100], 8.8 / 0.9)

    def test_there_and_back_again(self):
        for fraction in (0.05, 0.1, 0.3, 0.7, 0.95):
            self.assertAlmostEqual(
                self.machine.fraction_for(self.machine.watts(fraction)), fraction, places=9
            )

    def test_a_table_out_of_order_is_refused(self):
        for table in (((50, 4), (40, 5)), ((10, -1),), ((120, 5),)):
            with self.assertRaises(OutOfRange):
                replace(NORTH, power_table=tuple((float(a), float(b)) for a, b in table))

    def test_energies_and_fits_count_with_measured_watts(self):
        from olive_almanac.core.fitting.cut import case_of

        trial = replace(cut_trial(NORTH), machine=self.machine)
        cell = trial.cells[0]
        self.assertAlmostEqual(
            trial.energy_of(cell), self.machine.watts(cell.setting.power) / cell.setting.speed_mm_s
        )
        case = case_of(self.machine, BIRCH)
        for fraction in (0.05, 0.3, 0.55, 1.0):
            self.assertAlmostEqual(
                float(case.power_w(fraction)), self.machine.watts(fraction), places=9
            )


class StockTest(unittest.TestCase):
    def test_measured_thickness_counts_before_nominal(self):
        self.assertAlmostEqual(BIRCH.true_thickness_mm, (3.02 + 3.05 + 2.98) / 3)
        self.assertEqual(replace(BIRCH, measured_mm=()).true_thickness_mm, 3.0)

    def test_label_carries_the_lot(self):
        self.assertEqual(replace(NORTH, name="North Bench").label, "North Bench 10 W")
        self.assertEqual(replace(NORTH, name="Bench 10 W").label, "Bench 10 W")
        self.assertEqual(BIRCH.label, "Birch ply 3.0 mm, lot 7")
        self.assertEqual(replace(BIRCH, lot="").label, "Birch ply 3.0 mm")


class PlainTest(unittest.TestCase):
    def test_round_trip_through_json_is_exact(self):
        for record in (
            NORTH,
            replace(NORTH, modes=(PowerMode("low", 5), PowerMode("high", 10))),
            BIRCH,
            cut_trial(),
            engrave_trial(),
            Reading("A1", "free", char=1, defects=("crack",)),
            sample_entry(proofs=(Proof("2026-05-01", "passed", "7"),)),
        ):
            with self.subTest(type(record).__name__):
                self.assertEqual(
                    from_plain(type(record), json.loads(json.dumps(to_plain(record)))), record
                )

    def test_unknown_fields_are_kept_where_a_record_can(self):
        plain = {**to_plain(NORTH), "tube_hours": 412}
        machine = from_plain(Machine, plain)
        self.assertEqual(machine.extra, {"tube_hours": 412})
        self.assertEqual(to_plain(machine)["tube_hours"], 412)

    def test_each_fault_names_its_place(self):
        good = to_plain(cut_trial())
        for path, value, words in (
            (("name",), 7, "name is 7: a text"),
            (("cells",), {}, "cells is {}: a list"),
            (
                ("cells", 0, "setting", "power"),
                "abc",
                r"cells\[0\].setting.power is 'abc': a number",
            ),
            (("cells", 0, "setting", "passes"), 1.5, r"passes is 1.5: a whole number"),
            (("cells", 1, "rect_mm"), [1, 2], r"cells\[1\].rect_mm holds 2 values: 4"),
            (("task",), "weld", "task is 'weld': one of cut, score, engrave, mark"),
            (("cells", 0, "setting", "power"), 3.0, "Power must be"),
            (("seconds",), True, "seconds is True: a number"),
            (("seconds",), 2e12, "seconds is larger than any number here"),
            (("seconds",), -(10**13), "seconds is larger than any number here"),
        ):
            plain = json.loads(json.dumps(good))
            at = plain
            for step in path[:-1]:
                at = at[step]
            at[path[-1]] = value
            with self.subTest(words), self.assertRaisesRegex(BadFile, words):
                from_plain(Trial, plain, "trial.json: ")

    def test_a_missing_field_is_named(self):
        plain = to_plain(BIRCH)
        del plain["family"]
        with self.assertRaisesRegex(BadFile, "stock.json: family is missing"):
            from_plain(Stock, plain, "stock.json: ")

    def test_cells_that_stand_twice_are_refused(self):
        trial = cut_trial()
        with self.assertRaisesRegex(OutOfRange, "Cell ids"):
            replace(trial, cells=(trial.cells[0], trial.cells[0]))


class ReadingTest(unittest.TestCase):
    def test_a_flare_is_told_by_grade_or_by_defect(self):
        self.assertTrue(flared(Reading("A1", char=3)))
        self.assertTrue(flared(Reading("A1", "free", defects=("flare",))))
        self.assertFalse(flared(Reading("A1", "free", char=2)))


class StateTest(unittest.TestCase):
    """guess -> on trial -> proven -> due again, by rule and never by hand."""

    def state(self, entry: Entry, *, today=TODAY, lot="7", machine_state=1):
        return state_of(entry, today=today, lot=lot, machine_state=machine_state)

    def proven(self, **changes):
        proofs = tuple(Proof(f"2026-05-0{n}", "passed", "7") for n in (1, 2, 3))
        return sample_entry(proofs=proofs, **changes)

    def test_written_from_a_trial_it_is_on_trial(self):
        self.assertEqual(self.state(sample_entry()), ("trial", "0 of 3 confirming burns"))

    def test_reckoned_it_is_a_guess_until_it_was_burnt(self):
        guess = sample_entry(origin="guess")
        self.assertEqual(self.state(guess)[0], "guess")
        self.assertEqual(
            self.state(replace(guess, proofs=(Proof("2026-05-01", "passed", "7"),)))[0], "trial"
        )

    def test_three_good_burns_prove_it_for_half_a_year(self):
        self.assertEqual(self.state(sample_entry(proofs=self.proven().proofs[:2]))[0], "trial")
        self.assertEqual(self.state(self.proven()), ("proven", "until 2 November 2026"))
        self.assertEqual(self.proven().prove_again_by, date(2026, 11, 2))

    def test_the_day_after_it_is_due(self):
        self.assertEqual(self.state(self.proven(), today=date(2026, 11, 2))[0], "proven")
        self.assertEqual(
            self.state(self.proven(), today=date(2026, 11, 3)),
            ("due", "proof ran out on 2 November 2026"),
        )

    def test_another_lot_or_a_changed_machine_makes_it_due(self):
        self.assertEqual(
            self.state(self.proven(), lot="8"), ("due", "proven on lot 7; lot 8 not yet tried")
        )
        self.assertEqual(
            self.state(self.proven(), machine_state=2), ("due", "the machine has changed since")
        )

    def test_a_failure_makes_it_due_at_once(self):
        entry = self.proven()
        failed = replace(entry, proofs=(*entry.proofs, Proof("2026-05-20", "failed", "7")))
        self.assertEqual(self.state(failed), ("due", "failed on 20 May 2026"))

    def test_after_a_failure_three_new_burns_are_needed(self):
        entry = self.proven()
        again = [
            *entry.proofs,
            Proof("2026-05-20", "failed", "7"),
            Proof("2026-05-21", "passed", "7"),
            Proof("2026-05-22", "passed", "7"),
        ]
        self.assertEqual(self.state(replace(entry, proofs=tuple(again)))[0], "due")
        self.assertEqual(
            self.state(replace(entry, proofs=(*again, Proof("2026-05-23", "passed", "7"))))[0],
            "proven",
        )

    def test_burns_of_two_lots_do_not_add_up(self):
        mixed = tuple(Proof("2026-05-01", "passed", lot) for lot in ("6", "6", "7"))
        self.assertEqual(
            self.state(sample_entry(proofs=mixed))[0], "due"
        )  # three good burns, but not of one lot


class SampleTest(unittest.TestCase):
    def test_trial_burns_in_its_own_order(self):
        trial = cut_trial(LONG)
        self.assertEqual([cell.order for cell in trial.in_order], list(range(1, 25)))
        self.assertEqual(trial.cell("A1").row, 0)
        with self.assertRaises(KeyError):
            trial.cell("Z9")
