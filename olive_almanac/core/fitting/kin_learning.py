"""Learn from a shop's own coupons how far lots, thicknesses, stocks and machines differ, and what
that says of a subject that was not burnt yet.

One number a group of coupons: y = ln of the energy that its edge needs, less what the family's
prior expects, with a standard error.  y = mean + family + stock + colour + thickness + lot +
machine + state + machine with stock + noise, each effect normal; the standard deviations are at
the mode of their posterior.  Own.  docs/methods.md, section Kin.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.fitting.transfer import USUAL_SD
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.words import tr

__all__ = [
    "LEVELS",
    "KinGroup",
    "KinSds",
    "kin_words",
    "labels_of",
    "learn_kin",
    "predict_kin",
    "usual_kin",
]

Floats = NDArray[np.floating[Any]]
LEVELS = ("family", "stock", "colour", "thickness", "lot", "machine", "state", "together")
TOGETHER_SD = 0.10  # of a difference: what one machine does to one stock
DOUBT = 0.6  # sd of ln of a standard deviation around the usual one
MEAN_SD = 0.5  # of the level that all have in common
KIND_SD = 0.60  # of a difference: another kind of laser; not learnt
LEAST_VAR = 1e-8
WIDEST = 1.5  # times DOUBT, of what the curvature may say
MOST_BELOW, MOST_ABOVE = 2.5, 2.0
MIRRORED, SEED = 12, 5
LEAST_TOLD = 5  # groups from which it is told
Labels = tuple[str, ...]


@dataclass(frozen=True)
class KinGroup:
    """What one group of coupons told: its labels by level (and the kind of laser last), ln energy
    needed less what the family's prior expects, and its standard error.
    """

    labels: Labels
    energy: float
    sd: float


@dataclass(frozen=True)
class KinSds:
    """How far groups differ: ln of the standard deviation of each level's effect [8], the
    covariance of that [8, 8] (none: it is not learnt), and from how many groups.
    """

    log_sd: tuple[float, ...]
    cov: tuple[tuple[float, ...], ...] | None = None
    groups: int = 0

    def sd_of_difference(self, level: str) -> tuple[float, float, float]:
        """Return the standard deviation of a difference between two of a level, and the range that
        holds it with 80 %.
        """
        at = LEVELS.index(level)
        doubt = math.sqrt(self.cov[at][at]) if self.cov is not None else 0.0
        middle = self.log_sd[at] + math.log(2) / 2
        reach = 1.2816 * doubt
        return math.exp(middle), math.exp(middle - reach), math.exp(middle + reach)


def kin_words(sds: KinSds) -> str:
    """Return what was learnt in a sentence, or nothing where too little was."""
    if sds.cov is None or sds.groups < LEAST_TOLD:
        return ""
    usual = usual_kin()
    parts = [
        tr(
            "{words} by {level:.0f} % (usual {level2:.0f})",
            words=words,
            level=100 * math.expm1(sds.sd_of_difference(level)[0]),
            level2=100 * math.expm1(usual.sd_of_difference(level)[0]),
        )
        for level, words in (
            ("lot", tr("lots")),
            ("stock", tr("stocks")),
            ("machine", tr("machines")),
        )
    ]
    return tr(
        "In this shop differ {parts}: from {groups} groups of coupons.",
        parts=", ".join(parts),
        groups=sds.groups,
    )


def labels_of(machine: Machine, stock: Stock) -> Labels:
    """Return the labels of a subject; those of a stock's parts hold its name."""
    name, thick = stock.name, f"{stock.true_thickness_mm:.1f}"
    return (
        stock.family,
        name,
        f"{name}|{stock.colour}",
        f"{name}|{thick}",
        f"{name}|{thick}|{stock.lot}",
        machine.uid,
        f"{machine.uid}|{machine.state}",
        f"{machine.uid}|{name}",
        machine.source,
    )


def usual_kin() -> KinSds:
    """Return how far groups usually differ: common practice, no source."""
    return KinSds(tuple(float(one) for one in _usual()))


