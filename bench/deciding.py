"""Deciding on hidden worlds: how well the fit foretells, how soon the pick is good, how often it is
safe, how quick it is.

Run alone with a number of seeds, and the first of them, for the long study:
python -m bench.deciding 20, or python -m bench.deciding 10 200
"""

import os

os.environ.setdefault("OMP_NUM_THREADS", "1")  # two processes share the two cores

import sys
import time
import warnings
from dataclasses import replace
from multiprocessing import get_context
from typing import NamedTuple

import numpy as np

from bench.planned import planned
from bench.second_truth import second_world
from bench.worlds import (
    CO2,
    DIODE,
    SUBJECTS,
    StandInWorld,
    burn,
    coupons_of,
    scattered_cells,
    trial_of,
)
from olive_almanac.core.beam.burnt_lines import fit_burnt_lines
from olive_almanac.core.burn.groove import fast_phi
from olive_almanac.core.deciding.cut_knowledge import MAP_NODES, MAP_PARTICLES, know_cut
from olive_almanac.core.design.next_cells import next_cut_cells
from olive_almanac.core.design.suggest import flare_limit_of, suggest_levels
from olive_almanac.core.design.telling import with_cells
from olive_almanac.core.fitting.cut import case_of, data_of, fit_cut
from olive_almanac.core.fitting.tone_table import tone_table
from olive_almanac.core.materials.families import groove_prior
from olive_almanac.core.motion.profile import peak_speed
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Stock
from olive_almanac.formats.letters import letters
from olive_almanac.standins.bench import StandInBench
from olive_almanac.standins.groove import dials_of, dig
from olive_almanac.standins.material import hidden_of
from olive_almanac.standins.tone import tone
from olive_almanac.steps.decide import Basis, decide_trial

SEEDS = 2
READ = (24, 64, 200)
TRAINED, HELD = 300, 200
BATCH, MOST_CELLS = 8, 48
SURE = 0.95  # the chance at which a margin ends
WORLDS = {"stand-in": StandInWorld, "second truth": second_world}
GP_EVERY = 12  # the Gaussian process is slow: it is fitted in one world of so many
KNOT = 0.004  # share that no setting tells: knots and slips
rng = np.random.default_rng


class Row(NamedTuple):
    """What was decided after so many cells: a success or not, said never, stopped of itself; of the
    pick its true chance and its time over the best, the true chance at its stated margin, by what
    factor the focus it may take is overstated.
    """

    read: int
    good: bool
    never: bool
    stopped: bool
    chance: float = np.nan
    slower: float = np.nan
    at_margin: float = np.nan
    focus_over: float = np.nan


def _loss(chance, outcome):
    p = np.clip(chance, 1e-4, 1 - 1e-4)
    return float(-np.mean(np.where(outcome, np.log(p), np.log(1 - p))))


# -- foretelling -----------------------------------------------------------------------------------


def _foretell(job):
    """Held-out log-loss by readings: of the fit, of the fit with the prior of no known family, of a
    logistic, of a Gaussian process.
    """
    subject, seed, with_gp = job
    machine, stock = SUBJECTS[subject]
    coupons = coupons_of(
        machine, stock, scattered_cells(machine, stock, seed, TRAINED + HELD), "held"
    )
    burnt = [one for coupon in coupons for one in StandInBench(seed).burn(coupon)]
    cool = [i for i, one in enumerate(burnt) if one.seen.char != 3]
    train, held = [i for i in cool if i < TRAINED], [i for i in cool if i >= TRAINED]
    outcome = np.array([burnt[i].frees for i in held])
    settings = [cell.setting for coupon in coupons for cell in coupon.cells]
    reached = [peak_speed(10.0, s.speed_mm_s, machine.acceleration_mm_s2) for s in settings]
    case, rows = case_of(machine, stock), []
    features = np.array(
        [
            (
                np.log(s.power),
                np.log(s.speed_mm_s),
                np.log(s.passes),
                s.focus_mm / machine.rayleigh_mm,
            )
            for s in settings
        ]
    )
    for count in READ:
        known = train[:count]
        told = np.array([burnt[i].seen.verdict == "free" for i in known])
        figures = []
        unknown = groove_prior(replace(stock, family="unknown"), machine.source)
        for prior in (case, replace(case, prior=unknown)):
            posterior = fit_cut(
                prior, data_of(prior, _read(coupons, [burnt[i].seen for i in known])), rng=rng(1)
            )
            burns = case.burns_of([settings[i] for i in held], [reached[i] for i in held])
            groove = posterior.groove
            margin = groove.margin(burns, case.thickness_mm) - groove.hang_band
            chance = (1 - KNOT) * (posterior.weight @ fast_phi(margin / groove.noise)) + KNOT / 4
            figures.append(_loss(chance, outcome))
            if prior is case:
                kept = chance
        figures.append(_loss(_logistic(features[known], told, features[held]), outcome))
        figures.append(
            _loss(_gaussian_process(features[known], told, features[held]), outcome)
            if with_gp
            else np.nan
        )
        rows.append(figures)
    return rows, kept, outcome


