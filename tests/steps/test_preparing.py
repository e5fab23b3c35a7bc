"""Recipes without a window: what is offered, what a job does with them, what the records say of
what went wrong, and whether another source pays.
"""

import math
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from unittest import mock

import pypdf

from olive_almanac.core.deciding.payback import CutWork, payback
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.entry import Room
from olive_almanac.core.records.job import Job, JobOutcome
from olive_almanac.core.records.recipe import AS_IT_LIES, Recipe, RecipeStep, key_of
from olive_almanac.core.records.run import RunEvent, RunRecord
from olive_almanac.core.records.service import ServiceAct
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Stock
from olive_almanac.formats.library_json import read_library, write_library
from olive_almanac.steps.book import BookPresenter
from olive_almanac.steps.checklist import checks_of
from olive_almanac.steps.find import find_entries
from olive_almanac.steps.preparing import (
    choices_for,
    default_recipes,
    finishing_words,
    preparing_lines,
    recipe_from,
    texts_of_steps,
)
from olive_almanac.steps.where import (
    WhatIf,
    keeping_words,
    need_work,
    reach_words,
    reach_work,
    row_words,
    usual_task,
    what_if_from,
    where_lines,
    where_work,
)
from olive_almanac.steps.worth import worth_words, worth_work
from olive_almanac.steps.wrong import askable, known_signs, wrong_work
from olive_almanac.storage.library import Library
from tests.samples import (
    BIRCH,
    LONG,
    NORTH,
    TAPED,
    kind_plan,
    read_by_energy,
    sample_entry,
    whole_run,
)
from tests.steps.test_job_run import JobRunCase
from tests.steps.test_presenters import SessionCase

GLASS = Stock("Cover glass", "glass", 4.0, (4.0,), opacity="clear", uid="glass-4")


class PreparingCase(SessionCase):
    def setUp(self):
        super().setUp()
        self.fill()
        self.session.shop.keep_stock(BIRCH, "set up")
        self.session.choose(machine=LONG.uid, stock=BIRCH.uid, task="cut")

    def keep(self, **changes):
        entry = sample_entry(machine_uid=LONG.uid, stock_uid=BIRCH.uid, **changes)
        self.session.shop.keep_entry(entry, "chosen", "entry")
        return entry

    def lay_on_desk(self, trial, readings=(), run=None):
        self.session.trials.keep(trial, "decide", "read")
        if run is not None:
            self.session.trials.keep_run(run, "burnt")
        for reading in readings:
            self.session.trials.keep_reading(reading.cell, reading)


