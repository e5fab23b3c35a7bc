"""A file that is opened from outside: handed to the window that is open, and shown where it
belongs.
"""

from __future__ import annotations

import contextlib
import os
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QLockFile, QObject, QTimer

from olive_almanac.core.errors import BadFile
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.words import tr
from olive_almanac.steps.files import read_bytes, write_file
from olive_almanac.steps.open_file import OpenedFile, opened_file, take_in_trial, unknown_words
from olive_almanac.steps.requests import OpenDrawing, TakeInLibrary
from olive_almanac.views.ask import AskDialog
from olive_almanac.views.worker import once

if TYPE_CHECKING:
    from olive_almanac.views.window import MainWindow

__all__ = ["LOCK", "FromOutside", "hand_over"]

LOCK = "window.lock"  # held while a window is open on the folder
ASKED = "window.ask"  # the path that another start wants shown
LOOK_MS = 700


def hand_over(folder: Path, file: Path) -> bool:
    """Have the window that is open on a library show a file; False where none is open there.

    Raises CannotWrite.
    """
    if not folder.is_dir():
        return False
    lock = QLockFile(str(folder / LOCK))
    lock.setStaleLockTime(0)
    if lock.tryLock(0):
        lock.unlock()
        return False
    if lock.error() != QLockFile.LockError.LockFailedError:
        return False
    write_file(folder / ASKED, os.fsencode(file))
    return True


class FromOutside(QObject):
    """Shows files from outside in a window; `watch` takes what other starts hand over."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._window, self._session = window, window.session
        self._folder = window.folder
        self._look = QTimer(self)
        self._look.setInterval(LOOK_MS)
        self._look.timeout.connect(self._asked)

    def watch(self, folder: Path) -> None:
        """Look for what another start hands over to the window of a library; what an earlier one
        left is forgotten.
        """
        self._folder = folder
        self._take()
        self._look.start()

    def _take(self) -> str:
        """The path that was handed over, empty where there is none."""
        asked = self._folder / ASKED
        if not asked.exists():
            return ""
        try:
            said = os.fsdecode(read_bytes(asked))
        except BadFile:  # it is going just now: nothing was asked
            said = ""
        with contextlib.suppress(OSError):
            asked.unlink()
        return said

    def _asked(self) -> None:
        said = self._take()
        if said:
            self._window.raise_()
            self._window.activateWindow()
            self.show(Path(said))

    def show(self, file: Path) -> None:
        """Read a file in a worker and show it where it belongs."""
        if not self._window.is_burning:
            self._window.work(once(lambda: opened_file(file)), self._show)

    def _show(self, opened: OpenedFile) -> None:
        window = self._window
        if opened.kind == "drawing":
            window.navigate("jobs", OpenDrawing(opened.path))
        elif opened.kind == "notes":
            window.bring_in_notes(opened.path)
        elif opened.kind == "library":
            self._ask(
                tr("Another library"),
                tr(
                    "{path} is a library. Taking it in adds what it holds to yours; no revision "
                    "is lost, and where both changed a record the newer one is in force.",
                    path=opened.path.name,
                ),
                lambda: window.navigate("book", TakeInLibrary(opened.path)),
            )
        elif opened.trial is not None:
            self._show_trial(opened.path, opened.trial)

    def _ask(self, title: str, words: str, do: Callable[[], object]) -> None:
        self.dialog = AskDialog(self._window, title, words, tr("Take it in"), do)
        self.dialog.open()

    def _show_trial(self, path: Path, trial: Trial) -> None:
        if not self._window.show_trial(trial.id):
            words = unknown_words(trial, path)
            self._ask(tr("A coupon from elsewhere"), words, lambda: self._take_in_trial(trial))

    def _take_in_trial(self, trial: Trial) -> None:
        if self._session.attempt(lambda: take_in_trial(self._session, trial)):
            self._window.show_trial(trial.id)
