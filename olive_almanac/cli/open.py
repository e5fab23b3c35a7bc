"""olive-almanac open: the window, on a file."""

from __future__ import annotations

import argparse
from pathlib import Path

from olive_almanac.cli.console import add_library
from olive_almanac.cli.services import CommandServices
from olive_almanac.core.words import tr

__all__ = ["EXAMPLES", "add_arguments", "run"]

EXAMPLES = (
    (
        "open burn/tags/trial.json",
        tr("Opens the window on this coupon; a window that is open shows it."),
    ),
    ("open shelf.svg", tr("Opens the window and brings the drawing into Jobs.")),
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the verb takes."""
    parser.add_argument(
        "file",
        nargs="?",
        type=Path,
        metavar="FILE",
        help=tr(
            "a coupon (trial.json), a library, a drawing (SVG, DXF) or old notes (CSV, XLSX, ODS)"
        ),
    )
    add_library(parser)


def run(arguments: argparse.Namespace, services: CommandServices, library: Path) -> int:
    """Open the window; where one is open on the library, it shows the file."""
    file = arguments.file
    return services.open_window(library, file.absolute() if file is not None else None)
