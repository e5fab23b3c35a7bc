"""What a cut costs in the mean, hangs included; the pace of least cost; and whether a few cells
burnt first in a corner of the very sheet are worth it.  docs/methods.md, section Jobs.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.deciding.cut_knowledge import FittedCut
from olive_almanac.core.quoting.risk import (
    PATCH_MM,
    EarlierJob,
    FirstCell,
    JobRisk,
    Rows,
    risk_of,
    rows_of,
)
from olive_almanac.core.records.job import Hang
from olive_almanac.core.records.setting import Setting

__all__ = ["CellOffer", "JobPrice", "Pace", "costs_of", "offer_of", "paces_of"]

Floats = NDArray[np.float64]
FREEING_MIN = 2.0  # to free one place that hangs (common practice, no source)
SPOILS, PART_WORTH = 0.04, 3.0  # the chance that freeing spoils a part, and what that is worth
CLEARING_MIN = 5.0  # to clear the bed and lay another sheet (common practice, no source)
SPEEDS = 9
SLOWEST = 0.55  # of the middle of an edge
SUREST = 0.98
FLARES = 0.10  # the chance of a flare-up up to which a setting is used
LADDER = (0.95, 0.80, 0.55, 0.30)  # chances of one cell at which cells tell most
CELL_S, CELL_MM2 = 25.0, 150.0  # what a cell takes beside its burning: reading, and stock
WORTH_IT = 1.5  # the saving is reckoned a third too high: ask for that much more than it costs


@dataclass(frozen=True)
class JobPrice:
    """What counts: length of cut, mm; worth of the stock of one run; machine and person an hour;
    what else the run takes, s; what a hang costs.
    """

    length_mm: float
    stock: float
    hour_rate: float
    other_s: float = 0.0
    hang: Hang = "knife"


@dataclass(frozen=True)
class Pace:
    """A way to set the cut: by which rule, the setting, its risk, the time of the run, s, what the
    run costs and what it costs in the mean, hangs included.
    """

    rule: str  # book, least, surest
    setting: Setting
    risk: JobRisk
    seconds: float
    run_cost: float
    expected_cost: float


@dataclass(frozen=True)
class CellOffer:
    """Cells to burn first on this sheet: their settings, the time they take, s, what they cost, and
    what they save in the mean beyond that.
    """

    settings: tuple[Setting, ...]
    seconds: float
    cost: float
    saves: float


def _run_s(setting: Setting, price: JobPrice) -> float:
    return price.length_mm * setting.passes / setting.speed_mm_s + price.other_s


def _losses(rows: Rows, settings: Sequence[Setting], price: JobPrice) -> tuple[Floats, Floats]:
    """What the run itself costs [C], and what hangs cost in each world [R, C]."""
    run = np.array([_run_s(setting, price) for setting in settings])
    redo = price.stock + (run / 3600 + CLEARING_MIN / 60) * price.hour_rate
    patches = price.length_mm / PATCH_MM
    if price.hang == "sheet":
        loss = -np.expm1(patches * rows.log_free) * redo
    else:
        each = FREEING_MIN / 60 * price.hour_rate + SPOILS * PART_WORTH
        places = patches * -np.expm1(rows.log_free)
        loss = -redo * np.expm1(-places * each / redo)  # many places: at most the sheet
    return run / 3600 * price.hour_rate, np.asarray(loss)


def costs_of(rows: Rows, settings: Sequence[Setting], price: JobPrice) -> Floats:
    """Return the mean cost of each setting, [C]."""
    run, loss = _losses(rows, settings, price)
    return np.asarray(run + rows.weight @ loss)


def _candidates(known: FittedCut, book: Setting) -> tuple[list[Setting], NDArray[np.bool_]]:
    """The book's setting, then others about it (a pass less and more, speeds below each edge), and
    which of them a job may use: none quicker than the book's, for a job is no trial, and none that
    may flare up.
    """
    found = [book]
    for passes in range(max(1, book.passes - 1), book.passes + 2):
        edges = known.edges(power=book.power, passes=passes, focus_mm=book.focus_mm)
        speeds = np.geomspace(SLOWEST, 1.0, SPEEDS) * float(np.exp(np.median(edges)))
        found += [replace(book, passes=passes, speed_mm_s=float(speed)) for speed in speeds]
    passes_of = np.array([one.passes for one in found], float)
    speed_of = np.array([one.speed_mm_s for one in found])
    char = known.char_above(power=book.power, speed_mm_s=speed_of, passes=passes_of)
    slow_enough = passes_of / speed_of >= book.passes / book.speed_mm_s - 1e-12
    allowed = slow_enough & (char[2] <= FLARES)
    allowed[0] = True
    return found, np.asarray(allowed)


def paces_of(
    known: FittedCut,
    book: Setting,
    price: JobPrice,
    earlier: Sequence[EarlierJob] = (),
    first: Sequence[FirstCell] = (),
) -> tuple[Pace, ...]:
    """Return by the book, the least mean cost, and the surest, those that are not the same once."""
    every, allowed = _candidates(known, book)
    settings = [one for one, may in zip(every, allowed, strict=True) if may]
    rows = rows_of(known, settings, earlier=earlier, first=first)
    cost = costs_of(rows, settings, price)
    free = rows.all_free(price.length_mm / PATCH_MM)
    time = np.array([_run_s(setting, price) for setting in settings])
    least = int(cost.argmin())
    sure = np.flatnonzero(free >= SUREST)
    surest = int(sure[time[sure].argmin()]) if len(sure) else int(free.argmax())
    chosen = {"book": 0, "least": least, "surest": surest}
    paces, seen = [], set()
    for rule, n in chosen.items():
        if n in seen:
            continue
        seen.add(n)
        run_cost = float(time[n]) / 3600 * price.hour_rate
        risk = risk_of(rows, n, price.length_mm)
        setting = _dialled(settings[n])
        paces.append(Pace(rule, setting, risk, float(time[n]), run_cost, float(cost[n])))
    return tuple(paces)


def _dialled(setting: Setting) -> Setting:
    """A speed as one dials it: three figures, downwards."""
    if not setting.speed_mm_s:
        return setting
    step = 10.0 ** (np.floor(np.log10(setting.speed_mm_s)) - 2)
    speed = float(np.floor(setting.speed_mm_s / step + 1e-9) * step)
    return replace(setting, speed_mm_s=round(speed, 6))


def offer_of(
    known: FittedCut,
    book: Setting,
    price: JobPrice,
    earlier: Sequence[EarlierJob] = (),
    *,
    price_m2: float = 0.0,
) -> CellOffer | None:
    """Return four cells that tell the most of this sheet and day, where the mean saving over all
    their outcomes is well beyond their cost; else None.
    """
    settings, allowed = _candidates(known, book)
    rows = rows_of(known, settings, earlier=earlier)
    cost = np.where(allowed, costs_of(rows, settings, price), np.inf)
    best = settings[int(cost.argmin())]
    ladder = _ladder(rows, settings, best)
    if len(ladder) < len(LADDER):
        return None
    run, loss = _losses(rows, settings, price)
    log_free = rows.log_free[:, ladder]
    log_hung = np.log(np.maximum(-np.expm1(log_free), 1e-300))
    then = 0.0
    for outcome in itertools.product((False, True), repeat=len(ladder)):
        weight = rows.weight * np.exp(np.where(outcome, log_free, log_hung).sum(1))
        chance = float(weight.sum())
        if chance > 1e-9:
            after = run + (weight / chance) @ loss
            then += chance * float(after[allowed].min())
    cells = tuple(_dialled(settings[n]) for n in ladder)
    burning = sum(PATCH_MM * one.passes / one.speed_mm_s for one in cells)
    seconds = burning + CELL_S * len(cells)
    pay = seconds / 3600 * price.hour_rate + len(cells) * CELL_MM2 * 1e-6 * price_m2
    saves = float(cost.min()) - then - pay
    if saves < (WORTH_IT - 1) * pay:
        return None
    return CellOffer(cells, seconds, pay, saves)


def _ladder(rows: Rows, settings: Sequence[Setting], best: Setting) -> list[int]:
    """Settings with the passes of the best one whose chances are nearest those of the ladder."""
    chance = rows.cell()
    same = [n for n, one in enumerate(settings) if one.passes == best.passes]
    found: list[int] = []
    for aim in LADDER:
        away = np.abs(chance - aim)
        away[[n for n in range(len(chance)) if n not in same or n in found]] = np.inf
        if np.isfinite(away).any():
            found.append(int(away.argmin()))
    return found
