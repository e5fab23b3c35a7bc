"""What every verb says and reads alike: answers, remarks, the files between stations."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from olive_almanac.core.errors import Finding, OutOfRange
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.units import number_text, percent_text, read_length_mm
from olive_almanac.formats.station_files import read_machine, read_stock, read_trial
from olive_almanac.steps.files import read_text

__all__ = [
    "add_json",
    "add_library",
    "dialled",
    "load_machine",
    "load_stock",
    "load_trial",
    "numbers",
    "say",
    "warn",
]


def add_json(parser: argparse.ArgumentParser) -> None:
    """Let a verb answer with JSON."""
    parser.add_argument("--json", action="store_true", help="one JSON document on standard output")


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
        print(f"olive-almanac: note: {finding.text}", file=sys.stderr)


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
        raise OutOfRange(field, f"“{text}”", f"{count} numbers with commas between them")
    return tuple(read_length_mm(part, field) for part in parts)


def dialled(setting: Setting) -> str:
    """Return what is dialled in first: "85 %, 8 mm/s, 2 x"."""
    power, speed = percent_text(setting.power), number_text(setting.speed_mm_s)
    return f"{power} %, {speed} mm/s, {setting.passes} x"
