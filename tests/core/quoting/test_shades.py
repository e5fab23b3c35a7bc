"""A picture through a measured tone curve: even steps of lightness, a safe file, its time."""

import base64
import io
import unittest
from dataclasses import replace

import numpy as np
from PIL import Image

from bench.motion import integrate
from olive_almanac.core.errors import BadFile, OutOfRange
from olive_almanac.core.fitting.tone_table import tone_table
from olive_almanac.core.light import lightness
from olive_almanac.core.quoting.job_plan import Layout, plan_job
from olive_almanac.core.quoting.pattern import Handling, parts_of, pattern_of
from olive_almanac.core.quoting.shades import picture_setting, shaded
from olive_almanac.core.records.job import FindingAnswer, GroupTask
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Sheet
from olive_almanac.formats.drawing_in import read_drawing
from olive_almanac.formats.gcode_check import check_gcode
from olive_almanac.formats.picture_in import luminance_of
from olive_almanac.steps.job_work import limits_of_run
from tests.core.quoting.test_job_plan import CUT, LONG, RED, program

SETTING = Setting(0.6, 150.0, pitch_mm=0.25, direction="x")
STEPS = np.linspace(0, 0.6, 12)


def truth(power):
    """L* over power: flat at first, then quick, then flat again."""
    return 80 - 45 * np.asarray(power) ** 3 / (np.asarray(power) ** 3 + 0.3**3)


TABLE = tone_table(STEPS.tolist(), truth(STEPS).tolist(), SETTING)


def png(pixels, **more):
    data = io.BytesIO()
    Image.fromarray(pixels).save(data, "PNG", **more)
    return data.getvalue()


RAMP = np.tile(np.linspace(0, 255, 200).astype(np.uint8), (100, 1))


class ShadesTest(unittest.TestCase):
    def made(self, luminance=None, box=(0.0, 0.0, 40.0, 20.0)):
        if luminance is None:
            luminance = luminance_of(png(RAMP), "ramp.png")
        return shaded(luminance, box, TABLE, LONG, "picture")

    def test_lightness_of_published_luminances(self):
        # CIE 15: L* 50 at Y 0.18418651851; 8 at 216/24389, where cube root and line meet
        np.testing.assert_allclose(lightness([0, 0.18418651851, 1]), [0, 50, 100], atol=1e-6)
        self.assertAlmostEqual(float(lightness(216 / 24389)), 8.0, 6)

    def test_grey_values_become_linear_light(self):
        # IEC 61966-2-1: grey 128 is 0.21586 of white; a clear dot is white
        shade = luminance_of(png(np.array([[0, 128, 255]], np.uint8)), "a.png")
        np.testing.assert_allclose(shade[0], [0, 0.21586, 1], atol=1e-5)
        clear = np.zeros((1, 1, 4), np.uint8)
        self.assertEqual(float(luminance_of(png(clear), "a.png")[0, 0]), 1.0)

    def test_a_picture_is_burnt_along_the_direction_of_its_strip(self):
        steep = np.tile(np.linspace(0.0, 1.0, 60)[:, None] ** 2.2, (1, 60)).astype(np.float32)
        for way, crossed, along_y in (("y", False, [True]), ("x", True, [False, True])):
            setting = replace(SETTING, direction=way, crosshatch=crossed)
            table = tone_table(STEPS.tolist(), truth(STEPS).tolist(), setting)
            made = shaded(steep, (0.0, 0.0, 40.0, 20.0), table, LONG, "picture")
            self.assertEqual([step.along_y for step in made.steps], along_y)
            step = made.steps[-1]  # along Y: 160 columns, each from dark below to light above
            self.assertEqual((len(step.rows), step.from_mm, step.to_mm), (160, 0.0, 20.0))
            np.testing.assert_allclose([step.rows[0][0], step.rows[-1][0]], [0.125, 39.875])
            (_, runs), powers = step.rows[80], step.powers[80]
            self.assertGreater(len(runs), 20)
            seen = truth(np.array(powers))
            middle = np.array([(a + b) / 2 for a, b in runs])
            wanted = np.interp(middle, np.arange(80) * 0.25 + 0.125, made.wanted_l[:, 80])
            self.assertLess(np.abs(seen - wanted).mean(), 1.5)

    def test_equal_steps_of_the_picture_become_equal_steps_of_lightness(self):
        made = self.made()
        (_, runs), powers = made.steps[0].rows[40], made.steps[0].powers[40]
        middle = np.array([(a + b) / 2 for a, b in runs])
        seen = truth(np.array(powers))
        wanted = np.interp(middle, np.arange(160) * 0.25 + 0.125, made.wanted_l[40])
        self.assertLess(np.abs(seen - wanted).mean(), 1.5)
        plain = truth(0.6 * (80 - wanted) / 45)
        self.assertGreater(np.abs(plain - wanted).mean(), 4 * np.abs(seen - wanted).mean())
        self.assertLess(made.off_l, made.plain_off_l)

    def test_dark_is_burnt_and_white_stays_bare_with_the_upper_row_on_top(self):
        half = np.vstack([np.zeros((50, 80)), np.ones((50, 80))]).astype(np.float32)
        made = self.made(half)
        below, above = made.steps[0].rows[0], made.steps[0].rows[-1]
        self.assertEqual((below[1], len(above[1])), ((), 1))
        self.assertGreater(above[0], below[0])

    def test_too_many_dots_are_told(self):
        with self.assertRaises(OutOfRange):
            self.made(box=(0.0, 0.0, 900.0, 900.0))


