"""Photos that come by themselves: what is said of one that a phone sends, and a folder into which a
phone's own sync puts them.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol

from olive_almanac.core.errors import BadFile
from olive_almanac.core.placing.places import side_words
from olive_almanac.core.units import count_text
from olive_almanac.core.words import tr
from olive_almanac.formats.codes import code_rows
from olive_almanac.formats.photo import suffix_of
from olive_almanac.steps.active import ActiveTrial
from olive_almanac.steps.photo import photo_work, pieces_out

__all__ = ["PLAIN_HTTP", "PhoneDoor", "Sent", "WatchedFolder", "code_rows", "phone_judge"]

PLAIN_HTTP = tr(
    "This program will serve one page in your local network, for this coupon, for 15 minutes or "
    "until you close the panel. It is plain http: whoever listens in the same network could see "
    "the pictures. Nothing else of the computer can be reached, nothing leaves the network. In a "
    "network that you share with strangers, use the watched folder instead."
)
PICTURES = (".jpg", ".jpeg", ".png", ".webp", ".heic", ".heif")


class Sent(Protocol):
    """A picture that a phone sent: its side, its bytes, whether it will do, what is said of it."""

    @property
    def side(self) -> str: ...
    @property
    def data(self) -> bytes: ...
    @property
    def will_do(self) -> bool: ...
    @property
    def says(self) -> str: ...


class PhoneDoor(Protocol):
    """The page that a phone opens, while it is open."""

    seen: bool
    fault: BaseException | None

    @property
    def address(self) -> str: ...
    @property
    def left_s(self) -> float: ...
    def close(self) -> None: ...


def phone_judge(
    active: ActiveTrial, curves: dict[str, Any]
) -> Callable[[str, bytes], tuple[bool, str]]:
    """Return what tells of a picture of a coupon whether it will do, with a sentence.

    It raises BadFile or PhotoTrouble with what is wrong and what to do.
    """
    trial, burnt, out = active.trial, frozenset(active.burnt), pieces_out(active)

    def judge(side: str, data: bytes) -> tuple[bool, str]:
        if not suffix_of(data):
            raise BadFile(tr("That is no picture that is known here: JPEG, PNG, WebP or HEIC is."))
        work = photo_work(trial, data, tr("The picture"), side, curves=curves, burnt=burnt, out=out)
        read = [value for kind, value in work if kind == "read"]
        seen = [cell for one in read for cell in one.seen.cells]
        clear = sum(not cell.flags for cell in seen)
        told = " ".join(dict.fromkeys(word for one in read for word in one.seen.says))
        if not clear:
            return False, tr(
                "No cell can be judged. {told}", told=told or tr("Take it again from above.")
            )
        cells = tr("{clear} of {cells}", clear=clear, cells=count_text(len(seen), "cell"))
        places = ", ".join(side_words(trial, one.side) for one in read if one.side != side)
        if places:
            cells = tr("{places}, {cells}", places=places, cells=cells)
        if told:
            return True, tr("It has come: {cells} can be read. {told}", cells=cells, told=told)
        return True, tr("It has come, and it is sharp: {cells} can be read.", cells=cells)

    return judge


@dataclass
class WatchedFolder:
    """A folder into which pictures come: tells those that are new and whole; changes nothing."""

    path: Path

    def __post_init__(self) -> None:
        self._known = set(self._pictures())
        self._growing: dict[Path, int] = {}

    def _pictures(self) -> list[Path]:
        try:
            found = [one for one in self.path.iterdir() if one.suffix.casefold() in PICTURES]
        except OSError as problem:
            raise BadFile(
                tr("{path} cannot be read: {strerror}.", path=self.path, strerror=problem.strerror)
            ) from problem
        return sorted(found)

    def new(self) -> list[Path]:
        """Return the pictures that have come since, each once its size stands still.

        Raises BadFile where the folder is gone.
        """
        ready = []
        for path in self._pictures():
            if path in self._known:
                continue
            try:
                size = path.stat().st_size
            except OSError:
                continue  # it went again
            if size and self._growing.get(path) == size:
                self._known.add(path)
                ready.append(path)
            self._growing[path] = size
        return ready
