"""Find a focused beam's waist from diameters measured along its axis (the form of ISO 11146-1:2021,
clause 9).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.words import tr

__all__ = ["CausticFit", "fit_caustic"]

LEAST_POINTS = 5


@dataclass(frozen=True)
class CausticFit:
    """A fitted caustic; every `_se` is one standard error in the same unit."""

    waist_mm: float
    focus_mm: float
    rayleigh_mm: float
    m2: float
    waist_se_mm: float
    focus_se_mm: float
    rayleigh_se_mm: float
    m2_se: float

    def diameter(self, height_mm: float) -> float:
        """Return the 1/e² diameter, mm, at a height in mm."""
        return self.waist_mm * math.sqrt(1 + ((height_mm - self.focus_mm) / self.rayleigh_mm) ** 2)


def fit_caustic(
    *, height_mm: Sequence[float], diameter_mm: Sequence[float], wavelength_nm: float
) -> CausticFit:
    """Fit d^2 = a + b z + c z^2, each point weighted by 1/d^2 (equal relative errors), and its
    errors from the scatter.

    z0 = -b/2c, d0 = q/(2 sqrt c), zR = q/2c, M2 = pi q/(8 lambda), q = sqrt(4ac - b^2).  Raises
    OutOfRange with fewer than 5 points, or where the diameters do not narrow to a waist.
    """
    z, d = np.asarray(height_mm, float), np.asarray(diameter_mm, float)
    if len(z) != len(d) or len(z) < LEAST_POINTS:
        raise OutOfRange(
            tr("Number of heights"),
            len(z),
            tr("at least {least_points}", least_points=LEAST_POINTS),
        )
    if not (np.isfinite(z).all() and np.isfinite(d).all() and (d > 0).all()):
        raise OutOfRange(tr("Line widths"), tr("not all above 0"), tr("numbers above 0"))
    middle = float(z.mean())
    design = np.column_stack([np.ones_like(z), z - middle, (z - middle) ** 2])
    weighted = design / d[:, None] ** 2
    if np.linalg.matrix_rank(weighted) < 3:
        raise OutOfRange(
            tr("Heights"), tr("too few different ones"), tr("at least 3 different ones")
        )
    coefficients, *_ = np.linalg.lstsq(weighted, np.ones_like(d), rcond=None)
    values = _shape(coefficients, wavelength_nm)
    if values is None:
        raise OutOfRange(
            tr("Line widths"),
            tr("without a narrowest place"),
            tr("narrow in the middle and wider at both ends; burn more heights"),
        )
    scatter = float(((weighted @ coefficients - 1) ** 2).sum() / max(1, len(z) - 3))
    covariance = scatter * np.linalg.inv(weighted.T @ weighted)
    slopes = np.zeros((4, 3))
    for k in range(3):
        step = 1e-5 * max(abs(coefficients[k]), 1e-9)
        moved = _shape(coefficients + step * np.eye(3)[k], wavelength_nm)
        if moved is not None:
            slopes[:, k] = (np.array(moved) - values) / step
    errors = np.sqrt(np.maximum(np.diag(slopes @ covariance @ slopes.T), 0))
    d0, z0, rayleigh, m2 = (float(v) for v in values)
    return CausticFit(
        d0,
        z0 + middle,
        rayleigh,
        m2,
        float(errors[0]),
        float(errors[1]),
        float(errors[2]),
        float(errors[3]),
    )


def _shape(
    coefficients: np.ndarray, wavelength_nm: float
) -> tuple[float, float, float, float] | None:
    a, b, c = (float(v) for v in coefficients)
    inside = 4 * a * c - b * b
    if c <= 0 or inside <= 0:
        return None
    q = math.sqrt(inside)
    return (
        q / (2 * math.sqrt(c)),
        -b / (2 * c),
        q / (2 * c),
        math.pi * q / (8 * wavelength_nm * 1e-6),
    )
