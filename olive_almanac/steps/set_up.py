"""Set up: add or change a machine and a stock, few fields, each with a default and half a line of
help.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from datetime import datetime, time
from pathlib import Path
from typing import TYPE_CHECKING, Any, Protocol, cast

from olive_almanac.core.dates import day_text
from olive_almanac.core.errors import AlmanacError, OutOfRange, field_key
from olive_almanac.core.materials.names import opacity_named
from olive_almanac.core.records.entry import state_of
from olive_almanac.core.records.machine import SOURCES, Machine, PowerMode, Source, with_new_state
from olive_almanac.core.records.setting import SHORT_TASK_WORDS, TASK_WORDS
from olive_almanac.core.records.stock import OPACITIES, Opacity, Stock
from olive_almanac.core.units import (
    count_text,
    dpi_from_pitch,
    number_text,
    read_large_number,
    read_length_mm,
    read_lengths_mm,
    read_number,
    read_speed_mm_s,
    speed_in,
    split_list,
)
from olive_almanac.core.upkeep.services import CHANGED
from olive_almanac.core.words import tr
from olive_almanac.steps.cautions import safety_lines
from olive_almanac.steps.commands import Change
from olive_almanac.steps.files import below, write_file
from olive_almanac.steps.permission import families, group_of
from olive_almanac.steps.session import Session
from olive_almanac.steps.upkeep import new_act

if TYPE_CHECKING:
    from olive_almanac.core.beam.caustic import CausticFit

__all__ = [
    "Field",
    "SetUpPresenter",
    "controller_fields",
    "machine_fields",
    "machine_from",
    "power_fields",
    "stock_fields",
    "stock_from",
]


@dataclass(frozen=True)
class Field:
    """One field of a form: its key, the words before it, its text, the unit, half a line of help,
    and choices if any.
    """

    key: str
    words: str
    text: str
    unit: str = ""
    help: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    beside: str = ""  # short words: the field stands in the line of the one before
    wide: bool = False
    short: bool = False
    is_list: bool = False  # several numbers in one field
    key_change: bool = False  # another choice here renews the other defaults
    caption: str = ""  # what stands over it in the drawing, where that says more than its words
    given: str = ""  # what the text stands for in the program's own unit, where it shows another

    @property
    def lengths(self) -> str:
        """Whether "one" or "several" lengths stand in it, or something else ("")."""
        if self.unit != "mm":
            return ""
        return "several" if self.is_list else "one"


#                    optical W, spot x, spot y, rayleigh, max mm/s, mm/s2, bed w, bed h
_DEFAULTS: dict[str, tuple[float, ...]] = {
    "diode": (10, 0.12, 0.08, 1.7, 300, 3000, 400, 400),
    "co2": (60, 0.2, 0.2, 2.5, 500, 6000, 900, 600),
    "fibre": (20, 0.05, 0.05, 1.2, 2000, 20000, 110, 110),
}


def machine_fields(
    machine: Machine | None, source: str = "diode", speed_unit: str = "mm/s"
) -> tuple[Field, ...]:
    """Return the form of a machine; for a new one the usual values of its source (common practice,
    no source).  Speeds are shown in `speed_unit`.
    """
    if machine:
        source = machine.source
    else:
        source = source
    values = _DEFAULTS[source]
    if machine:
        values = (
            machine.optical_power_w,
            machine.spot_x_mm,
            machine.spot_y_mm,
            machine.rayleigh_mm,
            machine.max_speed_mm_s,
            machine.acceleration_mm_s2,
            *machine.bed_mm,
        )
    watts, spot_x, spot_y, rayleigh, speed, acceleration, bed_w, bed_h = (
        number_text(v, 6) for v in values
    )
    shown_speed = number_text(speed_in(values[4], speed_unit), 6)
    return (
        Field(
            "name",
            tr("Name"),
            machine.name if machine else "",
            help=tr("as you call it in the shop"),
        ),
        Field(
            "source",
            tr("Source"),
            source,
            choices=tuple((key, word) for key, (word, _) in SOURCES.items()),
            key_change=True,
            help=tr("what makes the light"),
            beside=tr("Source"),
        ),
        Field(
            "wavelength_nm",
            tr("Wavelength"),
            number_text(machine.wavelength_nm if machine else SOURCES[source][1], 6),
            "nm",
            tr("printed on the head or in the manual"),
            caption=tr("Light"),
        ),
        Field(
            "optical_power_w",
            tr("Optical power"),
            watts,
            "W",
            tr("at the work, not the electrical input on the box"),
            caption=tr("Power at the work"),
        ),
        Field(
            "rated_power_w",
            tr("Rated power"),
            number_text(machine.rated_power_w) if machine and machine.rated_power_w else "",
            "W",
            tr("the number on the box, kept apart; may stay empty"),
            caption=tr("On the box"),
        ),
        Field(
            "spot_x_mm",
            tr("Spot along X"),
            spot_x,
            "mm",
            tr("1/e² diameter; a diode’s is often longer one way"),
            caption=tr("Spot along X and Y"),
        ),
        Field("spot_y_mm", tr("Spot along Y"), spot_y, "mm", beside="Y"),
        Field(
            "rayleigh_mm",
            tr("Half the depth of focus"),
            rayleigh,
            "mm",
            tr("the Rayleigh range: the height at which the spot has grown by 1.4"),
            caption=tr("1.4 times as wide at ±"),
        ),
        Field(
            "max_speed_mm_s",
            tr("Highest speed"),
            shown_speed,
            speed_unit,
            tr("nothing faster is ever planned"),
            given=speed,
            caption=tr("Fastest"),
        ),
        Field(
            "acceleration_mm_s2",
            tr("Acceleration"),
            acceleration,
            "mm/s²",
            tr("decides how long short moves take"),
            caption=tr("Takes speed at"),
        ),
        Field(
            "bed_w",
            tr("Bed width"),
            bed_w,
            "mm",
            tr("how far the head reaches"),
            caption=tr("Bed along X and Y"),
        ),
        Field("bed_h", tr("Bed height"), bed_h, "mm", beside=tr("height")),
    )


def power_fields(machine: Machine) -> tuple[Field, ...]:
    """Return the form of a machine's modes, measured power and lens."""
    modes = ", ".join(f"{mode.name} {number_text(mode.optical_power_w)}" for mode in machine.modes)
    in_use = next(
        (mode.name for mode in machine.modes if mode.optical_power_w == machine.optical_power_w), ""
    )
    table = ", ".join(
        f"{number_text(percent)} {number_text(watts)}" for percent, watts in machine.power_table
    )

    def optional(value: float | None) -> str:
        if value is not None:
            return number_text(value, 5)
        return ""

    return (
        Field(
            "modes",
            tr("Power modes"),
            modes,
            "W",
            tr("name and optical watts, with commas: low 5, high 10; may stay empty"),
            wide=True,
        ),
        Field(
            "mode",
            tr("Mode in use"),
            in_use,
            choices=(("", tr("none")), *((mode.name, mode.name) for mode in machine.modes)),
            help=tr("sets the optical power"),
        ),
        Field(
            "power_table",
            tr("Measured power"),
            table,
            "W",
            tr("percent dialled and watts by a meter: 10 0.8, 50 4.7, 100 9.6"),
            wide=True,
        ),
        Field(
            "lens_focal_mm",
            tr("Focal length"),
            optional(machine.lens_focal_mm),
            "mm",
            tr("of the lens; may stay empty"),
        ),
        Field(
            "other_lenses_mm",
            tr("Other lenses"),
            ", ".join(number_text(mm, 5) for mm in machine.other_lenses_mm),
            "mm",
            tr("in the drawer: 50.8, 101.6 mm"),
            is_list=True,
        ),
        Field(
            "beam_at_lens_mm",
            tr("Beam at the lens"),
            optional(machine.beam_at_lens_mm),
            "mm",
            tr("1/e² diameter before it is focused"),
        ),
        Field(
            "m2",
            tr("Beam quality M²"),
            optional(machine.m2),
            "",
            tr("1 is perfect; a bare diode has 5 to 20"),
        ),
        *(_pulse_fields(machine) if machine.source == "fibre" else ()),
    )


