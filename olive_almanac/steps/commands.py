"""Changes that an operator can regret: done, undone and done again in order."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

__all__ = ["Change", "UndoStack"]


@dataclass(frozen=True)
class Change:
    """One change with the two functions that make and unmake it; `label` completes "Undo ..."."""

    label: str
    do: Callable[[], None]
    undo: Callable[[], None]


class UndoStack:
    """What was done, in order.  A change that fails is not kept: its error goes to the caller."""

    def __init__(self) -> None:
        self._done: list[Change] = []
        self._undone: list[Change] = []

    def push(self, change: Change) -> None:
        change.do()
        self._done.append(change)
        self._undone.clear()

    def undo(self) -> str | None:
        """Undo the newest change and return its label, or None when there is none."""
        if not self._done:
            return None
        change = self._done[-1]
        change.undo()
        self._undone.append(self._done.pop())
        return change.label

    def redo(self) -> str | None:
        if not self._undone:
            return None
        change = self._undone[-1]
        change.do()
        self._done.append(self._undone.pop())
        return change.label

    def clear(self) -> None:
        self._done.clear()
        self._undone.clear()
