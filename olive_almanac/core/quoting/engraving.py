"""Which filled areas are engraved together: every line of a raster costs a run-up at both its ends,
so areas that lie near each other along the lines take less time in one go.

Letters of a word and the dots of a panel are the usual case.  docs/methods.md, section Jobs.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import Setting

__all__ = ["engraved_together", "lines_seconds"]

Floats = NDArray[np.float64]
LOOKS = (0.05, 0.2, 0.5, 1.0)  # how far is looked for others, of the gap that a run-up is worth
GAIN_S = 1e-9
ASKED_AT_ONCE = 500  # boxes


def lines_seconds(
    width_mm: ArrayLike, height_mm: ArrayLike, setting: Setting, machine: Machine
) -> Floats:
    """Return about how long the lines of rasters take, s: each its width at speed and two run-ups;
    widths along the lines and heights across them of one shape.
    """
    speed, run_ups_s = setting.speed_mm_s, 2 * setting.speed_mm_s / machine.acceleration_mm_s2
    lines = np.asarray(height_mm) / setting.pitch_mm + 1
    return np.asarray(lines * (np.asarray(width_mm) / speed + run_ups_s))


def engraved_together(
    areas: Sequence[Floats], setting: Setting, machine: Machine
) -> list[list[Floats]]:
    """Return areas [n, 2] mm (along the lines, across them) in the groups that are engraved in one
    go: always those whose boxes meet, for an area in an area is a hole, and then what saves time.
    """
    if not areas:
        return []
    boxes = np.array([[*area.min(0), *area.max(0)] for area in areas])
    groups = _meeting(boxes)
    boxes = np.array([_around(boxes[group]) for group in groups])

    def seconds(boxes: Floats) -> Floats:
        width, height = boxes[:, 2] - boxes[:, 0], boxes[:, 3] - boxes[:, 1]
        return lines_seconds(width, height, setting, machine)

    worth_mm = 2 * setting.speed_mm_s**2 / machine.acceleration_mm_s2  # a line less to run up for
    for look in LOOKS:
        while joined := _pairs_that_gain(boxes, look * worth_mm, seconds):
            gone = {n for pair in joined for n in pair}
            rest = [n for n in range(len(groups)) if n not in gone]
            boxes = np.array([*boxes[rest], *(_around(boxes[list(pair)]) for pair in joined)])
            groups = [*(groups[n] for n in rest), *(groups[i] + groups[j] for i, j in joined)]
    return [[areas[n] for n in sorted(group)] for group in sorted(groups, key=min)]


def _around(boxes: Floats) -> Floats:
    return np.concatenate([boxes[:, :2].min(0), boxes[:, 2:].max(0)])


def _meeting(boxes: Floats) -> list[list[int]]:
    """The numbers of boxes that meet, also by way of others.  Thousands may lie on one place: some
    are asked at a time whom they meet, until all that were not asked are of one group.
    """
    import shapely
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    count = len(boxes)
    shapes = shapely.box(*boxes.T)
    tree = shapely.STRtree(shapes)
    label = np.arange(count)
    waiting = np.ones(count, bool)
    while True:
        largest = np.bincount(label[waiting]).argmax()
        asked = np.flatnonzero(waiting & (label != largest))[:ASKED_AT_ONCE]
        if not len(asked):
            break
        waiting[asked] = False
        one, other = tree.query(shapes[asked])
        ends = (label[asked[one]], label[other])
        graph = coo_array((np.ones(len(one), bool), ends), shape=(count, count))
        label = connected_components(graph, directed=False)[1][label]
    by_label = np.argsort(label, kind="stable")
    ends_of_groups = np.cumsum(np.bincount(label))[:-1]
    return [group.tolist() for group in np.split(by_label, ends_of_groups)]


def _near(boxes: Floats, gap_mm: float) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Pairs of boxes that share lines and are no further apart along them."""
    import shapely

    grown = boxes + np.array([-gap_mm / 2, 0.0, gap_mm / 2, 0.0])
    shapes = shapely.box(*grown.T)
    one, other = shapely.STRtree(shapes).query(shapes)
    once = one < other
    return one[once], other[once]


def _pairs_that_gain(boxes: Floats, gap_mm: float, seconds: Any) -> list[tuple[int, int]]:
    """Pairs that take less time together, the most first; each box is in one pair at most."""
    i, j = _near(boxes, gap_mm)
    both = np.column_stack(
        [np.minimum(boxes[i, :2], boxes[j, :2]), np.maximum(boxes[i, 2:], boxes[j, 2:])]
    )
    alone = seconds(boxes)
    gain = alone[i] + alone[j] - seconds(both)
    pairs: list[tuple[int, int]] = []
    taken: set[int] = set()
    for n in np.argsort(-gain, kind="stable"):
        if gain[n] <= GAIN_S:
            break
        pair = int(i[n]), int(j[n])
        if taken.isdisjoint(pair):
            taken.update(pair)
            pairs.append(pair)
    return pairs
