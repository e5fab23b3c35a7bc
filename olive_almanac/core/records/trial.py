"""A planned test: its factors, its cells and where they lie on the coupon."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.ranges import check_choice, check_number, check_text
from olive_almanac.core.records.setting import TASKS, Setting, Task
from olive_almanac.core.records.stock import Stock

__all__ = ["Cell", "CouponSize", "Factor", "Fiducial", "Place", "Trial"]

Mark = Literal["outline", "fill", "line", "comb"]


@dataclass(frozen=True)
class Factor:
    """What varies: its name, the unit of its levels, and the levels from low to high."""

    name: str
    unit: str
    levels: tuple[float, ...]


@dataclass(frozen=True)
class Cell:
    """One patch: `rect_mm` is x, y, width, height from the lower left corner of the coupon; row 0 is lowest."""

    id: str
    row: int
    col: int
    mark: Mark
    rect_mm: tuple[float, float, float, float]
    order: int
    seconds: float
    setting: Setting

    def __post_init__(self) -> None:
        check_text("Cell id", self.id, 40)
        check_choice("Mark", self.mark, ("outline", "fill", "line", "comb"))
        for side in self.rect_mm[2:]:
            check_number("Cell side", side, "mm", above=0, high=2000)
        check_number("Time of the cell", self.seconds, "s", low=0)

    @property
    def longest_side_mm(self) -> float:
        return max(self.rect_mm[2:])


@dataclass(frozen=True)
class CouponSize:
    width_mm: float
    height_mm: float

    def __post_init__(self) -> None:
        check_number("Coupon width", self.width_mm, "mm", above=0, high=5000)
        check_number("Coupon height", self.height_mm, "mm", above=0, high=5000)


@dataclass(frozen=True)
class Place:
    """Where the coupon's lower left corner lies on the bed, in mm."""

    x_mm: float
    y_mm: float


@dataclass(frozen=True)
class Fiducial:
    kind: str
    id: int
    centre_mm: tuple[float, float]
    size_mm: float


@dataclass(frozen=True)
class Trial:
    """A trial as it goes to the machine.  `made` is an ISO date; `seconds` is the whole burning time."""

    id: str
    name: str
    made: str
    machine: Machine
    stock: Stock
    task: Task
    coupon: CouponSize
    factors: tuple[Factor, ...]
    cells: tuple[Cell, ...]
    seconds: float
    on_sheet: Place | None = None
    fiducials: tuple[Fiducial, ...] = ()
    notes: str = ""
    extra: dict[str, object] = field(default_factory=dict, hash=False)

    def __post_init__(self) -> None:
        check_text("Trial id", self.id, 60)
        check_text("Trial name", self.name, 120)
        check_choice("Task", self.task, TASKS)
        if not self.cells:
            raise OutOfRange("Number of cells", 0, "at least 1")
        if len({cell.id for cell in self.cells}) != len(self.cells):
            raise OutOfRange("Cell ids", "some stand twice", "all different")
        check_number("Burning time", self.seconds, "s", low=0)

    @property
    def in_order(self) -> tuple[Cell, ...]:
        """The cells in the order in which they burn."""
        return tuple(sorted(self.cells, key=lambda cell: cell.order))

    def cell(self, cell_id: str) -> Cell:
        """Return the cell of that id; raises KeyError for an unknown one."""
        for cell in self.cells:
            if cell.id == cell_id:
                return cell
        raise KeyError(cell_id)
