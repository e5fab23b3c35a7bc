"""A photo of the coupon on the desk: read in a worker, kept unchanged, its cells noted beside the
readings by eye.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from olive_almanac.core.design.kinds.kind import kind_of
from olive_almanac.core.photo.together import seen_together, tones_apart
from olive_almanac.core.placing.places import MOST_LOST, parts_seen, side_words
from olive_almanac.core.records.reading import CARD_FLAGS, Reading
from olive_almanac.core.records.run import KeptPhoto, photos_of, side_shown
from olive_almanac.core.records.setting import rasters
from olive_almanac.core.records.sight import CellSight
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.units import count_text, number_text
from olive_almanac.core.words import tr
from olive_almanac.steps.active import ActiveTrial
from olive_almanac.steps.ports import Library

if TYPE_CHECKING:
    from olive_almanac.core.photo.judge import Limits, Taught
    from olive_almanac.core.photo.reader import PhotoSight
    from olive_almanac.core.photo.rectified import PhoneCurve

__all__ = [
    "PHOTO",
    "PhotoRead",
    "asks_for_tones",
    "cells_in_front",
    "cells_of_side",
    "kept_photo",
    "limits_from",
    "photo_work",
    "pieces_out",
    "places_left",
    "places_told",
    "shown_again_work",
    "suggested_by",
    "suggestions",
    "taught_by",
    "together_told",
]

PHOTO = "photo"  # under this name the photo's readings stand beside those that count
NOTHING_BURNT = tr("Nothing was burnt at this place, so there is nothing to read.")
MOST_STRUCK = 0.15  # of the cells, from which a second photo is advised
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
        kept, shown = active.run.photos[side], side_shown(side)
        data = store.photo(kept.name)
        work = photo_work(active.trial, data, kept.source, shown, corners_px=kept.corners, out=out)
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
    """Yield ("picture", (pixels made small, their scale)), then ("read", PhotoRead): for a worker.

    Where the places of a trial are photographed by themselves, one for each place in the picture.
    Raises BadFile or PhotoTrouble with what is wrong and what to do.
    """
    import cv2

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
    more = {"f35": photo.f35, "missing_from": photo.missing_from, "curve": curve, "burnt": burnt}
    corners = tuple((float(x), float(y)) for x, y in corners_px)
    for one, seen in _sides_read(photo.pixels, trial, side, corners, {**more, "out": out}):
        yield (
            "read",
            PhotoRead(trial.id, source, data, one, corners, seen, phone, photo.simulated),
        )


def _sides_read(
    pixels: Any,
    trial: Trial,
    side: str,
    corners: tuple[tuple[float, float], ...],
    more: dict[str, Any],
) -> Iterator[tuple[str, PhotoSight]]:
    """Read a picture of a side, or each place in it that can be read; raises PhotoTrouble."""
    from olive_almanac.core.photo.locate import PhotoTrouble, parts_in
    from olive_almanac.core.photo.reader import RELATIVE, read_photo

    parts = parts_seen(trial)
    if not parts:
        yield side, read_photo(pixels, trial, side=side, corners_px=corners or None, **more)
        return
    names: tuple[str, ...] = (side,)
    if side not in parts:
        names = parts_in(pixels, trial)
    trouble: PhotoTrouble | None = None
    read = 0
    for name in names:
        part, burnt = parts[name], more["burnt"]
        try:
            if burnt is not None and not burnt & {cell.id for cell in part.cells}:
                raise PhotoTrouble("not_burnt", NOTHING_BURNT)
            seen = read_photo(pixels, part, corners_px=corners or None, **more)
        except PhotoTrouble as problem:
            trouble = problem
            continue
        read += 1
        # one place is held against another: what the bare stock's own lightness is does not matter
        yield name, replace(seen, says=tuple(word for word in seen.says if word != RELATIVE))
    if trouble is not None and not read:
        raise trouble


def _sights_of(active: ActiveTrial, side: str) -> list[tuple[CellSight, ...]]:
    photos = active.run.photos
    return [photos[name].cells for name in photos_of(photos, side)]


def cells_of_side(active: ActiveTrial, side: str) -> tuple[CellSight, ...]:
    """Return what the kept photos of a side show of each cell together, () without one."""
    sights = _sights_of(active, side)
    return seen_together(sights) if sights else ()


def together_told(active: ActiveTrial, side: str) -> str:
    """Return what further photos of a side add to the first, or what a second might add; empty
    where there is nothing to say.
    """
    sights = _sights_of(active, side)
    if len(sights) < 2:
        return _second_may_help(active, sights[0]) if sights else ""
    clear = [sum(not cell.flags for cell in one) for one in (seen_together(sights), sights[0])]
    told = tr(
        "{photos} together judge {both} of {cells}, the first alone {first}.",
        photos=count_text(len(sights), "photo"),
        both=clear[0],
        cells=count_text(len(sights[0]), "cell"),
        first=clear[1],
    )
    apart = tones_apart(sights)
    if apart is None:
        return told
    tones = tr("Their tones differ by {apart} L* in the mean.", apart=number_text(apart, 2))
    return f"{told} {tones}"


def _second_may_help(active: ActiveTrial, cells: Sequence[CellSight]) -> str:
    """What a second photo might do for the cells that are not read yet."""
    unread = [cell for cell in cells if cell.cell not in active.readings]
    struck = sum(bool(set(cell.flags) - CARD_FLAGS) for cell in unread)
    if struck < MOST_STRUCK * len(cells):
        return ""
    return tr(
        "{struck} of {cells} are struck out: a second photo from another angle may judge them.",
        struck=struck,
        cells=count_text(len(cells), "cell"),
    )


def cells_in_front(active: ActiveTrial) -> tuple[CellSight, ...]:
    """Return what the kept photos of the front showed of each cell, of all places that were
    photographed by themselves.
    """
    parts = parts_seen(active.trial)
    return tuple(cell for side in parts or ("front",) for cell in cells_of_side(active, side))


def places_left(active: ActiveTrial) -> tuple[str, ...]:
    """Return the burnt places, in words, of which no photo is kept yet; () where a photo shows the
    whole coupon.
    """
    return tuple(
        side_words(active.trial, side)
        for side, part in parts_seen(active.trial).items()
        if side not in active.run.photos and any(cell.id in active.burnt for cell in part.cells)
    )


def places_told(active: ActiveTrial) -> tuple[str, ...]:
    """Return what is to be said of the photos of places: which are still to come, and which to take
    once more since few of their cells could be judged.
    """
    parts, photos = parts_seen(active.trial), active.run.photos
    if not parts:
        return ()
    told = []
    left = places_left(active)
    if left:
        told.append(tr("Photograph each place by itself; to come: {left}.", left=", ".join(left)))
    again = []
    for side in (one for one in parts if one in photos):
        cells = cells_of_side(active, side)
        if sum(bool(cell.flags) for cell in cells) > MOST_LOST * len(cells):
            again.append(side_words(active.trial, side))
    if again:
        told.append(tr("Once more, lit evenly from the side: {again}.", again=", ".join(again)))
    return tuple(told)


def pieces_out(active: ActiveTrial) -> frozenset[str]:
    """Return the cells whose pieces are out, by the front's photo or by eye."""
    seen = {cell.cell for cell in cells_in_front(active) if cell.out and not cell.flags}
    by_eye = {cell for cell, reading in active.readings.items() if reading.by == "eye"}
    return frozenset(
        {*(seen - by_eye), *(cell for cell in by_eye if active.readings[cell].verdict == "free")}
    )


