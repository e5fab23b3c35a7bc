"""Power, speed, passes, focus, pitch, air: what is dialled in for one burn."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Literal

from olive_almanac.core.records.ranges import check_choice, check_number
from olive_almanac.core.words import tr

__all__ = [
    "AIRS",
    "SHORT_TASK_WORDS",
    "TASKS",
    "TASK_WORDS",
    "Air",
    "Beam",
    "Direction",
    "Setting",
    "Task",
    "air_text",
    "energy_unit",
    "rasters",
]

Task = Literal["cut", "score", "engrave", "mark"]
TASKS: tuple[Task, ...] = ("cut", "score", "engrave", "mark")
TASK_WORDS = {
    "cut": tr("cut through"),
    "score": tr("score"),
    "engrave": tr("engrave"),
    "mark": tr("mark"),
}
SHORT_TASK_WORDS: dict[str, str] = {
    "cut": tr("cut"),
    "score": tr("score"),
    "engrave": tr("engrave"),
    "mark": tr("mark"),
}
Air = Literal["off", "low", "full"]
AIRS: tuple[Air, ...] = ("off", "low", "full")
Beam = Literal["constant", "follows-speed"]
Direction = Literal["x", "y", "xy"]
SAME_POWER, SAME_SPEED = 0.02, 0.03  # shares up to which nobody would dial anew
LEAST_PITCH_MM = 0.005  # no beam is a tenth as wide


def air_text(air: str) -> str:
    """Return a stage of the air in words: one of AIRS."""
    return {"off": tr("off"), "low": tr("low"), "full": tr("full")}.get(air, air)


@dataclass(frozen=True)
class Setting:
    """One setting.

    `power` is the fraction of optical power; `focus_mm` is positive when the focus lies below the
    top face; `pitch_mm` is the distance of raster lines, 0 for a single line; `crosshatch` rasters
    a second time, turned by 90 degrees; `focus_step_mm` lowers the focus by that much after each
    pass; `pulse_khz` and `pulse_ns` are the pulse rate and pulse width of a pulsed source, 0 where
    it keeps its own.
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
    focus_step_mm: float = 0.0
    pulse_khz: float = field(default=0.0, metadata={"written": "if set"})
    pulse_ns: float = field(default=0.0, metadata={"written": "if set"})

    def __post_init__(self) -> None:
        if (
            not self._plainly_good()
        ):  # planning makes thousands of them: say what is wrong only where something is
            self._check()

    def _plainly_good(self) -> bool:
        try:
            return (
                0 < self.power <= 1
                and 0 < self.speed_mm_s <= 20000
                and 1 <= self.passes <= 200
                and type(self.passes) is int
                and -100 <= self.focus_mm <= 100
                and 0 <= self.focus_step_mm <= 20
                and (self.pitch_mm == 0 or LEAST_PITCH_MM <= self.pitch_mm <= 10)
                and 0 <= self.pulse_khz <= 10000
                and 0 <= self.pulse_ns <= 10000
                and self.air in AIRS
                and self.beam in ("constant", "follows-speed")
                and self.direction in ("x", "y", "xy")
            )
        except TypeError:
            return False

    def _check(self) -> None:
        check_number(tr("Power"), self.power, above=0, high=1)
        check_number(tr("Speed"), self.speed_mm_s, "mm/s", above=0, high=20000)
        check_number(tr("Passes"), self.passes, low=1, high=200)
        if self.passes != int(self.passes):
            check_choice(tr("Passes"), self.passes, (tr("a whole number"),))
        check_number(tr("Focus"), self.focus_mm, "mm", low=-100, high=100)
        check_number(tr("Focus step"), self.focus_step_mm, "mm", low=0, high=20)
        if self.pitch_mm:
            check_number(tr("Line pitch"), self.pitch_mm, "mm", low=LEAST_PITCH_MM, high=10)
        check_number(tr("Pulse rate"), self.pulse_khz, "kHz", low=0, high=10000)
        check_number(tr("Pulse width"), self.pulse_ns, "ns", low=0, high=10000)
        check_choice(tr("Air"), self.air, AIRS)
        check_choice(tr("Beam mode"), self.beam, ("constant", "follows-speed"))
        check_choice(tr("Direction"), self.direction, ("x", "y", "xy"))

    @property
    def mean_focus_mm(self) -> float:
        """The focus offset in the middle of its passes."""
        return self.focus_mm + self.focus_step_mm * (self.passes - 1) / 2

    @property
    def dose_per_watt(self) -> float:
        """Energy per watt over all passes: s/mm for a line, s/mm2 for a raster (both ways with
        cross-hatch).
        """
        return self.runs / (self.speed_mm_s * (self.pitch_mm or 1.0))

    @property
    def raster_ways(self) -> tuple[bool, ...]:
        """For each raster of a pass whether its lines run along Y: one, or two that cross."""
        along_y = self.direction == "y"
        return (along_y, not along_y) if self.crosshatch else (along_y,)

    @property
    def runs(self) -> int:
        """How often every place is run over: each pass twice with cross-hatch."""
        return self.passes * (2 if self.crosshatch else 1)

    def burns_like(self, other: Setting) -> bool:
        """Return whether another setting comes to the same burn: at most 2 % of power and 3 % of
        speed apart, with the same air.
        """
        same = (self.runs, self.focus_mm, self.pitch_mm, self.air)
        if same != (other.runs, other.focus_mm, other.pitch_mm, other.air):
            return False
        apart = abs(math.log(self.speed_mm_s / other.speed_mm_s))
        return abs(self.power - other.power) < SAME_POWER and apart < SAME_SPEED


def energy_unit(task: str) -> str:
    """Return the unit in which the energy of a task's cells is told."""
    if rasters(task):
        return "J/mm²"
    return "J/mm"


def rasters(task: str) -> bool:
    """True for the tasks that are burnt line by line over an area."""
    return task in ("engrave", "mark")
