"""Several photos of one side: what they show of each cell together.

A cell that one photo cannot judge is judged by another; where several judge it their mean counts,
and where they contradict each other none does.
"""

from __future__ import annotations

import statistics
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from olive_almanac.core.records.sight import CellSight

__all__ = ["DIFFER", "seen_together", "tones_apart"]

DIFFER = "photos_differ"  # the flag of a cell on which photos contradict each other
MOST_APART_L = 5.0  # L*, by which two photos of one patch may differ
MEANS = ("delta_l", "lightness", "evenness", "halo_mm", "line_mm", "near_l", "sd_l")


def seen_together(photos: Sequence[Sequence[CellSight]]) -> tuple[CellSight, ...]:
    """Return what photos of one side show together of each cell, in the order of the first."""
    if len(photos) == 1:
        return tuple(photos[0])
    return tuple(_of_one(sights) for sights in _by_cell(photos))


def tones_apart(photos: Sequence[Sequence[CellSight]]) -> float | None:
    """Return by how much photos differ in the mean on patches that more than one judges, L*; None
    where there are none.
    """
    spans = []
    for sights in _by_cell(photos):
        tones = [one.delta_l for one in sights if one.delta_l is not None and not one.flags]
        if len(tones) > 1:
            spans.append(max(tones) - min(tones))
    return statistics.fmean(spans) if spans else None


def _by_cell(photos: Sequence[Sequence[CellSight]]) -> list[list[CellSight]]:
    """What the photos show of each cell, cell by cell."""
    found: dict[str, list[CellSight]] = {}
    for cells in photos:
        for cell in cells:
            found.setdefault(cell.cell, []).append(cell)
    return list(found.values())


def _of_one(sights: Sequence[CellSight]) -> CellSight:
    """What several photos show of one cell."""
    clear = [one for one in sights if not one.flags]
    if not clear:
        return min(sights, key=lambda one: len(one.flags))
    if len(clear) > 2:
        clear = _agreeing(clear)
    if len(clear) == 1:
        return clear[0]
    first = clear[0]
    if _contradict(clear):
        return replace(first, flags=(DIFFER,), confidence=min(one.confidence for one in clear))
    means: dict[str, Any] = {name: _mean(clear, name) for name in MEANS}
    return replace(first, confidence=max(one.confidence for one in clear), **means)


def _agreeing(clear: Sequence[CellSight]) -> list[CellSight]:
    """Those of three and more that stand by the most: near the median tone, and out or not."""
    outs = [one.out for one in clear]
    usual = max(set(outs), key=outs.count)
    tones = [one.delta_l for one in clear if one.delta_l is not None]
    middle = statistics.median(tones) if tones else 0.0
    return [
        one
        for one in clear
        if one.out == usual and (one.delta_l is None or abs(one.delta_l - middle) < MOST_APART_L)
    ] or list(clear)


def _contradict(clear: Sequence[CellSight]) -> bool:
    tones = [one.delta_l for one in clear if one.delta_l is not None]
    apart = max(tones) - min(tones) > MOST_APART_L if tones else False
    return apart or len({one.out for one in clear}) > 1 or len({one.open for one in clear}) > 1


def _mean(clear: Sequence[CellSight], name: str) -> float | None:
    values = [value for one in clear if (value := getattr(one, name)) is not None]
    return round(statistics.fmean(values), 4) if values else None
