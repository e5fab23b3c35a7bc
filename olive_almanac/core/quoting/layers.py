"""Layers that are glued on each other: each is scored with a guide that the next one hides.

The guide is the outline of the next layer, so far inside it that it stays hidden however the layer
is placed.  docs/methods.md, section Jobs.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from olive_almanac.core.quoting.contours import face_of
from olive_almanac.core.quoting.paths import flat
from olive_almanac.core.records.drawing import ContourPath, Drawing, Polyline
from olive_almanac.core.records.job import GUIDES, GroupTask
from olive_almanac.core.records.stack import Stack

__all__ = ["LayerOf", "guide_inset", "layer_name", "layered", "layers_of"]

HIDDEN_Z = 2.326  # of placing errors: 99 in 100 guides stay hidden
CUT_SD_MM = 0.03  # of a cut edge (common practice, no source)
FLAT_MM = 0.02
CROSS_MM = 3.0  # from the middle of a cross to its ends
LEAST_LINE_MM = 2.0  # of a guide: shorter ends are left out


@dataclass(frozen=True)
class LayerOf:
    """One layer: its name, what is burnt of it, and on which layer it is glued ("": the base)."""

    name: str
    drawing: Drawing
    on: str = ""


def layer_name(group: str) -> str:
    """Return the layer of a group: what stands before its colour, or its colour alone."""
    layer, _, _ = group.rpartition(" / ")
    return layer or group


def layers_of(groups: Sequence[str], stack: Stack) -> tuple[str, ...]:
    """Return the layers of a drawing from the base up."""
    names = tuple(dict.fromkeys(layer_name(group) for group in groups))
    return names if stack.base_first else names[::-1]


def guide_inset(
    line_mm: float, place_sd_mm: float, *, kerf_mm: float = 0.0, cut_sd_mm: float = CUT_SD_MM
) -> float:
    """Return how far inside a layer's drawn outline its guide is scored, mm, so that 99 in 100 stay
    hidden: half the scored line, half the kerf that was not taken off, and the errors of placing
    and of the cut.
    """
    spread = math.hypot(place_sd_mm, cut_sd_mm)
    return line_mm / 2 + kerf_mm / 2 + HIDDEN_Z * spread


def layered(
    drawing: Drawing, tasks: Sequence[GroupTask], stack: Stack, *, line_mm: float
) -> Iterator[LayerOf]:
    """Yield the layers from the base up, each with the guides of the next one as paths of the group
    GUIDES; a layer of which nothing is burnt is left out.
    """
    burnt = {one.group: one for one in tasks if one.burns}
    names = layers_of([group for group in drawing.groups if group in burnt], stack)
    mine = [[path for path in drawing.paths if layer_name(path.group) == name] for name in names]
    areas = [_area(paths, burnt) for paths in mine]
    for n, name in enumerate(names):
        paths = list(mine[n])
        if n + 1 < len(names) and GUIDES in burnt:
            cut = next((burnt[p.group] for p in mine[n + 1] if _cuts(p, burnt)), None)
            kerf = line_mm if cut is None or cut.kerf_mm is None else 0.0
            inset = guide_inset(line_mm, stack.place_mm, kerf_mm=kerf)
            paths += _guides(areas[n], areas[n + 1], inset)
        pictures = tuple(one for one in drawing.pictures if layer_name(one.group) == name)
        own = replace(drawing, paths=tuple(paths), pictures=pictures)
        yield LayerOf(name, own, names[n - 1] if n else "")


def _cuts(path: ContourPath, burnt: dict[str, GroupTask]) -> bool:
    return path.group in burnt and burnt[path.group].task == "cut" and path.closed


def _area(paths: Sequence[ContourPath], burnt: dict[str, GroupTask]) -> Any:
    """What is left of the stock of a layer: the area within its cuts, holes taken out."""
    import shapely

    area = shapely.Polygon()
    for path in paths:
        if _cuts(path, burnt):
            area = area.symmetric_difference(face_of(flat(path, FLAT_MM)))
    return area


def _guides(base: Any, upper: Any, inset_mm: float) -> list[ContourPath]:
    """The lines of a guide: as far as the base reaches, a cross where a part is too small for
    one.
    """
    import shapely

    lines = []
    for part in getattr(upper, "geoms", [upper]):
        if part.is_empty:
            continue
        inner = part.buffer(-inset_mm)
        if inner.is_empty:
            lines += _cross(part.representative_point())
            continue
        for piece in getattr(inner, "geoms", [inner]):
            lines.append(piece.exterior)
    found = []
    for line in lines:
        here = shapely.line_merge(line.intersection(base.buffer(-inset_mm / 2)))
        for one in getattr(here, "geoms", [here]):
            if one.geom_type == "LineString" and one.length >= LEAST_LINE_MM:
                found.append(_path(shapely.get_coordinates(one)))
    return found


def _cross(at: Any) -> list[Any]:
    import shapely

    x, y, r = at.x, at.y, CROSS_MM
    ends = (((x - r, y), (x + r, y)), ((x, y - r), (x, y + r)))
    return [shapely.LineString(pair) for pair in ends]


def _path(points: Any) -> ContourPath:
    line = Polyline(tuple(map(tuple, np.round(points, 4).tolist())))
    return ContourPath(GUIDES, (line,), closed=False)  # a line, whatever it is burnt by
