"""A timer that pumps a run to a controller, a few milliseconds at a time."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Protocol

from PySide6.QtCore import QObject, QTimer, Signal

from olive_almanac.core.errors import AlmanacError
from olive_almanac.steps.stream import Stream

__all__ = ["Pump"]

EVERY_MS = 12
AT_MOST_S = 0.008


class Pumped(Protocol):
    """A run that is pumped."""

    stream: Stream | None

    @property
    def is_going(self) -> bool: ...
    def pump(self) -> bool: ...


class Pump(QTimer):
    """Pumps a run as long as lines go out and answers come in, and stops with it.

    Signals:
        pumped(): a turn is over and the run goes on.
    """

    pumped = Signal()

    def __init__(
        self, parent: QObject, run: Pumped, failed: Callable[[AlmanacError], None]
    ) -> None:
        super().__init__(parent)
        self._run, self._failed = run, failed
        self.setInterval(EVERY_MS)
        self.timeout.connect(self._turn)

    def _turn(self) -> None:
        until, sent = time.perf_counter() + AT_MOST_S, -1
        while time.perf_counter() < until:
            stream = self._run.stream
            if stream is None or stream.sent == sent:
                break
            sent = stream.sent
            try:
                self._run.pump()
            except AlmanacError as problem:
                self._failed(problem)
                return
            if not self._run.is_going:
                self.stop()
                return
        self.pumped.emit()
