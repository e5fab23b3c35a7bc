"""The Book station: index at the left, entry at the right; with an empty library, the ways in."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QMenu, QStackedLayout, QVBoxLayout, QWidget

from olive_almanac.core.lengths import length_unit
from olive_almanac.core.units import LENGTH_CHOICES
from olive_almanac.core.words import LANGUAGES, spoken, tr
from olive_almanac.steps.book import ORDERS, BookPresenter
from olive_almanac.steps.fault_report import fault_report_work
from olive_almanac.steps.requests import BringInNotes, Request, ShowMenu, TakeInLibrary
from olive_almanac.steps.share import (
    BOOK_FILES,
    label_work,
    merge_work,
    take_in_work,
    write_book_work,
    write_wall_card_work,
)
from olive_almanac.views.book.dialogs import CompareDialog, DueDialog, HistoryDialog, NotesDialog
from olive_almanac.views.book.entry import EntryPage
from olive_almanac.views.book.index import IndexHead, IndexView, Legend
from olive_almanac.views.marks import Mark
from olive_almanac.views.parts import (
    Number,
    Page,
    SearchField,
    Word,
    WordPicker,
    button,
    hair,
    head,
    label,
    mark_as_menu,
    page_margins,
    row,
)
from olive_almanac.views.station_page import StationPage
from olive_almanac.views.theme import CLOSE_BELOW, compact, px, scaled_font

if TYPE_CHECKING:
    from olive_almanac.steps.ports import Merged
    from olive_almanac.steps.session import Session
    from olive_almanac.views.window import MainWindow


ANSWER_PAUSE_MS = 200  # who types fast is not held up by every answer


class Welcome(Page):
    """The left page of an empty library: one sentence that is answered at once with a guess, and
    three other ways in.
    """

    def __init__(self, window: MainWindow) -> None:
        super().__init__()
        self.main_window = window
        layout = QVBoxLayout(self)
        page_margins(layout)
        layout.addLayout(head(label(tr("A book of proven settings"), "h1"), None))
        layout.addSpacing(px(compact(8, 14)))
        self.sentence = QVBoxLayout()
        self.sentence.setSpacing(px(4))
        layout.addLayout(self.sentence)
        layout.addSpacing(px(8))
        self.answer = label("", "ui", "second", wrap=True)
        self.begin = button(tr("Plan the first cells"), "main", tip="Ctrl+Enter")
        self.begin.clicked.connect(self.plan_first)
        self.mark = Mark("state", "guess", 26)
        for part in (self.mark, self.begin):  # until there is an answer
            part.hide()
        line = row(self.mark, self.answer, gap=10)
        line.setStretch(1, 1)
        layout.addLayout(line)
        layout.addSpacing(px(10))
        layout.addLayout(row(self.begin, None))
        layout.addSpacing(px(compact(10, 22)))
        layout.addWidget(hair())
        layout.addSpacing(px(6))
        self.add_machine = button(
            tr("Add your machine"), "plain", tip=tr("all of it, then a stock, then a coupon")
        )
        self.add_machine.clicked.connect(lambda: window.add("machine"))
        self.old_notes = button(
            tr("Bring in old notes"),
            "plain",
            tip=tr("a table or lines of text; your machine comes first"),
        )
        self.old_notes.clicked.connect(lambda: window.bring_in_notes())
        self.open_demo = button(
            tr("Open the demo shop"),
            "plain",
            tip=tr("an invented shop in a folder of its own; your library stays empty"),
        )
        self.open_demo.clicked.connect(window.open_demo)
        ways = (
            (self.add_machine, tr("every field at leisure")),
            (self.old_notes, tr("a table or lines of text become guesses")),
            (self.open_demo, tr("an invented shop; your library stays empty")),
        )
        for way, told in ways:
            layout.addLayout(row(way, label(compact("", told), "small", "second"), None, gap=8))
        self.note = label("", "small", "second", wrap=True)
        layout.addWidget(self.note)
        layout.addStretch(1)
        self.first: Any = None
        self.words: dict[str, str] = {}  # of the sentence, where its last look had others
        self._fields: dict[str, Number] = {}
        self._pickers: dict[str, WordPicker] = {}
        self._pause = QTimer(self)
        self._pause.setSingleShot(True)
        self._pause.setInterval(ANSWER_PAUSE_MS)
        self._pause.timeout.connect(self._ask)

    def start(self) -> None:
        """Build the sentence when it is first wanted, and answer it."""
        if self.first is None:
            from olive_almanac.steps import first_start  # start-up: in an empty library alone

            self.first = first_start.FirstStart(self.main_window.session)
            for key, text in self.words.items():
                self.first.change(key, text)
            source = self._picker("source", tr("Source"), first_start.source_choices())
            task = self._picker("task", tr("What it is to do"), first_start.task_choices())
            family = self._picker("family", tr("Stock"), first_start.stock_choices())
            watts, thick = (
                self._number("watts", tr("Power, W")),
                self._number("thickness", tr("Thickness"), lengths="one"),
            )
            for words in (
                (Word(tr("My"), "ui"), source, Word(tr("laser of"), "ui"), watts, Word("W", "ui")),
                (Word(tr("is to"), "ui"), task),
                (thick, Word(length_unit(), "ui"), family),
            ):
                self.sentence.addLayout(row(*words, None, gap=6))
            ways = (self.begin, self.add_machine, self.old_notes, self.open_demo)
            for one, following in pairwise((source, watts, task, thick, family, *ways)):
                QWidget.setTabOrder(one, following)
            self._show_texts()
        self._ask()
        self._pickers["source"].setFocus()

    def _picker(self, key: str, name: str, choices: Any) -> WordPicker:
        made = WordPicker("sent_b", name=name)
        made.set_choices(choices, self.first.texts[key])
        made.picked.connect(lambda value: self._changed(key, value))
        self._pickers[key] = made
        return made

    def _number(self, key: str, name: str, lengths: str = "") -> Number:
        made = Number(name, 62, lengths=lengths)
        made.edited.connect(lambda text: self._changed(key, text))
        made.returnPressed.connect(self.plan_first)
        self._fields[key] = made
        return made

    def _changed(self, key: str, value: str) -> None:
        self.first.change(key, value)
        self._show_texts()
        self._pause.start()

    def _show_texts(self) -> None:
        for key, field in self._fields.items():
            if field.text() != self.first.texts[key]:
                field.setText(self.first.texts[key])
        for key, picker in self._pickers.items():
            picker.show_key(self.first.texts[key])

    def _ask(self) -> None:
        self.main_window.work(self.first.work(), self._show_answer)

    def _show_answer(self, item: Any) -> None:
        asked, answer = item
        if asked != self.first.texts:
            return  # another word stands there by now
        self.answer.setText(answer.says)
        self.mark.setVisible(answer.is_guess)
        self.begin.setVisible(answer.goes_on)
        for key, field in self._fields.items():
            field.set_bad(key == answer.bad_field)

    def plan_first(self) -> None:
        """Keep machine and stock as the sentence says and go on to the first cells."""
        if self.first is not None and self.first.begin():
            self.main_window.navigate("plan")


class IndexPage(Page):
    """The left page: filter, heads, index, legend."""

    def __init__(self) -> None:
        super().__init__()
        self.order = "family"
        self.filter = SearchField(tr("Filter stocks"), compact("", "/"))
        self.more = button(
            compact(tr("More"), tr("The book")),
            "plain",
            tip=tr("due this week, compare, old notes, save, print, share; Ctrl+B"),
        )
        mark_as_menu(self.more)
        self.index = IndexView()
        self.heads = IndexHead(self.index.index_model)
        self.nothing = label(tr("No stock has these words."), "ui", "second")
        layout = QVBoxLayout(self)
        page_margins(layout, right=20)
        layout.addLayout(head(label(tr("Index"), "h1"), None, self.filter, self.more, gap=8))
        layout.addWidget(self.heads)
        layout.addWidget(self.nothing)
        layout.addWidget(self.index, 1)
        layout.addSpacing(px(6))
        layout.addWidget(Legend())

    def show_catalogue(self, session: Session) -> None:
        narrow = self.window().width() < px(CLOSE_BELOW[0])  # a low window may be wide
        least, margins, filter_width = (300, 50, 120) if narrow else (380, 56, 150)
        self.filter.setFixedWidth(px(filter_width))
        self.index.show_catalogue(
            session.catalogue,
            session.today(),
            self.filter.text(),
            session.subject,
            self.order,
            room=least - margins,
            one_machine=narrow,
        )
        self.nothing.setVisible(not self.index.index_model.rows)
        self.heads.update()
        self.setFixedWidth(max(px(least), self.index.total_width() + px(margins)))


class BookPage(StationPage):
    """Joins the two pages and keeps them in step with the session."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self.presenter = BookPresenter(self.session)
        self.welcome, self.left, self.right = (
            Welcome(window),
            IndexPage(),
            EntryPage(self.presenter, window.work),
        )
        self.welcome.setFixedWidth(px(compact(356, 480)))
        holder = QWidget()
        self._stack = QStackedLayout(holder)
        self._stack.addWidget(self.welcome)
        self._stack.addWidget(self.left)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(holder)
        layout.addWidget(self.right, 1)
        self._holder = holder
        self.left.filter.textChanged.connect(self._refresh_index)
        self.left.index.place_chosen.connect(self._choose)
        self.right.plan_asked.connect(lambda: window.navigate("plan"))
        self.right.confirm_asked.connect(window.plan_confirm_run)
        self.left.more.clicked.connect(self.show_menu)
        self.dialog: Any = None

    def enter(self) -> None:
        self._refresh_index()
        self.right.refresh()
        if self.session.catalogue.stocks:
            self.left.index.setFocus()
        elif self._is_empty and self.session.library is not None:
            self.welcome.start()

    def kept(self) -> Any:
        return self.welcome.first.texts if self.welcome.first is not None else None

    def take_up(self, kept: Any) -> None:
        self.welcome.words = kept

    def catalogue_changed(self) -> None:
        self._refresh_index()
        self.right.refresh()
        if self._is_empty and self.session.library is not None and self.welcome.first is None:
            self.welcome.start()  # the library has just been opened

    def subject_changed(self) -> None:
        self.catalogue_changed()

    def trials_changed(self) -> None:
        self.catalogue_changed()

    def take(self, request: Request) -> None:
        if isinstance(request, BringInNotes):
            self.bring_in_notes(request.path)
        elif isinstance(request, ShowMenu):
            self.show_menu()
        elif isinstance(request, TakeInLibrary):
            self.take_in(request.path)

    @property
    def _is_empty(self) -> bool:
        return not self.session.catalogue.machines and not self.session.catalogue.stocks

    def _refresh_index(self) -> None:
        empty = self._is_empty
        if empty:
            self._stack.setCurrentWidget(self.welcome)
        else:
            self._stack.setCurrentWidget(self.left)
        if not empty:
            self.left.show_catalogue(self.session)
        if empty:
            self._holder.setFixedWidth(self.welcome.width())
        else:
            self._holder.setFixedWidth(self.left.width())
        self._holder.setFixedWidth(
            self.welcome.minimumWidth() if empty else self.left.minimumWidth()
        )

    def _choose(self, machine: str, stock: str, task: str) -> None:
        self.session.choose(machine=machine or None, stock=stock, task=task or None)

    # -- the whole book ----------------------------------------------------------------------------

    def show_menu(self) -> None:
        """What can be done with the book as a whole."""
        menu = self.make_menu()
        menu.popup(self.left.more.mapToGlobal(self.left.more.rect().bottomLeft()))

    def make_menu(self) -> QMenu:
        menu = QMenu(self)
        menu.setFont(scaled_font("ui"))
        entry, ready = self.session.entry is not None, self.session.library is not None
        for words, act, able in (
            (tr("Due this week"), lambda: self._open(DueDialog), ready),
            (tr("How it is prepared"), self.right.change_recipe, ready and entry),
            (tr("Where and with what"), self.main_window.ask_where, ready),
            (tr("What went wrong"), self.main_window.ask_wrong, ready),
            (tr("Compare this setting"), lambda: self._open(CompareDialog), ready and entry),
            (tr("History of this entry"), lambda: self._open(HistoryDialog), ready and entry),
            (tr("Bring in old notes"), self.bring_in_notes, ready),
            ("", None, True),
            (tr("Save or print the book"), self._save_book, ready),
            (
                tr("Wall card of this machine"),
                lambda: self._write(tr("wall card.pdf"), write_wall_card_work),
                ready,
            ),
            (
                tr("Label for the rack"),
                lambda: self._write("label.pdf", label_work),
                ready and entry,
            ),
            ("", None, True),
            (tr("The library, its copies and backups"), self.main_window.ask_library, ready),
            (tr("Take in another library"), self._take_in, ready),
            (tr("Report of what went wrong"), self._write_report, ready),
        ):
            if act is None:
                menu.addSeparator()
                continue
            action = menu.addAction(words)
            action.setEnabled(bool(able))
            action.triggered.connect(lambda _=False, act=act: act())
        menu.addSeparator()
        window = self.main_window
        units = QMenu(tr("Lengths and language"), menu)  # their own: the menu fits low screens
        for part, choices, now, choose in (
            (menu, ORDERS, self.left.order, self._sort),
            (units, LENGTH_CHOICES, length_unit(), window.choose_lengths),
            (units, LANGUAGES, spoken(), window.choose_language),
        ):
            for key, words in choices.items():
                action = part.addAction(words)
                action.setCheckable(True)
                action.setChecked(key == now)
                action.triggered.connect(lambda _=False, key=key, choose=choose: choose(key))
            part.addSeparator()
        units.setFont(menu.font())
        menu.addMenu(units)
        return menu

    def _sort(self, order: str) -> None:
        self.left.order = order
        self._refresh_index()

    def bring_in_notes(self, path: Path | None = None) -> None:
        """Open the dialog for old notes, on a file of them."""
        self._open(NotesDialog)
        if path is not None:
            self.dialog.open_file(path)

    def _open(self, kind: Any) -> None:
        self.dialog = kind(self.main_window)
        self.dialog.finished.connect(self.dialog.deleteLater)
        self.dialog.open()

    def _save_book(self) -> None:
        suggested = str(self.session.store.folder / "book.pdf")
        name, _ = QFileDialog.getSaveFileName(
            self,
            tr("Save or print the book"),
            suggested,
            ";;".join(f"{kind.name} (*{kind.suffix})" for kind in BOOK_FILES),
        )
        if name:
            path = Path(name)
            self.main_window.work(write_book_work(self.session, path), self._shown(path))

    def _shown(self, path: Path) -> Any:
        """What is done with a page that was written: it is said, and a PDF is shown."""

        def show(words: str) -> None:
            self.right.say(words)
            if path.suffix.casefold() == ".pdf":
                self.main_window.show_pages(path)

        return show

    def _write(self, suggested: str, work: Any) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self,
            tr("Write"),
            str(self.session.store.folder / "cards" / suggested),
            tr("PDF (*.pdf)"),
        )
        if name:
            self.main_window.work(work(self.session, Path(name)), self._shown(Path(name)))

    def _write_report(self) -> None:
        suggested = str(self.session.store.folder / "fault-report.zip")
        name, _ = QFileDialog.getSaveFileName(self, tr("Write"), suggested, tr("Report (*.zip)"))
        if name:
            fault_file = self.main_window.services.fault_file()
            work = fault_report_work(self.session.store, fault_file, Path(name))
            self.main_window.work(work, self.right.say)

    def _take_in(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, tr("Another library"), "", tr("Library (*.json almanac.db)")
        )
        if name:
            self.take_in(Path(name))

    def take_in(self, path: Path) -> None:
        """Merge another library, a file or the database of its folder, into this one."""
        store = self.session.store
        if path.suffix == ".json":
            work = take_in_work(store, path)
        else:
            work = merge_work(store, lambda: self.main_window.services.open_library(path.parent))
        self.main_window.work(work, self._taken_in)

    def _taken_in(self, merged: Merged) -> None:
        self.session.read_again()
        told = [
            tr("{table} {uid}: {kept} in force", table=one.table, uid=one.uid, kept=one.kept)
            for one in merged.conflicts[:6]
        ]
        if merged.left_out:
            self.session.tell(merged.says)
        self.right.say(" ".join([merged.says, *told]))

    def show_building(self) -> None:
        self.welcome.open_demo.setEnabled(False)
        self.welcome.note.setText(
            tr(
                "Building the demo shop: planning, burning and reading "
                "its coupons. This takes about "
                "ten seconds."
            )
        )

    def main_action(self) -> None:
        if self._is_empty and self.welcome.first is not None:
            self.welcome.plan_first()
        elif self.right.main_button is not None:
            self.right.main_button.click()

    def print_page(self) -> None:
        self.right.print_card()

    def copy_numbers(self) -> None:
        self.right.copy_numbers()

    def focus_filter(self) -> None:
        self.left.filter.setFocus(Qt.FocusReason.ShortcutFocusReason)
