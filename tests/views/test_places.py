"""The library's own dialog, and what Ctrl+K opens beside settings and jobs."""

import os
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QLabel

from olive_almanac.core.errors import CannotWrite
from olive_almanac.core.words import LANGUAGES
from olive_almanac.steps.find_places import acts, find_places
from olive_almanac.steps.keeping import refuse_where_gone
from olive_almanac.steps.preferences import Preferences, load_preferences, save_preferences
from olive_almanac.views.book.library_dialog import LibraryDialog
from olive_almanac.views.finder import Finder
from tests.samples import BIRCH, LEATHER, LONG, NORTH, cut_trial
from tests.views.qt_case import NOON, WindowCase


class PlacesCase(WindowCase):
    playground = False

    def setUp(self):
        super().setUp()
        self.open()
        store = self.session.store
        for one in (LONG, NORTH):
            store.save_machine(one, "test")
        for one in (BIRCH, LEATHER):
            store.save_stock(one, "test")
        store.save_trial(cut_trial(), "read", "test")
        self.session.read_again()


class LibraryDialogTest(PlacesCase):
    def setUp(self):
        super().setUp()
        for empty in (self.folder / "backups").iterdir():
            empty.unlink()  # of the day, made before anything was in the book
        self.backup = self.session.store.backup()
        self.session.store.save_machine(LONG, "once more")
        self.ask()

    def ask(self):
        self.window.ask_library()
        self.settle()
        self.dialog = [
            one
            for one in QApplication.topLevelWidgets()
            if isinstance(one, LibraryDialog) and one.isVisible()
        ][-1]

    def told(self):
        return " ".join(one.text() for one in self.dialog.findChildren(QLabel))

    def test_it_says_where_it_lies_what_it_holds_and_how_old_the_backup_is(self):
        self.wait_for(lambda: self.dialog.list.count() == 1)
        self.assertIn(str(self.folder), self.told())
        self.assertIn("2 machines, 2 stocks, 1 coupon", self.told())
        self.assertIn("The last backup is of", self.told())
        os.utime(self.backup, (NOON.timestamp() - 20 * 86400,) * 2)
        self.dialog.reject()
        self.ask()
        self.wait_for(lambda: "20 days ago" in self.told())
        self.assertIn("copy the library to a stick", self.told())

    def test_a_copy_is_made_and_can_be_taken_in_again(self):
        stick = self.folder.parent / "stick"
        stick.mkdir()
        self.dialog.copy_to(stick)
        self.wait_for(lambda: "read back whole" in self.dialog.says.text())
        (copy,) = stick.iterdir()
        self.assertEqual(copy.name, "olive-almanac-2026-04-14")
        self.dialog.take_back(stick)
        self.assertIn("no library", self.dialog.says.text())
        self.dialog.take_back(copy)
        self.wait_for(lambda: not self.window.is_busy)
        self.assertEqual(len(self.session.catalogue.machines), 2)

    def test_a_copy_that_cannot_be_written_is_told(self):
        wall = self.folder.parent / "wall"
        wall.write_text("a file")
        self.dialog.copy_to(wall)
        self.wait_for(lambda: "cannot be written" in self.dialog.says.text())

    def test_a_backup_is_tried_first_and_the_own_library_comes_back(self):
        self.wait_for(lambda: self.dialog.look.isEnabled())
        self.click(self.dialog.look)
        self.wait_for(lambda: self.window.folder != self.folder and self.session.library)
        self.settle()
        self.session.store.save_machine(NORTH, "in the copy")
        self.assertIn("a copy of the backup", self.window.practising.strip.words.text())
        self.press("Back to my library")
        self.wait_for(lambda: self.window.folder == self.folder and self.session.library)
        self.wait_for(lambda: not self.window.is_busy)
        self.assertFalse((self.folder / "backup-to-look-at").exists())

    def test_a_backup_is_put_in_place_once_that_is_agreed_to(self):
        self.wait_for(lambda: self.dialog.put.isEnabled())
        self.click(self.dialog.put)
        self.click(self.dialog.question.leave)
        self.assertEqual(list(self.folder.glob("almanac-damaged-*")), [])
        self.click(self.dialog.put)
        self.click(self.dialog.question.agree)
        self.wait_for(lambda: self.session.library is not None and not self.window.is_busy)
        self.assertEqual(len(list(self.folder.glob("almanac-damaged-*.db"))), 1)
        self.assertEqual(len(self.session.catalogue.machines), 2)

    def test_the_library_lies_elsewhere_from_now_on(self):
        new = self.folder.parent / "elsewhere"
        new.mkdir()
        self.dialog.lie_in(new)
        self.click(self.dialog.question.agree)
        self.wait_for(lambda: self.window.folder == new and self.session.library is not None)
        self.assertEqual(len(self.session.catalogue.machines), 2)
        remembered = load_preferences(self.outside.preferences_file)
        self.assertEqual(Path(remembered.library), new)
        self.assertTrue((self.folder / "almanac.db").exists())

    def test_a_library_on_a_stick_that_is_not_plugged_in_begins_no_new_book(self):
        stick = self.folder.parent / "unplugged"
        self.dialog.reject()
        self.shut()
        save_preferences(self.outside.preferences_file, Preferences(library=str(stick)))

        def open_library(folder):
            refuse_where_gone(folder, self.outside.preferences_file)
            return self.outside.open_library(folder)

        home, self.folder = self.folder, stick
        self.open(open_library=open_library, usual_library=lambda: home)
        self.assertIn("is not there now", self.session.problem)
        self.assertFalse(stick.exists())
        self.press("Use the usual place")
        self.wait_for(lambda: self.session.library is not None)
        self.assertEqual(len(self.session.catalogue.machines), 2)
        self.assertEqual(load_preferences(self.outside.preferences_file).library, "")

    def test_a_folder_of_other_things_is_no_place_for_it(self):
        other = self.folder.parent / "letters"
        other.mkdir()
        (other / "a.txt").write_text("mine")
        self.dialog.lie_in(other)
        self.assertIn("not empty", self.dialog.says.text())


