"""A job as steps: kerf, passes, engraved areas, time by another reader, and the chance of all."""

import re
import unittest
from dataclasses import replace

import numpy as np
from scipy.special import log_ndtr

from bench.motion import integrate
from olive_almanac.core.deciding.cut_knowledge import know_cut
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.motion.program import Lines
from olive_almanac.core.quoting.job_plan import Layout, plan_job
from olive_almanac.core.quoting.pattern import Handling, parts_of, pattern_of
from olive_almanac.core.quoting.risk import (
    PARTICLES,
    EarlierJob,
    FirstCell,
    Rows,
    earlier_jobs,
    freed_by_passes,
    rows_of,
)
from olive_almanac.core.quoting.spend import JobPrice, offer_of, paces_of
from olive_almanac.core.records.job import GroupTask, JobOutcome, PlacedCopy
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Sheet
from olive_almanac.formats.drawing_in import read_drawing
from olive_almanac.formats.gcode_check import check_gcode
from olive_almanac.formats.gcode_job import job_blocks
from olive_almanac.steps.job_work import limits_of_run
from tests.samples import BIRCH, LONG, cut_trial, read_by_energy

RED, BLUE, BLACK = "#ff0000", "#0000ff", "#000000"
CUT = Setting(0.9, 12.5, 2, 1.0)
SCORE = Setting(0.2, 60.0)
ENGRAVE = Setting(0.3, 300.0, pitch_mm=0.1, direction="x")
TASKS = (
    GroupTask(RED, "cut", "", CUT, (0.2, 0.1)),
    GroupTask(BLUE, "score", "", SCORE),
    GroupTask(BLACK, "engrave", "", ENGRAVE),
)
PLATE = (
    '<rect x="10" y="10" width="40" height="30" stroke="red"/>'
    '<rect x="20" y="20" width="10" height="4" stroke="red"/>'
    '<path d="M12 35h30" stroke="blue"/>'
    '<path d="M35 12h10v10h-10zM38 15h4v4h-4z" fill="black"/>'
)


def drawing(inside=PLATE):
    text = (
        '<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="50mm" viewBox="0 0 60 50" '
        f'fill="none">{inside}</svg>'
    )
    return read_drawing(text.encode(), "plate.svg")


def program(run, tasks=TASKS):
    said = {task.group: task.setting for task in tasks}
    return b"".join(job_blocks(run, said, "job")).decode()


