"""Run every measurement and print one line each: what, the ratio, and the limit it must keep."""

import sys
import time

from bench import book, catalogue, deciding, motion, photos, redraw, standins, startup, writing


def main() -> int:
    began = time.monotonic()
    bad = 0
    for measure in (
        writing.measure, startup.measure, catalogue.measure, book.measure, redraw.measure, deciding.measure, motion.measure, standins.measure,
        photos.measure,
    ):  # fmt: skip
        for name, value, limit in measure():
            good = value <= limit
            bad += not good
            print(f"{'ok  ' if good else 'OVER'}  {name}: {value:.2f} (at most {limit:g})", flush=True)
    print(f"{time.monotonic() - began:.0f} s")
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
