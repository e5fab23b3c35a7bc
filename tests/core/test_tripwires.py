"""Tripwires: whole outcomes of planning, fitting and deciding, compared with what they were last.

These figures are copied from our own output: they prove nothing about the world, they only tell
that an answer has moved.  Where a change means to move them, look at each difference, then write
them anew:

    .venv/bin/python -m tests.core.test_tripwires
"""

import hashlib
import json
import math
import sys
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np

from olive_almanac.core.deciding.carry import carry_entry
from olive_almanac.core.deciding.cut import decide_cut
from olive_almanac.core.deciding.cut_knowledge import know_cut
from olive_almanac.core.deciding.directions import compare_directions
from olive_almanac.core.deciding.engrave import decide_engrave, know_tone
from olive_almanac.core.deciding.focus import decide_focus
from olive_almanac.core.deciding.guess import compute_guess
from olive_almanac.core.deciding.kerf import decide_kerf, expected_kerf
from olive_almanac.core.deciding.outliers import outlying_readings
from olive_almanac.core.deciding.outlook import expect
from olive_almanac.core.deciding.scan import USUAL_DRIFT, open_speeds, scan_cut
from olive_almanac.core.deciding.shop_drift import drift_of_records
from olive_almanac.core.deciding.weekly import follow_checks
from olive_almanac.core.design.kinds.kind import all_kinds
from olive_almanac.core.design.levels import even_levels, ratio_levels, read_levels, round_level
from olive_almanac.core.design.next_cells import next_cut_cells
from olive_almanac.core.design.suggest import flare_limit_of, suggest_levels
from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.fitting.char import fit_char
from olive_almanac.core.fitting.cut import case_of, data_of, expected_edge_speed
from olive_almanac.core.fitting.logit import fit_logit
from olive_almanac.core.fitting.prior import family_prior
from olive_almanac.core.fitting.tone_table import tone_table, tone_table_of
from olive_almanac.core.materials.families import edge_energy, groove_prior
from olive_almanac.core.records.entry import Margins
from olive_almanac.core.records.plain import to_plain
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Sheet
from olive_almanac.formats.gcode import write_gcode
from olive_almanac.formats.letters import letters
from tests.samples import (
    ALLOWED,
    BIRCH,
    LEATHER,
    LONG,
    MARKER,
    NORTH,
    PLATE,
    cut_trial,
    engrave_trial,
    kind_plan,
    read_by_energy,
    read_by_tone,
    sample_entry,
)

KEPT = Path(__file__).with_name("tripwires.json")
NEAR = 0.004  # relative: the processor's rounding moves draws a little


def know(*pairs, machine=LONG, stock=BIRCH, **more):
    return know_cut(machine, stock, pairs, rng=np.random.default_rng(7), **more)


def rounded(value):
    """A plain value in which every number is short enough to read."""
    if isinstance(value, dict):
        return {str(key): rounded(one) for key, one in value.items()}
    if isinstance(value, (list, tuple)):
        return [rounded(one) for one in value]
    if isinstance(value, np.ndarray):
        return rounded(value.tolist())
    if isinstance(value, (float, np.floating)):
        return float(f"{float(value):.6g}") if math.isfinite(value) else str(value)
    if isinstance(value, np.integer):
        return int(value)
    if isinstance(value, np.bool_):
        return bool(value)
    return value


