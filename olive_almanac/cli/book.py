"""olive-almanac book: find settings, note burns, take in and save the book."""

from __future__ import annotations

import argparse
from pathlib import Path

from olive_almanac.cli.console import add_json, add_library, opened, say
from olive_almanac.cli.services import CommandServices
from olive_almanac.core.errors import BadFile
from olive_almanac.core.records.entry import Entry
from olive_almanac.core.words import tr
from olive_almanac.formats.station_files import write_entries, write_entry
from olive_almanac.steps.book import STATE_WORDS, BookPresenter, clip_text
from olive_almanac.steps.files import write_file
from olive_almanac.steps.find import find_entries
from olive_almanac.steps.keeping import is_library
from olive_almanac.steps.ports import LIBRARY_FILES, Library
from olive_almanac.steps.session import Session
from olive_almanac.steps.share import BOOK_FILES, merge_work, take_in_work, write_book_work

__all__ = ["EXAMPLES", "add_arguments", "run"]

EXAMPLES = (
    ('book --find "3 mm birch cut"', tr("Finds settings by any words and sizes.")),
    ("book --confirm birch-cut --piece tags", tr("Notes a burn that confirmed an entry.")),
    ("book --save book.pdf", tr("Prints the book; .csv is a table, .json the whole library.")),
    ("book --take-in other/", tr("Merges another library.")),
)

MOST_FOUND = 50


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the verb takes."""
    parser.add_argument("--find", default="", help=tr("any words, sizes, units"))
    parser.add_argument(
        "--confirm", metavar="ENTRY", help=tr("note a confirming burn of this entry")
    )
    parser.add_argument("--piece", default="", help=tr("with --confirm: the job or piece"))
    parser.add_argument(
        "--sheet", default="", help=tr("with --confirm: the sheet, one counts a day")
    )
    parser.add_argument("--failed", metavar="ENTRY", help=tr("note that this entry failed"))
    parser.add_argument(
        "--write",
        metavar="ENTRY",
        help=tr("write this entry with its machine and stock into a file"),
    )
    parser.add_argument("--out", type=Path, help=tr("the file of --write"))
    parser.add_argument(
        "--save",
        type=Path,
        metavar="FILE",
        help=tr("save the book: ")
        + ", ".join(f"{kind.suffix} {kind.name.lower()}" for kind in BOOK_FILES),
    )
    parser.add_argument(
        "--take-in",
        type=Path,
        metavar="FILE",
        help=tr("merge another library: a .json file, or its folder"),
    )
    add_json(parser)
    add_library(parser)


def run(arguments: argparse.Namespace, services: CommandServices, library: Path) -> int:
    """Open the book and do what was asked; without anything asked, find."""
    with opened(services, library) as session:
        store = session.store
        for uid, passed in ((arguments.confirm, True), (arguments.failed, False)):
            if uid:
                of_what = {"piece": arguments.piece, "sheet": arguments.sheet}
                _note_proof(session, uid, passed=passed, **of_what)
        if arguments.take_in:
            _take_in(arguments, store, services)
        elif arguments.save:
            words = "\n".join(write_book_work(session, arguments.save))
            say(arguments, words, {"written": str(arguments.save)})
        elif arguments.write:
            _write_entry(session, arguments.write, arguments.out)
            words = tr("Written: {out}", out=arguments.out)
            say(arguments, words, {"written": str(arguments.out)})
        else:
            _find(arguments, session)
    return 0


def _find(arguments: argparse.Namespace, session: Session) -> None:
    found = find_entries(session.catalogue, arguments.find, session.today(), most=MOST_FOUND)
    words = tr("Nothing in the book fits these words.")
    if found:
        words = "\n".join(
            f"{clip_text(one.entry, one.machine, one.stock, one.state, 'mm/s')}  [{one.entry.uid}]"
            for one in found
        )
    rows = [
        (one.entry, one.machine, one.stock, STATE_WORDS[one.state][0].lower(), one.reason)
        for one in found
    ]
    say(arguments, words, write_entries(rows))


def _take_in(arguments: argparse.Namespace, store: Library, services: CommandServices) -> None:
    """Merge another library and tell what was taken in."""
    path: Path = arguments.take_in
    if path.is_dir():
        if not is_library(path):
            raise BadFile(
                tr(
                    "{path} is no library: there is no {library_files} in it.",
                    path=path,
                    library_files=LIBRARY_FILES[0],
                )
            )
        work = merge_work(store, lambda: services.open_library(path))
    else:
        work = take_in_work(store, path)
    (merged,) = work
    lines = [
        tr("{table} {uid}: {kept} in force", table=one.table, uid=one.uid, kept=one.kept)
        for one in merged.conflicts
    ]
    both = [{"table": one.table, "id": one.uid, "in_force": one.kept} for one in merged.conflicts]
    say(arguments, "\n".join([merged.says, *lines]), {"says": merged.says, "changed_on_both": both})


def _entry(session: Session, uid: str) -> Entry | None:
    return session.catalogue.entry_by_uid.get(uid)


def _write_entry(session: Session, uid: str, out: Path | None) -> None:
    entry = _entry(session, uid)
    if entry is None:
        raise BadFile(tr("The book has no entry “{uid}”.", uid=uid))
    if out is None:
        raise BadFile(tr("Name the file to write with --out."))
    machine, stock = (
        session.catalogue.machine(entry.machine_uid),
        session.catalogue.stock(entry.stock_uid),
    )
    if machine is None or stock is None:
        raise BadFile(tr("The library lacks the machine or the stock of “{uid}”.", uid=uid))
    write_file(out, write_entry(entry, machine, stock).encode())


def _note_proof(
    session: Session, uid: str, *, passed: bool, piece: str = "", sheet: str = ""
) -> None:
    entry = _entry(session, uid)
    if entry is None:
        raise BadFile(
            tr("The book has no entry “{uid}”. olive-almanac book --find lists them.", uid=uid)
        )
    session.choose(machine=entry.machine_uid, stock=entry.stock_uid, task=entry.task)
    if not BookPresenter(session).confirm(passed=passed, piece=piece, sheet=sheet):
        raise BadFile(session.problem)
