"""From what a photo shows to a suggested verdict, by limits that are learned for each stock from
the eye's corrections.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from olive_almanac.core.records.reading import HOLDS, Reading, Verdict
from olive_almanac.core.records.setting import Task
from olive_almanac.core.records.sight import CellSight

__all__ = ["Limits", "Taught", "joined_sides", "learned_limits", "suggest"]

NOTHING_L = 3.0  # a change of L* below this is no mark
SURE = 0.9
UNKNOWN = 0.4  # confidence of a tone's verdict before the shop has said what is right
SHARES = (0.45, 0.80)  # of the greatest change on the coupon: what is taken for right before that
LEAST_SPAN_L = 20.0
EDGES = (
    -5.0,
    -11.0,
)  # change of L* beside a cut from which it is brown, charred (stand-in and common practice)
RANKS: tuple[Verdict, ...] = ("too_light", "right", "too_dark")


@dataclass(frozen=True)
class Limits:
    """Where one verdict ends and the next begins, as amounts of change of L* against the stock.

    `light` and `dark` bound what this shop calls right (None: not known yet); `brown` and `charred`
    bound the edge grades; `taught` is how many corrections stand behind them.
    """

    light: float | None = None
    dark: float | None = None
    brown: float = EDGES[0]
    charred: float = EDGES[1]
    taught: int = 0


@dataclass(frozen=True)
class Taught:
    """One cell that was read by eye with what the photo measured on it."""

    reading: Reading
    delta_l: float | None = None
    near_l: float | None = None


def joined_sides(front: Sequence[CellSight], back: Sequence[CellSight]) -> tuple[CellSight, ...]:
    """Return the cells of the front, each knowing what the back says of its outline."""
    behind = {cell.cell: cell for cell in back}
    joined = []
    for cell in front:
        other = behind.get(cell.cell)
        if other is None or cell.out is None:
            joined.append(cell)
            continue
        if cell.out:
            flags = cell.flags
        else:
            flags = tuple(dict.fromkeys([*cell.flags, *(f"back_{flag}" for flag in other.flags)]))
        if cell.out and other.out is False and not other.flags:
            flags = (*flags, "sides_differ")
        joined.append(
            replace(
                cell,
                open=bool(other.open or other.out),
                flags=flags,
                confidence=min(cell.confidence, max(0.3, other.confidence)),
            )
        )
    return tuple(joined)


def suggest(
    cells: Sequence[CellSight], task: Task, limits: Limits, *, back_seen: bool
) -> tuple[Reading, ...]:
    """Return a reading by photo of each cell: what was measured, and a verdict with its confidence
    where one can be told.

    A piece that is still in is told hanging from not through only when the back was seen.  Flagged
    cells get no verdict.
    """
    span = max(
        (abs(cell.delta_l) for cell in cells if cell.delta_l is not None and not cell.flags),
        default=0.0,
    )
    readings = []
    for cell in cells:
        verdict, sure = _verdict(cell, task, limits, span, back_seen=back_seen)
        if cell.flags:
            verdict, sure = None, min(sure, 0.25)
        flags = cell.flags
        if task == "cut" and cell.out is False and not back_seen and not flags:
            flags = (HOLDS,)
        char = None
        if task == "cut" and cell.near_l is not None and not cell.flags:
            if cell.near_l > limits.brown:
                char = 0
            elif cell.near_l > limits.charred:
                char = 1
            else:
                char = 2
        readings.append(
            Reading(
                cell.cell,
                verdict,
                kerf_mm=cell.line_mm,
                lightness=cell.lightness,
                delta_l=None if cell.delta_l is None else max(-100.0, min(100.0, cell.delta_l)),
                evenness=cell.evenness,
                halo_mm=cell.halo_mm,
                char=char,
                by="photo",
                confidence=round(min(1.0, max(0.0, sure)), 3),
                flags=flags,
            )
        )
    return tuple(readings)


def _verdict(
    cell: CellSight, task: Task, limits: Limits, span: float, *, back_seen: bool
) -> tuple[Verdict | None, float]:
    if task == "cut":
        if cell.out is None:
            return None, cell.confidence
        if cell.out:
            return "free", cell.confidence
        if not back_seen:
            return None, cell.confidence
        return ("hangs" if cell.open else "not_through"), min(cell.confidence, SURE)
    if cell.delta_l is None:
        return None, cell.confidence
    change = abs(cell.delta_l)
    if change < NOTHING_L:
        return "no_mark", cell.confidence
    light, dark = limits.light, limits.dark
    known = light is not None and dark is not None
    if light is None or dark is None:
        if span < LEAST_SPAN_L:
            return None, min(cell.confidence, UNKNOWN)
        light, dark = (
            (light if light is not None else SHARES[0] * span),
            (dark if dark is not None else SHARES[1] * span),
        )
    verdict: Verdict
    if change < light:
        verdict = "too_light"
    elif change <= dark:
        verdict = "right"
    else:
        verdict = "too_dark"
    away = min(abs(change - light), abs(change - dark)) / max(cell.sd_l or 1.0, 0.5)
    sure = cell.confidence * (1 - 0.5 * math.exp(-away))
    return verdict, sure if known else min(sure, UNKNOWN)


def learned_limits(taught: Iterable[Taught], base: Limits | None = None) -> Limits:
    """Return limits that agree best with what the eye said of measured cells; where it said nothing
    the base stands.

    A limit lies where the fewest readings stand on its wrong side, midway between those nearest to
    it.
    """
    base = base or Limits()
    pairs = list(taught)
    tones = [
        (abs(one.delta_l), RANKS.index(one.reading.verdict))
        for one in pairs
        if one.delta_l is not None and one.reading.verdict in RANKS
    ]
    edges = [
        (-one.near_l, one.reading.char)
        for one in pairs
        if one.near_l is not None and one.reading.char in (0, 1, 2)
    ]
    light, dark = _split(tones, 1), _split(tones, 2)
    brown, charred = _split(edges, 1), _split(edges, 2)
    if light is not None and dark is not None and light > dark:
        light = dark = (light + dark) / 2
    return Limits(
        light if light is not None else base.light,
        dark if dark is not None else base.dark,
        -brown if brown is not None else base.brown,
        -charred if charred is not None else base.charred,
        len(tones) + len(edges),
    )


def _split(values: list[tuple[float, int]], rank: int) -> float | None:
    """The value from which on the rank is reached: fewest wrong, in the middle of the widest such
    gap; None on one-sided data.
    """
    below, above = [v for v, r in values if r < rank], [v for v, r in values if r >= rank]
    if not below or not above:
        return None
    places = sorted(v for v, _ in values)
    best: tuple[int, float, float] | None = None
    for first, second in itertools.pairwise(places):
        middle = (first + second) / 2
        wrong = sum(v > middle for v in below) + sum(v <= middle for v in above)
        if best is None or (wrong, -(second - first)) < best[:2]:
            best = (wrong, -(second - first), middle)
    if best is not None:
        return best[2]
    return None
