"""Where and with what: the machines of the shop side by side for a stock, what would be if one had
another head or lens, up to what thickness a machine goes, and which kind of machine to have.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from olive_almanac.core.beam.spot import finest_dpi, lens_aberration
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.entry import Subject
from olive_almanac.core.records.machine import SOURCES, Machine
from olive_almanac.core.records.reading import char_word
from olive_almanac.core.records.recipe import Recipe
from olive_almanac.core.records.setting import Task, rasters
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.units import (
    chance_text,
    duration_text,
    fixed_text,
    length_text,
    number_text,
    passes_text,
    percent_text,
    read_length_mm,
    read_number,
    speed_text,
)
from olive_almanac.core.upkeep.services import parts_of
from olive_almanac.core.words import tr
from olive_almanac.steps.catalogue import subject_state
from olive_almanac.steps.first_start import SOURCE_WATTS
from olive_almanac.steps.permission import group_of, permission_for, verdict_for
from olive_almanac.steps.set_up import machine_fields, machine_from

if TYPE_CHECKING:
    from olive_almanac.core.deciding.reach import StockReach
    from olive_almanac.core.deciding.where import Candidate, WhereRow
    from olive_almanac.steps.session import Session

__all__ = [
    "WHAT_IFS",
    "NeedRow",
    "WhatIf",
    "changed_machine",
    "keeping_words",
    "need_work",
    "reach_page",
    "reach_words",
    "reach_work",
    "row_numbers",
    "row_words",
    "typical_machine",
    "usual_task",
    "what_if_from",
    "where_lines",
    "where_work",
    "with_its_lenses",
]

WHAT_IFS = {
    "power": tr("another source, W"),
    "lens": tr("another lens, mm"),
    "thickness": tr("thickness, mm"),
}
USUAL_FOCAL_MM = 50.8  # where the machine's form does not say: two inches (common practice)
MOST_STOCKS = 12
UPKEEP = {
    "diode": tr("lens and window wiped after smoky jobs"),
    "co2": tr("lens and mirrors cleaned weekly, cooling water, alignment"),
    "fibre": tr("field lens kept clean; hardly anything wears"),
}
WALL_KW = {  # with cooling, air and exhaust (common practice, no source)
    "diode": 0.2,
    "co2": 1.3,
    "fibre": 0.6,
}


@dataclass(frozen=True)
class WhatIf:
    """Something about a machine or the stock that is not so yet: of which machine, what, and how
    much.
    """

    machine_uid: str
    kind: str
    value: float

    def words(self, machine: Machine) -> str:
        """Return it as one says it: "with 20 W"."""
        value = number_text(self.value, 4)
        return {
            "power": tr("with {value} W", value=value),
            "lens": tr("with a {value} mm lens", value=value),
            "own lens": tr("with its {value} mm lens", value=value),
            "thickness": tr("{value} mm thick", value=value),
        }[self.kind]


def what_if_from(machine: Machine, kind: str, text: str) -> WhatIf:
    """Return what was typed.  Raises OutOfRange."""
    if kind == "power":
        watts = read_number(text, tr("Power"), "W")
        if not 0.1 <= watts <= 5000:
            raise OutOfRange(tr("Power"), watts, tr("0.1 to 5000"), "W")
        return WhatIf(machine.uid, kind, watts)
    name = {"lens": tr("Focal length"), "thickness": tr("Thickness")}[kind]
    mm = read_length_mm(text, name)
    most = {"lens": 500.0, "thickness": 60.0}[kind]
    if not 0.1 <= mm <= most:
        raise OutOfRange(name, mm, tr("0.1 to {most:g}", most=most), "mm")
    return WhatIf(machine.uid, kind, mm)


# -- the machines side by side ---------------------------------------------------------------------


def where_lines(
    session: Session, stock: Stock, task: Task, what_ifs: Sequence[WhatIf] = ()
) -> tuple[Candidate, ...]:
    """Return a line for each machine, each lens in its drawer and each what-if, with all that is
    read of the library.
    """
    as_they_stand = [_candidate(session, one, stock, task) for one in session.catalogue.machines]
    by_machine = {one.machine.uid: one for one in as_they_stand}
    wished = (
        _varied(by_machine[wish.machine_uid], wish)
        for wish in what_ifs
        if wish.machine_uid in by_machine
    )
    return (*(line for one in as_they_stand for line in with_its_lenses(one)), *wished)


def where_work(session: Session, lines: Sequence[Candidate], task: Task) -> Iterator[WhereRow]:
    """Return the work that yields what is known of each line, for a worker."""
    kin = session.shop.kin.sds

    def run() -> Iterator[WhereRow]:
        from olive_almanac.core.deciding.where import where_row

        for line in lines:
            yield where_row(line, task, kin)

    return run()


def _candidate(session: Session, machine: Machine, stock: Stock, task: Task) -> Candidate:
    from olive_almanac.core.deciding.where import Candidate

    catalogue = session.catalogue
    permission = permission_for(machine, stock, task, catalogue.rules)
    entry = catalogue.entry_for(machine.uid, stock.uid, task)
    state, reason = subject_state(catalogue, machine, stock, task, session.today())
    recipe: Recipe | None = entry.recipe if entry is not None else None
    pairs: Any = ()
    if session.library is not None and task == "cut":
        trials = session.trials
        own = trials.read_of(machine, stock, task)
        pairs = [*trials.related_to(Subject(machine, stock, task)), *own]
    return Candidate(machine, stock, permission, entry, state, reason, pairs, recipe)


def with_its_lenses(candidate: Candidate) -> tuple[Candidate, ...]:
    """Return what a machine is as it stands and with each other lens of its drawer; alone where it
    may not work the stock.
    """
    machine = candidate.machine
    if not candidate.permission.allowed:
        return (candidate,)
    lenses = (WhatIf(machine.uid, "own lens", mm) for mm in machine.other_lenses_mm)
    return (candidate, *(_varied(candidate, one) for one in lenses))


def _varied(candidate: Candidate, wish: WhatIf) -> Candidate:
    from olive_almanac.core.deciding.reckon import with_thickness

    machine, stock = changed_machine(candidate.machine, wish), candidate.stock
    optics = lens_words(machine, stock) if "lens" in wish.kind else ""
    if wish.kind == "thickness":
        stock = with_thickness(stock, wish.value)
    return replace(
        candidate,
        machine=machine,
        stock=stock,
        what_if=wish.words(machine),
        to_hand=wish.kind == "own lens",
        optics=optics,
    )


def changed_machine(machine: Machine, wish: WhatIf) -> Machine:
    """Return a machine with another source or lens; as it is where the stock would be another."""
    from olive_almanac.core.deciding.reckon import with_lens, with_power

    if wish.kind == "power":
        return with_power(machine, wish.value)
    if "lens" in wish.kind:
        return with_lens(machine, wish.value / (machine.lens_focal_mm or USUAL_FOCAL_MM))
    return machine


def lens_words(machine: Machine, stock: Stock) -> str:
    """Return what a lens gives: spot, depth of focus, lines per inch, what a CO2 lens alone blurs,
    and whether the stock is thicker than it is sharp.
    """
    spot, depth = machine.spot_longer_mm, machine.depth_of_focus_mm
    told = tr("spot {spot} mm, depth {depth} mm", spot=number_text(spot), depth=number_text(depth))
    if stock.true_thickness_mm > depth:
        told = tr("thicker than it is sharp; {told}", told=told)
    told += f", {finest_dpi(spot):.0f} dpi"
    if machine.source == "co2" and machine.lens_focal_mm and machine.beam_at_lens_mm:
        blur = lens_aberration(
            focal_length_mm=machine.lens_focal_mm, beam_mm=machine.beam_at_lens_mm
        )
        told += tr(", blur {blur} mm", blur=number_text(blur, 2))
    return told


def usual_task(stock: Stock) -> Task:
    """Return what a stock is mostly wanted for: cut where some kind of source can, else engrave."""
    for source in SOURCES:
        verdict = verdict_for(typical_machine(source), stock, "cut")
        if verdict is not None and verdict.works:
            return "cut"
    return "engrave"


def row_words(row: WhereRow) -> str:
    """Return what is said beside a row's state: its doubt, its optics, or why it cannot."""
    if not row.works:
        return row.reason
    told = [row.reason] if row.state in ("due", "reckoned") else []
    if row.optics:
        told.append(row.optics)
    if row.stall > 0.1:
        told.append(tr("may stall ({stall:.0f} %)", stall=100 * row.stall))
    return "; ".join(told)


