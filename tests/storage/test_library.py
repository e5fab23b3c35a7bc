"""The library: revisions, faults of the world in words, migrations from stored files, kills in
mid-write.
"""

import contextlib
import os
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from unittest import mock

from olive_almanac.core.design.choices import choices_of
from olive_almanac.core.errors import LibraryTrouble
from olive_almanac.core.records.entry import Proof, Room
from olive_almanac.core.records.job import Job, JobOutcome
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.run import CellBurn, RunRecord
from olive_almanac.core.records.service import ServiceAct
from olive_almanac.core.records.setting import Setting
from olive_almanac.storage.backups import BACKUPS_KEPT, newest_backup
from olive_almanac.storage.engines import name_server
from olive_almanac.storage.library import Library, restore_backup
from tests.samples import BIRCH, LONG, NORTH, cut_trial, sample_entry
from tests.storage.server import new_database

ROOT = Path(__file__).parents[2]
OLD_VERSIONS = Path(__file__).parent / "old_versions"


class LibraryCase(unittest.TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name) / "library"
        self.day = datetime(2026, 4, 14, 9, 0, tzinfo=UTC)
        self.library = self.open()

    def open(self):
        library = Library.open(self.folder, clock=lambda: self.day, who="Ada")
        self.addCleanup(library.close)
        return library

    def reopened(self):
        self.library.close()
        self.library = self.open()
        return self.library

    def rows(self, table):
        return [
            (row["uid"], row["revision"], row["why"], int(row["removed"]))
            for row in self.library.rows()[table]
        ]


