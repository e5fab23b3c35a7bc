"""What another source or lens would have saved in a year of the shop's own jobs, and when it pays.

Of each job the time in which it cuts is scaled by how much quicker its stock would be cut; ways,
corners and engraving stay as they were.  Most of what is not known is common to all stocks: drawn
one by one they would seem three times surer than they are.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

__all__ = ["CutWork", "Payback", "payback"]

COMMON_SD, OWN_SD, TAILS = 0.17, 0.10, 6.0  # of ln speed (measured on the stand-in), t6
MAKERS_SD = 0.15  # of ln power that only the maker tells (own)
DRAWS, SEED = 4000, 11
TEN, NINETY = 0.1, 0.9
HOUR_S = 3600.0


@dataclass(frozen=True)
class CutWork:
    """What was cut of one stock in the year: seconds of cutting, how much quicker it would be cut
    (mean change of ln speed), and how much quicker the machine can move at most (ln).
    """

    seconds: float
    quicker: float
    at_most: float


@dataclass(frozen=True)
class Payback:
    """Hours of cutting in the year; hours saved and months until it pays, each at 10, 50 and 90 %
    (None: never); the chance that it pays within a year.
    """

    hours_now: float
    hours_saved: tuple[float, float, float]
    months: tuple[float | None, float | None, float | None]
    within_a_year: float


def payback(
    work: Sequence[CutWork], *, price: float, hour_worth: float, makers_power: bool = False
) -> Payback:
    """Return what a change saves and when it pays: `price` over the hours saved a year, each worth
    `hour_worth` (machine and person); `makers_power` where its power is the maker's figure.
    """
    rng = np.random.default_rng(SEED)
    common = math.hypot(COMMON_SD, MAKERS_SD) if makers_power else COMMON_SD
    shift = common * rng.standard_t(TAILS, (DRAWS, 1))
    seconds = np.array([one.seconds for one in work])
    own = OWN_SD * rng.standard_t(TAILS, (DRAWS, len(work)))
    quicker = np.array([one.quicker for one in work]) + shift + own
    quicker = np.minimum(quicker, [one.at_most for one in work])
    saved = (seconds * -np.expm1(-quicker)).sum(1) / HOUR_S
    worth = np.maximum(saved, 0.0) * hour_worth
    months = np.where(worth > 0, 12 * price / np.maximum(worth, 1e-9), np.inf)
    quantiles = np.quantile(months, [TEN, 0.5, NINETY], method="higher")
    low, middle, high = np.quantile(saved, [TEN, 0.5, NINETY])
    return Payback(
        float(seconds.sum()) / HOUR_S,
        (float(low), float(middle), float(high)),
        (_finite(quantiles[0]), _finite(quantiles[1]), _finite(quantiles[2])),
        float((months <= 12).mean()),
    )


def _finite(months: float) -> float | None:
    return float(months) if math.isfinite(months) else None
