"""Suggest the levels of a trial, and say what they are based on: the last coupon, the book, or the
physics.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from olive_almanac.core.beam.spot import default_pitch
from olive_almanac.core.deciding.cut_knowledge import FIT_SEED, know_cut
from olive_almanac.core.deciding.engrave import know_tone, score_prior
from olive_almanac.core.design.aim import Aim, Ground, spread_speeds
from olive_almanac.core.design.beside import side_by_side
from olive_almanac.core.design.choices import TrialChoices
from olive_almanac.core.design.kinds.kind import kind_of
from olive_almanac.core.design.levels import round_level
from olive_almanac.core.design.plan import coupon_size, least_cell_mm
from olive_almanac.core.design.telling import CELL_MM, LONGEST_CELL_MM, most_telling
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.fitting.char import FlareLimit, flare_energy, heat_of
from olive_almanac.core.fitting.cut import case_of, expected_edge_speed
from olive_almanac.core.fitting.kin_learning import KinSds
from olive_almanac.core.materials.families import edge_energy, tone_prior
from olive_almanac.core.placing.labels import Lettering, label_setting
from olive_almanac.core.records.entry import Entry
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import Reading, flared
from olive_almanac.core.records.recipe import Recipe
from olive_almanac.core.records.setting import Task, rasters
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Kind, Trial
from olive_almanac.core.units import number_text, speed_in
from olive_almanac.core.words import tr

__all__ = ["Known", "Neighbour", "Suggestion", "flare_limit_of", "held_focus", "suggest_levels"]

Pairs = Sequence[tuple[Trial, Sequence[Reading]]]
PASSES = (1, 2, 3, 4, 6)
SLOWEST_USEFUL_MM_S = 1.5
SHRINKS = (1.0, 0.8, 0.65, 0.5, 0.4, 0.3, 0.2)
RUN_UP_SHARE = 0.15  # of the bed's width that a raster line may take to come up to speed
LEAST_SHARE = 0.3  # of full power, at which the source still burns evenly
CUT_POWERS = (0.55, 0.70, 0.85, 1.0)
WIDE, NEAR, ZOOM = (
    (0.3, 1.5),
    (0.6, 1.5),
    (0.75, 1.3),
)  # how far around the expected edge the speeds reach
FAR_FROM_PHYSICS = 4.0  # a note that asks for so many times more or less energy is not followed
DRIFT_FREE = 1.2  # a proven cut without a known margin is taken to have this much speed in hand


@dataclass(frozen=True)
class Neighbour:
    """An entry of the book that bears on the subject, with its machine and stock."""

    entry: Entry
    machine: Machine
    stock: Stock


@dataclass(frozen=True)
class Known:
    """What is known of a subject before its trial is planned.

    `near` is the entry of the book that bears most on it; `pairs` are its read coupons, `related`
    those of its kin, which count less: by how far such differ (`kin`, or as is usual).  The piece
    is prepared as `recipes` say: by one of them, or by several side by side.
    """

    near: Neighbour | None = None
    pairs: Pairs = ()
    related: Pairs = ()
    kin: KinSds | None = None
    recipes: tuple[Recipe, ...] = ()

    @property
    def recipe(self) -> Recipe | None:
        """The one recipe, or the first of several."""
        return self.recipes[0] if self.recipes else None

    @property
    def every(self) -> Pairs:
        """All coupons, the subject's own last."""
        return [*self.related, *self.pairs]


@dataclass(frozen=True)
class Suggestion:
    """Choices for a trial, and in words what they are based on."""

    choices: TrialChoices
    basis: str


NOTHING_KNOWN = Known()


def held_focus(stock: Stock) -> float:
    """Return the focus to start a cut with: half the thickness below the top face, to half a
    millimetre, at most 5 mm.
    """
    return min(5.0, round(stock.true_thickness_mm) / 2)


def flare_limit_of(stock: Stock, pairs: Pairs = ()) -> FlareLimit:
    """Return the limit from which this stock is expected to flare up, from its family and
    what was read.
    """
    seen, held = [], []
    for trial, readings in pairs:
        cells = {cell.id: cell for cell in trial.cells}
        akin = _burns_alike(stock, trial.stock)
        for reading in readings:
            if reading.cell not in cells:
                continue
            setting = cells[reading.cell].setting
            watts = trial.machine.watts(setting.power)
            if flared(reading):
                seen.append((watts / setting.speed_mm_s, setting.passes))
            elif akin and (reading.verdict is not None or reading.char is not None):
                heat = float(heat_of(power_w=watts, speed_mm_s=setting.speed_mm_s))
                held.append((heat, setting.passes))
    return FlareLimit(flare_energy(edge_energy(stock), pairs), tuple(seen), _hottest_of_each(held))


