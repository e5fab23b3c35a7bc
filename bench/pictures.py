"""Jobs: how true a picture comes out through the measured tone curve, and how much that saves.

The truth is of this file: two parts that fill up, of another form than the fit's, with 3 % noise of
power; the curve is known from twelve steps read to 1.5 L*.  In dots the beam's spot, of three
widths against the pitch, spreads the dose of each dot, the stock fills up with it, and light comes
back from every place; twelve patches are read to 1.0 L*, pictures looked at in fields of 6 x 6
dots.  Run alone: python -m bench.pictures
"""

import sys

import numpy as np
from scipy.ndimage import gaussian_filter

from olive_almanac.core.design.kinds.dots import SHARES
from olive_almanac.core.fitting.dot_table import dot_table, plain_share
from olive_almanac.core.fitting.tone_table import tone_table
from olive_almanac.core.light import lightness, luminance
from olive_almanac.core.placing.dots import diffused, flat_dots
from olive_almanac.core.quoting.shades import shaded
from olive_almanac.core.records.setting import Setting
from olive_almanac.demo.shop import MACHINES

SPOTS_OF_PITCH = (1.0, 1.6, 2.2)
PICTURES, STEPS = 8, 12
READ_SD_L, NOISE = 1.5, 0.03
SIDE_MM = (40.0, 30.0)
SETTING = Setting(0.6, 150.0, pitch_mm=0.1)
rng = np.random.default_rng


def tone(power, world):
    """L* that a power leaves: two parts that fill up, of a strength of this world's own."""
    most, share = world
    dose = most * np.asarray(power, float) / SETTING.power
    first = 2 / np.pi * np.arctan(1.3 * (dose / 0.4) ** 1.6)
    second = dose**2 / (dose**2 + 0.64)
    return 80 - 56 * (share * first + (1 - share) * second)


def picture(seed):
    """A made-up picture: waves and a ramp, linear luminance."""
    n = 300
    x, y = np.meshgrid(np.linspace(0, 1, n), np.linspace(0, 1, n))
    draw = rng(seed).uniform(2, 6, 4)
    wave = np.sin(draw[0] * x + draw[1] * y) * np.cos(draw[2] * y - draw[3] * x)
    return np.clip(0.5 + 0.45 * wave, 0, 1).astype(np.float32) ** 2.2


def _burnt(lines, columns, world, draw):
    """L* of each dot as the file burns it: power by the runs of each line, with noise."""
    step = (lines.to_mm - lines.from_mm) / columns
    rows = []
    for (_, runs), powers in zip(lines.rows, lines.powers, strict=True):
        row = np.zeros(columns)
        for (a, b), power in zip(runs, powers, strict=True):
            first, last = round((a - lines.from_mm) / step), round((b - lines.from_mm) / step)
            row[first:last] = power
        rows.append(row)
    power = np.array(rows)
    return tone(power * np.exp(NOISE * draw.standard_normal(power.shape)), world)


def measure():
    errors, plain = [], []
    for seed in range(PICTURES):
        draw = rng([9, seed])
        world = (draw.uniform(1.2, 1.8), draw.uniform(0.35, 0.55))
        steps = np.linspace(0, SETTING.power, STEPS)
        seen = tone(steps, world) + READ_SD_L * draw.standard_normal(STEPS)
        table = tone_table(steps.tolist(), seen.tolist(), SETTING)
        made = shaded(picture(seed), (0.0, 0.0, *SIDE_MM), table, MACHINES[1], "picture")
        wanted = made.wanted_l
        burnt = _burnt(made.steps[0], wanted.shape[1], world, draw)
        errors.append(np.abs(burnt - wanted).mean())
        first, last = table.lightness[0], table.lightness[-1]
        even = SETTING.power * np.clip((wanted - first) / (last - first), 0, 1)
        noise = np.exp(NOISE * draw.standard_normal(even.shape))
        plain.append(np.abs(tone(even * noise, world) - wanted).mean())
    error = float(np.mean(errors))
    yield "a picture through its tone curve, mean error, L*", error, 1.5
    yield "four times that over the error without the curve", 4 * error / float(np.mean(plain)), 1.0
    every = [_one_in_dots(seed, spot) for seed in range(PICTURES) for spot in SPOTS_OF_PITCH]
    error, without = np.mean(every, axis=0)
    yield "a picture in dots, mean error, L*", float(error), 1.5
    yield "four times that over the error without the strip", 4 * float(error / without), 1.0


def _dots_truth(dots, spot_of_pitch, fills_up, ends):
    """Linear luminance of each dot [rows, columns] of a pattern."""
    fine = 4
    dose = gaussian_filter(
        np.kron(dots.astype(float), np.ones((fine, fine))), spot_of_pitch / 4 * fine, mode="nearest"
    )
    grown = (1 - np.exp(-((dose / fills_up) ** 1.5))) / (1 - np.exp(-((1 / fills_up) ** 1.5)))
    light = luminance(ends[0] + (ends[1] - ends[0]) * grown)
    rows, columns = dots.shape
    return light.reshape(rows, fine, columns, fine).mean((1, 3))


def _fields_l(light):
    """L* of fields of 6 x 6 dots."""
    rows, columns = (n // 6 * 6 for n in light.shape)
    fields = light[:rows, :columns].reshape(rows // 6, 6, columns // 6, 6)
    return lightness(fields.mean((1, 3)))


def _one_in_dots(seed, spot_of_pitch):
    """Mean error of a picture in dots, L*, with the strip and without."""
    draw = rng([19, seed])
    fills_up = draw.uniform(0.3, 0.9)
    ends = (80.0, draw.uniform(25, 40)) if seed % 3 else (30.0, 72.0)
    read = []
    for share in SHARES:
        patch = _dots_truth(flat_dots(10, 10, 0.1, share), spot_of_pitch, fills_up, ends)
        read.append(float(lightness(patch[5:-5, 5:-5].mean())) + draw.standard_normal())
    table = dot_table(SHARES, read, SETTING, blank=ends[0] + 0.5 * draw.standard_normal())
    made = shaded(picture(seed), (0.0, 0.0, *SIDE_MM), table, MACHINES[1], "picture")
    wanted = _fields_l(luminance(made.wanted_l))
    plain = diffused(plain_share(made.wanted_l, table.bare_l, table.solid_l))
    found = []
    for dots in (made.made_l == table.solid_l, plain):
        seen = _fields_l(_dots_truth(dots, spot_of_pitch, fills_up, ends))
        found.append(float(np.abs(seen - wanted).mean()))
    return found


if __name__ == "__main__":
    for name, value, limit in measure():
        sys.stdout.write(f"{name}: {value:.3f} (limit {limit:g})\n")
