"""Tones made of dots: which dots burn, what a dot strip tells, a picture in dots, the strip's
files and its way through the window.
"""

import unittest

import numpy as np
from PySide6.QtCore import Qt

from olive_almanac.core.design.kinds.dots import SHARES
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.fitting.dot_table import dot_table, dot_table_of, mixed_lightness
from olive_almanac.core.light import lightness, luminance
from olive_almanac.core.placing.dots import burnt_runs, diffused, flat_dots
from olive_almanac.core.quoting.shades import picture_setting, shaded
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.setting import Setting
from olive_almanac.formats.drawing import layers_of
from olive_almanac.formats.gcode import write_gcode
from olive_almanac.formats.gcode_check import check_gcode
from olive_almanac.formats.letters import letters
from olive_almanac.standins.bench import StandInBench
from tests.core.quoting.test_shades import RAMP, png
from tests.samples import BIRCH, LONG, area_limits, kind_plan, whole_run
from tests.second_reader import faults_of
from tests.views.test_stations import ShopCase

SETTING = Setting(0.3, 200.0, pitch_mm=0.16)
RNG = np.random.default_rng


def one_by_one(share):
    """Floyd and Steinberg's diffusion, dot by dot (from memory)."""
    rows, columns = share.shape
    left, dots = np.zeros((rows + 1, columns + 2)), np.zeros((rows, columns), bool)
    left[:rows, 1:-1] = share
    for r in range(rows):
        for c in range(1, columns + 1):
            dots[r, c - 1] = left[r, c] >= 0.5
            rest = (left[r, c] - dots[r, c - 1]) / 16
            for dr, dc, weight in ((0, 1, 7), (1, -1, 3), (1, 0, 5), (1, 1, 1)):
                left[r + dr, c + dc] += weight * rest
    return dots


class DiffusionTest(unittest.TestCase):
    def test_all_dots_of_a_slanting_line_at_once_are_those_of_one_after_the_other(self):
        for shape in ((1, 1), (1, 9), (9, 1), (23, 31), (31, 12)):
            share = RNG(shape).random(shape)
            with self.subTest(shape):
                np.testing.assert_array_equal(diffused(share), one_by_one(share))

    def test_near_each_place_as_many_burn_as_its_share_says(self):
        for share in (0.0, 0.06, 0.3, 0.5, 0.87, 1.0):
            dots = flat_dots(20, 20, 0.2, share)
            with self.subTest(share):
                self.assertAlmostEqual(dots.mean(), share, delta=0.006)
                for corner in (dots[:50, :50], dots[50:, 50:]):
                    self.assertAlmostEqual(corner.mean(), share, delta=0.02)

    def test_runs_are_the_dots(self):
        dots = np.array([[1, 1, 0, 1], [0, 0, 0, 0], [0, 1, 1, 1]], bool)
        rows = burnt_runs(dots, (10.0, 20.0, 12.0, 21.5))
        self.assertEqual([height for height, _ in rows], [20.25, 20.75, 21.25])
        self.assertEqual(
            [runs for _, runs in rows], [((10.0, 11.0), (11.5, 12.0)), (), ((10.5, 12.0),)]
        )


class DotTableTest(unittest.TestCase):
    def test_shares_without_gain_mix_in_linear_light(self):
        # Murray 1936, Davies 1935: R = a R_solid + (1 - a) R_bare
        light = 0.25 * luminance(30.0) + 0.75 * luminance(80.0)
        found = mixed_lightness(0.25, 80.0, 30.0, 1.0, 1.0)
        self.assertAlmostEqual(float(found), float(lightness(light)), 6)

    def test_gain_and_bend_are_found_and_greys_come_out_even(self):
        for bare, solid, gain, bend in ((80, 30, 1.8, 1.5), (78, 40, 1.0, 2.4), (25, 70, 2.5, 1.0)):
            seen = mixed_lightness(SHARES, bare, solid, gain, bend)
            noise = RNG(4).normal(0, 0.5, len(SHARES))
            table = dot_table(SHARES, (seen + noise).tolist(), SETTING, blank=bare)
            made = mixed_lightness(table.share, bare, solid, gain, bend)
            even = np.linspace(bare, solid, len(made))
            with self.subTest(bare=bare, gain=gain):
                self.assertLess(np.abs(made - even).mean(), 0.8)
                self.assertTrue((np.diff(table.share) >= 0).all())

    def test_too_few_or_too_faint_patches_are_told(self):
        with self.assertRaisesRegex(OutOfRange, "at least 8"):
            dot_table(SHARES[:5], [80, 70, 60, 50, 40], SETTING)
        with self.assertRaisesRegex(OutOfRange, "at least 5 L"):
            dot_table(SHARES, np.linspace(80, 78, 12).tolist(), SETTING)

    def test_a_picture_in_dots_has_one_power_and_the_tone_that_is_wanted(self):
        seen = mixed_lightness(SHARES, 80, 30, 1.6, 1.4).tolist()
        table = dot_table(SHARES, seen, SETTING, blank=80)
        luminance = np.tile(np.linspace(0, 1, 200, dtype=np.float32) ** 2.2, (120, 1))
        made = shaded(luminance, (0, 0, 48.0, 32.0), table, LONG, "picture")
        self.assertEqual((made.steps[0].setting, made.steps[0].powers), (SETTING, ()))
        self.assertEqual(picture_setting(table), SETTING)
        dots = made.made_l < 50
        columns = dots.reshape(dots.shape[0], 10, -1).mean((0, 2))  # shares of ten stripes
        tones = mixed_lightness(columns, 80, 30, 1.6, 1.4)
        wanted = made.wanted_l.reshape(dots.shape[0], 10, -1).mean((0, 2))
        self.assertLess(np.abs(tones - wanted)[1:-1].max(), 1.5)


