"""The book as a whole in the window: due list, comparing, old notes, files and paper, another
library.
"""

import csv
import io
import json
import time
from dataclasses import replace
from datetime import date, timedelta
from pathlib import Path
from unittest import mock

import cv2
import pypdf
import pypdfium2
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QLineEdit

from olive_almanac.core.records.entry import Proof
from olive_almanac.formats.book_csv import HEADS
from olive_almanac.formats.book_pdf import write_label
from olive_almanac.formats.library_json import write_library
from olive_almanac.formats.pdf import entry_code
from olive_almanac.storage.engines import name_server
from olive_almanac.storage.library import Library
from olive_almanac.views.finder import Finder
from olive_almanac.views.preview import PreviewDialog
from olive_almanac.views.worker import once
from tests.samples import BIRCH, DAY, LONG, NORTH, sample_entry
from tests.storage.server import new_database
from tests.views.qt_case import WindowCase
from tests.views.test_stations import ShopCase

TODAY = date.fromisoformat(DAY)


def proofs(day, count=3, lot="7"):
    return tuple(Proof(day, "passed", lot) for _ in range(count))


class MenuCase(ShopCase):
    def menu(self, words):
        """Choose a line of the book's menu as the keyboard does."""
        self.ctrl(Qt.Key.Key_B)
        menu = self.app.activePopupWidget()
        action = next(one for one in menu.actions() if one.text() == words)
        self.assertTrue(action.isEnabled(), words)
        menu.setActiveAction(action)
        self.key(Qt.Key.Key_Return, widget=menu)
        self.settle(60)