def _pulse_fields(machine: Machine) -> tuple[Field, ...]:
    """Return the form of a pulsed source's own pulses."""
    rate, width = (
        "" if value is None else number_text(value, 5)
        for value in (machine.pulse_khz, machine.pulse_ns)
    )
    return (
        Field(
            "pulse_khz",
            tr("Pulse rate"),
            rate,
            "kHz",
            tr("of the source unless a setting says else"),
        ),
        Field(
            "pulse_ns",
            tr("Pulse width"),
            width,
            "ns",
            tr("where the source tells it; may stay empty"),
        ),
    )


def controller_fields(machine: Machine) -> tuple[Field, ...]:
    """Return the form of the controller's dialect."""
    off, low, full = machine.air_words
    return (
        Field(
            "power_scale",
            tr("S at full power"),
            number_text(machine.power_scale, 6),
            "",
            tr("the S word of 100 % in the controller"),
        ),
        Field(
            "file_units",
            tr("Units of the file"),
            machine.file_units,
            choices=(("mm", tr("millimetres")), ("inch", tr("inches"))),
            help=tr("G21 or G20"),
        ),
        Field(
            "focus_by_hand",
            tr("Focus"),
            "hand" if machine.focus_by_hand else "",
            choices=(("", tr("set by the file")), ("hand", tr("set by hand"))),
            help=tr("by hand: one height in each file"),
        ),
        Field(
            "head_clearance_mm",
            tr("Head clearance"),
            number_text(machine.head_clearance_mm),
            "mm",
            short=True,
        ),
        Field(
            "hour_rate",
            tr("Rate"),
            number_text(machine.hour_rate, 5) if machine.hour_rate is not None else "",
            tr("an hour"),
            beside=tr("Rate"),
        ),
        Field(
            "junction_mm",
            tr("Corner rounding"),
            number_text(machine.junction_mm),
            "mm",
            tr("junction deviation of the controller"),
        ),
        Field("air_off", tr("Air off"), off, "", tr("the word that stops the air")),
        Field("air_low", tr("Air low"), low, "", short=True),
        Field("air_full", tr("Air full"), full, "", beside=tr("full")),
        Field(
            "header",
            tr("First lines"),
            "; ".join(machine.header),
            "",
            tr("after the modes, with semicolons"),
            wide=True,
        ),
        Field(
            "footer",
            tr("Last lines"),
            "; ".join(machine.footer),
            "",
            tr("after the beam is off, with semicolons"),
            wide=True,
        ),
    )


