"""The one shared piece of state: the shelf, the subject, the trial on the desk, and who wants to
hear of changes.
"""

from __future__ import annotations

import contextlib
import secrets
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass, field, replace
from datetime import date, datetime
from typing import Any, cast

from olive_almanac.core.errors import AlmanacError, CannotWrite, LibraryTrouble
from olive_almanac.core.fitting.kinship import kinship
from olive_almanac.core.materials.catalogue import Permission
from olive_almanac.core.records.entry import Entry, Room, State, Subject
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.setting import Task
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.records.weekly import WeeklyCheck
from olive_almanac.steps.commands import Change, UndoStack
from olive_almanac.steps.exercises import Practice
from olive_almanac.steps.permission import permission_for
from olive_almanac.steps.ports import Library
from olive_almanac.steps.preferences import Preferences
from olive_almanac.steps.snapshot import Shelf, save_snapshot

Coupons = tuple[tuple[Trial, tuple[Reading, ...]], ...]
__all__ = [
    "STATIONS",
    "Desk",
    "Held",
    "Session",
    "StationState",
    "read_all",
    "subject_state",
    "used_on_sheet",
]

MOST_APART, MOST_KIN = (
    0.35,
    4,
)  # sd of ln energy up to which another subject's coupons are looked at, and how many
FINDS_NO_SETTING = ("focus", "ramp", "kerf", "grey", "pitch")
MOST_TESTS = 8
MOST_CHECKS = 60
STATIONS = ("Set up", "Plan", "Burn", "Read", "Decide", "Book")


@dataclass(frozen=True)
class Desk:
    """The trial that is being worked on: how far it is, what burnt, what was read."""

    trial: Trial
    stage: str  # burn, read, decide, book: the station that is next
    readings: dict[str, Reading] = field(default_factory=dict)
    run: dict[str, Any] = field(default_factory=dict)
    earlier: Coupons = ()  # read coupons of the same subject, lot and machine state
    # read coupons of other lots, machine states, thicknesses or machines: they count less
    kin: Coupons = ()
    others: dict[str, dict[str, Reading]] = field(
        default_factory=dict
    )  # what a second person, or "photo", saw: who, cell

    @property
    def burnt(self) -> dict[str, Any]:
        """What is known of each burnt cell, by cell id."""
        cells: dict[str, Any] = self.run.get("cells", {})
        return cells

    @property
    def pairs(self) -> list[tuple[Trial, tuple[Reading, ...]]]:
        """Return every read coupon of the subject with its readings, this one last."""
        return [*self.earlier, (self.trial, tuple(self.readings.values()))]


@dataclass(frozen=True)
class StationState:
    """One line of the rail: done, now, todo; and its word, four words at most, a number first."""

    name: str
    status: str
    word: str


def used_on_sheet(stock: Stock, trial: Trial) -> Stock | None:
    """Return the stock with the area of a trial marked as used on its sheet, or None where there is
    nothing to mark.

    A confirm run lies all over the sheet: there only its cells are marked.
    """
    lies = trial.sheet
    if lies is None or lies.number >= len(stock.sheets):
        return None
    sheet = stock.sheets[lies.number]
    if (sheet.width_mm, sheet.height_mm) != (lies.width_mm, lies.height_mm):
        return None  # another sheet stands in its place now
    left, low, right, high = trial.area_mm
    boxes = [(left, low, right, high)]
    if trial.kind == "confirm":
        boxes = [
            (left + x, low + y, left + x + w, low + y + h)
            for x, y, w, h in (cell.rect_mm for cell in trial.cells)
        ]
    on_sheet = [
        tuple(
            round(side, 3)
            for side in (b[0] - lies.x_mm, b[1] - lies.y_mm, b[2] - lies.x_mm, b[3] - lies.y_mm)
        )
        for b in boxes
    ]
    fresh = tuple((b[0], b[1], b[2], b[3]) for b in on_sheet if b not in sheet.used_mm)
    if not fresh:
        return None
    sheets = list(stock.sheets)
    sheets[lies.number] = replace(sheet, used_mm=(*sheet.used_mm, *fresh))
    return replace(stock, sheets=tuple(sheets))


Held = tuple[Shelf, tuple[tuple[Trial, str, str], ...]]