def decisions_of_cuts():
    """A cut decided, with flares, on thin stock, stalled, hopeless, and with coupons of others."""
    grid = cut_trial(passes=(1, 2))
    plain = [(grid, read_by_energy(grid, 2.2))]
    flaring = [
        (
            grid,
            [
                replace(one, verdict=None, char=3) if cell.setting.speed_mm_s < 9 else one
                for cell, one in zip(grid.cells, read_by_energy(grid, 1.9), strict=True)
            ],
        )
    ]
    weak = cut_trial(NORTH)
    hopeless = [
        (weak, [Reading(cell.id, "not_through", depth_mm=0.4) for cell in weak.cells]),
        (
            replace(weak, id="again"),
            [Reading(cell.id, "not_through", depth_mm=0.5) for cell in weak.cells],
        ),
    ]
    other = replace(grid, id="other", stock=replace(BIRCH, lot="8"))
    worlds = {
        "plain": (plain, {}),
        "flaring": (flaring, {"limit": flare_limit_of(BIRCH, flaring)}),
        "hopeless": (hopeless, {}),
        "few": ([(grid, plain[0][1][:6])], {}),
        "related": ([(other, read_by_energy(other, 2.4)), (grid, plain[0][1][::3])], {}),
        "stricter": (plain, {"target": 0.995, "count": 5}),
    }
    told = {}
    for name, (pairs, more) in worlds.items():
        machine = pairs[-1][0].machine
        decision = decide_cut(know(*pairs, machine=machine), pairs, **more)
        told[name] = to_plain(decision)
    return told


def what_is_known_of_a_cut():
    grid = cut_trial(passes=(2,), air=("low", "full"))
    readings = [
        replace(one, depth_mm=1.1) if one.verdict == "not_through" else one
        for one in read_by_energy(grid, 3.4)
    ]
    known = know((grid, readings))
    speeds = np.array([6.0, 12.0, 18.0, 24.0])
    at = {"power": 1.0, "speed_mm_s": speeds, "passes": 2, "focus_mm": 1.5}
    scan = scan_cut(
        known.posterior,
        known.case,
        USUAL_DRIFT,
        power=0.8,
        passes=(1, 2, 4),
        focus_mm=np.array([0.0, 1.5]),
        speed_mm_s=speeds,
        air="full",
        particles=64,
        nodes=3,
    )
    flipped = [
        replace(one, verdict="free") if one.verdict == "not_through" and n < 3 else one
        for n, one in enumerate(readings)
    ]
    return {
        "chance": known.chance(**at),
        "low air": replace(known, air="low").chance(**at),
        "margin": known.mean_margin(**at),
        "char": known.char_above(power=1.0, speed_mm_s=speeds, passes=2),
        "edges": np.quantile(known.edges(power=1.0, passes=2, focus_mm=1.5), (0.1, 0.5, 0.9)),
        "scan": scan.chance(),
        "least time": [part[:5] for part in scan.least_time(0.95)],
        "open": open_speeds(
            known.posterior, known.case, power=1.0, focus_mm=1.5, most_passes=6, air="full"
        ),
        "theta": np.median(known.posterior.resampled(128).theta, axis=0),
        "outliers": [
            to_plain(one) for one in outlying_readings(know((grid, flipped)), [(grid, flipped)])
        ],
        "edge speed": [
            expected_edge_speed(case_of(machine, stock), power=0.9, passes=n, focus_mm=1.0)
            for machine in (LONG, NORTH)
            for stock in (BIRCH, LEATHER)
            for n in (1, 3)
        ],
        "data": to_plain_data(data_of(known.case, [(grid, readings)])),
        "priors": [
            [prior.mean, prior.root]
            for prior in (
                family_prior(groove_prior(stock, "co2"))
                for stock in (BIRCH, LEATHER, replace(BIRCH, family="unknown"))
            )
        ],
    }


def to_plain_data(data):
    return {
        "cells": list(data.cells),
        "verdicts": list(data.verdicts),
        "depth": np.nan_to_num(data.depth_mm, nan=-1.0),
        "blocks": list(data.blocks),
        "power": data.burns.power_w if hasattr(data.burns, "power_w") else [],
    }


def next_cells_of_priors():
    told = {}
    for name, machine, stock in (("long", LONG, BIRCH), ("north", NORTH, LEATHER)):
        known = know(machine=machine, stock=stock)
        for more in (
            {},
            {"limit": flare_limit_of(stock), "count": 5},
            {"focus_mm": 0.4, "power": 0.6},
        ):
            cells = next_cut_cells(known.posterior, known.case, **more)
            told[f"{name} {sorted(more)}"] = to_plain(cells)
    return told


