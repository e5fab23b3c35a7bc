"""The Set up station: a newcomer with an unknown leather by keyboard alone, disputed stock, and the
tools of the checklist.
"""

from dataclasses import replace
from unittest import mock

import shapely
from PIL import Image
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QLabel

from bench.sheet_photos import scene
from olive_almanac.core.records.entry import Proof
from olive_almanac.core.records.stock import Sheet, Stock
from olive_almanac.core.units import speed_in
from olive_almanac.steps.checklist import standing
from olive_almanac.storage.library import Library
from olive_almanac.views import theme
from olive_almanac.views.setup.dialogs import FocusDialog, MaterialDialog, StateDialog
from olive_almanac.views.setup.sheet_photo import SheetPhotoDialog
from tests.samples import BIRCH, LONG, NORTH, VINYL, sample_entry
from tests.views.qt_case import WindowCase


class NewcomerTest(WindowCase):
    def test_an_unknown_leather_reaches_a_ticked_set_up_by_keyboard_alone(self):
        self.open()
        self.key(Qt.Key.Key_Space, widget=self.page().welcome.add_machine)
        self.type("Long Bed")
        self.key(Qt.Key.Key_Return)
        form = self.page().stock_form
        self.assertTrue(form.fields["name"].hasFocus())
        self.type("Case leather")
        self.key(Qt.Key.Key_Tab)
        self.key(Qt.Key.Key_Space)  # the family picker
        popup = self.app.activePopupWidget()
        self.type("tanning not known", popup.filter)
        self.key(Qt.Key.Key_Return, widget=popup.filter)
        self.key(Qt.Key.Key_Return, widget=form.fields["thickness_mm"])
        question = self.page().verdicts.question
        self.assertTrue(question.isVisible())
        self.assertIn("chromium", self.session.permission.reason)
        self.assertTrue(question.burn.hasFocus())
        self.key(Qt.Key.Key_Space)
        self.assertTrue(self.session.permission.allowed)
        self.assertEqual(self.window.station, "set_up")
        checklist = self.page().checklist
        self.assertTrue(checklist.isVisible())
        for key in ("square", "level", "exhaust", "look"):  # what does not hang on the trial
            self.assertEqual(checklist.presenter.check.key, key)
            self.key(Qt.Key.Key_Space, widget=checklist)
        self.assertEqual(checklist.presenter.left, 0)
        self.assertEqual(self.window.station, "set_up")
        self.assertEqual(checklist.count.text(), "the rest comes with the trial")
        self.assertIn("plan it first", checklist.lines[0].accessibleName())
        self.assertEqual(self.clipped(), [])

    def test_old_notes_come_in_as_guesses_once_their_machine_is_there(self):
        self.open()
        self.click(self.page().welcome.old_notes)
        form = self.page().machine_form
        self.assertEqual(form.done.text(), "Your notes come next.")
        self.assertTrue(form.fields["name"].hasFocus())
        self.type("Long Bed")
        self.key(Qt.Key.Key_Return)
        dialog = self.page().dialog
        self.assertEqual(self.window.station, "book")
        dialog.text.setFocus()
        self.type("3mm birch ply cut 80% 14mm/s x1", dialog.text)
        self.assertTrue(dialog.keep.isEnabled(), dialog.told.text())
        self.click(dialog.keep)
        (entry,) = self.session.catalogue.entries
        self.assertEqual(
            (entry.setting.power, entry.setting.speed_mm_s, entry.setting.passes), (0.8, 14.0, 1)
        )
        self.session.choose(machine=entry.machine_uid, stock=entry.stock_uid, task="cut")
        self.assertEqual(self.session.state, ("guess", "not burnt yet"))
        shown = [part.text() for part in self.page().right.findChildren(QLabel)]
        self.assertIn("Brought in from pasted notes, row 1; not burnt since.", shown)

    def test_a_picker_with_nothing_like_what_is_typed_still_offers_to_add_it(self):
        self.open()
        self.click(self.window.subject_line.machine)
        popup = self.app.activePopupWidget()
        self.type("bench", popup.filter)
        self.assertEqual(
            [popup.list.model().index(i, 0).data() for i in range(popup.list.model().rowCount())],
            ["Add a machine"],
        )
        self.key(Qt.Key.Key_Return, widget=popup.filter)
        self.assertEqual(self.window.station, "set_up")
        self.assertTrue(self.page().machine_form.fields["name"].hasFocus())
        self.click(self.window.subject_line.task)
        popup = self.app.activePopupWidget()
        self.type("xyz", popup.filter)
        self.assertTrue(popup.nothing.isVisible())
        self.key(Qt.Key.Key_Escape, widget=popup.filter)


