"""The Jobs station in the window: from a drawing on disk to a written and told job, by mouse and by
keys alone.
"""

import math
import re
from dataclasses import replace
from pathlib import Path
from unittest import mock

import ezdxf
from pypdf import PdfReader
from PySide6.QtCore import QMimeData, QPoint, QPointF, QRect, QSize, Qt, QUrl
from PySide6.QtGui import QColor, QDropEvent, QPainter, QPen
from PySide6.QtSvg import QSvgGenerator
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QCheckBox, QFileDialog, QLabel, QPushButton

from olive_almanac.core.errors import LibraryTrouble
from olive_almanac.core.records.entry import Evidence
from olive_almanac.core.records.jig import Jig
from olive_almanac.core.records.job import JobProgress
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Sheet
from olive_almanac.formats.gcode_check import CheckLimits, check_gcode
from olive_almanac.standins.controller import StandInWire
from olive_almanac.steps.job_jig import with_jig
from olive_almanac.steps.job_run import layout_key
from olive_almanac.views import theme
from olive_almanac.views.finder import Finder
from olive_almanac.views.jobs.jig import JigDialog
from olive_almanac.views.jobs.layers import LayersDialog
from olive_almanac.views.jobs.names import NamesDialog
from olive_almanac.views.jobs.sides import SidesDialog
from tests.samples import BIRCH, LEATHER, LONG, cut_trial, read_by_energy, sample_entry
from tests.views.test_stations import ShopCase

SVG = (
    '<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="50mm" viewBox="0 0 60 50" '
    'fill="none"><rect x="10" y="10" width="40" height="30" stroke="red"/>'
    '<circle cx="20" cy="20" r="4" stroke="red"/><path d="M12 35h30" stroke="blue"/>'
    '<path d="M12 35h10" stroke="blue"/></svg>'
)
BESIDE_MM = 30.0


class JobsCase(ShopCase):
    def fill(self, library):
        trial = cut_trial()
        library.save_trial(trial, "book", "planned")
        library.save_readings(trial.id, read_by_energy(trial, 2.2), "read")
        evidence = Evidence((trial.id,), 24)
        cut = sample_entry(
            setting=Setting(1.0, 14.0), kerf_x_mm=0.2, kerf_y_mm=0.15, evidence=evidence
        )
        library.save_entry(cut, "chosen")
        score = sample_entry(uid="score", task="score", setting=Setting(0.2, 60.0))
        library.save_entry(score, "chosen")
        sheets = (Sheet(400, 250, (), ((0, 120, 15, 150),)),)
        library.save_stock(replace(BIRCH, sheets=sheets), "sheets noted")

    def setUp(self):
        super().setUp()
        self.path = Path(self.folder.parent) / "plate.svg"
        self.path.write_text(SVG)
        self.window.activateWindow()
        self.wait_for(self.window.isActiveWindow)
        self.alt(Qt.Key.Key_7)

    def ready(self):
        page = self.page()
        self.wait_for(lambda: page.presenter.is_current and page.presenter.result.paces)
        return page

    def texts(self):
        return [one.text() for one in self.page().findChildren(QLabel) if one.isVisible()]

    def choose_file(self):
        found = mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(self.path), ""))
        with found:
            self.key(Qt.Key.Key_Space, widget=self.page().first)
        self.wait_for(lambda: self.page().presenter.job is not None)


class ElsewhereTest(JobsCase):
    def test_an_open_job_of_another_stock_is_offered_and_opened(self):
        self.choose_file()
        uid = self.ready().presenter.job.uid
        self.session.choose(stock=LEATHER.uid)
        self.wait_for(lambda: "Long Bed, Birch ply 3.0 mm" in self.texts())
        self.window.activateWindow()
        made = next(one for one in self.page().findChildren(QPushButton) if one.text() == "plate")
        self.key(Qt.Key.Key_Space, widget=made)
        self.wait_for(lambda: self.page().presenter.job is not None)
        self.assertEqual(self.page().presenter.job.uid, uid)
        self.wait_for(self.page().picker.hasFocus)  # the key that was pressed is gone
        self.assertEqual(self.session.subject.stock.uid, BIRCH.uid)


