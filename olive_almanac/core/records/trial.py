"""A planned test: its factors, its cells and where they lie on the coupon."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from typing import Literal, get_args

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.anchors import ANCHORS
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.ranges import check_choice, check_number, check_text
from olive_almanac.core.records.recipe import AS_IT_LIES, Recipe
from olive_almanac.core.records.setting import TASKS, Setting, Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.words import tr

__all__ = [
    "MOST_RECIPES",
    "ORDERS",
    "STAGES",
    "Cell",
    "CouponSize",
    "Fiducial",
    "Kind",
    "Label",
    "Mark",
    "Order",
    "Place",
    "SheetOnBed",
    "TestedLevels",
    "Trial",
]

Mark = Literal["outline", "fill", "line", "comb", "stack", "detail"]
Kind = str  # the id of a kind of trial: core/design/kinds holds them
MARKS: tuple[Mark, ...] = get_args(Mark)
Order = Literal["energy", "rows", "columns"]
ORDERS: tuple[Order, ...] = get_args(Order)
STAGES = ("plan", "burn", "read", "decide", "book")  # the station that is next for a trial
Box = tuple[float, float, float, float]  # left, low, right, high, mm
FAR_MM = 20_000.0  # nothing of a coupon lies farther out
FIDUCIALS = 50  # of the dictionary
MOST_RECIPES = 4  # side by side


@dataclass(frozen=True)
class TestedLevels:
    """What varies: its name, the unit of its levels, and the levels from low to high."""

    name: str
    unit: str
    levels: tuple[float, ...]


@dataclass(frozen=True)
class Cell:
    """One patch: `rect_mm` is x, y, width, height from the lower left corner of the coupon; row 0
    is lowest.

    `nominal_mm` is the drawn size that a gauge compares with: a slot's width (comb) or a piece's
    (stack), else 0; `recipe` says by which of the trial's recipes the piece was prepared; `dots`
    is the share of its dots that are burnt, 0 for whole lines.
    """

    id: str
    row: int
    col: int
    mark: Mark
    rect_mm: tuple[float, float, float, float]
    order: int
    seconds: float
    setting: Setting
    nominal_mm: float = 0.0
    recipe: int = field(default=0, metadata={"written": "if set"})
    dots: float = field(default=0.0, metadata={"written": "if set"})

    def __post_init__(self) -> None:
        if not 0 <= self.dots <= 1:
            check_number(tr("Share of dots"), self.dots, "", low=0, high=1)
        if not (0 < len(self.id) <= 40 and self.id.strip() and self.mark in MARKS):
            check_text(tr("Cell id"), self.id, 40)
            check_choice(tr("Mark"), self.mark, MARKS)
        if not (
            -FAR_MM <= self.rect_mm[0] <= FAR_MM
            and -FAR_MM <= self.rect_mm[1] <= FAR_MM
            and 0 < self.rect_mm[2] <= 2000
            and 0 < self.rect_mm[3] <= 2000
            and 0 <= self.seconds < math.inf
        ):
            for corner in self.rect_mm[:2]:
                check_number(tr("Corner of a cell"), corner, "mm", low=-FAR_MM, high=FAR_MM)
            for side in self.rect_mm[2:]:
                check_number(tr("Cell side"), side, "mm", above=0, high=2000)
            check_number(tr("Time of the cell"), self.seconds, "s", low=0)

    @property
    def longest_side_mm(self) -> float:
        """The longer side of the cell, mm."""
        return max(self.rect_mm[2:])


@dataclass(frozen=True)
class CouponSize:
    width_mm: float
    height_mm: float

    def __post_init__(self) -> None:
        check_number(tr("Coupon width"), self.width_mm, "mm", above=0, high=5000)
        check_number(tr("Coupon height"), self.height_mm, "mm", above=0, high=5000)


@dataclass(frozen=True)
class Place:
    """Where the coupon's lower left corner lies on the bed, in mm."""

    x_mm: float
    y_mm: float


@dataclass(frozen=True)
class SheetOnBed:
    """The sheet under a trial: which of the stock's sheets (counted from 0), where its lower left
    corner lies on the bed, its size, and what is in the way on it, in mm of the bed.
    """

    number: int
    x_mm: float
    y_mm: float
    width_mm: float
    height_mm: float
    clamps_mm: tuple[Box, ...] = ()


def is_gauged(cell: Cell) -> bool:
    """Return whether a cell is read with a gauge: a slot, a stack of pieces, or a line's width."""
    return cell.mark in ("comb", "stack", "line")


@dataclass(frozen=True)
class Label:
    """Words burnt in single strokes: the lower left corner of the first letter, and the height of a
    capital, in mm.
    """

    text: str
    at_mm: tuple[float, float]
    height_mm: float


