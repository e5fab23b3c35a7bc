"""Layers that are glued on each other: guides that stay hidden, on what the base offers."""

import unittest
from dataclasses import replace

import numpy as np
import shapely

from olive_almanac.core.quoting.layers import guide_inset, layered, layers_of
from olive_almanac.core.quoting.paths import flat
from olive_almanac.core.quoting.pattern import parts_of
from olive_almanac.core.records.job import GUIDES, GroupTask
from olive_almanac.core.records.stack import Stack
from olive_almanac.formats.drawing_in import read_drawing
from tests.core.quoting.test_job_plan import CUT, LONG, RED, SCORE

LINE_MM = 0.12


def relief(*layers):
    inside = "".join(
        f"<g><title>level {n}</title>{shapes}</g>" for n, shapes in enumerate(layers, 1)
    )
    text = (
        '<svg xmlns="http://www.w3.org/2000/svg" width="90mm" height="70mm" viewBox="0 0 90 70" '
        f'fill="none" stroke="red">{inside}</svg>'
    )
    return read_drawing(text.encode(), "relief.svg")


BASE = '<rect x="3" y="3" width="84" height="64"/>'
ISLE = '<rect x="20" y="20" width="40" height="30"/>'
PLAIN = Stack()
TINY = '<rect x="30" y="30" width="1" height="1"/>'


class LayersTest(unittest.TestCase):
    def layers(self, *shapes, stack=PLAIN, kerf=(0.2, 0.2)):
        drawing = relief(*shapes)
        tasks = [GroupTask(group, "cut", "", CUT, kerf) for group in drawing.groups]
        tasks = (*tasks, GroupTask(GUIDES, "score", "", SCORE))
        return list(layered(drawing, tasks, stack, line_mm=LINE_MM)), tasks

    def guides(self, layer):
        paths = [path for path in layer.drawing.paths if path.group == GUIDES]
        return shapely.union_all([shapely.LineString(flat(path)) for path in paths])

    def test_the_inset_of_a_guide(self):
        # kerf .16, line .12, placed to .2, cut to .03: 0.61 mm, 0.53 where the kerf is taken off
        self.assertAlmostEqual(guide_inset(0.12, 0.2, kerf_mm=0.16), 0.61, 2)
        self.assertAlmostEqual(guide_inset(0.12, 0.2), 0.53, 2)

    def test_a_guide_lies_so_far_inside_the_next_layer(self):
        (base, isle), _ = self.layers(BASE, ISLE)
        self.assertEqual((base.on, isle.on), ("", "level 1"))
        left, low, right, high = self.guides(base).bounds
        inset = guide_inset(LINE_MM, 0.2)
        np.testing.assert_allclose(
            [left, low, right, high], [20 + inset, 20 + inset, 60 - inset, 50 - inset], atol=1e-3
        )
        self.assertTrue(self.guides(isle).is_empty)
        loose, _ = self.layers(BASE, ISLE, kerf=None)
        self.assertAlmostEqual(self.guides(loose[0]).bounds[0], left + LINE_MM / 2, 3)

    def test_ninety_nine_in_a_hundred_stay_hidden(self):
        draw = np.random.default_rng(3)
        inset, n = guide_inset(LINE_MM, 0.2), 40_000
        edge = 0.03 * draw.standard_normal(n) + 0.2 * draw.standard_normal(n)
        self.assertAlmostEqual(np.mean(edge < inset - LINE_MM / 2), 0.99, delta=0.002)

    def test_too_small_a_part_gets_a_cross_and_a_guide_ends_with_its_base(self):
        (base, _), _ = self.layers(BASE, TINY)
        cross = self.guides(base)
        self.assertAlmostEqual(cross.length, 12.0)
        self.assertLess(cross.centroid.distance(shapely.Point(30.5, 39.5)), 0.01)
        over, _ = self.layers('<rect x="3" y="3" width="40" height="64"/>', ISLE)
        self.assertLess(self.guides(over[0]).bounds[2], 43)
        holed, _ = self.layers(BASE + '<rect x="30" y="10" width="10" height="50"/>', ISLE)
        hole = shapely.box(30, 10, 40, 60)
        self.assertAlmostEqual(self.guides(holed[0]).intersection(hole).length, 0.0)

    def test_the_base_may_come_last_and_a_layer_left_out_is_none(self):
        groups = [f"level {n} / {RED}" for n in (1, 2, 3)]
        self.assertEqual(
            layers_of(groups, Stack(base_first=False)), ("level 3", "level 2", "level 1")
        )
        drawing = relief(BASE, ISLE, TINY)
        tasks = [GroupTask(group, "cut", "", CUT) for group in drawing.groups]
        tasks[1] = replace(tasks[1], task="leave out", setting=None)
        names = [one.name for one in layered(drawing, tasks, Stack(), line_mm=LINE_MM)]
        self.assertEqual(names, ["level 1", "level 3"])

    def test_each_layer_becomes_pieces_with_guides_before_its_cut(self):
        layers, tasks = self.layers(BASE, ISLE + TINY.replace("30", "70"), TINY)
        parts = [parts_of(layer.drawing, tasks, LONG) for layer in layers]
        self.assertEqual([len(pieces) for pieces in parts], [1, 2, 1])
        groups = [group for _, group in parts[0][0].steps]
        self.assertEqual(groups[-1], f"level 1 / {RED}")
        self.assertEqual(set(groups[:-1]), {GUIDES})
