"""In which order all copies of a sheet are burnt, and what is engraved of them in one go."""

import itertools
import math
import unittest
from dataclasses import replace

import numpy as np

from bench.motion import integrate
from olive_almanac.core.motion.program import Lines
from olive_almanac.core.quoting.job_plan import JobPlan, Layout, plan_job
from olive_almanac.core.quoting.pattern import pattern_of
from olive_almanac.core.quoting.sheet_order import in_order
from olive_almanac.core.records.jig import Jig
from olive_almanac.core.records.job import GroupTask
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Sheet
from olive_almanac.formats.drawing_in import read_drawing
from olive_almanac.formats.gcode_check import check_gcode
from olive_almanac.formats.gcode_job import job_blocks
from olive_almanac.steps.job_jig import done_words
from olive_almanac.steps.job_work import limits_of_run
from tests.core.quoting.test_engraving import ENGRAVE, SHEET, STEM, runs_of, task_of
from tests.samples import LONG
from tests.second_reader import faults_of


class SheetTest(unittest.TestCase):
    """All copies of one sheet are engraved and scored before the first of them is cut."""

    TASKS = (
        GroupTask("#ff0000", "cut", "", Setting(0.9, 12.0)),
        GroupTask("#0000ff", "score", "", Setting(0.2, 60.0)),
        task_of(ENGRAVE),
    )

    def order(self, copies=3, **layout):
        svg = (
            '<svg xmlns="http://www.w3.org/2000/svg" width="90mm" height="60mm" fill="none" '
            'viewBox="0 0 90 60"><path d="M5 5h50v40h-50z" stroke="red"/>'
            f'<path d="M10 10h20" stroke="blue"/>{STEM}</svg>'
        )
        pattern = pattern_of(read_drawing(svg.encode(), "tag.svg"), self.TASKS, LONG)
        (run,) = plan_job(pattern, LONG, Layout(copies, **layout)).runs
        task = {one.group: one.task for one in self.TASKS}
        return run, [task[group] for _, group in run.steps]

    def test_of_one_sheet_rank_by_rank_and_each_copy_in_its_place(self):
        run, order = self.order(sheets=(SHEET,))
        self.assertEqual(order, ["engrave"] * 3 + ["score"] * 3 + ["cut"] * 3)
        for task, at in (("engrave", 0), ("score", 3), ("cut", 6)):
            starts = {step.start for step, _ in run.steps[at : at + 3]}
            self.assertEqual(len(starts), 3, task)

    def test_the_nearest_copy_is_next(self):
        run, order = self.order(copies=12, sheets=(Sheet(300.0, 300.0),))
        self.assertEqual(len(order), 36)
        cuts = [step for (step, _), task in zip(run.steps, order, strict=True) if task == "cut"]
        ways = [math.dist(a.end, b.start) for a, b in itertools.pairwise(cuts)]
        # 50 x 40 mm and their run-ups in rows: from row to row it goes on at the same end
        self.assertLess(max(ways), 110.0)
        self.assertEqual(len({step.start for step in cuts}), 12)

    def test_a_copy_counts_as_burnt_when_nothing_of_it_is_left(self):
        run, order = self.order(copies=12, sheets=(Sheet(300.0, 300.0),))
        plan = JobPlan(None, (run,), 0)
        first_cut = order.index("cut")
        for burnt, told in ((1, 0), (first_cut, 0), (first_cut + 5, 5), (len(order), 12)):
            self.assertEqual(done_words(plan, {0: burnt}), f"{told} of 12", burnt)

    def test_blanks_of_a_jig_one_after_the_other(self):
        jig = Jig(3, 1, (80.0, 60.0), (85.0, 65.0))
        _, order = self.order(sheets=(Sheet(*jig.size_mm),), jig=jig)
        self.assertEqual(order, ["engrave", "score", "cut"] * 3)


def raster(left, rows=8, setting=ENGRAVE, low=0.0, wide=10.0, powers=False):
    """A raster as an area gives it, in one part a line."""
    lines = tuple((low + 0.1 * n, ((left, left + wide),)) for n in range(rows))
    told = tuple((0.1 + 0.001 * n,) for n in range(rows)) if powers else ()
    return Lines("g", lines, left, left + wide, setting, 7.5, told)


def by_place(rasters):
    """Every part that is burnt with its line and its power, whatever raster it is of."""
    parts = []
    for one in rasters:
        powers = one.powers or [[None] * len(runs) for _, runs in one.rows]
        for (at, runs), told in zip(one.rows, powers, strict=True):
            parts += [(round(at, 3), *part, watt) for part, watt in zip(runs, told, strict=True)]
    return sorted(parts)


def ordered(*rasters, clamps=()):
    return [step for step, _ in in_order([[(one, "g")] for one in rasters], {}, LONG, clamps)]


