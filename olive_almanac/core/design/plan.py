"""Make a trial of the operator's choices: cells laid out to scale, marks, order, time, and what the
machine cannot do.

Rows and columns lie as the kind of trial says (core.design.kinds); `turned` swaps them, so that the
long side lies the other way and every letter stays upright.
"""

from __future__ import annotations

import functools
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.core.design.kinds.kind import kind_of, patches_of
from olive_almanac.core.design.pattern import Patch, Pattern
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.fitting.char import FlareLimit
from olive_almanac.core.materials.catalogue import Permission
from olive_almanac.core.motion.focus import check_by_hand
from olive_almanac.core.motion.profile import peak_speed
from olive_almanac.core.motion.program import cell_seconds, has_clear_ways, trial_seconds
from olive_almanac.core.placing.fiducials import FIDUCIAL_PITCH_MM, fiducials_of, zone_of
from olive_almanac.core.placing.labels import (
    Lettering,
    label_height,
    label_setting,
    marker_setting,
    marks_show,
)
from olive_almanac.core.placing.places import marks_at, parts_seen
from olive_almanac.core.placing.room import Room, room_on
from olive_almanac.core.placing.strokes import reach_of
from olive_almanac.core.records.factors import FACTORS
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.plain import to_plain
from olive_almanac.core.records.setting import Setting, Task, rasters
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import (
    Cell,
    CouponSize,
    Fiducial,
    Label,
    Place,
    SheetOnBed,
    TestedLevels,
    Trial,
)
from olive_almanac.core.units import burnt_length, lengths_text, number_text, speed_in, speed_text
from olive_almanac.core.words import tr

__all__ = [
    "NoRoom",
    "Refusal",
    "TrialPlan",
    "coupon_size",
    "least_cell_mm",
    "name_as_burnt",
    "plan_trial",
    "room_for",
    "sheet_on_bed",
    "used_area_mm2",
]

BLOCK_GAP_MM = 8.0
HOTTER = tr("Hotter than expected: low energy first, stop at the first flare.")
EDGE_MM = 3.0  # bare stock around everything that is burnt on a coupon
LABEL_GAP_MM = 1.5
MOST_CELLS = 1600
SLOWEST_MM_S = 0.1  # slower than this a beam burns as one at rest
MOST_ALIKE = 12
MOST_REMEMBERED = 20_000
_SECONDS: dict[
    tuple[object, ...], float
] = {}  # times of cells by shape, setting and limits: the same ones come again
STRIP_CELLS = 8  # a strip longer than this is broken into rows
SAME_ENERGY = (
    1.15  # cells within this ratio of energy may change places in the order, to keep them apart
)
Box = tuple[float, float, float, float]
CODE = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"


class NoRoom(OutOfRange):
    """The coupon does not fit where it should lie; `short_mm` says by how much, 0 where it would
    fit elsewhere.
    """

    def __init__(self, sentence: str, short_mm: float) -> None:
        super().__init__(tr("Place of the coupon"), "", "")
        if short_mm <= 0:
            self.key = "place"
        self.args = (sentence,)
        self.short_mm = short_mm

    def __str__(self) -> str:
        return str(self.args[0])


@dataclass(frozen=True)
class Refusal:
    """A cell that is not burnt, and why; `expected` where it is only expected to flare."""

    cell: Cell
    why: str
    expected: bool = False


@dataclass(frozen=True)
class TrialPlan:
    """A planned trial with the cells that were refused, remarks for the operator, and the words of
    its axes.

    `rows` and `cols` hold (words, place in coupon mm) of each row and column; `up` and `across` say
    what they are.
    """

    trial: Trial
    refused: tuple[Refusal, ...]
    remarks: tuple[str, ...]
    rows: tuple[tuple[str, float], ...] = ()
    cols: tuple[tuple[str, float], ...] = ()
    up: str = ""
    across: str = ""

    @cached_property
    def energy_range(self) -> tuple[float, float]:
        """The least and the most energy of a cell, J/mm (J/mm² of a raster)."""
        energies = [self.trial.energy_of(cell) for cell in self.trial.cells]
        return min(energies), max(energies)


