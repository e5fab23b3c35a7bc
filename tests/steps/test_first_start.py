"""First start: the sentence of an empty library, its answer and the records that it makes."""

import re

from olive_almanac.steps.first_start import FirstStart, stock_choices
from tests.steps.test_presenters import SessionCase


class FirstStartTest(SessionCase):
    def setUp(self):
        super().setUp()
        self.session.attach(self.library)
        self.first = FirstStart(self.session)

    def answer(self, **words):
        for key, text in words.items():
            self.first.change(key, text)
        ((_, answer),) = self.first.work()
        return answer

    def test_a_cut_is_answered_with_where_its_speed_lies(self):
        answer = self.answer(source="co2", thickness="3", family="plywood")
        self.assertTrue(answer.is_guess and answer.goes_on)
        low, high = map(float, re.search(r"between (\S+) and (\S+) mm/min", answer.says).groups())
        practised = 25 * 60  # what 60 W runs 3 mm of ply at, mm/min (common practice, no source)
        self.assertTrue(low < practised < high, answer.says)

    def test_a_tone_is_answered_with_where_its_power_lies(self):
        answer = self.answer(task="engrave")
        self.assertRegex(answer.says, r"right power lies between [\d.]+ and [\d.]+ % at")

    def test_what_must_not_burn_gets_a_reason_and_no_way_on(self):
        barred = next(key for key, word in stock_choices() if "PVC" in word)
        answer = self.answer(family=barred)
        self.assertFalse(answer.is_guess or answer.goes_on)
        self.assertIn("chloride", answer.says)

    def test_a_slip_names_its_word(self):
        for key, text in (("watts", "ten"), ("watts", "0"), ("thickness", "-3"), ("thickness", "")):
            answer = self.answer(**{key: text})
            self.assertEqual((answer.bad_field, answer.goes_on), (key, False), text)
            self.answer(watts="10", thickness="3")

    def test_another_source_brings_its_power_unless_one_was_typed(self):
        self.answer(source="co2")
        self.assertEqual(self.first.texts["watts"], "60")
        self.answer(watts="80", source="diode")
        self.assertEqual(self.first.texts["watts"], "80")

    def test_it_begins_with_both_records_and_is_undone_as_one(self):
        self.answer(source="co2", watts="55", thickness="1/8", family="mdf")
        self.assertTrue(self.first.begin())
        machine, stock = self.session.subject.machine, self.session.subject.stock
        self.assertEqual((machine.source, machine.optical_power_w), ("co2", 55))
        self.assertEqual((stock.family, stock.thickness_mm), ("mdf", 3.175))
        self.session.undo_stack.undo()
        self.assertEqual((self.library.machines(), self.library.stocks()), ((), ()))

    def test_a_bad_word_begins_nothing(self):
        self.answer(watts="ten")
        self.assertFalse(self.first.begin())
        self.assertIn("Power", self.session.problem)
        self.assertEqual(self.library.machines(), ())
