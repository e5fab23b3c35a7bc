"""Every text and control reads in both themes, also through orange goggles (R kept, G x 0.6, B =
0).

Floor: text 4.5, control outline 3.0 in both readings; contrast as in WCAG 2.x (docs/checks.md
row 5.06, from memory).
"""

import unittest

from olive_almanac.views.theme import DAY, WORKSHOP

TEXT_PAIRS = (
    ("ink", "page"),
    ("ink2", "page"),
    ("ink3", "page"),
    ("ink", "desk"),
    ("ink2", "desk"),
    ("ink", "field"),
    ("ink3", "field"),
    ("ink2", "wash"),
    ("olive", "page"),
    ("brass", "page"),
    ("ember", "page"),
    ("on_olive", "olive"),
    ("on_olive", "olive_deep"),
    ("ink", "olive_wash"),
    ("ink", "brass_wash"),
    ("on_brass", "brass_fill"),
    ("ink", "ember_wash"),
    ("ember", "ember_wash"),
    ("on_ember", "ember_fill"),
    ("on_stock", "stock"),
)
OUTLINE_PAIRS = (("edge", "page"), ("edge", "field"), ("edge", "desk"), ("ember_fill", "page"))


def rgb(colour):
    return tuple(int(colour[i : i + 2], 16) for i in (1, 3, 5))


def luminance(rgb8):
    linear = [
        c / 255 / 12.92 if c / 255 <= 0.04045 else ((c / 255 + 0.055) / 1.055) ** 2.4 for c in rgb8
    ]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def contrast(a, b):
    bright, dim = sorted((luminance(a), luminance(b)), reverse=True)
    return (bright + 0.05) / (dim + 0.05)


def through_goggles(colour):
    return colour[0], colour[1] * 0.6, 0


class ContrastPublished(unittest.TestCase):
    def test_printed_ratios(self):
        self.assertAlmostEqual(contrast((255, 255, 255), (128, 128, 128)), 3.949, delta=5e-4)
        self.assertAlmostEqual(contrast((255, 255, 255), (0, 0, 0)), 21, delta=1e-9)


class ContrastTest(unittest.TestCase):
    def each(self, pairs):
        for theme in (DAY, WORKSHOP):
            for over, under in pairs:
                with self.subTest(theme=theme["name"], over=over, under=under):
                    yield rgb(theme[over]), rgb(theme[under])

    def test_text_reads(self):
        for a, b in self.each(TEXT_PAIRS):
            self.assertGreaterEqual(contrast(a, b), 4.5)
            self.assertGreaterEqual(contrast(through_goggles(a), through_goggles(b)), 4.5)

    def test_outlines_show(self):
        for a, b in self.each(OUTLINE_PAIRS):
            self.assertGreaterEqual(contrast(a, b), 3.0)
            self.assertGreaterEqual(contrast(through_goggles(a), through_goggles(b)), 3.0)