def machine_from(
    texts: Mapping[str, str], before: Machine | None, new_id: Callable[[], str]
) -> Machine:
    """Return the machine that a form describes; fields that the form does not hold stay as they
    were.

    Raises OutOfRange naming the first bad field.
    """
    values: dict[str, Any] = {}
    for key, read in _MACHINE_READERS.items():
        if key in texts:
            values[key] = read(texts[key])
    if "bed_w" in texts:
        values["bed_mm"] = (
            read_length_mm(texts["bed_w"], tr("Bed width")),
            read_length_mm(texts["bed_h"], tr("Bed height")),
        )
    if "air_off" in texts:
        values["air_words"] = (
            texts["air_off"].strip(),
            texts["air_low"].strip(),
            texts["air_full"].strip(),
        )
    mode = next((one for one in values.get("modes", ()) if one.name == texts.get("mode")), None)
    if mode is not None:
        values["optical_power_w"] = mode.optical_power_w
    if before:
        return replace(before, **values)
    return Machine(uid=new_id(), **values)


def _optional(read: Callable[[str], float]) -> Callable[[str], float | None]:
    return lambda text: read(text) if text.strip() else None


def _pairs(text: str, field: str) -> list[tuple[str, float]]:
    """Return "low 5, high 10" as names and numbers."""
    pairs = []
    for part in filter(str.strip, split_list(text)):
        name, _, number = part.strip().removesuffix("W").strip().rpartition(" ")
        if not name:
            allowed = tr("two words in each part, with commas between the parts")
            raise OutOfRange(field, f"“{part.strip()}”", allowed)
        pairs.append((name.strip(), read_number(number, field)))
    return pairs


