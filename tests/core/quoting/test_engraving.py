"""Engraved areas of a job: along X or Y or crossed as the entry has them, and letters of a word in
one go where that takes less time.
"""

import itertools
import random
import re
import unittest
from dataclasses import replace

import numpy as np
import shapely

from bench.motion import integrate
from olive_almanac.core.motion.program import Lines, step_seconds
from olive_almanac.core.quoting.engraving import engraved_together
from olive_almanac.core.quoting.job_plan import Layout, plan_job, rooms_of
from olive_almanac.core.quoting.pattern import engraved_lines, pattern_of
from olive_almanac.core.quoting.place import items_of, nested, reach_of
from olive_almanac.core.records.job import GroupTask, PlacedCopy
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Sheet
from olive_almanac.formats.drawing_in import read_drawing
from olive_almanac.formats.gcode_check import check_gcode
from olive_almanac.formats.gcode_job import job_blocks, trace_blocks
from olive_almanac.steps.job_work import limits_of_run
from tests.samples import LONG
from tests.second_reader import faults_of

BLACK = "#000000"
ENGRAVE = Setting(0.3, 300.0, pitch_mm=0.1, direction="x")
SHEET = Sheet(300.0, 200.0)
STEM = '<path d="M40 30h20v8h-20z" fill="black"/>'  # 20 wide, 8 high: 160 mm2


def rectangle(left, low, wide, high):
    return np.array(
        [(left, low), (left + wide, low), (left + wide, low + high), (left, low + high)]
    )


def task_of(setting):
    return GroupTask(BLACK, "engrave", "", setting)


def steps_of(areas, setting=ENGRAVE):
    return list(engraved_lines(areas, task_of(setting), LONG))


def seconds_of(steps):
    return sum(step_seconds(step, LONG) for step in steps)


def runs_of(steps):
    """Burnt runs as segments of the bed, mm."""
    return [
        (step.place(a, across), step.place(b, across))
        for step in steps
        for across, runs in step.rows
        for a, b in runs
    ]


class DirectionTest(unittest.TestCase):
    def job(self, setting, copies=1):
        svg = (
            '<svg xmlns="http://www.w3.org/2000/svg" width="90mm" height="60mm" '
            f'viewBox="0 0 90 60">{STEM}</svg>'
        )
        drawing = read_drawing(svg.encode(), "stem.svg")
        pattern = pattern_of(drawing, (task_of(setting),), LONG)
        return plan_job(pattern, LONG, Layout(copies, sheets=(SHEET,)))

    def burnt(self, text):
        """The burnt lengths of a program along X and along Y, read word by word."""
        at, length = {"X": 0.0, "Y": 0.0}, {"X": 0.0, "Y": 0.0}
        power = 0.0
        for line in text.splitlines():
            words = dict(re.findall(r"([A-Z])(-?[\d.]+)", line.split("(")[0]))
            power = float(words.get("S", power))
            for axis in "XY":
                if axis in words:
                    if power and words.get("G") == "1":
                        length[axis] += abs(float(words[axis]) - at[axis])
                    at[axis] = float(words[axis])
        return length

    def test_a_job_is_engraved_along_the_direction_of_its_entry(self):
        lines = {"x": 80, "y": 200}  # of 0.1 mm, up to one more
        for way, crossed, wanted in (
            ("x", False, {"X": 80 * 20, "Y": 0}),
            ("y", False, {"X": 0, "Y": 200 * 8}),
            ("x", True, {"X": 80 * 20, "Y": 200 * 8}),
            ("y", True, {"X": 80 * 20, "Y": 200 * 8}),
        ):
            setting = replace(ENGRAVE, direction=way, crosshatch=crossed)
            plan = self.job(setting, copies=2)
            (run,) = plan.runs
            text = b"".join(job_blocks(run, {BLACK: setting}, "job")).decode()
            with self.subTest(way=way, crossed=crossed):
                burnt = self.burnt(text)
                self.assertAlmostEqual(burnt["X"], 2 * wanted["X"], delta=2 * 20)
                self.assertAlmostEqual(burnt["Y"], 2 * wanted["Y"], delta=2 * 8)
                first = next(step for step, _ in plan.pattern.steps)
                self.assertAlmostEqual(len(first.rows), lines[way], delta=1)
                limits = limits_of_run(run, SHEET)
                self.assertTrue(check_gcode(text, limits).safe)
                self.assertEqual(faults_of(text, limits), [])
                counted = integrate(text, run.ground.area[:2], LONG)
                self.assertAlmostEqual(run.seconds, counted, delta=0.005 * run.seconds)

    def test_its_run_ups_lie_along_the_lines_and_belong_to_its_reach(self):
        for way in ("x", "y"):
            pattern = self.job(replace(ENGRAVE, direction=way)).pattern
            (step, _), *_ = pattern.steps
            along, across = (0, 1) if way == "x" else (1, 0)
            reach, box = np.array(pattern.reach_mm), np.array(pattern.box_mm)
            self.assertAlmostEqual(box[along] - reach[along], step.run_up_mm)
            self.assertAlmostEqual(reach[along + 2] - box[along + 2], step.run_up_mm)
            self.assertAlmostEqual(reach[across], box[across])
            self.assertAlmostEqual(pattern.shape.area, 160.0, 0)
            self.assertAlmostEqual(pattern.sweep.area, np.ptp(reach[::2]) * np.ptp(reach[1::2]), 0)

    def test_a_trace_goes_around_what_is_engraved_along_y(self):
        setting = replace(ENGRAVE, direction="y")
        (run,) = self.job(setting).runs
        text = b"".join(trace_blocks(run, "trace")).decode()
        xs = {float(x) for x in re.findall(r"X(-?[\d.]+)", text)}
        left, _, right, _ = run.ground.area
        self.assertAlmostEqual(right - left, 20.0, delta=0.1)  # no run-up across the lines
        self.assertLessEqual({left, right}, xs)


