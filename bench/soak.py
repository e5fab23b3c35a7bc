"""The long study of what must never happen: `make soak`, or `python -m bench.soak PART [SEED]`.

Prints one line a figure with the bar that it must keep.  A seed gives other plans, readings, poison
and moments of kills; SOAK_MINUTES is how long the window is used (120), SOAK_SHARE how much of the
counts is done (1).  The long use begins alone, and once it has settled the other parts run beside.
"""

from __future__ import annotations

import collections
import contextlib
import json
import os
import random
import resource
import signal
import subprocess
import sys
import tempfile
import threading
import time
import traceback
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

from bench.hardships import Figure, clocks, cuts, disks, unsafe, writers
from bench.hostile_jobs import one_job
from olive_almanac.core.design.kinds.kind import all_kinds
from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.photo.judge import Limits
from olive_almanac.core.records.plain import to_plain
from olive_almanac.core.records.reading import VERDICTS, Reading
from olive_almanac.core.records.run import KeptPhoto, RunRecord
from olive_almanac.core.records.sight import CellSight
from olive_almanac.core.records.stock import Sheet
from olive_almanac.formats.gcode import gcode_parts
from olive_almanac.formats.gcode_check import check_gcode
from olive_almanac.formats.letters import letters
from olive_almanac.formats.library_json import read_library, write_library
from olive_almanac.formats.notes import read_notes
from olive_almanac.formats.photo import decode_photo
from olive_almanac.formats.station_files import read_machine, read_readings, read_stock, read_trial
from olive_almanac.standins.bench import StandInBench
from olive_almanac.steps.active import ActiveTrial
from olive_almanac.steps.decide import Basis, work_out
from olive_almanac.steps.photo import suggestions
from olive_almanac.steps.session import read_all
from olive_almanac.steps.trial_files import limits_of
from olive_almanac.storage.library import Library
from tests.demo_shop import copy_demo
from tests.samples import BIRCH, LONG, MARKER, NORTH, PLATE, area_limits, cut_trial, kind_plan
from tests.second_reader import faults_of
from tests.storage.test_door import POISONS, leaves, with_value

ROOT = Path(__file__).parents[1]
SHARE = float(os.environ.get("SOAK_SHARE", "1"))
MINUTES = float(os.environ.get("SOAK_MINUTES", "120"))
SLOW_S = 10.0
SETTLES_S = min(600.0, 60 * MINUTES / 3)
REST_S = 2.0  # in which the window tidies up
KILLS_OF_ONE = 100  # library, before the next is begun
NETWORK = ("socket.connect", "socket.bind", "socket.getaddrinfo", "socket.sendto")


def count(number: int) -> int:
    return max(1, round(number * SHARE))


def seconds_not_starved() -> float:
    """Return a clock that stands still while this thread could run and every core has other work:
    the parts of this study stand in each other's way, and a hang must not be told from that.
    """
    starved_ns = int(Path("/proc/thread-self/schedstat").read_text().split()[1])
    return time.monotonic() - starved_ns / 1e9


class Tried:
    """Counts what was tried, what raised, what gave no sign for long; prints each new fault once.

    Work that tells how far it is, and can be stopped there, calls what `one` hands out.
    """

    def __init__(self) -> None:
        self.tries = self.raised = self.slow = 0
        self._seen: collections.Counter[str] = collections.Counter()

    @contextlib.contextmanager
    def one(self, what: str) -> Iterator[Callable[[], None]]:
        self.tries += 1
        began = last = seconds_not_starved()
        longest_s = 0.0

        def sign() -> None:
            nonlocal last, longest_s
            now = seconds_not_starved()
            longest_s, last = max(longest_s, now - last), now

        try:
            yield sign
        except AlmanacError:
            pass  # told in a sentence: as it should be
        except Exception as fault:  # the very thing that is counted
            self.raised += 1
            place = traceback.extract_tb(fault.__traceback__)[-1]
            told = f"{what}: {fault!r:.120} at {Path(place.filename).name}:{place.lineno}"
            self._seen[told] += 1
            if self._seen[told] == 1:
                print("      ", told, flush=True)
        sign()
        self.slow += longest_s > SLOW_S
        if last - began > SLOW_S:
            told = f"{last - began:.0f} s, {longest_s:.1f} s without a sign"
            print(f"       {what}: {told}", flush=True)

    def figures(self, what: str) -> Iterator[Figure]:
        yield f"{what}: tracebacks in {self.tries}", self.raised, 0
        yield f"{what}: over {SLOW_S:g} s without a sign in {self.tries}", self.slow, 0


