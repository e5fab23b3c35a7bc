"""The first job as a way through the stations: which step is in hand, read off what is recorded."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from olive_almanac.core.records.entry import PROOFS_NEEDED
from olive_almanac.core.words import tr
from olive_almanac.steps.session import Session

__all__ = ["JobStep", "first_job", "first_job_words"]


@dataclass(frozen=True)
class JobStep:
    """A step of the way: what it is, what to do now, at which station, and whether it is done."""

    title: str
    says: str
    station: str
    done: bool


def _is_decided(session: Session) -> bool:
    return session.entry is not None and session.entry.origin != "guess"


def _is_burnt(session: Session) -> bool:
    active = session.active
    return active is not None and len(active.burnt) >= len(active.trial.cells)


def _is_read(session: Session) -> bool:
    active = session.active
    return active is not None and len(active.readings) >= len(active.trial.cells)


STEPS: tuple[tuple[str, str, str, Callable[[Session], bool]], ...] = (
    (
        tr("Say what you have"),
        tr("Fill in the sentence: which laser, how strong, which stock, what you want."),
        "book",
        lambda session: session.subject.complete,
    ),
    (
        tr("Plan the first cells"),
        tr("Look at the cells and the sheet, then write the burn file."),
        "plan",
        lambda session: session.active is not None,
    ),
    (
        tr("Tick the lines and burn"),
        tr(
            "Take the file to the machine, tick the lines of the "
            "checklist, burn, stay beside it, then "
            "say that it was burnt."
        ),
        "burn",
        _is_burnt,
    ),
    (
        tr("Read each cell"),
        tr("Push each cell out and press what came of it, or drop a photo on the page."),
        "read",
        _is_read,
    ),
    (
        tr("Take a pick"),
        tr("Take A, B or C and write it into the book, or burn the cells that it asks for."),
        "decide",
        _is_decided,
    ),
    (
        tr("Prove it"),
        tr(
            "Plan the confirm run from the entry, burn and read it: {proofs_needed} "
            "squares that fall free make it Proven.",
            proofs_needed=PROOFS_NEEDED,
        ),
        "book",
        lambda session: session.state[0] == "proven",
    ),
)


def first_job(session: Session) -> tuple[JobStep, ...]:
    """Return the steps for the present subject; one that comes before a done one counts as done."""
    flags = [is_done(session) for *_, is_done in STEPS]
    last = max((n for n, done in enumerate(flags) if done), default=-1)
    return tuple(
        JobStep(title, says, station, n <= last)
        for n, (title, says, station, _) in enumerate(STEPS)
    )


def first_job_words(steps: tuple[JobStep, ...]) -> str:
    """Return how far the way is, in a sentence."""
    left = [step for step in steps if not step.done]
    if not left:
        return tr("The first job is done: the setting is proven.")
    at = len(steps) - len(left) + 1
    return tr(
        "Step {at} of {steps}: {title}. {says}",
        at=at,
        steps=len(steps),
        title=left[0].title,
        says=left[0].says,
    )