def row_numbers(row: WhereRow, task: Task, unit: str, currency: str) -> dict[str, str]:
    """Return the columns of a row: setting, time, cost, edge, margin, chance."""
    setting = row.setting
    if setting is None or row.seconds is None:
        return {}
    low, high = row.range_s
    power = f"{percent_text(setting.power)} %"
    numbers = {
        "setting": f"{power}, {speed_text(setting.speed_mm_s, unit)}, "
        f"{passes_text(setting.passes)}",
        "time": duration_text(row.seconds),
        "range": tr("{low} to {high}", low=duration_text(low), high=duration_text(high)),
        "cost": "" if row.cost is None else f"{fixed_text(row.cost, 2)} {currency}",
        "edge": "" if row.grade is None else char_word(row.grade),
        "margin": "" if row.margin is None else f"{100 * (row.margin - 1):.0f} %",
        "chance": "" if row.chance is None else chance_text(row.chance),
    }
    if rasters(task):
        numbers["edge"] = ""
    return numbers


# -- up to what thickness --------------------------------------------------------------------------


def reach_work(session: Session, machine: Machine) -> Iterator[StockReach]:
    """Return the work that yields, stock by stock, what a machine gets through, for a worker; of
    each family and name one stock stands for all its thicknesses.
    """
    chosen: dict[tuple[str, str, str], Stock] = {}
    for stock in session.catalogue.stocks:
        if permission_for(machine, stock, "cut", session.catalogue.rules).allowed:
            chosen.setdefault((stock.family, stock.name, stock.colour), stock)
    stocks = sorted(chosen.values(), key=lambda one: (group_of(one), one.name))[:MOST_STOCKS]
    trials, kin = session.trials, session.shop.kin.sds
    grounds = []
    for stock in stocks:
        own = trials.read_of(machine, stock, "cut")
        grounds.append((stock, [*trials.related_to(Subject(machine, stock, "cut")), *own]))

    def run() -> Iterator[StockReach]:
        from olive_almanac.core.deciding.reach import StockReach, reach_of

        for stock, pairs in grounds:
            yield StockReach(stock, tuple(reach_of(machine, stock, pairs, kin)))

    return run()