class FinderPlacesTest(PlacesCase):
    def find(self, words):
        """Type words into the finder and take the first hit."""
        self.window.activateWindow()
        self.wait_for(self.window.isActiveWindow)
        self.ctrl(Qt.Key.Key_K)
        finder = [
            one
            for one in QApplication.topLevelWidgets()
            if isinstance(one, Finder) and one.isVisible()
        ][-1]
        self.type(words, finder.field)
        self.key(Qt.Key.Key_Return, widget=finder.field)
        self.settle()

    def test_it_opens_coupons_machines_and_stocks(self):
        self.find("coupon to be read")
        self.assertEqual(self.window.station, "read")
        self.window.navigate("book")
        self.find("C0001")  # as it is burnt on the coupon
        self.assertEqual(self.window.station, "read")
        self.find("north bench form")
        self.assertEqual(
            (self.window.station, self.session.subject.machine.name), ("set_up", NORTH.name)
        )
        self.assertIn(NORTH.name, self.window.page("set_up").machine_form.title.text())
        self.find("map leather")
        self.assertEqual(self.session.subject.stock.name, LEATHER.name)

    def test_it_does_what_the_program_does_and_opens_help(self):
        self.find("workshop theme")
        self.assertEqual(self.session.preferences.theme, "workshop")
        self.find("speeds in in/min")
        self.assertEqual(self.session.preferences.speed_unit, "in/min")
        self.find("scale 125")
        self.assertEqual(self.session.preferences.scale_percent, 125)
        self.find("scale 125")
        self.assertEqual(self.session.preferences.scale_percent, 125)
        self.find("go to shop")
        self.assertEqual(self.window.station, "shop")
        self.find("map of the bed")
        self.assertEqual(self.window._help.page, "shop")

    def test_every_act_is_found_by_its_name(self):
        for act in acts():
            with self.subTest(act.name):
                self.assertIn(act.key, [one.key for one in find_places(self.session, act.name)])

    def test_without_words_the_subjects_of_lately_stand_first(self):
        choose = self.session.choose
        choose(machine=LONG.uid, stock=BIRCH.uid, task="engrave")
        choose(machine=NORTH.uid, stock=LEATHER.uid, task="cut")
        choose(machine=LONG.uid, stock=BIRCH.uid, task="engrave")
        titles = [one.title for one in find_places(self.session, "")]
        self.assertEqual(titles[0], f"{BIRCH.label}, engrave")
        self.assertEqual(len(titles), len(set(titles)))
        self.find("")
        self.assertEqual(self.session.subject.task, "engrave")
        self.session.store.remove("stock", BIRCH.uid, "test")
        self.session.read_again()
        self.assertNotIn(BIRCH.label, " ".join(one.title for one in find_places(self.session, "")))


