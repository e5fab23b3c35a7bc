"""A small picture of the book, so that the window can show it before the library is open.

Written whenever the shelf changes; read once at the start; replaced by the real shelf a moment
later.
"""

from __future__ import annotations

import contextlib
import json
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from functools import cached_property
from pathlib import Path

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.records.entry import Entry, State, state_of
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.plain import from_plain, to_plain
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.weekly import WeeklyCheck
from olive_almanac.steps.files import read_text, write_file

__all__ = ["Shelf", "load_snapshot", "save_snapshot"]

FILE = "shelf.json"
MOST_ENTRIES, MOST_STOCKS = 300, 300


@dataclass(frozen=True)
class Shelf:
    """All machines, stocks and entries, as they are now, and what the weekly checks found."""

    machines: tuple[Machine, ...] = ()
    stocks: tuple[Stock, ...] = ()
    entries: tuple[Entry, ...] = ()
    rules: dict[str, bool] = field(
        default_factory=dict, hash=False
    )  # the shop's decisions on disputed families
    checks: tuple[WeeklyCheck, ...] = ()

    @cached_property
    def _machine_by_uid(self) -> dict[str, Machine]:
        return {one.uid: one for one in self.machines}

    @cached_property
    def _stock_by_uid(self) -> dict[str, Stock]:
        return {one.uid: one for one in self.stocks}

    @cached_property
    def _entry_by_subject(self) -> dict[tuple[str, str, str], Entry]:
        return {
            (e.machine_uid, e.stock_uid, e.task): e for e in self.entries
        }  # the last one, the newest, stands

    @cached_property
    def entry_by_uid(self) -> dict[str, Entry]:
        return {e.uid: e for e in self.entries}

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
            m.uid: tuple(c for c in self.checks if c.machine_uid == m.uid) for m in self.machines
        }

    def state_of(
        self, entry: Entry, machine: Machine, stock: Stock, today: date
    ) -> tuple[State, str]:
        """Return the state of an entry by rule, and the reason in words."""
        checks = self._checks_by_machine.get(machine.uid, ())
        return state_of(
            entry, today=today, lot=stock.lot, machine_state=machine.state, checks=checks
        )

    def with_entries(self, changed: Sequence[Entry], gone: Sequence[Entry] = ()) -> Shelf:
        """Return the shelf with some entries put in their place (new ones last) and others taken
        out.
        """
        new = {e.uid: e for e in changed}
        out = {e.uid for e in gone}
        kept = [new.pop(e.uid, e) for e in self.entries if e.uid not in out]
        return replace(self, entries=(*kept, *new.values()))


def load_snapshot(folder: Path) -> Shelf | None:
    with contextlib.suppress(AlmanacError, ValueError):
        return from_plain(Shelf, json.loads(read_text(folder / FILE)), FILE)
    return None


def save_snapshot(folder: Path, shelf: Shelf) -> None:
    entries = shelf.entries[-MOST_ENTRIES:]
    stocks = shelf.stocks
    if len(stocks) > MOST_STOCKS:
        shown = {e.stock_uid for e in entries}
        stocks = tuple(stock for stock in stocks if stock.uid in shown)
    kept = Shelf(shelf.machines, stocks, entries, shelf.rules, shelf.checks)
    write_file(folder / FILE, json.dumps(to_plain(kept), ensure_ascii=False))
