"""How wide a burnt line is: a box blurred by the photo, fitted to profiles across the line at the
picture's own scale.

The blur is measured on the marks' edges; a width below twice the blur is not told.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.special import erf

from olive_almanac.core.photo.fiducials import Picture
from olive_almanac.core.photo.lens import Lens
from olive_almanac.core.photo.rectified import PhoneCurve

__all__ = ["BarSight", "Segment", "fit_bars", "measure_bars"]

Floats = NDArray[np.float64]
Segment = tuple[tuple[float, float], tuple[float, float]]  # from, to, face mm
HALF_MM = 1.6  # how far profiles reach to each side
PARTS = 6  # a line is measured in so many parts, to tell how ragged it is
WIDEST_MM = 2.5
CLIPPED_CODE = 252
ROOT2 = math.sqrt(2)


@dataclass(frozen=True)
class BarSight:
    """One line as seen: width and its spread along the line (mm), depth of the dark as a share of
    the ground's light (negative: darker), how far its middle lies from where it should (mm), what
    the fit leaves over as a share of the depth.
    """

    width_mm: float
    spread_mm: float
    contrast: float
    off_mm: float
    rest: float
    ground: float
    flags: tuple[str, ...]


def measure_bars(
    picture: Picture,
    lens: Lens,
    segments: Sequence[Segment],
    *,
    blur_px: tuple[float, float],
    darker: bool,
    curve: PhoneCurve,
    half_mm: float = HALF_MM,
) -> list[BarSight]:
    """Measure straight burnt lines of about one length; `darker` says whether they burn darker than
    the stock.
    """
    if not segments:
        return []
    scale = float(np.clip(round(lens.px_per_mm()), 8, 40))
    light, clipped, u = _strips(picture, lens, segments, half_mm, scale, curve)
    n = len(segments)
    ways = np.array([_way(segment) for segment in segments])
    usual = 0.0
    if math.isnan(blur_px[0]):
        usual = 1.3
    blur_x, blur_y = ((value if usual == 0.0 else usual) / lens.px_per_mm() for value in blur_px)
    blur = np.maximum(
        np.hypot(blur_x * ways[:, 1], blur_y * ways[:, 0]), 0.6 / scale
    )  # across each line
    sign = 1.0
    if darker:
        sign = -1.0
    whole, _ = fit_bars(light.mean(1), u, blur, sign, rounds=6)
    length = light.shape[1] // PARTS
    parts = light[:, : length * PARTS].reshape(n, PARTS, length, -1).mean(2).reshape(n * PARTS, -1)
    blurs = np.repeat(blur, PARTS)
    found, rest = fit_bars(
        parts,
        u,
        blurs,
        sign,
        rounds=7,
        start=np.repeat(whole, PARTS, 0),
        near_mm=np.maximum(5 * blurs, 0.35),
    )
    width, depth, ground = (
        found[:, 4].reshape(n, PARTS),
        found[:, 2].reshape(n, PARTS),
        found[:, 0].reshape(n, PARTS),
    )
    contrast = depth / np.maximum(ground, 1e-4)
    over = (rest / np.maximum(np.abs(found[:, 2]), 1e-4)).reshape(n, PARTS)
    noise = (
        1.48
        * np.median(np.abs(parts - np.median(parts, 1, keepdims=True)), 1).reshape(n, PARTS)
        / np.maximum(ground, 1e-4)
    )
    sights = []
    for i in range(n):
        w = float(np.median(width[i]))
        spread = float(1.48 * np.median(np.abs(width[i] - w)) / math.sqrt(PARTS))
        seen, left = float(np.median(contrast[i])), float(np.median(over[i]))
        tests = (
            ("uneven_light", float(np.ptp(ground[i]) / np.median(ground[i])) > 0.35),
            ("poor_fit", w > 1.2 or left > 0.22),
            ("position", abs(float(whole[i, 3])) > 1.0),
            ("too_thin", w < 2.0 * blur[i]),
            ("too_faint", abs(seen) < max(0.10, 2.2 * float(np.median(noise[i])))),
            ("ragged", spread > max(0.02, 0.08 * w)),
            ("clipped", float(clipped[i].mean()) > 0.03),
        )
        sights.append(
            BarSight(
                w,
                spread,
                seen,
                float(whole[i, 3]),
                left,
                float(np.median(ground[i])),
                tuple(name for name, wrong in tests if wrong),
            )
        )
    return sights


def _way(segment: Segment) -> tuple[float, float]:
    (x0, y0), (x1, y1) = segment
    length = math.hypot(x1 - x0, y1 - y0)
    return (abs(x1 - x0) / length, abs(y1 - y0) / length)


def _strips(
    picture: Picture,
    lens: Lens,
    segments: Sequence[Segment],
    half_mm: float,
    scale: float,
    curve: PhoneCurve,
) -> tuple[Floats, NDArray[np.bool_], Floats]:
    """Strips along each line at native scale, [n, along, across] in linear green light: the other
    channels clip first.
    """
    ends = np.array(segments, float)
    way = ends[:, 1] - ends[:, 0]
    length = np.linalg.norm(way, axis=1, keepdims=True)
    unit = way / length
    normal = np.stack([-unit[:, 1], unit[:, 0]], -1)
    across = max(9, round(2 * half_mm * scale))
    along = max(2 * PARTS, round(float(np.median(length)) * scale))
    u = np.asarray((np.arange(across) - (across - 1) / 2) / scale, float)
    # inside so small a patch the four corners' pixels, joined straight, are exact to a hundredth of
    # a pixel
    corners = np.stack(
        [ends[:, a, None] + normal[:, None] * u[[0, -1]][None, :, None] for a in (0, 1)], 1
    )
    px = lens.project(corners)
    a, b = np.linspace(0, 1, along)[None, :, None], np.linspace(0, 1, across)[None, None, :]

    def spread(k: int) -> NDArray[np.float32]:
        q = px[..., k][:, :, :, None, None]
        value = (1 - a) * ((1 - b) * q[:, 0, 0] + b * q[:, 0, 1]) + a * (
            (1 - b) * q[:, 1, 0] + b * q[:, 1, 1]
        )
        return value.reshape(-1, across).astype(np.float32)

    seen = cv2.remap(
        picture, spread(0), spread(1), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
    )
    green = cv2.extractChannel(seen, 1).reshape(len(segments), along, across)
    return (
        np.asarray(np.take(curve.light, green), float),
        np.asarray(green >= CLIPPED_CODE, np.bool_),
        u,
    )


def fit_bars(
    profiles: Floats,
    u: Floats,
    blur: Floats,
    sign: float,
    *,
    rounds: int,
    start: Floats | None = None,
    near_mm: Floats | None = None,
) -> tuple[Floats, Floats]:
    """Fit base + slope u + depth box(u; middle, width) blurred, to each profile [n, m] by damped
    Gauss-Newton.

    `u` [m] mm across, `blur` [n] one standard deviation in mm, `sign` of the depth.  Only samples
    within half the width and `near_mm` of the middle count, where given.  Returns [n, 5] (base,
    slope, depth, middle, width) and the rms left over [n].
    """
    n, step = len(profiles), float(u[1] - u[0])
    s2 = (blur * ROOT2)[:, None]
    if start is None:
        found = _first_guess(profiles, u, sign)
    else:
        found = start.copy()
    if near_mm is None:
        counted = np.ones(profiles.shape)
    else:
        near = np.abs(u[None] - found[:, 3:4]) < found[:, 4:5] / 2 + near_mm[:, None]
        counted = near.astype(float)

    def shape(p: Floats) -> tuple[Floats, Floats, Floats]:
        a, b = (
            (u[None] - p[:, 3:4] + p[:, 4:5] / 2) / s2,
            (u[None] - p[:, 3:4] - p[:, 4:5] / 2) / s2,
        )
        return a, b, 0.5 * (erf(a) - erf(b))

    def left(p: Floats, box: Floats) -> Floats:
        return np.asarray((p[:, :1] + p[:, 1:2] * u + p[:, 2:3] * box - profiles) * counted, float)

    damping = np.full(n, 1e-3)
    a, b, box = shape(found)
    rest = left(found, box)
    cost = (rest * rest).sum(1)
    for _ in range(rounds):
        rise, fall = (
            np.exp(-a * a) / math.sqrt(math.pi) / s2,
            np.exp(-b * b) / math.sqrt(math.pi) / s2,
        )
        jacobian = np.stack(
            [
                counted,
                counted * u[None],
                counted * box,
                counted * found[:, 2:3] * (fall - rise),
                counted * found[:, 2:3] * (rise + fall) / 2,
            ],
            1,
        )
        normal = jacobian @ jacobian.transpose(0, 2, 1)
        ridge = (damping[:, None] * np.einsum("njj->nj", normal) + 1e-12)[:, :, None] * np.eye(5)
        move = -np.linalg.solve(normal + ridge, jacobian @ rest[:, :, None])[..., 0]
        tried = found + move
        tried[:, 4] = np.clip(tried[:, 4], 0.3 * step, WIDEST_MM)
        tried[:, 3] = np.clip(tried[:, 3], u[0], u[-1])
        a2, b2, box2 = shape(tried)
        rest2 = left(tried, box2)
        cost2 = (rest2 * rest2).sum(1)
        better = cost2 < cost
        keep = better[:, None]
        found = np.where(keep, tried, found)
        a, b, box, rest = (
            np.where(keep, a2, a),
            np.where(keep, b2, b),
            np.where(keep, box2, box),
            np.where(keep, rest2, rest),
        )
        cost, damping = np.where(better, cost2, cost), np.where(better, 0.3 * damping, 5 * damping)
        if np.abs(move[:, 4]).max() < 1e-4:
            break
    return found, np.sqrt(cost / np.maximum(counted.sum(1), 1))


def _first_guess(profiles: Floats, u: Floats, sign: float) -> Floats:
    step, (n, m) = float(u[1] - u[0]), profiles.shape
    base = np.median(profiles, 1)
    lift = (profiles - base[:, None]) * sign
    lift[:, 1:-1] = (lift[:, :-2] + 2 * lift[:, 1:-1] + lift[:, 2:]) / 4
    centre = np.abs(u) < 0.75 * float(u[-1])
    top = np.where(centre[None], lift, -np.inf).argmax(1)
    depth = np.maximum(lift[np.arange(n), top], 1e-4)
    half = lift > depth[:, None] / 2
    middle, width = np.zeros(n), np.zeros(n)
    for i in range(n):
        a = b = int(top[i])
        while a > 0 and half[i, a - 1]:
            a -= 1
        while b < m - 1 and half[i, b + 1]:
            b += 1
        width[i], middle[i] = max((b - a + 1) * step, 2 * step), (u[a] + u[b]) / 2
    return np.column_stack([base, np.zeros(n), depth * sign, middle, width])
