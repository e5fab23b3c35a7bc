"""Why some places of the bed need more energy: one small ladder burnt at several places and two
heights.

A tilt loses alike above and below the best height; two heights tell which way it goes.  Mirrors out
of line lose along the beam's way, dirt on the bed or a warped place in one spot.  Six stories are
weighed by the mean likelihood over draws from what each may be.  Priors are our own.
docs/methods.md, section Shop.
"""

from __future__ import annotations

import functools
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from olive_almanac.core.deciding.weekly import turning_point
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.placing.places import MOST_LOST, parts_seen, place_words, side_words
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.squaring.level import fit_level
from olive_almanac.core.words import tr

__all__ = ["STORIES", "STORY_WORDS", "BedMap", "BedReadings", "decide_bed", "read_bed", "tell_bed"]

Floats = NDArray[np.floating[Any]]
STORIES = {  # with how likely each is beforehand
    "even": 0.40,
    "tilt": 0.22,
    "mirror 1": 0.09,
    "mirror 2": 0.09,
    "mirrors 1 and 2": 0.05,
    "zone": 0.15,
}
DRAWS = 2048
DIMENSIONS = 12
PLACE_SD = 0.02  # of the sheet from place to place, common to both heights; ln energy
TILT = (math.log(0.9), 0.5)  # ln of the rise over half the bed, in Rayleigh ranges
LITTLE_TILT, HEIGHT, MOST_HEIGHT = 0.12, 0.35, 1.2
LOSS, LOSS_ZONE, LOSS_SD = math.log(0.24), math.log(0.20), 0.5
STEEP, BEGINS = (2.0, 2.0), 0.35
REACH = (0.3, 0.5)
DOUBT_OF_DEPTH = 0.25
TONE_NOISE_L, LEAST_SLOPE_L = 1.5, 8.0
SURE = 0.8
MOST_SAID = 0.99
CORNERS = ((-1, -1), (1, -1), (1, 1), (-1, 1))
LEAST_PLACES = 4
# of a photo: the light differs from place to place more than the tones do
LIGHT_FLAGS = frozenset(
    (
        "uneven_light",
        "gradient",
        "reference_off",
        "bright_spot",
        "dark_spot",
        "clipped",
        "covered_or_tinted",
        "covered_or_glare",
        "odd_colour",
    )
)
# by which photos are off from place to place, L*: one of a whole bed, one of each place
PHOTO_BED_L, PHOTO_PLACE_L = 2.0, 0.8
LAMP = tr("A lamp can look like this: photograph it once more, lit from another side.")
WHOLE_BED = tr(
    "over a whole bed no photo has it; plan it with photo marks and photograph each place, or "
    "read a cut ladder by eye"
)


@dataclass(frozen=True)
class BedReadings:
    """What was read over a bed: places [n, 2] from -1 to 1 across and up the bed, heights of the
    focus [k], mm, and at each height and place [k, n] the ln energy needed, less a common level,
    and its standard error; by how much sheet and light differ from place to place (sd, ln energy).
    """

    places: Floats
    focus_mm: tuple[float, ...]
    need: Floats
    sd: Floats
    by_tone: bool
    place_sd: float = PLACE_SD


@dataclass(frozen=True)
class BedMap:
    """What a bed map tells: how likely each story is; the bed's tilt, mm a metre across and up;
    shims in mm from the lower left round; what mirrors 1 and 2 lose at the far corner (ln); the
    zone's place, -1 to 1, where there is one; the places, -1 to 1, and what each needs more than
    the best one (ln) at its better height, with the standard error; what is told and what to do.
    """

    stories: Mapping[str, float]
    tilt_mm_m: tuple[float, float]
    shims_mm: tuple[float, float, float, float]
    loss: tuple[float, float]
    zone: tuple[float, float] | None
    places: tuple[tuple[float, float], ...]
    need: tuple[float, ...]
    need_sd: tuple[float, ...]
    says: str
    do: str

    @property
    def story(self) -> str:
        """The likeliest story."""
        return max(self.stories, key=lambda name: self.stories[name])

    @property
    def is_sure(self) -> bool:
        """Whether its likeliest story is said with certainty."""
        return self.stories[self.story] > SURE


