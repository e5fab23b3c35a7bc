"""The numbers before the first coupon, and the stand-in, held against the tables of practice."""

import math
from collections.abc import Sequence

import numpy as np

from tests.practice import (
    CutBelief,
    Practised,
    belief_of,
    bench_bars,
    benched,
    cut_bars,
    foretell,
    practised_cuts,
    tone_bars,
)

USUAL_MARGIN = 1.5  # a shop runs its cuts at about two thirds of the speed at the edge
SHRINK = 1.0  # how many rows' worth of belief a family's own figure has


def measure():
    cuts = list(practised_cuts())
    beliefs = [belief_of(row) for row in cuts]
    yield from cut_bars(beliefs)
    yield from tone_bars()
    yield from bench_bars([benched(row) for row in cuts])
    shipped, left_out, held = _left_out(beliefs)
    print(
        f"      mean ln of the chance given to what came of {len(cuts)} cuts: {shipped:.3f}; each "
        f"row left out of its family's figure: {left_out:.3f}"
    )
    yield "log score with the row left out, over an even chance", left_out / math.log(0.5), 0.75
    yield "edges outside their 80 % range with the row left out", 1 - held, 0.2


def _left_out(beliefs: Sequence[CutBelief]) -> tuple[float, float, float]:
    """The mean log score as shipped, and with each family's energies set by its other rows alone;
    and how often the 80 % range of the edge holds what the row tells of it.
    """
    shipped, scores, held = [], [], []
    for one in beliefs:
        kin = [
            other
            for other in beliefs
            if other is not one
            and other.row.outcome == "free"
            and other.edge
            and other.row.stock.family == one.row.stock.family
            and other.row.machine.source == one.row.machine.source
        ]
        off = [math.log(other.edge / USUAL_MARGIN) for other in kin]
        scale = math.exp(sum(off) / (len(off) + SHRINK))
        told = foretell(one.row, scale)
        shipped.append(_score(one.row, one.chance))
        scores.append(_score(one.row, told.chance))
        if one.row.outcome == "free":
            held.append(told.low <= USUAL_MARGIN <= told.high)
    return float(np.mean(shipped)), float(np.mean(scores)), float(np.mean(held))


def _score(row: Practised, chance: float) -> float:
    happened = chance if row.outcome == "free" else 1 - chance
    return math.log(max(happened, 1e-3))
