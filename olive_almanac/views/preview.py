"""A page before it goes to the printer: as it will be, page by page; printed, kept elsewhere, or
opened with the desktop's own viewer.
"""

from __future__ import annotations

import re
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QRectF, Qt, QUrl
from PySide6.QtGui import QDesktopServices, QImage, QPainter, QPixmap
from PySide6.QtPrintSupport import QPrintDialog, QPrinter
from PySide6.QtWidgets import QDialog, QFileDialog, QLabel

from olive_almanac.core.units import count_text
from olive_almanac.core.words import tr
from olive_almanac.steps.preview import PRINT_DPI, SCREEN_DPI, PagePicture, copy_page, pictures_of
from olive_almanac.views.parts import Page, button, col, hair, label, row, scrolling
from olive_almanac.views.theme import px
from olive_almanac.views.worker import LatestWork

if TYPE_CHECKING:
    from olive_almanac.views.window import MainWindow

__all__ = ["PreviewDialog", "picture_from"]

MOST_SHOWN = 40  # pages drawn on screen; all are printed
NO_FILE_NAME = r'[\\/:*?"<>|\x00-\x1f]+'  # what a stick's file system does not take in a name
MOST_SIGNS = 80  # of a suggested name


def picture_from(pixels: Any) -> QImage:
    """Return pixels [h, w, 3] RGB as a picture."""
    high, wide = pixels.shape[:2]
    return QImage(pixels.tobytes(), wide, high, 3 * wide, QImage.Format.Format_RGB888).copy()


class PreviewDialog(QDialog):
    """Shows a PDF that was written, and prints it."""

    def __init__(self, window: MainWindow, path: Path) -> None:
        super().__init__(window)
        self.path, self.session = path, window.session
        self.title = label("", "h2", wrap=True)
        self._call(path.stem)
        self.shown = 0
        self._drawing, self._printing = LatestWork(window.work), LatestWork(window.work)
        self.told = label(tr("Drawing the page …"), "ui", "second", wrap=True)
        self.print = button(tr("Print …"), "main", tip="Ctrl+P")
        self.print.setShortcut("Ctrl+P")
        self.print.clicked.connect(self._ask_printer)
        self.keep = button(tr("Save a copy …"), tip=tr("as PDF"))
        self.keep.clicked.connect(self._save)
        self.view = button(tr("Open in the viewer"), "plain", tip=tr("the desktop’s own for PDF"))
        self.view.clicked.connect(
            lambda: QDesktopServices.openUrl(QUrl.fromLocalFile(str(self.path)))
        )
        close = button(tr("Close"))
        close.clicked.connect(self.reject)
        sheet = Page()
        self.pages = col(gap=12)
        sheet.setLayout(col(self.pages, None))
        self.setLayout(
            col(
                self.title,
                hair("bold"),
                scrolling(sheet, (px(420), px(300))),
                self.told,
                row(self.print, self.keep, self.view, None, close, gap=10),
                gap=10,
                margins=(20, 16, 20, 16),
            )
        )
        for made in (self.keep, self.view, close):
            made.setAutoDefault(False)
        self.resize(min(px(1000), window.width() - px(40)), window.height() - px(40))
        self.finished.connect(self._drawing.stop)
        self.finished.connect(self._printing.stop)
        self._drawing.start(pictures_of(path, SCREEN_DPI), self._draw, self._failed)

    def _call(self, title: str) -> None:
        self.setWindowTitle(title)
        self.title.setText(title)

    def _draw(self, drawn: PagePicture) -> None:
        number, count, title, pixels = drawn
        if number > MOST_SHOWN:
            return
        self._call(title)
        page = QLabel()
        page.setPixmap(QPixmap.fromImage(picture_from(pixels)))
        page.setFrameShape(QLabel.Shape.Box)
        page.setAccessibleName(tr("Page {number} of {count}", number=number, count=count))
        self.pages.addWidget(page, 0, Qt.AlignmentFlag.AlignHCenter)
        self.shown = number
        more = (
            tr(", of which {most_shown} are shown", most_shown=MOST_SHOWN)
            if count > MOST_SHOWN
            else ""
        )
        self.told.setText(
            tr(
                "{pages}{more}. It lies in {path}.",
                pages=count_text(count, "page"),
                more=more,
                path=self.path,
            )
        )

    def _failed(self, problem: Exception) -> None:
        self.told.setText(str(problem))

    def _ask_printer(self) -> None:
        printer = QPrinter(QPrinter.PrinterMode.HighResolution)
        printer.setDocName(self.title.text())
        asked = QPrintDialog(printer, self)
        if asked.exec() == QDialog.DialogCode.Accepted:
            self.print_on(printer)

    def print_on(self, printer: QPrinter) -> None:
        """Print every page as large as the paper takes it, never larger than it is."""
        printer.setFullPage(True)
        painter = QPainter()
        if not painter.begin(printer):
            self.told.setText(
                tr("The printer takes nothing. Is it on, and is there room for its file?")
            )
            return
        self.told.setText(tr("Printing …"))

        def page(drawn: PagePicture) -> None:
            number, count, _, pixels = drawn
            picture = picture_from(pixels)
            paper = printer.pageRect(QPrinter.Unit.DevicePixel)
            whole = printer.resolution() / PRINT_DPI
            scale = min(whole, paper.width() / picture.width(), paper.height() / picture.height())
            wide, high = picture.width() * scale, picture.height() * scale
            painter.drawImage(QRectF(0, 0, wide, high), picture)
            if number < count:
                printer.newPage()
            else:
                painter.end()
                self.told.setText(tr("{pages} printed.", pages=count_text(count, "page")))

        self._printing.start(pictures_of(self.path, PRINT_DPI), page, self._failed)

    def _save(self) -> None:
        called = re.sub(NO_FILE_NAME, "-", self.title.text())[:MOST_SIGNS].strip(". ")
        usual = str(Path.home() / f"{called}.pdf")
        name, _ = QFileDialog.getSaveFileName(self, tr("Save a copy"), usual, tr("PDF (*.pdf)"))
        if name and self.session.attempt(lambda: copy_page(self.path, Path(name))):
            self.told.setText(tr("A copy is in {name}.", name=name))
