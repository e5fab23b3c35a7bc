"""olive-almanac plan: a trial with its files, from the same form as the Plan station."""

from __future__ import annotations

import argparse
import hashlib
from dataclasses import replace
from pathlib import Path
from typing import Any

from olive_almanac.cli.console import (
    add_json,
    load_machine,
    load_pairs,
    load_stock,
    numbers,
    say,
    subject_of,
    warn,
)
from olive_almanac.cli.services import CommandServices
from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.core.design.kinds.kind import all_kinds, kind_of, kinds_for
from olive_almanac.core.design.plan import TrialPlan, plan_trial
from olive_almanac.core.design.suggest import Known, flare_limit_of, suggest_levels
from olive_almanac.core.errors import BadFile, Finding
from olive_almanac.core.materials.catalogue import Permission
from olive_almanac.core.records.anchors import ANCHORS
from olive_almanac.core.records.factors import FACTORS
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.recipe import AS_IT_LIES, Recipe
from olive_almanac.core.records.setting import TASKS, energy_unit
from olive_almanac.core.records.stock import Sheet, Stock
from olive_almanac.core.records.trial import ORDERS
from olive_almanac.core.units import count_text, duration_text, number_text
from olive_almanac.core.words import tr
from olive_almanac.formats.station_files import write_trial
from olive_almanac.steps.decide import Pairs, decide_trial
from olive_almanac.steps.lettering import letters
from olive_almanac.steps.permission import (
    engraves,
    permission_for,
    proposed_recipes,
    rules_where_burnt,
    with_recipes,
)
from olive_almanac.steps.plan.form import choice_from, levels_from
from olive_almanac.steps.plan.suggestion import cells_asked_for
from olive_almanac.steps.trial_files import write_trial_files

__all__ = ["EXAMPLES", "add_arguments", "run"]

EXAMPLES = (
    (
        "plan --machine m.json --stock s.json --task cut --out trial/",
        tr("The eight cells that should tell most, with the files for the machine."),
    ),
    (
        "plan --machine m.json --stock s.json --task engrave --kind grey --out strip/",
        tr("A greyscale strip."),
    ),
    (
        "plan --machine m.json --stock s.json --task cut --kind kerf "
        "--sheet 300x200 --clamp 0,90,12,110 --out kerf/",
        tr("A kerf comb, laid clear of a clamp."),
    ),
    (
        "plan --machine m.json --stock s.json --task cut "
        "--after trial/trial.json readings.json --out second/",
        tr("What follows from the first coupon."),
    ),
)

