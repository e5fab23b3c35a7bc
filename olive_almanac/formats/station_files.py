"""The JSON files that go between stations: machine, stock, trial, readings, decision.

Each opens with `format` and `version`; the schemas are in docs/formats.  Readers return the record
and findings on what was unknown or left out, and raise BadFile only when nothing could be read.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from olive_almanac.core.errors import BadFile, Finding
from olive_almanac.core.records.entry import Entry, Evidence
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.plain import from_plain, to_plain
from olive_almanac.core.records.reading import VERDICTS, Reading
from olive_almanac.core.records.setting import SHORT_TASK_WORDS, Setting
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.words import tr
from olive_almanac.formats.json_text import plain_of

if TYPE_CHECKING:  # start-up
    from olive_almanac.core.deciding.decision import Decision

__all__ = [
    "VERSION",
    "read_entry",
    "read_machine",
    "read_readings",
    "read_stock",
    "read_trial",
    "write_decision",
    "write_entries",
    "write_entry",
    "write_figures",
    "write_guess",
    "write_machine",
    "write_readings",
    "write_stock",
    "write_trial",
]

VERSION = 1


def _write(kind: str, body: dict[str, Any]) -> str:
    return (
        json.dumps(
            {"format": f"olive-almanac/{kind}", "version": VERSION, **body},
            ensure_ascii=False,
            indent=1,
        )
        + "\n"
    )


def _read(kind: str, text: str, where: str) -> dict[str, Any]:
    plain = plain_of(text, where)
    if not isinstance(plain, dict):
        raise BadFile(
            tr("{where} holds no {kind}: a JSON object is expected.", where=where, kind=kind)
        )
    expected = f"olive-almanac/{kind}"
    if plain.get("format") != expected:
        raise BadFile(
            tr(
                "{where} is not a {kind} file: its format is {found!r}, {expected!r} is expected.",
                where=where,
                kind=kind,
                found=plain.get("format"),
                expected=expected,
            )
        )
    version = plain.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise BadFile(tr("{where} names no valid version.", where=where))
    if version > VERSION:
        raise BadFile(
            tr(
                "{where} was written by a newer Olive Almanac (version {version}); this one "
                "reads up to {version2}. Update the program on this computer.",
                where=where,
                version=version,
                version2=VERSION,
            )
        )
    return {key: value for key, value in plain.items() if key not in ("format", "version")}


def _unknown(where: str, extra: dict[str, object]) -> list[Finding]:
    found = []
    for name in extra:
        told = tr("{at}: “{name}” is not known here; it is kept as it is.", at=where, name=name)
        found.append(Finding("unknown-field", where, told))
    return found


def write_machine(machine: Machine) -> str:
    return _write("machine", to_plain(machine))


def read_machine(text: str, where: str) -> tuple[Machine, list[Finding]]:
    machine = from_plain(Machine, _read("machine", text, where), f"{where}: ")
    return machine, _unknown(where, machine.extra)


def write_stock(stock: Stock) -> str:
    return _write("stock", to_plain(stock))


def read_stock(text: str, where: str) -> tuple[Stock, list[Finding]]:
    stock = from_plain(Stock, _read("stock", text, where), f"{where}: ")
    return stock, _unknown(where, stock.extra)


def write_trial(trial: Trial) -> str:
    return _write("trial", to_plain(trial))


def read_trial(text: str, where: str) -> tuple[Trial, list[Finding]]:
    trial = from_plain(Trial, _read("trial", text, where), f"{where}: ")
    return trial, _unknown(where, trial.extra | trial.machine.extra | trial.stock.extra)


def write_readings(trial_id: str, readings: Sequence[Reading]) -> str:
    return _write("readings", {"trial": trial_id, "readings": to_plain(tuple(readings))})


def read_readings(text: str, where: str, trial: Trial) -> tuple[tuple[Reading, ...], list[Finding]]:
    """Return the readings that belong to the trial's cells; findings name each one left out and
    why.
    """
    plain = _read("readings", text, where)
    if plain.get("trial") != trial.id:
        raise BadFile(
            tr(
                "{where} belongs to trial {found!r}, not to {id!r}.",
                where=where,
                found=plain.get("trial"),
                id=trial.id,
            )
        )
    if not isinstance(plain.get("readings"), list):
        raise BadFile(tr("{where}: readings is missing or no list.", where=where))
    known, kept, findings = {cell.id for cell in trial.cells}, {}, []
    for number, item in enumerate(plain["readings"]):
        place = tr("{where}: readings[{number}]", where=where, number=number)
        try:
            reading = from_plain(Reading, item, place)
        except BadFile as problem:
            findings.append(
                Finding(
                    "bad-reading", place, tr("{problem} This reading is left out.", problem=problem)
                )
            )
            continue
        if reading.cell not in known:
            findings.append(
                Finding(
                    "unknown-cell",
                    place,
                    tr(
                        "{place}: the trial has no cell “{cell}”. Left out.",
                        place=place,
                        cell=reading.cell,
                    ),
                )
            )
        elif reading.verdict is not None and reading.verdict not in VERDICTS[trial.task]:
            findings.append(
                Finding(
                    "wrong-verdict",
                    place,
                    tr(
                        "{place}: “{verdict}” is no verdict of {task}. Left out.",
                        place=place,
                        verdict=reading.verdict,
                        task=SHORT_TASK_WORDS[trial.task],
                    ),
                )
            )
        elif reading.cell in kept:
            findings.append(
                Finding(
                    "read-twice",
                    place,
                    tr(
                        "{place}: cell {cell} is read twice; the later one counts.",
                        place=place,
                        cell=reading.cell,
                    ),
                )
            )
            kept[reading.cell] = reading
        else:
            kept[reading.cell] = reading
    if not kept:
        first = ""
        if findings:
            first = tr(" The first: {text}", text=findings[0].text)
        raise BadFile(
            tr("{where} holds no reading that fits this trial.{first}", where=where, first=first)
        )
    return tuple(kept.values()), findings


def write_decision(decision: Decision) -> str:
    return _write("decision", to_plain(decision))


def write_figures(question: str, found: object) -> str:
    """Write what a focus, kerf or greyscale trial decided; a sentence where it is not
    decided yet.
    """
    import numpy as np

    def plain(value: Any) -> Any:
        if isinstance(value, np.ndarray):
            return [round(float(number), 6) for number in value]
        if isinstance(value, dict):
            return {key: plain(one) for key, one in value.items()}
        if isinstance(value, list):
            return [plain(one) for one in value]
        return value

    if isinstance(found, str):
        return _write("figures", {"question": question, "decided": False, "says": found})
    told = {"decided": bool(getattr(found, "rows", True)), "says": getattr(found, "says", "")}
    return _write("figures", {"question": question, **told, **plain(to_plain(found))})


def write_guess(setting: Setting, evidence: Evidence) -> str:
    """Write a setting that was carried over."""
    return _write(
        "guess", {"setting": to_plain(setting), "evidence": to_plain(evidence), "state": "guess"}
    )


def write_entry(entry: Entry, machine: Machine, stock: Stock) -> str:
    """Write one entry of the book with the machine and stock it is for."""
    return _write(
        "entry", {"entry": to_plain(entry), "machine": to_plain(machine), "stock": to_plain(stock)}
    )


def read_entry(text: str, where: str) -> tuple[Entry, Machine, Stock]:
    plain = _read("entry", text, where)
    for part in ("entry", "machine", "stock"):
        if part not in plain:
            raise BadFile(tr("{where}: {part} is missing.", where=where, part=part))
    return (
        from_plain(Entry, plain["entry"], tr("{where}: entry: ", where=where)),
        from_plain(Machine, plain["machine"], tr("{where}: machine: ", where=where)),
        from_plain(Stock, plain["stock"], tr("{where}: stock: ", where=where)),
    )


def write_entries(found: Sequence[tuple[Entry, Machine, Stock, str, str]]) -> str:
    """Write what a search of the book found: entry, machine, stock, state and the state's reason
    each.
    """
    return _write(
        "found",
        {
            "entries": [
                {
                    "entry": to_plain(entry),
                    "machine": machine.label,
                    "stock": stock.label,
                    "state": state,
                    "reason": reason,
                }
                for entry, machine, stock, state, reason in found
            ]
        },
    )
