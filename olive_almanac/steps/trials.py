"""The trials as state: which is active, what is kept of it, and which others bear on it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import timedelta
from typing import TYPE_CHECKING

from olive_almanac.core.design.kinds.kind import kind_of
from olive_almanac.core.errors import LibraryTrouble
from olive_almanac.core.fitting.transfer import transfer_between
from olive_almanac.core.records.entry import Entry, Room, Subject
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.recipe import key_of
from olive_almanac.core.records.run import RunRecord
from olive_almanac.core.records.setting import Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.records.weekly import WeeklyCheck
from olive_almanac.core.words import tr
from olive_almanac.steps.active import ActiveTrial, Coupons, used_on_sheet
from olive_almanac.steps.ports import Library
from olive_almanac.steps.signal import Signal

if TYPE_CHECKING:
    from olive_almanac.steps.session import Session

__all__ = ["KeptTrial", "Ticks", "Trials", "checks_of", "counted"]


@dataclass(frozen=True)
class Ticks:
    """Lines of the checklist: when each was ticked, and for which number."""

    at: dict[str, str] = field(default_factory=dict)
    numbers: dict[str, str] = field(default_factory=dict)


KeptTrial = tuple[Trial, str, str]  # with its stage and when it was written
MOST_APART = 0.35  # sd of ln energy up to which another subject's coupons are looked at
MOST_RELATED = 4
MOST_TESTS = 8
MOST_CHECKS = 160  # of a machine: three years of weeks


def counted(library: Library, readings: Sequence[Reading]) -> tuple[Reading, ...]:
    """Return the readings that are evidence: all in a playground, else those of real burns."""
    if library.playground:
        return tuple(readings)
    return tuple(one for one in readings if not one.simulated)


def checks_of(library: Library, trials: Sequence[KeptTrial]) -> tuple[WeeklyCheck, ...]:
    """Return what the weekly checks found that are read to the end; of each machine the newest."""
    weekly: dict[str, list[Trial]] = {}
    for trial, stage, _ in trials:
        if kind_of(trial.kind).weekly and stage in ("decide", "book"):
            weekly.setdefault(trial.machine.uid, []).append(trial)
    if not weekly:
        return ()
    from olive_almanac.core.deciding.weekly import follow_checks  # start-up: loads NumPy

    newest = [
        trial
        for mine in weekly.values()
        for trial in sorted(mine, key=lambda one: one.made)[-MOST_CHECKS:]
    ]
    return follow_checks([(one, counted(library, library.readings(one.id))) for one in newest])


class Trials:
    """Holds the active trial and writes what is learnt of it.

    Signals:
        changed: another trial is active, or more is known of it.
    """

    def __init__(self, session: Session) -> None:
        self._session = session
        self.active: ActiveTrial | None = None
        self.changed = Signal()
        self.kept: tuple[KeptTrial, ...] = ()
        self._ticks = Ticks()
        self._room = Room()

    # -- which trials there are --------------------------------------------------------------------

    @property
    def every(self) -> tuple[Trial, ...]:
        """Every trial of the library, the oldest change first."""
        return tuple(trial for trial, _, _ in self.kept)

    def next_number(self) -> int:
        return 1 + len(self.kept)

    def of_subject(self, machine: Machine, stock: Stock) -> list[tuple[Trial, str]]:
        """Return the trials of a machine and stock for the present task, with their stages."""
        wanted = (machine.uid, stock.uid, self._session.subject.task)
        return [
            (trial, stage)
            for trial, stage, _ in self.kept
            if (trial.machine.uid, trial.stock.uid, trial.task) == wanted
        ]

    def _of_present_subject(self) -> list[tuple[Trial, str]]:
        machine, stock = self._session.subject.machine, self._session.subject.stock
        if machine is None or stock is None:
            return []
        return self.of_subject(machine, stock)

    def last_of_kind(self, kind: str) -> Trial | None:
        """Return the newest trial of the subject of that kind, or None."""
        found = [trial for trial, _ in self._of_present_subject() if trial.kind == kind]
        if found:
            return found[-1]
        return None

    def _read(self, trials: Sequence[Trial]) -> Coupons:
        """Trials with their readings; those without any are left out."""
        store = self._session.store
        pairs = ((trial, counted(store, store.readings(trial.id))) for trial in trials)
        return tuple((trial, readings) for trial, readings in pairs if readings)

    def related_to(self, subject: Trial | Subject) -> Coupons:
        """Return the read coupons that bear most on a subject and are not its own, the nearest
        first and few.
        """
        machine, stock = subject.machine, subject.stock
        if machine is None or stock is None:
            return ()
        near: list[tuple[float, Trial]] = []
        for trial in self.every:
            if trial.task != subject.task or not kind_of(trial.kind).teaches_setting:
                continue
            relation = transfer_between(machine, stock, trial.machine, trial.stock)
            if relation.words and relation.energy_sd <= MOST_APART:
                near.append((relation.energy_sd, trial))
        nearest = sorted(near, key=lambda one: one[0])[:MOST_RELATED]
        return self._read([trial for _, trial in nearest])

    def read_of(self, machine: Machine, stock: Stock, task: Task) -> Coupons:
        """Return the read coupons of a machine, stock and task that teach a setting."""
        wanted = (machine.uid, stock.uid, task)
        return self._read(
            [
                trial
                for trial in self.every
                if (trial.machine.uid, trial.stock.uid, trial.task) == wanted
                and kind_of(trial.kind).teaches_setting
            ]
        )

    def behind(self, entry: Entry) -> Coupons:
        """Return the coupons with their readings on which an entry rests, as far as they teach a
        setting.
        """
        wanted = set(entry.evidence.trial_ids)
        return self._read(
            [
                trial
                for trial in self.every
                if trial.id in wanted and kind_of(trial.kind).teaches_setting
            ]
        )

    def burnt_today(self, task: Task) -> Coupons:
        """Return the read coupons of the machine, in its present state, and the stock, of its
        present lot, for a task, that were burnt today.
        """
        machine, stock = self._session.subject.machine, self._session.subject.stock
        if machine is None or stock is None or self._session.library is None:
            return ()
        today, store = self._session.today(), self._session.store
        lately = (today - timedelta(days=1)).isoformat()  # written in whichever zone
        wanted = (machine.uid, machine.state, stock.uid, stock.lot, task)
        here = []
        for trial, _, at in self.kept:
            what = (trial.machine.uid, trial.machine.state, trial.stock.uid, trial.stock.lot)
            if at >= lately and (*what, trial.task) == wanted:
                run = store.run_of(trial.id)
                if run is not None and run.started[:10] == today.isoformat():
                    here.append(trial)
        return self._read(here)

    def weekly_checks(self) -> Coupons:
        """Return the read weekly coupons of the subject, in the machine's present state."""
        machine = self._session.subject.machine
        if machine is None or self._session.library is None:
            return ()
        weekly = [
            trial
            for trial, _ in self._of_present_subject()
            if kind_of(trial.kind).weekly and trial.machine.state == machine.state
        ]
        return self._read(weekly)

    def focus_heights_mm(self) -> tuple[float, ...]:
        """Return the heights that the focus tests of this machine, in its present state, found."""
        machine = self._session.subject.machine
        if machine is None or self._session.library is None:
            return ()
        tests = [
            trial
            for trial in self.every
            if kind_of(trial.kind).asks == "focus"
            and (trial.machine.uid, trial.machine.state) == (machine.uid, machine.state)
        ]
        if len(tests) < 2:
            return ()
        from olive_almanac.core.deciding.focus import decide_focus  # start-up: loads SciPy

        store = self._session.store
        found = (
            decide_focus(trial, counted(store, store.readings(trial.id)))
            for trial in tests[-MOST_TESTS:]
        )
        return tuple(one.fit.focus_mm for one in found if one.decided and one.fit is not None)

    def _earlier(self, trial: Trial) -> Coupons:
        """Return the coupons read before this one that bear on the same subject, lot and machine
        state.
        """
        same = (trial.stock.lot, trial.machine.state)
        return self._read(
            [
                other
                for other, _ in self.of_subject(trial.machine, trial.stock)
                if other.id != trial.id and (other.stock.lot, other.machine.state) == same
            ]
        )

    # -- which is active ---------------------------------------------------------------------------

    def show(self, active: ActiveTrial | None) -> None:
        """Take what is known of the active trial now, without telling anybody."""
        self.active = active

    def activate_newest(self) -> None:
        """Make the newest trial of the subject the active one, or none."""
        found = self._of_present_subject()
        self.active = None
        if found:
            self.active = self._active(*found[-1])

    def _active(self, trial: Trial, stage: str) -> ActiveTrial:
        store = self._session.store
        return ActiveTrial(
            trial,
            stage,
            {reading.cell: reading for reading in store.readings(trial.id)},
            store.run_of(trial.id) or RunRecord(),
            self._earlier(trial),
            self.related_to(trial),
            {
                who: {one.cell: one for one in readings}
                for who, readings in store.other_readings(trial.id).items()
            },
        )

    def open(self, trial_id: str) -> bool:
        """Make a trial active by its id, with its machine, stock and task as the subject; False
        where none is known.
        """
        found = next(
            ((trial, stage) for trial, stage, _ in self.kept if trial.id == trial_id), None
        )
        if found is None:
            return False
        trial, stage = found
        self._session.choose(machine=trial.machine.uid, stock=trial.stock.uid, task=trial.task)
        if self._session.attempt(lambda: self.show(self._active(trial, stage))):
            self.changed.emit()
        return True

    def evidence_of(self, entry: Entry) -> ActiveTrial | None:
        """Return the trial behind an entry with its readings and run, or None while it cannot be
        had.
        """
        library = self._session.library
        if library is None or not entry.evidence.trial_ids:
            return None
        newest = entry.evidence.trial_ids[-1]
        trial = next((one for one in self.every if one.id == newest), None)
        if trial is None:
            return None
        try:
            readings = {reading.cell: reading for reading in library.readings(trial.id)}
            return ActiveTrial(trial, "book", readings, library.run_of(trial.id) or RunRecord())
        except LibraryTrouble as problem:
            self._session.tell(str(problem))
            return None

    # -- what is kept ------------------------------------------------------------------------------

    def keep(self, trial: Trial, stage: str, why: str) -> None:
        """Write a trial or its next stage into the library; where it is about the present subject
        it becomes the active one.
        """
        kept = (trial, stage, self._session.store.save_trial(trial, stage, why))
        others = [one for one in self.kept if one[0].id != trial.id]
        self.kept = tuple(sorted([*others, kept], key=lambda one: one[2]))
        subject = self._session.subject
        if self.active is not None and self.active.trial.id == trial.id:
            self.active = replace(self.active, trial=trial, stage=stage)
        else:
            fresh = ActiveTrial(trial, stage)
            if not fresh.is_of(subject.machine, subject.stock, subject.task):
                return
            self.active = replace(
                fresh, earlier=self._earlier(trial), related=self.related_to(trial)
            )
        self.changed.emit()
        self._follow_checks(trial)

    def _follow_checks(self, trial: Trial) -> None:
        """Look again at what the weekly checks say after one of them was read."""
        read = self.active is not None and self.active.stage != "read"
        if read and kind_of(trial.kind).weekly:
            self._session.shop.take_checks(checks_of(self._session.store, self.kept))

    def _count_proofs(self) -> None:
        """Count what a confirm run has shown so far with the entry that it confirms."""
        active, session = self._known(), self._session
        trial = active.trial
        if kind_of(trial.kind).asks != "confirm":
            return
        entry = session.catalogue.entry_for(trial.machine.uid, trial.stock.uid, trial.task)
        if entry is None or not entry.setting.burns_like(trial.cells[0].setting):
            return
        if key_of(entry.recipe) != key_of(trial.recipe):
            return
        from olive_almanac.core.deciding.confirm import decide_confirm  # start-up: read seldom

        found = decide_confirm(trial, counted(session.store, tuple(active.readings.values())))
        lot, state = trial.stock.lot, trial.machine.state
        recipe = key_of(trial.recipe)
        burns = found.proofs(session.today().isoformat(), lot, state, recipe)
        changed = entry.with_run(trial.id, burns)
        if burns:
            changed = replace(changed, lot=lot, machine_state=state)
        if changed != entry:
            session.shop.count_proofs(
                changed, tr("{trial} read: {says}", trial=trial.name, says=found.says)
            )

    def _known(self) -> ActiveTrial:
        assert self.active is not None
        return self.active

    def keep_run(self, run: RunRecord, why: str) -> None:
        """Write what is known of the active trial's run."""
        active = self._known()
        written = self._session.store.save_run(active.trial.id, run, why)
        self.active = replace(active, run=written)

    @property
    def to_burn(self) -> ActiveTrial | None:
        """The active trial while it is still to be burnt."""
        if self.active is not None and self.active.stage == "burn":
            return self.active
        return None

    @property
    def ticks(self) -> Ticks:
        """What was ticked on the checklist, valid or not: kept with the trial that is to be burnt,
        or here until there is one.
        """
        active = self.to_burn
        if active is not None and active.run.ticks is not None:
            return Ticks(dict(active.run.ticks), dict(active.run.ticked_for))
        return self._ticks

    def keep_ticks(self, ticks: Ticks) -> None:
        """Keep what is ticked now."""
        active = self.to_burn
        if active is None:
            self._ticks = ticks
        else:
            run = replace(active.run, ticks=ticks.at, ticked_for=ticks.numbers)
            self.keep_run(run, "checklist")
        self.changed.emit()

    def begin_run(self) -> None:
        """Ticks belong to one run: the next coupon begins without any."""
        self._ticks = Ticks()

    @property
    def room(self) -> Room:
        """The air of the room: as noted with the active trial, else as it was noted last."""
        if self.active is not None and self.active.run.room is not None:
            return self.active.run.room
        return self._room

    def keep_room(self, room: Room) -> None:
        """Keep what the air of the room is now."""
        self._room = room
        if self.active is not None:
            self.keep_run(replace(self.active.run, room=room), tr("air of the room"))

    def keep_reading(self, cell: str, reading: Reading | None) -> None:
        """Write a reading of the active trial, or take the cell's reading back (None)."""
        active = self._known()
        store = self._session.store
        readings = {key: value for key, value in active.readings.items() if key != cell}
        if reading is None:
            store.take_back_reading(active.trial.id, cell)
        else:
            reading = replace(reading, simulated=active.run.is_simulated)
            store.save_reading(active.trial.id, reading, tr("read by ") + reading.by)
            readings[cell] = reading
        self.active = replace(active, readings=readings)
        self._follow_checks(active.trial)
        self._count_proofs()

    def keep_others(self, who: str, readings: Sequence[Reading], why: str) -> None:
        """Write what a second person, or the photo, saw on the active trial's cells."""
        active = self._known()
        readings = [replace(one, simulated=active.run.is_simulated) for one in readings]
        self._session.store.save_readings(active.trial.id, readings, why, who=who)
        seen = {**active.others.get(who, {}), **{one.cell: one for one in readings}}
        self.active = replace(active, others={**active.others, who: seen})

    def mark_used(self, trial: Trial) -> None:
        """Note on the sheet under a burnt trial which area is used now."""
        stock = self._session.catalogue.stock(trial.stock.uid)
        if stock is None:
            return
        used = used_on_sheet(stock, trial)
        if used is not None:
            self._session.shop.keep_stock(used, tr("{trial} burnt on it", trial=trial.name))
