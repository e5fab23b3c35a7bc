"""The program as a user starts it, in processes of its own: the demo shop, the demo without a
screen, a real X window, kill -9.
"""

import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from collections import Counter
from dataclasses import replace
from datetime import date
from pathlib import Path

from olive_almanac.steps.session import Session
from olive_almanac.steps.snapshot import MOST_ACTS, load_snapshot
from olive_almanac.storage.library import Library
from tests.demo_shop import copy_demo
from tests.samples import BIRCH, LONG, cut_trial, sample_entry, whole_run

ROOT = Path(__file__).parents[1]


def environment(**changes):
    kept = {
        key: value
        for key, value in os.environ.items()
        if key not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
    }
    return {**kept, "PYTHONPATH": str(ROOT), **changes}


class DemoShopTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        cls.folder = Path(holder.name) / "demo"
        copy_demo(cls.folder)
        library = Library.open(cls.folder)
        cls.addClassCleanup(library.close)
        cls.session = Session(today=lambda: date(2026, 4, 14))
        cls.session.attach(library)

    def test_has_entries_in_every_state_and_a_trial_at_every_station(self):
        catalogue = self.session.catalogue
        self.assertEqual((len(catalogue.machines), len(catalogue.stocks) >= 10), (3, True))
        states = Counter()
        for machine in catalogue.machines:
            for stock in catalogue.stocks:
                for task in ("cut", "engrave"):
                    self.session.choose(machine=machine.uid, stock=stock.uid, task=task)
                    states[self.session.state[0]] += 1
        self.assertEqual(
            set(states), {"proven", "trial", "due", "guess", "untried", "cannot", "barred"}
        )
        stages = Counter(stage for _, stage, _ in self.session.trials.kept)
        for stage in ("plan", "burn", "read", "decide", "book"):
            self.assertGreaterEqual(stages[stage], 1, stage)

    def test_every_entry_from_a_trial_stands_on_cells_that_were_read(self):
        for entry in self.session.catalogue.entries:
            if entry.origin == "trial":
                read = sum(
                    len(self.session.store.readings(uid)) for uid in entry.evidence.trial_ids
                )
                self.assertGreaterEqual(read, entry.evidence.cells_read)
                self.assertGreater(entry.evidence.probability, 0.5)

    def test_the_first_picture_is_ready(self):
        whole = self.session.catalogue
        newest = replace(whole, acts=whole.acts[-MOST_ACTS:])
        self.assertEqual(load_snapshot(self.folder), newest)


DEMO_WATCHED = """
import runpy
import sys
def watch(event, arguments):
    if event in ("socket.connect", "socket.bind", "socket.getaddrinfo", "socket.sendto"):
        print("network:", event, arguments, file=sys.stderr)
sys.addaudithook(watch)
sys.argv = ["olive_almanac", "demo", "--out", sys.argv[1]]
runpy.run_module("olive_almanac", run_name="__main__", alter_sys=True)
"""


class HeadlessDemoTest(unittest.TestCase):
    def test_works_from_plan_to_entry_and_saves_a_picture_of_each_page(self):
        with tempfile.TemporaryDirectory() as folder:
            run = subprocess.run(
                [sys.executable, "-c", DEMO_WATCHED, folder],
                capture_output=True,
                text=True,
                timeout=240,
                env=environment(),
                check=False,
            )
            self.assertEqual(run.returncode, 0, run.stderr)
            self.assertIn("confirmed three times: proven", run.stdout)
            self.assertNotIn("network:", run.stderr)  # no connection unless it is asked for
            self.assertTrue(
                {"set-up.png", "plan.png", "burn.png", "read.png", "decide.png", "book.png"}
                <= {p.name for p in Path(folder).iterdir()}
            )
            for path in Path(folder).iterdir():
                self.assertTrue(path.read_bytes().startswith(b"\x89PNG"))


REAL_WINDOW = """
import sys
import time
from pathlib import Path
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication
from olive_almanac import __main__ as program
from olive_almanac.views import application as windows
def look():
    window = QApplication.topLevelWidgets()
    main = next(w for w in window if type(w).__name__ == "MainWindow")
    if main.session.library is None and time.monotonic() < end:
        return QTimer.singleShot(200, look)
    image = main.grab().toImage()
    places = ((x, y) for x in range(0, image.width(), 7) for y in range(0, image.height(), 7))
    colours = {image.pixel(x, y) for x, y in places}
    opened = main.session.library is not None
    print(QApplication.platformName(), main.isVisible(), len(colours) > 20, opened, flush=True)
    main.close()
app = windows.make_application()
end = time.monotonic() + 60
QTimer.singleShot(2500, look)
sys.exit(program._open_window(Path(sys.argv[1]), preferences=Path(sys.argv[1]) / "p.json"))
"""


