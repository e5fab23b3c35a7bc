"""An offcut from a photo: read it, correct it by hand, keep it in the rack; print its marks."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from olive_almanac.core.records.stock import Sheet
from olive_almanac.steps.files import name_of, read_bytes, write_together

if TYPE_CHECKING:
    from olive_almanac.core.photo.sheet import SheetSight

__all__ = ["read_sheet_photo", "sheet_of", "turned_sight", "write_marks"]

SQUARE_MM = 0.8  # an outline that differs less from the box around it is that box
LEAST_STEP_MM = 0.05  # corners nearer than that are one


def read_sheet_photo(path: Path, thickness_mm: float) -> SheetSight:
    """Return the offcut that a photo shows.  For a worker.  Raises AlmanacError."""
    from olive_almanac.core.photo.sheet import read_sheet
    from olive_almanac.formats.photo import decode_photo

    photo = decode_photo(read_bytes(path), name_of(path))
    return read_sheet(photo.pixels, thickness_mm=thickness_mm, f35=photo.f35)


def turned_sight(sight: SheetSight) -> SheetSight:
    """Return an offcut turned by a quarter to the left."""
    _, high = sight.size_mm
    outline = np.column_stack([high - sight.outline_mm[:, 1], sight.outline_mm[:, 0]])
    used = tuple((high - b[3], b[0], high - b[1], b[2]) for b in sight.used_mm)
    picture = np.ascontiguousarray(np.rot90(sight.picture))
    return replace(sight, outline_mm=outline, used_mm=used, picture=picture)


def sheet_of(outline_mm: Any, used_mm: Sequence[tuple[float, float, float, float]]) -> Sheet:
    """Return a sheet with this outline [n, 2], from the lower left of the box around it; a plain
    one where it is nearly that box.  Raises OutOfRange.
    """
    ring = np.asarray(outline_mm, float)
    low, high = ring.min(axis=0), ring.max(axis=0)
    wide, tall = (float(mm) for mm in np.round(high - low, 1))
    own = ring - low
    x, y = low.tolist()
    used = []
    for a, b, c, d in used_mm:
        box = (max(0.0, a - x), max(0.0, b - y), min(wide, c - x), min(tall, d - y))
        if box[2] - box[0] > LEAST_STEP_MM and box[3] - box[1] > LEAST_STEP_MM:
            used.append(tuple(round(mm, 1) for mm in box))
    corners = np.array([(0, 0), (wide, 0), (wide, tall), (0, tall)])
    square = len(own) == 4 and all(
        np.hypot(*(own - corner).T).min() <= SQUARE_MM for corner in corners
    )
    points = () if square else tuple((float(px), float(py)) for px, py in np.round(own, 2))
    boxes = tuple((a, b, c, d) for a, b, c, d in used)
    return Sheet(wide, tall, boxes, (), points)


def write_marks(path: Path) -> None:
    """Write the page with the four marks as PDF.  Raises CannotWrite."""
    from olive_almanac.formats.marks_pdf import write_sheet_marks

    write_together({path: write_sheet_marks("letter" if "letter" in path.stem else "a4")})
