"""The tone of dots: what share of a raster's dots makes which lightness, from a dot strip.

Burnt and bare stock mix in linear reflectance, as in print (Murray 1936, Davies 1935); dots that
are wider than their pitch cover more than their share: 1 - (1 - share)^gain, and light that spreads
within the stock bends the mix (Yule and Nielsen 1951).  docs/methods.md, section Jobs.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.optimize import least_squares

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.fitting.tone_table import GREYS, LEAST_STEPS
from olive_almanac.core.light import lightness, luminance
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.words import tr

__all__ = ["DotTable", "dot_table", "dot_table_of", "mixed_lightness", "plain_share"]

Floats = NDArray[np.float64]
LEAST_CHANGE_L = 5.0
GAIN, BEND = (0.6, 6.0), (1.0, 4.0)  # the ranges in which gain and bend are sought


@dataclass(frozen=True)
class DotTable:
    """For greys 0 (bare stock) to 255 (all dots burnt): the share of dots [256] and the L* expected
    [256], at `setting`'s power, speed and pitch.

    `off_l` is the largest distance of a measured patch from the curve, L*; `uncorrected_l` how far
    off a share would be that is taken from the wanted tone alone.
    """

    setting: Setting
    share: Floats
    lightness: Floats
    bare_l: float
    solid_l: float
    gain: float
    bend: float
    off_l: float
    uncorrected_l: float
    measured: tuple[tuple[float, float], ...]  # share and L* of each patch

    dial_name: ClassVar[str] = tr("Share of dots")

    @property
    def dial(self) -> Floats:
        """What makes each grey: the share of dots."""
        return self.share

    def lightness_at(self, share: ArrayLike) -> Floats:
        """Return the L* of a share of dots."""
        return mixed_lightness(share, self.bare_l, self.solid_l, self.gain, self.bend)

    @property
    def says(self) -> str:
        """What the table is good for, in words."""
        reach = abs(self.solid_l - self.bare_l)
        return tr(
            "{greys} even greys over {reach:.0f} L* from {measured} patches of dots; the "
            "patches lie within {off_l:.1f} L* of the curve. Without the table a picture "
            "would be up to {uncorrected_l:.0f} L* off.",
            greys=GREYS,
            reach=reach,
            measured=len(self.measured),
            off_l=self.off_l,
            uncorrected_l=self.uncorrected_l,
        )


def mixed_lightness(
    share: ArrayLike, bare_l: float, solid_l: float, gain: float, bend: float
) -> Floats:
    """Return L* where a share of the dots is burnt."""
    part = 1 - (1 - np.clip(np.asarray(share, float), 0, 1)) ** gain
    bare, solid = (luminance(one) ** (1 / bend) for one in (bare_l, solid_l))
    return np.asarray(lightness((bare + (solid - bare) * part) ** bend))


def dot_table(
    share: Sequence[float],
    lightness: Sequence[float],
    setting: Setting,
    *,
    blank: float | None = None,
) -> DotTable:
    """Return the table from patches with a share of dots (0 to 1) and their L*; `blank` is the bare
    stock's where it was measured.

    Raises OutOfRange with fewer than 8 patches or where the lightness hardly changes.
    """
    order = np.argsort(share)
    x, y = np.asarray(share, float)[order], np.asarray(lightness, float)[order]
    if len(x) < LEAST_STEPS:
        raise OutOfRange(
            tr("Patches with a lightness"),
            len(x),
            tr("at least {least_steps}", least_steps=LEAST_STEPS),
        )

    def off(p: Floats) -> Floats:
        found = mixed_lightness(x, p[0], p[1], np.exp(p[2]), p[3]) - y
        return found if blank is None else np.append(found, p[0] - blank)

    start = [float(y[0]) if blank is None else blank, float(y[-1]), 0.3, 1.5]
    low, high = (0.5, 0.5, np.log(GAIN[0]), BEND[0]), (100.0, 100.0, np.log(GAIN[1]), BEND[1])
    start[0], start[1] = (float(np.clip(one, 1.0, 99.0)) for one in start[:2])
    found = least_squares(off, start, bounds=(low, high)).x
    bare_l, solid_l, bend = float(found[0]), float(found[1]), float(found[3])
    gain = float(np.exp(found[2]))
    if abs(solid_l - bare_l) < LEAST_CHANGE_L:
        raise OutOfRange(
            tr("Change of lightness over the strip"),
            f"{abs(solid_l - bare_l):.1f}",
            tr(
                "at least {least_change_l:.0f} L*: burn it stronger or slower",
                least_change_l=LEAST_CHANGE_L,
            ),
        )
    fine = np.linspace(0, 1, 2001)
    curve = mixed_lightness(fine, bare_l, solid_l, gain, bend)
    way = np.abs(curve - bare_l) + 1e-9 * np.arange(len(fine))
    even = np.linspace(0, abs(solid_l - bare_l), GREYS)
    dial = np.interp(even, way, fine)
    wanted = np.linspace(bare_l, solid_l, GREYS)
    plain = mixed_lightness(plain_share(wanted, bare_l, solid_l), bare_l, solid_l, gain, bend)
    return DotTable(
        setting,
        dial,
        wanted,
        bare_l,
        solid_l,
        gain,
        bend,
        float(np.abs(mixed_lightness(x, bare_l, solid_l, gain, bend) - y).max()),
        float(np.abs(plain - wanted).max()),
        tuple((float(a), float(b)) for a, b in zip(x, y, strict=True)),
    )


def plain_share(wanted: Floats, bare_l: float, solid_l: float) -> Floats:
    """Return the share that would do if dots covered neither more nor less than their place."""
    bare, solid = luminance(bare_l), luminance(solid_l)
    return np.asarray((luminance(wanted) - bare) / (solid - bare))


def dot_table_of(trial: Trial, readings: Sequence[Reading]) -> DotTable:
    """Return the table from the readings of a dot strip."""
    known = {reading.cell: reading for reading in readings}
    patches = [
        (cell, reading)
        for cell in trial.cells
        if (reading := known.get(cell.id)) is not None and reading.lightness is not None
    ]
    blanks = [
        reading.lightness - reading.delta_l
        for _, reading in patches
        if reading.lightness is not None and reading.delta_l is not None
    ]
    blank = float(np.median(blanks)) if len(blanks) >= 3 else None
    read_l = [float(one.lightness) for _, one in patches if one.lightness is not None]
    setting = trial.cells[-1].setting
    return dot_table([cell.dots for cell, _ in patches], read_l, setting, blank=blank)
