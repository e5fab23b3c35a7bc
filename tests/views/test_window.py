"""The window over long use: nothing piles up, and a run is never left alone."""

import ctypes
import gc
from unittest.mock import patch

from PySide6.QtCore import QEvent, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton, QVBoxLayout, QWidget

from olive_almanac.core.errors import AlmanacError
from olive_almanac.formats.pdf import entry_code, trial_code
from olive_almanac.steps.stations import STATIONS
from olive_almanac.views.big_type import BigType
from olive_almanac.views.finder import Finder
from olive_almanac.views.parts import clear_layout, label
from olive_almanac.views.window import MainWindow
from olive_almanac.views.worker import Worker
from tests.views.test_stations import ShopCase


class HeapInfo(ctypes.Structure):
    """What the C library tells of its heap (mallinfo2)."""

    NAMES = (
        *("arena", "ordblks", "smblks", "hblks", "hblkhd"),
        *("usmblks", "fsmblks", "uordblks", "fordblks", "keepcost"),
    )
    _fields_ = tuple((name, ctypes.c_size_t) for name in NAMES)


of_the_heap = ctypes.CDLL("libc.so.6").mallinfo2
of_the_heap.restype = HeapInfo


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
        for _ in range(2):
            self.window.switch_theme()
            self.visit_all()
            self.window.find()
            (finder,) = [one for one in self.window.findChildren(Finder) if one.isVisible()]
            self.key(Qt.Key.Key_Escape, widget=finder)
            self.window.change_scale(1)
            self.window.change_scale(0)
            self.visit_all()
        self.assertLess(self.widgets(), before + 30)
        self.assertEqual(len(self.window.findChildren(BigType)), 1)
        self.assertEqual(self.window.findChildren(Worker), [])

    def test_going_from_station_to_station_takes_no_memory(self):
        def held():
            QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
            self.settle(300)
            gc.collect()
            return of_the_heap().uordblks  # bytes in use

        def go_about(times):
            for _ in range(times):
                for station in ("jobs", "shop", "read", "set_up", "book"):
                    self.window.navigate(station)
                    self.settle(15)

        self.visit_all()
        go_about(10)
        before = held()
        go_about(50)  # a new area a visit took 1,500 bytes, what was taken from layouts 200 to 500
        self.assertLess(held() - before, 60_000)

    def test_what_is_cleared_from_a_layout_is_gone(self):
        holder = QWidget()
        column = QVBoxLayout(holder)

        def fill_and_clear(times):
            for _ in range(times):
                column.addWidget(label("a word"))
                column.addSpacing(4)
                clear_layout(column)
                QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
            gc.collect()
            return of_the_heap().uordblks

        before = fill_and_clear(100)
        self.assertLess(fill_and_clear(500) - before, 20_000)  # it was 180 bytes each time

    def test_a_run_goes_on_through_another_look_and_is_not_left_for_an_exercise(self):
        self.plan_grid()
        self.write_burn_file()
        page = self.page()
        page.pace.set_at(1)
        self.press("Burn on the stand-in")
        self.wait_for(lambda: self.session.active.burnt)
        page.pace._choose(0)  # in real time it is not over while the look changes
        self.window.switch_theme()
        self.settle()
        self.assertIs(self.page(), page)
        self.assertTrue(page.isVisible())
        burnt = len(self.session.active.burnt)
        page.pace._choose(1)
        self.wait_for(lambda: len(self.session.active.burnt) > burnt)
        page.pace._choose(0)
        self.window.open_demo()
        self.assertIn("A run is going on", self.session.problem)
        page.stop()
        self.window.switch_theme()
        self.settle()
        self.assertIsNot(self.page(), page)
        self.assertEqual(self.page().main.text(), "Burn the rest")


