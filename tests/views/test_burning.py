"""Burn and Practise in the real window: checklist first, a wire that is cut, a port that is armed,
an exercise that is scored.
"""

import math
from unittest import mock

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QFileDialog, QPushButton

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.run import RunRecord
from olive_almanac.standins.controller import StandInWire
from olive_almanac.steps.decide import check_burnt
from olive_almanac.steps.trials import counted
from olive_almanac.views.pace import set_pace
from tests.views.test_stations import ShopCase

UNHURRIED = 12  # times real time: a run is not over before it is broken off, on a slow machine


class BurnKeysTest(ShopCase):
    def setUp(self):
        super().setUp()
        self.plan_grid()
        self.write_burn_file()

    def labels(self):
        from PySide6.QtWidgets import QLabel

        return [one.text() for one in self.page().findChildren(QLabel) if one.isVisible()]

    def test_the_checklist_comes_first(self):
        self.assertIn("Checklist: 0 of 7 ticked", self.labels())
        self.press("To the checklist")
        self.assertEqual(self.window.station, "set_up")

    def test_a_cut_wire_leaves_a_doubtful_cell_to_be_looked_at(self):
        page = self.page()
        page.pace.set_at(1)
        self.press("Burn on the stand-in")
        set_pace(page.presenter.wire, UNHURRIED)
        self.wait_for(lambda: len(self.session.active.burnt) >= 3)
        page.pace._choose(0)
        self.settle(60)
        self.assertIn(" of 24 burnt", [one.word for one in self.window.rail.buttons][2])
        page.presenter.wire._ours.shutdown(2)
        self.wait_for(lambda: page.presenter.state == "interrupted")
        self.wait_for(lambda: any("connection was lost" in text for text in self.labels()))
        cell, *others = page.presenter.unsure
        self.assertIn(f"{cell} may be half burnt", self.labels())
        self.press("Leave it out")
        self.assertNotIn(f"{cell} may be half burnt", self.labels())
        self.assertGreater(len(others), 0)  # the machine may have gone on with them
        self.assertEqual(self.app.focusWidget().text(), "Leave it out")
        self.key(Qt.Key.Key_Tab)
        for other in others:
            self.assertIn(f"{other} may be half burnt", self.labels())
            self.assertEqual(self.app.focusWidget().text(), "Not burnt")
            self.key(Qt.Key.Key_Space)
        self.assertIs(self.app.focusWidget(), page.main)
        self.press("Burn the rest")
        page.pace._choose(2)
        self.wait_for(lambda: page.presenter.state == "done")
        self.assertEqual(len(self.session.active.burnt), 23)
        self.assertEqual(self.button("Read the coupon").text(), page.main.text())

    def test_a_new_coupon_shows_nothing_of_the_last_run(self):
        page = self.page()
        page.pace.set_at(2)
        self.press("Burn on the stand-in")
        self.wait_for(lambda: page.presenter.state == "done")
        self.plan_grid()
        self.write_burn_file()
        self.assertEqual(page.progress.text(), "0 of 24 burnt")
        self.assertFalse(page.log.isVisible())

    def test_a_run_that_broke_off_can_be_closed_and_read(self):
        page = self.page()
        self.press("Burn on the stand-in")
        set_pace(page.presenter.wire, UNHURRIED)
        self.wait_for(lambda: len(self.session.active.burnt) >= 2)
        page.pace._choose(0)
        self.key(Qt.Key.Key_Escape, widget=page)
        self.assertEqual(page.presenter.state, "stopped")
        self.press("Close the run")
        self.assertEqual(page.main.text(), "Read the coupon")
        self.key(Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier, page)
        self.assertEqual(self.window.station, "read")

    def test_a_serial_port_is_shown_once_it_is_set_up_and_burns_only_when_armed(self):
        page = self.page()
        self.assertFalse(page.burner.isVisible())
        self.press("Serial port")
        dialog = self.app.activeModalWidget()
        self.assertIsInstance(dialog, QDialog)
        self.type("/dev/ttyX", dialog.form.fields["port"])
        for name, said, code in (("goes_on", "Go on", "17"), ("stops", "Stop", "24")):
            self.retype(dialog.form.fields[name], "")
            self.click(dialog.form.save)
            self.assertIn(f"{said} must be filled in", dialog.form.problem.text())
            self.type(code, dialog.form.fields[name])
        self.click(dialog.form.save)
        self.assertTrue(page.burner.isVisible())
        page.burner._choose(1)
        self.press("Arm the port")
        self.assertIn(
            "The port is not armed: the checklist lacks focus", self.window.strip.text.text()
        )
        self.session.tell("")
        self.tick_all()
        wires = []
        object.__setattr__(
            self.window.services,
            "open_port",
            lambda port, baud: (
                wires.append((port, baud))
                or StandInWire(self.session.active.trial.machine, pace=math.inf)
            ),
        )
        self.press("Arm the port")
        self.wait_for(lambda: page.armed)
        self.assertEqual(wires, [])  # nothing is opened before the second key
        self.press("Start the beam")
        self.wait_for(lambda: page.presenter.state == "done")
        self.assertEqual(wires, [("/dev/ttyX", 115200)])
        self.assertEqual(self.session.active.run.by, "/dev/ttyX")
        burn = next(iter(self.session.active.burnt.values()))
        self.assertIsNone(burn.seen)  # a real machine does not say what it looks like

    def test_a_hold_by_the_port_does_not_claim_that_the_beam_is_off(self):
        self.session.remember(port="/dev/ttyX")
        page = self.page()
        self.tick_all()
        page.burner._choose(1)
        wire = StandInWire(self.session.active.trial.machine, pace=1.0)
        object.__setattr__(self.window.services, "open_port", lambda port, baud: wire)
        self.press("Arm the port")
        self.wait_for(lambda: page.armed)
        self.press("Start the beam")
        self.wait_for(lambda: page.presenter.state == "running")
        self.assertEqual(self.window.rail.buttons[2].word, "begun")
        self.press("Hold")
        self.assertIn("See that the beam is off; if not, press Stop.", self.labels())
        self.press("Go on")
        self.assertNotIn("See that the beam is off; if not, press Stop.", self.labels())
        self.press("Hold")
        self.key(Qt.Key.Key_Escape, widget=page)
        self.wait_for(lambda: page.presenter.state == "stopped")

    def test_a_port_that_cannot_be_opened_is_told(self):
        self.session.remember(port="/dev/no-such-port")
        page = self.page()
        self.tick_all()
        page.burner._choose(1)
        self.press("Arm the port")
        self.wait_for(lambda: page.armed)
        self.press("Start the beam")
        self.assertIn("/dev/no-such-port cannot be opened", self.window.strip.text.text())
        self.assertEqual(page.presenter.state, "")


