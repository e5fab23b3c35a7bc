"""Names of a list: the box in which they come out largest, one size for all, what is odd."""

import itertools
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
import shapely

from bench.motion import integrate
from olive_almanac.core.motion.program import Lines, step_seconds
from olive_almanac.core.quoting.job_plan import Layout, plan_job
from olive_almanac.core.quoting.names import free_box, lettered, name_steps, with_room_for
from olive_almanac.core.quoting.pattern import pattern_of
from olive_almanac.core.records.job import NAMES, GroupTask
from olive_almanac.core.records.stock import Sheet
from olive_almanac.formats.font_letters import FontLetters
from olive_almanac.formats.gcode_check import check_gcode
from olive_almanac.formats.letters import letters
from olive_almanac.steps.job_work import limits_of_run
from tests.core.quoting.test_job_plan import CUT, ENGRAVE, LONG, RED, SCORE, drawing, program
from tests.core.quoting.test_sheet_order import by_place
from tests.second_reader import faults_of

TASKS = (GroupTask(RED, "cut", "", CUT, (0.2, 0.1)),)
PLATE = (
    '<rect x="0" y="0" width="60" height="40" stroke="red"/>'
    '<circle cx="8" cy="20" r="3" stroke="red"/>'
)
HEAVY = replace(LONG, acceleration_mm_s2=2500.0)  # at 300 mm/s a line's run-ups are worth 72 mm
FACE = letters()
FONT = Path("/usr/share/fonts/truetype/dejavu/DejaVuSans.ttf")


def plate(inside=PLATE):
    return pattern_of(drawing(inside), TASKS, LONG)


class BoxTest(unittest.TestCase):
    def test_the_box_is_clear_of_holes_and_edges_and_as_good_as_any(self):
        pattern = plate()
        box = free_box(pattern, ["Thymus"], FACE)
        area = shapely.box(*box)
        part = shapely.Polygon(pattern.outlines[0])
        self.assertTrue(part.buffer(-1 + 1e-6).covers(area))
        hole = shapely.Point(8, 30).buffer(3)
        self.assertGreaterEqual(area.distance(hole), 1 - 0.4)
        # by hand: right of the hole 47 x 38 mm are left, above and below it 58 x 14 mm or so
        wide, high = box[2] - box[0], box[3] - box[1]
        size = min(0.72 * high, wide / FACE.width("Thymus", 1.0))
        best = min(0.72 * 38, 47 / FACE.width("Thymus", 1.0))
        self.assertGreater(size, 0.95 * best)

    def test_a_bare_part_is_free_but_for_its_edge(self):
        bare = plate('<rect width="60" height="40" stroke="red"/>')
        for place, edge in zip(free_box(bare, ["Ida"], FACE), (1, 11, 59, 49), strict=True):
            self.assertAlmostEqual(place, edge, delta=0.5)

    def test_a_part_that_is_full_has_no_box(self):
        full = PLATE + '<rect x="1" y="1" width="58" height="38" stroke="red"/>'
        inner = full + '<rect x="2" y="2" width="56" height="36" stroke="red"/>'
        self.assertIsNone(free_box(plate(inner), ["A"], FACE))

    def test_lines_that_cross_themselves_leave_the_rest_free(self):
        crossed = (
            PLATE
            + '<path d="M20 5h30l-30 8h30z" stroke="red"/><path d="M40 20h0h0z" stroke="red"/>'
        )
        box = free_box(plate(crossed), ["Ida"], FACE)
        self.assertLess(box[1], 27)  # below them: y counts from below, the crossing ends at 35

    def test_a_small_free_corner_of_a_full_part_is_found_and_used_well(self):
        # rows 0.6 mm apart; those up to 9 mm from the top leave 13 mm free at the right
        rows = [(y, 45 if y < 9 else 58) for y in np.arange(2, 37, 0.6).round(1).tolist()]
        d = "".join(f"M2 {y}H{end}" for y, end in rows)
        full = f'<rect width="60" height="40" stroke="red"/><path d="{d}" stroke="red"/>'
        box = free_box(plate(full), ["Ida"], FACE)
        area = shapely.box(*box)
        lines = shapely.linestrings([[(2, 50 - y), (end, 50 - y)] for y, end in rows])
        self.assertGreaterEqual(shapely.distance(lines, area).min(), 1 - 1e-6)
        corner = shapely.box(46, 41.8, 59, 49)
        self.assertTrue(corner.buffer(0.01).covers(area))
        self.assertGreater(area.area, 0.85 * corner.area)


