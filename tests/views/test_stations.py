"""Each station in the real window: what is shown, what the keys do, and what happens when something
is wrong.
"""

import contextlib
import json
import sqlite3
import zipfile
from dataclasses import replace
from pathlib import Path
from unittest import mock

from PySide6.QtCore import Qt
from PySide6.QtGui import QFontMetrics, QGuiApplication
from PySide6.QtTest import QAbstractItemModelTester
from PySide6.QtWidgets import QFileDialog, QLabel, QWidget

from olive_almanac.core.errors import LibraryTrouble
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.stock import Stock
from olive_almanac.steps.fault_report import fault_words
from olive_almanac.steps.stations import STATIONS
from olive_almanac.storage.library import Library
from olive_almanac.views.book.index import NAME_WIDTH, IndexModel
from olive_almanac.views.finder import Finder, FoundModel
from olive_almanac.views.theme import scaled_font
from tests.samples import (
    BIRCH,
    LEATHER,
    LONG,
    MARKER,
    NORTH,
    VINYL,
    cut_trial,
    engrave_trial,
    read_by_energy,
    read_by_tone,
    sample_entry,
    whole_run,
)
from tests.views.qt_case import WindowCase


class ShopCase(WindowCase):
    """A window on a small shop: three machines, three stocks, one entry."""

    def setUp(self):
        super().setUp()
        library = Library.open(self.folder)
        for machine in (LONG, NORTH, MARKER):
            library.save_machine(machine, "set up")
        for stock in (BIRCH, LEATHER, VINYL):
            library.save_stock(stock, "set up")
        self.fill(library)
        library.close()
        self.open()
        self.session.choose(machine=LONG.uid, stock=BIRCH.uid, task="cut")
        self.settle()

    def fill(self, library):
        library.save_entry(sample_entry(), "chosen")

    def plan_grid(self):
        """Go to Plan and take a plain grid."""
        self.alt(Qt.Key.Key_2)
        self.suggest("grid")

    def trial_becomes(self, check):
        """Wait until the plan's trial is so; while one is worked out there is none."""

        def is_so():
            plan = self.page().presenter.plan
            return plan is not None and check(plan.trial)

        self.wait_for(is_so)

    def suggest(self, kind):
        """Have a kind of trial suggested, and wait for it."""
        self.page().presenter.suggest(kind)
        self.until_suggested()


class SetAsideTest(ShopCase):
    def fill(self, library):
        super().fill(library)
        library.save_entry(replace(sample_entry(), uid="bad"), "chosen")
        with contextlib.closing(sqlite3.connect(self.folder / "almanac.db")) as raw:
            raw.execute("UPDATE entry SET body = '{' WHERE uid = 'bad'")
            raw.commit()

    def test_a_record_that_cannot_be_read_is_told_until_it_is_understood(self):
        self.assertEqual(len(self.session.catalogue.entries), 1)
        for one in STATIONS:
            self.window.navigate(one.id)
            self.settle()
            self.assertIn("entry bad is damaged", self.window.strip.text.text(), one.id)
        self.click(self.window.strip.button)
        self.assertFalse(self.window.strip.isVisible())
        self.window.navigate("read")
        self.assertFalse(self.window.strip.isVisible())

    def test_the_report_holds_the_version_the_fault_and_the_record_but_no_names(self):
        fault = self.outside.fault_file()
        fault.parent.mkdir()
        fault.write_text(f"File {Path.home()}/almanac.py")
        with contextlib.closing(sqlite3.connect(self.folder / "almanac.db")) as raw:
            body = json.dumps({"uid": "bad", "notes": "for Ada", "setting": {"power": "x"}})
            raw.execute("UPDATE entry SET body = ? WHERE uid = 'bad'", (body,))
            raw.commit()
        self.window.navigate("book")
        target = self.folder.parent / "report.zip"
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(target), "")):
            self.page()._write_report()
        self.wait_for(lambda: "Nothing was sent" in self.page().right.said.text())
        with zipfile.ZipFile(target) as report:
            parts = {name: report.read(name).decode() for name in report.namelist()}
        self.assertEqual(set(parts), {"version.txt", "fault.txt", "records.json"})
        self.assertIn("Olive Almanac 0.", parts["version.txt"])
        self.assertEqual(parts["fault.txt"], "File ~/almanac.py")
        (record,) = json.loads(parts["records.json"])
        self.assertEqual(record["record"], "entry bad")
        self.assertEqual(record["body"]["notes"], "(7 letters)")
        self.assertNotIn("Ada", "".join(parts.values()))


