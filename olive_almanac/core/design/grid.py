"""A power x speed grid as a trial: cells to scale, order, times, and what the machine cannot do.

Rows are powers (the lowest at the foot), columns are speeds (the slowest at the left); one further factor repeats the
grid side by side.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, replace

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.materials.catalogue import Permission
from olive_almanac.core.motion.profile import outline_seconds, overscan_length, peak_speed, raster_seconds, run_seconds
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.ranges import check_number
from olive_almanac.core.records.setting import Air, Setting, Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Cell, CouponSize, Factor, Place, Trial
from olive_almanac.core.units import lengths_text, number_text

__all__ = ["GridChoices", "GridPlan", "Refusal", "cell_energy", "choices_of", "coupon_size", "energy_unit", "plan_grid"]

MARGIN_MM = 10.0
BLOCK_GAP_MM = 8.0
MOST_CELLS = 1600


@dataclass(frozen=True)
class GridChoices:
    """What the operator chose: levels and held values, sizes in mm, rest in s, place on the bed in mm."""

    power: tuple[float, ...]
    speed_mm_s: tuple[float, ...]
    passes: tuple[int, ...] = (1,)
    focus_mm: tuple[float, ...] = (0.0,)
    pitch_mm: tuple[float, ...] = (0.0,)
    air: Air = "full"
    cell_mm: float = 10.0
    gap_mm: float = 4.0
    rest_s: float = 0.0
    place: tuple[float, float] = (10.0, 10.0)

    def __post_init__(self) -> None:
        check_number("Cell side", self.cell_mm, "mm", low=1, high=200)
        check_number("Gap between cells", self.gap_mm, "mm", low=0.5, high=100)
        check_number("Rest", self.rest_s, "s", low=0, high=600)
        for levels, name in (
            (self.power, "power"),
            (self.speed_mm_s, "speed"),
            (self.passes, "passes"),
            (self.focus_mm, "focus"),
            (self.pitch_mm, "line pitch"),
        ):
            if not levels:
                raise OutOfRange(f"Levels of {name}", "none", "at least one")


@dataclass(frozen=True)
class Refusal:
    """A cell that is not burnt, and why."""

    cell: Cell
    why: str


@dataclass(frozen=True)
class GridPlan:
    """A planned trial with the cells that were refused, remarks for the operator, and the energy of each cell."""

    trial: Trial
    refused: tuple[Refusal, ...]
    remarks: tuple[str, ...]

    @property
    def energy_range(self) -> tuple[float, float]:
        energies = [cell_energy(self.trial, cell) for cell in self.trial.cells]
        return min(energies), max(energies)


def energy_unit(task: Task) -> str:
    return "J/mm" if task == "cut" else "J/mm²"


def cell_energy(trial: Trial, cell: Cell) -> float:
    """Return the energy of a cell over all its passes: line energy (cut, J/mm) or areal energy (engrave, J/mm2)."""
    setting = cell.setting
    line = setting.passes * trial.machine.watts(setting.power) / setting.speed_mm_s
    return line if trial.task == "cut" else line / setting.pitch_mm


def choices_of(trial: Trial) -> GridChoices:
    """Return the choices that lead to a trial made by `plan_grid`, to plan on from it."""
    settings = [cell.setting for cell in trial.cells]
    levels = {factor.name: factor.levels for factor in trial.factors}
    side = trial.cells[0].rect_mm[2]
    lefts = sorted({cell.rect_mm[0] for cell in trial.cells})
    feet = sorted({cell.rect_mm[1] for cell in trial.cells})
    steps = [round(b - a - side, 3) for places in (lefts, feet) for a, b in itertools.pairwise(places)]
    place = trial.on_sheet or Place(10.0, 10.0)
    return GridChoices(
        power=tuple(p / 100 for p in levels["power"]),
        speed_mm_s=levels["speed"],
        passes=tuple(sorted({s.passes for s in settings})),
        focus_mm=tuple(sorted({s.focus_mm for s in settings})),
        pitch_mm=tuple(sorted({s.pitch_mm for s in settings})),
        air=settings[0].air,
        cell_mm=side,
        gap_mm=min(steps, default=4.0),
        rest_s=_rest_of(trial.notes),
        place=(place.x_mm, place.y_mm),
    )


def _rest_of(notes: str) -> float:
    found = notes.partition("rest ")[2].partition(" s")[0]
    return float(found) if found else 0.0


def plan_grid(
    machine: Machine, stock: Stock, task: Task, choices: GridChoices, *, permission: Permission, trial_id: str, name: str, made: str
) -> GridPlan:
    """Return the trial of a power x speed grid.

    Raises Barred where the stock must not or cannot burn, OutOfRange where the coupon does not fit the bed, no cell is
    left, or a choice is out of range.
    """
    permission.insist()
    if task == "engrave" and min(choices.pitch_mm) <= 0:
        raise OutOfRange("Line pitch", min(choices.pitch_mm), "above 0 to engrave", "mm")
    blocks = _blocks(choices)
    rows, cols = len(choices.power), len(choices.speed_mm_s)
    if rows * cols * len(blocks) > MOST_CELLS:
        raise OutOfRange("Number of cells", rows * cols * len(blocks), f"at most {MOST_CELLS}")
    side, step = _side_margin(machine, task, choices), choices.cell_mm + choices.gap_mm
    block_width = cols * step - choices.gap_mm
    coupon = coupon_size(machine, task, choices)
    _check_fit(machine, coupon, choices.place)
    cells, refused = [], []
    for (b, block), (r, power), (c, speed) in itertools.product(
        enumerate(blocks), enumerate(choices.power), enumerate(choices.speed_mm_s)
    ):
        passes, focus, pitch = block
        setting = Setting(
            power,
            speed,
            passes,
            focus,
            pitch if task == "engrave" else 0.0,
            choices.air,
            direction="x" if task == "engrave" else "xy",
        )
        x = side + b * (block_width + BLOCK_GAP_MM) + c * step
        cell = Cell(
            _cell_id(r, c, b, len(blocks)),
            r,
            c + b * cols,
            "outline" if task == "cut" else "fill",
            (round(x, 3), round(MARGIN_MM + r * step, 3), choices.cell_mm, choices.cell_mm),
            0,
            _cell_seconds(machine, task, setting, choices.cell_mm),
            setting,
        )
        why = _beyond(machine, setting)
        if why:
            refused.append(Refusal(cell, why))
        else:
            cells.append(cell)
    if not cells:
        raise OutOfRange("Cells within the machine's limits", 0, "at least 1: " + refused[0].why)
    ordered = _low_energy_first(cells)
    factors = [Factor("power", "%", tuple(round(100 * p, 6) for p in choices.power)), Factor("speed", "mm/s", choices.speed_mm_s)]
    factors += [
        Factor(name, unit, tuple(float(v) for v in levels))
        for name, unit, levels in (
            ("passes", "", choices.passes),
            ("focus", "mm", choices.focus_mm),
            ("line pitch", "mm", choices.pitch_mm),
        )
        if len(levels) > 1
    ]
    trial = Trial(
        trial_id,
        name,
        made,
        machine,
        stock,
        task,
        coupon,
        tuple(factors),
        ordered,
        round(_whole_seconds(machine, ordered, choices.rest_s), 3),
        Place(*choices.place),
        notes=f"rest {choices.rest_s:g} s" if choices.rest_s else "",
    )
    return GridPlan(trial, tuple(refused), _remarks(machine, task, ordered))


def coupon_size(machine: Machine, task: Task, choices: GridChoices) -> CouponSize:
    """Return the size of the coupon that holds a grid: cells, gaps, and margins with the run-up of a raster."""
    step = choices.cell_mm + choices.gap_mm
    blocks = len(_blocks(choices))
    width = blocks * (len(choices.speed_mm_s) * step - choices.gap_mm) + (blocks - 1) * BLOCK_GAP_MM
    height = len(choices.power) * step - choices.gap_mm
    return CouponSize(round(width + 2 * _side_margin(machine, task, choices), 3), round(height + 2 * MARGIN_MM, 3))


def _side_margin(machine: Machine, task: Task, choices: GridChoices) -> float:
    if task == "cut":
        return MARGIN_MM
    fastest = min(max(choices.speed_mm_s), machine.max_speed_mm_s)
    return max(MARGIN_MM, 2 + overscan_length(fastest, machine.acceleration_mm_s2))


def _blocks(choices: GridChoices) -> list[tuple[int, float, float]]:
    further = [levels for levels in (choices.passes, choices.focus_mm, choices.pitch_mm) if len(levels) > 1]
    if len(further) > 1:
        raise OutOfRange("Factors beside power and speed", len(further), "at most 1")
    return list(itertools.product(choices.passes, choices.focus_mm, choices.pitch_mm))


def _cell_id(row: int, col: int, block: int, blocks: int) -> str:
    letters = ""
    number = row + 1
    while number:
        number, rest = divmod(number - 1, 26)
        letters = chr(65 + rest) + letters
    return f"{letters}{col + 1}" + (f"-{block + 1}" if blocks > 1 else "")


def _check_fit(machine: Machine, coupon: CouponSize, place: tuple[float, float]) -> None:
    for axis, size, at, bed in (
        ("width", coupon.width_mm, place[0], machine.bed_mm[0]),
        ("height", coupon.height_mm, place[1], machine.bed_mm[1]),
    ):
        check_number("Place of the coupon", at, "mm", low=0, high=bed)
        if at + size > bed + 1e-9:
            raise OutOfRange(
                f"Coupon {axis} of {lengths_text(size)} mm at {number_text(at)} mm",
                at + size,
                f"inside the bed of {lengths_text(*machine.bed_mm)} mm; it is {number_text(at + size - bed)} mm too far",
                "mm",
            )


def _beyond(machine: Machine, setting: Setting) -> str:
    if setting.speed_mm_s > machine.max_speed_mm_s * (1 + 1e-9):
        return f"{machine.name} moves at {machine.max_speed_mm_s:g} mm/s at most, not {number_text(setting.speed_mm_s)} mm/s."
    if setting.power <= 0:
        return "No power: nothing would burn."
    return ""


def _cell_seconds(machine: Machine, task: Task, setting: Setting, side_mm: float) -> float:
    if task == "cut":
        return round(outline_seconds(side_mm, side_mm, setting.passes, setting.speed_mm_s, machine.acceleration_mm_s2), 3)
    return round(
        setting.passes * raster_seconds(side_mm, side_mm, setting.pitch_mm, setting.speed_mm_s, machine.acceleration_mm_s2), 3
    )


def _low_energy_first(cells: Sequence[Cell]) -> tuple[Cell, ...]:
    """Number the cells from low energy to high, P N / (v pitch)."""

    def energy(cell: Cell) -> tuple[float, str]:
        setting = cell.setting
        return setting.power * setting.passes / (setting.speed_mm_s * (setting.pitch_mm or 1.0)), cell.id

    return tuple(replace(cell, order=i) for i, cell in enumerate(sorted(cells, key=energy), 1))


def _whole_seconds(machine: Machine, cells: Sequence[Cell], rest_s: float) -> float:
    travel = sum(
        run_seconds(
            max(abs(b.rect_mm[0] - a.rect_mm[0]), abs(b.rect_mm[1] - a.rect_mm[1])),
            machine.max_speed_mm_s,
            machine.acceleration_mm_s2,
        )
        for a, b in itertools.pairwise(cells)
    )
    return sum(cell.seconds for cell in cells) + travel + rest_s * (len(cells) - 1)


def _remarks(machine: Machine, task: Task, cells: Sequence[Cell]) -> tuple[str, ...]:
    if task == "engrave":
        return ()  # overscan: the speed is reached before the cell
    slow = [
        c
        for c in cells
        if peak_speed(c.longest_side_mm, c.setting.speed_mm_s, machine.acceleration_mm_s2) < 0.98 * c.setting.speed_mm_s
    ]
    if not slow:
        return ()
    return (f"{len(slow)} cells are too short to reach their speed; the fit counts with the speed they reach.",)
