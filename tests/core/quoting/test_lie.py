"""Where a sheet lies on the bed: a stop, the head, two touched places; files checked as read."""

import math
import re
import unittest
from dataclasses import replace

import numpy as np

from bench.motion import integrate
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.quoting.lie import Lie, Touched, lie_by_touch
from olive_almanac.core.records.anchors import ANCHORS
from olive_almanac.core.records.stock import Sheet
from olive_almanac.formats.gcode_check import check_gcode
from olive_almanac.formats.gcode_job import centre_blocks, frame_blocks, trace_blocks
from olive_almanac.steps.job_work import limits_of_run
from tests.core.quoting import test_job_plan
from tests.core.quoting.test_job_plan import LONG, program

WORDS = re.compile(r"^G([01]) X([-\d.]+) Y([-\d.]+)", re.M)


def places(text):
    """Every place that a program goes to, with whether the beam may be on."""
    return np.array([(float(x), float(y), float(g)) for g, x, y in WORDS.findall(text)])


class TouchTest(unittest.TestCase):
    def test_a_sheet_turned_and_shifted_is_found_by_two_touches(self):
        turn, at = math.radians(7.5), np.array([40.0, 25.0])
        m = np.array([[math.cos(turn), -math.sin(turn)], [math.sin(turn), math.cos(turn)]])
        a, b = np.array([3.0, 4.0]), np.array([280.0, 11.0])
        lie, further = lie_by_touch((tuple(a), tuple(b)), (tuple(at + m @ a), tuple(at + m @ b)))
        self.assertAlmostEqual(lie.turn_rad, turn, 12)
        np.testing.assert_allclose(lie.at_mm, at, atol=1e-9)
        self.assertAlmostEqual(further, 0.0, 9)

    def test_it_may_lie_the_other_way_round(self):
        lie, _ = lie_by_touch(((0, 0), (100, 0)), ((200, 150), (100, 150)))
        self.assertAlmostEqual(abs(lie.turn_rad), math.pi)

    def test_a_wrong_touch_is_shared_and_told(self):
        lie, further = lie_by_touch(((0, 0), (100, 0)), ((10, 10), (113, 10)))
        self.assertAlmostEqual(further, 3.0)
        self.assertAlmostEqual(lie.at_mm[0], 11.5)

    def test_two_places_that_cannot_be_those_are_refused(self):
        with self.assertRaisesRegex(OutOfRange, "within 5 mm of the 100.0 mm"):
            lie_by_touch(((0, 0), (100, 0)), ((10, 10), (10, 116)))

    def test_places_too_near_each_other_tell_no_direction(self):
        with self.assertRaises(OutOfRange):
            lie_by_touch(((0, 0), (4, 0)), ((0, 0), (4, 0)))


