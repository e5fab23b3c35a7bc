"""Where a library's tables lie: a SQLite file in the library's folder, or a PostgreSQL server that
the folder names.

A folder whose `library.url` names a server is one workstation's place for burn files, cards and the
snapshot; the records and photos lie on the server, for all workstations.
"""

from __future__ import annotations

import hashlib
import os
import sys
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, Engine, create_engine, event, inspect
from sqlalchemy.engine import URL, make_url
from sqlalchemy.exc import ArgumentError
from sqlalchemy.pool import StaticPool

from olive_almanac.core.errors import LibraryTrouble
from olive_almanac.core.words import tr

__all__ = [
    "FILE",
    "PLAYGROUND",
    "begin_writing",
    "engine_for",
    "lock_for_writing",
    "name_server",
    "schema_of",
    "server_faults",
    "server_of",
]

FILE = "almanac.db"
URL_FILE = "library.url"
PLAYGROUND = "playground"  # a file of this name marks a library to play in
PATIENCE_S = 1.5  # how long a write waits for another program's lock
WRITING = 0x0117E  # the key of the lock that writers on a server queue for


def server_of(folder: Path) -> str:
    """Return the URL of the server that holds the library of this folder, or nothing."""
    try:
        return (folder / URL_FILE).read_text(encoding="utf-8").strip()
    except FileNotFoundError:
        return ""
    except (OSError, UnicodeDecodeError) as problem:
        raise LibraryTrouble(
            tr(
                "{folder} cannot be read ({problem}). Write the server's address into it again.",
                folder=folder / URL_FILE,
                problem=problem,
            ),
            "unwritable",
        ) from problem


def name_server(url: str, below: Path) -> Path:
    """Return the folder (below a given one) of the shared library at this URL, made where it is not
    there yet.
    """
    folder = below / f"shared-{hashlib.sha256(url.encode()).hexdigest()[:12]}"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        handle = os.open(
            folder / URL_FILE, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600
        )  # it may hold a password
        with os.fdopen(handle, "w", encoding="utf-8") as file:
            file.write(url + "\n")
    except OSError as problem:
        raise LibraryTrouble(
            tr(
                "The folder {folder} cannot be made ({strerror}). Choose another place.",
                folder=folder,
                strerror=problem.strerror,
            ),
            "unwritable",
        ) from problem
    return folder


def engine_for(folder: Path, url: str) -> Engine:
    """Return the engine of a folder's own file, or of a server.

    Raises LibraryTrouble for an address that is none.
    """
    if url:
        try:
            address = make_url(url)
        except (ArgumentError, ValueError) as problem:
            told = tr(
                "“{url}” is no address of a library: postgresql://user@host/name is expected.",
                url=url,
            )
            raise LibraryTrouble(told, "server") from problem
        if address.get_backend_name() != "postgresql":
            raise LibraryTrouble(
                tr(
                    "A library lies in a folder or on a PostgreSQL server, not on "
                    "{get_backend_name}.",
                    get_backend_name=address.get_backend_name(),
                ),
                "server",
            )
        return create_engine(
            address.set(drivername="postgresql+psycopg"),
            pool_pre_ping=True,
            connect_args={"connect_timeout": 5},
        )
    engine = create_engine(
        URL.create("sqlite", database=str(folder / FILE)),  # the path may hold any sign
        poolclass=StaticPool,
        connect_args={"check_same_thread": False, "timeout": PATIENCE_S},
    )
    event.listen(engine, "connect", _prepare)
    event.listen(engine, "begin", lambda connection: connection.exec_driver_sql("BEGIN IMMEDIATE"))
    return engine


def _prepare(connection: Any, _record: Any) -> None:
    connection.isolation_level = None  # BEGIN IMMEDIATE is sent by ourselves, so that writers queue
    for pragma in ("journal_mode=WAL", "synchronous=FULL", "foreign_keys=ON"):
        connection.execute(f"PRAGMA {pragma}")


def lock_for_writing(connection: Connection) -> None:
    """Make writers on a server queue until this transaction ends; in a file they do so by
    themselves.
    """
    if connection.dialect.name == "postgresql":
        connection.exec_driver_sql(begin_writing("postgresql"))


def begin_writing(dialect: str) -> str:
    """Return the statement that opens a writer's transaction, in which it is alone."""
    if dialect == "postgresql":
        return f"SELECT pg_advisory_xact_lock({WRITING})"
    return "BEGIN IMMEDIATE"


def server_faults() -> tuple[type[Exception], ...]:
    """Return what the server's own driver raises; nothing where it was never loaded."""
    driver = sys.modules.get("psycopg")
    if driver is not None:
        return (driver.Error,)
    return ()


def schema_of(connection: Connection) -> str | None:
    """Return the schema that the tables have; None where there are none."""
    known = inspect(connection).has_table("alembic_version")
    if known:
        return str(connection.exec_driver_sql("SELECT version_num FROM alembic_version").scalar())
    return None