class PatternTest(unittest.TestCase):
    def test_an_area_without_width_burns_nothing_and_hides_no_other(self):
        for thin in ("M5 5h20h-9z", "M1 1v9v-4z"):
            inside = f'<path d="M35 12h10v10h-10z {thin}" fill="black"/>'
            ((lines, group),) = pattern_of(drawing(inside), TASKS, LONG).steps
            self.assertEqual(group, BLACK)
            self.assertEqual({run for _, runs in lines.rows for run in runs}, {(35.0, 45.0)})

    def test_an_area_of_a_far_too_large_drawing_is_refused_at_once(self):
        with self.assertRaisesRegex(OutOfRange, "Lines of what is engraved in black.*50000"):
            pattern_of(drawing('<path d="M0 0h9v9000000h-9z" fill="black"/>'), TASKS, LONG)

    def test_the_order_is_engrave_score_hole_outline_with_the_kerf_taken_off(self):
        pattern = pattern_of(drawing(), TASKS, LONG)
        self.assertEqual([group for _, group in pattern.steps], [BLACK, BLUE, RED, RED])
        hole, outline = (np.array(step.paths[0]) for step, group in pattern.steps if group == RED)
        np.testing.assert_allclose(np.ptp(hole, axis=0), [9.8, 3.9], atol=1e-6)
        np.testing.assert_allclose(np.ptp(outline, axis=0), [40.2, 30.1], atol=1e-6)
        self.assertAlmostEqual(pattern.cut_mm, 2 * (40 + 30) + 2 * (10 + 4))
        self.assertAlmostEqual(sum(pattern.pieces_mm), pattern.cut_mm)
        self.assertEqual(len(pattern.pieces_mm), 1)

    def test_each_cut_counts_for_the_innermost_piece_that_it_frees(self):
        frame, window, inner = (
            f'<rect x="{at}" y="{at}" width="{w}" height="{h}" stroke="red"/>'
            for at, w, h in ((10, 40, 30), (14, 10, 9), (16, 6, 5))
        )
        pieces_mm = pattern_of(drawing(frame + window + inner), TASKS, LONG).pieces_mm
        np.testing.assert_allclose(sorted(pieces_mm), [22, 140 + 38])

    def test_a_cut_goes_round_as_often_as_it_has_passes_and_a_little_on(self):
        pattern = pattern_of(drawing(), TASKS, LONG)
        outline = np.array(pattern.steps[-1][0].paths[0])
        burnt = np.hypot(*np.diff(outline, axis=0).T).sum()
        self.assertAlmostEqual(burnt, 2 * 2 * (40.2 + 30.1) + 0.2, 2)

    def test_an_area_in_an_area_stays_bare(self):
        pattern = pattern_of(drawing(), TASKS, LONG)
        lines = next(step for step, group in pattern.steps if group == BLACK)
        self.assertIsInstance(lines, Lines)
        burnt = sum(b - a for _, runs in lines.rows for a, b in runs) * ENGRAVE.pitch_mm
        self.assertAlmostEqual(burnt, 100 - 16, delta=1.5)

    def test_what_is_left_out_is_not_burnt_and_nothing_is_refused(self):
        only = (GroupTask(BLUE, "score", "", SCORE), GroupTask(RED))
        self.assertEqual({group for _, group in pattern_of(drawing(), only, LONG).steps}, {BLUE})
        with self.assertRaisesRegex(OutOfRange, "at least one group"):
            pattern_of(drawing(), (GroupTask(RED),), LONG)

    def test_an_unknown_kerf_and_a_vanished_hole_are_told(self):
        bare = tuple(replace(task, kerf_mm=None) for task in TASKS)
        self.assertIn("no kerf is known", pattern_of(drawing(), bare, LONG).remarks[0])
        slit = PLATE + '<rect x="40" y="30" width="0.1" height="3" stroke="red"/>'
        self.assertTrue(
            any("hole smaller" in words for words in pattern_of(drawing(slit), TASKS, LONG).remarks)
        )

    def test_each_of_two_parts_drawn_alike_is_told_with_its_own_place(self):
        fork = "M{} 5h20v16h-9.95v-10h-.1v10h-9.95z"
        inside = "".join(f'<path d="{fork.format(x)}" stroke="red"/>' for x in (5, 30))
        told = [w for w in pattern_of(drawing(inside), TASKS, LONG).remarks if "notch" in w]
        self.assertEqual(len(told), 2)
        (x0, y0), (x1, y1) = (map(float, re.findall(r"at ([\d.]+), ([\d.]+)", w)[0]) for w in told)
        self.assertAlmostEqual(x1 - x0, 25.0, 2)
        self.assertAlmostEqual(y0, y1, 2)