class RealLibraryTest(ShopCase):
    """In the operator's own library nothing simulated passes for real."""

    playground = False

    def setUp(self):
        super().setUp()
        self.plan_grid()
        self.write_burn_file()

    def visible(self):
        return {b.text() for b in self.page().findChildren(QPushButton) if b.isVisible()}

    def test_the_large_key_is_the_machine_and_the_stand_in_a_rehearsal(self):
        self.assertEqual(self.page().main.text(), "It was burnt on the machine")
        self.assertNotIn("Burn on the stand-in", self.visible())
        self.assertFalse(self.page().pace_row.isVisible())
        self.key(Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier, self.page())
        self.assertEqual(self.window.station, "read")
        self.assertEqual(self.session.active.run.by, "machine")

    def test_its_files_go_to_a_stick_by_its_name(self):
        trial, stick = self.session.active.trial, self.folder.parent / "stick"
        with mock.patch.object(QFileDialog, "getExistingDirectory", return_value=str(stick)):
            self.press("Copy to a stick")
        self.wait_for(lambda: self.page().where.text().startswith("2 of 2 files are in"))
        called = f"{trial.name.lower().replace(' ', '-')}-{trial.id[:4]}"
        names = {path.name for path in stick.iterdir()}
        self.assertEqual(names, {f"{called}.nc", f"{called}.svg"})

    def test_a_new_coupon_is_not_done_because_the_last_was(self):
        self.press("It was burnt on the machine")
        self.assertEqual(self.session.active.stage, "read")
        self.plan_grid()
        self.write_burn_file()
        self.assertEqual(self.page().progress.text(), "0 of 24 burnt")

    def test_a_rehearsal_leaves_nothing_behind(self):
        trial = self.session.active.trial
        self.press("Rehearse it on the stand-in")
        self.wait_for(lambda: self.window.practising.strip.isVisible())
        strip = self.window.practising.strip
        self.assertTrue(strip.leave.isVisible())
        self.assertIn("Nothing of it enters your book", strip.left.text())
        self.page().pace._choose(2)
        self.press("Burn on the stand-in")
        self.wait_for(lambda: self.page().presenter.state == "done")
        self.assertEqual(len(self.session.active.burnt), 24)
        self.click(strip.leave)
        self.wait_for(lambda: not (self.folder / "rehearsal-to-throw-away").exists())
        self.wait_for(lambda: self.session.active is not None)
        self.assertEqual((self.session.active.trial, self.session.active.burnt), (trial, {}))
        self.assertFalse(self.window.practising.strip.isVisible())
        self.assertFalse((self.folder / "rehearsal-to-throw-away").exists())
        self.assertIsNone(self.session.library.run_of(trial.id))

    def test_readings_of_a_simulated_coupon_are_no_evidence(self):
        trial, library = self.session.active.trial, self.session.library
        library.save_run(trial.id, RunRecord(by="stand-in", complete=True), "burnt")
        self.session.read_again()
        self.session.trials.keep_reading("A1", Reading("A1", "free"))
        self.assertTrue(library.readings(trial.id)[0].simulated)
        self.assertEqual(counted(library, library.readings(trial.id)), ())
        with self.assertRaisesRegex(AlmanacError, "Nothing was written"):
            check_burnt(library, library.readings(trial.id))


