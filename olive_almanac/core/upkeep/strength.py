"""A need of energy as a strength of the beam, per cent."""

from __future__ import annotations

import math

__all__ = ["percent_weaker", "strength_percent"]


def percent_weaker(need: float) -> int:
    """Return how much weaker a machine is, per cent of its beam; a need is ln energy."""
    return round(-100 * math.expm1(-need))


def strength_percent(need: float) -> int:
    """Return the strength that is left of a machine's beam, per cent; a need is ln energy."""
    return 100 - percent_weaker(need)
