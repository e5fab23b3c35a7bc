"""The Plan station in the real window: every field by mouse and keys, the sheet, dragging, turning,
no room, the outlook.
"""

import threading
from dataclasses import replace
from itertools import pairwise
from unittest.mock import Mock, patch

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel

from olive_almanac.core.design.suggest import suggest_levels
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.stock import Sheet
from olive_almanac.steps.requests import PlanKind
from olive_almanac.views.finder import Finder
from tests.samples import (
    BIRCH,
    LEATHER,
    LONG,
    MARKER,
    NORTH,
    PLATE,
    VINYL,
    cut_trial,
    read_by_energy,
)
from tests.views.test_stations import ShopCase

SHEETS = (Sheet(400, 250, clamps_mm=((0, 100, 15, 130),)), Sheet(130, 90))


class PlanCase(ShopCase):
    def fill(self, library):
        library.save_stock(replace(BIRCH, sheets=SHEETS), "sheets noted")

    def setUp(self):
        super().setUp()
        self.plan_grid()

    @property
    def trial(self):
        return self.page().presenter.plan.trial

    @property
    def fields(self):
        return self.page().choices.fields

    def layout_leaf(self):
        leaf = self.page().choices.leaf
        self.click(leaf, self.point(leaf.width() - 12, 15))

    def becomes(self, key, text, check):
        """Type into a field and wait until the trial follows."""
        self.assertTrue(self.fields[key].isVisible(), key)
        self.retype(self.fields[key], text)
        self.trial_becomes(check)


class FirstCellsTest(ShopCase):
    def test_a_cut_begins_with_the_most_telling_cells_and_the_grid_is_a_word_away(self):
        self.alt(Qt.Key.Key_2)
        page = self.page()
        self.wait_for(lambda: page.presenter.plan is not None)
        self.assertEqual(page.short.values["Cells"][0].text(), "8")
        self.assertIn("a plain grid of 24", page.short.basis.text())
        words = [one.text() for one in page.choices.findChildren(QLabel) if one.isVisible()]
        self.assertTrue(any(word.startswith("1 pass, focus") for word in words), words)
        self.assertEqual(self.clipped(), [])
        self.choose_word(page.choices.kind, "grid")
        self.wait_for(lambda: not page.presenter.is_asked)
        self.assertEqual(page.short.values["Cells"][0].text(), "24")
        words = [one.text() for one in page.choices.findChildren(QLabel) if one.isVisible()]
        self.assertFalse(any("pass, focus" in word for word in words))


