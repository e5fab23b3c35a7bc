"""Read a DXF drawing: its entities to exact lines in mm, by layer and colour."""

from __future__ import annotations

import io
import logging
import math
import struct
from collections import Counter
from dataclasses import dataclass, field
from typing import Any

from olive_almanac.core.errors import BadFile
from olive_almanac.core.quoting.paths import is_finite, raised
from olive_almanac.core.records.drawing import (
    Arc,
    ContourPath,
    Cubic,
    Drawing,
    DrawingFinding,
    FindingKind,
    Piece,
    Polyline,
)
from olive_almanac.core.units import count_text
from olive_almanac.core.words import tr
from olive_almanac.formats.drawing_tally import DrawingTally

__all__ = ["read_dxf"]

Point = tuple[float, float]
UNIT_MM = {  # DXF reference, header variable $INSUNITS
    1: 25.4,
    2: 304.8,
    4: 1.0,
    5: 10.0,
    6: 1000.0,
    8: 25.4e-6,
    9: 0.0254,
    10: 914.4,
    13: 0.001,
    14: 100.0,
}
UNIT_NAMES = {1: tr("inch"), 2: tr("foot"), 4: "mm", 5: "cm", 6: "m", 10: tr("yard"), 14: "dm"}
BY_LAYER, BY_BLOCK = 256, 0
CURVES = {"LWPOLYLINE", "POLYLINE", "SPLINE", "ELLIPSE", "ARC", "CIRCLE", "HELIX"}
DEEPEST = 12  # blocks in blocks


def read_dxf(data: bytes, name: str) -> Drawing:
    """Return the drawing in the bytes of a DXF file, without a hash.

    Raises BadFile where nothing can be read.
    """
    document, faults = _opened(data, name)
    reader = _Reader(document, name)
    if faults:
        noun = tr("place") if faults == 1 else tr("places")
        says = tr(
            "The file is damaged in {faults} {noun}; it was read as far as it goes.",
            faults=faults,
            noun=noun,
        )
        reader.find("damaged", says)
    return reader.read()


def _opened(data: bytes, name: str) -> tuple[Any, int]:
    """The document and how many places of it are damaged; a sound text file the quick way."""
    from ezdxf import filemanagement, recover

    logging.getLogger("ezdxf").setLevel(logging.CRITICAL)  # the findings tell
    try:
        document = filemanagement.read(io.StringIO(data.decode("utf-8")))
        document.modelspace()  # raises where a damaged file has none
        return document, 0
    except _faults():
        pass  # older encodings, binary files and damaged ones take the slow way
    try:
        document, audit = recover.read(io.BytesIO(data))
        document.modelspace()
    except _faults() as bad:
        raise BadFile(
            tr("{name} cannot be read as DXF. Save it again as DXF R2010.", name=name)
        ) from bad
    return document, len(audit.errors)


