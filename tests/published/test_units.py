"""Conversions against exact definitions.

Source: docs/checks.md rows 3.01 to 3.05, recomputed there with pint.
"""

import unittest

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.units import (
    dpi_from_pitch,
    duration_text,
    number_text,
    pitch_from_dpi,
    read_large_number,
    read_length_mm,
    read_lengths_mm,
    read_number,
    read_sides_mm,
    read_speed_mm_s,
    speed_in,
    speed_text,
)


class SpeedPublished(unittest.TestCase):
    """Rows 3.02 and 3.03; tolerance half a unit of the last printed digit."""

    def test_one_unit_in_mm_per_second(self):
        for text, printed, tolerance in (
            ("1 in/min", 0.423333, 5e-7),
            ("1 in/s", 25.4, 1e-12),
            ("1 mm/min", 0.0166667, 5e-8),
            ("1 m/min", 16.66667, 5e-6),
        ):
            with self.subTest(text):
                self.assertAlmostEqual(read_speed_mm_s(text), printed, delta=tolerance)

    def test_eighteen_mm_per_second(self):
        self.assertAlmostEqual(speed_in(18, "in/min"), 42.5197, delta=5e-5)
        self.assertAlmostEqual(speed_in(18, "mm/min"), 1080, delta=1e-9)


class LengthPublished(unittest.TestCase):
    """Row 3.05: 1 thou, 1/8 in, 1/4 in."""

    def test_inches_and_fractions(self):
        for text, mm in (
            ("1 thou", 0.0254),
            ("1/8 in", 3.175),
            ("1/4 in", 6.35),
            ("1 1/2 in", 38.1),
            ('1/8"', 3.175),
            ("0.125 inch", 3.175),
            ("1/8", 3.175),
            ("½ in", 12.7),
            ("1½″", 38.1),
        ):
            with self.subTest(text):
                self.assertAlmostEqual(read_length_mm(text, "Thickness"), mm, places=9)


class ListsAsTyped(unittest.TestCase):
    """Numbers as people type them; common practice, no source."""

    def test_lengths_with_points_or_commas_and_anything_between(self):
        for text, wanted in (
            ("3,2", (3.2,)),
            ("3.2 3.1 3.15", (3.2, 3.1, 3.15)),
            ("3.2, 3.1", (3.2, 3.1)),
            ("3,2 3,1", (3.2, 3.1)),
            ("3,2; 3,1", (3.2, 3.1)),
            ("3.2,3.1", (3.2, 3.1)),
            ("1 1/2 in", (38.1,)),
            ("", ()),
        ):
            with self.subTest(text):
                for read, right in zip(read_lengths_mm(text, "Measured"), wanted, strict=True):
                    self.assertAlmostEqual(read, right, places=9)
        with self.assertRaisesRegex(OutOfRange, "semicolons"):
            read_lengths_mm("3,1,3", "Measured")

    def test_two_sides(self):
        for text, wanted in (
            ("300 x 200", (300, 200)),
            ("300×200 mm", (300, 200)),
            ("12 x 8 in", (304.8, 203.2)),
            ('12" x 8"', (304.8, 203.2)),
        ):
            with self.subTest(text):
                for read, right in zip(read_sides_mm(text, "Sheet"), wanted, strict=True):
                    self.assertAlmostEqual(read, right, places=9)
        for text in ("300", "300 x", "1 x 2 x 3", "300 x wide"):
            with self.subTest(text), self.assertRaises(OutOfRange):
                read_sides_mm(text, "Sheet")


class PitchPublished(unittest.TestCase):
    """Row 3.01: pitch = 25.4 / dpi."""

    PRINTED = {
        100: 0.254,
        127: 0.2,
        254: 0.1,
        300: 0.084667,
        318: 0.079874,
        500: 0.0508,
        600: 0.042333,
        1000: 0.0254,
        1270: 0.02,
    }

    def test_pitch_of_each_printed_dpi(self):
        for dpi, pitch in self.PRINTED.items():
            with self.subTest(dpi=dpi):
                self.assertAlmostEqual(pitch_from_dpi(dpi), pitch, delta=5e-7)

    def test_back_again(self):
        for dpi in self.PRINTED:
            self.assertAlmostEqual(dpi_from_pitch(pitch_from_dpi(dpi)), dpi, places=9)


