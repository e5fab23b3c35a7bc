"""Fit the engraved tone: verdicts about the tone aimed at, and lightness where it was measured.

Verdicts (too light, right, too dark) are ordinal readings of ln F, F being the areal energy P/(v
pitch): an ordered probit with the centre c and half width h of the right band and the noise s,
solved on a grid.  Lightness follows L(F) = L0 + dL (1 - exp(-(F/F1)^p)) + ob o/(1+o), o =
(F/Fo)^2.5.  Where power and time do not trade evenly, F counts as F (P/P1)^g, P1 being full power:
g is 0 where they do (a failure of reciprocity, as films have it: Schwarzschild 1900, from memory).
docs/methods.md, section Engrave.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.optimize import least_squares
from scipy.special import ndtr

from olive_almanac.core.materials.families import TonePrior
from olive_almanac.core.motion.profile import peak_speed
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.setting import Setting, rasters
from olive_almanac.core.records.trial import Trial

__all__ = [
    "ToneCurve",
    "ToneData",
    "TonePosterior",
    "areal_energy_of",
    "counted_energy",
    "fit_lightness",
    "fit_reciprocity",
    "fit_tone",
    "fit_tone_shift",
    "tone_data_of",
]

Floats = NDArray[np.float64]
LAPSE = 0.03
TABLE = 400  # energies worked out where more are asked for: they all hang on one number
CENTRE_SD = 1.0  # prior spread of ln(right areal energy)
HALF_WIDTH, HALF_WIDTH_SD = 0.25, 0.6  # of ln F, and its spread in log
NOISE, NOISE_SD = 0.12, 0.5
LEAST_TONES = 5  # measured cells of a series that a shift is told from
LIGHTNESS_SD = 1.5
RECIPROCITY_SD = 0.25  # prior spread of g around 0
SOME_VERDICTS, SOME_POWERS = 6, 0.2  # readings, and range of ln power, that can tell of g
FINE, COARSE = (121, 15, 11), (41, 7, 5)  # of the band's centre, half width and noise
FARTHEST = np.array((6.0, 2.0, 6.0))  # ln: where readings that follow no curve drive one stops


@dataclass(frozen=True)
class ToneData:
    """Readings as arrays [n]: ln F and the verdict, -1 too light, 0 right, +1 too dark; lightness
    or nan; ln of the power as a share of the machine's full power.
    """

    log_energy: Floats
    verdict: Floats
    lightness: Floats
    log_power: Floats

    def counted(self, reciprocity: float) -> ToneData:
        """Return the same readings with energies as they count at full power."""
        return replace(self, log_energy=self.log_energy + reciprocity * self.log_power)


@dataclass(frozen=True)
class TonePosterior:
    """Grid points (centre, half width, noise) of the right band in ln F, [K] each, with weights
    that sum to 1.
    """

    centre: Floats
    half_width: Floats
    noise: Floats
    weight: Floats

    def chances(self, energy_j_mm2: ArrayLike, *, extra_noise: float = 0.0) -> Floats:
        """Return P(too light), P(right), P(too dark) for areal energies of any shape, [3, ...].

        `extra_noise` is a further spread in ln F, for the shop's drift of power and for patch to
        patch.  More than 400 energies are read off a table of so many (within 0.002).
        """
        shape = np.shape(energy_j_mm2)
        x = np.log(np.asarray(energy_j_mm2, float).ravel())
        spread = np.hypot(self.noise, extra_noise)
        at = x
        if x.size > TABLE:
            at = np.linspace(x.min(), x.max(), TABLE)
        light = ndtr((self.centre - self.half_width - at[:, None]) / spread) @ self.weight
        dark = ndtr((at[:, None] - self.centre - self.half_width) / spread) @ self.weight
        if x.size > TABLE:
            light, dark = np.interp(x, at, light), np.interp(x, at, dark)
        return np.stack([light, 1 - light - dark, dark]).reshape(3, *shape)

    @property
    def centre_doubt(self) -> float:
        """One standard deviation of the band's centre in ln F."""
        mean = float(self.weight @ self.centre)
        return float(np.sqrt(self.weight @ (self.centre - mean) ** 2))


@dataclass(frozen=True)
class ToneCurve:
    """Lightness against areal energy as it counts at full power; `doubt` is one standard error of
    a reading, `reciprocity` g.
    """

    blank: float
    change: float
    energy_1: float
    steepness: float
    overburn: float
    energy_over: float
    doubt: float
    reciprocity: float = 0.0

    def lightness(self, energy_j_mm2: ArrayLike) -> Floats:
        """Return L* at areal energies of any shape."""
        energy = np.maximum(np.asarray(energy_j_mm2, float), 1e-9)
        over = (energy / self.energy_over) ** 2.5
        result: Floats = (
            self.blank
            - self.change * np.expm1(-((energy / self.energy_1) ** self.steepness))
            + self.overburn * over / (1 + over)
        )
        return result

    def energy_for(self, lightness: float, highest_j_mm2: float) -> float | None:
        """Return the least areal energy that gives a lightness, or None where the curve never
        reaches it.
        """
        energy = np.geomspace(1e-3 * highest_j_mm2, highest_j_mm2, 800)
        toward = np.sign(self.change) * self.lightness(energy)
        turn = int(toward.argmax())
        wanted = np.sign(self.change) * lightness
        if not toward[0] <= wanted <= toward[turn]:
            return None
        rising = np.maximum.accumulate(toward[: turn + 1])
        return float(np.interp(wanted, rising, energy[: turn + 1]))


