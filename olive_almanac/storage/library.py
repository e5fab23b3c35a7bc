"""The library: a folder with almanac.db (SQLite) and its backups, or the tables on a server;
records in, records out.

One action is one transaction.  Faults of the world (locked, damaged, read-only, newer, disk full)
leave as LibraryTrouble with a sentence; what was committed stays.
"""

from __future__ import annotations

import contextlib
import functools
import getpass
import hashlib
import json
import os
import sqlite3
import threading
import typing
from collections.abc import Callable, Iterator, Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from sqlalchemy import Table, func, insert, select
from sqlalchemy.exc import DatabaseError, DBAPIError, IntegrityError

from olive_almanac.core.errors import BadFile, LibraryCode, LibraryTrouble
from olive_almanac.core.records.entry import Entry
from olive_almanac.core.records.job import Job
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.merge import merge_changes
from olive_almanac.core.records.plain import to_plain
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.run import RunRecord
from olive_almanac.core.records.service import ServiceAct
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.units import count_text
from olive_almanac.core.words import tr
from olive_almanac.storage import tables
from olive_almanac.storage.backups import (
    BACKUPS,
    copy_database,
    newest_backup,
    prune,
    put_back,
    revisions_in,
)
from olive_almanac.storage.door import let_in, record_of
from olive_almanac.storage.engines import (
    FILE,
    PLAYGROUND,
    begin_writing,
    engine_for,
    lock_for_writing,
    schema_of,
    server_faults,
    server_of,
)
from olive_almanac.storage.exchange import TABLES, Conflict, Merged, merged_rows

__all__ = ["Library", "restore_backup"]

PHOTOS = "photos"  # kept under the hash of their content
_ENCODE = json.JSONEncoder(
    ensure_ascii=False, check_circular=False
).encode  # made once: every act waits for it


def _now() -> datetime:
    return datetime.now(UTC)


MERGED = frozenset(("machine", "stock", "entry", "run", "job"))  # written whole by several windows