@dataclass(frozen=True)
class Fiducial:
    """A square mark that a photo is found by: dictionary, id, centre and side of its black square
    in coupon mm.
    """

    kind: str
    id: int
    centre_mm: tuple[float, float]
    size_mm: float

    def __post_init__(self) -> None:
        check_number(tr("Number of a photo mark"), self.id, low=0, high=FIDUCIALS - 1)
        check_number(tr("Size of a photo mark"), self.size_mm, "mm", low=1, high=100)
        for place in self.centre_mm:
            check_number(tr("Place of a photo mark"), place, "mm", low=-FAR_MM, high=FAR_MM)


@dataclass(frozen=True)
class Trial:
    """A trial as it goes to the machine.

    `made` is an ISO date; `seconds` is the whole burning time with travel, marks and rests.
    `label_setting` burns the labels and the corner mark, `fiducial_setting` the fiducials; `cost`
    is in the shop's money, None where no rate is known.
    """

    id: str
    name: str
    made: str
    machine: Machine
    stock: Stock
    task: Task
    coupon: CouponSize
    factors: tuple[TestedLevels, ...]
    cells: tuple[Cell, ...]
    seconds: float
    on_sheet: Place | None = None
    fiducials: tuple[Fiducial, ...] = ()
    notes: str = ""
    kind: Kind = "grid"
    burn_order: Order = "energy"
    rest_s: float = 0.0
    labels: tuple[Label, ...] = ()
    label_setting: Setting | None = None
    fiducial_setting: Setting | None = None
    sheet: SheetOnBed | None = None
    turned: bool = False
    cost: float | None = None
    anchor: str = field(default="", metadata={"written": "if set"})  # where the head stands
    choices: dict[str, object] = field(
        default_factory=dict, hash=False
    )  # what it was planned from, to plan on
    # how the piece was prepared: nothing is said, one recipe, or several side by side
    recipes: tuple[Recipe, ...] = field(default=(), metadata={"written": "if set"})
    extra: dict[str, object] = field(default_factory=dict, hash=False)

    def __post_init__(self) -> None:
        check_text(tr("Trial id"), self.id, 60)
        check_text(tr("Trial name"), self.name, 120)
        check_choice(tr("Task"), self.task, TASKS)
        if not self.cells:
            raise OutOfRange(tr("Number of cells"), 0, tr("at least 1"))
        if len({cell.id for cell in self.cells}) != len(self.cells):
            raise OutOfRange(tr("Cell ids"), tr("some stand twice"), tr("all different"))
        check_number(tr("Burning time"), self.seconds, "s", low=0)
        check_number(tr("Rest"), self.rest_s, "s", low=0, high=600)
        check_choice(tr("Place where the head stands"), self.anchor, ("", *ANCHORS))
        check_number(tr("Recipes of a trial"), len(self.recipes), high=MOST_RECIPES)
        for cell in self.cells:
            if cell.recipe and not 0 <= cell.recipe < len(self.recipes):
                known = tr(
                    "one of the trial's {recipes} recipes, counted from 0",
                    recipes=len(self.recipes),
                )
                raise OutOfRange(tr("Recipe of a cell"), cell.recipe, known)

    @property
    def area_mm(self) -> Box:
        """The coupon's box on the bed."""
        place = self.on_sheet or Place(0.0, 0.0)
        return (
            place.x_mm,
            place.y_mm,
            place.x_mm + self.coupon.width_mm,
            place.y_mm + self.coupon.height_mm,
        )

    @property
    def in_order(self) -> tuple[Cell, ...]:
        """The cells in the order in which they burn."""
        return tuple(sorted(self.cells, key=lambda cell: cell.order))

    def energy_of(self, cell: Cell) -> float:
        """Return the energy of a cell over all its passes: line energy (J/mm), or areal energy of a
        raster (J/mm2).
        """
        return self.machine.watts(cell.setting.power) * cell.setting.dose_per_watt

    @property
    def recipe(self) -> Recipe:
        """How the piece was prepared, the first of several."""
        return self.recipes[0] if self.recipes else AS_IT_LIES

    def recipe_of(self, cell: Cell) -> Recipe:
        """Return how the piece was prepared where a cell lies."""
        return self.recipes[cell.recipe] if self.recipes else AS_IT_LIES

    def parts(self) -> tuple[Trial, ...]:
        """Return the trial once for each of its recipes that has cells, with those alone."""
        if len(self.recipes) < 2:
            return (self,)
        found = []
        for at, recipe in enumerate(self.recipes):
            cells = tuple(replace(c, recipe=0) for c in self.cells if c.recipe == at)
            if cells:
                found.append(replace(self, cells=cells, recipes=(recipe,)))
        return tuple(found)

    def cell(self, cell_id: str) -> Cell:
        """Return the cell of that id; raises KeyError for an unknown one."""
        for cell in self.cells:
            if cell.id == cell_id:
                return cell
        raise KeyError(cell_id)
