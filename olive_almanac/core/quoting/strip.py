"""Pieces packed into a strip of free length, by the search of a library (spyrrow): a search that
does not end in its time is left to itself, and the best that it told until then counts.
"""

from __future__ import annotations

from collections.abc import Callable, Generator, Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Protocol

__all__ = ["Beside", "InTurn", "Kind", "packed"]

GRACE_S = 1.0  # beyond its time, for the rounds that it makes to their end


class Beside(Protocol):
    """What does long work elsewhere, and a clock."""

    def seconds(self) -> float:
        """Return the time, s, from any beginning."""
        ...

    def run(self, work: Callable[[], None], most_s: float) -> Iterator[tuple[()]]:
        """Begin work and yield nothing until it has ended, or for so long; then it is left to
        itself.
        """
        ...


class InTurn:
    """Does the work at once, however long it takes; its clock stands still."""

    def seconds(self) -> float:
        """Return no time at all."""
        return 0.0

    def run(self, work: Callable[[], None], most_s: float) -> Iterator[tuple[()]]:
        """Do the work."""
        yield ()
        work()


@dataclass(frozen=True)
class Kind:
    """Pieces of one shape: its points, mm, how many, and the angles that they may lie at."""

    points_mm: tuple[tuple[float, float], ...]
    count: int
    degrees: tuple[float, ...]


def packed(
    kinds: Sequence[Kind], *, height_mm: float, apart_mm: float, search_s: int, beside: Beside
) -> Generator[tuple[()], None, tuple[Any, ...]]:
    """Yield nothing while it seeks; return what was placed (spyrrow.PlacedItem, `id` the number of
    the kind), nothing where it found no way in time.
    """
    import spyrrow

    asked = [
        spyrrow.Item(str(n), one.points_mm, one.count, one.degrees) for n, one in enumerate(kinds)
    ]
    how = spyrrow.StripPackingConfig(
        early_termination=True,
        total_computation_time=search_s,
        min_items_separation=apart_mm,
        num_workers=1,
        seed=1,
    )
    told, faults = spyrrow.ProgressQueue(), []

    def seek() -> None:
        try:
            problem = spyrrow.StripPackingInstance("sheet", strip_height=height_mm, items=asked)
            problem.solve(how, told)
        except BaseException as fault:  # what cannot be packed is no Exception of Python's
            faults.append(fault)

    yield from beside.run(seek, search_s + GRACE_S)
    for fault in faults:
        if type(fault).__name__ != "PanicException":
            raise fault
    whole = (spyrrow.ReportType.ExplFeas, spyrrow.ReportType.CmprFeas, spyrrow.ReportType.Final)
    found = [way for kind, way in told.drain() if kind in whole]
    if faults or not found:
        return ()
    return tuple(min(found, key=lambda way: way.width).placed_items)