class JoinedTest(unittest.TestCase):
    def test_neighbours_in_a_row_are_one_raster_that_burns_the_same(self):
        alone = [raster(20.0), raster(0.0), raster(40.0)]
        (joined,) = ordered(*alone)
        self.assertEqual((joined.from_mm, joined.to_mm), (0.0, 50.0))
        self.assertEqual(sorted(runs_of([joined])), sorted(runs_of(alone)))
        for _, runs in joined.rows:
            self.assertEqual(list(runs), sorted(runs))

    def test_what_is_far_off_or_of_other_lines_or_settings_stays_apart(self):
        slow = replace(ENGRAVE, speed_mm_s=20.0)
        for other in (
            raster(100.0),  # 300 mm/s at 6000 mm/s2: worth 30 mm
            raster(20.0, low=0.05),
            raster(20.0, low=0.8),  # above it
            raster(20.0, rows=60),  # its many lines would all be run through the first one
            raster(20.0, setting=replace(ENGRAVE, power=0.4)),
            raster(5.0),  # laid onto the other by hand
        ):
            self.assertEqual(len(ordered(raster(0.0), other)), 2)
        self.assertEqual(len(ordered(raster(0.0, setting=slow), raster(20.0, setting=slow))), 2)

    def test_neighbours_of_other_heights_share_the_lines_they_have(self):
        for powers in (False, True):
            alone = [
                raster(0.0, powers=powers),
                raster(20.0, rows=12, low=-0.2, powers=powers),
                raster(40.0, rows=9, low=0.1, powers=powers),
            ]
            (joined,) = ordered(*alone)
            self.assertEqual(len(joined.rows), 12)
            lines = [round(at, 3) for at, _ in joined.rows]
            self.assertEqual(lines, [round(-0.2 + 0.1 * n, 3) for n in range(12)])
            self.assertEqual(by_place([joined]), by_place(alone))

    def test_a_clamp_that_only_the_longer_lines_would_meet_keeps_them_apart(self):
        pair = (raster(0.0), raster(20.0, rows=12))
        clamp = (-5.0, 0.9, -1.0, 3.0)  # beside and above the first, where the second has lines
        self.assertEqual(len(ordered(*pair, clamps=(clamp,))), 2)
        self.assertEqual(len(ordered(*pair)), 1)

    def test_a_clamp_in_between_keeps_them_apart(self):
        pair = (raster(0.0), raster(20.0))
        self.assertEqual(len(ordered(*pair, clamps=((12.0, -5.0, 18.0, 0.3),))), 2)
        self.assertEqual(len(ordered(*pair, clamps=((12.0, 5.0, 18.0, 9.0),))), 1)

    def test_along_y_neighbours_lie_above_each_other(self):
        pair = [replace(raster(at), along_y=True) for at in (0.0, 20.0)]
        (joined,) = ordered(*pair)
        self.assertEqual(joined.box_mm, (0.0, 0.0, 0.7000000000000001, 30.0))
        self.assertEqual(len(ordered(*pair, clamps=((-1.0, 12.0, 1.0, 15.0),))), 2)

    def test_powers_of_a_picture_go_with_their_parts(self):
        one, other = raster(0.0, powers=True), raster(20.0, powers=True)
        (joined,) = ordered(one, other)
        self.assertEqual(joined.powers[3], (one.powers[3][0],) * 2)
        self.assertEqual({len(row) for row in joined.powers}, {2})

    def test_long_rasters_come_in_stretches_that_follow_on_each_other(self):
        whole = raster(0.0, rows=250, powers=True)
        parts = ordered(whole)
        self.assertEqual([len(part.rows) for part in parts], [100, 100, 50])
        self.assertEqual(tuple(itertools.chain(*(part.rows for part in parts))), whole.rows)
        self.assertEqual(tuple(itertools.chain(*(part.powers for part in parts))), whole.powers)
        for a, b in itertools.pairwise(parts):
            self.assertLess(math.dist(a.end, b.start), 0.11)
        twice = raster(0.0, rows=250, setting=replace(ENGRAVE, passes=2))
        self.assertEqual(len(ordered(twice)), 1)  # its passes lie over each other as proven

    def test_a_sheet_of_tags_is_quicker_safe_and_burns_the_same(self):
        svg = (
            '<svg xmlns="http://www.w3.org/2000/svg" width="30mm" height="20mm" fill="none" '
            'viewBox="0 0 30 20"><path d="M1 1h25v15h-25z" stroke="red"/>'
            '<path d="M5 6h15v5h-15z" fill="black"/></svg>'
        )
        pattern = pattern_of(read_drawing(svg.encode(), "tag.svg"), SheetTest.TASKS, LONG)
        clamp = (70.0, 0.0, 80.0, 12.0)
        sheet = Sheet(300.0, 120.0, clamps_mm=(clamp,))
        for sheets in ((SHEET,), (sheet,)):
            layout = Layout(20, sheets=sheets)
            plan = plan_job(pattern, LONG, layout)
            (run,) = plan.runs
            one_by_one = [
                plan_job(pattern, LONG, replace(layout, copies=1, placed=(copy,))).runs[0]
                for copy in run.placed
            ]
            self.assertLess(run.seconds, 0.9 * sum(one.seconds for one in one_by_one))
            burnt = sum(np.ptp(part) for part in runs_of(_lines_of(run)))
            alone = sum(np.ptp(part) for one in one_by_one for part in runs_of(_lines_of(one)))
            self.assertAlmostEqual(burnt, alone, 3)
            said = {one.group: one.setting for one in SheetTest.TASKS}
            text = b"".join(job_blocks(run, said, "tags")).decode()
            limits = limits_of_run(run, sheets[0])
            self.assertEqual(check_gcode(text, limits).findings, ())
            self.assertEqual(faults_of(text, limits), [])
            counted = integrate(text, run.ground.area[:2], LONG)
            self.assertAlmostEqual(run.seconds, counted, delta=0.005 * run.seconds)


def _lines_of(run):
    return [step for step, _ in run.steps if isinstance(step, Lines)]


if __name__ == "__main__":
    unittest.main()
