"""From an empty library to a proven entry, and from a coupon in hand to its verdicts, walked in the
real window by mouse, by keyboard alone, and by mouse at 1024 x 700 with 150 %: how many acts it
takes and how long it would take a person.

An act is a click, a key with or without Ctrl, or a field typed.  A person takes A_CLICK_S,
A_KEY_S, A_VERDICT_S or A_FIELD_S for one (our own guess of an unhurried hand: a verdict needs a
look at the cell), and waits for the stand-in at its usual pace and for the program as long as it
really took here.  Turning the coupon over and the phone's own handling are not counted.
"""

from __future__ import annotations

import math
import os
import statistics
import time
from collections.abc import Callable, Iterator
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QPushButton

from olive_almanac.steps.stations import STATIONS
from tests.views.qt_case import WindowCase
from tests.views.test_stations import ShopCase

A_CLICK_S, A_KEY_S, A_VERDICT_S, A_FIELD_S = 2.0, 1.2, 1.5, 5.0
WAYS = {  # how one walks: size of the window, scale, and whether by keys
    "mouse": ((1280, 800), 100, False),
    "keyboard": ((1280, 800), 100, True),
    "mouse, 1024 x 700, 150 %": ((1024, 700), 150, False),
}
VERDICT_KEYS = {"free": "T", "push": "H", "hangs": "H", "not_through": "N"}
MOST_ROUNDS = 6
CELLS = 24


class Shop(ShopCase):
    """The demo shop in a window."""

    def runTest(self) -> None:
        """Nothing by itself."""


def _is_main(key: QPushButton) -> bool:
    return key.isVisible() and key.isEnabled() and key.property("kind") == "main"


class Walk(WindowCase):
    """A person at the window, who counts."""

    def runTest(self) -> None:
        """Nothing by itself: `walk` is called."""

    acts: int
    person_s: float
    by_keys: bool

    def begin(self, way: str) -> None:
        size, scale, self.by_keys = WAYS[way]
        self.setUp()
        self.open(size)
        self.window.set_scale(scale)
        self.acts, self.person_s = 0, 0.0
        self._began = time.monotonic()

    def act(self, takes_s: float) -> None:
        self.acts += 1
        self.person_s += takes_s

    @property
    def seconds(self) -> float:
        """How long it has taken: the person's hand and what the program took."""
        return self.person_s + time.monotonic() - self._began

    def main(self) -> None:
        """Do what the page's main key says, by the mouse or by Ctrl+Enter."""
        if self.by_keys:
            self.ctrl(Qt.Key.Key_Return)
            self.act(A_KEY_S)
            return
        keys = [key for key in self.page().findChildren(QPushButton) if _is_main(key)]
        assert len(keys) == 1, [key.text() for key in keys]
        self.click(keys[0])
        self.act(A_CLICK_S)

    def letter(self, text: str) -> None:
        """A verdict or grade by its key; by the mouse it is clicked."""
        page: Any = self.page()
        if self.by_keys or text not in page.keys:
            self.type(text, page)
        else:
            self.click(page.keys[text])
        self.act(A_VERDICT_S)

    def read_by_eye(self) -> None:
        """Give each cell the verdict that the coupon shows."""
        page: Any = self.page()
        while page.presenter.left:
            seen = self.session.active.burnt[page.presenter.cell.id].seen
            if seen.char == 3:
                self.letter("F")
                continue
            if seen.char:
                self.type(str(seen.char + 1), page)
                self.act(A_VERDICT_S)
            self.letter(VERDICT_KEYS[seen.verdict])

    def tick_all(self) -> None:
        """Tick what the checklist asks for, with the keys that its page offers."""
        self.go("set_up", Qt.Key.Key_1)
        checklist = self.page().checklist
        while checklist.presenter.left:
            self.main()
        self.main()
        assert self.window.station == "burn", self.window.station

    def go(self, station: str, key: Qt.Key) -> None:
        """To another station."""
        if self.by_keys:
            self.alt(key)
            self.act(A_KEY_S)
            return
        made = next(one for one in self.window.rail.buttons if one.station.id == station)
        self.click(made)
        self.act(A_CLICK_S)

    def burn(self) -> None:
        """Burn at the stand-in's usual pace."""
        page: Any = self.page()
        self.main()
        self.wait_for(lambda: page.presenter.state == "done", 600)
        self.main()

    def to_first_file(self) -> None:
        """The sentence of the first start, then the plan as it is suggested."""
        welcome = self.page().welcome
        self.wait_for(lambda: welcome.answer.text() and welcome.begin.isVisible())
        self.retype(welcome._fields["watts"], "40")
        self.act(A_FIELD_S)
        self.main()
        self.wait_for(lambda: self.window.station == "plan")
        self.wait_for(lambda: self.page().presenter.plan is not None)
        self.main()
        self.wait_for(lambda: self.window.station == "burn")

    def to_proven(self) -> None:
        """From the first file on to a proven entry."""
        for _ in range(MOST_ROUNDS):
            self.tick_all()
            self.burn()
            self.read_by_eye()
            self.main()
            self.wait_for(lambda: self.page().presenter.map is not None, 60)
            self.settle(200)
            if self.page().presenter.pick is not None:
                break
            self.main()
            self.wait_for(lambda: self.page().presenter.plan is not None)
            self.main()
            self.wait_for(lambda: self.window.station == "burn")
        assert self.page().presenter.pick is not None
        self.main()
        self.wait_for(lambda: self.window.station == "book")
        self.main()
        self.wait_for(lambda: self.window.station == "plan")
        self.wait_for(lambda: not self.page().presenter.is_asked)
        self.retype(self.page().choices.own["sheet_size"], "400 x 300")
        self.act(A_FIELD_S)
        self.wait_for(lambda: self.page().presenter.plan is not None)
        self.main()
        self.wait_for(lambda: self.window.station == "burn")
        self.tick_all()
        self.burn()
        self.read_by_eye()
        assert self.session.state[0] == "proven", self.session.state

    def to_coupon(self) -> None:
        """A plain grid of 24 cut cells, burnt and in hand at Read; nothing of it is counted."""
        self.to_first_file()
        self.window.navigate("plan")
        self.page().presenter.choose_kind("grid")
        self.wait_for(lambda: self.page().presenter.plan is not None)
        self.settle(200)
        self.main()
        self.wait_for(lambda: self.window.station == "burn")
        page: Any = self.page()
        page.pace.set_at(2)
        self.ctrl(Qt.Key.Key_Return)
        self.wait_for(lambda: page.presenter.state == "done", 60)
        self.ctrl(Qt.Key.Key_Return)
        assert self.window.station == "read" and len(self.session.active.trial.cells) == CELLS
        self.acts, self.person_s, self._began = 0, 0.0, time.monotonic()

    def read_by_photo(self) -> None:
        """Front and back by the stand-in's phone; what is proposed is agreed to, what is not sure
        is read from the coupon.
        """
        page: Any = self.page()
        for side in ("front", "back"):
            if side == "back":
                self.key(Qt.Key.Key_Right, widget=page.view)
                self.act(A_KEY_S)
            self.click(page.shoot)
            self.act(A_CLICK_S)
            self.wait_for(lambda side=side: side in page.presenter.rectified, 60)
            self.settle(100)
        self.click(page.agree_all)
        self.act(A_CLICK_S)
        while page.presenter.left:
            if any(key.hinted for key in page.keys.values()):
                self.key(Qt.Key.Key_Return, widget=page)
                self.act(A_VERDICT_S)
            else:
                seen = self.session.active.burnt[page.presenter.cell.id].seen
                self.letter(VERDICT_KEYS[seen.verdict])


