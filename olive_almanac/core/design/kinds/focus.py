"""Focus steps: lines at several heights of the head."""

from __future__ import annotations

from dataclasses import replace

from olive_almanac.core.design.aim import Ground
from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.core.design.kinds.kind import TrialKind, register
from olive_almanac.core.design.levels import round_level
from olive_almanac.core.design.pattern import Pattern, grid_of, lines_of
from olive_almanac.core.records.setting import Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.words import tr

STEPS = 9
HALF_RANGE = 2.5  # Rayleigh ranges above and below the top face


@register
class FocusSteps(TrialKind):
    id = "focus"
    name = tr("focus steps")
    finds_out = tr("lines at several heights of the head: the narrowest is in focus")
    place = 3
    across = "focus"
    lines = True
    asks = "focus"
    drives_focus = True
    teaches_setting = False

    def suggest(self, ground: Ground, choices: TrialChoices) -> TrialChoices:
        """Lines twice as hot as a label, over five Rayleigh ranges, around the top face."""
        quiet = ground.quiet
        step = max(0.1, round(2 * HALF_RANGE * ground.machine.rayleigh_mm / (STEPS - 1), 1))
        return replace(
            choices,
            power=(round_level(min(1.0, 2 * quiet.power)),),
            speed_mm_s=ground.one_speed(quiet.speed_mm_s),
            passes=(1,),
            focus_mm=tuple(round(step * (i - STEPS // 2), 2) for i in range(STEPS)),
            cell_mm=8.0,
            slope=0.1,
        )

    def basis(self, aimed: str) -> str:
        return tr("from the beam: five Rayleigh ranges around the top face")

    def pattern(self, stock: Stock, task: Task, choices: TrialChoices) -> Pattern:
        return lines_of(grid_of(choices, task, up="power", across="focus"), task)
