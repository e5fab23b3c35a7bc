"""A picture engraved in greys: through the measured tone curve, so that its steps of lightness come
out even.

The picture's own range is laid over the stock's, in L*; each line is burnt at a power that changes
along it.  docs/methods.md, section Jobs.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.fitting.dot_table import DotTable, plain_share
from olive_almanac.core.fitting.tone_table import ToneTable
from olive_almanac.core.light import lightness
from olive_almanac.core.motion.program import Lines
from olive_almanac.core.placing.dots import burnt_runs, diffused
from olive_almanac.core.placing.strokes import run_up_of
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.words import tr

__all__ = ["Shading", "picture_setting", "shaded"]

Floats = NDArray[np.float64]
Box = tuple[float, float, float, float]
LEVELS = 48  # of power: about 1 L* each
TAIL = 0.5  # percent of a picture's pixels that may lie beyond its range at either end
MOST_DOTS = 6_000_000
BARE_SHARE = 0.004  # of the greatest power: less leaves no mark and is not burnt


@dataclass(frozen=True, eq=False)
class Shading:
    """A picture as it is burnt: its lines, where it lies, the L* of each dot (rows from below) in
    the file, wanted on the stock and expected there, and how far off it would come out in the mean,
    with the curve and without, L*.
    """

    group: str
    steps: tuple[Lines, ...]
    box_mm: Box
    own_l: Floats
    wanted_l: Floats
    made_l: Floats
    off_l: float
    plain_off_l: float

    @property
    def says(self) -> str:
        """What the measured curve does for the picture, in words."""
        low, high = float(self.wanted_l.min()), float(self.wanted_l.max())
        return tr(
            "The picture spans L* {low:.0f} to {high:.0f}, {off_l:.1f} L* off in the "
            "mean; without the measured curve {plain_off_l:.1f}.",
            low=low,
            high=high,
            off_l=self.off_l,
            plain_off_l=self.plain_off_l,
        )


def picture_setting(table: ToneTable | DotTable) -> Setting:
    """Return what is set for a picture: the strip's speed and pitch, the most power it uses."""
    if isinstance(table, DotTable):
        return table.setting
    return replace(table.setting, power=float(np.max(table.power)))


def shaded(
    luminance: NDArray[np.float32],
    box_mm: Box,
    table: ToneTable | DotTable,
    machine: Machine,
    group: str,
) -> Shading:
    """Return a picture [rows from above, columns] of linear luminance, 0 to 1, as it is burnt: by
    the power along each line, or in dots, as the table says.

    Raises OutOfRange where it has too many dots.
    """
    import cv2

    setting = picture_setting(table)
    pitch = setting.pitch_mm
    left, low, right, high = box_mm
    columns, rows = max(1, round((right - left) / pitch)), max(1, round((high - low) / pitch))
    if columns * rows > MOST_DOTS:
        raise OutOfRange(
            tr("Dots of the picture"),
            columns * rows,
            tr("at most {most_dots:,}: make it smaller", most_dots=MOST_DOTS),
        )
    area_mean = cv2.resize(luminance, (columns, rows), interpolation=cv2.INTER_AREA)
    own = lightness(np.clip(area_mean, 0, 1))[::-1]
    dark, light = np.percentile(own, [TAIL, 100 - TAIL])
    share = np.clip((own - dark) / max(light - dark, 1e-6), 0, 1)
    ends = sorted((float(table.lightness[0]), float(table.lightness[-1])))
    wanted = ends[0] + share * (ends[1] - ends[0])
    if isinstance(table, DotTable):
        return _in_dots(own, wanted, box_mm, table, machine, group)
    power = _power_for(wanted, table)
    made = table.curve.lightness(power.ravel()).reshape(power.shape)
    off = float(np.abs(made - wanted).mean()) + table.off_l / 2
    plain = table.curve.lightness((setting.power * _strength(wanted, table)).ravel())
    plain_off = float(np.abs(plain.reshape(power.shape) - wanted).mean())
    steps = tuple(
        _lines(power, box_mm, setting, machine, group, along_y=way) for way in setting.raster_ways
    )
    return Shading(group, steps, box_mm, own, wanted, made, off, plain_off)


def _in_dots(
    own: Floats, wanted: Floats, box_mm: Box, table: DotTable, machine: Machine, group: str
) -> Shading:
    """A picture in dots: their share near each place is what the strip says for its tone."""
    strength = _strength(wanted, table)
    greys = np.linspace(0, 1, len(table.share))
    share = np.interp(strength, greys, table.share)
    dots = diffused(share)
    mean = table.lightness_at(share)
    unsure = table.off_l / 2  # of the curve, with it or without
    off = float(np.abs(mean - wanted).mean()) + unsure
    plain = table.lightness_at(plain_share(wanted, table.bare_l, table.solid_l))
    plain_off = float(np.abs(plain - wanted).mean()) + unsure
    left, _, right, _ = box_mm
    rows = burnt_runs(dots, box_mm)
    lines = Lines(group, rows, left, right, table.setting, run_up_of(table.setting, machine))
    made = np.where(dots, table.solid_l, table.bare_l)
    return Shading(group, (lines,), box_mm, own, wanted, made, off, plain_off)


def _strength(wanted: Floats, table: ToneTable | DotTable) -> Floats:
    """How far along from bare stock to the strongest tone, 0 to 1."""
    first, last = float(table.lightness[0]), float(table.lightness[-1])
    return np.asarray(np.clip((wanted - first) / (last - first), 0, 1))


def _power_for(wanted: Floats, table: ToneTable) -> Floats:
    """The power of each dot, in so many levels that a step is not seen."""
    strength = _strength(wanted, table)
    greys = np.arange(len(table.power)) / (len(table.power) - 1)
    level = np.round(strength * (LEVELS - 1)) / (LEVELS - 1)
    return np.asarray(np.interp(level, greys, table.power))


def _lines(
    power: Floats, box_mm: Box, setting: Setting, machine: Machine, group: str, *, along_y: bool
) -> Lines:
    """The runs of equal power of each line."""
    left, low, right, high = box_mm
    if along_y:
        power, left, low, right, high = power.T, low, left, high, right
    rows, columns = power.shape
    step, pitch = (right - left) / columns, (high - low) / rows
    bare = BARE_SHARE * setting.power
    found, powers = [], []
    for n, row in enumerate(power):
        edges = np.flatnonzero(np.diff(row)) + 1
        first, last = np.r_[0, edges], np.r_[edges, columns]
        burnt = row[first] > bare
        spans = np.round(left + step * np.column_stack([first, last])[burnt], 3).tolist()
        found.append((round(low + (n + 0.5) * pitch, 4), tuple((a, b) for a, b in spans)))
        powers.append(tuple(np.round(row[first][burnt], 4).tolist()))
    run_up = run_up_of(setting, machine)
    return Lines(group, tuple(found), left, right, setting, run_up, tuple(powers), along_y)
