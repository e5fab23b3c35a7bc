"""The exercises of the trainer: a machine, a stock whose making is hidden, a task, a budget."""

from __future__ import annotations

from dataclasses import dataclass

from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.setting import Task
from olive_almanac.core.records.stock import Sheet, Stock
from olive_almanac.core.words import tr

__all__ = ["CO2", "EXERCISES", "MECHANIC", "MECHANIC_TITLE", "Exercise", "Practice", "exercise_of"]

_DIODE = Machine(
    tr("North Bench"), "diode", 450, 10, 0.12, 0.08, 1.7, 300, 3000, (400, 400), uid="north-bench"
)
CO2 = Machine(
    tr("Long Bed"), "co2", 10600, 60, 0.20, 0.20, 2.5, 500, 6000, (900, 600), uid="long-bed"
)

# the exercise without a stock: steps/mechanic.py
MECHANIC, MECHANIC_TITLE = "mechanic", tr("A machine that may be weak")


@dataclass(frozen=True)
class Exercise:
    """One exercise; `cells` is how many cells may be burnt, on the one sheet of the stock."""

    id: str
    title: str
    asks: str
    machine: Machine
    stock: Stock
    task: Task
    cells: int


@dataclass(frozen=True)
class Practice:
    """An exercise that is under way: the seed hides the stock's making."""

    exercise: Exercise
    seed: int
    started: str


def _stock(
    name: str, family: str, thickness: float, size: tuple[float, float], **more: str
) -> Stock:
    return Stock(
        name,
        family,
        thickness,
        uid=name.casefold().replace(" ", "-"),
        sheets=(Sheet(*size),),
        lot="unknown",
        **more,  # type: ignore[arg-type]
    )


EXERCISES: tuple[Exercise, ...] = (
    Exercise(
        "ply-co2",
        tr("Ply of unknown glue"),
        tr("Cut it through, as quickly as is safe."),
        CO2,
        _stock(tr("Unmarked ply"), "plywood", 3.0, (300, 200)),
        "cut",
        48,
    ),
    Exercise(
        "ply-diode",
        tr("Ply on the small diode"),
        tr("Cut it through: one slow pass or several?"),
        _DIODE,
        _stock(tr("Pale ply"), "plywood", 3.0, (260, 180), colour="natural"),
        "cut",
        48,
    ),
    Exercise(
        "foam",
        tr("Liner foam"),
        tr("Cut it through without charring the edge."),
        CO2,
        _stock(tr("Liner foam"), "foam_eva", 5.0, (240, 160)),
        "cut",
        40,
    ),
    Exercise(
        "acrylic",
        tr("Dial acrylic"),
        tr("Cut it so that it falls free and does not run together again."),
        CO2,
        _stock(tr("Dial acrylic"), "acrylic", 3.0, (240, 160), process="extruded"),
        "cut",
        40,
    ),
    Exercise(
        "thick",
        tr("Thick board"),
        tr("Say whether it can be cut here at all."),
        _DIODE,
        _stock(tr("Thick board"), "mdf", 9.0, (260, 180)),
        "cut",
        48,
    ),
    Exercise(
        "leather",
        tr("Map leather"),
        tr("Engrave a tone that reads well and does not char."),
        _DIODE,
        _stock(tr("Test hide"), "leather", 2.0, (220, 150), finish="vegetable-tanned"),
        "engrave",
        36,
    ),
)


def exercise_of(exercise_id: str) -> Exercise:
    """Return an exercise by its id; raises KeyError."""
    return {one.id: one for one in EXERCISES}[exercise_id]
