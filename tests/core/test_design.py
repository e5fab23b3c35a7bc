"""Levels, grids and suggestions: what is planned, in what order, and what is refused with which
reason.
"""

import itertools
import unittest
from dataclasses import replace

from olive_almanac.core.design.aim import spread_speeds
from olive_almanac.core.design.choices import choices_of
from olive_almanac.core.design.levels import (
    MOST_LEVELS,
    even_levels,
    read_levels,
    round_level,
    speed_reader,
)
from olive_almanac.core.design.plan import coupon_size, plan_trial
from olive_almanac.core.design.suggest import suggest_levels
from olive_almanac.core.errors import Barred, OutOfRange
from olive_almanac.core.materials.catalogue import Judged, may_burn, verdict_of
from olive_almanac.core.materials.families import FAMILIES
from olive_almanac.core.placing.corner import corner_lines
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import SPEED_UNITS, read_number
from olive_almanac.formats.catalogue import load_catalogue
from tests.samples import (
    ALLOWED,
    BIRCH,
    DAY,
    LEATHER,
    LONG,
    MARKER,
    NORTH,
    VINYL,
    cut_trial,
    engrave_trial,
    small_choices,
)


def permitted(machine, stock, task, rules=None):
    return may_burn(load_catalogue(), machine, stock, task, rules or {})


def plan(choices, machine=LONG, stock=BIRCH, task="cut"):
    return plan_trial(
        machine,
        stock,
        task,
        choices,
        permission=permitted(machine, stock, task),
        trial_id="t",
        name="Coupon",
        made=DAY,
        engraves=True,
    )


class LevelsTest(unittest.TestCase):
    def test_from_to_steps(self):
        self.assertEqual(even_levels(55, 100, 4), (55, 70, 85, 100))
        self.assertEqual(even_levels(8, 8, 1), (8,))

    def test_as_many_levels_as_a_coupon_bears_and_not_one_more(self):
        self.assertEqual(len(even_levels(1, 40, MOST_LEVELS)), MOST_LEVELS)
        for low, high, steps in ((1, 40, MOST_LEVELS + 1), (1, 40, 0), (1, 2, 1), (2, 2, 3)):
            with self.subTest(steps=steps), self.assertRaises(OutOfRange):
                even_levels(low, high, steps)

    def test_written_as_range_or_list(self):
        self.assertEqual(
            read_levels("40:100:4", "Power", lambda t: read_number(t, "Power", "%"), "%"),
            (40, 60, 80, 100),
        )
        self.assertEqual(
            read_levels("3,1,2", "Passes", lambda t: read_number(t, "Passes")), (1, 2, 3)
        )
        for got, wanted in zip(
            read_levels("300:900:3mm/min", "Speed", speed_reader()), (5, 10, 15), strict=True
        ):
            self.assertAlmostEqual(got, wanted)

    def test_nonsense_is_refused_in_words(self):
        for text in (
            "5:30",
            "5:30:2.5",
            "30:5:3",
            "a:b:c",
            "",
            "5:30:0",
            "5:30:99",
            "5:5:3",
            "1e999",
            ",".join(map(str, range(60))),
        ):
            with self.subTest(text), self.assertRaises(OutOfRange):
                read_levels(text, "Speed", speed_reader())

    def test_rounding_to_what_can_be_dialled(self):
        for value, rounded in ((0, 0), (1.23, 1.2), (98.7, 99), (0.0456, 0.046), (1234, 1200)):
            self.assertAlmostEqual(round_level(value), rounded)


