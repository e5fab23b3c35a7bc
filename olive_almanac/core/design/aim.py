"""Where the edge or the tone of a subject is expected, and levels around it that can be dialled in.

Light: what works out an aim stands in `suggest`.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.core.design.levels import round_level
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import Setting, Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import SPEED_UNITS

if TYPE_CHECKING:
    from olive_almanac.core.fitting.char import FlareLimit

__all__ = ["Aim", "Ground", "spread_speeds"]

SAFE_SHARE = 0.65  # of the speed at the edge: gets through with some energy in hand


@dataclass(frozen=True)
class Aim:
    """Where the edge (cut) or the right tone is expected.

    `speed_mm_s` is the speed at full power that is just through, 0 for a tone; `energy` the energy
    aimed at, J/mm or J/mm2; `reach` how far around it the levels go, as shares.
    """

    speed_mm_s: float
    passes: int
    focus_mm: float
    energy: float
    reach: tuple[float, float]
    basis: str


@dataclass(frozen=True)
class Ground:
    """What a kind of trial is suggested for: the subject, the aim, and the gentlest mark."""

    machine: Machine
    stock: Stock
    task: Task
    aim: Aim
    quiet: Setting  # what a label burns at
    expected: FlareLimit  # from where the stock is expected to flare up
    speed_unit: str

    def middle(self, choices: TrialChoices) -> tuple[float, float]:
        """Return power and speed in the middle of the grid, where edge or tone is expected."""
        powers, speeds = choices.power, choices.speed_mm_s
        return powers[len(powers) // 2], speeds[len(speeds) // 2]

    def full_power(self, choices: TrialChoices) -> float:
        """Return the one power that is held while something else varies."""
        if self.task == "cut":
            return choices.power[-1]
        return self.middle(choices)[0]

    def safe_speed(self, choices: TrialChoices) -> tuple[float, ...]:
        """Return one speed, mm/s, that should get through with some energy in hand."""
        if self.aim.speed_mm_s:
            return self.one_speed(max(choices.speed_mm_s[0], SAFE_SHARE * self.aim.speed_mm_s))
        return self.one_speed(self.middle(choices)[1])

    def one_speed(self, speed_mm_s: float) -> tuple[float, ...]:
        """Return a single level of speed, mm/s, round in the shop's unit."""
        return spread_speeds(speed_mm_s, speed_mm_s, 1, self.speed_unit)


def spread_speeds(low_mm_s: float, high_mm_s: float, steps: int, unit: str) -> tuple[float, ...]:
    """Return evenly spaced speeds in mm/s that can be dialled in: round first value and round step
    in the shop's unit.
    """
    factor = SPEED_UNITS[unit]
    low, high = low_mm_s / factor, high_mm_s / factor
    if steps == 1:
        return (round(round_level(low) * factor, 9),)
    first = round_level(low)
    if first < low * (1 - 1e-9):  # never below what is allowed
        first = round_level(low * 1.05)
    step = round_level((high - first) / (steps - 1))
    while step > 0 and first + (steps - 1) * step > high * (1 + 1e-9):
        smaller = round_level(step * 0.97)
        if smaller == step:
            smaller = step * 0.9
        step = smaller
    return tuple(round((first + i * step) * factor, 9) for i in range(steps))
