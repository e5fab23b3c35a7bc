"""Places that are photographed each by itself: parts of a trial that carry four marks of their own.

A photo of a whole bed has no even light and few pixels for a mark; one of each place has both.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from olive_almanac.core.placing.fiducials import FIDUCIAL_INSET_MM, SETS, fiducials_of
from olive_almanac.core.records.trial import CouponSize, Fiducial, Place, Trial
from olive_almanac.core.words import tr

__all__ = [
    "MOST_LOST",
    "marks_at",
    "part_seen",
    "parts_seen",
    "place_words",
    "side_of",
    "side_words",
]

MARKS = 4  # of a place
MOST_LOST = 1 / 3  # of a place's cells, beyond which its photo does not count
ASIDE = 1 / 3  # of the half width or height, from which a place is not in the middle any more
PLACES = {  # by thirds across and up
    (-1, -1): tr("front left"),
    (0, -1): tr("in front"),
    (1, -1): tr("front right"),
    (-1, 0): tr("at the left"),
    (0, 0): tr("in the middle"),
    (1, 0): tr("at the right"),
    (-1, 1): tr("rear left"),
    (0, 1): tr("at the rear"),
    (1, 1): tr("rear right"),
}
Box = tuple[float, float, float, float]


def marks_at(boxes: Sequence[Box], marks_set: int) -> tuple[Fiducial, ...]:
    """Return four marks in the corners of each box (left, low, width, height; coupon mm), each box
    with a set of its own from `marks_set` on.
    """
    found: list[Fiducial] = []
    for n, (left, low, width, height) in enumerate(boxes):
        for mark in fiducials_of(CouponSize(width, height), (marks_set + n) % SETS):
            x, y = mark.centre_mm
            found.append(replace(mark, centre_mm=(round(left + x, 3), round(low + y, 3))))
    return tuple(found)


def parts_seen(trial: Trial) -> dict[str, Trial]:
    """Return by its name ("place-1" ...) each part of a trial that is photographed by itself, as a
    trial whose coupon is that part alone; none where the whole coupon is photographed at once.
    """
    if len(trial.fiducials) <= MARKS:
        return {}
    parts = {}
    for n in range(len(trial.fiducials) // MARKS):
        part = _part(trial, trial.fiducials[MARKS * n : MARKS * (n + 1)])
        if part is not None:
            parts[f"place-{n + 1}"] = part
    return parts


def part_seen(trial: Trial, side: str) -> Trial:
    """Return what a photo of a side shows: the part of that name, else the trial as it is."""
    return parts_seen(trial).get(side, trial)


def side_of(trial: Trial, cell_id: str) -> str:
    """Return the side on which a cell is photographed: "front", or the part that it belongs to."""
    for side, part in parts_seen(trial).items():
        if any(cell.id == cell_id for cell in part.cells):
            return side
    return "front"


def place_words(across: float, up: float) -> str:
    """Return a place, -1 to 1 across and up, in words: "front left", "in the middle"."""
    return PLACES[_third(across), _third(up)]


def _third(share: float) -> int:
    return (share > ASIDE) - (share < -ASIDE)


def side_words(trial: Trial, side: str) -> str:
    """Return what a photo shows, in words: the front, the back, or where a place lies."""
    part = parts_seen(trial).get(side)
    if part is None:
        return tr("back") if side == "back" else tr("front")
    whole, mine = trial.area_mm, part.area_mm
    across, up = (
        (mine[at] + mine[at + 2] - whole[at] - whole[at + 2]) / (whole[at + 2] - whole[at])
        for at in (0, 1)
    )
    return place_words(across, up)


def _part(trial: Trial, marks: Sequence[Fiducial]) -> Trial | None:
    """What lies between four marks, as a trial; None where no cell does."""
    around = marks[0].size_mm / 2 + FIDUCIAL_INSET_MM
    left, low = (min(mark.centre_mm[at] for mark in marks) - around for at in (0, 1))
    right, high = (max(mark.centre_mm[at] for mark in marks) + around for at in (0, 1))

    def moved(x: float, y: float) -> tuple[float, float]:
        return (round(x - left, 3), round(y - low, 3))

    cells = tuple(
        replace(cell, rect_mm=(*moved(x, y), w, h))
        for cell in trial.cells
        for x, y, w, h in (cell.rect_mm,)
        if left <= x and x + w <= right and low <= y and y + h <= high
    )
    if not cells:
        return None
    labels = tuple(
        replace(one, at_mm=moved(*one.at_mm))
        for one in trial.labels
        if left <= one.at_mm[0] <= right and low <= one.at_mm[1] <= high
    )
    place = trial.on_sheet or Place(0.0, 0.0)
    return replace(
        trial,
        coupon=CouponSize(round(right - left, 3), round(high - low, 3)),
        cells=cells,
        fiducials=tuple(replace(mark, centre_mm=moved(*mark.centre_mm)) for mark in marks),
        labels=labels,
        on_sheet=Place(round(place.x_mm + left, 3), round(place.y_mm + low, 3)),
    )
