"""Start-up: CPU time to the first painted, usable Book page with the demo library, against a bare
QMainWindow.

Both are started in processes of their own, in turn, medians of 7.  CPU time of the process is what
counts: it does not depend on what else the machine is doing.
"""

import json
import os
import statistics
import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).parents[1]
RUNS = 7
BARE = """
import json, time
from PySide6.QtWidgets import QApplication, QMainWindow
app = QApplication([])
window = QMainWindow()
window.resize(1280, 800)
window.show()
app.processEvents()
print(json.dumps({"cpu_s": time.process_time()}))
"""
FIRST_PICTURE = """
import json, sys, time
spent = [("interpreter", time.process_time())]
def passed(what):
    spent.append((what, time.process_time() - sum(s for _, s in spent)))
import PySide6.QtWidgets
passed("Qt loaded")
from pathlib import Path
from olive_almanac import __main__ as program
from olive_almanac.views.application import make_application
from olive_almanac.views.window import MainWindow
passed("program loaded")
folder = Path(sys.argv[1])
app = make_application()
window = MainWindow(folder, program.make_services(folder / "preferences.json"))
passed("book read, page built")
window.show()
app.processEvents()
passed("painted")
assert window.station == "book"
rows = window.pages["book"].left.index.index_model.rowCount()
told = {"spent": spent, "rows": rows, "loaded": sorted(sys.modules)}
print(json.dumps({"cpu_s": time.process_time(), **told}))
"""


def run_program(program: str, *arguments: str) -> dict[str, object]:
    """Run a program offscreen in a process of its own and return what it prints last."""
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "PYTHONPATH": str(ROOT)}
    environment.pop("PYTHONDONTWRITEBYTECODE", None)  # an installed program keeps its bytecode
    run = subprocess.run(
        [sys.executable, "-c", program, *arguments],
        capture_output=True,
        text=True,
        env=environment,
        timeout=120,
    )
    assert run.returncode == 0, run.stderr
    return json.loads(run.stdout.splitlines()[-1])


def measure():
    from olive_almanac.__main__ import make_demo

    with tempfile.TemporaryDirectory() as holder:
        folder = Path(holder) / "demo"
        make_demo(folder)
        runs = [(run_program(BARE), run_program(FIRST_PICTURE, str(folder))) for _ in range(RUNS)]
    assert all(book["rows"] > 12 for _, book in runs)
    pairs = [(bare["cpu_s"], book["cpu_s"]) for bare, book in runs]
    bare, book = (statistics.median(column) for column in zip(*pairs, strict=True))
    print(f"      bare window {1000 * bare:.0f} ms, Book page {1000 * book:.0f} ms of CPU time:")
    for parts in zip(*(told["spent"] for _, told in runs), strict=True):
        spent_s = statistics.median(seconds for _, seconds in parts)
        print(f"      {parts[0][0]} {1000 * spent_s:.0f} ms")
    yield "start-up, Book page over a bare window", book / bare, 3.0
