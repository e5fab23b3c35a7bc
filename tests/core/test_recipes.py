"""Recipes: what makes another one, what they are proposed for, how they are compared."""

import json
import math
import unittest
from dataclasses import replace

import numpy as np

from olive_almanac.core.deciding.cut_knowledge import know_cut
from olive_almanac.core.deciding.recipes import (
    RecipeDifference,
    can_tell,
    compare_recipes,
    fit_cut_recipes,
    recipe_cells,
    recipe_levels,
    tones_told_beforehand,
)
from olive_almanac.core.deciding.weekly import follow_checks
from olive_almanac.core.design.choices import choices_of
from olive_almanac.core.design.plan import plan_trial
from olive_almanac.core.design.suggest import Known, suggest_levels
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.fitting.cut import case_of
from olive_almanac.core.fitting.recipes import by_recipe, shift_prior
from olive_almanac.core.fitting.tone import tone_data_of
from olive_almanac.core.fitting.transfer import NO_KIN_SD, transfer_between
from olive_almanac.core.materials.catalogue import Permission
from olive_almanac.core.materials.families import FAMILIES
from olive_almanac.core.materials.proposals import barred_in_recipe, proposals_for, with_recipe
from olive_almanac.core.records.entry import Entry, Proof, state_of
from olive_almanac.core.records.plain import from_plain, to_plain
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.recipe import (
    AS_IT_LIES,
    Recipe,
    RecipeStep,
    key_of,
    key_words,
    recipes_apart,
)
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Trial
from olive_almanac.formats.catalogue import load_catalogue, load_proposals
from olive_almanac.formats.station_files import read_trial, write_trial
from olive_almanac.standins.bench import StandInBench
from olive_almanac.standins.prepared import prepared
from tests.samples import ALLOWED, BIRCH, DAY, LONG, NORTH, TAPED, kind_plan, read_by_energy

GLASS = Stock("Cover glass", "glass", 4.0, (4.0,), opacity="clear", uid="glass-4")
ON_TAPE = Recipe(
    "glass under tape",
    (
        RecipeStep("clean", "alcohol"),
        RecipeStep("medium", "dark masking tape", "one layer", needed=True),
    ),
    (RecipeStep("peel", minutes=2.0), RecipeStep("wait", minutes=5.0)),
)


class KeyTest(unittest.TestCase):
    def test_minutes_tools_and_what_comes_after_make_no_other_recipe(self):
        slower = replace(
            TAPED,
            before=tuple(replace(step, minutes=9.0, tool="roller") for step in TAPED.before),
            after=(),
        )
        self.assertEqual(key_of(slower), key_of(TAPED))
        self.assertEqual(recipes_apart(slower, TAPED), (0.0, ()))

    def test_another_amount_side_or_step_does(self):
        mask, support = TAPED.before
        for before in (
            (replace(mask, amount="two layers"), support),
            (replace(mask, side="both"), support),
            (mask,),
            (mask, support, RecipeStep("nozzle", "wide")),
        ):
            with self.subTest(before):
                self.assertNotEqual(key_of(replace(TAPED, before=before)), key_of(TAPED))

    def test_cleaning_counts_only_where_it_is_needed(self):
        clean = RecipeStep("clean", "alcohol")
        self.assertEqual(key_of(Recipe("clean", (clean,))), ())
        self.assertEqual(len(key_of(Recipe("clean", (replace(clean, needed=True),)))), 1)

    def test_doubts_of_steps_add_up_in_squares(self):
        sd, kinds = recipes_apart(TAPED, AS_IT_LIES)
        self.assertEqual(kinds, ("mask", "support"))
        self.assertAlmostEqual(sd, math.hypot(0.10, 0.08))

    def test_in_words(self):
        self.assertEqual(TAPED.line, "paper tape, pins; then peel")
        self.assertEqual(ON_TAPE.line, "alcohol, dark masking tape; then peel")  # waits left out
        self.assertEqual(key_words(key_of(TAPED)), "paper tape, pins")
        self.assertEqual(key_words(()), "bare")
        self.assertEqual(TAPED.before[0].words, "mask: paper tape, one layer")

    def test_steps_are_checked(self):
        for make in (
            lambda: RecipeStep("paint", "red"),
            lambda: RecipeStep("mask", "tape", side="left"),
            lambda: RecipeStep("peel", minutes=-1.0),
            lambda: Recipe("wrong way", before=(RecipeStep("peel"),)),
            lambda: Recipe("wrong way", after=(RecipeStep("mask"),)),
            lambda: Recipe(""),
            lambda: Recipe("long", before=(RecipeStep("clean"),) * 21),
        ):
            with self.assertRaises(OutOfRange):
                make()

    def test_round_trip_and_only_what_is_said_is_written(self):
        plain = to_plain(ON_TAPE)
        self.assertEqual(from_plain(Recipe, json.loads(json.dumps(plain))), ON_TAPE)
        self.assertEqual(plain["before"][0], {"kind": "clean", "what": "alcohol"})


