"""The checker at the edge of each limit and just beyond, every kind of unsafe file that is known,
and the writer word by word.
"""

import itertools
import re
import unittest
from dataclasses import replace
from unittest import mock

from olive_almanac.core.records.setting import Setting
from olive_almanac.formats import gcode_check
from olive_almanac.formats.gcode import _comment, _number, setting_comment, write_gcode
from olive_almanac.formats.gcode_check import CheckLimits, check_gcode, check_lines
from tests.formats.test_gcode import HEAD, LIMITS, SQUARE, codes
from tests.samples import LONG, cut_trial, engrave_trial

AREA = replace(LIMITS, area_mm=(10.0, 10.0, 10.0, 10.0))
INSIDE = "G0 X10 Y10\nM3 S0\nF600\nG1 X20 Y20 S500\nM5 S0\nM2\n"


def inside(line, after="G1 X20 Y20 S500"):
    """A program in which a line follows a burning one."""
    return HEAD + INSIDE.replace(after, f"{after}\n{line}")


class BedTest(unittest.TestCase):
    """The bed counts also where a coupon is said to reach beyond it."""

    def test_beyond_each_side_of_the_bed_is_off_it(self):
        beyond = replace(LIMITS, area_mm=(-50.0, -50.0, 900.0, 900.0))
        for place in ("X-5", "X405", "Y-5", "Y405"):
            with self.subTest(place):
                self.assertEqual(codes(inside(f"G0 {place} S0"), beyond), ["off-bed"])
        for place in ("X0", "X400", "Y0", "Y400"):
            with self.subTest(place):
                self.assertEqual(codes(inside(f"G0 {place} S0"), beyond), [])


class AlikeLinesTest(unittest.TestCase):
    """Lines that differ from the one before by their place alone, as most of a long program do."""

    ALIKE = "G1 X11 Y11 S500\nG1 X12 Y12 S500\nG1 X13 Y13 S500\n"

    def program(self, line):
        return inside(self.ALIKE + line + "\n" + self.ALIKE.rstrip())

    def test_a_place_that_is_wrong_is_found_among_them_and_the_next_are_followed(self):
        self.assertEqual(codes(self.program("G1 X14 Y14 S500"), AREA), [])
        self.assertEqual(codes(self.program("G1 X21 Y11 S500"), AREA), ["off-coupon"])
        self.assertEqual(codes(self.program("G1 X401 Y11 S500")), ["off-bed"])
        clamped = replace(LIMITS, clamps_mm=((30.0, 10.0, 5.0, 20.0),))
        self.assertEqual(codes(self.program("G1 X40 Y12 S500"), clamped), ["in-clamp"] * 2)

    def test_what_changes_between_them_counts_for_the_next(self):
        for line, found in (
            ("G91\nG1 X200 Y200 S500\nG1 X200 Y200 S500\nG90", {"off-bed"}),
            ("G20\nG1 X14 Y14 S500\nG1 X17 Y17 S500\nG21", {"off-bed"}),
            ("F0\nG1 X14 Y14 S500", {"over-speed", "no-feed"}),
            ("G0 X14 Y14 S500\nG0 X15 Y15 S500", {"beam-in-rapid"}),
            ("G1 X14 Y14 S2000\nG1 X15 Y15 S2000", {"over-power"}),
            ("M2", {"after-end"}),
        ):
            with self.subTest(line):
                self.assertLessEqual(found, set(codes(self.program(line))))

    def test_the_same_is_found_whichever_way_a_step_is_written(self):
        ways = (("G1", "S500"), ("G0", "S0"), ("G1", ""), ("", "S500"), ("", ""), ("G0", "S500"))
        places = ("X14 Y14", "X14", "Y14", "X-9 Y14", "X32 Y14", "X14 Y15")
        between = ("", "M5", "M3", "M4", "F0", "F900", "S900", "S2000", "G0", "G20", "G91", "M2")
        clamped = replace(AREA, clamps_mm=((30.0, 10.0, 5.0, 20.0),))
        for said, word in itertools.product(itertools.product(ways, ways), between):
            steps = [f"{g} {at} {s}".strip() for g, s in said for at in places]
            steps = [step.replace("  ", " ") for step in steps]
            program = self.program("\n".join([*steps, word, *steps]))
            spaced = re.sub("([XY])", r"\1 ", program)
            one, other = (check_gcode(text, clamped) for text in (program, spaced))
            self.assertEqual(one, other, program)

    def test_each_move_counts_and_each_fault_is_told(self):
        report = check_gcode(self.program("G1 X500 Y11 S500\nG1 X600 Y11 S500"), LIMITS)
        self.assertEqual(len(report.findings), 2)
        self.assertEqual(report.moves, 10)