class OfferedTest(PreparingCase):
    def test_as_it_lies_then_the_shops_own_then_common_practice(self):
        own = replace(TAPED, name="our tape")
        self.keep(recipe=own)
        found = choices_for(self.session, LONG, BIRCH, "cut")
        self.assertEqual([one.recipe for one in found[:2]], [AS_IT_LIES, own])
        self.assertEqual(found[1].source, "of this shop")
        self.assertTrue(all(one.source == "common practice" for one in found[2:]))
        self.assertEqual(len({one.recipe for one in found}), len(found))

    def test_an_entrys_recipe_goes_before_the_last_coupons(self):
        self.assertEqual(default_recipes(self.session), ())
        self.lay_on_desk(replace(kind_plan("grid").trial, recipes=(TAPED,)))
        self.assertEqual(default_recipes(self.session), (TAPED,))
        own = replace(TAPED, name="our tape")
        self.keep(recipe=own)
        self.assertEqual(default_recipes(self.session), (own,))

    def test_glass_that_was_bought_with_paint_on_needs_nothing_more(self):
        for coating, needs in (("", True), ("black paint", False)):
            stock = replace(GLASS, coating=coating, uid=f"glass {coating}")
            self.session.shop.keep_stock(stock, "set up")
            self.session.shop.change_machine(NORTH, "set up")
            self.session.choose(machine=NORTH.uid, stock=stock.uid, task="engrave")
            with self.subTest(coating):
                self.assertEqual(bool(default_recipes(self.session)), needs)

    def test_a_form_comes_back_as_the_same_recipe(self):
        before, after = texts_of_steps(TAPED)
        base = replace(TAPED, origin="wood-tape")
        self.assertEqual(recipe_from(base.name, before, after, base), base)
        changed = recipe_from("ours", before[1:], after, base)
        self.assertEqual((changed.origin, len(changed.before)), ("", 1))
        self.assertEqual(recipe_from("", (), (), base), AS_IT_LIES)
        with self.assertRaises(OutOfRange):
            recipe_from("  ", before, after, base)
        with self.assertRaises(OutOfRange):
            recipe_from("ours", [{**before[0], "minutes": "soon"}], after, base)

    def test_lines_of_two_recipes_carry_their_letters(self):
        needed = replace(TAPED, before=(replace(TAPED.before[0], needed=True),))
        lines = preparing_lines((AS_IT_LIES, needed))
        self.assertEqual([(one.key, one.words) for one in lines], [("recipe-1-0", "B: Mask")])
        self.assertTrue(lines[0].needed)
        self.assertEqual(finishing_words((TAPED, TAPED)), ("peel (3 min)",))

    def test_an_entrys_recipe_is_changed_undone_and_found(self):
        self.keep()
        book = BookPresenter(self.session)
        self.assertTrue(book.prepare(TAPED))
        self.assertEqual(self.session.entry.recipe, TAPED)
        self.assertFalse(book.prepare(TAPED))  # it is so already
        found = find_entries(self.session.catalogue, "paper tape", self.session.today())
        self.assertEqual([hit.entry.uid for hit in found], [self.session.entry.uid])
        self.session.undo_stack.undo()
        self.assertEqual(self.session.entry.recipe, AS_IT_LIES)

    def test_a_library_carries_recipes_over(self):
        self.keep(recipe=TAPED)
        text = write_library(self.session.library.rows(), ())
        rows, _ = read_library(text, "file")
        other = Library.open(Path(self.folder) / "other")
        self.addCleanup(other.close)
        other.take_in(rows, {})
        (taken,) = other.entries()
        self.assertEqual(taken.recipe, TAPED)


class JobRecipeTest(JobRunCase):
    def setUp(self):
        super().setUp()
        entry = self.session.catalogue.entry_by_uid["cut"]
        self.session.shop.keep_entry(replace(entry, recipe=TAPED), "taped", "entry")

    def test_the_steps_stand_on_the_sheet_and_on_the_runs_checklist(self):
        self.assertEqual(self.jobs.recipes, (TAPED,))
        runner = self.runner()
        keys = [check.key for check in runner.checks(self.sheet)]
        self.assertEqual(keys[:2], ["recipe-0-0", "recipe-0-1"])
        runner.tick(self.sheet, "recipe-0-0", on=True)
        ticked = {check.key: bool(check.ticked) for check in runner.checks(self.sheet)}
        self.assertEqual((ticked["recipe-0-0"], ticked["recipe-0-1"]), (True, False))
        folder = self.write()
        sheet = next(path for path in folder.iterdir() if path.suffix == ".pdf")
        text = "".join(page.extract_text() for page in pypdf.PdfReader(sheet).pages)
        self.assertIn("Mask: paper tape, one layer", text)
        self.assertIn("After it, peel (3 min)", text)

    def test_work_by_hand_is_told_with_its_cost(self):
        self.session.shop.change_machine(replace(LONG, hour_rate=60.0), "rate")
        self.jobs.refresh()
        self.assertRegex(self.jobs.by_hand_words, r"^3 min, 3\.00 ")

    def test_what_comes_of_a_job_proves_its_recipe(self):
        self.jobs.tell_outcome(4, 0)
        proofs = self.session.catalogue.entry_by_uid["cut"].proofs
        self.assertEqual(proofs[-1].recipe, key_of(TAPED))


