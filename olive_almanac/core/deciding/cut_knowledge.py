"""What is known of one subject's cut: groove, char and drift together, from every reading that
bears on it.

The posterior is integrated, never its best point alone; focus error and thickness enter by
quadrature, power drift as extra variance of the margin.  docs/methods.md, section Decide.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from olive_almanac.core.burn.groove import Burns, Groove, fast_phi
from olive_almanac.core.deciding.scan import USUAL_DRIFT, ShopDrift, chance_under_drift
from olive_almanac.core.fitting.char import CharPosterior, fit_char, heat_of
from olive_almanac.core.fitting.cut import (
    CutCase,
    CutData,
    GroovePosterior,
    case_of,
    data_of,
    fit_cut,
)
from olive_almanac.core.fitting.kin_carry import KinFit, kin_prior
from olive_almanac.core.fitting.kin_learning import KinSds, labels_of, usual_kin
from olive_almanac.core.fitting.prior import Prior, family_prior
from olive_almanac.core.fitting.recipes import by_recipe
from olive_almanac.core.fitting.transfer import NO_KIN_SD, transfer_between
from olive_almanac.core.records.entry import Margins
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.recipe import Recipe, key_of
from olive_almanac.core.records.setting import AIRS, Air, Direction, Setting
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.units import count_text
from olive_almanac.core.words import tr

__all__ = [
    "FIT_SEED",
    "KEEPS",
    "MAP_PARTICLES",
    "PICK_NODES",
    "PICK_PARTICLES",
    "FittedCut",
    "edge_speeds",
    "group_key",
    "know_cut",
    "margins_of",
    "prior_of_subject",
]

Floats = NDArray[np.float64]
Pairs = Sequence[tuple[Trial, Sequence[Reading]]]
PICK_PARTICLES, PICK_NODES = 224, 5
MAP_PARTICLES, MAP_NODES = 32, 3
FIT_SEED = 11  # the fit's draws are fixed, so that a decision can be repeated
MANY_PASSES = 30
FOCUS_KEEPS = 0.98  # of the focus, which is known least: so that 0.95 is true of what is said
KEEPS = 0.95  # the chance to fall free up to which a change counts as within the margin
AT_THRESHOLD = 1.1  # fluence in units of the threshold up to which no number of passes helps


@dataclass(frozen=True)
class FittedCut:
    """Everything the readings say of one subject's cut: groove, char, and the drift to allow for.

    `own` are the ids of the trials of this very subject; `carried` says in words which other
    coupons the prior before their readings came from.
    """

    case: CutCase
    posterior: GroovePosterior
    char: CharPosterior
    data: CutData
    drift: ShopDrift = USUAL_DRIFT
    air: Air = "full"
    own: frozenset[str] = frozenset()
    carried: tuple[str, ...] = ()
    prior: Prior | None = field(default=None, repr=False)
    kin: KinSds | None = field(default=None, repr=False)

    @property
    def cells_read(self) -> int:
        """How many cells the fit rests on."""
        return len(self.data)

    def chance(
        self,
        *,
        power: ArrayLike,
        speed_mm_s: ArrayLike,
        passes: ArrayLike,
        focus_mm: ArrayLike,
        thickness_mm: float | None = None,
        particles: int = PICK_PARTICLES,
        nodes: int = PICK_NODES,
        drift: ShopDrift | None = None,
        direction: Direction = "xy",
    ) -> Floats:
        """Return P(falls free) of settings in any broadcast shape, allowing for the shop's drift;
        in stock of `thickness_mm`, the subject's own where none is given.
        """
        flat, shape = _flatten(power, speed_mm_s, passes, focus_mm)
        groove, burns = self.posterior.resampled(particles), self._burns(flat, direction)
        return chance_under_drift(
            groove, burns, thickness_mm or self.case.thickness_mm, drift or self.drift, nodes
        ).reshape(shape)

    def _burns(self, flat: list[Floats], direction: Direction = "xy") -> Burns:
        return self.case.burns(*flat, air=self.air, direction=direction)

    def mean_margin(
        self,
        *,
        power: ArrayLike,
        speed_mm_s: ArrayLike,
        passes: ArrayLike,
        focus_mm: ArrayLike,
        thickness_mm: float | None = None,
    ) -> Floats:
        """Return the posterior mean of ln(energy available / needed to fall free), nothing
        drifting; flat [n].
        """
        flat, _ = _flatten(power, speed_mm_s, passes, focus_mm)
        groove, burns = self._middle, self._burns(flat)
        return np.asarray(
            (groove.margin(burns, thickness_mm or self.case.thickness_mm) - groove.hang_band).mean(
                0
            ),
            float,
        )

    @cached_property
    def _middle(self) -> Groove:
        return self.posterior.resampled(PICK_PARTICLES)

    def char_above(self, *, power: ArrayLike, speed_mm_s: ArrayLike, passes: ArrayLike) -> Floats:
        """Return P(brown or worse), P(charred or worse), P(flares), [3, ...]."""
        heat = heat_of(power_w=self.case.power_w(power), speed_mm_s=speed_mm_s)
        return self.char.above(heat_j_mm=heat, passes=passes, air=self.air)

    def edge_doubt(self, *, power: float, passes: float, focus_mm: float) -> float:
        """Return one standard deviation of ln(edge speed) over the posterior: how well the edge is
        known.
        """
        return float(np.std(self.edges(power=power, passes=passes, focus_mm=focus_mm)))

    def edges(
        self, *, power: float, passes: float, focus_mm: float, direction: Direction = "xy"
    ) -> Floats:
        """Return ln of the speed at which each equally weighted particle is just through, [M]."""
        base = Setting(power, 1.0, int(passes), focus_mm, air=self.air, direction=direction)
        return edge_speeds(self._middle, self.case, base)

    def stall_chance(self, *, power: float, speed_mm_s: float, focus_mm: float) -> float:
        """Return the chance that no number of passes gets through at this setting."""
        groove, weight = self.posterior.groove, self.posterior.weight
        burns = self.case.burns(power, speed_mm_s, MANY_PASSES, focus_mm, air=self.air)
        margin = groove.margin(burns, self.case.thickness_mm) - groove.hang_band
        short = groove.surplus(burns, self.case.thickness_mm) < AT_THRESHOLD
        return float(weight @ np.maximum(1 - fast_phi(margin / groove.noise), short)[:, 0])


def edge_speeds(groove: Groove, case: CutCase, base: Setting) -> Floats:
    """Return ln of the speed at which each particle is just through, at the power, passes and focus
    of `base` [M].
    """
    speeds = np.geomspace(0.05, case.max_speed_mm_s, 90)
    flat, _ = _flatten(base.power, speeds, base.passes, base.focus_mm)
    burns = case.burns(*flat, air=base.air, direction=base.direction)
    margin = groove.margin(burns, case.thickness_mm)
    return _crossings(np.log(speeds), margin, (margin > 0).sum(1))


def _crossings(
    log_speed: Floats, margin: NDArray[np.floating], reached: NDArray[np.intp]
) -> Floats:
    """ln of the speed at which each row's margin passes nought; the ends where it never does."""
    at = np.clip(reached - 1, 0, len(log_speed) - 2)
    row = np.arange(len(margin))
    here, there = margin[row, at], margin[row, at + 1]
    along = np.clip(here / np.maximum(here - there, 1e-6), 0, 1)
    return np.asarray(log_speed[at] + along * (log_speed[at + 1] - log_speed[at]), float)


