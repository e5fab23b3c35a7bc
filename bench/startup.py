"""Start-up: CPU time to the first painted, usable Book page with the demo library, against a bare QMainWindow.

Both are started in processes of their own, in turn, medians of 7.  CPU time of the process is what counts: it does not
depend on what else the machine is doing.
"""

import os
import statistics
import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).parents[1]
RUNS = 7
BARE = """
import time
from PySide6.QtWidgets import QApplication, QMainWindow
app = QApplication([])
window = QMainWindow()
window.resize(1280, 800)
window.show()
app.processEvents()
print(time.process_time())
"""
BOOK = """
import sys, time
from pathlib import Path
from olive_almanac import __main__ as program
from olive_almanac.views.window import MainWindow, Outside, make_application
folder = Path(sys.argv[1])
app = make_application()
window = MainWindow(folder, Outside(program._open_library, None, program._make_bench, None, program._now, folder / "preferences.json"))
window.show()
app.processEvents()
assert window.station == "Book" and window.pages["Book"].left.index.index_model.rowCount() > 12
print(time.process_time())
"""


def _cpu_seconds(program: str, *arguments: str) -> float:
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "PYTHONPATH": str(ROOT)}
    environment.pop("PYTHONDONTWRITEBYTECODE", None)  # an installed program keeps its bytecode
    run = subprocess.run([sys.executable, "-c", program, *arguments], capture_output=True, text=True, check=True, env=environment)
    return float(run.stdout.split()[-1])


def measure():
    from olive_almanac.__main__ import make_demo

    with tempfile.TemporaryDirectory() as holder:
        folder = Path(holder) / "demo"
        make_demo(folder)
        pairs = [(_cpu_seconds(BARE), _cpu_seconds(BOOK, str(folder))) for _ in range(RUNS)]
    bare, book = (statistics.median(column) for column in zip(*pairs, strict=True))
    print(f"      bare window {1000 * bare:.0f} ms, Book page {1000 * book:.0f} ms of CPU time")
    yield "start-up, Book page over a bare window", book / bare, 3.0
