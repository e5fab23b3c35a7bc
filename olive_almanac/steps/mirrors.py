"""Marks of the mirrors: typed at the four corners, told at once, kept with the machine."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from olive_almanac.core.errors import AlmanacError
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.service import MirrorMarks
from olive_almanac.core.units import number_text, read_number
from olive_almanac.core.words import tr

if TYPE_CHECKING:
    from olive_almanac.core.upkeep.mirrors import Alignment
    from olive_almanac.steps.upkeep import UpkeepPresenter

__all__ = ["CAUTIONS", "CORNERS", "SCREWS", "MarksTold", "MirrorsPresenter", "corner_places_mm"]

CAUTIONS = tr(
    "Lowest power that marks, one short pulse, lid and eyewear as the machine's manual says. Never "
    "hold a hand or a card in the beam, nobody at the mirrors while the beam can fire; in doubt, "
    "the maker's service."
)
CORNERS = (tr("front left"), tr("front right"), tr("rear right"), tr("rear left"))
SCREWS = (tr("first"), tr("second"))
INSIDE_MM = 30.0
TURN = 0.25
FAR = {1: tr("rear left"), 2: tr("front right")}  # where each mirror's mark wanders most
LEAST_TURN = 0.02
LEAN_MM = 1.0  # off the middle of the lens, from which a lean is told
FOCAL_MM = 50.8


@dataclass(frozen=True)
class MarksTold:
    """What the typed marks tell: a sentence, how the screws are to be turned, what is wrong, and at
    which corner it is to be marked again after a test turn (none: no mirror is to be turned).
    """

    says: str = ""
    turns: str = ""
    problem: str = ""
    again_at: str = ""
    marks: tuple[tuple[float, float] | None, ...] = ()


def corner_places_mm(machine: Machine) -> tuple[tuple[float, float], ...]:
    """Return where the head stands for each of CORNERS, mm of the bed."""
    w, h = machine.bed_mm
    low, x, y = INSIDE_MM, w - INSIDE_MM, h - INSIDE_MM
    return ((low, low), (x, low), (x, y), (low, y))


class MirrorsPresenter:
    """Works out what is typed; keeps it as a check of the mirrors."""

    def __init__(self, upkeep: UpkeepPresenter) -> None:
        self.upkeep = upkeep

    @property
    def machine(self) -> Machine | None:
        """The machine in hand, where it has mirrors to be set."""
        machine = self.upkeep.machine
        return machine if machine is not None and machine.source == "co2" else None

    def places_mm(self) -> tuple[tuple[float, float], ...]:
        """Return where the head stands for each corner, mm of the bed."""
        machine = self.machine
        assert machine is not None
        return corner_places_mm(machine)

    def tell(self, texts: Mapping[tuple[str, str], str]) -> MarksTold:
        """Return what marks tell as they are typed; keys are a corner (or a screw) and "right" or
        "up".
        """
        if self.machine is None:
            return MarksTold()
        try:
            marks = self._read(texts)
        except AlmanacError as problem:
            return MarksTold(problem=str(problem))
        if any(mark is None for mark in marks[: len(CORNERS)]):
            left = sum(mark is None for mark in marks[: len(CORNERS)])
            words = tr("corner is") if left == 1 else tr("corners are")
            return MarksTold(
                tr("{left} {words} still to be marked.", left=left, words=words), marks=tuple(marks)
            )
        return self._told([mark for mark in marks[: len(CORNERS)] if mark is not None], marks)

    def keep(self, texts: Mapping[tuple[str, str], str]) -> bool:
        """Keep the marks with the machine as a check of its mirrors; tell what is missing."""
        upkeep, machine = self.upkeep, self.machine
        if machine is None:
            return False
        try:
            marks = self._read(texts)
        except AlmanacError as problem:
            upkeep.session.tell(str(problem))
            return False
        corners = tuple(mark for mark in marks[: len(CORNERS)] if mark is not None)
        if len(corners) < len(CORNERS):
            upkeep.session.tell(
                tr("Mark all four corners first: right and up of the middle, in mm.")
            )
            return False
        turned = tuple(mark for mark in marks[len(CORNERS) :] if mark is not None)
        kept = MirrorMarks(self.places_mm(), corners, turned if len(turned) == 2 else ())
        told = self.tell(texts)
        note = f"{told.says} {told.turns}".strip()
        act = upkeep.make_act(machine, "alignment", "check")
        act = replace(act, marks=kept, note=note[:400])
        done = upkeep.session.attempt(
            lambda: upkeep.session.shop.keep_act(act, tr("mirrors marked on tape"))
        )
        upkeep.show()
        return done

    def _read(self, texts: Mapping[tuple[str, str], str]) -> list[tuple[float, float] | None]:
        """The marks of the corners, then of the screws; None where nothing is typed.  Raises
        OutOfRange.
        """
        found: list[tuple[float, float] | None] = []
        for name in (*CORNERS, *SCREWS):
            pair = [texts.get((name, way), "").strip() for way in ("right", "up")]
            if not any(pair):
                found.append(None)
                continue
            right, up = (read_number(text or "0", tr("Mark at {name}", name=name)) for text in pair)
            found.append((right, up))
        MirrorMarks((), (), tuple(mark for mark in found if mark is not None))
        return found

    def _told(
        self, corners: list[tuple[float, float]], marks: list[tuple[float, float] | None]
    ) -> MarksTold:
        from olive_almanac.core.upkeep.mirrors import fit_marks, lean_deg  # loads NumPy

        machine = self.machine
        assert machine is not None
        found = fit_marks(self.places_mm(), corners, machine.bed_mm)
        off = math.hypot(*found.offset_mm)
        says = found.says
        if off > LEAN_MM and not found.mirror and found.straight:
            lean = number_text(lean_deg(off, FOCAL_MM), 2)
            says += tr(
                " Through a lens of {focal_mm:g} mm cuts lean by {lean}°.",
                focal_mm=FOCAL_MM,
                lean=lean,
            )
        again = FAR.get(found.mirror, "")
        turns = ""
        if found.mirror:
            turns = self._turns(found, corners[CORNERS.index(again)], marks[len(CORNERS) :])
        return MarksTold(says, turns, "", again, tuple(marks))

    @staticmethod
    def _turns(
        found: Alignment, before: tuple[float, float], after: list[tuple[float, float] | None]
    ) -> str:
        from olive_almanac.core.upkeep.mirrors import screw_turns

        if any(mark is None for mark in after):
            return ""
        response = [
            ((mark[0] - before[0]) / TURN, (mark[1] - before[1]) / TURN)
            for mark in after
            if mark is not None
        ]
        try:
            turns = screw_turns(response, found.wanted_mm)
        except AlmanacError as problem:
            return str(problem)
        words = [
            tr(
                "the {name} screw {turn} of a turn {way}",
                name=name,
                turn=number_text(abs(turn), 2),
                way=tr("on") if turn > 0 else tr("back"),
            )
            for name, turn in zip(SCREWS, turns, strict=True)
            if abs(turn) >= LEAST_TURN
        ]
        if not words:
            return tr("Nothing more is to be turned.")
        return tr(
            "From where they were: {words} (on: as in the test). Then mark again.",
            words=", ".join(words),
        )
