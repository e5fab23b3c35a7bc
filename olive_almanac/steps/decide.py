"""Decide: fit the readings, draw the window, offer picks, and write the chosen one into
the book.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Protocol

import numpy as np
from scipy.ndimage import zoom

from olive_almanac.core.deciding import cut, engrave
from olive_almanac.core.deciding.apart import levels_of, soonest
from olive_almanac.core.deciding.confirm import decide_confirm
from olive_almanac.core.deciding.cut_knowledge import FIT_SEED, MAP_NODES, MAP_PARTICLES, know_cut
from olive_almanac.core.deciding.decision import Decision, Pick
from olive_almanac.core.deciding.focus import decide_focus
from olive_almanac.core.deciding.kerf import decide_kerf
from olive_almanac.core.deciding.outliers import outlying_readings
from olive_almanac.core.deciding.recipes import compare_recipes, recipe_levels
from olive_almanac.core.deciding.shop_drift import drift_of_records
from olive_almanac.core.deciding.weekly import said_of_check
from olive_almanac.core.design.choices import is_hotter
from olive_almanac.core.design.kinds.kind import Question, kind_of
from olive_almanac.core.design.suggest import flare_limit_of
from olive_almanac.core.errors import AlmanacError, OutOfRange
from olive_almanac.core.fitting.dot_table import dot_table_of
from olive_almanac.core.fitting.tone_table import tone_table_of
from olive_almanac.core.records.entry import Entry, Evidence, Room
from olive_almanac.core.records.factors import further_words
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.recipe import RecipeKey, key_of
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.upkeep.bed_map import decide_bed
from olive_almanac.core.words import tr
from olive_almanac.formats.tone_csv import write_tone_csv
from olive_almanac.steps.active import ActiveTrial
from olive_almanac.steps.files import write_file
from olive_almanac.steps.ports import Library
from olive_almanac.steps.session import Session

__all__ = [
    "Basis",
    "DecidePresenter",
    "SettingMap",
    "ShowsDecision",
    "Slices",
    "decide_trial",
    "entry_of",
    "question_of",
    "work_out",
]

Pairs = Sequence[tuple[Trial, Sequence[Reading]]]
MAP_POINTS, FINE_POINTS = 25, 73  # computed, and drawn: a spline goes through the computed ones
LEAST_SPREAD, WEAKEST = 0.02, 0.6  # of power
FARTHEST, AROUND = 2.5, (0.6, 1.8)  # times the pick's speed
SLICE_POINTS, MOST_SLICES = 80, 4


@dataclass(frozen=True)
class SettingMap:
    """The window over power x speed at the pick's passes, focus, pitch and `further` (in words).

    `power` [p] and `speed_mm_s` [v] are the axes; `chance` [p, v] is P(free) (cut) or P(right)
    (engrave); `low` and `high` [p, v] are P(charred or worse) and P(flare) (cut), or P(too light)
    and P(too dark) (engrave).
    """

    power: Any
    speed_mm_s: Any
    chance: Any
    low: Any
    high: Any
    passes: int
    focus_mm: float
    pitch_mm: float
    further: tuple[str, ...] = ()


@dataclass(frozen=True)
class Slices:
    """The chance to succeed over speed at one power, for some numbers of passes: [n, v];
    `speed_mm_s` [v].
    """

    power: float
    focus_mm: float
    speed_mm_s: Any
    passes: tuple[int, ...]
    chance: Any


@dataclass(frozen=True)
class Basis:
    """What a decision is made from: the subject's own coupons, kindred ones that count less, and
    what was decided before.
    """

    pairs: Pairs
    related: Pairs = ()
    weekly: Pairs = ()
    focus_heights_mm: tuple[float, ...] = ()
    kept: Setting | None = None
    previous: Any = None  # FittedCut of the same subject: makes the fit quicker
    kin: Any = None  # KinSds: how far this shop's lots, stocks and machines differ
    recipe: RecipeKey | None = None  # the one to decide for, where several were read


def question_of(trial: Trial) -> Question:
    """Return what a trial is there to decide."""
    return kind_of(trial.kind).asks


def decide_trial(
    pairs: Pairs,
    *,
    target: float | None = None,
    lightness: float | None = None,
    basis: Basis | None = None,
    count: int = 8,
) -> tuple[Decision, Any]:
    """Return the decision from trials of one subject and what is known (FittedCut or
    FittedTone).

    Of several pulse rates that were read, the one that is done soonest counts.
    """
    decision, known, _ = _decide_level(
        pairs, target=target, lightness=lightness, basis=basis or Basis(pairs), count=count
    )
    return decision, known


def _decide_level(
    pairs: Pairs, *, target: float | None, lightness: float | None, basis: Basis, count: int
) -> tuple[Decision, Any, Pairs]:
    """The decision, what is known, and the readings that count: those of one recipe, the one that
    is done soonest, and of one level of what no model knows.
    """
    recipes = recipe_levels(pairs)
    chosen = [one for one in recipes if key_of(one.recipe) == basis.recipe]
    if basis.recipe is not None and chosen:
        recipes = tuple(chosen)
    made = []
    for one in recipes:
        ground = replace(basis, related=(*basis.related, *one.others))
        made.append(
            _decide_recipe(one.pairs, target=target, lightness=lightness, basis=ground, count=count)
        )
    at = soonest([decision for decision, _, _ in made])
    decision, known, counted = made[at]
    decision = replace(decision, recipe=recipes[at].recipe)
    if len(recipes) > 1:
        counts = tr(
            "With {recipe}: done soonest of the {recipes} recipes read.",
            recipe=decision.recipe.name,
            recipes=len(recipes),
        )
        decision = replace(decision, remarks=(counts, *decision.remarks))
    return decision, known, counted


def _decide_recipe(
    pairs: Pairs, *, target: float | None, lightness: float | None, basis: Basis, count: int
) -> tuple[Decision, Any, Pairs]:
    levels = levels_of(pairs)
    made = [
        _decide(level.pairs, target=target, lightness=lightness, basis=basis, count=count)
        for level in levels
    ]
    at = soonest([decision for decision, _ in made])
    decision, known = made[at]
    if len(levels) > 1:
        counts = tr(
            "For {words}: done soonest of the {levels} that were read.",
            words=levels[at].words,
            levels=len(levels),
        )
        decision = replace(decision, remarks=(counts, *decision.remarks))
    return levels[at].set_in(decision), known, levels[at].pairs


def _decide(
    pairs: Pairs, *, target: float | None, lightness: float | None, basis: Basis, count: int
) -> tuple[Decision, Any]:
    trial = pairs[-1][0]
    if trial.task == "cut":
        drift = drift_of_records(trial.stock, focus_heights_mm=basis.focus_heights_mm)
        every = [*basis.related, *pairs]
        known = know_cut(
            trial.machine,
            trial.stock,
            every,
            rng=np.random.default_rng(FIT_SEED),
            drift=drift,
            previous=basis.previous,
            kin=basis.kin,
            recipe=trial.recipe,
        )
        if basis.weekly:
            known = replace(
                known,
                drift=drift_of_records(
                    trial.stock,
                    focus_heights_mm=basis.focus_heights_mm,
                    weekly=basis.weekly,
                    known=known,
                ),
            )
        limit = flare_limit_of(trial.stock, pairs)
        if any(is_hotter(one) for one, _ in pairs):
            limit = limit.known
        return cut.decide_cut(
            known, pairs, target=target or cut.TARGET, limit=limit, kept=basis.kept, count=count
        ), known
    tone = engrave.know_tone(trial.machine, trial.stock, pairs, task=trial.task)
    return engrave.decide_engrave(
        tone, pairs, target=target or engrave.TARGET, lightness=lightness
    ), tone


def work_out(basis: Basis, lightness: float | None = None) -> Iterator[tuple[str, Any]]:
    """Yield what the last trial can decide, piece by piece, for a worker.

    A setting: "decision", "known", "map", "recipes" where several were read, "slices", "outliers".
    Else "focus", "kerf", "confirm",
    "bed" or "tone" with its decision (of a tone or a bed that is not decided: a sentence).
    """
    pairs = basis.pairs
    trial, readings = pairs[-1]
    question = question_of(trial)
    if question == "focus":
        yield "focus", decide_focus(trial, readings)
    elif question == "kerf":
        yield "kerf", decide_kerf([*basis.related, *pairs])
    elif question == "confirm":
        yield "confirm", decide_confirm(trial, readings)
    elif question == "bed":
        try:
            yield "bed", decide_bed(trial, readings)
        except OutOfRange as problem:
            yield "bed", str(problem)
    elif question == "tone":
        try:
            make = dot_table_of if trial.kind == "dots" else tone_table_of
            yield "tone", make(trial, readings)
        except OutOfRange as problem:
            yield "tone", str(problem)
    else:
        yield from _setting_work(basis, lightness)


def _setting_work(basis: Basis, lightness: float | None) -> Iterator[tuple[str, Any]]:
    decision, known, pairs = _decide_level(
        basis.pairs, target=None, lightness=lightness, basis=basis, count=8
    )
    if kind_of(basis.pairs[-1][0].kind).weekly:
        said = said_of_check(basis.pairs[-1][0], basis.weekly)
        if said:
            decision = replace(decision, remarks=(said, *decision.remarks))
    yield "decision", decision
    yield "known", known
    yield "map", _map_of(pairs, decision, known)
    compared = compare_recipes(basis.pairs, basis.kin)
    if compared is not None:
        yield "recipes", compared
    if pairs[-1][0].task == "cut":
        yield "slices", _slices_of(pairs, decision, known)
        yield "outliers", outlying_readings(known, pairs)


def _base_of(pairs: Pairs, decision: Decision) -> Setting:
    if decision.picks:
        return decision.picks[0].setting
    cells = [cell for trial, _ in pairs for cell in trial.cells]
    squares = [cell for cell in cells if cell.mark != "line"]  # lines are there for the focus
    settings = [cell.setting for cell in squares or cells]
    return max(settings, key=lambda s: (s.power, -s.speed_mm_s))


def _map_of(pairs: Pairs, decision: Decision, known: Any) -> SettingMap:
    trial, base = pairs[-1][0], _base_of(pairs, decision)
    shown = [cell.setting for cell in trial.cells] + [pick.setting for pick in decision.picks]
    if np.ptp([s.power for s in shown]) < LEAST_SPREAD:  # passes vary: those of the pick are shown
        near = [cell.setting for one, _ in pairs for cell in one.cells]
        shown = [s for s in near if s.passes == base.passes and _is_near(s, base)]
        shown += [replace(base, speed_mm_s=share * base.speed_mm_s) for share in AROUND]
    powers, speeds = [s.power for s in shown], [s.speed_mm_s for s in shown]
    spread, width = max(powers) - min(powers), max(speeds) - min(speeds) or 0.5 * max(speeds)
    low_power, high_power = max(0.01, min(powers) - 0.12 * spread), max(powers) + 0.08 * spread
    if spread < LEAST_SPREAD:  # burnt at one power: what a weaker beam would do
        low_power, high_power = WEAKEST * max(powers), 1.03 * max(powers)
    low_speed, high_speed = (
        max(0.05 * min(speeds), min(speeds) - 0.08 * width),
        max(speeds) + 0.08 * width,
    )
    p, v = np.meshgrid(
        np.linspace(low_power, high_power, MAP_POINTS),
        np.linspace(low_speed, high_speed, MAP_POINTS),
        indexing="ij",
    )
    if trial.task == "cut":
        chance = known.chance(
            power=p,
            speed_mm_s=v,
            passes=base.passes,
            focus_mm=base.focus_mm,
            particles=MAP_PARTICLES,
            nodes=MAP_NODES,
        )
        char = known.char_above(power=p, speed_mm_s=v, passes=base.passes)
        fields, pitch = (chance, char[1], char[2]), 0.0
    else:
        light, right, dark = known.chances(
            power=p, speed_mm_s=v, pitch_mm=base.pitch_mm, runs=base.runs
        )
        fields, pitch = (right, light, dark), base.pitch_mm
    power, speed = (
        np.linspace(low_power, high_power, FINE_POINTS),
        np.linspace(low_speed, high_speed, FINE_POINTS),
    )
    good, low, high = (_finer(field) for field in fields)
    further = further_words(base)
    return SettingMap(power, speed, good, low, high, base.passes, base.focus_mm, pitch, further)


def _is_near(setting: Setting, base: Setting) -> bool:
    return 1 / FARTHEST < setting.speed_mm_s / base.speed_mm_s < FARTHEST


def _finer(chance: Any) -> Any:
    """The chances between the points of the grid: a spline through their log odds."""
    p = np.clip(chance, 1e-6, 1 - 1e-6)
    return 1 / (
        1
        + np.exp(
            -zoom(
                np.log(p / (1 - p)),
                FINE_POINTS / MAP_POINTS,
                order=3,
                mode="nearest",
                grid_mode=False,
            )
        )
    )


def _slices_of(pairs: Pairs, decision: Decision, known: Any) -> Slices:
    base = _base_of(pairs, decision)
    burnt = sorted(
        {cell.setting.passes for trial, _ in pairs for cell in trial.cells}
        | {pick.setting.passes for pick in decision.picks}
    )
    passes = tuple(sorted({*burnt[: MOST_SLICES - 1], base.passes}))
    fewest = base.speed_mm_s / base.passes * np.array([0.5 * passes[0], 2.2 * passes[-1]])
    speed = np.geomspace(fewest[0], min(fewest[1], known.case.max_speed_mm_s), SLICE_POINTS)
    chance = np.stack(
        [
            known.chance(power=base.power, speed_mm_s=speed, passes=n, focus_mm=base.focus_mm)
            for n in passes
        ]
    )
    return Slices(base.power, base.focus_mm, speed, passes, chance)


def entry_of(
    pick: Pick,
    decision: Decision,
    pairs: Pairs,
    *,
    uid: str,
    written: str,
    machine: Machine,
    stock: Stock,
    room: Room | None = None,
) -> Entry:
    """Return the book entry of a chosen pick, with its evidence."""
    evidence = Evidence(
        tuple(trial.id for trial, _ in pairs),
        decision.cells_read,
        pick.probability,
        decision.target,
        pick.margins,
        pick.char,
        pick.seconds_per_m,
        pick.seconds_per_100cm2,
        decision.edge_doubt,
        decision.says,
        room or Room(),
        any(reading.simulated for _, readings in pairs for reading in readings),
    )
    return Entry(
        uid,
        machine.uid,
        stock.uid,
        pairs[0][0].task,
        pick.setting,
        "trial",
        written,
        stock.lot,
        machine.state,
        evidence,
        recipe=decision.recipe,
    )


def check_burnt(library: Library, readings: Iterable[Reading]) -> None:
    """Raise AlmanacError where readings of the stand-in bench would become evidence in a library
    that is no playground.
    """
    if not library.playground and any(reading.simulated for reading in readings):
        raise AlmanacError(
            tr(
                "This coupon was burnt on the stand-in bench: a "
                "rehearsal, which proves nothing of the "
                "machine. Nothing was written. Burn its file on the machine and read that coupon."
            )
        )


class ShowsDecision(Protocol):
    def show_decision(self) -> None: ...


class DecidePresenter:
    """Keeps what the readings as they are decide, and which pick is chosen.

    `found` holds the pieces of the work by name, see `work_out`.
    """

    def __init__(self, session: Session, view: ShowsDecision) -> None:
        self.session, self._view = session, view
        self.found: dict[str, Any] = {}
        self.chosen = 0
        self.lightness: float | None = None
        self._done_for: object = None
        self._kept: tuple[object, Setting] | None = None
        self._known: tuple[object, Any] | None = None
        self._recipe: tuple[str, RecipeKey] | None = None  # of which trial, which was chosen

    @property
    def recipe(self) -> RecipeKey | None:
        """The recipe that was chosen to decide for, None for the one that is done soonest."""
        active = self.session.active
        if active is None or self._recipe is None or self._recipe[0] != active.trial.id:
            return None
        return self._recipe[1]

    def decide_for(self, recipe: RecipeKey | None) -> None:
        """Decide for one of the recipes that were read, or for the one done soonest (None)."""
        active = self.session.active
        if active is not None:
            self._recipe = None if recipe is None else (active.trial.id, recipe)

    @property
    def active(self) -> ActiveTrial | None:
        return self.session.active

    @property
    def question(self) -> Question:
        if self.session.active:
            return question_of(self.session.active.trial)
        return "setting"

    @property
    def decision(self) -> Decision | None:
        return self.found.get("decision")

    @property
    def map(self) -> SettingMap | None:
        return self.found.get("map")

    @property
    def finished(self) -> bool:
        """Whether everything there is to work out has come."""
        last = {"setting": "outliers" if self.session.subject.task == "cut" else "map"}.get(
            self.question, self.question
        )
        return last in self.found

    @property
    def _wanted(self) -> object:
        """What there is to decide from now, None where nothing was read."""
        active = self.session.active
        if active is None or not active.readings:
            return None
        return tuple(active.pairs), self.lightness, self.recipe

    @property
    def is_outdated(self) -> bool:
        """Whether what was decided, or is being decided, is about something else by now."""
        return self._wanted != self._done_for

    def work(self) -> Iterator[tuple[str, Any]] | None:
        """Return the work to do for the present readings, or None when it is done already or there
        is none.
        """
        if not self.is_outdated:
            return None
        active = self.session.active
        self._done_for, self.chosen, self.found = self._wanted, 0, {}
        if active is None or self._done_for is None:
            return None
        subject = self._subject
        kept = None
        if self._kept and self._kept[0] == subject:
            kept = self._kept[1]
        known = None
        if self._known and self._known[0] == subject:
            known = self._known[1]
        basis = Basis(
            active.pairs,
            active.related,
            self.session.trials.weekly_checks(),
            self.session.trials.focus_heights_mm(),
            kept=kept,
            previous=known,
            kin=self.session.shop.kin.sds,
            recipe=self.recipe,
        )
        return work_out(basis, self.lightness)

    @property
    def _subject(self) -> object:
        subject = self.session.subject
        return (
            subject.machine.uid if subject.machine else "",
            subject.stock.uid if subject.stock else "",
            subject.task,
        )

    def take(self, item: tuple[str, Any]) -> None:
        """Take one result of the work, unless it is about something else by now."""
        if self.is_outdated:
            return
        kind, value = item
        self.found[kind] = value
        if kind == "known":
            self._known = (self._subject, value)
        if kind == "decision" and value.picks:
            self._kept = (self._subject, value.picks[0].setting)
        self._view.show_decision()

    def aim_at(self, lightness: float | None) -> None:
        """Aim an engraving at a lightness L*, or at the tone read as right (None)."""
        self.lightness = lightness

    def choose(self, index: int) -> None:
        if self.decision and 0 <= index < len(self.decision.picks):
            self.chosen = index
            self._view.show_decision()

    @property
    def pick(self) -> Pick | None:
        if self.decision and self.decision.picks:
            return self.decision.picks[self.chosen]
        return None

    def write_entry(self) -> Entry | None:
        """Write the chosen pick into the book: it is on trial until its confirming burns pass.

        It holds for the machine's state and the lot that its coupon was burnt with.
        """
        active, pick, decision = self.session.active, self.pick, self.decision
        if active is None or pick is None or decision is None:
            return None
        old = self.session.entry
        entry = entry_of(
            pick,
            decision,
            active.pairs,
            uid=old.uid if old else self.session.new_id(),
            written=self.session.today().isoformat(),
            machine=active.trial.machine,
            stock=active.trial.stock,
            room=self.session.trials.room,
        )
        if old is not None:
            entry = replace(entry, kerf_x_mm=old.kerf_x_mm, kerf_y_mm=old.kerf_y_mm)

        def action() -> None:
            check_burnt(self.session.store, active.readings.values())
            self.session.shop.keep_entry(
                entry, tr("chosen from {trial}", trial=active.trial.name), tr("entry in the book")
            )
            self.session.trials.keep(active.trial, "book", tr("written into the book"))

        if self.session.attempt(action):
            return entry
        return None

    def close_confirm_run(self) -> bool:
        """Put a confirm run that is read to the end away: its burns are counted already."""
        active, found = self.session.active, self.found.get("confirm")
        if active is None or found is None or found.left:
            return True
        return self.session.attempt(
            lambda: self.session.trials.keep(active.trial, "book", tr("counted in the book"))
        )

    def save_table(self, path: Path) -> bool:
        """Write the tone curve as a table; False where it could not be written, or there
        is none.
        """
        table = self.found.get("tone")
        if table is None or isinstance(table, str):
            return False
        return self.session.attempt(lambda: write_file(path, write_tone_csv(table)))

    def keep_kerf(self) -> bool:
        """Write the measured kerf into the subject's entry; False where there is no entry or
        nothing was measured.
        """
        decision, entry, active = self.found.get("kerf"), self.session.entry, self.session.active
        if decision is None or entry is None or active is None:
            return False
        kerfs = {
            f"kerf_{axis}_mm": round(row.figures.mean_mm, 3)
            for axis in "xy"
            if (row := decision.of(axis)) is not None
        }
        if not kerfs:
            return False
        changed = replace(entry, **kerfs)

        def action() -> None:
            check_burnt(self.session.store, active.readings.values())
            self.session.shop.keep_entry(
                changed, tr("kerf measured on {trial}", trial=active.trial.name), "kerf"
            )

        return self.session.attempt(action)
