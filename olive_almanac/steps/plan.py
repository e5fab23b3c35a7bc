"""Plan: the choices of a trial in the operator's words, the trial they make, where it lies, and the
files it sends out.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any, Protocol, cast

from olive_almanac.core.errors import AlmanacError, OutOfRange
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.ranges import check_choice, check_number
from olive_almanac.core.records.setting import TASKS, Setting, Task
from olive_almanac.core.records.stock import Sheet, Stock
from olive_almanac.core.records.trial import Kind, Place, SheetOnBed, Trial
from olive_almanac.core.units import (
    SPEED_UNITS,
    count_text,
    lengths_text,
    number_text,
    percent_text,
    read_length_mm,
    read_number,
    read_speed_mm_s,
    speed_in,
)
from olive_almanac.steps.permission import permission_for, verdict_for
from olive_almanac.steps.session import Session
from olive_almanac.steps.snapshot import Shelf
from olive_almanac.steps.trial_files import TrialFiles, trial_files, write_trial_files

if TYPE_CHECKING:
    from olive_almanac.core.deciding.outlook import Outlook
    from olive_almanac.core.design.plan import TrialChoices, TrialPlan
    from olive_almanac.core.design.suggest import Neighbour
    from olive_almanac.core.placing.room import Room

__all__ = [
    "FIELD_FACTORS",
    "Fix",
    "PlanPresenter",
    "ShowsPlan",
    "burn_folder",
    "choices_from",
    "slots_of",
    "texts_of",
    "what_machines_can",
]

FIELD_FACTORS = ("power", "speed", "passes", "focus", "pitch")  # factors whose levels are numbers
# kind: what varies up the side, what along the foot; "" for none, "*" where the operator chooses
SLOTS: dict[str, tuple[str, str]] = {
    "grid": ("*", "*"),
    "passes": ("", "passes"),
    "focus": ("", "focus"),
    "ramp": ("", "focus"),
    "pitch": ("", "pitch"),
    "grey": ("", "power"),
    "kerf": ("", ""),
    "air": ("air", "speed"),
    "direction": ("", "speed"),
    "detail": ("", "speed"),
    "confirm": ("", ""),
    "weekly": ("", "speed"),
    "next": ("", ""),
}
NAMES = {
    "power": "Power",
    "speed": "Speed",
    "passes": "Passes",
    "focus": "Focus",
    "pitch": "Line pitch",
    "air": "Air",
}
MOST_FIXES = 3
SMALLER_CELLS_MM = (30, 25, 20, 16, 14, 12, 10, 9, 8, 7, 6, 5, 4)


@dataclass(frozen=True)
class Fix:
    """Something that would fit, and the fields that lead to it."""

    words: str
    texts: dict[str, str]


class ShowsPlan(Protocol):
    def show_choices(self, texts: dict[str, str]) -> None: ...
    def show_plan(self, plan: TrialPlan) -> None: ...
    def show_problem(self, field: str, text: str, fixes: Sequence[Fix]) -> None: ...


def slots_of(texts: Mapping[str, str]) -> tuple[str, str]:
    """Return which factor varies up the side and which along the foot; an empty text for none."""
    up, across = SLOTS[texts["kind"]]
    return (texts["up"] if up == "*" else up, texts["across"] if across == "*" else across)


# -- choices as texts ------------------------------------------------------------------------------


def _level_text(factor: str, value: float, unit: str) -> str:
    if factor == "power":
        return percent_text(value)
    return number_text(
        speed_in(value, unit) if factor == "speed" else value, 4 if factor == "speed" else 3
    )


def _spacing(values: Sequence[float]) -> str:
    """How levels are spaced: "even", by "ratio", or neither ("list")."""
    if len(values) < 3:
        return "even"
    steps = [b - a for a, b in itertools.pairwise(values)]
    if max(steps) - min(steps) <= 1e-6 * max(map(abs, values)):
        return "even"
    if min(values) > 0:
        ratios = [b / a for a, b in itertools.pairwise(values)]
        if max(ratios) - min(ratios) <= 1e-4 * max(ratios):
            return "ratio"
    return "list"


def texts_of(choices: TrialChoices, unit: str) -> dict[str, str]:
    """Return the fields of choices: of each factor its ends, steps, spacing and list, and what
    stands where it is held.
    """
    texts: dict[str, str] = {}
    for factor in FIELD_FACTORS:
        values = [float(v) for v in choices.levels(factor)]
        joined = ", ".join(_level_text(factor, v, unit) for v in values)
        texts |= {
            f"{factor}_from": _level_text(factor, values[0], unit),
            f"{factor}_to": _level_text(factor, values[-1], unit),
            f"{factor}_steps": str(len(values)),
            f"{factor}_space": _spacing(values),
            f"{factor}_list": joined,
            factor: joined,
        }
    sheet = choices.sheet
    clamps = ""
    if sheet:
        clamps = "; ".join(
            ",".join(number_text(side, 4) for side in box) for box in sheet.clamps_mm
        )
    quiet_power, quiet_speed = choices.label_power, choices.label_speed_mm_s
    return texts | {
        "kind": choices.kind,
        "up": choices.up,
        "across": choices.across,
        "air": ", ".join(choices.air),
        "cell": number_text(choices.cell_mm),
        "gap": number_text(choices.gap_mm),
        "rest": number_text(choices.rest_s),
        "x": number_text(choices.place[0], 4),
        "y": number_text(choices.place[1], 4),
        "order": choices.burn_order,
        "turned": "yes" if choices.turned else "",
        "repeats": str(choices.repeats),
        "slope": number_text(choices.slope),
        "slots": ", ".join(number_text(v) for v in choices.slots_mm),
        "crosshatch": "yes" if choices.crosshatch else "",
        "beam": choices.beam,
        "focus_step": number_text(choices.focus_step_mm),
        "labels": "yes" if choices.labels else "",
        "marks": "yes" if choices.fiducials else "",
        "edge": number_text(choices.edge_mm),
        "sheet": "" if choices.sheet_number is None else str(choices.sheet_number),
        "clamps": clamps,
        "sheet_x": number_text(choices.sheet_at_mm[0], 4),
        "sheet_y": number_text(choices.sheet_at_mm[1], 4),
        "label_power": "" if quiet_power is None else percent_text(quiet_power),
        "label_speed": "" if quiet_speed is None else number_text(speed_in(quiet_speed, unit), 4),
    }


def _whole(text: str, field: str) -> int:
    value = read_number(text, field)
    if value != int(value):
        raise OutOfRange(field, text, "a whole number")
    return int(value)


def _reader(factor: str, unit: str) -> Any:
    name = NAMES[factor]
    return {
        "power": lambda text: read_number(text, name, "%") / 100,
        "speed": lambda text: read_speed_mm_s(text, name, unit),
        "passes": lambda text: _whole(text, name),
        "focus": lambda text: read_length_mm(text, name),
        "pitch": lambda text: read_length_mm(text, name),
    }[factor]


def _levels(texts: Mapping[str, str], factor: str, unit: str, *, varied: bool) -> tuple[Any, ...]:
    """The levels of a factor from its fields, checked against what the factor allows."""
    from olive_almanac.core.design.levels import even_levels, ratio_levels, read_levels

    name, read = NAMES[factor], _reader(factor, unit)
    if not varied or texts[f"{factor}_space"] == "list":
        levels = read_levels(texts[f"{factor}_list" if varied else factor], name, read)
    else:
        low, high = read(texts[f"{factor}_from"]), read(texts[f"{factor}_to"])
        if texts[f"{factor}_space"] == "ratio":
            make = ratio_levels
        else:
            make = even_levels
        if factor == "passes":
            levels = tuple(range(int(low), int(high) + 1))
        else:
            levels = make(
                low, high, _whole(texts[f"{factor}_steps"], f"Steps of {name.lower()}"), name
            )
    for value in levels:
        if factor == "power" and not 0 < value <= 1:
            raise OutOfRange("Power", 100 * value, "above 0 and at most 100", "%")
        if factor == "speed" and value <= 0:
            raise OutOfRange("Speed", value / SPEED_UNITS[unit], "above 0", unit)
        if factor == "passes" and not 1 <= value <= 200:
            raise OutOfRange("Passes", value, "from 1 to 200")
    return tuple(levels)


def _boxes(text: str, field: str) -> tuple[tuple[float, float, float, float], ...]:
    boxes = []
    for part in filter(str.strip, text.split(";")):
        sides = [read_number(side, field, "mm") for side in part.split(",")]
        if len(sides) != 4:
            raise OutOfRange(
                field,
                f"“{part.strip()}”",
                "four numbers: from X, Y to X, Y; more behind a semicolon",
            )
        boxes.append((sides[0], sides[1], sides[2], sides[3]))
    return tuple(boxes)


def choices_from(
    texts: Mapping[str, str], unit: str, base: TrialChoices, stock: Stock | None = None
) -> TrialChoices:
    """Return the choices that the fields say; what no field holds stays as in `base`.

    Raises OutOfRange naming the field.
    """
    from olive_almanac.core.records.setting import AIRS

    varied = slots_of(texts)
    levels = {
        factor: _levels(texts, factor, unit, varied=factor in varied) for factor in FIELD_FACTORS
    }
    airs = tuple(word.strip() for word in texts["air"].split(",") if word.strip())
    for air in airs:
        check_choice("Air", air, AIRS)
    words: dict[str, Any] = {
        "air": airs,
        "kind": texts["kind"],
        "up": texts["up"],
        "across": texts["across"],
        "burn_order": texts["order"],
        "beam": texts["beam"],
    }
    number = None
    if texts["sheet"]:
        number = int(texts["sheet"])
    sheet: Sheet | None = None
    if number is not None and stock is not None and number < len(stock.sheets):
        sheet = replace(stock.sheets[number], clamps_mm=_boxes(texts["clamps"], "Clamps"))
    return replace(
        base,
        power=levels["power"],
        speed_mm_s=levels["speed"],
        passes=levels["passes"],
        focus_mm=levels["focus"],
        pitch_mm=levels["pitch"],
        cell_mm=read_length_mm(texts["cell"], "Cell side"),
        gap_mm=read_length_mm(texts["gap"], "Gap between cells"),
        rest_s=read_number(texts["rest"], "Rest", "s"),
        place=(
            read_length_mm(texts["x"], "Place along X"),
            read_length_mm(texts["y"], "Place along Y"),
        ),
        turned=bool(texts["turned"]),
        repeats=_whole(texts["repeats"], "Repeats"),
        slope=read_number(texts["slope"], "Slope"),
        slots_mm=tuple(
            read_length_mm(part, "Slot widths")
            for part in texts["slots"].split(",")
            if part.strip()
        ),
        crosshatch=bool(texts["crosshatch"]),
        focus_step_mm=read_length_mm(texts["focus_step"], "Focus step"),
        labels=bool(texts["labels"]),
        fiducials=bool(texts["marks"]),
        edge_mm=read_length_mm(texts["edge"], "Free edge"),
        label_power=_optional_power(texts["label_power"]),
        label_speed_mm_s=read_speed_mm_s(texts["label_speed"], "Speed of the labels", unit)
        if texts["label_speed"].strip()
        else None,
        sheet_number=number if sheet is not None else None,
        sheet=sheet,
        sheet_at_mm=(
            read_length_mm(texts["sheet_x"], "Sheet along X"),
            read_length_mm(texts["sheet_y"], "Sheet along Y"),
        ),
        speed_unit=unit,
        **words,
    )


def _optional_power(text: str) -> float | None:
    if not text.strip():
        return None
    value = read_number(text, "Power of the labels", "%") / 100
    if not 0 < value <= 1:
        raise OutOfRange("Power of the labels", 100 * value, "above 0 and at most 100", "%")
    return value


def burn_folder(library_folder: Path, trial: Trial) -> Path:
    """Return where a trial's files are written: below the library, one folder a trial."""
    return library_folder / "burn" / trial.id


