"""The only place where days are written in words, in the language of the shop."""

from __future__ import annotations

from datetime import date

from olive_almanac.core.words import tr

__all__ = ["MONTHS", "as_date", "day_month_text", "day_text", "short_month_text", "weekday_text"]

WEEKDAYS = (
    tr("Monday"),
    tr("Tuesday"),
    tr("Wednesday"),
    tr("Thursday"),
    tr("Friday"),
    tr("Saturday"),
    tr("Sunday"),
)
MONTHS = (
    tr("January"),
    tr("February"),
    tr("March"),
    tr("April"),
    tr("May"),
    tr("June"),
    tr("July"),
    tr("August"),
    tr("September"),
    tr("October"),
    tr("November"),
    tr("December"),
)


def as_date(day: date | str) -> date:
    """Return a day that may be written as 2026-10-14."""
    return date.fromisoformat(day[:10]) if isinstance(day, str) else day


def day_text(day: date | str) -> str:
    """Return a day as printed in the book: "14 October 2026"."""
    day = as_date(day)
    return tr("{day} {month} {year}", day=day.day, month=MONTHS[day.month - 1], year=day.year)


def day_month_text(day: date, *, short: bool = False) -> str:
    """Return a day of this year: "14 October", short "14 Oct"."""
    month = short_month_text(day) if short else MONTHS[day.month - 1]
    return tr("{day} {month}", day=day.day, month=month)


def short_month_text(day: date) -> str:
    """Return the first three letters of a month: "Oct"."""
    return MONTHS[day.month - 1][:3]


def weekday_text(day: date) -> str:
    """Return the day of the week: "Wednesday"."""
    return WEEKDAYS[day.weekday()]