@unittest.skipUnless(
    shutil.which("Xvfb") and shutil.which("xvfb-run"),
    "no virtual X screen: apt-get install xvfb xauth",
)
class RealWindowTest(unittest.TestCase):
    def test_opens_on_an_x_screen_with_an_empty_library(self):
        with tempfile.TemporaryDirectory() as folder:
            run = subprocess.run(
                [
                    "xvfb-run",
                    "-a",
                    "-s",
                    "-screen 0 1280x800x24",
                    sys.executable,
                    "-c",
                    REAL_WINDOW,
                    f"{folder}/library",
                ],
                capture_output=True,
                text=True,
                timeout=120,
                env=environment(QT_QPA_PLATFORM="xcb"),
                check=False,
            )
        self.assertIn("xcb True True True", run.stdout, run.stderr)


READER = """
import sys
from pathlib import Path
from olive_almanac.views.headless import use_virtual_screen, wait_until
use_virtual_screen()
from PySide6.QtTest import QTest
from olive_almanac import __main__ as program
from olive_almanac.views.application import make_application
from olive_almanac.views.window import MainWindow
folder = Path(sys.argv[1])
make_application()
window = MainWindow(folder, program.make_services(folder / "p.json"))
window.show()
window.open_library()
wait_until(lambda: window.session.library is not None)
window.navigate("read")
page = window.page("read")
while page.presenter.left:
    QTest.keyClicks(page, "n")
    print(len(window.session.active.readings), flush=True)
"""


FAULTY = """
import sys
from olive_almanac import __main__ as program
from olive_almanac.cli import command
def main(argv, services):
    raise {fault}
command.main = main
sys.exit(program.main())
"""


class FaultTest(unittest.TestCase):
    """A fault of our own in a verb: a sentence and a report, no traceback."""

    def told(self, fault):
        with tempfile.TemporaryDirectory() as folder:
            run = subprocess.run(
                [sys.executable, "-c", FAULTY.format(fault=fault)],
                capture_output=True,
                text=True,
                timeout=60,
                env=environment(XDG_STATE_HOME=folder),
                check=False,
            )
            kept = "".join(path.read_text() for path in Path(folder).rglob("fault.txt"))
        self.assertNotIn("Traceback", run.stdout + run.stderr)
        return run.returncode, run.stderr, kept

    def test_it_is_told_in_a_sentence_and_kept(self):
        status, said, kept = self.told("ZeroDivisionError('ours')")
        self.assertEqual(status, 1)
        self.assertIn("A report lies in", said)
        self.assertIn("ZeroDivisionError: ours", kept)

    def test_a_verb_that_is_stopped_by_keys_says_so(self):
        self.assertEqual(self.told("KeyboardInterrupt"), (130, "olive-almanac: stopped.\n", ""))


ASK = ("book", "--find", "birch")


class OutputTest(unittest.TestCase):
    """The answer of a verb on outputs that are full, closed or know few signs."""

    def ask(self, output, **more):
        with tempfile.TemporaryDirectory() as folder:
            library = Library.open(Path(folder))
            library.save_machine(replace(LONG, name="Гравер"), "set up")
            library.save_stock(BIRCH, "set up")
            library.save_entry(sample_entry(), "chosen")
            library.close()
            return subprocess.run(
                [sys.executable, "-m", "olive_almanac", "--library", folder, *ASK],
                stdout=output,
                stderr=subprocess.PIPE,
                env={**environment(), **more},
            )

    def test_a_full_device_is_told(self):
        with open("/dev/full", "wb") as full:
            answer = self.ask(full)
        self.assertEqual(answer.returncode, 1)
        self.assertIn(b"the answer was cut off: No space left on device.", answer.stderr)
        self.assertNotIn(b"Traceback", answer.stderr)

    def test_a_terminal_with_few_signs_gets_question_marks(self):
        for encoding in ("ascii", "latin-1"):
            answer = self.ask(subprocess.PIPE, PYTHONIOENCODING=encoding)
            self.assertEqual((answer.returncode, answer.stderr), (0, b""))
            self.assertIn(b"?????? 60 W, Birch ply", answer.stdout)

    def test_a_reader_that_goes_away_is_no_fault(self):
        reading, writing = os.pipe()
        os.close(reading)
        answer = self.ask(writing)
        os.close(writing)
        self.assertEqual((answer.returncode, answer.stderr), (1, b""))


class KillWhileReadingTest(unittest.TestCase):
    def test_every_verdict_told_before_the_kill_is_there_after_it(self):
        trial = cut_trial()
        with tempfile.TemporaryDirectory() as holder:
            folder = Path(holder) / "library"
            library = Library.open(folder)
            library.save_machine(trial.machine, "set up")
            library.save_stock(trial.stock, "set up")
            library.save_trial(trial, "read", "burnt")
            library.save_run(trial.id, whole_run(trial), "burnt")
            library.close()
            reader = subprocess.Popen(
                [sys.executable, "-c", READER, str(folder)],
                stdout=subprocess.PIPE,
                text=True,
                env=environment(),
            )
            told = 0
            for line in reader.stdout:
                told = int(line)
                if told == 9:
                    break
            reader.send_signal(signal.SIGKILL)
            reader.stdout.close()
            reader.wait()
            time.sleep(0.1)
            library = Library.open(folder)
            try:
                self.assertGreaterEqual(len(library.readings(trial.id)), told)
                self.assertEqual(
                    {reading.verdict for reading in library.readings(trial.id)}, {"not_through"}
                )
            finally:
                library.close()