class ChecklistCase(WindowCase):
    def setUp(self):
        super().setUp()
        library = Library.open(self.folder)
        for machine in (LONG, NORTH):
            library.save_machine(machine, "set up")
        for stock in (
            BIRCH,
            VINYL,
            Stock("Shelf MDF", "mdf", 3.0, uid="mdf-3"),
            Stock("Cover glass", "glass", 4.0, opacity="clear", uid="glass-4"),
        ):
            library.save_stock(stock, "set up")
        library.close()
        self.open()
        self.session.choose(machine=LONG.uid, stock=BIRCH.uid, task="cut")
        self.alt(Qt.Key.Key_1)
        self.checklist = self.page().checklist


class ToolsTest(ChecklistCase):
    def answer(self, line, **typed):
        """Choose a line by its digit, type into the named fields, return what the tool says."""
        self.key(Qt.Key(Qt.Key.Key_0 + line), widget=self.checklist)
        for name, text in typed.items():
            field = next(
                f
                for f in self.checklist.tool_fields.findChildren(type(self.checklist.tool_fields))
                if f.accessibleName() == name.replace("_", " ")
            )
            self.retype(field, text)
        return self.checklist.result.text()

    def test_each_tool_answers_in_words(self):
        self.assertIn(
            "Set the gap under the head to 5.4 mm",
            self.answer(1, The_gauge_is="7", A_mask_under_it_is="0.1", Focus_wanted="1.5"),
        )
        self.assertEqual(self.answer(2), "Not measured.")
        self.assertEqual(
            self.answer(
                2, Near_point_X="10", Near_point_Y="10", Far_point_X="310", Far_point_Y="10"
            ),
            "The edge is square.",
        )
        self.assertEqual(self.answer(3), "Not measured.")
        self.assertIn(
            "Shim the lower left corner by 0.5 mm",
            self.answer(
                3,
                Lower_left="0",
                Lower_right="0.3",
                Upper_right="0.5",
                Upper_left="0.2",
                Centre="0.25",
            ),
        )
        self.assertEqual(self.answer(4, lies_at_X="10"), "The frame fits and is clear.")
        self.assertIn("30 mm left", self.answer(4, lies_at_X="830"))
        self.assertTrue(self.checklist.good.isVisible())
        self.assertRegex(self.answer(5, The_room_holds="60"), r"Wait 59 min")
        self.assertIn("10600 nm with an optical density of at least 3.8", self.answer(6))
        self.assertIn("Stay within reach", self.answer(7))

    def test_the_air_of_the_room_is_typed_and_a_slip_is_told_while_the_last_good_one_stays(self):
        self.assertIn("Wait", self.answer(5, Its_air_is_at="19,5", and_holds="48"))
        self.assertIn("at most 100 %", self.answer(5, and_holds="480"))
        self.assertEqual(self.session.trials.room.words, "19.5 °C, 48 % humidity")
        self.assertIn("Wait", self.answer(5, and_holds=""))
        self.assertEqual(self.session.trials.room.words, "19.5 °C")

    def test_a_bad_number_is_told_and_nothing_breaks(self):
        for line, field, text, words in (
            (1, "Focus_wanted", "9", "would touch"),
            (1, "The_gauge_is", "", "Gauge"),
            (2, "Far_point_X", "11", "Near point X must be a number"),
            (3, "Centre", "x", "Centre"),
            (4, "Clamps", "1,2,3", "four numbers"),
            (5, "Duct", "0", "above 0"),
        ):
            with self.subTest(field=field, text=text):
                self.assertIn(words, self.answer(line, **{field: text}))

    def test_a_clamp_in_the_way_is_found(self):
        self.answer(4, **{"Clamps": "40,40,80,60"})
        self.assertIn("clamp at 40, 40 mm is in the way", self.checklist.more.text())

    def test_ticks_are_kept_with_the_trial(self):
        self.alt(Qt.Key.Key_2)
        self.write_burn_file()
        self.alt(Qt.Key.Key_1)
        self.click(self.checklist.lines[0])  # a click on the line in hand ticks it
        self.click(self.checklist.lines[4])  # a click on another takes it in hand
        self.press("Tick")
        self.assertEqual(set(standing(self.session)), {"focus", "exhaust"})
        other = Library.open(self.folder)
        self.addCleanup(other.close)
        self.assertEqual(
            set(other.run_of(self.session.active.trial.id).ticks), {"focus", "exhaust"}
        )
        self.press("Go on to burn")
        page = self.page()
        page.pace.set_at(2)
        self.press("Burn on the stand-in")
        self.wait_for(lambda: page.presenter.state == "done")
        self.assertEqual(
            set(other.run_of(self.session.active.trial.id).ticks), {"focus", "exhaust"}
        )

    def test_fields_follow_the_machine_and_keep_what_is_typed(self):
        self.alt(Qt.Key.Key_2)
        self.write_burn_file()
        self.alt(Qt.Key.Key_1)
        self.key(Qt.Key.Key_1, widget=self.checklist)
        field = self.checklist._typed_into["focus"]
        wanted = self.session.active.trial.cells[0].setting.focus_mm
        self.assertEqual(float(field.text().replace("−", "-")), wanted)
        self.session.choose(machine=NORTH.uid)
        self.settle()
        field = self.checklist._typed_into["focus"]
        self.assertEqual(field.text(), "0")  # nothing is planned there
        self.assertIn("gap under the head to 7 mm", self.checklist.result.text())
        self.retype(field, "1.5")
        self.assertTrue(field.hasFocus())
        self.assertIn("gap under the head to 5.5 mm", self.checklist.result.text())

    def test_a_tick_is_taken_away_again(self):
        self.assertEqual(self.checklist.tick.property("kind"), "main")
        self.press("Tick")
        self.assertEqual(set(standing(self.session)), {"square"})
        self.key(Qt.Key.Key_Up, widget=self.checklist)
        self.assertFalse(self.checklist.tick.property("kind"))  # nothing to be led to
        self.press("Take the tick away")
        self.assertEqual(standing(self.session), {})


