"""Dot strip: patches of dots, ever more of them, for pictures that are burnt in dots."""

from __future__ import annotations

from dataclasses import replace

from olive_almanac.core.design.aim import Ground
from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.core.design.kinds.kind import TrialKind, register
from olive_almanac.core.design.pattern import Pattern, plain_patch, setting_of
from olive_almanac.core.records.setting import Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import percent_text
from olive_almanac.core.words import tr

SHARES = (0.06, 0.12, 0.18, 0.25, 0.32, 0.40, 0.48, 0.56, 0.65, 0.75, 0.87, 1.0)
CELL_MM, DOTS_ALONG = (5.0, 10.0), 100  # a cell that a photo can read, and no more dots than that
PITCH_OF_SPOT = 0.8  # finer dots run together; a picture needs no finer ones


@register
class DotStrip(TrialKind):
    id = "dots"
    name = tr("dot strip")
    finds_out = tr("shares of dots at one setting, for pictures in dots")
    tasks = ("engrave", "mark")
    place = 7
    asks = "tone"
    teaches_setting = False

    def suggest(self, ground: Ground, choices: TrialChoices) -> TrialChoices:
        power, speed = ground.middle(choices)
        finest = round(PITCH_OF_SPOT * max(ground.machine.spot_x_mm, ground.machine.spot_y_mm), 2)
        pitch = max(0.04, finest)
        return replace(
            choices,
            power=(power,),
            speed_mm_s=ground.one_speed(speed),
            pitch_mm=(pitch,),
            crosshatch=False,
            cell_mm=min(CELL_MM[1], max(CELL_MM[0], round(DOTS_ALONG * pitch, 1))),
        )

    def basis(self, aimed: str) -> str:
        return tr("12 shares of dots at one setting; {aimed}", aimed=aimed)

    def pattern(self, stock: Stock, task: Task, choices: TrialChoices) -> Pattern:
        texts = tuple(percent_text(share) for share in SHARES)
        setting = setting_of(choices, task, crosshatch=False)
        patches = tuple(
            replace(plain_patch(choices, task, 0, col, setting, label=texts[col]), dots=share)
            for col, share in enumerate(SHARES)
        )
        return Pattern(patches, ("",), texts, "", tr("Share of dots, %"), wraps=True)