class Library:
    """Open with `Library.open`; close when done.

    May be used from several threads, one at a time.
    """

    def __init__(self, folder: Path, clock: Callable[[], datetime], who: str) -> None:
        self.folder, self.who = folder, who
        self.server = server_of(folder)
        self._clock = clock
        self._lock = threading.RLock()
        self._engine = engine_for(folder, self.server)
        self._held: Any = None  # the connection of a file, once something was written
        self._set_aside: dict[tuple[str, str], str] = {}
        self.playground = (folder / PLAYGROUND).exists()
        # what this window knows of each record: its newest revision, and what it said
        self._known: dict[tuple[str, str], tuple[int, Any]] = {}
        self._pending: dict[tuple[str, str], tuple[int, Any]] = {}  # until it is written
        self._untouched: int | None = None  # SQLite's count of foreign changes when it was opened
        self._file = str(folder / FILE)
        self._opened: tuple[int, int] | None = None  # the file that was opened

    @classmethod
    def open(
        cls, folder: Path, *, clock: Callable[[], datetime] = _now, who: str | None = None
    ) -> Library:
        """Open the library of `folder`, making it when it is not there; brings an old schema up to
        date after a backup.

        `who` stands in every revision written; the login name, unless given.
        """
        new = not (folder / FILE).exists()
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as problem:
            raise LibraryTrouble(
                tr(
                    "The library folder {folder} cannot be made ({strerror}). Choose another "
                    "folder.",
                    folder=folder,
                    strerror=problem.strerror,
                ),
                "unwritable",
            ) from problem
        library = cls(folder, clock, _login() if who is None else who)
        try:
            with library._working(tr("open")):
                library._bring_up_to_date(new=new)
            library._opened = library._file_now()
            with library._working(tr("open")), library._driver() as connection:
                library._is_alone(connection.cursor())
        except LibraryTrouble:
            library.close()
            raise
        return library

    def make_playground(self) -> None:
        """Mark the library as one of a demo, an exercise or a rehearsal: simulated burns count in
        it.
        """
        words = "A library to play in: what was burnt on the stand-in bench counts here.\n"
        try:
            (self.folder / PLAYGROUND).write_text(words, encoding="utf-8")
        except OSError as problem:
            raise LibraryTrouble(
                tr(
                    "{folder} cannot be written ({strerror}).",
                    folder=self.folder / PLAYGROUND,
                    strerror=problem.strerror,
                ),
                "unwritable",
            ) from problem
        self.playground = True

    def close(self) -> None:
        if self._held is not None:
            self._held.close()
            self._held = None
        self._engine.dispose()

    # -- schema and backups ------------------------------------------------------------------------

    def _bring_up_to_date(self, *, new: bool) -> None:
        with self._engine.connect() as connection:
            if new and not self.server:
                version = None
            else:
                version = schema_of(connection)
            if version == tables.SCHEMA:
                return
            if version is not None and version > tables.SCHEMA:
                raise LibraryTrouble(
                    tr(
                        "The library {folder} was written by a newer Olive Almanac (schema "
                        "{version}, this program knows {schema}). Update the program on this "
                        "computer; nothing was changed.",
                        folder=self.folder,
                        version=version,
                        schema=tables.SCHEMA,
                    ),
                    "newer",
                )
        if version is not None:
            self.backup(label=f"before-{tables.SCHEMA}")
        elif not self.server:
            self._refuse_to_begin_anew()
        from alembic import command  # 1 s to import, so only when there is something to do
        from alembic.config import Config

        config = Config()
        here = Path(__file__).parent
        config.set_main_option("script_location", str(here / "alembic_door"))
        config.set_main_option("version_locations", str(here / "migrations"))
        config.set_main_option("path_separator", "os")
        with self._engine.begin() as connection:
            lock_for_writing(
                connection
            )  # another workstation may open the same server for the first time
            config.attributes["connection"] = connection
            command.upgrade(config, "head")

    def _refuse_to_begin_anew(self) -> None:
        """A file that is gone or empty beside backups that are not was lost, not begun."""
        found = newest_backup(self.folder)
        if found is None:
            return
        backup, revisions = found
        raise LibraryTrouble(
            tr(
                "The library {folder} is gone or empty, but its backup {backup} holds "
                "{revisions}. Nothing was changed. olive-almanac restore brings it back; to "
                "begin an empty book here, move the folder {backups} elsewhere.",
                folder=self.folder / FILE,
                backup=backup.name,
                revisions=count_text(revisions, "revision"),
                backups=BACKUPS,
            ),
            "restorable",
        )

    def _refuse_to_rotate(self, today: Path) -> None:
        """A book only grows: one that holds less than a backup of it is another, or was lost."""
        if today.exists():
            backup, revisions = today, revisions_in(today)
        else:
            backup, revisions = newest_backup(self.folder) or (today, 0)
        here = revisions_in(self.folder / FILE)
        if revisions <= here:
            return
        raise LibraryTrouble(
            tr(
                "This book holds {revisions}, its backup {backup} {revisions2}: something "
                "was lost. Nothing is backed up over it. Restore the backup; or, if this is "
                "the right book, move the folder {backups} elsewhere.",
                revisions=count_text(here, "revision"),
                backup=backup.name,
                revisions2=count_text(revisions, "revision"),
                backups=BACKUPS,
            ),
            "shrunk",
        )

    def backup(self, *, label: str = "") -> Path:
        """Copy the database beside it by SQLite's online backup, one file a day (or `label`),
        BACKUPS_KEPT kept.  Raises LibraryTrouble ("shrunk") where the book holds less than one.

        A shared library is backed up where its server stands.
        """
        target = self.folder / BACKUPS / f"almanac-{label or self._clock().date().isoformat()}.db"
        if self.server:
            return target
        with self._working(tr("back up")):
            if not label:
                self._refuse_to_rotate(target)
            if target.exists():
                return target
            copy_database(self.folder / FILE, target)
        prune(self.folder, target)
        return target

    # -- machines and stocks -----------------------------------------------------------------------

    def machines(self) -> tuple[Machine, ...]:
        return tuple(record for _, record in self._readable(tables.machine))

    def stocks(self) -> tuple[Stock, ...]:
        return tuple(record for _, record in self._readable(tables.stock))

    def save_machine(self, machine: Machine, why: str) -> None:
        self._add(tables.machine, machine.uid, why, machine, {})

    def save_stock(self, stock: Stock, why: str) -> None:
        self._add(tables.stock, stock.uid, why, stock, {})

    def remove(self, kind: str, uid: str, why: str) -> None:
        """Add a removal: a revision that hides the record; saving it again brings it back."""
        table = {
            "machine": tables.machine,
            "stock": tables.stock,
            "entry": tables.entry,
            "trial": tables.trial,
            "job": tables.job,
            "act": tables.act,
        }[kind]
        with self._working(tr("write")), self._engine.begin() as connection:
            self._check_file()
            lock_for_writing(connection)
            last = (
                connection.execute(
                    select(table)
                    .where(table.c.uid == uid)
                    .order_by(table.c.revision.desc())
                    .limit(1)
                )
                .mappings()
                .one()
            )
            connection.execute(
                insert(table).values(
                    {
                        **last,
                        "revision": last["revision"] + 1,
                        "at": self._stamp(),
                        "who": self.who,
                        "why": why,
                        "removed": True,
                    }
                )
            )

    # -- trials, runs, readings --------------------------------------------------------------------

    def trials(self) -> tuple[tuple[Trial, str, str], ...]:
        """Return every trial with its stage and the time of its last change, the oldest change
        first.
        """
        found = self._readable(tables.trial)
        found.sort(key=lambda pair: pair[0]["at"])
        return tuple((trial, row["stage"], row["at"]) for row, trial in found)

    def save_trial(self, trial: Trial, stage: str, why: str) -> str:
        """Write a trial or its next stage; return the time of the change, as `trials` gives it."""
        subject = {
            "machine_uid": trial.machine.uid,
            "stock_uid": trial.stock.uid,
            "task": trial.task,
        }
        return self._add(tables.trial, trial.id, why, trial, {**subject, "stage": stage})

    def readings(self, trial_uid: str) -> tuple[Reading, ...]:
        """Return the readings that count: one a cell."""
        return self._all_readings(trial_uid).get("", ())

    def other_readings(self, trial_uid: str) -> dict[str, tuple[Reading, ...]]:
        """Return what others saw on the same cells: a second person by name, the photo as
        "photo".
        """
        return {who: readings for who, readings in self._all_readings(trial_uid).items() if who}

    def _all_readings(self, trial_uid: str) -> dict[str, tuple[Reading, ...]]:
        rows = self._readable(tables.reading, tables.reading.c.trial_uid == trial_uid)
        found: dict[str, list[Reading]] = {}
        for row, reading in rows:
            who = row["uid"].removeprefix(f"{trial_uid}/").partition("/")[2]
            found.setdefault(who, []).append(reading)
        return {who: tuple(readings) for who, readings in found.items()}

    def save_reading(self, trial_uid: str, reading: Reading, why: str, *, who: str = "") -> None:
        self.save_readings(trial_uid, (reading,), why, who=who)

    def save_readings(
        self, trial_uid: str, readings: Sequence[Reading], why: str, *, who: str = ""
    ) -> None:
        """Write several readings in one transaction; `who` keeps what somebody else, or the photo,
        saw.
        """
        rows = [(_reading_uid(trial_uid, one.cell, who), one, False) for one in readings]
        self._add_rows(tables.reading, rows, why, {"trial_uid": trial_uid})

    def take_back_reading(self, trial_uid: str, cell: str, *, who: str = "") -> None:
        """Hide the reading of a cell by a further revision; the old one stays in the history."""
        rows = [(_reading_uid(trial_uid, cell, who), Reading(cell), True)]
        self._add_rows(tables.reading, rows, tr("taken back"), {"trial_uid": trial_uid})

    # -- photos ------------------------------------------------------------------------------------

    def keep_photo(self, data: bytes, suffix: str) -> str:
        """Keep a photo unchanged under the hash of its content; return the name it is kept by.

        The same photo is kept once.
        """
        name = hashlib.sha256(data).hexdigest() + suffix
        if self.server:
            with self._working(tr("keep a photo in")), self._engine.begin() as connection:
                lock_for_writing(connection)
                if (
                    connection.scalar(
                        select(tables.photo.c.name).where(tables.photo.c.name == name)
                    )
                    is None
                ):
                    connection.execute(insert(tables.photo).values(name=name, data=data))
            return name
        target = self.folder / PHOTOS / name
        if target.exists():
            return name
        with self._working(tr("keep a photo in")):
            target.parent.mkdir(exist_ok=True)
            part = target.with_suffix(".part")
            with open(part, "wb") as handle:
                handle.write(data)
                handle.flush()
                os.fsync(handle.fileno())
            part.replace(target)
        return name

    def photo(self, name: str) -> bytes:
        """Return a photo by its name.

        Raises LibraryTrouble where it is not there or no longer what it was.
        """
        target = self.folder / PHOTOS / Path(name).name
        with self._working(tr("read a photo of")):
            if self.server:
                data = self._photo_on_server(target.name)
            else:
                data = target.read_bytes()
        if hashlib.sha256(data).hexdigest() != target.stem:
            raise LibraryTrouble(
                tr(
                    "The photo {target} is damaged: it is not what was kept. Add the photo again.",
                    target=target,
                ),
                "missing",
            )
        return data

    def _photo_on_server(self, name: str) -> bytes:
        with self._engine.connect() as connection:
            data = connection.scalar(select(tables.photo.c.data).where(tables.photo.c.name == name))
        if data is None:
            raise LibraryTrouble(
                tr("The shared library has no photo {name}. Add the photo again.", name=name),
                "missing",
            )
        return bytes(data)

    def photo_names(self) -> tuple[str, ...]:
        """Return the names of all photos kept, sorted."""
        with self._working(tr("read a photo of")):
            if self.server:
                with self._engine.connect() as connection:
                    return tuple(
                        connection.scalars(
                            select(tables.photo.c.name).order_by(tables.photo.c.name)
                        )
                    )
            return tuple(
                sorted(
                    path.name for path in (self.folder / PHOTOS).glob("*") if path.suffix != ".part"
                )
            )

    def run_of(self, trial_uid: str) -> RunRecord | None:
        """Return what was kept of the trial's newest run, or None."""
        for _, run in self._readable(tables.run, tables.run.c.uid == trial_uid):
            return typing.cast(RunRecord, run)
        return None

    def save_run(self, trial_uid: str, run: RunRecord, why: str) -> RunRecord:
        """Write what is known of a trial's run; return it with what another window added."""
        self._add(tables.run, trial_uid, why, run, {})
        return typing.cast(RunRecord, self._known["run", trial_uid][1])

    # -- rules of the shop -------------------------------------------------------------------------

    def rules(self) -> dict[str, bool]:
        """Return the shop's decision on each disputed family that it has decided."""
        return {row["uid"]: burns for row, burns in self._readable(tables.rule)}

    def save_rule(self, family: str, burns: bool | None, why: str) -> None:
        """Record a decision; None takes it back."""
        self._add(tables.rule, family, why, {"burns": bool(burns)}, {}, removed=burns is None)

    # -- entries -----------------------------------------------------------------------------------

    def entries(self) -> tuple[Entry, ...]:
        return tuple(record for _, record in self._readable(tables.entry))

    def save_entry(self, entry: Entry, why: str) -> Entry:
        """Write an entry; return it with what another window changed in it meanwhile."""
        self.save_book((), (entry,), why)
        return typing.cast(Entry, self._known["entry", entry.uid][1])

    def save_book(
        self, stocks: Sequence[Stock], entries: Sequence[Entry], why: str, *, removed: bool = False
    ) -> None:
        """Write stocks and entries in one transaction; `removed` hides them again."""
        with self._writing() as cursor:
            self._add_to(
                cursor, tables.stock, [(stock.uid, stock, removed, {}) for stock in stocks], why
            )
            rows = [
                (
                    e.uid,
                    e,
                    removed,
                    {"machine_uid": e.machine_uid, "stock_uid": e.stock_uid, "task": e.task},
                )
                for e in entries
            ]
            self._add_to(cursor, tables.entry, rows, why)

    def entry_history(self, uid: str) -> tuple[tuple[Entry, str, str, str], ...]:
        """Return every revision of an entry, oldest first, with its time, its reason and who wrote
        it.
        """
        with self._working(tr("read from")), self._engine.connect() as connection:
            rows = list(
                connection.execute(
                    select(tables.entry)
                    .where(tables.entry.c.uid == uid)
                    .order_by(tables.entry.c.revision)
                ).mappings()
            )
        return tuple(
            (entry, row["at"], row["why"], row["who"])
            for row, entry in self._read_each(tables.entry, rows)
        )

    # -- jobs --------------------------------------------------------------------------------------

    def jobs(self) -> tuple[Job, ...]:
        """Return every job, the oldest change first."""
        found = self._readable(tables.job)
        found.sort(key=lambda pair: pair[0]["at"])
        return tuple(job for _, job in found)

    def save_job(self, job: Job, why: str) -> Job:
        """Write a job; return it with what another window changed in it meanwhile."""
        self._add(tables.job, job.uid, why, job, {})
        return typing.cast(Job, self._known["job", job.uid][1])

    # -- service -----------------------------------------------------------------------------------

    def acts(self) -> tuple[ServiceAct, ...]:
        """Return every act of service, the oldest first."""
        found = [act for _, act in self._readable(tables.act)]
        return tuple(sorted(found, key=lambda act: act.at))

    def save_act(self, act: ServiceAct, why: str) -> None:
        """Write an act of service."""
        self._add(tables.act, act.uid, why, act, {})

    # -- the whole library -------------------------------------------------------------------------

    def rows(self) -> dict[str, list[dict[str, Any]]]:
        """Return every revision of every table, in order: what an export writes and a merge
        compares.
        """
        with self._working(tr("read from")), self._engine.connect() as connection:
            return {
                name: [
                    dict(row)
                    for row in connection.execute(
                        select(table).order_by(table.c.uid, table.c.revision)
                    ).mappings()
                ]
                for name, table in ((name, tables.metadata.tables[name]) for name in TABLES)
            }

    def take_in(
        self,
        rows: dict[str, list[dict[str, Any]]],
        photos: Callable[[str], bytes],
        names: Sequence[str] = (),
    ) -> Merged:
        """Add every revision and photo of another library that is not here yet, in one transaction;
        see `merged_rows`.
        """
        kept = set(self.photo_names())
        good, left_out = let_in(rows, playground=self.playground)
        fresh = [name for name in names if name not in kept]
        for name in fresh:
            self.keep_photo(photos(name), Path(name).suffix)
        count, conflicts = 0, list[Conflict]()
        with self._working(tr("write")), self._engine.begin() as connection:
            self._check_file()
            lock_for_writing(connection)
            for name in TABLES:
                table = tables.metadata.tables[name]
                theirs = good.get(name, [])
                if theirs:
                    ours = [dict(row) for row in connection.execute(select(table)).mappings()]
                else:
                    ours = []
                added, differ = merged_rows(name, ours, theirs)
                if added:
                    connection.execute(insert(table), added)
                count += len(added)
                conflicts += differ
        return Merged(count, len(fresh), tuple(conflicts), left_out)

    # -- below -------------------------------------------------------------------------------------

    def _stamp(self) -> str:
        return self._clock().isoformat(timespec="seconds")

    def _add(
        self,
        table: Table,
        uid: str,
        why: str,
        record: object,
        columns: dict[str, str],
        *,
        removed: bool = False,
    ) -> str:
        return self._add_rows(table, [(uid, record, removed)], why, columns)

    def _add_rows(
        self,
        table: Table,
        rows: Sequence[tuple[str, object, bool]],
        why: str,
        columns: dict[str, str],
    ) -> str:
        """Write the next revision of several records of one table in one transaction;
        return when.
        """
        with self._writing() as cursor:
            return self._add_to(cursor, table, [(*row, columns) for row in rows], why)

    @contextlib.contextmanager
    def _writing(self) -> Iterator[Any]:
        """One transaction on the driver's own cursor: every act of the operator waits for it, so
        nothing stands between.
        """
        with self._working(tr("write")), self._driver() as connection:
            self._check_file()
            self._pending = {}
            cursor = connection.cursor()
            try:
                cursor.execute(begin_writing(self._engine.dialect.name))
                yield cursor
                connection.commit()
                self._known.update(self._pending)
            except BaseException:
                connection.rollback()
                raise

    def _file_now(self) -> tuple[int, int] | None:
        """Which file lies under the library's name; None for a server."""
        if self.server:
            return None
        state = os.stat(self._file)
        return state.st_dev, state.st_ino

    def _check_file(self) -> None:
        """Raise LibraryTrouble where another file was put in place of the one that is open: what is
        written into the old one would vanish.
        """
        if self._opened is not None and self._file_now() != self._opened:
            raise LibraryTrouble(
                tr(
                    "The file {folder} was replaced while it was open here, by a restore for "
                    "instance. Nothing was written: close this window and start again.",
                    folder=self.folder / FILE,
                ),
                "replaced",
            )

    @contextlib.contextmanager
    def _driver(self) -> Iterator[Any]:
        """The driver's connection: of a file always the same one, of a server one from the pool."""
        if self.server:
            with contextlib.closing(self._engine.raw_connection()) as connection:
                yield connection
            return
        if self._held is None:
            self._held = self._engine.raw_connection()
        yield self._held

    def _add_to(
        self,
        cursor: Any,
        table: Table,
        rows: Sequence[tuple[str, object, bool, dict[str, str]]],
        why: str,
    ) -> str:
        """Write each record as the next revision of its uid, in order; return the time they are
        stamped with, nothing where there are none.
        """
        if not rows:
            return ""
        stamp = self._stamp()
        told, more = (stamp, self.who, why), tuple(rows[0][3])
        if table.name in MERGED:
            alone = self._is_alone(cursor)
            rows = [self._with_other_changes(cursor, table, row, alone=alone) for row in rows]
        values = [
            (uid, *told, removed, _ENCODE(to_plain(record)), *(columns[name] for name in more), uid)
            for uid, record, removed, columns in rows
        ]
        cursor.executemany(_next_revision(table.name, more, self._engine.dialect.name), values)
        return stamp

    def _is_alone(self, cursor: Any) -> bool:
        """Whether nobody else has written since this window first asked: what it knows is so."""
        if self.server:
            return False
        version = int(cursor.execute("PRAGMA data_version").fetchone()[0])
        if self._untouched is None:
            self._untouched = version
        return version == self._untouched

    def _with_other_changes(
        self, cursor: Any, table: Table, row: tuple[str, Any, bool, dict[str, str]], *, alone: bool
    ) -> tuple[str, Any, bool, dict[str, str]]:
        """A row to be written, with what another window has written of the same record since this
        one read it.  Raises LibraryTrouble where both changed the same.
        """
        uid, record, removed, columns = row
        known = self._known.get((table.name, uid))
        if alone and known is not None:
            self._pending[table.name, uid] = (known[0] + 1, record)
            return row
        cursor.execute(_newest(table.name, self._engine.dialect.name), (uid,))
        newest = cursor.fetchone()
        revision = newest[0] if newest else 0
        if known is not None and newest is not None and revision > known[0] and not newest[2]:
            theirs = record_of(table.name, {"uid": uid, "body": newest[1]})
            record, clashes = merge_changes(known[1], record, theirs)
            if clashes:
                self._known[table.name, uid] = (revision, theirs)
                fields = ", ".join(name.replace("_", " ") for name in clashes[:4])
                raise LibraryTrouble(
                    tr(
                        "This {table} was changed in another window meanwhile ({fields}). What you "
                        "just did was not written. Look at what stands now and do it again if it "
                        "still holds.",
                        table=table.name,
                        fields=fields,
                    ),
                    "conflict",
                )
        self._pending[table.name, uid] = (revision + 1, record)
        return uid, record, removed, columns

    def _rows(self, table: Table, *where: Any) -> list[Any]:
        """The newest revision of each uid, removals left out, in the order in which the uids were
        first written.
        """
        newest = (
            select(table.c.uid, func.max(table.c.revision).label("revision"))
            .where(*where)
            .group_by(table.c.uid)
            .subquery()
        )
        query = select(table).join(
            newest, (table.c.uid == newest.c.uid) & (table.c.revision == newest.c.revision)
        )
        with self._working(tr("read from")), self._engine.connect() as connection:
            return list(connection.execute(query.where(~table.c.removed)).mappings())

    def _readable(self, table: Table, *where: Any) -> list[tuple[Any, Any]]:
        """The rows in force with the records in them; one that cannot be read is set aside."""
        return self._read_each(table, self._rows(table, *where))

    def _read_each(self, table: Table, rows: Sequence[Any]) -> list[tuple[Any, Any]]:
        found = []
        for row in rows:
            try:
                record = record_of(table.name, row)
                found.append((row, record))
                if table.name in MERGED:
                    self._known[table.name, row["uid"]] = (row["revision"], record)
            except BadFile as problem:
                self._set_aside[table.name, row["uid"]] = str(problem)
        return found

    @property
    def set_aside(self) -> dict[str, str]:
        """The records that were met and could not be read, and what is wrong with each."""
        return {f"{table} {uid}": why for (table, uid), why in self._set_aside.items()}

    @contextlib.contextmanager
    def _working(self, doing: str) -> Iterator[None]:
        with self._lock:
            try:
                yield
            except IntegrityError as problem:
                raise LibraryTrouble(
                    tr(
                        "Another program changed the library {folder} at "
                        "the same moment. Do it once "
                        "more.",
                        folder=self.folder,
                    ),
                    "busy",
                ) from problem
            except _faults() as problem:
                raise self._trouble(problem, doing) from problem
            except OSError as problem:
                raise LibraryTrouble(
                    tr(
                        "Could not {doing} the library {folder}: {strerror}. Nothing recorded is "
                        "lost.",
                        doing=doing,
                        folder=self.folder,
                        strerror=problem.strerror,
                    ),
                    "unwritable",
                ) from problem

    def _trouble(self, problem: Exception, doing: str) -> LibraryTrouble:
        """What a fault of the database means, with what to do."""
        fault: object = problem
        if isinstance(problem, DatabaseError):
            fault = problem.orig
        could_not = tr("Could not {doing} the library {folder}", doing=doing, folder=self.folder)
        if self.server:
            return _server_trouble(fault, doing)
        code = _sqlite_code(fault)
        if code == "busy":
            advice = tr(
                "another program is writing in it. Close that program or wait a moment, then do "
                "it again."
            )
        elif code == "unwritable":
            advice = tr(
                "the folder is read-only or not reachable. Make it writable or choose another "
                "folder."
            )
        elif code == "full":
            advice = tr(
                "the disk is full. Free some space and do it again; what was recorded before is "
                "safe."
            )
        elif code == "damaged":
            return self._damage(could_not)
        else:
            advice = f"{fault}."
        return LibraryTrouble(f"{could_not}: {advice}", code)

    def _damage(self, could_not: str) -> LibraryTrouble:
        damaged = tr(
            "{could_not}: its file {file} is damaged. It is left as it is.",
            could_not=could_not,
            file=FILE,
        )
        found = newest_backup(self.folder)
        if found is None:
            return LibraryTrouble(
                tr("{damaged} There is no backup yet.", damaged=damaged), "damaged"
            )
        backup, _ = found
        offer = tr(
            "The newest good backup is {backup}: olive-almanac restore brings it back.",
            backup=backup.name,
        )
        return LibraryTrouble(f"{damaged} {offer}", "restorable")


