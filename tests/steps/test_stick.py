"""What goes to a machine on a stick: every sheet, under names that say what they burn."""

import re
from dataclasses import replace
from pathlib import Path
from unittest import mock

from olive_almanac.core.errors import AlmanacError, CannotWrite
from olive_almanac.core.records.stock import Sheet
from olive_almanac.steps.job_work import write_job_files
from olive_almanac.steps.stick import coupon_to, job_to
from olive_almanac.steps.trial_files import write_trial_files
from tests.samples import cut_trial
from tests.steps.test_jobs import JobCase

SMALL = (Sheet(70, 60), Sheet(70, 60))  # one copy each


class JobOnStickTest(JobCase):
    def setUp(self):
        super().setUp()
        self.stick = Path(self.folder) / "stick"
        self.stick.mkdir()
        stock = self.session.subject.stock
        self.session.shop.keep_stock(replace(stock, sheets=SMALL), "small ones")
        self.bring_in()
        self.jobs.set_number("copies", "2")
        self.source = self.write()

    def copied(self):
        runs = self.jobs.result.plan.runs
        return list(job_to(self.stick, self.session.store.folder, self.jobs.job, runs))

    def on_stick(self):
        return {path.name: path.read_bytes() for path in self.stick.iterdir()}

    def test_every_sheet_is_there_as_it_was_written_and_named_by_its_job(self):
        told = self.copied()
        there, called = self.on_stick(), f"plate-{self.jobs.job.uid[:4]}"
        expected = {
            f"{called}-sheet-{number}{end}": (self.source / f"sheet-{number}{end}").read_bytes()
            for number in (1, 2)
            for end in (".nc", ".svg")
        }
        self.assertEqual(there, expected)
        self.assertRegex(told[-1], f"^4 of 4 files are in .*stick: {called}-sheet-2.svg$")

    def test_another_job_of_the_same_name_does_not_take_its_place(self):
        self.copied()
        first = self.on_stick()
        self.jobs.remove()
        self.bring_in(self.path.read_text().replace("red", "green"))
        self.jobs.set_task("#008000", "cut")
        self.write()
        self.copied()
        self.assertEqual({name: self.on_stick()[name] for name in first}, first)
        self.assertGreater(len(self.on_stick()), len(first))

    def test_any_name_becomes_one_that_a_controller_can_show(self):
        for name in ("Zifferblätter № 4 (Rückseite)!", "時計", "../../etc", "a" * 80):
            self.jobs.edit(lambda job, name=name: replace(job, name=name), "named")
            self.write()
            for path in self.stick.iterdir():
                path.unlink()
            self.copied()
            for one in self.on_stick():
                self.assertRegex(one, r"^[a-z0-9-]{1,40}\.(nc|svg)$", name)

    def test_a_full_or_missing_stick_and_a_missing_program_are_told(self):
        with (
            mock.patch("os.fsync", side_effect=OSError(28, "No space left on device")),
            self.assertRaisesRegex(CannotWrite, "stick"),
        ):
            self.copied()
        self.assertEqual(self.on_stick(), {})
        (self.source / "sheet-2.nc").unlink()
        with self.assertRaisesRegex(AlmanacError, r"sheet-2\.nc cannot be read.*Write the files"):
            self.copied()
        self.assertTrue(all(".part" not in name for name in self.on_stick()))

    def test_sheets_that_are_no_more_leave_their_folder(self):
        own = [self.source / name for name in ("notes-2.txt", "logo-2.svg", "my sheet-2.nc")]
        for path in own:
            path.write_text("mine")
        (self.source / "platte-2.nc").write_text("as German once called it")
        self.assertTrue((self.source / "sheet-2.nc").exists())
        self.jobs.set_number("copies", "1")
        folder = self.write()
        self.assertEqual(folder, self.source)
        left = {path.name for path in folder.iterdir() if re.search("-2", path.name)}
        self.assertEqual(left, {path.name for path in own})
        self.assertTrue((folder / "sheet-1.nc").exists())

    def test_a_folder_that_somebody_named_keeps_what_lies_there(self):
        folder = Path(self.folder) / "drawings"
        folder.mkdir()
        own = folder / "sheet-2.svg"
        own.write_text("mine")
        self.jobs.set_number("copies", "1")
        *_, last = write_job_files(self.jobs.result, folder)
        self.assertEqual((last, own.read_text()), ("written", "mine"))


class CouponOnStickTest(JobCase):
    def test_a_coupon_is_named_by_its_name(self):
        trial, stick = cut_trial(), Path(self.folder) / "stick"
        library = self.session.store.folder
        for _ in write_trial_files(trial, library / "burn" / trial.id):
            pass
        *_, told = coupon_to(stick, library, trial)
        names = sorted(path.name for path in stick.iterdir())
        self.assertEqual([name[-3:] for name in names], [".nc", "svg"])
        self.assertTrue(all(name.startswith("coupon-0") for name in names), names)
        self.assertIn("2 of 2 files", told)