class GridTest(unittest.TestCase):
    def test_rows_are_powers_and_columns_are_speeds(self):
        trial = plan(small_choices()).trial
        cells = {cell.id: cell for cell in trial.cells}
        self.assertEqual(set(cells), {"A1", "A2", "A3", "B1", "B2", "B3"})
        self.assertEqual((cells["B3"].setting.power, cells["B3"].setting.speed_mm_s), (1.0, 20.0))
        self.assertGreater(cells["B1"].rect_mm[1], cells["A1"].rect_mm[1])
        self.assertGreater(cells["A2"].rect_mm[0], cells["A1"].rect_mm[0])

    def test_burns_from_low_energy_to_high(self):
        for trial in (cut_trial(), engrave_trial(), plan(small_choices(passes=(1, 3))).trial):
            energies = [trial.energy_of(cell) for cell in trial.in_order]
            for before, after in itertools.pairwise(
                energies
            ):  # cells of about the same energy may change places
                self.assertGreater(after, before / 1.16)
            self.assertEqual(energies[0], min(energies))

    def test_energy_of_a_cell(self):
        trial = plan(small_choices(passes=(2,))).trial
        self.assertAlmostEqual(trial.energy_of(trial.cell("A2")), 2 * 0.5 * 60 / 10)
        engraved = plan(small_choices(pitch_mm=(0.1,)), task="engrave").trial
        self.assertAlmostEqual(engraved.energy_of(engraved.cell("A2")), 0.5 * 60 / 10 / 0.1)

    def test_cells_lie_inside_the_coupon_and_apart(self):
        for trial in (cut_trial(), engrave_trial(NORTH), plan(small_choices(passes=(1, 2))).trial):
            boxes = [cell.rect_mm for cell in trial.cells]
            for x, y, w, h in boxes:
                self.assertTrue(
                    x >= 8.99
                    and y >= 8.99
                    and x + w <= trial.coupon.width_mm - 8.99
                    and y + h <= trial.coupon.height_mm - 8.99
                )
            for a, b in itertools.combinations(boxes, 2):
                apart = (
                    a[0] + a[2] < b[0]
                    or b[0] + b[2] < a[0]
                    or a[1] + a[3] < b[1]
                    or b[1] + b[3] < a[1]
                )
                self.assertTrue(apart, (a, b))

    def test_a_third_factor_repeats_the_grid(self):
        trial = plan(small_choices(passes=(1, 2, 3))).trial
        self.assertEqual(len(trial.cells), 18)
        self.assertEqual({cell.setting.passes for cell in trial.cells}, {1, 2, 3})
        self.assertEqual(trial.factors[2].levels, (1, 2, 3))
        with self.assertRaisesRegex(OutOfRange, "Factors that vary"):
            plan(small_choices(passes=(1, 2), focus_mm=(0.0, 1.0)))

    def test_speeds_beyond_the_machine_are_left_out_with_the_reason(self):
        result = plan(small_choices(speed_mm_s=(100.0, 400.0, 700.0)))
        self.assertEqual([one.cell.id for one in result.refused], ["A3", "B3"])
        self.assertIn("Long Bed moves at 500 mm/s at most, not 700 mm/s", result.refused[0].why)
        in_minutes = small_choices(speed_mm_s=(100.0, 700.0), speed_unit="mm/min")
        self.assertIn("at 30000 mm/min at most, not 42000", plan(in_minutes).refused[0].why)
        self.assertEqual(len(result.trial.cells), 4)
        with self.assertRaisesRegex(OutOfRange, "moves at 500"):
            plan(small_choices(speed_mm_s=(700.0,)))

    def test_speeds_at_which_a_beam_only_creeps_are_left_out(self):
        result = plan(small_choices(speed_mm_s=(0.09, 0.1, 100.0)))
        self.assertEqual({one.cell.setting.speed_mm_s for one in result.refused}, {0.09})
        self.assertIn("below 0.1 mm/s a beam burns as one at rest", result.refused[0].why)

    def test_a_coupon_that_does_not_fit_the_bed_says_by_how_much(self):
        choices = small_choices(cell_mm=60.0)
        size = coupon_size(MARKER, BIRCH, "cut", choices)
        with self.assertRaisesRegex(
            OutOfRange, f"{size.width_mm - 110:g} mm short for a coupon of"
        ):
            plan_trial(
                MARKER,
                BIRCH,
                "cut",
                choices,
                permission=ALLOWED,
                trial_id="t",
                name="Coupon",
                made=DAY,
            )

    def test_short_cells_say_that_they_miss_their_speed(self):
        result = plan(small_choices(speed_mm_s=(10.0, 450.0)))
        self.assertIn(
            "2 cells are too short to reach the speed (34 mm would do)", result.remarks[0]
        )
        self.assertEqual(plan(small_choices()).remarks, ())

    def test_rest_adds_to_the_time(self):
        without, with_rest = plan(small_choices()).trial, plan(small_choices(rest_s=4.0)).trial
        self.assertAlmostEqual(with_rest.seconds - without.seconds, 4.0 * 5, places=6)

    def test_engraving_needs_a_pitch_and_room_for_the_run_up(self):
        with self.assertRaisesRegex(OutOfRange, "Line pitch"):
            plan(small_choices(), task="engrave")
        trial = plan(small_choices(pitch_mm=(0.1,), speed_mm_s=(400.0,)), task="engrave").trial
        self.assertGreaterEqual(min(cell.rect_mm[0] for cell in trial.cells), 400**2 / (2 * 6000))

    def test_choices_can_be_taken_up_again(self):
        for choices in (
            small_choices(),
            small_choices(rest_s=2.0, gap_mm=6.0, focus_mm=(1.5,)),
            suggest_levels(NORTH, LEATHER, "cut").choices,
        ):
            self.assertEqual(choices_of(plan(choices).trial), choices)

    def test_too_many_cells(self):
        with self.assertRaisesRegex(OutOfRange, "Number of cells"):
            plan(
                small_choices(
                    power=tuple(n / 100 for n in range(1, 61)),
                    speed_mm_s=tuple(float(n) for n in range(1, 41)),
                )
            )


