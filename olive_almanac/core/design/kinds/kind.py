"""A kind of trial: what it is for, what it varies, what is suggested, the cells that it burns.

Each kind is one file of this folder that registers itself; nothing else names it.
"""

from __future__ import annotations

import functools
import importlib
from typing import TYPE_CHECKING, ClassVar, Literal, TypeVar

from olive_almanac.core.design import kinds as folder
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.factors import FACTORS
from olive_almanac.core.records.ranges import check_choice
from olive_almanac.core.records.setting import SHORT_TASK_WORDS, TASKS, Setting, Task, rasters
from olive_almanac.core.words import tr

if TYPE_CHECKING:  # start-up: the first picture asks what a kind is, not what it burns
    from olive_almanac.core.design.aim import Ground
    from olive_almanac.core.design.choices import TrialChoices
    from olive_almanac.core.design.pattern import Pattern
    from olive_almanac.core.records.machine import Machine
    from olive_almanac.core.records.stock import Stock

__all__ = [
    "FREE",
    "Question",
    "TrialKind",
    "all_kinds",
    "kind_of",
    "kinds_for",
    "patches_of",
    "register",
]

Question = Literal["setting", "focus", "kerf", "tone", "confirm", "bed"]
FREE = "*"  # the operator chooses the factor


class TrialKind:
    """One kind of trial.  The defaults are those of a plain test of a setting."""

    id: ClassVar[str]
    name: ClassVar[str]  # as on screen
    finds_out: ClassVar[str]
    tasks: ClassVar[tuple[Task, ...]] = TASKS
    place: ClassVar[int] = 50  # where it stands in a list
    up: ClassVar[str] = ""  # id of the factor that varies up the side, empty for none
    across: ClassVar[str] = ""  # along the foot
    fields: ClassVar[frozenset[str]] = frozenset({"beam"})  # further fields that it has
    holds: ClassVar[bool] = True  # its factors are held or varied, not given cell by cell
    chosen_for: ClassVar[tuple[Task, ...]] = TASKS  # tasks for which a person can choose it
    asks_the_fit: ClassVar[bool] = False  # its cells are those that tell most by what is known
    compares_recipes: ClassVar[bool] = False  # pieces prepared in several ways, side by side
    lines: ClassVar[bool] = False  # burns thin lines, whatever the task
    spread: ClassVar[bool] = False  # over the whole sheet
    drives_focus: ClassVar[bool] = False  # the file moves the head up and down
    sloped: ClassVar[bool] = False  # on stock that is propped up: the head keeps its height
    weekly: ClassVar[bool] = False  # for the control chart
    asks: ClassVar[Question] = "setting"  # what it is there to decide
    teaches_setting: ClassVar[bool] = True  # bears on the setting of a related subject
    shows_edge: ClassVar[bool] = False  # an edge can be drawn through its cells
    ordered: ClassVar[bool] = False  # its cells lie in order of what is varied, both ways
    tells_kerf: ClassVar[bool] = False  # gauges of its cells add up to a kerf

    def suggest(self, ground: Ground, choices: TrialChoices) -> TrialChoices:
        """Return suggested choices, from those of a grid around the aim."""
        return choices

    def basis(self, aimed: str) -> str:
        """Return in words what the suggestion rests on; `aimed` says it of the aim."""
        return aimed

    def resumed(
        self, choices: TrialChoices, setting: Setting | None, last: TrialChoices | None, made: str
    ) -> tuple[TrialChoices, str] | None:
        """Return choices, and what they rest on, where the book's setting or the last trial of the
        kind (of the day `made`) is to be repeated; None where the suggestion stands.
        """
        return None

    def pattern(self, stock: Stock, task: Task, choices: TrialChoices) -> Pattern:
        """Return the cells before they are laid out; raises OutOfRange for choices that cannot
        be.
        """
        raise NotImplementedError


_REGISTERED: dict[str, TrialKind] = {}
K = TypeVar("K", bound=type[TrialKind])


def register(kind: K) -> K:
    """Enter a kind into the registry (a class decorator)."""
    _REGISTERED[kind.id] = kind()
    return kind


@functools.cache
def _load_all() -> None:
    """Import every file of this folder, so that each kind has registered itself."""
    import pkgutil  # start-up: the first picture asks for no kind

    for module in pkgutil.iter_modules(folder.__path__):
        importlib.import_module(f"{folder.__name__}.{module.name}")


def all_kinds() -> tuple[TrialKind, ...]:
    """Return every kind in the order in which they are offered."""
    _load_all()
    return tuple(sorted(_REGISTERED.values(), key=lambda kind: kind.place))


def kind_of(kind_id: str) -> TrialKind:
    """Return a kind by its id; raises OutOfRange for an unknown one."""
    _load_all()
    check_choice(tr("Kind of trial"), kind_id, tuple(kind.id for kind in all_kinds()))
    return _REGISTERED[kind_id]


def kinds_for(task: Task, *, focus_by_hand: bool = False) -> tuple[TrialKind, ...]:
    """Return the kinds that a person can choose for a task, on a machine whose focus is driven or
    set by hand.
    """
    return tuple(
        kind
        for kind in all_kinds()
        if task in kind.tasks
        and task in kind.chosen_for
        and not (focus_by_hand and kind.drives_focus)
    )


def patches_of(machine: Machine, stock: Stock, task: Task, choices: TrialChoices) -> Pattern:
    """Return the cells of a trial before they are laid out.

    Raises OutOfRange where the kind does not suit the task or too many factors vary.
    """
    kind = kind_of(choices.kind)
    if task not in kind.tasks:
        raise OutOfRange(tr("Kind of trial"), kind.name, "for " + " and ".join(kind.tasks))
    if rasters(task) and min(choices.pitch_mm) <= 0:
        raise OutOfRange(
            tr("Line pitch"),
            min(choices.pitch_mm),
            tr("above 0 to {task}", task=SHORT_TASK_WORDS[task]),
            "mm",
        )
    for factor in FACTORS:
        level = max(map(float, choices.levels(factor.id))) if factor.optional else 0.0
        if level and not factor.applies(task, machine.source):
            allowed = tr(
                "left out on this machine: only a {source} source has one", source=factor.source
            )
            raise OutOfRange(factor.name, level, allowed, factor.unit, key=factor.id)
    return kind.pattern(stock, task, choices)
