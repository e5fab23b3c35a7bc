"""Work that ends late: it is kept with what it was begun for, or dropped; never with what is on the
page by then.
"""

from dataclasses import replace
from pathlib import Path
from unittest import mock

from pypdf import PdfReader
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog

from olive_almanac.standins.bench import StandInBench
from olive_almanac.steps.lettering import letters
from tests.samples import BIRCH, LEATHER, LONG, cut_trial, read_by_energy, sample_entry, whole_run
from tests.views.test_stations import ShopCase

ONE = replace(cut_trial(), id="one", name="Coupon 0001")
TWO = replace(cut_trial(LONG, LEATHER), id="two", name="Coupon 0002")
STATIONS_APART = ("plan", "book")
DONE = None  # the moment at which the work has ended and nothing of it was taken yet


class LateWorkTest(ShopCase):
    """Coupon one is of birch ply, coupon two of leather; the subject changes at each moment."""

    def fill(self, library):
        library.save_entry(sample_entry(), "chosen")
        for trial, edge in ((ONE, 3.5), (TWO, 1.2)):
            library.save_trial(trial, "decide", "read")
            library.save_run(trial.id, whole_run(trial), "burnt")
            library.save_readings(trial.id, read_by_energy(trial, edge), "read by eye")

    def setUp(self):
        super().setUp()
        self.session.choose(stock=BIRCH.uid)
        self.before = self.kept()

    def kept(self):
        """Everything of coupon two, and what the book says of leather."""
        library = self.session.library
        return (
            library.readings("two"),
            library.other_readings("two"),
            library.run_of("two"),
            [entry for entry in library.entries() if entry.stock_uid == LEATHER.uid],
        )

    def changes(self):
        yield "coupon", lambda: self.session.trials.open("two")
        for station in STATIONS_APART:
            yield station, lambda station=station: self.both(station)
        yield "look", lambda: (self.session.choose(stock=LEATHER.uid), self.window.switch_theme())

    def both(self, station):
        self.session.choose(stock=LEATHER.uid)
        self.window.navigate(station)

    def check_each(self, station, begin, after=lambda: None, moments_ms=(0, 120)):
        for name, change in self.changes():
            for wait_ms in (*moments_ms, DONE):
                with self.subTest(change=name, after_ms=wait_ms):
                    self.session.choose(stock=BIRCH.uid)
                    self.window.navigate(station)
                    self.settle(20)
                    begin()
                    if wait_ms is DONE:  # every result waits to be taken
                        for worker in self.window._workers:
                            self.assertTrue(worker.wait(60_000))
                    elif wait_ms:
                        self.settle(wait_ms)
                    change()
                    self.wait_for(lambda: not self.window.is_busy, 60)
                    self.settle(20)
                    self.assertEqual(self.kept(), self.before)
                    after()

    def test_a_decision(self):
        def nothing_of_birch_is_shown():
            self.window.navigate("decide")
            self.wait_for(lambda: not self.window.is_busy, 60)
            presenter = self.page().presenter
            self.assertEqual(self.session.subject.stock.uid, LEATHER.uid)
            self.assertEqual(presenter.found["known"].case.thickness_mm, LEATHER.thickness_mm)

        def begin():
            self.page()._start()

        self.check_each("decide", begin, nothing_of_birch_is_shown, moments_ms=(40,))

    def test_a_decision_that_waits_to_be_taken_is_not_shown_where_nothing_was_read(self):
        for station in ("decide", "book"):
            with self.subTest(station):
                self.session.choose(task="cut")
                self.window.navigate("decide")
                presenter = self.page().presenter
                self.window.navigate(station)
                for worker in self.window._workers:
                    self.assertTrue(worker.wait(60_000))
                self.session.choose(task="engrave")
                self.wait_for(lambda: not self.window.is_busy, 60)
                self.settle()
                self.assertNotIn("decision", presenter.found)

    def test_the_next_cells(self):
        def no_cells_of_birch_are_planned():
            plan = self.window.page("plan").presenter.plan
            if plan is not None and plan.trial.stock.uid == LEATHER.uid:
                self.assertNotIn("that teach most", self.window.page("plan").presenter.basis)

        def ask():
            self.page().ask_next()

        self.check_each("plan", ask, no_cells_of_birch_are_planned, moments_ms=(40,))

    def test_a_photo(self):
        data = StandInBench(3).photograph(ONE, letters(), nuisances=False)

        def begin():
            self.session.trials.open("one")
            self.window.navigate("read")
            self.page().read_bytes(data, "one.jpg", "front")

        self.check_each("read", begin, moments_ms=(0, 400))

    def test_a_label_is_of_the_entry_that_it_was_asked_for(self):
        target = Path(self.folder) / "label.pdf"
        self.window.navigate("book")
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(target), "")):
            self.page()._write("label.pdf", self.label)
            self.session.choose(stock=LEATHER.uid)
        self.wait_for(target.exists)
        self.wait_for(lambda: not self.window.is_busy)
        self.assertIn("Birch ply", PdfReader(target).pages[0].extract_text())

    @staticmethod
    def label(session, path):
        from olive_almanac.steps.share import label_work

        return label_work(session, path)

    def test_a_port_is_armed_for_the_coupon_that_was_checked_and_no_other(self):
        self.session.trials.open("one")
        self.window.navigate("burn")
        page = self.page()
        page._arm(self.session.active.trial)
        self.assertTrue(page.armed)
        self.session.trials.open("two")
        self.settle()
        self.assertFalse(page.armed)
        page._arm(ONE)  # its check ends late
        self.assertFalse(page.armed)
        self.key(Qt.Key.Key_Escape, widget=page)
