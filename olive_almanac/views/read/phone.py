"""The panel through which photos come by themselves: a code that a phone scans, or a folder that is
watched.  Both belong to one coupon and end with the panel.
"""

from __future__ import annotations

import queue
from collections import deque
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QColor, QGuiApplication, QPainter
from PySide6.QtNetwork import QAbstractSocket, QHostAddress, QNetworkInterface
from PySide6.QtWidgets import QDialog, QFileDialog, QVBoxLayout, QWidget

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.placing.places import parts_seen, side_words
from olive_almanac.core.units import capital
from olive_almanac.core.words import tr
from olive_almanac.steps.files import name_of, read_bytes
from olive_almanac.steps.phone import (
    PLAIN_HTTP,
    PhoneDoor,
    Sent,
    WatchedFolder,
    code_rows,
    phone_judge,
)
from olive_almanac.views.ask import AskDialog
from olive_almanac.views.parts import (
    Heading,
    HelpKey,
    Page,
    WordPicker,
    box,
    button,
    clear_layout,
    col,
    hair,
    label,
    row,
    scrolling,
)
from olive_almanac.views.theme import NO_PEN, Painted, px

if TYPE_CHECKING:
    from olive_almanac.views.read.page import ReadPage

__all__ = ["PhonePanel", "hosts_here"]

LOOK_MS = 300
FOLDER_EVERY = 5  # looks of the clock a look into the folder
QUIET = 4  # light modules round a code
MOST_SHOWN = 20  # a row of pictures that a sync brings at once


def hosts_here() -> list[str]:
    """The addresses of this computer in its networks, the local ones first."""
    found = []
    for interface in QNetworkInterface.allInterfaces():
        flags = interface.flags()
        up = flags & QNetworkInterface.InterfaceFlag.IsUp
        if not up or flags & QNetworkInterface.InterfaceFlag.IsLoopBack:
            continue
        for entry in interface.addressEntries():
            address = entry.ip()
            if address.protocol() == QAbstractSocket.NetworkLayerProtocol.IPv4Protocol:
                found.append(address)
    found.sort(key=lambda one: not QHostAddress(one).isPrivateUse())
    return [one.toString() for one in found]


class CodePicture(Painted):
    """A code to scan, dark on white in either theme."""

    def __init__(self) -> None:
        super().__init__()
        self._rows: list[list[bool]] = []
        self.setFixedSize(px(210), px(210))

    def show_code(self, words: str) -> None:
        """Draw the code of some words, nothing for none."""
        self._rows = code_rows(words) if words else []
        self.setAccessibleName(tr("Code to scan: {words}", words=words))
        self.update()

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        if not self._rows:
            return
        painter.setPen(NO_PEN)
        painter.fillRect(QRectF(0, 0, width, height), QColor("white"))
        step = min(width, height) / (len(self._rows) + 2 * QUIET)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        for r, line in enumerate(self._rows):
            for c, dark in enumerate(line):
                if dark:
                    left, top = (c + QUIET) * step, (r + QUIET) * step
                    painter.fillRect(QRectF(left, top, step + 0.4, step + 0.4), QColor("black"))


