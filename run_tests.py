"""Run every test (or those under the folders named), fail when none ran, and close with the line CI
reads.

All that is tested is loaded once; each bundle of modules then runs in a process of its own that
begins there.  There are two more of them at a time than cores, for window tests often wait: window
tests and long modules each alone, the long ones first, the short ones of a folder together.
"""

import gc
import importlib
import io
import json
import os
import pkgutil
import resource
import shutil
import sys
import tempfile
import time
import unittest
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).parent
MOST_PROCESSES = 4
# names a folder for what is made once for all processes (tests/demo_shop.py)
SHARED = "OLIVE_ALMANAC_TESTS_SHARED"
OF_A_PERSON = ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME")
RUNS_MORE_BYTES = 60_000  # as much a module counts for that runs processes of its own
RUNS_WINDOWS_BYTES = 200_000  # and one whose processes open windows
SHORT_BYTES = 14_000  # a module up to this size shares a process with others


@dataclass(frozen=True)
class Bundle:
    """Test modules that share a process, and the folder of what they leave."""

    modules: tuple[str, ...]
    place: Path

    @property
    def said(self):
        return self.place / "said.txt"

    @property
    def counts(self):
        return self.place / "counts.json"


def bundles_in(folders, place):
    """The test modules under some folders, those expected to take longest first."""
    files = {
        file
        for folder in folders
        for file in (
            [ROOT / folder] if folder.endswith(".py") else (ROOT / folder).rglob("test_*.py")
        )
    }
    together = {}
    for file in sorted(files):
        alone = "views" in file.parts or file.stat().st_size > SHORT_BYTES
        together.setdefault(file if alone else file.parent, []).append(file)

    def weight(bundle):
        texts = [file.read_text("utf-8") for file in bundle]
        size = sum(file.stat().st_size * (6 if "views" in file.parts else 1) for file in bundle)
        size += RUNS_MORE_BYTES * any("subprocess.run" in text for text in texts)
        return size + RUNS_WINDOWS_BYTES * any("import run_apart" in text for text in texts)

    for bundle in sorted(together.values(), key=weight, reverse=True):
        names = tuple(".".join(one.relative_to(ROOT).with_suffix("").parts) for one in bundle)
        yield Bundle(names, place / names[0])


def keep_off_home(place):
    """No test touches the library of the person who runs it."""
    for name in OF_A_PERSON:
        os.environ[name] = str(place)


def load_all():
    """Load all that is tested; windows last, for Qt's binding slows what is loaded after it."""
    import tests  # noqa: F401 - in words of its own

    package = importlib.import_module("olive_almanac")
    names = [one.name for one in pkgutil.walk_packages(package.__path__, "olive_almanac.")]
    for name in sorted(names, key=lambda name: ".views" in name):
        if ".alembic_door." not in name:  # loaded by a library, in the midst of its work
            importlib.import_module(name)
    gc.enable()
    gc.freeze()


def run(bundle):
    """Run modules in this process, say how each went, and write the counts into a file."""
    bundle.place.mkdir()
    said = os.open(bundle.said, os.O_WRONLY | os.O_CREAT)
    os.dup2(said, 1)
    os.dup2(said, 2)
    keep_off_home(bundle.place)
    total = {"ran": 0, "bad": 0, "skipped": 0}
    for module in bundle.modules:
        began, busy, told = time.monotonic(), busy_s(), io.StringIO()
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
        words = (
            f"{module}: {result.testsRun} run, {bad} failed, "
            f"{time.monotonic() - began:.0f} s, of a core {busy_s() - busy:.0f} s"
        )
        print(f"{told.getvalue()}{words}\n" if bad else words, flush=True)
    bundle.counts.write_text(json.dumps(total))
    return 1 if total["bad"] else 0


def busy_s():
    """How long this process and those that it ran have kept a core busy."""
    spent = [resource.getrusage(who) for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN)]
    return sum(one.ru_utime + one.ru_stime for one in spent)


def tell(bundle, status):
    """Say how a bundle went whose process has ended; return its counts."""
    counts = {"ran": 0, "bad": 0, "skipped": 0}
    lost = status or not bundle.counts.exists()
    if bundle.counts.exists():
        counts = json.loads(bundle.counts.read_text())
    said = bundle.said.read_text("utf-8", "replace")
    if not lost:
        said = "\n".join(line for line in said.splitlines() if line.startswith("tests."))
    print(said.rstrip())
    if lost and not counts["bad"]:
        counts["bad"] = 1
        print("ended badly:", *bundle.modules)
    sys.stdout.flush()
    return counts


def main(arguments) -> int:
    # discovery skips a folder without __init__.py and says nothing
    lost = [
        p for p in (ROOT / "tests").rglob("test_*.py") if not (p.parent / "__init__.py").exists()
    ]
    if lost:
        print("no __init__.py beside:", *lost, sep="\n  ")
        return 1
    place = Path(tempfile.mkdtemp(prefix="olive-almanac-tests-"))
    keep_off_home(place)
    os.environ[SHARED] = str(place)
    load_all()
    most = min((os.cpu_count() or 1) + 2, MOST_PROCESSES)
    waiting, running = list(bundles_in(arguments or ["tests"], place)), {}
    total = {"ran": 0, "bad": 0, "skipped": 0}
    while waiting or running:
        while waiting and len(running) < most:
            bundle = waiting.pop(0)
            child = os.fork()
            if child == 0:
                return run(bundle)
            running[child] = bundle
        ended, status = os.wait()
        for name, count in tell(running.pop(ended), status).items():
            total[name] += count
    shutil.rmtree(place)
    passed = max(total["ran"] - total["bad"] - total["skipped"], 0)
    print(f"{passed} passed, {total['bad']} failed, {total['skipped']} skipped")
    return 0 if total["ran"] and not total["bad"] else 1


if __name__ == "__main__":
    sys.path.insert(0, str(ROOT))
    sys.exit(main(sys.argv[1:]))
