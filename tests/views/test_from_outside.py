"""Files that are opened from outside: where each is shown, what is asked first, and what another
start hands to the window that is open.
"""

import json
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel

from olive_almanac import __main__ as program
from olive_almanac.formats.library_json import write_library
from olive_almanac.formats.station_files import write_trial
from olive_almanac.views.from_outside import ASKED, hand_over
from tests.samples import BIRCH, LEATHER, LONG, NORTH, cut_trial
from tests.views.qt_case import WindowCase

TAG = (
    '<svg xmlns="http://www.w3.org/2000/svg" width="20mm" height="10mm" viewBox="0 0 20 10">'
    '<rect x="1" y="1" width="9" height="8" stroke="red"/></svg>'
)


class FromOutsideTest(WindowCase):
    def setUp(self):
        super().setUp()
        self.open()
        self.file = self.folder.parent / "trial.json"
        self.trial = cut_trial()
        self.file.write_text(write_trial(self.trial))

    def show(self, path):
        self.window.outside.show(Path(path))
        self.wait_for(lambda: not self.window.is_busy)
        self.settle()

    def asked(self):
        return " ".join(one.text() for one in self.window.outside.dialog.findChildren(QLabel))

    def test_a_coupon_that_is_not_known_is_taken_in_once_that_is_agreed_to(self):
        self.show(self.file)
        self.assertIn("is not in this library", self.asked())
        self.assertEqual(self.session.catalogue.machines, ())
        self.click(self.window.outside.dialog.agree)
        self.assertEqual(self.session.active.trial, self.trial)
        self.assertEqual(self.session.subject.machine.name, LONG.name)
        self.assertEqual(self.session.subject.stock.label, BIRCH.label)
        self.assertEqual(self.window.station, "burn")

    def test_a_coupon_that_is_known_opens_where_it_is(self):
        self.session.store.save_machine(LONG, "test")
        self.session.store.save_stock(BIRCH, "test")
        self.session.store.save_trial(self.trial, "read", "test")
        self.session.read_again()
        self.window.navigate("shop")
        self.show(self.file)
        self.assertEqual(self.window.station, "read")
        self.assertEqual(len(self.session.store.trials()), 1)
        self.assertFalse(self.session.problem)

    def test_a_library_is_merged_only_once_that_is_agreed_to(self):
        other = program._open_library(self.folder.parent / "other")
        other.save_machine(NORTH, "test")
        other.save_stock(LEATHER, "test")
        path = self.folder.parent / "almanac.json"
        path.write_text(write_library(other.rows(), ()))
        other.close()
        self.show(path)
        self.assertIn("almanac.json is a library", self.asked())
        self.assertEqual(self.session.catalogue.machines, ())
        self.click(self.window.outside.dialog.agree)
        self.wait_for(lambda: self.session.catalogue.machines)
        self.assertEqual([one.name for one in self.session.catalogue.machines], [NORTH.name])

    def take_a_subject(self):
        self.session.store.save_machine(LONG, "test")
        self.session.store.save_stock(BIRCH, "test")
        self.session.read_again()
        self.session.choose(machine=LONG.uid, stock=BIRCH.uid)

    def test_notes_and_drawings_go_to_their_stations(self):
        self.take_a_subject()
        drawing = self.folder.parent / "tag.svg"
        drawing.write_text(TAG)
        self.show(drawing)
        self.assertEqual(self.window.station, "jobs")
        jobs = self.window.page("jobs").presenter
        self.wait_for(lambda: jobs.drawing is not None or self.session.problem)
        self.assertIn("tag", jobs.job.name)
        notes = self.folder.parent / "notes.csv"
        notes.write_text("machine,stock,thickness,power,speed\nLong Bed,birch ply,3,80,12\n")
        self.show(notes)
        self.assertEqual(self.window.station, "book")
        self.wait_for(lambda: self.window.page("book").dialog.active.notes is not None)
        self.window.page("book").dialog.reject()

    def test_what_is_none_of_these_is_told(self):
        for name, text in (
            ("song.json", json.dumps({"format": ["olive-almanac/trial"]})),
            ("deep.json", "[" * 100_000),
            ("poem.txt", "the olive tree"),
        ):
            path = self.folder.parent / name
            path.write_text(text)
            with self.subTest(name):
                self.show(path)
                self.assertIn(f"{name} is nothing that opens", self.session.problem)

    def test_a_file_of_any_name_is_handed_over(self):
        self.take_a_subject()
        drawing = self.folder.parent / "od\udcff tag.svg"  # a name from another system
        drawing.write_text(TAG)
        self.assertTrue(hand_over(self.folder, drawing))
        jobs = self.window.page("jobs").presenter
        self.wait_for(lambda: jobs.drawing is not None or self.session.problem)
        self.assertEqual(jobs.job.name, "od? tag")

    def test_another_start_hands_its_file_to_the_window_that_is_open(self):
        self.assertTrue(hand_over(self.folder, self.file))
        self.wait_for(lambda: hasattr(self.window.outside, "dialog"))
        self.key(Qt.Key.Key_Escape, widget=self.window.outside.dialog)
        self.assertEqual(self.session.store.trials(), ())
        self.assertFalse((self.folder / ASKED).exists())
        self.shut()
        self.assertFalse(hand_over(self.folder, self.file))
        self.assertFalse(hand_over(self.folder.parent / "never", self.file))
