"""Outliers: readings that the model does not expect, and why they may be wrong."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.deciding.cut_knowledge import FittedCut
from olive_almanac.core.fitting.cut import BANDS, LAPSE, verdict_chance
from olive_almanac.core.records.reading import VERDICT_WORDS, Reading
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.words import tr

__all__ = ["Outlier", "outlying_readings"]

Floats = NDArray[np.float64]
Pairs = Sequence[tuple[Trial, Sequence[Reading]]]
UNLIKELY = 0.08  # a reading less likely than this, given all the others, is an outlier
ORDER = ("not_through", "hangs", "free")  # from weak to strong; "push" lies between the last two
STRENGTH = {"not_through": 0, "hangs": 1, "push": 1, "holds": 1, "free": 2}
MANY = 3  # outliers that together point to a common cause


@dataclass(frozen=True)
class Outlier:
    """A reading, the chance of its verdict given all the other readings, the likeliest verdict, and
    what may be wrong.
    """

    trial: str
    cell: str
    verdict: str
    chance: float
    expected: str
    why: str


def outlying_readings(knowledge: FittedCut, pairs: Pairs) -> tuple[Outlier, ...]:
    """Return the readings of the subject's own coupons that the model does not expect, least likely
    first.

    Each reading is judged without itself: the particles' weights are divided by its own likelihood.
    """
    data = knowledge.data
    if len(data) < 2:
        return ()
    groove, weight = knowledge.posterior.groove, knowledge.posterior.weight
    margin = groove.margin(data.burns, knowledge.case.thickness_mm)
    chances = np.stack(
        [
            verdict_chance(
                margin,
                groove.noise,
                groove.hang_band,
                *(np.full(len(data), end, np.float32) for end in BANDS[name]),
            )
            for name in ORDER
        ]
    )
    seen = verdict_chance(margin, groove.noise, groove.hang_band, data.band_low, data.band_high)
    without = weight[:, None] / ((1 - LAPSE) * seen + LAPSE / 3)
    without /= without.sum(0)
    chance, others = (without * seen).sum(0), (without * chances).sum(1)
    found = [int(i) for i in np.flatnonzero((chance < UNLIKELY) & (others.max(0) > 0.5))]
    settings = {(trial.id, cell.id): cell.setting for trial, _ in pairs for cell in trial.cells}
    names = {trial.id: trial.name for trial, _ in pairs}
    expected = [ORDER[i] for i in others.argmax(0)]
    causes = _common_causes(data.cells, data.verdicts, expected, found, settings, names)
    rows = [
        Outlier(
            *data.cells[i],
            data.verdicts[i],
            float(chance[i]),
            expected[i],
            _why(i, data.cells, data.verdicts, expected[i], settings, causes),
        )
        for i in found
    ]
    return tuple(sorted(rows, key=lambda row: row.chance))


def _common_causes(
    cells: Sequence[tuple[str, str]],
    verdicts: Sequence[str],
    expected: Sequence[str],
    found: Sequence[int],
    settings: dict[tuple[str, str], Setting],
    names: dict[str, str],
) -> dict[int, str]:
    """Say of readings that go wrong together what may have changed: a whole coupon, or one height
    of the focus.
    """
    weaker = {i: STRENGTH[verdicts[i]] < STRENGTH[expected[i]] for i in found}
    coupons = Counter((cells[i][0], weak) for i, weak in weaker.items())
    heights = Counter((settings[cells[i]].focus_mm, weak) for i, weak in weaker.items())
    read_at = Counter(settings[cell].focus_mm for cell in cells)
    causes = {}
    for i, weak in weaker.items():
        coupon, height = cells[i][0], settings[cells[i]].focus_mm
        way = tr("stronger")
        if weak:
            way = tr("weaker")
        if coupons[coupon, weak] >= MANY and len(names) > 1:
            causes[i] = tr(
                "{names} reads {way} throughout: another lot, a dirty lens, or the power has "
                "drifted.",
                names=names[coupon],
                way=way,
            )
        elif (
            heights[height, weak] >= MANY
            and len(read_at) > 1
            and heights[height, weak] > read_at[height] / 4
        ):
            causes[i] = tr(
                "Cells at focus {height:g} mm read {way}: was the focus where it was thought "
                "to be?",
                height=height,
                way=way,
            )
    return causes


def _why(
    index: int,
    cells: Sequence[tuple[str, str]],
    verdicts: Sequence[str],
    expected: str,
    settings: dict[tuple[str, str], Setting],
    causes: dict[int, str],
) -> str:
    if index in causes:
        return causes[index]
    for other, cell in enumerate(cells):
        if (
            other != index
            and settings[cell] == settings[cells[index]]
            and verdicts[other] != verdicts[index]
        ):
            return tr(
                "{cell}, burnt alike, reads “{verdicts}”: look at both.",
                cell=cell[1],
                verdicts=VERDICT_WORDS.get(verdicts[other], tr("Holds")),
            )
    if STRENGTH[verdicts[index]] < STRENGTH[expected]:
        return tr("A knot, a glue line, a poor hold-down, or a slip of the key.")
    return tr("It may still hang by a thread, or a slip of the key.")
