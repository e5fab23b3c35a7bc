"""Reading photos that the camera stand-in makes, over the five families, with and without
nuisances: 104, and 208 in the long study (make study).

Half of them hold a grey card.  Prints the table of docs/methods.md; yields each bar.
"""

import os
import subprocess
import sys
import time
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace

import numpy as np
from scipy.stats import spearmanr

from bench.planned import planned
from olive_almanac.core.design.suggest import suggest_levels
from olive_almanac.core.photo.locate import PhotoTrouble, face_points
from olive_almanac.core.photo.reader import read_photo
from olive_almanac.core.photo.together import seen_together
from olive_almanac.core.records.stock import Stock
from olive_almanac.demo.shop import MACHINES, STOCKS
from olive_almanac.formats.letters import letters
from olive_almanac.formats.photo import decode_photo
from olive_almanac.standins.bench import StandInBench
from olive_almanac.standins.camera import photograph, shot_of
from olive_almanac.standins.face import halo_mm
from olive_almanac.standins.material import hidden_of

PHOTOS = int(os.environ.get("OLIVE_BENCH_PHOTOS", "104"))  # make study: 208
FIRST_SEED = 5000
BOW_MM = 0.5
BOWED = 4  # photos of a bowed coupon of each kind
TIMED = 26  # photos whose reading is timed
TWICE, SECOND_SEED = 52, 20_000  # coupons of which a second photo is taken
DIODE, CO2, FIBRE = MACHINES
BIRCH, LEATHER, PLATE = (
    next(s for s in STOCKS if s.uid == uid) for uid in ("birch-3", "leather-2", "plate-1")
)
STATED_L = 1.0  # how well the stock's own L* is known, one standard deviation
KINDS = (  # family, kind, task, machine, stock
    ("wood and card", "grid", "engrave", CO2, BIRCH),
    ("wood and card", "grey", "engrave", CO2, BIRCH),
    ("wood and card", "grid", "engrave", CO2, Stock("Relief board", "board", 1.5, colour="grey")),
    ("leather and textile", "grid", "engrave", DIODE, LEATHER),
    ("leather and textile", "grid", "engrave", CO2, Stock("Felt", "felt", 2.0)),
    (
        "plastic",
        "grid",
        "engrave",
        CO2,
        Stock("Black cast acrylic", "acrylic", 3.0, colour="black"),
    ),
    ("plastic", "grid", "cut", CO2, Stock("Liner foam", "foam_eva", 5.0, colour="grey")),
    ("glass and stone", "grid", "engrave", CO2, Stock("Slate", "slate", 5.0)),
    ("metal", "grid", "engrave", FIBRE, PLATE),
    ("wood and card", "grid", "cut", CO2, BIRCH),
    ("leather and textile", "grid", "cut", DIODE, LEATHER),
    ("wood and card", "focus", "cut", DIODE, BIRCH),
    ("wood and card", "grid", "cut", CO2, Stock("Card", "card", 0.6)),
)


def _trial(kind, task, machine, stock):
    plain = replace(stock, sheets=())
    choices = suggest_levels(
        machine, plain, task, kind=kind, lettering=letters(), engraves=True
    ).choices
    uid = f"{kind}-{task}-{stock.name}"
    return planned(machine, plain, task, choices, trial_id=uid, name="Coupon 0007")