def _read(coupons, readings):
    """Each coupon with those of the readings that are of its cells."""
    ids = [{cell.id for cell in coupon.cells} for coupon in coupons]
    return [
        (coupon, [one for one in readings if one.cell in here])
        for coupon, here in zip(coupons, ids, strict=True)
    ]


def _standard(known, held):
    middle, spread = known.mean(0), known.std(0) + 1e-6
    return (known - middle) / spread, (held - middle) / spread


def _logistic(known, told, held):
    known, held = _standard(known, held)
    if told.all() or not told.any():
        return np.full(len(held), (told.sum() + 0.5) / (len(told) + 1))
    x, weights, ridge = (
        np.c_[np.ones(len(known)), known],
        np.zeros(known.shape[1] + 1),
        np.diag([1e-6, *[0.1] * known.shape[1]]),
    )
    for _ in range(30):
        p = 1 / (1 + np.exp(-x @ weights))
        weights = weights + np.linalg.solve(
            (x * (p * (1 - p))[:, None]).T @ x + ridge, x.T @ (told - p) - ridge @ weights
        )
    return 1 / (1 + np.exp(-np.c_[np.ones(len(held)), held] @ weights))


def _gaussian_process(known, told, held):
    from sklearn.gaussian_process import GaussianProcessClassifier
    from sklearn.gaussian_process.kernels import RBF, ConstantKernel

    known, held = _standard(known, held)
    if told.all() or not told.any():
        return np.full(len(held), (told.sum() + 0.5) / (len(told) + 1))
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # a length at its bound is an answer too
        fitted = GaussianProcessClassifier(
            ConstantKernel(4.0) * RBF([1.0] * 4), random_state=0
        ).fit(known, told)
    return fitted.predict_proba(held)[:, 1]


# -- deciding batch by batch -----------------------------------------------------------------------


def _decide(job):
    """Decide from an empty subject as window and command line go: what Plan suggests first, then
    the cells that Decide asks for, until it stops of itself.
    """
    world_of, subject, seed, kind = job
    machine, stock = SUBJECTS[subject]
    world = WORLDS[world_of](machine, stock, seed)
    best = world.best()
    grid = _suggested(machine, stock, "grid")
    choices = grid if kind == "grid" else _suggested(machine, stock, kind)
    pairs, rows, known, decision, read = [], [], None, None, 0
    while read < MOST_CELLS:
        trial = planned(
            machine,
            stock,
            "cut",
            choices,
            trial_id=f"w{seed}b{len(pairs)}",
            limit=flare_limit_of(stock, pairs),
        )
        pairs.append((trial, world.burn(trial)))
        read += len(pairs[-1][1])
        kept = decision.picks[0].setting if decision is not None and decision.picks else None
        basis = Basis(pairs, kept=kept, previous=known)
        decision, known = decide_trial(pairs, basis=basis, count=BATCH)
        rows.append(_scored(world, best, decision, known, read))
        if decision.enough or decision.never or not decision.next_cells:
            break
        choices = with_cells(grid, decision.next_cells, machine)
    return best is not None, rows


def _suggested(machine, stock, kind):
    return suggest_levels(
        machine, stock, "cut", kind=kind, lettering=letters(), engraves=True
    ).choices


def _scored(world, best, decision, known, read):
    """What a decision is worth against the truth."""
    pick = decision.picks[0] if decision.picks else None
    stopped = decision.enough or decision.never
    if pick is None:
        good = best is None and decision.never
        return Row(read, good, decision.never, stopped)
    chance = float(world.success([pick.setting])[0])
    slower = pick.seconds_per_m / best[1] if best else np.nan
    at_margin, over = _margins_kept(world, pick)
    good = best is not None and chance >= 0.97 and slower <= 1.10
    return Row(read, good, decision.never, stopped, chance, slower, at_margin, over)


