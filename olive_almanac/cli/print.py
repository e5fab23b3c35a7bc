"""olive-almanac print: cards, labels, key sheets and pages to hang up, as PDF."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from pathlib import Path
from typing import Any

from olive_almanac.cli.console import add_json, add_library, load_trial, opened, say
from olive_almanac.cli.services import CommandServices
from olive_almanac.core.errors import BadFile
from olive_almanac.core.lengths import SHOWN_UNITS, measured_in
from olive_almanac.core.units import SPEED_UNITS
from olive_almanac.core.words import tr
from olive_almanac.steps.book import card_work
from olive_almanac.steps.files import write_file
from olive_almanac.steps.session import Session
from olive_almanac.steps.share import label_work, write_wall_card_work

__all__ = ["EXAMPLES", "add_arguments", "run"]

EXAMPLES = (
    ("print card birch-cut --out card.pdf", tr("The card of an entry; `book` names the ids.")),
    ("print label birch-cut --out label.pdf", tr("Its label with a code to scan.")),
    (
        tr('print wall "Long Bed" --out wall.pdf'),
        tr("Every setting of a machine, to hang beside it."),
    ),
    ("print key trial/trial.json --paper letter --out key.pdf", tr("The key sheet of a coupon.")),
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the verb takes."""
    parser.add_argument(
        "page", choices=("card", "label", "wall", "key"), help=tr("what is printed")
    )
    parser.add_argument(
        "of", help=tr("card, label: the entry's id; wall: the machine; key: the trial's file")
    )
    parser.add_argument(
        "--paper", choices=("a4", "letter"), default="a4", help=tr("key: the paper")
    )
    parser.add_argument(
        "--unit", choices=tuple(SPEED_UNITS), default="mm/s", help=tr("of speeds on the page")
    )
    parser.add_argument(
        "--lengths", choices=SHOWN_UNITS, default="mm", help=tr("of lengths on the page")
    )
    parser.add_argument("--out", type=Path, required=True, help=tr("the PDF file"))
    add_json(parser)
    add_library(parser)


def run(arguments: argparse.Namespace, services: CommandServices, library: Path) -> int:
    """Write the page."""
    with measured_in(arguments.lengths):
        _write(arguments, services, library)
    say(arguments, tr("Written: {out}", out=arguments.out), {"written": str(arguments.out)})
    return 0


def _write(arguments: argparse.Namespace, services: CommandServices, library: Path) -> None:
    if arguments.page == "key":
        from olive_almanac.formats.pdf import write_key

        trial = load_trial(Path(arguments.of))
        page = write_key(trial, speed_unit=arguments.unit, paper=arguments.paper)
        write_file(arguments.out, page)
    else:
        with opened(services, library) as session:
            session.remember(speed_unit=arguments.unit)
            _choose(session, arguments.page, arguments.of)
            for _ in WRITERS[arguments.page](session, arguments.out):
                pass


WRITERS: dict[str, Callable[[Session, Path], Any]] = {
    "card": card_work,
    "label": label_work,
    "wall": write_wall_card_work,
}


def _choose(session: Session, page: str, of: str) -> None:
    """Make what the page is about the subject; raises BadFile where there is no such thing."""
    if page == "wall":
        machines = session.catalogue.machines
        found = [one for one in machines if of.casefold() in (one.name.casefold(), one.uid)]
        if not found:
            names = ", ".join(one.name for one in machines) or tr("none")
            raise BadFile(
                tr("The library has no machine “{of}”. It has: {names}.", of=of, names=names)
            )
        session.choose(machine=found[0].uid)
        return
    entry = session.catalogue.entry_by_uid.get(of)
    if entry is None:
        raise BadFile(
            tr("The book has no entry “{of}”. olive-almanac book --find lists them.", of=of)
        )
    session.choose(machine=entry.machine_uid, stock=entry.stock_uid, task=entry.task)
