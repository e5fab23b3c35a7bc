"""Photos that come by themselves: the panel's first question, a phone's picture into the readings,
also by a real browser, a watched folder, and what ends it.
"""

import contextlib
import functools
import http.client
import json
import shutil
import socket
import subprocess
import tempfile
import threading
import time
import unittest
import urllib.request
from pathlib import Path
from unittest.mock import patch

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QLabel

from olive_almanac.formats.letters import letters
from olive_almanac.standins.bench import StandInBench
from olive_almanac.standins.camera import photograph
from olive_almanac.standins.material import hidden_of
from olive_almanac.views.read.phone import PhonePanel
from tests.samples import BIRCH, LONG, cut_trial, kind_plan
from tests.test_phone import form
from tests.views.test_reading_photo import BurntCase

LOOPBACK = "olive_almanac.views.read.phone.hosts_here"


@functools.cache
def jpeg_of(trial):
    """A clean photo of a burnt coupon, made once."""
    burnt, hidden = tuple(StandInBench(3).burn(trial)), hidden_of(LONG, BIRCH, 3)
    return photograph(trial, burnt, hidden, letters(), seed=3, nuisances=False).jpeg


class PanelCase(BurntCase):
    trial = kind_plan("grid").trial

    def setUp(self):
        super().setUp()
        hosts = patch(LOOPBACK, lambda: ["127.0.0.1"])
        hosts.start()
        self.addCleanup(hosts.stop)
        self.session.choose(task=self.trial.task)
        self.alt(Qt.Key.Key_4)
        self.press("Phone")
        (self.panel,) = [
            one for one in QApplication.topLevelWidgets() if isinstance(one, PhonePanel)
        ]
        self.addCleanup(self.panel_closed)
        self.jpeg = self.taken()

    def taken(self):
        return jpeg_of(self.trial)

    def panel_closed(self):
        with contextlib.suppress(RuntimeError):  # it is gone already
            self.panel.close()

    def show_code(self):
        self.session.remember(phone_agreed=True)
        self.click(self.panel.key)
        return self.panel.door.address

    def told(self):
        return " ".join(one.text() for one in self.panel.findChildren(QLabel) if one.isVisible())

    def read_done(self):
        self.wait_for(lambda: "front" in self.page().presenter.rectified)


class PhonePanelTest(PanelCase):
    def test_no_page_is_served_before_it_was_agreed_to(self):
        self.click(self.panel.key)
        self.assertIsNone(self.panel.door)
        self.key(Qt.Key.Key_Escape, widget=self.panel.question)
        self.assertIsNone(self.panel.door)
        self.click(self.panel.key)
        self.click(self.panel.question.agree)
        self.assertIn("127.0.0.1", self.panel.address.text())
        self.assertTrue(self.session.preferences.phone_agreed)

    def test_a_picture_of_the_phone_is_read_and_kept(self):
        place, _, word = self.show_code().removeprefix("http://").partition("/")
        answers = []

        def send(data, side):
            line = http.client.HTTPConnection(place, timeout=60)
            kind = {"Content-Type": "multipart/form-data; boundary=edge"}
            line.request("POST", f"/{word}/{side}", form(data), kind)
            answers.append(line.getresponse().read().decode())

        phone = threading.Thread(target=send, args=(b"\x89PNG\r\n\x1a\nno picture", "front"))
        phone.start()
        self.wait_for(lambda: answers)
        self.assertNotIn("It has come", answers[0])
        self.assertEqual(self.session.active.run.photos, {})
        phone = threading.Thread(target=send, args=(self.jpeg, "front"))
        phone.start()
        self.read_done()
        phone.join()
        self.assertIn("It has come, and it is sharp: 24 of 24 cells can be read.", answers[1])
        self.assertIn("Front, used", self.told())
        kept = self.session.active.run.photos["front"]
        self.assertEqual(self.session.store.photo(kept.name), self.jpeg)

    def test_it_ends_with_the_panel_and_with_the_coupon(self):
        place = self.show_code().removeprefix("http://").partition("/")[0].split(":")
        self.session.trials.keep(cut_trial(), "read", "test")
        self.session.trials.open(cut_trial().id)
        self.settle(500)
        with self.assertRaises(OSError):
            for _ in range(30):
                socket.create_connection((place[0], int(place[1])), 1).close()
                time.sleep(0.1)

    def test_new_pictures_of_a_folder_are_offered_for_a_side(self):
        with tempfile.TemporaryDirectory() as name:
            self.panel.watch_folder(Path(name))
            (Path(name) / "IMG_7.jpg").write_bytes(self.jpeg)
            self.wait_for(lambda: "IMG_7.jpg" in self.told())
            self.click(self.button("Front", self.panel))
            self.read_done()
            self.assertEqual(self.session.active.run.photos["front"].source, "IMG_7.jpg")
            self.assertEqual([one.name for one in Path(name).iterdir()], ["IMG_7.jpg"])
        self.wait_for(lambda: "cannot be read" in self.panel.watched.text())

    def test_a_row_of_pictures_that_come_at_once_is_offered_whole(self):
        with tempfile.TemporaryDirectory() as name:
            self.panel.watch_folder(Path(name))
            names = [f"IMG_{n}.jpg" for n in range(1, 10)]
            for one in names:
                (Path(name) / one).write_bytes(self.jpeg)
            self.wait_for(lambda: all(one in self.told() for one in names))


