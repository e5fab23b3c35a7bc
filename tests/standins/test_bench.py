"""The stand-in bench behaves like stock under a laser.  Trade facts: common practice, no source."""

import itertools
import unittest
from dataclasses import replace

import numpy as np

from olive_almanac.core.materials.families import FAMILIES
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Stock
from olive_almanac.standins.bench import StandInBench
from olive_almanac.standins.groove import dials_of, dig
from olive_almanac.standins.material import MAKEUPS, hidden_of, makeup_of
from olive_almanac.standins.tone import tone
from olive_almanac.standins.truth import success
from tests.samples import BIRCH, LONG, MARKER, NORTH, cut_trial, engrave_trial, kind_plan

FOAM = Stock("Liner foam", "foam_eva", 5.0)
CLEAR = Stock("Clear cast acrylic", "acrylic", 3.0, opacity="clear")
GLASS = Stock("Cover glass", "glass", 4.0, opacity="clear")


def dug(machine, stock, *settings, seed=1):
    return dig(
        hidden_of(machine, stock, seed), machine, dials_of(settings), stock.true_thickness_mm
    )


def toned(machine, stock, *settings, seed=1):
    pitch, ways = (
        np.array([s.pitch_mm for s in settings]),
        np.array([2.0 if s.crosshatch else 1.0 for s in settings]),
    )
    return tone(
        hidden_of(machine, stock, seed),
        machine,
        stock,
        dials_of(settings),
        pitch_mm=pitch,
        ways=ways,
    )


def through_speed(machine, stock, **changes):
    """The fastest speed at which the hidden stock is just dug through."""
    settings = [
        replace(Setting(1.0, float(v), 1, 1.5), **changes) for v in np.geomspace(0.2, 400, 400)
    ]
    through = [
        s.speed_mm_s
        for s, d in zip(settings, dug(machine, stock, *settings).depth_mm, strict=True)
        if d >= stock.true_thickness_mm
    ]
    return max(through, default=0.0)


