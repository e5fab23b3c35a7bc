"""Check a G-code file before it goes to a machine: an interpreter of its own, sharing no code with
the writer.

Reads the words of the published RS-274/NGC set that a laser needs, follows position, modes and
beam, and reports every unsafe line.  It is an aid: the machine's manual comes first.
"""

from __future__ import annotations

import itertools
import math
import re
from collections.abc import Iterator
from dataclasses import dataclass

from olive_almanac.core.errors import Finding
from olive_almanac.core.words import tr

__all__ = ["CheckLimits", "CheckReport", "check_gcode", "check_lines"]

LONGEST_LINE = 80
TOLERANCE = 0.002  # mm: half the last digit that files carry, and rounding
_WORD = re.compile(r"([A-Z])\s*([+-]?(?:\d+\.?\d*|\.\d+))", re.ASCII)
# a straight step as long programs have them by the thousand; short enough for every controller
_PLACE = r"([+-]?\d{1,6}(?:\.\d{1,6})?)"
_STEP = re.compile(
    rf"(?:G([01]) )?(?=[XY])(?:X{_PLACE})? ?(?:Y{_PLACE})?(?: S(\d{{1,6}}(?:\.\d{{1,6}})?))?",
    re.ASCII,
)
# signs that controllers take out of the line and act on at once, also within a comment; what lies
# beyond ASCII reaches them as several of these
_AT_ONCE = re.compile(r"[!?~]|[^\t\x20-\x7e]")
ARC_STEP = math.radians(2)  # by which arcs are followed past clamps
LEAST_TURN = 1e-5  # rad: controllers go all the way round where less is left of it, by their digits
SLOWEST_MM_S = 0.1  # a beam that creeps slower burns as one at rest does
FARTHEST_FOCUS_MM = 100.0  # from the face, up or down: beyond it the head meets bed or frame
FARTHEST_ENDS_MM = 0.5  # of a large arc from its circle (common practice, no source)
MOST_ROUNDING_MM = 0.1  # that a controller may leave the written path by
MOST_DIGITS = 8  # before the point, noughts that lead too, that a small controller reads
SAME_PLACE_MM = 0.05  # what lies so near is burnt as one place
MOST_IN_PLACE = 500  # burning lines, of a millisecond or two each
BEAM = {3, 4, 5}  # M words of which a line holds one, as of those that stop and of the air
STOPS, AIR = {0, 1, 2, 30}, {7, 8, 9}
WAITS = (0, 1, 7, 8, 9)  # M words at which a controller stands still for a while
_COMMENT = re.compile(r"\([^()]*\)|;.*$")
MOTION, PLANE, UNITS, DISTANCE, FEED_MODE, WAIT, CUTTER, LENGTH, SYSTEM, PATH = range(10)
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
    94: FEED_MODE,
    4: WAIT,
    40: CUTTER,  # these and what follows are the default and change nothing here
    49: LENGTH,
    54: SYSTEM,
    61: PATH,
    64: PATH,
}
INVERSE_TIME = 93  # the F word of each line would be another speed
M_KNOWN = {0, 1, 2, 3, 4, 5, 7, 8, 9, 30}
LETTERS = set("FGIJKMNPRSTXYZ")
MOST_LINES = 9_999_999  # that are numbered: controllers take no higher N word
LINES_A_STEP = 20_000
PIECE = 1_000_000  # characters that are parted into lines at once
MOST_KNOWN = 50_000
MOST_FINDINGS = 500


@dataclass(frozen=True)
class CheckLimits:
    """What the machine and the coupon allow: bed and area as x, y, width, height in mm; speed in
    mm/s; full S word.  The bed begins at (0, 0), or where a file's own zero sees it begin.
    """

    bed_mm: tuple[float, float]
    max_speed_mm_s: float
    power_scale: float
    area_mm: tuple[float, float, float, float] | None = None
    clamps_mm: tuple[tuple[float, float, float, float], ...] = ()
    bed_from_mm: tuple[float, float] = (0.0, 0.0)


