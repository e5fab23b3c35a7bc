"""A calendar file (iCalendar, RFC 5545) of the days on which something is due."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

__all__ = ["DueDay", "write_calendar"]


@dataclass(frozen=True)
class DueDay:
    """What is due on a day: an id that stays the same from file to file, words and the reason."""

    uid: str
    on: date
    words: str
    reason: str = ""


def write_calendar(days: Sequence[DueDay], made: datetime) -> bytes:
    """Return the days as a calendar file, each a whole day; taken in again they replace what was
    taken in before.
    """
    from icalendar import Calendar, Event

    calendar = Calendar()
    calendar.add("prodid", "-//Olive Almanac//shop//EN")
    calendar.add("version", "2.0")
    for day in days:
        event = Event()
        event.add("uid", f"{day.uid}@olive-almanac")
        event.add("summary", day.words)
        event.add("dtstart", day.on)
        event.add("dtend", day.on + timedelta(days=1))
        event.add("dtstamp", made)
        if day.reason:
            event.add("description", day.reason)
        calendar.add_component(event)
    return bytes(calendar.to_ical())
