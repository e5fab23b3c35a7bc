"""Hollow Lane Workshop, the invented shop: built from a seed by the same functions that a real
shop's work goes through.

Nothing here is a written-down result: trials are planned, burnt on the stand-in bench, read,
decided and proved.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, time, timedelta

import numpy as np

from olive_almanac.core.deciding.decision import Decision, Pick
from olive_almanac.core.deciding.guess import compute_guess
from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.core.design.suggest import Known, flare_limit_of, suggest_levels
from olive_almanac.core.placing.fiducials import coupon_set
from olive_almanac.core.records.entry import PROOFS_NEEDED, Entry, Proof
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.recipe import key_of
from olive_almanac.core.records.run import CellBurn, RunRecord
from olive_almanac.core.records.setting import Task
from olive_almanac.core.records.stock import Sheet, Stock
from olive_almanac.core.records.trial import Trial
from olive_almanac.demo.checks import build_checks
from olive_almanac.demo.jobs import build_further_jobs, build_jobs
from olive_almanac.demo.planning import plan_coupon
from olive_almanac.demo.services import build_services
from olive_almanac.steps.active import used_on_sheet
from olive_almanac.steps.decide import decide_trial, entry_of
from olive_almanac.steps.lettering import letters
from olive_almanac.steps.permission import engraves, permission_for, proposed_recipes
from olive_almanac.steps.ports import Bench, Library
from olive_almanac.steps.trial_files import write_trial_files

__all__ = ["MACHINES", "STOCKS", "build_shop"]

MACHINES = (
    Machine(
        "North Bench",
        "diode",
        450,
        10,
        0.12,
        0.08,
        1.7,
        300,
        3000,
        (400, 400),
        uid="north-bench",
        rated_power_w=60,
        hour_rate=6.0,
    ),
    Machine(
        "Long Bed",
        "co2",
        10600,
        60,
        0.20,
        0.20,
        2.5,
        500,
        6000,
        (900, 600),
        uid="long-bed",
        rated_power_w=450,
        lens_focal_mm=63.5,
        other_lenses_mm=(101.6,),
        hour_rate=14.0,
    ),
    Machine(
        "Marker",
        "fibre",
        1064,
        20,
        0.05,
        0.05,
        1.2,
        2000,
        20000,
        (110, 110),
        uid="marker",
        rated_power_w=300,
    ),
)
STOCKS = (
    Stock(
        "Birch ply",
        "plywood",
        3.0,
        (3.02, 3.05, 2.98),
        lot="7",
        colour="light",
        uid="birch-3",
        notes="yard A",
        price_m2=18.0,
        sheets=(
            Sheet(600, 300, clamps_mm=((0, 130, 14, 170), (586, 130, 600, 170))),
            Sheet(240, 160),
        ),
    ),
    Stock(
        "Birch ply",
        "plywood",
        6.0,
        (6.1, 6.0),
        lot="3",
        colour="light",
        uid="birch-6",
        notes="yard A",
    ),
    Stock(
        "Poplar ply",
        "plywood",
        4.0,
        (4.05,),
        lot="2",
        colour="light",
        uid="poplar-4",
        notes="yard B",
    ),
    Stock(
        "Walnut", "hardwood", 5.0, (5.1,), lot="1", colour="dark", uid="walnut-5", notes="yard B"
    ),
    Stock("Relief board", "board", 1.5, (1.48, 1.5), lot="4", colour="grey", uid="board-15"),
    Stock(
        "Clear cast acrylic",
        "acrylic",
        3.0,
        (2.9,),
        opacity="clear",
        lot="5",
        sheets=(Sheet(400, 300),),
        uid="clear-acrylic-3",
    ),
    Stock(
        "Black cast acrylic", "acrylic", 3.0, (3.0,), colour="black", lot="2", uid="black-acrylic-3"
    ),
    Stock(
        "Map leather",
        "leather",
        2.0,
        (2.1, 1.9, 2.0),
        finish="vegetable-tanned",
        lot="9",
        uid="leather-2",
        price_m2=95.0,
        sheets=(Sheet(350, 220),),
    ),
    Stock("Shelf vinyl", "vinyl", 0.5, lot="1", uid="vinyl-05"),
    Stock("Cover glass", "glass", 4.0, opacity="clear", lot="1", uid="glass-4"),
    Stock("Hive plate", "coated_metal", 1.0, finish="black coat", lot="6", uid="plate-1"),
    Stock("Stainless", "stainless", 0.8, lot="1", uid="stainless-08"),
)
#         machine        stock             task       what becomes of it
PLANS: tuple[tuple[str, str, Task, str], ...] = (
    ("north-bench", "poplar-4", "engrave", "proven"),
    ("north-bench", "walnut-5", "engrave", "trial"),
    ("north-bench", "board-15", "cut", "proven"),
    ("north-bench", "board-15", "engrave", "due by date"),
    ("north-bench", "leather-2", "cut", "proven"),
    ("north-bench", "leather-2", "engrave", "due by lot"),
    ("north-bench", "black-acrylic-3", "engrave", "guess"),
    ("north-bench", "black-acrylic-3", "cut", "failed"),
    ("north-bench", "birch-6", "cut", "guess"),
    ("long-bed", "birch-3", "cut", "proven"),
    ("long-bed", "birch-3", "engrave", "proven"),
    ("long-bed", "birch-6", "cut", "trial"),
    ("long-bed", "poplar-4", "cut", "due by date"),
    ("long-bed", "walnut-5", "cut", "guess"),
    ("long-bed", "board-15", "cut", "proven"),
    ("long-bed", "clear-acrylic-3", "cut", "proven"),
    ("long-bed", "clear-acrylic-3", "engrave", "proven"),
    ("long-bed", "black-acrylic-3", "cut", "trial"),
    ("long-bed", "leather-2", "cut", "due by lot"),
    ("marker", "plate-1", "engrave", "proven"),
    ("marker", "stainless-08", "engrave", "guess"),
    # one trial waiting at each station
    ("long-bed", "leather-2", "engrave", "wait plan"),
    ("long-bed", "plate-1", "engrave", "wait burn"),
    ("long-bed", "glass-4", "engrave", "wait read"),
    ("north-bench", "poplar-4", "cut", "wait decide"),
    ("north-bench", "birch-3", "engrave", "wait book"),
    ("north-bench", "birch-3", "cut", "proven"),
    # trials that were measured with a gauge or by photo
    ("long-bed", "poplar-4", "score", "measured focus"),
    ("long-bed", "birch-6", "cut", "measured kerf"),
    ("long-bed", "poplar-4", "engrave", "measured grey"),
)
MOST_ROUNDS = 5
GLASS_DAYS = 20  # ago: glass was first marked under tape


@dataclass
class _Count:
    number: int = 0


def build_shop(library: Library, bench: Bench, today: date) -> Iterator[str]:
    """Fill an empty library; yields a word on each piece of work as it is done."""
    for machine in MACHINES:
        library.save_machine(machine, "set up")
    for stock in STOCKS:
        library.save_stock(stock, "set up")
    count = _Count()
    machines, stocks = {m.uid: m for m in MACHINES}, {s.uid: s for s in STOCKS}
    plans = [plan for plan in PLANS if plan[1] in stocks]
    for n, (machine_uid, stock_uid, task, fate) in enumerate(plans):
        day = today - timedelta(days=3 * (len(plans) - n) + (230 if fate == "due by date" else 0))
        _live_through(
            library, bench, machines[machine_uid], stocks[stock_uid], task, fate, day, count
        )
        yield f"{machines[machine_uid].name}, {stocks[stock_uid].label}, {task}: {fate}"
    yield from build_services(library, MACHINES, today)

    def next_number() -> int:
        count.number += 1
        return count.number

    yield from build_checks(library, bench, machines, stocks, today, next_number)
    yield from build_further_jobs(library, machines, stocks, today)
    yield from build_jobs(library, bench, machines["long-bed"], stocks["birch-3"], today)
    if "glass-4" in stocks:
        blue, glass = machines["north-bench"], stocks["glass-4"]
        day = today - timedelta(days=GLASS_DAYS)
        _live_through(library, bench, blue, glass, "engrave", "proven", day, count)
        yield f"{blue.name}, {glass.label}, engrave: under tape"


def _live_through(
    library: Library,
    bench: Bench,
    machine: Machine,
    stock: Stock,
    task: Task,
    fate: str,
    day: date,
    count: _Count,
) -> None:
    if fate == "guess":
        setting, evidence = compute_guess(
            machine,
            stock,
            task,
            permission_for(machine, stock, task, {}),
            rng=np.random.default_rng(0),
        )
        uid = f"{machine.uid}-{stock.uid}-{task}"
        library.save_entry(
            Entry(
                uid,
                machine.uid,
                stock.uid,
                task,
                setting,
                "guess",
                day.isoformat(),
                stock.lot,
                1,
                evidence,
            ),
            "reckoned",
        )
        return
    if fate.startswith("measured"):
        choices = suggest_levels(
            machine,
            stock,
            task,
            kind=fate.removeprefix("measured "),
            lettering=letters(),
            engraves=engraves(machine, stock),
        ).choices
        _burn_and_read(
            library,
            bench,
            _planned(machine, _now_of(library, stock), task, choices, day, count),
            gauged=True,
        )
        return
    if fate.startswith("wait"):
        stage = fate.removeprefix("wait ")
        if stage == "book":
            _decide_until_picked(library, bench, machine, stock, task, day, count, keep_entry=True)
        else:
            _leave_at(library, bench, machine, stock, task, day, count, stage)
        return
    entry = _decide_until_picked(library, bench, machine, stock, task, day, count, keep_entry=True)
    if entry is None:
        return
    proofs = {"trial": 1, "failed": 1}.get(fate, PROOFS_NEEDED)
    for n in range(proofs):
        if fate == "due by lot":
            lot = "older"
        else:
            lot = stock.lot
        outcome = Proof(
            (day + timedelta(days=1 + n)).isoformat(),
            "passed",
            lot,
            machine.state,
            recipe=key_of(entry.recipe),
        )
        entry = replace(entry, proofs=(*entry.proofs, outcome))
        library.save_entry(entry, "confirming burn noted")
    if fate == "failed":
        entry = replace(
            entry,
            proofs=(
                *entry.proofs,
                Proof((day + timedelta(days=9)).isoformat(), "failed", stock.lot, machine.state),
            ),
        )
        library.save_entry(entry, "failure noted")


def _planned(
    machine: Machine,
    stock: Stock,
    task: Task,
    choices: TrialChoices,
    day: date,
    count: _Count,
    pairs: Sequence[tuple[Trial, Sequence[Reading]]] = (),
) -> Trial:
    count.number += 1
    choices = replace(choices, marks_set=coupon_set(count.number))
    if stock.sheets and machine.bed_mm[0] >= stock.sheets[0].width_mm:
        choices = replace(choices, sheet=stock.sheets[0], sheet_number=0, place=(0.0, 0.0))
    limit = flare_limit_of(stock, pairs)
    return plan_coupon(machine, stock, task, choices, count.number, day, limit)


def _write(library: Library, trial: Trial) -> None:
    for _ in write_trial_files(trial, library.folder / "burn" / trial.id, speed_unit="mm/min"):
        pass  # only a window shows how far it is


def _now_of(library: Library, stock: Stock) -> Stock:
    """The stock as the library holds it now, with what has been burnt on its sheets."""
    return next(one for one in library.stocks() if one.uid == stock.uid)


def _burn_and_read(
    library: Library, bench: Bench, trial: Trial, *, read: int | None = None, gauged: bool = False
) -> list[Reading]:
    library.save_trial(trial, "burn", "burn file written")
    _write(library, trial)
    burnt = list(bench.burn(trial))
    used = used_on_sheet(_now_of(library, trial.stock), trial)
    if used is not None:
        library.save_stock(used, f"{trial.name} burnt on it")
    cells = {one.cell: CellBurn(one.flared, one.seen) for one in burnt}
    started = datetime.combine(date.fromisoformat(trial.made), time(9, 30), UTC)
    library.save_run(
        trial.id,
        RunRecord(by="stand-in", started=started.isoformat(), cells=cells, complete=True),
        "burnt",
    )
    seen = [
        one.seen if gauged else replace(one.seen, lightness=None, kerf_mm=None) for one in burnt
    ]
    seen = [replace(one, verdict="hangs") if one.verdict == "push" else one for one in seen]
    if trial.task == "cut":
        seen = [replace(one, verdict=None) if one.char == 3 else one for one in seen]
    if read is None:
        kept = seen
    else:
        kept = seen[:read]
    for reading in kept:
        library.save_reading(trial.id, reading, "read by eye")
    library.save_trial(trial, "decide" if read is None else "read", "read")
    return kept


def _first(machine: Machine, stock: Stock, task: Task) -> TrialChoices:
    needed = [one.recipe for one in proposed_recipes(machine, stock, task) if one.is_needed]
    return suggest_levels(
        machine,
        stock,
        task,
        speed_unit="mm/min",
        known=Known(recipes=tuple(needed[:1])),
        lettering=letters(),
        engraves=engraves(machine, stock),
    ).choices


def _leave_at(
    library: Library,
    bench: Bench,
    machine: Machine,
    stock: Stock,
    task: Task,
    day: date,
    count: _Count,
    stage: str,
) -> None:
    trial = _planned(
        machine, _now_of(library, stock), task, _first(machine, stock, task), day, count
    )
    if stage in ("plan", "burn"):
        library.save_trial(trial, stage, "planned")
        if stage == "burn":
            _write(library, trial)
    else:
        _burn_and_read(library, bench, trial, read=14 if stage == "read" else None)


def _decide_until_picked(
    library: Library,
    bench: Bench,
    machine: Machine,
    stock: Stock,
    task: Task,
    day: date,
    count: _Count,
    *,
    keep_entry: bool,
) -> Entry | None:
    """Burn coupon after coupon, each where the last left doubt, until there is a pick."""
    choices = _first(machine, stock, task)
    pairs: list[tuple[Trial, Sequence[Reading]]] = []
    for _ in range(MOST_ROUNDS):
        trial = _planned(machine, _now_of(library, stock), task, choices, day, count, pairs)
        pairs.append((trial, _burn_and_read(library, bench, trial)))
        decision, _ = decide_trial(pairs)
        if decision.picks:
            pick = _choose(decision)
            entry = entry_of(
                pick,
                decision,
                pairs,
                uid=f"{machine.uid}-{stock.uid}-{task}",
                written=day.isoformat(),
                machine=machine,
                stock=stock,
            )
            if keep_entry:
                library.save_entry(entry, f"chosen from {trial.name}")
                library.save_trial(trial, "book", "written into the book")
            return entry
        choices = _closer(choices, decision)
    return None


def _choose(decision: Decision) -> Pick:
    widest = decision.pick("widest")
    assert widest is not None
    return widest


def _closer(choices: TrialChoices, decision: Decision) -> TrialChoices:
    """The next coupon: the cells that the decision asks for."""
    return replace(choices, kind="next", settings=decision.next_cells)
