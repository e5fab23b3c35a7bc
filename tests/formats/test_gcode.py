"""G-code: what we write passes the checker, and the checker finds what is unsafe in files that others wrote."""

import unittest
from dataclasses import replace

from olive_almanac.core.design.grid import plan_grid
from olive_almanac.formats.gcode import write_gcode
from olive_almanac.formats.gcode_check import CheckLimits, check_gcode
from tests.samples import ALLOWED, BIRCH, DAY, LONG, MARKER, NORTH, cut_trial, engrave_trial, small_choices

LIMITS = CheckLimits((400, 400), 300, 1000)
HEAD = "G17 G21 G90 G94\nM5 S0\n"
SQUARE = HEAD + "G0 X10 Y10\nM3 S0\nF600\nG1 X20 Y10 S500\nG1 X20 Y20\nG1 X10 Y20\nG1 X10 Y10\nM5 S0\nG0 X0 Y0\nM2\n"


def codes(text, limits=LIMITS):
    return [finding.code for finding in check_gcode(text, limits).findings]


def area(trial):
    return (trial.on_sheet.x_mm, trial.on_sheet.y_mm, trial.coupon.width_mm, trial.coupon.height_mm)


def limits_of(trial):
    machine = trial.machine
    return CheckLimits(machine.bed_mm, machine.max_speed_mm_s, machine.power_scale, area(trial))


class WriterTest(unittest.TestCase):
    def trials(self):
        yield cut_trial()
        yield cut_trial(NORTH)
        yield engrave_trial(NORTH)
        yield engrave_trial(replace(LONG, power_scale=255))
        yield cut_trial(passes=(1, 2, 4), rest_s=2.5)
        yield cut_trial(focus_mm=(0.0, 1.0, 2.0))
        for place in ((0.0, 0.0), (300.0, 250.0)):
            yield cut_trial(place=place)

    def test_every_trial_passes_the_checker_inside_its_own_coupon(self):
        for trial in self.trials():
            report = check_gcode(write_gcode(trial), limits_of(trial))
            with self.subTest(machine=trial.machine.name, factors=[f.name for f in trial.factors]):
                self.assertEqual([f.text for f in report.findings], [])
                self.assertGreater(report.moves, len(trial.cells) * 4)

    def test_lines_are_short_and_plain(self):
        text = write_gcode(cut_trial(stock=replace(BIRCH, name="Birch (thin) − “seed” drawer front, a long name for it")))
        self.assertTrue(text.isascii())
        self.assertLess(max(map(len, text.splitlines())), 80)
        self.assertEqual(check_gcode(text, limits_of(cut_trial())).findings, ())

    def test_each_cell_is_named_and_gets_its_power_and_feed(self):
        trial = cut_trial()
        blocks = write_gcode(trial).split("(cell ")[1:]
        self.assertEqual(len(blocks), len(trial.cells))
        for cell, block in zip(trial.in_order, blocks, strict=True):
            self.assertTrue(block.startswith(f"{cell.id}:"))
            self.assertIn(f"F{60 * cell.setting.speed_mm_s:.3f}".rstrip("0").rstrip("."), block)
            self.assertIn(f"S{cell.setting.power * 1000:.3f}".rstrip("0").rstrip("."), block)
            self.assertEqual(block.count("G1 X"), 4 * cell.setting.passes)

    def test_a_raster_has_every_line_and_runs_up_with_the_beam_off(self):
        trial = engrave_trial(pitch_mm=(0.5,), power=(0.4,), speed_mm_s=(100.0,))
        block = write_gcode(trial).split("(cell ")[1]
        burnt = [line for line in block.splitlines() if line.startswith("G1") and not line.endswith(" S0")]
        self.assertEqual(len(burnt), int(trial.cells[0].rect_mm[3] / 0.5) + 1)

    def test_rest_and_focus_steps_are_written(self):
        self.assertEqual(write_gcode(cut_trial(rest_s=2.5)).count("G4 P2.5"), 23)
        self.assertIn("G0 Z-2", write_gcode(cut_trial(focus_mm=(0.0, 2.0))))
        self.assertNotIn("Z", "".join(line for line in write_gcode(cut_trial()).splitlines() if not line.startswith("(")))


class DialectTest(unittest.TestCase):
    def test_inches_air_words_and_own_lines(self):
        machine = replace(LONG, file_units="inch", air_words=("M9", "M7", "M7"), header=("G54",), footer=("G4 P1",))
        trial = cut_trial(machine)
        text = write_gcode(trial)
        self.assertIn("G17 G20 G90 G94", text)
        self.assertIn("\nG54\n", text)
        self.assertNotIn("M8", text)
        self.assertIn(f"F{60 * trial.in_order[0].setting.speed_mm_s / 25.4:.5f}".rstrip("0"), text)
        self.assertEqual(check_gcode(text, limits_of(trial)).findings, ())

    def test_a_header_that_is_unsafe_does_not_pass(self):
        trial = cut_trial(replace(LONG, header=("M3 S500",)))
        self.assertIn("beam-before-motion", codes(write_gcode(trial), limits_of(trial)))