class PlacesPanelTest(PanelCase):
    trial = kind_plan("bed", "engrave").trial

    def taken(self):
        bench = StandInBench(3)
        return bench.photograph(self.trial, letters(), side="place-3", nuisances=False)

    def test_a_phone_sends_place_after_place(self):
        place, _, word = self.show_code().removeprefix("http://").partition("/")
        self.assertIn("each place", self.told())
        answers = []

        def send():
            line = http.client.HTTPConnection(place, timeout=60)
            kind = {"Content-Type": "multipart/form-data; boundary=edge"}
            line.request("POST", f"/{word}/front", form(self.jpeg), kind)
            answers.append(line.getresponse().read().decode())

        phone = threading.Thread(target=send)
        phone.start()
        self.wait_for(lambda: "place-3" in self.page().presenter.rectified)
        phone.join()
        self.assertRegex(answers[0], "It has come[^:]*: rear right, [456] of 6 cells can be read")
        self.assertIn("Place, used", self.told())


@unittest.skipUnless(
    shutil.which("chromium") and shutil.which("chromedriver"),
    "no browser: apt-get install chromium chromium-driver",
)
class BrowserTest(PanelCase):
    """The page in a real browser, driven by the WebDriver protocol."""

    def setUp(self):
        super().setUp()
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            port = free.getsockname()[1]
        self.base = f"http://127.0.0.1:{port}"
        driver = subprocess.Popen(
            ["chromedriver", f"--port={port}"], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        )
        self.addCleanup(driver.wait)
        self.addCleanup(driver.terminate)

    def ask(self, path, body=None, method="POST"):
        request = urllib.request.Request(
            self.base + path, json.dumps(body or {}).encode(), method=method
        )
        with urllib.request.urlopen(request, timeout=60) as answer:
            return json.loads(answer.read())["value"]

    def find(self, selector):
        found = self.ask(self.at + "/element", {"using": "css selector", "value": selector})
        return self.at + "/element/" + next(iter(found.values()))

    def drive(self, address, photo):
        for _ in range(100):
            with contextlib.suppress(OSError):
                urllib.request.urlopen(self.base + "/status", timeout=5).close()
                break
            time.sleep(0.1)
        options = [
            *("--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run"),
            *("--disable-background-networking", "--disable-component-update", "--disable-sync"),
        ]
        wanted = {"goog:chromeOptions": {"args": options}}
        made = self.ask("/session", {"capabilities": {"alwaysMatch": wanted}})
        self.at = "/session/" + made["sessionId"]
        try:
            self.ask(self.at + "/timeouts", {"implicit": 30_000})
            self.ask(self.at + "/url", {"url": address})
            self.said.append(self.ask(self.find("#key") + "/text", method="GET"))
            self.ask(self.find("#picture") + "/value", {"text": str(photo)})
            told = self.find(".good, .bad")
            self.said.append(self.ask(told + "/text", method="GET"))
            self.said.append(self.ask(self.find("#key") + "/text", method="GET"))
        finally:
            self.ask(self.at, method="DELETE")

    def test_a_browser_takes_the_front_and_is_told(self):
        photo = self.folder.parent / "photo.jpg"
        photo.write_bytes(self.jpeg)
        self.said = []
        address = self.show_code()
        browser = threading.Thread(target=self.drive, args=(address, photo))
        browser.start()
        self.wait_for(lambda: not browser.is_alive(), 90)
        self.assertEqual(self.said[0], "Photograph the front")
        self.assertIn("it is sharp: 24 of 24", self.said[1])
        self.assertEqual(self.said[2], "Photograph the back")
        self.read_done()
        self.assertIn("front", self.session.active.run.photos)
