"""The first whole path in the real window: from an empty library to a proven entry, found again
after a restart.
"""

from PySide6.QtCore import Qt

from olive_almanac.core.units import count_text
from olive_almanac.core.words import tr
from olive_almanac.steps.book import STATE_WORDS
from olive_almanac.steps.checklist import standing
from olive_almanac.views.finder import Finder
from tests.views.qt_case import WindowCase


class WholePathTest(WindowCase):
    def read_all_by_keys(self):
        """Give each cell the verdict that the stand-in's coupon shows, with the keyboard alone."""
        session, page = self.session, self.page()
        keys = {"free": "T", "push": "H", "hangs": "H", "not_through": "N"}
        while page.presenter.left:
            seen = session.active.burnt[page.presenter.cell.id].seen
            if seen.char == 3:
                self.type("F", page)
                continue
            if seen.char:
                self.type(str(seen.char + 1), page)
            self.type(keys[seen.verdict], page)

    def add_machine_and_stock(self):
        self.press("Add your machine")
        page = self.page()
        self.assertEqual(self.window.station, "set_up")
        self.type("Long Bed", page.machine_form.fields["name"])
        picker = page.machine_form.fields["source"]
        self.click(picker)
        popup = self.app.activePopupWidget()
        self.type("CO", popup.filter)
        self.key(Qt.Key.Key_Return, widget=popup.filter)
        self.assertEqual(page.machine_form.texts()["optical_power_w"], "60")
        self.assertEqual(page.machine_form.texts()["name"], "Long Bed")
        self.press("Add this machine")
        self.retype(page.stock_form.fields["name"], "Birch ply")
        self.retype(page.stock_form.fields["lot"], "7")
        self.press("Add this stock")

    def burn_at_once(self):
        page = self.page()
        self.click(page.pace, self.point(page.pace.width() - 12, 15))
        self.press("Burn on the stand-in")
        self.wait_for(lambda: page.presenter.state == "done")
        self.press("Read the coupon")

    def test_from_an_empty_library_to_a_proven_entry_found_again_after_a_restart(self):
        self.open()
        self.assertEqual(self.session.catalogue.machines, ())
        self.add_machine_and_stock()
        self.assertEqual(self.window.station, "set_up")  # the newcomer is led on to the checklist
        self.press("Plan a trial")
        self.assertEqual(self.window.station, "plan")
        for _ in range(4):
            self.write_burn_file()
            self.burn_at_once()
            self.assertEqual(self.window.station, "read")
            self.read_all_by_keys()
            self.ctrl(Qt.Key.Key_Return)
            self.assertEqual(self.window.station, "decide")
            page = self.page()
            self.wait_for(lambda page=page: page.presenter.map is not None)
            self.settle(100)
            if page.presenter.pick is not None:
                break
            self.press("Plan the next cells")
        self.press("Write into the book")
        self.assertEqual(self.window.station, "book")
        self.assertEqual(self.session.state[0], "trial")
        chosen = self.session.entry
        self.press("Confirm run")
        self.assertEqual(self.window.station, "plan")
        self.until_suggested()
        self.retype(self.page().choices.own["sheet_size"], "400 x 300")
        self.wait_for(lambda: self.page().presenter.plan is not None)
        self.wait_for(lambda: self.page().presenter.plan is not None)
        self.write_burn_file()
        self.burn_at_once()
        self.read_all_by_keys()
        self.assertEqual(self.session.state[0], "proven")
        self.ctrl(Qt.Key.Key_Return)
        self.assertEqual(self.window.station, "decide")
        burns = count_text(3, "burn")
        said = tr("{good} of {burns} {did}.", good=3, burns=burns, did=tr("fell free"))
        self.wait_for(lambda: said in self.page().says.text())
        self.assertIn(STATE_WORDS["proven"][0], self.page().says.text())
        self.press("Open the entry")
        self.assertEqual(self.window.station, "book")
        self.assertEqual(self.session.entry.evidence, chosen.evidence)
        wanted = self.session.entry
        self.shut()

        self.open()
        self.assertEqual(self.session.state[0], "proven")
        self.alt(Qt.Key.Key_2)
        self.assertEqual(self.window.station, "plan")
        self.ctrl(Qt.Key.Key_K)
        finder = self.window.findChild(Finder)
        self.type("3 mm birch cut", finder.field)
        self.assertEqual(finder.model.hits[0].entry, wanted)
        self.key(Qt.Key.Key_Return, widget=finder.field)
        self.assertEqual(self.window.station, "book")
        self.assertEqual(self.session.entry, wanted)
        self.assertEqual(self.clipped(), [])

    def test_from_first_start_to_a_burn_file_in_a_few_acts(self):
        self.open()
        page = self.page()
        self.wait_for(lambda: "quickest cut lies between" in page.welcome.answer.text())
        watts = page.welcome._fields["watts"]
        self.retype(watts, "40")  # act 1; the other words stand as they are
        self.key(Qt.Key.Key_Return, widget=watts)  # act 2
        self.assertEqual(self.window.station, "plan")
        self.assertEqual(self.session.subject.machine.optical_power_w, 40)
        self.wait_for(lambda: self.page().presenter.plan is not None)
        self.ctrl(Qt.Key.Key_Return)  # act 3
        self.wait_for(lambda: self.window.station == "burn")

    def test_tab_leads_through_the_sentence_to_its_key(self):
        self.open()
        welcome = self.page().welcome
        self.wait_for(lambda: welcome.begin.isVisible())
        self.window.activateWindow()
        for _ in range(5):
            self.key(Qt.Key.Key_Tab, widget=self.app.focusWidget())
        self.assertIs(self.app.focusWidget(), welcome.begin)
        self.key(Qt.Key.Key_Space, widget=welcome.begin)
        self.assertEqual(self.window.station, "plan")

    def test_a_half_said_sentence_stays_in_another_theme(self):
        self.open()
        self.retype(self.page().welcome._fields["watts"], "35")
        self.ctrl(Qt.Key.Key_L)
        self.assertEqual(self.page().welcome._fields["watts"].text(), "35")
        self.ctrl(Qt.Key.Key_L)

    def test_the_same_path_by_keyboard_alone(self):
        self.open()
        self.key(Qt.Key.Key_Space, widget=self.page().welcome.add_machine)
        self.assertEqual(self.window.station, "set_up")
        self.type("Long Bed")  # the first field has the focus
        self.key(Qt.Key.Key_Tab)
        picker = self.page().machine_form.fields["source"]
        self.assertTrue(picker.hasFocus())
        self.key(Qt.Key.Key_Space, widget=picker)
        popup = self.app.activePopupWidget()
        self.key(Qt.Key.Key_Down, widget=popup.filter)
        self.key(Qt.Key.Key_Return, widget=popup.filter)
        self.ctrl(Qt.Key.Key_Return)
        self.type("Birch ply", self.page().stock_form.fields["name"])
        self.key(Qt.Key.Key_Return, widget=self.page().stock_form.fields["name"])
        for _ in range(5):  # tick the four lines that do not hang on the trial, then go on
            self.ctrl(Qt.Key.Key_Return)
        self.assertEqual(self.window.station, "plan")
        self.assertEqual(len(standing(self.session)), 4)
        self.until_suggested()
        self.ctrl(Qt.Key.Key_Return)
        self.wait_for(lambda: self.window.station == "burn")
        self.alt(Qt.Key.Key_1)
        for _ in range(4):  # the three that came with it, then go on
            self.ctrl(Qt.Key.Key_Return)
        self.assertEqual(self.window.station, "burn")
        self.assertEqual(len(standing(self.session)), 7)
        page = self.page()
        self.key(Qt.Key.Key_Right, widget=page.pace)
        self.ctrl(Qt.Key.Key_Return)
        self.wait_for(lambda: page.presenter.state == "done")
        self.ctrl(Qt.Key.Key_Return)
        self.read_all_by_keys()
        self.ctrl(Qt.Key.Key_Return)
        self.wait_for(lambda: self.page().presenter.map is not None)
        self.assertEqual(self.window.station, "decide")
        self.ctrl(Qt.Key.Key_P)
        self.alt(Qt.Key.Key_6)
        self.assertEqual(self.window.station, "book")