class RecordsTest(LibraryCase):
    def test_acts_of_service_are_kept_taken_back_and_merged(self):
        act = ServiceAct("a1", "long-bed", "lens", "clean", "2026-04-14T09:00:00", found="dirty")
        self.library.save_act(act, "cleaned")
        self.assertEqual(self.reopened().acts(), (act,))
        other = Library.open(self.folder.parent / "other", clock=lambda: self.day, who="Bo")
        self.addCleanup(other.close)
        other.take_in(self.library.rows(), self.library.photo)
        self.assertEqual(other.acts(), (act,))
        self.library.remove("act", "a1", "taken back")
        self.assertEqual(self.library.acts(), ())

    def test_a_job_is_kept_with_its_revisions_and_goes_into_another_library(self):
        job = Job("j1", "Dials", "2026-04-14", "long-bed", "birch-3", "7", "d.svg", "", "0" * 64)
        self.library.save_job(job, "drawing taken")
        told = job.with_outcome(JobOutcome("2026-04-14", 12, 1))
        self.library.save_job(told, "outcome told")
        self.assertEqual(self.reopened().jobs(), (told,))
        self.assertEqual([row[1] for row in self.rows("job")], [1, 2])
        other = Library.open(self.folder.parent / "other", clock=lambda: self.day, who="Bo")
        self.addCleanup(other.close)
        self.assertEqual(other.take_in(self.library.rows(), self.library.photo).left_out, ())
        self.assertEqual(other.jobs(), (told,))
        self.library.remove("job", "j1", "taken out")
        self.assertEqual(self.library.jobs(), ())

    def test_what_is_saved_is_there_after_a_restart(self):
        trial, entry = cut_trial(), sample_entry()
        self.library.save_machine(LONG, "set up")
        self.library.save_stock(BIRCH, "set up")
        self.library.save_trial(trial, "burn", "written")
        self.library.save_reading(trial.id, Reading("A1", "free", char=1), "read by eye")
        self.library.save_run(trial.id, RunRecord(cells={"A1": CellBurn()}), "burnt")
        self.library.save_entry(entry, "chosen")
        library = self.reopened()
        self.assertEqual(library.machines(), (LONG,))
        self.assertEqual(library.stocks(), (BIRCH,))
        self.assertEqual(library.trials(), ((trial, "burn", "2026-04-14T09:00:00+00:00"),))
        self.assertEqual(library.readings(trial.id), (Reading("A1", "free", char=1),))
        self.assertEqual(library.run_of(trial.id), RunRecord(cells={"A1": CellBurn()}))
        self.assertEqual(library.entries(), (entry,))
        self.assertIsNone(library.run_of("other"))

    def test_nothing_is_overwritten(self):
        self.library.save_machine(LONG, "set up")
        self.library.save_machine(replace(LONG, optical_power_w=55), "measured")
        self.assertEqual(self.library.machines()[0].optical_power_w, 55)
        self.assertEqual(
            self.rows("machine"), [("long-bed", 1, "set up", 0), ("long-bed", 2, "measured", 0)]
        )

    def test_a_rule_of_the_shop_can_be_turned_and_withdrawn_and_every_turn_is_kept(self):
        self.library.save_rule("mdf", True, "asked once")
        self.library.save_rule("rubber", False, "asked once")
        self.assertEqual(self.library.rules(), {"mdf": True, "rubber": False})
        self.library.save_rule("mdf", False, "the filter is worn")
        self.assertEqual(self.reopened().rules(), {"mdf": False, "rubber": False})
        self.library.save_rule("mdf", None, "ask again")
        self.assertEqual(self.library.rules(), {"rubber": False})
        turns = [
            (uid, revision, why) for uid, revision, why, _ in self.rows("rule") if uid == "mdf"
        ]
        self.assertEqual(
            turns,
            [("mdf", 1, "asked once"), ("mdf", 2, "the filter is worn"), ("mdf", 3, "ask again")],
        )

    def test_two_windows_on_one_library_see_each_others_saving(self):
        other = self.open()
        self.library.save_machine(LONG, "set up")
        self.assertEqual(other.machines(), (LONG,))
        other.save_machine(replace(LONG, optical_power_w=52), "measured")
        other.save_stock(BIRCH, "set up")
        self.assertEqual(self.library.machines()[0].optical_power_w, 52)
        self.assertEqual(self.library.stocks(), (BIRCH,))
        self.assertEqual([row[1] for row in self.rows("machine")], [1, 2])

    def test_a_reading_changed_at_the_bench_counts_by_its_latest_and_leaves_the_others_alone(self):
        trial = cut_trial()
        self.library.save_trial(trial, "burn", "written")
        self.library.save_reading(trial.id, Reading("A1", "free", char=1), "read by eye")
        self.library.save_reading(trial.id, Reading("A2", "hangs", char=2), "read by eye")
        self.day += timedelta(minutes=5)
        self.library.save_reading(trial.id, Reading("A1", "hangs", char=3), "looked again")
        found = {reading.cell: reading for reading in self.reopened().readings(trial.id)}
        self.assertEqual(
            found, {"A1": Reading("A1", "hangs", char=3), "A2": Reading("A2", "hangs", char=2)}
        )

    def test_removing_is_a_revision_and_saving_brings_it_back(self):
        self.library.save_stock(BIRCH, "set up")
        self.library.remove("stock", BIRCH.uid, "used up")
        self.assertEqual(self.library.stocks(), ())
        self.library.save_stock(BIRCH, "found some")
        self.assertEqual(self.library.stocks(), (BIRCH,))
        self.assertEqual([row[3] for row in self.rows("stock")], [0, 1, 0])

    def test_a_reading_taken_back_stays_in_the_history(self):
        self.library.save_reading("t", Reading("A1", "free"), "read")
        self.library.take_back_reading("t", "A1")
        self.assertEqual(self.library.readings("t"), ())
        self.library.save_reading("t", Reading("A1", "hangs"), "read")
        self.assertEqual(self.library.readings("t"), (Reading("A1", "hangs"),))
        self.assertEqual(len(self.rows("reading")), 3)

    def test_history_of_an_entry_tells_when_and_why(self):
        self.library.save_entry(sample_entry(), "chosen from Coupon 0001")
        self.day += timedelta(days=1)
        self.library.save_entry(sample_entry(notes="drawer fronts"), "note added")
        history = self.library.entry_history("e1")
        self.assertEqual(
            [(entry.notes, why, who) for entry, _, why, who in history],
            [("", "chosen from Coupon 0001", "Ada"), ("drawer fronts", "note added", "Ada")],
        )
        self.assertTrue(history[1][1].startswith("2026-04-15"))

    def test_two_threads_writing_lose_nothing(self):
        def write(n):
            for k in range(25):
                self.library.save_reading(f"t{n}", Reading(f"A{k}", "free"), "read")

        threads = [threading.Thread(target=write, args=(n,)) for n in range(4)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual([len(self.library.readings(f"t{n}")) for n in range(4)], [25] * 4)

    def test_two_programs_share_one_library(self):
        other = self.open()
        for n in range(10):
            library = self.library if n % 2 else other
            library.entries()  # what stands now is what one builds on
            library.save_entry(sample_entry(notes=str(n)), "turn")
        self.assertEqual(len(self.library.entry_history("e1")), 10)
        self.assertEqual(other.entries()[0].notes, "9")

    def test_a_photo_is_kept_once_under_its_content_and_comes_back_the_same(self):
        name = self.library.keep_photo(b"a photo", ".jpg")
        self.assertEqual(
            (self.library.keep_photo(b"a photo", ".jpg"), self.library.photo_names()),
            (name, (name,)),
        )
        self.assertEqual(self.reopened().photo(name), b"a photo")


class SharedRecordsTest(RecordsTest):
    """All of it once more with the tables on a server."""

    def setUp(self):
        url = new_database("records")
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = name_server(url, Path(holder.name))
        self.day = datetime(2026, 4, 14, 9, 0, tzinfo=UTC)
        self.library = self.open()

    def test_a_server_that_is_gone_is_told_in_a_sentence(self):
        away = name_server("postgresql://shop@127.0.0.1:9/none", self.folder)
        with self.assertRaisesRegex(LibraryTrouble, "server does not answer"):
            Library.open(away)
        with self.assertRaisesRegex(LibraryTrouble, "no address of a library|PostgreSQL server"):
            Library.open(name_server("mysql://x/y", self.folder))


class TwoWindowsTest(LibraryCase):
    """Two programs on one library: nothing of the one is lost in the other."""

    def setUp(self):
        super().setUp()
        self.library.save_entry(sample_entry(proofs=()), "chosen")
        self.library.save_run("coupon-1", RunRecord(by="machine", ticks={}), "started")
        self.other = self.open()
        self.addCleanup(self.other.close)
        (self.entry,) = self.library.entries()
        self.other.entries()
        self.run_record = self.other.run_of("coupon-1")

    def proved(self, outcome):
        return replace(self.entry, proofs=(Proof("2026-04-14", outcome),))

    def test_a_failure_there_stays_beside_a_good_burn_here(self):
        self.other.save_entry(self.proved("failed"), "failed")
        written = self.library.save_entry(self.proved("passed"), "passed")
        self.assertEqual([one.outcome for one in written.proofs], ["failed", "passed"])
        self.assertEqual(self.other.entries(), (written,))

    def test_ticks_there_stay_beside_the_air_noted_here(self):
        self.other.save_run("coupon-1", replace(self.run_record, ticks={"focus": "9:00"}), "tick")
        self.library.save_run("coupon-1", replace(self.run_record, room=Room(21.0)), "air")
        kept = self.library.run_of("coupon-1")
        self.assertEqual((kept.ticks, kept.room), ({"focus": "9:00"}, Room(21.0)))

    def test_the_same_changed_twice_is_told_once_and_then_counts(self):
        theirs = replace(self.entry, setting=replace(self.entry.setting, power=0.4))
        mine = replace(self.entry, setting=replace(self.entry.setting, power=0.6))
        self.other.save_entry(theirs, "changed")
        with self.assertRaisesRegex(LibraryTrouble, r"another window meanwhile \(setting.power"):
            self.library.save_entry(mine, "changed")
        self.assertEqual(self.library.entries(), (theirs,))
        self.assertEqual(self.library.save_entry(mine, "again"), mine)

    def test_what_is_written_beside_a_restore_is_told_and_not_lost_silently(self):
        self.library.backup()
        restore_backup(self.folder)
        with self.assertRaisesRegex(LibraryTrouble, "replaced while it was open") as caught:
            self.library.save_entry(self.proved("passed"), "passed")
        self.assertEqual(caught.exception.code, "replaced")
        for act in (
            lambda: self.library.remove("entry", self.entry.uid, "removed"),
            lambda: self.library.take_in(self.other.rows(), lambda name: b""),
        ):
            with self.assertRaisesRegex(LibraryTrouble, "replaced while it was open"):
                act()
        fresh = self.open()
        self.addCleanup(fresh.close)
        self.assertEqual(fresh.entries(), (self.entry,))

    def test_a_write_that_fails_leaves_the_next_one_right(self):
        self.other.save_entry(self.proved("failed"), "failed")
        with (
            mock.patch.object(Library, "_stamp", side_effect=OSError(28, "No space")),
            self.assertRaises(LibraryTrouble),
        ):
            self.library.save_entry(self.proved("passed"), "passed")
        written = self.library.save_entry(self.proved("passed"), "passed")
        self.assertEqual(len(written.proofs), 2)


class OddPathTest(unittest.TestCase):
    def test_signs_in_the_path_lead_to_no_other_place(self):
        with tempfile.TemporaryDirectory() as holder:
            for name in ("what?", "a?mode=memory", "50% #1", "it's", "липа"):
                folder = Path(holder) / name
                with contextlib.closing(Library.open(folder)) as library:
                    library.save_machine(LONG, "set up")
                    library.backup()
                self.assertTrue((folder / "almanac.db").exists(), name)
                self.assertTrue(list((folder / "backups").glob("almanac-2*.db")), name)
                with contextlib.closing(Library.open(folder)) as library:
                    self.assertEqual(library.machines(), (LONG,))
            self.assertEqual(len(list(Path(holder).iterdir())), 5)


class BackupTest(LibraryCase):
    def test_one_backup_a_day_and_a_fortnight_kept(self):
        for n in range(BACKUPS_KEPT + 5):
            self.library.save_stock(replace(BIRCH, uid=f"s{n}"), "set up")
            first = self.library.backup()
            self.assertEqual(self.library.backup(), first)
            self.day += timedelta(days=1)
        kept = sorted(path.name for path in (self.folder / "backups").iterdir())
        self.assertEqual(len(kept), BACKUPS_KEPT)
        self.assertEqual(kept[-1], "almanac-2026-05-02.db")

    def test_a_damaged_file_is_told_set_aside_and_replaced(self):
        self.library.save_stock(BIRCH, "set up")
        self.library.backup()
        self.library.close()
        for suffix in ("-wal", "-shm"):
            (self.folder / f"almanac.db{suffix}").unlink(missing_ok=True)
        (self.folder / "almanac.db").write_bytes(b"this was a library once" * 400)
        with self.assertRaisesRegex(
            LibraryTrouble, "damaged.*almanac-2026-04-14.db.*olive-almanac restore"
        ):
            self.open()
        backup, aside = restore_backup(self.folder, clock=lambda: self.day)
        self.assertEqual(backup.name, "almanac-2026-04-14.db")
        self.assertTrue(aside.read_bytes().startswith(b"this was"))
        self.assertEqual(self.open().stocks(), (BIRCH,))

    def test_a_damaged_backup_is_passed_over(self):
        self.library.save_stock(BIRCH, "set up")
        good = self.library.backup()
        bad = good.with_name("almanac-2026-04-20.db")
        bad.write_bytes(b"no database")
        os.utime(bad, (time.time() + 100, time.time() + 100))
        self.assertEqual(newest_backup(self.folder)[0], good)

    def test_an_emptied_file_is_not_taken_for_a_fresh_book(self):
        self.library.save_stock(BIRCH, "set up")
        self.library.backup()
        self.library.close()
        for empty in (lambda file: file.write_bytes(b""), lambda file: file.unlink()):
            for suffix in ("", "-wal", "-shm"):
                (self.folder / f"almanac.db{suffix}").unlink(missing_ok=True)
            (self.folder / "almanac.db").touch()
            empty(self.folder / "almanac.db")
            with self.assertRaisesRegex(
                LibraryTrouble, "gone or empty.*almanac-2026-04-14.db holds 1 revision"
            ) as caught:
                self.open()
            self.assertEqual(caught.exception.code, "restorable")
            restore_backup(self.folder, clock=lambda: self.day)
            reopened = self.open()
            self.assertEqual(reopened.stocks(), (BIRCH,))
            reopened.close()

    def test_a_book_that_shrank_is_not_backed_up_over_a_fuller_one(self):
        for n in range(8):
            self.library.save_stock(replace(BIRCH, uid=f"s{n}"), "set up")
        full = self.library.backup()
        self.library.close()
        for path in self.folder.glob("almanac.db*"):
            path.unlink()
        aside = self.folder / "aside"
        full.parent.rename(aside)
        self.library = self.open()  # a book begun anew
        aside.rename(full.parent)
        self.library.save_stock(BIRCH, "set up")
        for _ in range(BACKUPS_KEPT + 5):
            self.day += timedelta(days=1)
            with self.assertRaisesRegex(LibraryTrouble, "1 revision, its backup .* 8") as caught:
                self.library.backup()
            self.assertEqual(caught.exception.code, "shrunk")
        self.assertEqual(newest_backup(self.folder), (full, 8))
        self.assertEqual(len(list(full.parent.iterdir())), 1)
        full.parent.rename(self.folder / "elsewhere")  # the operator says that it is right so
        self.assertTrue(self.library.backup().exists())

    def test_a_backup_made_after_the_clock_was_set_back_stays(self):
        self.library.save_stock(BIRCH, "set up")
        for _ in range(BACKUPS_KEPT):
            self.day += timedelta(days=1)
            self.library.backup()
        self.day -= timedelta(days=200)
        self.assertTrue(self.library.backup().exists())

    def test_foreign_and_empty_files_are_no_backups(self):
        self.library.save_stock(BIRCH, "set up")
        good = self.library.backup()
        with contextlib.closing(sqlite3.connect(good.with_name("almanac-2027-01-01.db"))) as other:
            other.execute("CREATE TABLE songs (name TEXT)")
            other.commit()
        good.with_name("almanac-2027-01-02.db").touch()
        self.assertEqual(newest_backup(self.folder), (good, 1))

    def test_two_restores_in_a_second_keep_both_files(self):
        self.library.save_stock(BIRCH, "set up")
        self.library.backup()
        self.library.close()
        kept = set()
        for content in (b"first", b"second"):
            (self.folder / "almanac.db").write_bytes(content)
            _, aside = restore_backup(self.folder, clock=lambda: self.day)
            kept.add(aside)
        self.assertEqual({path.read_bytes() for path in kept}, {b"first", b"second"})

    def test_without_a_backup_nothing_is_touched(self):
        self.library.close()
        before = (self.folder / "almanac.db").read_bytes()
        with self.assertRaisesRegex(LibraryTrouble, "no good backup"):
            restore_backup(self.folder)
        self.assertEqual((self.folder / "almanac.db").read_bytes(), before)


class TroubleTest(LibraryCase):
    """The world's faults leave as sentences: what, where, what to do."""

    def test_locked_by_another_program(self):
        blocker = sqlite3.connect(self.folder / "almanac.db", isolation_level=None)
        blocker.execute("BEGIN IMMEDIATE")
        self.addCleanup(blocker.close)
        with self.assertRaisesRegex(LibraryTrouble, "another program is writing.*do it again"):
            self.library.save_stock(BIRCH, "set up")
        blocker.execute("ROLLBACK")
        self.library.save_stock(BIRCH, "set up")
        self.assertEqual(self.library.stocks(), (BIRCH,))

    def test_full_disk_keeps_what_was_recorded(self):
        self.library.save_stock(BIRCH, "set up")
        with self.library._engine.connect() as connection:
            pages = connection.exec_driver_sql("PRAGMA page_count").scalar()
            connection.exec_driver_sql(f"PRAGMA max_page_count={pages}")
            connection.commit()
        with self.assertRaisesRegex(
            LibraryTrouble, "disk is full.*what was recorded before is safe"
        ):
            for n in range(200):
                self.library.save_stock(replace(BIRCH, uid=f"s{n}", notes="x" * 2000), "set up")
        self.assertIn(BIRCH, self.reopened().stocks())

    def test_read_only_library(self):
        self.library.save_stock(BIRCH, "set up")
        with self.library._engine.connect() as connection:
            connection.exec_driver_sql("PRAGMA query_only=ON")
            connection.commit()
        with self.assertRaisesRegex(LibraryTrouble, "read-only.*Make it writable"):
            self.library.save_stock(replace(BIRCH, uid="s2"), "set up")

    def test_a_folder_that_cannot_be_made(self):
        (self.folder.parent / "file").write_text("in the way")
        with self.assertRaisesRegex(LibraryTrouble, "cannot be made.*another folder"):
            Library.open(self.folder.parent / "file" / "library")

    def test_a_newer_library_is_refused_untouched(self):
        self.library.close()
        with sqlite3.connect(self.folder / "almanac.db") as connection:
            connection.execute("UPDATE alembic_version SET version_num = '9999'")
        with self.assertRaisesRegex(LibraryTrouble, "newer Olive Almanac.*Update the program"):
            self.open()

    def test_a_stranger_database_is_told(self):
        self.library.close()
        shutil.rmtree(self.folder)
        self.folder.mkdir()
        (self.folder / "almanac.db").write_bytes(b"SQLite format 3\x00" + b"\x01" * 5000)
        with self.assertRaises(LibraryTrouble):
            self.open()


class MigrationTest(unittest.TestCase):
    """Each old version is opened from a stored dump of its tables."""

    def test_every_stored_version_opens_with_all_its_records(self):
        dumps = sorted(OLD_VERSIONS.glob("*.sql"))
        self.assertTrue(dumps)
        for dump in dumps:
            with self.subTest(dump.name), tempfile.TemporaryDirectory() as folder:
                with sqlite3.connect(Path(folder) / "almanac.db") as connection:
                    connection.executescript(dump.read_text(encoding="utf-8"))
                library = Library.open(Path(folder))
                try:
                    self.assertEqual(library.machines(), (LONG, NORTH))
                    self.assertEqual(library.stocks(), (BIRCH,))
                    self.assertEqual(library.entries(), (sample_entry(),))
                    trial = library.trials()[0][0]
                    self.assertEqual(
                        trial.kind, "grid"
                    )  # what older files do not hold takes its default
                    self.assertEqual(len(trial.cells), 24)
                    self.assertEqual(trial.cell("A6").setting, Setting(0.55, 32.2, 1, 1.5))
                    self.assertEqual(choices_of(trial).power, (0.55, 0.7, 0.85, 1.0))
                finally:
                    library.close()

    def test_models_and_migrations_make_the_same_tables(self):
        from olive_almanac.storage.tables import metadata

        with tempfile.TemporaryDirectory() as folder:
            Library.open(Path(folder)).close()
            with sqlite3.connect(Path(folder) / "almanac.db") as connection:
                for table in metadata.tables.values():
                    columns = {
                        row[1] for row in connection.execute(f"PRAGMA table_info({table.name})")
                    }
                    self.assertEqual(columns, {column.name for column in table.columns}, table.name)


WRITER = """
import sys
from pathlib import Path
from olive_almanac.core.records.entry import Proof, Room
from olive_almanac.core.records.reading import Reading
from olive_almanac.storage.library import Library
library = Library.open(Path(sys.argv[1]))
for n in range(int(sys.argv[2]), 100000):
    library.save_reading("t", Reading(f"A{n}", "free"), "read")
    print(n, flush=True)
"""


class KillTest(LibraryCase):
    def test_kill_in_mid_write_loses_nothing_that_was_committed(self):
        self.library.close()
        done = -1
        for _ in range(6):
            writer = subprocess.Popen(
                [sys.executable, "-c", WRITER, str(self.folder), str(done + 1)],
                stdout=subprocess.PIPE,
                text=True,
                env={**os.environ, "PYTHONPATH": str(ROOT)},
            )
            for line in writer.stdout:
                done = int(line)
                if done % 7 == 6:
                    break
            writer.send_signal(signal.SIGKILL)
            rest = writer.stdout.read().split()
            writer.stdout.close()
            writer.wait()
            done = int(rest[-1]) if rest else done
            with contextlib.closing(Library.open(self.folder)) as library:
                cells = {reading.cell for reading in library.readings("t")}
            self.assertTrue({f"A{n}" for n in range(done + 1)} <= cells)
            done = max(done, max(int(cell[1:]) for cell in cells))