@dataclass(frozen=True)
class CheckReport:
    """Findings in file order; `moves` counts the moves that were followed.

    `safe` means that nothing was found.
    """

    findings: tuple[Finding, ...]
    moves: int

    @property
    def safe(self) -> bool:
        return not self.findings


def check_gcode(text: str, limits: CheckLimits) -> CheckReport:
    """Follow a program from its first to its last line and report what is unsafe or not
    understood.
    """
    *_, (_, report) = check_lines(text, limits)
    return report


def check_lines(text: str, limits: CheckLimits) -> Iterator[tuple[float, CheckReport]]:
    """Yield how far the check is, 0 to 1, with the report so far; the last one is whole."""
    return _Interpreter(limits).run(text)


def _lines_of(text: str) -> Iterator[str]:
    """Yield lines as a controller parts them: other signs that part lines elsewhere stay in theirs.
    A piece at a time, for a list of all takes five times the text.
    """
    at, end = 0, 0
    while end >= 0:
        end = text.find("\n", at + PIECE)
        piece = text[at:] if end < 0 else text[at : end + 1]
        at = end + 1
        lines = piece.replace("\r\n", "\n").split("\n")
        yield from lines if end < 0 else lines[:-1]


Place = tuple[float | None, float | None]


@dataclass(slots=True)
class _Words:
    """The words of one line, taken apart: lines that come again (a raster has thousands) are taken
    apart once.
    """

    modes: list[tuple[int, int]]
    m_codes: list[float]
    values: dict[str, float]
    dwells: bool
    moves: bool
    problems: list[tuple[str, str]]
    rounds: bool = False  # corners, within the P word
    demarcates: bool = False  # the whole line is a percent sign
    is_empty: bool = False


