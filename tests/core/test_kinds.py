"""The kinds of trial: what each varies, what stays the same, how it is laid out, marked, ordered
and timed.
"""

import itertools
import math
import re
import unittest
from dataclasses import replace

import numpy as np

from olive_almanac.core.deciding.outlook import expect
from olive_almanac.core.design.choices import TrialChoices, choices_of, is_hotter
from olive_almanac.core.design.kinds.kind import all_kinds, kind_of, kinds_for, patches_of
from olive_almanac.core.design.levels import ratio_levels
from olive_almanac.core.design.plan import plan_trial, sheet_on_bed
from olive_almanac.core.design.suggest import Known, Neighbour, flare_limit_of, suggest_levels
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.fitting.char import FlareLimit
from olive_almanac.core.motion.program import cell_joules, cell_steps, trial_seconds
from olive_almanac.core.records.entry import Evidence
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Sheet, Stock
from olive_almanac.formats.letters import letters
from tests.samples import (
    ALLOWED,
    BIRCH,
    DAY,
    LEATHER,
    LONG,
    MARKER,
    NORTH,
    PLATE,
    kind_plan,
    read_by_energy,
    sample_entry,
)


def rows_of(trial):
    rows = {}
    for cell in trial.cells:
        rows.setdefault(cell.row, []).append(cell)
    return {row: sorted(cells, key=lambda cell: cell.col) for row, cells in rows.items()}


class RegisteredTest(unittest.TestCase):
    def test_focus_lines_are_twice_as_hot_as_a_label(self):
        trial = kind_plan("focus").trial
        self.assertEqual(trial.cells[0].setting.power, 2 * trial.label_setting.power)
        self.assertEqual(trial.cells[0].setting.speed_mm_s, trial.label_setting.speed_mm_s)

    def test_strips_of_tones_lie_around_the_energy_of_the_plain_grid(self):
        grid = kind_plan("grid", "engrave", NORTH).trial
        strips = kind_plan("recipes", "engrave", NORTH).trial
        middle = np.median([grid.energy_of(cell) for cell in grid.cells])
        energies = [strips.energy_of(cell) for cell in strips.cells]
        self.assertLess(min(energies), middle)
        self.assertGreater(max(energies), middle)
        self.assertGreater(max(energies) / min(energies), 2)

    def test_what_each_kind_has(self):
        def having(fact):
            return {kind.id for kind in all_kinds() if getattr(kind, fact)}

        self.assertEqual(having("shows_edge"), {"grid", "air", "direction", "detail", "weekly"})
        self.assertEqual(having("tells_kerf"), {"kerf", "direction"})

    def test_what_tells_most_is_offered_first_then_from_the_plainest_on(self):
        self.assertEqual([kind.id for kind in kinds_for("cut")[:2]], ["next", "grid"])
        self.assertEqual(kinds_for("engrave")[0].id, "grid")
        self.assertEqual(len({kind.place for kind in all_kinds()}), len(all_kinds()))


class OldNoteTest(unittest.TestCase):
    def suggested(self, speed_mm_s):
        noted = sample_entry(
            setting=Setting(0.85, speed_mm_s, 1, 1.5), origin="guess", evidence=Evidence()
        )
        return suggest_levels(LONG, BIRCH, "cut", known=Known(Neighbour(noted, LONG, BIRCH)))

    def test_a_note_is_followed_where_the_physics_can_believe_it(self):
        self.assertIn("from the note in the book", self.suggested(12.0).basis)

    def test_a_note_far_off_either_way_is_told_and_not_followed(self):
        physics = suggest_levels(LONG, BIRCH, "cut").choices
        for speed, word in ((0.5, "more"), (400.0, "less")):
            told = self.suggested(speed)
            self.assertRegex(told.basis, rf"note says [\d.]+ times {word} energy: check its units")
            self.assertEqual(told.choices, physics)