def one_photo(number):
    """Take and read one photo; return what was wrong with it as plain numbers."""
    family, kind, task, machine, stock = KINDS[number % len(KINDS)]
    seed, nuisances, card = FIRST_SEED + number, number % 4 >= 2, number % 2 == 1
    trial = _trial(kind, task, machine, stock)
    hidden = hidden_of(machine, stock, seed)
    known = hidden.made.bare_l + STATED_L * float(np.random.default_rng(seed).standard_normal())
    trial = replace(trial, stock=replace(trial.stock, lightness=float(np.clip(known, 1, 99))))
    burnt = {one.cell: one for one in StandInBench(seed).burn(trial)}
    size = (trial.coupon.width_mm, trial.coupon.height_mm)
    shot = replace(
        shot_of(seed, nuisances=nuisances, coupon_mm=size),
        card=card,
        bow_mm=BOW_MM if number >= PHOTOS else 0.0,
    )
    snap = photograph(trial, tuple(burnt.values()), hidden, letters(), seed=seed, shot=shot)
    photo = decode_photo(snap.jpeg)
    timed = (trial, snap.jpeg) if number < TIMED else None
    result = {
        "family": family,
        "timed": timed,
        "nuisances": nuisances,
        "task": task,
        "kind": kind,
        "read": False,
    }
    try:
        seen = read_photo(photo.pixels, trial, f35=photo.f35)
    except PhotoTrouble as problem:
        return result | {"why": problem.code}
    result |= {"read": True, "by_card": seen.by_card}
    middles = np.array(
        [(x + w / 2, y + h / 2) for x, y, w, h in (cell.rect_mm for cell in trial.cells)]
    )
    true_px = np.array([snap.pixel(*middle) for middle in middles])
    lens = seen.sight.lens
    result["off_mm"] = (
        np.linalg.norm(true_px - lens.project(face_points(trial, middles, "front")), axis=1)
        / lens.px_per_mm()
    ).tolist()
    hidden_px = (true_px < 4).any(1) | (
        true_px > np.array([lens.width_px, lens.height_px]) - 5
    ).any(1)
    rows = []
    for at, cell in enumerate(seen.cells):
        truth, planned = burnt[cell.cell], trial.cell(cell.cell)
        rows.append(
            {
                "flagged": bool(cell.flags),
                "delta": cell.delta_l,
                "delta_true": None
                if truth.lightness is None
                else truth.lightness - hidden.made.bare_l,
                "line": cell.line_mm,
                "line_true": truth.kerf_mm,
                "out": cell.out,
                "out_true": truth.through and truth.seen.verdict == "free",
                "halo": cell.halo_mm,
                "halo_true": halo_mm(truth),
                "hidden": bool(hidden_px[at]) or _covered(shot.cover, planned.rect_mm),
            }
        )
    result |= {"rows": rows}
    if number < TWICE:
        result["together"] = _with_second(trial, burnt, hidden, seed, nuisances, seen.cells)
    return result


def _with_second(trial, burnt, hidden, seed, nuisances, first):
    """Flags and errors, L*, of the cells by two photos; none where the second is not read."""
    seed += SECOND_SEED
    size = (trial.coupon.width_mm, trial.coupon.height_mm)
    shot = shot_of(seed, nuisances=nuisances, coupon_mm=size)
    snap = photograph(trial, tuple(burnt.values()), hidden, letters(), seed=seed, shot=shot)
    photo = decode_photo(snap.jpeg)
    try:
        second = read_photo(photo.pixels, trial, f35=photo.f35).cells
    except PhotoTrouble:
        return []
    told = []
    for cell in seen_together([first, second]):
        truth, off = burnt[cell.cell].lightness, None
        if truth is not None and cell.delta_l is not None:
            off = abs(cell.delta_l - truth + hidden.made.bare_l)
        told.append((bool(cell.flags), off))
    return told


def _covered(cover, rect):
    if cover is None:
        return False
    (x0, y0, x1, y1), _ = cover
    x, y = rect[0] + rect[2] / 2, rect[1] + rect[3] / 2
    return ((x - (x0 + x1) / 2) / ((x1 - x0) / 2)) ** 2 + (
        (y - (y0 + y1) / 2) / ((y1 - y0) / 2)
    ) ** 2 < 0.8


def _time_ratio(trial, data):
    """Reading with decoding over decoding alone, each the least of three in turn, nothing else
    running.
    """
    alone, whole = [], []
    for _ in range(3):
        began = time.perf_counter()
        decode_photo(data)
        alone.append(time.perf_counter() - began)
        began = time.perf_counter()
        photo = decode_photo(data)
        read_photo(photo.pixels, trial, f35=photo.f35)
        whole.append(time.perf_counter() - began)
    return min(whole) / min(alone)


def _peak_mb(megapixels):
    """Memory of reading one photo, this many megapixels large, in a process of its own."""
    code = (
        "import resource, sys, cv2, numpy as np\nfrom bench.photos import KINDS, _trial\n"
        "from olive_almanac.formats.photo import decode_photo\n"
        "from olive_almanac.core.photo.reader import read_photo\n"
        "trial = _trial(*KINDS[0][1:])\ndata = sys.stdin.buffer.read()\n"
        "photo = decode_photo(data)\nread_photo(photo.pixels, trial, f35=photo.f35)\n"
        "print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000)\n"
    )
    import cv2

    trial = _trial(*KINDS[0][1:])
    data = StandInBench(3).photograph(trial, letters(), nuisances=False)
    if megapixels > 12:
        picture = cv2.imdecode(
            np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR | cv2.IMREAD_IGNORE_ORIENTATION
        )
        factor = (megapixels * 1e6 / (picture.shape[0] * picture.shape[1])) ** 0.5
        data = cv2.imencode(".jpg", cv2.resize(picture, None, fx=factor, fy=factor))[1].tobytes()
    done = subprocess.run([sys.executable, "-c", code], input=data, capture_output=True, check=True)
    return float(done.stdout.split()[-1])


