"""The kinds of trial: what each varies, for which tasks, and the cells that it burns."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from typing import Literal

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.ranges import check_choice, check_number
from olive_almanac.core.records.setting import TASKS, Air, Beam, Direction, Setting, Task, rasters
from olive_almanac.core.records.stock import Sheet, Stock
from olive_almanac.core.records.trial import Kind, Mark, Order
from olive_almanac.core.units import number_text, percent_text, speed_in

__all__ = [
    "FACTORS",
    "KIND_WORDS",
    "Factors",
    "Patch",
    "TrialChoices",
    "factor_text",
    "kinds_for",
    "patches_of",
    "slot_widths",
]

FACTORS = ("power", "speed", "passes", "focus", "pitch", "air")
Factors = Literal["power", "speed", "passes", "focus", "pitch", "air"]
PIECE_MM = 10.0  # of a kerf stack, nominal
STACK_PIECES = 6
STACK_DEPTH_MM = 15.0
SLOT_LENGTH_MM = 15.0
STRIP = (3.0, 0.4)  # long and short side of the strips of a direction test, in cells
RASTER_STRIP = (2.0, 1.0)

#     kind: words, what it finds out, tasks
KIND_WORDS: dict[Kind, tuple[str, str, tuple[Task, ...]]] = {
    "grid": (
        "power × speed grid",
        "two factors against each other; a third repeats the grid",
        TASKS,
    ),
    "passes": (
        "passes ladder",
        "several fast passes against one slow pass of the same energy",
        TASKS,
    ),
    "focus": (
        "focus steps",
        "lines at several heights of the head: the narrowest is in focus",
        TASKS,
    ),
    "ramp": (
        "focus ramp",
        "one line along stock that is propped up at one end: the narrowest place is in focus",
        TASKS,
    ),
    "pitch": (
        "line-pitch strip",
        "coarse to fine lines at the same energy per area",
        ("engrave", "mark"),
    ),
    "grey": ("greyscale strip", "steps of power for the tone curve", ("engrave", "mark")),
    "kerf": (
        "kerf comb and stack",
        "slots to try and pieces to measure, across X and across Y",
        ("cut",),
    ),
    "air": ("air steps", "off, low and full over the speeds", TASKS),
    "direction": (
        "direction test",
        "along X against along Y, for a spot that is longer one way",
        TASKS,
    ),
    "detail": (
        "corner and detail test",
        "small holes, points and thin bars over the speeds",
        TASKS,
    ),
    "confirm": ("confirm run", "one setting again and again, spread over the sheet", TASKS),
    "weekly": ("weekly check", "the same small ladder each week, for the control chart", TASKS),
    "next": ("next cells", "the cells that teach most about what is not known yet", TASKS),
}


def kinds_for(task: Task) -> tuple[Kind, ...]:
    """Return the kinds that a person can choose for a task; "next" comes from a decision, not from
    a choice.
    """
    return tuple(
        kind for kind, (_, _, tasks) in KIND_WORDS.items() if task in tasks and kind != "next"
    )


@dataclass(frozen=True)
class TrialChoices:
    """What the operator chose: levels and held values, sizes in mm, rest in s, place on the bed in
    mm.

    A factor with one level is held.  In a grid `up` and `across` name the factors of its rows and
    columns; one further factor with several levels repeats the grid.  `slope` is the rise of a
    ramp, mm per mm; `slots_mm` the widths of a comb; `settings` the cells of kind "next".
    """

    power: tuple[float, ...]
    speed_mm_s: tuple[float, ...]
    passes: tuple[int, ...] = (1,)
    focus_mm: tuple[float, ...] = (0.0,)
    pitch_mm: tuple[float, ...] = (0.0,)
    air: tuple[Air, ...] = ("full",)
    cell_mm: float = 10.0
    gap_mm: float = 4.0
    rest_s: float = 0.0
    place: tuple[float, float] = (10.0, 10.0)
    kind: Kind = "grid"
    up: Factors = "power"
    across: Factors = "speed"
    crosshatch: bool = False
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
    sheet_number: int | None = None
    sheet: Sheet | None = None
    sheet_at_mm: tuple[float, float] = (0.0, 0.0)
    edge_mm: float = 5.0
    speed_unit: str = "mm/s"
    extra: dict[str, object] = field(default_factory=dict, hash=False)

    def __post_init__(self) -> None:
        check_number("Cell side", self.cell_mm, "mm", low=1, high=200)
        check_number("Gap between cells", self.gap_mm, "mm", low=0.5, high=100)
        check_number("Rest", self.rest_s, "s", low=0, high=600)
        check_number("Repeats", self.repeats, low=1, high=100)
        check_number("Slope", self.slope, "mm per mm", above=0, high=1)
        check_number("Free edge", self.edge_mm, "mm", low=0, high=200)
        check_number("Focus step", self.focus_step_mm, "mm", low=0, high=20)
        check_choice("Kind of trial", self.kind, KIND_WORDS)
        for name in FACTORS:
            if not self.levels(name):
                raise OutOfRange(
                    f"Levels of {'line pitch' if name == 'pitch' else name}", "none", "at least one"
                )
        if self.up == self.across:
            raise OutOfRange("Factors of the grid", f"{self.up} twice", "two different ones")

    def levels(self, factor: str) -> tuple[float | int | str, ...]:
        """Return the levels of a factor by its name."""
        return {
            "power": self.power,
            "speed": self.speed_mm_s,
            "passes": self.passes,
            "focus": self.focus_mm,
            "pitch": self.pitch_mm,
            "air": self.air,
        }[factor]


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
    ragged: bool = False  # each row flows by itself: its cells need not stand in columns


_FIELD_OF = {"speed": "speed_mm_s", "focus": "focus_mm", "pitch": "pitch_mm"}
AXIS_WORDS = {
    "power": "Power, %",
    "speed": "Speed, {unit}",
    "passes": "Passes",
    "focus": "Focus, mm",
    "pitch": "Line pitch, mm",
    "air": "Air",
}


def factor_text(factor: str, value: float | int | str, unit: str) -> str:
    """Return a level as it is written beside the cells: plain numbers, in the shop's unit
    of speed.
    """
    if factor == "air":
        return str(value)
    number = float(value)
    if factor == "power":
        return percent_text(number)
    return number_text(
        speed_in(number, unit) if factor == "speed" else number, 4 if factor == "speed" else 3
    )


def _axis(factor: str, unit: str) -> str:
    return AXIS_WORDS[factor].format(unit=unit)


def _setting(c: TrialChoices, task: Task, **changes: object) -> Setting:
    """The held values with some changed; keys are names of factors or of a setting's own fields."""
    raster = rasters(task)
    values: dict[str, object] = {
        "power": c.power[0],
        "speed_mm_s": c.speed_mm_s[0],
        "passes": c.passes[0],
        "focus_mm": c.focus_mm[0],
        "pitch_mm": c.pitch_mm[0] if raster else 0.0,
        "air": c.air[0],
        "beam": c.beam,
        "direction": "x" if raster else "xy",
        "crosshatch": c.crosshatch and raster,
        "focus_step_mm": c.focus_step_mm,
    }
    for key, value in changes.items():
        values[_FIELD_OF.get(key, key)] = value
    return Setting(**values)  # type: ignore[arg-type]


