"""Write a trial as G-code (RS-274/NGC words; M3/M4/M5 and S carry the beam) for machines that take
it.

The beam is off in every rapid and at every standstill: S rises only on the line that moves.
`gcode_check` reads the result back with code of its own.  A raster repeats a few words thousands of
times, so its lines are joined from ready-made pieces.
"""

from __future__ import annotations

import functools
import re
import textwrap
from collections.abc import Iterable, Iterator

from olive_almanac.core.motion.program import (
    Burn,
    Ground,
    Lines,
    Raster,
    Rest,
    Strokes,
    ground_of,
    led,
    program_of,
)
from olive_almanac.core.placing.labels import Lettering
from olive_almanac.core.records.factors import further_words
from olive_almanac.core.records.setting import AIRS, Setting
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.units import number_text, passes_text, percent_text

__all__ = ["GcodeWriter", "gcode_blocks", "gcode_parts", "setting_comment", "write_gcode"]

Point = tuple[float, float]


_PLAINER = str.maketrans({"(": "[", ")": "]", "−": "-", "×": "x", "₂": "2", "’": "'"})
LONGEST_COMMENT = 76  # controllers take lines of 80
_NOT_PLAIN = re.compile(r"[^A-Za-z0-9 .,:;%/+=#&'\"_\[\]-]")


def write_gcode(trial: Trial, lettering: Lettering | None = None) -> str:
    """Return the program for one coupon, lines under 80 characters, ASCII."""
    return b"".join(gcode_blocks(trial, lettering)).decode("ascii")


def gcode_blocks(trial: Trial, lettering: Lettering | None = None) -> Iterator[bytes]:
    """Yield the same program piece by piece, a cell or less at a time, for files that are large."""
    for _, block in gcode_parts(trial, lettering):
        yield block


def gcode_parts(trial: Trial, lettering: Lettering | None = None) -> Iterator[tuple[str, bytes]]:
    """Yield the program piece by piece, each with the id of the cell it burns ("" for marks, rests,
    head and foot).
    """
    ground = ground_of(trial)
    writer = GcodeWriter(ground)
    yield (
        "",
        writer.begin(
            f"Olive Almanac, {trial.name}, trial {trial.id}",
            f"{trial.machine.name}, {trial.stock.label}, {trial.task}",
        ),
    )
    named = ""
    for step, cell in program_of(trial, lettering):
        if isinstance(step, Rest):
            yield "", _block([f"G4 P{_number(step.seconds)}"])
            continue
        name = ""
        if step.name != named:
            name = f"cell {cell.id}: {setting_comment(cell.setting)}" if cell else step.name
            named = step.name
        yield (cell.id if cell else ""), writer.burn(step, name)
    yield "", writer.end()


def _block(lines: list[str]) -> bytes:
    return ("\n".join(lines) + "\n").encode("ascii", "replace")


