"""What the operator chose for a trial: the levels of each factor, and how the coupon is laid."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Literal

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.factors import FACTORS, Value, factor_of
from olive_almanac.core.records.plain import from_plain
from olive_almanac.core.records.ranges import check_number
from olive_almanac.core.records.recipe import Recipe
from olive_almanac.core.records.setting import Air, Beam, Setting
from olive_almanac.core.records.stock import Sheet
from olive_almanac.core.records.trial import MOST_RECIPES, Kind, Order, Place, Trial
from olive_almanac.core.words import tr

__all__ = ["TrialChoices", "choices_of", "holding", "is_hotter"]


@dataclass(frozen=True)
class TrialChoices:
    """What the operator chose: levels and held values, sizes in mm, rest in s, place on the bed in
    mm.

    A factor with one level is held.  In a grid `up` and `across` name the factors of its rows and
    columns; one further factor with several levels repeats the grid.  `slope` is the rise of a
    ramp, mm per mm; `slots_mm` the widths of a comb; `settings` the cells of kind "next".  `hotter`
    says that the operator burns above what is expected to flare, low energy first.  `recipes` say
    how the piece is prepared: one, or several side by side, then `prepared` says by which of them
    each of `settings` is.
    """

    power: tuple[float, ...]
    speed_mm_s: tuple[float, ...]
    passes: tuple[int, ...] = (1,)
    focus_mm: tuple[float, ...] = (0.0,)
    pitch_mm: tuple[float, ...] = (0.0,)
    air: tuple[Air, ...] = ("full",)
    pulse_khz: tuple[float, ...] = field(default=(0.0,), metadata={"written": "if set"})
    pulse_ns: tuple[float, ...] = field(default=(0.0,), metadata={"written": "if set"})
    cell_mm: float = 10.0
    gap_mm: float = 4.0
    rest_s: float = 0.0
    place: tuple[float, float] = (10.0, 10.0)
    kind: Kind = "grid"
    up: str = "power"
    across: str = "speed"
    crosshatch: bool = False
    direction: Literal["", "x", "y", "xy"] = field(
        default="", metadata={"written": "if set"}
    )  # of raster lines, where an entry's own is burnt again
    beam: Beam = "constant"
    focus_step_mm: float = 0.0
    burn_order: Order = "energy"
    turned: bool = False
    repeats: int = 3
    slope: float = 0.1
    slots_mm: tuple[float, ...] = ()
    settings: tuple[Setting, ...] = ()
    labels: bool = True
    label_power: float | None = None
    label_speed_mm_s: float | None = None
    fiducials: bool = True
    marks_set: int = 0
    hotter: bool = field(default=False, metadata={"written": "if set"})
    anchor: str = field(default="", metadata={"written": "if set"})  # where the head stands
    sheet_number: int | None = None
    sheet: Sheet | None = None
    sheet_at_mm: tuple[float, float] = (0.0, 0.0)
    edge_mm: float = 5.0
    speed_unit: str = "mm/s"
    recipes: tuple[Recipe, ...] = field(default=(), metadata={"written": "if set"})
    prepared: tuple[int, ...] = field(default=(), metadata={"written": "if set"})
    extra: dict[str, object] = field(default_factory=dict, hash=False)

    def __post_init__(self) -> None:
        check_number(tr("Cell side"), self.cell_mm, "mm", low=1, high=200, key="cell")
        check_number(tr("Gap between cells"), self.gap_mm, "mm", low=0.5, high=100, key="gap")
        check_number(tr("Rest"), self.rest_s, "s", low=0, high=600, key="rest")
        check_number(tr("Repeats"), self.repeats, low=1, high=100, key="repeats")
        check_number(tr("Slope"), self.slope, tr("mm per mm"), above=0, high=1, key="slope")
        check_number(tr("Free edge"), self.edge_mm, "mm", low=0, high=200, key="edge")
        check_number(tr("Focus step"), self.focus_step_mm, "mm", low=0, high=20, key="focus_step")
        for factor in FACTORS:
            if not self.levels(factor.id):
                raise OutOfRange(
                    tr("Levels of {factor}", factor=factor.word),
                    "none",
                    tr("at least one"),
                    key=factor.id,
                )
        check_number(
            tr("Recipes side by side"), len(self.recipes), high=MOST_RECIPES, key="recipes"
        )
        if self.up == self.across:
            raise OutOfRange(
                tr("Factors of the grid"), tr("{up} twice", up=self.up), tr("two different ones")
            )

    def levels(self, factor: str) -> tuple[Value, ...]:
        """Return the levels of a factor by its id."""
        levels: tuple[Value, ...] = getattr(self, factor_of(factor).field)
        return levels


def holding(setting: Setting) -> dict[str, Any]:
    """Return the changes of choices that hold every factor at its value in a setting."""
    return {factor.field: (factor.of(setting),) for factor in FACTORS}


def is_hotter(trial: Trial) -> bool:
    """Return whether a trial was planned above what is expected to flare."""
    return trial.choices.get("hotter") is True


def choices_of(trial: Trial) -> TrialChoices:
    """Return the choices that lead to a trial made by `plan_trial`, to plan on from it."""
    if trial.choices:
        return from_plain(TrialChoices, trial.choices, trial.name)
    return _from_cells(trial)


def _from_cells(trial: Trial) -> TrialChoices:
    """The levels of a trial from before the choices were kept."""
    settings = [cell.setting for cell in trial.cells]
    place = trial.on_sheet or Place(10.0, 10.0)
    levels: Mapping[str, Any] = {
        factor.field: tuple(sorted({factor.of(setting) for setting in settings}, key=str))
        for factor in FACTORS
        if not factor.is_number
    } | {
        factor.field: tuple(sorted({factor.of(setting) for setting in settings}))
        for factor in FACTORS
        if factor.is_number
    }
    choices = TrialChoices(**levels)
    return replace(
        choices,
        air=(settings[0].air,),
        cell_mm=trial.cells[0].rect_mm[2],
        rest_s=trial.rest_s,
        place=(place.x_mm, place.y_mm),
    )
