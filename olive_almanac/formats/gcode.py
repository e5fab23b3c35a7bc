"""Write a trial as G-code (RS-274/NGC words; M3/M4/M5 and S carry the beam) for machines that take it.

The beam is off in every rapid and at every standstill: S rises only on the line that moves.  `gcode_check` reads the
result back with code of its own.
"""

from __future__ import annotations

import math
from collections.abc import Iterator

from olive_almanac.core.motion.profile import overscan_length
from olive_almanac.core.placing.corner import corner_lines, corner_setting
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.trial import Cell, Place, Trial
from olive_almanac.core.units import number_text, percent_text

__all__ = ["write_gcode"]

AIRS = ("off", "low", "full")


def write_gcode(trial: Trial) -> str:
    """Return the program for one coupon, lines under 80 characters, ASCII."""
    return "\n".join(_lines(trial)) + "\n"


def _lines(trial: Trial) -> Iterator[str]:
    yield _comment(f"Olive Almanac, {trial.name}, trial {trial.id}")
    yield _comment(f"{trial.machine.name}, {trial.stock.label}, {trial.task}")
    yield _comment("Never leave the machine while it burns. Eyewear, exhaust, air.")
    yield f"G17 {'G21' if trial.machine.file_units == 'mm' else 'G20'} G90 G94"
    yield "M5 S0"
    yield from trial.machine.header
    writer = _Writer(trial)
    yield from writer.corner()
    for cell in trial.in_order:
        yield from writer.cell(cell)
    yield "M5 S0"
    yield trial.machine.air_words[0]
    yield from trial.machine.footer
    yield f"G0 {writer.at(0, 0)}"
    yield "M2"


class _Writer:
    def __init__(self, trial: Trial) -> None:
        self.trial = trial
        self.origin = trial.on_sheet or Place(0.0, 0.0)
        self.focus_moves = len({cell.setting.focus_mm for cell in trial.cells}) > 1
        self.rest_s = trial.notes.partition("rest ")[2].partition(" s")[0]

    def at(self, x: float, y: float) -> str:
        return f"X{self.length(self.origin.x_mm + x)} Y{self.length(self.origin.y_mm + y)}"

    def length(self, mm: float) -> str:
        return _number(mm) if self.trial.machine.file_units == "mm" else _number(mm / 25.4, 5)

    def corner(self) -> Iterator[str]:
        setting = corner_setting(self.trial)
        yield _comment("corner mark: the lower left of the coupon")
        yield self.trial.machine.air_words[AIRS.index(setting.air)]
        first, second = corner_lines()
        yield from self._path([first[0], first[1], second[1]], setting, passes=1)

    def cell(self, cell: Cell) -> Iterator[str]:
        setting = cell.setting
        yield _comment(f"cell {cell.id}: {_said(setting)}")
        yield self.trial.machine.air_words[AIRS.index(setting.air)]
        if self.focus_moves:
            yield f"G0 Z{self.length(-setting.focus_mm)}"  # Z up; the focus below the face is a lowered head
        x, y, w, h = cell.rect_mm
        if cell.mark == "outline":
            ring = [(x, y), (x + w, y), (x + w, y + h), (x, y + h), (x, y)]
            yield from self._path(ring, setting, setting.passes)
        else:
            for _ in range(setting.passes):
                yield from self._raster(x, y, w, h, setting)
        if self.rest_s and cell.order < len(self.trial.cells):
            yield f"G4 P{_number(float(self.rest_s))}"

    def _beam(self, setting: Setting) -> tuple[str, str]:
        on = "M3" if setting.beam == "constant" else "M4"
        return on, f"S{_number(setting.power * self.trial.machine.power_scale)}"

    def _path(self, points: list[tuple[float, float]], setting: Setting, passes: int) -> Iterator[str]:
        on, power = self._beam(setting)
        yield f"G0 {self.at(*points[0])}"
        yield f"{on} S0"
        yield f"F{self.length(60 * setting.speed_mm_s)}"
        for number in range(passes):
            if number and points[0] != points[-1]:
                yield f"G1 {self.at(*points[0])} S0"
            for point in points[1:]:
                yield f"G1 {self.at(*point)} {power}"
        yield "M5 S0"

    def _raster(self, x: float, y: float, w: float, h: float, setting: Setting) -> Iterator[str]:
        on, power = self._beam(setting)
        run_up = overscan_length(setting.speed_mm_s, self.trial.machine.acceleration_mm_s2)
        lines = math.floor(h / setting.pitch_mm + 1e-9) + 1
        yield f"G0 {self.at(x - run_up, y)}"
        yield f"{on} S0"
        yield f"F{self.length(60 * setting.speed_mm_s)}"
        for i in range(lines):
            line_y = y + i * setting.pitch_mm
            ends = (x, x + w) if i % 2 == 0 else (x + w, x)
            outside = run_up if i % 2 == 0 else -run_up
            yield f"G1 {self.at(ends[0] - outside, line_y)} S0"
            yield f"G1 {self.at(ends[0], line_y)} S0"
            yield f"G1 {self.at(ends[1], line_y)} {power}"
            yield f"G1 {self.at(ends[1] + outside, line_y)} S0"
        yield "M5 S0"


def _said(setting: Setting) -> str:
    words = f"{percent_text(setting.power)} %, {number_text(setting.speed_mm_s)} mm/s, {setting.passes} passes"
    return words + (f", pitch {number_text(setting.pitch_mm)} mm" if setting.pitch_mm else "")


def _comment(text: str) -> str:
    plain = text.translate({ord("("): "[", ord(")"): "]", ord("−"): "-", ord("×"): "x", ord("₂"): "2"})
    return f"({plain.encode('ascii', 'replace').decode()[:76]})"


def _number(value: float, decimals: int = 3) -> str:
    text = f"{value:.{decimals}f}".rstrip("0").rstrip(".")
    return "0" if text == "-0" else text
