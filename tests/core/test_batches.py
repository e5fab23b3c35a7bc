"""Batches of the most telling cells: what the first is expected to tell, how it lies on the coupon,
what is burnt before it is called enough, and before it is called hopeless.
"""

import itertools
import unittest
from dataclasses import replace

import numpy as np

from olive_almanac.core.deciding.cut import decide_cut
from olive_almanac.core.deciding.cut_knowledge import know_cut
from olive_almanac.core.design.next_cells import next_cut_cells
from olive_almanac.core.design.plan import plan_trial
from olive_almanac.core.design.suggest import flare_limit_of, suggest_levels
from olive_almanac.core.design.telling import with_cells
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.setting import Setting
from olive_almanac.formats.letters import letters
from olive_almanac.standins.bench import StandInBench
from tests.samples import ALLOWED, BIRCH, DAY, LONG, NORTH

THICK = replace(BIRCH, uid="walnut-5", family="hardwood", thickness_mm=5.0, measured_mm=())


def first(machine=LONG, stock=BIRCH, **more):
    return suggest_levels(machine, stock, "cut", kind="next", lettering=letters(), **more)


def planned(choices, machine=LONG, stock=BIRCH, number=1):
    return plan_trial(
        machine,
        stock,
        "cut",
        choices,
        permission=ALLOWED,
        trial_id=f"batch-{number}",
        name="Coupon 0001",
        made=DAY,
        lettering=letters(),
        limit=flare_limit_of(stock),
        settle=True,
    ).trial


def decided(pairs, machine=LONG, stock=BIRCH, **more):
    known = know_cut(machine, stock, pairs, rng=np.random.default_rng(3))
    return decide_cut(known, pairs, limit=flare_limit_of(stock, pairs), **more)


class FirstBatchTest(unittest.TestCase):
    def test_eight_cells_are_expected_to_tell_most_of_what_is_open(self):
        for machine, stock in ((LONG, BIRCH), (NORTH, THICK)):
            known = know_cut(machine, stock, (), rng=np.random.default_rng(3))
            limit = flare_limit_of(stock)
            cells = next_cut_cells(known.posterior, known.case, limit=limit)
            self.assertLess(cells.sd_after, 0.5 * cells.log_time_sd)
            few = next_cut_cells(known.posterior, known.case, limit=limit, count=2)
            self.assertGreater(few.sd_after, cells.sd_after)
            same = next_cut_cells(known.posterior, known.case, limit=limit, instead=few.settings)
            self.assertAlmostEqual(same.sd_instead, few.sd_after, delta=0.02)

    def test_the_why_names_both_and_the_grid_can_be_had(self):
        found = first(NORTH, THICK)
        self.assertRegex(found.basis, r"^8 cells at a.*± \d+ %, a plain grid of 24 to ± \d+ %")
        self.assertEqual(found.choices.kind, "next")
        grid = suggest_levels(NORTH, THICK, "cut").choices
        self.assertEqual((grid.kind, len(grid.power) * len(grid.speed_mm_s)), ("grid", 24))

    def test_a_row_for_each_number_of_passes_and_every_cell_says_what_it_is(self):
        trial = planned(first(NORTH, THICK).choices, NORTH, THICK)
        for a, b in itertools.combinations(trial.cells, 2):
            if a.row == b.row:
                self.assertEqual(a.setting.passes, b.setting.passes)
        labels = {label.text for label in trial.labels}
        for cell in trial.cells:
            self.assertIn(f"x{cell.setting.passes}", " ".join(labels))
            self.assertTrue(
                any(text.startswith(f"{cell.setting.speed_mm_s:.3g} ") for text in labels)
            )
        energies = [trial.energy_of(cell) for cell in trial.in_order]
        self.assertLess(energies[0], energies[-1])
        self.assertLess(max(trial.coupon.width_mm, trial.coupon.height_mm), 160)

    def test_speeds_can_be_dialled_and_are_never_slower_than_asked_for(self):
        grid = suggest_levels(LONG, BIRCH, "cut", speed_unit="mm/min").choices
        asked = [Setting(1.0, v, n, 1.5) for v, n in ((8.4567, 1), (31.77777, 2), (499.99, 3))]
        made = with_cells(grid, asked, LONG)
        for cell, wanted in zip(made.settings, asked, strict=True):
            self.assertTrue(0 <= cell.speed_mm_s / wanted.speed_mm_s - 1 < 0.01)
            self.assertLessEqual(cell.speed_mm_s, LONG.max_speed_mm_s)
        dialled = made.settings[0].speed_mm_s * 60
        self.assertAlmostEqual(dialled, round(dialled), places=6)


class BeforeItIsEnoughTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        """The way to a pick that is enough: trials and readings, and every reason for a cell."""
        choices, cls.pairs, cls.reasons = first().choices, [], set()
        grid = suggest_levels(LONG, BIRCH, "cut").choices
        for number in range(8):
            trial = planned(choices, number=number)
            cls.pairs.append((trial, [one.seen for one in StandInBench(4).burn(trial)]))
            cls.decision = decided(cls.pairs)
            if cls.decision.enough:
                break
            cls.reasons |= set(cls.decision.next_reasons)
            choices = with_cells(grid, cls.decision.next_cells, LONG)

    def near(self, setting):
        pick = self.decision.picks[0].setting
        quicker = abs(np.log(setting.speed_mm_s / pick.speed_mm_s))
        return setting.passes == pick.passes and quicker < 0.1

    def test_the_pick_is_proved_around_its_focus_before_it_is_called_enough(self):
        self.assertTrue(self.decision.enough)
        self.assertIn("whether the pick takes a focus 1 mm higher", self.reasons)
        self.assertIn("whether the pick takes a focus 1 mm lower", self.reasons)
        pick = self.decision.picks[0].setting
        settings = [cell.setting for trial, _ in self.pairs for cell in trial.cells]
        off = [one.focus_mm - pick.focus_mm for one in settings if self.near(one)]
        self.assertTrue(min(off) < -0.6 and max(off) > 0.6, off)

    def test_cells_of_another_power_are_no_proof(self):
        off_focus = self.decision.picks[0].setting.focus_mm

        def weaker(cell):
            if not self.near(cell.setting) or abs(cell.setting.focus_mm - off_focus) < 0.6:
                return cell
            return replace(cell, setting=replace(cell.setting, power=0.99))

        pairs = [
            (replace(trial, cells=tuple(map(weaker, trial.cells))), seen)
            for trial, seen in self.pairs
        ]
        self.assertNotEqual(pairs, self.pairs)
        again = decided(pairs)
        self.assertFalse(again.enough)
        self.assertIn("whether the pick takes a focus", " ".join(again.next_reasons))


class DepthTest(unittest.TestCase):
    def test_where_nothing_got_through_the_likeliest_cell_is_to_be_gauged_and_tells(self):
        block = replace(THICK, thickness_mm=10.0)
        trial = planned(first(NORTH, block).choices, NORTH, block)
        seen = [Reading(cell.id, "not_through") for cell in trial.cells]
        asked = " ".join(decided([(trial, seen)], NORTH, block).remarks)
        self.assertRegex(asked, r"How deep is \w+ of Coupon 0001\?")
        name = asked.split("How deep is ")[1].split()[0]
        energies = {cell.id: trial.energy_of(cell) for cell in trial.cells}
        self.assertGreater(energies[name], np.median(list(energies.values())))
        told = [replace(one, depth_mm=9.0) if one.cell == name else one for one in seen]
        self.assertNotIn("How deep", " ".join(decided([(trial, told)], NORTH, block).remarks))

        def doubt(readings):
            known = know_cut(NORTH, block, [(trial, readings)], rng=np.random.default_rng(3))
            return next_cut_cells(known.posterior, known.case, limit=flare_limit_of(block))

        self.assertLess(doubt(told).log_time_sd, 0.9 * doubt(seen).log_time_sd)
        through = [replace(seen[0], verdict="hangs"), *seen[1:]]
        self.assertNotIn("How deep", " ".join(decided([(trial, through)], NORTH, block).remarks))


class BeforeItIsHopelessTest(unittest.TestCase):
    def test_other_heights_of_the_focus_are_tried_before_giving_up(self):
        block = replace(THICK, thickness_mm=12.0)
        grid = suggest_levels(NORTH, block, "cut").choices
        choices, pairs, said = first(NORTH, block).choices, [], []
        for number in range(8):
            trial = planned(choices, NORTH, block, number)
            pairs.append((trial, [Reading(cell.id, "not_through") for cell in trial.cells]))
            decision = decided(pairs, NORTH, block)
            said.append(decision.says)
            if decision.never:
                break
            if "Before giving up" in decision.says:
                self.assertIn(0.0, {cell.focus_mm for cell in decision.next_cells})
            choices = with_cells(grid, decision.next_cells, NORTH)
        self.assertTrue(decision.never, said)
        self.assertIn("Before giving up", said[-2])


if __name__ == "__main__":
    unittest.main()
