"""What varies in this shop from day to day, from its own records where there are some: thickness,
focus, power.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from statistics import fmean, stdev

import numpy as np

from olive_almanac.core.deciding.cut_knowledge import FittedCut
from olive_almanac.core.deciding.scan import USUAL_DRIFT, ShopDrift
from olive_almanac.core.fitting.cut import data_of
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.units import number_text
from olive_almanac.core.words import tr

__all__ = ["drift_of_records"]

Pairs = Sequence[tuple[Trial, Sequence[Reading]]]
LEAST_RECORDS = 3
HALF_WIDTH_PER_SD = 3**0.5  # of an even distribution
LEAST_THICKNESS, LEAST_POWER, LEAST_FOCUS_MM = (
    0.01,
    0.02,
    0.3,
)  # three records never prove that nothing varies
SHIFTS = np.linspace(-0.6, 0.6, 61)  # of ln energy, tried for each weekly coupon


def drift_of_records(
    stock: Stock,
    *,
    focus_heights_mm: Sequence[float] = (),
    weekly: Pairs = (),
    known: FittedCut | None = None,
) -> ShopDrift:
    """Return the drift to allow for: each part from at least three records, else the usual one.

    Thickness from the stock's caliper readings, focus from the heights that focus tests of this
    machine found (mm), power from weekly checks: how far each coupon's readings shift the edge that
    is `known`.
    """
    drift, says = USUAL_DRIFT, []
    if len(stock.measured_mm) >= LEAST_RECORDS:
        share = max(
            LEAST_THICKNESS, HALF_WIDTH_PER_SD * stdev(stock.measured_mm) / fmean(stock.measured_mm)
        )
        drift = replace(drift, thickness=share)
        says.append(
            tr(
                "thickness ± {share} % from {measured_mm} caliper readings",
                share=number_text(100 * share, 2),
                measured_mm=len(stock.measured_mm),
            )
        )
    if len(focus_heights_mm) >= LEAST_RECORDS:
        off = max(LEAST_FOCUS_MM, HALF_WIDTH_PER_SD * stdev(focus_heights_mm))
        drift = replace(drift, focus_mm=off)
        says.append(
            tr(
                "focus ± {off} mm from {focus_heights_mm} focus tests",
                off=number_text(off, 2),
                focus_heights_mm=len(focus_heights_mm),
            )
        )
    if known is not None:
        shifts = _weekly_shifts(known, weekly)
    else:
        shifts = []
    if len(shifts) >= LEAST_RECORDS:
        share = max(LEAST_POWER, HALF_WIDTH_PER_SD * stdev(shifts))
        drift = replace(drift, power=share)
        says.append(
            tr(
                "power ± {share} % from {shifts} weekly checks",
                share=number_text(100 * share, 2),
                shifts=len(shifts),
            )
        )
    return replace(drift, says=tuple(says))


def _weekly_shifts(known: FittedCut, weekly: Pairs) -> list[float]:
    """The shift of ln energy that makes each weekly coupon likeliest, at the middle of what is
    known.
    """
    middle = known.posterior.resampled(1)
    shifts = []
    for trial, readings in weekly:
        data = data_of(known.case, [(trial, readings)])
        if len(data) < LEAST_RECORDS:
            continue
        margin = middle.margin(data.burns, known.case.thickness_mm)[0]
        noise, band = float(middle.noise[0, 0]), float(middle.hang_band[0, 0])
        inside = (
            np.where(np.isneginf(data.band_low), -9.0, data.band_low * band),
            np.where(np.isposinf(data.band_high), 9.0, data.band_high * band),
        )
        moved = margin + SHIFTS[:, None]
        miss = np.maximum(inside[0] - moved, 0) + np.maximum(moved - inside[1], 0)
        shifts.append(float(SHIFTS[((miss / noise) ** 2).sum(1).argmin()]))
    return shifts
