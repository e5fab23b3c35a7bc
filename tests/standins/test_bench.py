"""The stand-in bench behaves like stock under a laser.  Trade facts: common practice, no source."""

import itertools
import unittest
from dataclasses import replace

import numpy as np

from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Stock
from olive_almanac.standins.bench import StandInBench
from olive_almanac.standins.material import dug_depth, heat_of_edge, hidden_of, kerf_of, lightness_of
from tests.samples import BIRCH, LONG, NORTH, cut_trial, engrave_trial, kind_plan


def through_speed(machine, stock, **changes):
    """The fastest speed at which the hidden stock is just dug through."""
    hidden = hidden_of(machine, stock, 1)
    speeds = np.geomspace(0.2, 400, 400)
    depths = [dug_depth(hidden, machine, replace(Setting(1.0, float(v), 1, 1.5), **changes), float(v)) for v in speeds]
    through = [v for v, d in zip(speeds, depths, strict=True) if d >= stock.true_thickness_mm]
    return float(max(through, default=0))


class TradeFactsTest(unittest.TestCase):
    def test_speed_scales_nearly_with_power(self):
        ratio = through_speed(replace(LONG, optical_power_w=60), BIRCH) / through_speed(replace(LONG, optical_power_w=30), BIRCH)
        self.assertTrue(1.7 < ratio < 2.6, ratio)

    def test_thicker_stock_is_slower_and_focus_matters(self):
        thick = replace(BIRCH, thickness_mm=6.0, measured_mm=())
        self.assertLess(through_speed(LONG, thick, focus_mm=3.0), 0.6 * through_speed(LONG, BIRCH))
        self.assertLess(through_speed(NORTH, BIRCH, focus_mm=-6.0), 0.8 * through_speed(NORTH, BIRCH))

    def test_more_passes_dig_deeper_but_less_each(self):
        hidden = hidden_of(NORTH, BIRCH, 1)
        depths = [dug_depth(hidden, NORTH, Setting(1.0, 10.0, n, 1.5), 10.0) for n in (1, 2, 3, 4, 8, 16, 32)]
        self.assertTrue(all(b >= a for a, b in itertools.pairwise(depths)))
        self.assertLess(depths[6] - depths[5], depths[1] - depths[0])  # it stalls in the end

    def test_several_quick_passes_char_less_than_one_slow_pass_on_foam(self):
        foam = Stock("Liner foam", "foam_eva", 5.0)
        hidden = hidden_of(LONG, foam, 1)
        slow, quick = Setting(0.5, 20.0, 1), Setting(0.5, 60.0, 3)
        self.assertLess(heat_of_edge(hidden, LONG, quick, 60.0), heat_of_edge(hidden, LONG, slow, 20.0))
        self.assertLess(kerf_of(hidden, LONG, quick, 60.0), kerf_of(hidden, LONG, slow, 20.0))

    def test_usual_speeds_for_thin_ply(self):
        """40 to 60 W through 3 mm ply at 8 to 25 mm/s, 10 W of blue at 1 to 6 mm/s."""
        self.assertTrue(8 < through_speed(LONG, BIRCH) < 30, through_speed(LONG, BIRCH))
        self.assertTrue(1 < through_speed(NORTH, BIRCH) < 6, through_speed(NORTH, BIRCH))

    def test_a_spot_that_is_longer_along_x_cuts_worse_along_y(self):
        """The beam's width across the cut counts: along Y that is the spot's X side."""
        hidden = hidden_of(NORTH, BIRCH, 1)
        along = {way: dug_depth(hidden, NORTH, Setting(1.0, 4.0, 1, 1.5, direction=way), 4.0) for way in ("x", "y", "xy")}
        self.assertGreater(along["x"], 1.05 * along["y"])
        self.assertEqual(along["y"], along["xy"])  # a closed shape is as weak as its weaker side
        round_spot = replace(NORTH, spot_y_mm=NORTH.spot_x_mm)
        same = {dug_depth(hidden, round_spot, Setting(1.0, 4.0, 1, 1.5, direction=way), 4.0) for way in ("x", "y")}
        self.assertEqual(len(same), 1)

    def test_refocusing_after_each_pass_digs_deeper_in_thick_stock(self):
        hidden = hidden_of(NORTH, BIRCH, 1)
        still, lowered = (dug_depth(hidden, NORTH, Setting(1.0, 6.0, 12, 0.0, focus_step_mm=step), 6.0) for step in (0.0, 0.5))
        self.assertGreater(lowered, 1.05 * still)

    def test_crossed_lines_engrave_darker(self):
        hidden = hidden_of(LONG, BIRCH, 1)
        plain, crossed = (
            lightness_of(hidden, LONG, Setting(0.2, 200.0, pitch_mm=0.12, crosshatch=both), 200.0) for both in (False, True)
        )
        self.assertLess(crossed, plain)

    def test_lines_are_narrowest_in_focus_and_slots_come_out_wider_than_drawn(self):
        focus = kind_plan("focus").trial
        width = {one.cell: one.seen.kerf_mm for one in StandInBench(3).burn(focus)}
        narrowest = min(focus.cells, key=lambda cell: width[cell.id]).setting.focus_mm
        self.assertLessEqual(abs(narrowest), 2 * LONG.rayleigh_mm)
        ends = [
            width[cell.id]
            for cell in focus.cells
            if abs(cell.setting.focus_mm) == max(abs(c.setting.focus_mm) for c in focus.cells)
        ]
        self.assertTrue(min(ends) > min(width.values()))
        kerf = kind_plan("kerf").trial
        for one in StandInBench(3).burn(kerf):
            cell = kerf.cell(one.cell)
            if cell.mark == "comb":
                self.assertAlmostEqual(one.seen.kerf_mm, cell.nominal_mm + one.kerf_mm, delta=0.006)

    def test_more_energy_engraves_darker_until_it_burns_over(self):
        hidden = hidden_of(LONG, BIRCH, 1)
        tones = [lightness_of(hidden, LONG, Setting(p, 200.0, pitch_mm=0.12), 200.0) for p in (0.1, 0.2, 0.4, 0.6)]
        self.assertEqual(tones, sorted(tones, reverse=True))
        over = lightness_of(hidden, LONG, Setting(1.0, 20.0, pitch_mm=0.12), 20.0)
        self.assertGreater(over, min(tones) - 25)


