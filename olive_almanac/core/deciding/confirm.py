"""What a confirm run has shown: which of its burns came out right."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from olive_almanac.core.records.entry import Proof
from olive_almanac.core.records.reading import VERDICT_WORDS, Reading, flared
from olive_almanac.core.records.recipe import RecipeKey
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.units import count_text
from olive_almanac.core.words import mid_sentence, tr

__all__ = ["ConfirmRun", "decide_confirm"]

RIGHT = ("free", "right")


@dataclass(frozen=True)
class ConfirmRun:
    """The burns of a confirm run that were read: cell ids of the good ones and of the others, each
    of these with what was seen; how many are left; one sentence for a person.
    """

    good: tuple[str, ...]
    bad: tuple[tuple[str, str], ...]
    left: int
    says: str

    def proofs(
        self, on: str, lot: str, machine_state: int, recipe: RecipeKey = ()
    ) -> tuple[Proof, ...]:
        """Return the burns as proofs of a day, the failed ones last."""
        return (
            *(Proof(on, "passed", lot, machine_state, cell, recipe=recipe) for cell in self.good),
            *(
                Proof(on, "failed", lot, machine_state, f"{cell}: {seen}", recipe=recipe)
                for cell, seen in self.bad
            ),
        )


def decide_confirm(trial: Trial, readings: Sequence[Reading]) -> ConfirmRun:
    """Return what the readings of a confirm run prove; readings without a verdict say nothing."""
    told = {one.cell: one for one in readings if one.verdict is not None or flared(one)}
    good, bad = [], []
    for cell in trial.cells:
        seen = told.get(cell.id)
        if seen is None:
            continue
        if flared(seen):
            bad.append((cell.id, tr("flared up")))
        elif seen.verdict in RIGHT:
            good.append(cell.id)
        elif seen.verdict is not None:
            bad.append((cell.id, mid_sentence(VERDICT_WORDS[seen.verdict])))
    left = len(trial.cells) - len(good) - len(bad)
    return ConfirmRun(tuple(good), tuple(bad), left, _says(trial, len(good), bad, left))


def _says(trial: Trial, good: int, bad: Sequence[tuple[str, str]], left: int) -> str:
    did = tr("came out right")
    if trial.task == "cut":
        did = tr("fell free")
    says = tr(
        "{good} of {burns} {did}.", good=good, burns=count_text(good + len(bad), "burn"), did=did
    )
    if bad:
        says += " " + "; ".join(f"{cell}: {seen}" for cell, seen in bad) + "."
    if left:
        says += tr(" {burns} not read yet.", burns=count_text(left, "burn"))
    return says
