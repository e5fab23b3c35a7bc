"""From a photo of a burnt coupon to what is seen of each cell: where it lies, how dark, how wide,
through or not, what is doubtful.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.materials.families import family_of
from olive_almanac.core.materials.names import says
from olive_almanac.core.photo.bars import Segment, measure_bars
from olive_almanac.core.photo.card import read_card, stock_lightness
from olive_almanac.core.photo.cuts import measure_cuts
from olive_almanac.core.photo.fiducials import Picture, Pyramid
from olive_almanac.core.photo.fills import FillSight, measure_fills
from olive_almanac.core.photo.grid import GridShift, edge_shifts, refit
from olive_almanac.core.photo.lens import Lens
from olive_almanac.core.photo.locate import (
    PhotoTrouble,
    Sight,
    face_points,
    face_rects,
    locate,
    mark_growth,
)
from olive_almanac.core.photo.rectified import PhoneCurve, Rectified, square_up
from olive_almanac.core.placing.strokes import strokes_of
from olive_almanac.core.records.reading import CARD_FLAGS
from olive_almanac.core.records.setting import rasters
from olive_almanac.core.records.sight import CellSight
from olive_almanac.core.records.trial import Cell, Trial
from olive_almanac.core.words import tr

__all__ = ["RELATIVE", "PhotoSight", "bare_lightness", "read_photo"]

Floats = NDArray[np.float64]
GRID_ROUNDS = 2
LEAST_GRID = 8
BLUR_FILL_MM, BLUR_LINE_MM = 0.20, 0.13
SMALL_PX_MM = 6.0
SURE_PLACE_MM = 0.6
DARK_L, LIGHT_MARK_L = (
    40.0,
    37.0,
)  # marks so much lighter on stock so dark need the phone's own curve
STRONG_L = 12.0  # change of L* at which a fill shows beyond doubt
LEAST_LINE, LINE_NEIGHBOURS, LINE_LEAST_L = (
    12,
    8,
    6.0,
)  # cells from which like energy tells, how many of them, L*
BENT_MM = 0.08
STROKE_TRIM = 0.12
CARD_UNEVEN = tr(
    "A shadow or a reflection crosses the grey card, so its greys were not used. Lay it where the "
    "light is even, take the photo again."
)
STATED_SD_L, CARD_SD_L, GUESSED_SD_L = 1.0, 2.0, 8.0  # of the stock's own L*, by whence it is known
MOST_DOUBT_L = 4.0  # of a change of tone, one sd, from the stock's L* alone
RELATIVE = tr(
    "How light the bare stock is has not been measured, so the tones are relative. Lay the grey "
    "card beside the coupon once, or give the stock its L* in Set up."
)
NOT_DARKNESS = ("clear", "mirror")
# usual L* of the bare face where nothing better is known (common practice, no source)
_USUAL_L = {
    "plywood": 80,
    "softwood": 82,
    "hardwood": 62,
    "bamboo": 75,
    "veneer": 75,
    "mdf": 66,
    "hdf": 56,
    "cork": 60,
    "card": 72,
    "paper": 88,
    "board": 68,
    "leather": 58,
    "felt": 62,
    "cotton": 84,
    "denim": 34,
    "rubber": 45,
    "foam_eva": 55,
    "acrylic": 60,
    "slate": 30,
    "glass": 30,
    "stone": 45,
    "ceramic": 86,
    "anodised": 26,
    "coated_metal": 30,
}
_COLOUR_L = {"black": 22.0, "dark": 34.0, "white": 92.0, "grey": 60.0}


@dataclass(frozen=True)
class PhotoSight:
    """What is seen in one photo: the cells, how the coupon lies, the sentences to show, and the
    phone's curve if a card told it.
    """

    cells: tuple[CellSight, ...]
    sight: Sight
    rectified: Rectified = field(repr=False)
    says: tuple[str, ...] = ()
    curve: PhoneCurve = field(default_factory=PhoneCurve)
    by_card: bool = False
    stock_l: float = 0.0


def bare_lightness(trial: Trial) -> float:
    """Return L* of the bare stock: as measured, by its colour, or the family's usual."""
    stock = trial.stock
    if stock.lightness is not None:
        return stock.lightness
    words = f"{stock.colour} {stock.finish}"
    by_colour = next((value for what, value in _COLOUR_L.items() if says(words, what)), None)
    if by_colour is not None:
        return by_colour
    return float(_USUAL_L.get(stock.family, 60))


