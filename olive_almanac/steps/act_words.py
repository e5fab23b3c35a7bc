"""Acts of service and what is due, in the words of the log, the list and the time line."""

from __future__ import annotations

from datetime import datetime

from olive_almanac.core.records.service import ACTS, FOUND, ServiceAct
from olive_almanac.core.units import number_text
from olive_almanac.core.upkeep.due import Due
from olive_almanac.core.upkeep.services import PARTS

__all__ = ["act_words", "noted_words", "part_words", "used_words"]


def used_words(due: Due) -> str:
    """Return how much of an interval is used, and since when: "9.2 of 8 h, cleaned 2 April"."""
    of = {
        "hours": (due.interval.hours, "h on"),
        "beam hours": (due.interval.beam_hours, "h of beam"),
        "smoke": (due.interval.grams, "g of smoke"),
        "days": (due.interval.days, "days"),
    }[due.by]
    used = number_text(due.used * of[0], 2)
    last = "never noted"
    if due.last is not None:
        last = f"{ACTS[due.last.kind]} {_day(due.last.at)}"
    if not of[0]:
        return f"no interval, {last}"
    why = f"; {due.why}" if due.why else ""
    return f"{used} of {number_text(of[0])} {of[1]}, {last}{why}"


def part_words(part: str) -> str:
    """Return what a part is called, short, by its id."""
    words = next((one.words for one in PARTS if one.id == part), part)
    return words.partition(":")[0]


def _day(at: str) -> str:
    day = datetime.fromisoformat(at)
    return f"{day.day} {day:%B %Y}"


def act_words(act: ServiceAct) -> str:
    """Return an act as the log tells it."""
    return f"{_day(act.at)}: {noted_words(act)}"


def noted_words(act: ServiceAct) -> str:
    """Return what was noted of an act, without its day."""
    parts = [ACTS[act.kind]]
    if act.added is not None:
        sign = "+" if act.added.on_h > 0 else "−"
        parts.append(f"{sign}{number_text(abs(act.added.on_h), 4)} h")
    if act.found:
        parts.append(f"found {FOUND[act.found]}")
    if act.celsius is not None:
        parts.append(f"{act.celsius:g} °C")
    if act.flow_l_min is not None:
        parts.append(f"{act.flow_l_min:g} l/min")
    if act.watts is not None:
        parts.append(f"{act.watts:g} W at {act.at_percent or 100:g} %")
    if act.minutes:
        parts.append(f"{number_text(act.minutes)} min")
    if act.by:
        parts.append(f"by {act.by}")
    if act.note:
        parts.append(act.note)
    return ", ".join(parts)