def areal_energy_of(setting: Setting, machine: Machine, speed_mm_s: float) -> float:
    """Return passes x P/(v pitch), J/mm2, of a raster setting at the speed really reached; P/v of a
    line, J/mm.
    """
    return machine.watts(setting.power) * setting.dose_per_watt * setting.speed_mm_s / speed_mm_s


def counted_energy(energy_j_mm2: ArrayLike, power_share: ArrayLike, reciprocity: float) -> Floats:
    """Return areal energies as they count at full power, of burns at shares of it; the arrays
    broadcast.
    """
    share = np.maximum(np.asarray(power_share, float), 1e-3)
    return np.asarray(np.asarray(energy_j_mm2) * share**reciprocity, float)


def tone_data_of(pairs: Sequence[tuple[Trial, Sequence[Reading]]]) -> ToneData:
    """Return the readings that carry a verdict or a lightness: rastered cells, or scored lines."""
    rank = {"no_mark": -1.0, "too_light": -1.0, "right": 0.0, "too_dark": 1.0}
    rows = []
    for trial, readings in pairs:
        cells = {cell.id: cell for cell in trial.cells}
        for reading in readings:
            cell = cells.get(reading.cell)
            wrong_mark = (
                cell is not None and rasters(trial.task) and cell.setting.pitch_mm <= 0
            )  # lines of a focus test
            if (
                cell is None
                or wrong_mark
                or (reading.verdict is None and reading.lightness is None)
            ):
                continue
            speed = peak_speed(
                1e6, cell.setting.speed_mm_s, trial.machine.acceleration_mm_s2
            )  # overscan: always reached
            energy = areal_energy_of(cell.setting, trial.machine, speed)
            if reading.lightness is None:
                lightness = np.nan
            else:
                lightness = reading.lightness
            share = trial.machine.watts(cell.setting.power) / trial.machine.watts(1.0)
            rows.append(
                (
                    np.log(max(energy, 1e-9)),
                    rank.get(reading.verdict or "", np.nan),
                    lightness,
                    np.log(max(share, 1e-3)),
                )
            )
    return ToneData(*np.array(rows, float).reshape(len(rows), 4).T)


def fit_tone(prior: TonePrior, data: ToneData) -> TonePosterior:
    """Return the posterior of the right band from verdicts; with none, the prior."""
    centre, half, noise, log_weight = _weighed(prior, data, FINE)
    weight = np.exp(log_weight - log_weight.max())
    keep = weight > 1e-6
    return TonePosterior(centre[keep], half[keep], noise[keep], weight[keep] / weight[keep].sum())


def fit_reciprocity(prior: TonePrior, data: ToneData) -> float:
    """Return the posterior mean of g from verdicts at several powers; 0 where they cannot tell."""
    known = np.isfinite(data.verdict)
    if known.sum() < SOME_VERDICTS or np.ptp(data.log_power[known]) < SOME_POWERS:
        return 0.0
    tried = RECIPROCITY_SD * np.linspace(-2.0, 2.0, 9)
    log = np.empty(len(tried))
    for i, one in enumerate(tried):
        weights = _weighed(prior, data.counted(float(one)), COARSE)[-1]
        log[i] = np.logaddexp.reduce(weights) - np.log(len(weights))
    log -= 0.5 * (tried / RECIPROCITY_SD) ** 2
    weight = np.exp(log - log.max())
    return float(weight @ tried / weight.sum())


