"""What the program remembers between starts: theme, scale, units, last subject, window."""

from __future__ import annotations

import contextlib
import json
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.records.plain import from_plain, to_plain
from olive_almanac.core.records.setting import TASKS
from olive_almanac.core.units import SPEED_UNITS
from olive_almanac.steps.files import read_text, write_file

__all__ = ["SCALES", "Preferences", "load_preferences", "save_preferences"]

SCALES = (100, 125, 150)


@dataclass(frozen=True)
class Preferences:
    """Declared once: name, type, default.  Unknown or bad values in the file fall back to these."""

    theme: str = "day"
    scale_percent: int = 100
    speed_unit: str = "mm/min"
    machine_uid: str = ""
    stock_uid: str = ""
    task: str = "cut"
    station: str = "book"
    currency: str = "€"
    recent: tuple[str, ...] = ()  # subjects that were open lately, "machine|stock|task" by uids
    window: tuple[int, ...] = ()  # x, y, width, height
    caliper_mm: float = 0.01  # the smallest step of the gauge in use
    phone_curves: dict[str, Any] = field(
        default_factory=dict, hash=False
    )  # phone: slope and bend, learned from a grey card
    port: str = ""  # serial port of the machine at this computer, none when empty
    port_baud: int = 115200
    phone_agreed: bool = False  # that a page is served in the local network, when asked for
    library: str = ""  # folder of the library, that of the desktop when empty
    photo_folder: str = ""  # into which a phone's own sync puts pictures
    port_words: tuple[
        str, ...
    ] = ()  # taken, refused, told; then ask, hold, go on, stop as codes; empty: the usual ones

    def tidied(self) -> Preferences:
        return replace(
            self,
            theme=self.theme if self.theme in ("day", "workshop") else "day",
            scale_percent=self.scale_percent if self.scale_percent in SCALES else 100,
            speed_unit=self.speed_unit if self.speed_unit in SPEED_UNITS else "mm/min",
            task=self.task if self.task in TASKS else "cut",
            window=self.window if len(self.window) == 4 else (),
        )


def load_preferences(path: Path) -> Preferences:
    """Return what was remembered; a missing or damaged file counts as none (nothing recorded lives
    there).
    """
    with contextlib.suppress(AlmanacError, ValueError):
        return from_plain(Preferences, json.loads(read_text(path)), path.name).tidied()
    return Preferences()


def save_preferences(path: Path, preferences: Preferences) -> None:
    write_file(path, json.dumps(to_plain(preferences), indent=1) + "\n")
