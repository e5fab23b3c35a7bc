"""What should be proved again this week, and what differs between two settings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta

from olive_almanac.core.dates import day_text
from olive_almanac.core.records.entry import FAILED, Entry
from olive_almanac.core.records.factors import further_factors
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import air_text
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import (
    duration_text,
    fixed_length_text,
    length_text,
    percent_text,
    speed_text,
)
from olive_almanac.core.words import tr
from olive_almanac.steps.catalogue import ShopCatalogue, subject_state
from olive_almanac.steps.session import Session

__all__ = ["Difference", "Due", "compare", "due_list", "energy_sentence", "same_stock"]

WEEK = timedelta(days=7)
SAME = 0.02  # share of energy below which nobody would dial


@dataclass(frozen=True)
class Due:
    """An entry to prove again, why, and how pressing: 0 failed, 1 something has changed, 2 the
    proof ran out, 3 runs out within a week, 4 on trial.
    """

    entry: Entry
    machine: Machine
    stock: Stock
    reason: str
    risk: int

    @property
    def used(self) -> int:
        """How often it was confirmed: what a shop proves it uses."""
        return len(self.entry.proofs)


def due_list(session: Session) -> tuple[Due, ...]:
    """Return what is due this week, the most pressing and most used first."""
    catalogue, today, found = session.catalogue, session.today(), []
    for entry in catalogue.entries:
        machine, stock = catalogue.machine(entry.machine_uid), catalogue.stock(entry.stock_uid)
        if (
            machine is None
            or stock is None
            or catalogue.entry_for(machine.uid, stock.uid, entry.task) != entry
        ):
            continue
        state, reason = subject_state(catalogue, machine, stock, entry.task, today)
        by = entry.prove_again_by
        if state == "due":
            last = None
            if entry.proofs:
                last = entry.proofs[-1]
            failed = last is not None and last.outcome == FAILED
            ran_out = by is not None and today > by
            found.append(Due(entry, machine, stock, reason, 0 if failed else 2 if ran_out else 1))
        elif state == "proven" and by is not None and by <= today + WEEK:
            found.append(Due(entry, machine, stock, tr("runs out on {by}", by=day_text(by)), 3))
        elif state == "trial":
            found.append(Due(entry, machine, stock, reason, 4))
    return tuple(sorted(found, key=lambda one: (one.risk, -one.used, one.stock.label)))


@dataclass(frozen=True)
class Difference:
    """One line of a comparison."""

    name: str
    left: str
    right: str

    @property
    def differs(self) -> bool:
        return self.left != self.right


def compare(
    catalogue: ShopCatalogue, left: Entry, right: Entry, unit: str
) -> tuple[Difference, ...]:
    """Return two entries, or two revisions of one, line by line."""
    columns = [_lines(catalogue, entry, unit) for entry in (left, right)]
    names = list(dict.fromkeys(name for column in columns for name in column))
    return tuple(
        Difference(name, columns[0].get(name, ""), columns[1].get(name, "")) for name in names
    )


def _lines(catalogue: ShopCatalogue, entry: Entry, unit: str) -> dict[str, str]:
    machine, stock = catalogue.machine(entry.machine_uid), catalogue.stock(entry.stock_uid)
    s, e = entry.setting, entry.evidence
    lines = {
        tr("Machine"): machine.label if machine else entry.machine_uid,
        tr("Stock"): stock.short_name if stock else entry.stock_uid,
        tr("Lot"): entry.lot or tr("unnamed"),
        tr("Machine state"): str(entry.machine_state),
        tr("Power"): f"{percent_text(s.power)} %",
        tr("Speed"): speed_text(s.speed_mm_s, unit),
        tr("Passes"): str(s.passes),
        tr("Focus"): length_text(s.focus_mm),
        tr("Air"): air_text(s.air),
        tr("Line pitch"): length_text(s.pitch_mm) if s.pitch_mm else tr("none"),
        **{one.name: one.told(one.of(s), unit) for one in further_factors([s])},
        tr("Room when tested"): e.room.words,
        tr("Margin in speed"): ""
        if e.margins.speed is None
        else f"{100 * (e.margins.speed - 1):.0f} %",
        tr("Time per metre"): "" if e.seconds_per_m is None else duration_text(e.seconds_per_m),
        tr("Time per 100 cm²"): ""
        if e.seconds_per_100cm2 is None
        else duration_text(e.seconds_per_100cm2),
        tr("Kerf X, Y"): tr(" and ").join(
            fixed_length_text(k, 3) for k in (entry.kerf_x_mm, entry.kerf_y_mm) if k is not None
        ),
        tr("Confirming burns"): str(len(entry.proofs)),
        tr("Written"): day_text(entry.written),
        tr("Notes"): entry.notes,
    }
    return {name: text for name, text in lines.items() if text or name == tr("Notes")}


def energy_sentence(catalogue: ShopCatalogue, left: Entry, right: Entry) -> str:
    """Return which of two settings puts more energy in, by how much, and what may be behind it."""
    machines = [catalogue.machine(entry.machine_uid) for entry in (left, right)]
    if None in machines or left.task != right.task:
        return ""
    energies = [
        machine.watts(entry.setting.power) * entry.setting.dose_per_watt
        for machine, entry in zip(machines, (left, right), strict=True)
        if machine is not None
    ]
    ratio = energies[1] / max(energies[0], 1e-12)
    if abs(ratio - 1) < SAME:
        return tr("Both put in the same energy.")
    if ratio > 1:
        more, share = ("right", ratio - 1)
    else:
        more, share = ("left", 1 / ratio - 1)
    causes = [
        words
        for differs, words in (
            (
                left.lot != right.lot,
                tr(
                    "another lot ({lot}, {lot2})",
                    lot=left.lot or "unnamed",
                    lot2=right.lot or "unnamed",
                ),
            ),
            (left.machine_uid != right.machine_uid, tr("another machine")),
            (
                left.machine_uid == right.machine_uid and left.machine_state != right.machine_state,
                tr("the machine before and after a change"),
            ),
            (left.stock_uid != right.stock_uid, tr("another stock")),
            (left.setting.focus_mm != right.setting.focus_mm, tr("another focus")),
            (left.setting.air != right.setting.air, tr("other air")),
        )
        if differs
    ]
    return tr("The {more} one puts in {share:.0f} % more energy", more=more, share=100 * share) + (
        f": {', '.join(causes)}." if causes else "."
    )


def same_stock(entries: Sequence[Entry], entry: Entry) -> tuple[Entry, ...]:
    """Return the other entries of the same task, those of the same stock or machine first."""
    others = [e for e in entries if e.uid != entry.uid and e.task == entry.task]
    return tuple(
        sorted(
            others,
            key=lambda e: (e.stock_uid != entry.stock_uid, e.machine_uid != entry.machine_uid),
        )
    )
