"""Recipes in the window: glass under tape from the catalogue to a printed card, two recipes side by
side, the steps ticked at the machine, where and with what, what went wrong.
"""

from dataclasses import replace

import pypdf
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog

from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.recipe import AS_IT_LIES, key_of
from olive_almanac.core.records.run import RunRecord
from olive_almanac.core.records.stock import Stock
from olive_almanac.steps.checklist import checks_of, standing
from olive_almanac.storage.library import Library
from olive_almanac.views.book.where import WhereLine
from olive_almanac.views.finder import Finder
from olive_almanac.views.preview import PreviewDialog
from tests.samples import BIRCH, LONG, MARKER, NORTH, TAPED, cut_trial, read_by_energy, whole_run
from tests.views.qt_case import WindowCase

GLASS = Stock("Cover glass", "glass", 4.0, (4.0,), opacity="clear", lot="1", uid="glass-4")


class RecipeCase(WindowCase):
    def setUp(self):
        super().setUp()
        library = Library.open(self.folder)
        for machine in (LONG, NORTH, MARKER):
            library.save_machine(machine, "set up")
        for stock in (BIRCH, GLASS):
            library.save_stock(stock, "set up")
        self.fill(library)
        library.close()
        self.open()

    def fill(self, library):
        """Hook: what else is in the library."""

    def dialog(self):
        """The dialog that is open."""
        found = [one for one in self.window.findChildren(QDialog) if one.isVisible()]
        self.assertEqual(len(found), 1)
        return found[0]

    def burn_at_once(self, press="Burn on the stand-in"):
        page = self.page()
        self.click(page.pace, self.point(page.pace.width() - 12, 15))
        self.press(press)
        return page

    def burn_and_read(self):
        self.burn_at_once()
        self.wait_for(lambda: self.page().presenter.state == "done")
        self.press("Read the coupon")
        self.read_all()

    def read_all(self):
        """Read every cell as the stand-in's coupon shows it, by keys."""
        session, page = self.session, self.page()
        keys = {
            "free": "T", "push": "H", "hangs": "H", "not_through": "N",
            "too_light": "L", "right": "R", "too_dark": "D", "no_mark": "N",
        }  # fmt: skip
        while page.presenter.left:
            cell = page.presenter.cell.id
            seen = session.active.burnt[cell].seen
            if seen.char == 3:
                self.type("F", page)
                continue
            if seen.char and session.subject.task == "cut":
                self.type(str(seen.char + 1), page)
            self.type(keys[seen.verdict], page)
        return page


