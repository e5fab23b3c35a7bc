"""Fuzzing that follows what the code does: `make fuzz`, or `python -m bench.guided DOOR SECONDS`.

What reached new code is kept in tests/corpus, one folder a door, and is read again by the tests; a
fault leaves its input beside them.
"""

import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

CORPUS = Path(__file__).parents[1] / "tests" / "corpus"
DOORS = ("checker", "notes", "library", "trial", "photo")
MOST_BYTES = 3000
USUAL_SECONDS = 120


def door_of(name: str) -> Callable[[bytes], object]:
    """Return what a door does with bytes; what it tells in a sentence is no fault."""
    from olive_almanac.core.errors import AlmanacError
    from olive_almanac.formats.gcode_check import CheckLimits, check_gcode
    from olive_almanac.formats.library_json import read_library
    from olive_almanac.formats.notes import read_notes
    from olive_almanac.formats.photo import decode_photo
    from olive_almanac.formats.station_files import read_trial
    from olive_almanac.storage.door import let_in
    from tests.samples import bring_in_plainly

    limits = CheckLimits((900.0, 600.0), 500.0, 1000.0, (10.0, 10.0, 100.0, 80.0), ())

    read = {
        "checker": lambda data: check_gcode(data.decode("latin-1"), limits),
        "notes": lambda data: bring_in_plainly(read_notes(data, "f")),
        "library": lambda data: let_in(
            read_library(data.decode("utf-8", "replace"), "f")[0], playground=False
        ),
        "trial": lambda data: read_trial(data.decode("utf-8", "replace"), "f"),
        "photo": lambda data: decode_photo(data, "f.jpg"),
    }[name]

    def told(data: bytes) -> None:
        try:
            read(data)
        except AlmanacError:
            return

    return told


def fuzz(name: str, seconds: int) -> None:
    """Fuzz one door for so long; never returns."""
    import atheris

    with atheris.instrument_imports(include=["olive_almanac"]):
        told = door_of(name)
    folder = CORPUS / name
    folder.mkdir(parents=True, exist_ok=True)
    atheris.Setup(
        [
            "guided",
            str(folder),
            f"-max_total_time={seconds}",
            f"-max_len={MOST_BYTES}",
            f"-artifact_prefix={folder}/fault-",
            "-timeout=10",
            "-rss_limit_mb=1024",
            "-verbosity=0",
            "-print_final_stats=1",
        ],
        told,
    )
    atheris.Fuzz()


def main() -> int:
    if len(sys.argv) > 2:
        fuzz(sys.argv[1], int(sys.argv[2]))
    bad = 0
    for name in DOORS:
        print(f"{name}, {USUAL_SECONDS} s", flush=True)
        command = [sys.executable, "-m", "bench.guided", name, str(USUAL_SECONDS)]
        bad |= subprocess.run(command, check=False).returncode
    return bad


if __name__ == "__main__":
    sys.exit(main())
