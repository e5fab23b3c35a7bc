"""The stand-in controller: takes G-code line by line over a wire, moves in simulated time, refuses
what is unsafe.

It answers in lines of its own:

    ready 32                       on connecting: how many lines it holds
    taken 12                       line 12 is understood and waits for its turn
    refused 12 why                 line 12 is not done; it takes nothing more until it is stopped
    at X1.2 Y3.4 Z0 running 11 clock 5.6 starved 0
                                   on being asked: place in mm, state, last line done,
                                   simulated seconds, how often it ran dry

A line may begin with its number (N12); unnumbered lines are counted.  Single control characters of
the ASCII standard act at once: ENQ asks, DC3 holds, DC1 goes on, CAN stops and forgets all lines.
"""

from __future__ import annotations

import contextlib
import math
import re
import select
import socket
import threading
import time
from collections import deque
from dataclasses import dataclass

from olive_almanac.core.records.machine import Machine

__all__ = ["ASK", "GO_ON", "HOLD", "STOP", "StandInController", "StandInWire", "serve"]

ASK, HOLD, GO_ON, STOP = b"\x05", b"\x13", b"\x11", b"\x18"
LINES_HELD = 32
BYTES_HELD = 4096
LONGEST = 80
LOOK_AHEAD = 16
PLACE_SLACK_MM = 0.01
_WORD = re.compile(r"([A-Z])\s*([+-]?(?:\d+\.?\d*|\.\d+))")
_COMMENT = re.compile(r"\([^()]*\)|;.*$")
_KNOWN_G = {0, 1, 4, 17, 20, 21, 90, 91, 94}
_KNOWN_M = {0, 1, 2, 3, 4, 5, 7, 8, 9, 30}


class _Unsafe(Exception):
    """A line that is not done; the text says why."""


@dataclass(slots=True)
class _Task:
    """One taken line: a move, a wait, or a switch (which needs the head at rest)."""

    number: int
    length: float = 0.0
    unit: tuple[float, float, float] = (0.0, 0.0, 0.0)
    speed: float = 0.0
    enters2: float = 0.0  # square of the highest speed at which it may be entered
    wait: float = 0.0
    power: float = 0.0
    target: tuple[float, float, float] = (0.0, 0.0, 0.0)
    seconds: float = 0.0
    ends: bool = False


