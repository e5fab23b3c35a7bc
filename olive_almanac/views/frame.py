"""The frame every station lives in: subject line, problem strip, rail, margin note."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QEvent, QObject, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QFontMetrics, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from olive_almanac.core.dates import as_date, day_month_text, weekday_text
from olive_almanac.core.records.setting import TASK_WORDS, TASKS
from olive_almanac.core.units import count_text
from olive_almanac.core.words import tr
from olive_almanac.steps.book import STATE_WORDS
from olive_almanac.steps.cautions import FULL_CAUTION, cautions_of
from olive_almanac.steps.session import Session
from olive_almanac.steps.stations import STATIONS, Station, progress_of
from olive_almanac.views.marks import Mark, draw_twig, round_pen
from olive_almanac.views.parts import (
    SearchField,
    Word,
    WordPicker,
    box,
    button,
    clear_layout,
    col,
    hair,
    label,
    row,
    tip_text,
)
from olive_almanac.views.theme import NO_BRUSH, NO_PEN, C, F, compact, px


class SubjectLine(QWidget):
    """On [machine] with [stock] I want to [task], its state, and the way to find a setting.

    Signals:
        add_asked(str): "machine" or "stock": the operator wants to add one.
        find_asked(): the search field was clicked or focused.
    """

    add_asked = Signal(str)
    find_asked = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setFixedHeight(px(72))
        size = compact(17, 20)
        self.machine = WordPicker("sent_b", size, tr("Machine"))
        self.stock = WordPicker("sent_b", size, tr("Stock"))
        self.task = WordPicker("sent_b", size, tr("Task"))
        self.mark = Mark("state", "untried", 34)
        self.state = label("", "h3")
        self.reason = label("", "small", "second")
        self.find = SearchField(compact("", tr("Find anything")), tr("Ctrl K"))
        self.find.setAccessibleName(tr("Find anything"))
        self.find.setReadOnly(True)
        self.find.setFixedWidth(px(compact(84, 190)))
        self.find.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.find.installEventFilter(self)
        state = col(None, self.state, self.reason, None, gap=0)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(px(compact(122, 172) + 12), 0, px(14), px(8))
        layout.setSpacing(0)
        for part in (
            Word(tr("On "), size=size),
            self.machine,
            Word(tr("  with "), size=size),
            self.stock,
            Word(tr("  I want to "), size=size),
            self.task,
        ):
            layout.addWidget(part)
            if part in (self.machine, self.task):
                part.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        layout.addStretch(1)
        layout.addWidget(self.mark)
        layout.addSpacing(px(8))
        layout.addLayout(state)
        layout.addSpacing(px(12))
        layout.addWidget(self.find)
        self.machine.picked.connect(lambda uid: session.choose(machine=uid))
        self.stock.picked.connect(lambda uid: session.choose(stock=uid))
        self.task.picked.connect(lambda task: session.choose(task=task))
        self.machine.extra_chosen.connect(lambda: self.add_asked.emit("machine"))
        self.stock.extra_chosen.connect(lambda: self.add_asked.emit("stock"))
        self.refresh()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        asked = event.type() == QEvent.Type.MouseButtonRelease or (
            event.type() == QEvent.Type.KeyPress and event.text().strip()
        )
        if watched is self.find and asked:
            self.find_asked.emit()
            return True
        return super().eventFilter(watched, event)

    def refresh(self) -> None:
        subject, catalogue = self.session.subject, self.session.catalogue
        self.machine.set_choices(
            [(m.uid, m.label) for m in catalogue.machines],
            subject.machine.uid if subject.machine else "",
            none_text=tr("a machine"),
            extra=tr("Add a machine"),
        )
        self.stock.set_choices(
            [(s.uid, s.label) for s in catalogue.stocks],
            subject.stock.uid if subject.stock else "",
            none_text=tr("a stock"),
            extra=tr("Add a stock"),
        )
        self.task.set_choices([(task, TASK_WORDS[task]) for task in TASKS], subject.task)
        state, reason = self.session.state
        self.mark.set_key(state)
        self.mark.setVisible(subject.complete)
        if subject.complete:
            self.state.setText(STATE_WORDS[state][0])
        else:
            self.state.setText("")
        entry = self.session.entry
        if state == "proven" and entry is not None and entry.prove_again_by is not None:
            reason = tr("until {by}", by=day_month_text(as_date(entry.prove_again_by)))
        self.reason.setToolTip(tip_text(reason))
        self.reason.setText(_short(reason))
        self.reason.setVisible(subject.complete and not compact(True, False))

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), C("page"))
        height = self.height()
        painter.fillRect(0, height - px(6), self.width(), px(3), C("ink"))
        painter.fillRect(0, height - px(2), self.width(), max(1, px(1)), C("ink"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        scale = px(100) / 100
        painter.scale(scale, scale)
        tight = compact(True, False)
        draw_twig(painter, QRectF(8, 17, 34, 34) if tight else QRectF(14, 13, 40, 40))
        painter.setPen(C("ink"))
        painter.setFont(F("h3", 15 if tight else 17))
        painter.drawText(QPointF(46 if tight else 56, 31), tr("Olive"))
        painter.drawText(QPointF(46 if tight else 56, 49 if tight else 51), tr("Almanac"))


def _short(reason: str, most: int = 24) -> str:
    if len(reason) <= most:
        return reason
    return reason[: most - 1].rsplit(" ", 1)[0] + " …"


class ProblemStrip(QWidget):
    """What went wrong, where, and what to do; one button beside it.

    Signals:
        action_asked(): the button was pressed.
    """

    action_asked = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.text = label("", "ui", wrap=True)
        self.button = button(tr("Understood"))
        self.button.clicked.connect(self.action_asked)
        layout = row(Mark("stop", "act", 28), self.text, self.button, gap=14)
        layout.setStretch(1, 1)
        layout.setContentsMargins(px(20), px(6), px(16), px(6))
        self.setLayout(layout)
        self.hide()

    def show_problem(self, text: str, action: str) -> None:
        self.text.setText(text)
        self.text.setAccessibleName(tr("Problem: ") + text)
        self.button.setText(action)
        self.setVisible(bool(text))

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), C("ember_wash"))
        painter.fillRect(0, self.height() - 1, self.width(), 1, C("ember"))


class StationButton(QAbstractButton):
    """One station of the rail: a bead on the thread, the name, and how far it is."""

    def __init__(self, station: Station, *, first: bool = False, last: bool = False) -> None:
        super().__init__()
        self.station, self.first, self.last = station, first, last
        self.name, self.word, self.status, self.current = station.title, "", "todo", False
        self.setFixedHeight(px(compact(58, 60)))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setToolTip(tip_text(f"{station.title}  ({station.key})"))

    def show_state(self, status: str, word: str, *, current: bool) -> None:
        self.status, self.word, self.current = status, word, current
        self.setAccessibleName(f"{self.name}, {word}")
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        scale = px(100) / 100
        painter.scale(scale, scale)
        w, h = self.width() / scale, self.height() / scale
        if self.current:
            painter.fillRect(QRectF(0, 0, w, h), C("page"))
            painter.fillRect(QRectF(0, 0, 5, h), C("olive"))
            for y in (0, h - 1):
                painter.fillRect(QRectF(5, y, w, 1), C("rule"))
        elif self.underMouse():
            painter.fillRect(QRectF(0, 0, w, h), C("wash"))
        if self.station.thread:
            self._draw_bead(painter, compact(22.0, 30.0), 22.0, h)
        left = compact(40, 50)
        painter.setPen(C("ink"))
        painter.setFont(F("station"))
        painter.drawText(QPointF(left, 28), self.name)
        painter.setPen(C("ink2"))
        painter.setFont(F("small"))
        room, words = int(w - left - 4), self.word
        if painter.fontMetrics().horizontalAdvance(words) > room and ", " in words:
            words = words.rpartition(", ")[2]  # the pressing part stands last: "5 due"
        words = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, room)
        painter.drawText(QPointF(left, 47), words)
        if self.hasFocus():
            painter.setPen(QPen(C("olive"), 2))
            painter.setBrush(NO_BRUSH)
            painter.drawRect(QRectF(2, 2, w - 4, h - 4))

    def _draw_bead(self, painter: QPainter, x: float, y: float, height: float) -> None:
        painter.setPen(QPen(C("edge"), 1.5))
        if not self.first:
            painter.drawLine(QPointF(x, 0), QPointF(x, y - 9))
        if not self.last:
            painter.drawLine(QPointF(x, y + 9), QPointF(x, height))
        if self.status == "done":
            painter.setPen(QPen(C("olive"), 1))
            painter.setBrush(C("olive"))
            painter.drawEllipse(QPointF(x, y), 7, 7)
            painter.setPen(round_pen(C("on_olive"), 1.9))
            painter.drawPolyline(
                [QPointF(x - 3.2, y + 0.2), QPointF(x - 0.8, y + 2.8), QPointF(x + 3.4, y - 2.6)]
            )
        elif self.status == "now":
            painter.setPen(QPen(C("ink"), 2))
            painter.setBrush(C("brass_fill"))
            painter.drawEllipse(QPointF(x, y), 7, 7)
            painter.setPen(NO_PEN)
            painter.setBrush(C("on_brass"))
            painter.drawEllipse(QPointF(x, y), 2.4, 2.4)
        else:
            painter.setPen(QPen(C("edge"), 1.8))
            painter.setBrush(C("page" if self.current else "desk"))
            painter.drawEllipse(QPointF(x, y), 6, 6)


class Rail(QWidget):
    """The six stations on their thread, and the day.

    Signals:
        station_asked(str): the station's id.
    """

    station_asked = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        wide = QFontMetrics(F("station"))
        longest = max(wide.horizontalAdvance(station.title) for station in STATIONS)
        self.setFixedWidth(px(max(compact(122, 172), compact(40, 50) + longest + 8)))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, px(compact(4, 12)), 0, px(10))
        layout.setSpacing(0)
        thread = [station for station in STATIONS if station.thread]
        self.buttons = [
            self._button(one, first=one is thread[0], last=one is thread[-1]) for one in thread
        ]
        for made in self.buttons:
            layout.addWidget(made)
        layout.addStretch(1)
        for station in STATIONS:
            if not station.thread:  # beside the thread
                self.buttons.append(self._button(station))
                layout.addWidget(self.buttons[-1])
        layout.addSpacing(px(compact(0, 10)))
        self.day = label("", "note")
        self.due = label("", "small", "second", wrap=True)
        if not compact(True, False):
            layout.addLayout(col(hair(), self.day, self.due, gap=2, margins=(20, 0, 14, 0)))

    def _button(self, station: Station, *, first: bool = False, last: bool = False) -> Any:
        made = StationButton(station, first=first, last=last)
        made.clicked.connect(lambda: self.station_asked.emit(station.id))
        return made

    def refresh(self, current: str) -> None:
        for made in self.buttons:
            progress = progress_of(self.session, made.station)
            word = compact(progress.short or progress.word, progress.word)
            made.show_state(progress.status, word, current=made.station.id == current)
        today = self.session.today()
        self.day.setText(f"{weekday_text(today)} {day_month_text(today)}")
        if self.day.sizeHint().width() > self.width() - px(34):  # between the rail's margins
            self.day.setText(f"{weekday_text(today)} {day_month_text(today, short=True)}")
        due = self.session.shop.due_count()
        self.due.setText(
            ""
            if not self.session.catalogue.entries
            else tr(
                "{entrys} due again",
                entrys=count_text(due, "entry", "entries") if due else tr("nothing"),
            )
        )

    def paintEvent(self, _event: QPaintEvent) -> None:
        QPainter(self).fillRect(self.rect(), C("desk"))


class MarginNote(QWidget):
    """The cautions of the present subject along the foot of the window."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setFixedHeight(px(compact(42, 52)))
        self.setToolTip(tip_text(FULL_CAUTION))
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(px(20), px(2), px(16), 0)
        self._row.setSpacing(0)
        self._shown: object = None
        self.refresh()

    def refresh(self) -> None:
        notes = cautions_of(self.session)
        if notes == self._shown:
            return
        self._shown = notes
        clear_layout(self._row)
        if not compact(True, False) or not notes:
            self._row.addWidget(label(tr("In the margin"), "note", "second"))
            self._row.addSpacing(px(20))
        if not notes:
            self._row.addWidget(label(FULL_CAUTION, "small", "second"))
        for note in notes:
            lines = [None, label(note.words, "small_b")]
            if not compact(True, False):
                if note.kind == "stop":
                    most = 66
                elif notes[0].kind == "stop":
                    most = 26
                else:
                    most = 44
                detail = label(_short(note.detail, most), "small", "second")
                detail.setToolTip(tip_text(note.detail))
                lines.append(detail)
            words = box(col(*lines, None, gap=0))
            words.setAccessibleName(f"{note.words}. {note.detail}")
            words.setToolTip(tip_text(f"{note.detail}. {FULL_CAUTION}"))
            self._row.addLayout(
                row(Mark(note.kind, note.level, compact(28, 30)), words, None, gap=9),
                2 if note.kind == "stop" else 1,
            )

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), C("wash"))
        painter.fillRect(0, 0, self.width(), 1, C("edge"))