class LetteringTest(unittest.TestCase):
    BOX = (10.0, 5.0, 50.0, 15.0)

    def test_all_have_one_size_and_stay_in_their_box(self):
        names = ["Thymus", "Salvia officinalis", "Rosa"]
        plan = lettered(names, self.BOX, FACE, spot_mm=0.1)
        self.assertAlmostEqual(plan.height_mm, 40 / FACE.width(names[1], 1.0), 1)
        for lines in plan.lines:
            points = np.concatenate(lines)
            self.assertTrue((points.min(0) >= [10 - 1e-6, 5 - 1e-6]).all())
            self.assertTrue((points.max(0) <= [50.2, 15 + 1e-6]).all())
            middle = (points[:, 0].min() + points[:, 0].max()) / 2
            self.assertAlmostEqual(middle, 30, delta=1.0)

    def test_the_odd_ones_are_told(self):
        names = ["7", "8", "8", "", "Größe", "Helianthus annuus giganteus"]
        looks = lettered(names, self.BOX, FACE, spot_mm=0.1).looks
        self.assertIn("stands 2 times", looks[1])
        self.assertIn("empty", looks[3])
        self.assertIn("without öß", looks[4])
        self.assertIn("% larger", looks[5])
        self.assertNotIn(0, looks)

    def test_letters_too_fine_for_the_spot_are_told(self):
        self.assertEqual(lettered(["7"], self.BOX, FACE, spot_mm=0.1).says, "")
        fine = lettered(["A very long name indeed, for a small plate"], self.BOX, FACE, spot_mm=0.2)
        self.assertIn("needs 2.4 mm", fine.says)

    def test_each_copy_of_a_sheet_gets_its_own_name_before_it_is_cut(self):
        plan = lettered(["1", "22", "333"], self.BOX, FACE, spot_mm=0.1)
        task = GroupTask(NAMES, "score", "", SCORE)
        steps = name_steps(plan, task, LONG)
        pattern = with_room_for(plate(), steps)  # this box begins below the part
        self.assertLess(pattern.reach_mm[1], plate().reach_mm[1])
        layout = Layout(4, sheets=(Sheet(300, 200),), names=steps)
        (run,) = plan_job(pattern, LONG, layout).runs
        groups = [group for _, group in run.steps]
        counts = [sum(len(name) for name in steps[:n]) + 2 * n for n in range(4)]
        self.assertEqual(groups[counts[1]], NAMES)
        self.assertEqual(groups.count(NAMES), sum(map(len, steps)))
        self.assertEqual(groups[-2:], [RED, RED])
        report = check_gcode(program(run, (*TASKS, task)), limits_of_run(run, layout.sheets[0]))
        self.assertTrue(report.safe, report.findings)

    @unittest.skipUnless(FONT.exists(), "needs the fonts of the distribution")
    def test_outlines_of_a_font_are_engraved_with_their_run_up(self):
        font = FontLetters(FONT.read_bytes(), FONT.name)
        plan = lettered(["Aö"], self.BOX, font, spot_mm=0.1)
        rings = [shapely.Polygon(line) for line in plan.lines[0]]
        self.assertEqual(len(rings), 6)  # A with its counter, o with its counter, two dots
        capital = max((ring.bounds for ring in rings[:2]), key=lambda b: b[3] - b[1])
        self.assertAlmostEqual(capital[3] - capital[1], plan.height_mm, 1)
        self.assertEqual(font.lacking("A\u4e2d"), "\u4e2d")
        task = GroupTask(NAMES, "engrave", "", ENGRAVE)
        steps = name_steps(plan, task, LONG)
        self.assertIsInstance(steps[0][0][0], Lines)
        pattern = with_room_for(plate(), steps)
        self.assertTrue(pattern.is_engraved)
        line = steps[0][0][0]
        self.assertLessEqual(pattern.reach_mm[0], line.from_mm - line.run_up_mm)

    @unittest.skipUnless(FONT.exists(), "needs the fonts of the distribution")
    def test_a_row_of_names_is_engraved_in_one_go_and_each_copy_has_its_own(self):
        font = FontLetters(FONT.read_bytes(), FONT.name)
        first = ("Ada", "Grygoj", "Ève", "Mona", "Ypsi", "Bob")  # above and below the line
        names = tuple(f"{one} Rosendahl {n}" for n, one in enumerate(first))
        plan = lettered(names, (12.0, 5.0, 58.0, 15.0), font, spot_mm=0.1)
        sheet = Sheet(300.0, 200.0)
        for setting, share in ((ENGRAVE, 0.9), (replace(ENGRAVE, direction="y"), 0.97)):
            task = GroupTask(NAMES, "engrave", "", setting)
            steps = name_steps(plan, task, HEAVY)
            pattern = with_room_for(pattern_of(drawing(PLATE), TASKS, HEAVY), steps)
            layout = Layout(6, sheets=(sheet,), names=steps)
            (run,) = plan_job(pattern, HEAVY, layout).runs
            alone = [
                plan_job(pattern, HEAVY, replace(layout, copies=1, placed=(copy,), names=(name,)))
                for copy, name in zip(run.placed, steps, strict=True)
            ]
            taken, apart = seconds_of(run), sum(seconds_of(one.runs[0]) for one in alone)
            self.assertLess(taken, share * apart)
            single = itertools.chain(*(by_place(_lines_of(one.runs[0])) for one in alone))
            self.assertEqual(by_place(_lines_of(run)), sorted(single))
            text, limits = program(run, (*TASKS, task)), limits_of_run(run, sheet)
            self.assertTrue(check_gcode(text, limits).safe)
            self.assertEqual(faults_of(text, limits), [])
            counted = integrate(text, run.ground.area[:2], HEAVY)
            self.assertAlmostEqual(run.seconds, counted, delta=0.005 * run.seconds)


def seconds_of(run):
    return sum(step_seconds(one, HEAVY) for one in _lines_of(run))


def _lines_of(run):
    return [step for step, _ in run.steps if isinstance(step, Lines)]


if __name__ == "__main__":
    unittest.main()
