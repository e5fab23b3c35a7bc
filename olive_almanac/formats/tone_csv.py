"""The tone curve as a table for other programs: one line per grey."""

from __future__ import annotations

import csv
import io

from olive_almanac.core.fitting.dot_table import DotTable
from olive_almanac.core.fitting.tone_table import ToneTable

__all__ = ["HEADS", "write_tone_csv"]

HEADS = {"Power": "power_percent", "Share of dots": "dots_percent"}


def write_tone_csv(table: ToneTable | DotTable) -> str:
    """Return 256 lines, 0 bare stock to 255 strongest tone, the dialled power, or the share of
    dots, in percent and the L* expected.
    """
    stream = io.StringIO()
    lines = csv.writer(stream, lineterminator="\r\n")
    lines.writerow(("grey", HEADS[table.dial_name], "lightness"))
    for grey, (dialled, lightness) in enumerate(zip(table.dial, table.lightness, strict=True)):
        lines.writerow([grey, f"{100 * dialled:.2f}", f"{lightness:.1f}"])
    return stream.getvalue()
