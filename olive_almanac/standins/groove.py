"""How a beam digs into stock, for the stand-in bench: the slot is deepened bite by bite within each
pass.

Own physics (common practice, no source), chosen to differ from the program's models: a beam that
spreads with the 3/2 power of the distance from its waist, a removal that is not proportional to
what lies above the threshold, walls that shade the bottom, char that takes a share of each further
pass, heat lost sideways, passes that heat the edge up.
"""

from __future__ import annotations

from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import ArrayLike, NDArray

from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import AIRS, Setting
from olive_almanac.standins.material import Hidden

__all__ = ["Dials", "Groove", "dials_of", "dig", "reached_speed", "watts_of"]

Floats = NDArray[np.float64]
BITES = 16  # steps in which the energy of one pass is spent
AIR_CLOGS = np.array([1.5, 1.0, 0.75])  # off, low, full: what char takes from the next pass
AIR_COOLS = np.array([1.35, 1.0, 0.86])
AIR_SMOKES = np.array([1.0, 0.1, 0.0])  # share of the smoke that stays in the slot
THIN, THICKER = 0.4, 0.2  # an edge's heat is spread over so much more where the stock is thick
WAYS = {"x": 0, "y": 1, "xy": 2}


@dataclass(frozen=True)
class Dials:
    """Settings as arrays [n], with what differs from cell to cell beside them.

    `speed_mm_s` is the speed really reached; `luck` multiplies the energy to dig, `strength` the
    beam's power, `shift_mm` is added to the focus and `warm` is the share of the threshold that
    neighbours have already paid.
    """

    fraction: Floats
    speed_mm_s: Floats
    passes: Floats
    focus_mm: Floats
    step_mm: Floats
    air: NDArray[np.int64]
    way: NDArray[np.int64]
    luck: Floats
    strength: Floats
    shift_mm: Floats
    warm: Floats

    def __len__(self) -> int:
        return len(self.fraction)

    def of(self, at: int) -> Dials:
        """One row alone."""
        return Dials(**{one.name: getattr(self, one.name)[at : at + 1] for one in fields(self)})

    def repeated(self, times: int) -> Dials:
        """Each row `times` times, in blocks."""
        return Dials(
            **{field.name: np.repeat(getattr(self, field.name), times) for field in fields(self)}
        )


@dataclass(frozen=True)
class Groove:
    """What was dug [n]: depth in endless stock, widths at the top and at the stock's back, and how
    hot the edge got.
    """

    depth_mm: Floats
    top_mm: Floats
    back_mm: Floats
    edge_heat: Floats


def reached_speed(speed_mm_s: ArrayLike, length_mm: ArrayLike, acceleration_mm_s2: float) -> Floats:
    """Return the speed that a run of some length really gets to: a soft corner between wanted and
    possible.
    """
    v, most = (
        np.asarray(speed_mm_s, float),
        np.sqrt(acceleration_mm_s2 * np.asarray(length_mm, float)),
    )
    return np.asarray(v / (1 + (v / most) ** 6) ** (1 / 6), float)


def watts_of(hidden: Hidden, machine: Machine, fraction: ArrayLike) -> Floats:
    """Return the beam's power at the stock, W, with the controller's dead zone and the bend of its
    scale.
    """
    x = np.asarray(fraction, float)
    if machine.power_table:
        return np.asarray(np.vectorize(machine.watts)(x), float)
    dialled = np.clip((x - hidden.dead_zone) / (1 - hidden.dead_zone), 0.0, None)
    return np.asarray(machine.optical_power_w * dialled**hidden.bend, float)


def dials_of(
    settings: list[Setting] | tuple[Setting, ...], speed_mm_s: ArrayLike | None = None
) -> Dials:
    """Return settings as arrays, nothing varying from cell to cell yet."""
    n = len(settings)
    return Dials(
        np.array([s.power for s in settings], float),
        np.array([s.speed_mm_s for s in settings] if speed_mm_s is None else speed_mm_s, float),
        np.array([s.passes for s in settings], float),
        np.array([s.focus_mm for s in settings], float),
        np.array([s.focus_step_mm for s in settings], float),
        np.array([AIRS.index(s.air) for s in settings]),
        np.array([WAYS[s.direction] for s in settings]),
        np.ones(n),
        np.ones(n),
        np.zeros(n),
        np.zeros(n),
    )


