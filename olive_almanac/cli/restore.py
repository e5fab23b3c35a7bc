"""olive-almanac restore: a backup in place of the library."""

from __future__ import annotations

import argparse
from pathlib import Path

from olive_almanac.cli.console import add_json, add_library, say
from olive_almanac.cli.services import CommandServices
from olive_almanac.core.errors import BadFile
from olive_almanac.core.words import tr
from olive_almanac.steps.keeping import backup_words

__all__ = ["EXAMPLES", "add_arguments", "run"]

EXAMPLES = (
    ("restore --list", tr("The backups, how old, how full.")),
    ("restore", tr("Puts the fullest good backup in place; what was there is kept.")),
    ("--library /media/stick/almanac restore", tr("The same for a library that lies elsewhere.")),
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the verb takes."""
    parser.add_argument(
        "backup", nargs="?", default="", help=tr("the name of one (default: the fullest good one)")
    )
    parser.add_argument("--list", action="store_true", help=tr("list the backups, change nothing"))
    add_json(parser)
    add_library(parser)


def run(arguments: argparse.Namespace, services: CommandServices, library: Path) -> int:
    """Put a backup in place and say where the other file is kept, or list the backups."""
    found = services.copies.backups_of(library)
    if arguments.list:
        now = services.now()
        lines = [f"{one.path.name}  {backup_words(one, now)}" for one in found]
        listed = [{"name": one.path.name, "revisions": one.revisions} for one in found]
        say(arguments, "\n".join(lines) or tr("There is no backup."), {"backups": listed})
        return 0
    chosen = None
    if arguments.backup:
        named = [one.path for one in found if one.path.name == arguments.backup]
        if not named:
            raise BadFile(
                tr(
                    "There is no backup “{backup}”. olive-almanac restore --list tells which "
                    "there are.",
                    backup=arguments.backup,
                )
            )
        (chosen,) = named
    backup, aside = services.restore_library(library, chosen)
    words = tr(
        "Restored {backup}. The file that was there is kept as {aside}.",
        backup=backup.name,
        aside=aside.name,
    )
    say(arguments, words, {"restored": backup.name, "kept_as": aside.name})
    return 0
