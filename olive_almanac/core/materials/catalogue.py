"""May it burn, can it work: what is known of each family of stock, and the answer for one machine
and task.

The catalogue itself is data (formats/catalogue.json).  Every answer is a caution: the machine's
manual, the maker's safety sheet, local codes and a qualified laser safety officer come first.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Literal

from olive_almanac.core.errors import Barred, OutOfRange
from olive_almanac.core.materials.names import UNKNOWN, family_named, opacity_named, says
from olive_almanac.core.records.machine import SOURCES, Machine
from olive_almanac.core.records.setting import Task
from olive_almanac.core.records.stock import Opacity, Stock
from olive_almanac.core.units import capital
from olive_almanac.core.words import tr

__all__ = [
    "Catalogue",
    "CatalogueStock",
    "Judged",
    "Permission",
    "Verdict",
    "judge",
    "may_burn",
    "verdict_of",
]

CLEAR = ("clear", "translucent")
LIGHT_COLOURS = ("white", "light", "cream", "natural white", "weiß", "weiss", "hell", "creme")
LEVEL_WORDS = {
    "works": tr("works"),
    "poor": tr("poor"),
    "cannot": tr("cannot"),
    "barred": tr("barred"),
}
STRICTNESS = ("allowed", "disputed", "barred")
LEATHERS = ("leather", "leather_unknown")
DARK_GLUE = (
    "dark",
    "black",
    "exterior",
    "outdoor",
    "phenol",
    "wbp",
    "marine",
    "dunkel",
    "schwarz",
    "außen",
    "aussen",
    "wasserfest",
)
BAD_COATINGS = (
    "lead",
    "cadmium",
    "chrom",
    "nickel",
    "not known",
    "unknown",
    "?",
    "blei",
    "kadmium",
    "nicht bekannt",
    "unbekannt",
)
ZINC = ("zinc", "galvan", "zink")
POLISHED = ("polish", "mirror", "high gloss", "polier", "spiegel", "hochglanz")
DOING = {
    "engrave": tr("engraving"),
    "mark": tr("marking"),
    "score": tr("scoring"),
    "cut": tr("cutting"),
}  # offered in this order


@dataclass(frozen=True)
class Verdict:
    """How well a task goes on a source: `words` say with what it works, or why it does not."""

    level: Literal["works", "poor", "cannot", "barred"]
    words: str = ""

    @property
    def works(self) -> bool:
        """Whether it works without a condition."""
        return self.level == "works"

    @property
    def phrase(self) -> str:
        """The verdict in words: "works with paint", "cannot: the beam passes through"."""
        if not self.words:
            return LEVEL_WORDS[self.level]
        if self.works:
            return tr("works {words}", words=self.words)
        return f"{LEVEL_WORDS[self.level]}: {self.words}"


Verdicts = dict[str, dict[str, Verdict]]


@dataclass(frozen=True)
class CatalogueStock:
    """What is known of one family.

    `verdicts` maps source and task (cut, score, engrave, mark) to a verdict; `clear`, `light` and
    `mirror` replace some of them for clear, light-coloured and mirrored stock.
    `practices` are the two schools where it is disputed.
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
    mirror: Verdicts = field(default_factory=dict, hash=False)
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
        known = ", ".join(one.id for one in self.stocks)
        raise OutOfRange(tr("Family"), f"“{family}”", tr("one of ") + known)

    @property
    def groups(self) -> tuple[str, ...]:
        """The groups of its stocks, in their order."""
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
    family: str = ""  # what the stock was taken for: the shop's decision is on it

    @property
    def sentence(self) -> str:
        """Why it may or may not burn, what is done about it, and what to take instead."""
        return " ".join(part for part in (self.reason, *self.practices, self.instead) if part)

    def insist(self) -> None:
        """Raise Barred, with the reason and what would work, where it is not allowed."""
        if not self.allowed:
            raise Barred(self.sentence)


@dataclass(frozen=True)
class Judged:
    """What a stock is taken for when all its fields are read together.

    `entry` is the strictest family that any of them says, `opacity` how light goes through it, and
    `why` names the field where it is not the family chosen ("its glue line is dark").
    """

    entry: CatalogueStock
    opacity: Opacity
    light_coloured: bool = False
    why: str = ""


def judge(catalogue: Catalogue, stock: Stock) -> Judged:
    """Return what a stock is, from its family, name, finish, process, glue line, tanning, coating
    and mask together; raises OutOfRange for a family that the catalogue does not hold.
    """
    entry, why = catalogue.entry(stock.family), ""
    for family, said in _said_otherwise(catalogue, stock):
        other = catalogue.entry(family)
        if STRICTNESS.index(other.state) > STRICTNESS.index(entry.state):
            entry, why = other, said
    look = stock.opacity
    if look == "opaque":
        look = opacity_named(f"{stock.name} {stock.finish} {stock.colour}") or look
    polished = _says(f"{stock.name} {stock.finish}", POLISHED)
    if entry.group == "Metal" and polished and entry.id != "coated_metal":
        look = "mirror"
    pale = _says(f"{stock.colour} {stock.name}", LIGHT_COLOURS)
    return Judged(entry, look, pale, why)