def _burns_alike(stock: Stock, other: Stock) -> bool:
    """Whether what did not flare on another coupon's stock need not flare on this one."""
    ratio = stock.true_thickness_mm / other.true_thickness_mm
    return stock.family == other.family and stock.colour == other.colour and 0.9 < ratio < 1.1


def _hottest_of_each(held: Sequence[tuple[float, int]]) -> tuple[tuple[float, int], ...]:
    """The hottest of each number of passes: the others say nothing more."""
    most: dict[int, float] = {}
    for heat, passes in held:
        most[passes] = max(heat, most.get(passes, 0.0))
    return tuple((heat, passes) for passes, heat in most.items())


def suggest_levels(
    machine: Machine,
    stock: Stock,
    task: Task,
    *,
    kind: Kind = "grid",
    speed_unit: str = "mm/s",
    known: Known = NOTHING_KNOWN,
    lettering: Lettering | None = None,
    engraves: bool = False,
) -> Suggestion:
    """Return choices for a trial of this kind: round numbers in `speed_unit`, inside the machine's
    and the stock's limits.

    Based on the boundary that earlier coupons left, else on the nearest entry of the book scaled by
    the model, else on the physics with the family's priors.  What kindred coupons say counts for
    the cells that tell most.
    """
    wanted = kind_of(kind)
    limit = flare_limit_of(stock, known.pairs)
    aim = _aim(machine, stock, task, known, limit)
    quiet = label_setting(machine, stock, "engrave", ())
    ground = Ground(machine, stock, task, aim, quiet, flare_limit_of(stock), speed_unit)
    telling: tuple[TrialChoices, str] | None = None
    for shrink in SHRINKS:  # a small bed takes a smaller coupon: shorter run-ups, smaller cells
        grid = _grid(machine, stock, task, aim, limit, speed_unit, shrink)
        choices, why = wanted.suggest(ground, replace(grid, kind=kind)), wanted.basis(aim.basis)
        if wanted.asks_the_fit and task == "cut":
            if telling is None:  # once: the fit does not hang on the size of the bed
                told = know_cut(
                    machine,
                    stock,
                    known.every,
                    rng=np.random.default_rng(FIT_SEED),
                    kin=known.kin,
                    recipe=known.recipe,
                )
                telling = most_telling(told, machine, stock, limit, grid) or (grid, why)
            choices, why = telling
        if wanted.compares_recipes:
            choices, why = side_by_side(
                machine,
                stock,
                task,
                known.recipes,
                known.pairs,
                grid=replace(grid, kind=kind),
                aim=aim,
                kin=known.kin,
            )
            if not choices.settings:
                break
        choices = replace(choices, recipes=known.recipes)
        if wanted.spread:
            break
        if shrink < 1:
            choices = _thinned(choices, shrink)
        coupon = coupon_size(machine, stock, task, choices, lettering=lettering, engraves=engraves)
        if coupon.width_mm <= machine.bed_mm[0] and coupon.height_mm <= machine.bed_mm[1]:
            break
    if not wanted.spread and (choices.settings or not wanted.compares_recipes):
        sides = zip(machine.bed_mm, (coupon.width_mm, coupon.height_mm), strict=True)
        x, y = (max(0.0, min(10.0, (bed - size) / 2)) for bed, size in sides)
        choices = replace(choices, place=(round(x, 3), round(y, 3)))
    return Suggestion(choices, why)


# -- where the edge is expected --------------------------------------------------------------------


def _aim(machine: Machine, stock: Stock, task: Task, known: Known, limit: FlareLimit) -> Aim:
    near = known.near
    if any(readings for _, readings in known.pairs):
        return _from_coupons(machine, stock, task, known)
    if near is not None and near.entry.is_note:
        return _from_notes(machine, stock, task, near, limit)
    if near is not None:
        return _from_book(machine, stock, task, near, limit)
    return _from_physics(machine, stock, task, limit)


def _from_physics(machine: Machine, stock: Stock, task: Task, limit: FlareLimit) -> Aim:
    basis = tr(
        "from the physics: what {family} usually needs, with this beam and thickness",
        family=stock.family.replace("_", " "),
    )
    if task == "cut":
        speed, passes = _cut_edge(machine, stock, limit)
        return Aim(
            speed, passes, held_focus(stock), machine.watts(1.0) * passes / speed, WIDE, basis
        )
    return Aim(0.0, 1, 0.0, _right_energy(machine, stock, task), (0.5, 1.6), basis)