class TradeFactsTest(unittest.TestCase):
    def test_speed_scales_nearly_with_power(self):
        ratio = through_speed(replace(LONG, optical_power_w=60), BIRCH) / through_speed(
            replace(LONG, optical_power_w=30), BIRCH
        )
        self.assertTrue(1.7 < ratio < 2.6, ratio)

    def test_thicker_stock_is_slower_and_focus_matters(self):
        thick = replace(BIRCH, thickness_mm=6.0, measured_mm=())
        self.assertLess(through_speed(LONG, thick, focus_mm=3.0), 0.6 * through_speed(LONG, BIRCH))
        self.assertLess(
            through_speed(NORTH, BIRCH, focus_mm=-6.0), 0.8 * through_speed(NORTH, BIRCH)
        )

    def test_in_thick_stock_passes_stop_helping_once_the_groove_is_out_of_focus(self):
        depths = dug(
            NORTH, BIRCH, *(Setting(1.0, 10.0, n, 0.0) for n in (1, 2, 4, 8, 16, 32, 64))
        ).depth_mm
        self.assertTrue(all(b >= a for a, b in itertools.pairwise(depths)))
        self.assertLess(depths[6] - depths[5], 0.15 * depths[0])
        thick = replace(BIRCH, thickness_mm=12.0, measured_mm=())
        self.assertLess(
            dug(NORTH, thick, Setting(1.0, 10.0, 100, 0.0)).depth_mm[0], 12.0
        )  # it never gets through

    def test_several_quick_passes_char_less_and_cut_a_narrower_slot_than_one_slow_pass_on_foam(
        self,
    ):
        both = dug(LONG, FOAM, Setting(0.5, 20.0, 1), Setting(0.5, 60.0, 3))
        self.assertLess(both.edge_heat[1], 0.7 * both.edge_heat[0])
        self.assertLess(both.top_mm[1], both.top_mm[0])

    def test_usual_speeds(self):
        """60 W just through 3 mm ply at 20 to 50 mm/s, 10 W of blue at 3 to 10 mm/s; 60 W through 3
        mm acrylic at 20 to 50 (practised speeds keep a margin to it).
        """
        self.assertTrue(20 < through_speed(LONG, BIRCH) < 50, through_speed(LONG, BIRCH))
        self.assertTrue(3 < through_speed(NORTH, BIRCH) < 10, through_speed(NORTH, BIRCH))
        self.assertTrue(20 < through_speed(LONG, CLEAR) < 50, through_speed(LONG, CLEAR))

    def test_a_spot_that_is_longer_along_x_cuts_worse_along_y(self):
        """The beam's width across the cut counts: along Y that is the spot's X side."""
        straight = replace(hidden_of(NORTH, BIRCH, 1), slip_mm=(0.0, 0.0))

        def along(machine):
            settings = [Setting(1.0, 4.0, 1, 1.5, direction=way) for way in ("x", "y", "xy")]
            return dig(straight, machine, dials_of(settings), 3.0).depth_mm

        x, y, both = along(NORTH)
        self.assertGreater(x, 1.05 * y)
        self.assertEqual(y, both)  # a closed shape is as weak as its weaker side
        x, y, _ = along(replace(NORTH, spot_y_mm=NORTH.spot_x_mm))
        self.assertAlmostEqual(x, y, places=9)

    def test_refocusing_after_each_pass_digs_deeper_in_thick_stock(self):
        still, lowered = dug(
            NORTH, BIRCH, *(Setting(1.0, 6.0, 12, 0.0, focus_step_mm=step) for step in (0.0, 0.5))
        ).depth_mm
        self.assertGreater(lowered, 1.05 * still)

    def test_too_much_air_hazes_engraved_acrylic_and_roughens_thick_edges(self):
        full, low = (
            toned(LONG, CLEAR, Setting(0.2, 200.0, pitch_mm=0.12, air=air))
            for air in ("full", "low")
        )
        self.assertGreater(full.haze_mm[0], 2 * low.haze_mm[0])
        self.assertGreater(full.spread[0], low.spread[0])
        thick = replace(CLEAR, thickness_mm=8.0)
        rough = {
            air: {
                d
                for one in StandInBench(2).burn(cut_trial(LONG, thick, air=(air,)))
                for d in one.seen.defects
            }
            for air in ("full", "low")
        }
        self.assertIn("stripes", rough["full"])
        self.assertNotIn("stripes", rough["low"])

    def test_clear_acrylic_and_glass_do_not_mark_on_a_blue_diode_without_a_medium(self):
        for stock in (CLEAR, GLASS):
            bare = hidden_of(NORTH, stock, 1).made.bare_l
            with self.subTest(stock.name):
                self.assertLess(
                    abs(toned(NORTH, stock, Setting(1.0, 20.0, pitch_mm=0.1)).lightness[0] - bare),
                    3.0,
                )
                self.assertLess(dug(NORTH, stock, Setting(1.0, 2.0)).depth_mm[0], 0.05)
        taped = replace(GLASS, mask="tape")
        marked = toned(NORTH, taped, Setting(0.8, 60.0, pitch_mm=0.1)).lightness[0]
        self.assertGreater(abs(marked - hidden_of(NORTH, taped, 1).made.bare_l), 12.0)

    def test_tape_gives_an_even_mark_and_wet_paper_an_uneven_one(self):
        tape, paper = (
            toned(NORTH, replace(GLASS, mask=mask), Setting(0.8, 60.0, pitch_mm=0.1)).spread[0]
            for mask in ("tape", "wet paper")
        )
        self.assertGreater(paper, 1.8 * tape)

    def test_melting_walls_run_together_when_slow(self):
        petg = Stock("Window sheet", "petg", 3.0)
        seen = [
            one.seen
            for one in StandInBench(4).burn(
                cut_trial(LONG, petg, speed_mm_s=(3.0, 4.0, 6.0, 8.0), power=(0.2, 0.3, 0.4))
            )
        ]
        self.assertTrue(any("reweld" in one.defects for one in seen))

    def test_glass_cracks_from_too_much_heat(self):
        gentle, hard = toned(
            LONG, GLASS, Setting(0.1, 200.0, pitch_mm=0.1), Setting(1.0, 100.0, pitch_mm=0.1)
        ).cracked
        self.assertFalse(gentle)
        self.assertTrue(hard)

    def test_bare_metal_needs_a_fibre_source_or_a_medium(self):
        sheet = Stock("Stainless", "stainless", 0.8)
        change = {
            m.name: abs(
                toned(m, sheet, Setting(1.0, 100.0, pitch_mm=0.03)).lightness[0]
                - hidden_of(m, sheet, 1).made.bare_l
            )
            for m in (LONG, MARKER)
        }
        self.assertLess(change["Long Bed"], 5.0)
        self.assertGreater(change["Marker"], 10.0)

    def test_crossed_lines_engrave_darker_and_more_energy_until_it_burns_over(self):
        plain, crossed = toned(
            LONG,
            BIRCH,
            *(Setting(0.2, 200.0, pitch_mm=0.12, crosshatch=both) for both in (False, True)),
        ).lightness
        self.assertLess(crossed, plain)
        tones = list(
            toned(
                LONG, BIRCH, *(Setting(p, 200.0, pitch_mm=0.12) for p in (0.1, 0.2, 0.4, 0.6))
            ).lightness
        )
        self.assertEqual(tones, sorted(tones, reverse=True))
        over = toned(LONG, BIRCH, Setting(1.0, 20.0, pitch_mm=0.12)).lightness[0]
        self.assertGreater(over, min(tones))  # over-burn pales

    def test_lines_are_narrowest_in_focus_and_slots_come_out_wider_than_drawn(self):
        focus = kind_plan("focus").trial
        width = {one.cell: one.seen.kerf_mm for one in StandInBench(3).burn(focus)}
        narrowest = min(focus.cells, key=lambda cell: width[cell.id]).setting.focus_mm
        self.assertLessEqual(abs(narrowest), 2 * LONG.rayleigh_mm)
        most = max(abs(c.setting.focus_mm) for c in focus.cells)
        self.assertTrue(
            all(
                width[c.id] > min(width.values())
                for c in focus.cells
                if abs(c.setting.focus_mm) == most
            )
        )
        kerf = kind_plan("kerf").trial
        for one in StandInBench(3).burn(kerf):
            cell = kerf.cell(one.cell)
            if cell.mark == "comb":
                self.assertAlmostEqual(one.seen.kerf_mm, cell.nominal_mm + one.kerf_mm, delta=0.006)