def plan_trial(
    machine: Machine,
    stock: Stock,
    task: Task,
    choices: TrialChoices,
    *,
    permission: Permission,
    trial_id: str,
    name: str,
    made: str,
    lettering: Lettering | None = None,
    engraves: bool = False,
    limit: FlareLimit | None = None,
    settle: bool = False,
) -> TrialPlan:
    """Return the planned trial.

    With `settle` it lies at the free place nearest to the chosen one, else exactly there. Without
    `lettering` no labels are set; `engraves` says that this machine engraves this
    stock (fiducials need it); `limit` keeps cells out that are expected to flare, and of choices
    that are `hotter`, which burn low energy first, only what has flared.
    Raises Barred where the stock must not or cannot burn, NoRoom where the coupon does not fit,
    OutOfRange where no cell is left or a choice is out of range.
    """
    permission.insist()
    if choices.hotter:
        choices, limit = replace(choices, burn_order="energy"), limit and limit.known
    pattern = patches_of(machine, stock, task, choices)
    if len(pattern.patches) > MOST_CELLS:
        raise OutOfRange(
            tr("Number of cells"),
            len(pattern.patches),
            tr("at most {most_cells}", most_cells=MOST_CELLS),
        )
    if not kind_of(choices.kind).sloped:
        check_by_hand([patch.setting for patch in pattern.patches], machine)
    shows = choices.fiducials and marks_show(stock, engraves=engraves)
    framed = shows and not pattern.spread
    layout = _Layout(machine, stock, choices, pattern, lettering, fiducials=framed)
    room = room_for(machine, choices)
    marks: tuple[Fiducial, ...] = ()
    if pattern.places:
        coupon, rects, place, marks = _at_places(
            room, layout, pattern, marked=shows and rasters(task)
        )
    elif pattern.spread:
        coupon, rects, place = _spread(room, layout, pattern)
    else:
        coupon, rects = layout.placed()
        if framed:
            marks = fiducials_of(coupon, choices.marks_set)
        near = None
        if settle:
            near = room.nearest(coupon.width_mm, coupon.height_mm, choices.place)
        place = near or choices.place
        _check_fit(room, coupon, replace(choices, place=place))
    ordered, refused = _cells(machine, pattern, rects, choices, limit)
    quiet = _label_setting(machine, stock, task, ordered, choices)
    trial = Trial(
        trial_id,
        name,
        made,
        machine,
        stock,
        task,
        coupon,
        _tested_levels(choices),
        ordered,
        0.0,
        Place(*place),
        marks,
        kind=choices.kind,
        burn_order=choices.burn_order,
        rest_s=choices.rest_s,
        labels=layout.labels(coupon, rects, name, task)
        if choices.labels and lettering is not None
        else (),
        label_setting=quiet,
        fiducial_setting=marker_setting(machine, stock, FIDUCIAL_PITCH_MM) if marks else None,
        sheet=sheet_on_bed(choices),
        turned=choices.turned,
        anchor=choices.anchor,
        choices=to_plain(replace(choices, place=place)),
        recipes=choices.recipes,
    )
    if not has_clear_ways(trial, lettering):
        raise NoRoom(
            tr(
                "No way past the clamps from one piece to the next. "
                "Move a clamp, take fewer pieces, "
                "or lay the coupon elsewhere."
            ),
            0.0,
        )
    seconds = round(trial_seconds(trial, lettering), 3)
    trial = replace(trial, seconds=seconds, cost=_cost(machine, stock, trial, seconds))
    rows, cols = layout.axes(rects)
    if choices.turned:
        up, across = (pattern.across, pattern.up)
    else:
        up, across = (pattern.up, pattern.across)
    if not layout.carries_axes:
        up = across = ""  # the cells carry their own labels
    return TrialPlan(
        trial,
        tuple(refused),
        (
            *[HOTTER] * choices.hotter,
            *_remarks(machine, ordered, shows=bool(marks), wanted=choices.fiducials),
        ),
        rows,
        cols,
        up,
        across,
    )


def _tested_levels(choices: TrialChoices) -> tuple[TestedLevels, ...]:
    tested = []
    for factor in FACTORS:
        levels = choices.levels(factor.id)
        if factor.always_told or len(levels) > 1:
            numbers = tuple(factor.file_level(level) for level in levels)
            tested.append(TestedLevels(factor.file_name, factor.file_unit, numbers))
    return tuple(tested)


def name_as_burnt(name: str) -> str:
    """Return a coupon's own name, "Coupon 0012", as it is burnt: "C0012"."""
    number = name.removeprefix(tr("Coupon "))
    return tr("C") + number if number.isdigit() else name


def sheet_on_bed(c: TrialChoices) -> SheetOnBed | None:
    """Return the chosen sheet where it lies on the bed, its clamps in mm of the bed; None on the
    bare bed.
    """
    if c.sheet is None:
        return None
    x, y = c.sheet_at_mm
    sides = (c.sheet.width_mm, c.sheet.height_mm)
    return SheetOnBed(c.sheet_number or 0, x, y, *sides, c.sheet.clamps_at(x, y))


def room_for(machine: Machine, choices: TrialChoices) -> Room:
    """Return the room that the choices leave: on the chosen sheet, or on the whole bed."""
    return room_on(machine, choices.sheet, at_mm=choices.sheet_at_mm, edge_mm=choices.edge_mm)


