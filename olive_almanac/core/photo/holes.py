"""Find the back of a coupon by the holes that the front showed: the pattern of fallen pieces is its
mark.

What is not stock (the ground seen through a hole, the hole's walls) is told from the stock by
colour and light; four-sided patches of it are matched with the known holes.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.photo.fiducials import LIGHT, Pyramid
from olive_almanac.core.photo.lens import Lens

__all__ = ["match_holes"]

Floats = NDArray[np.float64]
WORK_PX = 1000  # longer side of the picture that is searched
COLOURS = 4
LEAST_PX = 60
MATCH_SHARE = 0.35  # of a hole's size by which a matched one may be off
LEAST_HOLES = 2
APART = 0.2  # of the coupon's size: outlines farther apart are two ways


def match_holes(pyramid: Pyramid, lens: Lens, holes: Floats) -> tuple[Floats, Floats] | None:
    """Return matched corners (face mm [n, 2], px [n, 2]) of holes [k, 4] (face mm) seen in the
    picture, or None.

    None where fewer than two are known or the pattern fits in no way, or in two ways alike.
    """
    if len(holes) < LEAST_HOLES:
        return None
    scale = WORK_PX / max(pyramid.half.shape[:2])
    small = cv2.resize(pyramid.half, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    to_full = pyramid.half_scale / scale
    corners = np.stack(
        [
            holes[:, :2],
            holes[:, :2] + holes[:, 2:] * [1, 0],
            holes[:, :2] + holes[:, 2:],
            holes[:, :2] + holes[:, 2:] * [0, 1],
        ],
        1,
    )
    width, height = lens.size_mm
    outline = np.array([[0.0, 0.0], [width, 0.0], [width, height], [0.0, height]])
    tries = [
        one
        for quads in _patches(small)
        if len(quads) >= LEAST_HOLES
        for one in _tries(quads, corners, outline, small.shape[:2])
    ]
    if not tries:
        return None
    best = max(tries, key=lambda one: (one.count, -one.rest))
    if any(
        one.count >= best.count
        and np.abs(one.outline - best.outline).max() > APART * np.ptp(best.outline)
        for one in tries
    ):
        return None  # the pattern fits another way as well
    return best.mm, (best.px + 0.5) * to_full - 0.5


@dataclass(frozen=True)
class _Try:
    """A way to lay the pattern on: how many holes fit, how badly, the matched corners, and where
    the coupon's outline comes to lie.
    """

    count: int
    rest: float
    mm: Floats
    px: Floats
    outline: Floats


def _patches(small: NDArray[np.uint8]) -> list[Floats]:
    """Four-sided patches of each colour that the picture falls into, [k, 4, 2] clockwise on the
    screen: one list a colour.
    """
    logs = np.log(np.maximum(LIGHT[small], 2e-3)).astype(np.float32)
    light = logs.mean(2, keepdims=True)
    features = np.concatenate([1.6 * (logs - light), 0.6 * light], 2).reshape(-1, 4)
    criteria = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 12, 0.05)
    cv2.setRNGSeed(7)
    _, names, _ = cv2.kmeans(features[::7], COLOURS, None, criteria, 2, cv2.KMEANS_PP_CENTERS)
    centres = np.array(
        [
            features[::7][names[:, 0] == c].mean(0) if (names == c).any() else np.full(4, 99.0)
            for c in range(COLOURS)
        ]
    )
    label = ((features[:, None] - centres) ** 2).sum(2).argmin(1).reshape(small.shape[:2])
    lists = []
    for group in range(
        1, 2**COLOURS - 1
    ):  # stock may be one colour or two (in the light and in the shade)
        stock = np.isin(label, [c for c in range(COLOURS) if group >> c & 1])
        share = stock[
            small.shape[0] // 3 : -small.shape[0] // 3, small.shape[1] // 3 : -small.shape[1] // 3
        ].mean()
        if 0.45 < share < 0.995:
            lists.append(_quads_of(~stock))
    return lists


def _quads_of(mask: NDArray[np.bool_]) -> Floats:
    closed = cv2.morphologyEx(mask.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    outlines, _ = cv2.findContours(closed, cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
    quads = []
    for outline in outlines:
        area = cv2.contourArea(outline)
        if not LEAST_PX < area < 0.05 * mask.size:
            continue
        box = cv2.minAreaRect(outline)
        if area < 0.7 * box[1][0] * box[1][1]:
            continue
        rough = (
            cv2.approxPolyDP(outline, 0.06 * cv2.arcLength(outline, True), True)
            .reshape(-1, 2)
            .astype(float)
        )
        if len(rough) == 4:
            quad = rough
        else:
            quad = cv2.boxPoints(box).astype(float)
        if cv2.contourArea(quad.astype(np.float32), oriented=True) < 0:
            quad = quad[::-1]
        quads.append(quad)
    return np.array(quads).reshape(-1, 4, 2)


def _tries(quads: Floats, corners: Floats, outline: Floats, shape: tuple[int, int]) -> list[_Try]:
    """Lay every patch onto every hole in four turns; keep what then fits, with the whole coupon in
    the picture.
    """
    tries: list[_Try] = []
    middles, sizes = (
        quads.mean(1),
        np.sqrt([abs(cv2.contourArea(q.astype(np.float32))) for q in quads]),
    )
    for quad in quads[np.argsort(-sizes)][:14]:
        for first in range(len(corners)):
            for turn in range(4):
                matrix = _through(corners[first], np.roll(quad, turn, 0))
                if matrix is None:
                    continue
                for _ in range(3):  # lay it on, match what fits, lay it on anew by all that fit
                    placed = cv2.perspectiveTransform(corners.mean(1)[None], matrix)[0]
                    away = np.linalg.norm(placed[:, None] - middles[None], axis=2)
                    near = away.argmin(1)
                    fits = (away.min(1) < MATCH_SHARE * sizes[near]) & (
                        np.bincount(near, minlength=len(middles))[near] == 1
                    )
                    if fits.sum() < LEAST_HOLES:
                        break
                    mm, px = _matched(corners[fits], quads[near[fits]], matrix)
                    finer = cv2.findHomography(mm, px, 0)[0]
                    if finer is None:
                        break
                    matrix = finer
                else:
                    rest = float(
                        np.sqrt(
                            ((cv2.perspectiveTransform(mm[None], matrix)[0] - px) ** 2)
                            .sum(1)
                            .mean()
                        )
                        / sizes.mean()
                    )
                    around = cv2.perspectiveTransform(outline[None], matrix)[0]
                    if rest < 0.25 and _plausible(around, shape):
                        tries.append(_Try(int(fits.sum()), rest, mm, px, around))
    return tries


def _plausible(around: Floats, shape: tuple[int, int]) -> bool:
    """Whether a coupon's outline lies in the picture, the right way round, and is not drawn out of
    all proportion.
    """
    slack = 0.06 * max(shape)
    inside = bool(((around > -slack) & (around < np.array([shape[1], shape[0]]) + slack)).all())
    sides = np.linalg.norm(np.roll(around, -1, 0) - around, axis=1)
    even = (
        max(sides[0] / sides[2], sides[2] / sides[0], sides[1] / sides[3], sides[3] / sides[1])
        < 2.2
    )
    return (
        inside
        and bool(even)
        and cv2.isContourConvex(around.astype(np.float32))
        and cv2.contourArea(around.astype(np.float32), oriented=True) > 0
    )


def _through(mm: Floats, px: Floats) -> Floats | None:
    matrix = cv2.getPerspectiveTransform(mm.astype(np.float32), px.astype(np.float32))
    if np.isfinite(matrix).all() and abs(np.linalg.det(matrix)) > 1e-12:
        return np.asarray(matrix, float)
    return None


def _matched(corners: Floats, quads: Floats, matrix: Floats) -> tuple[Floats, Floats]:
    """Corners of matched holes and patches, each patch turned so that its corners lie nearest to
    where they should.
    """
    px = []
    for hole, quad in zip(corners, quads, strict=True):
        placed = cv2.perspectiveTransform(hole[None], matrix)[0]
        turned = [np.roll(quad, turn, 0) for turn in range(4)]
        px.append(turned[int(np.argmin([float(np.abs(one - placed).sum()) for one in turned]))])
    return corners.reshape(-1, 2), np.concatenate(px)
