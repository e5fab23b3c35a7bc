"""One laser with its source, optics and limits."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from olive_almanac.core.records.ranges import check_choice, check_number, check_text

__all__ = ["SOURCES", "Machine", "PowerMode", "Source"]

Source = Literal["diode", "co2", "fibre"]
SOURCES: dict[str, tuple[str, float]] = {  # word on screen, usual wavelength in nm (common practice)
    "diode": ("diode", 450.0),
    "co2": ("CO₂", 10600.0),
    "fibre": ("fibre", 1064.0),
}


@dataclass(frozen=True)
class PowerMode:
    """A power mode of a head that has several, with its own optical power in W."""

    name: str
    optical_power_w: float

    def __post_init__(self) -> None:
        check_text("Name of the power mode", self.name)
        check_number("Optical power", self.optical_power_w, "W", above=0, high=20000)


@dataclass(frozen=True)
class Machine:
    """A machine as configured now.

    `optical_power_w` is what reaches the work in the mode in use; the electrical input is `rated_power_w`, kept apart
    and never computed with.  `spot_x_mm` and `spot_y_mm` are 1/e2 diameters; `rayleigh_mm` is the height over which
    the spot grows by a factor of sqrt 2.  `power_scale` is the S word of full power in this controller.
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
    notes: str = ""
    extra: dict[str, object] = field(default_factory=dict, hash=False)  # fields of a file that we do not know

    def __post_init__(self) -> None:
        check_text("Name of the machine", self.name, 60)
        check_choice("Source", self.source, SOURCES)
        check_number("Wavelength", self.wavelength_nm, "nm", low=150, high=20000)
        check_number("Optical power", self.optical_power_w, "W", above=0, high=20000)
        check_number("Spot along X", self.spot_x_mm, "mm", low=0.001, high=5)
        check_number("Spot along Y", self.spot_y_mm, "mm", low=0.001, high=5)
        check_number("Rayleigh range", self.rayleigh_mm, "mm", low=0.01, high=200)
        check_number("Highest speed", self.max_speed_mm_s, "mm/s", above=0, high=20000)
        check_number("Acceleration", self.acceleration_mm_s2, "mm/s²", above=0, high=1_000_000)
        for side in self.bed_mm:
            check_number("Bed", side, "mm", low=10, high=10000)
        check_number("Power scale", self.power_scale, low=1, high=100000)
        if self.rated_power_w is not None:
            check_number("Rated power", self.rated_power_w, "W", above=0, high=100000)

    @property
    def spot_longer_mm(self) -> float:
        """The longer 1/e2 diameter: it sets the weaker cutting direction."""
        return max(self.spot_x_mm, self.spot_y_mm)

    @property
    def label(self) -> str:
        """Name with optical power, as the subject line shows it."""
        return f"{self.name} {self.optical_power_w:g} W"
