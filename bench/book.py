"""A book of 100,000 entries with a million readings: finding, opening, old notes coming in, one
durable write.
"""

import contextlib
import json
import sqlite3
import statistics
import tempfile
import time
from dataclasses import replace
from datetime import date
from pathlib import Path

from bench.startup import FIRST_PICTURE, run_program
from olive_almanac.core.records.entry import Entry, Proof
from olive_almanac.core.records.plain import to_plain
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Stock
from olive_almanac.demo.shop import MACHINES
from olive_almanac.steps.find import find_entries
from olive_almanac.steps.session import Session, read_all
from olive_almanac.steps.share import NotesDesk
from olive_almanac.storage.library import Library

MANY, FEW, READINGS = 100_000, 1_000, 1_000_000
TODAY = date(2026, 4, 14)
WORDS = tuple(
    zip(
        [
            "Birch ply",
            "Poplar ply",
            "Oak",
            "Walnut",
            "Felt",
            "Cork",
            "Leather",
            "Board",
            "Cast acrylic",
            "Foam",
        ],
        [
            "plywood",
            "plywood",
            "hardwood",
            "hardwood",
            "felt",
            "cork",
            "leather",
            "board",
            "acrylic",
            "foam_eva",
        ],
        strict=True,
    )
)
SEARCHES = (
    "birch cut",
    "3 mm oak",
    "walnutt engrave",
    "eighth inch birch cut",
    "60w leather proven",
    "cast acryl 12",
)
NOTES = 10_000
WRITES = 60


def _shelf(count):
    machines = [
        replace(m, name=f"{m.name} {k}", uid=f"{m.uid}-{k}") for m in MACHINES for k in range(4)
    ]
    stocks = [
        Stock(
            f"{WORDS[i % 10][0]} {i // 10}",
            WORDS[i % 10][1],
            1.0 + i % 7,
            uid=f"s{i}",
            lot=str(i % 9),
        )
        for i in range(max(1, count // 24))
    ]
    entries = []
    for i in range(count):
        stock = stocks[i // 24 % len(stocks)]
        proofs = tuple(Proof("2026-03-01", "passed", stock.lot) for _ in range(i % 4))
        setting = Setting(0.5 + i % 100 / 200, 5.0 + i % 90)
        task = ("cut", "engrave")[i // 12 % 2]
        entries.append(
            Entry(
                f"e{i}",
                machines[i % 12].uid,
                stock.uid,
                task,
                setting,
                "trial",
                "2026-01-01",
                stock.lot,
                proofs=proofs,
            )
        )
    return machines, stocks, entries


def _make(folder, count, readings):
    library = Library.open(folder, who="bench")
    machines, stocks, entries = _shelf(count)
    for machine in machines:
        library.save_machine(machine, "set up")
    library.save_book(stocks, entries, "made")
    library.close()
    body = json.dumps(to_plain(Reading("A1", "free")))
    with contextlib.closing(sqlite3.connect(folder / "almanac.db")) as connection, connection:
        connection.executemany(
            (
                "INSERT INTO reading (uid, revision, at, who, why, removed, trial_uid, body) "
                "VALUES (?, 1, '2026-01-01', '', 'read', 0, ?, ?)"
            ),
            ((f"t{n // 24}/A{n % 24}", f"t{n // 24}", body) for n in range(readings)),
        )


def _find_ms(session):
    for words in SEARCHES:
        find_entries(session.catalogue, words, TODAY)  # warm
    times = []
    for _ in range(20):
        for words in SEARCHES:
            began = time.perf_counter()
            hits = find_entries(session.catalogue, words, TODAY)
            times.append(1000 * (time.perf_counter() - began))
    assert hits or len(session.catalogue.entries) < MANY
    return statistics.median(times)


def _one_write_ms(folder):
    """Medians of one entry written by the library, and of one row in a bare SQLite transaction as
    durable.
    """
    library = Library.open(folder, who="bench")
    entry = library.entries()[0]
    body = json.dumps(to_plain(entry))
    with contextlib.closing(sqlite3.connect(folder / "bare.db", isolation_level=None)) as bare:
        for line in (
            "PRAGMA journal_mode=WAL",
            "PRAGMA synchronous=FULL",
            "CREATE TABLE row (uid TEXT, revision INT, body TEXT)",
        ):
            bare.execute(line)
        ours, plain = [], []
        for n in range(WRITES):
            changed = replace(entry, notes=str(n))
            began = time.perf_counter()
            library.save_entry(changed, "changed")
            ours.append(time.perf_counter() - began)
            began = time.perf_counter()
            bare.execute("BEGIN IMMEDIATE")
            bare.execute("INSERT INTO row VALUES (?, ?, ?)", ("e0", n, body))
            bare.execute("COMMIT")
            plain.append(time.perf_counter() - began)
    library.close()
    return 1000 * statistics.median(ours), 1000 * statistics.median(plain)


def _first_picture_s(folder):
    return statistics.median(
        float(run_program(FIRST_PICTURE, str(folder))["cpu_s"]) for _ in range(5)
    )


def measure():
    from olive_almanac.__main__ import make_demo

    with tempfile.TemporaryDirectory() as holder:
        big, small, demo = (Path(holder) / name for name in ("big", "small", "demo"))
        _make(big, MANY, READINGS)
        _make(small, FEW, 0)
        make_demo(demo)
        times = {}
        for folder in (small, big):
            library = Library.open(folder, who="bench")
            session = Session(today=lambda: TODAY)
            began = time.perf_counter()
            held = read_all(library)
            read_s = time.perf_counter() - began
            session.attach(library, held)
            times[folder] = _find_ms(session)
            library.close()
        print(
            f"      {MANY} entries are read in {read_s:.1f} s in a worker; a search takes "
            f"{times[big]:.2f} ms, among {FEW} {times[small]:.2f} ms"
        )
        yield f"find among {MANY} entries, ms", times[big], 50
        yield f"find among {MANY} over {FEW} entries", times[big] / times[small], 2.0
        yield (
            f"open the Book page with {MANY} entries over the demo library",
            _first_picture_s(big) / _first_picture_s(demo),
            1.5,
        )
        ours, plain = _one_write_ms(big)
        print(f"      one entry written {ours:.1f} ms, a bare transaction {plain:.1f} ms")
        yield "one durable entry over a bare SQLite transaction", ours / plain, 2.0
        library = Library.open(small, who="bench")
        session = Session(today=lambda: TODAY)
        session.attach(library)
        text = "Wood,Thickness mm,Power %,Speed mm/s,Passes\n" + "".join(
            f"Sample {n},{1 + n % 9},{20 + n % 80},{5 + n % 200},{1 + n % 3}\n"
            for n in range(NOTES)
        )
        active = NotesDesk(session)
        began = time.perf_counter()
        active.paste(text)
        assert active.keep()
        took = time.perf_counter() - began
        assert len(library.entries()) == FEW + NOTES
        library.close()
        yield f"{NOTES} rows of old notes brought in, s", took, 5
