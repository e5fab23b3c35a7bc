"""German through the whole path: its tests run in a process that speaks it."""

import unittest

from tests.apart import run_apart


class GermanTest(unittest.TestCase):
    def run_in_german(self, *names):
        run_apart(self, "tests.views.in_german", *names, OLIVE_ALMANAC_LANGUAGE="de")

    def test_from_an_empty_library_to_a_proven_entry(self):
        self.run_in_german(
            "InGermanTest.test_from_an_empty_library_to_a_proven_entry_found_again_after_a_restart"
        )

    def test_every_page_is_german_and_fits(self):
        pages = "PagesInGermanTest.test_"
        self.run_in_german(
            pages + "every_page_is_german_fits_and_keeps_its_keys",
            pages + "plans_of_other_kinds_and_what_set_up_keeps_are_german_and_fit",
            pages + "the_air_is_chosen_by_german_words",
        )

    def test_what_opens_is_german_and_fits(self):
        pages = "PagesInGermanTest.test_"
        self.run_in_german(
            pages + "a_written_job_is_german_and_fits",
            pages + "what_opens_by_keys_is_german_and_fits",
            pages + "what_each_key_opens_is_german_and_fits",
        )

    def test_what_is_written_reads_as_it_should(self):
        self.run_in_german(
            "InGermanTest.test_what_is_written_in_german_reads_as_it_should",
            "TablesInGermanTest",
            "WordsInGermanTest",
        )