class FieldsTest(PlanCase):
    def test_every_number_on_the_levels_leaf_changes_the_trial(self):
        for key, text, check in (
            ("power_from", "60", lambda t: min(c.setting.power for c in t.cells) == 0.6),
            ("power_to", "90", lambda t: max(c.setting.power for c in t.cells) == 0.9),
            ("power_steps", "3", lambda t: len(t.cells) == 18),
            (
                "speed_from",
                "1200",
                lambda t: round(min(c.setting.speed_mm_s for c in t.cells), 3) == 20,
            ),
            (
                "speed_to",
                "2400",
                lambda t: round(max(c.setting.speed_mm_s for c in t.cells), 3) == 40,
            ),
            ("speed_steps", "5", lambda t: len(t.cells) == 15),
            ("focus", "1", lambda t: {c.setting.focus_mm for c in t.cells} == {1.0}),
            ("passes", "2", lambda t: {c.setting.passes for c in t.cells} == {2}),
            ("focus_step", "0.5", lambda t: {c.setting.focus_step_mm for c in t.cells} == {0.5}),
            ("passes", "1, 2", lambda t: len(t.cells) == 30),  # a third factor repeats the grid
        ):
            with self.subTest(key=key, text=text):
                self.becomes(key, text, check)

    def test_every_number_on_the_layout_leaf_changes_the_trial(self):
        self.layout_leaf()
        for key, text, check in (
            ("cell", "8", lambda t: t.cells[0].rect_mm[2] == 8),
            (
                "gap",
                "6",
                lambda t: t.cells[1].rect_mm != t.cells[0].rect_mm and t.coupon.width_mm > 95,
            ),
            ("rest", "2", lambda t: t.rest_s == 2),
            ("sheet_x", "30", lambda t: t.sheet.x_mm == 30),
            ("sheet_y", "20", lambda t: t.sheet.y_mm == 20),
            ("clamps", "200,0,220,20", lambda t: t.sheet.clamps_mm == ((230, 20, 250, 40),)),
            ("edge", "12", lambda t: t.area_mm[1] >= 32),
            ("x", "300", lambda t: round(t.on_sheet.x_mm) == 300),
            ("y", "110", lambda t: round(t.on_sheet.y_mm) == 110),
            ("label_power", "9", lambda t: t.label_setting.power == 0.09),
            ("label_speed", "2400", lambda t: t.label_setting.speed_mm_s == 40),
        ):
            with self.subTest(key=key, text=text):
                self.becomes(key, text, check)

    def test_kinds_are_picked_and_show_their_own_fields(self):
        choices = self.page().choices
        for words, kind, key, text, check in (
            (
                "passes",
                "passes",
                "passes_to",
                "3",
                lambda t: max(c.setting.passes for c in t.cells) == 3,
            ),
            ("focus ramp", "ramp", "slope", "0.2", lambda t: t.choices["slope"] == 0.2),
            ("kerf", "kerf", "slots", "2.8, 2.9, 3", lambda t: len(t.cells) == 8),
            ("confirm", "confirm", "repeats", "5", lambda t: len(t.cells) == 5),
            (
                "weekly",
                "weekly",
                "power",
                "90",
                lambda t: {c.setting.power for c in t.cells} == {0.9},
            ),
            ("direction", "direction", "speed_steps", "3", lambda t: len(t.cells) == 6),
            ("air", "air", "speed_steps", "4", lambda t: len(t.cells) == 12),
            (
                "detail",
                "detail",
                "power",
                "80",
                lambda t: {c.setting.power for c in t.cells} == {0.8},
            ),
            ("focus steps", "focus", "focus_steps", "5", lambda t: len(t.cells) == 5),
        ):
            with self.subTest(kind=kind):
                self.choose_word(choices.kind, words)
                self.trial_becomes(lambda t, kind=kind: t.kind == kind)
                self.assertEqual(self.clipped(), [])
                self.becomes(key, text, check)

    def test_a_pulse_rate_is_the_sources_own_until_it_is_typed_or_varied(self):
        choices = self.page().choices
        self.assertFalse(choices.rows["pulse"].isVisible())
        self.session.shop.keep_stock(PLATE, "set up")
        self.session.choose(machine=MARKER.uid, stock=PLATE.uid, task="engrave")
        self.wait_for(lambda: self.page().presenter.plan is not None)
        field = self.fields["pulse"]
        self.assertTrue(field.isVisible())
        self.assertEqual((field.text(), field.placeholderText()), ("", "own"))
        self.assertEqual({c.setting.pulse_khz for c in self.trial.cells}, {0.0})
        self.becomes("pulse", "35", lambda t: {c.setting.pulse_khz for c in t.cells} == {35.0})
        self.becomes("pulse", "", lambda t: {c.setting.pulse_khz for c in t.cells} == {0.0})
        self.choose_word(choices.up.name, "Pulse")
        self.trial_becomes(lambda t: len({c.setting.pulse_khz for c in t.cells}) == 5)
        rates = {c.setting.pulse_khz for c in self.trial.cells}
        self.assertEqual((min(rates), max(rates)), (20.0, 80.0))
        self.assertEqual(self.clipped(), [])

    def test_factors_spacing_order_beam_and_marks_are_picked(self):
        choices = self.page().choices
        self.choose_word(choices.up.name, "Focus")
        self.trial_becomes(lambda t: len({c.setting.focus_mm for c in t.cells}) == 5)
        self.assertEqual(
            len({c.setting.power for c in self.trial.cells}), 1
        )  # what varied before is held now
        self.choose_word(choices.across.spacing, "ratio")
        speeds = sorted({c.setting.speed_mm_s for c in self.trial.cells})
        for (a, b), (c, d) in pairwise(pairwise(speeds)):
            self.assertAlmostEqual(b / a, d / c, places=3)
        self.choose_word(choices.across.spacing, "list")
        self.becomes(
            "speed_list", "1500, 1800", lambda t: len({c.setting.speed_mm_s for c in t.cells}) == 2
        )
        self.choose_word(choices.pickers["beam"], "follows")
        self.assertEqual({c.setting.beam for c in self.trial.cells}, {"follows-speed"})
        self.choose_word(choices.pickers["air"], "low")
        self.assertEqual({c.setting.air for c in self.trial.cells}, {"low"})
        self.layout_leaf()
        for key, words, check in (
            ("order", "row", lambda t: t.burn_order == "rows"),
            ("labels", "no", lambda t: not t.labels),
            ("marks", "no", lambda t: not t.fiducials),
        ):
            self.choose_word(choices.pickers[key], words)
            self.assertTrue(check(self.trial), key)

    def test_engraving_has_pitch_crossed_lines_and_its_own_kinds(self):
        self.choose_word(self.window.subject_line.task, "engr")
        self.trial_becomes(lambda t: t.task == "engrave")
        self.becomes("pitch", "0.2", lambda t: {c.setting.pitch_mm for c in t.cells} == {0.2})
        self.choose_word(self.page().choices.pickers["crosshatch"], "yes")
        self.assertTrue(all(cell.setting.crosshatch for cell in self.trial.cells))
        for words, kind in (("greyscale", "grey"), ("line-pitch", "pitch")):
            self.choose_word(self.page().choices.kind, words)
            self.trial_becomes(lambda t, kind=kind: t.kind == kind)
            self.assertEqual(self.clipped(), [])

    def test_bad_levels_mark_their_field_and_say_why(self):
        self.retype(self.fields["power_to"], "400")
        self.wait_for(lambda: self.page().presenter.plan is None)
        self.assertTrue(self.fields["power_to"].property("bad"))
        self.assertFalse(self.page().short.write.isEnabled())
        self.becomes("power_to", "100", lambda t: True)