def _walked(way: str) -> Iterator[tuple[str, float, float]]:
    walk = Walk()
    walk.begin(way)
    walk.to_first_file()
    yield f"{way}: acts to the first burn file", walk.acts, 12
    yield f"{way}: seconds to it", walk.seconds, 60
    walk.to_proven()
    yield f"{way}: acts to a proven entry", walk.acts, math.inf
    yield f"{way}: minutes to it", walk.seconds / 60, 8
    walk.doCleanups()


def _read(way: str) -> Iterator[tuple[str, float, float]]:
    for how, acts, seconds in (("photo", 20, math.inf), ("eye", math.inf, 60)):
        walk = Walk()
        walk.begin(way)
        walk.to_coupon()
        getattr(walk, f"read_by_{how}")()
        yield f"{way}: acts to {CELLS} verdicts by {how}", walk.acts, acts
        yield f"{way}: seconds to them", walk.seconds, seconds
        walk.doCleanups()


def _changes() -> Iterator[tuple[str, float, float]]:
    """How long the interface thread is held where another page or theme is asked for, in the demo
    shop: the second time each, when its code is loaded.
    """
    shop = Shop()
    Shop.setUpClass()
    shop.setUp()
    window = shop.window
    took: dict[str, list[float]] = {"page": [], "theme": []}

    def change(what: str, act: Callable[[], object]) -> None:
        shop.wait_for(lambda: not window.is_busy, 60)
        shop.settle(50)
        began = time.perf_counter()
        act()
        window.grab()
        took[what].append(1000 * (time.perf_counter() - began))

    for again in (False, True):
        for one in STATIONS:
            change("page", lambda one=one: window.navigate(one.id))
        took["page"] *= again
    for one in STATIONS:
        window.navigate(one.id)
        window.switch_theme()  # nothing but this page is there now
        change("theme", window.switch_theme)
    for what, most in (("page", 100), ("theme", 300)):
        yield f"{what} change, ms at the median", statistics.median(took[what]), most
        yield f"{what} change, ms at most", max(took[what]), math.inf
    shop.doCleanups()


def measure() -> Iterator[tuple[str, float, float]]:
    """Yield each figure with the most that it may be."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    yield from _changes()
    Walk.setUpClass()
    for way in WAYS:
        yield from _walked(way)
    for way in ("mouse", "keyboard"):
        yield from _read(way)
