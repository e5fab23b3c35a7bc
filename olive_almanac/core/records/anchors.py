"""The nine places of a box that a job, a coupon or a drawing may be laid by."""

from __future__ import annotations

__all__ = ["ANCHORS"]

ANCHORS: dict[str, tuple[float, float]] = {
    f"{low} {left}".replace("middle middle", "centre"): (x, y)
    for low, y in (("lower", 0.0), ("middle", 0.5), ("upper", 1.0))
    for left, x in (("left", 0.0), ("middle", 0.5), ("right", 1.0))
}  # name: share of the width, of the height
