"""What Plan begins with: suggested choices for a kind of trial, and what they rest on."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from olive_almanac.core.design.choices import TrialChoices, choices_of, holding
from olive_almanac.core.design.kinds.kind import kind_of
from olive_almanac.core.design.suggest import Known, Neighbour, Suggestion, suggest_levels
from olive_almanac.core.design.telling import with_cells
from olive_almanac.core.records.entry import Entry
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import Setting, Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Kind, Trial
from olive_almanac.core.units import count_text
from olive_almanac.core.words import tr
from olive_almanac.steps.catalogue import ShopCatalogue
from olive_almanac.steps.lettering import letters
from olive_almanac.steps.permission import engraves

__all__ = ["cells_asked_for", "nearest_entry", "suggestion_for"]


def suggestion_for(
    kind: Kind,
    machine: Machine,
    stock: Stock,
    task: Task,
    *,
    catalogue: ShopCatalogue,
    known: Known,
    speed_unit: str,
    last: Trial | None,
) -> Callable[[], Suggestion]:
    """Return what works out the choices for a kind of trial, which may take a second: for a worker,
    all that it needs is gathered here.  `last` is the newest trial of that kind.
    """
    known = replace(known, near=nearest_entry(catalogue, machine, stock, task))
    entry = catalogue.entry_for(machine.uid, stock.uid, task)
    may_engrave = engraves(machine, stock)

    def work_out() -> Suggestion:
        found = suggest_levels(
            machine,
            stock,
            task,
            kind=kind,
            speed_unit=speed_unit,
            known=known,
            lettering=letters(),
            engraves=may_engrave,
        )
        again = kind_of(kind).resumed(
            found.choices,
            entry.setting if entry is not None else None,
            choices_of(last) if last is not None else None,
            last.made if last is not None else "",
        )
        if again is None:
            return found
        return Suggestion(*again)

    return work_out


def nearest_entry(
    catalogue: ShopCatalogue, machine: Machine, stock: Stock, task: Task
) -> Neighbour | None:
    """Return the entry of the book that bears most on a subject: its own first, then the same
    machine and family; old notes count where they are of the very subject.
    """
    nearest: tuple[tuple[bool, bool, bool, float, int], Neighbour] | None = None
    for at, entry in enumerate(catalogue.entries):
        near = _neighbour(catalogue, entry)
        if near is None or entry.task != task or not _bears(near, machine, stock):
            continue
        far = abs(near.stock.true_thickness_mm - stock.true_thickness_mm)
        rank = (
            near.stock != stock,
            near.machine != machine,
            near.machine.source != machine.source,
            far,
            -at,
        )
        if nearest is None or rank < nearest[0]:
            nearest = rank, near
    if nearest is None:
        return None
    return nearest[1]


def _neighbour(catalogue: ShopCatalogue, entry: Entry) -> Neighbour | None:
    machine, stock = catalogue.machine(entry.machine_uid), catalogue.stock(entry.stock_uid)
    if machine is None or stock is None:
        return None
    return Neighbour(entry, machine, stock)


def _bears(near: Neighbour, machine: Machine, stock: Stock) -> bool:
    if near.stock.family != stock.family:
        return False
    noted = near.entry.is_note and (near.machine, near.stock) == (machine, stock)
    return noted or near.entry.origin != "guess"


def cells_asked_for(
    grid: TrialChoices, cells: Sequence[Setting], machine: Machine, task: Task
) -> Suggestion:
    """Return the choices of a trial of the very cells that a decision asks for."""
    if task == "cut":
        choices = with_cells(grid, cells, machine)
    else:
        choices = replace(grid, **holding(cells[0]), kind="next", settings=tuple(cells))
    count = count_text(len(cells), "cell")
    return Suggestion(
        choices, tr("{count} that teach most about the edge, by the readings so far", count=count)
    )