class GlassTest(RecipeCase):
    def test_from_the_catalogue_to_a_proven_entry_and_a_printed_card(self):
        self.session.choose(machine=NORTH.uid, stock=GLASS.uid, task="engrave")
        self.alt(Qt.Key.Key_2)
        plan = self.page()
        # what the catalogue says it does not go without is proposed by itself
        self.assertEqual(plan.presenter.recipes[0].name, "glass under tape")
        self.assertIn("dark masking tape", plan.choices.prepared.pickers[0].toolTip())
        for _ in range(4):
            self.write_burn_file()
            self.tick_recipe_by_keys()
            self.burn_and_read()
            self.ctrl(Qt.Key.Key_Return)
            page = self.page()
            self.wait_for(lambda page=page: page.presenter.finished)
            self.settle(80)
            if page.presenter.pick is not None:
                break
            self.press("Plan the next cells")
        self.press("Write into the book")
        entry = self.session.entry
        self.assertEqual(entry.recipe.name, "glass under tape")
        self.assertIn("dark masking tape", self.window_text())
        self.press("Confirm run")
        self.until_suggested()
        self.assertEqual(self.page().presenter.recipes, (entry.recipe,))
        self.retype(self.page().choices.own["sheet_size"], "300 x 200")
        self.wait_for(lambda: self.page().presenter.plan is not None)
        self.settle(120)
        self.write_burn_file()
        self.tick_recipe_by_keys()
        self.burn_and_read()
        self.assertEqual(self.session.state[0], "proven")
        self.assertEqual({p.recipe for p in self.session.entry.proofs}, {key_of(entry.recipe)})
        self.alt(Qt.Key.Key_6)
        self.ctrl(Qt.Key.Key_P)
        preview = self.window.findChild(PreviewDialog)
        self.wait_for(lambda: preview.shown == 1)
        card = preview.path
        preview.reject()
        self.window.activateWindow()
        self.wait_for(self.window.isActiveWindow)
        text = pypdf.PdfReader(card).pages[0].extract_text()
        self.assertIn("glass under tape: ", text)
        self.assertIn("dark masking tape; then peel, wash", text)
        self.ctrl(Qt.Key.Key_K)
        finder = self.window.findChild(Finder)
        self.type("masking tape", finder.field)
        self.assertEqual(finder.model.hits[0].entry.uid, entry.uid)

    def tick_recipe_by_keys(self):
        """Set up with the keyboard alone: the steps of the recipe come first."""
        self.alt(Qt.Key.Key_1)
        checks = checks_of(self.session)
        steps = [check.words for check in checks if check.key.startswith("recipe")]
        self.assertEqual(steps, ["Clean", "Support", "Medium on top"])
        self.type("1")
        for _ in steps:
            self.key(Qt.Key.Key_Space)
        self.assertEqual(
            [key for key in standing(self.session) if "recipe" in key],
            ["recipe-0-0", "recipe-0-1", "recipe-0-2"],
        )
        self.alt(Qt.Key.Key_3)

    def window_text(self):
        from PySide6.QtWidgets import QLabel

        return " ".join(one.text() for one in self.window.findChildren(QLabel) if one.isVisible())

    def test_burn_asks_where_a_needed_step_is_not_ticked(self):
        self.session.choose(machine=NORTH.uid, stock=GLASS.uid, task="engrave")
        self.alt(Qt.Key.Key_2)
        self.write_burn_file()
        page = self.burn_at_once()
        self.assertEqual(page.presenter.state, "")
        self.assertIn("Is it prepared?", self.window_text())
        self.assertIn("dark masking tape", self.window_text())
        self.press("Burn on the stand-in")  # the same key burns all the same
        self.assertIsNotNone(page.presenter.state)

    def test_bare_glass_on_a_co2_beam_needs_nothing(self):
        self.session.choose(machine=LONG.uid, stock=GLASS.uid, task="engrave")
        self.alt(Qt.Key.Key_2)
        self.assertEqual(self.page().presenter.recipes, ())


class ChooseTest(RecipeCase):
    def setUp(self):
        super().setUp()
        self.session.choose(machine=LONG.uid, stock=BIRCH.uid, task="cut")
        self.alt(Qt.Key.Key_2)
        self.plan = self.page()

    def test_a_recipe_is_chosen_and_its_steps_changed_by_keys(self):
        self.choose_word(self.plan.choices.prepared.pickers[0], "taped face")
        self.until_suggested()
        self.assertEqual(self.plan.presenter.plan.trial.recipe.name, "taped face")
        self.choose_word(self.plan.choices.prepared.pickers[0], "change its steps")
        dialog = self.dialog()
        self.retype(dialog.name, "our tape")
        drops = [one for one in dialog.findChildren(type(dialog.keep)) if one.text() == "Drop"]
        self.click(drops[0])
        self.assertNotIn("dust", dialog.told.text())
        self.click(dialog.keep)
        self.until_suggested()
        recipe = self.plan.presenter.plan.trial.recipe
        self.assertEqual((recipe.name, recipe.origin), ("our tape", ""))
        self.assertEqual(recipe.before[0].kind, "mask")

    def test_what_is_wrong_with_a_step_is_told_where_it_is_typed(self):
        self.choose_word(self.plan.choices.prepared.pickers[0], "change its steps")
        dialog = self.dialog()
        self.click(self.button("Add a step", dialog))
        fields = {one.accessibleName(): one for one in dialog.findChildren(type(dialog.name))}
        self.type("ten", fields["Minutes of step 1"])
        self.assertFalse(dialog.keep.isEnabled())
        self.assertIn("Minutes", dialog.told.text())
        self.retype(fields["Minutes of step 1"], "10")
        self.retype(dialog.name, "")
        self.assertIn("Name of the recipe", dialog.told.text())
        self.key(Qt.Key.Key_Escape, widget=dialog)
        self.assertEqual(self.plan.presenter.recipes, ())

    def test_a_mask_that_must_not_burn_is_refused_in_words(self):
        from olive_almanac.core.records.recipe import Recipe, RecipeStep

        vinyl = Recipe("stencil", (RecipeStep("mask", "vinyl film"),))
        self.plan.presenter.prepare(0, vinyl)
        self.until_suggested()
        self.assertIsNone(self.plan.presenter.plan)
        self.assertFalse(self.plan.short.write.isEnabled())

    def test_two_recipes_are_compared_on_the_stand_in(self):
        self.choose_word(self.plan.choices.kind, "recipes")
        self.until_suggested()
        prepared = self.plan.choices.prepared
        self.assertEqual(len(prepared.pickers), 2)
        self.press("Compare one more")
        self.until_suggested()
        self.assertEqual(len(prepared.pickers), 3)
        self.choose_word(prepared.pickers[2], "leave it out")
        self.until_suggested()
        self.assertEqual(
            [one.name for one in self.plan.presenter.recipes], ["as it lies", "taped face"]
        )
        self.assertIn("is told in four of five cases", self.plan.short.basis.text())
        self.write_burn_file()
        self.burn_and_read()
        self.assertRegex(self.page().now.text(), r"^Cell \w+: (as it lies|taped face)$")
        self.ctrl(Qt.Key.Key_Return)
        page = self.page()
        self.wait_for(lambda: page.presenter.finished)
        self.settle(80)
        compared = page.presenter.found["recipes"]
        self.assertEqual(compared.cells, (4, 4))
        self.press("Compare on")  # a second coupon at the edges that the first has shown
        again = self.page().presenter
        self.wait_for(lambda: again.plan is not None)
        self.assertEqual(
            [one.name for one in again.plan.trial.recipes], ["as it lies", "taped face"]
        )
        self.alt(Qt.Key.Key_5)
        self.wait_for(lambda: self.page().presenter.finished)
        page = self.page()
        self.assertTrue(page.recipes.isVisible())
        self.assertIn("taped face", page.recipes.accessibleName())
        self.choose_word(page.recipe, "as it lies")
        self.wait_for(lambda: page.presenter.finished)
        self.settle(80)
        self.assertEqual(page.presenter.decision.recipe, AS_IT_LIES)
        self.assertEqual(self.clipped(), [])