class RefusedTest(unittest.TestCase):
    def test_a_slope_that_is_too_steep_says_which_is_not(self):
        heights = (-2.0, -1.0, 0.0, 1.0, 2.0)
        with self.assertRaisesRegex(OutOfRange, "Slope must be at most") as caught:
            kind_plan("ramp", focus_mm=heights, slope=0.5)
        most = float(re.search(r"at most ([\d.]+)", str(caught.exception))[1])
        kind_plan("ramp", focus_mm=heights, slope=0.98 * most)
        with self.assertRaisesRegex(OutOfRange, "Slope"):
            kind_plan("ramp", focus_mm=heights, slope=1.1 * most)

    def test_a_raster_needs_a_pitch(self):
        for pitch in (0.0, -0.1):
            with self.subTest(pitch), self.assertRaisesRegex(OutOfRange, "Line pitch"):
                kind_plan("grid", "engrave", pitch_mm=(pitch,))

    def test_how_many_factors_vary_is_told(self):
        with self.assertRaisesRegex(OutOfRange, "at most 3.*, not 4"):
            kind_plan("grid", passes=(1, 2), focus_mm=(0.0, 1.0))


class LadderTest(unittest.TestCase):
    def test_one_number_of_passes_is_set_against_each_below_it(self):
        for passes, counts in ((1, [1, 2]), (2, [1, 2]), (3, [1, 2, 3])):
            rows = rows_of(kind_plan("passes", passes=(passes,), speed_mm_s=(60.0,)).trial)
            self.assertEqual([cell.setting.passes for cell in rows[0]], counts)

    def test_the_one_slow_pass_stays_below_what_flares(self):
        thick = replace(BIRCH, thickness_mm=6.0, measured_mm=(6.0,), uid="b6")
        choices = suggest_levels(LONG, thick, "cut", kind="passes").choices
        slow = choices.speed_mm_s[0] / max(choices.passes)
        watts = LONG.watts(choices.power[0])
        self.assertTrue(flare_limit_of(thick).allows(watts, slow, 1))


class ClampTest(unittest.TestCase):
    def test_clamps_of_a_sheet_lie_where_the_sheet_lies(self):
        sheet = Sheet(300.0, 200.0, clamps_mm=((0.0, 10.0, 20.0, 30.0),))
        choices = TrialChoices(
            (0.5,), (10.0,), sheet=sheet, sheet_number=1, sheet_at_mm=(40.0, 7.0)
        )
        on_bed = sheet_on_bed(choices)
        self.assertEqual(on_bed.clamps_mm, ((40.0, 17.0, 60.0, 37.0),))
        self.assertEqual((on_bed.x_mm, on_bed.y_mm, on_bed.number), (40.0, 7.0, 1))


