"""Repeats: places at a pitch, load after load, on a jig that may lie askew; the board's drawing."""

import math
import tempfile
import unittest
from pathlib import Path

import numpy as np
import shapely

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.quoting.jig import pocket_rings
from olive_almanac.core.quoting.job_plan import Layout, plan_job
from olive_almanac.core.quoting.lie import Lie, Touched
from olive_almanac.core.quoting.pattern import pattern_of
from olive_almanac.core.records.jig import Jig
from olive_almanac.core.records.stock import Sheet
from olive_almanac.formats.drawing_in import read_drawing
from olive_almanac.formats.gcode_check import check_gcode
from olive_almanac.steps.job_jig import done_words, jig_of, jig_texts, write_jig
from olive_almanac.steps.job_work import limits_of_run
from tests.core.quoting.test_job_plan import LONG, TASKS, drawing, program

TAG = Jig(4, 3, (44.0, 34.0), (60.0, 40.0))


class JigTest(unittest.TestCase):
    def plan(self, copies=12, jig=TAG, **more):
        loads = -(-copies // jig.places)
        sheets = (Sheet(*jig.size_mm),) * loads
        layout = Layout(copies, 0.0, sheets, jig=jig, **more)
        return plan_job(pattern_of(drawing(), TASKS, LONG), LONG, layout)

    def test_each_copy_lies_in_the_middle_of_its_blank_at_the_pitch(self):
        (run,) = self.plan().runs
        boxes = np.array(run.used_mm)
        steps = np.unique(np.round(boxes[:, 0] - boxes[0, 0], 3))
        np.testing.assert_allclose(steps, [0, 60, 120, 180])
        np.testing.assert_allclose(np.unique(np.round(boxes[:, 1], 3)) - boxes[0, 1], [0, 40, 80])
        pattern = pattern_of(drawing(), TASKS, LONG)
        middle = np.array(pattern.box_mm).reshape(2, 2).mean(axis=0) - pattern.reach_mm[:2]
        np.testing.assert_allclose(
            boxes[0, :2] + middle, np.add(TAG.corners_mm()[0], (22, 17)), atol=1e-3
        )

    def test_a_jig_larger_than_the_bed_is_told_wherever_the_head_stands(self):
        wide = Jig(5, 1, (300.0, 50.0), (310.0, 0.0))
        plan = self.plan(5, wide, lie=Lie(anchor="centre"))
        self.assertRegex(" ".join(plan.remarks), r"sheet 1 burns is [\d.]+ mm larger than the bed")
        small = self.plan(lie=Lie(anchor="centre"))
        self.assertNotIn("larger than the bed", " ".join(small.remarks))

    def test_a_jig_that_lies_askew_takes_its_last_place_along(self):
        # measured by hand: 4 x 3 at 60 x 40 mm and 0.2 degrees, the last place off by
        # (-0.280, 0.628) mm from where it would be
        turn = math.radians(0.2)
        way = (200 + 180 * math.cos(turn), 100 + 180 * math.sin(turn))
        left, low, _, _ = pattern_of(drawing(), TASKS, LONG).box_mm
        row = ((left, low), (left + 180, low))
        (run,) = self.plan(touched=Touched(((200.0, 100.0), way), row)).runs
        first, last = (np.array(run.ground.on_bed(run.used_mm[n][:2])) for n in (0, -1))
        np.testing.assert_allclose(last - first - [180, 80], [-0.280, 0.628], atol=0.001)

    def test_forty_copies_are_four_loads_and_each_file_is_safe(self):
        plan = self.plan(copies=40)
        self.assertEqual([len(run.placed) for run in plan.runs], [12, 12, 12, 4])
        self.assertEqual((plan.copies, plan.without_room), (40, 0))
        for run in plan.runs[2:]:
            limits = limits_of_run(run, Sheet(*TAG.size_mm))
            self.assertTrue(check_gcode(program(run), limits).safe)
        steps = len(plan.runs[0].steps) // 12
        self.assertEqual(done_words(plan, {0: 12 * steps, 1: 5 * steps + 1}), "17 of 40")

    def test_a_drawing_larger_than_its_blank_is_told(self):
        plan = self.plan(jig=Jig(1, 1, (36.0, 34.0), (0.0, 0.0)))
        self.assertIn("mm larger than the blank", plan.remarks[0])

    def test_pockets_hold_the_blank_with_its_clearance_and_a_finger(self):
        *pockets, board = pocket_rings(Jig(2, 1, (24.0, 42.0), (40.0, 0.0), 0.3, 6.0))
        first, second = (shapely.Polygon(ring) for ring in pockets)
        x, y = 8.3, 8.3
        blank = shapely.box(x, y, x + 24, y + 42)
        self.assertAlmostEqual(first.exterior.distance(blank), 0.3, 3)
        self.assertTrue(first.contains(blank))
        self.assertGreater(first.area, 24.6 * 42.6 + 20)
        self.assertGreater(first.distance(second), 1.0)
        self.assertTrue(shapely.Polygon(board).buffer(-0.9).contains(second))

    def test_a_rim_carries_a_blank_whose_ring_hangs_free(self):
        pocket, _ = pocket_rings(Jig(1, 1, (50.0, 30.0), (0.0, 0.0), -3.0, 0.0))
        self.assertAlmostEqual(shapely.Polygon(pocket).area, 44 * 24)

    def test_a_pitch_in_which_blanks_meet_is_refused(self):
        for pitch in ((44.0, 40.0), (60.0, 34.5), (float("nan"), 40.0)):
            with self.assertRaises(OutOfRange):
                Jig(4, 3, (44.0, 34.0), pitch)

    def test_what_is_typed_comes_back_and_the_board_is_read_to_the_millimetre(self):
        self.assertEqual(jig_of(jig_texts(TAG, (0.0, 0.0))), TAG)
        with self.assertRaisesRegex(OutOfRange, "Columns"):
            jig_of({**jig_texts(TAG, (0.0, 0.0)), "columns": "2.5"})
        with tempfile.TemporaryDirectory() as scratch:
            path = write_jig(TAG, Path(scratch), "tide/dial")
            self.assertEqual(path.name, "jig-tide-dial.svg")
            read = read_drawing(path.read_bytes(), path.name)
        self.assertEqual(len(read.paths), 13)
        np.testing.assert_allclose(read.size_mm, TAG.size_mm, atol=1e-3)