def plans(rng: random.Random) -> Iterator[Figure]:
    """Random plans of every kind on random machines and sheets: the checker takes what we plan."""
    tried, planned, refused, faulty = Tried(), 0, 0, 0
    for _ in range(count(10_000)):
        base = rng.choice((LONG, NORTH, MARKER))
        top = round(rng.uniform(5, base.max_speed_mm_s), rng.choice((0, 1, 2, 5)))
        machine = replace(
            base,
            max_speed_mm_s=top,
            file_units=rng.choice(("mm", "inch")),
            bed_mm=(round(rng.uniform(90, 900), 2), round(rng.uniform(90, 900), 2)),
            power_scale=rng.choice((1000, 255, 100, 1)),
            acceleration_mm_s2=rng.choice((100, 2000, 20000)),
            header=rng.choice(((), ("M8",))),
        )
        stock = replace(BIRCH, thickness_mm=rng.choice((0.5, 1.5, 3, 6)), measured_mm=())
        kind = rng.choice(all_kinds())
        text, limits = "", None
        with tried.one(f"plan {kind.id}"):
            more = {"sheet": _sheet(rng)} if rng.random() < 0.8 else {}
            trial = kind_plan(kind.id, rng.choice(kind.tasks), machine, stock, **more).trial
            text = b"".join(part for _, part in gcode_parts(trial, letters())).decode()
            limits = limits_of(trial)
            planned += 1
            report = check_gcode(text, limits)
            refused += not report.safe
            if not report.safe:
                print(f"       {kind.id} refused: {report.findings[0].text}", flush=True)
        # by our reader, whose time is not the program's
        found = faults_of(text, limits) if limits is not None else []
        faulty += bool(found)
        if found:
            print(f"       {kind.id}, second reader: {found[0]}", flush=True)
    yield from tried.figures("plans")
    yield "plans that a second reader finds faulty", faulty, 0
    yield f"plans refused by our checker, % of {planned}", 100 * refused / max(1, planned), 1


def jobs(rng: random.Random) -> Iterator[Figure]:
    """Random drawings, many of them odd, through the whole of a job."""
    tried, programs, faulty = Tried(), 0, 0
    for _ in range(count(1000)):
        seed, written = rng.randrange(2**32), []
        with tried.one(f"job {seed}") as sign:
            written = one_job(random.Random(seed), sign)
        for text, limits in written:  # by our reader, whose time is not the program's
            faults = faults_of(text, limits) if limits is not None else []
            programs += 1
            faulty += bool(faults)
            if faults:
                print(f"       job {seed}, second reader: {faults[0]}", flush=True)
    yield from tried.figures("jobs")
    yield f"jobs that a second reader finds faulty, of {programs} programs", faulty, 0


def _sheet(rng: random.Random) -> Sheet:
    width, height = rng.uniform(60, 400), rng.uniform(60, 400)
    clamps = []
    for _ in range(rng.randint(0, 3)):
        x, y = rng.uniform(0, width * 0.8), rng.uniform(0, height * 0.8)
        clamps.append((x, y, x + rng.uniform(2, 30), y + rng.uniform(2, 30)))
    return Sheet(width, height, (), tuple(clamps))


def decisions(rng: random.Random) -> Iterator[Figure]:
    """Every kind, task and source with readings of many patterns."""
    tried = Tried()
    patterns = ("none", "one", "any", "flared", "gauge", *VERDICTS["cut"], *VERDICTS["engrave"])
    for kind in all_kinds():
        for task in kind.tasks:
            for machine in (LONG, NORTH, MARKER):
                for pattern in patterns:
                    if rng.random() > SHARE:
                        continue
                    with tried.one(f"decide {kind.id} {task} {machine.source} {pattern}"):
                        stock = rng.choice((BIRCH, PLATE))
                        trial = kind_plan(kind.id, task, machine, stock).trial
                        for _ in work_out(Basis([(trial, _read(trial, pattern, rng))])):
                            pass
    yield from tried.figures("decisions")


