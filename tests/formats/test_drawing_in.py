"""Drawings read back: against another library's reading, units to the millimetre, and bad files."""

import io
import math
import random
import unittest
from unittest import mock

import ezdxf
import numpy as np
import shapely
import svgelements

from olive_almanac.core.errors import BadFile
from olive_almanac.core.quoting.paths import flat
from olive_almanac.formats import drawing_tally
from olive_almanac.formats.drawing_in import read_drawing, reading_drawing

SVG = '<svg xmlns="http://www.w3.org/2000/svg" width="{0}" height="{1}" viewBox="{2}">{3}</svg>'
INK = 'fill="none" stroke="#f00"'


def svg(inside, size=("100mm", "100mm"), box="0 0 100 100"):
    return SVG.format(*size, box, inside).encode()


def lines(data, name="a.svg", tolerance=1e-3):
    return [flat(path, tolerance) for path in read_drawing(data, name).paths]


def kinds(data, name="a.svg", **more):
    return [finding.kind for finding in read_drawing(data, name, **more).findings]


def dxf(fill, insunits=4, version="R2010"):
    document = ezdxf.new(version)
    document.header["$INSUNITS"] = insunits
    fill(document)
    text = io.StringIO()
    document.write(text)
    return text.getvalue().encode()


class SvgTest(unittest.TestCase):
    def test_units_are_right_to_the_micrometre(self):
        # SVG 1.1, 7.10: 1 in = 25.4 mm = 96 px (CSS 2.1) = 72 pt = 6 pc
        for size in ("101.6mm", "10.16cm", "4in", "384px", "288pt", "24pc"):
            (points,) = lines(svg(f'<path {INK} d="M0 0h50"/>', (size, size), "0 0 100 100"))
            self.assertAlmostEqual(math.dist(points[0], points[-1]), 50.8, 6, size)

    def test_y_runs_up_and_the_page_is_where_it_was(self):
        (points,) = lines(svg(f'<path {INK} d="M10 20L30 20"/>'))
        np.testing.assert_allclose(points, [[10, 80], [30, 80]])
        wide = svg(f'<path {INK} d="M0 0L100 0"/>', ("300mm", "100mm"))
        np.testing.assert_allclose(lines(wide)[0], [[100, 100], [200, 100]])  # kept in the middle

    def test_a_drawing_without_a_size_is_asked_about(self):
        bare = b'<svg xmlns="http://www.w3.org/2000/svg"><path stroke="red" d="M0 0h96"/></svg>'
        self.assertEqual(kinds(bare), ["pixels"])
        self.assertAlmostEqual(float(np.ptp(lines(bare)[0][:, 0])), 25.4, 9)
        boxed = SVG.format("", "", "0 0 96 96", f'<path {INK} d="M0 0h96"/>')
        boxed = boxed.replace('width="" height="" ', "").encode()
        self.assertEqual(kinds(boxed), ["no size"])

    def test_shapes_of_every_kind_have_their_length(self):
        shapes = {
            '<rect x="1" y="2" width="30" height="20"/>': 100,
            # a rounded rectangle: 2 (w + h) - 8 r + 2 pi r
            '<rect x="1" y="2" width="30" height="20" rx="5"/>': 100 - 40 + 10 * math.pi,
            '<circle cx="50" cy="50" r="10"/>': 20 * math.pi,
            '<line x1="0" y1="0" x2="3" y2="4"/>': 5,
            '<polyline points="0,0 3,4 3,10"/>': 11,
            '<polygon points="0,0 3,0 3,4"/>': 12,
            '<path d="M0 0a5 5 0 0110 0"/>': 5 * math.pi,  # flags without a space
            '<path d="M0 0h10v10h-10z"/>': 40,
        }
        for shape, length in shapes.items():
            (points,) = lines(svg(f"<g {INK}>{shape}</g>"), tolerance=1e-5)
            got = np.hypot(*np.diff(points, axis=0).T).sum()
            self.assertAlmostEqual(got, length, 2, shape)

    def test_random_paths_lie_where_another_library_puts_them(self):
        rng = random.Random(4)
        worst, compared = 0.0, 0
        for _ in range(40):
            data = _random_path(rng)
            ours = lines(svg(f'<path {INK} d="{data}"/>'), tolerance=1e-4)
            theirs = [
                np.array([(p.x, 100 - p.y) for p in _sampled(part)])
                for part in svgelements.Path(data).as_subpaths()
            ]
            theirs = [points for points in theirs if len(points) and np.ptp(points) > 1e-9]
            self.assertEqual(len(ours), len(theirs), data)
            for mine, other in zip(ours, theirs, strict=True):
                apart = shapely.hausdorff_distance(
                    shapely.LineString(mine), shapely.LineString(other)
                )
                worst, compared = max(worst, apart), compared + 1
        self.assertGreater(compared, 40)
        self.assertLess(worst, 0.02)

    def test_groups_are_layers_and_colours_however_they_are_said(self):
        layered = svg(
            "<style>.c{stroke:#00f}#x{stroke:lime}</style>"
            '<g xmlns:k="urn:layers" k:label="holes" fill="none">'
            '<path class="c" d="M0 0h9"/><path id="x" d="M0 1h9"/>'
            '<path style="stroke:rgb(255,0,0)" d="M0 2h9"/><path stroke="#F00" d="M0 3h9"/></g>'
            '<path fill="black" d="M0 4h9v1z"/><path stroke="rgb(0%,0%,100%)" d="M0 5h9"/>'
        )
        found = read_drawing(layered, "a.svg")
        holes = ("holes / #0000ff", "holes / #00ff00", "holes / #ff0000")
        self.assertEqual(found.groups, (*holes, "#000000", "#0000ff"))
        self.assertEqual([path.filled for path in found.paths if path.closed], [True])

    def test_it_is_read_in_stages_at_which_it_may_be_stopped(self):
        turned = svg("".join(f'<path {INK} d="M50 50l{n} {40 - n}"/>' for n in range(40)))
        stages, drawing = [], None
        reading = reading_drawing(turned, "a.svg")
        while drawing is None:
            try:
                stages.append(next(reading))
            except StopIteration as end:
                drawing = end.value
        self.assertEqual(stages[:3], ["file", "joined", "flat"])
        self.assertEqual({*stages[3:]}, {"faults"})
        self.assertGreater(len(stages), 15)  # one for each direction in which lines run
        self.assertEqual(drawing, read_drawing(turned, "a.svg"))

    def test_more_colours_than_anybody_gives_tasks_to_are_taken_together(self):
        def drawn(layers, colours):
            return svg(
                "".join(
                    f"<g><title>layer {n}</title>"
                    + "".join(
                        f'<path fill="none" stroke="#{1000 * n + k:06x}" d="M{2 * k} {n}h1"/>'
                        for k in range(colours)
                    )
                    + "</g>"
                    for n in range(layers)
                )
            )

        few = read_drawing(drawn(4, 10), "a.svg")
        self.assertEqual((len(few.groups), len(few.findings)), (40, 0))
        many = read_drawing(drawn(4, 11), "a.svg")
        self.assertEqual(many.groups, tuple(f"layer {n}" for n in range(4)))
        self.assertRegex(many.findings[0].says, "44 colours or layers.* taken together as 4 groups")
        most = read_drawing(drawn(50, 2), "a.svg")
        self.assertEqual((len(most.groups), len(most.paths), len(most.findings)), (1, 100, 1))
        self.assertRegex(most.findings[0].says, "100 colours or layers.* as 1 group")
        bare = "".join(
            f'<path fill="none" stroke="#{n:06x}" d="M{n % 9} {n // 9}h.5"/>' for n in range(300)
        )
        self.assertEqual(len(read_drawing(svg(bare), "a.svg").groups), 1)

    def test_what_is_not_lines_is_told_and_left_out(self):
        told = svg(
            '<text x="1" y="2">hi</text><image href="http://example.org/a.png"/>'
            f'<g display="none"><path {INK} d="M0 0h9"/></g><path fill="none" d="M0 0h9"/>'
            f'<use href="#nobody"/><path {INK} d="M0 0h5"/>'
        )
        self.assertEqual(kinds(told), ["text", "picture", "hidden", "left out", "left out"])
        self.assertEqual(len(read_drawing(told, "a.svg").paths), 1)

    def test_copies_are_followed_but_not_for_ever(self):
        used = svg(f'<defs><path id="p" {INK} d="M0 0h9"/></defs><use href="#p" x="5" y="7"/>')
        np.testing.assert_allclose(lines(used)[0], [[5, 93], [14, 93]])
        cyclic = svg(f'<g id="a"><path {INK} d="M0 0h9"/><use href="#b"/></g>'
                     '<g id="b"><use href="#a"/></g>')  # fmt: skip
        self.assertIn("left out", kinds(cyclic))

    def test_copies_of_copies_that_grow_without_end_are_told(self):
        for leaf in ("", "<text>x</text>", f'<path d="M0 0H5" {INK}/>', '<path d="M0 0H5"/>'):
            deep = f'<g id="g5">{leaf}</g>'
            for n in range(5):
                inside = f'<use href="#g{n + 1}"/>' * 9
                deep += f'<g id="g{n}">{inside}</g>'
            data = svg(f'<path d="M1 1H9" {INK}/><defs>{deep}</defs><use href="#g0"/>')
            with self.subTest(leaf=leaf), mock.patch.object(drawing_tally, "MOST_COPIED", 900):
                read = read_drawing(data, "bomb.svg")
                self.assertLess(len(read.paths), 1000)
                self.assertIn("holds too much", read.findings[0].says)

    def test_long_rubbish_takes_no_longer_than_it_is_long(self):
        n = 100_000  # a reader that goes back over it takes the square of that
        inside = (
            f'<path d="M1 1H9" {INK} transform="{"a" * n}"/>'
            f'<path d="M1 1H9" {INK} transform="{"a(" * n}"/>'
            f'<rect width="{"1" * n}!" height="5"/>'
            f"<style>{'/*' * n} .a {{fill:none}}</style><style>{'a' * n}</style>"
            "<style>/* x */ .b { stroke: red } /* y */ @media print { .c {stroke:#00f} }</style>"
            '<path class="b" d="M1 1H9"/><path class="c" d="M2 2H9"/>'
        )
        groups = [path.group for path in read_drawing(svg(inside), "long.svg").paths]
        self.assertEqual(groups, ["#ff0000", "#ff0000", "#ff0000", "#0000ff"])

    def test_entities_are_refused_and_a_plain_doctype_is_not(self):
        bomb = (
            b'<?xml version="1.0"?><!DOCTYPE svg [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]>'
            b'<svg xmlns="http://www.w3.org/2000/svg"><title>&b;</title></svg>'
        )
        outside = bomb.replace(b'a "aaaa"', b'a SYSTEM "file:///etc/passwd"')
        for data in (bomb, outside, bomb.decode().encode("utf-16")):
            with self.assertRaisesRegex(BadFile, "entities"):
                read_drawing(data, "a.svg")
        plain = svg(f'<path {INK} d="M0 0h5"/>')
        doctype = b'<!DOCTYPE svg PUBLIC "-//W3C//DTD SVG 1.1//EN" "http://example.org/svg11.dtd">'
        self.assertEqual(len(lines(doctype + plain)), 1)


