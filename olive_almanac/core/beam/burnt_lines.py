"""Find the focus from the widths of burnt lines at several heights.

A burnt line is as wide as the place where its fluence passes the marking threshold, which is not
the beam's width:

    seen = 2 w sqrt(ln(B w0 / w) / 2),   w = w0 sqrt(1 + ((z - z0) / zR)^2)

B is the fluence over the threshold at focus.

Robust least squares in (z0, ln w0, ln zR, ln ln B) from three starts.  docs/methods.md, section
Focus.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.optimize import least_squares

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.words import tr

__all__ = ["LEAST_LINES", "FocusFit", "fit_burnt_lines"]

Floats = NDArray[np.float64]
LEAST_LINES = 5
WIDTH_SD = 0.06  # of ln(width): 5 % of a line and a step of the gauge
CONTRAST, CONTRAST_SD = 8.0, 0.35  # prior of B, and the sd of ln ln B
RAYLEIGH_SD = 0.5  # of ln zR about what the machine's record says
INFLATE = 1.3  # the straight-line error is too small by this, from simulated lines
FLAT = 1.6  # widest over narrowest below which the lines hardly tell
NARROWEST_SEEN_MM = 1e-3


@dataclass(frozen=True)
class FocusFit:
    """Best focus height with its standard error, waist diameter and Rayleigh range, all mm; the
    contrast B; and whether the widths differ enough to tell.
    """

    focus_mm: float
    focus_se_mm: float
    waist_mm: float
    rayleigh_mm: float
    rayleigh_se_mm: float
    contrast: float
    telling: bool

    def width(self, height_mm: ArrayLike) -> Floats:
        """Return the width of a burnt line at heights of any shape, mm; 0 where no line shows."""
        return _seen(
            np.asarray(height_mm, float),
            self.focus_mm,
            self.waist_mm / 2,
            self.rayleigh_mm,
            self.contrast,
        )


def _seen(z: Floats, z0: float, w0: float, rayleigh: float, contrast: float) -> Floats:
    w = w0 * np.sqrt(1 + ((z - z0) / rayleigh) ** 2)
    result: Floats = 2 * w * np.sqrt(0.5 * np.log(np.maximum(contrast * w0 / w, 1.0)))
    return result


def fit_burnt_lines(
    *,
    height_mm: Sequence[float],
    width_mm: Sequence[float],
    rayleigh_mm: float,
    contrast: float = CONTRAST,
) -> FocusFit:
    """Return where the focus lies from line widths at heights, about the Rayleigh range that the
    machine's record gives.

    Raises OutOfRange with fewer than 5 lines that show, or heights that hardly differ.
    """
    z, width = np.asarray(height_mm, float), np.asarray(width_mm, float)
    shows = np.isfinite(width) & (width > 0)
    z, width = z[shows], width[shows]
    if len(np.unique(z)) < LEAST_LINES:
        raise OutOfRange(
            tr("Lines with a width"),
            len(np.unique(z)),
            tr("at least {least_lines} heights", least_lines=LEAST_LINES),
        )
    logs, middle = np.log(width), float(np.average(z, weights=1 / width**2))
    prior = np.array([middle, 0.0, math.log(rayleigh_mm), math.log(math.log(contrast))])
    spread = np.array([float(np.ptp(z)), 1e3, RAYLEIGH_SD, CONTRAST_SD])

    def residuals(t: Floats) -> Floats:
        seen = _seen(z, t[0], math.exp(t[1]), math.exp(t[2]), math.exp(math.exp(t[3])))
        off = (logs - np.log(np.maximum(seen, NARROWEST_SEEN_MM))) / WIDTH_SD
        robust = np.sign(off) * np.sqrt(
            5 * np.log1p(off**2 / 4)
        )  # Student-t with 4 degrees of freedom
        return np.asarray([*robust, *((t - prior) / spread)])

    waist = math.log(float(width.min()) / (2 * math.sqrt(0.5 * math.log(contrast))))
    starts = (float(z[width.argmin()]), middle, float(z.mean()))
    tries = [
        least_squares(
            residuals,
            [at, waist, prior[2], prior[3]],
            bounds=([-np.inf, -9, -5, -3], [np.inf, 4, 6, 2.5]),
        )
        for at in starts
    ]
    best = min(tries, key=lambda one: one.cost)
    covariance = np.linalg.inv(best.jac.T @ best.jac) * INFLATE**2
    z0, log_w0, log_rayleigh, log_log_b = (float(v) for v in best.x)
    rayleigh = math.exp(log_rayleigh)
    return FocusFit(
        z0,
        math.sqrt(covariance[0, 0]),
        2 * math.exp(log_w0),
        rayleigh,
        rayleigh * math.sqrt(covariance[2, 2]),
        math.exp(math.exp(log_log_b)),
        bool(width.max() / width.min() > FLAT),
    )