class WhatVariesTest(unittest.TestCase):
    def test_a_passes_ladder_puts_the_same_energy_beside_it(self):
        rows = rows_of(kind_plan("passes", passes=(1, 2, 3, 4), speed_mm_s=(60.0,)).trial)
        self.assertEqual([cell.setting.passes for cell in rows[0]], [1, 2, 3, 4])
        self.assertEqual({cell.setting.speed_mm_s for cell in rows[0]}, {60.0})
        spent = [cell.setting.passes / cell.setting.speed_mm_s for cell in rows[1]]
        for one in spent:
            self.assertAlmostEqual(one, 4 / 60, places=4)
        self.assertEqual(rows[1][0].setting.speed_mm_s, 15)  # one slow pass against four fast ones

    def test_focus_steps_are_lines_both_ways_and_a_ramp_rises_by_its_slope(self):
        steps = kind_plan("focus").trial
        self.assertEqual({cell.mark for cell in steps.cells}, {"line"})
        self.assertEqual(len({cell.setting.focus_mm for cell in steps.cells}), 9)
        ramp = kind_plan("ramp", focus_mm=(-2.0, -1.0, 0.0, 1.0, 2.0), slope=0.1).trial
        starts = [cell.rect_mm[0] for cell in sorted(ramp.cells, key=lambda cell: cell.col)]
        for a, b in itertools.pairwise(starts):
            self.assertAlmostEqual((b - a) * 0.1, 1.0, places=6)

    def test_a_pitch_strip_keeps_the_energy_per_area_also_crossed(self):
        trial = kind_plan("pitch", "engrave").trial
        energies = [trial.energy_of(cell) for cell in trial.cells]
        self.assertLess(max(energies) / min(energies), 1.001)
        self.assertEqual({cell.setting.crosshatch for cell in trial.cells}, {False, True})

    def test_a_grey_strip_has_twelve_steps_or_more_and_is_broken_into_rows(self):
        trial = kind_plan("grey", "engrave").trial
        self.assertGreaterEqual(len(trial.cells), 12)
        self.assertEqual(len({cell.setting.power for cell in trial.cells}), len(trial.cells))
        self.assertGreater(len({cell.rect_mm[1] for cell in trial.cells}), 1)

    def test_kerf_combs_and_stacks_lie_both_ways(self):
        trial = kind_plan("kerf").trial
        for direction, side in (("x", 2), ("y", 3)):
            slots = [
                cell
                for cell in trial.cells
                if cell.mark == "comb" and cell.setting.direction == direction
            ]
            self.assertEqual(
                [cell.rect_mm[side] for cell in slots], [cell.nominal_mm for cell in slots]
            )
            self.assertEqual(len({cell.nominal_mm for cell in slots}), 8)
        stacks = [cell for cell in trial.cells if cell.mark == "stack"]
        self.assertEqual({cell.setting.direction for cell in stacks}, {"x", "y"})
        self.assertEqual({max(cell.rect_mm[2:]) / cell.nominal_mm for cell in stacks}, {6.0})

    def test_detail_is_engraved_along_the_direction_of_its_setting_and_crossed(self):
        joules = {}
        for way, crossed in (("x", False), ("y", False), ("x", True)):
            cell = kind_plan("detail", "engrave", crosshatch=crossed).trial.cells[0]
            cell = replace(cell, setting=replace(cell.setting, direction=way))
            steps = cell_steps(cell, LONG)
            self.assertEqual([step.along_y for step in steps], list(cell.setting.raster_ways))
            x, y, w, h = cell.rect_mm
            for step in steps:
                left, low, right, high = step.box_mm
                self.assertTrue(x <= left < right <= x + w + 1e-9)
                self.assertTrue(y <= low < high <= y + h + 1e-9)
            joules[way, crossed] = cell_joules(cell, LONG)
        self.assertAlmostEqual(joules["y", False] / joules["x", False], 1.0, delta=0.1)
        both = joules["x", False] + joules["y", False]
        self.assertAlmostEqual(joules["x", True] / both, 1.0, delta=0.02)

    def test_a_confirm_run_burns_the_engraving_as_the_entry_has_it(self):
        plain = kind_plan("confirm", "engrave")
        for way, crossed in (("y", False), ("x", True), ("x", False)):
            entry = Setting(0.4, 150.0, 2, pitch_mm=0.1, direction=way, crosshatch=crossed)
            choices = choices_of(plain.trial)
            choices, _ = kind_of("confirm").resumed(choices, entry, None, "")
            patches = patches_of(LONG, BIRCH, "engrave", choices).patches
            self.assertEqual({patch.setting for patch in patches}, {entry})

    def test_direction_air_detail_and_weekly(self):
        ways = rows_of(kind_plan("direction").trial)
        self.assertTrue(
            all(cell.rect_mm[2] > cell.rect_mm[3] for cell in ways[0])
            and all(cell.rect_mm[2] < cell.rect_mm[3] for cell in ways[1])
        )
        self.assertEqual(
            [cells[0].setting.air for _, cells in sorted(rows_of(kind_plan("air").trial).items())],
            ["off", "low", "full"],
        )
        self.assertEqual(
            {cell.mark for cell in kind_plan("detail", "engrave").trial.cells}, {"detail"}
        )
        speeds = sorted(cell.setting.speed_mm_s for cell in kind_plan("weekly").trial.cells)
        for a, b in itertools.pairwise(speeds):
            self.assertAlmostEqual(b / a, 1.08, delta=0.02)

    def test_a_confirm_run_is_spread_over_the_sheet_clear_of_clamps(self):
        sheet = Sheet(500, 300, clamps_mm=((0, 0, 40, 40),))
        trial = kind_plan("confirm", repeats=4, sheet=sheet, sheet_number=0).trial
        self.assertEqual(len({cell.setting for cell in trial.cells}), 1)
        corners = [cell.rect_mm[:2] for cell in trial.cells]
        self.assertGreater(min(math.dist(a, b) for a, b in itertools.combinations(corners, 2)), 150)

    def test_a_third_factor_repeats_and_a_fourth_is_refused(self):
        trial = kind_plan(
            "grid",
            up="passes",
            across="focus",
            passes=(1, 2),
            focus_mm=(0.0, 1.0),
            power=(0.5, 1.0),
            speed_mm_s=(30.0,),
        ).trial
        self.assertEqual(len(trial.cells), 8)
        self.assertEqual(
            {cell.id for cell in trial.cells if cell.setting.power == 1.0},
            {"A1-2", "A2-2", "B1-2", "B2-2"},
        )
        with self.assertRaisesRegex(OutOfRange, "at most 3"):
            kind_plan("grid", passes=(1, 2), focus_mm=(0.0, 1.0))

    def test_kinds_are_offered_only_where_they_make_sense(self):
        self.assertNotIn("kerf", [kind.id for kind in kinds_for("engrave")])
        self.assertNotIn("grey", [kind.id for kind in kinds_for("cut")])
        with self.assertRaisesRegex(OutOfRange, "line-pitch strip"):
            kind_plan("pitch", "cut")

    def test_levels_by_ratio(self):
        self.assertEqual([round(v, 3) for v in ratio_levels(10, 80, 4)], [10, 20, 40, 80])
        with self.assertRaisesRegex(OutOfRange, "by ratio"):
            ratio_levels(-1, 4, 3)

    def test_choices_lead_back_to_the_same_trial(self):
        for kind, tasks in ((one.id, one.tasks) for one in all_kinds()):
            trial = kind_plan(kind, tasks[0]).trial
            self.assertEqual(choices_of(trial).kind, kind)
            self.assertEqual(choices_of(trial).place, (trial.on_sheet.x_mm, trial.on_sheet.y_mm))


