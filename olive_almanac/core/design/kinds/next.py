"""The most telling cells: those that teach most about what is not known yet, each with its own
setting.
"""

from __future__ import annotations

import itertools

from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.core.design.kinds.kind import TrialKind, register
from olive_almanac.core.design.pattern import Patch, Pattern, plain_patch
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.factors import factor_of
from olive_almanac.core.records.setting import Setting, Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import burnt_length, percent_text
from olive_almanac.core.words import tr

ROW_CELLS = 4  # a corner of a sheet is nearly square


@register
class NextCells(TrialKind):
    id = "next"
    name = tr("most telling cells")
    finds_out = tr(
        "the quickest cut from few cells: passes, focus and speed vary at once, and the next ones "
        "follow from these"
    )
    place = 0
    chosen_for = ("cut",)
    asks_the_fit = True
    fields = frozenset()
    holds = False

    def pattern(self, stock: Stock, task: Task, choices: TrialChoices) -> Pattern:
        if not choices.settings:
            raise OutOfRange(tr("Cells to burn"), 0, tr("at least 1"))
        if task != "cut":
            patches = tuple(
                plain_patch(choices, task, 0, i, setting, label=str(i + 1))
                for i, setting in enumerate(choices.settings)
            )
            return Pattern(patches, wraps=True)
        return Pattern(tuple(_by_passes(choices, task)), ragged=True)


def _by_passes(choices: TrialChoices, task: Task) -> list[Patch]:
    """A row for each number of passes, the fewest at the foot, the quickest cell first; long rows
    are broken.
    """
    ordered = sorted(choices.settings, key=lambda s: (s.passes, s.focus_mm, -s.speed_mm_s))
    patches, row = [], 0
    for _, group in itertools.groupby(ordered, key=lambda s: s.passes):
        cells = list(group)
        for at in range(0, len(cells), ROW_CELLS):
            for col, setting in enumerate(cells[at : at + ROW_CELLS]):
                label = _label(setting, choices)
                patches.append(plain_patch(choices, task, row, col, setting, label=label))
            row += 1
    return patches


def _label(setting: Setting, choices: TrialChoices) -> str:
    """What tells a cell from its neighbours: its speed, and of passes, focus and power those that
    vary.
    """
    cells = choices.settings
    parts = [factor_of("speed").write(setting.speed_mm_s, choices.speed_unit)]
    if len({one.passes for one in cells}) > 1:
        parts.append(f"x{setting.passes}")
    if len({one.focus_mm for one in cells}) > 1:
        parts.append(f"f{burnt_length(setting.focus_mm, 2)}")
    if len({one.power for one in cells}) > 1:
        parts.append(f"p{percent_text(setting.power)}")
    return " ".join(parts)