class GcodeWriter:
    """Keeps what the controller has been told: place, focus, air."""

    def __init__(self, ground: Ground) -> None:
        self.ground, self.machine = ground, ground.machine
        if ground.machine.file_units == "mm":
            self.decimals, self.scale = (3, 1.0)
        else:
            self.decimals, self.scale = (5, 1 / 25.4)
        self.head: Point = ground.home
        self.focus: float | None = None
        self.air = ""

    # -- words -------------------------------------------------------------------------------------

    def at(self, point: Point) -> str:
        return self.places([point])[0]

    def places(self, points: Iterable[Point]) -> list[str]:
        """The words of each point, made in one go: a long program has a million."""
        number, scale = f"{{:z.{self.decimals}f}}".format, self.scale
        return [
            f"X{number(x * scale).rstrip('0').rstrip('.')}"
            f" Y{number(y * scale).rstrip('0').rstrip('.')}"
            for x, y in map(self.ground.on_bed, points)
        ]

    def length(self, mm: float) -> str:
        return _number(mm * self.scale, self.decimals)

    def feed(self, speed_mm_s: float) -> str:
        return f"F{self.length(60 * speed_mm_s)}"

    def rapid(self, point: Point) -> str:
        return f"G0 {self.at(point)}"

    # -- head and foot -----------------------------------------------------------------------------

    def begin(self, *words: str) -> bytes:
        """The lines before the first burn, with what the file is about as comments."""
        return _block(
            [
                *map(_comment, words),
                _comment("Never leave the machine while it burns. Eyewear, exhaust, air."),
                f"G17 {'G21' if self.machine.file_units == 'mm' else 'G20'} G90 G94",
                "M5 S0",
                *self.machine.header,
            ]
        )

    def end(self) -> bytes:
        """The lines behind the last burn: the beam off, the air off, and home."""
        home = [self.rapid(corner) for corner in self.ground.way_home(self.head)]
        words = ["M5 S0", self.machine.air_words[0], *self.machine.footer, *home, "M2"]
        return _block(words)

    # -- steps -------------------------------------------------------------------------------------

    def burn(self, step: Burn, name: str) -> bytes:
        """The lines of one step with all its passes, a name told in comments before them."""
        setting, head = step.setting, [_comments(name)] if name else []
        if setting.air != self.air:
            head.append(self.machine.air_words[AIRS.index(setting.air)])
            self.air = setting.air
        split = not isinstance(step, Strokes) or bool(setting.focus_step_mm)
        start, parts = step.start, []
        for number in range(setting.passes if split else 1):
            if number == 0:
                way = self.ground.travel(self.head, start)
            else:
                way = (start,)
            head += [self.rapid(corner) for corner in way]
            parts.append(_block([*head, *self._focused(setting, number), *self._beam_on(setting)]))
            if isinstance(step, Strokes):
                parts.append(self._strokes(step, 1 if split else setting.passes))
            elif isinstance(step, Raster):
                parts += self._raster(step)
            else:
                parts.append(self._lines(step))
            parts.append(b"M5 S0\n")
            head = []
        self.head = step.end
        return b"".join(parts)

    def _focused(self, setting: Setting, number: int) -> list[str]:
        wanted = setting.focus_mm + number * setting.focus_step_mm
        if not self.ground.moves_focus or wanted == self.focus:
            return []
        self.focus = wanted
        speed = min(self.machine.focus_speed_mm_s, self.machine.max_speed_mm_s)
        return [
            f"G1 Z{self.length(-wanted)} {self.feed(speed)}"
        ]  # Z up: a focus below the face is a lowered head

    def _beam_on(self, setting: Setting) -> list[str]:
        return [f"{'M3' if setting.beam == 'constant' else 'M4'} S0", self.feed(setting.speed_mm_s)]

    def _power(self, setting: Setting) -> str:
        return f"S{_number(setting.power * self.machine.power_scale)}"

    def _strokes(self, step: Strokes, passes: int) -> bytes:
        power, (dx, dy) = self._power(step.setting), step.at_mm
        ways = [
            self.places((x + dx, y + dy) for x, y in led(path, step.run_up_mm))
            for path in step.paths
        ]
        lines: list[str] = []
        for number in range(passes):
            for n, way in enumerate(ways):
                if n or (number and step.start != step.end):
                    lines.append(f"G0 {way[0]} S0")
                burnt = way[1:]
                if step.run_up_mm:
                    lines.append(f"G1 {way[1]} S0")
                    burnt = way[2:-1]
                lines += [f"G1 {place} {power}" for place in burnt]
                if step.run_up_mm:
                    lines.append(f"G1 {way[-1]} S0")
        return _block(lines)

    def _raster(self, step: Raster) -> list[bytes]:
        x, y, w, h = step.rect_mm
        if step.along_y:
            along, across, low, high, base = (
                "Y",
                "X",
                self.ground.origin_mm[1] + y,
                self.ground.origin_mm[1] + y + h,
                self.ground.origin_mm[0] + x,
            )
        else:
            along, across, low, high, base = (
                "X",
                "Y",
                self.ground.origin_mm[0] + x,
                self.ground.origin_mm[0] + x + w,
                self.ground.origin_mm[1] + y,
            )
        power, run_up = self._power(step.setting), step.run_up_mm
        outer, inner, far, beyond = (
            self.length(v) for v in (low - run_up, low, high, high + run_up)
        )
        count = step.lines
        places = _places(base, step.setting.pitch_mm, count, self.scale, self.decimals)

        def line(start: str, first: str, last: str, end: str) -> tuple[str, str]:
            return (
                f"G1 {along}{start} {across}",
                f" S0\nG1 {along}{first} S0\nG1 {along}{last} {power}\nG1 {along}{end} S0\n",
            )

        there, back = line(outer, inner, far, beyond), line(beyond, far, inner, outer)
        parts: list[bytes] = [b""] * (2 * count + 1)
        parts[1::2] = places
        parts[0] = there[0].encode()
        parts[2::4] = [(there[1] + back[0]).encode()] * ((count + 1) // 2)
        parts[4::4] = [(back[1] + there[0]).encode()] * (count // 2)
        parts[-1] = (there if count % 2 else back)[1].encode()
        return parts

    def _lines(self, step: Lines) -> bytes:
        plain = self._power(step.setting)
        points: list[Point] = []
        said: list[str] = []  # the power with which each is gone to
        first, last = step.from_mm - step.run_up_mm, step.to_mm + step.run_up_mm
        for i, (across, runs) in enumerate(step.rows):
            powers = [plain] * len(runs)
            if step.powers:
                powers = [f"S{_number(p * self.machine.power_scale)}" for p in step.powers[i]]
            start, end = first, last
            parts = [(a, b, power) for (a, b), power in zip(runs, powers, strict=True)]
            if i % 2:
                start, end = last, first
                parts = [(b, a, power) for a, b, power in reversed(parts)]
            way = [(start, "S0")]
            for a, b, power in parts:
                if a != way[-1][0]:
                    way.append((a, "S0"))
                way.append((b, power))
            way.append((end, "S0"))
            points += [step.place(along, across) for along, _ in way]
            said += [power for _, power in way]
        lines = [f"G1 {at} {power}" for at, power in zip(self.places(points), said, strict=True)]
        return _block(lines)


@functools.lru_cache(maxsize=512)
def _places(
    base_mm: float, pitch_mm: float, count: int, scale: float, decimals: int
) -> tuple[bytes, ...]:
    """The words of `count` raster lines from `base_mm` on; the cells of one row share them."""
    return tuple(_number((base_mm + i * pitch_mm) * scale, decimals).encode() for i in range(count))


def setting_comment(setting: Setting) -> str:
    """Return all that a setting sets, as a comment tells it."""
    words = (
        f"{percent_text(setting.power)} %, {number_text(setting.speed_mm_s)} mm/s, "
        f"{passes_text(setting.passes)}"
    )
    if setting.pitch_mm:
        words += f", pitch {number_text(setting.pitch_mm)} mm"
    if setting.focus_mm:
        words += f", focus {number_text(setting.focus_mm)} mm"
    return ", ".join((words, *further_words(setting)))


def _comments(text: str) -> str:
    """A text as comment lines, as many as it needs: what is set must be told whole."""
    if len(text) <= LONGEST_COMMENT:  # wrapping is slow, and there are thousands
        return _comment(text)
    return "\n".join(map(_comment, textwrap.wrap(text, LONGEST_COMMENT)))


def _comment(text: str) -> str:
    """A comment of plain letters, figures and few signs: some controllers act on other signs at
    once, wherever they stand.
    """
    return f"({_NOT_PLAIN.sub('_', text.translate(_PLAINER))[:LONGEST_COMMENT]})"


@functools.lru_cache(maxsize=65536)
def _number(value: float, decimals: int = 3) -> str:
    return f"{value:z.{decimals}f}".rstrip("0").rstrip(".")
