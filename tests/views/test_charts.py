"""The charts of the Decide station and the dialogs of the book: what they show, in both themes,
with much, little and nothing.
"""

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent, QImage
from PySide6.QtWidgets import QFileDialog

from olive_almanac.core.deciding.focus import decide_focus
from olive_almanac.core.deciding.kerf import decide_kerf
from olive_almanac.core.deciding.outliers import Outlier
from olive_almanac.core.fitting.tone_table import tone_table
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Stock
from olive_almanac.steps.active import ActiveTrial
from olive_almanac.steps.decide import Slices
from olive_almanac.views import theme
from olive_almanac.views.book.dialogs import CompareDialog, DueDialog, NotesDialog
from olive_almanac.views.decide.charts import (
    FocusChart,
    KerfChart,
    SlicesChart,
    ToneChart,
    round_steps,
)
from olive_almanac.views.decide.outliers import AGREES, OutlierList
from olive_almanac.views.read.cell_grid import crossings
from tests.samples import LONG, cut_trial, kind_plan, sample_entry
from tests.views.qt_case import QtCase
from tests.views.test_deciding import line_width
from tests.views.test_stations import ShopCase

SIZES = ((700, 560), (330, 220))


class RoundStepsTest(unittest.TestCase):
    def test_steps_are_round_lie_inside_and_are_few(self):
        for low, high in ((0, 1), (-2.3, 4.1), (0.331, 0.372), (780, 1310), (5, 5)):
            for most in (2, 5, 9):
                steps = round_steps(low, high, most)
                self.assertLessEqual(len(steps), most + 1)
                self.assertTrue(all(low - 1e-9 <= step <= high + 1e-9 for step in steps))
                self.assertGreaterEqual(len(steps), 1)
        self.assertEqual(round_steps(0, 10, 5), [0, 2, 4, 6, 8, 10])

    def test_the_edge_crosses_where_the_chance_does(self):
        self.assertEqual(crossings([(0, 0.9), (10, 0.9)], 0.5), [])
        self.assertAlmostEqual(crossings([(0, 0.9), (10, 0.1)], 0.5)[0], 5.0)
        self.assertEqual(len(crossings([(0, 0.2), (10, 0.9), (20, 0.1)], 0.5)), 2)
        self.assertAlmostEqual(crossings([(0, 1.0), (10, 0.0)], 0.5)[0], 5.0)


class ChartTest(QtCase):
    """A chart draws something in its field, and says in words what it shows."""

    def painted(self, widget, size):
        widget.resize(*size)
        image = QImage(widget.size(), QImage.Format.Format_RGB32)
        image.fill(theme.C("page"))
        widget.render(image)
        return len(np.unique(np.frombuffer(image.constBits(), np.uint32)))  # how many colours

    def check(self, widget):
        for name in ("workshop", "day"):
            theme.set_theme(name)
            for size in SIZES:
                self.assertGreater(self.painted(widget, size), 20, (name, size))

    def test_focus(self):
        trial = kind_plan("focus").trial
        readings = [Reading(c.id, kerf_mm=line_width(c.setting.focus_mm)) for c in trial.cells]
        chart = FocusChart()
        chart.show_decision(decide_focus(trial, readings), "")
        self.check(chart)
        self.assertIn("narrowest", chart.accessibleDescription())
        chart.show_decision(decide_focus(trial, readings[:2]), "")
        self.assertIsNotNone(chart.scales())  # what was measured is shown before it is decided
        self.check(chart)
        chart.show_decision(None, "Working it out …")
        self.assertIsNone(chart.scales())
        self.assertEqual(chart.accessibleDescription(), "Working it out …")

    def test_kerf_with_one_axis_and_with_equal_measures(self):
        trial = kind_plan("kerf").trial
        combs = [c for c in trial.cells if c.mark == "comb"]
        chart = KerfChart()
        for chosen in (combs, [c for c in combs if c.setting.direction == "x"], combs[:1]):
            chart.show_decision(
                decide_kerf(
                    [
                        (
                            trial,
                            [
                                Reading(c.id, kerf_mm=c.nominal_mm + 0.25, by="gauge")
                                for c in chosen
                            ],
                        )
                    ]
                ),
                "",
            )
            low, high = chart.scales()[1]
            self.assertTrue(low < 0.25 < high and high - low >= 0.039)
            self.check(chart)
        chart.show_decision(decide_kerf([(trial, [])]), "")
        self.assertIsNone(chart.scales())

    def test_tone_on_light_and_on_dark_stock(self):
        steps = np.linspace(1 / 12, 1, 12)
        chart = ToneChart()
        for start, change in ((80.0, -50.0), (25.0, 45.0)):
            light = start + change * steps**2 / (steps**2 + 0.3)
            table = tone_table(steps, light, Setting(1.0, 200.0, pitch_mm=0.1, direction="x"))
            self.assertEqual(np.sign(table.lightness[-1] - table.lightness[0]), np.sign(change))
            chart.show_table(table, "")
            self.check(chart)
        turned = 80 - 60 * steps + 40 * np.maximum(0, steps - 0.6)
        chart.show_table(
            tone_table(steps, turned, Setting(1.0, 200.0, pitch_mm=0.1, direction="x")), ""
        )
        self.check(chart)

    def test_slices_of_one_and_of_many_passes(self):
        speed = np.geomspace(3, 60, 50)
        for passes in ((1,), (1, 2, 4, 8)):
            chance = np.stack([1 / (1 + (speed / (8 * n)) ** 12) for n in passes])
            chart = SlicesChart()
            chart.show_slices(Slices(1.0, 1.5, speed, passes, chance), 0.99, None, "mm/min", "")
            self.assertEqual(chart.scales()[0], (180.0, 3600.0))
            self.check(chart)