def read_all(library: Library) -> Held:
    """Return everything that the window keeps in memory of a library: for a worker.

    Raises LibraryTrouble.
    """
    trials = library.trials()
    checks = _checks_of(library, trials)
    return Shelf(
        library.machines(), library.stocks(), library.entries(), library.rules(), checks
    ), trials


def _checks_of(
    library: Library, trials: Sequence[tuple[Trial, str, str]]
) -> tuple[WeeklyCheck, ...]:
    """What the weekly checks found that are read to the end; the newest ones only."""
    weekly = [
        trial
        for trial, stage, _ in trials
        if trial.kind == "weekly" and stage in ("decide", "book")
    ]
    if not weekly:
        return ()
    from olive_almanac.core.deciding.weekly import follow_checks

    return follow_checks([(trial, library.readings(trial.id)) for trial in weekly[-MOST_CHECKS:]])


def subject_state(
    shelf: Shelf, machine: Machine, stock: Stock, task: Task, today: date
) -> tuple[State, str]:
    """Return the state of a subject and its reason: what must not or cannot burn comes first, then
    the newest entry's, else untried.
    """
    permission = permission_for(machine, stock, task, shelf.rules)
    if permission.ask:
        return "untried", "decide first: shops differ"
    if not permission.allowed:
        return "barred" if permission.barred else "cannot", permission.reason
    entry = shelf.entry_for(machine.uid, stock.uid, task)
    if entry is None:
        return "untried", "nothing known yet"
    return shelf.state_of(entry, machine, stock, today)


