"""The second reader agrees with the checker on our files, and finds what is wrong with others."""

import unittest
from dataclasses import replace

from olive_almanac.core.design.plan import NoRoom
from olive_almanac.core.records.stock import Sheet
from olive_almanac.formats.gcode import write_gcode
from olive_almanac.formats.gcode_check import check_gcode
from olive_almanac.formats.letters import letters
from tests.samples import BIRCH, LONG, area_limits, kind_plan
from tests.second_reader import faults_of

TRIAL = kind_plan("grid").trial
LIMITS = area_limits(TRIAL)
HEAD, TAIL = "G17 G21 G90 G94\nM5 S0\n", "M5 S0\nM2\n"


class SecondReaderTest(unittest.TestCase):
    def test_a_written_file_is_sound_to_both(self):
        text = write_gcode(TRIAL, letters())
        self.assertEqual(faults_of(text, LIMITS), [])
        self.assertTrue(check_gcode(text, LIMITS).safe)

    def test_each_of_these_is_a_fault_to_both(self):
        burn = "G0 X20 Y20\nM3 S500\nF600\nG1 X30 Y20\n"
        self.assertEqual(faults_of(HEAD + burn + TAIL, LIMITS), [])
        for name, text in {
            "on at the end": HEAD + burn + "M2\n",
            "outside": HEAD + "G0 X20 Y20\nM3 S500\nF600\nG1 X800 Y20\n" + TAIL,
            "off the bed": HEAD + "G0 X2000 Y20\n" + TAIL,
            "too strong": HEAD + burn.replace("S500", "S5000") + TAIL,
            "too quick": HEAD + burn.replace("F600", "F90000") + TAIL,
            "waits burning": HEAD + burn + "G4 P2\n" + TAIL,
            "rapid": HEAD + "G0 X20 Y20\nM3 S500\nG0 X30 Y20\n" + TAIL,
            "inverse time": HEAD.replace("G94", "G93") + burn + TAIL,
            "relative": HEAD + burn + "G91\n" + TAIL,
            "a sign that controllers obey": HEAD + burn + "(a ! b)\n" + TAIL,
            "no units": burn + TAIL,
        }.items():
            with self.subTest(name):
                self.assertTrue(faults_of(text, LIMITS))
                self.assertFalse(check_gcode(text, LIMITS).safe)

    def test_a_move_over_a_clamp_is_a_fault_however_it_begins_and_ends(self):
        clamp = (14.0, 14.0, 4.0, 4.0)
        over = HEAD + "G0 X12 Y12\nG0 X40 Y20\nG0 X12 Y16\nG0 X30 Y16\n" + TAIL
        self.assertTrue(faults_of(over, replace(LIMITS, clamps_mm=(clamp,))))
        self.assertEqual(faults_of(over, LIMITS), [])


class ClampAtHomeTest(unittest.TestCase):
    def test_a_head_whose_corner_is_clamped_stays_where_it_burnt_last(self):
        sheet = Sheet(275.9, 63.4, (), ((179.9, 33.8, 208.5, 52.7), (4.9, 11.2, 23.8, 13.8)))
        machine = replace(LONG, bed_mm=(430.0, 450.0))
        trial = kind_plan("confirm", "cut", machine, BIRCH, sheet=sheet).trial
        text = write_gcode(trial, letters())
        self.assertFalse(text.rstrip().splitlines()[-2].startswith("G0"))
        self.assertEqual(faults_of(text, area_limits(trial)), [])
        self.assertTrue(check_gcode(text, area_limits(trial)).safe)
        free = kind_plan("confirm", "cut", machine, BIRCH, sheet=replace(sheet, clamps_mm=()))
        self.assertTrue(
            write_gcode(free.trial, letters()).rstrip().splitlines()[-2].startswith("G0")
        )

    def test_pieces_with_no_way_past_the_clamps_between_them_are_not_planned(self):
        wall = ((140.0, 5.0, 150.0, 25.0), (140.0, 40.0, 150.0, 62.0))
        machine = replace(LONG, bed_mm=(430.0, 450.0))
        with self.assertRaisesRegex(NoRoom, "No way past the clamps.*Move a clamp"):
            kind_plan("confirm", "cut", machine, BIRCH, sheet=Sheet(275.9, 63.4, (), wall))


if __name__ == "__main__":
    unittest.main()
