"""How the demo shop plans its coupons: by number and day, where the shop's stocks may be burnt."""

from __future__ import annotations

from datetime import date

from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.core.design.plan import plan_trial
from olive_almanac.core.fitting.char import FlareLimit
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Trial
from olive_almanac.steps.lettering import letters
from olive_almanac.steps.permission import engraves, permission_for

__all__ = ["coupon_id", "coupon_name", "plan_coupon"]


def coupon_id(number: int) -> str:
    """Return the id of a coupon."""
    return f"coupon-{number:04d}"


def coupon_name(number: int) -> str:
    """Return what a coupon is called."""
    return f"Coupon {number:04d}"


def plan_coupon(
    machine: Machine,
    stock: Stock,
    task: Task,
    choices: TrialChoices,
    number: int,
    day: date,
    limit: FlareLimit | None = None,
) -> Trial:
    """Return a planned coupon, at the free place nearest to where it was to lie."""
    return plan_trial(
        machine,
        stock,
        task,
        choices,
        settle=True,
        permission=permission_for(machine, stock, task, {}),
        trial_id=coupon_id(number),
        name=coupon_name(number),
        made=day.isoformat(),
        lettering=letters(),
        engraves=engraves(machine, stock),
        limit=limit,
    ).trial