class DoubtedListTest(QtCase):
    def setUp(self):
        trial = cut_trial()
        rows = [
            Outlier(
                trial.id, c.id, "free", 0.001 * n, "not_through", "It may still hang by a thread."
            )
            for n, c in enumerate(trial.cells)
        ]
        rows.append(Outlier("another", "A1", "free", 0.05, "hangs", "of a coupon that is not here"))
        self.trial, self.rows = trial, tuple(rows)
        self.list, self.chosen = OutlierList(), []
        self.list.chosen.connect(self.chosen.append)
        self.session = mock.Mock(
            active=ActiveTrial(trial, "decide"), preferences=mock.Mock(speed_unit="mm/s")
        )
        self.list.resize(640, 300)
        self.list.show()

    def test_arrows_walk_beyond_what_fits_and_a_click_chooses_what_it_hits(self):
        from PySide6.QtTest import QTest

        self.list.show_outliers(self.rows, self.session, "")
        self.assertEqual(len(self.list.rows), len(self.trial.cells))
        for _ in range(10):
            QTest.keyClick(self.list, Qt.Key.Key_Down)
        self.list.grab()
        QTest.keyClick(self.list, Qt.Key.Key_Return)
        self.assertEqual(self.chosen, [self.trial.cells[10].id])
        QTest.mouseClick(self.list, Qt.MouseButton.LeftButton, pos=QPoint(50, 20))
        self.assertEqual(
            self.chosen[-1], self.trial.cells[7].id
        )  # the first line on show, four fit
        for _ in range(30):
            QTest.keyClick(self.list, Qt.Key.Key_Up)
        self.assertEqual(self.list.at, 0)

    def test_agreement_and_waiting_have_their_words(self):
        self.list.show_outliers((), self.session, "Working it out …")
        self.assertEqual(self.list.accessibleDescription(), AGREES)
        self.list.show_outliers(None, self.session, "Working it out …")
        self.assertEqual(self.list.note, "Working it out …")
        self.list.grab()