class StandInController:
    """The controller without its wire: bytes in, time passes, bytes out.

    `pace` is simulated seconds a second; math.inf does everything at once.
    """

    def __init__(self, machine: Machine, *, pace: float = 1.0) -> None:
        self.machine, self.pace = machine, pace
        self.place = [0.0, 0.0, 0.0]
        self.clock = 0.0
        self.state = "idle"  # idle, running, waiting (for lines), held, stopped, refused
        self.starved = 0
        self.done = 0
        self.burnt_mm = 0.0  # length gone with the beam on
        self._feed = 0.0
        self._power = 0.0
        self._beam = False
        self._modes = {"motion": -1, "units": 0, "distance": 0}
        self._planned = [0.0, 0.0, 0.0]  # where the last taken line ends
        self._count = 0
        self._text = b""
        self._tasks: deque[_Task] = deque()
        self._left = 0.0  # seconds left of the first task
        self._speed = 0.0  # at which the first task was entered
        self._out: list[bytes] = [f"ready {LINES_HELD}\n".encode()]

    # -- the wire ----------------------------------------------------------------------------------

    def feed(self, data: bytes) -> None:
        """Take bytes as they come; control characters act before all lines that still wait."""
        for act, do in (
            (ASK, self._tell),
            (HOLD, self._hold),
            (GO_ON, self._go_on),
            (STOP, self._stop),
        ):
            if act in data:
                data = data.replace(act, b"")
                do()
        if self.state == "stopped" and not data:
            return
        self._text += data
        if len(self._text) > BYTES_HELD:
            self._text = b""
            self._refuse(self._count + 1, "more was sent than there is room for: lines are lost")
        self._take_lines()

    def answers(self) -> bytes:
        """Return what there is to send back, once."""
        out = b"".join(self._out)
        self._out.clear()
        return out

    def _take_lines(self) -> None:
        while len(self._tasks) < LINES_HELD and b"\n" in self._text:
            raw, _, self._text = self._text.partition(b"\n")
            self._take(raw.decode("ascii", "replace").strip())
            if self.pace == math.inf and (
                len(self._tasks) > LOOK_AHEAD or (self._tasks and self._tasks[-1].ends)
            ):
                self.advance(0.0, keep=0 if self._tasks[-1].ends else LOOK_AHEAD)

    def _take(self, raw: str) -> None:
        self._count += 1
        number = self._count
        if self.state == "refused":
            return  # nothing is done until it has been stopped
        try:
            if len(raw) >= LONGEST:
                raise _Unsafe(f"{len(raw)} characters are too long")
            words = self._words(raw)
            if words and words[0][0] == "N":
                number = self._count = int(words[0][1])
                words = words[1:]
            task = self._task(number, words)
        except _Unsafe as why:
            self._refuse(number, str(why))
            return
        self._tasks.append(task)
        self._out.append(b"taken %d\n" % number)
        if self.state in ("idle", "waiting", "stopped"):
            self.state = "running"
            self._enter()

    def _refuse(self, number: int, why: str) -> None:
        self._out.append(f"refused {number} {why}\n".encode())
        self.state = "refused"
        self._tasks.clear()
        self._power, self._beam = 0.0, False

    def _tell(self) -> None:
        x, y, z = self._now_at()
        self._out.append(
            (
                f"at X{x:.3f} Y{y:.3f} Z{z:.3f} {self.state} {self.done} clock {self.clock:.3f} "
                f"starved {self.starved}\n"
            ).encode()
        )

    def _hold(self) -> None:
        if self.state in ("running", "waiting"):
            self.place = list(self._now_at())
            self.state = "held"

    def _go_on(self) -> None:
        if self.state == "held":
            if self._tasks:
                self.state = "running"
            else:
                self.state = "waiting"
            self._speed = 0.0

    def _stop(self) -> None:
        self.place = list(self._now_at())
        self._planned = list(self.place)
        self._tasks.clear()
        self._text = b""
        self._power, self._beam, self._speed = 0.0, False, 0.0
        self.state = "stopped"

    # -- what a line means -------------------------------------------------------------------------

    @staticmethod
    def _words(raw: str) -> list[tuple[str, float]]:
        block = _COMMENT.sub("", raw).strip().upper()
        if _WORD.sub("", block).strip(" \t%"):
            raise _Unsafe(f"not understood: {block[:30]}")
        return [(letter, float(number)) for letter, number in _WORD.findall(block)]

    def _task(self, number: int, words: list[tuple[str, float]]) -> _Task:
        values = {letter: value for letter, value in words if letter not in "GM"}
        waits = False
        for letter, value in words:
            if letter == "G":
                if value not in _KNOWN_G:
                    raise _Unsafe(f"G{value:g} is not known here")
                waits = waits or value == 4
                group = {
                    0: "motion",
                    1: "motion",
                    20: "units",
                    21: "units",
                    90: "distance",
                    91: "distance",
                }.get(int(value))
                if group:
                    self._modes[group] = int(value)
        scale = 1.0
        if self._modes["units"] == 20:
            scale = 25.4
        if "S" in values:
            if not 0 <= values["S"] <= self.machine.power_scale * (1 + 1e-9):
                raise _Unsafe(f"S{values['S']:g} is over {self.machine.power_scale:g}")
            self._power = values["S"]
        if "F" in values:
            feed = values["F"] * scale / 60
            if not 0 < feed <= self.machine.max_speed_mm_s * (1 + 1e-6):
                raise _Unsafe(f"{feed:g} mm/s is over {self.machine.max_speed_mm_s:g}")
            self._feed = feed
        task = _Task(number)
        for letter, value in words:
            if letter == "M":
                if value not in _KNOWN_M:
                    raise _Unsafe(f"M{value:g} is not known here")
                if value in (3, 4):
                    self._beam = True
                    if self._power > 0:
                        raise _Unsafe("the beam would be on at a standstill")
                elif value == 5:
                    self._beam = False
                task.ends = task.ends or value in (2, 30)
        if waits:
            if self._beam and self._power > 0:
                raise _Unsafe("it would wait with the beam on")
            task.wait = max(0.0, values.get("P", 0.0))
        elif any(axis in values for axis in "XYZ"):
            self._move(task, values, scale)
        return task

    def _move(self, task: _Task, values: dict[str, float], scale: float) -> None:
        if not self._modes["units"] or not self._modes["distance"] or self._modes["motion"] < 0:
            raise _Unsafe("units, distance mode or motion mode were never stated")
        target = list(self._planned)
        for at, axis in enumerate("XYZ"):
            if axis in values:
                step = values[axis] * scale
                target[at] = step + (self._planned[at] if self._modes["distance"] == 91 else 0.0)
        for at, axis in enumerate("XY"):
            if not -PLACE_SLACK_MM <= target[at] <= self.machine.bed_mm[at] + PLACE_SLACK_MM:
                raise _Unsafe(f"{axis}{target[at]:g} mm is off the bed")
        rapid = self._modes["motion"] == 0
        power = 0.0
        if self._beam:
            power = self._power
        if rapid and power > 0:
            raise _Unsafe("the beam would be on in a rapid")
        if not rapid and self._feed <= 0:
            raise _Unsafe("no feed was stated")
        gone = [b - a for a, b in zip(self._planned, target, strict=True)]
        task.length = math.sqrt(sum(v * v for v in gone))
        if task.length:
            task.unit = (gone[0] / task.length, gone[1] / task.length, gone[2] / task.length)
        else:
            task.unit = (0.0, 0.0, 0.0)
        up = abs(gone[2]) > 1e-9 and abs(gone[0]) + abs(gone[1]) < 1e-9
        if up:
            task.speed = self.machine.focus_speed_mm_s
        elif rapid:
            task.speed = self.machine.max_speed_mm_s
        else:
            task.speed = self._feed
        before = None
        if self._tasks:
            before = self._tasks[-1]
        if before is not None and before.length and task.length:
            task.enters2 = self._corner2(before, task)
        task.power, task.target = power, (target[0], target[1], target[2])
        self._planned = target

    def _corner2(self, before: _Task, after: _Task) -> float:
        """Square of the speed through the corner between two moves: the one at which rounding it
        misses it by the junction.
        """
        slower2 = min(before.speed, after.speed) ** 2
        a, b = before.unit, after.unit
        half = math.sqrt(max(0.0, (1 + a[0] * b[0] + a[1] * b[1] + a[2] * b[2]) / 2))
        if half > 1 - 1e-9:
            return slower2
        return min(
            slower2, self.machine.acceleration_mm_s2 * self.machine.junction_mm * half / (1 - half)
        )

    # -- moving ------------------------------------------------------------------------------------

    def advance(self, real_s: float, *, keep: int = 0) -> None:
        """Let time pass: finish the lines that fit into it, but for the last `keep`, which show how
        to leave the others.
        """
        if self.state != "running":
            return
        if self.pace == math.inf:
            budget = math.inf
        else:
            budget = real_s * self.pace
        while len(self._tasks) > keep and self.state == "running":
            if self._left > budget:
                self._left -= budget
                self.clock += budget
                return
            budget -= self._left
            self.clock += self._left
            self._finish()
            self._take_some()
        if not self._tasks and self.state == "running":
            self.state = "waiting"
            self.starved += 1

    def _take_some(self) -> None:
        if b"\n" in self._text and len(self._tasks) < LINES_HELD and self.pace != math.inf:
            self._take_lines()

    def _finish(self) -> None:
        task = self._tasks.popleft()
        if task.length:
            self.place = list(task.target)
            if task.power > 0:
                self.burnt_mm += task.length
        self.done = task.number
        if task.ends:
            self.state = "idle"
        self._enter()

    def _enter(self) -> None:
        """Begin with the first task that waits: its time from the speed it is entered at and the
        one it must leave with.
        """
        if not self._tasks:
            self._speed = 0.0
            return
        task = self._tasks[0]
        if not task.length:
            self._speed, task.seconds = 0.0, task.wait
        else:
            leave = self._leaving_speed()
            task.seconds, self._speed = _run(
                task.length, self._speed, task.speed, leave, self.machine.acceleration_mm_s2
            )
        self._left = task.seconds

    def _leaving_speed(self) -> float:
        """The speed at which the first task may end so that all that is known of what follows can
        still be done.
        """
        twice, way, most = 2 * self.machine.acceleration_mm_s2, 0.0, math.inf
        for at in range(1, min(LOOK_AHEAD, len(self._tasks))):
            following = self._tasks[at]
            most = min(most, following.enters2 + twice * way)
            way += following.length
            if twice * way >= most:
                return math.sqrt(most)
        return math.sqrt(min(most, twice * way))

    def _now_at(self) -> tuple[float, float, float]:
        if (
            self.state not in ("running",)
            or not self._tasks
            or not self._tasks[0].seconds
            or not self._tasks[0].length
        ):
            return (self.place[0], self.place[1], self.place[2])
        gone = 1 - self._left / self._tasks[0].seconds
        x, y, z = (
            a + gone * (b - a) for a, b in zip(self.place, self._tasks[0].target, strict=True)
        )
        return (x, y, z)


