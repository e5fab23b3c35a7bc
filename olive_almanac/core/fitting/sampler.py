"""Posterior of a few parameters by damped Newton steps, a Laplace approximation and pooled
importance sampling.

All in whitened coordinates z, in which the prior of each coordinate is a standard normal or a
Student-t.  Steps start on a softened likelihood, whose slopes reach far, and harden it.  The rounds
of sampling are pooled: each draw is weighed against the mean density of all proposals
(deterministic mixture; Owen & Zhou 2000, from memory), so none is thrown away.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

__all__ = ["Cloud", "Likelihood", "Softening", "laplace_draws", "sample_posterior"]

Floats = NDArray[np.float64]
Bend = Callable[[Floats], Floats]  # [K, D] to [K, D], keeps volumes and the mode
Softening = float | Floats  # spread added to the noise: one for all, or one for each row [K, 1]
Likelihood = Callable[
    [Floats, Softening], NDArray[np.floating]
]  # z [K, D] and a softening to ln likelihoods [K, readings]
SOFTENINGS = (0.5, 0.25, 0.1, 0.0)  # spreads added to the noise, Newton step by step
NEWTON_STEPS = 40  # at most; most searches need ten
DAMPINGS = np.array([0.1, 3.0, 30.0, 300.0])
LEAST_DAMPING, STEP = 1e-2, 0.02  # to begin with; of the differences that give the scores
PROPOSAL_T, PROPOSAL_SCALE = 6.0, 1.1
ROUNDS = 4
ENOUGH = 0.5  # effective draws, as a share of one round's, at which sampling stops
WIDEST = 0.7  # least curvature: no proposal is wider than 1.2 times the prior


@dataclass(frozen=True)
class Cloud:
    """Draws z [K, D] with weights [K] that sum to 1, the mode [D], and how many draws count."""

    z: Floats
    weight: Floats
    mode: Floats
    effective: float


class _Target:
    def __init__(self, likelihood: Likelihood, tails: Floats) -> None:
        self.likelihood, self.tails = likelihood, tails

    def value(self, z: Floats) -> Floats:
        return self.with_prior(z, self.likelihood(z, 0.0))

    def with_prior(self, z: Floats, log: NDArray[np.floating]) -> Floats:
        """ln density [K] of ln likelihoods [K, readings]."""
        prior = -0.5 * ((self.tails + 1) * np.log1p(z**2 / self.tails)).sum(1)
        result: Floats = prior + log.sum(1, dtype=float)
        return result


def sample_posterior(
    likelihood: Likelihood,
    tails: Floats,
    *,
    starts: Floats,
    draws: int,
    rng: np.random.Generator,
    near: bool = False,
    bend_at: Callable[[Floats, Floats], Bend] | None = None,
) -> Cloud:
    """Return the posterior.

    `tails` [D] are the priors' degrees of freedom, `starts` [S, D] the places to start from.

    `draws` (even) is how many a round takes; `near` says that one of the starts lies close to the
    mode.  `bend_at` takes the mode and the readings' scores there [D, readings] and returns a bend:
    draws are made in straight coordinates and bent along the ridge of the posterior.  The result
    depends on `rng` alone beyond the arguments.
    """
    target = _Target(likelihood, tails)
    mode, scores = _climb(target, starts, SOFTENINGS[-1:] if near else SOFTENINGS)
    if bend_at is not None:
        bend = bend_at(mode, scores)
    else:
        bend = np.asarray
    return _sample(target, mode, _score_root(target, mode, bend), bend, draws, rng)


def laplace_draws(
    likelihood: Likelihood,
    tails: Floats,
    *,
    starts: Floats,
    draws: int,
    rng: np.random.Generator,
    near: bool = False,
) -> tuple[Floats, Floats]:
    """Return `draws` (even) mirrored normal draws [draws, D] around the mode, as wide as the
    curvature there allows, and the mode [D]; `near` as in `sample_posterior`.
    """
    target = _Target(likelihood, tails)
    mode, _ = _climb(target, starts, SOFTENINGS[-1:] if near else SOFTENINGS)
    half = rng.standard_normal((draws // 2, starts.shape[1])) @ _laplace_root(target, mode).T
    return np.asarray(mode + np.vstack([half, -half])), mode


def _climb(target: _Target, starts: Floats, softenings: tuple[float, ...]) -> tuple[Floats, Floats]:
    """Return the mode and the scores close to it [D, readings]: damped Newton steps with the
    readings' own scores as curvature (outer product).

    One call of the likelihood serves a whole step: it tries several dampings, and looks around the
    boldest, which is nearly always taken, as softly as the step after it will.
    """
    dimensions = starts.shape[1]
    bold = np.vstack(
        [np.zeros((1, dimensions)), STEP * np.eye(dimensions), -STEP * np.eye(dimensions)]
    )

    def look(tried: Floats, now: float, then: float) -> tuple[Floats, float, Floats]:
        """Densities of what was tried, as soft as now; density and scores of the first, as soft as
        the next step.
        """
        rows = np.vstack([tried, tried[0] + bold])
        soft = np.where(np.arange(len(rows)) < len(tried), now, then)[:, None]
        log = target.likelihood(rows, soft)
        scores = _differences(log[len(tried) + 1 :])
        value = target.with_prior(rows[: len(tried) + 1], log[: len(tried) + 1])
        return value[:-1], float(value[-1]), scores

    softness = [*softenings, *[softenings[-1]] * NEWTON_STEPS]
    soft = softness[0]
    z = starts[target.with_prior(starts, target.likelihood(starts, soft)).argmax()]
    _, value, scores = look(z[None], soft, soft)
    damping = LEAST_DAMPING
    for then in softness[1 : NEWTON_STEPS + 1]:
        weights = (target.tails + 1) / (target.tails + z**2)
        gradient, curvature = scores.sum(1) - weights * z, scores @ scores.T + np.diag(weights)
        damped = curvature + damping * DAMPINGS[:, None, None] * np.diag(np.diag(curvature))
        tried = z + np.clip(np.linalg.solve(damped, gradient[None, :, None])[..., 0], -1.5, 1.5)
        reached, next_value, next_scores = look(tried, soft, then)
        at = int(reached.argmax())
        damping = float(np.clip(damping * DAMPINGS[at], 1e-3, 1e3))
        gain = float(reached[at]) - value
        if gain > 0:
            z, value = tried[at], float(reached[at])
        else:
            damping *= 10
        if not soft and (0 < gain < 0.05 or (gain <= 0 and damping > 500)):
            break
        if gain > 0 and at == 0:
            value, scores = next_value, next_scores
        elif gain > 0 or then != soft:
            _, value, scores = look(z[None], then, then)
        if then != soft:
            soft, damping = then, LEAST_DAMPING
    return np.asarray(z, float), scores


def _differences(around: NDArray[np.floating]) -> Floats:
    """Scores [D, readings] from ln likelihoods a step up and a step down along each coordinate [2
    D, readings].
    """
    up, down = np.split(around, 2)
    scores: Floats = np.asarray(up - down, float) / (2 * STEP)
    return scores


def _score_root(target: _Target, z: Floats, bend: Bend) -> Floats:
    """Return B with B B' about the inverse of the curvature at the mode, in straight coordinates,
    by the readings' own scores.
    """
    eye = STEP * np.eye(len(z))
    scores = _differences(target.likelihood(bend(np.vstack([z + eye, z - eye])), 0.0))
    curvatures, vectors = np.linalg.eigh(
        scores @ scores.T + np.diag((target.tails + 1) / (target.tails + z**2))
    )
    root: Floats = vectors / np.sqrt(np.maximum(curvatures, WIDEST))
    return root


def _laplace_root(target: _Target, z: Floats) -> Floats:
    """Return B with B B' the inverse of the curvature at the mode."""
    dimensions = len(z)
    step, eye = 0.12, np.eye(dimensions)  # a wide step averages out the kinks of the verdicts
    rows, cols = np.triu_indices(dimensions)
    pair = step * (eye[rows] + eye[cols])
    values = target.value(np.vstack([[z], z + pair, z - pair, z + step * eye, z - step * eye]))
    top, n = values[0], len(rows)
    plus, minus = values[1 : 1 + n], values[1 + n : 1 + 2 * n]
    up, down = values[1 + 2 * n : 1 + 2 * n + dimensions], values[1 + 2 * n + dimensions :]
    mixed = (plus + minus - up[rows] - down[rows] - up[cols] - down[cols] + 2 * top) / (2 * step**2)
    hessian = np.zeros((dimensions, dimensions))
    hessian[rows, cols] = hessian[cols, rows] = mixed
    np.fill_diagonal(hessian, (up + down - 2 * top) / step**2)
    curvatures, vectors = np.linalg.eigh(-hessian)
    root: Floats = vectors / np.sqrt(np.maximum(curvatures, WIDEST))
    return root


