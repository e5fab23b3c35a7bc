"""Opening and swapping files: the disk's faults as sentences, the old file whole until the new one
is.
"""

import errno
import os
import tempfile
import threading
import time
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

from olive_almanac.core.errors import BadFile, CannotWrite
from olive_almanac.steps.files import (
    below,
    read_bytes,
    read_text,
    sweep_parts,
    write_file,
    write_together,
)
from olive_almanac.steps.trial_files import burn_folder, write_trial_files
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

    def test_what_never_ends_is_not_read_and_a_device_is_not_replaced(self):
        pipe = self.folder / "pipe"
        os.mkfifo(pipe)
        for path in (Path("/dev/zero"), Path("/dev/full"), pipe):
            with self.subTest(path=str(path)):
                with self.assertRaisesRegex(BadFile, "device or a pipe"):
                    read_text(path)
                with self.assertRaisesRegex(BadFile, "device or a pipe"):
                    read_bytes(path)
                with self.assertRaisesRegex(CannotWrite, "no ordinary file"):
                    write_file(path, "text")
        self.assertFalse(Path("/dev/full.part").exists())

    def test_what_two_write_into_one_folder_at_the_same_time_never_mixes(self):
        def slow(source, target, swap=os.replace):
            time.sleep(0.002)  # long enough for the other to come between
            swap(source, target)

        names = [self.folder / name for name in ("coupon.nc", "key.pdf", "trial.json")]

        def write(who):
            for _ in range(15):
                write_together(dict.fromkeys(names, who))
                seen.append({path.read_text() for path in names})

        seen = []
        with mock.patch("os.replace", slow):
            threads = [threading.Thread(target=write, args=(who,)) for who in ("one", "two")]
            for thread in threads:
                thread.start()
            for thread in threads:
                thread.join()
        self.assertEqual(len(seen), 30)
        self.assertEqual(len({path.read_text() for path in names}), 1)

    def test_names_that_no_file_can_have(self):
        for name in ("a\0b", "n" * 300):
            with self.subTest(name[:5]):
                with self.assertRaises(BadFile):
                    read_text(self.folder / name)
                with self.assertRaises(CannotWrite):
                    write_file(self.folder / name, "text")

    def test_a_name_leads_nowhere_but_into_its_folder(self):
        self.assertEqual(below(self.folder, "coupon-1"), self.folder / "coupon-1")
        for name in ("", ".", "..", "../evil", "/abs", "a/b", "a\0b"):
            with self.subTest(name), self.assertRaisesRegex(BadFile, "outside"):
                below(self.folder, name)
        with self.assertRaisesRegex(BadFile, "outside"):
            burn_folder(self.folder, replace(cut_trial(), id="../../evil"))

    def test_parts_of_killed_runs_are_swept_and_those_of_live_ones_stay(self):
        burn = self.folder / "burn" / "coupon-1"
        burn.mkdir(parents=True)
        old, new, other = (burn / name for name in ("a.nc.part", "b.nc.part", "a.nc"))
        for path in (old, new, other):
            path.write_text("x")
        os.utime(old, (0, 0))
        os.utime(other, (0, 0))
        sweep_parts(self.folder)
        self.assertEqual([one.exists() for one in (old, new, other)], [False, True, True])

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
