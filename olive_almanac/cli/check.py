"""olive-almanac check: a G-code file, before it goes to the machine."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import cast

from olive_almanac.cli.console import add_json, load_machine, numbers, say
from olive_almanac.cli.services import CommandServices
from olive_almanac.core.words import tr
from olive_almanac.formats.gcode_check import CheckLimits, check_gcode
from olive_almanac.steps.files import read_text

__all__ = ["EXAMPLES", "add_arguments", "run"]

EXAMPLES = (
    (
        "check coupon.nc --machine m.json",
        tr("Tells what the file would do and what is unsafe in it."),
    ),
    (
        "check coupon.nc --machine m.json --area 10,10,80,60",
        tr("Says, too, whether it stays within a place."),
    ),
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the verb takes."""
    parser.add_argument("file", type=Path)
    parser.add_argument("--machine", type=Path, required=True)
    parser.add_argument("--area", help=tr("X,Y,W,H in mm that the file must stay inside"))
    add_json(parser)


def run(arguments: argparse.Namespace, services: CommandServices, library: Path) -> int:
    """Follow the file as a controller would and tell what is unsafe."""
    machine = load_machine(arguments.machine)
    area = None
    if arguments.area:
        area = cast(tuple[float, float, float, float], numbers(arguments.area, tr("Area"), 4))
    limits = CheckLimits(machine.bed_mm, machine.max_speed_mm_s, machine.power_scale, area)
    report = check_gcode(read_text(arguments.file), limits)
    words = tr(
        "{moves} moves followed, nothing unsafe found. The machine’s manual comes first.",
        moves=report.moves,
    )
    if report.findings:
        words = "\n".join(finding.text for finding in report.findings)
    document = {
        "format": "olive-almanac/check",
        "version": 1,
        "safe": report.safe,
        "moves": report.moves,
        "findings": [
            {"code": one.code, "where": one.where, "text": one.text} for one in report.findings
        ],
    }
    say(arguments, words, document)
    return int(not report.safe)
