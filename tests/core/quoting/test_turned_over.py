"""Both sides of a sheet: mirrored behind each other, laid by pins, clear of what holds it."""

import math
import re
import unittest
from dataclasses import replace

import numpy as np

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.motion.program import Strokes, over_point
from olive_almanac.core.quoting.job_plan import Layout, plan_job
from olive_almanac.core.quoting.lie import Lie, Touched
from olive_almanac.core.quoting.pattern import pattern_of
from olive_almanac.core.quoting.turned_over import far_error_mm, order_of_sides, side_error
from olive_almanac.core.records.jig import Jig
from olive_almanac.core.records.job import Job
from olive_almanac.core.records.sides import TwoSides
from olive_almanac.core.records.stock import Sheet
from olive_almanac.formats.drawing_in import read_drawing
from olive_almanac.formats.gcode_check import check_gcode
from olive_almanac.formats.job_files import JobPaper, job_layers, job_svg
from olive_almanac.steps.job_sides import sides_from, two_sided
from olive_almanac.steps.job_work import limits_of_run
from tests.core.quoting.test_job_plan import BLACK, BLUE, LONG, RED, TASKS, drawing, program
from tests.samples import BIRCH

SHEET = Sheet(300, 200, (), ((0, 60, 14, 90),))
BACK = tuple(replace(task, side="back") if task.group == BLACK else task for task in TASKS)
PINS = TwoSides()


class TurnedOverTest(unittest.TestCase):
    def plan(self, tasks=BACK, sides=PINS, copies=3, **more):
        layout = Layout(copies, sheets=(SHEET,), sides=sides, tasks=tasks, **more)
        return plan_job(pattern_of(drawing(), tasks, LONG), LONG, layout)

    def safe(self, run):
        return check_gcode(program(run), limits_of_run(run, SHEET)).safe

    def test_what_cuts_comes_last(self):
        self.assertEqual(order_of_sides(BACK), ("back", "front"))
        turned = tuple(replace(one, side="front" if one.side == "back" else "back") for one in BACK)
        self.assertEqual(order_of_sides(turned), ("front", "back"))
        self.assertEqual(order_of_sides(TASKS), ("front",))
        both = tuple(replace(one, side="both") for one in TASKS)
        self.assertIn("falls out before", " ".join(self.plan(both).remarks))

    def test_the_back_lies_mirrored_behind_its_place(self):
        for about, length in (("y", 300.0), ("x", 200.0)):
            with self.subTest(about):
                plan = self.plan(sides=TwoSides(about))
                self.assertEqual(
                    [(r.side, r.again) for r in plan.runs], [("back", False), ("front", True)]
                )
                self.assertEqual((plan.copies, len(plan.placed)), (3, 3))
                back = plan.runs[0]
                self.assertEqual(back.groups, {BLACK})
                words = re.findall(r"X([-\d.]+) Y([-\d.]+) S[1-9]", program(back))
                burnt = np.array(words, float)
                left, low, right, high = back.used_mm[0]
                if about == "y":
                    left, right = length - right, length - left
                else:
                    low, high = length - high, length - low
                inside = (burnt > [left, low]).all(axis=1) & (burnt < [right, high]).all(axis=1)
                self.assertGreater(inside.sum(), 100)
                self.assertTrue(all(map(self.safe, plan.runs)))

    def test_pins_are_cut_first_and_stay_where_they_are_when_the_sheet_is_turned(self):
        back, front = self.plan().runs
        self.assertEqual((len(back.pins), front.pins), (2, ()))
        for pin in back.pins:
            ring = np.array(pin.paths[0])
            middle = (ring.max(axis=0) + ring.min(axis=0)) / 2
            self.assertAlmostEqual(middle[0], 150.0, 3)
            np.testing.assert_allclose(np.ptp(ring, axis=0), [3 - 0.2, 3 - 0.1], atol=2e-3)
        none = self.plan(sides=TwoSides(by="corner")).runs[0]
        self.assertEqual(none.pins, ())

    def test_copies_keep_clear_of_pins_and_of_clamps_on_both_sides(self):
        plan = self.plan(copies=30)
        boxes = np.array([box for run in plan.runs[:1] for box in run.used_mm])
        for x, y in ((150, 8), (150, 192), (7, 75), (293, 75)):
            inside = (boxes[:, :2] < (x, y)).all(axis=1) & (boxes[:, 2:] > (x, y)).all(axis=1)
            self.assertFalse(inside.any())
        self.assertTrue(all(map(self.safe, plan.runs)))

    def test_what_is_done_before_it_is_turned_is_told(self):
        plan = self.plan(sides=sides_from("y", "pins", "3", "fill with paint. "))
        self.assertIn("Before it is turned over: fill with paint.", plan.remarks)

    def test_pins_give_way_to_clamps_and_where_none_fit_it_is_told(self):
        sides = TwoSides("x")
        (left, _) = self.plan(sides=sides).runs[0].pins
        self.assertGreater(np.array(left.paths[0])[:, 0].min(), 24)
        narrow = Sheet(300, 30)
        layout = Layout(1, sheets=(narrow,), sides=TwoSides(), tasks=BACK)
        with self.assertRaisesRegex(OutOfRange, "by a corner"):
            plan_job(pattern_of(drawing(), BACK, LONG), LONG, layout)

    def test_the_head_may_stand_at_a_corner_of_the_sheet_as_it_lies(self):
        back = self.plan(lie=Lie(anchor="lower left")).runs[0]
        places = np.array(re.findall(r"X([-\d.]+) Y([-\d.]+)", program(back)), float)
        self.assertGreaterEqual(places.min(), -0.002)
        self.assertTrue(self.safe(back))

    def test_where_the_sheet_is_not_known_it_is_told(self):
        for more in ({"touched": Touched(((0, 0), (300, 0)))}, {"sheets": ()}):
            layout = {"copies": 1, "sheets": (SHEET,), "sides": TwoSides(), "tasks": BACK} | more
            with self.assertRaisesRegex(OutOfRange, "sheet of known size"):
                plan_job(pattern_of(drawing(), BACK, LONG), LONG, Layout(**layout))

    def test_the_error_of_the_far_corner(self):
        # simulated .0848 for pins and holes off by .05 and .03, 200 mm apart, 280 mm from the first
        self.assertAlmostEqual(side_error(200, 280)[0], 0.0848, delta=0.0002)
        self.assertAlmostEqual(side_error(200, 0)[0], math.hypot(0.05, 0.03))
        near = far_error_mm(TwoSides(), SHEET, [(140, 90, 160, 110)])
        far = far_error_mm(TwoSides(), SHEET, [(2, 2, 298, 198)])
        corner = far_error_mm(TwoSides(by="corner"), SHEET, [(2, 2, 298, 198)])
        self.assertLess(near, far)
        self.assertAlmostEqual(near, 0.0583, delta=0.004)
        self.assertGreater(corner, 0.9 * far)

    def test_the_file_of_the_back_holds_the_pins_and_what_is_burnt_there(self):
        plan = self.plan(copies=1)
        job = Job("j", "plate", "2026-01-01", LONG.uid, BIRCH.uid, "7", "p.svg", "", "", BACK)
        paper = JobPaper(two_sided(job, TwoSides(), {BLACK: "back"}), LONG, BIRCH, plan)
        back, front = (
            read_drawing(job_svg(paper, run, job_layers(paper, run)).encode(), "s.svg")
            for run in plan.runs
        )
        closed = [path for path in back.paths if path.closed and not path.filled]
        self.assertEqual((len(closed), len([p for p in back.paths if p.filled]) > 0), (2, True))
        self.assertEqual(len([path for path in front.paths if path.closed]), 2)
        self.assertIn(BLUE, {task.group for task in TASKS})
        self.assertIn(RED, {group for _, group in plan.runs[1].steps})


