"""The demo shop for tests: living through its year takes a while, so a whole run of the tests does
it once.
"""

import fcntl
import os
import shutil
import subprocess
import sys
from datetime import date
from pathlib import Path

from olive_almanac.__main__ import make_demo
from tests.samples import DAY

# the folder that the processes of one run share; set by run_tests.py
SHARED = "OLIVE_ALMANAC_TESTS_SHARED"
# whoever asks for it first, it is made in English and millimetres
PLAIN = {"OLIVE_ALMANAC_LANGUAGE": "en", "OLIVE_ALMANAC_LENGTHS": "mm"}
ROOT = Path(__file__).parents[1]


def copy_demo(folder):
    """Put the demo shop's library, as it is on the samples' day, into a folder that is not there
    yet.
    """
    if SHARED not in os.environ:
        make_demo(folder, date.fromisoformat(DAY))
        return
    made = Path(os.environ[SHARED]) / "demo"
    with (made.parent / "demo.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not made.exists():
            begun = made.with_name("demo-begun")
            make = [sys.executable, "-m", "tests.demo_shop", str(begun)]
            subprocess.run(make, cwd=ROOT, env=os.environ | PLAIN, check=True)
            begun.rename(made)
    shutil.copytree(made, folder)


if __name__ == "__main__":
    make_demo(Path(sys.argv[1]), date.fromisoformat(DAY))
