"""Where and with what: the machines side by side, up to what thickness one goes, and which kind of
machine to have.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPainterPath, QPen
from PySide6.QtWidgets import QDialog, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.lengths import length_unit
from olive_almanac.core.records.machine import SOURCES
from olive_almanac.core.records.setting import TASK_WORDS, TASKS, Task, rasters
from olive_almanac.core.units import length_text, number_text, read_length_mm
from olive_almanac.core.words import tr
from olive_almanac.steps.book import STATE_WORDS as BOOK_STATES
from olive_almanac.steps.files import below, write_file
from olive_almanac.steps.first_start import stock_choices, task_choices
from olive_almanac.steps.where import (
    WHAT_IFS,
    NeedRow,
    WhatIf,
    keeping_words,
    need_work,
    reach_page,
    reach_words,
    reach_work,
    row_numbers,
    row_words,
    typical_machine,
    usual_task,
    what_if_from,
    where_lines,
    where_work,
)
from olive_almanac.steps.worth import worth_words, worth_work
from olive_almanac.views.marks import Mark, draw_state, hatch
from olive_almanac.views.parts import (
    CENTRE,
    MIDDLE_LEFT,
    MIDDLE_RIGHT,
    ListLine,
    Number,
    Page,
    Segments,
    box,
    button,
    clear_layout,
    col,
    hair,
    label,
    own_picker,
    row,
    scrolling,
    tip_text,
)
from olive_almanac.views.theme import NO_BRUSH, C, F, Painted, px
from olive_almanac.views.worker import LatestWork

if TYPE_CHECKING:
    from olive_almanac.core.deciding.reach import StockReach
    from olive_almanac.core.deciding.where import WhereRow
    from olive_almanac.core.records.stock import Stock
    from olive_almanac.views.window import MainWindow

__all__ = ["WhereDialog"]

LEAVES = (tr("machines"), tr("how thick"), tr("which kind to have"))
AIMS = {
    "time": tr("quickest first"),
    "cost": tr("cheapest first"),
    "edge": tr("cleanest edge first"),
    "margin": tr("widest margin first"),
}
STATES = {"reckoned": "guess"}  # drawn as a guess is
STATE_WORDS = {
    **{state: word for state, (word, _) in BOOK_STATES.items()},
    "reckoned": tr("Reckoned"),
}
LINE, NAMES, SETTING, COSTS = 62, 206, 236, 246
BEGUN: tuple[tuple[str, float, Task], ...] = (
    ("plywood", 3.0, "cut"),
    ("acrylic", 3.0, "cut"),
    ("leather", 2.0, "engrave"),
    ("glass", 4.0, "engrave"),
    ("stainless", 1.0, "mark"),
)
MOST_WISHES = 8


class WhereLine(ListLine):
    """One machine: state, setting, time with its range on an axis that all share, cost, edge,
    margin, chance.
    """

    def __init__(self, row: WhereRow, task: Task, axis: tuple[float, float], words: Any) -> None:
        super().__init__(held=False)
        self.row, self.axis, self.numbers = row, axis, words
        self.setFixedHeight(px(LINE))
        told = ", ".join(filter(None, words.values())) or row.reason
        name = " ".join(filter(None, (row.machine.label, row.what_if)))
        said = ", ".join(filter(None, (STATE_WORDS[row.state], told, row.optics)))
        self.setAccessibleName(f"{name}: {said}")
        self.setToolTip(tip_text("; ".join(filter(None, (row_words(row), row.optics)))))

    def draw(self, painter: QPainter, w: float, h: float) -> None:
        shown, numbers = self.row, self.numbers
        draw_state(painter, QRectF(6, h / 2 - 11, 22, 22), STATES.get(shown.state, shown.state))
        painter.setPen(C("ink"))
        painter.setFont(F("h3"))
        name = shown.machine.label if not shown.what_if else f"{shown.machine.name}"
        self._text(painter, (38, 6, NAMES - 42, 26), name)
        painter.setFont(F("small"))
        painter.setPen(C("ink2"))
        below = shown.what_if or row_words(shown) or STATE_WORDS[shown.state]
        if not shown.works:
            self._text(painter, (38, 30, w - 50, 24), f"{STATE_WORDS[shown.state]}: {shown.reason}")
            return
        self._text(painter, (38, 30, NAMES - 42, 24), below)
        painter.setPen(C("ink"))
        painter.setFont(F("ui_b"))
        self._text(painter, (NAMES, 6, SETTING - 8, 26), numbers["setting"])
        painter.setFont(F("small"))
        painter.setPen(C("ink2"))
        sure = tr("{numbers} sure", numbers=numbers["chance"]) if numbers["chance"] else ""
        below = "; ".join(filter(None, (sure, shown.optics)))
        self._text(painter, (NAMES, 30, SETTING - 8, 24), below)
        self._paint_time(painter, NAMES + SETTING, w - COSTS, h)
        columns = (numbers["cost"], numbers["edge"], numbers["margin"], _share(shown.quickest))
        wide = COSTS / len(columns)
        painter.setFont(F("ui"))
        painter.setPen(C("ink"))
        for n, text in enumerate(columns):
            at = QRectF(w - COSTS + n * wide, 0, wide - 8, h - 2)
            painter.drawText(at, MIDDLE_RIGHT, text or "–")

    def _text(self, painter: QPainter, at: tuple[float, float, float, float], words: str) -> None:
        rect = QRectF(*at)
        elide = Qt.TextElideMode.ElideRight
        words = painter.fontMetrics().elidedText(words, elide, int(rect.width()))
        painter.drawText(rect, MIDDLE_LEFT, words)

    def _paint_time(self, painter: QPainter, left: float, right: float, h: float) -> None:
        low, high = (math.log(end) for end in self.axis)

        def at(seconds: float) -> float:
            share = (math.log(seconds) - low) / max(high - low, 1e-6)
            return left + 12 + share * (right - left - 24)

        ends, middle = self.row.range_s, at(self.row.seconds or 1.0)
        y = h - 18
        painter.setPen(QPen(C("rule"), 1))
        painter.drawLine(QPointF(left + 12, y), QPointF(right - 12, y))
        painter.setPen(QPen(C("brass"), 5))
        painter.drawLine(QPointF(at(ends[0]), y), QPointF(at(ends[1]), y))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(C("olive"))
        painter.drawEllipse(QPointF(middle, y), 5, 5)
        painter.setBrush(NO_BRUSH)
        painter.setPen(C("ink"))
        painter.setFont(F("ui_b"))
        words = self.numbers["time"]
        half = painter.fontMetrics().horizontalAdvance(words) / 2 + 2
        x = min(max(middle, left + half), right - half)
        painter.drawText(QRectF(x - 80, 4, 160, 26), CENTRE, words)


def _share(chance: float) -> str:
    return f"{100 * chance:.0f} %"


class WhereHead(Painted):
    """What the columns of the lines are."""

    def __init__(self, task: Task) -> None:
        super().__init__()
        self._per = "100 cm²" if rasters(task) else tr("a metre")
        self.setFixedHeight(px(24))

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        painter.setFont(F("small_b"))
        painter.setPen(C("ink2"))
        for x, words in (
            (38, tr("machine")),
            (NAMES, tr("setting")),
            (NAMES + SETTING + 12, self._time),
        ):
            painter.drawText(QRectF(x, 0, 420, height), MIDDLE_LEFT, words)
        wide = COSTS / 4
        for n, words in enumerate((tr("cost"), tr("edge"), tr("margin"), tr("quickest"))):
            at = QRectF(width - COSTS + n * wide, 0, wide - 8, height)
            painter.drawText(at, MIDDLE_RIGHT, words)

    @property
    def _time(self) -> str:
        return tr("time for {per}, range of 80 %", per=self._per)


class ReachChart(Painted):
    """A stock as a row of boxes, one a thickness: the passes that it takes, hatched where it does
    not go.
    """

    def __init__(self, reach: StockReach) -> None:
        super().__init__()
        self.reach = reach
        self.setFixedHeight(px(70))
        self.setAccessibleName(f"{reach.stock.name}: {reach_words(reach)}")

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        painter.setFont(F("h3"))
        painter.setPen(C("ink"))
        painter.drawText(QRectF(0, 4, 200, 26), MIDDLE_LEFT, self.reach.stock.name)
        painter.setFont(F("small"))
        painter.setPen(C("ink2"))
        painter.drawText(QRectF(212, 46, width - 212, 20), MIDDLE_LEFT, reach_words(self.reach))
        wide = min(58.0, (width - 212) / max(1, len(self.reach.points)))
        for n, point in enumerate(self.reach.points):
            rect = QRectF(212 + n * wide, 3, wide - 4, 42)
            painter.setPen(QPen(C("ink" if point.burnt else "edge"), 2.2 if point.burnt else 1))
            painter.setBrush(C("olive_wash" if point.goes else "field"))
            painter.drawRoundedRect(rect, 3, 3)
            painter.setBrush(NO_BRUSH)
            if not point.goes:
                path = QPainterPath()
                path.addRect(rect)
                hatch(painter, path, C("edge"))
            painter.setPen(C("ink"))
            painter.setFont(F("small_b"))
            words = length_text(point.thickness_mm, 2)
            top = rect.adjusted(0, 2, 0, -20) if point.goes else rect
            if not point.goes:
                painter.fillRect(
                    QRectF(rect.center().x() - 20, rect.center().y() - 9, 40, 18), C("field")
                )
            painter.drawText(top, CENTRE, words)
            if point.goes and point.setting is not None:
                painter.setFont(F("small"))
                painter.drawText(rect.adjusted(0, 20, 0, -2), CENTRE, f"× {point.setting.passes}")


class WhereDialog(QDialog):
    """Three leaves; what takes long comes from a worker, line by line."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._window, self.session = window, window.session
        self.setWindowTitle(tr("Where and with what"))
        self.rows: list[WhereRow] = []
        self._every = 0
        self.wishes: list[WhatIf] = []
        self.reaches: list[StockReach] = []
        self.needs: list[tuple[str, float, Task]] = list(self._first_needs())
        self._work = LatestWork(window.work)
        self.leaf = Segments(LEAVES, 0, tr("What is compared"))
        self.leaf.chosen.connect(self._turn)
        self.leaves = QStackedWidget()
        for made in (self._machines_leaf(), self._reach_leaf(), self._need_leaf()):
            self.leaves.addWidget(made)
        close = button(tr("Close"))
        close.clicked.connect(self.accept)
        self.setLayout(
            col(
                row(label(tr("Where and with what"), "h2"), None, self.leaf),
                hair("bold"),
                self.leaves,
                row(None, close),
                gap=8,
                margins=(20, 16, 20, 16),
            )
        )
        self.resize(min(px(1120), window.width() - px(40)), min(px(680), window.height() - px(40)))
        self.finished.connect(self._work.stop)
        for made in self.findChildren(QPushButton):
            made.setAutoDefault(False)  # Enter in a field is the field's own
        start = 0 if self.session.subject.complete else 2
        self.leaf.set_at(start)
        self._turn(start)

    def _turn(self, at: int) -> None:
        self.leaves.setCurrentIndex(at)
        if at == 0:
            self._reckon()
        elif at == 1:
            self._reckon_reach()
        else:
            self._reckon_needs()

    # -- the machines side by side -----------------------------------------------------------------

    def _machines_leaf(self) -> QWidget:
        subject = self.session.subject
        told = tr("Choose a stock first: Ctrl+2.")
        if subject.stock is not None:
            told = f"{subject.stock.label}, {TASK_WORDS[subject.task]}"
        self.aim = own_picker(tr("What counts first"), AIMS, "time")
        self.aim.picked.connect(lambda _: self._show_rows())
        self.list = QVBoxLayout()
        self.list.setSpacing(0)
        inside = Page()
        inside.setLayout(col(self.list, None, gap=0))
        machines = {one.uid: one.label for one in self.session.catalogue.machines}
        now = subject.machine.uid if subject.machine else next(iter(machines), "")
        self.whose = own_picker(tr("Which machine"), machines, now)
        self.what = own_picker(tr("What is otherwise"), WHAT_IFS, "power")
        self.much = Number(tr("How much"), 64)
        self.what.picked.connect(self._measure)
        self.much.returnPressed.connect(self._wish)
        add = button(tr("What if"), tip=tr("adds a line with what would be"))
        add.clicked.connect(self._wish)
        self.drop = button(tr("Drop the last"), "plain")
        self.drop.clicked.connect(self._unwish)
        self.told = label("", "small", "second", wrap=True)
        self.price, self.hour = Number(tr("Its price"), 64), Number(tr("What an hour is worth"), 56)
        self.pays = button(tr("Does it pay?"), "plain", tip=tr("over the jobs of the last year"))
        self.pays.clicked.connect(self._ask_worth)
        money = (
            label(tr("It costs"), "ui", "second"),
            self.price,
            label(tr("and an hour of machine and person is worth"), "ui", "second"),
            self.hour,
            label(self.session.preferences.currency, "ui", "second"),
            self.pays,
        )
        self.money_row = box(row(*money, None, gap=8))
        self.worth = label("", "ui_b", wrap=True)
        self.worth.hide()
        wish = (self.whose, label(tr("had"), "ui", "second"), self.what, self.much, add, self.drop)
        leaf = QWidget()
        leaf.setLayout(
            col(
                row(label(told, "h3"), None, self.aim),
                WhereHead(subject.task),
                scrolling(inside, (px(300), px(160))),
                self.told,
                row(*wish, None, gap=8),
                self.money_row,
                self.worth,
                gap=6,
                margins=(0, 0, 0, 0),
            )
        )
        return leaf

    def _measure(self, kind: str) -> None:
        """What is typed is a length but for a power."""
        self.much.set_lengths("" if kind == "power" else "one")

    def _wish(self) -> None:
        machine = self.session.catalogue.machine(self.whose.key)
        if machine is None:
            return
        try:
            self.wishes.append(what_if_from(machine, self.what.key, self.much.text()))
        except AlmanacError as problem:
            self.told.setText(str(problem))
            return
        self._reckon()

    def _ask_worth(self) -> None:
        """Reckon what the last what-if would have saved in a year of jobs."""
        if not self.wishes:
            return
        wish = self.wishes[-1]
        machine = self.session.catalogue.machine(wish.machine_uid)
        try:
            work = worth_work(self.session, wish, self.price.text(), self.hour.text())
        except AlmanacError as problem:
            self._say_worth(str(problem))
            return
        words = f"{machine.name} {wish.words(machine)}" if machine else ""
        self._say_worth(tr("Working it out …"))
        self._work.start(work, lambda found: self._say_worth(worth_words(found, words)))

    def _say_worth(self, words: str) -> None:
        self.worth.setText(words)
        self.worth.setVisible(bool(words))

    def _unwish(self) -> None:
        if self.wishes:
            self.wishes.pop()
            self._reckon()

    def _reckon(self) -> None:
        stock, task = self.session.subject.stock, self.session.subject.task
        self.rows = []
        self._say_worth("")
        if stock is None:
            self.told.setText(tr("Choose a stock at the top of the window first."))
            return
        self.told.setText(tr("Working it out …"))
        lines = where_lines(self.session, stock, task, self.wishes)
        self._every = len(lines)
        self._work.start(where_work(self.session, lines, task), self._take_row)

    def _take_row(self, found: WhereRow) -> None:
        self.rows.append(found)
        self._show_rows()

    def _show_rows(self) -> None:
        from olive_almanac.core.deciding.where import ranked

        clear_layout(self.list)
        task, preferences = self.session.subject.task, self.session.preferences
        rows = ranked(self.rows, self.aim.key)
        ends = [end for one in rows if one.works for end in one.range_s]
        axis = (min(ends, default=1.0), max(ends, default=2.0))
        for one in rows:
            numbers = row_numbers(one, task, preferences.speed_unit, preferences.currency)
            line = WhereLine(one, task, axis, numbers)
            line.clicked.connect(lambda _=False, one=one: self._go_to(one))
            self.list.addWidget(line)
        self.drop.setVisible(bool(self.wishes))
        self.money_row.setVisible(any(one.kind != "thickness" for one in self.wishes[-1:]))
        said = tr(
            "Reckoned lines rest on the model and on kindred coupons: a trial tells. Enter on a "
            "line takes that machine. A new source’s power is what its maker says: ask whether "
            "it is optical."
        )
        self.told.setText(said if len(self.rows) >= self._every else tr("Working it out …"))

    def _go_to(self, one: WhereRow) -> None:
        if one.to_hand:
            self.session.choose(machine=one.machine.uid)
            self.accept()

    # -- up to what thickness ----------------------------------------------------------------------

    def _reach_leaf(self) -> QWidget:
        machine = self.session.subject.machine
        machines = {one.uid: one.label for one in self.session.catalogue.machines}
        now = machine.uid if machine else next(iter(machines), "")
        self.reach_machine = own_picker(tr("Machine"), machines, now)
        self.reach_machine.picked.connect(lambda _: self._reckon_reach())
        self.print = button(tr("Print the page"), tip=tr("to hang beside the machine, as PDF"))
        self.print.clicked.connect(self._print_reach)
        self.charts = QVBoxLayout()
        self.charts.setSpacing(px(2))
        inside = Page()
        inside.setLayout(col(self.charts, None, gap=0))
        self.reach_told = label("", "small", "second", wrap=True)
        leaf = QWidget()
        leaf.setLayout(
            col(
                row(
                    label(tr("What it cuts, up to what thickness:"), "ui"),
                    self.reach_machine,
                    None,
                    self.print,
                ),
                scrolling(inside, (px(300), px(160))),
                self.reach_told,
                gap=6,
                margins=(0, 0, 0, 0),
            )
        )
        return leaf

    def _reckon_reach(self) -> None:
        self.reaches = []
        clear_layout(self.charts)
        self.print.setEnabled(False)
        machine = self.session.catalogue.machine(self.reach_machine.key)
        if machine is None or self.session.library is None:
            self.reach_told.setText(tr("Add a machine and a stock in Set up first."))
            return
        self.reach_told.setText(
            tr(
                "In a box: thickness and passes; framed in ink where "
                "it was burnt; hatched where it "
                "does not get through, or not within 15 min a metre. Four in five sure."
            )
        )
        self._work.start(reach_work(self.session, machine), self._take_reach)

    def _take_reach(self, reach: StockReach) -> None:
        self.reaches.append(reach)
        self.charts.addWidget(ReachChart(reach))
        self.charts.addWidget(hair())
        self.print.setEnabled(True)

    def _print_reach(self) -> None:
        machine = self.session.catalogue.machine(self.reach_machine.key)
        if machine is None:
            return
        path = below(
            self.session.store.folder / "cards", tr("what {uid} cuts.pdf", uid=machine.uid)
        )
        day = self.session.today().isoformat()
        if self.session.attempt(lambda: write_file(path, reach_page(machine, self.reaches, day))):
            self._window.show_pages(path)

    # -- which kind of machine ---------------------------------------------------------------------

    def _first_needs(self) -> Any:
        """What the shop has in its rack, or what many begin with."""
        stocks: list[Stock] = list(self.session.catalogue.stocks)
        if not stocks:
            return BEGUN
        seen = {(one.family, one.thickness_mm): one for one in stocks}
        return tuple((*key, usual_task(stock)) for key, stock in list(seen.items())[:5])

    def _need_leaf(self) -> QWidget:
        self.family = own_picker(tr("Stock"), dict(stock_choices()), "plywood")
        self.thick = Number(tr("Thickness, mm"), 48, lengths="one")
        self.thick.setText("3")
        self.thick.returnPressed.connect(self._add_need)
        self.need_task = own_picker(tr("Task"), dict(task_choices()), "cut")
        add = button(tr("Add it"))
        add.clicked.connect(self._add_need)
        self.need_told = label("", "small", "ember", wrap=True)
        self.table = QVBoxLayout()
        self.table.setSpacing(px(4))
        inside = Page()
        inside.setLayout(col(self.table, None, gap=0))
        wish = (self.family, self.thick, label(length_unit(), "ui", "second"), self.need_task, add)
        leaf = QWidget()
        leaf.setLayout(
            col(
                row(label(tr("What I want to make:"), "ui"), *wish, None, gap=8),
                self.need_told,
                scrolling(inside, (px(300), px(160))),
                gap=6,
                margins=(0, 0, 0, 0),
            )
        )
        return leaf

    def _add_need(self) -> None:
        try:
            mm = read_length_mm(self.thick.text(), tr("Thickness"))
        except AlmanacError as problem:
            self.need_told.setText(str(problem))
            return
        self.need_told.setText("")
        task = next(one for one in TASKS if one == self.need_task.key)
        self.needs.append((self.family.key, mm, task))
        self.needs = self.needs[-MOST_WISHES:]
        self._reckon_needs()

    def _reckon_needs(self) -> None:
        clear_layout(self.table)
        words = dict(stock_choices())
        wishes = [(family, words.get(family, family), mm, task) for family, mm, task in self.needs]
        heads = []
        for source, (word, _) in SOURCES.items():
            usual = typical_machine(source)
            named = f"{word}, {number_text(usual.optical_power_w)} W"
            lines = keeping_words(self.session, source)
            told = [label(line, "small", "second", wrap=True) for line in lines]
            heads.append(box(col(label(named, "h3"), *told, None, gap=0)))
        self.table.addWidget(self._need_line(label(tr("A usual one of its kind"), "ui_b"), heads))
        self.table.addWidget(hair("bold"))
        self._work.start(need_work(wishes), self._take_need)

    def _need_line(self, first: QWidget, rest: list[QWidget]) -> QWidget:
        first.setFixedWidth(px(190))
        line = row(first, *rest, gap=14)
        for n in range(len(rest)):
            line.setStretch(n + 1, 1)
        return box(line)

    def _take_need(self, need: NeedRow) -> None:
        told = f"{need.word}, {length_text(need.thickness_mm)}, {TASK_WORDS[need.task]}"
        cells = []
        for source in SOURCES:
            works = need.works[source]
            mark = Mark("state", "trial" if works else "cannot", 18)
            text = label(need.verdicts[source], "small", "" if works else "second", wrap=True)
            line = row(col(None, mark, None), text, gap=6)
            line.setStretch(1, 1)
            cells.append(box(line))
        self.table.addWidget(self._need_line(label(told, "ui_b", wrap=True), cells))
        self.table.addWidget(hair())