class PhonePanel(QDialog):
    """Shows the code while its page is open, what has come, and the folder that is watched."""

    def __init__(self, page: ReadPage) -> None:
        super().__init__(page.main_window)
        self._page, self.session = page, page.session
        active = self.session.active
        assert active is not None
        self._active = active
        self._has_places = bool(parts_seen(active.trial))
        self.door: PhoneDoor | None = None
        self._came: queue.SimpleQueue[Sent] = queue.SimpleQueue()
        self._waiting: deque[tuple[bytes, str, str]] = deque()  # to be read: bytes, source, side
        self._folder: WatchedFolder | None = None
        self._looks = 0
        self.setWindowTitle(tr("Photos from the phone"))
        self.code = CodePicture()
        self.address = label("", "ui_b")
        self.address.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.left = label("", "small", "second", wrap=True)
        self.host = WordPicker("ui_b", name=tr("Network"))
        self.host.picked.connect(lambda _: self._open())
        self.key = button(tr("Show the code"), "main")
        self.key.clicked.connect(self.ask)
        self.copy = button(tr("Copy the address"), "plain")
        self.copy.clicked.connect(self._copy)
        self.watch = button(
            tr("Watch a folder …"), tip=tr("into which the phone’s sync puts pictures")
        )
        self.watch.clicked.connect(self._choose_folder)
        self.watched = label("", "small", "second", wrap=True)
        self.list = QVBoxLayout()
        self.nothing = label(tr("Nothing yet."), "ui", "second")
        self.list.addWidget(self.nothing)
        close = button(tr("Close"))
        close.clicked.connect(self.close)
        self._lay_out(close)
        for made in (self.key, self.copy, self.watch, close):
            made.setAutoDefault(False)
        self._clock = QTimer(self)
        self._clock.setInterval(LOOK_MS)
        self._clock.timeout.connect(self.look)
        self._clock.start()
        self._hosts = hosts_here()
        self.host.set_choices([(one, one) for one in self._hosts], next(iter(self._hosts), ""))
        folder = self.session.preferences.photo_folder
        if folder:
            self.watch_folder(Path(folder))
        self._show()

    def _lay_out(self, close: QWidget) -> None:
        name = self._active.trial.name
        scan = tr(
            "1  Scan the code with the phone’s camera or type the address. Both in one network."
        )
        steps = (
            scan,
            tr(
                "2  Photograph each place of {name} by itself, its four marks in the picture.",
                name=name,
            )
            if self._has_places
            else tr("2  Photograph {name} from above, all four marks in the picture.", name=name),
            tr(
                "3  Look here: the cells are read in a second; the phone says whether it was sharp."
            ),
        )
        told = col(
            *(label(one, "ui", wrap=True) for one in steps),
            self.address,
            row(self.copy, self.host, None, gap=10),
            self.left,
            None,
            gap=8,
        )
        self.code_row = QWidget()
        across = row(self.code, gap=16)
        across.addLayout(told, 1)
        self.code_row.setLayout(across)
        self.code_row.setMinimumHeight(px(250))
        come = Page()
        come.setLayout(col(self.list, None, gap=0))
        room = scrolling(come, (px(300), px(40)))
        room.setMinimumHeight(px(120))
        self.setLayout(
            col(
                row(label(tr("Photos of {name}", name=name), "h2"), None, HelpKey("phone")),
                hair("bold"),
                self.code_row,
                box(row(self.key, None)),
                Heading(tr("Without a network")),
                row(self.watch, None),
                self.watched,
                Heading(tr("What has come")),
                room,
                row(None, close),
                gap=10,
                margins=(20, 16, 20, 16),
            )
        )
        self.resize(px(660), px(690))

    # -- the page ----------------------------------------------------------------------------------

    def ask(self) -> None:
        """Open the page, after the first time's question; or close it."""
        if self.door is not None:
            self._shut()
            self._show()
        elif self.session.preferences.phone_agreed:
            self._open()
        else:
            self.question = AskDialog(
                self, tr("A page for the phone"), PLAIN_HTTP, tr("Open it"), self._agree
            )
            self.question.open()

    def _agree(self) -> None:
        self.session.remember(phone_agreed=True)
        self._open()

    def _open(self) -> None:
        self._shut()
        host = self.host.key
        judge = phone_judge(self._active, dict(self.session.preferences.phone_curves))
        name = self._active.trial.name
        services = self._page.main_window.services
        if not host:
            self.left.setText(
                tr("This computer is in no network: connect it to the shop’s, or watch a folder.")
            )
            return
        try:
            self.door = services.open_phone_page(
                host, name, judge, self._came.put, places=self._has_places
            )
        except AlmanacError as problem:
            self.left.setText(str(problem))
            return
        self._show()

    def _shut(self) -> None:
        if self.door is not None:
            self.door.close()
            self.door = None

    def _copy(self) -> None:
        if self.door is not None:
            QGuiApplication.clipboard().setText(self.door.address)

    def _show(self) -> None:
        """Show the code while the page is open, the key that opens it otherwise."""
        door = self.door
        self.code_row.setVisible(True)
        self.code.show_code(door.address if door is not None else "")
        self.code.setVisible(door is not None)
        self.address.setText(door.address.removeprefix("http://") if door is not None else "")
        self.copy.setVisible(door is not None)
        self.host.setVisible(door is not None and len(self._hosts) > 1)
        self.key.setText(tr("Close the address") if door is not None else tr("Show the code"))
        self._show_time()

    def _show_time(self) -> None:
        if self.door is None:
            return
        minutes = max(1, round(self.door.left_s / 60))
        seen = tr("A phone has opened it. ") if self.door.seen else ""
        self.left.setText(
            tr(
                "{seen}Open for {minutes} min, for this coupon only, straight to this computer.",
                seen=seen,
                minutes=minutes,
            )
        )

    # -- what comes --------------------------------------------------------------------------------

    def look(self) -> None:
        """Take what has come, from the phone and out of the folder, and read it in turn."""
        active = self.session.active
        if active is None or active.trial.id != self._active.trial.id:
            self.close()  # it belongs to the coupon that it was opened for
            return
        if self.door is not None and self.door.fault is not None:
            fault, self.door.fault = self.door.fault, None
            raise fault  # in the window's own thread, where it is reported
        while not self._came.empty():
            self._take(self._came.get())
        self._looks += 1
        if self._folder is not None and self._looks % FOLDER_EVERY == 0:
            self._look_into_folder()
        if self._waiting and not self._page.is_reading_photo:
            self._page.read_bytes(*self._waiting.popleft())
        if self.door is not None and self.door.left_s <= 0:
            self.door = None
            self.left.setText(tr("The address is closed. Show a new code where more is to come."))
            self.code.setVisible(False)
            self.key.setText(tr("Show the code"))
        self._show_time()

    def _take(self, sent: Sent) -> None:
        shown, source = side_words(self._active.trial, sent.side), tr("phone photo of a place")
        if self._has_places:
            shown = tr("place")
        else:
            source = tr("phone photo of the {side}", side=shown)
        if sent.will_do:
            self._waiting.append((sent.data, source, sent.side))
        state = tr("used") if sent.will_do else tr("set aside")
        self._add(f"{capital(shown)}, {state}: {sent.says}")

    def _add(self, words: str, *keys: QWidget) -> None:
        self.nothing.hide()
        line = row(label(words, "ui", wrap=True), *keys, gap=8)
        line.setStretch(0, 1)
        self.list.insertWidget(0, box(line))
        while self.list.count() > MOST_SHOWN + 1:  # the last is the word for nothing
            item = self.list.itemAt(self.list.count() - 2)
            last = item.widget() if item is not None else None
            if last is not None:
                self.list.removeWidget(last)
                last.deleteLater()

    # -- the folder --------------------------------------------------------------------------------

    def _choose_folder(self) -> None:
        before = self.session.preferences.photo_folder or str(Path.home())
        asked = tr("The folder of the phone’s pictures")
        name = QFileDialog.getExistingDirectory(self, asked, before)
        if name:
            self.session.remember(photo_folder=name)
            self.watch_folder(Path(name))

    def watch_folder(self, path: Path) -> None:
        """Watch a folder for new pictures from now on."""
        try:
            self._folder = WatchedFolder(path)
        except AlmanacError as problem:
            self._folder = None
            self.watched.setText(str(problem))
            return
        self.watched.setText(
            tr("{path} is watched while this panel is open; nothing in it changes.", path=path)
        )

    def _look_into_folder(self) -> None:
        assert self._folder is not None
        try:
            new = self._folder.new()
        except AlmanacError as problem:
            self._folder = None
            self.watched.setText(str(problem))
            return
        for path in new:
            keys = [(tr("Front"), "front"), (tr("Back"), "back")]
            if self._has_places:
                keys = [(tr("Read it"), "front")]
            made = []
            for words, side in keys:
                key = button(words)
                key.clicked.connect(lambda _=False, path=path, side=side: self._use(path, side))
                made.append(key)
            self._add(name_of(path), *made)

    def _use(self, path: Path, side: str) -> None:
        def load() -> None:
            self._waiting.append((read_bytes(path), name_of(path), side))

        self.session.attempt(load)

    @property
    def shown(self) -> int:
        """How many things that have come are listed."""
        return self.list.count() - 1

    def closeEvent(self, event: QCloseEvent) -> None:
        self._clock.stop()
        self._shut()
        clear_layout(self.list)
        super().closeEvent(event)

    def reject(self) -> None:
        self.close()
