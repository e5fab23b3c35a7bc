"""A job: a drawing, the task and setting of each of its groups, where its copies lie, and what came
of it.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Literal

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.anchors import ANCHORS
from olive_almanac.core.records.glow import Glow
from olive_almanac.core.records.jig import Jig
from olive_almanac.core.records.ranges import check_choice, check_day, check_number, check_text
from olive_almanac.core.records.service import Counters
from olive_almanac.core.records.setting import TASKS, Setting
from olive_almanac.core.records.sides import SIDES, TwoSides
from olive_almanac.core.records.stack import Stack
from olive_almanac.core.words import tr

__all__ = [
    "CAUSES",
    "COPY",
    "EVERYTHING",
    "GUIDES",
    "HANGS",
    "LEAVE_OUT",
    "LEAVE_OUT_WORDS",
    "NAMES",
    "ORIGINS",
    "SHEET",
    "FindingAnswer",
    "GroupTask",
    "Hang",
    "Job",
    "JobOutcome",
    "JobProgress",
    "Origin",
    "PlacedCopy",
    "group_words",
]

Hang = Literal["sheet", "knife"]
HANGS: dict[str, str] = {"knife": tr("it is freed by hand"), "sheet": tr("the sheet is lost")}
Origin = Literal["bed", "head", "touched"]
ORIGINS: dict[str, str] = {
    "bed": tr("at a stop"),
    "head": tr("where the head stands"),
    "touched": tr("where two touches say"),
}
SHEET, COPY = "sheet", "copy"  # whose lower corners were touched
LOWER_LEFT = "lower left"
# what records keep is the same in each language; beside it what is told, and what was kept once
LEAVE_OUT = "leave out"
NAMES = "names of the list"  # the group of what is lettered on each copy
GUIDES = "guides of the next layer"
EVERYTHING = "everything"  # the group of a drawing that has too many
LEAVE_OUT_WORDS = tr("leave out")
GROUP_WORDS = {
    NAMES: tr("names of the list"),
    GUIDES: tr("guides of the next layer"),
    EVERYTHING: tr("everything"),
}
_ONCE_KEPT = {
    "weglassen": LEAVE_OUT,
    "Namen der Liste": NAMES,
    "Hilfslinien der nächsten Lage": GUIDES,
}
CAUSES = {
    "": tr("not known"),
    "focus": tr("the focus was off"),
    "thick": tr("the sheet is thicker there"),
    "bowed": tr("the sheet was bowed"),
    "air": tr("the air was weak"),
    "moved": tr("a piece moved"),
    "weak": tr("the machine was weak"),
}
COLOUR_NAMES = {
    "#000000": tr("black"),
    "#ffffff": tr("white"),
    "#ff0000": tr("red"),
    "#00ff00": tr("light green"),
    "#008000": tr("green"),
    "#0000ff": tr("blue"),
    "#ffff00": tr("yellow"),
    "#00ffff": tr("cyan"),
    "#ff00ff": tr("magenta"),
    "#ffa500": tr("orange"),
    "#800080": tr("purple"),
    "#808080": tr("grey"),
}


def group_words(group: str) -> str:
    """Return a group as one says it: "holes, red" for "holes / #ff0000"."""
    if group in GROUP_WORDS:
        return GROUP_WORDS[group]
    layer, _, colour = group.rpartition(" / ")
    told = COLOUR_NAMES.get(colour, colour)
    return f"{layer}, {told}" if layer else told


@dataclass(frozen=True)
class GroupTask:
    """What is done with one group of a drawing; `task` is a task of the book or "leave out".

    `setting` comes from the entry `entry_uid`, or was reckoned for this job where that is empty;
    `kerf_mm` is what a width and what a height lose.
    """

    group: str
    task: str = LEAVE_OUT
    entry_uid: str = ""
    setting: Setting | None = None
    kerf_mm: tuple[float, float] | None = None
    side: str = field(default="front", metadata={"written": "if set"})

    def __post_init__(self) -> None:
        for name in ("group", "task"):
            kept = getattr(self, name)
            object.__setattr__(self, name, _ONCE_KEPT.get(kept, kept))
        check_choice(tr("Task of a group"), self.task, (*TASKS, LEAVE_OUT))
        check_choice(tr("Side of a group"), self.side, tuple(SIDES))
        for kerf in self.kerf_mm or ():
            check_number(tr("Kerf"), kerf, "mm", low=0, high=5)

    @property
    def burns(self) -> bool:
        """Whether it is burnt: neither left out nor without a setting."""
        return self.task != LEAVE_OUT and self.setting is not None


@dataclass(frozen=True)
class FindingAnswer:
    """What the operator answered to something that was told of the drawing: about what, and the
    choice.
    """

    about: str
    choice: str

    def __post_init__(self) -> None:
        check_text(tr("What was asked"), self.about, 60)
        check_text(tr("Answer"), self.choice, 60)


@dataclass(frozen=True)
class PlacedCopy:
    """One copy on a sheet of the rack; `sheet` counts from 0, the place is of its lower left corner
    in mm of the sheet.  It is `turned` by a quarter to the left, and by a half more where it lies
    `upside` down; `part` counts the pieces of the drawing, -1 is the whole of it.
    """

    sheet: int
    x_mm: float
    y_mm: float
    turned: bool = False
    upside: bool = field(default=False, metadata={"written": "if set"})
    part: int = field(default=-1, metadata={"written": "if set"})

    @property
    def quarters(self) -> int:
        """By how many quarters it is turned to the left, 0 to 3."""
        return self.turned + 2 * self.upside

    def quarter_on(self) -> PlacedCopy:
        """Return it turned by a quarter more to the left."""
        on = (self.quarters + 1) % 4
        return replace(self, turned=bool(on % 2), upside=on > 1)


@dataclass(frozen=True)
class JobOutcome:
    """What came of a run: on which day (ISO), pieces in all and how many hung, of those how many at
    a knot or a fault of the stock, and a note; the setting of its cuts, how much was cut in all,
    mm, and of which lot; how many were spoilt otherwise, and what is thought to be the cause.
    """

    on: str
    pieces: int
    hung: int
    knots: int = 0
    note: str = ""
    setting: Setting | None = field(default=None, metadata={"written": "if set"})
    cut_mm: float = field(default=0.0, metadata={"written": "if set"})
    lot: str = field(default="", metadata={"written": "if set"})
    spoilt: int = field(default=0, metadata={"written": "if set"})
    cause: str = field(default="", metadata={"written": "if set"})
    used: Counters | None = field(default=None, metadata={"written": "if set"})  # of the machine

    def __post_init__(self) -> None:
        check_choice(tr("Cause"), self.cause, tuple(CAUSES))
        check_day(tr("Day of the run"), self.on)
        check_number(tr("Pieces that were spoilt"), self.spoilt, low=0, high=1_000_000)
        check_number(tr("Pieces"), self.pieces, low=1, high=1_000_000)
        check_number(tr("Pieces that hung"), self.hung, low=0, high=self.pieces)
        check_number(tr("Pieces that hung at a knot"), self.knots, low=0, high=self.hung)


@dataclass(frozen=True)
class JobProgress:
    """How far the run of one sheet has come: of which layout it is, how many of its steps are
    surely burnt and how many were begun, when and on what it was started (ISO time), why it ended
    early, and when each line of the checklist was ticked.
    """

    sheet: int
    layout: str
    burnt: int = 0
    begun: int = 0
    started: str = ""
    by: str = ""
    interrupted: str = ""
    complete: bool = False
    ticks: dict[str, str] = field(default_factory=dict, hash=False)
    side: str = field(default="", metadata={"written": "if set"})  # of a sheet that has two

    def __post_init__(self) -> None:
        check_number(tr("Steps burnt"), self.burnt, low=0, high=10_000_000)
        check_number(tr("Steps begun"), self.begun, low=self.burnt, high=10_000_000)


@dataclass(frozen=True)
class Job:
    """A job as the library keeps it; `drawing_name` and `drawing_sha256` name the file whose bytes
    are kept unchanged.
    """

    uid: str
    name: str
    made: str  # ISO day
    machine_uid: str
    stock_uid: str
    lot: str
    drawing_name: str
    drawing_photo: str  # under what name the library keeps the file
    drawing_sha256: str
    groups: tuple[GroupTask, ...] = ()
    copies: int = 1
    placed: tuple[PlacedCopy, ...] = ()
    apart: bool = field(default=False, metadata={"written": "if set"})  # pieces placed one by one
    answers: tuple[FindingAnswer, ...] = field(default=(), metadata={"written": "if set"})
    names: tuple[str, ...] = field(default=(), metadata={"written": "if set"})  # one a copy
    name_box_mm: tuple[float, ...] = field(default=(), metadata={"written": "if set"})
    name_font: str = field(default="", metadata={"written": "if set"})  # a font file that is kept
    gap_mm: float = 3.0
    rounds: int = 1
    hang: Hang = "knife"
    origin: Origin = field(default="bed", metadata={"written": "if set"})
    stop_mm: tuple[float, float] = field(default=(0.0, 0.0), metadata={"written": "if set"})
    anchor: str = field(default=LOWER_LEFT, metadata={"written": "if set"})  # where the head stands
    reference: str = field(default=SHEET, metadata={"written": "if set"})  # or COPY, or a group
    touched_mm: tuple[float, ...] = field(default=(), metadata={"written": "if set"})  # x, y, x, y
    jig: Jig | None = field(default=None, metadata={"written": "if set"})  # instead of sheets
    sides: TwoSides | None = field(default=None, metadata={"written": "if set"})
    stack: Stack | None = field(default=None, metadata={"written": "if set"})  # layers, glued
    glow: Glow | None = field(default=None, metadata={"written": "if set"})  # a group as dots
    dots: bool = field(default=False, metadata={"written": "if set"})  # pictures burnt in dots
    seconds: float = 0.0
    written: str = ""  # when its files were written, ISO time
    outcomes: tuple[JobOutcome, ...] = ()
    progress: tuple[JobProgress, ...] = field(default=(), metadata={"written": "if set"})
    extra: dict[str, object] = field(default_factory=dict, hash=False)

    def __post_init__(self) -> None:
        check_text(tr("Name of the job"), self.name, 80)
        for name in filter(None, self.names):
            check_text(tr("Name on a part"), name)
        if self.name_box_mm and len(self.name_box_mm) != 4:
            raise OutOfRange(
                tr("Box of the names"), self.name_box_mm, tr("left, low, right, high in mm")
            )
        check_number(tr("Copies"), self.copies, low=1, high=10_000)
        check_number(tr("Gap between copies"), self.gap_mm, "mm", low=0, high=500)
        check_number(tr("Rounds"), self.rounds, low=1, high=5)
        check_choice(tr("What a hang costs"), self.hang, tuple(HANGS))
        check_choice(tr("Origin of the files"), self.origin, tuple(ORIGINS))
        check_choice(tr("Place where the head stands"), self.anchor, tuple(ANCHORS))
        for mm in self.stop_mm:
            check_number(tr("Place of the stop"), mm, "mm", low=0, high=10_000)
        if self.touched_mm and len(self.touched_mm) != 4:
            raise OutOfRange(tr("Touched places"), self.touched_mm, tr("X and Y of two places, mm"))
        for mm in self.touched_mm:
            check_number(tr("A touched place"), mm, "mm", low=-10_000, high=10_000)

    def sheet_words(self, number: int, side: str = "") -> str:
        """Return what a sheet, counted from 0, is called: with a jig it is a load."""
        called = f"{(tr('Load') if self.jig is not None else tr('Sheet'))} {number + 1}"
        return f"{called}, {SIDES[side]}" if side else called

    def progress_on(self, sheet: int, layout: str, side: str = "") -> JobProgress:
        """Return how far the run of a sheet has come, of this very layout; a fresh one else."""
        fresh = JobProgress(sheet, layout, side=side)
        known = (one for one in self.progress if (one.sheet, one.layout) == (sheet, layout))
        return next(known, fresh)

    def with_progress(self, progress: JobProgress) -> Job:
        """Return the job with how far the run of a sheet has come."""
        mine = (progress.sheet, progress.side)
        others = tuple(one for one in self.progress if (one.sheet, one.side) != mine)
        return replace(self, progress=(*others, progress))

    def with_outcome(self, outcome: JobOutcome) -> Job:
        """Return the job with what came of a run behind the others."""
        return replace(self, outcomes=(*self.outcomes, outcome))
