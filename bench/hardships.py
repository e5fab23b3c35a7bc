"""Hardships for `make soak`: unsafe burn files, disks that fill up or let nothing be written,
clocks that go back, three programs that write into one library, and runs whose line is cut.
"""

from __future__ import annotations

import contextlib
import os
import random
import re
import subprocess
import sys
import tempfile
from collections.abc import Callable, Iterator
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path
from unittest import mock

from olive_almanac.core.design.kinds.kind import all_kinds
from olive_almanac.core.errors import AlmanacError
from olive_almanac.formats.gcode import gcode_parts
from olive_almanac.formats.gcode_check import check_gcode
from olive_almanac.formats.letters import letters
from olive_almanac.steps.trial_files import limits_of
from olive_almanac.storage.backups import newest_backup
from olive_almanac.storage.library import Library
from tests.samples import BIRCH, LONG, MARKER, NORTH, kind_plan

ROOT = Path(__file__).parents[1]
LONG_BYTES = 200_000
BURNING = re.compile(r"G1 .*S[1-9]")
Figure = tuple[str, float, float]  # what, the figure, the most that it may be
Spoil = Callable[[list[str], int], list[str]]


def _put(*lines: str) -> Spoil:
    """Lines after a burning one."""
    return lambda program, at: [*program[: at + 1], *lines, *program[at + 1 :]]


def _after_the_first(*lines: str) -> Spoil:
    """Lines after the first burning one, so that they reach the others."""

    def spoil(program: list[str], at: int) -> list[str]:
        first = next(n for n, line in enumerate(program) if BURNING.search(line))
        return _put(*lines)(program, first)

    return spoil


def _swap(pattern: str, written: str) -> Spoil:
    """Another word in place of each that fits."""
    return lambda program, at: [re.sub(pattern, written, line) for line in program]


def _on_the_line(pattern: str, written: str) -> Spoil:
    """Another word in a burning line alone."""
    return lambda program, at: [
        *program[:at],
        re.sub(pattern, written, program[at]),
        *program[at + 1 :],
    ]


UNSAFE: dict[str, Spoil] = {
    "faster than the machine": _swap(r"F[\d.]+", "F9000000"),
    "more power than there is": _swap(r"S[1-9][\d.]*", "S90000"),
    "power below zero": _on_the_line(r"S[\d.]+|$", " S-5"),
    "off the bed": _put("G0 X9000 Y9000 S0"),
    "below the bed": _put("G0 X-40 S0"),
    "burns off the bed": _put("G1 X9000 S400"),
    "never switched off": _swap(r"M5.*", ""),
    "no end": _swap(r"M2|M30", ""),
    "inverse time": _swap("G94", "G93"),
    "inverse time later": _put("G93"),
    "steps, not places": _after_the_first("G91"),
    "steps off the bed": _put("G91", *["G1 X30 S400"] * 50, "G90"),
    "a pause that may be skipped": _put("/M5 S0"),
    "a stop with the beam on": _put("G1 S500", "M0"),
    "a rest with the beam on": _put("G1 S500", "G4 P60"),
    "up with the beam on": _put("G1 S500", "G1 Z5"),
    "wide figures": _on_the_line(r"X[\d.]+|$", " X１２"),
    "figures of another script": _on_the_line(r"X[\d.]+|$", " X١٢"),
    "a long s": _on_the_line(r"S|$", "ſ"),
    "a stop sign in a comment": _put("(wait!)"),
    "an escape in a comment": _put("(\x1b)"),
    "a reset in a comment": _put("(\x18)"),
    "a byte beyond ASCII": _put("(\x85)"),
    "a sign beyond ASCII": _put("(\u2212 5 mm)"),
    "a subprogram": _put("M98 P100"),
    "a probe": _put("G38.2 X5"),
    "a parameter": _put("#1=5"),
    "a tool": _put("T2 M6"),
    "more after the end": lambda program, at: [*program, "M3 S500", "G1 X5 Y5"],
    "no modes": _swap(r"\bG(90|94)\b", ""),
    "a line that is too long": _put("(" + "a" * 90 + ")"),
    "a beam that creeps": _put("G1 S500 F0.5", "G1 X5"),
    "an end in the middle": _put("%"),
    "corners cut": _put("G64 P4"),
    "switched off and on": _put("M5 M3"),
    "the head far down": _put("G0 Z-400 S0"),
    "the head far down in steps": _put(*["G91", "G1 Z-30 S0"], *["G1 Z-30 S0"] * 3, "G90"),
    "an arc that stands upright": _put("G18 G2 X5 Z5 I2 K2 S500"),
    "a power that was left": _swap(r"\bS0\b", ""),
    "a wait that goes elsewhere": _put("G4 P0.1 X9000 S0"),
    "a circle without a place": _put("G2 I9000 J0 S500", "G1"),
    "an arc by radius, too": _put("G2 I5 J0 R400 S500"),
    "inches in the middle": _put("G20", "G1 X0.5 S500", "G21"),
    "a line that no controller takes": _put("N-5 M5"),
    "a whole circle by rounding": _put("G91 G2 X0.0001 Y0 I9000 J0 S0", "G90 G1"),
    "burns on one place": _put("G91", *["G1 X0 S500"] * 600, "G90"),
    "more digits than are read": _swap(r"\bM5\b", "M000000005"),
    "a line that is refused for its modes": _put("M5 M8 M9"),
    "a wait without its time": _put("M5 G4"),
    "switched off behind a comment": _swap(r"\bM5\b", "(off; now) M5"),
    "a whole circle by its angles": _put("G91 G3 X0.4 Y0 I9000 J0 S0", "G90 G1"),
    "burns on one place by arcs": _put(
        "G91", *["G3 X0 Y0.01 I-20 J0 S500", "G2 X0 Y-0.01 I-20 J0"] * 300, "G90 G1"
    ),
    "an arc off the bed": _put("G2 X0 Y0 I9000 J9000 S500"),
}


