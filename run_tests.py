"""Run every test (or those under the folders named), fail when none ran, and close with the line CI reads.

The modules are shared out to as many processes as there are cores, the long ones first; each process prints its own part.
"""

import json
import os
import subprocess
import sys
import tempfile
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

ROOT = Path(__file__).parent
PART = "--part"
MOST_PROCESSES = 4


def modules_in(folders):
    """The test modules under some folders, those expected to take longest first: window tests, then by size."""
    files = {
        file for folder in folders for file in ([ROOT / folder] if folder.endswith(".py") else (ROOT / folder).rglob("test_*.py"))
    }
    by_weight = sorted(files, key=lambda file: (-file.stat().st_size * (6 if "views" in file.parts else 1), str(file)))
    return [".".join(file.relative_to(ROOT).with_suffix("").parts) for file in by_weight]


def run_part(result_file, modules) -> int:
    """Run some modules in this process and write the counts into a file."""
    sys.path.insert(0, str(ROOT))
    home = tempfile.TemporaryDirectory(prefix="olive-almanac-tests-")
    for name in ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME"):
        os.environ[name] = home.name  # no test touches the library of the person who runs it
    suite = unittest.TestLoader().loadTestsFromNames(modules)
    result = unittest.TextTestRunner(buffer=True, verbosity=1).run(suite)
    bad = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    Path(result_file).write_text(json.dumps({"ran": result.testsRun, "bad": bad, "skipped": len(result.skipped)}))
    return 1 if bad else 0


def main(arguments) -> int:
    if arguments[:1] == [PART]:
        return run_part(arguments[1], arguments[2:])
    # discovery skips a folder without __init__.py and says nothing
    lost = [p for p in (ROOT / "tests").rglob("test_*.py") if not (p.parent / "__init__.py").exists()]
    if lost:
        print("no __init__.py beside:", *lost, sep="\n  ")
        return 1
    modules = modules_in(arguments or ["tests"])
    total = {"ran": 0, "bad": 0, "skipped": 0}
    with tempfile.TemporaryDirectory() as folder, ThreadPoolExecutor(max(1, min(os.cpu_count() or 1, MOST_PROCESSES))) as pool:

        def run(module):
            counts, began = Path(folder) / module, time.monotonic()
            done = subprocess.run(
                [sys.executable, __file__, PART, str(counts), module], stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True
            )
            crashed = {"ran": 0, "bad": 1, "skipped": 0}
            took_s = time.monotonic() - began
            return module, done, took_s, json.loads(counts.read_text()) if counts.exists() else crashed

        for module, done, took_s, counts in pool.map(run, modules):
            words = f"{module}: {counts['ran']} run, {counts['bad']} failed, {took_s:.0f} s"
            print(f"{done.stdout.rstrip()}\n{words}\n" if counts["bad"] or done.returncode else words, flush=True)
            for name in total:
                total[name] += counts[name]
    passed = max(total["ran"] - total["bad"] - total["skipped"], 0)
    print(f"{passed} passed, {total['bad']} failed, {total['skipped']} skipped")
    return 0 if total["ran"] and not total["bad"] else 1


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
