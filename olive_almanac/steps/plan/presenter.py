"""Plan: the choices of a trial in the operator's words, the trial they make, where it lies, and the
files it sends out.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from typing import Any, Protocol

from olive_almanac.core.deciding.decision import Decision
from olive_almanac.core.deciding.outlook import Outlook, expect
from olive_almanac.core.design.choices import TrialChoices, choices_of
from olive_almanac.core.design.kinds.kind import kind_of, kinds_for
from olive_almanac.core.design.plan import NoRoom, TrialPlan, plan_trial, room_for, sheet_on_bed
from olive_almanac.core.design.suggest import Known, Suggestion, flare_limit_of
from olive_almanac.core.errors import AlmanacError, OutOfRange
from olive_almanac.core.fitting.char import FlareLimit
from olive_almanac.core.materials.catalogue import Permission
from olive_almanac.core.placing.fiducials import coupon_set
from olive_almanac.core.placing.room import Box, Room
from olive_almanac.core.records.factors import Factor, factor_of
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.ranges import check_number
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.recipe import AS_IT_LIES, Recipe, key_of
from olive_almanac.core.records.setting import AIRS, Setting
from olive_almanac.core.records.stock import Sheet, Stock
from olive_almanac.core.records.trial import Kind, Place, SheetOnBed, Trial
from olive_almanac.core.units import lengths_text, number_text
from olive_almanac.core.words import tr
from olive_almanac.steps.decide import decide_trial
from olive_almanac.steps.lettering import letters
from olive_almanac.steps.permission import engraves, with_recipes
from olive_almanac.steps.plan.fixes import AS_EXPECTED, HOTTER, Fix, what_fits
from olive_almanac.steps.plan.form import (
    choices_from,
    clamps_text,
    levels_from,
    levels_text,
    texts_of,
)
from olive_almanac.steps.plan.suggestion import cells_asked_for, suggestion_for
from olive_almanac.steps.practise import cells_left
from olive_almanac.steps.preparing import RecipeChoice, choices_for, default_recipes
from olive_almanac.steps.session import Session
from olive_almanac.steps.trial_files import (
    TrialFiles,
    WritingProgress,
    burn_folder,
    trial_files,
    write_trial_files,
)

__all__ = ["Compute", "PlanPresenter", "ShowsPlan"]

Pairs = list[tuple[Trial, tuple[Reading, ...]]]
TakesChoices = Callable[[TrialChoices, str], object]
Compute = Callable[
    [Callable[[], Suggestion], Callable[[Suggestion], None], Callable[[Exception], None]], object
]


class ShowsPlan(Protocol):
    def show_choices(self, texts: dict[str, str]) -> None: ...
    def show_plan(self, plan: TrialPlan) -> None: ...
    def show_problem(self, key: str, text: str, fixes: Sequence[Fix]) -> None: ...


def at_once(
    work_out: Callable[[], Suggestion],
    take: Callable[[Suggestion], None],
    fail: Callable[[Exception], None],
) -> None:
    """Work a suggestion out in the caller's own time: without a window nothing waits for it."""
    try:
        found = work_out()
    except AlmanacError as problem:
        fail(problem)
    else:
        take(found)


def _key_of(problem: AlmanacError) -> str:
    """The field that a problem speaks of, empty where it is none."""
    if isinstance(problem, OutOfRange):
        return problem.key
    return ""


