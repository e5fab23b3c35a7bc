"""Find the square marks in a photo and measure their corners to a fraction of a pixel.

Found on a small grey picture with ever more patient detectors; measured at full size in linear
light, where a blurred edge crosses its half level at its true place.
"""

from __future__ import annotations

import functools
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.light import LUMA_BGR, light_of_codes

__all__ = ["Edges", "Pyramid", "find_marks", "light_at", "measured_quads"]

Floats = NDArray[np.float64]
Picture = NDArray[np.uint8]
LIGHT = light_of_codes(np.arange(256)).astype(np.float32)
MODULES = 6
WALL_SHARE = 0.45  # of the face's light: what is darker inside a hole is its wall
SAMPLES, ALONG = 29, 26  # samples across an edge, and profiles along it
SIDE_SHARE = (0.5, 0.33, 0.6)  # how far profiles reach, in modules of the mark, pass by pass
SIDE_LEAST, SIDE_MOST = (3.0, 3.0, 3.0), (18.0, 9.0, 30.0)


@dataclass(frozen=True)
class Pyramid:
    """The picture, at half and at quarter size where it is large; scales say by how much each is
    reduced.
    """

    full: Picture
    half: Picture
    half_scale: int
    quarter_grey: Picture
    quarter_scale: int

    @classmethod
    def of(cls, picture: Picture) -> Pyramid:
        """Make the smaller pictures in which marks are sought."""
        height, width = picture.shape[:2]
        half_scale = 1
        if max(height, width) >= 3000:
            half_scale = 2
        half = _smaller(picture, half_scale)
        further = 1
        if max(half.shape) >= 1400:
            further = 2
        quarter = _smaller(half, further)
        return cls(
            picture,
            half,
            half_scale,
            cv2.cvtColor(quarter, cv2.COLOR_BGR2GRAY),
            half_scale * further,
        )


