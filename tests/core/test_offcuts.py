"""Offcuts: outlines that are no rectangles, what lies beyond them, and their way out of a photo."""

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pypdfium2
import shapely

from bench.sheet_photos import off_mm, scene
from olive_almanac.core.errors import BadFile, OutOfRange
from olive_almanac.core.photo.locate import PhotoTrouble
from olive_almanac.core.photo.sheet import SHEET_MARK_IDS, SHEET_MARK_MM
from olive_almanac.core.placing.beyond import beyond_of
from olive_almanac.core.placing.room import free_share, largest_piece, room_on
from olive_almanac.core.quoting.job_plan import Layout, plan_job
from olive_almanac.core.quoting.pattern import pattern_of
from olive_almanac.core.quoting.place import outline_of
from olive_almanac.core.records.plain import from_plain, to_plain
from olive_almanac.core.records.stock import Sheet
from olive_almanac.steps.sheet_photo import read_sheet_photo, sheet_of, turned_sight, write_marks
from tests.core.quoting.test_job_plan import LONG, TASKS, drawing
from tests.samples import BIRCH

ELL = Sheet(
    300,
    200,
    (),
    (),
    ((0.0, 0.0), (300.0, 0.0), (300.0, 90.0), (120.0, 90.0), (120.0, 200.0), (0.0, 200.0)),
)
TRIANGLE = Sheet(300, 200, (), (), ((0.0, 0.0), (300.0, 0.0), (0.0, 200.0)))


class OutlineTest(unittest.TestCase):
    def test_what_lies_beyond_is_covered_and_little_else(self):
        for sheet, most in ((ELL, 1.001), (TRIANGLE, 1.1)):
            shape = shapely.Polygon(sheet.outline_mm)
            beyond = shapely.union_all([shapely.box(*box) for box in beyond_of(sheet)])
            outside = shapely.box(0, 0, 300, 200).difference(shape)
            self.assertLess(outside.difference(beyond).area, 0.01)
            self.assertLess(beyond.area, most * outside.area)
        self.assertEqual(beyond_of(Sheet(300, 200)), ())
        self.assertLess(len(beyond_of(TRIANGLE)), 30)

    def test_the_largest_piece_and_the_free_share_keep_within_it(self):
        self.assertEqual(largest_piece(ELL, 0.0), (0.0, 0.0, 300.0, 90.0))
        share = (300 * 90 + 120 * 110) / (300 * 200)
        self.assertAlmostEqual(free_share(ELL), share, 3)
        self.assertFalse(room_on(LONG, ELL).is_free((130, 100, 150, 120)))

    def test_copies_lie_on_what_is_there(self):
        for sheet in (ELL, TRIANGLE):
            plan = plan_job(pattern_of(drawing(), TASKS, LONG), LONG, Layout(30, sheets=(sheet,)))
            shape = shapely.Polygon(sheet.outline_mm)
            self.assertGreater(plan.copies, 3)
            for copy in plan.placed:
                self.assertTrue(shape.covers(outline_of(plan.pattern, copy)))

    def test_it_is_kept_with_the_stock_and_a_plain_sheet_says_nothing_of_it(self):
        stock = replace(BIRCH, sheets=(ELL, Sheet(100, 50)))
        plain = to_plain(stock)
        self.assertEqual(from_plain(type(stock), plain), stock)
        self.assertNotIn("outline_mm", plain["sheets"][1])

    def test_outlines_that_are_none_are_refused(self):
        for ring in (((0, 0), (1, 1)), ((0, 0), (400, 0), (0, 200)), ((0, 0), (1,), (0, 2))):
            with self.assertRaises(OutOfRange):
                Sheet(300, 200, (), (), ring)

    def test_a_corrected_outline_becomes_a_sheet(self):
        ring = np.add(ELL.outline_mm, (5.0, -3.0))
        self.assertEqual(sheet_of(ring, ()).outline_mm, ELL.outline_mm)
        box = [(0, 0), (200.3, 0.2), (200.1, 99.8), (0.1, 100.0)]
        made = sheet_of(box, ((10, 10, 20, 30), (190, 90, 250, 120), (300, 10, 310, 20)))
        self.assertEqual((made.width_mm, made.height_mm, made.outline_mm), (200.3, 100.0, ()))
        self.assertEqual(made.used_mm, ((10, 10, 20, 30), (190, 90, 200.3, 100.0)))


class SheetPhotoTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.data, cls.true, cls.thick = scene(5)
        cls.scratch = tempfile.TemporaryDirectory()
        cls.path = Path(cls.scratch.name) / "offcut.jpg"
        cls.path.write_bytes(cls.data)
        cls.sight = read_sheet_photo(cls.path, cls.thick)

    @classmethod
    def tearDownClass(cls):
        cls.scratch.cleanup()

    def test_the_outline_is_true_to_a_millimetre_and_burns_are_used_areas(self):
        self.assertLess(off_mm(self.sight.outline_mm, self.true), 1.0)
        self.assertEqual(len(self.sight.used_mm), 2)
        for left, low, right, high in self.sight.used_mm:
            self.assertTrue(28 < right - left < 36 and 18 < high - low < 28)

    def test_the_thickness_counts(self):
        thin = read_sheet_photo(self.path, 0.1)
        share = thin.size_mm[0] / self.sight.size_mm[0]
        self.assertTrue(1.002 < share < 1.02)

    def test_turned_by_a_quarter_four_times_it_is_itself(self):
        turned = self.sight
        for _ in range(4):
            turned = turned_sight(turned)
        np.testing.assert_allclose(turned.outline_mm, self.sight.outline_mm, atol=1e-9)
        once = turned_sight(self.sight)
        np.testing.assert_allclose(once.size_mm, self.sight.size_mm[::-1], atol=1e-9)
        self.assertEqual(once.picture.shape[:2], self.sight.picture.shape[1::-1])

    def test_photos_that_show_no_marks_or_no_sheet_are_told(self):
        blank = np.full((900, 1200, 3), 140, np.uint8)
        ok, data = cv2.imencode(".jpg", blank)
        self.assertTrue(ok)
        path = Path(self.scratch.name) / "blank.jpg"
        path.write_bytes(data.tobytes())
        with self.assertRaisesRegex(PhotoTrouble, "0 of the 4 printed marks"):
            read_sheet_photo(path, 3.0)
        path.write_bytes(b"no picture")
        with self.assertRaises(BadFile):
            read_sheet_photo(path, 3.0)

    def test_the_printed_marks_have_their_size(self):
        path = Path(self.scratch.name) / "marks.pdf"
        write_marks(path)
        page = pypdfium2.PdfDocument(path)[0].render(scale=4, grayscale=True).to_numpy()
        dictionary = cv2.aruco.getPredefinedDictionary(cv2.aruco.DICT_4X4_50)
        quads, ids, _ = cv2.aruco.ArucoDetector(dictionary).detectMarkers(page.squeeze())
        self.assertEqual(sorted(ids.ravel()), sorted(SHEET_MARK_IDS))
        for quad in quads:
            side = np.hypot(*(quad[0][1] - quad[0][0])) / 4 * 25.4 / 72
            self.assertAlmostEqual(side, SHEET_MARK_MM, delta=0.4)
