"""Where a stock is best worked: every machine side by side, what is proven beside what is only
reckoned, and what cannot do it with its reason.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from olive_almanac.core.deciding.cut_knowledge import FIT_SEED, know_cut
from olive_almanac.core.deciding.guess import compute_guess
from olive_almanac.core.deciding.reckon import LEAST_CHANCE, Reckoned, reckon_cut, time_of
from olive_almanac.core.design.suggest import flare_limit_of
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.fitting.kin_learning import KinSds
from olive_almanac.core.materials.catalogue import Permission
from olive_almanac.core.records.entry import Entry
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.recipe import Recipe
from olive_almanac.core.records.setting import Setting, Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.words import tr

__all__ = ["AIMS", "Candidate", "WhereRow", "ranked", "where_row"]

Pairs = Sequence[tuple[Trial, Sequence[Reading]]]
AIMS = {
    "time": tr("quickest"),
    "cost": tr("cheapest"),
    "edge": tr("cleanest"),
    "margin": tr("widest margin"),
}
BURNT = ("proven", "trial", "due")
UNKNOWN_SPREAD = 0.10  # sd of ln time of an entry that does not say how well its edge is known
TONE_SPREAD = 0.35  # of a tone that was only reckoned
SHARED = 0.5  # share of the variance that reckoned rows of one stock have in common (own)
SURELY_QUICKER = 0.9  # chance from which a reckoned row may stand above a proven one
REACH = 1.2816  # standard deviations that hold 80 %
DRAWS = 2000


@dataclass(frozen=True)
class Candidate:
    """A machine (or what it could be) for a stock: whether it may, the entry of the book with its
    state and reason, and the coupons that bear on it.
    """

    machine: Machine
    stock: Stock
    permission: Permission
    entry: Entry | None = None
    state: str = "untried"
    reason: str = ""
    pairs: Pairs = ()
    recipe: Recipe | None = None
    what_if: str = ""  # in words what is not so now
    to_hand: bool = True  # the shop has it, if only in a drawer
    optics: str = ""  # in words what another lens gives


@dataclass(frozen=True)
class WhereRow:
    """One machine: its state ("reckoned" where nothing was burnt, "cannot" with the reason), the
    setting, its chance, seconds of a metre or 100 cm2 with their 80 % range, cost of the same in
    the shop's money, the edge grade (0 clean to 3 flared), the margin in speed, and the chance that
    no other row is quicker.
    """

    machine: Machine
    state: str
    reason: str
    what_if: str = ""
    to_hand: bool = True
    optics: str = ""
    setting: Setting | None = None
    chance: float | None = None
    seconds: float | None = None
    spread: float = 0.0
    cost: float | None = None
    grade: float | None = None
    margin: float | None = None
    stall: float = 0.0
    to_edge: float = 0.0  # ln of the speed at the edge over that of the setting
    quickest: float = 0.0

    @property
    def range_s(self) -> tuple[float, float]:
        """The seconds that hold the true ones with 80 %."""
        seconds, reach = self.seconds or 0.0, REACH * self.spread
        return seconds * math.exp(-reach), seconds * math.exp(reach)

    @property
    def works(self) -> bool:
        """Whether the machine has a setting for it."""
        return self.setting is not None


def where_row(candidate: Candidate, task: Task, kin: KinSds | None = None) -> WhereRow:
    """Return what is known of a stock on one machine."""
    machine, permission = candidate.machine, candidate.permission
    said = (candidate.what_if, candidate.to_hand, candidate.optics)
    blank = WhereRow(machine, "cannot", "", *said)
    if not permission.allowed:
        state = "barred" if permission.barred else "cannot"
        return replace(blank, state=state, reason=permission.reason)
    entry = candidate.entry
    if entry is not None and candidate.state in BURNT and not candidate.what_if:
        evidence = entry.evidence
        row = replace(
            blank,
            state=candidate.state,
            reason=candidate.reason,
            setting=entry.setting,
            chance=evidence.probability,
            spread=evidence.edge_doubt or UNKNOWN_SPREAD,
            grade=evidence.char,
            margin=evidence.margins.speed,
            to_edge=math.log(evidence.margins.even_speed or 1.0),
        )
        return _timed(row, task)
    if task == "cut":
        return _reckoned_cut(candidate, blank, kin)
    return _reckoned_tone(candidate, blank, task)


def _timed(row: WhereRow, task: Task) -> WhereRow:
    if row.setting is None:
        return row
    seconds = time_of(row.setting, row.machine, task)
    rate = row.machine.rate
    return replace(row, seconds=seconds, cost=None if rate is None else rate * seconds / 3600)


def _reckoned_cut(candidate: Candidate, blank: WhereRow, kin: KinSds | None) -> WhereRow:
    machine, stock = candidate.machine, candidate.stock
    rng = np.random.default_rng(FIT_SEED)
    known = know_cut(machine, stock, candidate.pairs, rng=rng, kin=kin, recipe=candidate.recipe)
    found: Reckoned = reckon_cut(known, machine, stock, flare_limit_of(stock, candidate.pairs))
    if found.setting is None and found.chance < LEAST_CHANCE:
        reason = tr("needs more than this machine has")
        return replace(blank, reason=reason, chance=found.chance)
    if found.setting is None:
        reason = tr(
            "may get through: {chance:.0f} % at best, without a flare", chance=100 * found.chance
        )
        return replace(blank, state="cannot", reason=reason, chance=found.chance)
    told = tr("reckoned from the family alone")
    if known.carried:
        told = tr("reckoned from {carried}", carried=", ".join(known.carried[:2]))
    elif known.cells_read:
        told = tr("reckoned from {cells_read} cells", cells_read=known.cells_read)
    row = replace(
        blank,
        state="reckoned",
        reason=told,
        setting=found.setting,
        chance=found.chance,
        spread=found.spread,
        grade=found.grade,
        stall=found.stall,
        to_edge=found.to_edge,
    )
    return _timed(row, "cut")


def _reckoned_tone(candidate: Candidate, blank: WhereRow, task: Task) -> WhereRow:
    try:
        setting, evidence = compute_guess(
            candidate.machine,
            candidate.stock,
            task,
            candidate.permission,
            rng=np.random.default_rng(FIT_SEED),
        )
    except OutOfRange as problem:
        return replace(blank, reason=str(problem))
    row = replace(
        blank,
        state="reckoned",
        reason=tr("reckoned from the family alone"),
        setting=setting,
        chance=evidence.probability,
        spread=TONE_SPREAD,
    )
    return _timed(row, task)


def ranked(rows: Sequence[WhereRow], aim: str = "time") -> tuple[WhereRow, ...]:
    """Return the rows with the chance of each to be the quickest, the best for an aim first, those
    that cannot last.

    What was only reckoned stands above what is proven only where it is surely quicker.
    """
    working = [row for row in rows if row.works]
    draws = _drawn(working)
    told = []
    if working:
        first = np.bincount(draws.argmin(0), minlength=len(working)) / DRAWS
        told = [replace(row, quickest=float(p)) for row, p in zip(working, first, strict=True)]
    order = sorted(range(len(told)), key=lambda at: _worth(told[at], aim))
    for at in list(order):
        if told[at].state in BURNT:
            continue
        below = [
            other
            for other in order[order.index(at) + 1 :]
            if told[other].state == "proven" and (draws[at] < draws[other]).mean() <= SURELY_QUICKER
        ]
        if below:
            order.remove(at)
            order.insert(order.index(below[-1]) + 1, at)
    others = [row for row in rows if not row.works]
    return (*(told[at] for at in order), *others)


def _worth(row: WhereRow, aim: str) -> tuple[float, float]:
    seconds = row.seconds or math.inf
    if aim == "cost":
        return (math.inf if row.cost is None else row.cost, seconds)
    if aim == "edge":
        return (math.inf if row.grade is None else round(row.grade, 1), seconds)
    if aim == "margin":
        return (-(row.margin or 1.0), seconds)
    return (seconds, 0.0)


def _drawn(rows: Sequence[WhereRow]) -> np.ndarray:
    """ln of the seconds at each row's edge [rows, draws], whatever margin its setting keeps; what
    is only reckoned shares its stock.
    """
    rng = np.random.default_rng(FIT_SEED)
    common = rng.standard_normal(DRAWS)
    lines = []
    for row in rows:
        own = rng.standard_normal(DRAWS)
        if row.state not in BURNT:
            own = math.sqrt(SHARED) * common + math.sqrt(1 - SHARED) * own
        lines.append(math.log(row.seconds or 1.0) - row.to_edge + row.spread * own)
    return np.array(lines).reshape(len(rows), DRAWS)
