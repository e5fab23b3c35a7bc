"""Practise: a machine with one hidden fault; what acts show, how it is scored, whether the program
could tell.
"""

import unittest
from datetime import date

from olive_almanac.standins.ailing import FAULTS as HIDDEN
from olive_almanac.standins.ailing import AilingMachine
from olive_almanac.steps.exercises import CO2
from olive_almanac.steps.mechanic import ACTIONS, FAULTS, Mechanic

TODAY = date(2026, 4, 14)


def with_fault(fault, first=0):
    seed = first
    while AilingMachine(CO2, seed).fault != fault:
        seed += 1
    return seed, Mechanic(AilingMachine(CO2, seed), TODAY)


class MechanicTest(unittest.TestCase):
    def test_the_answers_are_the_faults_that_there_are(self):
        self.assertEqual(set(FAULTS), set(HIDDEN))

    def test_marks_on_tape_show_a_mirror_out_of_line_and_only_that(self):
        _, mirror = with_fault("mirror")
        mirror.do("marks")
        self.assertIn("Mirror 2", mirror.said)
        _, source = with_fault("source")
        source.do("marks")
        self.assertNotIn("Mirror", source.said)

    def test_a_cleaning_mends_dirt_and_not_a_worn_source(self):
        for fault, mends in (("spatter", True), ("film", True), ("source", False)):
            _, mechanic = with_fault(fault)
            mechanic.do("check")
            before = mechanic.drift().readings[-1].need
            mechanic.do("clean")
            mechanic.do("check")
            gained = before - mechanic.drift().readings[-1].need
            self.assertEqual(gained > 0.06, mends, fault)
            self.assertEqual(mechanic.minutes, 30)

    def test_most_is_for_what_is_right_the_rest_for_minutes_saved(self):
        _, mechanic = with_fault("film")
        quick = mechanic.answer("film", "2026-04-14").score
        self.assertEqual((quick.total, quick.points_setting), (100, 60))
        mechanic.do("marks")
        self.assertEqual(mechanic.answer("film", "2026-04-14").score.total, 93)
        wrong = mechanic.answer("source", "2026-04-14")
        self.assertEqual(wrong.score.total, 0)
        self.assertIn("film has grown", wrong.says)
        self.assertIn("The program said", wrong.says)

    def test_each_act_takes_its_minutes_and_leaves_its_mark(self):
        _, mechanic = with_fault("nothing")
        marks = len(mechanic.time_line().marks)
        for action, (_, minutes) in ACTIONS.items():
            spent = mechanic.minutes
            mechanic.do(action)
            self.assertEqual(mechanic.minutes - spent, minutes)
            self.assertTrue(mechanic.said)
        self.assertEqual(len(mechanic.time_line().marks), marks + 3)

    def test_the_program_tells_most_faults_from_the_readings(self):
        """It must be solvable: machines that are weak are told weak, quiet ones are not."""
        right = 0
        for seed in range(24):
            mechanic = Mechanic(AilingMachine(CO2, seed), TODAY)
            level = mechanic.drift().level
            right += (level == "alarm") == (mechanic.ailing.fault != "nothing")
        self.assertGreaterEqual(right, 20)