def _margins_kept(world, pick):
    """The true chance at the stated margin of speed, and by what factor that of the focus is
    overstated, up or down, the larger.
    """
    setting, margins = pick.setting, pick.margins
    at_margin = np.nan
    if margins.speed is not None:
        quicker = replace(setting, speed_mm_s=setting.speed_mm_s * margins.speed)
        at_margin = float(world.success([quicker])[0])
    over = []
    for said, way in ((margins.focus_up_mm, -1), (margins.focus_down_mm, 1)):
        if said:
            steps = np.linspace(0, said, 13)
            moved = [replace(setting, focus_mm=setting.focus_mm + way * step) for step in steps]
            kept = np.flatnonzero(world.success(moved, draws=200) >= SURE)
            over.append(said / max(float(steps[kept[-1]]) if len(kept) else 0.0, 0.05 * said))
    return at_margin, max(over, default=np.nan)


# -- stall, tone, focus ----------------------------------------------------------------------------


def _stalls(seed):
    """(said with over 0.9, true) for settings in stock too thick for its beam."""
    found = []
    for machine, family, thickness in (
        (DIODE, "hardwood", 12.0),
        (DIODE, "plywood", 10.0),
        (CO2, "hardwood", 20.0),
        (CO2, "acrylic", 25.0),
    ):
        stock = Stock("thick", family, thickness, (thickness,))
        known = know_cut(machine, stock, (), rng=rng(11))
        cells = next_cut_cells(
            known.posterior, known.case, limit=flare_limit_of(stock), count=16
        ).settings
        if not cells:
            continue
        trial = trial_of(machine, stock, cells, f"s{seed}")
        known = know_cut(machine, stock, [(trial, burn(trial, seed))], rng=rng(11))
        hidden = hidden_of(machine, stock, seed)
        for speed in np.geomspace(0.5, 0.5 * machine.max_speed_mm_s, 12):
            said = (
                known.stall_chance(power=1.0, speed_mm_s=float(speed), focus_mm=thickness / 2) > 0.9
            )
            depth = dig(
                hidden,
                machine,
                dials_of([Setting(1.0, float(speed), 60, thickness / 2)]),
                thickness,
            ).depth_mm[0]
            found.append((said, bool(depth < thickness)))
    return found


def _tone_misses(seed):
    """Largest distance from linear, L*, of a ramp burnt through the table of 12 steps; one for each
    stock.
    """
    misses = []
    for machine, family in (
        (DIODE, "plywood"),
        (DIODE, "leather"),
        (DIODE, "board"),
        (CO2, "plywood"),
        (CO2, "hardwood"),
        (CO2, "mdf"),
        (CO2, "cork"),
        (CO2, "leather"),
    ):
        stock, pitch = Stock("tones", family, 3.0), round(0.6 * machine.spot_y_mm, 3)
        hidden = hidden_of(machine, stock, seed)
        top = machine.watts(1.0) / (hidden.made.over * 0.9 * pitch)
        speed = float(min(0.8 * machine.max_speed_mm_s, top))
        powers = np.linspace(1, 12, 12) / 12

        def look(fractions, hidden=hidden, machine=machine, stock=stock, speed=speed, pitch=pitch):
            dials = dials_of(
                [Setting(float(p), speed, pitch_mm=pitch, direction="x") for p in fractions]
            )
            return tone(
                hidden,
                machine,
                stock,
                dials,
                pitch_mm=np.full(len(fractions), pitch),
                ways=np.ones(len(fractions)),
            ).lightness

        noise = rng([seed, *family.encode()])
        seen = look(powers) + 1.5 * noise.standard_normal(12)
        blank = float(hidden.made.bare_l + 1.5 / np.sqrt(3) * noise.standard_normal())
        if np.ptp(look(powers)) < 12:
            continue  # nothing that one would print a picture with
        table = tone_table(
            powers, seen, Setting(1.0, speed, pitch_mm=pitch, direction="x"), blank=blank
        )
        burnt = look(table.power)
        misses.append(float(np.abs(burnt - np.linspace(burnt[0], burnt[-1], 256)).max()))
    return misses


