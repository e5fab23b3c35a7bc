"""A drawing made elsewhere, in mm, y up: its lines by groups, kept exact, and findings in it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, NamedTuple

__all__ = [
    "Arc",
    "ContourPath",
    "Cubic",
    "Drawing",
    "DrawingFinding",
    "FindingKind",
    "Picture",
    "Piece",
    "Polyline",
]

Point = tuple[float, float]
FindingKind = Literal[
    "no size",
    "pixels",
    "no unit",
    "text",
    "picture",
    "hidden",
    "left out",
    "damaged",
    "nearly closed",
    "burnt twice",
    "crosses itself",
    "tiny",
    "no length",
    "too big",
    "open cut",
    "many groups",
]


class Polyline(NamedTuple):
    """Straight lines, each beginning where the one before ends."""

    points: tuple[Point, ...]


class Cubic(NamedTuple):
    """A Bezier curve of the third degree."""

    start: Point
    first: Point
    second: Point
    end: Point


class Arc(NamedTuple):
    """Part of an ellipse: centre + u cos t + v sin t, t from t0 to t1 in radians.

    `u` and `v` are conjugate half axes, so that any affine map of an arc is again an arc.
    """

    centre: Point
    u: Point
    v: Point
    t0: float
    t1: float


Piece = Polyline | Cubic | Arc


@dataclass(frozen=True)
class ContourPath:
    """One line of a drawing, begun once: pieces that follow on each other; `group` is its layer and
    colour, `filled` means that its inside is painted and its outline is not.
    """

    group: str
    pieces: tuple[Piece, ...]
    closed: bool
    filled: bool = False
    source: str = ""


@dataclass(frozen=True)
class Picture:
    """A picture in a drawing: the bytes of its file, its lower left corner and its size, mm."""

    group: str
    data: bytes
    corner_mm: Point
    size_mm: Point


@dataclass(frozen=True)
class DrawingFinding:
    """What an operator should know of a drawing: a kind, a sentence, where, and which paths."""

    kind: FindingKind
    says: str
    at_mm: Point | None = None
    paths: tuple[int, ...] = ()


@dataclass(frozen=True)
class Drawing:
    """A drawing as it was read; `sha256` is of the file's bytes, `unit` says how lengths were
    written, and `unit_mm` how long its unit was taken to be where the file does not say.
    """

    name: str
    unit: str
    size_mm: Point | None
    paths: tuple[ContourPath, ...]
    findings: tuple[DrawingFinding, ...] = ()
    sha256: str = ""
    unit_mm: float = 0.0
    pictures: tuple[Picture, ...] = ()

    @property
    def groups(self) -> tuple[str, ...]:
        """The groups in the order in which they come first, pictures behind lines."""
        lines = [path.group for path in self.paths]
        return tuple(dict.fromkeys((*lines, *(one.group for one in self.pictures))))

    @property
    def picture_groups(self) -> frozenset[str]:
        """The groups that hold pictures."""
        return frozenset(one.group for one in self.pictures)
