"""Ctrl+K: find anything from any words, from any station: settings, jobs, coupons, machines,
stocks, what the program does, help.
"""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import (
    QAbstractListModel,
    QEvent,
    QModelIndex,
    QObject,
    QPersistentModelIndex,
    QRectF,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import QGuiApplication, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QDialog,
    QListView,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from olive_almanac.core.dates import day_text
from olive_almanac.core.records.setting import TASK_WORDS
from olive_almanac.core.units import passes_text, percent_text, speed_text
from olive_almanac.core.words import tr
from olive_almanac.steps.book import STATE_WORDS, clip_text
from olive_almanac.steps.find import Found, FoundJob, find_entries, find_jobs, trial_of_code
from olive_almanac.steps.find_places import FoundPlace, find_places
from olive_almanac.steps.session import Session
from olive_almanac.views.marks import draw_state
from olive_almanac.views.parts import MIDDLE_LEFT, MIDDLE_RIGHT, SearchField, hair, label
from olive_almanac.views.theme import NO_PEN, C, F, px

NOTHING = tr("Nothing in the book, among jobs and coupons, or in the guide fits these words.")
Hit = Found | FoundJob | FoundPlace


class FoundModel(QAbstractListModel):
    """The hits, best first."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.hits: tuple[Hit, ...] = ()

    def show_hits(self, hits: tuple[Hit, ...]) -> None:
        self.beginResetModel()
        self.hits = hits
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | QPersistentModelIndex | None = None) -> int:
        if parent is not None and parent.isValid():
            return 0
        return len(self.hits)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid():
            return None
        hit = self.hits[index.row()]
        if role == Qt.ItemDataRole.UserRole:
            return hit
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return _clip(hit, "mm/s")
        return None


def _clip(hit: Hit, unit: str) -> str:
    """A hit in plain words, to be read out or copied."""
    if isinstance(hit, FoundPlace):
        return f"{hit.title}: {hit.told}"
    if isinstance(hit, FoundJob):
        job = f"{hit.job.name}: {hit.came_of_it}"
        return f"{job}. {hit.machine.label}, {hit.stock.label}"
    return clip_text(hit.entry, hit.machine, hit.stock, hit.state, unit)


class FoundDelegate(QStyledItemDelegate):
    """One hit: mark, stock and task, the numbers large, machine and reason small."""

    def __init__(self, unit: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._unit = unit

    def sizeHint(
        self, _option: QStyleOptionViewItem, _index: QModelIndex | QPersistentModelIndex
    ) -> QSize:
        return QSize(px(600), px(58))

    def paint(
        self,
        painter: QPainter,
        option: QStyleOptionViewItem,
        index: QModelIndex | QPersistentModelIndex,
    ) -> None:
        hit: Hit = index.data(Qt.ItemDataRole.UserRole)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        scale = px(100) / 100
        painter.translate(option.rect.topLeft())
        painter.scale(scale, scale)
        w, h = option.rect.width() / scale, option.rect.height() / scale
        chosen = bool(option.state & option.state.State_Selected)
        if chosen:
            ground = C("olive_wash")
        else:
            ground = C("field")
        painter.fillRect(QRectF(0, 0, w, h), ground)
        if chosen:
            painter.fillRect(QRectF(0, 0, 4, h), C("olive"))
        if isinstance(hit, FoundPlace):
            names, below = (hit.title, ""), hit.told
        elif isinstance(hit, FoundJob):
            names = (hit.job.name, hit.came_of_it)
            below = tr(
                "Job of {made}   {machine}   {stock}",
                made=day_text(hit.job.made),
                machine=hit.machine.label,
                stock=hit.stock.label,
            )
        else:
            draw_state(painter, QRectF(14, 17, 24, 24), hit.state, ground)
            names = (f"{hit.stock.label}, {TASK_WORDS[hit.entry.task]}", self._numbers(hit))
            below = f"{hit.machine.label}   {STATE_WORDS[hit.state][0]}, {hit.reason}"
        painter.setPen(C("ink"))
        painter.setFont(F("num4"))
        painter.drawText(QRectF(0, 6, w - 14, 26), MIDDLE_RIGHT, names[1])
        painter.setFont(F("ui_b"))
        painter.drawText(QRectF(52, 6, w - 330, 26), MIDDLE_LEFT, names[0])
        painter.setPen(C("ink2"))
        painter.setFont(F("small"))
        painter.drawText(QRectF(52, 31, w - 66, 20), MIDDLE_LEFT, below)
        painter.setPen(NO_PEN)
        painter.fillRect(QRectF(10, h - 1, w - 20, 1), C("rule"))
        painter.restore()

    def _numbers(self, hit: Found) -> str:
        setting = hit.entry.setting
        speed = speed_text(setting.speed_mm_s, self._unit)
        return f"{percent_text(setting.power)} %   {speed}   {passes_text(setting.passes)}"


class Finder(QDialog):
    """The search over the window: type, arrows, Enter opens, Ctrl+C copies the numbers.

    Signals:
        opened(object): the `Found`, `FoundJob` or `FoundPlace` that was taken.
        trial_asked(str): the code of a key sheet was scanned or typed; the id of its trial.
    """

    opened = Signal(object)
    trial_asked = Signal(str)

    def __init__(self, session: Session, parent: QWidget | None) -> None:
        super().__init__(parent, Qt.WindowType.Dialog | Qt.WindowType.FramelessWindowHint)
        self.session = session
        self.setWindowTitle(tr("Find anything"))
        self.field = SearchField(tr("“3 mm birch cut”, a job, a coupon, a machine, what to do"))
        self.model = FoundModel(self)
        self.list = QListView()
        self.list.setModel(self.model)
        self.list.setItemDelegate(FoundDelegate(session.preferences.speed_unit, self.list))
        self.list.setAccessibleName(tr("What was found"))
        self.nothing = label(NOTHING, "ui", "second")
        self.help = label(
            tr("Enter opens the page   ·   Ctrl+C copies the numbers   ·   Esc leaves"),
            "small",
            "second",
        )
        layout = QVBoxLayout(self)
        layout.setContentsMargins(px(18), px(16), px(18), px(12))
        layout.setSpacing(px(8))
        for part in (
            label(tr("Find anything"), "h2"),
            hair("bold"),
            self.field,
            self.list,
            self.nothing,
            self.help,
        ):
            layout.addWidget(part)
        self.field.textChanged.connect(self.search)
        self.field.installEventFilter(self)
        self.list.clicked.connect(self._take)
        self.resize(px(720), px(470))
        self.search("")

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), C("page"))
        painter.setPen(C("ink"))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def search(self, text: str) -> None:
        if trial_of_code(text):
            self.model.show_hits(())
            self.list.hide()
            self.nothing.setText(tr("The code of a key sheet: Enter opens its trial."))
            self.nothing.show()
            return
        self.nothing.setText(NOTHING)
        catalogue = self.session.catalogue
        jobs = find_jobs(catalogue, text)
        entries = find_entries(catalogue, text, self.session.today())
        places = find_places(self.session, text)
        hits: tuple[Hit, ...] = (*entries, *jobs, *places)
        if not text.strip():
            hits = (*places, *entries, *jobs)
        self.model.show_hits(hits)
        self.nothing.setVisible(not hits)
        if not hits and not catalogue.entries:
            self.nothing.setText(
                tr("The book is empty so far: plan and read a trial, then write an entry.")
            )
        self.list.setVisible(bool(hits))
        self.list.setCurrentIndex(self.model.index(0, 0))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.KeyPress:
            key, row = event.key(), self.list.currentIndex().row()
            if key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
                if key == Qt.Key.Key_Down:
                    step = 1
                else:
                    step = -1
                self.list.setCurrentIndex(
                    self.model.index(min(max(row + step, 0), self.model.rowCount() - 1), 0)
                )
                return True
            if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                trial = trial_of_code(self.field.text())
                if trial:
                    self.trial_asked.emit(trial)
                    return True
                self._take(self.list.currentIndex())
                return True
            if (
                key == Qt.Key.Key_C
                and event.modifiers() == Qt.KeyboardModifier.ControlModifier
                and not self.field.hasSelectedText()
            ):
                self._copy()
                return True
        return super().eventFilter(watched, event)

    def _copy(self) -> None:
        hit = self.list.currentIndex().data(Qt.ItemDataRole.UserRole)
        if hit is not None:
            QGuiApplication.clipboard().setText(_clip(hit, self.session.preferences.speed_unit))
            self.help.setText(tr("Copied the numbers."))

    def _take(self, index: QModelIndex) -> None:
        hit = None
        if index.isValid():
            hit = index.data(Qt.ItemDataRole.UserRole)
        if hit is not None:
            self.opened.emit(hit)
            self.accept()