def suggestions(active: ActiveTrial, limits: Limits) -> tuple[Reading, ...]:
    """Return a reading by photo for each cell that the kept photos show."""
    front, back = cells_in_front(active), cells_of_side(active, "back")
    return suggested_by(active.trial, front, back, limits) if front else ()


def suggested_by(
    trial: Trial, front: Sequence[CellSight], back: Sequence[CellSight], limits: Limits
) -> tuple[Reading, ...]:
    """Return a reading by photo for each cell of the front, with what the back tells of it where
    that was seen; without a verdict where the trial asks for tones.
    """
    from olive_almanac.core.photo.judge import joined_sides, suggest

    cells = joined_sides(front, back) if back else front
    found = suggest(cells, trial.task, limits, back_seen=bool(back))
    if asks_for_tones(trial):
        return tuple(replace(one, verdict=None) for one in found)
    return found


def asks_for_tones(trial: Trial) -> bool:
    """Return whether the L* of each patch is what a trial asks for: no verdict tells as much."""
    return kind_of(trial.kind).asks == "bed" and rasters(trial.task)


def kept_photo(name: str, read: PhotoRead, at: str) -> KeptPhoto:
    """Return what is kept of a photo in the run."""
    seen = read.seen
    return KeptPhoto(
        name, read.source, at, read.corners_px, tuple(seen.says), seen.cells, read.simulated
    )


def taught_by(active: ActiveTrial) -> list[Taught]:
    """Return the cells of a desk that were read by eye and measured by photo: what the eye teaches
    the photo.
    """
    from olive_almanac.core.photo.judge import Taught

    seen = {cell.cell: cell for cell in cells_in_front(active)}
    return [
        Taught(reading, seen[cell].delta_l, seen[cell].near_l)
        for cell, reading in active.readings.items()
        if reading.by == "eye" and cell in seen and not seen[cell].flags
    ]


def limits_from(taught: Sequence[Taught]) -> Limits:
    """Return the limits that these cells teach."""
    from olive_almanac.core.photo.judge import learned_limits

    return learned_limits(taught)
