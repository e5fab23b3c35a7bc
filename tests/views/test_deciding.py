"""The Decide station's leaves and questions besides the map, and the edge that is drawn while a
coupon is read.
"""

import csv
import io
import math
from dataclasses import replace
from pathlib import Path
from unittest import mock

import pypdf
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QFileDialog, QLabel

from olive_almanac.core.records.reading import Reading
from olive_almanac.formats.pdf import write_card
from olive_almanac.storage.library import Library
from olive_almanac.views.parts import Figure
from olive_almanac.views.theme import LIVE
from tests.samples import (
    BIRCH,
    LONG,
    MARKER,
    PLATE,
    cut_trial,
    engrave_trial,
    kind_plan,
    read_by_energy,
    read_by_tone,
    sample_entry,
    whole_run,
)
from tests.views.qt_case import WindowCase


class DecidingCase(WindowCase):
    """A library with one read trial of the subject."""

    trial = cut_trial()
    readings = tuple(read_by_energy(trial, 2.2))

    def setUp(self):
        super().setUp()
        library = Library.open(self.folder)
        library.save_machine(LONG, "set up")
        library.save_stock(BIRCH, "set up")
        library.save_trial(self.trial, "decide", "read")
        library.save_run(self.trial.id, whole_run(self.trial), "burnt")
        library.save_readings(self.trial.id, self.readings, "read")
        self.fill(library)
        library.close()
        self.open()
        self.session.choose(task=self.trial.task)

    def fill(self, library):
        """Hook: what else is in the library."""

    def decided(self):
        self.alt(Qt.Key.Key_5)
        page = self.page()
        self.wait_for(lambda: page.presenter.finished)
        self.settle(80)
        return page