class BookSharingTest(MenuCase):
    def fill(self, library):
        library.save_entry(sample_entry(notes="=1+1"), "chosen")
        library.save_entry(
            sample_entry(proofs=proofs(str(TODAY - timedelta(days=180)))), "confirmed"
        )
        library.save_entry(
            sample_entry(
                uid="e2", stock_uid="leather-2", proofs=(Proof(DAY, "failed", "9"),), lot="9"
            ),
            "failed",
        )

    def test_the_due_list_puts_the_failed_first_and_enter_plans_its_confirm_run(self):
        self.menu("Due this week")
        dialog = self.page().dialog
        self.assertEqual([(one.entry.uid, one.risk) for one in dialog.due], [("e2", 0), ("e1", 3)])
        self.key(Qt.Key.Key_Return, widget=dialog.list)
        self.assertEqual(
            (self.window.station, self.session.subject.stock.uid), ("plan", "leather-2")
        )
        self.retype(self.page().choices.own["sheet_size"], "300 x 200")
        self.wait_for(lambda: self.page().presenter.plan is not None)
        trial = self.page().presenter.plan.trial
        self.assertEqual(
            (trial.kind, {cell.setting.speed_mm_s for cell in trial.cells}), ("confirm", {12.0})
        )

    def test_the_index_is_grouped_by_state_and_sorted_by_the_newest(self):
        model = self.page().left.index.index_model
        self.menu("Group by state, for the machine and task chosen")
        groups = [line.label for line in model.rows if line.stock is None]
        self.assertEqual(groups, ["Proven", "Due again", "Barred"])
        self.menu("Newest first")
        self.assertTrue(all(line.stock is not None for line in model.rows))
        self.assertEqual(model.rows[-1].stock.uid, "vinyl-05")  # nothing was ever written of it
        self.menu("Group by family")
        self.assertIn("Wood", [line.label for line in model.rows])

    def test_the_history_of_an_entry_is_a_line_of_the_menu(self):
        self.menu("History of this entry")
        lines = self.page().dialog.list
        told = [lines.item(n).text() for n in range(lines.count())]
        self.assertTrue(told and all("2026" in one for one in told), told)

    def test_a_setting_is_compared_with_its_own_past_and_with_another(self):
        self.menu("Compare this setting")
        dialog = self.page().dialog
        self.assertIn("revision 0", dialog.choices)
        dialog._pick(1, "e2")
        self.assertIn("same energy", dialog.says.text())
        texts = [
            dialog.grid.itemAtPosition(r, 1).widget().text()
            for r in range(dialog.grid.rowCount())
            if dialog.grid.itemAtPosition(r, 1)
        ]
        self.assertIn("Birch ply 3.0 mm", texts)
        dialog.close()

    def test_old_notes_come_in_as_guesses_and_go_out_again_in_one_act(self):
        self.menu("Bring in old notes")
        dialog = self.page().dialog
        dialog.text.setPlainText("Wood,Thickness,Power,Speed\nOak,5,90,600\nPine,4,70,900\n")
        self.settle()
        self.assertIn("do not say in which unit", dialog.question.text())
        dialog.unit.picked.emit("mm/min")
        self.assertIn("600 is 10 mm/s", dialog.question.text())
        self.click(dialog.keep)
        stocks = {stock.name: stock.uid for stock in self.session.catalogue.stocks}
        self.assertTrue({"Oak", "Pine"} <= stocks.keys())
        oak = next(e for e in self.session.catalogue.entries if e.stock_uid == stocks["Oak"])
        self.assertEqual((oak.origin, oak.setting.speed_mm_s), ("guess", 10.0))
        self.window.activateWindow()
        self.wait_for(self.window.isActiveWindow)
        self.page().left.index.setFocus()
        self.ctrl(Qt.Key.Key_Z)
        self.assertFalse({"Oak", "Pine"} & {stock.name for stock in self.session.catalogue.stocks})
        self.assertEqual(len(self.session.catalogue.entries), 2)

    def test_a_row_of_old_notes_that_is_left_out_is_mended_in_its_place(self):
        self.menu("Bring in old notes")
        dialog = self.page().dialog
        dialog.text.setPlainText("4 mm pine cut 90% 9 mm/s\n3mm oak cut fast 12 mm/s")
        self.settle()
        table = dialog.table
        heads = [table.horizontalHeaderItem(n).text() for n in range(table.columnCount())]
        self.assertEqual(table.item(0, 0).text(), "A guess: 90 %, 540 mm/min, 1 pass.")
        self.assertIn("power", table.item(1, 0).text())
        self.assertEqual(len(dialog.active.brought.entries), 1)
        table.setCurrentCell(1, heads.index("power"))
        self.key(Qt.Key.Key_F2, widget=table)
        editor = table.findChild(QLineEdit)
        self.retype(editor, "70%")
        self.key(Qt.Key.Key_Return, widget=editor)
        self.settle()
        self.assertEqual(table.item(1, 0).text(), "A guess: 70 %, 720 mm/min, 1 pass.")
        self.assertEqual(len(dialog.active.brought.entries), 2)
        self.assertIn("2 settings", dialog.told.text())

    def test_what_disagrees_is_told_whole_below_the_rows(self):
        self.menu("Bring in old notes")
        dialog = self.page().dialog
        dialog.text.setPlainText("4 mm pine cut 90% 9 mm/s\n4 mm pine cut 50% 9 mm/s")
        self.settle()
        self.assertTrue(dialog.table.isVisible())
        self.assertIn("The earlier one stands.", dialog.lines.text())

    def saved(self, words, name):
        target = Path(self.folder.parent) / name
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(target), "")):
            self.menu(words)
        self.wait_for(target.exists)
        self.wait_for(lambda: str(target) in self.page().right.said.text())
        self.assertTrue(self.page().right.said.isVisible())
        for preview in self.window.findChildren(PreviewDialog):
            self.wait_for(lambda preview=preview: preview.shown)
            preview.reject()
        self.window.activateWindow()
        self.wait_for(self.window.isActiveWindow)
        return target.read_bytes()

    def test_the_book_goes_out_as_table_print_and_library(self):
        rows = list(
            csv.DictReader(io.StringIO(self.saved("Save or print the book", "book.csv").decode()))
        )
        self.assertEqual((list(rows[0]), len(rows)), (list(HEADS), 2))
        self.assertEqual(
            (rows[0]["state"], rows[0]["power_percent"], rows[0]["notes"]), ("Proven", "85.0", "")
        )
        pdf = pypdf.PdfReader(io.BytesIO(self.saved("Save or print the book", "book.pdf")))
        text = [page.extract_text() for page in pdf.pages]
        self.assertIn("Contents", text[1])
        self.assertIn("Long Bed 60 W, 2 settings", text[1])
        self.assertIn("Index by stock", text[-1])
        titles = ((n, page) for n, page in enumerate(text, 1) if 2 < n < len(text))
        on = next(n for n, page in titles if "Birch ply 3.0 mm, lot 7, cut through" in page)
        line = next(line for line in text[-1].splitlines() if line.startswith("Birch"))
        after = text[-1].splitlines()
        self.assertTrue(line.endswith(str(on)) or after[after.index(line) + 1] == str(on), text[-1])
        plain = json.loads(self.saved("Save or print the book", "library.json"))
        self.assertEqual(
            [row["body"]["notes"] for row in plain["tables"]["entry"] if row["uid"] == "e1"],
            ["=1+1", ""],
        )

    def test_a_wall_card_and_a_label_whose_code_opens_the_entry(self):
        card = (
            pypdf.PdfReader(io.BytesIO(self.saved("Wall card of this machine", "card.pdf")))
            .pages[0]
            .extract_text()
        )
        self.assertLess(
            card.index("Birch"), card.index("Map leather")
        )  # what is proven stands first
        self.assertIn(
            "Birch",
            pypdf.PdfReader(io.BytesIO(self.saved("Label for the rack", "label.pdf")))
            .pages[0]
            .extract_text(),
        )
        picture = (
            pypdfium2.PdfDocument(write_label(sample_entry(), LONG, BIRCH, "Proven"))[0]
            .render(scale=6)
            .to_numpy()
        )
        self.assertEqual(cv2.QRCodeDetector().detectAndDecode(picture)[0], entry_code("e1"))
        self.session.choose(stock="leather-2")
        self.ctrl(Qt.Key.Key_K)
        finder = self.window.findChild(Finder)
        self.type(entry_code("e1"), finder.field)
        self.key(Qt.Key.Key_Return, widget=finder.field)
        self.assertEqual(self.session.entry.uid, "e1")

    def test_another_library_is_taken_in_and_conflicts_are_told(self):
        other = Library.open(self.folder.parent / "other", who="Ben")
        other.save_machine(LONG, "set up")
        other.save_stock(BIRCH, "set up")
        other.save_entry(sample_entry(notes="from Ben"), "chosen by Ben")
        other.close()
        with mock.patch.object(
            QFileDialog,
            "getOpenFileName",
            return_value=(str(self.folder.parent / "other" / "almanac.db"), ""),
        ):
            self.menu("Take in another library")
        self.wait_for(lambda: "taken in" in self.page().right.said.text())
        self.assertIn("changed on both sides", self.page().right.said.text())
        self.wait_for(lambda: self.page().right.said.isVisible())
        self.assertIn("Ben", {who for *_, who in self.session.store.entry_history("e1")})


