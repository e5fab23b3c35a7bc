"""What is done to the piece before the burn and after it: steps in their order."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Literal

from olive_almanac.core.records.ranges import check_choice, check_number, check_text
from olive_almanac.core.words import tr

__all__ = [
    "AFTER",
    "AS_IT_LIES",
    "BEFORE",
    "KIND_WORDS",
    "SIDES",
    "Recipe",
    "RecipeKey",
    "RecipeStep",
    "has_medium",
    "key_of",
    "key_words",
    "recipes_apart",
]

Side = Literal["top", "back", "both"]
SIDES: tuple[Side, ...] = ("top", "back", "both")
BEFORE = ("clean", "mask", "medium", "support", "face", "hold", "nozzle", "wait")
AFTER = ("wait", "peel", "wash", "brush", "fill", "seal", "glue")
KIND_WORDS = {
    "clean": tr("clean"),
    "mask": tr("mask"),
    "medium": tr("medium on top"),
    "support": tr("support"),
    "face": tr("which face up"),
    "hold": tr("hold down"),
    "nozzle": tr("nozzle"),
    "wait": tr("wait"),
    "peel": tr("peel"),
    "wash": tr("wash"),
    "brush": tr("brush"),
    "fill": tr("fill with paint"),
    "seal": tr("seal"),
    "glue": tr("glue"),
}
AFTER_VERBS = {
    "peel": tr("peel"),
    "wash": tr("wash"),
    "brush": tr("brush"),
    "fill": tr("paint"),
    "seal": tr("seal"),
    "glue": tr("glue"),
}
BURNS_OTHERWISE = ("mask", "medium", "support", "face", "nozzle")  # kinds that change the burn
IF_NEEDED = ("clean", "hold")  # these only where a proposal calls the step needed
# sd of ln energy that another step of a kind may cost or save (own, no source)
KIND_SD = {
    "medium": 0.20,
    "mask": 0.10,
    "support": 0.08,
    "face": 0.08,
    "nozzle": 0.08,
    "clean": 0.05,
    "hold": 0.05,
}
MOST_STEPS = 20
RecipeKey = tuple[tuple[str, str, str, str], ...]  # kind, what, side and amount of each step


@dataclass(frozen=True)
class RecipeStep:
    """One step: what is done, with how much of it, on which side, by which tool.

    `minutes` is the work, `press_minutes` how long a joint is pressed; a `needed` step left out
    spoils the burn; `reason` says what it is good for.
    """

    kind: str
    what: str = ""
    amount: str = field(default="", metadata={"written": "if set"})
    side: Side = field(default="top", metadata={"written": "if set"})
    tool: str = field(default="", metadata={"written": "if set"})
    minutes: float = field(default=0.0, metadata={"written": "if set"})
    press_minutes: float = field(default=0.0, metadata={"written": "if set"})
    needed: bool = field(default=False, metadata={"written": "if set"})
    reason: str = field(default="", metadata={"written": "if set"})

    def __post_init__(self) -> None:
        check_choice(tr("Kind of step"), self.kind, tuple(KIND_WORDS))
        check_choice(tr("Side of the piece"), self.side, SIDES)
        for name, text in (
            (tr("Step"), self.what),
            (tr("Amount"), self.amount),
            (tr("Tool"), self.tool),
        ):
            check_text(name, text, 120, empty=True)
        check_text(tr("Reason of a step"), self.reason, 300, empty=True)
        check_number(tr("Minutes of a step"), self.minutes, "min", low=0, high=20_000)
        check_number(tr("Minutes in the press"), self.press_minutes, "min", low=0, high=20_000)

    @property
    def short(self) -> str:
        """The step in a word or two: "paper tape", "peel"."""
        if self.kind in AFTER_VERBS:
            return AFTER_VERBS[self.kind]
        return self.what.split(",")[0].split(";")[0].strip() or KIND_WORDS[self.kind]

    @property
    def words(self) -> str:
        """The step as it is read out at the bench: "mask: paper tape, one layer, back"."""
        parts = [
            self.what,
            self.amount,
            "" if self.side == "top" else tr("{side} side", side=self.side),
        ]
        if self.side == "both":
            parts[2] = tr("both sides")
        told = ", ".join(part for part in parts if part)
        kind = KIND_WORDS[self.kind]
        return f"{kind}: {told}" if told else kind


@dataclass(frozen=True)
class Recipe:
    """Steps before the burn and after it, in their order.

    `origin` is the id of the proposal that it came from, empty for the shop's own; `ln_energy` is
    the change of ln energy that the proposal expects against a piece as it lies.
    """

    name: str
    before: tuple[RecipeStep, ...] = ()
    after: tuple[RecipeStep, ...] = ()
    origin: str = field(default="", metadata={"written": "if set"})
    ln_energy: float = field(default=0.0, metadata={"written": "if set"})
    note: str = field(default="", metadata={"written": "if set"})

    def __post_init__(self) -> None:
        check_text(tr("Name of the recipe"), self.name, 60)
        check_text(tr("Note of the recipe"), self.note, 300, empty=True)
        check_number(tr("Expected ln energy of the recipe"), self.ln_energy, low=-2, high=2)
        for name, steps, kinds in (
            (tr("Steps before the burn"), self.before, BEFORE),
            (tr("Steps after the burn"), self.after, AFTER),
        ):
            check_number(name, len(steps), high=MOST_STEPS)
            for step in steps:
                check_choice(name, step.kind, kinds)

    @property
    def line(self) -> str:
        """The recipe in one line: "paper tape, pins; then peel, brush"."""
        before = ", ".join(step.short for step in self.before if step.kind != "wait")
        after = ", ".join(step.short for step in self.after if step.kind != "wait")
        if not (before or after):
            return self.name
        if not after:
            return before
        return (
            tr("{before}; then {after}", before=before, after=after)
            if before
            else tr("as it lies; then {after}", after=after)
        )

    @property
    def minutes(self) -> float:
        """Minutes of work in all its steps."""
        return math.fsum(step.minutes for step in (*self.before, *self.after))

    @property
    def is_plain(self) -> bool:
        """Whether nothing is done to the piece at all."""
        return not (self.before or self.after)

    @property
    def words(self) -> str:
        """Everything that it says, for searching."""
        steps = " ".join(f"{s.words} {s.tool} {s.reason}" for s in (*self.before, *self.after))
        return f"{self.name} {self.line} {steps} {self.note}"


AS_IT_LIES = Recipe(tr("as it lies"))


def key_of(recipe: Recipe | None) -> RecipeKey:
    """Return what makes a recipe another one for the burn: its steps before of the kinds that
    change it, minutes and tools left out; empty for a piece as it lies.
    """
    if recipe is None:
        return ()
    counted = (
        step
        for step in recipe.before
        if step.kind in BURNS_OTHERWISE or (step.kind in IF_NEEDED and step.needed)
    )
    return tuple(
        (step.kind, step.what.casefold().strip(), step.side, step.amount.casefold().strip())
        for step in counted
    )


def key_words(key: Sequence[Sequence[str]]) -> str:
    """Return a key in words: "paper tape, pins", or "bare" for a piece as it lies."""
    shorts = [what.split(",")[0].strip() or KIND_WORDS[kind] for kind, what, *_ in key]
    return ", ".join(shorts) or "bare"


def has_medium(recipe: Recipe | None) -> bool:
    """Return whether something is laid on that takes up the beam."""
    return recipe is not None and any(step.kind == "medium" for step in recipe.before)


def recipes_apart(one: Recipe | None, other: Recipe | None) -> tuple[float, tuple[str, ...]]:
    """Return the sd of ln energy by which the burns of two recipes may differ, and the kinds of
    their steps that do; 0 where their keys are the same.
    """
    apart = set(key_of(one)) ^ set(key_of(other))
    kinds = tuple(kind for kind in BEFORE if any(step[0] == kind for step in apart))
    sd = math.sqrt(math.fsum(KIND_SD[kind] ** 2 for kind in kinds))
    return sd, kinds