class ProposalsTest(unittest.TestCase):
    def test_at_least_forty_for_families_that_there_are(self):
        proposals = load_proposals()
        self.assertGreaterEqual(len(proposals), 40)
        self.assertEqual({f for one in proposals for f in one.families} - set(FAMILIES), set())
        self.assertEqual(len({one.recipe.origin for one in proposals}), len(proposals))

    def test_none_lays_on_what_must_not_burn(self):
        for one in load_proposals():
            self.assertIsNone(barred_in_recipe(load_catalogue(), one.recipe), one.recipe.name)

    def test_a_needed_one_comes_first_and_only_where_it_is_needed(self):
        blue = proposals_for(load_proposals(), NORTH, GLASS, "engrave")
        self.assertTrue(blue[0].is_needed)
        self.assertIn("tape", blue[0].recipe.name)
        far = proposals_for(load_proposals(), LONG, GLASS, "engrave")
        self.assertFalse(any(one.is_needed for one in far))

    def test_paper_and_film_by_how_it_was_bought(self):
        acrylic = Stock("Cast acrylic", "acrylic", 3.0, mask="film")
        names = [one.recipe.name for one in proposals_for(load_proposals(), LONG, acrylic, "cut")]
        self.assertNotIn("its paper stays", names)
        papered = replace(acrylic, mask="paper")
        names = [one.recipe.name for one in proposals_for(load_proposals(), LONG, papered, "cut")]
        self.assertIn("its paper stays", names)

    def test_clear_and_mirrored_stock_has_recipes_of_its_own(self):
        for machine, opacity, name in (
            (NORTH, "clear", "dark medium for a blue beam"),
            (NORTH, "translucent", "dark medium for a blue beam"),
            (LONG, "mirror", "mirror acrylic, back up"),
        ):
            for look in ("opaque", "clear", "translucent", "mirror"):
                stock = Stock("Cast sheet", "acrylic", 3.0, opacity=look)
                found = proposals_for(load_proposals(), machine, stock, "engrave")
                names = [one.recipe.name for one in found]
                is_its_kind = look == opacity or {look, opacity} == {"clear", "translucent"}
                self.assertEqual(name in names, is_its_kind, look)

    def test_a_vinyl_mask_bars_the_burn(self):
        vinyl = Recipe("stencil", (RecipeStep("mask", "vinyl film"),))
        found = with_recipe(load_catalogue(), Permission(True), vinyl)
        self.assertTrue(found.barred)
        self.assertIn("vinyl film", found.reason)
        self.assertTrue(with_recipe(load_catalogue(), Permission(True), TAPED).allowed)
        refused = Permission(False, "no")
        self.assertIs(with_recipe(load_catalogue(), refused, TAPED), refused)


