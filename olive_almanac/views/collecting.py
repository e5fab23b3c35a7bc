"""Clear circles of dropped objects away in the interface thread alone, between two events.

Python does it by itself wherever it makes objects: in a worker, or in a method that Qt calls while
it walks through the widgets.  A widget in such a circle is destroyed there and then, under the feet
of what looks at it.

What was freed lies scattered between what is kept, and the C library holds on to it: each look at a
page would leave the program a little larger.  All threads share one heap, so that little is
scattered, and what is free is handed back when there is a rest.
"""

from __future__ import annotations

import gc
import math
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Qt, QTimer
from PySide6.QtGui import QGuiApplication

if TYPE_CHECKING:  # start-up
    import ctypes

__all__ = ["Collector"]

EVERY_MS = 250
TICKS_OF_A_REST = 4
M_ARENA_MAX = -8  # of mallopt(3)


class Collector(QObject):
    """Collects as often as Python would, from `start` until `stop`."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._since_middle = self._since_oldest = 0  # objects made since these were collected
        self._quiet_ticks = 0  # since anything much was made
        self._is_tidy = False  # nothing much was made since memory was handed back
        self._timer = QTimer(self, interval=EVERY_MS)
        self._timer.timeout.connect(self._collect)

    def start(self) -> None:
        """Take over from Python."""
        gc.disable()
        share_heap()
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
        self._quiet_ticks = 0
        self._is_tidy = False
        self._since_middle += made
        self._since_oldest += made
        if self._since_oldest > math.prod(most) and not is_dragged():
            self._collect_all()
        elif self._since_middle > most[0] * most[1]:
            gc.collect(1)
            self._since_middle = 0
        else:
            gc.collect(0)

    def _collect_all(self) -> None:
        gc.collect(2)
        self._since_oldest = self._since_middle = 0

    def _rest(self) -> None:
        """Tidy up once in each rest, when it has lasted a second."""
        self._quiet_ticks += 1
        if self._quiet_ticks < TICKS_OF_A_REST or self._is_tidy or is_dragged():
            return
        self._collect_all()
        give_back()
        self._is_tidy = True


def is_dragged() -> bool:
    """Return whether a mouse button is held: a pause would be felt."""
    return QGuiApplication.mouseButtons() != Qt.MouseButton.NoButton


def share_heap() -> None:
    """Have all threads that begin from now on take memory from one heap, where the C library can:
    else each has its own, and what one has freed no other takes.
    """
    limit = getattr(_c_library(), "mallopt", None)
    if limit is not None:
        limit(M_ARENA_MAX, 1)


def give_back() -> None:
    """Hand memory that is free back to the system, where the C library can (takes 10 ms)."""
    trim = getattr(_c_library(), "malloc_trim", None)
    if trim is not None:
        trim(0)


def _c_library() -> ctypes.CDLL:
    import ctypes  # start-up is measured without

    return ctypes.CDLL(None)