def reach_words(reach: StockReach) -> str:
    """Return the reach of a stock in a sentence: "6 mm: 3 passes, brown; 9 mm: no"."""
    goes = [one for one in reach.points if one.goes]
    if not goes:
        return tr("does not get through any thickness")
    last = goes[-1]
    setting = last.setting
    assert setting is not None
    edge = char_word(last.found.grade)
    told = tr(
        "{thickness_mm} mm: {passes}, {seconds_per_m} a metre, {edge}",
        thickness_mm=number_text(last.thickness_mm),
        passes=passes_text(setting.passes),
        seconds_per_m=duration_text(last.found.seconds_per_m),
        edge=edge,
    )
    beyond = [one for one in reach.points if not one.goes and one.thickness_mm > last.thickness_mm]
    if beyond:
        why = tr("no") if beyond[0].hopeless or beyond[0].setting is not None else tr("hardly")
        told += f"; {length_text(beyond[0].thickness_mm)}: {why}"
    return told


def reach_page(machine: Machine, reaches: Sequence[StockReach], day: str) -> bytes:
    """Return the page to hang beside a machine as PDF."""
    from olive_almanac.formats.reach_pdf import ReachLine, ReachMark, write_reach

    lines = []
    for reach in reaches:
        marks = []
        for one in reach.points:
            passes = f"× {one.setting.passes}" if one.goes and one.setting is not None else ""
            marks.append(ReachMark(one.thickness_mm, passes))
        lines.append(ReachLine(reach.stock.name, tuple(marks), reach_words(reach)))
    return write_reach(machine, lines, day=day)