def coupon_size(
    machine: Machine,
    stock: Stock,
    task: Task,
    choices: TrialChoices,
    *,
    lettering: Lettering | None = None,
    engraves: bool = False,
) -> CouponSize:
    """Return the size of the coupon that the choices make, wherever it may lie."""
    pattern = patches_of(machine, stock, task, choices)
    framed = choices.fiducials and not pattern.spread and marks_show(stock, engraves=engraves)
    layout = _Layout(machine, stock, choices, pattern, lettering, fiducials=framed)
    return layout.placed()[0]


def least_cell_mm(machine: Machine, task: Task, fastest_mm_s: float) -> float:
    """Return the side that a cell should have: long enough to reach the speed, large enough to
    judge, 6 to 30 mm.

    A raster reaches its speed outside the cell: its side only has to hold some 40 lines of the
    spot.
    """
    if rasters(task):
        return min(30.0, max(6.0, round(40 * machine.spot_y_mm)))
    return min(30.0, max(8.0, math.ceil(fastest_mm_s**2 / machine.acceleration_mm_s2)))


class _Layout:
    """Sizes of rows, columns and margins, and where everything comes to lie on the coupon."""

    def __init__(
        self,
        machine: Machine,
        stock: Stock,
        choices: TrialChoices,
        pattern: Pattern,
        lettering: Lettering | None,
        *,
        fiducials: bool,
    ) -> None:
        self.machine, self.stock, self.choices, self.pattern = machine, stock, choices, pattern
        if choices.labels:
            self.letters = lettering
        else:
            self.letters = None
        self.height = label_height(machine, stock)
        self.own_labels = self.letters is not None and not pattern.rows
        self.fiducials = fiducials
        self.places = [self._row_and_col(patch) for patch in pattern.patches]
        self.reach = _reach(machine, pattern.patches)
        if fiducials:
            self.zone = zone_of(0.0)
        else:
            self.zone = EDGE_MM + 6.0
        self._measure()
        if fiducials and zone_of(self.right + self.right_margin) > self.zone:
            self.zone = zone_of(self.right + self.right_margin)
            self._measure()

    def _row_and_col(self, patch: Patch) -> tuple[int, int, int]:
        row, col = patch.row, patch.col
        if self.pattern.wraps and len(self.pattern.patches) > STRIP_CELLS:
            rows = math.ceil(len(self.pattern.patches) / STRIP_CELLS)
            per_row = math.ceil(len(self.pattern.patches) / rows)
            row, col = rows - 1 - col // per_row, col % per_row
        turned = self.choices.turned and not self.pattern.ragged
        if turned:
            return (col, row, patch.block)
        return (row, col, patch.block)

    @property
    def wrapped(self) -> bool:
        return self.pattern.wraps and len(self.pattern.patches) > STRIP_CELLS

    @property
    def carries_axes(self) -> bool:
        """True where rows and columns are labelled at the edge, not each cell by itself."""
        return bool(self.pattern.rows) and not self.wrapped

    def _measure(self) -> None:
        """Heights of rows, widths of columns: each as wide as its largest cell; and the margins
        around them.
        """
        gap = self.choices.gap_mm
        self.heights: dict[int, float] = {}
        self.widths: dict[tuple[int, int], float] = {}
        reach_x, reach_y = self.reach
        for patch, (row, col, block) in zip(self.pattern.patches, self.places, strict=True):
            self.heights[row] = max(self.heights.get(row, 0.0), patch.height_mm)
            self.widths[block, col] = max(self.widths.get((block, col), 0.0), patch.width_mm)
        own = self.letters is not None and not self.carries_axes
        if own:
            row_gap = max(gap, self.height + 2 * LABEL_GAP_MM)
        else:
            row_gap = gap
        zone = self.zone
        row_words, col_words = self._words()
        left = max(EDGE_MM + reach_x, zone, EDGE_MM + self._widest(row_words) + LABEL_GAP_MM)
        self.foot = max(
            EDGE_MM + reach_y,
            zone,
            EDGE_MM + (self.height + LABEL_GAP_MM if col_words or own else 0.0),
        )
        if own and self.fiducials and self.pattern.ragged:
            self.foot = max(self.foot, zone + LABEL_GAP_MM + self.height)  # labels above the marks
        self.left = left
        self.right_margin = max(EDGE_MM + reach_x, zone)
        self.top_margin = max(EDGE_MM + reach_y, zone)
        self.row_at, y = {}, self.foot
        for row in sorted(self.heights):
            self.row_at[row] = y
            y += self.heights[row] + row_gap
        self.top = y - row_gap
        if self.pattern.ragged:
            self._flow(gap)
            return
        self.col_at, x = {}, left
        block_before: int | None = None
        for block, col in sorted(self.widths):
            if block_before is not None and block != block_before:
                x += BLOCK_GAP_MM - gap
            self.col_at[block, col] = x
            x += self.widths[block, col] + gap
            block_before = block
        self.right = x - gap

    def _flow(self, gap: float) -> None:
        """Let each row flow by itself; a cell is given as much room as its label needs."""
        self.flow_at: list[tuple[float, float]] = []
        ends: dict[int, float] = {}
        for patch, (row, _, _) in zip(self.pattern.patches, self.places, strict=True):
            x = ends.get(row, self.left)
            wide = max(patch.width_mm, self._widest((patch.label,)))
            self.flow_at.append((x + (wide - patch.width_mm) / 2, self.row_at[row]))
            ends[row] = x + wide + gap
        self.col_at, self.right = {}, max(ends.values()) - gap

    def _words(self) -> tuple[tuple[str, ...], tuple[str, ...]]:
        if self.letters is None or not self.carries_axes:
            return (), ()
        rows, cols = self.pattern.rows, self.pattern.cols
        if self.choices.turned:
            return (cols, rows)
        return (rows, cols)

    def _widest(self, texts: Sequence[str]) -> float:
        if self.letters:
            return max((self.letters.width(text, self.height) for text in texts), default=0.0)
        return 0.0

    def placed(self) -> tuple[CouponSize, list[tuple[float, float, float, float]]]:
        """Return the coupon's size and the box of each patch: x, y, width, height."""
        coupon = CouponSize(
            round(self.right + self.right_margin, 3), round(self.top + self.top_margin, 3)
        )
        rects = []
        if self.pattern.ragged:
            for patch, (x, y) in zip(self.pattern.patches, self.flow_at, strict=True):
                rects.append(
                    (round(x, 3), round(y, 3), round(patch.width_mm, 3), round(patch.height_mm, 3))
                )
            return coupon, rects
        xs = {place: round(x, 3) for place, x in self.col_at.items()}
        ys = {row: round(y, 3) for row, y in self.row_at.items()}
        for patch, (row, col, block) in zip(self.pattern.patches, self.places, strict=True):
            rects.append(
                (xs[block, col], ys[row], round(patch.width_mm, 3), round(patch.height_mm, 3))
            )
        return coupon, rects

    def axes(
        self, rects: Sequence[tuple[float, float, float, float]]
    ) -> tuple[tuple[tuple[str, float], ...], ...]:
        """Return the words of rows and columns with the middle of each, for the screen; none where
        cells carry their own.
        """
        if not self.carries_axes:
            return (), ()
        rows, cols = self.pattern.rows, self.pattern.cols
        if self.choices.turned:
            rows, cols = cols, rows
        up = tuple(
            (text, self.row_at[r] + self.heights[r] / 2)
            for r, text in enumerate(rows)
            if r in self.row_at
        )
        across = tuple(
            (cols[col], at + self.widths[block, col] / 2)
            for (block, col), at in sorted(self.col_at.items())
            if col < len(cols)
        )
        return up, across

    def labels(
        self,
        coupon: CouponSize,
        rects: Sequence[tuple[float, float, float, float]],
        name: str,
        task: Task,
    ) -> tuple[Label, ...]:
        """Return what is burnt: words beside rows and columns (or under each cell), and the
        coupon's name.
        """
        assert self.letters is not None
        if self.pattern.spread or not self.carries_axes:
            return self._own_labels(coupon, rects, name)
        labels: list[Label] = []
        row_words, col_words = self._words()
        for r, text in enumerate(row_words):
            if r in self.row_at and text:
                x = self.left - LABEL_GAP_MM - self.letters.width(text, self.height)
                y = self.row_at[r] + (self.heights[r] - self.height) / 2
                if not self._under_fiducial(coupon, x, y):
                    labels.append(Label(text, (round(x, 3), round(y, 3)), self.height))
        end = -math.inf
        for (block, col), at in sorted(self.col_at.items()):
            text = ""
            if col < len(col_words):
                text = col_words[col]
            width, cell = self.letters.width(text, self.height), self.widths[block, col]
            y = self.foot - LABEL_GAP_MM - self.height
            x = self._clear_of_fiducials(coupon, at + (cell - width) / 2, y, width)
            if (
                text
                and x >= end + 0.8 * self.height
                and x < at + cell
                and x + width > at
                and x + width <= coupon.width_mm - 1
            ):
                labels.append(Label(text, (round(x, 3), round(y, 3)), self.height))
                end = x + width
        return (*labels, *self._headline(coupon, name, task))

    def _own_labels(
        self, coupon: CouponSize, rects: Sequence[tuple[float, float, float, float]], name: str
    ) -> tuple[Label, ...]:
        assert self.letters is not None
        labels = []
        for patch, (x, y, w, _) in zip(self.pattern.patches, rects, strict=True):
            width = self.letters.width(patch.label, self.height)
            at = (x + (w - width) / 2, y - LABEL_GAP_MM - self.height)
            if (
                patch.label
                and at[0] >= 0.5
                and at[1] >= 0.5
                and not self._under_fiducial(coupon, *at)
            ):
                labels.append(Label(patch.label, (round(at[0], 3), round(at[1], 3)), self.height))
        return (*labels, *(() if self.pattern.spread else self._headline(coupon, name, "")))

    def _headline(self, coupon: CouponSize, name: str, task: str) -> tuple[Label, ...]:
        """The coupon's number, then what the columns are and what is held, as far as there is room
        above the cells.
        """
        assert self.letters is not None
        c, held = self.choices, []
        if self.carries_axes:
            words = [w for w in (self.pattern.across, self.pattern.up) if w]
            held.append(" / ".join(word.replace(", ", " ") for word in words))
        if kind_of(c.kind).holds:
            held += [
                f"x{c.passes[0]}" if len(c.passes) == 1 else "",
                f"f{burnt_length(c.focus_mm[0])}" if len(c.focus_mm) == 1 else "",
            ]
        parts = [name_as_burnt(name), *(part for part in held if part)]
        if self.fiducials:
            side = self.zone + 1
        else:
            side = EDGE_MM
        most, y = coupon.width_mm - 2 * side, coupon.height_mm - EDGE_MM - self.height
        while parts and self.letters.width("  ".join(parts), self.height) > most:
            parts.pop()
        if parts:
            return (Label("  ".join(parts), (side, round(y, 3)), self.height),)
        return ()

    def _clear_of_fiducials(self, coupon: CouponSize, x: float, y: float, width: float) -> float:
        """The nearest x at which a label at the foot leaves the bare stock around marks free."""
        if not self.fiducials or y >= self.zone:
            return x
        return max(self.zone, min(x, coupon.width_mm - self.zone - width))

    def _under_fiducial(self, coupon: CouponSize, x: float, y: float) -> bool:
        near_x = x < self.zone or x > coupon.width_mm - self.zone
        near_y = y < self.zone or y + self.height > coupon.height_mm - self.zone
        return self.fiducials and near_x and near_y


