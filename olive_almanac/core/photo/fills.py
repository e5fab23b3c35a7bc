"""Measure rastered cells: how much darker than the stock beside them, how even, how far the halo
reaches, and what is doubtful.

Each cell is judged only against un-burnt stock beside it: a smooth surface through the light on the
stock over the whole coupon, and what the stock right beside the cell says more.  Works in linear
light, channel by channel.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.light import LUMA_BGR, lightness, luminance
from olive_almanac.core.photo.lens import Lens
from olive_almanac.core.photo.rectified import Rectified, gathered, off_frame, polynomial

__all__ = [
    "FillSight",
    "LightSurface",
    "Sectors",
    "halos",
    "light_surface",
    "measure_fills",
    "stock_sectors",
]

Floats = NDArray[np.float64]
INSET_MM = 0.8  # of a cell's edge left out of its core
HALO_L = 3.0  # change of L* that still counts as halo
ODD_COLOUR = 0.10  # allowed spread of burn colour at equal depth, ln ratio
CLIPPED_CODE = 251
SURFACE_DEGREE = 3
GLARE = 0.35  # ln of light beside a cell, beyond what lights the coupon: a reflection adds to both
GLARE_DEGREE = 2
MOST_GLARE = 0.5  # share of the cells beyond which none is judged
BRIGHTER_COUNTS = 0.3  # weight of what is brighter than the plain light: reflections only add
FEW = 10  # cells from which the photo's own curve of burn colour is known


@dataclass(frozen=True)
class Sectors:
    """Clean stock beside each cell: `light` [n, 8, 3] linear BGR (nan: none), `clipped` [n, 8, 3],
    places face mm [n, 8, 2].

    Sectors 0 to 3 are the sides (top, right, foot, left), 4 to 7 the corners between cells.
    """

    light: Floats
    clipped: Floats
    places_mm: Floats


@dataclass(frozen=True)
class FillSight:
    """One rastered cell as seen: difference of L* from the stock with its standard deviation,
    evenness (spread of L*), halo in mm, the ratio of its light to the stock's (RGB), confidence 0
    to 1, and the flags that keep it from being judged.
    """

    delta_l: float
    sd_l: float
    evenness: float
    halo_mm: float
    ratio: tuple[float, float, float]
    confidence: float
    flags: tuple[str, ...]


def stock_sectors(rectified: Rectified, rects: Floats, gap_mm: float) -> Sectors:
    """Return the light of the stock in eight places around each cell of one size, [n, 4]: means
    trimmed by 20 %.
    """
    s = rectified.px_mm / 2
    x, y, w, h = rects.T
    far = min(gap_mm / 2, 1.6)
    near = 0.62 * far
    depth = max(far, near + 0.5) - near
    nook = max(gap_mm - 1.8, 0.75)
    inset = (gap_mm - nook) / 2
    wide, high = float(w[0]), float(h[0])
    boxes = (
        (x + 0.1 * w, y - near - depth, 0.8 * wide, depth),
        (x + w + near, y + 0.1 * h, depth, 0.8 * high),
        (x + 0.1 * w, y + h + near, 0.8 * wide, depth),
        (x - near - depth, y + 0.1 * h, depth, 0.8 * high),
        (x - gap_mm + inset, y - gap_mm + inset, nook, nook),
        (x + w + inset, y - gap_mm + inset, nook, nook),
        (x + w + inset, y + h + inset, nook, nook),
        (x - gap_mm + inset, y + h + inset, nook, nook),
    )
    saturated = (rectified.half > CLIPPED_CODE).astype(np.float32)
    n = len(rects)
    light, clipped, places = np.full((n, 8, 3), np.nan), np.zeros((n, 8, 3)), np.zeros((n, 8, 2))
    for k, (left, top, box_w, box_h) in enumerate(boxes):
        wide_px, high_px = max(3, round(box_w * s)), max(3, round(box_h * s))
        x0, y0 = rectified.px(left, half=True), rectified.px(top, half=True)
        window, inside = gathered(rectified.half_light, x0, y0, wide_px, high_px)
        flat = window.reshape(n, -1, 3)
        green = flat[..., 1]
        ordered, m = np.sort(green, 1), green.shape[1]
        kept = (
            (green >= ordered[:, m // 5, None]) & (green <= ordered[:, m - 1 - m // 5, None])
        ).astype(np.float32)
        light[:, k] = np.einsum("nm,nmc->nc", kept, flat) / kept.sum(1, keepdims=True)
        clipped[:, k] = gathered(saturated, x0, y0, wide_px, high_px)[0].reshape(n, -1, 3).mean(1)
        light[inside < 0.6, k] = np.nan
        places[:, k] = np.column_stack([left + box_w / 2, top + box_h / 2])
    return Sectors(light, clipped, places)


@dataclass(frozen=True)
class LightSurface:
    """The light on bare stock: `at` [n, 3] logs at the cells' middles, what is left over at each
    sector, and its spread.
    """

    at: Floats
    rest: Floats
    spread: float


def light_surface(sectors: Sectors, middles: Floats, size_mm: tuple[float, float]) -> LightSurface:
    """A robust cubic surface through the logs of the light; the corners between cells
    count most.
    """
    logs = np.log(np.maximum(sectors.light, 1e-4))
    good = ~np.isnan(logs[..., 1])
    terms = polynomial(sectors.places_mm[good], size_mm, SURFACE_DEGREE)
    nook = np.broadcast_to(np.arange(8) >= 4, good.shape)[good]
    values = logs[good]
    weight = np.where(nook, 1.0, 0.3)
    coefficients, spread, rest = np.zeros((terms.shape[1], 3)), 0.004, values
    for _ in range(6):
        weighted = terms * weight[:, None]
        coefficients = np.linalg.solve(
            weighted.T @ weighted + 1e-6 * np.eye(terms.shape[1]),
            weighted.T @ (values * weight[:, None]),
        )
        rest = values - terms @ coefficients
        if nook.sum() > 8:
            chosen = nook
        else:
            chosen = np.ones(len(nook), bool)
        spread = max(1.48 * float(np.median(np.abs(rest[chosen, 1]))), 0.004)
        weight = np.where(nook, 1.0, 0.3) / np.maximum(1, np.abs(rest[:, 1]) / (1.5 * spread))
    left = np.full(logs.shape, np.nan)
    left[good] = rest
    return LightSurface(polynomial(middles, size_mm, SURFACE_DEGREE) @ coefficients, left, spread)


def _added_light(
    sectors: Sectors, logs: Floats, middles: Floats, size_mm: tuple[float, float]
) -> Floats:
    """ln of the brightest stock beside each cell over the plain light there, [n]: a smooth surface
    that leans to the darker of what is seen, for a reflection only adds light.
    """
    good = ~np.isnan(logs)
    terms, values = polynomial(sectors.places_mm[good], size_mm, GLARE_DEGREE), logs[good]
    weight: Floats = np.ones(len(values))
    plain: Floats = np.zeros(terms.shape[1])
    for _ in range(12):
        weighted = terms * weight[:, None]
        plain[:] = np.linalg.solve(
            weighted.T @ terms + 1e-6 * np.eye(terms.shape[1]), weighted.T @ values
        )
        rest = values - terms @ plain
        spread = max(1.48 * float(np.median(np.abs(rest))), 0.01)
        weight = np.where(rest > 0, BRIGHTER_COUNTS, 1.0) / np.maximum(1, np.abs(rest) / spread)
    with np.errstate(all="ignore"):
        brightest = np.nan_to_num(np.nanmax(logs, 1))
    added: Floats = brightest - polynomial(middles, size_mm, GLARE_DEGREE) @ plain
    if np.mean(added > GLARE) > MOST_GLARE:
        return np.full(len(added), np.inf)  # the plain light itself is not known
    return added


def measure_fills(
    rectified: Rectified,
    lens: Lens,
    rects: Floats,
    *,
    gap_mm: float,
    stock_l: float,
    missing_from: int | None = None,
) -> list[FillSight]:
    """Measure rastered cells of one size, [n, 4] face mm; `stock_l` is the L* of the bare stock."""
    n = len(rects)
    sectors = stock_sectors(rectified, rects, gap_mm)
    middles = rects[:, :2] + rects[:, 2:] / 2
    surface = light_surface(sectors, middles, lens.size_mm)
    logs = np.log(np.maximum(sectors.light, 1e-4))
    halo, seen, _ = halos(rectified, rects, gap_mm, surface, logs, stock_l)
    usable = ~np.isnan(logs[..., 1])
    use = usable.copy()
    use[seen, :4] = False  # sides lie in the halo: the corners speak for the stock
    lonely = use.sum(1) < 2
    use[lonely] = usable[lonely]
    with np.errstate(all="ignore"):
        beside = np.nan_to_num(np.nanmedian(np.where(use[..., None], surface.rest, np.nan), 1))
        greens = np.where(use, surface.rest[..., 1], np.nan)
        unlike = np.nan_to_num(np.nanmax(greens, 1) - np.nanmin(greens, 1))
    reference = np.exp(surface.at + beside)
    cores = _cores(rectified, rects, reference, stock_l)
    stock_clipped = np.nan_to_num(np.nanmax(sectors.clipped, 1))
    clipped = (cores.clipped > 0.02) | (stock_clipped > 0.03)
    ratio = cores.light / np.maximum(reference, 1e-5)
    share = np.where(clipped, 0.0, LUMA_BGR * np.exp(np.nanmedian(logs.reshape(-1, 3), 0)))
    share = np.where(
        clipped[:, 1:2], LUMA_BGR * np.exp(np.nanmedian(logs.reshape(-1, 3), 0)), share
    )
    luma = (ratio * share).sum(1) / share.sum(1)
    delta = lightness(luma * luminance(stock_l)) - stock_l
    to_l = (
        np.maximum(stock_l, stock_l + delta) + 16
    ) / 3  # L* per ln of light, where an error of the light shows most
    out = off_frame(lens, rects, 1.2, missing_from)
    odd = _odd_colour(ratio, ~clipped.any(1) & ~out)
    tinted = _tinted(logs, sectors.clipped)
    glare = _added_light(sectors, logs[..., 1], middles, lens.size_mm)
    own = to_l * surface.spread
    uneven_limit = np.clip(5 * own, 4.5, 9.0)
    sd = np.hypot(own / np.sqrt(np.maximum(1, use.sum(1))), 0.4)
    tests: tuple[tuple[str, NDArray[np.bool_]], ...] = (
        ("off_frame", out),
        ("impossible", (stock_l + delta < -2) | (stock_l + delta > 103)),
        ("uneven_light", (to_l * unlike > uneven_limit) | (glare > GLARE)),
        ("reference_off", to_l * np.abs(beside[:, 1]) > np.clip(5 * own, 5.0, 12.0)),
        ("odd_colour", odd > 1),
        ("bright_spot", cores.peak > 7.0),
        ("dark_spot", cores.dip > 9.0),
        ("gradient", cores.slope > 7.5),
        ("clipped", clipped[:, 1]),
        ("too_dark", cores.light[:, 1] < 0.0022),
        ("covered_or_tinted", tinted >= 2),
    )
    sights = []
    for i in range(n):
        flags = tuple(name for name, wrong in tests if wrong[i])
        sure = float(np.exp(-max(0.0, sd[i] - 1.5) / 3)) * (
            0.8 if to_l[i] * unlike[i] > 0.6 * uneven_limit[i] else 1.0
        )
        if clipped[i].any():
            sure *= 0.75
        else:
            sure *= 1.0
        b, g, r = (float(v) for v in ratio[i])
        sights.append(
            FillSight(
                float(delta[i]),
                float(sd[i]),
                float(cores.evenness[i]),
                float(halo[i]),
                (r, g, b),
                0.25 * sure if flags else sure,
                flags,
            )
        )
    return sights


def _mean_of_seen(values: Floats, axis: int) -> Floats:
    """The mean along an axis of what was seen; nan where nothing was."""
    seen = ~np.isnan(values)
    count = seen.sum(axis)
    total = np.where(seen, values, 0.0).sum(axis)
    mean = np.full(count.shape, np.nan)
    np.divide(total, count, out=mean, where=count > 0)
    return mean


def halos(
    rectified: Rectified,
    rects: Floats,
    gap_mm: float,
    surface: LightSurface,
    logs: Floats,
    stock_l: float,
) -> tuple[Floats, NDArray[np.bool_], Floats]:
    """Return how far the change of tone beside each box reaches, mm; where it reaches into the
    sides' sectors; and the change of L* close to the edge.
    """
    s = rectified.px_mm
    reach = max(6, int(min(gap_mm / 2 + 0.5, 2.0) * s))
    away = (np.arange(reach) + 0.5) / s
    left, top = np.round(rectified.px(rects[:, 0])), np.round(rectified.px(rects[:, 1]))
    right, foot = (
        np.round(rectified.px(rects[:, 0] + rects[:, 2])),
        np.round(rectified.px(rects[:, 1] + rects[:, 3])),
    )
    inset_x, inset_y = int(0.12 * rects[0, 2] * s), int(0.12 * rects[0, 3] * s)
    long_x, long_y = int(right[0] - left[0]) - 2 * inset_x, int(foot[0] - top[0]) - 2 * inset_y
    sides = []
    for x0, y0, w, h, flips in (
        (left + inset_x, top - reach, long_x, reach, True),
        (left + inset_x, foot, long_x, reach, False),
        (left - reach, top + inset_y, reach, long_y, True),
        (right, top + inset_y, reach, long_y, False),
    ):
        window, inside = gathered(rectified.grey_light, x0, y0, max(1, w), max(1, h))
        profile = np.median(window, 2 if h == reach else 1).astype(float)
        if flips:
            profile = profile[:, ::-1]
        else:
            profile = profile
        profile[inside < 0.99] = np.nan
        sides.append(profile)
    mean = _mean_of_seen(np.array(sides), 0)
    nooks = _mean_of_seen(logs[:, 4:], 1)
    nooks = np.where(np.isnan(nooks), surface.at, nooks)
    bare = np.exp(nooks) @ LUMA_BGR
    change = (stock_l + 16) * (np.cbrt(np.maximum(mean, 1e-5) / bare[:, None]) - 1)
    far = _mean_of_seen(change[:, (away > gap_mm / 2 - 0.45) & (away < gap_mm / 2)], 1)
    near = _mean_of_seen(change[:, (away > 0.25) & (away < 0.6)], 1)
    sign = np.where(np.nan_to_num(near) > 0, 1.0, -1.0)
    seen = np.nan_to_num((sign * (near - far) > 2.5) | (sign * far > 2.5)).astype(bool)
    width = np.zeros(len(rects))
    first = int(0.25 * s)
    for i in np.flatnonzero(np.nan_to_num(sign * near) > 2.5):
        line = sign[i] * np.nan_to_num(change[i]) - HALO_L
        beyond = np.flatnonzero(line[first:] <= 0)
        if not len(beyond):
            width[i] = away[-1]
        elif beyond[0] > 0:
            k = first + int(beyond[0])
            width[i] = (
                away[k - 1] + np.clip(line[k - 1] / max(line[k - 1] - line[k], 1e-3), 0, 1) / s
            )
    return width, seen, np.nan_to_num(near)


@dataclass(frozen=True)
class _Cores:
    light: Floats
    clipped: Floats
    evenness: Floats
    peak: Floats
    dip: Floats
    slope: Floats


def _cores(rectified: Rectified, rects: Floats, reference: Floats, stock_l: float) -> _Cores:
    """The inside of each cell: its trimmed mean light, clipped share, and how its L* varies."""
    n, s = len(rects), rectified.px_mm / 2
    inset = min(INSET_MM, 0.2 * float(rects[0, 2:].min()))
    wide, high = (
        max(4, round((rects[0, 2] - 2 * inset) * s)),
        max(4, round((rects[0, 3] - 2 * inset) * s)),
    )
    x0, y0 = (
        rectified.px(rects[:, 0] + inset, half=True),
        rectified.px(rects[:, 1] + inset, half=True),
    )
    window, _ = gathered(rectified.half_light, x0, y0, wide, high)
    luma = window @ LUMA_BGR
    flat = luma.reshape(n, -1)
    m = flat.shape[1]
    ordered = np.partition(flat, [m // 20, m - 1 - m // 20], axis=1)
    kept = (
        (flat >= ordered[:, m // 20, None]) & (flat <= ordered[:, m - 1 - m // 20, None])
    ).astype(np.float32)
    light = np.einsum("nm,nmc->nc", kept, window.reshape(n, -1, 3)) / kept.sum(1, keepdims=True)
    clipped = (
        gathered((rectified.half > CLIPPED_CODE).astype(np.float32), x0, y0, wide, high)[0]
        .reshape(n, -1, 3)
        .mean(1)
    )
    bare = np.maximum(reference @ LUMA_BGR, 1e-5)
    tones = np.ascontiguousarray(
        (luma / bare[:, None, None] * float(luminance(stock_l))).transpose(1, 2, 0)
    ).astype(np.float32)

    def blurred(sd_mm: float) -> Floats:
        smooth = np.asarray(cv2.GaussianBlur(tones, (0, 0), sd_mm * s), float).reshape(
            high, wide, n
        )
        return np.asarray(116 * np.cbrt(np.maximum(smooth, 1e-5)) - 16, float)

    fine, coarse = blurred(0.5), blurred(1.0)
    middle = np.median(coarse.reshape(-1, n), 0)
    gx, gy = np.linspace(-0.5, 0.5, wide), np.linspace(-0.5, 0.5, high)
    level = coarse - coarse.mean((0, 1))
    slope = np.hypot(
        np.einsum("hwn,w->n", level, gx) / high / (gx * gx).sum(),
        np.einsum("hwn,h->n", level, gy) / wide / (gy * gy).sum(),
    )
    return _Cores(
        light.astype(float),
        clipped.astype(float),
        fine.reshape(-1, n).std(0),
        coarse.max((0, 1)) - middle,
        middle - coarse.min((0, 1)),
        slope,
    )


def _odd_colour(ratio: Floats, counted: NDArray[np.bool_]) -> Floats:
    """How far each cell's colour lies off the photo's own curve of colour against depth, 1 being
    the limit.

    Burning follows one curve; light added by a reflection, or dirt, does not.
    """
    odd = np.zeros(len(ratio))
    if counted.sum() < FEW:
        return odd
    logs = np.log(np.maximum(ratio, 1e-4))
    terms = np.stack([np.ones(len(logs)), logs[:, 1], logs[:, 1] ** 2], 1)
    for channel in (0, 2):
        y = logs[:, channel] - logs[:, 1]
        weight = counted.astype(float)
        away, usual = np.zeros(len(y)), 0.008
        for _ in range(8):
            weighted = terms * weight[:, None]
            curve = np.linalg.solve(
                weighted.T @ weighted + 1e-6 * np.eye(3), weighted.T @ (y * weight)
            )
            away = np.abs(y - terms @ curve)
            usual = max(1.48 * float(np.median(away[counted])), 0.008)
            weight = counted / np.maximum(1, away / (1.5 * usual))
        odd = np.maximum(odd, np.where(counted, away / max(ODD_COLOUR, 5 * usual), 0.0))
    return odd


def _tinted(logs: Floats, clipped: Floats) -> NDArray[np.int64]:
    """How many sectors around each cell have another colour than the coupon's stock."""
    chroma = np.stack([logs[..., 2] - logs[..., 1], logs[..., 0] - logs[..., 1]], -1)
    usual = np.nanmedian(chroma.reshape(-1, 2), 0)
    spread = np.maximum(1.48 * np.nanmedian(np.abs(chroma.reshape(-1, 2) - usual), 0), 0.012)
    away = np.nan_to_num(np.abs(chroma - usual) / spread)
    away[(clipped > 0.02).any(2)] = 0
    return np.asarray((away.max(2) > 7).sum(1), np.int64)