class LayoutTest(unittest.TestCase):
    def test_labels_and_marks_keep_clear_of_cells_and_of_each_other(self):
        speeds = (58.3, 81.7, 105.0, 128.3, 151.7, 175.0)
        per_minute = {"speed_unit": "mm/min", "speed_mm_s": speeds}
        glass = Stock("Glass", "glass", 3.0)
        for kind, task, machine, stock, more in (
            ("grid", "cut", LONG, BIRCH, {}),
            ("grey", "engrave", LONG, BIRCH, {}),
            ("kerf", "cut", LONG, BIRCH, {}),
            ("air", "score", NORTH, LEATHER, {}),
            ("direction", "cut", LONG, BIRCH, {}),
            ("grid", "mark", MARKER, PLATE, {}),
            ("grid", "engrave", NORTH, glass, per_minute),  # words wider than their columns
        ):
            trial = kind_plan(kind, task, machine, stock, **more).trial
            boxes = [
                (
                    "cell " + c.id,
                    (*c.rect_mm[:2], c.rect_mm[0] + c.rect_mm[2], c.rect_mm[1] + c.rect_mm[3]),
                )
                for c in trial.cells
            ]
            for label in trial.labels:
                x, y = label.at_mm
                boxes.append(
                    (
                        "label " + label.text,
                        (
                            x,
                            y,
                            x + letters().width(label.text, label.height_mm),
                            y + label.height_mm,
                        ),
                    )
                )
            for mark in trial.fiducials:
                (x, y), half = mark.centre_mm, mark.size_mm / 2 + 1
                boxes.append((f"mark {mark.id}", (x - half, y - half, x + half, y + half)))
            with self.subTest(kind=kind, task=task):
                self.assertGreater(len(trial.labels), 3)
                for (name, a), (other, b) in itertools.combinations(boxes, 2):
                    apart = (
                        a[2] <= b[0] + 1e-6
                        or b[2] <= a[0] + 1e-6
                        or a[3] <= b[1] + 1e-6
                        or b[3] <= a[1] + 1e-6
                    )
                    self.assertTrue(apart, (name, a, other, b))
                for name, (left, low, right, high) in boxes:
                    self.assertTrue(
                        left >= 0
                        and low >= 0
                        and right <= trial.coupon.width_mm
                        and high <= trial.coupon.height_mm,
                        name,
                    )

    def test_labels_are_burnt_gently_and_as_the_operator_says(self):
        trial = kind_plan("grid").trial
        quiet, coolest = trial.label_setting, min(trial.energy_of(cell) for cell in trial.cells)
        self.assertLess(LONG.watts(quiet.power) / quiet.speed_mm_s, coolest)
        chosen = kind_plan("grid", label_power=0.2, label_speed_mm_s=80.0).trial.label_setting
        self.assertEqual((chosen.power, chosen.speed_mm_s), (0.2, 80.0))
        self.assertGreater(
            kind_plan("grid", stock=LEATHER).trial.labels[0].height_mm, trial.labels[0].height_mm
        )  # coarser stock

    def test_stock_that_cannot_show_marks_gets_none_and_says_so(self):
        clear = Stock("Clear cast acrylic", "acrylic", 3.0, opacity="clear")
        plan = kind_plan("grid", stock=clear)
        self.assertEqual(plan.trial.fiducials, ())
        self.assertIn("No photo marks", plan.remarks[-1])
        self.assertEqual(len(kind_plan("grid").trial.fiducials), 4)

    def test_turning_lays_the_long_side_the_other_way(self):
        plain, turned = kind_plan("grid"), kind_plan("grid", turned=True)
        self.assertGreater(plain.trial.coupon.width_mm, plain.trial.coupon.height_mm)
        self.assertLess(turned.trial.coupon.width_mm, turned.trial.coupon.height_mm)
        self.assertEqual(
            {c.id: c.setting for c in plain.trial.cells},
            {c.id: c.setting for c in turned.trial.cells},
        )
        self.assertEqual((plain.up, plain.across), (turned.across, turned.up))

    def test_neighbours_of_the_same_energy_do_not_follow_each_other(self):
        trial = kind_plan("grid", power=(0.9, 0.95, 1.0), speed_mm_s=(30.0, 31.0, 32.0, 33.0)).trial
        steps = [
            math.dist(a.rect_mm[:2], b.rect_mm[:2]) for a, b in itertools.pairwise(trial.in_order)
        ]
        self.assertGreater(
            np.mean([step > 15 for step in steps]), 0.6
        )  # further than the next cell
        rows = kind_plan("grid", burn_order="rows").trial.in_order
        self.assertEqual([cell.id for cell in rows[:3]], ["A1", "A2", "A3"])

    def test_energy_stays_below_the_flare_limit_of_the_stock(self):
        limit = flare_limit_of(BIRCH).most_j_mm(60.0, 1)
        plan = kind_plan("grid", power=(1.0,), speed_mm_s=(60 / limit * 0.9, 60 / limit * 1.1))
        self.assertEqual([one.cell.id for one in plan.refused], ["A1"])
        self.assertIn("expected to flare up", plan.refused[0].why)
        self.assertTrue(plan.refused[0].expected)

    def test_hotter_by_an_act_of_its_own_burns_what_is_expected_to_flare_low_energy_first(self):
        limit = flare_limit_of(BIRCH).most_j_mm(60.0, 1)
        hot = {"power": (1.0,), "speed_mm_s": (60 / limit * 0.9, 60 / limit * 1.1)}
        plan = kind_plan("grid", **hot, hotter=True, burn_order="rows")
        self.assertEqual((plan.refused, len(plan.trial.cells)), ((), 2))
        energies = [60 / cell.setting.speed_mm_s for cell in plan.trial.in_order]
        self.assertEqual(energies, sorted(energies))
        self.assertIn("stop at the first flare", plan.remarks[0])
        self.assertTrue(is_hotter(plan.trial))
        self.assertTrue(choices_of(plan.trial).hotter)
        self.assertFalse(is_hotter(kind_plan("grid").trial))

    def test_what_flared_is_never_planned_again_however_hot(self):
        seen = FlareLimit(4.0, ((5.0, 1),))
        self.assertAlmostEqual(seen.slowest(60.0, 1), 60 / 4 - 1.5)
        self.assertAlmostEqual(seen.known.most_j_mm(60.0, 1), 0.98 * 5.0)
        self.assertEqual(FlareLimit(4.0).known.most_j_mm(60.0, 3), float("inf"))
        choices = suggest_levels(LONG, BIRCH, "cut").choices
        choices = replace(choices, power=(1.0,), speed_mm_s=(12.5, 10.0), hotter=True)
        plan = plan_trial(
            LONG,
            BIRCH,
            "cut",
            choices,
            permission=ALLOWED,
            trial_id="t",
            name="T",
            made=DAY,
            limit=seen,
        )
        self.assertEqual([60 / one.cell.setting.speed_mm_s for one in plan.refused], [6.0])
        self.assertFalse(plan.refused[0].expected)
        seen = kind_plan("grid", power=(1.0,), speed_mm_s=(20.0, 30.0)).trial
        low = flare_limit_of(BIRCH, [(seen, [Reading("A2", None, char=3, defects=("flare",))])])
        self.assertLessEqual(low.most_j_mm(60.0, 1), 0.98 * 60 / 30 + 1e-9)

    def test_time_and_cost(self):
        trial = kind_plan("grid").trial
        self.assertAlmostEqual(trial.seconds, trial_seconds(trial, letters()), places=2)
        self.assertIsNone(trial.cost)
        dear = kind_plan(
            "grid", machine=replace(LONG, hour_rate=36.0), stock=replace(BIRCH, price_m2=20.0)
        ).trial
        area = dear.coupon.width_mm * dear.coupon.height_mm / 1e6
        self.assertAlmostEqual(dear.cost, dear.seconds / 100 + 20 * area, places=3)