def _reach(machine: Machine, patches: Sequence[Patch]) -> tuple[float, float]:
    """Return how far the head goes beyond any cell, along X and along Y, mm: the fastest of each
    sort decides.
    """
    fastest: dict[tuple[object, ...], Patch] = {}
    for patch in patches:
        s = patch.setting
        sort = (patch.mark, s.direction, s.crosshatch, s.pitch_mm > 0)
        if sort not in fastest or s.speed_mm_s > fastest[sort].setting.speed_mm_s:
            fastest[sort] = patch
    box = (0.0, 0.0, 1.0, 1.0)
    reaches = [
        reach_of(Cell("cell", 0, 0, p.mark, box, 0, 0.0, p.setting, 1.0), machine)
        for p in fastest.values()
    ]
    return max(x for x, _ in reaches), max(y for _, y in reaches)


def _spread(
    room: Room, layout: _Layout, pattern: Pattern
) -> tuple[CouponSize, list[tuple[float, float, float, float]], tuple[float, float]]:
    """Spread the cells over the whole room, each as far from the others as it can be: the coupon is
    the room itself.
    """
    left, low, right, high = room.area
    dx, dy = layout.reach
    w, h = layout.widths[0, 0] + 2 * dx, layout.heights[0] + 2 * dy
    foot = 0.0
    if layout.letters is not None:
        foot = layout.height + 2 * LABEL_GAP_MM
    grid = [
        (x, y)
        for x in np.linspace(left, right - w, 13)
        for y in np.linspace(low, high - h - foot, 13)
        if x >= left and y >= low and room.is_free((x, y, x + w, y + h + foot))
    ]
    if not grid:
        short = room.short_by(w, h + foot)
        raise NoRoom(
            (
                tr(
                    "No room: {short} for a single cell of {w} mm with its run-up.",
                    short=_short(short),
                    w=lengths_text(w, h + foot),
                )
            ),
            short,
        )
    points = np.array(grid, float)
    chosen = [int(np.hypot(points[:, 0] - left, points[:, 1] - low).argmin())]
    away = np.full(len(points), math.inf)
    while len(chosen) < len(pattern.patches):
        away = np.minimum(away, np.abs(points - points[chosen[-1]]).max(1) - max(w, h + foot))
        far = np.where(
            away >= 0, np.hypot(*(points[:, None] - points[chosen]).transpose(2, 0, 1)).min(1), -1.0
        )
        at = int(far.argmax())
        if far[at] < 0:
            raise NoRoom(
                tr(
                    "No room for {patches} repeats: {chosen} fit here.",
                    patches=len(pattern.patches),
                    chosen=len(chosen),
                ),
                0.0,
            )
        chosen.append(at)
    rects = [
        (
            round(points[i, 0] - left + dx, 3),
            round(points[i, 1] - low + foot + dy, 3),
            layout.widths[0, 0],
            layout.heights[0],
        )
        for i in chosen
    ]
    return (
        CouponSize(round(right - left, 3), round(high - low, 3)),
        rects,
        (round(left, 3), round(low, 3)),
    )


