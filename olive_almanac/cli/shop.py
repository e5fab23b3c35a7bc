"""olive-almanac shop: how true the machines are, what is due on them, noting what was done."""

from __future__ import annotations

import argparse
from dataclasses import asdict
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING

from olive_almanac.cli.console import add_json, add_library, no_machine, opened, say
from olive_almanac.cli.services import CommandServices
from olive_almanac.core.errors import BadFile
from olive_almanac.core.records.service import FOUND
from olive_almanac.core.units import read_number
from olive_almanac.core.upkeep.due import Due
from olive_almanac.core.words import tr
from olive_almanac.steps.act_words import used_words
from olive_almanac.steps.mirrors import CAUTIONS, MirrorsPresenter
from olive_almanac.steps.session import Session
from olive_almanac.steps.trials import counted
from olive_almanac.steps.upkeep import UpkeepPresenter, UpkeepScreen

if TYPE_CHECKING:
    from olive_almanac.core.upkeep.drift_told import MachineDrift

__all__ = ["EXAMPLES", "add_arguments", "run"]

EXAMPLES = (
    ("shop", tr("What is due, on the first machine.")),
    (tr('shop act lens --machine "Long Bed" --found dirty --minutes 6'), tr("Notes a service.")),
    ("shop drift", tr("How true the machine burns, and why.")),
    (tr('shop marks "0.2,0.1 3.1,0.4 3.3,0.6 0.1,0.3"'), tr("Which mirror is to be turned.")),
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the verb takes."""
    parser.add_argument(
        "what",
        nargs="?",
        choices=("due", "act", "drift", "map", "marks"),
        default="due",
        help=tr(
            "what is due (without a word), note an act of service, how true a machine burns, what "
            "a bed map found, what marks on tape say of the mirrors"
        ),
    )
    parser.add_argument(
        "part",
        nargs="?",
        default="",
        help=tr(
            "act: which part; map: the trial's id; marks: four marks on tape, mm right,up of the "
            'middle, front left round: "0.2,0.1 3.1,0.4 3.3,0.6 0.1,0.3"'
        ),
    )
    parser.add_argument("--machine", default="", help=tr("by its name (default: the first)"))
    found = [word for word in FOUND if word]
    parser.add_argument("--found", default="", choices=found, help=tr("act: how it was"))
    for name, help_words in (
        ("minutes", tr("what it took")),
        ("cost", tr("of parts")),
        ("celsius", tr("of the cooling water")),
        ("flow", tr("of the cooling water, l/min")),
        ("watts", tr("that a power meter read")),
        ("at-percent", tr("the power at which it read so")),
        ("note", tr("what else is worth keeping")),
    ):
        parser.add_argument(
            f"--{name}", default="", help=tr("act: {help_words}", help_words=help_words)
        )
    parser.add_argument("--all", action="store_true", help=tr("due: also what is not due"))
    add_json(parser)
    add_library(parser)


class _Printed:
    """Takes what the page would show."""

    def __init__(self) -> None:
        self.screen: UpkeepScreen | None = None
        self.problem = ""

    def show_upkeep(self, screen: UpkeepScreen) -> None:
        self.screen = screen
        self.problem = screen.problem or self.problem


def run(arguments: argparse.Namespace, services: CommandServices, library: Path) -> int:
    """Note what was done and tell what is due, or tell how true a machine burns."""
    with opened(services, library) as session:
        shown = _Printed()
        presenter = UpkeepPresenter(session, shown, services.now, session.new_id)
        presenter.choose_machine(_machine_uid(session, arguments.machine))
        for found in session.shop.watch.work():
            session.shop.watch.take(found)
        presenter.show()
        if arguments.what == "act":
            _serve(arguments, presenter, shown)
        assert shown.screen is not None
        if arguments.what == "drift":
            _tell_drift(arguments, session, shown.screen)
        elif arguments.what == "map":
            _tell_map(arguments, session)
        elif arguments.what == "marks":
            _tell_marks(arguments, presenter)
        else:
            _tell(arguments, shown.screen)
    return 0


def _machine_uid(session: Session, words: str) -> str:
    machines = session.catalogue.machines
    if not machines:
        raise BadFile(tr("The library has no machine yet: add one in Set up."))
    named = [one for one in machines if words.casefold() in (one.name.casefold(), one.uid)]
    if words and not named:
        raise no_machine(words, machines)
    return (named or machines)[0].uid


def _serve(arguments: argparse.Namespace, presenter: UpkeepPresenter, shown: _Printed) -> None:
    assert shown.screen is not None
    parts = {due.part.id for due in shown.screen.parts}
    if arguments.part not in parts:
        listed = ", ".join(sorted(parts))
        raise BadFile(
            tr(
                "This machine has no part “{part}”. It has: {listed}.",
                part=arguments.part,
                listed=listed,
            )
        )
    names = ("minutes", "cost", "celsius", "flow", "watts", "at_percent", "note")
    texts = {name: getattr(arguments, name) for name in names}
    if not presenter.note(arguments.part, arguments.found, texts):
        raise BadFile(shown.problem or presenter.session.problem)


def _tell(arguments: argparse.Namespace, screen: UpkeepScreen) -> None:
    machine = screen.machine
    assert machine is not None
    parts = [due for due in screen.parts if arguments.all or due.is_now or due.is_soon]
    lines = [tr("{machine}. Power off and let it cool before you reach in.", machine=machine.label)]
    if screen.water:
        lines.append(tr("It is not burnt: {water}.", water=screen.water))
    lines += [
        f"{DUE_WORDS[_state(due)]}: {due.part.words}, {used_words(due)}  [{due.part.id}]"
        for due in parts
    ]
    if not parts:
        lines.append(tr("Nothing is due."))
    document = {
        "format": "olive-almanac/due",
        "version": 1,
        "machine": machine.label,
        "counters": asdict(screen.counters),
        "water": screen.water,
        "parts": [_plain(due) for due in parts],
    }
    say(arguments, "\n".join(lines), document)


def _tell_map(arguments: argparse.Namespace, session: Session) -> None:
    from olive_almanac.core.upkeep.bed_map import decide_bed

    trial = next((one for one in session.trials.every if one.id == arguments.part), None)
    if trial is None or trial.kind != "bed":
        known = ", ".join(one.id for one in session.trials.every if one.kind == "bed")
        raise BadFile(
            tr(
                "The library has no bed map “{part}”. It has: {known}.",
                part=arguments.part,
                known=known or tr("none"),
            )
        )
    found = decide_bed(trial, counted(session.store, session.store.readings(trial.id)))
    document = {
        "format": "olive-almanac/bed-map",
        "version": 1,
        "trial": trial.id,
        "stories": {name: round(chance, 4) for name, chance in found.stories.items()},
        "tilt_mm_m": [round(one, 3) for one in found.tilt_mm_m],
        "shims_mm": [round(one, 3) for one in found.shims_mm],
        "loss": {"mirror_1": round(found.loss[0], 4), "mirror_2": round(found.loss[1], 4)},
        "zone": list(found.zone) if found.zone is not None else None,
        "says": f"{found.says} {found.do}".strip(),
    }
    chances = [f"{name}: {100 * chance:.0f} %" for name, chance in found.stories.items()]
    say(arguments, "\n".join((found.says, found.do, *chances)), document)


def _tell_marks(arguments: argparse.Namespace, presenter: UpkeepPresenter) -> None:
    from olive_almanac.core.upkeep.mirrors import fit_marks

    mirrors = MirrorsPresenter(presenter)
    machine = mirrors.machine
    if machine is None:
        raise BadFile(tr("This machine carries its source in the head: it has no mirrors to set."))
    pairs = arguments.part.replace(";", " ").split()
    marks = []
    for pair in pairs:
        right, _, up = pair.partition(",")
        marks.append((read_number(right, tr("Mark to the right")), read_number(up, tr("Mark up"))))
    if len(marks) != len(mirrors.places_mm()):
        raise BadFile(
            tr("Type four marks, mm right,up, from front left round: 0.2,0.1 3.1,0.4 ...")
        )
    found = fit_marks(mirrors.places_mm(), marks, machine.bed_mm)
    document = {
        "format": "olive-almanac/mirror-marks",
        "version": 1,
        "machine": machine.uid,
        "at_mm": [list(place) for place in mirrors.places_mm()],
        "marks_mm": [list(mark) for mark in marks],
        "slope_mm_m": [
            [round(one, 3) for one in slope] for slope in (found.slope_1_mm_m, found.slope_2_mm_m)
        ],
        "mirror": found.mirror,
        "wanted_mm": [round(one, 3) for one in found.wanted_mm],
        "says": found.says,
    }
    say(arguments, f"{CAUTIONS}\n{found.says}", document)


def _tell_drift(arguments: argparse.Namespace, session: Session, screen: UpkeepScreen) -> None:
    machine, told = screen.machine, screen.diagnosis
    assert machine is not None and told is not None
    drift = session.shop.watch.told.get(machine.uid)
    lines = [f"{told.says}.", told.why, told.do, *(words for _, words in screen.others)]
    document = {
        "format": "olive-almanac/drift",
        "version": 1,
        "machine": machine.uid,
        "state": machine.state,
        "on": session.today().isoformat(),
        "says": told.whole,
        "need": None,
    }
    if drift is not None:
        document |= _plain_drift(drift)
    say(arguments, "\n".join(line for line in lines if line), document)


def _plain_drift(drift: MachineDrift) -> dict[str, object]:
    def day(ordinal: float) -> str:
        return date.fromordinal(int(ordinal)).isoformat()

    step, now = drift.step, drift.day
    return {
        "need": {"mean": round(drift.need, 4), "sd": round(drift.sd, 4)},
        "level": drift.level,
        "above_5": round(drift.above, 4),
        "parts": {
            "age": round(drift.age, 4),
            "film": round(drift.film, 4),
            "sudden": round(drift.sudden, 4),
        },
        "step": {
            "chance": round(step.chance, 4),
            "day": day(step.day),
            "from": day(step.first),
            "to": day(step.last),
            "size": round(step.size, 4),
        }
        if drift.is_dated
        else None,
        "helped": None if drift.helped is None else round(drift.helped, 4),
        "forecast": [
            {
                "hours": round((one.day - now) * drift.hours_a_day, 1),
                "low": round(one.low, 4),
                "middle": round(one.middle, 4),
                "high": round(one.high, 4),
            }
            for one in drift.ahead
        ],
        "entries": [
            {
                "entry": one.entry,
                "used": {"mean": round(one.used, 4), "sd": round(one.sd, 4)},
                "half_margin_h": [
                    None if days is None else round(days * drift.hours_a_day, 1)
                    for days in one.half_in_days
                ],
            }
            for one in drift.entries
        ],
        "source_80_h": [None if h is None else round(h) for h in drift.source_80_h],
        "hours_assumed": drift.hours_assumed,
    }


DUE_WORDS = {"now": tr("now"), "soon": tr("soon"), "later": tr("later")}


def _state(due: Due) -> str:
    if due.is_now:
        return "now"
    return "soon" if due.is_soon else "later"


def _plain(due: Due) -> dict[str, object]:
    return {
        "part": due.part.id,
        "words": due.part.words,
        "state": _state(due),
        "share": round(due.share, 4),
        "by": due.by,
        "danger": due.part.danger,
        "last": due.last.at if due.last is not None else None,
        "interval": asdict(due.interval),
    }
