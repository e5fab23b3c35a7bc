"""Faults to plant on the stand-in bench: what a person does wrong, and what a machine does by
itself.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from olive_almanac.core.records.trial import Cell
from olive_almanac.standins.groove import Dials
from olive_almanac.standins.material import Hidden

__all__ = ["FAULTS", "Fault", "with_fault"]

FAULTS = (
    "focus",
    "tilt",
    "dirty lens",
    "weak tube",
    "no air",
    "bubble",
    "wrong face",
    "film left",
    "wrong lot",
)
LEFT_UNDER_A_BUBBLE = 0.03  # of the beam


@dataclass(frozen=True)
class Fault:
    """One fault: its kind and how bad it is.

    `amount` is in mm of focus (focus), mm over the coupon's width (tilt), ln energy (dirty lens,
    weak tube, wrong lot, film left, wrong face) or mm of radius (bubble); `at_mm` is a place on the
    coupon (bubble).
    """

    kind: str
    amount: float = 0.0
    at_mm: tuple[float, float] = (0.0, 0.0)


def with_fault(
    fault: Fault, hidden: Hidden, dials: Dials, cells: Sequence[Cell]
) -> tuple[Hidden, Dials]:
    """Return the hidden stock and the settings as a fault makes them."""
    x = np.array([cell.rect_mm[0] + cell.rect_mm[2] / 2 for cell in cells])
    y = np.array([cell.rect_mm[1] + cell.rect_mm[3] / 2 for cell in cells])
    if fault.kind == "focus":
        return hidden, replace(dials, shift_mm=dials.shift_mm + fault.amount)
    if fault.kind == "tilt":
        along = (x - x.min()) / (float(np.ptp(x)) or 1.0)
        return hidden, replace(dials, shift_mm=dials.shift_mm + fault.amount * along)
    if fault.kind in ("dirty lens", "weak tube"):
        lost = math.exp(-fault.amount)
        if fault.kind == "dirty lens":
            hidden = replace(hidden, spot_scale=hidden.spot_scale * 1.02)
        return hidden, replace(dials, strength=dials.strength * lost)
    if fault.kind == "no air":
        return hidden, replace(dials, air=np.zeros_like(dials.air))
    if fault.kind == "bubble":
        near = np.hypot(x - fault.at_mm[0], y - fault.at_mm[1]) < fault.amount
        strength = np.where(near, LEFT_UNDER_A_BUBBLE, 1.0) * dials.strength
        return hidden, replace(dials, strength=strength)
    # another face, a film on top, another lot: the stock takes up more or less
    return replace(hidden, takes_up=min(0.98, hidden.takes_up * math.exp(-fault.amount))), dials