class PermissionTest(unittest.TestCase):
    def test_barred_families_are_refused_on_every_machine(self):
        barred = [one.id for one in load_catalogue().stocks if one.state == "barred"]
        self.assertTrue(
            {
                "pvc",
                "vinyl",
                "ptfe",
                "chrome_leather",
                "beryllium_copper",
                "galvanised",
                "unknown",
                "unknown_coating",
                "foam_pu",
            }
            <= set(barred)
        )
        for family in barred:
            for machine in (NORTH, LONG, MARKER):
                with self.subTest(family=family, machine=machine.name), self.assertRaises(Barred):
                    plan(small_choices(), machine=machine, stock=replace(VINYL, family=family))

    def test_the_reason_is_given(self):
        self.assertIn("hydrogen chloride", permitted(NORTH, VINYL, "cut").reason)

    def test_what_cannot_work_says_why_and_what_would(self):
        clear = Stock("Clear cast acrylic", "acrylic", 3.0, opacity="clear")
        for machine, stock, task, why, what in (
            (NORTH, clear, "cut", "passes through clear acrylic", "CO₂"),
            (
                LONG,
                Stock("Bare plate", "aluminium", 1.0),
                "engrave",
                "throws this beam back",
                "fibre",
            ),
            (LONG, Stock("Cover glass", "glass", 4.0), "cut", "glass cracks", "engraving works"),
            (MARKER, BIRCH, "cut", "near 1064 nm", "diode or a CO₂"),
        ):
            with self.subTest(stock.name):
                permission = permitted(machine, stock, task)
                self.assertFalse(permission.allowed or permission.barred)
                self.assertIn(why, permission.reason.lower())
                self.assertIn(what, permission.instead)

    def test_disputed_stock_shows_both_practices_until_the_shop_decides(self):
        mdf = Stock("Shelf MDF", "mdf", 3.0)
        asked = permitted(LONG, mdf, "cut")
        self.assertTrue(asked.ask)
        self.assertEqual(len(asked.practices), 2)
        self.assertTrue(permitted(LONG, mdf, "cut", {"mdf": True}).allowed)
        refused = permitted(LONG, mdf, "cut", {"mdf": False})
        self.assertFalse(refused.allowed or refused.ask)
        self.assertIn("has decided not to burn it", refused.reason)

    def test_a_medium_or_a_poor_result_is_minded(self):
        glass = Stock("Cover glass", "glass", 4.0, opacity="clear")
        self.assertIn("absorbing layer", permitted(NORTH, glass, "engrave").mind)
        self.assertIn(
            "Poor",
            permitted(NORTH, Stock("Relief board", "board", 1.5, colour="white"), "cut").mind,
        )
        self.assertEqual(
            permitted(NORTH, Stock("Relief board", "board", 1.5, colour="grey"), "cut").mind, ""
        )

    def test_ordinary_work_is_allowed(self):
        for machine, stock, task in (
            (NORTH, BIRCH, "cut"),
            (LONG, LEATHER, "engrave"),
            (MARKER, Stock("Hive plate", "coated_metal", 1.0), "engrave"),
        ):
            self.assertTrue(permitted(machine, stock, task).allowed)

    def test_an_unknown_family_is_told_with_the_known_ones(self):
        with self.assertRaisesRegex(OutOfRange, "plywood"):
            permitted(NORTH, replace(BIRCH, family="cheese"), "cut")