class HandlingTest(unittest.TestCase):
    """What the operator has a say in: lines burnt once, widths, pieces one by one."""

    NEIGHBOURS = (
        '<rect x="0" y="0" width="20" height="10" stroke="red"/>'
        '<rect x="20" y="0" width="15" height="10" stroke="red"/>'
    )

    def burnt_mm(self, inside, once):
        pattern = pattern_of(drawing(inside), TASKS, LONG, Handling(once=once))
        lines = [step.paths[0] for step, _ in pattern.steps]
        return pattern, sum(np.hypot(*np.diff(np.array(line), axis=0).T).sum() for line in lines)

    def test_an_edge_that_two_parts_share_is_burnt_once(self):
        one_pass = tuple(replace(t, setting=replace(t.setting, passes=1)) for t in TASKS)
        twice = pattern_of(drawing(self.NEIGHBOURS), one_pass, LONG)
        once = pattern_of(drawing(self.NEIGHBOURS), one_pass, LONG, Handling(once=True))
        length = {
            name: sum(
                np.hypot(*np.diff(np.array(step.paths[0]), axis=0).T).sum()
                for step, _ in pattern.steps
            )
            for name, pattern in (("twice", twice), ("once", once))
        }
        self.assertAlmostEqual(length["once"], 2 * (35 + 10) + 10, delta=0.5)
        self.assertGreater(length["twice"], 2 * (35 + 10) + 20)
        self.assertEqual(len(once.outlines), 2)
        self.assertIn("burnt once", " ".join(once.remarks))

    def test_a_line_drawn_twice_as_a_whole_is_burnt_once_with_its_kerf(self):
        doubled = 2 * '<rect x="0" y="0" width="20" height="10" stroke="red"/>'
        pattern, length = self.burnt_mm(doubled, once=True)
        self.assertEqual((len(pattern.steps), len(pattern.outlines)), (1, 1))
        self.assertAlmostEqual(length, 2 * 2 * (20.2 + 10.1) + 0.2, 2)

    def test_a_slot_and_a_notch_get_the_width_that_fits(self):
        comb = '<path d="M0 0h40v20h-18v-8h-3v8h-19z" stroke="red"/>'
        slot = '<rect x="5" y="4" width="10" height="3" stroke="red"/>'
        bare = (GroupTask(RED, "cut", "", CUT),)
        widths = {("slot", 3.0): 3.26, ("notch", 3.0): 3.2}
        handling = Handling(widths=widths, thickness_mm=3.0)
        pattern = pattern_of(drawing(comb + slot), bare, LONG, handling)
        (part,) = pattern.parts
        np.testing.assert_allclose(np.ptp(part.holes[0], axis=0), [10, 3.26], atol=1e-6)
        xs = sorted(set(np.round(part.outline[:, 0], 4)))
        self.assertAlmostEqual(xs[2] - xs[1], 3.2, 4)
        self.assertAlmostEqual(float(np.ptp(part.outline, axis=0)[0]), 40)
        plain = pattern_of(drawing(comb + slot), bare, LONG, Handling(thickness_mm=3.0))
        np.testing.assert_allclose(np.ptp(plain.parts[0].holes[0], axis=0), [10, 3])

    def test_pieces_come_one_by_one_each_with_what_lies_in_it(self):
        more = PLATE + '<rect x="0" y="0" width="8" height="8" stroke="red"/>'
        parts = parts_of(drawing(more), TASKS, LONG)
        self.assertEqual(len(parts), 2)
        whole = pattern_of(drawing(more), TASKS, LONG)
        self.assertAlmostEqual(sum(part.cut_mm for part in parts), whole.cut_mm)
        groups = [{group for _, group in part.steps} for part in parts]
        self.assertIn({RED}, groups)
        self.assertIn({RED, BLUE, BLACK}, groups)
        plan = plan_job(whole, LONG, Layout(3, sheets=(Sheet(300, 200),), parts=parts))
        self.assertEqual((plan.copies, len(plan.pieces_mm)), (6, 6))
        self.assertAlmostEqual(plan.cut_mm, 3 * whole.cut_mm)
        report = check_gcode(program(plan.runs[0]), limits_of_run(plan.runs[0], None))
        self.assertTrue(report.safe)


