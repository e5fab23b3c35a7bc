"""What is believed of a groove before its readings: the family's prior, or what other coupons
taught, widened.

theta = mean + root z,   z standard normal, or Student-t with `tails` degrees of freedom
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.burn.groove import (
    AIR,
    BEND,
    PARAMETERS,
    REMOVAL,
    SHIFT,
    STRETCH,
    THRESHOLD,
    WAY,
    Groove,
)
from olive_almanac.core.fitting.transfer import Transfer
from olive_almanac.core.materials.families import GroovePrior

__all__ = ["ENERGIES", "Prior", "carried_prior", "family_prior"]

Floats = NDArray[np.float64]
NORMAL = 1e6  # degrees of freedom that make a Student-t a normal
#            removal threshold char rayleigh shift side  noise hang  walls bend  air   way  gain
SPREAD = np.array([0.5, 0.7, 0.8, 0.18, 0.25, 0.6, 0.40, 0.50, 0.80, 0.05, 0.25, 0.12, 0.08])
GENERIC_REMOVAL, GENERIC_ALONG, GENERIC_THRESHOLD = (
    1.0,
    0.6,
    0.45,
)  # of no known family: what is hard to remove starts late, too
TAILS = np.array(
    [4.0, 4.0, *[NORMAL] * (len(PARAMETERS) - 2)]
)  # a wrong family must be able to lose
CARRIED_TAILS = 6.0
NOISE_MEAN, HANG_MEAN, WALLS_MEAN, BEND_MEAN, AIR_MEAN = 0.058, 0.07, 0.02, 0.06, 0.25
SHIFT_MEAN = 0.15  # a groove's walls lead light further down than it would reach in the open
OPTICS = (STRETCH, SHIFT, BEND, WAY)  # what belongs to a machine in one state
ENERGIES = (REMOVAL, THRESHOLD)
LEARNT_DRIFT = 0.10  # least sd that every carried parameter gains


@dataclass(frozen=True)
class Prior:
    """Means [13], root [13, 13] and degrees of freedom [13] of a groove's parameters."""

    mean: Floats
    root: Floats
    tails: Floats

    def theta(self, z: Floats) -> Floats:
        """Return parameters [K, 13] for whitened ones [K, 13]."""
        result: Floats = self.mean + z @ self.root.T
        return result


def family_prior(prior: GroovePrior) -> Prior:
    """Return the prior from the family alone."""
    logs = np.log([prior.removal_j_mm3, prior.threshold_j_mm2, prior.char_loss])
    usual = np.log([prior.side_loss_mm_s, NOISE_MEAN, HANG_MEAN, WALLS_MEAN])
    root = np.diag(SPREAD)
    if not prior.known:
        root[REMOVAL, REMOVAL], root[THRESHOLD, REMOVAL], root[THRESHOLD, THRESHOLD] = (
            GENERIC_REMOVAL,
            GENERIC_ALONG,
            GENERIC_THRESHOLD,
        )
    optics = np.log(prior.guiding), SHIFT_MEAN
    return Prior(np.array([*logs, *optics, *usual, BEND_MEAN, AIR_MEAN, 0.0, 0.0]), root, TAILS)


def carried_prior(
    groove: Groove, weight: Floats, there: Prior, family: Prior, related: Transfer
) -> Prior:
    """Return the prior that another subject's posterior gives: its mean and covariance, moved by
    what the families' priors (`there`, and `family` of this subject) differ, widened by the
    transfer: removal and threshold together, which is exactly a change of power.

    What belongs to a machine's optics starts anew from the family's prior where the optics are not
    the same.
    """
    mean = weight @ groove.theta
    off = groove.theta - mean
    mean = mean + family.mean - there.mean
    spread = (off * weight[:, None]).T @ off
    if not related.same_optics:
        for index in OPTICS:
            mean[index] = family.mean[index]
            spread[index, :] = spread[:, index] = 0.0
            spread[index, index] = family.root[index, index] ** 2
    apart = min(LEARNT_DRIFT, related.energy_sd)
    gained = np.full(len(PARAMETERS), apart)
    gained[[AIR, BEND, SHIFT, WAY]] *= 0.2
    spread += np.diag(gained**2 + 1e-6)
    spread[np.ix_(ENERGIES, ENERGIES)] += related.energy_sd**2 - apart**2
    root = np.asarray(np.linalg.cholesky(spread), float)
    return Prior(mean, root, np.full(len(PARAMETERS), CARRIED_TAILS))
