"""The window of a shop of inches, run by test_in_inches.py in a process of its own."""

import io
import re
import shutil
import unittest

# isort: split
from pypdf import PdfReader
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractButton, QDialog, QLabel, QLineEdit

from olive_almanac.core.words import tr
from olive_almanac.formats.book_pdf import write_book, write_label
from olive_almanac.formats.pdf import write_card, write_key
from olive_almanac.steps.requests import OpenForm
from olive_almanac.steps.stations import STATIONS
from tests.demo_shop import copy_demo
from tests.samples import BIRCH, DAY, LONG, cut_trial, sample_entry
from tests.views.qt_case import WindowCase

MILLIMETRES = re.compile(r"(?<![/\w])mm\b(?!/|²|³)")  # a speed, an energy or a tilt may have some


class PagesTest(WindowCase):
    def setUp(self):
        super().setUp()
        shutil.rmtree(self.folder, ignore_errors=True)
        copy_demo(self.folder)
        self.open((1024, 700))

    def told(self):
        """Yield each text that is shown, and what is said of each part to a screen reader."""
        for kind in (QLabel, QAbstractButton, QLineEdit):
            for widget in self.window.findChildren(kind):
                if widget.isVisible():
                    yield from (widget.text(), widget.accessibleName(), widget.toolTip())

    def assert_inches(self):
        self.assertEqual([text for text in self.told() if MILLIMETRES.search(text)], [])
        self.assertEqual(self.clipped(), [])

    def test_neither_page_nor_dialog_shows_millimetres(self):
        seen = set()
        for station in STATIONS:
            self.window.navigate(station.id)
            self.settle(400)
            self.wait_for(lambda: not self.window.is_busy)
            self.settle(200)
            with self.subTest(station=station.id):
                self.assert_inches()
            seen |= set(self.told())
        self.assertTrue(any("Birch ply 0.118 in" in text for text in seen))  # 3 mm
        self.window.navigate("plan")
        self.wait_for(lambda: not self.window.is_busy)
        self.page().choices.leaf.set_at(1)
        self.page().choices.leaves.setCurrentIndex(1)
        self.settle(200)
        self.assert_inches()
        self.window.navigate("decide")
        self.settle(300)
        self.wait_for(lambda: not self.window.is_busy)
        for key in (Qt.Key.Key_M, Qt.Key.Key_W):
            self.window.activateWindow()
            self.wait_for(self.window.isActiveWindow)
            self.key(key, Qt.KeyboardModifier.ControlModifier, self.window)
            self.wait_for(lambda: any(d.isVisible() for d in self.window.findChildren(QDialog)))
            self.settle(300)
            with self.subTest(key=key.name):
                self.assert_inches()
            for panel in self.window.findChildren(QDialog):
                panel.close()

    @property
    def form(self):
        return self.page().stock_form

    def keep_thickness(self, typed):
        self.retype(self.form.fields["thickness_mm"], typed)
        self.key(Qt.Key.Key_Return, widget=self.form.fields["thickness_mm"])
        self.settle(50)

    def test_lengths_are_typed_as_the_shop_has_them_and_kept_whole(self):
        told, machines = self.session.shop.watch.told, self.session.catalogue.machines
        self.wait_for(lambda: len(told) == len(machines))  # then no page is shown anew by itself
        self.window.navigate("set_up", OpenForm("stock"))
        self.settle(200)
        stock = self.session.subject.stock
        self.assertEqual(self.form.texts()["thickness_mm"], "3")  # untouched: as kept, whole
        self.assertIn(self.form.fields["thickness_mm"].typed(), ("0.118", "0,118"))
        for typed, thickness_mm in (("1/8", 3.175), ("0.25", 6.35), ("0,25 in", 6.35), ("3 mm", 3)):
            self.keep_thickness(typed)
            with self.subTest(typed=typed):
                self.assertEqual(self.session.catalogue.stock(stock.uid).thickness_mm, thickness_mm)
        self.keep_thickness("12")
        self.assertIn(tr("Thickness"), self.form.problem.text())
        self.assertIn("7.874 in", self.form.problem.text().replace(",", "."))  # at most 200 mm
        self.window.navigate("plan")
        self.wait_for(lambda: self.page().presenter.plan is not None)
        page = self.page()
        page.choices.leaf.set_at(1)
        page.choices.leaves.setCurrentIndex(1)
        self.settle(100)
        kept = dict(page.presenter.texts)
        fields = page.choices.fields
        for key in fields.keys() & kept.keys():
            self.assertEqual(fields[key].text(), kept[key], key)
        clamps = page.choices.own["clamps"]
        self.retype(page.choices.own["cell"], "0.5")
        self.retype(clamps, "0, 0, 1, 2")
        numbers = re.compile(r"[\d.]+")
        self.wait_for(
            lambda: numbers.findall(page.presenter.texts["clamps"]) == ["0", "0", "25.4", "50.8"]
        )
        self.wait_for(lambda: not self.window.is_busy)
        self.assertEqual(page.presenter.plan.trial.cells[0].rect_mm[2], 12.7)
        field = page.choices.own["cell"]
        self.key(Qt.Key.Key_Up, widget=field)  # the last digit of what is shown
        self.assertEqual((field.typed(), page.presenter.texts["cell"]), ("0.6", "15.24"))


class PaperTest(unittest.TestCase):
    def test_paper_is_in_inches(self):
        entry = sample_entry(kerf_x_mm=0.2, kerf_y_mm=0.19)
        on_page, unit = (entry, LONG, BIRCH, "proven"), {"speed_unit": "in/min"}
        pages = {
            "key": write_key(cut_trial(), **unit),
            "card": write_card(*on_page, "", **unit),
            "label": write_label(*on_page, **unit),
            "book": write_book([(*on_page, "")], day=DAY, **unit),
        }
        for name, data in pages.items():
            told = " ".join(page.extract_text() for page in PdfReader(io.BytesIO(data)).pages)
            with self.subTest(page=name):
                self.assertRegex(told, r"\d in\b")
                self.assertNotRegex(told, MILLIMETRES)
