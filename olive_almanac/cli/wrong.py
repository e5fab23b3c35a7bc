"""olive-almanac wrong: the likeliest causes of what went wrong with a coupon."""

from __future__ import annotations

import argparse
from pathlib import Path

import numpy as np

from olive_almanac.cli.console import add_json, load_pairs, say
from olive_almanac.cli.services import CommandServices
from olive_almanac.core.deciding.causes import SIGNS, LikelyCause, likely_causes
from olive_almanac.core.deciding.cut_knowledge import FIT_SEED, FittedCut, know_cut
from olive_almanac.core.deciding.engrave import FittedTone, know_tone
from olive_almanac.core.deciding.signs import read_signs
from olive_almanac.core.records.ranges import check_number
from olive_almanac.core.words import tr
from olive_almanac.formats.catalogue import load_causes
from olive_almanac.steps.permission import group_of

__all__ = ["EXAMPLES", "add_arguments", "run"]

EXAMPLES = (
    (
        "wrong trial/trial.json readings.json",
        tr("The likeliest causes, each with the check that tells it from the next."),
    ),
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the verb takes."""
    parser.add_argument("files", type=Path, nargs="+", metavar=tr("TRIAL READINGS"))
    known = ", ".join(sorted(SIGNS))
    parser.add_argument(
        "--sign",
        action="append",
        default=[],
        choices=sorted(SIGNS),
        metavar="SIGN",
        help=tr("what is seen or known beside the readings: {known}", known=known),
    )
    parser.add_argument("--most", type=int, default=5, help=tr("how many causes to name"))
    add_json(parser)


def run(arguments: argparse.Namespace, services: CommandServices, library: Path) -> int:
    """Weigh the causes of the last coupon, against what those before it say."""
    check_number("--most", arguments.most, low=1, high=100)
    pairs = load_pairs(arguments.files)
    (trial, readings), earlier = pairs[-1], pairs[:-1]
    machine, stock = trial.machine, trial.stock
    expected: FittedCut | FittedTone
    if trial.task == "cut":
        rng = np.random.default_rng(FIT_SEED)
        expected = know_cut(machine, stock, earlier, rng=rng, recipe=trial.recipe)
    else:
        expected = know_tone(machine, stock, earlier, task=trial.task)
    signs = read_signs(trial, readings, expected, earlier) | dict.fromkeys(arguments.sign, True)
    found = likely_causes(
        load_causes(),
        machine,
        trial.task,
        group=group_of(stock),
        signs=signs,
        pointed_at=[sign for sign in arguments.sign if SIGNS[sign].told],
    )[: arguments.most]
    document = {
        "format": "olive-almanac/causes",
        "version": 1,
        "signs": signs,
        "causes": [
            {
                "id": one.cause.id,
                "name": one.cause.name,
                "chance": one.chance,
                "for": list(one.speaks_for),
                "against": list(one.speaks_against),
                "check": one.cause.check,
                "mend": one.cause.mend,
            }
            for one in found
        ],
    }
    say(arguments, "\n".join(_line(n, one) for n, one in enumerate(found, 1)), document)
    return 0


def _line(number: int, one: LikelyCause) -> str:
    seen = (
        tr(" Seen: {speaks_for}.", speaks_for="; ".join(one.speaks_for)) if one.speaks_for else ""
    )
    return tr(
        "{number}. {cause} ({chance:.0f} %).{seen} To tell: {check}.",
        number=number,
        cause=one.cause.name,
        chance=100 * one.chance,
        seen=seen,
        check=one.cause.check,
    )