class SheetTest(PlanCase):
    def drag(self, dx_mm, dy_mm):
        sheet, (left_mm, low_mm, right_mm, high_mm) = self.page().sheet, self.trial.area_mm
        k, left, foot = sheet._bed_scale(sheet.width(), sheet.height())
        start = (left + k * (left_mm + right_mm) / 2, foot - k * (low_mm + high_mm) / 2)
        QTest.mousePress(sheet, Qt.MouseButton.LeftButton, pos=self.point(*start))
        QTest.mouseMove(sheet, self.point(start[0] + k * dx_mm, start[1] - k * dy_mm))
        QTest.mouseRelease(
            sheet,
            Qt.MouseButton.LeftButton,
            pos=self.point(start[0] + k * dx_mm, start[1] - k * dy_mm),
        )
        self.settle()

    def test_it_is_dragged_snaps_to_edges_and_never_lies_on_a_clamp(self):
        self.layout_leaf()
        self.assertEqual(self.trial.area_mm[:2], (5, 5))
        self.drag(150, 60)
        self.assertAlmostEqual(self.trial.area_mm[0], 155, delta=2)
        self.drag(500, 2)  # beyond the sheet: it stops at the edge that is kept free
        self.assertAlmostEqual(self.trial.area_mm[2], 395, places=3)
        self.drag(-400, 30)  # onto the clamp: it lies beside it, the head's clearance away
        room = self.page().presenter.room
        self.assertTrue(room.is_free(self.trial.area_mm))
        self.assertEqual(self.fields["x"].text(), f"{self.trial.on_sheet.x_mm:g}")

    def test_arrows_move_it_r_and_the_button_turn_it_and_a_corner_is_picked(self):
        self.layout_leaf()
        sheet = self.page().sheet
        self.click(sheet, self.point(sheet.width() - 5, 5))
        self.assertTrue(sheet.hasFocus())
        self.key(Qt.Key.Key_Right, widget=sheet)
        self.key(Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier, widget=sheet)
        self.assertEqual(self.trial.area_mm[:2], (6, 15))
        wide = self.trial.coupon.width_mm > self.trial.coupon.height_mm
        self.key(Qt.Key.Key_R, widget=sheet)
        self.assertEqual(self.trial.coupon.width_mm > self.trial.coupon.height_mm, not wide)
        self.press("Turn by 90°")
        self.assertEqual(self.trial.coupon.width_mm > self.trial.coupon.height_mm, wide)
        self.choose_word(self.page().choices.corner, "upper right")
        self.assertEqual(self.trial.area_mm[2:], (395, 245))

    def test_a_sheet_without_room_says_by_how_much_and_what_would_fit(self):
        self.layout_leaf()
        self.choose_word(self.page().choices.sheet, "sheet 2")
        self.retype(self.fields["cell"], "14")

        def told():
            labels = self.page().short.findChildren(type(self.page().centre_title))
            return [label.text() for label in labels if label.isVisible()]

        self.wait_for(
            lambda: any("No room on this sheet: " in text and "mm short" in text for text in told())
        )
        self.assertIn("These would fit:", told())
        self.press("On the sheet of 400 × 250 mm")
        self.assertEqual(self.trial.sheet.number, 0)
        self.choose_word(self.page().choices.sheet, "bare bed")
        self.assertIsNone(self.trial.sheet)

    def test_what_is_burnt_is_marked_as_used_and_the_next_coupon_lies_beside_it(self):
        first = self.trial.area_mm
        self.write_burn_file()
        self.press("It was burnt on the machine")
        self.wait_for(lambda: self.session.subject.stock.sheets[0].used_mm)
        self.assertEqual(self.session.subject.stock.sheets[0].used_mm, (first,))
        self.alt(Qt.Key.Key_2)
        self.trial_becomes(lambda t: t.area_mm != first)
        left, low, *_ = self.trial.area_mm
        self.assertTrue(left >= first[2] or low >= first[3])

    def test_clamps_typed_here_are_remembered_with_the_sheet(self):
        self.layout_leaf()
        self.becomes("clamps", "380,0,400,30", lambda t: t.sheet.clamps_mm == ((380, 0, 400, 30),))
        self.write_burn_file()
        self.assertEqual(
            self.session.catalogue.stock(BIRCH.uid).sheets[0].clamps_mm, ((380, 0, 400, 30),)
        )


