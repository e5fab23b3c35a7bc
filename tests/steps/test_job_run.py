"""A sheet of a job over a wire: what is surely burnt is known, and a run goes on at the last sure
line.
"""

from dataclasses import replace
from datetime import UTC, datetime

from olive_almanac.core.errors import AlmanacError, LibraryTrouble
from olive_almanac.formats.gcode_check import check_gcode
from olive_almanac.formats.gcode_job import job_parts
from olive_almanac.steps.job_run import JobRunner, layout_key
from olive_almanac.steps.job_work import check_run, limits_of_run
from olive_almanac.steps.stream import lines_of
from olive_almanac.storage.library import Library
from tests.bench_line import BenchLine
from tests.steps.test_jobs import JobCase


class JobRunCase(JobCase):
    def setUp(self):
        super().setUp()
        self.bring_in()
        self.jobs.set_number("copies", "4")
        self.write()
        self.shown = 0

    def show_run(self):
        self.shown += 1

    def runner(self):
        self.line = BenchLine()
        return JobRunner(
            self.jobs,
            self,
            self.line.connect,
            lambda: self.line.now,
            lambda: datetime(2026, 4, 14, 13, tzinfo=UTC),
        )

    @property
    def sheet(self):
        return self.jobs.result.plan.runs[0]

    def burn(self, runner, steps=10_000):
        """Let time pass until so many steps are burnt, or the run is over."""
        for _ in range(40_000):
            if runner.progress.burnt >= steps or not runner.pump():
                return
            self.line.let(0.02)

    def kept(self):
        """What another program would find in the library now."""
        other = Library.open(self.folder)
        self.addCleanup(other.close)
        return next(one for one in other.jobs() if one.uid == self.jobs.job.uid).progress


