"""The Book station: index at the left, entry at the right; with an empty library, the ways in."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QMenu, QStackedLayout, QVBoxLayout, QWidget

from olive_almanac.steps.book import ORDERS, BookPresenter
from olive_almanac.steps.fault_report import fault_report_work
from olive_almanac.steps.requests import BringInNotes, Request, ShowMenu
from olive_almanac.steps.share import (
    BOOK_FILES,
    label_work,
    merge_work,
    take_in_work,
    write_book_work,
    write_wall_card_work,
)
from olive_almanac.views.book.dialogs import CompareDialog, DueDialog, NotesDialog
from olive_almanac.views.book.entry import EntryPage
from olive_almanac.views.book.index import IndexHead, IndexView, Legend
from olive_almanac.views.parts import Page, SearchField, button, head, label, page_margins
from olive_almanac.views.station_page import StationPage
from olive_almanac.views.theme import compact, px, scaled_font

if TYPE_CHECKING:
    from olive_almanac.steps.ports import Merged
    from olive_almanac.steps.session import Session
    from olive_almanac.views.window import MainWindow


class Welcome(Page):
    """The left page of an empty library: what the book is for, and the ways in."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        page_margins(layout)
        layout.addLayout(head(label("A book of proven settings", "h1"), None))
        layout.addSpacing(px(16))
        text = label(
            "What do I set, how sure are we, and what do I burn next? The book answers from "
            "coupons that you burnt and read yourself. It is empty now. There are three ways in.",
            "ui",
            "second",
            wrap=True,
        )
        layout.addWidget(text)
        layout.addSpacing(px(20))
        self.add_machine = button(
            "Add your machine", "main", tip="then a stock, then the first coupon"
        )
        self.add_machine.clicked.connect(lambda: window.add("machine"))
        layout.addWidget(self.add_machine)
        layout.addWidget(
            label("Five fields matter; the rest has good defaults.", "small", "second")
        )
        layout.addSpacing(px(16))
        self.old_notes = button(
            "Bring in old notes", tip="a table or lines of text; your machine comes first"
        )
        self.old_notes.clicked.connect(window.bring_in_notes)
        layout.addWidget(self.old_notes)
        notes = (
            "A table or lines of text. Your machine first, since a setting is for one; then "
            "they come in as guesses."
        )
        layout.addWidget(label(notes, "small", "second", wrap=True))
        layout.addSpacing(px(16))
        self.open_demo = button(
            "Open the demo shop",
            tip="an invented shop in a folder of its own; your library stays empty",
        )
        self.open_demo.clicked.connect(window.open_demo)
        layout.addWidget(self.open_demo)
        self.note = label(
            (
                "Three machines, twelve stocks, entries in every state. Nothing of it gets into "
                "your library."
            ),
            "small",
            "second",
            wrap=True,
        )
        layout.addWidget(self.note)
        layout.addStretch(1)


