"""The weekly checks of the demo shop: planned once, then burnt week after week on machines that age
by the stand-in's wear, and read.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, time, timedelta

from olive_almanac.core.design.suggest import suggest_levels
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.run import CellBurn, RunRecord
from olive_almanac.core.records.service import Counters, ServiceAct
from olive_almanac.core.records.setting import Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.upkeep.services import OPTICS
from olive_almanac.demo.planning import coupon_id, coupon_name, plan_coupon
from olive_almanac.demo.services import BEAM_SHARE, hours_on
from olive_almanac.steps.lettering import letters
from olive_almanac.steps.permission import engraves
from olive_almanac.steps.ports import Bench, Library

__all__ = ["build_checks"]

WEEKDAY = 0  # Monday
METER_EVERY = 6  # weeks
SPATTER_DAYS_AGO = 33


@dataclass(frozen=True)
class _Checked:
    """A machine that is checked: on which stock and task, for how many weeks, what happened to it,
    and whether a power meter is held under it now and then.
    """

    machine: str
    stock: str
    task: Task
    weeks: int
    mishaps: tuple[tuple[float, str, float], ...] = ()
    has_meter: bool = False


def _checked(today: date) -> tuple[_Checked, ...]:
    spatter = (today.toordinal() - SPATTER_DAYS_AGO, "spatter", 0.12)
    return (
        _Checked("long-bed", "poplar-4", "engrave", 52, (spatter,), has_meter=True),
        _Checked("north-bench", "board-15", "engrave", 40),
        _Checked("marker", "plate-1", "engrave", 2),
    )


def build_checks(
    library: Library,
    bench: Bench,
    machines: dict[str, Machine],
    stocks: dict[str, Stock],
    today: date,
    number: Callable[[], int],
) -> Iterator[str]:
    """Burn and read the weekly checks of each machine, the oldest first; yields a word on each."""
    for one in _checked(today):
        machine, stock = machines[one.machine], stocks[one.stock]
        acts = [act for act in library.acts() if act.machine_uid == machine.uid]
        first: Trial | None = None
        monday = today - timedelta(days=(today.weekday() - WEEKDAY) % 7)
        for week in range(one.weeks, 0, -1):
            day = monday - timedelta(weeks=week - 1)
            need = _need(bench, one, machine, day, today, acts)
            count = number()
            first = first or _plan(machine, stock, one.task, count, day)
            name = coupon_name(count)
            trial = replace(first, id=coupon_id(count), name=name, made=day.isoformat())
            _burn_and_read(library, bench, trial, need)
            if one.has_meter and week % METER_EVERY == 1:
                library.save_act(_metered(machine, day, today, need), "power read by a meter")
        yield f"weekly checks of {machine.name}"


def _plan(machine: Machine, stock: Stock, task: Task, number: int, day: date) -> Trial:
    can = engraves(machine, stock)
    choices = suggest_levels(
        machine, stock, task, kind="weekly", speed_unit="mm/min", lettering=letters(), engraves=can
    ).choices
    return plan_coupon(machine, stock, task, choices, number, day)


def _need(
    bench: Bench,
    checked: _Checked,
    machine: Machine,
    day: date,
    today: date,
    acts: list[ServiceAct],
) -> float:
    """What the machine needs on a day (ln), by its hours and by what was done to it."""
    done = [
        (datetime.fromisoformat(act.at).toordinal() + 0.73, act.counters.on_h, "clean")
        for act in acts
        if act.kind == "clean" and act.part in OPTICS
    ]
    began = min(act.counters.on_h for act in acts if act.added is None)
    hours = hours_on(machine, day, today)
    at, mishaps = day.toordinal() + 0.4, checked.mishaps
    return bench.need(machine, at, hours, began_at_h=began, acts=done, mishaps=mishaps)


def _burn_and_read(library: Library, bench: Bench, trial: Trial, need: float) -> None:
    library.save_trial(trial, "burn", "burn file written")
    burnt = list(bench.burn(trial, need=need))
    started = datetime.combine(date.fromisoformat(trial.made), time(9, 10), UTC)
    cells = {one.cell: CellBurn(one.flared, one.seen) for one in burnt}
    run = RunRecord(by="stand-in", started=started.isoformat(), cells=cells, complete=True)
    library.save_run(trial.id, run, "burnt")
    library.save_readings(trial.id, [one.seen for one in burnt], "read by photo")
    library.save_trial(trial, "decide", "read")


def _metered(machine: Machine, day: date, today: date, need: float) -> ServiceAct:
    """A reading of a power meter at full power, rounded as its dial is."""
    at = datetime.combine(day, time(8, 50)).isoformat(timespec="seconds")
    hours = hours_on(machine, day, today)
    watts = round(0.97 * machine.optical_power_w * math.exp(-need), 1)
    return ServiceAct(
        f"{machine.uid}-power-{day.isoformat()}",
        machine.uid,
        "power",
        "check",
        at,
        counters=Counters(hours, BEAM_SHARE * hours),
        watts=watts,
        at_percent=100.0,
    )
