"""Following the machines of the open library in a worker, and learning how far its lots, stocks and
machines differ; again when something tells of them.
"""

from __future__ import annotations

import itertools
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer

if TYPE_CHECKING:
    from olive_almanac.core.fitting.kin_learning import KinSds
    from olive_almanac.steps.drift import FollowedItem
    from olive_almanac.steps.ports import Library
    from olive_almanac.views.window import MainWindow
    from olive_almanac.views.worker import Worker

__all__ = ["Following"]

PAUSE_MS = 700  # after the last change
FEW = 4  # coupons, up to which there is nothing to learn from


class Following(QObject):
    """Keeps what is told of the machines true; one worker at a time."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._window = window
        self._worker: Worker | None = None
        self._again = False
        self._pause = QTimer(self)
        self._pause.setSingleShot(True)
        self._pause.setInterval(PAUSE_MS)
        self._pause.timeout.connect(self.follow)

    def soon(self) -> None:
        """Follow once nothing has changed for a moment, where there is something to follow by."""
        session = self._window.session
        if session.catalogue.checks or session.shop.watch.told or len(session.trials.kept) > FEW:
            self._pause.start()

    def follow(self) -> None:
        """Follow now; once more where it is asked for meanwhile."""
        self._pause.stop()
        session = self._window.session
        if session.library is None:
            return
        if self._worker is not None:
            self._again = True
            return
        machine = session.subject.machine
        work = itertools.chain(
            session.shop.watch.work(machine.uid if machine is not None else ""),
            session.shop.kin.work(),
        )
        library = session.store
        self._worker = self._window.work(
            work,
            lambda item: self._take(item, library),
            lambda problem: self._failed(problem, library),
        )
        self._worker.finished.connect(self._finished)

    def _take(self, item: FollowedItem | KinSds, library: Library) -> None:
        """What was found of a library that is no longer open is dropped."""
        session = self._window.session
        if session.library is not library:
            return
        if isinstance(item, tuple):
            session.shop.watch.take(item)
        else:
            session.shop.kin.take(item)

    def _failed(self, problem: Exception, library: Library) -> None:
        if self._window.session.library is library:
            self._window.work_failed(problem)

    def _finished(self) -> None:
        self._worker = None
        if self._again:
            self._again = False
            self.follow()
