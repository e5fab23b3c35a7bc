"""A small picture of the book, so that the window can show it before the library is open.

Written whenever the catalogue changes; read once at the start; replaced by the real one a moment
later.
"""

from __future__ import annotations

import contextlib
import json
from dataclasses import replace
from pathlib import Path

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.records.plain import from_plain, to_plain
from olive_almanac.steps.catalogue import ShopCatalogue
from olive_almanac.steps.files import read_text, write_file

__all__ = ["MOST_ACTS", "load_snapshot", "save_snapshot"]

FILE = "shelf.json"
MOST_ENTRIES, MOST_STOCKS, MOST_JOBS = 300, 300, 50

MOST_ACTS = 120


def load_snapshot(folder: Path) -> ShopCatalogue | None:
    """Return the catalogue as it was last, or None where there is no picture of it."""
    with contextlib.suppress(AlmanacError, ValueError):
        return from_plain(ShopCatalogue, json.loads(read_text(folder / FILE)), FILE)
    return None


def save_snapshot(folder: Path, catalogue: ShopCatalogue) -> None:
    """Keep what the first screen needs.  Raises CannotWrite."""
    entries = catalogue.entries[-MOST_ENTRIES:]
    stocks = catalogue.stocks
    if len(stocks) > MOST_STOCKS:
        shown = {entry.stock_uid for entry in entries}
        stocks = tuple(stock for stock in stocks if stock.uid in shown)
    kept = replace(catalogue, stocks=stocks, entries=entries, jobs=catalogue.jobs[-MOST_JOBS:])
    kept = replace(kept, acts=kept.acts[-MOST_ACTS:])
    write_file(folder / FILE, json.dumps(to_plain(kept), ensure_ascii=False))
