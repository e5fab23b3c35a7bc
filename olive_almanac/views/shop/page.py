"""Shop: a machine's counters, its parts with how much of their interval is used, and the part in
hand with what is noted of it.
"""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QKeyEvent, QPainter, QPen
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from olive_almanac.core.records.service import ACTS, FOUND
from olive_almanac.core.units import capital, number_text
from olive_almanac.core.upkeep.due import Due
from olive_almanac.core.upkeep.services import CLASSES
from olive_almanac.core.words import tr
from olive_almanac.steps.act_words import act_words, used_words
from olive_almanac.steps.hour_costs import cost_words
from olive_almanac.steps.mirrors import MirrorsPresenter
from olive_almanac.steps.requests import PlanKind
from olive_almanac.steps.shop_files import SHOP_FILES, calendar_work, log_work, week_work
from olive_almanac.steps.time_line import SPANS, TimeMark
from olive_almanac.steps.upkeep import INTERVAL_FIELDS, UpkeepPresenter, UpkeepScreen
from olive_almanac.views.parts import (
    MIDDLE_LEFT,
    MIDDLE_RIGHT,
    ListLine,
    Number,
    Page,
    Segments,
    WordPicker,
    box,
    button,
    clear_layout,
    col,
    hair,
    head,
    label,
    own_picker,
    page_margins,
    row,
    scrolling,
    tip_text,
)
from olive_almanac.views.shop.costs import CostsDialog
from olive_almanac.views.shop.mirrors import MirrorsPanel
from olive_almanac.views.shop.timeline import TimeLineChart
from olive_almanac.views.station_page import StationPage
from olive_almanac.views.theme import NO_BRUSH, C, F, compact, px

if TYPE_CHECKING:
    from olive_almanac.core.records.service import Counters
    from olive_almanac.core.records.trial import Kind
    from olive_almanac.views.window import MainWindow

__all__ = ["ShopPage"]

CAUTION = tr("Power off and let it cool before you reach in. The machine's manual comes first.")
KNOWN = tr(
    "disc: weekly check (dotted: smoothed), slashed square: power meter, triangle: a burn; left "
    "and right take one in hand"
)
NOTHING = tr("No machine is known yet. Set up adds one.")
LINE_PX = (44, 50)
MACHINE, SERVICES, MIRRORS = range(3)  # what is shown


class PartLine(ListLine):
    """One part: its words, how much of its interval is used as a bar, and by what.

    Tab stops at the one in hand alone; Up and Down take the next in hand.
    """

    def __init__(self, due: Due, *, held: bool) -> None:
        super().__init__(held=held)
        self.due = due
        self.setFixedHeight(px(compact(*LINE_PX)))
        state = tr("due now") if due.is_now else tr("due soon") if due.is_soon else tr("not due")
        self.setAccessibleName(f"{due.part.words}, {state}: {used_words(due)}")
        self.setToolTip(tip_text(capital(CLASSES[due.part.danger])))

        self.hold(held)

    def hold(self, held: bool) -> None:
        super().hold(held)
        focus = Qt.FocusPolicy
        self.setFocusPolicy(focus.StrongFocus if held else focus.ClickFocus)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
            return
        lines = [one for one in self.window().findChildren(PartLine) if not one.isHidden()]
        at = lines.index(self) + step
        if 0 <= at < len(lines):
            lines[at].setFocus()
            lines[at].click()

    def sizeHint(self) -> QSize:
        return QSize(px(300), px(compact(*LINE_PX)))

    def told(self, room: float) -> str:
        """What is said below its words: in full, or without the last act where that has no room."""
        metrics = QFontMetricsF(F("small"))
        ways = (used_words(self.due), used_words(self.due, last_act=False))
        return next((one for one in ways if metrics.horizontalAdvance(one) <= room), ways[-1])

    def draw(self, painter: QPainter, w: float, h: float) -> None:
        due = self.due
        tone = "ember" if due.is_now else "brass" if due.is_soon else "olive"
        painter.setPen(C("ink"))
        painter.setFont(F("ui_b"))
        painter.drawText(QRectF(10, 3, w - 150, 22), MIDDLE_LEFT, due.part.words)
        word = tr("now") if due.is_now else tr("soon") if due.is_soon else ""
        painter.drawText(QRectF(w - 140, 3, 130, 22), MIDDLE_RIGHT, word)
        painter.setFont(F("small"))
        painter.setPen(C("ink2"))
        painter.drawText(QRectF(10, 23, w - 150, 20), MIDDLE_LEFT, self.told(w - 150))
        bar = QRectF(w - 130, h - 18, 120, 8)
        painter.setPen(QPen(C("rule"), 1))
        painter.setBrush(NO_BRUSH)
        painter.drawRect(bar)
        painter.fillRect(
            QRectF(bar.left(), bar.top(), bar.width() * min(1.0, due.share), bar.height()), C(tone)
        )


