"""The groove: how many passes a cut needs, from an energy balance at its bottom.

    P_e  = P x^b                                          power at the work: x the dialled fraction, b the bend of the scale
    phi  = P_e / (v + vc)                                 line energy less what is lost sideways, J/mm
    w(z) = w0 sqrt(1 + ((z - f - dz) / (zR zm))^2)        beam radius at depth z, mm
    F(z) = sqrt(2/pi) phi / w(z)                          fluence at the groove's bottom, J/mm2
    L(z) = (1 + s z / 2 w0) / smooth(F(z)/Fth - 1)       load: how hard the threshold and the walls make it there
    S(h) = e^d E/Fth int_0^h L dz                        passes needed to depth h, were none weaker than the first
    q(h) = 2/h^2 int_0^h L z dz                          strain: the load that the later passes meet, which dig the lower part
    A(N) = (1 + q) (1 - exp(-k N)) / (1 - exp(-k)) - q N,   k = kap e^(g a)     what N passes are worth

s is what the walls of a deep groove take, k the share of each pass's fluence that char takes from the next, a the steps of air
below full, d the offset of the machine's better direction.  A pass counts by what its fluence has above the threshold, so strained
grooves tire sooner, and A is held at its most.  The energy margin of a cut is m = ln A(N) - ln S(t): it is through when m > 0.
A separable balance, our own; sections and figures in docs/methods.md.  Results are float32: the doubt is far wider.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike, NDArray

__all__ = ["PARAMETERS", "Burns", "Groove", "Needed", "fast_phi"]

Floats = NDArray[np.float64]
Reals = NDArray[np.float32]
Lenses = tuple[Reals, Reals, NDArray[np.intp]]  # see Burns.lenses
PARAMETERS = (
    "ln removal",
    "ln threshold",
    "ln char loss",
    "ln rayleigh factor",
    "focus shift",
    "ln side loss",
    "ln noise",
    "ln hang band",
    "ln wall loss",
    "power bend",
    "air gain",
    "direction offset",
)
REMOVAL, THRESHOLD, CHAR_LOSS, STRETCH, SHIFT, SIDE_LOSS, NOISE, HANG, WALLS, BEND, AIR, WAY = range(len(PARAMETERS))
SOFTNESS = 0.06  # smooths the threshold so that the fit has slopes
_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(4)
NODES, WEIGHTS = (_NODES + 1) / 2, _WEIGHTS / 2
F4 = np.float32


def fast_phi(x: Reals) -> Reals:
    """Return the standard normal distribution function to 2e-4: a logistic of x and x^3 (own fit), far quicker than exact."""
    x = np.clip(x, -8.0, 8.0)
    y = x * x
    y *= F4(-0.0713548)
    y -= F4(1.5957691)
    y *= x
    np.exp(y, out=y)
    y += F4(1)
    result: Reals = np.reciprocal(y, out=y)
    return result


@dataclass(frozen=True)
class Burns:
    """Settings as the groove sees them, arrays [n]: watts by the machine's curve, ln of the dialled fraction (0 where the power
    was metered), speed, passes, mean focus, waist radius across the cut, steps of air below full, and 1 where the beam runs
    in the machine's better direction alone."""

    power_w: Reals
    dial: Reals
    speed_mm_s: Reals
    passes: Reals
    focus_mm: Reals
    radius_mm: Reals
    air: Reals
    way: Reals

    def __post_init__(self) -> None:
        n = np.broadcast(*(getattr(self, name) for name in self.__dataclass_fields__)).shape
        for name in self.__dataclass_fields__:
            object.__setattr__(self, name, np.ascontiguousarray(np.broadcast_to(getattr(self, name), n), dtype=F4))

    def __len__(self) -> int:
        return len(self.power_w)

    def at(self, index: object) -> Burns:
        """Return the burns at an index array, a slice or a mask."""
        return Burns(*(getattr(self, name)[index] for name in self.__dataclass_fields__))

    def with_passes(self, passes: float) -> Burns:
        """Return the same burns, each with so many passes."""
        return replace(self, passes=np.full(len(self), passes, F4))

    @cached_property
    def lenses(self) -> Lenses:
        """The different pairs of focus and waist [u], [u], and which of them each burn has [n]: widths are worked out once."""
        return _different(self.focus_mm, self.radius_mm)

    @cached_property
    def dials(self) -> tuple[Reals, NDArray[np.intp]]:
        values, which = np.unique(self.dial, return_inverse=True)
        return values, which

    @cached_property
    def runs(self) -> tuple[Reals, Reals, NDArray[np.intp]]:
        """The different pairs of passes and air [u], [u], and which of them each burn has [n]."""
        return _different(self.passes, self.air)