class BookDialogTest(ShopCase):
    def fill(self, library):
        library.save_entry(sample_entry(notes="first"), "chosen")
        library.save_entry(
            sample_entry(notes="second", setting=Setting(0.9, 10.0, 1, 1.5)), "slower"
        )

    def notes(self):
        dialog = NotesDialog(self.window)
        dialog.show()
        self.addCleanup(dialog.close)
        return dialog

    def test_nothing_due_leaves_nothing_to_plan(self):
        self.session.shop.show(replace(self.session.catalogue, entries=()))
        dialog = DueDialog(self.window)
        self.assertFalse(dialog.go.isEnabled())
        dialog.plan()
        self.assertEqual(self.window.station, "book")

    def test_a_revision_is_compared_line_by_line(self):
        dialog = CompareDialog(self.window)
        self.assertEqual(dialog.keys, ["now", "revision 0"])
        self.assertIn("left one puts in 27 % more energy", dialog.says.text())
        lines = [
            tuple(dialog.grid.itemAtPosition(r, c).widget().text() for c in range(3))
            for r in range(dialog.grid.rowCount())
            if dialog.grid.itemAtPosition(r, 0)
        ]
        self.assertIn(("Speed", "600 mm/min", "720 mm/min"), lines)
        self.assertIn(("Notes", "second", "first"), lines)

    def test_files_are_chosen_or_dropped_and_bad_ones_are_told(self):
        dialog = self.notes()
        good, bad = Path(self.folder.parent) / "notes.csv", Path(self.folder.parent) / "notes.xlsx"
        good.write_text(
            "Material;Thickness mm;Power %;Speed mm/s\nWalnut;5;90;10\nBirch ply;3;80;11\nTeak;;;\n"
        )
        bad.write_bytes(b"PK\x03\x04 not a book")
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(good), "")):
            self.click(dialog.choose)
        self.assertEqual(dialog.told.text(), "1 setting, 1 new stock, 1 disagrees, 1 is left out.")
        self.assertFalse(dialog.unit_row.isVisible())
        fates = [dialog.table.item(n, 0).text() for n in range(3)]
        self.assertEqual(fates[0], "A guess: 90 %, 600 mm/min, 1 pass.")
        self.assertIn("The book stands", fates[1])
        self.assertEqual(fates[2], "No power is noted.")
        mime = QMimeData()
        mime.setUrls([QUrl.fromLocalFile(str(bad))])
        dialog.dropEvent(
            QDropEvent(
                QPointF(20, 20),
                Qt.DropAction.CopyAction,
                mime,
                Qt.MouseButton.LeftButton,
                Qt.KeyboardModifier.NoModifier,
            )
        )
        self.assertIn("cannot be read as a spreadsheet", dialog.told.text())
        self.assertFalse(dialog.keep.isEnabled())
        dialog.text.setPlainText("   ")
        self.assertEqual(dialog.told.text(), "")

    def test_many_machines_show_the_chosen_ones_columns_only(self):
        machines = tuple(replace(LONG, name=f"Bed {n}", uid=f"bed-{n}") for n in range(9))
        every = (*self.session.catalogue.machines, *machines)
        self.session.shop.show(replace(self.session.catalogue, machines=every))
        self.session.choose(machine="bed-4")
        self.settle()
        model = self.page().left.index.index_model
        self.assertEqual({column.machine.uid for column in model.columns}, {"bed-4"})
        self.assertTrue(self.page().left.more.isVisible())

    def test_five_thousand_entries_are_filtered_and_walked(self):
        stocks = tuple(Stock(f"Oak {n}", "hardwood", 1.0 + n % 9, uid=f"s{n}") for n in range(1700))
        entries = tuple(
            sample_entry(
                uid=f"e{n}", stock_uid=f"s{n // 3}", task=("cut", "engrave", "score")[n % 3]
            )
            for n in range(5000)
        )
        catalogue = self.session.catalogue
        self.session.shop.show(
            replace(
                catalogue,
                stocks=(*catalogue.stocks, *stocks),
                entries=(*catalogue.entries, *entries),
            )
        )
        self.settle()
        page = self.page()
        worked_out = [
            "states" in row.__dict__ for row in page.left.index.index_model.rows if row.stock
        ]
        self.assertTrue(0 < sum(worked_out) < len(worked_out) / 10)  # only of the rows on show
        self.type("oak 77", page.left.filter)
        names = [row.label for row in page.left.index.index_model.rows if row.stock]
        self.assertTrue(all("77" in name for name in names) and len(names) > 10)
        page.left.index.setFocus()
        page.left.index.setCurrentIndex(page.left.index.index_model.index(1, 1))
        self.key(Qt.Key.Key_Down, widget=page.left.index)
        self.assertEqual(self.session.subject.stock.name, names[1].rsplit(" ", 2)[0])


class ServerAddressTest(unittest.TestCase):
    def test_an_address_is_kept_for_its_owner_only_and_an_odd_one_is_told(self):
        from olive_almanac.core.errors import LibraryTrouble
        from olive_almanac.storage.engines import engine_for, name_server, server_of

        with tempfile.TemporaryDirectory() as place:
            folder = name_server("postgresql://shop:secret@h/x", Path(place))
            self.assertEqual((folder / "library.url").stat().st_mode & 0o777, 0o600)
            self.assertEqual(server_of(folder), "postgresql://shop:secret@h/x")
            self.assertEqual(name_server("postgresql://shop:secret@h/x", Path(place)), folder)
            self.assertEqual(server_of(Path(place)), "")
            (folder / "library.url").write_bytes(b"\xff\xfe\x00")
            with self.assertRaisesRegex(LibraryTrouble, "cannot be read"):
                server_of(folder)
            with self.assertRaisesRegex(LibraryTrouble, "no address"):
                engine_for(folder, "not an address")
