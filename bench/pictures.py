"""Jobs: how true a picture comes out through the measured tone curve, and how much that saves.

The truth is of this file: two parts that fill up, of another form than the fit's, with 3 % noise of
power; the curve is known from twelve steps read to 1.5 L*.  Run alone: python -m bench.pictures
"""

import sys

import numpy as np

from olive_almanac.core.fitting.tone_table import tone_table
from olive_almanac.core.quoting.shades import shaded
from olive_almanac.core.records.setting import Setting
from olive_almanac.demo.shop import MACHINES

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
    step = (lines.right_mm - lines.left_mm) / columns
    rows = []
    for (_, runs), powers in zip(lines.rows, lines.powers, strict=True):
        row = np.zeros(columns)
        for (a, b), power in zip(runs, powers, strict=True):
            first, last = round((a - lines.left_mm) / step), round((b - lines.left_mm) / step)
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
        burnt = _burnt(made.lines, wanted.shape[1], world, draw)
        errors.append(np.abs(burnt - wanted).mean())
        first, last = table.lightness[0], table.lightness[-1]
        even = SETTING.power * np.clip((wanted - first) / (last - first), 0, 1)
        noise = np.exp(NOISE * draw.standard_normal(even.shape))
        plain.append(np.abs(tone(even * noise, world) - wanted).mean())
    error = float(np.mean(errors))
    yield "a picture through its tone curve, mean error, L*", error, 1.5
    yield "four times that over the error without the curve", 4 * error / float(np.mean(plain)), 1.0


if __name__ == "__main__":
    for name, value, limit in measure():
        sys.stdout.write(f"{name}: {value:.3f} (limit {limit:g})\n")
