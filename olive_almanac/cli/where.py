"""olive-almanac where: machines side by side for a stock, or how thick one machine cuts."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from olive_almanac.cli.console import add_json, dialled, load_machine, load_stock, say
from olive_almanac.cli.services import CommandServices
from olive_almanac.core.deciding.reach import StockReach, reach_of
from olive_almanac.core.deciding.where import AIMS, Candidate, WhereRow, ranked, where_row
from olive_almanac.core.records.plain import to_plain
from olive_almanac.core.records.setting import TASKS
from olive_almanac.core.units import duration_text
from olive_almanac.core.words import tr
from olive_almanac.steps.permission import permission_for, rules_where_burnt
from olive_almanac.steps.where import reach_words, row_words, with_its_lenses

__all__ = ["EXAMPLES", "add_arguments", "run"]

EXAMPLES = (
    ("where m.json other.json --stock s.json", tr("Machines side by side for a stock.")),
    ("where m.json --stock s.json --reach", tr("Up to what thickness it cuts, and in what time.")),
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the verb takes."""
    parser.add_argument("machines", type=Path, nargs="+", metavar="MACHINE")
    parser.add_argument("--stock", type=Path, required=True)
    parser.add_argument("--task", choices=TASKS, default="cut")
    parser.add_argument("--aim", choices=tuple(AIMS), default="time", help=tr("what counts first"))
    parser.add_argument(
        "--reach", action="store_true", help=tr("up to what thickness each machine cuts it")
    )
    parser.add_argument(
        "--we-burn-it",
        action="store_true",
        help=tr("the shop has decided to burn this disputed stock"),
    )
    add_json(parser)


def run(arguments: argparse.Namespace, services: CommandServices, library: Path) -> int:
    """Tell what each machine is expected to do with the stock."""
    stock = load_stock(arguments.stock)
    machines = [load_machine(path) for path in arguments.machines]
    if arguments.reach:
        reaches = [
            (machine, StockReach(stock, tuple(reach_of(machine, stock, ()))))
            for machine in machines
        ]
        words = "\n".join(f"{machine.label}: {reach_words(one)}" for machine, one in reaches)
        points = {machine.name: [to_plain(one) for one in r.points] for machine, r in reaches}
        say(arguments, words, {"format": "olive-almanac/reach", "version": 1, "reach": points})
        return 0
    rules = rules_where_burnt(stock) if arguments.we_burn_it else {}
    task = arguments.task
    candidates = [
        Candidate(one, stock, permission_for(one, stock, task, rules)) for one in machines
    ]
    lines = [line for one in candidates for line in with_its_lenses(one)]
    rows = ranked([where_row(line, task) for line in lines], arguments.aim)
    document = {
        "format": "olive-almanac/where",
        "version": 1,
        "task": task,
        "rows": [_plain(row) for row in rows],
    }
    say(arguments, "\n".join(_line(row) for row in rows), document)
    return 0


def _line(row: WhereRow) -> str:
    name = " ".join(filter(None, (row.machine.label, row.what_if)))
    if row.setting is None or row.seconds is None:
        return f"{name}: {row.state}: {row.reason}"
    low, high = (duration_text(end) for end in row.range_s)
    return tr(
        "{name}: {setting}, {seconds} ({low} to {high}); {row}",
        name=name,
        setting=dialled(row.setting),
        seconds=duration_text(row.seconds),
        low=low,
        high=high,
        row=row_words(row),
    )


def _plain(row: WhereRow) -> dict[str, Any]:
    plain = {"machine": row.machine.name, "state": row.state, "reason": row.reason}
    if row.what_if:
        plain["with"] = row.what_if
    if row.setting is None:
        return plain
    return plain | {
        "setting": to_plain(row.setting),
        "chance": row.chance,
        "seconds": row.seconds,
        "seconds_80": list(row.range_s),
        "cost": row.cost,
        "edge": row.grade,
        "margin": row.margin,
        "quickest": row.quickest,
    }