class ShrunkTest(ShopCase):
    def fill(self, library):
        super().fill(library)
        library.backup()
        library.close()
        backups, aside = self.folder / "backups", self.folder.parent / "aside"
        backups.rename(aside)
        for path in self.folder.glob("almanac.db*"):
            path.unlink()
        Library.open(self.folder).close()  # a fresh book where the full one was
        aside.rename(backups)

    def test_an_emptied_book_asks_before_anything_is_backed_up_and_comes_back(self):
        self.wait_for(lambda: "something was lost" in self.window.strip.text.text())
        self.assertEqual(self.session.catalogue.entries, ())
        self.click(self.window.strip.button)
        self.wait_for(lambda: len(self.session.catalogue.entries) == 1)
        self.assertTrue((self.folder / "almanac.db").exists())


class BookTest(ShopCase):
    def test_index_marks_are_walked_by_arrows_and_opened_by_a_click(self):
        index = self.page().left.index
        self.assertEqual(index.currentIndex().data(), "On trial")
        self.key(Qt.Key.Key_Right, widget=index)
        self.assertEqual(self.session.subject.task, "engrave")
        self.assertEqual(self.page().right.title.text(), "Birch ply 3.0 mm, engrave")
        model = index.index_model
        row = next(r for r, line in enumerate(model.rows) if line.stock == VINYL)
        self.click(index.viewport(), index.visualRect(model.index(row, 1)).center())
        self.assertEqual(self.session.state[0], "barred")
        self.assertIn(
            "hydrogen chloride",
            self.page().right.body.findChildren(type(self.page().right.title))[0].text(),
        )

    def test_filter_narrows_the_index(self):
        self.key(Qt.Key.Key_Slash, widget=self.page().left.index)
        self.assertTrue(self.page().left.filter.hasFocus())
        self.type("leather")
        self.assertEqual(self.page().left.filter.text(), "leather")
        self.assertEqual(
            [line.label for line in self.page().left.index.index_model.rows],
            ["Leather and textile", "Map leather 2.0 mm"],
        )
        self.type("zzz", self.page().left.filter)
        self.assertTrue(self.page().left.nothing.isVisible())

    def test_failed_today_makes_it_due_and_undo_takes_it_back(self):
        self.press("Failed today")
        self.assertEqual(self.session.state[0], "due")
        self.assertEqual(self.window.subject_line.state.text(), "Due again")
        self.ctrl(Qt.Key.Key_Z)
        self.assertEqual(self.session.state[0], "trial")

    def test_numbers_are_copied(self):
        self.key(
            Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
        )
        self.assertEqual(
            QGuiApplication.clipboard().text(),
            (
                "Long Bed 60 W, Birch ply 3.0 mm, lot 7, cut: 85 %, 720 mm/min, 1 pass, focus 1.5 "
                "mm, air full (on trial)"
            ),
        )

    def test_an_untried_subject_offers_a_trial_or_a_guess(self):
        self.session.choose(stock=LEATHER.uid)
        self.settle()
        self.press("Reckon a guess")
        self.assertEqual(self.session.state[0], "guess")
        self.press("Plan a trial")
        self.assertEqual(self.window.station, "plan")

    def test_models_keep_qts_rules(self):
        for model in (IndexModel(), FoundModel()):
            tester = QAbstractItemModelTester(
                model, QAbstractItemModelTester.FailureReportingMode.Fatal
            )
            self.addCleanup(tester.deleteLater)
            if isinstance(model, IndexModel):
                model.show_catalogue(self.session.catalogue, self.session.today(), "")
            else:
                from olive_almanac.steps.find import find_entries

                model.show_hits(find_entries(self.session.catalogue, "", self.session.today()))


class OneMachineTest(WindowCase):
    def test_names_of_the_index_take_the_room_that_columns_leave(self):
        stock = replace(BIRCH, name="Birch ply, interior glue")
        library = Library.open(self.folder)
        library.save_machine(LONG, "set up")
        library.save_stock(stock, "set up")
        library.close()
        self.open()
        self.session.choose(machine=LONG.uid, stock=stock.uid, task="cut")
        self.window.navigate("book")
        self.settle()
        index = self.page().left.index
        wide = QFontMetrics(scaled_font("row_b")).horizontalAdvance(stock.short_name)
        self.assertGreater(wide, NAME_WIDTH)
        self.assertGreater(index.columnWidth(0), wide)
        self.assertLessEqual(index.total_width(), index.viewport().width())


