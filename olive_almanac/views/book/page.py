"""The Book station: index at the left, entry at the right; with an empty library, the ways in."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QStackedLayout, QVBoxLayout, QWidget

from olive_almanac.steps.book import BookPresenter
from olive_almanac.views.book.entry import EntryPage
from olive_almanac.views.book.index import IndexHead, IndexView, Legend
from olive_almanac.views.parts import Page, SearchField, button, head, label, page_margins
from olive_almanac.views.station_page import StationPage
from olive_almanac.views.theme import close, px


class Welcome(Page):
    """The left page of an empty library: what the book is for, and the ways in."""

    def __init__(self, window) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        page_margins(layout)
        layout.addLayout(head(label("A book of proven settings", "h1"), None))
        layout.addSpacing(px(16))
        text = label(
            "What do I set, how sure are we, and what do I burn next? The book answers from coupons that you burnt and read "
            "yourself. It is empty now. There are two ways in.",
            "ui",
            "second",
            wrap=True,
        )
        layout.addWidget(text)
        layout.addSpacing(px(20))
        self.add_machine = button("Add your machine", "main", tip="then a stock, then the first coupon")
        self.add_machine.clicked.connect(lambda: window.add("machine"))
        layout.addWidget(self.add_machine)
        layout.addWidget(label("Five fields matter; the rest has good defaults.", "small", "second"))
        layout.addSpacing(px(16))
        self.open_demo = button("Open the demo shop", tip="an invented shop in a folder of its own; your library stays empty")
        self.open_demo.clicked.connect(window.open_demo)
        layout.addWidget(self.open_demo)
        self.note = label(
            "Three machines, twelve stocks, entries in every state. Nothing of it gets into your library.",
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
        self.filter = SearchField("Filter stocks", close("", "/"))
        self.filter.setFixedWidth(px(close(150, 190)))
        self.index = IndexView()
        self.heads = IndexHead(self.index.index_model)
        self.nothing = label("No stock has these words.", "ui", "second")
        layout = QVBoxLayout(self)
        page_margins(layout, right=20)
        layout.addLayout(head(label("Index", "h1"), None, self.filter))
        layout.addWidget(self.heads)
        layout.addWidget(self.nothing)
        layout.addWidget(self.index, 1)
        layout.addSpacing(px(6))
        layout.addWidget(Legend())

    def show_shelf(self, session) -> None:
        self.index.show_shelf(session.shelf, session.today(), self.filter.text(), session.subject)
        self.nothing.setVisible(not self.index.index_model.rows)
        self.heads.update()
        least = close(300, 380)
        self.setFixedWidth(max(px(least), self.index.total_width() + px(close(50, 56))))


class BookPage(StationPage):
    """Joins the two pages and keeps them in step with the session."""

    def __init__(self, window) -> None:
        super().__init__(window)
        self.presenter = BookPresenter(self.session)
        self.welcome, self.left, self.right = Welcome(window), IndexPage(), EntryPage(self.presenter)
        self.welcome.setFixedWidth(px(close(340, 480)))
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
        self.right.plan_asked.connect(lambda: window.go("Plan"))

    def enter(self) -> None:
        self._refresh_index()
        self.right.refresh()
        if self.session.shelf.stocks:
            self.left.index.setFocus()
        else:
            self.welcome.add_machine.setFocus()

    def heard(self, what: str) -> None:
        if what in ("shelf", "subject", "desk"):
            self._refresh_index()
            self.right.refresh()

    def _refresh_index(self) -> None:
        empty = not self.session.shelf.machines and not self.session.shelf.stocks
        self._stack.setCurrentWidget(self.welcome if empty else self.left)
        if not empty:
            self.left.show_shelf(self.session)
        self._holder.setFixedWidth(self.welcome.width() if empty else self.left.width())
        self._holder.setFixedWidth(self.welcome.minimumWidth() if empty else self.left.minimumWidth())

    def _choose(self, machine: str, stock: str, task: str) -> None:
        self.session.choose(machine=machine or None, stock=stock, task=task or None)

    def show_building(self) -> None:
        self.welcome.open_demo.setEnabled(False)
        self.welcome.note.setText(
            "Building the demo shop: planning, burning and reading its coupons. This takes about ten seconds."
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
