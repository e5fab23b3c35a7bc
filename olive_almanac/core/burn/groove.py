"""The groove: how many passes a cut needs, from an energy balance at its bottom.

    P_e  = P x^b                                          power at the work: x the dialled fraction, b the bend of the scale
    phi  = P_e / (v + vc)                                 line energy less what is lost sideways, J/mm
    w(z) = w0 sqrt(1 + ((z - f - dz) / (zR zm))^2)        beam radius at depth z, mm
    F(z) = sqrt(2/pi) phi / w(z)                          fluence at the groove's bottom, J/mm2
    S(h) = e^d int_0^h E (1 + s z / 2 w0) dz / smooth(F(z) - Fth)    passes needed to depth h
    A(N) = (1 - exp(-k N)) / (1 - exp(-k)),  k = kap e^(g a)         passes worth of N passes

s is what the walls of a deep groove take, k the loss through char of each pass, a the steps of air below full, d the
offset of the machine's better direction.  The energy margin of a cut is m = ln A(N) - ln S(t): it is through when m > 0.
A separable balance, our own; sections and figures in docs/methods.md.  Results are float32: the doubt is far wider.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike, NDArray

__all__ = ["PARAMETERS", "Burns", "Groove", "Needed", "fast_phi"]

Floats = NDArray[np.float64]
Reals = NDArray[np.float32]
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
_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(6)
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

    @cached_property
    def lenses(self) -> tuple[Reals, Reals, NDArray[np.intp]]:
        """The different pairs of focus and waist [u], [u], and which of them each burn has [n]: widths are worked out once."""
        pairs, which = np.unique(np.stack([self.focus_mm, self.radius_mm], 1), axis=0, return_inverse=True)
        return pairs[:, 0], pairs[:, 1], which.ravel()

    @cached_property
    def dials(self) -> tuple[Reals, NDArray[np.intp]]:
        values, which = np.unique(self.dial, return_inverse=True)
        return values, which

    @cached_property
    def runs(self) -> tuple[Reals, Reals, NDArray[np.intp]]:
        """The different pairs of passes and air [u], [u], and which of them each burn has [n]."""
        pairs, which = np.unique(np.stack([self.passes, self.air], 1), axis=0, return_inverse=True)
        return pairs[:, 0], pairs[:, 1], which.ravel()


@dataclass(frozen=True)
class Needed:
    """ln of the passes needed [M, n] with its slopes: by ln depth, and by ln power (turned positive)."""

    log: Reals
    by_depth: Reals
    by_power: Reals


@dataclass(frozen=True)
class Groove:
    """Parameters of M grooves: `theta` has the shape [M, 12], columns as in PARAMETERS; `rayleigh_mm` is the beam's."""

    theta: Floats
    rayleigh_mm: float

    def __len__(self) -> int:
        return len(self.theta)

    def _column(self, index: int) -> Reals:
        return self.theta[:, index, None].astype(F4)

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

    def log_worth(self, burns: Burns) -> Reals:
        """Return ln A(N), what N passes are worth after each one's loss by char, [M, n]."""
        passes, air, which = burns.runs
        loss = np.exp(self._column(CHAR_LOSS) + self._column(AIR) * air) if air.any() else np.exp(self._column(CHAR_LOSS))
        worth = np.log(np.expm1(-loss * passes) / np.expm1(-loss))
        return np.asarray(worth.take(which, 1, mode="clip"))

    def log_needed(self, burns: Burns, depth_mm: float) -> Reals:
        """Return ln of the passes needed to one depth, [M, n]."""
        total = self._passes_over_depth(self._strength(burns), burns, F4(depth_mm), burns.lenses)
        return self._finished(total, burns, F4(depth_mm))

    def needed(self, burns: Burns, depth_mm: float) -> Needed:
        """Return ln of the passes needed to one depth with its slopes."""
        strength, depth, lenses, step = self._strength(burns), F4(depth_mm), burns.lenses, F4(0.02)
        total = self._passes_over_depth(strength, burns, depth, lenses)
        stronger = self._passes_over_depth(strength * np.exp(step), burns, depth, lenses)
        by_depth = self._at_bottom(strength, burns, depth, lenses) / total
        return Needed(self._finished(total, burns, depth), by_depth, np.log(total / stronger) / step)

    def log_needed_each(self, burns: Burns, depths_mm: Reals) -> tuple[Reals, Reals]:
        """Return ln of the passes needed to a depth of each burn's own, and its slope by ln depth, [M, n] both."""
        own = (burns.focus_mm, burns.radius_mm, np.arange(len(burns)))
        strength = self._strength(burns)
        total = self._passes_over_depth(strength, burns, depths_mm, own)
        return self._finished(total, burns, depths_mm), self._at_bottom(strength, burns, depths_mm, own) / total

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

    def _passes_over_depth(
        self, strength: Reals, burns: Burns, depth: Reals | np.float32, lenses: tuple[Reals, Reals, NDArray[np.intp]]
    ) -> Reals:
        focus, radius, which = lenses
        total = np.zeros(strength.shape, F4)
        for node, weight in zip(NODES, WEIGHTS, strict=True):
            here = depth * F4(node)
            over = strength * self._narrowness(here, focus, radius).take(which, 1, mode="clip")
            share = F4(weight) * self._walls(here, radius)
            total += (share.take(which, 1, mode="clip") if share.shape[1] > 1 else share) / _smooth(over)
        return total

    def _at_bottom(
        self, strength: Reals, burns: Burns, depth: Reals | np.float32, lenses: tuple[Reals, Reals, NDArray[np.intp]]
    ) -> Reals:
        focus, radius, which = lenses
        over = strength * self._narrowness(depth, focus, radius).take(which, 1, mode="clip")
        return np.asarray(self._walls(depth, radius).take(which, 1, mode="clip") / _smooth(over))

    def _finished(self, total: Reals, burns: Burns, depth: Reals | np.float32) -> Reals:
        log = np.log(total)
        log += np.log(depth) + self._column(REMOVAL) - self._column(THRESHOLD)
        if burns.way.any():
            log += self._column(WAY) * burns.way
        return np.asarray(log)


def _smooth(over: Reals) -> Reals:
    """In place: the part of F/Fth above 1, smooth and positive."""
    over -= F4(1)
    root = over * over
    root += F4(4 * SOFTNESS**2)
    np.sqrt(root, out=root)
    over += root
    over *= F4(0.5)
    return over
