"""Going into an exercise or a rehearsal and back: the window on a library of its own; the real one
is not touched.
"""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, cast

from PySide6.QtCore import QObject

from olive_almanac.core.records.setting import Task
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.words import tr
from olive_almanac.steps.exercises import Exercise, Practice
from olive_almanac.steps.keeping import sweep_look
from olive_almanac.steps.practise import Score, begin, cells_left, keep_score, score_work
from olive_almanac.steps.rehearse import begin_rehearsal, rehearsal_folder, sweep_rehearsal
from olive_almanac.views.practise.strip import PracticeStrip

if TYPE_CHECKING:
    from olive_almanac.views.window import MainWindow

__all__ = ["Practising"]


class Practising(QObject):
    """Opens an exercise in place of the library, scores it, and comes back.

    A QObject, so that nothing is left of a strip's connections when it goes with its window.
    """

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._window, self._session = window, window.session
        self._before = window.session.preferences
        self._came_from = "practise"
        self._rehearsed = ""  # the name of the coupon that is rehearsed
        self._looked_at = ""  # which backup is looked at, in words
        self.strip: PracticeStrip

    @property
    def is_rehearsal(self) -> bool:
        return bool(self._rehearsed)

    def make_strip(self) -> PracticeStrip:
        """Return the strip anew, for a window that is built anew; `show` fills it."""
        self.strip = PracticeStrip()
        self.strip.finish_asked.connect(self.score)
        self.strip.leave_asked.connect(self.leave)
        return self.strip

    def show(self) -> None:
        """Show which exercise is open and how many cells are left of it."""
        practice = self._session.practice
        strange = practice is not None or bool(self._rehearsed) or bool(self._looked_at)
        self.strip.setVisible(strange)
        if self._looked_at:
            self.strip.show_look(self._looked_at)
        elif self._rehearsed:
            self.strip.show_rehearsal(self._rehearsed)
        elif practice is not None and self._session.library is not None:
            self.strip.show_practice(practice.exercise, cells_left(self._session))

    def begin(self, exercise: Exercise) -> None:
        """Open an exercise in a library of its own."""
        window = self._window
        if window.is_burning:
            return
        started = window.services.now()
        seed = int(started.timestamp()) % 1_000_000
        folder = window.home / "practice" / f"{exercise.id}-{seed}"

        def make() -> None:
            library = window.services.open_library(folder)
            try:
                begin(library, exercise)
            finally:
                library.close()

        if not self._session.attempt(make):
            return
        self._before = self._session.preferences
        practice = Practice(exercise, seed, started.isoformat(timespec="seconds"))
        self._open(folder, practice, tr("Practice: {exercise}", exercise=exercise.title), "set_up")
        self._session.remember(
            machine_uid=exercise.machine.uid, stock_uid=exercise.stock.uid, task=exercise.task
        )
        self._session.take_task(exercise.task)

    def rehearse(self, trial: Trial) -> None:
        """Open a coupon in a library of its own, where the stand-in bench may burn it."""
        window, folder = self._window, rehearsal_folder(self._window.home)
        if window.is_burning:
            return

        def make() -> None:
            sweep_rehearsal(window.home)
            library = window.services.open_library(folder)
            try:
                begin_rehearsal(library, trial)
            finally:
                library.close()

        if not self._session.attempt(make):
            return
        self._before, self._rehearsed, self._came_from = (
            self._session.preferences,
            trial.name,
            "burn",
        )
        self._open(folder, None, tr("Rehearsal: {trial}", trial=trial.name), "burn")

    def look_at(self, folder: Path, words: str) -> None:
        """Open the copy of a backup; it is thrown away on the way back."""
        self._before, self._looked_at = self._session.preferences, words
        self._came_from = "book"
        self._open(folder, None, tr("Olive Almanac, {words}", words=words), "book")

    def close(self) -> None:
        """The window closes: a rehearsal, and the copy of a backup, are thrown away."""
        if self._rehearsed:
            self._session.attempt(lambda: sweep_rehearsal(self._window.home))
        if self._looked_at:
            self._session.attempt(lambda: sweep_look(self._window.home))

    def leave(self) -> None:
        """Go back to one's own library; a rehearsal is thrown away."""
        if self._window.is_burning:
            return
        known, station = self._before, self._came_from
        rehearsed, self._rehearsed, self._came_from = self._rehearsed, "", "practise"
        looked_at, self._looked_at = self._looked_at, ""
        self._open(self._window.home, None, "Olive Almanac", station)
        if rehearsed:
            self._session.attempt(lambda: sweep_rehearsal(self._window.home))
        if looked_at:
            self._session.attempt(lambda: sweep_look(self._window.home))
        self._session.remember(
            machine_uid=known.machine_uid, stock_uid=known.stock_uid, task=known.task
        )
        self._session.take_task(cast(Task, known.task))

    def _open(self, folder: Path, practice: Practice | None, title: str, station: str) -> None:
        self._session.close_library()
        self._session.practice = practice
        self._window.open_other(folder, title, station)

    def score(self) -> None:
        """Work out the score in a worker, keep it, and go back."""
        self.strip.show_scoring(True)
        practice, folder = self._session.practice, self._window.folder

        def take(score: Score) -> None:
            if self._session.practice is not practice or self._window.folder != folder:
                return  # the exercise was left meanwhile
            if self._session.attempt(lambda: keep_score(self._window.home, score)):
                self.leave()

        worker = self._window.work(score_work(self._session, self._window.make_bench()), take)
        worker.finished.connect(lambda: self.strip.show_scoring(False))
