"""Power, speed, passes, focus, pitch, air: what is dialled in for one burn."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from olive_almanac.core.records.ranges import check_choice, check_number

__all__ = ["AIRS", "TASKS", "TASK_WORDS", "Air", "Beam", "Direction", "Setting", "Task"]

Task = Literal["cut", "engrave"]
TASKS: tuple[Task, ...] = ("cut", "engrave")
TASK_WORDS = {"cut": "cut through", "engrave": "engrave"}
Air = Literal["off", "low", "full"]
AIRS: tuple[Air, ...] = ("off", "low", "full")
Beam = Literal["constant", "follows-speed"]
Direction = Literal["x", "y", "xy"]


@dataclass(frozen=True)
class Setting:
    """One setting.

    `power` is the fraction of optical power; `focus_mm` is positive when the focus lies below the top face;
    `pitch_mm` is the distance of raster lines, 0 for a single line.
    """

    power: float
    speed_mm_s: float
    passes: int = 1
    focus_mm: float = 0.0
    pitch_mm: float = 0.0
    air: Air = "full"
    beam: Beam = "constant"
    direction: Direction = "xy"
    crosshatch: bool = False

    def __post_init__(self) -> None:
        check_number("Power", self.power, low=0, high=1)
        check_number("Speed", self.speed_mm_s, "mm/s", above=0, high=20000)
        check_number("Passes", self.passes, low=1, high=200)
        if self.passes != int(self.passes):
            check_choice("Passes", self.passes, ("a whole number",))
        check_number("Focus", self.focus_mm, "mm", low=-100, high=100)
        check_number("Line pitch", self.pitch_mm, "mm", low=0, high=10)
        check_choice("Air", self.air, AIRS)
        check_choice("Beam mode", self.beam, ("constant", "follows-speed"))
        check_choice("Direction", self.direction, ("x", "y", "xy"))