def unsafe(rng: random.Random) -> Iterator[Figure]:
    """Good burn files with one unsafe act of each known kind: none may be called safe."""
    called_safe, tries = 0, 0
    for program, limits in [_program(rng) for _ in range(10)]:
        for name, spoil in UNSAFE.items():
            burning = [n for n, line in enumerate(program) if BURNING.search(line)]
            text = "\n".join(spoil(program, rng.choice(burning))) + "\n"
            tries += 1
            if check_gcode(text, limits).safe:
                called_safe += 1
                print(f"       called safe: {name}", flush=True)
    yield f"unsafe files called safe, of {tries}", called_safe, 0


def _program(rng: random.Random) -> tuple[list[str], object]:
    """The lines of a good burn file with burning lines, not a long one, and its limits."""
    while True:
        kind = rng.choice(all_kinds())
        machine = replace(rng.choice((LONG, NORTH, MARKER)), header=())
        try:
            trial = kind_plan(kind.id, rng.choice(kind.tasks), machine, BIRCH).trial
        except AlmanacError:
            continue  # no room for this kind on this machine
        text = b"".join(part for _, part in gcode_parts(trial, letters())).decode()
        if len(text) < LONG_BYTES and BURNING.search(text):
            assert check_gcode(text, limits_of(trial)).safe
            return text.splitlines(), limits_of(trial)


FILLER = """
import random, sys
from dataclasses import replace
from pathlib import Path
from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.records.reading import Reading
from olive_almanac.steps.files import write_together
from olive_almanac.storage.library import Library
from tests.samples import BIRCH
folder, rng = Path(sys.argv[1]), random.Random(int(sys.argv[2]))
refusals, told = [], 0
try:
    library = Library.open(folder)
    for n in range(10**6):
        act = rng.randrange(4)
        if act == 0:
            library.keep_photo(rng.randbytes(rng.randrange(1, 90_000)), ".jpg")
        if act == 1:
            write_together({folder / "burn" / "a.nc": "x" * rng.randrange(1, 60_000)})
        if act == 2:
            library.backup()
        library.save_stock(replace(BIRCH, uid=f"s{n}", notes="x" * rng.randrange(900)), "set up")
        library.save_reading("t", Reading(f"A{n}", "free"), "read")
        print(n, flush=True)
except AlmanacError as problem:
    print("refused:", problem, flush=True)
"""
READER = """
import sys
from pathlib import Path
from olive_almanac.core.errors import AlmanacError
from olive_almanac.storage.library import Library
from tests.samples import BIRCH
try:
    library = Library.open(Path(sys.argv[1]))
except AlmanacError as problem:
    print("refused:", problem)
    sys.exit()
print(*(stock.uid for stock in library.stocks()), *(r.cell for r in library.readings("t")))
try:
    library.save_stock(BIRCH, "set up")
    print("written")
except AlmanacError as problem:
    print("refused:", problem)
"""
SMALL_DISK = """
set -e
mount -t tmpfs -o size=$3k disk "$1"
"$0" -c "$FILLER" "$1/library" "$2" || echo traceback
mount -o remount,ro disk "$1"
echo read-only
"$0" -c "$READER" "$1/library" || echo traceback
mount -o remount,rw,size=90m disk "$1"
echo freed
"$0" -c "$READER" "$1/library" || echo traceback
umount "$1"
"""


def disks(rng: random.Random) -> Iterator[Figure]:
    """A disk fills up while it is written to, is read-only then, and has room again at last."""
    raised = lost = not_told = not_made = 0
    for _ in range(20):
        with tempfile.TemporaryDirectory() as holder:
            seed, size_kb = rng.randrange(10**6), rng.randrange(300, 3000)
            arguments = (sys.executable, holder, str(seed), str(size_kb))
            done = subprocess.run(
                ["unshare", "-rm", "sh", "-c", SMALL_DISK, *arguments],
                capture_output=True,
                text=True,
                env={**_env(), "FILLER": FILLER, "READER": READER},
            )
        filled, _, rest = done.stdout.partition("read-only\n")
        shut, _, freed = rest.partition("freed\n")
        not_made += not freed
        raised += done.stdout.count("traceback")
        if "traceback" in done.stdout:
            print(done.stderr[-800:], flush=True)
        numbers = [int(line) for line in filled.splitlines() if line.isdigit()]
        for number in numbers:
            lost += f"A{number}" not in freed.split() or f"s{number}" not in freed.split()
        not_told += "refused: " not in filled or "refused: " not in shut or "written" in shut
        not_told += bool(numbers) and "written" not in freed
    yield "disks that could not be made small here", not_made, 0
    yield "full and read-only disks: tracebacks", raised, 0
    yield "full and read-only disks: what was told and is gone", lost, 0
    yield "full and read-only disks: not told in a sentence", not_told, 0