class LeavesTest(DecidingCase):
    def test_map_slices_and_outliers_by_key_and_by_mouse(self):
        page = self.decided()
        for key, leaf in (("s", page.slices), ("o", page.outliers), ("m", page.map)):
            self.type(key, page)
            self.assertIs(page.stack.currentWidget(), leaf)
        self.click(page.leaf, QPoint(page.leaf.width() // 2, 10))
        self.assertIs(page.stack.currentWidget(), page.slices)
        self.assertIsNotNone(page.slices.slices)
        self.assertIn(page.presenter.pick.setting.passes, page.slices.slices.passes)

    def test_a_cell_that_stands_out_is_looked_at_again_in_read(self):
        page = self.decided()
        cell = self.trial.cells[5].id
        page.outliers.chosen.emit(cell)
        self.settle()
        self.assertEqual(self.window.station, "read")
        self.assertEqual(self.page().presenter.cell.id, cell)

    def test_next_cells_lie_on_the_map_and_are_planned(self):
        page = self.decided()
        cells = page.presenter.decision.next_cells
        self.assertTrue(cells)
        self.assertEqual(len(page.presenter.decision.next_reasons), len(cells))
        self.assertIn("next", page.key_line.verdicts)
        self.key(Qt.Key.Key_S)
        self.assertNotIn("next", page.key_line.verdicts)  # they lie on the map only
        self.key(Qt.Key.Key_M)
        self.press("Plan the next cells")
        self.assertEqual(self.window.station, "plan")
        self.until_suggested()
        self.assertEqual(len(self.page().presenter.plan.trial.cells), len(cells))

    def test_numbers_are_copied(self):
        self.decided()
        self.key(
            Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
        )
        copied = QGuiApplication.clipboard().text()
        self.assertIn("focus 1.5 mm", copied)
        self.assertIn("1 pass", copied)


class PulseRateTest(DecidingCase):
    """Five pulse rates up the side; 35 kHz needs less energy than the others."""

    trial = kind_plan(
        "grid",
        "engrave",
        machine=MARKER,
        stock=PLATE,
        up="pulse",
        pulse_khz=(20.0, 35.0, 50.0, 65.0, 80.0),
        power=(0.9,),
    ).trial
    at_35 = frozenset(cell.id for cell in trial.cells if cell.setting.pulse_khz == 35.0)

    @property
    def readings(self):
        early = read_by_tone(self.trial, 0.5, 0.9)
        late = read_by_tone(self.trial, 0.8, 1.4)
        return [
            one if one.cell in self.at_35 else other for one, other in zip(early, late, strict=True)
        ]

    def fill(self, library):
        library.save_machine(MARKER, "set up")
        library.save_stock(PLATE, "set up")

    def decided(self):
        self.session.choose(machine=MARKER.uid, stock=PLATE.uid, task="engrave")
        return super().decided()

    def test_map_and_numbers_are_of_the_rate_that_counts(self):
        page = self.decided()
        self.assertEqual({cell.id for cell, _ in page.map._cells}, self.at_35)
        self.assertIn("pulse rate 35 kHz", page.map._held())
        page.copy_numbers()
        self.assertIn("air low", QGuiApplication.clipboard().text())
        self.assertIn("pulse rate 35 kHz", QGuiApplication.clipboard().text())
        self.assertTrue(any("For pulse rate 35 kHz" in text for text in self.shown()))

    def test_the_entry_says_its_rate_and_rings_a_cell_of_it(self):
        self.decided()
        self.ctrl(Qt.Key.Key_Return)
        self.alt(Qt.Key.Key_6)
        self.settle(80)
        below = {figure.name: figure.below for figure in self.page().findChildren(Figure)}
        self.assertEqual(below["Air"], "pulse rate 35 kHz")
        (caption,) = (text for text in self.shown() if "nearest cell" in text)
        self.assertIn(caption.rpartition(" ")[2], self.at_35)
        entry = self.session.entry
        card = write_card(entry, MARKER, PLATE, "On trial", "0 of 3 confirming burns")
        self.assertIn(
            "Pulse rate 35 kHz", pypdf.PdfReader(io.BytesIO(card)).pages[0].extract_text()
        )

    def shown(self):
        return [one.text() for one in self.window.findChildren(QLabel) if one.isVisible()]


class OutliersTest(DecidingCase):
    hottest = max(cut_trial().cells, key=lambda c: c.setting.power / c.setting.speed_mm_s).id

    def fill(self, library):
        library.save_reading(self.trial.id, Reading(self.hottest, "not_through"), "a slip")

    def test_a_slip_is_named_and_enter_goes_to_the_cell(self):
        page = self.decided()
        self.assertEqual([one.cell for one in page.presenter.found["outliers"]], [self.hottest])
        self.assertEqual(page.leaf.words[2], "outliers 1")
        self.type("d", page)
        self.assertIn(self.hottest, page.outliers.accessibleDescription())
        self.key(Qt.Key.Key_Return, widget=page.outliers)
        self.assertEqual(self.window.station, "read")
        self.assertEqual(self.page().presenter.cell.id, self.hottest)


class ToneTargetTest(DecidingCase):
    trial = engrave_trial()
    readings = tuple(
        replace(
            r,
            lightness=round(
                80
                - 50
                * (
                    1
                    - math.exp(
                        -(
                            (
                                c.setting.power
                                * 60
                                / (c.setting.speed_mm_s * c.setting.pitch_mm)
                                / 0.7
                            )
                            ** 2
                        )
                    )
                ),
                1,
            ),
        )
        for r, c in zip(read_by_tone(engrave_trial(), 0.5, 0.9), engrave_trial().cells, strict=True)
    )

    def test_aims_at_the_darkest_and_at_the_tone_of_a_cell(self):
        page = self.decided()
        self.assertTrue(page.aims.isVisible())
        right = page.presenter.pick.setting
        self.assertIn("dose ripple", page.remarks.text())
        self.click(page.aims, QPoint(page.aims.width() - 20, 10))
        self.wait_for(lambda: page.presenter.finished)
        self.assertIn("gives L*", page.presenter.decision.says)
        darker = page.presenter.pick.setting
        energy = lambda s: s.power / s.speed_mm_s  # noqa: E731
        self.assertGreater(energy(darker), energy(right))
        page.aims.set_at(0)
        page._aim(0)
        self.wait_for(lambda: page.presenter.finished)
        cell = next(
            c for c in self.trial.cells if 55 < self.session.active.readings[c.id].lightness < 65
        )
        self.settle(60)
        area = page.map._area(page.map.width() / LIVE.scale, page.map.height() / LIVE.scale)
        at = page.map._point(area, cell.setting.speed_mm_s, cell.setting.power) * LIVE.scale
        self.click(page.map, at.toPoint())
        self.wait_for(lambda: page.presenter.finished)
        self.assertAlmostEqual(
            page.presenter.lightness, self.session.active.readings[cell.id].lightness
        )
        self.assertIn(
            f"L* {self.session.active.readings[cell.id].lightness:.0f} ±",
            page.presenter.decision.says,
        )


def line_width(focus, at=0.6):
    w = 0.1 * math.sqrt(1 + ((focus - at) / 2.5) ** 2)
    return round(2 * w * math.sqrt(0.5 * math.log(8 * 0.1 / w)), 3)


class FocusPageTest(DecidingCase):
    trial = kind_plan("focus").trial
    readings = tuple(
        Reading(c.id, kerf_mm=line_width(c.setting.focus_mm), by="gauge")
        for c in kind_plan("focus").trial.cells
    )

    def test_the_focus_found_is_planned_with(self):
        page = self.decided()
        self.assertIs(page.stack.currentWidget(), page.focus_chart)
        self.assertIn("below the top face", page.says.text())
        self.ctrl(Qt.Key.Key_Return)
        self.assertEqual(self.window.station, "plan")
        self.until_suggested()
        self.assertEqual(
            {c.setting.focus_mm for c in self.page().presenter.plan.trial.cells}, {0.6}
        )


class KerfPageTest(DecidingCase):
    trial = kind_plan("kerf").trial
    readings = tuple(
        Reading(
            c.id, kerf_mm=c.nominal_mm + (0.30 if c.setting.direction == "x" else 0.24), by="gauge"
        )
        for c in kind_plan("kerf").trial.cells
        if c.mark == "comb"
    )

    def fill(self, library):
        library.save_entry(sample_entry(), "chosen")

    def test_the_kerf_goes_with_the_entry(self):
        page = self.decided()
        self.assertIn("wider by 0.06 mm", page.says.text())
        self.press("Keep with the entry")
        self.assertEqual(self.window.station, "book")
        self.assertAlmostEqual(self.session.entry.kerf_x_mm, 0.30)
        self.assertAlmostEqual(self.session.entry.kerf_y_mm, 0.24)
        self.ctrl(Qt.Key.Key_Z)
        self.assertIsNone(self.session.entry.kerf_x_mm)


class ToneCurveTest(DecidingCase):
    trial = kind_plan("grey", "engrave").trial
    readings = tuple(
        Reading(
            c.id,
            lightness=round(
                80 - 45 * (c.setting.power / 0.6) ** 2 / (1 + (c.setting.power / 0.6) ** 2), 1
            ),
        )
        for c in kind_plan("grey", "engrave").trial.cells
    )

    def test_the_curve_is_saved_as_a_table(self):
        page = self.decided()
        self.assertIn("256 even greys", page.says.text())
        target = Path(self.folder.parent) / "curve.csv"
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(target), "")):
            self.press("Save the curve table")
        rows = list(csv.DictReader(target.read_text().splitlines()))
        self.assertEqual([int(row["grey"]) for row in rows], list(range(256)))
        powers = [float(row["power_percent"]) for row in rows]
        self.assertEqual(powers, sorted(powers))
        self.assertGreater(powers[-1], 10)


