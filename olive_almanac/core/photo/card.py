"""A grey card in the photo: two marks and three patches of known lightness on white, from which the
phone's own curve is learned.

The curve is kept as a profile of that phone and serves its later photos without the card.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.light import LUMA_BGR, lightness, luminance
from olive_almanac.core.photo.fiducials import LIGHT, Picture
from olive_almanac.core.photo.lens import Lens
from olive_almanac.core.photo.rectified import PAD_MM, PhoneCurve, Rectified
from olive_almanac.core.placing.fiducials import CARD_IDS

__all__ = ["CARD", "CardPatches", "CardSight", "read_card", "stock_lightness"]

Floats = NDArray[np.float64]
PX_MM = 8.0
SLOPE_PRIOR, BEND_PRIOR, READING_SD = 0.12, 0.03, 0.02
MOST_CODE = 250
MOST_OFF = 0.08  # ln, four times the error of a patch


@dataclass(frozen=True)
class CardPatches:
    """The card as printed: its size and the size of its marks in mm, the L* of the three patches
    and of the white around them.
    """

    width_mm: float = 44.0
    height_mm: float = 14.0
    mark_mm: float = 9.0
    patches_l: tuple[float, ...] = (82.0, 52.0, 24.0)
    white_l: float = float(lightness(0.85))

    @property
    def inset_mm(self) -> float:
        """How far a mark lies from the edge of the card, mm."""
        return (self.height_mm - self.mark_mm) / 2


CARD = CardPatches()


@dataclass(frozen=True)
class CardSight:
    """The phone's curve by the card, the light of its white in that curve (linear, at the card's
    place), and how far off that curve the worst of its patches lies, ln.
    """

    curve: PhoneCurve
    white: float
    off: float

    @property
    def agrees(self) -> bool:
        """Whether one curve fits all patches: not where a shadow or a reflection crosses the
        card.
        """
        return self.off < MOST_OFF


def read_card(
    picture: Picture, found: dict[int, list[Floats]], card: CardPatches = CARD
) -> CardSight | None:
    """Return the phone's curve where both of the card's marks were found, else None."""
    if not all(mark in found for mark in CARD_IDS):
        return None
    inset, size = card.inset_mm, card.mark_mm
    corners = []
    for left in (inset, card.width_mm - inset - size):
        corners += [
            (left, inset),
            (left + size, inset),
            (left + size, inset + size),
            (left, inset + size),
        ]
    seen = np.concatenate([found[mark][0] for mark in CARD_IDS])
    matrix, _ = cv2.findHomography(np.array(corners) * PX_MM, seen, 0)
    if matrix is None:
        return None
    shape = (round(card.width_mm * PX_MM), round(card.height_mm * PX_MM))
    flat = cv2.warpPerspective(
        picture, matrix, shape, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    )
    light = LIGHT[flat] @ LUMA_BGR
    first, step = 2 * inset + size, (card.width_mm - 2 * (2 * inset + size)) / len(card.patches_l)
    logs, truth, whites = [], [], []
    for n, patch_l in enumerate(card.patches_l):
        left = first + n * step
        cols = slice(round((left + 0.25 * step) * PX_MM), round((left + 0.75 * step) * PX_MM))
        patch = slice(round((inset + 0.25 * size) * PX_MM), round((inset + 0.75 * size) * PX_MM))
        rim = [slice(round(0.3 * inset * PX_MM), round(0.75 * inset * PX_MM))]
        rim.append(slice(shape[1] - rim[0].stop, shape[1] - rim[0].start))
        white = float(np.median([np.median(light[rows, cols]) for rows in rim]))
        if (flat[patch, cols].max() > MOST_CODE and patch_l > 60) or white <= 0:
            continue
        logs.append((float(np.log(max(np.median(light[patch, cols]), 1e-5))), float(np.log(white))))
        truth.append(float(np.log(luminance(patch_l) / luminance(card.white_l))))
        whites.append(white)
    if len(logs) < 2:
        return None
    seen_logs, true_logs = np.array(logs), np.array(truth)
    curve = _curve(seen_logs, true_logs)
    patch, plain = seen_logs.T
    fitted = curve.slope * (patch - plain) + curve.bend * (patch**2 - plain**2)
    off = float(np.abs(fitted - true_logs).max())
    return CardSight(curve, float(np.median(whites)), off)


def _curve(logs: Floats, truth: Floats) -> PhoneCurve:
    """Slope and bend that turn the seen ratios of patch to white into the true ones, held near a
    plain phone's.
    """
    patch, white = logs.T
    terms = np.stack([patch - white, patch**2 - white**2], 1) / READING_SD
    held = np.diag([1 / SLOPE_PRIOR, 1 / BEND_PRIOR])
    left = np.vstack([terms, held])
    right = np.concatenate([truth / READING_SD, held @ np.array([1.0, 0.0])])
    slope, bend = np.linalg.lstsq(left, right, rcond=None)[0]
    return PhoneCurve(float(np.clip(slope, 0.6, 1.6)), float(np.clip(bend, -0.15, 0.15)))


def stock_lightness(rectified: Rectified, card: CardSight, lens: Lens) -> float:
    """Return L* of the bare stock beside the card against the card's white, light taken as even
    between them.
    """
    s, width = rectified.px_mm, lens.size_mm[0]
    top, band = round(PAD_MM * s), round(1.5 * s)
    middle, half = (PAD_MM + width / 2) * s, min(width / 2, CARD.width_mm / 2) * s
    rim = rectified.codes[top : top + band, round(middle - half) : round(middle + half)].reshape(
        -1, 3
    )
    light = float(np.median(rectified.curve.light[rim] @ LUMA_BGR))
    white = float(
        np.exp(card.curve.slope * np.log(card.white) + card.curve.bend * np.log(card.white) ** 2)
    )
    return float(np.clip(lightness(light / white * luminance(CARD.white_l)), 2.0, 99.0))