class KnownTest(PreparingCase):
    def test_what_the_records_say(self):
        self.keep(lot="older")
        self.session.trials.keep_room(Room(21.0, 80.0))
        signs = known_signs(self.session)
        self.assertTrue(signs["lot_new"] and signs["wood"] and signs["damp_room"])
        self.assertFalse(signs["film_on"] or signs["medium_missing"] or signs["changed_lately"])

    def test_a_low_power_reading_and_a_late_change(self):
        act = ServiceAct(
            "a", LONG.uid, "power", "check", "2026-04-13T10:00", watts=40.0, at_percent=100.0
        )
        self.session.shop.keep_act(act, "read")
        changed = replace(LONG, state=2, state_since="2026-04-10")
        self.session.shop.change_machine(changed, "lens")
        self.session.look_up_subject()
        signs = known_signs(self.session)
        self.assertTrue(signs["power_low"] and signs["changed_lately"])

    def test_film_and_missing_medium_by_stock_and_recipe(self):
        acrylic = Stock("Cast acrylic", "acrylic", 3.0, mask="film", uid="acrylic-3")
        for stock in (acrylic, GLASS):
            self.session.shop.keep_stock(stock, "set up")
        self.session.shop.change_machine(NORTH, "set up")
        self.session.choose(machine=LONG.uid, stock=acrylic.uid, task="engrave")
        self.assertTrue(known_signs(self.session)["film_on"])
        self.session.choose(machine=NORTH.uid, stock=GLASS.uid, task="engrave")
        self.assertTrue(known_signs(self.session)["medium_missing"])

    def test_smoke_of_the_run_and_ticks_that_are_missing(self):
        trial = replace(
            kind_plan("grid").trial, recipes=(Recipe("clean", (RecipeStep("clean", "alcohol"),)),)
        )
        run = RunRecord(
            by="machine",
            cells={cell.id: mock.Mock(seen=None, flared=False) for cell in ()},
            events=(RunEvent("smoke", "A1", True),),
            ticks={"focus": "2026-04-14T10:00"},
        )
        from olive_almanac.core.records.run import CellBurn

        run = replace(run, cells={trial.cells[0].id: CellBurn()})
        self.lay_on_desk(trial, run=run)
        signs = known_signs(self.session)
        self.assertTrue(signs["smokes"] and signs["level_unticked"] and signs["clean_unticked"])
        self.assertFalse(signs["focus_unticked"])

    def test_what_a_person_says_wins_and_a_hang_is_answered_first(self):
        trial = kind_plan("grid").trial
        readings = read_by_energy(trial, 2.0)
        readings[0] = replace(readings[0], verdict="hangs")
        self.lay_on_desk(trial, readings)
        (answer,) = wrong_work(self.session, {"back_scorch": True})
        self.assertEqual(answer.causes[0].cause.id, "back_reflects")
        self.assertIsNotNone(answer.one_more)
        self.assertTrue(answer.cell_id)
        (again,) = wrong_work(self.session, {"back_scorch": False})
        self.assertNotEqual(again.causes[0].cause.id, "back_reflects")

    def test_a_coupon_of_another_day_does_not_lie_on_the_bed_any_more(self):
        trial = kind_plan("grid").trial
        readings = read_by_energy(trial, 2.0)
        readings[0] = replace(readings[0], verdict="hangs")
        hung = readings[0].cell
        for day, lies in (("2020-01-31T10:00:00", False), (f"{self.session.today()}T09:00", True)):
            with self.subTest(day):
                self.lay_on_desk(trial, readings, replace(whole_run(trial), started=day))
                (answer,) = wrong_work(self.session, {})
                self.assertEqual(answer.one_more is not None, lies)
                (in_hand,) = wrong_work(self.session, {}, hung)
                self.assertEqual(in_hand.cell_id, hung)

    def test_a_piece_of_the_book_is_answered_where_it_is_said_to_hang(self):
        self.keep(setting=Setting(1.0, 15.0, 1, 1.5))
        (quiet,) = wrong_work(self.session, {})
        self.assertIsNone(quiet.one_more)
        (told,) = wrong_work(self.session, {"hangs": True})
        self.assertIsNotNone(told.one_more)
        self.assertEqual(told.cell_id, "")

    def test_only_signs_that_some_cause_brings_about_are_asked_for(self):
        acrylic = Stock("Clear cast acrylic", "acrylic", 3.0)
        for stock, task, asked, not_asked in (
            (BIRCH, "cut", {"back_scorch", "one_side", "flares"}, {"crack"}),
            (acrylic, "cut", {"foam", "reweld", "crack", "stripes"}, {"rubs_off"}),
            (BIRCH, "engrave", {"darker_all", "uneven"}, {"crack"}),
            (GLASS, "mark", {"patchy", "crack", "rubs_off"}, {"foam"}),
        ):
            with self.subTest(stock=stock.name, task=task):
                keys = [key for key, _ in askable(LONG, stock, task)]
                self.assertEqual(len(set(keys)), len(keys))
                self.assertEqual(asked - set(keys), set())
                self.assertEqual(not_asked & set(keys), set())