def _cut_edge(machine: Machine, stock: Stock, limit: FlareLimit) -> tuple[float, int]:
    """The speed at which full power is expected to be just through, and the fewest passes that keep
    it usable.
    """
    case, focus = case_of(machine, stock), held_focus(stock)
    for passes in PASSES:
        edge = expected_edge_speed(case, power=1.0, passes=passes, focus_mm=focus)
        hottest = limit.slowest(machine.watts(1.0), passes)
        if edge >= SLOWEST_USEFUL_MM_S and edge >= 1.4 * hottest:
            break
    return edge, passes


def _right_energy(machine: Machine, stock: Stock, task: Task) -> float:
    if task == "score":
        return score_prior(machine, stock).right_j_mm2
    return tone_prior(stock, machine.source).right_j_mm2


def _from_coupons(machine: Machine, stock: Stock, task: Task, before: Known) -> Aim:
    pairs = before.pairs
    read = sum(len(readings) for _, readings in pairs)
    basis = tr(
        "from the last coupon: closer around the boundary that {read} cells have shown", read=read
    )
    settings = [cell.setting for trial, _ in pairs for cell in trial.cells]
    top = max(settings, key=lambda s: (s.power, s.passes))
    if task != "cut":
        known = know_tone(machine, stock, pairs, task=task)
        centre = float(np.exp(known.posterior.weight @ known.posterior.centre))
        return Aim(0.0, top.passes, top.focus_mm, centre, ZOOM, basis)
    rng = np.random.default_rng(0)
    cut = know_cut(machine, stock, pairs, rng=rng, kin=before.kin, recipe=before.recipe)
    speeds = np.geomspace(0.1, machine.max_speed_mm_s, 200)
    margin = cut.mean_margin(power=1.0, speed_mm_s=speeds, passes=top.passes, focus_mm=top.focus_mm)
    through = np.flatnonzero(margin > 0)
    if len(through):
        edge = float(speeds[through[-1]])
    else:
        edge = SLOWEST_USEFUL_MM_S
    return Aim(edge, top.passes, top.focus_mm, machine.watts(1.0) * top.passes / edge, ZOOM, basis)


def _from_book(
    machine: Machine, stock: Stock, task: Task, near: Neighbour, limit: FlareLimit
) -> Aim:
    """Scale an entry by the ratio that the model gives between its subject and this one."""
    entry, setting = near.entry, near.entry.setting
    basis = tr(
        "from the book: {stock} on {machine} ({written}), scaled to this subject",
        stock=near.stock.label,
        machine=near.machine.name,
        written=entry.written,
    )
    if task != "cut":
        energy = near.machine.watts(setting.power) * setting.dose_per_watt
        ratio = _right_energy(machine, stock, task) / _right_energy(near.machine, near.stock, task)
        return Aim(0.0, 1, setting.focus_mm, energy * ratio, NEAR, basis)
    there = expected_edge_speed(
        case_of(near.machine, near.stock),
        power=1.0,
        passes=setting.passes,
        focus_mm=held_focus(near.stock),
    )
    quick, passes = _cut_edge(machine, stock, limit)
    quicker = entry.evidence.margins.even_speed or DRIFT_FREE
    there_edge = setting.speed_mm_s * quicker / max(setting.power, 0.05)
    edge = float(np.clip(quick * there_edge / there, 0.2, machine.max_speed_mm_s))
    return Aim(edge, passes, held_focus(stock), machine.watts(1.0) * passes / edge, NEAR, basis)


def _from_notes(
    machine: Machine, stock: Stock, task: Task, near: Neighbour, limit: FlareLimit
) -> Aim:
    """Look widely around what somebody noted for this subject, unless the physics expects something
    else altogether.
    """
    noted, physics = (
        _from_book(machine, stock, task, near, limit),
        _from_physics(machine, stock, task, limit),
    )
    further = noted.energy / physics.energy
    if not 1 / FAR_FROM_PHYSICS < further < FAR_FROM_PHYSICS:
        times = tr(
            "{further} times {which} energy",
            further=number_text(max(further, 1 / further), 2),
            which=tr("more") if further > 1 else tr("less"),
        )
        return replace(
            physics,
            basis=tr(
                "{basis}; the book’s note says {times}: check its units",
                basis=physics.basis,
                times=times,
            ),
        )
    return replace(
        noted,
        reach=physics.reach,
        basis=tr("from the note in the book, not burnt since: wide around it"),
    )


