"""The serial line, on a pseudo-terminal whose other end is the test."""

import itertools
import os
import threading
import tty
import unittest

from olive_almanac.core.errors import CannotWrite
from olive_almanac.devices.serial_port import SerialWire
from olive_almanac.steps.stream import LinkWords, Stream

LINE = b"G1 X10 Y10 S500"


class SerialWireTest(unittest.TestCase):
    def setUp(self):
        self.far_end, self.near_end = os.openpty()
        tty.setraw(self.near_end)
        os.set_blocking(self.far_end, False)
        self.port = os.ttyname(self.near_end)
        self.wire = SerialWire(self.port, 115200)
        self.addCleanup(self.hang_up)

    def hang_up(self):
        os.close(self.far_end)
        os.close(self.near_end)
        self.wire.close()

    def in_time(self, act):
        """What an act returns, which must not wait."""
        found = []
        thread = threading.Thread(target=lambda: found.append(act()), daemon=True)
        thread.start()
        thread.join(10)
        self.assertFalse(thread.is_alive(), "it waits")
        return found[0]

    def fill(self):
        """Send until the line takes nothing more; the bytes that it took."""
        counts = iter(lambda: self.in_time(lambda: self.wire.write(b"x" * 1000)), 0)
        return sum(itertools.islice(counts, 10_000))

    def heard(self):
        """All bytes that have come through at the other end."""
        found = b""
        while True:
            try:
                found += os.read(self.far_end, 65536)
            except BlockingIOError:
                return found

    def test_a_line_that_takes_nothing_more_holds_nobody_up(self):
        sent = self.fill()
        self.assertEqual(self.in_time(lambda: self.wire.write(b"\x18")), 0)
        self.assertEqual(self.heard().count(b"x"), sent)
        self.assertEqual(self.wire.write(b"\x18"), 1)
        self.assertEqual(self.heard(), b"\x18")

    def test_a_stop_that_a_full_line_does_not_take_is_told(self):
        clock_s = 0.0
        words = LinkWords(bytes_ahead=10**9, lines_ahead=10**9)
        stream = Stream(self.wire, itertools.repeat((LINE, "A1")), words, lambda: clock_s)
        os.write(self.far_end, b"ready\n")
        while not stream.sent:
            self.in_time(stream.pump)
        self.fill()
        self.in_time(stream.stop)
        self.assertEqual(stream.state, "stopping")
        clock_s = 1.5
        self.in_time(stream.pump)
        self.assertEqual(stream.state, "lost")
        self.assertIn("emergency stop", stream.why)

    def test_a_line_belongs_to_one_program(self):
        with self.assertRaisesRegex(CannotWrite, "no other program uses it"):
            SerialWire(self.port, 115200)
        self.wire.close()
        SerialWire(self.port, 115200).close()

    def test_a_cable_that_is_pulled_is_told(self):
        far_end, near_end = os.openpty()
        wire = SerialWire(os.ttyname(near_end), 115200)
        self.assertEqual(wire.read(), b"")
        os.close(near_end)
        os.close(far_end)
        stream = Stream(wire, iter([(LINE, "A1")]), LinkWords(), lambda: 0.0)
        stream.pump()
        told = "the connection was lost (nothing answers there: cable, power?)"
        self.assertEqual((stream.state, stream.why), ("lost", told))
        with self.assertRaises(OSError):
            wire.write(b"\x18")
        wire.close()
        with self.assertRaises(OSError):
            wire.write(b"\x18")
