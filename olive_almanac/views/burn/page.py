"""The Burn station: the files for a machine, and a run on the stand-in bench cell by cell with pause and stop."""

from PySide6.QtCore import QSize, Qt, QTimer, QUrl
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QPlainTextEdit, QPushButton, QVBoxLayout, QWidget

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.units import duration_text, number_text, percent_text, speed_in, speed_text
from olive_almanac.steps.burn import BurnPresenter
from olive_almanac.steps.files import write_file
from olive_almanac.steps.plan import burn_folder
from olive_almanac.views.coupon import CouponPicture
from olive_almanac.views.parts import Figure, Page, Segments, box, button, col, hair, head, label, page_margins, row
from olive_almanac.views.station_page import StationPage
from olive_almanac.views.theme import close, px, scaled_font

PACES = (("real time", 1.0), ("60 × faster", 60.0), ("at once", 0.0))
FASTEST_MS = 15


class BigKey(QPushButton):
    """A key for a gloved finger, 88 px high."""

    def __init__(self, text: str, kind: str = "") -> None:
        super().__init__(text)
        self.setFont(scaled_font("h2"))
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        if kind:
            self.setProperty("kind", kind)
        self.setFixedHeight(px(close(76, 88)))

    def sizeHint(self) -> QSize:
        return QSize(px(150), px(88))


