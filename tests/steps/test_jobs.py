"""A job without a window: from a drawing to written files, what came of it, the next drawing."""

import base64
import io
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from unittest import mock

import numpy as np
from PIL import Image

from olive_almanac.core.errors import CannotWrite
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Sheet
from olive_almanac.formats.gcode_check import check_gcode
from olive_almanac.steps import job_work
from olive_almanac.steps.find import find_jobs
from olive_almanac.steps.job_lie import lies_like, with_lie_of, with_origin, with_touched
from olive_almanac.steps.job_work import limits_of_run
from olive_almanac.steps.jobs import JobsPresenter
from tests.job_host import JobHost
from tests.samples import BIRCH, LEATHER, LONG, kind_plan, sample_entry
from tests.steps.test_planning import PlannerCase

SVG = (
    '<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="50mm" viewBox="0 0 60 50" '
    'fill="none"><rect x="10" y="10" width="40" height="30" stroke="red"/>'
    '<path d="M12 35h30" stroke="blue"/></svg>'
)


class JobCase(JobHost, PlannerCase):
    def setUp(self):
        super().setUp()
        sheets = (Sheet(400, 250, ((5, 5, 105, 80),), ((0, 120, 15, 150),)),)
        self.session.shop.keep_stock(replace(BIRCH, sheets=sheets), "sheets noted")
        for task, setting in (("cut", Setting(0.9, 12.5, 2)), ("score", Setting(0.2, 60.0))):
            entry = sample_entry(uid=task, task=task, setting=setting, kerf_x_mm=0.2, kerf_y_mm=0.1)
            self.session.shop.keep_entry(entry, "chosen", "entry")
        self.jobs = JobsPresenter(
            self.session, self, lambda: datetime(2026, 4, 14, 12, 0, tzinfo=UTC)
        )
        self.path = Path(self.folder) / "plate.svg"

    def bring_in(self, text=SVG):
        self.path.write_text(text)
        self.jobs.take_drawing(self.read_from(self.path))
        self.jobs.set_task("#0000ff", "score")

    def read_from(self, path):
        *told, read = self.jobs.reading(path)
        self.assertTrue(all(isinstance(one, str) for one in told))
        return read

    def write(self):
        """Write the files of the job in hand, and return where they lie."""
        *_, (result, _) = self.jobs.writing()
        return self.jobs.written(result)

    @property
    def screen(self):
        return self.screens[-1]