# -- the grid around it ----------------------------------------------------------------------------


def _grid(
    machine: Machine,
    stock: Stock,
    task: Task,
    aim: Aim,
    limit: FlareLimit,
    unit: str,
    shrink: float,
) -> TrialChoices:
    if task == "cut":
        return _cut_grid(machine, task, aim, limit, unit, shrink)
    return _tone_grid(machine, task, aim, limit, unit, shrink)


def _cut_grid(
    machine: Machine, task: Task, aim: Aim, limit: FlareLimit, unit: str, shrink: float
) -> TrialChoices:
    share = _share_of_power(machine, aim)
    hottest = limit.slowest(machine.watts(share), aim.passes)
    low = max(share * aim.reach[0] * aim.speed_mm_s, 1.001 * hottest)
    high = min(max(share * aim.reach[1] * aim.speed_mm_s, 1.3 * low), machine.max_speed_mm_s)
    if low > high:
        most = speed_in(machine.max_speed_mm_s, unit)
        raise OutOfRange(
            tr("Speed that does not flare up"),
            speed_in(low, unit),
            tr("at most {most:g}", most=most),
            unit,
        )
    speeds = spread_speeds(low, high, 6, unit)
    side = max(CELL_MM, least_cell_mm(machine, task, speeds[-1]))
    return TrialChoices(
        tuple(round_level(share * power) for power in CUT_POWERS),
        speeds,
        (aim.passes,),
        (aim.focus_mm,),
        cell_mm=round(side * shrink, 1),
        speed_unit=unit,
    )


def _share_of_power(machine: Machine, aim: Aim) -> float:
    """The highest power of a grid of cuts: less than full where thin stock would be cut so fast
    that only long cells reach the speed.
    """
    reached = (machine.acceleration_mm_s2 * LONGEST_CELL_MM) ** 0.5
    wanted = aim.reach[1] * aim.speed_mm_s
    return float(min(1.0, max(LEAST_SHARE, reached / wanted)))


def _tone_grid(
    machine: Machine, task: Task, aim: Aim, limit: FlareLimit, unit: str, shrink: float
) -> TrialChoices:
    """Powers x speeds around the energy aimed at, the middle of both on it."""
    pitch = 0.0
    if rasters(task):
        pitch = default_pitch(machine.spot_y_mm)
    per_watt = 1 / (pitch or 1.0)
    quickest = 0.3 * machine.max_speed_mm_s
    if rasters(task):  # a line's run-up must stay short beside the bed
        run_up = RUN_UP_SHARE * machine.bed_mm[0]
        reached = (2 * machine.acceleration_mm_s2 * run_up) ** 0.5
        quickest = min(0.5 * machine.max_speed_mm_s, reached / aim.reach[1])
    speed = shrink * min(machine.watts(0.6) * per_watt / aim.energy, quickest)
    power = float(np.clip(machine.fraction_for(aim.energy * speed / per_watt), 0.02, 0.65))
    powers = tuple(
        round_level(float(p)) for p in np.linspace(0.5 * power, min(1.0, 1.5 * power), 4)
    )
    low = max(aim.reach[0] * speed, 1.001 * limit.slowest(machine.watts(powers[-1]), 1))
    speeds = spread_speeds(
        low, max(min(aim.reach[1] * speed, machine.max_speed_mm_s), 1.2 * low), 6, unit
    )
    if rasters(task):
        side = least_cell_mm(machine, task, speeds[-1])
    else:
        side = CELL_MM
    return TrialChoices(
        powers,
        speeds,
        (aim.passes,),
        (aim.focus_mm,),
        (pitch,),
        ("low",),
        cell_mm=side,
        speed_unit=unit,
    )


def _thinned(c: TrialChoices, shrink: float) -> TrialChoices:
    """Smaller cells closer together and, on a very small bed, every other level."""
    smaller = replace(c, cell_mm=max(4.0, round(c.cell_mm * max(shrink, 0.5), 1)), gap_mm=3.0)
    if shrink > 0.5 or c.kind == "grid":
        return smaller
    every = 3
    if shrink > 0.3:
        every = 2
    return replace(
        smaller,
        speed_mm_s=c.speed_mm_s[::every],
        focus_mm=c.focus_mm[::every],
        pitch_mm=c.pitch_mm[::every],
    )
