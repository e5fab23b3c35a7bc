"""What can be done with the whole book: what is due, two settings side by side, old notes coming
in.
"""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import (
    QDialog,
    QFileDialog,
    QGridLayout,
    QHeaderView,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPlainTextEdit,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from olive_almanac.core.dates import day_text
from olive_almanac.core.records.setting import SHORT_TASK_WORDS, TASK_WORDS
from olive_almanac.core.units import count_text, passes_text, percent_text, speed_text
from olive_almanac.core.words import tr
from olive_almanac.steps.due import compare, due_list, energy_sentence, same_stock
from olive_almanac.steps.share import NotesDesk
from olive_almanac.views.parts import (
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
    tip_text,
)
from olive_almanac.views.theme import C, px, scaled_font

if TYPE_CHECKING:
    from olive_almanac.steps.book import BookPresenter
    from olive_almanac.views.window import MainWindow

__all__ = ["BurnDialog", "CompareDialog", "DueDialog", "HistoryDialog", "NotesDialog"]

RISKS = (
    tr("it failed"),
    tr("something has changed"),
    tr("ran out"),
    tr("runs out this week"),
    tr("on trial"),
)
MOST_MENDED = 500  # rows up to which the notes are shown as a table to mend
TABLES = tr("Tables (*.csv *.tsv *.txt *.xlsx *.xls *.ods)")


def _sheet(part: Any) -> Page:
    """A page that holds a part at its top."""
    page = Page()
    page.setLayout(col(part, None))
    return page


class DueDialog(QDialog):
    """The due list: arrows choose, Enter plans the confirm run, a click on the button too."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self.main_window, self.session = window, window.session
        self.setWindowTitle(tr("Due this week"))
        self.due = due_list(self.session)
        self.list = QListWidget()
        self.list.setFont(scaled_font("ui"))
        self.list.setAccessibleName(tr("Settings to prove again"))
        self.list.setAlternatingRowColors(True)
        self.list.setWordWrap(True)
        for one in self.due:
            item = QListWidgetItem(
                f"{one.stock.label}, {TASK_WORDS[one.entry.task]}, "
                f"{one.machine.name}\n{RISKS[one.risk]}: {one.reason}"
            )
            item.setSizeHint(QSize(px(200), px(68)))
            self.list.addItem(item)
        if self.due:
            self.list.setCurrentRow(0)
        self.list.itemActivated.connect(lambda _: self.plan())
        self.go = button(tr("Plan the confirm run"), "main", tip=tr("Enter"))
        self.go.clicked.connect(self.plan)
        self.go.setEnabled(bool(self.due))
        leave = button(tr("Close"))
        leave.clicked.connect(self.reject)
        words = tr("Nothing is due this week.")
        if self.due:
            words = tr("{due} to prove, the most pressing first", due=len(self.due))
        layout = col(
            label(words, "h2"),
            hair("bold"),
            self.list,
            row(self.go, leave, None, gap=10),
            gap=10,
            margins=(20, 16, 20, 16),
        )
        self.setLayout(layout)
        self.resize(px(720), px(520))

    def plan(self) -> None:
        """Plan the confirm run of the chosen one."""
        at = self.list.currentRow()
        if not 0 <= at < len(self.due):
            return
        one = self.due[at]
        self.accept()
        self.session.choose(machine=one.machine.uid, stock=one.stock.uid, task=one.entry.task)
        self.main_window.plan_confirm_run()


class BurnDialog(QDialog):
    """What came out right today: the job or piece, and the sheet; Enter notes it as a confirming
    burn.
    """

    def __init__(self, presenter: BookPresenter, parent: QWidget) -> None:
        super().__init__(parent)
        self.presenter = presenter
        self.setWindowTitle(tr("A burn that came out right"))
        self.piece, self.sheet = QLineEdit(), QLineEdit()
        for field, name, example in (
            (self.piece, tr("Job or piece"), tr("for example: lid of the tea box")),
            (self.sheet, tr("Sheet"), tr("its number or name, where more than one was used today")),
        ):
            field.setFont(scaled_font("ui"))
            field.setAccessibleName(name)
            field.setPlaceholderText(example)
            field.returnPressed.connect(self.note)
        self.says = label("", "small", "second", wrap=True)
        note = button(tr("Note it"), "main", tip=tr("Enter"))
        note.setAutoDefault(False)
        note.clicked.connect(self.note)
        leave = button(tr("Cancel"))
        leave.setAutoDefault(False)
        leave.clicked.connect(self.reject)
        layout = col(
            label(tr("Which job or piece was it?"), "h2"),
            hair("bold"),
            label(tr("Job or piece"), "small", "second"),
            self.piece,
            label(tr("Sheet"), "small", "second"),
            self.sheet,
            self.says,
            None,
            row(note, leave, None, gap=10),
            gap=8,
            margins=(20, 16, 20, 16),
        )
        self.setLayout(layout)
        self.resize(px(480), px(300))
        self.piece.setFocus()

    def note(self) -> None:
        """Note the burn; without a piece it asks again."""
        if not self.piece.text().strip():
            self.says.setText(
                tr("Name the job or piece: a burn that nobody can find proves little.")
            )
            self.piece.setFocus()
            return
        sheet = self.sheet.text()
        if self.presenter.confirm(passed=True, piece=self.piece.text(), sheet=sheet):
            self.accept()
            return
        self.says.setText(self.presenter.session.problem)
        self.sheet.setFocus()


class HistoryDialog(QDialog):
    """What was written of the present entry when, by whom and why; newest first."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        from olive_almanac.steps.book import BookPresenter  # start-up: opened seldom

        self.setWindowTitle(tr("History of this entry"))
        self.list = QListWidget()
        self.list.setFont(scaled_font("ui"))
        self.list.setAccessibleName(tr("Revisions, newest first"))
        self.list.setWordWrap(True)
        for day, why in BookPresenter(window.session).history():
            self.list.addItem(f"{day}\n{why}")
        leave = button(tr("Close"))
        leave.clicked.connect(self.reject)
        subject = window.session.subject
        name = ""
        if subject.stock is not None:
            name = f"{subject.stock.label}, {TASK_WORDS[subject.task]}"
        layout = col(
            label(name, "h2"),
            hair("bold"),
            self.list,
            row(None, leave),
            gap=10,
            margins=(20, 16, 20, 16),
        )
        self.setLayout(layout)
        self.resize(px(520), px(480))


class CompareDialog(QDialog):
    """Two entries, or two revisions of the present one, side by side; what differs stands
    in bold.
    """

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self.session = window.session
        self.setWindowTitle(tr("Compare"))
        self.choices = self._choices()
        self.left, self.right = (
            WordPicker("ui_b", name=name) for name in (tr("Left side"), tr("Right side"))
        )
        self.left.picked.connect(lambda key: self._pick(0, key))
        self.right.picked.connect(lambda key: self._pick(1, key))
        keys = list(self.choices)
        self.keys = [keys[0], keys[1] if len(keys) > 1 else keys[0]]
        self.says = label("", "ui", wrap=True)
        self.grid = QGridLayout()
        self.grid.setHorizontalSpacing(px(24))
        self.grid.setVerticalSpacing(px(5))
        leave = button(tr("Close"))
        leave.clicked.connect(self.accept)
        layout = col(
            row(self.left, label(tr("beside"), "ui", "second"), self.right, None, gap=12),
            hair("bold"),
            self.says,
            scrolling(_sheet(self.grid), (560, 200)),
            row(None, leave),
            gap=10,
            margins=(20, 16, 20, 16),
        )
        layout.setStretch(3, 1)
        self.setLayout(layout)
        self.resize(px(760), px(620))
        self._show()

    def _choices(self) -> Any:
        """Entries by a key: the present one, its revisions, then others of the same task."""
        entry, catalogue = self.session.entry, self.session.catalogue
        found = {"now": (tr("as it is now"), entry)}
        for n, (old, at, why, _) in enumerate(
            reversed(self.session.store.entry_history(entry.uid)[:-1])
        ):
            told = tr("before, {at}: {why}", at=day_text(at[:10]), why=why)
            found[f"revision {n}"] = (told[:60], old)
        for other in same_stock(catalogue.entries, entry)[:60]:
            machine, stock = catalogue.machine(other.machine_uid), catalogue.stock(other.stock_uid)
            if machine and stock:
                found[other.uid] = (
                    tr("{stock} on {machine}", stock=stock.label, machine=machine.name)[:60],
                    other,
                )
        return found

    def _pick(self, side: int, key: str) -> None:
        self.keys[side] = key
        self._show()

    def _show(self) -> None:
        words = [(key, text) for key, (text, _) in self.choices.items()]
        self.left.set_choices(words, self.keys[0])
        self.right.set_choices(words, self.keys[1])
        left, right = (self.choices[key][1] for key in self.keys)
        self.says.setText(energy_sentence(self.session.catalogue, left, right))
        clear_layout(self.grid)
        for n, line in enumerate(
            compare(self.session.catalogue, left, right, self.session.preferences.speed_unit)
        ):
            role = "ui"
            if line.differs:
                role = "ui_b"
            for column, text in enumerate((line.name, line.left, line.right)):
                tone = ""
                if column == 0 or not line.differs:
                    tone = "second"
                self.grid.addWidget(
                    label(text, role if column else "ui", tone, wrap=column > 0),
                    n,
                    column,
                    Qt.AlignmentFlag.AlignTop,
                )
        for column, stretch in enumerate((2, 4, 4)):
            self.grid.setColumnStretch(column, stretch)


class NotesDialog(QDialog):
    """Old notes: chosen, dropped or pasted; the one question, what would come in, and one act that
    takes it in.
    """

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self.active = NotesDesk(window.session)
        self.setWindowTitle(tr("Bring in old notes"))
        self.setAcceptDrops(True)
        self.text = QPlainTextEdit()
        self.text.setFont(scaled_font("ui"))
        self.text.setAccessibleName(tr("Old notes, pasted or typed"))
        self.text.setPlaceholderText(
            tr("Paste rows of a table, or lines such as: 3mm birch ply cut 80% 14mm/s x1")
        )
        self.text.setMaximumHeight(px(120))
        self.text.textChanged.connect(self._pasted)
        self.choose = button(
            tr("Choose a file"), tip=tr("CSV, XLSX, ODS or text; it can be dropped here too")
        )
        self.choose.clicked.connect(self._choose)
        self.question = label("", "ui_b", wrap=True)
        self.unit = WordPicker("ui_b", name=tr("Unit of the speeds"))
        self.unit.picked.connect(self._answer)
        self.unit_row = box(row(label(tr("Speeds are in"), "ui"), self.unit, None, gap=8))
        self.told = label("", "ui", wrap=True)
        self.lines = label("", "small", "second", wrap=True)
        self.table = QTableWidget(0, 0)
        self.table.setFont(scaled_font("small"))
        self.table.setAccessibleName(tr("Rows of the notes; each cell can be mended"))
        self.table.verticalHeader().setVisible(False)
        self.table.setAlternatingRowColors(True)
        self.table.itemChanged.connect(self._mended)
        self._shown_notes: Any = None
        self.keep = button(
            tr("Take them in as guesses"), "main", tip=tr("Ctrl+Z takes all of it back")
        )
        self.keep.clicked.connect(self._keep)
        leave = button(tr("Leave it"))
        leave.clicked.connect(self.reject)
        machine = window.session.subject.machine
        name = tr("no machine yet")
        if machine:
            name = machine.name
        layout = col(
            label(tr("Old notes into the book"), "h2"),
            hair("bold"),
            label(
                (
                    tr(
                        "Rows that name no machine are for {name}. Everything comes in as a guess, "
                        "with where it came from.",
                        name=name,
                    )
                ),
                "ui",
                "second",
                wrap=True,
            ),
            self.text,
            row(self.choose, None),
            self.question,
            self.unit_row,
            self.told,
            self.table,
            scrolling(_sheet(self.lines), (500, 60)),
            row(self.keep, leave, None, gap=10),
            gap=10,
            margins=(20, 16, 20, 16),
        )
        layout.setStretch(8, 3)
        layout.setStretch(9, 1)
        self.setLayout(layout)
        self.resize(px(900), px(680))
        self._show()

    def _pasted(self) -> None:
        text = self.text.toPlainText()
        if text.strip():
            self.active.paste(text)
        else:
            self.active.notes = self.active.brought = self.active.question = None
            self.active.problem = ""
        self._show()

    def _choose(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("Old notes"), "", TABLES)
        if name:
            self.open_file(Path(name))

    def open_file(self, path: Path) -> None:
        """Read a file of old notes."""
        self.active.open_file(path)
        self._show()

    def _answer(self, unit: str) -> None:
        self.active.answer(unit)
        self._show()

    def _show(self) -> None:
        active, found = self.active, self.active.brought
        self.question.setVisible(active.question is not None)
        self.unit_row.setVisible(active.question is not None)
        if active.question is not None:
            examples = dict(zip(active.question.units, active.question.examples, strict=True))
            self.question.setText(
                tr(
                    "The notes do not say in which unit the speeds are. In {unit}, {examples}.",
                    unit=active.unit,
                    examples=examples[active.unit],
                )
            )
            self.unit.set_choices([(unit, unit) for unit in active.question.units], active.unit)
        self.keep.setEnabled(bool(found and found.entries))
        self.told.setText(active.problem or (self._summary(found) if found else ""))
        rows = 0 if found is None or active.notes is None else len(active.notes.rows)
        self.table.setVisible(0 < rows <= MOST_MENDED)
        lines = self._examples(found) if found is not None and found.entries else []
        if found is not None:
            lines += found.told("otherwise")  # longer than a cell of the table
        if self.table.isVisibleTo(self):
            self._show_rows()
        elif found is not None:
            lines += (*found.told("left out"), *found.told("twice"))
        self.lines.setText("\n".join(lines[:200]))

    def _examples(self, found: Any) -> list[str]:
        """The first entries that come in, each with what it is about."""
        stocks = {
            stock.uid: stock for stock in (*self.active.session.catalogue.stocks, *found.stocks)
        }
        first = [
            f"{stocks[e.stock_uid].label}, {SHORT_TASK_WORDS[e.task]}: "
            f"{percent_text(e.setting.power)} %, "
            f"{speed_text(e.setting.speed_mm_s, self.active.shop_unit)}, "
            f"{passes_text(e.setting.passes)}"
            for e in found.entries[:4]
        ]
        return [tr("For example: ") + "; ".join(first) + "."]

    def _show_rows(self) -> None:
        """One line a row: its cells as they can be mended, and what becomes of it."""
        desk, table = self.active, self.table
        table.blockSignals(True)
        heads = desk.heads
        if self._shown_notes is not desk.notes:
            table.setRowCount(len(desk.notes.rows))
            table.setColumnCount(1 + len(heads))
            table.setHorizontalHeaderLabels([tr("What becomes of it"), *heads])
            for n, cells in enumerate(desk.notes.rows):
                for column in range(len(heads)):
                    text = cells[column] if column < len(cells) else ""
                    table.setItem(n, 1 + column, QTableWidgetItem(text))
        first = -1
        for n in range(len(desk.notes.rows)):
            told, mends = desk.fate(n)
            fate = QTableWidgetItem(told)
            fate.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
            fate.setToolTip(tip_text(told))
            if mends:
                fate.setBackground(C("brass_wash"))
                first = n if first < 0 else first
            table.setItem(n, 0, fate)
        if self._shown_notes is not desk.notes:
            table.resizeColumnsToContents()
            table.horizontalHeader().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
            if first >= 0:
                table.scrollToItem(table.item(first, 0))
        self._shown_notes = desk.notes
        table.blockSignals(False)

    def _mended(self, item: QTableWidgetItem) -> None:
        """A cell was typed anew: what becomes of its row is told at once."""
        if item.column() == 0:
            return
        self.active.edit(item.row(), item.column() - 1, item.text())
        self._shown_notes = self.active.notes  # the cells stand as they were typed
        self._show()

    @staticmethod
    def _summary(found: Any) -> str:
        parts = [
            count_text(len(found.entries), "setting"),
            count_text(len(found.stocks), "new stock"),
        ]
        for becomes, one, more in (
            ("twice", tr("stands there already"), tr("stand there already")),
            ("otherwise", tr("disagrees"), tr("disagree")),
            ("left out", tr("is left out"), tr("are left out")),
        ):
            count = len(found.told(becomes))
            if count:
                parts.append(f"{count} {one if count == 1 else more}")
        return ", ".join(parts) + "."

    def _keep(self) -> None:
        if self.active.keep():
            self.accept()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        for url in event.mimeData().urls()[:1]:
            self.open_file(Path(url.toLocalFile()))
