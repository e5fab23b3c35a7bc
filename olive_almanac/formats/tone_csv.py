"""The tone curve as a table for other programs: one line per grey."""

from __future__ import annotations

import csv
import io

from olive_almanac.core.fitting.tone_table import ToneTable

__all__ = ["HEADS", "write_tone_csv"]

HEADS = ("grey", "power_percent", "lightness")


def write_tone_csv(table: ToneTable) -> str:
    """Return 256 lines, 0 bare stock to 255 strongest tone, the dialled power in percent and the L*
    expected.
    """
    stream = io.StringIO()
    lines = csv.writer(stream, lineterminator="\r\n")
    lines.writerow(HEADS)
    for grey, (power, lightness) in enumerate(zip(table.power, table.lightness, strict=True)):
        lines.writerow([grey, f"{100 * power:.2f}", f"{lightness:.1f}"])
    return stream.getvalue()