class FinderTest(ShopCase):
    def test_copies_without_leaving_and_says_when_nothing_fits(self):
        self.ctrl(Qt.Key.Key_K)
        finder = self.window.findChild(Finder)
        self.type("birch", finder.field)
        self.ctrl(Qt.Key.Key_C)
        self.assertIn("Birch ply 3.0 mm", QGuiApplication.clipboard().text())
        self.type(" granite", finder.field)
        self.assertTrue(finder.nothing.isVisible())
        self.key(Qt.Key.Key_Escape, widget=finder.field)
        self.assertIsNone(self.window.findChild(Finder))

    def test_opens_from_the_field_in_the_head(self):
        self.click(self.window.subject_line.find)
        self.assertTrue(self.window.findChild(Finder).isVisible())


class SubjectTest(ShopCase):
    def test_words_of_the_subject_line_are_picked_by_typing(self):
        self.choose_word(self.window.subject_line.stock, "leath")
        self.assertEqual(self.session.subject.stock, LEATHER)
        self.choose_word(self.window.subject_line.task, "engr")
        self.assertEqual(self.session.subject.task, "engrave")
        self.choose_word(self.window.subject_line.machine, "Add a")
        self.assertEqual(self.window.station, "set_up")
        self.assertEqual(self.page().machine_form.title.text(), "Another machine")

    def test_keys_open_the_pickers(self):
        for key, picker in (
            (Qt.Key.Key_1, "machine"),
            (Qt.Key.Key_2, "stock"),
            (Qt.Key.Key_3, "task"),
        ):
            self.ctrl(key)
            popup = self.app.activePopupWidget()
            self.assertIsNotNone(popup, picker)
            popup.close()
            self.settle()


class SetUpTest(ShopCase):
    def test_a_bad_field_is_marked_and_told(self):
        self.alt(Qt.Key.Key_1)
        self.press("Machine and stock")
        form = self.page().machine_form
        self.retype(form.fields["optical_power_w"], "-4")
        self.press("Keep these changes")
        self.assertIn("Optical power must be above 0", form.problem.text())
        self.assertTrue(form.fields["optical_power_w"].property("bad"))
        self.retype(form.fields["optical_power_w"], "55")
        self.press("Keep these changes")
        self.assertEqual(self.session.subject.machine.optical_power_w, 55)
        self.assertIn("55 W", self.window.subject_line.machine.text())
        self.ctrl(Qt.Key.Key_Z)
        self.assertEqual(self.session.subject.machine.optical_power_w, 60)


