"""Confirm run: one setting again and again, spread over the sheet."""

from __future__ import annotations

from dataclasses import replace

from olive_almanac.core.design.aim import Ground
from olive_almanac.core.design.choices import TrialChoices, holding
from olive_almanac.core.design.kinds.kind import TrialKind, register
from olive_almanac.core.design.pattern import Pattern, plain_patch, setting_of
from olive_almanac.core.records.setting import Setting, Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.words import tr

REPEATS = 3


@register
class ConfirmRun(TrialKind):
    id = "confirm"
    name = tr("confirm run")
    finds_out = tr("one setting again and again, spread over the sheet")
    place = 12
    fields = frozenset({"beam", "crosshatch", "repeats", "sheet_size"})
    spread = True
    asks = "confirm"

    def suggest(self, ground: Ground, choices: TrialChoices) -> TrialChoices:
        return replace(
            choices,
            power=(ground.full_power(choices),),
            speed_mm_s=ground.safe_speed(choices),
            repeats=REPEATS,
        )

    def resumed(
        self, choices: TrialChoices, setting: Setting | None, last: TrialChoices | None, made: str
    ) -> tuple[TrialChoices, str] | None:
        if setting is None:
            return None
        confirmed = replace(
            choices,
            **holding(setting),
            beam=setting.beam,
            crosshatch=setting.crosshatch,
            direction=setting.direction,
            focus_step_mm=setting.focus_step_mm,
        )
        return confirmed, tr("from the book: the entry itself")

    def pattern(self, stock: Stock, task: Task, choices: TrialChoices) -> Pattern:
        setting = setting_of(choices, task)
        patches = tuple(
            plain_patch(choices, task, 0, i, setting, label=str(i + 1))
            for i in range(choices.repeats)
        )
        return Pattern(patches, spread=True)
