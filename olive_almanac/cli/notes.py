"""olive-almanac notes: old notes into the book, as guesses."""

from __future__ import annotations

import argparse
from pathlib import Path

from olive_almanac.cli.console import add_json, add_library, no_machine, opened, say
from olive_almanac.cli.services import CommandServices
from olive_almanac.core.errors import BadFile
from olive_almanac.core.units import SPEED_UNITS, count_text
from olive_almanac.core.words import tr
from olive_almanac.steps.session import Session
from olive_almanac.steps.share import NotesDesk

__all__ = ["EXAMPLES", "add_arguments", "run"]

EXAMPLES = (
    ("notes old.xlsx --check", tr("Tells what each row becomes; nothing is written.")),
    (
        tr('notes old.csv --machine "Long Bed" --unit mm/min'),
        tr("Brings the rows in; those that name no machine are for this one."),
    ),
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the verb takes."""
    parser.add_argument("file", type=Path, help=tr("a table: CSV, XLSX or ODS"))
    parser.add_argument(
        "--machine", default="", help=tr("of rows that name none, by its name (default: the first)")
    )
    parser.add_argument(
        "--unit", choices=tuple(SPEED_UNITS), help=tr("of the speeds, where the file does not say")
    )
    parser.add_argument("--check", action="store_true", help=tr("write nothing"))
    add_json(parser)
    add_library(parser)


def run(arguments: argparse.Namespace, services: CommandServices, library: Path) -> int:
    """Read the notes, tell what each row becomes, and write them into the book."""
    with opened(services, library) as session:
        _choose_machine(session, arguments.machine)
        desk = NotesDesk(session)
        desk.open_file(arguments.file)
        if desk.problem:
            raise BadFile(desk.problem)
        if arguments.unit:
            desk.answer(arguments.unit)
        elif desk.question is not None:
            units = ", ".join(desk.question.units)
            raise BadFile(
                tr(
                    "The file does not say the unit of its speeds: give --unit ({units}).",
                    units=units,
                )
            )
        assert desk.notes is not None
        assert desk.brought is not None
        fates = []
        for n, line in enumerate(desk.notes.lines):
            says, left_out = desk.fate(n, "mm/s")
            fates.append({"row": line, "says": says, "left_out": left_out})
        count = len(desk.brought.entries)
        if not arguments.check and count and not desk.keep():
            raise BadFile(session.problem)
        done = tr("would come in") if arguments.check else tr("came in")
        words = [
            f"{tr('row {number}', number=fate['row'])}: {fate['says']}"
            + (tr(" Left out.") if fate["left_out"] else "")
            for fate in fates
        ]
        told = tr("{settings} {done} as guesses.", settings=count_text(count, "setting"), done=done)
        if count == 1:
            told = tr("1 setting came in as a guess.")
            if arguments.check:
                told = tr("1 setting would come in as a guess.")
        words.append(told)
        say(arguments, "\n".join(words), {"settings": count, "rows": fates})
    return 0


def _choose_machine(session: Session, words: str) -> None:
    machines = session.catalogue.machines
    if not machines:
        raise BadFile(tr("The library has no machine yet: add one with olive-almanac machine add."))
    wanted = words.casefold()
    named = [one for one in machines if wanted in (one.name.casefold(), one.label.casefold())]
    if words and not named:
        raise no_machine(words, machines)
    session.choose(machine=(named or machines)[0].uid)