class PractiseTest(ShopCase):
    def begin(self, title):
        self.alt(Qt.Key.Key_9)
        self.assertEqual(self.window.station, "practise")
        found = [
            b
            for b in self.page().findChildren(QPushButton)
            if b.accessibleName() == f"Begin {title}"
        ]
        self.click(found[0])
        self.wait_for(
            lambda: (
                self.session.practice is not None
                and self.session.library is not None
                and self.window.station == "set_up"
            )
        )

    def test_an_exercise_from_the_beginning_to_its_score(self):
        from olive_almanac.views.headless import _read_what_the_bench_shows

        machines = self.session.catalogue.machines
        self.begin("Ply of unknown glue")
        self.assertIn("48 of 48 cells left", self.window.practising.strip.left.text())
        self.assertEqual([one.name for one in self.session.catalogue.stocks], ["Unmarked ply"])
        self.plan_grid()
        for key in ("power_steps", "speed_steps"):
            self.page().presenter.change(key, "8")
        self.page().presenter.remake()
        self.settle()
        self.assertIn("at most 48 cells left of the exercise’s 48, not 64", self.window_text())
        for key, steps in (("power_steps", "4"), ("speed_steps", "6")):
            self.page().presenter.change(key, steps)
        self.page().presenter.remake()
        self.write_burn_file()
        self.page().pace._choose(2)
        self.press("Burn on the stand-in")
        self.wait_for(lambda: self.page().presenter.state == "done")
        self.assertIn("24 of 48 cells left", self.window.practising.strip.left.text())
        self.alt(Qt.Key.Key_4)
        _read_what_the_bench_shows(self.window, self.page().presenter, count=24)
        self.alt(Qt.Key.Key_5)
        self.wait_for(lambda: self.page().presenter.map is not None)
        self.assertIsNotNone(self.page().presenter.pick)
        self.ctrl(Qt.Key.Key_Return)
        self.click(self.window.practising.strip.finish)
        self.wait_for(
            lambda: (
                self.session.practice is None
                and self.session.library is not None
                and self.window.station == "practise"
            ),
            60,
        )
        self.settle(100)
        title = self.page()._score_title.text()
        self.assertIn("Ply of unknown glue:", title)
        points = int(title.split(":")[1].split()[0])
        self.assertTrue(40 < points <= 100, title)
        self.assertIn("was burnt with 7 of 7 lines unticked", self.window_text())
        self.assertEqual(
            self.session.catalogue.machines, machines
        )  # one's own library is back, untouched
        self.assertTrue((self.folder / "practice.json").exists())

    def test_leaving_an_exercise_keeps_no_score(self):
        self.begin("Liner foam")
        self.click(self.window.practising.strip.leave)
        self.wait_for(
            lambda: (
                self.session.practice is None
                and self.session.library is not None
                and self.window.station == "practise"
            )
        )
        self.settle(100)
        self.assertEqual(self.page()._score_title.text(), "No score yet")

    def window_text(self):
        from PySide6.QtWidgets import QLabel

        return "\n".join(one.text() for one in self.window.findChildren(QLabel) if one.isVisible())