@dataclass(frozen=True)
class _Draws:
    """Draws of one story: what each cell needs [draws, k n], and the parameters behind it."""

    need: Floats
    across: Floats
    up: Floats
    mirror_1: Floats
    mirror_2: Floats
    zone: Floats  # index of the place, -1 for none


def read_bed(trial: Trial, readings: Sequence[Reading]) -> BedReadings:
    """Return what the cells of a bed map read, by place and height: by their tones, where all that
    count have one, else by their verdicts.  Raises OutOfRange where they tell too little.
    """
    counted = {one.cell: one for one in readings if not LIGHT_FLAGS & set(one.flags)}
    seen, parts = _on_one_stock(counted), parts_seen(trial)
    dim = sum(one.lightness is not None for one in readings if one.cell not in seen)
    if dim > MOST_LOST * len(readings) and not parts:
        raise OutOfRange(
            tr("Patches in even light"), len(readings) - dim, f"{len(trial.cells)}: {WHOLE_BED}"
        )
    focus = sorted({cell.setting.focus_mm for cell in trial.cells})
    groups: dict[tuple[float, int], list[Any]] = {}
    for cell in trial.cells:
        groups.setdefault((cell.setting.focus_mm, cell.row // len(focus)), []).append(cell)
    blocks = sorted({block for _, block in groups})
    middles = np.array([_middle(trial, groups[focus[0], block]) for block in blocks])
    half = np.array(trial.machine.bed_mm) / 2
    toned = sum(one.lightness is not None for one in seen.values())
    by_tone = toned >= LEAST_PLACES * len(focus) and toned * 2 > len(seen)
    place_sd = PLACE_SD
    if by_tone:
        find, slope = _by_tone(trial, seen)
        if any(one.by == "photo" for one in seen.values()):
            off_l = PHOTO_PLACE_L if parts else PHOTO_BED_L
            place_sd = math.hypot(PLACE_SD, off_l / abs(slope))
    else:
        find = _by_verdict(trial, seen)
    flagged = {one.cell for one in readings} - seen.keys()
    if by_tone and parts:  # what a photo of a place could not tell is not noted, as a rule
        flagged = {cell.id for cell in trial.cells} - seen.keys()
    dark = {
        block
        for block in blocks
        if np.mean([c.id in flagged for height in focus for c in groups.get((height, block), [])])
        > MOST_LOST
    }
    found = [
        [None if block in dark else find(groups.get((height, block), [])) for block in blocks]
        for height in focus
    ]
    told = [n for n in range(len(blocks)) if all(row[n] is not None for row in found)]
    if len(told) < LEAST_PLACES:
        least = tr("at least {least_places}, at every height", least_places=LEAST_PLACES)
        again = _photographed_again(trial, {c.id for b in dark for c in groups[focus[0], b]})
        raise OutOfRange(tr("Places that were read"), len(told), least + again)
    values = np.array([[row[n] for n in told] for row in found], float)
    places = (middles[told] - half) / half
    return BedReadings(places, tuple(focus), values[..., 0], values[..., 1], by_tone, place_sd)


def _on_one_stock(seen: Mapping[str, Reading]) -> dict[str, Reading]:
    """The readings with the tones of all photos told from one and the same bare stock: what one
    photo takes it for differs from what another does.
    """
    told = {
        cell: (one.lightness, one.delta_l)
        for cell, one in seen.items()
        if one.by == "photo" and one.lightness is not None and one.delta_l is not None
    }
    if not told:
        return dict(seen)
    usual = float(np.median([lightness - delta for lightness, delta in told.values()]))
    moved = {
        cell: replace(seen[cell], lightness=min(100.0, max(0.0, usual + delta)))
        for cell, (_, delta) in told.items()
    }
    return {**seen, **moved}


def _photographed_again(trial: Trial, dark: set[str]) -> str:
    """What to do where places with these cells lie in uneven light; empty where none does."""
    names = [
        side_words(trial, side)
        for side, part in parts_seen(trial).items()
        if dark & {cell.id for cell in part.cells}
    ]
    if not names:
        return ""
    return tr("; photograph once more in even light: {names}", names=", ".join(names))


def _middle(trial: Trial, cells: Sequence[Any]) -> tuple[float, float]:
    left, low = trial.area_mm[:2]
    boxes = [cell.rect_mm for cell in cells]
    return (
        left + float(np.mean([x + w / 2 for x, _, w, _ in boxes])),
        low + float(np.mean([y + h / 2 for _, y, _, h in boxes])),
    )


def _log_energy(trial: Trial, cell: Any) -> float:
    setting = cell.setting
    return float(np.log(trial.machine.watts(setting.power) * setting.dose_per_watt))


def _by_verdict(trial: Trial, seen: Mapping[str, Reading]) -> Any:
    def find(cells: Sequence[Any]) -> tuple[float, float] | None:
        pairs = [
            (_log_energy(trial, cell), one.verdict)
            for cell in cells
            if (one := seen.get(cell.id)) is not None and one.verdict is not None
        ]
        return turning_point(pairs, least=3)

    return find


def _by_tone(trial: Trial, seen: Mapping[str, Reading]) -> tuple[Any, float]:
    """L* by ln energy with one slope for all places, from the steps within each; and the slope."""
    runs: dict[tuple[float, int], list[tuple[float, float]]] = {}
    for cell in trial.cells:
        one = seen.get(cell.id)
        if one is not None and one.lightness is not None:
            key = cell.setting.focus_mm, cell.row
            runs.setdefault(key, []).append((_log_energy(trial, cell), one.lightness))
    off = [
        (x - np.mean([a for a, _ in run]), y - np.mean([b for _, b in run]))
        for run in runs.values()
        for x, y in run
    ]
    along = float(sum(x * x for x, _ in off))
    slope = float(sum(x * y for x, y in off)) / along if along > 0 else 0.0
    if abs(slope) < LEAST_SLOPE_L:
        raise OutOfRange(
            tr("Change of tone"),
            round(abs(slope), 1),
            tr("at least {least_slope_l:g} L* per ln energy", least_slope_l=LEAST_SLOPE_L),
        )

    def find(cells: Sequence[Any]) -> tuple[float, float] | None:
        run = [
            (_log_energy(trial, cell), one.lightness)
            for cell in cells
            if (one := seen.get(cell.id)) is not None and one.lightness is not None
        ]
        if not run:
            return None
        need = float(np.mean([x for x, _ in run])) - float(np.mean([y for _, y in run])) / slope
        return need, TONE_NOISE_L / abs(slope) / len(run) ** 0.5

    return find, slope


def tell_bed(
    readings: BedReadings,
    rayleigh_mm: float,
    *,
    carries_source: bool = False,
    source_at: tuple[int, int] | None = (-1, -1),
    bed_mm: tuple[float, float] = (900.0, 600.0),
) -> BedMap:
    """Return how likely each story is.

    `carries_source`: the head carries its source, there are no mirrors to set.  `source_at` is the
    corner (-1 or 1, -1 or 1) nearest the source; None where it is not known.
    """
    corners = CORNERS if source_at is None else (source_at,)
    names = [name for name in STORIES if not (carries_source and "mirror" in name)]
    weigh = _likelihood(readings)
    logs: dict[str, float] = {}
    kept: list[tuple[str, _Draws, Floats, tuple[int, int]]] = []
    for name in names:
        ways = corners if "mirror" in name else corners[:1]
        parts = []
        for corner in ways:
            away = (-corner[0], -corner[1])  # from the source
            draws = _draws_of(
                name, _key(readings.places * away), readings.focus_mm, float(rayleigh_mm)
            )
            log = weigh(draws.need)
            kept.append((name, draws, log + math.log(STORIES[name] / len(ways)), away))
            parts.append(_log_mean(log) - math.log(len(ways)))
        logs[name] = float(np.logaddexp.reduce(parts)) + math.log(STORIES[name])
    total = float(np.logaddexp.reduce(list(logs.values())))
    stories = {name: math.exp(log - total) for name, log in logs.items()}
    stories = _tempered(stories)
    return _told(readings, stories, kept, bed_mm, rayleigh_mm)


def decide_bed(trial: Trial, readings: Sequence[Reading]) -> BedMap:
    """Return what a bed map's readings tell.  Raises OutOfRange where they tell too little."""
    machine = trial.machine
    return tell_bed(
        read_bed(trial, readings),
        machine.rayleigh_mm,
        carries_source=machine.source != "co2",
        source_at=None,
        bed_mm=machine.bed_mm,
    )


def _key(places: Floats) -> tuple[tuple[float, float], ...]:
    return tuple((round(float(u), 4), round(float(v), 4)) for u, v in places)


def _log_mean(log: Floats) -> float:
    return float(np.logaddexp.reduce(log)) - math.log(len(log))


def _fitted_rise(
    readings: BedReadings, rayleigh_mm: float, rise_mm: tuple[float, float]
) -> tuple[float, float]:
    """The rise over half the bed, mm, across and up, by least squares from where the draws left it:
    the shims are cut by it.
    """
    from scipy.optimize import least_squares

    root, u, v = _root_of(readings), readings.places[:, 0], readings.places[:, 1]
    focus = np.array(readings.focus_mm)[:, None]

    def off(x: Floats) -> Floats:
        away = (x[0] + x[1] * u + x[2] * v + focus) / rayleigh_mm
        lost = (readings.need - 0.5 * np.log1p(away**2)).ravel() @ root
        result: Floats = np.append(lost, x[0] / (HEIGHT * rayleigh_mm))
        return result

    found = least_squares(off, [0.0, *rise_mm])
    return float(found.x[1]), float(found.x[2])


def _root_of(readings: BedReadings) -> Floats:
    """A root [k n, k n] of the readings' inverse covariance, with the level integrated out."""
    sd = readings.sd.ravel()
    heights, places = readings.need.shape
    same_place = np.kron(np.ones((heights, heights)), np.eye(places))
    inverse = np.linalg.inv(np.diag(sd**2) + readings.place_sd**2 * same_place)
    ones = np.ones(len(sd))
    pulled = inverse @ ones
    inverse = inverse - np.outer(pulled, pulled) / (ones @ pulled)
    size, vectors = np.linalg.eigh(inverse)
    root: Floats = vectors * np.sqrt(np.maximum(size, 0))
    return root


def _likelihood(readings: BedReadings) -> Any:
    """A function of draws [m, k n] that gives their ln likelihoods [m]."""
    need, root = readings.need.ravel(), _root_of(readings)

    def log_likelihood(draws: Floats) -> Floats:
        off: Floats = (need - draws) @ root
        result: Floats = -0.5 * (off**2).sum(axis=1)
        return result

    return log_likelihood


@functools.lru_cache(maxsize=64)
def _even_numbers() -> tuple[Floats, Floats]:
    """Low-discrepancy numbers [draws, dimensions] by a Kronecker sequence, even and normal."""
    from scipy.special import ndtri

    root = 1.5
    for _ in range(40):  # the number whose powers are least alike, x^(d+1) = x + 1
        root = (1 + root) ** (1 / (DIMENSIONS + 1))
    steps = root ** -np.arange(1, DIMENSIONS + 1)
    even = (0.5 + np.arange(1, DRAWS + 1)[:, None] * steps) % 1.0
    return even, np.asarray(ndtri(np.clip(even, 1e-6, 1 - 1e-6)))


@functools.lru_cache(maxsize=64)
def _draws_of(
    story: str,
    places: tuple[tuple[float, float], ...],
    focus_mm: tuple[float, ...],
    rayleigh_mm: float,
) -> _Draws:
    """Draws of a story on places turned so that the source is nearest (-1, -1)."""
    even, normal = _even_numbers()
    at = np.array(places, float)
    u, v = at[:, 0], at[:, 1]
    count, z_r = len(even), rayleigh_mm
    height = np.clip(HEIGHT * z_r * normal[:, 0], -MOST_HEIGHT * z_r, MOST_HEIGHT * z_r)
    across, up = LITTLE_TILT * z_r * normal[:, 1], LITTLE_TILT * z_r * normal[:, 2]
    if story == "tilt":
        rise, way = z_r * np.exp(TILT[0] + TILT[1] * normal[:, 1]), 2 * np.pi * even[:, 2]
        across, up = rise * np.cos(way), rise * np.sin(way)
    nothing = np.zeros(count)
    mirror_1 = mirror_2 = nothing
    if story in ("mirror 1", "mirrors 1 and 2"):
        mirror_1 = np.exp(LOSS + LOSS_SD * normal[:, 3])
    if story in ("mirror 2", "mirrors 1 and 2"):
        mirror_2 = np.exp(LOSS + LOSS_SD * normal[:, 4])
    bump, zone = np.zeros((count, len(at))), np.full(count, -1)
    if story == "zone":
        zone = np.minimum((even[:, 5] * len(at)).astype(int), len(at) - 1)
        size = np.exp(LOSS_ZONE + LOSS_SD * normal[:, 6])
        apart = ((at[zone][:, None, :] - at[None]) ** 2).sum(axis=2)
        reach = REACH[0] + REACH[1] * even[:, 7]
        bump = size[:, None] * np.exp(-apart / (2 * reach[:, None] ** 2))
    loss = _lost_on_the_way(mirror_1, mirror_2, u, v, even)
    depth = 0.5 * np.exp(DOUBT_OF_DEPTH * normal[:, 8])[:, None]
    rows = []
    for focus in focus_mm:
        away = (height[:, None] + across[:, None] * u + up[:, None] * v + focus) / z_r
        rows.append(depth * np.log1p(away**2) + loss + bump)
    return _Draws(np.concatenate(rows, axis=1), across, up, mirror_1, mirror_2, zone)


def _lost_on_the_way(
    mirror_1: Floats, mirror_2: Floats, u: Floats, v: Floats, even: Floats
) -> Floats:
    """What a beam that leaves its way is clipped by [draws, n]: the ways of both mirrors add up
    before the loss is taken, and it may be off a little from the start.
    """
    whole = mirror_1 + mirror_2
    if not whole.any():
        return np.zeros((len(whole), len(u)))
    along, over = (v + 1) / 2, (u + 1) / 2
    way = (mirror_1[:, None] * along + mirror_2[:, None] * over) / whole[:, None]
    steep = STEEP[0] + STEEP[1] * even[:, [9]]
    begins = BEGINS * even[:, [10]]
    lost: Floats = whole[:, None] * ((begins + (1 - begins) * way) ** steep - begins**steep)
    return lost


def _tempered(stories: dict[str, float]) -> dict[str, float]:
    """Both mirrors and a weak place fade alike towards a corner: what parts them hangs on the very
    forms that are supposed, so that their odds count by half (in logs), their sum as it is.
    """
    both, zone = stories.get("mirrors 1 and 2", 0.0), stories.get("zone", 0.0)
    if min(both, zone) <= 0:
        return stories
    half = math.sqrt(both / zone)
    share = half / (1 + half)
    return {
        **stories,
        "mirrors 1 and 2": share * (both + zone),
        "zone": (1 - share) * (both + zone),
    }


# -- in words --------------------------------------------------------------------------------------


def _told(
    readings: BedReadings,
    stories: Mapping[str, float],
    kept: Sequence[tuple[str, _Draws, Floats, tuple[int, int]]],
    bed_mm: tuple[float, float],
    rayleigh_mm: float,
) -> BedMap:
    top = max(stories, key=lambda name: stories[name])
    parts = [part for part in kept if part[0] == top]
    logs = np.concatenate([part[2] for part in parts])
    weight = np.exp(logs - logs.max())
    weight /= weight.sum()

    def mean(values: Sequence[Floats]) -> float:
        return float(weight @ np.concatenate(values))

    turned = [np.full(len(part[2]), part[3][0]) for part in parts]
    turned_up = [np.full(len(part[2]), part[3][1]) for part in parts]
    rise = (  # over half the bed, mm; the draws' places were turned
        mean([part[1].across * way for part, way in zip(parts, turned, strict=True)]),
        mean([part[1].up * way for part, way in zip(parts, turned_up, strict=True)]),
    )
    if top == "tilt":
        rise = _fitted_rise(readings, rayleigh_mm, rise)
    tilt = (1000 * rise[0] / (bed_mm[0] / 2), 1000 * rise[1] / (bed_mm[1] / 2))
    corners = [(bed_mm[0] * x, bed_mm[1] * y) for x, y in ((0, 0), (1, 0), (1, 1), (0, 1))]
    heights = [(x * tilt[0] + y * tilt[1]) / 1000 for x, y in corners]
    loss = mean([part[1].mirror_1 for part in parts]), mean([part[1].mirror_2 for part in parts])
    zone = None
    if top == "zone":
        where = np.concatenate([part[1].zone for part in parts])
        shares = [float(weight[where == n].sum()) for n in range(len(readings.places))]
        zone = tuple(map(float, readings.places[int(np.argmax(shares))]))
    need, need_sd = _needs(readings)
    end = (mean(turned), mean(turned_up))
    says, do = _words(top, stories, loss, zone, end)
    if readings.place_sd > PLACE_SD and top not in ("even", "tilt"):
        do = f"{do} {LAMP}"
    level = fit_level(corners, heights)
    return BedMap(
        stories,
        tilt,
        level.shims_mm,
        loss,
        zone,  # type: ignore[arg-type]
        _key(readings.places),
        need,
        need_sd,
        says,
        do,
    )


def _needs(readings: BedReadings) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """What each place needs more than the best one, ln, at its better height, and its standard
    error.
    """
    better, columns = readings.need.argmin(axis=0), np.arange(readings.need.shape[1])
    need = readings.need[better, columns]
    own_sd = np.hypot(readings.sd[better, columns], readings.place_sd)
    best = int(need.argmin())
    more, sd = need - need[best], np.hypot(own_sd, own_sd[best])
    return tuple(map(float, more)), tuple(map(float, sd))


def _words(
    top: str,
    stories: Mapping[str, float],
    loss: tuple[float, float],
    zone: Sequence[float] | None,
    end: tuple[float, float],
) -> tuple[str, str]:
    """What is told of the likeliest story, and what to do."""
    share = _share(stories[top])
    far = stories.get("mirrors 1 and 2", 0.0) + stories["zone"]
    if top in ("mirrors 1 and 2", "zone") and stories[top] < SURE and far > SURE:
        return (
            tr(
                "One corner is weak ({share} % {story_words}).",
                share=share,
                story_words=STORY_WORDS[top],
            ),
            tr("Look at the marks on tape before you clean the bed."),
        )
    lost = [round(-100 * math.expm1(-one)) for one in loss]
    if top == "even":
        return tr("The bed is even ({share} %): no place needs more than another.", share=share), ""
    if top == "tilt":
        return (
            tr("The bed is tilted ({share} %).", share=share),
            tr("Lay the shims under its corners, or turn its screws by as much, and map it again."),
        )
    if top == "zone":
        assert zone is not None
        return (
            tr(
                "One place is weak, {zone} ({share} %): dirt on the bed or a sheet that does "
                "not lie flat there.",
                zone=place_words(*zone),
                share=share,
            ),
            tr("Clean the bed there and look whether the sheet lies flat; then map it again."),
        )
    over = tr("right") if end[0] > 0 else tr("left")  # away from the source
    along = tr("rear") if end[1] > 0 else tr("front")
    ways = {
        "mirror 1": tr(
            "along the rails to the {along}: mirror 1, {lost} % lost at the end",
            along=along,
            lost=lost[0],
        ),
        "mirror 2": tr(
            "along the gantry to the {over}: mirror 2, {lost} % lost at the end",
            over=over,
            lost=lost[1],
        ),
        "mirrors 1 and 2": tr(
            "towards the corner {along} {over}: mirrors 1 and 2", along=along, over=over
        ),
    }
    return (
        tr("The beam weakens {ways} ({share} %).", ways=ways[top], share=share),
        tr("Mark the beam on tape at the four corners before you turn a screw."),
    )


def _share(chance: float) -> str:
    return tr("over 99") if chance > MOST_SAID else f"{100 * chance:.0f}"


STORY_WORDS = {
    "even": tr("even"),
    "tilt": tr("tilted"),
    "mirror 1": tr("mirror 1"),
    "mirror 2": tr("mirror 2"),
    "mirrors 1 and 2": tr("both mirrors"),
    "zone": tr("one weak place"),
}
