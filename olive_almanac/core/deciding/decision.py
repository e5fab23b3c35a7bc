"""What a decision says: picks with their margins, or why there is none yet."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from olive_almanac.core.records.entry import Margins
from olive_almanac.core.records.recipe import AS_IT_LIES, Recipe
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.words import tr

__all__ = ["AIMS", "CHAR_LIMIT", "Aim", "Decision", "Pick", "aim_word", "came_from"]

CHAR_LIMIT = 0.20  # most chance of a charred edge that the house rule takes
Aim = Literal["quickest", "cleanest", "widest"]
AIMS: dict[str, str] = {
    "quickest": tr("Quickest safe"),
    "cleanest": tr("Cleanest edge"),
    "widest": tr("Widest margin"),
}
TONE_AIMS = {"quickest": tr("Quickest"), "widest": tr("Surest tested")}


def aim_word(aim: str, task: str) -> str:
    """Return what an aim is called on screen for a task."""
    if task != "cut":
        return TONE_AIMS.get(aim, AIMS[aim])
    return AIMS[aim]


@dataclass(frozen=True)
class Pick:
    """One setting to choose: what it aims at, its chance of success under the shop's drift, its
    cost and its margins.
    """

    aim: Aim
    setting: Setting
    probability: float
    margins: Margins
    seconds_per_m: float | None = None
    seconds_per_100cm2: float | None = None
    char: float | None = None
    kerf_mm: float | None = None
    why: str = ""
    untried: bool = False  # this many passes at this focus were not burnt
    burnt: bool = False  # this very setting was burnt and read, not reckoned from its neighbours

    @property
    def margin(self) -> float:
        """How much quicker it could run and still succeed, as a fraction; 0 where it is
        not known.
        """
        return (self.margins.speed or 1.0) - 1.0


def came_from(pick: Pick) -> str:
    """Return in words whether a pick was burnt as it is, or reckoned."""
    if pick.burnt:
        return tr("burnt as it is")
    if pick.untried:
        return tr("reckoned beyond what was burnt")
    return tr("reckoned between the cells, not burnt itself")


@dataclass(frozen=True)
class Decision:
    """Picks, best aim first; `next_cells` to burn when undecided; `says` is one sentence for a
    person.
    """

    picks: tuple[Pick, ...]
    target: float
    cells_read: int
    says: str
    never: bool = False
    stall: bool = False
    undecided: bool = False
    next_cells: tuple[Setting, ...] = ()
    next_reasons: tuple[str, ...] = ()  # one for each of them
    edge_doubt: float | None = None
    enough: bool = False  # further cells would not change the pick
    remarks: tuple[str, ...] = field(default=())
    # by which the piece is prepared
    recipe: Recipe = field(default=AS_IT_LIES, metadata={"written": "if set"})

    def pick(self, aim: str) -> Pick | None:
        """Return the pick of that aim; where two aims came to the same setting, the first pick."""
        return next(
            (one for one in self.picks if one.aim == aim), self.picks[0] if self.picks else None
        )