class CatalogueTest(unittest.TestCase):
    def test_is_whole(self):
        stocks = load_catalogue().stocks
        self.assertGreaterEqual(len(stocks), 45)
        self.assertEqual(len({one.id for one in stocks}), len(stocks))
        self.assertEqual({one.id for one in stocks}, set(FAMILIES))
        for one in stocks:
            with self.subTest(one.id):
                self.assertTrue(one.word and one.group and one.gives_off)
                self.assertEqual(one.state == "disputed", len(one.practices) == 2)
                self.assertEqual(one.state == "allowed", not one.reason)
                for source in ("diode", "co2", "fibre"):
                    for task in ("cut", "score", "engrave", "mark"):
                        verdict = verdict_of(Judged(one, "opaque"), source=source, task=task)
                        self.assertRegex(
                            verdict.phrase, r"^(works|works with \w.*|(poor|cannot): \w.*|barred)$"
                        )
                        self.assertEqual(verdict.level == "barred", one.state == "barred")

    def test_every_limit_that_is_named_says_where_it_comes_from(self):
        for one in load_catalogue().stocks:
            if any(
                word in one.source for word in ("limit", "reflectance", "depth", "stoichiometry")
            ):
                self.assertIn("from memory", one.source, one.id)


class SuggestTest(unittest.TestCase):
    def test_every_allowed_family_gets_a_grid_inside_the_limits(self):
        for machine in (NORTH, LONG, MARKER):
            for family in FAMILIES:
                for task in ("cut", "engrave"):
                    stock = Stock("Sample", family, 2.0)
                    if not permitted(machine, stock, task).allowed:
                        continue
                    with self.subTest(machine=machine.name, family=family, task=task):
                        result = plan(
                            suggest_levels(machine, stock, task).choices, machine, stock, task
                        )
                        self.assertEqual(len(result.trial.cells), 24)
                        self.assertEqual(result.refused, ())

    def test_spread_speeds_stay_between_their_ends(self):
        for low, high, steps in ((10, 97, 5), (3, 8, 6), (0.9, 1.3, 4), (120, 480, 7), (5, 5.3, 3)):
            for unit in SPEED_UNITS:
                with self.subTest(low=low, high=high, steps=steps, unit=unit):
                    speeds = spread_speeds(low, high, steps, unit)
                    self.assertEqual(len(set(speeds)), steps)
                    self.assertGreaterEqual(min(speeds), low * (1 - 1e-6))
                    self.assertLessEqual(max(speeds), high * (1 + 1e-6))

    def test_speeds_are_round_in_the_shops_unit(self):
        for speed in suggest_levels(LONG, BIRCH, "cut", speed_unit="mm/min").choices.speed_mm_s:
            self.assertAlmostEqual(speed * 60, round(speed * 60), places=6)

    def test_thicker_stock_gets_more_time(self):
        thin, thick = (
            suggest_levels(LONG, replace(BIRCH, thickness_mm=t, measured_mm=()), "cut").choices
            for t in (3.0, 8.0)
        )
        self.assertGreater(
            max(thick.passes) / max(thick.speed_mm_s), max(thin.passes) / max(thin.speed_mm_s)
        )


class CornerTest(unittest.TestCase):
    def test_mark_lies_in_the_margin_and_never_burns_hotter_than_the_coolest_cell(self):
        trial = cut_trial()
        for line in corner_lines():
            for x, y in line:
                self.assertTrue(0 < x < 9 and 0 < y < 9)
        setting, coolest = trial.label_setting, trial.in_order[0].setting
        self.assertLessEqual(setting.power / setting.speed_mm_s, coolest.power / coolest.speed_mm_s)
        self.assertEqual(setting.passes, 1)
