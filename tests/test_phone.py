"""The page that a phone opens: what it takes, what it refuses, when it closes; a folder that is
watched.
"""

import http.client
import tempfile
import threading
import time
import unittest
from pathlib import Path
from unittest import mock

from olive_almanac.core.errors import BadFile
from olive_almanac.devices import phone_page
from olive_almanac.devices.phone_page import PhonePage
from olive_almanac.steps.phone import WatchedFolder

PICTURE = b"\xff\xd8\xff" + bytes(range(256)) * 40 + b"\r\n--x\r\n\r\n"


def form(data, name="picture", boundary="edge"):
    head = (
        f'--{boundary}\r\nContent-Disposition: form-data; name="{name}"; filename="a.jpg"\r\n\r\n'
    )
    return head.encode() + data + f"\r\n--{boundary}--\r\n".encode()


class PhoneCase(unittest.TestCase):
    places = False

    def setUp(self):
        self.came, self.judged = [], []
        self.page = PhonePage(
            "127.0.0.1", "Coupon <7>", self.judge, self.came.append, places=self.places
        )
        self.addCleanup(self.page.close)

    def judge(self, side, data):
        self.judged.append(side)
        if b"song" in data:
            raise BadFile("That is no picture.")
        return b"dark" not in data, "It has come."

    def ask(self, method, path, body=None, **headers):
        """The status and the text of an answer; headers are written with _ for -."""
        host, _, port = self.page.place.partition(":")
        line = http.client.HTTPConnection(host, int(port), timeout=5)
        line.putrequest(method, path, skip_host=True)
        named = {"Host": self.page.place}
        if body is not None:
            named |= {
                "Content-Length": str(len(body)),
                "Content-Type": "multipart/form-data; boundary=edge",
            }
        named |= {key.replace("_", "-"): value for key, value in headers.items()}
        for key, value in named.items():
            if value is not None:
                line.putheader(key, value)
        line.endheaders()
        if body:
            line.send(body)
        answer = line.getresponse()
        text = answer.read().decode()
        self.headers = answer.headers
        line.close()
        return answer.status, text

    @property
    def path(self):
        return "/" + self.page.word


class PlacesPageTest(PhoneCase):
    """Of a bed map whose places are photographed one after the other."""

    places = True

    def test_it_asks_for_place_after_place_and_knows_no_back(self):
        status, text = self.ask("GET", self.path)
        self.assertIn("Photograph a place", text)
        self.assertNotIn("side=back", text)
        status, text = self.ask("POST", self.path + "/front", form(PICTURE))
        self.assertEqual(status, 200)
        self.assertIn("Photograph a place", text)
        self.assertEqual([one.side for one in self.came], ["front"])
        self.assertEqual(self.ask("POST", self.path + "/back", form(PICTURE))[0], 404)


