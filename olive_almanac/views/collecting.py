"""Clear circles of dropped objects away in the interface thread alone, between two events.

Python does it by itself wherever it makes objects: in a worker, or in a method that Qt calls while
it walks through the widgets.  A widget in such a circle is destroyed there and then, under the feet
of what looks at it.

What was freed lies scattered between what is kept, and the C library holds on to it: each look at a
page would leave the program a little larger.  It is handed back as soon as there is a rest.
"""

from __future__ import annotations

import gc
import math

from PySide6.QtCore import QObject, Qt, QTimer
from PySide6.QtGui import QGuiApplication

__all__ = ["Collector"]

EVERY_MS = 250


class Collector(QObject):
    """Collects as often as Python would, from `start` until `stop`."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._since_middle = self._since_oldest = 0  # objects made since these were collected
        self._holds_on = False  # much was freed since memory was handed back
        self._timer = QTimer(self, interval=EVERY_MS)
        self._timer.timeout.connect(self._collect)

    def start(self) -> None:
        """Take over from Python."""
        gc.disable()
        self._timer.start()

    def stop(self) -> None:
        """Leave it to Python again."""
        self._timer.stop()
        gc.enable()

    def _collect(self) -> None:
        """Collect the oldest generation of objects that is due, with the younger ones; the oldest
        of all takes longest: not while something is dragged.
        """
        made, most = gc.get_count()[0], gc.get_threshold()
        if made <= most[0]:
            self._rest()
            return
        self._since_middle += made
        self._since_oldest += made
        dragged = QGuiApplication.mouseButtons() != Qt.MouseButton.NoButton
        if self._since_oldest > math.prod(most) and not dragged:
            gc.collect(2)
            self._since_oldest = self._since_middle = 0
            self._holds_on = True
        elif self._since_middle > most[0] * most[1]:
            gc.collect(1)
            self._since_middle = 0
            self._holds_on = True
        else:
            gc.collect(0)

    def _rest(self) -> None:
        """Use the time in which nothing much happens."""
        if self._holds_on:
            give_back()
            self._holds_on = False


def give_back() -> None:
    """Hand memory that is free back to the system, where the C library can (takes 10 ms)."""
    import ctypes  # start-up is measured without

    trim = getattr(ctypes.CDLL(None), "malloc_trim", None)
    if trim is not None:
        trim(ctypes.c_size_t(0))
