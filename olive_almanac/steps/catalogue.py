"""The shop's catalogue: its machines, stocks, entries and rules as they are now."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from functools import cached_property

from olive_almanac.core.records.entry import Entry, State, state_of
from olive_almanac.core.records.job import Job
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.service import ServiceAct
from olive_almanac.core.records.setting import Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.weekly import WeeklyCheck
from olive_almanac.core.words import tr
from olive_almanac.steps.permission import permission_for

__all__ = ["ShopCatalogue", "subject_state"]


@dataclass(frozen=True)
class ShopCatalogue:
    """All machines, stocks, entries, jobs and acts of service, as they are now, and what the weekly
    checks found.
    """

    machines: tuple[Machine, ...] = ()
    stocks: tuple[Stock, ...] = ()
    entries: tuple[Entry, ...] = ()
    # the shop's decisions on disputed families
    rules: dict[str, bool] = field(default_factory=dict, hash=False)
    checks: tuple[WeeklyCheck, ...] = ()
    jobs: tuple[Job, ...] = ()
    acts: tuple[ServiceAct, ...] = ()  # of service
    # by entry: the chance that its machine has used half of its margin up, as last followed
    half_used: dict[str, float] = field(default_factory=dict, hash=False, compare=False)

    @cached_property
    def _machine_by_uid(self) -> dict[str, Machine]:
        return {one.uid: one for one in self.machines}

    @cached_property
    def _stock_by_uid(self) -> dict[str, Stock]:
        return {one.uid: one for one in self.stocks}

    @cached_property
    def _entry_by_subject(self) -> dict[tuple[str, str, str], Entry]:
        # of several entries of a subject the last, the newest, stands
        return {(one.machine_uid, one.stock_uid, one.task): one for one in self.entries}

    @cached_property
    def entry_by_uid(self) -> dict[str, Entry]:
        return {one.uid: one for one in self.entries}

    def machine(self, uid: str) -> Machine | None:
        return self._machine_by_uid.get(uid)

    def stock(self, uid: str) -> Stock | None:
        return self._stock_by_uid.get(uid)

    def entry_for(self, machine_uid: str, stock_uid: str, task: str) -> Entry | None:
        """Return the newest entry of a subject, or None."""
        return self._entry_by_subject.get((machine_uid, stock_uid, task))

    @cached_property
    def _checks_by_machine(self) -> dict[str, tuple[WeeklyCheck, ...]]:
        return {
            machine.uid: tuple(one for one in self.checks if one.machine_uid == machine.uid)
            for machine in self.machines
        }

    @cached_property
    def _acts_by_machine(self) -> dict[str, list[ServiceAct]]:
        by_machine: dict[str, list[ServiceAct]] = {}
        for act in sorted(self.acts, key=lambda act: act.at):
            by_machine.setdefault(act.machine_uid, []).append(act)
        return by_machine

    def acts_of(self, machine_uid: str) -> list[ServiceAct]:
        """Return what was done to a machine, the oldest first."""
        return list(self._acts_by_machine.get(machine_uid, ()))

    def state_of(
        self, entry: Entry, machine: Machine, stock: Stock, today: date
    ) -> tuple[State, str]:
        """Return the state of an entry by rule, and the reason in words."""
        checks = self._checks_by_machine.get(machine.uid, ())
        return state_of(
            entry,
            today=today,
            lot=stock.lot,
            machine_state=machine.state,
            checks=checks,
            half_used=self.half_used.get(entry.uid),
        )

    def is_due(self, entry: Entry, today: date) -> bool:
        """Return whether an entry has to be proved again."""
        machine, stock = self.machine(entry.machine_uid), self.stock(entry.stock_uid)
        if machine is None or stock is None:
            return False
        return self.state_of(entry, machine, stock, today)[0] == "due"

    def with_job(self, job: Job) -> ShopCatalogue:
        """Return the catalogue with a job in its place, the newest change last."""
        others = tuple(one for one in self.jobs if one.uid != job.uid)
        return replace(self, jobs=(*others, job))

    def with_entries(self, changed: Sequence[Entry], gone: Sequence[Entry] = ()) -> ShopCatalogue:
        """Return the catalogue with some entries put in their place (new ones last) and others
        taken out.
        """
        new = {one.uid: one for one in changed}
        out = {one.uid for one in gone}
        kept = [new.pop(one.uid, one) for one in self.entries if one.uid not in out]
        return replace(self, entries=(*kept, *new.values()))


def subject_state(
    catalogue: ShopCatalogue, machine: Machine, stock: Stock, task: Task, today: date
) -> tuple[State, str]:
    """Return the state of a subject and its reason: what must not or cannot burn comes first, then
    the newest entry's, else untried.
    """
    permission = permission_for(machine, stock, task, catalogue.rules)
    if permission.ask:
        return "untried", tr("decide first: shops differ")
    if permission.barred:
        return "barred", permission.reason
    if not permission.allowed:
        return "cannot", permission.reason
    entry = catalogue.entry_for(machine.uid, stock.uid, task)
    if entry is None:
        return "untried", tr("nothing known yet")
    return catalogue.state_of(entry, machine, stock, today)
