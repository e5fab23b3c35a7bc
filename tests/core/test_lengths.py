"""Lengths in the shop's unit: 25.4 mm are an inch by definition (international yard, 1959)."""

import unittest

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.lengths import (
    in_inches,
    inch_number,
    lengths_within,
    measured_in,
    ruler_marks,
)
from olive_almanac.core.records.factors import factor_of
from olive_almanac.core.records.stock import Sheet
from olive_almanac.core.units import (
    area_number,
    fixed_length_text,
    length_text,
    lengths_shown,
    lengths_typed,
    read_length_mm,
    read_number,
    sides_text,
)
from olive_almanac.core.words import tr, trn
from tests.samples import BIRCH


class NumbersTest(unittest.TestCase):
    def test_a_number_of_inches_has_the_digits_of_the_trade(self):
        for length_mm, told in (
            (25.4, "1"),
            (3.175, "0.125"),
            (3, "0.118"),
            (600, "23.62"),
            (0.15, "0.0059"),  # a kerf: to a tenth of a thou
            (-1.5, "−0.059"),
            (0, "0"),
            (0.001, "0.000039"),
            (float("inf"), "inf"),
        ):
            self.assertEqual(inch_number(length_mm), told)

    def test_a_ruler_has_round_numbers_of_its_unit(self):
        self.assertEqual([told for _, told in ruler_marks(0, 100, 42)], ["0", "50", "100"])
        with measured_in("in"):
            marks = ruler_marks(-30, 130, 42)
        self.assertEqual(marks, [(0.0, "0"), (50.8, "2"), (101.6, "4")])


class SentencesTest(unittest.TestCase):
    def test_the_lengths_of_a_sentence_are_those_before_its_unit(self):
        for sentence, told, lengths in (
            ("{n} cells on {w:g} × {h:g} mm", "{n} cells on {w} × {h} in", "w h"),
            ("{a:.2f} ± {b:.2f} mm from {n}", "{a} ± {b} in from {n}", "a b"),
            ("at most 200 mm, {n} passes", "at most 7.874 in, {n} passes", ""),
            (
                "{words}, {wide} mm at {x}, {y}.",
                "{words}, {wide} in at {x}, {y}.",
                "words wide x y",
            ),
            ("mm apart", "in apart", ""),
            ("Cell side in mm", "Cell side in inches", ""),
            ("{mm:.1f} mm over it", "{mm} in over it", "mm"),
            ("{v} mm/s at {e} J/mm, {a} mm²", "{v} mm/s at {e} J/mm, {a} mm²", ""),
            ("mm up per mm along X", "mm up per mm along X", ""),
        ):
            with self.subTest(sentence):
                self.assertEqual(in_inches(sentence), (told, frozenset(lengths.split())))

    def test_values_of_a_sentence_are_lengths_only_where_it_says_so(self):
        with measured_in("in"):
            told = tr("{n} of {size} mm", n=3, size="112 × 84")
            self.assertEqual(told, "3 of 4.409 × 3.307 in")
            self.assertEqual(tr("{gap:.2f} mm loose", gap=0.127), "0.005 in loose")
            self.assertEqual(
                tr("{name}, {w} mm at 1, 2", name="8 holes", w="5"),
                "8 holes, 0.197 in at 0.039, 0.079",
            )
            self.assertEqual(trn("{count} mm", "{count} of {w} mm", 2, w="25.4"), "2 of 1 in")
        self.assertEqual(tr("{gap:.2f} mm loose", gap=0.127), "0.13 mm loose")

    def test_names_and_other_units_are_left_alone(self):
        for text in ("24 cells", "1 min 20 s", "5 %", "45°", "C0070", "v1.5.2"):
            self.assertEqual(lengths_within(text), text)

    def test_what_is_refused_is_told_in_inches(self):
        with measured_in("in"), self.assertRaises(OutOfRange) as caught:
            Sheet(6000.0, 300.0)
        self.assertRegex(str(caught.exception), r"above 0 and at most 196\.85 in, not 236\.22 in")
        with measured_in("in"), self.assertRaisesRegex(OutOfRange, "a number in in, not .wide"):
            read_number("wide", "Size", "mm")


class FieldsTest(unittest.TestCase):
    def test_a_field_takes_the_shops_unit_and_any_that_is_written(self):
        with measured_in("in"):
            for typed, text_mm in (
                ("1/8", "3.175"),
                ("1 1/2", "38.1"),
                ("½″", "12.7"),
                ("0,125", "3.175"),
                ("0.125 in", "3.175"),
                ("3 mm", "3"),
                ("−0.5", "-12.7"),
                ("", ""),
                ("wide", "wide"),
                ("1/0", "1/0"),
            ):
                self.assertEqual(lengths_typed(typed), text_mm)
            self.assertEqual(read_length_mm(lengths_typed("1/8"), "Thickness"), 3.175)
        self.assertEqual(lengths_typed("1/8"), "1/8")

    def test_several_lengths_are_parted_as_they_were_typed(self):
        with measured_in("in"):
            for typed, text_mm in (
                ("12 x 8", "304.8 x 203.2"),
                ("12x8 in", "304.8x203.2"),
                ("0,0,1,2; 3,3,4,4", "0,0,25.4,50.8; 76.2,76.2,101.6,101.6"),
                ("0.1 0.2", "2.54 5.08"),
            ):
                self.assertEqual(lengths_typed(typed, several=True), text_mm)
                self.assertEqual(
                    lengths_typed(lengths_shown(text_mm, several=True), several=True), text_mm
                )

    def test_texts_with_their_unit(self):
        focus, label = factor_of("focus"), BIRCH.label
        self.assertEqual((focus.told(1.5, "mm/s"), label), ("1.5 mm", "Birch ply 3.0 mm, lot 7"))
        self.assertEqual(sides_text(112, 84), "112 × 84 mm")
        self.assertEqual(fixed_length_text(0.2, 3), "0.200 mm")
        with measured_in("in"):
            self.assertEqual(focus.told(1.5, "mm/s"), "0.059 in")
            self.assertEqual(BIRCH.label, "Birch ply 0.118 in, lot 7")
            self.assertEqual(focus.write(1.5, "mm/s"), "1.5")  # a field holds mm
            self.assertEqual(focus.axis("mm/s"), "Focus, in")
            self.assertEqual(sides_text(112, 84), "4.409 × 3.307 in")
            self.assertEqual((length_text(0.2), fixed_length_text(0.2, 3)), ("0.0079 in",) * 2)
            self.assertEqual(area_number(645.16), "1")
