"""Files of the shop, read back: the week's list and the service log as pages, a calendar file."""

import io
import unittest
from datetime import UTC, date, datetime, timedelta

from pypdf import PdfReader

from olive_almanac.core.records.service import Counters, ServiceAct
from olive_almanac.core.upkeep.due import due_on, services_of
from olive_almanac.formats.calendar import DueDay, write_calendar
from olive_almanac.formats.shop_pdf import Group, write_log, write_week
from tests.samples import LONG

NOW = datetime(2026, 4, 14, 9, 30, tzinfo=UTC)


def words_of(data):
    return [page.extract_text() for page in PdfReader(io.BytesIO(data)).pages]


def unfolded(data):
    return data.decode().replace("\r\n ", "").split("\r\n")


class PagesTest(unittest.TestCase):
    def test_the_week_lists_what_is_to_be_done_and_why(self):
        data = write_week(
            [Group("Long Bed 60 W", [("Clean: lens", "9 of 8 h on")]), Group("Marker", [])],
            "14 April 2026",
        )
        (page,) = words_of(data)
        for words in ("This week in the shop", "Clean: lens", "9 of 8 h on", "Nothing is due."):
            self.assertIn(words, page)
        self.assertIn("not a certification", page)

    def test_a_long_log_goes_on_over_pages_and_loses_no_line(self):
        lines = [(f"day {n}", f"part {n}", f"cleaned, note {n} " * 8) for n in range(60)]
        pages = words_of(write_log("Long Bed", lines, "14 April 2026"))
        self.assertGreater(len(pages), 2)
        whole = "\n".join(pages)
        for n in range(60):
            self.assertIn(f"part {n} cleaned", whole)
        self.assertTrue(all("Service log, Long Bed" in page for page in pages))

    def test_names_that_no_font_has_do_not_stop_a_page(self):
        (page,) = words_of(write_log("Bed \u0000 \U0001f40d", [("1", "lens", "\u202e x")], ""))
        self.assertIn("lens", page)


class CalendarTest(unittest.TestCase):
    def test_each_day_is_a_whole_day_with_an_id_that_stays(self):
        days = [DueDay("long-bed-lens", date(2026, 4, 20), "Long Bed: clean; the lens", "9 of 8 h")]
        lines = unfolded(write_calendar(days, NOW))
        self.assertEqual((lines[0], lines[-2]), ("BEGIN:VCALENDAR", "END:VCALENDAR"))
        for line in (
            "VERSION:2.0",
            "UID:long-bed-lens@olive-almanac",
            "DTSTART;VALUE=DATE:20260420",
            "DTEND;VALUE=DATE:20260421",
            "SUMMARY:Long Bed: clean\\; the lens",
            "DTSTAMP:20260414T093000Z",
        ):
            self.assertIn(line, lines)
        self.assertTrue(all(len(line) <= 75 for line in write_calendar(days, NOW).split(b"\r\n")))
        self.assertEqual(write_calendar(days, NOW), write_calendar(days, NOW))


class DueDayTest(unittest.TestCase):
    def test_a_part_is_due_when_its_interval_will_be_used_up(self):
        act = ServiceAct("a", LONG.uid, "lens", "clean", (NOW - timedelta(days=2)).isoformat())
        lens = {d.part.id: d for d in services_of(LONG, [act], Counters(), NOW)}["lens"]
        self.assertEqual(due_on(lens, NOW), date(2026, 4, 19))  # seven days, two are gone
        late = ServiceAct("b", LONG.uid, "lens", "clean", (NOW - timedelta(days=9)).isoformat())
        lens = {d.part.id: d for d in services_of(LONG, [late], Counters(), NOW)}["lens"]
        self.assertEqual(due_on(lens, NOW), NOW.date())
        tube = {d.part.id: d for d in services_of(LONG, [act], Counters(), NOW)}["tube"]
        self.assertIsNone(due_on(tube, NOW))
