"""Jobs: how short the way is, how true to size parts come out, how quickly a drawing is read,
whether the chance of a whole job happens as said, and what deciding by cost saves.

Run alone with a number of seeds and the first of them: python -m bench.jobs 8 700
"""

import io
import itertools
import math
import os

os.environ.setdefault("OMP_NUM_THREADS", "1")  # two processes share the two cores

import sys
import time
from dataclasses import replace
from multiprocessing import get_context

import ezdxf
import numpy as np
import shapely
from scipy.special import log_ndtr, ndtr

from bench.deciding import WORLDS, _suggested
from bench.planned import planned
from bench.worlds import COOL, SUBJECTS, without_knots
from olive_almanac.core.design.suggest import flare_limit_of
from olive_almanac.core.design.telling import with_cells
from olive_almanac.core.quoting import spend
from olive_almanac.core.quoting.contours import Contour
from olive_almanac.core.quoting.kerf import beam_paths
from olive_almanac.core.quoting.order import order_of
from olive_almanac.core.quoting.risk import PATCH_MM, FirstCell, rows_of
from olive_almanac.core.quoting.spend import JobPrice, costs_of
from olive_almanac.formats.drawing_in import read_drawing
from olive_almanac.standins.bench import grip_of
from olive_almanac.standins.groove import dials_of, dig
from olive_almanac.standins.session import sheet_wave
from olive_almanac.standins.truth import edge_heat
from olive_almanac.steps.decide import Basis, decide_trial

SEEDS, EVERY = 1, 1
HEAD = {"speed_mm_s": 400.0, "acceleration_mm_s2": 3000.0}
SIZES = (20, 60)
HARD, HARD_SEEDS = 8.0, (2, 3)
BATCH, MOST_CELLS = 8, 32
DAYS, PLACES = 120, 24  # what happens over 24 days is luck: it told 1.1 for 1.3 and 1.8
LUCK = np.geomspace(0.25, 4.0, 33)
JOB_M = (1.0, 3.0, 6.0)
JOBS_A_WORLD = 2
rng = np.random.default_rng


def measure(seeds=SEEDS, first=0, every=EVERY):
    yield from _way()
    yield from _sizes()
    yield from _reading()
    with get_context("spawn").Pool(2) as pool:
        jobs = [(n, first + s) for s in range(seeds) for n in range(0, len(SUBJECTS), every)]
        rows = [row for row in pool.map(_world, jobs, chunksize=1) if row is not None]
    yield from _chances(rows)
    yield from _money(rows)
    yield from _offers([one for row in rows for one in row[3]], JOBS_A_WORLD * len(rows))


# -- the way ---------------------------------------------------------------------------------------


def _circle(x, y, r, count=24):
    t = np.linspace(0, 2 * np.pi, count, endpoint=False)
    return Contour(np.column_stack([x + r * np.cos(t), y + r * np.sin(t)]), True, "g")


def _box(x, y, w, h):
    return Contour(np.array([(x, y), (x + w, y), (x + w, y + h), (x, y + h)], float), True, "g")


def _line(x, y, turn, length):
    end = (x + length * math.cos(turn), y + length * math.sin(turn))
    return Contour(np.array([(x, y), end]), False, "g")