class CellsFirstTest(JobsCase):
    """Half as much is known of a long job at a quick pace."""

    def fill(self, library):
        trial = cut_trial()
        library.save_trial(trial, "book", "planned")
        library.save_readings(trial.id, read_by_energy(trial, 2.2)[:12], "read")
        evidence, setting = Evidence((trial.id,), 12), Setting(1.0, 20.0)
        cut = sample_entry(setting=setting, kerf_x_mm=0.2, kerf_y_mm=0.15, evidence=evidence)
        library.save_entry(cut, "chosen")
        score = sample_entry(uid="score", task="score", setting=Setting(0.2, 60.0))
        library.save_entry(score, "chosen")
        stock = replace(BIRCH, sheets=(Sheet(580, 380),), price_m2=270.0)
        library.save_stock(stock, "sheets noted")

    def test_cells_are_burnt_and_read_first_on_the_very_sheet_and_count_for_the_job(self):
        self.choose_file()
        page = self.ready()
        page.copies.selectAll()
        self.type("100", page.copies)
        self.key(Qt.Key.Key_Return, widget=page.copies)
        self.wait_for(lambda: page.presenter.result and page.presenter.result.plan.copies == 100)
        self.wait_for(page.cells.isVisible)
        self.assertRegex(page.offer.text(), r"^Burn 4 cells in a free corner first: .* saves ")
        self.window.resize(1280, 800)
        page = self.page()
        self.wait_for(page.cells.isVisible)
        shown = page.write.visibleRegion().boundingRect()
        self.assertEqual(shown.height(), page.write.height(), "the main key lies below the fold")
        (run,) = page.presenter.result.plan.runs
        before = page.presenter.result.paces[0].risk.all_free
        for _ in range(60):
            if page.cells.hasFocus():
                break
            self.key(Qt.Key.Key_Tab)
        self.assertTrue(page.cells.hasFocus())
        self.key(Qt.Key.Key_Space, widget=page.cells)
        plan = self.page()
        self.wait_for(lambda: plan.presenter.plan is not None)
        trial = plan.presenter.plan.trial
        self.assertEqual((len(trial.cells), trial.sheet.number), (4, run.sheet))
        left, low, right, high = trial.area_mm
        for x1, y1, x2, y2 in run.used_mm:
            x, y = trial.sheet.x_mm, trial.sheet.y_mm
            apart = x + x2 <= left or right <= x + x1 or y + y2 <= low or high <= y + y1
            self.assertTrue(apart, "the cells lie on what the job burns")
        self.ctrl(Qt.Key.Key_Return)
        self.wait_for(lambda: self.window.station == "burn")
        self.press("It was burnt on the machine")
        for _ in range(4):
            self.key(Qt.Key.Key_H)
        self.alt(Qt.Key.Key_7)
        page = self.page()
        self.wait_for(lambda: page.presenter.is_current and page.presenter.result.first)
        self.wait_for(
            lambda: "Of 4 cells burnt first on this sheet 0 fell free" in page.offer.text()
        )
        self.assertLess(page.presenter.result.paces[0].risk.all_free, before)
        self.assertIn("Decide anew first", page.offer.text())
        self.assertTrue(page.offer.isVisible())
        self.assertFalse(page.cells.isVisible())


class AnotherLookTest(JobsCase):
    def test_the_job_in_hand_stays_when_the_look_changes(self):
        self.choose_file()
        first = self.ready().presenter.job.uid
        self.path = self.path.with_name("other.svg")
        self.path.write_text(SVG.replace("30", "31"))
        self.page().read_file(self.path)
        self.wait_for(lambda: self.page().presenter.job.uid != first)
        self.page().presenter.choose(first)  # no longer the newest one
        self.ready()
        self.window.switch_theme()
        self.assertEqual(self.page().presenter.job.uid, first)
        self.assertIsNotNone(self.page().presenter.drawing)
        self.ready()
        self.window.switch_theme()