class CheckerTest(unittest.TestCase):
    """Files that we did not write, with one planted fault each."""

    def test_a_plain_square_is_safe(self):
        self.assertEqual(codes(SQUARE), [])

    def test_beam_on_in_rapid(self):
        planted = SQUARE.replace("M5 S0\nG0 X0 Y0", "G0 X0 Y0\nM5 S0")
        self.assertEqual(codes(planted), ["beam-in-rapid"])

    def test_move_off_the_bed(self):
        self.assertEqual(codes(SQUARE.replace("X20 Y20", "X420 Y20")), ["off-bed"])
        self.assertIn("off-bed", codes(SQUARE.replace("G0 X0 Y0", "G0 X-5 Y0")))

    def test_move_off_the_coupon(self):
        inside = replace(LIMITS, area_mm=(0, 0, 30, 30))
        self.assertEqual(codes(SQUARE, inside), [])
        self.assertEqual(codes(SQUARE.replace("X20 Y20", "X35 Y20"), inside), ["off-coupon"])

    def test_over_power_and_over_speed(self):
        self.assertEqual(codes(SQUARE.replace("S500", "S1200")), ["over-power"])
        self.assertEqual(codes(SQUARE.replace("F600", "F60000")), ["over-speed"])
        self.assertEqual(codes(SQUARE.replace("S500", "S-5")), ["over-power"])

    def test_missing_final_m5(self):
        self.assertEqual(codes(SQUARE.replace("M5 S0\nG0 X0 Y0\n", "")), ["beam-left-on"])

    def test_units_and_distance_mode_must_come_first(self):
        self.assertEqual(codes(SQUARE.replace("G17 G21 G90 G94\n", "")), ["modes-missing"])

    def test_inches_and_relative_moves_are_followed(self):
        text = "G20 G91\nM5 S0\nG0 X0.5 Y0.5\nM3 S0\nF20\nG1 X1 S500\nM5\nM2\n"
        self.assertEqual([f.code for f in check_gcode(text, LIMITS).findings], ["lost-place", "lost-place"])
        absolute = "G20 G90\nM5 S0\nG0 X0.5 Y0.5\nM3 S0\nF20\nG1 X20 S500\nM5\nM2\n"
        self.assertEqual(codes(absolute), ["off-bed"])  # 20 inches are 508 mm

    def test_beam_before_the_first_move_and_at_a_standstill(self):
        self.assertEqual(codes(HEAD + "M3 S500\nF600\nG1 X5 Y5\nM5\nM2\n"), ["beam-before-motion"])
        self.assertIn("beam-at-rest", codes(SQUARE.replace("G1 X20 Y20\n", "G1 X20 Y20\nG4 P2\n")))

    def test_arcs_are_followed_to_their_farthest_point(self):
        arc = HEAD + "G0 X390 Y100\nM3 S0\nF600\nG3 X390 Y120 I0 J10 S300\nM5\nM2\n"
        self.assertEqual(codes(arc), [])
        self.assertEqual(codes(arc.replace("Y120 I0 J10", "Y140 I0 J20")), ["off-bed"])
        self.assertIn("arc-not-followed", codes(arc.replace("I0 J10", "R10")))

    def test_clamps_are_kept_clear_of(self):
        clamped = replace(LIMITS, clamps_mm=((12, 5, 4, 10),))
        self.assertIn("in-clamp", codes(SQUARE, clamped))
        self.assertEqual(codes(SQUARE, replace(LIMITS, clamps_mm=((30, 30, 4, 4),))), [])

    def test_words_that_are_not_understood(self):
        for line, code in (
            ("Q5", "unknown-word"),
            ("G38 X1", "unknown-word"),
            ("M98", "unknown-word"),
            ("G1 X", "not-understood"),
            ("hello there", "not-understood"),
            ("G1 X1 X2", "word-twice"),
            ("G0 G1 X1", "modes-clash"),
            ("G1 X" + "1" * 90, "long-line"),
        ):
            with self.subTest(line):
                self.assertIn(code, codes(SQUARE.replace("M5 S0\nG0 X0", line + "\nM5 S0\nG0 X0")))

    def test_feed_without_speed_and_programs_without_end_or_motion(self):
        self.assertIn("no-feed", codes(SQUARE.replace("F600\n", "")))
        self.assertIn("no-end", codes(SQUARE.replace("M2\n", "")))
        self.assertIn("no-motion", codes(HEAD + "M2\n"))
        self.assertIn("after-end", codes(SQUARE + "G0 X1\n"))

    def test_each_finding_names_its_line(self):
        finding = check_gcode(SQUARE.replace("S500", "S1200"), LIMITS).findings[0]
        self.assertEqual(finding.where, "line 6")
        self.assertEqual(finding.text, "Line 6 asks for S1200; this machine takes 0 to 1000.")

    def test_garbage_never_raises(self):
        for text in ("", "\x00\x01", "%\n%", "G" * 500, "((((", "G0 X1e9", "G99999999999 X1", "\n" * 50):
            with self.subTest(text[:12]):
                self.assertFalse(check_gcode(text, LIMITS).safe)


class RandomTrialsTest(unittest.TestCase):
    def test_two_hundred_random_grids_pass_the_checker(self):
        import random

        draw = random.Random(7)
        for number in range(200):
            machine = draw.choice((NORTH, LONG, MARKER))
            task = "engrave" if machine is MARKER else draw.choice(("cut", "engrave"))
            stock = BIRCH if machine is not MARKER else replace(BIRCH, family="coated_metal", name="Hive plate")
            speeds = tuple(sorted(draw.uniform(1, 60) for _ in range(draw.randint(1, 5))))
            powers = tuple(sorted(draw.uniform(0.05, 1) for _ in range(draw.randint(1, 4))))
            choices = small_choices(
                speed_mm_s=speeds,
                power=powers,
                cell_mm=draw.uniform(2, 12),
                gap_mm=draw.uniform(1, 5),
                pitch_mm=(draw.uniform(0.2, 0.6),),
                passes=(draw.randint(1, 4),),
                place=(draw.uniform(0, 5), draw.uniform(0, 5)),
            )
            trial = plan_grid(machine, stock, task, choices, permission=ALLOWED, trial_id="t", name="Coupon", made=DAY).trial
            with self.subTest(number=number):
                self.assertEqual(check_gcode(write_gcode(trial), limits_of(trial)).findings, ())
