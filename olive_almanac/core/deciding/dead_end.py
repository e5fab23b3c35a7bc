"""Where more passes have stopped helping: by measured depths, or by what the fit is sure of."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from olive_almanac.core.deciding.cut_knowledge import FittedCut
from olive_almanac.core.records.reading import Reading, flared
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.units import number_text, passes_text, speed_text
from olive_almanac.core.words import tr

__all__ = ["SURE_STALL", "DeadEnd", "dead_end"]

Pairs = Sequence[tuple[Trial, Sequence[Reading]]]
SURE_STALL = 0.9
FEWEST = 4  # passes from which a cell that is not through may be a dead end
NO_DEEPER = 0.15  # of the depth that the earlier passes dug each
LESS_STALL = 0.2  # by how much surer another way must be to be named
LOWER_SHARE = 0.75  # of the thickness: the lowest focus worth a trial
LOWER_MM = 0.3


@dataclass(frozen=True)
class DeadEnd:
    """A burnt setting at which more passes dig no deeper, how deep they got where that was
    measured, and in words how to go on.
    """

    setting: Setting
    depth_mm: float | None
    ways: tuple[str, ...]

    @property
    def says(self) -> str:
        """Return in a sentence which setting comes nearest, and how far it gets."""
        s = self.setting
        where = tr("on the face")
        if s.focus_mm > 0:
            where = tr("{focus_mm} mm below the face", focus_mm=number_text(s.focus_mm))
        elif s.focus_mm < 0:
            where = tr("{focus_mm} mm above the face", focus_mm=number_text(-s.focus_mm))
        reached = tr("do not get through")
        if self.depth_mm is not None:
            reached = tr("reach {depth_mm} mm", depth_mm=number_text(self.depth_mm))
        told = tr(
            "With the focus {where}, {passes} at {speed_mm_s} {reached}, and more dig no deeper.",
            where=where,
            passes=passes_text(s.passes),
            speed_mm_s=speed_text(s.speed_mm_s),
            reached=reached,
        )
        if not self.ways:
            return tr(
                "{told} Refocus between passes, take thinner stock or another machine.", told=told
            )
        return tr(
            "{told} {ways} may get further.", told=told, ways=" or ".join(self.ways).capitalize()
        )


def dead_end(knowledge: FittedCut, pairs: Pairs) -> DeadEnd | None:
    """Return the burnt setting of most passes at which more dig no deeper, or None."""
    found = [one for one in _not_through(pairs) if one[0].passes >= FEWEST]
    ends = [
        (setting, depth)
        for setting, depth in found
        if _levelled(setting, found) or _stall(knowledge, setting) > SURE_STALL
    ]
    if not ends:
        return None
    setting, depth = max(ends, key=lambda one: (one[0].passes, one[1] or 0.0))
    return DeadEnd(setting, depth, tuple(_ways_on(knowledge, setting)))


def _not_through(pairs: Pairs) -> Iterator[tuple[Setting, float | None]]:
    for trial, readings in pairs:
        cells = {cell.id: cell for cell in trial.cells}
        for reading in readings:
            if reading.verdict == "not_through" and reading.cell in cells and not flared(reading):
                yield cells[reading.cell].setting, reading.depth_mm


def _levelled(setting: Setting, found: Sequence[tuple[Setting, float | None]]) -> bool:
    """Whether the last passes of a setting dug next to nothing, by depths that were measured."""
    depths = {
        one.passes: depth
        for one, depth in found
        if depth and one == replace(setting, passes=one.passes)
    }
    fewer = [n for n in depths if n <= setting.passes - 2]
    if setting.passes not in depths or not fewer:
        return False
    last = max(fewer)
    gained = (depths[setting.passes] - depths[last]) / (setting.passes - last)
    return gained < NO_DEEPER * depths[last] / last


def _stall(knowledge: FittedCut, setting: Setting) -> float:
    return knowledge.stall_chance(
        power=setting.power, speed_mm_s=setting.speed_mm_s, focus_mm=setting.mean_focus_mm
    )


def _ways_on(knowledge: FittedCut, setting: Setting) -> Iterator[str]:
    here = _stall(knowledge, setting)
    lowest = LOWER_SHARE * knowledge.case.thickness_mm
    if lowest > setting.focus_mm + LOWER_MM:
        lower = replace(setting, focus_mm=lowest)
        if _stall(knowledge, lower) < max(here - LESS_STALL, 1 - SURE_STALL):
            yield tr("a focus {lowest} mm lower", lowest=number_text(lowest - setting.focus_mm, 2))
    slower = replace(setting, speed_mm_s=setting.speed_mm_s / 2)
    if _stall(knowledge, slower) < here - LESS_STALL:
        yield tr("half the speed, {speed_mm_s},", speed_mm_s=speed_text(slower.speed_mm_s))
