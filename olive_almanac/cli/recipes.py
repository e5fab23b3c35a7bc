"""olive-almanac recipes: how pieces of a stock are commonly prepared and finished."""

from __future__ import annotations

import argparse
from pathlib import Path

from olive_almanac.cli.console import add_json, load_machine, load_stock, say
from olive_almanac.cli.services import CommandServices
from olive_almanac.core.records.plain import to_plain
from olive_almanac.core.records.setting import TASKS
from olive_almanac.core.words import tr
from olive_almanac.steps.permission import proposed_recipes
from olive_almanac.steps.preparing import recipe_line

__all__ = ["EXAMPLES", "add_arguments", "run"]

EXAMPLES = (
    (
        "recipes --machine m.json --stock s.json --task engrave",
        tr("How pieces of this stock are prepared and finished; `plan --recipe` takes one."),
    ),
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the verb takes."""
    parser.add_argument("--machine", type=Path, required=True)
    parser.add_argument("--stock", type=Path, required=True)
    parser.add_argument("--task", choices=TASKS, required=True)
    add_json(parser)


def run(arguments: argparse.Namespace, services: CommandServices, library: Path) -> int:
    """Tell the recipes that are proposed, the needed ones first."""
    machine, stock = load_machine(arguments.machine), load_stock(arguments.stock)
    found = proposed_recipes(machine, stock, arguments.task)
    lines = [
        tr(
            "{origin}{needed}: {recipe}. Why: {reason}.",
            origin=one.recipe.origin,
            needed=tr(" (needed)") if one.is_needed else "",
            recipe=recipe_line(one.recipe),
            reason=one.reason,
        )
        for one in found
    ]
    document = {
        "format": "olive-almanac/recipes",
        "version": 1,
        "recipes": [to_plain(one.recipe) | {"reason": one.reason} for one in found],
    }
    say(arguments, "\n".join(lines) or tr("Nothing is proposed: as it lies."), document)
    return 0
