"""Every page at every size, theme and scale: nothing clipped, everything named, everything
reachable.
"""

import itertools
from datetime import UTC, datetime

from PySide6.QtCore import Qt
from PySide6.QtGui import QAccessible
from PySide6.QtWidgets import QAbstractButton, QLineEdit, QTableView

from olive_almanac.steps.stations import STATIONS
from olive_almanac.views import theme
from olive_almanac.views.shop.page import MACHINE, MIRRORS, SERVICES
from tests.views import test_stations
from tests.views.qt_case import WindowCase


class DayTest(WindowCase):
    def test_the_longest_day_fits_the_rail(self):
        self.open(now=lambda: datetime(2026, 9, 30, 12, tzinfo=UTC))
        self.assertRegex(self.window.rail.day.text(), "^Wednesday 30 Sep")
        self.assertEqual(self.clipped(), [])


class LookTest(test_stations.ShopCase):
    fill = test_stations.DecideTest.fill  # a read cut coupon and a read engraved one

    def other_pages(self):
        """The stations beside the thread, and what Set up shows besides its checklist."""
        for name in (one.id for one in STATIONS if not one.thread):
            self.window.navigate(name)
            self.wait_for(lambda: not self.window.is_busy, 60)
            yield name
            if name == "shop":
                for view in (MACHINE, SERVICES, MIRRORS):
                    self.page().show_view(view)
                    yield f"shop, view {view}"
        self.window.navigate("set_up")
        for part in ("forms", "rack"):
            self.page().show_part(getattr(self.page(), part))
            yield part

    def every_page(self):
        for task in ("cut", "engrave"):
            self.session.choose(task=task)
            for name in (one.id for one in STATIONS if one.thread):
                self.window.navigate(name)
                self.settle(40)
                self.until_suggested()
                if name == "decide":
                    self.wait_for(lambda: self.page().presenter.map is not None)
                    self.settle(40)
                yield name, task

    def test_nothing_is_clipped_at_the_usual_sizes(self):
        for size in ((1280, 800), (1024, 700), (1920, 1080)):
            self.window.resize(*size)
            self.settle(80)
            for name, task in self.every_page():
                with self.subTest(size=size, page=name, task=task):
                    self.assertEqual(self.clipped(), [])
            for name in self.other_pages():
                with self.subTest(size=size, page=name):
                    self.assertEqual(self.clipped(), [])

    def test_workshop_theme_and_scales(self):
        self.ctrl(Qt.Key.Key_L)
        self.assertEqual(theme.LIVE.colours["name"], "workshop")
        for percent, size in ((125, (1920, 1080)), (150, (2560, 1440))):
            self.window.resize(*size)
            self.ctrl(Qt.Key.Key_Plus)
            self.assertEqual(theme.LIVE.scale, percent / 100)
            self.settle(80)
            for name, task in self.every_page():
                with self.subTest(scale=percent, page=name, task=task):
                    self.assertEqual(self.clipped(), [])
        self.ctrl(Qt.Key.Key_0)
        self.assertEqual(theme.LIVE.scale, 1)
        self.ctrl(Qt.Key.Key_L)
        self.assertEqual(theme.LIVE.colours["name"], "day")

    def test_a_scale_that_would_hide_keys_is_shown_as_large_as_it_fits(self):
        self.window.resize(1280, 800)
        for _ in range(2):
            self.ctrl(Qt.Key.Key_Plus)
        self.assertEqual(self.session.preferences.scale_percent, 150)
        self.assertEqual(theme.LIVE.scale, 1.1)
        self.assertIn("150 % takes a window of 1536 × 1050", self.window.strip.text.text())
        self.session.tell("")
        for size, scale in (((1280, 800), 1.1), ((1024, 700), 1.0), ((1920, 1080), 1.5)):
            self.window.resize(*size)
            self.wait_for(lambda scale=scale: theme.LIVE.scale == scale)
            self.settle(80)
            for name, task in self.every_page():
                with self.subTest(size=size, page=name, task=task):
                    self.assertEqual(self.hidden_keys(), [])
        self.ctrl(Qt.Key.Key_0)

    def test_small_windows_scroll_instead_of_squeezing(self):
        self.window.resize(800, 560)
        self.settle(80)
        self.assertTrue(theme.LIVE.compact)
        for name, _ in self.every_page():
            with self.subTest(page=name):
                self.assertGreaterEqual(self.page().width(), theme.px(880))

    def test_every_control_tells_a_screen_reader_what_it_is_and_does(self):
        told = QAccessible.Text
        for name in itertools.chain((name for name, _ in self.every_page()), self.other_pages()):
            kinds = (QAbstractButton, QLineEdit, QTableView)
            for widget in itertools.chain(*(self.window.findChildren(kind) for kind in kinds)):
                if not widget.isVisible() or type(widget).__name__ == "QToolButton":
                    continue
                with self.subTest(page=name, widget=f"{type(widget).__name__} {widget.toolTip()}"):
                    control = QAccessible.queryAccessibleInterface(widget)
                    self.assertTrue(control.text(told.Name))
                    self.assertTrue(control.text(told.Description), control.text(told.Name))
                    self.assertNotIn(control.role(), (QAccessible.NoRole, QAccessible.Client))

    def test_theme_scale_station_and_window_are_remembered(self):
        self.ctrl(Qt.Key.Key_L)
        self.alt(Qt.Key.Key_2)
        self.window.resize(1100, 720)
        self.shut()
        self.open(size=(1100, 720))
        self.assertEqual(self.session.preferences.theme, "workshop")
        self.assertEqual(self.window.station, "plan")
        self.ctrl(Qt.Key.Key_L)

    def test_what_is_typed_stays_in_another_theme_and_size(self):
        self.alt(Qt.Key.Key_2)
        self.page().presenter.choose_kind("grid")
        self.until_suggested()
        self.retype(self.number("Speed to"), "1234")
        self.alt(Qt.Key.Key_1)
        self.page().show_part(self.page().forms)
        self.retype(self.page().machine_form.fields["rayleigh_mm"], "4.4")
        self.press("Add a stock")
        self.retype(self.page().stock_form.fields["thickness_mm"], "4")
        self.retype(self.page().stock_form.fields["name"], "Half a name")
        for change in (
            lambda: self.ctrl(Qt.Key.Key_L),
            lambda: self.window.resize(1024, 700),
            lambda: self.window.resize(1280, 800),
            lambda: self.ctrl(Qt.Key.Key_L),
        ):
            before = self.page()
            change()
            self.wait_for(lambda before=before: self.page() is not before)
            page = self.page()
            self.wait_for(page.forms.isVisible)
            self.assertEqual(page.machine_form.fields["rayleigh_mm"].text(), "4.4")
            self.assertEqual(page.stock_form.title.text(), "Another stock")
            self.assertEqual(page.stock_form.fields["name"].text(), "Half a name")
            self.assertEqual(page.stock_form.held, "name")  # the eye stays where it is
        self.alt(Qt.Key.Key_2)
        self.assertEqual(self.page().presenter.texts["kind"], "grid")
        self.assertEqual(self.number("Speed to").text(), "1234")
        self.assertIsNotNone(self.page().presenter.plan)

    def number(self, name):
        """The visible field of this name."""
        fields = self.page().findChildren(QLineEdit)
        return next(one for one in fields if one.isVisible() and one.accessibleName() == name)

    def test_page_keys_turn_through_the_stations(self):
        self.alt(Qt.Key.Key_1)
        for name in [one.id for one in STATIONS if one.thread][1:]:
            self.key(Qt.Key.Key_PageDown)
            self.assertEqual(self.window.station, name)
        self.key(Qt.Key.Key_PageDown)
        self.assertEqual(self.window.station, "book")
        self.key(Qt.Key.Key_PageUp)
        self.assertEqual(self.window.station, "decide")
