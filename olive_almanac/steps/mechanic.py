"""Practise: find what is wrong with a machine by its readings, in as few minutes as can be."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from typing import TYPE_CHECKING

from olive_almanac.core.records.service import Counters, ServiceAct
from olive_almanac.core.records.weekly import WeeklyCheck
from olive_almanac.core.upkeep.strength import strength_percent
from olive_almanac.core.words import tr
from olive_almanac.steps.catalogue import ShopCatalogue
from olive_almanac.steps.exercises import CO2, MECHANIC
from olive_almanac.steps.mirrors import corner_places_mm
from olive_almanac.steps.practise import Score
from olive_almanac.steps.time_line import TimeLine, time_line_of

if TYPE_CHECKING:
    from olive_almanac.core.upkeep.drift_told import MachineDrift
    from olive_almanac.steps.ports import Ailing

__all__ = ["ACTIONS", "FAULTS", "Mechanic"]

FAULTS = {
    "nothing": tr("nothing is wrong"),
    "spatter": tr("dirt came at once"),
    "film": tr("film has grown"),
    "source": tr("the source is worn"),
    "mirror": tr("a mirror is out of line"),
}
ACTIONS = {  # with the minutes that each takes
    "check": (tr("Burn the check again"), 5),
    "meter": (tr("Read the power meter"), 5),
    "clean": (tr("Clean lens and mirrors"), 20),
    "marks": (tr("Mark the mirrors on tape"), 15),
}
RIGHT, MOST_FOR_TIME, MINUTES_A_POINT = 60, 40, 2
CHECK_SD, BEAM_SHARE = 0.02, 0.6
FULL = 100.0


@dataclass(frozen=True)
class Verdict:
    """How it went: the score, and what there was to be seen."""

    score: Score
    says: str


class Mechanic:
    """One exercise under way: what was done so far, and what it showed."""

    def __init__(self, ailing: Ailing, today: date) -> None:
        self.ailing, self.today, self.machine = ailing, today, CO2
        self.minutes = 0
        self.said = tr("Half a year of weekly checks. What is wrong?")
        self._begin = today - timedelta(weeks=ailing.weeks)
        self._cleaned = list(ailing.cleanings())
        self._burnt_at: list[tuple[str, str]] = []
        self._checks: list[WeeklyCheck] = []
        self._acts: list[ServiceAct] = [self._act("lens", "clean", day) for day in self._cleaned]
        for week in range(ailing.weeks):
            self._read(7.0 * week)

    def do(self, action: str) -> None:
        """Do one thing: it takes its minutes and shows what it shows."""
        _, minutes = ACTIONS[action]
        self.minutes += minutes
        day = 7.0 * self.ailing.weeks + 0.02 * self.minutes
        if action == "check":
            self._read(day)
            self.said = tr(
                "The check reads {needs} %.", needs=strength_percent(self._checks[-1].needs)
            )
        elif action == "meter":
            watts = self.ailing.read_watts(day, self._cleaned)
            act = self._act("power", "check", day, watts)
            self._acts.append(act)
            self.said = tr(
                "The meter reads {watts:g} W of {optical_power_w:g}.",
                watts=act.watts,
                optical_power_w=self.machine.optical_power_w,
            )
        elif action == "clean":
            self._cleaned.append(day)
            self._acts.append(self._act("lens", "clean", day))
            self.said = tr(
                "Lens and mirrors are clean. Burn the check again to see whether it helped."
            )
        else:
            self.said = self._marks()

    def drift(self) -> MachineDrift | None:
        """Return what the program would tell, by the same readings."""
        from olive_almanac.core.upkeep.history import Used
        from olive_almanac.steps.drift import Counted, drift_of

        week = self.ailing.hours(7.0) - self.ailing.hours(0.0)
        a_week = Counters(week, BEAM_SHARE * week)
        used = tuple(Used(self._at(7.0 * n), a_week) for n in range(self.ailing.weeks))
        told, _ = drift_of(
            self.machine,
            self._catalogue(),
            (),
            Counted(used, tuple(self._burnt_at)),
            None,
            today=self.today,
            simulated=True,
        )
        return told

    def time_line(self) -> TimeLine:
        """Return the time line without what the program thinks."""
        told = self.drift()
        line = time_line_of(
            self.machine, self._catalogue(), told, self._acts, self.today, 7.0 * self.ailing.weeks
        )
        return replace(line, step=None, step_words="", ahead=(), limits=())

    def answer(self, fault: str, on: str) -> Verdict:
        """Return how it went: most for what is right, the rest for the minutes saved."""
        from olive_almanac.core.upkeep.drift_words import diagnosis_of

        right = fault == self.ailing.fault
        for_time = max(0, MOST_FOR_TIME - self.minutes // MINUTES_A_POINT) if right else 0
        points = RIGHT if right else 0
        program = diagnosis_of(self.drift(), self.machine.name, self.today)
        truth = FAULTS[self.ailing.fault]
        begin = tr("Right") if right else tr("No: you said that {faults}", faults=FAULTS[fault])
        says = tr(
            "{begin}. In truth {truth}. The program said: {says}. {why}",
            begin=begin,
            truth=truth,
            says=program.says,
            why=program.why,
        )
        score = Score(
            MECHANIC,
            on,
            points + for_time,
            points,
            for_time,
            0,
            0,
            None,
            None,
            None,
            None,
            None,
            0,
            0,
            60.0 * self.minutes,
            says=says,
        )
        return Verdict(score, says)

    def _catalogue(self) -> ShopCatalogue:
        return ShopCatalogue(
            machines=(self.machine,), checks=tuple(self._checks), acts=tuple(self._acts)
        )

    def _read(self, day: float) -> None:
        value = self.ailing.read_check(day, self._cleaned)
        on = self._begin + timedelta(days=int(day))
        uid, name = self.machine.uid, f"c{len(self._checks)}"
        check = WeeklyCheck(uid, 1, "practice", on.isoformat(), value, CHECK_SD, name)
        self._checks.append(check)
        self._burnt_at.append((name, self._at(day)))

    def _at(self, day: float) -> str:
        """The ISO time of a day of the record."""
        at = datetime.combine(self._begin, datetime.min.time()) + timedelta(days=day)
        return at.isoformat(timespec="seconds")

    def _act(self, part: str, kind: str, day: float, watts: float | None = None) -> ServiceAct:
        hours = self.ailing.hours(day)
        return ServiceAct(
            f"{part}-{day:.3f}",
            self.machine.uid,
            part,
            kind,  # type: ignore[arg-type]
            self._at(day),
            counters=Counters(hours, BEAM_SHARE * hours),
            watts=None if watts is None else round(watts, 1),
            at_percent=None if watts is None else FULL,
        )

    def _marks(self) -> str:
        from olive_almanac.core.upkeep.mirrors import fit_marks

        places = corner_places_mm(self.machine)
        marks = self.ailing.mark(places)
        told = ", ".join(f"{right:g}/{up:g}" for right, up in marks)
        found = fit_marks(places, marks, self.machine.bed_mm)
        return tr(
            "Marks, right/up, front left round: {told} mm. {says}", told=told, says=found.says
        )
