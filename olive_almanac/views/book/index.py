"""The index of the book: stocks down, machine and task across, a mark in each place."""

from __future__ import annotations

import math
from datetime import date
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import (
    QAbstractItemModel,
    QAbstractTableModel,
    QModelIndex,
    QPersistentModelIndex,
    QRectF,
    Qt,
    Signal,
)
from PySide6.QtGui import QFontMetrics, QPainter, QPen, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QWidget,
)

from olive_almanac.core.records.setting import SHORT_TASK_WORDS, TASK_WORDS
from olive_almanac.core.words import tr
from olive_almanac.steps.book import STATE_WORDS, Column, IndexRow, index_columns, index_rows
from olive_almanac.steps.catalogue import ShopCatalogue
from olive_almanac.views.marks import draw_state
from olive_almanac.views.parts import CENTRE, MIDDLE_LEFT, tip_text
from olive_almanac.views.theme import NO_BRUSH, C, F, Painted, px

if TYPE_CHECKING:
    from olive_almanac.core.records.entry import Subject

NAME_WIDTH, NAME_MARGINS = 176, 24  # of names at least, and beside the longest; logical px
MOST_WIDE = 620  # logical px
TASK_WIDTH = {"cut": 44, "score": 50, "engrave": 62, "mark": 50}


class IndexModel(QAbstractTableModel):
    """Rows of `IndexRow` under columns of `Column`; in the close setting only the chosen machine's
    columns.
    """

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.rows: tuple[IndexRow, ...] = ()
        self.columns: tuple[Column, ...] = ()
        self.name_width = NAME_WIDTH  # logical px
        self._kept: tuple[int, ...] = ()

    def show_catalogue(
        self,
        catalogue: ShopCatalogue,
        today: date,
        words: str,
        only_machine: str = "",
        order: str = "family",
        subject: Subject | None = None,
    ) -> None:
        self.beginResetModel()
        columns = index_columns(catalogue)
        self._kept = tuple(
            i for i, c in enumerate(columns) if not only_machine or c.machine.uid == only_machine
        )
        self.columns = tuple(columns[i] for i in self._kept)
        self.rows = index_rows(catalogue, today, words, order=order, subject=subject)
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | QPersistentModelIndex | None = None) -> int:
        if parent is not None and parent.isValid():
            return 0
        return len(self.rows)

    def columnCount(self, parent: QModelIndex | QPersistentModelIndex | None = None) -> int:
        if parent is not None and parent.isValid():
            return 0
        return 1 + len(self.columns)

    def state(self, row: int, column: int) -> str:
        states = self.rows[row].states
        if states and column > 0:
            return states[self._kept[column - 1]]
        return ""

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid():
            return None
        line, state = self.rows[index.row()], self.state(index.row(), index.column())
        if role == Qt.ItemDataRole.DisplayRole:
            if index.column() == 0:
                return line.label
            if state:
                return STATE_WORDS[state][0]
            return ""
        if role in (Qt.ItemDataRole.ToolTipRole, Qt.ItemDataRole.AccessibleTextRole) and state:
            column = self.columns[index.column() - 1]
            return tip_text(
                f"{line.label}, {TASK_WORDS[column.task]}, {column.machine.name}: "
                f"{STATE_WORDS[state][0]}, {STATE_WORDS[state][1]}"
            )
        return None

    def flags(self, index: QModelIndex) -> Any:
        if index.isValid() and self.rows[index.row()].stock is None:
            return Qt.ItemFlag.NoItemFlags
        return super().flags(index)