@dataclass
class _Reader:
    """Walks the model space of one document."""

    document: Any
    name: str
    paths: list[ContourPath] = field(default_factory=list)
    findings: list[DrawingFinding] = field(default_factory=list)
    counts: Counter[str] = field(default_factory=Counter)
    scale: float = 1.0
    tally: DrawingTally = field(default_factory=DrawingTally)

    def find(self, kind: FindingKind, says: str) -> None:
        self.findings.append(DrawingFinding(kind, says))

    def read(self) -> Drawing:
        header = self.document.header
        code = header.get("$INSUNITS", 0)
        unit = UNIT_NAMES.get(code, f"{UNIT_MM.get(code, 1.0):g} mm")
        if code in UNIT_MM:
            self.scale = UNIT_MM[code]
        else:
            imperial = header.get("$MEASUREMENT", 1) == 0
            self.scale, unit = (25.4, "inch") if imperial else (1.0, "mm")
            self.find(
                "no unit", tr("It names no unit: taken as {unit}. Check one length.", unit=unit)
            )
        for entity in self.document.modelspace():
            self._take(entity, 0)
        self._tell_counts()
        if not self.paths and not self.counts:
            raise BadFile(tr("{name} holds no lines.", name=self.name))
        paths, findings = tuple(self.paths), tuple(self.findings)
        unit_mm = 0.0 if code in UNIT_MM else self.scale
        return Drawing(self.name, unit, None, paths, findings, unit_mm=unit_mm)

    def _tell_counts(self) -> None:
        if self.tally.says:
            self.find("left out", self.tally.says)
        for kind, count in self.counts.items():
            if kind in ("TEXT", "MTEXT", "ATTRIB", "ATTDEF"):
                lines = count_text(count, "line")
                says = tr("{lines} of text: not outlines, so they are left out.", lines=lines)
                self.find("text", says)
            elif kind == "IMAGE":
                self.find(
                    "picture",
                    tr("{count} left out: pictures can be engraved, not cut.", count=count),
                )
            elif kind == "hidden":
                self.find("hidden", tr("{count} on layers that are off, left out.", count=count))
            else:
                self.find(
                    "left out", tr("{count} of kind {kind} left out.", count=count, kind=kind[:40])
                )

    def _take(self, entity: Any, depth: int) -> None:
        if self.tally.is_full:
            return
        self.tally.add_object()
        kind = entity.dxftype()
        if depth > DEEPEST:
            self.counts[kind] += 1
            return
        try:
            if not self._is_shown(entity):
                self.counts["hidden"] += 1
            elif kind == "INSERT":
                with self.tally.copy():
                    self._take_copy(entity, depth)
            else:
                self._draw(entity, kind)
        except _faults():  # of a damaged entity
            self.counts[kind] += 1

    def _take_copy(self, entity: Any, depth: int) -> None:
        for part in entity.virtual_entities():
            if self.tally.is_full:
                return
            self._take(part, depth + 1)

    def _is_shown(self, entity: Any) -> bool:
        layers, name = self.document.layers, entity.dxf.layer
        if not layers.has_entry(name):
            return True
        layer = layers.get(name)
        return bool(layer.is_on() and not layer.is_frozen())

    def _draw(self, entity: Any, kind: str) -> None:
        if kind == "LINE":
            start, end = self._mm(entity.dxf.start), self._mm(entity.dxf.end)
            pieces: tuple[Piece, ...] = (Polyline((start, end)),) if start != end else ()
            closed = False
        elif kind in ("CIRCLE", "ARC") and entity.dxf.extrusion.isclose((0, 0, 1)):
            pieces, closed = (self._arc(entity, whole=kind == "CIRCLE"),), kind == "CIRCLE"
        elif kind in CURVES:
            pieces, closed = self._curve(entity)
        else:
            self.counts[kind] += 1
            return
        if pieces and all(is_finite(piece) for piece in pieces):
            self.paths.append(ContourPath(self._group(entity), pieces, closed, source=kind))
            self.tally.add_path(pieces)
        elif pieces:
            self.counts["numbers that cannot be read"] += 1

    def _group(self, entity: Any) -> str:
        colour = entity.dxf.get("color", BY_LAYER)
        layer = str(entity.dxf.layer)[:60]
        if colour in (BY_LAYER, BY_BLOCK):
            return layer
        return f"{layer} / colour {colour}"

    def _mm(self, point: Any) -> Point:
        return (float(point[0]) * self.scale, float(point[1]) * self.scale)

    def _arc(self, entity: Any, *, whole: bool) -> Arc:
        t0, t1 = 0.0, 2 * math.pi
        if not whole:
            t0, t1 = math.radians(entity.dxf.start_angle), math.radians(entity.dxf.end_angle)
            if t1 <= t0:
                t1 += 2 * math.pi
        r = float(entity.dxf.radius) * self.scale
        return Arc(self._mm(entity.dxf.center), (r, 0.0), (0.0, r), t0, t1)

    def _curve(self, entity: Any) -> tuple[tuple[Piece, ...], bool]:
        from ezdxf.path import Command, make_path

        path = make_path(entity)
        pieces: list[Piece] = []
        run: list[Point] = []  # of straight lines
        command: Any
        at = self._mm(path.start)
        for command in path.commands():
            end = self._mm(command.end)
            if command.type == Command.LINE_TO:
                run += [end] if run else [at, end]
                at = end
                continue
            if run:
                pieces.append(Polyline(tuple(run)))
                run = []
            if command.type == Command.CURVE4_TO:
                pieces.append(Cubic(at, self._mm(command.ctrl1), self._mm(command.ctrl2), end))
            elif command.type == Command.CURVE3_TO:
                pieces.append(raised(at, self._mm(command.ctrl), end))
            at = end
        if run:
            pieces.append(Polyline(tuple(run)))
        return tuple(pieces), bool(path.is_closed and pieces)


def _faults() -> tuple[type[Exception], ...]:
    """What a damaged file raises, in that library or in Python under it."""
    from ezdxf.lldxf.const import DXFError

    python = (OSError, ValueError, TypeError, AttributeError, LookupError, ArithmeticError)
    odd = (RecursionError, AssertionError, EOFError, StopIteration, struct.error)
    return (DXFError, *python, *odd)