def _run(
    length: float, first: float, wanted: float, last: float, acceleration: float
) -> tuple[float, float]:
    """Return the time of a run between two speeds, and the speed really had at its end."""
    last = min(last, math.sqrt(first**2 + 2 * acceleration * length))
    top = min(wanted, math.sqrt(acceleration * length + (first**2 + last**2) / 2))
    top = max(top, first, last)
    ramps = (2 * top * top - first * first - last * last) / (2 * acceleration)
    return (2 * top - first - last) / acceleration + max(0.0, length - ramps) / top, last


def serve(controller: StandInController, wire: socket.socket, ended: threading.Event) -> None:
    """Play the controller at one end of a wire until it is closed or `ended` is set."""
    then = time.monotonic()
    with contextlib.suppress(OSError):
        while not ended.is_set():
            busy = controller.state == "running" and controller.pace != math.inf
            ready, _, _ = select.select([wire], [], [], 0.004 if busy else 0.05)
            if ready:
                data = wire.recv(BYTES_HELD)
                if not data:
                    return
                controller.feed(data)
            now = time.monotonic()
            if (
                controller.pace != math.inf or not ready
            ):  # at once: lines finish as the next ones come, or when none do
                controller.advance(now - then)
            then = now
            out = controller.answers()
            if out:
                wire.sendall(out)


