"""What every verb says and reads alike: answers, remarks, the files between stations."""

from __future__ import annotations

import argparse
import contextlib
import json
import sys
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path
from typing import Any

from olive_almanac.cli.services import CommandServices
from olive_almanac.core.errors import BadFile, Finding, OutOfRange
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.units import number_text, percent_text, read_length_mm
from olive_almanac.core.words import tr
from olive_almanac.formats.station_files import read_machine, read_readings, read_stock, read_trial
from olive_almanac.steps.files import read_text
from olive_almanac.steps.session import Session, set_aside_words

__all__ = [
    "add_json",
    "add_library",
    "dialled",
    "load_machine",
    "load_pairs",
    "load_stock",
    "load_trial",
    "no_machine",
    "numbers",
    "opened",
    "say",
    "subject_of",
    "warn",
]


def no_machine(words: str, machines: Iterable[Machine]) -> BadFile:
    """Return the fault of a machine that the library does not have."""
    names = ", ".join(one.name for one in machines)
    return BadFile(
        tr("The library has no machine “{words}”. It has: {names}.", words=words, names=names)
    )


def add_json(parser: argparse.ArgumentParser) -> None:
    """Let a verb answer with JSON."""
    parser.add_argument(
        "--json", action="store_true", help=tr("one JSON document on standard output")
    )


def add_library(parser: argparse.ArgumentParser) -> None:
    """Let `--library` also stand behind the verb."""
    parser.add_argument("--library", default=argparse.SUPPRESS, help=argparse.SUPPRESS)


def say(arguments: argparse.Namespace, words: str, document: str | dict[str, Any]) -> None:
    """Print the answer: in words, or as JSON where that was asked for."""
    if not arguments.json:
        print(words)
    elif isinstance(document, str):
        print(document, end="")
    else:
        print(json.dumps(document, ensure_ascii=False, indent=1))


def warn(findings: Sequence[Finding]) -> None:
    """Print remarks on standard error."""
    for finding in findings:
        print(tr("olive-almanac: note: {finding}", finding=finding.text), file=sys.stderr)


@contextlib.contextmanager
def opened(services: CommandServices, library: Path) -> Iterator[Session]:
    """Give the session of a verb on its library, and close the library behind it.

    Raises LibraryTrouble.
    """
    session = Session(today=services.today)
    store = services.open_library(library)
    try:
        session.attach(store)
        if store.set_aside:
            print(set_aside_words(store.set_aside), file=sys.stderr)
        yield session
    finally:
        store.close()


def load_trial(path: Path) -> Trial:
    """Read a trial file and tell what was found odd in it."""
    trial, findings = read_trial(read_text(path), path.name)
    warn(findings)
    return trial


def load_machine(path: Path) -> Machine:
    """Read a machine file and tell what was found odd in it."""
    machine, findings = read_machine(read_text(path), path.name)
    warn(findings)
    return machine


def load_stock(path: Path) -> Stock:
    """Read a stock file and tell what was found odd in it."""
    stock, findings = read_stock(read_text(path), path.name)
    warn(findings)
    return stock


def numbers(text: str, field: str, count: int) -> tuple[float, ...]:
    """Return so many lengths in mm, written with commas between; raises OutOfRange."""
    parts = text.split(",")
    if len(parts) != count:
        raise OutOfRange(
            field, f"“{text}”", tr("{count} numbers with commas between them", count=count)
        )
    return tuple(read_length_mm(part, field) for part in parts)


def dialled(setting: Setting) -> str:
    """Return what is dialled in first: "85 %, 8 mm/s, 2 x"."""
    power, speed = percent_text(setting.power), number_text(setting.speed_mm_s)
    return f"{power} %, {speed} mm/s, {setting.passes} x"


def load_pairs(files: Sequence[Path]) -> list[tuple[Trial, tuple[Reading, ...]]]:
    """Return the trials of one subject with their readings from files in turn, warning of what
    could not be read; raises BadFile.
    """
    if len(files) % 2:
        raise BadFile(
            tr("Give a trial and its readings in turn: TRIAL READINGS [TRIAL READINGS ...].")
        )
    pairs: list[tuple[Trial, tuple[Reading, ...]]] = []
    for trial_path, readings_path in zip(files[::2], files[1::2], strict=True):
        trial = load_trial(trial_path)
        readings, findings = read_readings(read_text(readings_path), readings_path.name, trial)
        warn(findings)
        pairs.append((trial, readings))
    first = pairs[0][0]
    for trial, _ in pairs[1:]:
        if subject_of(trial) != subject_of(first):
            raise BadFile(
                tr(
                    "{trial} is about another machine, stock or task than {first}.",
                    trial=trial.name,
                    first=first.name,
                )
            )
    return pairs


def subject_of(trial: Trial) -> tuple[str, str, str]:
    """Return what a trial is about, by the names of machine and stock."""
    return trial.machine.name, trial.stock.label, trial.task
