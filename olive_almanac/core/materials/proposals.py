"""What shops do to a piece of some family before and after the burn: recipes to choose from.

The proposals themselves are data (formats/recipes.json): common practice, marked so.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from olive_almanac.core.materials.catalogue import Catalogue, Permission
from olive_almanac.core.materials.names import UNKNOWN, family_named, says
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.recipe import Recipe
from olive_almanac.core.records.setting import Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.words import tr

__all__ = ["Proposal", "barred_in_recipe", "proposals_for", "with_recipe"]

BURNT_ON = ("mask", "medium", "support", "hold")  # kinds of steps that lay something in the beam


@dataclass(frozen=True)
class Proposal:
    """A recipe with the families, sources and tasks that it is for, and what it is good for.

    `suits` names what the piece must be like: "mirror", "clear" (light goes through), "no film" (no
    film on it), or nothing.
    """

    recipe: Recipe
    families: tuple[str, ...]
    sources: tuple[str, ...]
    tasks: tuple[str, ...]
    reason: str
    suits: str = ""

    @property
    def is_needed(self) -> bool:
        """Whether the task does not go without it."""
        return any(step.needed for step in self.recipe.before)


def proposals_for(
    proposals: Sequence[Proposal], machine: Machine, stock: Stock, task: Task
) -> tuple[Proposal, ...]:
    """Return the proposals for a stock, the needed ones first."""
    found = [
        one
        for one in proposals
        if stock.family in one.families
        and machine.source in one.sources
        and task in one.tasks
        and _suits(one, stock)
    ]
    return tuple(sorted(found, key=lambda one: not one.is_needed))


def _suits(one: Proposal, stock: Stock) -> bool:
    """Whether a proposal for clear or mirrored stock, or for one without a film, meets such."""
    if one.suits == "mirror":
        return stock.opacity == "mirror" or stock.family == "mirror"
    if one.suits == "clear":
        return stock.opacity in ("clear", "translucent")
    return one.suits != "no film" or not says(stock.mask, "film")


def barred_in_recipe(catalogue: Catalogue, recipe: Recipe) -> tuple[str, str] | None:
    """Return what a recipe lays into the beam that must not burn, and why; None where nothing is
    known against it.
    """
    for step in recipe.before:
        if step.kind not in BURNT_ON or not step.what:
            continue
        family = family_named(step.what)
        if family == UNKNOWN:
            continue
        known = {one.id: one for one in catalogue.stocks}
        if family in known and known[family].state == "barred":
            return step.what, known[family].reason
    return None


def with_recipe(catalogue: Catalogue, permission: Permission, recipe: Recipe) -> Permission:
    """Return a permission as it stands where the piece is prepared by a recipe: what must not burn
    must not lie on the piece either.
    """
    found = barred_in_recipe(catalogue, recipe)
    if found is None:
        return permission
    what, reason = found
    says = tr(
        "The recipe “{recipe}” lays on “{what}”, which must not burn: {reason}.",
        recipe=recipe.name,
        what=what,
        reason=reason,
    )
    return Permission(False, says, tr("Take paper tape instead, or another recipe."), barred=True)
