"""German through the whole path: its tests run in a process that speaks it."""

import os
import subprocess
import sys
import unittest
from pathlib import Path

ROOT = Path(__file__).parents[2]
CASES = "tests.views.in_german"


class GermanTest(unittest.TestCase):
    def run_in_german(self, *names):
        told = subprocess.run(
            [sys.executable, "-m", "unittest", *(f"{CASES}.{name}" for name in names)],
            cwd=ROOT,
            env={**os.environ, "OLIVE_ALMANAC_LANGUAGE": "de"},
            capture_output=True,
            text=True,
            timeout=300,
        )
        self.assertEqual(told.returncode, 0, told.stderr[-3000:])
        self.assertRegex(told.stderr, r"Ran [1-9]\d* test")

    def test_from_an_empty_library_to_a_proven_entry(self):
        self.run_in_german(
            "InGermanTest.test_from_an_empty_library_to_a_proven_entry_found_again_after_a_restart"
        )

    def test_every_page_is_german_and_fits(self):
        self.run_in_german("PagesInGermanTest")

    def test_what_is_written_reads_as_it_should(self):
        self.run_in_german(
            "InGermanTest.test_what_is_written_in_german_reads_as_it_should",
            "TablesInGermanTest",
            "WordsInGermanTest",
        )