def what_machines_can(shelf: Shelf, stock: Stock, task: Task) -> list[tuple[Machine, str, bool]]:
    """Return each machine with what the catalogue says of it and the stock, task by task, and
    whether it may do `task`.
    """
    told = []
    for machine in shelf.machines:
        groups: dict[str, list[str]] = {}
        for one in TASKS:
            groups.setdefault(verdict_for(machine, stock, one), []).append(one)
        words = "\n".join(
            f"{', '.join(tasks).capitalize()}: {verdict}."
            for verdict, tasks in groups.items()
            if verdict
        )
        told.append((machine, words, permission_for(machine, stock, task, shelf.rules).allowed))
    return told


# -- the presenter ---------------------------------------------------------------------------------


class PlanPresenter:
    """Keeps the fields; every change makes the plan anew or says what is wrong with it and what
    would fit.
    """

    def __init__(self, session: Session, view: ShowsPlan) -> None:
        self.session, self._view = session, view
        self.plan: TrialPlan | None = None
        self.texts: dict[str, str] = {}
        self.basis = ""
        self.name = ""
        self._base: TrialChoices | None = None
        self._limit: Any = None

    # -- where the choices come from ---------------------------------------------------------------

    def start(self) -> None:
        """Begin from the trial on the desk when it is not burnt yet, else from suggested levels."""
        from olive_almanac.core.design.plan import choices_of

        subject = self.session.subject
        if subject.machine is None or subject.stock is None or not self.session.permission.allowed:
            self.plan = None
            return
        self._limit = None
        desk = self.session.desk
        if desk is not None and not desk.burnt and desk.stage in ("plan", "burn"):
            self.basis = f"as planned on {desk.trial.made}"
            self._attempt(lambda: self._take(choices_of(desk.trial)))
        else:
            self.suggest("grid")

    def suggest(self, kind: Kind | None = None) -> None:
        """Take the suggested levels for a kind of trial (the present one by default)."""
        self._attempt(lambda: self._take(self._suggested(kind or self._kind)))

    def _attempt(self, action: Any) -> None:
        try:
            action()
        except AlmanacError as problem:
            self.plan = None
            self._view.show_problem(
                problem.field if isinstance(problem, OutOfRange) else "", str(problem), ()
            )

    @property
    def _kind(self) -> Kind:
        kind: Kind = cast(Kind, self.texts.get("kind", "grid"))
        if kind == "next":
            return "grid"
        return kind

    def _suggested(self, kind: Kind) -> TrialChoices:
        from olive_almanac.core.design.plan import choices_of
        from olive_almanac.core.design.suggest import confirm_choices, suggest_levels
        from olive_almanac.steps.lettering import letters

        machine, stock = self.session.subject.machine, self.session.subject.stock
        assert machine is not None and stock is not None
        found = suggest_levels(
            machine,
            stock,
            self.session.subject.task,
            kind=kind,
            speed_unit=self.session.preferences.speed_unit,
            near=self._neighbour(),
            pairs=self.pairs,
            limit=self.limit,
            lettering=letters(),
            engraving=verdict_for(machine, stock, "engrave"),
        )
        choices, self.basis = self._on_sheet(found.choices), found.basis
        entry, last = self.session.entry, self.session.last_of_kind("weekly")
        if kind == "confirm" and entry is not None:
            choices, self.basis = (
                confirm_choices(entry.setting, choices, repeats=choices.repeats),
                "from the book: the entry itself",
            )
        if kind == "weekly" and last is not None:
            choices, self.basis = (
                replace(choices_of(last), place=choices.place),
                f"as in the weekly check of {last.made}",
            )
        return choices

    def _on_sheet(self, choices: TrialChoices) -> TrialChoices:
        """Lay the trial on the sheet in use, or on the first of the stock's sheets, in its lower
        left corner.
        """
        stock = self.session.subject.stock
        wanted = self.texts.get("sheet", "0")
        if stock is None or not stock.sheets or wanted == "":
            return choices
        number = min(int(wanted), len(stock.sheets) - 1)
        if self._base is not None:
            at = self._base.sheet_at_mm
        else:
            at = (0.0, 0.0)
        return replace(
            choices, sheet_number=number, sheet=stock.sheets[number], sheet_at_mm=at, place=at
        )

    @property
    def pairs(self) -> list[Any]:
        """The read coupons of the subject."""
        desk = self.session.desk
        if desk is not None:
            return [pair for pair in desk.pairs if pair[1]]
        return []

    @property
    def limit(self) -> Any:
        """The line energy above which this stock is expected to flare up
        (core.fitting.char.FlareLimit).
        """
        from olive_almanac.core.design.suggest import flare_limit_of

        if self._limit is None and self.session.subject.stock is not None:
            self._limit = flare_limit_of(self.session.subject.stock, self.pairs)
        return self._limit

    def _neighbour(self) -> Neighbour | None:
        """The entry of the book that bears most on the subject: its own first, then the same
        machine and family; old notes count where they are of the very subject.
        """
        from olive_almanac.core.design.suggest import Neighbour

        subject, shelf = self.session.subject, self.session.shelf
        ranked = []
        for n, entry in enumerate(shelf.entries):
            machine, stock = shelf.machine(entry.machine_uid), shelf.stock(entry.stock_uid)
            if (
                machine is None
                or stock is None
                or subject.machine is None
                or subject.stock is None
                or entry.task != subject.task
            ):
                continue
            kin = stock.family == subject.stock.family
            noted = entry.is_note and (machine, stock) == (subject.machine, subject.stock)
            if not kin or (entry.origin == "guess" and not noted):
                continue
            far = abs(stock.true_thickness_mm - subject.stock.true_thickness_mm)
            ranked.append(
                (
                    stock != subject.stock,
                    machine != subject.machine,
                    machine.source != subject.machine.source,
                    far,
                    -n,
                    Neighbour(entry, machine, stock),
                )
            )
        if ranked:
            return min(ranked, key=lambda one: one[:5])[5]
        return None

    def plan_next(self, cells: Sequence[Setting]) -> None:
        """Plan the very cells that a decision asks for."""

        def take() -> None:
            base = self._suggested("grid")
            first = cells[0]
            self.basis = (
                f"{count_text(len(cells), 'cell')} that teach most about the edge, by "
                "the readings so far"
            )
            self._take(
                replace(
                    base,
                    kind="next",
                    settings=tuple(cells),
                    power=(first.power,),
                    speed_mm_s=(first.speed_mm_s,),
                    passes=(first.passes,),
                    focus_mm=(first.focus_mm,),
                    pitch_mm=(first.pitch_mm,),
                    air=(first.air,),
                )
            )

        self._attempt(take)

    def next_work(self) -> Iterator[tuple[Setting, ...]]:
        """Yield the cells that teach most, by the readings of the subject: for a worker."""
        from olive_almanac.steps.decide import decide_trial

        yield decide_trial(self.pairs)[0].next_cells

    def _take(self, choices: TrialChoices) -> None:
        self._base = choices
        self.texts = texts_of(choices, self.session.preferences.speed_unit)
        self._view.show_choices(self.texts)
        self.remake()

    # -- changes -----------------------------------------------------------------------------------

    def change(self, key: str, text: str) -> None:
        self.texts[key] = text
        self.remake()

    def choose_kind(self, kind: Kind) -> None:
        """Take the suggested levels of another kind of trial."""
        self.suggest(kind)

    def choose_factor(self, slot: str, factor: str) -> None:
        """Let another factor vary up the side or along the foot; what stood there changes places or
        is held.
        """
        other = "up"
        if slot == "up":
            other = "across"
        old = self.texts[slot]
        if self.texts[other] == factor:
            self.texts[other] = old
        elif old in FIELD_FACTORS:
            self.texts[old] = self.texts[f"{old}_to" if old == "power" else f"{old}_from"]
        self.texts[slot] = factor
        if factor == "air":
            self.texts["air"] = "off, low, full"
        elif "," not in self.texts[factor]:
            self._widen(factor)
        if "air" not in (self.texts["up"], self.texts["across"]):
            self.texts["air"] = self.texts["air"].rpartition(", ")[2]
        self._view.show_choices(self.texts)
        self.remake()

    def _widen(self, factor: str) -> None:
        """Give a factor that was held levels around its value."""
        unit = self.session.preferences.speed_unit
        try:
            value = float(_reader(factor, unit)(self.texts[factor]))
        except AlmanacError:
            return
        machine = self.session.subject.machine
        ends = {
            "power": (0.5 * value, value),
            "speed": (0.5 * value, 1.5 * value),
            "passes": (1, 4),
            "pitch": (0.5 * value, 1.5 * value),
        }
        reach = 1.0
        if machine:
            reach = machine.rayleigh_mm
        low, high = ends.get(factor, (value - reach, value + reach))
        self.texts |= {
            f"{factor}_from": _level_text(factor, low, unit),
            f"{factor}_to": _level_text(factor, high, unit),
            f"{factor}_steps": "4" if factor == "passes" else "5",
            f"{factor}_space": "even",
        }

    def choose_spacing(self, factor: str, spacing: str) -> None:
        """Space the levels evenly, by ratio, or as a list that starts from the present levels."""
        if spacing == "list" and self.plan is not None:
            unit = self.session.preferences.speed_unit
            try:
                levels = _levels(self.texts, factor, unit, varied=True)
                self.texts[f"{factor}_list"] = ", ".join(
                    _level_text(factor, v, unit) for v in levels
                )
            except AlmanacError:
                pass  # the fields are told as they stand
        self.texts[f"{factor}_space"] = spacing
        self._view.show_choices(self.texts)
        self.remake()

    def choose_sheet(self, number: str) -> None:
        """Lay the coupon on another sheet ("" for the whole bed), near its lower left corner."""
        stock = self.session.subject.stock
        self.texts["sheet"] = number
        if number and stock is not None:
            boxes = stock.sheets[int(number)].clamps_mm
            self.texts["clamps"] = "; ".join(
                ",".join(number_text(side, 4) for side in box) for box in boxes
            )
            self.texts |= {"x": self.texts["sheet_x"], "y": self.texts["sheet_y"]}
        self._view.show_choices(self.texts)
        self.remake()

    def turn(self) -> None:
        """Lay the long side the other way."""
        self.change("turned", "" if self.texts["turned"] else "yes")
        self._view.show_choices(self.texts)

    def to_corner(self, corner: str) -> None:
        """Move the coupon to the free place nearest a corner of the sheet."""
        if self.plan is None:
            return
        coupon = self.plan.trial.coupon
        place = self.room.in_corner(coupon.width_mm, coupon.height_mm, corner)
        if place is not None:
            self._put(place)

    def drag(self, x_mm: float, y_mm: float) -> None:
        """Move the coupon to a place on the bed: drawn to edges nearby, then to the nearest place
        that is free.
        """
        if self.plan is None:
            return
        coupon, room = self.plan.trial.coupon, self.room
        size = (coupon.width_mm, coupon.height_mm)
        place = room.nearest(*size, room.snapped(*size, (x_mm, y_mm)))
        if place is not None:
            self._put(place)

    def nudge(self, dx_mm: float, dy_mm: float) -> None:
        """Move the coupon by some millimetres, as far as there is room."""
        if self.plan is None:
            return
        left, low, right, high = self.plan.trial.area_mm
        box = (left + dx_mm, low + dy_mm, right + dx_mm, high + dy_mm)
        if self.room.is_free(box):
            self._put(box[:2])

    def _put(self, place: tuple[float, float]) -> None:
        """Lay the finished plan elsewhere; nothing else about it changes."""
        assert self.plan is not None
        if self.plan.trial.kind == "confirm":
            return
        self.texts |= {"x": number_text(place[0], 5), "y": number_text(place[1], 5)}
        trial = self.plan.trial
        choices = {**trial.choices, "place": list(place)}
        self.plan = replace(
            self.plan, trial=replace(trial, on_sheet=Place(*place), choices=choices)
        )
        self._view.show_choices(self.texts)
        self._view.show_plan(self.plan)

    @property
    def room(self) -> Room:
        from olive_almanac.core.design.plan import room_for

        machine = self.session.subject.machine
        assert machine is not None
        return room_for(machine, self._choices())

    @property
    def ground(self) -> tuple[Machine, Stock, SheetOnBed | None] | None:
        """What the coupon would lie on, also while it finds no room there; None while the choices
        cannot be read.
        """
        from olive_almanac.core.design.plan import sheet_on_bed

        machine, stock = self.session.subject.machine, self.session.subject.stock
        if machine is None or stock is None or self._base is None:
            return None
        try:
            return machine, stock, sheet_on_bed(self._choices())
        except AlmanacError:
            return None

    def _choices(self) -> TrialChoices:
        assert self._base is not None
        return choices_from(
            self.texts, self.session.preferences.speed_unit, self._base, self.session.subject.stock
        )

    # -- the plan ----------------------------------------------------------------------------------

    def remake(self) -> None:
        from olive_almanac.core.design.plan import NoRoom

        if (
            self.session.subject.machine is None
            or self.session.subject.stock is None
            or self._base is None
        ):
            return
        try:
            self.plan = self._planned(self._choices())
        except AlmanacError as problem:
            self.plan = None  # an old grid beside an error would mislead
            if isinstance(problem, NoRoom):
                fixes = self.what_fits()
            else:
                fixes = ()
            self._view.show_problem(
                problem.field if isinstance(problem, OutOfRange) else "", str(problem), fixes
            )
        else:
            place = self.plan.trial.on_sheet or Place(0.0, 0.0)
            self.texts |= {"x": number_text(place.x_mm, 5), "y": number_text(place.y_mm, 5)}
            self._view.show_plan(self.plan)

    def _planned(self, choices: TrialChoices) -> TrialPlan:
        from olive_almanac.core.design.plan import plan_trial
        from olive_almanac.core.placing.fiducials import coupon_set
        from olive_almanac.steps.lettering import letters

        subject, desk = self.session.subject, self.session.desk
        assert subject.machine is not None and subject.stock is not None
        continuing = desk is not None and not desk.burnt and desk.stage in ("plan", "burn")
        number = self.session.next_trial_number()
        if desk and continuing:
            trial_id = desk.trial.id
        else:
            trial_id = f"coupon-{number:04d}-{self.session.new_id()}"
        if desk and continuing:
            self.name = desk.trial.name
        else:
            self.name = f"Coupon {number:04d}"
        if continuing:
            marks_set = choices.marks_set
        else:
            marks_set = coupon_set(number)
        planned = plan_trial(
            subject.machine,
            subject.stock,
            subject.task,
            replace(choices, marks_set=marks_set),
            permission=self.session.permission,
            trial_id=trial_id,
            name=self.name,
            made=self.session.today().isoformat(),
            lettering=letters(),
            engraving=verdict_for(subject.machine, subject.stock, "engrave"),
            limit=self.limit,
            settle=True,
        )
        if self.session.practice is not None:
            from olive_almanac.steps.practise import cells_left

            check_number(
                "Number of cells",
                len(planned.trial.cells),
                f"cells left of the exercise’s {self.session.practice.exercise.cells}",
                high=cells_left(self.session),
            )
        return planned

    def what_fits(self) -> tuple[Fix, ...]:
        """Return changes after which the coupon has room: turned, smaller cells, fewer levels,
        another sheet.
        """
        stock, texts = self.session.subject.stock, self.texts
        sheets = [
            (n, lengths_text(one.width_mm, one.height_mm))
            for n, one in enumerate(stock.sheets if stock else ())
        ]
        groups = [
            [Fix("turned by 90°", {"turned": "" if texts["turned"] else "yes"})],
            self._smaller_cells(),
            [
                Fix(f"on the sheet of {size} mm", {"sheet": str(n), "clamps": ""})
                for n, size in sheets
                if str(n) != texts["sheet"]
            ],
            self._fewer_levels(),
            [Fix("on the bare bed", {"sheet": ""})] if texts["sheet"] else [],
        ]
        found = [
            fix
            for group in groups
            if (fix := next((one for one in group if self._would_fit(one)), None)) is not None
        ]
        return tuple(found[:MOST_FIXES])

    def _would_fit(self, fix: Fix) -> bool:
        assert self._base is not None
        try:
            unit = self.session.preferences.speed_unit
            self._planned(
                choices_from(
                    {**self.texts, **fix.texts}, unit, self._base, self.session.subject.stock
                )
            )
        except AlmanacError:
            return False
        return True

    def _smaller_cells(self) -> list[Fix]:
        """The larger cells first: the first that fits is offered."""
        try:
            side = read_length_mm(self.texts["cell"], "Cell side")
        except AlmanacError:
            return []
        return [Fix(f"cells of {mm} mm", {"cell": str(mm)}) for mm in SMALLER_CELLS_MM if mm < side]

    def _fewer_levels(self) -> list[Fix]:
        fixes = []
        for factor in slots_of(self.texts):
            if factor not in FIELD_FACTORS or self.texts[f"{factor}_space"] == "list":
                continue
            steps = self.texts[f"{factor}_steps"]
            for fewer in (
                (int(steps) - 1, int(steps) - 2, int(steps) // 2) if steps.isdigit() else ()
            ):
                if fewer > 1:
                    fixes.append(
                        Fix(
                            f"{fewer} steps of {NAMES[factor].lower()}",
                            {f"{factor}_steps": str(fewer)},
                        )
                    )
        return fixes

    def take_fix(self, fix: Fix) -> None:
        """Take a change that fits."""
        self.texts |= fix.texts
        self._view.show_choices(self.texts)
        self.remake()

    def outlook_work(self) -> Iterator[tuple[str, Outlook]] | None:
        """Return the work that reckons what the plan is expected to show, for a worker; None where
        there is no plan.
        """
        if self.plan is None:
            return None
        trial, pairs = self.plan.trial, self.pairs

        def work() -> Iterator[tuple[str, Outlook]]:
            from olive_almanac.core.deciding.outlook import expect

            yield trial.id, expect(trial, pairs)

        return work()

    # -- the files ---------------------------------------------------------------------------------

    def write_work(self) -> Iterator[str] | None:
        """Return the work of writing the files, a word for each piece of it: for a worker."""
        if self.plan is None or self.session.library is None:
            return None
        trial = self.plan.trial
        return write_trial_files(
            trial,
            burn_folder(self.session.store.folder, trial),
            speed_unit=self.session.preferences.speed_unit,
        )

    def written(self) -> TrialFiles | None:
        """Keep the trial whose files have been written; the next station is Burn."""
        if self.plan is None:
            return None
        trial = self.plan.trial

        def action() -> None:
            self._keep_clamps(trial)
            self.session.keep_trial(trial, "burn", "burn file written")

        if self.session.attempt(action):
            return trial_files(burn_folder(self.session.store.folder, trial))
        return None

    def write(self) -> TrialFiles | None:
        """Write the files at once and keep the trial (for a caller without a window)."""
        work = self.write_work()
        if work is not None and self.session.attempt(lambda: list(work)):
            return self.written()
        return None

    def _keep_clamps(self, trial: Trial) -> None:
        """Remember where this sheet is clamped."""
        stock = self.session.subject.stock
        if trial.sheet is None or stock is None or trial.sheet.number >= len(stock.sheets):
            return
        x, y = trial.sheet.x_mm, trial.sheet.y_mm
        clamps = tuple((b[0] - x, b[1] - y, b[2] - x, b[3] - y) for b in trial.sheet.clamps_mm)
        if stock.sheets[trial.sheet.number].clamps_mm != clamps:
            sheets = list(stock.sheets)
            sheets[trial.sheet.number] = replace(sheets[trial.sheet.number], clamps_mm=clamps)
            self.session.keep_stock(replace(stock, sheets=tuple(sheets)), "clamps noted")
