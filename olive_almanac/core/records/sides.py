"""A sheet that is burnt from both sides: how it is turned over, and by what it finds its place."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from olive_almanac.core.records.ranges import check_choice, check_number, check_text
from olive_almanac.core.words import tr

__all__ = ["ABOUT", "BY", "SIDES", "About", "Side", "TwoSides"]

Side = Literal["front", "back", "both"]
SIDES: dict[str, str] = {"front": tr("front"), "back": tr("back"), "both": tr("both sides")}
About = Literal["y", "x"]
ABOUT: dict[str, str] = {
    "y": tr("like a page, left over right"),
    "x": tr("like a calendar, top down"),
}
BY: dict[str, str] = {"pins": tr("two pins through it"), "corner": tr("a corner at the stop")}


@dataclass(frozen=True)
class TwoSides:
    """Turned about the Y axis ("y", like a page) or the X axis; laid by two pins of a diameter, mm,
    or by a corner; what is done to the first side before (paint, wait, peel), in words.
    """

    about: About = "y"
    by: str = "pins"
    pin_mm: float = 3.0
    between: str = field(default="", metadata={"written": "if set"})

    def __post_init__(self) -> None:
        check_choice(tr("How it is turned over"), self.about, tuple(ABOUT))
        check_choice(tr("How it finds its place"), self.by, tuple(BY))
        check_text(tr("What is done before it is turned"), self.between or "-", 120)
        check_number(tr("Diameter of a pin"), self.pin_mm, "mm", low=1, high=20)
