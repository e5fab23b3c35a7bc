"""What went wrong: faults planted on the stand-in by seed, coupons burnt and read there, and the
records around them drawn by chances of their own; how high the true cause stands.

The chances by which a shop's records tell of a fault are not those of formats/causes.json: a lens
may be clean by the calendar and dirty, a height may be wrong though it was ticked.
"""

from collections import Counter
from dataclasses import replace

import numpy as np

from bench.planned import planned
from bench.worlds import CO2, DIODE, SUBJECTS
from olive_almanac.core.deciding.causes import SIGNS, likely_causes
from olive_almanac.core.deciding.cut_knowledge import FIT_SEED, know_cut
from olive_almanac.core.deciding.engrave import know_tone
from olive_almanac.core.deciding.signs import read_signs
from olive_almanac.core.design.choices import holding
from olive_almanac.core.design.suggest import Known, suggest_levels
from olive_almanac.core.records.recipe import Recipe, RecipeStep
from olive_almanac.core.records.stock import Stock
from olive_almanac.formats.catalogue import load_causes
from olive_almanac.standins.bench import StandInBench
from olive_almanac.standins.faults import Fault
from olive_almanac.steps.decide import decide_trial
from olive_almanac.steps.permission import group_of

SEED = 7300
FAULTS = 200
SQUARES = 16
SYMPTOMS = (
    "weaker",
    "stronger",
    "lighter",
    "darker",
    "lighter_all",
    "darker_all",
    "no_mark",
    "patchy",
    "one_side",
    "hangs",
    "scattered",
    "charred",
    "kerf_wide",
    "melt",
    "haze",
    "uneven",
)
TRUE = {
    "focus": ("focus_off", "defocus_tone"),
    "tilt": ("tilt",),
    "dirty lens": ("dirty_lens",),
    "weak tube": ("weak_source",),
    "no air": ("no_air",),
    "bubble": ("bubble",),
    "wrong face": ("wrong_face",),
    "film left": ("film_on",),
    "wrong lot": ("other_lot", "easier_lot"),
}
DIRTY = {"weaker": True, "lens_due": True, "power_low": True, "drifts": True}
TAPE = Recipe("tape", (RecipeStep("medium", "dark masking tape", needed=True),))
GLASS = Stock("Cover glass", "glass", 4.0, (4.0,), opacity="clear")
LEATHER = Stock("Map leather", "leather", 2.0, (2.0,))
PLASTIC = Stock("Black acrylic", "acrylic", 3.0, (3.0,), colour="black", mask="film")


def subject(kind, rng):
    """A machine, stock, task and recipe on which a fault can happen."""
    if kind == "bubble":
        return DIODE, GLASS, "engrave", (TAPE,)
    if kind == "wrong face":
        return (DIODE, CO2)[rng.integers(2)], LEATHER, "engrave", ()
    if kind == "film left":
        return CO2, PLASTIC, "engrave", ()
    of_cuts = [one for one in SUBJECTS if kind not in ("weak tube",) or one[0] is CO2]
    machine, stock = of_cuts[rng.integers(len(of_cuts))]
    return machine, stock, "cut", ()


def fault_of(kind, rng, machine, coupon):
    far = machine.rayleigh_mm
    sign = rng.choice([-1, 1])
    return {
        "focus": lambda: Fault(kind, sign * far * rng.uniform(1.0, 2.2)),
        "tilt": lambda: Fault(kind, sign * far * rng.uniform(1.5, 3.0)),
        "dirty lens": lambda: Fault(kind, rng.uniform(0.12, 0.4)),
        "weak tube": lambda: Fault(kind, rng.uniform(0.12, 0.4)),
        "no air": lambda: Fault(kind),
        "bubble": lambda: Fault(
            kind,
            rng.uniform(8.0, 16.0),
            (rng.uniform(15, coupon.width_mm - 15), rng.uniform(15, coupon.height_mm - 15)),
        ),
        "wrong face": lambda: Fault(kind, sign * rng.uniform(0.5, 1.1)),
        "film left": lambda: Fault(kind, rng.uniform(0.2, 0.5)),
        "wrong lot": lambda: Fault(kind, sign * rng.uniform(0.15, 0.35)),
    }[kind]()


def records(kind, fault, rng, machine, stock, recipes):
    """What the shop's records say: true of any day, likelier where the fault is behind it."""

    def so(usual, with_it, *kinds):
        return bool(rng.random() < (with_it if kind in kinds else usual))

    signs = {
        "lens_due": so(0.22, 0.60, "dirty lens"),
        "mirrors_due": so(0.22, 0.22),
        "source_old": so(0.12, 0.65, "weak tube"),
        "lot_new": so(0.12, 0.75, "wrong lot"),
        "changed_lately": so(0.06, 0.15, "focus"),
        "focus_unticked": so(0.10, 0.45, "focus"),
        "level_unticked": so(0.20, 0.45, "tilt"),
        "unmeasured": so(0.30, 0.30),
        "first_time": False,
        "thicker": False,
        "drifts": so(0.10, 0.50, "dirty lens", "weak tube"),
        "wood": group_of(stock) == "Wood",
        "two_faces": stock.family == "leather",
        "medium_on": bool(recipes),
        "medium_missing": False,
        "mask_on": False,
        "film_on": kind == "film left" and rng.random() < 0.8,
        "face_unticked": so(0.15, 0.55, "wrong face"),
        "thick": stock.thickness_mm >= 8,
        "thin_stock": stock.thickness_mm <= 1,
    }
    if rng.random() < 0.5:  # half of the shops have a meter
        lost = fault.amount if kind in ("dirty lens", "weak tube") else 0.0
        signs["power_low"] = bool(-lost + rng.normal(0, 0.03) < np.log(0.92))
    return signs