def _layout(kind, count, seed):
    draw, side = rng(seed), 25 * math.sqrt(count)
    if kind == "circles":
        return [_circle(x, y, draw.uniform(1, 5)) for x, y in draw.uniform(0, side, (count, 2))]
    if kind == "lines":
        places = draw.uniform(0, side, (count, 2))
        return [_line(x, y, draw.uniform(0, 6.3), draw.uniform(3, 25)) for x, y in places]
    if kind == "plates":
        made = []
        for n in range(max(1, count // 5)):
            x, y = 42 * (n % 6), 32 * (n // 6)
            made.append(_box(x, y, 40, 30))
            made += [_circle(x + dx, y + dy, 1.6) for dx in (5, 35) for dy in (5, 25)]
        return made
    if kind == "clusters":
        middles = draw.uniform(0, side, (max(2, count // 40), 2))
        places = [
            middles[draw.integers(len(middles))] + draw.normal(0, 18, 2) for _ in range(count)
        ]
        return [_circle(x, y, draw.uniform(0.5, 3)) for x, y in places]
    across = math.ceil(math.sqrt(count))
    return [_circle(10 * (n % across), 8.66 * (n // across), 3) for n in range(count)]


def _way():
    """Travel against a search of the same layout with eight times the effort, twice."""
    ratios = []
    for kind in ("circles", "lines", "plates", "clusters", "lattice"):
        for size in SIZES:
            contours = _layout(kind, size, 17)
            ours = order_of(contours, **HEAD).travel_s
            hard = [
                order_of(contours, effort=HARD, seed=seed, **HEAD).travel_s for seed in HARD_SEEDS
            ]
            ratios.append(ours / min(ours, *hard))
    yield (
        "travel of a job over a far longer search, median of 10 layouts",
        float(np.median(ratios)),
        1.02,
    )
    yield "the same, worst", max(ratios), 1.08
    began = time.process_time()
    order_of(_layout("circles", 2000, 17), **HEAD)
    yield "ordering 2,000 contours, s of processor time", time.process_time() - began, 1.0


# -- true to size ----------------------------------------------------------------------------------


class _Cutter:
    """A cut of its own kind: the beam's mark is a superellipse turned by four degrees, swelling in
    corners and waving by a few micrometres; sweeping is the hull of marks that follow.
    """

    def __init__(self, kerf_mm, seed):
        self.kerf, self.draw = np.array(kerf_mm), rng(seed)
        t = np.linspace(0, 2 * np.pi, 48, endpoint=False)
        c, s = np.cos(t), np.sin(t)
        mark = np.column_stack([np.sign(v) * abs(v) ** (2 / 2.6) for v in (c, s)])
        turn = math.radians(4)
        mark = mark @ [[math.cos(turn), math.sin(turn)], [-math.sin(turn), math.cos(turn)]]
        self.mark = mark / mark.max(0)

    def swept(self, ring):
        points = np.concatenate([ring, ring[:1]])
        steps = [
            a + (b - a) * k / n
            for a, b in itertools.pairwise(points)
            for n in [max(1, int(np.hypot(*(b - a))))]
            for k in range(n)
        ]
        steps = np.array([*steps, points[-1]])
        near = np.min([np.hypot(*(steps - corner).T) for corner in ring], axis=0)
        wave = 0.004 / self.kerf[0] * np.sin(np.arange(len(steps)) / 9 + self.draw.uniform(0, 6))
        size = 1 + 0.06 * np.exp(-near / 0.4) + wave
        marks = [self.mark * self.kerf / 2 * z + c for c, z in zip(steps, size, strict=True)]
        both = [np.concatenate(pair) for pair in itertools.pairwise(marks)]
        return shapely.union_all(shapely.convex_hull(shapely.multipoints(both)))

    def measured(self):
        """The kerf along each axis from three gauged slots, 0.01 mm noise and step."""
        return tuple(
            round(float(np.mean(k * 1.02 + 0.01 * self.draw.standard_normal(3))) / 0.01) * 0.01
            for k in self.kerf
        )


def _sizes():
    """Width and height of squares and plates with a window, as they come out."""
    misses = []
    for seed in range(8):
        kerf = rng(seed).uniform(0.10, 0.30, 2)
        cutter = _Cutter(kerf, seed)
        told = cutter.measured()
        outline = np.array([(0, 0), (40, 0), (40, 30), (0, 30)], float)
        window = np.array([(5, 5), (15, 5), (15, 15), (5, 15)], float)
        ((path,), (hole,)) = beam_paths([outline, window], [False, True], told)
        part = shapely.Polygon(path).difference(cutter.swept(path))
        part = max(getattr(part, "geoms", [part]), key=lambda one: one.area)
        opening = shapely.Polygon(hole).union(cutter.swept(hole))
        for shape, at, wanted in ((part, 25.0, (40, 30)), (opening, 10.0, (10, 10))):
            across = shape.intersection(shapely.LineString([(-9, at), (99, at)])).length
            up = shape.intersection(shapely.LineString([(at, -9), (at, 99)])).length
            misses += [abs(across - wanted[0]), abs(up - wanted[1])]
    yield "sizes of parts with the kerf of each axis, mean miss, mm", float(np.mean(misses)), 0.008
    yield "the same, worst", max(misses), 0.03


# -- reading ---------------------------------------------------------------------------------------


def _reading():
    draw = rng(5)
    turns = np.linspace(0, 2 * np.pi, 41)[:-1]
    rings = [
        np.column_stack([x + 3 * np.cos(turns), y + 3 * np.sin(turns)])
        for x, y in draw.uniform(0, 900, (5000, 2))
    ]
    shapes = [
        '<path stroke="red" fill="none" d="M'
        + " ".join(f"{x:.3f},{y:.3f}" for x, y in ring.tolist())
        + 'z"/>'
        for ring in rings
    ]
    svg = (
        '<svg xmlns="http://www.w3.org/2000/svg" width="1000mm" height="1000mm" '
        f'viewBox="0 0 1000 1000">{"".join(shapes)}</svg>'
    )
    document = ezdxf.new()
    document.header["$INSUNITS"] = 4
    for ring in rings:
        document.modelspace().add_lwpolyline(ring.tolist(), close=True)
    text = io.StringIO()
    document.write(text)
    for name, data, limit in (
        ("a.svg", svg.encode(), 4.0),
        ("a.dxf", text.getvalue().encode(), 6.0),
    ):
        began = time.process_time()
        read_drawing(data, name)
        words = f"reading 5,000 paths of {name[2:].upper()} with findings, s of processor time"
        yield words, time.process_time() - began, limit


# -- how sure --------------------------------------------------------------------------------------


def _world(job):
    """What was said of jobs of one world and what happens: chances said and true for candidate
    settings, and their costs; None where nothing was picked.
    """
    subject, seed = job
    machine, stock = SUBJECTS[subject]
    known, decision = _decided(machine, stock, seed)
    if not decision.picks:
        return None
    book = decision.picks[0].setting
    every, allowed = spend._candidates(known, book)
    hidden = without_knots(machine, stock, seed)
    heat = edge_heat(hidden, machine, stock, every)
    cool = np.asarray(heat < COOL * hidden.made.flares) | (np.arange(len(every)) == 0)
    kept = np.flatnonzero(cool & allowed)
    settings = [every[n] for n in kept]
    slack_of_all, spread = _slack(hidden, machine, stock, every, seed)
    slack = slack_of_all[kept]
    rows = rows_of(known, settings)
    said, true = [], []
    for metres in JOB_M:
        patches = 1000 * metres / PATCH_MM
        said.append(rows.all_free(patches))
        true.append(np.exp(patches * log_ndtr(slack / spread).mean(-1)).mean(-1))
    money, offers = [], []
    for number in range(JOBS_A_WORLD):
        price = _price(seed, number, len(settings))
        money.append(_spent(rows, settings, slack, spread, price))
        offer = spend.offer_of(known, book, price)
        if offer is not None:
            offers.append(_saved(known, offer, every, kept, slack_of_all, spread, price))
    return np.array(said), np.array(true), money, offers


def _decided(machine, stock, seed):
    """The window's own path: batches of the most telling cells until it stops."""
    world = WORLDS["stand-in"](machine, stock, seed)
    grid, choices = _suggested(machine, stock, "grid"), _suggested(machine, stock, "next")
    pairs, known, decision, read = [], None, None, 0
    while read < MOST_CELLS:
        trial = planned(
            machine,
            stock,
            "cut",
            choices,
            trial_id=f"j{seed}b{len(pairs)}",
            limit=flare_limit_of(stock, pairs),
        )
        pairs.append((trial, world.burn(trial)))
        read += len(pairs[-1][1])
        kept = decision.picks[0].setting if decision is not None and decision.picks else None
        basis = Basis(pairs, kept=kept, previous=known)
        decision, known = decide_trial(pairs, basis=basis, count=BATCH)
        if decision.enough or decision.never or not decision.next_cells:
            break
        choices = with_cells(grid, decision.next_cells, machine)
    return known, decision


def _slack(hidden, machine, stock, settings, seed):
    """ln of the luck that a patch may lack [settings, days, places], and the spread of its luck."""
    whose = f"{machine.name} {stock.family} {stock.thickness_mm}"  # each world has its own days
    draw = rng([seed, 99, *whose.encode()])
    power, focus, thick = draw.uniform(-1, 1, (3, DAYS))
    strength = 1 - hidden.tube_sag * draw.random(DAYS) + 0.05 * power
    thickness, count = stock.true_thickness_mm, len(settings)
    each = DAYS * len(LUCK)
    dials = replace(
        dials_of(settings).repeated(each),
        luck=np.tile(LUCK, count * DAYS),
        strength=np.tile(np.repeat(strength, len(LUCK)), count),
        shift_mm=np.tile(np.repeat(focus, len(LUCK)), count),
    )
    depth = dig(hidden, machine, dials, thickness).depth_mm.reshape(count, DAYS, len(LUCK))
    grip = np.array([grip_of(hidden, one.speed_mm_s) for one in settings])
    needed = thickness * (1 + 0.05 * thick)[None, :] * (1 + grip[:, None])
    short = -np.log(depth / needed[..., None])
    # more luck wanted makes the cut shallower: where it is just through is how much it may want
    most = np.array(
        [[np.interp(0, row, np.log(LUCK), left=-9, right=9) for row in rows] for rows in short]
    )
    places = draw.uniform(0, 1, (PLACES, 2)) * (400, 300)
    waves = np.log([sheet_wave(hidden, x, y) for x, y in places])
    return most[..., None] - waves, hidden.cell_spread


def _price(seed, number, count):
    draw = rng([seed, number, count])
    return JobPrice(
        1000 * float(draw.choice((1.5, 3, 6, 12))),
        float(draw.choice((3, 8, 20, 45))),
        float(draw.choice((12, 25, 40))),
        60.0,
        "sheet" if number % 2 else "knife",
    )


def _true_costs(settings, slack, spread, price):
    """What each setting costs on each day, [settings, days]."""
    patches = price.length_mm / PATCH_MM
    log_free = log_ndtr(slack / spread).mean(-1)  # [settings, days]
    run = np.array([spend._run_s(one, price) for one in settings])
    redo = price.stock + (run / 3600 + spend.CLEARING_MIN / 60) * price.hour_rate
    if price.hang == "sheet":
        loss = -np.expm1(patches * log_free) * redo[:, None]
    else:
        each = spend.FREEING_MIN / 60 * price.hour_rate + spend.SPOILS * spend.PART_WORTH
        hung = patches * -np.expm1(log_ndtr(slack / spread)).mean(-1)
        loss = -redo[:, None] * np.expm1(-hung * each / redo[:, None])
    return (run / 3600 * price.hour_rate)[:, None] + loss


def _saved(known, offer, every, kept, slack, spread, price):
    """What cells burnt first were said to save, what they cost, and what they save in truth: the
    setting of least cost after each of their outcomes, over all days.
    """
    first = [_nearest(every, one) for one in offer.settings]
    settings = [every[n] for n in kept]
    true = _true_costs(settings, slack[kept], spread, price)
    falls = ndtr(slack[first] / spread).mean(-1)  # [cells, days]
    at_once = int(costs_of(rows_of(known, settings), settings, price).argmin())
    saved = true[at_once].mean()
    for outcome in itertools.product((False, True), repeat=len(first)):
        cells = [FirstCell(*one) for one in zip(offer.settings, outcome, strict=True)]
        chosen = int(costs_of(rows_of(known, settings, first=cells), settings, price).argmin())
        chance = np.where(np.array(outcome)[:, None], falls, 1 - falls).prod(0)
        saved -= (chance * true[chosen]).mean()
    return price.hang, offer.saves, offer.cost, float(saved) - offer.cost


def _nearest(every, wanted):
    """Which of the candidates was dialled for a cell."""
    same = [n for n, one in enumerate(every) if one.passes == wanted.passes]
    return min(same, key=lambda n: abs(every[n].speed_mm_s - wanted.speed_mm_s))


def _spent(rows, settings, slack, spread, price):
    """What some rules cost in the mean over the days, the best first."""
    true = _true_costs(settings, slack, spread, price).mean(-1)
    said = costs_of(rows, settings, price)
    slower = np.array([one.passes / one.speed_mm_s for one in settings])
    tenth = int(np.abs(slower / slower[0] - 1 / 0.9).argmin())
    fifth = int(np.abs(slower / slower[0] - 1 / 0.8).argmin())
    return (
        price.hang,
        float(true.min()),
        float(true[int(said.argmin())]),
        float(true[0]),
        float(true[tenth]),
        float(true[fifth]),
    )


def _chances(rows):
    said = np.concatenate([row[0].ravel() for row in rows])
    true = np.concatenate([row[1].ravel() for row in rows])

    def loss(chance):
        p = np.clip(chance, 1e-4, 1 - 1e-4)
        return float(-np.mean(true * np.log(p) + (1 - true) * np.log(1 - p)))

    bins = np.digitize(said, (0.02, 0.1, 0.3, 0.5, 0.7, 0.9, 0.98))
    told = [(said[bins == n].mean(), true[bins == n].mean()) for n in range(8) if (bins == n).any()]
    print(
        f"      {len(rows)} worlds; said/happened by bins: "
        + " ".join(f"{a:.2f}/{b:.2f}" for a, b in told)
    )
    yield (
        "chance that all of a job falls free, mean said less happened",
        abs(float(said.mean() - true.mean())),
        0.03,
    )
    yield "the same, log-loss over that of the truth", loss(said) / loss(true), 1.35
    worst = max(abs(a - b) for a, b in told if a > 0.05)
    yield "the same, worst bin", worst, 0.08
    picks = np.array([(row[0][-1][0], row[1][-1][0]) for row in rows])
    print(
        f"      at the picks, over {JOB_M[-1]:g} m: said {picks[:, 0].mean():.3f}, "
        f"happened {picks[:, 1].mean():.3f}"
    )


def _money(rows):
    for hang, limit in (("sheet", 0.06), ("knife", 0.04)):
        money = np.array([one[1:] for row in rows for one in row[2] if one[0] == hang])
        best = money[:, 0].sum()
        regret = money.sum(0) / best - 1
        names = ("least cost", "by the entry", "a tenth slower", "a fifth slower")
        told = ", ".join(f"{name} {r:.3f}" for name, r in zip(names, regret[1:], strict=True))
        print(f"      regret where a hang costs the {hang}: {told}")
        yield f"regret of the least cost by money, a hang costs the {hang}", float(regret[1]), limit


def _offers(offers, jobs):
    """Cells burnt first on the sheet, where they are offered."""
    if not offers:
        return
    said, cost, true = np.array([one[1:] for one in offers]).T
    print(
        f"      cells first offered in {len(offers)} of {jobs} jobs: said to save "
        f"{said.mean():.2f} beyond their {cost.mean():.2f}, true {true.mean():.2f}"
    )
    yield "cells first where offered, true mean saving lost", float(-true.mean()), 0.0
    yield "the same, share that loses more than it costs", float((true < -cost).mean()), 0.05


if __name__ == "__main__":
    asked, start = (int(word) for word in (*sys.argv[1:], SEEDS, 0)[:2])
    for what, value, limit in measure(asked, start, 1):
        print(f"{'ok  ' if value <= limit else 'OVER'}  {what}: {value:.3f} (at most {limit:g})")
