"""Weekly check: the same small ladder each week, for the control chart."""

from __future__ import annotations

from dataclasses import replace

from olive_almanac.core.design.aim import Ground
from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.core.design.kinds.kind import TrialKind, register
from olive_almanac.core.design.levels import round_level
from olive_almanac.core.design.pattern import Pattern, grid_of
from olive_almanac.core.records.setting import Setting, Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import SPEED_UNITS
from olive_almanac.core.words import tr

RATIO, STEPS = 1.08, 8


@register
class WeeklyCheck(TrialKind):
    id = "weekly"
    name = tr("weekly check")
    finds_out = tr("the same small ladder each week, for the control chart")
    place = 13
    across = "speed"
    weekly = True
    shows_edge = True
    ordered = True

    def suggest(self, ground: Ground, choices: TrialChoices) -> TrialChoices:
        centre = ground.aim.speed_mm_s or ground.middle(choices)[1]
        unit = SPEED_UNITS[ground.speed_unit]
        speeds = set()
        for step in range(STEPS):
            speed = min(centre * RATIO ** (step - STEPS / 2), ground.machine.max_speed_mm_s)
            speeds.add(round_level(speed / unit, 3) * unit)
        power = ground.full_power(choices)
        return replace(choices, power=(power,), speed_mm_s=tuple(sorted(speeds)))

    def resumed(
        self, choices: TrialChoices, setting: Setting | None, last: TrialChoices | None, made: str
    ) -> tuple[TrialChoices, str] | None:
        if last is None:
            return None
        return replace(last, place=choices.place), tr("as in the weekly check of {made}", made=made)

    def pattern(self, stock: Stock, task: Task, choices: TrialChoices) -> Pattern:
        return grid_of(choices, task, up="power", across="speed")