def decisions_of_tones():
    grid = engrave_trial()
    energies = sorted(60 * c.setting.power / c.setting.speed_mm_s for c in grid.cells)
    low, high = (energies[int(share * len(energies))] / 0.12 for share in (0.3, 0.6))
    by_eye = read_by_tone(grid, low, high)
    measured = [
        replace(
            one,
            lightness=82 - 4.0 * (60 * c.setting.power / c.setting.speed_mm_s) / energies[0],
            evenness=1.5 + 0.1 * n,
            halo_mm=0.2,
            defects=("haze",) if n % 5 == 0 else (),
        )
        for n, (c, one) in enumerate(zip(grid.cells, by_eye, strict=True))
    ]
    score = kind_plan("grid", task="score").trial
    told = {}
    for name, trial, readings, more in (
        ("eye", grid, by_eye, {}),
        ("measured", grid, measured, {}),
        ("lightness", grid, measured, {"lightness": 60.0}),
        ("beyond", grid, measured, {"lightness": 5.0}),
        ("too light", grid, read_by_tone(grid, 1e3, 2e3), {}),
        ("unmeasured", grid, by_eye, {"lightness": 60.0}),
        ("score", score, read_by_tone_line(score), {}),
    ):
        pairs = [(trial, readings)]
        known = know_tone(LONG, BIRCH, pairs, task=trial.task)
        told[name] = [to_plain(decide_engrave(known, pairs, **more)), known.tones()]
    strip = kind_plan("grey", task="engrave").trial
    shades = [Reading(c.id, lightness=84 - 3.5 * n) for n, c in enumerate(strip.cells)]
    table = tone_table_of(strip, shades)
    told["table"] = [table.says, to_plain(table)]
    powers = [0.05, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8]
    told["curve"] = to_plain(
        tone_table(
            powers, [83, 80, 71, 60, 48, 41, 39, 38, 41], setting=Setting(1.0, 100.0, pitch_mm=0.1)
        )
    )
    return told


