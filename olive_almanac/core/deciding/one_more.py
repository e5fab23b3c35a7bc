"""Before the piece is moved: how many more passes free what hangs, by how far it hung."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.special import ndtr

from olive_almanac.core.deciding.cut_knowledge import FittedCut
from olive_almanac.core.fitting.char import FlareLimit
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.words import tr

__all__ = ["OneMore", "one_more"]

WANTED = 0.95
MOST_MORE = 6
PARTICLES = 256
LEAST_WEIGHT = 1e-9
GAINS = 0.05  # by which a pass must raise the chance to be worth it


@dataclass(frozen=True)
class OneMore:
    """How many more passes at the same numbers, and the chance that it falls free then; 0 where no
    more of them help.
    """

    passes: int
    chance: float

    @property
    def says(self) -> str:
        """What to do, in a sentence."""
        if not self.passes:
            return tr(
                "More passes at these numbers hardly help ({chance:.0f} %): lower the focus "
                "and go slower, or take it out by knife.",
                chance=100 * self.chance,
            )
        more, free = tr("1 more pass"), tr("frees")
        if self.passes > 1:
            more, free = tr("{passes} more passes", passes=self.passes), tr("free")
        chance = min(99, round(100 * self.chance))
        return tr(
            "Leave it lie: {more} at the same numbers {free} it, {chance} % sure.",
            more=more,
            free=free,
            chance=chance,
        )


def one_more(known: FittedCut, setting: Setting, verdict: str, limit: FlareLimit) -> OneMore:
    """Return what a piece that "hangs" or is "not_through" at a setting takes to fall free without
    being moved: what held it back (knot, place, focus) stays the same from pass to pass.

    Only as many passes are tried as do not flare.
    """
    groove = known.posterior.resampled(PARTICLES)
    thickness, noise = known.case.thickness_mm, np.asarray(groove.noise, float)[:, 0]
    band = np.asarray(groove.hang_band, float)[:, 0]
    passes = setting.passes + np.arange(MOST_MORE + 1)
    burns = known.case.burns(
        setting.power,
        np.full(len(passes), setting.speed_mm_s),
        passes.astype(float),
        setting.focus_mm,
        air=setting.air,
    )
    margin = np.asarray(groove.margin(burns, thickness), float)
    # the luck of the place, so that the piece came out as it did
    highest = (band if verdict == "hangs" else 0.0) - margin[:, 0]
    lowest = np.where(verdict == "hangs", -margin[:, 0], -np.inf)
    seen = ndtr(highest / noise) - ndtr(lowest / noise)
    weight = float(np.maximum(seen, LEAST_WEIGHT).sum())
    middle = np.where(verdict == "hangs", (highest - margin[:, 0]) / 2, highest)
    watts = float(known.case.power_w(setting.power))
    best = OneMore(0, 0.0)
    for more in range(1, MOST_MORE + 1):
        if not limit.allows(watts, setting.speed_mm_s, setting.passes + more):
            break
        frees = band - margin[:, more]
        low = np.maximum(lowest, frees)
        share = np.maximum(ndtr(highest / noise) - ndtr(low / noise), 0.0)
        share = np.where(seen > LEAST_WEIGHT, share, LEAST_WEIGHT * (middle > frees))
        chance = float(share.sum() / weight)
        if chance > best.chance + GAINS:
            best = OneMore(more, chance)
        if chance >= WANTED:
            return OneMore(more, chance)
    if best.chance < 0.5:
        return OneMore(0, best.chance)
    return best