def _weighed(
    prior: TonePrior, data: ToneData, steps: tuple[int, int, int]
) -> tuple[Floats, Floats, Floats, Floats]:
    """Centre, half width and noise on a grid of so many steps, ln of their weights, [K] each."""
    middle = np.log(prior.right_j_mm2)
    known = data.log_energy[np.isfinite(data.verdict)]
    low, high = (
        min([middle - 3 * CENTRE_SD, *(known - 1.0)]),
        max([middle + 3 * CENTRE_SD, *(known + 1.0)]),
    )
    axes = (
        np.linspace(low, high, steps[0]),
        HALF_WIDTH * np.exp(HALF_WIDTH_SD * np.linspace(-2.5, 2.5, steps[1])),
        NOISE * np.exp(NOISE_SD * np.linspace(-2.5, 2.5, steps[2])),
    )
    centre, half, noise = (axis.ravel() for axis in np.meshgrid(*axes, indexing="ij"))
    log_weight = -0.5 * (
        ((centre - middle) / CENTRE_SD) ** 2
        + (np.log(half / HALF_WIDTH) / HALF_WIDTH_SD) ** 2
        + (np.log(noise / NOISE) / NOISE_SD) ** 2
    )
    for x, verdict in zip(data.log_energy, data.verdict, strict=True):
        if np.isfinite(verdict):
            light, dark = ndtr((centre - half - x) / noise), ndtr((x - centre - half) / noise)
            if verdict < 0:
                chance = light
            elif verdict > 0:
                chance = dark
            else:
                chance = 1 - light - dark
            log_weight = log_weight + np.log((1 - LAPSE) * np.maximum(chance, 0) + LAPSE / 3)
    return centre, half, noise, log_weight


def fit_lightness(data: ToneData, *, blank: float | None = None) -> ToneCurve | None:
    """Return the lightness curve by robust least squares, or None with fewer than 5 measured cells.

    `blank` is the lightness of the bare stock; without it the lightest-burnt cell stands for it.
    """
    measured = np.isfinite(data.lightness)
    if measured.sum() < 5:
        return None
    log_energy, log_power = data.log_energy[measured], data.log_power[measured]
    energy, lightness = np.exp(log_energy), data.lightness[measured]
    if blank is None:
        start = float(lightness[energy.argmin()])
    else:
        start = blank
    extreme = int(np.abs(lightness - start).argmax())
    change = float(lightness[extreme] - start) or 1.0
    sign = np.sign(change)
    half = float(energy[np.abs(lightness - (start + 0.63 * change)).argmin()])
    over = max(float(energy[extreme]), half) * 1.6

    def curve(z: Floats) -> ToneCurve:
        energy_1, steepness, energy_over = np.exp(np.clip(z[[2, 3, 5]], -FARTHEST, FARTHEST))
        return ToneCurve(
            z[0],
            z[1],
            float(energy_1),
            float(steepness),
            z[4],
            float(energy_over),
            LIGHTNESS_SD,
            float(z[6]),
        )

    def residuals(z: Floats) -> Floats:
        counted = np.exp(log_energy + z[6] * log_power)
        misfit = 3 * np.arcsinh((curve(z).lightness(counted) - lightness) / LIGHTNESS_SD / 3)
        return np.array(
            [
                *misfit,
                (z[0] - start) / (1.0 if blank is not None else 3.0),
                (z[3] - np.log(2)) / 0.4,
                (z[4] + sign * 6) / 6,
                (z[5] - np.log(over)) / 0.6,
                (z[1] - change) / 15,
                z[6] / RECIPROCITY_SD,
            ]
        )

    tries = [
        least_squares(
            residuals,
            [start, change * 1.05, np.log(half) + shift, np.log(2), -sign * 4, np.log(over), 0.0],
            x_scale=[5, 5, 0.3, 0.3, 5, 0.5, 0.2],
        )
        for shift in (-0.4, 0.0, 0.4)
    ]
    best = min(tries, key=lambda one: one.cost)
    return curve(best.x)


def fit_tone_shift(first: ToneData, other: ToneData) -> tuple[float, float] | None:
    """Return how much more ln energy one series of tones needs than the first for the same
    lightness, and its standard error; None with fewer than 5 measured cells of either.

    One curve for both, a parabola over ln energy as it counts at full power, moved along by the
    shift; by robust least squares, with the scatter that is left, at least that of a reading.
    """
    measured = [np.isfinite(one.lightness) for one in (first, other)]
    if min(one.sum() for one in measured) < LEAST_TONES:
        return None
    x = np.concatenate([first.log_energy[measured[0]], other.log_energy[measured[1]]])
    lightness = np.concatenate([first.lightness[measured[0]], other.lightness[measured[1]]])
    which = np.repeat([0.0, 1.0], [one.sum() for one in measured])
    power = np.concatenate([first.log_power[measured[0]], other.log_power[measured[1]]])
    x, power = x - x.mean(), power - power.mean()

    def residuals(z: Floats) -> Floats:
        along = x + z[4] * power - z[0] * which
        misfit = z[1] + z[2] * along + z[3] * along**2 - lightness
        return np.array([*(3 * np.arcsinh(misfit / LIGHTNESS_SD / 3)), z[4] / RECIPROCITY_SD])

    slope = np.polyfit(x, lightness, 1)[0]
    found = least_squares(residuals, [0.0, lightness.mean(), slope, 0.0, 0.0])
    scatter = max(1.0, 2 * found.cost / (len(x) - len(found.x) + 1))
    doubt = np.linalg.pinv(found.jac.T @ found.jac)[0, 0] * scatter
    return float(found.x[0]), float(np.sqrt(doubt))
