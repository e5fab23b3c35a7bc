"""Kerf comb and stack: slots to try and pieces to measure, across X and across Y."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from olive_almanac.core.design.aim import Ground
from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.core.design.kinds.kind import TrialKind, register
from olive_almanac.core.design.pattern import Patch, Pattern, setting_of
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.setting import Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import number_text
from olive_almanac.core.words import tr

__all__ = ["slot_widths"]

PIECE_MM = 10.0  # of a stack, nominal
STACK_PIECES = 6
STACK_DEPTH_MM = 15.0
SLOT_LENGTH_MM = 15.0
NARROWEST_SLOT_MM = 0.2


def slot_widths(stock: Stock) -> tuple[float, ...]:
    """Return slots, mm, to push a piece of the stock into: from 0.3 mm narrower than it is thick,
    by 0.05 mm.
    """
    return tuple(round(stock.true_thickness_mm - 0.3 + 0.05 * i, 2) for i in range(8))


@register
class KerfComb(TrialKind):
    id = "kerf"
    name = tr("kerf comb and stack")
    finds_out = tr("slots to try and pieces to measure, across X and across Y")
    tasks = ("cut",)
    place = 8
    fields = frozenset({"beam", "slots"})
    asks = "kerf"
    teaches_setting = False
    tells_kerf = True

    def suggest(self, ground: Ground, choices: TrialChoices) -> TrialChoices:
        return replace(
            choices,
            power=(ground.full_power(choices),),
            speed_mm_s=ground.safe_speed(choices),
            slots_mm=slot_widths(ground.stock),
        )

    def basis(self, aimed: str) -> str:
        return tr("from the measured thickness; the setting {aimed}", aimed=aimed)

    def pattern(self, stock: Stock, task: Task, choices: TrialChoices) -> Pattern:
        """Slots of rising width across X and across Y, and a stack of pieces each way."""
        slots = choices.slots_mm or slot_widths(stock)
        if min(slots) <= NARROWEST_SLOT_MM:
            allowed = tr("above {narrowest_slot_mm:g}", narrowest_slot_mm=NARROWEST_SLOT_MM)
            raise OutOfRange(tr("Slot widths"), min(slots), allowed, "mm", key="slots")
        return Pattern(tuple(_patches(choices, task, slots)), ragged=True)


def _patches(choices: TrialChoices, task: Task, slots: tuple[float, ...]) -> Iterator[Patch]:
    for row, way in enumerate(("x", "y")):
        setting, letter = setting_of(choices, task, direction=way), way.upper()
        for col, slot in enumerate(slots):
            width, height = _lying(way, slot, SLOT_LENGTH_MM)
            words = f"{letter}{number_text(slot)}"
            yield Patch(1 + row, col, 0, width, height, "comb", setting, words, slot)
        width, height = _lying(way, STACK_PIECES * PIECE_MM, STACK_DEPTH_MM)
        words = f"{letter} {STACK_PIECES} x 10"
        yield Patch(0, row, 0, width, height, "stack", setting, words, PIECE_MM)


def _lying(way: str, along: float, across: float) -> tuple[float, float]:
    """Width and height of a box whose measured side lies along X or along Y."""
    if way == "x":
        return along, across
    return across, along