class _Interpreter:
    def __init__(self, limits: CheckLimits) -> None:
        self.limits = limits
        self.modal: dict[int, int] = {}
        self.x: float | None = None
        self.y: float | None = None
        self.z: float | None = None
        self.feed = 0.0  # mm/min
        self.feed_unit: int | None = None  # G20 or G21, in which it was stated
        self.power = 0.0
        self.power_stated = False  # else the controller may hold any
        self.beam_on = False
        self.constant = True  # whatever the speed is
        self.moves = 0
        self.ended = False
        self.findings: list[Finding] = []
        self.line = 0
        self.known: dict[str, _Words] = {}
        self.rest_x = self.rest_y = math.inf  # the place that is burnt line by line
        self.in_place = 0
        # motion mode and power of the steps that were in order since something else was said
        self.sound: set[tuple[int, float]] = set()
        (x, y), (width, height) = limits.bed_from_mm, limits.bed_mm
        self.reach = (x - TOLERANCE, y - TOLERANCE, x + width + TOLERANCE, y + height + TOLERANCE)
        self.clamps = [(x, y, x + wide, y + high) for x, y, wide, high in limits.clamps_mm]
        self.room = self.reach
        if limits.area_mm is not None:
            left, low, wide, high = limits.area_mm
            self.room = (
                left - TOLERANCE,
                low - TOLERANCE,
                left + wide + TOLERANCE,
                low + high + TOLERANCE,
            )

    def run(self, text: str) -> Iterator[tuple[float, CheckReport]]:
        count = text.count("\n") + 1
        for self.line, raw in enumerate(_lines_of(text), 1):
            if self.line % LINES_A_STEP == 0:
                yield self.line / count, CheckReport(tuple(self.findings), self.moves)
            step = _STEP.fullmatch(raw)
            if step is None or not self.goes_on(*step.groups()):
                self.read(raw, is_step=step is not None)
            if len(self.findings) >= MOST_FINDINGS:
                text = tr(
                    "More than {most_findings} faults: from line {line} on it was not read.",
                    most_findings=MOST_FINDINGS,
                    line=self.line,
                )
                self.findings.append(Finding("too-many", f"line {self.line}", text))
                break
        if self.beam_on:
            self.report(
                "beam-left-on",
                tr("is the last, and the beam is still switched on: M5 is missing at the end"),
            )
        if not self.ended:
            self.report("no-end", tr("is the last, and the program does not end with M2 or M30"))
        if not self.moves:
            self.report("no-motion", tr("is the last, and nothing moved"))
        yield 1.0, CheckReport(tuple(self.findings), self.moves)

    def read(self, raw: str, *, is_step: bool) -> None:
        """Take a line apart and follow it."""
        words = self.known.get(raw)
        if words is None:
            if len(self.known) > MOST_KNOWN:
                self.known.clear()
            words = self.known[raw] = self.words_of(raw)
        if words.is_empty:
            return
        found = len(self.findings)
        self.block(words)
        in_order = len(self.findings) == found
        if not (is_step and in_order and self.is_straight):
            self.sound.clear()
        elif self.x is not None and self.y is not None:
            self.sound.add((self.modal[MOTION], self.power))

    def goes_on(self, motion: str | None, x: str | None, y: str | None, power: str | None) -> bool:
        """Follow a step that differs by its place alone from one that was in order: nothing else
        can be wrong with it.  False where none was: the line is read as a whole then.
        """
        mode = self.modal.get(MOTION) if motion is None else int(motion)
        level = self.power if power is None else float(power)
        if mode is None or (mode, level) not in self.sound:
            return False
        self.modal[MOTION], self.power = mode, level
        self.power_stated = self.power_stated or power is not None
        x0, y0, scale = self.x, self.y, self.scale
        if x is not None:
            self.x = float(x) * scale
        if y is not None:
            self.y = float(y) * scale
        self.moves += 1
        self.check_place(self.x, self.y)
        self.check_rest(0.0)
        if self.limits.clamps_mm:
            self.check_clamps((x0, y0), (self.x, self.y))
        return True

    def report(self, code: str, text: str) -> None:
        self.findings.append(
            Finding(code, f"line {self.line}", tr("Line {line} {text}.", line=self.line, text=text))
        )

    def words_of(self, raw: str) -> _Words:
        """Return the words of a line with what is wrong with it by itself."""
        problems: list[tuple[str, str]] = []
        if len(raw) >= LONGEST_LINE:
            problems.append(
                (
                    "long-line",
                    tr(
                        "is {raw} characters long; controllers take fewer than {longest_line}",
                        raw=len(raw),
                        longest_line=LONGEST_LINE,
                    ),
                )
            )
        if _AT_ONCE.search(raw):
            problems.append(
                (
                    "acts-at-once",
                    tr("holds a sign on which controllers act at once, wherever it stands"),
                )
            )
        if any(";" in one[0] and one[0][0] == "(" and one[1] for one in _comments_of(raw)):
            problems.append(
                (
                    "half-comment",
                    tr("holds a semicolon in brackets: some controllers read nothing behind it"),
                )
            )
        block = _COMMENT.sub(" ", raw).strip()
        words = _Words([], [], {}, False, False, problems)
        words.demarcates = block == "%"
        words.is_empty = not (block or problems)
        if not block or words.demarcates:
            return words
        if block.startswith("/"):
            problems.append(
                ("skipped-line", tr("begins with a stroke: a switch at the machine may skip it"))
            )
            block = block[1:]
        block = _upper(block)
        if _WORD.sub("", block).strip(" \t"):
            problems.append(
                (
                    "not-understood",
                    tr(
                        "holds something that is not a word of letter and number: “{block}”",
                        block=block[:40],
                    ),
                )
            )
            return words
        for letter, number in _WORD.findall(block):
            self.take(words, letter, number)
        for group, told in (
            (BEAM, tr("switches the beam twice")),
            (STOPS, tr("stops twice")),
            (AIR, tr("switches the air twice")),
        ):
            if sum(code in group for code in words.m_codes) > 1:
                problems.append(("modes-clash", told))
        words.moves = not words.dwells and any(axis in words.values for axis in "XYZ")
        return words

    def take(self, words: _Words, letter: str, number: str) -> None:
        """Take a word of a line."""
        value = float(number)
        whole, _, rest = number.lstrip("+-").partition(".")
        if len(whole) > MOST_DIGITS:
            text = tr("holds a number of more digits than controllers read")
            words.problems.append(("long-number", text))
        is_code = letter in "GM"
        # a part of one is none of ours, also where its many digits round to one that is
        if letter not in LETTERS or (is_code and rest.strip("0") and value.is_integer()):
            text = tr(
                "uses {letter}{number}, which is not in the published set",
                letter=letter,
                number=number,
            )
            words.problems.append(("unknown-word", text))
        elif letter == "M":
            words.m_codes.append(value)
        elif letter == "G":
            self.take_g(words, value)
        elif letter in words.values:
            text = tr("holds the word {letter} twice", letter=letter)
            words.problems.append(("word-twice", text))
        else:
            words.values[letter] = value

    def take_g(self, words: _Words, value: float) -> None:
        if value in G_GROUPS:
            group = G_GROUPS[int(value)]
            if any(group == other for other, _ in words.modes):
                words.problems.append(("modes-clash", tr("names two modes of the same group")))
            words.modes.append((group, int(value)))
            words.dwells = words.dwells or value == 4
            words.rounds = words.rounds or value == 64
        elif value == INVERSE_TIME:
            words.problems.append(
                (
                    "feed-mode",
                    tr("states feeds as inverse time, which is not followed here: use G94"),
                )
            )
        else:
            words.problems.append(
                (
                    "unknown-word",
                    tr(
                        "uses G{value:g}, which is not in the published set or not allowed here",
                        value=value,
                    ),
                )
            )

    def block(self, words: _Words) -> None:
        if self.ended and (words.modes or words.values or words.m_codes):
            self.report("after-end", tr("comes after the end of the program"))
        for code, text in words.problems:
            self.report(code, text)
        if words.demarcates and (self.modal or self.moves) and not self.ended:
            self.report(
                "ends-early", tr("is a percent sign: controllers read no further, whatever is on")
            )
        unit = self.modal.get(UNITS)
        for group, value in words.modes:
            self.modal[group] = value
        self.check_use(words)
        if words.rounds and not 0 <= words.values.get("P", 0) * self.scale <= MOST_ROUNDING_MM:
            self.report(
                "path-left",
                tr("lets the head leave the path by more than {most} mm", most=MOST_ROUNDING_MM),
            )
        if "S" in words.values:
            self.power, self.power_stated = words.values["S"], True
            if self.is_burning and not words.moves:
                self.report(
                    "beam-at-rest", tr("sets the power of a beam that is on at a standstill")
                )
            if not 0 <= self.power <= self.limits.power_scale * (1 + 1e-9):
                self.report(
                    "over-power",
                    (
                        tr(
                            "asks for S{power:g}; this machine takes 0 to {power_scale:g}",
                            power=self.power,
                            power_scale=self.limits.power_scale,
                        )
                    ),
                )
        if "F" in words.values:
            self.feed, self.feed_unit = words.values["F"] * self.scale, self.modal.get(UNITS)
            if unit not in (None, self.feed_unit):
                self.feed_unit = None  # some take F first, others the unit of its line
            if not 0 < self.feed <= 60 * self.limits.max_speed_mm_s * (1 + 1e-6):
                self.report(
                    "over-speed",
                    (
                        tr(
                            "asks for {feed:g} mm/min; this machine takes up to {max_speed_mm_s:g}",
                            feed=self.feed,
                            max_speed_mm_s=60 * self.limits.max_speed_mm_s,
                        )
                    ),
                )
        for code_number in words.m_codes:
            self.take_m(code_number)
        waits = any(code in WAITS for code in words.m_codes)
        if (words.dwells or waits) and self.beam_on and self.power > 0:
            self.report("beam-at-rest", tr("waits with the beam on"))
        if words.moves and not words.dwells:
            self.move(words.values)

    def check_use(self, words: _Words) -> None:
        """Report words that nothing on the line takes: controllers refuse such a line, an M5 on it
        too, or go another way than the one followed here.
        """
        takes = set("FNSXYZ")
        if words.moves and self.modal.get(MOTION) in (2, 3):
            takes |= {"I", "J"}
        if words.dwells:
            takes -= set("XYZ")
        if words.dwells != words.rounds:
            takes.add("P")
        if words.dwells and words.values.get("P", -1.0) < 0:
            self.report("no-time", tr("waits without saying how long: controllers refuse that"))
        for letter in words.values:
            if letter not in takes:
                self.report(
                    "unused-word",
                    tr("holds the word {letter}, which has no place on it", letter=letter),
                )
        number = words.values.get("N", 0)
        if number != int(number) or not 0 <= number <= MOST_LINES:
            self.report("unused-word", tr("has a number that is none of a line"))

    @property
    def is_straight(self) -> bool:
        """Whether moves go straight to the places that lines name."""
        return self.modal.get(DISTANCE) == 90 and self.modal.get(MOTION) in (0, 1)

    @property
    def is_burning(self) -> bool:
        """Whether the beam burns also where the head stands still."""
        return self.beam_on and self.constant and self.power > 0

    def take_m(self, value: float) -> None:
        if value not in M_KNOWN:
            self.report(
                "unknown-word",
                tr(
                    "uses M{value:g}, which is not in the published set or not allowed here",
                    value=value,
                ),
            )
        elif value in (3, 4):
            self.beam_on, self.constant = True, value == 3
            if not self.power_stated:
                self.report(
                    "power-missing",
                    tr(
                        "switches the beam on before any S word: with what was left of another file"
                    ),
                )
            elif not self.moves and self.power > 0:
                self.report("beam-before-motion", tr("switches the beam on before the first move"))
            elif self.power > 0:
                self.report("beam-at-rest", tr("switches the beam on at a standstill"))
        elif value == 5:
            self.beam_on = False
        elif value in (2, 30):
            self.ended = True

    @property
    def scale(self) -> float:
        if self.modal.get(UNITS) == 20:
            return 25.4
        return 1.0

    def move(self, values: dict[str, float]) -> None:
        modal = self.modal
        if UNITS not in modal or DISTANCE not in modal:
            self.report(
                "modes-missing",
                tr("moves before units (G20 or G21) and distance mode (G90 or G91) are stated"),
            )
            modal.setdefault(UNITS, 21)
            modal.setdefault(DISTANCE, 90)
        motion = modal.get(MOTION)
        if motion is None or motion == 80:
            self.report("no-motion-mode", tr("names a place without a motion mode (G0 to G3)"))
            return
        scale, x0, y0 = (25.4 if modal[UNITS] == 20 else 1.0), self.x, self.y
        relative = modal[DISTANCE] == 91
        if "X" in values:
            self.x = self.gone("X", x0, values["X"] * scale, relative=relative)
        if "Y" in values:
            self.y = self.gone("Y", y0, values["Y"] * scale, relative=relative)
        if "Z" in values:
            self.z = self.gone("Z", self.z, values["Z"] * scale, relative=relative)
            if abs(self.z) > FARTHEST_FOCUS_MM:
                self.report(
                    "focus-far",
                    tr(
                        "moves Z to {z:g} mm; the focus is set within {most:g} mm of the face",
                        z=self.z,
                        most=FARTHEST_FOCUS_MM,
                    ),
                )
        self.moves += 1
        if motion == 0:
            if self.beam_on and self.power > 0:
                self.report(
                    "beam-in-rapid",
                    tr("moves in rapid with the beam on (S{power:g})", power=self.power),
                )
        else:
            self.check_feed(values, x0, y0)
        around_mm = 0.0
        if motion in (2, 3):
            around_mm = self.check_arc(values, {"X": x0, "Y": y0}, clockwise=motion == 2)
        self.check_place(self.x, self.y)
        self.check_rest(around_mm)
        if motion in (0, 1) and self.limits.clamps_mm:
            self.check_clamps((x0, y0), (self.x, self.y))

    def check_feed(self, values: dict[str, float], x0: float | None, y0: float | None) -> None:
        if self.feed <= 0:
            self.report("no-feed", tr("feeds before any F word"))
        burns = self.beam_on and self.power > 0
        if burns and self.feed_unit != self.modal[UNITS]:
            self.report(
                "feed-unit",
                tr("burns by an F word of another unit: controllers disagree on how fast that is"),
            )
        if burns and (x0 is None or y0 is None):
            self.report("lost-place", tr("burns from a place that is not known"))
        if burns and 0 < self.feed < 60 * SLOWEST_MM_S:
            self.report(
                "beam-at-rest", tr("creeps at {feed:g} mm/min with the beam on", feed=self.feed)
            )
        if self.is_burning and not ("X" in values or "Y" in values):
            self.report("beam-at-rest", tr("moves Z alone with the beam on"))

    def check_rest(self, around_mm: float) -> None:
        """Count the lines that burn on one place; an arc leaves it by how far around it goes."""
        x, y = self.x, self.y
        if x is None or y is None:
            return
        leaves_x = not -SAME_PLACE_MM <= x - self.rest_x <= SAME_PLACE_MM
        if leaves_x or abs(y - self.rest_y) > SAME_PLACE_MM or around_mm > SAME_PLACE_MM:
            self.rest_x, self.rest_y, self.in_place = x, y, 0
        elif self.beam_on and self.power > 0:
            self.in_place += 1
            if self.in_place == MOST_IN_PLACE:
                self.report(
                    "beam-at-rest",
                    tr("is the {count}th that burns on one place", count=MOST_IN_PLACE),
                )

    def gone(self, axis: str, before: float | None, step: float, *, relative: bool) -> float:
        if not relative:
            return step
        if before is None:
            self.report(
                "lost-place",
                tr("moves {axis} by a distance from a place that is not known", axis=axis),
            )
            return step
        return before + step

    def check_place(self, x: float | None, y: float | None) -> None:
        if x is not None and y is not None:
            room, bed = self.room, self.reach
            if (
                room[0] <= x <= room[2]
                and room[1] <= y <= room[3]
                and bed[0] <= x <= bed[2]
                and bed[1] <= y <= bed[3]
            ):
                return
        for n, (axis, value) in enumerate((("X", x), ("Y", y))):
            first, size = self.limits.bed_from_mm[n], self.limits.bed_mm[n]
            if value is not None and not self.reach[n] <= value <= self.reach[n + 2]:
                self.report(
                    "off-bed",
                    tr(
                        "goes to {axis} {value:g} mm; the bed reaches from {first:g} to "
                        "{first2:g} mm",
                        axis=axis,
                        value=value,
                        first=first,
                        first2=first + size,
                    ),
                )
                return
        if self.limits.area_mm is None or x is None or y is None:
            return
        left, low, wide, high = self.limits.area_mm
        if not (
            left - TOLERANCE <= x <= left + wide + TOLERANCE
            and low - TOLERANCE <= y <= low + high + TOLERANCE
        ):
            self.report(
                "off-coupon",
                (
                    tr(
                        "goes to {x:g}, {y:g} mm, outside the coupon ({left:g}, {low:g}, "
                        "{wide:g} by {high:g} mm)",
                        x=x,
                        y=y,
                        left=left,
                        low=low,
                        wide=wide,
                        high=high,
                    )
                ),
            )

    def check_arc(
        self, values: dict[str, float], start: dict[str, float | None], *, clockwise: bool
    ) -> float:
        """Follow an arc; return how far from its start it goes, mm."""
        x0, y0, x1, y1 = start["X"], start["Y"], self.x, self.y
        if self.modal.get(PLANE, 17) != 17:
            self.report("arc-not-followed", tr("is an arc that stands upright: use G17"))
            return 0.0
        if (
            x0 is None
            or y0 is None
            or x1 is None
            or y1 is None
            or not ("I" in values or "J" in values)
        ):
            self.report(
                "arc-not-followed",
                tr("is an arc that cannot be followed: a known start and I, J are needed"),
            )
            return 0.0
        cx, cy = x0 + values.get("I", 0.0) * self.scale, y0 + values.get("J", 0.0) * self.scale
        radius = math.hypot(x0 - cx, y0 - cy)
        ends_mm = max(0.01, min(0.001 * radius, FARTHEST_ENDS_MM))
        if abs(math.hypot(x1 - cx, y1 - cy) - radius) > ends_mm:
            self.report(
                "arc-not-followed", tr("is an arc whose ends are not equally far from its centre")
            )
        first, last = math.atan2(y0 - cy, x0 - cx), math.atan2(y1 - cy, x1 - cx)
        turn = (first - last if clockwise else last - first) % (2 * math.pi)
        between_mm = min(math.hypot(x1 - x0, y1 - y0), turn * radius)  # the ends, or their angles
        if between_mm < TOLERANCE or turn < LEAST_TURN:
            turn = 2 * math.pi  # what rounding leaves between them says nothing
        for quarter in range(4):
            angle = quarter * math.pi / 2
            passed = (first - angle if clockwise else angle - first) % (2 * math.pi)
            if passed <= turn:
                self.check_place(cx + radius * math.cos(angle), cy + radius * math.sin(angle))
        if self.limits.clamps_mm:
            count = math.ceil(turn / ARC_STEP)
            step = turn / count * (-1 if clockwise else 1)
            along = [first + n * step for n in range(count + 1)]
            places = [(cx + radius * math.cos(a), cy + radius * math.sin(a)) for a in along]
            for here, there in itertools.pairwise(places):
                self.check_clamps(here, there)
        return 2 * radius * math.sin(min(turn, math.pi) / 2)

    def check_clamps(self, start: Place, end: Place) -> None:
        (x0, y0), (x1, y1) = start, end
        if x0 is None or y0 is None or x1 is None or y1 is None:
            return
        first_x, last_x = (x0, x1) if x0 < x1 else (x1, x0)
        first_y, last_y = (y0, y1) if y0 < y1 else (y1, y0)
        for left, low, right, high in self.clamps:
            if last_x < left or right < first_x or last_y < low or high < first_y:
                continue  # beside it altogether, as nearly all are
            if _crosses((x0, y0), (x1, y1), (left, low, right, high)):
                self.report(
                    "in-clamp",
                    tr("passes over the clamp at {left:g}, {low:g} mm", left=left, low=low),
                )


def _comments_of(raw: str) -> Iterator[tuple[str, str]]:
    """Yield each comment of a line with the words behind it."""
    for found in _COMMENT.finditer(raw):
        yield found.group(), _COMMENT.sub("", raw[found.end() :]).strip()


def _upper(block: str) -> str:
    """The line in capitals; letters of other scripts stay what they are."""
    if block.isascii():
        return block.upper()
    return block


def _crosses(
    start: tuple[float, float], end: tuple[float, float], box: tuple[float, float, float, float]
) -> bool:
    """True when the segment meets the box (clipping of a segment against two pairs of edges)."""
    enter, leave = 0.0, 1.0
    for p0, p1, low, high in (
        (start[0], end[0], box[0], box[2]),
        (start[1], end[1], box[1], box[3]),
    ):
        step = p1 - p0
        if step == 0:
            if not low < p0 < high:
                return False
            continue
        near, far = sorted(((low - p0) / step, (high - p0) / step))
        enter, leave = max(enter, near), min(leave, far)
    return enter < leave
