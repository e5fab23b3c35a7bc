"""A jig: a board with pockets at an even pitch, in which blanks lie for their turn."""

from __future__ import annotations

from dataclasses import dataclass

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.ranges import check_number
from olive_almanac.core.words import tr

__all__ = ["Jig"]

MOST_PLACES = 1000


@dataclass(frozen=True)
class Jig:
    """Pockets in columns and rows for a blank of `blank_mm` (wide, high), all in mm.

    A pocket is the blank with `clearance_mm` around it; below zero it is a rim on which the blank
    lies while what sticks out of it hangs free.  `notch_mm` is the radius of the place for a
    finger, 0 for none; `border_mm` is left around the pockets.
    """

    columns: int
    rows: int
    blank_mm: tuple[float, float]
    pitch_mm: tuple[float, float]
    clearance_mm: float = 0.2
    notch_mm: float = 8.0
    border_mm: float = 8.0

    def __post_init__(self) -> None:
        check_number(tr("Columns"), self.columns, low=1, high=200, key="columns")
        check_number(tr("Rows"), self.rows, low=1, high=200, key="rows")
        if self.places > MOST_PLACES:
            raise OutOfRange(
                tr("Places of the jig"),
                self.places,
                tr("at most {most_places}", most_places=MOST_PLACES),
            )
        least = -0.4 * min(self.blank_mm)
        for mm, name in zip(self.blank_mm, (tr("Width"), tr("Height")), strict=True):
            check_number(
                tr("{name} of the blank", name=name), mm, "mm", low=2, high=2000, key="blank"
            )
        check_number(tr("Clearance"), self.clearance_mm, "mm", low=least, high=10, key="clearance")
        check_number(tr("Radius of the notch"), self.notch_mm, "mm", low=0, high=50, key="notch")
        check_number(tr("Border"), self.border_mm, "mm", low=1, high=200, key="border")
        counts, names = (self.columns, self.rows), (tr("along X"), tr("along Y"))
        for count, pitch, side, name in zip(
            counts, self.pitch_mm, self.blank_mm, names, strict=True
        ):
            check_number(tr("Pitch {name}", name=name), pitch, "mm", low=0, high=5000)
            if count > 1 and pitch < side + 2 * max(0.0, self.clearance_mm) + 1.0:
                needs = tr("at least {side:g}", side=side + 2 * max(0.0, self.clearance_mm) + 1.0)
                raise OutOfRange(
                    tr("Pitch {name}", name=name),
                    pitch,
                    tr("{needs}: a blank needs that much", needs=needs),
                    "mm",
                )

    @property
    def places(self) -> int:
        """How many blanks it holds."""
        return self.columns * self.rows

    @property
    def first_mm(self) -> float:
        """Where the first blank begins, along both axes from the jig's lower left corner."""
        return self.border_mm + max(0.0, self.clearance_mm)

    @property
    def size_mm(self) -> tuple[float, float]:
        """The jig's own width and height."""
        counts = (self.columns, self.rows)
        along, up = (
            2 * self.first_mm + (count - 1) * pitch + side
            for count, pitch, side in zip(counts, self.pitch_mm, self.blank_mm, strict=True)
        )
        return (round(along, 3), round(up, 3))

    def corners_mm(self) -> tuple[tuple[float, float], ...]:
        """Return the lower left corners of the blanks, row by row from below."""
        (px, py), first = self.pitch_mm, self.first_mm
        return tuple(
            (round(first + i * px, 4), round(first + j * py, 4))
            for j in range(self.rows)
            for i in range(self.columns)
        )
