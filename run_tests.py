"""Run every test (or those under the folders named), fail when none ran, and close with the line CI reads."""

import os
import sys
import tempfile
import unittest
from pathlib import Path

ROOT = Path(__file__).parent
sys.path.insert(0, str(ROOT))


def main() -> int:
    # discovery skips a folder without __init__.py and says nothing
    lost = [p for p in (ROOT / "tests").rglob("test_*.py") if not (p.parent / "__init__.py").exists()]
    if lost:
        print("no __init__.py beside:", *lost, sep="\n  ")
        return 1
    home = tempfile.TemporaryDirectory(prefix="olive-almanac-tests-")
    for name in ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME"):
        os.environ[name] = home.name  # no test touches the library of the person who runs it
    loader, suite = unittest.TestLoader(), unittest.TestSuite()
    for folder in sys.argv[1:] or ["tests"]:
        suite.addTests(loader.discover(str(ROOT / folder), top_level_dir=str(ROOT)))
    result = unittest.TextTestRunner(buffer=True, verbosity=1).run(suite)
    bad = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    skipped = len(result.skipped)
    print(f"{max(result.testsRun - bad - skipped, 0)} passed, {bad} failed, {skipped} skipped")
    return 0 if result.testsRun and not bad else 1


if __name__ == "__main__":
    sys.exit(main())