class TurnedInPocketsTest(unittest.TestCase):
    """Blanks in a jig, each turned over in its own pocket: the jig itself stays."""

    BOTH = tuple(replace(one, side="both" if one.group == BLUE else one.side) for one in TASKS)

    def runs(self, about, copies=5, **more):
        pattern = pattern_of(drawing(), self.BOTH, LONG)
        wide, tall = (math.ceil(side) for side in pattern.size_mm)
        self.jig = Jig(3, 2, (wide, tall), (wide + 20.0, tall + 15.0))
        board = Sheet(*self.jig.size_mm)
        layout = Layout(
            copies, sheets=(board,), sides=TwoSides(about), tasks=self.BOTH, jig=self.jig, **more
        )
        self.plan = plan_job(pattern, LONG, layout)
        return self.plan.runs

    def burnt(self, run):
        """Where the group that is on both sides is burnt on the bed, by pockets: [n, 2] from the
        middle of each.
        """
        places = {}
        for step, group in run.steps:
            if group != BLUE:
                continue
            for path in step.paths:
                for point in np.array(path) + step.at_mm:
                    x, y = point if run.ground.over is None else over_point(run.ground.over, point)
                    for n, (left, low) in enumerate(self.jig.corners_mm()):
                        wide, tall = self.jig.blank_mm
                        if left - 1 <= x <= left + wide + 1 and low - 1 <= y <= low + tall + 1:
                            middle = (x - left - wide / 2, y - low - tall / 2)
                            places.setdefault(n, []).append(middle)
        return {n: np.array(points) for n, points in places.items()}

    def test_each_blank_has_its_back_in_its_own_pocket_mirrored(self):
        for about, mirror in (("y", (-1, 1)), ("x", (1, -1))):
            back, front = sorted(self.runs(about), key=lambda run: run.side)
            self.assertEqual((back.side, front.side), ("back", "front"))
            behind, before = self.burnt(back), self.burnt(front)
            with self.subTest(about):
                self.assertEqual(sorted(behind), [0, 1, 2, 3, 4])
                for n in before:
                    np.testing.assert_allclose(behind[n], before[n] * mirror, atol=0.01)
                self.assertEqual((back.pins, front.pins), ((), ()))
                told = " ".join(self.plan.remarks)
                self.assertIn("in its own pocket", told)
                self.assertIn("up to 0.2 mm", told)

    def test_what_is_different_on_each_copy_stays_with_its_blank(self):
        setting = next(task.setting for task in self.BOTH if task.group == BLUE)
        left, low, right, high = pattern_of(drawing(), self.BOTH, LONG).box_mm
        middle = ((left + right) / 2, (low + high) / 2)
        line = Strokes("name", ((middle, (middle[0] + 1, middle[1])),), setting)
        names = tuple(((line, BLUE),) if n == 3 else () for n in range(5))
        back, front = sorted(self.runs("y", names=names), key=lambda run: run.side)
        more = [
            {n for n, points in self.burnt(run).items() if len(points) > least}
            for run in (back, front)
            for least in [min(len(one) for one in self.burnt(run).values())]
        ]
        self.assertEqual(more, [{3}, {3}])

    def test_a_jig_that_was_touched_serves_both_sides(self):
        self.runs("y")
        along = self.jig.size_mm[0]
        for run in self.runs("y", touched=Touched(((20.0, 30.0), (20.0 + along, 30.0)))):
            np.testing.assert_allclose(run.ground.origin_mm, (20.0, 30.0), atol=0.01)
