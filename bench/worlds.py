"""Hidden worlds to decide in: 24 stocks over two machines, burnt on the stand-in, which shares no
equation with the fit.
"""

from dataclasses import replace

import numpy as np

from bench.best_known import JUDGED_BY, quickest_that_works
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Cell, CouponSize, Place, Trial
from olive_almanac.demo.shop import MACHINES
from olive_almanac.standins import truth
from olive_almanac.standins.bench import StandInBench
from olive_almanac.standins.groove import dials_of, dig
from olive_almanac.standins.material import hidden_of
from olive_almanac.standins.truth import edge_heat

DIODE, CO2 = MACHINES[0], MACHINES[1]
ON_COUPON = 48
COOL = 0.82  # heat, as a share of where half the cells flare, up to which one in ten does


def _stock(family, thickness_mm, **more):
    return Stock(f"{family} {thickness_mm:g}", family, thickness_mm, (thickness_mm,), **more)


SUBJECTS = (
    *(
        (DIODE, _stock(family, t))
        for family, t in (
            ("plywood", 3.0),
            ("plywood", 4.0),
            ("hardwood", 3.0),
            ("mdf", 3.0),
            ("cork", 3.0),
            ("leather", 2.0),
            ("felt", 3.0),
            ("board", 1.5),
            ("foam_eva", 5.0),
            ("hardwood", 9.0),
            ("veneer", 0.8),
        )
    ),
    (DIODE, _stock("acrylic", 3.0, colour="black")),
    *(
        (CO2, _stock(family, t))
        for family, t in (
            ("plywood", 6.0),
            ("mdf", 6.0),
            ("hardwood", 8.0),
            ("acrylic", 5.0),
            ("pp", 2.0),
            ("petg", 2.0),
            ("rubber", 2.5),
            ("foam_eva", 10.0),
            ("softwood", 5.0),
            ("hdf", 3.0),
            ("bamboo", 5.0),
        )
    ),
    (CO2, _stock("acrylic", 3.0, process="extruded")),
)


def without_knots(machine, stock, seed):
    """The hidden stock; knots are left out of the truth, since no setting helps against them."""
    hidden = hidden_of(machine, stock, seed)
    return replace(hidden, made=replace(hidden.made, knots=0.0))


class StandInWorld:
    """A stock on the stand-in bench as it truly is."""

    def __init__(self, machine, stock, seed):
        self.machine, self.stock, self._seed = machine, stock, seed
        self._hidden = without_knots(machine, stock, seed)

    def burn(self, trial):
        """Burn in order as a careful person does, and read."""
        return burn(trial, self._seed)

    def success(self, settings, draws=JUDGED_BY):
        """Return the share of burns [n] that fall free over the days of a shop."""
        return truth.success(self._hidden, self.machine, self.stock, "cut", settings, draws=draws)

    def best(self):
        """Return the quickest setting that truly works without a flare, and its seconds a metre."""
        return quickest_that_works(self)

    def keeps_cool(self, settings):
        """Return whether settings [n] hardly ever flare."""
        heat = edge_heat(self._hidden, self.machine, self.stock, settings)
        return heat < COOL * self._hidden.made.flares


def trial_of(machine, stock, settings, name, first=0):
    """Cells of 10 mm, 12 mm apart, eight to a row, burnt in the given order with ten
    seconds' rest.
    """
    cells = tuple(
        Cell(
            f"{name}c{i}",
            (i + first) // 8,
            (i + first) % 8,
            "outline",
            (12.0 * ((i + first) % 8), 12.0 * ((i + first) // 8), 10.0, 10.0),
            i,
            40 * s.passes / s.speed_mm_s,
            s,
        )
        for i, s in enumerate(settings)
    )
    return Trial(
        name,
        "world",
        "2026-01-01",
        machine,
        stock,
        "cut",
        CouponSize(200, 200),
        (),
        cells,
        100.0,
        Place(0, 0),
        rest_s=10.0,
    )


def coupons_of(machine, stock, settings, name):
    """The settings spread over coupons of 48 cells: what lies level on a bed, and is burnt in one
    go.
    """
    return [
        trial_of(machine, stock, settings[at : at + ON_COUPON], f"{name}{at}")
        for at in range(0, len(settings), ON_COUPON)
    ]


def burn(trial, seed):
    """Burn in order as a careful person does: after a flare-up no hotter cell."""
    seen, hot = [], np.inf
    for cell, burnt in zip(trial.cells, StandInBench(seed).burn(trial), strict=True):
        energy = cell.setting.power / cell.setting.speed_mm_s
        if energy >= hot:
            continue
        seen.append(burnt.seen)
        if burnt.flared:
            hot = 0.98 * energy
    return seen


def scattered_cells(machine, stock, seed, count):
    """Settings all around the true edge, for held-out scoring: passes, focus and power vary, none
    that flares.

    Speeds lie from a quarter to four times the true edge's.
    """
    rng, hidden = (
        np.random.default_rng([seed, *stock.name.encode()]),
        hidden_of(machine, stock, seed),
    )
    thickness, speeds = stock.true_thickness_mm, np.geomspace(0.3, machine.max_speed_mm_s, 60)
    edges, settings = {}, []
    for _ in range(8 * count):
        passes, power = (
            int(rng.choice((1, 2, 3, 4, 6, 8, 12))),
            round(float(rng.uniform(0.3, 1)), 2),
        )
        focus = float(rng.choice((-1.0, 0.0, round(thickness / 2, 2), round(thickness, 2))))
        if (passes, focus) not in edges:
            depth = dig(
                hidden,
                machine,
                dials_of([Setting(1.0, float(v), passes, focus) for v in speeds]),
                thickness,
            ).depth_mm
            through = np.flatnonzero(depth >= 1.03 * thickness)
            edges[passes, focus] = speeds[through[-1]] if len(through) else 0.5
        speed = edges[passes, focus] * power * np.exp(rng.uniform(-1.386, 1.386))
        settings.append(
            Setting(
                power, float(np.clip(round(speed, 3), 0.2, machine.max_speed_mm_s)), passes, focus
            )
        )
    cool = edge_heat(hidden, machine, stock, settings) < 0.9 * hidden.made.flares
    return [setting for setting, good in zip(settings, cool, strict=True) if good][:count]
