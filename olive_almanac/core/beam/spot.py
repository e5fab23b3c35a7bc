"""The focused beam: how wide it is away from its waist, and what line pitch it allows."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import ArrayLike, NDArray

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.words import tr

__all__ = [
    "beam_radius",
    "default_pitch",
    "finest_dpi",
    "focused_spot",
    "lens_aberration",
    "rayleigh_range",
]

PLANO_CONVEX, MENISCUS = 0.0286, 0.0187  # of zinc selenide at 10.6 um, from memory
EVEN_FILL = (
    0.6  # a pitch of at most 0.6 spot keeps the dose ripple under 7 % (docs/methods.md, Energies)
)


def focused_spot(
    *, wavelength_nm: float, focal_length_mm: float, beam_mm: float, m2: float = 1.0
) -> float:
    """Return the 1/e2 diameter in focus, mm: 4 M2 lambda f / (pi D)."""
    for name, value in (
        (tr("Wavelength"), wavelength_nm),
        (tr("Focal length"), focal_length_mm),
        (tr("Beam diameter"), beam_mm),
        ("M2", m2),
    ):
        if not (math.isfinite(value) and value > 0):
            raise OutOfRange(name, value, tr("above 0"))
    return 4 * m2 * wavelength_nm * 1e-6 * focal_length_mm / (math.pi * beam_mm)


def rayleigh_range(*, waist_radius_mm: float, wavelength_nm: float, m2: float = 1.0) -> float:
    """Return the height over which the beam's area doubles, mm: pi w0^2 / (M2 lambda) (ISO
    11146-1:2021).
    """
    for field, value in (
        (tr("Waist radius"), waist_radius_mm),
        (tr("Wavelength"), wavelength_nm),
        ("M2", m2),
    ):
        if not (math.isfinite(value) and value > 0):
            raise OutOfRange(field, value, tr("above 0"))
    return math.pi * waist_radius_mm**2 / (m2 * wavelength_nm * 1e-6)


def lens_aberration(*, focal_length_mm: float, beam_mm: float, meniscus: bool = False) -> float:
    """Return by how much a zinc selenide lens alone blurs the spot of a CO2 beam, mm: k D^3/f^2,
    k .0286 (plano-convex) or .0187 (meniscus); from memory.
    """
    k = MENISCUS if meniscus else PLANO_CONVEX
    return k * beam_mm**3 / focal_length_mm**2


def beam_radius(
    *, waist_radius_mm: ArrayLike, rayleigh_mm: ArrayLike, height_mm: ArrayLike
) -> NDArray[np.float64]:
    """Return the 1/e2 radius at a height from the waist, mm: w0 sqrt(1 + (z / zR)^2).

    Shapes broadcast.
    """
    ratio = np.asarray(height_mm, float) / np.asarray(rayleigh_mm, float)
    result: NDArray[np.float64] = np.asarray(waist_radius_mm, float) * np.sqrt(1 + ratio**2)
    return result


def finest_dpi(spot_mm: float) -> float:
    """Return 25.4 / spot: lines per inch at which neighbouring lines just touch at the
    1/e2 width.
    """
    return 25.4 / spot_mm


def default_pitch(spot_mm: float) -> float:
    """Return a line pitch that fills evenly: 0.6 spot, rounded down to 0.005 mm, at least
    0.01 mm.
    """
    return max(0.01, math.floor(EVEN_FILL * spot_mm / 0.005 + 1e-9) * 0.005)