class EvidenceTest(unittest.TestCase):
    def test_another_recipe_is_kin_with_its_word(self):
        found = transfer_between(LONG, BIRCH, LONG, BIRCH, AS_IT_LIES, TAPED)
        self.assertEqual(found.words, ("another mask", "another support"))
        self.assertAlmostEqual(found.recipe_sd, math.hypot(0.10, 0.08))
        same = transfer_between(LONG, BIRCH, LONG, BIRCH, TAPED, TAPED)
        self.assertEqual((same.words, same.energy_sd), ((), 0.0))

    def test_bare_glass_says_nothing_of_taped_glass(self):
        found = transfer_between(NORTH, GLASS, NORTH, GLASS, ON_TAPE, AS_IT_LIES)
        self.assertGreaterEqual(found.energy_sd, NO_KIN_SD)
        wet = Recipe("wet", (RecipeStep("medium", "wet paper"),))  # not needed: kin, far off
        self.assertAlmostEqual(
            transfer_between(LONG, GLASS, LONG, GLASS, wet, AS_IT_LIES).energy_sd, 0.20
        )

    def test_the_expected_energy_of_a_recipe_moves_the_prior(self):
        bare, taped = case_of(LONG, BIRCH), case_of(LONG, BIRCH, TAPED)
        ratio = taped.prior.removal_j_mm3 / bare.prior.removal_j_mm3
        self.assertAlmostEqual(ratio, math.exp(0.08))
        self.assertEqual(taped.prior.char_j_mm, bare.prior.char_j_mm)

    def test_readings_by_another_recipe_count_less_than_ones_own(self):
        trial = kind_plan("grid").trial
        readings = read_by_energy(trial, 3.0)
        base = {"power": 1.0, "passes": 1, "focus_mm": 1.5}

        def edge(recipes, recipe):
            pairs = [(replace(trial, recipes=recipes), readings)]
            known = know_cut(LONG, BIRCH, pairs, rng=np.random.default_rng(1), recipe=recipe)
            edges = known.edges(**base)
            return float(np.median(edges)), float(edges.std()), known

        own, own_sd, known = edge((TAPED,), TAPED)
        self.assertEqual(known.own, {trial.id})
        kin, kin_sd, known = edge((TAPED,), AS_IT_LIES)
        self.assertEqual(known.own, frozenset())
        self.assertIn("another mask", known.carried[0])
        self.assertGreater(kin_sd, 1.5 * own_sd)
        # what taped stock needs, bare stock is expected to need less: by the proposal's 8 %
        self.assertAlmostEqual(kin - own, 0.08, delta=0.06)

    def test_a_proof_by_another_recipe_is_due(self):
        proofs = tuple(Proof(f"2026-04-0{n}", "passed", recipe=key_of(TAPED)) for n in (1, 2, 3))
        entry = Entry(
            "e", "m", "s", "cut", Setting(1.0, 10.0), "trial", DAY, proofs=proofs, recipe=TAPED
        )
        from datetime import date

        asked = {"today": date(2026, 4, 14), "lot": "", "machine_state": 1}
        self.assertEqual(state_of(entry, **asked)[0], "proven")
        state, why = state_of(replace(entry, recipe=AS_IT_LIES), **asked)
        self.assertEqual(state, "due")
        self.assertEqual(why, "proven with paper tape, pins; bare not yet tried")
        mixed = replace(entry, proofs=(*proofs[:2], replace(proofs[2], recipe=())))
        self.assertEqual(len(mixed.passed_in_a_row), 1)


class SeriesTest(unittest.TestCase):
    def test_a_weekly_check_under_another_mask_is_no_drift(self):
        trial = kind_plan("weekly").trial
        later = replace(trial, id="later", made="2026-04-21")
        pairs = [(trial, read_by_energy(trial, 2.0)), (later, read_by_energy(later, 2.4))]
        bare = follow_checks(pairs)
        self.assertEqual(len({check.series for check in bare}), 1)
        taped = [pairs[0], (replace(later, recipes=(TAPED,)), pairs[1][1])]
        found = follow_checks(taped)
        self.assertEqual(len({check.series for check in found}), 2)


class SideBySideTest(unittest.TestCase):
    def test_a_trial_of_two_recipes_comes_back_from_its_file(self):
        trial = kind_plan("recipes").trial
        self.assertEqual(trial.recipes, (AS_IT_LIES, TAPED))
        self.assertEqual({cell.recipe for cell in trial.cells}, {0, 1})
        again = read_trial(write_trial(trial), "file")[0]
        self.assertEqual((again.recipes, again.cells), (trial.recipes, trial.cells))
        self.assertEqual(choices_of(again).recipes, trial.recipes)

    def test_its_parts_hold_each_recipe_alone(self):
        trial = kind_plan("recipes").trial
        parts = trial.parts()
        self.assertEqual([part.recipes for part in parts], [(AS_IT_LIES,), (TAPED,)])
        self.assertEqual(sum(len(part.cells) for part in parts), len(trial.cells))
        readings = read_by_energy(trial, 2.0)
        for part, told in by_recipe([(trial, readings)]):
            self.assertEqual({one.cell for one in told}, {cell.id for cell in part.cells})

    def test_a_cell_of_no_recipe_of_its_trial_is_refused(self):
        trial = kind_plan("recipes").trial
        cells = (replace(trial.cells[0], recipe=2), *trial.cells[1:])
        with self.assertRaises(OutOfRange):
            replace(trial, cells=cells)
        with self.assertRaises(OutOfRange):
            replace(trial, recipes=(TAPED,) * 5)

    def test_cells_lie_at_each_recipes_own_edge(self):
        hard = replace(TAPED, ln_energy=0.6)
        found = suggest_levels(
            LONG, BIRCH, "cut", kind="recipes", known=Known(recipes=(AS_IT_LIES, hard))
        ).choices
        middle = [
            np.median(
                [
                    s.speed_mm_s
                    for s, at in zip(found.settings, found.prepared, strict=True)
                    if at == which
                ]
            )
            for which in (0, 1)
        ]
        self.assertAlmostEqual(math.log(middle[0] / middle[1]), 0.6, delta=0.12)
        self.assertEqual([found.prepared.count(at) for at in (0, 1)], [4, 4])

    def test_one_recipe_alone_is_nothing_to_compare(self):
        found = suggest_levels(LONG, BIRCH, "cut", kind="recipes", known=Known(recipes=(TAPED,)))
        self.assertEqual(found.choices.settings, ())
        with self.assertRaises(OutOfRange) as refused:
            from olive_almanac.core.design.kinds.kind import patches_of

            patches_of(LONG, BIRCH, "cut", found.choices)
        self.assertEqual(refused.exception.key, "recipes")


