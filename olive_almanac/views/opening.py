"""Opening the library behind the first picture, restoring it, and hearing what others wrote."""

from __future__ import annotations

import gc
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QLockFile, QObject, QTimer

from olive_almanac.core.errors import AlmanacError, LibraryTrouble
from olive_almanac.core.words import tr
from olive_almanac.steps.files import sweep_parts
from olive_almanac.steps.find import index_of
from olive_almanac.steps.ports import Library
from olive_almanac.steps.session import Held, read_all
from olive_almanac.views.from_outside import LOCK
from olive_almanac.views.worker import once

if TYPE_CHECKING:
    from olive_almanac.views.window import MainWindow

__all__ = ["Opening"]

NEWS_MS = 20_000  # how often a shared library is asked what others wrote
NEWS_LATER_MS = 500  # how soon it is asked again when other work was under way
MANY_ENTRIES = 1000  # from which on the finder's index is made beforehand


def _keep_tidy(library: Library) -> None:
    """In a worker, once a library is open: its backup of the day, and what killed runs left."""
    library.backup()
    sweep_parts(library.folder)


class Opening(QObject):
    """Opens the library of the window's folder in a worker; the window stays usable meanwhile."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._window, self._session = window, window.session
        self._then: Callable[[], None] = lambda: None
        self._lock: QLockFile | None = None  # tells a second start that the library is open
        self._news = QTimer(self)
        self._news.setInterval(NEWS_MS)
        self._news.timeout.connect(self.ask_for_news)

    def open(self, then: Callable[[], None] = lambda: None) -> None:
        """Open the library; call `then` once it is there."""
        self._then = then
        folder = self._window.folder
        work = once(lambda: self._open_and_read(folder))
        self._window.work(work, self._attach, self._failed)

    def _open_and_read(self, folder: Path) -> tuple[Path, Library, Held]:
        """In a worker: the opened library with all that it holds."""
        library = self._window.services.open_library(folder)
        try:
            return folder, library, read_all(library)
        except AlmanacError:
            library.close()
            raise

    def _attach(self, opened: tuple[Path, Library, Held]) -> None:
        folder, library, held = opened
        if folder != self._window.folder:
            library.close()  # another library was asked for meanwhile
            return
        try:
            self._session.attach(library, held)
        except AlmanacError as problem:
            self._failed(problem)
            return
        self._say_who_else(library)
        then, self._then = self._then, lambda: None
        then()
        gc.freeze()  # what is there now stays: no collection need look at it again and stand still
        work = once(lambda: _keep_tidy(library))
        self._window.work(work, lambda _: None, self._not_backed_up)
        if library.server:
            self._news.start()
        else:
            self._news.stop()

    def _say_who_else(self, library: Library) -> None:
        """Take the library's lock; where another window holds it, say so: both may be used."""
        self.release()
        if library.server:
            return  # meant for several
        lock = QLockFile(str(library.folder / LOCK))
        lock.setStaleLockTime(0)
        if lock.tryLock(0):
            self._lock = lock
            self._window.outside.watch(library.folder)
        elif lock.error() == QLockFile.LockError.LockFailedError:
            process, host, _ = lock.getLockInfo()
            self._session.tell(
                tr(
                    "This library is open in another window, too (process {process} on {host}). "
                    "Both can be used: where they change the same thing, the second is asked.",
                    process=process,
                    host=host,
                )
            )

    def release(self) -> None:
        """Let another start have the library."""
        if self._lock is not None:
            self._lock.unlock()
            self._lock = None

    def _failed(self, problem: Exception) -> None:
        if not isinstance(problem, AlmanacError):
            raise problem
        self._session.tell(str(problem))
        if isinstance(problem, LibraryTrouble) and problem.code == "restorable":
            self._window.offer(tr("Restore the backup"), self._restore)
        elif isinstance(problem, LibraryTrouble) and problem.code == "gone":
            self._window.offer(tr("Use the usual place"), self._use_usual)
        else:
            self._window.offer(tr("Try again"), self._try_again)

    def _use_usual(self) -> None:
        """Go back to the desktop's own data folder, where a library lay before."""
        window = self._window
        self._session.remember(library="")
        self._session.tell("")
        window.home = window.services.usual_library()
        window.open_other(window.home, window.title, "book")

    def _not_backed_up(self, problem: Exception) -> None:
        self._window.work_failed(problem)
        if isinstance(problem, LibraryTrouble) and problem.code == "shrunk":
            self._window.offer(tr("Restore the backup"), self._restore_instead)

    def _restore_instead(self) -> None:
        """Put the fullest backup in place of the open library."""
        if not self._window.is_burning:
            self.restore()

    def restore(self, chosen: Path | None = None) -> None:
        """Put a backup, the fullest unless one is chosen, in place of the open library; what was
        open is set aside by it.
        """
        self._session.close_library()
        self._restore(chosen)

    def _try_again(self) -> None:
        self._session.tell("")
        self.open(self._then)

    def _restore(self, chosen: Path | None = None) -> None:
        try:
            self._window.services.restore_library(self._window.folder, chosen)
        except AlmanacError as problem:
            self._session.tell(str(problem))
        else:
            self._try_again()

    # -- a shared library --------------------------------------------------------------------------

    def ask_for_news(self) -> None:
        """Read a shared library again, off this thread: others write into it too."""
        library = self._session.library
        if library is None or not library.server:
            return
        if self._window.is_busy:
            self._ask_later()
            return
        before = self._session.catalogue  # what is written here meanwhile must not be taken back

        def take(held: Held) -> None:
            if self._session.catalogue is before:
                self._session.take_news(held)
            else:
                self._ask_later()

        self._window.work(once(lambda: read_all(library)), take)

    def _ask_later(self) -> None:
        QTimer.singleShot(NEWS_LATER_MS, self, self.ask_for_news)

    def ready_to_find(self) -> None:
        """Make the finder's index of a large book beforehand, off this thread."""
        catalogue, today = self._session.catalogue, self._session.today()
        if self._session.library is not None and len(catalogue.entries) > MANY_ENTRIES:
            self._window.work(once(lambda: index_of(catalogue, today)), lambda _: None)
