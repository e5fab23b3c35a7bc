"""From places on the coupon to pixels: a homography and one term of lens distortion, fitted
robustly.

Face coordinates: mm from the upper left corner of the side that is seen, x to the right, y down.
Pixels: centres at whole numbers, x to the right, y down.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

__all__ = ["Lens"]

Floats = NDArray[np.float64]
UNIT_MM = 50.0  # face coordinates are scaled by this, so that all parameters are of one size
LATTICE_PX = 16
K1_PRIOR, GROWTH_PRIOR_MM = 0.06, 0.06  # one standard deviation


@dataclass
class Lens:
    """mm -> px: homography to normalised coordinates, x_d = x (1 + k1 r2), times the focal length
    plus the picture's middle.

    `width_px`, `height_px` and `focal_px` are the picture's; `size_mm` the coupon's.
    """

    width_px: int
    height_px: int
    focal_px: float
    size_mm: tuple[float, float]
    terms: Floats = field(default_factory=lambda: np.zeros(9))
    growth_mm: float = 0.0  # how much larger than drawn the marks came out, at each side

    @property
    def middle_px(self) -> Floats:
        """The middle of the picture, px [2]."""
        return np.array([(self.width_px - 1) / 2, (self.height_px - 1) / 2])

    @property
    def k1(self) -> float:
        return float(self.terms[8])

    def project(self, mm: Floats, terms: Floats | None = None) -> Floats:
        """Return pixels [..., 2] of face coordinates [..., 2]."""
        if terms is None:
            p = self.terms
        else:
            p = terms
        q = (np.asarray(mm, float) - np.array(self.size_mm) / 2) / UNIT_MM
        x, y = q[..., 0], q[..., 1]
        below = p[6] * x + p[7] * y + 1
        u, v = (p[0] * x + p[1] * y + p[2]) / below, (p[3] * x + p[4] * y + p[5]) / below
        bent = (1 + p[8] * (u * u + v * v)) * self.focal_px
        return np.asarray(np.stack([u * bent, v * bent], -1) + self.middle_px, float)

    def start(self, mm: Floats, px: Floats) -> bool:
        """Take the homography through matched points, no distortion; False where there is none."""
        q = (np.asarray(mm, float) - np.array(self.size_mm) / 2) / UNIT_MM
        matrix, _ = cv2.findHomography(
            q, (np.asarray(px, float) - self.middle_px) / self.focal_px, 0
        )
        if matrix is None or not np.isfinite(matrix).all() or abs(matrix[2, 2]) < 1e-12:
            return False
        self.terms = np.array([*(matrix / matrix[2, 2]).ravel()[:8], 0.0])
        return True

    def start_pose(self, mm: Floats, px: Floats) -> bool:
        """Take the pose of a plane seen with the known focal length through matched points:
        steadier than a homography where they lie close together; False where there is none.
        """
        flat = (np.asarray(mm, float) - np.array(self.size_mm) / 2) / UNIT_MM
        points = np.column_stack([flat, np.zeros(len(flat))])
        camera = np.array(
            [
                [self.focal_px, 0, self.middle_px[0]],
                [0, self.focal_px, self.middle_px[1]],
                [0, 0, 1.0],
            ]
        )
        found, turn, shift = cv2.solvePnP(
            points, np.asarray(px, float), camera, None, flags=cv2.SOLVEPNP_IPPE
        )
        if not found:
            return False
        found, turn, shift = cv2.solvePnP(
            points, np.asarray(px, float), camera, None, turn, shift, True, cv2.SOLVEPNP_ITERATIVE
        )
        axes, _ = cv2.Rodrigues(turn)
        matrix = np.column_stack([axes[:, 0], axes[:, 1], shift[:, 0]])
        if not found or abs(matrix[2, 2]) < 1e-12:
            return False
        self.terms = np.array([*(matrix / matrix[2, 2]).ravel()[:8], 0.0])
        return True

    def fit(
        self,
        mm: Floats,
        px: Floats,
        *,
        across: Floats | None = None,
        weights: Floats | None = None,
        bends: bool = True,
        grows: Floats | None = None,
        rounds: int = 12,
        huber_px: float = 0.8,
    ) -> Floats:
        """Refine by damped Gauss-Newton with Huber weights and a weak prior on k1; return the
        residual of each point, px.

        `across` [n, 2] holds unit directions of observations that count along one direction only
        (nan: both count). `grows` [n, 2] says in which direction each point moves when burning
        makes things larger by 1 mm: the growth is fitted with the rest, or the marks' own size
        would pass for distortion.
        """
        mm, px = np.asarray(mm, float), np.asarray(px, float)
        n = len(mm)
        if weights is None:
            weights = np.ones(n)
        else:
            weights = np.asarray(weights, float)
        if across is None:
            one_way = np.zeros(n, bool)
        else:
            one_way = ~np.isnan(across[:, 0])
        if across is not None:
            ways = np.where(one_way[:, None], across, 0.0)
        else:
            ways = np.zeros((n, 2))

        if grows is None:
            ways_grown = np.zeros((n, 2))
        else:
            ways_grown = np.asarray(grows, float)

        def off(terms: Floats) -> Floats:
            e = self.project(mm + terms[9] * ways_grown, terms) - px
            along = (e * ways).sum(1)
            return np.where(one_way[:, None], np.column_stack([along, np.zeros(n)]), e)

        terms = np.append(self.terms, self.growth_mm if grows is not None else 0.0)
        free = [*range(8), *([8] if bends else []), *([9] if grows is not None else [])]
        for _ in range(rounds):
            e = off(terms)
            size = np.linalg.norm(e, axis=1)
            root = np.sqrt(
                weights * np.where(size <= huber_px, 1.0, huber_px / np.maximum(size, 1e-9))
            )[:, None]
            jacobian = np.empty((2 * n, len(free)))
            for column, j in enumerate(free):
                moved = terms.copy()
                moved[j] += 1e-6
                jacobian[:, column] = (((off(moved) - e) / 1e-6) * root).ravel()
            normal, slope = jacobian.T @ jacobian, jacobian.T @ (e * root).ravel()
            for j, prior in ((8, K1_PRIOR), (9, GROWTH_PRIOR_MM)):
                if j in free:
                    at = free.index(j)
                    normal[at, at] += 1 / prior**2
                    slope[at] += terms[j] / prior**2
            try:
                step = np.linalg.solve(normal + 1e-6 * np.diag(np.diag(normal)), -slope)
            except np.linalg.LinAlgError:
                break
            terms[free] += step
            if np.abs(step).max() < 1e-7:
                break
        self.terms = terms[:9]
        if grows is not None:
            self.growth_mm = float(terms[9])
        return np.asarray(np.linalg.norm(off(terms), axis=1), float)

    def px_per_mm(self) -> float:
        """Return the scale in the middle of the coupon."""
        m = np.array(self.size_mm) / 2
        a = self.project(m + np.array([[0.5, 0.0], [-0.5, 0.0], [0.0, 0.5], [0.0, -0.5]]))
        (ux, uy), (vx, vy) = a[0] - a[1], a[2] - a[3]
        return math.sqrt(abs(ux * vy - uy * vx))

    def maps(
        self, box_mm: tuple[float, float, float, float], px_mm: float, *, reduced: float = 1.0
    ) -> NDArray[np.float32]:
        """Return where each pixel of a squared-up picture of a box (left, top, right, foot; face
        mm) comes from, [h, w, 2].

        Reckoned on a coarse lattice and interpolated; `reduced` is by how much the source was
        scaled down.
        """
        left, top, right, foot = box_mm
        w, h = round((right - left) * px_mm), round((foot - top) * px_mm)
        step = LATTICE_PX

        def knots(length: int, start: float) -> Floats:
            return np.asarray(
                (np.arange(length // step + 3) * step + (step - 1) / 2 - step + 0.5) / px_mm
                + start,
                float,
            )

        knots_px = self.project(np.stack(np.meshgrid(knots(w, left), knots(h, top)), -1)).astype(
            np.float32
        )
        knots_px = (knots_px + np.float32(0.5)) / np.float32(reduced) - np.float32(0.5)
        full = cv2.resize(
            knots_px,
            (knots_px.shape[1] * step, knots_px.shape[0] * step),
            interpolation=cv2.INTER_LINEAR,
        )
        return np.ascontiguousarray(full[step : step + h, step : step + w], np.float32)

    def eye_mm(self) -> tuple[float, float, float]:
        """Return where the camera stands over the coupon: x, y and height, face mm."""
        p = self.terms
        matrix = np.array([[p[0], p[1], p[2]], [p[3], p[4], p[5]], [p[6], p[7], 1.0]])
        matrix[:, :2] /= UNIT_MM
        matrix /= (np.linalg.norm(matrix[:, 0]) + np.linalg.norm(matrix[:, 1])) / 2
        axes = np.column_stack([matrix[:, 0], matrix[:, 1], np.cross(matrix[:, 0], matrix[:, 1])])
        u, _, vt = np.linalg.svd(axes)
        at = -(u @ vt).T @ matrix[:, 2]
        return (
            float(at[0] + self.size_mm[0] / 2),
            float(at[1] + self.size_mm[1] / 2),
            float(abs(at[2])),
        )
