"""Passes ladder: one slow pass against several fast ones."""

from __future__ import annotations

from dataclasses import replace

from olive_almanac.core.design.aim import Ground
from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.core.design.kinds.kind import TrialKind, register
from olive_almanac.core.design.pattern import Pattern, plain_patch, setting_of
from olive_almanac.core.records.setting import Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.words import tr


@register
class PassesLadder(TrialKind):
    id = "passes"
    name = tr("passes ladder")
    finds_out = tr("several fast passes against one slow pass of the same energy")
    place = 2
    across = "passes"

    def suggest(self, ground: Ground, choices: TrialChoices) -> TrialChoices:
        machine, power = ground.machine, ground.full_power(choices)
        most = max(4, min(2 * ground.aim.passes, 8))
        # the one slow pass must not flare
        coolest = 1.001 * most * ground.expected.slowest(machine.watts(power), 1)
        fast = choices.speed_mm_s[-1]
        if ground.aim.passes == 1:
            fast *= 2
        speed = ground.one_speed(min(max(fast, coolest), machine.max_speed_mm_s))
        if speed[0] < coolest:  # rounding went below what is allowed
            speed = ground.one_speed(min(1.05 * coolest, machine.max_speed_mm_s))
        return replace(choices, power=(power,), speed_mm_s=speed, passes=tuple(range(1, most + 1)))

    def pattern(self, stock: Stock, task: Task, choices: TrialChoices) -> Pattern:
        """Lower row: 1 to n passes at one speed.

        Upper row: the energy of the n passes, spent in 1 to n passes.
        """
        counts = choices.passes
        if len(counts) == 1:
            counts = tuple(range(1, max(2, counts[0]) + 1))
        speed, most = choices.speed_mm_s[0], max(counts)
        patches = []
        for col, passes in enumerate(counts):
            setting = setting_of(choices, task, passes=passes)
            patches.append(plain_patch(choices, task, 0, col, setting))
        for col, passes in enumerate(counts):
            slowed = float(f"{speed * passes / most:.4g}")
            setting = setting_of(choices, task, passes=passes, speed=slowed)
            patches.append(plain_patch(choices, task, 1, col, setting))
        cols = tuple(map(str, counts))
        return Pattern(tuple(patches), ("speed", "energy"), cols, tr("Same"), tr("Passes"))
