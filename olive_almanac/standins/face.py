"""Paint a burnt coupon as it lies on the bench, front or back: grain, labels, marks, slots, fallen
parts, char, haze.

The picture is kept as linear light, 16 bits a channel, from the top row down; places are in mm of
the coupon, y up.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from statistics import NormalDist

import cv2
import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.placing.fiducials import burnt_boxes
from olive_almanac.core.placing.labels import Lettering
from olive_almanac.core.placing.strokes import detail_boxes, strokes_of
from olive_almanac.core.records.trial import Cell, Trial
from olive_almanac.standins.bench import BurntCell
from olive_almanac.standins.material import Hidden

__all__ = ["Face", "halo_mm", "light_of_lab", "paint_face"]

Picture = NDArray[np.uint16]
Floats = NDArray[np.float32]
FULL = 65535
MOST_PIXELS = 7_000_000
FINEST_PX_MM = 20.0
AROUND_MM = 9.0  # sheet beyond the coupon, and how far cells are painted beyond their box
GRAINED = ("plywood", "softwood", "hardwood", "bamboo", "veneer")
#            a dull table, or plain paper of another colour laid under the coupon: L*, a*, b*;
#            any other is the stock itself
GROUNDS = {
    "table": (34.0, 1.0, 3.0),
    "paper": (88.0, -24.0, 8.0),
    "blue paper": (52.0, -4.0, -34.0),
    "honeycomb": (22.0, 0.0, -1.0),
}
MARK_DEPTH = 0.72  # share of the full change of tone at which marks come out
LABEL_DEPTH = 0.55
_RGB_OF_XYZ = np.array(
    [
        [3.2404542, -1.5371385, -0.4985314],
        [-0.9692660, 1.8760108, 0.0415560],
        [0.0556434, -0.2040259, 1.0572252],
    ]
)
_WHITE = np.array([0.95047, 1.0, 1.08883])


@dataclass(frozen=True)
class Face:
    """The painted sheet: `light` [h, w, 3] in linear RGB of 0 to 65535, `px_mm` its scale,
    `left_mm` and `top_mm` where its upper left corner lies in coupon mm, and the light of the
    ground it lies on.
    """

    light: Picture
    px_mm: float
    left_mm: float
    top_mm: float
    ground: tuple[float, float, float]


def light_of_lab(lightness: float, a: float = 0.0, b: float = 0.0) -> Floats:
    """Return linear sRGB, 0 to 1, of a CIELAB colour under D65."""
    fy = (lightness + 16) / 116
    f = np.array([fy + a / 500, fy, fy - b / 200])
    xyz = np.where(f > 6 / 29, f**3, 3 * (6 / 29) ** 2 * (f - 4 / 29)) * _WHITE
    return np.asarray(np.clip(_RGB_OF_XYZ @ xyz, 0.002, 1.0), np.float32)


def halo_mm(burnt: BurntCell, limit_l: float = 3.0) -> float:
    """Return how far beside a cell's edge the painted halo changes the tone by `limit_l` L*, mm."""
    if burnt.haze_mm <= 0 or not burnt.haze_l:
        return 0.0
    if burnt.lightness is None:  # beside a cut it fades as an exponential
        return max(0.0, burnt.haze_mm * math.log(abs(burnt.haze_l) / limit_l))
    share = limit_l / (2.0 * abs(burnt.haze_l))  # beside a raster as the flank of a bell
    if share < 0.5:
        return max(0.0, -NormalDist().inv_cdf(share) * 0.55 * burnt.haze_mm)
    return 0.0