class ReadCase(RecipeCase):
    trial = cut_trial()

    def fill(self, library):
        library.save_trial(self.trial, "decide", "read")
        library.save_run(self.trial.id, whole_run(self.trial), "burnt")
        library.save_readings(self.trial.id, read_by_energy(self.trial, 2.2), "read")

    def setUp(self):
        super().setUp()
        self.session.choose(machine=LONG.uid, stock=BIRCH.uid, task="cut")


class WhereTest(ReadCase):
    def open_where(self):
        self.alt(Qt.Key.Key_6)
        self.ctrl(Qt.Key.Key_M)
        dialog = self.dialog()
        self.wait_for(lambda: len(dialog.rows) == 3)
        self.settle(80)
        return dialog

    def lines(self, dialog):
        return [one for one in dialog.findChildren(WhereLine) if one.isVisible()]

    def test_machines_side_by_side_and_enter_takes_one(self):
        dialog = self.open_where()
        states = {line.row.machine.name: line.row.state for line in self.lines(dialog)}
        self.assertEqual(states["Marker"], "cannot")
        self.assertEqual(states["Long Bed"], "reckoned")
        line = next(one for one in self.lines(dialog) if one.row.machine.name == "North Bench")
        self.assertRegex(line.accessibleName(), r"North Bench 10 W: Reckoned, .*pass")
        line.setFocus()
        self.key(Qt.Key.Key_Space, widget=line)
        self.assertEqual(self.session.subject.machine.uid, NORTH.uid)

    def test_what_if_there_were_a_stronger_head_or_another_lens(self):
        dialog = self.open_where()
        self.choose_word(dialog.whose, "North")
        self.retype(dialog.much, "20")
        self.key(Qt.Key.Key_Return, widget=dialog.much)
        self.wait_for(lambda: len(dialog.rows) == 4)
        by_words = {row.what_if: row for row in dialog.rows}
        north = next(r for r in dialog.rows if r.machine.uid == NORTH.uid and not r.what_if)
        self.assertLess(by_words["with 20 W"].seconds, north.seconds)
        self.choose_word(dialog.what, "another lens")
        self.retype(dialog.much, "100")
        self.click(self.button("What if", dialog))
        self.wait_for(lambda: len(dialog.rows) == 5)
        self.assertTrue(any("depth" in row.optics for row in dialog.rows))
        self.retype(dialog.much, "much")
        self.click(self.button("What if", dialog))
        self.assertIn("Focal length", dialog.told.text())
        self.click(dialog.drop)
        self.wait_for(lambda: len(dialog.rows) == 4)

    def test_up_to_what_thickness_with_the_page_to_hang_up(self):
        dialog = self.open_where()
        self.click(dialog.leaf, self.point(dialog.leaf.width() / 2, 14))
        self.wait_for(lambda: dialog.reaches)
        self.wait_for(lambda: dialog.print.isEnabled())
        self.click(dialog.print)
        preview = self.window.findChild(PreviewDialog)
        page = pypdf.PdfReader(preview.path).pages[0].extract_text()
        self.assertIn("What Long Bed", page)
        self.assertIn("Birch ply", page)
        self.assertRegex(page, r"mm: \d+ pass")

    def test_which_kind_of_machine_for_what_one_wants_to_make(self):
        dialog = self.open_where()
        self.click(dialog.leaf, self.point(dialog.leaf.width() - 12, 14))
        self.choose_word(dialog.family, "stainless")
        self.retype(dialog.thick, "1")
        self.choose_word(dialog.need_task, "mark")
        self.click(self.button("Add it", dialog))
        self.wait_for(lambda: dialog.table.count() >= 2 + 2 * len(dialog.needs))
        from PySide6.QtWidgets import QLabel

        told = " ".join(one.text() for one in dialog.findChildren(QLabel))
        self.assertIn("stainless", told)
        self.assertIn("Takes up too little of a beam", told)  # ply on a fibre
        self.retype(dialog.thick, "thick")
        self.click(self.button("Add it", dialog))
        self.assertIn("Thickness", dialog.need_told.text())