class HazardTest(unittest.TestCase):
    """What burns where nobody meant it: each of these was once called safe."""

    def test_beam_on_at_a_standstill(self):
        for line in ("M0", "M1", "S900", "G4 P1", "Z1", "G1 Z-2", "M8"):
            with self.subTest(line):
                self.assertIn("beam-at-rest", codes(inside(line)))

    def test_a_word_that_nothing_on_its_line_takes(self):
        for line in (
            "S0 G4 P0.1 X500",  # waits, and goes to the place
            "G1 X20 I5",
            "G1 X20 R5",
            "G1 X20 P2",
            "G1 X20 K1",
            "G2 I5 J0",  # a whole circle, for some controllers
            "G2 X30 Y20 I5 J0 R400",  # by the radius, for others
            "G2 X30 Y20 I5 J0 P3",  # thrice round
            "N-5 G1 X20",
            "N5.5 G1 X20",
            "N99999999 G1 X20",
        ):
            with self.subTest(line):
                self.assertIn("unused-word", codes(inside(line)))
        for line in ("N5 G1 X20", "S0 G4 P0.1", "G64 P0.05", "G2 X30 Y20 I5 J0", "G1 Z1 X20"):
            with self.subTest(line):
                self.assertNotIn("unused-word", codes(inside(line)))

    def test_an_arc_that_ends_where_it_began_but_for_rounding_may_be_a_whole_circle(self):
        limits = replace(LIMITS, area_mm=(0.0, 0.0, 60.0, 60.0))
        for turn, centre in itertools.product(("G2", "G3"), ("I30", "J30", "I-8 J40")):
            for end in ("X20 Y20", "X20.0001 Y20", "X20 Y20.0001", "X19.9999 Y19.9999"):
                with self.subTest(f"{turn} {end} {centre}"):
                    found = codes(inside(f"{turn} {end} {centre} S0\nG1"), limits)
                    self.assertIn("off-coupon", found)
        self.assertEqual(codes(inside("G2 X20.01 Y20 I0.005 J0\nG1"), limits), [])

    def test_an_arc_whose_ends_lie_on_one_ray_is_a_whole_circle(self):
        clamped = replace(LIMITS, area_mm=None, clamps_mm=((300.0, 0.0, 50.0, 300.0),))
        for turn, end in itertools.product(("G2", "G3"), ("X20.1", "X19.9", "X20.0001")):
            with self.subTest(f"{turn} {end}"):
                found = codes(inside(f"{turn} {end} Y20 I150 J0 S0\nG1"), clamped)
                self.assertIn("off-bed", found)
                self.assertIn("in-clamp", found)
        # by so little that it is lost in the digits of a small controller; and by more
        for end, found in (("Y20.003", ["off-bed"]), ("Y20.02", [])):
            self.assertEqual(codes(inside(f"G2 X20 {end} I900 J0 S0\nG1"), LIMITS)[:1], found)

    def test_a_beam_that_burns_on_one_place_line_by_line(self):
        for there in (
            "G1 X20 Y20",
            "G1 X20.01\nG1 X20",
            "G91\nG1 X0\nG90",
            "G2 X20 Y20 I0.01",
            "G3 X20 Y20.02 I-9 J0\nG2 X20 Y20 I-9 J0",  # to and fro on a wide circle
        ):
            with self.subTest(there):
                self.assertEqual(set(codes(inside(f"{there}\n" * 600))), {"beam-at-rest"})
                self.assertEqual(codes(inside(f"{there}\n" * 100)), [])
        away = "G1 X20.2\nG1 X20\n" * 600
        self.assertEqual(codes(inside(away)), [])
        around = "G2 X20 Y20 I2 J0\n" * 600
        self.assertEqual(codes(inside(around)), [])
        self.assertEqual(codes(inside("S0\n" + "G1 X20 Y20\n" * 600)), [])

    def test_numbers_of_more_digits_than_controllers_read(self):
        # eight digits are read, those that lead included: the others count as noughts
        for line in ("G1 X000000012", "G1 X12 S000000500", "N000000005 G1 X12"):
            with self.subTest(line):
                self.assertEqual(codes(inside(line)), ["long-number"])
        self.assertIn("long-number", codes(SQUARE.replace("M5 S0", "M000000005 S0", 1)))
        self.assertEqual(codes(inside("G1 X00000012.000000000001")), [])
        for word in ("M4.99999999999999999", "G0.99999999999999999 X12"):
            self.assertEqual(codes(inside(word)), ["unknown-word"])

    def test_modes_that_clash_have_a_controller_refuse_the_line(self):
        for line in ("M8 M9", "M7 M8", "M0 M1", "G61 G64 P0.05", "G54 G54", "G4 P0.1 G4"):
            with self.subTest(line):
                self.assertIn("modes-clash", codes(inside(f"S0 {line}")))
        for line in ("M5 M9", "G40 G49 G54 G61", "G4 P0.1 M8"):
            with self.subTest(line):
                self.assertNotIn("modes-clash", codes(inside(f"S0 {line}")))

    def test_a_wait_says_how_long(self):
        for line in ("G4", "G4 P-1"):
            self.assertEqual(codes(inside(f"S0 {line}")), ["no-time"])
        self.assertEqual(codes(inside("S0 G4 P0")), [])

    def test_what_some_controllers_take_for_a_comment(self):
        self.assertEqual(codes(inside("S0 (wait; cool) M5")), ["half-comment"])
        self.assertEqual(codes(inside("S0 (wait; cool) ; then on")), [])
        self.assertEqual(codes(inside("S0 (wait; cool) (then on)")), [])
        self.assertEqual(codes(inside("G1 X1(ten)2")), ["not-understood"])

    def test_a_feed_of_another_unit_than_that_of_the_line(self):
        self.assertEqual(codes(inside("G20\nG1 X0.7\nG21")), ["feed-unit"])
        self.assertEqual(codes(inside("G20 F20\nG1 X0.7\nG21\nF600")), ["feed-unit"])
        for line in ("G20\nF20\nG1 X0.7\nG21\nF600", "G20\nG0 X0.7 S0\nG21", "G20\nG21"):
            self.assertEqual(codes(inside(line)), [], line)

    def test_a_beam_that_creeps_is_as_one_at_rest(self):
        for feed, found in ((6, []), (5.9, ["beam-at-rest"]), (0.001, ["beam-at-rest"])):
            with self.subTest(feed=feed):
                self.assertEqual(codes(inside(f"F{feed}\nG1 X11")), found)
        self.assertEqual(codes(inside("F1\nG1 X11 S0\nF600")), [])

    def test_what_lies_beyond_ascii_reaches_a_controller_as_bytes_it_acts_on(self):
        for sign in ("\u2212", "\u2014", "\u20ac", "\U0001f525", "\ufeff"):
            with self.subTest(sign=ascii(sign)):
                self.assertEqual(codes(inside(f"(5 {sign} 5)")), ["acts-at-once"])
        self.assertEqual(codes(inside("(5\t5)")), [])

    def test_a_head_that_goes_far_from_the_face_meets_bed_or_frame(self):
        for line, found in (
            ("G0 Z-100 S0", []),
            ("G0 Z-101 S0", ["focus-far"]),
            ("G0 Z101 S0", ["focus-far"]),
            ("G20\nG0 Z-4 S0\nG21", ["focus-far"]),
            ("G0 Z-90 S0\nG91\nG0 Z-20 S0\nG90", ["focus-far"]),
        ):
            with self.subTest(line):
                self.assertEqual(codes(inside(line)), found)

    def test_a_beam_needs_its_power_before_it_is_switched_on(self):
        bare = HEAD.replace("M5 S0", "M5") + INSIDE
        self.assertEqual(codes(bare), [])
        for word in ("M3", "M4"):
            self.assertEqual(codes(bare.replace("M3 S0", word)), ["power-missing"])
            way = "G0 X10 Y10\nG0 X11 Y11\nG0 X12 Y12"
            longer = bare.replace("M3 S0", word).replace("G0 X10 Y10", way)
            self.assertEqual(codes(longer), ["power-missing"])

    def test_words_for_what_is_the_default_change_nothing(self):
        for line in ("G40", "G49", "G54", "G61", "G64 P0.01", "G40 G49 G54"):
            self.assertEqual(codes(inside(line)), [], line)

    def test_arcs_meet_clamps_on_their_way(self):
        clamped = replace(LIMITS, clamps_mm=((18.0, 27.0, 4.0, 4.0),))
        arc = HEAD + "M5 S0\nG0 X10 Y20\nF600\n{} X30 Y20 I10 J0 S0\nM2\n"
        self.assertEqual(set(codes(arc.format("G2"), clamped)), {"in-clamp"})
        self.assertEqual(codes(arc.format("G3"), clamped), [])
        straight = replace(LIMITS, clamps_mm=((18.0, 18.0, 4.0, 4.0),))  # on the chord alone
        self.assertEqual(codes(arc.format("G2"), straight), [])

    def test_arcs_that_stand_upright_are_not_followed(self):
        for plane, found in ((17, []), (18, ["arc-not-followed"]), (19, ["arc-not-followed"])):
            line = f"G{plane} G2 X16 Y20 I-2 J0 S0"
            self.assertEqual(codes(inside(line)), found)

    def test_a_percent_sign_ends_the_file_for_some(self):
        self.assertEqual(codes(inside("%")), ["ends-early"])
        self.assertEqual(codes("%\n(begin)\n" + SQUARE + "%\n"), [])

    def test_corners_may_be_rounded_by_a_hair_only(self):
        for words, good in (("G64", True), ("G64 P0.1", True), ("G64 P0.2", False)):
            with self.subTest(words):
                self.assertEqual(codes(inside(words)) == [], good)
        in_inches = inside("G20 G64 P0.01\nG21")
        self.assertEqual(codes(in_inches), ["path-left"])

    def test_one_word_of_a_line_switches_the_beam(self):
        for words in ("M5 M3", "M3 M5", "M4 M5", "M3 M4"):
            with self.subTest(words):
                self.assertIn("modes-clash", codes(SQUARE.replace("M5 S0", words, 1)))

    def test_a_beam_that_follows_the_speed_may_rest(self):
        program = inside("F300").replace("M3", "M4")
        self.assertEqual(codes(program), [])
        self.assertIn("beam-at-rest", codes(inside("M0").replace("M3", "M4")))

    def test_the_beam_may_rest_without_power(self):
        for line in ("M0", "S0", "G4 P1", "F300", "M8"):
            with self.subTest(line):
                self.assertEqual(codes(inside(f"S0 G1 X20\n{line}")), [])

    def test_inverse_time_feeds_are_not_followed(self):
        self.assertIn("feed-mode", codes(SQUARE.replace("G94", "G93")))
        self.assertEqual(codes(SQUARE), [])

    def test_lines_that_a_switch_may_skip(self):
        for line in ("/M5 S0", " / M5 S0", "/G1 X12"):
            with self.subTest(line):
                self.assertIn(
                    "skipped-line", codes(SQUARE.replace("M5 S0\nG0 X0", f"{line}\nM5\nG0 X0"))
                )

    def test_figures_and_letters_of_other_scripts(self):
        for line in ("G1 X１２", "G1 X١٢", "G1 X12 ſ900", "Ｇ1 X12"):
            with self.subTest(line):
                self.assertIn("not-understood", codes(inside(line)))

    def test_signs_that_act_at_once_on_controllers_also_in_comments(self):
        for sign in ("!", "?", "~", "\x18", "\x1b", "\x00", "\x85"):
            with self.subTest(repr(sign)):
                self.assertIn("acts-at-once", codes(SQUARE.replace("M2", f"({sign})\nM2")))

    def test_a_burn_from_a_place_that_is_not_known(self):
        program = HEAD + "M3 S0\nF600\nG1 X20 Y20 S500\nM5 S0\nM2\n"
        self.assertIn("lost-place", codes(program))
        self.assertIn("lost-place", codes(HEAD + "G0 X10\nM3 S0\nF600\nG1 X20 S500\nM5\nM2\n"))


