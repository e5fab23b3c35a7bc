"""What one station asks of another, beyond being shown.  Values only; the page asked decides."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from olive_almanac.core.records.recipe import Recipe
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.trial import Kind

__all__ = [
    "AddRecord",
    "BringInNotes",
    "LookAtCell",
    "OpenDrawing",
    "OpenForm",
    "OpenJob",
    "PlanAtFocus",
    "PlanCells",
    "PlanKind",
    "Request",
    "ShowMenu",
    "TakeInLibrary",
]


@dataclass(frozen=True)
class AddRecord:
    """Set up: begin a new machine or stock; `then_notes` leads on to the old notes after it."""

    form: Literal["machine", "stock"]
    then_notes: bool = False


@dataclass(frozen=True)
class OpenForm:
    """Set up: show the form of the machine or the stock that is chosen."""

    form: Literal["machine", "stock"]


@dataclass(frozen=True)
class PlanKind:
    """Plan: take the suggested levels of a kind of trial."""

    kind: Kind


@dataclass(frozen=True)
class PlanCells:
    """Plan: the very cells that a decision asks for, on pieces prepared by its recipe; on this
    sheet of the rack, clear of these boxes of it, where a job is laid out there.
    """

    cells: tuple[Setting, ...]
    sheet: int | None = None
    clear_mm: tuple[tuple[float, float, float, float], ...] = ()
    recipe: Recipe | None = None


@dataclass(frozen=True)
class PlanAtFocus:
    """Plan: a grid at the focus that was found, mm below the top face."""

    focus_mm: float


@dataclass(frozen=True)
class LookAtCell:
    """Read: take a cell in hand."""

    cell: str


@dataclass(frozen=True)
class OpenJob:
    """Jobs: take a job in hand."""

    uid: str


@dataclass(frozen=True)
class OpenDrawing:
    """Jobs: bring in a drawing."""

    path: Path


@dataclass(frozen=True)
class BringInNotes:
    """Book: open the dialog for old notes, on a file of them."""

    path: Path | None = None


@dataclass(frozen=True)
class TakeInLibrary:
    """Book: merge another library, a file or the database of its folder."""

    path: Path


@dataclass(frozen=True)
class ShowMenu:
    """Book: open its menu."""


Request = (
    AddRecord
    | OpenForm
    | PlanKind
    | PlanCells
    | PlanAtFocus
    | LookAtCell
    | OpenDrawing
    | OpenJob
    | BringInNotes
    | ShowMenu
    | TakeInLibrary
)
