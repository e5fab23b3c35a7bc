"""The parts of a machine that want service, and after how much: common practice, which a shop
changes as it learns its machine.  No source but practice; the machine's manual comes first.
"""

from __future__ import annotations

from dataclasses import dataclass

from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.service import ActKind, Interval

__all__ = [
    "CHANGED",
    "CLASSES",
    "CLEAN",
    "DIRTY",
    "FILM_LEFT",
    "NEW_STATE",
    "OPTICS",
    "PARTS",
    "ServicePart",
    "parts_of",
]

OPTICS = frozenset(("lens", "scan_window", "mirror_3", "mirrors"))  # that a film grows on
CLASSES = {
    1: "someone can be hurt",
    2: "the machine can be damaged",
    3: "cuts fail",
    4: "the look suffers",
}
# ln energy that film and spatter take: from which optics are dirty, below which they are clean,
# and what a cleaning leaves
DIRTY, CLEAN, FILM_LEFT = 0.04, 0.02, 0.006
# what "something has changed" of a machine is as an act: the part and what was done to it
CHANGED: dict[str, tuple[str, ActKind]] = {
    "lens": ("lens", "replace"),
    "tube": ("tube", "replace"),
    "module": ("module", "replace"),
    "alignment": ("alignment", "align"),
    "air": ("air", "change"),
}
# acts after which nothing that was proven holds by itself
NEW_STATE = {
    ("tube", "replace"): "tube",
    ("module", "replace"): "module",
    ("source", "replace"): "source",
}
EVERY, BEAMS, CO2, DIODE, FIBRE = (
    ("diode", "co2", "fibre"),
    ("diode", "co2"),
    ("co2",),
    ("diode",),
    ("fibre",),
)


@dataclass(frozen=True)
class ServicePart:
    """A part: what it is called, on which sources, what is done to it and how often, what happens
    where it is not (a class, 1 the worst), by what one sees it, and what follows.
    """

    id: str
    words: str
    sources: tuple[str, ...]
    act: ActKind
    interval: Interval
    danger: int
    sign: str
    follows: str


def _part(
    part: str,
    words: str,
    sources: tuple[str, ...],
    act: ActKind,
    interval: Interval,
    danger: int,
    sign: str,
    follows: str,
) -> ServicePart:
    return ServicePart(part, words, sources, act, interval, danger, sign, follows)


PARTS: tuple[ServicePart, ...] = (
    _part("tray", "scrap tray", BEAMS, "clean", Interval(4, 1), 1,
          "scraps lie under the bed", "a fire begins below the piece"),
    _part("bed", "honeycomb or slats", BEAMS, "clean", Interval(25, 0, 0, 200), 1,
          "flames from below, marks on the back, one zone cuts worse",
          "tar and scraps catch fire"),
    _part("exhaust", "exhaust: hose, fan, flow", EVERY, "check", Interval(50, 60, 0, 300), 1,
          "smoke clears slowly, it smells", "fume in the room, soot on the optics"),
    _part("filter", "filter: fine stage", EVERY, "replace", Interval(150, 0, 0, 400), 1,
          "the flow falls though the fan runs", "fume in the room"),
    _part("shield", "eyewear, lid switch, shield", EVERY, "check", Interval(0, 90), 1,
          "scratches, a lid that does not stop the beam", "eyes"),
    _part("extinguisher", "extinguisher in reach and in date", EVERY, "check", Interval(0, 365),
          1, "its date has passed", "the one day it is needed"),
    _part("water", "cooling water: temperature and flow", CO2, "check", Interval(4, 1), 2,
          "power sags within a session", "a hot tube cracks, a cold one draws dew"),
    _part("water_change", "water of the cooling", CO2, "change", Interval(300, 180), 2,
          "it is cloudy", "arcs and growth in the tube"),
    _part("fans", "fans and heat sinks", EVERY, "clean", Interval(50, 60), 2,
          "noise, power sags when warm", "a hot source loses power for good"),
    _part("lens", "lens or protective window", BEAMS, "clean", Interval(8, 7, 0, 150), 3,
          "its edge is brown, cuts stall", "power is lost, then the film cracks it"),
    _part("scan_window", "window of the scan head", FIBRE, "clean", Interval(20, 30), 3,
          "pale spots in one place of the field", "power is lost, then the film cracks it"),
    _part("mirror_3", "mirror in the head", CO2, "clean", Interval(20, 14), 3,
          "power falls all over the bed", "the film burns in"),
    _part("mirrors", "mirrors 1 and 2", CO2, "clean", Interval(40, 30), 3,
          "power falls all over the bed", "the film burns in"),
    _part("alignment", "mirrors in line", CO2, "check", Interval(100, 90), 3,
          "one corner cuts worse, cuts lean", "one side no longer cuts"),
    _part("air", "air assist: nozzle, hose, water trap", BEAMS, "check", Interval(20, 14), 3,
          "more char at the same setting, flare-ups", "flare-ups, oil on the lens"),
    _part("tube", "tube", CO2, "replace", Interval(0, 0, 3000), 3,
          "power falls with the hours, cleaning does not help", "slower cuts, then none"),
    _part("module", "diode module", DIODE, "replace", Interval(0, 0, 10000), 3,
          "power falls with the hours, cleaning does not help", "slower cuts, then none"),
    _part("source", "fibre source", FIBRE, "replace", Interval(0, 0, 50000), 3,
          "power falls with the hours", "paler marks"),
    _part("power", "power, read by a meter", EVERY, "check", Interval(), 3,
          "cuts need more energy", "a weak source is taken for a bad setting"),
    _part("belts", "belts: tension and dust", BEAMS, "check", Interval(100, 90), 4,
          "holes are not round, lines are shifted", "lost steps spoil the piece"),
    _part("rails", "rails and wheels", BEAMS, "clean", Interval(40, 30), 4,
          "ripples in straight lines", "wear, lost steps"),
    _part("field", "field of the scan head: square, scale, focus", FIBRE, "check",
          Interval(200, 180), 4, "a square of 100 mm is not 100 mm", "marks out of place"),
)  # fmt: skip


def parts_of(machine: Machine) -> tuple[ServicePart, ...]:
    """Return the parts that a machine of its kind has, the most dangerous first."""
    return tuple(part for part in PARTS if machine.source in part.sources)