def _env() -> dict[str, str]:
    return {**os.environ, "PYTHONPATH": str(ROOT), "PYTHONDONTWRITEBYTECODE": "1"}


def clocks(rng: random.Random) -> Iterator[Figure]:
    """The clock jumps between writes and backups: the fullest backup is never given up, and what
    was written before the first backup of a new day is in it.
    """
    behind = gone = 0
    for _ in range(30):
        with tempfile.TemporaryDirectory() as holder:
            clock = mock.Mock(return_value=datetime(2026, 4, 14, 9, 30))  # noqa: DTZ001  local
            library = Library.open(Path(holder) / "library", clock=clock)
            days, fullest = set[object](), 0
            for n in range(25):
                jump = timedelta(days=rng.choice((-400, -30, -1, 0, 1, 1, 2, 40)), hours=n)
                clock.return_value += jump
                library.save_stock(replace(BIRCH, uid=f"s{n}"), "set up")
                library.backup()
                if clock().date() not in days:  # one backup a day, by its first moment
                    fullest = n + 1
                days.add(clock().date())
                newest = newest_backup(library.folder)
                behind += newest is None or newest[1] < fullest
            gone += len(library.stocks()) != 25
            library.close()
    yield "clocks that jump: backups that hold less than the book", behind, 0
    yield "clocks that jump: what was told and is gone", gone, 0


TWIN = """
import sys
from dataclasses import replace
from pathlib import Path
from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.records.reading import Reading
from olive_almanac.storage.library import Library
from tests.samples import BIRCH, sample_entry
folder, name = Path(sys.argv[1]), sys.argv[2]
library = Library.open(folder)
for n in range(60):
    try:
        library.save_reading("t", Reading(f"{name}{n}", "free"), "read")
        print(f"{name}{n}", flush=True)
        library.save_stock(replace(BIRCH, uid=f"{name}s{n}"), "set up")
        print(f"{name}s{n}", flush=True)
        library.save_stock(replace(BIRCH, notes=f"{name} {n}"), "set up")
        if n % 9 == 0:
            library.backup()
    except AlmanacError as problem:
        print("refused:", problem, flush=True)
"""


def writers(rng: random.Random) -> Iterator[Figure]:
    """Three programs write into one library at once: what each was told is there."""
    lost = raised = 0
    for _ in range(10):
        with tempfile.TemporaryDirectory() as holder:
            folder = Path(holder) / "library"
            Library.open(folder).close()
            twins = [
                subprocess.Popen(
                    [sys.executable, "-c", TWIN, str(folder), name],
                    stdout=subprocess.PIPE,
                    text=True,
                    env=_env(),
                )
                for name in "ABC"
            ]
            told = [line for twin in twins for line in twin.communicate()[0].splitlines()]
            raised += sum(twin.returncode != 0 for twin in twins)
            with contextlib.closing(Library.open(folder)) as library:
                kept = {reading.cell for reading in library.readings("t")}
                kept |= {stock.uid for stock in library.stocks()}
            lost += sum(not line.startswith("refused") and line not in kept for line in told)
    yield "three writers at once: what was told and is gone", lost, 0
    yield "three writers at once: tracebacks", raised, 0


def cuts(rng: random.Random) -> Iterator[Figure]:
    """Runs whose line is cut or falls silent at any moment, while the machine goes on with what it
    holds, or that are stopped: the library knows of each cell that may be burnt.
    """
    from tests.steps.test_burning import BurningCase

    class Cut(BurningCase):
        def runTest(self) -> None:
            """Burn part of a coupon."""

    unknown = 0
    for _ in range(150):
        case = Cut()
        case.setUp()
        burner, of_line, line = case.start(), case.cells_by_line(), case.bench_line
        for _ in range(rng.randrange(5, 2500)):
            if not burner.pump():
                break
            line.let(rng.choice((0.005, 0.02)))
        how = rng.choice(("cut", "silent", "stop"))
        if how == "stop":
            burner.stop()
        else:
            setattr(line, how, True)
        while burner.pump():
            line.let(0.02)
        line.let(120.0)
        begun = min(line.controller.done + 1, burner.stream.sent)
        touched = {cell for cell in of_line[:begun] if cell}
        unknown += len(touched - case.kept().gone)
        case.doCleanups()
    yield "cut runs: cells that may be burnt and are not known", unknown, 0
