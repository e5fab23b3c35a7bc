"""The book as a table for a spreadsheet: one line per entry, no cell that could run as a
formula.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable

from olive_almanac.core.records.entry import Entry
from olive_almanac.core.records.factors import further_factors
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.stock import Stock
from olive_almanac.formats.plain_text import cell_text

__all__ = ["HEADS", "write_book_csv"]

HEADS = (
    "entry",
    "state",
    "reason",
    "machine",
    "stock",
    "family",
    "thickness_mm",
    "lot",
    "task",
    "power_percent",
    "speed_mm_s",
    "passes",
    "focus_mm",
    "line_pitch_mm",
    "air",
    "kerf_x_mm",
    "kerf_y_mm",
    "chance",
    "margin_percent",
    "seconds_per_m",
    "seconds_per_100cm2",
    "good_burns",
    "written",
    "prepared",
    "notes",
    "simulated",
)
Line = tuple[Entry, Machine, Stock, str, str]


def write_book_csv(lines: Iterable[Line]) -> str:
    """Return the table from entries with their machine, stock, state in words and the state's
    reason.
    """
    stream = io.StringIO()
    table = csv.writer(stream, lineterminator="\r\n")
    every = tuple(lines)
    further = further_factors(line[0].setting for line in every)
    table.writerow([*HEADS, *(factor.field for factor in further)])
    for entry, machine, stock, state, reason in every:
        s, e = entry.setting, entry.evidence
        if e.margins.speed is None:
            margin = None
        else:
            margin = round(100 * (e.margins.speed - 1), 1)
        words = [
            cell_text(text)
            for text in (entry.uid, state, reason, machine.label, stock.name, stock.family)
        ]
        table.writerow(
            [
                *words,
                stock.thickness_mm,
                cell_text(stock.lot),
                entry.task,
                round(100 * s.power, 2),
                round(s.speed_mm_s, 4),
                s.passes,
                s.focus_mm,
                s.pitch_mm,
                s.air,
                entry.kerf_x_mm,
                entry.kerf_y_mm,
                e.probability,
                margin,
                e.seconds_per_m,
                e.seconds_per_100cm2,
                len(entry.passed_in_a_row),
                cell_text(entry.written),
                cell_text("" if entry.recipe.is_plain else entry.recipe.line),
                cell_text(entry.notes),
                "yes" if e.simulated else "",
                *(factor.of(s) for factor in further),
            ]
        )
    return stream.getvalue()