def _read(trial, pattern: str, rng: random.Random) -> tuple[Reading, ...]:
    verdicts = VERDICTS[trial.task]
    cells = {"none": (), "one": trial.cells[:1]}.get(pattern, trial.cells)
    found = []
    for cell in cells:
        verdict = pattern if pattern in verdicts else rng.choice(verdicts)
        reading = Reading(cell.id, verdict, char=rng.choice((None, 0, 1, 2)))
        if pattern == "flared":
            reading = replace(reading, char=3)
        if pattern == "gauge":
            reading = Reading(
                cell.id, None, depth_mm=1.0, kerf_mm=0.2, lightness=rng.uniform(0, 100), by="gauge"
            )
        found.append(reading)
    return tuple(found)


def files(rng: random.Random) -> Iterator[Figure]:
    """Every door for files, with good files that were cut, mixed up and sown with rubbish."""
    trial = cut_trial()
    from olive_almanac.formats import station_files as station

    readings = [Reading(cell.id, "free") for cell in trial.cells]
    program = b"".join(part for _, part in gcode_parts(trial, letters()))
    notes = b"Material,Thickness,Power,Speed\noak,3 mm,80 %,20 mm/s\n3mm birch cut 80% 20mm/s x2\n"
    photo = StandInBench(3).photograph(trial, letters())
    doors = {
        "trial": (station.write_trial(trial).encode(), lambda d: read_trial(_text(d), "f")),
        "machine": (station.write_machine(LONG).encode(), lambda d: read_machine(_text(d), "f")),
        "stock": (station.write_stock(BIRCH).encode(), lambda d: read_stock(_text(d), "f")),
        "readings": (
            station.write_readings(trial.id, readings).encode(),
            lambda d: read_readings(_text(d), "f", trial),
        ),
        "program": (program, lambda d: check_gcode(_text(d), area_limits(trial))),
        "notes": (notes, lambda d: read_notes(d, "f")),
        "photo": (photo, lambda d: decode_photo(d, "f.jpg")),
    }
    tried = Tried()
    while tried.tries < count(100_000):
        name = rng.choice(list(doors))
        if name == "photo" and rng.random() < 0.95:
            continue  # a photo takes a hundred times longer than the others
        whole, read = doors[name]
        with tried.one(f"file {name}"):
            read(_sown(whole, rng))
    yield from tried.figures("files")
    most = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    yield "files: most memory, MB", most, 1024


def _text(data: bytes) -> str:
    return data.decode("utf-8", "replace")


def _sown(whole: bytes, rng: random.Random) -> bytes:
    data = bytearray(whole)
    for _ in range(rng.randint(1, 6)):
        at, end = sorted(rng.randrange(len(data) + 1) for _ in "ab")
        act = rng.randrange(6)
        if act == 0:
            data[at:at] = rng.randbytes(rng.randint(1, 9))
        elif act == 1:
            del data[at : min(end, at + 200)]
        elif act == 2 and data:
            data[at % len(data)] ^= 1 << rng.randrange(8)
        elif act == 3:
            data[at:at] = rng.choice((b"9" * 400, b"1e999", b"-", b"[" * 2000, b'"', b"\0", b"NaN"))
        elif act == 4:
            data[at:at] = data[at : min(end, at + 300)]
        else:
            del data[at:]
        data = data or bytearray(b" ")
    return bytes(data)


def merges(rng: random.Random) -> Iterator[Figure]:
    """Poisoned libraries taken in: whatever comes in, the library opens again with its rest."""
    tried, lost = Tried(), 0
    with tempfile.TemporaryDirectory() as holder:
        demo = Path(holder) / "demo"
        copy_demo(demo)
        with contextlib.closing(Library.open(demo)) as library:
            document = json.loads(write_library(library.rows(), ()))
        photos_shown = {"front": KeptPhoto("a.jpg", cells=(CellSight("A1", 0.9, (), out=True),))}
        document["tables"]["run"][-1]["body"]["photos"] = to_plain(photos_shown)
        tables = {name: rows for name, rows in document["tables"].items() if rows}
        trial = cut_trial()
        for n in range(count(1000)):
            name = rng.choice(list(tables))
            row = rng.choice(tables[name][-9:])
            path = rng.choice(list(leaves(row, ())))
            bad = {**document, "tables": {name: [with_value(row, path, rng.choice(POISONS))]}}
            folder = Path(holder) / f"into-{n}"
            with tried.one(f"merge {name} {path}"):
                with contextlib.closing(Library.open(folder)) as library:
                    library.make_playground()
                    library.save_machine(LONG, "set up")
                    with contextlib.suppress(AlmanacError):
                        taken, photos = read_library(json.dumps(bad), "bad.json")
                        library.take_in(taken, photos.__getitem__, tuple(photos))
                with contextlib.closing(Library.open(folder)) as library:
                    catalogue, _ = read_all(library)
                    run = library.run_of(str(row["uid"])) or RunRecord()
                    suggestions(ActiveTrial(trial, "read", run=run), Limits())
                    lost += LONG not in catalogue.machines
    yield from tried.figures("merges")
    yield "libraries that lost what they had", lost, 0


