"""Sample records of the demo shop, and readings made from a plain rule, for tests that need some."""

from dataclasses import replace

from olive_almanac.core.design.grid import GridChoices, plan_grid
from olive_almanac.core.design.suggest import suggest_grid
from olive_almanac.core.materials.catalogue import Permission
from olive_almanac.core.records.entry import Entry
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Stock

NORTH = Machine("North Bench", "diode", 450, 10, 0.12, 0.08, 1.7, 300, 3000, (400, 400), uid="north-bench")
LONG = Machine("Long Bed", "co2", 10600, 60, 0.20, 0.20, 2.5, 500, 6000, (900, 600), uid="long-bed")
MARKER = Machine("Marker", "fibre", 1064, 20, 0.05, 0.05, 1.2, 2000, 20000, (110, 110), uid="marker")
BIRCH = Stock("Birch ply", "plywood", 3.0, (3.02, 3.05, 2.98), lot="7", uid="birch-3")
LEATHER = Stock("Map leather", "leather", 2.0, lot="9", uid="leather-2")
VINYL = Stock("Shelf vinyl", "vinyl", 0.5, uid="vinyl-05")
DAY = "2026-04-14"
ALLOWED = Permission(True)


def cut_trial(machine=LONG, stock=BIRCH, **changes):
    """A planned cut trial with the suggested levels, or with changed choices."""
    return _trial(machine, stock, "cut", changes)


def engrave_trial(machine=LONG, stock=BIRCH, **changes):
    return _trial(machine, stock, "engrave", changes)


def _trial(machine, stock, task, changes):
    choices = replace(suggest_grid(machine, stock, task), **changes)
    return plan_grid(machine, stock, task, choices, permission=ALLOWED, trial_id="coupon-1", name="Coupon 0001", made=DAY).trial


def small_choices(**changes) -> GridChoices:
    return replace(GridChoices((0.5, 1.0), (5.0, 10.0, 20.0)), **changes)


def read_by_energy(trial, edge_j_mm: float, band: float = 0.08):
    """Readings of a world where a cut is through from a line energy on, and hangs just above it."""
    readings = []
    for cell in trial.cells:
        setting = cell.setting
        energy = setting.passes * setting.power * trial.machine.optical_power_w / setting.speed_mm_s
        verdict = "not_through" if energy < edge_j_mm else "hangs" if energy < edge_j_mm * (1 + band) else "free"
        readings.append(Reading(cell.id, verdict, char=min(2, int(energy / edge_j_mm / 1.3))))
    return readings


def read_by_tone(trial, light_j_mm2: float, dark_j_mm2: float):
    """Readings of a world where the tone is right between two areal energies."""
    readings = []
    for cell in trial.cells:
        setting = cell.setting
        energy = setting.passes * setting.power * trial.machine.optical_power_w / (setting.speed_mm_s * setting.pitch_mm)
        readings.append(Reading(cell.id, "too_light" if energy < light_j_mm2 else "too_dark" if energy > dark_j_mm2 else "right"))
    return readings


def sample_entry(**changes) -> Entry:
    entry = Entry("e1", LONG.uid, BIRCH.uid, "cut", Setting(0.85, 12.0, 1, 1.5), "trial", DAY, "7")
    return replace(entry, **changes)
