"""Check a G-code file before it goes to a machine: an interpreter of its own, sharing no code with the writer.

Reads the words of the published RS-274/NGC set that a laser needs, follows position, modes and beam, and reports
every unsafe line.  It is an aid: the machine's manual comes first.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

from olive_almanac.core.errors import Finding

__all__ = ["CheckLimits", "CheckReport", "check_gcode"]

LONGEST_LINE = 80
TOLERANCE = 0.002  # mm: half the last digit that files carry, and rounding
_WORD = re.compile(r"([A-Z])\s*([+-]?(?:\d+\.?\d*|\.\d+))")
_COMMENT = re.compile(r"\([^()]*\)|;.*$")
MOTION, PLANE, UNITS, DISTANCE, FEED_MODE = range(5)
G_GROUPS = {
    0: MOTION,
    1: MOTION,
    2: MOTION,
    3: MOTION,
    80: MOTION,
    17: PLANE,
    18: PLANE,
    19: PLANE,
    20: UNITS,
    21: UNITS,
    90: DISTANCE,
    91: DISTANCE,
    93: FEED_MODE,
    94: FEED_MODE,
}
G_PLAIN = {4, 40, 49, 54, 61, 64}  # dwell; modes that are the default and change nothing here
M_KNOWN = {0, 1, 2, 3, 4, 5, 7, 8, 9, 30}
LETTERS = set("FGIJKMNPRSTXYZ")


@dataclass(frozen=True)
class CheckLimits:
    """What the machine and the coupon allow: bed and area as x, y, width, height in mm; speed in mm/s; full S word."""

    bed_mm: tuple[float, float]
    max_speed_mm_s: float
    power_scale: float
    area_mm: tuple[float, float, float, float] | None = None
    clamps_mm: tuple[tuple[float, float, float, float], ...] = ()


@dataclass(frozen=True)
class CheckReport:
    """Findings in file order; `moves` counts the moves that were followed.  `safe` means that nothing was found."""

    findings: tuple[Finding, ...]
    moves: int

    @property
    def safe(self) -> bool:
        return not self.findings


def check_gcode(text: str, limits: CheckLimits) -> CheckReport:
    """Follow a program from its first to its last line and report what is unsafe or not understood."""
    return _Interpreter(limits).run(text)


class _Interpreter:
    def __init__(self, limits: CheckLimits) -> None:
        self.limits = limits
        self.modal: dict[int, int] = {}
        self.at: dict[str, float | None] = {"X": None, "Y": None, "Z": None}
        self.feed = 0.0  # mm/min
        self.power = 0.0
        self.beam_on = False
        self.moves = 0
        self.ended = False
        self.findings: list[Finding] = []
        self.line = 0

    def run(self, text: str) -> CheckReport:
        for self.line, raw in enumerate(text.splitlines(), 1):
            if len(raw) >= LONGEST_LINE:
                self.report("long-line", f"is {len(raw)} characters long; controllers take fewer than {LONGEST_LINE}")
            block = _COMMENT.sub("", raw).strip().upper()
            if block and block != "%":
                self.block(block)
        if self.beam_on:
            self.report("beam-left-on", "is the last, and the beam is still switched on: M5 is missing at the end")
        if not self.ended:
            self.report("no-end", "is the last, and the program does not end with M2 or M30")
        if not self.moves:
            self.report("no-motion", "is the last, and nothing moved")
        return CheckReport(tuple(self.findings), self.moves)

    def report(self, code: str, text: str) -> None:
        self.findings.append(Finding(code, f"line {self.line}", f"Line {self.line} {text}."))

    def block(self, block: str) -> None:
        if self.ended:
            self.report("after-end", "comes after the end of the program")
        words = _WORD.findall(block)
        if _WORD.sub("", block).strip(" \t/"):
            self.report("not-understood", f"holds something that is not a word of letter and number: “{block[:40]}”")
            return
        values: dict[str, float] = {}
        codes: list[tuple[str, float]] = []
        for letter, number in words:
            value = float(number)
            if letter in "GM":
                codes.append((letter, value))
            elif letter not in LETTERS:
                self.report("unknown-word", f"uses {letter}{number}, which is not in the published set")
            elif letter in values:
                self.report("word-twice", f"holds the word {letter} twice")
            else:
                values[letter] = value
        self.take_modes(codes)
        self.take_feed_and_power(values)
        for letter, value in codes:
            if letter == "M":
                self.take_m(value)
        if any(letter == "G" and value == 4 for letter, value in codes):
            if self.beam_on and self.power > 0:
                self.report("beam-at-rest", "waits with the beam on")
        elif any(axis in values for axis in "XYZ"):
            self.move(values)

    def take_modes(self, codes: list[tuple[str, float]]) -> None:
        seen: set[int] = set()
        for letter, value in codes:
            if letter != "G":
                continue
            if value in G_GROUPS:
                group = G_GROUPS[int(value)]
                if group in seen:
                    self.report("modes-clash", "names two modes of the same group")
                seen.add(group)
                self.modal[group] = int(value)
            elif value not in G_PLAIN:
                self.report("unknown-word", f"uses G{value:g}, which is not in the published set or not allowed here")

    def take_feed_and_power(self, values: dict[str, float]) -> None:
        if "S" in values:
            self.power = values["S"]
            if not 0 <= self.power <= self.limits.power_scale * (1 + 1e-9):
                self.report("over-power", f"asks for S{self.power:g}; this machine takes 0 to {self.limits.power_scale:g}")
        if "F" in values:
            self.feed = values["F"] * self.scale
            if not 0 < self.feed <= 60 * self.limits.max_speed_mm_s * (1 + 1e-6):
                self.report(
                    "over-speed", f"asks for {self.feed:g} mm/min; this machine takes up to {60 * self.limits.max_speed_mm_s:g}"
                )

    def take_m(self, value: float) -> None:
        if value not in M_KNOWN:
            self.report("unknown-word", f"uses M{value:g}, which is not in the published set or not allowed here")
        elif value in (3, 4):
            self.beam_on = True
            if not self.moves and self.power > 0:
                self.report("beam-before-motion", "switches the beam on before the first move")
            elif self.power > 0:
                self.report("beam-at-rest", "switches the beam on at a standstill")
        elif value == 5:
            self.beam_on = False
        elif value in (2, 30):
            self.ended = True

    @property
    def scale(self) -> float:
        return 25.4 if self.modal.get(UNITS) == 20 else 1.0

    def move(self, values: dict[str, float]) -> None:
        if UNITS not in self.modal or DISTANCE not in self.modal:
            self.report("modes-missing", "moves before units (G20 or G21) and distance mode (G90 or G91) are stated")
            self.modal.setdefault(UNITS, 21)
            self.modal.setdefault(DISTANCE, 90)
        motion = self.modal.get(MOTION)
        if motion is None or motion == 80:
            self.report("no-motion-mode", "names a place without a motion mode (G0 to G3)")
            return
        start = dict(self.at)
        for axis in "XYZ":
            if axis in values:
                step = values[axis] * self.scale
                before = start[axis]
                if self.modal[DISTANCE] == 91 and before is None:
                    self.report("lost-place", f"moves {axis} by a distance from a place that is not known")
                self.at[axis] = step if self.modal[DISTANCE] == 90 or before is None else before + step
        self.moves += 1
        if motion == 0 and self.beam_on and self.power > 0:
            self.report("beam-in-rapid", f"moves in rapid with the beam on (S{self.power:g})")
        if motion != 0 and self.feed <= 0:
            self.report("no-feed", "feeds before any F word")
        if motion in (2, 3):
            self.check_arc(values, start, clockwise=motion == 2)
        self.check_place(self.at["X"], self.at["Y"])
        if self.limits.clamps_mm:
            self.check_clamps(start)

    def check_place(self, x: float | None, y: float | None) -> None:
        width, height = self.limits.bed_mm
        for axis, value, size in (("X", x, width), ("Y", y, height)):
            if value is not None and not -TOLERANCE <= value <= size + TOLERANCE:
                self.report("off-bed", f"goes to {axis} {value:g} mm; the bed reaches from 0 to {size:g} mm")
                return
        if self.limits.area_mm is None or x is None or y is None:
            return
        left, low, wide, high = self.limits.area_mm
        if not (left - TOLERANCE <= x <= left + wide + TOLERANCE and low - TOLERANCE <= y <= low + high + TOLERANCE):
            self.report("off-coupon", f"goes to {x:g}, {y:g} mm, outside the coupon ({left:g}, {low:g}, {wide:g} by {high:g} mm)")

    def check_arc(self, values: dict[str, float], start: dict[str, float | None], *, clockwise: bool) -> None:
        x0, y0, x1, y1 = start["X"], start["Y"], self.at["X"], self.at["Y"]
        if x0 is None or y0 is None or x1 is None or y1 is None or not ("I" in values or "J" in values):
            self.report("arc-not-followed", "is an arc that cannot be followed: a known start and I, J are needed")
            return
        cx, cy = x0 + values.get("I", 0.0) * self.scale, y0 + values.get("J", 0.0) * self.scale
        radius = math.hypot(x0 - cx, y0 - cy)
        if abs(math.hypot(x1 - cx, y1 - cy) - radius) > max(0.01, 0.001 * radius):
            self.report("arc-not-followed", "is an arc whose ends are not equally far from its centre")
        first, last = math.atan2(y0 - cy, x0 - cx), math.atan2(y1 - cy, x1 - cx)
        turn = (first - last if clockwise else last - first) % (2 * math.pi) or 2 * math.pi
        for quarter in range(4):
            angle = quarter * math.pi / 2
            passed = (first - angle if clockwise else angle - first) % (2 * math.pi)
            if passed <= turn:
                self.check_place(cx + radius * math.cos(angle), cy + radius * math.sin(angle))

    def check_clamps(self, start: dict[str, float | None]) -> None:
        x0, y0, x1, y1 = start["X"], start["Y"], self.at["X"], self.at["Y"]
        if x0 is None or y0 is None or x1 is None or y1 is None:
            return
        for left, low, wide, high in self.limits.clamps_mm:
            if _crosses((x0, y0), (x1, y1), (left, low, left + wide, low + high)):
                self.report("in-clamp", f"passes over the clamp at {left:g}, {low:g} mm")


def _crosses(start: tuple[float, float], end: tuple[float, float], box: tuple[float, float, float, float]) -> bool:
    """True when the segment meets the box (clipping of a segment against two pairs of edges)."""
    enter, leave = 0.0, 1.0
    for p0, p1, low, high in ((start[0], end[0], box[0], box[2]), (start[1], end[1], box[1], box[3])):
        step = p1 - p0
        if step == 0:
            if not low < p0 < high:
                return False
            continue
        near, far = sorted(((low - p0) / step, (high - p0) / step))
        enter, leave = max(enter, near), min(leave, far)
    return enter < leave
