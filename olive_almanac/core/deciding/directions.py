"""Whether a cut along X and along Y differ, and which speed to take for both."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from olive_almanac.core.deciding.cut_knowledge import FittedCut
from olive_almanac.core.records.setting import Direction, Setting
from olive_almanac.core.units import number_text, speed_text
from olive_almanac.core.words import tr

__all__ = ["Directions", "compare_directions"]

DIFFERS = 0.05  # of ln(speed): less than that nobody dials
SURE = 0.9
STEPS = 60


@dataclass(frozen=True)
class Directions:
    """Quickest speed that meets the target along X, along Y and for both, mm/s (None: none does);
    the chance that the edges differ by more than 5 %; and what that means in words.
    """

    x_mm_s: float | None
    y_mm_s: float | None
    both_mm_s: float | None
    differ: float
    says: str


def compare_directions(
    knowledge: FittedCut, setting: Setting, *, target: float
) -> Directions | None:
    """Return how the directions compare at a setting's power, passes and focus; None unless both
    were read.
    """
    ways = knowledge.data.ways
    if not {"x", "y"} <= ways:
        return None
    speeds = np.geomspace(
        0.3 * setting.speed_mm_s, min(3 * setting.speed_mm_s, knowledge.case.max_speed_mm_s), STEPS
    )
    power, passes, focus = setting.power, setting.passes, setting.focus_mm

    def quickest(direction: Direction) -> float | None:
        chance = knowledge.chance(
            power=power, speed_mm_s=speeds, passes=passes, focus_mm=focus, direction=direction
        )
        good = np.flatnonzero(chance >= target)
        if len(good):
            return float(speeds[good[-1]])
        return None

    x, y, both = quickest("x"), quickest("y"), quickest("xy")
    along: tuple[Direction, ...] = ("x", "y")
    edge_x, edge_y = (
        knowledge.edges(power=power, passes=passes, focus_mm=focus, direction=way) for way in along
    )
    gap = edge_x - edge_y
    differ = float(np.mean(np.abs(gap) > DIFFERS))
    slower, by = ("X" if gap.mean() < 0 else "Y"), 100 * float(-np.expm1(-abs(gap.mean())))
    if differ < 1 - SURE:
        says = tr("X and Y cut alike.")
    elif differ < SURE:
        says = tr(
            "Not sure whether X and Y differ: {differ:.0f} % that they do. Burn more "
            "strips along both.",
            differ=100 * differ,
        )
    else:
        says = tr("Along {slower} it must run {by} % slower.", slower=slower, by=number_text(by, 2))
    if both is not None:
        says += tr(" For both take {both}.", both=speed_text(both))
    return Directions(x, y, both, differ, says)