class DisputedTest(ChecklistCase):
    def test_mdf_asks_once_for_the_shop_and_remembers(self):
        self.session.choose(stock="mdf-3")
        self.alt(Qt.Key.Key_2)
        question = self.page().question
        self.assertTrue(question.isVisible())
        self.assertIn("Some refuse it", question.practices[1].text())
        self.press("We burn it")
        self.until_suggested()
        self.assertTrue(self.page().columns.isVisible())
        self.shut()
        self.open()
        self.session.choose(machine=LONG.uid, stock="mdf-3", task="cut")
        self.assertTrue(self.session.permission.allowed)
        self.session.undo_stack.clear()
        self.window.navigate("book")
        self.session.shop.keep_rule("mdf", burns=False)
        self.settle()
        self.assertIn("decided not to burn it", self.session.permission.reason)
        self.ctrl(Qt.Key.Key_Z)
        self.assertTrue(self.session.permission.allowed)

    def test_what_cannot_work_is_told_with_what_would(self):
        self.session.choose(machine=NORTH.uid, stock="glass-4", task="cut")
        self.alt(Qt.Key.Key_2)
        self.assertIn("Glass cracks", self.page().refusal_text.text())
        self.assertIn("absorbing layer", self.page().refusal_more.text())
        self.session.choose(task="engrave")
        self.settle()
        self.assertTrue(self.page().columns.isVisible())
        names = [
            w.accessibleName()
            for w in self.window.margin.findChildren(type(self.page().columns))
            if w.accessibleName()
        ]
        self.assertTrue(any("absorbing layer" in name for name in names), names)

    def test_the_stock_page_says_what_works_task_by_task(self):
        self.press("Machine and stock")
        texts = " ".join(w.text() for w in self.page().verdicts.findChildren(QLabel))
        self.assertIn("Cut, score, engrave, mark: works", texts)
        self.assertIn("formaldehyde", texts)


