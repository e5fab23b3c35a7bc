"""The parts of a machine that want service, and after how much: common practice, which a shop
changes as it learns its machine.  No source but practice; the machine's manual comes first.
"""

from __future__ import annotations

from dataclasses import dataclass

from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.service import ActKind, Interval
from olive_almanac.core.words import tr

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
    1: tr("someone can be hurt"),
    2: tr("the machine can be damaged"),
    3: tr("cuts fail"),
    4: tr("the look suffers"),
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
    _part("tray", tr("scrap tray"), BEAMS, "clean", Interval(4, 1), 1,
          tr("scraps lie under the bed"), tr("a fire begins below the piece")),
    _part("bed", tr("honeycomb or slats"), BEAMS, "clean", Interval(25, 0, 0, 200), 1,
          tr("flames from below, marks on the back, one zone cuts worse"),
          tr("tar and scraps catch fire")),
    _part("exhaust", tr("exhaust: hose, fan, flow"), EVERY, "check", Interval(50, 60, 0, 300), 1,
          tr("smoke clears slowly, it smells"), tr("fume in the room, soot on the optics")),
    _part("filter", tr("filter: fine stage"), EVERY, "replace", Interval(150, 0, 0, 400), 1,
          tr("the flow falls though the fan runs"), tr("fume in the room")),
    _part("shield", tr("eyewear, lid switch, shield"), EVERY, "check", Interval(0, 90), 1,
          tr("scratches, a lid that does not stop the beam"), "eyes"),
    _part("extinguisher", tr("extinguisher in reach and in date"), EVERY, "check", Interval(0, 365),
          1, tr("its date has passed"), tr("the one day it is needed")),
    _part("water", tr("cooling water: temperature and flow"), CO2, "check", Interval(4, 1), 2,
          tr("power sags within a session"), tr("a hot tube cracks, a cold one draws dew")),
    _part("water_change", tr("water of the cooling"), CO2, "change", Interval(300, 180), 2,
          tr("it is cloudy"), tr("arcs and growth in the tube")),
    _part("fans", tr("fans and heat sinks"), EVERY, "clean", Interval(50, 60), 2,
          tr("noise, power sags when warm"), tr("a hot source loses power for good")),
    _part("lens", tr("lens or protective window"), BEAMS, "clean", Interval(8, 7, 0, 150), 3,
          tr("its edge is brown, cuts stall"), tr("power is lost, then the film cracks it")),
    _part("scan_window", tr("window of the scan head"), FIBRE, "clean", Interval(20, 30), 3,
          tr("pale spots in one place of the field"), tr("power is lost, then the film cracks it")),
    _part("mirror_3", tr("mirror in the head"), CO2, "clean", Interval(20, 14), 3,
          tr("power falls all over the bed"), tr("the film burns in")),
    _part("mirrors", tr("mirrors 1 and 2"), CO2, "clean", Interval(40, 30), 3,
          tr("power falls all over the bed"), tr("the film burns in")),
    _part("alignment", tr("mirrors in line"), CO2, "check", Interval(100, 90), 3,
          tr("one corner cuts worse, cuts lean"), tr("one side no longer cuts")),
    _part("air", tr("air assist: nozzle, hose, water trap"), BEAMS, "check", Interval(20, 14), 3,
          tr("more char at the same setting, flare-ups"), tr("flare-ups, oil on the lens")),
    _part("tube", tr("tube"), CO2, "replace", Interval(0, 0, 3000), 3,
          tr("power falls with the hours, cleaning does not help"), tr("slower cuts, then none")),
    _part("module", tr("diode module"), DIODE, "replace", Interval(0, 0, 10000), 3,
          tr("power falls with the hours, cleaning does not help"), tr("slower cuts, then none")),
    _part("source", tr("fibre source"), FIBRE, "replace", Interval(0, 0, 50000), 3,
          tr("power falls with the hours"), tr("paler marks")),
    _part("power", tr("power, read by a meter"), EVERY, "check", Interval(), 3,
          tr("cuts need more energy"), tr("a weak source is taken for a bad setting")),
    _part("belts", tr("belts: tension and dust"), BEAMS, "check", Interval(100, 90), 4,
          tr("holes are not round, lines are shifted"), tr("lost steps spoil the piece")),
    _part("rails", tr("rails and wheels"), BEAMS, "clean", Interval(40, 30), 4,
          tr("ripples in straight lines"), tr("wear, lost steps")),
    _part("field", tr("field of the scan head: square, scale, focus"), FIBRE, "check",
          Interval(200, 180), 4, tr("a square of 100 mm is not 100 mm"), tr("marks out of place")),
)  # fmt: skip


def parts_of(machine: Machine) -> tuple[ServicePart, ...]:
    """Return the parts that a machine of its kind has, the most dangerous first."""
    return tuple(part for part in PARTS if machine.source in part.sources)