class PhonePageTest(PhoneCase):
    def test_a_picture_goes_through_unchanged_and_is_told_of(self):
        status, text = self.ask("GET", self.path)
        self.assertEqual(status, 200)
        self.assertIn("Coupon &lt;7&gt;", text)
        self.assertIn("Photograph the front", text)
        self.assertTrue(self.page.seen)
        status, text = self.ask("POST", self.path + "/front", form(PICTURE))
        self.assertEqual(status, 200)
        self.assertIn("It has come.", text)
        self.assertIn("Front: sent", text)
        self.assertIn("Photograph the back", text)
        (sent,) = self.came
        self.assertEqual((sent.side, sent.data, sent.will_do), ("front", PICTURE, True))

    def test_one_that_will_not_do_is_asked_for_again(self):
        _, text = self.ask("POST", self.path + "/front", form(PICTURE + b"dark"))
        self.assertIn("Photograph the front", text)
        self.assertFalse(self.came[0].will_do)
        _, text = self.ask("POST", self.path + "/front", form(b"song"))
        self.assertIn("That is no picture.", text)
        self.assertEqual(len(self.came), 1)

    def test_nothing_else_is_there(self):
        w = self.path
        for method, path in (
            ("GET", "/"),
            ("GET", w[:-1]),
            ("GET", w + "/"),
            ("GET", w + "/front"),
            ("GET", "/../" + w),
            ("GET", "/favicon.ico"),
            ("GET", "//etc/passwd"),
            ("GET", "http://["),
            ("POST", "http://[x/front"),
            ("POST", w),
            ("POST", w + "/side"),
            ("POST", w + "/../front"),
            ("PUT", w + "/front"),
            ("DELETE", w),
            ("OPTIONS", w),
            ("HEAD", w),
        ):
            with self.subTest(method=method, path=path):
                self.assertEqual(self.ask(method, path), (404, ""))
        self.assertEqual(self.judged, [])
        self.assertIsNone(self.page.fault)

    def test_another_site_and_another_name_are_refused(self):
        body = form(PICTURE)
        for said, status in (
            ({"Origin": "http://evil.example"}, 403),
            ({"Origin": "null"}, 403),
            ({"Host": "evil.example"}, 404),
            ({"Host": None}, 404),
        ):
            with self.subTest(said):
                self.assertEqual(self.ask("POST", self.path + "/front", body, **said)[0], status)
        self.assertEqual(self.judged, [])
        status, _ = self.ask("POST", self.path + "/front", body, Origin=f"http://{self.page.place}")
        self.assertEqual(status, 200)
        self.assertNotIn("Access-Control-Allow-Origin", self.headers)
        self.assertIn("default-src 'none'", self.headers["Content-Security-Policy"])

    def test_bodies_that_are_no_picture_are_refused(self):
        post = ("POST", self.path + "/front")
        for body, said, status in (
            (form(PICTURE), {"Content_Length": "99999999999999999999"}, 413),
            (form(PICTURE), {"Content_Length": str(phone_page.MOST_BYTES + 1)}, 413),
            (form(PICTURE), {"Content_Length": "-1"}, 400),
            (form(PICTURE), {"Content_Length": None}, 400),
            (form(PICTURE), {"Content_Type": "text/plain"}, 400),
            (form(PICTURE), {"Content_Type": "multipart/form-data"}, 400),
            (form(PICTURE, name="other"), {}, 400),
            (b"--edge\r\n\r\n", {}, 400),
            (b"", {"Content_Length": "0"}, 400),
        ):
            with self.subTest(said=said, long=len(body)):
                self.assertEqual(self.ask(*post, body, **said)[0], status)
        self.assertEqual(self.judged, [])

    def test_it_closes_after_too_many_wrong_tries_and_pictures_have_an_end(self):
        for _ in range(phone_page.MOST_PICTURES + 2):
            _, text = self.ask("POST", self.path + "/front", form(PICTURE))
        self.assertEqual(len(self.came), phone_page.MOST_PICTURES)
        self.assertIn("enough", text)
        with self.assertRaises(OSError):
            for _ in range(phone_page.MOST_WRONG + 5):
                self.ask("GET", "/guess")
                time.sleep(0.005)
        self.assertEqual(self.page.left_s, 0)

    def test_a_fault_of_our_own_is_kept_for_the_window(self):
        def broken(side, data):
            raise ZeroDivisionError

        self.page._judge = broken
        with self.assertRaises((OSError, http.client.HTTPException)):
            self.ask("POST", self.path + "/front", form(PICTURE))
        self.assertIsInstance(self.page.fault, ZeroDivisionError)
        self.page._judge = self.judge
        self.assertEqual(self.ask("POST", self.path + "/front", form(PICTURE))[0], 200)

    def test_it_closes_after_its_time(self):
        short = PhonePage("127.0.0.1", "C", self.judge, self.came.append, open_s=0.2)
        self.assertGreater(short.left_s, 0)
        end = time.monotonic() + 5
        while short.left_s and time.monotonic() < end:
            time.sleep(0.02)
        time.sleep(0.4)
        self.page = short
        with self.assertRaises(OSError):
            self.ask("GET", self.path)

    def test_who_has_an_answer_may_ask_again_at_once(self):
        free, tell = [], phone_page._Handler._answer

        def answer(handler, text):
            """What another request would find while this answer goes out."""
            places = 0
            while self.page._room.acquire(blocking=False):
                places += 1
            free.append(places)
            self.page._room.release(places)
            tell(handler, text)

        with mock.patch.object(phone_page._Handler, "_answer", answer):
            for _ in range(2):
                self.assertEqual(self.ask("POST", self.path + "/front", form(PICTURE))[0], 200)
        self.assertEqual(free, [phone_page.AT_ONCE] * 2)

    def test_a_judge_at_work_leaves_room_and_no_more(self):
        go, begun = threading.Event(), []

        def slow(side, data):
            begun.append(side)
            go.wait(10)
            return True, "It has come."

        self.page._judge = slow
        answers = []
        askers = [
            threading.Thread(
                target=lambda: answers.append(self.ask("POST", self.path + "/back", form(PICTURE)))
            )
            for _ in range(phone_page.AT_ONCE + 2)
        ]
        for one in askers:
            one.start()
        end = time.monotonic() + 5
        while len(answers) < 2 and time.monotonic() < end:
            time.sleep(0.02)
        self.assertEqual([status for status, _ in answers], [503, 503])
        go.set()
        for one in askers:
            one.join()
        self.assertEqual(len(begun), phone_page.AT_ONCE)


class WatchedFolderTest(unittest.TestCase):
    def test_new_pictures_are_told_once_they_are_whole(self):
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            (folder / "old.jpg").write_bytes(PICTURE)
            watched = WatchedFolder(folder)
            self.assertEqual(watched.new(), [])
            (folder / "note.txt").write_text("no picture")
            coming = folder / "IMG_1.JPG"
            coming.write_bytes(PICTURE[:50])
            self.assertEqual(watched.new(), [])
            coming.write_bytes(PICTURE)
            self.assertEqual(watched.new(), [])  # it was still growing
            self.assertEqual(watched.new(), [coming])
            self.assertEqual(watched.new(), [])
        with self.assertRaisesRegex(BadFile, "cannot be read"):
            watched.new()
