"""Read: one key a verdict; each reading is in the library before the next cell is shown."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol, cast

from olive_almanac.core.records.reading import Reading, Verdict
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.trial import Cell, Trial
from olive_almanac.core.units import number_text, percent_text, speed_in
from olive_almanac.steps.commands import Change
from olive_almanac.steps.session import Session

__all__ = ["KEYS", "ReadPresenter", "ShowsReading", "axis_texts"]

_TONE_KEYS = (("L", "too_light"), ("R", "right"), ("D", "too_dark"), ("N", "no_mark"))
KEYS: dict[str, tuple[tuple[str, str], ...]] = {  # task: (key, verdict); "flare" is a verdict of the screen only
    "cut": (("T", "free"), ("H", "hangs"), ("N", "not_through"), ("F", "flare")),
    "score": _TONE_KEYS,
    "engrave": _TONE_KEYS,
    "mark": _TONE_KEYS,
}


def axis_texts(trial: Trial, unit: str) -> tuple[tuple[str, dict[int, str]], tuple[str, dict[int, str]]]:
    """Return for rows and for columns what changes along them, in words, and the text of each row or column.

    A row whose cells have nothing of their own in common gets no text.
    """
    return _axis([(cell.row, cell.setting) for cell in trial.cells], unit), _axis(
        [(cell.col, cell.setting) for cell in trial.cells], unit
    )


def _axis(cells: list[tuple[int, Setting]], unit: str) -> tuple[str, dict[int, str]]:
    tellers: tuple[tuple[str, Callable[[Setting], str]], ...] = (
        ("power", lambda s: f"{percent_text(s.power)} %"),
        (unit, lambda s: number_text(speed_in(s.speed_mm_s, unit))),
        ("passes", lambda s: str(s.passes)),
        ("focus, mm", lambda s: number_text(s.focus_mm)),
        ("line pitch, mm", lambda s: number_text(s.pitch_mm)),
        ("air", lambda s: s.air),
        ("direction", lambda s: s.direction.upper()),
        ("lines", lambda s: "crossed" if s.crosshatch else "one way"),
    )
    for words, tell in tellers:
        texts: dict[int, set[str]] = {}
        for at, setting in cells:
            texts.setdefault(at, set()).add(tell(setting))
        alike = all(len(found) == 1 for found in texts.values())
        if alike and (len(set.union(*texts.values())) > 1 or (len(texts) == 1 and words == "power")):
            return words, {at: next(iter(found)) for at, found in texts.items()}
    return "", {}


class ShowsReading(Protocol):
    def show_reading(self) -> None: ...


class ReadPresenter:
    """Knows the cell in hand and the edge grade picked for it."""

    def __init__(self, session: Session, view: ShowsReading) -> None:
        self.session, self._view = session, view
        self.cell: Cell | None = None
        self.edge: int | None = None
        self.start()

    @property
    def trial(self) -> Trial | None:
        return self.session.desk.trial if self.session.desk else None

    @property
    def readable(self) -> list[Cell]:
        """Burnt cells in reading order: from the top row down, each from the left."""
        desk = self.session.desk
        if desk is None:
            return []
        return sorted((cell for cell in desk.trial.cells if cell.id in desk.burnt), key=lambda cell: (-cell.row, cell.col))

    @property
    def left(self) -> int:
        desk = self.session.desk
        return sum(cell.id not in desk.readings for cell in self.readable) if desk else 0

    def start(self) -> None:
        """Take the first unread cell in hand."""
        desk = self.session.desk
        unread = [cell for cell in self.readable if desk and cell.id not in desk.readings]
        self.cell = unread[0] if unread else (self.readable[0] if self.readable else None)
        self.edge = None

    def verdict(self, verdict: str) -> None:
        """Record the verdict of the cell in hand with the edge picked, and go to the next unread cell."""
        if self.cell is None:
            return
        if verdict == "flare":
            reading = Reading(self.cell.id, None, char=3, defects=("flare",))
        else:
            reading = Reading(self.cell.id, cast(Verdict, verdict), char=self.edge)
        self._record(self.cell, reading)

    def pick_edge(self, grade: int) -> None:
        """Pick the edge grade for the cell in hand; a cell that is read already takes it at once."""
        desk = self.session.desk
        self.edge = None if self.edge == grade else grade
        old = desk.readings.get(self.cell.id) if desk and self.cell else None
        if old is not None and self.cell is not None and old.verdict is not None:
            self._record(self.cell, Reading(old.cell, old.verdict, char=self.edge), stay=True)
        else:
            self._view.show_reading()

    def _record(self, cell: Cell, reading: Reading, *, stay: bool = False) -> None:
        desk = self.session.desk
        assert desk is not None
        before, trial_id = desk.readings.get(cell.id), desk.trial.id

        def put(value: Reading | None, *, forward: bool) -> None:
            if self.session.desk is None or self.session.desk.trial.id != trial_id:
                return  # another coupon lies on the desk now
            self.session.keep_reading(cell.id, value)
            if forward and not stay:
                self._go_on(cell)
            else:
                self.cell, self.edge = cell, value.char if value else None
            self._set_stage()
            self.session.changed("desk")
            self._view.show_reading()

        change = Change(f"reading of {cell.id}", lambda: put(reading, forward=True), lambda: put(before, forward=False))
        self.session.attempt(lambda: self.session.undo_stack.push(change))

    def _go_on(self, cell: Cell) -> None:
        desk, cells = self.session.desk, self.readable
        assert desk is not None
        at = cells.index(cell)
        following = cells[at + 1 :] + cells[:at]
        self.cell = next((c for c in following if c.id not in desk.readings), cell)
        known = desk.readings.get(self.cell.id)
        self.edge = known.char if known else None

    def _set_stage(self) -> None:
        desk = self.session.desk
        if desk is None or desk.stage == "book":
            return
        stage = "decide" if self.left == 0 else "read"
        if stage != desk.stage:
            self.session.keep_trial(desk.trial, stage, "all read" if stage == "decide" else "reading")

    def take_back(self) -> None:
        """Take the newest change back."""
        self.session.attempt(self.session.undo_stack.undo)

    def skip(self) -> None:
        if self.cell is not None and self.readable:
            cells = self.readable
            self.choose(cells[(cells.index(self.cell) + 1) % len(cells)].id)

    def choose(self, cell_id: str) -> None:
        desk = self.session.desk
        found = next((cell for cell in self.readable if cell.id == cell_id), None)
        if found is not None and desk is not None:
            self.cell = found
            known = desk.readings.get(found.id)
            self.edge = known.char if known else None
            self._view.show_reading()

    def move(self, rows: int, cols: int) -> None:
        """Move to the burnt cell that lies next in a direction; rows count upward."""
        here = self.cell
        if here is None:
            return
        ahead = [cell for cell in self.readable if (cell.row - here.row) * rows + (cell.col - here.col) * cols > 0]
        if ahead:
            nearest = min(
                ahead,
                key=lambda c: (
                    10 * abs((c.row - here.row) * cols)
                    + 10 * abs((c.col - here.col) * rows)
                    + abs(c.row - here.row)
                    + abs(c.col - here.col)
                ),
            )
            self.choose(nearest.id)
