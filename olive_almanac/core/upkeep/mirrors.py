"""Mirrors by marks on tape over the head's opening: which mirror, which way, by how much.

The beam goes from the source to mirror 1, along the rails to mirror 2 on the gantry, along it to
the head.  A mark lies at p0 + (y - near y) g1 + (x - near x) g2: g1 is the slope after mirror 1,
g2 after mirror 2.  A reflection doubles: a mirror is turned by half of its slope.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.words import tr

__all__ = ["Alignment", "fit_marks", "lean_deg", "passing_share", "screw_turns"]

MARK_SD_MM = 0.5  # of a mark that is read against a ruler (common practice)
WANDER_MM, WANDER_SDS = 1.8, 2.6
OFFSET_MM = 1.5
PLAY_CHANCE = 0.99
LEAST_MARKS = 3
Pair = tuple[float, float]


@dataclass(frozen=True)
class Alignment:
    """What marks tell: the slopes after mirror 1 and mirror 2 (right, up; mm a metre), how far each
    lets the mark wander over the whole bed, mm; where the mark lies at the near corner (right, up;
    mm); whether the marks lie as two straight ways give them; which mirror is to be turned (0:
    none) and how its far mark is to move (right, up; mm); in words.
    """

    slope_1_mm_m: Pair
    slope_2_mm_m: Pair
    wander_mm: Pair
    offset_mm: Pair
    straight: bool
    mirror: int
    wanted_mm: Pair
    says: str


def fit_marks(
    at_mm: Sequence[Pair], marks_mm: Sequence[Pair], bed_mm: Pair, *, mark_sd_mm: float = MARK_SD_MM
) -> Alignment:
    """Return what marks (right, up; mm from the middle of the opening, seen from where the beam
    comes) with the head at some places (mm) tell.

    Raises OutOfRange for fewer than three, numbers that are none, or places on one line.
    """
    at, marks = np.asarray(at_mm, float), np.asarray(marks_mm, float)
    if len(at) < LEAST_MARKS or at.shape != marks.shape or at.shape[1:] != (2,):
        raise OutOfRange(
            tr("Marks"),
            len(at),
            tr("at least {least_marks}, each with its place", least_marks=LEAST_MARKS),
        )
    if not (np.isfinite(at).all() and np.isfinite(marks).all()):
        raise OutOfRange(tr("Marks"), tr("not all numbers"), tr("finite numbers"))
    near = at.min(axis=0)
    design = np.column_stack([np.ones(len(at)), at[:, 1] - near[1], at[:, 0] - near[0]])
    if np.linalg.matrix_rank(design, tol=1e-6 * max(1.0, float(np.ptp(at)))) < LEAST_MARKS:
        raise OutOfRange(tr("Places of the marks"), tr("on one line"), tr("spread over the bed"))
    found, *_ = np.linalg.lstsq(design, marks, rcond=None)
    left = marks - design @ found
    variance = np.diag(np.linalg.inv(design.T @ design)) * mark_sd_mm**2
    straight = _is_straight(float((left**2).sum()) / mark_sd_mm**2, 2 * (len(at) - LEAST_MARKS))
    spans = (float(bed_mm[1]), float(bed_mm[0]))  # along the rails, along the gantry
    wander = [float(np.hypot(*found[1 + n])) * spans[n] for n in range(2)]
    mirror = 0
    if straight:
        for n in range(2):  # mirror 1 first: what it does changes all that follows
            doubt = math.sqrt(float(variance[1 + n])) * spans[n]
            if wander[n] > max(WANDER_MM, WANDER_SDS * doubt):
                mirror = n + 1
                break
    wanted = (0.0, 0.0)
    if mirror:
        wanted = _pair(-found[mirror] * spans[mirror - 1])
    offset = _pair(found[0])
    return Alignment(
        _pair(1000 * found[1]),
        _pair(1000 * found[2]),
        (wander[0], wander[1]),
        offset,
        straight,
        mirror,
        wanted,
        _says(mirror, wanted, wander, offset, straight, spans),
    )


def screw_turns(response_mm_turn: Sequence[Pair], wanted_mm: Pair) -> Pair:
    """Return by how many turns each of two screws brings the far mark where it is wanted; the
    response holds how the mark moves (right, up; mm) by one turn of the first, of the second.

    Raises OutOfRange where both move it the same way.
    """
    response = np.asarray(response_mm_turn, float).T
    size = np.linalg.norm(response, axis=0)
    if min(size) < 0.1 or abs(np.linalg.det(response)) < 0.05 * size[0] * size[1]:
        raise OutOfRange(
            tr("Test turns"),
            tr("both the same way"),
            tr("two screws that move the mark differently"),
        )
    return _pair(np.linalg.solve(response, np.asarray(wanted_mm, float)))


def passing_share(offset_mm: float, beam_radius_mm: float, opening_radius_mm: float) -> float:
    """Return the share of a Gaussian beam (1/e2 radius) that passes a round opening whose middle it
    misses: a non-central chi-square distribution with two degrees of freedom.
    """
    from scipy.special import chndtr

    wide = (2 * opening_radius_mm / beam_radius_mm) ** 2
    return float(chndtr(wide, 2, (2 * offset_mm / beam_radius_mm) ** 2))


def lean_deg(offset_mm: float, focal_mm: float) -> float:
    """Return how far a cut leans, degrees, where the beam meets the lens off its middle."""
    return math.degrees(math.atan(offset_mm / focal_mm))


def _is_straight(chi2: float, freedom: int) -> bool:
    if freedom == 0:
        return True
    from scipy.special import chdtri

    return chi2 < float(chdtri(freedom, 1 - PLAY_CHANCE))


def _pair(values: np.ndarray) -> Pair:
    return float(values[0]), float(values[1])


def _says(
    mirror: int,
    wanted: Pair,
    wander: Sequence[float],
    offset: Pair,
    straight: bool,
    spans: Sequence[float],
) -> str:
    if not straight:
        return tr(
            "The marks do not lie on straight ways: play in the gantry, a loose mirror, or a mark "
            "that was burnt twice. Look for it first; nothing is to be turned yet."
        )
    off = math.hypot(*offset)
    if mirror:
        mrad = 1000 * math.hypot(*wanted) / spans[mirror - 1] / 2
        return tr(
            "Mirror {mirror}: the mark wanders {wander:.1f} mm. Bring the far mark "
            "{wanted}: turn the mirror by {mrad:.1f} mrad. Then mark again.",
            mirror=mirror,
            wander=wander[mirror - 1],
            wanted=_way_words(wanted),
            mrad=mrad,
        )
    if off > OFFSET_MM:
        return tr(
            "The beam is steady but {off:.1f} mm off the middle: shift the source or its "
            "mount, do not turn a mirror.",
            off=off,
        )
    return tr("The mirrors are in line.")


def _way_words(wanted: Pair) -> str:
    right, up = wanted
    parts = []
    if abs(right) >= 0.1:
        parts.append(
            tr(
                "{right:.1f} mm to the {side}",
                right=abs(right),
                side=tr("right") if right > 0 else tr("left"),
            )
        )
    if abs(up) >= 0.1:
        parts.append(tr("{up:.1f} mm {side}", up=abs(up), side=tr("up") if up > 0 else tr("down")))
    return tr(" and ").join(parts) or tr("nowhere")
