"""A sheet that is burnt from both sides: how it is turned over, and by what it finds its place."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from olive_almanac.core.records.ranges import check_choice, check_number, check_text

__all__ = ["ABOUT", "BY", "SIDES", "About", "Side", "TwoSides"]

Side = Literal["front", "back", "both"]
SIDES: dict[str, str] = {"front": "front", "back": "back", "both": "both sides"}
About = Literal["y", "x"]
ABOUT: dict[str, str] = {"y": "like a page, left over right", "x": "like a calendar, top down"}
BY: dict[str, str] = {"pins": "two pins through it", "corner": "a corner at the stop"}


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
        check_choice("How it is turned over", self.about, tuple(ABOUT))
        check_choice("How it finds its place", self.by, tuple(BY))
        check_text("What is done before it is turned", self.between or "-", 120)
        check_number("Diameter of a pin", self.pin_mm, "mm", low=1, high=20)