class SuggestBasisTest(unittest.TestCase):
    def test_says_what_it_is_based_on_and_moves_with_it(self):
        physics = suggest_levels(LONG, BIRCH, "cut")
        self.assertIn("physics", physics.basis)
        thick = replace(BIRCH, thickness_mm=6.0, measured_mm=())
        book = suggest_levels(
            LONG, thick, "cut", known=Known(Neighbour(sample_entry(), LONG, BIRCH))
        )
        self.assertIn("Birch ply 3.0 mm", book.basis)
        trial = kind_plan("grid").trial
        zoomed = suggest_levels(
            LONG, BIRCH, "cut", known=Known(pairs=[(trial, read_by_energy(trial, 1.9))])
        )
        self.assertIn("24 cells", zoomed.basis)
        low, high = zoomed.choices.speed_mm_s[0], zoomed.choices.speed_mm_s[-1]
        self.assertTrue(
            low < 60 / 1.9 < high and high / low < 2
        )  # the edge lies inside a narrow range

    def test_the_outlook_draws_the_edge_where_the_readings_put_it(self):
        trial = kind_plan("grid", speed_mm_s=(20.0, 25.0, 30.0, 35.0, 40.0)).trial
        outlook = expect(trial, [(trial, read_by_energy(trial, 1.9))])
        self.assertEqual(outlook.cells_read, len(trial.cells))
        top = max(outlook.edges[0], key=lambda point: point[1])
        by_speed = {cell.setting.speed_mm_s: cell.rect_mm[0] + 5 for cell in trial.cells}
        self.assertTrue(by_speed[25.0] < top[0] < by_speed[35.0])  # 60 W at 31.6 mm/s: 1.9 J/mm
        self.assertEqual(outlook.expected["A5"], "not_through")
        self.assertIn("physics", "physics" if expect(trial).cells_read == 0 else "")


class ChoicesTest(unittest.TestCase):
    def test_a_kind_that_is_not_known_is_told_with_the_known_ones(self):
        with self.assertRaisesRegex(
            OutOfRange, "Kind of trial must be one of next, grid, passes.*spiral"
        ):
            patches_of(LONG, BIRCH, "cut", replace(TrialChoices((1.0,), (10.0,)), kind="spiral"))

    def test_bad_choices_name_the_field(self):
        for field, changes in (
            ("Repeats", {"repeats": 0}),
            ("Slope", {"slope": 0.0}),
            ("Free edge", {"edge_mm": -1.0}),
            ("Factors of the grid", {"across": "power"}),
            ("Levels of air", {"air": ()}),
        ):
            with self.subTest(field), self.assertRaisesRegex(OutOfRange, field):
                replace(TrialChoices((1.0,), (10.0,)), **changes)
