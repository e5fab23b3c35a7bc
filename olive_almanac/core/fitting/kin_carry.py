"""The prior of a subject's groove from all its kin: the nearest one's shape, moved by what all of
them say of the energy.

Removal and threshold moved together are exactly a change of power, so one number carries over.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.burn.groove import Groove
from olive_almanac.core.fitting.cut import CutCase, GroovePosterior, expected_edge_speed
from olive_almanac.core.fitting.kin_learning import KinGroup, KinSds, Labels, labels_of, predict_kin
from olive_almanac.core.fitting.prior import ENERGIES, Prior, carried_prior, family_prior
from olive_almanac.core.fitting.transfer import Transfer
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.stock import Stock

__all__ = ["KinFit", "kin_group", "kin_prior"]

Floats = NDArray[np.float64]
REFERENCE_PASSES = 2
REACH = np.linspace(-2.5, 2.5, 101)  # of ln energy, in which the edge is looked for
MOST_SD = 0.2  # a group that says less of its edge says nothing of others
PARTICLES = 48


@dataclass(frozen=True)
class KinFit:
    """A group of coupons, fitted on its family's prior alone: its machine, stock and case, what
    was found, and how near it is to the subject.
    """

    machine: Machine
    stock: Stock
    case: CutCase
    posterior: GroovePosterior
    nearness: Transfer


def kin_group(fit: KinFit) -> KinGroup | None:
    """Return what a group says of the energy that it needs, or None where it hardly knows."""
    energy = _edge_energy(fit.posterior.resampled(PARTICLES), fit.case)
    usual = float(_edge_energy(_middle_of(fit.case), fit.case)[0])
    sd = float(energy.std())
    if sd > MOST_SD:
        return None
    return KinGroup(labels_of(fit.machine, fit.stock), float(energy.mean()) - usual, sd)


def kin_prior(
    fits: Sequence[KinFit], case: CutCase, labels: Labels, sds: KinSds
) -> tuple[Prior, tuple[KinFit, ...]]:
    """Return the prior of a subject with these labels from its kin, and those that counted, the
    nearest first; the family's own where none did.
    """
    family = family_prior(case.prior)
    near = sorted(fits, key=lambda fit: fit.nearness.energy_sd)
    told = [(fit, _as_prepared(fit, one)) for fit in near if (one := kin_group(fit)) is not None]
    if not told:
        return _chained(near, family)
    mean, sd = predict_kin([group for _, group in told], [labels], sds)
    nearest, group = told[0]
    groove = nearest.posterior.groove
    energy = _edge_energy(groove, nearest.case)
    level = float(nearest.posterior.weight @ energy)
    theta = np.array(groove.theta, float)
    theta[:, ENERGIES] += (float(mean[0]) - group.energy + level - energy)[:, None]
    moved = Groove(theta, groove.rayleigh_mm)
    there = family_prior(nearest.case.prior)
    carried = Transfer(float(sd[0]), nearest.nearness.same_optics, nearest.nearness.words)
    prior = carried_prior(moved, nearest.posterior.weight, there, family, carried)
    return prior, tuple(fit for fit, _ in told)


def _as_prepared(fit: KinFit, group: KinGroup) -> KinGroup:
    """A group as it counts where the piece is prepared by another recipe: it says less."""
    return replace(group, sd=math.hypot(group.sd, fit.nearness.recipe_sd))


def _chained(near: Sequence[KinFit], family: Prior) -> tuple[Prior, tuple[KinFit, ...]]:
    """The nearest alone, widened: where no group knows its edge."""
    if not near:
        return family, ()
    fit = near[0]
    there = family_prior(fit.case.prior)
    posterior = fit.posterior
    prior = carried_prior(posterior.groove, posterior.weight, there, family, fit.nearness)
    return prior, (fit,)


def _middle_of(case: CutCase) -> Groove:
    return Groove(np.array(family_prior(case.prior).mean)[None], case.rayleigh_mm)


def _edge_energy(groove: Groove, case: CutCase) -> Floats:
    """ln of the energy that each particle's edge needs, against that of the reference burn [M]: by
    how much easier the stock would have to be for the burn to be just through.
    """
    thickness = case.thickness_mm
    focus = thickness / 2
    speed = expected_edge_speed(case, power=1.0, passes=REFERENCE_PASSES, focus_mm=focus)
    burns = case.burns(
        np.array([1.0]), np.array([speed]), np.array([float(REFERENCE_PASSES)]), np.array([focus])
    )
    theta = np.repeat(np.array(groove.theta, float), len(REACH), axis=0)
    theta[:, ENERGIES] += np.tile(REACH, len(groove.theta))[:, None]
    margin = Groove(theta, groove.rayleigh_mm).margin(burns, thickness)[:, 0]
    falling = margin.reshape(len(groove.theta), len(REACH))
    return -np.array([np.interp(0.0, -row, REACH) for row in falling])
