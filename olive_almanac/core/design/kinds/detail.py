"""Corner and detail test: small holes, points and thin bars over the speeds."""

from __future__ import annotations

from dataclasses import replace

from olive_almanac.core.design.aim import Ground
from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.core.design.kinds.kind import TrialKind, register
from olive_almanac.core.design.pattern import Pattern, grid_of
from olive_almanac.core.records.setting import Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.words import tr

MOST_SPEEDS = 4


@register
class DetailTest(TrialKind):
    id = "detail"
    name = tr("corner and detail test")
    finds_out = tr("small holes, points and thin bars over the speeds")
    place = 11
    across = "speed"
    shows_edge = True
    ordered = True

    def suggest(self, ground: Ground, choices: TrialChoices) -> TrialChoices:
        return replace(
            choices,
            power=(ground.full_power(choices),),
            speed_mm_s=choices.speed_mm_s[:MOST_SPEEDS],
            cell_mm=20.0,
        )

    def pattern(self, stock: Stock, task: Task, choices: TrialChoices) -> Pattern:
        grid = grid_of(choices, task, up="power", across="speed")
        return replace(grid, patches=tuple(replace(one, mark="detail") for one in grid.patches))
