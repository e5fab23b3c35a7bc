"""Drawing and printed pages, read back with other libraries."""

import csv
import io
import math
import unittest
import xml.etree.ElementTree as ET

import cv2
import ezdxf
import numpy as np
import pypdfium2
from ezdxf.lldxf.tagwriter import TagWriter
from pypdf import PdfReader
from svgelements import SVG, Polygon, Polyline, Rect

from olive_almanac.core.records.entry import Evidence, Margins
from olive_almanac.formats.cells_csv import write_cells
from olive_almanac.formats.drawing import layers_of, write_dxf, write_svg
from olive_almanac.formats.dxf_lines import add_line, new_document
from olive_almanac.formats.gcode import write_gcode
from olive_almanac.formats.letters import letters
from olive_almanac.formats.pdf import trial_code, write_card, write_key
from olive_almanac.formats.pdf_pictures import page_pictures
from tests.samples import BIRCH, LONG, NORTH, cut_trial, kind_plan, sample_entry

MM = 96 / 25.4  # svgelements gives px at 96 to the inch


def shapes_of(trial):
    """What must be drawn: the boxes of fills, and the corners of every stroke, in coupon mm."""
    fills, lines = [], []
    for layer in layers_of(trial, letters()):
        fills += layer.fills
        lines += layer.lines
    return fills, lines


class SvgTest(unittest.TestCase):
    """Read back with svgelements."""

    def parse(self, trial):
        return SVG.parse(io.StringIO(write_svg(trial, letters())))

    def test_everything_lies_where_it_was_planned_to_the_micrometre(self):
        for trial in (
            kind_plan("grid").trial,
            kind_plan("kerf").trial,
            kind_plan("grid", "engrave", NORTH).trial,
            kind_plan("detail").trial,
        ):
            drawing, high = self.parse(trial), trial.coupon.height_mm
            self.assertAlmostEqual(drawing.width / MM, trial.coupon.width_mm, delta=1e-3)
            fills, lines = shapes_of(trial)
            rects = [one.bbox() for one in drawing.elements() if isinstance(one, Rect)]
            paths = [one for one in drawing.elements() if isinstance(one, (Polygon, Polyline))]
            self.assertEqual((len(rects), len(paths)), (len(fills), len(lines)))
            for (left, low, right, top), got in zip(fills, rects, strict=True):
                for a, b in zip((left, high - top, right, high - low), got, strict=True):
                    self.assertAlmostEqual(a, b / MM, delta=1e-3)
            for line, path in zip(lines, paths, strict=True):
                for (x, y), point in zip(line, path, strict=False):
                    self.assertAlmostEqual(x, point.x / MM, delta=1e-3)
                    self.assertAlmostEqual(high - y, point.y / MM, delta=1e-3)

    def test_one_named_layer_for_each_setting(self):
        trial = kind_plan("confirm").trial
        space = "{http://www.w3.org/2000/svg}"
        names = [
            one.find(f"{space}title").text
            for one in ET.fromstring(write_svg(trial)).findall(f"{space}g")
        ]
        self.assertEqual(len(names), 1)  # three cells, one setting
        grid = kind_plan("grid").trial
        layers = ET.fromstring(write_svg(grid, letters())).findall(f"{space}g")
        names = [layer.find(f"{space}title").text for layer in layers]
        self.assertEqual(len(set(names)), 24 + 2)
        self.assertTrue(names[0].startswith("photo marks: ") and names[1].startswith("labels: "))
        self.assertRegex(names[2], r"^\d+ %, [\d.]+ mm/s, 1 pass, focus 1.5 mm$")


