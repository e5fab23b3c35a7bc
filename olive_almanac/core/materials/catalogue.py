"""May it burn, can it work: what is known of each family of stock, and the answer for one machine
and task.

The catalogue itself is data (formats/catalogue.json).  Every answer is a caution: the machine's
manual, the maker's safety sheet, local codes and a qualified laser safety officer come first.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from olive_almanac.core.errors import Barred, OutOfRange
from olive_almanac.core.records.machine import SOURCES, Machine
from olive_almanac.core.records.setting import Task
from olive_almanac.core.records.stock import Stock

__all__ = ["Catalogue", "CatalogueStock", "Permission", "Verdict", "may_burn", "verdict_of"]

CLEAR = ("clear", "translucent")
LIGHT_COLOURS = ("white", "light", "cream", "natural white")
DOING = {
    "engrave": "engraving",
    "mark": "marking",
    "score": "scoring",
    "cut": "cutting",
}  # offered in this order


@dataclass(frozen=True)
class Verdict:
    """How well a task goes on a source: `words` say with what it works, or why it does not."""

    level: Literal["works", "poor", "cannot", "barred"]
    words: str = ""

    @property
    def works(self) -> bool:
        return self.level == "works"

    @property
    def phrase(self) -> str:
        """The verdict in words: "works with paint", "cannot: the beam passes through"."""
        if not self.words:
            return self.level
        if self.works:
            return f"works {self.words}"
        return f"{self.level}: {self.words}"


Verdicts = dict[str, dict[str, Verdict]]


@dataclass(frozen=True)
class CatalogueStock:
    """What is known of one family.

    `verdicts` maps source and task (cut, score, engrave, mark) to a verdict; `clear` and `light`
    replace some of them for clear and for light-coloured stock. `practices` are the two schools
    where it is disputed.
    """

    id: str
    word: str
    group: str
    gives_off: str
    state: Literal["allowed", "disputed", "barred"]
    verdicts: Verdicts = field(hash=False)
    source: str = ""
    reason: str = ""
    instead: str = ""
    practices: tuple[str, ...] = ()
    clear: Verdicts = field(default_factory=dict, hash=False)
    light: Verdicts = field(default_factory=dict, hash=False)
    advice: str = ""


@dataclass(frozen=True)
class Catalogue:
    """All families by id, in the order in which they are listed."""

    stocks: tuple[CatalogueStock, ...]

    def entry(self, family: str) -> CatalogueStock:
        """Return the entry of a family; raises OutOfRange for an id that is not known."""
        for one in self.stocks:
            if one.id == family:
                return one
        raise OutOfRange(
            "Family", f"“{family}”", "one of " + ", ".join(one.id for one in self.stocks)
        )

    @property
    def groups(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(one.group for one in self.stocks))


@dataclass(frozen=True)
class Permission:
    """Whether a task may and can be done.

    Not allowed: `reason`, and `instead` what would work; `barred` for stock that must not burn at
    all; `ask` where the shop has still to decide, with both `practices`.  Allowed: `mind` holds
    what to mind (a medium, a poor result).
    """

    allowed: bool
    reason: str = ""
    instead: str = ""
    mind: str = ""
    barred: bool = False
    ask: bool = False
    practices: tuple[str, ...] = ()

    @property
    def sentence(self) -> str:
        return " ".join(part for part in (self.reason, *self.practices, self.instead) if part)

    def insist(self) -> None:
        """Raise Barred, with the reason and what would work, where it is not allowed."""
        if not self.allowed:
            raise Barred(self.sentence)


def verdict_of(
    entry: CatalogueStock, *, source: str, task: str, opacity: str = "opaque", colour: str = ""
) -> Verdict:
    """Return the catalogue's verdict for a source and task, with the stock's opacity and colour
    taken into account.
    """
    if opacity in CLEAR and task in entry.clear.get(source, {}):
        return entry.clear[source][task]
    if colour.casefold() in LIGHT_COLOURS and task in entry.light.get(source, {}):
        return entry.light[source][task]
    return entry.verdicts[source][task]


def may_burn(
    catalogue: Catalogue, machine: Machine, stock: Stock, task: Task, rules: Mapping[str, bool]
) -> Permission:
    """Say whether this machine may burn this stock for this task.

    `rules` holds the shop's own decisions on disputed families: True it burns them, False it does
    not.
    """
    entry = catalogue.entry(stock.family)
    if entry.state == "barred":
        return Permission(
            False, f"{stock.name} is {entry.word}: {entry.reason}.", entry.instead, barred=True
        )
    if entry.state == "disputed" and not rules.get(entry.id, False):
        if entry.id in rules:
            return Permission(
                False, f"{entry.reason} This shop has decided not to burn it.", entry.instead
            )
        return Permission(False, entry.reason, entry.instead, ask=True, practices=entry.practices)
    look = {"opacity": stock.opacity, "colour": stock.colour}
    verdict = verdict_of(entry, source=machine.source, task=task, **look)
    if verdict.level == "cannot":
        return Permission(False, _sentence(verdict.words), _what_would(entry, machine, task, look))
    if verdict == Verdict("works"):
        return Permission(True)
    return Permission(True, mind=_sentence(verdict.phrase))


def _sentence(words: str) -> str:
    return f"{words[:1].upper()}{words[1:]}."


def _what_would(
    entry: CatalogueStock, machine: Machine, task: Task, look: Mapping[str, str]
) -> str:
    """Other machines that do this task, and other tasks that this machine does."""

    def works(source: str, other: str) -> bool:
        return verdict_of(entry, source=source, task=other, **look).works

    machines = [
        SOURCES[source][0] for source in SOURCES if source != machine.source and works(source, task)
    ]
    tasks = [word for word in DOING if word != task and works(machine.source, word)]
    said = []
    if machines:
        said.append(f"A {' or a '.join(machines)} machine would work.")
    for other in tasks[:1]:
        verdict = verdict_of(entry, source=machine.source, task=other, **look)
        said.append(f"On this one, {DOING[other]} {verdict.phrase}.")
    return " ".join(said) or entry.instead
