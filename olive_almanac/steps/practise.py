"""Practise: an exercise on a hidden stock in a library of its own, and its score against
the truth.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.records.plain import from_plain, to_plain
from olive_almanac.core.records.run import RunRecord
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.words import mid_sentence, tr
from olive_almanac.steps.exercises import MECHANIC, MECHANIC_TITLE, Exercise, Practice, exercise_of
from olive_almanac.steps.files import read_text, write_file
from olive_almanac.steps.ports import Bench, Library
from olive_almanac.steps.session import Session

if TYPE_CHECKING:
    from olive_almanac.core.records.trial import Trial

__all__ = [
    "Score",
    "begin",
    "best_of",
    "cells_left",
    "cells_used",
    "keep_score",
    "kept_scores",
    "score_work",
    "title_of",
]

FILE = "practice.json"
WORKS_FROM = 0.97
FREE_CELLS = 0.35  # share of the budget that may be used without losing points
MOST_KEPT = 200


@dataclass(frozen=True)
class Score:
    """How an exercise went.

    Points are of 100: `points` for what was found, the other parts for how it was found.

    `success` is the true chance of the setting written into the book, None where none was; `best`
    is the quickest setting that truly works, None where nothing does; seconds are a metre, or 100
    cm2 of a raster.
    """

    exercise: str
    on: str
    total: int
    points_setting: int
    points_time: int
    points_waste: int
    points_safety: int
    found: Setting | None
    success: float | None
    seconds: float | None
    best: Setting | None
    best_seconds: float | None
    cells: int
    budget: int
    burning_s: float
    hazards: tuple[str, ...] = ()
    next_cells: tuple[Setting, ...] = ()
    says: str = ""


def begin(library: Library, exercise: Exercise) -> None:
    """Fill an empty library with the exercise's machine and stock.  Raises LibraryTrouble."""
    library.make_playground()
    library.save_machine(exercise.machine, "practice")
    library.save_stock(exercise.stock, "practice")


def cells_used(session: Session) -> int:
    """Return how many cells have been burnt, or may have been, in the open library."""
    used = 0
    for trial in session.trials.every:
        run = session.store.run_of(trial.id) or RunRecord()
        used += len(run.gone & {cell.id for cell in trial.cells})
    return used


def cells_left(session: Session) -> int:
    """Return how many cells of the exercise's budget are left."""
    assert session.practice is not None
    return max(0, session.practice.exercise.cells - cells_used(session))


def score_work(session: Session, bench: Bench) -> Iterator[Score]:
    """Yield the score of the exercise that is open: long work, for a worker.

    Half the points are for a setting that truly works and how near its time is to the best; the
    rest for cells saved, for time spent, and for hazards answered.
    """
    practice = session.practice
    assert practice is not None
    exercise, pairs = practice.exercise, _pairs(session)
    runs = [
        (trial, session.store.run_of(trial.id) or RunRecord()) for trial in session.trials.every
    ]
    entry, used = session.entry, cells_used(session)
    yield _scored(practice, exercise, bench, pairs, runs, entry.setting if entry else None, used)


def _pairs(session: Session) -> list[Any]:
    pairs = [(trial, session.store.readings(trial.id)) for trial in session.trials.every]
    return [(trial, readings) for trial, readings in pairs if readings]


