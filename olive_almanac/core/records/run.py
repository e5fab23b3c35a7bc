"""What is kept of a trial's run: what burnt, what is in doubt, what happened, and the photos."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.entry import Room
from olive_almanac.core.records.ranges import check_time
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.sight import CellSight
from olive_almanac.core.words import tr

__all__ = [
    "MOST_OF_SIDE",
    "CellBurn",
    "KeptPhoto",
    "RunEvent",
    "RunRecord",
    "Side",
    "photos_of",
    "side_shown",
    "with_photo",
    "without_photo",
]

Side = Literal["front", "back"]
MOST_OF_SIDE = 5  # photos


@dataclass(frozen=True)
class CellBurn:
    """One cell that burnt: whether it flared up, and what an eye would see where a stand-in tells
    it.
    """

    flared: bool = False
    seen: Reading | None = None


@dataclass(frozen=True)
class RunEvent:
    """A flare-up or smoke during the run, and whether it was answered by a hold."""

    kind: str
    cell: str
    answered: bool


@dataclass(frozen=True)
class KeptPhoto:
    """A photo of one side: under which name it is kept, what it was called, the day, the corners
    picked by hand (pixels), what was said of it, and what it showed of each cell.
    """

    name: str
    source: str = ""
    at: str = ""
    corners: tuple[tuple[float, float], ...] = ()
    says: tuple[str, ...] = ()
    cells: tuple[CellSight, ...] = ()
    simulated: bool = field(default=False, metadata={"written": "if set"})

    def __post_init__(self) -> None:
        for one in self.cells:  # no photo has shown what no reading may hold
            Reading(one.cell, kerf_mm=one.line_mm, lightness=one.lightness, halo_mm=one.halo_mm)


@dataclass(frozen=True)
class RunRecord:
    """A run as far as it is known.

    `by` names what burnt it ("stand-in", "machine", a port), empty before; `marks` is "begun" once
    labels and photo marks were sent; `maybe` are cells that may be half burnt, `left_out` those
    that will not be burnt; `interrupted` says why it ended before its time.
    """

    by: str = ""
    started: str = ""
    marks: str = ""
    cells: dict[str, CellBurn] = field(default_factory=dict, hash=False)
    maybe: tuple[str, ...] = ()
    left_out: tuple[str, ...] = ()
    interrupted: str = ""
    complete: bool = False
    events: tuple[RunEvent, ...] = ()
    log: tuple[str, ...] = ()
    photos: dict[str, KeptPhoto] = field(default_factory=dict, hash=False)  # by side
    ticks: dict[str, str] | None = field(default=None, hash=False)  # checklist lines: when
    ticked_for: dict[str, str] = field(  # and the number that each was ticked for
        default_factory=dict, hash=False, metadata={"written": "if set"}
    )
    room: Room | None = None
    extra: dict[str, object] = field(default_factory=dict, hash=False)

    def __post_init__(self) -> None:
        check_time(tr("Begin of the run"), self.started, empty=True)

    @property
    def gone(self) -> frozenset[str]:
        """The cells that are not to be burnt any more."""
        return frozenset((*self.cells, *self.maybe, *self.left_out))

    @property
    def on_stand_in(self) -> bool:
        """Whether the stand-in burnt it."""
        return self.by == "stand-in"

    @property
    def is_simulated(self) -> bool:
        """Whether what is read of it comes from the stand-in bench or its phone."""
        return self.on_stand_in or any(photo.simulated for photo in self.photos.values())


def photos_of(photos: Mapping[str, KeptPhoto], side: str) -> tuple[str, ...]:
    """Return under which names the photos of a side are kept, in the order they were taken: the
    side, then "front 2" and so on.
    """
    return tuple(name for name in photos if name == side or name.startswith(f"{side} "))


def with_photo(
    photos: Mapping[str, KeptPhoto], side: str, kept: KeptPhoto
) -> tuple[dict[str, KeptPhoto], str]:
    """Return the photos with one more of a side, and its name; the very same picture is kept once.
    Raises OutOfRange where there are enough.
    """
    names = photos_of(photos, side)
    same = [name for name in names if photos[name].name == kept.name]
    if not same and len(names) >= MOST_OF_SIDE:
        most = tr("at most {most}: take one away first", most=MOST_OF_SIDE)
        raise OutOfRange(tr("Photos of one side"), len(names) + 1, most)
    name = same[0] if same else _numbered(side, len(names))
    return {**photos, name: kept}, name


def without_photo(photos: Mapping[str, KeptPhoto], name: str) -> dict[str, KeptPhoto]:
    """Return the photos without one; those of the same side are numbered anew."""
    side = side_shown(name)
    rest = [photos[one] for one in photos_of(photos, side) if one != name]
    others = {one: kept for one, kept in photos.items() if side_shown(one) != side}
    return {**others, **{_numbered(side, n): kept for n, kept in enumerate(rest)}}


def side_shown(name: str) -> str:
    """Return the side that the photo of a name shows."""
    return name.partition(" ")[0]


def _numbered(side: str, before: int) -> str:
    return f"{side} {before + 1}" if before else side
