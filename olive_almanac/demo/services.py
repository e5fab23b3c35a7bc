"""What was done to the demo shop's machines over some months: made by rule, some of it overdue."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, datetime, time, timedelta

from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.service import Counters, Interval, ServiceAct
from olive_almanac.core.upkeep.services import ServicePart, parts_of
from olive_almanac.steps.ports import Library

__all__ = ["build_services", "hours_on"]

WEEKS_BACK = 56
HOURS_A_DAY = {"diode": 1.1, "co2": 2.4, "fibre": 0.8}
BEFORE_H = {"diode": 610.0, "co2": 1480.0, "fibre": 240.0}
BEAM_SHARE = 0.6
# how many intervals ago a part was served last, where it is not under half of one
LATE = {
    ("long-bed", "lens"): 2.0,
    ("long-bed", "mirror_3"): 3.0,
    ("long-bed", "mirrors"): 1.4,
    ("long-bed", "exhaust"): 1.15,
    ("north-bench", "lens"): 1.2,
}
OWN_DAYS = {("long-bed", "lens"): 21.0}  # as the shop changed it
WATER_C = (17.5, 18.0, 19.5, 20.5, 19.0)


def build_services(library: Library, machines: tuple[Machine, ...], today: date) -> Iterator[str]:
    """Give each machine its hours, read off its own counter each week, and acts of service."""
    for machine in machines:
        _count_hours(library, machine, today)
        for part in parts_of(machine):
            own = OWN_DAYS.get((machine.uid, part.id))
            if own is not None:
                _change_interval(library, machine, part, own, today)
            for n, ago in enumerate(_days_ago(machine, part)):
                on = today - timedelta(days=ago)
                library.save_act(_act(machine, part, on, today, n), part.words)
        yield f"services of {machine.name}"


def hours_on(machine: Machine, day: date, today: date) -> float:
    """Return the hours on that a machine had at the end of a day."""
    begin = today - timedelta(weeks=WEEKS_BACK)
    weeks = max(0, (day - begin).days // 7)
    return BEFORE_H[machine.source] + 7 * weeks * HOURS_A_DAY[machine.source]


def _count_hours(library: Library, machine: Machine, today: date) -> None:
    begin = today - timedelta(weeks=WEEKS_BACK)
    before = Counters(BEFORE_H[machine.source], BEAM_SHARE * BEFORE_H[machine.source])
    week_h = 7 * HOURS_A_DAY[machine.source]
    a_week = Counters(week_h, BEAM_SHARE * week_h)
    for n in range(WEEKS_BACK + 1):
        added, note = (a_week, "read off its counter") if n else (before, "before the book")
        day = begin + timedelta(weeks=n)
        uid = f"{machine.uid}-hours-{day.isoformat()}"
        library.save_act(
            ServiceAct(uid, machine.uid, "hours", "correct", _at(day), added=added, note=note),
            "hours read",
        )


def _change_interval(
    library: Library, machine: Machine, part: ServicePart, days: float, today: date
) -> None:
    day = today - timedelta(weeks=WEEKS_BACK)
    uid = f"{machine.uid}-{part.id}-interval"
    own = Interval(days=days)
    act = ServiceAct(uid, machine.uid, part.id, "interval", _at(day), interval=own)
    library.save_act(act, f"interval of {part.words}")


def _days_ago(machine: Machine, part: ServicePart) -> Iterator[int]:
    """On which days a part was served: once an interval, the last one late for some."""
    a_day, most = HOURS_A_DAY[machine.source], 7 * WEEKS_BACK
    own = OWN_DAYS.get((machine.uid, part.id))
    every = own or part.interval.days or part.interval.hours / a_day or 10 * most
    last = LATE.get((machine.uid, part.id), 0.4) * every
    ago = last
    while ago < most and ago - last <= 26 * every:
        yield max(0, round(ago))
        ago += every


def _at(day: date) -> str:
    return datetime.combine(day, time(17, 30)).isoformat(timespec="seconds")


def _act(machine: Machine, part: ServicePart, on: date, today: date, n: int) -> ServiceAct:
    celsius = WATER_C[n % len(WATER_C)] if part.id == "water" else None
    found = "dirty" if part.act == "clean" and n % 3 == 1 else ""
    uid = f"{machine.uid}-{part.id}-{on.isoformat()}"
    hours = hours_on(machine, on, today)
    counters = Counters(hours, BEAM_SHARE * hours)
    return ServiceAct(
        uid, machine.uid, part.id, part.act, _at(on), "", counters, found, 5.0, celsius=celsius
    )