def _scored(
    practice: Practice,
    exercise: Exercise,
    bench: Bench,
    pairs: list[Any],
    runs: list[tuple[Trial, RunRecord]],
    found: Setting | None,
    used: int,
) -> Score:
    from olive_almanac.steps.decide import decide_trial

    machine, stock, task = exercise.machine, exercise.stock, exercise.task
    best = bench.best(machine, stock, task)
    success = None
    if found is not None:
        success = bench.success(machine, stock, task, found)
    seconds = None
    if found is not None:
        seconds = _seconds(found)
    decision = None
    if pairs:
        decision = decide_trial(pairs)[0]
    gave_up = found is None and decision is not None and (decision.never or decision.stall)
    on_setting, on_time = 0, 0
    if found is not None and success is not None:
        on_setting = round(50 * min(1.0, success / WORKS_FROM) ** 4)
        if best is not None and success >= 0.8 and seconds is not None:
            on_time = round(15 * min(1.0, best[1] / seconds))
    elif best is None and gave_up:
        on_setting, on_time = 50, 15  # nothing works here, and that was found out
    on_waste = 0
    if used:
        on_waste = round(15 * min(1.0, max(0.0, (1 - used / exercise.cells) / (1 - FREE_CELLS))))
    hazards = _hazards(runs)
    on_safety = 0
    if runs:
        on_safety = max(0, 20 - 5 * len(hazards))
    return Score(
        exercise.id,
        practice.started,
        on_setting + on_time + on_waste + on_safety,
        on_setting,
        on_time,
        on_waste,
        on_safety,
        found,
        success,
        seconds,
        best[0] if best else None,
        best[1] if best else None,
        used,
        exercise.cells,
        sum(cell.seconds for trial, run in runs for cell in trial.cells if cell.id in run.cells),
        hazards,
        decision.next_cells[:6] if decision is not None else (),
        decision.says if decision is not None else tr("Nothing was read."),
    )


def _seconds(setting: Setting) -> float:
    """Seconds a metre, or a 100 cm2 of a raster."""
    if setting.pitch_mm:
        return (
            10_000
            * setting.passes
            * (2 if setting.crosshatch else 1)
            / (setting.speed_mm_s * setting.pitch_mm)
        )
    return 1000 * setting.passes / setting.speed_mm_s


def _hazards(runs: list[tuple[Trial, RunRecord]]) -> tuple[str, ...]:
    """What was not minded: lines of the checklist left unticked, flare-ups and smoke not
    answered.
    """
    from olive_almanac.steps.checklist import CHECKS  # start-up: a score is far from it

    keys = {check.key: mid_sentence(check.words) for check in CHECKS}

    told = []
    for trial, run in runs:
        if not run.cells:
            continue
        ticked = run.ticks or {}
        open_lines = [words for key, words in keys.items() if key not in ticked]
        if open_lines:
            told.append(
                tr(
                    "{trial} was burnt with {open_lines} of {keys} lines unticked",
                    trial=trial.name,
                    open_lines=len(open_lines),
                    keys=len(keys),
                )
            )
        for event in run.events:
            if not event.answered:
                what = tr("Smoke")
                if event.kind == "flare":
                    what = "Flare-up"
                told.append(
                    tr(
                        "{what} at {cell} of {trial} was not answered",
                        what=what,
                        cell=event.cell,
                        trial=trial.name,
                    )
                )
    return tuple(told)


def kept_scores(folder: Path) -> tuple[Score, ...]:
    """Return the scores kept beside a library, the oldest first; a missing or damaged file counts
    as none.
    """
    try:
        plain = json.loads(read_text(folder / FILE))
        return tuple(from_plain(Score, one, FILE) for one in plain["scores"])
    except (AlmanacError, ValueError, KeyError, TypeError):
        return ()


def keep_score(folder: Path, score: Score) -> None:
    """Add a score to those kept beside a library.  Raises CannotWrite."""
    scores = [*kept_scores(folder), score][-MOST_KEPT:]
    document = {
        "format": "olive-almanac/practice",
        "version": 1,
        "scores": [to_plain(one) for one in scores],
    }
    write_file(folder / FILE, json.dumps(document, ensure_ascii=False, indent=1) + "\n")


def best_of(scores: tuple[Score, ...], exercise_id: str) -> int | None:
    """Return the best total of an exercise so far, None where it was never finished."""
    return max((one.total for one in scores if one.exercise == exercise_id), default=None)


def title_of(score: Score) -> str:
    """Return the title of the exercise that a score is of."""
    return MECHANIC_TITLE if score.exercise == MECHANIC else exercise_of(score.exercise).title
