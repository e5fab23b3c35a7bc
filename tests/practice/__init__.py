"""What shops do every day, as two tables, and how the belief before any reading, the first grids
and the stand-in stand to them.
"""

from __future__ import annotations

import csv
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from olive_almanac.core.deciding.cut_knowledge import know_cut
from olive_almanac.core.design.suggest import flare_limit_of, suggest_levels
from olive_almanac.core.fitting.cut import data_of, fit_cut
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import Air, Setting
from olive_almanac.core.records.stock import Stock
from olive_almanac.standins.material import hidden_of
from olive_almanac.standins.truth import success

TABLES = Path(__file__).parent
#         wavelength, Rayleigh range of a 0.2 mm spot, highest speed, mm/s2, bed
OPTICS = {
    "diode": (450, 1.7, 300, 3000, (400, 400)),
    "co2": (10600, 2.5, 500, 6000, (900, 600)),
    "fibre": (1064, 1.2, 2000, 20000, (110, 110)),
}


@dataclass(frozen=True)
class Practised:
    """One row of a table: a setting on a stock and what comes of it."""

    machine: Machine
    stock: Stock
    setting: Setting
    outcome: str
    origin: str

    @property
    def name(self) -> str:
        s, m = self.setting, self.machine
        return (
            f"{m.source} {m.optical_power_w:g} W, {self.stock.colour} {self.stock.family} "
            f"{self.stock.thickness_mm:g} mm: {100 * s.power:g} %, {s.speed_mm_s:g} mm/s "
            f"x{s.passes}, air {s.air}: {self.outcome}"
        )

    @property
    def line_energy_j_mm(self) -> float:
        return self.machine.watts(self.setting.power) / self.setting.speed_mm_s


def machine_of(source: str, optical_w: float, spot_mm: float) -> Machine:
    """Return a sound machine of a kind of source as its form proposes it, of that power and
    spot.
    """
    wavelength, rayleigh, speed, acceleration, bed = OPTICS[source]
    if source == "co2":
        rayleigh = round(rayleigh * (spot_mm / 0.2) ** 2, 2)
    return Machine(
        f"{source} {optical_w:g}",
        source,
        wavelength,
        optical_w,
        spot_mm,
        spot_mm,
        rayleigh,
        speed,
        acceleration,
        bed,
    )


def practised_cuts() -> Iterator[Practised]:
    for row in _rows("cut.csv"):
        stock = _stock(row, float(row["thickness_mm"]))
        setting = Setting(
            float(row["power"]),
            float(row["speed_mm_s"]),
            int(row["passes"]),
            min(1.0, stock.thickness_mm / 4),  # at or a little below the face
            air=_air(row["air"]),
        )
        machine = machine_of(row["source"], float(row["optical_w"]), float(row["spot_mm"]))
        yield Practised(machine, stock, setting, row["outcome"], row["origin"])


def practised_tones() -> Iterator[Practised]:
    spots = {"diode": 0.1, "co2": 0.2, "fibre": 0.05}
    for row in _rows("tone.csv"):
        setting = Setting(
            float(row["power"]),
            float(row["speed_mm_s"]),
            pitch_mm=float(row["pitch_mm"]),
            crosshatch=row["crosshatch"] == "1",
            direction="x",
        )
        machine = machine_of(row["source"], float(row["optical_w"]), spots[row["source"]])
        stock = replace(_stock(row, 3.0), coating=row["medium"])
        yield Practised(machine, stock, setting, row["outcome"], row["origin"])


def _air(text: str) -> Air:
    if text == "off":
        return "off"
    return "full"


def _stock(row: dict[str, str], thickness_mm: float) -> Stock:
    return Stock(
        f"{row['colour']} {row['family']}",
        row["family"],
        thickness_mm,
        colour=row["colour"],
        opacity=row["opacity"],
    )


def _rows(name: str) -> Iterator[dict[str, str]]:
    with (TABLES / name).open(encoding="utf-8", newline="") as file:
        yield from csv.DictReader(line for line in file if not line.startswith("#"))


@dataclass(frozen=True)
class CutBelief:
    """What is believed of one practised cut before any reading.

    `edge` is the speed of even chance over the practised one; `room` how far below the flare limit
    it lies, as a ratio of line energies; `brackets` whether the first grid goes around its energy.
    """

    row: Practised
    chance: float
    edge: float
    room: float
    brackets: bool
    grid_passes: int


def belief_of(row: Practised) -> CutBelief:
    """Return what is believed of a cut, by its family, its source, its thickness and colour."""
    machine, stock, s = row.machine, row.stock, row.setting
    told = foretell(row)
    most = flare_limit_of(stock).most_j_mm(machine.watts(s.power), s.passes)
    grid = suggest_levels(machine, stock, "cut").choices
    passes = grid.passes[0]
    watts = [machine.watts(p) for p in grid.power]
    low = passes * min(watts) / max(grid.speed_mm_s)
    high = passes * max(watts) / min(grid.speed_mm_s)
    brackets = low <= s.passes * row.line_energy_j_mm <= high
    room = most / row.line_energy_j_mm
    return CutBelief(row, told.chance, told.edge, room, brackets, passes)


@dataclass(frozen=True)
class Foretold:
    """The chance to fall free at a practised setting; the speed of even chance, and the ends of the
    80 % range of the speed that is just through, over the practised one.
    """

    chance: float
    edge: float
    low: float
    high: float