class ScannerTest(ShopCase):
    def scan(self, code):
        """Keys as a scanner sends them: faster than hands, with Enter behind."""
        QTest.keyClicks(self.app.focusWidget(), code)
        QTest.keyClick(self.app.focusWidget(), Qt.Key.Key_Return)
        self.settle()

    def test_a_code_opens_its_trial_or_entry_from_any_page_and_from_a_field(self):
        self.plan_grid()
        self.write_burn_file()
        trial = self.session.active.trial
        (entry, *_) = self.session.catalogue.entries
        self.window.navigate("set_up")
        self.page().show_part(self.page().forms)
        field = self.page().stock_form.fields["name"]
        field.setFocus()
        name = field.text()
        self.scan(entry_code(entry.uid))
        self.assertEqual(self.window.station, "book")
        self.assertEqual(self.session.entry.uid, entry.uid)
        self.assertEqual(field.text(), name)
        self.scan(trial_code(trial.id))
        self.assertEqual((self.window.station, self.session.active.trial.id), ("burn", trial.id))
        self.scan(trial_code("somebody-elses"))
        self.assertIn("no trial with that code", self.session.problem)

    def test_what_hands_type_arrives_whole_and_in_order(self):
        self.window.navigate("set_up")
        self.page().show_part(self.page().forms)
        field = self.page().stock_form.fields["name"]
        field.setFocus()
        field.clear()
        for text in ("olive", " oak o", "olive-almanac:x"):
            QTest.keyClicks(field, text)
        self.settle(120)
        self.assertEqual(field.text(), "olive oak oolive-almanac:x")


class BigTypeTest(ShopCase):
    def test_what_is_in_hand_is_shown_large_and_its_keys_still_work(self):
        self.plan_grid()
        self.write_burn_file()
        self.page().pace.set_at(2)
        self.window.big_type.toggle()
        self.assertIn("Next: cell", self.window.big_type.shown.thing)
        self.ctrl(Qt.Key.Key_Return)
        self.wait_for(lambda: self.session.active.stage == "read")
        self.key(Qt.Key.Key_Escape, widget=self.window.big_type)
        self.assertFalse(self.window.big_type.isVisible())
        self.window.navigate("read")
        self.window.big_type.toggle()
        first = self.window.big_type.shown.thing
        self.key(Qt.Key.Key_T, widget=self.window.big_type)
        self.assertEqual(len(self.session.active.readings), 1)
        self.key(Qt.Key.Key_Right, widget=self.window.big_type)
        self.assertNotEqual(self.window.big_type.shown.thing, first)
        self.assertEqual(self.window.big_type.size(), self.window.size())

    def test_escape_stops_a_run_that_is_watched_from_afar(self):
        self.plan_grid()
        self.write_burn_file()
        page = self.page()
        page.pace.set_at(1)
        self.press("Burn on the stand-in")
        self.wait_for(lambda: self.session.active.burnt)
        page.pace._choose(0)
        self.window.big_type.toggle()
        self.assertTrue(page.is_running())
        self.key(Qt.Key.Key_Escape, widget=self.window.big_type)
        self.assertFalse(page.is_running())
        self.assertTrue(self.window.big_type.isVisible())


class KeyAtRestTest(ShopCase):
    def test_a_key_is_back_before_words_ask_for_the_next_press(self):
        key, seen = QPushButton("Arm", self.window), []
        self.window.work_at_rest(key, lambda: "armed", lambda _: seen.append(key.isEnabled()))
        self.assertFalse(key.isEnabled())
        self.wait_for(lambda: seen)
        self.assertEqual(seen, [True])

    def test_a_key_is_back_after_a_fault_and_the_fault_is_told(self):
        def fail():
            raise AlmanacError("The port is gone.")

        key = QPushButton("Arm", self.window)
        self.window.work_at_rest(key, fail, self.fail)
        self.wait_for(key.isEnabled)
        self.assertEqual(self.session.problem, "The port is gone.")


class FrameTest(ShopCase):
    def test_a_window_gives_way_to_the_frame_that_a_desktop_puts_around_it(self):
        screen = self.window.screen().availableGeometry()
        self.window.setGeometry(screen)
        framed = self.window.geometry().adjusted(-1, -24, 1, 4)
        with patch.object(MainWindow, "frameGeometry", return_value=framed):
            self.window.hide()
            self.window.show()
            self.wait_for(lambda: self.window.height() == screen.height() - 28)
        self.assertEqual(self.window.width(), screen.width() - 2)


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
