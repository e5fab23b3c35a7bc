"""Help beside the window: the guide's pages, a field that finds in them, and the first job as a way
through the stations.
"""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QBuffer, QIODevice, QMarginsF, Qt, QUrl
from PySide6.QtGui import (
    QFont,
    QImage,
    QKeySequence,
    QPageSize,
    QPdfWriter,
    QResizeEvent,
    QShortcut,
    QTextBlockFormat,
    QTextCharFormat,
    QTextCursor,
    QTextDocument,
    QTextLength,
    QTextTable,
)
from PySide6.QtWidgets import (
    QDialog,
    QFileDialog,
    QListWidget,
    QListWidgetItem,
    QTextBrowser,
    QWidget,
)

from olive_almanac.core.words import tr
from olive_almanac.steps.files import write_file
from olive_almanac.steps.first_job import first_job, first_job_words
from olive_almanac.steps.guide import (
    FIRST_JOB,
    Found,
    find_in,
    guide_folder,
    guide_pages,
    linked_text,
    page_of,
)
from olive_almanac.views.parts import SearchField, button, col, hair, label, row
from olive_almanac.views.theme import C, px, scaled_font

if TYPE_CHECKING:
    from olive_almanac.views.window import MainWindow

__all__ = ["HelpWindow"]

SIZE = (980, 700)
LIST_WIDE = 270
PICTURE = "\ufffc"  # what a paragraph holds that is a picture
PRINT_DPI = 130  # at which our sizes are those of a printed page
SPACE = 8  # above a paragraph, logical px


class GuideText(QTextBrowser):
    """A page of the guide, set in the program's own type; pictures are as wide as the page."""

    def __init__(self) -> None:
        super().__init__()
        self.setOpenLinks(False)
        self.setAccessibleName(tr("The page of the guide"))
        self._shown = ""

    def show_markdown(self, text: str) -> None:
        """Show a page from its Markdown."""
        self._shown = text
        document = QTextDocument(self)  # each page its own: one that is filled anew keeps formats
        document.setDocumentMargin(px(18))
        document.setMarkdown(text)
        set_in_type(document)
        self.setDocument(document)
        self.verticalScrollBar().setValue(0)

    def go_to(self, heading: str) -> None:
        """Scroll so that a heading stands at the top."""
        block = self.document().begin()
        while block.isValid():
            if block.blockFormat().headingLevel() and block.text() == heading:
                place = self.document().documentLayout().blockBoundingRect(block).top()
                self.verticalScrollBar().setValue(round(place) - px(10))
                return
            block = block.next()

    def loadResource(self, kind: int, name: QUrl | str) -> Any:
        if kind != QTextDocument.ResourceType.ImageResource.value:
            return super().loadResource(kind, name)
        image = QImage(str(guide_folder() / QUrl(name).toString()))
        room = max(px(240), self.viewport().width() - 2 * px(22))
        if image.width() > room:
            image = image.scaledToWidth(room, Qt.TransformationMode.SmoothTransformation)
        return image

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if self._shown and event.size().width() != event.oldSize().width():
            at = self.verticalScrollBar().value()
            self.show_markdown(self._shown)
            self.verticalScrollBar().setValue(at)


