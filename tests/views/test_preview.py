"""A page before it is printed: shown as it will be, printed, kept elsewhere; a bad one is told."""

from pathlib import Path
from unittest.mock import patch

import numpy as np
from pypdf import PdfReader
from PySide6.QtCore import Qt
from PySide6.QtPrintSupport import QPrinter
from PySide6.QtWidgets import QApplication, QFileDialog, QLabel

from olive_almanac.formats.pdf_pictures import page_pictures
from olive_almanac.views.preview import PreviewDialog
from tests.samples import BIRCH, LONG, sample_entry
from tests.views.qt_case import WindowCase


class PreviewTest(WindowCase):
    def setUp(self):
        super().setUp()
        self.open()
        store = self.session.store
        store.save_machine(LONG, "test")
        store.save_stock(BIRCH, "test")
        store.save_entry(sample_entry(), "test")
        self.session.read_again()
        self.session.choose(machine=LONG.uid, stock=BIRCH.uid, task="cut")
        self.window.navigate("book")

    def shown(self):
        dialogs = [one for one in QApplication.topLevelWidgets() if isinstance(one, PreviewDialog)]
        return next(one for one in dialogs if one.isVisible())

    def test_ctrl_p_shows_the_card_which_is_printed_and_kept_elsewhere(self):
        self.window.activateWindow()
        self.wait_for(self.window.isActiveWindow)
        self.ctrl(Qt.Key.Key_P)
        dialog = self.shown()
        self.wait_for(lambda: dialog.shown == 1)
        (page,) = [
            one for one in dialog.findChildren(QLabel) if one.accessibleName() == "Page 1 of 1"
        ]
        self.assertGreater(page.pixmap().width(), 300)
        called = "Birch ply 3.0 mm, lot 7, cut, Long Bed"
        self.assertEqual(dialog.windowTitle(), called)
        printed = self.folder / "printed.pdf"
        printer = QPrinter(QPrinter.PrinterMode.HighResolution)
        printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
        printer.setOutputFileName(str(printed))
        dialog.print_on(printer)
        self.wait_for(lambda: "1 page printed" in dialog.told.text())
        card, paper = (next(page_pictures(p.read_bytes(), 60)) for p in (dialog.path, printed))
        high, wide = card.shape[:2]
        same = np.abs(card.astype(int) - paper[:high, :wide].astype(int)).mean()
        self.assertLess(same, 12)  # as large as it is, at the upper left of the paper
        self.assertGreater(card.std(), 20)
        copy = self.folder / "copy.pdf"
        with patch.object(QFileDialog, "getSaveFileName", return_value=(str(copy), "")) as asked:
            self.click(dialog.keep)
        self.assertEqual(Path(asked.call_args.args[2]).name, f"{called}.pdf")
        self.assertEqual(len(PdfReader(copy).pages), 1)

    def test_a_file_that_is_no_page_is_told(self):
        bad = self.folder / "bad.pdf"
        bad.write_bytes(b"%PDF-1.4 cut off")
        self.window.show_pages(bad)
        self.wait_for(lambda: "cannot be shown" in self.shown().told.text())
        self.shown().path = self.folder / "gone.pdf"
        with patch.object(QFileDialog, "getSaveFileName", return_value=(str(bad), "")):
            self.click(self.shown().keep)
        self.assertIn("does not exist", self.session.problem)
