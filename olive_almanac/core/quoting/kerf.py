"""The beam's path around a part: wider than the drawing by half a kerf, another one along X than
along Y.

kerf X is what a *width* loses (cuts that run along Y), kerf Y what a height loses.
docs/methods.md, section Jobs.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

__all__ = ["Eaten", "beam_paths", "eaten_of"]

Floats = NDArray[np.float64]
QUARTER = 8  # segments of a quarter ellipse: half a micrometre off at a kerf of 0.2 mm
MITRE = 1.5  # sharper corners are cut off: the beam would burn a spike


@dataclass(frozen=True)
class Eaten:
    """What the kerf does to a part: "hole" (it vanishes), "web" (too thin to stay) or "notch"
    (narrower than the kerf); where, and how wide it is.
    """

    kind: str
    at_mm: tuple[float, float]
    width_mm: float


def beam_paths(
    rings: Sequence[Floats], is_hole: Sequence[bool], kerf_mm: tuple[float, float]
) -> list[list[Floats]]:
    """Return for each closed contour [n, 2] the beam's paths, none for a hole that vanishes.

    Outlines grow by half a kerf, holes shrink; their straight corners stay corners.  Points come
    without the first one again.
    """
    import shapely

    if not rings:
        return []
    kx, ky = kerf_mm
    if not kx or not ky:
        return [[ring] for ring in rings]
    scale = np.array([2 / kx, 2 / ky])
    polygons = shapely.polygons([shapely.linearrings(ring * scale) for ring in rings])
    grown = shapely.buffer(
        polygons,
        np.where(is_hole, -1.0, 1.0),
        quad_segs=QUARTER,
        join_style="mitre",
        mitre_limit=MITRE,
    )
    found = []
    for shape in grown.tolist():
        parts = [part for part in getattr(shape, "geoms", [shape]) if not part.is_empty]
        found.append([np.asarray(part.exterior.coords)[:-1] / scale for part in parts])
    return found


def eaten_of(
    outline: Floats, holes: Sequence[Floats], kerf_mm: tuple[float, float]
) -> tuple[Eaten, ...]:
    """Return what the kerf eats of one part: holes that vanish, webs thinner than two kerfs,
    notches narrower than one.
    """
    import shapely

    kx, ky = kerf_mm
    if not kx or not ky:
        return ()
    scale = np.array([2 / kx, 2 / ky])
    part = shapely.Polygon(outline * scale, [hole * scale for hole in holes])
    if not part.is_valid:
        return ()
    found = []
    for hole in holes:
        inside = shapely.Polygon(hole * scale)
        if inside.buffer(-1.0).is_empty:
            x, y = np.array(inside.centroid.coords[0]) / scale
            found.append(Eaten("hole", (float(x), float(y)), float(np.ptp(hole, axis=0).min())))
    style = {"quad_segs": QUARTER, "join_style": "mitre", "mitre_limit": MITRE}
    opened = part.buffer(-2.0, **style).buffer(2.0, **style)
    closed = part.buffer(1.0, **style).buffer(-1.0, **style)
    slack = 0.2  # of half a kerf: what rounding leaves in corners
    for kind, rest in (
        ("web", part.difference(opened.buffer(slack))),
        ("notch", closed.difference(part.buffer(slack))),
    ):
        for piece in getattr(rest, "geoms", [rest]):
            width = 2 * piece.area / piece.length if piece.length else 0.0
            if piece.is_empty or piece.area < 1.0 or not 0 < width < 4.4:
                continue
            if max(np.ptp(np.array(piece.exterior.coords), axis=0)) > 4.0:
                x, y = np.array(piece.representative_point().coords[0]) / scale
                found.append(Eaten(kind, (float(x), float(y)), round(width * max(kx, ky) / 2, 3)))
    return tuple(found)
