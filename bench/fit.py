"""The groove fit against a plain logistic regression: log-loss on cells that neither has seen, stand-in truths."""

import itertools
from dataclasses import replace

import numpy as np

from olive_almanac.core.deciding.cut_knowledge import know_cut
from olive_almanac.core.design.plan import plan_trial
from olive_almanac.core.design.suggest import suggest_levels
from olive_almanac.core.fitting.logit import fit_logit
from olive_almanac.core.materials.catalogue import Permission
from olive_almanac.core.motion.profile import peak_speed
from olive_almanac.demo.shop import MACHINES, STOCKS
from olive_almanac.standins.bench import StandInBench

SUBJECTS = [(MACHINES[m], stock) for m in (0, 1) for stock in STOCKS if stock.family in ("plywood", "hardwood", "board", "leather")]
SEEDS = 5
READ = 24


def _worlds():
    for (machine, stock), seed in itertools.product(SUBJECTS, range(SEEDS)):
        choices = suggest_levels(machine, stock, "cut").choices
        speeds = tuple(np.geomspace(0.3 * choices.speed_mm_s[0], choices.speed_mm_s[-1], 10))
        choices = replace(choices, speed_mm_s=speeds, power=(0.4, 0.55, 0.7, 0.85, 1.0))
        trial = plan_trial(
            machine, stock, "cut", choices, permission=Permission(True), trial_id=f"w{seed}", name="world", made="2026-04-14"
        ).trial
        seen = {one.cell: one.seen for one in StandInBench(100 + seed).burn(trial)}
        free = [seen[cell.id].verdict == "free" for cell in trial.cells]
        if 5 <= sum(free) <= len(free) - 5:
            yield trial, seen, np.random.default_rng(seed).permutation(len(trial.cells))


def _loss(chance, outcome) -> float:
    p = np.clip(chance, 1e-3, 1 - 1e-3)
    return float(-np.mean(np.where(outcome, np.log(p), np.log(1 - p))))


def measure():
    groove, logistic, hits = [], [], []
    for trial, seen, order in _worlds():
        cells = [trial.cells[i] for i in order]
        known, held = cells[:READ], cells[READ:]
        energy = {
            c.id: np.log(c.setting.power / peak_speed(10, c.setting.speed_mm_s, trial.machine.acceleration_mm_s2)) for c in cells
        }
        free = {c.id: seen[c.id].verdict == "free" for c in cells}
        outcome = np.array([free[c.id] for c in held])
        fitted = know_cut(trial.machine, trial.stock, [(trial, [seen[c.id] for c in known])], rng=np.random.default_rng(1))
        nominal = replace(fitted, drift=replace(fitted.drift, thickness=0.0, power=0.0, focus_mm=0.0))
        chance = nominal.chance(power=[c.setting.power for c in held], speed_mm_s=[c.setting.speed_mm_s for c in held],
                                passes=[c.setting.passes for c in held], focus_mm=[c.setting.focus_mm for c in held])  # fmt: skip
        plain = fit_logit([energy[c.id] for c in known], [float(free[c.id]) for c in known], [1.0] * READ, ridge=1e-2)
        groove.append(_loss(chance, outcome))
        logistic.append(_loss(plain.probability([energy[c.id] for c in held]), outcome))
        hits.append(np.mean((chance > 0.5) == outcome))
    print(f"      {len(groove)} worlds, held-out log-loss after {READ} readings: groove fit {np.mean(groove):.3f}, "
          f"logistic {np.mean(logistic):.3f}; right side of the edge {100 * np.mean(hits):.1f} %")  # fmt: skip
    yield "held-out log-loss of the groove fit over a plain logistic line", float(np.mean(groove) / np.mean(logistic)), 1.0
