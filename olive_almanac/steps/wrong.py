"""What went wrong: the signs that the shop's own records show, what the operator adds, and the
likeliest causes by both.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from datetime import date, datetime
from typing import TYPE_CHECKING, Any

from olive_almanac.core.materials.names import says
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.recipe import Recipe, has_medium
from olive_almanac.core.records.setting import Setting, Task, rasters
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Cell, Trial
from olive_almanac.core.words import tr
from olive_almanac.steps.checklist import standing
from olive_almanac.steps.permission import group_of, verdict_for
from olive_almanac.steps.upkeep import acts_of, parts_on

if TYPE_CHECKING:
    from olive_almanac.core.deciding.causes import LikelyCause
    from olive_almanac.core.deciding.one_more import OneMore
    from olive_almanac.steps.active import ActiveTrial
    from olive_almanac.steps.session import Session

__all__ = ["WrongAnswer", "askable", "known_signs", "wrong_work"]

LATELY_DAYS = 21
LOW_POWER = 0.92  # of what a reading should be
DAMP_PERCENT = 65.0
THICK_MM, THIN_MM = 8.0, 1.0
THICKER = 1.03
LITTLE_MARGIN = 1.12
MANY_PASSES = 4
SLOW_MM_S = {"diode": 3.0, "co2": 6.0, "fibre": 50.0}
QUICK_SHARE = 0.6  # of the highest speed
LOW_POWER_SHARE = 0.12
LONG_RUN_S = 1200.0
TWO_FACED = ("leather", "mirror", "anodised", "coated_metal", "felt", "veneer")
DARK_GLUE = ("dark", "black", "exterior")
# signs that a person is asked for, by kind of task, in the order in which they are asked
ASKED = {
    "cut": (
        "hangs",
        "passes_useless",
        "charred",
        "flares",
        "smokes",
        "reweld",
        "melt",
        "foam",
        "stripes",
        "back_scorch",
        "crack",
        "one_side",
        "smells",
    ),
    "engrave": (
        "no_mark",
        "patchy",
        "lighter_all",
        "darker_all",
        "uneven",
        "haze",
        "crack",
        "rubs_off",
        "melt",
        "stripes",
        "one_side",
        "curved_piece",
        "smells",
    ),
}

OFF = {"off", "ab"}  # in the words of a step that takes a mask off, in each language


@dataclass(frozen=True)
class WrongAnswer:
    """The signs that were found, the likeliest causes, and what frees a piece that hangs, where one
    does.
    """

    signs: Mapping[str, bool]
    causes: tuple[LikelyCause, ...]
    one_more: OneMore | None = None
    cell_id: str = ""  # which cell `one_more` is about; empty: a piece of the entry's setting


def askable(machine: Machine, stock: Stock, task: Task) -> tuple[tuple[str, str], ...]:
    """Return the signs that a person can say of this subject, key and words."""
    from olive_almanac.core.deciding.causes import SIGNS, tellable
    from olive_almanac.formats.catalogue import load_causes

    tells = tellable(load_causes(), machine, task, group_of(stock))
    keys = ASKED["cut" if task in ("cut", "score") else "engrave"]
    return tuple((key, SIGNS[key].words) for key in keys if key in tells)


def known_signs(session: Session) -> dict[str, bool]:
    """Return what the records say beside the readings: machine, stock, recipe, ticks, room."""
    machine, stock, task = session.subject.machine, session.subject.stock, session.subject.task
    if machine is None or stock is None:
        return {}
    active, entry = session.active, session.entry
    recipe = (
        active.trial.recipe if active else (entry.recipe if entry else Recipe(tr("as it lies")))
    )
    signs = _machine_signs(session, machine)
    signs |= _stock_signs(stock, task, recipe, machine)
    if entry is not None:
        signs["lot_new"] = bool(stock.lot) and entry.lot != stock.lot
        margin = entry.evidence.margins.speed
        if margin is not None:
            signs["thin_margin"] = margin < LITTLE_MARGIN
    signs["first_time"] = not any(
        one.machine_uid == machine.uid and one.proofs for one in session.catalogue.entries
    )
    humidity = session.trials.room.humidity_percent
    if humidity is not None:
        signs["damp_room"] = humidity > DAMP_PERCENT
    if active is not None:
        signs |= _run_signs(session, active, machine)
    return signs


def _machine_signs(session: Session, machine: Machine) -> dict[str, bool]:
    now = datetime.combine(session.today(), datetime.max.time())
    due = {one.part.id: one.is_now or one.is_soon for one in parts_on(session, machine, now)}
    signs = {}
    if "lens" in due or "scan_window" in due:
        signs["lens_due"] = due.get("lens", False) or due.get("scan_window", False)
    if "mirrors" in due:
        signs["mirrors_due"] = due["mirrors"] or due.get("mirror_3", False)
    if "tray" in due:
        signs["tray_due"] = due["tray"]
    signs["source_old"] = any(due.get(part, False) for part in ("tube", "module", "source"))
    drift = session.shop.watch.told.get(machine.uid)
    if drift is not None and drift.level != "unknown":
        signs["drifts"] = drift.level in ("hint", "alarm")
    readings = [act for act in acts_of(session, machine) if act.watts and act.at_percent]
    if readings:
        last = readings[-1]
        wanted = machine.watts((last.at_percent or 100.0) / 100)
        signs["power_low"] = (last.watts or 0.0) < LOW_POWER * wanted
    if machine.state_since:
        since = session.today() - date.fromisoformat(machine.state_since[:10])
        signs["changed_lately"] = 0 <= since.days <= LATELY_DAYS
    else:
        signs["changed_lately"] = False
    signs["long_spot"] = max(machine.spot_x_mm, machine.spot_y_mm) > 1.2 * min(
        machine.spot_x_mm, machine.spot_y_mm
    )
    return signs


def _stock_signs(stock: Stock, task: Task, recipe: Recipe, machine: Machine) -> dict[str, bool]:
    steps = [f"{step.kind} {step.what}".casefold() for step in recipe.before]
    masks = [step for step in recipe.before if step.kind == "mask"]
    film_off = any(OFF & set(step.what.split()) for step in masks)
    on = any(not OFF & set(step.what.split()) for step in masks)
    mask_on = on or says(stock.mask, "paper")
    verdict = verdict_for(machine, stock, task)
    wants_medium = verdict is not None and verdict.works and bool(verdict.words)
    medium = has_medium(recipe) or bool(stock.coating)
    return {
        "unmeasured": not stock.measured_mm,
        "thicker": stock.true_thickness_mm > THICKER * stock.thickness_mm,
        "dark_glue": any(word in stock.glue_line.casefold() for word in DARK_GLUE),
        "wood": group_of(stock) == "Wood",
        "two_faces": stock.family in TWO_FACED or stock.opacity == "mirror",
        "thick": stock.true_thickness_mm >= THICK_MM,
        "thin_stock": stock.true_thickness_mm <= THIN_MM,
        "mask_on": mask_on,
        "medium_on": medium,
        "medium_missing": wants_medium and not medium,
        "film_on": says(stock.mask, "film") and not film_off,
        "support_none": not any(step.startswith("support") for step in steps),
    }


def _run_signs(session: Session, active: ActiveTrial, machine: Machine) -> dict[str, bool]:
    trial, run = active.trial, active.run
    settings = [cell.setting for cell in trial.cells]
    signs = _setting_signs(settings, machine, trial.task)
    signs["long_run"] = trial.seconds > LONG_RUN_S and not trial.rest_s
    signs["rest_none"] = not trial.rest_s
    if run.cells:
        signs["smokes"] = any(event.kind == "smoke" for event in run.events)
    if run.ticks is None and active.stage != "burn":
        return signs
    ticked = set(run.ticks or ()) if active.stage != "burn" else set(standing(session))
    for key, sign in (
        ("focus", "focus_unticked"),
        ("level", "level_unticked"),
        ("exhaust", "exhaust_unticked"),
    ):
        signs[sign] = key not in ticked
    for n, step in enumerate(trial.recipe.before):
        sign = f"{step.kind}_unticked"
        if step.kind in ("clean", "face", "hold"):
            signs[sign] = f"recipe-0-{n}" not in ticked
    return signs


def _setting_signs(settings: list[Setting], machine: Machine, task: Task) -> dict[str, bool]:
    slowest = min(one.speed_mm_s for one in settings)
    quickest = max(one.speed_mm_s for one in settings)
    signs = {
        "many_passes": max(one.passes for one in settings) >= MANY_PASSES,
        "slow": slowest < SLOW_MM_S[machine.source],
        "fast": quickest > QUICK_SHARE * machine.max_speed_mm_s,
        "full_air": any(one.air == "full" for one in settings),
        "air_low": all(one.air != "full" for one in settings),
    }
    if rasters(task):
        signs["low_powers"] = min(one.power for one in settings) < LOW_POWER_SHARE
        signs["coarse"] = max(one.pitch_mm for one in settings) > machine.spot_longer_mm
    return signs


def wrong_work(
    session: Session, said: Mapping[str, bool], cell_id: str = ""
) -> Iterator[WrongAnswer]:
    """Return the work that weighs the causes, for a worker: by the readings of the coupon on the
    desk, by what is known beside, and by what a person `said`, which wins.

    `cell_id` is the cell in hand: where it hangs, what frees it is told first.
    """
    machine, stock, task = session.subject.machine, session.subject.stock, session.subject.task
    active, known, today = session.active, known_signs(session), session.today().isoformat()
    limit_pairs: Any = list(active.pairs) if active else []
    related = active.related if active else ()
    entry, kin = session.entry, session.shop.kin.sds

    def run() -> Iterator[WrongAnswer]:
        if machine is None or stock is None:
            return
        from olive_almanac.core.deciding.causes import likely_causes
        from olive_almanac.formats.catalogue import load_causes

        signs, more, hung = dict(known), None, ""
        if active is not None and active.readings:
            signs |= _of_readings(active, kin)
        signs |= said
        if task == "cut":
            pairs = [*related, *limit_pairs]
            cell, verdict = _hung(active, cell_id, today)
            if cell is not None:
                more, hung = _freed(machine, stock, pairs, kin, cell.setting, verdict), cell.id
            elif said.get("hangs") and entry is not None:
                more = _freed(machine, stock, pairs, kin, entry.setting, "hangs")
        found = likely_causes(
            load_causes(),
            machine,
            task,
            group=group_of(stock),
            signs=signs,
            pointed_at=[sign for sign, so in said.items() if so],
        )
        yield WrongAnswer(signs, found, more, hung)

    return run()


def _of_readings(active: ActiveTrial, kin: Any) -> dict[str, bool]:
    """The signs of the coupon's readings against what was known before them."""
    import numpy as np

    from olive_almanac.core.deciding.cut_knowledge import FIT_SEED, know_cut
    from olive_almanac.core.deciding.engrave import know_tone
    from olive_almanac.core.deciding.signs import read_signs

    trial, earlier = active.trial, list(active.earlier)
    readings = tuple(active.readings.values())
    if trial.task == "cut":
        expected: Any = know_cut(
            trial.machine,
            trial.stock,
            [*active.related, *earlier],
            rng=np.random.default_rng(FIT_SEED),
            kin=kin,
            recipe=trial.recipe,
        )
    else:
        expected = know_tone(trial.machine, trial.stock, earlier, task=trial.task)
    return read_signs(trial, readings, expected, earlier)