def read_photo(
    picture: Picture,
    trial: Trial,
    *,
    side: str = "front",
    corners_px: Sequence[tuple[float, float]] | None = None,
    f35: float | None = None,
    missing_from: int | None = None,
    curve: PhoneCurve | None = None,
    burnt: frozenset[str] | None = None,
    out: frozenset[str] = frozenset(),
) -> PhotoSight:
    """Read a photo (BGR, as decoded) of a burnt coupon.

    `corners_px` are corners picked by hand (`picked_box`); `curve` is the phone's profile; `burnt`
    names the cells that were burnt (all, when None); `out` those whose pieces the front showed to
    be out, by which the back is found.  Raises PhotoTrouble with what is wrong and what to do.
    """
    sight, pyramid = locate(picture, trial, side=side, corners_px=corners_px, f35=f35, out=out)
    picture, sight.missing_from = pyramid.full, missing_from
    card = read_card(picture, sight.found)
    if card is not None and not card.agrees:
        card = None
        sight.says = (*sight.says, CARD_UNEVEN)
    if card is not None:
        used = card.curve
    else:
        used = curve or PhoneCurve()
    chosen = [i for i, cell in enumerate(trial.cells) if burnt is None or cell.id in burnt]
    rects = face_rects(trial, side)
    rectified = _refined(picture, pyramid, trial, sight, rects, chosen, used)
    stock_l, off_l = bare_lightness(trial), STATED_SD_L
    guessed = trial.stock.lightness is None and card is None
    if guessed:
        off_l = GUESSED_SD_L
    elif card is not None and trial.stock.lightness is None:
        stock_l, off_l = stock_lightness(rectified, card, sight.lens), CARD_SD_L
    gap = gap_between(rects)
    cells: dict[int, CellSight] = {}
    for group in _groups(trial, rects, chosen):
        first = trial.cells[group[0]]
        if first.mark == "line":
            made = _lines(picture, trial, sight, group, used, side)
        elif first.setting.pitch_mm:
            made = _fills(rectified, trial, sight, rects[group], gap, stock_l, off_l)
        elif first.mark in ("outline", "comb"):
            made = _outlines(rectified, picture, trial, sight, rects[group], gap, stock_l)
        else:
            made = [CellSight("", 0.0, ("gauge_only",)) for _ in group]
        for i, cell in zip(group, made, strict=True):
            cells[i] = replace(cell, cell=trial.cells[i].id)
    if rasters(trial.task):
        cells = _out_of_line(trial, cells)
    doubts = _doubts(trial, sight)
    far = _far_from_holes(sight, rects)
    read = tuple(
        _with_doubts(cells[i], (*doubts, "position") if far[i] else doubts) for i in chosen
    )
    says = _says(trial, sight, read)
    if guessed and any(cell.delta_l is not None for cell in read):
        says = (*says, RELATIVE)
    return PhotoSight(read, sight, rectified, says, used, card is not None, stock_l)


def gap_between(rects: Floats) -> float:
    """Return the least bare gap between neighbouring cells, mm, 1.5 to 6."""
    gaps = [6.0]
    for axis in (0, 1):
        starts = np.unique(
            np.round(np.column_stack([rects[:, axis], rects[:, axis] + rects[:, 2 + axis]]), 3),
            axis=0,
        )
        for (_, end), (start, _) in itertools.pairwise(starts.tolist()):
            if start > end:
                gaps.append(start - end)
    return float(np.clip(min(gaps), 1.5, 6.0))


def _groups(trial: Trial, rects: Floats, chosen: list[int]) -> list[list[int]]:
    """Cells that are measured together: of one mark, rastered or not, of one size."""
    groups: dict[tuple[object, ...], list[int]] = {}
    for i in chosen:
        cell = trial.cells[i]
        if cell.mark == "line":
            size = (0.0, 0.0)
        else:
            size = (round(float(rects[i, 2]), 2), round(float(rects[i, 3]), 2))
        groups.setdefault((cell.mark, bool(cell.setting.pitch_mm), size), []).append(i)
    return list(groups.values())


