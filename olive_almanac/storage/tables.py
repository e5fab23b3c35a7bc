"""The tables of the library.

Nothing is overwritten: a change is a new row with the next revision number.
"""

from __future__ import annotations

from sqlalchemy import Boolean, Column, Index, Integer, LargeBinary, MetaData, String, Table, Text

__all__ = [
    "SCHEMA",
    "act",
    "entry",
    "job",
    "machine",
    "metadata",
    "photo",
    "reading",
    "rule",
    "run",
    "stock",
    "trial",
]

SCHEMA = "0006"  # the newest migration that this program knows
metadata = MetaData()


def _revisions(name: str, *columns: Column[str]) -> Table:
    """A table of revisions: what (uid, revision), when, who, why, whether it is a removal, and the
    record as JSON.
    """
    return Table(
        name,
        metadata,
        Column("uid", String(300), primary_key=True),
        Column("revision", Integer, primary_key=True),
        Column("at", String(32), nullable=False),
        Column("who", String(80), nullable=False, default=""),
        Column("why", Text, nullable=False),
        Column("removed", Boolean, nullable=False, default=False),
        *columns,
        Column("body", Text, nullable=False),
    )


def _subject() -> tuple[Column[str], ...]:
    return (
        Column("machine_uid", String(80), nullable=False),
        Column("stock_uid", String(80), nullable=False),
        Column("task", String(20), nullable=False),
    )


machine = _revisions("machine")
stock = _revisions("stock")
trial = _revisions("trial", *_subject(), Column("stage", String(20), nullable=False))
reading = _revisions("reading", Column("trial_uid", String(80), nullable=False))
run = _revisions("run")
entry = _revisions("entry", *_subject())
job = _revisions("job")
act = _revisions("act")  # of service
photo = Table(  # of a shared library; one of its own keeps its photos as files
    "photo",
    metadata,
    Column("name", String(100), primary_key=True),
    Column("data", LargeBinary, nullable=False),
)
rule = _revisions("rule")  # the shop's decisions on disputed families
Index("reading_trial", reading.c.trial_uid)
