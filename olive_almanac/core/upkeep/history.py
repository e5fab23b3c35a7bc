"""A machine's history as events that tell of its need: weekly checks, meter readings, confirming
burns, jobs, acts of service, and its hours at each of them.
"""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from olive_almanac.core.records.entry import FAILED, Entry
from olive_almanac.core.records.job import Job
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.service import Counters, ServiceAct
from olive_almanac.core.records.weekly import WeeklyCheck
from olive_almanac.core.upkeep.days import NOON, ordinal_of
from olive_almanac.core.upkeep.drift import DriftEvent, EventKind, Habits
from olive_almanac.core.upkeep.drift_told import MarginOf, Usage
from olive_almanac.core.upkeep.services import CHANGED, OPTICS

__all__ = ["Change", "History", "Used", "changes_of", "history_of", "margins_of"]

LIVES_H = {"co2": 3000.0, "diode": 10_000.0, "fibre": 50_000.0}  # to 80 %; common practice
SOURCES = frozenset(("tube", "module", "source"))
CHANGE_KINDS: dict[str, EventKind] = {  # of "something has changed" in Set up
    "lens": "clean",
    "tube": "source",
    "module": "source",
    "alignment": "align",
}
METER_SD = 0.025
BURN_SD = 0.05
FEW_HUNG, MANY_HUNG = 0.05, 0.20  # share of the pieces of a job: it passed, it failed
LEAST_MARGIN = 0.02
LEAST_H_A_DAY = 0.3  # on fewer counted hours a day they are taken for not kept
USUAL_H_A_DAY = 1.5
USUAL_BEAM_SHARE = 0.6
BEFORE_ALL = "0001-01-02"


@dataclass(frozen=True)
class Used:
    """What one run used of a machine, and when it was (ISO time)."""

    at: str
    counters: Counters


@dataclass(frozen=True)
class Change:
    """When a state of a machine began (ISO date), which, and why."""

    on: str
    state: int
    reason: str


@dataclass(frozen=True)
class History:
    """Events in the order of time, how much the machine is run, and how machines of its kind
    change.
    """

    events: tuple[DriftEvent, ...]
    usage: Usage
    habits: Habits


def changes_of(machine: Machine, machines: Iterable[Machine]) -> tuple[Change, ...]:
    """Return the states of a machine that it had after its first, from the machine as it is now and
    as trials knew it, oldest first.
    """
    found = {
        one.state: Change(one.state_since, one.state, one.state_reason)
        for one in (*machines, machine)
        if one.uid == machine.uid and one.state_since
    }
    return tuple(found[state] for state in sorted(found))


def margins_of(entries: Sequence[Entry], machine: Machine) -> tuple[MarginOf, ...]:
    """Return the margin in ln energy of each entry of a machine that has one."""
    return tuple(
        MarginOf(entry.uid, margin)
        for entry in entries
        if entry.machine_uid == machine.uid and (margin := _margin_of(entry)) is not None
    )


def history_of(
    machine: Machine,
    *,
    checks: Sequence[WeeklyCheck] = (),
    burnt_at: Mapping[str, str] | None = None,
    acts: Sequence[ServiceAct] = (),
    entries: Sequence[Entry] = (),
    jobs: Sequence[Job] = (),
    changes: Sequence[Change] = (),
    used: Sequence[Used] = (),
) -> History:
    """Return what tells of a machine's need, in the order of time; `burnt_at` tells by trial when
    (ISO time) a check was burnt.
    """
    burnt_at = burnt_at or {}
    mine = [act for act in acts if act.machine_uid == machine.uid]
    bare = [
        *_of_checks(machine, checks, burnt_at),
        *_of_acts(mine, machine),
        *_of_changes(changes, mine),
        *_of_entries(machine, entries),
        *_of_jobs(machine, entries, jobs),
    ]
    bare.sort(key=lambda event: event.day)
    habits = Habits(life_h=LIVES_H[machine.source])
    if not bare:
        usual = Usage(USUAL_H_A_DAY, USUAL_H_A_DAY * USUAL_BEAM_SHARE, assumed=True)
        return History((), usual, habits)
    clock = _Clock([*used, *_corrections(mine)], bare[0].day, bare[-1].day)
    events = tuple(
        replace(event, on_h=clock.on_h(event.day), beam_h=clock.beam_h(event.day)) for event in bare
    )
    return History(events, Usage(clock.on_a_day, clock.beam_a_day, clock.assumed), habits)


def _corrections(acts: Sequence[ServiceAct]) -> list[Used]:
    """Hours added by hand; the first are what the machine had before its record began."""
    added = [Used(act.at, act.added) for act in acts if act.added is not None]
    added.sort(key=lambda one: ordinal_of(one.at))
    return [replace(one, at=BEFORE_ALL) if n == 0 else one for n, one in enumerate(added)]


