"""Read cut cells: has the piece fallen out, is the outline open, how charred is the edge.

A piece that is out shows what lies under the coupon; whether a piece that is still in hangs or was
never cut through is told by the back, where an open slot is a dark line and an uncut cell shows
nothing.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.photo.bars import BarSight, Segment, measure_bars
from olive_almanac.core.photo.fiducials import Picture
from olive_almanac.core.photo.fills import halos, light_surface, stock_sectors
from olive_almanac.core.photo.lens import Lens
from olive_almanac.core.photo.rectified import Rectified, gathered, off_frame

__all__ = ["CutSight", "measure_cuts"]

Floats = NDArray[np.float64]
INSET_MM = 1.2
LEAST_CHANGE = 0.16  # ln of light by which an inside must differ from the stock to be a hole
SLOT_REACH_MM = (
    1.9  # how far beside its place an open slot is looked for: backs are placed by their holes only
)
OPEN_SIDES = 3  # sides of the outline that must show for it to count as open


@dataclass(frozen=True)
class CutSight:
    """One cut cell as seen: `out` True where the piece is gone, `open` whether the outline shows as
    a line, the slot's width in mm (0: not measured), change of L* beside it and how far it reaches,
    confidence, flags.
    """

    out: bool
    open: bool
    slot_mm: float
    near_l: float
    halo_mm: float
    confidence: float
    flags: tuple[str, ...]


def measure_cuts(
    rectified: Rectified,
    picture: Picture,
    lens: Lens,
    rects: Floats,
    *,
    gap_mm: float,
    stock_l: float,
    blur_px: tuple[float, float],
    back: bool = False,
    missing_from: int | None = None,
) -> list[CutSight]:
    """Measure outline cells of one size, [n, 4] face mm; `back` looks for the open outlines as
    well.
    """
    n, s = len(rects), rectified.px_mm / 2
    sectors = stock_sectors(rectified, rects, gap_mm)
    logs = np.log(np.maximum(sectors.light, 1e-4))
    beside = np.nanmedian(logs, 1)
    usual = np.nanmedian(logs.reshape(-1, 3), 0)
    own = float(1.48 * np.nanmedian(np.abs(logs[..., 1] - beside[:, None, 1])))
    limit = max(LEAST_CHANGE, 5 * own)
    inset = min(INSET_MM, 0.2 * float(rects[0, 2:].min()))
    wide, high = (
        max(3, round((rects[0, 2] - 2 * inset) * s)),
        max(3, round((rects[0, 3] - 2 * inset) * s)),
    )
    window, _ = gathered(
        rectified.half_light,
        rectified.px(rects[:, 0] + inset, half=True),
        rectified.px(rects[:, 1] + inset, half=True),
        wide,
        high,
    )
    inside = np.log(np.maximum(np.median(window.reshape(n, -1, 3), 1), 1e-4))
    rough = np.log(np.maximum(window.reshape(n, -1, 3)[..., 1], 1e-4)).std(1)
    change = np.abs(inside - beside).mean(1)
    out = change > limit
    ground = None
    if out.sum() >= 3:
        ground = np.median(inside[out], 0)
    surface = light_surface(sectors, rects[:, :2] + rects[:, 2:] / 2, lens.size_mm)
    halo, _, near = halos(
        rectified, rects + np.array([-0.1, -0.1, 0.2, 0.2]), gap_mm, surface, logs, stock_l
    )
    sides = []
    if back:
        segments = [side for rect in rects for side in _sides(rect)]
        sides = measure_bars(
            picture,
            lens,
            segments,
            blur_px=blur_px,
            darker=True,
            curve=rectified.curve,
            half_mm=min(SLOT_REACH_MM, gap_mm / 2),
        )
    off = off_frame(lens, rects, 1.0, missing_from)
    flare = np.nan_to_num(np.nanmax(sectors.clipped[..., 1], 1))
    unlike = np.nanmax(logs[..., 1], 1) - np.nanmin(logs[..., 1], 1)
    sights = []
    for i in range(n):
        shows, slot = _outline(sides[4 * i : 4 * i + 4])
        strange = ground is not None and bool(out[i]) and _chroma_off(inside[i], ground) > 0.45
        tests = (
            ("off_frame", bool(off[i])),
            ("covered_or_glare", float(np.abs(beside[i] - usual).max()) > 0.9),
            ("clipped", float(flare[i]) > 0.10),
            ("unsure", 0.55 * limit < change[i] < 1.8 * limit),
            ("not_background", strange),
            ("uneven_light", float(unlike[i]) > max(0.45, 8 * own)),
            ("mixed", float(rough[i]) > 0.30 and not out[i]),
        )
        flags = tuple(name for name, wrong in tests if wrong)
        sure = float(min(1.0, abs(change[i] - limit) / limit))
        sights.append(
            CutSight(
                bool(out[i]),
                shows,
                0.0 if out[i] else slot,
                float(near[i]),
                float(halo[i]),
                0.25 * sure if flags else sure,
                flags,
            )
        )
    return sights


def _sides(rect: Floats) -> tuple[Segment, ...]:
    """The four sides of an outline without their corners."""
    x, y, w, h = (float(v) for v in rect)
    a, b, c, d = x + 0.18 * w, x + 0.82 * w, y + 0.18 * h, y + 0.82 * h
    return (((a, y), (b, y)), ((x + w, c), (x + w, d)), ((a, y + h), (b, y + h)), ((x, c), (x, d)))


def _outline(lines: list[BarSight]) -> tuple[bool, float]:
    """Whether the outline shows on enough sides, and the middle of its widths."""
    seen = [
        line
        for line in lines
        if line.contrast < -0.12
        and abs(line.off_mm) < 0.8 * SLOT_REACH_MM
        and line.rest < 0.35
        and line.width_mm < 1.2
    ]
    good = [
        line.width_mm
        for line in seen
        if not {"too_thin", "poor_fit", "ragged", "too_faint"} & set(line.flags)
    ]
    return len(seen) >= OPEN_SIDES, float(np.median(good)) if len(good) >= 2 else 0.0


def _chroma_off(one: Floats, other: Floats) -> float:
    """How far two colours, in ln of light, differ when brightness is left out."""
    difference = one - other
    return float(np.abs(difference - difference.mean()).max())