class EdgeTest(unittest.TestCase):
    """Each limit holds at its edge and is told beyond it, on every side."""

    def test_power(self):
        for word, good in (("S1000", True), ("S1000.01", False), ("S0", True), ("S-1", False)):
            program = SQUARE.replace("S500", word)
            self.assertEqual("over-power" not in codes(program), good, word)

    def test_speed(self):
        for word, good in (("F18000", True), ("F18001", False), ("F0", False), ("F-5", False)):
            program = SQUARE.replace("F600", word)
            self.assertEqual("over-speed" not in codes(program), good, word)

    def test_speed_in_inches(self):
        program = SQUARE.replace("G21", "G20").replace("X20", "X1").replace("Y20", "Y1")
        for word, good in (("F708", True), ("F709", False)):  # 300 mm/s are 708.66 in/min
            self.assertEqual("over-speed" not in codes(program.replace("F600", word)), good)

    def test_bed(self):
        for place, good in (
            ("X400 Y400", True),
            ("X400.001 Y5", True),
            ("X400.01 Y5", False),
            ("X5 Y400.01", False),
            ("X0 Y0", True),
            ("X-0.01 Y5", False),
            ("X5 Y-0.01", False),
        ):
            program = HEAD + f"G0 X5 Y5\nG0 {place}\nM2\n"
            self.assertEqual(codes(program), [] if good else ["off-bed"], place)

    def test_area(self):
        for place, good in (
            ("X10 Y10", True),
            ("X20 Y20", True),
            ("X20.01 Y15", False),
            ("X15 Y20.01", False),
            ("X9.99 Y15", False),
            ("X15 Y9.99", False),
        ):
            program = HEAD + f"G0 X15 Y15\nG0 {place}\nM2\n"
            self.assertEqual(codes(program, AREA), [] if good else ["off-coupon"], place)
        for x, y in ((30.0, 10.0), (10.0, 30.0)):
            area = replace(LIMITS, area_mm=(x, y, 10.0, 10.0))
            start = HEAD + f"G0 X{x + 5} Y{y + 5}\n"
            self.assertEqual(codes(start + "M2\n", area), [])
            self.assertEqual(codes(start + "G0 X15 Y15\nM2\n", area), ["off-coupon"])

    def test_clamps_are_met_on_the_way_not_only_at_the_end(self):
        limits = replace(LIMITS, clamps_mm=((100.0, 100.0, 50.0, 20.0),))
        for start, end, met in (
            ("X90 Y110", "X160 Y110", True),  # straight across
            ("X125 Y90", "X125 Y130", True),
            ("X95 Y95", "X155 Y125", True),
            ("X90 Y99", "X160 Y99", False),  # beside it
            ("X90 Y121", "X160 Y121", False),
            ("X99 Y90", "X99 Y130", False),
            ("X151 Y90", "X151 Y130", False),
            ("X90 Y100", "X160 Y100", False),  # along its edge
            ("X80 Y110", "X99 Y110", False),  # stops before it
            ("X120 Y110", "X130 Y110", True),  # within it
            ("X90 Y115", "X105 Y125", False),  # past its corner
        ):
            program = HEAD + f"G0 {start}\nG0 {end}\nM2\n"
            self.assertEqual(codes(program, limits), ["in-clamp"] if met else [], (start, end))

    def test_arcs_bulge_to_every_side(self):
        limits = replace(LIMITS, area_mm=(90.0, 90.0, 20.0, 20.0))
        start = HEAD + "G0 X100 Y90.5\nF600\n"
        for arc, good in (
            ("G3 X100 Y109.5 J9.5", True),  # over the right, reaching X109.5
            ("G2 X100 Y109.5 J9.5", True),  # over the left
            ("G3 X100 Y90.5 J9.5", True),  # once around
            ("G3 X100 Y90.5 J10", False),
            ("G3 X109 Y100 I12 J12", False),
        ):
            self.assertEqual(codes(start + f"{arc}\nM2\n", limits) == [], good, arc)

    def test_an_arc_needs_its_centre_and_equal_ends(self):
        start = HEAD + "G0 X100 Y100\nF600\n"
        for arc, good in (
            ("G2 X110 Y100 I5", True),
            ("G2 X110 Y100", False),
            ("G2 X110 Y100 I4", False),
            ("G2 X110.005 Y100 I5", True),
            ("G2 X110.03 Y100 I5", False),
            ("G3 X100 Y101 I-2000 J0", True),
            ("G3 X101 Y101 I-2000 J0", False),  # by 1 mm, less than a thousandth of its radius
            ("G20 G2 X3.937008 Y4.330709 J0.19685", True),  # the same upwards, in inches
            ("G20 G2 X3.937008 Y4.330709 J5", False),
            ("G20 G2 X4.330709 Y3.937008 I0.19685", True),
            ("G20 G2 X4.330709 Y3.937008 I5", False),
        ):
            self.assertEqual(codes(start + f"{arc}\nM2\n") == [], good, arc)

    def test_relative_moves_add_up(self):
        program = HEAD + "G0 X390 Y10\nG91\nG0 X{}\nM2\n"
        self.assertEqual(codes(program.format("10")), [])
        self.assertEqual(codes(program.format("10.1")), ["off-bed"])
        self.assertIn("lost-place", codes(HEAD + "G91\nG0 X5\nM2\n"))

    def test_lines_of_79_signs_are_the_longest(self):
        for length, good in ((79, True), (80, False)):
            line = "(" + "a" * (length - 2) + ")"
            self.assertEqual(codes(SQUARE.replace("M2", line + "\nM2")) == [], good)

    def test_beam_before_the_first_move_and_order_of_modes(self):
        self.assertIn("beam-before-motion", codes(SQUARE.replace("M5 S0\nG0", "M3 S9\nG0", 1)))
        self.assertIn("modes-missing", codes(SQUARE.replace(" G90", "")))
        self.assertIn("modes-missing", codes(SQUARE.replace(" G21", "")))
        self.assertIn("no-motion-mode", codes(SQUARE.replace("G0 X10 Y10", "X10 Y10")))
        self.assertIn("no-motion-mode", codes(SQUARE.replace("G0 X10 Y10", "G80 X10 Y10")))
        self.assertIn("after-end", codes(SQUARE + "G0 X1\n"))
        self.assertEqual(codes(SQUARE + "(the end)\n%\n"), [])
        self.assertIn("beam-left-on", codes(SQUARE.replace("M5 S0\nG0 X0", "G0 X0")))
        self.assertIn("no-motion", codes(HEAD + "M2\n"))
        self.assertIn("no-end", codes(SQUARE.replace("M2\n", "")))
        self.assertEqual(codes(SQUARE.replace("M2", "M30")), [])

    def test_findings_name_line_and_number(self):
        found = check_gcode(SQUARE.replace("S500", "S1200"), LIMITS).findings
        self.assertEqual([(one.code, one.where) for one in found], [("over-power", "line 6")])
        self.assertEqual(found[0].text, "Line 6 asks for S1200; this machine takes 0 to 1000.")

    def test_a_program_is_parted_into_the_same_lines_in_pieces_of_any_size(self):
        parted = ("G1 X401\n", "G1 X1\r\n", "\r\n\n", "G1 X1\x0bX2\n", "(a\x85b)\r\n", "G1 X401")
        text = HEAD + INSIDE + "".join(parted) * 3
        whole = check_gcode(text, LIMITS)
        self.assertGreater(len(whole.findings), 9)
        for size in range(len(text) + 2):
            with mock.patch.object(gcode_check, "PIECE", size):
                self.assertEqual(check_gcode(text, LIMITS), whole, size)

    def test_moves_are_counted_and_long_files_tell_how_far_they_are(self):
        self.assertEqual(check_gcode(SQUARE, LIMITS).moves, 6)
        long = HEAD + "G0 X1 Y1\n" + "G0 X2 Y2\n" * 50_000 + "M2\n"
        steps = [share for share, _ in check_lines(long, LIMITS)]
        self.assertEqual(len(steps), 3)
        self.assertAlmostEqual(steps[0], 20_000 / 50_004, places=3)
        self.assertEqual(steps[-1], 1.0)


