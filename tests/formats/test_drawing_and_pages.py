"""Drawing and printed pages, read back with other libraries."""

import io
import unittest

from pypdf import PdfReader
from svgelements import SVG, Rect, SimpleLine

from olive_almanac.core.records.entry import Evidence, Margins
from olive_almanac.formats.pdf import write_card, write_key
from olive_almanac.formats.svg import write_svg
from tests.samples import BIRCH, LONG, NORTH, cut_trial, engrave_trial, sample_entry

MM = 96 / 25.4  # svgelements gives px at 96 to the inch


class SvgTest(unittest.TestCase):
    def parse(self, trial):
        return SVG.parse(io.StringIO(write_svg(trial)))

    def test_every_cell_lies_where_it_was_planned_to_the_micrometre(self):
        for trial in (cut_trial(), engrave_trial(NORTH)):
            drawing = self.parse(trial)
            self.assertAlmostEqual(drawing.width / MM, trial.coupon.width_mm, delta=1e-3)
            rects = [one for one in drawing.elements() if isinstance(one, Rect)]
            self.assertEqual(len(rects), len(trial.cells))
            for cell, rect in zip(trial.in_order, rects, strict=True):
                x, y, w, h = cell.rect_mm
                left, top, right, bottom = (side / MM for side in rect.bbox())
                for got, wanted in (
                    (left, x),
                    (right, x + w),
                    (top, trial.coupon.height_mm - y - h),
                    (bottom, trial.coupon.height_mm - y),
                ):
                    self.assertAlmostEqual(got, wanted, delta=1e-3)

    def test_one_named_layer_for_each_setting_and_one_for_the_corner(self):
        import xml.etree.ElementTree as ET

        trial = cut_trial()
        space = "{http://www.w3.org/2000/svg}"
        layers = ET.fromstring(write_svg(trial)).findall(f"{space}g")
        self.assertEqual([layer.get("id") for layer in layers], ["corner", *(cell.id for cell in trial.in_order)])
        names = [layer.find(f"{space}title").text for layer in layers[1:]]
        self.assertEqual(len(set(names)), len(trial.cells))
        self.assertRegex(names[0], r"^[A-D]\d: \d+ %, [\d.]+ mm/s, 1 pass$")
        self.assertEqual(len({layer.get("stroke") for layer in layers[1:]}), len(trial.cells))

    def test_corner_mark_is_drawn(self):
        lines = [one for one in self.parse(cut_trial()).elements() if isinstance(one, SimpleLine)]
        self.assertEqual(len(lines), 2)


def text_of(pdf: bytes) -> str:
    return "\n".join(page.extract_text() for page in PdfReader(io.BytesIO(pdf)).pages)


class KeySheetTest(unittest.TestCase):
    def test_holds_every_cell_with_its_setting(self):
        trial = cut_trial()
        text = text_of(write_key(trial, speed_unit="mm/min"))
        self.assertIn("Coupon 0001", text)
        self.assertIn("Speed, mm/min", text)
        for cell in trial.cells:
            self.assertIn(cell.id, text)
        self.assertIn("qualified laser safety officer", text)

    def test_prints_on_both_papers_and_goes_on_to_further_pages(self):
        trial = cut_trial(speed_mm_s=tuple(float(n) for n in range(5, 21)), cell_mm=6.0)
        for paper, width in (("a4", 595.3), ("letter", 612)):
            pages = PdfReader(io.BytesIO(write_key(trial, paper=paper))).pages
            self.assertAlmostEqual(float(pages[0].mediabox.width), width, delta=0.2)
            self.assertGreater(len(pages), 1)
        self.assertIn("D16", text_of(write_key(trial)))


class CardTest(unittest.TestCase):
    def test_shows_the_numbers_to_set_and_the_state(self):
        evidence = Evidence(("coupon-1",), 24, 0.99, margins=Margins(speed=1.31), seconds_per_m=83.3)
        text = text_of(
            write_card(sample_entry(evidence=evidence), LONG, BIRCH, "Proven", "until 14 October 2026", speed_unit="mm/min")
        )
        for words in (
            "Birch ply 3.0 mm",
            "85",
            "720",
            "mm/min",
            "Proven: until 14 October 2026",
            "Margin 31 %",
            "1 min 23 s per metre",
            "10600 nm",
        ):
            with self.subTest(words):
                self.assertIn(words, text)

    def test_same_entry_same_bytes(self):
        one, two = (write_card(sample_entry(), LONG, BIRCH, "On trial", "0 of 3") for _ in range(2))
        self.assertEqual(one, two)
