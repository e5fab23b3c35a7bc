"""Power x speed grid, or any two factors against each other."""

from __future__ import annotations

from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.core.design.kinds.kind import FREE, TrialKind, register
from olive_almanac.core.design.pattern import Pattern, grid_of
from olive_almanac.core.records.setting import Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.words import tr


@register
class Grid(TrialKind):
    id = "grid"
    name = tr("power × speed grid")
    finds_out = tr("two factors against each other; a third repeats the grid")
    place = 1
    up = FREE
    across = FREE
    fields = frozenset({"beam", "crosshatch"})
    shows_edge = True
    ordered = True

    def pattern(self, stock: Stock, task: Task, choices: TrialChoices) -> Pattern:
        return grid_of(choices, task, up=choices.up, across=choices.across)
