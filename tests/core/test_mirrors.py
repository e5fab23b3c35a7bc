"""Mirrors by marks on tape: which one, which way, what its screws do, odd marks."""

import unittest

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.upkeep.mirrors import fit_marks, lean_deg, passing_share, screw_turns

BED = (900.0, 600.0)
CORNERS = ((30.0, 30.0), (870.0, 30.0), (870.0, 570.0), (30.0, 570.0))


def marks(slope_1=(0.0, 0.0), slope_2=(0.0, 0.0), offset=(0.0, 0.0)):
    """Marks of a beam with these slopes, mm a mm."""
    return [
        tuple(offset[n] + (y - 30) * slope_1[n] + (x - 30) * slope_2[n] for n in range(2))
        for x, y in CORNERS
    ]


class MarksTest(unittest.TestCase):
    def test_mirror_2_lets_the_mark_wander_along_the_gantry(self):
        found = fit_marks(CORNERS, marks(slope_2=(3.6 / 900, -1.0 / 900)), BED)
        self.assertEqual((found.mirror, found.straight), (2, True))
        self.assertAlmostEqual(found.slope_2_mm_m[0], 4.0)
        self.assertAlmostEqual(found.wanted_mm[0], -3.6)
        self.assertAlmostEqual(found.wanted_mm[1], 1.0)
        self.assertIn("3.6 mm to the left and 1.0 mm up", found.says)
        self.assertIn("2.1 mrad", found.says)  # half of 3.74 mm over 900 mm

    def test_mirror_1_comes_first_where_both_are_off(self):
        found = fit_marks(CORNERS, marks((0, 4 / 600), (3 / 900, 0)), BED)
        self.assertEqual(found.mirror, 1)
        self.assertIn("4.0 mm down", found.says)

    def test_a_steady_beam_beside_the_middle_is_no_mirrors_fault(self):
        found = fit_marks(CORNERS, marks(offset=(2.0, 0.0)), BED)
        self.assertEqual(found.mirror, 0)
        self.assertIn("do not turn a mirror", found.says)
        self.assertIn("in line", fit_marks(CORNERS, marks(), BED).says)

    def test_a_mark_that_was_burnt_twice_corrects_nothing(self):
        odd = marks(slope_2=(5 / 900, 0))
        odd[2] = (odd[2][0] - 5, odd[2][1])
        found = fit_marks(CORNERS, odd, BED)
        self.assertEqual((found.straight, found.mirror), (False, 0))
        self.assertIn("burnt twice", found.says)

    def test_few_marks_on_one_line_or_none_are_told(self):
        with self.assertRaises(OutOfRange):
            fit_marks(CORNERS[:2], marks()[:2], BED)
        with self.assertRaises(OutOfRange):
            fit_marks([(0, 0), (1, 1), (2, 2)], [(0, 0)] * 3, BED)
        with self.assertRaises(OutOfRange):
            fit_marks(CORNERS, [(0, float("nan"))] * 4, BED)

    def test_screws_are_solved_from_what_a_turn_did(self):
        turns = screw_turns([(2.0, 0.2), (0.0, 2.2)], (-3.2, -0.3))
        self.assertAlmostEqual(turns[0], -1.6)
        self.assertAlmostEqual(turns[1], (-0.3 + 1.6 * 0.2) / 2.2)
        with self.assertRaises(OutOfRange):
            screw_turns([(2.0, 0.2), (4.0, 0.4)], (1, 1))

    def test_shares_and_lean(self):
        """A non-central chi-square distribution by scipy.stats, and 1 - exp(-2 a2/w2) at 0."""
        for off, share in ((0.0, 0.99966), (2.0, 0.9929), (4.0, 0.8808)):
            self.assertAlmostEqual(passing_share(off, 3.0, 6.0), share, delta=5e-5)
        self.assertAlmostEqual(lean_deg(1.0, 50.8), 1.128, delta=5e-4)
