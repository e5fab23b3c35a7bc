"""What went wrong: the likeliest causes in order, each with what speaks for it here, what speaks
against it, and the one check that tells.

The causes are data (formats/causes.json): how often each is met, and how often what is seen goes
with it.  Own weights over common practice; docs/methods.md, section Causes.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field

from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import Task
from olive_almanac.core.words import tr

__all__ = ["SIGNS", "Cause", "LikelyCause", "Sign", "likely_causes", "tellable"]

LEAST_CERTAIN, MOST_CERTAIN = 0.02, 0.97  # no sign is surer than this
NOT_ITS_DOING = 0.001  # how often what is pointed at comes of a cause that says nothing of it (own)
SECOND = 0.15  # how often another fault is at work beside the one that is asked about (own)
FOLLOWS = {  # what a person points at, and what of the readings it follows from
    "hangs": "weaker",
    "no_mark": "lighter",
    "lighter_all": "lighter",
    "darker_all": "darker",
}
FOLLOWED = 0.6  # how often it does
SPEAKS = 1.4  # how many times likelier a sign must be with a cause to speak for it
MOST_NAMED = 3


@dataclass(frozen=True)
class Sign:
    """Something that is seen or known: in words, how often it is met where no cause explains it,
    and whether a person can say it (else it is found out from the records).
    """

    words: str
    usual: float
    told: bool = False


SIGNS: dict[str, Sign] = {
    # what was read
    "weaker": Sign(tr("it takes more energy than it should"), 0.10),
    "stronger": Sign(tr("it takes less energy than it should"), 0.08),
    "lighter": Sign(tr("the tone is lighter than it should be"), 0.10),
    "darker": Sign(tr("the tone is darker than it should be"), 0.08),
    "lighter_all": Sign(tr("too light at every setting"), 0.04, told=True),
    "darker_all": Sign(tr("too dark at every setting"), 0.04, told=True),
    "no_mark": Sign(tr("places without any mark"), 0.05, told=True),
    "patchy": Sign(tr("patches without a mark amid good ones"), 0.04, told=True),
    "one_side": Sign(tr("one side is worse than the other"), 0.06, told=True),
    "middle": Sign(tr("the middle differs from the edges"), 0.06),
    "one_way": Sign(tr("it differs along X and along Y"), 0.05),
    "later_worse": Sign(tr("what burns later comes out weaker"), 0.06),
    "later_darker": Sign(tr("what burns later comes out darker"), 0.06),
    "scattered": Sign(tr("single cells fall out of line"), 0.10),
    "hangs": Sign(tr("pieces hang instead of falling free"), 0.15, told=True),
    "passes_useless": Sign(tr("further passes dig no deeper"), 0.05, told=True),
    "kerf_wide": Sign(tr("the cut is wider than it was"), 0.08),
    "halo": Sign(tr("the mark has a soft rim"), 0.08, told=True),
    "charred": Sign(tr("the edge chars more than expected"), 0.10, told=True),
    "back_scorch": Sign(tr("the back is scorched"), 0.05, told=True),
    "reweld": Sign(tr("the edge ran together again"), 0.04, told=True),
    "melt": Sign(tr("melted edges"), 0.06, told=True),
    "foam": Sign(tr("foam on the upper edge"), 0.03, told=True),
    "stripes": Sign(tr("a striped or jagged edge"), 0.06, told=True),
    "haze": Sign(tr("haze beside the mark"), 0.08, told=True),
    "uneven": Sign(tr("an uneven mark"), 0.12, told=True),
    "crack": Sign(tr("cracks"), 0.05, told=True),
    "rubs_off": Sign(tr("the mark rubs off"), 0.04, told=True),
    "smokes": Sign(tr("heavy smoke while it burns"), 0.08, told=True),
    "flares": Sign(tr("it flared up"), 0.06, told=True),
    "smells": Sign(tr("it smells otherwise than this stock does"), 0.03, told=True),
    "curved_piece": Sign(tr("the piece is not flat"), 0.04, told=True),
    # what is known beside it
    "lens_due": Sign(tr("the lens is due for cleaning"), 0.25),
    "mirrors_due": Sign(tr("the mirrors are due for cleaning"), 0.25),
    "tray_due": Sign(tr("the tray is due"), 0.25),
    "source_old": Sign(tr("the source is near its life"), 0.15),
    "power_low": Sign(tr("a power reading was low"), 0.06),
    "drifts": Sign(tr("the weekly checks need more energy than before"), 0.12),
    "changed_lately": Sign(tr("something on the machine was changed lately"), 0.08),
    "first_time": Sign(tr("nothing was proven on this machine yet"), 0.20),
    "lot_new": Sign(tr("it is another lot than the proven one"), 0.15),
    "unmeasured": Sign(tr("its thickness was never measured"), 0.30),
    "thicker": Sign(tr("the callipers read more than its nominal thickness"), 0.12),
    "dark_glue": Sign(tr("its glue line is dark"), 0.05),
    "damp_room": Sign(tr("the room is damp"), 0.15),
    "wood": Sign(tr("wood has knots and grain"), 0.40),
    "two_faces": Sign(tr("its two faces differ"), 0.10),
    "thick": Sign(tr("the stock is thick"), 0.20),
    "thin_stock": Sign(tr("the stock is thin"), 0.25),
    "thin_margin": Sign(tr("the setting has little margin"), 0.20),
    "many_passes": Sign(tr("many passes"), 0.20),
    "slow": Sign(tr("the burns are slow"), 0.25),
    "fast": Sign(tr("the burns are quick for this machine"), 0.15),
    "low_powers": Sign(tr("powers near the lowest that a source gives"), 0.10),
    "coarse": Sign(tr("lines farther apart than the spot is wide"), 0.08),
    "long_spot": Sign(tr("the spot is longer one way"), 0.25),
    "long_run": Sign(tr("a long run without rests"), 0.20),
    "rest_none": Sign(tr("no rest between the cells"), 0.60),
    "full_air": Sign(tr("full air"), 0.45),
    "air_low": Sign(tr("little or no air"), 0.30),
    "mask_on": Sign(tr("a mask lies on it"), 0.20),
    "medium_on": Sign(tr("a medium lies on it"), 0.15),
    "medium_missing": Sign(tr("nothing takes up the beam"), 0.03),
    "film_on": Sign(tr("it was bought with a film, and nobody took it off"), 0.04),
    "support_none": Sign(tr("nothing is said of an air gap below"), 0.45),
    "focus_unticked": Sign(tr("the height was not ticked"), 0.15),
    "level_unticked": Sign(tr("the level was not ticked"), 0.25),
    "exhaust_unticked": Sign(tr("the exhaust was not ticked"), 0.15),
    "clean_unticked": Sign(tr("cleaning it was not ticked"), 0.15),
    "face_unticked": Sign(tr("which face lies up was not ticked"), 0.15),
    "hold_unticked": Sign(tr("holding it down was not ticked"), 0.20),
}


@dataclass(frozen=True)
class Cause:
    """One cause: for which tasks, sources and groups of stock, how often it is met against others,
    how often each sign goes with it, the check that tells, and what mends it.

    `needs` are signs of which one must be there for it to be thought of at all.
    """

    id: str
    name: str
    tasks: tuple[str, ...]
    prior: float
    tells: dict[str, float] = field(hash=False)
    check: str = ""
    mend: str = ""
    sources: tuple[str, ...] = ()
    groups: tuple[str, ...] = ()
    needs: tuple[str, ...] = ()


@dataclass(frozen=True)
class LikelyCause:
    """A cause with its chance among all that come into question, and the signs, in words, that
    speak for it and against it here.
    """

    cause: Cause
    chance: float
    speaks_for: tuple[str, ...]
    speaks_against: tuple[str, ...]


def likely_causes(
    causes: Sequence[Cause],
    machine: Machine,
    task: Task,
    *,
    group: str,
    signs: Mapping[str, bool],
    pointed_at: Collection[str] = (),
) -> tuple[LikelyCause, ...]:
    """Return the causes that come into question, the likeliest first.

    `signs` says of what was looked at whether it is so; what is not in it is not known and weighs
    nothing.  Those `pointed_at` are what a person asks about: a machine may have another fault
    beside, so a cause that does not bring them about hardly counts, however sure it is.
    """
    open_causes = [
        one
        for one in causes
        if _fits(one, machine, task, group)
        and (not one.needs or any(signs.get(sign) for sign in one.needs))
    ]
    if pointed_at:
        beside = {sign: so for sign, so in signs.items() if sign not in pointed_at}
        scores = _doings(open_causes, beside, pointed_at)
    else:
        scores = [math.log(one.prior) + _weight(one, signs) for one in open_causes]
    top = max(scores, default=0.0)
    shares = [math.exp(score - top) for score in scores]
    whole = math.fsum(shares) or 1.0
    found = [
        LikelyCause(one, share / whole, _named(one, signs, True), _named(one, signs, False))
        for one, share in zip(open_causes, shares, strict=True)
    ]
    return tuple(sorted(found, key=lambda one: -one.chance))


def tellable(causes: Sequence[Cause], machine: Machine, task: Task, group: str) -> frozenset[str]:
    """Return the signs that a person can point at and that some cause here brings about."""
    here = [one for one in causes if _fits(one, machine, task, group)]
    keys = (key for key, sign in SIGNS.items() if sign.told)
    return frozenset(key for key in keys if any(_lift(one, key) > 0 for one in here))


def _fits(cause: Cause, machine: Machine, task: Task, group: str) -> bool:
    return (
        task in cause.tasks
        and (not cause.sources or machine.source in cause.sources)
        and (not cause.groups or group in cause.groups)
    )


def _weight(cause: Cause, signs: Mapping[str, bool]) -> float:
    return math.fsum(math.log(_ratio(sign, so, _chance(cause, sign))) for sign, so in signs.items())


def _ratio(sign: str, so: bool, chance: float) -> float:
    """How many times likelier it is, with a cause, that a sign is so or is not so."""
    usual = SIGNS[sign].usual
    return chance / usual if so else (1 - chance) / (1 - usual)


def _doings(
    causes: Sequence[Cause], beside: Mapping[str, bool], pointed_at: Collection[str]
) -> list[float]:
    """ln of the chance, up to a constant, that each cause brings about what is pointed at, alone or
    with one other at work that what is known beside may come of.
    """
    every = math.fsum(one.prior for one in causes)
    scores = []
    for cause in causes:
        known = (1 - SECOND) * math.exp(_weight(cause, beside))
        for other in causes:
            known += SECOND * other.prior / every * _both(cause, other, beside)
        lifts = (max(_lift(cause, sign), NOT_ITS_DOING) for sign in pointed_at)
        scores.append(math.log(cause.prior * known) + math.fsum(map(math.log, lifts)))
    return scores


def _both(one: Cause, other: Cause, signs: Mapping[str, bool]) -> float:
    """How many times likelier the signs are with two causes at work, either of which may do it."""
    total = 1.0
    for sign, so in signs.items():
        chance = _chance(one, sign)
        if other is not one:
            neither = (1 - chance) * (1 - _chance(other, sign)) / (1 - SIGNS[sign].usual)
            chance = min(max(1 - neither, LEAST_CERTAIN), MOST_CERTAIN)
        total *= _ratio(sign, so, chance)
    return total


def _lift(cause: Cause, sign: str) -> float:
    """How much oftener a sign is met with a cause than anyway."""
    share = cause.tells.get(sign, 0.0)
    if sign in FOLLOWS:
        share = max(share, FOLLOWED * cause.tells.get(FOLLOWS[sign], 0.0))
    return share - SIGNS[sign].usual


def _chance(cause: Cause, sign: str) -> float:
    """How often a sign is met with a cause: its own share, or as usual where it says nothing."""
    chance = cause.tells.get(sign, SIGNS[sign].usual)
    return min(max(chance, LEAST_CERTAIN), MOST_CERTAIN)


def _named(cause: Cause, signs: Mapping[str, bool], so: bool) -> tuple[str, ...]:
    """The signs that speak for a cause (so) or against it, the strongest first."""
    found = []
    for sign, is_so in signs.items():
        ratio = _ratio(sign, is_so, _chance(cause, sign))
        if so and is_so and ratio > SPEAKS:
            found.append((ratio, SIGNS[sign].words))
        elif not so and not is_so and ratio < 1 / SPEAKS:
            found.append((1 / ratio, SIGNS[sign].words))
    return tuple(words for _, words in sorted(found, reverse=True)[:MOST_NAMED])