class _Clock:
    """A machine's hours by day: as they were counted, or assumed where hardly any were."""

    def __init__(self, used: Sequence[Used], first: float, last: float) -> None:
        counted = [(ordinal_of(one.at), one.counters) for one in used]
        counted.sort(key=lambda one: one[0])
        self.days, self._on, self._beam = [], [0.0], [0.0]
        for day, counters in counted:
            self.days.append(day)
            self._on.append(max(0.0, self._on[-1] + counters.on_h))
            self._beam.append(max(0.0, self._beam[-1] + counters.beam_h))
        self.first = first
        span = max(1.0, last - first)
        self.on_a_day = (self._at(self._on, last) - self._at(self._on, first)) / span
        self.beam_a_day = (self._at(self._beam, last) - self._at(self._beam, first)) / span
        self.assumed = self.on_a_day < LEAST_H_A_DAY
        if self.assumed:
            self.on_a_day = USUAL_H_A_DAY
        if self.assumed or self.beam_a_day <= 0:
            self.beam_a_day = USUAL_BEAM_SHARE * self.on_a_day

    def _at(self, sums: Sequence[float], day: float) -> float:
        return sums[bisect_right(self.days, day)]

    def on_h(self, day: float) -> float:
        if self.assumed:
            return self.on_a_day * (day - self.first)
        return self._at(self._on, day)

    def beam_h(self, day: float) -> float:
        if self.assumed:
            return self.beam_a_day * (day - self.first)
        return self._at(self._beam, day)


def _event(day: float, kind: EventKind, about: str, **more: object) -> DriftEvent:
    return replace(DriftEvent(day, 0.0, 0.0, kind, about=about), **more)  # type: ignore[arg-type]


def _of_checks(
    machine: Machine, checks: Sequence[WeeklyCheck], burnt_at: Mapping[str, str]
) -> Iterable[DriftEvent]:
    for check in checks:
        if check.machine_uid == machine.uid:
            day = ordinal_of(burnt_at.get(check.trial_id) or check.on)
            about = f"trial|{check.trial_id}"
            yield _event(day, "check", about, series=check.series, value=check.needs, sd=check.sd)


def _of_acts(acts: Sequence[ServiceAct], machine: Machine) -> Iterable[DriftEvent]:
    for act in acts:
        day, about = ordinal_of(act.at), f"act|{act.uid}"
        if act.watts:
            share = (act.at_percent or 100.0) / 100 * machine.optical_power_w
            value = -math.log(act.watts / share)
            series = f"{act.at_percent or 100:g}"
            yield _event(day, "meter", about, series=series, value=value, sd=METER_SD)
        if act.kind in ("clean", "replace") and act.part in OPTICS:
            yield _event(day, "clean", about)
        if act.kind == "align":
            yield _event(day, "align", about)
        if act.kind in ("replace", "change") and act.part in SOURCES:
            yield _event(day, "source", about)


def _of_changes(changes: Sequence[Change], acts: Sequence[ServiceAct]) -> Iterable[DriftEvent]:
    """New states; where the act itself was noted on that day it tells already."""
    for change in changes:
        what = change.reason.partition(":")[0].strip()
        part, kind = CHANGED.get(what, ("", "check"))
        noted = any(
            (act.part, act.kind) == (part, kind) and act.at[:10] == change.on for act in acts
        )
        if what in CHANGE_KINDS and not noted:
            yield _event(ordinal_of(change.on), CHANGE_KINDS[what], f"state|{change.state}")


def _margin_of(entry: Entry) -> float | None:
    """ln of how much more energy an entry can need before it fails, where that is known."""
    power = entry.evidence.margins.power
    if power is None or not 0 < power < 1:
        return None
    margin = -math.log(power)
    return margin if margin >= LEAST_MARGIN else None


def _of_entries(machine: Machine, entries: Sequence[Entry]) -> Iterable[DriftEvent]:
    """The day on which each entry's margin was found, its burns, its newest full set of them."""
    for entry in entries:
        margin = _margin_of(entry)
        if entry.machine_uid != machine.uid or margin is None:
            continue
        begin = ordinal_of(entry.written) - 0.1
        about = f"entry|{entry.uid}"
        yield _event(begin, "proof", about, series=entry.uid)
        for proof in entry.proofs:
            day = ordinal_of(proof.on)
            if day > begin:
                passed = proof.outcome != FAILED
                yield _event(
                    day, "burn", about, series=entry.uid, value=margin, sd=BURN_SD, passed=passed
                )
        if entry.proven_on is not None:
            proven = entry.proven_on.toordinal() + NOON + 0.1
            if proven > begin:
                yield _event(proven, "proof", about, series=entry.uid)


def _of_jobs(
    machine: Machine, entries: Sequence[Entry], jobs: Sequence[Job]
) -> Iterable[DriftEvent]:
    """What came of jobs at the setting of an entry: a failure counts only where no other cause was
    noted.
    """
    for job in jobs:
        if job.machine_uid != machine.uid:
            continue
        for outcome in job.outcomes:
            entry = next(
                (
                    one
                    for one in entries
                    if (one.machine_uid, one.stock_uid, one.task)
                    == (job.machine_uid, job.stock_uid, "cut")
                    and one.setting == outcome.setting
                ),
                None,
            )
            margin = _margin_of(entry) if entry is not None else None
            share = (outcome.hung - outcome.knots) / outcome.pieces
            failed = share > MANY_HUNG and outcome.cause in ("", "weak")
            if entry is None or margin is None or not (failed or share < FEW_HUNG):
                continue
            yield _event(
                ordinal_of(outcome.on),
                "burn",
                f"job|{job.uid}",
                series=entry.uid,
                value=margin,
                sd=BURN_SD,
                passed=not failed,
            )