class HoldTest(PreparingCase):
    def test_what_holds_the_piece_is_held_against_the_gap_under_the_head(self):
        step = RecipeStep("hold", "magnets", amount="4, 9.5 mm high", reason="lies flat")
        recipe = Recipe("magnets", (step,))
        trial = replace(kind_plan("grid", "cut").trial, recipes=(recipe,))
        self.session.trials.keep(trial, "burn", "planned")
        line = checks_of(self.session)[0]
        texts = {field.key: field.text for field in line.fields(self.session)}
        self.assertEqual(texts["height"], "9.5")
        caught = line.work(self.session, texts)
        self.assertFalse(caught.good)
        self.assertTrue(caught.only_warns)
        self.assertIn("2.5 mm too high. Lay it 10 mm or more from every burn", caught.main)
        clear = line.work(self.session, {**texts, "height": "4"})
        self.assertTrue(clear.good)
        self.assertIn("The head goes over it, 3 mm clear.", clear.lines)
        unsaid = line.work(self.session, {**texts, "height": ""})
        self.assertEqual(unsaid.lines, ("Lies flat.",))


class WhereStepTest(PreparingCase):
    def test_what_is_typed_is_checked(self):
        self.assertEqual(what_if_from(LONG, "power", "80").value, 80.0)
        for kind, text in (("power", "0"), ("power", "much"), ("lens", "9999"), ("thickness", "")):
            with self.subTest(kind), self.assertRaises(OutOfRange):
                what_if_from(LONG, kind, text)

    def test_rows_of_the_shop_with_what_would_be(self):
        rows = self.where_rows(WhatIf(LONG.uid, "power", 120.0))
        machines = len(self.session.catalogue.machines)
        self.assertEqual(len(rows), machines + 1)
        self.assertEqual(rows[-1].what_if, "with 120 W")
        self.assertFalse(rows[-1].to_hand)
        self.assertEqual(len(self.where_rows(WhatIf("gone", "power", 120.0))), machines)

    def test_lenses_in_the_drawer_stand_beside_their_machine(self):
        owner = replace(LONG, lens_focal_mm=50.0, other_lenses_mm=(100.0, 38.0))
        self.session.shop.change_machine(owner, "set up")
        rows = [row for row in self.where_rows() if row.machine.uid == LONG.uid]
        self.assertEqual([row.to_hand for row in rows], [True, True, True])
        self.assertEqual(
            [row.what_if for row in rows], ["", "with its 100 mm lens", "with its 38 mm lens"]
        )
        spots = [row.machine.spot_x_mm / LONG.spot_x_mm for row in rows]
        self.assertAlmostEqual(spots[1], 2.0)
        self.assertIn("spot 0.4 mm, depth 20 mm, 63 dpi", row_words(rows[1]))
        self.assertAlmostEqual(spots[2], 0.76)

    def where_rows(self, *wishes):
        lines = where_lines(self.session, BIRCH, "cut", wishes)
        return list(where_work(self.session, lines, "cut"))

    def test_reach_in_a_sentence(self):
        (first, *_) = reach_work(self.session, LONG)
        self.assertRegex(reach_words(first), r"^\d+ mm: \d+ pass.* a metre, \w+; \d+ mm: ")

    def test_what_a_kind_of_source_takes_to_run(self):
        self.session.shop.change_machine(replace(LONG, hour_rate=14.0), "rate")
        _, told = keeping_words(self.session, "co2")
        self.assertIn("tube for 3,000 h of beam", told)
        self.assertIn("Long Bed: 14.00", told)
        self.assertNotIn("an hour", keeping_words(self.session, "fibre")[1])

    def test_which_kind_to_have(self):
        wishes = [("plywood", "plywood", 3.0, "cut"), ("stainless", "steel", 1.0, "mark")]
        ply, steel = need_work(wishes)
        self.assertTrue(ply.works["co2"] and ply.works["diode"])
        self.assertFalse(ply.works["fibre"])
        self.assertTrue(steel.works["fibre"])
        self.assertIn("a metre", ply.verdicts["co2"])

    def test_glass_is_engraved_ply_is_cut(self):
        self.assertEqual((usual_task(GLASS), usual_task(BIRCH)), ("engrave", "cut"))


