"""Every door a little, with the same means as `make soak`: foreign files, poisoned libraries, odd
readings.  Seeded, so that a fault comes back.
"""

import io
import math
import random
import sys
import unittest
from contextlib import redirect_stdout
from unittest import mock

from bench import guided, hardships, soak
from tests.formats.test_gcode import LIMITS, SQUARE


class DoorsTest(unittest.TestCase):
    def check(self, part, share, seed=16):
        # how long each may take is for `make soak`, on a machine that does nothing else
        with mock.patch.multiple(soak, SHARE=share, SLOW_S=math.inf):
            for what, value, most in part(random.Random(seed)):
                with self.subTest(what):
                    self.assertLessEqual(value, most)

    def test_sown_files_are_read_or_told(self):
        self.check(soak.files, 0.005)

    def test_poisoned_libraries_open_again(self):
        self.check(soak.merges, 0.01)

    def test_odd_readings_of_any_kind_are_decided_or_told(self):
        self.check(soak.decisions, 0.006)

    def test_random_plans_pass_the_checker(self):
        self.check(soak.plans, 0.004)

    def test_odd_drawings_become_jobs_or_are_told(self):
        self.check(soak.jobs, 0.015)

    def test_what_once_reached_new_code_is_still_read_or_told(self):
        for name in guided.DOORS:
            told, kept = guided.door_of(name), sorted((guided.CORPUS / name).iterdir())
            self.assertGreater(len(kept), 5, name)
            for path in kept:
                with self.subTest(door=name, input=path.name):
                    told(path.read_bytes())

    def test_a_fault_is_counted(self):
        tried = soak.Tried()
        with mock.patch("builtins.print"), tried.one("a door"):
            raise KeyError("ours")
        self.assertEqual([value for _, value, _ in tried.figures("doors")], [1, 0])

    def test_a_part_that_crashes_is_told_and_fails(self):
        dies = [sys.executable, "-c", "import os, signal; os.kill(os.getpid(), signal.SIGSEGV)"]
        told = io.StringIO()
        with mock.patch.object(soak, "command", return_value=dies), redirect_stdout(told):
            self.assertTrue(soak.ran_badly("use"))
        self.assertRegex(told.getvalue(), "^OVER  use: ended by itself with -11")

    def test_an_unsafe_file_that_is_called_safe_is_counted(self):
        program = (SQUARE.splitlines(), LIMITS)
        unsafe = {"nothing wrong": hardships._put("(fine)"), "off": hardships.UNSAFE["off the bed"]}
        with (
            mock.patch.object(hardships, "_program", return_value=program),
            mock.patch.object(hardships, "UNSAFE", unsafe),
            mock.patch("builtins.print"),
        ):
            self.assertEqual([value for _, value, _ in hardships.unsafe(random.Random(1))], [10])