class Session:
    """Owns the state; the presenters change it, the views listen.

    Listeners get one word for what changed: "shelf", "subject", "desk", "preferences" or "problem".
    """

    def __init__(
        self,
        preferences: Preferences | None = None,
        today: Callable[[], date] = lambda: datetime.now().astimezone().date(),
        new_id: Callable[[], str] = lambda: secrets.token_hex(4),
    ) -> None:
        self.library: Library | None = None
        self.preferences = preferences or Preferences()
        self.today = today
        self.new_id = new_id
        self.shelf = Shelf()
        self.subject = Subject(task=cast(Task, self.preferences.tidied().task))
        self.desk: Desk | None = None
        self.problem = ""
        self.practice: Practice | None = None
        self.undo_stack = UndoStack()
        self._trials: tuple[tuple[Trial, str, str], ...] = ()
        self._ticks: dict[str, str] = {}
        self._room = Room()
        self._due: tuple[Shelf, date, int] | None = None
        self._listeners: list[Callable[[str], None]] = []

    # -- listening ---------------------------------------------------------------------------------

    def listen(self, listener: Callable[[str], None]) -> None:
        self._listeners.append(listener)

    def forget_listeners(self) -> None:
        self._listeners.clear()

    def changed(self, what: str) -> None:
        for listener in list(self._listeners):
            listener(what)

    def tell(self, problem: str) -> None:
        """Show a problem in the strip under the subject line; an empty text takes it away."""
        self.problem = problem
        self.changed("problem")

    def attempt(self, action: Callable[[], object]) -> bool:
        """Run an action; a fault of the world is told instead of raised.

        Returns whether it worked.
        """
        try:
            action()
        except AlmanacError as problem:
            self.tell(str(problem))
            return False
        if self.problem:
            self.tell("")
        return True

    # -- the library -------------------------------------------------------------------------------

    def show_shelf(self, shelf: Shelf) -> None:
        """Take a shelf (the snapshot, before the library is open) and choose the last subject on
        it.
        """
        self.shelf = shelf
        self._choose_remembered()
        self.changed("shelf")
        self.changed("subject")

    def attach(self, library: Library, held: Held | None = None) -> None:
        """Take the opened library and show what it holds (read here, unless it was read
        beforehand).  Raises LibraryTrouble.
        """
        self.library = library
        self.shelf, self._trials = held or read_all(library)
        self._choose_remembered()
        self._lay_out_desk()
        self._keep_snapshot()
        for what in ("shelf", "subject", "desk"):
            self.changed(what)

    @property
    def store(self) -> Library:
        if self.library is None:
            raise LibraryTrouble(
                "The library is still being opened. Wait a moment and do it again."
            )
        return self.library

    def _read_shelf(self) -> Shelf:
        return read_all(self.store)[0]

    def refresh_shelf(self) -> None:
        """Read machines, stocks and rules again after a change and tell everybody; entries only
        where all is read anew.
        """
        store = self.store
        self._show_shelf(
            replace(
                self.shelf, machines=store.machines(), stocks=store.stocks(), rules=store.rules()
            )
        )

    def _follow_checks(self, trial: Trial) -> None:
        """Look again at what the weekly checks say after one of them was read."""
        if trial.kind == "weekly" and self.desk is not None and self.desk.stage != "read":
            checks = _checks_of(self.store, self._trials)
            if checks != self.shelf.checks:
                self._show_shelf(replace(self.shelf, checks=checks))

    def _show_shelf(self, shelf: Shelf) -> None:
        self.shelf = shelf
        machine, stock = self.subject.machine, self.subject.stock
        self.subject = replace(
            self.subject,
            machine=self.shelf.machine(machine.uid) if machine else None,
            stock=self.shelf.stock(stock.uid) if stock else None,
        )
        self._keep_snapshot()
        self.changed("shelf")
        self.changed("subject")

    def _keep_snapshot(self) -> None:
        with contextlib.suppress(
            CannotWrite
        ):  # only a shortcut for the next start: nothing lives there alone
            save_snapshot(self.store.folder, self.shelf)

    # -- the subject -------------------------------------------------------------------------------

    def _choose_remembered(self) -> None:
        wanted, shelf = self.preferences, self.shelf
        machine = shelf.machine(wanted.machine_uid) or (
            shelf.machines[0] if shelf.machines else None
        )
        stock = shelf.stock(wanted.stock_uid) or (shelf.stocks[0] if shelf.stocks else None)
        self.subject = replace(self.subject, machine=machine, stock=stock)

    def choose(
        self, *, machine: str | None = None, stock: str | None = None, task: Task | None = None
    ) -> None:
        """Make another machine (uid), stock (uid) or task the subject."""
        subject = Subject(
            self.shelf.machine(machine) if machine else self.subject.machine,
            self.shelf.stock(stock) if stock else self.subject.stock,
            task or self.subject.task,
        )
        if subject == self.subject:
            return
        self.subject = subject
        self.remember(
            machine_uid=subject.machine.uid if subject.machine else "",
            stock_uid=subject.stock.uid if subject.stock else "",
            task=subject.task,
        )
        if self.library is not None:
            self.attempt(self._lay_out_desk)
        self.changed("subject")
        self.changed("desk")

    def remember(self, **what: Any) -> None:
        self.preferences = replace(self.preferences, **what)
        self.changed("preferences")

    @property
    def permission(self) -> Permission:
        machine, stock = self.subject.machine, self.subject.stock
        if machine is None or stock is None:
            return Permission(False, "Choose a machine and a stock first.")
        return permission_for(machine, stock, self.subject.task, self.shelf.rules)

    @property
    def state(self) -> tuple[State, str]:
        machine, stock = self.subject.machine, self.subject.stock
        if machine is None or stock is None:
            return "untried", "nothing chosen yet"
        return subject_state(self.shelf, machine, stock, self.subject.task, self.today())

    @property
    def entry(self) -> Entry | None:
        machine, stock = self.subject.machine, self.subject.stock
        if machine and stock:
            return self.shelf.entry_for(machine.uid, stock.uid, self.subject.task)
        return None

    # -- the trial on the desk ---------------------------------------------------------------------

    def _lay_out_desk(self) -> None:
        """Put the newest trial of the subject on the desk, or nothing."""
        machine, stock = self.subject.machine, self.subject.stock
        if machine is None or stock is None:
            found = []
        else:
            found = self._trials_of(machine, stock)
        self.desk = None
        if found:
            trial, stage = found[-1]
            readings = {reading.cell: reading for reading in self.store.readings(trial.id)}
            self.desk = self._desk_of(trial, stage, readings)

    def _desk_of(self, trial: Trial, stage: str, readings: dict[str, Reading]) -> Desk:
        run, earlier = self.store.run_of(trial.id) or {}, self._earlier(trial)
        return Desk(trial, stage, readings, run, earlier, self.kin_of(trial), self._others(trial))

    def _others(self, trial: Trial) -> dict[str, dict[str, Reading]]:
        return {
            who: {one.cell: one for one in readings}
            for who, readings in self.store.other_readings(trial.id).items()
        }

    def _trials_of(self, machine: Machine, stock: Stock) -> list[tuple[Trial, str]]:
        wanted = (machine.uid, stock.uid, self.subject.task)
        return [
            (t, stage)
            for t, stage, _ in self._trials
            if (t.machine.uid, t.stock.uid, t.task) == wanted
        ]

    def kin_of(self, subject: Trial | Subject) -> Coupons:
        """Return the read coupons most akin to a subject's that are not its own, the nearest first
        and few.
        """
        machine, stock = subject.machine, subject.stock
        if machine is None or stock is None:
            return ()
        near: list[tuple[float, Trial]] = []
        for trial, _, _ in self._trials:
            if trial.task != subject.task or trial.kind in FINDS_NO_SETTING:
                continue
            kin = kinship(machine, stock, trial.machine, trial.stock)
            if kin.words and kin.energy_sd <= MOST_APART:
                near.append((kin.energy_sd, trial))
        pairs = (
            (trial, self.store.readings(trial.id))
            for _, trial in sorted(near, key=lambda one: one[0])[:MOST_KIN]
        )
        return tuple((trial, readings) for trial, readings in pairs if readings)

    def weekly_checks(self) -> Coupons:
        """Return the read weekly coupons of the subject, in the machine's present state."""
        machine, stock = self.subject.machine, self.subject.stock
        if machine is None or stock is None or self.library is None:
            return ()
        weekly = [
            t
            for t, _ in self._trials_of(machine, stock)
            if t.kind == "weekly" and t.machine.state == machine.state
        ]
        pairs = ((t, self.store.readings(t.id)) for t in weekly)
        return tuple((t, readings) for t, readings in pairs if readings)

    def focus_heights_mm(self) -> tuple[float, ...]:
        """Return the heights that the focus tests of this machine, in its present state, found."""
        machine = self.subject.machine
        tests = [
            t
            for t, _, _ in self._trials
            if machine is not None
            and t.kind in ("focus", "ramp")
            and (t.machine.uid, t.machine.state) == (machine.uid, machine.state)
        ]
        if len(tests) < 2 or self.library is None:
            return ()
        from olive_almanac.core.deciding.focus import decide_focus

        found = (decide_focus(t, self.store.readings(t.id)) for t in tests[-MOST_TESTS:])
        return tuple(one.fit.focus_mm for one in found if one.decided and one.fit is not None)

    def _earlier(self, trial: Trial) -> Coupons:
        """Return the coupons read before this one that bear on the same subject, lot and machine
        state.
        """
        kin = [
            t
            for t, _ in self._trials_of(trial.machine, trial.stock)
            if t.id != trial.id
            and (t.stock.lot, t.machine.state) == (trial.stock.lot, trial.machine.state)
        ]
        pairs = ((t, self.store.readings(t.id)) for t in kin)
        return tuple((t, readings) for t, readings in pairs if readings)

    def evidence_of(self, entry: Entry) -> Desk | None:
        """Return the trial behind an entry with its readings and run, or None while it cannot be
        had.
        """
        if self.library is None:
            return None
        newest = ""
        if entry.evidence.trial_ids:
            newest = entry.evidence.trial_ids[-1]
        trial = next((one for one, _, _ in self._trials if one.id == newest), None)
        if trial is None:
            return None
        try:
            readings = {reading.cell: reading for reading in self.library.readings(trial.id)}
            return Desk(trial, "book", readings, self.library.run_of(trial.id) or {})
        except LibraryTrouble as problem:
            self.tell(str(problem))
            return None

    def open_trial(self, trial_id: str) -> bool:
        """Lay a trial on the desk by its id, with its machine, stock and task as the subject; False
        where none is known.
        """
        found = next(
            ((trial, stage) for trial, stage, _ in self._trials if trial.id == trial_id), None
        )
        if found is None:
            return False
        trial, stage = found
        self.choose(machine=trial.machine.uid, stock=trial.stock.uid, task=trial.task)

        def lay() -> None:
            readings = {reading.cell: reading for reading in self.store.readings(trial.id)}
            self.desk = self._desk_of(trial, stage, readings)

        if self.attempt(lay):
            self.changed("desk")
        return True

    def last_of_kind(self, kind: str) -> Trial | None:
        """Return the newest trial of the subject of that kind, or None."""
        machine, stock = self.subject.machine, self.subject.stock
        if machine is None or stock is None:
            return None
        return next(
            (trial for trial, _ in reversed(self._trials_of(machine, stock)) if trial.kind == kind),
            None,
        )

    def keep_stock(self, stock: Stock, why: str) -> None:
        """Write a stock into the library and show it."""
        self.store.save_stock(stock, why)
        self.refresh_shelf()

    def mark_used(self, trial: Trial) -> None:
        """Note on the sheet under a burnt trial which area is used now."""
        stock = self.shelf.stock(trial.stock.uid)
        used = None
        if stock is not None:
            used = used_on_sheet(stock, trial)
        if used is not None:
            self.keep_stock(used, f"{trial.name} burnt on it")

    @property
    def trials(self) -> tuple[Trial, ...]:
        """Every trial of the library, the oldest change first."""
        return tuple(trial for trial, _, _ in self._trials)

    def next_trial_number(self) -> int:
        return 1 + len(self._trials)

    def keep_trial(self, trial: Trial, stage: str, why: str) -> None:
        """Write a trial or its next stage into the library and lay it on the desk."""
        kept = (trial, stage, self.store.save_trial(trial, stage, why))
        others = [one for one in self._trials if one[0].id != trial.id]
        self._trials = tuple(sorted([*others, kept], key=lambda one: one[2]))
        if self.desk is not None and self.desk.trial.id == trial.id:
            self.desk = replace(self.desk, trial=trial, stage=stage)
        else:
            self.desk = Desk(trial, stage, earlier=self._earlier(trial), kin=self.kin_of(trial))
        self.changed("desk")
        self._follow_checks(trial)

    def keep_run(self, run: dict[str, Any], why: str) -> None:
        assert self.desk is not None
        self.store.save_run(self.desk.trial.id, run, why)
        self.desk = replace(self.desk, run=run)

    @property
    def ticks(self) -> dict[str, str]:
        """What was ticked when on the checklist: kept with the trial on the desk, or here until
        there is one.
        """
        kept = None
        if self.desk:
            kept = self.desk.run.get("ticks")
        if kept is not None:
            return dict(kept)
        return dict(self._ticks)

    def keep_ticks(self, ticks: dict[str, str]) -> None:
        self._ticks = dict(ticks)
        if self.desk is not None:
            self.keep_run({**self.desk.run, "ticks": ticks}, "checklist")
        self.changed("desk")

    @property
    def room(self) -> Room:
        """The air of the room: as noted with the trial on the desk, else as it was noted last."""
        kept = None
        if self.desk:
            kept = self.desk.run.get("room")
        if kept is not None:
            return Room(**kept)
        return self._room

    def keep_room(self, room: Room) -> None:
        self._room = room
        if self.desk is not None:
            self.keep_run({**self.desk.run, "room": asdict(room)}, "air of the room")

    def keep_reading(self, cell: str, reading: Reading | None) -> None:
        """Write a reading of the desk's trial, or take the cell's reading back (None)."""
        assert self.desk is not None
        if reading is None:
            self.store.take_back_reading(self.desk.trial.id, cell)
        else:
            self.store.save_reading(self.desk.trial.id, reading, "read by " + reading.by)
        readings = {key: value for key, value in self.desk.readings.items() if key != cell}
        if reading is not None:
            readings[cell] = reading
        self.desk = replace(self.desk, readings=readings)
        self._follow_checks(self.desk.trial)

    def keep_others(self, who: str, readings: Sequence[Reading], why: str) -> None:
        """Write what a second person, or the photo, saw on the desk's cells."""
        assert self.desk is not None
        self.store.save_readings(self.desk.trial.id, readings, why, who=who)
        seen = {**self.desk.others.get(who, {}), **{one.cell: one for one in readings}}
        self.desk = replace(self.desk, others={**self.desk.others, who: seen})

    def keep_entry(self, entry: Entry, why: str, label: str) -> None:
        """Write an entry as an undoable change: undoing restores what the book said before."""
        before = self.shelf.entry_by_uid.get(entry.uid)

        def do() -> None:
            self.store.save_entry(entry, why)
            self._show_shelf(self.shelf.with_entries((entry,)))

        def undo() -> None:
            if before is None:
                self.store.remove("entry", entry.uid, "undone: " + why)
                self._show_shelf(self.shelf.with_entries((), (entry,)))
            else:
                self.store.save_entry(before, "undone: " + why)
                self._show_shelf(self.shelf.with_entries((before,)))

        self.undo_stack.push(Change(label, do, undo))

    def keep_book(
        self, stocks: Sequence[Stock], entries: Sequence[Entry], why: str, label: str
    ) -> None:
        """Write new stocks and entries as one undoable change: undoing hides them all again."""

        def put(*, removed: bool) -> None:
            self.store.save_book(
                stocks, entries, ("undone: " if removed else "") + why, removed=removed
            )
            if removed:
                shelf = self.shelf.with_entries((), entries)
            else:
                shelf = self.shelf.with_entries(entries)
            self._show_shelf(replace(shelf, stocks=self.store.stocks()))

        self.undo_stack.push(Change(label, lambda: put(removed=False), lambda: put(removed=True)))

    def read_again(self) -> None:
        """Read everything anew after another library was taken in."""
        self._trials = self.store.trials()
        self._show_shelf(self._read_shelf())
        self.attempt(self._lay_out_desk)
        self.changed("desk")

    def take_news(self, held: Held) -> None:
        """Show what other workstations have written into a shared library since it was read."""
        shelf, trials = held
        if trials != self._trials:
            self._trials = trials
            self.changed("desk")
        if shelf != self.shelf:
            self._show_shelf(shelf)

    def keep_rule(self, family: str, *, burns: bool) -> None:
        """Record the shop's own decision on a disputed family, as an undoable change."""
        before = self.shelf.rules.get(family)

        def put(value: bool | None) -> None:
            self.store.save_rule(
                family, value, "decided by the shop" if value is not None else "undone"
            )
            self.refresh_shelf()

        self.undo_stack.push(Change("the shop's rule", lambda: put(burns), lambda: put(before)))

    # -- the rail ----------------------------------------------------------------------------------

    def stations(self) -> tuple[StationState, ...]:
        """Return the six stations with how far each is for the present subject."""
        machine, stock, desk = self.subject.machine, self.subject.stock, self.desk
        ready = machine is not None and stock is not None
        words = {
            "Set up": _counted(len(self.shelf.machines), "machine", "machines")
            if ready
            else "not yet",
            "Plan": "not yet",
            "Burn": "not yet",
            "Read": "nothing yet",
            "Decide": "nothing yet",
            "Book": _counted(len(self.shelf.entries), "entry", "entries")
            if self.shelf.entries
            else "no entry yet",
        }
        at = 1
        if not ready:
            at = 0
        if desk is not None:
            at = STATIONS.index(desk.stage.capitalize())
            cells = len(desk.trial.cells)
            words["Plan"] = f"{cells} cells"
            if desk.burnt:
                words["Burn"] = _share(len(desk.burnt), cells, "burnt")
            else:
                words["Burn"] = "waiting"
            if desk.readings:
                words["Read"] = _share(len(desk.readings), cells, "read")
            else:
                words["Read"] = "nothing yet"
            if desk.stage == "book":
                words["Decide"] = "chosen"
            elif desk.stage == "decide":
                words["Decide"] = "waiting"
            else:
                words["Decide"] = "nothing yet"
        due = self.due_count()
        if due:
            words["Book"] += f", {due} due"
        return tuple(
            StationState(name, "done" if i < at else "now" if i == at else "todo", words[name])
            for i, name in enumerate(STATIONS)
        )

    def due_count(self) -> int:
        """Return how many entries are due again."""
        key = (self.shelf, self.today())
        if self._due is None or self._due[0] is not key[0] or self._due[1] != key[1]:
            self._due = (*key, sum(1 for entry in self.shelf.entries if self._is_due(entry)))
        return self._due[2]

    def _is_due(self, entry: Entry) -> bool:
        machine, stock = self.shelf.machine(entry.machine_uid), self.shelf.stock(entry.stock_uid)
        return (
            machine is not None
            and stock is not None
            and self.shelf.state_of(entry, machine, stock, self.today())[0] == "due"
        )


def _counted(count: int, one: str, many: str) -> str:
    return f"{count} {one if count == 1 else many}"


def _share(done: int, of: int, word: str) -> str:
    if done >= of:
        return f"{done} {word}"
    return f"{done} of {of} {word}"
