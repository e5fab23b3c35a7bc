"""Which readings count for a cut and how; fits of odd but real collections of readings."""

import unittest
from dataclasses import replace

import numpy as np

from olive_almanac.core.deciding.cut import decide_cut
from olive_almanac.core.deciding.cut_knowledge import know_cut
from olive_almanac.core.fitting.cut import case_of, data_of
from olive_almanac.core.records.reading import HOLDS, Reading
from olive_almanac.core.records.setting import Setting
from tests.samples import BIRCH, LONG, NORTH, cut_trial, kind_plan, read_by_energy

CASE = case_of(LONG, BIRCH)


def know(*pairs, machine=LONG, stock=BIRCH):
    return know_cut(machine, stock, pairs, rng=np.random.default_rng(4))


class DataTest(unittest.TestCase):
    def test_readings_lie_in_blocks_by_what_they_tell(self):
        trial = cut_trial()
        ids = [cell.id for cell in trial.cells]
        readings = [
            Reading(ids[0], "free"),
            Reading(ids[1], "not_through"),
            Reading(ids[2], "hangs"),
            Reading(ids[3], "push"),
            Reading(ids[4], "not_through", depth_mm=1.2),
            Reading(ids[5], None, flags=(HOLDS,)),
            Reading(ids[6], None, flags=("blur",)),
            Reading(ids[7], None, kerf_mm=0.2),
        ]
        data = data_of(CASE, [(trial, readings)])
        self.assertEqual(
            data.blocks, (2, 4, 5)
        )  # not through and holds; hangs and push; free; then the measured depth
        self.assertEqual(
            data.verdicts, ("not_through", "holds", "hangs", "push", "free", "not_through")
        )
        self.assertAlmostEqual(float(data.depth_mm[-1]), 1.2, places=5)
        self.assertEqual(data.ways, frozenset({"xy"}))

    def test_a_depth_beyond_the_thickness_is_no_depth(self):
        trial = cut_trial()
        data = data_of(CASE, [(trial, [Reading(trial.cells[0].id, "not_through", depth_mm=9.0)])])
        self.assertTrue(np.isnan(data.depth_mm).all())

    def test_lines_of_a_focus_test_say_nothing_of_getting_through(self):
        trial = kind_plan("focus").trial
        self.assertEqual(
            len(data_of(CASE, [(trial, [Reading(c.id, "free") for c in trial.cells])])), 0
        )


class OddCollectionsTest(unittest.TestCase):
    def test_five_thousand_readings_are_sane(self):
        trial = cut_trial()
        pairs = [(replace(trial, id=f"t{n}"), read_by_energy(trial, 2.2)) for n in range(209)]
        known = know(*pairs)
        decision = decide_cut(known, pairs)
        self.assertEqual(decision.cells_read, 209 * 24)
        self.assertTrue(decision.picks)
        edge = np.exp(known.edges(power=1.0, passes=1, focus_mm=1.5)).mean()
        self.assertAlmostEqual(60 / edge / 2.26, 1.0, delta=0.2)

    def test_the_same_cell_read_both_ways_a_hundred_times_leaves_the_doubt_open(self):
        trial = cut_trial()
        cell = trial.cells[12].id
        pairs = [
            (replace(trial, id=f"t{n}"), [Reading(cell, ("free", "not_through")[n % 2])])
            for n in range(100)
        ]
        known = know(*pairs)
        setting = trial.cell(cell).setting
        chance = float(
            known.chance(
                power=setting.power,
                speed_mm_s=setting.speed_mm_s,
                passes=1,
                focus_mm=setting.focus_mm,
            )
        )
        self.assertTrue(0.2 < chance < 0.8, chance)
        self.assertTrue(decide_cut(known, pairs).says)

    def test_air_steps_tell_what_air_does_to_several_passes(self):
        trial = cut_trial(
            power=(1.0,),
            speed_mm_s=(60.0, 80.0, 100.0, 120.0),
            passes=(6,),
            air=("off", "low", "full"),
        )
        needs = {"off": 8.0, "low": 5.0, "full": 3.5}
        readings = [
            Reading(
                c.id,
                "free" if 60 * 6 / c.setting.speed_mm_s > needs[c.setting.air] else "not_through",
            )
            for c in trial.cells
        ]
        known = know((trial, readings))
        off, full = (
            replace(known, air=air).edges(power=1.0, passes=6, focus_mm=1.5).mean()
            for air in ("off", "full")
        )
        self.assertGreater(full, off)

    def test_a_stock_nobody_knows_is_fitted_from_its_readings_alone(self):
        stock = replace(BIRCH, family="unknown", name="Mystery board", uid="m")
        trial = cut_trial(stock=stock, speed_mm_s=(5.0, 10.0, 20.0, 40.0, 80.0, 160.0))
        known = know((trial, read_by_energy(trial, 1.2)), stock=stock)
        edge = float(np.exp(known.edges(power=1.0, passes=1, focus_mm=1.5)).mean())
        self.assertAlmostEqual(60 / edge / 1.25, 1.0, delta=0.35)

    def test_a_weak_machine_on_thin_stock_still_finds_its_setting(self):
        stock = replace(BIRCH, thickness_mm=1.0, measured_mm=(1.0,), uid="thin")
        trial = cut_trial(NORTH, stock)
        known = know((trial, read_by_energy(trial, 0.9)), machine=NORTH, stock=stock)
        decision = decide_cut(known, [(trial, read_by_energy(trial, 0.9))])
        self.assertTrue(decision.picks or decision.next_cells)
        self.assertIsInstance(
            decision.next_cells[0] if decision.next_cells else decision.picks[0].setting, Setting
        )
