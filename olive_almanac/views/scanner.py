"""A code scanner types like a keyboard, only faster: a code that comes that way is taken from any
page, whatever has the focus.
"""

from __future__ import annotations

import re

from PySide6.QtCore import QCoreApplication, QEvent, QObject, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QApplication, QWidget
from shiboken6 import isValid

__all__ = ["CodeScanner"]

FASTER_THAN_HANDS_MS = 20  # from key to key
BEGINS = "olive-almanac:"
CODE = re.compile(re.escape(BEGINS) + r"(?:trial|entry):\S+")


class CodeScanner(QObject):
    """Watches the widget that has the focus, and holds back keys as long as they may be a code.

    What turns out to be typed by hand is passed on in its order, at most 20 ms late.

    Signals:
        scanned(str): a whole code came, with Enter behind it.
    """

    scanned = Signal(str)

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        self._window = window
        self._held: list[tuple[QWidget, QKeyEvent]] = []
        self._passing = False
        self._watched: QWidget | None = None
        self._waits = QTimer(self)
        self._waits.setSingleShot(True)
        self._waits.setInterval(FASTER_THAN_HANDS_MS)
        self._waits.timeout.connect(self._pass_on)
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        application.focusChanged.connect(self._watch)

    def _watch(self, _old: QWidget | None, now: QWidget | None) -> None:
        if self._watched is not None and isValid(self._watched):
            self._watched.removeEventFilter(self)
        self._watched = now if now is not None and now.window() is self._window else None
        if self._watched is not None:
            self._watched.installEventFilter(self)

    def _typed(self) -> str:
        return "".join(event.text() for _, event in self._held)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if (
            self._passing
            or event.type() != QEvent.Type.KeyPress
            or not isinstance(watched, QWidget)
            or not isinstance(event, QKeyEvent)
        ):
            return False
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            code = self._typed()
            if CODE.fullmatch(code):
                self._held = []
                self._waits.stop()
                self.scanned.emit(code)
                return True
        elif self._may_be_code(self._typed() + event.text()) and event.text():
            self._held.append((watched, event.clone()))
            self._waits.start()
            return True
        if event.text():
            self._pass_on()
        return False

    def _may_be_code(self, text: str) -> bool:
        """Whether a text is the beginning of a code, or a code that goes on."""
        return BEGINS.startswith(text) or (text.startswith(BEGINS) and text.isprintable())

    def _pass_on(self) -> None:
        """Give what was held back to the widgets that it was meant for."""
        held, self._held = self._held, []
        self._waits.stop()
        self._passing = True
        for widget, event in held:
            if isValid(widget):
                QCoreApplication.sendEvent(widget, event)
        self._passing = False
