"""olive-almanac copy: the whole library into another folder, read back."""

from __future__ import annotations

import argparse
from pathlib import Path

from olive_almanac.cli.console import add_json, add_library, say
from olive_almanac.cli.services import CommandServices
from olive_almanac.core.errors import BadFile
from olive_almanac.core.words import tr
from olive_almanac.steps.keeping import copy_to_stick, is_library

__all__ = ["EXAMPLES", "add_arguments", "run"]

EXAMPLES = (
    ("copy /media/stick", tr("Makes the folder olive-almanac-DAY there, photos and all.")),
    (
        "book --take-in /media/stick/olive-almanac-2026-04-14",
        tr("Brings it together with another."),
    ),
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the verb takes."""
    parser.add_argument("folder", type=Path, help=tr("below it the copy is made"))
    add_json(parser)
    add_library(parser)


def run(arguments: argparse.Namespace, services: CommandServices, library: Path) -> int:
    """Copy the library and say where the copy lies."""
    if not is_library(library):
        raise BadFile(tr("There is no library in {library}.", library=library))
    day = services.today().isoformat()
    *_, (_, target) = copy_to_stick(services.copies, library, arguments.folder, day)
    say(
        arguments,
        tr("The library is in {target}, read back whole.", target=target),
        {"copied_to": str(target)},
    )
    return 0
