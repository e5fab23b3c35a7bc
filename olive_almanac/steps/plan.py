"""Plan: the choices of a grid in the operator's words, the trial they make, and the files it sends out."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Protocol, cast

from olive_almanac.core.errors import AlmanacError, OutOfRange
from olive_almanac.core.records.setting import Air, Setting
from olive_almanac.core.records.trial import Trial
from olive_almanac.core.units import SPEED_UNITS, number_text, percent_text, read_length_mm, read_number, read_speed_mm_s, speed_in
from olive_almanac.steps.session import Session
from olive_almanac.steps.trial_files import TrialFiles, write_trial_files

if TYPE_CHECKING:
    from olive_almanac.core.design.grid import GridChoices, GridPlan

__all__ = ["PlanPresenter", "ShowsPlan", "burn_folder", "choices_from", "texts_of"]


class ShowsPlan(Protocol):
    def show_choices(self, texts: dict[str, str]) -> None: ...
    def show_plan(self, plan: GridPlan) -> None: ...
    def show_problem(self, field: str, text: str) -> None: ...


def texts_of(choices: GridChoices, unit: str) -> dict[str, str]:
    """Return the sentence fields of choices: from, to and steps for power and speed, one value for the rest."""
    speeds = [speed_in(v, unit) for v in choices.speed_mm_s]
    return {
        "power_from": percent_text(choices.power[0]), "power_to": percent_text(choices.power[-1]), "power_steps": str(len(choices.power)),
        "speed_from": number_text(speeds[0], 4), "speed_to": number_text(speeds[-1], 4), "speed_steps": str(len(speeds)),
        "passes": str(choices.passes[0]), "focus": number_text(choices.focus_mm[0]), "pitch": number_text(choices.pitch_mm[0]),
        "air": choices.air, "cell": number_text(choices.cell_mm), "gap": number_text(choices.gap_mm), "rest": number_text(choices.rest_s),
        "x": number_text(choices.place[0], 4), "y": number_text(choices.place[1], 4),
    }  # fmt: skip


def choices_from(texts: Mapping[str, str], unit: str) -> GridChoices:
    """Return the choices that the sentence fields say; raises OutOfRange naming the field."""
    from olive_almanac.core.design.grid import GridChoices
    from olive_almanac.core.design.levels import even_levels

    def whole(key: str, field: str) -> int:
        value = read_number(texts[key], field)
        if value != int(value):
            raise OutOfRange(field, texts[key], "a whole number")
        return int(value)

    power = [read_number(texts[f"power_{end}"], "Power", "%") / 100 for end in ("from", "to")]
    speed = [read_speed_mm_s(texts[f"speed_{end}"], "Speed", unit) for end in ("from", "to")]
    for value in power:
        if not 0 < value <= 1:
            raise OutOfRange("Power", 100 * value, "above 0 and at most 100", "%")
    for value in speed:
        if value <= 0:
            raise OutOfRange("Speed", value / SPEED_UNITS[unit], "above 0", unit)
    return GridChoices(
        even_levels(power[0], power[1], whole("power_steps", "Steps of power"), "Power"),
        even_levels(speed[0], speed[1], whole("speed_steps", "Steps of speed"), "Speed"),
        (whole("passes", "Passes"),), (read_number(texts["focus"], "Focus", "mm"),), (read_length_mm(texts["pitch"], "Line pitch"),),
        cast(Air, texts["air"]), read_length_mm(texts["cell"], "Cell side"), read_length_mm(texts["gap"], "Gap between cells"),
        read_number(texts["rest"], "Rest", "s"), (read_length_mm(texts["x"], "Place along X"), read_length_mm(texts["y"], "Place along Y")),
    )  # fmt: skip


def burn_folder(library_folder: Path, trial: Trial) -> Path:
    """Return where a trial's files are written: below the library, one folder a trial."""
    return library_folder / "burn" / trial.id


