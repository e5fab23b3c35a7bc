"""How much of a drawing was read: copies of copies can grow without end from a few lines."""

from __future__ import annotations

import contextlib
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from olive_almanac.core.records.drawing import Piece, Polyline
from olive_almanac.core.words import tr

__all__ = ["DrawingTally"]

MOST_PATHS = 200_000
MOST_POINTS = 4_000_000
MOST_COPIED = 100_000  # objects in copies, drawn or not
MOST_COPIED_POINTS = 500_000


@dataclass
class DrawingTally:
    """Counts what was looked at; once it is full nothing more is read."""

    paths: int = 0
    points: int = 0
    copied: int = 0
    copied_points: int = 0
    _deep: int = 0  # in so many copies

    @property
    def in_copy(self) -> bool:
        """Whether what is looked at now is a copy of something."""
        return self._deep > 0

    @property
    def is_full(self) -> bool:
        if self.copied > MOST_COPIED or self.copied_points > MOST_COPIED_POINTS:
            return True
        return self.paths >= MOST_PATHS or self.points > MOST_POINTS

    @contextlib.contextmanager
    def copy(self) -> Iterator[None]:
        """What is looked at within is a copy."""
        self._deep += 1
        try:
            yield
        finally:
            self._deep -= 1

    def add_object(self) -> None:
        """Count something that is looked at."""
        self.copied += self.in_copy

    def add_path(self, pieces: Iterable[Piece]) -> None:
        """Count a path that was drawn."""
        points = sum(len(one.points) if isinstance(one, Polyline) else 4 for one in pieces)
        self.paths += 1
        self.points += points
        self.copied_points += points * self.in_copy

    @property
    def says(self) -> str:
        """What is said of a drawing that holds too much; nothing of one that does not."""
        if not self.is_full:
            return ""
        return tr(
            "It holds too much: its first {paths} lines were read, the rest was left out.",
            paths=self.paths,
        )
