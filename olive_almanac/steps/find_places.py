"""What Ctrl+K finds beside settings and jobs: subjects that were open lately, coupons, machines,
stocks, what the program does, and the guide.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from olive_almanac.core.dates import day_text
from olive_almanac.core.design.plan import name_as_burnt
from olive_almanac.core.errors import BadFile
from olive_almanac.core.records.setting import TASK_WORDS, TASKS
from olive_almanac.core.units import LENGTH_CHOICES, SPEED_UNITS, capital, count_text
from olive_almanac.core.words import LANGUAGES, tr
from olive_almanac.steps.guide import find_in, guide_pages
from olive_almanac.steps.preferences import SCALES
from olive_almanac.steps.stations import STATIONS

if TYPE_CHECKING:
    from olive_almanac.steps.session import Session

__all__ = ["Act", "FoundPlace", "acts", "find_places"]

Kind = Literal["recent", "trial", "machine", "stock", "act", "help"]
MOST_OF_KIND = 3
STAGES = {
    "burn": tr("to be burnt"),
    "read": tr("to be read"),
    "decide": tr("to decide"),
    "book": tr("decided"),
}
LENGTH_WORDS = {"mm": tr("settings unit mm metric"), "in": tr("settings unit inch")}
LANGUAGE_WORDS = {  # found from either
    "en": "settings language sprache english englisch",
    "de": "settings language sprache german deutsch",
}


@dataclass(frozen=True)
class FoundPlace:
    """Something that can be opened: its kind, its key, its title, a line below it, and what else it
    is called.
    """

    kind: Kind
    key: str
    title: str
    told: str
    also: str = ""


@dataclass(frozen=True)
class Act:
    """Something that the program does: its key, its name, further words it is found by."""

    key: str
    name: str
    words: str = ""


def acts() -> tuple[Act, ...]:
    """Return what can be done from anywhere, the settings of the program among it."""
    return (
        *(
            Act(f"station:{one.id}", tr("Go to {one}", one=one.title), tr("station page"))
            for one in STATIONS
        ),
        Act("menu", tr("The book’s menu"), tr("due compare save print wall card label")),
        Act("notes", tr("Bring in old notes"), tr("import table csv xlsx ods")),
        Act(
            "library",
            tr("The library, its copies and backups"),
            tr("location stick restore folder"),
        ),
        Act("where", tr("Where and with what"), tr("machines lens compare thick buy")),
        Act("wrong", tr("What went wrong"), tr("trouble symptom cause fault")),
        Act("theme:day", tr("Day theme"), tr("settings look light colours")),
        Act("theme:workshop", tr("Workshop theme"), tr("settings look dark colours")),
        *(
            Act(f"scale:{n}", tr("Scale {n} %", n=n), tr("settings size larger smaller zoom"))
            for n in SCALES
        ),
        *(
            Act(f"unit:{one}", tr("Speeds in {one}", one=one), tr("settings unit inch"))
            for one in SPEED_UNITS
        ),
        *(
            Act(f"lengths:{unit}", words, LENGTH_WORDS[unit])
            for unit, words in LENGTH_CHOICES.items()
        ),
        *(
            Act(f"language:{key}", tr("Language: {name}", name=name), LANGUAGE_WORDS[key])
            for key, name in LANGUAGES.items()
        ),
        Act("demo", tr("Open the demo shop"), tr("try example practise")),
        Act("add:machine", tr("Add a machine"), tr("new laser")),
        Act("add:stock", tr("Add a stock"), tr("new material")),
        Act("keys", tr("Keys"), tr("shortcuts keyboard help")),
    )


def find_places(session: Session, text: str) -> tuple[FoundPlace, ...]:
    """Return what fits all words of `text`; without any, the subjects that were open lately."""
    words = re.findall(r"[\w%/]+", text.casefold())
    if not words:
        return tuple(_recent(session))
    found: list[FoundPlace] = []
    for kind in (_trials, _machines, _stocks, _acts):
        found += [one for one in kind(session) if _fits(words, one)][:MOST_OF_KIND]
    return (*(_shown(one) for one in found), *_help(text))


def _fits(words: list[str], place: FoundPlace) -> bool:
    held = re.findall(r"[\w%/]+", f"{place.title} {place.told} {place.also}".casefold())
    return all(any(other.startswith(word) for other in held) for word in words)


def _shown(place: FoundPlace) -> FoundPlace:
    """An act is found by words that are not shown."""
    if place.kind != "act":
        return place
    return FoundPlace("act", place.key, place.title, tr("what the program does"))


def _recent(session: Session) -> list[FoundPlace]:
    catalogue, found = session.catalogue, []
    for key in session.preferences.recent:
        machine_uid, _, rest = key.partition("|")
        stock_uid, _, task = rest.partition("|")
        machine, stock = catalogue.machine(machine_uid), catalogue.stock(stock_uid)
        if machine is not None and stock is not None and task in TASKS:
            words = TASK_WORDS[task]
            title = f"{stock.label}, {words}"
            found.append(
                FoundPlace("recent", key, title, tr("lately, on {machine}", machine=machine.label))
            )
    return found


def _trials(session: Session) -> list[FoundPlace]:
    return [
        FoundPlace(
            "trial",
            trial.id,
            f"{trial.name}, {TASK_WORDS[trial.task]}",
            tr(
                "Coupon of {made}, {stage}: {stock} on {machine}",
                made=day_text(trial.made),
                stage=STAGES.get(stage, stage),
                stock=trial.stock.label,
                machine=trial.machine.name,
            ),
            also=name_as_burnt(trial.name),
        )
        for trial, stage, _ in reversed(session.trials.kept)
    ]


def _machines(session: Session) -> list[FoundPlace]:
    return [
        FoundPlace("machine", one.uid, one.label, tr("Machine: its form in Set up"))
        for one in session.catalogue.machines
    ]


def _stocks(session: Session) -> list[FoundPlace]:
    return [
        FoundPlace(
            "stock",
            one.uid,
            one.label,
            tr(
                "Stock: its form in Set up, {sheets} in the rack",
                sheets=count_text(len(one.sheets), "sheet"),
            ),
        )
        for one in session.catalogue.stocks
    ]


def _acts(session: Session) -> list[FoundPlace]:
    return [FoundPlace("act", one.key, one.name, one.words) for one in acts()]


def _help(text: str) -> list[FoundPlace]:
    try:
        found = find_in(guide_pages(), text)[:MOST_OF_KIND]
    except BadFile:
        return []  # a program without its guide finds nothing in it; F1 says so
    return [
        FoundPlace(
            "help",
            f"{one.page}/{one.heading}".rstrip("/"),
            one.heading or one.title,
            tr("Help: {one}", one=capital(one.title)),
        )
        for one in found
    ]
