"""Carry an entry of the book over to another machine, thickness, lot or colour: always a guess, to
be confirmed.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from olive_almanac.core.deciding.guess import compute_guess
from olive_almanac.core.design.levels import round_level
from olive_almanac.core.fitting.tone import areal_energy_of
from olive_almanac.core.fitting.transfer import transfer_between
from olive_almanac.core.materials.catalogue import Permission
from olive_almanac.core.materials.families import tone_prior
from olive_almanac.core.records.entry import Entry, Evidence
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import Reading, Verdict
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Cell, CouponSize, Trial
from olive_almanac.core.words import tr

__all__ = ["carry_entry"]

USUAL_MARGIN = 1.3  # how much quicker an entry could run where its evidence does not say
JUST_THROUGH, JUST_NOT = (
    0.93,
    1.08,
)  # of the speed at the edge, as readings of the entry's own coupon
SIDE_MM = 20.0


def carry_entry(
    entry: Entry,
    machine: Machine,
    stock: Stock,
    *,
    to_machine: Machine,
    to_stock: Stock,
    permission: Permission,
    rng: np.random.Generator,
) -> tuple[Setting, Evidence]:
    """Return the setting that an entry of `machine` and `stock` leads one to expect elsewhere, and
    its evidence.

    A cut's edge, known from the entry's margin, counts as readings there; what they teach is
    widened by all that differs and scaled to the other power, optics and thickness; its watts,
    passes and focus are kept, the speed changes first.  An engraving keeps its areal energy.
    Raises Barred, OutOfRange.
    """
    differs = transfer_between(machine, stock, to_machine, to_stock).words
    says = tr("Carried over from an entry for the same.")
    if differs:
        says = tr("Carried over from an entry for {differs}.", differs=", ".join(differs))
    if entry.task == "cut":
        setting, evidence = compute_guess(
            to_machine,
            to_stock,
            entry.task,
            permission,
            rng=rng,
            related=[_as_readings(entry, machine, stock)],
            kept=_as_proven(entry.setting, machine, stock, to_machine, to_stock),
        )
    else:
        energy = areal_energy_of(entry.setting, machine, entry.setting.speed_mm_s)
        if entry.task == "score":  # a line's energy goes with the spot it is spread over
            energy *= to_machine.spot_longer_mm / machine.spot_longer_mm
        if entry.task != "score":
            energy *= tone_prior(to_stock, to_machine.source).right_j_mm2
            energy /= tone_prior(stock, machine.source).right_j_mm2
        setting, evidence = compute_guess(
            to_machine, to_stock, entry.task, permission, rng=rng, aim=energy
        )
    return setting, replace(evidence, says=says)


def _as_proven(
    setting: Setting, machine: Machine, stock: Stock, to_machine: Machine, to_stock: Stock
) -> Setting:
    """The proven setting with its watts and the share of the thickness at which its focus lies."""
    deeper = to_stock.true_thickness_mm / stock.true_thickness_mm
    power = min(1.0, to_machine.fraction_for(machine.watts(setting.power)))
    return replace(setting, power=round_level(power), focus_mm=round(setting.focus_mm * deeper, 2))


def _as_readings(entry: Entry, machine: Machine, stock: Stock) -> tuple[Trial, list[Reading]]:
    edge = entry.setting.speed_mm_s * (entry.evidence.margins.even_speed or USUAL_MARGIN)
    told: tuple[tuple[float, Verdict], ...] = (
        (entry.setting.speed_mm_s, "free"),
        (edge * JUST_THROUGH, "free"),
        (edge * JUST_NOT, "not_through"),
    )
    cells = tuple(
        Cell(
            f"A{i + 1}",
            0,
            i,
            "outline",
            (i * SIDE_MM, 0.0, SIDE_MM, SIDE_MM),
            i,
            1.0,
            replace(entry.setting, speed_mm_s=speed),
        )
        for i, (speed, _) in enumerate(told)
    )
    trial = Trial(
        f"entry-{entry.uid}"[:60],
        tr("Entry of the book"),
        entry.written,
        machine,
        stock,
        entry.task,
        CouponSize(len(told) * SIDE_MM, SIDE_MM),
        (),
        cells,
        1.0,
    )
    return trial, [
        Reading(cell.id, verdict) for cell, (_, verdict) in zip(cells, told, strict=True)
    ]
