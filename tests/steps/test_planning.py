"""Planning without a window: kinds, factors, sheets, what fits, next cells, used areas, what is
expected, the files.
"""

import csv
import io
from dataclasses import replace
from unittest import mock

from olive_almanac.core.errors import CannotWrite
from olive_almanac.core.records.entry import Evidence
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.run import CellBurn, RunRecord
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Sheet, Stock
from olive_almanac.steps.active import used_on_sheet
from olive_almanac.steps.find import trial_of_code
from olive_almanac.steps.permission import what_machines_can
from olive_almanac.steps.plan.form import slots_of, texts_of
from olive_almanac.steps.plan.presenter import PlanPresenter
from olive_almanac.steps.read import axis_texts
from olive_almanac.steps.trial_files import trial_files, write_trial_files
from tests.samples import BIRCH, LONG, kind_plan, read_by_energy, read_by_tone, sample_entry
from tests.steps.test_presenters import SessionCase, listen_to

SHEETS = (Sheet(400, 250, clamps_mm=((0, 100, 15, 130),)), Sheet(130, 90))


class PlannerCase(SessionCase):
    def setUp(self):
        super().setUp()
        self.fill()
        self.session.shop.keep_stock(replace(BIRCH, sheets=SHEETS), "sheets noted")
        self.planner = PlanPresenter(self.session, self.view)
        self.begin()

    def begin(self):
        """Start planning with a plain grid."""
        self.planner.start()
        self.planner.suggest("grid")

    @property
    def trial(self):
        return self.planner.plan.trial

    def read(self, trial, readings):
        """Lay a read trial on the desk and start planning anew."""
        self.session.trials.keep(trial, "decide", "read")
        for reading in readings:
            self.session.trials.keep_reading(reading.cell, reading)
        self.planner = PlanPresenter(self.session, self.view)
        self.begin()


class ConfirmRunSheetTest(PlannerCase):
    def confirm(self, stock):
        """A planner of a confirm run on a stock with these sheets."""
        self.session.shop.keep_stock(stock, "sheets noted")
        self.planner = PlanPresenter(self.session, self.view)
        self.planner.start()
        self.planner.suggest("confirm")

    def test_it_asks_for_its_sheet_and_puts_a_new_one_into_the_rack(self):
        self.confirm(replace(BIRCH, sheets=()))
        self.assertIsNone(self.planner.plan)
        self.assertEqual(self.view.last("show_problem")[1], "sheet_size")
        self.planner.change("sheet_size", "3")  # while it is being typed
        self.assertIsNone(self.planner.plan)
        self.planner.change("sheet_size", "300 x 200")
        self.assertEqual((self.trial.sheet.width_mm, self.trial.sheet.height_mm), (300, 200))
        for cell in self.trial.cells:
            x, y, w, h = cell.rect_mm
            self.assertTrue(x + w <= 300 and y + h <= 200)
        self.assertEqual(self.session.subject.stock.sheets, ())
        self.planner.write()
        sheet = self.session.subject.stock.sheets[0]
        self.assertEqual((sheet.width_mm, sheet.height_mm), (300, 200))

    def test_a_sheet_of_the_rack_is_known_by_its_size(self):
        self.confirm(replace(BIRCH, sheets=SHEETS))
        self.assertEqual(self.trial.sheet.number, 0)
        other = SHEETS[1]
        self.planner.change("sheet_size", f"{other.width_mm:g}×{other.height_mm:g}")
        self.assertEqual(self.trial.sheet.number, 1)
        self.planner.write()
        self.assertEqual(len(self.session.subject.stock.sheets), len(SHEETS))