class DxfTest(unittest.TestCase):
    """Read back with ezdxf's reader from the bytes alone."""

    def test_everything_lies_where_it_was_planned_to_the_micrometre_in_named_layers(self):
        for trial in (
            kind_plan("grid").trial,
            kind_plan("kerf").trial,
            kind_plan("grid", "engrave", NORTH).trial,
        ):
            document = ezdxf.read(io.StringIO(write_dxf(trial, letters())))
            self.assertEqual(document.units, 4)
            layers = list(layers_of(trial, letters()))
            named = {layer.dxf.name for layer in document.layers} - {"0", "Defpoints"}
            self.assertEqual(len(named), len(layers))
            fills, lines = shapes_of(trial)
            polylines = list(document.modelspace().query("LWPOLYLINE"))
            hatches = list(document.modelspace().query("HATCH"))
            self.assertEqual((len(polylines), len(hatches)), (len(lines), len(fills)))
            for line, got in zip(lines, polylines, strict=True):
                corners = [(x, y) for x, y, *_ in got.get_points()]
                for wanted, corner in zip(line, corners, strict=False):
                    self.assertAlmostEqual(math.dist(wanted, corner), 0, delta=1e-6)
            for (left, low, right, high), got in zip(fills, hatches, strict=True):
                xs, ys = zip(*[(x, y) for x, y, _ in got.paths[0].vertices], strict=True)
                for a, b in zip(
                    (left, low, right, high), (min(xs), min(ys), max(xs), max(ys)), strict=True
                ):
                    self.assertAlmostEqual(a, b, delta=1e-6)

    def test_a_line_of_many_points_is_written_as_the_library_writes_it_point_by_point(self):
        open_line = [(0.1, -2.0), (1e-7, 3.25), (120.123456, 1e6)]
        ring = [*open_line, open_line[0]]
        ours, theirs = new_document(), new_document()
        add_line(ours.modelspace(), open_line, "cut")
        add_line(ours.modelspace(), ring, "cut")
        look = {"layer": "cut"}
        theirs.modelspace().add_lwpolyline(open_line, dxfattribs=look)
        theirs.modelspace().add_lwpolyline(ring[:-1], close=True, dxfattribs=look)
        written, wanted = io.StringIO(), io.StringIO()
        for document, stream in ((ours, written), (theirs, wanted)):
            for line in document.modelspace():
                line.export_dxf(TagWriter(stream))
        self.assertEqual(written.getvalue(), wanted.getvalue())
        self.assertEqual(written.getvalue().count("LWPOLYLINE"), 2)
        self.assertEqual([line.closed for line in ours.modelspace()], [False, True])


class CellsCsvTest(unittest.TestCase):
    def test_a_line_for_each_cell_in_burning_order(self):
        trial = kind_plan("pitch", "engrave").trial
        rows = list(csv.DictReader(io.StringIO(write_cells(trial))))
        self.assertEqual([row["cell"] for row in rows], [cell.id for cell in trial.in_order])
        for row, cell in zip(rows, trial.in_order, strict=True):
            self.assertEqual(float(row["speed_mm_s"]), cell.setting.speed_mm_s)
            self.assertEqual(float(row["pitch_mm"]), cell.setting.pitch_mm)
            self.assertEqual(row["crosshatch"], "yes" if cell.setting.crosshatch else "no")


