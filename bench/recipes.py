"""Recipes side by side, as the window goes: the cells that Plan lays, burnt on the stand-in with
another share taken up and another threshold behind the second recipe, read, and compared as Decide
does; and what would be with another head, lens or thickness, foretold from coupons of the old one.
"""

from dataclasses import replace

import numpy as np

from bench.planned import planned
from bench.worlds import SUBJECTS, burn, coupons_of, scattered_cells, without_knots
from olive_almanac.core.deciding.cut_knowledge import know_cut
from olive_almanac.core.deciding.recipes import compare_recipes
from olive_almanac.core.deciding.reckon import with_lens, with_power, with_thickness
from olive_almanac.core.design.suggest import Known, suggest_levels
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.recipe import AS_IT_LIES, Recipe, RecipeStep
from olive_almanac.core.records.setting import Setting
from olive_almanac.standins.bench import StandInBench
from olive_almanac.standins.groove import dials_of, dig
from olive_almanac.standins.material import hidden_of
from olive_almanac.standins.prepared import prepared

SEED = 8200
PLAIN = Recipe("propped up", (RecipeStep("medium", "a medium"),))  # wide belief, mean nought
SHIFTS = (0.0, 0.10, 0.15, 0.25)
WORLDS = 40
SUBJECTS_OF_RECIPES = (0, 2, 4, 12, 15, 20)
WHAT_IF_SUBJECTS = tuple(range(0, 24, 2))
STAND_IN_WORLDS = 48


class Shifted(StandInBench):
    """A bench on which the second recipe needs so much more ln energy, exactly."""

    def __init__(self, seed, shift):
        super().__init__(seed)
        self.shift = shift

    def _truths(self, trial):
        hidden = hidden_of(trial.machine, trial.stock, self.seed)
        less = replace(hidden, takes_up=hidden.takes_up * np.exp(-self.shift))
        return (hidden, less)


def compared(machine, stock, bench, recipes, batches, task="cut"):
    """The comparison after so many coupons, planned one after the other."""
    pairs = []
    for batch in range(batches):
        known = Known(pairs=pairs, recipes=recipes)
        choices = suggest_levels(machine, stock, task, kind="recipes", known=known).choices
        trial = planned(machine, stock, task, choices, trial_id=f"r-{bench.seed}-{batch}")
        pairs.append((trial, [one.seen for one in bench.burn(trial)]))
    return compare_recipes(pairs).differences[0], pairs


def told_by_shift():
    """By the number of coupons (2, 3) and the true shift: share told, told wrongly, and held by the
    80 % range.
    """
    rows = {2: {}, 3: {}}
    for shift in SHIFTS:
        found = {2: [], 3: []}
        for world in range(WORLDS):
            machine, stock = SUBJECTS[SUBJECTS_OF_RECIPES[world % len(SUBJECTS_OF_RECIPES)]]
            sign = 1 if world % 2 else -1
            bench = Shifted(SEED + world, sign * shift)
            try:
                last, pairs = compared(machine, stock, bench, (AS_IT_LIES, PLAIN), 3)
            except OutOfRange:
                continue
            setting = pairs[0][0].cells[0].setting
            true, other = (
                edge(hidden, machine, stock, setting) for hidden in bench._truths(pairs[0][0])
            )
            true -= other  # of speed, which is what a shop sees
            if not np.isfinite(true):
                continue
            for coupons, one in ((2, compare_recipes(pairs[:2]).differences[0]), (3, last)):
                sure = max(one.more, 1 - one.more) > 0.95
                wrong = sure and ((one.more > 0.5) != (true > 0) if shift else True)
                found[coupons].append((sure, wrong, one.low <= true <= one.high))
        for coupons, seen in found.items():
            rows[coupons][shift] = np.array(seen, float).mean(0)
    return rows


def edge(hidden, machine, stock, setting):
    """ln of the speed at which it is truly just through, or nan."""
    speeds = np.geomspace(0.05, machine.max_speed_mm_s, 300)
    settings = [replace(setting, speed_mm_s=float(v)) for v in speeds]
    depth = dig(hidden, machine, dials_of(settings), stock.true_thickness_mm).depth_mm
    through = np.flatnonzero(depth >= stock.true_thickness_mm)
    return np.log(speeds[through[-1]]) if len(through) else np.nan


def on_the_stand_in():
    """Shifts of the stand-in's own making (tape and pins): told where over 10 %, wrong, held."""
    tape = Recipe("taped", (RecipeStep("mask", "paper tape"), RecipeStep("support", "pins")))
    found = []
    for world in range(STAND_IN_WORLDS):
        machine, stock = SUBJECTS[world % len(SUBJECTS)]
        bench = StandInBench(SEED + 500 + world)
        try:
            one, pairs = compared(machine, stock, bench, (AS_IT_LIES, tape), 3)
        except OutOfRange:
            continue
        setting = pairs[0][0].cells[0].setting
        edges = [
            edge(prepared(machine, stock, recipe, bench.seed), machine, stock, setting)
            for recipe in (AS_IT_LIES, tape)
        ]
        true = edges[0] - edges[1]
        if np.isfinite(true):
            sure = max(one.more, 1 - one.more) > 0.95
            wrong = sure and (one.more > 0.5) != (true > 0)
            found.append((abs(true) > 0.10, sure, wrong, one.low <= true <= one.high))
    big, sure, wrong, held = np.array(found, bool).T
    return sure[big].mean(), wrong[sure].mean(), held.mean()