class PictureJobTest(unittest.TestCase):
    def drawing(self, **more):
        text = base64.b64encode(png(RAMP)).decode()
        svg = (
            '<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="50mm" '
            'viewBox="0 0 60 50" fill="none"><rect x="5" y="5" width="50" height="40" '
            'stroke="red"/><image x="10" y="10" width="40" height="30" '
            f'href="data:image/png;base64,{text}"/></svg>'
        )
        return read_drawing(svg.encode(), "dial.svg", **more)

    def test_a_picture_in_a_drawing_keeps_its_shape_in_the_middle_of_its_frame(self):
        (picture,) = self.drawing().pictures
        self.assertEqual(picture.size_mm, (40.0, 20.0))
        np.testing.assert_allclose(picture.corner_mm, (10.0, 15.0))

    def plan(self):
        drawing = self.drawing()
        tasks = (
            GroupTask(RED, "cut", "", CUT, (0.2, 0.1)),
            GroupTask("picture", "engrave", "", picture_setting(TABLE)),
        )
        shading = shaded(
            luminance_of(drawing.pictures[0].data, "p"), (10, 15, 50, 35), TABLE, LONG, "picture"
        )
        handling = Handling(shadings=(shading,))
        pattern = pattern_of(drawing, tasks, LONG, handling)
        layout = Layout(2, sheets=(Sheet(300, 200),))
        return (
            pattern,
            plan_job(pattern, LONG, layout),
            tasks,
            parts_of(drawing, tasks, LONG, handling),
        )

    def test_its_file_is_safe_burns_before_the_cut_and_takes_as_long_as_said(self):
        pattern, plan, tasks, parts = self.plan()
        self.assertTrue(pattern.is_engraved)
        self.assertEqual([group for _, group in pattern.steps], ["picture", RED])
        self.assertEqual([len(part.steps) for part in parts], [2])
        (run,) = plan.runs
        text = program(run, tasks)
        self.assertTrue(check_gcode(text, limits_of_run(run, Sheet(300, 200))).safe)
        words = {line.rpartition(" S")[2] for line in text.splitlines() if " S" in line}
        self.assertGreater(len(words), 30)
        self.assertLessEqual(max(float(word) for word in words if word[:1].isdigit()), 900)
        counted = integrate(text, run.ground.area[:2], LONG)
        self.assertAlmostEqual(run.seconds, counted, delta=0.005 * run.seconds)
        self.assertIn("without the measured curve", " ".join(plan.remarks))

    def test_pictures_that_cannot_be_read_are_left_out_and_told(self):
        for href in ("data:image/png;base64,AAAA", "file:///etc/passwd", "http://x/y.png"):
            svg = (
                '<svg xmlns="http://www.w3.org/2000/svg" width="9mm" height="9mm" '
                'viewBox="0 0 9 9"><rect width="5" height="5"/>'
                f'<image width="4" height="4" href="{href}"/></svg>'
            )
            drawing = read_drawing(svg.encode(), "a.svg")
            self.assertEqual((drawing.pictures, len(drawing.paths)), ((), 1))
            self.assertIn("picture", {one.kind for one in drawing.findings})

    def test_a_picture_file_has_the_size_of_its_resolution_or_is_asked_for_it(self):
        known = read_drawing(png(RAMP, dpi=(254, 254)), "face.png")
        np.testing.assert_allclose(known.pictures[0].size_mm, (20.0, 10.0), atol=1e-3)
        self.assertEqual(known.findings, ())
        asked = read_drawing(png(RAMP), "face.png")
        self.assertEqual(asked.findings[0].kind, "no size")
        told = read_drawing(png(RAMP), "face.png", answers=(FindingAnswer("no size", "mm"),))
        self.assertEqual(told.pictures[0].size_mm, (200.0, 100.0))
        with self.assertRaises(BadFile):
            read_drawing(png(RAMP)[:60], "face.png")

    def test_a_line_with_powers_is_moved_with_its_copy(self):
        _, plan, _, _ = self.plan()
        lines = [step for step, group in plan.runs[0].steps if group == "picture"]
        self.assertEqual(lines[0].powers, lines[1].powers)
        self.assertNotEqual(lines[0].from_mm, lines[1].from_mm)
        self.assertEqual(replace(lines[0], powers=()).rows, lines[0].rows)
