"""The files that a trial sends to the machine and to the bench, written together or not at all."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from olive_almanac.core.errors import CannotWrite, Finding
from olive_almanac.core.records.trial import Trial
from olive_almanac.steps.files import write_together

if TYPE_CHECKING:
    from olive_almanac.formats.gcode_check import CheckLimits

__all__ = ["TrialFiles", "limits_of", "trial_files", "write_trial_files"]


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


def limits_of(trial: Trial) -> CheckLimits:
    """Return what a file of this trial must keep to: the machine's limits, the coupon's area, the
    clamps with the head's room.
    """
    from olive_almanac.formats.gcode_check import CheckLimits

    machine, area, keep = trial.machine, trial.area_mm, trial.machine.head_clearance_mm
    clamps = tuple(
        (b[0] - keep, b[1] - keep, b[2] - b[0] + 2 * keep, b[3] - b[1] + 2 * keep)
        for b in (trial.sheet.clamps_mm if trial.sheet else ())
    )
    within = (area[0], area[1], area[2] - area[0], area[3] - area[1])
    return CheckLimits(machine.bed_mm, machine.max_speed_mm_s, machine.power_scale, within, clamps)


def write_trial_files(trial: Trial, folder: Path, *, speed_unit: str = "mm/s") -> Iterator[str]:
    """Write all files of a trial once its G-code passes the independent checker; yields a word
    before each piece of work.

    Nothing is in place before all of it is: whoever stops the iteration stops the writing.  Raises
    CannotWrite.
    """
    from olive_almanac.formats.letters import letters

    lettering = letters()
    yield "writing the burn file"
    from olive_almanac.formats.gcode import gcode_blocks
    from olive_almanac.formats.gcode_check import CheckReport, check_lines

    gcode = b"".join(gcode_blocks(trial, lettering))
    limits = limits_of(trial)
    report = CheckReport((), 0)
    for done, so_far in check_lines(gcode.decode("ascii"), limits):
        report = so_far
        yield f"checking the burn file, {100 * done:.0f} %"
    if not report.safe:
        raise CannotWrite(
            "The burn file did not pass its safety check and was not written. "
            + _first(report.findings)
        )
    yield "drawing"
    from olive_almanac.formats.cells_csv import write_cells
    from olive_almanac.formats.drawing import write_dxf, write_svg
    from olive_almanac.formats.station_files import write_trial

    svg, dxf = write_svg(trial, lettering), write_dxf(trial, lettering)
    yield "setting the key sheets"
    from olive_almanac.formats.pdf import write_key

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
    yield "putting the files in place"
    write_together(content)


def _first(findings: tuple[Finding, ...]) -> str:
    more = ""
    if len(findings) > 1:
        more = f" ({len(findings) - 1} more)"
    return findings[0].text + more