class WordsTest(unittest.TestCase):
    def test_numbers_have_no_idle_digits(self):
        for value, text in (
            (1.5, "1.5"),
            (2.0, "2"),
            (-0.0001, "0"),
            (0.12345, "0.123"),
            (10, "10"),
        ):
            self.assertEqual(_number(value), text)
        self.assertEqual(_number(1 / 25.4, 5), "0.03937")

    def test_comments_are_plain_letters_figures_and_few_signs(self):
        self.assertEqual(_comment("cell A1: 85 %, 8 mm/s"), "(cell A1: 85 %, 8 mm/s)")
        self.assertEqual(_comment("a (b) ×2 −3"), "(a [b] x2 -3)")
        self.assertEqual(_comment("stop! ~ ? \x18\x1b\x00 ü"), "(stop_ _ _ ___ _)")
        self.assertEqual(len(_comment("a" * 200)), 78)

    def test_a_cell_is_said_with_what_it_has(self):
        self.assertEqual(setting_comment(Setting(0.85, 8.0, 2)), "85 %, 8 mm/s, 2 passes")
        self.assertEqual(
            setting_comment(Setting(0.5, 100.0, pitch_mm=0.1, focus_mm=1.5, pulse_khz=30.0)),
            "50 %, 100 mm/s, 1 pass, pitch 0.1 mm, focus 1.5 mm, pulse rate 30 kHz",
        )

    def test_hostile_names_leave_a_file_that_passes(self):
        for name in ("!~?\x18", "a\nM3 S900", "(((", "ＦＵＬＬ", "é" * 50):
            machine = replace(LONG, name=name)
            for trial in (cut_trial(machine), engrave_trial(machine)):
                limits = CheckLimits(machine.bed_mm, machine.max_speed_mm_s, machine.power_scale)
                self.assertEqual(codes(write_gcode(trial), limits), [], repr(name))
