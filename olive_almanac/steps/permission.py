"""May this machine burn this stock for this task: the catalogue and the shop's own rules, asked in
one place.
"""

from __future__ import annotations

from collections.abc import Mapping

from olive_almanac.core.materials.catalogue import CatalogueStock, Permission, may_burn, verdict_of
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.formats.catalogue import load_catalogue

__all__ = ["families", "family_entry", "group_of", "groups", "permission_for", "word_of"]

OTHER = "Other"


def permission_for(
    machine: Machine, stock: Stock, task: Task, rules: Mapping[str, bool]
) -> Permission:
    """Return the permission; raises OutOfRange for a family that the catalogue does not hold."""
    return may_burn(load_catalogue(), machine, stock, task, rules)


def verdict_for(machine: Machine, stock: Stock, task: str) -> str:
    """Return the catalogue's verdict for a task on this machine ("works ...", "poor: ...", "cannot:
    ..."), or nothing.
    """
    entry = family_entry(stock)
    if entry is None:
        return ""
    return verdict_of(
        entry, source=machine.source, task=task, opacity=stock.opacity, colour=stock.colour
    )


def families() -> tuple[CatalogueStock, ...]:
    return load_catalogue().stocks


def family_entry(stock: Stock) -> CatalogueStock | None:
    """Return what the catalogue knows of a stock's family, or None."""
    return next((one for one in families() if one.id == stock.family), None)


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
