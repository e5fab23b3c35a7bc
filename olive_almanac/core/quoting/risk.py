"""How likely all of a job falls free: patch by patch along the cut, one day and one sheet shared.

Each row is a particle of the groove at a focus, thickness and power of the day, with what sheet and
model share.  A patch is as long as the outline of the cells from which the scatter was learnt.
docs/methods.md, section Jobs.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.deciding.cut_knowledge import FittedCut
from olive_almanac.core.deciding.scan import (
    DRIFT_NODES,
    DRIFT_WEIGHTS,
    margins_at,
    rows_out_of_focus,
)
from olive_almanac.core.records.job import JobOutcome
from olive_almanac.core.records.setting import Setting

__all__ = [
    "PATCH_MM",
    "EarlierJob",
    "FirstCell",
    "JobRisk",
    "Rows",
    "earlier_jobs",
    "freed_by_passes",
    "risk_of",
    "rows_of",
]

Floats = NDArray[np.float64]
PATCH_MM = 40.0  # the outline of a usual cell: its scatter is that of so much cut
WAVE = 0.020  # sd of ln energy from patch to patch on one sheet, beside the cells' own scatter
SHARED = 0.030  # and what is common to the sheet and the day, with what the model gets wrong
LEAST_OWN = (
    0.020  # of the cells' scatter that is from patch to patch, whatever the model gets wrong
)
PARTICLES, NODES = 224, 5


@dataclass(frozen=True)
class Rows:
    """Margins [R, C] of settings in worlds, ln energy beyond what is needed; the spread from patch
    to patch [R], and the weights of the worlds [R].
    """

    margin: Floats
    spread: Floats
    weight: Floats

    @property
    def log_free(self) -> Floats:
        """ln P(one patch falls free), [R, C]: never by a table, a hundred patches multiply it."""
        from scipy.special import log_ndtr

        return np.asarray(log_ndtr(self.margin / self.spread[:, None]))

    def cell(self) -> Floats:
        """Return P(one patch falls free) of each setting, [C]."""
        return np.asarray(self.weight @ np.exp(self.log_free))

    def all_free(self, patches: float) -> Floats:
        """Return P(so many patches all fall free), [C]: they share the day."""
        return np.asarray(self.weight @ np.exp(patches * self.log_free))

    def hanging(self, patches: float) -> Floats:
        """Return how many patches hang in the mean, [C]."""
        return np.asarray(patches * (self.weight @ -np.expm1(self.log_free)))

    def after(self, which: Sequence[int], free: Sequence[bool]) -> Rows:
        """Return the rows once cells at the settings `which` were burnt on this sheet and day, free
        or not.
        """
        log_free = self.log_free[:, list(which)]
        hung = np.log(np.maximum(-np.expm1(log_free), 1e-300))
        told = np.where(np.array(free, bool), log_free, hung).sum(1)
        weight = self.weight * np.exp(told - told.max())
        return Rows(self.margin, self.spread, weight / weight.sum())


@dataclass(frozen=True)
class EarlierJob:
    """A job that was told: at which setting, pieces in all, patches of cut in each, how many hung;
    those that hung at a knot do not count.
    """

    setting: Setting
    pieces: int
    patches: float
    hung: int


@dataclass(frozen=True)
class FirstCell:
    """A cell that was burnt on the very sheet and day of a job, before it: the job shares its
    sheet's thickness and the day's power and focus.
    """

    setting: Setting
    free: bool


def earlier_jobs(outcomes: Sequence[JobOutcome], lot: str) -> tuple[EarlierJob, ...]:
    """Return what earlier outcomes of the subject teach of a lot."""
    return tuple(
        EarlierJob(
            one.setting,
            one.pieces - one.knots,
            one.cut_mm / one.pieces / PATCH_MM,
            one.hung - one.knots,
        )
        for one in outcomes
        if one.setting is not None and one.cut_mm and one.lot == lot and one.pieces > one.knots
    )


@dataclass(frozen=True)
class JobRisk:
    """The chance of one cell, the chance that all falls free, and how many places hang in the mean;
    of one setting over a length, mm.
    """

    cell: float
    all_free: float
    hangs: float
    length_mm: float


def rows_of(
    known: FittedCut,
    settings: Sequence[Setting],
    *,
    earlier: Sequence[EarlierJob] = (),
    first: Sequence[FirstCell] = (),
    seed: int = 0,
) -> Rows:
    """Return the margins of settings in the worlds that the readings, earlier jobs and the first
    cells of this sheet and day leave open; what `first` holds must not be among the readings.

    An earlier job was burnt on a day of its own: its pieces fell free or hung together as far as
    that day had it, so many pieces of one job prove one day.
    """
    count, told = len(settings), len(settings) + len(earlier)
    settings = [*settings, *(job.setting for job in earlier), *(cell.setting for cell in first)]
    groove = known.posterior.resampled(PARTICLES)
    rows, weight = rows_out_of_focus(groove, known.drift, NODES)
    burns = known.case.burns_of(settings)
    needed = rows.needed(burns, known.case.thickness_mm)
    margin, lost = margins_at(rows, burns, needed, known.drift)
    margins = np.concatenate([margin - np.float32(node) * lost for node in DRIFT_NODES])
    weights = np.concatenate([weight * part for part in DRIFT_WEIGHTS])
    spread = np.tile(_from_patch_to_patch(rows.noise[:, 0]), len(DRIFT_NODES))
    shared = _shared(len(margins), seed)
    rows_of_all = Rows(
        np.asarray(margins + shared[:, None], float),
        np.asarray(spread, float),
        weights / weights.sum(),
    )
    particle = np.tile(
        np.repeat(np.arange(len(groove)), len(rows) // len(groove)), len(DRIFT_NODES)
    )
    weight = rows_of_all.weight
    for n, job in enumerate(earlier):
        weight = _taught(rows_of_all.log_free[:, count + n], weight, particle, job)
    if first:
        rows_of_all = replace(rows_of_all, weight=weight)
        which = range(told, told + len(first))
        weight = rows_of_all.after(which, [cell.free for cell in first]).weight
    return Rows(rows_of_all.margin[:, :count], rows_of_all.spread, weight)


def _taught(
    log_free: Floats, weight: Floats, particle: NDArray[np.intp], job: EarlierJob
) -> Floats:
    """The weights of the rows after a job: each particle by the mean, over its days, of how likely
    that job came out so.
    """
    free = job.patches * log_free
    hung = np.log(np.maximum(-np.expm1(free), 1e-300))
    told = (job.pieces - job.hung) * free + job.hung * hung
    likely = weight * np.exp(told - told.max())
    own = np.bincount(particle, weight)
    mean = np.bincount(particle, likely) / np.maximum(own, 1e-300)
    after = weight * mean[particle]
    return np.asarray(after / after.sum())


def _from_patch_to_patch(noise: NDArray[Any]) -> Floats:
    """The sd of ln energy from patch to patch of one job, of the scatter of cells.

    Cells of many settings scatter also by what the model gets wrong of each: a job has one setting,
    so that part is shared by all of it and must not be counted again with each patch.
    """
    own = np.maximum(np.asarray(noise, float) ** 2 - SHARED**2, LEAST_OWN**2)
    return np.asarray(np.sqrt(own + WAVE**2))


def _shared(count: int, seed: int) -> Floats:
    """What sheet and day have in common, in pairs of opposite sign over the rows."""
    rng = np.random.default_rng(seed)
    half = rng.standard_normal(count // 2 + 1)
    both = np.concatenate([half, -half])[:count]
    rng.shuffle(both)
    return np.asarray(SHARED * both)


def freed_by_passes(
    known: FittedCut,
    setting: Setting,
    most: int = 2,
    *,
    earlier: Sequence[EarlierJob] = (),
    first: Sequence[FirstCell] = (),
) -> tuple[float, ...]:
    """Return the chance that a place which hangs falls free after one more pass, after two, and so
    on: left lying where it is, burnt with the same power, speed and focus.
    """
    from scipy.special import ndtr

    settings = [
        replace(setting, passes=setting.passes + more, focus_step_mm=0.0)
        for more in range(most + 1)
    ]
    rows = rows_of(known, settings, earlier=earlier, first=first)
    free = ndtr(rows.margin / rows.spread[:, None])
    hangs = 1.0 - free[:, 0]
    gained = np.maximum(free[:, 1:] - free[:, :1], 0.0)
    share = rows.weight @ gained / max(float(rows.weight @ hangs), 1e-12)
    return tuple(float(one) for one in np.minimum(share, 1.0))


def risk_of(rows: Rows, column: int, length_mm: float) -> JobRisk:
    """Return what is to be expected of a length of cut at one setting of the rows."""
    patches = length_mm / PATCH_MM
    return JobRisk(
        float(rows.cell()[column]),
        float(rows.all_free(patches)[column]),
        float(rows.hanging(patches)[column]),
        length_mm,
    )
