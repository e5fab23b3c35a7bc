"""Write one sheet of a job as G-code, with the words and the safety of the coupons' files."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from olive_almanac.core.quoting.job_plan import SheetRun
from olive_almanac.core.records.setting import Setting
from olive_almanac.formats.gcode import GcodeWriter, setting_comment

__all__ = ["frame_blocks", "job_blocks", "job_parts"]


def job_blocks(run: SheetRun, said: Mapping[str, Setting], *words: str) -> Iterator[bytes]:
    """Yield the program of one sheet piece by piece; `said` holds the setting of each group as the
    operator knows it, `words` tell what the file is about.
    """
    return (block for _, block in job_parts(run, said, *words))


def job_parts(
    run: SheetRun, said: Mapping[str, Setting], *words: str, first: int = 0
) -> Iterator[tuple[str, bytes]]:
    """Yield the program of one sheet from a step on, each piece with the number of its step ("" for
    what lies before the first and behind the last).
    """
    writer = GcodeWriter(run.ground)
    writer.head = run.ground.area[:2]
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
    writer.head = (left, low)
    yield writer.begin(*words, "Beam off: it only shows where the job lies.")
    lines = []
    for corner in ((right, low), (right, high), (left, high), (left, low)):
        lines += [writer.rapid(way) for way in run.ground.travel(writer.head, corner)]
        writer.head = corner
    yield ("\n".join(lines) + "\n").encode("ascii")
    yield writer.end()
