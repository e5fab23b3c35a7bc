"""The tone curve of a greyscale strip: 256 grey steps that come out at even steps of lightness.

Lightness over power follows the curve of core.fitting.tone at one speed and pitch; the part up to
its turn is inverted. docs/methods.md, section Engrave.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.fitting.tone import ToneCurve, ToneData, fit_lightness
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.words import tr

__all__ = ["ToneTable", "tone_table", "tone_table_of"]

Floats = NDArray[np.float64]
GREYS = 256
LEAST_STEPS = 8


@dataclass(frozen=True)
class ToneTable:
    """For greys 0 (bare stock) to 255 (darkest, or lightest on dark stock): the dialled fraction of
    power [256] and the L* expected [256], at `setting`'s speed and pitch.

    `off_l` is the largest distance of the measured steps from the fitted curve's straight ramp were
    it burnt through the table: what the fit leaves, in L*; `uncorrected_l` the same for power
    rising evenly.
    """

    setting: Setting
    power: Floats
    lightness: Floats
    curve: ToneCurve
    off_l: float
    uncorrected_l: float
    measured: tuple[tuple[float, float], ...]  # power and L* of each step

    dial_name: ClassVar[str] = tr("Power")

    @property
    def dial(self) -> Floats:
        """What is dialled for each grey: the fraction of power."""
        return self.power

    def lightness_at(self, power: Floats) -> Floats:
        """Return the L* of fractions of power [n]."""
        return self.curve.lightness(power)

    @property
    def says(self) -> str:
        """What the table is good for, in words."""
        reach = abs(float(self.lightness[-1] - self.lightness[0]))
        return tr(
            "{greys} even greys over {reach:.0f} L* from {measured} steps; the steps lie "
            "within {off_l:.1f} L* of the curve. Without the table the ramp would be up "
            "to {uncorrected_l:.0f} L* off.",
            greys=GREYS,
            reach=reach,
            measured=len(self.measured),
            off_l=self.off_l,
            uncorrected_l=self.uncorrected_l,
        )


def tone_table(
    power: Sequence[float],
    lightness: Sequence[float],
    setting: Setting,
    *,
    blank: float | None = None,
) -> ToneTable:
    """Return the table from steps of power (fractions) and their L*.

    Raises OutOfRange with fewer than 8 steps or where the lightness hardly changes.
    """
    order = np.argsort(power)
    x, y = np.asarray(power, float)[order], np.asarray(lightness, float)[order]
    if len(x) < LEAST_STEPS:
        raise OutOfRange(
            tr("Steps with a lightness"),
            len(x),
            tr("at least {least_steps}", least_steps=LEAST_STEPS),
        )
    curve = fit_lightness(
        ToneData(np.log(np.maximum(x, 1e-6)), np.full(len(x), np.nan), y, np.zeros(len(x))),
        blank=blank,
    )
    fine = np.linspace(0.0, float(x[-1]), 2001)
    if curve is None:
        raise OutOfRange(
            tr("Steps with a lightness"),
            len(x),
            tr("at least {least_steps}", least_steps=LEAST_STEPS),
        )
    way = np.abs(curve.lightness(fine) - curve.blank)
    turn = int(way.argmax())
    reach = np.maximum.accumulate(way[: turn + 1])
    if reach[-1] < 5:
        raise OutOfRange(
            tr("Change of lightness over the strip"),
            f"{reach[-1]:.1f}",
            tr("at least 5 L*: burn it stronger or slower"),
        )
    even = np.linspace(0.0, reach[-1], GREYS)
    rising = reach + 1e-9 * np.arange(len(reach))
    table = np.interp(even, rising, fine[: turn + 1])
    if curve.lightness(float(fine[turn])) > curve.blank:
        sign = 1.0
    else:
        sign = -1.0
    used = x <= fine[turn] * 1.0001
    off = np.abs(y[used] - curve.lightness(x[used]))
    plain = np.abs(
        curve.lightness(np.linspace(0, float(fine[turn]), GREYS)) - (curve.blank + sign * even)
    )
    return ToneTable(
        setting,
        table,
        curve.blank + sign * even,
        curve,
        float(off.max(initial=0.0)),
        float(plain.max()),
        tuple((float(a), float(b)) for a, b in zip(x, y, strict=True)),
    )


def tone_table_of(trial: Trial, readings: Sequence[Reading]) -> ToneTable:
    """Return the table from the readings of a greyscale strip: its steps of power at one speed and
    pitch.
    """
    known = {reading.cell: reading for reading in readings}
    steps = [
        (cell, known[cell.id])
        for cell in trial.cells
        if cell.id in known and known[cell.id].lightness is not None
    ]
    blanks = [
        r.lightness - r.delta_l
        for _, r in steps
        if r.lightness is not None and r.delta_l is not None
    ]
    blank = None
    if len(blanks) >= 3:
        blank = float(np.median(blanks))
    lightness = [float(reading.lightness) for _, reading in steps if reading.lightness is not None]
    return tone_table(
        [cell.setting.power for cell, _ in steps], lightness, trial.cells[-1].setting, blank=blank
    )