def _server_trouble(fault: object, doing: str) -> LibraryTrouble:
    first = tr("no answer")
    if str(fault).strip():
        first = str(fault).strip().splitlines()[0]
    return LibraryTrouble(
        tr(
            "Could not {doing} the shared library: its server does not answer as it "
            "should ({first}). See that it runs and that this computer reaches it; "
            "nothing that was recorded is lost.",
            doing=doing,
            first=first,
        ),
        "server",
    )


# the first words of SQLite's names for its faults, with what they mean
_SQLITE_CODES: tuple[tuple[str, LibraryCode], ...] = (
    ("SQLITE_BUSY", "busy"),
    ("SQLITE_LOCKED", "busy"),
    ("SQLITE_READONLY", "unwritable"),
    ("SQLITE_CANTOPEN", "unwritable"),
    ("SQLITE_FULL", "full"),
    ("SQLITE_CORRUPT", "damaged"),
    ("SQLITE_NOTADB", "damaged"),
)


def _sqlite_code(fault: object) -> LibraryCode:
    name = str(getattr(fault, "sqlite_errorname", ""))
    for start, code in _SQLITE_CODES:
        if name.startswith(start):
            return code
    if "no such table" in str(fault):  # SQLite has no name of its own for it
        return "damaged"
    return "failed"