class DotStripTest(unittest.TestCase):
    def setUp(self):
        self.trial = kind_plan("dots", "engrave").trial

    def test_its_file_is_safe_and_its_drawing_holds_the_same_dots(self):
        text = write_gcode(self.trial, letters())
        self.assertTrue(check_gcode(text, area_limits(self.trial)).safe)
        self.assertEqual(faults_of(text, area_limits(self.trial)), [])
        (layer,) = [one for one in layers_of(self.trial, letters()) if one.cells]
        self.assertEqual(layer.fills, ())
        pitch = self.trial.cells[0].setting.pitch_mm
        for cell in self.trial.cells:
            x, y, w, h = cell.rect_mm
            mine = [
                line
                for line in layer.lines
                if x - 1e-6 <= line[0][0] <= x + w and y <= line[0][1] <= y + h
            ]
            burnt = sum(end[0] - start[0] for start, end in mine) * pitch / (w * h)
            with self.subTest(cell.dots):
                self.assertAlmostEqual(burnt, cell.dots, delta=0.03)

    def test_more_dots_are_darker_on_the_stand_in_and_tell_a_curve(self):
        burnt = {one.cell: one for one in StandInBench(3).burn(self.trial)}
        cells = sorted(self.trial.cells, key=lambda cell: cell.dots)
        tones = [burnt[cell.id].lightness for cell in cells]
        self.assertEqual(tones, sorted(tones, reverse=True))
        readings = [Reading(cell.id, lightness=burnt[cell.id].lightness) for cell in cells]
        table = dot_table_of(self.trial, readings)
        self.assertLess(table.off_l, 3)


class DotsInTheWindowTest(ShopCase):
    """A picture burnt in dots: nothing is guessed without a strip; with one it is laid out."""

    trial = kind_plan("dots", "engrave").trial

    def fill(self, library):
        library.save_trial(self.trial, "decide", "burnt")
        library.save_run(self.trial.id, whole_run(self.trial), "burnt")
        seen = [
            Reading(one.cell, lightness=one.lightness) for one in StandInBench(3).burn(self.trial)
        ]
        library.save_readings(self.trial.id, seen, "read")

    def test_a_picture_is_burnt_in_dots_by_the_strip(self):
        self.session.choose(machine=LONG.uid, stock=BIRCH.uid, task="engrave")
        self.alt(Qt.Key.Key_5)
        self.wait_for(lambda: self.page().presenter.finished)
        self.assertIn("patches of dots", self.page().tone_chart.accessibleDescription())
        picture = self.folder.parent / "dial.png"
        picture.write_bytes(png(RAMP, dpi=(254, 254)))
        self.alt(Qt.Key.Key_7)
        self.page().read_file(picture)
        jobs = self.page().presenter
        self.wait_for(lambda: jobs.drawing is not None and jobs.lines())
        self.assertIn("no greyscale strip was read", jobs.lines()[0].reason)
        self.page().groups.dots_picked.emit(True)
        self.wait_for(lambda: jobs.result is not None and jobs.is_current)
        (line,) = jobs.lines()
        self.assertIn(self.trial.name, line.reason)
        (shading,) = line.shadings
        self.assertEqual(shading.steps[0].powers, ())
        self.assertEqual(len(np.unique(shading.made_l)), 2)
        self.assertTrue(jobs.job.dots)