def foretell(row: Practised, scale: float = 1.0) -> Foretold:
    """Return what is believed of a cut; `scale` multiplies the energies of the prior."""
    s = row.setting
    known = know_cut(row.machine, row.stock, (), rng=np.random.default_rng(1))
    prior = known.case.prior
    prior = replace(
        prior,
        removal_j_mm3=scale * prior.removal_j_mm3,
        threshold_j_mm2=scale * prior.threshold_j_mm2,
    )
    case = replace(known.case, prior=prior)
    posterior = fit_cut(case, data_of(case, ()), rng=np.random.default_rng(1))
    known = replace(known, case=case, posterior=posterior, air=s.air)
    speeds = np.geomspace(0.02, row.machine.max_speed_mm_s, 300)
    at = {"power": s.power, "passes": s.passes, "focus_mm": s.focus_mm}
    chance = known.chance(**at, speed_mm_s=np.append(speeds, s.speed_mm_s))
    through = np.flatnonzero(chance[:-1] >= 0.5)
    edge = float(speeds[through[-1]]) if len(through) else 0.0
    edges = np.exp(known.edges(power=s.power, passes=s.passes, focus_mm=s.focus_mm))
    low, high = (float(end) / s.speed_mm_s for end in np.quantile(edges, (0.1, 0.9)))
    return Foretold(float(chance[-1]), edge / s.speed_mm_s, low, high)


def cut_bars(beliefs: Sequence[CutBelief]) -> Iterator[tuple[str, float, float]]:
    """Yield what is held against practice: what, the figure, and the most that it may be."""
    free = [one for one in beliefs if one.row.outcome == "free"]
    other = [one for one in beliefs if one.row.outcome != "free"]
    once = [one for one in free if one.row.setting.passes == 1]
    low, high = (0.1, 0.5), (0.9, 0.5)
    yield "cuts that fall free, doubted", _share(one.chance < low[1] for one in free), 0.15
    yield "cuts that hang or stay, believed", _share(one.chance > high[1] for one in other), 0.15
    against = [one.chance < low[0] for one in free] + [one.chance > high[0] for one in other]
    yield "cuts contradicted outright", float(sum(against)), 0
    outside = (not 1.0 <= one.edge <= 2.5 for one in free)
    yield "even chance outside 1.0 to 2.5 of the practised speed", _share(outside), 0.25
    yield "practised settings refused as too hot", float(sum(one.room < 1 for one in beliefs)), 0
    yield "cuts that the first grid does not bracket", _share(not b.brackets for b in free), 0.10
    yield "first grids of more passes than one", float(sum(b.grid_passes > 1 for b in once)), 0


def tone_brackets(row: Practised) -> bool:
    """Whether the first grid of an engraving goes around the practised areal energy."""
    machine, s = row.machine, row.setting
    grid = suggest_levels(machine, row.stock, "engrave").choices
    watts = [machine.watts(p) for p in grid.power]
    low = min(watts) / max(grid.speed_mm_s) / grid.pitch_mm[0]
    high = max(watts) / min(grid.speed_mm_s) / grid.pitch_mm[0]
    times = 2 if s.crosshatch else 1
    return low <= times * machine.watts(s.power) * s.dose_per_watt <= high


def tone_bars() -> Iterator[tuple[str, float, float]]:
    right = [row for row in practised_tones() if row.outcome == "right"]
    outside = _share(not tone_brackets(row) for row in right)
    yield "tones that the first grid does not bracket", outside, 0.10


def _share(these: Iterable[bool]) -> float:
    return float(np.mean(list(these)))


# -- the stand-in ----------------------------------------------------------------------------------


@dataclass(frozen=True)
class Benched:
    """What the stand-in makes of a practised cut: its chance to fall free, and the quickest speed
    that nearly always does over the practised one, means over some lots.
    """

    row: Practised
    chance: float
    quickest: float

    @property
    def agrees(self) -> bool:
        return (self.chance >= 0.5) == (self.row.outcome == "free")


def benched(row: Practised, seeds: Sequence[int] = (1, 2, 3)) -> Benched:
    """Burn a practised cut on the stand-in's lots of these seeds, its day-to-day drift included."""
    s = row.setting
    speeds = s.speed_mm_s * np.geomspace(0.1, 6, 60)
    tried = [replace(s, speed_mm_s=float(v)) for v in speeds] + [s]
    chances, quickest = [], []
    for seed in seeds:
        hidden = hidden_of(row.machine, row.stock, seed)
        hidden = replace(hidden, made=replace(hidden.made, knots=0.0))
        works = success(hidden, row.machine, row.stock, "cut", tried, draws=60)
        good = np.flatnonzero(works[:-1] >= 0.97)
        chances.append(works[-1])
        quickest.append(speeds[good[-1]] if len(good) else speeds[0])
    ratio = float(np.exp(np.mean(np.log(quickest)))) / s.speed_mm_s
    return Benched(row, float(np.mean(chances)), ratio)


def bench_bars(rows: Sequence[Benched]) -> Iterator[tuple[str, float, float]]:
    free = [one for one in rows if one.row.outcome == "free"]
    yield "cuts that the stand-in does otherwise", _share(not one.agrees for one in rows), 0.10
    outside = (not 0.7 <= one.quickest <= 1.6 for one in free)
    yield "stand-in's speed outside 0.7 to 1.6 of the practised", _share(outside), 0.15