def learn_kin(groups: Sequence[KinGroup]) -> KinSds:
    """Return how far this shop's groups differ, from at least two of them."""
    if len(groups) < 2:
        return usual_kin()
    from scipy.optimize import minimize

    y = np.array([group.energy for group in groups])
    noise = np.diag([group.sd**2 + LEAST_VAR for group in groups])
    labels = [group.labels for group in groups]
    same, fixed = _alike(labels, labels)
    usual = _usual()

    def loss(log_sd: Floats) -> tuple[float, Floats]:
        variance = np.exp(2 * log_sd)
        whole = np.tensordot(variance, same, 1) + fixed + noise
        root = np.linalg.cholesky(whole)
        inverse = np.linalg.inv(whole)
        pulled = inverse @ y
        off = (log_sd - usual) / DOUBT
        value = 0.5 * y @ pulled + np.log(np.diag(root)).sum() + 0.5 * (off**2).sum()
        slope = [
            variance[k] * (np.sum(inverse * same[k]) - pulled @ same[k] @ pulled)
            for k in range(len(LEVELS))
        ]
        return float(value), np.array(slope) + off / DOUBT

    bounds = [(middle - MOST_BELOW, middle + MOST_ABOVE) for middle in usual]
    found = minimize(loss, usual, jac=True, method="L-BFGS-B", bounds=bounds).x
    step = 1e-3
    bent = np.array(
        [
            (loss(found + step * axis)[1] - loss(found - step * axis)[1]) / (2 * step)
            for axis in np.eye(len(LEVELS))
        ]
    )
    size, vectors = np.linalg.eigh((bent + bent.T) / 2)
    cov = (vectors / np.maximum(size, 1 / (WIDEST * DOUBT) ** 2)) @ vectors.T
    rows = tuple(tuple(float(one) for one in row) for row in cov)
    return KinSds(tuple(float(one) for one in found), rows, len(groups))


def predict_kin(
    groups: Sequence[KinGroup], labels: Sequence[Labels], sds: KinSds
) -> tuple[Floats, Floats]:
    """Return the mean and standard error [n] of what subjects need, ln energy less what the
    family's prior expects: the best linear predictor, over what the standard deviations may be.
    """
    y = np.array([group.energy for group in groups])
    noise = np.diag([group.sd**2 + LEAST_VAR for group in groups])
    known = [group.labels for group in groups]
    same, fixed = _alike(known, known)
    across, fixed_across = _alike(labels, known)
    middle = np.array(sds.log_sd)
    tried = [middle]
    if sds.cov is not None:
        rng = np.random.default_rng(SEED)
        half = rng.multivariate_normal(np.zeros(len(middle)), sds.cov, MIRRORED, method="eigh")
        tried = [*(middle + half), *(middle - half)]
    means, variances = [], []
    for log_sd in tried:
        variance = np.exp(2 * log_sd)
        whole = np.tensordot(variance, same, 1) + fixed + noise
        between = np.tensordot(variance, across, 1) + fixed_across
        share = np.linalg.solve(whole, between.T)
        own = variance.sum() + MEAN_SD**2 + KIND_SD**2 / 2
        means.append(share.T @ y)
        variances.append(own - np.einsum("ij,ji->i", between, share))
    spread = np.mean(np.maximum(variances, 1e-6), axis=0) + np.var(means, axis=0)
    return np.mean(means, axis=0), np.sqrt(spread)


def _usual() -> Floats:
    """ln of the usual standard deviation of each level's effect: that of a difference over the root
    of 2.
    """
    of_difference = [USUAL_SD.get(level, TOGETHER_SD) for level in LEVELS]
    return np.log(np.array(of_difference) / math.sqrt(2))


def _alike(rows: Sequence[Labels], others: Sequence[Labels]) -> tuple[Floats, Floats]:
    """1 where both share a level's label [8, n, m], and what is not learnt [n, m]."""
    same = np.array(
        [
            [[float(one[k] == other[k]) for other in others] for one in rows]
            for k in range(len(LEVELS) + 1)
        ]
    )
    return same[:-1], MEAN_SD**2 + KIND_SD**2 / 2 * same[-1]
