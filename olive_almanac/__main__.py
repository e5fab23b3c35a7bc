"""Joins everything and opens the window, or runs one verb of the command line."""

from __future__ import annotations

import gc
import os
import sys
from collections.abc import Iterator, Sequence
from datetime import date, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

from olive_almanac.language import (  # first: it sets the words and lengths of all modules
    choose_language,
    choose_lengths,
    chosen_lengths,
)

# isort: split
from olive_almanac.cli.services import CommandServices
from olive_almanac.core.lengths import measure_in
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.words import tr
from olive_almanac.steps.ports import Backup, Bench, Library, Wire
from olive_almanac.views.services import WindowServices

if TYPE_CHECKING:  # start-up
    from olive_almanac.steps.phone import PhoneDoor

__all__ = ["main", "make_demo", "make_services", "services"]

DEMO_SEED = 5
STOPPED = 130  # what a shell expects of a program that was stopped by its keys
gc.disable()  # start-up: what is loaded stays; turned on behind the first picture, or by a verb


def _open_library(folder: Path) -> Library:
    from olive_almanac.steps.keeping import refuse_where_gone
    from olive_almanac.storage.library import (
        Library as SqliteLibrary,
    )  # slow to import: only when first needed

    refuse_where_gone(folder, _preferences_file())
    return SqliteLibrary.open(folder)


def _place_of(words: str) -> Path:
    if "://" not in words:
        return Path(words)
    from olive_almanac.storage.engines import name_server

    return name_server(words, _default_library())


def _restore_library(folder: Path, chosen: Path | None = None) -> tuple[Path, Path]:
    from olive_almanac.storage.library import restore_backup

    return restore_backup(folder, chosen)


class _Copies:
    """The copies of libraries; what makes them is loaded when first needed."""

    def backups_of(self, folder: Path) -> Sequence[Backup]:
        from olive_almanac.storage.copies import backups_of

        return backups_of(folder)

    def open_in_copy(self, backup: Path, folder: Path) -> None:
        from olive_almanac.storage.copies import open_in_copy

        open_in_copy(backup, folder)

    def copy_library(self, source: Path, target: Path) -> Iterator[str]:
        from olive_almanac.storage.copies import copy_library

        return copy_library(source, target)


def _make_bench(seed: int = DEMO_SEED) -> Bench:
    from olive_almanac.standins.bench import StandInBench

    return StandInBench(seed)


def _usual_library() -> Path:
    import platformdirs

    return platformdirs.user_data_path("olive-almanac")


def _default_library() -> Path:
    from olive_almanac.steps.preferences import load_preferences

    chosen = load_preferences(_preferences_file()).library
    return Path(chosen) if chosen else _usual_library()


def _preferences_file() -> Path:
    import platformdirs

    return platformdirs.user_config_path("olive-almanac") / "preferences.json"


def _fault_file() -> Path:
    import platformdirs

    return platformdirs.user_state_path("olive-almanac") / "fault.txt"


def _now() -> datetime:
    return datetime.now().astimezone()


def _today() -> date:
    return _now().date()


def _open_window(folder: Path, file: Path | None = None, preferences: Path | None = None) -> int:
    gc.disable()  # a verb that opens the window has turned it on
    measure_in(chosen_lengths())
    from olive_almanac.views.application import run_window

    return run_window(folder, make_services(preferences or _preferences_file()), file)


def _connect(machine: Machine, pace: float) -> Wire:
    from olive_almanac.standins.controller import StandInWire

    return StandInWire(machine, pace=pace)


def _open_port(port: str, baud: int) -> Wire:
    from olive_almanac.devices.serial_port import SerialWire

    return SerialWire(port, baud)


def _open_phone_page(*given: Any, **more: Any) -> PhoneDoor:
    from olive_almanac.devices.phone_page import PhonePage

    return PhonePage(*given, **more)


def make_services(preferences: Path, **other: Any) -> WindowServices:
    """Return all that the window needs from outside the views; `other` replaces parts of it."""
    usual: dict[str, Any] = {
        "open_library": _open_library,
        "restore_library": _restore_library,
        "copies": _Copies(),
        "make_bench": _make_bench,
        "make_demo": _make_demo_folder,
        "usual_library": _usual_library,
        "fault_file": _fault_file,
        "now": _now,
        "choose_language": choose_language,
        "choose_lengths": choose_lengths,
        "connect": _connect,
        "open_phone_page": _open_phone_page,
        "open_port": _open_port,
    }
    return WindowServices(preferences_file=preferences, **{**usual, **other})


def make_demo(folder: Path, today: date | None = None) -> None:
    """Build the demo shop in a folder."""
    from olive_almanac.demo.shop import build_shop
    from olive_almanac.steps.preferences import Preferences, save_preferences
    from olive_almanac.steps.session import Session

    library = _open_library(folder)
    try:
        library.make_playground()
        for _ in build_shop(library, _make_bench(), today or _today()):
            pass
        first = Preferences(machine_uid="north-bench", stock_uid="birch-3")
        save_preferences(folder / "preferences.json", first)
        Session(first).attach(library)  # writes the snapshot for the first paint
    finally:
        library.close()


def _make_demo_folder() -> Path:
    import tempfile

    folder = Path(tempfile.mkdtemp(prefix="olive-almanac-demo-"))
    make_demo(folder)
    return folder


def _open_demo(out: Path | None) -> int:
    print(tr("Building the demo shop ..."), flush=True)
    folder = _make_demo_folder()
    print(tr("Its library lies in {folder}; nothing of yours is touched.", folder=folder))
    screen = (
        os.environ.get("DISPLAY")
        or os.environ.get("WAYLAND_DISPLAY")
        or os.environ.get("QT_QPA_PLATFORM")
    )
    if screen and out is None:
        return _open_window(folder, preferences=folder / "preferences.json")
    from olive_almanac.views.headless import work_through_demo

    print(tr("There is no screen here, so the demo works through one job by itself."))
    target = out or folder / "pictures"
    work_through_demo(
        folder,
        make_services(folder / "preferences.json"),
        target,
        say=lambda words: print(words, flush=True),
    )
    return 0


services = CommandServices(
    _open_library,
    _restore_library,
    _Copies(),
    _make_bench,
    _open_window,
    _open_demo,
    _default_library,
    _place_of,
    _today,
    _now,
)


def main() -> int:
    from olive_almanac.cli import command  # start-up is measured without it

    measure_in("mm")  # what it takes and tells is for scripts, too; the window measures as chosen
    try:
        return command.main(sys.argv[1:], services)
    except KeyboardInterrupt:
        print(tr("olive-almanac: stopped."), file=sys.stderr)
        return STOPPED
    except Exception as fault:  # kept in a file and told: nobody is shown a traceback
        from olive_almanac.steps.fault_report import fault_words

        print(f"olive-almanac: {fault_words(_fault_file(), fault)}", file=sys.stderr)
        return 1


if __name__ == "__main__":
    sys.exit(main())
