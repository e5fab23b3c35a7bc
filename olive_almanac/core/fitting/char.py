"""How charred the edge is expected to be: an ordered probit on the line energy that stays, the
number of passes and the air.

    Q = P/(v + 1.5 mm/s)                       a beam that creeps loses its heat to the sides
    H = -b1 ln Ec + b1 ln Q + b2 (1 - 1/N) + b3 a
    P(grade > g) = Phi((H - c_g) / s),    c = 0, c_1, c_1 + c_2

with a steps of air below full.  Further passes add ever less heat: each finds what the ones before
it have left behind, and that cools away.  A grade may be misjudged, a flare-up is not.  Laplace
approximation around the best fit.  docs/methods.md, section Char.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import ArrayLike, NDArray

from olive_almanac.core.burn.groove import fast_phi
from olive_almanac.core.fitting.sampler import Softening, laplace_draws
from olive_almanac.core.records.reading import Reading, flared
from olive_almanac.core.records.setting import AIRS, Air
from olive_almanac.core.records.trial import Trial

__all__ = ["CharPosterior", "FlareLimit", "fit_char", "flare_energy", "heat_of"]

Floats = NDArray[np.float64]
Reals = NDArray[np.float32]
SD = np.array(
    [0.45, 0.2, 0.2, 0.2, 0.5, 0.15, 0.2]
)  # of -b1 ln Ec, b1, b2, ln c_1, ln s, b3, ln c_2
TAILS = np.full(len(SD), 1e6)
LAPSE = 0.05  # share of grades that say nothing
FLARE_LAPSE = 0.002  # share of flare-ups noted where none was, or missed
STEP_MEAN, FLARE_STEP_MEAN = (
    0.7,
    0.62,
)  # priors of the rise of H from brown to charred, and from charred to flared
NOISE_MEAN = 0.22
ENERGY_MEAN, PASSES_MEAN, AIR_MEAN = 0.9, 0.65, 0.2  # priors of b1, b2, b3
SURE_PASSES = 0.45  # of b2: relied on where fewer passes are allowed more energy after a flare-up
SPREADS_MM_S = 1.5  # how fast an edge's heat spreads away (common practice, no source)
UNGRADED = -1  # read, but no edge grade given: at least it did not flare
DRAWS = 64


def heat_of(*, power_w: ArrayLike, speed_mm_s: ArrayLike) -> Floats:
    """Return the line energy that stays where the beam goes, J/mm, in the broadcast shape: what a
    weak beam burns in slowly spreads away before it can set anything alight.
    """
    return np.asarray(power_w, float) / (np.asarray(speed_mm_s, float) + SPREADS_MM_S)


@dataclass(frozen=True)
class CharPosterior:
    """Equally weighted draws of the seven parameters, [D, 7]; `mode` is where to start the next
    fit.
    """

    draws: Floats
    mode: Floats | None = None

    def above(self, *, heat_j_mm: ArrayLike, passes: ArrayLike, air: Air = "full") -> Floats:
        """Return P(grade > 0), P(> 1), P(> 2) for each setting, [3, ...] in the broadcast shape."""
        energy, count = np.broadcast_arrays(np.asarray(heat_j_mm, float), np.asarray(passes, float))
        short = np.full(energy.size, len(AIRS) - 1 - AIRS.index(air))
        flat = _above(self.draws, np.log(energy.ravel()), 1 - 1 / count.ravel(), short)
        result: Floats = flat.mean(1, dtype=float).reshape(3, *energy.shape)
        return result

    def expected(self, *, heat_j_mm: float, passes: float, air: Air = "full") -> float:
        """Return the expected grade, 0 clean to 3 flared."""
        return float(self.above(heat_j_mm=heat_j_mm, passes=passes, air=air).sum())


@dataclass(frozen=True)
class FlareLimit:
    """Heat of a single pass, J/mm (`heat_of`), above which a flare-up is expected; less with more
    passes.

    `seen` are line energy (J/mm) and passes of the flare-ups seen on this stock: nothing is planned
    from 98 % of one on.  Fewer passes than flared may take a little more, which errs on the cool
    side.  `held` are heat and passes of what was burnt on it and did not flare: that counts for
    more than what is expected.
    """

    heat_j_mm: float
    seen: tuple[tuple[float, int], ...] = ()
    held: tuple[tuple[float, int], ...] = ()

    @property
    def known(self) -> FlareLimit:
        """The limit by what has flared alone, without what is merely expected."""
        return replace(self, heat_j_mm=float("inf"))

    def slowest(self, watts: float, passes: int) -> float:
        """Return the lowest speed, mm/s, that may be planned for a beam of that power with that
        many passes; 0 where it cannot set this stock alight.
        """
        slowest = watts / self._heat(passes) - SPREADS_MM_S
        for energy, flared_with in self.seen:
            left = 1 / passes - 1 / flared_with
            cooler = SURE_PASSES if left > 0 else PASSES_MEAN
            slowest = max(slowest, watts / (0.98 * energy * np.exp(cooler * left)))
        return max(0.0, float(slowest))

    def allows(self, watts: float, speed_mm_s: float, passes: int) -> bool:
        """Whether such a burn keeps below the limit."""
        return speed_mm_s >= self.slowest(watts, passes) * (1 - 1e-9)

    def most_j_mm(self, watts: float, passes: int) -> float:
        """Return the highest line energy of a pass that may be planned, J/mm; inf where any may."""
        slowest = self.slowest(watts, passes)
        if not slowest:
            return float("inf")
        return watts / slowest

    def _heat(self, passes: int) -> float:
        most = [self.heat_j_mm * np.exp(PASSES_MEAN * (1 / passes - 1))]
        for heat, burnt_with in self.held:
            most.append(heat * np.exp(PASSES_MEAN * min(0.0, 1 / passes - 1 / burnt_with)))
        return float(max(most))


def _above(draws: Floats, log_energy: Floats, earlier: Floats, air: ArrayLike) -> Reals:
    """P(grade > 0, 1, 2), [3, D, n]; `earlier` is 1 - 1/passes."""
    parts = draws.astype(np.float32)
    energy, passes, short = (np.asarray(a, np.float32) for a in (log_energy, earlier, air))
    heat = parts[:, :1] + parts[:, 1:2] * energy + parts[:, 2:3] * passes + parts[:, 5:6] * short
    first, second, noise = (np.exp(parts[:, at, None]) for at in (3, 6, 4))
    return np.stack(
        [fast_phi((heat - edge) / noise) for edge in (0 * first, first, first + second)]
    )


def fit_char(
    char_j_mm: float,
    pairs: Sequence[tuple[Trial, Sequence[Reading]]],
    *,
    rng: np.random.Generator,
    previous: CharPosterior | None = None,
) -> CharPosterior:
    """Return the posterior of the char grade from every reading, `char_j_mm` being the heat at
    which the edge is expected to char; a `previous` one makes it quicker.

    A flare counts as grade 3; a cell read without a grade counts as not flared.
    """
    rows: list[tuple[float, float, int, int]] = []
    for trial, readings in pairs:
        cells, powers = (
            {cell.id: cell for cell in trial.cells},
            sorted({cell.setting.power for cell in trial.cells}),
        )
        watts = dict(
            zip(powers, np.interp(powers, *trial.machine.power_curve).tolist(), strict=True)
        )
        for reading in readings:
            cell = cells.get(reading.cell)
            grade = reading.char
            if flared(reading):
                grade = 3
            if cell is not None and (grade is not None or reading.verdict is not None):
                setting = cell.setting
                energy = float(heat_of(power_w=watts[setting.power], speed_mm_s=setting.speed_mm_s))
                short = len(AIRS) - 1 - AIRS.index(setting.air)
                rows.append(
                    (
                        max(energy, 1e-6),
                        1 - 1 / setting.passes,
                        short,
                        UNGRADED if grade is None else grade,
                    )
                )
    mean = np.array(
        [
            -ENERGY_MEAN * np.log(char_j_mm),
            ENERGY_MEAN,
            PASSES_MEAN,
            *np.log([STEP_MEAN, NOISE_MEAN]),
            AIR_MEAN,
            np.log(FLARE_STEP_MEAN),
        ]
    )
    if not rows:
        half = rng.standard_normal((DRAWS // 2, len(SD)))
        return CharPosterior(mean + SD * np.vstack([half, -half]))
    rows.sort(key=lambda row: row[3])  # in blocks of one grade
    energies, earlier, air, grade = np.array(rows, float).T
    log_energy = np.log(energies)
    starts_at = np.searchsorted(grade, range(5))
    clean, brown, charred, flared_up = (slice(*ends) for ends in itertools.pairwise(starts_at))

    def likelihood(z: Floats, soft: Softening) -> Reals:
        above = _above(mean + SD * z, log_energy, earlier, air)
        flares = (1 - FLARE_LAPSE) * above[2] + FLARE_LAPSE / 2
        chance = 1 - flares
        for block, least, most in (
            (clean, None, above[0]),
            (brown, above[0], above[1]),
            (charred, above[1], above[2]),
        ):
            graded = np.maximum((1 if least is None else least[:, block]) - most[:, block], 0)
            chance[:, block] = (1 - LAPSE) * graded + LAPSE / 3 * chance[:, block]
        chance[:, flared_up] = flares[:, flared_up]
        return np.asarray(np.log(chance, out=chance))

    starts = np.vstack([np.zeros(len(SD)), 0.7 * rng.standard_normal((7, len(SD)))])
    near = previous is not None and previous.mode is not None
    if previous is not None and previous.mode is not None:
        starts = np.vstack([starts[:1], previous.mode])
    z, mode = laplace_draws(likelihood, TAILS, starts=starts, draws=DRAWS, rng=rng, near=near)
    return CharPosterior(mean + SD * z, mode)


def flare_energy(char_j_mm: float, pairs: Sequence[tuple[Trial, Sequence[Reading]]]) -> float:
    """Return the heat of a single pass, J/mm, above which a flare-up is more likely than not;
    before anything was read a seventh less, to err on the cool side.
    """
    if not any(readings for _, readings in pairs):
        return float(char_j_mm * np.exp(STEP_MEAN + FLARE_STEP_MEAN))
    char = fit_char(char_j_mm, pairs, rng=np.random.default_rng(0))
    energies = char_j_mm * np.geomspace(0.5, 60, 200)
    likely = char.above(heat_j_mm=energies, passes=1.0)[2] > 0.5
    return float(energies[int(likely.argmax())] if likely.any() else energies[-1])
