"""How charred the edge is expected to be: an ordered probit on the line energy, the number of
passes and the air.

    H = -b1 ln Ec + b1 ln(P/v) + b2 (1 - 1/N) + b3 a
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
from olive_almanac.core.materials.families import GroovePrior
from olive_almanac.core.records.reading import Reading, flared
from olive_almanac.core.records.setting import AIRS, Air
from olive_almanac.core.records.trial import Trial

__all__ = ["CharPosterior", "FlareLimit", "fit_char", "flare_energy"]

Floats = NDArray[np.float64]
Reals = NDArray[np.float32]
SD = np.array(
    [0.8, 0.2, 0.2, 0.2, 0.5, 0.15, 0.2]
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
UNGRADED = -1  # read, but no edge grade given: at least it did not flare
DRAWS = 64


@dataclass(frozen=True)
class CharPosterior:
    """Equally weighted draws of the seven parameters, [D, 7]; `mode` is where to start the next
    fit.
    """

    draws: Floats
    mode: Floats | None = None

    def above(self, *, line_energy_j_mm: ArrayLike, passes: ArrayLike, air: Air = "full") -> Floats:
        """Return P(grade > 0), P(> 1), P(> 2) for each setting, [3, ...] in the broadcast shape."""
        energy, count = np.broadcast_arrays(
            np.asarray(line_energy_j_mm, float), np.asarray(passes, float)
        )
        short = np.full(energy.size, len(AIRS) - 1 - AIRS.index(air))
        flat = _above(self.draws, np.log(energy.ravel()), 1 - 1 / count.ravel(), short)
        result: Floats = flat.mean(1, dtype=float).reshape(3, *energy.shape)
        return result

    def expected(self, *, line_energy_j_mm: float, passes: float, air: Air = "full") -> float:
        """Return the expected grade, 0 clean to 3 flared."""
        return float(self.above(line_energy_j_mm=line_energy_j_mm, passes=passes, air=air).sum())


@dataclass(frozen=True)
class FlareLimit:
    """Line energy of a single pass, J/mm, above which a flare-up is expected; less with more
    passes.

    `seen` are line energy and passes of the flare-ups seen on this stock: nothing is planned from
    98 % of one on.  Fewer passes than flared may take a little more, which errs on the cool side.
    """

    j_mm: float
    seen: tuple[tuple[float, int], ...] = ()

    @property
    def known(self) -> FlareLimit:
        """The limit by what has flared alone, without what is merely expected."""
        return replace(self, j_mm=float("inf"))

    def of(self, passes: int) -> float:
        """Return the highest line energy of a pass that may be planned with that many
        passes, J/mm.
        """
        most = [self.j_mm * np.exp(PASSES_MEAN * (1 / passes - 1))]
        for energy, flared_with in self.seen:
            left = 1 / passes - 1 / flared_with
            most.append(0.98 * energy * np.exp((SURE_PASSES if left > 0 else PASSES_MEAN) * left))
        return float(min(most))


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
    prior: GroovePrior,
    pairs: Sequence[tuple[Trial, Sequence[Reading]]],
    *,
    rng: np.random.Generator,
    previous: CharPosterior | None = None,
) -> CharPosterior:
    """Return the posterior of the char grade from every reading; a `previous` one makes it quicker.

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
                energy = watts[setting.power] / setting.speed_mm_s
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
            -ENERGY_MEAN * np.log(prior.char_j_mm),
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


def flare_energy(prior: GroovePrior, pairs: Sequence[tuple[Trial, Sequence[Reading]]]) -> float:
    """Return the line energy of a single pass, J/mm, above which a flare-up is more likely than
    not; before anything was read a seventh less, to err on the cool side.
    """
    if not any(readings for _, readings in pairs):
        return float(prior.char_j_mm * np.exp(STEP_MEAN + FLARE_STEP_MEAN))
    char = fit_char(prior, pairs, rng=np.random.default_rng(0))
    energies = prior.char_j_mm * np.geomspace(0.5, 60, 200)
    likely = char.above(line_energy_j_mm=energies, passes=1.0)[2] > 0.5
    return float(energies[int(likely.argmax())] if likely.any() else energies[-1])