def _flatten(*values: ArrayLike) -> tuple[list[Floats], tuple[int, ...]]:
    arrays = np.broadcast_arrays(*(np.asarray(value, float) for value in values))
    return [array.ravel() for array in arrays], arrays[0].shape


def know_cut(
    machine: Machine,
    stock: Stock,
    pairs: Pairs,
    *,
    rng: np.random.Generator,
    drift: ShopDrift | None = None,
    previous: FittedCut | None = None,
    kin: KinSds | None = None,
    recipe: Recipe | None = None,
) -> FittedCut:
    """Fit groove and char to the readings of the given trials (none: the family's prior), for stock
    prepared as `recipe` says.

    Trials of another lot, machine state, machine, thickness, stock or recipe count less: their
    posterior, widened by how far such groups differ (`kin`, or as is usual), is what is believed
    before the subject's own readings.  `previous` knowledge of the same subject makes the fit
    quicker.
    """
    case, pairs = case_of(machine, stock, recipe), by_recipe(pairs)
    prior, carried, own = _prior_from_related(machine, stock, recipe, pairs, rng, kin)
    data = data_of(case, own)
    before = None
    if previous is not None and previous.case == case:
        before = previous
    posterior = fit_cut(
        case, data, rng=rng, prior=prior, previous=before.posterior if before else None
    )
    airs = [cell.setting.air for trial, readings in own if readings for cell in trial.cells]
    air: Air = "full"
    if airs:  # the one burnt most; of two burnt as often the stronger
        air = max(AIRS, key=lambda one: (airs.count(one), AIRS.index(one)))
    last = before.char if before else None
    char = fit_char(case.prior.char_j_mm, own or pairs, rng=rng, previous=last)
    return FittedCut(
        case,
        posterior,
        char,
        data,
        drift or USUAL_DRIFT,
        air,
        frozenset(t.id for t, _ in own),
        carried,
        prior,
        kin,
    )