class PartPanel(Page):
    """The part in hand: by what one sees it, what is noted of it, its interval, its log.

    Signals:
        noted(): the main key was pressed.
    """

    noted = Signal()

    def __init__(self, presenter: UpkeepPresenter) -> None:
        super().__init__()
        self.presenter = presenter
        self.part = ""
        self.title = label("", "h2", wrap=True)
        self.sign = label("", "small", "second", wrap=True)
        self.problem = label("", "ui", "ember", wrap=True)
        self.found = own_picker(tr("What was found"), FOUND, "")
        self.fields = {
            "minutes": Number(tr("Minutes it took"), 50),
            "cost": Number(tr("Cost of parts"), 56),
            "celsius": Number(tr("Temperature of the water, degrees C"), 50),
            "flow": Number(tr("Flow of the water, l/min"), 50),
            "watts": Number(tr("Power that the meter read, W"), 56),
            "at_percent": Number(tr("Power at which it read so, %"), 50),
            "note": Number(tr("A note"), 200, grows=False),
        }
        self.fields["note"].setPlaceholderText(tr("a note"))
        self.keep = button("", "main", tip="Ctrl+Enter")
        self.keep.clicked.connect(self.note)
        f = self.fields

        def small(words: str) -> Any:
            return label(words, "ui", "second")

        water = (small(tr("at")), f["celsius"], small("°C,"), f["flow"], small("l/min"))
        self.water = box(row(*water, None, gap=6))
        small_words = (
            small(tr("It read")),
            f["watts"],
            small(tr("W at")),
            f["at_percent"],
            small("%"),
        )
        self.meter = box(row(*small_words, None, gap=6))
        self.override = button(tr("Burn all the same"), tip=tr("kept with the note as its reason"))
        self.override.clicked.connect(self._override)
        self.intervals = {
            key: Number(tr("Every so many {words}", words=words), 52) for key, words in _INTERVALS
        }
        self.set_interval = button(
            tr("Keep this interval"), "plain", tip=tr("the shop’s own, instead of the usual one")
        )
        self.set_interval.clicked.connect(self._keep_interval)
        self.whose = label("", "small", "second", wrap=True)
        self.log = QVBoxLayout()
        self.log.setSpacing(px(2))
        i = self.intervals
        self.setLayout(
            col(
                self.title,
                self.sign,
                row(small(tr("Found")), self.found, None, gap=6),
                self.water,
                self.meter,
                row(
                    f["minutes"], small(tr("min,")), f["cost"], small(tr("for parts")), None, gap=6
                ),
                f["note"],
                self.problem,
                row(self.keep, self.override, None, gap=8),
                hair(),
                row(
                    small(tr("Every")),
                    i["hours"],
                    small(tr("h on or")),
                    i["days"],
                    small(tr("days")),
                    None,
                    gap=6,
                ),
                row(
                    i["beam_hours"],
                    small(tr("h of beam,")),
                    i["grams"],
                    small(tr("g smoke")),
                    None,
                    gap=6,
                ),
                row(self.whose, None, self.set_interval, gap=6),
                hair(),
                self.log,
                None,
                gap=6,
            )
        )

    def show_part(self, screen: UpkeepScreen) -> None:
        held = screen.held
        self.setVisible(held is not None)
        if held is None:
            return
        if held.part.id != self.part:
            self.part = held.part.id
            self.found.show_key("")
            for field in self.fields.values():
                field.setText("")
                field.setModified(False)
        self.title.setText(capital(held.part.words))
        self.sign.setText(
            tr(
                "One sees it: {sign}. If it is left: {follows}.",
                sign=held.part.sign,
                follows=held.part.follows,
            )
        )
        trouble = tr("Nothing is burnt: {water}.", water=screen.water) if screen.water else ""
        told = screen.problem or (trouble if held.part.id == "water" else "")
        self.problem.setText(told)
        self.problem.setVisible(bool(told))
        self.override.setVisible(held.part.id == "water" and bool(screen.water))
        self.water.setVisible(held.part.id == "water")
        self.meter.setVisible(held.part.id == "power")
        self.keep.setText(tr("Note it: {acts} today", acts=ACTS[held.part.act]))
        for key, field in self.intervals.items():
            if not field.isModified():
                value = getattr(held.interval, key)
                field.setText(number_text(value, 6) if value else "")
        usual = held.why or tr("common practice")
        self.whose.setText(tr("this shop's own") if held.is_own else usual)
        clear_layout(self.log)
        for n, act in enumerate(screen.log):
            line = row(label(act_words(act), "small", "second", wrap=True), gap=4)
            line.setStretch(0, 1)
            if n == 0:
                away = button(tr("take back"), "plain")
                away.clicked.connect(lambda _=False, uid=act.uid: self.presenter.take_back(uid))
                line.addWidget(away)
            self.log.addLayout(line)

    def note(self) -> None:
        texts = {key: field.text() for key, field in self.fields.items()}
        if self.presenter.note(self.part, self.found.key, texts):
            self.part = ""  # the fields are emptied
            self.presenter.show()

    def _override(self) -> None:
        if self.presenter.override(self.fields["note"].text()):
            self.part = ""
            self.presenter.show()

    def _keep_interval(self) -> None:
        texts = {key: field.text() for key, field in self.intervals.items()}
        if self.presenter.set_interval(self.part, texts):
            for field in self.intervals.values():
                field.setModified(False)
            self.presenter.show()


