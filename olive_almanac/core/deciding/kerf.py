"""Decide the kerf along X and Y from combs and stacks, and what kerf to expect of a setting."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from olive_almanac.core.fitting.kerf import KerfFigures, kerf_figures, kerf_of, taper
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.units import number_text
from olive_almanac.core.words import tr

__all__ = ["KerfDecision", "KerfRow", "decide_kerf", "expected_kerf"]

Pairs = Sequence[tuple[Trial, Sequence[Reading]]]
GAUGE_STEP_MM = 0.01
NEAR = 0.35  # in ln(line energy): kerfs of settings as far apart as this count 60 %
APART = 2.0  # standard errors by which the axes must differ to be told apart


@dataclass(frozen=True)
class KerfRow:
    """Kerf along one axis in one thickness of stock; `lean_mm` by how much each wall leans, None
    where not measured.
    """

    axis: str
    thickness_mm: float
    figures: KerfFigures
    lean_mm: float | None = None
    angle_deg: float | None = None


@dataclass(frozen=True)
class KerfDecision:
    """A row for each axis and thickness, this trial's first; the measured kerfs (axis, how, mm);
    and what it means.
    """

    rows: tuple[KerfRow, ...]
    measured: tuple[tuple[str, str, float], ...]
    says: str

    def of(self, axis: str) -> KerfRow | None:
        """Return the row of this trial's axis."""
        return next((row for row in self.rows if row.axis == axis), None)


def decide_kerf(pairs: Pairs) -> KerfDecision:
    """Return the kerf per axis and thickness from the last trial and earlier kerf trials in other
    thicknesses.
    """
    rows: list[KerfRow] = []
    measured: list[tuple[str, str, float]] = []
    for trial, readings in reversed(pairs):
        if trial.kind != "kerf":
            continue
        known = {reading.cell: reading for reading in readings}
        thickness = trial.stock.true_thickness_mm
        for axis in ("x", "y"):
            told = [
                (cell, known[cell.id])
                for cell in trial.cells
                if cell.id in known and cell.setting.direction == axis
            ]
            kerfs = [
                (cell, kerf)
                for cell, reading in told
                if (kerf := kerf_of(cell, reading)) is not None
            ]
            if not kerfs or any(
                row.axis == axis and abs(row.thickness_mm - thickness) < 0.05 for row in rows
            ):
                continue
            figures = kerf_figures([kerf for _, kerf in kerfs], GAUGE_STEP_MM)
            leans = [
                taper(r.kerf_mm, r.kerf_bottom_mm, thickness)
                for c, r in told
                if c.mark == "outline" and r.kerf_mm and r.kerf_bottom_mm
            ]
            if leans:
                angle, lean = (sum(part) / len(leans) for part in zip(*leans, strict=True))
            else:
                angle, lean = (None, None)
            if figures is not None:
                rows.append(KerfRow(axis, thickness, figures, lean, angle))
            if trial is pairs[-1][0]:
                measured += [
                    (axis, "stack" if cell.mark == "stack" else "slot", kerf)
                    for cell, kerf in kerfs
                ]
    return KerfDecision(tuple(rows), tuple(measured), _says(rows))


def _says(rows: Sequence[KerfRow]) -> str:
    if not rows:
        return tr("Not decided yet: measure slots or stacks with a gauge, along X and along Y.")
    x, y = (next((row for row in rows if row.axis == axis), None) for axis in ("x", "y"))
    if x is None or y is None:
        missing = "X"
        if y is None:
            missing = "Y"
        return tr(
            "Only one axis is measured: measure along {missing} too, a spot is seldom round.",
            missing=missing,
        )
    gap, error = (
        x.figures.mean_mm - y.figures.mean_mm,
        math.hypot(x.figures.error_mm, y.figures.error_mm),
    )
    offsets = tr(
        "Offset outlines by {mean_mm} mm along X and {mean_mm2} mm along Y.",
        mean_mm=number_text(x.figures.mean_mm / 2, 3),
        mean_mm2=number_text(y.figures.mean_mm / 2, 3),
    )
    if abs(gap) > APART * error:
        shown = abs(
            round(x.figures.mean_mm, 3) - round(y.figures.mean_mm, 3)
        )  # as between the two figures that are shown
        return tr(
            "The kerf along {axis} is wider by {shown} mm. {offsets}",
            axis="X" if gap > 0 else "Y",
            shown=number_text(shown, 2),
            offsets=offsets,
        )
    return tr("X and Y agree within what the gauge tells. {offsets}", offsets=offsets)


def expected_kerf(pairs: Pairs, line_energy_j_mm: float, passes: int) -> float | None:
    """Return the kerf to expect, mm: the mean of what was measured, nearer energies and passes
    counting more; None where nothing near was measured.
    """
    total = weighted = 0.0
    for trial, readings in pairs:
        cells = {cell.id: cell for cell in trial.cells}
        for reading in readings:
            cell = cells.get(reading.cell)
            kerf = None
            if cell is not None and cell.mark != "line":
                kerf = kerf_of(cell, reading)
            if cell is None or kerf is None or kerf <= 0:
                continue
            energy = trial.machine.watts(cell.setting.power) / cell.setting.speed_mm_s
            far = (
                math.log(max(energy, 1e-9) / line_energy_j_mm) ** 2
                + math.log(cell.setting.passes / passes) ** 2
            )
            weight = math.exp(-far / (2 * NEAR**2))
            total, weighted = total + weight, weighted + weight * kerf
    if total > 0.5:
        return weighted / total
    return None
