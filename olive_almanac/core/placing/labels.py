"""Labels on the coupon: what is written beside the cells, how large, and how gently it is burnt."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

from olive_almanac.core.materials.families import edge_energy, family_of, tone_prior
from olive_almanac.core.materials.names import says
from olive_almanac.core.placing.strokes import Polyline
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import Setting, rasters
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Cell

__all__ = [
    "MARK_RUN_UP_MM",
    "SPOTS_PER_LETTER",
    "Lettering",
    "label_height",
    "label_setting",
    "marker_setting",
    "marks_show",
]

COARSE = {
    "foam_eva",
    "felt",
    "cork",
    "leather",
    "denim",
    "wool",
    "cotton",
    "polyester",
    "rubber",
    "stone",
    "synthetic_leather",
}
LEAST_MM, COARSE_MM = 2.5, 4.0
SPOTS_PER_LETTER = 12  # a letter lower than this many spots fills up
MARK_RUN_UP_MM = 2.0  # the bare stock around a fiducial is its run-up
CHAR_SHARE = 0.5  # labels stay below half the line energy at which the edge chars


class Lettering(Protocol):
    """A single-stroke font: widths and strokes for a height of the capitals in mm, from (0, 0) to
    the right and up.
    """

    def width(self, text: str, height_mm: float) -> float:
        """Return how wide a text is at a height of capitals, both mm."""

    def strokes(self, text: str, height_mm: float) -> tuple[Polyline, ...]:
        """Return the strokes of a text at a height of capitals, mm from its lower left."""


def label_height(machine: Machine, stock: Stock) -> float:
    """Return the least height of a capital that stays legible on this stock with this spot, mm."""
    return max(
        COARSE_MM if stock.family in COARSE else LEAST_MM,
        round(SPOTS_PER_LETTER * machine.spot_longer_mm, 1),
    )


def label_setting(machine: Machine, stock: Stock, task: str, cells: Sequence[Cell]) -> Setting:
    """Return a safe low setting for lines that only mark: the energy of a readable tone over the
    width of the spot.

    Never more than half of what chars the edge, and never hotter than the coolest cell of a trial
    that is burnt in lines.
    """
    tone = tone_prior(stock, machine.source)
    energy = min(tone.right_j_mm2 * machine.spot_longer_mm, CHAR_SHARE * edge_energy(stock))
    if not rasters(task):
        energy = min(
            [energy, *(machine.watts(c.setting.power) * c.setting.dose_per_watt for c in cells)]
        )
    return _dialled(machine, energy, min(0.3 * machine.max_speed_mm_s, 60.0), 0.0)


def marker_setting(machine: Machine, stock: Stock, pitch_mm: float) -> Setting:
    """Return the raster setting of the fiducials: the family's tone, one line pitch of
    `pitch_mm`.
    """
    speed = min(
        0.4 * machine.max_speed_mm_s,
        150.0,
        (2 * MARK_RUN_UP_MM * machine.acceleration_mm_s2) ** 0.5,
    )
    tone = tone_prior(stock, machine.source)
    return _dialled(machine, tone.right_j_mm2 * pitch_mm, speed, pitch_mm)


def _dialled(
    machine: Machine, line_energy_j_mm: float, speed_mm_s: float, pitch_mm: float
) -> Setting:
    power = machine.fraction_for(line_energy_j_mm * speed_mm_s)
    if power < 0.05:  # below that a tube or diode burns unevenly, or not at all
        power = 0.05
        speed_mm_s = min(machine.max_speed_mm_s, machine.watts(power) / line_energy_j_mm)
    elif power > 0.8:
        power = 0.8
        speed_mm_s = machine.watts(power) / line_energy_j_mm
    # as it can be dialled in; rounded up it could be quicker than the machine goes
    power, speed_mm_s = round(power, 3), max(0.1, float(f"{speed_mm_s:.3g}"))
    speed_mm_s = min(speed_mm_s, machine.max_speed_mm_s)
    return Setting(power, speed_mm_s, 1, 0.0, pitch_mm, "low", direction="x" if pitch_mm else "xy")


def marks_show(stock: Stock, *, engraves: bool) -> bool:
    """True where a burnt square stands out from the stock: `engraving` is the catalogue's verdict
    for engraving it.

    Clear and mirror stock shows none in a photo, nor does dark stock that burns dark.
    """
    dark = says(f"{stock.colour} {stock.finish}", "dark")
    return (
        engraves
        and stock.opacity not in ("clear", "mirror")
        and not (dark and family_of(stock).darkens)
    )