def _smaller(picture: Picture, by: int) -> Picture:
    if by == 1:
        return picture
    height, width = picture.shape[:2]
    return np.asarray(
        cv2.resize(picture, (width // by, height // by), interpolation=cv2.INTER_AREA), np.uint8
    )


@dataclass(frozen=True)
class Edges:
    """Measured corners [n, 4, 2], the blur of the edges that run up and along (px, one standard
    deviation) and their contrast.
    """

    quads: Floats
    blur_px: tuple[float, float]
    contrast: float


def light_at(picture: Picture, x: Floats, y: Floats) -> NDArray[np.float32]:
    """Return the luminance in linear light at places of the picture; any 2-D shape."""
    seen = cv2.remap(
        picture,
        x.astype(np.float32),
        y.astype(np.float32),
        cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REPLICATE,
    )
    return np.asarray(LIGHT[seen] @ LUMA_BGR if seen.ndim == 3 else LIGHT[seen], np.float32)


@functools.cache
def _detectors() -> tuple[tuple[str, Any], ...]:
    dictionary = cv2.aruco.getPredefinedDictionary(cv2.aruco.DICT_4X4_50)

    def made(constant: int, windows: tuple[int, int, int]) -> Any:
        p = cv2.aruco.DetectorParameters()
        p.adaptiveThreshConstant, p.detectInvertedMarker = constant, True
        p.adaptiveThreshWinSizeMin, p.adaptiveThreshWinSizeMax, p.adaptiveThreshWinSizeStep = (
            windows
        )
        p.minMarkerPerimeterRate, p.maxMarkerPerimeterRate, p.polygonalApproxAccuracyRate = (
            0.05,
            1.0,
            0.05,
        )
        p.perspectiveRemovePixelPerCell, p.errorCorrectionRate, p.minOtsuStdDev = 4, 0.6, 2.5
        p.cornerRefinementMethod = cv2.aruco.CORNER_REFINE_NONE
        return cv2.aruco.ArucoDetector(dictionary, p)

    return (
        ("quarter", made(7, (5, 25, 20))),
        ("quarter", made(3, (9, 45, 12))),
        ("stretched", made(4, (9, 33, 12))),
        ("half", made(4, (9, 57, 16))),
    )


def find_marks(
    pyramid: Pyramid, *, enough: int = 3, wanted: frozenset[int] | None = None
) -> dict[int, list[Floats]]:
    """Return the marks that are seen, by id: corners [4, 2] in full-size pixels, clockwise from the
    mark's own upper left.

    Stops with the first detector that sees `enough` of those `wanted` (any, when None); a mark seen
    twice stands twice.
    """
    found: dict[int, list[Floats]] = {}
    for grey, scale, detector in _looks(pyramid):
        corners, ids, _ = detector.detectMarkers(grey)
        for quad, mark in zip(corners, np.ravel(ids) if ids is not None else (), strict=True):
            _note(
                found, int(mark), _snapped(grey, np.asarray(quad, np.float32).reshape(4, 2), scale)
            )
        if sum(wanted is None or mark in wanted for mark in found) >= enough:
            break
    return found


def _looks(pyramid: Pyramid) -> Iterator[tuple[Picture, int, Any]]:
    for size, detector in _detectors():
        if size == "half":
            yield cv2.cvtColor(pyramid.half, cv2.COLOR_BGR2GRAY), pyramid.half_scale, detector
        elif size == "stretched":
            yield (
                cv2.createCLAHE(4.0, (12, 9)).apply(pyramid.quarter_grey),
                pyramid.quarter_scale,
                detector,
            )
        else:
            yield pyramid.quarter_grey, pyramid.quarter_scale, detector


def _snapped(grey: Picture, quad: NDArray[np.float32], scale: int) -> Floats:
    """OpenCV may hand back the inner outline: drawn to the true corner, then brought to
    full size.
    """
    side = float(np.linalg.norm(quad - np.roll(quad, 1, 0), axis=1).mean())
    reach = int(np.clip(side / 10, 3, 7))
    near = cv2.cornerSubPix(
        grey, quad.reshape(-1, 1, 2).copy(), (reach, reach), (-1, -1), (3, 20, 0.05)
    ).reshape(4, 2)
    return np.asarray((near.astype(float) + 0.5) * scale - 0.5, float)


def _note(found: dict[int, list[Floats]], mark: int, quad: Floats) -> None:
    known = found.setdefault(mark, [])
    if all(
        np.linalg.norm(quad.mean(0) - other.mean(0)) > 0.6 * np.ptp(quad[:, 0]) for other in known
    ):
        known.append(quad)


def measured_quads(
    picture: Picture, quads: Floats, *, passes: tuple[int, ...] = (0, 1), rims: bool = False
) -> Edges:
    """Measure the corners of square marks, dark or light, whose outlines are known roughly, [n, 4,
    2].

    Along each side 26 profiles cross the edge; each gives the place where it crosses its half
    level; a robust line is laid through them, and corners are where lines meet.  A side that does
    not show leaves its mark as it was.  `rims`: squares are holes, on some sides of which a dark
    wall is seen before the ground: there the outermost crossing counts.
    """
    quads, blur, contrast = np.asarray(quads, float), (np.nan, np.nan), 0.0
    for number in passes:
        quads, blur, contrast = _measured_once(picture, quads, number, rims=rims)
    return Edges(quads, blur, contrast)


def _measured_once(
    picture: Picture, quads: Floats, number: int, *, rims: bool
) -> tuple[Floats, tuple[float, float], float]:
    after = np.roll(quads, -1, 1)
    way = after - quads
    length = np.linalg.norm(way, axis=2, keepdims=True)
    way_unit = way / length
    out = np.stack(
        [way_unit[..., 1], -way_unit[..., 0]], -1
    )  # outward, for corners clockwise on the screen
    side = length.mean(axis=(1, 2))
    reach = np.clip(SIDE_SHARE[number] * side / MODULES, SIDE_LEAST[number], SIDE_MOST[number])
    n = len(quads)
    along = np.linspace(0.08, 0.92, ALONG)
    starts = (quads[:, :, None] + way[:, :, None] * along[None, None, :, None]).reshape(
        4 * n, ALONG, 2
    )
    outward, reaches = out.reshape(4 * n, 2), np.repeat(reach, 4)
    steps = np.linspace(-1, 1, SAMPLES)[None] * reaches[:, None]
    x = starts[..., 0, None] + steps[:, None] * outward[:, None, 0, None]
    y = starts[..., 1, None] + steps[:, None] * outward[:, None, 1, None]
    seen = (
        light_at(picture, x.reshape(-1, SAMPLES), y.reshape(-1, SAMPLES))
        .reshape(4 * n, ALONG, SAMPLES)
        .astype(float)
    )
    end = max(3, SAMPLES // 4)
    inner, outer = seen[..., :end].mean(2), seen[..., -end:].mean(2)
    rise = outer - inner
    crossing, there = _crossings(seen - ((inner + outer) / 2)[..., None], steps)
    if rims:
        walls, dark = _outermost(seen, outer, steps)
        crossing, there = np.where(dark, walls, crossing), there | dark
    first, slope, weight = _robust_lines(crossing, there, along)
    bad = there.sum(1) < 6
    if number:
        blur = _blur_of(
            seen, inner, rise, steps, first[:, None] + slope[:, None] * along, weight, bad
        )
    else:
        blur = (np.nan, np.nan)
    contrast = float(np.median(np.abs(rise) / np.maximum(outer, 1e-4)))
    if number == 0:
        limits = 0.8 * reach
    else:
        limits = np.full(n, 12.0)
    return (
        _corners(
            quads,
            after,
            outward.reshape(n, 4, 2),
            first.reshape(n, 4),
            slope.reshape(n, 4),
            bad.reshape(n, 4),
            limits,
        ),
        blur,
        contrast,
    )


def _crossings(centred: Floats, steps: Floats) -> tuple[Floats, NDArray[np.bool_]]:
    """Where each profile crosses nought nearest to its middle, and whether it does;
    [sides, along].
    """
    crosses = centred[..., 1:] * centred[..., :-1] <= 0
    middle = ((steps[:, 1:] + steps[:, :-1]) / 2)[:, None]
    cost = np.where(crosses, np.abs(middle), 1e9)
    at = cost.argmin(2)
    there = np.take_along_axis(cost, at[..., None], 2)[..., 0] < 1e8
    before = np.take_along_axis(centred, at[..., None], 2)[..., 0]
    behind = np.take_along_axis(centred, at[..., None] + 1, 2)[..., 0]
    gap = (steps[:, 1] - steps[:, 0])[:, None]
    step = before - behind
    start = np.take_along_axis(np.broadcast_to(steps[:, None], centred.shape), at[..., None], 2)[
        ..., 0
    ]
    return start + gap * before / np.where(np.abs(step) < 1e-9, 1, step), there


def _outermost(seen: Floats, outer: Floats, steps: Floats) -> tuple[Floats, NDArray[np.bool_]]:
    """Where each profile, coming from outside, first falls halfway to its darkest, and whether that
    is a dark wall; [sides, along].
    """
    darkest = seen.min(2)
    below = seen < ((outer + darkest) / 2)[..., None]
    inward = below[..., ::-1]
    dark = (darkest < WALL_SHARE * outer) & ~inward[..., 0]
    at = np.clip(seen.shape[2] - 1 - inward.argmax(2), 0, seen.shape[2] - 2)[..., None]
    inside, outside = (np.take_along_axis(seen, at + k, 2)[..., 0] for k in (0, 1))
    start = np.take_along_axis(np.broadcast_to(steps[:, None], seen.shape), at, 2)[..., 0]
    gap = (steps[:, 1] - steps[:, 0])[:, None]
    step = np.where(np.abs(outside - inside) < 1e-9, 1, outside - inside)
    return start + gap * ((outer + darkest) / 2 - inside) / step, dark


def _robust_lines(
    values: Floats, there: NDArray[np.bool_], u: Floats
) -> tuple[Floats, Floats, Floats]:
    """Straight lines through [sides, along] by weights that fall with the distance: offset, slope,
    weights.
    """
    weight = there.astype(float)
    first, slope = np.zeros(len(values)), np.zeros(len(values))
    for _ in range(5):
        s0, s1, s2 = weight.sum(1), (weight * u).sum(1), (weight * u * u).sum(1)
        t0, t1 = (weight * values).sum(1), (weight * u * values).sum(1)
        det = s0 * s2 - s1 * s1
        det = np.where(np.abs(det) < 1e-9, 1, det)
        first, slope = (s2 * t0 - s1 * t1) / det, (s0 * t1 - s1 * t0) / det
        away = np.abs(values - first[:, None] - slope[:, None] * u)
        nowhere = np.logical_not(there.any(axis=1, keepdims=True))
        counted = np.where(there | nowhere, away, np.nan)
        limit = np.maximum(0.15, 1.48 * np.nan_to_num(np.nanmedian(counted, 1)))[:, None]
        weight = there * np.minimum(1, 1.2 * limit / np.maximum(away, 1e-6))
    return first, slope, weight


def _blur_of(
    seen: Floats,
    inner: Floats,
    rise: Floats,
    steps: Floats,
    edge: Floats,
    weight: Floats,
    bad: NDArray[np.bool_],
) -> tuple[float, float]:
    """Blur of edges crossed along x and along y, px: from the distance between a quarter and three
    quarters of the rise.
    """
    good = (
        (weight > 0.5)
        & (np.abs(rise) > 0.3 * np.median(np.abs(rise), 1, keepdims=True))
        & ~bad[:, None]
    )
    shares = (seen - inner[..., None]) / np.where(np.abs(rise) < 1e-6, 1, rise)[..., None]
    places = steps[:, None] - edge[..., None]
    reach = float(steps.max()) * 2 / 3
    middles = (np.arange(24) + 0.5) * reach / 12 - reach
    by_axis: tuple[list[float], list[float]] = ([], [])
    for i in range(len(seen)):
        if good[i].sum() < 8:
            continue
        at, share = places[i][good[i]].ravel(), shares[i][good[i]].ravel()
        inside = np.abs(at) < reach
        bins = np.clip(((at[inside] + reach) * 12 / reach).astype(int), 0, 23)
        count, total = (
            np.bincount(bins, minlength=24),
            np.bincount(bins, share[inside], minlength=24),
        )
        filled = count > 2
        if filled.sum() > 8:
            curve = np.maximum.accumulate(total[filled] / count[filled])
            spread = np.interp(0.75, curve, middles[filled]) - np.interp(
                0.25, curve, middles[filled]
            )
            by_axis[i % 2].append(float(spread) / 1.349)
    up, across = by_axis  # sides 0 and 2 are crossed along y, sides 1 and 3 along x
    if not up or not across:
        return (np.nan, np.nan)
    return (float(np.median(across)), float(np.median(up)))


def _corners(
    quads: Floats,
    after: Floats,
    out: Floats,
    first: Floats,
    slope: Floats,
    bad: NDArray[np.bool_],
    limits: Floats,
) -> Floats:
    """Where the measured sides of each mark meet; a mark with a bad side, or one that ran away,
    stays as it was.
    """
    a, b = quads + out * first[..., None], after + out * (first + slope)[..., None]
    lines = np.stack(
        [
            a[..., 1] - b[..., 1],
            b[..., 0] - a[..., 0],
            a[..., 0] * b[..., 1] - a[..., 1] * b[..., 0],
        ],
        -1,
    )
    met = np.cross(np.roll(lines, 1, 1), lines)
    scale = np.where(np.abs(met[..., 2:]) < 1e-9, 1, met[..., 2:])
    corners = np.where(np.abs(met[..., 2:]) < 1e-9, quads, met[..., :2] / scale)
    away = np.abs(corners - quads).max(axis=(1, 2))
    keep = ~bad.any(1) & (away < limits)
    return np.where(keep[:, None, None], corners, quads)