def _focus_misses(seed):
    """Distance of the found focus from the true one in Rayleigh ranges, from nine heights over five
    of them.
    """
    misses = []
    for machine in (DIODE, CO2):
        for family in ("plywood", "board", "leather"):
            stock = Stock("lines", family, 3.0)
            heights = np.round(np.linspace(-2.5, 2.5, 9) * machine.rayleigh_mm, 2)
            case, hidden = case_of(machine, stock), hidden_of(machine, stock, seed)
            speed = 0.2 * machine.max_speed_mm_s
            power = float(
                np.clip(
                    8
                    * case.prior.threshold_j_mm2
                    * max(case.radii_mm)
                    * speed
                    / 0.8
                    / machine.watts(1.0),
                    0.1,
                    1.0,
                )
            )
            noise = rng([seed, *family.encode()])
            true = float(noise.uniform(-0.6, 0.6) * machine.rayleigh_mm)
            widths = dig(
                hidden,
                machine,
                dials_of([Setting(power, speed, 1, float(z - true)) for z in heights]),
                3.0,
            ).top_mm
            widths = np.round(
                widths * (1 + 0.05 * noise.standard_normal(9)) + 0.01 * noise.standard_normal(9), 2
            )
            fit = fit_burnt_lines(
                height_mm=heights,
                width_mm=np.where(widths > 0.02, widths, np.nan),
                rayleigh_mm=machine.rayleigh_mm,
            )
            misses.append(abs(fit.focus_mm - true) / machine.rayleigh_mm)
    return misses


# -- speed -----------------------------------------------------------------------------------------


def _milliseconds():
    """Medians over worlds of fit and map at 200 readings, the same again with the last fit at hand,
    and a fit of 5,000.
    """
    cold, warm, many = [], [], []
    for subject in (0, 3, 7, 12, 15):
        machine, stock = SUBJECTS[subject]
        coupons = coupons_of(machine, stock, scattered_cells(machine, stock, 1, 201), "speed")
        readings = [one.seen for coupon in coupons for one in StandInBench(1).burn(coupon)]
        power, speed = np.meshgrid(np.linspace(0.3, 1, 25), np.geomspace(2, 40, 25))
        first = None
        for times, count, before in ((cold, 200, False), (warm, 201, True)):
            began = time.perf_counter()
            known = know_cut(
                machine,
                stock,
                _read(coupons, readings[:count]),
                rng=rng(1),
                previous=first if before else None,
            )
            known.chance(
                power=power,
                speed_mm_s=speed,
                passes=1,
                focus_mm=1.0,
                particles=MAP_PARTICLES,
                nodes=MAP_NODES,
            )
            times.append(time.perf_counter() - began)
            first = known
        pairs = [
            (replace(coupon, id=f"{coupon.id}t{n}"), some)
            for n in range(25)
            for coupon, some in _read(coupons, readings)
        ]
        began = time.perf_counter()
        know_cut(machine, stock, pairs, rng=rng(1))
        many.append(time.perf_counter() - began)
    return tuple(1000 * float(np.median(times)) for times in (cold, warm, many))


# -- all together ----------------------------------------------------------------------------------


def measure(seeds=SEEDS, first=0):
    jobs = [
        (subject, seed, (subject + seed) % GP_EVERY == 0)
        for subject in range(len(SUBJECTS))
        for seed in range(first, first + seeds)
    ]
    with get_context("spawn").Pool(2) as pool:
        told = pool.map(_foretell, jobs, chunksize=1)
        decided = {
            name: pool.map(_decide, [(name, *job[:2], "next") for job in jobs], chunksize=1)
            for name in WORLDS
        }
        stalls = np.array(
            [row for rows in pool.map(_stalls, range(first, first + max(4, seeds))) for row in rows]
        )
        tones = np.array(
            [
                miss
                for rows in pool.map(_tone_misses, range(first, first + 5 * seeds))
                for miss in rows
            ]
        )
        focus = np.array(
            [
                miss
                for rows in pool.map(_focus_misses, range(first, first + 10 * seeds))
                for miss in rows
            ]
        )
    yield from _foretelling_lines(told)
    for name, rows in decided.items():
        yield from _deciding_lines(name, rows)
    said = stalls[stalls[:, 0] == 1]
    print(f"      a stall was said with over 0.9 at {len(said)} settings")
    yield (
        "share of stalls said over 0.9 that were none",
        float(1 - said[:, 1].mean()) if len(said) else 1.0,
        0.05,
    )
    yield "tone curve, L* off linear, median", float(np.median(tones)), 2.5
    yield "tone curve, L* off linear, p90", float(np.quantile(tones, 0.9)), 4.0
    yield "focus from nine heights, Rayleigh ranges off, p90", float(np.quantile(focus, 0.9)), 0.2
    cold, warm, many = _milliseconds()
    yield "200 readings, fit and map, ms, median", cold, 50
    yield "the same with the last fit at hand, ms", warm, 35
    yield "fit of 5,000 readings, ms", many, 1000


