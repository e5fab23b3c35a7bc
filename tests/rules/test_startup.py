"""Nothing heavy is loaded before the first picture: the program is started for real in a process of its own."""

import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

ROOT = Path(__file__).parents[2]
HEAVY = ("numpy", "scipy", "cv2", "shapely", "sqlalchemy", "alembic", "reportlab", "PIL", "rapidfuzz", "pydantic")
PROGRAM = """
import json, sys
from pathlib import Path
from olive_almanac import __main__ as program
from olive_almanac.views.window import MainWindow, Outside, make_application
folder = Path(sys.argv[1])
app = make_application()
window = MainWindow(folder, Outside(program._open_library, None, program._make_bench, None, program._now, folder / "p.json"))
window.show()
app.processEvents()
shown = window.pages["Book"].left.index.index_model.rowCount()
print(json.dumps({"loaded": [name for name in sys.argv[2].split(",") if name in sys.modules], "rows": shown}))
"""


class FirstPaintTest(unittest.TestCase):
    def test_book_is_painted_without_the_heavy_libraries(self):
        from olive_almanac.steps.snapshot import Shelf, save_snapshot
        from tests.samples import BIRCH, LEATHER, LONG, NORTH, sample_entry

        with tempfile.TemporaryDirectory() as folder:
            save_snapshot(Path(folder), Shelf((LONG, NORTH), (BIRCH, LEATHER), (sample_entry(),)))
            environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "PYTHONPATH": str(ROOT)}
            run = subprocess.run(
                [sys.executable, "-c", PROGRAM, folder, ",".join(HEAVY)],
                capture_output=True,
                text=True,
                env=environment,
                timeout=120,
                check=False,
            )
        self.assertEqual(run.returncode, 0, run.stderr)
        told = json.loads(run.stdout.splitlines()[-1])
        self.assertEqual(told["loaded"], [])
        self.assertEqual(told["rows"], 4)  # two stocks under two group lines
