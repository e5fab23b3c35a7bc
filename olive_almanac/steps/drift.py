"""Follow the machines of a library: read what tells of them, keep the stories, tell what they say.

Work of this module runs in a worker; it reads the library there and gives frozen records back.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date
from typing import TYPE_CHECKING, TypeAlias

from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.service import Counters
from olive_almanac.core.records.trial import Trial
from olive_almanac.steps.signal import Signal

if TYPE_CHECKING:
    from olive_almanac.core.upkeep.drift import Bank, DriftEvent, Habits
    from olive_almanac.core.upkeep.drift_told import MachineDrift, PathPoint
    from olive_almanac.core.upkeep.history import Used
    from olive_almanac.steps.catalogue import ShopCatalogue
    from olive_almanac.steps.ports import Library
    from olive_almanac.steps.session import Session

__all__ = ["Counted", "Followed", "FollowedItem", "Watch", "drift_of", "machines_of", "read_runs"]


@dataclass(frozen=True)
class Counted:
    """What the runs of a machine's trials used, and when each trial was burnt (ISO time)."""

    used: tuple[Used, ...] = ()
    burnt_at: tuple[tuple[str, str], ...] = ()

    @property
    def total(self) -> Counters:
        total = Counters()
        for one in self.used:
            total = total.plus(one.counters)
        return total


# a machine, what its runs used, what is told of it
FollowedItem: TypeAlias = "tuple[str, Counted, MachineDrift | None]"


@dataclass(frozen=True)
class Followed:
    """A machine that was followed: its events, what was told after each, the stories after the
    last, by which habits.
    """

    events: tuple[DriftEvent, ...]
    path: tuple[PathPoint, ...]
    bank: Bank
    habits: Habits


def read_runs(
    library: Library, trials: Sequence[Trial], machine_uid: str, known: dict[str, Used | None]
) -> Counted:
    """Return what the runs of a machine used; `known` holds runs that are over, by trial."""
    from olive_almanac.core.upkeep.history import Used
    from olive_almanac.core.upkeep.usage import usage_of_trial

    used, burnt_at = [], []
    for trial in trials:
        if trial.machine.uid != machine_uid:
            continue
        if trial.id not in known:
            run = library.run_of(trial.id)
            one = None
            if run is not None and run.cells and (library.playground or not run.on_stand_in):
                one = Used(run.started or trial.made, usage_of_trial(trial, run.cells))
            if run is None or not run.complete:
                if one is not None:
                    used.append(one)
                continue
            known[trial.id] = one
        kept = known[trial.id]
        if kept is not None:
            used.append(kept)
            burnt_at.append((trial.id, kept.at))
    return Counted(tuple(used), tuple(burnt_at))


def drift_of(
    machine: Machine,
    catalogue: ShopCatalogue,
    machines: Sequence[Machine],
    counted: Counted,
    before: Followed | None,
    *,
    today: date,
    simulated: bool,
) -> tuple[MachineDrift | None, Followed | None]:
    """Return what is told of a machine and its stories, going on from `before` where nothing older
    has changed; `machines` are those that trials knew, `simulated` whether the stand-in counts.
    """
    from olive_almanac.core.upkeep.drift import follow_machine, learn_sheet  # loads NumPy
    from olive_almanac.core.upkeep.drift_told import path_point, tell_drift
    from olive_almanac.core.upkeep.history import Used, changes_of, history_of, margins_of

    entries = [one for one in catalogue.entries if simulated or not one.evidence.simulated]
    jobs = catalogue.jobs
    told_runs = [
        Used(outcome.on, outcome.used)
        for job in jobs
        if job.machine_uid == machine.uid
        for outcome in job.outcomes
        if outcome.used is not None
    ]
    history = history_of(
        machine,
        checks=catalogue.checks,
        burnt_at=dict(counted.burnt_at),
        acts=catalogue.acts,
        entries=entries,
        jobs=jobs,
        changes=changes_of(machine, machines),
        used=[*counted.used, *told_runs],
    )
    events = history.events
    if not events:
        return None, None
    same = 0
    if before is not None and before.habits.life_h == history.habits.life_h:
        while same < min(len(events), len(before.events)) and (events[same] == before.events[same]):
            same += 1
    if before is not None and 0 < same == len(before.events) and not _learns(before, events):
        habits, path, bank = before.habits, list(before.path), before.bank
        later = follow_machine(events[same:], habits, bank=bank)
    else:
        habits, path = learn_sheet(events, history.habits), []
        later = follow_machine(events, habits)
    for bank in later:
        path.append(path_point(bank))
    told = tell_drift(
        machine,
        events,
        bank,
        path,
        habits,
        today=today,
        margins=margins_of(entries, machine),
        usage=history.usage,
    )
    return told, Followed(events, tuple(path), bank, habits)


def _learns(before: Followed, events: Sequence[DriftEvent]) -> bool:
    """Whether enough checks are in now, for the first time, to learn the machine's spread."""
    from olive_almanac.core.upkeep.drift import ENOUGH_CHECKS

    counts = [sum(e.kind == "check" for e in some) for some in (before.events, events)]
    return counts[0] < ENOUGH_CHECKS <= counts[1]


def machines_of(trials: Sequence[Trial], uid: str) -> list[Machine]:
    """Return a machine as trials knew it, one of each state."""
    found = {trial.machine.state: trial.machine for trial in trials if trial.machine.uid == uid}
    return list(found.values())


class Watch:
    """Follows the machines of the library that is open and keeps how far it has come.

    Signals:
        changed: something else is told of a machine now.
    """

    def __init__(self, session: Session) -> None:
        self.session = session
        self.changed = Signal()
        self.forget()

    def forget(self) -> None:
        """Forget everything: another library is open."""
        self._known: dict[str, Used | None] = {}
        self._followed: dict[str, Followed | None] = {}
        self.counted: dict[str, Counted] = {}
        self.told: dict[str, MachineDrift | None] = {}

    def take(self, item: FollowedItem) -> None:
        """Take what was found of a machine; its entries fall due by it."""
        uid, counted, told = item
        self.counted[uid], self.told[uid] = counted, told
        half_used = {}
        if told is not None and told.level != "unknown":
            half_used = {one.entry: one.half_chance for one in told.entries}
        self.session.shop.take_drift(uid, half_used)
        self.changed.emit()

    @property
    def weak(self) -> Machine | None:
        """The weakest machine of which the model is sure that it is weak, or None."""
        sure = [one for one in self.told.values() if one is not None and one.level == "alarm"]
        worst = max(sure, key=lambda one: one.need, default=None)
        return self.session.catalogue.machine(worst.machine_uid) if worst is not None else None

    def work(self, first: str = "") -> Iterator[FollowedItem]:
        """Return the work that follows every machine, one first: for a worker.  It yields each
        machine with what its runs used and what is told of it.
        """
        session = self.session
        library, catalogue, today = session.store, session.catalogue, session.today()
        trials, simulated = session.trials.every, session.store.playground
        machines = sorted(catalogue.machines, key=lambda one: one.uid != first)
        known, followed = self._known, self._followed

        def run() -> Iterator[FollowedItem]:
            for machine in machines:
                counted = read_runs(library, trials, machine.uid, known)
                told, followed[machine.uid] = drift_of(
                    machine,
                    catalogue,
                    machines_of(trials, machine.uid),
                    counted,
                    followed.get(machine.uid),
                    today=today,
                    simulated=simulated,
                )
                yield machine.uid, counted, told

        return run()
