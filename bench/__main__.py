"""Run every measurement and print one line each: what, the ratio, and the limit it must keep.

Each part runs in a process of its own, so that the memory of one is not counted for another;
`python -m bench NAME` runs one.
"""

import importlib
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor

TIMED = (  # parts that time something: each by itself
    "writing",
    "startup",
    "catalogue",
    "redraw",
    "deciding",
    "standins",
    "photos",
    "book",
    "jobs",
    "jobs_window",
    "placing",
    "shop",
    "walks",
)
UNTIMED = (  # two at a time
    "sheet_photos",
    "drift",
    "practice",
    "motion",
    "bed",
    "kinship",
    "mirrors",
    "pictures",
    "sides",
    "recipes",
    "causes",
)
AT_A_TIME = 2


def run_part(name: str) -> int:
    """Run one part here and print its lines; return 1 where a limit was not kept."""
    bad = 0
    for what, value, limit in importlib.import_module(f"bench.{name}").measure():
        good = value <= limit
        bad |= not good
        print(f"{'ok  ' if good else 'OVER'}  {what}: {value:.2f} (at most {limit:g})", flush=True)
    return int(bad)


def main() -> int:
    if len(sys.argv) > 1:
        return run_part(sys.argv[1])
    began = time.monotonic()
    codes = [_part_alone(name) for name in TIMED]
    with ThreadPoolExecutor(AT_A_TIME) as pool:
        codes += pool.map(_part_alone, UNTIMED)
    print(f"{time.monotonic() - began:.0f} s")
    return max(codes)


def _part_alone(name: str) -> int:
    """Run a part in a process of its own and print what it said once it is done."""
    began = time.monotonic()
    command = [sys.executable, "-m", "bench", name]
    done = subprocess.run(command, check=False, stdout=subprocess.PIPE, text=True)
    took = time.monotonic() - began
    print(f"{done.stdout}      {name}: {took:.0f} s", flush=True)
    return done.returncode


if __name__ == "__main__":
    sys.exit(main())
