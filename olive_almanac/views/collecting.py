"""Clear circles of dropped objects away in the interface thread alone, between two events.

Python does it by itself wherever it makes objects: in a worker, or in a method that Qt calls while
it walks through the widgets.  A widget in such a circle is destroyed there and then, under the feet
of what looks at it.
"""

from __future__ import annotations

import gc

from PySide6.QtCore import QObject, Qt, QTimer
from PySide6.QtGui import QGuiApplication

__all__ = ["Collector"]

EVERY_MS = 250
OLDEST = 2  # of Python's generations


class Collector(QObject):
    """Collects as often as Python would, from `start` until `stop`."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
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

    @staticmethod
    def _collect() -> None:
        """Collect the oldest generation that is due, with the younger ones; the oldest of all takes
        longest: not while something is dragged.
        """
        counts = enumerate(zip(gc.get_count(), gc.get_threshold(), strict=True))
        due = [generation for generation, (count, most) in counts if count > most]
        if OLDEST in due and QGuiApplication.mouseButtons() != Qt.MouseButton.NoButton:
            due.remove(OLDEST)
        if due:
            gc.collect(max(due))
