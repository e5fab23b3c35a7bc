"""The cells that teach most, and the marks, strokes and letters of a coupon."""

import itertools
import unittest

import numpy as np

from olive_almanac.core.burn.groove import Groove
from olive_almanac.core.deciding.cut_knowledge import know_cut
from olive_almanac.core.deciding.scan import ShopDrift, scan_cut
from olive_almanac.core.design.next_cells import next_cut_cells
from olive_almanac.core.design.suggest import flare_limit_of
from olive_almanac.core.fitting.char import FlareLimit
from olive_almanac.core.fitting.cut import GroovePosterior, case_of
from olive_almanac.core.fitting.prior import family_prior
from olive_almanac.core.motion.program import cell_seconds, cell_steps, program_of, trial_seconds
from olive_almanac.core.placing.fiducials import SETS, coupon_set, fiducials_of, modules_of
from olive_almanac.core.placing.strokes import reach_of, rows_of_boxes, strokes_of
from olive_almanac.core.records.trial import CouponSize
from olive_almanac.formats.letters import letters
from tests.samples import BIRCH, LONG, kind_plan, read_by_energy


def known(edge=None):
    trial = kind_plan("grid").trial
    pairs = [(trial, read_by_energy(trial, edge))] if edge else []
    return know_cut(LONG, BIRCH, pairs, rng=np.random.default_rng(2)), pairs


class NextCellsTest(unittest.TestCase):
    def cells(self, edge=None, limit=None, **more):
        knowledge, pairs = known(edge)
        return next_cut_cells(
            knowledge.posterior, knowledge.case, limit=limit or flare_limit_of(BIRCH, pairs), **more
        ).settings

    def test_low_energy_first_within_the_limits_and_never_twice(self):
        cells = self.cells()
        energies = [cell.passes / cell.speed_mm_s for cell in cells]
        self.assertEqual(energies, sorted(energies))
        self.assertEqual(len(set(cells)), len(cells))
        self.assertTrue(4 <= len(cells) <= 8)
        limit = flare_limit_of(BIRCH)
        for cell in cells:
            self.assertLessEqual(
                LONG.watts(cell.power) / cell.speed_mm_s,
                1.01 * limit.most_j_mm(LONG.watts(cell.power), cell.passes),
            )
            self.assertLessEqual(cell.speed_mm_s, LONG.max_speed_mm_s)

    def test_readings_narrow_what_is_asked_for(self):
        learnt, _ = known(3.0)

        def miss(cell):
            """How far a cell lies from the edge as the readings place it, in ln energy."""
            setting = {
                "power": cell.power,
                "speed_mm_s": cell.speed_mm_s,
                "passes": cell.passes,
                "focus_mm": cell.focus_mm,
            }
            return abs(float(learnt.mean_margin(**setting)[0]))

        before, after = (
            np.median([miss(cell) for cell in self.cells(edge)]) for edge in (None, 3.0)
        )
        self.assertLess(after, 0.5 * before)

    def test_they_lie_where_the_posterior_does_not_know(self):
        knowledge, pairs = known(3.0)
        for cell in next_cut_cells(
            knowledge.posterior, knowledge.case, limit=flare_limit_of(BIRCH, pairs)
        ).settings:
            chance = float(
                knowledge.chance(
                    power=1.0,
                    speed_mm_s=cell.speed_mm_s,
                    passes=cell.passes,
                    focus_mm=cell.focus_mm,
                )
            )
            self.assertTrue(0.001 < chance < 0.999, (cell, chance))

    def test_the_focus_of_the_pick_takes_the_place_of_the_middle(self):
        heights = [cell.focus_mm for cell in self.cells(edge=3.0, focus_mm=1.8)]
        self.assertIn(1.8, heights)
        self.assertNotIn(BIRCH.true_thickness_mm / 2, heights)

    def test_the_least_time_of_a_known_world_is_where_its_chance_meets_the_target(self):
        case = case_of(LONG, BIRCH)
        sure = GroovePosterior(
            Groove(np.tile(family_prior(case.prior).mean, (8, 1)), case.rayleigh_mm),
            np.full(8, 1 / 8),
            None,
            8.0,
        )
        speeds = np.geomspace(4.0, 120.0, 240)
        for drift in (ShopDrift(0.0, 0.0, 0.0), ShopDrift()):
            scan = scan_cut(
                sure,
                case,
                drift,
                power=1.0,
                passes=(1, 2, 4, 8),
                focus_mm=np.array([1.5]),
                speed_mm_s=speeds,
                air="full",
                particles=8,
                nodes=5,
            )
            least, possible = scan.least_time(0.99)
            options = [
                np.log(n / speeds[np.flatnonzero(chance[0] >= 0.99)[-1]])
                for n, chance in zip(scan.passes, scan.chance(), strict=True)
            ]
            self.assertTrue(possible.all())
            self.assertTrue((abs(np.diff(least)) < 1e-5).all())  # eight times the same world
            self.assertAlmostEqual(float(least[0]), float(min(options)), delta=0.05)
            self.assertGreaterEqual(
                float(least[0]), float(min(options)) - 0.02
            )  # one normal spread asks for no less

    def test_where_everything_would_flare_there_is_nothing_to_burn(self):
        self.assertEqual(self.cells(limit=FlareLimit(0.01)), ())

    def test_the_limit_falls_with_passes_and_with_what_was_seen(self):
        limit = FlareLimit(8.0)
        self.assertAlmostEqual(limit.slowest(80.0, 1), 80 / 8.0 - 1.5)
        falls = [80 / (limit.slowest(80.0, n) + 1.5) for n in (1, 2, 4, 12)]
        self.assertEqual(falls, sorted(falls, reverse=True))
        self.assertGreater(
            falls[0] - falls[1], falls[2] - falls[3]
        )  # each further pass finds less heat left
        self.assertAlmostEqual(FlareLimit(8.0, ((5.0, 1),)).most_j_mm(80.0, 1), 4.9)

    def test_after_a_flare_with_many_passes_fewer_may_still_take_somewhat_more(self):
        limit = FlareLimit(50.0, ((5.0, 6),))
        once, six, twelve = (limit.most_j_mm(80.0, n) for n in (1, 6, 12))
        self.assertAlmostEqual(six, 4.9)
        self.assertTrue(4.9 < once < 1.5 * 4.9)
        self.assertLess(twelve, 4.9)


