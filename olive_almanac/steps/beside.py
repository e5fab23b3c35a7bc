"""Long work of a library beside one's own: what does not end in its time is left to itself."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator

__all__ = ["BesideThread"]

ASKED_S = 0.05  # how often is looked whether it has ended


class BesideThread:
    """Does work in a thread of its own; the end of the program waits for it."""

    def seconds(self) -> float:
        """Return the time, s, from any beginning."""
        return time.monotonic()

    def run(self, work: Callable[[], None], most_s: float) -> Iterator[tuple[()]]:
        """Begin work and yield nothing until it has ended, or for so long."""
        thread = threading.Thread(target=work, name="beside")
        thread.start()
        ends = time.monotonic() + most_s
        while thread.is_alive() and time.monotonic() < ends:
            yield ()
            thread.join(ASKED_S)
