"""The files that a trial sends to the machine and to the bench, written together or not at all."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from olive_almanac.core.errors import CannotWrite, Finding
from olive_almanac.core.records.trial import Place, Trial
from olive_almanac.steps.files import write_file

__all__ = ["TrialFiles", "write_trial_files"]


@dataclass(frozen=True)
class TrialFiles:
    """Where the files of a trial lie."""

    gcode: Path
    drawing: Path
    key: Path
    trial: Path


def write_trial_files(trial: Trial, folder: Path, *, speed_unit: str = "mm/s") -> TrialFiles:
    """Write coupon.nc (once it passes the independent checker), coupon.svg, key.pdf and trial.json into `folder`."""
    from olive_almanac.formats.gcode import write_gcode
    from olive_almanac.formats.gcode_check import CheckLimits, check_gcode
    from olive_almanac.formats.pdf import write_key
    from olive_almanac.formats.station_files import write_trial
    from olive_almanac.formats.svg import write_svg

    gcode = write_gcode(trial)
    place = trial.on_sheet or Place(0.0, 0.0)
    area = (place.x_mm, place.y_mm, trial.coupon.width_mm, trial.coupon.height_mm)
    machine = trial.machine
    report = check_gcode(gcode, CheckLimits(machine.bed_mm, machine.max_speed_mm_s, machine.power_scale, area))
    if not report.safe:
        raise CannotWrite("The burn file did not pass its safety check and was not written. " + _first(report.findings))
    files = TrialFiles(folder / "coupon.nc", folder / "coupon.svg", folder / "key.pdf", folder / "trial.json")
    for path, content in (
        (files.gcode, gcode),
        (files.drawing, write_svg(trial)),
        (files.key, write_key(trial, speed_unit=speed_unit)),
        (files.trial, write_trial(trial)),
    ):
        write_file(path, content)
    return files


def _first(findings: tuple[Finding, ...]) -> str:
    more = f" ({len(findings) - 1} more)" if len(findings) > 1 else ""
    return findings[0].text + more
