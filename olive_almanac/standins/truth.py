"""What is really true of a setting on the hidden stock: its chance to work from day to day, and the
quickest that does.

For the trainer's score and for measuring how good the program's decisions are.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import Setting, Task, rasters
from olive_almanac.core.records.stock import Stock
from olive_almanac.standins.bench import TONE_AIM, TONE_BAND, grip_of
from olive_almanac.standins.groove import dials_of, dig
from olive_almanac.standins.material import Hidden
from olive_almanac.standins.tone import tone

__all__ = ["best", "edge_heat", "success"]

DRAWS = 160
DRIFT = 0.05  # half width of the shop's drift of thickness and of power, as fractions
FOCUS_DRIFT_MM = 1.0
WORKS_FROM = 0.97
MOST_PASSES = 12
FOCUS_SHARES = (
    0.0,
    0.5,
    0.6,
    0.7,
    0.8,
)  # heights of the focus that are tried, as shares of the thickness
# heat of the edge, as a share of where half the cells flare, up to which one in ten flares (its
# heat varies by 10 %)
COOL_ENOUGH = 0.82
SLOWEST_MM_S = 0.3
HALVINGS = 10
Floats = NDArray[np.float64]


def success(
    hidden: Hidden,
    machine: Machine,
    stock: Stock,
    task: Task,
    settings: Sequence[Setting],
    *,
    draws: int = DRAWS,
    seed: int = 7,
) -> Floats:
    """Return the share of burns [settings] that work, with the shop's drift and the stock's own
    unevenness.

    A cut works where it falls free; a raster where its tone is what the shop calls right.  The same
    draws are used for each setting, so that differences between settings are not noise.
    """
    rng = np.random.default_rng(seed)
    luck = np.exp(hidden.cell_spread * rng.standard_normal(draws)) * np.where(
        rng.random(draws) < hidden.made.knots, rng.uniform(1.25, 1.6, draws), 1.0
    )
    strength = 1 - hidden.tube_sag * rng.random(draws) + DRIFT * rng.uniform(-1, 1, draws)
    shift = FOCUS_DRIFT_MM * rng.uniform(-1, 1, draws)
    thicker = 1 + DRIFT * rng.uniform(-1, 1, draws)
    base = dials_of(list(settings))
    n = len(settings)
    whole = base.repeated(draws)
    varied = replace(
        whole, luck=np.tile(luck, n), strength=np.tile(strength, n), shift_mm=np.tile(shift, n)
    )
    if rasters(task):
        pitch = np.repeat([s.pitch_mm or 0.1 for s in settings], draws)
        ways = np.repeat([2.0 if s.crosshatch else 1.0 for s in settings], draws)
        made = hidden.made
        aim = made.bare_l + TONE_AIM * (made.burnt_l - made.bare_l)
        light = tone(hidden, machine, stock, varied, pitch_mm=pitch, ways=ways).lightness
        return np.asarray((np.abs(light - aim) <= TONE_BAND).reshape(n, draws).mean(1), float)
    thickness = stock.true_thickness_mm
    depth = dig(hidden, machine, varied, thickness).depth_mm.reshape(n, draws)
    if task == "score":
        goal = min(0.5, thickness / 3)
        return np.asarray(((depth >= 0.6 * goal) & (depth <= 1.5 * goal)).mean(1), float)
    grip = np.array([grip_of(hidden, s.speed_mm_s) for s in settings])
    return np.asarray((depth >= thickness * thicker * (1 + grip[:, None])).mean(1), float)


def edge_heat(
    hidden: Hidden, machine: Machine, stock: Stock, settings: Sequence[Setting]
) -> Floats:
    """Return how hot the edge gets [settings], nothing drifting; 1 is where it browns."""
    return dig(hidden, machine, dials_of(list(settings)), stock.true_thickness_mm).edge_heat


def best(
    hidden: Hidden,
    machine: Machine,
    stock: Stock,
    task: Task,
    *,
    pitch_mm: float = 0.0,
    works_from: float = WORKS_FROM,
) -> tuple[Setting, float] | None:
    """Return the quickest setting that truly works and its seconds a metre (lines) or a 100 cm2
    (rasters), or None.

    A cut must not flare up more often than once in ten.  Searched over one to twelve passes, five
    heights of the focus and speed at full power (lines), over power and speed at `pitch_mm`
    (rasters).
    """
    if rasters(task):
        pitch = pitch_mm or 0.6 * machine.spot_y_mm
        speeds = np.geomspace(0.02 * machine.max_speed_mm_s, machine.max_speed_mm_s, 24)
        tried = [
            Setting(float(p), float(v), 1, 0.0, pitch, "low", direction="x")
            for p in np.geomspace(0.06, 1, 24)
            for v in speeds
        ]
        good = success(hidden, machine, stock, task, tried, draws=60) >= works_from
    else:
        tried, good = _quickest_of_each(hidden, machine, stock, task, works_from)
        good &= edge_heat(hidden, machine, stock, tried) < COOL_ENOUGH * hidden.made.flares
    if not good.any():
        return None
    times = [
        10_000 / (s.speed_mm_s * s.pitch_mm) if s.pitch_mm else 1000 * s.passes / s.speed_mm_s
        for s in tried
    ]
    at = int(np.where(good, times, np.inf).argmin())
    return tried[at], float(times[at])


def _quickest_of_each(
    hidden: Hidden, machine: Machine, stock: Stock, task: Task, works_from: float
) -> tuple[list[Setting], NDArray[np.bool_]]:
    """The quickest speed that works for each number of passes and focus, by halving, and whether
    any does.
    """
    thickness = stock.true_thickness_mm
    pairs = [(n, share * thickness) for n in range(1, MOST_PASSES + 1) for share in FOCUS_SHARES]
    low, high = np.full(len(pairs), SLOWEST_MM_S), np.full(len(pairs), machine.max_speed_mm_s)

    def works(speeds: Floats) -> NDArray[np.bool_]:
        settings = [
            Setting(1.0, float(v), n, float(f)) for v, (n, f) in zip(speeds, pairs, strict=True)
        ]
        return success(hidden, machine, stock, task, settings, draws=60) >= works_from

    any_works, always = works(low), works(high)
    for _ in range(HALVINGS):
        middle = np.sqrt(low * high)
        good = works(middle)
        low, high = np.where(good, middle, low), np.where(good, high, middle)
    speeds = np.where(always, machine.max_speed_mm_s, low)
    return [
        Setting(1.0, float(v), n, float(f)) for v, (n, f) in zip(speeds, pairs, strict=True)
    ], any_works