def _says(text: str, words: Iterable[str]) -> bool:
    return any(word in text.casefold() for word in words)


def _said_otherwise(catalogue: Catalogue, stock: Stock) -> Iterator[tuple[str, str]]:
    """Families that other fields than the family speak for, each with that field in words."""
    group = catalogue.entry(stock.family).group
    fields = ("name", "finish", "process", "coating", "mask")
    for field_name in fields:
        named = family_named(getattr(stock, field_name))
        if named not in (UNKNOWN, "leather_unknown"):
            state = catalogue.entry(named).state
            if state == "barred" or (
                field_name == "name" and catalogue.entry(named).group == group
            ):
                yield (
                    named,
                    tr(
                        "its {field_name} is “{stock}”",
                        field_name=field_name,
                        stock=getattr(stock, field_name),
                    ),
                )
    if stock.family == "plywood" and _says(stock.glue_line, DARK_GLUE):
        yield "plywood_exterior", tr("its glue line is dark")
    if stock.family in LEATHERS and stock.tanning.strip():
        yield (
            family_named(f"{stock.tanning} leder leather"),  # as both languages name it
            tr("its tanning is “{tanning}”", tanning=stock.tanning),
        )
    if group == "Metal" and _says(stock.coating, ZINC):
        yield "galvanised", tr("its coating is “{coating}”", coating=stock.coating)
    if group == "Metal" and _says(stock.coating, BAD_COATINGS):
        yield "unknown_coating", tr("its coating is “{coating}”", coating=stock.coating)


def verdict_of(judged: Judged, *, source: str, task: str) -> Verdict:
    """Return the catalogue's verdict for a source and task on what a stock was judged to be."""
    entry = judged.entry
    if judged.opacity == "mirror" and task in entry.mirror.get(source, {}):
        return entry.mirror[source][task]
    if judged.opacity in CLEAR and task in entry.clear.get(source, {}):
        return entry.clear[source][task]
    if judged.light_coloured and task in entry.light.get(source, {}):
        return entry.light[source][task]
    return entry.verdicts[source][task]


def may_burn(
    catalogue: Catalogue, machine: Machine, stock: Stock, task: Task, rules: Mapping[str, bool]
) -> Permission:
    """Say whether this machine may burn this stock for this task, judged by all its fields.

    `rules` holds the shop's own decisions on disputed families: True it burns them, False it does
    not.  Raises OutOfRange for a family that the catalogue does not hold.
    """
    judged = judge(catalogue, stock)
    entry = judged.entry
    taken_for = entry.word
    if judged.why:
        taken_for = tr("taken for {word}, since {why}", word=entry.word, why=judged.why)
    if entry.state == "barred":
        return Permission(
            False,
            tr(
                "{stock} is {taken_for}: {reason}.",
                stock=stock.name,
                taken_for=taken_for,
                reason=entry.reason,
            ),
            entry.instead,
            barred=True,
        )
    if entry.state == "disputed" and not rules.get(entry.id, False):
        reason = entry.reason
        if judged.why:
            reason = tr(
                "{stock} is {taken_for}. {reason}",
                stock=stock.name,
                taken_for=taken_for,
                reason=reason,
            )
        if entry.id in rules:
            return Permission(
                False,
                tr("{reason} This shop has decided not to burn it.", reason=reason),
                entry.instead,
            )
        return Permission(
            False, reason, entry.instead, ask=True, practices=entry.practices, family=entry.id
        )
    verdict = verdict_of(judged, source=machine.source, task=task)
    if verdict.level == "cannot":
        return Permission(False, _sentence(verdict.words), _what_would(judged, machine, task))
    minded = [] if verdict == Verdict("works") else [_sentence(verdict.phrase)]
    if task != "cut" and entry.group == "Plastic" and says(stock.mask, "film"):
        minded.append(tr("Take the film off first: it melts into the engraving."))
    return Permission(True, mind=" ".join(minded))


def _sentence(words: str) -> str:
    return f"{capital(words)}."


def _what_would(judged: Judged, machine: Machine, task: Task) -> str:
    """Other machines that do this task, and other tasks that this machine does."""

    def works(source: str, other: str) -> bool:
        return verdict_of(judged, source=source, task=other).works

    machines = [
        SOURCES[source][0] for source in SOURCES if source != machine.source and works(source, task)
    ]
    tasks = [word for word in DOING if word != task and works(machine.source, word)]
    said = []
    if machines:
        said.append(tr("A {machines} machine would work.", machines=tr(" or a ").join(machines)))
    for other in tasks[:1]:
        verdict = verdict_of(judged, source=machine.source, task=other)
        said.append(tr("On this one, {doing} {phrase}.", doing=DOING[other], phrase=verdict.phrase))
    return " ".join(said) or judged.entry.instead
