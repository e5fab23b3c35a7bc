"""What the window needs from outside the views; `__main__` hands it in."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

from olive_almanac.core.records.machine import Machine
from olive_almanac.steps.ports import Bench, Copies, Library, Wire

if TYPE_CHECKING:  # start-up
    from olive_almanac.steps.phone import PhoneDoor

__all__ = ["WindowServices"]


@dataclass(frozen=True)
class WindowServices:
    """The doors to the world: the library, the benches, the wires, the clock."""

    open_library: Callable[[Path], Library]
    restore_library: Callable[..., tuple[Path, Path]]  # of a folder: the fullest, or the one chosen
    copies: Copies
    make_bench: Callable[..., Bench]  # with a seed, or with its own
    make_demo: Callable[[], Path]
    usual_library: Callable[[], Path]  # the data folder of the desktop
    fault_file: Callable[[], Path]  # where the last fault of the program is kept
    now: Callable[[], datetime]
    preferences_file: Path
    connect: Callable[[Machine, float], Wire]  # to a stand-in controller at a pace
    open_phone_page: Callable[..., PhoneDoor]  # host, coupon, judge, took
    choose_language: Callable[[str], None]  # for the next start
    choose_lengths: Callable[[str], None]
    open_port: Callable[[str, int], Wire]  # a serial port at a baud rate
    seconds: Callable[[], float] = time.monotonic
