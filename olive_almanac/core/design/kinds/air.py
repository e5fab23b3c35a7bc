"""Air steps: off, low and full over the speeds."""

from __future__ import annotations

from dataclasses import replace

from olive_almanac.core.design.aim import Ground
from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.core.design.kinds.kind import TrialKind, register
from olive_almanac.core.design.pattern import Pattern, grid_of
from olive_almanac.core.records.setting import AIRS, Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.words import tr


@register
class AirSteps(TrialKind):
    id = "air"
    name = tr("air steps")
    finds_out = tr("off, low and full over the speeds")
    place = 9
    up = "air"
    across = "speed"
    shows_edge = True
    ordered = True

    def suggest(self, ground: Ground, choices: TrialChoices) -> TrialChoices:
        return replace(choices, power=(ground.full_power(choices),), air=AIRS)

    def pattern(self, stock: Stock, task: Task, choices: TrialChoices) -> Pattern:
        return grid_of(choices, task, up="air", across="speed")
