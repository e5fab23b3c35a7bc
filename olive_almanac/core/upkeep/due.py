"""What is due on a machine: how much of each part's interval is used, the most dangerous first."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from typing import TYPE_CHECKING

from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.service import Counters, Interval, ServiceAct
from olive_almanac.core.upkeep.filling import filter_capacity_g
from olive_almanac.core.upkeep.services import DIRTY, FILM_LEFT, OPTICS, ServicePart, parts_of
from olive_almanac.core.words import tr

if TYPE_CHECKING:
    from olive_almanac.core.upkeep.drift_told import Optics

__all__ = ["Due", "counters_of", "due_on", "services_of", "water_trouble"]

SOON, NOW = 0.8, 1.0  # of an interval
WEIGHT = {1: 4.0, 2: 3.0, 3: 2.0, 4: 1.0}
WATER_C = (15.0, 25.0)  # common practice, no source
WATER_L_MIN = 2.0  # common practice, no source
FILTER, FULL = "filter", "full"
CLEANINGS = 3  # from which the interval is learnt
LEAST_H, MOST_TIMES = 0.5, 2.0
SURE_DIRTY, SURE_CLEAN, MAY_WAIT = 0.8, 0.9, 1.5
SERVES = ("clean", "check", "change", "replace", "align")


@dataclass(frozen=True)
class Due:
    """A part: its interval and whose it is, how pressing it is as a share of it, by which counter,
    when it was last served, and how risky it is to wait.
    """

    part: ServicePart
    interval: Interval
    is_own: bool
    share: float
    by: str
    last: ServiceAct | None
    risk: float
    why: str = ""  # where more than the interval decides
    used: float = 0.0  # share of the interval that is used, whatever the readings say

    @property
    def is_now(self) -> bool:
        """Whether its interval is used up."""
        return self.share >= NOW

    @property
    def is_soon(self) -> bool:
        """Whether its interval is nearly used up."""
        return SOON <= self.share < NOW


def counters_of(used: Sequence[Counters], acts: Sequence[ServiceAct]) -> Counters:
    """Return a machine's counters: all that its runs used, and what was corrected by hand."""
    on_h = beam_h = energy_j = smoke_g = 0.0
    for one in (*used, *(act.added for act in acts if act.added is not None)):
        on_h = max(0.0, on_h + one.on_h)
        beam_h = max(0.0, beam_h + one.beam_h)
        energy_j = max(0.0, energy_j + one.energy_j)
        smoke_g = max(0.0, smoke_g + one.smoke_g)
    return Counters(on_h, beam_h, energy_j, smoke_g)


def services_of(
    machine: Machine,
    acts: Sequence[ServiceAct],
    counters: Counters,
    now: datetime,
    optics: Optics | None = None,
) -> tuple[Due, ...]:
    """Return every part of a machine, what is most risky to leave first.

    Where it was followed, `optics` counts before the calendar for what a film grows on.
    """
    mine = sorted((act for act in acts if act.machine_uid == machine.uid), key=lambda act: act.at)
    of_part: dict[str, list[ServiceAct]] = {}
    for act in mine:
        of_part.setdefault(act.part, []).append(act)
    begin = mine[0].at if mine else ""
    found = [
        _due(part, of_part.get(part.id, []), begin, counters, now, optics)
        for part in parts_of(machine)
    ]
    return tuple(sorted(found, key=lambda due: (-_stage(due), -due.risk, due.part.danger)))


def _stage(due: Due) -> int:
    """2 where it is due now, 1 where it is soon, 0 else: danger counts within each."""
    return 2 if due.is_now else int(due.is_soon)


def due_on(due: Due, now: datetime) -> date | None:
    """Return the day on which a part will be due as it was used since it was last served, today
    where it is; None where nothing of it is used or it was never served.
    """
    if due.is_now:
        return now.date()
    if due.last is None or due.share <= 0:
        return None
    days = max(1.0, _days(due.last.at, now))
    return (now + timedelta(days=days * (1 - due.share) / due.share)).date()


def _due(
    part: ServicePart,
    acts: Sequence[ServiceAct],
    begin: str,
    counters: Counters,
    now: datetime,
    optics: Optics | None,
) -> Due:
    """How pressing a part is by its own acts; the record of the machine begins at a time."""
    own = [act.interval for act in acts if act.interval is not None]
    interval, why = own[-1] if own else part.interval, ""
    if optics is not None and part.id in OPTICS and not own:
        interval, why = _as_it_fouls(part, optics)
    if part.id == FILTER and not own:
        interval, why = _as_it_fills(part, acts)
    served = [act for act in acts if act.kind in SERVES]
    last = served[-1] if served else None
    used = counters.since(last.counters) if last is not None else counters
    since = last.at if last is not None else begin
    ways = {
        "hours": (used.on_h, interval.hours),
        "beam hours": (used.beam_h, interval.beam_hours),
        "smoke": (used.smoke_g, interval.grams),
        "days": (_days(since, now), interval.days),
    }
    shares = {name: much / of for name, (much, of) in ways.items() if of}
    by = max(shares, key=lambda name: shares[name], default="hours")
    used_share = share = shares.get(by, 0.0)
    if optics is not None and part.id in OPTICS:
        share, why = _by_the_readings(share, why, optics)
    return Due(
        part, interval, bool(own), share, by, last, WEIGHT[part.danger] * share, why, used_share
    )


def _as_it_fouls(part: ServicePart, optics: Optics) -> tuple[Interval, str]:
    """The interval by how fast this machine fouls, once it was cleaned often enough to tell."""
    usual = part.interval
    if optics.cleanings < CLEANINGS or optics.film_an_hour <= 0:
        return usual, ""
    hours = (DIRTY - FILM_LEFT) / optics.film_an_hour
    hours = min(max(hours, LEAST_H), MOST_TIMES * usual.hours)
    days = usual.days * hours / usual.hours
    return Interval(round(hours, 1), round(days), 0, usual.grams), tr("as this machine fouls")


def _as_it_fills(part: ServicePart, acts: Sequence[ServiceAct]) -> tuple[Interval, str]:
    """The interval of a filter by how much this shop's hold, once one was found full; never more
    than is usual, for someone breathes what passes a full one.
    """
    changed = [act for act in acts if act.kind == "replace"]
    took = [
        (act.found == FULL, act.counters.since(before.counters).smoke_g)
        for before, act in itertools.pairwise(changed)
    ]
    full = [grams for was_full, grams in took if was_full and grams > 0]
    if not full:
        return part.interval, ""
    early = [grams for was_full, grams in took if not was_full]
    grams, _ = filter_capacity_g(full, early)
    if grams >= part.interval.grams:
        return part.interval, ""
    return replace(part.interval, grams=round(grams)), tr("as this shop's filters fill")


def _by_the_readings(share: float, why: str, optics: Optics) -> tuple[float, str]:
    if optics.dirty > SURE_DIRTY:
        return max(share, NOW), tr("the readings say that it is dirty")
    if optics.clean > SURE_CLEAN:
        return share / MAY_WAIT, tr("the readings say that it is clean")
    return share, why


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
        return tr(
            "the cooling water is at {celsius:g} °C, it should be {low:g} to {high:g}",
            celsius=last.celsius,
            low=low,
            high=high,
        )
    if last.flow_l_min is not None and last.flow_l_min < WATER_L_MIN:
        return tr(
            "the cooling water flows {flow_l_min:g} l/min, it should be {water_l_min:g}",
            flow_l_min=last.flow_l_min,
            water_l_min=WATER_L_MIN,
        )
    return ""