def _hung(active: ActiveTrial | None, cell_id: str, today: str) -> tuple[Cell | None, str]:
    """The cell that hangs and its verdict: the one in hand, else any of a coupon that was burnt
    today, for an older one has been moved.
    """
    if active is None or not (cell_id or active.run.started[:10] in ("", today)):
        return None, ""
    readings: list[tuple[str, Reading]] = list(active.readings.items())
    readings.sort(key=lambda one: one[0] != cell_id)
    for key, reading in readings:
        if reading.verdict == "hangs" or (key == cell_id and reading.verdict == "not_through"):
            return active.trial.cell(key), reading.verdict
    return None, ""


def _freed(
    machine: Machine, stock: Stock, pairs: Any, kin: Any, setting: Setting, verdict: str
) -> OneMore:
    import numpy as np

    from olive_almanac.core.deciding.cut_knowledge import FIT_SEED, know_cut
    from olive_almanac.core.deciding.one_more import one_more
    from olive_almanac.core.design.suggest import flare_limit_of

    rng = np.random.default_rng(FIT_SEED)
    known = know_cut(machine, stock, pairs, rng=rng, kin=kin)
    own: list[tuple[Trial, Any]] = [one for one in pairs if one[0].stock == stock]
    return one_more(replace(known, air=setting.air), setting, verdict, flare_limit_of(stock, own))