def read_by_tone_line(trial):
    energies = {c.id: 60 * c.setting.power / c.setting.speed_mm_s for c in trial.cells}
    middle = sorted(energies.values())[len(energies) // 2]
    words = {-1: "too_light", 0: "right", 1: "too_dark"}
    return [
        Reading(cell, words[(energy > 1.2 * middle) - (energy < 0.8 * middle)])
        for cell, energy in energies.items()
    ]


def what_special_trials_tell():
    focus = kind_plan("focus").trial
    rayleigh = LONG.rayleigh_mm
    widths = [
        Reading(c.id, kerf_mm=0.2 * math.sqrt(1 + ((c.setting.focus_mm - 0.8) / rayleigh) ** 2))
        for c in focus.cells
    ]
    kerf = kind_plan("kerf").trial
    gauged = [
        Reading(c.id, kerf_mm=c.nominal_mm + (0.17 if c.setting.direction == "x" else 0.21))
        for c in kerf.cells
        if c.mark == "comb"
    ]
    grid = cut_trial()
    plain = [
        (grid, [Reading(c.id, "free", kerf_mm=0.15 + 0.01 * n) for n, c in enumerate(grid.cells)])
    ]
    strips = kind_plan("direction", machine=NORTH).trial
    cut_along = [
        Reading(c.id, "free" if n % 6 < (4 if c.setting.direction == "x" else 2) else "not_through")
        for n, c in enumerate(strips.cells)
    ]
    directions = compare_directions(
        know((strips, cut_along), machine=NORTH), strips.cells[0].setting, target=0.6
    )
    weekly = [
        (replace(kind_plan("weekly").trial, id=f"w{n}", made=f"2026-04-{1 + 7 * n:02d}"), edge)
        for n, edge in enumerate((2.6, 2.7, 2.9, 3.1))
    ]
    checks = [(trial, read_by_energy(trial, edge)) for trial, edge in weekly]
    known = know(checks[0], plain[0])
    return {
        "focus": to_plain(decide_focus(focus, widths)),
        "focus, few": to_plain(decide_focus(focus, widths[:3])),
        "kerf": to_plain(decide_kerf([(kerf, gauged)])),
        "expected kerf": [expected_kerf(plain, energy, 1) for energy in (2.0, 3.0, 5.0)],
        "directions": to_plain(directions),
        "weekly": to_plain(follow_checks(checks)),
        "drift": to_plain(
            drift_of_records(BIRCH, focus_heights_mm=(0.1, 0.6, -0.3), weekly=checks, known=known)
        ),
        "logit": to_plain(fit_logit([1, 2, 3, 4, 5, 6], [0, 1, 1, 3, 4, 5], [5] * 6, ridge=0.1)),
    }


def chars_of_readings():
    grid = cut_trial(passes=(1, 2))
    fitted = fit_char(
        edge_energy(BIRCH), [(grid, read_by_energy(grid, 2.2))], rng=np.random.default_rng(4)
    )
    at = {"heat_j_mm": np.array([1.0, 3.0, 6.0, 12.0]), "passes": np.array([1, 2, 3, 6])}
    return {
        "above": fitted.above(**at),
        "low": fitted.above(**at, air="off"),
        "expected": fitted.expected(heat_j_mm=5.0, passes=2),
        "limits": [
            [flare_limit_of(s).slowest(60.0, n) for n in (1, 2, 6)] for s in (BIRCH, LEATHER)
        ],
        "seen": flare_limit_of(BIRCH, [(grid, [Reading(grid.cells[0].id, char=3)])]).slowest(
            60.0, 2
        ),
    }


def guesses():
    told = {}
    for name, machine, stock, task in (
        ("cut", LONG, BIRCH, "cut"),
        ("leather", NORTH, LEATHER, "cut"),
        ("engrave", LONG, BIRCH, "engrave"),
        ("score", LONG, BIRCH, "score"),
        ("mark", MARKER, PLATE, "mark"),
    ):
        found = compute_guess(machine, stock, task, ALLOWED, rng=np.random.default_rng(2))
        told[name] = [to_plain(part) for part in found]
    thick = replace(BIRCH, thickness_mm=4.0, measured_mm=(4.0,), uid="b4", lot="8")
    evidence = replace(sample_entry().evidence, margins=Margins(speed=1.25))
    for name, entry in (
        ("cut", sample_entry(evidence=evidence, setting=Setting(1.0, 26.0, 1, 1.5))),
        ("engrave", sample_entry(task="engrave", setting=Setting(0.3, 150.0, pitch_mm=0.1))),
        ("score", sample_entry(task="score", setting=Setting(0.4, 60.0))),
    ):
        found = carry_entry(
            entry,
            LONG,
            BIRCH,
            to_machine=NORTH,
            to_stock=thick,
            permission=ALLOWED,
            rng=np.random.default_rng(2),
        )
        told[f"carried {name}"] = [to_plain(part) for part in found]
    return told


def plans_of_every_kind():
    """Suggested choices, layout, labels, order, times and cost of every kind; and its G-code."""
    told = {}
    dear = replace(LONG, hour_rate=12.0)
    sheet = Sheet(300, 200, clamps_mm=((0, 90, 12, 110),), used_mm=((0, 0, 40, 40),))
    for kind in all_kinds():
        for task in kind.tasks:
            stock = replace(BIRCH, price_m2=18.0)
            try:
                plan = kind_plan(kind.id, task, dear, stock)
            except AlmanacError as problem:
                told[f"{kind.id} {task}"] = str(problem)
                continue
            trial = plan.trial
            code = write_gcode(trial, letters())
            told[f"{kind.id} {task}"] = {
                "cells": [
                    [c.id, *c.rect_mm, c.order, c.seconds, c.setting.power, c.setting.speed_mm_s]
                    for c in trial.cells[:: max(1, len(trial.cells) // 6)]
                ],
                "coupon": to_plain(trial.coupon),
                "labels": [[one.text, *one.at_mm] for one in trial.labels[:8]],
                "axes": [plan.up, plan.across, plan.rows, plan.cols],
                "factors": to_plain(trial.factors),
                "cost": trial.cost,
                "seconds": trial.seconds,
                "remarks": plan.remarks,
                "refused": [one.why for one in plan.refused[:2]],
                "choices": to_plain(
                    suggest_levels(dear, stock, task, kind="grid" if kind.id == "next" else kind.id)
                ),
                "gcode": hashlib.sha256(code.encode()).hexdigest(),
            }
    for name, changes in (
        (
            "sheet",
            {"sheet": sheet, "sheet_number": 0, "sheet_at_mm": (20.0, 30.0), "place": (20.0, 30.0)},
        ),
        ("turned", {"turned": True}),
        ("rows", {"burn_order": "rows", "rest_s": 4.0}),
        ("columns", {"burn_order": "columns", "labels": False}),
        ("third", {"passes": (1, 2), "label_power": 0.1, "label_speed_mm_s": 90.0}),
    ):
        plan = kind_plan("grid", **changes)
        trial = plan.trial
        told[name] = [
            [[c.id, *c.rect_mm, c.order] for c in trial.cells[::5]],
            to_plain(trial.coupon),
            trial.seconds,
            [trial.on_sheet.x_mm, trial.on_sheet.y_mm],
            [[one.text, *one.at_mm] for one in trial.labels[:6]],
            to_plain(trial.label_setting),
            hashlib.sha256(write_gcode(trial, letters()).encode()).hexdigest(),
        ]
    inches = replace(LONG, file_units="inch")
    told["inch"] = hashlib.sha256(
        write_gcode(kind_plan("grid", machine=inches).trial).encode()
    ).hexdigest()
    outlook = expect(cut_trial(), [])
    told["outlook"] = [outlook.expected, outlook.chance, outlook.edges]
    tones = expect(engrave_trial(), [])
    told["tone outlook"] = [tones.expected, tones.chance, tones.edges]
    return told


def levels():
    return {
        "even": even_levels(1, 4, 4),
        "ratio": ratio_levels(1, 8, 4),
        "read": [read_levels(text, "Speed", float) for text in ("1:4:4", "3,1,2", "7")],
        "rounded": [round_level(v, n) for v, n in ((0.0, 2), (1234.0, 2), (0.01234, 3), (9.96, 2))],
    }


OUTCOMES = {
    one.__name__: one
    for one in (
        decisions_of_cuts,
        what_is_known_of_a_cut,
        next_cells_of_priors,
        decisions_of_tones,
        what_special_trials_tell,
        chars_of_readings,
        guesses,
        plans_of_every_kind,
        levels,
    )
}


class Tripwire(unittest.TestCase):
    """Figures copied from our own output: see the head of this file."""

    def compare(self, now, before, place):
        if isinstance(before, dict):
            self.assertEqual(sorted(now), sorted(before), place)
            for key, one in before.items():
                self.compare(now[key], one, f"{place}.{key}")
        elif isinstance(before, list):
            self.assertEqual(len(now), len(before), place)
            for at, one in enumerate(before):
                self.compare(now[at], one, f"{place}[{at}]")
        elif isinstance(before, float):
            self.assertAlmostEqual(now, before, delta=NEAR * abs(before) + 1e-6, msg=place)
        else:
            self.assertEqual(now, before, place)


def _add(name, make):
    def test(self):
        before = json.loads(KEPT.read_text())[name]
        self.compare(json.loads(json.dumps(rounded(make()))), before, name)

    setattr(Tripwire, f"test_{name}", test)


for _name, _make in OUTCOMES.items():
    _add(_name, _make)


if __name__ == "__main__":
    found = {name: rounded(make()) for name, make in OUTCOMES.items()}
    KEPT.write_text(json.dumps(found, ensure_ascii=False, indent=0, sort_keys=True) + "\n")
    sys.exit(0)
