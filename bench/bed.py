"""Bed maps: faults of another form (beam of power 1.9, a Gaussian beam clipped by a round opening,
waves of the sheet, blobs with heavy tails), read by photo and by eye, told as Decide tells.
"""

import math

import numpy as np
from scipy.stats import ncx2

from bench.planned import suggested
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.upkeep.bed_map import STORIES, decide_bed
from olive_almanac.demo.shop import MACHINES, STOCKS

SEED = 4400
EACH = 300
EVEN = 400  # of even beds more: what is said of most machines
MACHINE = MACHINES[1]
HALF = np.array(MACHINE.bed_mm) / 2
SHEET_SD, SLOPE_L, NOISE_L = 0.02, 25.0, 1.5
PHOTO_L = 0.45  # by which the stand-in phone's photos of places differ (40 beds), L*


def trial_of(task):
    stock = next(one for one in STOCKS if one.uid == "poplar-4")
    return suggested(MACHINE, stock, task, "bed")


def passes(offset, radius, opening):
    """The share of a Gaussian beam that passes an opening whose middle it misses."""
    return ncx2.cdf((2 * opening / radius) ** 2, 2, (2 * offset / radius) ** 2)


def fault(rng, story, places, focus):
    """The true need [heights, places] under a story."""
    z_r = MACHINE.rayleigh_mm
    u, v = places.T
    tilt = rng.normal(0, 0.1 * z_r, 2)
    if story == "tilt":
        way = rng.uniform(0, 2 * math.pi)
        tilt = z_r * rng.uniform(0.6, 1.6) * np.array([math.cos(way), math.sin(way)])
    wave = rng.normal(0, 0.06 * z_r, len(places))
    z = rng.normal(0, 0.3 * z_r) + tilt[0] * u + tilt[1] * v + wave
    loss = np.zeros(len(places))
    if "mirror" in story:
        loss = _clipped(rng, story, u, v)
    if story == "zone":
        middle = places[rng.integers(len(places))] + rng.normal(0, 0.15, 2)
        apart = np.hypot(*(places - middle).T)
        loss = rng.uniform(0.12, 0.35) / (1 + (apart / rng.uniform(0.3, 0.7)) ** 3)
    k = 0.5 * rng.uniform(0.8, 1.2)
    return np.array([k * np.log(1 + np.abs((z + f) / z_r) ** 1.9) + loss for f in focus])


def _clipped(rng, story, u, v):
    """What a beam loses that wanders by one or both mirrors; the source is at any corner."""
    radius, opening = rng.uniform(2.5, 3.5), rng.uniform(5.0, 7.0)
    corner = rng.choice([-1, 1], 2)
    along, over = (v * corner[1] * -1 + 1) / 2, (u * corner[0] * -1 + 1) / 2
    first, second = story != "mirror 2", story != "mirror 1"
    way = rng.uniform(0, 2 * math.pi)
    turns = [
        np.array([math.cos(way), math.sin(way)]) * rng.uniform(0.4, 0.6) * first,
        np.array([math.cos(way + 0.8), math.sin(way + 0.8)]) * rng.uniform(0.4, 0.6) * second,
    ]
    whole = np.hypot(*(turns[0] + turns[1]))
    reach = np.linspace(0, 2 * opening, 200)
    lost = -np.log(np.maximum(passes(reach, radius, opening), 1e-9))
    end = np.interp(rng.uniform(0.12, 0.5), lost, reach)
    begin = rng.uniform(0, 0.12 * opening) * np.array([math.cos(way), math.sin(way)])
    off = (np.outer(along, turns[0]) + np.outer(over, turns[1])) / whole * end + begin
    return -np.log(np.maximum(passes(np.hypot(*off.T), radius, opening), 1e-6))


def read(rng, trial, story):
    """The readings of a bed map under a story."""
    focus = sorted({cell.setting.focus_mm for cell in trial.cells})
    left, low = trial.area_mm[:2]
    middles = {}
    for cell in trial.cells:
        x, y, w, h = cell.rect_mm
        middles.setdefault(cell.row // 2, []).append((left + x + w / 2, low + y + h / 2))
    places = np.array([np.mean(middles[n], axis=0) for n in sorted(middles)])
    need = fault(rng, story, (places - HALF) / HALF, focus - np.mean(focus))
    need = need + rng.normal(0, SHEET_SD, len(places))
    energy = {
        c.id: math.log(MACHINE.watts(c.setting.power) * c.setting.dose_per_watt)
        for c in trial.cells
    }
    middle = float(np.mean(list(energy.values())))
    edge = float(need.mean()) + rng.normal(0, 0.04)
    noise = rng.uniform(0.055, 0.085)
    off_l = rng.normal(0, PHOTO_L, len(places))  # of the photo of each place
    readings = []
    for cell in trial.cells:
        at = energy[cell.id] - middle
        wanted = need[focus.index(cell.setting.focus_mm), cell.row // 2]
        if trial.task == "engrave":
            light = 55 - SLOPE_L * (at - wanted) + NOISE_L * rng.standard_normal()
            light = float(np.clip(light + off_l[cell.row // 2], 1, 99))
            readings.append(Reading(cell.id, lightness=light, delta_l=light - 80, by="photo"))
            continue
        free = (at + noise * rng.standard_normal() > wanted - edge) ^ (rng.random() < 0.02)
        readings.append(Reading(cell.id, "free" if free else "not_through"))
    return readings


def measure():
    rng = np.random.default_rng(SEED)
    for task, words, bars in (
        ("engrave", "by photo", (0.82, 0.95, 0.90, 0.10)),
        ("cut", "by eye", (0.70, 0.90, 0.85, 0.15)),
    ):
        trial = trial_of(task)
        right, sure, wrong = {}, 0, 0
        for story in STORIES:
            told = [decide_bed(trial, read(rng, trial, story)) for _ in range(EACH)]
            if story == "even":
                more = (read(rng, trial, story) for _ in range(EVEN - EACH))
                all_even = [*told, *(decide_bed(trial, readings) for readings in more)]
                right[story] = float(np.mean([one.story == story for one in all_even]))
            else:
                right[story] = float(np.mean([one.story == story for one in told]))
            sure += sum(one.is_sure for one in told)
            wrong += sum(one.is_sure and one.story != story for one in told)
        shares = ", ".join(f"{story} {share:.2f}" for story, share in right.items())
        print(f"      {words}, {len(trial.cells)} cells: {shares}; sure in {sure}, wrong {wrong}")
        whole = float(np.mean(list(right.values())))
        yield f"{words}: bed told wrongly", 1 - whole, 1 - bars[0]
        yield f"{words}: tilt not told", 1 - right["tilt"], 1 - bars[1]
        yield f"{words}: an even bed called uneven", 1 - right["even"], 1 - bars[2]
        yield f"{words}: wrong where it is sure", wrong / max(1, sure), bars[3]
