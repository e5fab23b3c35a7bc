"""A machine whose focus is set by hand: each coupon and each job has one focus, no file moves the
head up or down, and the way to a pick is the same.
"""

import re
import unittest
from dataclasses import replace

from olive_almanac.core.design.kinds.kind import kinds_for
from olive_almanac.core.design.suggest import suggest_levels
from olive_almanac.core.design.telling import with_cells
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.motion.program import moves_focus
from olive_almanac.core.quoting.pattern import pattern_of
from olive_almanac.core.records.job import GroupTask
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.setting import Setting
from olive_almanac.formats.drawing_in import read_drawing
from olive_almanac.formats.gcode import gcode_blocks
from olive_almanac.formats.letters import letters
from olive_almanac.standins.bench import StandInBench
from tests.core.test_batches import THICK, decided, first, planned
from tests.samples import BIRCH, LONG, NORTH, kind_plan

HAND = replace(NORTH, focus_by_hand=True)


def focuses(settings):
    return {one.focus_mm for one in settings}


class BatchTest(unittest.TestCase):
    def way(self, stock, readings, most=8):
        """Batches on the machine by hand until it is enough or given up."""
        grid = suggest_levels(HAND, stock, "cut").choices
        choices, pairs = first(HAND, stock).choices, []
        for number in range(most):
            trial = planned(choices, HAND, stock, number)
            self.assertEqual(len(focuses(cell.setting for cell in trial.cells)), 1)
            self.assertFalse(moves_focus(trial))
            pairs.append((trial, readings(trial)))
            decision = decided(pairs, HAND, stock)
            if decision.enough or decision.never:
                break
            self.assertEqual(len(focuses(decision.next_cells)), 1)
            self.assertEqual(len(decision.next_reasons), len(decision.next_cells))
            choices = with_cells(grid, decision.next_cells, HAND)
        return decision, pairs

    def test_a_driven_focus_varies_within_a_batch_and_one_by_hand_does_not(self):
        self.assertGreater(len(focuses(first(NORTH, BIRCH).choices.settings)), 1)
        self.assertEqual(len(focuses(first(HAND, BIRCH).choices.settings)), 1)

    def test_it_gets_to_a_pick_and_says_when_it_is_enough(self):
        decision, pairs = self.way(
            THICK, lambda trial: [one.seen for one in StandInBench(4).burn(trial)], most=10
        )
        self.assertTrue(decision.picks, decision.says)
        self.assertGreaterEqual(decision.picks[0].probability, 0.95)
        self.assertTrue(decision.enough, decision.says)
        heights = {trial.cells[0].setting.focus_mm for trial, _ in pairs}
        self.assertIn(decision.picks[0].setting.focus_mm, heights)

    def test_other_heights_are_tried_one_coupon_after_the_other_before_giving_up(self):
        block = replace(THICK, thickness_mm=12.0)
        decision, pairs = self.way(
            block, lambda trial: [Reading(cell.id, "not_through") for cell in trial.cells], 12
        )
        self.assertTrue(decision.never, decision.says)
        self.assertGreater(len({trial.cells[0].setting.focus_mm for trial, _ in pairs}), 1)

    def test_its_files_have_no_word_for_the_height(self):
        driven, by_hand = (
            planned(first(machine, BIRCH).choices, machine) for machine in (NORTH, HAND)
        )
        for trial, moves in ((driven, True), (by_hand, False)):
            text = b"".join(gcode_blocks(trial, letters())).decode()
            self.assertEqual(bool(re.search(r"^[^(]*Z", text, re.M)), moves)


class PlanTest(unittest.TestCase):
    def test_kinds_that_drive_the_focus_are_not_offered(self):
        driven, by_hand = (
            {kind.id for kind in kinds_for("cut", focus_by_hand=hand)} for hand in (False, True)
        )
        self.assertEqual(driven - by_hand, {"focus", "bed"})

    def test_steps_of_the_focus_are_refused_and_a_ramp_is_not(self):
        heights = (-2.0, -1.0, 0.0, 1.0, 2.0)
        with self.assertRaisesRegex(
            OutOfRange, "one height in a file, for the focus of North Bench is set by hand"
        ):
            kind_plan("focus", machine=HAND, focus_mm=heights)
        with self.assertRaisesRegex(OutOfRange, "Focus step must be one height"):
            kind_plan("grid", machine=HAND, focus_step_mm=0.5, passes=(2,))
        ramp = kind_plan("ramp", machine=HAND, focus_mm=heights, slope=0.1).trial
        self.assertEqual(len(focuses(cell.setting for cell in ramp.cells)), 5)
        self.assertTrue(kind_plan("grid", machine=HAND, focus_mm=(1.0,)).trial.cells)


class JobTest(unittest.TestCase):
    def test_groups_of_one_height_are_a_job_and_others_are_told(self):
        svg = (
            '<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="50mm" '
            'viewBox="0 0 60 50" fill="none"><path d="M5 5h20v9z" stroke="red"/>'
            '<path d="M5 30h20" stroke="blue"/></svg>'
        )
        drawing = read_drawing(svg.encode(), "plate.svg")

        def tasks(height, step=0.0):
            cut = Setting(0.9, 12.0, 2, 1.0, focus_step_mm=step)
            return (
                GroupTask("#ff0000", "cut", "", cut),
                GroupTask("#0000ff", "score", "", Setting(0.2, 60.0, 1, height)),
            )

        self.assertEqual(len(pattern_of(drawing, tasks(1.0), HAND).steps), 2)
        self.assertEqual(len(pattern_of(drawing, tasks(0.0), LONG).steps), 2)
        with self.assertRaisesRegex(OutOfRange, "a file of their own, not 0, 1 mm"):
            pattern_of(drawing, tasks(0.0), HAND)
        with self.assertRaisesRegex(OutOfRange, "Focus step must be .*set by hand"):
            pattern_of(drawing, tasks(1.0, step=0.5), HAND)
        only = (tasks(0.0)[0], GroupTask("#0000ff"))
        self.assertEqual(len(pattern_of(drawing, only, HAND).steps), 1)


if __name__ == "__main__":
    unittest.main()
