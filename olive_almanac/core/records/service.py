"""What is done to keep a machine true: acts of service with the counters at that time."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.ranges import check_choice, check_number, check_text, check_time
from olive_almanac.core.words import tr

__all__ = ["ACTS", "FOUND", "ActKind", "Counters", "Interval", "MirrorMarks", "ServiceAct"]

ActKind = Literal["clean", "check", "change", "replace", "align", "correct", "interval", "override"]
ACTS: dict[str, str] = {
    "clean": tr("cleaned"),
    "check": tr("checked"),
    "change": tr("changed"),
    "replace": tr("replaced"),
    "align": tr("aligned"),
    "correct": tr("hours corrected"),
    "interval": tr("interval changed"),
    "override": tr("burnt all the same"),
}
FOUND: dict[str, str] = {
    "": tr("as usual"),
    "clean": tr("clean"),
    "dirty": tr("dirty"),
    "burnt": tr("scorched"),
    "worn": tr("worn"),
    "loose": tr("loose"),
    "full": tr("full"),
}
MOST = 1e9


@dataclass(frozen=True)
class Counters:
    """What a machine has done: hours on, hours with the beam on, energy sent out, J, and smoke
    made, g.
    """

    on_h: float = 0.0
    beam_h: float = 0.0
    energy_j: float = 0.0
    smoke_g: float = 0.0

    def __post_init__(self) -> None:
        for name in ("on_h", "beam_h", "energy_j", "smoke_g"):
            check_number(tr("Counter {name}", name=name), getattr(self, name), low=-MOST, high=1e15)

    def plus(self, other: Counters) -> Counters:
        """Return both together; never below nought."""
        return Counters(
            max(0.0, self.on_h + other.on_h),
            max(0.0, self.beam_h + other.beam_h),
            max(0.0, self.energy_j + other.energy_j),
            max(0.0, self.smoke_g + other.smoke_g),
        )

    def since(self, before: Counters) -> Counters:
        """Return what came since; a counter that went backwards counts as nothing."""
        return Counters(
            max(0.0, self.on_h - before.on_h),
            max(0.0, self.beam_h - before.beam_h),
            max(0.0, self.energy_j - before.energy_j),
            max(0.0, self.smoke_g - before.smoke_g),
        )


@dataclass(frozen=True)
class Interval:
    """After how much a part is due: hours on, days, hours with the beam on, g of smoke; what does
    not count is 0.
    """

    hours: float = 0.0
    days: float = 0.0
    beam_hours: float = 0.0
    grams: float = 0.0

    def __post_init__(self) -> None:
        for name in ("hours", "days", "beam_hours", "grams"):
            check_number(tr("Interval, {name}", name=name), getattr(self, name), low=0, high=1e6)


Pair = tuple[float, float]


@dataclass(frozen=True)
class MirrorMarks:
    """Marks on tape over the head's opening, mm right and up of its middle seen from where the beam
    comes, with the head at some places, mm of the bed; `turned_mm` is the far mark after a quarter
    turn of the first, of the second screw, each from where it was.
    """

    at_mm: tuple[Pair, ...]
    marks_mm: tuple[Pair, ...]
    turned_mm: tuple[Pair, ...] = ()

    def __post_init__(self) -> None:
        if len(self.at_mm) != len(self.marks_mm):
            raise OutOfRange(
                tr("Marks"), len(self.marks_mm), tr("{at_mm}, one a place", at_mm=len(self.at_mm))
            )
        for mark in (*self.marks_mm, *self.turned_mm):
            for value in mark:
                check_number(tr("Mark"), value, "mm", low=-100, high=100)
        for place in self.at_mm:
            for value in place:
                check_number(tr("Place of the head"), value, "mm", low=-10_000, high=10_000)


@dataclass(frozen=True)
class ServiceAct:
    """One act: on which machine and part, what, when (ISO time), by whom, and the counters then.

    A correction adds `added` to the counters; a changed interval stands in `interval`; water has
    its temperature and its flow, a power meter the watts that it read and at how much power.
    """

    uid: str
    machine_uid: str
    part: str
    kind: ActKind
    at: str
    by: str = ""
    counters: Counters = Counters()
    found: str = ""
    minutes: float = 0.0
    parts_cost: float = 0.0
    celsius: float | None = None
    flow_l_min: float | None = None
    note: str = ""
    added: Counters | None = field(default=None, metadata={"written": "if set"})
    interval: Interval | None = field(default=None, metadata={"written": "if set"})
    watts: float | None = field(default=None, metadata={"written": "if set"})  # by a meter
    at_percent: float | None = field(default=None, metadata={"written": "if set"})
    marks: MirrorMarks | None = field(default=None, metadata={"written": "if set"})

    def __post_init__(self) -> None:
        check_text(tr("Part"), self.part, 40)
        check_time(tr("Time of the act"), self.at)
        check_choice(tr("Act"), self.kind, tuple(ACTS))
        check_choice(tr("What was found"), self.found, tuple(FOUND))
        check_number(tr("Minutes"), self.minutes, low=0, high=10_000, key="minutes")
        check_number(tr("Cost of parts"), self.parts_cost, low=0, high=1e7, key="cost")
        if self.celsius is not None:
            check_number(
                tr("Temperature"), self.celsius, tr("degrees C"), low=-30, high=120, key="celsius"
            )
        if self.flow_l_min is not None:
            check_number(tr("Flow"), self.flow_l_min, "l/min", low=0, high=1000, key="flow")
        if self.watts is not None:
            check_number(tr("Power"), self.watts, "W", low=0.01, high=100_000, key="watts")
        if self.at_percent is not None:
            check_number(tr("Power of the reading"), self.at_percent, "%", low=1, high=100)
