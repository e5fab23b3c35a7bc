"""The cells of a trial before they have a place: patches with their settings, and axes in words."""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Any

from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.factors import FACTORS, Factor, Value, factor_of
from olive_almanac.core.records.setting import Setting, Task, rasters
from olive_almanac.core.records.trial import Mark
from olive_almanac.core.words import tr

__all__ = ["Patch", "Pattern", "grid_of", "lines_of", "plain_patch", "setting_of", "shape_of"]


@dataclass(frozen=True)
class Patch:
    """A cell before it has a place: its row, column and block, its size, its mark and its
    setting.
    """

    row: int
    col: int
    block: int
    width_mm: float
    height_mm: float
    mark: Mark
    setting: Setting
    label: str = ""
    nominal_mm: float = 0.0
    recipe: int = 0  # by which of the trial's recipes the piece is prepared
    dots: float = 0.0  # share of its dots that are burnt, 0 for whole lines


@dataclass(frozen=True)
class Pattern:
    """The cells of a trial with the words of its axes.

    Without words the cells carry their own labels.

    `rows` and `cols` are the texts of the axes from low to high; `up` and `across` say what they
    are.
    """

    patches: tuple[Patch, ...]
    rows: tuple[str, ...] = ()
    cols: tuple[str, ...] = ()
    up: str = ""
    across: str = ""
    blocks: tuple[str, ...] = ("",)
    wraps: bool = False  # a strip that may be broken into several rows
    spread: bool = False  # over the whole sheet
    places: tuple[tuple[float, float], ...] = ()  # of its equal parts, -1 to 1 over the sheet
    ragged: bool = False  # each row flows by itself: its cells need not stand in columns


def setting_of(choices: TrialChoices, task: Task, **changes: object) -> Setting:
    """Return the held values with some changed; keys are ids of factors or a setting's own
    fields.
    """
    raster = rasters(task)
    values: dict[str, Any] = {
        factor.field: choices.levels(factor.id)[0] for factor in FACTORS if factor.applies(task)
    }
    if not raster:
        values["pitch_mm"] = 0.0
    values |= {
        "beam": choices.beam,
        "direction": (choices.direction or "x") if raster else "xy",
        "crosshatch": choices.crosshatch and raster,
        "focus_step_mm": choices.focus_step_mm,
    }
    fields = {factor.id: factor.field for factor in FACTORS}
    for key, value in changes.items():
        values[fields.get(key, key)] = value
    return Setting(**values)


def shape_of(task: Task) -> Mark:
    """Return how a plain cell of a task is drawn."""
    if rasters(task):
        return "fill"
    if task == "cut":
        return "outline"
    return "line"


def plain_patch(
    choices: TrialChoices,
    task: Task,
    row: int,
    col: int,
    setting: Setting,
    *,
    block: int = 0,
    label: str = "",
) -> Patch:
    """Return a square cell of the chosen side, drawn as the task is."""
    side = choices.cell_mm
    return Patch(row, col, block, side, side, shape_of(task), setting, label)


def grid_of(choices: TrialChoices, task: Task, *, up: str, across: str) -> Pattern:
    """Return the cells of two factors against each other, repeated by a third that varies.

    Raises OutOfRange where more than three vary.
    """
    unit = choices.speed_unit
    third = _third_factor(choices, task, up, across)
    rows, cols = choices.levels(up), choices.levels(across)
    repeats: Sequence[Value] = ("",)
    if third is not None:
        repeats = choices.levels(third.id)
    patches = []
    for (block, repeat), (row, high), (col, wide) in itertools.product(
        enumerate(repeats), enumerate(rows), enumerate(cols)
    ):
        changes: dict[str, object] = {up: high, across: wide}
        if third is not None:
            changes[third.id] = repeat
        setting = setting_of(choices, task, **changes)
        patches.append(plain_patch(choices, task, row, col, setting, block=block))
    blocks: tuple[str, ...] = ("",)
    if third is not None:
        blocks = tuple(f"{third.word} {text}" for text in _texts(third, repeats, unit))
    side, foot = factor_of(up), factor_of(across)
    return Pattern(
        tuple(patches),
        _texts(side, rows, unit),
        _texts(foot, cols, unit),
        side.axis(unit),
        foot.axis(unit),
        blocks,
    )


def _third_factor(choices: TrialChoices, task: Task, up: str, across: str) -> Factor | None:
    further = [
        factor
        for factor in FACTORS
        if factor.id not in (up, across)
        and factor.applies(task, factor.source)
        and len(choices.levels(factor.id)) > 1
    ]
    if len(further) > 1:
        raise OutOfRange(
            tr("Factors that vary"),
            len(further) + 2,
            tr("at most 3: two on the coupon and one that repeats it"),
        )
    if further:
        return further[0]
    return None


def _texts(factor: Factor, levels: Iterable[Value], unit: str) -> tuple[str, ...]:
    return tuple(factor.shown(level, unit) for level in levels)


def lines_of(pattern: Pattern, task: Task) -> Pattern:
    """Return the pattern with its cells as thin strokes both ways, for a raster task too."""
    changes: dict[str, Any] = {}
    if rasters(task):
        changes = {"pitch_mm": 0.0, "direction": "xy", "crosshatch": False}
    patches = tuple(
        replace(patch, mark="line", setting=replace(patch.setting, **changes))
        for patch in pattern.patches
    )
    return replace(pattern, patches=patches)
