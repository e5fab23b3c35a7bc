"""Lines of many points in a DXF drawing: the library takes and writes them one point after the
other, in three times the time.
"""

from __future__ import annotations

from collections.abc import Iterator

import ezdxf
import numpy as np
from ezdxf.document import Drawing
from ezdxf.entities.lwpolyline import LWPolylinePoints
from ezdxf.layouts.base import BaseLayout
from ezdxf.lldxf.types import DXFTag
from numpy.typing import ArrayLike

__all__ = ["add_line", "new_document"]


def new_document() -> Drawing:
    """Return an empty drawing in mm."""
    return ezdxf.new("R2010", units=4)  # type: ignore[attr-defined]  # 4: millimetres


def add_line(space: BaseLayout, points: ArrayLike, layer: str) -> None:
    """Add a line through points (N x 2) to a layer; closed where it ends as it begins."""
    places = np.asarray(points, float)
    closed = bool((places[0] == places[-1]).all())
    line = space.add_lwpolyline([], close=closed, dxfattribs={"layer": layer})
    places = places[:-1] if closed else places
    line.lwpoints = _StraightPoints()
    line.lwpoints.set(np.hstack([places, np.zeros((len(places), 3))]))


class _StraightPoints(LWPolylinePoints):
    """Points without widths and bulges, written as one piece."""

    def dxftags(self) -> Iterator[DXFTag]:
        yield _Places(self.VERTEX_CODE, self.values[:, :2])


class _Places(DXFTag):
    """Places (N x 2) in the way of the format: each X and each Y under its number."""

    def dxfstr(self) -> str:
        pair = f"{self.code:3d}\n%r\n{self.code + 10:3d}\n%r\n"
        told: str = pair * len(self.value) % tuple(self.value.ravel().tolist())
        return told
