"""What Shop says and writes: the words of each level, marks as they are typed, the time line's
span, the days of the calendar.
"""

from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

from olive_almanac.core.records.entry import Proof
from olive_almanac.core.records.service import ServiceAct
from olive_almanac.core.upkeep.drift_words import diagnosis_of, short_of
from olive_almanac.core.upkeep.strength import percent_weaker, strength_percent
from olive_almanac.steps.mirrors import CORNERS, SCREWS, MirrorsPresenter
from olive_almanac.steps.shop_files import calendar_work
from olive_almanac.steps.time_line import time_line_of
from olive_almanac.steps.upkeep import UpkeepPresenter
from tests.core.test_drift import FIRST, TODAY, readings, told
from tests.samples import LONG, NORTH, sample_entry
from tests.steps.test_presenters import SessionCase

NOW = datetime(2026, 4, 14, 9, tzinfo=UTC)


class Screen:
    def show_upkeep(self, screen):
        self.screen = screen


class WordsTest(SessionCase):
    def test_each_level_has_its_words(self):
        levels = {
            "alarm": readings([0.0] * 15 + [0.2] * 5),
            "true": readings([0.0] * 20),
            "unknown": readings([0.0] * 2),
        }
        short = {"alarm": r"1\d % weaker", "true": "as it did", "unknown": "not known"}
        for level, events in levels.items():
            drift = told(events)
            self.assertEqual(drift.level, level)
            self.assertRegex(short_of(drift), short[level])
            self.assertTrue(diagnosis_of(drift, "Long Bed", TODAY).says.count("Long Bed"))
        self.assertEqual(short_of(None), "not known yet")

    def test_a_hint_asks_for_another_check_and_names_no_day(self):
        drift = replace(told(readings([0.0] * 20)), above=0.6)
        self.assertEqual((drift.level, short_of(drift)), ("hint", "may be weaker"))
        words = diagnosis_of(drift, "Long Bed", TODAY)
        self.assertIn("60 %", words.why)
        self.assertIn("again this week", words.do)
        self.assertNotIn("since", words.whole)

    def test_a_machine_that_reads_better_than_at_first_was_not_clean_then(self):
        drift = replace(told(readings([0.0] * 20)), need=-0.1, sd=0.01)
        words = diagnosis_of(drift, "Long Bed", TODAY)
        self.assertIn("11 % stronger", words.says)
        self.assertIn("not clean then", words.why)

    def test_hours_that_are_assumed_are_said(self):
        drift = replace(told(readings([0.0] * 20)), hours_assumed=True, hours_a_day=1.5)
        self.assertIn("1.5 a day are assumed", diagnosis_of(drift, "Long Bed", TODAY).why)

    def test_strength_and_weakness_are_one_number(self):
        self.assertEqual((percent_weaker(0.105), strength_percent(0.105)), (10, 90))
        self.assertEqual(percent_weaker(-0.105), -11)


class LineTest(SessionCase):
    def test_a_shorter_span_shows_fewer_marks_of_the_same_line(self):
        self.fill()
        drift = told(readings([0.0] * 38))
        whole, month = (
            time_line_of(LONG, self.session.catalogue, drift, [], TODAY, span)
            for span in (10_000.0, 30.0)
        )
        self.assertEqual(len(whole.marks), 38)
        self.assertEqual(whole.first, FIRST - 7)
        self.assertTrue(all(mark.day >= month.first for mark in month.marks))
        self.assertEqual(whole.marks[-len(month.marks) :], month.marks)
        self.assertEqual(whole.ahead, month.ahead)


class MirrorsTypedTest(SessionCase):
    def setUp(self):
        super().setUp()
        self.fill()
        self.screen = Screen()
        ids = iter(range(100))
        self.upkeep = UpkeepPresenter(
            self.session, self.screen, lambda: NOW, lambda: f"a{next(ids)}"
        )
        self.upkeep.choose_machine(LONG.uid)
        self.mirrors = MirrorsPresenter(self.upkeep)

    def texts(self, marks, screws=()):
        named = [*zip(CORNERS, marks, strict=True), *zip(SCREWS, screws, strict=False)]
        return {
            (name, way): text
            for name, pair in named
            for way, text in zip(("right", "up"), pair.split(), strict=True)
        }

    def test_screws_that_move_the_mark_alike_are_told(self):
        marks = ("0 0", "4 0", "4 0", "0 0")
        told = self.mirrors.tell(self.texts(marks, ("4.5 0", "4.6 0")))
        self.assertIn("move the mark differently", told.turns)
        self.assertEqual(told.again_at, "front right")

    def test_a_steady_beam_off_the_middle_is_told_with_the_lean_of_its_cuts(self):
        told = self.mirrors.tell(self.texts(("2 0",) * 4))
        self.assertIn("do not turn a mirror", told.says)
        self.assertIn("lean by 2.3°", told.says)  # atan(2 / 50.8)
        self.assertEqual(told.again_at, "")

    def test_half_a_mark_counts_as_none_to_that_side_and_far_ones_are_refused(self):
        told = self.mirrors.tell({("front left", "right"): "1"})
        self.assertEqual(told.marks[0], (1.0, 0.0))
        self.assertIn("Mark must be", self.mirrors.tell({("front left", "up"): "500"}).problem)

    def test_a_head_that_carries_its_source_has_nothing_to_keep(self):
        self.upkeep.choose_machine(NORTH.uid)
        self.assertIsNone(self.mirrors.machine)
        self.assertFalse(self.mirrors.keep(self.texts(("0 0",) * 4)))
        self.assertEqual(self.session.catalogue.acts, ())


class CalendarTest(SessionCase):
    def test_it_holds_parts_and_proofs_within_half_a_year(self):
        self.fill()
        cleaned = (NOW - timedelta(days=2)).isoformat()
        self.session.shop.keep_act(ServiceAct("a", LONG.uid, "lens", "clean", cleaned), "noted")
        proofs = tuple(Proof(f"2026-04-0{n}", "passed", "7") for n in (1, 2, 3))
        entry = self.library.save_entry(sample_entry(proofs=proofs), "chosen")
        self.session.shop.show(self.session.catalogue.with_entries((entry,)))
        target = self.folder / "due.ics"
        self.assertIn("due.ics", next(iter(calendar_work(self.session, NOW, target))))
        text = target.read_text().replace("\n ", "")
        self.assertIn(f"UID:{LONG.uid}-lens@", text)
        self.assertIn("20260419", text)  # seven days, two are gone
        by = entry.prove_again_by
        within = by <= date(2026, 4, 14) + timedelta(days=180)
        self.assertEqual("UID:entry-e1@" in text, within)
