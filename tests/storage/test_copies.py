"""Copies of a library: backups listed and opened in a copy, the whole of it into another folder,
and what happens where the disk does not play along.
"""

import os
import tempfile
import unittest
from datetime import datetime, timedelta
from pathlib import Path
from unittest.mock import patch

from olive_almanac.core.errors import LibraryTrouble
from olive_almanac.steps.keeping import age_words, copy_to_stick, look_folder, sweep_look
from olive_almanac.storage import copies
from olive_almanac.storage.copies import backups_of, copy_library, open_in_copy
from olive_almanac.storage.library import Library, restore_backup
from tests.samples import BIRCH, LONG, NORTH

NOON = datetime(2026, 4, 14, 12, 0).astimezone()


class CopiesTest(unittest.TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.base = Path(holder.name)
        self.folder, self.target = self.base / "library", self.base / "stick" / "copy"
        self.library = Library.open(self.folder, clock=lambda: NOON)
        self.addCleanup(self.library.close)
        self.library.save_machine(LONG, "test")
        self.library.save_stock(BIRCH, "test")
        self.photo = self.library.keep_photo(b"\xff\xd8\xff photo", ".jpg")
        self.target.parent.mkdir()

    def held(self, folder):
        library = Library.open(folder, clock=lambda: NOON)
        try:
            names = [one.name for one in library.machines()]
            return names, [library.photo(name) for name in library.photo_names()]
        finally:
            library.close()

    def test_a_copy_holds_everything_while_the_library_is_open(self):
        steps = list(copy_library(self.folder, self.target))
        self.assertEqual(steps, ["the records", "photo 1 of 1", "reading it back"])
        self.assertEqual(self.held(self.target), ([LONG.name], [b"\xff\xd8\xff photo"]))
        self.library.save_machine(NORTH, "later")
        self.assertEqual(self.held(self.target)[0], [LONG.name])

    def test_nothing_is_written_over_and_nothing_into_itself(self):
        self.target.mkdir()
        (self.target / "letter.txt").write_text("mine")
        with self.assertRaisesRegex(LibraryTrouble, "not empty"):
            list(copy_library(self.folder, self.target))
        self.assertEqual((self.target / "letter.txt").read_text(), "mine")
        with self.assertRaisesRegex(LibraryTrouble, "inside the library"):
            list(copy_library(self.folder, self.folder / "copy"))

    def test_nothing_that_is_no_book_is_told_as_copied(self):
        server, empty = self.base / "shared", self.base / "empty"
        for folder, name, text in (
            (server, "library.url", "postgresql://host/book\n"),
            (empty, "almanac.db", ""),
        ):
            folder.mkdir()
            (folder / name).write_text(text)
        for folder, told in ((server, "lie on a server"), (empty, "no record yet")):
            before = {path: path.read_bytes() for path in folder.iterdir()}
            with self.subTest(folder=folder.name):
                with self.assertRaisesRegex(LibraryTrouble, told):
                    list(copy_library(folder, self.target))
                self.assertFalse(self.target.exists())
                self.assertEqual({path: path.read_bytes() for path in folder.iterdir()}, before)

    def test_a_copy_of_a_library_to_play_in_is_one(self):
        self.library.make_playground()
        list(copy_library(self.folder, self.target))
        open_in_copy(self.library.backup(), self.base / "look")
        for folder in (self.target, self.base / "look"):
            copied = Library.open(folder)
            self.addCleanup(copied.close)
            self.assertTrue(copied.playground)

    def test_a_copy_that_fails_or_is_stopped_leaves_nothing(self):
        def full(source, target):
            raise OSError(28, "No space left on device")

        with patch.object(copies.shutil, "copyfile", full):
            with self.assertRaisesRegex(LibraryTrouble, "No space left"):
                list(copy_library(self.folder, self.target))
        self.assertFalse(self.target.exists())
        work = copy_library(self.folder, self.target)
        next(work)
        next(work)
        work.close()
        self.assertFalse(self.target.exists())
        with patch.object(copies, "revisions_in", side_effect=[9, 8]):
            with self.assertRaisesRegex(LibraryTrouble, "does not read back"):
                list(copy_library(self.folder, self.target))
        self.assertFalse(self.target.exists())

    def test_a_photo_that_arrives_damaged_is_told(self):
        def flip(source, target):
            Path(target).write_bytes(Path(source).read_bytes()[:-1] + b"?")

        with patch.object(copies.shutil, "copyfile", flip):
            with self.assertRaisesRegex(LibraryTrouble, "not copied whole"):
                list(copy_library(self.folder, self.target))

    def test_copies_on_a_stick_are_named_by_the_day(self):
        for name in ("olive-almanac-2026-04-14", "olive-almanac-2026-04-14-2"):
            *_, (step, target) = copy_to_stick(
                copies, self.folder, self.base / "stick", "2026-04-14"
            )
            self.assertEqual((step, target.name), ("", name))
            self.assertEqual(self.held(target)[0], [LONG.name])

    def test_backups_are_listed_and_one_is_looked_at_then_put_in_place(self):
        first = self.library.backup()
        os.utime(first, (NOON.timestamp(), NOON.timestamp()))
        self.library.save_machine(NORTH, "later")
        bad = self.folder / "backups" / "almanac-2026-04-13.db"
        bad.write_bytes(b"no database")
        earlier = (NOON - timedelta(days=1)).timestamp()
        os.utime(bad, (earlier, earlier))
        newest, damaged = backups_of(self.folder)
        self.assertEqual((newest.path, damaged.path), (first, bad))
        self.assertGreater(newest.revisions, 1)
        self.assertEqual(damaged.revisions, 0)
        look = look_folder(self.folder)
        open_in_copy(first, look)
        self.assertEqual(self.held(look), ([LONG.name], [b"\xff\xd8\xff photo"]))
        self.assertEqual(len(self.library.machines()), 2)  # nothing of the library was touched
        sweep_look(self.folder)
        self.assertFalse(look.exists())
        self.assertEqual(self.library.photo(self.photo), b"\xff\xd8\xff photo")
        self.library.close()
        with self.assertRaisesRegex(LibraryTrouble, "damaged or empty"):
            restore_backup(self.folder, bad, clock=lambda: NOON)
        _, aside = restore_backup(self.folder, first, clock=lambda: NOON)
        self.assertTrue(aside.exists())
        self.assertEqual(self.held(self.folder)[0], [LONG.name])

    def test_age_in_words(self):
        for days, words in ((0, "today, 12:00"), (1, "yesterday"), (9, "9 days ago")):
            self.assertEqual(age_words(NOON - timedelta(days=days), NOON), words)
