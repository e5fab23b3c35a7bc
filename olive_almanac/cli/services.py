"""What the command line needs from outside the stations; `__main__` hands it in."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, datetime
from pathlib import Path

from olive_almanac.steps.ports import Bench, Copies, Library

__all__ = ["CommandServices"]


@dataclass(frozen=True)
class CommandServices:
    """The doors to the world: the library, the stand-in bench, the window, the day."""

    open_library: Callable[[Path], Library]
    restore_library: Callable[..., tuple[Path, Path]]  # of a folder: the fullest, or the one chosen
    copies: Copies
    make_bench: Callable[[int], Bench]
    open_window: Callable[[Path, Path | None], int]  # a library, and a file from outside
    open_demo: Callable[[Path | None], int]
    default_library: Callable[[], Path]
    place_of: Callable[[str], Path]  # the folder of a library named by its folder or its server
    today: Callable[[], date]
    now: Callable[[], datetime]