class DxfTest(unittest.TestCase):
    def test_every_unit_and_every_version(self):
        def line(document):
            document.modelspace().add_line((0, 0), (1, 0))

        # DXF reference, $INSUNITS: 1 inch, 2 foot, 4 mm, 5 cm, 6 m
        for code, length in ((1, 25.4), (2, 304.8), (4, 1), (5, 10), (6, 1000)):
            (points,) = lines(dxf(line, code), "a.dxf")
            self.assertAlmostEqual(math.dist(points[0], points[-1]), length, 9)
        self.assertEqual(kinds(dxf(line, 0), "a.dxf"), ["no unit"])
        for version in ("R12", "R2000", "R2004", "R2007", "R2010", "R2013", "R2018"):
            self.assertEqual(len(lines(dxf(line, 4, version), "a.dxf")), 1, version)

    def test_entities_of_every_kind_have_their_length(self):
        def fill(document):
            space = document.modelspace()
            space.add_circle((5, 5), 2)
            space.add_arc((5, 5), 3, 350, 80)  # over 0 degrees: a quarter
            # bulge tan(90/4 deg) is a quarter circle (DXF reference)
            space.add_lwpolyline([(0, 0, math.tan(math.pi / 8)), (1, 1, 0)], format="xyb")
            space.add_ellipse((20, 20), (4, 0), 1.0)
            block = document.blocks.new("b")
            block.add_line((0, 0), (3, 4))
            space.add_blockref("b", (50, 50), dxfattribs={"xscale": 2, "yscale": 2})

        got = [np.hypot(*np.diff(p, axis=0).T).sum() for p in lines(dxf(fill), "a.dxf", 1e-5)]
        wanted = [4 * math.pi, 1.5 * math.pi, math.pi / 2, 8 * math.pi, 10]
        for length in wanted:
            nearest = min(got, key=lambda one, length=length: abs(one - length))
            self.assertAlmostEqual(nearest, length, 2)
        self.assertEqual(len(got), len(wanted))

    def test_blocks_of_blocks_that_grow_without_end_are_told(self):
        def bomb(document, leaf):
            leaf(document.blocks.new("b5"))
            for n in range(4, -1, -1):
                block = document.blocks.new(f"b{n}")
                for k in range(9):
                    block.add_blockref(f"b{n + 1}", (k, 0))
            document.modelspace().add_line((0, 0), (5, 5))
            document.modelspace().add_blockref("b0", (0, 0))

        corners = [(n % 7, n % 11) for n in range(300)]
        for leaf in (lambda block: None, lambda block: block.add_lwpolyline(corners)):
            data = dxf(lambda document, leaf=leaf: bomb(document, leaf))
            with (
                mock.patch.object(drawing_tally, "MOST_COPIED", 900),
                mock.patch.object(drawing_tally, "MOST_COPIED_POINTS", 9000),
            ):
                read = read_drawing(data, "bomb.dxf")
            self.assertLess(len(read.paths), 100)
            self.assertIn("holds too much", " ".join(one.says for one in read.findings))

    def test_loose_lines_become_contours_and_layers_that_are_off_stay_out(self):
        def fill(document):
            space = document.modelspace()
            corners = [(0, 0), (30, 0), (30, 20), (0, 20)]
            for a, b in zip(corners, corners[1:] + corners[:1], strict=True):
                space.add_line(b, a) if a == (30, 0) else space.add_line(a, b)
            document.layers.add("hid").off()
            space.add_line((0, 0), (9, 9), dxfattribs={"layer": "hid"})
            space.add_text("hi")

        found = read_drawing(dxf(fill), "a.dxf")
        self.assertEqual([path.closed for path in found.paths], [True])
        self.assertEqual([finding.kind for finding in found.findings], ["hidden", "text"])


