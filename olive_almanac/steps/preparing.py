"""How the piece is prepared: the recipes that can be chosen for a subject, and the steps of the one
that is to be burnt, line by line.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.recipe import (
    AFTER,
    AS_IT_LIES,
    BEFORE,
    KIND_WORDS,
    SIDES,
    Recipe,
    RecipeStep,
)
from olive_almanac.core.records.setting import Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import capital, number_text, read_number
from olive_almanac.core.words import tr
from olive_almanac.steps.permission import group_of, proposed_recipes

if TYPE_CHECKING:
    from olive_almanac.steps.session import Session

__all__ = [
    "LETTERS",
    "PreparingLine",
    "RecipeChoice",
    "StepTexts",
    "choices_for",
    "default_recipes",
    "finishing_words",
    "preparing_lines",
    "recipe_from",
    "recipe_line",
    "texts_of_steps",
]

LETTERS = "ABCD"
COMMON = tr("common practice")
OWN = tr("of this shop")
SIDE_WORDS = {"top": tr("on top"), "back": tr("on the back"), "both": tr("on both sides")}


@dataclass(frozen=True)
class RecipeChoice:
    """A recipe that can be chosen, where it comes from, and what it is good for."""

    recipe: Recipe
    source: str = ""
    reason: str = ""


@dataclass(frozen=True)
class PreparingLine:
    """One step to do before the burn: its key, the words, what exactly, why, whether the burn does
    not go without it, and whether it stands on the piece, with its height where the step says it.
    """

    key: str
    words: str
    detail: str
    reason: str
    needed: bool
    holds: bool = False
    height_mm: float | None = None


def choices_for(
    session: Session, machine: Machine, stock: Stock, task: Task
) -> tuple[RecipeChoice, ...]:
    """Return the recipes to choose from: as it lies, what this shop has used on such stock for the
    task, then what is common practice.
    """
    found = [RecipeChoice(AS_IT_LIES, "", tr("nothing is done to the piece"))]
    proposals = proposed_recipes(machine, stock, task)
    known = {one.recipe for one in proposals} | {AS_IT_LIES}
    for recipe in _used_in_shop(session, stock, task):
        if recipe not in known:
            known.add(recipe)
            found.append(RecipeChoice(recipe, OWN))
    found += [RecipeChoice(one.recipe, COMMON, one.reason) for one in proposals]
    return tuple(found)


def _used_in_shop(session: Session, stock: Stock, task: Task) -> Iterable[Recipe]:
    """The recipes of entries and trials of stock of the same group, the newest first."""
    catalogue = session.catalogue
    for entry in reversed(catalogue.entries):
        other = catalogue.stock(entry.stock_uid)
        if entry.task == task and other is not None and group_of(other) == group_of(stock):
            yield entry.recipe
    for trial in reversed(session.trials.every):
        if trial.task == task and group_of(trial.stock) == group_of(stock):
            yield from trial.recipes


def default_recipes(session: Session) -> tuple[Recipe, ...]:
    """Return how the piece of the present subject is prepared unless somebody says otherwise: as in
    its entry, as on its last coupon, or by the first recipe that it does not go without.
    """
    machine, stock, task = session.subject.machine, session.subject.stock, session.subject.task
    if machine is None or stock is None:
        return ()
    entry = session.entry
    if entry is not None and not entry.recipe.is_plain:
        return (entry.recipe,)
    active = session.active
    if active is not None:
        return active.trial.recipes[:1]
    if entry is not None or stock.coating:
        return ()
    needed = [one.recipe for one in proposed_recipes(machine, stock, task) if one.is_needed]
    return tuple(needed[:1])


def recipe_line(recipe: Recipe) -> str:
    """Return a recipe in one line, with the minutes of its work where they are known."""
    if not recipe.minutes:
        return recipe.line
    return f"{recipe.line} ({number_text(recipe.minutes, 3)} min)"


def preparing_lines(recipes: tuple[Recipe, ...]) -> tuple[PreparingLine, ...]:
    """Return the steps before the burn, those of several recipes one after another under their
    letters.
    """
    lines = []
    for at, recipe in enumerate(recipes):
        letter = f"{LETTERS[at]}: " if len(recipes) > 1 else ""
        for n, step in enumerate(recipe.before):
            kind, _, told = step.words.partition(": ")
            detail = told or kind
            if step.tool:
                detail = tr("{detail}, with {tool}", detail=detail, tool=step.tool)
            words = f"{letter}{capital(kind)}"
            key = f"recipe-{at}-{n}"
            holds = step.kind == "hold"
            height = _height_mm(step.amount) if holds else None
            lines.append(PreparingLine(key, words, detail, step.reason, step.needed, holds, height))
    return tuple(lines)


def _height_mm(amount: str) -> float | None:
    """How high a clamp stands by the words of its step: "4, 9 mm high"."""
    found = re.search(r"(\d+(?:[.,]\d+)?) ?mm", amount)
    return float(found[1].replace(",", ".")) if found else None


def finishing_words(recipes: tuple[Recipe, ...]) -> tuple[str, ...]:
    """Return the steps after the burn in words, with their minutes."""
    told = []
    for step in (step for recipe in recipes for step in recipe.after):
        minutes = step.press_minutes or step.minutes
        told.append(f"{step.words} ({number_text(minutes, 4)} min)" if minutes else step.words)
    return tuple(dict.fromkeys(told))


# -- steps as texts: what the form shows -----------------------------------------------------------

StepTexts = dict[str, str]


def texts_of_steps(recipe: Recipe) -> tuple[tuple[StepTexts, ...], tuple[StepTexts, ...]]:
    """Return the steps before and after as the texts of a form."""
    return (
        tuple(_texts_of(step) for step in recipe.before),
        tuple(_texts_of(step) for step in recipe.after),
    )


def _texts_of(step: RecipeStep) -> StepTexts:
    minutes = step.press_minutes or step.minutes
    return {
        "kind": step.kind,
        "what": step.what,
        "amount": step.amount,
        "side": step.side,
        "tool": step.tool,
        "minutes": number_text(minutes, 4) if minutes else "",
        "needed": "yes" if step.needed else "",
        "reason": step.reason,
    }


def recipe_from(
    name: str, before: Iterable[StepTexts], after: Iterable[StepTexts], base: Recipe
) -> Recipe:
    """Return the recipe that a form holds; unchanged steps keep the proposal that they came from.

    Raises OutOfRange naming what is wrong.
    """
    steps = tuple(_step(one, BEFORE) for one in before), tuple(_step(one, AFTER) for one in after)
    named = name.strip()
    if not (steps[0] or steps[1]):
        return AS_IT_LIES
    if not named:
        raise OutOfRange(tr("Name of the recipe"), tr("left open"), tr("a few words"))
    made = replace(base, name=named, before=steps[0], after=steps[1])
    if made != base:
        made = replace(made, origin="")
    return made


def _step(texts: StepTexts, kinds: tuple[str, ...]) -> RecipeStep:
    kind = texts["kind"]
    minutes = 0.0
    if texts["minutes"].strip():
        minutes = read_number(
            texts["minutes"], tr("Minutes to {kind_words}", kind_words=KIND_WORDS[kind]), "min"
        )
    side = next(one for one in SIDES if one == texts["side"])
    pressed = kind == "glue"
    return RecipeStep(
        kind,
        texts["what"].strip(),
        texts["amount"].strip(),
        side,
        texts["tool"].strip(),
        0.0 if pressed else minutes,
        minutes if pressed else 0.0,
        bool(texts["needed"]),
        texts["reason"].strip(),
    )