class PlanTest(ShopCase):
    def test_what_is_expected_to_flare_is_planned_by_an_act_of_its_own(self):
        self.plan_grid()
        presenter = self.page().presenter
        for key, text in (("speed_from", "300"), ("speed_to", "1500"), ("speed_steps", "6")):
            presenter.change(key, text)
        self.settle(100)
        left_out = len(presenter.plan.refused)
        self.assertGreater(left_out, 0)
        self.press("Plan them too, hotter")
        self.assertEqual(presenter.plan.refused, ())
        self.assertTrue(presenter.plan.trial.choices["hotter"])
        self.assertIn("stop at the first flare", presenter.plan.remarks[0])
        self.assertIs(self.window.focusWidget(), self.page().short.write)
        self.press("Leave them out again")
        self.assertEqual(len(presenter.plan.refused), left_out)
        self.press("Plan them too, hotter")
        self.write_burn_file()
        self.assertIn(
            "Hotter than expected",
            [one.text() for one in self.page().findChildren(QLabel) if one.isVisible()],
        )

    def test_typing_redraws_the_plan_and_a_bad_number_is_told(self):
        self.plan_grid()
        page = self.page()
        self.retype(page.choices.fields["power_steps"], "3")
        self.trial_becomes(lambda t: len(t.cells) == 18)
        self.assertEqual(page.short.values["Cells"][0].text(), "18")
        self.retype(page.choices.fields["speed_to"], "-5")
        self.wait_for(lambda: page.presenter.plan is None)
        self.assertTrue(page.choices.fields["speed_to"].property("bad"))
        self.assertFalse(page.short.write.isEnabled())
        self.retype(page.choices.fields["speed_to"], "1900")
        self.wait_for(lambda: page.presenter.plan is not None)
        self.assertTrue(page.short.write.isEnabled())

    def test_arrow_keys_step_a_number_and_the_wheel_does_not(self):
        self.plan_grid()
        field = self.page().choices.fields["passes"]
        self.click(field)
        self.key(Qt.Key.Key_Up, widget=field)
        self.assertEqual(field.text(), "2")
        self.trial_becomes(lambda t: t.cells[0].setting.passes == 2)

    def test_refused_cells_are_counted_with_the_reason(self):
        self.plan_grid()
        page = self.page()
        self.retype(page.choices.fields["speed_to"], "60000")
        self.wait_for(lambda: page.presenter.plan is not None and page.presenter.plan.refused)
        texts = [w.text() for w in page.short.findChildren(type(page.centre_title))]
        self.assertTrue(any("moves at 30000 mm/min at most" in text for text in texts))

    def margin_notes(self):
        return [
            note.accessibleName()
            for note in self.window.margin.findChildren(QWidget)
            if note.accessibleName()
        ]

    def test_stock_that_must_not_or_cannot_burn_shows_why_instead_of_a_plan(self):
        clear, plate = (
            Stock("Clear cast acrylic", "acrylic", 3.0, opacity="clear"),
            Stock("Bare plate", "aluminium", 1.0),
        )
        cases = [
            (LONG, replace(VINYL, name=f"Shelf {family}", uid="", family=family), "hydrogen", "")
            for family in ("vinyl", "pvc", "ptfe")
        ]
        cases += [
            (NORTH, clear, "passes through", "CO₂ machine would work"),
            (LONG, plate, "do not cut metal", "marking medium"),
        ]
        for number, (machine, stock, why, instead) in enumerate(cases):
            with self.subTest(stock.name):
                stock = replace(stock, uid=f"case-{number}")
                self.session.library.save_stock(stock, "set up")
                self.session.shop.refresh()
                self.session.choose(machine=machine.uid, stock=stock.uid)
                self.alt(Qt.Key.Key_2)
                self.settle()
                self.assertTrue(self.page().refusal.isVisible())
                told = f"{self.page().refusal_text.text()} {self.page().refusal_more.text()}"
                self.assertIn(why, told)
                self.assertIn(instead, told)
                self.assertTrue(
                    any(why in note for note in self.margin_notes()), self.margin_notes()
                )


class BurnTest(ShopCase):
    def setUp(self):
        super().setUp()
        self.plan_grid()
        self.write_burn_file()

    def test_pause_go_on_and_stop(self):
        page = self.page()
        self.assertEqual(page.progress.text(), "0 of 24 burnt")
        self.press("Burn on the stand-in")
        self.wait_for(lambda: len(self.session.active.burnt) >= 2)
        self.key(Qt.Key.Key_Space, widget=page)
        self.assertEqual(page.presenter.state, "held")
        self.settle(200)  # what was done before the hold is still heard
        before = len(self.session.active.burnt)
        self.settle(300)
        self.assertEqual(len(self.session.active.burnt), before)
        self.press("Go on")
        self.wait_for(lambda: len(self.session.active.burnt) > before)
        self.press("Stop")
        self.assertEqual(page.presenter.state, "stopped")
        self.assertEqual(self.session.active.stage, "read")
        self.assertIn("broken off", page.progress.text())
        self.press("Burn the rest")
        self.wait_for(lambda: page.is_running())
        self.press("Stop")

    def test_close_during_a_run_asks(self):
        from PySide6.QtCore import QTimer
        from PySide6.QtWidgets import QMessageBox

        self.press("Burn on the stand-in")
        self.wait_for(lambda: len(self.session.active.burnt) >= 1)
        asked = []

        def answer():
            box = self.app.activeModalWidget()
            if isinstance(box, QMessageBox):
                asked.append(box.text())
                box.button(QMessageBox.StandardButton.No).click()

        QTimer.singleShot(100, answer)
        self.assertFalse(self.window.close())
        self.assertIn("still burning", asked[0])
        self.press("Stop")

    def test_burnt_on_the_machine_goes_to_read(self):
        self.press("It was burnt on the machine")
        self.assertEqual(self.window.station, "read")
        self.assertEqual(self.page().count.text(), "0 read, 24 left")

    def test_a_full_disk_pauses_the_run_and_is_told(self):
        page = self.page()
        real = self.session.library.save_run

        def full(*_):
            raise LibraryTrouble(
                "Could not write the library: the disk is full. Free some space and do it again."
            )

        self.session.library.save_run = full
        self.press("Burn on the stand-in")
        self.wait_for(lambda: self.session.problem != "")
        self.assertIn("disk is full", self.window.strip.text.text())
        self.session.library.save_run = real
        self.press("Understood")
        self.assertFalse(self.window.strip.isVisible())
        self.assertEqual(page.presenter.state, "")  # nothing was sent

        def full_from_the_third_cell_on(*what):
            if len(self.session.active.burnt) >= 2:
                full()
            return real(*what)

        self.session.library.save_run = full_from_the_third_cell_on
        self.press("Burn on the stand-in")
        self.wait_for(lambda: self.session.problem != "")
        self.assertEqual(page.presenter.state, "held")

        def full_at_the_end(uid, run, why):
            if run.complete:
                full()
            return real(uid, run, why)

        self.press("Understood")
        self.session.library.save_run = full_at_the_end
        self.press("Go on")
        self.wait_for(lambda: self.session.problem != "")
        self.assertEqual(len(self.session.active.burnt), 24)
        self.assertEqual(page.presenter.state, "held")
        self.session.library.save_run = real
        self.press("Go on")
        self.wait_for(lambda: page.presenter.state == "done")
        self.assertEqual(self.session.active.stage, "read")


