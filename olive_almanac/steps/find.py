"""Find a setting from any words: material, thickness in mm or inch, machine, task, state."""

from __future__ import annotations

import re
from bisect import bisect_left
from dataclasses import dataclass
from datetime import date

from olive_almanac.core.dates import MONTHS
from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.records.entry import Entry, State
from olive_almanac.core.records.job import Job
from olive_almanac.core.records.machine import SOURCES, Machine
from olive_almanac.core.records.setting import TASK_WORDS
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import count_text, read_length_mm
from olive_almanac.core.words import tr
from olive_almanac.steps.book import STATE_WORDS
from olive_almanac.steps.catalogue import ShopCatalogue, subject_state
from olive_almanac.steps.permission import word_of

__all__ = [
    "FindIndex",
    "Found",
    "FoundJob",
    "entry_of_code",
    "find_entries",
    "find_jobs",
    "index_of",
    "open_jobs",
    "trial_of_code",
]

RANKS: dict[str, int] = {"proven": 0, "trial": 1, "due": 2}
SIZE_NEAR_MM = 0.15
FRACTIONS = (("sixteenth", "1/16"), ("eighth", "1/8"), ("quarter", "1/4"), ("half", "1/2"))
SIZE = re.compile(r"(\d+(?:[.,]\d+)?(?:/\d+)?)\s*(mm|in|inch|\")(?![a-z])", re.IGNORECASE)
ASKED = tr("what did we run for the in of a an and on when was were job jobs")
ASKING = frozenset(ASKED.split(" "))  # words of a question that name nothing
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


@dataclass(frozen=True)
class FoundJob:
    """A job that was found, with the machine and the stock that it is for."""

    job: Job
    machine: Machine
    stock: Stock

    @property
    def came_of_it(self) -> str:
        """What came of it, in a few words."""
        pieces = sum(one.pieces for one in self.job.outcomes)
        hung = sum(one.hung for one in self.job.outcomes)
        if pieces:
            return tr("{pieces}, {hung} hung", pieces=count_text(pieces, "piece"), hung=hung)
        return tr("written, not told yet") if self.job.written else tr("not written yet")