def next_coupon(task, pairs):
    """The coupon of two recipes that Plan lays after others."""
    known = Known(recipes=(AS_IT_LIES, TAPED), pairs=pairs)
    choices = suggest_levels(LONG, BIRCH, task, kind="recipes", known=known).choices
    number = f"c{len(pairs)}"
    return plan_trial(
        LONG,
        BIRCH,
        task,
        choices,
        permission=ALLOWED,
        trial_id=number,
        name="C",
        made=DAY,
        settle=True,
    ).trial


class TonesComparedTest(unittest.TestCase):
    """Two recipes of an engraving whose tones are known: 60 - 22 (ln energy - shift), and a band
    that looks right.
    """

    def compared(self, shift, batches=1, *, by_eye=False, power_counts=0.0):
        pairs, middle = [], None
        for _ in range(batches):
            trial = next_coupon("engrave", pairs)
            readings = []
            for part, needs in zip(trial.parts(), (0.0, shift), strict=True):
                data = tone_data_of([(part, [Reading(cell.id, "right") for cell in part.cells])])
                counted = data.log_energy + power_counts * data.log_power
                middle = counted.mean() if middle is None else middle
                for cell, at in zip(part.cells, counted - needs - middle, strict=True):
                    readings.append(self.seen(cell.id, at, by_eye))
            pairs.append((trial, readings))
        return compare_recipes(pairs).differences[0], pairs

    def seen(self, cell, along, by_eye):
        along += self.jitter.normal(0, 0.15) if by_eye else 0.0
        verdict = "right" if abs(along) < 0.25 else ("too_light" if along < 0 else "too_dark")
        return Reading(cell, verdict, lightness=None if by_eye else 45.0 - 22.0 * along)

    def test_a_shift_by_measured_lightness(self):
        for shift in (-0.2, 0.15):
            with self.subTest(shift):
                found, _ = self.compared(shift)
                self.assertAlmostEqual(found.middle, shift, delta=0.03)
                self.assertTrue(found.told)

    def test_by_eye_on_coupons_of_several_powers(self):
        """One scale of energies for both: else the powers make a difference that is none."""
        alike = []
        for seed in range(6):
            self.jitter = np.random.default_rng(seed)
            found, pairs = self.compared(0.0, 2, by_eye=True, power_counts=0.1)
            alike.append(found.middle)
        self.assertGreater(len({trial.cells[0].setting.power for trial, _ in pairs}), 1)
        self.assertLess(np.abs(alike).mean(), 0.08)
        apart, _ = self.compared(0.4, 3, by_eye=True, power_counts=0.1)
        self.assertTrue(apart.told)
        self.assertAlmostEqual(apart.middle, 0.4, delta=0.15)

    def test_strips_are_burnt_at_one_power_and_what_they_tell_is_said(self):
        found = suggest_levels(
            LONG, BIRCH, "engrave", kind="recipes", known=Known(recipes=(AS_IT_LIES, TAPED))
        )
        self.assertEqual(len({one.power for one in found.choices.settings}), 1)
        self.assertIn("by photo", found.basis)
        self.assertRegex(tones_told_beforehand(8, 2, 8), "16 % by photo, of 41 % by eye")
        self.assertRegex(tones_told_beforehand(8, 2, 32), "7.7 % by photo, of 19 % by eye")


