"""Up to what thickness a machine gets through a stock, and at what price in time."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from olive_almanac.core.deciding.cut_knowledge import FIT_SEED, know_cut
from olive_almanac.core.deciding.reckon import LEAST_CHANCE, Reckoned, reckon_cut, with_thickness
from olive_almanac.core.design.suggest import flare_limit_of
from olive_almanac.core.fitting.kin_learning import KinSds
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Trial

__all__ = ["THICKNESSES_MM", "ReachPoint", "StockReach", "reach_of"]

Pairs = Sequence[tuple[Trial, Sequence[Reading]]]
THICKNESSES_MM = (1.0, 1.5, 2.0, 3.0, 4.0, 5.0, 6.0, 8.0, 9.0, 10.0, 12.0, 15.0, 18.0, 20.0, 25.0)
SAME_MM = 0.05  # of the thickness that lies in the rack
GIVES_UP = 2  # thicknesses in a row that do not go
PATIENCE_S = 900.0  # nobody waits longer for a metre (common practice, no source)


@dataclass(frozen=True)
class ReachPoint:
    """A thickness with what it is expected to take, or the best chance where it does not go;
    `burnt` where coupons of this very thickness were read.
    """

    thickness_mm: float
    found: Reckoned
    burnt: bool

    @property
    def goes(self) -> bool:
        """Whether a setting gets through in a time that somebody waits for."""
        return self.found.setting is not None and self.found.seconds_per_m <= PATIENCE_S

    @property
    def setting(self) -> Setting | None:
        """The quickest setting that is sure enough; None where there is none."""
        return self.found.setting

    @property
    def hopeless(self) -> bool:
        """Whether nothing gets through even by chance."""
        return self.found.setting is None and self.found.chance < LEAST_CHANCE


@dataclass(frozen=True)
class StockReach:
    """A stock on a machine: a point a thickness, thin to thick."""

    stock: Stock
    points: tuple[ReachPoint, ...]

    @property
    def most_mm(self) -> float | None:
        """The largest thickness that goes, None where none does."""
        return max((one.thickness_mm for one in self.points if one.goes), default=None)


def reach_of(
    machine: Machine, stock: Stock, pairs: Pairs, kin: KinSds | None = None
) -> Iterator[ReachPoint]:
    """Yield what a stock would take in one thickness after the other, up to where it does not go
    any more; `pairs` are coupons of this stock and its kin.
    """
    own = stock.true_thickness_mm
    thicknesses = sorted({*(t for t in THICKNESSES_MM if abs(t - own) > SAME_MM), own})
    missed = 0
    for thickness in thicknesses:
        lies = stock if thickness == own else with_thickness(stock, thickness)
        rng = np.random.default_rng(FIT_SEED)
        known = know_cut(machine, lies, pairs, rng=rng, kin=kin)
        found = reckon_cut(known, machine, lies, flare_limit_of(lies, pairs))
        burnt = thickness == own and bool(known.own)
        point = ReachPoint(thickness, found, burnt)
        yield point
        missed = 0 if point.goes else missed + 1
        if missed >= GIVES_UP and thickness >= own:
            return