def mark_of(task: Task) -> Mark:
    """Return how a plain cell of a task is drawn."""
    if rasters(task):
        return "fill"
    if task == "cut":
        return "outline"
    return "line"


def patches_of(machine: Machine, stock: Stock, task: Task, choices: TrialChoices) -> Pattern:
    """Return the cells of a trial before they are laid out.

    Raises OutOfRange where the kind does not suit the task or too many factors vary.
    """
    words, _, tasks = KIND_WORDS[choices.kind]
    if task not in tasks:
        raise OutOfRange("Kind of trial", words, "for " + " and ".join(tasks))
    if rasters(task) and min(choices.pitch_mm) <= 0:
        raise OutOfRange("Line pitch", min(choices.pitch_mm), f"above 0 to {task}", "mm")
    return _MAKERS[choices.kind](machine, stock, task, choices)


def _grid(
    machine: Machine, stock: Stock, task: Task, c: TrialChoices, *, up: str = "", across: str = ""
) -> Pattern:
    up, across = up or c.up, across or c.across
    further = [name for name in FACTORS if name not in (up, across) and len(c.levels(name)) > 1]
    if not rasters(task):
        further = [name for name in further if name != "pitch"]
    if len(further) > 1:
        raise OutOfRange(
            "Factors that vary",
            len(further) + 2,
            "at most 3: two on the coupon and one that repeats it",
        )
    third = ""
    if further:
        third = further[0]
    rows, cols = c.levels(up), c.levels(across)
    if third:
        repeats = c.levels(third)
    else:
        repeats = ("",)
    patches = [
        Patch(
            r,
            col,
            b,
            c.cell_mm,
            c.cell_mm,
            mark_of(task),
            _setting(c, task, **{up: row, across: column}, **({third: repeat} if third else {})),
        )
        for (b, repeat), (r, row), (col, column) in itertools.product(
            enumerate(repeats), enumerate(rows), enumerate(cols)
        )
    ]

    def texts(factor: str, levels: Iterable[float | int | str]) -> tuple[str, ...]:
        return tuple(factor_text(factor, level, c.speed_unit) for level in levels)

    if third:
        blocks = tuple(
            f"{_axis(third, c.speed_unit).partition(',')[0].lower()} {t}"
            for t in texts(third, repeats)
        )
    else:
        blocks = ("",)
    return Pattern(
        tuple(patches),
        texts(up, rows),
        texts(across, cols),
        _axis(up, c.speed_unit),
        _axis(across, c.speed_unit),
        blocks,
    )


