"""Greyscale strip: steps of power for the tone curve."""

from __future__ import annotations

import math
from dataclasses import replace

from olive_almanac.core.design.aim import Ground
from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.core.design.kinds.kind import TrialKind, register
from olive_almanac.core.design.pattern import Pattern, plain_patch, setting_of
from olive_almanac.core.records.setting import Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import percent_text
from olive_almanac.core.words import tr

STEPS = 12
BEYOND = 1.6  # the darkest step gets so many times the energy of the right tone


@register
class GreyStrip(TrialKind):
    id = "grey"
    name = tr("greyscale strip")
    finds_out = tr("steps of power for the tone curve")
    tasks = ("engrave", "mark")
    place = 6
    across = "power"
    asks = "tone"
    teaches_setting = False

    def suggest(self, ground: Ground, choices: TrialChoices) -> TrialChoices:
        speed = ground.middle(choices)[1]
        hottest = BEYOND * ground.aim.energy * speed * choices.pitch_mm[0]
        most = min(1.0, ground.machine.fraction_for(hottest))
        # half percents: they can be dialled in
        step = max(0.005, math.floor(200 * most / STEPS) / 200)
        powers = tuple(round(step * (i + 1), 4) for i in range(STEPS))
        return replace(choices, power=powers, speed_mm_s=(speed,))

    def pattern(self, stock: Stock, task: Task, choices: TrialChoices) -> Pattern:
        texts = tuple(percent_text(power) for power in choices.power)
        patches = []
        for col, power in enumerate(choices.power):
            setting = setting_of(choices, task, power=power)
            patches.append(plain_patch(choices, task, 0, col, setting, label=texts[col]))
        return Pattern(tuple(patches), ("",), texts, "", tr("Power, %"), wraps=True)
