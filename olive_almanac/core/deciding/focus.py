"""Decide the focus from lines burnt at several heights."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from olive_almanac.core.beam.burnt_lines import LEAST_LINES, FocusFit, fit_burnt_lines
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.units import number_text

__all__ = ["FocusDecision", "decide_focus"]

WELL_KNOWN = 0.25  # standard error of the height in Rayleigh ranges


@dataclass(frozen=True)
class FocusDecision:
    """The fit (None: not yet), the measured lines as (height, width) in mm, and what it means in
    words.
    """

    fit: FocusFit | None
    lines: tuple[tuple[float, float], ...]
    says: str
    decided: bool = False


def decide_focus(trial: Trial, readings: Sequence[Reading]) -> FocusDecision:
    """Return where the focus lies below the top face, from the measured line widths of a focus
    trial.
    """
    known = {reading.cell: reading.kerf_mm for reading in readings}
    lines = tuple(
        (cell.setting.focus_mm, known[cell.id] or 0.0) for cell in trial.cells if known.get(cell.id)
    )
    heights = sorted(cell.setting.focus_mm for cell in trial.cells)
    try:
        fit = fit_burnt_lines(
            height_mm=[z for z, _ in lines],
            width_mm=[width for _, width in lines],
            rayleigh_mm=trial.machine.rayleigh_mm,
        )
    except OutOfRange:
        missing = LEAST_LINES - len({z for z, _ in lines})
        says = (
            f"Not decided yet: measure the width of {missing} more line{'s' * (missing != 1)}, "
            "by photo or with a gauge."
        )
        return FocusDecision(None, lines, says)
    where = (
        f"{number_text(abs(fit.focus_mm), 2)} mm {'below' if fit.focus_mm > 0 else 'above'} "
        "the top face"
    )
    error = number_text(fit.focus_se_mm, 2)
    says = f"The line is narrowest with the focus set {where}, ± {error} mm."
    if not heights[0] <= fit.focus_mm <= heights[-1]:
        return FocusDecision(
            fit,
            lines,
            (
                "The narrowest place lies outside the heights burnt, near "
                f"{number_text(fit.focus_mm, 2)} mm: burn further."
            ),
        )
    if not fit.telling:
        return FocusDecision(
            fit,
            lines,
            f"{says} The lines hardly differ: burn a wider range of heights, or with less power.",
        )
    if fit.focus_se_mm > WELL_KNOWN * fit.rayleigh_mm:
        return FocusDecision(fit, lines, f"{says} That is not sure enough: measure more lines.")
    return FocusDecision(fit, lines, says, decided=True)