class WholeJobTest(JobsCase):
    def test_by_keys_alone_from_a_drawing_to_a_written_and_told_job(self):
        page = self.page()
        self.assertTrue(page.first.hasFocus())
        self.choose_file()
        page = self.ready()
        picker = page.groups.pickers["#0000ff"]
        self.key(Qt.Key.Key_Space, widget=picker)
        popup = self.app.activePopupWidget()
        self.type("score", popup.filter)
        self.key(Qt.Key.Key_Return, widget=popup.filter)
        page = self.ready()
        page.copies.setFocus()
        page.copies.selectAll()
        self.type("6", page.copies)
        self.key(Qt.Key.Key_Return, widget=page.copies)
        self.wait_for(lambda: page.presenter.result and page.presenter.result.plan.copies == 6)
        self.wait_for(lambda: page.presenter.result.paces)
        self.assertTrue(page.chance.text().startswith("All falls free: "))
        self.wait_for(lambda: "lie on top of another line" in " ".join(self.texts()))
        self.ctrl(Qt.Key.Key_Return)
        self.wait_for(lambda: page.presenter.job.written)
        folder = self.folder / "jobs" / page.presenter.job.uid
        program = (folder / "sheet-1.nc").read_text()
        limits = CheckLimits(LONG.bed_mm, LONG.max_speed_mm_s, LONG.power_scale)
        self.assertTrue(check_gcode(program, limits).safe)
        self.assertTrue(page.outcome.isVisible())
        self.key(Qt.Key.Key_Space, widget=page.rehearse)
        self.wait_for(lambda: "stand-in" in page.done.text())
        page.hung.setText("0")
        page.knots.setText("0")
        self.key(Qt.Key.Key_Space, widget=page.tell)
        entry = self.session.catalogue.entry_for(LONG.uid, BIRCH.uid, "cut")
        self.assertEqual(entry.proofs[-1].outcome, "passed")
        self.assertEqual(len(self.session.subject.stock.sheets[0].used_mm), 6)
        self.assertEqual(self.clipped(), [])

    def test_a_dropped_drawing_and_a_copy_dragged_by_the_mouse(self):
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(self.path))])
        drop = QDropEvent(
            QPointF(300, 300),
            Qt.DropAction.CopyAction,
            data,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )
        self.page().dropEvent(drop)
        self.wait_for(lambda: self.page().presenter.job is not None)
        page = self.ready()
        self.settle(100)
        (box,) = page.presenter.result.plan.runs[0].used_mm
        middle = ((box[0] + box[2]) / 2, (box[1] + box[3]) / 2)
        self.drag(page.sheet, middle, (middle[0] + BESIDE_MM, middle[1] + 10))
        self.wait_for(lambda: page.presenter.job.placed)
        self.ready()
        moved = page.presenter.job.placed[0]
        self.assertAlmostEqual(moved.x_mm, box[0] + BESIDE_MM, delta=1.0)
        page.sheet.setFocus()
        self.key(Qt.Key.Key_Period, widget=page.sheet)
        self.key(Qt.Key.Key_Up, widget=page.sheet)
        self.wait_for(lambda: page.presenter.job.placed[0].y_mm > moved.y_mm)
        self.click(page.laid_anew)
        self.assertEqual(page.presenter.job.placed, ())

    def drag(self, sheet, start_mm, end_mm):
        def point(mm):
            k, left, foot = sheet._scale()
            scale = theme.LIVE.scale
            return QPoint(round(scale * (left + k * mm[0])), round(scale * (foot - k * mm[1])))

        QTest.mousePress(sheet, Qt.MouseButton.LeftButton, pos=point(start_mm))
        QTest.mouseMove(sheet, point(end_mm))
        QTest.mouseRelease(sheet, Qt.MouseButton.LeftButton, pos=point(end_mm))
        self.settle()

    def test_nothing_is_clipped_or_out_of_view_once_a_job_is_written(self):
        self.choose_file()
        page = self.ready()
        self.ctrl(Qt.Key.Key_Return)
        self.wait_for(lambda: page.presenter.job.written)
        for size in ((1280, 800), (1024, 700), (1920, 1080)):
            with self.subTest(size=size):
                self.window.resize(*size)
                self.settle(300)
                self.ready()
                self.settle(100)
                self.assertEqual(self.clipped(), [])
                self.assertEqual(self.hidden_keys(), [])

    def test_a_written_job_goes_to_a_stick_by_its_name(self):
        self.choose_file()
        page = self.ready()
        self.assertFalse(page.copy.isVisible())
        self.ctrl(Qt.Key.Key_Return)
        self.wait_for(lambda: page.presenter.job.written)
        stick = self.path.parent / "stick"
        with mock.patch.object(QFileDialog, "getExistingDirectory", return_value=str(stick)):
            self.key(Qt.Key.Key_Space, widget=page.copy)
        self.wait_for(lambda: page.done.text().startswith("2 of 2 files are in"))
        names = {path.name for path in stick.iterdir()}
        called = f"plate-{page.presenter.job.uid[:4]}-sheet-1"
        self.assertEqual(names, {f"{called}.nc", f"{called}.svg"})
        self.assertEqual(self.clipped(), [])

    def test_a_drawing_of_another_library_opens_to_the_right_millimetre(self):
        generator = QSvgGenerator()
        generator.setFileName(str(self.path))
        generator.setResolution(254)
        generator.setSize(QSize(1000, 800))
        generator.setViewBox(QRect(0, 0, 1000, 800))
        painter = QPainter(generator)
        painter.setPen(QPen(QColor("red"), 1))
        painter.drawEllipse(300, 200, 400, 300)
        painter.end()
        self.choose_file()
        page = self.ready()
        wide, high = page.presenter.result.plan.pattern.size_mm
        self.assertAlmostEqual(wide, 40.0, 2)
        self.assertAlmostEqual(high, 30.0, 2)

    def test_a_group_that_nothing_is_known_of_leads_to_plan(self):
        self.choose_file()
        page = self.ready()
        page.groups.task_picked.emit("#0000ff", "engrave")
        self.settle(100)
        self.assertFalse(page.write.isEnabled())
        self.press("Plan a trial of it")
        self.assertEqual((self.window.station, self.session.subject.task), ("plan", "engrave"))

    def test_a_file_that_is_no_drawing_is_told_and_a_wrong_number_turns_red(self):
        self.path.write_text("not a drawing")
        self.page().read_file(self.path)
        self.wait_for(lambda: self.session.problem)
        self.assertIn("neither of SVG and DXF", self.session.problem)
        self.path.write_text(SVG)
        self.choose_file()
        page = self.ready()
        self.retype(page.copies, "many")
        self.key(Qt.Key.Key_Return, widget=page.copies)
        self.assertTrue(page.copies.property("bad"))
        self.wait_for(lambda: "Copies must be" in " ".join(self.texts()))
        self.assertEqual(page.presenter.job.copies, 1)

    def test_another_pace_is_taken_and_the_job_comes_back_after_a_restart(self):
        self.choose_file()
        page = self.ready()
        rules = [pace.rule for pace in page.presenter.result.paces]
        self.key(Qt.Key(Qt.Key.Key_0 + len(rules)), widget=page)
        self.ready()
        cut = page.presenter.job.groups[0]
        self.assertEqual(cut.entry_uid == "", rules[-1] != "book")
        self.window.navigate("book")
        self.window.switch_theme()
        self.window.navigate("jobs")
        page = self.ready()
        self.assertEqual(page.presenter.job.groups[0].setting, cut.setting)
        self.assertEqual(page.picker.text(), "plate")


