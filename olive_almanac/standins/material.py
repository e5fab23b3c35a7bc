"""What a stock really does under the beam, for the stand-in bench: hidden parameters, unknown to the program's models.

Shares no equation with core.burn, core.fitting or core.deciding (tests/rules holds this): the slot is dug in small
bites of volume here, while the fit integrates fluence.  The figures are invented and calibrated only to trade facts
(common practice, no source).
"""

from __future__ import annotations

import hashlib
import math
from dataclasses import dataclass, replace

import numpy as np

from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Stock

__all__ = ["Hidden", "dug_depth", "heat_of_edge", "hidden_of", "kerf_of", "lightness_of"]

BITES = 24  # steps in which the energy of one pass is spent


@dataclass(frozen=True)
class Hidden:
    """Hidden truth of one machine with one lot: energies in J, lengths in mm."""

    digs_j_mm3: float
    starts_j_mm2: float
    sideways_mm_s: float
    clog: float  # share of what is left that char takes in each pass
    shade: float  # how much the walls shade the bottom
    scorch_j_mm: float
    bare_l: float
    burnt_l: float
    soft_j_mm2: float
    hard_j_mm2: float
    over_j_mm2: float
    over_l: float
    grip: float  # how far past its thickness a cut must dig to fall free
    takes_up: float  # share of the beam that heats the stock
    dead_zone: float
    focus_slip_mm: float
    spot_scale: float
    cell_spread: float


#               digs  starts side clog  shade scorch bare burnt soft  hard  over over_l grip
_KINDS: dict[str, tuple[float, ...]] = {
    "wood": (2.5, 1.8, 0.5, 0.050, 0.10, 1.9, 80, 24, 0.40, 0.80, 4.0, 9, 0.05),
    "dense": (3.5, 2.4, 1.0, 0.080, 0.12, 2.0, 68, 26, 0.45, 0.95, 4.0, 8, 0.05),
    "cork": (1.5, 1.6, 1.2, 0.050, 0.08, 1.0, 60, 22, 0.18, 0.35, 1.6, 8, 0.06),
    "paper": (0.7, 0.6, 1.0, 0.030, 0.08, 0.5, 72, 30, 0.14, 0.28, 0.9, 12, 0.05),
    "acrylic": (2.0, 1.2, 1.3, 0.012, 0.07, 3.4, 22, 78, 0.35, 0.70, 4.5, -6, 0.07),
    "melting": (2.1, 1.2, 2.2, 0.020, 0.07, 2.6, 70, 40, 0.40, 0.80, 3.0, 6, 0.10),
    "foam": (0.3, 0.4, 1.8, 0.050, 0.05, 0.4, 55, 30, 0.12, 0.30, 0.9, 5, 0.06),
    "hide": (2.2, 1.7, 1.0, 0.070, 0.12, 1.5, 58, 20, 0.22, 0.50, 1.6, 8, 0.05),
    "textile": (0.9, 0.9, 1.3, 0.040, 0.06, 0.6, 62, 30, 0.16, 0.34, 1.0, 8, 0.05),
    "mineral": (40.0, 9.0, 3.0, 0.100, 0.20, 8.0, 34, 66, 0.50, 1.20, 5.0, -8, 0.05),
    "metal": (60.0, 20.0, 9.0, 0.100, 0.20, 9.0, 30, 80, 0.60, 1.10, 6.0, -9, 0.05),
}
_KIND_OF = {
    "plywood": "wood",
    "softwood": "wood",
    "bamboo": "wood",
    "veneer": "wood",
    "hardwood": "dense",
    "mdf": "dense",
    "hdf": "dense",
    "cork": "cork",
    "card": "paper",
    "paper": "paper",
    "board": "paper",
    "acrylic": "acrylic",
    "pp": "melting",
    "pe": "melting",
    "petg": "melting",
    "abs": "melting",
    "pc": "melting",
    "nylon": "melting",
    "pom": "melting",
    "silicone": "melting",
    "foam_eva": "foam",
    "leather": "hide",
    "rubber": "hide",
    "felt": "textile",
    "cotton": "textile",
    "denim": "textile",
    "wool": "textile",
    "polyester": "textile",
}
_METALS = {"aluminium", "anodised", "stainless", "steel", "coated_metal", "brass", "copper", "titanium", "gold", "silver"}


def hidden_of(machine: Machine, stock: Stock, seed: int) -> Hidden:
    """Return the truth of a machine with a lot of stock; the same names and seed give the same truth."""
    kind = "metal" if stock.family in _METALS else _KIND_OF.get(stock.family, "mineral")
    draw = np.random.default_rng([seed, *hashlib.sha256(f"{machine.name}|{stock.name}|{stock.lot}".encode()).digest()[:8]])

    def spread(sd: float) -> float:
        return float(np.exp(sd * draw.standard_normal()))

    row = _KINDS[kind]
    takes_up = {"diode": 0.88, "co2": 0.92, "fibre": 0.75}[machine.source]
    if machine.source == "diode" and stock.colour in ("white", "light"):
        takes_up *= 0.7
    return Hidden(
        row[0] * spread(0.12), row[1] * spread(0.15), row[2] * spread(0.2), row[3] * spread(0.2), row[4] * spread(0.2),
        row[5] * spread(0.12), row[6] + 2 * draw.standard_normal(), row[7] + 2 * draw.standard_normal(),
        row[8] * spread(0.15), row[9] * spread(0.15), row[10], row[11], row[12] * spread(0.2),
        takes_up * spread(0.05), float(draw.uniform(0.0, 0.05)), float(0.12 * draw.standard_normal()), spread(0.06), 0.05,
    )  # fmt: skip


