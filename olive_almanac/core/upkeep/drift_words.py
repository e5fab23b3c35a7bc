"""What is told of a machine's need, in sentences for its operator: how it is, why, what to do."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

from olive_almanac.core.dates import day_month_text, day_text
from olive_almanac.core.upkeep.drift_told import LEAST_READINGS, MachineDrift
from olive_almanac.core.upkeep.strength import percent_weaker
from olive_almanac.core.words import tr, trn

__all__ = ["Diagnosis", "day_of", "diagnosis_of", "short_of"]

LEAST_SHOWN = 0.02  # ln energy below which nothing is said to be weaker
DID_NOT_HELP, HELPED = 0.3, 0.9
YEAR_DAYS = 365.0
CAUSES = {
    "sudden": tr("It came within days: dirty or knocked optics are likelier than age."),
    "film": tr("It grew with the hours since the last cleaning: film on the optics is likeliest."),
    "age": tr("It grows with the hours and no cleaning brought it back: the source ages."),
    "": tr("What is behind it cannot be told yet."),
}
DO = {
    "sudden": tr(
        "Clean lens and mirrors and burn the weekly check again; if that does not help, look "
        "at the beam's way over the mirrors."
    ),
    "film": tr("Clean lens and mirrors, then burn the weekly check again."),
    "age": tr("Clean once more to be sure; then prove the weakest settings again, slower."),
    "": tr(
        "Clean lens and mirrors and burn the weekly check again: what stays then is age or a "
        "mirror out of line."
    ),
}


@dataclass(frozen=True)
class Diagnosis:
    """What is told: the line at the top, the reason, what to do."""

    says: str
    why: str
    do: str

    @property
    def whole(self) -> str:
        """All of it in one text."""
        return " ".join(part for part in (self.says + ".", self.why, self.do) if part)


def short_of(drift: MachineDrift | None) -> str:
    """Return how a machine is in a few words."""
    if drift is None or drift.level == "unknown":
        return tr("not known yet")
    if drift.level == "alarm":
        return tr("{need} % weaker", need=percent_weaker(drift.need))
    return tr("may be weaker") if drift.level == "hint" else tr("burns as it did")


def day_of(ordinal: float) -> date:
    """Return the day of an ordinal with a fraction."""
    return date.fromordinal(int(ordinal))


def diagnosis_of(
    drift: MachineDrift | None, name: str, today: date, weakest: str = ""
) -> Diagnosis:
    """Return what is told of a machine today, also where nothing was ever read; `weakest` names the
    entry that first loses half of its margin.
    """
    if drift is None or drift.level == "unknown":
        return _unknown(drift, name)
    low, high = (max(0, percent_weaker(one)) for one in (drift.low, drift.high))
    span = tr("{low} % to {high} %", low=low, high=high) if low != high else f"{low} %"
    hours = ""
    if drift.hours_assumed:
        hours = tr(
            " Its hours are not kept: {hours_a_day:g} a day are assumed.",
            hours_a_day=drift.hours_a_day,
        )
    if drift.level == "alarm":
        since = (
            tr(" since about {day}", day=_short(day_of(drift.step.day), today))
            if drift.is_dated
            else ""
        )
        weaker = percent_weaker(drift.need)
        says = tr("{name} is {weaker} % weaker", name=name, weaker=weaker) + (
            since or tr(" than when its record began")
        )
        why = tr(
            "{causes} The loss is {span}.{hours}",
            causes=CAUSES[drift.cause.key],
            span=span,
            hours=hours,
        )
        return Diagnosis(says, why, _what_to_do(drift, weakest))
    if drift.level == "hint":
        chance = round(100 * drift.above)
        why = tr(
            "With a chance of {chance} % it has lost more than 5 %, {span} in all.{hours}",
            chance=chance,
            span=span,
            hours=hours,
        )
        return Diagnosis(
            tr("{name} may be weaker than it was", name=name),
            why,
            tr("Burn the weekly check again this week."),
        )
    return _true(drift, name, span, hours, weakest)


def _unknown(drift: MachineDrift | None, name: str) -> Diagnosis:
    told = 0
    if drift is not None:
        told = sum(one.kind in ("check", "meter") for one in drift.readings)
    left = LEAST_READINGS - told
    weeks = tr("one more weekly check") if left == 1 else tr("{left} weekly checks", left=left)
    return Diagnosis(
        tr("How true {name} burns cannot be told yet", name=name),
        "" if not told else trn("{count} reading so far.", "{count} readings so far.", told),
        tr("Burn {weeks}, a week apart, or note what a power meter reads.", weeks=weeks),
    )


def _true(drift: MachineDrift, name: str, span: str, hours: str, weakest: str) -> Diagnosis:
    if drift.high < -LEAST_SHOWN:
        more = -percent_weaker(drift.need)
        says = tr("{name} is {more} % stronger than when its record began", name=name, more=more)
        return Diagnosis(says, tr("It was not clean then.{hours}", hours=hours), "")
    why = tr(
        "It has lost {span}; 6 % within a month would not be seen by eye alone.{hours}",
        span=span,
        hours=hours,
    )
    if percent_weaker(drift.high) <= 0:
        why = tr("Nothing is lost.{hours}", hours=hours)
    return Diagnosis(tr("{name} burns as it did", name=name), why, _weakest_words(drift, weakest))


def _what_to_do(drift: MachineDrift, weakest: str) -> str:
    if drift.helped is not None and drift.helped < DID_NOT_HELP:
        return tr(
            "The last cleaning seems not to have helped: look at the beam's way over the mirrors, "
            "and at the lens against the light."
        )
    return f"{DO[drift.cause.key]} {_weakest_words(drift, weakest)}".strip()


def _weakest_words(drift: MachineDrift, weakest: str) -> str:
    """By when the first entry has lost half of its margin, where it is within a year."""
    first = drift.weakest
    if first is None or first.half_in_days[1] is None or first.half_in_days[1] > YEAR_DAYS:
        return ""
    name = weakest or tr("The weakest setting")
    if first.half_chance > 0.5:
        return tr("{name} has used half of its margin.", name=name)
    by = day_of(drift.day) + timedelta(days=first.half_in_days[1])
    return tr("{name} keeps half of its margin until about {by}.", name=name, by=day_text(by))


def _short(day: date, today: date) -> str:
    """A day without its year, where it is this year's or within the last months."""
    if abs((today - day).days) < YEAR_DAYS / 2:
        return day_month_text(day)
    return day_text(day)