@dataclass(frozen=True)
class Needed:
    """ln S and the strain q, [M, n], with the slopes of ln S and ln q: by ln depth, and by ln power (turned positive)."""

    log: Reals
    strain: Reals
    by_depth: Reals
    by_power: Reals
    strain_by_depth: Reals
    strain_by_power: Reals


@dataclass(frozen=True)
class Groove:
    """Parameters of M grooves: `theta` has the shape [M, 12], columns as in PARAMETERS; `rayleigh_mm` is the beam's."""

    theta: Floats
    rayleigh_mm: float

    def __len__(self) -> int:
        return len(self.theta)

    @cached_property
    def _columns(self) -> Reals:
        return self.theta.astype(F4).T[:, :, None]

    def _column(self, index: int) -> Reals:
        return np.asarray(self._columns[index])

    @cached_property
    def noise(self) -> Reals:
        """Spread of the margin from cell to cell, [M, 1]."""
        return np.asarray(np.exp(self._column(NOISE)))

    @cached_property
    def hang_band(self) -> Reals:
        """Margin above 0 within which the piece still hangs on, [M, 1]."""
        return np.asarray(np.exp(self._column(HANG)))

    def out_of_focus(self, focus_mm: ArrayLike) -> Groove:
        """Return the grooves with the focus off by so much, mm, one number or [M] (positive: lower)."""
        theta = self.theta.copy()
        theta[:, SHIFT] += np.asarray(focus_mm, float)
        return Groove(theta, self.rayleigh_mm)

    def margin(self, burns: Burns, depth_mm: float) -> Reals:
        """Return m = ln A(N) - ln S to one depth, [M, n]."""
        total, strain = self._loads(self._strength(burns), F4(depth_mm), burns.lenses)
        return np.asarray(np.log(self._worth(burns, strain)[0]) - self._finished(total, burns, F4(depth_mm)))

    def worth(self, burns: Burns, strain: Reals) -> tuple[Reals, Reals]:
        """Return ln A(N), what N passes are worth at a strain [M, n], and its slope by ln strain (never above 0), [M, n] both."""
        worth, spent = self._worth(burns, strain)
        return np.log(worth), strain * (worth - spent) / ((1 + strain) * worth)

    def _worth(self, burns: Burns, strain: Reals) -> tuple[Reals, Reals]:
        """A(N) and how many of the passes still dig, [M, n] both: beyond the most that A reaches further ones do nothing."""
        passes, air, which = burns.runs
        loss = np.exp(self._column(CHAR_LOSS) + self._column(AIR) * air) if air.any() else np.exp(self._column(CHAR_LOSS))
        once = -np.expm1(-loss)
        together = (-np.expm1(-loss * passes) / once).take(which, 1, mode="clip")
        last = (loss * np.exp(-loss * passes) / once).take(which, 1, mode="clip")  # the slope of together at N
        if loss.shape[1] > 1:
            loss, once = loss.take(which, 1, mode="clip"), once.take(which, 1, mode="clip")
        spent = burns.passes
        worth = together - strain * (spent - together)
        beyond = strain * (1 - last) > last
        if beyond.any():
            most = (np.log1p(1 / strain) + np.log(loss / once)) / loss
            held = np.where(most > 1, (1 + strain) / once - strain * (1 / loss + most), F4(1))
            worth, spent = np.where(beyond, held, worth), np.where(beyond, np.maximum(most, 1), spent)
        return np.asarray(np.maximum(worth, F4(1e-6))), np.asarray(spent)

    def needed(self, burns: Burns, depth_mm: float) -> Needed:
        """Return ln of the passes needed to one depth, and the strain there, with their slopes."""
        strength, depth, lenses, step = self._strength(burns), F4(depth_mm), burns.lenses, F4(0.02)
        total, strain = self._loads(strength, depth, lenses)
        eased, relaxed = self._loads(strength * np.exp(step), depth, lenses)
        load = self._load(strength, depth, lenses)
        return Needed(
            self._finished(total, burns, depth), strain, load / total, np.log(total / eased) / step, 2 * (load / strain - 1),
            np.log(strain / relaxed) / step,
        )  # fmt: skip

    def margin_each(self, burns: Burns, depths_mm: Reals) -> tuple[Reals, Reals]:
        """Return the margin at a depth of each burn's own, and by how much it falls with ln depth, [M, n] both."""
        own = (burns.focus_mm, burns.radius_mm, np.arange(len(burns)))
        strength = self._strength(burns)
        total, strain = self._loads(strength, depths_mm, own)
        worth, by_strain = self.worth(burns, strain)
        load = self._load(strength, depths_mm, own)
        falls = load / total - by_strain * 2 * (load / strain - 1)
        return worth - self._finished(total, burns, depths_mm), np.maximum(falls, F4(1e-3))

    def surplus(self, burns: Burns, depth_mm: float) -> Reals:
        """Return F/Fth at the weakest place of the groove, [M, n]: at 1 and below no number of passes gets further."""
        focus, radius, which = burns.lenses
        ends = np.minimum(self._narrowness(F4(0), focus, radius), self._narrowness(F4(depth_mm), focus, radius))
        return np.asarray(self._strength(burns) * ends.take(which, 1, mode="clip"))

    def _strength(self, burns: Burns) -> Reals:
        """sqrt(2/pi) phi / Fth, in mm, [M, n]: fluence in units of the threshold, times the radius."""
        speed = burns.speed_mm_s + np.exp(self._column(SIDE_LOSS))
        strength = burns.power_w * np.exp(F4(0.5 * np.log(2 / np.pi)) - self._column(THRESHOLD)) / speed
        dial, which = burns.dials
        if dial.any():
            strength *= np.exp(self._column(BEND) * dial).take(which, 1, mode="clip")
        return np.asarray(strength)

    def _narrowness(self, depth: Reals | np.float32, focus: Reals, radius: Reals) -> Reals:
        """1/w at a depth, 1/mm, [M, lenses]."""
        height = (depth - focus - self._column(SHIFT)) / (F4(self.rayleigh_mm) * np.exp(self._column(STRETCH)))
        height *= height
        height += F4(1)
        np.sqrt(height, out=height)
        height *= radius
        return np.reciprocal(height, out=height)

    def _walls(self, depth: Reals | np.float32, radius: Reals) -> Reals:
        return np.asarray(1 + np.exp(self._column(WALLS)) * depth / (2 * radius))

    def _loads(self, strength: Reals, depth: Reals | np.float32, lenses: Lenses) -> tuple[Reals, Reals]:
        """The mean load over the depth, and the strain, [M, n] both."""
        total, strain = np.zeros(strength.shape, F4), np.zeros(strength.shape, F4)
        for node, weight in zip(NODES, WEIGHTS, strict=True):
            load = self._load(strength, depth * F4(node), lenses)
            load *= F4(weight)
            total += load
            load *= F4(2 * node)
            strain += load
        return total, strain

    def _load(self, strength: Reals, depth: Reals | np.float32, lenses: Lenses) -> Reals:
        """How hard it is to dig at a depth: the walls' share over what the fluence has above the threshold, [M, n]."""
        focus, radius, which = lenses
        over = _smooth(strength * self._narrowness(depth, focus, radius).take(which, 1, mode="clip"))
        walls = self._walls(depth, radius)
        return np.asarray((walls.take(which, 1, mode="clip") if walls.shape[1] > 1 else walls) / over)

    def _finished(self, total: Reals, burns: Burns, depth: Reals | np.float32) -> Reals:
        log = np.log(total)
        log += np.log(depth) + self._column(REMOVAL) - self._column(THRESHOLD)
        if burns.way.any():
            log += self._column(WAY) * burns.way
        return np.asarray(log)


def _different(first: Reals, second: Reals) -> tuple[Reals, Reals, NDArray[np.intp]]:
    """The different pairs of two arrays [n]: [u], [u], and which of them each place has [n]."""
    pairs, which = np.unique(first + 1j * second, return_inverse=True)  # complex numbers sort far quicker than rows
    return pairs.real.astype(F4), pairs.imag.astype(F4), which


def _smooth(over: Reals) -> Reals:
    """In place: the part of F/Fth above 1, smooth and positive."""
    over -= F4(1)
    root = over * over
    root += F4(4 * SOFTNESS**2)
    np.sqrt(root, out=root)
    over += root
    over *= F4(0.5)
    return over
