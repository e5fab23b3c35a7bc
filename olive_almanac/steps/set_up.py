"""Set up: add or change a machine and a stock, few fields, each with a default and half a line of help."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any, Protocol, cast

from olive_almanac.core.errors import AlmanacError, OutOfRange
from olive_almanac.core.records.machine import SOURCES, Machine, Source
from olive_almanac.core.records.stock import OPACITIES, Opacity, Stock
from olive_almanac.core.units import number_text, read_length_mm, read_number, read_speed_mm_s
from olive_almanac.steps.commands import Change
from olive_almanac.steps.permission import families
from olive_almanac.steps.session import Session

__all__ = ["Field", "SetUpPresenter", "machine_fields", "machine_from", "stock_fields", "stock_from"]


@dataclass(frozen=True)
class Field:
    """One field of a form: its key, the words before it, its text, the unit, half a line of help, and choices if any."""

    key: str
    words: str
    text: str
    unit: str = ""
    help: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    key_change: bool = False  # another choice here renews the other defaults


#                    optical W, spot x, spot y, rayleigh, max mm/s, mm/s2, bed w, bed h, S
_DEFAULTS: dict[str, tuple[float, ...]] = {
    "diode": (10, 0.12, 0.08, 1.7, 300, 3000, 400, 400, 1000),
    "co2": (60, 0.2, 0.2, 2.5, 500, 6000, 900, 600, 1000),
    "fibre": (20, 0.05, 0.05, 1.2, 2000, 20000, 110, 110, 1000),
}


def machine_fields(machine: Machine | None, source: str = "diode") -> tuple[Field, ...]:
    """Return the form of a machine; for a new one the usual values of its source (common practice, no source)."""
    source = machine.source if machine else source
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
            machine.power_scale,
        )
    watts, spot_x, spot_y, rayleigh, speed, acceleration, bed_w, bed_h, scale = (number_text(v, 6) for v in values)
    return (
        Field("name", "Name", machine.name if machine else "", help="as you call it in the shop"),
        Field(
            "source",
            "Source",
            source,
            choices=tuple((key, word) for key, (word, _) in SOURCES.items()),
            key_change=True,
            help="what makes the light",
        ),
        Field(
            "wavelength_nm",
            "Wavelength",
            number_text(machine.wavelength_nm if machine else SOURCES[source][1], 6),
            "nm",
            "printed on the head or in the manual",
        ),
        Field("optical_power_w", "Optical power", watts, "W", "at the work, not the electrical input on the box"),
        Field(
            "rated_power_w",
            "Rated power",
            number_text(machine.rated_power_w) if machine and machine.rated_power_w else "",
            "W",
            "the number on the box, kept apart; may stay empty",
        ),
        Field("spot_x_mm", "Spot along X", spot_x, "mm", "1/e² diameter in focus; a diode’s is often longer one way"),
        Field("spot_y_mm", "Spot along Y", spot_y, "mm", "the longer side cuts worse"),
        Field("rayleigh_mm", "Rayleigh range", rayleigh, "mm", "height at which the spot has grown by 1.4"),
        Field("max_speed_mm_s", "Highest speed", speed, "mm/s", "nothing faster is ever planned"),
        Field("acceleration_mm_s2", "Acceleration", acceleration, "mm/s²", "decides how long short moves take"),
        Field("bed_w", "Bed width", bed_w, "mm", "how far the head reaches along X"),
        Field("bed_h", "Bed height", bed_h, "mm", "how far the head reaches along Y"),
        Field("power_scale", "S at full power", scale, "", "the S word of 100 % in the controller"),
    )


def machine_from(texts: Mapping[str, str], before: Machine | None, new_id: Callable[[], str]) -> Machine:
    """Return the machine that a form describes; raises OutOfRange naming the first bad field."""

    def number(key: str, words: str, unit: str = "") -> float:
        return read_number(texts[key], words, unit)

    values: dict[str, Any] = {
        "name": texts["name"].strip(), "source": cast(Source, texts["source"]),
        "wavelength_nm": number("wavelength_nm", "Wavelength", "nm"),
        "optical_power_w": number("optical_power_w", "Optical power", "W"),
        "rated_power_w": number("rated_power_w", "Rated power", "W") if texts["rated_power_w"].strip() else None,
        "spot_x_mm": read_length_mm(texts["spot_x_mm"], "Spot along X"),
        "spot_y_mm": read_length_mm(texts["spot_y_mm"], "Spot along Y"),
        "rayleigh_mm": read_length_mm(texts["rayleigh_mm"], "Rayleigh range"),
        "max_speed_mm_s": read_speed_mm_s(texts["max_speed_mm_s"], "Highest speed"),
        "acceleration_mm_s2": number("acceleration_mm_s2", "Acceleration", "mm/s²"),
        "bed_mm": (read_length_mm(texts["bed_w"], "Bed width"), read_length_mm(texts["bed_h"], "Bed height")),
        "power_scale": number("power_scale", "S at full power"),
    }  # fmt: skip
    return replace(before, **values) if before else Machine(uid=new_id(), **values)


def stock_fields(stock: Stock | None) -> tuple[Field, ...]:
    """Return the form of a stock."""
    measured = ", ".join(number_text(mm) for mm in stock.measured_mm) if stock else ""
    return (
        Field("name", "Name", stock.name if stock else "", help="the material, without its thickness"),
        Field(
            "family",
            "Family",
            stock.family if stock else "plywood",
            choices=tuple((f.id, f.word) for f in families()),
            help="decides what may be burnt and where the first guess starts",
        ),
        Field(
            "thickness_mm", "Thickness", number_text(stock.thickness_mm) if stock else "3", "mm", "as sold; inches work too: 1/8 in"
        ),
        Field("measured", "Measured", measured, "mm", "caliper readings with commas; may stay empty"),
        Field("lot", "Lot", stock.lot if stock else "", help="settings do not carry over from lot to lot unproved"),
        Field("colour", "Colour", stock.colour if stock else "", help="matters on a diode"),
        Field(
            "opacity",
            "Light goes",
            stock.opacity if stock else "opaque",
            help="clear stock lets some beams through",
            choices=tuple(
                zip(OPACITIES, ("not through (opaque)", "a little through", "through (clear)", "back (mirror)"), strict=True)
            ),
        ),
        Field("finish", "Finish", stock.finish if stock else "", help="coating, tanning, mask; may stay empty"),
    )


def stock_from(texts: Mapping[str, str], before: Stock | None, new_id: Callable[[], str]) -> Stock:
    """Return the stock that a form describes; raises OutOfRange naming the first bad field."""
    measured = [part for part in texts["measured"].replace(";", ",").split(",") if part.strip()]
    values: dict[str, Any] = {
        "name": texts["name"].strip(), "family": texts["family"],
        "thickness_mm": read_length_mm(texts["thickness_mm"], "Thickness"),
        "measured_mm": tuple(read_length_mm(part, "Measured thickness") for part in measured),
        "lot": texts["lot"].strip(), "colour": texts["colour"].strip(), "finish": texts["finish"].strip(),
        "opacity": cast(Opacity, texts["opacity"]),
    }  # fmt: skip
    return replace(before, **values) if before else Stock(uid=new_id(), **values)


class ShowsForms(Protocol):
    def show_forms(self) -> None: ...
    def show_bad_field(self, form: str, field: str, problem: str) -> None: ...


class SetUpPresenter:
    """Holds which machine and stock the forms show; saves them as undoable changes."""

    def __init__(self, session: Session, view: ShowsForms) -> None:
        self.session, self._view = session, view
        self.new_machine = session.subject.machine is None
        self.new_stock = session.subject.stock is None

    @property
    def machine(self) -> Machine | None:
        return None if self.new_machine else self.session.subject.machine

    @property
    def stock(self) -> Stock | None:
        return None if self.new_stock else self.session.subject.stock

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
        before = self.machine
        try:
            machine = machine_from(texts, before, self.session.new_id)
        except AlmanacError as problem:
            return self._refuse("machine", problem)
        store = self.session.store
        return self._save(
            "machine",
            machine.uid,
            machine.name,
            before is None,
            lambda: store.save_machine(machine, "set up"),
            None if before is None else lambda: store.save_machine(before, "undone"),
        )

    def save_stock(self, texts: Mapping[str, str]) -> bool:
        before = self.stock
        try:
            stock = stock_from(texts, before, self.session.new_id)
        except AlmanacError as problem:
            return self._refuse("stock", problem)
        store = self.session.store
        return self._save(
            "stock",
            stock.uid,
            stock.name,
            before is None,
            lambda: store.save_stock(stock, "set up"),
            None if before is None else lambda: store.save_stock(before, "undone"),
        )

    def _refuse(self, form: str, problem: AlmanacError) -> bool:
        field = problem.field if isinstance(problem, OutOfRange) else ""
        self._view.show_bad_field(form, field, str(problem))
        return False

    def _save(
        self, form: str, uid: str, name: str, new: bool, save: Callable[[], None], restore: Callable[[], None] | None
    ) -> bool:
        session = self.session

        def do() -> None:
            save()
            session.refresh_shelf()
            if new:
                session.choose(**{form: uid})  # type: ignore[arg-type]

        def undo() -> None:
            if restore is None:
                session.store.remove(form, uid, "undone: set up")
            else:
                restore()
            session.refresh_shelf()

        if not session.attempt(lambda: session.undo_stack.push(Change(f"change of {name}", do, undo))):
            return False
        self.new_machine = session.subject.machine is None or (self.new_machine and form != "machine")
        self.new_stock = session.subject.stock is None or (self.new_stock and form != "stock")
        self._view.show_forms()
        return True
