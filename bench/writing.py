"""A large coupon: planning and writing its G-code, against writing the same bytes from memory."""

import tempfile
import time
from dataclasses import replace
from pathlib import Path

from olive_almanac.core.design.grid import plan_grid
from olive_almanac.core.design.suggest import suggest_grid
from olive_almanac.core.materials.catalogue import Permission
from olive_almanac.demo.shop import MACHINES, STOCKS
from olive_almanac.formats.gcode import write_gcode
from olive_almanac.formats.gcode_check import CheckLimits, check_gcode
from olive_almanac.steps.files import write_file


def measure():
    machine, stock = MACHINES[1], STOCKS[0]
    choices = replace(suggest_grid(machine, stock, "engrave"), power=tuple(n / 20 for n in range(1, 21)),
                      speed_mm_s=tuple(20.0 * n for n in range(1, 21)), pitch_mm=(0.15,))  # fmt: skip
    began = time.process_time()
    trial = plan_grid(
        machine, stock, "engrave", choices, permission=Permission(True), trial_id="t", name="large", made="2026-04-14"
    ).trial
    planned = time.process_time()
    text = write_gcode(trial)
    written = time.process_time()
    report = check_gcode(text, CheckLimits(machine.bed_mm, machine.max_speed_mm_s, machine.power_scale))
    checked = time.process_time()
    with tempfile.TemporaryDirectory() as folder:
        write_file(Path(folder) / "coupon.nc", text)
    assert report.safe
    print(
        f"      400 cells, {report.moves} moves: plan {planned - began:.2f} s, write {written - planned:.2f} s, check {checked - written:.2f} s"
    )
    yield "writing a large coupon over checking it", (written - planned) / (checked - written), 1.0