def _passes(machine: Machine, stock: Stock, task: Task, c: TrialChoices) -> Pattern:
    """Lower row: 1 to n passes at one speed.

    Upper row: the energy of the n passes, spent in 1 to n passes.
    """
    if len(c.passes) > 1:
        counts = c.passes
    else:
        counts = tuple(range(1, max(2, c.passes[0]) + 1))
    speed, most = c.speed_mm_s[0], max(counts)
    mark, side = mark_of(task), c.cell_mm
    patches = [
        Patch(0, i, 0, side, side, mark, _setting(c, task, passes=n)) for i, n in enumerate(counts)
    ]
    patches += [
        Patch(
            1,
            i,
            0,
            side,
            side,
            mark,
            _setting(c, task, passes=n, speed=float(f"{speed * n / most:.4g}")),
        )
        for i, n in enumerate(counts)
    ]
    return Pattern(tuple(patches), ("speed", "energy"), tuple(map(str, counts)), "Same", "Passes")


def _focus(machine: Machine, stock: Stock, task: Task, c: TrialChoices) -> Pattern:
    return _lines_of(_grid(machine, stock, task, c, up="power", across="focus"), task)


def _lines_of(pattern: Pattern, task: Task) -> Pattern:
    """Focus is seen on lines: thin strokes both ways, for a raster task too."""
    if not rasters(task):
        return replace(pattern, patches=tuple(replace(p, mark="line") for p in pattern.patches))
    patches = tuple(
        replace(
            p,
            mark="line",
            setting=replace(p.setting, pitch_mm=0.0, direction="xy", crosshatch=False),
        )
        for p in pattern.patches
    )
    return replace(pattern, patches=patches)


def _ramp(machine: Machine, stock: Stock, task: Task, c: TrialChoices) -> Pattern:
    """Pieces of one line, each as long as one step of the focus takes on the slope."""
    if len(c.focus_mm) < 3:
        raise OutOfRange("Steps of focus", len(c.focus_mm), "at least 3")
    step = (max(c.focus_mm) - min(c.focus_mm)) / (len(c.focus_mm) - 1)
    length = step / c.slope - c.gap_mm
    if length < 3:
        raise OutOfRange(
            "Slope",
            c.slope,
            f"at most {step / (c.gap_mm + 3):.2g}, so that each step has 3 mm of line",
            "mm per mm",
        )
    patches = tuple(
        Patch(
            0,
            i,
            0,
            round(length, 3),
            4.0,
            "line",
            _setting(
                c, task, focus=f, pitch=0.0, direction="x", crosshatch=False, focus_step_mm=0.0
            ),
        )
        for i, f in enumerate(c.focus_mm)
    )
    return Pattern(patches, ("",), tuple(number_text(f) for f in c.focus_mm), "", "Focus, mm")


def _pitch(machine: Machine, stock: Stock, task: Task, c: TrialChoices) -> Pattern:
    """The finest pitch runs at the speed given, the coarser ones slower, so that each gets the same
    energy per area.
    """
    finest, speed = min(c.pitch_mm), c.speed_mm_s[0]
    ways = [False]
    if c.crosshatch:
        ways.append(True)
    patches = [
        Patch(
            r,
            i,
            0,
            c.cell_mm,
            c.cell_mm,
            "fill",
            _setting(
                c,
                task,
                pitch=p,
                speed=float(f"{speed * finest / p * (2 if cross else 1):.4g}"),
                crosshatch=cross,
            ),
        )
        for r, cross in enumerate(ways)
        for i, p in enumerate(c.pitch_mm)
    ]
    if c.crosshatch:
        rows = ("one way", "crossed")[: len(ways)]
    else:
        rows = ("",)
    return Pattern(
        tuple(patches),
        rows,
        tuple(number_text(p) for p in c.pitch_mm),
        "Lines" if c.crosshatch else "",
        "Line pitch, mm",
    )