def _faults() -> tuple[type[Exception], ...]:
    """What SQLAlchemy and the drivers below it raise."""
    return (DBAPIError, sqlite3.DatabaseError, *server_faults())


@functools.cache
def _newest(table: str, dialect: str) -> str:
    """The statement that finds the newest revision of a uid."""
    mark = "?" if dialect == "sqlite" else "%s"
    return (
        f"SELECT revision, body, removed FROM {table} WHERE uid = {mark} "
        "ORDER BY revision DESC LIMIT 1"
    )


@functools.cache
def _next_revision(table: str, more: tuple[str, ...], dialect: str) -> str:
    """The statement that adds a row with the next revision number of its uid; made once, since it
    is what every act waits for.
    """
    mark = "%s"
    if dialect == "sqlite":
        mark = "?"
    columns = ("uid", "at", "who", "why", "removed", "body", *more)
    given = ", ".join(f"CAST({mark} AS BOOLEAN)" if name == "removed" else mark for name in columns)
    return (
        f"INSERT INTO {table} ({', '.join(columns)}, revision) SELECT {given}, "
        f"COALESCE(MAX(revision), 0) + 1 FROM {table} WHERE uid = {mark}"
    )


def _login() -> str:
    try:
        return getpass.getuser()[:80]
    except (KeyError, OSError):  # no such login in the system's list
        return ""


def _reading_uid(trial_uid: str, cell: str, who: str) -> str:
    if who:
        return f"{trial_uid}/{cell}/{who}"
    return f"{trial_uid}/{cell}"


def restore_backup(
    folder: Path, chosen: Path | None = None, *, clock: Callable[[], datetime] = _now
) -> tuple[Path, Path]:
    """Put a backup in place; see `backups.put_back`."""
    try:
        return put_back(folder, clock=clock, chosen=chosen)
    except OSError as problem:
        raise LibraryTrouble(
            tr(
                "The backup cannot be put in place in {folder}: {strerror}. Nothing recorded "
                "is lost; do it again when there is room.",
                folder=folder,
                strerror=problem.strerror,
            ),
            "restorable",
        ) from problem