class RunTest(unittest.TestCase):
    def plan(self, **more):
        sheets = (Sheet(300, 200, ((5, 5, 100, 80),), ((0, 120, 14, 160),)), Sheet(200, 150))
        wish = {"copies": 12, "gap_mm": 3.0, "sheets": sheets} | more
        return plan_job(pattern_of(drawing(), TASKS, LONG), LONG, Layout(**wish)), sheets

    def test_every_file_passes_the_independent_checker(self):
        plan, sheets = self.plan(copies=40)
        self.assertEqual((plan.copies, plan.without_room), (40, 0))
        self.assertEqual(len(plan.runs), 2)
        for run in plan.runs:
            report = check_gcode(program(run), limits_of_run(run, sheets[run.sheet]))
            self.assertEqual([finding.text for finding in report.findings], [])
        narrow = replace(limits_of_run(run, sheets[run.sheet]), bed_mm=(50.0, 50.0))
        self.assertFalse(check_gcode(program(run), narrow).safe)

    def test_the_time_is_that_of_the_file(self):
        (run,) = self.plan(copies=3, sheets=(Sheet(300, 200),))[0].runs
        start = run.ground.area[:2]
        counted = integrate(program(run), start, LONG)
        self.assertAlmostEqual(run.seconds, counted, delta=0.005 * run.seconds)

    def test_places_chosen_by_hand_are_kept(self):
        places = (PlacedCopy(0, 150.0, 20.0), PlacedCopy(1, 30.0, 40.0))
        plan, _ = self.plan(placed=places, copies=2)
        self.assertEqual([run.placed for run in plan.runs], [(places[0],), (places[1],)])
        left, low = plan.runs[0].used_mm[0][:2]
        self.assertEqual((left, low), (150.0, 20.0))

    def test_what_finds_no_room_is_counted(self):
        plan, _ = self.plan(copies=200)
        self.assertGreater(plan.without_room, 100)
        self.assertIn(f"{plan.without_room} of 200", plan.remarks[-1])


class RiskTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        trial = cut_trial()
        pairs = [(trial, read_by_energy(trial, 2.6))]
        cls.known = know_cut(LONG, BIRCH, pairs, rng=np.random.default_rng(4))
        edge = float(np.exp(np.median(cls.known.edges(power=1.0, passes=1, focus_mm=0.0))))
        cls.book = Setting(1.0, 0.8 * edge)

    def test_patches_share_the_day(self):
        # docs/checks.md 12.02
        self.assertAlmostEqual(float(np.exp(150 * log_ndtr(3.5))), 0.96570, 5)
        one = Rows(np.array([[0.35]]), np.array([0.1]), np.array([1.0]))
        self.assertAlmostEqual(float(one.all_free(150)[0]), 0.96570, 5)
        two = Rows(np.array([[0.35], [-0.5]]), np.array([0.1, 0.1]), np.array([0.9, 0.1]))
        self.assertAlmostEqual(float(two.all_free(150)[0]), 0.9 * 0.96570, 5)
        self.assertGreater(float(two.all_free(150)[0]), float(two.cell()[0]) ** 150)

    def test_a_longer_cut_is_less_sure_and_a_slower_one_surer(self):
        settings = [replace(self.book, speed_mm_s=k * self.book.speed_mm_s) for k in (1.15, 1, 0.8)]
        rows = rows_of(self.known, settings)
        short, long = rows.all_free(5), rows.all_free(150)
        self.assertTrue((long < short).all() and (np.diff(long) > 0).all())
        self.assertTrue((rows.hanging(150) > rows.hanging(5)).all())

    def test_what_all_patches_share_is_not_counted_with_each_of_them_again(self):
        # a patch scatters as a cell does, and 0.02 over the sheet: 0.03 of it is the whole job's
        noise = self.known.posterior.resampled(PARTICLES).noise[:, 0]
        spread = rows_of(self.known, [self.book]).spread
        told = {round(float(one), 5) for one in spread**2}
        own = np.maximum(noise**2 - 0.03**2, 0.02**2)
        self.assertEqual(told, {round(float(one), 5) for one in own + 0.02**2})

    def test_cells_that_fell_free_make_the_job_surer_and_hung_ones_less(self):
        rows = rows_of(
            self.known, [self.book, replace(self.book, speed_mm_s=1.2 * self.book.speed_mm_s)]
        )
        before = float(rows.all_free(100)[0])
        self.assertGreater(float(rows.after([1, 1], [True, True]).all_free(100)[0]), before)
        self.assertLess(float(rows.after([0, 1], [False, False]).all_free(100)[0]), before)

    def test_first_cells_of_the_sheet_tell_of_its_day_and_their_kind_alone(self):
        quick = replace(self.book, speed_mm_s=1.2 * self.book.speed_mm_s)
        job = EarlierJob(quick, 20, 3.0, 0)
        price = JobPrice(6000, 20.0, 30.0, 60.0, "sheet")
        before = rows_of(self.known, [self.book], earlier=[job])
        for free in (True, False):
            told = [FirstCell(quick, free), FirstCell(self.book, free)]
            after = rows_of(self.known, [self.book], earlier=[job], first=told)
            self.assertEqual(after.margin.shape, before.margin.shape)
            self.assertEqual(after.all_free(100)[0] > before.all_free(100)[0], free)
            # as if the job's own rows had been taught
            rows = rows_of(self.known, [self.book, quick], earlier=[job]).after([1, 0], [free] * 2)
            self.assertAlmostEqual(float(after.all_free(100)[0]), float(rows.all_free(100)[0]), 6)
            paces = {one.rule: one for one in paces_of(self.known, self.book, price, [job], told)}
            at_book = float(after.all_free(150)[0])
            self.assertAlmostEqual(paces["book"].risk.all_free, at_book, 6)
        hung = freed_by_passes(self.known, self.book, first=[FirstCell(self.book, False)] * 4)
        self.assertLess(hung[0], freed_by_passes(self.known, self.book)[0])

    def test_earlier_jobs_teach_a_day_each_and_knots_teach_nothing(self):
        setting = replace(self.book, speed_mm_s=1.1 * self.book.speed_mm_s)
        good = JobOutcome("2026-03-01", 20, 0, 0, "", setting, 4800.0, "7")
        told = [float(rows_of(self.known, [setting]).all_free(120)[0])]
        for count in (1, 3, 10):
            earlier = earlier_jobs([good] * count, "7")
            told.append(float(rows_of(self.known, [setting], earlier=earlier).all_free(120)[0]))
        self.assertEqual(told, sorted(told))
        self.assertLess(told[1], 0.5 + 0.5 * told[0])  # one good job is one day, not 120 cells
        bad = earlier_jobs([replace(good, hung=19)], "7")
        self.assertLess(
            float(rows_of(self.known, [setting], earlier=bad).all_free(120)[0]), told[0]
        )
        knots = earlier_jobs([replace(good, hung=3, knots=3)], "7")
        self.assertEqual((knots[0].hung, knots[0].pieces), (0, 17))
        self.assertEqual(earlier_jobs([good], "8"), ())

    def test_a_further_pass_frees_what_hangs_and_two_more_so(self):
        quick = replace(self.book, speed_mm_s=1.2 * self.book.speed_mm_s)
        one, two = freed_by_passes(self.known, quick)
        self.assertTrue(0.5 < one <= two <= 1)
        hopeless = replace(self.book, speed_mm_s=20 * self.book.speed_mm_s)
        self.assertLess(freed_by_passes(self.known, hopeless)[0], 0.05)

    def test_no_pace_is_quicker_than_the_book_and_the_least_costs_least(self):
        price = JobPrice(6000, 20.0, 30.0, 60.0)
        paces = {pace.rule: pace for pace in paces_of(self.known, self.book, price)}
        self.assertIn("book", paces)
        for pace in paces.values():
            self.assertGreaterEqual(pace.seconds, paces["book"].seconds - 1e-9)
            least = paces.get("least", paces["book"])
            self.assertLessEqual(least.expected_cost, pace.expected_cost + 1e-9)
            self.assertGreaterEqual(pace.expected_cost, pace.run_cost - 1e-9)
        surest = paces.get("surest", paces.get("least", paces["book"]))
        self.assertGreaterEqual(surest.risk.all_free, paces["book"].risk.all_free - 1e-9)

    def test_cells_are_offered_only_where_they_are_worth_it(self):
        trial = cut_trial()
        few = [(trial, read_by_energy(trial, 2.6)[:3])]
        little = know_cut(LONG, BIRCH, few, rng=np.random.default_rng(4))
        offer = offer_of(little, self.book, JobPrice(12000, 60.0, 40.0, hang="sheet"))
        self.assertIsNotNone(offer)
        self.assertEqual(len(offer.settings), 4)
        self.assertGreaterEqual(offer.saves, 0.5 * offer.cost)
        self.assertIsNone(offer_of(self.known, self.book, JobPrice(100, 0.1, 6.0)))