class RoomTest(unittest.TestCase):
    """Run-ups go over neighbours, but stay on the bed and clear of clamps."""

    PLATE = (
        GroupTask("#ff0000", "cut", "", Setting(0.9, 12.0), (0.2, 0.2)),
        task_of(replace(ENGRAVE, speed_mm_s=500.0)),
    )

    def pattern(self, inside):
        svg = (
            '<svg xmlns="http://www.w3.org/2000/svg" width="90mm" height="60mm" fill="none" '
            f'viewBox="0 0 90 60">{inside}</svg>'
        )
        return pattern_of(read_drawing(svg.encode(), "tag.svg"), self.PLATE, LONG)

    def tag(self):
        """30 x 20 mm with its lines from edge to edge: run-ups of 20.8 mm reach beyond it."""
        return self.pattern(
            '<path d="M5 5h30v20h-30z" stroke="red"/><path d="M6 10h28v8h-28z" fill="black"/>'
        )

    def checked(self, plan, sheet):
        """The runs of a plan, each program found safe by two readers."""
        for run in plan.runs:
            text = b"".join(job_blocks(run, {t.group: t.setting for t in self.PLATE}, "j")).decode()
            limits = limits_of_run(run, sheet)
            self.assertEqual(check_gcode(text, limits).findings, ())
            self.assertEqual(faults_of(text, limits), [])
        return plan.runs

    def test_copies_lie_as_near_as_their_gap(self):
        sheet = Sheet(300.0, 200.0)
        plan = plan_job(self.tag(), LONG, Layout(6, gap_mm=3.0, sheets=(sheet,)))
        (run,) = self.checked(plan, sheet)
        boxes = sorted(run.used_mm)
        self.assertAlmostEqual(boxes[0][2] - boxes[0][0], 30.2, 3)  # with the kerf
        low = [box for box in boxes if box[1] == boxes[0][1]]
        for left, right in itertools.pairwise(low):
            self.assertAlmostEqual(right[0] - left[2], 3.0, 2)
        beyond = self.tag().beyond_mm[0]
        self.assertGreater(beyond, 19.0)
        self.assertGreaterEqual(min(box[0] for box in boxes), beyond - 1e-6)  # of the bed's edge
        self.assertAlmostEqual(run.ground.area[0], min(box[0] for box in boxes) - beyond, 2)

    def test_a_run_up_keeps_off_a_clamp_and_crosses_a_used_area(self):
        clamp, used = (150.0, 0.0, 160.0, 30.0), (60.0, 28.0, 90.0, 199.0)
        sheet = Sheet(300.0, 200.0, used_mm=(used,), clamps_mm=(clamp,))
        plan = plan_job(self.tag(), LONG, Layout(8, gap_mm=3.0, sheets=(sheet,)))
        (run,) = self.checked(plan, sheet)
        keep = LONG.head_clearance_mm
        for copy, box in zip(run.placed, run.used_mm, strict=True):
            reach = reach_of(plan.pattern, copy)
            grown = shapely.box(*clamp).buffer(keep, join_style="mitre")
            self.assertEqual(shapely.box(*reach).intersection(grown).area, 0.0)
            self.assertEqual(shapely.box(*box).intersection(shapely.box(*used)).area, 0.0)
        crossed = [reach_of(plan.pattern, copy) for copy in run.placed]
        self.assertTrue(any(shapely.box(*one).intersects(shapely.box(*used)) for one in crossed))

    def test_by_outlines_a_piece_around_a_clamp_keeps_its_run_ups_off_it(self):
        ell = self.pattern(
            '<path d="M5 5h60v15h-45v30h-15z" stroke="red"/>'
            '<path d="M6 22h13v20h-13z" fill="black"/>'
        )
        clamp = (90.0, 60.0, 110.0, 80.0)
        sheet = Sheet(200.0, 160.0, clamps_mm=(clamp,))
        layout = Layout(6, gap_mm=2.0, sheets=(sheet,))
        items = items_of((ell,), 6, keeps_grain=False, apart=False)
        *_, placed = nested(items, rooms_of(layout, LONG, (ell,), by_outline=True), gap_mm=2.0)
        self.assertGreater(len(placed), 2)
        plan = plan_job(ell, LONG, replace(layout, placed=placed))
        self.assertNotIn("clamp", " ".join(plan.remarks))
        self.checked(plan, sheet)

    def test_a_copy_laid_so_that_its_run_up_meets_a_clamp_is_told(self):
        tag, sheet = self.tag(), Sheet(300.0, 200.0, clamps_mm=((150.0, 40.0, 160.0, 60.0),))
        near, far = (PlacedCopy(0, x, 40.0) for x in (75.0, 20.0))
        for copy, told in ((near, True), (far, False)):
            layout = Layout(1, sheets=(sheet,), placed=(copy,))
            remarks = " ".join(plan_job(tag, LONG, layout).remarks)
            self.assertEqual("lies on a clamp" in remarks, told, copy)


