"""The Shop station: a machine's counters, what of it is due, and what was done to it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from typing import TYPE_CHECKING, Protocol

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.records.hour import HourCosts
from olive_almanac.core.records.machine import Machine, with_new_state
from olive_almanac.core.records.service import ACTS, ActKind, Counters, Interval, ServiceAct
from olive_almanac.core.units import read_large_number, read_number
from olive_almanac.core.upkeep.due import Due, counters_of, services_of, water_trouble
from olive_almanac.core.upkeep.services import NEW_STATE
from olive_almanac.core.words import tr
from olive_almanac.steps.hour_costs import costs_of, services_an_hour, with_costs
from olive_almanac.steps.time_line import TimeLine, time_line_of, weakest_words

if TYPE_CHECKING:
    from olive_almanac.core.upkeep.drift_told import Optics
    from olive_almanac.core.upkeep.drift_words import Diagnosis
    from olive_almanac.steps.session import Session

__all__ = [
    "INTERVAL_FIELDS",
    "ShowsUpkeep",
    "UpkeepPresenter",
    "UpkeepScreen",
    "acts_of",
    "check_water",
    "due_now",
    "new_act",
    "parts_on",
]

HOURS = "hours"  # the part of a correction: no part, the machine as a whole
SAME_MINUTES = 10
INTERVAL_FIELDS: dict[str, str] = {
    "hours": tr("hours on"),
    "days": tr("days"),
    "beam_hours": tr("beam hours"),
    "grams": tr("g of smoke"),
}
LOGGED = 12


@dataclass(frozen=True)
class UpkeepScreen:
    """What the page shows: the machine, its counters, its parts, the part in hand and its log."""

    machine: Machine | None
    machines: tuple[Machine, ...]
    counters: Counters
    parts: tuple[Due, ...]
    held: Due | None
    log: tuple[ServiceAct, ...]
    problem: str = ""
    water: str = ""  # why the cooling water forbids burning
    diagnosis: Diagnosis | None = None  # None while it is being followed
    others: tuple[tuple[str, str], ...] = ()  # the other machines (uid), how they are in words
    line: TimeLine | None = None
    span: str = "182"  # days of it that are shown


class ShowsUpkeep(Protocol):
    def show_upkeep(self, screen: UpkeepScreen) -> None: ...


def _used_of(session: Session, machine: Machine) -> tuple[Counters, ...]:
    """What the runs of a machine used: its trials, and the jobs that were told."""
    counted = session.shop.watch.counted.get(machine.uid)
    told = [
        one.used
        for job in session.catalogue.jobs
        if job.machine_uid == machine.uid
        for one in job.outcomes
        if one.used is not None
    ]
    return (*((counted.total,) if counted is not None else ()), *told)


def acts_of(session: Session, machine: Machine) -> list[ServiceAct]:
    """Return what was done to a machine, the oldest first."""
    return session.catalogue.acts_of(machine.uid)


def parts_on(session: Session, machine: Machine, now: datetime) -> tuple[Due, ...]:
    """Return every part of a machine, what is most risky to leave first."""
    acts = acts_of(session, machine)
    counters = counters_of(_used_of(session, machine), acts)
    return services_of(machine, acts, counters, now, _optics_of(session, machine))


def _optics_of(session: Session, machine: Machine) -> Optics | None:
    """How the optics are by the readings, where the machine is followed well enough."""
    drift = session.shop.watch.told.get(machine.uid)
    return drift.optics if drift is not None and drift.level != "unknown" else None


def due_now(session: Session) -> int:
    """Return how many parts of the subject's machine are due, of the first machine without one."""
    machines = session.catalogue.machines
    machine = session.subject.machine or (machines[0] if machines else None)
    if machine is None:
        return 0
    now = datetime.combine(session.today(), datetime.max.time())
    return sum(due.is_now for due in parts_on(session, machine, now))


def new_act(
    session: Session, machine: Machine, part: str, kind: ActKind, now: datetime
) -> ServiceAct:
    """Return an act of service of now with the machine's counters."""
    counters = counters_of(_used_of(session, machine), acts_of(session, machine))
    at = now.isoformat(timespec="seconds")
    return ServiceAct(session.new_id(), machine.uid, part, kind, at, "", counters)


def check_water(session: Session, machine: Machine) -> None:
    """Raise AlmanacError where the cooling water of a machine forbids burning on it."""
    trouble = water_trouble(acts_of(session, machine))
    if trouble:
        raise AlmanacError(
            tr(
                "It is not burnt: {trouble}. See to it and read it again in Shop (Alt+8), or "
                "decide there to burn all the same.",
                trouble=trouble,
            )
        )