class MachineTest(ChecklistCase):
    def setUp(self):
        super().setUp()
        self.press("Machine and stock")

    def test_a_new_lens_makes_proven_entries_due_and_lists_them_first(self):
        proofs = tuple(Proof(f"2026-04-0{n}", "passed", "7") for n in (1, 2, 3))
        self.session.shop.keep_entry(sample_entry(proofs=proofs), "chosen", "entry")
        self.assertEqual(self.session.state[0], "proven")
        self.press("Something has changed")
        dialog = self.page().findChild(StateDialog)
        self.assertIn(
            "1 proven entry becomes due again:\nBirch ply 3.0 mm, lot 7, cut", dialog.due.text()
        )
        self.type("new 50 mm lens", dialog.reason)
        self.click(self.button("Start a new state", dialog))
        self.assertEqual(self.session.state, ("due", "the machine has changed since"))
        self.assertEqual(
            (self.session.subject.machine.state, self.session.subject.machine.state_reason),
            (2, "lens: new 50 mm lens"),
        )
        self.assertIn("Since 14 April 2026: lens: new 50 mm lens.", self.page().facts.text())
        self.window.activateWindow()
        self.settle(200)
        self.ctrl(Qt.Key.Key_Z)
        self.assertEqual(self.session.state[0], "proven")

    def reached(self, form):
        """Which fields of a form Tab goes through, beginning with its first."""
        form.focus_first()
        keys = {part: key for key, part in form.fields.items()}
        found = []
        for _ in form.fields:
            found.append(keys.get(self.app.focusWidget()))
            self.key(Qt.Key.Key_Tab, widget=self.app.focusWidget())
        return found

    def test_the_numbers_stand_at_the_parts_of_a_drawing_that_follows_what_is_typed(self):
        form = self.page().machine_form
        picture = form.picture
        self.assertTrue(picture.isVisible())
        self.retype(form.fields["rayleigh_mm"], "4")
        self.assertEqual(picture.record.depth_of_focus_mm, 8.0)
        unit = self.session.preferences.speed_unit
        self.assertEqual(form.texts()["max_speed_mm_s"], f"{LONG.max_speed_mm_s:g}")  # untouched
        self.retype(form.fields["max_speed_mm_s"], f"{speed_in(400, unit):g}")
        run_up = picture.notes[picture.PLACES["acceleration_mm_s2"]].text()
        self.assertEqual(run_up, f"full speed after {400**2 / 2 / LONG.acceleration_mm_s2:.0f} mm")
        self.retype(form.fields["rayleigh_mm"], "much")  # the drawing waits until it can be read
        self.assertEqual(picture.record.depth_of_focus_mm, 8.0)
        self.key(Qt.Key.Key_Return, widget=form.fields["rayleigh_mm"])
        self.assertIn("Half the depth of focus", form.problem.text())
        self.assertTrue(form.fields["rayleigh_mm"].property("bad"))
        self.assertEqual(self.session.subject.machine, LONG)
        self.retype(form.fields["rayleigh_mm"], "4")
        self.key(Qt.Key.Key_Return, widget=form.fields["rayleigh_mm"])
        kept = self.session.subject.machine
        self.assertEqual((kept.rayleigh_mm, kept.max_speed_mm_s), (4.0, 400.0))
        self.assertEqual(form.held, "rayleigh_mm")
        self.retype(form.fields["rayleigh_mm"], "5")
        self.retype(form.fields["rayleigh_mm"], "4")  # as it is kept: nothing is open any more
        self.assertEqual(form.typed[kept.uid], {})
        self.retype(form.fields["max_speed_mm_s"], "300 mm/s")  # another unit behind it counts
        self.key(Qt.Key.Key_Return, widget=form.fields["max_speed_mm_s"])
        self.assertEqual(self.session.subject.machine.max_speed_mm_s, 300.0)

    def test_calipers_stand_on_the_drawn_edge(self):
        form = self.page().stock_form
        self.retype(form.fields["measured"], "2.9, 3.1")
        note = form.picture.notes[form.picture.PLACES["measured"]]
        self.assertEqual(note.text(), "mean 3, spread 0.2")
        self.assertEqual(form.picture.record.measured_mm, (2.9, 3.1))
        self.retype(form.fields["measured"], "")
        self.assertEqual(note.text(), "as sold counts")
        for key, part in form.picture.parts.items():
            self.assertTrue(form.picture.isAncestorOf(part), key)

    def test_tab_goes_through_a_drawn_form_in_reading_order_and_through_a_small_one_alike(self):
        for size in ((1280, 800), (1024, 700)):
            self.window.resize(*size)
            self.settle(300)
            if not self.page().checklist.isHidden():  # the page was made anew
                self.press("Machine and stock")
            for form in (self.page().machine_form, self.page().stock_form):
                with self.subTest(size=size, form=form.noun):
                    self.assertEqual(form.is_drawn, size[0] == 1280)
                    self.assertEqual(self.reached(form), list(form.fields))

    def family(self, word):
        """Pick the stock's family by typing a word of it."""
        picker = self.page().stock_form.fields["family"]
        self.click(picker)
        popup = self.app.activePopupWidget()
        self.type(word, popup.filter)
        self.key(Qt.Key.Key_Return, widget=popup.filter)

    def test_a_stock_with_entries_does_not_become_another_material_by_a_slip(self):
        self.session.shop.keep_entry(sample_entry(), "chosen", "entry")
        for answer, stocks in (("Leave it as it is", 0), ("It is another stock", 1)):
            known = len(self.session.catalogue.stocks)
            self.family("cork")
            self.assertEqual(self.page().stock_form.texts()["family"], "cork")
            self.click(self.page().stock_form.save)
            dialog = self.app.activeModalWidget()
            self.assertIsInstance(dialog, MaterialDialog)
            told = " ".join(one.text() for one in dialog.findChildren(QLabel))
            self.assertIn("1 entry of it", told)
            self.click(self.button(answer, dialog))
            self.settle(100)
            self.assertEqual(len(self.session.catalogue.stocks) - known, stocks)
            self.assertEqual(self.session.catalogue.stock(BIRCH.uid).family, "plywood")

    def test_what_was_typed_and_not_kept_comes_back(self):
        form = self.page().machine_form
        self.retype(form.fields["optical_power_w"], "55")
        self.window.navigate("plan")
        self.alt(Qt.Key.Key_1)
        self.press("Machine and stock")
        self.assertEqual(form.texts()["optical_power_w"], "55")
        self.assertEqual(form.done.text(), "Not kept yet.")
        self.session.choose(machine=NORTH.uid)
        self.assertNotEqual(form.texts()["optical_power_w"], "55")
        self.session.choose(machine=LONG.uid)
        self.assertEqual(form.texts()["optical_power_w"], "55")
        self.click(form.save)
        self.assertEqual(self.session.subject.machine.optical_power_w, 55)
        self.assertEqual(form.done.text(), "Kept.")

    def test_who_types_is_not_disturbed_by_what_is_told_of_the_machines(self):
        form = self.page().machine_form
        field = form.fields["optical_power_w"]
        self.retype(field, "5")
        self.session.shop.take_drift(LONG.uid, {"some entry": 0.4})  # from the worker
        self.settle(100)
        self.assertIs(form.fields["optical_power_w"], field)
        self.assertTrue(field.hasFocus())
        self.type("5", field)
        self.assertEqual(form.texts()["optical_power_w"], "55")

    def test_a_new_source_renews_only_what_was_not_typed(self):
        self.page().begin_new("machine")
        form = self.page().machine_form
        self.retype(form.fields["optical_power_w"], "55")
        before = form.texts()["wavelength_nm"]
        form.fields["source"].picked.emit("co2")
        self.settle()
        self.assertEqual(form.texts()["source"], "co2")
        self.assertEqual(form.texts()["optical_power_w"], "55")
        self.assertNotEqual(form.texts()["wavelength_nm"], before)

    def test_the_field_that_is_wrong_turns_red_and_not_its_neighbour(self):
        form = self.page().stock_form
        self.retype(form.fields["measured"], "3,1,3")
        self.click(form.save)
        self.assertIn("Measured thickness", form.problem.text())
        bad = [key for key, part in form.fields.items() if part.property("bad")]
        self.assertEqual(bad, ["measured"])

    def test_what_was_understood_of_inches_and_lists_is_told(self):
        form = self.page().stock_form
        self.retype(form.fields["thickness_mm"], "1/8")
        self.assertEqual(form.done.text(), "1/8 = 3.175 mm")
        self.retype(form.fields["measured"], "3,2 3.1 3.15")
        self.click(form.save)
        kept = self.session.subject.stock
        self.assertEqual((kept.thickness_mm, kept.measured_mm), (3.175, (3.2, 3.1, 3.15)))

    def test_a_few_letters_take_the_family_that_begins_with_them(self):
        self.family("gla")
        self.assertEqual(self.page().stock_form.texts()["family"], "glass")

    def test_widths_of_a_focus_test_outlive_its_window(self):
        self.press("Focus test")
        dialog = self.page().findChild(FocusDialog)
        self.type("0.29 0.23 0.18", dialog.widths)
        self.key(Qt.Key.Key_Escape, widget=dialog)
        self.settle(100)
        self.press("Focus test")
        again = [one for one in self.page().findChildren(FocusDialog) if one.isVisible()]
        self.assertEqual(again[0].widths.text(), "0.29 0.23 0.18")

    def test_a_focus_test_is_fitted_drawn_and_taken_over(self):
        self.press("Focus test")
        dialog = self.page().findChild(FocusDialog)
        self.type("0.30 0.24 x", dialog.widths)
        self.assertIn("Line width", dialog.told.text())
        self.assertFalse(dialog.take.isEnabled())
        self.retype(dialog.widths, "0.29 0.23 0.18 0.13 0.12 0.14 0.17 0.24 0.30")
        told = dialog.told.text()
        self.assertRegex(told, r"Best focus at −0.0\d+ ± 0.0\d mm. Spot 0.1\d+ ± ")
        self.click(dialog.take)
        self.assertAlmostEqual(self.session.subject.machine.spot_x_mm, 0.117, delta=0.003)
        self.window.activateWindow()
        self.settle(200)
        self.ctrl(Qt.Key.Key_Z)
        self.assertEqual(self.session.subject.machine.spot_x_mm, LONG.spot_x_mm)

    def test_the_safety_page_is_printed_in_full(self):
        from pypdf import PdfReader

        path = self.page().presenter.write_safety_page()
        text = " ".join(page.extract_text() for page in PdfReader(path).pages).replace("\n", " ")
        for words in (
            "Before it burns",
            "10600 nm: OD",
            "IEC 60825-1:2014",
            "formaldehyde",
            "Never leave the machine",
            "qualified laser safety officer",
        ):
            with self.subTest(words):
                self.assertIn(words, text)


