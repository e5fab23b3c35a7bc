"""Next cells: those that teach most about what is not known yet, each with its own setting."""

from __future__ import annotations

from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.core.design.kinds.kind import TrialKind, register
from olive_almanac.core.design.pattern import Pattern, plain_patch
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.setting import Task
from olive_almanac.core.records.stock import Stock


@register
class NextCells(TrialKind):
    id = "next"
    name = "next cells"
    finds_out = "the cells that teach most about what is not known yet"
    place = 13
    fields = frozenset()
    holds = False
    by_choice = False

    def pattern(self, stock: Stock, task: Task, choices: TrialChoices) -> Pattern:
        if not choices.settings:
            raise OutOfRange("Cells to burn", 0, "at least 1")
        patches = tuple(
            plain_patch(choices, task, 0, i, setting, label=str(i + 1))
            for i, setting in enumerate(choices.settings)
        )
        return Pattern(patches, wraps=True)
