"""What a planned trial is expected to show, cell by cell, before anything burns; and where the edge
should lie.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.deciding.cut_knowledge import MAP_PARTICLES, FittedCut, know_cut
from olive_almanac.core.deciding.engrave import know_tone
from olive_almanac.core.design.kinds.kind import kind_of
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.trial import Cell, Trial

__all__ = ["Expected", "Outlook", "expect"]

Floats = NDArray[np.float64]
Pairs = Sequence[tuple[Trial, Sequence[Reading]]]
Expected = Literal[
    "through", "edge", "not_through", "chars", "too_light", "right", "too_dark", "unknown"
]
LIKELY, UNLIKELY = 0.8, 0.2
EXPECT_SEED = 11


@dataclass(frozen=True)
class Outlook:
    """By cell id: what is expected, and the chance of the good outcome (falls free, or the right
    tone).

    `edges` are lines in coupon mm on which the good outcome is as likely as not; `cells_read` tells
    what it rests on; `known` makes the next outlook of the same subject quicker.
    """

    expected: dict[str, Expected]
    chance: dict[str, float]
    edges: tuple[tuple[tuple[float, float], ...], ...]
    cells_read: int
    known: FittedCut | None = field(default=None, repr=False, compare=False)


def expect(trial: Trial, pairs: Pairs = (), *, previous: FittedCut | None = None) -> Outlook:
    """Return the outlook of a trial from readings of its subject, its own among them (none: the
    family's prior).
    """
    known: FittedCut | None = None
    if trial.task == "cut":
        known = know_cut(
            trial.machine,
            trial.stock,
            pairs,
            rng=np.random.default_rng(EXPECT_SEED),
            previous=previous,
        )
        expected, chance, read = _cut(trial, known)
    else:
        expected, chance, read = _tone(trial, pairs)
    edges: tuple[tuple[tuple[float, float], ...], ...] = ()
    if kind_of(trial.kind).shows_edge:
        edges = _edges(trial.cells, chance)
    return Outlook(expected, chance, edges, read, known)


def _cut(trial: Trial, known: FittedCut) -> tuple[dict[str, Expected], dict[str, float], int]:
    settings = [cell.setting for cell in trial.cells]
    power, speed, passes, focus = (
        np.array(axis, float)
        for axis in zip(
            *((s.power, s.speed_mm_s, s.passes, s.mean_focus_mm) for s in settings), strict=True
        )
    )
    chance = known.chance(
        power=power, speed_mm_s=speed, passes=passes, focus_mm=focus, particles=MAP_PARTICLES
    )
    char = known.char_above(power=power, speed_mm_s=speed, passes=passes)[1]
    expected: dict[str, Expected] = {}
    for cell, good, charred in zip(trial.cells, chance, char, strict=True):
        word: Expected
        if UNLIKELY < good < LIKELY:
            word = "edge"
        elif good <= UNLIKELY:
            word = "not_through"
        else:
            word = "through"
        if word == "through" and charred > 0.5:
            expected[cell.id] = "chars"
        else:
            expected[cell.id] = word
    return (
        expected,
        {cell.id: float(p) for cell, p in zip(trial.cells, chance, strict=True)},
        known.cells_read,
    )


def _tone(trial: Trial, pairs: Pairs) -> tuple[dict[str, Expected], dict[str, float], int]:
    known = know_tone(trial.machine, trial.stock, pairs, task=trial.task)
    judged = [cell for cell in trial.cells if trial.task == "score" or cell.setting.pitch_mm > 0]
    expected: dict[str, Expected] = {cell.id: "unknown" for cell in trial.cells}
    chance = {cell.id: 0.0 for cell in trial.cells}
    if judged:
        chances = known.chances_at([known.counted(cell.setting) for cell in judged])
        words: tuple[Expected, ...] = ("too_light", "right", "too_dark")
        for i, cell in enumerate(judged):
            best = int(chances[:, i].argmax())
            if chances[best, i] > 0.5:
                expected[cell.id] = words[best]
            else:
                expected[cell.id] = "edge"
            chance[cell.id] = float(chances[1, i])
    return expected, chance, known.cells_read


def _edges(
    cells: Sequence[Cell], chance: dict[str, float]
) -> tuple[tuple[tuple[float, float], ...], ...]:
    """Lines through the places where the chance passes one half along the rows (or, with one
    column, the columns).
    """
    crossings: dict[float, list[float]] = {}
    for low, line in _lines_of(cells, along=0):
        found = _passes_half(line, chance, along=0)
        if found:
            crossings[low] = found
    if crossings:
        most = max(len(found) for found in crossings.values())
        lines = [
            tuple((found[n], y) for y, found in sorted(crossings.items()) if len(found) > n)
            for n in range(most)
        ]
    else:
        columns = [
            (x, _passes_half(line, chance, along=1)) for x, line in _lines_of(cells, along=1)
        ]
        lines = [tuple((x, found[0]) for x, found in columns if found)]
    return tuple(line for line in lines if line)


def _lines_of(cells: Sequence[Cell], *, along: int) -> list[tuple[float, list[Cell]]]:
    groups: dict[float, list[Cell]] = {}
    for cell in cells:
        groups.setdefault(round(_middle(cell)[1 - along], 3), []).append(cell)
    return [
        (at, sorted(group, key=lambda c: _middle(c)[along])) for at, group in sorted(groups.items())
    ]


def _middle(cell: Cell) -> tuple[float, float]:
    x, y, w, h = cell.rect_mm
    return (x + w / 2, y + h / 2)


def _passes_half(line: Sequence[Cell], chance: dict[str, float], *, along: int) -> list[float]:
    found = []
    for a, b in itertools.pairwise(line):
        p, q = chance[a.id] - 0.5, chance[b.id] - 0.5
        if p * q < 0:
            here, there = _middle(a)[along], _middle(b)[along]
            found.append(round(here + (there - here) * p / (p - q), 3))
    return found
