"""Words, numbers, days and lists as each language writes them, read back as they were meant."""

import contextlib
import gettext
import unittest
from datetime import date

from olive_almanac import language
from olive_almanac.core import units, words
from olive_almanac.core.dates import (
    as_date,
    day_month_text,
    day_text,
    short_month_text,
    weekday_text,
)
from olive_almanac.core.design.levels import read_levels, speed_reader
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.anchors import ANCHOR_WORDS, ANCHORS
from olive_almanac.core.records.setting import AIRS, SHORT_TASK_WORDS, TASK_WORDS, TASKS, air_text
from olive_almanac.formats import catalogue

DAY = date(2026, 3, 4)


@contextlib.contextmanager
def german():
    """Speak German for a while; tables that were made before stay English."""
    told = gettext.translation("olive-almanac", language.CATALOGUES, ["de"])
    kept = (
        units.number_text,
        catalogue.load_catalogue,
        catalogue.load_causes,
        catalogue.load_proposals,
    )
    words.speak("de", told, ",")
    for one in kept:
        one.cache_clear()
    try:
        yield
    finally:
        words.speak()
        for one in kept:
            one.cache_clear()


class NumbersTest(unittest.TestCase):
    def test_numbers_are_written_with_the_sign_of_the_language(self):
        self.assertEqual(units.number_text(0.125), "0.125")
        self.assertEqual(units.fixed_text(3, 2), "3.00")
        self.assertEqual(units.lengths_text(112, 84.5), "112 × 84.5")
        self.assertEqual(units.duration_text(4.25), "4.2 s")
        with german():
            self.assertEqual(units.number_text(0.125), "0,125")
            self.assertEqual(units.number_text(-1.5), "−1,5")
            self.assertEqual(units.number_text(1134.0), "1134")
            self.assertEqual(units.fixed_text(3, 2), "3,00")
            self.assertEqual(units.lengths_text(112, 84.5), "112 × 84,5")
            self.assertEqual(units.duration_text(4.25), "4,2 s")
            self.assertEqual(units.speed_text(12.5), "12,5 mm/s")
            self.assertEqual(units.percent_text(0.855), "85,5")

    def test_counts_take_the_plural_of_the_language(self):
        self.assertEqual(units.count_text(1, "cell"), "1 cell")
        self.assertEqual(units.count_text(0, "entry", "entries"), "0 entries")
        with german():
            self.assertEqual(units.count_text(1, "cell"), "1 Zelle")
            self.assertEqual(units.count_text(0, "entry", "entries"), "0 Einträge")
            self.assertEqual(units.passes_text(3), "3 Gänge")

    def test_what_is_not_known_and_what_is_all_but_sure_is_said(self):
        self.assertEqual(units.chance_text(0.999), "over 99 %")
        with german():
            self.assertEqual(units.chance_text(0.999), "über 99 %")
            self.assertEqual(units.chance_text(0.001), "unter 1 %")
            self.assertEqual(units.chance_text(0.5), "50 %")
            self.assertEqual(units.duration_text(float("inf")), "unbekannt")

    def test_what_is_written_is_read_back_the_same(self):
        for value in (0.0, 0.08, 1.5, 12.25, 340.0, -2.5):
            self.assertEqual(units.read_number(units.number_text(value, 4), "x"), value)
            with german():
                self.assertEqual(units.read_number(units.number_text(value, 4), "x"), value)

    def test_a_point_and_a_comma_are_read_in_either_language(self):
        for text in ("3.2", "3,2", " 3,2 mm", "3.2mm"):
            self.assertEqual(units.read_length_mm(text, "Thickness"), 3.2)
            with german():
                self.assertEqual(units.read_length_mm(text, "Thickness"), 3.2)


class ListsTest(unittest.TestCase):
    def test_an_english_list_parts_at_each_comma(self):
        self.assertEqual(units.split_list("3,2, 4"), ["3", "2", " 4"])
        self.assertEqual(read_levels("40,70,100", "Power", float), (40, 70, 100))

    def test_a_thousand_with_its_sign_is_no_list_of_speeds(self):
        for text in ("1,200", "1,200 mm/min", "1,200,1,500", "100, 1,200", "5,100"):
            with self.assertRaisesRegex(OutOfRange, "list with spaces"):
                read_levels(text, "Speed", speed_reader("mm/min"), "mm/s")
        for text, speeds in (("5, 100", (5, 100)), ("1,5", (1, 5)), ("10,200", (10, 200))):
            self.assertEqual(read_levels(text, "Speed", speed_reader(), "mm/s"), speeds)
        self.assertEqual(read_levels("5,100", "Power", float, "%"), (5, 100))

    def test_a_german_list_keeps_the_comma_of_a_number(self):
        with german():
            self.assertEqual(units.split_list("1,5"), ["1,5"])
            self.assertEqual(units.split_list("3,2, 4,1"), ["3,2", "4,1"])
            self.assertEqual(units.split_list("aus, wenig,voll"), ["aus", "wenig", "voll"])
            self.assertEqual(units.split_list("low 5, high 10"), ["low 5", "high 10"])
            self.assertEqual(read_levels("12,5", "Speed", speed_reader()), (12.5,))
            self.assertEqual(read_levels("8, 12,5", "Speed", speed_reader()), (8, 12.5))

    def test_a_german_list_without_spaces_is_refused_and_not_guessed(self):
        with german(), self.assertRaises(OutOfRange):
            read_levels("40,70,100", "Leistung", lambda text: units.read_number(text, "Leistung"))

    def test_a_list_that_a_form_wrote_is_read_back_by_it(self):
        for values in ((1.5,), (8.0, 12.5), (0.25, 0.5, 1.0)):
            with german():
                text = ", ".join(units.number_text(one) for one in values)
                self.assertEqual(read_levels(text, "Speed", speed_reader()), values)
                self.assertEqual(units.read_lengths_mm(text, "Width"), values)