class JobRunTest(JobRunCase):
    def test_it_runs_to_the_end_and_says_so(self):
        runner = self.runner()
        runner.start(self.sheet)
        self.burn(runner)
        self.assertEqual(runner.state, "done")
        (progress,) = self.kept()
        count = len(self.sheet.steps)
        self.assertEqual((progress.burnt, progress.begun, progress.complete), (count, count, True))
        self.assertEqual((progress.by, progress.interrupted), ("stand-in", ""))
        self.assertTrue(self.line.closed)
        self.assertAlmostEqual(self.line.now, self.sheet.seconds, delta=0.1 * self.sheet.seconds)

    def test_a_held_run_waits_and_a_stopped_one_goes_on_at_the_last_sure_line(self):
        runner = self.runner()
        runner.start(self.sheet)
        self.burn(runner, 3)
        runner.pause()
        place = self.line.controller.place[:]
        for _ in range(50):
            runner.pump()
            self.line.let(0.1)
        self.assertEqual(self.line.controller.place, place)
        runner.pause()
        self.burn(runner, 4)
        runner.stop()
        (progress,) = self.kept()
        self.assertEqual((runner.state, progress.interrupted), ("stopped", "stopped by hand"))
        self.assertIn(progress.begun - progress.burnt, (0, 1))
        self.assertFalse(progress.complete)
        again = self.runner()
        again.start(self.sheet, first=progress.burnt)
        self.burn(again)
        self.assertEqual(again.state, "done")
        self.assertEqual(again.stream.finished[0], str(progress.burnt))

    def test_what_is_left_is_a_safe_program_of_its_own(self):
        said = {task.group: task.setting for task in self.jobs.job.groups}
        limits = limits_of_run(self.sheet, self.session.subject.stock.sheets[0])
        rest = b"".join(block for _, block in job_parts(self.sheet, said, first=5))
        self.assertTrue(check_gcode(rest.decode(), limits).safe)
        whole = b"".join(block for _, block in job_parts(self.sheet, said))
        self.assertLess(rest.count(b"G1 "), whole.count(b"G1 "))
        check_run(self.jobs.result, self.sheet)

    def test_the_check_is_of_what_is_sent_from_a_later_step_on(self):
        (step, group), *others = self.sheet.steps
        off_bed = replace(step, at_mm=(4000.0, 0.0))
        for steps, first in (([*others, (off_bed, group)], 3), ([(off_bed, group), *others], 0)):
            sheet = replace(self.sheet, steps=tuple(steps))
            with self.subTest(first=first), self.assertRaisesRegex(AlmanacError, "safety check"):
                check_run(self.jobs.result, sheet, first=first)
        check_run(self.jobs.result, sheet, first=1)  # the bad step is behind it

    def test_whatever_happens_the_library_knew_that_a_line_was_begun(self):
        runner = self.runner()
        runner.start(self.sheet)
        for _ in range(400):
            runner.pump()
            in_hand = runner.stream.in_hand
            if in_hand:
                (progress,) = self.kept() if int(in_hand) % 3 == 0 else (runner.progress,)
                self.assertGreater(progress.begun, int(in_hand))
            self.line.let(0.05)

    def full(self):
        """No room in the library until the returned function is called."""
        library, real = self.session.library, self.session.library.save_job

        def full(*_):
            raise LibraryTrouble("the disk is full")

        library.save_job = full
        return lambda: setattr(library, "save_job", real)

    def until_full(self, runner):
        with self.assertRaises(LibraryTrouble):
            self.burn(runner)

    def test_a_full_disk_lets_no_line_begin_that_the_library_does_not_know(self):
        runner = self.runner()
        runner.start(self.sheet)
        self.burn(runner, 2)
        freed = self.full()
        self.until_full(runner)
        freed()
        said = {task.group: task.setting for task in self.jobs.job.groups}
        of_line = [step for _, step in lines_of(job_parts(self.sheet, said))]
        while runner.progress.burnt < 6 and runner.pump():
            step = of_line[runner.stream.sent - 1]
            if step:
                (progress,) = self.kept()
                self.assertGreater(progress.begun, int(step))
            self.line.let(0.05)
        self.assertEqual(runner.progress.burnt, 6)

    def test_a_full_disk_at_the_end_keeps_the_run_until_there_is_room(self):
        for end, told in (("done", ""), ("stopped", "stopped by hand")):
            with self.subTest(end):
                runner = self.runner()
                runner.start(self.sheet)
                self.burn(runner, len(self.sheet.steps) - 1)
                freed = self.full()
                if end == "done":
                    self.until_full(runner)
                else:
                    with self.assertRaises(LibraryTrouble):
                        runner.stop()
                self.assertTrue(runner.is_going and self.line.closed)
                runner.pause()
                runner.pump()  # a held run tries nothing
                self.assertEqual(runner.state, "held")
                runner.pause()
                self.until_full(runner)
                freed()
                self.assertFalse(runner.pump())
                (progress,) = self.kept()
                self.assertEqual((runner.state, progress.interrupted), (end, told))
                self.assertEqual(progress.complete, end == "done")

    def test_a_lost_wire_is_told_and_the_run_stays_with_its_own_job(self):
        runner = self.runner()
        mine = self.jobs.job.uid
        runner.start(self.sheet)
        self.burn(runner, 2)
        self.path = self.path.with_name("other.svg")
        self.bring_in()
        self.assertNotEqual(self.jobs.job.uid, mine)
        self.line.cut = True
        self.burn(runner)
        self.assertEqual(runner.state, "interrupted")
        self.assertIn("connection was lost", runner.why)
        jobs = {job.uid: job for job in self.session.store.jobs()}
        (progress,) = jobs[mine].progress
        self.assertEqual(progress.burnt, 2)
        said = {task.group: task.setting for task in jobs[mine].groups}
        of_line = [step for _, step in lines_of(job_parts(runner.run, said))]
        self.line.let(60.0)  # the machine goes on with what it holds
        touched = {int(step) for step in of_line[: self.line.controller.done] if step}
        self.assertGreater(max(touched), 2)
        self.assertLess(max(touched), progress.begun)
        self.assertEqual(jobs[self.jobs.job.uid].progress, ())

    def test_the_frame_is_traced_with_the_beam_off_and_burns_nothing(self):
        runner = self.runner()
        runner.start(self.sheet, unlit="frame")
        self.burn(runner)
        self.assertEqual((runner.state, self.jobs.job.progress), ("done", ()))
        self.assertNotRegex(self.line.sent.decode(), r"M3|M4|G1 ")

    def test_every_line_is_ticked_for_this_layout_only(self):
        runner = self.runner()
        lines = runner.checks(self.sheet)
        self.assertEqual(len(lines), 7)
        frame = next(one.number for one in lines if one.key == "frame")
        self.assertRegex(frame, r"^169.8 × 30.1 mm at 107, 2: trace it$")
        for one in lines:
            runner.tick(self.sheet, one.key, on=True)
        self.assertEqual(runner.open_lines(self.sheet), ())
        self.jobs.set_number("copies", "5")
        self.assertEqual(len(runner.open_lines(self.sheet)), 7)

    def test_another_layout_begins_anew(self):
        runner = self.runner()
        runner.start(self.sheet)
        self.burn(runner, 3)
        runner.stop()
        before = layout_key(self.sheet)
        self.jobs.move(0, 20, 0)
        self.assertNotEqual(layout_key(self.sheet), before)
        self.assertEqual(self.runner().progress_of(self.jobs.job, self.sheet).burnt, 0)

    def test_nothing_goes_out_that_does_not_know_a_clamp_of_today(self):
        stock, runner, run = self.session.subject.stock, self.runner(), self.sheet
        (sheet,) = stock.sheets
        clamped = replace(sheet, clamps_mm=((120.0, 0.0, 180.0, 90.0),))
        self.session.shop.keep_stock(replace(stock, sheets=(clamped,)), "clamp")
        with self.assertRaisesRegex(AlmanacError, "is worked out anew"):
            runner.start(run)  # and it is worked out
        for unlit in ("", "frame", "trace"):
            with self.assertRaisesRegex(AlmanacError, "has changed: go back"):
                runner.start(run, unlit=unlit)
        self.assertEqual(self.kept(), ())
        runner.start(self.sheet)
        self.assertEqual(runner.state, "running")

    def test_the_stand_in_burns_nothing_of_a_real_library(self):
        self.session.library.playground = False
        with self.assertRaises(AlmanacError):
            self.runner().start(self.sheet)