class MarksTest(unittest.TestCase):
    def test_the_set_of_ids_names_the_coupon(self):
        self.assertEqual([coupon_set(n) for n in (0, 11, 12, 25)], [0, 11, 0, 1])
        ids = {mark.id for n in range(SETS) for mark in fiducials_of(CouponSize(100, 80), n)}
        self.assertEqual(ids, set(range(4 * SETS)))

    def test_each_mark_is_framed_and_different(self):
        seen = set()
        for mark_id in range(4 * SETS):
            rows = modules_of(mark_id)
            edge = [*rows[0], *rows[-1], *(row[0] for row in rows), *(row[-1] for row in rows)]
            self.assertTrue(all(edge))
            seen.add(rows)
        self.assertEqual(len(seen), 4 * SETS)

    def test_rows_are_burnt_only_inside_their_boxes(self):
        rows = rows_of_boxes(
            [(0, 0, 2, 4), (2, 0, 3, 2), (5, 1, 6, 3)], low=0.5, high=3.5, pitch_mm=1.0
        )
        self.assertEqual([at for at, _ in rows], [0.5, 1.5, 2.5, 3.5])
        self.assertEqual(rows[0][1], ((0, 3),))  # boxes that touch are one run
        self.assertEqual(rows[1][1], ((0, 3), (5, 6)))
        self.assertEqual(rows[3][1], ((0, 2),))


class StrokesTest(unittest.TestCase):
    def test_strokes_stay_inside_their_cell_and_pieces_have_their_size(self):
        for kind, task in (
            ("grid", "cut"),
            ("focus", "cut"),
            ("kerf", "cut"),
            ("detail", "cut"),
            ("direction", "score"),
        ):
            for cell in kind_plan(kind, task).trial.cells:
                x, y, w, h = cell.rect_mm
                for px, py in itertools.chain(*strokes_of(cell)):
                    self.assertTrue(
                        x - 1e-9 <= px <= x + w + 1e-9 and y - 1e-9 <= py <= y + h + 1e-9,
                        (kind, cell.id),
                    )
        stack = next(
            cell
            for cell in kind_plan("kerf").trial.cells
            if cell.mark == "stack" and cell.setting.direction == "x"
        )
        across = sorted({round(line[0][0], 6) for line in strokes_of(stack)[:7]})
        self.assertEqual([round(b - a, 6) for a, b in itertools.pairwise(across)], [10.0] * 6)

    def test_lines_and_rasters_reach_their_speed_outside_the_cell(self):
        cell = kind_plan("grid", "engrave", speed_mm_s=(300.0,)).trial.cells[0]
        self.assertEqual(reach_of(cell, LONG), (7.5, 0.0))  # v2/2a = 300^2 / 12000
        outline = kind_plan("grid").trial.cells[0]
        self.assertEqual(reach_of(outline, LONG), (0.0, 0.0))

    def test_times_add_up_to_the_whole(self):
        trial = kind_plan("passes", rest_s=2.0).trial
        for cell in trial.cells:
            self.assertAlmostEqual(cell.seconds, cell_seconds(cell, LONG), places=2)
        steps = [step for step, cell in program_of(trial, letters()) if cell is not None]
        self.assertEqual(len(steps), sum(len(cell_steps(cell, LONG)) for cell in trial.cells))
        burnt = sum(cell.seconds for cell in trial.cells) + 2.0 * (len(trial.cells) - 1)
        self.assertGreater(trial_seconds(trial, letters()), burnt)
        self.assertGreater(
            trial_seconds(trial, letters()), trial_seconds(trial, None)
        )  # labels take their time


class LettersTest(unittest.TestCase):
    def test_capitals_and_figures_are_as_high_as_asked_and_stand_side_by_side(self):
        for text in ("H", "85", "C0007"):
            ys = [y for stroke in letters().strokes(text, 4.0) for _, y in stroke]
            self.assertAlmostEqual(min(ys), 0.0, places=3)
            self.assertAlmostEqual(max(ys), 4.0, places=3)
        self.assertGreater(letters().width("1200", 2.5), 2 * letters().width("12", 2.5))
        self.assertEqual(letters().strokes("", 2.5), ())
        self.assertTrue(
            letters().strokes("× − ²", 2.5)
        )  # signs that the font lacks are written plainly
