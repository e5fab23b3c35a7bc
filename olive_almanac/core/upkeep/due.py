"""What is due on a machine: how much of each part's interval is used, the most dangerous first."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.service import Counters, Interval, ServiceAct
from olive_almanac.core.upkeep.services import ServicePart, parts_of

__all__ = ["Due", "counters_of", "services_of", "water_trouble"]

SOON, NOW = 0.8, 1.0  # of an interval
WEIGHT = {1: 4.0, 2: 3.0, 3: 2.0, 4: 1.0}
WATER_C = (15.0, 25.0)  # common practice, no source
WATER_L_MIN = 2.0  # common practice, no source
SERVES = ("clean", "check", "change", "replace", "align")


@dataclass(frozen=True)
class Due:
    """A part: its interval and whose it is, how much of it is used, by which counter, since when,
    and how risky it is to wait.
    """

    part: ServicePart
    interval: Interval
    is_own: bool
    share: float
    by: str
    last: ServiceAct | None
    risk: float

    @property
    def is_now(self) -> bool:
        return self.share >= NOW

    @property
    def is_soon(self) -> bool:
        return SOON <= self.share < NOW


def counters_of(used: Sequence[Counters], acts: Sequence[ServiceAct]) -> Counters:
    """Return a machine's counters: all that its runs used, and what was corrected by hand."""
    total = Counters()
    for one in (*used, *(act.added for act in acts if act.added is not None)):
        total = total.plus(one)
    return total


def services_of(
    machine: Machine, acts: Sequence[ServiceAct], counters: Counters, now: datetime
) -> tuple[Due, ...]:
    """Return every part of a machine, what is most risky to leave first."""
    mine = sorted((act for act in acts if act.machine_uid == machine.uid), key=lambda act: act.at)
    found = [_due(part, mine, counters, now) for part in parts_of(machine)]
    return tuple(sorted(found, key=lambda due: (-_stage(due), -due.risk, due.part.danger)))


def _stage(due: Due) -> int:
    """2 where it is due now, 1 where it is soon, 0 else: danger counts within each."""
    return 2 if due.is_now else int(due.is_soon)


def _due(part: ServicePart, acts: Sequence[ServiceAct], counters: Counters, now: datetime) -> Due:
    own = [act.interval for act in acts if act.part == part.id and act.interval is not None]
    interval = own[-1] if own else part.interval
    served = [act for act in acts if act.part == part.id and act.kind in SERVES]
    last = served[-1] if served else None
    used = counters.since(last.counters) if last is not None else counters
    begin = last.at if last is not None else min((act.at for act in acts), default="")
    ways = {
        "hours": (used.on_h, interval.hours),
        "beam hours": (used.beam_h, interval.beam_hours),
        "smoke": (used.smoke_g, interval.grams),
        "days": (_days(begin, now), interval.days),
    }
    shares = {name: much / of for name, (much, of) in ways.items() if of}
    by = max(shares, key=lambda name: shares[name], default="hours")
    share = shares.get(by, 0.0)
    return Due(part, interval, bool(own), share, by, last, WEIGHT[part.danger] * share)


def _days(since: str, now: datetime) -> float:
    """Days since an ISO time; a clock that was set back counts as none."""
    if not since:
        return 0.0
    then = datetime.fromisoformat(since).astimezone()
    return max(0.0, (now.astimezone() - then).total_seconds() / 86_400)


def water_trouble(acts: Sequence[ServiceAct]) -> str:
    """Return why the newest reading of the cooling water forbids burning, or nothing: also where
    somebody decided since to burn all the same.
    """
    told = [act for act in acts if act.part == "water" and act.kind in ("check", "override")]
    if not told:
        return ""
    last = max(told, key=lambda act: (act.at, act.kind == "override"))
    low, high = WATER_C
    if last.celsius is not None and not low <= last.celsius <= high:
        return f"the cooling water is at {last.celsius:g} °C, it should be {low:g} to {high:g}"
    if last.flow_l_min is not None and last.flow_l_min < WATER_L_MIN:
        return f"the cooling water flows {last.flow_l_min:g} l/min, it should be {WATER_L_MIN:g}"
    return ""