class PlanPresenter:
    """Keeps the fields; every change makes the plan anew or says what is wrong with it and what
    would fit.  Suggestions rest on a fit and are worked out as `compute` has it.
    """

    def __init__(self, session: Session, view: ShowsPlan, compute: Compute = at_once) -> None:
        self.session, self._view, self._compute = session, view, compute
        self.plan: TrialPlan | None = None
        self.texts: dict[str, str] = {}
        self.basis = ""
        self.name = ""
        self._base: TrialChoices | None = None
        self._asked: Kind | None = None  # whose choices are being worked out
        self._limit: FlareLimit | None = None
        self._clear: tuple[int, tuple[Box, ...]] | None = None  # a sheet, and what a job takes
        self.recipes: tuple[Recipe, ...] = ()  # how the piece is prepared

    # -- where the choices come from ---------------------------------------------------------------

    def start(self) -> None:
        """Begin from the trial on the desk when it is not burnt yet, else from suggested levels."""
        subject = self.session.subject
        if subject.machine is None or subject.stock is None or not self.session.permission.allowed:
            self.plan = None
            return
        self._limit = self._clear = self._asked = None
        trial = self._unburnt_trial()
        self.recipes = default_recipes(self.session)
        if trial is not None:
            self.recipes = trial.recipes
            basis = tr("as planned on {made}", made=trial.made)
            self._attempt(lambda: self._take(choices_of(trial), basis))
        else:
            self.suggest(self.first_kind)

    def kept(self) -> tuple[Any, ...]:
        """What was chosen and typed, for `go_on`."""
        return (self.texts, self._base, self.basis, self.recipes, self._asked)

    def go_on(self, kept: tuple[Any, ...]) -> None:
        """Take up what was chosen and typed, and make the plan of it; ask anew for what was being
        worked out.
        """
        self.texts, self._base, self.basis, self.recipes, asked = kept
        self._view.show_choices(self.texts)
        if asked is not None:
            self.suggest(asked)
        else:
            self._attempt(self.remake)

    def _unburnt_trial(self) -> Trial | None:
        """The trial on the desk while it can still be planned otherwise."""
        active = self.session.active
        if active is not None and not active.burnt and active.stage in ("plan", "burn"):
            return active.trial
        return None

    def suggest(self, kind: Kind | None = None) -> None:
        """Take the suggested levels for a kind of trial (the present one by default)."""
        self._ask(kind or self._kind, self._take)

    @property
    def is_asked(self) -> bool:
        """Whether choices are being worked out: there is no plan until they are known."""
        return self._asked is not None

    def drop(self) -> None:
        """Ask no longer for what is being worked out: nothing of it is taken."""
        self._asked = None

    def _ask(self, kind: Kind, take: TakesChoices) -> None:
        """Have the choices for a kind of trial worked out; `take` gets them, and what they rest
        on.
        """

        def news(found: Suggestion) -> None:
            self._asked = None
            self._attempt(lambda: take(self._on_sheet(found.choices), found.basis))

        def failed(problem: Exception) -> None:
            self._asked = None
            if not isinstance(problem, AlmanacError):
                raise problem
            self._tell(problem)

        def begin() -> None:
            work_out = self._suggestion_for(kind)
            self._asked, self.plan = kind, None
            self._compute(work_out, news, failed)

        self._attempt(begin)

    def _attempt(self, action: Callable[[], object]) -> None:
        try:
            action()
        except AlmanacError as problem:
            self._tell(problem)

    def _tell(self, problem: AlmanacError) -> None:
        self.plan = None
        self._view.show_problem(_key_of(problem), str(problem), ())

    @property
    def first_kind(self) -> Kind:
        """What a subject is begun with: for a cut the cells that tell most, else a plain grid."""
        return kinds_for(self.session.subject.task)[0].id

    @property
    def _kind(self) -> Kind:
        kind = self.texts.get("kind", self.first_kind)
        if self.session.subject.task in kind_of(kind).chosen_for:
            return kind
        return self.first_kind

    @property
    def _unit(self) -> str:
        return self.session.preferences.speed_unit

    def _ground(self) -> tuple[Machine, Stock]:
        """Machine and stock of the subject, where both are known to be chosen."""
        machine, stock = self.session.subject.machine, self.session.subject.stock
        assert machine is not None and stock is not None
        return machine, stock

    def _suggestion_for(self, kind: Kind) -> Callable[[], Suggestion]:
        machine, stock = self._ground()
        return suggestion_for(
            kind,
            machine,
            stock,
            self.session.subject.task,
            catalogue=self.session.catalogue,
            known=Known(
                pairs=self.pairs,
                related=self.session.trials.related_to(self.session.subject),
                kin=self.session.shop.kin.sds,
                recipes=self._recipes_of(kind),
            ),
            speed_unit=self._unit,
            last=self.session.trials.last_of_kind(kind),
        )

    # -- how the piece is prepared -----------------------------------------------------------------

    def _recipes_of(self, kind: Kind) -> tuple[Recipe, ...]:
        """The recipes of a trial of a kind: one, or those that are compared."""
        if not kind_of(kind).compares_recipes:
            return self.recipes[:1]
        chosen, active = self.recipes or (AS_IT_LIES,), self.session.active
        if len(chosen) < 2 and active is not None and len(active.trial.recipes) > 1:
            chosen = active.trial.recipes  # compared once more
        if len(chosen) < 2:
            keys = {key_of(one) for one in chosen}
            others = [one for one in self.recipe_choices if key_of(one.recipe) not in keys]
            chosen = (*chosen, *(one.recipe for one in others[:1]))
        self.recipes = chosen
        return chosen

    @property
    def recipe_choices(self) -> tuple[RecipeChoice, ...]:
        """The recipes to choose from for the subject."""
        machine, stock = self._ground()
        return choices_for(self.session, machine, stock, self.session.subject.task)

    @property
    def shown_recipes(self) -> tuple[Recipe, ...]:
        """How the piece is prepared, as it lies where nothing was chosen."""
        if kind_of(self._kind).compares_recipes:
            return self.recipes or (AS_IT_LIES,)
        return self.recipes[:1] or (AS_IT_LIES,)

    def prepare(self, at: int, recipe: Recipe | None) -> None:
        """Take another recipe at a place (one past the last adds it), or drop it (None); the cells
        follow where they hang on it.
        """
        recipes = list(self.shown_recipes)
        recipes[at : at + 1] = [] if recipe is None else [recipe]
        plain = len(recipes) == 1 and recipes[0].is_plain
        self.recipes = () if plain else tuple(recipes)
        if kind_of(self._kind).compares_recipes or kind_of(self._kind).asks_the_fit:
            self.suggest()
        elif self._base is not None:
            self._base = replace(self._base, recipes=self.recipes[:1])
            self.remake()

    def _on_sheet(self, choices: TrialChoices) -> TrialChoices:
        """Lay the trial on the sheet in use, or on the first of the stock's sheets, in its lower
        left corner.
        """
        stock = self.session.subject.stock
        wanted = self.texts.get("sheet", "0")
        if stock is None or not stock.sheets or wanted == "":
            return self._beside_the_last(choices)
        number = min(int(wanted), len(stock.sheets) - 1)
        at = (0.0, 0.0)
        if self._base is not None:
            at = self._base.sheet_at_mm
        return replace(
            choices, sheet_number=number, sheet=stock.sheets[number], sheet_at_mm=at, place=at
        )

    def _beside_the_last(self, choices: TrialChoices) -> TrialChoices:
        """On the bare bed the next cells continue the piece that the last ones were burnt on: above
        them, or to their right where the bed ends.
        """
        active, bed = self.session.active, self._ground()[0].bed_mm
        goes_on = active is not None and active.burnt and choices.kind == "next"
        if active is None or not goes_on or active.trial.sheet is not None:
            return choices
        left, low, right, top = active.trial.area_mm
        if top + (top - low) <= bed[1]:
            return replace(choices, place=(left, top))
        return replace(choices, place=(right, choices.place[1]))

    @property
    def pairs(self) -> Pairs:
        """The read coupons of the subject."""
        active = self.session.active
        if active is not None:
            return [pair for pair in active.pairs if pair[1]]
        return []

    @property
    def limit(self) -> FlareLimit | None:
        """The line energy above which this stock is expected to flare up."""
        if self._limit is None and self.session.subject.stock is not None:
            self._limit = flare_limit_of(self.session.subject.stock, self.pairs)
        return self._limit

    def plan_next(
        self,
        cells: Sequence[Setting],
        sheet: int | None = None,
        clear_mm: tuple[Box, ...] = (),
        recipe: Recipe | None = None,
    ) -> None:
        """Plan the very cells that a decision asks for, by its recipe; on a sheet of the rack,
        clear of boxes on it that are kept for a job.
        """
        self._clear = (sheet, clear_mm) if sheet is not None else None
        if recipe is not None:
            self.recipes = () if recipe.is_plain else (recipe,)
        if sheet is not None:
            self.texts["sheet"] = str(sheet)

        def take(grid: TrialChoices, _: str) -> None:
            found = cells_asked_for(grid, cells, self._ground()[0], self.session.subject.task)
            self._take(self._on_sheet(found.choices), found.basis)

        self._ask("grid", take)

    def plan_at_focus(self, focus_mm: float) -> None:
        """Plan a grid at the focus that was found."""

        def take(grid: TrialChoices, basis: str) -> None:
            self._take(grid, basis)
            self.change("focus", number_text(round(focus_mm, 1)))

        self._ask("grid", take)

    def next_work(self) -> Callable[[], Decision]:
        """Return the work that finds the decision with the cells that teach most, by the readings
        of the subject as they are now, of which there must be some: for a worker.
        """
        pairs = self.pairs
        return lambda: decide_trial(pairs)[0]

    def _take(self, choices: TrialChoices, basis: str) -> None:
        self._base, self.basis = choices, basis
        self.texts = texts_of(choices, self._unit)
        self._view.show_choices(self.texts)
        self.remake()

    # -- changes -----------------------------------------------------------------------------------

    def change(self, key: str, text: str) -> None:
        self.texts[key] = text
        self.remake()

    def choose_kind(self, kind: Kind) -> None:
        """Take the suggested levels of another kind of trial."""
        self.suggest(kind)

    def choose_factor(self, slot: str, factor_id: str) -> None:
        """Let another factor vary up the side or along the foot; what stood there changes places or
        is held.
        """
        other = "up"
        if slot == "up":
            other = "across"
        old = factor_of(self.texts[slot])
        if self.texts[other] == factor_id:
            self.texts[other] = old.id
        else:
            self._hold(old)
        self.texts[slot] = factor_id
        self._vary(factor_of(factor_id))
        self._view.show_choices(self.texts)
        self.remake()

    def _hold(self, factor: Factor) -> None:
        """Hold a factor that varied: power at its highest level, others at their lowest."""
        if not factor.is_number:
            self.texts[factor.id] = self.texts[factor.id].rpartition(", ")[2]
        elif factor.id == "power":
            self.texts[factor.id] = self.texts[f"{factor.id}_to"]
        else:
            self.texts[factor.id] = self.texts[f"{factor.id}_from"]

    def _vary(self, factor: Factor) -> None:
        if not factor.is_number:
            self.texts[factor.id] = ", ".join(AIRS)
        elif "," not in self.texts[factor.id]:
            self._widen(factor)

    def _widen(self, factor: Factor) -> None:
        """Give a factor that was held levels around its value."""
        try:
            level, *_ = levels_from(self.texts, factor, self._unit, varied=False)
        except AlmanacError:
            return
        reach = 1.0
        if self.session.subject.machine is not None:
            reach = self.session.subject.machine.rayleigh_mm
        low, high = factor.around(float(level), reach)
        self.texts |= {
            f"{factor.id}_from": factor.write(low, self._unit),
            f"{factor.id}_to": factor.write(high, self._unit),
            f"{factor.id}_steps": str(factor.usual_steps),
            f"{factor.id}_space": "even",
        }

    def choose_spacing(self, factor_id: str, spacing: str) -> None:
        """Space the levels evenly, by ratio, or as a list that starts from the present levels."""
        if spacing == "list" and self.plan is not None:
            factor = factor_of(factor_id)
            try:
                levels = levels_from(self.texts, factor, self._unit, varied=True)
                self.texts[f"{factor_id}_list"] = levels_text(factor, levels, self._unit)
            except AlmanacError:
                pass  # the fields are told as they stand
        self.texts[f"{factor_id}_space"] = spacing
        self._view.show_choices(self.texts)
        self.remake()

    def choose_sheet(self, number: str) -> None:
        """Lay the coupon on another sheet ("" for the whole bed), near its lower left corner."""
        stock = self.session.subject.stock
        self.texts["sheet"] = number
        if number and stock is not None:
            sheet = stock.sheets[int(number)]
            self.texts["clamps"] = clamps_text(sheet.clamps_mm)
            self.texts["sheet_size"] = lengths_text(sheet.width_mm, sheet.height_mm)
            self.texts |= {"x": self.texts["sheet_x"], "y": self.texts["sheet_y"]}
        self._view.show_choices(self.texts)
        self.remake()

    def turn(self) -> None:
        """Lay the long side the other way."""
        turned = "yes"
        if self.texts["turned"]:
            turned = ""
        self.change("turned", turned)
        self._view.show_choices(self.texts)

    def to_corner(self, corner: str) -> None:
        """Move the coupon to the free place nearest a corner of the sheet."""
        if self.plan is None:
            return
        coupon = self.plan.trial.coupon
        place = self.room.in_corner(coupon.width_mm, coupon.height_mm, corner)
        if place is not None:
            self._put(place)

    def drag(self, x_mm: float, y_mm: float) -> None:
        """Move the coupon to a place on the bed: drawn to edges nearby, then to the nearest place
        that is free.
        """
        if self.plan is None:
            return
        coupon, room = self.plan.trial.coupon, self.room
        size = (coupon.width_mm, coupon.height_mm)
        place = room.nearest(*size, room.snapped(*size, (x_mm, y_mm)))
        if place is not None:
            self._put(place)

    def nudge(self, dx_mm: float, dy_mm: float) -> None:
        """Move the coupon by some millimetres, as far as there is room."""
        if self.plan is None:
            return
        left, low, right, high = self.plan.trial.area_mm
        box = (left + dx_mm, low + dy_mm, right + dx_mm, high + dy_mm)
        if self.room.is_free(box):
            self._put(box[:2])

    def _put(self, place: tuple[float, float]) -> None:
        """Lay the finished plan elsewhere; nothing else about it changes."""
        assert self.plan is not None
        if kind_of(self.plan.trial.kind).spread:
            return
        self.texts |= {"x": number_text(place[0], 5), "y": number_text(place[1], 5)}
        trial = self.plan.trial
        choices = {**trial.choices, "place": list(place)}
        self.plan = replace(
            self.plan, trial=replace(trial, on_sheet=Place(*place), choices=choices)
        )
        self._view.show_choices(self.texts)
        self._view.show_plan(self.plan)

    @property
    def room(self) -> Room:
        return room_for(self._ground()[0], self._choices())

    @property
    def ground(self) -> tuple[Machine, Stock, SheetOnBed | None] | None:
        """What the coupon would lie on, also while it finds no room there; None while the choices
        cannot be read.
        """
        machine, stock = self.session.subject.machine, self.session.subject.stock
        if machine is None or stock is None or self._base is None:
            return None
        try:
            return machine, stock, sheet_on_bed(self._choices())
        except AlmanacError:
            return None

    def _choices(self) -> TrialChoices:
        assert self._base is not None
        choices = choices_from(self.texts, self._unit, self._base, self.session.subject.stock)
        return self._kept_clear(choices)

    def _kept_clear(self, choices: TrialChoices) -> TrialChoices:
        """Count what a job takes of its sheet as used."""
        sheet = choices.sheet
        if self._clear is None or sheet is None or choices.sheet_number != self._clear[0]:
            return choices
        fresh = tuple(box for box in self._clear[1] if box not in sheet.used_mm)
        return replace(choices, sheet=replace(sheet, used_mm=(*sheet.used_mm, *fresh)))

    # -- the plan ----------------------------------------------------------------------------------

    def remake(self) -> None:
        """Make the plan anew from the fields, or say what is wrong with them."""
        subject = self.session.subject
        if subject.machine is None or subject.stock is None or self._base is None or self.is_asked:
            return
        try:
            self.plan = self._planned(self._choices())
        except AlmanacError as problem:
            self.plan = None  # an old grid beside an error would mislead
            fixes: tuple[Fix, ...] = ()
            if isinstance(problem, NoRoom):
                fixes = what_fits(self.texts, subject.stock.sheets, self._would_fit)
            elif isinstance(problem, OutOfRange) and self._would_fit(HOTTER):
                fixes = (HOTTER,)
            self._view.show_problem(_key_of(problem), str(problem), fixes)
        else:
            place = self.plan.trial.on_sheet or Place(0.0, 0.0)
            self.texts |= {"x": number_text(place.x_mm, 5), "y": number_text(place.y_mm, 5)}
            self._view.show_plan(self.plan)

    def _planned(self, choices: TrialChoices) -> TrialPlan:
        machine, stock = self._ground()
        before = self._unburnt_trial()
        if before is not None:
            trial_id, self.name = before.id, before.name
        else:
            number = self.session.trials.next_number()
            trial_id = f"coupon-{number:04d}-{self.session.new_id()}"
            self.name = tr("Coupon {number:04d}", number=number)
            choices = replace(choices, marks_set=coupon_set(number))
        planned = plan_trial(
            machine,
            stock,
            self.session.subject.task,
            choices,
            permission=self._permission(choices),
            trial_id=trial_id,
            name=self.name,
            made=self.session.today().isoformat(),
            lettering=letters(),
            engraves=engraves(machine, stock),
            limit=self.limit,
            settle=True,
        )
        self._check_budget(len(planned.trial.cells))
        return planned

    def _permission(self, choices: TrialChoices) -> Permission:
        """Whether the stock may burn, and what the recipes lay on it."""
        return with_recipes(self.session.permission, choices.recipes)

    def _check_budget(self, cells: int) -> None:
        """An exercise allows so many cells and no more."""
        practice = self.session.practice
        if practice is not None:
            what = tr("cells left of the exercise’s {cells}", cells=practice.exercise.cells)
            check_number(tr("Number of cells"), cells, what, high=cells_left(self.session))

    def _would_fit(self, fix: Fix) -> bool:
        assert self._base is not None
        texts, stock = {**self.texts, **fix.texts}, self.session.subject.stock
        try:
            choices = choices_from(texts, self._unit, self._base, stock)
            self._planned(self._kept_clear(choices))
        except AlmanacError:
            return False
        return True

    def plan_hotter(self) -> None:
        """Plan also what is expected to flare, low energy first: an act of the operator's own."""
        self.take_fix(HOTTER)

    def plan_as_expected(self) -> None:
        """Leave out again what is expected to flare."""
        self.take_fix(AS_EXPECTED)

    def take_fix(self, fix: Fix) -> None:
        """Take a change that fits."""
        self.texts |= fix.texts
        self._view.show_choices(self.texts)
        self.remake()

    def outlook_work(self) -> Iterator[tuple[str, Outlook]] | None:
        """Return the work that reckons what the plan is expected to show, for a worker; None where
        there is no plan.
        """
        if self.plan is None:
            return None
        trial, pairs = self.plan.trial, self.pairs

        def work() -> Iterator[tuple[str, Outlook]]:
            yield trial.id, expect(trial, pairs)

        return work()

    # -- the files ---------------------------------------------------------------------------------

    def write_work(self) -> Iterator[WritingProgress] | None:
        """Return the work of writing the files, with how far it is: for a worker."""
        if self.plan is None or self.session.library is None:
            return None
        trial = self.plan.trial
        folder = burn_folder(self.session.store.folder, trial)
        return write_trial_files(trial, folder, speed_unit=self._unit)

    def written(self, trial: Trial) -> TrialFiles | None:
        """Keep the very trial whose files have been written; the next station is Burn."""

        def action() -> None:
            self._keep_sheet(trial)
            self.session.trials.keep(trial, "burn", tr("burn file written"))

        if self.session.attempt(action):
            return trial_files(burn_folder(self.session.store.folder, trial))
        return None

    def write(self) -> TrialFiles | None:
        """Write the files at once and keep the trial (for a caller without a window)."""
        work = self.write_work()
        if self.plan is None or work is None:
            return None
        trial = self.plan.trial
        if self.session.attempt(lambda: list(work)):
            return self.written(trial)
        return None

    def _keep_sheet(self, trial: Trial) -> None:
        """Remember where this sheet is clamped; one that is not in the rack yet is put there."""
        stock, lies = self.session.subject.stock, trial.sheet
        if lies is None or stock is None or lies.number > len(stock.sheets):
            return
        sheets = list(stock.sheets)
        if lies.number == len(sheets):
            sheets.append(Sheet(lies.width_mm, lies.height_mm))
        x, y = lies.x_mm, lies.y_mm
        clamps = tuple((b[0] - x, b[1] - y, b[2] - x, b[3] - y) for b in lies.clamps_mm)
        sheets[lies.number] = replace(sheets[lies.number], clamps_mm=clamps)
        if tuple(sheets) != stock.sheets:
            self.session.shop.keep_stock(replace(stock, sheets=tuple(sheets)), tr("sheet noted"))
