"""What an operator may answer to something that was told of a drawing, and what an answer does.

The drawing's file stays as it is: answers are kept with the job and applied when it is read.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from olive_almanac.core.quoting.findings import NEARLY_MM, TINY_MM, near_gap
from olive_almanac.core.quoting.joining import joined
from olive_almanac.core.quoting.joints import JointKind
from olive_almanac.core.quoting.paths import ends_of, flat, mapped
from olive_almanac.core.records.drawing import ContourPath, Drawing, Polyline
from olive_almanac.core.records.job import FindingAnswer
from olive_almanac.core.words import tr

__all__ = [
    "ABOUT_UNITS",
    "REMEDIES",
    "UNITS",
    "UNIT_WORDS",
    "answered",
    "answers_of",
    "choices_about",
    "joint_key",
    "widths_of",
]

UNITS = {
    "mm": 1.0,
    "cm": 10.0,
    "inch": 25.4,
    "px 96": 25.4 / 96,
    "px 90": 25.4 / 90,
    "px 72": 25.4 / 72,
}
UNIT_WORDS = {
    "mm": "mm",
    "cm": "cm",
    "inch": tr("inch"),
    "px 96": tr("px, 96 an inch"),
    "px 90": tr("px, 90 an inch"),
    "px 72": tr("px, 72 an inch"),
}
ABOUT_UNITS = ("pixels", "no size", "no unit")
REMEDIES = {
    "nearly closed": ("close", tr("Close them")),
    "tiny": ("drop", tr("Leave them out")),
    "burnt twice": ("once", tr("Burn them once")),
}


def choices_about(kind: str, drawing: Drawing) -> tuple[tuple[str, str], ...]:
    """Return what may be answered to a finding of a kind: choices with their words; the unit that
    was taken comes first.
    """
    if kind in ABOUT_UNITS:
        taken = min(UNITS, key=lambda unit: abs(UNITS[unit] - drawing.unit_mm))
        first = (taken, tr("{unit_words} is right", unit_words=UNIT_WORDS[taken]))
        return (first, *((unit, UNIT_WORDS[unit]) for unit in UNITS if unit != taken))
    return (REMEDIES[kind],) if kind in REMEDIES else ()


def answers_of(answers: Sequence[FindingAnswer]) -> dict[str, str]:
    """Return the choice of each thing that was answered."""
    return {one.about: one.choice for one in answers}


def answered(drawing: Drawing, answers: Mapping[str, str]) -> Drawing:
    """Return a drawing as it was read with the answers applied: its unit, ends that nearly meet
    closed, what is tiny left out.
    """
    unit = next((answers[about] for about in ABOUT_UNITS if about in answers), "")
    if unit in UNITS and drawing.unit_mm:
        drawing = _scaled(drawing, UNITS[unit] / drawing.unit_mm, UNIT_WORDS[unit], UNITS[unit])
    paths = joined(drawing.paths)
    if "nearly closed" in answers:
        paths = tuple(_closed(path) for path in paths)
    if "tiny" in answers:
        paths = tuple(path for path in paths if not 0 < _extent(path) < TINY_MM)
    findings = tuple(one for one in drawing.findings if one.kind not in answers)
    return replace(drawing, paths=paths, findings=findings)


def _scaled(drawing: Drawing, by: float, unit: str, unit_mm: float) -> Drawing:
    paths = tuple(
        replace(path, pieces=tuple(mapped(piece, (by, 0, 0, by, 0, 0)) for piece in path.pieces))
        for path in drawing.paths
    )
    size = drawing.size_mm
    size = (size[0] * by, size[1] * by) if size is not None else None
    pictures = tuple(
        replace(
            one,
            corner_mm=(one.corner_mm[0] * by, one.corner_mm[1] * by),
            size_mm=(one.size_mm[0] * by, one.size_mm[1] * by),
        )
        for one in drawing.pictures
    )
    changed = replace(drawing, paths=paths, size_mm=size, pictures=pictures)
    return replace(changed, unit=unit, unit_mm=unit_mm)


def _extent(path: ContourPath) -> float:
    return float(np.ptp(flat(path), axis=0).max())


def _closed(path: ContourPath) -> ContourPath:
    """A path whose ends nearly meet, closed by a straight line."""
    if path.closed or not 0 < near_gap(path, flat(path)) <= NEARLY_MM:
        return path
    start, end = ends_of(path.pieces)
    return replace(path, pieces=(*path.pieces, Polyline((end, start))), closed=True)


# -- joints ----------------------------------------------------------------------------------------


def joint_key(kind: JointKind, drawn_mm: float) -> str:
    """Return what an answer about joints of a kind and width is about."""
    return f"joint {kind} {drawn_mm:.2f}"


def widths_of(answers: Mapping[str, str]) -> dict[tuple[JointKind, float], float]:
    """Return which widths are to be other than drawn: by kind and width as drawn."""
    kinds: tuple[JointKind, ...] = ("slot", "notch")
    found: dict[tuple[JointKind, float], float] = {}
    for about, choice in answers.items():
        for kind in kinds:
            head = f"joint {kind} "
            if about.startswith(head):
                found[kind, float(about.removeprefix(head))] = float(choice)
    return found
