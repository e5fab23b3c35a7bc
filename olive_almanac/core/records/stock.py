"""A material as it lies in the rack: family, finish, thickness, lot."""

from __future__ import annotations

from dataclasses import dataclass, field
from math import fsum
from typing import Literal

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.ranges import check_choice, check_number, check_text
from olive_almanac.core.units import fixed_length_text
from olive_almanac.core.words import tr

__all__ = ["OPACITIES", "Opacity", "Sheet", "Stock"]

Box = tuple[float, float, float, float]
Opacity = Literal["opaque", "translucent", "clear", "mirror"]
MOST_CORNERS = 500
MOST_AWAY_MM = 10_000.0  # that a clamp or a used area lies from the corner of its sheet
OPACITIES = ("opaque", "translucent", "clear", "mirror")


@dataclass(frozen=True)
class Sheet:
    """A sheet or offcut with the areas already used and the zones of its clamps: left, low, right,
    high in mm; one that is no rectangle has an outline.

    All is measured from the lower left corner of the sheet, or of the box around it.
    """

    width_mm: float
    height_mm: float
    used_mm: tuple[Box, ...] = ()
    clamps_mm: tuple[Box, ...] = ()
    outline_mm: tuple[tuple[float, float], ...] = field(default=(), metadata={"written": "if set"})

    def __post_init__(self) -> None:
        check_number(tr("Width of the sheet"), self.width_mm, "mm", above=0, high=5000)
        check_number(tr("Height of the sheet"), self.height_mm, "mm", above=0, high=5000)
        if self.outline_mm and not 3 <= len(self.outline_mm) <= MOST_CORNERS:
            raise OutOfRange(
                tr("Corners of the sheet"),
                len(self.outline_mm),
                tr("3 to {most_corners}", most_corners=MOST_CORNERS),
            )
        for point in self.outline_mm:
            if len(point) != 2:
                raise OutOfRange(tr("Corner of the sheet"), point, tr("X and Y in mm"))
            for mm, side in zip(point, (self.width_mm, self.height_mm), strict=True):
                check_number(tr("Corner of the sheet"), mm, "mm", low=-0.5, high=side + 0.5)
        for name, boxes in ((tr("Used area"), self.used_mm), (tr("Clamp"), self.clamps_mm)):
            for left, low, right, high in boxes:
                for mm in (left, low, right, high):
                    check_number(name, mm, "mm", low=-MOST_AWAY_MM, high=MOST_AWAY_MM)
                if not (left < right and low < high):
                    raise OutOfRange(
                        name,
                        f"{left:g},{low:g},{right:g},{high:g}",
                        tr("from the lower left to the upper right, in mm"),
                    )

    def clamps_at(self, x_mm: float, y_mm: float) -> tuple[Box, ...]:
        """Return its clamps in mm of the bed, where its lower left corner lies at a place of it."""
        return tuple((a + x_mm, b + y_mm, c + x_mm, d + y_mm) for a, b, c, d in self.clamps_mm)


@dataclass(frozen=True)
class Stock:
    """A stock of one lot.

    `thickness_mm` is nominal; `measured_mm` holds caliper readings, kept apart.  `family` is an id
    of `core.materials.families`.
    """

    name: str
    family: str
    thickness_mm: float
    measured_mm: tuple[float, ...] = ()
    finish: str = ""
    colour: str = ""
    opacity: Opacity = "opaque"
    lot: str = ""
    process: str = ""  # cast or extruded
    glue_line: str = ""  # light, or dark for exterior glue
    tanning: str = ""
    coating: str = ""
    mask: str = ""  # none, paper (stays on), film (comes off before engraving)
    sheets: tuple[Sheet, ...] = ()
    price_m2: float | None = None  # in the shop's money
    lightness: float | None = None  # L* of the bare face, measured against a grey card
    uid: str = ""
    notes: str = ""
    extra: dict[str, object] = field(default_factory=dict, hash=False)

    def __post_init__(self) -> None:
        check_text(tr("Name of the stock"), self.name, 60)
        check_text(tr("Family"), self.family, 40)
        check_number(tr("Thickness"), self.thickness_mm, "mm", low=0.01, high=200)
        for reading in self.measured_mm:
            check_number(tr("Measured thickness"), reading, "mm", low=0.01, high=200)
        check_choice(tr("Opacity"), self.opacity, OPACITIES)
        if self.lightness is not None:
            check_number(tr("Lightness"), self.lightness, low=0, high=100)
        if self.price_m2 is not None:
            check_number(tr("Price"), self.price_m2, tr("per m²"), low=0, high=1e6)

    @property
    def true_thickness_mm(self) -> float:
        """Mean of the caliper readings, or the nominal thickness where there are none."""
        if self.measured_mm:
            return fsum(self.measured_mm) / len(self.measured_mm)
        return self.thickness_mm

    @property
    def short_name(self) -> str:
        """Name and nominal thickness: "Birch ply 3.0 mm"."""
        return f"{self.name} {fixed_length_text(self.thickness_mm, 1)}"

    @property
    def label(self) -> str:
        """Name, thickness and lot, as the subject line shows it."""
        if self.lot:
            return tr("{short_name}, lot {lot}", short_name=self.short_name, lot=self.lot)
        return self.short_name
