"""Base class of tests that drive the window: offscreen, one application, real mouse and
key events.
"""

import itertools
import os
import sys
import tempfile
import time
import traceback
import unittest
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from unittest.mock import Mock

from olive_almanac.views.headless import use_virtual_screen

if "QT_QPA_PLATFORM" not in os.environ:
    use_virtual_screen(1920, 1200)
from PySide6.QtCore import QEventLoop, QPoint, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QLabel, QLineEdit, QPushButton

from olive_almanac import __main__ as program
from olive_almanac.steps.checklist import Checklist
from olive_almanac.storage.engines import PLAYGROUND
from olive_almanac.views.application import make_application
from olive_almanac.views.window import MainWindow
from tests.views.painted import cut_on

NOON = datetime(2026, 4, 14, 12, 0, tzinfo=UTC)


class QtCase(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.app = make_application()

    def wait_for(self, done, seconds=60.0):
        """Spin the event loop until done() is true; fail at the time limit.

        QTest.qWait holds the GIL, so Python threads would stand still; QEventLoop.exec lets them
        run.
        """
        end = time.monotonic() + seconds
        while not done() and time.monotonic() < end:
            self.settle(5)
        self.assertTrue(done(), f"not done after {seconds} s")

    def settle(self, milliseconds=30):
        """Let the window work so long, and do all that was asked for until then: on a slow machine
        the time is over while much of it still waits.
        """
        loop = QEventLoop()
        QTimer.singleShot(milliseconds, lambda: QTimer.singleShot(0, loop.quit))
        loop.exec()


class WindowCase(QtCase):
    """A window on a library of its own, with helpers that click and type as a person would."""

    def setUp(self):
        self.watch_faults()
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name) / "library"
        self.outside = program.make_services(
            Path(holder.name) / "preferences.json",
            make_bench=lambda seed=3: program._make_bench(seed),
            make_demo=self.make_demo,
            fault_file=lambda: Path(holder.name) / "state" / "fault.txt",
            now=lambda: NOON,
        )
        self.window = None
        self.ids = itertools.count(1)  # the stand-in burns by the trial's id: alike each time

    def watch_faults(self):
        """Fail where anything that Qt called has raised: Qt itself goes on."""
        faults, before = [], sys.excepthook

        def keep(kind, value, trace):
            faults.append("".join(traceback.format_exception(kind, value, trace)))

        def told():
            sys.excepthook = before
            self.assertEqual(faults, [])

        sys.excepthook = keep
        self.addCleanup(told)

    def make_demo(self):
        return self.demo_folder

    playground = True  # where the stand-in may burn

    def open(self, size=(1280, 800), **outside):
        if self.playground:
            self.folder.mkdir(parents=True, exist_ok=True)
            (self.folder / PLAYGROUND).touch()
        window = MainWindow(self.folder, replace(self.outside, **outside))
        window.session.new_id = lambda: f"{next(self.ids):012x}"
        window.resize(*size)
        window.show()
        window.open_library()
        self.window = window
        self.addCleanup(self.shut)
        self.wait_for(lambda: window.session.library is not None or window.session.problem != "")
        self.settle()
        return window

    def shut(self):
        if self.window is not None:
            burn = self.window.pages.get("burn")
            if burn is not None and burn.is_running():
                burn.stop()  # closing would ask, and nobody is there to answer
            self.window.close()
            self.window.deleteLater()
            self.window = None
            self.settle()

    # -- as a person would -------------------------------------------------------------------------

    @property
    def session(self):
        return self.window.session

    def page(self):
        return self.window.page(self.window.station)

    def click(self, widget, at=None):
        self.settle()
        QTest.mouseClick(widget, Qt.MouseButton.LeftButton, pos=at or widget.rect().center())
        self.settle()

    def button(self, text, inside=None):
        """The visible button with this text."""
        found = [
            b
            for b in (inside or self.window).findChildren(QAbstractButton)
            if b.isVisible() and b.text() == text
        ]
        self.assertTrue(
            found,
            (
                f"no button “{text}”; there are "
                f"{[b.text() for b in self.window.findChildren(QPushButton) if b.isVisible()]}"
            ),
        )
        return found[0]

    def press(self, text):
        self.click(self.button(text))

    def tick_all(self):
        """Tick every line of the checklist that can be ticked."""
        checklist = Checklist(self.session, Mock(), lambda: datetime(2026, 4, 14, tzinfo=UTC))
        while checklist.open:
            checklist.tick()

    def write_burn_file(self):
        """Press the button and wait until the files are written and Burn is open."""
        self.until_suggested()
        self.press("Write the burn file")
        self.wait_for(lambda: self.window.station == "burn")
        self.settle()

    def choose_word(self, picker, text):
        """Open a picker, type part of a choice, take it with Enter."""
        self.click(picker)
        popup = self.app.activePopupWidget()
        self.type(text, popup.filter)
        self.key(Qt.Key.Key_Return, widget=popup.filter)

    def key(self, key, modifier=Qt.KeyboardModifier.NoModifier, widget=None):
        QTest.keyClick(widget or self.app.focusWidget() or self.window, key, modifier)
        self.settle()

    def type(self, text, widget=None):
        QTest.keyClicks(widget or self.app.focusWidget(), text)
        self.settle()

    def retype(self, field, text):
        """Click into a field, select all, type over it."""
        self.click(field)
        field.selectAll()
        QTest.keyClick(field, Qt.Key.Key_Delete)
        self.type(text, field)

    def ctrl(self, key):
        self.key(key, Qt.KeyboardModifier.ControlModifier)

    def alt(self, key):
        """Go to a station by its key, and wait as a person would for what Plan suggests."""
        self.key(key, Qt.KeyboardModifier.AltModifier)
        self.until_suggested()

    def until_suggested(self):
        plan = self.window.pages.get("plan")
        if plan is not None and self.window.station == "plan":
            self.wait_for(lambda: not plan.presenter.is_asked)
            self.settle()

    def point(self, x, y):
        return QPoint(round(x), round(y))

    # -- what is wrong with a screen ---------------------------------------------------------------

    def at_rest(self, faults):
        """What is wrong with a screen once it stands: a page that was just filled is laid out in
        several turns, and on a slow machine a look may fall between two of them.
        """
        self.settle(60)
        for _ in range(20):
            if not faults():
                break
            self.settle(50)
        return faults()

    def hidden_keys(self):
        """Keys of the page of which less than nine tenths are in view."""
        return self.at_rest(self._hidden_keys)

    def clipped(self):
        """Labels, buttons and painted texts that do not fit the space they got, or lie over
        another.
        """
        return self.at_rest(lambda: self._overlapping() + self._squeezed() + cut_on(self.window))

    def _hidden_keys(self):
        hidden = []
        for key in self.page().findChildren(QAbstractButton):
            seen = key.visibleRegion().boundingRect()
            cut = seen.height() < 0.9 * key.height() or seen.width() < 0.9 * key.width()
            if cut and key.isVisible() and key.text() and key.isEnabled():
                hidden.append(key.text())
        return hidden

    def _overlapping(self):
        """Texts and fields that lie over each other, by what they say."""
        shown = []
        kinds = (QLabel, QPushButton, QLineEdit)
        for widget in itertools.chain(*(self.window.findChildren(kind) for kind in kinds)):
            seen = widget.visibleRegion().boundingRect()
            if widget.isVisible() and widget.text() and not seen.isEmpty():
                seen.moveTo(widget.mapTo(widget.window(), seen.topLeft()))
                shown.append((widget, seen.adjusted(2, 2, -2, -2)))
        return [
            (one.text()[:30], other.text()[:30])
            for n, (one, rect) in enumerate(shown)
            for other, beside in shown[:n]
            if one.window() is other.window()  # a dialog lies over its page
            and rect.intersects(beside)
            and not one.isAncestorOf(other)
        ]

    def _squeezed(self):
        bad = []
        for widget in self.window.findChildren(QLabel) + self.window.findChildren(QPushButton):
            if not widget.isVisible() or not widget.text() or widget.visibleRegion().isEmpty():
                continue
            if isinstance(widget, QLabel) and widget.wordWrap():
                if widget.heightForWidth(widget.width()) > widget.height() + 2:
                    bad.append(("tall", widget.text()[:40]))
            elif widget.sizeHint().width() > widget.width() + 2:
                bad.append(("wide", widget.text()[:40], widget.sizeHint().width(), widget.width()))
        return bad
