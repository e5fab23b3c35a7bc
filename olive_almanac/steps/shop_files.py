"""Files of the Shop station: the week's list and the service log as PDF, due days as a calendar."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING

from olive_almanac.core.dates import day_text
from olive_almanac.core.records.setting import SHORT_TASK_WORDS
from olive_almanac.core.upkeep.due import Due, due_on
from olive_almanac.core.words import tr
from olive_almanac.steps.act_words import noted_words, part_words, used_words
from olive_almanac.steps.due import due_list
from olive_almanac.steps.files import write_file
from olive_almanac.steps.upkeep import acts_of, parts_on

if TYPE_CHECKING:
    from olive_almanac.core.records.machine import Machine
    from olive_almanac.steps.session import Session

__all__ = ["SHOP_FILES", "calendar_work", "log_work", "week_work"]

SHOP_FILES = {
    "week": (tr("This week (PDF)"), "week.pdf", tr("PDF (*.pdf)")),
    "log": (tr("Service log (PDF)"), "service-log.pdf", tr("PDF (*.pdf)")),
    "calendar": (tr("Calendar file"), "due.ics", tr("Calendar (*.ics)")),
}
MONTHS_AHEAD = 6


def week_work(session: Session, now: datetime, path: Path) -> Iterator[str]:
    """Return the work that writes what is due this week, for all machines: for a worker."""
    catalogue, today = session.catalogue, session.today()
    services = [(machine, _pressing(session, machine, now)) for machine in catalogue.machines]
    entries = due_list(session)

    def work() -> Iterator[str]:
        from olive_almanac.formats.shop_pdf import Group, write_week

        groups = [
            Group(machine.label, [(_words(due), used_words(due)) for due in found])
            for machine, found in services
        ]
        proved = [
            (
                tr(
                    "{short_name}, {task}, on {machine}",
                    short_name=one.stock.short_name,
                    task=SHORT_TASK_WORDS[one.entry.task],
                    machine=one.machine.name,
                ),
                one.reason,
            )
            for one in entries
        ]
        groups.append(Group(tr("Settings to prove again"), proved))
        write_file(path, write_week(groups, day_text(today)))
        yield tr("Written: {path}", path=path.name)

    return work()


def log_work(session: Session, machine: Machine, path: Path) -> Iterator[str]:
    """Return the work that writes what was done to a machine: for a worker."""
    acts, today = acts_of(session, machine), session.today()

    def work() -> Iterator[str]:
        from olive_almanac.formats.shop_pdf import write_log

        lines = [(act.at[:10], part_words(act.part), noted_words(act)) for act in reversed(acts)]
        write_file(path, write_log(machine.label, lines, day_text(today)))
        yield tr("Written: {path}", path=path.name)

    return work()


def calendar_work(session: Session, now: datetime, path: Path) -> Iterator[str]:
    """Return the work that writes the days on which parts and settings are due: for a worker."""
    days = [
        (f"{machine.uid}-{due.part.id}", on, f"{machine.name}: {_words(due)}", used_words(due))
        for machine in session.catalogue.machines
        for due in parts_on(session, machine, now)
        if (on := due_on(due, now)) is not None
    ]
    days += _proofs(session)
    last = session.today() + timedelta(days=30 * MONTHS_AHEAD)

    def work() -> Iterator[str]:
        from olive_almanac.formats.calendar import DueDay, write_calendar

        kept = [DueDay(*day) for day in days if day[1] <= last]
        write_file(path, write_calendar(kept, now))
        yield tr("Written: {path}, {kept} days", path=path.name, kept=len(kept))

    return work()


def _proofs(session: Session) -> list[tuple[str, date, str, str]]:
    catalogue, found = session.catalogue, []
    for entry in catalogue.entries:
        machine, stock = catalogue.machine(entry.machine_uid), catalogue.stock(entry.stock_uid)
        by = entry.prove_again_by
        if machine is not None and stock is not None and by is not None:
            on = max(by, session.today())
            words = tr(
                "{machine}: prove {short_name}, {task} again",
                machine=machine.name,
                short_name=stock.short_name,
                task=SHORT_TASK_WORDS[entry.task],
            )
            found.append(
                (
                    f"entry-{entry.uid}",
                    on,
                    words,
                    tr("proven on {proven_on}", proven_on=entry.proven_on),
                )
            )
    return found


def _pressing(session: Session, machine: Machine, now: datetime) -> list[Due]:
    return [due for due in parts_on(session, machine, now) if due.is_now or due.is_soon]


def _words(due: Due) -> str:
    return f"{ACT_NOW[due.part.act]} {due.part.words}"


ACT_NOW = {
    "clean": tr("Clean:"),
    "check": tr("Check:"),
    "change": tr("Change:"),
    "replace": tr("Replace:"),
    "align": tr("Align:"),
}
