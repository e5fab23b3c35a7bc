"""The layout rules of the architecture, checked file by file: who may import whom, how deep, which
names.
"""

import ast
import subprocess
import sys
import unittest
from pathlib import Path

ROOT = Path(__file__).parents[2]
PACKAGE = ROOT / "olive_almanac"
MAY_IMPORT = {
    "core": {"core"},
    "formats": {"core", "formats"},
    "storage": {"core", "storage"},
    "standins": {"core", "standins"},
    "devices": {"core", "devices"},
    "steps": {"core", "formats", "steps"},
    "views": {"core", "steps", "views"},
    "demo": {"core", "steps", "demo"},
}
ONLY_IN = {
    "PySide6": {"views"},
    "sqlalchemy": {"storage"},
    "alembic": {"storage"},
    "sqlite3": {"storage"},
    "reportlab": {"formats"},
    "serial": {"devices"},
}
CORE_MAY_USE = {
    "olive_almanac",
    "numpy",
    "scipy",
    "cv2",
    "__future__",
    "bisect",
    "collections",
    "contextlib",
    "dataclasses",
    "datetime",
    "functools",
    "heapq",
    "importlib",
    "itertools",
    "math",
    "pkgutil",
    "random",
    "re",
    "shapely",
    "spyrrow",
    "statistics",
    "types",
    "unicodedata",
    "typing",
}
STANDINS_MAY_NOT = (
    "olive_almanac.core.burn",
    "olive_almanac.core.fitting",
    "olive_almanac.core.deciding",
    "olive_almanac.core.motion",
)
BANNED_NAMES = {"utils", "util", "misc", "common", "helpers"}
DEEPEST = 3  # folders above a file


def imports(path):
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.ImportFrom):
            yield "." * node.level + (node.module or "")
        elif isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names)


class LayoutTest(unittest.TestCase):
    def setUp(self):
        self.files = sorted(PACKAGE.rglob("*.py"))
        self.assertGreater(len(self.files), 40, f"nothing under {PACKAGE}")

    def layer(self, path):
        return path.relative_to(PACKAGE).parts[0]

    def test_imports_go_one_way(self):
        for path in self.files:
            for name in imports(path):
                top, _, rest = name.partition(".")
                with self.subTest(file=str(path), imports=name):
                    self.assertFalse(name.startswith("."), "write the full name")
                    if top == PACKAGE.name and rest and self.layer(path) in MAY_IMPORT:
                        self.assertIn(rest.split(".")[0], MAY_IMPORT[self.layer(path)])

    def test_heavy_libraries_stay_in_their_layer(self):
        for path in self.files:
            for name in imports(path):
                top = name.partition(".")[0]
                if top in ONLY_IN:
                    with self.subTest(file=str(path), imports=name):
                        self.assertIn(self.layer(path), ONLY_IN[top])

    def test_core_uses_numbers_only(self):
        for path in self.files:
            if self.layer(path) == "core":
                for name in imports(path):
                    with self.subTest(file=str(path), imports=name):
                        self.assertIn(name.partition(".")[0], CORE_MAY_USE)

    def test_core_opens_no_file(self):
        for path in self.files:
            if self.layer(path) == "core":
                calls = [
                    n.func.id
                    for n in ast.walk(ast.parse(path.read_text(encoding="utf-8")))
                    if isinstance(n, ast.Call) and isinstance(n.func, ast.Name)
                ]
                with self.subTest(file=str(path)):
                    self.assertNotIn("open", calls)

    def test_stand_ins_have_physics_of_their_own(self):
        for path in (PACKAGE / "standins").glob("*.py"):
            for name in imports(path):
                with self.subTest(file=str(path), imports=name):
                    self.assertFalse(name.startswith(STANDINS_MAY_NOT))

    def test_the_checker_shares_no_code_with_the_writer(self):
        for one, other in (("gcode_check", "gcode"), ("gcode", "gcode_check")):
            self.assertNotIn(
                f"olive_almanac.formats.{other}", list(imports(PACKAGE / "formats" / f"{one}.py"))
            )
        self.assertEqual(
            [
                n
                for n in imports(PACKAGE / "formats" / "gcode_check.py")
                if n.startswith("olive_almanac")
            ],
            ["olive_almanac.core.errors", "olive_almanac.core.words"],  # what a finding is told in
        )

    def test_shallow_and_no_catch_all(self):
        for path in self.files:
            parts = path.relative_to(PACKAGE).with_suffix("").parts
            with self.subTest(file=str(path)):
                self.assertLessEqual(len(parts) - 1, DEEPEST)
                self.assertFalse(BANNED_NAMES & set(parts))


class MadePagesTest(unittest.TestCase):
    def test_pages_are_as_the_program_makes_them(self):
        for name in ("command_pages.py", "guide_pages.py"):
            made = subprocess.run([sys.executable, ROOT / "scripts" / name, "--check"])
            with self.subTest(name):
                self.assertEqual(made.returncode, 0, "make pages")


class LockTest(unittest.TestCase):
    def test_locks_carry_hashes_and_no_address(self):
        locks = sorted((ROOT / "requirements").glob("*.txt"))
        self.assertEqual([path.stem for path in locks], ["fuzz", "package", "runtime", "test"])
        for path in locks:
            text = path.read_text()
            with self.subTest(path.name):
                self.assertNotIn("http", text)
                pinned = [line for line in text.splitlines() if "==" in line]
                self.assertGreaterEqual(len(pinned), 1 if path.stem == "fuzz" else 4)
                for line in pinned:
                    self.assertTrue(line.endswith("\\"), f"no hash behind {line}")

    def test_qt_is_pinned_to_the_sound_release(self):
        text = (ROOT / "requirements" / "runtime.txt").read_text()
        self.assertIn("pyside6-essentials==6.11.3", text)
        self.assertIn("shiboken6==6.11.3", text)


class PublicDocstringTest(unittest.TestCase):
    def test_every_public_name_of_core_says_what_it_is(self):
        for path in (PACKAGE / "core").rglob("*.py"):
            tree = ast.parse(path.read_text(encoding="utf-8"))
            if path.name != "__init__.py":
                self.assertTrue(ast.get_docstring(tree), f"{path} has no opening sentence")
            for node in tree.body:
                if isinstance(node, ast.FunctionDef) and not node.name.startswith("_"):
                    with self.subTest(file=str(path), name=node.name):
                        named = node.name in ("energy_unit", "prior_of")
                        self.assertTrue(ast.get_docstring(node) or named)


class TipTest(unittest.TestCase):
    """Names come into tips from everywhere; a tip draws what looks like a page."""

    def is_plain(self, words):
        if isinstance(words, ast.IfExp):
            return self.is_plain(words.body) and self.is_plain(words.orelse)
        if isinstance(words, ast.Call) and isinstance(words.func, ast.Name):
            of_our_own = words.func.id == "tr" and not words.keywords
            return words.func.id == "tip_text" or of_our_own
        return isinstance(words, ast.Constant)

    def test_each_tip_is_escaped_or_of_our_own_words_alone(self):
        tips = 0
        for file in sorted((PACKAGE / "views").rglob("*.py")):
            for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
                if not isinstance(node, ast.Call) or not isinstance(node.func, ast.Attribute):
                    continue
                if node.func.attr in ("setToolTip", "setStatusTip", "setWhatsThis"):
                    tips += 1
                    self.assertTrue(self.is_plain(node.args[0]), f"{file}:{node.lineno}")
        self.assertGreater(tips, 20)