def _foretelling_lines(told):
    losses = np.array([rows for rows, _, _ in told])
    chance, outcome = (np.concatenate([row[i] for row in told]) for i in (1, 2))
    for k, count in enumerate(READ):
        groove, generic, logistic, process = losses[:, k].T
        fitted = np.isfinite(process)
        print(
            f"      {count} readings in {len(losses)} worlds, held-out log-loss: groove "
            f"{groove.mean():.3f}, generic prior {generic.mean():.3f}, "
            f"logistic {logistic.mean():.3f}, Gaussian process {process[fitted].mean():.3f}"
        )
        yield (
            f"log-loss over logistic, {count} readings",
            float(groove.mean() / logistic.mean()),
            0.5,
        )
        yield (
            f"log-loss over a Gaussian process, {count} readings",
            float(groove[fitted].mean() / process[fitted].mean()),
            0.7 if count == 200 else 0.5,
        )
        yield (
            f"log-loss with a generic prior, {count} readings",
            float(generic.mean() / groove.mean()),
            1.1,
        )
    bins = np.clip((10 * chance).astype(int), 0, 9)
    rows = [
        (float(chance[bins == b].mean()), float(outcome[bins == b].mean()), int((bins == b).sum()))
        for b in range(10)
        if (bins == b).any()
    ]
    print(
        "      said and happened, by tenths: "
        + ", ".join(f"{p:.2f} {q:.2f} ({n})" for p, q, n in rows)
    )
    yield "calibration error", sum(n * abs(p - q) for p, q, n in rows) / len(chance), 0.02


def _deciding_lines(name, decided):
    """The bars of the real path on one truth."""
    works = [rows for there, rows in decided if there]
    fails = [rows for there, rows in decided if not there]
    for cells, least in ((24, 0.80), (32, 0.86), (48, 0.90)):
        good = float(np.mean([_by(rows, cells).good for rows in works]))
        yield f"{name}: no success by {cells} cells where something works", 1 - good, 1 - least
    if fails:
        never = float(np.mean([_by(rows, 32).never for rows in fails]))
        print(f"      {name}: {len(fails)} worlds in which nothing works")
        yield f"{name}: nothing works, not said by 32 cells", 1 - never, 0.20
    wrongly = float(np.mean([rows[-1].never for rows in works]))
    yield f"{name}: said never where something works", wrongly, 0.01
    picks = [rows[-1] for rows in works if np.isfinite(rows[-1].chance)]
    chance, slower = (
        np.array([getattr(one, key) for one in picks]) for key in ("chance", "slower")
    )
    print(
        f"      {name}: picks' true success mean {chance.mean():.4f}, time over the best median "
        f"{np.median(slower):.3f}, p90 {np.quantile(slower, 0.9):.3f}"
    )
    yield f"{name}: picks whose true success is below 0.97", float(np.mean(chance < 0.97)), 0.03
    yield f"{name}: time over the best, median", float(np.median(slower)), 1.03
    yield f"{name}: time over the best, p90", float(np.quantile(slower, 0.9)), 1.08
    stops = [next((row.read for row in rows if row.stopped), 99) for rows in works]
    yield f"{name}: cells at which it stops of itself, median", float(np.median(stops)), 32
    yield f"{name}: cells at which it stops of itself, p90", float(np.quantile(stops, 0.9)), 40
    kept = np.array([one.at_margin for one in picks if np.isfinite(one.at_margin)])
    yield (
        f"{name}: true chance at the stated margin, off 0.95",
        abs(float(kept.mean()) - 0.95),
        0.02,
    )
    over = np.array([one.focus_over for one in picks if np.isfinite(one.focus_over)])
    yield f"{name}: focus overstated by over 20 %", float(np.mean(over > 1.2)), 0.05


def _by(rows, cells):
    """The last row up to so many cells; the first where that is over."""
    return ([row for row in rows if row.read <= cells] or rows[:1])[-1]


if __name__ == "__main__":
    for name, value, limit in measure(*map(int, sys.argv[1:])):
        print(
            f"{'ok  ' if value <= limit else 'OVER'}  {name}: {value:.3f} (at most {limit:g})",
            flush=True,
        )
