"""Days as ordinals with a fraction, from ISO dates and times."""

from __future__ import annotations

from datetime import datetime

__all__ = ["NOON", "ordinal_of"]

NOON = 0.5


def ordinal_of(iso: str) -> float:
    """Return the day of an ISO date (its noon) or time as an ordinal with its fraction, in local
    time where a zone is told.
    """
    at = datetime.fromisoformat(iso)
    if len(iso) <= len("2026-04-14"):
        return at.toordinal() + NOON
    if at.tzinfo is not None:
        at = at.astimezone()
    return at.toordinal() + (at.hour + at.minute / 60) / 24
