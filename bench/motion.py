"""Expected time of a trial against a sample-by-sample integration of the very file that goes to the
machine.

The integrator reads the G-code with code of its own, cuts every path into short pieces and runs
over them forward and backward with the acceleration; corners take the speed that junction deviation
allows; M words and dwells stop the head.
"""

import math
import random
from dataclasses import replace

import numpy as np

from bench.planned import planned
from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.core.design.kinds.kind import kinds_for
from olive_almanac.core.design.plan import NoRoom
from olive_almanac.demo.shop import MACHINES, STOCKS
from olive_almanac.formats.gcode import write_gcode
from olive_almanac.formats.letters import letters

TRIALS = 20
SAMPLE_MM = 0.02


def integrate(text, start, machine):
    """Seconds that the head needs for a program in absolute mm, from `start` on the bed."""
    at, height, feed, total = start, 0.0, 0.0, 0.0
    points, speeds = [at], []

    def flush():
        nonlocal points, speeds, total
        total += (
            _run(
                np.array(points), np.array(speeds), machine.acceleration_mm_s2, machine.junction_mm
            )
            if speeds
            else 0.0
        )
        points, speeds = [at], []

    for raw in text.splitlines():
        line = raw.partition("(")[0].split()
        words = {word[0]: float(word[1:]) for word in line if word[0] in "XYZFPGM"}
        if "M" in words:
            flush()
            continue
        if "F" in words:
            feed = words["F"] / 60
        if words.get("G") == 4:
            flush()
            total += words["P"]
        elif "Z" in words:
            flush()
            total += abs(words["Z"] - height) / feed
            height = words["Z"]
        elif "X" in words or "Y" in words:
            at = (words.get("X", at[0]), words.get("Y", at[1]))
            points.append(at)
            speeds.append(machine.max_speed_mm_s if words["G"] == 0 else feed)
    flush()
    return total


def _run(points, speeds, acceleration, junction):
    lengths = np.hypot(*np.diff(points, axis=0).T)
    keep = lengths > 1e-9
    if not keep.any():
        return 0.0
    vectors, speeds, lengths = np.diff(points, axis=0)[keep], speeds[keep], lengths[keep]
    headings = np.arctan2(vectors[:, 1], vectors[:, 0])
    limit, place = [0.0], [0.0]
    for i, (length, speed) in enumerate(zip(lengths, speeds, strict=True)):
        count = max(2, math.ceil(length / SAMPLE_MM))
        place += list(place[-1] + length * np.arange(1, count + 1) / count)
        limit += [speed**2] * (count - 1)
        if i + 1 < len(lengths):
            turn = abs((headings[i + 1] - headings[i] + math.pi) % (2 * math.pi) - math.pi)
            half = math.cos(turn / 2)  # sine of half the included angle
            corner = math.inf if half > 1 - 1e-9 else acceleration * junction * half / (1 - half)
            limit.append(min(corner, speed**2, speeds[i + 1] ** 2))
    limit, place = np.array([*limit, 0.0]), np.array(place)
    way = 2 * acceleration * place
    forward = way + np.minimum.accumulate(limit - way)
    back = way[-1] - way
    rectified = back + np.minimum.accumulate((forward - back)[::-1])[::-1]
    speed = np.sqrt(np.maximum(rectified, 0.0))
    return float((2 * np.diff(place) / np.maximum(speed[1:] + speed[:-1], 1e-9)).sum())


def _trials():
    draw, made = random.Random(5), 0
    while made < TRIALS:
        machine, stock = draw.choice(MACHINES[:2]), STOCKS[0]
        machine = replace(
            machine,
            acceleration_mm_s2=draw.uniform(800, 9000),
            junction_mm=draw.choice((0.005, 0.01, 0.05)),
        )
        task = draw.choice(("cut", "score", "engrave"))
        kind = draw.choice([one for one in kinds_for(task) if one.holds]).id
        choices = TrialChoices(
            (0.5, 1.0),
            tuple(sorted(draw.uniform(3, machine.max_speed_mm_s) for _ in range(3))),
            (draw.randint(1, 3),),
            (-1.0, 0.0, 1.0) if kind in ("focus", "ramp") else (0.0,),
            (0.3, 0.6) if kind == "pitch" else (0.4,),
            ("off", "low", "full") if kind == "air" else ("full",),
            cell_mm=draw.uniform(4, 15),
            kind=kind,
            rest_s=draw.choice((0.0, 1.5)),
            crosshatch=draw.random() < 0.3,
            focus_step_mm=draw.choice((0.0, 0.5)),
        )
        try:
            yield planned(machine, stock, task, choices)
        except NoRoom:
            continue
        made += 1


def measure():
    off = []
    for trial in _trials():
        exact = integrate(write_gcode(trial, letters()), trial.area_mm[:2], trial.machine)
        off.append(100 * abs(trial.seconds / exact - 1))
    print(
        f"      {len(off)} trials: off by {np.median(off):.3f} % in the median, {max(off):.3f} % "
        "at most"
    )
    yield "expected time off the integration of the same file, % at most", max(off), 2.0