class IndexDelegate(QStyledItemDelegate):
    """Paints group lines, names, and marks; the chosen place gets an ink frame, its row a wash."""

    def __init__(self, view: QTableView) -> None:
        super().__init__(view)
        self._view = view

    def paint(
        self,
        painter: QPainter,
        option: QStyleOptionViewItem,
        index: QModelIndex | QPersistentModelIndex,
    ) -> None:
        model: IndexModel = index.model()
        line = model.rows[index.row()]
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        scale = px(100) / 100
        painter.translate(option.rect.topLeft())
        painter.scale(scale, scale)
        rect = QRectF(0, 0, option.rect.width() / scale, option.rect.height() / scale)
        if line.stock is None:
            self._paint_group(painter, rect, index, line)
        else:
            self._paint_place(painter, rect, index, line, model)
        painter.restore()

    def _paint_group(
        self, painter: QPainter, rect: QRectF, index: QModelIndex | QPersistentModelIndex, line: Any
    ) -> None:
        if index.column() == 0:
            painter.setFont(F("note"))
            painter.setPen(C("ink2"))
            painter.drawText(rect.adjusted(0, 6, 100, 0), MIDDLE_LEFT, line.label)
        painter.fillRect(QRectF(rect.left(), rect.bottom() - 1, rect.width(), 1), C("edge"))

    def _paint_place(
        self,
        painter: QPainter,
        rect: QRectF,
        index: QModelIndex | QPersistentModelIndex,
        line: Any,
        model: QAbstractItemModel,
    ) -> None:
        current = self._view.currentIndex()
        on = index.row() == current.row()
        ground = C("olive_wash" if on else "page")
        painter.fillRect(rect, ground)
        painter.fillRect(QRectF(rect.left(), rect.bottom() - 1, rect.width(), 1), C("rule"))
        if index.column() == 0:
            if on:
                painter.fillRect(QRectF(0, 0, 4, rect.height()), C("olive"))
            painter.setFont(F("row_b" if on else "row"))
            painter.setPen(C("ink"))
            name = painter.fontMetrics().elidedText(
                line.label, Qt.TextElideMode.ElideRight, int(rect.width() - 12)
            )
            painter.drawText(rect.adjusted(10, 0, 0, 0), MIDDLE_LEFT, name)
            return
        if on and index.column() == current.column():
            focused = self._view.hasFocus()
            painter.setPen(QPen(C("olive" if focused else "ink"), 2.4 if focused else 2))
            painter.setBrush(C("page"))
            painter.drawRoundedRect(rect.adjusted(4, 2, -4, -3), 4, 4)
            painter.setBrush(NO_BRUSH)
            ground = C("page")
        draw_state(
            painter,
            QRectF(rect.center().x() - 10.5, rect.center().y() - 10.5, 21, 21),
            model.state(index.row(), index.column()),
            ground,
        )
        column = model.columns[index.column() - 1]
        if index.column() > 1 and column.machine != model.columns[index.column() - 2].machine:
            painter.fillRect(QRectF(0, 0, 1, rect.height()), C("edge"))


