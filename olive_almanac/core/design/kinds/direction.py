"""Direction test: along X against along Y, for a spot that is longer one way."""

from __future__ import annotations

from dataclasses import replace

from olive_almanac.core.design.aim import Ground
from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.core.design.kinds.kind import TrialKind, register
from olive_almanac.core.design.pattern import Patch, Pattern, setting_of, shape_of
from olive_almanac.core.records.factors import factor_of
from olive_almanac.core.records.setting import Task, rasters
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.words import tr

STRIP = (3.0, 0.4)  # long and short side of the strips, in cells
RASTER_STRIP = (2.0, 1.0)


@register
class DirectionTest(TrialKind):
    id = "direction"
    name = tr("direction test")
    finds_out = tr("along X against along Y, for a spot that is longer one way")
    place = 10
    across = "speed"
    shows_edge = True
    tells_kerf = True

    def suggest(self, ground: Ground, choices: TrialChoices) -> TrialChoices:
        return replace(choices, power=(ground.full_power(choices),))

    def pattern(self, stock: Stock, task: Task, choices: TrialChoices) -> Pattern:
        sides = STRIP
        if rasters(task):
            sides = RASTER_STRIP
        long, short = (round(share * choices.cell_mm, 3) for share in sides)
        patches = []
        for row, (way, width, height) in enumerate((("x", long, short), ("y", short, long))):
            for col, speed in enumerate(choices.speed_mm_s):
                setting = setting_of(choices, task, speed=speed, direction=way)
                patches.append(Patch(row, col, 0, width, height, shape_of(task), setting))
        factor, unit = factor_of("speed"), choices.speed_unit
        cols = tuple(factor.write(speed, unit) for speed in choices.speed_mm_s)
        return Pattern(tuple(patches), ("X", "Y"), cols, tr("Along"), factor.axis(unit))
