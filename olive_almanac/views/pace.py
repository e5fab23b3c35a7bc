"""How quickly the stand-in bench plays a run."""

from __future__ import annotations

import math
from collections.abc import Sequence

from olive_almanac.core.words import tr
from olive_almanac.steps.ports import Wire
from olive_almanac.views.parts import Segments

__all__ = ["PacePicker", "set_pace"]

TIMES = (1.0, 60.0, math.inf)  # as quick as real time


class PacePicker(Segments):
    """Real time, sixty times as quick, or at once, in words as long as there is room for."""

    def __init__(self, words: Sequence[str]) -> None:
        super().__init__(words, 1, tr("Pace of the stand-in bench"))

    @property
    def times(self) -> float:
        """How many times as quick as real time."""
        return TIMES[self.at]


def set_pace(wire: Wire | None, times: float) -> None:
    """Play on at another pace, where it is the stand-in that plays."""
    if wire is not None and hasattr(wire, "set_pace"):
        wire.set_pace(times)