class FindingsTest(unittest.TestCase):
    def test_each_fault_is_found_where_it_is(self):
        square = "M10 10h20v20h-20z"
        faults = {
            "burnt twice": f'<path {INK} d="{square}"/><path {INK} d="M30 15h20v10h-20z"/>',
            "nearly closed": f'<path {INK} d="M10 10h20v20h-20v-19.8"/>',
            "crosses itself": f'<path {INK} d="M10 10L30 30L30 10L10 30z"/>',
            "tiny": f'<path {INK} d="M10 10h.1v.1z"/>',
            "too big": f'<path {INK} d="M0 0h95v95"/>',
        }
        for kind, shape in faults.items():
            self.assertEqual(kinds(svg(shape), bed_mm=(90, 90)), [kind])
        self.assertEqual(kinds(svg(f'<path {INK} d="{square}"/>'), bed_mm=(90, 90)), [])
        twice = read_drawing(svg(faults["burnt twice"]), "a.svg").findings[0]
        self.assertIn("10 mm of line", twice.says)
        self.assertEqual(twice.paths, (0, 1))


class BadFilesTest(unittest.TestCase):
    def test_what_is_no_drawing_gets_a_sentence(self):
        for data, words in (
            (b"", "empty"),
            (b"<svg", "not whole"),
            (b"<html></html>", "no SVG"),
            (svg(""), "no lines"),
            (b"GIF89a", "neither of SVG and DXF"),
            (b"0\nSECTION\n2\nHEADER", "no lines"),
            (b"  0\nSECTION\n  0\nENDSEC\n  0\nEOF\n", "DXF|no lines"),
        ):
            with self.assertRaisesRegex(BadFile, words):
                read_drawing(data, "a.svg")

    def test_a_dxf_without_its_model_space_gets_a_sentence(self):
        sound = dxf(lambda document: document.modelspace().add_circle((5, 5), 2))
        self.assertIn(b"\nModel\n", sound)
        with self.assertRaisesRegex(BadFile, "Save it again"):
            read_drawing(sound.replace(b"\nModel\n", b"\nW\n"), "a.dxf")

    def test_numbers_without_end_are_left_out_and_told(self):
        for data in ("M0 0L1e999 0", "M0 0L1e300 5", "M0 0C1 1 2 2 9e9 9"):
            self.assertEqual(kinds(svg(f'<path {INK} d="{data}"/>')), ["damaged"])

    def test_mutated_files_never_raise_anything_else(self):
        rng = random.Random(11)
        sound = [
            svg(f'<g transform="rotate(30 5 5)"><path {INK} d="M1 1C2 3 4 5 6 7S1 2 3 4z"/>'
                '<rect width="9" height="4" rx="1"/><use href="#a"/></g><circle id="a" r="4"/>'),
            dxf(lambda d: (d.modelspace().add_circle((5, 5), 2),
                           d.modelspace().add_spline([(0, 0), (5, 5), (9, 0), (12, 3)]))),
        ]  # fmt: skip
        read = refused = 0
        for n in range(5000):
            data = bytearray(sound[n % 8 == 7])
            for _ in range(rng.randint(1, 6)):
                at = rng.randrange(len(data))
                what = rng.randrange(4)
                if what == 0:
                    data[at] = rng.randrange(256)
                elif what == 1:
                    del data[at : at + rng.randint(1, 40)]
                elif what == 2:
                    data[at:at] = rng.choice([b"1e999", b"-", b"<", b"nan", b"\0", b"999999999"])
                else:
                    data[at:at] = data[at : at + 30]
            try:
                read_drawing(bytes(data), "a.svg")
                read += 1
            except BadFile:
                refused += 1
        self.assertGreater(min(read, refused), 300)