def _prior_from_related(
    machine: Machine,
    stock: Stock,
    recipe: Recipe | None,
    pairs: Pairs,
    rng: np.random.Generator,
    kin: KinSds | None,
) -> tuple[Prior, tuple[str, ...], Pairs]:
    """The prior before the subject's own readings, in words where it came from, and the subject's
    own pairs.

    Each other subject is fitted on its family's prior alone; what all of them need says what this
    one needs.
    """
    groups: dict[tuple[object, ...], list[tuple[Trial, Sequence[Reading]]]] = {}
    own: list[tuple[Trial, Sequence[Reading]]] = []
    for trial, readings in pairs:
        nearness = transfer_between(
            machine, stock, trial.machine, trial.stock, recipe, trial.recipe
        )
        if not nearness.words:
            own.append((trial, readings))
        elif readings and nearness.energy_sd < NO_KIN_SD:
            groups.setdefault(group_key(trial), []).append((trial, readings))
    fits, cells = [], {}
    for group in groups.values():
        other = group[0][0]
        there = case_of(other.machine, other.stock, other.recipe)
        data = data_of(there, group)
        if len(data):
            posterior = fit_cut(there, data, rng=rng, prior=family_prior(there.prior))
            nearness = transfer_between(
                machine, stock, other.machine, other.stock, recipe, other.recipe
            )
            fit = KinFit(other.machine, other.stock, there, posterior, nearness)
            fits.append(fit)
            cells[id(fit)] = len(data)
    sds = kin or usual_kin()
    case = case_of(machine, stock, recipe)
    prior, counted = kin_prior(fits, case, labels_of(machine, stock), sds)
    carried = tuple(
        tr(
            "{cells} of {nearness}",
            cells=count_text(cells[id(fit)], "cell"),
            nearness=", ".join(fit.nearness.words),
        )
        for fit in counted
    )
    return prior, carried, own


def prior_of_subject(
    machine: Machine,
    stock: Stock,
    recipe: Recipe | None,
    pairs: Pairs,
    rng: np.random.Generator,
    kin: KinSds | None = None,
) -> tuple[CutCase, Prior]:
    """Return the case of a subject and what is believed of its groove before its own readings."""
    prior, _, _ = _prior_from_related(machine, stock, recipe, by_recipe(pairs), rng, kin)
    return case_of(machine, stock, recipe), prior


def group_key(trial: Trial) -> tuple[object, ...]:
    """Return what the coupons of a group have in common: one state of a machine, one lot."""
    machine, stock = trial.machine, trial.stock
    return (
        machine.uid,
        machine.name,
        machine.state,
        stock.name,
        stock.lot,
        stock.colour,
        stock.true_thickness_mm,
        key_of(trial.recipe),
    )


def margins_of(knowledge: FittedCut, setting: Setting) -> Margins:
    """Return the single changes up to which a setting falls free with the chance KEEPS, each alone
    (no change where it does not to begin with), and the speed at which it does as often as not.
    """
    base: dict[str, Any] = {
        "power": setting.power,
        "speed_mm_s": setting.speed_mm_s,
        "passes": setting.passes,
        "focus_mm": setting.focus_mm,
    }
    thickness, focus, speed = knowledge.case.thickness_mm, setting.focus_mm, setting.speed_mm_s
    sure = float(knowledge.chance(**base))

    def limit(name: str, changed: Floats, steps: Floats, keeps: float = KEEPS) -> float | None:
        chance = knowledge.chance(**{**base, name: changed})
        return _crossing(steps, _in_hand(np.concatenate([[sure], chance[1:]]), keeps))

    quicker, weaker, off = np.linspace(1, 2.5, 31), np.linspace(1, 0.3, 29), np.linspace(0, 6, 25)
    thicker, far = np.linspace(1, 1.6, 13), np.linspace(1, 3, 41)
    within = [float(knowledge.chance(**base, thickness_mm=thickness * step)) for step in thicker]
    most = _crossing(thicker, _in_hand(within))
    return Margins(
        speed=limit("speed_mm_s", speed * quicker, quicker),
        power=limit("power", setting.power * weaker, weaker),
        thickness_mm=None if most is None else thickness * (most - 1),
        focus_up_mm=limit("focus_mm", focus - off, off, FOCUS_KEEPS),
        focus_down_mm=limit("focus_mm", focus + off, off, FOCUS_KEEPS),
        keeps=KEEPS,
        edge=_crossing(far, knowledge.mean_margin(**{**base, "speed_mm_s": speed * far})),
    )


def _in_hand(chance: ArrayLike, keeps: float = KEEPS) -> Floats:
    """How far above the chance that is to be kept a chance lies, as odds, ln."""
    p = np.clip(np.asarray(chance, float), 1e-6, 1 - 1e-6)
    return np.asarray(np.log(p / (1 - p)) - np.log(keeps / (1 - keeps)), float)


def _crossing(steps: Floats, margin: Floats) -> float | None:
    """The step at which the margin passes nought; None where it stays above."""
    if margin[0] <= 0:
        return float(steps[0])
    below = np.flatnonzero(margin <= 0)
    if not len(below):
        return None
    i = int(below[0])
    return float(np.interp(0.0, [-margin[i - 1], -margin[i]], [steps[i - 1], steps[i]]))