class IndexView(QTableView):
    """The index as a table that the keyboard walks.

    Signals:
        place_chosen(str, str, str): machine uid, stock uid, task; uid and task are empty where
            the name was chosen.
    """

    place_chosen = Signal(str, str, str)

    def __init__(self) -> None:
        super().__init__()
        self._quiet = False
        self.index_model = IndexModel(self)
        self.setModel(self.index_model)
        self.setItemDelegate(IndexDelegate(self))
        self.setShowGrid(False)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.horizontalHeader().hide()
        self.verticalHeader().hide()
        self.verticalHeader().setMinimumSectionSize(10)
        self.horizontalHeader().setMinimumSectionSize(10)
        self.setAccessibleName(tr("Index of the book"))
        self.setAccessibleDescription(tr("arrows choose a setting and show it beside"))
        self.setTabKeyNavigation(False)

    def show_catalogue(
        self,
        catalogue: ShopCatalogue,
        today: date,
        words: str,
        subject: Subject,
        order: str = "family",
        *,
        room: int,
        one_machine: bool,
    ) -> None:
        """Fill the index and put the cursor on the subject; where all machines find no room, only
        the chosen one's columns.  Names take what these leave of the `room`, logical px.
        """
        self._quiet = True
        wide = NAME_WIDTH + sum(TASK_WIDTH[c.task] for c in index_columns(catalogue)) > MOST_WIDE
        only = ""
        if (wide or one_machine) and subject.machine:
            only = subject.machine.uid
        self.index_model.show_catalogue(catalogue, today, words, only, order, subject)
        self.index_model.name_width = self._name_width(room)
        self.setColumnWidth(0, px(self.index_model.name_width))
        for i, column in enumerate(self.index_model.columns, 1):
            self.setColumnWidth(i, px(TASK_WIDTH[column.task]))
        tall = px(36 if self.window().width() >= px(1600) else 31)
        for i, line in enumerate(self.index_model.rows):
            self.setRowHeight(i, tall if line.stock else px(29))
        self._show_subject(subject)
        self._quiet = False

    def _name_width(self, room: int) -> int:
        """As wide as the longest name, where the columns leave room; logical px."""
        metrics = QFontMetrics(F("row_b"))
        names = [line.label for line in self.index_model.rows if line.stock]
        longest = max(map(metrics.horizontalAdvance, names), default=0) + NAME_MARGINS
        left = room - sum(TASK_WIDTH[c.task] for c in self.index_model.columns)
        return max(NAME_WIDTH, min(longest, left))

    def _show_subject(self, subject: Subject) -> None:
        if not subject.complete:
            return
        wanted = (subject.machine.uid, subject.task)
        columns = [
            c
            for c, column in enumerate(self.index_model.columns, 1)
            if (column.machine.uid, column.task) == wanted
        ]
        rows = (
            r
            for r, line in enumerate(self.index_model.rows)
            if line.stock and line.stock.uid == subject.stock.uid
        )
        row = None
        if columns:
            row = next(rows, None)
        if row is not None:
            self.setCurrentIndex(self.index_model.index(row, columns[0]))

    def currentChanged(self, current: Any, previous: Any) -> None:
        super().currentChanged(current, previous)
        self.viewport().update()
        if self._quiet or not current.isValid():
            return
        stock = self.index_model.rows[current.row()].stock
        if stock is None:
            return
        if current.column() == 0:
            self.place_chosen.emit("", stock.uid, "")
        else:
            column = self.index_model.columns[current.column() - 1]
            self.place_chosen.emit(column.machine.uid, stock.uid, column.task)

    def total_width(self) -> int:
        columns = self.index_model.columns
        return px(self.index_model.name_width) + sum(px(TASK_WIDTH[c.task]) for c in columns)


class IndexHead(Painted):
    """The heads of the index: machines over their tasks."""

    def __init__(self, model: IndexModel) -> None:
        super().__init__()
        self._model = model
        self.setFixedHeight(px(50))

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        painter.setFont(F("small_b"))
        painter.setPen(C("ink"))
        name_width = self._model.name_width
        painter.drawText(QRectF(0, 26, name_width, 22), MIDDLE_LEFT, tr("Stock"))
        x, columns = float(name_width), self._model.columns
        for i, column in enumerate(columns):
            w = TASK_WIDTH[column.task]
            if i == 0 or column.machine != columns[i - 1].machine:
                span = sum(TASK_WIDTH[c.task] for c in columns if c.machine == column.machine)
                painter.setFont(F("small_b"))
                painter.setPen(C("ink"))
                name = painter.fontMetrics().elidedText(
                    column.machine.name, Qt.TextElideMode.ElideRight, int(span - 8)
                )
                painter.drawText(QRectF(x, 5, span, 20), CENTRE, name)
                painter.fillRect(QRectF(x + 7, 25.5, span - 14, 1), C("edge"))
            painter.setFont(F("small"))
            painter.setPen(C("ink2"))
            painter.drawText(QRectF(x - 4, 26, w + 8, 22), CENTRE, SHORT_TASK_WORDS[column.task])
            x += w


class Legend(Painted):
    """What the marks mean, once, at the foot of the index."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(px(48))

    def _across(self) -> int:
        if self.width() >= px(460):
            return 4
        if self.width() >= px(300):
            return 3
        return 2

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.setFixedHeight(px(4 + 22 * math.ceil(len(STATE_WORDS) / self._across())))

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        across = self._across()
        painter.fillRect(QRectF(0, 0, width, 1), C("ink"))
        for i, state in enumerate(STATE_WORDS):
            x, y = (i % across) * width / across, 5 + (i // across) * 22
            draw_state(painter, QRectF(x + 1, y + 1, 17, 17), state)
            painter.setPen(C("ink2"))
            painter.setFont(F("small"))
            painter.drawText(
                QRectF(x + 26, y, width / across - 26, 20), MIDDLE_LEFT, STATE_WORDS[state][0]
            )