UNIT = "mm/s"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the verb takes."""
    parser.add_argument(
        "--kind",
        choices=[kind.id for kind in all_kinds() if kind.chosen_for],
        help=tr(
            "kind of trial (default: for a cut the cells that tell most, for all else, and where "
            "levels are given, a power x speed grid)"
        ),
    )
    parser.add_argument("--machine", type=Path, required=True)
    parser.add_argument("--stock", type=Path, required=True)
    parser.add_argument("--task", choices=TASKS, required=True)
    for factor in FACTORS:
        parser.add_argument(f"--{factor.id}", help=factor.typed)
    parser.add_argument(
        "--recipe",
        action="append",
        default=[],
        metavar="ID",
        help=tr(
            'how the piece is prepared, as `recipes` names it; "bare" for as it lies; several '
            "with --kind recipes"
        ),
    )
    parser.add_argument("--repeats", help=tr("repeats of a confirm run"))
    parser.add_argument("--cell", help=tr("side of a cell, mm"))
    parser.add_argument("--gap", help=tr("gap between cells, mm"))
    parser.add_argument("--rest", help=tr("rest between cells, s"))
    parser.add_argument(
        "--order",
        choices=ORDERS,
        help=tr("low energy first (default), or row by row, or column by column"),
    )
    parser.add_argument("--turn", action="store_true", help=tr("lay the long side the other way"))
    parser.add_argument(
        "--anchor",
        choices=tuple(ANCHORS),
        default="",
        help=tr("the file begins where the head stands, at this place of the coupon"),
    )
    parser.add_argument(
        "--sheet",
        help=tr("size of the sheet, WxH in mm: the coupon is laid into its lower left corner"),
    )
    parser.add_argument(
        "--clamp",
        action="append",
        default=[],
        help=tr("a clamp on the sheet, from X,Y to X,Y: X,Y,X,Y in mm"),
    )
    parser.add_argument("--no-labels", action="store_true", help=tr("burn no labels"))
    parser.add_argument("--no-marks", action="store_true", help=tr("burn no photo marks"))
    parser.add_argument("--at", help=tr("place of the coupon on the bed, X,Y in mm"))
    parser.add_argument("--name", default="", help=tr("name of the coupon"))
    parser.add_argument(
        "--after",
        type=Path,
        nargs="+",
        default=[],
        metavar=tr("TRIAL READINGS"),
        help=tr("earlier coupons of the subject with their readings, from which this one follows"),
    )
    parser.add_argument(
        "--hotter",
        action="store_true",
        help=tr(
            "plan also what is expected to flare up: low energy first, stop at the first flare"
        ),
    )
    parser.add_argument(
        "--we-burn-it",
        action="store_true",
        help=tr("the shop has decided to burn this disputed stock"),
    )
    parser.add_argument("--out", type=Path, required=True)
    add_json(parser)


def run(arguments: argparse.Namespace, services: CommandServices, library: Path) -> int:
    """Plan the trial, write its files and tell what it will take."""
    machine, stock = load_machine(arguments.machine), load_stock(arguments.stock)
    plan = _planned(arguments, machine, stock, services.today().isoformat())
    for _ in write_trial_files(plan.trial, arguments.out):
        pass  # only a window shows how far it is
    warn(
        [
            Finding(
                "refused",
                one.cell.id,
                tr("{cell} is left out. {why}", cell=one.cell.id, why=one.why),
            )
            for one in plan.refused
        ]
    )
    mind = _permission(arguments, machine, stock).mind
    remarks = (mind, *plan.remarks) if mind else plan.remarks
    warn([Finding("mind", plan.trial.name, words) for words in remarks])
    say(
        arguments,
        tr("{plan}. Written into {out}.", plan=_in_short(plan), out=arguments.out),
        write_trial(plan.trial),
    )
    return 0


def _planned(arguments: argparse.Namespace, machine: Machine, stock: Stock, made: str) -> TrialPlan:
    pairs = _pairs(arguments, machine, stock)
    choices = _choices(arguments, machine, stock, pairs)
    name = arguments.name or tr("Coupon of {made}", made=made)
    return plan_trial(
        machine,
        stock,
        arguments.task,
        choices,
        permission=_permission(arguments, machine, stock),
        trial_id=_trial_id(name, made, (machine, stock, arguments.task, choices)),
        name=name,
        made=made,
        lettering=letters(),
        engraves=engraves(machine, stock),
        limit=flare_limit_of(stock, pairs),
        settle=not arguments.at,
    )


def _pairs(arguments: argparse.Namespace, machine: Machine, stock: Stock) -> Pairs:
    if not arguments.after:
        return []
    pairs = load_pairs(arguments.after)
    if subject_of(pairs[0][0]) != (machine.name, stock.label, arguments.task):
        raise BadFile(tr("{name} is about another machine, stock or task.", name=pairs[0][0].name))
    return pairs


def _permission(arguments: argparse.Namespace, machine: Machine, stock: Stock) -> Permission:
    rules = rules_where_burnt(stock) if arguments.we_burn_it else {}
    permission = permission_for(machine, stock, arguments.task, rules)
    return with_recipes(permission, _recipes(arguments, machine, stock))


def _choices(
    arguments: argparse.Namespace, machine: Machine, stock: Stock, pairs: Pairs
) -> TrialChoices:
    """The suggested choices with what was asked for in their place."""
    kind = _kind(arguments)
    asks_the_fit = bool(pairs) and kind_of(kind).asks_the_fit
    suggested = suggest_levels(
        machine,
        stock,
        arguments.task,
        kind="grid" if asks_the_fit else kind,
        known=Known(pairs=pairs, recipes=_recipes(arguments, machine, stock)),
        lettering=letters(),
        engraves=engraves(machine, stock),
    ).choices
    if asks_the_fit:
        cells = decide_trial(pairs)[0].next_cells
        if not cells:
            raise BadFile(tr("The readings leave no cell that would teach more within the limits."))
        suggested = cells_asked_for(suggested, cells, machine, arguments.task).choices
    changes: dict[str, Any] = {}
    for factor in FACTORS:
        text = getattr(arguments, factor.id.replace("-", "_"))
        if text:
            changes[factor.field] = levels_from({factor.id: text}, factor, UNIT, varied=False)
    for key in ("cell", "gap", "rest", "order", "repeats"):
        text = getattr(arguments, key)
        if text is not None:
            choice, value = choice_from(key, text)
            changes[choice] = value
    return _placed(arguments, replace(suggested, **changes))


def _recipes(arguments: argparse.Namespace, machine: Machine, stock: Stock) -> tuple[Recipe, ...]:
    """The recipes that were named; raises BadFile for one that is not proposed here."""
    known = {
        one.recipe.origin: one.recipe for one in proposed_recipes(machine, stock, arguments.task)
    }
    known["bare"] = AS_IT_LIES
    unknown = [name for name in arguments.recipe if name not in known]
    if unknown:
        raise BadFile(
            tr(
                "No recipe “{unknown}” for this: there is {known}.",
                unknown=unknown[0],
                known=", ".join(known),
            )
        )
    return tuple(known[name] for name in arguments.recipe)


def _kind(arguments: argparse.Namespace) -> str:
    """The kind that was asked for; of levels that were typed a grid, else what is begun with."""
    if arguments.kind:
        return str(arguments.kind)
    if any(getattr(arguments, factor.id.replace("-", "_")) for factor in FACTORS):
        return "grid"
    return kinds_for(arguments.task)[0].id


def _placed(arguments: argparse.Namespace, choices: TrialChoices) -> TrialChoices:
    placed = replace(
        choices,
        turned=arguments.turn,
        anchor=arguments.anchor,
        hotter=arguments.hotter,
        labels=not arguments.no_labels,
        fiducials=not arguments.no_marks,
    )
    if arguments.sheet:
        size = arguments.sheet.replace("×", "x").replace("x", ",")
        width, height = numbers(size, tr("Sheet"), 2)
        clamps = tuple(numbers(clamp, tr("Clamp"), 4) for clamp in arguments.clamp)
        sheet = Sheet(width, height, clamps_mm=clamps)  # type: ignore[arg-type]
        placed = replace(placed, sheet=sheet, sheet_number=0, place=(0.0, 0.0))
    if arguments.at:
        x, y = numbers(arguments.at, tr("Place"), 2)
        placed = replace(placed, place=(x, y))
    return placed


def _trial_id(name: str, made: str, planned: object) -> str:
    """An id that is the same for the same plan on the same day."""
    return f"coupon-{made}-{hashlib.sha256(f'{name}{planned}'.encode()).hexdigest()[:8]}"


def _in_short(plan: TrialPlan) -> str:
    trial, (low, high) = plan.trial, plan.energy_range
    width, height = trial.coupon.width_mm, trial.coupon.height_mm
    return tr(
        "{cells}, {seconds}, {width:g} x {height:g} mm, {low} to {high} {task}",
        cells=count_text(len(trial.cells), "cell"),
        seconds=duration_text(trial.seconds),
        width=width,
        height=height,
        low=number_text(low, 2),
        high=number_text(high, 2),
        task=energy_unit(trial.task),
    )
