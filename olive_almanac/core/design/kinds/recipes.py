"""Recipes side by side: the same burn on pieces prepared in two to four ways."""

from __future__ import annotations

from dataclasses import replace

from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.core.design.kinds.kind import TrialKind, register
from olive_almanac.core.design.pattern import Patch, Pattern, plain_patch
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.factors import factor_of
from olive_almanac.core.records.setting import Setting, Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.words import tr

LETTERS = "ABCD"
ROW_CELLS = 4


@register
class RecipesSideBySide(TrialKind):
    id = "recipes"
    name = tr("recipes side by side")
    finds_out = tr("which way to prepare the piece asks for less: bare, taped, painted, propped up")
    place = 15
    tasks = ("cut", "engrave", "mark")
    chosen_for = ("cut", "engrave", "mark")
    fields = frozenset()
    holds = False
    compares_recipes = True

    def pattern(self, stock: Stock, task: Task, choices: TrialChoices) -> Pattern:
        count = len(choices.recipes)
        if count < 2:
            raise OutOfRange(
                tr("Recipes side by side"), count, tr("2 to 4: add one"), key="recipes"
            )
        cells = list(zip(choices.settings, choices.prepared, strict=False))
        patches: list[Patch] = []
        row = 0
        for at in range(count):
            own = sorted((one for one, which in cells if which == at), key=_strongest_last)
            for start in range(0, len(own), ROW_CELLS):
                for col, setting in enumerate(own[start : start + ROW_CELLS]):
                    label = f"{LETTERS[at]} {_told(setting, choices)}"
                    patch = plain_patch(choices, task, row, col, setting, label=label)
                    patches.append(replace(patch, recipe=at))
                row += 1
        if not patches:
            raise OutOfRange(tr("Cells to burn"), 0, tr("at least 1"))
        return Pattern(tuple(patches), ragged=True)


def _strongest_last(setting: Setting) -> float:
    return setting.power / setting.speed_mm_s


def _told(setting: Setting, choices: TrialChoices) -> str:
    """What tells a cell from its neighbours: its power where that varies, else its speed."""
    if len({one.power for one in choices.settings}) > 1:
        return f"p{factor_of('power').write(setting.power, choices.speed_unit)}"
    return factor_of("speed").write(setting.speed_mm_s, choices.speed_unit)
