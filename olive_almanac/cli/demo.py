"""olive-almanac demo: the window on a fresh copy of the demo shop."""

from __future__ import annotations

import argparse
from pathlib import Path

from olive_almanac.cli.services import CommandServices
from olive_almanac.core.words import tr

__all__ = ["EXAMPLES", "add_arguments", "run"]

EXAMPLES = (
    ("demo", tr("The window on the invented demo shop.")),
    ("demo --out pictures/", tr("Without a screen: works through one job and saves pictures.")),
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the verb takes."""
    parser.add_argument(
        "--out", type=Path, help=tr("folder for the pictures when there is no screen")
    )


def run(arguments: argparse.Namespace, services: CommandServices, library: Path) -> int:
    """Open the demo shop, or work through it where there is no screen."""
    return services.open_demo(arguments.out)