class TogetherTest(unittest.TestCase):
    WORD = [rectangle(12.0 * n, 0.0, 8.0, 10.0) for n in range(6)]

    def test_letters_of_a_word_are_engraved_line_by_line(self):
        # a run-up of 300 mm/s at 2000 mm/s2 takes 0.3 s a line: six times that, or once
        (step,) = steps_of(self.WORD)
        alone = [step for letter in self.WORD for step in steps_of([letter])]
        self.assertLess(seconds_of([step]), 0.45 * seconds_of(alone))
        self.assertEqual(sorted(runs_of([step])), sorted(runs_of(alone)))

    def test_two_far_from_each_other_and_slow_lines_stay_apart(self):
        far = [rectangle(0.0, 0.0, 8.0, 10.0), rectangle(400.0, 0.0, 8.0, 10.0)]
        self.assertEqual(len(steps_of(far)), 2)
        above = [rectangle(0.0, 0.0, 8.0, 10.0), rectangle(0.0, 40.0, 8.0, 10.0)]
        self.assertEqual(len(steps_of(above)), 2)
        self.assertEqual(len(steps_of(self.WORD, replace(ENGRAVE, speed_mm_s=5.0))), 6)

    def test_it_never_takes_longer_than_each_alone_and_burns_the_same(self):
        for seed in range(20):
            draw = random.Random(seed)
            areas = [
                rectangle(20 * x + draw.uniform(0, 8), 15 * y + draw.uniform(0, 3), 9.0, 11.0)
                for x, y in itertools.product(range(8), range(6))
                if draw.random() < 0.6
            ]
            setting = replace(
                ENGRAVE,
                speed_mm_s=draw.choice((20.0, 80.0, 250.0, 500.0)),
                direction=draw.choice("xy"),
            )
            together = steps_of(areas, setting)
            alone = [step for area in areas for step in steps_of([area], setting)]
            with self.subTest(seed=seed):
                self.assertLessEqual(seconds_of(together), seconds_of(alone) * 1.001)
                burnt = [sum(np.ptp(run) for run in runs_of(steps)) for steps in (together, alone)]
                self.assertAlmostEqual(burnt[0], burnt[1], delta=0.02 * burnt[1])

    def test_a_hole_stays_a_hole_where_another_area_lies_around_the_corner(self):
        # an angle whose box holds the middle of the hole, though no box of it meets the ring
        bars = [rectangle(0.0, 0.0, 60.0, 2.0), rectangle(0.0, 1.0, 2.0, 60.0)]
        ring = [rectangle(50.0, 20.0, 40.0, 40.0), rectangle(52.0, 25.0, 6.0, 10.0)]
        for order in itertools.permutations([*bars, *ring]):
            steps = steps_of(list(order))
            burnt = sum(b[0] - a[0] for a, b in runs_of(steps)) * ENGRAVE.pitch_mm
            self.assertAlmostEqual(burnt, 60 * 2 + 59 * 2 + 1600 - 60, delta=16)

    def test_every_area_is_in_one_group(self):
        groups = engraved_together(self.WORD, ENGRAVE, LONG)
        self.assertEqual(sum(map(len, groups)), len(self.WORD))
        self.assertEqual(engraved_together([], ENGRAVE, LONG), [])

    def test_areas_that_meet_by_way_of_thousands_of_others_are_one(self):
        rng = np.random.default_rng(2)
        chain = [(0.9 * n, 0.0) for n in rng.permutation(1300)]  # each meets its neighbours
        far = [(0.9 * n, 9000.0 * n) for n in range(1, 4)]
        areas = [np.array(rectangle(x, y, 1.0, 1.0)) for x, y in (*chain, *far)]
        sizes = sorted(map(len, engraved_together(areas, ENGRAVE, LONG)))
        self.assertEqual(sizes, [1, 1, 1, 1300])

    def test_many_dots_of_a_row_are_one_raster(self):
        dots = [rectangle(2.0 * x, 5.0 * y, 1.0, 1.0) for x in range(40) for y in range(3)]
        steps = steps_of(dots)
        self.assertEqual(len(steps), 3)
        self.assertTrue(all(isinstance(step, Lines) for step in steps))
        for step in steps:
            self.assertEqual([len(runs) for _, runs in step.rows], [40] * 10 + [0])


if __name__ == "__main__":
    unittest.main()