class DrawnToolsTest(ChecklistCase):
    def test_clicking_a_place_of_the_piece_asks_for_its_height(self):
        self.key(Qt.Key.Key_3, widget=self.checklist)
        drawing = self.checklist.drawing
        self.settle()
        size = (drawing.width() / theme.LIVE.scale, drawing.height() / theme.LIVE.scale)
        for key in ("ur", "c", "ll", "ul"):
            at = drawing._places(*size)[key] * theme.LIVE.scale
            QTest.mouseClick(drawing, Qt.MouseButton.LeftButton, pos=at.toPoint())
            self.assertTrue(self.checklist._typed_into[key].hasFocus(), key)
            self.type("0.4", self.checklist._typed_into[key])
        self.assertEqual(self.checklist.result.text(), "The piece is level.")
        self.assertEqual(set(drawing.drawing.heights_mm), {"ur", "c", "ll", "ul"})

    def test_the_gap_under_the_head_is_drawn_as_it_is_typed(self):
        self.key(Qt.Key.Key_1, widget=self.checklist)
        field = self.checklist._typed_into["gauge"]
        self.retype(field, "9.5")
        self.assertEqual(self.checklist.drawing.drawing.gap_mm, 9.5)
        self.type("nothing", field)
        self.assertIsNone(self.checklist.drawing.drawing)


