"""A sheet of a job at the machine: the checklist with its numbers, the run as it goes, a hold key
always in reach, and what to do when it broke off.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QFontMetricsF, QKeyEvent, QPainter
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.records.job import JobProgress
from olive_almanac.core.units import duration_text
from olive_almanac.core.words import mid_sentence, tr
from olive_almanac.steps.burn import first_way_words
from olive_almanac.steps.job_run import JobCheck, JobRunner, Unlit
from olive_almanac.steps.job_work import check_run
from olive_almanac.steps.serial_port import words_of
from olive_almanac.views.pace import PacePicker, set_pace
from olive_almanac.views.parts import (
    MIDDLE_LEFT,
    BigKey,
    box,
    button,
    clear_layout,
    col,
    label,
    row,
    tip_text,
)
from olive_almanac.views.pump import Pump
from olive_almanac.views.theme import C, F, compact, px
from olive_almanac.views.tick_box import TickBox

if TYPE_CHECKING:
    from olive_almanac.core.quoting.job_plan import SheetRun
    from olive_almanac.steps.jobs import JobsPresenter
    from olive_almanac.views.window import MainWindow

__all__ = ["RunPanel"]

ARMED_FOR_MS = 60_000
ELIDE = Qt.TextElideMode.ElideRight
WORDS = {"running": tr("burning"), "held": tr("held"), "done": tr("burnt to the end")}


class TickLine(TickBox):
    """One line of the checklist to tick: its words and its number."""

    SIDE = 24.0

    def __init__(self, check: JobCheck) -> None:
        super().__init__(f"{check.words}\n{check.number}")
        self.LEAST = (200, compact(36, 44))
        self.words, self.number = check.words, check.number
        self.setAccessibleName(f"{check.words}: {check.number}")
        self.setToolTip(tip_text(check.number))
        self.setChecked(bool(check.ticked))

    def draw_words(self, painter: QPainter, room: QRectF) -> None:
        centre = room.height() / 2
        for words, role, ink, top in (
            (self.words, "small_b", "ink", centre - 19),
            (self.number, "small", "ink2", centre - 1),
        ):
            font = F(role)
            painter.setFont(font)
            painter.setPen(C(ink))
            fitted = QFontMetricsF(font).elidedText(words, ELIDE, room.width())
            painter.drawText(QRectF(room.left(), top, room.width(), 20), MIDDLE_LEFT, fitted)


class RunPanel(QWidget):
    """Runs one sheet.

    Signals:
        left(): the operator goes back to the plan.
        done(str): the sheet was burnt to the end, on what.
        moved(): the run has come further.
    """

    left = Signal()
    done = Signal(str)
    moved = Signal()

    def __init__(self, window: MainWindow, presenter: JobsPresenter) -> None:
        super().__init__()
        services = window.services
        self.main_window, self.presenter, self.session = window, presenter, presenter.session
        self.runner = JobRunner(presenter, self, services.connect, services.seconds, services.now)
        self.run: SheetRun | None = None
        self.timer = Pump(self, self.runner, self._pump_failed)
        self.timer.pumped.connect(self._tell)
        self._checked: SheetRun | None = None  # whose program was checked: the port is armed
        self._told_done = False
        self._first = 0  # the step at which an armed port starts
        self._disarm = QTimer(self)
        self._disarm.setSingleShot(True)
        self._disarm.setInterval(ARMED_FOR_MS)
        self._disarm.timeout.connect(self._disarmed)
        self.title = label("", "h3")
        self.back = button(tr("Back"), "plain", tip=tr("back to the plan of the job"))
        self.back.clicked.connect(self.left)
        self.lines = QVBoxLayout()
        self.lines.setSpacing(0)
        self.said = label("", "small_b", wrap=True)
        self.now = label("", "small", "second", wrap=True)
        self.ways = QHBoxLayout()
        self.ways.setSpacing(px(6))
        self.pace = PacePicker((tr("real"), "60 ×", tr("at once")))
        self.pace.chosen.connect(lambda _: set_pace(self.runner.wire, self.pace.times))
        self.frame = button(tr("Frame"), tip=tr("goes round the job with the beam off"))
        self.frame.clicked.connect(lambda: self._trace("frame"))
        self.path = button(tr("Path"), tip=tr("along all that will be burnt, with the beam off"))
        self.path.clicked.connect(lambda: self._trace("trace"))
        self.middle = button(tr("Middle"), tip=tr("the head stays over the middle, beam off"))
        self.middle.clicked.connect(lambda: self._trace("centre"))
        words = label(tr("Show it with the beam off"), "small", "second")
        keys = row(self.frame, self.path, self.middle, None, gap=6)
        self.unlit = box(col(words, keys, gap=2))
        self.main = BigKey("", "main")
        self.main.clicked.connect(self.main_action)
        self.stop_key = BigKey(tr("Stop"), "fail")
        self.stop_key.setToolTip(tr("Escape"))
        self.stop_key.clicked.connect(self.stop)
        self.setLayout(
            col(
                row(self.title, None, self.back),
                self.lines,
                None,
                self.said,
                self.now,
                self.ways,
                row(self.pace, None),
                self.unlit,
                row(self.main, self.stop_key, gap=8),
                gap=6,
            )
        )

    # -- what is shown -----------------------------------------------------------------------------

    def show_sheet(self, run: SheetRun) -> None:
        """Take a sheet in hand; one that burns stays."""
        if not self.runner.is_going:
            self.run = run
            self._checked = None
        self.show_run()
        self.main.setFocus()

    @property
    def plays(self) -> bool:
        """Whether the stand-in bench burns it: in a library to play in, without a port."""
        library = self.session.library
        playground = library is not None and library.playground
        return playground and not self.session.preferences.port

    @property
    def progress(self) -> JobProgress:
        assert self.run is not None and self.presenter.job is not None
        return self.runner.progress_of(self.presenter.job, self.run)

    @property
    def broke_off(self) -> bool:
        """Whether a run of this sheet ended before its time."""
        progress = self.progress
        return not self.runner.is_going and bool(progress.begun) and not progress.complete

    def show_run(self) -> None:
        run = self.run
        if run is None or self.presenter.job is None:
            return
        going = self.runner.is_going
        called = self.presenter.job.sheet_words(run.sheet, run.side)
        self.title.setText(tr("{called} at the machine", called=called))
        self.back.setVisible(not going)
        self._show_lines(run, going=going)
        self._show_ways(run)
        self.pace.setVisible(self.plays)
        self.unlit.setVisible(not going and not self.broke_off)
        self.stop_key.setVisible(going)
        self.main.setText(self._key_words())
        self._tell()
        self.moved.emit()
        if self.runner.state == "done" and not self._told_done:
            self._told_done = True
            if not self.runner.unlit:
                self.done.emit(self.progress.by)

    def _key_words(self) -> str:
        if self.runner.is_going:
            return {"running": tr("Hold"), "held": tr("Go on")}[self.runner.state]
        if not self.plays:
            return tr("Start the beam") if self._checked is self.run else tr("Arm the port")
        if self.broke_off:
            return tr("Go on at line {burnt}", burnt=self.progress.burnt + 1)
        return tr("Burn on stand-in")

    def _show_lines(self, run: SheetRun, *, going: bool) -> None:
        clear_layout(self.lines)
        if going or (self.broke_off and self.plays):
            return  # the stand-in asks for none: room for what is to be looked at
        for check in self.runner.checks(run):
            line = TickLine(check)
            line.toggled.connect(partial(self._tick, check.key))
            self.lines.addWidget(line)

    def _tick(self, key: str, on: bool) -> None:
        if self.run is not None:
            self.runner.tick(self.run, key, on=on)
            at = [check.key for check in self.runner.checks(self.run)].index(key)
            item = self.lines.itemAt(at)
            line = item.widget() if item is not None else None
            if line is not None:
                line.setFocus()

    def _show_ways(self, run: SheetRun) -> None:
        """What can be done after a run that broke off: go on at the last sure line, or behind the
        one that may be half burnt.
        """
        clear_layout(self.ways)
        progress = self.progress
        if not self.broke_off:
            return
        at, behind, count = progress.burnt, progress.begun, len(run.steps)
        if at < behind < count:
            tip = tr("look at line {at} first: nothing is repeated", at=at + 1)
            if behind > at + 1:
                tip = tr(
                    "look at lines {at} to {behind} first: nothing is repeated",
                    at=at + 1,
                    behind=behind,
                )
            self.ways.addWidget(
                self._way(tr("On at line {behind}", behind=behind + 1), behind, tip)
            )
        self.ways.addWidget(self._way(tr("From the start"), 0, tr("burns every line again")))
        self.ways.addStretch(1)

    def _way(self, words: str, first: int, tip: str) -> QWidget:
        key = button(words, tip=tip)
        key.clicked.connect(lambda: self._begin(first))
        return key

    def _tell(self) -> None:
        """How far it has come, and what burns now."""
        run = self.run
        if run is None or self.presenter.job is None:
            return
        progress, state = self.progress, self.runner.state
        count = len(run.steps)
        told = tr("{burnt} of {count} lines", burnt=progress.burnt, count=count)
        if self.runner.is_going and self.runner.unlit:
            told = tr("Showing the {unlit}, beam off", unlit=self.runner.unlit)
        elif self.runner.is_going:
            left = duration_text(self.runner.left_s(run, progress))
            told += tr(", {words}, {left} to go", words=WORDS[state], left=left)
        elif progress.complete:
            told = tr("{count} of {count} lines burnt.", count=count)
        elif progress.begun:
            why = progress.interrupted or tr("the program ended during the run")
            told = tr("It broke off at line {burnt}: {why}.", burnt=progress.burnt + 1, why=why)
            if progress.begun > progress.burnt + 1:
                told += tr(
                    " Lines {at} to {behind} may be burnt (dashed on the sheet): look at them.",
                    at=progress.burnt + 1,
                    behind=progress.begun,
                )
        else:
            told = ""
        self.said.setText(told)
        in_hand = self.runner.beam_doubt
        if self.runner.is_going and not in_hand:
            in_hand = self.runner.in_hand
        if self._checked is run and not self.plays:
            at = tr(" at line {first}", first=self._first + 1) if self._first else ""
            in_hand = tr("Armed: the next key starts the beam{at}. Everyone wears eyewear.", at=at)
            way = first_way_words(
                run.ground, run.steps[self._first][0].start, goes_on=bool(progress.begun)
            )
            in_hand = f"{in_hand} {way}".strip()
        self.now.setText(in_hand)
        for line in (self.now, self.said):
            line.setVisible(bool(line.text()))

    # -- acts --------------------------------------------------------------------------------------

    def main_action(self) -> None:
        """Arm, start, hold, go on: what the big key says."""
        if self.run is None:
            return
        if self.runner.is_going:
            self.runner.pause()
        elif self._checked is self.run:
            self._start(first=self._first)
        else:
            self._begin(self.progress.burnt if self.broke_off else 0)

    def _arm(self) -> None:
        """First every line ticked and the program checked anew; then the next key starts."""
        run = self.run
        assert run is not None
        if not self.session.preferences.port:
            self.session.tell(
                tr(
                    "No port is set. Type in the machine's serial port "
                    "in Burn, or take the written "
                    "files to the machine."
                )
            )
            return
        lacking = self.runner.open_lines(run)
        if lacking:
            self.session.tell(
                tr("The port is not armed: tick {lacking} first.", lacking=mid_sentence(lacking[0]))
            )
            return
        self._checked_first(lambda: self._armed(run), first=self._first)

    def _checked_first(
        self, then: Callable[[], None], *, unlit: Unlit = "", first: int = 0
    ) -> None:
        """Check what is to be sent, beside the window; then go on with the same sheet."""
        run, result = self.run, self.presenter.result
        if run is None or result is None:
            return
        self.main_window.work_at_rest(
            self.main,
            lambda: check_run(result, run, unlit, first),
            lambda _: then() if run is self.run else None,
        )

    def _armed(self, run: SheetRun) -> None:
        if run is self.run:
            self._checked = run
            self._disarm.start()
            self.show_run()

    def _disarmed(self) -> None:
        self._disarm.stop()
        if self._checked is not None:
            self._checked = None
            self.show_run()

    def _begin(self, first: int) -> None:
        """Start at a step; on a port the next key does, once it is armed."""
        self._first = first
        if self.plays:
            self._checked_first(lambda: self._start(first=first), first=first)
        else:
            self._arm()

    def _trace(self, what: Unlit) -> None:
        if not self.plays and not self.session.preferences.port:
            self._arm()
            return
        self._checked_first(lambda: self._start(unlit=what), unlit=what)

    def _start(self, *, first: int = 0, unlit: Unlit = "") -> None:
        run, preferences, services = self.run, self.session.preferences, self.main_window.services
        assert run is not None

        def start() -> None:
            if self.plays:
                self.runner.start(run, first=first, unlit=unlit, pace=self.pace.times)
                return
            wire = services.open_port(preferences.port, preferences.port_baud)
            self.runner.start(
                run,
                first=first,
                unlit=unlit,
                wire=wire,
                words=words_of(preferences),
                by=preferences.port,
            )

        self._disarm.stop()
        self._checked = None
        self._told_done = False
        if self.session.attempt(start):
            self.timer.start()
        self.timer.pumped.emit()

    def stop(self) -> None:
        """End the run, beam off."""
        self.session.attempt(self.runner.stop)

    def _pump_failed(self, problem: AlmanacError) -> None:
        """A full disk or a locked library: the head is held, nothing is lost."""
        if self.runner.state == "running":
            self.runner.pause()
        self.session.tell(str(problem))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Space and self.runner.is_going:
            self.main_action()
        elif event.key() == Qt.Key.Key_Escape and self.runner.is_going:
            self.stop()
        elif event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        else:
            super().keyPressEvent(event)