class LanguageTest(PlacesCase):
    def setUp(self):
        self.chosen = []
        super().setUp()

    def choose(self, chosen):
        self.chosen.append(chosen)

    def open(self, *given, **outside):
        doors = {"choose_language": self.choose, "choose_lengths": self.choose}
        return super().open(*given, **doors | outside)

    def languages(self):
        return {words: one for words, one in self.actions().items() if words in LANGUAGES.values()}

    def actions(self):
        """What stands in the last part of the book's menu."""
        self.menu = self.window.page("book").make_menu()
        return {one.text(): one for one in self.menu.actions()[-1].menu().actions()}

    def test_the_books_menu_ends_with_the_languages_the_present_one_ticked(self):
        self.window.navigate("book")
        found = self.languages()
        self.assertEqual(list(found), ["English", "Deutsch"])
        self.assertEqual([one.isChecked() for one in found.values()], [True, False])
        found["Deutsch"].trigger()
        self.assertEqual(self.chosen, ["de"])
        self.assertIn("ab dem nächsten Start deutsch", self.session.problem)
        found["English"].trigger()
        self.assertIn("English from the next start on", self.session.problem)

    def test_ctrl_k_finds_it_by_either_word_and_enter_chooses_it(self):
        for typed in ("sprache deutsch", "language deutsch", "german"):
            (found,) = [
                one
                for one in find_places(self.session, typed)
                if one.kind == "act" and one.key == "language:de"
            ]
            self.assertEqual(found.title, "Language: Deutsch")
        self.ctrl(Qt.Key.Key_K)
        finder = self.window.findChild(Finder)
        self.type("sprache deutsch", finder.field)
        self.key(Qt.Key.Key_Return, widget=finder.field)
        self.wait_for(lambda: self.chosen)
        self.assertEqual(self.chosen, ["de"])

    def test_inches_are_chosen_by_ctrl_k_and_taken_back_in_the_menu(self):
        self.ctrl(Qt.Key.Key_K)
        finder = self.window.findChild(Finder)
        self.type("lengths inch", finder.field)
        self.key(Qt.Key.Key_Return, widget=finder.field)
        self.wait_for(lambda: self.chosen)
        self.assertIn("lengths from the next start on", self.session.problem)
        self.assertEqual(self.session.preferences.speed_unit, "in/min")
        self.window.navigate("book")
        actions = self.actions()
        self.assertTrue(actions["Lengths in millimetres"].isChecked())  # until the next start
        actions["Lengths in millimetres"].trigger()
        self.assertEqual(self.chosen, ["in", "mm"])
        self.assertEqual(self.session.preferences.speed_unit, "mm/min")

    def test_a_folder_of_settings_that_cannot_be_written_is_told(self):
        def refuse(_language):
            raise CannotWrite("The language cannot be kept in /x: Permission denied.")

        self.shut()
        self.open(choose_language=refuse)
        self.window.choose_language("de")
        self.assertIn("cannot be kept in /x", self.session.problem)
