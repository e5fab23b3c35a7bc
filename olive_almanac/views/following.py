"""Following the machines of the open library in a worker, and learning how far its lots, stocks and
machines differ; again when something tells of them.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, QTimer

if TYPE_CHECKING:
    from olive_almanac.steps.ports import Library
    from olive_almanac.views.window import MainWindow
    from olive_almanac.views.worker import Worker

__all__ = ["Following"]

PAUSE_MS = 700  # after the last change, until machines are followed
LEARN_PAUSE_MS = 5000  # and until it is learnt from coupons: nobody waits for that
FEW = 4  # coupons, up to which there is nothing to learn from


class _Repeated(QObject):
    """One work that is begun again where it was asked for while it ran, one worker at a time."""

    def __init__(
        self,
        window: MainWindow,
        pause_ms: int,
        begin: Callable[[], Iterator[Any]],
        take: Callable[[Any], None],
    ) -> None:
        super().__init__(window)
        self._window, self._begin, self._take_item = window, begin, take
        self._worker: Worker | None = None
        self._again = False
        self.pause = QTimer(self)
        self.pause.setSingleShot(True)
        self.pause.setInterval(pause_ms)
        self.pause.timeout.connect(self.run)

    def run(self) -> None:
        """Do it now, or once more after what is under way."""
        self.pause.stop()
        session = self._window.session
        if session.library is None:
            return
        if self._worker is not None:
            self._again = True
            return
        library = session.store
        self._worker = self._window.work(
            self._begin(),
            lambda item: self._take(item, library),
            lambda problem: self._failed(problem, library),
        )
        self._worker.finished.connect(self._finished)

    def _take(self, item: Any, library: Library) -> None:
        """What was found of a library that is no longer open is dropped."""
        if self._window.session.library is library:
            self._take_item(item)

    def _failed(self, problem: Exception, library: Library) -> None:
        if self._window.session.library is library:
            self._window.work_failed(problem)

    def _finished(self) -> None:
        self._worker = None
        if self._again:
            self._again = False
            self.run()


class Following:
    """Keeps what is told of the machines, and what is learnt of the shop, true."""

    def __init__(self, window: MainWindow) -> None:
        self._session = window.session
        shop = window.session.shop
        self._machines = _Repeated(window, PAUSE_MS, self._follow, shop.watch.take)
        self._kin = _Repeated(window, LEARN_PAUSE_MS, shop.kin.work, shop.kin.take)

    def soon(self) -> None:
        """Follow and learn once nothing has changed for a while, where there is something to."""
        session = self._session
        if session.catalogue.checks or session.shop.watch.told:
            self._machines.pause.start()
        if len(session.trials.kept) > FEW:
            self._kin.pause.start()

    def follow(self) -> None:
        """Follow the machines now."""
        self._machines.run()

    def _follow(self) -> Iterator[Any]:
        machine = self._session.subject.machine
        return self._session.shop.watch.work(machine.uid if machine is not None else "")
