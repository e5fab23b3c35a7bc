"""The groove: how many passes a cut needs, from an energy balance at its bottom.

    P_e  = P x^b                                    power: x the dial, b its bend
    phi  = P_e e^(-2 g a) / (v + vc)                line energy less what goes sideways, J/mm
    w(z) = w0 sqrt(1 + ((z - f - dz) / (zR zm))^2)  beam radius at depth z, mm
    F(z) = sqrt(2/pi) phi / w(z)                    fluence at the groove's bottom, J/mm2
    L(z) = (1 + s z / 2 w0) / smooth(F(z)/Fth - 1)  load: how threshold and walls hinder it there
    S(h) = e^d E/Fth int_0^h L dz                   passes needed to depth h, none being weaker
    q(h) = 2/h^2 int_0^h L z dz                     strain: the load that the later passes meet
    A(N) = N^c ((1 + q) (1 - exp(-k N)) / (1 - exp(-k)) - q N),   k = kap e^(g a)
                                                    what N passes are worth

s is what the walls of a deep groove take, k the share of each pass's fluence that char takes from
the next, a the steps of air below full (smoke and soot left in the groove take from the beam, too,
and char stays), d the offset of the machine's better direction, c what passes gain or lose by being
several: a slot that is dug bit by bit rids itself of its vapour.  A pass
counts by what its fluence has above the threshold, so strained grooves tire sooner, and A is held
at its most.  The energy margin of a cut is m = ln A(N) - ln S(t): it is through when m > 0. A
separable balance, our own; sections and figures in docs/methods.md.  Results are float32: the doubt
is far wider.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike, NDArray

from olive_almanac.core.words import tr

__all__ = ["PARAMETERS", "Burns", "Groove", "Needed", "fast_phi"]

Floats = NDArray[np.float64]
Reals = NDArray[np.float32]
PARAMETERS = (
    tr("ln removal"),
    tr("ln threshold"),
    tr("ln char loss"),
    tr("ln rayleigh factor"),
    tr("focus shift"),
    tr("ln side loss"),
    tr("ln noise"),
    tr("ln hang band"),
    tr("ln wall loss"),
    tr("power bend"),
    tr("air gain"),
    tr("direction offset"),
    tr("pass gain"),
)
REMOVAL, THRESHOLD, CHAR_LOSS, STRETCH, SHIFT, SIDE_LOSS, NOISE, HANG = range(8)
WALLS, BEND, AIR, WAY, GAIN = range(8, len(PARAMETERS))
SMOKE = 2.0  # how much more a step of air costs the beam than it adds to the char's share
SOFTNESS = 0.06  # smooths the threshold so that the fit has slopes
_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(4)
F4 = np.float32
QUADRATURE = np.column_stack([(_NODES + 1) / 2, _WEIGHTS / 2]).astype(
    F4
)  # shares of the depth and their weights
ENTIRE = np.ones((1, 2), F4)
Kinds = tuple[Reals, NDArray[np.intp]]  # see Burns.lenses


def fast_phi(x: Reals) -> Reals:
    """Return the standard normal distribution function to 2e-4: a logistic of x and x^3 (own fit),
    far quicker than exact.
    """
    x = np.clip(x, -8.0, 8.0)
    y = x * x
    y *= F4(-0.0713548)
    y -= F4(1.5957691)
    y *= x
    np.exp(y, out=y)
    y += F4(1)
    result: Reals = np.reciprocal(y, out=y)
    return result


@dataclass(frozen=True)
class Burns:
    """Settings as the groove sees them, arrays [n]: watts by the machine's curve, ln of the dialled
    fraction (0 where the power was metered), speed, passes, mean focus, waist radius across the
    cut, steps of air below full, 1 where the beam runs in the machine's better direction alone, and
    how far each is to get, as a share of the depth that is asked for.
    """

    power_w: Reals
    dial: Reals
    speed_mm_s: Reals
    passes: Reals
    focus_mm: Reals
    radius_mm: Reals
    air: Reals
    way: Reals
    share: Reals = field(default_factory=lambda: np.ones(1, F4))

    def __post_init__(self) -> None:
        n = np.broadcast(*(getattr(self, name) for name in self.__dataclass_fields__)).shape
        for name in self.__dataclass_fields__:
            object.__setattr__(
                self, name, np.ascontiguousarray(np.broadcast_to(getattr(self, name), n), dtype=F4)
            )

    def __len__(self) -> int:
        return len(self.power_w)

    def at(self, index: object) -> Burns:
        """Return the burns at an index array, a slice or a mask."""
        return Burns(*(getattr(self, name)[index] for name in self.__dataclass_fields__))

    def with_passes(self, passes: float) -> Burns:
        """Return the same burns, each with so many passes."""
        return replace(self, passes=np.full(len(self), passes, F4))

    @cached_property
    def lenses(self) -> Kinds:
        """The different triples of focus, waist and share [3, u, 1], and which of them each burn
        has [n]: widths are worked out once.
        """
        return _different(self.focus_mm, self.radius_mm, self.share)

    @cached_property
    def dials(self) -> Kinds:
        """The different dials [1, u, 1], and which of them each burn has [n]."""
        return _different(self.dial)

    @cached_property
    def runs(self) -> Kinds:
        """The different pairs of passes and air [2, u, 1], and which of them each burn has [n]."""
        return _different(self.passes, self.air)

    @property
    def differ_in_strength_alone(self) -> bool:
        """Whether all burns share focus, radius, passes and air: only power and speed differ."""
        return all(
            np.ptp(part) == 0
            for part in (self.focus_mm, self.radius_mm, self.share, self.passes, self.air, self.way)
        )


@dataclass(frozen=True)
class Needed:
    """ln S and the strain q, [M, n], with the slopes of ln S and ln q: by ln depth, and by ln power
    (turned positive).
    """

    log: Reals
    strain: Reals
    by_depth: Reals
    by_power: Reals
    strain_by_depth: Reals
    strain_by_power: Reals


@dataclass(frozen=True)
class Groove:
    """Parameters of M grooves: `theta` has the shape [M, 13], columns as in PARAMETERS;
    `rayleigh_mm` is the beam's.

    Results have the shape [M, n]; inside, burns are the first axis, so that what several burns
    share is copied in whole rows.
    """

    theta: Floats
    rayleigh_mm: float

    def __len__(self) -> int:
        return len(self.theta)

    @cached_property
    def _columns(self) -> Reals:
        return self.theta.astype(F4).T[:, None, :]

    def _column(self, index: int) -> Reals:
        return np.asarray(self._columns[index])

    @cached_property
    def noise(self) -> Reals:
        """Spread of the margin from cell to cell, [M, 1]."""
        return np.asarray(np.exp(self._column(NOISE)).T)

    @cached_property
    def hang_band(self) -> Reals:
        """Margin above 0 within which the piece still hangs on, [M, 1]."""
        return np.asarray(np.exp(self._column(HANG)).T)

    def out_of_focus(self, focus_mm: ArrayLike) -> Groove:
        """Return the grooves with the focus off by so much, mm, one number or [M] (positive:
        lower).
        """
        theta = self.theta.copy()
        theta[:, SHIFT] += np.asarray(focus_mm, float)
        return Groove(theta, self.rayleigh_mm)

    def strength(self, burns: Burns) -> Reals:
        """Return sqrt(2/pi) phi / Fth, mm: fluence in units of the threshold, times the radius, [M,
        n].
        """
        return self._strength(burns).T

    def margin(self, burns: Burns, depth_mm: float) -> Reals:
        """Return m = ln A(N) - ln S to a depth (each burn to its share of it), [M, n]."""
        total, strain = self._load_and_strain(self._strength(burns), F4(depth_mm), burns.lenses)
        margin = self._worth(burns, strain)
        np.log(margin, out=margin)
        margin += self._gained(burns)
        margin -= self._finished(total, burns, F4(depth_mm))
        return margin.T

    def worth(self, burns: Burns, strain: Reals) -> tuple[Reals, Reals]:
        """Return ln A(N), what N passes are worth at a strain [M, n], and its slope by ln strain
        (never above 0), [M, n] both.
        """
        spent = np.empty_like(strain.T)
        worth, spent = self._worth(burns, strain.T, spent).T, spent.T
        log = np.log(worth) + self._gained(burns).T
        return log, strain * (worth - spent) / ((1 + strain) * worth)

    def _gained(self, burns: Burns) -> Reals:
        """What several passes gain by being several, ln, [n, M]."""
        (passes, _), which = burns.runs
        return _each(np.log(passes) * self._column(GAIN), which)

    def _worth(self, burns: Burns, strain: Reals, spent: Reals | None = None) -> Reals:
        """A(N), [n, M]: beyond the most that A reaches further passes do nothing; `spent` takes how
        many still dig.
        """
        (passes, air), which = burns.runs
        loss: Reals
        if air.any():
            loss = np.exp(self._column(CHAR_LOSS) + self._column(AIR) * air)
        else:
            loss = np.exp(self._column(CHAR_LOSS))
        once = -np.expm1(-loss)
        together = -np.expm1(-loss * passes) / once
        last = loss * np.exp(-loss * passes) / once  # the slope of together at N
        worth: Reals = strain * _each(together - passes, which)
        worth += _each(together, which)
        if spent is not None:
            spent[:] = burns.passes[:, None]
        beyond = strain > _each(last / (1 - last + F4(1e-9)), which)
        if beyond.any():
            behind = np.log(
                loss / once
            )  # the most is reached after (ln(1 + 1/q) + behind) / k passes
            eased: Reals = np.reciprocal(strain)
            eased += 1
            np.log(eased, out=eased)
            at_once = eased <= _each(loss - behind, which)
            if spent is not None:
                np.copyto(
                    spent,
                    np.maximum((eased + _each(behind, which)) / _each(loss, which), 1),
                    where=beyond,
                )
            eased *= _each(np.asarray(-1 / loss), which)
            eased += _each(np.asarray(1 / once - (1 + behind) / loss), which)
            eased *= strain
            eased += _each(np.reciprocal(once), which)
            np.copyto(eased, F4(1), where=at_once)
            np.copyto(worth, eased, where=beyond)
        return np.maximum(worth, F4(1e-6), out=worth)

    def needed(self, burns: Burns, depth_mm: float, strength: Reals | None = None) -> Needed:
        """Return ln of the passes needed to one depth, and the strain there, with their slopes;
        `strength` [M, n] where it is not the burns' own.
        """
        if strength is None:
            own = self._strength(burns)
        else:
            own = strength.T
        depth, lenses, step = F4(depth_mm), burns.lenses, F4(0.02)
        total, strain = self._load_and_strain(own, depth, lenses)
        eased, relaxed = self._load_and_strain(own * np.exp(step), depth, lenses)
        (load,) = self._loads_at(own, depth, lenses, ENTIRE)
        parts = (
            self._finished(total, burns, depth),
            strain,
            load / total,
            np.log(total / eased) / step,
            2 * (load / strain - 1),
            np.log(strain / relaxed) / step,
        )
        return Needed(*(part.T for part in parts))

    def surplus(self, burns: Burns, depth_mm: float) -> Reals:
        """Return F/Fth at the weakest place of the groove, [M, n]: at 1 and below no number of
        passes gets further.
        """
        (focus, radius, share), which = burns.lenses
        ends = np.minimum(
            self._narrowness(F4(0), focus, radius),
            self._narrowness(F4(depth_mm) * share, focus, radius),
        )
        return (self._strength(burns) * _each(ends, which)).T

    def _strength(self, burns: Burns) -> Reals:
        strength = burns.speed_mm_s[:, None] + np.exp(self._column(SIDE_LOSS))
        np.divide(
            np.exp(F4(0.5 * np.log(2 / np.pi)) - self._column(THRESHOLD)), strength, out=strength
        )
        strength *= burns.power_w[:, None]
        (dial,), which = burns.dials
        if dial.any():
            strength *= _each(np.exp(self._column(BEND) * dial), which)
        (_, air), which = burns.runs
        if air.any():
            strength *= _each(np.exp(-F4(SMOKE) * self._column(AIR) * air), which)
        return strength

    def _narrowness(self, depth: Reals | np.float32, focus: Reals, radius: Reals) -> Reals:
        """1/w at depths, 1/mm, [..., lenses, M]."""
        height = (depth - focus - self._column(SHIFT)) / (
            F4(self.rayleigh_mm) * np.exp(self._column(STRETCH))
        )
        height *= height
        height += F4(1)
        np.sqrt(height, out=height)
        height *= radius
        return np.reciprocal(height, out=height)

    def _load_and_strain(
        self, strength: Reals, depth: np.float32, lenses: Kinds
    ) -> tuple[Reals, Reals]:
        """The mean load over the depth, and the strain, [n, M] both."""
        total, strain = np.zeros_like(strength), np.zeros_like(strength)
        for load, (node, _) in zip(
            self._loads_at(strength, depth, lenses, QUADRATURE), QUADRATURE, strict=True
        ):
            total += load
            load *= 2 * node
            strain += load
        return total, strain

    def _loads_at(
        self, strength: Reals, depth: np.float32, lenses: Kinds, at: Reals
    ) -> Iterator[Reals]:
        """How hard it is to dig at shares of a depth, with weights [places, 2]: the walls' share
        over what the fluence has above the threshold, [n, M] for each place in turn.
        """
        (focus, radius, share), which = lenses
        depths = (depth * at[:, :1, None]) * share  # [places, lenses, 1]
        narrow = self._narrowness(depths, focus, radius)
        aspect = depths / (2 * radius)
        walls = np.exp(self._column(WALLS)) * (
            aspect[:, :1] if (aspect[0] == aspect[0, :1]).all() else aspect
        )
        walls += 1
        walls *= 2 * at[:, 1:, None]
        for thin, wall in zip(narrow, walls, strict=True):
            over = _twice_smooth(strength * _each(thin, which))
            yield np.divide(_each(wall, which), over, out=over)

    def _finished(self, total: Reals, burns: Burns, depth: np.float32) -> Reals:
        log = np.log(total)
        log += self._column(REMOVAL) - self._column(THRESHOLD)
        log += np.log(depth * burns.share)[:, None]
        if burns.way.any():
            log += self._column(WAY) * burns.way[:, None]
        return log


def _different(*columns: Reals) -> Kinds:
    """The different rows of columns [n], as [columns, u, 1], and which of them each place
    has [n].
    """
    which = np.zeros(len(columns[0]), np.intp)
    for column in columns:
        if (column != column[:1]).any():
            which = np.unique(which + 1j * column, return_inverse=True)[
                1
            ]  # complex numbers sort far quicker than rows
    first = np.unique(which, return_index=True)[1]
    return np.stack([column[first] for column in columns])[..., None], which


def _each(values: Reals, which: NDArray[np.intp]) -> Reals:
    """What each burn has, [n, M], of values [u, M]; where all have the same, [1, M]."""
    if len(values) == 1:
        return values
    return values.take(which, 0, mode="clip")


def _twice_smooth(over: Reals) -> Reals:
    """In place: twice the part of F/Fth above 1, smooth and positive."""
    over -= F4(1)
    root = over * over
    root += F4(4 * SOFTNESS**2)
    np.sqrt(root, out=root)
    over += root
    return over
