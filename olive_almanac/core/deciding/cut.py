"""Decide a cut: the chance that it falls free over the shop's drift, the window, picks and margins.

The posterior is integrated, never its best point alone; thickness and power drift enter as extra variance of the
margin, focus error by quadrature.  docs/methods.md, section Decide.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.special import ndtr

from olive_almanac.core.burn.groove import Groove, log_needed, log_worth, slope_at_depth
from olive_almanac.core.deciding.decision import AIMS, Aim, Decision, Pick
from olive_almanac.core.design.next_cells import next_cut_cells
from olive_almanac.core.fitting.char import CharPosterior, FlareLimit, fit_char
from olive_almanac.core.fitting.cut import CutCase, GroovePosterior, case_of, data_of, fit_cut
from olive_almanac.core.records.entry import Margins
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.units import number_text, percent_text, speed_text

__all__ = ["CutKnowledge", "ShopDrift", "decide_cut", "know_cut"]

Floats = NDArray[np.float64]
Pairs = Sequence[tuple[Trial, Sequence[Reading]]]
TARGET = 0.99
CHAR_LIMIT = 0.20  # most chance of a charred edge that the house rule takes
FLARE_LIMIT = 0.10
WIDEST_TIME = 1.5  # "widest" may take this many times as long as "quickest"
LESS_CHAR = 0.1  # expected grade by which "cleanest" must beat "quickest"
PICK_PARTICLES = 96
MAP_PARTICLES = 48
STALL_PASSES = 30.0
NOTHING_READ = "Nothing has been read yet, so there is nothing to decide from."


@dataclass(frozen=True)
class ShopDrift:
    """Half widths of what varies in a shop from day to day: thickness and power as fractions, focus in mm; and the
    spread (sd of ln energy) between the coupon and the rest of the sheet.  Common practice, no source."""

    thickness: float = 0.05
    power: float = 0.05
    focus_mm: float = 1.0
    patch: float = 0.05


@dataclass(frozen=True)
class CutKnowledge:
    """Everything the readings say of one subject's cut: groove, char, and the drift to allow for."""

    case: CutCase
    posterior: GroovePosterior
    char: CharPosterior
    cells_read: int
    drift: ShopDrift = ShopDrift()

    def chance(
        self, *, power: ArrayLike, speed_mm_s: ArrayLike, passes: ArrayLike, focus_mm: ArrayLike, particles: int = PICK_PARTICLES
    ) -> Floats:
        """Return P(falls free) of settings in any broadcast shape, allowing for the shop's drift."""
        flat, shape = _flatten(power, speed_mm_s, passes, focus_mm)
        power_w, speed, count, focus = self.case.power_w(flat[0]), flat[1], flat[2], flat[3]
        groove = self.posterior.resampled(particles)
        nodes, weights = np.polynomial.legendre.leggauss(4)
        total = np.zeros(len(power_w))
        for node, weight in zip(nodes, weights / 2, strict=True):
            margin, sd = self._margin_and_sd(groove, power_w, speed, count, focus + node * self.drift.focus_mm)
            total += weight * ndtr(margin / sd).mean(0)
        return total.reshape(shape)

    def _margin_and_sd(
        self, groove: Groove, power_w: Floats, speed: Floats, passes: Floats, focus: Floats
    ) -> tuple[Floats, Floats]:
        depth = np.full(len(power_w), self.case.thickness_mm)
        setting = {"power_w": power_w, "speed_mm_s": speed, "focus_mm": focus, "depth_mm": depth}
        needed = log_needed(groove, self.case.beam, **setting)
        by_thickness = slope_at_depth(groove, self.case.beam, **setting) * depth * np.exp(-needed)
        step = 0.02
        by_power = (needed - log_needed(groove, self.case.beam, **{**setting, "power_w": power_w * np.exp(step)})) / step
        variance = (
            groove.noise**2
            + ((by_thickness * self.drift.thickness) ** 2 + (by_power * self.drift.power) ** 2) / 3
            + self.drift.patch**2
        )
        return log_worth(groove, passes) - needed - groove.hang_band, np.sqrt(variance)

    def mean_margin(
        self,
        *,
        power: ArrayLike,
        speed_mm_s: ArrayLike,
        passes: ArrayLike,
        focus_mm: ArrayLike,
        thickness_mm: ArrayLike | None = None,
    ) -> Floats:
        """Return the posterior mean of ln(energy available / needed to fall free), nothing drifting; flat [n]."""
        thickness = self.case.thickness_mm if thickness_mm is None else thickness_mm
        flat, _ = _flatten(power, speed_mm_s, passes, focus_mm, thickness)
        groove = self.posterior.groove
        needed = log_needed(
            groove, self.case.beam, power_w=self.case.power_w(flat[0]), speed_mm_s=flat[1], focus_mm=flat[3], depth_mm=flat[4]
        )
        result: Floats = self.posterior.weight @ (log_worth(groove, flat[2]) - needed - groove.hang_band)
        return result

    def char_above(self, *, power: ArrayLike, speed_mm_s: ArrayLike, passes: ArrayLike) -> Floats:
        """Return P(brown or worse), P(charred or worse), P(flares), [3, ...]."""
        energy = self.case.power_w(power) / np.asarray(speed_mm_s, float)
        return self.char.above(line_energy_j_mm=energy, passes=passes)

    def edge_doubt(self, *, power: float, passes: float, focus_mm: float) -> float:
        """Return one standard deviation of ln(edge speed) over the posterior: how well the edge is known."""
        speeds = np.geomspace(0.05, self.case.max_speed_mm_s, 120)
        flat, _ = _flatten(power, speeds, passes, focus_mm, self.case.thickness_mm)
        groove = self.posterior.resampled(PICK_PARTICLES)
        margin = log_worth(groove, flat[2]) - log_needed(
            groove, self.case.beam, power_w=self.case.power_w(flat[0]), speed_mm_s=flat[1], focus_mm=flat[3], depth_mm=flat[4]
        )
        edges = [np.interp(0, -row, np.log(speeds)) for row in margin]
        return float(np.std(edges))

    def stall_chance(self, *, power: float, speed_mm_s: float, focus_mm: float) -> float:
        """Return the chance that no number of passes gets through at this setting."""
        flat, _ = _flatten(power, speed_mm_s, STALL_PASSES, focus_mm)
        margin, sd = self._margin_and_sd(self.posterior.groove, self.case.power_w(flat[0]), flat[1], flat[2], flat[3])
        return float(self.posterior.weight @ (1 - ndtr(margin / sd))[:, 0])


