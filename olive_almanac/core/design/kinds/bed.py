"""Bed map: the same small ladder at five places of the bed and two heights of the focus."""

from __future__ import annotations

import itertools
from dataclasses import replace

from olive_almanac.core.design.aim import Ground
from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.core.design.kinds.kind import TrialKind, register
from olive_almanac.core.design.levels import round_level
from olive_almanac.core.design.pattern import Pattern, plain_patch, setting_of
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.materials.families import family_of
from olive_almanac.core.records.setting import Setting, Task, rasters
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import SPEED_UNITS
from olive_almanac.core.words import tr

AT = 0.9  # of the half bed
PLACES = ((-AT, -AT), (AT, -AT), (AT, AT), (-AT, AT), (0.0, 0.0))
HEIGHT = 0.7  # Rayleigh ranges above and below
TONES, TONE_RATIO = 3, 1.10
HALF_TONE = 0.6  # of the energy of a plain dark tone: there the tone changes most with it
LEAST_POWER = 0.12  # tubes burn unevenly below it: then the speed rises instead
RUNGS, RUNG_RATIO = 5, 1.12
CELL_MM = 8.0
LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"


@register
class BedMapTrial(TrialKind):
    id = "bed"
    name = tr("bed map")
    finds_out = tr("one small ladder at five places and two heights: tilt, mirrors, a dirty place")
    tasks = ("cut", "engrave")
    chosen_for = ("cut", "engrave")
    place = 14
    fields = frozenset()
    spread = True
    asks = "bed"
    drives_focus = True
    teaches_setting = False

    def suggest(self, ground: Ground, choices: TrialChoices) -> TrialChoices:
        power = ground.full_power(choices)
        if rasters(ground.task):
            count, ratio, full = TONES, TONE_RATIO, power
            share = HALF_TONE if family_of(ground.stock).darkens else 1.0
            power = max(min(full, LEAST_POWER), round(full * share, 2))
            centre = ground.middle(choices)[1] * power / (full * share)
        else:
            count, ratio = RUNGS, RUNG_RATIO
            centre = ground.aim.speed_mm_s or ground.middle(choices)[1]
        centre = min(centre, ground.machine.max_speed_mm_s / ratio ** (count / 2))
        unit = SPEED_UNITS[ground.speed_unit]
        speeds = {
            round_level(centre * ratio ** (n - (count - 1) / 2) / unit, 3) * unit
            for n in range(count)
        }
        away = round(HEIGHT * ground.machine.rayleigh_mm, 1)
        middle = choices.focus_mm[0]
        return replace(
            choices,
            power=(power,),
            speed_mm_s=tuple(sorted(speeds)),
            focus_mm=(round(middle - away, 2), round(middle + away, 2)),
            cell_mm=min(choices.cell_mm, CELL_MM) if rasters(ground.task) else choices.cell_mm,
        )

    def basis(self, aimed: str) -> str:
        return tr("{aimed}; one height above and one below the best focus", aimed=aimed)

    def resumed(
        self, choices: TrialChoices, setting: Setting | None, last: TrialChoices | None, made: str
    ) -> tuple[TrialChoices, str] | None:
        if last is None:
            return None
        return replace(last, sheet=choices.sheet), tr("as in the bed map of {made}", made=made)

    def pattern(self, stock: Stock, task: Task, choices: TrialChoices) -> Pattern:
        heights = sorted(choices.focus_mm)
        rungs = list(itertools.product(choices.power, choices.passes, choices.speed_mm_s))
        lines = len(PLACES) * len(heights)
        if lines > len(LETTERS):
            most = len(LETTERS) // len(PLACES)
            raise OutOfRange(
                tr("Heights of the focus"),
                len(heights),
                tr("at most {most}", most=most),
                key="focus",
            )
        patches = []
        for place in range(len(PLACES)):
            for level, height in enumerate(heights):
                line = place * len(heights) + level
                for col, (power, passes, speed) in enumerate(rungs):
                    held = {"focus": height, "power": power, "passes": passes, "speed": speed}
                    setting = setting_of(choices, task, **held)
                    label = LETTERS[line] if col == 0 else ""
                    patch = plain_patch(choices, task, line, col, setting, label=label)
                    patches.append(patch)
        return Pattern(tuple(patches), spread=True, places=PLACES)
