"""Where the library lies: its folder, a copy of it, its backups with their age, one of them tried
before it is put in place.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtWidgets import QDialog, QFileDialog, QListWidget

from olive_almanac.core.dates import day_text
from olive_almanac.core.units import count_text
from olive_almanac.core.words import tr
from olive_almanac.steps.keeping import (
    OLD_DAYS,
    age_words,
    backup_words,
    copy_to_stick,
    is_library,
    look_folder,
    move_work,
)
from olive_almanac.steps.ports import LIBRARY_FILES
from olive_almanac.views.ask import AskDialog
from olive_almanac.views.parts import Heading, HelpKey, button, col, hair, label, row
from olive_almanac.views.theme import px, scaled_font
from olive_almanac.views.worker import LatestWork, once

if TYPE_CHECKING:
    from olive_almanac.steps.ports import Backup
    from olive_almanac.views.window import MainWindow

__all__ = ["LibraryDialog"]

SHARED = tr(
    "It lies on a server that several computers share: back it up where the server stands. Burn "
    "files and cards lie in this computer’s folder."
)


class LibraryDialog(QDialog):
    """Acts on the library as a whole; what takes long runs beside it and can be stopped."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self.main_window, self.session = window, window.session
        self.setWindowTitle(tr("The library"))
        self.backups: tuple[Backup, ...] = ()
        self._work = LatestWork(window.work)
        store = self.session.store
        own = not store.server and window.folder == window.home
        self.says = label("", "ui", wrap=True)
        self.copy = button(
            tr("Copy it to …"), tip=tr("a stick, another disk: photos and all, read back")
        )
        self.copy.clicked.connect(self._ask_copy)
        self.back = button(
            tr("Take in a copy …"), tip=tr("merged with this one: no revision is lost")
        )
        self.back.clicked.connect(self._ask_back)
        self.elsewhere = button(tr("Lies elsewhere …"), tip=tr("another folder from now on"))
        self.elsewhere.clicked.connect(self._ask_elsewhere)
        self.stop = button(tr("Stop"), "plain")
        self.stop.clicked.connect(self._stop)
        self.stop.hide()
        self.age = label("", "ui", "second", wrap=True)
        self.list = QListWidget()
        self.list.setFont(scaled_font("ui"))
        self.list.setAccessibleName(tr("Backups, the newest first"))
        self.list.currentRowChanged.connect(self._choose)
        self.look = button(
            tr("Try it first"), tip=tr("opens a copy of it; nothing of yours is touched")
        )
        self.look.clicked.connect(self._look)
        self.put = button(tr("Put it in place"), tip=tr("what is there now is kept beside it"))
        self.put.clicked.connect(self._ask_put)
        close = button(tr("Close"))
        close.clicked.connect(self.reject)
        for part in (self.copy, self.elsewhere, self.list, self.look, self.put):
            part.setEnabled(own)
        self.setLayout(
            col(
                row(label(tr("The library"), "h2"), None, HelpKey("copies")),
                hair("bold"),
                label(tr("In {server}", server=store.server or store.folder), "ui_b", wrap=True),
                label(self._holds(), "ui", "second", wrap=True),
                row(self.copy, self.back, self.elsewhere, None, gap=10),
                self.says,
                Heading(tr("Backups")),
                self.age,
                self.list,
                row(self.look, self.put, None, self.stop, close, gap=10),
                gap=10,
                margins=(20, 16, 20, 16),
            )
        )
        for made in (self.copy, self.back, self.elsewhere, self.look, self.put, self.stop, close):
            made.setAutoDefault(False)
        self.resize(px(720), px(560))
        self.finished.connect(self._work.stop)
        if store.server:
            self.age.setText(SHARED)
        elif not own:
            self.age.setText(
                tr("This is a library to play in, or a copy: its own one is kept apart.")
            )
        else:
            folder, services = window.home, window.services
            self.age.setText(tr("Looking at the backups …"))
            self._work.start(once(lambda: services.copies.backups_of(folder)), self._show_backups)

    def _holds(self) -> str:
        catalogue = self.session.catalogue
        counts = (
            count_text(len(catalogue.entries), "entry", "entries"),
            count_text(len(catalogue.machines), "machine"),
            count_text(len(catalogue.stocks), "stock"),
            count_text(len(self.session.trials.kept), "coupon"),
            count_text(len(catalogue.jobs), "job"),
            count_text(len(self.session.store.photo_names()), "photo"),
        )
        return ", ".join(counts)

    # -- backups -----------------------------------------------------------------------------------

    def _show_backups(self, found: tuple[Backup, ...]) -> None:
        now = self.main_window.services.now()
        self.backups = found
        self.list.clear()
        self.list.addItems([backup_words(one, now) for one in found])
        good = [one for one in found if one.revisions]
        if not good:
            self.age.setText(
                tr("There is no backup yet: one is made on each day that it is opened.")
            )
        else:
            age = (now - good[0].made).days
            told = tr("The last backup is of {made}.", made=age_words(good[0].made, now))
            if age > OLD_DAYS:
                told += tr(" That is long ago: copy the library to a stick.")
            self.age.setText(told + tr(" One is made on each day that it is opened; 14 are kept."))
            self.list.setCurrentRow(found.index(good[0]))
        self._choose(self.list.currentRow())

    def _choose(self, at: int) -> None:
        good = 0 <= at < len(self.backups) and self.backups[at].revisions > 0
        self.look.setEnabled(good)
        self.put.setEnabled(good)

    @property
    def _chosen(self) -> Backup:
        return self.backups[self.list.currentRow()]

    def _look(self) -> None:
        if self.main_window.is_burning:
            return
        window, backup = self.main_window, self._chosen
        folder = look_folder(window.home)
        work = once(lambda: window.services.copies.open_in_copy(backup.path, folder))
        words = tr("the backup of {date}", date=day_text(backup.made.date().isoformat()))
        self._work.start(work, lambda _: self._looked(folder, words), self._failed)

    def _looked(self, folder: Path, words: str) -> None:
        self.accept()
        self.main_window.practising.look_at(folder, words)

    def _ask_put(self) -> None:
        if self.main_window.is_burning:
            return
        backup = self._chosen
        words = tr(
            "The backup of {date} ({revisions}) takes the place of this book. The file "
            "that is there now is kept beside it, under a name of its own.",
            date=day_text(backup.made.date().isoformat()),
            revisions=count_text(backup.revisions, "revision"),
        )
        self.question = AskDialog(
            self,
            tr("Put a backup in place"),
            words,
            tr("Put it in place"),
            partial(self._put, backup),
        )
        self.question.open()

    def _put(self, backup: Backup) -> None:
        self.accept()
        self.main_window.opening.restore(backup.path)

    # -- copies ------------------------------------------------------------------------------------

    def _ask_copy(self) -> None:
        name = QFileDialog.getExistingDirectory(self, tr("Below which folder?"), str(Path.home()))
        if name:
            self.copy_to(Path(name))

    def copy_to(self, folder: Path) -> None:
        """Copy the library below a folder, in a worker."""
        day = self.session.today().isoformat()
        copies = self.main_window.services.copies
        self._run(
            copy_to_stick(copies, self.main_window.home, folder, day),
            lambda target: self.says.setText(
                tr("The library is in {target}, read back whole.", target=target)
            ),
        )

    def _run(self, work: Iterator[Any], done: Any) -> None:
        """Run a copy with its progress; it can be stopped, and then leaves nothing."""
        self.stop.show()

        def take(item: Any) -> None:
            step, target = item
            if step:
                self.says.setText(tr("Copying: {step} …", step=step))
            else:
                self.stop.hide()
                done(target)

        self._work.start(work, take, self._failed)

    def _failed(self, problem: Exception) -> None:
        self.stop.hide()
        self.says.setText("")
        self.main_window.work_failed(problem)
        self.says.setText(str(problem))

    def _stop(self) -> None:
        self._work.stop()
        self.stop.hide()
        self.says.setText(tr("Stopped: nothing of the copy is left."))

    def _ask_back(self) -> None:
        name = QFileDialog.getExistingDirectory(
            self, tr("The folder of the copy"), str(Path.home())
        )
        if name:
            self.take_back(Path(name))

    def take_back(self, folder: Path) -> None:
        """Merge the library of a folder into this one."""
        if not is_library(folder):
            self.says.setText(tr("There is no library in {folder}.", folder=folder))
            return
        self.accept()
        self.main_window.navigate("book")
        self.main_window.page("book").take_in(folder / LIBRARY_FILES[0])

    def _ask_elsewhere(self) -> None:
        name = QFileDialog.getExistingDirectory(self, tr("Where it shall lie"), str(Path.home()))
        if name:
            self.lie_in(Path(name))

    def lie_in(self, folder: Path) -> None:
        """Ask what is to become of a folder, and let the window's library lie there from now on."""
        if self.main_window.is_burning or folder == self.main_window.home:
            return
        if is_library(folder):
            words = tr(
                "The library that lies in {folder} is opened from now on; this one stays.",
                folder=folder,
            )
            self._ask(tr("Another library"), words, tr("Open it"), lambda: self._lie_in(folder))
        elif folder.exists() and any(folder.iterdir()):
            self.says.setText(
                tr("{folder} is not empty, and no library. Choose an empty folder.", folder=folder)
            )
        else:
            words = tr(
                "Everything is copied to {folder} and read back; then the window works "
                "there, now and at each start. What lies here stays as it is, as a copy.",
                folder=folder,
            )
            move = partial(self._move, folder)
            self._ask(tr("Lay the library elsewhere"), words, tr("Lay it there"), move)

    def _ask(self, title: str, words: str, key: str, do: Any) -> None:
        self.question = AskDialog(self, title, words, key, do)
        self.question.open()

    def _move(self, folder: Path) -> None:
        copies = self.main_window.services.copies
        self._run(move_work(copies, self.main_window.home, folder), self._lie_in)

    def _lie_in(self, folder: Path) -> None:
        window = self.main_window
        self.session.remember(library=str(folder))
        self.accept()
        self.session.close_library()
        window.home = folder
        window.open_other(folder, "Olive Almanac", "book")