class RackTest(ChecklistCase):
    def rack(self):
        self.click(self.checklist.forms)
        self.click(self.page().to_rack)
        return self.page().rack

    def kept(self):
        return self.session.catalogue.stock(BIRCH.uid).sheets

    def test_an_offcut_comes_out_of_a_photo_and_is_corrected_by_keys(self):
        data, true, _ = scene(5)
        path = self.folder / "offcut.jpg"
        path.write_bytes(data)
        rack, before = self.rack(), len(self.kept())
        self.key(Qt.Key.Key_Space, widget=rack.by_photo)
        dialog = rack.findChild(SheetPhotoDialog)
        self.assertFalse(dialog.keep.isVisible())
        found = mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(path), ""))
        with found:
            self.key(Qt.Key.Key_Space, widget=dialog.choose)
        self.wait_for(lambda: dialog.keep.isVisible())
        self.assertIn("2 used areas", dialog.told.text())
        corners = len(dialog.picture.points)
        dialog.picture.setFocus()
        self.type(".", dialog.picture)
        x, _ = dialog.picture.points[0]
        self.key(Qt.Key.Key_Right, widget=dialog.picture)
        self.assertAlmostEqual(dialog.picture.points[0][0], x + 0.1, 2)
        used = dialog.picture.used[0]
        centre = ((used[0] + used[2]) / 2, (used[1] + used[3]) / 2)
        middle = dialog.picture._point(centre).toPoint()
        QTest.mouseClick(dialog.picture, Qt.MouseButton.LeftButton, pos=middle)
        self.assertIn("1 used area", dialog.told.text())
        self.key(Qt.Key.Key_Space, widget=dialog.keep)
        kept = self.kept()
        self.assertEqual(len(kept), before + 1)
        self.assertEqual((len(kept[-1].outline_mm), len(kept[-1].used_mm)), (corners, 1))
        area = shapely.Polygon(kept[-1].outline_mm).area
        self.assertAlmostEqual(area / true.area, 1.0, delta=0.01)

    def test_a_photo_without_marks_is_told_and_nothing_is_kept(self):
        path = self.folder / "table.png"
        Image.new("RGB", (1200, 900), "grey").save(path)
        rack, before = self.rack(), len(self.kept())
        self.key(Qt.Key.Key_Space, widget=rack.by_photo)
        dialog = rack.findChild(SheetPhotoDialog)
        dialog.read(path)
        self.wait_for(lambda: "0 of the 4 printed marks" in dialog.told.text())
        self.key(Qt.Key.Key_Escape, widget=dialog)
        self.assertEqual(len(self.kept()), before)

    def test_a_sheet_is_added_and_clamped_by_keys_alone(self):
        rack = self.rack()
        self.assertTrue(rack.new_size.hasFocus())
        self.type("600 x 300")
        self.key(Qt.Key.Key_Return)
        self.assertTrue(rack.drawing.hasFocus())
        self.key(Qt.Key.Key_C, widget=rack.drawing)
        for _ in range(3):
            self.key(Qt.Key.Key_Up, widget=rack.drawing)
        self.assertEqual(self.kept()[0].clamps_mm, ((0, 133, 14, 173),))
        self.assertIn("clamp 1 in hand", rack.drawing.accessibleDescription())
        self.key(Qt.Key.Key_Delete, widget=rack.drawing)
        self.assertEqual(self.kept()[0].clamps_mm, ())
        self.key(Qt.Key.Key_Escape, widget=rack.drawing)
        self.assertTrue(self.page().stock_form.isVisible())
        self.assertEqual(self.page().to_rack.text(), "Rack: 1 sheet")

    def test_a_used_area_is_dragged_and_stretched_by_the_mouse(self):
        self.session.shop.keep_stock(
            replace(BIRCH, sheets=(Sheet(600, 300, ((100, 100, 200, 200),)),)), "noted"
        )
        rack = self.rack()
        self.drag(rack.drawing, (150, 150), (250, 120))
        self.assertEqual(self.kept()[0].used_mm, ((200, 70, 300, 170),))
        self.drag(rack.drawing, (300, 170), (400, 200))  # by its upper right handle
        self.assertEqual(self.kept()[0].used_mm, ((200, 70, 400, 200),))
        self.ctrl(Qt.Key.Key_Z)
        self.assertEqual(self.kept()[0].used_mm, ((200, 70, 300, 170),))
        self.assertEqual(rack.fields["wide"].text(), "100")

    def drag(self, drawing, start_mm, end_mm):
        def point(mm):
            k, left, foot = drawing._scale()
            scale = theme.LIVE.scale
            return QPoint(round(scale * (left + k * mm[0])), round(scale * (foot - k * mm[1])))

        QTest.mousePress(drawing, Qt.MouseButton.LeftButton, pos=point(start_mm))
        QTest.mouseMove(drawing, point(end_mm))
        QTest.mouseRelease(drawing, Qt.MouseButton.LeftButton, pos=point(end_mm))
        self.settle()
