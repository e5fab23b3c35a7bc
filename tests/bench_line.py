"""A wire to a stand-in controller that runs in the test's own thread, by a clock that the test
moves; and what can go wrong.
"""

import math

from olive_almanac.standins.controller import StandInController


class BenchLine:
    """`connect` gives itself as the wire; `let` passes time.

    Set `cut`, `silent` or `babble` to break it.
    """

    def __init__(self):
        self.now = 0.0
        self.cut = self.silent = False
        self.babble = b""
        self.closed = False
        self.sent = b""
        self.controller = None

    def connect(self, machine, pace):
        self.controller = StandInController(machine, pace=pace)
        return self

    def set_pace(self, pace):
        self.controller.pace = pace

    def let(self, seconds):
        self.now += seconds
        self.controller.advance(seconds)

    def write(self, data):
        if self.cut:
            raise BrokenPipeError(32, "Broken pipe")
        self.sent += data
        self.controller.feed(data)
        return len(data)

    def read(self):
        if self.cut:
            raise BrokenPipeError(32, "Broken pipe")
        if self.controller.pace == math.inf:
            self.controller.advance(0.0)
        self.now += 0.001
        answers = self.controller.answers()
        return self.babble or (b"" if self.silent else answers)

    def close(self):
        self.closed = True
