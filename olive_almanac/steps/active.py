"""The active trial: the one that is being worked on, with what burnt and what was read."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from olive_almanac.core.design.kinds.kind import kind_of
from olive_almanac.core.placing.places import parts_seen
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.run import CellBurn, RunRecord
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Trial

__all__ = ["ActiveTrial", "Coupons", "used_on_sheet"]

Coupons = tuple[tuple[Trial, tuple[Reading, ...]], ...]


@dataclass(frozen=True)
class ActiveTrial:
    """The trial that is being worked on: how far it is, what burnt, what was read.

    `stage` is the id of the station that is next; `earlier` are read coupons of the same subject,
    lot and machine state; `related` those of other lots, machine states, thicknesses or machines,
    which count less; `others` what a second person, or "photo", saw: who, cell.
    """

    trial: Trial
    stage: str
    readings: dict[str, Reading] = field(default_factory=dict)
    run: RunRecord = field(default_factory=RunRecord)
    earlier: Coupons = ()
    related: Coupons = ()
    others: dict[str, dict[str, Reading]] = field(default_factory=dict)

    @property
    def burnt(self) -> dict[str, CellBurn]:
        """What is known of each burnt cell, by cell id."""
        return self.run.cells

    @property
    def pairs(self) -> list[tuple[Trial, tuple[Reading, ...]]]:
        """Return every read coupon of the subject with its readings, this one last."""
        return [*self.earlier, (self.trial, tuple(self.readings.values()))]

    def is_of(self, machine: Machine | None, stock: Stock | None, task: str) -> bool:
        """Return whether the trial is about that subject."""
        if machine is None or stock is None:
            return False
        trial = self.trial
        subject = (trial.machine.uid, trial.stock.uid, trial.task)
        return subject == (machine.uid, stock.uid, task)


def used_on_sheet(stock: Stock, trial: Trial) -> Stock | None:
    """Return the stock with the area of a trial marked as used on its sheet, or None where there is
    nothing to mark.

    Where the cells are spread over the whole sheet only they are marked, or the places that are
    photographed by themselves.
    """
    lies = trial.sheet
    if lies is None or lies.number >= len(stock.sheets):
        return None
    sheet = stock.sheets[lies.number]
    if (sheet.width_mm, sheet.height_mm) != (lies.width_mm, lies.height_mm):
        return None  # another sheet stands in its place now
    boxes = [_on_sheet(box, lies.x_mm, lies.y_mm) for box in _burnt_boxes(trial)]
    fresh = tuple(box for box in boxes if box not in sheet.used_mm)
    if not fresh:
        return None
    sheets = list(stock.sheets)
    sheets[lies.number] = replace(sheet, used_mm=(*sheet.used_mm, *fresh))
    return replace(stock, sheets=tuple(sheets))


Box = tuple[float, float, float, float]


def _burnt_boxes(trial: Trial) -> list[Box]:
    """What a trial covers, mm of the bed."""
    left, low, right, high = trial.area_mm
    if not kind_of(trial.kind).spread:
        return [(left, low, right, high)]
    parts = parts_seen(trial)
    if parts:
        return [part.area_mm for part in parts.values()]
    rects = (cell.rect_mm for cell in trial.cells)
    return [(left + x, low + y, left + x + w, low + y + h) for x, y, w, h in rects]


def _on_sheet(box: Box, x_mm: float, y_mm: float) -> Box:
    left, low, right, high = box
    return (
        round(left - x_mm, 3),
        round(low - y_mm, 3),
        round(right - x_mm, 3),
        round(high - y_mm, 3),
    )
