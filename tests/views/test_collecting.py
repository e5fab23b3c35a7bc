"""What was dropped goes: in the interface thread, between two events, and whole."""

import gc
import linecache
import resource
import sys
import tempfile
import threading
import weakref
from pathlib import Path

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialog

from olive_almanac.core.errors import OutOfRange
from olive_almanac.views.worker import LatestWork, once
from tests.views.qt_case import WindowCase

MANY = 50_000  # many more than Python makes between two collections


class Heard:
    """One who is told by a work; he holds himself, so that nothing but a collection clears him."""

    def __init__(self):
        self.told, self.himself = [], self

    def take(self, news):
        self.told.append(news)


class CollectingTest(WindowCase):
    def dropped_dialog(self):
        """The threads in which a dropped dialog that holds itself was destroyed, once it is."""
        destroyed_in = []
        self.dialog(destroyed_in)
        return destroyed_in

    def old_dialog(self, destroyed_in):
        """A dialog that holds itself and has stood for a while."""
        dialog = self.dialog(destroyed_in)
        gc.collect()
        return dialog

    def dialog(self, destroyed_in):
        dialog = QDialog()
        dialog.held_by = dialog
        dialog.destroyed.connect(
            lambda: destroyed_in.append(threading.get_ident()), Qt.ConnectionType.DirectConnection
        )
        return dialog

    def test_not_in_a_worker_that_makes_many_objects(self):
        self.open()
        destroyed_in, made = self.dropped_dialog(), []

        def work():
            made.append([[] for _ in range(MANY)])
            yield threading.get_ident()

        found = []
        self.window.work(work(), found.append)
        self.wait_for(lambda: found)
        self.assertEqual(len(made[0]), MANY)
        made[0] += [[] for _ in range(MANY)]
        self.wait_for(lambda: destroyed_in)
        self.assertEqual(destroyed_in, [threading.get_ident()])
        self.assertNotEqual(found, destroyed_in)

    def test_not_amid_what_qt_calls(self):
        self.open()
        destroyed_in = self.dropped_dialog()
        made = [[] for _ in range(MANY)]
        self.assertEqual(destroyed_in, [])
        made += [[] for _ in range(MANY)]
        self.wait_for(lambda: destroyed_in)
        self.assertEqual(len(made), 2 * MANY)

    def test_what_is_old_goes_by_how_much_was_made_since(self):
        self.open()
        destroyed_in, held = [], []
        held.append(self.old_dialog(destroyed_in))
        held.clear()
        young, middle, old = gc.get_threshold()
        made = [[] for _ in range(2 * young * middle * old)]
        self.wait_for(lambda: destroyed_in)
        self.assertEqual(len(made), 2 * young * middle * old)

    def test_what_is_old_goes_in_a_rest_after_little_was_made(self):
        self.open()
        self.settle(2000)  # what was made to open it
        destroyed_in, held = [], []
        held.append(self.old_dialog(destroyed_in))
        held.clear()
        made = [[] for _ in range(2 * gc.get_threshold()[0])]
        self.wait_for(lambda: destroyed_in)
        self.assertEqual(len(made), 2 * gc.get_threshold()[0])

    def test_what_is_old_waits_while_something_is_dragged(self):
        self.open()
        destroyed_in, held = [], []
        held.append(self.old_dialog(destroyed_in))
        before = gc.get_threshold()
        self.addCleanup(gc.set_threshold, *before)
        QTest.mousePress(self.window, Qt.MouseButton.LeftButton, pos=QPoint(5, 5))
        held.clear()
        gc.set_threshold(1, 0, 0)  # the oldest is due at once
        self.settle(2000)
        self.assertEqual(destroyed_in, [])
        QTest.mouseRelease(self.window, Qt.MouseButton.LeftButton, pos=QPoint(5, 5))
        self.wait_for(lambda: destroyed_in)

    def test_a_work_that_has_ended_keeps_nobody_who_heard_of_it(self):
        self.open()
        latest, heard, gone = LatestWork(self.window.work), [], []
        for begin in (self.window.work, latest.start):
            for work in (once(lambda: 1), self.that_fails()):
                one = Heard()
                gone.append(weakref.ref(one))
                begin(work, one.take, heard.append)
                del one
                self.wait_for(lambda: not self.window.is_busy)
        latest.stop()
        self.wait_for(lambda: not self.window.is_busy)
        self.settle(50)
        gc.collect()
        self.assertEqual([one() for one in gone], [None] * 4)

    @staticmethod
    def that_fails():
        yield 1
        raise OutOfRange("Speed", 0, "more")

    def test_python_does_it_again_once_the_window_is_closed(self):
        self.open()
        self.assertFalse(gc.isenabled())
        self.window.close()
        self.assertTrue(gc.isenabled())

    def test_what_was_freed_between_what_is_kept_goes_back_to_the_system(self):
        self.open()
        pieces = [bytes(20_000) for _ in range(4_000)]
        with_them_mb = self.memory_mb()
        pieces = pieces[::20]  # 76 MB go
        made = [[] for _ in range(MANY)]
        self.wait_for(lambda: self.memory_mb() < with_them_mb - 40)
        self.assertEqual((len(pieces), len(made)), (200, MANY))

    @staticmethod
    def memory_mb():
        pages = int(Path("/proc/self/statm").read_text().split()[1])
        return pages * resource.getpagesize() / 1e6

    def test_the_source_of_what_is_loaded_is_not_kept(self):
        self.open()
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "loaded_beside.py"
            path.write_text("THERE = True\n")
            sys.path.insert(0, folder)
            self.addCleanup(sys.path.remove, folder)
            self.addCleanup(sys.modules.pop, path.stem)
            self.assertTrue(__import__(path.stem).THERE)
        self.assertFalse(str(path) in linecache.cache)
