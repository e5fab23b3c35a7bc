"""Set up at the machine: how the piece is prepared, then seven lines in a fixed order, each with
its numbers filled in, ticked and kept with the trial.

Each line has a tool that does its arithmetic from what the operator reads off gauges.
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import TYPE_CHECKING, Protocol

from olive_almanac.core.errors import AlmanacError, OutOfRange
from olive_almanac.core.lengths import SHOWN_UNITS
from olive_almanac.core.records.anchors import ANCHOR_WORDS
from olive_almanac.core.records.entry import Room
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import SheetOnBed
from olive_almanac.core.safety.eyes import EDITION, eyewear_od
from olive_almanac.core.safety.fume import air_changes_per_hour, clearance_minutes, duct_flow_m3_h
from olive_almanac.core.squaring.frame import Frame, FrameCheck, check_frame, place_frame
from olive_almanac.core.squaring.head import head_height, mirror_offset, mirror_tilt_deg
from olive_almanac.core.squaring.skew import Skew, skew_of_edge
from olive_almanac.core.units import (
    capital,
    duration_text,
    length_text,
    lengths_text,
    number_text,
    read_length_mm,
    read_number,
    sides_text,
    split_list,
)
from olive_almanac.core.words import tr
from olive_almanac.steps.preparing import PreparingLine, preparing_lines
from olive_almanac.steps.session import Session
from olive_almanac.steps.trials import Ticks

if TYPE_CHECKING:
    from olive_almanac.core.squaring.level import Level

__all__ = [
    "CHECKS",
    "Check",
    "Checklist",
    "ToolField",
    "ToolResult",
    "checks_of",
    "standing",
    "unticked",
    "unticked_needed",
]

Box = tuple[float, float, float, float]
LEAST_HEIGHTS = 3  # three tell a plane
LEVEL_RULE_MM = 1.0  # most spread over a piece (common practice)
SQUARE_RULE_MM = 0.5  # most run-out of an edge over its length (common practice)
EXPOSURES = (("0.25", tr("a blink, 0.25 s")), ("10", "10 s"), ("100", tr("100 s and more")))


@dataclass(frozen=True)
class ToolField:
    """One field of a tool: its key, the words before it, what stands in it at first, its unit, and
    choices if any.
    """

    key: str
    words: str
    text: str
    unit: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    is_list: bool = False  # several numbers in one field

    @property
    def lengths(self) -> str:
        """Whether "one" or "several" lengths stand in it, or something else ("")."""
        if self.unit.partition(" ")[0] not in SHOWN_UNITS:
            return ""
        return "several" if self.is_list else "one"


@dataclass(frozen=True)
class ToolResult:
    """What a tool says: the main line, more lines, whether it is good to go, and what to draw."""

    main: str
    lines: tuple[str, ...] = ()
    good: bool = True
    drawing: DrawnFocus | DrawnLevel | DrawnFrame | Skew | None = None
    only_warns: bool = False  # not good, and still no reason against a tick


@dataclass(frozen=True)
class Check:
    """One line of the checklist: key, words, and the functions that fill in its number and run its
    tool.
    """

    key: str
    words: str
    number: Callable[[Session], str]
    fields: Callable[[Session], tuple[ToolField, ...]]
    work: Callable[[Session, Mapping[str, str]], ToolResult]
    remarks: tuple[str, ...] = ()
    of_the_trial: bool = False  # its number is the trial's: it comes after the plan
    needed: bool = False  # a step of the recipe without which the burn is spoilt


@dataclass(frozen=True)
class DrawnFocus:
    """Head, gap and stock seen from the side, mm; `focus_mm` below the top face."""

    gap_mm: float
    mask_mm: float
    focus_mm: float
    thickness_mm: float
    rayleigh_mm: float


@dataclass(frozen=True)
class DrawnLevel:
    """The piece from above with the heights that are typed, by the key of their place."""

    level: Level | None
    heights_mm: Mapping[str, float]
    size_mm: tuple[float, float]


@dataclass(frozen=True)
class DrawnFrame:
    """The frame of the drawing on the bed, with the clamps that are typed and the sheet below."""

    frame: Frame
    bed_mm: tuple[float, float]
    clamps_mm: tuple[Box, ...]
    stock: Stock | None
    sheet: SheetOnBed | None


# -- focus -----------------------------------------------------------------------------------------


def _wanted_focus(session: Session) -> float:
    if session.active is not None:
        return session.active.trial.cells[0].setting.focus_mm
    if session.entry:
        return session.entry.setting.focus_mm
    return 0.0


def _focus_number(session: Session) -> str:
    focus = _wanted_focus(session)
    if focus == 0:
        where = tr("on the top face")
    else:
        where = tr(
            "{focus} mm {side} the top face",
            focus=number_text(abs(focus)),
            side=tr("below") if focus > 0 else tr("above"),
        )
    machine = session.subject.machine
    if machine:
        return tr(
            "{where}, depth of focus {depth_mm} mm",
            where=where,
            depth_mm=number_text(machine.depth_of_focus_mm),
        )
    return where


def _focus_fields(session: Session) -> tuple[ToolField, ...]:
    return (
        ToolField("gauge", tr("The gauge is"), "7", tr("mm high")),
        ToolField("mask", tr("A mask under it is"), "0", tr("mm thick")),
        ToolField(
            "focus",
            tr("Focus wanted"),
            number_text(_wanted_focus(session)),
            tr("mm below the face"),
        ),
        ToolField("opening", tr("Lens opening"), "18", "mm"),
        ToolField("beam", tr("Beam at the lens"), "6", "mm"),
        ToolField("distance", tr("Working distance"), "50", "mm"),
        ToolField("part", tr("A tall part is"), "", tr("mm high")),
        ToolField("room", tr("Head to lowest bed"), "", "mm"),
    )


def _tall_part(texts: Mapping[str, str], gap_mm: float) -> tuple[str, bool]:
    """What is said of a tall part under the head, and whether it fits; nothing while its height or
    the room is not typed.
    """
    if not (texts["part"].strip() and texts["room"].strip()):
        return "", True
    part = read_length_mm(texts["part"], tr("Height of the part"))
    left = read_length_mm(texts["room"], tr("Room under the head")) - part - gap_mm
    if left < 0:
        by = number_text(-left)
        return tr(
            "The part stands {by} mm too high: take out the bed's grid, or lay it flat.", by=by
        ), False
    if left == 0:
        return tr("The part fits with the bed at its lowest."), True
    by = number_text(left)
    return tr(
        "The part fits: raise the bed by {by} mm, or stand it on blocks so high.", by=by
    ), True


def _focus_work(session: Session, texts: Mapping[str, str]) -> ToolResult:
    gap = head_height(
        gauge_mm=read_length_mm(texts["gauge"], tr("Gauge")),
        mask_mm=read_length_mm(texts["mask"], tr("Mask")),
        focus_below_face_mm=read_number(texts["focus"], tr("Focus"), "mm"),
    )
    lens = {
        "lens_opening_mm": read_length_mm(texts["opening"], tr("Lens opening")),
        "beam_at_lens_mm": read_length_mm(texts["beam"], tr("Beam at the lens")),
    }
    offset = mirror_offset(**lens)
    tilt = mirror_tilt_deg(
        working_distance_mm=read_length_mm(texts["distance"], tr("Working distance")), **lens
    )
    told, fits = _tall_part(texts, gap)
    return ToolResult(
        told if not fits else tr("Set the gap under the head to {gap} mm.", gap=number_text(gap)),
        (
            *((told,) if told and fits else ()),
            tr(
                "Shiny face: under a scan head lay it {offset} mm or more off the axis; "
                "under a gantry tilt it {tilt}°. Focus on scrap of the same thickness.",
                offset=number_text(offset),
                tilt=number_text(tilt, 2),
            ),
        ),
        fits,
        drawing=DrawnFocus(
            gap,
            read_length_mm(texts["mask"], tr("Mask")),
            read_number(texts["focus"], tr("Focus"), "mm"),
            session.subject.stock.true_thickness_mm if session.subject.stock else 3.0,
            session.subject.machine.rayleigh_mm if session.subject.machine else 1.0,
        ),
    )


# -- square ----------------------------------------------------------------------------------------


def _square_fields(session: Session) -> tuple[ToolField, ...]:
    return (
        ToolField("x1", tr("Near point X"), "", "mm"),
        ToolField("y1", tr("Near point Y"), "", "mm"),
        ToolField("x2", tr("Far point X"), "", "mm"),
        ToolField("y2", tr("Far point Y"), "", "mm"),
    )


def _square_work(session: Session, texts: Mapping[str, str]) -> ToolResult:
    if not any(text.strip() for text in texts.values()):
        return ToolResult(
            tr("Not measured."),
            (tr("Touch the edge at two places and type where, or look along it."),),
        )
    at = {
        key: read_number(texts[key], words, "mm")
        for key, words in (
            ("x1", tr("Near point X")),
            ("y1", tr("Near point Y")),
            ("x2", tr("Far point X")),
            ("y2", tr("Far point Y")),
        )
    }
    skew: Skew = skew_of_edge((at["x1"], at["y1"]), (at["x2"], at["y2"]))
    if not skew.turn:
        return ToolResult(tr("The edge is square."), drawing=skew)
    return ToolResult(
        tr(
            "Turn it {turn}: move the far end {move_mm} mm.",
            turn=skew.turn,
            move_mm=number_text(skew.move_mm),
        ),
        (
            tr(
                "Or turn the drawing by {angle_deg}°. Over {length_mm} mm the edge runs out "
                "by {move_mm} mm; up to {square_rule_mm} mm is common practice.",
                angle_deg=number_text(skew.angle_deg, 3),
                length_mm=number_text(skew.length_mm),
                move_mm=number_text(skew.move_mm),
                square_rule_mm=number_text(SQUARE_RULE_MM),
            ),
        ),
        skew.move_mm <= SQUARE_RULE_MM,
        skew,
    )


# -- level -----------------------------------------------------------------------------------------

POINTS = (
    ("ll", tr("Lower left"), (0.0, 0.0)),
    ("lr", tr("Lower right"), (1.0, 0.0)),
    ("ur", tr("Upper right"), (1.0, 1.0)),
    ("ul", tr("Upper left"), (0.0, 1.0)),
    ("c", tr("Centre"), (0.5, 0.5)),
    ("lm", tr("Lower middle"), (0.5, 0.0)),
    ("rm", tr("Right middle"), (1.0, 0.5)),
    ("um", tr("Upper middle"), (0.5, 1.0)),
    ("mm", tr("Left middle"), (0.0, 0.5)),
)
CORNER_WORDS = (tr("lower left"), tr("lower right"), tr("upper right"), tr("upper left"))


def _level_fields(session: Session) -> tuple[ToolField, ...]:
    width, height = _drawing_size(session)
    return (
        ToolField("w", tr("Piece"), number_text(max(width, 100.0), 4), tr("mm wide")),
        ToolField("h", tr("and"), number_text(max(height, 80.0), 4), tr("mm high")),
        *(ToolField(key, words, "", "mm") for key, words, _ in POINTS),
    )


def _level_work(session: Session, texts: Mapping[str, str]) -> ToolResult:
    from olive_almanac.core.squaring.level import fit_level

    width, height = (
        read_length_mm(texts["w"], tr("Width of the piece")),
        read_length_mm(texts["h"], tr("Height of the piece")),
    )
    heights: dict[str, float] = {}
    try:
        for key, words, _ in POINTS:
            if texts[key].strip():
                heights[key] = read_number(texts[key], words, "mm")
    except OutOfRange as problem:
        drawing = DrawnLevel(None, heights, (width, height))
        return ToolResult(str(problem), good=False, drawing=drawing)
    if len(heights) < LEAST_HEIGHTS:
        return ToolResult(
            tr("Not measured.")
            if not heights
            else tr("{least_heights} more to tell.", least_heights=LEAST_HEIGHTS - len(heights)),
            (tr("Click a place and type its height, the corners first, or lay a rule over it."),),
            drawing=DrawnLevel(None, heights, (width, height)),
            good=not heights,
        )
    places = {key: (u * width, v * height) for key, _, (u, v) in POINTS}
    try:
        level = fit_level([places[key] for key in heights], list(heights.values()))
    except OutOfRange as problem:  # all on one line
        drawing = DrawnLevel(None, heights, (width, height))
        return ToolResult(str(problem), good=False, drawing=drawing)
    machine = session.subject.machine
    rayleigh = 1.0
    if machine:
        rayleigh = machine.rayleigh_mm
    good = level.spread_mm <= min(LEVEL_RULE_MM, 2 * rayleigh)
    lowest = max(range(4), key=lambda n: level.shims_mm[n])
    told = {
        "level": tr("The piece is level."),
        "tilted": (
            tr(
                "Shim the {corner_words} corner by {shims_mm} mm.",
                corner_words=CORNER_WORDS[lowest],
                shims_mm=number_text(level.shims_mm[lowest], 2),
            )
        ),
        "bowed": (
            tr(
                "The middle lies {bow_mm} mm {side} the corners: hold it down, shims do not help.",
                bow_mm=number_text(abs(level.bow_mm), 2),
                side=tr("above") if level.bow_mm > 0 else tr("below"),
            )
        ),
        "twisted": (
            tr(
                "The piece is twisted by {twist_mm} mm: clamp it flat, shims do not help.",
                twist_mm=number_text(abs(level.twist_mm), 2),
            )
        ),
    }[level.shape]
    lines = [
        tr(
            "Spread {spread_mm} mm; the shop allows {level_rule_mm} mm, the depth of "
            "focus {rayleigh} mm. Tilt {tilt_x_mm_m} mm/m along X, {tilt_y_mm_m} mm/m "
            "along Y.",
            spread_mm=number_text(level.spread_mm, 2),
            level_rule_mm=number_text(LEVEL_RULE_MM),
            rayleigh=number_text(2 * rayleigh),
            tilt_x_mm_m=number_text(level.tilt_x_mm_m, 2),
            tilt_y_mm_m=number_text(level.tilt_y_mm_m, 2),
        )
    ]
    if good and level.shape != "level":
        lines[0] += tr(" Within both: it may stay as it is.")
    if level.shape == "level":
        lines.append(
            tr(
                "If one side still cuts worse, suspect the beam’s alignment, not the level: "
                "a bed "
                "map (Plan) tells which."
            )
        )
    return ToolResult(told, tuple(lines), good, DrawnLevel(level, heights, (width, height)))


# -- frame -----------------------------------------------------------------------------------------


def _drawing_size(session: Session) -> tuple[float, float]:
    active = session.active
    if active:
        return (active.trial.coupon.width_mm, active.trial.coupon.height_mm)
    return (100.0, 70.0)


def _frame_number(session: Session) -> str:
    machine, (width, height) = session.subject.machine, _drawing_size(session)
    bed = ""
    if machine:
        bed = tr(" on a bed of {lengths} mm", lengths=lengths_text(*machine.bed_mm))
    return f"{sides_text(width, height)}{bed}"


def _frame_fields(session: Session) -> tuple[ToolField, ...]:
    width, height = _drawing_size(session)
    place = None
    if session.active:
        place = session.active.trial.on_sheet
    if place:
        x, y = (place.x_mm, place.y_mm)
    else:
        x, y = (10.0, 10.0)
    return (
        ToolField("w", tr("Drawing"), number_text(width, 4), tr("mm wide")),
        ToolField("h", tr("and"), number_text(height, 4), tr("mm high")),
        ToolField("origin", tr("Its origin"), "lower left", choices=tuple(ANCHOR_WORDS.items())),
        ToolField("x", tr("lies at X"), number_text(x, 4), "mm"),
        ToolField("y", "Y", number_text(y, 4), "mm"),
        ToolField("clamp", tr("Clamps"), _known_clamps(session), "mm", is_list=True),
        ToolField("clear", tr("Keep clear by"), "6", "mm"),
    )


def _frame_work(session: Session, texts: Mapping[str, str]) -> ToolResult:
    machine = session.subject.machine
    if machine is None:
        return ToolResult(tr("Choose a machine first."), good=False)
    frame = place_frame(
        read_length_mm(texts["w"], tr("Width of the drawing")),
        read_length_mm(texts["h"], tr("Height of the drawing")),
        origin=texts["origin"],
        at_mm=(read_number(texts["x"], "X", "mm"), read_number(texts["y"], "Y", "mm")),
    )
    clamps = _clamps(texts["clamp"])
    check: FrameCheck = check_frame(
        frame,
        bed_mm=machine.bed_mm,
        clamps_mm=clamps,
        clearance_mm=read_length_mm(texts["clear"], tr("Clearance")),
    )
    stock, below = session.subject.stock, _sheet_below(session)
    drawing = DrawnFrame(frame, machine.bed_mm, clamps, stock, below)
    if check.fits:
        return ToolResult(tr("The frame fits and is clear."), drawing=drawing)
    move = check.move_mm
    if move is None:
        help_line = tr("No move helps: turn it, move the clamp, or make it smaller.")
    else:
        parts = [
            f"{length_text(abs(mm))} {way}"
            for mm, way in (
                (move[0], tr("right") if move[0] > 0 else tr("left")),
                (move[1], tr("up") if move[1] > 0 else tr("down")),
            )
            if abs(mm) > 1e-6
        ]
        help_line = tr("Move it ") + tr(" and ").join(parts) + "."
    return ToolResult(
        help_line, tuple(f"{capital(problem)}." for problem in check.problems), False, drawing
    )


def _sheet_below(session: Session) -> SheetOnBed | None:
    """The sheet of the rack under the trial that is to be burnt."""
    active, stock = session.trials.to_burn, session.subject.stock
    if active is None or stock is None or active.trial.sheet is None:
        return None
    if active.trial.sheet.number >= len(stock.sheets):
        return None
    return active.trial.sheet


def _known_clamps(session: Session) -> str:
    """The clamps of the sheet under the trial as they are typed, mm of the bed."""
    sheet, stock = _sheet_below(session), session.subject.stock
    if sheet is None or stock is None:
        return ""
    on_bed = stock.sheets[sheet.number].clamps_at(sheet.x_mm, sheet.y_mm)
    return "; ".join(", ".join(number_text(side, 4) for side in box) for box in on_bed)


def _clamps(text: str) -> tuple[tuple[float, float, float, float], ...]:
    clamps = []
    for part in filter(str.strip, text.split(";")):
        numbers = [read_number(number, tr("Clamp"), "mm") for number in split_list(part)]
        if len(numbers) != 4:
            raise OutOfRange(
                tr("Clamp"),
                f"“{part.strip()}”",
                tr("four numbers: from X, Y to X, Y; more clamps behind a semicolon"),
            )
        x0, y0, x1, y1 = numbers
        clamps.append((min(x0, x1), min(y0, y1), max(x0, x1), max(y0, y1)))
    return tuple(clamps)


# -- exhaust, look round, stay ---------------------------------------------------------------------


def _exhaust_fields(session: Session) -> tuple[ToolField, ...]:
    return (
        ToolField("duct", tr("Duct"), "100", tr("mm wide")),
        ToolField("speed", tr("Air in it moves at"), "10", "m/s"),
        ToolField("room", tr("The room holds"), "60", "m³"),
        ToolField("celsius", tr("Its air is at"), _or_empty(session.trials.room.celsius), "°C"),
        ToolField(
            "humidity_percent",
            tr("and holds"),
            _or_empty(session.trials.room.humidity_percent),
            tr("% humidity"),
        ),
    )


def _or_empty(number: float | None) -> str:
    if number is None:
        return ""
    return number_text(number)


def _room_typed(texts: Mapping[str, str]) -> Room:
    """The air of the room as typed; an empty field is not known.  Raises OutOfRange."""
    celsius, humidity = texts["celsius"].strip(), texts["humidity_percent"].strip()
    return Room(
        read_number(celsius, tr("Temperature of the room"), "°C") if celsius else None,
        read_number(humidity, tr("Humidity of the room"), "%") if humidity else None,
    )


def _exhaust_work(session: Session, texts: Mapping[str, str]) -> ToolResult:
    flow = duct_flow_m3_h(
        duct_mm=read_length_mm(texts["duct"], tr("Duct")),
        air_speed_m_s=read_number(texts["speed"], tr("Air speed"), "m/s"),
    )
    room_m3 = read_number(texts["room"], tr("Room"), "m³")
    changes = air_changes_per_hour(flow_m3_h=flow, room_m3=room_m3)
    minutes = clearance_minutes(air_changes_h=changes)
    _room_typed(texts)  # a slip is told while it is typed
    return ToolResult(
        (
            tr(
                "Wait {minutes} min before you open the room: 99 % of the fume is gone then.",
                minutes=number_text(max(1.0, minutes), 2),
            )
        ),
        (
            tr(
                "{flow} m³/h, {changes} air changes an hour. Exhaust outdoors or through a "
                "filter made for it.",
                flow=number_text(flow),
                changes=number_text(changes, 2),
            ),
        ),
    )


def _exhaust_number(session: Session) -> str:
    from olive_almanac.steps.permission import family_entry

    entry = None
    if session.subject.stock:
        entry = family_entry(session.subject.stock)
    if entry:
        return tr("gives off {fume}", fume=entry.gives_off.split(":")[0].split(" (")[0])
    return tr("on, and outdoors")


def _look_number(session: Session) -> str:
    machine = session.subject.machine
    if machine is None:
        return tr("eyewear, extinguisher, clean bed")
    nm = machine.wavelength_nm
    density = eyewear_od(power_w=machine.optical_power_w, wavelength_nm=nm, seconds=10)
    if density is None:
        return tr("eyewear for {nm:.0f} nm, its OD from the manual", nm=nm)
    return tr("eyewear OD {density:.1f} or more at {nm:.0f} nm", density=density, nm=nm)


def _look_fields(session: Session) -> tuple[ToolField, ...]:
    return (ToolField("seconds", tr("Somebody could look into it for"), "10", choices=EXPOSURES),)


def _look_work(session: Session, texts: Mapping[str, str]) -> ToolResult:
    machine = session.subject.machine
    if machine is None:
        return ToolResult(tr("Choose a machine first."), good=False)
    nm = machine.wavelength_nm
    density = eyewear_od(
        power_w=machine.optical_power_w, wavelength_nm=nm, seconds=float(texts["seconds"])
    )
    if density is None:
        return ToolResult(
            (
                tr(
                    "Eyewear marked for {nm:.0f} nm; no formula here covers it: take its OD from "
                    "the machine’s manual.",
                    nm=nm,
                )
            ),
            good=False,
            only_warns=True,
        )
    return ToolResult(
        tr(
            "Eyewear marked for {nm:.0f} nm with an optical density of at least {density:.1f}.",
            nm=nm,
            density=density,
        ),
        (
            (
                tr(
                    "For {optical_power_w} W inside the eye’s aperture, {edition}. An aid: ask a "
                    "laser safety officer.",
                    optical_power_w=number_text(machine.optical_power_w),
                    edition=EDITION,
                )
            ),
            (
                tr(
                    "Extinguisher at hand. Bed and trays clean. Nothing "
                    "shiny beside the work. Door "
                    "shut, everybody in goggles."
                )
            ),
        ),
    )


def _stay_number(session: Session) -> str:
    if session.active:
        return tr("{seconds} of burning", seconds=duration_text(session.active.trial.seconds))
    return tr("as long as it burns")


def _stay_work(session: Session, texts: Mapping[str, str]) -> ToolResult:
    return ToolResult(
        tr("Stay within reach from the first spark to the last."),
        (
            (
                tr(
                    "A flare: pause, lift the lid only when it is out. "
                    "Smoke that lingers in the beam "
                    "costs power."
                )
            ),
        ),
    )


def _nothing(session: Session) -> tuple[ToolField, ...]:
    return ()


CHECKS: tuple[Check, ...] = (
    Check(
        "focus",
        tr("Focus"),
        _focus_number,
        _focus_fields,
        _focus_work,
        (
            tr("The probe must stand on the piece, not off its edge."),
            tr("A ring or lip under the piece lifts it: focus where it will burn."),
        ),
        of_the_trial=True,
    ),
    Check(
        "square",
        tr("Square"),
        lambda s: tr("edge within {square_rule_mm} mm", square_rule_mm=number_text(SQUARE_RULE_MM)),
        _square_fields,
        _square_work,
        (tr("Touch the same edge at two places far apart."),),
    ),
    Check(
        "level",
        tr("Level"),
        lambda s: tr(
            "within {level_rule_mm} mm over the piece", level_rule_mm=number_text(LEVEL_RULE_MM)
        ),
        _level_fields,
        _level_work,
        (tr("Higher numbers are higher places. Leave a field empty where you did not read."),),
    ),
    Check(
        "frame",
        tr("File, origin and frame"),
        _frame_number,
        _frame_fields,
        _frame_work,
        (tr("Let the machine trace the frame with the beam off."),),
        of_the_trial=True,
    ),
    Check("exhaust", tr("Window and exhaust"), _exhaust_number, _exhaust_fields, _exhaust_work),
    Check("look", tr("Look round"), _look_number, _look_fields, _look_work),
    Check("stay", tr("Start and stay"), _stay_number, _nothing, _stay_work, of_the_trial=True),
)


def checks_of(session: Session) -> tuple[Check, ...]:
    """Return the lines for what is to be burnt: the steps of its recipe, then the seven."""
    active = session.trials.to_burn
    if active is None:
        return CHECKS
    return (*(_preparing(line) for line in preparing_lines(active.trial.recipes)), *CHECKS)


def _preparing(line: PreparingLine) -> Check:
    told = (f"{capital(line.reason)}.",) if line.reason else ()
    result = ToolResult(f"{capital(line.detail)}.", told)
    detail = line.detail + tr("; needed") if line.needed else line.detail
    fields = _hold_fields(line.height_mm) if line.holds else ()

    def work(session: Session, texts: Mapping[str, str]) -> ToolResult:
        if fields and texts["height"].strip():
            return _held(session, texts, result)
        return result

    return Check(
        line.key,
        line.words,
        lambda _: detail,
        lambda _: fields,
        work,
        of_the_trial=True,
        needed=line.needed,
    )


def _hold_fields(height_mm: float | None) -> tuple[ToolField, ...]:
    height = "" if height_mm is None else number_text(height_mm)
    return (
        ToolField("height", tr("It stands"), height, tr("mm above the face")),
        ToolField("gap", tr("Gap under the head"), "7", "mm"),
    )


def _held(session: Session, texts: Mapping[str, str], said: ToolResult) -> ToolResult:
    """What is said of a magnet, pin or weight: whether the head goes over it."""
    height = read_length_mm(texts["height"], tr("Height of what holds it"))
    gap = read_length_mm(texts["gap"], tr("Gap under the head"))
    room = gap - height
    if room > 0:
        clear = tr("The head goes over it, {room} mm clear.", room=number_text(room))
        return ToolResult(said.main, (clear, *said.lines))
    machine = session.subject.machine
    keep = machine.head_clearance_mm if machine else 0.0
    high = (
        tr("{room} mm too high", room=number_text(-room))
        if room < 0
        else tr("just as high as the head")
    )
    catch = tr("The head would catch it: {high}. ", high=high)
    catch += tr(
        "Lay it {keep} mm or more from every burn and move, or take a lower one.",
        keep=number_text(keep),
    )
    return ToolResult(catch, (said.main, *said.lines), good=False, only_warns=True)


def _ticked_for(session: Session, check: Check) -> str:
    """What a tick of a line stands for: its number, on this machine as it is, of this trial."""
    parts = [check.number(session)]
    machine, active = session.subject.machine, session.trials.to_burn
    if machine is not None:
        parts.append(f"{machine.uid} {machine.state}")
    if check.of_the_trial and active is not None:
        parts.append(active.trial.id)
    return "; ".join(parts)


def standing(session: Session) -> dict[str, str]:
    """Return the ticks that stand, and when each was given: a tick is void once its number or its
    trial is another one.
    """
    ticks = session.trials.ticks
    return {
        check.key: ticks.at[check.key]
        for check in checks_of(session)
        if check.key in ticks.at and ticks.numbers.get(check.key) == _ticked_for(session, check)
    }


def unticked(session: Session) -> tuple[str, ...]:
    """Return the words of the lines that are not ticked yet."""
    ticks = standing(session)
    return tuple(check.words for check in checks_of(session) if check.key not in ticks)


def unticked_needed(session: Session) -> tuple[str, ...]:
    """Return the steps of the recipe that the burn does not go without and that are not ticked."""
    ticks = standing(session)
    return tuple(
        check.number(session).removesuffix(tr("; needed"))
        for check in checks_of(session)
        if check.needed and check.key not in ticks
    )


class ShowsChecklist(Protocol):
    def show_checklist(self) -> None: ...


@dataclass
class Checklist:
    """The line in hand, what its tool's fields hold, and the ticks."""

    session: Session
    view: ShowsChecklist
    now: Callable[[], datetime]
    at: int = -1  # none yet: the first line that can be ticked
    texts: dict[str, dict[str, str]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if self.at < 0:
            self.resume()

    def resume(self) -> None:
        """Take the first open line in hand."""
        self.at = 0
        self._go_on()

    @property
    def checks(self) -> tuple[Check, ...]:
        return checks_of(self.session)

    @property
    def check(self) -> Check:
        checks = self.checks
        return checks[min(self.at, len(checks) - 1)]

    def number(self, check: Check) -> str:
        """Return the number of a line, or why it has none yet."""
        if self.comes_later(check):
            return tr("comes with the trial: plan it first")
        return check.number(self.session)

    def comes_later(self, check: Check) -> bool:
        """Whether a line hangs on a trial that is not planned yet."""
        return check.of_the_trial and self.session.trials.to_burn is None

    def fields(self) -> tuple[ToolField, ...]:
        """The fields of the line in hand, with what was typed before."""
        kept = self.texts.get(self.check.key, {})
        return tuple(
            replace(one, text=kept.get(one.key, one.text))
            for one in self.check.fields(self.session)
        )

    def result(self) -> ToolResult:
        texts = {one.key: one.text for one in self.fields()}
        try:
            return self.check.work(self.session, texts)
        except AlmanacError as problem:
            return ToolResult(str(problem), good=False)

    def type(self, key: str, text: str) -> ToolResult:
        self.texts.setdefault(self.check.key, {})[key] = text
        result = self.result()
        if key == "clamp":
            self._keep_clamps(text)
        if key in ("celsius", "humidity_percent"):
            self._keep_room()
        return result

    def _keep_room(self) -> None:
        """Note the air of the room with the trial as soon as it is a number; until then the strip
        of the tool tells.
        """
        texts = {one.key: one.text for one in self.fields()}
        with contextlib.suppress(OutOfRange):
            room = _room_typed(texts)
            self.session.attempt(lambda: self.session.trials.keep_room(room))

    def _keep_clamps(self, text: str) -> None:
        """A clamp that is seen at the machine is the sheet's own, for every plan on it."""
        sheet, stock = _sheet_below(self.session), self.session.subject.stock
        if sheet is None or stock is None:
            return
        with contextlib.suppress(OutOfRange):
            on_bed = _clamps(text)
            x, y = sheet.x_mm, sheet.y_mm
            clamps = tuple((a - x, b - y, c - x, d - y) for a, b, c, d in on_bed)
            sheets = list(stock.sheets)
            sheets[sheet.number] = replace(sheets[sheet.number], clamps_mm=clamps)
            changed = replace(stock, sheets=tuple(sheets))
            self.session.attempt(lambda: self.session.shop.keep_stock(changed, tr("clamps noted")))

    def choose(self, at: int) -> None:
        if 0 <= at < len(self.checks):
            self.at = at
            self.view.show_checklist()

    def tick(self) -> None:
        """Tick the line in hand, or take its tick away; a tick goes on to the next line that is
        open.  Refused while the tool objects, and before the trial that the line hangs on.
        """
        key, at = self.check.key, standing(self.session)
        if key in at:
            del at[key]
        elif self.comes_later(self.check):
            self.session.tell(
                tr("{check} comes with the trial: plan it first.", check=self.check.words)
            )
            return
        elif not (self.result().good or self.result().only_warns):
            self.session.tell(
                tr("{check} is not ticked: {main}", check=self.check.words, main=self.result().main)
            )
            return
        else:
            at[key] = self.now().isoformat(timespec="seconds")
        by_key = {check.key: check for check in self.checks}
        numbers = {one: _ticked_for(self.session, by_key[one]) for one in at}
        kept = self.session.attempt(lambda: self.session.trials.keep_ticks(Ticks(at, numbers)))
        if kept and key in at:
            self._go_on()
        self.view.show_checklist()

    def _go_on(self) -> None:
        """Take the next open line in hand, from the present one on."""
        checks, left = self.checks, {one.key for one in self.open}
        here = min(max(self.at, 0), len(checks) - 1)
        order = [*range(here, len(checks)), *range(here)]
        open_lines = [n for n in order if checks[n].key in left]
        self.at = open_lines[0] if open_lines else here

    @property
    def open(self) -> list[Check]:
        """The lines that can be ticked now and are not."""
        ticks = standing(self.session)
        return [one for one in self.checks if one.key not in ticks and not self.comes_later(one)]

    @property
    def left(self) -> int:
        """How many lines are still to be ticked now."""
        return len(self.open)
