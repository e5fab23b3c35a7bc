"""Readings at several levels of a factor that no model knows, the pulse rate, are decided apart."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from olive_almanac.core.deciding.decision import Decision
from olive_almanac.core.records.factors import FACTORS, further_words
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.words import tr

__all__ = ["Level", "levels_of", "soonest"]

Pairs = Sequence[tuple[Trial, Sequence[Reading]]]
_FIELDS = tuple(factor.field for factor in FACTORS if factor.optional)


@dataclass(frozen=True)
class Level:
    """One combination of such levels: its fields in a setting, in words, and what was burnt and
    read at it.
    """

    fields: dict[str, Any]
    words: str
    pairs: Pairs

    @property
    def cells_read(self) -> int:
        """How many cells were read at this level."""
        return sum(len(readings) for _, readings in self.pairs)

    def set_in(self, decision: Decision) -> Decision:
        """Return the decision with these levels in its picks and in the cells to burn next."""
        picks = tuple(
            replace(pick, setting=replace(pick.setting, **self.fields)) for pick in decision.picks
        )
        cells = tuple(replace(setting, **self.fields) for setting in decision.next_cells)
        return replace(decision, picks=picks, next_cells=cells)


def _fields_of(setting: Setting) -> dict[str, Any]:
    return {field: getattr(setting, field) for field in _FIELDS}


def levels_of(pairs: Pairs) -> tuple[Level, ...]:
    """Return the levels that hold readings, the most read first; all that was burnt as one level
    where nothing was read.
    """
    found: dict[tuple[Any, ...], Setting] = {}
    for trial, readings in pairs:
        read = {reading.cell for reading in readings}
        for cell in trial.cells:
            if cell.id in read:
                found.setdefault(tuple(_fields_of(cell.setting).values()), cell.setting)
    if len(found) < 2:
        setting = next(iter(found.values()), pairs[-1][0].cells[0].setting)
        return (Level(_fields_of(setting), ", ".join(further_words(setting)), pairs),)
    levels = [
        Level(
            _fields_of(setting),
            ", ".join(further_words(setting)) or tr("the source’s own"),
            tuple(_only(trial, readings, _fields_of(setting)) for trial, readings in pairs),
        )
        for setting in found.values()
    ]
    held = [replace(one, pairs=tuple(pair for pair in one.pairs if pair[1])) for one in levels]
    return tuple(sorted(held, key=lambda one: -one.cells_read))


def _only(
    trial: Trial, readings: Sequence[Reading], fields: dict[str, Any]
) -> tuple[Trial, Sequence[Reading]]:
    cells = tuple(cell for cell in trial.cells if _fields_of(cell.setting) == fields)
    if not cells:
        return trial, ()
    kept = {cell.id for cell in cells}
    return replace(trial, cells=cells), tuple(one for one in readings if one.cell in kept)


def soonest(decisions: Sequence[Decision]) -> int:
    """Return which of the decisions of several levels counts: the decided one whose first pick
    takes least time; where none is decided, the first.
    """

    def seconds(decision: Decision) -> float:
        pick = decision.picks[0]
        return pick.seconds_per_m or pick.seconds_per_100cm2 or float("inf")

    decided = [at for at, decision in enumerate(decisions) if decision.picks]
    return min(decided, key=lambda at: seconds(decisions[at]), default=0)