class JobTest(JobCase):
    def test_a_drawing_becomes_a_job_with_the_numbers_of_the_book(self):
        self.bring_in()
        first, second = self.screen.groups
        self.assertEqual((first.task.task, first.state), ("cut", "trial"))
        self.assertEqual(first.numbers[:3], ("90 %", "750 mm/min", "2 passes"))
        self.assertEqual(first.task.kerf_mm, (0.2, 0.1))
        self.assertEqual(second.task.entry_uid, "score")
        self.jobs.set_number("copies", "6")
        self.assertEqual(self.screen.result.plan.copies, 6)
        used = self.session.subject.stock.sheets[0].used_mm[0]
        for box in self.screen.result.plan.runs[0].used_mm:
            apart = (box[0] >= used[2] + 2, box[1] >= used[3] + 2)
            self.assertTrue(any(apart), box)
        self.assertEqual(self.session.store.jobs()[0].copies, 6)

    def test_work_that_takes_long_tells_each_sheet_and_may_be_stopped_there(self):
        stock = replace(BIRCH, sheets=(Sheet(400, 250), Sheet(400, 250)))
        self.session.shop.keep_stock(stock, "another sheet")
        self.bring_in()
        self.jobs.set_number("copies", "100")
        with mock.patch("olive_almanac.steps.jobs.LONG_S", -1.0):
            *words, result = self.jobs.work()
        sheets = len(result.plan.runs)
        self.assertGreater(sheets, 1)
        self.assertEqual(words[0], "1 sheet planned …")
        self.assertEqual(words[sheets - 1], f"{sheets} sheets planned …")
        *words, result = self.jobs.work()
        self.assertEqual(set(words), {""})
        self.assertEqual(len(result.plan.runs), sheets)

    def test_wrong_numbers_are_told_and_change_nothing(self):
        self.bring_in()
        for text in ("0", "2.5", "many", "2,000"):
            self.jobs.set_number("copies", text)
            self.assertTrue(self.screen.problem, text)
        self.jobs.set_number("gap_mm", "-1")
        self.assertTrue(self.screen.problem)
        self.assertEqual((self.jobs.job.copies, self.jobs.job.gap_mm), (1, 3.0))

    def test_a_group_without_an_entry_waits_and_barred_stock_is_no_job(self):
        self.bring_in()
        self.jobs.set_task("#0000ff", "engrave")
        self.assertIsNone(self.jobs.writing())
        self.assertIn("nothing is known yet to engrave", self.session.problem)
        self.jobs.set_task("#0000ff", "leave out")
        self.assertIsNotNone(self.jobs.writing())
        stock = replace(self.session.subject.stock, family="vinyl")
        self.session.shop.keep_stock(stock, "it is vinyl")
        self.jobs.refresh()
        self.assertTrue(self.screen.groups[0].barred)
        self.assertIsNone(self.jobs.writing())

    def test_files_wait_until_what_changed_in_the_shop_is_worked_in(self):
        self.bring_in()
        subject = self.session.subject
        (sheet,) = subject.stock.sheets
        clamped = replace(sheet, clamps_mm=(*sheet.clamps_mm, (120.0, 0.0, 180.0, 90.0)))
        for change in (
            lambda: self.session.shop.keep_stock(
                replace(subject.stock, sheets=(clamped,)), "clamp"
            ),
            lambda: self.session.shop.change_machine(
                replace(subject.machine, header=("M8",)), "dust"
            ),
        ):
            self.assertIsNotNone(self.jobs.writing())
            change()
            self.assertIsNone(self.jobs.writing())
            self.assertIn("still being worked out", self.session.problem)
            self.jobs.refresh()

    def test_a_written_job_offers_no_rest_before_what_it_burnt_is_marked(self):
        self.bring_in()
        self.write()
        self.assertIsNone(self.jobs.rest_of(0))
        (box,) = self.screen.result.plan.runs[0].used_mm
        self.jobs.tell_outcome(1, 0)
        rest = self.jobs.rest_of(0)
        apart = rest[2] <= box[0] or box[2] <= rest[0] or rest[3] <= box[1] or box[3] <= rest[1]
        self.assertTrue(apart, (rest, box))

    def test_the_rest_of_a_sheet_becomes_an_offcut_and_can_be_taken_back(self):
        self.bring_in()
        self.assertIsNotNone(self.jobs.rest_of(0))  # a corner was used before
        self.jobs.tell_outcome(1, 0)
        rest = self.jobs.rest_of(0)
        before = self.session.subject.stock.sheets
        self.jobs.make_offcut(0)
        (sheet,) = self.session.subject.stock.sheets
        self.assertEqual((sheet.width_mm, sheet.height_mm), (rest[2] - rest[0], rest[3] - rest[1]))
        self.assertEqual((sheet.used_mm, sheet.clamps_mm), ((), ()))
        self.assertEqual(self.screen.result.plan.remarks, ())
        self.assertIsNone(self.jobs.rest_of(0))
        self.session.undo_stack.undo()
        self.assertEqual(self.session.subject.stock.sheets, before)

    def test_a_job_is_found_by_what_one_would_ask(self):
        self.bring_in()
        self.jobs.tell_outcome(12, 2)
        catalogue = self.session.catalogue
        for text in ("plate", "what did we run for the plate in April", "plate 2026", "birch job"):
            (hit,) = find_jobs(catalogue, text)
            self.assertEqual(
                (hit.job.uid, hit.came_of_it), (self.jobs.job.uid, "12 pieces, 2 hung")
            )
        for text in ("plate march", "", "what did we", "acrylic plate"):
            self.assertEqual(find_jobs(catalogue, text), ())

    def test_a_picture_is_engraved_by_a_greyscale_strip_and_never_by_a_guess(self):
        pixels = np.tile(np.linspace(0, 255, 60).astype(np.uint8), (40, 1))
        data = io.BytesIO()
        Image.fromarray(pixels).save(data, "PNG")
        text = base64.b64encode(data.getvalue()).decode()
        picture = (
            f'<image x="15" y="15" width="30" height="20" href="data:image/png;base64,{text}"/>'
        )
        entry = sample_entry(uid="e", task="engrave", setting=Setting(0.3, 300.0, pitch_mm=0.1))
        self.session.shop.keep_entry(entry, "chosen", "entry")
        self.bring_in(SVG.replace("<path", f"{picture}<path"))
        line = self.screen.groups[-1]
        self.assertTrue(line.is_picture and line.needs_entry)
        self.assertIn("need a greyscale strip", self.jobs.waits_for)
        trial = replace(kind_plan("grey", "engrave").trial, machine=LONG, stock=BIRCH)
        self.session.store.save_trial(trial, "decide", "read")
        readings = [
            Reading(cell.id, lightness=78 - 50 * cell.setting.power / 0.6) for cell in trial.cells
        ]
        self.session.store.save_readings(trial.id, readings, "read")
        self.session.trials.keep(trial, "decide", "read")
        self.jobs.choose("")
        self.jobs.resume()
        line = self.screen.groups[-1]
        self.assertEqual(
            (line.task.setting.pitch_mm, line.needs_entry), (trial.cells[0].setting.pitch_mm, False)
        )
        self.assertIn("by the strip", line.reason)
        (shading,) = line.shadings
        self.assertEqual(shading.own_l.shape, shading.made_l.shape)
        self.assertLess(np.ptp(shading.made_l), np.ptp(shading.own_l))
        steps = [group for _, group in self.screen.result.plan.pattern.steps]
        self.assertEqual(steps[0], "picture")
        self.assertTrue(any("measured curve" in one for one in self.screen.result.plan.remarks))
        for _ in self.jobs.writing():
            pass
        self.assertIn("up to", line.numbers[0])

    def test_a_piece_that_has_not_moved_gets_something_more_by_the_same_lie(self):
        self.bring_in()
        first = self.screen.job
        touched = with_touched(with_origin(first, "touched"), ("10", "20", "410", "20"))
        self.jobs.edit(lambda _: touched, "touched")
        self.path = self.path.with_name("second.svg")
        self.bring_in()
        second = self.screen.job
        self.assertNotEqual(second.uid, first.uid)
        (like,) = lies_like(second, self.jobs.jobs)
        self.jobs.edit(lambda job: with_lie_of(job, like), "as in another job")
        job = self.screen.job
        self.assertEqual((job.origin, job.touched_mm), ("touched", (10.0, 20.0, 410.0, 20.0)))

    def test_nothing_is_written_while_the_layout_is_of_an_older_job(self):
        self.bring_in()
        with mock.patch.object(self, "work_asked"):
            self.jobs.set_number("copies", "3")
        self.assertIsNone(self.jobs.writing())
        self.assertIn("still being worked out", self.session.problem)
        self.assertFalse(self.jobs.tell_outcome(1, 0))
        self.work_asked()
        self.assertIsNotNone(self.jobs.writing())

    def test_files_are_noted_with_the_job_that_they_are_of(self):
        self.bring_in()
        first = self.jobs.job
        *_, (result, _) = self.jobs.writing()
        self.path = self.path.with_name("other.svg")
        self.bring_in()
        second = self.jobs.job
        self.assertNotEqual(first.uid, second.uid)
        self.assertIsNotNone(self.jobs.written(result))
        self.assertEqual((self.jobs.job.uid, self.jobs.job.written), (second.uid, ""))
        kept = {job.uid: job for job in self.session.catalogue.jobs}
        self.assertTrue(kept[first.uid].written)
        *_, (result, _) = self.jobs.writing()
        self.jobs.set_number("copies", "3")
        self.assertIsNone(self.jobs.written(result))
        self.assertIn("was changed while", self.session.problem)
        self.assertFalse(self.jobs.job.written)
        self.write()
        self.assertTrue(self.jobs.job.written)
        self.jobs.set_hang("sheet")
        self.assertTrue(self.jobs.job.written)  # no file says what a hang costs
        self.jobs.move(0, 5.0, 0.0)
        self.assertFalse(self.jobs.job.written)

    def test_a_drawing_that_was_read_for_another_stock_is_told_and_dropped(self):
        self.bring_in()
        before = self.session.catalogue.jobs
        read = self.read_from(self.path.with_name("plate.svg"))
        self.session.choose(stock=LEATHER.uid)
        self.jobs.take_drawing(read)
        self.assertIn("plate.svg was read for something else", self.session.problem)
        self.assertEqual(self.session.catalogue.jobs, before)

    def test_files_are_written_checked_and_stay_where_they_were_laid(self):
        self.bring_in()
        self.jobs.set_number("copies", "4")
        folder = self.write()
        names = {path.name for path in folder.iterdir()}
        frame = (folder / "sheet-1-frame.nc").read_text()
        self.assertNotRegex(frame, r"(?m)^(G1 |M3|M4)")
        expected = {
            "sheet-1.nc",
            "sheet-1-frame.nc",
            "sheet-1-trace.nc",
            "sheet-1-centre.nc",
            "sheet-1.svg",
            "sheet-1.dxf",
            "job.pdf",
            "job-letter.pdf",
        }
        self.assertEqual(names, expected | {"job.json"})
        (run,) = self.screen.result.plan.runs
        limits = limits_of_run(run, self.session.subject.stock.sheets[0])
        self.assertTrue(check_gcode((folder / "sheet-1.nc").read_text(), limits).safe)
        self.assertEqual(len(self.jobs.job.placed), 4)
        self.assertEqual(self.jobs.job.written, "2026-04-14T12:00:00+00:00")

    def test_programs_that_no_controller_would_take_are_refused_and_nothing_is_written(self):
        self.bring_in()
        (program,) = self.write().glob("sheet-1.nc")
        size, before = program.stat().st_size, program.read_bytes()
        with mock.patch.object(job_work, "MOST_BYTES", size):
            self.write()
        self.jobs.set_number("copies", "2")
        with (
            mock.patch.object(job_work, "MOST_BYTES", size),
            self.assertRaisesRegex(CannotWrite, "wider line pitch, smaller, or fewer copies"),
        ):
            self.write()
        self.assertEqual(program.read_bytes(), before)

    def test_a_copy_moved_onto_a_clamp_is_told_and_its_file_refused(self):
        self.bring_in()
        self.jobs.move(0, -500.0, 115.0)
        self.assertIn("lies on a clamp", self.screen.result.plan.remarks[0])
        with self.assertRaisesRegex(Exception, "safety check"):
            for _ in self.jobs.writing():
                pass
        self.jobs.lay_out_again()
        self.assertEqual(self.screen.result.plan.remarks, ())

    def test_a_copy_is_turned_unless_something_is_engraved(self):
        self.bring_in()
        (before,) = self.screen.result.plan.runs[0].used_mm
        self.jobs.turn(0)
        (after,) = self.screen.result.plan.runs[0].used_mm
        sides = [(round(b[2] - b[0], 6), round(b[3] - b[1], 6)) for b in (before, after)]
        self.assertEqual(sides[0], sides[1][::-1])
        raster = Setting(0.3, 300.0, pitch_mm=0.1, direction="x")
        engrave = sample_entry(uid="engrave", task="engrave", setting=raster)
        self.session.shop.keep_entry(engrave, "chosen", "entry")
        self.bring_in(SVG.replace('stroke="blue"', 'fill="black"').replace("h30", "h30v4h-30z"))
        self.jobs.turn(0)
        self.assertFalse(any(copy.turned for copy in self.jobs.job.placed))

    def test_the_page_that_a_program_paints_is_left_out(self):
        self.bring_in(SVG.replace("<rect", '<rect width="60" height="50" fill="#fff"/><rect', 1))
        self.assertEqual(self.screen.groups[0].task.task, "leave out")

    def test_what_came_of_it_marks_the_sheet_and_proves_the_entry_once_a_day(self):
        self.bring_in()
        used = len(self.session.subject.stock.sheets[0].used_mm)
        self.assertTrue(self.jobs.tell_outcome(3, 0))
        entry = self.session.catalogue.entry_for(LONG.uid, BIRCH.uid, "cut")
        self.assertEqual([p.outcome for p in entry.proofs], ["passed"])
        self.assertEqual(len(self.session.subject.stock.sheets[0].used_mm), used + 1)
        self.jobs.tell_outcome(3, 0)
        self.jobs.tell_outcome(3, 1, 1)  # a knot is nobody's setting
        entry = self.session.catalogue.entry_for(LONG.uid, BIRCH.uid, "cut")
        self.assertEqual([p.outcome for p in entry.proofs], ["passed"])
        self.jobs.tell_outcome(3, 2, 1, cause="focus")
        entry = self.session.catalogue.entry_for(LONG.uid, BIRCH.uid, "cut")
        self.assertEqual([p.outcome for p in entry.proofs], ["passed", "failed"])
        self.assertFalse(self.jobs.tell_outcome(3, 4))
        self.assertEqual(len(self.session.store.jobs()[0].outcomes), 4)

    def test_a_changed_drawing_is_noticed_and_keeps_its_tasks(self):
        self.bring_in()
        self.assertFalse(self.jobs.is_changed_on_disk())
        self.path.write_text(SVG.replace('width="40"', 'width="30"'))
        self.assertTrue(self.jobs.is_changed_on_disk())
        uid = self.jobs.job.uid
        self.jobs.take_drawing(self.read_from(self.path))
        self.assertEqual(self.jobs.job.uid, uid)
        self.assertEqual(self.screen.groups[1].task.task, "score")
        self.assertAlmostEqual(self.screen.result.plan.pattern.size_mm[0], 32, 2)

    def test_the_next_drawing_remembers_what_its_groups_are_for(self):
        self.bring_in()
        other = Path(self.folder) / "lid.svg"
        other.write_text(SVG.replace('height="30"', 'height="20"'))
        self.jobs.take_drawing(self.read_from(other))
        self.assertEqual([line.task.task for line in self.screen.groups], ["cut", "score"])
        self.assertEqual([job.name for job in self.jobs.jobs], ["lid", "plate"])
        self.jobs.choose(self.jobs.jobs[1].uid)
        self.assertEqual(self.screen.drawing.name, "plate.svg")
        self.jobs.remove()
        self.assertEqual([job.name for job in self.jobs.jobs], ["lid"])
        self.assertEqual([job.name for job in self.session.store.jobs()], ["lid"])

    def test_slots_are_held_against_the_measured_stock(self):
        slots = "".join(
            f'<rect x="{15 + 8 * n}" y="15" width="2.9" height="12" stroke="red"/>'
            for n in range(3)
        )
        self.bring_in(SVG.replace("<path", f"{slots}<path"))
        (asked,) = [one for one in self.screen.questions if "slot" in one.says]
        self.assertRegex(
            asked.says, r"^3 slots drawn 2.90 mm wide: jams with over 99 % on stock of 3.02 mm"
        )
        self.assertEqual(asked.choices, (("3.07", "Make them 3.07"),))
        self.jobs.answer(asked.about, "3.07")
        (part,) = self.screen.result.plan.pattern.parts
        widths = {round(float(np.ptp(hole[:, 0])), 3) for hole in part.holes}
        self.assertEqual(widths, {3.07})
        (said,) = [one for one in self.screen.questions if "slot" in one.says]
        self.assertEqual((said.is_answered, said.choices), (True, (("", "Take back"),)))
        self.jobs.answer(asked.about, "")
        self.assertIn("3.07 mm fits", self.screen.questions[-1].says)

    def test_a_drawing_without_a_unit_is_asked_for_it_and_the_answer_stays(self):
        bare = SVG.replace('width="60mm" height="50mm" viewBox="0 0 60 50" ', "")
        self.bring_in(bare)
        wide = self.screen.result.plan.pattern.size_mm[0]
        self.assertAlmostEqual(wide, 40 * 25.4 / 96, 3)
        (asked,) = self.screen.questions
        self.assertEqual((asked.about, asked.choices[0][0]), ("pixels", "px 96"))
        for unit, size in (("mm", 40.0), ("px 72", 40 * 25.4 / 72), ("inch", 40 * 25.4)):
            self.jobs.answer("pixels", unit)
            self.assertAlmostEqual(
                self.screen.drawing.paths[0].pieces[0].points[1][0], size * 1.25, 3
            )
        self.jobs.answer("pixels", "mm")
        uid = self.jobs.job.uid
        self.jobs.choose("")
        self.jobs.choose(uid)
        self.assertAlmostEqual(self.screen.result.plan.pattern.size_mm[0], 40.0, 3)

    def test_ends_that_nearly_meet_are_closed_and_doubled_lines_burnt_once_when_said(self):
        near = '<path d="M15 15h20v20h-20v-19.8" stroke="red"/>'
        plate = '<rect x="10" y="10" width="40" height="30" stroke="red"/>'
        self.bring_in(SVG.replace("<rect", f"{near}{plate}<rect"))
        about = {one.about for one in self.screen.questions}
        self.assertEqual(about, {"nearly closed", "burnt twice"})
        self.assertEqual(len(self.screen.result.plan.pattern.outlines), 2)
        self.jobs.answer("nearly closed", "close")
        self.jobs.answer("burnt twice", "once")
        self.assertTrue(all(one.is_answered for one in self.screen.questions))
        steps = [group for _, group in self.screen.result.plan.pattern.steps]
        self.assertEqual(steps.count("#ff0000"), 2)

    def test_copies_are_laid_closer_and_a_late_layout_is_dropped(self):
        triangle = SVG.replace(
            '<rect x="10" y="10" width="40" height="30"', '<path d="M0 0h50v40z"'
        )
        self.bring_in(triangle.replace("M12 35h30", "M40 5h8"))
        self.jobs.set_number("copies", "12")
        rows = self.screen.result.plan
        *_, (job, placed) = self.jobs.nesting()
        self.jobs.take_nested(job, placed)
        plan = self.screen.result.plan
        self.assertEqual((plan.copies, plan.remarks), (12, rows.remarks))
        self.assertGreater(sum(copy.upside for copy in plan.placed), 3)
        late = self.jobs.nesting()
        self.jobs.set_number("copies", "3")
        *_, (job, placed) = late
        self.jobs.take_nested(job, placed)
        self.assertEqual((self.jobs.job.copies, self.jobs.job.placed), (3, ()))

    def test_pieces_are_placed_one_by_one_and_told_as_such(self):
        more = '<rect x="52" y="10" width="6" height="30" stroke="red"/>'
        self.bring_in(SVG.replace("<path", f"{more}<path"))
        self.jobs.set_number("copies", "2")
        self.jobs.set_apart(True)
        plan = self.screen.result.plan
        self.assertEqual((plan.copies_words, len(plan.pieces_mm)), ("4 pieces", 4))
        self.assertEqual({copy.part for copy in plan.placed}, {0, 1})
        folder = self.write()
        limits = limits_of_run(plan.runs[0], self.session.subject.stock.sheets[0])
        self.assertTrue(check_gcode((folder / "sheet-1.nc").read_text(), limits).safe)
        self.assertTrue(self.session.store.jobs()[0].apart)

    def test_the_numbers_follow_the_book(self):
        self.bring_in()
        entry = self.session.catalogue.entry_for(LONG.uid, BIRCH.uid, "cut")
        slower = replace(entry, setting=replace(entry.setting, speed_mm_s=10.0))
        self.session.shop.keep_entry(slower, "slower", "entry")
        self.jobs.resume()
        self.assertEqual(self.screen.groups[0].numbers[1], "600 mm/min")
