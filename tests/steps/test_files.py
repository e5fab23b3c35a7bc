"""Opening and swapping files: the disk's faults as sentences, the old file whole until the new one
is.
"""

import errno
import os
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from olive_almanac.core.errors import BadFile, CannotWrite
from olive_almanac.steps.files import read_text, write_file
from olive_almanac.steps.trial_files import write_trial_files
from tests.samples import cut_trial


class FilesTest(unittest.TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def test_a_full_disk_leaves_the_old_file_whole_and_no_rubbish(self):
        path = self.folder / "coupon.nc"
        write_file(path, "old")
        with (
            mock.patch("os.fsync", side_effect=OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))),
            self.assertRaisesRegex(CannotWrite, "coupon.nc: the disk is full. Free some space"),
        ):
            write_file(path, "new")
        self.assertEqual(path.read_text(), "old")
        self.assertEqual([one.name for one in self.folder.iterdir()], ["coupon.nc"])

    def test_each_fault_says_what_to_do(self):
        for number, words in (
            (errno.EROFS, "disk is read-only"),
            (errno.EACCES, "folder is read-only"),
            (errno.EDQUOT, "share of the disk"),
            (errno.EIO, "Choose another folder"),
        ):
            with (
                self.subTest(words),
                mock.patch("builtins.open", side_effect=OSError(number, os.strerror(number))),
                self.assertRaisesRegex(CannotWrite, words),
            ):
                write_file(self.folder / "x", "text")

    def test_a_file_in_the_way_of_a_folder(self):
        (self.folder / "file").write_text("")
        with self.assertRaises(CannotWrite):
            write_file(self.folder / "file" / "x", "text")

    def test_what_cannot_be_read_is_told(self):
        (self.folder / "bytes").write_bytes(b"\xff\xfe\x00\x01")
        for name, words in (
            ("missing", "does not exist"),
            ("", "is a folder"),
            ("bytes", "not a text file"),
        ):
            with self.subTest(name), self.assertRaisesRegex(BadFile, words):
                read_text(self.folder / name)

    def test_a_coupon_that_fails_its_check_is_not_written(self):
        with (
            mock.patch(
                "olive_almanac.steps.trial_files.gcode_blocks", return_value=[b"G0 X9999\nM2\n"]
            ),
            self.assertRaisesRegex(CannotWrite, "did not pass its safety check"),
        ):
            list(write_trial_files(cut_trial(), self.folder / "out"))
        self.assertFalse((self.folder / "out").exists())
