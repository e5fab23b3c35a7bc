"""Decide the focus from lines burnt at several heights."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from olive_almanac.core.beam.burnt_lines import LEAST_LINES, FocusFit, fit_burnt_lines
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.units import number_text
from olive_almanac.core.words import tr, trn

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
        says = trn(
            "Not decided yet: measure the width of {count} more line, by photo or with a gauge.",
            "Not decided yet: measure the width of {count} more lines, by photo or with a gauge.",
            missing,
        )
        return FocusDecision(None, lines, says)
    where = tr(
        "{focus_mm} mm {side} the top face",
        focus_mm=number_text(abs(fit.focus_mm), 2),
        side=tr("below") if fit.focus_mm > 0 else tr("above"),
    )
    error = number_text(fit.focus_se_mm, 2)
    says = tr(
        "The line is narrowest with the focus set {where}, ± {error} mm.", where=where, error=error
    )
    if not heights[0] <= fit.focus_mm <= heights[-1]:
        return FocusDecision(
            fit,
            lines,
            (
                tr(
                    "The narrowest place lies outside the heights burnt, near {focus_mm} mm: "
                    "burn further.",
                    focus_mm=number_text(fit.focus_mm, 2),
                )
            ),
        )
    if not fit.telling:
        return FocusDecision(
            fit,
            lines,
            tr(
                "{says} The lines hardly differ: burn a wider range of heights, or with less "
                "power.",
                says=says,
            ),
        )
    if fit.focus_se_mm > WELL_KNOWN * fit.rayleigh_mm:
        return FocusDecision(
            fit, lines, tr("{says} That is not sure enough: measure more lines.", says=says)
        )
    return FocusDecision(fit, lines, says, decided=True)