class UpkeepPresenter:
    """Holds which machine and which part are in hand."""

    def __init__(
        self,
        session: Session,
        view: ShowsUpkeep,
        now: Callable[[], datetime],
        new_id: Callable[[], str],
    ) -> None:
        self.session, self.view = session, view
        self._now, self._new_id = now, new_id
        self._machine = ""
        self._part = ""
        self._span = "182"
        self.problem = ""

    @property
    def machine(self) -> Machine | None:
        """The machine in hand: the one that was picked, the subject's, else the first."""
        catalogue = self.session.catalogue
        picked = catalogue.machine(self._machine) or self.session.subject.machine
        return picked or (catalogue.machines[0] if catalogue.machines else None)

    def choose_machine(self, uid: str) -> None:
        """Show another machine."""
        self._machine, self._part = uid, ""
        self.show()

    def choose_part(self, part: str) -> None:
        """Take a part in hand."""
        self._part = part
        self.show()

    def choose_span(self, days: str) -> None:
        """Show more or less of the time line."""
        self._span = days
        self.show()

    def _diagnosis(self, machine: Machine) -> Diagnosis | None:
        watch = self.session.shop.watch
        if machine.uid not in watch.counted:
            return None
        from olive_almanac.core.upkeep.drift_words import diagnosis_of  # loads NumPy

        drift = watch.told.get(machine.uid)
        weakest = weakest_words(drift, self.session.catalogue)
        return diagnosis_of(drift, machine.name, self.session.today(), weakest)

    def _others(self, machine: Machine) -> tuple[tuple[str, str], ...]:
        """The other machines, how each is in a few words; none while they are being followed."""
        from olive_almanac.core.upkeep.drift_words import short_of

        watch, machines = self.session.shop.watch, self.session.catalogue.machines
        return tuple(
            (one.uid, f"{one.name}: {short_of(watch.told.get(one.uid))}")
            for one in machines
            if one.uid != machine.uid and one.uid in watch.counted
        )

    def _line(self, machine: Machine, acts: list[ServiceAct]) -> TimeLine | None:
        session = self.session
        if machine.uid not in session.shop.watch.counted:
            return None
        drift = session.shop.watch.told.get(machine.uid)
        span = float(self._span)
        return time_line_of(machine, session.catalogue, drift, acts, session.today(), span)

    def show(self) -> None:
        machine = self.machine
        machines = self.session.catalogue.machines
        if machine is None:
            self.view.show_upkeep(UpkeepScreen(None, machines, Counters(), (), None, ()))
            return
        acts = acts_of(self.session, machine)
        counters = counters_of(_used_of(self.session, machine), acts)
        parts = parts_on(self.session, machine, self._now())
        held = next((due for due in parts if due.part.id == self._part), None)
        held = held or (parts[0] if parts else None)
        part = held.part.id if held is not None else ""
        corrected = [act for act in acts if act.part == HOURS][-1:]
        log = [act for act in acts if act.part == part or act in corrected][: -LOGGED - 1 : -1]
        self.view.show_upkeep(
            UpkeepScreen(
                machine,
                machines,
                counters,
                parts,
                held,
                tuple(log),
                self.problem,
                water_trouble(acts),
                self._diagnosis(machine),
                self._others(machine),
                self._line(machine, acts),
                self._span,
            )
        )
        self.problem = ""

    # -- acts --------------------------------------------------------------------------------------

    def note(self, part: str, found: str, texts: Mapping[str, str]) -> bool:
        """Keep that a part was served: minutes, cost, water and a note as they were typed.

        Returns whether it was kept; what is wrong is told, and so is an act that was noted just
        now.
        """
        machine, due = self.machine, self._due(part)
        if machine is None or due is None:
            return False
        last = due.last
        if last is not None and self._minutes_since(last) < SAME_MINUTES:
            by = tr(" by {by}", by=last.by) if last.by else ""
            minutes = round(self._minutes_since(last))
            return self._tell(
                tr(
                    "{part}: {acts} {minutes} min ago{by} already.",
                    part=due.part.words,
                    acts=ACTS[last.kind],
                    minutes=minutes,
                    by=by,
                )
            )

        def number(key: str, words: str) -> float | None:
            text = texts.get(key, "").strip()
            return read_number(text, words) if text else None

        def act() -> ServiceAct:
            return replace(
                self.make_act(machine, part, due.part.act),
                found=found,
                minutes=number("minutes", tr("Minutes")) or 0.0,
                parts_cost=number("cost", tr("Cost of parts")) or 0.0,
                celsius=number("celsius", tr("Temperature")),
                flow_l_min=number("flow", tr("Flow")),
                watts=number("watts", tr("Power")),
                at_percent=number("at_percent", tr("Power of the reading")),
                note=texts.get("note", "").strip(),
            )

        if part == "power" and not texts.get("watts", "").strip():
            return self._tell(tr("Type what the power meter read, in W, and at how much power."))
        kept = self._keep(act, f"{due.part.words} {ACTS[due.part.act]}")
        what = NEW_STATE.get((part, due.part.act))
        if kept and what is not None:
            self._begin_state(machine, what, texts.get("note", "").strip())
        return kept

    def _begin_state(self, machine: Machine, what: str, reason: str) -> None:
        """Begin a new machine state: what was proven under the old one does not hold by itself."""
        session = self.session
        changed = with_new_state(machine, session.today().isoformat(), what, reason)
        session.attempt(lambda: session.shop.change_machine(changed, changed.state_reason))
        self.show()

    def override(self, reason: str) -> bool:
        """Keep that it is burnt though the water forbids it, with the reason."""
        machine = self.machine
        if machine is None:
            return False
        if not reason.strip():
            return self._tell(tr("Say in the note why it is burnt all the same: it is kept."))

        def act() -> ServiceAct:
            return replace(self.make_act(machine, "water", "override"), note=reason.strip())

        return self._keep(act, tr("burnt all the same"))

    def correct(self, hours: str, reason: str) -> bool:
        """Add signed hours to the counter of hours on, with the reason."""
        machine = self.machine
        if machine is None:
            return False

        def act() -> ServiceAct:
            added = Counters(on_h=read_large_number(hours, tr("Hours")))
            return replace(
                self.make_act(machine, HOURS, "correct"), added=added, note=reason.strip()
            )

        return self._keep(act, tr("hours corrected"))

    def set_interval(self, part: str, texts: Mapping[str, str]) -> bool:
        """Give a part another interval; what is left empty does not count."""
        machine, due = self.machine, self._due(part)
        if machine is None or due is None:
            return False

        def act() -> ServiceAct:
            values = {
                key: read_large_number(texts[key], words) if texts.get(key, "").strip() else 0.0
                for key, words in INTERVAL_FIELDS.items()
            }
            return replace(self.make_act(machine, part, "interval"), interval=Interval(**values))

        return self._keep(act, tr("interval of {part}", part=due.part.words))

    def costs_typed(self, texts: Mapping[str, str]) -> HourCosts:
        """Return what an hour costs as it is typed, with the services that were noted.  Raises
        OutOfRange.
        """
        machine = self.machine
        if machine is None:
            return HourCosts()
        acts = acts_of(self.session, machine)
        text = texts.get("wage", "").strip()
        wage = read_large_number(text, tr("Wage")) if text else 0.0
        service_h = services_an_hour(parts_on(self.session, machine, self._now()), acts, wage)
        if not text and machine.costs is not None:
            service_h = machine.costs.service_h  # as it was reckoned before
        return costs_of(texts, service_h)

    def keep_costs(self, texts: Mapping[str, str]) -> bool:
        """Keep what an hour of the machine costs."""
        machine = self.machine
        if machine is None:
            return False
        changed = with_costs(machine, self.costs_typed(texts))
        shop = self.session.shop
        kept = self.session.attempt(lambda: shop.change_machine(changed, tr("costs of an hour")))
        self.show()
        return kept

    def take_back(self, uid: str) -> None:
        """Take an act away that was noted by mistake; the library keeps that it was there."""
        catalogue = self.session.catalogue

        def remove() -> None:
            self.session.store.remove("act", uid, tr("taken back"))
            kept = tuple(act for act in catalogue.acts if act.uid != uid)
            self.session.shop.show(replace(catalogue, acts=kept))

        if self.session.attempt(remove):
            self.show()

    def _due(self, part: str) -> Due | None:
        machine = self.machine
        if machine is None:
            return None
        every = parts_on(self.session, machine, self._now())
        return next((due for due in every if due.part.id == part), None)

    def _minutes_since(self, act: ServiceAct) -> float:
        then = datetime.fromisoformat(act.at).astimezone()
        return abs((self._now().astimezone() - then).total_seconds()) / 60

    def make_act(self, machine: Machine, part: str, kind: ActKind) -> ServiceAct:
        """Return an act of now with the machine's counters."""
        return new_act(self.session, machine, part, kind, self._now())

    def _keep(self, make: Callable[[], ServiceAct], why: str) -> bool:
        try:
            act = make()
        except AlmanacError as problem:
            return self._tell(str(problem))
        kept = self.session.attempt(lambda: self.session.shop.keep_act(act, why))
        self.show()
        return kept

    def _tell(self, problem: str) -> bool:
        self.problem = problem
        self.show()
        return False