class StandInWire:
    """The operator's end of a wire to a stand-in controller that runs in a thread of its own."""

    def __init__(self, machine: Machine, *, pace: float = 1.0) -> None:
        self.controller = StandInController(machine, pace=pace)
        self._ours, theirs = socket.socketpair()
        self._ours.setblocking(False)
        self._ended = threading.Event()
        self._thread = threading.Thread(
            target=self._play, args=(theirs,), name="stand-in controller", daemon=True
        )
        self._thread.start()

    def _play(self, theirs: socket.socket) -> None:
        with theirs:
            serve(self.controller, theirs, self._ended)

    def set_pace(self, pace: float) -> None:
        self.controller.pace = pace

    def write(self, data: bytes) -> int:
        """Send what the wire takes now; returns how many bytes that was.

        Raises OSError when it is cut.
        """
        try:
            return self._ours.send(data)
        except BlockingIOError:
            return 0

    def read(self) -> bytes:
        """Return what has arrived, b"" for nothing.  Raises OSError when the wire is cut."""
        try:
            data = self._ours.recv(65536)
        except BlockingIOError:
            return b""
        if not data:
            raise ConnectionResetError("the other end has closed the line")
        return data

    def close(self) -> None:
        self._ended.set()
        self._ours.close()
        self._thread.join(timeout=1.0)
