"""The Plan station: choices as sentences at the left, the coupon to scale, and in short what it
will cost.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QElapsedTimer, Qt, QTimer
from PySide6.QtWidgets import QApplication, QHBoxLayout, QVBoxLayout, QWidget

from olive_almanac.core.design.choices import choices_of, is_hotter
from olive_almanac.core.design.kinds.kind import kind_of
from olive_almanac.core.lengths import length_unit
from olive_almanac.core.records.entry import Subject
from olive_almanac.core.records.factors import factor_of
from olive_almanac.core.records.setting import energy_unit, rasters
from olive_almanac.core.units import (
    area_number,
    capital,
    duration_text,
    fixed_text,
    number_text,
    percent_text,
    sides_number,
    speed_in,
)
from olive_almanac.core.words import tr
from olive_almanac.steps.permission import what_machines_can
from olive_almanac.steps.plan.fixes import Fix
from olive_almanac.steps.plan.presenter import PlanPresenter
from olive_almanac.steps.plan.wording import cell_groups, tested_levels, writing_words
from olive_almanac.steps.requests import PlanAtFocus, PlanCells, PlanKind, Request
from olive_almanac.steps.trial_files import WritingProgress
from olive_almanac.views.disputed import DisputedQuestion
from olive_almanac.views.marks import Mark
from olive_almanac.views.parts import (
    Heading,
    Page,
    Segments,
    box,
    button,
    clear_layout,
    col,
    hair,
    head,
    label,
    page_margins,
    row,
)
from olive_almanac.views.plan.choices import Choices
from olive_almanac.views.plan.sheet import PlanKey, PlanSheet
from olive_almanac.views.station_page import StationPage
from olive_almanac.views.theme import compact, px
from olive_almanac.views.worker import LatestWork, once

if TYPE_CHECKING:
    from olive_almanac.core.deciding.decision import Decision
    from olive_almanac.core.design.plan import TrialPlan
    from olive_almanac.core.design.suggest import Suggestion
    from olive_almanac.core.records.machine import Machine
    from olive_almanac.core.records.trial import SheetOnBed
    from olive_almanac.views.window import MainWindow

REMAKE_AFTER_MS = 60  # the plan is remade when the keys rest for a moment
SAY_AFTER_MS = 200  # a suggestion that takes longer is told


class InShort(Page):
    """The right column: cells, time, area, energy, cost, what it is based on, what to mind, and the
    buttons.
    """

    def __init__(self, page: PlanPage) -> None:
        super().__init__()
        self._page = page
        self.setFixedWidth(px(compact(226, 262)))
        layout = QVBoxLayout(self)
        page_margins(layout, left=compact(14, 18), right=compact(14, 20))
        layout.addLayout(head(label(tr("In short"), "h2"), None, topic="plan/The kind of trial"))
        layout.addSpacing(px(4))
        self.values: Any = {}
        for name, unit in (
            (tr("Cells"), ""),
            (tr("Burning"), ""),
            (tr("Area"), length_unit()),
            (tr("Energy"), ""),
            (tr("Cost"), ""),
        ):
            value, unit_label = label("", "num4"), label(unit, "ui", "second")
            self.values[name] = (value, unit_label)
            layout.addLayout(row(label(name, "ui", "second"), None, value, unit_label, gap=5))
            layout.addSpacing(px(1))
            layout.addWidget(hair())
            layout.addSpacing(px(2))
        self.basis = label("", "small", "second", wrap=True)
        layout.addSpacing(px(4))
        layout.addWidget(self.basis)
        self.mind = QVBoxLayout()
        self.mind.setSpacing(px(4))
        layout.addSpacing(px(6))
        layout.addLayout(self.mind)
        layout.addStretch(1)
        self.suggest = button(
            tr("Suggest levels"), "plain", tip=tr("from the last coupon, the book, or the physics")
        )
        self.suggest.clicked.connect(page.suggest)
        self.next = button(
            tr("Next cells"), "plain", tip=tr("the cells that teach most, by what was read so far")
        )
        self.next.clicked.connect(page.ask_next)
        self.key = button(
            tr("Print the cell key"), tip=tr("writes the files and opens the key as PDF, Ctrl+P")
        )
        self.key.clicked.connect(page.print_page)
        self.write = button(tr("Write the burn file"), "main", tip="Ctrl+Enter")
        self.write.clicked.connect(page.main_action)
        for part in (self.suggest, self.next, self.write, self.key):
            layout.addWidget(part)
            layout.addSpacing(px(compact(2, 6)))

    def show_plan(self, plan: TrialPlan, energy_unit: str, *, basis: str, currency: str) -> None:
        from olive_almanac.core.burn.pulses import overlaps_text
        from olive_almanac.core.design.plan import used_area_mm2

        trial = plan.trial
        low, high = plan.energy_range
        cost = tr("no rate yet")
        if trial.cost is not None:
            cost = fixed_text(trial.cost, 2)
        texts = {
            tr("Cells"): str(len(trial.cells)),
            tr("Burning"): duration_text(trial.seconds),
            tr("Area"): sides_number(trial.coupon.width_mm, trial.coupon.height_mm)
            if not kind_of(trial.kind).spread
            else area_number(used_area_mm2(trial)),
            tr("Energy"): _range_words(low, high),
            tr("Cost"): cost,
        }
        for name, text in texts.items():
            self.values[name][0].setText(text)
        if kind_of(trial.kind).spread:
            self.values[tr("Area")][1].setText(f"{length_unit()}²")
        else:
            self.values[tr("Area")][1].setText(length_unit())
        self.values[tr("Energy")][1].setText(energy_unit)
        if trial.cost is not None:
            self.values[tr("Cost")][1].setText(currency)
        else:
            self.values[tr("Cost")][1].setText("")
        self.values[tr("Cost")][0].setToolTip(
            ""
            if trial.cost is not None
            else tr("Set up takes a rate for the machine and a price for the stock.")
        )
        told = []
        if basis:
            told.append(f"{capital(basis)}.")
        overlap = overlaps_text(trial.machine, (cell.setting for cell in trial.cells))
        if overlap:
            told.append(tr("Overlap of the pulses along a line: {overlap}.", overlap=overlap))
        self.basis.setText(" ".join(told))
        if plan.refused:
            notes = [("stop", "act", _left_out(len(plan.refused)), plan.refused[0].why)]
        else:
            notes = []
        notes += [("stop", "mind", tr("Mind this"), remark) for remark in plan.remarks]
        self._show_notes(notes)
        if any(refusal.expected for refusal in plan.refused):
            offer = button(
                tr("Plan them too, hotter"),
                "plain",
                tip=tr("low energy first; stop at the first flare; kept with the trial"),
            )
            offer.clicked.connect(lambda: self._take_offer(self._page.presenter.plan_hotter))
            self.mind.addWidget(offer)
        elif is_hotter(trial):
            offer = button(tr("Leave them out again"), "plain")
            offer.clicked.connect(lambda: self._take_offer(self._page.presenter.plan_as_expected))
            self.mind.addWidget(offer)
        self.suggest.show()
        self.write.setEnabled(True)
        self.key.setEnabled(True)

    def _take_offer(self, take: Callable[[], None]) -> None:
        """Take an offer; its key goes, so the eye and the keys go on to what is next."""
        take()
        self.write.setFocus()

    def show_problem(self, text: str, fixes: Any, take: Any) -> None:
        for value, unit in self.values.values():
            value.setText(tr("none"))
            unit.setText("")
        self.suggest.setVisible(not fixes)
        self.basis.setText("")
        self._show_notes([("stop", "act", tr("Not possible so"), text)])
        if fixes:
            way = tr("These would fit:")
            if "hotter" in fixes[0].texts:
                way = tr("A way on:")
            self.mind.addWidget(label(way, "ui_b"))
        for fix in fixes:
            offer = button(capital(fix.words), "plain")
            offer.clicked.connect(lambda _=False, fix=fix: take(fix))
            self.mind.addWidget(offer)
        self.rest()

    def rest(self) -> None:
        """Nothing can be written until there is a plan again."""
        self.write.setEnabled(False)
        self.key.setEnabled(False)

    def show_writing(self, words: str) -> None:
        """While the files are written the main button stops it and says how far it is."""
        if words:
            self.write.setText(tr("Stop writing"))
        else:
            self.write.setText(tr("Write the burn file"))
        self.key.setEnabled(not words)
        if words:
            self._show_notes([("stop", "clear", tr("Writing"), capital(words) + ".")])

    def _show_notes(self, notes: Any) -> None:
        clear_layout(self.mind)
        for kind, level, words, detail in notes:
            text = col(
                label(words, "ui_b", wrap=True), label(detail, "small", "second", wrap=True), gap=0
            )
            line = row(col(Mark(kind, level, 26), None), text, gap=8)
            line.setStretch(1, 1)
            self.mind.addWidget(box(line))


def _left_out(count: int) -> str:
    if count == 1:
        return tr("1 cell left out")
    return tr("{count} cells left out", count=count)


class Waiting(Page):
    """In place of the columns while the cells are worked out: those of another would mislead."""

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        layout = QVBoxLayout(self)
        page_margins(layout)
        layout.addLayout(head(label(tr("Plan"), "h1"), None))
        layout.addSpacing(px(18))
        self.told = label(tr("Working out the cells …"), "h2", wrap=True)
        self.why = label("", "ui", "second", wrap=True)
        layout.addWidget(self.told)
        layout.addSpacing(px(8))
        layout.addWidget(self.why)
        layout.addStretch(1)
        self.hide()

    def say(self, stock: str) -> None:
        """Tell what takes so long."""
        self.told.show()
        self.why.setText(tr("What is known of {stock} is being fitted.", stock=stock))
        self.setAccessibleName(self.told.text())

    def say_nothing(self) -> None:
        """Stand empty: most suggestions are there at once."""
        self.told.hide()
        self.why.setText("")


class PlanPage(StationPage):
    """Joins the three columns; the presenter remakes the plan at every change."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self.presenter = PlanPresenter(self.session, self, self._compute)
        self.choices, self.short = Choices(self), InShort(self)
        self.sheet, self.key = PlanSheet(), PlanKey()
        self.centre_title = label("", compact("h3", "h2"))
        self.view = Segments(
            [tr("coupon"), compact(tr("bed"), tr("on the bed"))], 0, tr("What the drawing shows")
        )
        self.view.chosen.connect(lambda at: self.sheet.show_whole_bed(at == 1))
        self.shade = Segments([tr("energy"), tr("outlook")], 0, tr("What the cells show"))
        self.shade.chosen.connect(self._shade)
        self.sheet.dragged.connect(self.presenter.drag)
        self.sheet.nudged.connect(self.presenter.nudge)
        self.sheet.turned.connect(self.presenter.turn)
        self.choices.turned.connect(self.presenter.turn)
        self.choices.corner_chosen.connect(self.presenter.to_corner)
        self.choices.sheet_chosen.connect(self.presenter.choose_sheet)
        self.choices.kind_chosen.connect(self.presenter.choose_kind)
        self.choices.leaf.chosen.connect(self._show_leaf)
        centre = Page()
        layout = QVBoxLayout(centre)
        page_margins(layout, left=compact(12, 18), right=compact(12, 18))
        layout.addLayout(
            head(self.centre_title, None, self.shade, self.view, gap=6, topic="plan/Outlook")
        )
        layout.addSpacing(px(8))
        layout.addWidget(self.sheet, 1)
        layout.addWidget(self.key)
        self.columns = QWidget()
        across = QHBoxLayout(self.columns)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(0)
        for part, stretch in (
            (self.choices, 0),
            (hair("vhair"), 0),
            (centre, 1),
            (hair("vhair"), 0),
            (self.short, 0),
        ):
            across.addWidget(part, stretch)
        self.refusal = Page()
        refused = QVBoxLayout(self.refusal)
        page_margins(refused)
        refused.addLayout(head(label(tr("Nothing to plan"), "h1"), None))
        refused.addSpacing(px(18))
        self.refusal_text = label("", "h2", wrap=True)
        self.refusal_more = label("", "ui", "second", wrap=True)
        refused.addWidget(self.refusal_text)
        refused.addSpacing(px(8))
        refused.addWidget(self.refusal_more)
        refused.addSpacing(px(14))
        self.question = DisputedQuestion(self.session)
        refused.addWidget(self.question)
        self.elsewhere = QVBoxLayout()
        self.elsewhere.setSpacing(px(8))
        refused.addLayout(self.elsewhere)
        refused.addStretch(1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        self.waiting = Waiting()
        for part in (self.columns, self.refusal, self.waiting):
            whole.addWidget(part)
        self._basis: object = None
        self._suggesting = LatestWork(self.main_window.work)
        self._slow = QTimer(self)
        self._slow.setSingleShot(True)
        self._slow.timeout.connect(self._say_what_is_awaited)
        self._pause = QTimer(self)
        self._pause.setSingleShot(True)
        self._pause.timeout.connect(self.presenter.remake)
        self._rest = QTimer(self)  # the outlook is reckoned once the plan has stood still
        self._rest.setSingleShot(True)
        self._rest.timeout.connect(self._ask_outlook)
        self._reckoning: Any = None
        self._writing: Any = None
        self._since = QElapsedTimer()
        self._opens_key = False

    def enter(self) -> None:
        permission, basis = self.session.permission, self._now()
        if basis != self._basis or not permission.allowed:
            self._drop_suggestion()
        if not self.presenter.is_asked:
            self.columns.setVisible(permission.allowed)
        self.refusal.setVisible(not permission.allowed)
        self.refusal_text.setText(permission.reason)
        self.refusal_more.setText(
            permission.instead or ("" if permission.reason else tr("Set up adds them."))
        )
        self.question.show_permission(permission)
        self._show_elsewhere()
        if permission.allowed and basis != self._basis:
            self._basis = basis
            self.presenter.start()
        if self.waiting.isHidden():
            self.choices.kind.setFocus()
        else:
            self.waiting.setFocus()

    def _now(self) -> object:
        """What a plan is made for: subject, coupon, what was read of it, the unit of speeds."""
        active, unit = self.session.active, self.session.preferences.speed_unit
        if active is None:
            return self.session.subject, "", 0, unit
        return self.session.subject, active.trial.id, len(active.readings), unit

    def kept(self) -> Any:
        return (self._basis, self.presenter.kept()) if self.presenter.texts else None

    def take_up(self, kept: Any) -> None:
        basis, chosen = kept
        if basis is not None and basis[0] == self.session.subject:
            self._basis = basis
            self.presenter.go_on(chosen)

    def _show_elsewhere(self) -> None:
        """Where the stock cannot work here: what each machine of the shop can do with it, and a way
        there.
        """
        clear_layout(self.elsewhere)
        subject, permission = self.session.subject, self.session.permission
        if (
            permission.allowed
            or permission.barred
            or permission.ask
            or subject.machine is None
            or subject.stock is None
        ):
            return
        self.elsewhere.addWidget(Heading(tr("What the machines of this shop can do with it")))
        catalogue = self.session.catalogue
        for machine, words, allowed in what_machines_can(
            catalogue.machines, subject.stock, subject.task, catalogue.rules
        ):
            told = col(label(machine.label, "h3"), label(words, "ui", "second", wrap=True), gap=0)
            line = row(told, gap=16)
            line.setStretch(0, 1)
            if allowed and machine.uid != subject.machine.uid:
                there = button(tr("Plan it on {machine}", machine=machine.name))
                there.clicked.connect(
                    lambda _=False, uid=machine.uid: self.session.choose(machine=uid)
                )
                line.addWidget(there)
            self.elsewhere.addWidget(box(line))
            self.elsewhere.addWidget(hair())

    def leave(self) -> None:
        self._pause.stop()
        self._rest.stop()
        self._drop_suggestion()

    def subject_changed(self) -> None:
        self.enter()

    def trials_changed(self) -> None:
        self.enter()

    def take(self, request: Request) -> None:
        if isinstance(request, PlanKind):
            self.presenter.choose_kind(request.kind)
        elif isinstance(request, PlanCells):
            self.presenter.plan_next(request.cells, request.sheet, request.clear_mm, request.recipe)
        elif isinstance(request, PlanAtFocus):
            self.presenter.plan_at_focus(request.focus_mm)

    def change(self, key: str, text: str) -> None:
        """Take a field as typed; the plan is remade when the keys rest for a moment."""
        self.presenter.texts[key] = text
        self._pause.start(REMAKE_AFTER_MS)

    def suggest(self) -> None:
        if not self.presenter.is_asked:
            self.presenter.suggest()

    def _compute(
        self,
        work_out: Callable[[], Suggestion],
        take: Callable[[Suggestion], None],
        fail: Callable[[Exception], None],
    ) -> None:
        """Work a suggestion out in a worker; it is told where it takes long.  Where another subject
        or coupon is in hand by then, it is dropped.
        """

        def heard(then: Callable[[Any], None]) -> Callable[[Any], None]:
            def hear(news: Any) -> None:
                if self._now() == self._basis:
                    self._end_waiting()
                    then(news)
                else:
                    self._drop_suggestion()

            return hear

        self.short.rest()
        self.short.next.hide()  # until it is known what was read of this subject
        if not self.presenter.texts:
            self._wait()  # there is nothing to show yet
        self._slow.start(SAY_AFTER_MS)
        self._suggesting.start(once(work_out), heard(take), heard(fail))

    def _wait(self) -> None:
        """Show the page of what is awaited; the columns know which of their fields had the keys."""
        self.waiting.say_nothing()
        self.waiting.show()
        self.waiting.setFocus()
        self.columns.hide()

    def _say_what_is_awaited(self) -> None:
        if not self.waiting.isVisibleTo(self):
            self._wait()
        stock = self.session.subject.stock
        self.waiting.say(stock.label if stock else "")

    def _end_waiting(self) -> None:
        self._slow.stop()
        if self.waiting.isHidden():
            return
        held = self.waiting.hasFocus()
        self.waiting.hide()
        self.columns.show()
        if held:
            (self.columns.focusWidget() or self.choices.kind).setFocus()

    def _drop_suggestion(self) -> None:
        """Hear no more of what is being worked out: it is asked for anew when it is wanted."""
        self._suggesting.stop()
        self._end_waiting()
        if self.presenter.is_asked:
            self.presenter.drop()
            self._basis = None

    def ask_next(self) -> None:
        """Ask the fit for the cells that teach most; the answer comes from a worker."""
        subject, work = self.session.subject, self.presenter.next_work()
        self.main_window.work_at_rest(
            self.short.next, work, lambda found: self._take_next(found, subject)
        )

    def _take_next(self, decision: Decision, subject: Subject) -> None:
        if self.session.subject != subject:
            return  # they were asked for something else
        if decision.next_cells:
            self.presenter.plan_next(decision.next_cells, recipe=decision.recipe)
        else:
            self.short._show_notes(
                [
                    (
                        "stop",
                        "mind",
                        tr("Nothing to add"),
                        tr("The readings leave no cell that would teach more within the limits."),
                    )
                ]
            )

    def _show_leaf(self, at: int) -> None:
        """The layout leaf goes with the bed, the levels leaf with the coupon."""
        self.view.set_at(at)
        self.sheet.show_whole_bed(at == 1)

    def _shade(self, at: int) -> None:
        self.sheet.show_outlook(at == 1)
        self.key.show_outlook(at == 1)

    # -- what the presenter shows ------------------------------------------------------------------

    def show_choices(self, texts: dict[str, str]) -> None:
        self.choices.prepared.show_recipes()
        machine, stock = self.session.subject.machine, self.session.subject.stock
        unit = self.session.preferences.speed_unit
        self.choices.show_texts(
            texts,
            unit,
            task=self.session.subject.task,
            source=machine.source if machine else "",
            name=self.presenter.name,
            sheets=stock.sheets if stock else (),
            focus_by_hand=machine is not None and machine.focus_by_hand,
        )

    def show_plan(self, plan: TrialPlan) -> None:
        unit, trial = self.session.preferences.speed_unit, plan.trial
        self.show_choices(self.presenter.texts)
        self.choices.mark_bad("")
        quiet = trial.label_setting
        self.choices.show_quiet(
            percent_text(quiet.power), number_text(speed_in(quiet.speed_mm_s, unit), 3)
        )
        tested = choices_of(trial)
        self.choices.show_cells(cell_groups(tested.settings, unit))
        for slot in (self.choices.up, self.choices.across):
            if slot.factor:
                factor = factor_of(slot.factor)
                slot.show_levels(tested_levels(factor, tested.levels(factor.id), unit))
        self._show_title(trial.machine, trial.sheet)
        self.sheet.show_plan(plan, unit)
        low, high = plan.energy_range
        words = tr(
            "{kind} energy, {task}",
            kind=tr("Areal") if rasters(trial.task) else tr("Line"),
            task=energy_unit(trial.task),
        )
        self.key.show_range(low, high, words, refused=bool(plan.refused), task=trial.task)
        self.short.show_plan(
            plan,
            energy_unit(trial.task),
            basis=self.presenter.basis,
            currency=self.session.preferences.currency,
        )
        self.short.next.setVisible(bool(self.presenter.pairs))
        self._rest.start(250)

    def _show_title(self, machine: Machine, sheet: SheetOnBed | None) -> None:
        title = machine.name
        if sheet is not None:
            title = tr("Sheet {number}", number=sheet.number + 1)
        # where room is short: the line at the top names the machine, the layout the sheet
        self.centre_title.setText(compact("", title))

    def show_problem(self, key: str, text: str, fixes: Sequence[Fix]) -> None:
        if self.presenter.texts:
            self.show_choices(self.presenter.texts)
        self.choices.mark_bad(key)
        for slot in (self.choices.up, self.choices.across):
            if slot.factor and factor_of(slot.factor).is_number:
                slot.show_levels("")
        ground = self.presenter.ground
        if ground is not None:
            self._show_title(ground[0], ground[2])
        self.sheet.show_ground(ground)
        self.key.show_nothing()
        self.short.show_problem(text, fixes, self.presenter.take_fix)
        self.short.next.setVisible(bool(self.presenter.pairs) and not fixes)

    # -- the outlook -------------------------------------------------------------------------------

    def _ask_outlook(self) -> None:
        work = self.presenter.outlook_work()
        if work is None:
            return
        wanted = self.presenter.plan

        def take(item: Any) -> None:
            if (
                self.presenter.plan is not None
                and wanted is not None
                and self.presenter.plan.trial.cells == wanted.trial.cells
            ):
                self.sheet.take_outlook(item[1])
                self.key.take_outlook(item[1])

        self._reckoning = self.main_window.work(work, take)

    # -- the files and the keys --------------------------------------------------------------------

    def main_action(self) -> None:
        """Write the files in a worker, then go on to Burn; pressed while it writes, stop it."""
        if self._writing is not None:
            if self._since.elapsed() > QApplication.doubleClickInterval():  # not by a double click
                self._writing.requestInterruption()
            return
        if self._pause.isActive():
            self._pause.stop()
            self.presenter.remake()
        work = self.presenter.write_work()
        if work is None:
            return
        self.short.show_writing("starting")
        self._progress = None
        self._writing = self.main_window.work(work, self._say_writing, self._writing_failed)
        self._writing.finished.connect(self._written)
        self._since.start()

    def _say_writing(self, progress: WritingProgress) -> None:
        self._progress = progress
        self.short.show_writing(writing_words(progress))

    def _writing_failed(self, problem: Exception) -> None:
        self._progress = None
        self.main_window.work_failed(problem)

    def _written(self) -> None:
        if self._writing is None:
            return
        stopped = self._writing.isInterruptionRequested()
        self._writing = None
        self.short.show_writing("")
        opens, self._opens_key = self._opens_key, False
        progress = self._progress
        if not stopped and progress is not None and progress.step == "done":
            files = self.presenter.written(progress.trial)
            if files is not None:
                self.main_window.navigate("burn")
                if opens:
                    self.main_window.show_pages(files.key)
                return
        if self.presenter.plan is not None:
            self.show_plan(self.presenter.plan)

    def print_page(self) -> None:
        """Write the files and open the key sheet."""
        if self._writing is None and self.presenter.plan is not None:
            self._opens_key = True
            self.main_action()


def _range_words(low: float, high: float) -> str:
    """Two ends of a range, or the one number where they are the same."""
    first, last = number_text(low, 2), number_text(high, 2)
    if high < low * 1.001:
        return first
    told: str = compact(
        tr("{low}–{high}", low=first, high=last), tr("{low} to {high}", low=first, high=last)
    )
    return told