def _sample(
    target: _Target, centre: Floats, root: Floats, bend: Bend, draws: int, rng: np.random.Generator
) -> Cloud:
    mode, dimensions, laplace = centre, len(centre), root @ root.T
    proposals: list[tuple[Floats, Floats, float]] = []
    drawn, z, value = np.empty((0, dimensions)), np.empty((0, dimensions)), np.empty(0)
    for _ in range(ROUNDS):
        half = rng.standard_normal((draws // 2, dimensions))
        heavy: Floats = (
            np.vstack([half, -half])
            * np.sqrt(PROPOSAL_T / np.tile(rng.chisquare(PROPOSAL_T, draws // 2), 2))[:, None]
        )
        wide = PROPOSAL_SCALE * root
        fresh = centre + heavy @ wide.T
        proposals.append(
            (centre, np.asarray(np.linalg.inv(wide).T, float), float(np.linalg.slogdet(wide)[1]))
        )
        bent = bend(fresh)
        drawn, z, value = (
            np.vstack([drawn, fresh]),
            np.vstack([z, bent]),
            np.concatenate([value, target.value(bent)]),
        )
        weight = _against_all(drawn, value, proposals)
        effective = float(1 / (weight**2).sum())
        if effective > ENOUGH * draws:
            break
        centre = weight @ drawn
        trust = min(1.0, effective / (6 * dimensions))
        spread = (
            trust * ((drawn - centre) * weight[:, None]).T @ (drawn - centre)
            + (1.05 - trust) * laplace
        )
        sizes, vectors = np.linalg.eigh(spread)
        root = vectors * np.sqrt(np.maximum(sizes, 1e-4))
    return Cloud(z, weight, mode, effective)


def _against_all(z: Floats, value: Floats, proposals: list[tuple[Floats, Floats, float]]) -> Floats:
    """Weights of draws against the mean of all proposals' densities, none above sum / sqrt(K)
    (truncated; Ionides 2008).
    """
    densities = []
    for centre, whiten, log_size in proposals:
        far = (((z - centre) @ whiten) ** 2).sum(1)
        densities.append(-0.5 * (PROPOSAL_T + z.shape[1]) * np.log1p(far / PROPOSAL_T) - log_size)
    log = value - np.logaddexp.reduce(densities, axis=0)
    weight = np.exp(log - log.max())
    weight = np.minimum(weight, weight.sum() / np.sqrt(len(weight)))
    result: Floats = weight / weight.sum()
    return result
