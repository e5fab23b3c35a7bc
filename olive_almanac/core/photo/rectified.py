"""The coupon squared up: windows around cells taken from a picture in which a millimetre has the
same pixels everywhere.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.light import lightness
from olive_almanac.core.photo.fiducials import LIGHT, Picture, Pyramid
from olive_almanac.core.photo.lens import Lens

__all__ = ["PX_MM", "PhoneCurve", "Rectified", "gathered", "off_frame", "polynomial", "square_up"]

Floats = NDArray[np.float64]
PX_MM, LEAST_PX_MM = 8.0, 4.0
PAD_MM = 5.0  # beyond the coupon's edge, for what lies around it


@dataclass(frozen=True)
class PhoneCurve:
    """How a phone bends light: ln true = a + slope ln seen + bend (ln seen)^2; a plain sRGB phone
    has 1 and 0.
    """

    slope: float = 1.0
    bend: float = 0.0

    @cached_property
    def light(self) -> NDArray[np.float32]:
        """Linear light of each 8-bit code."""
        if self.slope == 1.0 and self.bend == 0.0:
            return LIGHT
        logs = np.log(np.maximum(LIGHT, 1e-5))
        return np.asarray(
            np.maximum.accumulate(np.exp(self.slope * logs + self.bend * logs**2)), np.float32
        )


@dataclass(frozen=True)
class Rectified:
    """`codes` [h, w, 3] at `px_mm`, face coordinates beginning `PAD_MM` to the upper left of the
    coupon.
    """

    codes: Picture
    px_mm: float
    curve: PhoneCurve

    @cached_property
    def half(self) -> Picture:
        """The picture at half its size."""
        return np.asarray(
            cv2.resize(self.codes, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA), np.uint8
        )

    @cached_property
    def half_light(self) -> NDArray[np.float32]:
        """Linear light at half scale, [h, w, 3]."""
        return np.asarray(np.take(self.curve.light, self.half), np.float32)

    @cached_property
    def grey(self) -> Picture:
        """The picture in grey."""
        return np.asarray(cv2.cvtColor(self.codes, cv2.COLOR_BGR2GRAY), np.uint8)

    @cached_property
    def grey_tones(self) -> NDArray[np.float32]:
        """L* of the grey picture against the photo's own white, [h, w]."""
        return np.asarray(
            np.take(lightness(self.curve.light).astype(np.float32), self.grey), np.float32
        )

    @cached_property
    def grey_light(self) -> NDArray[np.float32]:
        """Linear light of the grey picture at full scale, [h, w]."""
        return np.asarray(np.take(self.curve.light, self.grey), np.float32)

    def px(self, mm: Floats | float, *, half: bool = False) -> Floats:
        """Return the pixel edge that lies at face mm."""
        return np.asarray((np.asarray(mm, float) + PAD_MM) * self.px_mm / (2 if half else 1), float)


def square_up(pyramid: Pyramid, lens: Lens, curve: PhoneCurve) -> Rectified:
    """Square the coupon up from the smallest version of the picture that is fine enough."""
    scale = lens.px_per_mm()
    if scale / pyramid.half_scale >= 0.6 * min(PX_MM, 0.5 * scale):
        source, reduced = (pyramid.half, pyramid.half_scale)
    else:
        source, reduced = (pyramid.full, 1)
    width, height = lens.size_mm
    px_mm = float(
        np.clip(0.5 * scale, LEAST_PX_MM, PX_MM)
    )  # a large coupon seen from afar holds no more
    maps = lens.maps((-PAD_MM, -PAD_MM, width + PAD_MM, height + PAD_MM), px_mm, reduced=reduced)
    codes = cv2.remap(source, maps, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return Rectified(np.asarray(codes, np.uint8), px_mm, curve)


def gathered(
    picture: NDArray[Any], x0: Floats, y0: Floats, width: int, height: int
) -> tuple[NDArray[Any], Floats]:
    """Return n windows of one size, [n, height, width(, c)], with the share of each that lies
    inside the picture.

    `x0`, `y0` [n] are the pixels of their upper left corners.
    """
    high, wide = picture.shape[:2]
    rows = np.round(y0).astype(int)[:, None] + np.arange(height)[None]
    cols = np.round(x0).astype(int)[:, None] + np.arange(width)[None]
    inside = ((rows >= 0) & (rows < high)).mean(1) * ((cols >= 0) & (cols < wide)).mean(1)
    return picture[
        np.clip(rows, 0, high - 1)[:, :, None], np.clip(cols, 0, wide - 1)[:, None, :]
    ], inside


def off_frame(
    lens: Lens, rects: Floats, around_mm: float, missing_from: int | None
) -> NDArray[np.bool_]:
    """Return which boxes [n, 4] (face mm) reach out of the picture, or into the part that never
    arrived.
    """
    u = np.array([[a, b] for a in (0.0, 0.5, 1.0) for b in (0.0, 0.5, 1.0)])
    places = rects[:, None, :2] + u[None] * rects[:, None, 2:] + around_mm * (2 * u[None] - 1)
    px = lens.project(places)
    if missing_from is None:
        foot = lens.height_px
    else:
        foot = min(lens.height_px, missing_from)
    return np.asarray(((px < 1) | (px > [lens.width_px - 2, foot - 2])).any(axis=(1, 2)))


def polynomial(places_mm: Floats, size_mm: tuple[float, float], degree: int) -> Floats:
    """Return the terms of a polynomial in x and y at places [..., 2], [..., terms]; places count
    from the middle.
    """
    x = (places_mm[..., 0] - size_mm[0] / 2) / (size_mm[0] / 2)
    y = (places_mm[..., 1] - size_mm[1] / 2) / (size_mm[1] / 2)
    return np.stack([x**i * y**j for i in range(degree + 1) for j in range(degree + 1 - i)], -1)
