"""A photo of the coupon on the desk: read in a worker, kept unchanged, its cells noted beside the
readings by eye.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from olive_almanac.core.records.plain import from_plain, to_plain
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.run import KeptPhoto
from olive_almanac.core.records.trial import Trial
from olive_almanac.steps.active import ActiveTrial
from olive_almanac.steps.ports import Library

if TYPE_CHECKING:
    from olive_almanac.core.photo.judge import Limits, Taught
    from olive_almanac.core.photo.reader import CellSight, PhotoSight
    from olive_almanac.core.photo.rectified import PhoneCurve

__all__ = [
    "PHOTO",
    "PhotoRead",
    "cells_of_side",
    "kept_photo",
    "limits_from",
    "photo_work",
    "pieces_out",
    "shown_again_work",
    "suggestions",
    "taught_by",
]

PHOTO = "photo"  # under this name the photo's readings stand beside those that count
SMALL_PX = 1600  # longer side of the whole picture as it is shown


@dataclass(frozen=True)
class PhotoRead:
    """A photo that was read: of which trial, where it came from, its bytes, which side, the corners
    picked, what was seen, which phone.
    """

    trial_id: str
    source: str
    data: bytes
    side: str
    corners_px: tuple[tuple[float, float], ...]
    seen: PhotoSight
    phone: str
    simulated: bool = False


def shown_again_work(
    store: Library, active: ActiveTrial, sides: Sequence[str]
) -> Iterator[tuple[str, Any]]:
    """Yield each kept photo of a trial squared up again, (side, pixels): nothing is read anew or
    written.  For a worker.
    """
    out = pieces_out(active)
    for side in sides:
        kept = active.run.photos[side]
        data = store.photo(kept.name)
        work = photo_work(active.trial, data, kept.source, side, corners_px=kept.corners, out=out)
        for kind, value in work:
            if kind == "read":
                yield side, value.seen.rectified.codes


def photo_work(
    trial: Trial,
    data: bytes,
    source: str,
    side: str,
    *,
    corners_px: Sequence[tuple[float, float]] = (),
    curves: dict[str, Any] | None = None,
    burnt: frozenset[str] | None = None,
    out: frozenset[str] = frozenset(),
) -> Iterator[tuple[str, Any]]:
    """Yield ("picture", (pixels made small, their scale)), then ("read", PhotoRead): the long work,
    for a worker.

    Raises BadFile or PhotoTrouble with what is wrong and what to do.
    """
    import cv2

    from olive_almanac.core.photo.reader import read_photo
    from olive_almanac.core.photo.rectified import PhoneCurve
    from olive_almanac.formats.photo import decode_photo

    photo = decode_photo(data, source)
    scale = min(1.0, SMALL_PX / max(photo.pixels.shape[:2]))
    yield (
        "picture",
        (cv2.resize(photo.pixels, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA), scale),
    )
    phone = f"{max(photo.size)}x{min(photo.size)}, {photo.f35 or 0:g} mm"
    known = (curves or {}).get(phone)
    curve: PhoneCurve | None = None
    if known:
        curve = PhoneCurve(*known)
    seen = read_photo(
        photo.pixels,
        trial,
        side=side,
        corners_px=corners_px or None,
        f35=photo.f35,
        missing_from=photo.missing_from,
        curve=curve,
        burnt=burnt,
        out=out,
    )
    yield (
        "read",
        PhotoRead(
            trial.id,
            source,
            data,
            side,
            tuple((float(x), float(y)) for x, y in corners_px),
            seen,
            phone,
            photo.simulated,
        ),
    )


def cells_of_side(active: ActiveTrial, side: str) -> tuple[CellSight, ...]:
    """Return what the kept photo of a side showed of each cell, () without one."""
    from olive_almanac.core.photo.reader import CellSight

    kept = active.run.photos.get(side)
    if kept is None:
        return ()
    return tuple(from_plain(CellSight, one, "photo") for one in kept.cells)


def pieces_out(active: ActiveTrial) -> frozenset[str]:
    """Return the cells whose pieces are out, by the front's photo or by eye."""
    seen = {cell.cell for cell in cells_of_side(active, "front") if cell.out and not cell.flags}
    by_eye = {cell for cell, reading in active.readings.items() if reading.by == "eye"}
    return frozenset(
        {*(seen - by_eye), *(cell for cell in by_eye if active.readings[cell].verdict == "free")}
    )


def suggestions(active: ActiveTrial, limits: Limits) -> tuple[Reading, ...]:
    """Return a reading by photo for each cell that the kept photos show."""
    from olive_almanac.core.photo.judge import joined_sides, suggest

    front, back = cells_of_side(active, "front"), cells_of_side(active, "back")
    if not front:
        return ()
    return suggest(
        joined_sides(front, back) if back else front,
        active.trial.task,
        limits,
        back_seen=bool(back),
    )


def kept_photo(name: str, read: PhotoRead, at: str) -> KeptPhoto:
    """Return what is kept of a photo in the run."""
    cells = tuple(to_plain(one) for one in read.seen.cells)
    return KeptPhoto(
        name, read.source, at, tuple(read.corners_px), tuple(read.seen.says), cells, read.simulated
    )


def taught_by(active: ActiveTrial) -> list[Taught]:
    """Return the cells of a desk that were read by eye and measured by photo: what the eye teaches
    the photo.
    """
    from olive_almanac.core.photo.judge import Taught

    seen = {cell.cell: cell for cell in cells_of_side(active, "front")}
    return [
        Taught(reading, seen[cell].delta_l, seen[cell].near_l)
        for cell, reading in active.readings.items()
        if reading.by == "eye" and cell in seen and not seen[cell].flags
    ]


def limits_from(taught: Sequence[Taught]) -> Limits:
    """Return the limits that these cells teach."""
    from olive_almanac.core.photo.judge import learned_limits

    return learned_limits(taught)
