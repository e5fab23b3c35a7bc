"""The stand-in devices: a 64-cell trial burnt and photographed, lines a second through a wire, the
same bytes again.
"""

import hashlib
import math
import resource
import subprocess
import sys
import time

from bench.planned import planned
from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.demo.shop import MACHINES, STOCKS
from olive_almanac.formats.gcode import gcode_parts
from olive_almanac.formats.letters import letters
from olive_almanac.standins.bench import StandInBench
from olive_almanac.standins.controller import StandInWire
from olive_almanac.steps.stream import LinkWords, Stream, lines_of

SEED = 4


def _trial():
    levels = tuple(0.3 + 0.1 * n for n in range(8)), tuple(6.0 + 3.0 * n for n in range(8))
    return planned(MACHINES[1], STOCKS[0], "cut", TrialChoices(*levels, cell_mm=10.0))


def shoot() -> str:
    """Burn and photograph the trial; return the photo's hash."""
    trial = _trial()
    bench = StandInBench(SEED)
    tuple(bench.burn(trial))
    return hashlib.sha256(bench.photograph(trial, letters())).hexdigest()


def measure():
    began = time.perf_counter()
    first = shoot()
    seconds = time.perf_counter() - began
    code = (
        "import resource; from bench.standins import shoot; print(shoot(), "
        "resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000)"
    )
    again, peak_mb = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, check=True
    ).stdout.split()
    yield "burning and photographing a 64-cell trial, s", seconds, 6.0
    yield "memory while doing so, MB", float(peak_mb), 1000.0
    yield "photos of the same seed that differ", float(first != again), 0.0
    trial = planned(
        MACHINES[1],
        STOCKS[0],
        "engrave",
        TrialChoices((0.3, 0.6), (100.0, 200.0), pitch_mm=(0.02,), cell_mm=12.0),
    )
    wire = StandInWire(trial.machine, pace=math.inf)
    stream = Stream(wire, lines_of(gcode_parts(trial, letters())), LinkWords(), time.monotonic)
    began = time.perf_counter()
    while stream.going:
        stream.pump()
    rate = stream.sent / (time.perf_counter() - began)
    wire.close()
    assert stream.state == "done" and len(stream.finished) == len(trial.cells), (
        stream.state,
        stream.why,
    )
    print(
        f"      {stream.sent} lines at {rate:.0f} lines a second; this process uses "
        f"{resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000:.0f} MB"
    )
    yield "5,000 lines a second over what the controller takes at once", 5000 / rate, 1.0