def measure():
    with ProcessPoolExecutor(2) as pool:
        results = list(pool.map(one_photo, range(PHOTOS), chunksize=4))
        bowed = [
            one
            for one in pool.map(one_photo, range(PHOTOS, PHOTOS + BOWED * len(KINDS)))
            if one["read"]
        ]
    read = [one for one in results if one["read"]]
    for one in results:
        if not one["read"]:
            print(f"      not read: {one['family']}, {one['task']}: {one['why']}")
    _print_table(results)
    rows = [(one, row) for one in read for row in one["rows"]]
    yield "photos not read, %", 100 * (1 - len(read) / len(results)), 3.0
    yield (
        "registration p95, mm",
        float(np.percentile([v for one in read for v in one["off_mm"]], 95)),
        0.05,
    )
    yield (
        f"registration p95, coupon bowed by {BOW_MM} mm, mm",
        float(np.percentile([v for one in bowed for v in one["off_mm"]], 95)),
        0.15,
    )
    for card, mean_limit, over_limit in ((True, 1.0, 0.3), (False, 1.8, 2.0)):
        off = np.array(
            [
                abs(r["delta"] - r["delta_true"])
                for one, r in rows
                if r["delta"] is not None and not r["flagged"] and one["by_card"] == card
            ]
        )
        word = "with a grey card" if card else "without"
        yield f"delta L* {word}, mean error", float(off.mean()), mean_limit
        yield (
            f"delta L* {word}, over 6 L* and not flagged, %",
            100 * float((off > 6).mean()),
            over_limit,
        )
    ranks = []
    for one in read:
        pairs = [
            (r["delta"], r["delta_true"])
            for r in one["rows"]
            if r["delta"] is not None and not r["flagged"]
        ]
        if len(pairs) > 5:
            ranks.append(spearmanr(*zip(*pairs, strict=True))[0])
    yield "rank order, what is missing from 1 in the median", 1 - float(np.median(ranks)), 0.02
    for nuisances, limit in ((False, 10.0), (True, 35.0)):
        flagged = [
            r["flagged"]
            for one, r in rows
            if one["nuisances"] == nuisances and one["kind"] != "focus"
        ]
        yield (
            f"cells flagged {'with' if nuisances else 'without'} nuisances, %",
            100 * float(np.mean(flagged)),
            limit,
        )
    pairs = [cell for one in read if one["nuisances"] for cell in one.get("together", ())]
    yield (
        "cells flagged with nuisances, by two photos, %",
        100 * float(np.mean([flagged for flagged, _ in pairs])),
        20.0,
    )
    gross = [off > 6 for flagged, off in pairs if off is not None and not flagged]
    yield "the same, delta L* over 6 and not flagged, %", 100 * float(np.mean(gross)), 1.5
    hidden = [r["flagged"] for _, r in rows if r["hidden"]]
    yield (
        f"covered or off the picture and not flagged ({len(hidden)} cells), %",
        100 * (1 - float(np.mean(hidden))),
        10.0,
    )
    lines = [
        abs(r["line"] - r["line_true"])
        for _, r in rows
        if r["line"] is not None and not r["flagged"] and r["line_true"] >= 0.15
    ]
    yield (
        f"line width from 0.15 mm, mean error of {len(lines)}, um",
        1000 * float(np.mean(lines)),
        15.0,
    )
    halos = [
        abs(r["halo"] - r["halo_true"])
        for _, r in rows
        if r["halo"] is not None and not r["flagged"]
    ]
    yield "halo, mean error, mm", float(np.mean(halos)), 0.2
    holes = [
        r["out"] != r["out_true"] for _, r in rows if r["out"] is not None and not r["flagged"]
    ]
    yield (
        f"through or not, wrong and not flagged of {len(holes)}, %",
        100 * float(np.mean(holes)),
        0.5,
    )
    times = [_time_ratio(*one["timed"]) for one in read if one["timed"]]
    yield "time over decoding, median", float(np.median(times)), 3.0
    yield "time over decoding, p95", float(np.percentile(times, 95)), 4.0
    yield "memory for 12 megapixels, MB", _peak_mb(12), 600.0
    yield "memory for 200 megapixels, MB", _peak_mb(200), 1200.0


def _print_table(results):
    print("      family               photos  read  flagged  delta L* mean error")
    for family in dict.fromkeys(one["family"] for one in results):
        mine = [one for one in results if one["family"] == family]
        rows = [row for one in mine if one["read"] for row in one["rows"]]
        off = [
            abs(r["delta"] - r["delta_true"])
            for r in rows
            if r["delta"] is not None and not r["flagged"]
        ]
        mean = f"{np.mean(off):.2f}" if off else "-"
        print(
            f"      {family:20} {len(mine):6} {sum(one['read'] for one in mine):5} "
            f"{100 * np.mean([r['flagged'] for r in rows]):7.1f} %  {mean}"
        )
