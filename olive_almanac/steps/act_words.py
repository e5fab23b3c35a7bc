"""Acts of service and what is due, in the words of the log, the list and the time line."""

from __future__ import annotations

from olive_almanac.core.dates import day_text
from olive_almanac.core.records.service import ACTS, FOUND, ServiceAct
from olive_almanac.core.units import number_text
from olive_almanac.core.upkeep.due import Due
from olive_almanac.core.upkeep.services import PARTS
from olive_almanac.core.words import tr

__all__ = ["act_words", "noted_words", "part_words", "used_words"]


def used_words(due: Due, *, last_act: bool = True) -> str:
    """Return how much of an interval is used, since when, and why it is due where more decides:
    "9.2 of 8 h, cleaned 2 April"; short without the last act.
    """
    of = {
        "hours": (due.interval.hours, tr("h on")),
        "beam hours": (due.interval.beam_hours, tr("h of beam")),
        "smoke": (due.interval.grams, tr("g of smoke")),
        "days": (due.interval.days, tr("days")),
    }[due.by]
    used = number_text(due.used * of[0], 2)
    last = tr("never noted")
    if due.last is not None:
        last = f"{ACTS[due.last.kind]} {day_text(due.last.at)}"
    if not of[0]:
        return tr("no interval, {last}", last=last)
    if not last_act:
        much = f"{used} / {number_text(of[0])} {of[1]}"
        return f"{much}; {due.why}" if due.why else much
    why = f"; {due.why}" if due.why else ""
    return tr(
        "{used} of {of} {of2}, {last}{why}",
        used=used,
        of=number_text(of[0]),
        of2=of[1],
        last=last,
        why=why,
    )


def part_words(part: str) -> str:
    """Return what a part is called, short, by its id."""
    words = next((one.words for one in PARTS if one.id == part), part)
    return words.partition(":")[0]


def act_words(act: ServiceAct) -> str:
    """Return an act as the log tells it."""
    return f"{day_text(act.at)}: {noted_words(act)}"


def noted_words(act: ServiceAct) -> str:
    """Return what was noted of an act, without its day."""
    parts = [ACTS[act.kind]]
    if act.added is not None:
        sign = "+" if act.added.on_h > 0 else "−"
        parts.append(f"{sign}{number_text(abs(act.added.on_h), 4)} h")
    if act.found:
        parts.append(tr("found {found}", found=FOUND[act.found]))
    if act.celsius is not None:
        parts.append(f"{number_text(act.celsius)} °C")
    if act.flow_l_min is not None:
        parts.append(f"{number_text(act.flow_l_min)} l/min")
    if act.watts is not None:
        parts.append(
            tr("{watts:g} W at {at_percent:g} %", watts=act.watts, at_percent=act.at_percent or 100)
        )
    if act.minutes:
        parts.append(f"{number_text(act.minutes)} min")
    if act.by:
        parts.append(tr("by {by}", by=act.by))
    if act.note:
        parts.append(act.note)
    return ", ".join(parts)
