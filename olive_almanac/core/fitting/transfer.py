"""How far coupons of another lot, thickness, stock or machine bear on a subject.

Imports nothing heavy.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.recipe import Recipe, has_medium, recipes_apart
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.words import tr

__all__ = ["NO_KIN_SD", "USUAL_SD", "Transfer", "transfer_between"]

# sd of ln energy by which two differ; common practice, no source
USUAL_SD = {
    "kind": 0.60,
    "machine": 0.20,
    "state": 0.10,
    "family": 0.50,
    "stock": 0.20,
    "lot": 0.12,
    "colour": 0.15,
    "thickness": 0.10,
}
NO_KIN_SD = 2.0  # from here on nothing carries over: bare glass says nothing of painted glass
RECIPE_WORDS = {"clean": tr("cleaning"), "hold": tr("hold-down"), "face": tr("face up")}


@dataclass(frozen=True)
class Transfer:
    """How far another subject's coupons bear: the sd that ln removal and ln threshold gain, whether
    the optics are the same, what differs in words, and how much of the sd another recipe brings.
    """

    energy_sd: float
    same_optics: bool
    words: tuple[str, ...]
    recipe_sd: float = 0.0


def transfer_between(
    machine: Machine,
    stock: Stock,
    other_machine: Machine,
    other_stock: Stock,
    recipe: Recipe | None = None,
    other_recipe: Recipe | None = None,
) -> Transfer:
    """Return how far coupons of another subject, or by another recipe, bear on this one.  Common
    practice, no source.
    """
    apart_sd, kinds = recipes_apart(recipe, other_recipe)
    if _without_its_medium(recipe, other_recipe):
        apart_sd = NO_KIN_SD
    variance = apart_sd**2
    words = [tr("another {kind}", kind=RECIPE_WORDS.get(kind, kind)) for kind in kinds]
    for differs, sd, word in (
        (machine.source != other_machine.source, USUAL_SD["kind"], tr("another kind of laser")),
        (
            machine.uid != other_machine.uid or machine.name != other_machine.name,
            USUAL_SD["machine"],
            tr("another machine"),
        ),
        (
            _changed(machine, other_machine),
            USUAL_SD["state"],
            tr("the machine before its last change"),
        ),
        (stock.family != other_stock.family, USUAL_SD["family"], tr("another family of stock")),
        (stock.name != other_stock.name, USUAL_SD["stock"], tr("another stock")),
        (stock.lot != other_stock.lot, USUAL_SD["lot"], tr("another lot")),
        (stock.colour != other_stock.colour, USUAL_SD["colour"], tr("another colour")),
        (
            abs(math.log(stock.true_thickness_mm / other_stock.true_thickness_mm)) > 0.03,
            USUAL_SD["thickness"],
            tr("another thickness"),
        ),
    ):
        if differs:
            variance += sd**2
            words.append(word)
    same_optics = (
        machine.uid == other_machine.uid
        and machine.name == other_machine.name
        and machine.state == other_machine.state
    )
    return Transfer(math.sqrt(variance), same_optics, tuple(words), apart_sd)


def _without_its_medium(recipe: Recipe | None, other: Recipe | None) -> bool:
    """Whether one of two recipes lays on what the stock needs to take up the beam, and one does
    not.
    """
    needed = any(
        step.kind == "medium" and step.needed
        for one in (recipe, other)
        if one is not None
        for step in one.before
    )
    return needed and has_medium(recipe) != has_medium(other)


def _changed(machine: Machine, other: Machine) -> bool:
    return (machine.uid, machine.name) == (other.uid, other.name) and machine.state != other.state