def _at_places(
    room: Room, layout: _Layout, pattern: Pattern, *, marked: bool
) -> tuple[CouponSize, list[Box], tuple[float, float], tuple[Fiducial, ...]]:
    """Lay equal parts of the cells at given places of the room, each as near to its place as it
    can: the coupon is the room itself.  `marked`: each place with four marks of its own, where
    there is room for them.
    """
    if marked:
        try:
            return _laid_apart(room, layout, pattern, marked=True)
        except NoRoom:
            pass  # then without: told by a remark
    return _laid_apart(room, layout, pattern, marked=False)


def _laid_apart(
    room: Room, layout: _Layout, pattern: Pattern, *, marked: bool
) -> tuple[CouponSize, list[Box], tuple[float, float], tuple[Fiducial, ...]]:
    left, low, right, high = room.area
    dx, dy = layout.reach
    w, h = layout.widths[0, 0], layout.heights[0]
    foot = 0.0
    if layout.letters is not None:
        foot = layout.height + 2 * LABEL_GAP_MM
    count = len(pattern.patches) // len(pattern.places)
    part = pattern.patches[:count]
    cols, lines = 1 + max(p.col for p in part), 1 + max(p.row for p in part)
    gap = layout.choices.gap_mm
    beside, below = dx, dy
    if marked:
        beside, below = max(dx, zone_of(0.0)), max(dy, EDGE_MM)
    wide = cols * w + (cols - 1) * gap + 2 * beside
    tall = lines * (h + foot) + (lines - 1) * gap + 2 * below
    rects, taken = list[Box](), list[tuple[float, float]]()
    middle, half = ((left + right) / 2, (low + high) / 2), ((right - left) / 2, (high - low) / 2)
    for n, (u, v) in enumerate(pattern.places):
        x = min(max(middle[0] + u * half[0] - wide / 2, left), right - wide)
        y = min(max(middle[1] + v * half[1] - tall / 2, low), high - tall)
        near = room.nearest(wide, tall, (x, y))
        if near is None or x < left or y < low:
            raise NoRoom(
                tr(
                    "No room for the cells of one place, {wide} mm with their run-up.",
                    wide=lengths_text(wide, tall),
                ),
                room.short_by(wide, tall),
            )
        for x, y in taken:
            if abs(near[0] - x) < wide and abs(near[1] - y) < tall:
                raise NoRoom(
                    tr(
                        "No room for {places} places of {wide} mm beside each other: take smaller "
                        "cells or a larger sheet.",
                        places=len(pattern.places),
                        wide=lengths_text(wide, tall),
                    ),
                    0.0,
                )
        taken.append(near)
        for patch in pattern.patches[n * count : (n + 1) * count]:
            line = patch.row - n * lines
            at_x = near[0] - left + beside + patch.col * (w + gap)
            at_y = near[1] - low + below + foot + line * (h + foot + gap)
            rects.append((round(at_x, 3), round(at_y, 3), w, h))
    size = CouponSize(round(right - left, 3), round(high - low, 3))
    marks: tuple[Fiducial, ...] = ()
    if marked:
        boxes = [(x - left, y - low, wide, tall) for x, y in taken]
        marks = marks_at(boxes, layout.choices.marks_set)
    return size, rects, (round(left, 3), round(low, 3)), marks