class EmptyShopTest(WindowCase):
    def test_an_empty_shop_is_told_which_kind_of_machine_it_needs(self):
        self.open()
        self.ctrl(Qt.Key.Key_M)
        dialog = next(one for one in self.window.findChildren(QDialog) if one.isVisible())
        self.assertEqual(dialog.leaf.at, 2)
        self.wait_for(lambda: dialog.table.count() >= 12)
        dialog.accept()


class WrongTest(ReadCase):
    def open_wrong(self):
        self.alt(Qt.Key.Key_5)
        self.press("What went wrong?")
        dialog = self.dialog()
        self.wait_for(lambda: dialog.answer is not None)
        self.settle(60)
        return dialog

    def test_what_hangs_is_freed_before_it_is_moved(self):
        dialog = self.open_wrong()
        self.assertTrue(dialog.first.isVisible())
        self.assertRegex(dialog.first.text(), r"Cell [A-D]\d: Leave it lie: \d more pass")

    def test_a_sign_that_is_said_brings_its_cause_to_the_top(self):
        dialog = self.open_wrong()
        before = dialog.answer
        self.click(dialog.boxes["back_scorch"], self.point(10, 8))
        self.wait_for(lambda: dialog.answer is not before)
        self.assertEqual(dialog.answer.causes[0].cause.id, "back_reflects")
        self.assertIn("the back is scorched", dialog.answer.causes[0].speaks_for)
        again = dialog.answer
        self.key(Qt.Key.Key_Space, widget=dialog.boxes["back_scorch"])
        self.wait_for(lambda: dialog.answer is not again)
        self.assertNotEqual(dialog.answer.causes[0].cause.id, "back_reflects")

    def test_the_cell_in_hand_is_asked_about(self):
        library = self.session.library
        trial = replace(self.trial, id="coupon-2", name="Coupon 0002")
        library.save_trial(trial, "read", "burnt")
        library.save_run(trial.id, whole_run(trial), "burnt")
        self.session.read_again()
        self.session.trials.open(trial.id)
        self.alt(Qt.Key.Key_4)
        page = self.page()
        first = page.presenter.cell.id
        self.type("N", page)
        page.presenter.choose(first) if hasattr(page.presenter, "choose") else None
        self.ctrl(Qt.Key.Key_W)
        dialog = self.dialog()
        self.wait_for(lambda: dialog.answer is not None)
        self.assertIn("weaker", dialog.answer.signs)


class OldRecordsTest(RecipeCase):
    def fill(self, library):
        trial = replace(cut_trial(), recipes=(TAPED,))
        library.save_trial(trial, "decide", "read")
        library.save_run(trial.id, RunRecord(), "burnt")
        library.save_readings(trial.id, [Reading("A1", "free")], "read")

    def test_what_a_shop_has_used_is_offered_to_it_again(self):
        self.session.choose(machine=LONG.uid, stock=BIRCH.uid, task="cut")
        self.alt(Qt.Key.Key_2)
        names = [one.recipe for one in self.page().presenter.recipe_choices]
        self.assertIn(TAPED, names)
        self.assertEqual(self.page().presenter.recipes, (TAPED,))  # as on the last coupon
