"""A shop of inches: its tests run in a process that measures so."""

import unittest

from tests.apart import run_apart


class InchesTest(unittest.TestCase):
    def test_lengths_are_shown_typed_and_printed_in_inches(self):
        run_apart(self, "tests.views.in_inches", "PagesTest", OLIVE_ALMANAC_LENGTHS="in")

    def test_paper_is_in_inches_in_german_too(self):
        shop = {"OLIVE_ALMANAC_LENGTHS": "in", "OLIVE_ALMANAC_LANGUAGE": "de"}
        run_apart(self, "tests.views.in_inches", "PaperTest", **shop)