class AtTheMachineTest(JobsCase):
    def written(self):
        self.choose_file()
        page = self.ready()
        page.groups.task_picked.emit("#0000ff", "score")
        self.ready()
        self.ctrl(Qt.Key.Key_Return)
        self.wait_for(lambda: page.presenter.job.written)
        self.ready()
        self.key(Qt.Key.Key_Space, widget=page.to_machine)
        return page, page.at_machine

    def test_by_keys_a_sheet_is_burnt_held_stopped_and_gone_on_with(self):
        page, panel = self.written()
        self.assertEqual(len(panel.findChildren(QCheckBox)), 7)
        self.assertEqual(self.clipped(), [])
        panel.pace.set_at(1)
        self.key(Qt.Key.Key_Space, widget=panel.main)
        self.wait_for(lambda: panel.runner.progress.burnt >= 1)
        self.key(Qt.Key.Key_Space, widget=panel)
        self.assertEqual((panel.runner.state, panel.main.text()), ("held", "Go on"))
        self.assertFalse(page.picker.isEnabled())
        self.key(Qt.Key.Key_Escape, widget=panel)
        self.assertEqual(panel.runner.state, "stopped")
        self.assertIn("It broke off at line", panel.said.text())
        self.window.resize(1024, 700)
        self.settle(300)
        page = self.ready()
        self.key(Qt.Key.Key_Space, widget=page.to_machine)
        panel = page.at_machine
        self.settle(100)
        self.assertEqual((self.clipped(), self.hidden_keys()), ([], []))
        panel.pace._choose(2)
        self.assertEqual(panel.main.text(), f"Go on at line {panel.progress.burnt + 1}")
        self.key(Qt.Key.Key_Space, widget=panel.main)
        self.wait_for(lambda: panel.runner.state == "done")
        self.wait_for(lambda: "Burnt on the stand-in" in page.done.text())
        self.assertTrue(page.right.isVisible() and page.tap.isChecked())

    def test_a_full_disk_holds_the_run_also_at_its_end(self):
        page, panel = self.written()
        library, real = self.session.library, self.session.library.save_job

        def full(job, why):
            if any(one.complete for one in job.progress):
                raise LibraryTrouble("Could not write the library: the disk is full.")
            return real(job, why)

        library.save_job = full
        panel.pace.set_at(2)
        self.key(Qt.Key.Key_Space, widget=panel.main)
        self.wait_for(lambda: self.session.problem != "")
        self.assertIn("disk is full", self.window.strip.text.text())
        self.assertEqual((panel.runner.state, panel.main.text()), ("held", "Go on"))
        self.settle(200)
        self.assertEqual(panel.runner.state, "held")
        library.save_job = real
        self.key(Qt.Key.Key_Space, widget=panel.main)
        self.wait_for(lambda: panel.runner.state == "done")
        self.wait_for(lambda: "Burnt on the stand-in" in page.done.text())

    def test_the_sheet_at_the_machine_is_the_one_with_the_clamps_of_today(self):
        page, panel = self.written()
        before, stock = panel.run, self.session.subject.stock
        sheet = replace(stock.sheets[0], clamps_mm=((0.0, 0.0, 40.0, 40.0),))
        self.session.shop.keep_stock(replace(stock, sheets=(sheet,)), "clamp")
        self.assertIs(panel.run, before)
        self.ready()
        self.assertIn(panel.run, page.presenter.result.plan.runs)
        self.assertIsNot(panel.run, before)
        self.assertTrue(panel.isVisible())

    def test_a_copy_on_a_clamp_is_neither_burnt_nor_traced(self):
        page, panel = self.written()
        stock = self.session.subject.stock
        sheet = replace(stock.sheets[0], clamps_mm=((0.0, 0.0, 40.0, 40.0),))
        self.session.shop.keep_stock(replace(stock, sheets=(sheet,)), "clamp")
        self.ready()
        first = page.presenter.result.plan.placed[0]
        page.presenter.move(0, 20.0 - first.x_mm, 20.0 - first.y_mm)
        self.ready()
        self.assertIn("lies on a clamp", " ".join(page.presenter.result.plan.remarks))
        if not panel.isVisible():
            self.key(Qt.Key.Key_Space, widget=page.to_machine)
        for key in (panel.main, panel.path, panel.frame):
            self.session.problem = ""
            self.key(Qt.Key.Key_Space, widget=key)
            self.wait_for(lambda: self.session.problem)
            self.assertIn("did not pass its safety check and was not sent", self.session.problem)
            self.assertFalse(panel.runner.is_going)

    def test_a_port_is_armed_once_every_line_is_ticked(self):
        page, panel = self.written()
        self.session.remember(port="/dev/ttyTEST0")
        panel.show_run()
        self.assertEqual(panel.main.text(), "Arm the port")
        self.click(panel.main)
        self.assertIn("The port is not armed: tick focus first", self.session.problem)
        for n in range(7):
            self.key(Qt.Key.Key_Space, widget=panel.findChildren(QCheckBox)[n])
        self.click(panel.main)
        self.wait_for(lambda: panel.main.text() == "Start the beam")
        wires = []

        def open_port(port, baud):
            wires.append(StandInWire(LONG, pace=math.inf))
            return wires[-1]

        services = replace(self.window.services, open_port=open_port)
        with mock.patch.object(self.window, "services", services):
            self.click(panel.main)
            self.wait_for(lambda: panel.runner.state == "done")
        self.assertEqual(page.presenter.job.progress[0].by, "/dev/ttyTEST0")
        self.assertEqual(len(page.presenter.job.progress[0].ticks), 7)

    def test_while_a_real_head_is_held_the_beam_is_looked_at(self):
        _, panel = self.written()
        self.session.remember(port="/dev/ttyTEST0")
        panel.show_run()
        for n in range(7):
            self.key(Qt.Key.Key_Space, widget=panel.findChildren(QCheckBox)[n])
        self.click(panel.main)
        self.wait_for(lambda: panel.main.text() == "Start the beam")
        services = replace(self.window.services, open_port=lambda *_: StandInWire(LONG, pace=1.0))
        with mock.patch.object(self.window, "services", services):
            self.click(panel.main)
        self.addCleanup(panel.runner.stop)  # else the window asks whether it may close
        self.wait_for(lambda: panel.runner.state == "running")
        self.click(panel.main)
        self.assertEqual(panel.now.text(), "See that the beam is off; if not, press Stop.")
        self.click(panel.main)
        self.assertNotIn("beam is off", panel.now.text())
        self.key(Qt.Key.Key_Escape, widget=panel)
        self.wait_for(lambda: not panel.runner.is_going)