# -- which kind of machine -------------------------------------------------------------------------


@dataclass(frozen=True)
class NeedRow:
    """A family and thickness on each kind of source: by source a verdict in words, and the seconds
    of a metre with their 80 % range where it can cut it.
    """

    family: str
    word: str
    thickness_mm: float
    task: Task
    verdicts: Mapping[str, str]
    works: Mapping[str, bool]


def typical_machine(source: str) -> Machine:
    """Return a usual machine of a kind of source, as the form fills it in."""
    usual = {field.key: field.text for field in machine_fields(None, source)}
    named = {"name": SOURCES[source][0], "optical_power_w": SOURCE_WATTS[source]}
    return machine_from({**usual, **named}, None, lambda: f"usual-{source}")


def keeping_words(session: Session, source: str) -> tuple[str, str]:
    """Return what a kind of source needs of care, and what it takes to run: electric power, how
    long the source lasts, and what an hour costs where the shop has one.
    """
    lasting = next(
        part
        for part in parts_of(typical_machine(source))
        if part.act == "replace" and part.interval.beam_hours
    )
    told = tr(
        "about {wall_kw} kW at the wall; {lasting} for {beam_hours:,.0f} h of beam",
        wall_kw=number_text(WALL_KW[source]),
        lasting=lasting.words,
        beam_hours=lasting.interval.beam_hours,
    )
    rates = [one for one in session.catalogue.machines if one.source == source and one.rate]
    if rates:
        currency = session.preferences.currency
        told += tr(
            "; {name}: {rate:.2f} {currency} an hour",
            name=rates[0].name,
            rate=rates[0].rate,
            currency=currency,
        )
    return UPKEEP[source], told


def need_work(wishes: Sequence[tuple[str, str, float, Task]]) -> Iterator[NeedRow]:
    """Return the work that yields, for each family (id, word), thickness and task, what the three
    kinds of source do with it, for a worker.
    """

    def run() -> Iterator[NeedRow]:
        machines = {source: typical_machine(source) for source in SOURCES}
        for family, word, thickness, task in wishes:
            stock = Stock(word, family, thickness)
            told: dict[str, str] = {}
            works: dict[str, bool] = {}
            for source, machine in machines.items():
                told[source], works[source] = _need(machine, stock, task)
            yield NeedRow(family, word, thickness, task, told, works)

    return run()


def _need(machine: Machine, stock: Stock, task: Task) -> tuple[str, bool]:
    from olive_almanac.core.deciding.where import Candidate, where_row

    permission = permission_for(machine, stock, task, {stock.family: True})
    if not permission.allowed:
        return permission.reason, False
    row = where_row(Candidate(machine, stock, permission), task)
    if not row.works or row.setting is None:
        return row.reason, False
    low, high = row.range_s
    verdict = verdict_for(machine, stock, task)
    per = "100 cm²" if rasters(task) else tr("a metre")
    told = tr("{low} to {high} {per}", low=duration_text(low), high=duration_text(high), per=per)
    if task == "cut":
        told += f", {passes_text(row.setting.passes)}"
    if verdict is not None and verdict.words:
        told += f"; {verdict.phrase}"
    return told, True