class KindsTest(PlannerCase):
    def test_a_weekly_check_takes_last_weeks_levels_again(self):
        self.planner.choose_kind("weekly")
        first = self.trial
        self.planner.write()
        self.session.trials.mark_used(first)
        self.session.trials.keep(first, "book", "done")
        run = RunRecord(cells={first.cells[0].id: CellBurn()})
        self.session.trials.show(replace(self.session.active, run=run))
        again = PlanPresenter(self.session, self.view)
        again.choose_kind("grid")
        again.choose_kind("weekly")
        self.assertEqual(
            [c.setting for c in again.plan.trial.cells], [c.setting for c in first.cells]
        )
        self.assertIn("weekly check", again.basis)
        self.assertNotEqual(again.plan.trial.area_mm, first.area_mm)

    def test_what_is_held_of_the_trials_is_what_the_library_holds(self):
        first, second = (
            replace(self.trial, id="one", name="One"),
            replace(self.trial, id="two", name="Two"),
        )
        for trial, stage in (
            (first, "burn"),
            (second, "burn"),
            (first, "read"),
            (replace(second, notes="moved"), "read"),
        ):
            self.session.trials.keep(trial, stage, "done")
            self.assertEqual(
                set(self.session.trials.every), {one for one, _, _ in self.session.store.trials()}
            )
        read_again = self.session.store.trials()
        catalogue = self.session.catalogue
        heard = listen_to(self.session)
        self.session.take_news(
            (
                catalogue,
                tuple(
                    sorted(
                        read_again,
                        key=lambda one: (one[2], self.session.trials.every.index(one[0])),
                    )
                ),
            )
        )
        self.assertEqual(heard, [])  # nothing new: stages and times agree, too

    def test_a_confirm_run_repeats_the_entry_of_the_book(self):
        self.session.shop.keep_entry(sample_entry(), "chosen", "entry")
        self.planner.choose_kind("confirm")
        found = {cell.setting for cell in self.trial.cells}
        entry = sample_entry().setting
        self.assertEqual(
            {(s.power, s.speed_mm_s, s.passes) for s in found},
            {(entry.power, entry.speed_mm_s, entry.passes)},
        )
        self.assertEqual(self.planner.basis, "from the book: the entry itself")

    def test_a_confirm_run_of_an_engraving_along_y_is_burnt_along_y(self):
        along = Setting(0.3, 150.0, 1, pitch_mm=0.1, direction="y", crosshatch=True)
        entry = sample_entry(uid="e2", task="engrave", setting=along)
        self.session.shop.keep_entry(entry, "chosen", "entry")
        self.session.choose(task="engrave")
        self.begin()
        self.planner.choose_kind("confirm")
        self.assertEqual({cell.setting for cell in self.trial.cells}, {along})
        self.planner.choose_kind("grid")  # a trial of its own again
        self.assertEqual({cell.setting.direction for cell in self.trial.cells}, {"x"})

    def test_the_book_is_what_levels_rest_on_where_it_has_a_neighbour(self):
        self.session.shop.keep_entry(sample_entry(), "chosen", "entry")
        thick = replace(BIRCH, uid="birch-6", thickness_mm=6.0, measured_mm=(), lot="3")
        self.session.shop.keep_stock(thick, "set up")
        self.session.choose(stock="birch-6")
        self.begin()
        self.assertIn("from the book: Birch ply 3.0 mm, lot 7 on Long Bed", self.planner.basis)
        self.session.choose(task="engrave")
        self.begin()
        self.assertIn("physics", self.planner.basis)

    def test_an_old_note_of_the_subject_is_looked_at_widely_unless_it_cannot_be_right(self):
        def plan_after(**changes):
            note = sample_entry(
                origin="guess",
                proofs=(),
                evidence=Evidence(says="Brought in from old.csv, row 2; not burnt since."),
            )
            self.session.shop.keep_entry(replace(note, **changes), "brought in", "note")
            self.begin()
            return sorted({cell.setting.speed_mm_s for cell in self.trial.cells})

        plain = plan_after(
            evidence=Evidence(probability=0.99)
        )  # reckoned by the model: nothing that the physics does not say
        self.assertIn("from the physics", self.planner.basis)
        quicker = plan_after(setting=Setting(0.9, 20.0, 1))
        self.assertIn("from the note in the book", self.planner.basis)
        self.assertTrue(quicker[0] < 20.0 / 0.9 < quicker[-1])
        self.assertNotEqual(quicker, plain)
        self.assertEqual(plan_after(setting=Setting(0.9, 400.0, 1)), plain)
        self.assertIn("check its units", self.planner.basis)

    def test_slots_follow_the_kind(self):
        for kind, slots in (
            ("grid", ("power", "speed")),
            ("focus", ("", "focus")),
            ("air", ("air", "speed")),
            ("kerf", ("", "")),
        ):
            self.planner.choose_kind(kind)
            self.assertEqual(slots_of(self.planner.texts), slots)

    def test_factors_change_places_and_what_is_left_is_held(self):
        self.planner.choose_factor("up", "speed")  # the one that stands along the foot
        self.assertEqual(slots_of(self.planner.texts), ("speed", "power"))
        self.planner.choose_factor("across", "air")
        self.assertEqual({cell.setting.air for cell in self.trial.cells}, {"off", "low", "full"})
        self.assertEqual({cell.setting.power for cell in self.trial.cells}, {1.0})
        self.planner.choose_factor("across", "passes")
        self.assertEqual({cell.setting.passes for cell in self.trial.cells}, {1, 2, 3, 4})
        self.assertEqual({cell.setting.air for cell in self.trial.cells}, {"full"})

    def test_fields_lead_back_to_the_same_levels(self):
        for kind in ("grid", "passes", "focus", "weekly", "kerf"):
            self.planner.choose_kind(kind)
            before = [cell.setting for cell in self.trial.cells]
            self.planner.texts = texts_of(self.planner._choices(), "mm/min")
            self.planner.remake()
            self.assertEqual([cell.setting for cell in self.trial.cells], before, kind)

    def test_what_varies_is_told_beside_the_cells_to_read(self):
        rows, cols = axis_texts(kind_plan("grid").trial, "mm/min")
        self.assertEqual((rows[0], cols[0]), ("power", "mm/min"))
        self.assertEqual(rows[1][0], "55 %")
        rows, cols = axis_texts(kind_plan("passes").trial, "mm/min")
        self.assertEqual((rows[0], cols[0]), ("", "passes"))
        rows, cols = axis_texts(kind_plan("pitch", "engrave").trial, "mm/s")
        self.assertEqual((rows[0], cols[0]), ("lines", "line pitch, mm"))
        self.assertEqual(rows[1], {0: "one way", 1: "crossed"})