def set_in_type(document: QTextDocument) -> None:
    """Give the headings, paragraphs, links and tables of a page our type and colours."""
    document.setDefaultFont(scaled_font("ui"))
    block = document.begin()
    while block.isValid():
        level = block.blockFormat().headingLevel()
        cursor = QTextCursor(block)
        cursor.movePosition(QTextCursor.MoveOperation.EndOfBlock, QTextCursor.MoveMode.KeepAnchor)
        room = QTextBlockFormat()
        room.setTopMargin(px({0: SPACE, 1: 0, 2: 2.5 * SPACE}.get(level, 2 * SPACE)))
        room.setBottomMargin(px(SPACE / 2))
        is_plain = not level and block.text() != PICTURE
        lines = 118 if is_plain else 100
        room.setLineHeight(lines, QTextBlockFormat.LineHeightTypes.ProportionalHeight.value)
        cursor.mergeBlockFormat(room)
        if level:
            face = QTextCharFormat()
            face.setFont(scaled_font({1: "h1", 2: "h2"}.get(level, "h3")))
            face.setForeground(C("ink"))
            cursor.setCharFormat(face)  # not merged: Markdown has sizes of its own
        block = block.next()
    _mark_links(document)
    for frame in document.rootFrame().childFrames():
        if isinstance(frame, QTextTable):
            form = frame.format()
            form.setBorder(0)
            form.setCellPadding(px(4))
            form.setWidth(_full_width())
            frame.setFormat(form)


def _full_width() -> Any:
    return QTextLength(QTextLength.Type.PercentageLength, 100)


def _mark_links(document: QTextDocument) -> None:
    """Colour the links; what is bold, or typed, has the weight that our type comes in."""
    block = document.begin()
    while block.isValid():
        part = block.begin()
        while not part.atEnd():
            piece = part.fragment()
            form = piece.charFormat()
            bold = form.fontWeight() > QFont.Weight.DemiBold
            if form.isAnchor() or form.fontFixedPitch() or bold:
                face = QTextCharFormat()
                if form.isAnchor():
                    face.setForeground(C("olive_deep"))
                else:
                    face.setFont(scaled_font("ui_b"))
                cursor = QTextCursor(document)
                cursor.setPosition(piece.position())
                cursor.setPosition(
                    piece.position() + piece.length(), QTextCursor.MoveMode.KeepAnchor
                )
                cursor.mergeCharFormat(face)
            part += 1
        block = block.next()


