"""The cells of a trial as a table for a spreadsheet."""

from __future__ import annotations

import csv
import io

from olive_almanac.core.records.factors import further_factors
from olive_almanac.core.records.trial import Trial
from olive_almanac.formats.plain_text import cell_text

__all__ = ["HEADS", "write_cells"]

HEADS = (
    "cell",
    "order",
    "mark",
    "x_mm",
    "y_mm",
    "width_mm",
    "height_mm",
    "nominal_mm",
    "power_percent",
    "speed_mm_s",
    "passes",
    "focus_mm",
    "focus_step_mm",
    "pitch_mm",
    "crosshatch",
    "direction",
    "air",
    "beam",
    "seconds",
)  # and behind them a column for each factor that only some settings have


def write_cells(trial: Trial) -> str:
    """Return one line per cell in the order in which they burn, decimal points, commas between; no
    cell is a formula.
    """
    stream = io.StringIO()
    table = csv.writer(stream, lineterminator="\r\n")
    further = further_factors(cell.setting for cell in trial.cells)
    table.writerow([*HEADS, *(factor.field for factor in further)])
    for cell in trial.in_order:
        s = cell.setting
        table.writerow(
            [
                cell_text(cell.id),
                cell.order,
                cell_text(cell.mark),
                *cell.rect_mm,
                cell.nominal_mm,
                round(100 * s.power, 4),
                round(s.speed_mm_s, 6),
                s.passes,
                s.focus_mm,
                s.focus_step_mm,
                s.pitch_mm,
                "yes" if s.crosshatch else "no",
                s.direction,
                s.air,
                s.beam,
                cell.seconds,
                *(factor.of(s) for factor in further),
            ]
        )
    return stream.getvalue()