def _refined(
    picture: Picture,
    pyramid: Pyramid,
    trial: Trial,
    sight: Sight,
    rects: Floats,
    chosen: list[int],
    curve: PhoneCurve,
) -> Rectified:
    """Square the coupon up; let the cells themselves correct the lens where they show."""
    rectified = square_up(pyramid, sight.lens, curve)
    if sight.side == "back":
        return rectified
    by_hand = sight.how == "corners" and sight.marks < 3
    for number in range(GRID_ROUNDS + by_hand):
        reach = 0.6
        if by_hand and number == 0:
            reach = 1.4
        grid = _observed(picture, rectified, trial, sight, rects, chosen, curve, reach)
        if grid is not None and number == 0 and not by_hand:
            _check_layout(rectified, trial, rects, chosen, grid)
        if grid is None or len(grid) < LEAST_GRID:
            break
        rest = refit(sight.lens, sight.matched, None if by_hand else mark_growth(sight.marks), grid)
        rectified = square_up(pyramid, sight.lens, curve)
        left = float(np.sqrt((rest**2).mean())) / sight.lens.px_per_mm()
        if number == GRID_ROUNDS - 1 + by_hand and left > BENT_MM:
            sight.says = (
                *sight.says,
                (
                    tr(
                        "The piece does not lie flat, or the lens bends strongly (rest error "
                        "{left:.2f} mm).",
                        left=left,
                    )
                ),
            )
        if by_hand:
            sight.says = tuple(word for word in sight.says if "four corners" not in word)
        if float(np.quantile(np.abs(grid.shift_mm).sum(1), 0.9)) < 0.05:
            break
    return rectified


def _check_layout(
    rectified: Rectified, trial: Trial, rects: Floats, chosen: list[int], grid: GridShift
) -> None:
    """Clearly burnt fills must show their edges where the layout says; else another coupon with the
    same marks is open.
    """
    fills = [i for i in chosen if trial.cells[i].mark == "fill"]
    if not fills:
        return
    tones = rectified.grey_tones
    bare = float(np.median(tones[::5, ::5]))
    strong = []
    for i in fills:
        x, y, w, h = rects[i]
        rows, cols = (
            slice(int(rectified.px(a + 0.3 * b)), int(rectified.px(a + 0.7 * b)) + 1)
            for a, b in ((y, h), (x, w))
        )
        if abs(float(np.median(tones[rows, cols])) - bare) > STRONG_L:
            strong.append(i)
    group = {i: n for n, i in enumerate(fills)}
    locked = {int(n) for n in grid.cells}
    hits = sum(group[i] in locked for i in strong)
    if len(strong) >= 4 and hits < 0.25 * len(strong):
        raise PhotoTrouble(
            "bad_layout",
            tr(
                "The marks are this coupon’s, but its cells are not where they should be: "
                "another "
                "coupon with the same marks is in the picture. Open "
                "that one, or photograph this one."
            ),
        )


def _observed(
    picture: Picture,
    rectified: Rectified,
    trial: Trial,
    sight: Sight,
    rects: Floats,
    chosen: list[int],
    curve: PhoneCurve,
    reach: float,
) -> GridShift | None:
    parts = []
    for group in _groups(trial, rects, chosen):
        first = trial.cells[group[0]]
        if first.mark == "line":
            parts.append(_line_shifts(picture, trial, sight, group, curve))
        elif first.mark in ("fill", "outline", "comb") and float(rects[group[0], 2:].min()) > 3:
            parts.append(
                edge_shifts(
                    rectified,
                    rects[group],
                    reach_mm=min(reach, gap_between(rects) / 2),
                    dark_lines=not first.setting.pitch_mm,
                )
            )
    if not parts:
        return None
    joined = [
        np.concatenate([getattr(part, name) for part in parts])
        for name in ("at_mm", "shift_mm", "axis", "cells")
    ]
    return GridShift(*joined)


def _strokes(trial: Trial, cell: Cell, side: str) -> list[Segment]:
    segments = []
    for stroke in strokes_of(cell):
        (x0, y0), (x1, y1) = face_points(trial, np.array([stroke[0], stroke[-1]]), side)
        dx, dy = STROKE_TRIM * (x1 - x0), STROKE_TRIM * (y1 - y0)
        segments.append(((float(x0 + dx), float(y0 + dy)), (float(x1 - dx), float(y1 - dy))))
    return segments


def _line_shifts(
    picture: Picture, trial: Trial, sight: Sight, group: list[int], curve: PhoneCurve
) -> GridShift:
    """Middles of burnt lines, each counting across itself."""
    segments = [
        (i, segment) for i in group for segment in _strokes(trial, trial.cells[i], sight.side)
    ]
    bars = measure_bars(
        picture,
        sight.lens,
        [s for _, s in segments],
        blur_px=sight.blur_px,
        darker=_line_darkens(trial),
        curve=curve,
    )
    at, shift, axis, who = [], [], [], []
    for (i, ((x0, y0), (x1, y1))), bar in zip(segments, bars, strict=True):
        if {"too_faint", "poor_fit", "ragged"} & set(bar.flags):
            continue
        length = float(np.hypot(x1 - x0, y1 - y0))
        normal = np.array([-(y1 - y0) / length, (x1 - x0) / length])
        at.append([(x0 + x1) / 2, (y0 + y1) / 2])
        shift.append(bar.off_mm * normal)
        axis.append(normal)
        who.append(i)
    return GridShift(
        np.array(at).reshape(-1, 2),
        np.array(shift).reshape(-1, 2),
        np.array(axis).reshape(-1, 2),
        np.array(who, np.int64),
    )


