"""The catalogue as state: every change of machines, stocks, entries and rules goes through here."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Sequence
from dataclasses import replace
from datetime import date
from typing import TYPE_CHECKING

from olive_almanac.core.errors import CannotWrite
from olive_almanac.core.records.entry import Entry
from olive_almanac.core.records.job import Job
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.service import ServiceAct
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.weekly import WeeklyCheck
from olive_almanac.core.words import tr
from olive_almanac.steps.catalogue import ShopCatalogue
from olive_almanac.steps.commands import Change
from olive_almanac.steps.drift import Watch
from olive_almanac.steps.kin import KinLearner
from olive_almanac.steps.signal import Signal
from olive_almanac.steps.snapshot import save_snapshot

if TYPE_CHECKING:
    from olive_almanac.steps.session import Session

__all__ = ["Shop"]


class Shop:
    """Holds the catalogue and writes it.

    Signals:
        changed: the catalogue is another one now.
    """

    def __init__(self, session: Session, today: Callable[[], date]) -> None:
        self._session, self._today = session, today
        self.catalogue = ShopCatalogue()
        self.changed = Signal()
        self.watch = Watch(session)
        self.kin = KinLearner(session)
        self._due: tuple[ShopCatalogue, date, int] | None = None

    def show(self, catalogue: ShopCatalogue) -> None:
        """Take another catalogue; the subject's machine and stock are looked up in it anew."""
        self.catalogue = self.as_followed(catalogue)
        self._session.look_up_subject()
        self.keep_snapshot()
        self.changed.emit()
        self._session.subject_changed.emit()

    def as_followed(self, catalogue: ShopCatalogue) -> ShopCatalogue:
        """Return a catalogue with what its machines were last followed to have used of margins."""
        return replace(catalogue, half_used=self.catalogue.half_used)

    def take_drift(self, machine_uid: str, half_used: dict[str, float]) -> None:
        """Take what a machine has used of the margins of its entries, by entry."""
        mine = {one.uid for one in self.catalogue.entries if one.machine_uid == machine_uid}
        others = {
            uid: chance for uid, chance in self.catalogue.half_used.items() if uid not in mine
        }
        found = {**others, **half_used}
        if found != self.catalogue.half_used:
            self.catalogue = replace(self.catalogue, half_used=found)
            self.show(self.catalogue)

    def keep_snapshot(self) -> None:
        """Keep the picture for the next start: nothing lives there alone."""
        with contextlib.suppress(CannotWrite):
            save_snapshot(self._session.store.folder, self.catalogue)

    def refresh(self) -> None:
        """Read machines, stocks and rules again after a change and tell everybody; entries only
        where all is read anew.
        """
        store = self._session.store
        self.show(
            replace(
                self.catalogue,
                machines=store.machines(),
                stocks=store.stocks(),
                rules=store.rules(),
            )
        )

    def take_checks(self, checks: tuple[WeeklyCheck, ...]) -> None:
        """Take what the weekly checks say now."""
        if checks != self.catalogue.checks:
            self.show(replace(self.catalogue, checks=checks))

    def keep_stock(self, stock: Stock, why: str) -> None:
        """Write a stock into the library and show it."""
        self._session.store.save_stock(stock, why)
        self.refresh()

    def change_stock(self, stock: Stock, why: str) -> None:
        """Write a known stock as an undoable change."""
        before = self.catalogue.stock(stock.uid) or stock
        change = Change(
            why,
            lambda: self.keep_stock(stock, why),
            lambda: self.keep_stock(before, tr("undone: {why}", why=why)),
        )
        self._session.undo_stack.push(change)

    def change_machine(self, machine: Machine, why: str) -> None:
        """Write a known machine as an undoable change."""
        store = self._session.store
        before = self.catalogue.machine(machine.uid) or machine

        def keep(one: Machine, why: str) -> None:
            store.save_machine(one, why)
            self.refresh()

        self._session.undo_stack.push(
            Change(
                why, lambda: keep(machine, why), lambda: keep(before, tr("undone: {why}", why=why))
            )
        )

    def keep_job(self, job: Job, why: str) -> Job:
        """Write a job and show it."""
        written = self._session.store.save_job(job, why)
        self.show(self.catalogue.with_job(written))
        return written

    def keep_act(self, act: ServiceAct, why: str) -> None:
        """Write an act of service and show it; another window may have written it already."""
        self._session.store.save_act(act, why)
        others = tuple(one for one in self.catalogue.acts if one.uid != act.uid)
        self.show(replace(self.catalogue, acts=(*others, act)))

    def keep_entry(self, entry: Entry, why: str, label: str) -> None:
        """Write an entry as an undoable change: undoing restores what the book said before."""
        store = self._session.store
        before = self.catalogue.entry_by_uid.get(entry.uid)

        def do() -> None:
            self.show(self.catalogue.with_entries((store.save_entry(entry, why),)))

        def undo() -> None:
            if before is None:
                store.remove("entry", entry.uid, "undone: " + why)
                self.show(self.catalogue.with_entries((), (entry,)))
            else:
                written = store.save_entry(before, "undone: " + why)
                self.show(self.catalogue.with_entries((written,)))

        self._session.undo_stack.push(Change(label, do, undo))

    def count_proofs(self, entry: Entry, why: str) -> None:
        """Write an entry whose confirming burns were read anew: it is undone with their readings,
        not by itself.
        """
        written = self._session.store.save_entry(entry, why)
        self.show(self.catalogue.with_entries((written,)))

    def keep_book(
        self, stocks: Sequence[Stock], entries: Sequence[Entry], why: str, label: str
    ) -> None:
        """Write new stocks and entries as one undoable change: undoing hides them all again."""
        store = self._session.store

        def do() -> None:
            store.save_book(stocks, entries, why, removed=False)
            shown = self.catalogue.with_entries(entries)
            self.show(replace(shown, stocks=store.stocks()))

        def undo() -> None:
            store.save_book(stocks, entries, "undone: " + why, removed=True)
            shown = self.catalogue.with_entries((), entries)
            self.show(replace(shown, stocks=store.stocks()))

        self._session.undo_stack.push(Change(label, do, undo))

    def keep_rule(self, family: str, *, burns: bool) -> None:
        """Record the shop's own decision on a disputed family, as an undoable change."""
        before = self.catalogue.rules.get(family)

        def put(value: bool | None, why: str) -> None:
            self._session.store.save_rule(family, value, why)
            self.refresh()

        def do() -> None:
            put(burns, tr("decided by the shop"))

        def undo() -> None:
            put(before, tr("undone") if before is None else tr("decided by the shop"))

        self._session.undo_stack.push(Change(tr("the shop's rule"), do, undo))

    def due_count(self) -> int:
        """Return how many entries are due again."""
        catalogue, today = self.catalogue, self._today()
        if self._due is None or self._due[0] is not catalogue or self._due[1] != today:
            count = sum(catalogue.is_due(entry, today) for entry in catalogue.entries)
            self._due = (catalogue, today, count)
        return self._due[2]