def _grey(machine: Machine, stock: Stock, task: Task, c: TrialChoices) -> Pattern:
    patches = tuple(
        Patch(0, i, 0, c.cell_mm, c.cell_mm, "fill", _setting(c, task, power=p), percent_text(p))
        for i, p in enumerate(c.power)
    )
    return Pattern(
        patches, ("",), tuple(percent_text(p) for p in c.power), "", "Power, %", wraps=True
    )


def slot_widths(stock: Stock) -> tuple[float, ...]:
    """Return slots to push a piece of the stock into: from 0.3 mm narrower than it is thick, by
    0.05 mm.
    """
    return tuple(round(stock.true_thickness_mm - 0.3 + 0.05 * i, 2) for i in range(8))


def _kerf(machine: Machine, stock: Stock, task: Task, c: TrialChoices) -> Pattern:
    """Slots of rising width across X and across Y, and a stack of pieces each way."""
    slots = c.slots_mm or slot_widths(stock)
    if min(slots) <= 0.2:
        raise OutOfRange("Slot widths", min(slots), "above 0.2", "mm")
    patches = []
    for r, direction in enumerate(("x", "y")):
        setting = _setting(c, task, direction=direction)
        for i, slot in enumerate(slots):
            if direction == "x":
                size = (slot, SLOT_LENGTH_MM)
            else:
                size = (SLOT_LENGTH_MM, slot)
            patches.append(
                Patch(
                    1 + r,
                    i,
                    0,
                    *size,
                    "comb",
                    setting,
                    f"{direction.upper()}{number_text(slot)}",
                    slot,
                )
            )
        long = STACK_PIECES * PIECE_MM
        if direction == "x":
            size = (long, STACK_DEPTH_MM)
        else:
            size = (STACK_DEPTH_MM, long)
        patches.append(
            Patch(
                0,
                r,
                0,
                *size,
                "stack",
                setting,
                f"{direction.upper()} {STACK_PIECES} x 10",
                PIECE_MM,
            )
        )
    return Pattern(tuple(patches), ragged=True)


def _air(machine: Machine, stock: Stock, task: Task, c: TrialChoices) -> Pattern:
    return _grid(machine, stock, task, c, up="air", across="speed")


def _direction(machine: Machine, stock: Stock, task: Task, c: TrialChoices) -> Pattern:
    long, short = (
        round(share * c.cell_mm, 3) for share in (RASTER_STRIP if rasters(task) else STRIP)
    )
    mark = mark_of(task)
    directions: tuple[tuple[Direction, float, float], ...] = (
        ("x", long, short),
        ("y", short, long),
    )
    patches = [
        Patch(r, i, 0, w, h, mark, _setting(c, task, speed=v, direction=way))
        for r, (way, w, h) in enumerate(directions)
        for i, v in enumerate(c.speed_mm_s)
    ]
    cols = tuple(factor_text("speed", v, c.speed_unit) for v in c.speed_mm_s)
    return Pattern(tuple(patches), ("X", "Y"), cols, "Along", _axis("speed", c.speed_unit))


def _detail(machine: Machine, stock: Stock, task: Task, c: TrialChoices) -> Pattern:
    pattern = _grid(machine, stock, task, c, up="power", across="speed")
    return replace(pattern, patches=tuple(replace(p, mark="detail") for p in pattern.patches))


def _confirm(machine: Machine, stock: Stock, task: Task, c: TrialChoices) -> Pattern:
    patches = tuple(
        Patch(0, i, 0, c.cell_mm, c.cell_mm, mark_of(task), _setting(c, task), str(i + 1))
        for i in range(c.repeats)
    )
    return Pattern(patches, spread=True)


def _weekly(machine: Machine, stock: Stock, task: Task, c: TrialChoices) -> Pattern:
    return replace(_grid(machine, stock, task, c, up="power", across="speed"))


def _next(machine: Machine, stock: Stock, task: Task, c: TrialChoices) -> Pattern:
    if not c.settings:
        raise OutOfRange("Cells to burn", 0, "at least 1")
    patches = tuple(
        Patch(0, i, 0, c.cell_mm, c.cell_mm, mark_of(task), setting, str(i + 1))
        for i, setting in enumerate(c.settings)
    )
    return Pattern(patches, wraps=True)


_MAKERS: dict[Kind, Callable[[Machine, Stock, Task, TrialChoices], Pattern]] = {
    "grid": _grid,
    "passes": _passes,
    "focus": _focus,
    "ramp": _ramp,
    "pitch": _pitch,
    "grey": _grey,
    "kerf": _kerf,
    "air": _air,
    "direction": _direction,
    "detail": _detail,
    "confirm": _confirm,
    "weekly": _weekly,
    "next": _next,
}
