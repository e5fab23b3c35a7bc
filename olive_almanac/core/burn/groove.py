"""The groove: how many passes a cut needs, from an energy balance at its bottom.

    phi  = P / (v + vc)                                  line energy less what is lost sideways, J/mm
    w(z) = w0 sqrt(1 + ((z - f - dz) / (zR zm))^2)       beam radius at depth z, mm
    F(z) = sqrt(2/pi) phi / w(z)                         fluence at the groove's bottom, J/mm2
    S(h) = int_0^h E dz / smooth(F(z) - Fth)             passes needed to depth h
    A(N) = (1 - exp(-kap N)) / (1 - exp(-kap))           passes worth of N passes, each a little weaker through char

The energy margin of a cut is m = ln A(N) - ln S(t): it is through when m > 0.  A separable balance, our own; sections
and figures in docs/methods.md.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

__all__ = ["PARAMETERS", "Beam", "Groove", "log_needed", "log_worth"]

Floats = NDArray[np.float64]
PARAMETERS = (
    "ln removal",
    "ln threshold",
    "ln char loss",
    "ln rayleigh factor",
    "focus shift",
    "ln side loss",
    "ln noise",
    "ln hang band",
)
SOFTNESS = 0.06  # smooths the threshold so that the fit has slopes
_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(6)
NODES, WEIGHTS = (_NODES + 1) / 2, _WEIGHTS / 2


@dataclass(frozen=True)
class Beam:
    """The beam as the groove sees it: 1/e2 waist radius across the cut and Rayleigh range, mm."""

    waist_radius_mm: float
    rayleigh_mm: float


@dataclass(frozen=True)
class Groove:
    """Parameters of M grooves: `theta` has the shape [M, 8], columns as in PARAMETERS."""

    theta: Floats

    @property
    def noise(self) -> Floats:
        """Spread of the margin from cell to cell, [M, 1]."""
        return np.exp(self.theta[:, 6])[:, None]

    @property
    def hang_band(self) -> Floats:
        """Margin above 0 within which the piece still hangs on, [M, 1]."""
        return np.exp(self.theta[:, 7])[:, None]


def log_needed(groove: Groove, beam: Beam, *, power_w: Floats, speed_mm_s: Floats, focus_mm: Floats, depth_mm: Floats) -> Floats:
    """Return ln of the passes needed to reach a depth, [M, n], for n settings given as arrays [n]."""
    return np.log(_needed_over_depth(groove, beam, power_w, speed_mm_s, focus_mm, depth_mm)) + np.log(depth_mm)


def slope_at_depth(
    groove: Groove, beam: Beam, *, power_w: Floats, speed_mm_s: Floats, focus_mm: Floats, depth_mm: Floats
) -> Floats:
    """Return dS/dh at the depth, passes per mm, [M, n]: how quickly a deeper groove costs more."""
    surplus, scale = _surplus(groove, beam, power_w, speed_mm_s, focus_mm, depth_mm)
    return scale / surplus


def _needed_over_depth(
    groove: Groove, beam: Beam, power_w: Floats, speed_mm_s: Floats, focus_mm: Floats, depth_mm: Floats
) -> Floats:
    total = np.zeros((len(groove.theta), len(power_w)))
    for node, weight in zip(NODES, WEIGHTS, strict=True):
        surplus, scale = _surplus(groove, beam, power_w, speed_mm_s, focus_mm, depth_mm * node)
        total += weight * scale / surplus
    return total


def _surplus(
    groove: Groove, beam: Beam, power_w: Floats, speed_mm_s: Floats, focus_mm: Floats, depth_mm: Floats
) -> tuple[Floats, Floats]:
    """Fluence above the threshold in units of it, smooth and positive [M, n], and E / Fth [M, 1]."""
    removal, threshold, _, stretch, shift, side_loss = (column[:, None] for column in groove.theta.T[:6])
    threshold = np.exp(threshold)
    height = (depth_mm - focus_mm - shift) / (beam.rayleigh_mm * np.exp(stretch))
    fluence = np.sqrt(2 / np.pi) * power_w / ((speed_mm_s + np.exp(side_loss)) * beam.waist_radius_mm * np.sqrt(1 + height**2))
    over = fluence / threshold - 1
    return (over + np.sqrt(over**2 + 4 * SOFTNESS**2)) / 2, np.exp(removal) / threshold


def log_worth(groove: Groove, passes: Floats) -> Floats:
    """Return ln A(N), what N passes are worth after each one's loss by char, [M, n]."""
    loss = np.exp(groove.theta[:, 2])[:, None]
    return np.log(np.expm1(-loss * passes) / np.expm1(-loss))
