"""Clear circles of dropped objects away in the interface thread alone, between two events.

Python does it by itself wherever it makes objects: in a worker, or in a method that Qt calls while
it walks through the widgets.  A widget in such a circle is destroyed there and then, under the feet
of what looks at it.
"""

from __future__ import annotations

import gc

from PySide6.QtCore import QObject, QTimer

__all__ = ["Collector"]

EVERY_MS = 250


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
        """Collect the oldest generation that is due, with the younger ones."""
        counts = enumerate(zip(gc.get_count(), gc.get_threshold(), strict=True))
        due = [generation for generation, (count, most) in counts if count > most]
        if due:
            gc.collect(max(due))
