"""The signs of what went wrong that the readings of a coupon show by themselves: against what was
expected of it, from place to place, from cell to cell.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr

from olive_almanac.core.deciding.cut_knowledge import FittedCut
from olive_almanac.core.deciding.engrave import FittedTone
from olive_almanac.core.fitting.char import heat_of
from olive_almanac.core.fitting.cut import data_of
from olive_almanac.core.records.reading import Reading, flared
from olive_almanac.core.records.setting import rasters
from olive_almanac.core.records.trial import Cell, Trial

__all__ = ["read_signs"]

Floats = NDArray[np.float64]
Pairs = Sequence[tuple[Trial, Sequence[Reading]]]
SURPRISE = 0.06  # share of what was expected that is as low, or as high
SLOPE_T = 2.3  # of a slope over the place or the order: one in fifty by chance
FEWEST = 6  # cells that can tell a slope
SEEN = 0.12  # share of the cells that show a defect, from which it counts
WIDER = 0.10  # of ln kerf
GRADES = 0.12  # of the grade of the edge, in the mean of all cells
OUT_OF_LINE = 0.12  # share of cells that stand against those of like energy
SHARE_ALL = 0.85  # of the cells too light, or too dark
DEFECT_SIGNS = {
    "reweld": "reweld",
    "melt": "melt",
    "melt_through": "melt",
    "foam": "foam",
    "stripes": "stripes",
    "back_scorch": "back_scorch",
    "haze": "haze",
    "uneven": "uneven",
    "crack": "crack",
    "rubs_off": "rubs_off",
}
TONES = {"no_mark": -2.0, "too_light": -1.0, "right": 0.0, "too_dark": 1.0}
WIDE_RIM_MM = 0.5
UNEVEN_L = 4.0
DAY_SPREAD = 0.15  # of the mean tone, from day to day


def read_signs(
    trial: Trial,
    readings: Sequence[Reading],
    expected: FittedCut | FittedTone | None,
    earlier: Pairs = (),
) -> dict[str, bool]:
    """Return the signs that a coupon's readings tell, so or not; `expected` is what was known
    before it was read, `earlier` the coupons that say how wide its cuts were.
    """
    cells = {cell.id: cell for cell in trial.cells}
    told = [(cells[one.cell], one) for one in readings if one.cell in cells]
    if not told:
        return {}
    signs = _defects(told)
    if rasters(trial.task) or trial.task == "score":
        known = expected if isinstance(expected, FittedTone) else None
        signs |= _tone_signs(trial, told, known)
    elif isinstance(expected, FittedCut):
        signs |= _cut_signs(trial, readings, told, expected)
        signs |= _kerf_sign(told, earlier)
    return {sign: bool(so) for sign, so in signs.items()}


def _defects(told: list[tuple[Cell, Reading]]) -> dict[str, bool]:
    """Defects that were noted; one that nobody noted is taken as not there."""
    share = {sign: 0.0 for sign in DEFECT_SIGNS.values()}
    for _, reading in told:
        for defect in reading.defects:
            if defect in DEFECT_SIGNS:
                share[DEFECT_SIGNS[defect]] += 1 / len(told)
    signs = {sign: part >= SEEN for sign, part in share.items()}
    signs["flares"] = sum(flared(one) for _, one in told) >= max(1, SEEN * len(told))
    rims = [one.halo_mm for _, one in told if one.halo_mm is not None]
    if rims:
        signs["halo"] = float(np.median(rims)) > WIDE_RIM_MM
    spreads = [one.evenness for _, one in told if one.evenness is not None]
    if spreads and float(np.median(spreads)) > UNEVEN_L:
        signs["uneven"] = True
    return signs


# -- cuts ------------------------------------------------------------------------------------------


def _cut_signs(
    trial: Trial, readings: Sequence[Reading], told: list[tuple[Cell, Reading]], expected: FittedCut
) -> dict[str, bool]:
    data = data_of(expected.case, [(trial, readings)])
    if not len(data):
        return {}
    through = np.array([verdict == "free" for verdict in data.verdicts], float)
    groove = expected.posterior.resampled(200)
    margin = groove.margin(data.burns, expected.case.thickness_mm) - groove.hang_band
    chance = np.clip(ndtr(np.asarray(margin / groove.noise, float)), 0.02, 0.98)
    low, high = _tails(chance, through)
    mean = chance.mean(0)
    signs = {"weaker": low < SURPRISE, "stronger": high < SURPRISE}
    signs["hangs"] = data.verdicts.count("hangs") >= max(2, SEEN * len(data))
    cells = {cell.id: cell for cell in trial.cells}
    here = [cells[cell_id] for _, cell_id in data.cells]
    # how far each cell lies from what the others say: the shift of all is taken out
    level = _common_shift(chance, through)
    energy = np.log([trial.energy_of(cell) for cell in here])
    off = (through - level) / np.sqrt(np.maximum(level * (1 - level), 0.02))
    signs |= _places(here, energy, off)
    signs.pop("later_better", None)
    odd = np.abs(through - level) > 1 - OUT_OF_LINE
    signs["scattered"] = float(odd.mean()) >= OUT_OF_LINE / 2 and int(odd.sum()) >= 1
    passes = np.array([cell.setting.passes for cell in here], float)
    if np.ptp(passes) > 0 and len(here) >= FEWEST:
        slope = float(_slopes_t(through - mean, np.log(passes))[0])
        signs["passes_useless"] = slope < -SLOPE_T
    grades = [(cell, one.char) for cell, one in told if one.char is not None]
    if grades:
        heat = [
            float(
                heat_of(
                    power_w=trial.machine.watts(c.setting.power), speed_mm_s=c.setting.speed_mm_s
                )
            )
            for c, _ in grades
        ]
        above = expected.char.above(
            heat_j_mm=np.array(heat),
            passes=np.array([float(c.setting.passes) for c, _ in grades]),
            air=grades[0][0].setting.air,
        )
        more = np.array([min(3, grade or 0) for _, grade in grades], float) - above.sum(0)
        error = float(more.std()) / np.sqrt(len(more)) + 0.02
        signs["charred"] = float(more.mean()) > max(GRADES, 2 * error)
    return signs


def _tails(chance: Floats, through: Floats) -> tuple[float, float]:
    """How likely so few, and so many, were to get through by what was expected [M, n]."""
    mean, spread = chance.sum(1), np.sqrt((chance * (1 - chance)).sum(1))
    count = through.sum()
    return (
        float(ndtr((count + 0.5 - mean) / spread).mean()),
        float(ndtr((mean - count + 0.5) / spread).mean()),
    )


def _common_shift(chance: Floats, through: Floats) -> Floats:
    """What is expected of each cell once all are moved alike to what was seen in all."""
    odds = np.log(chance / (1 - chance)).mean(0)
    low, high = -12.0, 12.0
    for _ in range(40):
        middle = (low + high) / 2
        if (1 / (1 + np.exp(-(odds + middle)))).sum() < through.sum():
            low = middle
        else:
            high = middle
    return np.asarray(1 / (1 + np.exp(-(odds + (low + high) / 2))), float)


def _kerf_sign(told: list[tuple[Cell, Reading]], earlier: Pairs) -> dict[str, bool]:
    """Whether cuts are wider than earlier ones of like energy."""
    now = [_energy_kerf(cell, one) for cell, one in told if one.kerf_mm]
    before = []
    for trial, readings in earlier:
        cells = {cell.id: cell for cell in trial.cells}
        before += [
            _energy_kerf(cells[one.cell], one)
            for one in readings
            if one.kerf_mm and one.cell in cells
        ]
    if len(now) < 3 or len(before) < 3:
        return {}
    old = np.array(before)
    slope = 0.0
    if np.ptp(old[:, 0]) > 0.2:
        slope = float(np.clip(np.polyfit(old[:, 0], old[:, 1], 1)[0], 0.0, 0.6))
    new = np.array(now)
    level = np.median(old[:, 1] - slope * old[:, 0])
    return {"kerf_wide": float(np.median(new[:, 1] - slope * new[:, 0]) - level) > WIDER}


def _energy_kerf(cell: Cell, reading: Reading) -> tuple[float, float]:
    dose = cell.setting.power * cell.setting.passes / cell.setting.speed_mm_s
    return float(np.log(dose)), float(np.log(max(reading.kerf_mm or 0.0, 0.01)))


# -- tones -----------------------------------------------------------------------------------------


def _tone_signs(
    trial: Trial, told: list[tuple[Cell, Reading]], expected: FittedTone | None
) -> dict[str, bool]:
    graded = [(cell, TONES[one.verdict]) for cell, one in told if one.verdict in TONES]
    signs: dict[str, bool] = {}
    if not graded:
        return signs
    levels = np.array([level for _, level in graded])
    signs["no_mark"] = float((levels <= -2).mean()) >= SEEN
    signs["lighter_all"] = float((levels < 0).mean()) >= SHARE_ALL and len(levels) >= FEWEST
    signs["darker_all"] = float((levels > 0).mean()) >= SHARE_ALL and len(levels) >= FEWEST
    cells = [cell for cell, _ in graded]
    energy = np.log([max(trial.energy_of(cell), 1e-9) for cell in cells])
    own = np.sign(levels)
    if expected is not None and expected.cells_read:
        light, _, dark = expected.chances_at([expected.counted(c.setting) for c in cells])
        mean = dark - light
        spread = np.sqrt(np.maximum(light + dark - mean**2, 0.05))
        z = float((own - mean).sum() / np.sqrt((spread**2).sum() + (DAY_SPREAD * len(own)) ** 2))
        signs["lighter"], signs["darker"] = z < -1.5, z > 1.5
    if len(cells) >= FEWEST:
        fitted = _monotone(energy, own)
        signs |= _places(cells, energy, own - fitted)
        signs["later_darker"] = signs.pop("later_better", False)
        odd = (levels <= -2) & (fitted > -0.5)
        signs["patchy"] = int(odd.sum()) >= 1
        signs["scattered"] = float((np.abs(own - fitted) > 0.9).mean()) > OUT_OF_LINE
    return signs


def _monotone(energy: Floats, level: Floats) -> Floats:
    """The tone that rises with energy and lies nearest (isotonic regression)."""
    from scipy.optimize import isotonic_regression

    order = np.argsort(energy, kind="stable")
    fitted = np.empty(len(level))
    fitted[order] = isotonic_regression(level[order]).x
    return fitted


# -- places and order ------------------------------------------------------------------------------


def _places(cells: Sequence[Cell], energy: Floats, off: Floats) -> dict[str, bool]:
    """What residuals say of the place on the coupon, of the order, and of X against Y, whatever
    they do over ln energy: speed and power run along the sides of a grid.
    """
    if len(cells) < FEWEST or np.ptp(off) == 0:
        return {}
    x = np.array([cell.rect_mm[0] + cell.rect_mm[2] / 2 for cell in cells])
    y = np.array([cell.rect_mm[1] + cell.rect_mm[3] / 2 for cell in cells])
    order = np.array([cell.order for cell in cells], float)
    bend = (energy - energy.mean()) ** 2
    along = np.abs(_slopes_t(off, energy, bend, x, y)[2:])
    signs = {"one_side": float(along.max()) > SLOPE_T}
    away = ((x - x.mean()) / (np.ptp(x) or 1)) ** 2 + ((y - y.mean()) / (np.ptp(y) or 1)) ** 2
    signs["middle"] = not signs["one_side"] and abs(_slopes_t(off, energy, bend, away)[2]) > SLOPE_T
    late = float(_slopes_t(off, energy, bend, order)[2])
    signs["later_worse"] = not signs["one_side"] and late < -SLOPE_T
    signs["later_better"] = not signs["one_side"] and late > SLOPE_T
    ways = {cell.setting.direction for cell in cells}
    if {"x", "y"} <= ways:
        way = np.array([float(cell.setting.direction == "x") for cell in cells])
        signs["one_way"] = abs(_slopes_t(off, energy, bend, way)[2]) > SLOPE_T
    return {sign: so for sign, so in signs.items() if sign != "later_better" or so}


def _slopes_t(off: Floats, *along: Floats) -> Floats:
    """The slopes of residuals over several things at once, in their standard errors; 0 of what
    does not vary by itself.
    """
    columns = [np.ones(len(off))]
    for one in along:
        spread = float(one.std())
        columns.append((one - one.mean()) / spread if spread > 0 else np.zeros(len(off)))
    design = np.stack(columns, 1)
    inverse = np.linalg.pinv(design.T @ design, rcond=1e-3)
    found = inverse @ design.T @ off
    rest = off - design @ found
    free = max(1, len(off) - design.shape[1])
    error = np.sqrt(np.maximum(np.diag(inverse) * float(rest @ rest) / free, 1e-12))
    result: Floats = found[1:] / error[1:]
    return result