class BurnPage(StationPage):
    """Shows the run; a timer sets its pace and asks the presenter for one cell at a time."""

    def __init__(self, window) -> None:
        super().__init__(window)
        self.presenter = BurnPresenter(self.session, self, window.outside.make_bench, window.outside.now)
        self.timer = QTimer(self)
        self.timer.setSingleShot(True)
        self.timer.timeout.connect(self._tick)
        self.pace = Segments([name for name, _ in PACES], 1, "Pace of the stand-in bench")
        self.title, self.progress = label("", "h1"), label("", "ui_b")
        self.picture = CouponPicture()
        self.nothing = label("No coupon waits to be burnt. Plan one first.", "h2", wrap=True)
        left = Page()
        layout = QVBoxLayout(left)
        page_margins(layout)
        layout.addLayout(head(self.title, None, self.progress))
        layout.addSpacing(px(10))
        layout.addWidget(self.nothing)
        layout.addWidget(self.picture, 1)
        layout.addSpacing(px(8))
        self.log = QPlainTextEdit()
        self.log.setReadOnly(True)
        self.log.setFont(scaled_font("small"))
        self.log.setFixedHeight(px(close(66, 92)))
        self.log.setAccessibleName("Log of the run")
        layout.addWidget(self.log)
        self.right = self._build_right()
        across = QHBoxLayout(self)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(0)
        for part, stretch in ((left, 1), (hair("vhair"), 0), (self.right, 0)):
            across.addWidget(part, stretch)

    def _build_right(self) -> QWidget:
        right = Page()
        right.setFixedWidth(px(close(360, 420)))
        layout = QVBoxLayout(right)
        page_margins(layout)
        self.now = label("", "h2")
        layout.addLayout(head(self.now, None))
        layout.addSpacing(px(6))
        self.power, self.speed = Figure("Power"), Figure("Speed")
        layout.addWidget(self.power)
        layout.addWidget(self.speed)
        self.more = label("", "ui", "second")
        layout.addWidget(self.more)
        layout.addSpacing(px(8))
        layout.addWidget(hair())
        self.elapsed, self.left_time = label("", "num4"), label("", "num4")
        layout.addSpacing(px(6))
        layout.addLayout(row(label("Burnt so far", "ui", "second"), None, self.elapsed))
        layout.addLayout(row(label("Still to burn", "ui", "second"), None, self.left_time))
        layout.addSpacing(px(8))
        layout.addStretch(1)
        self.files = self._build_files()
        layout.addWidget(self.files)
        layout.addSpacing(px(10))
        self.pace_row = box(row(label("Stand-in bench", "h3"), None, self.pace))
        layout.addWidget(self.pace_row)
        layout.addSpacing(px(6))
        self.main = BigKey("Burn on the stand-in", "main")
        self.main.setToolTip("Ctrl+Enter, Space pauses")
        self.main.clicked.connect(self.main_action)
        self.stop_key = BigKey("Stop", "fail")
        self.stop_key.clicked.connect(self.stop)
        layout.addLayout(row(self.main, self.stop_key, gap=10))
        return right

    def _build_files(self) -> QWidget:
        self.where = label("", "small", "second", wrap=True)
        open_folder = button("Open the folder", tip="coupon.nc, coupon.svg, key.pdf, trial.json")
        open_folder.clicked.connect(self._open_folder)
        copy = button("Copy to a stick", tip="copies coupon.nc and coupon.svg to a folder of your choice")
        copy.clicked.connect(self._copy_files)
        self.elsewhere = button("It was burnt on the machine", tip="the whole coupon has been burnt; go on to read it")
        self.elsewhere.clicked.connect(self._burnt_elsewhere)
        return box(col(label("For your machine", "h3"), self.where, row(open_folder, copy, gap=8), self.elsewhere, gap=6))

    # -- state -------------------------------------------------------------------------------------------------------

    def is_running(self) -> bool:
        return self.presenter.running in ("running", "paused")

    def enter(self) -> None:
        self.show_run()
        self.main.setFocus()

    def leave(self) -> None:
        self.timer.stop()

    def heard(self, what: str) -> None:
        if what not in ("subject", "desk"):
            return
        desk = self.session.desk
        if self.presenter.trial_id and (desk is None or desk.trial.id != self.presenter.trial_id):
            self.timer.stop()
            self.presenter.let_go()  # another coupon lies on the desk now
        self.show_run()

    def show_run(self) -> None:
        desk, running = self.session.desk, self.presenter.running
        waiting = desk is not None
        for part in (self.picture, self.right, self.log):
            part.setVisible(waiting)
        self.nothing.setVisible(not waiting)
        if desk is None:
            self.title.setText("Burn")
            self.progress.setText("")
            return
        cell = self.presenter.current
        burnt, cells = len(desk.burnt), len(desk.trial.cells)
        self.title.setText(f"Burn {desk.trial.name[0].lower()}{desk.trial.name[1:]}")
        word = {"running": "burning", "paused": "paused", "stopped": "stopped", "done": "done"}.get(running or "", "")
        self.progress.setText(f"{burnt} of {cells} burnt" + (f", {word}" if word and burnt < cells else ""))
        self.main_window.setWindowTitle(f"{burnt} of {cells} burnt, Olive Almanac" if self.is_running() else "Olive Almanac")
        self.picture.show_desk(desk, cell.id if cell and self.is_running() else "")
        self._show_setting(cell)
        self.elapsed.setText(duration_text(self.presenter.elapsed_s))
        self.left_time.setText(duration_text(self.presenter.left_s))
        self.log.setPlainText("\n".join(self.presenter.log[-200:] or desk.run.get("log", [])[-200:]))
        self.log.verticalScrollBar().setValue(self.log.verticalScrollBar().maximum())
        self.where.setText(str(burn_folder(self.main_window.folder, desk.trial)))
        done = cell is None
        self.files.setVisible(not self.is_running())
        self.elsewhere.setVisible(burnt == 0)
        self.pace_row.setVisible(not done)
        self.main.setText(
            "Read the coupon"
            if done
            else {"running": "Pause", "paused": "Go on"}.get(running or "", "Go on burning" if burnt else "Burn on the stand-in")
        )
        self.stop_key.setVisible(self.is_running())

    def _show_setting(self, cell) -> None:
        unit = self.session.preferences.speed_unit
        if cell is None:
            self.now.setText("All cells are burnt")
            self.power.setVisible(False)
            self.speed.setVisible(False)
            self.more.setText("")
            return
        setting = cell.setting
        self.power.setVisible(True)
        self.speed.setVisible(True)
        self.now.setText(f"{'Now' if self.is_running() else 'Next'}: cell {cell.id}")
        self.power.show_number(percent_text(setting.power), "%")
        self.speed.show_number(
            number_text(speed_in(setting.speed_mm_s, unit)), unit, "" if unit == "mm/s" else speed_text(setting.speed_mm_s)
        )
        passes = "1 pass" if setting.passes == 1 else f"{setting.passes} passes"
        pitch = f", line pitch {number_text(setting.pitch_mm)} mm" if setting.pitch_mm else ""
        self.more.setText(f"{passes}, focus {number_text(setting.focus_mm)} mm, air {setting.air}{pitch}")

    # -- the run -----------------------------------------------------------------------------------------------------

    def main_action(self) -> None:
        if self.session.desk is None:
            self.main_window.go("Plan")
        elif self.presenter.current is None:
            self.main_window.go("Read")
        elif self.is_running():
            self.presenter.pause()
            self._schedule()
        else:
            self.presenter.start()
            self.show_run()
            self._schedule()

    def _schedule(self) -> None:
        cell = self.presenter.current
        if self.presenter.running != "running" or cell is None:
            self.timer.stop()
            return
        factor = PACES[self.pace.at][1]
        self.timer.start(max(FASTEST_MS, round(1000 * cell.seconds / factor)) if factor else FASTEST_MS)

    def _tick(self) -> None:
        going: list[bool] = []
        if not self.session.attempt(lambda: going.append(self.presenter.step())):
            self.presenter.pause()  # a full disk or a locked library: the cell is not lost, the run waits
            return
        if going[0]:
            self._schedule()

    def stop(self) -> None:
        self.timer.stop()
        self.session.attempt(self.presenter.stop)

    def keyPressEvent(self, event) -> None:
        if event.key() == Qt.Key.Key_Space and self.is_running():
            self.main_action()
        elif event.key() == Qt.Key.Key_Escape and self.is_running():
            self.stop()
        else:
            super().keyPressEvent(event)

    # -- files for a machine -----------------------------------------------------------------------------------------

    def _open_folder(self) -> None:
        QDesktopServices.openUrl(QUrl.fromLocalFile(self.where.text()))

    def _copy_files(self) -> None:
        desk = self.session.desk
        folder = QFileDialog.getExistingDirectory(self, "Copy the burn file to")
        if folder and desk is not None:
            self.session.attempt(lambda: self._copy_into(desk.trial, folder))

    def _copy_into(self, trial, folder: str) -> None:
        from pathlib import Path

        source = burn_folder(self.main_window.folder, trial)
        for name in ("coupon.nc", "coupon.svg"):
            try:
                content = (source / name).read_bytes()
            except OSError as problem:
                raise AlmanacError(
                    f"{source / name} cannot be read ({problem.strerror}). Write the burn file again in Plan."
                ) from problem
            write_file(Path(folder) / f"{trial.id}-{name}", content)

    def _burnt_elsewhere(self) -> None:
        if self.session.attempt(self.presenter.burnt_elsewhere):
            self.main_window.go("Read")