_INTERVALS = tuple(INTERVAL_FIELDS.items())


class MachinePanel(Page):
    """How the machine in hand is: the diagnosis, its time line, what to do.

    Signals:
        asked(str): what stands behind a mark of the time line, or "part|ID" to note a service.
        planned(str): a trial of this kind is to be planned.
    """

    asked = Signal(str)
    planned = Signal(str)

    def __init__(self, presenter: UpkeepPresenter) -> None:
        super().__init__()
        self.presenter = presenter
        self._optics = "lens"  # which part is cleaned
        self._others_shown: tuple[tuple[str, str], ...] = ()
        self.says = label("", "h2", wrap=True)
        self.why = label("", "ui", wrap=True)
        self.do = label("", "ui_b", wrap=True)
        self.others = QHBoxLayout()
        self.others.setSpacing(px(14))
        self.chart = TimeLineChart()
        self.chart.taken.connect(self._taken)
        self.chart.opened.connect(lambda mark: self.asked.emit(mark.about))
        self.held = label("", "ui", wrap=True)
        self.open = button(tr("Open it"), "plain", tip=tr("Enter"))
        self.open.clicked.connect(self._open)
        self.clean = button(tr("Note a cleaning"), "main", tip="Ctrl+Enter")
        self.clean.clicked.connect(lambda: self.asked.emit(f"part|{self._optics}"))
        self.meter = button(tr("Note a power reading"), tip=tr("what the power meter read, in W"))
        self.meter.clicked.connect(lambda: self.asked.emit("part|power"))
        self.check = button(tr("Plan the weekly check"), tip=tr("whether it still burns as it did"))
        self.check.clicked.connect(lambda: self.planned.emit("weekly"))
        self.bed = button(tr("Map the bed"), tip=tr("why one side of the bed is weaker"))
        self.bed.clicked.connect(lambda: self.planned.emit("bed"))
        self.span = own_picker(tr("How much of it is shown"), SPANS, "182")
        self.span.picked.connect(self._spanned)
        reading = row(self.held, self.open, gap=8)
        reading.setStretch(0, 1)
        keys = row(self.clean, self.meter, self.check, self.bed, None, self.span, gap=8)
        top = col(self.says, self.why, self.do, self.others, gap=4)
        whole = col(top, self.chart, reading, keys, gap=8)
        whole.setStretch(1, 1)  # the chart
        self.setLayout(whole)

    def show_machine(self, screen: UpkeepScreen) -> None:
        told = screen.diagnosis
        self.says.setText(told.says if told is not None else tr("Reading what is known of it ..."))
        self.why.setText(told.why if told is not None else "")
        self.do.setText(told.do if told is not None else "")
        for part in (self.why, self.do):
            part.setVisible(bool(part.text()))
        ids = {due.part.id for due in screen.parts}
        self._optics = "scan_window" if "scan_window" in ids else "lens"
        if screen.others != self._others_shown:
            self._show_others(screen.others)
        self.chart.setVisible(screen.line is not None)
        if screen.line is not None and screen.line != self.chart.line:
            self.chart.show_line(screen.line)
            self._say_held(None)

    def _show_others(self, others: tuple[tuple[str, str], ...]) -> None:
        """The other machines, one key each."""
        self._others_shown = others
        clear_layout(self.others)
        if others:
            self.others.addWidget(label(tr("The others:"), "ui", "second"))
        for uid, words in others:
            other = button(words, "plain", tip=tr("shows this machine instead"))
            other.clicked.connect(lambda _=False, uid=uid: self.presenter.choose_machine(uid))
            self.others.addWidget(other)
        self.others.addStretch(1)

    def _taken(self, mark: TimeMark) -> None:
        self._say_held(mark)

    def _say_held(self, mark: TimeMark | None) -> None:
        line = self.chart.line
        hint = KNOWN if line is not None and line.marks else ""
        self.held.setText(mark.words if mark is not None else hint)
        self.open.setVisible(mark is not None and not mark.about.startswith("state|"))

    def _open(self) -> None:
        line = self.chart.line
        if line is not None and self.chart.at >= 0:
            self.asked.emit(line.marks[self.chart.at].about)

    def _spanned(self, days: str) -> None:
        self.presenter.choose_span(days)