def _flatten(*values: ArrayLike) -> tuple[list[Floats], tuple[int, ...]]:
    arrays = np.broadcast_arrays(*(np.asarray(value, float) for value in values))
    return [array.ravel() for array in arrays], arrays[0].shape


def know_cut(machine: Machine, stock: Stock, pairs: Pairs, *, rng: np.random.Generator) -> CutKnowledge:
    """Fit groove and char to the readings of the given trials (none: the family's prior)."""
    case, data = case_of(machine, stock), data_of(pairs)
    return CutKnowledge(case, fit_cut(case, data, rng=rng), fit_char(case.prior, pairs, rng=rng), len(data))


def decide_cut(knowledge: CutKnowledge, pairs: Pairs, *, target: float = TARGET, limit: FlareLimit | None = None) -> Decision:
    """Return up to three picks within the tested range of power, passes and focus; or say what stands in the way."""
    settings = [cell.setting for trial, _ in pairs for cell in trial.cells]
    if not settings or not knowledge.cells_read:
        lines = any(cell.mark == "line" for trial, readings in pairs if readings for cell in trial.cells)
        says = "Lines show where the focus lies, not what falls free: burn a grid to decide." if lines else NOTHING_READ
        return Decision((), target, 0, says, undecided=True)
    window = _Window(knowledge, settings, target, limit)
    aims: tuple[Aim, ...] = ("quickest", "cleanest", "widest")
    picks = _distinct([pick for aim in aims if (pick := window.pick(aim))])
    doubt = knowledge.edge_doubt(power=window.top.power, passes=window.top.passes, focus_mm=window.top.focus_mm)
    if picks:
        says = (
            f"{AIMS[picks[0].aim]}: {_told(picks[0].setting)}, {100 * picks[0].probability:.0f} % sure to fall free; "
            f"edge known to ± {max(1, round(100 * doubt))} % from {knowledge.cells_read} cells."
        )
        return Decision(tuple(picks), target, knowledge.cells_read, says, next_cells=window.next_cells(), edge_doubt=doubt)
    return window.none_found(doubt)


