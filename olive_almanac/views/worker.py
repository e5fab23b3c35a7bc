"""Run long work off the interface thread, one item at a time."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from PySide6.QtCore import QMetaObject, QObject, QThread, Signal
from PySide6.QtWidgets import QWidget


class Worker(QThread):
    """Drains an iterator; can stop only between two of its items.

    The iterator must own its inputs (frozen records, copied arrays): the interface thread goes on
    editing while it runs.  The owner keeps a reference and calls `halt` before it closes.

    Signals:
        item(object): the next result, delivered in the receiver's thread.
        failed(object): the exception that ended the run.
    """

    item = Signal(object)
    failed = Signal(object)

    def __init__(self, items: Iterator[Any], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._items = items
        self._told: list[QMetaObject.Connection] = []

    def run(self) -> None:
        try:
            for item in self._items:
                if self.isInterruptionRequested():
                    break
                self.item.emit(item)
        except Exception as error:  # the thread's edge: nothing may escape it
            self.failed.emit(error)
        finally:
            closing = getattr(self._items, "close", None)
            if closing is not None:
                closing()

    def tell(
        self,
        take: Callable[[Any], object],
        fail: Callable[[Any], object],
        end: Callable[[], object],
    ) -> None:
        """Tell its items, its fault and its end from now on."""
        told = ((self.item, take), (self.failed, fail), (self.finished, end))
        self._told = [signal.connect(hear) for signal, hear in told]

    def let_go(self) -> None:
        """Let go of all who heard, once they have heard the end: what is connected is held where no
        collection sees it, with the pages and the work behind it.
        """
        for connection in self._told:
            if connection:  # else the one who heard went before
                QObject.disconnect(connection)
        self._told = []

    def halt(self) -> None:
        """Ask the run to stop and wait until it has."""
        self.requestInterruption()
        self.wait()


class LatestWork:
    """Runs one work at a time for a dialog: what an earlier one still finds is no news, and nothing
    waits for it.  `begin` runs work in the window's way (MainWindow.work).
    """

    def __init__(self, begin: Callable[..., Worker]) -> None:
        self._begin = begin
        self._worker: Worker | None = None

    @property
    def is_begun(self) -> bool:
        """Whether work was begun and not stopped since; it may have ended by itself."""
        return self._worker is not None

    def start(
        self,
        items: Iterator[Any],
        take: Callable[[Any], object],
        fail: Callable[[Exception], object] | None = None,
    ) -> None:
        """Run work in place of what runs; `take` gets its items here, `fail` a fault of it (without
        one the window tells it).
        """
        self.stop()

        def mine(then: Callable[[Any], object]) -> Callable[[Any], None]:
            def only_mine(item: Any) -> None:
                if self._worker is worker:
                    then(item)

            return only_mine

        if fail is None:
            worker = self._begin(items, mine(take))
        else:
            worker = self._begin(items, mine(take), mine(fail))
        self._worker = worker

    def stop(self) -> None:
        """Ask what runs to end, and hear no more of it."""
        if self._worker is not None:
            self._worker.requestInterruption()
        self._worker = None


def once(action: Callable[[], object]) -> Iterator[object]:
    """Return an iterator that does one thing and yields its result."""
    yield action()