class ComparedTest(unittest.TestCase):
    def world(self, need, batches=2, more=0.0):
        """Coupons of two recipes of which the taped one needs so many times the energy."""
        pairs = []
        for _ in range(batches):
            trial = next_coupon("cut", pairs)
            readings = []
            for part, edge in zip(trial.parts(), (2.2, 2.2 * need), strict=True):
                readings += read_by_energy(part, edge, band=0.04)
            pairs.append((trial, readings))
        return pairs

    def test_a_difference_is_found_with_its_range(self):
        found = compare_recipes(self.world(1.25))
        self.assertEqual(found.first, AS_IT_LIES)
        (one,) = found.differences
        self.assertAlmostEqual(one.middle, math.log(1.25), delta=0.06)
        self.assertLess(one.low, math.log(1.25) + 0.03)
        self.assertGreater(one.high, math.log(1.25) - 0.03)
        self.assertTrue(one.told)
        self.assertRegex(found.says[0], r"^Taped face needs \d+ % more energy than as it lies")

    def test_the_other_way_round(self):
        (one,) = compare_recipes(self.world(0.8)).differences
        self.assertLess(one.middle, -0.12)
        self.assertLess(one.more, 0.03)

    def test_what_is_alike_is_not_told_apart(self):
        found = compare_recipes(self.world(1.0))
        (one,) = found.differences
        self.assertFalse(one.told)
        self.assertIn("cannot be told apart yet", found.says[0])
        self.assertIn("less to", found.says[0])

    def test_one_recipe_alone_says_nothing(self):
        trial = kind_plan("grid").trial
        self.assertIsNone(compare_recipes([(trial, read_by_energy(trial, 2.0))]))

    def test_levels_are_the_recipes_of_the_last_trial(self):
        pairs = self.world(1.2, batches=1)
        bare = kind_plan("grid").trial
        levels = recipe_levels([(bare, read_by_energy(bare, 2.2)), *pairs])
        self.assertEqual([level.recipe for level in levels], [AS_IT_LIES, TAPED])
        self.assertEqual(len(levels[0].pairs), 2)  # the grid was burnt bare
        self.assertEqual(len(levels[1].others), 2)

    def test_order_is_told_at_two_sided_five_percent(self):
        told = RecipeDifference(TAPED, 0.1, 0.03, 0.17, 0.976)
        self.assertTrue(told.told)
        self.assertFalse(replace(told, more=0.974).told)
        self.assertTrue(replace(told, more=0.02).told)

    def test_more_cells_tell_smaller_differences(self):
        def told(pairs):
            recipes = (AS_IT_LIES, TAPED)
            parts = by_recipe(pairs)
            own = [[one for one in parts if one[0].recipe == recipe] for recipe in recipes]
            fit = fit_cut_recipes(LONG, BIRCH, recipes, own, particles=800)
            base = Setting(1.0, 1.0, 1, 1.5)
            return [
                can_tell(fit, recipe_cells(fit, base, each, 500.0), base) for each in (2, 8, 16)
            ]

        few, some, many = told([])
        self.assertGreater(few, some)
        self.assertGreater(some, many)
        after = told(self.world(1.2, batches=1))  # cells at edges that are known tell more
        self.assertLess(after[1], 0.6 * some)

    def test_prior_of_a_shift_is_its_proposals(self):
        self.assertEqual(shift_prior(TAPED, AS_IT_LIES).mean, 0.08)
        self.assertGreater(shift_prior(AS_IT_LIES, AS_IT_LIES).sd, 0)


class StandInTest(unittest.TestCase):
    def test_a_medium_makes_clear_glass_take_up_blue_light(self):
        bare = prepared(NORTH, GLASS, AS_IT_LIES, 3)
        taped = prepared(NORTH, GLASS, ON_TAPE, 3)
        self.assertGreater(taped.takes_up, 5 * bare.takes_up)

    def test_the_same_steps_change_the_stock_alike(self):
        again = replace(TAPED, name="our tape", after=())
        self.assertEqual(prepared(LONG, BIRCH, TAPED, 3), prepared(LONG, BIRCH, again, 3))
        self.assertNotEqual(prepared(LONG, BIRCH, TAPED, 3), prepared(LONG, BIRCH, AS_IT_LIES, 3))

    def test_a_coupon_of_two_recipes_burns_each_by_its_own_truth(self):
        trial = kind_plan("recipes").trial
        same = replace(trial, recipes=(AS_IT_LIES, AS_IT_LIES))
        mixed = {one.cell: one.depth_mm for one in StandInBench(3).burn(trial)}
        plain = {one.cell: one.depth_mm for one in StandInBench(3).burn(same)}
        for cell in trial.cells:
            if cell.recipe == 0:
                self.assertEqual(mixed[cell.id], plain[cell.id])
        taped = [cell.id for cell in trial.cells if cell.recipe == 1]
        self.assertNotEqual([mixed[one] for one in taped], [plain[one] for one in taped])

    def test_old_trials_without_recipes_are_read(self):
        trial = kind_plan("grid").trial
        text = write_trial(trial)
        self.assertNotIn('"recipes"', text)
        self.assertEqual(read_trial(text, "file")[0].recipe, AS_IT_LIES)
        self.assertIsInstance(trial, Trial)


if __name__ == "__main__":
    unittest.main()