_MACHINE_READERS: dict[str, Callable[[str], Any]] = {
    "name": str.strip,
    "source": lambda text: cast(Source, text),
    "wavelength_nm": lambda text: read_large_number(text, tr("Wavelength"), "nm"),
    "optical_power_w": lambda text: read_number(text, tr("Optical power"), "W"),
    "rated_power_w": _optional(lambda text: read_number(text, tr("Rated power"), "W")),
    "spot_x_mm": lambda text: read_length_mm(text, tr("Spot along X")),
    "spot_y_mm": lambda text: read_length_mm(text, tr("Spot along Y")),
    "rayleigh_mm": lambda text: read_length_mm(text, tr("Half the depth of focus")),
    "max_speed_mm_s": lambda text: read_speed_mm_s(text, tr("Highest speed")),
    "acceleration_mm_s2": lambda text: read_large_number(text, tr("Acceleration"), "mm/s²"),
    "power_scale": lambda text: read_large_number(text, tr("S at full power")),
    "modes": lambda text: tuple(
        PowerMode(name, watts) for name, watts in _pairs(text, tr("Power modes"))
    ),
    "power_table": lambda text: tuple(
        (read_number(percent, tr("Measured power")), watts)
        for percent, watts in _pairs(text, tr("Measured power"))
    ),
    "lens_focal_mm": _optional(lambda text: read_length_mm(text, tr("Focal length"))),
    "other_lenses_mm": lambda text: tuple(read_lengths_mm(text, tr("Other lenses"))),
    "beam_at_lens_mm": _optional(lambda text: read_length_mm(text, tr("Beam at the lens"))),
    "pulse_khz": _optional(lambda text: read_number(text, tr("Pulse rate"), "kHz")),
    "pulse_ns": _optional(lambda text: read_number(text, tr("Pulse width"), "ns")),
    "m2": _optional(lambda text: read_number(text, tr("Beam quality M²"))),
    "file_units": lambda text: text,
    "focus_by_hand": lambda text: text == "hand",
    "head_clearance_mm": lambda text: read_length_mm(text, tr("Head clearance")),
    "junction_mm": lambda text: read_length_mm(text, tr("Corner rounding")),
    "hour_rate": _optional(lambda text: read_large_number(text, tr("Rate"))),
    "header": lambda text: tuple(line.strip() for line in text.split(";") if line.strip()),
    "footer": lambda text: tuple(line.strip() for line in text.split(";") if line.strip()),
}


_KINDS_OF_GROUP: dict[str, tuple[Field, ...]] = {  # what else matters, by the group of the family
    "Wood": (
        Field(
            "glue_line",
            tr("Glue line"),
            "",
            choices=(
                ("", tr("none or not known")),
                ("light", tr("light")),
                ("dark", tr("dark, for outdoors")),
            ),
            help=tr("a thin black line speaks for exterior glue"),
        ),
    ),
    "Plastic": (
        Field(
            "process",
            tr("Made"),
            "",
            choices=(("", tr("not known")), ("cast", tr("cast")), ("extruded", tr("extruded"))),
            help=tr("cast engraves frosted, extruded melts"),
        ),
        Field(
            "mask",
            tr("Mask"),
            "",
            choices=(
                ("", tr("none")),
                ("paper", tr("paper: leave it on")),
                ("film", tr("film: take it off first")),
            ),
            help=tr("film melts into the engraving"),
            beside=tr("Mask"),
        ),
    ),
    "Leather and textile": (
        Field(
            "tanning", tr("Tanning"), "", help=tr("vegetable or chrome; chrome must not be burnt")
        ),
    ),
    "Metal": (Field("coating", tr("Coating"), "", help=tr("what it is, and who says so")),),
}


