"""Line-pitch strip: coarse to fine lines at the same energy per area."""

from __future__ import annotations

from dataclasses import replace

from olive_almanac.core.design.aim import Ground
from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.core.design.kinds.kind import TrialKind, register
from olive_almanac.core.design.levels import round_level
from olive_almanac.core.design.pattern import Pattern, plain_patch, setting_of
from olive_almanac.core.records.setting import Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import number_text
from olive_almanac.core.words import tr

SHARES_OF_SPOT = (0.4, 0.6, 0.8, 1.0, 1.25, 1.5)
FASTEST_SHARE = 0.45  # of the machine's speed: crossed lines run twice as fast


@register
class PitchStrip(TrialKind):
    id = "pitch"
    name = tr("line-pitch strip")
    finds_out = tr("coarse to fine lines at the same energy per area")
    tasks = ("engrave", "mark")
    place = 5
    across = "pitch"
    fields = frozenset({"beam", "crosshatch"})
    teaches_setting = False

    def suggest(self, ground: Ground, choices: TrialChoices) -> TrialChoices:
        machine, energy = ground.machine, ground.aim.energy
        shares = (max(0.01, round(share * machine.spot_y_mm, 2)) for share in SHARES_OF_SPOT)
        pitches = tuple(sorted(set(shares)))
        power = ground.middle(choices)[0]
        speed = min(
            machine.watts(power) / (energy * pitches[0]), FASTEST_SHARE * machine.max_speed_mm_s
        )
        power = min(1.0, machine.fraction_for(energy * speed * pitches[0]))
        return replace(
            choices,
            power=(round_level(power),),
            speed_mm_s=ground.one_speed(speed),
            pitch_mm=pitches,
            crosshatch=True,
            cell_mm=10.0,
        )

    def basis(self, aimed: str) -> str:
        return tr("from the spot, 0.4 to 1.5 of its width; the energy {aimed}", aimed=aimed)

    def pattern(self, stock: Stock, task: Task, choices: TrialChoices) -> Pattern:
        """The finest pitch runs at the speed given, the coarser ones slower, so that each gets the
        same energy per area.
        """
        finest, speed = min(choices.pitch_mm), choices.speed_mm_s[0]
        crossings = [False]
        rows: tuple[str, ...] = ("",)
        up = ""
        if choices.crosshatch:
            crossings, rows, up = [False, True], (tr("one way"), tr("crossed")), tr("Lines")
        patches = []
        for row, crossed in enumerate(crossings):
            for col, pitch in enumerate(choices.pitch_mm):
                same_energy = float(f"{speed * finest / pitch * (1 + crossed):.4g}")
                setting = setting_of(
                    choices, task, pitch=pitch, speed=same_energy, crosshatch=crossed
                )
                patches.append(plain_patch(choices, task, row, col, setting))
        cols = tuple(number_text(pitch) for pitch in choices.pitch_mm)
        return Pattern(tuple(patches), rows, cols, up, tr("Line pitch, mm"))
