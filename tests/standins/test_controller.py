"""The stand-in controller: takes lines, moves with its limits, refuses what is unsafe, holds, goes
on, stops.
"""

import math
import os
import socket
import threading
import time
import unittest

from olive_almanac.devices.serial_port import SerialWire
from olive_almanac.formats.gcode import write_gcode
from olive_almanac.formats.letters import letters
from olive_almanac.standins.controller import (
    ASK,
    GO_ON,
    HOLD,
    STOP,
    StandInController,
    StandInWire,
    serve,
)
from tests.samples import LONG, kind_plan

HEAD = b"G17 G21 G90 G94\nM5 S0\n"


def fed(text, *, pace=1.0):
    controller = StandInController(LONG, pace=pace)
    controller.feed(HEAD + text)
    return controller


def told(controller):
    controller.answers()
    controller.feed(ASK)
    return controller.answers().decode().split()


class ControllerTest(unittest.TestCase):
    def test_takes_lines_and_moves_in_its_own_time(self):
        controller = fed(b"G0 X100 Y0\nG1 X100 Y60 F6000 S0\n")
        self.assertEqual(controller.answers().count(b"taken"), 4)
        controller.advance(0.1)
        self.assertEqual(told(controller)[4], "running")
        controller.advance(10)
        self.assertEqual(told(controller)[1:6], ["X100.000", "Y60.000", "Z0.000", "waiting", "4"])
        # 100 mm at 500 mm/s and 6000 mm/s2, then 60 mm at 100 mm/s: L/v + v/a each, less what
        # rounding the corner saves
        self.assertAlmostEqual(
            controller.clock, 100 / 500 + 500 / 6000 + 60 / 100 + 100 / 6000, delta=0.005
        )

    def test_its_time_agrees_with_the_expected_time_of_real_coupons(self):
        for kind, task in (("grid", "cut"), ("grid", "engrave"), ("kerf", "cut")):
            trial = kind_plan(kind, task).trial
            controller = StandInController(trial.machine, pace=math.inf)
            controller.place[:2] = controller._planned[:2] = trial.area_mm[:2]
            for n, line in enumerate(write_gcode(trial, letters()).splitlines(), 1):
                controller.feed(b"N%d %s\n" % (n, line.encode()))
            controller.advance(0)
            with self.subTest(kind=kind, task=task):
                self.assertEqual(controller.state, "idle")
                self.assertAlmostEqual(controller.clock / trial.seconds, 1, delta=0.01)

    def test_refuses_what_is_unsafe_and_takes_nothing_until_it_is_stopped(self):
        for line, why in (
            (b"G1 X10 F99999999 S0", b"is over 500"),
            (b"G1 X5000 F600", b"off the bed"),
            (b"M3 S1500", b"over 1000"),
            (b"M3 S500", b"standstill"),
            (b"G77 X1", b"G77 is not known"),
            (b"M3 S0\nG1 X1 F600 S500\nG0 X2", b"rapid"),
            (b"M3 S0\nG1 X1 F600 S500\nG4 P1", b"wait with the beam on"),
            (b"G1 X1 $", b"not understood"),
            (b"G1 X" + b"1" * 90, b"too long"),
        ):
            controller = fed(line + b"\nG0 X3\n")
            answers = controller.answers()
            with self.subTest(line):
                self.assertIn(b"refused", answers)
                self.assertIn(why, answers)
                controller.advance(100)
                self.assertNotEqual(controller.place[0], 3.0)
                controller.feed(STOP)
                controller.feed(b"G0 X3\n")
                controller.advance(100)
                self.assertEqual(controller.place[0], 3.0)

    def test_hold_stops_the_head_where_it_is_and_going_on_finishes(self):
        controller = fed(b"G1 X100 F600 S0\n")
        controller.advance(4)
        controller.feed(HOLD)
        at = told(controller)
        self.assertEqual(at[4], "held")
        self.assertTrue(35 < float(at[1][1:]) < 45)
        controller.advance(60)
        self.assertEqual(told(controller)[1], at[1])
        controller.feed(GO_ON)
        controller.advance(60)
        self.assertEqual(told(controller)[1], "X100.000")

    def test_it_holds_back_when_full_loses_lines_when_overrun_and_counts_running_dry(self):
        controller = fed(b"".join(b"G1 X%d F600 S0\n" % (n % 50) for n in range(60)))
        self.assertEqual(controller.answers().count(b"taken"), 32)
        controller.advance(1000)
        self.assertEqual(controller.answers().count(b"taken"), 30)
        self.assertEqual(controller.starved, 1)
        controller = fed(b"")
        controller.feed(b"G4 P9\n" * 900)
        self.assertIn(b"lines are lost", controller.answers())

    def test_a_socket_carries_it_and_a_closed_end_is_an_error(self):
        wire = StandInWire(LONG, pace=math.inf)
        wire.write(HEAD + b"G0 X5 Y5\nM2\n")
        heard, end = b"", time.monotonic() + 5
        while heard.count(b"taken") < 4 and time.monotonic() < end:
            heard += wire.read()
        self.assertTrue(heard.startswith(b"ready"))
        wire.close()
        with self.assertRaises(OSError):
            wire.read()

    def test_a_serial_line_speaks_to_it_through_a_pseudo_terminal(self):
        master, slave = os.openpty()
        import tty

        tty.setraw(slave)
        inside, outside = socket.socketpair()
        ended = threading.Event()
        player = threading.Thread(
            target=serve, args=(StandInController(LONG, pace=math.inf), inside, ended), daemon=True
        )
        player.start()
        outside.setblocking(False)
        wire = SerialWire(os.ttyname(slave), 115200)
        wire.write(HEAD + b"G0 X5 Y5\nM2\n")
        heard, end = b"", time.monotonic() + 10
        os.set_blocking(master, False)
        while heard.count(b"taken") < 4 and time.monotonic() < end:
            for take, give in (
                (lambda: os.read(master, 4096), outside.sendall),
                (lambda: outside.recv(4096), lambda d: os.write(master, d)),
            ):
                try:
                    give(take())
                except BlockingIOError:
                    time.sleep(0.002)
            heard += wire.read()
        self.assertEqual(heard.count(b"taken"), 4)
        wire.close()
        ended.set()
        outside.close()
        player.join(2)
        os.close(master)
        os.close(slave)
