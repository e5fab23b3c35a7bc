"""The stand-in bench: burns a trial on simulated stock, cell by cell, and says what a careful person would see."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import asdict, dataclass

import numpy as np

from olive_almanac.core.records.reading import Reading, Verdict
from olive_almanac.core.records.trial import Cell, Trial
from olive_almanac.standins.material import Hidden, dug_depth, heat_of_edge, hidden_of, kerf_of, lightness_of, with_cell_luck

__all__ = ["BurntCell", "StandInBench"]

CHAR_EDGES = (1.0, 1.9, 3.6)  # heat of the edge: brown, charred, flare
TONE_AIM, TONE_BAND = 0.62, 7.0  # the tone this shop calls right: share of the full change, +- L*


@dataclass(frozen=True)
class BurntCell:
    """What happened to one cell: the truth, and the reading a careful person would give."""

    cell: str
    seconds: float
    depth_mm: float
    through: bool
    kerf_mm: float
    edge_heat: float
    lightness: float | None
    flared: bool
    seen: Reading


class StandInBench:
    """Burns trials.  The same bench seed gives the same hidden stock; the same trial on it burns alike each time."""

    def __init__(self, seed: int = 1) -> None:
        self.seed = seed

    def burn(self, trial: Trial) -> Iterator[BurntCell]:
        """Burn the cells in order, yielding each as it is done."""
        hidden = hidden_of(trial.machine, trial.stock, self.seed)
        rng = np.random.default_rng([self.seed, *trial.id.encode()])
        for cell in trial.in_order:
            yield self._burn_cell(trial, cell, with_cell_luck(hidden, rng), rng)

    def truth(self, trial: Trial) -> dict[str, object]:
        """Return the hidden parameters, for truth.json."""
        return {"seed": self.seed, "trial": trial.id, **asdict(hidden_of(trial.machine, trial.stock, self.seed))}

    def _burn_cell(self, trial: Trial, cell: Cell, hidden: Hidden, rng: np.random.Generator) -> BurntCell:
        machine, setting = trial.machine, cell.setting
        speed = setting.speed_mm_s
        if cell.mark != "line" and not setting.pitch_mm:  # a short side is left before full speed is reached
            speed = min(speed, math.sqrt(machine.acceleration_mm_s2 * cell.longest_side_mm))
        heat = heat_of_edge(hidden, machine, setting, speed) * float(np.exp(0.12 * rng.standard_normal()))
        if setting.pitch_mm:
            return self._rastered(trial, cell, hidden, heat, rng)
        grade = sum(heat > edge for edge in CHAR_EDGES)
        thickness, depth = trial.stock.true_thickness_mm, dug_depth(hidden, machine, setting, speed)
        kerf = kerf_of(hidden, machine, setting, speed)
        if cell.mark == "comb":  # a slot as it comes out is wider than drawn by the kerf
            measured = round(cell.nominal_mm + kerf, 2)
        elif cell.mark == "stack":  # what each piece has lost
            measured = round(kerf + 0.01 * float(rng.standard_normal()), 3)
        else:
            measured = round(kerf, 2)
        verdict = _cut_verdict(depth / thickness, hidden.grip) if trial.task == "cut" else _score_verdict(depth, thickness)
        seen = Reading(
            cell.id,
            verdict if trial.task in ("cut", "score") else None,
            kerf_mm=max(0.0, measured),
            char=grade,
            defects=("flare",) if grade == 3 else (),
        )
        return BurntCell(cell.id, cell.seconds, min(depth, thickness), depth >= thickness, kerf, heat, None, grade == 3, seen)

    def _rastered(self, trial: Trial, cell: Cell, hidden: Hidden, heat: float, rng: np.random.Generator) -> BurntCell:
        setting = cell.setting
        lightness = lightness_of(hidden, trial.machine, setting, setting.speed_mm_s) + 1.2 * float(rng.standard_normal())
        felt = lightness + 1.5 * float(rng.standard_normal())
        seen = Reading(cell.id, _tone_verdict(felt, hidden), lightness=round(min(100.0, max(0.0, felt)), 1))
        return BurntCell(cell.id, cell.seconds, 0.0, False, 0.0, heat, lightness, False, seen)


def _score_verdict(depth_mm: float, thickness_mm: float) -> Verdict:
    """A score is right around half a millimetre, or a third of thin stock."""
    aim = min(0.5, thickness_mm / 3)
    if depth_mm < 0.05:
        return "no_mark"
    return "too_light" if depth_mm < 0.6 * aim else "right" if depth_mm <= 1.5 * aim else "too_dark"


def _cut_verdict(reach: float, grip: float) -> Verdict:
    if reach < 1:
        return "not_through"
    if reach < 1 + grip / 2:
        return "hangs"
    return "push" if reach < 1 + grip else "free"


def _tone_verdict(lightness: float, hidden: Hidden) -> Verdict:
    aim = hidden.bare_l + TONE_AIM * (hidden.burnt_l - hidden.bare_l)
    toward = math.copysign(1.0, hidden.burnt_l - hidden.bare_l)
    if abs(lightness - hidden.bare_l) < 3:
        return "no_mark"
    if abs(lightness - aim) <= TONE_BAND:
        return "right"
    return "too_dark" if toward * (lightness - aim) > 0 else "too_light"