class ByEye(Shifted):
    """The same without a photo: no lightness is measured."""

    def burn(self, trial, **more):
        for one in super().burn(trial, **more):
            yield replace(one, seen=replace(one.seen, lightness=None))


def of_tones(kind, batches):
    """Two recipes of an engraving: shifts over 10 % told, told wrongly, and what the 80 % range
    holds of the true difference.
    """
    found = []
    for world in range(WORLDS):
        machine, stock = SUBJECTS[(0, 5, 12, 13)[world % 4]]
        rng = np.random.default_rng([SEED, world])
        true = float(rng.normal(0, 0.15))
        recipes = (AS_IT_LIES, PLAIN)
        bench = kind(SEED + 900 + world, true)
        one, _ = compared(machine, stock, bench, recipes, batches, task="engrave")
        sure = max(one.more, 1 - one.more) > 0.95
        wrong = sure and (one.more > 0.5) != (true > 0)
        found.append((abs(true) > 0.10, sure, wrong, one.low <= true <= one.high))
    big, sure, wrong, held = np.array(found, bool).T
    return sure[big].mean(), wrong.mean(), held.mean()


def what_if():
    """By change: what the 80 % range of the foretold edge speed holds."""
    held = {}
    for at in WHAT_IF_SUBJECTS:
        machine, stock = SUBJECTS[at]
        stock = replace(stock, lot="1")
        for seed in (SEED, SEED + 1):
            cells = scattered_cells(machine, stock, seed, 32)
            pairs = [(trial, burn(trial, seed)) for trial in coupons_of(machine, stock, cells, "w")]
            thick = stock.true_thickness_mm
            cases = {
                "as it is": (machine, stock),
                "twice the power": (with_power(machine, 2 * machine.optical_power_w), stock),
                "twice the power, a wider spot": (
                    with_lens(with_power(machine, 2 * machine.optical_power_w), 1.3),
                    stock,
                ),
                "a lens 1.33 longer": (with_lens(machine, 1.333), stock),
                "1.67 thicker": (machine, with_thickness(stock, 1.667 * thick)),
                "0.6 of the thickness": (machine, with_thickness(stock, 0.6 * thick)),
            }
            for name, (other, lies) in cases.items():
                focus = lies.true_thickness_mm / 2
                true = edge(
                    without_knots(other, lies, seed), other, lies, Setting(1.0, 1.0, 2, focus)
                )
                if not np.isfinite(true):
                    continue
                known = know_cut(other, lies, pairs, rng=np.random.default_rng(2))
                edges = known.edges(power=1.0, passes=2, focus_mm=focus)
                low, high = np.quantile(edges, [0.1, 0.9])
                held.setdefault(name, []).append(low <= true <= high)
    return {name: float(np.mean(rows)) for name, rows in held.items()}


def measure():
    by_coupons = told_by_shift()
    for coupons, bars in ((2, {0.15: 0.25, 0.25: 0.05}), (3, {0.10: 0.30, 0.15: 0.25})):
        rows, cells = by_coupons[coupons], 4 * coupons
        for shift, most in bars.items():
            yield f"{cells} cells each: {100 * shift:.0f} % not told", 1 - rows[shift][0], most
        yield f"{cells} cells each: alike, and told apart", rows[0.0][0], 0.14
        wrong = np.mean([rows[shift][1] for shift in SHIFTS if shift])
        yield f"{cells} cells each: told the wrong way round", float(wrong), 0.03
        held = np.mean([row[2] for row in rows.values()])
        yield f"{cells} cells each: 80 % range holds less than .72 by", 0.72 - float(held), 0.0
        yield f"{cells} cells each: 80 % range holds more than .92 by", float(held) - 0.92, 0.0
    told, wrong, held = on_the_stand_in()
    yield "stand-in, 12 cells each: over 10 % not told", 1 - told, 0.20
    yield "stand-in: told the wrong way round", wrong, 0.03
    yield "stand-in: 80 % range holds less than .72 by", 0.72 - held, 0.0
    for name, kind, batches, most in (
        ("photo, 8 cells each", Shifted, 1, 0.40),
        ("eye, 16 cells each", ByEye, 2, 0.65),
    ):
        told, wrong, held = of_tones(kind, batches)
        yield f"tones by {name}: over 10 % not told", 1 - told, most
        yield f"tones by {name}: told the wrong way round", wrong, 0.03
        yield f"tones by {name}: 80 % range holds less than .72 by", 0.72 - held, 0.0
    for name, share in what_if().items():
        yield f"what if {name}: 80 % range holds less than .75 by", 0.75 - share, 0.0
        yield f"what if {name}: 80 % range holds more than .95 by", share - 0.95, 0.0


if __name__ == "__main__":
    for coupons, rows in told_by_shift().items():
        print(coupons, {shift: np.round(row, 3) for shift, row in rows.items()})
    print("stand-in", on_the_stand_in())
    print("tones", of_tones(Shifted, 1), of_tones(ByEye, 2))
    print("what if", what_if())
