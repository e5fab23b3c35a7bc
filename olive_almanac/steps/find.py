"""Find a setting from any words: material, thickness in mm or inch, machine, task, state."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import date

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.records.entry import Entry, State
from olive_almanac.core.records.machine import SOURCES, Machine
from olive_almanac.core.records.setting import TASK_WORDS
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import read_length_mm
from olive_almanac.steps.book import STATE_WORDS
from olive_almanac.steps.permission import word_of
from olive_almanac.steps.session import subject_state
from olive_almanac.steps.snapshot import Shelf

__all__ = ["Found", "find_entries"]

SIZE = re.compile(r"(\d+(?:[.,]\d+)?(?:/\d+)?)\s*(mm|in|inch|\")(?![a-z])", re.IGNORECASE)
ALIKE = 72.0  # least likeness (0..100) of a mistyped word


@dataclass(frozen=True)
class Found:
    """One hit with what is needed to show and open it."""

    entry: Entry
    machine: Machine
    stock: Stock
    state: State
    reason: str
    score: float


def find_entries(shelf: Shelf, text: str, today: date, most: int = 8) -> tuple[Found, ...]:
    """Return the entries that hold every word of `text`, best first; a size must match within 0.15 mm."""
    named = entry_of_code(text)
    if named:
        return tuple(one for one in find_entries(shelf, "", today, len(shelf.entries)) if one.entry.uid == named)
    sizes = [mm for number, unit in SIZE.findall(text) if (mm := _length(f"{number} {unit}")) is not None]
    words = SIZE.sub(" ", text).casefold().split()
    found = []
    for entry in shelf.entries:
        machine, stock = shelf.machine(entry.machine_uid), shelf.stock(entry.stock_uid)
        if machine is None or stock is None:
            continue
        if any(min(abs(size - stock.thickness_mm), abs(size - stock.true_thickness_mm)) > 0.15 for size in sizes):
            continue
        state, reason = subject_state(shelf, machine, stock, entry.task, today)
        score = _score(words, _haystack(entry, machine, stock, state))
        if score > 0 or not words:
            found.append(Found(entry, machine, stock, state, reason, score + {"proven": 0.3, "trial": 0.1}.get(state, 0.0)))
    return tuple(sorted(found, key=lambda one: -one.score)[:most])


def trial_of_code(text: str) -> str:
    """Return the id of the trial that a key sheet's code names, or nothing for other words."""
    from olive_almanac.formats.pdf import CODE_PREFIX

    words = text.strip()
    return words.removeprefix(CODE_PREFIX) if words.startswith(CODE_PREFIX) else ""


def entry_of_code(text: str) -> str:
    """Return the uid of the entry that a label's code names, or nothing for other words."""
    from olive_almanac.formats.pdf import ENTRY_PREFIX

    words = text.strip()
    return words.removeprefix(ENTRY_PREFIX) if words.startswith(ENTRY_PREFIX) else ""


def _length(text: str) -> float | None:
    try:
        return read_length_mm(text, "Size")
    except AlmanacError:
        return None


def _haystack(entry: Entry, machine: Machine, stock: Stock, state: State) -> tuple[str, ...]:
    text = " ".join(
        (
            stock.label,
            word_of(stock),
            stock.colour,
            stock.finish,
            machine.label,
            SOURCES[machine.source][0],
            machine.source,
            f"{machine.optical_power_w:g}w",
            TASK_WORDS[entry.task],
            entry.task,
            STATE_WORDS[state][0],
        )
    )
    return tuple(text.casefold().replace(",", " ").split())


def _score(words: list[str], haystack: tuple[str, ...]) -> float:
    """Mean likeness of each word to its nearest in the haystack, 0 when one is not there at all."""
    total = 0.0
    for word in words:
        best = max(1.0 if word == other else 0.9 if other.startswith(word) else 0.0 for other in haystack)
        if best == 0.0 and len(word) > 3:
            best = _likeness(word, haystack)
        if best == 0.0:
            return 0.0
        total += best
    return total / len(words) if words else 0.0


def _likeness(word: str, haystack: tuple[str, ...]) -> float:
    from rapidfuzz import fuzz, process

    hit = process.extractOne(word, haystack, scorer=fuzz.ratio, score_cutoff=ALIKE)
    return 0.7 * hit[1] / 100 if hit else 0.0