class LieOfRunTest(unittest.TestCase):
    sheet = Sheet(200, 150, (), ((0, 60, 14, 90),))

    def run_of(self, **more):
        (run,) = self.plan(**more).runs
        return run

    def plan(self, **more):
        return test_job_plan.RunTest.plan(self, **({"copies": 4, "sheets": (self.sheet,)} | more))[
            0
        ]

    def safe(self, text, run):
        report = check_gcode(text, limits_of_run(run, self.sheet))
        return [finding.text for finding in report.findings]

    def test_a_touched_sheet_is_burnt_where_it_lies_and_takes_as_long(self):
        plain = self.run_of()
        turned = self.run_of(touched=Touched(((300.0, 200.0), (300.0, 400.0))))
        before, after = places(program(plain)), places(program(turned))
        np.testing.assert_allclose(after[:, 0], 300 - before[:, 1], atol=0.0011)
        np.testing.assert_allclose(after[:, 1], 200 + before[:, 0], atol=0.0011)
        self.assertEqual(self.safe(program(turned), turned), [])
        self.assertAlmostEqual(turned.seconds, plain.seconds)
        counted = integrate(program(turned), turned.ground.on_bed(turned.ground.home), LONG)
        self.assertAlmostEqual(turned.seconds, counted, delta=0.005 * counted)

    def test_a_skewed_sheet_keeps_clear_of_its_clamps(self):
        skewed = self.run_of(touched=Touched(((50.0, 40.0), (249.9, 46.0))))
        self.assertEqual(self.safe(program(skewed), skewed), [])
        self.assertEqual(self.safe(b"".join(frame_blocks(skewed)).decode(), skewed), [])

    def test_what_is_odd_about_a_lie_is_told(self):
        far = self.plan(touched=Touched(((0.0, 0.0), (197.0, 0.0))))
        self.assertIn("3.0 mm nearer to each other", " ".join(far.remarks))
        over = self.plan(touched=Touched(((0.0, 20.0), (0.0, 220.0))))
        self.assertIn("off the bed", " ".join(over.remarks))
        self.assertIn("goes to X", " ".join(self.safe(program(over.runs[0]), over.runs[0])))

    def test_places_of_the_drawing_are_those_of_its_first_copy(self):
        run = self.run_of(touched=Touched(((100.0, 100.0), (140.0, 100.0)), ((10, 10), (50, 10))))
        left, low = run.used_mm[0][:2]
        self.assertAlmostEqual(run.ground.on_bed((left, low))[0], 100.0, delta=1.5)
        self.assertAlmostEqual(run.ground.on_bed((left, low))[1], 100.0, delta=1.5)

    def test_a_stop_moves_all_of_it_and_takes_from_the_bed(self):
        before, after = self.run_of(), self.run_of(lie=Lie((30.0, 12.0)))
        moved = places(program(after))[:, :2] - places(program(before))[:, :2]
        np.testing.assert_allclose(moved, np.tile([30.0, 12.0], (len(moved), 1)), atol=1e-6)
        self.assertEqual(self.safe(program(after), after), [])
        none = self.plan(lie=Lie((LONG.bed_mm[0] - 20, 0.0)))
        self.assertEqual(none.runs, ())
        self.assertIn("find no room", none.remarks[-1])

    def test_the_head_may_stand_at_each_corner_edge_and_the_middle(self):
        for anchor, (x, y) in ANCHORS.items():
            with self.subTest(anchor):
                run = self.run_of(lie=Lie(anchor=anchor))
                text = program(run)
                left, low, right, high = run.ground.area
                reach = places(text)[:, :2]
                wide, tall = right - left, high - low
                self.assertGreaterEqual(reach[:, 0].min(), -x * wide - 0.002)
                self.assertLessEqual(reach[:, 1].max(), (1 - y) * tall + 0.002)
                self.assertEqual(self.safe(text, run), [])
                np.testing.assert_allclose(reach[-1], [0.0, 0.0], atol=1e-6)

    def test_the_head_goes_to_the_middle_and_stays_there(self):
        run = self.run_of()
        text = b"".join(centre_blocks(run)).decode()
        self.assertEqual(self.safe(text, run), [])
        left, low, right, high = run.ground.area
        np.testing.assert_allclose(
            places(text)[-1, :2], [(left + right) / 2, (low + high) / 2], atol=1e-3
        )

    def test_what_is_burnt_twice_is_traced_once(self):
        run = self.run_of()
        twice = replace(run, steps=tuple(step for step in run.steps for _ in range(2)))
        once, again = (b"".join(trace_blocks(one)) for one in (run, twice))
        self.assertEqual(again, once)

    def test_the_path_is_traced_with_the_beam_off(self):
        run = self.run_of()
        text = b"".join(trace_blocks(run)).decode()
        self.assertEqual(self.safe(text, run), [])
        self.assertNotRegex(text, r"M[34]\b|S[1-9]")
        traced = {tuple(at) for at in places(text)[:, :2]}
        cut = [step for step, group in run.steps if group == "#ff0000"]
        corners = {
            (round(x + step.at_mm[0], 3), round(y + step.at_mm[1], 3))
            for step in cut
            for x, y in step.paths[0]
        }
        self.assertLessEqual(corners, traced)