class DaysTest(unittest.TestCase):
    def test_days_are_told_in_words(self):
        self.assertEqual(day_text(DAY), "4 March 2026")
        self.assertEqual(day_text("2026-03-04T17:30:00"), "4 March 2026")
        self.assertEqual(day_month_text(DAY), "4 March")
        self.assertEqual(day_month_text(DAY, short=True), "4 Mar")
        self.assertEqual((weekday_text(DAY), short_month_text(DAY)), ("Wednesday", "Mar"))
        self.assertEqual(as_date(DAY), as_date("2026-03-04"))
        with german():  # months are a table, made as the module loads
            self.assertEqual(day_text(DAY), "4. March 2026")

    def test_a_day_that_is_none_is_refused(self):
        with self.assertRaises(ValueError):
            day_text("yesterday")


class SentencesTest(unittest.TestCase):
    def test_values_are_filled_in_by_name_and_by_form(self):
        told = words.tr("{name}: {share:.0%} of {count:,}", name="A1", share=0.251, count=12000)
        self.assertEqual(told, "A1: 25% of 12,000")
        self.assertEqual(words.tr("{words} stays", words="{0} and {x}"), "{0} and {x} stays")

    def test_words_that_no_catalogue_has_stay_as_they_are(self):
        with german():
            self.assertEqual(
                words.tr("nobody translated {this}", this=1.5), "nobody translated 1,5"
            )
            self.assertEqual(words.trn("{count} gnu", "{count} gnus", 2), "2 gnus")

    def test_words_inside_a_sentence_begin_small_in_english_alone(self):
        self.assertEqual(words.mid_sentence("Not through"), "not through")
        self.assertEqual(words.mid_sentence(""), "")
        with german():
            self.assertEqual(words.mid_sentence("Lehre"), "Lehre")
        self.assertEqual((words.spoken(), words.decimal_sign()), ("en", "."))


class TablesTest(unittest.TestCase):
    def test_each_id_has_its_words(self):
        self.assertEqual(set(ANCHOR_WORDS), set(ANCHORS))
        self.assertEqual((set(TASK_WORDS), set(SHORT_TASK_WORDS)), (set(TASKS), set(TASKS)))
        self.assertEqual([air_text(air) for air in AIRS], list(AIRS))
        with german():
            self.assertEqual([air_text(air) for air in AIRS], ["aus", "wenig", "voll"])

    def test_a_shipped_table_is_told_in_german_and_judges_the_same(self):
        english, causes = catalogue.load_catalogue(), catalogue.load_causes()
        with german():
            told, other = catalogue.load_catalogue(), catalogue.load_causes()
        self.assertEqual([one.id for one in told.stocks], [one.id for one in english.stocks])
        for one, before in zip(told.stocks, english.stocks, strict=True):
            self.assertEqual((one.state, one.group), (before.state, before.group))
            for source, tasks in one.verdicts.items():
                for task, verdict in tasks.items():
                    same = before.verdicts[source][task]
                    self.assertEqual(verdict.level, same.level, (one.id, source, task))
                    self.assertEqual(bool(verdict.words), bool(same.words))
        self.assertEqual([one.tells for one in other], [one.tells for one in causes])
        self.assertNotEqual([one.name for one in other], [one.name for one in causes])

    def test_a_proposed_recipe_has_the_same_steps_in_other_words(self):
        english = catalogue.load_proposals()
        with german():
            told = catalogue.load_proposals()
        for one, before in zip(told, english, strict=True):
            self.assertEqual(one.recipe.origin, before.recipe.origin)
            for step, same in zip(one.recipe.before, before.recipe.before, strict=True):
                self.assertEqual((step.kind, step.side), (same.kind, same.side))
        self.assertIn("matte Seite", str(told))

    def test_the_words_of_a_table_are_no_ids(self):
        found = set(catalogue.words_in({"id": "x", "name": "a name", "state": "barred"}))
        self.assertEqual(found, {"a name"})
        verdicts = {"co2": {"cut": "works", "mark": "poor: slow", "score": "works with paint"}}
        self.assertEqual(set(catalogue.words_in(verdicts)), {"slow", "with paint"})