def _check_fit(room: Room, coupon: CouponSize, c: TrialChoices) -> None:
    short = room.short_by(coupon.width_mm, coupon.height_mm)
    where = tr("on this sheet")
    if c.sheet is None:
        where = tr("on the bed")
    if short > 0:
        raise NoRoom(
            (
                tr(
                    "No room {where}: {short} for a coupon of {width_mm} mm.",
                    where=where,
                    short=_short(short),
                    width_mm=lengths_text(coupon.width_mm, coupon.height_mm),
                )
            ),
            short,
        )
    x, y = c.place
    box = (x, y, x + coupon.width_mm, y + coupon.height_mm)
    if not room.is_free(box):
        at = tr("At {x}, {y} mm the coupon", x=number_text(x, 4), y=number_text(y, 4))
        over = max(room.area[0] - x, room.area[1] - y, box[2] - room.area[2], box[3] - room.area[3])
        if over > 0:
            raise NoRoom(
                tr(
                    "{at} lies {over} mm outside what is free {where}.",
                    at=at,
                    over=number_text(over),
                    where=where,
                ),
                0.0,
            )
        raise NoRoom(tr("{at} meets a clamp or a used area.", at=at), 0.0)


def _short(short_mm: float) -> str:
    if math.isfinite(short_mm):
        return tr("{short_mm} mm short", short_mm=number_text(short_mm))
    return tr("nothing is free")