class ReadTest(ShopCase):
    def fill(self, library):
        trial = replace(cut_trial(), machine=LONG, stock=BIRCH)
        library.save_trial(trial, "read", "burnt")
        library.save_run(trial.id, whole_run(trial), "burnt")
        library.save_reading(trial.id, Reading("D1", "free"), "read by eye")

    def test_keys_mouse_arrows_and_take_back(self):
        self.alt(Qt.Key.Key_4)
        page = self.page()
        self.assertEqual((page.count.text(), page.presenter.cell.id), ("1 read, 23 left", "D2"))
        self.type("2", page)
        self.type("h", page)
        self.assertEqual(self.session.active.readings["D2"], Reading("D2", "hangs", char=1))
        self.click(page.keys["N"])
        self.assertEqual(self.session.active.readings["D3"].verdict, "not_through")
        self.key(Qt.Key.Key_Down, widget=page)
        self.assertEqual(page.presenter.cell.id, "C4")
        self.type("s", page)
        self.assertEqual(page.presenter.cell.id, "C5")
        self.key(Qt.Key.Key_Backspace, widget=page)
        self.assertNotIn("D3", self.session.active.readings)
        self.assertEqual(page.presenter.cell.id, "D3")
        cell, rect = next((cell, rect) for cell, rect in page.grid._places() if cell.id == "A6")
        self.click(page.grid, self.point(rect.center().x(), rect.center().y()))
        self.assertEqual(page.presenter.cell, cell)

    def test_a_reading_survives_a_kill_because_it_is_written_at_once(self):
        self.alt(Qt.Key.Key_4)
        self.type("tn", self.page())
        other = Library.open(self.folder)
        self.addCleanup(other.close)
        self.assertEqual(len(other.readings(self.session.active.trial.id)), 3)

    def test_touch_keys_are_large_enough_for_a_glove(self):
        self.alt(Qt.Key.Key_4)
        for key in self.page().keys.values():
            self.assertGreaterEqual(key.height(), 76)
            self.assertGreaterEqual(key.width(), 90)