def stock_fields(stock: Stock | None) -> tuple[Field, ...]:
    """Return the form of a stock, with what else matters for its family."""
    measured = ""
    if stock:
        measured = ", ".join(number_text(mm) for mm in stock.measured_mm)
    if stock:
        further = _KINDS_OF_GROUP.get(group_of(stock), ())
    else:
        further = ()
    return (
        Field(
            "name",
            tr("Name"),
            stock.name if stock else "",
            help=tr("the material, without its thickness"),
        ),
        Field(
            "family",
            tr("Family"),
            stock.family if stock else "plywood",
            choices=tuple((f.id, f.word) for f in families()),
            help=tr("decides what may be burnt"),
        ),
        Field(
            "thickness_mm",
            tr("Thickness"),
            number_text(stock.thickness_mm) if stock else "3",
            "mm",
            tr("as sold; inches work: 1/8 in"),
            caption=tr("Sold as"),
        ),
        Field(
            "measured",
            tr("Measured"),
            measured,
            "mm",
            tr("caliper readings with commas"),
            wide=True,
            is_list=True,
        ),
        Field(
            "lot",
            tr("Lot"),
            stock.lot if stock else "",
            short=True,
            help=tr("settings do not carry over from lot to lot unproved"),
        ),
        Field(
            "price_m2",
            tr("Price"),
            number_text(stock.price_m2, 5) if stock and stock.price_m2 is not None else "",
            tr("a m²"),
            beside=tr("Price"),
            help=tr("in the shop's money, for the cost of a coupon; may stay empty"),
        ),
        Field(
            "colour",
            tr("Colour"),
            stock.colour if stock else "",
            short=True,
            help=tr("matters on a diode"),
        ),
        Field(
            "finish",
            tr("Finish"),
            stock.finish if stock else "",
            beside=tr("Finish"),
            help=tr("may stay empty"),
        ),
        Field(
            "opacity",
            tr("Light goes"),
            stock.opacity if stock else "opaque",
            help=tr("clear stock lets some beams through"),
            choices=tuple(
                zip(
                    OPACITIES,
                    (
                        tr("not through"),
                        tr("a little through"),
                        tr("through (clear)"),
                        tr("back (mirror)"),
                    ),
                    strict=True,
                )
            ),
        ),
        Field(
            "lightness",
            tr("Bare face, L*"),
            number_text(stock.lightness, 4) if stock and stock.lightness is not None else "",
            beside=tr("Face, L*"),
            help=tr("its lightness: the grey card in a photo measures it; may stay empty"),
        ),
        *(replace(one, text=str(getattr(stock, one.key))) for one in further),
    )


def rack_words(stock: Stock) -> str:
    """Return what the key to a stock's rack says: how many sheets stand there."""
    count = len(stock.sheets)
    if not count:
        return tr("Rack: no sheet yet")
    return tr("Rack: {sheets}", sheets=count_text(count, "sheet"))


def stock_from(texts: Mapping[str, str], before: Stock | None, new_id: Callable[[], str]) -> Stock:
    """Return the stock that a form describes; raises OutOfRange naming the first bad field."""
    with field_key("thickness_mm"):
        thickness_mm = read_length_mm(texts["thickness_mm"], tr("Thickness"))
    with field_key("measured"):
        measured_mm = read_lengths_mm(texts["measured"], tr("Measured thickness"))
    with field_key("price_m2"):
        read_price = _optional(lambda text: read_large_number(text, tr("Price")))
        price = read_price(texts.get("price_m2", ""))
    values: dict[str, Any] = {
        "name": texts["name"].strip(),
        "family": texts["family"],
        "thickness_mm": thickness_mm,
        "measured_mm": measured_mm,
        "opacity": cast(Opacity, texts["opacity"]),
        "price_m2": price,
    }
    if "lightness" in texts:
        lightness = _optional(lambda text: read_number(text, tr("Lightness")))
        values["lightness"] = lightness(texts["lightness"])
    for key in ("lot", "colour", "finish", "process", "glue_line", "tanning", "coating", "mask"):
        if key in texts:
            values[key] = texts[key].strip()
    if before:
        return replace(before, **values)
    if values["opacity"] == "opaque":  # nobody chose: what the name says counts
        values["opacity"] = opacity_named(values["name"]) or "opaque"
    return Stock(uid=new_id(), **values)


def focus_test(heights: str, widths: str, wavelength_nm: float) -> CausticFit:
    """Return the caustic through typed line widths at heights, both lists in mm with commas or
    spaces between.
    """
    from olive_almanac.core.beam.caustic import fit_caustic

    def numbers(text: str, field: str) -> list[float]:
        return [
            read_number(part, field, "mm")
            for part in text.replace(";", " ").replace(", ", " ").split()
        ]

    return fit_caustic(
        height_mm=numbers(heights, tr("Height")),
        diameter_mm=numbers(widths, tr("Line width")),
        wavelength_nm=wavelength_nm,
    )