class IndexPage(Page):
    """The left page: filter, heads, index, legend."""

    def __init__(self) -> None:
        super().__init__()
        self.order = "family"
        self.filter = SearchField("Filter stocks", compact("", "/"))
        self.filter.setFixedWidth(px(compact(120, 150)))
        self.more = button(
            compact("More", "The book"),
            "plain",
            tip="due this week, compare, old notes, save, print, share; Ctrl+B",
        )
        self.index = IndexView()
        self.heads = IndexHead(self.index.index_model)
        self.nothing = label("No stock has these words.", "ui", "second")
        layout = QVBoxLayout(self)
        page_margins(layout, right=20)
        layout.addLayout(head(label("Index", "h1"), None, self.filter, self.more, gap=8))
        layout.addWidget(self.heads)
        layout.addWidget(self.nothing)
        layout.addWidget(self.index, 1)
        layout.addSpacing(px(6))
        layout.addWidget(Legend())

    def show_catalogue(self, session: Session) -> None:
        self.index.show_catalogue(
            session.catalogue, session.today(), self.filter.text(), session.subject, self.order
        )
        self.nothing.setVisible(not self.index.index_model.rows)
        self.heads.update()
        least = compact(300, 380)
        self.setFixedWidth(max(px(least), self.index.total_width() + px(compact(50, 56))))


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
        else:
            self.welcome.add_machine.setFocus()

    def catalogue_changed(self) -> None:
        self._refresh_index()
        self.right.refresh()

    def subject_changed(self) -> None:
        self.catalogue_changed()

    def trials_changed(self) -> None:
        self.catalogue_changed()

    def take(self, request: Request) -> None:
        if isinstance(request, BringInNotes):
            self.bring_in_notes()
        elif isinstance(request, ShowMenu):
            self.show_menu()

    def _refresh_index(self) -> None:
        empty = not self.session.catalogue.machines and not self.session.catalogue.stocks
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
            ("Due this week", lambda: self._open(DueDialog), ready),
            ("Compare this setting", lambda: self._open(CompareDialog), ready and entry),
            ("Bring in old notes", self.bring_in_notes, ready),
            ("", None, True),
            ("Save or print the book", self._save_book, ready),
            (
                "Wall card of this machine",
                lambda: self._write("wall card.pdf", write_wall_card_work),
                ready,
            ),
            ("Label for the rack", lambda: self._write("label.pdf", label_work), ready and entry),
            ("", None, True),
            ("Take in another library", self._take_in, ready),
            ("Report of what went wrong", self._write_report, ready),
        ):
            if act is None:
                menu.addSeparator()
                continue
            action = menu.addAction(words)
            action.setEnabled(bool(able))
            action.triggered.connect(act)
        menu.addSeparator()
        for order, words in ORDERS.items():
            action = menu.addAction(words)
            action.setCheckable(True)
            action.setChecked(order == self.left.order)
            action.triggered.connect(lambda _=False, order=order: self._sort(order))
        return menu

    def _sort(self, order: str) -> None:
        self.left.order = order
        self._refresh_index()

    def bring_in_notes(self) -> None:
        self._open(NotesDialog)

    def _open(self, kind: Any) -> None:
        self.dialog = kind(self.main_window)
        self.dialog.finished.connect(self.dialog.deleteLater)
        self.dialog.open()

    def _save_book(self) -> None:
        suggested = str(self.session.store.folder / "book.pdf")
        name, _ = QFileDialog.getSaveFileName(
            self,
            "Save or print the book",
            suggested,
            ";;".join(f"{kind.name} (*{kind.suffix})" for kind in BOOK_FILES),
        )
        if name:
            self.main_window.work(write_book_work(self.session, Path(name)), self.right.say)

    def _write(self, suggested: str, work: Any) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self, "Write", str(self.session.store.folder / "cards" / suggested), "PDF (*.pdf)"
        )
        if name:
            self.main_window.work(work(self.session, Path(name)), self.right.say)

    def _write_report(self) -> None:
        suggested = str(self.session.store.folder / "fault-report.zip")
        name, _ = QFileDialog.getSaveFileName(self, "Write", suggested, "Report (*.zip)")
        if name:
            fault_file = self.main_window.services.fault_file()
            work = fault_report_work(self.session.store, fault_file, Path(name))
            self.main_window.work(work, self.right.say)

    def _take_in(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, "Another library", "", "Library (*.json almanac.db)"
        )
        if not name:
            return
        path, store = Path(name), self.session.store
        if path.suffix == ".json":
            work = take_in_work(store, path)
        else:
            work = merge_work(store, lambda: self.main_window.services.open_library(path.parent))
        self.main_window.work(work, self._taken_in)

    def _taken_in(self, merged: Merged) -> None:
        self.session.read_again()
        told = [f"{one.table} {one.uid}: {one.kept} in force" for one in merged.conflicts[:6]]
        if merged.left_out:
            self.session.tell(merged.says)
        self.right.say(" ".join([merged.says, *told]))

    def show_building(self) -> None:
        self.welcome.open_demo.setEnabled(False)
        self.welcome.note.setText(
            "Building the demo shop: planning, burning and reading its coupons. This takes about "
            "ten seconds."
        )

    def main_action(self) -> None:
        if self.right.main_button is not None:
            self.right.main_button.click()

    def print_page(self) -> None:
        self.right.print_card()

    def copy_numbers(self) -> None:
        self.right.copy_numbers()

    def focus_filter(self) -> None:
        self.left.filter.setFocus(Qt.FocusReason.ShortcutFocusReason)