class PaybackTest(PreparingCase):
    def job(self, on="2026-03-01", cut_mm=2_000_000.0, **changes):
        outcome = JobOutcome(on, 9, 0, setting=Setting(1.0, 18.0, 1, 1.5), cut_mm=cut_mm, lot="7")
        job = Job(
            "job-1", "dials", "2026-02-01", LONG.uid, BIRCH.uid, "7", "d.svg", "d", "0" * 64,
            outcomes=(outcome,),
        )  # fmt: skip
        self.session.shop.keep_job(replace(job, **changes), "told")

    def test_hours_and_months_by_hand(self):
        """100 h cut, e^0.7 times quicker for certain would save 100 (1 - e^-0.7) = 50.3 h."""
        found = payback([CutWork(360_000.0, 0.7, 5.0)], price=1000.0, hour_worth=40.0)
        self.assertEqual(found.hours_now, 100.0)
        self.assertAlmostEqual(found.hours_saved[1], 100 * -math.expm1(-0.7), delta=1.0)
        self.assertAlmostEqual(found.months[1], 12 * 1000 / (50.3 * 40), delta=0.3)
        self.assertGreaterEqual(found.within_a_year, 0.9)

    def test_stocks_err_together_not_each_for_itself(self):
        many = payback([CutWork(3600.0, 0.7, 5.0)] * 25, price=300, hour_worth=20)
        one = payback([CutWork(25 * 3600.0, 0.7, 5.0)], price=300, hour_worth=20)
        wide = [found.hours_saved[2] - found.hours_saved[0] for found in (many, one)]
        self.assertGreater(wide[0], 0.7 * wide[1])

    def test_no_machine_is_quicker_than_it_moves(self):
        found = payback([CutWork(3600.0, 2.0, 0.1)], price=300, hour_worth=20)
        self.assertLessEqual(found.hours_saved[2], -math.expm1(-0.1) + 1e-9)

    def test_a_makers_figure_widens_the_range(self):
        work = [CutWork(360_000.0, 0.7, 5.0)]
        sure, told = (
            payback(work, price=1000.0, hour_worth=40.0, makers_power=makers)
            for makers in (False, True)
        )
        self.assertGreater(
            told.hours_saved[2] - told.hours_saved[0], sure.hours_saved[2] - sure.hours_saved[0]
        )

    def test_over_the_jobs_of_the_last_year(self):
        self.job()
        wish = WhatIf(LONG.uid, "power", 120.0)
        (found,) = worth_work(self.session, wish, "900", "40")
        self.assertAlmostEqual(found.hours_now, 2_000_000 / 18 / 3600, places=1)
        self.assertGreater(found.hours_saved[1], 0)
        self.assertIn("h of cutting in the last year", worth_words(found, "Long Bed with 120 W"))

    def test_what_cannot_be_told_is_told_in_words(self):
        wish = WhatIf(LONG.uid, "power", 120.0)
        for price, hour in (("", "40"), ("900", "no"), ("-3", "40"), ("900", "0")):
            with self.subTest((price, hour)), self.assertRaises(OutOfRange):
                worth_work(self.session, wish, price, hour)
        with self.assertRaises(OutOfRange) as refused:
            worth_work(self.session, wish, "900", "40")
        self.assertIn("Jobs of the last year", str(refused.exception))
        self.job(on="2024-01-01")  # too long ago
        with self.assertRaises(OutOfRange):
            worth_work(self.session, wish, "900", "40")
        with self.assertRaises(OutOfRange):
            worth_work(self.session, WhatIf(LONG.uid, "thickness", 6.0), "900", "40")

    def test_never_is_said_as_never(self):
        self.job(cut_mm=10.0)
        (found,) = worth_work(self.session, WhatIf(LONG.uid, "power", 120.0), "90000", "40")
        self.assertIn("does not pay within ten years", worth_words(found, "x"))
        self.assertIsInstance(datetime.now(UTC), datetime)