class HelpWindow(QDialog):
    """The guide beside the main window, which goes on working."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self.main_window, self.session = window, window.session
        self.setWindowTitle(tr("Help"))
        self.page, self._before = "", [""]
        self.field = SearchField(tr("Find in the guide"))
        self.field.setAccessibleName(tr("Find in the guide"))
        self.field.textChanged.connect(self._find)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Pages, or what was found"))
        self.list.setFont(scaled_font("ui"))
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.itemClicked.connect(self._open_item)
        self.list.itemActivated.connect(self._open_item)
        self.text = GuideText()
        self.text.anchorClicked.connect(self._follow)
        self.back = button(tr("Back"), "plain", tip="Alt+Left")
        self.back.clicked.connect(self.go_back)
        self.contents = button(tr("Contents"), "plain")
        self.contents.clicked.connect(lambda: self.show_topic("index"))
        self.first = button(
            tr("First job"), "plain", tip=tr("the steps from an empty book, one by one")
        )
        self.first.clicked.connect(lambda: self.show_topic(FIRST_JOB))
        self.keep = button(tr("Save this page"), tip=tr("as PDF, to print"))
        self.keep.clicked.connect(self._save)
        self.step = label("", "ui", wrap=True)
        self.go = button(tr("Go there"), "main")
        self.go.clicked.connect(self._go)
        self.way = QWidget()
        self.way.setObjectName("desk")
        way = row(self.step, self.go, gap=12)
        way.setStretch(0, 1)
        way.setContentsMargins(px(14), px(8), px(10), px(8))
        self.way.setLayout(way)
        left = QWidget()
        left.setFixedWidth(px(LIST_WIDE))
        left.setLayout(col(self.field, self.list, gap=8))
        keys = row(self.back, self.contents, self.first, None, self.keep)
        right = col(keys, hair("bold"), self.way, self.text, gap=8)
        right.setStretch(3, 1)
        body = row(left, gap=14)
        body.addLayout(right, 1)
        body.setContentsMargins(px(14), px(12), px(14), px(12))
        self.setLayout(body)
        self.resize(px(SIZE[0]), px(SIZE[1]))
        for made in (self.back, self.contents, self.first, self.keep, self.go):
            made.setAutoDefault(False)  # Enter in the field opens what was found
        self.field.returnPressed.connect(self._open_first)
        QShortcut(QKeySequence("F1"), self, self.close)
        QShortcut(QKeySequence("Alt+Left"), self, self.go_back)
        self._find("")

    def show_topic(self, topic: str) -> None:
        """Show a page of the guide, "page" or "page/heading"."""
        name, heading = page_of(topic)
        if name != self.page:
            self._before.append(self.page)
        self.page = name
        self.text.show_markdown(guide_pages()[name].text)
        if heading:
            self.text.go_to(heading)
        self.back.setVisible(bool(self._before[-1]))
        self.show_way()

    def go_back(self) -> None:
        """Show the page before this one."""
        if self._before[-1]:
            name = self._before.pop()
            self.page = name
            self.show_topic(name)

    def show_way(self) -> None:
        """Show how far the first job is, on its page."""
        self.way.setVisible(self.page == FIRST_JOB)
        if self.page != FIRST_JOB:
            return
        steps = first_job(self.session)
        self.step.setText(first_job_words(steps))
        self.go.setVisible(any(not step.done for step in steps))

    def _go(self) -> None:
        left = [step for step in first_job(self.session) if not step.done]
        if left:
            self.main_window.navigate(left[0].station)
            self.main_window.activateWindow()

    def _find(self, words: str) -> None:
        self.list.clear()
        pages = guide_pages()
        if words.strip():
            for found in find_in(pages, words):
                self._add(f"{found.title}\n{found.heading}".strip(), found)
            if not self.list.count():
                self._add(tr("Nothing in the guide fits these words."), None)
            return
        for page in pages.values():
            self._add(page.title, Found(page.name, page.title, ""))

    def _add(self, words: str, found: Found | None) -> None:
        item = QListWidgetItem(words)
        item.setData(Qt.ItemDataRole.UserRole, found)
        self.list.addItem(item)

    def _open_item(self, item: QListWidgetItem) -> None:
        found = item.data(Qt.ItemDataRole.UserRole)
        if found is not None:
            self.show_topic(f"{found.page}/{found.heading}" if found.heading else found.page)

    def _open_first(self) -> None:
        if self.list.count():
            self._open_item(self.list.item(0))

    def _follow(self, link: QUrl) -> None:
        name = link.toString()
        if name.endswith(".md") and "/" not in name:
            self.show_topic(name.removesuffix(".md"))
            return
        text = linked_text(name)
        if text:
            self._before.append(self.page)
            self.page = ""
            self.text.show_markdown(text)
            self.back.setVisible(True)

    def _save(self) -> None:
        usual = str(Path.home() / f"{self.page or 'guide'}.pdf")
        name, _ = QFileDialog.getSaveFileName(self, tr("Save this page"), usual, tr("PDF (*.pdf)"))
        if name:
            self.save_page(Path(name))

    def save_page(self, path: Path) -> None:
        """Write the page as PDF for A4, dark ink on white in either theme."""
        kept = QBuffer()
        kept.open(QIODevice.OpenModeFlag.WriteOnly)
        writer = QPdfWriter(kept)
        writer.setPageSize(QPageSize(QPageSize.PageSizeId.A4))
        writer.setResolution(PRINT_DPI)
        writer.setPageMargins(QMarginsF(15, 15, 15, 15))
        writer.setTitle(self.windowTitle())
        paper = self.text.document().clone()
        cursor = QTextCursor(paper)
        cursor.select(QTextCursor.SelectionType.Document)
        ink = QTextCharFormat()
        ink.setForeground(Qt.GlobalColor.black)
        cursor.mergeCharFormat(ink)
        paper.setPageSize(writer.pageLayout().paintRectPixels(PRINT_DPI).size().toSizeF())
        paper.print_(writer)
        self.session.attempt(lambda: write_file(path, bytes(kept.data().data())))
