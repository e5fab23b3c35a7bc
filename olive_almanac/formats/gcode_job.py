"""Write one sheet of a job as G-code, with the words and the safety of the coupons' files."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from olive_almanac.core.motion.program import Lines, Strokes, anchor_of
from olive_almanac.core.placing.strokes import Polyline
from olive_almanac.core.quoting.job_plan import SheetRun
from olive_almanac.core.records.setting import Setting
from olive_almanac.formats.gcode import GcodeWriter, setting_comment

__all__ = [
    "UNLIT_BLOCKS",
    "centre_blocks",
    "frame_blocks",
    "job_blocks",
    "job_parts",
    "trace_blocks",
]

Point = tuple[float, float]


def job_blocks(
    run: SheetRun, said: Mapping[str, Setting], *words: str, first: int = 0
) -> Iterator[bytes]:
    """Yield the program of one sheet from a step on, piece by piece; `said` holds the setting of
    each group as the operator knows it, `words` tell what the file is about.
    """
    return (block for _, block in job_parts(run, said, *words, first=first))


def job_parts(
    run: SheetRun, said: Mapping[str, Setting], *words: str, first: int = 0
) -> Iterator[tuple[str, bytes]]:
    """Yield the program of one sheet from a step on, each piece with the number of its step ("" for
    what lies before the first and behind the last).
    """
    writer = GcodeWriter(run.ground)
    yield "", writer.begin(*words)
    named = None
    for number, (step, group) in enumerate(run.steps[first:], first):
        told = f"{group}: {setting_comment(said[group])}"
        yield str(number), writer.burn(step, told if told != named else "")
        named = told
    yield "", writer.end()


def frame_blocks(run: SheetRun, *words: str) -> Iterator[bytes]:
    """Yield a program that goes round what will be burnt, with the beam off: to see whether it lies
    on the sheet and clear of the clamps.
    """
    writer = GcodeWriter(run.ground)
    left, low, right, high = run.ground.area
    way: list[Point] = [(left, low)]
    for corner in ((right, low), (right, high), (left, high), (left, low)):
        way += run.ground.travel(way[-1], corner)
    return _unlit(writer, [way], *words)


def trace_blocks(run: SheetRun, *words: str) -> Iterator[bytes]:
    """Yield a program that goes along all that will be burnt, with the beam off: lines as they are,
    around what is engraved, each once however often it is burnt.
    """
    ways: dict[tuple[Point, Polyline], Sequence[Point]] = {}
    for step, _ in run.steps:
        if isinstance(step, Strokes):
            dx, dy = step.at_mm
            for path in step.paths:
                if (step.at_mm, path) not in ways:
                    ways[step.at_mm, path] = [(x + dx, y + dy) for x, y in path]
        elif isinstance(step, Lines):
            left, low, right, high = step.box_mm
            around = ((left, low), (right, low), (right, high), (left, high), (left, low))
            ways[(0.0, 0.0), around] = around
    return _unlit(GcodeWriter(run.ground), list(ways.values()), *words)


def centre_blocks(run: SheetRun, *words: str) -> Iterator[bytes]:
    """Yield a program that stands over the middle of what will be burnt, with the beam off, and
    stays there: to lay a piece by its middle.
    """
    writer = GcodeWriter(run.ground)
    yield writer.begin(*words, "Beam off: the head stays over the middle of the job.")
    way = run.ground.travel(writer.head, anchor_of(run.ground.area, "centre"))
    yield ("\n".join(writer.rapid(at) for at in way) + "\nM5 S0\nM2\n").encode("ascii")


UNLIT_BLOCKS = {"frame": frame_blocks, "trace": trace_blocks, "centre": centre_blocks}


def _unlit(writer: GcodeWriter, ways: Sequence[Sequence[Point]], *words: str) -> Iterator[bytes]:
    """Go along ways with the beam off."""
    yield writer.begin(*words, "Beam off: it only shows where the job lies.")
    for way in ways:
        lines = [writer.rapid(at) for at in writer.ground.travel(writer.head, way[0])]
        lines += [f"G0 {place}" for place in writer.places(way[1:])]
        writer.head = way[-1]
        yield ("\n".join(lines) + "\n").encode("ascii")
    yield writer.end()
