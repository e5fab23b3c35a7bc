"""olive-almanac read: a photo of the burnt coupon, or readings by eye, written clean."""

from __future__ import annotations

import argparse
from dataclasses import replace
from pathlib import Path
from typing import Any, cast

from olive_almanac.cli.console import add_json, load_trial, numbers, say, warn
from olive_almanac.cli.services import CommandServices
from olive_almanac.core.errors import Finding
from olive_almanac.core.photo.judge import Limits, joined_sides, suggest
from olive_almanac.core.records.reading import FLAG_WORDS, Reading
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.units import count_text
from olive_almanac.core.words import tr
from olive_almanac.formats.station_files import read_readings, write_readings
from olive_almanac.steps.files import read_bytes, read_text, write_file
from olive_almanac.steps.photo import photo_work

__all__ = ["EXAMPLES", "add_arguments", "run"]

EXAMPLES = (
    (
        "read trial/trial.json burnt/photo.jpg --out by-photo.json",
        tr("Measures the cells in a photo of the front."),
    ),
    (
        "read trial/trial.json burnt/seen.json --out readings.json",
        tr("Checks readings by eye and writes them clean."),
    ),
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the verb takes."""
    parser.add_argument("trial", type=Path)
    parser.add_argument(
        "source",
        type=Path,
        metavar="PHOTO|READINGS",
        help=tr("a photo of the front, or readings.json as written by hand or by the bench"),
    )
    parser.add_argument(
        "--back",
        type=Path,
        help=tr("a photo of the back: tells what hangs from what was not cut through"),
    )
    parser.add_argument(
        "--corners",
        nargs=4,
        metavar="X,Y",
        help=tr(
            "corners of the box around all cells in the photo, pixels: upper left, "
            "upper right, lower right, lower left"
        ),
    )
    parser.add_argument("--out", type=Path, required=True)
    add_json(parser)


def run(arguments: argparse.Namespace, services: CommandServices, library: Path) -> int:
    """Read each cell and write the readings."""
    trial, source = load_trial(arguments.trial), arguments.source
    if read_bytes(source)[:1].strip() == b"{":
        readings, findings = read_readings(read_text(source), source.name, trial)
    else:
        readings, findings = _by_photo(arguments, trial)
    warn(findings)
    document = write_readings(trial.id, readings)
    write_file(arguments.out, document)
    left = len(trial.cells) - len(readings)
    words = tr(
        "{cells} read, {left} not read. Written to",
        cells=count_text(len(readings), "cell"),
        left=left,
    )
    say(arguments, f"{words} {arguments.out}.", document)
    return 0


def _seen(trial: Trial, path: Path, side: str, **more: Any) -> Any:
    """One photo as read."""
    work = photo_work(trial, read_bytes(path), path.name, cast(Any, side), **more)
    return next(value for kind, value in work if kind == "read")


def _by_photo(
    arguments: argparse.Namespace, trial: Trial
) -> tuple[tuple[Reading, ...], list[Finding]]:
    """Readings by photo of the front and, where one is given, the back; each cell that is not
    judged is told with its reason.
    """
    corners = [numbers(one, tr("Corner"), 2) for one in arguments.corners or ()]
    photo = _seen(trial, arguments.source, "front", corners_px=corners)
    says, cells, simulated = [*photo.seen.says], photo.seen.cells, photo.simulated
    if arguments.back:
        out = frozenset(cell.cell for cell in cells if cell.out and not cell.flags)
        photo = _seen(trial, arguments.back, "back", out=out)
        says, cells = [*says, *photo.seen.says], joined_sides(cells, photo.seen.cells)
        simulated = simulated or photo.simulated
    findings = [Finding("photo", arguments.source.name, word) for word in says]
    for cell in cells:
        flags = [flag.removeprefix("back_") for flag in cell.flags]
        if flags:
            words = "; ".join(FLAG_WORDS.get(flag, flag) for flag in flags)
            text = tr("{cell} is not judged: {words}.", cell=cell.cell, words=words)
            findings.append(Finding("not-judged", cell.cell, text))
    read = suggest(cells, trial.task, Limits(), back_seen=bool(arguments.back))
    return tuple(replace(one, simulated=simulated) for one in read), findings