def seen(kind, readings, rng):
    """Readings with the defects that a person notes where a film was left on."""
    if kind != "film left":
        return readings
    out = []
    chances = (("melt", 0.6), ("uneven", 0.5), ("haze", 0.4))
    noted = [name for name, p in chances if rng.random() < p]  # on this coupon at all
    for reading in readings:
        defects = [name for name in noted if rng.random() < 0.5]
        out.append(replace(reading, defects=(*reading.defects, *defects)))
    return out


def faulty_run(machine, stock, task, known, number):
    """What is burnt when it goes wrong: for a cut so many squares of the setting that was decided,
    over the whole bed; for a tone another strip of settings.
    """
    choices = suggest_levels(machine, stock, task, known=known).choices
    if task == "cut":
        decision, _ = decide_trial(known.pairs)
        setting = (
            decision.picks[0].setting if decision.picks else known.pairs[-1][0].cells[0].setting
        )
        choices = replace(
            choices, **holding(setting), kind="confirm", repeats=SQUARES, cell_mm=20.0
        )
    return planned(machine, stock, task, choices, trial_id=f"faulty-{number}")


def one_fault(number, seed=SEED):
    rng = np.random.default_rng([seed, number])
    kind = list(TRUE)[number % len(TRUE)]
    machine, stock, task, recipes = subject(kind, rng)
    bench = StandInBench(seed + number)
    known = Known(recipes=recipes)
    pairs = []
    for at in range(2):  # a sound coupon, then one closer around the edge, then the faulty one
        choices = suggest_levels(machine, stock, task, known=replace(known, pairs=pairs)).choices
        trial = planned(machine, stock, task, choices, trial_id=f"sound-{number}-{at}")
        pairs.append((trial, [one.seen for one in bench.burn(trial)]))
    trial = faulty_run(machine, stock, task, replace(known, pairs=pairs), number)
    fault = fault_of(kind, rng, machine, trial.coupon)
    burnt = list(bench.burn(trial, fault=fault))
    readings = seen(kind, [one.seen for one in burnt], rng)
    if task == "cut":
        expected = know_cut(machine, stock, pairs, rng=np.random.default_rng(FIT_SEED))
    else:
        expected = know_tone(machine, stock, pairs, task=task)
    signs = records(kind, fault, rng, machine, stock, recipes)
    signs |= read_signs(trial, readings, expected, pairs)
    signs["smokes"] = sum(one.smokes for one in burnt) > len(burnt) / 10
    group = group_of(stock)
    found = likely_causes(load_causes(), machine, task, group=group, signs=signs)
    beside = None
    told = [sign for sign, so in signs.items() if so and SIGNS[sign].told]
    if told and kind != "dirty lens":
        sign = max(told, key=lambda one: tells_of(kind, one))
        both = likely_causes(
            load_causes(), machine, task, group=group, signs=signs | DIRTY, pointed_at=[sign]
        )
        beside = place_of(kind, both)
    return kind, place_of(kind, found), signs, beside


def place_of(kind, found):
    names = [one.cause.id for one in found]
    return min(names.index(name) for name in TRUE[kind] if name in names)


def tells_of(kind, sign):
    """How much a sign tells of a kind of fault: one points at what is plainest."""
    shares = (one.tells.get(sign, 0.0) for one in load_causes() if one.id in TRUE[kind])
    return max(shares) / SIGNS[sign].usual


def shows(signs):
    """Whether anything went wrong at all: else nobody would ask."""
    return any(signs.get(sign) for sign in SYMPTOMS)


def study(count=FAULTS, seed=SEED):
    """Places of the true cause by kind, of so many faults that show; and where the lens is dirty as
    well and one sign is pointed at.
    """
    places, besides, number, told = {}, [], 0, 0
    while told < count:
        kind, place, signs, beside = one_fault(number, seed)
        number += 1
        if shows(signs):
            told += 1
            places.setdefault(kind, []).append(place)
            besides.extend([] if beside is None else [beside])
    return places, besides, 1 - count / number


def measure():
    places, besides, silent = study()
    every = np.concatenate([np.array(one) for one in places.values()])
    yield "causes: the true one is not first", float((every > 0).mean()), 0.40
    yield "causes: the true one is not among three", float((every > 2).mean()), 0.10
    yield "causes: faults that show nothing and are left out", silent, 0.15
    two = np.array(besides)
    yield "causes: pointed at beside a dirty lens, not first", float((two > 0).mean()), 0.45
    yield "causes: pointed at beside a dirty lens, not among three", float((two > 2).mean()), 0.2
    for kind, one in places.items():
        yield f"causes, {kind}: not among three", float((np.array(one) > 2).mean()), 0.35


if __name__ == "__main__":
    import sys

    found, silent = study(seed=int(sys.argv[1]) if len(sys.argv) > 1 else SEED)
    whole = np.concatenate([np.array(one) for one in found.values()])
    print((whole < 1).mean(), (whole < 3).mean(), silent)
    for name, spots in found.items():
        print(name, Counter(spots))