def _told(setting: Setting) -> str:
    passes = "1 pass" if setting.passes == 1 else f"{setting.passes} passes"
    return f"{percent_text(setting.power)} %, {speed_text(setting.speed_mm_s)}, {passes}"


def _distinct(picks: list[Pick]) -> list[Pick]:
    kept: list[Pick] = []
    for pick in picks:
        no_cleaner = pick.aim == "cleanest" and kept and (kept[0].char or 0) - (pick.char or 0) < LESS_CHAR
        if not no_cleaner and not any(_alike(pick.setting, other.setting) for other in kept):
            kept.append(pick)
    return kept


def _alike(a: Setting, b: Setting) -> bool:
    return (
        (a.passes, a.focus_mm) == (b.passes, b.focus_mm)
        and abs(a.power - b.power) < 0.02
        and abs(np.log(a.speed_mm_s / b.speed_mm_s)) < 0.03
    )


class _Window:
    """The tested region on a grid of power x speed for each tested (passes, focus), with chance and char."""

    SPEEDS = 40

    def __init__(self, knowledge: CutKnowledge, settings: Sequence[Setting], target: float, limit: FlareLimit | None) -> None:
        self.knowledge, self.target, self.limit = knowledge, target, limit
        self.top = max(settings, key=lambda s: (s.power, s.passes, -s.speed_mm_s))
        self.slowest = min(s.speed_mm_s for s in settings)
        fastest = min(1.3 * max(s.speed_mm_s for s in settings), knowledge.case.max_speed_mm_s)
        low, high = min(s.power for s in settings), max(s.power for s in settings)
        powers = np.linspace(low, high, 10 if high > low else 1)
        speeds = np.geomspace(self.slowest, max(fastest, self.slowest * 1.01), self.SPEEDS)
        pairs = sorted({(s.passes, s.focus_mm) for s in settings})
        self.points = [(p, v, n, f) for n, f in pairs for p in powers for v in speeds]
        power, speed, passes, focus = (np.array(axis, float) for axis in zip(*self.points, strict=True))
        self.chance = knowledge.chance(power=power, speed_mm_s=speed, passes=passes, focus_mm=focus)
        self.char = knowledge.char_above(power=power, speed_mm_s=speed, passes=passes)
        self.seconds = 1000 * passes / speed
        self.margin = knowledge.mean_margin(power=power, speed_mm_s=speed, passes=passes, focus_mm=focus)

    def pick(self, aim: Aim) -> Pick | None:
        good = (self.chance >= self.target) & (self.char[2] <= FLARE_LIMIT)
        if aim == "widest" and good.any():
            quickest = self.seconds[good].min()
            good &= (self.char[1] <= CHAR_LIMIT) & (self.seconds <= WIDEST_TIME * quickest)
        if not good.any():
            return None
        cost = {"quickest": self.seconds, "cleanest": self.char.sum(0), "widest": -self.margin}[aim]
        at = int(np.where(good, cost, np.inf).argmin())
        setting = self._setting(at)
        if aim == "quickest":
            setting = self._sharpened(setting)
        return self._described(aim, setting)

    def _setting(self, at: int) -> Setting:
        power, speed, passes, focus = self.points[at]
        return Setting(round(float(power), 3), _dialled(speed), int(passes), float(focus), air=self.top.air)

    def _sharpened(self, setting: Setting) -> Setting:
        """The fastest speed that still meets the target, between two points of the grid."""
        speeds = setting.speed_mm_s * np.linspace(1.0, 1.12, 13)
        chance = self.knowledge.chance(power=setting.power, speed_mm_s=speeds, passes=setting.passes, focus_mm=setting.focus_mm)
        good = [v for v, p in zip(speeds, chance, strict=True) if p >= self.target and v <= self.knowledge.case.max_speed_mm_s]
        return replace(setting, speed_mm_s=_dialled(max(good, default=setting.speed_mm_s)))

    def _described(self, aim: Aim, setting: Setting) -> Pick:
        chance = float(
            self.knowledge.chance(
                power=setting.power, speed_mm_s=setting.speed_mm_s, passes=setting.passes, focus_mm=setting.focus_mm
            )
        )
        char = float(self.knowledge.char_above(power=setting.power, speed_mm_s=setting.speed_mm_s, passes=setting.passes).sum())
        margins = margins_of(self.knowledge, setting)
        why = {
            "quickest": f"the fastest setting that meets the house rule of {100 * self.target:g} %",
            "cleanest": "the least char among settings that meet the house rule",
            "widest": "the most energy in hand for at most half as much time again, edge not charred",
        }[aim]
        return Pick(aim, setting, chance, margins, seconds_per_m=1000 * setting.passes / setting.speed_mm_s, char=char, why=why)

    def none_found(self, doubt: float) -> Decision:
        best = int(self.chance.argmax())
        count, read = float(self.chance[best]), self.knowledge.cells_read
        power, speed, _, focus = self.points[best]
        stall = self.knowledge.stall_chance(power=power, speed_mm_s=speed, focus_mm=focus)
        flares = bool((self.chance >= self.target).any())
        next_cells = self.next_cells()
        if stall > 0.9:
            return Decision(
                (),
                self.target,
                read,
                "It stalls: more passes will not get through. Go slower, refocus between passes, "
                "take thinner stock or another machine.",
                never=count < 0.03,
                stall=True,
                undecided=count >= 0.03,
                next_cells=next_cells,
                edge_doubt=doubt,
            )
        if flares:
            says = "Every setting that gets through may flare or char through. " + (
                f"Burn the {len(next_cells)} cells proposed: quicker passes, more of them."
                if next_cells
                else "Nothing cooler is left to try."
            )
        else:
            says = (
                f"Not decided yet: the best tested region reaches {100 * count:.0f} % of the {100 * self.target:g} % wanted. "
                + (
                    f"Burn the {len(next_cells)} cells proposed, low energy first."
                    if next_cells
                    else "Nothing is left to try here."
                )
            )
        return Decision((), self.target, read, says, undecided=True, next_cells=next_cells, edge_doubt=doubt)

    def next_cells(self) -> tuple[Setting, ...]:
        """The cells that teach most about the quickest safe setting, low energy first."""
        return next_cut_cells(self.knowledge.posterior, self.knowledge.case, limit=self.limit, air=self.top.air)