def _random_path(rng):
    def number():
        return f"{rng.uniform(5, 95):.2f}"

    def step():
        return f"{rng.uniform(-15, 15):.2f}"

    data, last = f"M{number()} {number()}", ""
    for _ in range(rng.randint(3, 9)):
        command = rng.choice("LlHhVvCcQqAaSsTtZ")
        # what S and T mirror where no curve came before is read otherwise by that library
        if command in "Ss" and last.upper() not in ("C", "S"):
            command = "c"
        if command in "Tt" and last.upper() not in ("Q", "T"):
            command = "q"
        if command == "Z" and last in ("", "Z"):  # of no length
            command = "l"
        make = step if command.islower() else number
        takes = {"L": 2, "H": 1, "V": 1, "C": 6, "Q": 4, "S": 4, "T": 2, "Z": 0}
        if command in "Aa":
            radii = f"{rng.uniform(3, 30):.2f} {rng.uniform(3, 30):.2f} {rng.randint(0, 90)}"
            flags = f"{rng.randint(0, 1)} {rng.randint(0, 1)}"
            data += f"{command}{radii} {flags} {make()} {make()}"
        else:
            data += command + " ".join(make() for _ in range(takes[command.upper()]))
        last = command
    return data


def _sampled(path):
    points = []
    for segment in path.segments():
        if isinstance(segment, svgelements.Move):
            continue
        count = 1 if isinstance(segment, svgelements.Line | svgelements.Close) else 400
        if segment.start is None or segment.end is None:
            continue
        points += [segment.point(k / count) for k in range(count + 1)]
    return points