class BedMapTest(DecidingCase):
    trial = kind_plan("bed", "engrave").trial
    readings = tuple(
        Reading(c.id, lightness=55 + 6 * c.col + (9 if c.row in (2, 3, 4, 5) else 0))
        for c in kind_plan("bed", "engrave").trial.cells
    )

    def test_the_bed_is_drawn_with_what_each_place_needs_and_the_likeliest_cause(self):
        page = self.decided()
        self.assertIs(page.stack.currentWidget(), page.bed)
        found = page.presenter.found["bed"]
        self.assertEqual(len(found.need), 5)
        self.assertEqual(found.story, "mirror 2")  # the right side is lighter at both heights
        self.assertIn("along the gantry to the right", page.says.text())
        self.assertIn("Nobody at the mirrors", page.remarks.text())
        self.assertIn("best", page.bed.accessibleDescription())
        self.assertEqual(self.clipped(), [])
        self.assertFalse(page.write.isVisible())


class EdgeWhileReadingTest(DecidingCase):
    readings = ()

    def test_the_edge_moves_as_verdicts_are_typed(self):
        self.alt(Qt.Key.Key_4)
        page = self.page()
        self.assertEqual(page.grid.chance, {})
        known = {r.cell: r.verdict for r in read_by_energy(self.trial, 3.5)}
        keys = {"free": "t", "hangs": "h", "not_through": "n"}
        for _ in range(6):
            self.type(keys[known[page.presenter.cell.id]], page)
        self.wait_for(lambda: page.edge_is_drawn and page.grid.chance)
        first = dict(page.grid.chance)
        self.assertEqual(set(first), {cell.id for cell in self.trial.cells})
        while page.presenter.left:
            self.type(keys[known[page.presenter.cell.id]], page)
        self.wait_for(lambda: page.edge_is_drawn)

        def wrong(chance):
            return sum(abs(chance[c] - (v == "free")) for c, v in known.items())

        self.assertLess(wrong(page.grid.chance), wrong(first))


class AllFlaredTest(DecidingCase):
    readings = tuple(
        Reading(cell.id, "free", char=3, defects=("flare",))
        for cell in DecidingCase.trial.cells[:5]
    )

    def test_says_so_and_leads_to_cooler_cells(self):
        page = self.decided()
        told = [one.text() for one in page.findChildren(QLabel) if one.isVisible()]
        self.assertTrue(any("Every cell read so far flared up" in text for text in told), told)
        self.press("Plan the next cells")
        self.wait_for(lambda: self.window.station == "plan")
