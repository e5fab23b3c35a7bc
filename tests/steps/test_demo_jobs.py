"""The demo shop's jobs of the second half, each worked out, written, checked and burnt to its end
on the stand-in: covers from both sides, forty plates with numbers of a list, a relief in layers, a
dial with a picture by power and in dots.
"""

import tempfile
import unittest
from dataclasses import replace
from datetime import UTC, date, datetime
from pathlib import Path

from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.sides import TwoSides
from olive_almanac.core.records.trial import SheetOnBed
from olive_almanac.formats.gcode_check import check_gcode
from olive_almanac.standins.bench import StandInBench
from olive_almanac.steps.job_run import JobRunner
from olive_almanac.steps.job_sides import two_sided
from olive_almanac.steps.job_work import limits_of_run
from olive_almanac.steps.jobs import JobsPresenter
from olive_almanac.steps.session import Session
from olive_almanac.storage.library import Library
from tests.bench_line import BenchLine
from tests.demo_shop import copy_demo
from tests.job_host import JobHost
from tests.samples import DAY, kind_plan, whole_run

NOON = datetime(2026, 4, 14, 12, tzinfo=UTC)


class DemoJobsTest(JobHost, unittest.TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name) / "demo"
        copy_demo(self.folder)
        self.session = Session(today=lambda: date.fromisoformat(DAY))
        self.session.attach(Library.open(self.folder, clock=lambda: NOON))
        self.addCleanup(self.session.store.close)

    def open(self, name):
        (job,) = [one for one in self.session.catalogue.jobs if one.name == name]
        self.session.choose(machine=job.machine_uid, stock=job.stock_uid)
        self.jobs = JobsPresenter(self.session, self, lambda: NOON)
        self.jobs.choose(job.uid)
        if self.jobs.result is None or not self.jobs.is_current:
            self.work_asked()
        return self.jobs.result.plan

    def files(self):
        """Write the job; every program is safe.  Return the folder."""
        self.assertEqual(self.jobs.waits_for, "")
        *_, (result, _) = self.jobs.writing()
        folder = self.jobs.written(result)
        sheets = self.jobs.result.wish.sheets
        for run in self.jobs.result.plan.runs:
            called = self.jobs.job.sheet_words(run.sheet, run.side)
            path = folder / (called.lower().replace(", ", "-").replace(" ", "-") + ".nc")
            sheet = sheets[run.sheet] if sheets else None
            limits = limits_of_run(run, sheet)
            with self.subTest(path.name):
                self.assertTrue(check_gcode(path.read_text(), limits).safe)
        return folder

    def burn(self, run):
        """Burn a sheet on the stand-in's controller until it is done."""
        line = BenchLine()
        runner = JobRunner(self.jobs, self, line.connect, lambda: line.now, lambda: NOON)
        runner.start(run)
        for _ in range(60_000):
            if not runner.pump():
                break
            line.let(0.2)
        self.assertEqual(runner.state, "done")
        self.assertEqual(runner.progress.burnt, len(run.steps))

    def test_covers_from_both_sides(self):
        plan = self.open("specimen-covers")
        self.assertEqual([run.side for run in plan.runs], ["back", "front"])
        self.files()
        self.burn(plan.runs[1])

    def test_forty_plates_with_numbers_of_a_list_also_from_both_sides(self):
        plan = self.open("hive-plates")
        self.assertEqual((plan.copies, len(plan.runs)), (40, 4))
        self.jobs.set_number("copies", "14")  # a full load and a part of one
        self.files()
        self.burn(self.jobs.result.plan.runs[1])
        names = {"names of the list": "back"}
        self.jobs.edit(lambda job: two_sided(job, TwoSides("x"), names), "both sides")
        plan = self.jobs.result.plan
        self.assertEqual([run.side for run in plan.runs], ["front", "back"] * 2)
        self.files()
        self.burn(plan.runs[-1])

    def test_a_relief_in_five_layers_with_guides(self):
        plan = self.open("relief-map")
        self.assertEqual(len(self.jobs.result.labels), 5)
        self.assertIn("guides of the next layer", plan.runs[0].groups)
        self.files()
        self.burn(plan.runs[0])

    def test_cells_burnt_today_on_the_very_sheet_count_for_the_job(self):
        plan = self.open("seed-drawer-fronts")
        (sheet,) = {run.sheet for run in plan.runs}
        usual, book = self.jobs.result.paces[0].risk.all_free, self.jobs.result.paces[0].setting
        machine, stock = self.session.subject.machine, self.session.subject.stock
        plan = kind_plan("next", "cut", machine, stock).trial
        cells = tuple(replace(cell, setting=book) for cell in plan.cells)
        left, store = SheetOnBed(sheet, 0, 0, 400, 250), self.session.store
        for name, day, lot, number in (
            ("yesterday", "2026-04-13", stock.lot, sheet),
            ("another lot", DAY, "older", sheet),
            ("another sheet", DAY, stock.lot, sheet + 1),
            ("here and today", DAY, stock.lot, sheet),
        ):
            of, on = replace(stock, lot=lot), replace(left, number=number)
            trial = replace(plan, id=f"first-{name}", cells=cells, stock=of, sheet=on)
            store.save_trial(trial, "decide", "burnt")
            run = replace(whole_run(trial), started=f"{day}T09:00:00")
            store.save_run(trial.id, run, "burnt")
            store.save_readings(trial.id, [Reading(one.id, verdict="hangs") for one in cells], "")
            self.session.read_again()
            self.open("seed-drawer-fronts")
            result = self.jobs.result
            chance = result.paces[0].risk.all_free
            with self.subTest(name):
                if name != "here and today":
                    self.assertEqual((result.first, chance), ((), usual))
        self.assertEqual([cell.free for cell in result.first], [False] * len(cells))
        self.assertLess(chance, usual - 0.01)
        self.assertIsNone(result.offer)

    def test_a_dial_with_a_picture_by_power_and_in_dots(self):
        plan = self.open("dial-faces")
        (shading,) = plan.pattern.shadings
        self.assertTrue(shading.steps[0].powers)
        machine, stock = self.session.subject.machine, self.session.subject.stock
        self.jobs.set_dots(True)
        self.assertIn("a dot strip that was read", self.jobs.waits_for)
        strip = kind_plan("dots", "engrave", machine, stock).trial
        store = self.session.store
        store.save_trial(strip, "decide", "burnt")
        store.save_run(strip.id, whole_run(strip), "burnt")
        seen = [Reading(one.cell, lightness=one.lightness) for one in StandInBench(5).burn(strip)]
        store.save_readings(strip.id, seen, "read")
        self.session.read_again()
        self.jobs.set_dots(False)
        self.jobs.set_dots(True)
        (shading,) = self.jobs.result.plan.pattern.shadings
        self.assertEqual(shading.steps[0].powers, ())
        self.files()
        self.burn(self.jobs.result.plan.runs[0])
