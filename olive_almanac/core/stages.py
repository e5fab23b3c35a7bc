"""Long work that tells which stage is done, and may be stopped there."""

from __future__ import annotations

from collections.abc import Callable, Generator
from typing import TypeVar

__all__ = ["finished", "telling"]

Stage = TypeVar("Stage")
Told = TypeVar("Told")
Found = TypeVar("Found")


def finished(work: Generator[object, None, Found]) -> Found:
    """Run work through all its stages and return what it found."""
    while True:
        try:
            next(work)
        except StopIteration as end:
            found: Found = end.value
            return found


def telling(
    work: Generator[Stage, None, Found], tell: Callable[[Stage], Told]
) -> Generator[Told, None, Found]:
    """Yield what is told of each stage of work; return what it found."""
    while True:
        try:
            stage = next(work)
        except StopIteration as end:
            found: Found = end.value
            return found
        yield tell(stage)