class PlanPresenter:
    """Keeps the sentence fields; every change makes the plan anew or says what is wrong with it."""

    def __init__(self, session: Session, view: ShowsPlan) -> None:
        self.session, self._view = session, view
        self.plan: GridPlan | None = None
        self.texts: dict[str, str] = {}
        self.name = ""

    def start(self) -> None:
        """Begin from the trial on the desk when it is not burnt yet, else from suggested levels."""
        from olive_almanac.core.design.grid import choices_of
        from olive_almanac.core.design.suggest import suggest_grid

        subject, unit = self.session.subject, self.session.preferences.speed_unit
        if subject.machine is None or subject.stock is None or not self.session.permission.allowed:
            self.plan = None
            return
        desk = self.session.desk
        try:
            if desk is not None and not desk.burnt and desk.stage in ("plan", "burn"):
                choices = choices_of(desk.trial)
            else:
                choices = suggest_grid(subject.machine, subject.stock, subject.task, speed_unit=unit)
        except AlmanacError as problem:
            self.plan = None
            self._view.show_problem("", str(problem))
            return
        self._take(texts_of(choices, unit))

    def suggest(self) -> None:
        """Go back to the suggested levels."""
        from olive_almanac.core.design.suggest import suggest_grid

        subject, unit = self.session.subject, self.session.preferences.speed_unit
        if subject.machine is not None and subject.stock is not None:
            self._take(texts_of(suggest_grid(subject.machine, subject.stock, subject.task, speed_unit=unit), unit))

    def plan_next(self, cells: Sequence[Setting]) -> None:
        """Plan a grid over the settings that a decision asks for, with the air, focus and pitch that it named."""
        from olive_almanac.core.design.grid import GridChoices

        speeds, powers = [cell.speed_mm_s for cell in cells], [cell.power for cell in cells]
        first, steps = cells[0], 6
        low, high = min(speeds), max(speeds)
        speed = tuple(low + (high - low) * i / (steps - 1) for i in range(steps)) if high > low else (low,)
        top = max(powers)
        power = (
            tuple(top * share for share in (0.8, 0.9, 1.0)) if min(powers) == top else (min(powers), (min(powers) + top) / 2, top)
        )
        place = (float(self.texts.get("x") or 10), float(self.texts.get("y") or 10))
        choices = GridChoices(power, speed, (first.passes,), (first.focus_mm,), (first.pitch_mm,), first.air, place=place)
        self._take(texts_of(choices, self.session.preferences.speed_unit))

    def _take(self, texts: dict[str, str]) -> None:
        self.texts = texts
        self._view.show_choices(texts)
        self.remake()

    def change(self, key: str, text: str) -> None:
        self.texts[key] = text
        self.remake()

    def remake(self) -> None:
        from olive_almanac.core.design.grid import plan_grid

        subject = self.session.subject
        if subject.machine is None or subject.stock is None:
            return
        desk = self.session.desk
        continuing = desk is not None and not desk.burnt and desk.stage in ("plan", "burn")
        number = self.session.next_trial_number()
        trial_id = desk.trial.id if desk and continuing else f"coupon-{number:04d}-{self.session.new_id()}"
        self.name = desk.trial.name if desk and continuing else f"Coupon {number:04d}"
        try:
            choices = choices_from(self.texts, self.session.preferences.speed_unit)
            self.plan = plan_grid(
                subject.machine,
                subject.stock,
                subject.task,
                choices,
                permission=self.session.permission,
                trial_id=trial_id,
                name=self.name,
                made=self.session.today().isoformat(),
            )
        except AlmanacError as problem:
            self.plan = None  # an old grid beside an error would mislead
            self._view.show_problem(problem.field if isinstance(problem, OutOfRange) else "", str(problem))
        else:
            self._view.show_plan(self.plan)

    def write(self) -> TrialFiles | None:
        """Write the files and keep the trial; the next station is Burn."""
        if self.plan is None:
            return None
        trial, written = self.plan.trial, []

        def action() -> None:
            folder = burn_folder(self.session.store.folder, trial)
            written.append(write_trial_files(trial, folder, speed_unit=self.session.preferences.speed_unit))
            self.session.keep_trial(trial, "burn", "burn file written")

        return written[0] if self.session.attempt(action) else None
