"""Tests that need a process of their own: words and units are chosen as modules load."""

import os
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parents[1]


def run_apart(case, module, *names, **environment):
    """Run tests of a module (by class, or class and test) where the environment says so."""
    told = subprocess.run(
        [sys.executable, "-m", "unittest", *(f"{module}.{name}" for name in names)],
        cwd=ROOT,
        env={**os.environ, **environment},
        capture_output=True,
        text=True,
        timeout=600,
    )
    case.assertEqual(told.returncode, 0, told.stderr[-3000:])
    case.assertRegex(told.stderr, r"Ran [1-9]\d* test")
