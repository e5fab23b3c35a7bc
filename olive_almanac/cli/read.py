"""olive-almanac read: a photo of the burnt coupon, or readings by eye, written clean."""

from __future__ import annotations

import argparse
from dataclasses import replace
from pathlib import Path
from typing import Any

from olive_almanac.cli.console import add_json, load_trial, numbers, say, warn
from olive_almanac.cli.services import CommandServices
from olive_almanac.core.errors import BadFile, Finding
from olive_almanac.core.photo.judge import Limits
from olive_almanac.core.photo.together import seen_together
from olive_almanac.core.placing.places import parts_seen
from olive_almanac.core.records.reading import FLAG_WORDS, HOLDS, Reading
from olive_almanac.core.records.sight import CellSight
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.units import count_text
from olive_almanac.core.words import tr
from olive_almanac.formats.station_files import read_readings, write_readings
from olive_almanac.steps.files import name_of, read_bytes, read_text, write_file
from olive_almanac.steps.photo import PhotoRead, photo_work, suggested_by

__all__ = ["EXAMPLES", "add_arguments", "run"]

BEFORE_JSON = b"\xef\xbb\xbf \t\r\n"  # an editor's mark, blanks

EXAMPLES = (
    (
        "read trial/trial.json burnt/photo.jpg --out by-photo.json",
        tr("Measures the cells in a photo of the front."),
    ),
    (
        "read bed/trial.json burnt/front-left.jpg --also burnt/rear-left.jpg burnt/middle.jpg "
        "burnt/front-right.jpg burnt/rear-right.jpg --out by-photo.json",
        tr("Measures the tones of a bed map, a photo a place."),
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
        "--also",
        type=Path,
        nargs="+",
        default=[],
        metavar="PHOTO",
        help=tr(
            "further photos of the front, which are read together with the first; of a bed map one "
            "of each place"
        ),
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
    if read_bytes(source)[:99].lstrip(BEFORE_JSON)[:1] == b"{":
        readings, findings = read_readings(read_text(source), source.name, trial)
    else:
        readings, findings = _by_photo(arguments, trial)
    warn(findings)
    document = write_readings(trial.id, readings)
    write_file(arguments.out, document)
    told = sum(one.tells for one in readings)
    words = tr(
        "{cells} read, {left} not read. Written to",
        cells=count_text(told, "cell"),
        left=len(trial.cells) - told,
    )
    say(arguments, f"{words} {arguments.out}.", document)
    return 0


def _seen(trial: Trial, path: Path, side: str, **more: Any) -> list[PhotoRead]:
    """One photo as read, once for each place in it."""
    work = photo_work(trial, read_bytes(path), name_of(path), side, **more)
    return [value for kind, value in work if kind == "read"]


def _by_photo(
    arguments: argparse.Namespace, trial: Trial
) -> tuple[tuple[Reading, ...], list[Finding]]:
    """Readings by photo of the front, or of each place, and where one is given of the back; each
    cell that is not judged is told with its reason.
    """
    corners = [numbers(one, tr("Corner"), 2) for one in arguments.corners or ()]
    places = parts_seen(trial)
    if places and (corners or arguments.back):
        raise BadFile(tr("The places of this trial are read by their marks, from the front alone."))
    read = _seen(trial, arguments.source, "front", corners_px=corners)
    for path in arguments.also:
        read += _seen(trial, path, "front")
    says = [word for one in read for word in one.seen.says]
    front = seen_together([one.seen.cells for one in read])
    back: tuple[CellSight, ...] = ()
    simulated = any(one.simulated for one in read)
    if arguments.back:
        out = frozenset(cell.cell for cell in front if cell.out and not cell.flags)
        (photo,) = _seen(trial, arguments.back, "back", out=out)
        says, back = [*says, *photo.seen.says], photo.seen.cells
        simulated = simulated or photo.simulated
    found = suggested_by(trial, front, back, Limits())
    findings = [Finding("photo", arguments.source.name, word) for word in dict.fromkeys(says)]
    for one in found:
        flags = [flag.removeprefix("back_") for flag in one.flags if flag != HOLDS]
        if flags:
            words = "; ".join(FLAG_WORDS.get(flag, flag) for flag in flags)
            text = tr("{cell} is not judged: {words}.", cell=one.cell, words=words)
            findings.append(Finding("not-judged", one.cell, text))
    return tuple(replace(one, simulated=simulated) for one in found), findings
