"""olive-almanac decide: what trials and their readings decide, and what to burn next."""

from __future__ import annotations

import argparse
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TypeVar

from olive_almanac.cli.console import add_json, add_library, dialled, load_pairs, say
from olive_almanac.cli.services import CommandServices
from olive_almanac.core.deciding.decision import Decision, Pick, aim_word, came_from
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.ranges import check_number
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.units import number_text
from olive_almanac.core.words import tr
from olive_almanac.formats.station_files import write_decision, write_figures
from olive_almanac.steps.decide import (
    Basis,
    check_burnt,
    decide_trial,
    entry_of,
    question_of,
    work_out,
)
from olive_almanac.steps.ids import random_id
from olive_almanac.steps.ports import Library

__all__ = ["EXAMPLES", "add_arguments", "run"]

EXAMPLES = (
    ("decide trial/trial.json readings.json", tr("The picks, or the cells to burn next.")),
    ("decide trial/trial.json readings.json --enter", tr("Writes the first pick into the book.")),
)

USUAL_BATCH = 8  # cells that a decision proposes to burn next
R = TypeVar("R", Machine, Stock)
Pairs = list[tuple[Trial, tuple[Reading, ...]]]


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the verb takes."""
    parser.add_argument("files", type=Path, nargs="+", metavar=tr("TRIAL READINGS"))
    parser.add_argument("--aim", choices=("quickest", "cleanest", "widest"), default="quickest")
    parser.add_argument(
        "--target", type=float, help=tr("cut: probability 0.5 to 0.999; else: wanted lightness L*")
    )
    parser.add_argument(
        "--next",
        type=int,
        metavar="K",
        help=tr("name up to K cells to burn next, also when there is a pick"),
    )
    parser.add_argument("--enter", action="store_true", help=tr("write the pick into the book"))
    add_json(parser)
    add_library(parser)


def run(arguments: argparse.Namespace, services: CommandServices, library: Path) -> int:
    """Decide from the readings, tell it, and write the pick into the book where asked."""
    if arguments.next is not None:
        check_number("--next", arguments.next, low=0, high=200)
    pairs = load_pairs(arguments.files)
    _check_target(arguments.target, pairs[0][0])
    told = _other_decision(pairs)
    if told is not None:
        say(arguments, *told)
        return 0
    decision = _decision(arguments, pairs)
    pick = decision.pick(arguments.aim)
    words = "\n".join(_lines(arguments, decision, pick, pairs[0][0]))
    if arguments.enter and pick is not None:
        words += "\n" + _enter(services, library, pick, decision, pairs)
    say(arguments, words, write_decision(decision))
    return 0


def _check_target(target: float | None, trial: Trial) -> None:
    if target is None:
        return
    if trial.task == "cut" and not 0.5 <= target <= 0.999:
        raise OutOfRange(tr("Target"), target, tr("a probability from 0.5 to 0.999"))
    if trial.task != "cut" and not 0 <= target <= 100:
        raise OutOfRange(tr("Target"), target, tr("a lightness L* from 0 to 100"))


def _other_decision(pairs: Pairs) -> tuple[str, str] | None:
    """Return what a focus, kerf or greyscale trial decides, in words and as JSON; None where a
    setting is asked for.
    """
    question = question_of(pairs[-1][0])
    if question == "setting":
        return None
    _, found = next(iter(work_out(Basis(pairs))))
    if isinstance(found, str):
        return tr("Not decided yet: {found}", found=found), write_figures(question, found)
    return found.says, write_figures(question, found)


def _decision(arguments: argparse.Namespace, pairs: Pairs) -> Decision:
    chance = lightness = None
    if pairs[0][0].task == "cut":
        chance = arguments.target
    else:
        lightness = arguments.target
    count = max(1, arguments.next or USUAL_BATCH)
    decision, _ = decide_trial(pairs, target=chance, lightness=lightness, count=count)
    if arguments.next is not None:
        return replace(decision, next_cells=decision.next_cells[: arguments.next])
    return decision


def _lines(
    arguments: argparse.Namespace, decision: Decision, pick: Pick | None, trial: Trial
) -> list[str]:
    lines = [decision.says]
    if pick is not None:
        lines.append(
            tr(
                "{aim}: {setting}, {probability:.0f} % sure, margin {margin:.0f} % in speed; "
                "{pick}.",
                aim=aim_word(pick.aim, trial.task),
                setting=dialled(pick.setting),
                probability=100 * pick.probability,
                margin=100 * pick.margin,
                pick=came_from(pick),
            )
        )
    lines += decision.remarks
    if arguments.next:
        for setting in decision.next_cells:
            lines.append(
                tr(
                    "Next: {setting}, focus {focus_mm} mm",
                    setting=dialled(setting),
                    focus_mm=number_text(setting.focus_mm),
                )
            )
    return lines


def _enter(
    services: CommandServices, folder: Path, pick: Pick, decision: Decision, pairs: Pairs
) -> str:
    """Write a pick into the book, with machine and stock where the library lacks them; returns what
    was done.
    """
    trial = pairs[-1][0]
    library = services.open_library(folder)
    try:
        check_burnt(library, [reading for _, readings in pairs for reading in readings])
        machine = _known_or_kept(
            trial.machine, library.machines(), lambda one: one.name, library.save_machine
        )
        stock = _known_or_kept(
            trial.stock, library.stocks(), lambda one: one.label, library.save_stock
        )
        uid = _entry_uid(library, machine, stock, trial)
        written = services.today().isoformat()
        entry = entry_of(
            pick, decision, pairs, uid=uid, written=written, machine=machine, stock=stock
        )
        library.save_entry(entry, tr("chosen from {trial}", trial=trial.name))
    finally:
        library.close()
    return tr("Written into the book as {uid}: on trial until 3 confirming burns pass.", uid=uid)


def _known_or_kept(
    wanted: R, known: Sequence[R], called: Callable[[R], str], keep: Callable[[R, str], None]
) -> R:
    """The library's record that is called the same; else the trial's, written under an id that is
    free.
    """
    for one in known:
        if called(one) == called(wanted):
            return one
    fresh = wanted
    if not wanted.uid or wanted.uid in [one.uid for one in known]:
        fresh = replace(wanted, uid=random_id())
    keep(fresh, tr("came with a decision"))
    return fresh


def _entry_uid(library: Library, machine: Machine, stock: Stock, trial: Trial) -> str:
    """The id of the subject's entry, of which this is the next revision, or a fresh one."""
    subject = (machine.uid, stock.uid, trial.task)
    for entry in library.entries():
        if (entry.machine_uid, entry.stock_uid, entry.task) == subject:
            return entry.uid
    return random_id()