class _Painter:
    def __init__(
        self,
        trial: Trial,
        hidden: Hidden,
        ground: str,
        rng: np.random.Generator,
        side: str,
        eye_mm: tuple[float, float, float],
    ) -> None:
        self.trial, self.hidden, self.rng, self.side = trial, hidden, rng, side
        self.eye = eye_mm
        width, height = (
            trial.coupon.width_mm + 2 * AROUND_MM,
            trial.coupon.height_mm + 2 * AROUND_MM,
        )
        self.s = min(FINEST_PX_MM, (MOST_PIXELS / (width * height)) ** 0.5)
        self.w, self.h = round(width * self.s), round(height * self.s)
        made = hidden.made
        self.ground = light_of_lab(*GROUNDS.get(ground, (made.bare_l, *made.hue)))
        self.ground_light = (float(self.ground[0]), float(self.ground[1]), float(self.ground[2]))
        self.clear = trial.stock.opacity == "clear"
        self.bare_l = made.bare_l
        bare = light_of_lab(made.bare_l, *made.hue)
        if self.clear:
            self.bare = 0.86 * self.ground + 0.01
        else:
            self.bare = bare
        if made.burnt_l < made.bare_l:
            self.wall = light_of_lab(24.0, 5.0, 10.0)
        else:
            self.wall = 0.8 * bare
        self.image = self._bare_stock()

    # -- the bare sheet ----------------------------------------------------------------------------

    def _noise(self, cell_px: tuple[float, float]) -> Floats:
        """Smooth noise of unit spread with features of so many px across and up."""
        small = (max(3, int(self.h / cell_px[1]) + 2), max(3, int(self.w / cell_px[0]) + 2))
        rough = self.rng.standard_normal(small).astype(np.float32)
        return np.asarray(
            cv2.resize(rough, (self.w, self.h), interpolation=cv2.INTER_CUBIC), np.float32
        )

    def _bare_stock(self) -> Floats:
        spread = self.hidden.made.grain
        if self.hidden.kind in GRAINED:
            grain = 0.8 * self._noise((9 * self.s, 0.22 * self.s)) + 0.5 * self._noise(
                (40 * self.s, 2.5 * self.s)
            )
        else:
            grain = 0.7 * self._noise((0.5 * self.s, 0.5 * self.s)) + 0.6 * self._noise(
                (9 * self.s, 9 * self.s)
            )
        factor = np.exp(grain * (3.0 * spread / (self.bare_l + 16)))  # d ln Y = 3 dL / (L + 16)
        return np.asarray(self.bare[None, None, :] * factor[:, :, None], np.float32)

    # -- places ------------------------------------------------------------------------------------

    def xy(self, x_mm: float, y_mm: float) -> tuple[float, float]:
        """Pixel of a place; pixel centres lie at whole numbers."""
        if self.side == "back":
            x = self.trial.coupon.width_mm - x_mm
        else:
            x = x_mm
        return (x + AROUND_MM) * self.s - 0.5, (
            self.trial.coupon.height_mm - y_mm + AROUND_MM
        ) * self.s - 0.5

    def window(
        self, box: tuple[float, float, float, float], around_mm: float
    ) -> tuple[slice, slice]:
        (xa, ya), (xb, yb) = (
            self.xy(box[0] - around_mm, box[3] + around_mm),
            self.xy(box[2] + around_mm, box[1] - around_mm),
        )
        left, right = sorted((xa, xb))
        return slice(max(0, int(ya)), min(self.h, int(yb) + 2)), slice(
            max(0, int(left)), min(self.w, int(right) + 2)
        )

    def away(
        self, paths: tuple[tuple[tuple[float, float], ...], ...], rows: slice, cols: slice
    ) -> Floats:
        """Distance in mm of each pixel of a window from the nearest stroke."""
        fine = 8
        mask = np.full((rows.stop - rows.start, cols.stop - cols.start), 255, np.uint8)
        for path in paths:
            points = np.array([[self.xy(x, y) for x, y in path]]) - (cols.start, rows.start)
            cv2.polylines(
                mask, np.round(points * 2**fine).astype(np.int32), False, 0, 1, cv2.LINE_8, fine
            )
        return np.asarray(
            cv2.distanceTransform(mask, cv2.DIST_L2, cv2.DIST_MASK_PRECISE) / self.s, np.float32
        )

    def share_in(
        self, box: tuple[float, float, float, float], rows: slice, cols: slice, soft_mm: float = 0.0
    ) -> Floats:
        """How much of each pixel of a window lies in a box, edges softened."""
        (xa, ya), (xb, yb) = self.xy(box[0], box[3]), self.xy(box[2], box[1])
        left, right = sorted((xa, xb))
        soft = max(1.0, soft_mm * self.s)
        x, y = np.arange(cols.start, cols.stop), np.arange(rows.start, rows.stop)
        across = np.clip((x - left) / soft + 0.5, 0, 1) * np.clip((right - x) / soft + 0.5, 0, 1)
        up = np.clip((y - ya) / soft + 0.5, 0, 1) * np.clip((yb - y) / soft + 0.5, 0, 1)
        return np.asarray(up[:, None] * across[None, :], np.float32)

    def tone(self, lightness: float) -> Floats:
        """Linear light of a tone between the bare stock and the fully burnt one, by lightness."""
        made = self.hidden.made
        share = min(1.0, max(0.0, (lightness - made.bare_l) / (made.burnt_l - made.bare_l)))
        a, b = ((1 - share) * h + share * c for h, c in zip(made.hue, made.char_hue, strict=True))
        return light_of_lab(lightness, a, b)

    def mix(self, rows: slice, cols: slice, share: Floats, light: Floats) -> None:
        part = self.image[rows, cols]
        part += share[..., None] * (light - part)

    def shift_tone(self, rows: slice, cols: slice, change_l: Floats) -> None:
        """Lighten or darken by so many L*."""
        self.image[rows, cols] *= np.exp(np.clip(3.0 * change_l / (self.bare_l + 16), -2.5, 1.2))[
            ..., None
        ]

    # -- what is burnt -----------------------------------------------------------------------------

    def marks(self, lettering: Lettering) -> None:
        made = self.hidden.made
        if self.side == "back":
            return
        dark = made.bare_l + MARK_DEPTH * (made.burnt_l - made.bare_l)
        for mark in self.trial.fiducials:
            half = mark.size_mm / 2
            x, y = mark.centre_mm
            rows, cols = self.window((x - half, y - half, x + half, y + half), 1.0)
            share = np.zeros((rows.stop - rows.start, cols.stop - cols.start), np.float32)
            for left, low, right, high in burnt_boxes(mark):
                share = np.maximum(
                    share,
                    self.share_in(
                        (left - 0.03, low - 0.03, right + 0.03, high + 0.03), rows, cols, 0.08
                    ),
                )
            uneven = 1 + 0.05 * np.asarray(self.rng.standard_normal(share.shape), np.float32)
            self.mix(rows, cols, np.clip(share * uneven, 0, 1), self.tone(dark))
        ink = self.tone(made.bare_l + LABEL_DEPTH * (made.burnt_l - made.bare_l))
        thin = 1.1 * self.trial.machine.spot_longer_mm
        for label in self.trial.labels:
            strokes = lettering.strokes(label.text, label.height_mm)
            if not strokes:
                continue
            x, y = label.at_mm
            wide = lettering.width(label.text, label.height_mm)
            rows, cols = self.window(
                (x, y - 0.4 * label.height_mm, x + wide, y + 1.3 * label.height_mm), 1.0
            )
            moved = tuple(tuple((x + a, y + b) for a, b in stroke) for stroke in strokes)
            self.mix(
                rows,
                cols,
                np.clip((thin / 2 - self.away(moved, rows, cols)) * self.s + 0.5, 0, 1),
                ink,
            )

    def cell(self, cell: Cell, burnt: BurntCell) -> None:
        if burnt.lightness is not None:
            if self.side == "front":
                self._raster(cell, burnt)
        else:
            self._lines(cell, burnt)

    def _raster(self, cell: Cell, burnt: BurntCell) -> None:
        x, y, w, h = cell.rect_mm
        assert burnt.lightness is not None
        if cell.mark == "detail":
            boxes = detail_boxes(cell)
        else:
            boxes = ((x, y, x + w, y + h),)
        rows, cols = self.window((x, y, x + w, y + h), 3.0)
        share = np.zeros((rows.stop - rows.start, cols.stop - cols.start), np.float32)
        for box in boxes:
            share = np.maximum(share, self.share_in(box, rows, cols, 0.10))
        beside = cv2.GaussianBlur(share, (0, 0), max(0.6, 0.55 * burnt.haze_mm * self.s)) * (
            1 - share
        )
        self.shift_tone(rows, cols, 2.0 * burnt.haze_l * beside)
        rough = self.rng.standard_normal(
            (max(2, share.shape[0] // 24), max(2, share.shape[1] // 24))
        ).astype(np.float32)
        uneven = cv2.resize(rough, share.shape[::-1], interpolation=cv2.INTER_CUBIC)
        fine = 0.5 * np.asarray(self.rng.standard_normal(share.shape), np.float32)
        pitch_px = cell.setting.pitch_mm * self.s
        if pitch_px > 2.2:  # the lines themselves can be seen
            if cell.setting.direction != "y":
                n = np.arange(rows.start, rows.stop)[:, None]
            else:
                n = np.arange(cols.start, cols.stop)[None, :]
            fine = fine + 0.8 * np.cos(2 * np.pi * n / pitch_px).astype(np.float32)
        factor = np.exp((uneven + fine) * (3.0 * burnt.spread / (burnt.lightness + 16)))
        self.mix(rows, cols, share, self.tone(burnt.lightness)[None, None, :] * factor[..., None])

    def _lines(self, cell: Cell, burnt: BurntCell) -> None:
        x, y, w, h = cell.rect_mm
        front = self.side == "front"
        if front:
            kerf = burnt.kerf_mm
        else:
            kerf = burnt.back_mm
        if not front and not burnt.through:
            return
        rows, cols = self.window((x, y, x + w, y + h), 3.0)
        away = self.away(strokes_of(cell), rows, cols)
        outside = np.maximum(0.0, away - kerf / 2)
        scorch = burnt.haze_l * (1.0 if front else 0.55)
        self.shift_tone(rows, cols, scorch * np.exp(-outside / max(0.05, burnt.haze_mm)))
        slot = np.clip((kerf / 2 - away) * self.s + 0.5, 0, 1)
        depth = burnt.depth_mm / self.trial.stock.true_thickness_mm
        deep = light_of_lab(30.0 - 22.0 * min(1.0, depth), 3.0, 6.0)
        self.mix(rows, cols, slot, 0.30 * self.ground + 0.01 if burnt.through else deep)
        if cell.mark in ("outline", "comb", "detail") and burnt.frees:
            ring = np.array(
                [self.xy(a, b) for a, b in ((x, y), (x + w, y), (x + w, y + h), (x, y + h))]
            ) - (cols.start, rows.start)
            self._hole(rows, cols, ring, kerf)

    def _hole(self, rows: slice, cols: slice, ring: NDArray[np.float64], kerf: float) -> None:
        """The piece has fallen out: the ground is seen, and the wall on the side that faces the
        eye.
        """
        shape = (rows.stop - rows.start, cols.stop - cols.start)
        hole = np.zeros(shape, np.uint8)
        fine = 8
        cv2.fillPoly(hole, [np.round(ring * 2**fine).astype(np.int32)], 255, cv2.LINE_AA, fine)
        hole = cv2.dilate(
            hole, np.ones((3, 3), np.uint8), iterations=max(1, round(kerf / 2 * self.s))
        )
        middle = ring.mean(0) + np.array([cols.start, rows.start])
        thick = self.trial.stock.true_thickness_mm
        px, py = self.xy(self.eye[0], self.eye[1])
        shift = thick / self.eye[2] * np.array([middle[0] - px, middle[1] - py])
        moved = cv2.warpAffine(hole, np.array([[1, 0, shift[0]], [0, 1, shift[1]]]), shape[::-1])
        seen = np.asarray(hole.astype(np.float32) * moved / 255**2, np.float32)
        dim = cv2.GaussianBlur(seen, (0, 0), max(0.8, 0.25 * thick * self.s))
        self.mix(rows, cols, hole.astype(np.float32) / 255, self.wall)
        self.mix(rows, cols, seen, self.ground[None, None, :] * (0.45 + 0.5 * dim[..., None]))


def paint_face(
    trial: Trial,
    burnt: tuple[BurntCell, ...],
    hidden: Hidden,
    lettering: Lettering,
    *,
    ground: str,
    side: str,
    eye_mm: tuple[float, float, float],
    rng: np.random.Generator,
) -> Face:
    """Paint the coupon with the cells that have burnt; `eye_mm` is where the camera stands over the
    coupon.
    """
    painter = _Painter(trial, hidden, ground, rng, side, eye_mm)
    cells: Mapping[str, Cell] = {cell.id: cell for cell in trial.cells}
    for one in burnt:
        painter.cell(cells[one.cell], one)
    painter.marks(lettering)
    light = np.clip(painter.image * FULL, 0, FULL).astype(np.uint16)
    return Face(
        light, painter.s, -AROUND_MM, trial.coupon.height_mm + AROUND_MM, painter.ground_light
    )