class TellingTest(JobsCase):
    def test_by_keys_a_finding_is_answered_and_pieces_are_told(self):
        page = self.page()
        self.choose_file()
        page = self.ready()
        self.key(Qt.Key.Key_A, widget=page)
        self.wait_for(lambda: page.presenter.job.answers)
        page = self.ready()
        self.wait_for(lambda: "burnt once" in " ".join(self.texts()))
        self.retype(page.copies, "4")
        self.key(Qt.Key.Key_Return, widget=page.copies)
        self.wait_for(lambda: page.presenter.result and page.presenter.result.plan.copies == 4)
        self.ready()
        page.groups.task_picked.emit("#0000ff", "leave out")
        self.ready()
        self.ctrl(Qt.Key.Key_Return)
        self.wait_for(lambda: page.presenter.job.written)
        self.ready()
        self.key(Qt.Key.Key_Space, widget=page.tap)
        self.assertTrue(page.sheet.hasFocus())
        for key in (Qt.Key.Key_Period, Qt.Key.Key_H, Qt.Key.Key_Period, Qt.Key.Key_K):
            self.key(key, widget=page.sheet)
        self.assertEqual((page.pieces.text(), page.hung.text(), page.knots.text()), ("4", "2", "1"))
        outline = page.sheet._outline((3, 0))
        scale = theme.LIVE.scale
        at = (outline.boundingRect().center() * scale).toPoint()
        QTest.mouseClick(page.sheet, Qt.MouseButton.LeftButton, pos=at)
        self.assertEqual(page.hung.text(), "3")
        self.key(Qt.Key.Key_Space, widget=page.tell)
        told = page.presenter.job.outcomes[-1]
        self.assertEqual((told.pieces, told.hung, told.knots), (4, 3, 1))

    def test_a_job_is_opened_from_anywhere_by_ctrl_k(self):
        self.choose_file()
        self.ready()
        first = self.page().presenter.job.uid
        self.path = self.path.with_name("dial.svg")
        self.path.write_text(SVG)
        self.page().read_file(self.path)
        self.wait_for(lambda: self.page().presenter.job.uid != first)
        self.window.navigate("book")
        self.ctrl(Qt.Key.Key_K)
        self.wait_for(lambda: self.window.findChildren(Finder))
        (finder,) = self.window.findChildren(Finder)
        self.type("what was plate in april", finder.field)
        self.key(Qt.Key.Key_Return, widget=finder.field)
        self.assertEqual((self.window.station, self.page().presenter.job.uid), ("jobs", first))

    def test_by_keys_a_sheet_is_burnt_where_two_touches_say_it_lies(self):
        self.choose_file()
        page = self.ready()
        self.key(Qt.Key.Key_Space, widget=page.lies.origin)
        popup = self.app.activePopupWidget()
        self.type("touches", popup.filter)
        self.key(Qt.Key.Key_Return, widget=popup.filter)
        self.wait_for(page.lies.touched_rows.isVisible)
        page.lies.touched[0].setFocus()
        for text, field in zip(("250", "100", "250", "500"), page.lies.touched, strict=True):
            self.assertTrue(field.hasFocus())
            self.type(text, field)
            self.key(Qt.Key.Key_Tab, widget=field)
        self.ready()
        self.wait_for(lambda: page.lies.turn.text() == "turned 90.00° to the left")
        self.ctrl(Qt.Key.Key_Return)
        self.wait_for(lambda: page.presenter.job.written)
        program = (self.folder / "jobs" / page.presenter.job.uid / "sheet-1.nc").read_text()
        xs = [float(x) for x in re.findall(r"X([-\d.]+)", program)]
        _, low, _, high = page.presenter.result.plan.runs[0].ground.area
        self.assertAlmostEqual(max(xs), 250 - low, 2)
        self.assertAlmostEqual(min(xs), 250 - high, 2)
        self.assertEqual(self.clipped(), [])

    def test_by_keys_copies_lie_in_a_jig_and_a_batch_goes_on_where_it_was(self):
        self.choose_file()
        page = self.ready()
        self.key(Qt.Key.Key_Space, widget=page.jig)
        dialog = self.window.findChild(JigDialog)
        for key, text in (("columns", "2"), ("rows", "1"), ("pitch_x", "20")):
            dialog.fields[key].setFocus()
            dialog.fields[key].selectAll()
            self.type(text, dialog.fields[key])
        self.wait_for(lambda: "Pitch along X" in dialog.told.text())
        self.assertFalse(dialog.keep.isEnabled())
        dialog.fields["pitch_x"].selectAll()
        self.type("55", dialog.fields["pitch_x"])
        self.wait_for(dialog.keep.isEnabled)
        self.key(Qt.Key.Key_Space, widget=dialog.draw)
        self.assertTrue((self.folder / "jobs" / "jig-plate.svg").exists())
        self.key(Qt.Key.Key_Space, widget=dialog.keep)
        self.window.activateWindow()
        self.wait_for(self.window.isActiveWindow)
        page.copies.setFocus()
        page.copies.selectAll()
        self.type("5", page.copies)
        self.key(Qt.Key.Key_Return, widget=page.copies)
        page = self.ready()
        self.assertEqual([len(run.placed) for run in page.presenter.result.plan.runs], [2, 2, 1])
        self.assertEqual(page.jig.text(), "Jig 2 × 1")
        self.ctrl(Qt.Key.Key_Return)
        self.wait_for(lambda: page.presenter.job.written)
        folder = self.folder / "jobs" / page.presenter.job.uid
        self.assertTrue((folder / "load-3.nc").exists())
        run = page.presenter.result.plan.runs[0]
        progress = JobProgress(0, layout_key(run), burnt=len(run.steps), begun=len(run.steps))
        page.presenter.keep_progress(page.presenter.job.uid, progress, "burnt")
        page.presenter.refresh()
        self.wait_for(lambda: "2 of 5" in self.texts())
        page.hung.setText("0")
        page.knots.setText("0")
        self.key(Qt.Key.Key_Space, widget=page.tell)
        self.assertEqual(self.session.subject.stock.sheets[0].used_mm, ())
        self.assertEqual(self.clipped(), [])

    def test_by_keys_a_group_is_burnt_on_the_back(self):
        self.choose_file()
        page = self.ready()
        self.key(Qt.Key.Key_Space, widget=page.two)
        dialog = self.window.findChild(SidesDialog)
        self.key(Qt.Key.Key_Space, widget=dialog.keep)
        self.assertIn("at least one group", dialog.told.text())
        self.key(Qt.Key.Key_Space, widget=dialog.pickers["#0000ff"])
        popup = self.app.activePopupWidget()
        self.type("back", popup.filter)
        self.key(Qt.Key.Key_Return, widget=popup.filter)
        self.key(Qt.Key.Key_Space, widget=dialog.keep)
        self.window.activateWindow()
        self.wait_for(self.window.isActiveWindow)
        page = self.ready()
        self.wait_for(lambda: "falls out before" in " ".join(self.texts()))
        page.presenter.set_task("#0000ff", "score")
        page = self.ready()
        self.assertEqual([run.side for run in page.presenter.result.plan.runs], ["back", "front"])
        self.wait_for(lambda: "laid by two pins" in " ".join(self.texts()))
        self.ctrl(Qt.Key.Key_Return)
        self.wait_for(lambda: page.presenter.job.written)
        folder = self.folder / "jobs" / page.presenter.job.uid
        for name in ("sheet-1-back.nc", "sheet-1-front.nc", "sheet-1-back.svg"):
            self.assertTrue((folder / name).exists())
        self.assertEqual(self.clipped(), [])

    def test_by_keys_layers_are_scored_with_guides_for_each_other(self):
        layers = "".join(
            f'<g><title>level {n}</title><rect x="{5 * n}" y="{5 * n}" width="{60 - 10 * n}" '
            f'height="{50 - 10 * n}" stroke="red"/></g>'
            for n in range(1, 4)
        )
        self.path.write_text(SVG.partition("<rect")[0] + layers + "</svg>")
        self.choose_file()
        page = self.ready()
        self.key(Qt.Key.Key_Space, widget=page.layers)
        dialog = self.window.findChild(LayersDialog)
        self.assertEqual(dialog.order.text(), "level 1, then level 2, then level 3")
        dialog.place.setFocus()
        dialog.place.selectAll()
        self.type("900", dialog.place)
        self.assertFalse(dialog.keep.isEnabled())
        dialog.place.selectAll()
        self.type("0.1", dialog.place)
        self.key(Qt.Key.Key_Space, widget=dialog.keep)
        self.window.activateWindow()
        self.wait_for(self.window.isActiveWindow)
        page = self.ready()
        self.assertEqual(page.presenter.result.plan.copies, 3)
        self.wait_for(lambda: "level 1, then level 2" in " ".join(self.texts()))
        self.ctrl(Qt.Key.Key_Return)
        self.wait_for(lambda: page.presenter.job.written)
        folder = self.folder / "jobs" / page.presenter.job.uid
        self.assertIn("guides of the next layer, score", (folder / "sheet-1.svg").read_text())
        words = "".join(page.extract_text() for page in PdfReader(folder / "job.pdf").pages)
        self.assertIn("1 level 1", words)
        self.assertEqual(self.clipped(), [])

    def test_copies_are_laid_closer_by_a_click(self):
        page = self.page()
        self.choose_file()
        page = self.ready()
        page.groups.task_picked.emit("#0000ff", "leave out")
        self.retype(page.copies, "6")
        self.key(Qt.Key.Key_Return, widget=page.copies)
        self.wait_for(lambda: page.presenter.result and page.presenter.result.plan.copies == 6)
        self.ready()
        self.click(page.closer)
        self.wait_for(lambda: page.presenter.job.placed)
        self.ready()
        self.click(page.laid_anew)
        self.assertEqual(page.presenter.job.placed, ())


