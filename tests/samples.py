"""Sample records of the demo shop, and readings made from a plain rule, for tests that
need some.
"""

from dataclasses import replace

from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.core.design.plan import plan_trial
from olive_almanac.core.design.suggest import Known, flare_limit_of, suggest_levels
from olive_almanac.core.materials.catalogue import Permission
from olive_almanac.core.notes.entries import bring_in
from olive_almanac.core.records.entry import Entry
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.recipe import AS_IT_LIES, Recipe, RecipeStep
from olive_almanac.core.records.run import CellBurn, RunRecord
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Stock
from olive_almanac.formats.gcode_check import CheckLimits
from olive_almanac.formats.letters import letters

NORTH = Machine(
    "North Bench", "diode", 450, 10, 0.12, 0.08, 1.7, 300, 3000, (400, 400), uid="north-bench"
)
LONG = Machine("Long Bed", "co2", 10600, 60, 0.20, 0.20, 2.5, 500, 6000, (900, 600), uid="long-bed")
MARKER = Machine(
    "Marker", "fibre", 1064, 20, 0.05, 0.05, 1.2, 2000, 20000, (110, 110), uid="marker"
)
BIRCH = Stock("Birch ply", "plywood", 3.0, (3.02, 3.05, 2.98), lot="7", uid="birch-3")
LEATHER = Stock("Map leather", "leather", 2.0, lot="9", uid="leather-2")
VINYL = Stock("Shelf vinyl", "vinyl", 0.5, uid="vinyl-05")
PLATE = Stock("Hive plate", "coated_metal", 1.0, finish="black coat", lot="6", uid="plate-1")
DAY = "2026-04-14"
TAPED = Recipe(
    "taped face",
    (RecipeStep("mask", "paper tape", "one layer"), RecipeStep("support", "pins")),
    (RecipeStep("peel", minutes=3.0),),
    ln_energy=0.08,
)
ALLOWED = Permission(True)


def cut_trial(machine=LONG, stock=BIRCH, **changes):
    """A planned cut trial with the suggested levels, or with changed choices."""
    return _trial(machine, stock, "cut", changes)


def engrave_trial(machine=LONG, stock=BIRCH, **changes):
    return _trial(machine, stock, "engrave", changes)


def kind_plan(kind, task="cut", machine=LONG, stock=BIRCH, **changes):
    """A planned trial of a kind, with labels and photo marks, inside the flare limit, as the Plan
    station makes it.
    """
    suggested = suggest_levels(
        machine,
        stock,
        task,
        kind="grid" if kind == "next" else kind,
        known=Known(recipes=(AS_IT_LIES, TAPED) if kind == "recipes" else ()),
        lettering=letters(),
        engraves=True,
    )
    choices = replace(suggested.choices, **changes)
    if kind == "next":
        pattern = Setting(
            1.0, 20.0, pitch_mm=choices.pitch_mm[0], direction="x" if choices.pitch_mm[0] else "xy"
        )
        choices = replace(
            choices,
            kind="next",
            settings=tuple(replace(pattern, speed_mm_s=v) for v in (20.0, 15.0, 12.0)),
        )
    return plan_trial(
        machine,
        stock,
        task,
        choices,
        permission=ALLOWED,
        trial_id=f"coupon-{kind}-{task}",
        name="Coupon 0007",
        made=DAY,
        lettering=letters(),
        engraves=True,
        limit=flare_limit_of(stock),
        settle=True,
    )


def area_limits(trial):
    """The limits that a trial's file must keep: bed, speed, power, coupon, and clamps with the
    head's clearance.
    """
    machine, (left, low, right, high), keep = (
        trial.machine,
        trial.area_mm,
        trial.machine.head_clearance_mm,
    )
    clamps = tuple(
        (b[0] - keep, b[1] - keep, b[2] - b[0] + 2 * keep, b[3] - b[1] + 2 * keep)
        for b in (trial.sheet.clamps_mm if trial.sheet else ())
    )
    return CheckLimits(
        machine.bed_mm,
        machine.max_speed_mm_s,
        machine.power_scale,
        (left, low, right - left, high - low),
        clamps,
    )


def _trial(machine, stock, task, changes):
    choices = replace(suggest_levels(machine, stock, task).choices, **changes)
    return plan_trial(
        machine,
        stock,
        task,
        choices,
        permission=ALLOWED,
        trial_id="coupon-1",
        name="Coupon 0001",
        made=DAY,
    ).trial


def whole_run(trial, by="machine") -> RunRecord:
    """The run of a trial of which every cell has burnt, without what a stand-in would tell."""
    return RunRecord(by=by, cells={cell.id: CellBurn() for cell in trial.cells})


def small_choices(**changes) -> TrialChoices:
    return replace(TrialChoices((0.5, 1.0), (5.0, 10.0, 20.0)), **changes)


def read_by_energy(trial, edge_j_mm: float, band: float = 0.08):
    """Readings of a world where a cut is through from a line energy on, and hangs just above it."""
    readings = []
    for cell in trial.cells:
        setting = cell.setting
        energy = setting.passes * setting.power * trial.machine.optical_power_w / setting.speed_mm_s
        verdict = (
            "not_through"
            if energy < edge_j_mm
            else "hangs"
            if energy < edge_j_mm * (1 + band)
            else "free"
        )
        readings.append(Reading(cell.id, verdict, char=min(2, int(energy / edge_j_mm / 1.3))))
    return readings


def read_by_tone(trial, light_j_mm2: float, dark_j_mm2: float):
    """Readings of a world where the tone is right between two areal energies."""
    readings = []
    for cell in trial.cells:
        setting = cell.setting
        energy = (
            setting.passes
            * setting.power
            * trial.machine.optical_power_w
            / (setting.speed_mm_s * setting.pitch_mm)
        )
        readings.append(
            Reading(
                cell.id,
                "too_light"
                if energy < light_j_mm2
                else "too_dark"
                if energy > dark_j_mm2
                else "right",
            )
        )
    return readings


def bring_in_plainly(notes, **changes):
    """What old notes bring into an empty book of one machine and one stock."""
    shop = {"machine": LONG, "machines": (LONG,), "stocks": (BIRCH,), "entries": ()}
    usual = {"speed_unit": "mm/s", "day": DAY, "new_id": lambda: "id"}
    return bring_in(notes, **{**shop, **usual, **changes})


def sample_entry(**changes) -> Entry:
    entry = Entry("e1", LONG.uid, BIRCH.uid, "cut", Setting(0.85, 12.0, 1, 1.5), "trial", DAY, "7")
    return replace(entry, **changes)
