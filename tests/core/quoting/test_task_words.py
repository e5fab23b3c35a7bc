"""What names of layers say; common practice, no source."""

import unittest

from olive_almanac.core.quoting.task_words import task_named
from olive_almanac.core.records.job import LEAVE_OUT

NAMES = {
    "cut": """cut | Cut 1 | LaserCut | cut_inner | cutout | cut marks | CUTS | Schneiden |
        Schnittlinie""",
    "score": "score | Score lines | scoring 2 | Anritzen | Ritzlinien | ritzen",
    "engrave": """engrave | engraving fine | etch | Raster 3 | Gravur | gravieren |
        engraved, not deep""",
    "mark": "mark | Marks | Markierung",
    LEAVE_OUT: """do not cut | no-cut | Uncut | don't engrave | not for laser cutting | guides |
        Guide lines | construction | dimensions | Hilfslinien | nicht schneiden | Bemaßung""",
    "": """red | #ff0000 | Layer 1 | Cutlery | executive | shortcut | Sketch | underscore |
        landmarks | Fritz""",
}


class TaskWordsTest(unittest.TestCase):
    def test_names_that_drawings_give_their_layers(self):
        for task, names in NAMES.items():
            for name in names.split("|"):
                with self.subTest(name.strip()):
                    self.assertEqual(task_named(name.strip()), task)


if __name__ == "__main__":
    unittest.main()