def _line_darkens(trial: Trial) -> bool:
    return family_of(trial.stock).darkens or bare_lightness(trial) > 45


def _lines(
    picture: Picture, trial: Trial, sight: Sight, group: list[int], curve: PhoneCurve, side: str
) -> list[CellSight]:
    """Width of each burnt line; of two crossing strokes the wider one counts."""
    owners, segments = [], []
    for i in group:
        for segment in _strokes(trial, trial.cells[i], side):
            owners.append(i)
            segments.append(segment)
    bars = measure_bars(
        picture,
        sight.lens,
        segments,
        blur_px=sight.blur_px,
        darker=_line_darkens(trial),
        curve=curve,
    )
    sights = []
    for i in group:
        mine = [bar for owner, bar in zip(owners, bars, strict=True) if owner == i]
        flags = tuple(sorted({flag for bar in mine for flag in bar.flags}))
        width = max(bar.width_mm for bar in mine)
        sights.append(CellSight("", 0.25 if flags else 1.0, flags, line_mm=round(width, 4)))
    return sights


def _fills(
    rectified: Rectified,
    trial: Trial,
    sight: Sight,
    rects: Floats,
    gap: float,
    stock_l: float,
    off_l: float,
) -> list[CellSight]:
    if trial.stock.opacity in NOT_DARKNESS:
        return [CellSight("", 0.0, ("clear_stock",)) for _ in rects]
    seen = measure_fills(
        rectified, sight.lens, rects, gap_mm=gap, stock_l=stock_l, missing_from=sight.missing_from
    )
    if (
        rectified.curve == PhoneCurve() and stock_l < DARK_L
    ):  # how a phone lifts its shadows is not known
        seen = [
            replace(one, flags=(*one.flags, "needs_card")) if one.delta_l > LIGHT_MARK_L else one
            for one in seen
        ]
    seen = [_relative(one, stock_l, off_l) for one in seen]
    return [
        CellSight(
            "",
            0.25 * one.confidence if CARD_FLAGS & set(one.flags) else one.confidence,
            one.flags,
            round(one.delta_l, 2),
            round(float(np.clip(stock_l + one.delta_l, 0, 100)), 2),
            round(one.evenness, 2),
            round(one.halo_mm, 3),
            sd_l=round(one.sd_l, 2),
        )
        for one in seen
    ]


def _relative(one: FillSight, stock_l: float, off_l: float) -> FillSight:
    """The cell, flagged where its change of tone hangs on a lightness of the stock that is only
    guessed: it grows with how light the stock is taken to be.
    """
    doubt = abs(one.delta_l) / (stock_l + 16) * off_l
    sure = replace(one, sd_l=float(np.hypot(one.sd_l, doubt)))
    if doubt <= MOST_DOUBT_L:
        return sure
    return replace(sure, flags=(*one.flags, "needs_lightness"))


def _out_of_line(trial: Trial, cells: dict[int, CellSight]) -> dict[int, CellSight]:
    """Flag cells whose tone does not fit those of like energy: a robust straight line through the
    nearest by energy.
    """
    good = [i for i, cell in cells.items() if cell.delta_l is not None and not cell.flags]
    if len(good) < LEAST_LINE:
        return cells
    energy = np.log(
        [
            trial.machine.watts(trial.cells[i].setting.power) * trial.cells[i].setting.dose_per_watt
            for i in good
        ]
    )
    tone = np.array([cells[i].delta_l for i in good], float)
    rest = np.zeros(len(good))
    for k in range(len(good)):
        near = np.argsort(np.abs(energy - energy[k]))[: LINE_NEIGHBOURS + 1]
        near = near[near != k]
        weight, x, y = np.ones(len(near)), energy[near] - energy[k], tone[near]
        level = float(np.median(y))
        for _ in range(4):
            terms = np.stack([np.ones(len(x)), x], 1) * weight[:, None]
            level, slope = np.linalg.lstsq(
                np.vstack([terms, [0.0, 0.05]]), np.append(y * weight, 0.0), rcond=None
            )[0]
            away = np.abs(y - level - slope * x)
            weight = 1 / np.maximum(1, away / max(1.5 * float(np.median(away)), 0.5))
        rest[k] = tone[k] - level
    usual = max(1.48 * float(np.median(np.abs(rest))), 0.8)
    for i, off in zip(good, rest, strict=True):
        if abs(off) > max(LINE_LEAST_L, 5 * usual):
            cells[i] = replace(
                cells[i], flags=("out_of_line",), confidence=0.25 * cells[i].confidence
            )
    return cells