WRITER = """
import sys
from dataclasses import replace
from pathlib import Path
from olive_almanac.core.records.entry import Proof
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.run import CellBurn, RunRecord
from olive_almanac.steps.files import write_together
from olive_almanac.storage.library import Library
from tests.samples import BIRCH, sample_entry
folder = Path(sys.argv[1])
library = Library.open(folder)
for n in range(int(sys.argv[2]), 10**9):
    library.save_reading("t", Reading(f"A{n}", "free"), "read")
    library.save_stock(replace(BIRCH, uid=f"s{n}"), "set up")
    library.save_run("t", RunRecord(by="machine", cells={f"A{n}": CellBurn()}), "burnt")
    library.save_entry(sample_entry(uid=f"e{n}", proofs=(Proof("2026-04-14", "passed"),)), "good")
    library.keep_photo(b"photo %d" % n, ".jpg")
    write_together({folder / "burn" / name: str(n) for name in ("a.nc", "b.pdf", "c.json")})
    print(n, flush=True)
"""


def kills(rng: random.Random) -> Iterator[Figure]:
    """A writing program is killed at random moments: all that it had told is there afterwards."""
    lost = unopened = mixed = 0
    with tempfile.TemporaryDirectory() as holder:
        for n in range(count(1000)):
            if n % KILLS_OF_ONE == 0:  # all of a library is read after each kill
                folder, done = Path(holder) / f"library-{n}", -1
                Library.open(folder).close()
            writer = subprocess.Popen(
                [sys.executable, "-c", WRITER, str(folder), str(done + 1)],
                stdout=subprocess.PIPE,
                text=True,
                env={**os.environ, "PYTHONPATH": str(ROOT)},
            )
            assert writer.stdout is not None
            first = writer.stdout.readline()
            time.sleep(rng.uniform(0, 0.05))
            writer.send_signal(signal.SIGKILL)
            told = [first, *writer.stdout.read().splitlines()]
            writer.wait()
            done = max([done, *(int(line) for line in told if line.strip().isdigit())])
            try:
                with contextlib.closing(Library.open(folder)) as library:
                    lost += _missing(library, done)
            except AlmanacError as problem:
                unopened += 1
                print("       after a kill:", problem, flush=True)
            written = {path.read_text() for path in (folder / "burn").glob("*.*") if _whole(path)}
            mixed += len(written) > 2  # a kill between two swaps leaves at most two generations
    yield "kills: what was told and is gone", lost, 0
    yield "kills: libraries that did not open", unopened, 0
    yield "kills: burn files of more than two writes", mixed, 0


def _whole(path: Path) -> bool:
    return path.suffix != ".part"


def _missing(library: Library, done: int) -> int:
    if done < 0:
        return 0
    read = {reading.cell for reading in library.readings("t")}
    entries = {entry.uid for entry in library.entries()}
    stocks = {stock.uid for stock in library.stocks()}
    newest = range(max(0, done - 30), done + 1)
    return sum(
        f"A{n}" not in read or f"e{n}" not in entries or f"s{n}" not in stocks for n in newest
    )