class SlowSuggestionTest(ShopCase):
    """What a suggestion rests on may take long to fit: here as long as the test wants it to."""

    def setUp(self):
        super().setUp()
        self.may_end, self.asked, self.fault = threading.Event(), [], None
        slowly = patch("olive_almanac.steps.plan.suggestion.suggest_levels", self.slowly)
        slowly.start()
        self.addCleanup(slowly.stop)
        self.addCleanup(self.may_end.set)  # first of all: the window waits for its threads

    def slowly(self, machine, stock, task, **more):
        self.asked.append((stock.uid, more["kind"]))
        self.may_end.wait(20)
        if self.fault is not None:
            raise self.fault
        return suggest_levels(machine, stock, task, **more)

    def to_plan(self):
        self.key(Qt.Key.Key_2, Qt.KeyboardModifier.AltModifier)

    def notes(self):
        shown = self.page().findChildren(QLabel)
        return " ".join(one.text() for one in shown if one.isVisible())

    def end(self):
        self.may_end.set()
        self.wait_for(lambda: not self.page().presenter.is_asked and not self.window.is_busy)

    def planned(self):
        self.wait_for(lambda: self.page().presenter.plan is not None)
        return self.page().presenter.plan.trial

    def test_it_is_told_and_nothing_can_be_written_until_it_is_there(self):
        self.to_plan()
        short = self.page().short
        self.assertFalse(short.write.isEnabled())
        self.wait_for(lambda: "Working out the cells" in self.notes())
        self.assertIn("Birch ply", self.notes())
        self.assertFalse(self.page().columns.isVisible())
        self.assertEqual(self.clipped(), [])
        self.ctrl(Qt.Key.Key_P)
        self.ctrl(Qt.Key.Key_Return)
        self.assertIsNone(self.session.active)
        self.end()
        self.assertTrue(short.write.isEnabled())
        self.assertNotIn("Working out", self.notes())
        self.assertTrue(self.page().choices.kind.hasFocus())
        with patch.object(self.window, "show_pages") as shown:
            self.write_burn_file()
        shown.assert_not_called()  # the key was asked for when there was none

    def test_the_plan_before_is_not_written_while_another_is_worked_out(self):
        self.to_plan()
        self.may_end.set()
        self.planned()
        self.may_end.clear()
        self.choose_word(self.page().choices.kind, "grid")
        self.ctrl(Qt.Key.Key_Return)
        self.end()
        self.settle()
        self.assertIsNone(self.session.active)
        self.assertEqual(self.planned().kind, "grid")

    def test_it_is_not_taken_into_a_coupon_that_is_on_the_desk(self):
        self.may_end.set()
        self.session.choose(stock=LEATHER.uid)
        self.to_plan()
        self.planned()
        self.write_burn_file()
        written = self.session.active.trial
        self.may_end.clear()
        self.session.choose(stock=BIRCH.uid)
        self.to_plan()
        self.wait_for(lambda: self.asked[-1][0] == BIRCH.uid)
        self.session.choose(stock=LEATHER.uid)
        self.settle()
        self.assertEqual(self.planned().cells, written.cells)
        self.may_end.set()
        self.wait_for(lambda: not self.window.is_busy)
        self.settle()
        self.assertEqual(self.planned().cells, written.cells)

    def test_another_kind_takes_its_place(self):
        self.to_plan()
        self.wait_for(lambda: self.asked)
        self.page().take(PlanKind("grid"))
        self.end()
        self.assertEqual([kind for _, kind in self.asked], ["next", "grid"])
        self.assertEqual(self.planned().kind, "grid")

    def test_what_is_worked_out_for_another_stock_is_dropped(self):
        for away in ("plan", "book"):
            for stock, other in ((BIRCH, LEATHER), (LEATHER, BIRCH)):
                with self.subTest(away, stock=stock.name):
                    self.may_end.clear()
                    self.session.choose(stock=stock.uid)
                    self.to_plan()
                    self.page().suggest()
                    self.wait_for(lambda stock=stock: self.asked[-1][0] == stock.uid)
                    self.window.navigate(away)
                    self.session.choose(stock=other.uid)
                    self.may_end.set()
                    self.wait_for(lambda: not self.window.is_busy)
                    self.settle()
                    if away == "book":
                        self.assertIsNone(self.window.page("plan").presenter.plan)
                    for one in (stock, other):  # also where the first one is in hand again
                        self.session.choose(stock=one.uid)
                        self.to_plan()
                        self.assertEqual(self.planned().stock.uid, one.uid)

    def test_left_and_come_back_to_it_is_asked_for_anew(self):
        self.to_plan()
        self.window.navigate("book")
        self.may_end.set()
        self.wait_for(lambda: not self.window.is_busy)
        self.to_plan()
        self.assertEqual(self.planned().kind, "next")

    def test_a_barred_stock_has_no_plan_though_one_was_being_worked_out(self):
        self.to_plan()
        self.session.choose(stock=VINYL.uid)
        self.may_end.set()
        self.wait_for(lambda: not self.window.is_busy)
        self.settle()
        self.assertIsNone(self.page().presenter.plan)
        self.assertTrue(self.page().refusal.isVisible())

    def test_another_look_asks_for_the_same_kind_again(self):
        self.may_end.set()
        self.to_plan()
        self.planned()
        self.may_end.clear()
        self.choose_word(self.page().choices.kind, "focus")
        self.window.switch_theme()
        self.end()
        self.assertEqual(self.planned().kind, "focus")

    def test_what_cannot_be_is_told(self):
        self.to_plan()
        self.fault = OutOfRange("Speed", 900, "at most 400", "mm/s")
        self.end()
        self.assertIn("at most 400", self.notes())
        self.assertFalse(self.page().short.write.isEnabled())
        self.fault = None
        self.may_end.clear()
        self.press("Suggest levels")
        self.wait_for(lambda: "Working out the cells" in self.notes())
        self.end()
        self.planned()
        self.assertTrue(self.page().short.suggest.hasFocus())


