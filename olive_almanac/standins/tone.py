"""What a raster looks like, for the stand-in bench: two parts of the surface that change in turn,
then over-burn.

Own physics (common practice, no source): a soft part that follows the angle of the dose, a hard
part that comes in with its square, over-burn that sets in over a decade of dose, lines too far
apart that leave stock between them, haze by air.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.light import lightness, luminance
from olive_almanac.core.placing.dots import flat_dots
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.stock import Stock
from olive_almanac.standins.groove import Dials, spread_of_beam, watts_of
from olive_almanac.standins.material import Hidden

__all__ = ["Toned", "dotted_lightness", "tone"]

Floats = NDArray[np.float64]
SOFT_SHARE = 0.45
DOT_PATCH = 40  # dots along a side of the patch that is looked at closely
FINE = 4  # places along a dot
DOSE_STEPS = 25
PLASTICS = ("acrylic", "acrylic_extruded", "petg", "pp")


@dataclass(frozen=True)
class Toned:
    """A rastered patch [n]: its L*, the spread of L* within it, how far haze reaches (mm) and how
    far it lifts the tone beside it (L*), the dose that the stock took up (J/mm2), and whether it
    cracked.
    """

    lightness: Floats
    spread: Floats
    haze_mm: Floats
    haze_l: Floats
    dose_j_mm2: Floats
    cracked: NDArray[np.bool_]


def tone(
    hidden: Hidden, machine: Machine, stock: Stock, dials: Dials, *, pitch_mm: Floats, ways: Floats
) -> Toned:
    """Return what patches rastered at these settings look like; `ways` is 2 where the lines are
    crossed.
    """
    made = hidden.made
    sent = (
        watts_of(hidden, machine, dials.fraction)
        * dials.strength
        * hidden.takes_up
        * hidden.marks
        * (1 - hidden.lens_loss)
    )
    off = -(dials.focus_mm + dials.shift_mm)
    along_y = dials.way == 1
    line = np.where(
        along_y, spread_of_beam(hidden, machine, 0, off), spread_of_beam(hidden, machine, 1, off)
    )
    sharp = np.where(along_y, machine.spot_x_mm, machine.spot_y_mm) * hidden.spot_scale
    dose = (
        ways
        * dials.passes
        * sent
        / (dials.speed_mm_s * pitch_mm)
        * (sharp / line) ** 0.25
        * (1 + dials.warm)
    )
    made_soft, made_hard = made.soft * dials.luck**0.5, made.hard * dials.luck**0.5
    soft = 2 / np.pi * np.arctan(1.3 * (dose / made_soft) ** 1.6)
    hard = dose**2 / (dose**2 + made_hard**2)
    beyond = np.clip(np.log10(np.maximum(dose, 1e-9) / made.over) + 0.6, 0.0, 1.0)
    over = beyond**2 * (3 - 2 * beyond)
    change = (made.burnt_l - made.bare_l) * (
        SOFT_SHARE * soft + (1 - SOFT_SHARE) * hard
    ) + made.over_l * over
    covered = np.minimum(1.0, 1.25 * line / pitch_mm)
    covered = np.where(ways > 1, 1 - (1 - covered) ** 2, covered)
    stripes = np.clip(pitch_mm / line - 0.7, 0.0, 1.0) * np.abs(change) * 0.18 / ways
    full = dials.air == 2
    plastic = hidden.kind in PLASTICS
    haze = np.where(full & plastic, 0.9, 0.15) * np.sqrt(np.clip(dose / made_hard, 0, 4))
    if not made.cracks:
        cracked = np.full(len(dials), False)
    else:
        cracked = dose > made.cracks * dials.luck**2
    if made.cracks and stock.mask:  # what lies on the glass carries heat away
        cracked = dose > 1.6 * made.cracks * dials.luck**2
    spread = (
        made.uneven * (0.4 + soft)
        + stripes
        + np.where(cracked, 5.0, 0.0)
        + np.where(full & plastic, 1.6 * soft, 0.0)
    )
    toned_l = np.clip(made.bare_l + covered * change + np.where(cracked, 4.0, 0.0), 3.0, 98.0)
    lifts = (
        np.where(full & plastic, 9.0, 2.5)
        * np.tanh(dose / made_hard)
        * np.sign(made.burnt_l - made.bare_l)
    )
    return Toned(toned_l, spread, haze, lifts, dose, cracked)


def dotted_lightness(
    hidden: Hidden, machine: Machine, stock: Stock, dials: Dials, *, pitch_mm: float, share: float
) -> float:
    """Return the L* of a patch of dots, of one row of dials: each dot spreads as the beam is wide,
    and what the eye sees is the mean of the light that comes back.
    """
    off = -(dials.focus_mm + dials.shift_mm)
    widths = [float(spread_of_beam(hidden, machine, axis, off)[0]) for axis in (0, 1)]
    side = DOT_PATCH * pitch_mm
    dots = np.kron(flat_dots(side, side, pitch_mm, share), np.ones((FINE, FINE)))
    sigma = [width / 4 / pitch_mm * FINE for width in widths]
    dose = cv2.GaussianBlur(dots, (0, 0), sigmaX=sigma[0], sigmaY=sigma[1])
    levels = np.linspace(0.0, 1.0, DOSE_STEPS)
    many = dials.repeated(DOSE_STEPS)
    many = replace(many, strength=many.strength * np.maximum(levels, 1e-6))
    ones = np.ones(DOSE_STEPS)
    tones = tone(hidden, machine, stock, many, pitch_mm=pitch_mm * ones, ways=ones).lightness
    return float(lightness(luminance(np.interp(dose, levels, tones)).mean()))