def use(rng: random.Random) -> Iterator[Figure]:
    """The window is used by keys for a long time: memory, widgets and threads stay as they were."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtCore import QEvent, Qt
    from PySide6.QtWidgets import QApplication

    from olive_almanac.views.finder import Finder
    from tests.views.test_stations import ShopCase

    class Use(ShopCase):
        def runTest(self) -> None:
            """Walk through the stations, looks, sizes and subjects."""

    connections: list[str] = []
    sys.addaudithook(lambda event, _: connections.append(event) if event in NETWORK else None)
    case = Use()
    Use.setUpClass()
    case.setUp()
    case.alt(Qt.Key.Key_2)
    case.write_burn_file()
    keys = [Qt.Key(Qt.Key.Key_1 + n) for n in (0, 1, 2, 3, 4, 5, 8)]

    theme = case.session.preferences.theme
    seen: set[str] = set()

    def step() -> None:
        act = rng.randrange(8)
        if act < 4:
            case.alt(rng.choice(keys))
        elif act == 4:
            case.window.switch_theme()
        elif act == 5:
            case.window.change_scale(rng.choice((-1, 0, 1)))
        elif act == 6:
            case.window.find()
            case.settle(20)
            for finder in case.window.findChildren(Finder):
                finder.reject()
            case.window.activateWindow()  # here no window manager does it: keys would be lost
        else:
            case.window.resize(rng.choice((1000, 1280, 1500)), rng.choice((700, 800)))
            case.session.choose(stock=rng.choice(("birch-3", "leather-2")))
        case.settle(15)
        seen.add(case.window.station)

    def measured() -> tuple[float, int, int]:
        """Memory, widgets and threads, always of the same page in the same look and size."""
        case.window.change_scale(0)
        if case.session.preferences.theme != theme:
            case.window.switch_theme()
        case.window.resize(1280, 800)
        case.session.choose(stock="birch-3")
        case.window.navigate("book")
        case.wait_for(lambda: not case.window.is_busy, 60)
        case.settle(round(1000 * REST_S))
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
        pages = int(Path("/proc/self/statm").read_text().split()[1])
        memory = pages * resource.getpagesize() / 1e6
        return memory, len(QApplication.allWidgets()), threading.active_count()

    end = time.monotonic() + 60 * MINUTES
    settled = time.monotonic() + SETTLES_S
    before: tuple[float, int, int] | None = None
    told = settled
    while time.monotonic() < end:
        step()
        if time.monotonic() > told:  # how it goes on: a cache fills and is full, a leak does not
            told += (end - settled) / 6
            now = measured()
            before = before or now
            print(f"       {now[0]:.1f} MB, {now[1]} widgets, {now[2]} threads", flush=True)
    memory, widgets, threads = measured()
    case.doCleanups()
    assert before is not None
    print(f"       {before} before, {(memory, widgets, threads)} after {MINUTES:g} min", flush=True)
    yield "use: memory grown, % after it had settled", 100 * (memory / before[0] - 1), 5
    yield "use: widgets more", widgets - before[1], 1000
    yield "use: stations that were not looked at", len(keys) - len(seen), 0
    yield "use: connections opened", len(connections), 0
    yield "use: threads more", threads - before[2], 0


# those that found something last, and the longest, before the others
IN_ORDER = (jobs, unsafe, plans, kills, decisions, files, disks, writers, merges, clocks, cuts)
PARTS = {part.__name__: part for part in (*IN_ORDER, use)}
PATIENCE = 5  # how much the long use stands back for the others, as nice() counts


def main() -> int:
    if sys.argv[1:]:
        return tell(sys.argv[1], *map(int, sys.argv[2:3]))
    with ThreadPoolExecutor(1) as beside, ThreadPoolExecutor(os.cpu_count()) as cores:
        using = beside.submit(ran_badly, use.__name__, PATIENCE)
        time.sleep(SETTLES_S)
        bad = list(cores.map(ran_badly, [part.__name__ for part in IN_ORDER]))
    return int(any((*bad, using.result())))


def ran_badly(part: str, patience: int = 0) -> bool:
    """Run a part as a process of its own; return whether it is over a bar or broke off, which is
    said at once.
    """
    code = subprocess.run(["nice", "-n", str(patience), *command(part)], cwd=ROOT).returncode
    if code not in (0, 1):
        print(f"OVER  {part}: ended by itself with {code}, its figures are not known", flush=True)
    return code != 0


def command(part: str) -> list[str]:
    """Return the command line of one part, which runs as a process of its own."""
    return [sys.executable, "-m", "bench.soak", part]


def tell(name: str, seed: int = 1) -> int:
    """Run a part and print its figures; return 1 where one is over its bar, else 0."""
    bad = 0
    for what, value, most in PARTS[name](random.Random(seed)):
        good = value <= most
        bad |= not good
        print(f"{'ok  ' if good else 'OVER'}  {what}: {value:.3g} (at most {most:g})", flush=True)
    return int(bad)


if __name__ == "__main__":
    sys.exit(main())
