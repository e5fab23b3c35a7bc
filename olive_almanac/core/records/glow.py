"""A panel that is lit from one edge, and the dots by which it glows."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from olive_almanac.core.records.ranges import check_choice, check_number, check_text
from olive_almanac.core.words import tr

__all__ = ["EDGES", "Edge", "Glow"]

Edge = Literal["low", "high", "left", "right"]
EDGES: dict[str, str] = {
    "low": tr("from below"),
    "high": tr("from above"),
    "left": tr("from the left"),
    "right": tr("from the right"),
}


@dataclass(frozen=True)
class Glow:
    """Which group becomes dots, from which edge it is lit, how far apart dots are, mm, and the
    largest share of the face that they cover.

    How quickly light is used up comes from an even strip: `even` of it was covered, and over
    `even_mm` its glow fell to the share `fell`.
    """

    group: str
    lit: Edge = "low"
    pitch_mm: float = 2.5
    most: float = 0.5
    even: float = 0.25
    even_mm: float = 150.0
    fell: float = 0.5

    def __post_init__(self) -> None:
        check_text(tr("Group of the dots"), self.group, 200)
        check_choice(tr("Lit edge"), self.lit, tuple(EDGES))
        check_number(tr("Pitch of the dots"), self.pitch_mm, "mm", low=0.4, high=30, key="pitch")
        check_number(tr("Largest share covered"), self.most, low=0.05, high=0.8, key="most")
        check_number(tr("Share of the strip covered"), self.even, low=0.02, high=0.9, key="even")
        check_number(tr("Length of the strip"), self.even_mm, "mm", low=5, high=3000, key="even_mm")
        check_number(tr("Share to which its glow fell"), self.fell, low=0.02, high=0.99, key="fell")
