"""The shared state of the window: the catalogue, the subject, the trials, and the library behind.

Presenters change it, views listen to its signals.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from datetime import date, datetime
from typing import Any, cast

from olive_almanac.core.errors import AlmanacError, LibraryTrouble
from olive_almanac.core.materials.catalogue import Permission
from olive_almanac.core.records.entry import Entry, State, Subject, as_rehearsed
from olive_almanac.core.records.setting import Task
from olive_almanac.core.words import tr
from olive_almanac.steps.active import ActiveTrial
from olive_almanac.steps.catalogue import ShopCatalogue, subject_state
from olive_almanac.steps.commands import UndoStack
from olive_almanac.steps.exercises import Practice
from olive_almanac.steps.ids import random_id
from olive_almanac.steps.permission import permission_for
from olive_almanac.steps.ports import Library
from olive_almanac.steps.preferences import Preferences
from olive_almanac.steps.shop import Shop
from olive_almanac.steps.signal import Signal
from olive_almanac.steps.trials import KeptTrial, Trials, checks_of

__all__ = ["Held", "Session", "read_all", "set_aside_words"]

MOST_NAMED = 6
MOST_RECENT = 8
Held = tuple[ShopCatalogue, tuple[KeptTrial, ...]]


def read_all(library: Library) -> Held:
    """Return everything that the window keeps in memory of a library: for a worker.

    Raises LibraryTrouble.
    """
    trials = library.trials()
    catalogue = ShopCatalogue(
        library.machines(),
        library.stocks(),
        library.entries()
        if library.playground
        else tuple(as_rehearsed(entry) for entry in library.entries()),
        library.rules(),
        checks_of(library, trials),
        library.jobs(),
        library.acts(),
    )
    return catalogue, trials


def set_aside_words(set_aside: Mapping[str, str]) -> str:
    """Return the sentence on records that could not be read, empty where there are none."""
    if not set_aside:
        return ""
    names, more = list(set_aside)[:MOST_NAMED], len(set_aside) - MOST_NAMED
    told = tr(
        "1 record cannot be read and is set aside: {set_aside}", set_aside=set_aside[names[0]]
    )
    if len(set_aside) > 1:
        listed = ", ".join(names) + tr(" and {more} more", more=more) * (more > 0)
        told = tr(
            "{set_aside} records cannot be read and are set aside: {listed}.",
            set_aside=len(set_aside),
            listed=listed,
        )
    return tr(
        "{told} Everything else is here, and nothing was deleted. To have back what is missing, "
        "restore a backup from before, or take in another library that has it.",
        told=told,
    )


def _today() -> date:
    return datetime.now().astimezone().date()


class Session:
    """What the stations share: `shop` holds the catalogue, `trials` the active trial.

    Signals:
        subject_changed: another machine, stock or task, or one of them is another record now.
        preferences_changed, problem_changed: as named.
        shop.changed, trials.changed: see there.
    """

    def __init__(
        self,
        preferences: Preferences | None = None,
        today: Callable[[], date] = _today,
        new_id: Callable[[], str] = random_id,
    ) -> None:
        self.library: Library | None = None
        self.preferences = preferences or Preferences()
        self.today = today
        self.new_id = new_id
        self.subject = Subject(task=cast(Task, self.preferences.tidied().task))
        self.problem = ""
        self.practice: Practice | None = None
        self.undo_stack = UndoStack()
        self.shop = Shop(self, today)
        self.trials = Trials(self)
        self.subject_changed = Signal()
        self.preferences_changed = Signal()
        self._standing = ""  # a problem that stays until it is understood
        self.problem_changed = Signal()

    def forget_listeners(self) -> None:
        """Forget everybody who listens: the window is built anew."""
        for signal in (
            self.shop.changed,
            self.trials.changed,
            self.subject_changed,
            self.preferences_changed,
            self.problem_changed,
            self.shop.watch.changed,
        ):
            signal.disconnect_all()

    @property
    def catalogue(self) -> ShopCatalogue:
        return self.shop.catalogue

    @property
    def active(self) -> ActiveTrial | None:
        return self.trials.active

    # -- problems ----------------------------------------------------------------------------------

    def tell(self, problem: str) -> None:
        """Show a problem in the strip under the subject line; an empty text takes it away."""
        self.problem = problem
        self.problem_changed.emit()

    def attempt(self, action: Callable[[], object]) -> bool:
        """Run an action; a fault of the world is told instead of raised.

        Returns whether it worked.
        """
        try:
            action()
        except AlmanacError as problem:
            if isinstance(problem, LibraryTrouble) and problem.code == "conflict":
                self.read_again()  # what stands now is shown
            self.tell(str(problem))
            return False
        if self.problem != self._standing:
            self.tell(self._standing)
        return True

    def understood(self) -> None:
        """The operator has read the problem: take it away."""
        self._standing = ""
        self.tell("")

    # -- the library -------------------------------------------------------------------------------

    @property
    def store(self) -> Library:
        """The open library; raises LibraryTrouble while it is being opened."""
        if self.library is None:
            raise LibraryTrouble(
                tr("The library is still being opened. Wait a moment and do it again."), "opening"
            )
        return self.library

    def show_snapshot(self, catalogue: ShopCatalogue) -> None:
        """Take the picture of the book, before the library is open, and choose the last subject."""
        self.shop.catalogue = catalogue
        self._choose_remembered()
        self.shop.changed.emit()
        self.subject_changed.emit()

    def attach(self, library: Library, held: Held | None = None) -> None:
        """Take the opened library and show what it holds (read here, unless it was read
        beforehand).  Raises LibraryTrouble.
        """
        self.library = library
        catalogue, self.trials.kept = held or read_all(library)
        self.shop.catalogue = self.shop.as_followed(catalogue)
        self.shop.watch.forget()
        self.shop.kin.forget()
        self._choose_remembered()
        self.trials.activate_newest()
        self.shop.keep_snapshot()
        for signal in (self.shop.changed, self.subject_changed, self.trials.changed):
            signal.emit()
        self._tell_set_aside()

    def _tell_set_aside(self) -> None:
        """Say which records could not be read: all others are there."""
        self._standing = set_aside_words(self.store.set_aside)
        if self._standing:
            self.tell(self._standing)

    def read_again(self) -> None:
        """Read everything anew after another library was taken in."""
        catalogue, self.trials.kept = read_all(self.store)
        self.shop.show(catalogue)
        self.attempt(self.trials.activate_newest)
        self.trials.changed.emit()
        self._tell_set_aside()

    def take_news(self, held: Held) -> None:
        """Show what other workstations have written into a shared library since it was read."""
        catalogue, trials = held
        if trials != self.trials.kept:
            self.trials.kept = trials
            self.trials.changed.emit()
        if catalogue != self.catalogue:
            self.shop.show(catalogue)

    def close_library(self) -> None:
        """Let go of the library and of everything that belongs to it."""
        self._standing = ""
        if self.library is not None:
            self.library.close()
            self.library = None
        self.trials.show(None)
        self.undo_stack.clear()

    # -- the subject -------------------------------------------------------------------------------

    def _choose_remembered(self) -> None:
        wanted, catalogue = self.preferences, self.catalogue
        machine, stock = catalogue.machine(wanted.machine_uid), catalogue.stock(wanted.stock_uid)
        if machine is None and catalogue.machines:
            machine = catalogue.machines[0]
        if stock is None and catalogue.stocks:
            stock = catalogue.stocks[0]
        self.subject = replace(self.subject, machine=machine, stock=stock)

    def look_up_subject(self) -> None:
        """Take machine and stock of the subject as the catalogue has them now."""
        machine, stock = self.subject.machine, self.subject.stock
        if machine is not None:
            machine = self.catalogue.machine(machine.uid)
        if stock is not None:
            stock = self.catalogue.stock(stock.uid)
        self.subject = replace(self.subject, machine=machine, stock=stock)

    def take_task(self, task: Task) -> None:
        """Make another task part of the subject, without telling anybody."""
        self.subject = replace(self.subject, task=task)

    def choose(
        self, *, machine: str | None = None, stock: str | None = None, task: Task | None = None
    ) -> None:
        """Make another machine (uid), stock (uid) or task the subject."""
        subject = self.subject
        if machine:
            subject = replace(subject, machine=self.catalogue.machine(machine))
        if stock:
            subject = replace(subject, stock=self.catalogue.stock(stock))
        if task:
            subject = replace(subject, task=task)
        if subject == self.subject:
            return
        self.subject = subject
        machine_uid = subject.machine.uid if subject.machine else ""
        stock_uid = subject.stock.uid if subject.stock else ""
        self.remember(
            machine_uid=machine_uid,
            stock_uid=stock_uid,
            task=subject.task,
            recent=self._with_recent(f"{machine_uid}|{stock_uid}|{subject.task}"),
        )
        if self.library is not None:
            self.attempt(self.trials.activate_newest)
        self.subject_changed.emit()
        self.trials.changed.emit()

    def _with_recent(self, key: str) -> tuple[str, ...]:
        """The subjects that were open lately, with this one the newest."""
        if not self.subject.complete:
            return self.preferences.recent
        others = (one for one in self.preferences.recent if one != key)
        return (key, *others)[:MOST_RECENT]

    def remember(self, **what: Any) -> None:
        """Change preferences."""
        self.preferences = replace(self.preferences, **what)
        self.preferences_changed.emit()

    @property
    def permission(self) -> Permission:
        """Whether the subject may be burnt."""
        machine, stock = self.subject.machine, self.subject.stock
        if machine is None or stock is None:
            return Permission(False, tr("Choose a machine and a stock first."))
        return permission_for(machine, stock, self.subject.task, self.catalogue.rules)

    @property
    def state(self) -> tuple[State, str]:
        """The state of the subject and its reason."""
        machine, stock = self.subject.machine, self.subject.stock
        if machine is None or stock is None:
            return "untried", tr("nothing chosen yet")
        return subject_state(self.catalogue, machine, stock, self.subject.task, self.today())

    @property
    def entry(self) -> Entry | None:
        """The entry of the subject, where the book has one."""
        machine, stock = self.subject.machine, self.subject.stock
        if machine is None or stock is None:
            return None
        return self.catalogue.entry_for(machine.uid, stock.uid, self.subject.task)
