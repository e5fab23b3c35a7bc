"""The four square marks in the coupon's corners, by which a photo is found, squared up and told
apart.

ArUco marks of the published dictionary 4x4_50: its 50 ids give 12 sets of four, and the set names
the coupon.
"""

from __future__ import annotations

import functools

from olive_almanac.core.placing.strokes import Rows, rows_of_boxes
from olive_almanac.core.records.trial import CouponSize, Fiducial

__all__ = [
    "CARD_IDS",
    "FIDUCIAL_INSET_MM",
    "FIDUCIAL_PITCH_MM",
    "SETS",
    "burnt_boxes",
    "coupon_set",
    "fiducial_rows",
    "fiducials_of",
    "modules_of",
    "zone_of",
]

DICTIONARY = "aruco-4x4-50"
SETS = 12
CARD_IDS = (48, 49)  # the two ids that no set uses: they mark a grey card
MODULES = 6  # four of code and one of frame at each side
FIDUCIAL_INSET_MM = 2.5  # bare stock between the mark and the coupon's edge
FIDUCIAL_PITCH_MM = 0.2
LARGE_FROM_MM = 140.0  # coupons this wide get the larger marks: the camera stands farther off


def _size_of(width_mm: float) -> float:
    if width_mm >= LARGE_FROM_MM:
        return 8.0
    return 6.0


def zone_of(width_mm: float) -> float:
    """Return the side of the corner that a mark takes with the bare stock around it, mm."""
    return _size_of(width_mm) + 2 * FIDUCIAL_INSET_MM


def coupon_set(number: int) -> int:
    """Return the set of marks, 0 to 11, of the coupon with this running number."""
    return number % SETS


def fiducials_of(coupon: CouponSize, marks_set: int) -> tuple[Fiducial, ...]:
    """Return the marks: lower left, lower right, upper right, upper left, ids 4s to 4s + 3 of set
    s.
    """
    size = _size_of(coupon.width_mm)
    near, w, h = FIDUCIAL_INSET_MM + size / 2, coupon.width_mm, coupon.height_mm
    centres = ((near, near), (w - near, near), (w - near, h - near), (near, h - near))
    return tuple(
        Fiducial(DICTIONARY, 4 * marks_set + i, (round(x, 3), round(y, 3)), size)
        for i, (x, y) in enumerate(centres)
    )


@functools.lru_cache(maxsize=64)
def modules_of(mark_id: int) -> tuple[tuple[bool, ...], ...]:
    """Return the squares of a mark from its upper row down, True where they are burnt."""
    import cv2  # heavy: only when marks are drawn

    dictionary = cv2.aruco.getPredefinedDictionary(cv2.aruco.DICT_4X4_50)
    image = cv2.aruco.generateImageMarker(dictionary, mark_id, MODULES, borderBits=1)
    return tuple(tuple(bool(value == 0) for value in row) for row in image)


def burnt_boxes(mark: Fiducial) -> list[tuple[float, float, float, float]]:
    """Return the burnt squares of a mark as left, low, right, high in coupon mm, runs within a row
    joined.
    """
    step = mark.size_mm / MODULES
    left, top = mark.centre_mm[0] - mark.size_mm / 2, mark.centre_mm[1] + mark.size_mm / 2
    boxes = []
    for r, row in enumerate(modules_of(mark.id)):
        c = 0
        while c < MODULES:
            if row[c]:
                first = c
                while c < MODULES and row[c]:
                    c += 1
                boxes.append(
                    (left + first * step, top - (r + 1) * step, left + c * step, top - r * step)
                )
            else:
                c += 1
    return boxes


@functools.lru_cache(maxsize=256)
def fiducial_rows(mark: Fiducial) -> Rows:
    """Return the raster rows of a mark; lines lie in the middle of their pitch so that no square
    grows.
    """
    half = FIDUCIAL_PITCH_MM / 2
    low, high = (
        mark.centre_mm[1] - mark.size_mm / 2 + half,
        mark.centre_mm[1] + mark.size_mm / 2 - half,
    )
    return rows_of_boxes(burnt_boxes(mark), low=low, high=high, pitch_mm=FIDUCIAL_PITCH_MM)
