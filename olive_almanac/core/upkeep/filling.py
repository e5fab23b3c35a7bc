"""How much smoke a shop's filters hold: learnt from what they had taken when they were changed.

ln of the capacity is normal about 400 g, sd 0.6 (own); one found full reads it with 0.25, one that
was changed early says only that it holds more.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

__all__ = ["USUAL_G", "filter_capacity_g"]

USUAL_G, USUAL_SD, FULL_SD = 400.0, 0.6, 0.25
STEPS, REACH = 241, 4.0


def filter_capacity_g(full_g: Sequence[float], early_g: Sequence[float]) -> tuple[float, float]:
    """Return the capacity, g, and the standard error of its ln, from the smoke that filters had
    taken which were found full, and which were changed before that.
    """
    middle = math.log(USUAL_G)
    at = [middle + USUAL_SD * REACH * (2 * n / (STEPS - 1) - 1) for n in range(STEPS)]
    logs = []
    for one in at:
        log = -0.5 * ((one - middle) / USUAL_SD) ** 2
        log -= sum(0.5 * ((math.log(g) - one) / FULL_SD) ** 2 for g in full_g if g > 0)
        log += sum(_log_phi((one - math.log(g)) / FULL_SD) for g in early_g if g > 0)
        logs.append(log)
    top = max(logs)
    weight = [math.exp(log - top) for log in logs]
    total = sum(weight)
    mean = sum(w * x for w, x in zip(weight, at, strict=True)) / total
    spread = sum(w * (x - mean) ** 2 for w, x in zip(weight, at, strict=True)) / total
    return math.exp(mean), math.sqrt(spread)


def _log_phi(x: float) -> float:
    return math.log(max(1e-300, 0.5 * math.erfc(-x / math.sqrt(2))))
