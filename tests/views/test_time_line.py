"""The time line in the window: what is told at the top, readings walked by keys, a cleaning
and a power reading noted from it, and entries that fall due by it.
"""

from dataclasses import replace
from datetime import timedelta

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QFontMetricsF
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton

from olive_almanac.core.records.entry import Proof
from olive_almanac.core.records.service import ServiceAct
from olive_almanac.steps.exercises import MECHANIC_TITLE
from olive_almanac.steps.practise import kept_scores
from olive_almanac.storage.library import Library
from olive_almanac.views import theme
from olive_almanac.views.practise.mechanic import MechanicDialog
from olive_almanac.views.shop.page import MACHINE, MIRRORS, SERVICES, PartLine
from olive_almanac.views.theme import F, px
from tests.samples import LONG, sample_entry
from tests.views.qt_case import NOON
from tests.views.test_stations import ShopCase

WEEKS, WEAK_FOR = 20, 5


class TimeLineTest(ShopCase):
    def fill(self, library):
        """Meter readings of a machine that lost 16 % five weeks ago."""
        for week in range(WEEKS, 0, -1):
            at = (NOON - timedelta(weeks=week)).replace(tzinfo=None).isoformat()
            watts = 58.0 * (0.84 if week <= WEAK_FOR else 1.0) * (1 + 0.01 * (-1) ** week)
            uid = f"m{week}"
            act = ServiceAct(uid, LONG.uid, "power", "check", at, watts=watts, at_percent=100)
            library.save_act(act, "read")
        proven = (NOON - timedelta(weeks=12)).date()
        proofs = tuple(
            Proof((proven + timedelta(days=n)).isoformat(), "passed", "7") for n in range(3)
        )
        margins = replace(sample_entry().evidence.margins, power=0.8)
        evidence = replace(sample_entry().evidence, margins=margins)
        written = proven.isoformat()
        entry = replace(sample_entry(), written=written, proofs=proofs, evidence=evidence)
        library.save_entry(entry, "chosen")

    def setUp(self):
        super().setUp()
        self.alt(Qt.Key.Key_8)
        page = self.page()
        self.press_view(MACHINE)
        self.panel, self.chart = page.machine_panel, page.machine_panel.chart
        self.wait_for(lambda: "weaker" in self.panel.says.text())

    def press_view(self, at):
        view = self.page().view
        view.setFocus()
        while self.page()._view != at:
            self.key(Qt.Key.Key_Right, widget=view)
        self.assertEqual(self.page().stack.currentIndex(), at)

    def test_the_top_line_tells_which_machine_since_when_why_and_what_to_do(self):
        self.assertRegex(self.panel.says.text(), r"Long Bed is 1\d % weaker since about \d+ \w+")
        self.assertIn("came within days", self.panel.why.text())
        self.assertIn("Clean lens and mirrors", self.panel.do.text())
        others = [
            self.panel.others.itemAt(n).widget().text()
            for n in range(self.panel.others.count())
            if self.panel.others.itemAt(n).widget() is not None
        ]
        self.assertTrue(any("not known yet" in words for words in others), others)
        self.assertIn("weaker", " ".join(one.word for one in self.progress()))
        self.assertEqual(self.clipped(), [])

    def progress(self):
        from olive_almanac.steps.stations import STATIONS

        return [one.progress(self.session) for one in STATIONS]

    def test_an_entry_falls_due_by_it_and_its_margin_is_on_the_chart(self):
        self.wait_for(lambda: self.session.state[0] == "due")
        self.assertIn("weaker", self.session.state[1])
        limits = [limit.words for limit in self.chart.line.limits]
        self.assertEqual(len(limits), 2)
        self.assertIn("half its margin gone", limits[0])

    def test_arrows_take_one_reading_after_the_other_and_enter_opens_it(self):
        self.chart.setFocus()
        self.key(Qt.Key.Key_Left, widget=self.chart)
        self.assertIn("power meter: strength 8", self.panel.held.text())
        for _ in range(WEEKS + 4):
            self.key(Qt.Key.Key_Left, widget=self.chart)
        self.assertRegex(self.panel.held.text(), r"power meter: strength (9\d|10\d)")
        self.key(Qt.Key.Key_Right, widget=self.chart)
        self.key(Qt.Key.Key_Return, widget=self.chart)
        self.assertEqual(self.page()._view, SERVICES)
        self.assertEqual(self.page().panel.part, "power")

    def test_a_mouse_takes_a_reading_in_hand(self):
        self.wait_for(lambda: self.chart._area.width() > 100)  # drawn
        mark = self.chart.line.marks[3]
        at = self.chart._place(mark)
        QTest.mouseClick(
            self.chart, Qt.MouseButton.LeftButton, pos=QPoint(round(at.x()), round(at.y()))
        )
        self.assertEqual(self.panel.held.text(), mark.words)

    def test_by_keys_a_cleaning_and_a_reading_bring_it_back(self):
        self.ctrl(Qt.Key.Key_Return)
        page = self.page()
        self.assertEqual((page._view, page.panel.part), (SERVICES, "lens"))
        self.ctrl(Qt.Key.Key_Return)
        self.press_view(MACHINE)
        self.wait_for(lambda: self.chart.line.marks[-1].words.startswith("lens"))
        self.panel.meter.setFocus()
        self.key(Qt.Key.Key_Space, widget=self.panel.meter)
        self.assertIs(self.app.focusWidget(), page.panel.fields["watts"])
        self.ctrl(Qt.Key.Key_Return)
        self.wait_for(lambda: "Type what the power meter read" in page.panel.problem.text())
        self.type("58", page.panel.fields["watts"])
        self.type("100", page.panel.fields["at_percent"])
        self.ctrl(Qt.Key.Key_Return)
        self.wait_for(lambda: not page.panel.problem.isVisible())
        self.press_view(MACHINE)
        self.wait_for(lambda: "% weaker" not in self.panel.says.text())
        library = Library.open(self.folder)
        self.addCleanup(library.close)
        kept = [act for act in library.acts() if act.uid[0] != "m"]
        self.assertEqual({act.part for act in kept}, {"lens", "power"})
        self.assertEqual({act.watts for act in kept}, {None, 58.0})

    def test_by_mouse_alone_a_cleaning_is_noted_and_seen_on_the_line(self):
        marks = len(self.chart.line.marks)
        self.click(self.panel.clean)
        page = self.page()
        self.assertEqual((page._view, page.panel.part), (SERVICES, "lens"))
        self.click(page.panel.keep)
        at = QPoint(round(0.15 * page.view.width()), page.view.height() // 2)
        QTest.mouseClick(page.view, Qt.MouseButton.LeftButton, pos=at)
        self.assertEqual(page._view, MACHINE)
        self.wait_for(lambda: len(self.chart.line.marks) == marks + 1)
        mark = self.chart.line.marks[-1]
        self.assertEqual(mark.kind, "act")
        self.wait_for(lambda: self.chart._area.width() > 100)
        place = self.chart._place(mark)
        at = QPoint(round(place.x()), round(place.y()))
        QTest.mouseDClick(self.chart, Qt.MouseButton.LeftButton, pos=at)
        self.assertEqual((page._view, page.panel.part), (SERVICES, "lens"))
        self.settle()
        keys = page.panel.findChildren(QPushButton)
        self.click(next(key for key in keys if key.text() == "take back" and key.isVisible()))
        self.assertFalse(any(act.part == "lens" for act in self.session.catalogue.acts))

    def test_why_a_part_is_due_is_read_whole_in_a_small_window(self):
        self.window.resize(1024, 700)
        self.press_view(SERVICES)
        self.wait_for(lambda: theme.LIVE.compact)
        lens = [line for line in self.page().findChildren(PartLine) if line.due.part.id == "lens"]
        self.wait_for(lambda: lens[0].due.why or self.session.shop.watch.told)
        for line in self.page().findChildren(PartLine):
            room = line.width() * 100 / px(100) - 150
            told = line.told(room)
            self.assertLessEqual(QFontMetricsF(F("small")).horizontalAdvance(told), room)
            self.assertIn(line.due.why, told)

    def test_another_machine_and_the_weekly_check_are_one_key_away(self):
        (other,) = [
            self.panel.others.itemAt(n).widget()
            for n in range(self.panel.others.count())
            if "North Bench" in getattr(self.panel.others.itemAt(n).widget(), "text", str)()
        ]
        other.setFocus()
        self.page().presenter.show()
        self.settle()
        self.assertIs(self.app.focusWidget(), other)  # it was not made anew
        self.assertTrue(other.isVisible())
        self.click(other)
        self.assertIn("cannot be told yet", self.panel.says.text())
        self.key(Qt.Key.Key_Space, widget=self.panel.check)
        self.assertEqual(self.window.station, "plan")
        self.wait_for(lambda: self.page().presenter.plan is not None)
        self.assertEqual(self.page().presenter.plan.trial.kind, "weekly")
        self.assertEqual(self.session.subject.machine.name, "North Bench")

    def test_by_keys_marks_are_typed_told_and_kept(self):
        self.press_view(SERVICES)
        self.press_view(MIRRORS)
        panel = self.page().mirrors
        self.assertIn("Never", panel.caution.text())
        typed = {"front left": "0.2 0.1", "front right": "3.1 0.4", "rear right": "3.3 0.6"}
        for name, text in typed.items():
            for way, value in zip(("right", "up"), text.split(), strict=True):
                self.type(value, panel.fields[name, way])
        self.assertIn("1 corner is still", panel.says.text())
        self.ctrl(Qt.Key.Key_Return)
        self.assertIn("Mark all four", self.session.problem)
        self.type("x", panel.fields["rear left", "right"])
        self.assertIn("Mark at rear left", panel.says.text())
        self.key(Qt.Key.Key_Backspace, widget=panel.fields["rear left", "right"])
        self.type("0.1", panel.fields["rear left", "right"])
        self.type("0.3", panel.fields["rear left", "up"])
        self.assertIn("Mirror 2", panel.says.text())
        for name, text in (("first", "3.6 0.4"), ("second", "3.1 0.95")):
            for way, value in zip(("right", "up"), text.split(), strict=True):
                self.type(value, panel.fields[name, way])
        self.assertIn("first screw 1.6 of a turn back", panel.turns.text())
        self.assertEqual(self.clipped(), [])
        self.ctrl(Qt.Key.Key_Return)
        library = Library.open(self.folder)
        self.addCleanup(library.close)
        (kept,) = [act for act in library.acts() if act.part == "alignment"]
        self.assertEqual(kept.marks.marks_mm[1], (3.1, 0.4))
        self.assertEqual(len(kept.marks.turned_mm), 2)
        self.assertEqual(panel.fields["front left", "right"].text(), "")

    def test_a_new_tube_begins_a_new_machine_state(self):
        self.press_view(SERVICES)
        page = self.page()
        page.presenter.choose_part("tube")
        page.panel.fields["note"].setFocus()
        self.type("from the maker", page.panel.fields["note"])
        self.ctrl(Qt.Key.Key_Return)
        machine = self.session.catalogue.machine(LONG.uid)
        self.assertEqual((machine.state, machine.state_reason), (2, "tube: from the maker"))
        self.wait_for(lambda: self.session.state[0] == "due")
        self.assertIn("changed since", self.session.state[1])

    def test_the_bed_map_is_planned_from_here(self):
        self.click(self.panel.bed)
        self.wait_for(lambda: self.page().presenter.plan is not None)
        self.assertEqual(self.page().presenter.plan.trial.kind, "bed")


class MechanicTest(ShopCase):
    def test_by_keys_a_machine_is_looked_at_and_the_score_is_kept(self):
        self.alt(Qt.Key.Key_9)
        page = self.page()
        (begin,) = [
            key
            for key in page.findChildren(QPushButton)
            if key.accessibleName() == f"Begin {MECHANIC_TITLE}"
        ]
        self.key(Qt.Key.Key_Space, widget=begin)
        dialog = page.findChild(MechanicDialog)
        self.key(Qt.Key.Key_Space, widget=dialog.keys["marks"])
        self.assertIn("Marks, right/up", dialog.said.text())
        self.assertEqual(dialog.minutes.text(), "15 min spent")
        fault = dialog.mechanic.ailing.fault
        dialog.fault.picked.emit(fault)
        dialog.fault.show_key(fault)
        self.key(Qt.Key.Key_Space, widget=dialog.answer)
        self.assertTrue(dialog.said.text().startswith("93 of 100. Right"))
        self.assertFalse(dialog.keys["clean"].isEnabled())
        self.key(Qt.Key.Key_Space, widget=dialog.leave)
        self.assertEqual([one.total for one in kept_scores(self.window.home)], [93])
        self.assertIn("93 of 100", page._score_title.text())