class UntriedTest(MenuCase):
    """The present subject has no entry: what is said is to be seen all the same."""

    def fill(self, library):
        pass

    def take_in(self, change):
        other = Library.open(self.folder.parent / "other", who="Ben")
        other.save_machine(replace(NORTH, uid="second", name="Second"), "set up")
        document = json.loads(write_library(other.rows(), ()))
        other.close()
        change(document["tables"])
        file = self.folder.parent / "theirs.json"
        file.write_text(json.dumps(document))
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(file), "")):
            self.menu("Take in another library")
        self.wait_for(lambda: "Second" in {one.name for one in self.session.catalogue.machines})

    def test_what_was_taken_in_is_seen(self):
        self.take_in(lambda tables: None)
        self.assertIn("1 revision and 0 photos taken in", self.page().right.said.text())
        self.assertTrue(self.page().right.said.isVisible())
        self.assertFalse(self.window.strip.isVisible())

    def test_what_was_left_out_is_told_until_it_is_understood(self):
        def poison(tables):
            row = tables["machine"][0]
            tables["machine"].append({**row, "uid": "../../evil"})

        self.take_in(poison)
        self.assertIn("1 revision cannot be read and was left out", self.window.strip.text.text())
        self.click(self.window.strip.button)
        self.assertFalse(self.window.strip.isVisible())

    def test_the_book_that_was_saved_is_seen(self):
        target = self.folder.parent / "book.csv"
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(target), "")):
            self.menu("Save or print the book")
        self.wait_for(lambda: str(target) in self.page().right.said.text())
        self.assertTrue(self.page().right.said.isVisible())


class SharedWindowTest(WindowCase):
    def test_what_another_workstation_writes_is_shown(self):
        self.folder = name_server(new_database("window"), self.folder)
        other = Library.open(self.folder, who="Ben")
        self.addCleanup(other.close)
        other.save_machine(LONG, "set up")
        other.save_stock(BIRCH, "set up")
        self.open()
        self.assertEqual(self.session.catalogue.entries, ())
        other.save_entry(sample_entry(), "chosen by Ben")
        self.window.work(once(lambda: time.sleep(0.3)), lambda _: None)
        self.window.opening._news.timeout.emit()  # at a bad moment: other work is under way
        self.wait_for(lambda: len(self.session.catalogue.entries) == 1)
        self.session.choose(machine=LONG.uid, stock=BIRCH.uid, task="cut")
        self.wait_for(
            lambda: (shown := self.page().right.main_button) is not None and shown.isVisible()
        )
        self.press("It fell free")
        dialog = self.app.activeModalWidget()
        self.type("lid of the tea box", dialog.piece)
        self.key(Qt.Key.Key_Return, widget=dialog.piece)
        proof = other.entries()[0].proofs[0]
        self.assertEqual((proof.outcome, proof.note), ("passed", "lid of the tea box"))