def with_cell_luck(hidden: Hidden, rng: np.random.Generator) -> Hidden:
    """Return the truth under one cell: grain and glue make each patch a little different."""
    luck = float(np.exp(hidden.cell_spread * rng.standard_normal()))
    return replace(hidden, digs_j_mm3=hidden.digs_j_mm3 * luck, soft_j_mm2=hidden.soft_j_mm2 * luck**0.5)


def heat_sent(hidden: Hidden, machine: Machine, setting: Setting, speed_mm_s: float) -> float:
    """Heat per length that the stock takes up in one pass, J/mm: a dead zone, a slight bend, and loss when slow."""
    dialled = max(0.0, setting.power - hidden.dead_zone) / (1 - hidden.dead_zone)
    watts = machine.optical_power_w * hidden.takes_up * dialled**1.04
    return float(watts / speed_mm_s / (1 + (hidden.sideways_mm_s / speed_mm_s) ** 0.7))


def slot_width(hidden: Hidden, machine: Machine, focus_mm: float, depth_mm: float, direction: str = "xy") -> float:
    """Width of the beam at a depth, mm: two straight cones joined by a rounded waist.

    Across a line along X the spot's Y side counts, and the other way round; a closed shape is as weak as its weaker side.
    """
    across = {"x": machine.spot_y_mm, "y": machine.spot_x_mm}.get(direction, machine.spot_longer_mm)
    waist = across * hidden.spot_scale
    slope = waist / machine.rayleigh_mm
    return (
        waist * 0.9 + 0.1 * waist + max(0.0, abs(depth_mm - focus_mm - hidden.focus_slip_mm) - 0.35 * machine.rayleigh_mm) * slope
    )


def dug_depth(hidden: Hidden, machine: Machine, setting: Setting, speed_mm_s: float) -> float:
    """Depth in mm that all passes together would dig in endlessly thick stock, bite by bite."""
    depth, clean = 0.0, 1.0
    air_helps = {"off": 1.4, "low": 1.0, "full": 0.8}[setting.air]
    heat = heat_sent(hidden, machine, setting, speed_mm_s)
    for number in range(setting.passes):
        focus = setting.focus_mm + number * setting.focus_step_mm
        for _ in range(BITES):
            width = slot_width(hidden, machine, focus, depth, setting.direction)
            flux = clean * heat / width
            if flux <= hidden.starts_j_mm2:
                break
            shaded = 1 / (1 + hidden.shade * (depth / (10 * width)) ** 1.5)
            depth += clean * heat / BITES * shaded * (1 - hidden.starts_j_mm2 / flux) / (hidden.digs_j_mm3 * width)
        clean *= 1 - hidden.clog * air_helps
    return depth


def kerf_of(hidden: Hidden, machine: Machine, setting: Setting, speed_mm_s: float) -> float:
    """Width of the slot at the top, mm: the beam and what the heat beside it takes away."""
    heat = heat_sent(hidden, machine, setting, speed_mm_s)
    return slot_width(hidden, machine, setting.focus_mm, 0.0, setting.direction) * (
        0.8 + 0.25 * math.log1p(heat / hidden.scorch_j_mm)
    )


def heat_of_edge(hidden: Hidden, machine: Machine, setting: Setting, speed_mm_s: float) -> float:
    """How hot the edge gets, 1 being where it starts to brown; slow passes count more than many quick ones."""
    air_cools = {"off": 1.35, "low": 1.0, "full": 0.88}[setting.air]
    return float(air_cools * heat_sent(hidden, machine, setting, speed_mm_s) * setting.passes**0.35 / hidden.scorch_j_mm)


def lightness_of(hidden: Hidden, machine: Machine, setting: Setting, speed_mm_s: float) -> float:
    """L* of a raster: a soft and a hard part that saturate in turn, then over-burn."""
    dialled = max(0.0, setting.power - hidden.dead_zone) / (1 - hidden.dead_zone)
    ways = 2 if setting.crosshatch else 1
    dose = ways * setting.passes * machine.optical_power_w * hidden.takes_up * dialled**1.06 / (speed_mm_s * setting.pitch_mm)
    soft = 1 - math.exp(-((dose / hidden.soft_j_mm2) ** 1.3))
    hard = dose**2 / (dose**2 + hidden.hard_j_mm2**2)
    over = dose**3 / (dose**3 + hidden.over_j_mm2**3)
    tone = hidden.bare_l + (hidden.burnt_l - hidden.bare_l) * (0.45 * soft + 0.55 * hard) + hidden.over_l * over
    return float(min(98.0, max(3.0, tone)))
