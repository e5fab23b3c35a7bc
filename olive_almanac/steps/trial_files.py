"""The files that a trial sends to the machine and to the bench, written together or not at all."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from olive_almanac.core.errors import CannotWrite, Finding
from olive_almanac.core.motion.program import anchor_of
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.words import tr
from olive_almanac.formats.cells_csv import write_cells
from olive_almanac.formats.drawing import write_dxf, write_svg
from olive_almanac.formats.gcode import gcode_blocks
from olive_almanac.formats.gcode_check import CheckLimits, CheckReport, check_lines
from olive_almanac.formats.letters import letters
from olive_almanac.formats.pdf import write_key
from olive_almanac.formats.station_files import write_trial
from olive_almanac.steps.files import below, write_together

__all__ = [
    "TrialFiles",
    "WritingProgress",
    "burn_folder",
    "limits_of",
    "trial_files",
    "write_trial_files",
]

WritingStep = Literal["writing", "checking", "drawing", "key", "placing", "done"]


@dataclass(frozen=True)
class WritingProgress:
    """How far the writing of a trial's files is: the step in hand (the last one is "done"), and
    the share of a step that can tell it, 0 to 1.
    """

    trial: Trial
    step: WritingStep
    share: float | None = None


@dataclass(frozen=True)
class TrialFiles:
    """Where the files of a trial lie."""

    gcode: Path
    drawing: Path
    dxf: Path
    key: Path
    key_letter: Path
    cells: Path
    trial: Path


def trial_files(folder: Path) -> TrialFiles:
    """Return where the files of the trial kept in `folder` lie."""
    names = (
        "coupon.nc",
        "coupon.svg",
        "coupon.dxf",
        "key.pdf",
        "key-letter.pdf",
        "cells.csv",
        "trial.json",
    )
    return TrialFiles(*(folder / name for name in names))


def burn_folder(library_folder: Path, trial: Trial) -> Path:
    """Return where a trial's files are written: below the library, one folder a trial."""
    return below(library_folder / "burn", trial.id)


def limits_of(trial: Trial) -> CheckLimits:
    """Return what a file of this trial must keep to: the machine's limits, the coupon's area, the
    clamps with the head's room.
    """
    machine, area, keep = trial.machine, trial.area_mm, trial.machine.head_clearance_mm
    x, y = (0.0, 0.0)
    if trial.anchor:  # the file's zero is where the head stands, not the bed's
        x, y = anchor_of(area, trial.anchor)
    clamps = tuple(
        (b[0] - x - keep, b[1] - y - keep, b[2] - b[0] + 2 * keep, b[3] - b[1] + 2 * keep)
        for b in (trial.sheet.clamps_mm if trial.sheet else ())
    )
    within = (area[0] - x, area[1] - y, area[2] - area[0], area[3] - area[1])
    bed_from = within[:2] if trial.anchor else (0.0, 0.0)
    return CheckLimits(
        machine.bed_mm, machine.max_speed_mm_s, machine.power_scale, within, clamps, bed_from
    )


def write_trial_files(
    trial: Trial, folder: Path, *, speed_unit: str = "mm/s"
) -> Iterator[WritingProgress]:
    """Write all files of a trial once its G-code passes the independent checker; yields how far it
    is before each step, and once more when all is in place.

    Nothing is in place before all of it is: whoever stops the iteration stops the writing.  Raises
    CannotWrite.
    """
    lettering = letters()
    yield WritingProgress(trial, "writing")
    gcode = b"".join(gcode_blocks(trial, lettering))
    limits = limits_of(trial)
    report = CheckReport((), 0)
    for done, so_far in check_lines(gcode.decode("ascii"), limits):
        report = so_far
        yield WritingProgress(trial, "checking", done)
    if not report.safe:
        raise CannotWrite(
            tr("The burn file did not pass its safety check and was not written. ")
            + _first(report.findings)
        )
    yield WritingProgress(trial, "drawing")
    svg, dxf = write_svg(trial, lettering), write_dxf(trial, lettering)
    yield WritingProgress(trial, "key")
    files = trial_files(folder)
    content: dict[Path, str | bytes] = {
        files.gcode: gcode,
        files.drawing: svg,
        files.dxf: dxf,
        files.key: write_key(trial, speed_unit=speed_unit),
        files.key_letter: write_key(trial, speed_unit=speed_unit, paper="letter"),
        files.cells: write_cells(trial),
        files.trial: write_trial(trial),
    }
    yield WritingProgress(trial, "placing")
    write_together(content)
    yield WritingProgress(trial, "done")


def _first(findings: tuple[Finding, ...]) -> str:
    more = ""
    if len(findings) > 1:
        more = tr(" ({findings} more)", findings=len(findings) - 1)
    return findings[0].text + more
