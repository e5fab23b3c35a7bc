"""The window over long use: nothing piles up, and a run is never left alone."""

from PySide6.QtCore import QEvent, Qt
from PySide6.QtWidgets import QApplication

from olive_almanac.steps.stations import STATIONS
from olive_almanac.views.finder import Finder
from olive_almanac.views.window import MainWindow
from olive_almanac.views.worker import Worker
from tests.views.test_stations import ShopCase


class LongUseTest(ShopCase):
    def visit_all(self):
        for one in STATIONS:
            self.window.navigate(one.id)
            self.settle(20)
        self.wait_for(lambda: not self.window.is_busy)

    def widgets(self):
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
        return len(QApplication.allWidgets())

    def test_looks_sizes_and_finders_leave_no_widget_and_no_worker_behind(self):
        self.visit_all()
        self.window.switch_theme()
        self.visit_all()
        before = self.widgets()
        for _ in range(3):
            self.window.switch_theme()
            self.visit_all()
            self.window.find()
            (finder,) = [one for one in self.window.findChildren(Finder) if one.isVisible()]
            self.key(Qt.Key.Key_Escape, widget=finder)
            self.window.change_scale(1)
            self.window.change_scale(0)
            self.visit_all()
        self.assertLess(self.widgets(), before + 30)
        self.assertEqual(self.window.findChildren(Worker), [])

    def test_a_run_goes_on_through_another_look_and_is_not_left_for_an_exercise(self):
        self.plan_grid()
        self.write_burn_file()
        page = self.page()
        page.pace.set_at(1)
        self.press("Burn on the stand-in")
        self.wait_for(lambda: self.session.active.burnt)
        self.window.switch_theme()
        self.settle()
        self.assertIs(self.page(), page)
        self.assertTrue(page.isVisible())
        burnt = len(self.session.active.burnt)
        self.wait_for(lambda: len(self.session.active.burnt) > burnt)
        self.window.open_demo()
        self.assertIn("A coupon is burning", self.session.problem)
        page.stop()
        self.window.switch_theme()
        self.settle()
        self.assertIsNot(self.page(), page)
        self.assertEqual(self.page().main.text(), "Burn the rest")


class SecondStartTest(ShopCase):
    def test_a_second_start_on_the_same_library_says_so_and_works(self):
        self.assertEqual(self.session.problem, "")
        second = MainWindow(self.folder, self.outside)
        self.addCleanup(second.deleteLater)
        self.addCleanup(second.close)
        second.open_library()
        self.wait_for(lambda: second.session.library is not None)
        self.assertIn("open in another window", second.session.problem)
        self.assertEqual(second.session.catalogue.machines, self.session.catalogue.machines)

    def test_a_window_that_was_closed_leaves_no_lock(self):
        self.shut()
        self.open()
        self.assertEqual(self.session.problem, "")