class BenchTest(unittest.TestCase):
    def test_same_seed_same_burn_other_seed_other_stock(self):
        trial = cut_trial()
        one, two, other = (tuple(StandInBench(seed).burn(trial)) for seed in (4, 4, 5))
        self.assertEqual(one, two)
        self.assertNotEqual(one, other)
        self.assertNotEqual(StandInBench(4).truth(trial)["digs_j_mm3"], StandInBench(5).truth(trial)["digs_j_mm3"])

    def test_every_cell_once_in_burning_order(self):
        trial = cut_trial()
        self.assertEqual([one.cell for one in StandInBench(1).burn(trial)], [cell.id for cell in trial.in_order])

    def test_verdicts_fit_the_depth(self):
        trial = cut_trial()
        for one in StandInBench(2).burn(trial):
            if one.seen.verdict == "not_through":
                self.assertLess(one.depth_mm, BIRCH.true_thickness_mm)
                self.assertFalse(one.through)
            else:
                self.assertTrue(one.through)

    def test_engraved_cells_are_graded_light_right_or_dark(self):
        verdicts = {one.seen.verdict for one in StandInBench(1).burn(engrave_trial())}
        self.assertTrue(verdicts <= {"too_light", "right", "too_dark", "no_mark"})
        self.assertGreater(len(verdicts), 1)

    def test_lots_differ(self):
        first, second = (hidden_of(LONG, replace(BIRCH, lot=lot), 1) for lot in ("7", "8"))
        self.assertNotEqual(first.digs_j_mm3, second.digs_j_mm3)