class SheetTest(PlannerCase):
    def test_begins_in_the_corner_of_the_first_sheet(self):
        self.assertEqual((self.trial.sheet.number, self.trial.area_mm[:2]), (0, (5, 5)))
        self.assertEqual(self.trial.sheet.clamps_mm, ((0, 100, 15, 130),))

    def test_a_larger_coupon_moves_to_where_it_fits(self):
        self.planner.drag(300, 180)
        right = self.trial.area_mm[2]
        self.planner.change("speed_steps", "9")
        self.assertLessEqual(self.trial.area_mm[2], right + 1e-6)
        self.assertTrue(self.planner.room.is_free(self.trial.area_mm))

    def test_what_would_fit_fits(self):
        self.planner.choose_sheet("1")
        self.planner.change("cell", "14")
        name, field, text, fixes = self.view.last("show_problem")
        self.assertEqual((name, field), ("show_problem", ""))
        self.assertRegex(
            text, r"^No room on this sheet: [\d.]+ mm short for a coupon of [\d.]+ × [\d.]+ mm\.$"
        )
        self.assertTrue(fixes)
        for fix in fixes:
            with self.subTest(fix.words):
                before = dict(self.planner.texts)
                self.planner.take_fix(fix)
                self.assertIsNotNone(self.planner.plan)
                self.planner.texts = before

    def test_a_full_sheet_offers_the_other_sheet_or_the_bed(self):
        full = replace(BIRCH, sheets=(Sheet(400, 250, ((0, 0, 400, 250),)), Sheet(300, 200)))
        self.session.shop.keep_stock(full, "all used up")
        self.begin()
        fixes = self.view.last("show_problem")[3]
        self.assertEqual(
            [fix.words for fix in fixes], ["on the sheet of 300 × 200 mm", "on the bare bed"]
        )

    def test_arrow_steps_stop_at_what_is_in_the_way(self):
        self.planner.nudge(-10, 0)
        self.assertEqual(self.trial.area_mm[:2], (5, 5))
        self.planner.nudge(3, 4)
        self.assertEqual(self.trial.area_mm[:2], (8, 9))
        self.assertEqual(self.planner.texts["x"], "8")

    def test_the_used_area_is_measured_on_the_sheet(self):
        self.planner.change("sheet_x", "50")
        self.planner.change("x", "80")
        trial = self.trial
        stock = used_on_sheet(self.session.subject.stock, trial)
        left, low, right, high = trial.area_mm
        self.assertEqual(stock.sheets[0].used_mm, ((left - 50, low, right - 50, high),))
        self.assertIsNone(used_on_sheet(stock, trial))  # marked once
        self.assertIsNone(
            used_on_sheet(replace(stock, sheets=(Sheet(10, 10),)), trial)
        )  # another sheet by now
        self.planner.choose_kind("confirm")
        cells = used_on_sheet(self.session.subject.stock, self.trial).sheets[0].used_mm
        self.assertEqual(len(cells), 3)

    def test_machines_that_can_are_named(self):
        clear = Stock("Clear cast acrylic", "acrylic", 3.0, opacity="clear", uid="clear")
        told = {
            machine.name: (words, allowed)
            for machine, words, allowed in what_machines_can(
                self.session.catalogue.machines, clear, "cut", {}
            )
        }
        self.assertTrue(told["Long Bed"][1])
        self.assertFalse(told["North Bench"][1])
        self.assertIn("Cut: cannot", told["North Bench"][0])


