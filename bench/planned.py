"""Trials as the measurements plan them: on the shop's machines, lettered and settled."""

from olive_almanac.core.design.plan import plan_trial
from olive_almanac.core.design.suggest import suggest_levels
from olive_almanac.core.materials.catalogue import Permission
from olive_almanac.formats.letters import letters

__all__ = ["planned", "suggested"]


def planned(machine, stock, task, choices, *, trial_id="t", name="Coupon 0001", limit=None):
    """Return the trial; raises NoRoom where it does not fit."""
    return plan_trial(
        machine,
        stock,
        task,
        choices,
        permission=Permission(True),
        trial_id=trial_id,
        name=name,
        made="2026-04-14",
        lettering=letters(),
        engraves=True,
        limit=limit,
        settle=True,
    ).trial


def suggested(machine, stock, task, kind):
    """Return a trial of a kind as the window suggests it."""
    choices = suggest_levels(
        machine, stock, task, kind=kind, speed_unit="mm/min", lettering=letters(), engraves=True
    ).choices
    return planned(machine, stock, task, choices)
