"""Dots that let a panel glow evenly, checked by following the light along it strip by strip."""

import unittest
from dataclasses import replace

import numpy as np

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.quoting.glow import dots_of, uses_up, with_dots
from olive_almanac.core.quoting.pattern import pattern_of
from olive_almanac.core.records.glow import EDGES, Glow
from olive_almanac.formats.drawing_in import read_drawing
from olive_almanac.steps.job_glow import glow_of, glow_texts
from tests.core.quoting.test_job_plan import LONG, TASKS

PANEL = (
    '<svg xmlns="http://www.w3.org/2000/svg" width="220mm" height="170mm" viewBox="0 0 220 170">'
    '<rect x="10" y="10" width="200" height="150" fill="black"/></svg>'
)
BLACK = "#000000"
GLOW = Glow(BLACK, "low", 2.0, 0.5, 0.25, 120.0, 0.4)


def strips(dots, along, across_mm, length_mm, k, pitch):
    """Follow the light from the lit edge: what each strip of a pitch lets out, per area."""
    rows = np.unique(np.round(along, 6))
    light, out = 1.0, []
    for row in rows:
        area = np.pi * (dots.radii_mm[np.isclose(along, row)] ** 2).sum()
        share = area / (across_mm * pitch)
        used = light * -np.expm1(-k * share * pitch)
        light -= used
        out.append(used)
    return np.array(out), light


class GlowTest(unittest.TestCase):
    drawing = read_drawing(PANEL.encode(), "panel.svg")

    def test_the_panel_glows_evenly_from_each_edge(self):
        for lit in EDGES:
            with self.subTest(lit):
                glow = replace(GLOW, lit=lit)
                dots = dots_of(self.drawing, glow)
                upright = lit in ("low", "high")
                along = dots.middles_mm[:, 1 if upright else 0]
                if lit in ("high", "right"):
                    along = -along
                length, across = (150.0, 200.0) if upright else (200.0, 150.0)
                step = np.diff(np.unique(np.round(along, 6))).mean()
                out, left = strips(dots, along, across, length, uses_up(glow), step)
                inner = out[2:-2]
                self.assertLess(np.ptp(inner) / inner.mean(), 0.08)
                self.assertAlmostEqual(left, dots.left_over, delta=0.05)

    def test_even_dots_fade_as_the_strip_did(self):
        k = uses_up(GLOW)
        light = np.exp(-k * GLOW.even * np.array([0.0, GLOW.even_mm]))
        self.assertAlmostEqual(light[1] / light[0], GLOW.fell)
        dots = dots_of(self.drawing, GLOW)
        even = replace(dots, radii_mm=np.full_like(dots.radii_mm, dots.radii_mm.mean()))
        out, _ = strips(even, dots.middles_mm[:, 1], 200.0, 150.0, k, np.sqrt(3))
        self.assertLess(out[-3] / out[2], 0.6)

    def test_dots_grow_lie_within_and_never_touch(self):
        dots = dots_of(self.drawing, GLOW)
        near = dots.middles_mm[:, 1] < 40
        far = dots.middles_mm[:, 1] > 130
        self.assertLess(dots.radii_mm[near].max(), dots.radii_mm[far].min())
        low, high = np.array([10, 10]), np.array([210, 160])
        self.assertTrue((dots.middles_mm - dots.radii_mm[:, None] >= low).all())
        self.assertTrue((dots.middles_mm + dots.radii_mm[:, None] <= high).all())
        self.assertLess(2 * dots.radii_mm.max(), GLOW.pitch_mm)

    def test_they_are_engraved_in_the_place_of_the_group(self):
        dotted = with_dots(self.drawing, GLOW)
        dots = dots_of(self.drawing, GLOW)
        self.assertEqual(len(dotted.paths), len(dots.radii_mm))
        pattern = pattern_of(dotted, TASKS, LONG)
        points = np.array(pattern.areas[0][1])
        x, y = points.T
        area = 0.5 * abs(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y))
        self.assertAlmostEqual(area, np.pi * dots.radii_mm[0] ** 2, delta=0.02 * area)

    def test_what_cannot_be_is_told(self):
        for wrong in ({"pitch_mm": 0.4}, {"group": "none"}):
            with self.assertRaises(OutOfRange):
                dots_of(self.drawing, replace(GLOW, **wrong))
        many = replace(GLOW, pitch_mm=1.2)  # 200 x 150 mm: about 24,000
        self.assertGreater(len(dots_of(self.drawing, many).radii_mm), 20_000)
        with self.assertRaisesRegex(OutOfRange, "at most 10,000.*engrave them"):
            dots_of(self.drawing, many, as_outlines=True)
        with self.assertRaisesRegex(OutOfRange, "glow fell"):
            glow_of(BLACK, "low", {**glow_texts(GLOW), "fell": "120"})
        self.assertEqual(glow_of(BLACK, "low", glow_texts(GLOW)), GLOW)
