"""A very large coupon: planning it and writing its G-code to disk, against writing the same bytes
from memory.

Both are done in turn in wall time, and the least of 11 counts for each: whatever else the machine
does only adds.  The check of the file is told apart: it reads every line and takes far longer, off
the interface thread.
"""

import os
import resource
import statistics
import tempfile
import time
from dataclasses import replace
from pathlib import Path

from bench.planned import planned
from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.demo.shop import MACHINES, STOCKS
from olive_almanac.formats.gcode import gcode_blocks
from olive_almanac.formats.gcode_check import CheckLimits, check_gcode
from olive_almanac.formats.letters import letters
from olive_almanac.steps.files import write_file

RUNS = 11
SIDE = 40
RELAYOUTS = 31


def measure():
    machine = replace(MACHINES[1], bed_mm=(1200.0, 1200.0))
    choices = TrialChoices(
        tuple(0.1 + 0.9 * n / (SIDE - 1) for n in range(SIDE)),
        tuple(50 + 250 * n / (SIDE - 1) for n in range(SIDE)),
        pitch_mm=(0.032,),
        cell_mm=8.0,
    )
    ours, plain = [], []
    with tempfile.TemporaryDirectory() as folder:
        target = Path(folder) / "coupon.nc"
        for _ in range(RUNS):
            began = time.perf_counter()
            trial = planned(machine, STOCKS[0], "engrave", choices)
            write_file(target, gcode_blocks(trial, letters()))
            ours.append(time.perf_counter() - began)
            data = target.read_bytes()
            began = time.perf_counter()
            write_file(target, data)
            plain.append(time.perf_counter() - began)
    peak_mb = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000
    moves = data.count(b"\nG1 ") + data.count(b"\nG0 ")
    began = time.perf_counter()
    report = check_gcode(
        data.decode("ascii"),
        CheckLimits(machine.bed_mm, machine.max_speed_mm_s, machine.power_scale),
    )
    assert report.safe and report.moves == moves
    print(
        f"      {SIDE} x {SIDE} cells, {moves} moves, {len(data) / 1e6:.0f} MB: plan and write "
        f"{min(ours):.2f} s, "
        f"the bytes alone {min(plain):.3f} s, check {time.perf_counter() - began:.1f} s"
    )
    yield (
        "planning and writing a very large coupon over writing its bytes",
        min(ours) / min(plain),
        4.0,
    )
    yield "memory while planning and writing it, MB", peak_mb, 400.0
    yield "re-layout of a 12 x 12 grid after an edit, ms", _relayout_ms(), 16.0


def _relayout_ms() -> float:
    """CPU time of the interface thread for one change of a 12 x 12 grid in the real Plan page:
    fields, plan, all that is told.

    Every speed changes with it.  Painting is not counted: it follows when the window gets to it.
    """
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from olive_almanac import __main__ as program
    from olive_almanac.views.application import make_application
    from olive_almanac.views.headless import wait_until
    from olive_almanac.views.window import MainWindow

    application = make_application()
    with tempfile.TemporaryDirectory() as holder:
        library = program._open_library(Path(holder))
        library.save_machine(MACHINES[1], "set up")
        library.save_stock(STOCKS[0], "set up")
        window = MainWindow(Path(holder), program.make_services(Path(holder) / "preferences.json"))
        window.session.attach(library)
        window.show()
        window.navigate("plan")
        presenter = window.page("plan").presenter
        presenter.suggest("grid")
        wait_until(lambda: presenter.plan is not None)
        presenter.choose_sheet("")
        for key in ("power_steps", "speed_steps"):
            presenter.change(key, "12")
        times = []
        for n in range(RELAYOUTS):
            presenter.texts["speed_to"] = str(1500 + 7 * n)
            began = time.process_time()
            presenter.remake()
            times.append(1000 * (time.process_time() - began))
            application.processEvents()
        assert (
            presenter.plan is not None
            and len(presenter.plan.trial.cells) + len(presenter.plan.refused) == 144
        )
        window.close()
    return statistics.median(times)