class NamesTest(JobsCase):
    def test_by_keys_each_copy_gets_the_name_of_a_list(self):
        self.choose_file()
        page = self.ready()
        page.groups.task_picked.emit("#0000ff", "leave out")
        self.ready()
        self.key(Qt.Key.Key_Space, widget=page.names)
        self.wait_for(lambda: self.window.findChildren(NamesDialog))
        (dialog,) = self.window.findChildren(NamesDialog)
        for line in ("Hive 7", "Hive 8", "Hive 8"):
            self.type(line, dialog.text)
            self.key(Qt.Key.Key_Return, widget=dialog.text)
        self.wait_for(lambda: dialog.plan is not None and len(dialog.plan.lines) == 3)
        told = [one.text() for one in dialog.findChildren(QLabel)]
        self.assertIn("3 Hive 8: stands 2 times in the list", told)
        dialog.sides[0].setText("900")
        dialog.sides[0].textEdited.emit("900")
        self.wait_for(lambda: not dialog.keep.isEnabled())
        self.assertIn("must be", dialog.size_told.text())
        dialog.sides[0].setText("")
        dialog.sides[0].textEdited.emit("")
        self.wait_for(dialog.keep.isEnabled)
        self.key(Qt.Key.Key_Space, widget=dialog.keep)
        self.wait_for(lambda: page.presenter.is_current and page.presenter.result.plan.copies == 3)
        self.assertEqual(page.presenter.job.groups[-1].task, "score")
        self.assertIn("names of the list", {group for _, group in self.run_of(page).steps})
        self.assertEqual(page.names.text(), "3 names")

    def test_blanks_in_a_jig_are_burnt_on_both_sides_each_name_on_its_own(self):
        self.choose_file()
        page = self.ready()
        page.groups.task_picked.emit("#0000ff", "leave out")
        self.ready()
        dialog = NamesDialog(self.window, page.presenter)
        dialog.text.setPlainText("7\n8\n9")
        self.wait_for(lambda: dialog.plan is not None and len(dialog.plan.lines) == 3)
        dialog._keep()
        self.wait_for(lambda: page.presenter.is_current and page.presenter.job.copies == 3)
        wide, tall = page.presenter.result.plan.pattern.size_mm
        jig = Jig(3, 1, (wide + 4, tall + 4), (wide + 24, tall + 24))
        page.presenter.edit(lambda job: with_jig(job, jig), "jig")
        self.ready()
        self.click(page.two)
        sides = self.window.findChild(SidesDialog)
        self.assertFalse(sides.by.isVisible())
        sides._pick("names of the list", "back")
        self.click(sides.keep)
        page = self.ready()
        back, front = page.presenter.result.plan.runs
        self.assertEqual((back.side, front.side), ("back", "front"))
        self.wait_for(lambda: "in its own pocket" in " ".join(self.texts()))
        self.window.activateWindow()
        self.wait_for(self.window.isActiveWindow)
        self.ctrl(Qt.Key.Key_Return)
        self.wait_for(lambda: page.presenter.job.written)
        folder = self.folder / "jobs" / page.presenter.job.uid
        drawn = ezdxf.readfile(folder / "load-1-back.dxf")
        (layer,) = [one.dxf.name for one in drawn.layers if "names of the list" in one.dxf.name]
        xs = [
            point[0]
            for line in drawn.modelspace().query(f'*[layer=="{layer}"]')
            for point in line.get_points()
        ]
        # the wide 8 lies in the middle, 7 and 9 as far to its left and right as the pockets
        self.assertAlmostEqual(max(xs) - min(xs), 2 * jig.pitch_mm[0], delta=wide)
        self.assertNotIn("names", (folder / "load-1-front.svg").read_text())

    def run_of(self, page):
        return page.presenter.result.plan.runs[0]

    def test_a_list_in_a_file_asks_for_its_column_and_names_are_taken_away(self):
        self.choose_file()
        page = self.ready()
        path = self.path.with_name("hives.csv")
        path.write_text("No;Hive\n7;Linden\n8;Acacia\n")
        dialog = NamesDialog(self.window, page.presenter)
        dialog.open_file(path)
        dialog.column.picked.emit("1")
        self.assertEqual(dialog.names, ("Linden", "Acacia"))
        dialog.open_file(path.with_name("missing.csv"))
        self.assertIn("missing.csv", dialog.size_told.text())
        dialog._try()
        dialog._keep()
        self.wait_for(lambda: page.presenter.is_current and page.presenter.job.copies == 2)
        again = NamesDialog(self.window, page.presenter)
        self.assertEqual(again.names, ("Linden", "Acacia"))
        again._take_away()
        self.assertEqual((page.presenter.job.names, len(page.presenter.job.groups)), ((), 2))