def spread_of_beam(hidden: Hidden, machine: Machine, axis: int, off_mm: Floats) -> Floats:
    """Return the beam's width along X (0) or Y (1) so far from where the focus is dialled, mm."""
    waist = (
        (machine.spot_x_mm, machine.spot_y_mm)[axis] * hidden.spot_scale * (1 + hidden.lens_loss)
    )
    away = np.abs(off_mm - hidden.slip_mm[axis]) / machine.rayleigh_mm
    return np.asarray(waist * (1 + 0.42 * away**1.5), float)


def dig(hidden: Hidden, machine: Machine, dials: Dials, thickness_mm: float) -> Groove:
    """Dig all passes of each row.  A closed outline (way 2) is as weak as its weaker direction."""
    made, n = hidden.made, len(dials)
    sent = (
        watts_of(hidden, machine, dials.fraction)
        * dials.strength
        * hidden.takes_up
        * (1 - hidden.lens_loss)
    )
    slow = dials.speed_mm_s
    heat = sent / slow / (1 + (made.sideways / slow) ** 0.95)  # J/mm that stays where the beam goes
    starts = made.starts * (1 - dials.warm)
    haze = made.smoke * AIR_SMOKES[dials.air]
    along = [
        i for i, way in enumerate(("x", "y")) if (dials.way == i).any() or (dials.way == 2).any()
    ]
    depth = np.full(n, np.inf)
    top, back = np.zeros(n), np.full(n, np.inf)
    for way in along:
        across = 1 - way  # a line along X is as wide as the spot along Y
        mine = (dials.way == way) | (dials.way == 2)
        reached, clean = np.zeros(n), np.ones(n)
        for number in range(int(dials.passes.max(initial=1))):
            burning = mine & (number < dials.passes)
            if not burning.any():
                break
            focus = dials.focus_mm + dials.shift_mm + number * dials.step_mm
            for _ in range(BITES):
                off = reached - focus
                guided = np.where(off > 0, off / made.guides, off)
                width = spread_of_beam(hidden, machine, across, guided)
                flux = clean * heat / width * np.exp(-haze * reached)
                over = np.where(
                    flux > starts, flux * (1 - (starts / np.maximum(flux, 1e-12)) ** 0.8), 0.0
                )
                shaded = 1 / (1 + made.shade * (reached / (8 * width)) ** 1.5)
                reached = reached + np.where(
                    burning, shaded * over / (made.digs * dials.luck * BITES), 0.0
                )
            clean = np.where(burning, clean * (1 - made.clog * AIR_CLOGS[dials.air]), clean)
        face = spread_of_beam(hidden, machine, across, -(dials.focus_mm + dials.shift_mm))
        wide = face * (0.8 + 0.25 * np.log1p(heat / made.scorch))
        under = spread_of_beam(
            hidden, machine, across, thickness_mm - dials.focus_mm - dials.shift_mm
        )
        beyond = np.clip(reached / thickness_mm - 1, 0.0, 1.0)
        depth = np.where(mine, np.minimum(depth, reached), depth)
        top = np.where(mine, np.maximum(top, wide), top)
        back = np.where(
            mine, np.minimum(back, np.minimum(wide, under * (0.35 + 0.5 * np.sqrt(beyond)))), back
        )
    left = made.left * AIR_COOLS[dials.air] / AIR_COOLS[1]
    kept = (1 - left**dials.passes) / (1 - left)  # each pass finds some of the last one's heat
    spread = made.scorch * (THIN + THICKER * thickness_mm)
    edge = AIR_COOLS[dials.air] * heat * kept * (1 + 0.5 * dials.warm) / spread
    return Groove(depth, top, np.where(depth >= thickness_mm, back, 0.0), edge)
