"""The nine places of a box that a job, a coupon or a drawing may be laid by."""

from __future__ import annotations

from olive_almanac.core.words import tr

__all__ = ["ANCHORS", "ANCHOR_WORDS"]

ANCHORS: dict[str, tuple[float, float]] = {
    f"{low} {left}".replace("middle middle", "centre"): (x, y)
    for low, y in (("lower", 0.0), ("middle", 0.5), ("upper", 1.0))
    for left, x in (("left", 0.0), ("middle", 0.5), ("right", 1.0))
}  # name: share of the width, of the height
ANCHOR_WORDS: dict[str, str] = {
    "lower left": tr("lower left"),
    "lower middle": tr("lower middle"),
    "lower right": tr("lower right"),
    "middle left": tr("middle left"),
    "centre": tr("centre"),
    "middle right": tr("middle right"),
    "upper left": tr("upper left"),
    "upper middle": tr("upper middle"),
    "upper right": tr("upper right"),
}
