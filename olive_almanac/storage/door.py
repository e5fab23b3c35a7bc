"""The one door for what comes from elsewhere: a row that could not be read again is not let in."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import date, datetime
from typing import Any

from olive_almanac.core.design.kinds.kind import kind_of
from olive_almanac.core.errors import AlmanacError, BadFile
from olive_almanac.core.materials.families import FAMILIES
from olive_almanac.core.records.entry import Entry
from olive_almanac.core.records.job import Job
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.plain import from_plain
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.run import RunRecord
from olive_almanac.core.records.service import ServiceAct
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import STAGES, Trial
from olive_almanac.core.units import count_text
from olive_almanac.core.words import tr

__all__ = ["let_in", "record_of"]

Row = Mapping[str, Any]
MOST_REVISIONS = 1_000_000
MOST_UID = 200
_KINDS: dict[str, type] = {
    "machine": Machine,
    "stock": Stock,
    "trial": Trial,
    "reading": Reading,
    "run": RunRecord,
    "entry": Entry,
    "job": Job,
    "act": ServiceAct,
}
_NAMES_ITSELF = {
    "machine": "uid",
    "stock": "uid",
    "trial": "id",
    "entry": "uid",
    "job": "uid",
    "act": "uid",
}


def record_of(table: str, row: Row) -> Any:
    """Return the record that a row of a table holds; of a rule, whether its family may burn.

    Raises BadFile with what cannot be read in it.
    """
    try:
        body = json.loads(row["body"])
    except (TypeError, ValueError, RecursionError) as problem:
        raise BadFile(
            tr(
                "{table} {row} is damaged ({problem}).",
                table=table,
                row=row["uid"],
                problem=problem,
            )
        ) from problem
    where = f"{table} {row['uid']}: "
    if table == "rule":
        if not isinstance(body, dict) or not isinstance(body.get("burns"), bool):
            raise BadFile(tr("{where}burns is missing or neither true nor false.", where=where))
        return body["burns"]
    record: Any = from_plain(_KINDS[table], body, where)
    if table == "stock":
        return _of_known_family(record)
    if table == "trial":
        _check_trial(record, row, where)
        return replace(record, stock=_of_known_family(record.stock))
    return record


def _of_known_family(stock: Stock) -> Stock:
    """A family that this program does not hold counts as unknown: the operator is asked."""
    if stock.family in FAMILIES:
        return stock
    return replace(stock, family="unknown")


def _check_trial(trial: Trial, row: Row, where: str) -> None:
    if row["stage"] not in STAGES:
        raise BadFile(
            tr(
                "{where}stage is {row!r}: one of {stages} is expected.",
                where=where,
                row=row["stage"],
                stages=", ".join(STAGES),
            )
        )
    try:
        date.fromisoformat(trial.made)
    except ValueError:
        raise BadFile(
            tr("{where}made is {made!r}: a date is expected.", where=where, made=trial.made[:40])
        ) from None
    try:
        kind_of(trial.kind)
    except AlmanacError as problem:
        raise BadFile(f"{where}{problem}") from problem


def let_in(
    rows: Mapping[str, Sequence[Row]], *, playground: bool
) -> tuple[dict[str, list[dict[str, Any]]], tuple[str, ...]]:
    """Return the rows of each table that can be read again, and what is wrong with each of the
    others.  Into a library that is no `playground` nothing simulated is let in.
    """
    good: dict[str, list[dict[str, Any]]] = {}
    left_out: list[str] = []
    for table, lines in rows.items():
        good[table] = []
        for row in lines:
            try:
                _check_row(table, row)
            except BadFile as problem:
                left_out.append(str(problem))
            else:
                good[table].append(dict(row))
    if not playground:
        good, simulated = _without_simulated(good)
        left_out += simulated
    return good, tuple(left_out)


def _without_simulated(
    good: dict[str, list[dict[str, Any]]],
) -> tuple[dict[str, list[dict[str, Any]]], list[str]]:
    """The rows without trials burnt on the stand-in bench and what rests on them; and in words what
    stayed out.
    """
    runs = {row["uid"] for row in good.get("run", ()) if record_of("run", row).is_simulated}
    read = {
        row["trial_uid"] for row in good.get("reading", ()) if record_of("reading", row).simulated
    }
    trials = runs | read
    entries = {
        row["uid"]
        for row in good.get("entry", ())
        if record_of("entry", row).evidence.simulated
        or trials.intersection(record_of("entry", row).evidence.trial_ids)
    }
    if not trials and not entries:
        return good, []
    kept = {table: list(rows) for table, rows in good.items()}
    for table, key, out in (
        ("trial", "uid", trials),
        ("run", "uid", trials),
        ("reading", "trial_uid", trials),
        ("entry", "uid", entries),
    ):
        kept[table] = [row for row in kept.get(table, ()) if row[key] not in out]
    found = count_text(len(trials), "simulated trial")
    resting = count_text(len(entries), "entry", "entries")
    return kept, [
        tr(
            "{found} and {resting} that rest on them: burnt on the stand-in bench, which "
            "proves nothing of a machine.",
            found=found,
            resting=resting,
        )
    ]


def _check_row(table: str, row: Row) -> None:
    uid = str(row["uid"]).encode(errors="replace").decode()
    where = f"{table} {uid[:60]}"
    for name, value in row.items():
        if isinstance(value, str):
            _check_whole(value, f"{where}: {name}")
    if table == "reading":
        _check_uid(row["trial_uid"], tr("{where}: its trial", where=where))
    else:
        _check_uid(row["uid"], tr("{where}: its id", where=where))
    if not 1 <= row["revision"] <= MOST_REVISIONS:
        raise BadFile(
            tr(
                "{where}: revision is outside 1 to {most_revisions}.",
                where=where,
                most_revisions=MOST_REVISIONS,
            )
        )
    try:
        datetime.fromisoformat(row["at"])
    except ValueError:
        raise BadFile(tr("{where}: {row!r} is no time.", where=where, row=row["at"])) from None
    record = record_of(table, row)
    own = row["uid"]
    if table in _NAMES_ITSELF:
        own = getattr(record, _NAMES_ITSELF[table])
    if own != row["uid"]:
        raise BadFile(tr("{where}: the record in it calls itself {own!r}.", where=where, own=own))


def _check_whole(text: str, where: str) -> None:
    try:
        text.encode()
    except UnicodeEncodeError:
        raise BadFile(tr("{where} holds half a character.", where=where)) from None


def _check_uid(uid: str, where: str) -> None:
    """An id names files and folders: it must not lead out of theirs."""
    if not uid or uid.startswith(".") or not uid.isprintable() or "/" in uid or "\\" in uid:
        raise BadFile(
            tr("{where} cannot be one: it would name a file outside the library.", where=where)
        )
    if len(uid) > MOST_UID:
        raise BadFile(
            tr("{where} is longer than {most_uid} letters.", where=where, most_uid=MOST_UID)
        )