def _cells(
    machine: Machine,
    pattern: Pattern,
    rects: Sequence[tuple[float, float, float, float]],
    choices: TrialChoices,
    limit: FlareLimit | None,
) -> tuple[tuple[Cell, ...], list[Refusal]]:
    """Return the cells in the order in which they burn, and those that are left out."""
    unit, burn_order = choices.speed_unit, choices.burn_order
    whys = [_beyond(machine, patch.setting, limit, unit) for patch in pattern.patches]
    refused = [
        Refusal(
            _cell(pattern, i, rects[i], 0, 0.0),
            why,
            not _beyond(machine, pattern.patches[i].setting, limit and limit.known, unit),
        )
        for i, why in enumerate(whys)
        if why
    ]
    kept = [i for i, why in enumerate(whys) if not why]
    if not kept:
        raise OutOfRange(tr("Cells within the limits"), 0, tr("at least 1: ") + refused[0].why)
    boxes = np.array([rects[i] for i in kept])
    settings = [pattern.patches[i].setting for i in kept]
    if burn_order == "rows":
        order = list(np.lexsort((boxes[:, 0], boxes[:, 1])))
    elif burn_order == "columns":
        order = list(np.lexsort((boxes[:, 1], boxes[:, 0])))
    else:
        watts = {power: machine.watts(power) for power in {s.power for s in settings}}
        energy = np.array([watts[s.power] * s.dose_per_watt for s in settings])
        order = _low_energy_first(energy, boxes[:, :2] + boxes[:, 2:] / 2)
    limits = (
        machine.max_speed_mm_s,
        machine.acceleration_mm_s2,
        machine.junction_mm,
        machine.focus_speed_mm_s,
    )
    cells = []
    for n, at in enumerate(order, 1):
        i = kept[at]
        cells.append(
            _cell(pattern, i, rects[i], n, _patch_seconds(pattern.patches[i], machine, limits))
        )
    return tuple(cells), refused


def _patch_seconds(patch: Patch, machine: Machine, limits: tuple[float, ...]) -> float:
    s = patch.setting
    key = (
        patch.mark,
        patch.width_mm,
        patch.height_mm,
        patch.nominal_mm,
        patch.dots,
        s.speed_mm_s,
        s.passes,
        s.pitch_mm,
        s.direction,
        s.crosshatch,
        s.focus_step_mm,
        limits,
    )
    found = _SECONDS.get(key)
    if found is None:
        if len(_SECONDS) > MOST_REMEMBERED:
            _SECONDS.clear()
        box = (0.0, 0.0, patch.width_mm, patch.height_mm)
        cell = Cell("cell", 0, 0, patch.mark, box, 0, 0.0, s, patch.nominal_mm, dots=patch.dots)
        found = round(cell_seconds(cell, machine), 3)
        _SECONDS[key] = found
    return found


def _cell(
    pattern: Pattern, at: int, rect: tuple[float, float, float, float], order: int, seconds: float
) -> Cell:
    patch = pattern.patches[at]
    cell_id, col = _letter(patch.row) + str(patch.col + 1), patch.col
    if len(pattern.blocks) > 1:
        cell_id, col = f"{cell_id}-{patch.block + 1}", patch.col + patch.block * len(pattern.cols)
    return Cell(
        cell_id,
        patch.row,
        col,
        patch.mark,
        rect,
        order,
        seconds,
        patch.setting,
        patch.nominal_mm,
        patch.recipe,
        patch.dots,
    )


@functools.cache
def _letter(row: int) -> str:
    letters, number = "", row + 1
    while number:
        number, rest = divmod(number - 1, 26)
        letters = CODE[rest] + letters
    return letters


def _beyond(machine: Machine, setting: Setting, limit: FlareLimit | None, unit: str) -> str:
    """Why a setting is not burnt, its speeds in the shop's unit; empty where it may be."""
    if setting.speed_mm_s > machine.max_speed_mm_s * (1 + 1e-9):
        return tr(
            "{machine} moves at {max_speed_mm_s} at most, not {speed_mm_s}.",
            machine=machine.name,
            max_speed_mm_s=speed_text(machine.max_speed_mm_s, unit),
            speed_mm_s=speed_text(setting.speed_mm_s, unit),
        )
    if setting.speed_mm_s < SLOWEST_MM_S:
        return tr(
            "{speed_mm_s} is too slow: below {slowest} a beam burns as one at rest.",
            speed_mm_s=speed_text(setting.speed_mm_s, unit),
            slowest=speed_text(SLOWEST_MM_S, unit),
        )
    if limit is not None:
        watts = machine.watts(setting.power)
        if not limit.allows(watts, setting.speed_mm_s, setting.passes):
            energy, most = watts / setting.speed_mm_s, limit.most_j_mm(watts, setting.passes)
            return tr(
                "{energy} J/mm in a pass: from {most} J/mm on, this stock is expected to flare up.",
                energy=number_text(energy),
                most=number_text(most),
            )
    return ""