class FindIndex:
    """For each word that stands with any entry of a shelf, which entries it stands with, as the
    bits of one whole number.

    Entries are numbered by rank (proven first, then on trial, newest first), so that the lowest
    bits are the best hits. Made once for a shelf; a search then takes the same time in a large book
    as in a small one.
    """

    def __init__(self, catalogue: ShopCatalogue, today: date) -> None:
        self.catalogue, self.today = catalogue, today
        places, sizes = {}, list[tuple[float, float]]()
        ranked = []
        for n, entry in enumerate(catalogue.entries):
            machine, stock = catalogue.machine(entry.machine_uid), catalogue.stock(entry.stock_uid)
            if machine is not None and stock is not None:
                state, _ = catalogue.state_of(entry, machine, stock, today)
                ranked.append((RANKS.get(state, 3), -n, entry, machine, stock, state))
        ranked.sort(key=lambda one: one[:2])
        self.entries = tuple(entry for _, _, entry, _, _, _ in ranked)
        width = len(ranked) // 8 + 1
        words_of: dict[tuple[str, str], tuple[str, ...]] = {}
        for at, (_, _, entry, machine, stock, state) in enumerate(ranked):
            key = (machine.uid, stock.uid)
            if key not in words_of:
                words_of[key] = _subject_words(machine, stock)
            bit, byte = 1 << (at & 7), at >> 3
            for word in (*words_of[key], *_entry_words(entry, state)):
                if word not in places:
                    places[word] = bytearray(width)
                places[word][byte] |= bit
            sizes.append((stock.thickness_mm, stock.true_thickness_mm))
        self._bits = {word: int.from_bytes(bits, "little") for word, bits in places.items()}
        self._words = sorted(self._bits)
        self._sizes = sizes
        self._all = (1 << len(ranked)) - 1
        self._by_size: dict[float, int] = {}

    def of_size(self, mm: float) -> int:
        """The entries whose stock is about that thick."""
        if mm not in self._by_size:
            bits = bytearray(len(self._sizes) // 8 + 1)
            for at, (nominal, true) in enumerate(self._sizes):
                if min(abs(mm - nominal), abs(mm - true)) <= SIZE_NEAR_MM:
                    bits[at >> 3] |= 1 << (at & 7)
            self._by_size[mm] = int.from_bytes(bits, "little")
        return self._by_size[mm]

    def tiers(self, word: str) -> tuple[int, int, int]:
        """The entries that hold the word itself, one that begins with it, or one much like it."""
        exact = self._bits.get(word, 0)
        begun = 0
        at = bisect_left(self._words, word)
        while at < len(self._words) and self._words[at].startswith(word):
            begun |= self._bits[self._words[at]]
            at += 1
        alike = 0
        if not begun and len(word) > 3:
            for other in _alike(word, self._words):
                alike |= self._bits[other]
        return exact, exact | begun, exact | begun | alike

    def search(self, words: list[str], sizes: list[float], most: int) -> list[tuple[Entry, float]]:
        """Return the best entries with their likeness: those that hold every word itself come
        first.
        """
        base = self._all
        for mm in sizes:
            base &= self.of_size(mm)
        tiers = [self.tiers(word) for word in words]
        found: list[tuple[Entry, float]] = []
        seen = 0
        for level, score in enumerate((1.0, 0.9, 0.7)):
            hits = base
            for tier in tiers:
                hits &= tier[level]
            hits &= ~seen
            while hits and len(found) < most:
                low = hits & -hits
                found.append((self.entries[low.bit_length() - 1], score))
                hits ^= low
                seen |= low
        return found


_kept: list[FindIndex] = []  # of the shelf that was searched last


def index_of(catalogue: ShopCatalogue, today: date) -> FindIndex:
    """Return the index of a shelf, made at the first call: for a large book beforehand, in a
    worker.
    """
    if not _kept or _kept[0].catalogue is not catalogue or _kept[0].today != today:
        _kept[:] = [FindIndex(catalogue, today)]
    return _kept[0]


def find_entries(
    catalogue: ShopCatalogue, text: str, today: date, most: int = 8
) -> tuple[Found, ...]:
    """Return the entries that hold every word of `text`, best first; a size must match within 0.15
    mm.
    """
    index, named = index_of(catalogue, today), entry_of_code(text)
    if named:
        entry = catalogue.entry_by_uid.get(named)
        if entry is not None:
            hits = [(entry, 1.0)]
        else:
            hits = []
    else:
        text = _figures_for_words(text)
        sizes = [
            mm
            for number, unit in SIZE.findall(text)
            if (mm := _length(f"{number} {unit}")) is not None
        ]
        words = SIZE.sub(" ", text).casefold().replace(",", " ").split()
        hits = index.search(words, sizes, most)
    found = []
    for entry, score in hits:
        machine, stock = catalogue.machine(entry.machine_uid), catalogue.stock(entry.stock_uid)
        if machine is not None and stock is not None:
            state, reason = subject_state(catalogue, machine, stock, entry.task, today)
            found.append(Found(entry, machine, stock, state, reason, score))
    return tuple(found)


def find_jobs(catalogue: ShopCatalogue, text: str, most: int = 4) -> tuple[FoundJob, ...]:
    """Return the jobs that hold every word of `text`, the newest first: by name, drawing, machine,
    stock, month, year and what came of them.  "What did we run for the frames in March" finds them
    too.
    """
    words = [word for word in re.findall(r"\w+", text.casefold()) if word not in ASKING]
    found: list[FoundJob] = []
    if not words or entry_of_code(text) or trial_of_code(text):
        return ()
    for job in reversed(catalogue.jobs):
        machine, stock = catalogue.machine(job.machine_uid), catalogue.stock(job.stock_uid)
        if machine is None or stock is None or len(found) >= most:
            continue
        held = _job_words(job, machine, stock)
        if all(any(other.startswith(word) for other in held) for word in words):
            found.append(FoundJob(job, machine, stock))
    return tuple(found)


def open_jobs(catalogue: ShopCatalogue) -> tuple[FoundJob, ...]:
    """Return the jobs of all machines and stocks of which nothing came yet, the newest first."""
    found = []
    for job in reversed(catalogue.jobs):
        machine, stock = catalogue.machine(job.machine_uid), catalogue.stock(job.stock_uid)
        if not job.outcomes and machine is not None and stock is not None:
            found.append(FoundJob(job, machine, stock))
    return tuple(found)


def _job_words(job: Job, machine: Machine, stock: Stock) -> set[str]:
    told = [job.name, job.drawing_name, machine.label, stock.label, job.lot, "job"]
    for day in (job.made, job.written[:10], *(one.on for one in job.outcomes)):
        if day:
            on = date.fromisoformat(day)
            told += [MONTHS[on.month - 1].casefold(), str(on.year)]
    told += [f"{one.note} {one.cause}" for one in job.outcomes]
    return set(re.findall(r"\w+", " ".join(told).casefold()))


def _figures_for_words(text: str) -> str:
    """ "eighth inch" is "1/8 inch"."""
    for word, figures in FRACTIONS:
        text = re.sub(
            rf"\b(?:an? )?{word}s?(?=\s*(?:of an )?(?:inch|in\b))",
            figures,
            text,
            flags=re.IGNORECASE,
        )
    return re.sub(r"(\d/\d+)\s*of an inch", r"\1 inch", text, flags=re.IGNORECASE)


def trial_of_code(text: str) -> str:
    """Return the id of the trial that a key sheet's code names, or nothing for other words."""
    from olive_almanac.formats.pdf import CODE_PREFIX

    words = text.strip()
    if words.startswith(CODE_PREFIX):
        return words.removeprefix(CODE_PREFIX)
    return ""


def entry_of_code(text: str) -> str:
    """Return the uid of the entry that a label's code names, or nothing for other words."""
    from olive_almanac.formats.pdf import ENTRY_PREFIX

    words = text.strip()
    if words.startswith(ENTRY_PREFIX):
        return words.removeprefix(ENTRY_PREFIX)
    return ""


def _length(text: str) -> float | None:
    try:
        return read_length_mm(text, tr("Size"))
    except AlmanacError:
        return None


def _subject_words(machine: Machine, stock: Stock) -> tuple[str, ...]:
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
        )
    )
    return _words(text)


def _entry_words(entry: Entry, state: State) -> tuple[str, ...]:
    prepared = "" if entry.recipe.is_plain else entry.recipe.words
    return _words(f"{TASK_WORDS[entry.task]} {entry.task} {STATE_WORDS[state][0]} {prepared}")


def _words(text: str) -> tuple[str, ...]:
    return tuple(dict.fromkeys(text.casefold().replace(",", " ").split()))


def _alike(word: str, words: list[str]) -> list[str]:
    """The words nearest to a mistyped one."""
    from rapidfuzz import fuzz, process

    hits = process.extract(word, words, scorer=fuzz.ratio, score_cutoff=ALIKE, limit=4)
    return [other for other, score, _ in hits if score >= hits[0][1] - 8]
