"""What is told of a job's drawing, and what can be answered to it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from olive_almanac.core.quoting.answers import UNIT_WORDS, answers_of, choices_about
from olive_almanac.core.records.drawing import Drawing, DrawingFinding
from olive_almanac.core.records.job import Job
from olive_almanac.core.units import local_text
from olive_almanac.core.words import tr

if TYPE_CHECKING:
    from olive_almanac.steps.job_work import JointFit

__all__ = ["Question", "questions_of"]

TAKE_BACK = (("", tr("Take back")),)
SAID = {
    "close": tr("Ends that nearly meet are closed."),
    "drop": tr("Lines smaller than 0.2 mm are left out."),
    "once": tr("Lines on top of each other are burnt once."),
}


@dataclass(frozen=True)
class Question:
    """One thing that is told: about what, in a sentence, where, mm of the drawing, and what may be
    answered (choice, words); an answered one can be taken back.
    """

    about: str
    says: str
    at_mm: tuple[float, float] | None = None
    choices: tuple[tuple[str, str], ...] = ()
    is_answered: bool = False


def questions_of(job: Job, drawing: Drawing, joints: Sequence[JointFit]) -> Iterator[Question]:
    """Yield what is open first, findings of one kind as one; then what was answered."""
    answers = answers_of(job.answers)
    by_kind: dict[str, list[DrawingFinding]] = {}
    for one in drawing.findings:
        by_kind.setdefault(one.kind, []).append(one)
    for kind, mine in by_kind.items():
        more = tr(" ({mine} more like it.)", mine=len(mine) - 1) if len(mine) > 1 else ""
        choices = choices_about(kind, drawing)
        yield Question(kind, mine[0].says + more, mine[0].at_mm, choices)
    for fit in joints:
        if fit.about not in answers:
            choice = (f"{fit.draw_mm:.2f}", tr("Make them {draw_mm:.2f}", draw_mm=fit.draw_mm))
            yield Question(fit.about, fit.says, fit.at_mm, (choice,))
    for about, said in answers.items():
        yield Question(about, _said(about, said), None, TAKE_BACK, is_answered=True)


def _said(about: str, choice: str) -> str:
    """An answer as it is told: what is done."""
    if about.startswith("joint "):
        kind, drawn = about.removeprefix("joint ").rsplit(" ", 1)
        return tr(
            "Each {kind} drawn {drawn} mm is made {choice} mm wide.",
            kind=tr("notch") if kind == "notch" else tr("slot"),
            drawn=local_text(drawn),
            choice=local_text(choice),
        )
    if choice in UNIT_WORDS:
        return tr("Its lengths are in {unit_words}.", unit_words=UNIT_WORDS[choice])
    return SAID.get(choice, choice)