class PhotoMarkTest(unittest.TestCase):
    """The marks as they are burnt, drawn from the G-code itself and found by another library's
    detector.
    """

    def test_marks_are_found_where_they_were_planned_with_the_ids_of_the_coupon(self):
        trial = kind_plan("grid", marks_set=7).trial
        scale, (left, low, _, _) = 20, trial.area_mm
        width, height = (
            round(scale * side) for side in (trial.coupon.width_mm, trial.coupon.height_mm)
        )
        picture = np.full((height, width), 225, np.uint8)
        x = y = 0.0
        for line in write_gcode(trial, letters()).partition("(label")[0].splitlines():
            if line.startswith(("G0 X", "G1 X")):
                words = {word[0]: float(word[1:]) for word in line.split()}
                to_x, to_y = words["X"] - left, words.get("Y", y + low) - low
                if words.get("S"):  # a line is as wide as the pitch of the marks
                    ends = [
                        (round(scale * a), round(height - scale * b))
                        for a, b in ((x, y), (to_x, to_y))
                    ]
                    cv2.line(picture, *ends, 60, round(0.2 * scale) + 1)
                x, y = to_x, to_y
        detector = cv2.aruco.ArucoDetector(cv2.aruco.getPredefinedDictionary(cv2.aruco.DICT_4X4_50))
        corners, ids, _ = detector.detectMarkers(picture)
        self.assertEqual(sorted(ids.ravel()), [28, 29, 30, 31])
        for mark in trial.fiducials:
            found = corners[list(ids.ravel()).index(mark.id)][0].mean(0)
            self.assertAlmostEqual(found[0] / scale, mark.centre_mm[0], delta=0.15)
            self.assertAlmostEqual((height - found[1]) / scale, mark.centre_mm[1], delta=0.15)


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

    def test_its_code_names_the_trial(self):
        trial = kind_plan("grid").trial
        for paper in ("a4", "letter"):
            page = (
                pypdfium2.PdfDocument(write_key(trial, paper=paper))[0].render(scale=3).to_numpy()
            )
            found, *_ = cv2.QRCodeDetector().detectAndDecode(page)
            self.assertEqual(found, trial_code(trial.id))

    def test_prints_on_both_papers_and_goes_on_to_further_pages(self):
        trial = cut_trial(speed_mm_s=tuple(float(n) for n in range(5, 21)), cell_mm=6.0)
        for paper, width in (("a4", 595.3), ("letter", 612)):
            pages = PdfReader(io.BytesIO(write_key(trial, paper=paper))).pages
            self.assertAlmostEqual(float(pages[0].mediabox.width), width, delta=0.2)
            self.assertGreater(len(pages), 1)
        self.assertIn("D16", text_of(write_key(trial)))


class CardTest(unittest.TestCase):
    def test_shows_the_numbers_to_set_and_the_state(self):
        evidence = Evidence(
            ("coupon-1",), 24, 0.99, margins=Margins(speed=1.31), seconds_per_m=83.3
        )
        text = text_of(
            write_card(
                sample_entry(evidence=evidence),
                LONG,
                BIRCH,
                "Proven",
                "until 14 October 2026",
                speed_unit="mm/min",
            )
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

    def test_no_figure_is_drawn_in_the_serif_whose_1_reads_as_a_capital_i(self):
        pdf = PdfReader(io.BytesIO(write_card(sample_entry(), LONG, BIRCH, "On trial", "0 of 3")))
        faces = {}

        def see(text, _matrix, _place, font, _size):
            for letter in text:
                faces.setdefault(letter, set()).add(str((font or {}).get("/BaseFont", "")))

        pdf.pages[0].extract_text(visitor_text=see)
        self.assertTrue(any("Vollkorn" in face for face in faces["B"]), faces["B"])
        for figure in "1580":
            self.assertFalse(any("Vollkorn" in face for face in faces[figure]), faces[figure])

    def test_nothing_runs_off_the_card_however_much_is_known(self):
        evidence = Evidence(
            ("coupon-1",),
            24,
            0.99,
            margins=Margins(speed=1.31, keeps=0.95),
            seconds_per_m=5443.0,
            seconds_per_100cm2=5443.0,
            simulated=True,
        )
        entry = sample_entry(evidence=evidence, lot="a lot of a long name")
        card = write_card(entry, LONG, BIRCH, "Proven", "until 14 October 2026")
        page = next(page_pictures(card, 150))
        edge = round(8 * 150 / 25.4)
        self.assertEqual(page[:, -edge:].min(), 255)
        self.assertEqual(page[-edge // 2 :].min(), 255)
        self.assertLess(page.min(), 60)

    def test_same_entry_same_bytes(self):
        one, two = (write_card(sample_entry(), LONG, BIRCH, "On trial", "0 of 3") for _ in range(2))
        self.assertEqual(one, two)