class OutlookTest(PlannerCase):
    def test_readings_move_levels_limits_and_the_outlook(self):
        trial = kind_plan("grid").trial
        self.assertEqual(next(iter(self.planner.outlook_work()))[1].cells_read, 0)
        self.read(replace(trial, id="read-1"), read_by_energy(trial, 1.9))
        self.assertEqual(next(iter(self.planner.outlook_work()))[1].cells_read, 24)
        self.assertIn("24 cells", self.planner.basis)
        cells = self.planner.next_work()().next_cells
        self.planner.plan_next(cells)
        planned = {cell.setting.speed_mm_s for cell in self.trial.cells}
        for cell in cells:  # speeds of three digits in the shop's unit, never slower than asked for
            nearest = min(planned, key=lambda v: abs(v - cell.speed_mm_s))
            self.assertTrue(-1e-9 <= nearest / cell.speed_mm_s - 1 < 0.01)

    def test_cells_for_a_job_lie_on_its_sheet_clear_of_its_copies(self):
        sheets = (Sheet(60, 40), Sheet(300, 200))
        self.session.shop.keep_stock(replace(BIRCH, sheets=sheets), "sheets noted")
        cells = (Setting(1.0, 12.0), Setting(1.0, 14.0), Setting(1.0, 16.0), Setting(1.0, 18.0))
        self.planner.plan_next(cells, 1)
        self.assertEqual(self.trial.area_mm[:2], (5.0, 5.0))
        taken = ((2.0, 2.0, 180.0, 120.0),)
        self.planner.plan_next(cells, 1, taken)
        self.assertEqual(self.trial.sheet.number, 1)
        left, low, _, _ = self.trial.area_mm
        self.assertTrue(left >= 182 or low >= 122)
        self.planner.start()
        self.planner.remake()
        self.assertIsNone(self.planner._clear)

    def test_a_flare_that_was_seen_keeps_hotter_cells_out(self):
        trial = replace(kind_plan("grid").trial, id="read-1")
        hottest = max(trial.cells, key=lambda cell: cell.setting.power / cell.setting.speed_mm_s)
        seen = LONG.watts(hottest.setting.power) / hottest.setting.speed_mm_s
        self.read(trial, [Reading(hottest.id, None, char=3, defects=("flare",))])
        self.assertLess(self.planner.limit.most_j_mm(60.0, 1), seen)
        self.planner.texts |= {"speed_from": "300", "speed_to": "6000"}
        self.planner.remake()
        hot = max(LONG.watts(c.setting.power) / c.setting.speed_mm_s for c in self.trial.cells)
        self.assertLess(hot, seen)
        self.assertTrue(self.planner.plan.refused)

    def test_a_score_is_planned_read_and_decided_as_lines(self):
        self.session.choose(task="score")
        self.begin()
        trial = self.trial
        self.assertEqual({cell.mark for cell in trial.cells}, {"line"})
        self.assertEqual({cell.setting.pitch_mm for cell in trial.cells}, {0.0})
        from olive_almanac.steps.decide import decide_trial

        energies = sorted(LONG.watts(c.setting.power) / c.setting.speed_mm_s for c in trial.cells)
        flat = replace(
            trial,
            cells=tuple(replace(c, setting=replace(c.setting, pitch_mm=1.0)) for c in trial.cells),
        )
        decision, known = decide_trial([(trial, read_by_tone(flat, energies[8], energies[14]))])
        self.assertTrue(decision.picks)
        self.assertIn("J/mm gives", decision.says)
        pick = decision.picks[0]
        self.assertIsNotNone(pick.seconds_per_m)
        self.assertTrue(
            energies[7] < LONG.watts(pick.setting.power) / pick.setting.speed_mm_s < energies[15]
        )
        self.assertEqual(known.cells_read, 24)

    def test_lines_of_a_focus_test_decide_no_cut(self):
        from olive_almanac.steps.decide import decide_trial

        trial = kind_plan("focus").trial
        decision, _ = decide_trial(
            [(trial, [Reading(cell.id, "not_through") for cell in trial.cells])]
        )
        self.assertIn("burn a grid to decide", decision.says)
        self.assertFalse(decision.stall or decision.picks)