class ShopPage(StationPage):
    """Keeps the machines true: counters, parts, acts."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        services = window.services
        self.presenter = UpkeepPresenter(self.session, self, services.now, self.session.new_id)
        self._shown: tuple[Due, ...] = ()
        self.machine = WordPicker("sent_b", name=tr("Machine"))
        self.machine.picked.connect(self.presenter.choose_machine)
        self.caution = label(CAUTION, "small", "second", wrap=True)
        self.says = label("", "h3", wrap=True)
        self.counters = label("", "ui", wrap=True)
        self.costs = label("", "ui", "second", wrap=True)
        self.change_costs = button(tr("Costs"), "plain", tip=tr("what an hour of it costs"))
        self.change_costs.clicked.connect(self._ask_costs)
        self.hours = Number(tr("Hours to add or take off"), 56)
        self.hours.setPlaceholderText("+12")
        self.reason = Number(tr("Reason of the correction"), 150, grows=False)
        self.reason.setPlaceholderText(tr("the reason"))
        self.correct = button(tr("Correct"), tip=tr("adds signed hours to the hours on"))
        self.correct.clicked.connect(self._correct)
        self.lines = QVBoxLayout()
        self.lines.setSpacing(0)
        self.parts = Page()
        self.parts.setLayout(self.lines)
        self.panel = PartPanel(self.presenter)
        self.nothing = label(NOTHING, "ui", "second", wrap=True)
        self.nothing.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.machine_panel = MachinePanel(self.presenter)
        self.machine_panel.asked.connect(self.open_about)
        self.machine_panel.planned.connect(self._plan)
        self.view = Segments(
            (tr("time line"), tr("services"), tr("mirrors")),
            name=tr("What is shown of the machine"),
        )
        self.view.chosen.connect(self.show_view)
        self.stack = QStackedWidget()
        self._view: int | None = None
        self.said = label("", "small", "second")
        self._build()

    def _file_key(self, kind: str, words: str) -> QPushButton:
        key = button(words, "plain", tip=tr("asks where to write it"))
        key.clicked.connect(lambda: self._write(kind))
        return key

    def _write(self, kind: str) -> None:
        """Write one of the shop's files where the operator says."""
        machine, now = self.presenter.machine, self.main_window.services.now()
        words, suggested, sort = SHOP_FILES[kind]
        folder = self.session.store.folder
        name, _ = QFileDialog.getSaveFileName(self, words, str(folder / suggested), sort)
        if not name or machine is None:
            return
        path = Path(name)
        if kind == "log":
            work = log_work(self.session, machine, path)
        else:
            make = week_work if kind == "week" else calendar_work
            work = make(self.session, now, path)
        self.main_window.work(work, self.said.setText)

    def _build(self) -> None:
        self.area = scrolling(self.parts, (300, 160))
        small = label(tr("h on"), "ui", "second")
        correcting = box(row(self.hours, small, self.reason, self.correct, None, gap=6))
        priced = row(self.costs, self.change_costs, gap=8)
        priced.setStretch(0, 1)
        self.keys = [self._file_key(kind, words) for kind, (words, _, _) in SHOP_FILES.items()]
        files = row(*self.keys, self.said, None, gap=10)
        left = col(self.says, self.counters, priced, correcting, hair(), self.area, files, gap=6)
        left.setStretch(5, 1)  # the list
        side = scrolling(self.panel, (compact(280, 320), 200))
        side.setFixedWidth(px(compact(300, 350)))
        across = QHBoxLayout()
        across.setSpacing(px(compact(14, 22)))
        across.addLayout(left, 1)
        across.addWidget(hair("vhair"))
        across.addWidget(side)
        self.services = Page()
        whole = col(self.caution, across, gap=4)
        whole.setStretch(1, 1)
        self.services.setLayout(whole)
        self.stack.addWidget(self.machine_panel)
        self.stack.addWidget(self.services)
        self.mirrors = MirrorsPanel(MirrorsPresenter(self.presenter))
        self.stack.addWidget(scrolling(self.mirrors, (300, 160)))
        layout = QVBoxLayout(self)
        page_margins(layout)
        layout.addLayout(head(label(tr("Shop"), "h1"), self.machine, None, self.view, topic="shop"))
        layout.addSpacing(px(6))
        layout.addWidget(self.nothing)
        layout.addWidget(self.stack, 1)

    # -- the window asks ---------------------------------------------------------------------------

    def enter(self) -> None:
        if self._view is None:
            self.show_view(MACHINE if self.session.catalogue.checks else SERVICES)
        self.presenter.show()
        self.main_window.following.follow()

    def drift_told(self) -> None:
        self.presenter.show()

    def catalogue_changed(self) -> None:
        self.presenter.show()

    def subject_changed(self) -> None:
        if self.isVisible():
            self.presenter.show()

    def main_action(self) -> None:
        if self._view == SERVICES:
            self.panel.note()
        elif self._view == MIRRORS:
            self.mirrors.keep_marks()
        else:
            self.machine_panel.clean.click()

    def show_view(self, at: int) -> None:
        """Show the machine's time line, or its services."""
        self._view = at
        self.view.set_at(at)
        self.stack.setCurrentIndex(at)

    def open_about(self, about: str) -> None:
        """Open what stands behind a mark: a trial, an entry, a job, or the part of an act."""
        kind, _, name = about.partition("|")
        if kind == "act":
            acts = self.session.catalogue.acts
            name = next((act.part for act in acts if act.uid == name), "")
        if kind in ("act", "part"):
            self.show_view(SERVICES)
            self.presenter.choose_part(name)
            self.panel.fields["watts" if name == "power" else "minutes"].setFocus()
        else:
            self.main_window.open_record(kind, name)

    # -- what is shown -----------------------------------------------------------------------------

    def show_upkeep(self, screen: UpkeepScreen) -> None:
        there = screen.machine is not None
        self.nothing.setVisible(not there)
        for part in (self.machine, self.view, self.stack):
            part.setVisible(there)
        if screen.machine is None:
            return
        choices = [(one.uid, one.label) for one in screen.machines]
        self.machine.set_choices(choices, screen.machine.uid)
        self.machine_panel.show_machine(screen)
        self.mirrors.show_told()
        now = [due for due in screen.parts if due.is_now]
        services = tr("services, {now} due", now=len(now)) if now else tr("services")
        self.view.set_word(SERVICES, services)
        self.says.setText(_summary(now, screen.water))
        self._show_counters(screen.counters)
        self.costs.setText(cost_words(screen.machine))
        self._show_parts(screen)
        self.panel.show_part(screen)

    def _show_counters(self, counters: Counters) -> None:
        hours = tr("{on_h} h on", on_h=number_text(counters.on_h, 3))
        beam = tr("{beam_h} h with the beam on", beam_h=number_text(counters.beam_h, 3))
        energy = tr(
            "{energy_j} MJ sent out", energy_j=number_text(counters.energy_j / 1000000.0, 2)
        )
        smoke = tr(
            "{smoke_g} g of stock gone up in smoke", smoke_g=number_text(counters.smoke_g, 2)
        )
        self.counters.setText(
            tr(
                "{hours}, {beam}. By the runs told here: {energy}, {smoke}.",
                hours=hours,
                beam=beam,
                energy=energy,
                smoke=smoke,
            )
        )

    def _show_parts(self, screen: UpkeepScreen) -> None:
        held = screen.held.part.id if screen.held is not None else ""
        if screen.parts == self._shown:
            for line in self.parts.findChildren(PartLine):
                line.hold(line.due.part.id == held)
                if line.held:
                    self.area.ensureWidgetVisible(line)
            return
        had_focus = isinstance(self.window().focusWidget(), PartLine)
        self._shown = screen.parts
        clear_layout(self.lines)
        before: QWidget = self.correct
        for key in self.keys:
            self.setTabOrder(before, key)
            before = key
        for due in screen.parts:
            line = PartLine(due, held=due.part.id == held)
            line.clicked.connect(lambda _=False, part=due.part.id: self._take(part))
            self.lines.addWidget(line)
            self.setTabOrder(before, line)
            before = line
            if had_focus and line.held:
                line.setFocus()
        self.lines.addStretch(1)
        self.parts.setMinimumHeight(px(compact(*LINE_PX)) * len(screen.parts))

    def _plan(self, kind: Kind) -> None:
        machine = self.presenter.machine
        if machine is not None:
            self.session.choose(machine=machine.uid)
            self.main_window.navigate("plan", PlanKind(kind))

    def _ask_costs(self) -> None:
        if self.presenter.machine is not None:
            dialog = CostsDialog(self, self.presenter)
            dialog.finished.connect(dialog.deleteLater)
            dialog.open()

    def _take(self, part: str) -> None:
        self.presenter.choose_part(part)

    def _correct(self) -> None:
        if self.presenter.correct(self.hours.text(), self.reason.text()):
            self.hours.setText("")
            self.reason.setText("")


def _summary(now: list[Due], water: str) -> str:
    """The top line: what forbids burning, else what is due now, the most dangerous first."""
    if water:
        return tr("Nothing is burnt: {water}.", water=water)
    if not now:
        return tr("Nothing is due.")
    named = "; ".join(due.part.words.partition(":")[0] for due in now[:3])
    more = tr(" and {now} more", now=len(now) - 3) if len(now) > 3 else ""
    first = tr("Due now: {named}{more}.", named=named, more=more)
    if now[0].part.danger == 1:
        return tr("{first} Someone can be hurt: see to it first.", first=first)
    return first