def machine_facts(machine: Machine) -> str:
    """Return what follows from a machine's numbers, in a line."""
    spot = min(machine.spot_x_mm, machine.spot_y_mm)
    facts = tr(
        "Depth of focus {depth_of_focus_mm} mm (spot grown by √2 at its ends). "
        "Finest useful pitch {spot} mm, {spot2:.0f} dpi.",
        depth_of_focus_mm=number_text(machine.depth_of_focus_mm),
        spot=number_text(spot),
        spot2=dpi_from_pitch(spot),
    )
    return f"{facts} {lens_and_since(machine)}".strip()


def lens_and_since(machine: Machine) -> str:
    """Return what the lens makes of the beam, and since when the machine is as it is."""
    told = []
    if machine.lens_focal_mm and machine.beam_at_lens_mm:
        from olive_almanac.core.beam.spot import focused_spot

        by_lens = focused_spot(
            wavelength_nm=machine.wavelength_nm,
            focal_length_mm=machine.lens_focal_mm,
            beam_mm=machine.beam_at_lens_mm,
            m2=machine.m2 or 1.0,
        )
        words = tr("By its lens the spot would be {by_lens} mm.", by_lens=number_text(by_lens))
        told.append(words)
    if machine.state_since:
        since = day_text(machine.state_since)
        told.append(tr("Since {since}: {reason}.", since=since, reason=machine.state_reason))
    return " ".join(told)


WHAT_IT_IS = ("family", "opacity", "process", "tanning")


class ShowsForms(Protocol):
    def show_forms(self) -> None: ...
    def show_bad_field(self, form: str, field: str, problem: str) -> None: ...


