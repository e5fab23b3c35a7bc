"""Run every test (or those under the folders named), fail when none ran, and close with the line CI
reads.

The modules are shared out to two processes more than there are cores, for window tests often wait:
window tests and long modules each in a process of their own, the long ones first, the short ones of
a folder together, so that the libraries are loaded once for them.
"""

import io
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
# names a folder for what is made once for all processes (tests/demo_shop.py)
SHARED = "OLIVE_ALMANAC_TESTS_SHARED"
RUNS_MORE_BYTES = 60_000  # as much a module counts for that runs processes of its own
SHORT_BYTES = 14_000  # a module up to this size shares a process with others


def bundles_in(folders):
    """The test modules under some folders, in bundles that share a process, those expected to take
    longest first.
    """
    files = {
        file
        for folder in folders
        for file in (
            [ROOT / folder] if folder.endswith(".py") else (ROOT / folder).rglob("test_*.py")
        )
    }
    bundles = {}
    for file in sorted(files):
        alone = "views" in file.parts or file.stat().st_size > SHORT_BYTES
        bundles.setdefault(file if alone else file.parent, []).append(file)

    def weight(bundle):
        return sum(file.stat().st_size * (6 if "views" in file.parts else 1) for file in bundle) + (
            RUNS_MORE_BYTES * any("subprocess.run" in file.read_text("utf-8") for file in bundle)
        )

    return [
        [".".join(file.relative_to(ROOT).with_suffix("").parts) for file in one]
        for one in sorted(bundles.values(), key=weight, reverse=True)
    ]


def run_part(result_file, modules) -> int:
    """Run some modules in this process, say how each went, and write the counts into a file."""
    sys.path.insert(0, str(ROOT))
    home = tempfile.TemporaryDirectory(prefix="olive-almanac-tests-")
    for name in ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME"):
        os.environ[name] = home.name  # no test touches the library of the person who runs it
    total = {"ran": 0, "bad": 0, "skipped": 0}
    for module in modules:
        began, told = time.monotonic(), io.StringIO()
        result = unittest.TextTestRunner(told, buffer=True).run(
            unittest.TestLoader().loadTestsFromName(module)
        )
        bad = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        for name, count in (
            ("ran", result.testsRun),
            ("bad", bad),
            ("skipped", len(result.skipped)),
        ):
            total[name] += count
        words = f"{module}: {result.testsRun} run, {bad} failed, {time.monotonic() - began:.0f} s"
        print(f"{told.getvalue()}{words}\n" if bad else words, flush=True)
    Path(result_file).write_text(json.dumps(total))
    return 1 if total["bad"] else 0


def main(arguments) -> int:
    if arguments[:1] == [PART]:
        return run_part(arguments[1], arguments[2:])
    # discovery skips a folder without __init__.py and says nothing
    lost = [
        p for p in (ROOT / "tests").rglob("test_*.py") if not (p.parent / "__init__.py").exists()
    ]
    if lost:
        print("no __init__.py beside:", *lost, sep="\n  ")
        return 1
    bundles = bundles_in(arguments or ["tests"])
    total = {"ran": 0, "bad": 0, "skipped": 0}
    with (
        tempfile.TemporaryDirectory() as folder,
        ThreadPoolExecutor(min((os.cpu_count() or 1) + 2, MOST_PROCESSES)) as pool,
    ):
        surroundings = {**os.environ, SHARED: folder}

        def run(modules):
            counts = Path(folder) / modules[0]
            done = subprocess.run(
                [sys.executable, __file__, PART, str(counts), *modules],
                stdout=subprocess.PIPE,
                stderr=subprocess.STDOUT,
                text=True,
                env=surroundings,
            )
            crashed = {"ran": 0, "bad": 1, "skipped": 0}
            return modules, done, json.loads(counts.read_text()) if counts.exists() else crashed

        for modules, done, counts in pool.map(run, bundles):
            bad = counts["bad"] or done.returncode
            lines = (
                done.stdout
                if bad
                else "\n".join(
                    line for line in done.stdout.splitlines() if line.startswith("tests.")
                )
            )
            print(
                lines.rstrip(),
                *(["ended badly:", *modules] if bad and not counts["ran"] else []),
                flush=True,
            )
            for name in total:
                total[name] += counts[name]
    passed = max(total["ran"] - total["bad"] - total["skipped"], 0)
    print(f"{passed} passed, {total['bad']} failed, {total['skipped']} skipped")
    return 0 if total["ran"] and not total["bad"] else 1


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
