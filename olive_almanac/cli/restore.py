"""olive-almanac restore: the newest good backup in place of a damaged library."""

from __future__ import annotations

import argparse
from pathlib import Path

from olive_almanac.cli.services import CommandServices

__all__ = ["add_arguments", "run"]


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the verb takes: nothing."""


def run(arguments: argparse.Namespace, services: CommandServices, library: Path) -> int:
    """Put the backup in place and say where the damaged file is kept."""
    backup, aside = services.restore_library(library)
    print(f"Restored {backup.name}. The damaged file is kept as {aside.name}.")
    return 0
