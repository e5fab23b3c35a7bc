"""Whether another source or lens pays: over the jobs that a machine has done in a year."""

from __future__ import annotations

import math
from collections.abc import Iterator
from datetime import date, timedelta
from typing import TYPE_CHECKING, Any

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.entry import Subject
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import capital, number_text, read_large_number
from olive_almanac.core.words import tr
from olive_almanac.steps.where import WhatIf, changed_machine

if TYPE_CHECKING:
    from olive_almanac.core.deciding.payback import Payback
    from olive_almanac.steps.session import Session

__all__ = ["worth_words", "worth_work"]

YEAR = timedelta(days=365)
MOST_MONTHS = 120.0


def worth_work(session: Session, wish: WhatIf, price: str, hour: str) -> Iterator[Payback]:
    """Return the work that reckons what a change of a machine would have saved in the last year,
    for a worker.  Raises OutOfRange for what was typed, or where no job of the machine says it.
    """
    cost = read_large_number(price, tr("Price"))
    worth = read_large_number(hour, tr("Worth of an hour"))
    if not 0 < cost < 1e7:
        raise OutOfRange(tr("Price"), cost, tr("above 0"))
    if not 0 < worth < 1e5:
        raise OutOfRange(tr("Worth of an hour"), worth, tr("above 0"))
    machine = session.catalogue.machine(wish.machine_uid)
    if machine is None or wish.kind == "thickness":
        raise OutOfRange(tr("What is otherwise"), wish.kind, tr("another source or lens"))
    work = _year_of(session, machine)
    if not work:
        raise OutOfRange(
            tr("Jobs of the last year"),
            0,
            tr("at least one that {machine} cut and that was told", machine=machine.name),
        )
    other = changed_machine(machine, wish)
    trials, kin = session.trials, session.shop.kin.sds
    grounds: list[tuple[Stock, Setting, float, Any]] = []
    for stock, setting, seconds in work:
        own = trials.read_of(machine, stock, "cut")
        grounds.append(
            (stock, setting, seconds, [*trials.related_to(Subject(machine, stock, "cut")), *own])
        )

    def run() -> Iterator[Payback]:
        import numpy as np

        from olive_almanac.core.deciding.cut_knowledge import FIT_SEED, know_cut
        from olive_almanac.core.deciding.payback import CutWork, payback

        found = []
        for stock, setting, seconds, pairs in grounds:
            edges = []
            for one in (machine, other):
                rng = np.random.default_rng(FIT_SEED)
                known = know_cut(one, stock, pairs, rng=rng, kin=kin)
                edge = known.edges(power=1.0, passes=setting.passes, focus_mm=setting.focus_mm)
                edges.append(float(np.median(edge)))
            room = math.log(machine.max_speed_mm_s / setting.speed_mm_s)
            found.append(CutWork(seconds, edges[1] - edges[0], max(0.0, room)))
        yield payback(found, price=cost, hour_worth=worth, makers_power=wish.kind == "power")

    return run()


def _year_of(session: Session, machine: Machine) -> list[tuple[Stock, Setting, float]]:
    """What a machine cut in the last year, stock by stock: its newest setting, and the seconds."""
    catalogue, today = session.catalogue, session.today()
    by_stock: dict[str, tuple[Setting, float]] = {}
    for job in catalogue.jobs:
        if job.machine_uid != machine.uid:
            continue
        for outcome in job.outcomes:
            recent = today - YEAR < date.fromisoformat(outcome.on) <= today
            if not recent or outcome.setting is None or not outcome.cut_mm:
                continue
            setting = outcome.setting
            seconds = setting.passes * outcome.cut_mm / setting.speed_mm_s
            _, before = by_stock.get(job.stock_uid, (setting, 0.0))
            by_stock[job.stock_uid] = (setting, before + seconds)
    found = []
    for uid, (setting, seconds) in by_stock.items():
        stock = catalogue.stock(uid)
        if stock is not None:
            found.append((stock, setting, seconds))
    return found


def worth_words(found: Payback, words: str) -> str:
    """Return in a sentence what a change saves and when it pays; `words` say which."""
    low, _, high = (number_text(max(0.0, one), 2) for one in found.hours_saved)
    told = tr(
        "{words}: of {hours_now} h of cutting in the last year {low} to {high} h less (80 % sure)",
        words=capital(words),
        hours_now=number_text(found.hours_now, 2),
        low=low,
        high=high,
    )
    first, _, last = found.months
    if first is None or first > MOST_MONTHS:
        return tr("{told}; it does not pay within ten years.", told=told)
    until = (
        tr("never")
        if last is None or last > MOST_MONTHS
        else tr("{last} months", last=number_text(last, 2))
    )
    chance = 100 * found.within_a_year
    return tr(
        "{told}; it pays after {first} months to {until}, within a year with {chance:.0f} %.",
        told=told,
        first=number_text(first, 2),
        until=until,
        chance=chance,
    )
