"""What stocks are made of, for the stand-in bench: hidden parameters, unknown to the program's
models.

Shares no equation with core.burn, core.fitting or core.deciding (tests/rules holds this).  The
figures are invented and calibrated only to trade facts (common practice, no source).
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, replace

import numpy as np

from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.stock import Stock

__all__ = ["MAKEUPS", "Hidden", "Makeup", "hidden_of", "makeup_of"]


@dataclass(frozen=True)
class Makeup:
    """A material as it usually is: energies in J over mm, mm2 or mm3, speeds in mm/s, tones in L*.

    `clog` is the share that char takes from each further pass; `left` the share of an edge's heat
    that is still there at the next pass; `flares` the heat of the edge (1 where it browns) at which
    half the cells flare up; `guides` how much further its walls carry the beam; `smoke` how fast,
    over depth (1/mm), what no air blows out of the slot dims the beam; `grip` how far past its
    thickness a cut must dig to fall free; `welds_below` the speed under which a melting cut closes
    again.
    """

    digs: float
    starts: float
    sideways: float
    clog: float
    shade: float
    scorch: float
    left: float
    flares: float
    grip: float
    welds_below: float
    bare_l: float
    burnt_l: float
    soft: float
    hard: float
    over: float
    over_l: float
    uneven: float
    grain: float  # spread of the bare stock's own tone
    knots: float = 0.0  # share of cells on a knot or glue pocket
    guides: float = 1.0
    smoke: float = 1.0
    cracks: float = 0.0  # areal energy from which the surface cracks, 0: never
    takes: tuple[float, float, float] = (
        0.85,
        0.90,
        0.30,
    )  # share that heats the stock: diode, CO2, fibre
    marks: tuple[float, float, float] = (1.0, 1.0, 1.0)  # how much more it colours than it digs
    hue: tuple[float, float] = (4.0, 18.0)  # a*, b* of the bare stock
    char_hue: tuple[float, float] = (3.0, 6.0)


def _made(base: Makeup, **changes: object) -> Makeup:
    return replace(base, **changes)  # type: ignore[arg-type]


_PLY = Makeup(
    digs=1.55,
    starts=1.0,
    sideways=0.5,
    clog=0.050,
    shade=0.10,
    scorch=1.9,
    left=0.45,
    flares=3.6,
    grip=0.05,
    welds_below=0.0,
    bare_l=80,
    burnt_l=24,
    soft=0.2,
    hard=0.4,
    over=2.4,
    over_l=9,
    uneven=1.2,
    grain=1.6,
    knots=0.015,
    takes=(0.95, 0.90, 0.30),
    smoke=1.5,
)
_ACRYLIC = Makeup(
    digs=2.1,
    starts=1.0,
    sideways=0.6,
    clog=0.012,
    shade=0.07,
    scorch=3.4,
    left=0.35,
    flares=4.6,
    grip=0.07,
    welds_below=2.0,
    bare_l=22,
    burnt_l=78,
    soft=0.16,
    hard=0.33,
    over=2.4,
    over_l=-6,
    uneven=0.9,
    grain=0.3,
    takes=(0.68, 0.95, 0.10),
    hue=(0.0, 0.0),
    char_hue=(0.0, 0.0),
    guides=1.7,
    smoke=0.25,
    marks=(0.6, 1.0, 1.0),
)
_MELTS = Makeup(
    digs=1.85,
    starts=1.0,
    sideways=1.4,
    clog=0.020,
    shade=0.07,
    scorch=2.6,
    left=0.40,
    flares=3.4,
    grip=0.09,
    welds_below=9.0,
    bare_l=70,
    burnt_l=40,
    soft=0.25,
    hard=0.5,
    over=2.2,
    over_l=6,
    uneven=1.6,
    grain=0.4,
    takes=(0.55, 0.92, 0.15),
    hue=(0.0, 3.0),
    char_hue=(2.0, 8.0),
    smoke=0.4,
    marks=(1.2, 1.0, 3.0),
)
_HIDE = Makeup(
    digs=1.3,
    starts=1.0,
    sideways=1.0,
    clog=0.070,
    shade=0.12,
    scorch=1.5,
    left=0.50,
    flares=3.4,
    grip=0.05,
    welds_below=0.0,
    bare_l=58,
    burnt_l=20,
    soft=0.11,
    hard=0.25,
    over=1.0,
    over_l=8,
    uneven=1.8,
    grain=2.0,
    hue=(9.0, 24.0),
    takes=(0.55, 0.90, 0.30),
    smoke=1.0,
    marks=(1.6, 1.0, 1.0),
)
_CLOTH = Makeup(
    digs=0.44,
    starts=0.44,
    sideways=1.3,
    clog=0.040,
    shade=0.06,
    scorch=0.6,
    left=0.40,
    flares=3.2,
    grip=0.05,
    welds_below=0.0,
    bare_l=62,
    burnt_l=30,
    soft=0.075,
    hard=0.16,
    over=0.6,
    over_l=8,
    uneven=2.2,
    grain=2.6,
    hue=(1.0, 8.0),
    smoke=0.5,
)
_PAPER = Makeup(
    digs=0.95,
    starts=0.04,
    sideways=1.0,
    clog=0.030,
    shade=1.2,
    scorch=0.5,
    left=0.40,
    flares=3.0,
    grip=0.05,
    welds_below=0.0,
    bare_l=72,
    burnt_l=30,
    soft=0.075,
    hard=0.15,
    over=0.6,
    over_l=12,
    uneven=1.0,
    grain=0.8,
    hue=(0.0, 4.0),
    takes=(0.7, 0.90, 0.30),
    smoke=0.6,
    marks=(1.3, 1.0, 1.0),
)
_STONE = Makeup(
    digs=40.0,
    starts=9.0,
    sideways=3.0,
    clog=0.100,
    shade=0.20,
    scorch=8.0,
    left=0.30,
    flares=99.0,
    grip=0.05,
    welds_below=0.0,
    bare_l=34,
    burnt_l=66,
    soft=0.50,
    hard=1.20,
    over=5.0,
    over_l=-8,
    uneven=2.4,
    grain=2.0,
    takes=(0.75, 0.90, 0.60),
    hue=(0.0, -1.0),
    char_hue=(0.0, 1.0),
)
_METAL = Makeup(
    digs=60.0,
    starts=20.0,
    sideways=9.0,
    clog=0.100,
    shade=0.20,
    scorch=9.0,
    left=0.20,
    flares=99.0,
    grip=0.05,
    welds_below=0.0,
    bare_l=62,
    burnt_l=30,
    soft=2.2,
    hard=4.5,
    over=16.0,
    over_l=9,
    uneven=1.4,
    grain=0.6,
    takes=(0.20, 0.03, 0.38),
    hue=(0.0, 1.0),
    char_hue=(0.5, 2.0),
    marks=(1.0, 1.0, 7.0),
)
MAKEUPS: dict[str, Makeup] = {
    "plywood": _PLY,
    "softwood": _made(_PLY, digs=1.0, scorch=1.5, knots=0.02, grain=2.6, bare_l=82),
    "hardwood": _made(
        _PLY,
        digs=1.95,
        starts=1.3,
        sideways=0.9,
        clog=0.07,
        bare_l=62,
        burnt_l=22,
        grain=2.2,
        knots=0.0,
        hue=(9.0, 20.0),
        takes=(0.62, 0.90, 0.30),
        soft=0.25,
        hard=0.5,
        marks=(1.45, 1.0, 1.0),
    ),
    "bamboo": _made(
        _PLY,
        digs=1.95,
        scorch=2.1,
        bare_l=75,
        soft=0.19,
        knots=0.0,
        starts=1.2,
        takes=(0.60, 0.90, 0.30),
        marks=(1.5, 1.0, 1.0),
    ),
    "veneer": _made(
        _PLY,
        digs=0.75,
        scorch=1.2,
        knots=0.0,
        soft=0.17,
        starts=0.75,
        takes=(0.55, 0.90, 0.30),
        marks=(1.6, 1.0, 1.0),
    ),
    "mdf": _made(
        _PLY,
        digs=1.75,
        starts=1.1,
        clog=0.08,
        shade=0.12,
        scorch=2.0,
        bare_l=66,
        burnt_l=26,
        grain=0.7,
        knots=0.0,
        takes=(0.50, 0.90, 0.30),
        marks=(1.8, 1.0, 1.0),
    ),
    "hdf": _made(
        _PLY,
        digs=2.0,
        starts=1.25,
        clog=0.09,
        shade=0.12,
        scorch=2.1,
        bare_l=56,
        burnt_l=22,
        grain=0.5,
        knots=0.0,
        takes=(0.50, 0.90, 0.30),
        marks=(1.8, 1.0, 1.0),
    ),
    "cork": _made(
        _PLY,
        digs=0.55,
        starts=0.6,
        sideways=1.2,
        scorch=1.0,
        bare_l=60,
        burnt_l=22,
        soft=0.1,
        hard=0.2,
        over=1.0,
        grip=0.06,
        uneven=3.0,
        grain=4.5,
        knots=0.0,
        hue=(9.0, 26.0),
        takes=(0.46, 0.90, 0.30),
        marks=(1.9, 1.0, 1.0),
    ),
    "card": _PAPER,
    "paper": _made(_PAPER, digs=0.55, starts=0.05, scorch=0.35, bare_l=88, takes=(0.5, 0.90, 0.30)),
    "board": _made(_PAPER, digs=1.0, scorch=0.6, bare_l=68, uneven=1.3, starts=0.3),
    "acrylic": _ACRYLIC,
    "acrylic_extruded": _made(_ACRYLIC, digs=1.7, welds_below=5.0, burnt_l=62, over=2.0, grip=0.09),
    "pp": _MELTS,
    "petg": _made(_MELTS, digs=2.1, welds_below=11.0, bare_l=74),
    "abs": _made(
        _MELTS,
        digs=2.3,
        scorch=1.7,
        clog=0.05,
        flares=2.8,
        takes=(0.75, 0.92, 0.40),
        marks=(1.2, 1.0, 5.0),
    ),
    "pom": _made(_MELTS, digs=2.2, welds_below=5.0, bare_l=84, burnt_l=70, starts=1.4),
    "foam_eva": Makeup(
        digs=0.17,
        starts=0.23,
        sideways=1.8,
        clog=0.050,
        shade=0.05,
        scorch=0.4,
        left=0.40,
        flares=3.0,
        grip=0.06,
        welds_below=3.0,
        bare_l=55,
        burnt_l=30,
        soft=0.08,
        hard=0.2,
        over=0.6,
        over_l=5,
        uneven=2.4,
        grain=1.6,
        hue=(0.0, 2.0),
        takes=(0.55, 0.90, 0.30),
        smoke=0.2,
        marks=(1.6, 1.0, 1.0),
    ),
    "rubber": _made(
        _HIDE,
        digs=4.4,
        starts=2.4,
        scorch=1.8,
        bare_l=45,
        burnt_l=24,
        hue=(6.0, 4.0),
        grain=0.8,
        soft=0.45,
        hard=0.95,
        over=3.0,
    ),
    "leather": _HIDE,
    "felt": _CLOTH,
    "cotton": _made(_CLOTH, digs=0.3, scorch=0.5, bare_l=84, starts=0.3),
    "denim": _made(
        _CLOTH, digs=1.05, bare_l=34, burnt_l=62, over=0.5, over_l=-8, hue=(-1.0, -16.0), starts=0.7
    ),
    "polyester": _made(_CLOTH, digs=0.55, welds_below=7.0, clog=0.02, scorch=1.1),
    "glass": _made(
        _STONE,
        bare_l=30,
        burnt_l=62,
        hard=0.5,
        uneven=3.4,
        grain=0.3,
        cracks=1.2,
        takes=(0.01, 0.84, 0.01),
        soft=0.2,
        over=2.5,
    ),
    "slate": _made(_STONE, bare_l=30, burnt_l=60, soft=0.22, hard=0.6, uneven=1.8),
    "stone": _STONE,
    "ceramic": _made(_STONE, bare_l=86, burnt_l=42, over_l=8, takes=(0.5, 0.85, 0.6)),
    "anodised": _made(
        _METAL,
        digs=80.0,
        bare_l=26,
        burnt_l=82,
        soft=0.35,
        hard=0.9,
        over=4.5,
        over_l=-9,
        uneven=0.8,
        takes=(0.55, 0.75, 0.6),
        marks=(1.0, 1.0, 4.0),
    ),
    "coated_metal": _made(
        _METAL,
        bare_l=24,
        burnt_l=74,
        soft=0.3,
        hard=0.8,
        over=4.0,
        over_l=-10,
        uneven=1.2,
        takes=(0.7, 0.85, 0.55),
        marks=(1.0, 1.0, 4.0),
    ),
    "steel": _METAL,
    "bright_metal": _made(
        _METAL,
        bare_l=76,
        burnt_l=44,
        soft=3.5,
        hard=7.5,
        takes=(0.12, 0.02, 0.08),
        marks=(1.0, 1.0, 35.0),
    ),
}
_LIKE = {
    "plywood_exterior": "plywood",
    "pe": "pp",
    "pc": "abs",
    "nylon": "pom",
    "silicone": "rubber",
    "synthetic_leather": "leather",
    "chrome_leather": "leather",
    "leather_unknown": "leather",
    "wool": "felt",
    "foam_pu": "foam_eva",
    "foam_ps": "foam_eva",
    "mirror": "glass",
    "stainless": "steel",
    "galvanised": "steel",
    "titanium": "steel",
    "aluminium": "bright_metal",
    "brass": "bright_metal",
    "copper": "bright_metal",
    "beryllium_copper": "bright_metal",
    "gold": "bright_metal",
    "silver": "bright_metal",
    "unknown_coating": "coated_metal",
    "pvc": "pp",
    "vinyl": "pp",
    "ptfe": "pom",
    "epoxy_glass": "abs",
    "nitrated": "paper",
    "carbon_fibre": "abs",
    "unknown": "plywood",
}
_SOURCES = ("diode", "co2", "fibre")
CREEPS = {"diode": 2.2, "co2": 0.0, "fibre": 0.0}  # heat lost sideways more than usual, mm/s
# share taken up, unevenness added (L*): what lies on clear stock so that a diode or fibre beam
# marks it
MEDIA = {
    "tape": (0.80, 0.4),
    "paint": (0.82, 1.0),
    "wet paper": (0.55, 8.0),
    "marking": (0.70, 1.4),
    "paste": (0.70, 1.4),
}
ON_METAL = ("marking", "paste")  # what makes bare metal take up a CO2 beam, too


@dataclass(frozen=True)
class Hidden:
    """Hidden truth of one lot on one machine in one state.

    `made` holds this lot's own energies and tones; `slip_mm` is how far the focus along X and along
    Y lies from where it is dialled; `tilt` how many mm the face rises over one mm along X and along
    Y; `lumps` holds the waves of the sheet: amplitude, wave numbers (1/mm) and phase of each.
    """

    kind: str
    made: Makeup
    takes_up: float
    marks: float
    dead_zone: float
    bend: float
    slip_mm: tuple[float, float]
    spot_scale: float
    cell_spread: float
    tube_sag: float
    tube_wait_s: float
    lens_loss: float
    tilt: tuple[float, float]
    lumps: tuple[tuple[float, float, float, float], ...]


def makeup_of(stock: Stock) -> str:
    """Return which material a stock is taken for."""
    if stock.family == "acrylic" and "extruded" in f"{stock.process} {stock.name}".casefold():
        return "acrylic_extruded"
    if stock.family in MAKEUPS:
        return stock.family
    return _LIKE.get(stock.family, "plywood")


def _medium_of(stock: Stock) -> str:
    words = f"{stock.coating} {stock.mask} {stock.finish}".casefold()
    return next((medium for medium in MEDIA if medium in words), "")


def _takes_up(machine: Machine, stock: Stock, makeup: Makeup) -> float:
    share = makeup.takes[_SOURCES.index(machine.source)]
    medium = _medium_of(stock)
    if medium and (machine.source != "co2" or medium in ON_METAL):
        return MEDIA[medium][0]
    if (
        machine.source != "co2"
        and stock.family in ("acrylic", "petg", "pc", "pp")
        and stock.opacity in ("clear", "translucent")
    ):
        if stock.opacity == "clear":
            return 0.01
        return 0.25
    if machine.source == "diode" and "white" in stock.colour.casefold():
        share *= 0.75
    return share


def hidden_of(machine: Machine, stock: Stock, seed: int) -> Hidden:
    """Return the truth of a machine with a lot of stock; the same names, machine state and seed
    give the same truth.
    """
    kind = makeup_of(stock)
    usual = MAKEUPS[kind]
    of_stock = _draws(seed, f"{stock.name}|{stock.lot}")
    of_machine = _draws(seed, f"{machine.name}|{machine.state}")

    def spread(draw: np.random.Generator, sd: float) -> float:
        return float(np.exp(sd * draw.standard_normal()))

    medium = _medium_of(stock)
    rises = medium in ("tape", "paint", "marking") and usual.burnt_l > usual.bare_l
    made = replace(
        usual,
        digs=usual.digs * spread(of_stock, 0.12),
        starts=usual.starts * spread(of_stock, 0.15),
        sideways=(usual.sideways + CREEPS[machine.source]) * spread(of_stock, 0.2),
        clog=usual.clog * spread(of_stock, 0.2),
        shade=usual.shade * spread(of_stock, 0.2),
        scorch=usual.scorch * spread(of_stock, 0.12),
        flares=usual.flares * spread(of_stock, 0.08),
        grip=usual.grip * spread(of_stock, 0.2),
        bare_l=usual.bare_l + 2 * of_stock.standard_normal(),
        burnt_l=usual.burnt_l + 2 * of_stock.standard_normal() - 6 * rises,
        soft=usual.soft * spread(of_stock, 0.15),
        hard=usual.hard * spread(of_stock, 0.15),
        uneven=usual.uneven * spread(of_stock, 0.15)
        + (MEDIA[medium][1] if medium and machine.source != "co2" else 0.0),
    )
    if stock.colour.casefold() in ("black", "dark") and made.burnt_l < made.bare_l:
        made = replace(made, bare_l=min(made.bare_l, 34.0), burnt_l=min(made.burnt_l, 18.0))
    waves = tuple(
        (
            float(0.015 * of_stock.standard_normal()),
            float(of_stock.uniform(-0.03, 0.03)),
            float(of_stock.uniform(-0.03, 0.03)),
            float(of_stock.uniform(0, 6.3)),
        )
        for _ in range(4)
    )
    long_way = machine.rayleigh_mm * 0.08
    return Hidden(
        kind,
        made,
        takes_up=min(0.98, _takes_up(machine, stock, usual) * spread(of_machine, 0.05)),
        marks=usual.marks[_SOURCES.index(machine.source)],
        dead_zone=float(of_machine.uniform(0.0, 0.05))
        if machine.source != "fibre"
        else float(of_machine.uniform(0.0, 0.02)),
        bend=float(of_machine.uniform(1.0, 1.08)),
        slip_mm=(
            float(long_way * of_machine.standard_normal()),
            float(long_way * of_machine.standard_normal()),
        ),
        spot_scale=spread(of_machine, 0.06),
        cell_spread=0.045,
        tube_sag={"diode": 0.012, "co2": 0.035, "fibre": 0.008}[machine.source]
        * spread(of_machine, 0.3),
        tube_wait_s=float(of_machine.uniform(60, 240)),
        lens_loss=float(min(0.09, abs(0.02 * of_machine.standard_normal()))),
        tilt=(
            float(0.0015 * of_machine.standard_normal()),
            float(0.0015 * of_machine.standard_normal()),
        ),
        lumps=waves,
    )


def _draws(seed: int, what: str) -> np.random.Generator:
    return np.random.default_rng([seed, *hashlib.sha256(what.encode()).digest()[:8]])
