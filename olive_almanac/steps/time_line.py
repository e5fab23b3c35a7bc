"""What a machine's time line shows, ready to be drawn: readings, acts, states, what lies ahead."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from statistics import median
from typing import TYPE_CHECKING

from olive_almanac.core.dates import day_month_text, day_text
from olive_almanac.core.records.service import ServiceAct
from olive_almanac.core.records.setting import SHORT_TASK_WORDS
from olive_almanac.core.units import number_text
from olive_almanac.core.upkeep.days import NOON, ordinal_of
from olive_almanac.core.upkeep.strength import strength_percent
from olive_almanac.core.words import tr
from olive_almanac.steps.act_words import act_words, part_words

if TYPE_CHECKING:
    from olive_almanac.core.records.machine import Machine
    from olive_almanac.core.upkeep.drift_told import MachineDrift, ReadingTold
    from olive_almanac.steps.catalogue import ShopCatalogue

__all__ = ["SPANS", "Band", "Limit", "TimeLine", "TimeMark", "time_line_of", "weakest_words"]

SPANS = {"182": tr("half a year"), "365": tr("a year"), "100000": tr("everything")}
DAYS_AHEAD = 70
SHOWN_PARTS = frozenset(
    (
        *("lens", "scan_window", "mirror_3", "mirrors", "alignment", "tube", "module", "source"),
        *("air", "fans", "water_change", "field"),
    )
)


@dataclass(frozen=True)
class TimeMark:
    """A reading, a burn, an act or a new state: its day (ordinal), the need that it read (None: it
    is below the chart), its kind (check, meter, passed, failed, act, state), its words, what stands
    behind it ("trial|ID", "act|UID", "entry|UID", "job|UID", "state|N").
    """

    day: float
    need: float | None
    kind: str
    words: str
    about: str


@dataclass(frozen=True)
class Band:
    """The need on a day (ordinal): low, middle and high, ln energy."""

    day: float
    low: float
    middle: float
    high: float


@dataclass(frozen=True)
class Limit:
    """A need at which something happens, in words."""

    need: float
    words: str


@dataclass(frozen=True)
class TimeLine:
    """All that is drawn between two days (ordinals)."""

    first: float
    last: float
    today: float
    marks: tuple[TimeMark, ...] = ()
    path: tuple[Band, ...] = ()
    ahead: tuple[Band, ...] = ()
    limits: tuple[Limit, ...] = ()
    step: tuple[float, float, float] | None = None  # first, likeliest, last day
    step_words: str = ""
    now: str = tr("today")
    says: str = ""
    hours: tuple[tuple[float, float], ...] = ()  # day and hours on
    smoothed: tuple[tuple[float, float], ...] = ()  # day and need, of the checks alone

    def hours_words(self, day: float) -> str:
        """Return the hours on that a machine had on a day, or nothing where they are not known."""
        at = bisect_right([one for one, _ in self.hours], day)
        if at == 0 or at == len(self.hours):
            return ""
        return f"{number_text(self.hours[at - 1][1], 4)} h"


def time_line_of(
    machine: Machine,
    catalogue: ShopCatalogue,
    drift: MachineDrift | None,
    acts: Sequence[ServiceAct],
    today: date,
    span_days: float,
) -> TimeLine:
    """Return the time line of a machine over the last days and some weeks ahead."""
    now = today.toordinal() + NOON
    readings = drift.readings if drift is not None else ()
    days = [reading.day for reading in readings[:1]] + [ordinal_of(act.at) for act in acts[:1]]
    first = max(now - span_days, min(days, default=now - 30) - 7)
    marks = [
        *_acts([act for act in acts if ordinal_of(act.at) >= first]),
        *(mark for mark in _states(machine) if mark.day >= first),
        *_readings([reading for reading in readings if reading.day >= first]),
    ]
    shown = tuple(sorted(marks, key=lambda mark: mark.day))
    if drift is None:
        return TimeLine(first, now + 14, now, shown)
    path = tuple(
        Band(one.day, one.low, one.need, one.high) for one in drift.path if one.day >= first
    )
    step = (drift.step.first, drift.step.day, drift.step.last) if drift.is_dated else None
    strength = strength_percent(drift.need)
    return TimeLine(
        first,
        now + DAYS_AHEAD,
        now,
        shown,
        path,
        tuple(Band(one.day, one.low, one.middle, one.high) for one in drift.ahead),
        _limits(drift, catalogue),
        step,
        _step_words(drift),
        tr("today {strength} %", strength=strength),
        tr(
            "{shown} marks, today at {strength} % of the strength it began with",
            shown=len(shown),
            strength=strength,
        ),
        () if drift.hours_assumed else tuple((one.day, one.on_h) for one in drift.path),
        _smoothed(drift, first),
    )


def _smoothed(drift: MachineDrift, first: float) -> tuple[tuple[float, float], ...]:
    """The weekly checks smoothed, as a control chart has them: for the eye, the model decides."""
    from olive_almanac.core.upkeep.charts import CENTRE_FROM, ewma

    checks = [one for one in drift.readings if one.kind == "check"]
    if len(checks) < CENTRE_FROM:
        return ()
    needs = [one.need for one in checks]
    smooth = ewma(needs, median(needs[:CENTRE_FROM])).tolist()
    return tuple(
        (one.day, value) for one, value in zip(checks, smooth, strict=True) if one.day >= first
    )


def weakest_words(drift: MachineDrift | None, catalogue: ShopCatalogue) -> str:
    """Return the entry that first loses half of its margin, as stock and task; nothing where there
    is none.
    """
    first = drift.weakest if drift is not None else None
    entry = catalogue.entry_by_uid.get(first.entry) if first is not None else None
    stock = catalogue.stock(entry.stock_uid) if entry is not None else None
    if entry is None or stock is None:
        return ""
    return f"{stock.short_name}, {SHORT_TASK_WORDS[entry.task]}"


def _step_words(drift: MachineDrift) -> str:
    if not drift.is_dated:
        return ""
    day = date.fromordinal(int(drift.step.day))
    doubt = round((drift.step.last - drift.step.first) / 2)
    days = tr("day") if doubt <= 1 else tr("days")
    return tr(
        "about {day}, ± {doubt} {days}", day=day_month_text(day), doubt=max(1, doubt), days=days
    )


def _acts(acts: Sequence[ServiceAct]) -> list[TimeMark]:
    marks = []
    for act in acts:
        if act.part in SHOWN_PARTS and act.kind in ("clean", "change", "replace", "align", "check"):
            words = f"{part_words(act.part)}, {act_words(act)}"
            marks.append(TimeMark(ordinal_of(act.at), None, "act", words, f"act|{act.uid}"))
    return marks


def _states(machine: Machine) -> list[TimeMark]:
    if not machine.state_since:
        return []
    on = date.fromisoformat(machine.state_since)
    words = tr(
        "{on}: machine state {state}, {state_reason}",
        on=day_text(on),
        state=machine.state,
        state_reason=machine.state_reason,
    )
    day = ordinal_of(machine.state_since)
    return [TimeMark(day, None, "state", words, f"state|{machine.state}")]


KINDS = {"check": tr("weekly check"), "meter": tr("power meter")}


def _readings(readings: Sequence[ReadingTold]) -> list[TimeMark]:
    marks = []
    for one in readings:
        on = day_text(date.fromordinal(int(one.day)))
        if one.kind == "burn":
            word = tr("passed") if one.passed else tr("failed")
            least = strength_percent(one.need)
            words = tr(
                "{on}: a burn that keeps down to {least} % of the power {word}",
                on=on,
                least=least,
                word=word,
            )
            marks.append(TimeMark(one.day, None, word, words, one.about))
            continue
        doubt = number_text(100 * one.doubt, 2)
        words = tr(
            "{on}, {kinds}: strength {need} % ± {doubt}",
            on=on,
            kinds=KINDS[one.kind],
            need=strength_percent(one.need),
            doubt=doubt,
        )
        marks.append(TimeMark(one.day, one.need, one.kind, words, one.about))
    return marks


def _limits(drift: MachineDrift, catalogue: ShopCatalogue) -> tuple[Limit, ...]:
    """At which need the entry that first loses half its margin has lost half, and all of it."""
    first, name = drift.weakest, weakest_words(drift, catalogue)
    if first is None or not name:
        return ()
    proved_at = drift.need - first.used
    return (
        Limit(proved_at + first.margin / 2, tr("{name}: half its margin gone", name=name)),
        Limit(proved_at + first.margin, tr("below this line it fails")),
    )
