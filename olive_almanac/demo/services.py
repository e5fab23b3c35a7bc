"""What was done to the demo shop's machines over some months: made by rule, some of it overdue."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, datetime, time, timedelta

from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.service import Counters, ServiceAct
from olive_almanac.core.upkeep.services import ServicePart, parts_of
from olive_almanac.steps.ports import Library

__all__ = ["build_services"]

DAYS_BACK = 120
HOURS_A_DAY = {"diode": 1.1, "co2": 2.4, "fibre": 0.8}
BEFORE_H = {"diode": 610.0, "co2": 1480.0, "fibre": 240.0}
LATE = {("long-bed", "mirror_3"): 1.3, ("long-bed", "exhaust"): 1.15, ("north-bench", "lens"): 1.2}
WATER_C = (17.5, 18.0, 19.5, 20.5, 19.0)


def build_services(library: Library, machines: tuple[Machine, ...], today: date) -> Iterator[str]:
    """Give each machine its hours before the book began, and acts of service since."""
    for machine in machines:
        begin = today - timedelta(days=DAYS_BACK)
        hours = BEFORE_H[machine.source]
        before = Counters(hours, 0.6 * hours, 0.0, 0.0)
        start = ServiceAct(
            f"{machine.uid}-before",
            machine.uid,
            "hours",
            "correct",
            _at(begin),
            added=before,
            note="on the old computer",
        )
        library.save_act(start, "hours before the book")
        for part in parts_of(machine):
            for n, ago in enumerate(_days_ago(machine, part)):
                on = today - timedelta(days=ago)
                library.save_act(_act(machine, part, on, hours, n), part.words)
        yield f"services of {machine.name}"


def _days_ago(machine: Machine, part: ServicePart) -> Iterator[int]:
    """On which days a part was served: once an interval, the last one late for some."""
    a_day = HOURS_A_DAY[machine.source]
    every = part.interval.days or part.interval.hours / a_day or 10 * DAYS_BACK
    last = LATE.get((machine.uid, part.id), 0.4) * every
    ago = last
    while ago < DAYS_BACK and ago - last <= 6 * every:
        yield max(0, round(ago))
        ago += every


def _at(day: date) -> str:
    return datetime.combine(day, time(17, 30)).isoformat(timespec="seconds")


def _act(machine: Machine, part: ServicePart, on: date, hours: float, n: int) -> ServiceAct:
    celsius = WATER_C[n % len(WATER_C)] if part.id == "water" else None
    found = "dirty" if part.act == "clean" and n % 3 == 1 else ""
    uid = f"{machine.uid}-{part.id}-{on.isoformat()}"
    counters = Counters(hours, 0.6 * hours, 0.0, 0.0)
    return ServiceAct(
        uid, machine.uid, part.id, part.act, _at(on), "", counters, found, 5.0, celsius=celsius
    )
