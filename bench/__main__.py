"""Run every measurement and print one line each: what, the ratio, and the limit it must keep.

Each part runs in a process of its own, so that the memory of one is not counted for another;
`python -m bench NAME` runs one.
"""

import importlib
import subprocess
import sys
import time

PARTS = (
    "writing",
    "practice",
    "startup",
    "catalogue",
    "redraw",
    "deciding",
    "motion",
    "standins",
    "photos",
    "book",
    "jobs",
    "placing",
    "pictures",
    "sides",
    "drift",
    "bed",
    "mirrors",
    "shop",
    "kinship",
    "sheet_photos",
)


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
    began, codes = time.monotonic(), []
    for name in PARTS:
        part_began = time.monotonic()
        done = subprocess.run([sys.executable, "-m", "bench", name], check=False)
        codes.append(done.returncode)
        print(f"      {name}: {time.monotonic() - part_began:.0f} s", flush=True)
    print(f"{time.monotonic() - began:.0f} s")
    return max(codes)


if __name__ == "__main__":
    sys.exit(main())
