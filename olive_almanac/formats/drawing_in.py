"""Read a drawing made elsewhere, whatever its format: lines joined, findings told."""

from __future__ import annotations

import hashlib
from collections.abc import Generator, Sequence
from dataclasses import replace
from pathlib import PurePath
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.errors import BadFile
from olive_almanac.core.quoting.answers import answered, answers_of
from olive_almanac.core.quoting.findings import seeking_findings
from olive_almanac.core.quoting.paths import flat
from olive_almanac.core.records.drawing import Drawing, DrawingFinding
from olive_almanac.core.records.job import EVERYTHING, FindingAnswer
from olive_almanac.core.stages import finished, telling
from olive_almanac.core.units import count_text
from olive_almanac.core.words import tr
from olive_almanac.formats.dxf_in import read_dxf
from olive_almanac.formats.picture_in import is_picture, read_picture_file
from olive_almanac.formats.svg_in import read_svg

__all__ = ["DRAWING_FILES", "LARGEST_BYTES", "ReadStage", "read_drawing", "reading_drawing"]

# the file is read, ends joined, curves made flat; then faults are sought, kind by kind
ReadStage = Literal["file", "joined", "flat", "faults"]
FAULTS: ReadStage = "faults"

DRAWING_FILES = (".svg", ".dxf", ".png", ".jpg", ".jpeg")
LARGEST_BYTES = 60_000_000
MOST_POINTS = 1_500_000
DRAWN_MM = 0.01
MOST_GROUPS = 40  # that are told apart


def read_drawing(
    data: bytes,
    name: str,
    *,
    bed_mm: tuple[float, float] | None = None,
    answers: Sequence[FindingAnswer] = (),
) -> Drawing:
    """Return the drawing in the bytes of a file, its open lines joined, with all findings that were
    not answered yet.

    What the file is, is told by what it says, not by its name.  Raises BadFile.
    """
    return finished(reading_drawing(data, name, bed_mm=bed_mm, answers=answers))


def reading_drawing(
    data: bytes,
    name: str,
    *,
    bed_mm: tuple[float, float] | None = None,
    answers: Sequence[FindingAnswer] = (),
) -> Generator[ReadStage, None, Drawing]:
    """Read a drawing as `read_drawing` does, stage by stage.  Raises BadFile."""
    if not data.strip():
        raise BadFile(tr("{name} is empty.", name=name))
    if len(data) > LARGEST_BYTES:
        raise BadFile(
            tr(
                "{name} is larger than {largest_bytes} MB. Split the drawing.",
                name=name,
                largest_bytes=LARGEST_BYTES // 1000000,
            )
        )
    if is_picture(data):
        read = read_picture_file(data, name)
    else:
        read = read_svg(data, name) if _is_svg(data) else _dxf(data, name)
    yield "file"
    said = answers_of(answers)
    read = answered(_with_few_groups(read), said)
    yield "joined"
    paths = read.paths
    flats: list[NDArray[np.float64]] = []
    points = 0
    for path in paths:
        flats.append(flat(path, DRAWN_MM))
        points += len(flats[-1])
        if points > MOST_POINTS:
            raise BadFile(
                tr(
                    "{name} has more than {most_points:,} points. Simplify its curves.",
                    name=name,
                    most_points=MOST_POINTS,
                )
            )
    yield "flat"
    seeking = seeking_findings(paths, flats, bed_mm)
    found = yield from telling(seeking, lambda _: FAULTS)
    told = (one for one in found if one.kind not in said)
    findings = (*read.findings, *told)
    sha256 = hashlib.sha256(data).hexdigest()
    return replace(read, findings=findings, sha256=sha256)


def _with_few_groups(read: Drawing) -> Drawing:
    """A drawing whose lines have more colours than anybody gives tasks to, such as a traced
    picture: each layer is one group, or all of it where there are too many layers, too.
    """
    if len(read.groups) <= MOST_GROUPS:
        return read
    of_it = {group: _layer_of(group) for group in read.groups}
    if len(set(of_it.values())) > MOST_GROUPS:
        of_it = dict.fromkeys(read.groups, EVERYTHING)
    says = tr(
        "It has {groups} colours or layers, too many to give each a task: they are taken together "
        "as {left}.",
        groups=len(of_it),
        left=count_text(len(set(of_it.values())), "group"),
    )
    paths = tuple(replace(path, group=of_it[path.group]) for path in read.paths)
    pictures = tuple(replace(one, group=of_it[one.group]) for one in read.pictures)
    findings = (DrawingFinding("many groups", says), *read.findings)
    return replace(read, paths=paths, pictures=pictures, findings=findings)


def _layer_of(group: str) -> str:
    """The layer of a group; what lies on none is one group."""
    layer, _, _ = group.rpartition(" / ")
    if layer:
        return layer
    return EVERYTHING if group.startswith("#") else group


def _is_svg(data: bytes) -> bool:
    head = data[:4096].replace(b"\0", b"").lower()
    return (
        b"<svg" in head
        or b"<?xml" in head
        or head.lstrip(b"\xef\xbb\xbf\xff\xfe ").startswith(b"<")
    )


def _dxf(data: bytes, name: str) -> Drawing:
    head = data[:4096].upper()
    if b"SECTION" not in head and b"AUTOCAD BINARY DXF" not in head:
        known = " and ".join(suffix[1:].upper() for suffix in DRAWING_FILES)
        kind = PurePath(name).suffix.lower() or tr("without a suffix")
        raise BadFile(
            tr(
                "{name} ({kind}) is neither of {known}. Save the drawing as one of them.",
                name=name,
                kind=kind,
                known=known,
            )
        )
    return read_dxf(data, name)
