"""Plain logistic regression on one axis: the yardstick against which `make bench` measures the
groove fit.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.words import tr

__all__ = ["LogitFit", "fit_logit"]

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class LogitFit:
    """logit p = intercept + slope x, with standard errors, their covariance and the deviance of
    grouped counts.
    """

    intercept: float
    slope: float
    intercept_se: float
    slope_se: float
    covariance: float
    deviance: float

    @property
    def half(self) -> float:
        """The x at which p = 1/2."""
        return -self.intercept / self.slope

    @property
    def half_se(self) -> float:
        """Standard error of `half` by the delta method."""
        a, b = self.half, self.slope
        return float(
            np.sqrt(self.intercept_se**2 + a**2 * self.slope_se**2 + 2 * a * self.covariance)
            / abs(b)
        )

    def probability(self, x: ArrayLike) -> Floats:
        """Return the chance of success at x [n], the predictor as it was fitted."""
        result: Floats = 1 / (1 + np.exp(-(self.intercept + self.slope * np.asarray(x, float))))
        return result


def fit_logit(
    x: ArrayLike, successes: ArrayLike, trials: ArrayLike, *, ridge: float = 0.0
) -> LogitFit:
    """Fit by maximum likelihood (iteratively reweighted least squares) to grouped counts, arrays
    [n].

    `ridge` adds that much precision to the slope, so that separable data still have an answer.
    Raises OutOfRange when the counts do not make sense or the data are separable and ridge is 0.
    """
    x, y, n = (np.asarray(values, float) for values in (x, successes, trials))
    if not (x.shape == y.shape == n.shape and len(x) >= 2):
        raise OutOfRange(
            tr("Counts"),
            f"{x.shape}, {y.shape}, {n.shape}",
            tr("three lists of the same length, 2 or more"),
        )
    if not (np.isfinite(x).all() and (y >= 0).all() and (y <= n).all() and (n > 0).all()):
        raise OutOfRange(tr("Counts"), tr("out of step"), "0 <= successes <= trials")
    design = np.column_stack([np.ones_like(x), x])
    penalty = np.diag([0.0, ridge])
    beta = np.zeros(2)
    for _ in range(100):
        p = 1 / (1 + np.exp(-np.clip(design @ beta, -30, 30)))
        information = (design.T * (n * p * (1 - p))) @ design + penalty
        if np.linalg.cond(information) > 1e14:
            raise OutOfRange(
                tr("Counts"), "separable", tr("mixed: some of both outcomes on each side")
            )
        step = np.linalg.solve(information, design.T @ (y - n * p) - penalty @ beta)
        beta = beta + step
        if np.abs(step).max() < 1e-10:
            break
    if np.abs(design @ beta).min() > 12:  # every count sits on its own side: the slope runs away
        raise OutOfRange(tr("Counts"), "separable", tr("mixed: some of both outcomes on each side"))
    covariance = np.linalg.inv(information)
    with np.errstate(divide="ignore", invalid="ignore"):
        terms = [
            np.where(a > 0, a * np.log(a / b), 0.0) for a, b in ((y, n * p), (n - y, n * (1 - p)))
        ]
    intercept_se, slope_se = np.sqrt(np.diag(covariance))
    deviance = 2 * sum(float(term.sum()) for term in terms)
    return LogitFit(
        float(beta[0]),
        float(beta[1]),
        float(intercept_se),
        float(slope_se),
        float(covariance[0, 1]),
        deviance,
    )
