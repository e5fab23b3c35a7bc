"""What is drawn: contours of the map, marks that stay apart without their colour, the worker behind
long work.
"""

import itertools
import threading
import unittest

import numpy as np
from PySide6.QtCore import QRectF
from PySide6.QtGui import QImage, QPainter

from olive_almanac.core.errors import LibraryTrouble
from olive_almanac.steps.book import STATE_WORDS
from olive_almanac.views import theme
from olive_almanac.views.decide.setting_map import contour
from olive_almanac.views.marks import draw_state, draw_verdict
from olive_almanac.views.worker import LatestWork, Worker, once
from tests.views.qt_case import QtCase


class ContourIndependent(unittest.TestCase):
    """A round hill has round contours: their length and area are those of a circle."""

    def setUp(self):
        self.axis = np.linspace(-2, 2, 81)
        y, x = np.meshgrid(self.axis, self.axis, indexing="ij")
        self.hill = 2 - np.hypot(x, y)

    def test_one_closed_ring_of_the_right_length_and_area(self):
        radius = 0.987  # not on a grid point, where the contour would touch corners
        lines = contour(self.axis, self.axis, self.hill, 2 - radius)
        self.assertEqual(len(lines), 1)
        ring = np.array(lines[0])
        np.testing.assert_allclose(ring[0], ring[-1], atol=1e-9)
        steps = np.diff(ring, axis=0)
        self.assertAlmostEqual(float(np.hypot(*steps.T).sum()), 2 * np.pi * radius, delta=0.02)
        area = 0.5 * abs(float((ring[:-1, 0] * ring[1:, 1] - ring[1:, 0] * ring[:-1, 1]).sum()))
        self.assertAlmostEqual(area, np.pi * radius**2, delta=0.02)

    def test_a_contour_that_leaves_the_map_stays_open(self):
        lines = contour(self.axis, self.axis, self.hill, -0.3)
        self.assertEqual(len(lines), 4)  # the ring of radius 2.3 is cut by the four sides
        for line in lines:
            for end in (line[0], line[-1]):
                self.assertAlmostEqual(max(abs(end[0]), abs(end[1])), 2, places=6)

    def test_a_flat_land_has_none(self):
        self.assertEqual(contour(self.axis, self.axis, np.zeros_like(self.hill), 0.5), [])


class MarksTest(QtCase):
    """Without hue, through orange goggles, at the smallest size used: no two marks of a family look
    alike.
    """

    LEAST = 0.05  # mean difference of luminance over the box, as a share of the strongest

    def luminance(self, draw, key, size):
        image = QImage(size + 4, size + 4, QImage.Format.Format_RGB888)
        image.fill(theme.C("page"))
        painter = QPainter(image)
        draw(painter, QRectF(2, 2, size, size), key)
        painter.end()
        raw = np.frombuffer(bytes(image.constBits()), np.uint8).reshape(
            size + 4, image.bytesPerLine()
        )[:, : 3 * (size + 4)]
        rgb = raw.reshape(size + 4, size + 4, 3) / 255 * [1.0, 0.6, 0.0]
        linear = np.where(rgb <= 0.04045, rgb / 12.92, ((rgb + 0.055) / 1.055) ** 2.4)
        return linear @ [0.2126, 0.7152, 0.0722]

    def test_states_and_verdicts_stay_apart(self):
        self.addCleanup(theme.set_theme, "day")
        families = (
            (draw_state, tuple(STATE_WORDS), 17),
            (draw_verdict, ("free", "hangs", "not_through", "flare", "unread"), 18),
            (draw_verdict, ("too_light", "right", "too_dark", "no_mark", "unread"), 18),
        )
        for name in ("day", "workshop"):
            theme.set_theme(name)
            for draw, keys, size in families:
                pictures = {key: self.luminance(draw, key, size) for key in keys}
                ground = pictures[keys[0]][0, 0]
                strongest = max(np.abs(p - ground).max() for p in pictures.values())
                for a, b in itertools.combinations(keys, 2):
                    with self.subTest(theme=name, a=a, b=b):
                        self.assertGreater(
                            np.abs(pictures[a] - pictures[b]).mean() / strongest, self.LEAST
                        )


class WorkerTest(QtCase):
    def run_to_end(self, worker):
        done = []
        worker.finished.connect(lambda: done.append(True))
        worker.start()
        self.wait_for(lambda: bool(done))
        worker.wait()

    def test_items_arrive_in_the_main_thread(self):
        seen = []
        worker = Worker(iter(range(3)))
        worker.item.connect(
            lambda n: seen.append((n, threading.current_thread() is threading.main_thread()))
        )
        self.run_to_end(worker)
        self.assertEqual(seen, [(0, True), (1, True), (2, True)])

    def test_an_error_is_reported_not_lost(self):
        def fail():
            raise LibraryTrouble("locked")

        seen = []
        worker = Worker(once(fail))
        worker.failed.connect(lambda error: seen.append(str(error)))
        self.run_to_end(worker)
        self.assertEqual(seen, ["locked"])

    def test_halting_closes_the_generator_between_two_items(self):
        closed, started, go = [], threading.Event(), threading.Event()

        def endless():
            try:
                for n in itertools.count():
                    started.set()
                    go.wait(1)
                    yield n
            finally:
                closed.append(True)

        worker = Worker(endless())
        worker.start()
        started.wait(1)
        worker.requestInterruption()
        go.set()
        self.assertTrue(worker.wait(3000))
        self.assertEqual(closed, [True])

    def test_what_an_earlier_work_still_finds_is_no_news(self):
        begun, ended, seen = [], [], []

        class Run:
            def __init__(self, items, take):
                self.items, self.take = items, take
                begun.append(self)

            def requestInterruption(self):
                ended.append(self.items)

        work = LatestWork(Run)
        work.start("first", seen.append)
        work.start("second", seen.append)
        begun[0].take("late")
        begun[1].take("asked for")
        work.stop()
        begun[1].take("after closing")
        self.assertEqual(seen, ["asked for"])
        self.assertEqual(ended, ["first", "second"])
