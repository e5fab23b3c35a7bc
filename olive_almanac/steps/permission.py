"""May this machine burn this stock for this task: the catalogue and the shop's own rules, asked in
one place.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from olive_almanac.core.materials.catalogue import (
    CatalogueStock,
    Judged,
    Permission,
    Verdict,
    judge,
    may_burn,
    verdict_of,
)
from olive_almanac.core.materials.proposals import Proposal, proposals_for, with_recipe
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.recipe import Recipe
from olive_almanac.core.records.setting import TASKS, Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.words import tr
from olive_almanac.formats.catalogue import load_catalogue, load_proposals

__all__ = [
    "GROUP_WORDS",
    "engraves",
    "families",
    "family_entry",
    "group_of",
    "groups",
    "judged_stock",
    "permission_for",
    "proposed_recipes",
    "rules_where_burnt",
    "verdict_for",
    "what_machines_can",
    "with_recipes",
    "word_of",
]

OTHER = "Other"
GROUP_WORDS = {
    "Wood": tr("Wood"),
    "Card and board": tr("Card and board"),
    "Plastic": tr("Plastic"),
    "Foam and rubber": tr("Foam and rubber"),
    "Leather and textile": tr("Leather and textile"),
    "Glass and stone": tr("Glass and stone"),
    "Metal": tr("Metal"),
    "Not known": tr("Not known"),
    OTHER: tr("Other"),
}


def permission_for(
    machine: Machine,
    stock: Stock,
    task: Task,
    rules: Mapping[str, bool],
    recipe: Recipe | None = None,
) -> Permission:
    """Return the permission, also by what a recipe lays on the piece; raises OutOfRange for a
    family that the catalogue does not hold.
    """
    permission = may_burn(load_catalogue(), machine, stock, task, rules)
    return with_recipes(permission, () if recipe is None else (recipe,))


def with_recipes(permission: Permission, recipes: Sequence[Recipe]) -> Permission:
    """Return a permission as it stands where the pieces are prepared by recipes."""
    for recipe in recipes:
        if permission.allowed:
            permission = with_recipe(load_catalogue(), permission, recipe)
    return permission


def proposed_recipes(machine: Machine, stock: Stock, task: Task) -> tuple[Proposal, ...]:
    """Return the recipes that shops commonly use for a subject, the needed ones first."""
    return proposals_for(load_proposals(), machine, stock, task)


def rules_where_burnt(stock: Stock) -> dict[str, bool]:
    """Return the rules of a shop that has decided to burn this stock."""
    judged = judged_stock(stock)
    return {judged.entry.id if judged else stock.family: True}


def verdict_for(machine: Machine, stock: Stock, task: str) -> Verdict | None:
    """Return the catalogue's verdict for a task on this machine, or None for a family that it does
    not hold.
    """
    judged = judged_stock(stock)
    if judged is None:
        return None
    return verdict_of(judged, source=machine.source, task=task)


def engraves(machine: Machine, stock: Stock) -> bool:
    """Return whether the catalogue says that engraving this stock works on this machine."""
    verdict = verdict_for(machine, stock, "engrave")
    return verdict is not None and verdict.works


def what_machines_can(
    machines: Sequence[Machine], stock: Stock, task: Task, rules: Mapping[str, bool]
) -> list[tuple[Machine, str, bool]]:
    """Return each machine with what the catalogue says of it and the stock, task by task, and
    whether it may do `task`.
    """
    told = []
    for machine in machines:
        groups: dict[str, list[str]] = {}
        for one in TASKS:
            verdict = verdict_for(machine, stock, one)
            if verdict is not None:
                groups.setdefault(verdict.phrase, []).append(one)
        words = "\n".join(
            f"{', '.join(tasks).capitalize()}: {phrase}." for phrase, tasks in groups.items()
        )
        told.append((machine, words, permission_for(machine, stock, task, rules).allowed))
    return told


def families() -> tuple[CatalogueStock, ...]:
    return load_catalogue().stocks


def family_entry(stock: Stock) -> CatalogueStock | None:
    """Return what the catalogue knows of a stock's family, or None."""
    return next((one for one in families() if one.id == stock.family), None)


def judged_stock(stock: Stock) -> Judged | None:
    """Return what a stock is taken for by all its fields, or None for a family that the catalogue
    does not hold.
    """
    if family_entry(stock) is None:
        return None
    return judge(load_catalogue(), stock)


def word_of(stock: Stock) -> str:
    entry = family_entry(stock)
    if entry:
        return entry.word
    return ""


def group_of(stock: Stock) -> str:
    entry = family_entry(stock)
    if entry:
        return entry.group
    return OTHER


def groups() -> tuple[str, ...]:
    return (*load_catalogue().groups, OTHER)