class FilesTest(PlannerCase):
    def test_nothing_is_in_place_when_the_last_file_cannot_be_written(self):
        folder = self.folder / "out"
        with (
            mock.patch(
                "olive_almanac.steps.trial_files.write_key",
                side_effect=CannotWrite("The disk is full."),
            ),
            self.assertRaises(CannotWrite),
        ):
            list(write_trial_files(self.trial, folder))
        self.assertFalse(folder.exists())

    def test_stopping_half_way_leaves_nothing(self):
        work = write_trial_files(self.trial, self.folder / "out")
        for progress in work:
            if progress.step == "drawing":
                break
        work.close()
        self.assertFalse((self.folder / "out").exists())

    def test_an_older_set_of_files_stays_whole_when_the_swap_fails(self):
        folder = self.folder / "out"
        list(write_trial_files(self.trial, folder))
        before = {path.name: path.read_bytes() for path in folder.iterdir()}
        self.planner.change("power_to", "90")
        with (
            mock.patch("os.fsync", side_effect=OSError(28, "No space left on device")),
            self.assertRaisesRegex(CannotWrite, "disk is full"),
        ):
            list(write_trial_files(self.trial, folder))
        self.assertEqual({path.name: path.read_bytes() for path in folder.iterdir()}, before)

    def test_the_files_belong_together(self):
        files = trial_files(self.folder / "out")
        list(write_trial_files(self.trial, self.folder / "out"))
        cells = list(csv.DictReader(io.StringIO(files.cells.read_text())))
        self.assertEqual(len(cells), len(self.trial.cells))
        gcode = files.gcode.read_text()
        for row in cells:
            self.assertIn(f"(cell {row['cell']}: ", gcode)
        self.assertEqual(trial_of_code(f"olive-almanac:trial:{self.trial.id}"), self.trial.id)
        self.assertEqual(trial_of_code("3 mm birch"), "")

    def test_a_trial_is_opened_by_its_id(self):
        self.planner.write()
        wanted = self.session.active.trial
        self.session.choose(task="engrave")
        self.assertIsNone(self.session.active)
        self.assertTrue(self.session.trials.open(wanted.id))
        self.assertEqual(
            (self.session.active.trial.id, self.session.subject.task), (wanted.id, "cut")
        )
        self.assertFalse(self.session.trials.open("coupon-of-another-shop"))


class SettingTest(PlannerCase):
    def test_dose_and_mean_focus(self):
        crossed = Setting(0.5, 100.0, 2, pitch_mm=0.1, crosshatch=True)
        self.assertAlmostEqual(crossed.dose_per_watt, 2 * 2 / (100 * 0.1))
        self.assertEqual(Setting(0.5, 10.0, 3, 1.0, focus_step_mm=0.5).mean_focus_mm, 1.5)
