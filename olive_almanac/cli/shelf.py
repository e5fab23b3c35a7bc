"""What the verbs machine and stock do alike: list, add, change and write the records of a shop."""

from __future__ import annotations

import argparse
import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Generic, TypeVar

from olive_almanac.cli.console import add_json, add_library, opened, say
from olive_almanac.cli.services import CommandServices
from olive_almanac.core.errors import BadFile
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.words import tr
from olive_almanac.steps.files import write_file
from olive_almanac.steps.session import Session
from olive_almanac.steps.set_up import Field, SetUpPresenter

__all__ = ["Shelf", "add_shelf_arguments", "run_shelf"]

ACTS = ("list", "add", "change", "write")
Record = TypeVar("Record", Machine, Stock)


@dataclass(frozen=True)
class Shelf(Generic[Record]):
    """The records of one kind: its name, how they are had, read, written, told, and their form."""

    name: str
    records: Callable[[Session], Sequence[Record]]
    load: Callable[[Path], Record]
    document: Callable[[Record], str]
    words: Callable[[Record], str]
    fields: Callable[[Record | None, Mapping[str, str]], Sequence[Field]]
    all_keys: tuple[str, ...]  # of the form, for the help


class _Told:
    """Takes what a form would show."""

    def __init__(self) -> None:
        self.problem = ""

    def show_forms(self) -> None:
        pass

    def show_bad_field(self, form: str, field: str, problem: str) -> None:
        self.problem = problem


def add_shelf_arguments(parser: argparse.ArgumentParser, shelf: Shelf[Any]) -> None:
    """Add what the verb takes."""
    parser.add_argument(
        "act", nargs="?", choices=ACTS, default="list", help=tr("what is done (default: list)")
    )
    parser.add_argument(
        "name", nargs="?", default="", help=tr("change, write: the {shelf}", shelf=shelf.name)
    )
    parser.add_argument(
        "--set",
        action="append",
        default=[],
        metavar="FIELD=VALUE",
        help=tr(
            "add, change: a field of the form, as it is typed there: {all_keys}",
            all_keys=", ".join(shelf.all_keys),
        ),
    )
    parser.add_argument(
        "--file", type=Path, help=tr("add: from a file that holds a {shelf}", shelf=shelf.name)
    )
    parser.add_argument("--out", type=Path, help=tr("write: the file"))
    add_json(parser)
    add_library(parser)


def run_shelf(
    arguments: argparse.Namespace, services: CommandServices, library: Path, shelf: Shelf[Any]
) -> int:
    """List the records, or add, change or write one."""
    with opened(services, library) as session:
        if arguments.act == "list":
            _list(arguments, session, shelf)
            return 0
        if arguments.act == "add" and arguments.file:
            record = _added_from(session, shelf, arguments.file)
        elif arguments.act == "add":
            record = _from_form(session, shelf, None, arguments.set)
        else:
            record = _named(session, shelf, arguments.name)
        if arguments.act == "change":
            record = _from_form(session, shelf, record, arguments.set)
        if arguments.out is not None:
            write_file(arguments.out, shelf.document(record).encode())
        elif arguments.act == "write":
            raise BadFile(tr("Name the file to write with --out."))
        say(arguments, shelf.words(record), shelf.document(record))
    return 0


def _list(arguments: argparse.Namespace, session: Session, shelf: Shelf[Any]) -> None:
    records = shelf.records(session)
    words = tr("The library has no {shelf} yet.", shelf=shelf.name)
    if records:
        words = "\n".join(f"{shelf.words(one)}  [{one.uid}]" for one in records)
    say(arguments, words, {f"{shelf.name}s": [json.loads(shelf.document(one)) for one in records]})


def _named(session: Session, shelf: Shelf[Record], words: str) -> Record:
    """The record of this name, label or id; raises BadFile where it is none's or several'."""
    wanted = words.casefold()
    found = [one for one in shelf.records(session) if wanted in _names(one)]
    if len(found) == 1:
        return found[0]
    if found:
        listed = ", ".join(f"{one.label} [{one.uid}]" for one in found)
        raise BadFile(
            tr(
                "Several {shelf}s are called “{words}”: {listed}. Give the id.",
                shelf=shelf.name,
                words=words,
                listed=listed,
            )
        )
    listed = ", ".join(one.label for one in shelf.records(session)) or tr("none")
    raise BadFile(
        tr(
            "The library has no {shelf} “{words}”. It has: {listed}.",
            shelf=shelf.name,
            words=words,
            listed=listed,
        )
    )


def _names(record: Machine | Stock) -> tuple[str, ...]:
    return (record.name.casefold(), record.label.casefold(), record.uid)


def _added_from(session: Session, shelf: Shelf[Record], path: Path) -> Record:
    record = shelf.load(path)
    known = [one for one in shelf.records(session) if one.uid == record.uid]
    if known:
        raise BadFile(
            tr(
                "{path} holds {label}, which the library has already (id {uid}). Use {shelf} "
                "change.",
                path=path.name,
                label=known[0].label,
                uid=record.uid,
                shelf=shelf.name,
            )
        )
    if isinstance(record, Machine):
        session.store.save_machine(record, tr("added from a file"))
    else:
        session.store.save_stock(record, tr("added from a file"))
    return record


def _from_form(
    session: Session, shelf: Shelf[Record], before: Record | None, words: Sequence[str]
) -> Record:
    """Fill the form of a record, new or known, and keep what it says."""
    wanted = dict(_pair(one) for one in words)
    texts = {one.key: one.text for one in shelf.fields(before, wanted)}
    for key, text in wanted.items():
        if key not in texts:
            raise BadFile(
                tr(
                    "The form has no field “{key}”. It has: {texts}.",
                    key=key,
                    texts=", ".join(texts),
                )
            )
        texts[key] = text
    told = _Told()
    presenter = SetUpPresenter(session, told)
    old = {one.uid for one in shelf.records(session)}
    presenter.new_machine = presenter.new_stock = before is None
    if before is not None:
        if isinstance(before, Machine):
            session.choose(machine=before.uid)
        else:
            session.choose(stock=before.uid)
    keep = presenter.save_stock
    if shelf.name == "machine":
        keep = presenter.save_machine
    if not keep(texts):
        raise BadFile(told.problem or session.problem)
    changed = [
        one
        for one in shelf.records(session)
        if (before is not None and one.uid == before.uid) or (before is None and one.uid not in old)
    ]
    return changed[0]


def _pair(words: str) -> tuple[str, str]:
    key, sign, text = words.partition("=")
    if not sign:
        told = tr("“{words}”: write FIELD=VALUE, for example name=Long Bed.", words=words)
        raise BadFile(told)
    return key.strip(), text.strip()