class DecideTest(ShopCase):
    def fill(self, library):
        for trial, readings in (
            (cut_trial(), read_by_energy(cut_trial(), 2.2)),
            (replace(engrave_trial(), id="coupon-2"), read_by_tone(engrave_trial(), 0.5, 0.9)),
        ):
            library.save_trial(trial, "decide", "read")
            library.save_run(trial.id, whole_run(trial), "burnt")
            for reading in readings:
                library.save_reading(trial.id, reading, "read by eye")

    def decided(self):
        self.alt(Qt.Key.Key_5)
        page = self.page()
        self.wait_for(lambda: page.presenter.map is not None)
        self.settle(80)
        return page

    def test_a_coupon_that_is_not_read_leads_to_the_one_that_was(self):
        fresh = replace(cut_trial(), id="coupon-9", name="Coupon 0009")
        self.session.trials.keep(fresh, "burn", "burn file written")
        self.alt(Qt.Key.Key_5)
        page = self.page()
        self.assertIn("Coupon 0009 has not been read yet", page.says.text())
        self.press(f"Open {cut_trial().name[0].lower()}{cut_trial().name[1:]}")
        self.assertEqual(self.session.active.trial.id, cut_trial().id)
        self.wait_for(lambda: page.presenter.map is not None)
        self.assertTrue(page.cards)

    def test_picks_are_taken_by_letter_arrow_and_click(self):
        page = self.decided()
        count = len(page.cards)
        self.assertGreaterEqual(count, 1)
        self.key(Qt.Key.Key_Down, widget=page)
        self.assertEqual(page.presenter.chosen, 1 % count)
        self.type("a", page)
        self.assertEqual(page.presenter.chosen, 0)
        self.click(page.cards[-1])
        self.assertEqual(page.presenter.chosen, count - 1)
        self.ctrl(Qt.Key.Key_Return)
        self.assertEqual(self.session.entry.setting, page.presenter.decision.picks[-1].setting)

    def test_labels_on_the_map_never_overlap(self):
        for task in ("cut", "engrave"):
            self.session.choose(task=task)
            page = self.decided()
            page.map.grab()
            plates = page.map._taken[-8:]
            for i, one in enumerate(plates):
                for other in plates[i + 1 :]:
                    inner = one.intersected(other)
                    self.assertLess(inner.width() * inner.height(), 60, task)

    def test_a_reading_typed_elsewhere_renews_the_decision(self):
        page = self.decided()
        before = page.presenter.decision
        self.alt(Qt.Key.Key_4)
        self.key(Qt.Key.Key_Home, widget=self.page())
        self.type("h", self.page())
        page = self.decided()
        self.assertIsNot(page.presenter.decision, before)

    def test_a_screen_reader_hears_the_decision(self):
        page = self.decided()
        self.assertIn("sure to fall free", page.map.accessibleDescription())
        self.assertRegex(
            page.cards[0].accessibleName(),
            r"^A: Quickest safe, \d+ %, [\d.]+ mm/min, 1 pass, \d+ % sure, (burnt|reckoned).*$",
        )


class TroubleTest(WindowCase):
    def test_a_damaged_library_offers_its_backup_and_opens_it(self):
        library = Library.open(self.folder)
        library.save_machine(LONG, "set up")
        library.backup()
        library.close()
        for path in self.folder.glob("almanac.db-*"):
            path.unlink()
        (self.folder / "almanac.db").write_bytes(b"broken" * 999)
        self.open()
        self.assertIn("is damaged", self.window.strip.text.text())
        self.press("Restore the backup")
        self.wait_for(lambda: self.session.library is not None)
        self.assertEqual(self.session.catalogue.machines, (LONG,))
        self.assertFalse(self.window.strip.isVisible())

    def test_a_library_that_cannot_be_opened_can_be_tried_again(self):
        calls = []

        def flaky(folder):
            calls.append(folder)
            if len(calls) == 1:
                raise LibraryTrouble(
                    "Could not open the library: another program is writing in it."
                )
            return self.outside.open_library(folder)

        self.open(open_library=flaky)
        self.assertIn("another program", self.window.strip.text.text())
        self.press("Try again")
        self.wait_for(lambda: self.session.library is not None)

    def test_the_demo_shop_opens_beside_the_empty_library(self):
        self.demo_folder = self.folder.parent / "demo"
        library = Library.open(self.demo_folder)
        library.save_machine(NORTH, "set up")
        library.save_stock(Stock("Birch ply", "plywood", 3.0, uid="birch-3"), "set up")
        library.close()
        self.open()
        self.press("Open the demo shop")
        self.wait_for(lambda: self.session.catalogue.machines == (NORTH,))
        self.assertFalse((self.folder / "shelf.json").read_text().count("North Bench"))

    def test_faults_of_ours_leave_a_report(self):
        path = self.folder / "state" / "fault.txt"
        try:
            raise ZeroDivisionError("ours")
        except ZeroDivisionError as error:
            self.assertIn(f"A report lies in {path}", fault_words(path, error))
            self.assertIn("ZeroDivisionError: ours", path.read_text())
            nowhere = path / "below a file"  # as on a full disk: the sentence comes all the same
            self.assertRegex(fault_words(nowhere, error), "is safe. Could not write")
