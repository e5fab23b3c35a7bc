"""Layers of a drawing that are glued on each other."""

from __future__ import annotations

from dataclasses import dataclass

from olive_almanac.core.records.ranges import check_number
from olive_almanac.core.words import tr

__all__ = ["Stack"]


@dataclass(frozen=True)
class Stack:
    """Layers in the order of the drawing, the base first or last; how true a layer is placed by
    hand, mm; whether tape lies on the back of the stock.
    """

    base_first: bool = True
    place_mm: float = 0.2
    taped: bool = False

    def __post_init__(self) -> None:
        check_number(tr("How true a layer is placed"), self.place_mm, "mm", low=0.02, high=5)