class BenchTest(unittest.TestCase):
    def test_many_materials_and_every_family_is_one_of_them(self):
        self.assertGreaterEqual(len(MAKEUPS), 16)
        self.assertEqual(len({makeup for makeup in MAKEUPS.values()}), len(MAKEUPS))
        for family in FAMILIES:
            with self.subTest(family):
                self.assertIn(makeup_of(Stock("Some stock", family, 3.0)), MAKEUPS)

    def test_same_seed_same_burn_other_seed_other_stock(self):
        trial = cut_trial()
        one, two, other = (tuple(StandInBench(seed).burn(trial)) for seed in (4, 4, 5))
        self.assertEqual(one, two)
        self.assertNotEqual(one, other)
        self.assertNotEqual(
            StandInBench(4).truth(trial)["made"], StandInBench(5).truth(trial)["made"]
        )

    def test_every_cell_once_in_burning_order(self):
        trial = cut_trial()
        self.assertEqual(
            [one.cell for one in StandInBench(1).burn(trial)], [cell.id for cell in trial.in_order]
        )

    def test_verdicts_fit_the_depth_but_for_a_rare_misreading(self):
        trial = cut_trial()
        burnt = [one for seed in range(8) for one in StandInBench(seed).burn(trial)]
        wrong = sum((one.seen.verdict != "not_through") != one.through for one in burnt)
        self.assertLess(wrong, 0.03 * len(burnt))

    def test_engraved_cells_are_graded_light_right_or_dark(self):
        verdicts = {one.seen.verdict for one in StandInBench(1).burn(engrave_trial())}
        self.assertTrue(verdicts <= {"too_light", "right", "too_dark", "no_mark"})
        self.assertGreater(len(verdicts), 1)

    def test_lots_machine_states_and_places_on_the_sheet_differ(self):
        first, second = (hidden_of(LONG, replace(BIRCH, lot=lot), 1) for lot in ("7", "8"))
        self.assertNotEqual(first.made, second.made)
        self.assertNotEqual(first.takes_up, hidden_of(replace(LONG, state=2), BIRCH, 1).takes_up)
        here, there = (
            tuple(
                one.depth_mm for one in StandInBench(1).burn(replace(cut_trial(), on_sheet=place))
            )
            for place in (None, type(cut_trial().on_sheet)(300.0, 200.0))
        )
        self.assertNotEqual(here, there)

    def test_no_rest_lets_one_cell_warm_the_next(self):
        hot = cut_trial(cell_mm=8.0, gap_mm=2.0, burn_order="rows")
        none, rests = (
            np.mean([one.edge_heat for one in StandInBench(2).burn(replace(hot, rest_s=rest))])
            for rest in (0.0, 60.0)
        )
        self.assertGreater(none, 1.01 * rests)

    def test_the_best_setting_works_and_a_fifth_quicker_does_not(self):
        bench = StandInBench(6)
        setting, seconds = bench.best(LONG, BIRCH, "cut")
        self.assertAlmostEqual(seconds, 1000 * setting.passes / setting.speed_mm_s)
        self.assertGreaterEqual(bench.success(LONG, BIRCH, "cut", setting), 0.95)
        quicker = replace(setting, speed_mm_s=1.2 * setting.speed_mm_s)
        self.assertLess(
            bench.success(LONG, BIRCH, "cut", quicker),
            bench.success(LONG, BIRCH, "cut", setting) - 0.2,
        )
        self.assertIsNone(
            bench.best(NORTH, replace(BIRCH, thickness_mm=40.0, measured_mm=()), "cut")
        )

    def test_success_falls_as_the_cut_gets_quicker(self):
        hidden = hidden_of(LONG, BIRCH, 3)
        chances = success(
            hidden, LONG, BIRCH, "cut", [Setting(1.0, v, 1, 1.5) for v in (8.0, 24.0, 60.0)]
        )
        self.assertTrue(
            chances[0] > 0.99 and chances[2] < 0.01 and chances[0] >= chances[1] >= chances[2],
            chances,
        )