class OutlookTest(PlanCase):
    def fill(self, library):
        super().fill(library)
        library.save_machine(NORTH, "set up")

    def test_the_expected_edge_is_drawn_and_told_by_textures(self):
        page = self.page()
        self.wait_for(lambda: page.sheet.outlook is not None)
        self.assertEqual(page.sheet.outlook.cells_read, 0)
        self.assertTrue(page.sheet.outlook.edges)
        before = page.sheet.grab().toImage()
        self.click(page.shade, self.point(page.shade.width() - 12, 15))
        self.assertTrue(page.sheet.expects)
        self.assertNotEqual(page.sheet.grab().toImage(), before)

    def read_a_coupon(self):
        """A coupon of the subject is read; Plan then offers the next cells."""
        trial = replace(cut_trial(stock=replace(BIRCH, sheets=SHEETS)), id="read-1")
        self.session.trials.keep(trial, "decide", "read")
        for reading in read_by_energy(trial, 1.9):
            self.session.trials.keep_reading(reading.cell, reading)
        self.session.trials.changed.emit()
        self.settle()
        self.wait_for(lambda: self.page().short.next.isVisible())

    def test_next_cells_come_from_the_readings_and_lie_on_the_same_sheet(self):
        self.read_a_coupon()
        self.assertIn("where each tells most", self.page().short.basis.text())
        self.suggest("grid")
        self.assertIn("24 cells", self.page().short.basis.text())
        self.press("Next cells")
        self.trial_becomes(lambda t: t.kind == "next")
        self.assertTrue(2 <= len(self.trial.cells) <= 8)
        self.assertIn("teach most", self.page().short.basis.text())

    def test_next_cells_are_not_offered_of_a_subject_of_which_nothing_was_read(self):
        self.read_a_coupon()
        self.session.choose(task="engrave")
        self.assertFalse(self.page().short.next.isVisible())  # while it is worked out, too
        self.wait_for(lambda: self.page().presenter.plan is not None)
        self.assertFalse(self.page().short.next.isVisible())
        self.retype(self.fields["cell"], "-3")
        self.wait_for(lambda: self.page().presenter.plan is None)
        self.assertFalse(self.page().short.next.isVisible())
        self.session.choose(task="cut")
        self.wait_for(lambda: self.page().short.next.isVisible())

    def test_grids_of_all_sizes_and_units_lay_out_without_clipping(self):
        self.layout_leaf()
        self.choose_word(self.page().choices.sheet, "bare bed")
        leaf = self.page().choices.leaf
        self.click(leaf, self.point(10, 15))
        for unit in ("mm/min", "in/min"):
            self.session.remember(speed_unit=unit)
            self.session.trials.changed.emit()
            self.settle()
            self.suggest("grid")
            for steps in ("3", "20"):
                for key in ("power_steps", "speed_steps"):
                    self.retype(self.fields[key], steps)
                self.wait_for(
                    lambda steps=steps: (
                        self.page().presenter.plan is not None
                        and len(self.trial.cells) == int(steps) ** 2
                    )
                )
                self.wait_for(lambda: self.page().sheet.outlook is not None)
                self.assertEqual(self.clipped(), [])

    def test_a_double_click_writes_and_does_not_stop_it(self):
        self.press("Write the burn file")
        self.page().main_action()
        self.wait_for(lambda: self.window.station == "burn")

    def test_writing_can_be_stopped(self):
        page = self.page()
        self.press("Write the burn file")
        if page._writing is not None:
            page._since = Mock(elapsed=lambda: 1000)  # so late that it is no double click
            page.main_action()
            self.wait_for(lambda: page._writing is None)
            self.assertEqual(self.window.station, "plan")
            self.assertIsNone(self.session.active)
        self.assertEqual(page.short.write.text(), "Write the burn file")

    def test_the_code_of_a_key_sheet_opens_its_trial(self):
        self.write_burn_file()
        wanted = self.session.active.trial.id
        self.session.choose(stock=LEATHER.uid)
        self.ctrl(Qt.Key.Key_K)
        finder = self.window.findChild(Finder)
        self.type(f"olive-almanac:trial:{wanted}", finder.field)
        self.key(Qt.Key.Key_Return, widget=finder.field)
        self.assertEqual(self.session.active.trial.id, wanted)
        self.assertEqual(
            (self.session.subject.machine, self.session.subject.stock.uid), (LONG, BIRCH.uid)
        )
        self.assertEqual(self.window.station, "burn")
