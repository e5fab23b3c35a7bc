"""Nothing heavy is loaded before the first picture: the program is started for real in a process of
its own.
"""

import tempfile
import unittest
from pathlib import Path

from bench.startup import FIRST_PICTURE, run_program

HEAVY = {
    "numpy",
    "scipy",
    "cv2",
    "shapely",
    "sqlalchemy",
    "alembic",
    "reportlab",
    "PIL",
    "rapidfuzz",
    "pydantic",
    "ezdxf",
    "segno",
    "HersheyFonts",
}


class FirstPaintTest(unittest.TestCase):
    def test_book_is_painted_without_the_heavy_libraries(self):
        from olive_almanac.steps.catalogue import ShopCatalogue
        from olive_almanac.steps.snapshot import save_snapshot
        from tests.samples import BIRCH, LEATHER, LONG, NORTH, sample_entry

        with tempfile.TemporaryDirectory() as folder:
            save_snapshot(
                Path(folder), ShopCatalogue((LONG, NORTH), (BIRCH, LEATHER), (sample_entry(),))
            )
            told = run_program(FIRST_PICTURE, folder)
        self.assertEqual(HEAVY & set(told["loaded"]), set())
        self.assertEqual(told["rows"], 4)  # two stocks under two group lines