def _dialled(speed_mm_s: float) -> float:
    """A speed rounded down to three digits, so that it can be typed in and is never quicker than decided."""
    scale = 10.0 ** (2 - np.floor(np.log10(speed_mm_s)))
    return float(np.floor(speed_mm_s * scale + 1e-6) / scale)


def margins_of(knowledge: CutKnowledge, setting: Setting) -> Margins:
    """Return the single changes that bring the posterior mean margin to nought, each alone."""
    base: dict[str, ArrayLike] = {
        "power": setting.power,
        "speed_mm_s": setting.speed_mm_s,
        "passes": setting.passes,
        "focus_mm": setting.focus_mm,
    }

    def limit(change: Callable[[Floats], dict[str, ArrayLike]], steps: Floats) -> float | None:
        margin = knowledge.mean_margin(**(base | change(steps)))
        if margin[0] <= 0:
            return float(steps[0])
        below = np.flatnonzero(margin <= 0)
        if not len(below):
            return None
        i = int(below[0])
        return float(np.interp(0.0, [-margin[i - 1], -margin[i]], [steps[i - 1], steps[i]]))

    thickness, focus = knowledge.case.thickness_mm, setting.focus_mm
    thicker = limit(lambda s: {"thickness_mm": thickness * s}, np.linspace(1, 2, 41))
    up = limit(lambda s: {"focus_mm": focus - s}, np.linspace(0, 8, 65))
    down = limit(lambda s: {"focus_mm": focus + s}, np.linspace(0, 8, 65))
    return Margins(
        speed=limit(lambda s: {"speed_mm_s": setting.speed_mm_s * s}, np.linspace(1, 3, 81)),
        power=limit(lambda s: {"power": setting.power * s}, np.linspace(1, 0.2, 81)),
        thickness_mm=None if thicker is None else thickness * (thicker - 1),
        focus_up_mm=up,
        focus_down_mm=down,
    )


def margin_sentence(margins: Margins, setting: Setting) -> str:
    """Return the margin as a person says it: how much quicker it could run and still fall free."""
    if margins.speed is None:
        return "It could run more than three times as quick and still fall free."
    return f"It could run {number_text(100 * (margins.speed - 1), 2)} % quicker and still fall free."