class SetUpPresenter:
    """Holds which machine and stock the forms show; saves them as undoable changes."""

    def __init__(self, session: Session, view: ShowsForms) -> None:
        self.session, self._view = session, view
        self.new_machine = session.subject.machine is None
        self.new_stock = session.subject.stock is None
        self.focus_typed: tuple[str, str] | None = None  # heights and widths not taken over yet

    @property
    def machine(self) -> Machine | None:
        if self.new_machine:
            return None
        return self.session.subject.machine

    @property
    def stock(self) -> Stock | None:
        if self.new_stock:
            return None
        return self.session.subject.stock

    def begin_new(self, form: str) -> None:
        if form == "machine":
            self.new_machine = True
        else:
            self.new_stock = True
        self._view.show_forms()

    def leave_new(self, form: str) -> None:
        """Go back from a new form to what was chosen before."""
        if form == "machine":
            self.new_machine = self.session.subject.machine is None
        else:
            self.new_stock = self.session.subject.stock is None
        self._view.show_forms()

    def save_machine(self, texts: Mapping[str, str]) -> bool:
        return self._save_form(
            "machine", lambda: machine_from(texts, self.machine, self.session.new_id), self.machine
        )

    def save_stock(self, texts: Mapping[str, str]) -> bool:
        return self._save_form(
            "stock", lambda: stock_from(texts, self.stock, self.session.new_id), self.stock
        )

    def add_stock(self, texts: Mapping[str, str]) -> bool:
        """Keep what the form says as another stock; the one it was opened for stays as it is."""
        stock = self.stock
        if stock is None:
            return self.save_stock(texts)
        new_id = self.session.new_id
        return self._save_form(
            "stock", lambda: replace(stock_from(texts, stock, new_id), uid=new_id()), None
        )

    def entries_of_another_material(self, texts: Mapping[str, str]) -> tuple[str, ...]:
        """Return the entries of the stock, in words, where the form makes another material of it;
        none where it does not, or cannot be read.
        """
        stock = self.stock
        if stock is None:
            return ()
        try:
            changed = stock_from(texts, stock, self.session.new_id)
        except AlmanacError:
            return ()
        if all(getattr(stock, key) == getattr(changed, key) for key in WHAT_IT_IS):
            return ()
        catalogue = self.session.catalogue
        found = [entry for entry in catalogue.entries if entry.stock_uid == stock.uid]
        return tuple(
            f"{machine.name}, {TASK_WORDS[entry.task]}"
            for entry in found
            if (machine := catalogue.machine(entry.machine_uid)) is not None
        )

    def _save_form(
        self, form: str, read: Callable[[], Machine | Stock], before: Machine | Stock | None
    ) -> bool:
        try:
            record = read()
        except AlmanacError as problem:
            field = ""
            if isinstance(problem, OutOfRange):
                field = problem.key or problem.field
            self._view.show_bad_field(form, field, str(problem))
            return False
        return self._keep(record, before, tr("set up"))

    def _keep(self, record: Machine | Stock, before: Machine | Stock | None, why: str) -> bool:
        """Write a machine or a stock as an undoable change; a new one becomes the subject."""
        session, form = self.session, "machine" if isinstance(record, Machine) else "stock"

        def put(one: Machine | Stock, why: str) -> None:
            if isinstance(one, Machine):
                session.store.save_machine(one, why)
            else:
                session.store.save_stock(one, why)

        def do() -> None:
            put(record, why)
            session.shop.refresh()
            if before is None and form == "machine":
                session.choose(machine=record.uid)
            elif before is None:
                session.choose(stock=record.uid)

        def undo() -> None:
            if before is None:
                session.store.remove(form, record.uid, tr("undone: {why}", why=why))
            else:
                put(before, tr("undone: {why}", why=why))
            session.shop.refresh()

        if not session.attempt(
            lambda: session.undo_stack.push(
                Change(tr("change of {record}", record=record.name), do, undo)
            )
        ):
            return False
        self.new_machine = session.subject.machine is None or (
            self.new_machine and form != "machine"
        )
        self.new_stock = session.subject.stock is None or (self.new_stock and form != "stock")
        self._view.show_forms()
        return True

    # -- what changes a machine --------------------------------------------------------------------

    def entries_made_due(self) -> tuple[str, ...]:
        """Return what would become due again if the machine's state changed now, as
        "stock, task".
        """
        machine, catalogue, told = self.machine, self.session.catalogue, []
        if machine is None:
            return ()
        for entry in catalogue.entries:
            stock = catalogue.stock(entry.stock_uid)
            if entry.machine_uid != machine.uid or stock is None:
                continue
            now, then = (
                state_of(entry, today=self.session.today(), lot=stock.lot, machine_state=state)[0]
                for state in (machine.state, machine.state + 1)
            )
            if (now, then) == ("proven", "due"):
                told.append(f"{stock.label}, {SHORT_TASK_WORDS[entry.task]}")
        return tuple(told)

    def change_state(self, what: str, reason: str) -> bool:
        """Start a new machine state, with today's date and the reason, and note it in the service
        log: proofs under the old state no longer hold.
        """
        machine = self.machine
        if machine is None:
            return False
        session = self.session
        changed = with_new_state(machine, session.today().isoformat(), what, reason)
        kept = self._keep(changed, machine, changed.state_reason)
        if kept and what in CHANGED:
            part, kind = CHANGED[what]
            noon = datetime.combine(session.today(), time(12))
            act = replace(new_act(session, machine, part, kind, noon), note=reason)
            session.attempt(lambda: session.shop.keep_act(act, changed.state_reason))
        return kept

    def take_focus(self, fit: CausticFit) -> bool:
        """Take spot and Rayleigh range of a focus test over into the machine."""
        machine = self.machine
        if machine is None:
            return False
        changed = replace(
            machine,
            spot_x_mm=round(fit.waist_mm, 4),
            spot_y_mm=round(fit.waist_mm, 4),
            rayleigh_mm=round(fit.rayleigh_mm, 3),
        )
        return self._keep(changed, machine, tr("focus test"))

    def write_safety_page(self) -> Path | None:
        """Write the safety page of machine and stock as PDF below the library and return where it
        lies.
        """
        machine, stock = self.session.subject.machine, self.session.subject.stock
        if machine is None or stock is None:
            return None
        written: list[Path] = []

        def action() -> None:
            from olive_almanac.formats.pdf import write_safety

            path = below(
                self.session.store.folder / "cards", f"safety-{machine.uid}-{stock.uid}.pdf"
            )
            write_file(path, write_safety(machine, stock, safety_lines(self.session)))
            written.append(path)

        if self.session.attempt(action):
            return written[0]
        return None
