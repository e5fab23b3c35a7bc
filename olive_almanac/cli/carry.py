"""olive-almanac carry: an entry carried over to another machine or stock, as a guess."""

from __future__ import annotations

import argparse
from pathlib import Path

import numpy as np

from olive_almanac.cli.console import add_json, dialled, load_machine, load_stock, say
from olive_almanac.cli.services import CommandServices
from olive_almanac.core.deciding.carry import carry_entry
from olive_almanac.core.units import number_text
from olive_almanac.core.words import tr
from olive_almanac.formats.station_files import read_entry, write_guess
from olive_almanac.steps.files import read_text
from olive_almanac.steps.permission import permission_for

__all__ = ["EXAMPLES", "add_arguments", "run"]

EXAMPLES = (
    (
        "carry --from entry.json --to-machine other.json --to-stock s.json",
        tr("Reckons the setting for another machine; `book --write` writes entry.json."),
    ),
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the verb takes."""
    parser.add_argument(
        "--from",
        dest="entry",
        type=Path,
        required=True,
        metavar="ENTRY.json",
        help=tr("a file of book --write"),
    )
    parser.add_argument("--to-machine", type=Path, required=True)
    parser.add_argument("--to-stock", type=Path, required=True)
    add_json(parser)


def run(arguments: argparse.Namespace, services: CommandServices, library: Path) -> int:
    """Scale the entry by the model and tell the guess."""
    entry, machine, stock = read_entry(read_text(arguments.entry), arguments.entry.name)
    to_machine, to_stock = load_machine(arguments.to_machine), load_stock(arguments.to_stock)
    setting, evidence = carry_entry(
        entry,
        machine,
        stock,
        to_machine=to_machine,
        to_stock=to_stock,
        permission=permission_for(to_machine, to_stock, entry.task, {}),
        rng=np.random.default_rng(0),
    )
    words = tr(
        "{says} A guess: {setting}, focus {focus_mm} mm. Burn a confirm run before you trust it.",
        says=evidence.says,
        setting=dialled(setting),
        focus_mm=number_text(setting.focus_mm),
    )
    say(arguments, words, write_guess(setting, evidence))
    return 0
