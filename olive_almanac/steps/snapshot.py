"""A small picture of the book, so that the window can show it before the library is open.

Written whenever the shelf changes; read once at the start; replaced by the real shelf a moment later.
"""

from __future__ import annotations

import contextlib
import json
from dataclasses import dataclass, field
from pathlib import Path

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.records.entry import Entry
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.plain import from_plain, to_plain
from olive_almanac.core.records.stock import Stock
from olive_almanac.steps.files import read_text, write_file

__all__ = ["Shelf", "load_snapshot", "save_snapshot"]

FILE = "shelf.json"
MOST_ENTRIES = 300


@dataclass(frozen=True)
class Shelf:
    """All machines, stocks and entries, as they are now."""

    machines: tuple[Machine, ...] = ()
    stocks: tuple[Stock, ...] = ()
    entries: tuple[Entry, ...] = ()
    rules: dict[str, bool] = field(default_factory=dict, hash=False)  # the shop's decisions on disputed families

    def machine(self, uid: str) -> Machine | None:
        return next((one for one in self.machines if one.uid == uid), None)

    def stock(self, uid: str) -> Stock | None:
        return next((one for one in self.stocks if one.uid == uid), None)

    def entry_for(self, machine_uid: str, stock_uid: str, task: str) -> Entry | None:
        """Return the newest entry of a subject, or None."""
        found = [e for e in self.entries if (e.machine_uid, e.stock_uid, e.task) == (machine_uid, stock_uid, task)]
        return found[-1] if found else None


def load_snapshot(folder: Path) -> Shelf | None:
    with contextlib.suppress(AlmanacError, ValueError):
        return from_plain(Shelf, json.loads(read_text(folder / FILE)), FILE)
    return None


def save_snapshot(folder: Path, shelf: Shelf) -> None:
    kept = Shelf(shelf.machines, shelf.stocks, shelf.entries[-MOST_ENTRIES:], shelf.rules)
    write_file(folder / FILE, json.dumps(to_plain(kept), ensure_ascii=False))
