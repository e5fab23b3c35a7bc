"""Codes of a picture, light, lightness, and differences of colour.

sRGB after IEC 61966-2-1:1999, CIELAB under D65/2 degrees (ISO/CIE 11664-4), CIEDE2000 after Sharma,
Wu & Dalal, Color Res. Appl. 30:21 (2005).  Light is relative, 0 to 1; pictures are BGR as OpenCV
keeps them.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

__all__ = [
    "LUMA_BGR",
    "ciede2000",
    "codes_of_light",
    "lab_of_light",
    "light_of_codes",
    "lightness",
    "luminance",
]

Floats = NDArray[np.float64]
LUMA_BGR = np.array([0.0722, 0.7152, 0.2126], np.float32)  # share of each channel in the luminance
_XYZ_OF_RGB = np.array(
    [
        [0.4124564, 0.3575761, 0.1804375],
        [0.2126729, 0.7151522, 0.0721750],
        [0.0193339, 0.1191920, 0.9503041],
    ]
)
_WHITE = np.array([0.95047, 1.0, 1.08883])
_BREAK = 6 / 29


def light_of_codes(codes: ArrayLike) -> Floats:
    """Return linear light, 0 to 1, of sRGB codes 0 to 255; any shape."""
    v = np.asarray(codes, float) / 255
    return np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4)


def codes_of_light(light: ArrayLike) -> Floats:
    """Return sRGB codes, 0 to 255 and not rounded, of linear light 0 to 1; any shape."""
    v = np.clip(np.asarray(light, float), 0, 1)
    shares = np.where(v <= 0.0031308, 12.92 * v, 1.055 * v ** (1 / 2.4) - 0.055)
    return np.asarray(255 * shares, float)


def _f(t: ArrayLike) -> Floats:
    t = np.asarray(t, float)
    return np.where(t > _BREAK**3, np.cbrt(np.maximum(t, 0)), t / (3 * _BREAK**2) + 4 / 29)


def lightness(light: ArrayLike) -> Floats:
    """Return L* of a luminance of 0 to 1; any shape."""
    return 116 * _f(light) - 16


def luminance(lightness_l: ArrayLike) -> Floats:
    """Return the luminance, 0 to 1, of L*: `lightness` turned round."""
    f = (np.asarray(lightness_l, float) + 16) / 116
    return np.where(f > _BREAK, f**3, 3 * _BREAK**2 * (f - 4 / 29))


def lab_of_light(rgb: ArrayLike) -> Floats:
    """Return CIELAB of linear RGB light, [..., 3] to [..., 3]."""
    f = _f(np.asarray(rgb, float) @ _XYZ_OF_RGB.T / _WHITE)
    return np.stack(
        [116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], -1
    )


def ciede2000(first: ArrayLike, second: ArrayLike) -> Floats:
    """Return the CIEDE2000 difference of CIELAB colours, [..., 3] each, with kL = kC = kH = 1."""
    lab1, lab2 = np.asarray(first, float), np.asarray(second, float)
    (l1, a1, b1), (l2, a2, b2) = np.moveaxis(lab1, -1, 0), np.moveaxis(lab2, -1, 0)
    mean_c = (np.hypot(a1, b1) + np.hypot(a2, b2)) / 2
    g = 0.5 * (1 - np.sqrt(mean_c**7 / (mean_c**7 + 25.0**7)))
    a1, a2 = (1 + g) * a1, (1 + g) * a2
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = np.degrees(np.arctan2(b1, a1)) % 360, np.degrees(np.arctan2(b2, a2)) % 360
    grey = c1 * c2 == 0
    turn = h2 - h1
    turn = np.where(turn > 180, turn - 360, np.where(turn < -180, turn + 360, turn))
    turn = np.where(grey, 0.0, turn)
    d_l, d_c, d_h = l2 - l1, c2 - c1, 2 * np.sqrt(c1 * c2) * np.sin(np.radians(turn) / 2)
    mean_l, mean_cp, sum_h = (l1 + l2) / 2, (c1 + c2) / 2, h1 + h2
    mean_h = np.where(
        np.abs(h1 - h2) <= 180,
        sum_h / 2,
        np.where(sum_h < 360, (sum_h + 360) / 2, (sum_h - 360) / 2),
    )
    mean_h = np.where(grey, sum_h, mean_h)

    def cos(degrees: Floats) -> Floats:
        return np.asarray(np.cos(np.radians(degrees)), float)

    t = (
        1
        - 0.17 * cos(mean_h - 30)
        + 0.24 * cos(2 * mean_h)
        + 0.32 * cos(3 * mean_h + 6)
        - 0.20 * cos(4 * mean_h - 63)
    )
    s_l = 1 + 0.015 * (mean_l - 50) ** 2 / np.sqrt(20 + (mean_l - 50) ** 2)
    s_c, s_h = 1 + 0.045 * mean_cp, 1 + 0.015 * mean_cp * t
    bend = (
        -2
        * np.sqrt(mean_cp**7 / (mean_cp**7 + 25.0**7))
        * np.sin(np.radians(60 * np.exp(-(((mean_h - 275) / 25) ** 2))))
    )
    terms = (
        (d_l / s_l) ** 2 + (d_c / s_c) ** 2 + (d_h / s_h) ** 2 + bend * (d_c / s_c) * (d_h / s_h)
    )
    return np.asarray(np.sqrt(np.maximum(terms, 0.0)), float)
