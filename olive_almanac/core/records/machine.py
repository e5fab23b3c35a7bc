"""One laser with its source, optics and limits."""

from __future__ import annotations

import itertools
from dataclasses import dataclass, field, replace
from typing import Literal

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.hour import HourCosts
from olive_almanac.core.records.ranges import check_choice, check_day, check_number, check_text
from olive_almanac.core.words import tr

__all__ = ["SOURCES", "Machine", "PowerMode", "Source", "with_new_state"]

Source = Literal["diode", "co2", "fibre"]
FileUnits = Literal["mm", "inch"]
SOURCES: dict[
    str, tuple[str, float]
] = {  # word on screen, usual wavelength in nm (common practice)
    "diode": (tr("diode"), 450.0),
    "co2": (tr("CO₂"), 10600.0),
    "fibre": (tr("fibre"), 1064.0),
}


@dataclass(frozen=True)
class PowerMode:
    """A power mode of a head that has several, with its own optical power in W."""

    name: str
    optical_power_w: float

    def __post_init__(self) -> None:
        check_text(tr("Name of the power mode"), self.name)
        check_number(tr("Optical power"), self.optical_power_w, "W", above=0, high=20000)


@dataclass(frozen=True)
class Machine:
    """A machine as configured now.

    `optical_power_w` is what reaches the work in the mode in use; the electrical input is
    `rated_power_w`, kept apart and never computed with.  `spot_x_mm` and `spot_y_mm` are 1/e2
    diameters; `rayleigh_mm` is the height over which the spot grows by a factor of sqrt 2.
    `power_scale` is the S word of full power in this controller; `pulse_khz` and `pulse_ns` are
    what a pulsed source burns at unless a setting says otherwise.
    """

    name: str
    source: Source
    wavelength_nm: float
    optical_power_w: float
    spot_x_mm: float
    spot_y_mm: float
    rayleigh_mm: float
    max_speed_mm_s: float
    acceleration_mm_s2: float
    bed_mm: tuple[float, float]
    power_scale: float = 1000.0
    rated_power_w: float | None = None
    modes: tuple[PowerMode, ...] = ()
    uid: str = ""
    state: int = 1  # counts up with each change of lens, air, tube, alignment
    state_since: str = ""  # ISO date of the last such change
    state_reason: str = ""
    lens_focal_mm: float | None = None
    other_lenses_mm: tuple[float, ...] = field(
        default=(), metadata={"written": "if set"}
    )  # focal lengths of the lenses that lie in the drawer
    beam_at_lens_mm: float | None = None
    m2: float | None = None
    pulse_khz: float | None = field(default=None, metadata={"written": "if set"})
    pulse_ns: float | None = field(default=None, metadata={"written": "if set"})
    power_table: tuple[
        tuple[float, float], ...
    ] = ()  # power as dialled in percent, watts by a meter; rising
    file_units: FileUnits = "mm"
    air_words: tuple[str, str, str] = ("M9", "M7", "M8")  # controller words for air off, low, full
    header: tuple[str, ...] = ()  # lines of the controller's dialect at the start and end of a file
    footer: tuple[str, ...] = ()
    junction_mm: float = (
        0.01  # how far the path may miss a corner when it is rounded at speed (junction deviation)
    )
    focus_speed_mm_s: float = 10.0  # of the head moving up and down
    focus_by_hand: bool = field(
        default=False, metadata={"written": "if set"}
    )  # no file moves the head up and down: one focus in each
    head_clearance_mm: float = (
        10.0  # how far the beam must stay from a clamp so that the head misses it
    )
    hour_rate: float | None = None  # cost of an hour of running, in the shop's money
    costs: HourCosts | None = field(default=None, metadata={"written": "if set"})
    notes: str = ""
    extra: dict[str, object] = field(
        default_factory=dict, hash=False
    )  # fields of a file that we do not know

    def __post_init__(self) -> None:
        check_text(tr("Name of the machine"), self.name, 60)
        check_choice(tr("Source"), self.source, SOURCES)
        check_day(tr("Begin of the machine state"), self.state_since, empty=True)
        check_number(tr("Wavelength"), self.wavelength_nm, "nm", low=150, high=20000)
        check_number(tr("Optical power"), self.optical_power_w, "W", above=0, high=20000)
        check_number(tr("Spot along X"), self.spot_x_mm, "mm", low=0.001, high=5)
        check_number(tr("Spot along Y"), self.spot_y_mm, "mm", low=0.001, high=5)
        check_number(tr("Half the depth of focus"), self.rayleigh_mm, "mm", low=0.01, high=200)
        check_number(tr("Highest speed"), self.max_speed_mm_s, "mm/s", above=0, high=20000)
        check_number(tr("Acceleration"), self.acceleration_mm_s2, "mm/s²", above=0, high=1_000_000)
        for side in self.bed_mm:
            check_number(tr("Bed"), side, "mm", low=10, high=10000)
        check_number(tr("Power scale"), self.power_scale, low=1, high=100000)
        check_choice(tr("Units of the file"), self.file_units, ("mm", "inch"))
        for name, value in (
            (tr("Focal length"), self.lens_focal_mm),
            (tr("Beam at the lens"), self.beam_at_lens_mm),
            *((tr("Other lenses"), focal) for focal in self.other_lenses_mm),
        ):
            if value is not None:
                check_number(name, value, "mm", above=0, high=2000)
        if self.other_lenses_mm and self.lens_focal_mm is None:
            raise OutOfRange(tr("Focal length"), "empty", tr("set where there are other lenses"))
        if self.m2 is not None:
            check_number("M²", self.m2, low=1, high=100)
        if self.pulse_khz is not None:
            check_number(tr("Pulse rate"), self.pulse_khz, "kHz", above=0, high=10000)
        if self.pulse_ns is not None:
            check_number(tr("Pulse width"), self.pulse_ns, "ns", above=0, high=10000)
        for percent, watts in self.power_table:
            check_number(tr("Power of the meter table"), percent, "%", low=0, high=100)
            check_number(tr("Measured power"), watts, "W", low=0, high=20000)
        if any(b <= a for (a, _), (b, _) in itertools.pairwise(self.power_table)):
            raise OutOfRange(
                tr("Power of the meter table"), tr("out of order"), tr("rising from line to line")
            )
        check_number(tr("Corner rounding"), self.junction_mm, "mm", low=0.0001, high=1)
        check_number(tr("Speed of the focus"), self.focus_speed_mm_s, "mm/s", above=0, high=1000)
        check_number(tr("Head clearance"), self.head_clearance_mm, "mm", low=0, high=200)
        if self.hour_rate is not None:
            check_number(tr("Rate"), self.hour_rate, tr("per hour"), low=0, high=1e5)
        if self.rated_power_w is not None:
            check_number(tr("Rated power"), self.rated_power_w, "W", above=0, high=100000)

    @property
    def rate(self) -> float | None:
        """What an hour of running costs: as the shop has set it, else reckoned from its parts."""
        if self.hour_rate is not None:
            return self.hour_rate
        return self.costs.an_hour if self.costs is not None else None

    @property
    def spot_longer_mm(self) -> float:
        """The longer 1/e2 diameter: it sets the weaker cutting direction."""
        return max(self.spot_x_mm, self.spot_y_mm)

    @property
    def power_curve(self) -> tuple[tuple[float, ...], tuple[float, ...]]:
        """Dialled fractions and the watts they give, both rising: the meter's table made monotone,
        or a straight line.
        """
        if not self.power_table:
            return (0.0, 1.0), (0.0, self.optical_power_w)
        fractions, watts, most = [0.0], [0.0], 0.0
        for percent, measured in self.power_table:
            most = max(most, measured)  # a meter's noise must not make more power give less
            if percent > 0:
                fractions.append(percent / 100)
                watts.append(most)
        if fractions[-1] < 1.0:
            watts.append(watts[-1] / fractions[-1])  # straight on from the last reading
            fractions.append(1.0)
        return tuple(fractions), tuple(watts)

    def watts(self, fraction: float) -> float:
        """Return the power at the work for a dialled fraction, W: by the meter's table where there
        is one.
        """
        return _interpolate(fraction, *self.power_curve)

    def fraction_for(self, watts: float) -> float:
        """Return the dialled fraction that gives this power, above 1 where the machine cannot."""
        fractions, powers = self.power_curve
        if watts >= powers[-1]:
            return watts / powers[-1]
        return _interpolate(watts, powers, fractions)

    @property
    def depth_of_focus_mm(self) -> float:
        """Height over which the spot stays within sqrt 2 of its narrowest: two Rayleigh ranges."""
        return 2 * self.rayleigh_mm

    @property
    def label(self) -> str:
        """Name with optical power, as the subject line shows it; once where the name ends in it."""
        power = f"{self.optical_power_w:g} W"
        if self.name.endswith(power):
            return self.name
        return f"{self.name} {power}"


def _interpolate(x: float, xs: tuple[float, ...], ys: tuple[float, ...]) -> float:
    """Straight lines between points; beyond the last, straight on from the origin."""
    for (x0, x1), (y0, y1) in zip(itertools.pairwise(xs), itertools.pairwise(ys), strict=True):
        if x <= x1:
            if x1 == x0:
                return y0
            return y0 + (y1 - y0) * (x - x0) / (x1 - x0)
    return ys[-1] * x / xs[-1]


def with_new_state(machine: Machine, on: str, what: str, reason: str) -> Machine:
    """Return a machine in a new state from a day (ISO date) on: what was changed, and why."""
    return replace(
        machine,
        state=machine.state + 1,
        state_since=on,
        state_reason=f"{what}: {reason}" if reason else what,
    )
