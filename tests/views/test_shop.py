"""The Shop station in the window, by keys and by mouse: what is due, acts noted, corrected and
taken back.
"""

from datetime import UTC, datetime, timedelta
from unittest import mock

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QLabel, QPushButton

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.records.service import ServiceAct
from olive_almanac.steps.shop_files import SHOP_FILES
from olive_almanac.steps.upkeep import check_water
from olive_almanac.storage.library import Library
from olive_almanac.views.shop.costs import CostsDialog
from olive_almanac.views.shop.page import PartLine
from tests.samples import LONG
from tests.views.test_stations import ShopCase


class ShopPageTest(ShopCase):
    def fill(self, library):
        ago = datetime(2026, 4, 14, tzinfo=UTC) - timedelta(days=40)
        library.save_act(ServiceAct("a1", LONG.uid, "mirror_3", "clean", ago.isoformat()), "noted")

    def setUp(self):
        super().setUp()
        self.alt(Qt.Key.Key_8)
        self.wait_for(lambda: self.lines())

    def lines(self):
        return self.page().findChildren(PartLine)

    def line(self, part):
        return next(line for line in self.lines() if line.due.part.id == part)

    def texts(self):
        return [one.text() for one in self.page().findChildren(QLabel) if one.isVisible()]

    def test_by_keys_a_cleaning_is_noted_found_and_taken_back(self):
        page = self.page()
        self.assertIn("Someone can be hurt", page.says.text())
        mirror = self.line("mirror_3")
        self.assertTrue(mirror.due.is_now)
        self.key(Qt.Key.Key_Space, widget=mirror)
        self.assertEqual(page.panel.title.text(), "Mirror in the head")
        self.type("12", page.panel.fields["minutes"])
        self.key(Qt.Key.Key_Space, widget=page.panel.found)
        popup = self.app.activePopupWidget()
        self.type("dirty", popup.filter)
        self.key(Qt.Key.Key_Return, widget=popup.filter)
        self.window.activateWindow()
        self.wait_for(self.window.isActiveWindow)
        self.ctrl(Qt.Key.Key_Return)
        self.wait_for(lambda: not self.line("mirror_3").due.is_now)
        self.assertTrue(any("found dirty, 12 min" in words for words in self.texts()))
        (kept,) = [act for act in self.kept() if act.uid != "a1"]
        self.assertEqual((kept.part, kept.kind, kept.found), ("mirror_3", "clean", "dirty"))
        self.key(Qt.Key.Key_Space, widget=page.panel.keep)
        self.assertIn("already", page.panel.problem.text())
        self.assertEqual(len(self.kept()), 2)
        page.presenter.take_back(kept.uid)
        self.wait_for(lambda: self.line("mirror_3").due.is_now)
        self.assertEqual(self.clipped(), [])

    def pick(self, picker, text):
        """Click a picker and a line of its list."""
        self.click(picker)
        popup = self.app.activePopupWidget()
        model = popup.list.model()
        lines = [model.index(row, 0) for row in range(model.rowCount())]
        line = next(line for line in lines if text in line.data())
        popup.list.scrollTo(line)
        self.click(popup.list.viewport(), popup.list.visualRect(line).center())

    def take(self, part):
        """Click the line of a part, scrolled into view as by the wheel."""
        self.page().area.ensureWidgetVisible(self.line(part))
        self.click(self.line(part))
        self.assertEqual(self.page().panel.part, part)

    def take_back(self):
        keys = self.page().panel.findChildren(QPushButton)
        (away,) = [key for key in keys if key.text() == "take back" and key.isVisible()]
        self.click(away)

    def test_by_mouse_with_nothing_but_numbers_typed_every_act_is_noted(self):
        page = self.page()
        panel = page.panel
        self.take("mirror_3")
        self.pick(panel.found, "dirty")
        self.retype(panel.fields["minutes"], "12")
        self.click(panel.keep)
        self.wait_for(lambda: not self.line("mirror_3").due.is_now)
        self.take("water")
        self.retype(panel.fields["celsius"], "33")
        self.click(panel.keep)
        self.wait_for(lambda: "33 °C" in page.says.text())
        self.retype(panel.fields["note"], "7")
        self.click(panel.override)
        self.wait_for(lambda: "33 °C" not in page.says.text())
        self.retype(panel.intervals["days"], "3")
        self.click(panel.set_interval)
        self.wait_for(lambda: panel.whose.text() == "this shop's own")
        self.take("power")
        self.retype(panel.fields["watts"], "57")
        self.retype(panel.fields["at_percent"], "100")
        self.click(panel.keep)
        self.retype(page.hours, "120")
        self.click(page.correct)
        self.wait_for(lambda: page.counters.text().startswith("120 h on"))
        self.assertEqual(
            sorted((act.part, act.kind) for act in self.kept() if act.uid != "a1"),
            [
                ("hours", "correct"),
                ("mirror_3", "clean"),
                ("power", "check"),
                ("water", "check"),
                ("water", "interval"),
                ("water", "override"),
            ],
        )
        self.take("mirror_3")
        self.take_back()  # the newest: the hours
        self.wait_for(lambda: page.counters.text().startswith("0 h on"))
        self.take_back()
        self.wait_for(lambda: self.line("mirror_3").due.is_now)
        self.pick(page.machine, "North Bench")
        self.wait_for(lambda: all(line.due.part.id != "tube" for line in self.lines()))

    def test_arrows_take_the_next_part_and_tab_leaves_the_list(self):
        page = self.page()
        (held,) = [line for line in self.lines() if line.held]
        page.keys[-1].setFocus()
        self.key(Qt.Key.Key_Tab, widget=page.keys[-1])
        self.assertIs(self.app.focusWidget(), held)
        self.key(Qt.Key.Key_Down, widget=held)
        line = self.app.focusWidget()
        self.assertIs(line, self.lines()[1])
        self.assertEqual(page.panel.part, line.due.part.id)
        self.key(Qt.Key.Key_Tab, widget=line)
        self.assertIs(self.app.focusWidget(), page.panel.found)
        self.key(Qt.Key.Key_Backtab, widget=page.panel.found)
        self.assertIs(self.app.focusWidget(), line)
        self.key(Qt.Key.Key_Up, widget=line)
        self.assertIs(self.app.focusWidget(), held)
        for _ in self.lines():
            self.key(Qt.Key.Key_Down, widget=self.app.focusWidget())
        last = self.app.focusWidget()
        self.assertIs(last, self.lines()[-1])
        self.assertTrue(last.visibleRegion().contains(last.rect().center()))

    def kept(self):
        library = Library.open(self.folder)
        self.addCleanup(library.close)
        return library.acts()

    def test_water_an_interval_and_hours_are_typed_and_wrong_numbers_are_told(self):
        page = self.page()
        self.key(Qt.Key.Key_Space, widget=self.line("water"))
        self.assertTrue(page.panel.water.isVisible())
        page.panel.fields["celsius"].setText("warm")
        self.ctrl(Qt.Key.Key_Return)
        self.assertIn("Temperature", page.panel.problem.text())
        page.panel.fields["celsius"].setText("19.5")
        self.ctrl(Qt.Key.Key_Return)
        self.wait_for(lambda: any("19.5 °C" in words for words in self.texts()))
        days = page.panel.intervals["days"]
        days.setFocus()
        days.selectAll()
        self.type("3", days)
        self.key(Qt.Key.Key_Space, widget=page.panel.set_interval)
        self.wait_for(lambda: page.panel.whose.text() == "this shop's own")
        self.type("-x", page.hours)
        self.key(Qt.Key.Key_Space, widget=page.correct)
        self.assertIn("Hours", page.panel.problem.text())
        page.hours.selectAll()
        self.type("120", page.hours)
        self.key(Qt.Key.Key_Space, widget=page.correct)
        self.wait_for(lambda: page.counters.text().startswith("120 h on"))

    def test_hot_water_bars_burning_until_it_is_read_again_or_decided(self):
        page = self.page()
        self.key(Qt.Key.Key_Space, widget=self.line("water"))
        page.panel.fields["celsius"].setText("33")
        self.key(Qt.Key.Key_Space, widget=page.panel.keep)
        self.wait_for(lambda: "33 °C" in page.says.text())
        with self.assertRaisesRegex(AlmanacError, "not burnt"):
            check_water(self.session, LONG)
        self.key(Qt.Key.Key_Space, widget=page.panel.override)
        self.assertIn("Say in the note", page.panel.problem.text())
        page.panel.fields["note"].setText("the sensor is broken, the tank is cold")
        self.key(Qt.Key.Key_Space, widget=page.panel.override)
        self.wait_for(lambda: "33 °C" not in page.says.text())
        check_water(self.session, LONG)
        self.assertIn("the sensor is broken", " ".join(self.texts()))

    def test_the_shops_files_are_written_and_a_full_disk_is_told(self):
        page = self.page()
        for kind, begin in (("week", b"%PDF"), ("log", b"%PDF"), ("calendar", b"BEGIN:VCALENDAR")):
            words, suggested, _ = SHOP_FILES[kind]
            target = self.folder.parent / suggested
            (key,) = [one for one in page.findChildren(QPushButton) if one.text() == words]
            with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(target), "")):
                self.key(Qt.Key.Key_Space, widget=key)
            self.wait_for(lambda name=suggested: name in page.said.text())
            self.assertTrue(target.read_bytes().startswith(begin))
        nowhere = str(self.folder.parent / "week.pdf" / "due.ics")
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(nowhere, "")):
            self.key(Qt.Key.Key_Space, widget=key)
        self.wait_for(lambda: "due.ics" in self.session.problem)

    def test_by_keys_what_an_hour_costs(self):
        page = self.page()
        self.key(Qt.Key.Key_Space, widget=page.change_costs)
        dialog = page.findChild(CostsDialog)
        for key, text in (("source", "420"), ("life", "x"), ("filters", "90 / 150; 35 / 40")):
            dialog.fields[key].setFocus()
            dialog.fields[key].selectAll()
            self.type(text, dialog.fields[key])
        self.assertFalse(dialog.keep.isEnabled())
        dialog.fields["life"].setFocus()
        dialog.fields["life"].selectAll()
        self.type("3000", dialog.fields["life"])
        self.assertIn("1.6", dialog.told.text())
        self.key(Qt.Key.Key_Space, widget=dialog.keep)
        machine = self.session.catalogue.machine(LONG.uid)
        self.assertAlmostEqual(machine.costs.an_hour, 1.615)
        self.wait_for(lambda: "1.6" in page.costs.text())

    def test_it_fits_small_windows_and_other_machines(self):
        self.window.resize(1024, 700)
        self.app.processEvents()
        self.wait_for(lambda: self.lines())
        self.assertEqual(self.clipped(), [])
        self.page().presenter.choose_machine("north-bench")
        self.wait_for(lambda: all(line.due.part.id != "tube" for line in self.lines()))
