"""The Burn station: what is still to tick, the run as it goes, a hold key always in reach, and what
to do when it breaks off.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, QTimer, QUrl
from PySide6.QtGui import QDesktopServices, QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QPlainTextEdit, QPushButton, QVBoxLayout, QWidget

from olive_almanac.core.design.choices import is_hotter
from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.records.factors import setting_words
from olive_almanac.core.records.trial import Cell, Trial
from olive_almanac.core.units import (
    capital,
    duration_text,
    number_text,
    percent_text,
    speed_in,
    speed_text,
)
from olive_almanac.core.words import mid_sentence, tr
from olive_almanac.steps.active import ActiveTrial
from olive_almanac.steps.burn import BurnPresenter, Judgement, as_it_lies, check_rest
from olive_almanac.steps.checklist import checks_of, unticked, unticked_needed
from olive_almanac.steps.serial_port import words_of
from olive_almanac.steps.trial_files import burn_folder
from olive_almanac.views.big_type import InHand, numbers_of
from olive_almanac.views.burn.port_dialog import PortDialog
from olive_almanac.views.coupon import CouponPicture
from olive_almanac.views.marks import Mark
from olive_almanac.views.pace import PacePicker, set_pace
from olive_almanac.views.parts import (
    BigKey,
    Figure,
    Page,
    Segments,
    box,
    button,
    clear_layout,
    col,
    hair,
    head,
    label,
    page_margins,
    row,
    tip_text,
)
from olive_almanac.views.pump import Pump
from olive_almanac.views.station_page import StationPage
from olive_almanac.views.stick import stick_key
from olive_almanac.views.theme import compact, px, scaled_font
from olive_almanac.views.window import MainWindow

ARMED_FOR_MS = 60_000
MOST_NAMED = 5  # cells in doubt

BURNT_THERE = tr("It was burnt on the machine")


class BurnPage(StationPage):
    """Shows the run; a timer pumps the presenter."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        services = window.services
        self.presenter = BurnPresenter(
            self.session, self, window.make_bench, services.now, services.connect, services.seconds
        )
        self._found_keys: dict[Judgement, QPushButton] = {}  # of the cell that is asked for
        self._told_on_rail = (-1, "")  # how many burnt cells the rail shows, of a run begun when
        self.timer = Pump(self, self.presenter, self._pump_failed)
        self.timer.pumped.connect(self._look_for_alarm)
        self._disarm = QTimer(self)
        self._disarm.setSingleShot(True)
        self._disarm.setInterval(ARMED_FOR_MS)
        self._disarm.timeout.connect(self._disarmed)
        self._armed_for: Trial | None = None  # as it lay when its program was checked
        self._asked_for: object = None  # the trial and the needed steps that were asked about
        self.pace = PacePicker((tr("real time"), tr("60 × faster"), tr("at once")))
        self.pace.chosen.connect(lambda _: set_pace(self.presenter.wire, self.pace.times))
        self.burner = Segments(
            [tr("by file"), tr("serial port")], 0, tr("How the coupon gets burnt")
        )
        self.burner.chosen.connect(lambda _: self._choose_burner())
        self.title, self.progress = label("", "h1"), label("", "ui_b")
        self.picture = CouponPicture()
        self.nothing = label(tr("No coupon waits to be burnt. Plan one first."), "h2", wrap=True)
        self.alarm = box(row())
        self.alarm.setObjectName("alarm")
        self.alarm.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.alarm_text = label("", "h3", wrap=True)
        self.alarm.layout().addWidget(Mark("fire", "act", 36))
        self.alarm.layout().addWidget(self.alarm_text, 1)
        self.alarm.layout().setContentsMargins(px(10), px(6), px(10), px(6))
        left = Page()
        layout = QVBoxLayout(left)
        page_margins(layout)
        layout.addLayout(head(self.title, None, self.progress, topic="burn/The run"))
        layout.addSpacing(px(8))
        layout.addWidget(self.alarm)
        layout.addSpacing(px(6))
        layout.addWidget(self.nothing)
        layout.addWidget(self.picture, 1)
        layout.addSpacing(px(8))
        self.log = QPlainTextEdit()
        self.log.setReadOnly(True)
        self.log.setFont(scaled_font("small"))
        self.log.setFixedHeight(px(compact(66, 92)))
        self.log.setAccessibleName(tr("Log of the run"))
        layout.addWidget(self.log)
        self.right = self._build_right()
        across = QHBoxLayout(self)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(0)
        for part, stretch in ((left, 1), (hair("vhair"), 0), (self.right, 0)):
            across.addWidget(part, stretch)

    def _build_right(self) -> QWidget:
        right = Page()
        right.setFixedWidth(px(compact(360, 420)))
        layout = QVBoxLayout(right)
        page_margins(layout)
        self.now = label("", "h2")
        layout.addLayout(head(self.now, None, topic="burn/On your machine"))
        layout.addSpacing(px(6))
        self.power, self.speed = Figure(tr("Power")), Figure(tr("Speed"))
        numbers = row(self.power, self.speed, gap=10)
        numbers.setStretch(0, 2)
        numbers.setStretch(1, 5)
        layout.addLayout(numbers)
        self.more = label("", "ui", "second", wrap=True)
        layout.addWidget(self.more)
        layout.addSpacing(px(6))
        layout.addWidget(hair())
        self.elapsed, self.left_time, self.energy = (
            label("", "num4"),
            label("", "num4"),
            label("", "num4"),
        )
        layout.addSpacing(px(4))
        lines = (
            (tr("Burnt so far"), self.elapsed),
            (tr("Still to burn"), self.left_time),
            (tr("Energy so far"), self.energy),
        )
        for words, value in lines[: compact(2, 3)]:
            layout.addLayout(row(label(words, "ui", "second"), None, value))
        layout.addSpacing(px(6))
        layout.addWidget(hair())
        layout.addSpacing(px(4))
        self.notes = QVBoxLayout()
        self.notes.setSpacing(px(4))
        layout.addLayout(self.notes)
        layout.addStretch(1)
        self.files = self._build_files()
        layout.addWidget(self.files)
        layout.addSpacing(px(8))
        self.pace_label = label(compact("", tr("Stand-in bench")), "h3")
        self.pace_row = box(row(self.pace_label, None, self.pace))
        layout.addWidget(self.pace_row)
        layout.addSpacing(px(6))
        self.main = BigKey("", "main")
        self.main.setToolTip(tr("Ctrl+Enter; Space holds and goes on"))
        self.main.clicked.connect(self.main_action)
        self.stop_key = BigKey(tr("Stop"), "fail")
        self.stop_key.setToolTip(tr("Escape"))
        self.stop_key.clicked.connect(self.stop)
        self.close_key = BigKey(tr("Close the run"))
        self.close_key.setToolTip(tr("the rest stays unburnt; what has burnt can be read"))
        self.close_key.clicked.connect(lambda: self.session.attempt(self.presenter.close_run))
        layout.addLayout(row(self.main, self.stop_key, self.close_key, gap=10))
        return right

    def _build_files(self) -> QWidget:
        self.where = label("", "small", "second", wrap=True)
        open_folder = button(
            tr("Open the folder"), tip=tr("coupon.nc, coupon.svg, coupon.dxf, key.pdf, trial.json")
        )
        open_folder.clicked.connect(self._open_folder)
        copy = stick_key(self.main_window, self._copies, self.where.setText)
        self.port_key = button(
            tr("Serial port"),
            "plain",
            tip=tr("the port at this computer, and how the controller speaks"),
        )
        self.port_key.clicked.connect(self._ask_port)
        self.elsewhere = button(
            BURNT_THERE, tip=tr("the whole coupon has been burnt; go on to read it")
        )
        self.elsewhere.clicked.connect(self._burnt_elsewhere)
        self.rehearse = button(
            tr("Rehearse it on the stand-in"),
            "plain",
            tip=tr("burns and reads a copy that is thrown away: nothing of it enters the book"),
        )
        self.rehearse.clicked.connect(self._rehearse)
        title = row(label(tr("For your machine"), "h3"), None, self.burner, gap=6)
        return box(
            col(
                title,
                self.where,
                row(open_folder, copy, gap=8),
                row(self.elsewhere, self.rehearse, self.port_key, None, gap=4),
                gap=6,
            )
        )

    # -- state -------------------------------------------------------------------------------------

    def is_running(self) -> bool:
        return self.presenter.is_going

    @property
    def armed(self) -> bool:
        return self._armed_for is not None

    @property
    def _lies(self) -> Trial | None:
        """The coupon on the desk with the clamps that are known today."""
        active = self.session.active
        if active is None:
            return None
        return as_it_lies(self.session, active.trial)

    @property
    def plays(self) -> bool:
        """Whether the stand-in bench may burn here: demo, exercise, rehearsal."""
        library = self.session.library
        return library is not None and library.playground

    @property
    def on_port(self) -> bool:
        return bool(self.session.preferences.port) and self.burner.at == 1

    def enter(self) -> None:
        self.trials_changed()  # another coupon may have come while this page was away
        self.main.setFocus()

    def leave(self) -> None:
        if not self.is_running():
            self.timer.stop()
        self._disarmed()

    def subject_changed(self) -> None:
        self.trials_changed()

    def preferences_changed(self) -> None:
        self.show_run()

    def trials_changed(self) -> None:
        active = self.session.active
        if self.presenter.trial_id and (
            active is None or active.trial.id != self.presenter.trial_id
        ):
            self.timer.stop()
            self.presenter.let_go()  # another coupon lies on the desk now
        if self.armed and self._lies != self._armed_for:
            self._disarmed()
        self.show_run()

    def show_run(self) -> None:
        active, running = self.session.active, self.presenter.state
        for part in (self.picture, self.right, self.log):
            part.setVisible(active is not None)
        self.nothing.setVisible(active is None)
        alarm = self.presenter.alarm
        self.alarm.setVisible(alarm is not None)
        if alarm is not None:
            self.alarm_text.setText(alarm.text)
        else:
            self.alarm_text.setText("")
        if active is None:
            self.title.setText(tr("Burn"))
            self.progress.setText("")
            return
        cell, broke_off = self.presenter.current, self.presenter.broke_off
        burnt, cells = len(active.burnt), len(active.trial.cells)
        on_rail = (burnt, active.run.started)
        if on_rail != self._told_on_rail:
            self._told_on_rail = on_rail
            self.main_window.rail.refresh(self.main_window.station)
        name = active.trial.name
        self.title.setText(compact(name, tr("Burn {trial}", trial=mid_sentence(name))))
        if broke_off:
            word = tr("broken off")
        else:
            word = {"running": tr("burning"), "held": tr("held"), "done": tr("done")}.get(
                running or "", ""
            )
        self.progress.setText(
            tr("{burnt} of {cells} burnt", burnt=burnt, cells=cells)
            + (f", {word}" if word and (burnt < cells or broke_off) else "")
        )
        self.main_window.setWindowTitle(
            tr("{told_left}, Olive Almanac", told_left=self.presenter.told_left())
            if self.is_running()
            else self.main_window.title
        )
        self.picture.show_desk(
            active, cell.id if cell and self.is_running() else "", unsure=self.presenter.unsure
        )
        self._show_setting(cell)
        self.elapsed.setText(duration_text(self.presenter.elapsed_s))
        self.left_time.setText(duration_text(self.presenter.left_s))
        self.energy.setText(_energy_text(self.presenter.energy_j))
        self.log.setPlainText("\n".join(self.presenter.log[-200:] or list(active.run.log[-200:])))
        self.log.setVisible(bool(self.log.toPlainText()))
        self.log.verticalScrollBar().setValue(self.log.verticalScrollBar().maximum())
        folder = burn_folder(self.main_window.folder, active.trial)
        self.where.setText(compact(f"{folder.parent.name}/{folder.name}", str(folder)))
        self.where.setToolTip(tip_text(str(folder)))
        self._show_keys(active, cell, broke_off)
        self._show_notes(broke_off)

    def _show_keys(self, active: ActiveTrial, cell: Cell, broke_off: str) -> None:
        going, done = self.is_running(), cell is None
        rehearsed = self.main_window.practising.is_rehearsal
        self.files.setVisible(not going and not broke_off and not rehearsed)
        self.burner.setVisible(bool(self.session.preferences.port))
        by_file = not self.plays and not self.on_port
        self.elsewhere.setVisible(not active.burnt and not by_file)
        self.rehearse.setVisible(not self.plays and not active.burnt)
        self.pace_row.setVisible(not done and self.plays and not self.on_port)
        self.stop_key.setVisible(going)
        self.close_key.setVisible(bool(broke_off) and not going and bool(active.burnt) and not done)
        if going:
            words = {"running": tr("Hold"), "held": tr("Go on")}[self.presenter.state]
        elif done:
            words = tr("Read the coupon")
        elif self.on_port:
            words = tr("Arm the port")
            if self.armed:
                words = tr("Start the beam")
        elif self.plays:
            words = tr("Burn on the stand-in")
            if active.burnt or active.run.started:
                words = tr("Burn the rest")
        else:
            words = BURNT_THERE
            if active.burnt:
                words = tr("The rest was burnt too")
        self.main.setText(words)

    def _show_notes(self, broke_off: str) -> None:
        """What stands between now and the run: unticked lines, a run that broke off, cells that may
        be half burnt, the arm.
        """
        clear_layout(self.notes)
        if self.is_running():
            if self.presenter.beam_doubt:
                self._note("stop", "mind", tr("The head is held"), self.presenter.beam_doubt)
            return
        presenter, left = self.presenter, unticked(self.session)
        if broke_off:
            told = f"{capital(broke_off)}. {self.presenter.beam_doubt}".strip()
            self._note("stop", "mind", tr("The run broke off"), told)
        if presenter.marks_unsure:
            self._note(
                "stop",
                "mind",
                tr("The photo marks may be half burnt"),
                tr(
                    "They are not burnt again. Where one is not whole, read by eye or pick the "
                    "corners in the photo; or plan the coupon anew on a free place."
                ),
            )
        self._note_unsure()
        missing = unticked_needed(self.session)
        if presenter.current is not None and self._is_asking and not broke_off:
            there = button(tr("To the checklist"), "plain")
            there.clicked.connect(lambda: self.main_window.navigate("set_up"))
            self._note(
                "stop",
                "act",
                tr("Is it prepared?"),
                tr(
                    "Not ticked: {missing}. The same key burns all the same.",
                    missing="; ".join(missing),
                ),
                beside=there,
            )
        elif presenter.current is not None and left and not broke_off:
            there = button(tr("To the checklist"), "plain")
            there.clicked.connect(lambda: self.main_window.navigate("set_up"))
            lines = len(checks_of(self.session))
            ticked = lines - len(left)
            self._note(
                "stop",
                "act" if self.on_port else "mind",
                compact(
                    tr("{ticked} of {lines} ticked", ticked=ticked, lines=lines),
                    tr("Checklist: {ticked} of {lines} ticked", ticked=ticked, lines=lines),
                ),
                tr("Next: {left}.", left=mid_sentence(left[0])),
                beside=there,
            )
        if presenter.active is not None and is_hotter(presenter.active.trial):
            self._note(
                "fire",
                "act",
                tr("Hotter than expected"),
                tr("Low energy first. Stop at the first flare."),
            )
        if self.armed:
            detail = tr("Everyone in the room wears eyewear. Disarms in a minute.")
            detail = f"{detail} {presenter.first_way()}".strip()
            self._note("eyes", "act", tr("Armed: the next key starts the beam"), detail)

    def _note_unsure(self) -> None:
        """Ask what is found of the first cell that may be half burnt; the others come after it."""
        if not self.presenter.unsure:
            return
        cell_id, *others = self.presenter.unsure
        detail = tr("It is not burnt again. Look at it:")
        if others:
            detail = tr("Look at it, then at {others}:", others=", ".join(others))
        if len(others) > MOST_NAMED:
            detail = tr(
                "Look at it, then at {others} and {more} more:",
                others=", ".join(others[:MOST_NAMED]),
                more=len(others) - MOST_NAMED,
            )
        answers: tuple[tuple[Judgement, str, str], ...] = (
            ("whole", tr("It is whole"), tr("{cell_id} can be read", cell_id=cell_id)),
            (
                "half",
                tr("Leave it out"),
                tr("{cell_id} is neither read nor burnt again", cell_id=cell_id),
            ),
            ("bare", tr("Not burnt"), tr("{cell_id} is burnt with the rest", cell_id=cell_id)),
        )
        self._found_keys = {}
        for found, words, tip in answers:
            key = self._found_keys[found] = button(words, tip=tip)
            key.clicked.connect(lambda _=False, found=found: self._judge(cell_id, found))
        title = tr("{cell_id} may be half burnt", cell_id=cell_id)
        self._note("stop", "act", title, detail, *self._found_keys.values())

    def _note(
        self, kind: str, level: str, words: str, detail: str, *buttons: Any, beside: Any = None
    ) -> None:
        text = col(
            label(words, "ui_b", wrap=True), label(detail, "small", "second", wrap=True), gap=0
        )
        line = row(
            col(Mark(kind, level, 28), None), text, *([beside] if beside is not None else []), gap=8
        )
        line.setStretch(1, 1)
        self.notes.addLayout(line)
        if buttons:
            self.notes.addLayout(row(*buttons, None, gap=6))

    def _show_setting(self, cell: Cell) -> None:
        unit = self.session.preferences.speed_unit
        if cell is None:
            self.now.setText(tr("Nothing is left to burn"))
            self.power.setVisible(False)
            self.speed.setVisible(False)
            self.more.setText("")
            return
        setting = cell.setting
        self.power.setVisible(True)
        self.speed.setVisible(True)
        self.now.setText(
            tr("Now: cell {id}", id=cell.id)
            if self.is_running()
            else tr("Next: cell {id}", id=cell.id)
        )
        self.power.show_number(percent_text(setting.power), "%")
        self.speed.show_number(
            number_text(speed_in(setting.speed_mm_s, unit)),
            unit,
            "" if unit == "mm/s" else speed_text(setting.speed_mm_s),
        )
        self.more.setText(", ".join(setting_words(setting, unit)))

    def in_hand(self) -> InHand:
        active, cell = self.session.active, self.presenter.current
        if active is None or cell is None:
            return super().in_hand()
        unit = self.session.preferences.speed_unit
        held = self.presenter.state == "held"
        told = (
            tr("held") if held else tr("{left_s} left", left_s=duration_text(self.presenter.left_s))
        )
        keys = (
            ""
            if not self.is_running()
            else tr("Space goes on, Escape stops")
            if held
            else tr("Space holds, Escape stops")
        )
        return InHand(
            tr(
                "{trial}: {burnt} of {cells} burnt, {told}",
                trial=active.trial.name,
                burnt=len(active.burnt),
                cells=len(active.trial.cells),
                told=told,
            ),
            tr("Now: cell {id}", id=cell.id)
            if self.is_running()
            else tr("Next: cell {id}", id=cell.id),
            numbers_of(cell.setting, unit),
            ", ".join(setting_words(cell.setting, unit)[1:]),
            keys,
        )

    # -- the run -----------------------------------------------------------------------------------

    def main_action(self) -> None:
        if self.session.active is None:
            self.main_window.navigate("plan")
        elif self.is_running():
            self.presenter.pause()
        elif self.presenter.current is None:
            self.main_window.navigate("read")
        elif self._asks_of_recipe():
            self.show_run()
        elif self.on_port:
            self._start_port()
        elif not self.plays:
            self._burnt_elsewhere()
        elif self.session.attempt(lambda: self.presenter.start(pace=self.pace.times)):
            self.timer.start()

    def _asks_of_recipe(self) -> bool:
        """Whether a needed step of the recipe is unticked and was not asked about yet: the same key
        pressed again burns all the same.
        """
        active, missing = self.session.active, unticked_needed(self.session)
        if active is None or not missing or active.burnt:
            return False
        question = (active.trial.id, missing)
        asked, self._asked_for = self._asked_for == question, question
        return not asked

    @property
    def _is_asking(self) -> bool:
        active, missing = self.session.active, unticked_needed(self.session)
        return (
            active is not None and self._asked_for == (active.trial.id, missing) and bool(missing)
        )

    def _pump_failed(self, problem: AlmanacError) -> None:
        """A full disk or a locked library: the head is held, nothing is lost."""
        if self.presenter.state == "running":
            self.presenter.pause()
        self.session.tell(str(problem))

    def _look_for_alarm(self) -> None:
        alarmed = self.presenter.alarm is not None
        if alarmed != self.alarm.isVisibleTo(self):
            if self.session.practice is not None:  # time to answer, at any pace
                if alarmed:
                    set_pace(self.presenter.wire, 1.0)
                else:
                    set_pace(self.presenter.wire, self.pace.times)
            self.show_run()

    def stop(self) -> None:
        self.session.attempt(self.presenter.stop)
        if not self.presenter.is_going:
            self.timer.stop()

    def _judge(self, cell_id: str, found: Judgement) -> None:
        self.session.attempt(lambda: self.presenter.judge_unsure(cell_id, found))
        if self.presenter.unsure:
            self._found_keys[found].setFocus()
        else:
            self.main.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Space and self.is_running():
            self.main_action()
        elif event.key() == Qt.Key.Key_Escape and self.is_running():
            self.stop()
        else:
            super().keyPressEvent(event)

    # -- a real port -------------------------------------------------------------------------------

    def _choose_burner(self) -> None:
        self._disarmed()
        self.show_run()

    def _ask_port(self) -> None:
        dialog = PortDialog(self.session, self)
        dialog.finished.connect(lambda _: self.show_run())
        dialog.finished.connect(dialog.deleteLater)
        dialog.open()

    def _start_port(self) -> None:
        """First arm: every line ticked and the program checked anew; then start."""
        lies = self._lies
        if lies is None or lies != self._armed_for:  # a clamp noted since then is in the way, too
            left = unticked(self.session)
            if left:
                self.session.tell(
                    tr(
                        "The port is not armed: the checklist lacks {left}. Tick all its lines in "
                        "Set up first.",
                        left=mid_sentence(left[0]),
                    )
                )
                return
            run = self.session.active.run
            self.main_window.work_at_rest(
                self.main, lambda: check_rest(lies, run), lambda _: self._arm(lies)
            )
            return
        self._disarmed()
        preferences, services = self.session.preferences, self.main_window.services

        def start() -> None:
            wire = services.open_port(preferences.port, preferences.port_baud)
            self.presenter.start(wire=wire, words=words_of(preferences), by=preferences.port)

        if self.session.attempt(start):
            self.timer.start()

    def _arm(self, checked: Trial) -> None:
        if self._lies != checked:
            return  # another coupon, or another clamp, lies there by now: that was not checked
        self._armed_for = checked
        self._disarm.start()
        self.show_run()

    def _disarmed(self) -> None:
        self._disarm.stop()
        if self.armed:
            self._armed_for = None
            self.show_run()

    # -- files for a machine -----------------------------------------------------------------------

    def _open_folder(self) -> None:
        active = self.session.active
        if active is not None:
            folder = burn_folder(self.main_window.folder, active.trial)
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(folder)))

    def _copies(self, folder: Path) -> Iterator[str]:
        """Work that copies the files of the coupon on the desk into a folder."""
        from olive_almanac.steps.stick import coupon_to  # what a job is computed with comes along

        active = self.session.active
        if active is None:
            return iter(())
        return coupon_to(folder, self.main_window.folder, active.trial)

    def _rehearse(self) -> None:
        active = self.session.active
        if active is not None:
            self.main_window.practising.rehearse(active.trial)

    def _burnt_elsewhere(self) -> None:
        if self.session.attempt(self.presenter.burnt_elsewhere):
            self.main_window.navigate("read")


def _energy_text(joules: float) -> str:
    if joules < 1000:
        return f"{number_text(joules, 3)} J"
    return tr("{joules} kJ", joules=number_text(joules / 1000, 3))