def _label_setting(
    machine: Machine, stock: Stock, task: Task, cells: Sequence[Cell], c: TrialChoices
) -> Setting:
    quiet = label_setting(machine, stock, task, cells)
    if c.label_power is not None:
        quiet = replace(quiet, power=c.label_power)
    if c.label_speed_mm_s is not None:
        if c.label_speed_mm_s > machine.max_speed_mm_s:
            raise OutOfRange(
                tr("Speed of the labels"),
                speed_in(c.label_speed_mm_s, c.speed_unit),
                tr(
                    "at most {max_speed_mm_s:g}",
                    max_speed_mm_s=speed_in(machine.max_speed_mm_s, c.speed_unit),
                ),
                c.speed_unit,
            )
        quiet = replace(quiet, speed_mm_s=c.label_speed_mm_s)
    return quiet


def _low_energy_first(energy: NDArray[np.float64], middle: NDArray[np.float64]) -> list[int]:
    """From low energy to high; among cells of about the same energy the one farthest from the last
    comes next.

    `energy` [n] in any unit, `middle` [n, 2] the middles of the cells, mm.
    """
    coming = [int(i) for i in np.lexsort((np.arange(len(energy)), energy))]
    energies, places = energy.tolist(), [(float(x), float(y)) for x, y in middle]
    ordered: list[int] = []
    pool: list[int] = []  # the coolest that are left, at most as many as are looked at
    taken, (x, y) = 0, places[coming[0]]
    while len(ordered) < len(coming):
        ceiling = energies[pool[0] if pool else coming[taken]] * SAME_ENERGY
        while taken < len(coming) and len(pool) < MOST_ALIKE and energies[coming[taken]] <= ceiling:
            pool.append(coming[taken])
            taken += 1
        best, far = 0, -1.0
        for n, i in enumerate(pool if ordered else pool[:1]):
            away = (places[i][0] - x) ** 2 + (places[i][1] - y) ** 2
            if away > far:
                best, far = n, away
        ordered.append(pool.pop(best))
        x, y = places[ordered[-1]]
    return ordered


def used_area_mm2(trial: Trial) -> float:
    """Return the stock that a trial uses up: its coupon, or where they are spread over the sheet
    the cells alone, or the places that are photographed by themselves.
    """
    parts = parts_seen(trial)
    if kind_of(trial.kind).spread and not parts:
        return sum(cell.rect_mm[2] * cell.rect_mm[3] for cell in trial.cells)
    coupons = [part.coupon for part in parts.values()] or [trial.coupon]
    return sum(coupon.width_mm * coupon.height_mm for coupon in coupons)


def _cost(machine: Machine, stock: Stock, trial: Trial, seconds: float) -> float | None:
    """Running time and stock at the shop's rates, in its money; None where neither is known."""
    if machine.rate is None and stock.price_m2 is None:
        return None
    area_m2 = used_area_mm2(trial) / 1e6
    return round((machine.rate or 0.0) * seconds / 3600 + (stock.price_m2 or 0.0) * area_m2, 4)


def _remarks(
    machine: Machine, cells: Sequence[Cell], *, shows: bool, wanted: bool
) -> tuple[str, ...]:
    remarks = []
    slow = [
        c
        for c in cells
        if c.mark
        in (
            "outline",
            "detail",
            "comb",
            "stack",
        )  # lines and rasters reach their speed outside the cell
        and not c.setting.pitch_mm
        and peak_speed(c.longest_side_mm, c.setting.speed_mm_s, machine.acceleration_mm_s2)
        < 0.98 * c.setting.speed_mm_s
    ]
    if slow:
        need = math.ceil(max(c.setting.speed_mm_s for c in slow) ** 2 / machine.acceleration_mm_s2)
        if len(slow) == 1:
            count = tr("1 cell is")
        else:
            count = tr("{slow} cells are", slow=len(slow))
        remarks.append(
            tr(
                "{count} too short to reach the speed ({need} mm would do); the fit counts "
                "with the speed they reach.",
                count=count,
                need=need,
            )
        )
    if wanted and not shows:
        remarks.append(
            tr(
                "No photo marks: they would not show on this stock, or "
                "the cells lie too far apart. "
                "Read it by eye."
            )
        )
    return tuple(remarks)
