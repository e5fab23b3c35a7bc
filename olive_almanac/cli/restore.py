"""olive-almanac restore: the newest good backup in place of a damaged library."""

from __future__ import annotations

import argparse
from pathlib import Path

from olive_almanac.cli.console import add_json, add_library, say
from olive_almanac.cli.services import CommandServices

__all__ = ["EXAMPLES", "add_arguments", "run"]

EXAMPLES = (
    ("restore", "Puts the fullest good backup in place; what was there is kept."),
    ("--library /media/stick/almanac restore", "The same for a library that lies elsewhere."),
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the verb takes."""
    add_json(parser)
    add_library(parser)


def run(arguments: argparse.Namespace, services: CommandServices, library: Path) -> int:
    """Put the backup in place and say where the damaged file is kept."""
    backup, aside = services.restore_library(library)
    words = f"Restored {backup.name}. The damaged file is kept as {aside.name}."
    say(arguments, words, {"restored": backup.name, "kept_as": aside.name})
    return 0