def _outlines(
    rectified: Rectified,
    picture: Picture,
    trial: Trial,
    sight: Sight,
    rects: Floats,
    gap: float,
    stock_l: float,
) -> list[CellSight]:
    seen = measure_cuts(
        rectified,
        picture,
        sight.lens,
        rects,
        gap_mm=gap,
        stock_l=stock_l,
        blur_px=sight.blur_px,
        back=sight.side == "back",
        missing_from=sight.missing_from,
    )
    return [
        CellSight(
            "",
            one.confidence,
            one.flags,
            halo_mm=round(one.halo_mm, 3),
            out=one.out,
            open=one.open,
            near_l=round(one.near_l, 2),
        )
        for one in seen
    ]


def _far_from_holes(sight: Sight, rects: Floats) -> NDArray[np.bool_]:
    """Which cells of a back lie so far from the holes it was placed by that their own place is not
    sure.
    """
    if sight.how != "holes":
        return np.zeros(len(rects), np.bool_)
    holes = sight.matched[0]
    middle, spread = holes.mean(0), float(np.sqrt(((holes - holes.mean(0)) ** 2).sum(1).mean()))
    away = np.linalg.norm(rects[:, :2] + rects[:, 2:] / 2 - middle, axis=1)
    rest_mm = max(sight.rest_px / sight.lens.px_per_mm(), 0.15) * (4 / min(4, sight.marks)) ** 0.5
    return np.asarray(rest_mm * (0.5 + away / spread) > SURE_PLACE_MM, np.bool_)


def _doubts(trial: Trial, sight: Sight) -> tuple[str, ...]:
    """What is wrong with the photo as a whole."""
    doubts = []
    if rasters(trial.task):
        limit = BLUR_FILL_MM
    else:
        limit = BLUR_LINE_MM
    if sight.blur_mm > limit:
        doubts.append("blur")
    if sight.how == "marks" and sight.marks < 3:
        doubts.append("position")
    return tuple(doubts)


def _with_doubts(cell: CellSight, doubts: tuple[str, ...]) -> CellSight:
    if not doubts:
        return cell
    return replace(cell, flags=(*cell.flags, *doubts), confidence=min(cell.confidence, 0.25))


def _says(trial: Trial, sight: Sight, cells: tuple[CellSight, ...]) -> tuple[str, ...]:
    says = list(sight.says)
    lens: Lens = sight.lens
    if lens.px_per_mm() < SMALL_PX_MM:
        says.append(
            tr(
                "The coupon is small in the picture ({px_per_mm:.0f} pixels per mm). Go closer.",
                px_per_mm=lens.px_per_mm(),
            )
        )
    if not np.isnan(sight.blur_mm) and sight.blur_mm > BLUR_LINE_MM:
        says.append(
            tr("The photo is blurred. Hold still, tap to focus on the coupon, take it again.")
        )
    if rasters(trial.task) and trial.stock.opacity in NOT_DARKNESS:
        says.append(
            tr(
                "Darkness cannot be read on {opacity} stock: what shows is what lies behind. "
                "Read it by eye.",
                opacity=trial.stock.opacity,
            )
        )
    many = max(1, len(cells) // 5)
    for flag, words in (
        (
            "clipped",
            (
                tr(
                    "Parts of the picture are overexposed. Tap the "
                    "coupon, slide the brightness down, "
                    "take it again."
                )
            ),
        ),
        (
            "uneven_light",
            (
                tr(
                    "Shadow edges or reflections cross the coupon. Turn it away from the lamp or "
                    "shade it evenly, take it again."
                )
            ),
        ),
        (
            "unsure",
            (
                tr(
                    "The background looks much like the stock: lay the coupon on plain paper of "
                    "another colour, take it again."
                )
            ),
        ),
    ):
        if sum(flag in cell.flags for cell in cells) > many:
            says.append(words)
    return tuple(says)
