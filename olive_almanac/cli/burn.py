"""olive-almanac burn: a trial on the stand-in bench, with what an eye and a phone would see."""

from __future__ import annotations

import argparse
import json
from collections.abc import Iterable
from pathlib import Path

from olive_almanac.cli.console import add_json, load_trial, say
from olive_almanac.cli.services import CommandServices
from olive_almanac.core.placing.places import parts_seen
from olive_almanac.core.records.ranges import check_number
from olive_almanac.core.units import count_text, duration_text
from olive_almanac.core.words import tr
from olive_almanac.formats.station_files import write_readings
from olive_almanac.steps.files import write_file
from olive_almanac.steps.lettering import letters
from olive_almanac.steps.ports import BurntCell

__all__ = ["EXAMPLES", "add_arguments", "run"]

EXAMPLES = (
    (
        "burn trial/trial.json --seed 1 --out burnt/",
        tr("Burns it on the stand-in: photo.jpg, seen.json, truth.json."),
    ),
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the verb takes."""
    parser.add_argument("trial", type=Path)
    parser.add_argument("--bench", default="stand-in", choices=("stand-in",))
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument(
        "--no-photo", action="store_true", help=tr("take no photo of the burnt coupon")
    )
    parser.add_argument("--out", type=Path, required=True)
    add_json(parser)


def run(arguments: argparse.Namespace, services: CommandServices, library: Path) -> int:
    """Burn the trial and write what was seen, the truth behind it, the log and a photo."""
    check_number("--seed", arguments.seed, low=0, high=1e18)
    trial = load_trial(arguments.trial)
    bench = services.make_bench(arguments.seed)
    burnt = list(bench.burn(trial))
    out: Path = arguments.out
    seen = write_readings(trial.id, [one.seen for one in burnt])
    write_file(out / "seen.json", seen)
    write_file(out / "truth.json", json.dumps(bench.truth(trial), indent=1) + "\n")
    write_file(out / "log.txt", _log(burnt))
    seconds, flares = sum(one.seconds for one in burnt), sum(one.flared for one in burnt)
    words = tr(
        "{cells} burnt in {seconds}, {flares} flared up. What an eye would see is in {out}.",
        cells=count_text(len(burnt), "cell"),
        seconds=duration_text(seconds),
        flares=flares,
        out=out / "seen.json",
    )
    if not arguments.no_photo:
        sides = {f"photo-{side}.jpg": side for side in parts_seen(trial)} or {"photo.jpg": "front"}
        for number, (name, side) in enumerate(sides.items()):
            write_file(out / name, bench.photograph(trial, letters(), number=number, side=side))
        names = ", ".join(str(out / name) for name in sides)
        words += tr(" A phone’s photo is in {out}.", out=names)
    say(arguments, words, seen)
    return 0


def _log(burnt: Iterable[BurntCell]) -> str:
    clock, lines = 0.0, []
    for one in burnt:
        clock += one.seconds
        line = tr("{clock:10.2f} s  {cell} burnt", clock=clock, cell=one.cell)
        if one.flared:
            line += tr(", flared up")
        lines.append(line)
    return "\n".join(lines) + "\n"
