"""Does the frame fit: a drawing placed by one of nine origins, inside the bed and the stock, clear
of clamps.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.anchors import ANCHORS
from olive_almanac.core.words import tr

__all__ = ["Frame", "FrameCheck", "check_frame", "place_frame"]

Box = tuple[float, float, float, float]  # left, low, right, high, mm


@dataclass(frozen=True)
class Frame:
    """Where a drawing lies on the bed, mm."""

    left_mm: float
    low_mm: float
    width_mm: float
    height_mm: float

    @property
    def box(self) -> Box:
        """Left, low, right and high, mm of the bed."""
        return (
            self.left_mm,
            self.low_mm,
            self.left_mm + self.width_mm,
            self.low_mm + self.height_mm,
        )


@dataclass(frozen=True)
class FrameCheck:
    """Whether it fits, what is in the way in words, and by how much to move it (X, Y) so that it
    does, if a move helps.
    """

    fits: bool
    problems: tuple[str, ...]
    move_mm: tuple[float, float] | None


def place_frame(
    width_mm: float, height_mm: float, *, origin: str, at_mm: tuple[float, float]
) -> Frame:
    """Return the frame of a drawing whose `origin` (a key of ANCHORS) lies at a point of
    the bed.
    """
    if origin not in ANCHORS:
        raise OutOfRange(tr("Origin"), f"“{origin}”", tr("one of ") + ", ".join(ANCHORS))
    for name, value in (
        (tr("Width of the drawing"), width_mm),
        (tr("Height of the drawing"), height_mm),
    ):
        if not 0 < value < 1e5:
            raise OutOfRange(name, value, tr("above 0"), "mm")
    x, y = ANCHORS[origin]
    return Frame(at_mm[0] - x * width_mm, at_mm[1] - y * height_mm, width_mm, height_mm)


def check_frame(
    frame: Frame,
    *,
    bed_mm: tuple[float, float],
    stock_mm: Box | None = None,
    clamps_mm: Sequence[Box] = (),
    clearance_mm: float = 0.0,
) -> FrameCheck:
    """Say whether a frame lies inside bed and stock and `clearance_mm` away from each clamp, and
    what to move if not.
    """
    problems = _outside(frame, (0.0, 0.0, *bed_mm), tr("the bed"))
    if stock_mm is not None:
        problems += _outside(frame, stock_mm, tr("the stock"))
    problems += [
        tr("a clamp at {c:g}, {c2:g} mm is in the way", c=c[0], c2=c[1])
        for c in clamps_mm
        if _meets(frame.box, _grown(c, clearance_mm))
    ]
    if not problems:
        return FrameCheck(True, (), (0.0, 0.0))
    return FrameCheck(
        False,
        tuple(problems),
        _shortest_move(frame, bed_mm, stock_mm, [_grown(c, clearance_mm) for c in clamps_mm]),
    )


def _outside(frame: Frame, room: Box, name: str) -> list[str]:
    left, low, right, high = frame.box
    over = (
        (room[0] - left, "left"),
        (right - room[2], "right"),
        (room[1] - low, tr("lower edge")),
        (high - room[3], tr("upper edge")),
    )
    return [
        tr("{mm:.1f} mm over the {side} of {name}", mm=mm, side=side, name=name)
        if "edge" in side
        else tr("{mm:.1f} mm over the {side} side of {name}", mm=mm, side=side, name=name)
        for mm, side in over
        if mm > 1e-6
    ]


def _meets(a: Box, b: Box) -> bool:
    return a[0] < b[2] and b[0] < a[2] and a[1] < b[3] and b[1] < a[3]


def _grown(box: Box, by: float) -> Box:
    return (box[0] - by, box[1] - by, box[2] + by, box[3] + by)


def _shortest_move(
    frame: Frame, bed_mm: tuple[float, float], stock_mm: Box | None, clamps: Sequence[Box]
) -> tuple[float, float] | None:
    """The shortest move to a free place; candidates are the edges of the room and of each clamp."""
    if stock_mm is None:
        room = (0.0, 0.0, *bed_mm)
    else:
        room = (
            max(0.0, stock_mm[0]),
            max(0.0, stock_mm[1]),
            min(bed_mm[0], stock_mm[2]),
            min(bed_mm[1], stock_mm[3]),
        )
    w, h = frame.width_mm, frame.height_mm
    most_x, most_y = room[2] - w, room[3] - h
    if most_x < room[0] - 1e-9 or most_y < room[1] - 1e-9:
        return None
    xs = {room[0], most_x, frame.left_mm, *(c[2] for c in clamps), *(c[0] - w for c in clamps)}
    ys = {room[1], most_y, frame.low_mm, *(c[3] for c in clamps), *(c[1] - h for c in clamps)}
    free = [
        (x, y)
        for x in xs
        for y in ys
        if room[0] - 1e-9 <= x <= most_x + 1e-9
        and room[1] - 1e-9 <= y <= most_y + 1e-9
        and not any(_meets((x, y, x + w, y + h), c) for c in clamps)
    ]
    if not free:
        return None
    x, y = min(free, key=lambda p: (p[0] - frame.left_mm) ** 2 + (p[1] - frame.low_mm) ** 2)
    return (x - frame.left_mm, y - frame.low_mm)
