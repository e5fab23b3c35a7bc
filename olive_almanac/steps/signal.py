"""A signal: something that happened, and who wants to hear of it.  No Qt, no threads."""

from __future__ import annotations

from collections.abc import Callable

__all__ = ["Signal"]


class Signal:
    """One kind of event; listeners are called in the order in which they came."""

    def __init__(self) -> None:
        self._listeners: list[Callable[[], object]] = []

    def connect(self, listener: Callable[[], object]) -> None:
        """Call `listener` from now on whenever it happens."""
        self._listeners.append(listener)

    def disconnect_all(self) -> None:
        """Forget every listener."""
        self._listeners.clear()

    def emit(self) -> None:
        """Tell every listener that it has happened."""
        for listener in tuple(self._listeners):
            listener()