class ReadNumberTest(unittest.TestCase):
    def test_takes_comma_true_minus_and_the_unit(self):
        self.assertEqual(read_number("2,5", "Focus"), 2.5)
        self.assertEqual(read_number("−1.0 mm", "Focus", "mm"), -1.0)
        self.assertEqual(read_number(" 85 % ", "Power", "%"), 85.0)

    def test_refuses_what_is_no_number(self):
        for text in ("", "  ", "fast", "1e999", "nan", "inf", "1.2.3", "--3", "5 apples"):
            with self.subTest(text), self.assertRaises(OutOfRange) as caught:
                read_number(text, "Speed", "mm/s")
            with self.subTest(text):
                self.assertIn("Speed", str(caught.exception))

    def test_never_guesses_a_unit(self):
        with self.assertRaisesRegex(OutOfRange, "in mm"):
            read_number("3 cm", "Gap", "mm")
        with self.assertRaisesRegex(OutOfRange, "mm/s, mm/min"):
            read_speed_mm_s("20 furlongs")

    def test_thousandths_of_a_millimetre_a_minute_are_meant_by_nobody(self):
        for text in ("1,200", "1.200", "6,000", "30,000", "120.000 mm/min", "1,200 MM/MIN"):
            with self.subTest(text), self.assertRaisesRegex(OutOfRange, "sign for thousands"):
                read_speed_mm_s(text, default_unit="mm/min")
        for text, speed in (("6.125", 0.1021), ("112.5", 1.875), ("1200", 20), ("1,2 m/min", 20)):
            with self.subTest(text):
                found = read_speed_mm_s(text, default_unit="mm/min")
                self.assertAlmostEqual(found, speed, places=4)

    def test_a_grouped_thousand_is_no_number_in_any_unit(self):
        for text in ("1,000", "1.000", "2,400 in/min", "10,000 mm/s", "1,250"):
            with self.subTest(text), self.assertRaisesRegex(OutOfRange, "sign for thousands"):
                read_speed_mm_s(text)
        for text, speed in (("1,25", 1.25), ("6.125", 6.125), ("0.050", 0.05), ("1000", 1000)):
            self.assertEqual(read_speed_mm_s(text), speed, text)

    def test_a_grouped_thousand_is_no_large_number(self):
        for text in ("1,000", "1.000", "10,600 nm", "2,500"):
            with self.subTest(text), self.assertRaisesRegex(OutOfRange, "sign for thousands"):
                read_large_number(text, "Wavelength", "nm")
        for text, number in (("1000", 1000), ("12,5", 12.5), ("1.25", 1.25), ("0.250", 0.25)):
            self.assertEqual(read_large_number(text, "Wavelength", "nm"), number, text)

    def test_refuses_a_pitch_or_dpi_of_nought(self):
        for convert in (pitch_from_dpi, dpi_from_pitch):
            for value in (0, -1, float("nan"), float("inf")):
                with (
                    self.subTest(convert=convert.__name__, value=value),
                    self.assertRaises(OutOfRange),
                ):
                    convert(value)


class TextTest(unittest.TestCase):
    def test_numbers_keep_three_digits_and_a_true_minus(self):
        for value, text in (
            (0, "0"),
            (8, "8"),
            (0.8451, "0.845"),
            (12.34, "12.3"),
            (-1.0, "−1"),
            (24000, "24000"),
            (0.123456, "0.123"),
        ):
            with self.subTest(value=value):
                self.assertEqual(number_text(value), text)

    def test_speed_in_the_shop_unit(self):
        self.assertEqual(speed_text(8.0, "mm/min"), "480 mm/min")
        with self.assertRaises(OutOfRange):
            speed_text(8.0, "knots")

    def test_times_as_a_person_says_them(self):
        for seconds, text in (
            (0.42, "0.4 s"),
            (48.2, "48 s"),
            (250, "4 min 10 s"),
            (59.7, "1 min 00 s"),
            (7500, "2 h 05 min"),
            (float("inf"), "unknown"),
        ):
            with self.subTest(seconds=seconds):
                self.assertEqual(duration_text(seconds), text)
